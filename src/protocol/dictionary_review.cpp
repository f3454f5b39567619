// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/dictionary_review.h"

#include <algorithm>

#include "protocol/hex_text.h"

namespace wavetrope::protocol {

namespace {

constexpr std::size_t mostKinds = 4'096;
constexpr ObjectPlace heartbeatPeriod{0x1017, 0};
constexpr std::uint64_t beatsNeeded = 4;

}  // namespace

DictionaryReview::DictionaryReview(const Dictionary& dictionary, std::uint8_t node)
    : dictionary_(dictionary), node_(node), process_(processDataOf(dictionary, node, "Node" + std::to_string(node)))
{
    for (std::size_t i = 0; i < process_.database.messages.size(); ++i)
        byId_.emplace(process_.database.messages[i].id.key(), i);
}

void DictionaryReview::note(ObjectPlace place, const std::string& words, Time at)
{
    const auto key = std::pair(Dictionary::keyOf(place), words);
    if (const auto known = found_.find(key); known != found_.end())
        ++known->second.times;
    else if (found_.size() < mostKinds)
        found_.emplace(key, Contradiction{place, words, 1, at});
}

void DictionaryReview::take(const MessageRow& row)
{
    if (row.frame == can::FrameKind::data && byId_.count(row.id.key()) != 0)
        process(row);
    if (!row.head || row.head->protocol != Protocol::objects)
        return;
    const bool of = row.head->source == Party::node(node_), to = row.head->destination == Party::node(node_);
    heard_ = heard_ || of;
    if (of && row.head->kind == Kind::heartbeat)
        heartbeat(row);
    if (to && (row.head->kind == Kind::serviceRead || row.head->kind == Kind::serviceWrite))
        object(row);
}

void DictionaryReview::object(const MessageRow& row)
{
    heard_ = true;
    const ObjectPlace place{static_cast<std::uint16_t>(row.what >> 8), static_cast<std::uint8_t>(row.what)};
    const ObjectEntry* entry = dictionary_.find(place);
    const bool reads = row.head->kind == Kind::serviceRead;
    if (entry == nullptr)
        return note(place, std::string("the node ") + (reads ? "gives" : "takes") + " it, and the file has no such object", row.time);
    if (reads ? entry->access == Access::writeOnly : entry->access == Access::readOnly || entry->access == Access::constant)
        note(place, std::string("the node lets it be ") + (reads ? "read" : "written") + ", and the file says " + toText(entry->access),
            row.time);
    const unsigned bits = bitsOf(entry->type);
    if (bits != 0 && (bits + 7) / 8 != row.data.size())
        return note(place, "the file says " + words(entry->type) + ", and " + std::to_string(row.data.size()) + " bytes came", row.time);
    const std::vector<std::uint8_t> bytes(
        row.data.begin(), row.data.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(row.data.size(), 64)));
    const auto value = wholeOf(entry->type, bytes);
    if (!value)
        return;
    const auto low = Dictionary::number(entry->low, node_), high = Dictionary::number(entry->high, node_);
    if ((low && *value < *low) || (high && *value > *high))
        note(place,
            "the file's limits are " + (low ? std::to_string(*low) : std::string("none")) + " to "
                + (high ? std::to_string(*high) : std::string("none")) + ", and it was " + std::to_string(*value),
            row.time);
    // What cannot change has to be as the file says: the identity above all (7.5.2.19).
    const bool fixed = entry->access == Access::constant || (place.index == 0x1018 && place.sub >= 1 && place.sub <= 3);
    const auto initial = fixed ? dictionary_.initialOf(*entry, node_) : std::nullopt;
    if (initial && *initial != bytes)
        note(place, "the file says " + valueText(entry->type, *initial) + ", and it is " + valueText(entry->type, bytes), row.time);
}

void DictionaryReview::process(const MessageRow& row)
{
    const database::Message& message = process_.database.messages[byId_.at(row.id.key())];
    came_.insert(row.id.key());
    heard_ = heard_ || !message.sender.empty();
    if (row.length < message.length) {
        const unsigned number = static_cast<unsigned>(std::stoul(message.name.substr(message.name.find_last_not_of("0123456789") + 1)));
        note({static_cast<std::uint16_t>((message.sender.empty() ? 0x1600 : 0x1A00) + number - 1), 0},
            "the file maps " + std::to_string(message.length) + " bytes, and frames have " + std::to_string(row.length), row.time);
    }
}

void DictionaryReview::heartbeat(const MessageRow& row)
{
    if (beat_ && row.time > *beat_)
        shortest_ = std::min(shortest_, Time(row.time - *beat_));
    if (beats_++ == 0)
        firstBeat_ = row.time;
    beat_ = row.time;
}

std::vector<Contradiction> DictionaryReview::found() const
{
    std::vector<Contradiction> out;
    for (const auto& [key, one] : found_)
        out.push_back(one);
    const ObjectEntry* period = dictionary_.find(heartbeatPeriod);
    const auto initial = period == nullptr ? std::nullopt : dictionary_.initialOf(*period, node_);
    const auto said = initial ? wholeOf(period->type, *initial) : std::nullopt;
    if (beats_ > beatsNeeded && said) {
        // The mean from the first to the last: of a node that never was away.
        const double mean = static_cast<double>((*beat_ - firstBeat_).count()) * 1e-6 / static_cast<double>(beats_ - 1);
        const double least = static_cast<double>(shortest_.count()) * 1e-6;
        if (*said == 0)
            out.push_back({heartbeatPeriod, "the file says that there are no heartbeats, and they come", beats_, firstBeat_});
        else if (least > 1.25 * static_cast<double>(*said) || mean < 0.75 * static_cast<double>(*said))
            out.push_back({heartbeatPeriod,
                "the file says " + std::to_string(*said) + " ms, and heartbeats come every "
                    + std::to_string(static_cast<std::int64_t>(mean + 0.5)) + " ms",
                beats_, firstBeat_});
    }
    for (const database::Message& message : process_.database.messages)
        if (heard_ && !message.sender.empty() && came_.count(message.id.key()) == 0) {
            const unsigned number = static_cast<unsigned>(std::stoul(message.name.substr(message.name.find_last_not_of("0123456789") + 1)));
            out.push_back({{static_cast<std::uint16_t>(0x1800 + number - 1), 1},
                "the file has it sent as " + can::toText(message.id) + ", and it never came", 1, {}});
        }
    std::stable_sort(out.begin(), out.end(),
        [](const Contradiction& a, const Contradiction& b) { return Dictionary::keyOf(a.place) < Dictionary::keyOf(b.place); });
    return out;
}

}  // namespace wavetrope::protocol
