// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/dictionary_talk.h"

#include <algorithm>
#include <cctype>

#include "protocol/chain.h"
#include "protocol/hex_text.h"

namespace wavetrope::protocol {

namespace {

constexpr std::size_t longestByPieces = 64;     // bytes; more go by block

class ReadAll final : public Chain<DictionaryRead> {
public:
    ReadAll(std::uint8_t node, const Dictionary& dictionary) : node_(node)
    {
        for (const auto& [key, entry] : dictionary.entries)
            if (entry.access != Access::writeOnly)
                places_.push_back({entry.place, entry.type == ObjectType::domain});
    }
    [[nodiscard]] const WrittenObjects& values() const override { return values_; }
    [[nodiscard]] const std::map<std::uint32_t, std::string>& refused() const override { return refused_; }

private:
    std::unique_ptr<Talk> ask() override
    {
        if (at_ == places_.size())
            return nullptr;
        const auto& [place, block] = places_[at_++];
        return objectRead(node_, place, block);
    }
    Expected<void> came(const Talk& talk, bool silent) override
    {
        const Answer& answer = *talk.answer();
        const std::uint32_t key = Dictionary::keyOf(places_[at_ - 1].first);
        if (answer.good) {
            values_[key] = answer.data;
            heard_ = true;
            return {};
        }
        refused_[key] = answer.words;
        // Who does not answer at all is not asked for the rest.
        if (silent && !heard_)
            return wavetrope::fail(answer.words);
        return {};
    }
    std::uint8_t node_;
    std::vector<std::pair<ObjectPlace, bool>> places_;
    std::size_t at_ = 0;
    bool heard_ = false;
    WrittenObjects values_;
    std::map<std::uint32_t, std::string> refused_;
};

class WriteAll final : public Chain<Talk> {
public:
    WriteAll(std::uint8_t node, std::vector<std::pair<ObjectPlace, std::vector<std::uint8_t>>> values)
        : node_(node), values_(std::move(values))
    {}

private:
    std::unique_ptr<Talk> ask() override
    {
        if (at_ == values_.size())
            return nullptr;
        const auto& [place, bytes] = values_[at_++];
        return objectWrite(node_, place, bytes, bytes.size() > longestByPieces);
    }
    Expected<void> came(const Talk& talk, bool) override
    {
        const Answer& answer = *talk.answer();
        const ObjectPlace place = values_[at_ - 1].first;
        if (!answer.good)
            return wavetrope::fail(hex("0x%04X:%02X", place.index, place.sub) + " was not written: " + answer.words);
        return {};
    }
    std::uint8_t node_;
    std::vector<std::pair<ObjectPlace, std::vector<std::uint8_t>>> values_;
    std::size_t at_ = 0;
};

class Load final : public Chain<DictionaryRead> {
public:
    Load(std::uint8_t node, const Dictionary& dictionary) : node_(node), dictionary_(dictionary) {}
    [[nodiscard]] const WrittenObjects& values() const override { return values_; }
    [[nodiscard]] const std::map<std::uint32_t, std::string>& refused() const override { return refused_; }

private:
    std::unique_ptr<Talk> ask() override
    {
        switch (step_++) {
        case 0: return dictionaryRead(node_, dictionary_);
        case 1: {
            std::vector<std::pair<ObjectPlace, std::vector<std::uint8_t>>> values;
            for (const ObjectDifference& one : differencesOf(dictionary_, node_, *this))
                if (one.refused.empty() && one.entry->access == Access::readWrite)
                    values.emplace_back(one.entry->place, *dictionary_.initialOf(*one.entry, node_));
            return objectsWrite(node_, std::move(values));
        }
        default: return nullptr;
        }
    }
    Expected<void> came(const Talk& talk, bool) override
    {
        if (!talk.answer()->good)
            return wavetrope::fail(talk.answer()->words);
        if (const auto* read = dynamic_cast<const DictionaryRead*>(&talk)) {
            values_ = read->values();
            refused_ = read->refused();
        }
        return {};
    }
    std::uint8_t node_;
    const Dictionary& dictionary_;
    int step_ = 0;
    WrittenObjects values_;
    std::map<std::uint32_t, std::string> refused_;
};

bool startsWith(std::string_view line, std::string_view key)
{
    std::size_t at = 0;
    for (const char c : line) {
        if (c == ' ' || c == '\t')
            continue;
        if (at == key.size())
            return c == '=';
        if (std::tolower(static_cast<unsigned char>(c)) != key[at])
            return false;
        ++at;
    }
    return false;
}

// The object of a section's name, such as 2001 or 2001sub3.
std::optional<ObjectPlace> placeOfSection(std::string_view name)
{
    std::string small;
    for (const char c : name)
        small += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    const auto sub = small.find("sub");
    if ((sub == std::string::npos ? small.size() : sub) != 4)
        return std::nullopt;
    const auto place = objectPlaceFromText("0x" + small.substr(0, 4) + ":" + (sub == std::string::npos ? "0" : small.substr(7)));
    return place ? std::optional(*place) : std::nullopt;
}

}  // namespace

std::unique_ptr<DictionaryRead> dictionaryRead(std::uint8_t node, const Dictionary& dictionary)
{
    return std::make_unique<ReadAll>(node, dictionary);
}

std::unique_ptr<Talk> objectsWrite(std::uint8_t node, std::vector<std::pair<ObjectPlace, std::vector<std::uint8_t>>> values)
{
    return std::make_unique<WriteAll>(node, std::move(values));
}

std::unique_ptr<DictionaryRead> dictionaryLoad(std::uint8_t node, const Dictionary& dictionary)
{
    return std::make_unique<Load>(node, dictionary);
}

std::vector<ObjectDifference> differencesOf(const Dictionary& dictionary, std::uint8_t node, const DictionaryRead& read)
{
    std::vector<ObjectDifference> out;
    for (const auto& [key, entry] : dictionary.entries) {
        if (entry.access == Access::writeOnly)
            continue;
        if (const auto refused = read.refused().find(key); refused != read.refused().end()) {
            out.push_back({&entry, {}, {}, refused->second});
            continue;
        }
        const auto wanted = dictionary.initialOf(entry, node);
        const auto has = read.values().find(key);
        if (entry.access == Access::readOnly || !wanted || has == read.values().end() || *wanted == has->second)
            continue;
        out.push_back({&entry, valueText(entry.type, *wanted), valueText(entry.type, has->second), {}});
    }
    return out;
}

std::string dcfText(std::string_view sheet, const Dictionary& dictionary, std::uint8_t node, const WrittenObjects& values)
{
    const auto newline = sheet.find_first_of("\r\n");
    const std::string end = newline == std::string_view::npos || sheet[newline] == '\n' ? "\n"
                            : sheet.substr(newline, 2) == "\r\n"                        ? "\r\n"
                                                                                        : "\r";
    std::string out;
    const ObjectEntry* entry = nullptr;
    bool commissioning = false, named = false;
    const auto close = [&] {
        // Behind the lines of a section, in front of the blank ones.
        std::size_t blank = out.size();
        while (blank >= 2 * end.size() && std::string_view(out).substr(blank - 2 * end.size(), 2 * end.size()) == end + end)
            blank -= end.size();
        const auto put = [&](const std::string& line) { out.insert(blank, line + end); };
        if (entry != nullptr)
            if (const auto value = values.find(Dictionary::keyOf(entry->place)); value != values.end())
                put("ParameterValue=" + valueText(entry->type, value->second));
        if (commissioning)
            put("NodeID=" + std::to_string(node));
        entry = nullptr;
        commissioning = false;
    };
    while (!sheet.empty()) {
        const auto stop = sheet.find_first_of("\r\n");
        const std::string_view line = sheet.substr(0, stop);
        sheet.remove_prefix(stop == std::string_view::npos                             ? sheet.size()
                            : sheet[stop] == '\r' && sheet.substr(stop + 1, 1) == "\n" ? stop + 2
                                                                                       : stop + 1);
        const auto from = line.find_first_not_of(" \t");
        if (from != std::string_view::npos && line[from] == '[') {
            close();
            const std::string_view name = line.substr(from + 1, line.find(']') - from - 1);
            if (const auto place = placeOfSection(name))
                entry = dictionary.find(*place);
            commissioning = name == "DeviceComissioning" || name == "DeviceCommissioning";
            named = named || commissioning;
        } else if ((entry != nullptr && startsWith(line, "parametervalue")) || (commissioning && startsWith(line, "nodeid"))) {
            continue;
        }
        out += line;
        out += end;
    }
    close();
    if (!named)
        out += end + "[DeviceComissioning]" + end + "NodeID=" + std::to_string(node) + end;
    return out;
}

}  // namespace wavetrope::protocol
