// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/shelf.h"

#include <sys/stat.h>

#include <algorithm>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "base/replace_file.h"
#include "database/database_json.h"
#include "database/dbc_writer.h"
#include "database/export.h"

namespace wavetrope::rig {

namespace {

constexpr std::size_t never = ~std::size_t{0};

// Changes whenever the file does: time, size and inode.
std::uint64_t stampOf(const std::string& path)
{
    struct stat info{};
    if (::stat(path.c_str(), &info) != 0)
        return 0;
    return static_cast<std::uint64_t>(info.st_mtim.tv_sec) * 1'000'000'007U ^ static_cast<std::uint64_t>(info.st_mtim.tv_nsec)
           ^ static_cast<std::uint64_t>(info.st_size) << 20 ^ static_cast<std::uint64_t>(info.st_ino) << 40;
}

}  // namespace

Shelf::Shelf(Rig& rig) : rig_(rig)
{
    for (const BusSpec& bus : rig_.buses)
        for (const std::string& name : bus.databases) {
            if (const int known = find(name); known >= 0) {
                entries_[static_cast<std::size_t>(known)]->buses.push_back(bus.name);
                continue;
            }
            auto entry = std::make_unique<ShelfEntry>();
            entry->name = name;
            entry->path = rig_.resolve(name);
            entry->buses = {bus.name};
            load(*entry);
            entries_.push_back(std::move(entry));
        }
    for (const BusSpec& bus : rig_.buses) {
        auto entry = std::make_unique<ShelfEntry>();
        entry->name = bus.name;
        entry->buses = {bus.name};
        entry->own = true;
        if (bus.definitions)
            entry->edited = *bus.definitions;
        entry->reading.database = entry->edited;
        entries_.push_back(std::move(entry));
    }
}

void Shelf::load(ShelfEntry& entry)
{
    auto reading = database::readDbcFile(entry.path);
    entry.stamp = stampOf(entry.path);
    entry.steps.clear();
    entry.orders.clear();
    ++entry.revision;
    entry.at = entry.savedAt = 0;
    entry.missing.reset();
    if (!reading) {
        entry.missing = reading.error();
        entry.reading = {};
        entry.edited = {};
        return;
    }
    entry.reading = std::move(*reading);
    entry.edited = entry.reading.database;
}

int Shelf::ownOf(const std::string& bus) const
{
    for (std::size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i]->own && entries_[i]->name == bus)
            return static_cast<int>(i);
    return -1;
}

int Shelf::find(const std::string& name) const
{
    for (std::size_t i = 0; i < entries_.size(); ++i)
        if (!entries_[i]->own && entries_[i]->name == name)
            return static_cast<int>(i);
    return -1;
}

void Shelf::apply(std::size_t index, database::Edit edit)
{
    if (edit.empty())
        return;
    const std::scoped_lock lock(changing_);
    ShelfEntry& entry = *entries_[index];
    database::apply(entry.edited, edit);
    if (entry.savedAt > entry.at)
        entry.savedAt = never;
    entry.steps.resize(entry.at);
    entry.orders.resize(entry.at);
    entry.steps.push_back(std::move(edit));
    entry.orders.push_back(++order_);
    ++entry.at;
    ++entry.revision;
    arrangements_.resize(arranged_);
}

bool Shelf::undoArranges(std::size_t index) const
{
    const ShelfEntry& entry = at(index);
    return arranged_ > 0 && (!entry.canUndo() || arrangements_[arranged_ - 1].order > entry.orders[entry.at - 1]);
}

bool Shelf::redoArranges(std::size_t index) const
{
    const ShelfEntry& entry = at(index);
    return arranged_ < arrangements_.size() && (!entry.canRedo() || arrangements_[arranged_].order < entry.orders[entry.at]);
}

bool Shelf::undo(std::size_t index)
{
    const std::scoped_lock lock(changing_);
    ShelfEntry& entry = *entries_[index];
    if (undoArranges(index)) {
        setFiles(arrangements_[--arranged_].before);
        return true;
    }
    if (entry.canUndo()) {
        database::revert(entry.edited, entry.steps[--entry.at]);
        ++entry.revision;
    }
    return false;
}

bool Shelf::redo(std::size_t index)
{
    const std::scoped_lock lock(changing_);
    ShelfEntry& entry = *entries_[index];
    if (redoArranges(index)) {
        setFiles(arrangements_[arranged_++].after);
        return true;
    }
    if (entry.canRedo()) {
        database::apply(entry.edited, entry.steps[entry.at++]);
        ++entry.revision;
    }
    return false;
}

bool Shelf::changedOnDisk(std::size_t index) const
{
    const ShelfEntry& entry = *entries_[index];
    return !entry.own && stampOf(entry.path) != entry.stamp;
}

Expected<database::DbcReading> Shelf::onDisk(std::size_t index) const { return database::readDbcFile(entries_[index]->path); }

Expected<void> Shelf::reread(std::size_t index)
{
    ShelfEntry& entry = *entries_[index];
    if (entry.own)
        return {};
    const std::uint64_t stamp = stampOf(entry.path);
    auto reading = database::readDbcFile(entry.path);
    if (!reading)
        return tl::unexpected(reading.error());
    const std::scoped_lock lock(changing_);
    load(entry);
    entry.stamp = stamp;  // a change while it was read is seen again
    return {};
}

Expected<void> Shelf::save(std::size_t index, bool overwrite)
{
    ShelfEntry& entry = *entries_[index];
    if (entry.own) {
        const std::scoped_lock lock(changing_);
        for (std::size_t i = 0; i < rig_.buses.size(); ++i) {
            if (rig_.buses[i].name != entry.name)
                continue;
            nlohmann::json& bus = rig_.document["buses"][i];
            if (entry.edited.messages.empty())
                bus.erase("definitions");
            else
                bus["definitions"] = nlohmann::json(database::toJson(entry.edited));
            rig_.buses[i].definitions = entry.edited.messages.empty() ? nullptr : std::make_shared<const database::Database>(entry.edited);
        }
        entry.savedAt = entry.at;
        return {};
    }
    if (changedOnDisk(index) && !overwrite)
        return fail("this file was changed by another program since it was read", entry.path,
            "Look at the difference, then read it again or keep yours");
    auto bytes = database::writeDbc(entry.edited, entry.reading.database, entry.reading.source);
    if (!bytes)
        return tl::unexpected(bytes.error());
    if (auto written = replaceFile(entry.path, *bytes); !written)
        return written;
    entry.stamp = stampOf(entry.path);
    entry.savedAt = entry.at;
    return {};
}

Expected<void> Shelf::exportTo(std::size_t index, const std::string& path) const
{
    return database::exportDatabase(entries_[index]->edited, path);
}

void Shelf::moveTo(const std::string& folder)
{
    const std::scoped_lock lock(changing_);
    std::map<std::string, std::string> names;
    for (const auto& entry : entries_) {
        if (entry->own)
            continue;
        std::error_code code;
        const auto relative = std::filesystem::relative(std::filesystem::absolute(entry->path), folder, code);
        const std::string name = code || relative.empty() ? std::filesystem::absolute(entry->path).string() : relative.string();
        if (std::filesystem::path(entry->name).is_absolute())
            continue;
        names[entry->name] = name;
        entry->path = std::filesystem::absolute(entry->path).string();
        entry->name = name;
    }
    for (std::size_t i = 0; i < rig_.buses.size(); ++i) {
        for (std::string& file : rig_.buses[i].databases)
            if (const auto found = names.find(file); found != names.end())
                file = found->second;
        if (rig_.document.contains("buses") && i < rig_.document["buses"].size() && !rig_.buses[i].databases.empty())
            rig_.document["buses"][i]["databases"] = rig_.buses[i].databases;
    }
    for (Arrangement& arrangement : arrangements_)
        for (auto* files : {&arrangement.before, &arrangement.after})
            for (auto& bus : *files)
                for (std::string& file : bus)
                    if (const auto found = names.find(file); found != names.end())
                        file = found->second;
}

std::vector<std::vector<std::string>> Shelf::files() const
{
    std::vector<std::vector<std::string>> files;
    for (const BusSpec& bus : rig_.buses)
        files.push_back(bus.databases);
    return files;
}

void Shelf::setFiles(const std::vector<std::vector<std::string>>& files)
{
    for (const auto& entry : entries_)
        if (!entry->own)
            entry->buses.clear();
    for (std::size_t i = 0; i < rig_.buses.size() && i < files.size(); ++i) {
        rig_.buses[i].databases = files[i];
        if (rig_.document.contains("buses") && i < rig_.document["buses"].size())
            rig_.document["buses"][i]["databases"] = files[i];
        for (const std::string& name : files[i])
            if (const int known = find(name); known >= 0)
                entries_[static_cast<std::size_t>(known)]->buses.push_back(rig_.buses[i].name);
    }
}

void Shelf::arrange(std::string title, std::vector<std::vector<std::string>> next)
{
    std::vector<std::vector<std::string>> before = files();
    if (before == next)
        return;
    const std::scoped_lock lock(changing_);
    setFiles(next);
    arrangements_.resize(arranged_);
    arrangements_.push_back({std::move(title), std::move(before), std::move(next), ++order_});
    ++arranged_;
}

Expected<std::size_t> Shelf::take(const std::string& path)
{
    const std::string name = rig_.nameOf(path);
    if (const int known = find(name); known >= 0) {
        // One that was missing may be there by now; one that no bus had may be another by now.
        ShelfEntry& entry = *entries_[static_cast<std::size_t>(known)];
        if (entry.missing || (entry.buses.empty() && !entry.changed() && changedOnDisk(static_cast<std::size_t>(known)))) {
            const std::scoped_lock lock(changing_);
            load(entry);
            if (entry.missing)
                return tl::unexpected(*entry.missing);
        }
        return static_cast<std::size_t>(known);
    }
    auto entry = std::make_unique<ShelfEntry>();
    entry->name = name;
    entry->path = path;
    load(*entry);
    if (entry->missing)
        return tl::unexpected(*entry->missing);
    // Files stand before the own definitions.
    const auto place = std::find_if(entries_.begin(), entries_.end(), [](const auto& e) { return e->own; });
    const auto index = static_cast<std::size_t>(place - entries_.begin());
    const std::scoped_lock lock(changing_);
    entries_.insert(place, std::move(entry));
    return index;
}

Expected<std::size_t> Shelf::attach(const std::string& busName, const std::string& path)
{
    const auto bus = std::find_if(rig_.buses.begin(), rig_.buses.end(), [&](const BusSpec& b) { return b.name == busName; });
    if (bus == rig_.buses.end())
        return fail("the rig has no bus '" + busName + "'");
    auto index = take(path);
    if (!index)
        return index;
    auto next = files();
    auto& list = next[static_cast<std::size_t>(bus - rig_.buses.begin())];
    const std::string& name = at(*index).name;
    if (std::find(list.begin(), list.end(), name) == list.end())
        list.push_back(name);
    arrange("attach " + name, std::move(next));
    return index;
}

void Shelf::detach(const std::string& busName, std::size_t index)
{
    auto next = files();
    for (std::size_t i = 0; i < rig_.buses.size(); ++i)
        if (rig_.buses[i].name == busName)
            std::erase(next[i], at(index).name);
    arrange("take off " + at(index).name, std::move(next));
}

Expected<std::size_t> Shelf::pointTo(std::size_t index, const std::string& path)
{
    const std::string old = at(index).name;
    const auto found = take(path);
    if (!found)
        return found;
    auto next = files();
    for (auto& list : next)
        std::replace(list.begin(), list.end(), old, at(*found).name);
    arrange("point to " + at(*found).name, std::move(next));
    return found;
}

void Shelf::prefer(const std::string& busName, std::size_t index)
{
    auto next = files();
    for (std::size_t i = 0; i < rig_.buses.size(); ++i) {
        const auto found = rig_.buses[i].name == busName ? std::find(next[i].begin(), next[i].end(), at(index).name) : next[i].end();
        if (found != next[i].end() && found != next[i].begin())
            std::iter_swap(found, found - 1);
    }
    arrange("prefer " + at(index).name, std::move(next));
}

Expected<std::size_t> Shelf::create(const std::string& bus, const std::string& path)
{
    if (std::filesystem::exists(path))
        return fail("there is a file already", path, "Choose another name");
    if (auto written = replaceFile(path, database::writeDbc(database::Database{})); !written)
        return tl::unexpected(written.error());
    return attach(bus, path);
}

std::shared_ptr<const database::Catalog> Shelf::catalog(
    const std::vector<std::string>& busNames, const std::vector<database::DerivedSpec>& derived) const
{
    const std::scoped_lock lock(changing_);
    auto catalog = std::make_shared<database::Catalog>();
    std::vector<std::shared_ptr<const database::Database>> shared;
    for (const auto& entry : entries_) {
        auto& [revision, database] = shared_[entry.get()];
        if (!database || revision != entry->revision) {
            database = std::make_shared<const database::Database>(entry->edited);
            revision = entry->revision;
        }
        shared.push_back(database);
    }
    for (const std::string& name : busNames) {
        const auto bus = std::find_if(rig_.buses.begin(), rig_.buses.end(), [&](const BusSpec& b) { return b.name == name; });
        const std::uint8_t index = catalog->addBus(name, bus == rig_.buses.end() ? database::Match::full : bus->match);
        if (bus == rig_.buses.end())
            continue;
        for (const std::string& file : bus->databases)
            if (const int found = find(file); found >= 0 && !at(static_cast<std::size_t>(found)).missing)
                catalog->attach(index, shared[static_cast<std::size_t>(found)]);
        if (const int own = ownOf(name); own >= 0 && !at(static_cast<std::size_t>(own)).edited.messages.empty())
            catalog->attach(index, shared[static_cast<std::size_t>(own)]);
        for (const auto& [of, data] : processData_)
            if (of.first == name)
                attachBehind(*catalog, index, data);
    }
    catalog->derive(derived);
    return catalog;
}

}  // namespace wavetrope::rig
