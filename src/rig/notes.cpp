// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/notes.h"

#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <limits>

#include "base/json_reader.h"
#include "base/replace_file.h"
#include "base/time_text.h"

namespace wavetrope::rig {

namespace {

constexpr std::uintmax_t largestFile = 64U << 20;

std::string lowered(const std::string& text)
{
    std::string lower = text;
    std::transform(lower.begin(), lower.end(), lower.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return lower;
}

}  // namespace

Expected<Notes> Notes::load(const std::string& log)
{
    const std::string path = fileOf(log);
    std::error_code problem;
    if (!std::filesystem::exists(path, problem))
        return Notes();
    if (std::filesystem::file_size(path, problem) > largestFile || problem)
        return fail("the notes cannot be read", path, "Look at the file; the log itself is not affected");
    std::ifstream file(path, std::ios::binary);
    const auto document = nlohmann::json::parse(std::string(std::istreambuf_iterator<char>(file), {}), nullptr, false);
    if (!document.is_object() || !document.contains("wavetrope_notes") || !document.contains("notes"))
        return fail("this is no file of notes", path, "Look at the file; the log itself is not affected");
    auto notes = readingJson(path, [&] {
        Notes read;
        JsonReader(document).each("notes", [&](const JsonReader& in) {
            const auto time = momentFromText(in.at("time").text(), {});
            if (!time)
                in.at("time").wrong("expected seconds since 1970 or since the start");
            Note note{0, *time, trace::noRow, in.at("text").text()};
            if (const auto row = in.whole("row", std::numeric_limits<std::uint64_t>::max(), 0); row > 0)
                note.row = row - 1;
            read.put(std::move(note));
        });
        return read;
    });
    if (!notes)
        notes.error().remedy = "Look at the file; the log itself is not affected";
    return notes;
}

Expected<void> Notes::save(const std::string& log) const
{
    const std::string path = fileOf(log);
    if (notes_.empty()) {
        ::unlink(path.c_str());
        return {};
    }
    nlohmann::ordered_json document;
    document["wavetrope_notes"] = 1;
    document["notes"] = nlohmann::ordered_json::array();
    for (const Note& note : notes_) {
        nlohmann::ordered_json entry;
        entry["time"] = secondsText(note.time);
        if (note.row != trace::noRow)
            entry["row"] = note.row + 1;
        entry["text"] = note.text;
        document["notes"].push_back(std::move(entry));
    }
    return replaceFile(path, document.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + '\n');
}

std::uint64_t Notes::put(Note note)
{
    if (note.uid == 0)
        note.uid = next_++;
    next_ = std::max(next_, note.uid + 1);
    const std::uint64_t uid = note.uid;
    remove(uid);
    const auto at = std::upper_bound(notes_.begin(), notes_.end(), note,
        [](const Note& a, const Note& b) { return std::pair(a.time, a.row) < std::pair(b.time, b.row); });
    notes_.insert(at, std::move(note));
    return uid;
}

void Notes::remove(std::uint64_t uid)
{
    std::erase_if(notes_, [&](const Note& note) { return note.uid == uid; });
}

const Note* Notes::find(std::uint64_t uid) const
{
    const auto found = std::find_if(notes_.begin(), notes_.end(), [&](const Note& note) { return note.uid == uid; });
    return found == notes_.end() ? nullptr : &*found;
}

const Note* Notes::at(trace::Row row) const
{
    const auto found = std::find_if(notes_.begin(), notes_.end(), [&](const Note& note) { return note.row == row; });
    return row == trace::noRow || found == notes_.end() ? nullptr : &*found;
}

std::vector<const Note*> Notes::search(const std::string& words) const
{
    const std::string wanted = lowered(words);
    std::vector<const Note*> found;
    for (const Note& note : notes_)
        if (lowered(note.text).find(wanted) != std::string::npos)
            found.push_back(&note);
    return found;
}

void Notes::settle(const trace::Snapshot& snapshot)
{
    for (Note& note : notes_)
        if (note.row != trace::noRow && (note.row >= snapshot.rows() || snapshot.time(note.row) != note.time))
            note.row = trace::noRow;
}

}  // namespace wavetrope::rig
