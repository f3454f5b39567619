// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/process_data.h"
#include "protocol/hex_text.h"

#include <cstdio>
#include <set>

namespace wavetrope::protocol {

namespace {

constexpr unsigned mostOfOneKind = 512, mostMapped = 64, mostBits = 64, usualOnes = 4;
constexpr std::uint64_t off = 1ULL << 31, wide = 1ULL << 29;  // bits of an identifier's object (7.5.2.35)

std::string asName(const std::string& text)
{
    std::string out;
    for (const char c : text) {
        const bool kept = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
        if (kept)
            out += c;
        else if (!out.empty() && out.back() != '_')
            out += '_';
    }
    while (!out.empty() && out.back() == '_')
        out.pop_back();
    if (out.empty() || (out.front() >= '0' && out.front() <= '9'))
        out.insert(0, "_");
    return out;
}

class Mapper {
public:
    Mapper(const Dictionary& dictionary, std::uint8_t node, const std::string& name, const WrittenObjects& written)
        : dictionary_(dictionary), node_(node), name_(name), written_(written)
    {
        out_.database.path = dictionary.path;
        out_.database.nodes.push_back({++out_.database.lastUid, name, {}, {}, {}});
    }
    ProcessData run()
    {
        for (const bool sends : {true, false})
            for (unsigned i = 0; i < mostOfOneKind; ++i)
                one(sends, i);
        return std::move(out_);
    }

private:
    [[nodiscard]] std::optional<std::uint64_t> value(unsigned index, unsigned sub) const
    {
        const ObjectPlace place{static_cast<std::uint16_t>(index), static_cast<std::uint8_t>(sub)};
        const auto bytesOf = [&]() -> std::optional<std::vector<std::uint8_t>> {
            if (const auto found = written_.find(Dictionary::keyOf(place)); found != written_.end())
                return found->second;
            const ObjectEntry* entry = dictionary_.find(place);
            return entry == nullptr ? std::nullopt : dictionary_.initialOf(*entry, node_);
        };
        const auto bytes = bytesOf();
        if (!bytes || bytes->size() > 8)
            return std::nullopt;
        std::uint64_t out = 0;
        for (std::size_t i = bytes->size(); i-- > 0;)
            out = out << 8 | (*bytes)[i];
        return out;
    }

    void one(bool sends, unsigned number)
    {
        const unsigned communication = (sends ? 0x1800U : 0x1400U) + number, mapping = (sends ? 0x1A00U : 0x1600U) + number;
        auto identifier = value(communication, 1);
        const bool known = dictionary_.objects.count(static_cast<std::uint16_t>(communication)) != 0;
        if (!identifier && known && number < usualOnes)  // 7.3.3: of the predefined connection set
            identifier = (sends ? 0x180U : 0x200U) + 0x100U * number + node_;
        if (!identifier || (*identifier & off) != 0)
            return;
        database::Message message;
        message.name = name_ + (sends ? "Sent" : "Received") + std::to_string(number + 1);
        message.id = {
            static_cast<std::uint32_t>(*identifier) & ((*identifier & wide) != 0 ? 0x1FFFFFFFU : 0x7FFU), (*identifier & wide) != 0};
        if (sends)
            message.sender = name_;
        message.comment = "Process data " + std::to_string(number + 1) + (sends ? " sent by node " : " received by node ")
                          + std::to_string(node_);
        if (const auto period = value(communication, 5); sends && period)
            message.cycleTime = std::chrono::milliseconds(std::min<std::uint64_t>(*period, 65'535));
        if (!signals(message, mapping, sends))
            return;
        if (!taken_.insert(message.id.key()).second)
            out_.findings.push_back(message.name + " has the identifier " + can::toText(message.id) + " that another one has");
        message.uid = ++out_.database.lastUid;
        out_.database.messages.push_back(std::move(message));
    }

    // 7.5.2.36: how many, then index, sub-index and length of each.
    bool signals(database::Message& message, unsigned mapping, bool sends)
    {
        const auto count = value(mapping, 0);
        if (!count || *count == 0)
            return false;
        if (*count > mostMapped) {
            out_.findings.push_back(
                message.name + ": " + hex("0x%04X", mapping) + " maps " + std::to_string(*count) + " objects, and not the 64 that may be");
            return false;
        }
        unsigned bit = 0;
        std::set<std::string> names;
        for (unsigned sub = 1; sub <= *count; ++sub) {
            const auto mapped = value(mapping, sub);
            if (!mapped) {
                out_.findings.push_back(message.name + ": nothing says what " + hex("0x%04X:%02X", mapping, sub) + " maps");
                break;
            }
            const ObjectPlace place{static_cast<std::uint16_t>(*mapped >> 16), static_cast<std::uint8_t>(*mapped >> 8)};
            const unsigned length = *mapped & 0xFFU;
            if (length == 0 || bit + length > mostBits) {
                out_.findings.push_back(message.name + ": " + hex("0x%04X:%02X", place.index, place.sub) + " of " + std::to_string(length)
                                        + " bits does not fit behind " + std::to_string(bit));
                break;
            }
            if (place.index >= 0x20 && length <= 64)  // 7.2.2.4: the types themselves stand for gaps
                signal(message, place, bit, length, sends, names);
            bit += length;
        }
        message.length = (bit + 7) / 8;
        return bit > 0;
    }

    void signal(database::Message& message, ObjectPlace place, unsigned bit, unsigned length, bool sends, std::set<std::string>& names)
    {
        const std::string where = hex("0x%04X:%02X", place.index, place.sub);
        const ObjectEntry* entry = dictionary_.find(place);
        database::Signal signal;
        signal.name = entry != nullptr ? asName(dictionary_.nameOf(*entry)) : hex("Object_%04X_%02X", place.index, place.sub);
        for (int again = 2; !names.insert(signal.name).second; ++again)
            signal.name = signal.name.substr(0, signal.name.find("__")) + "__" + std::to_string(again);
        signal.startBit = bit;
        signal.length = length;
        signal.comment = where;
        if (entry == nullptr) {
            out_.findings.push_back(message.name + " maps " + where + ", which the dictionary has not");
        } else {
            signal.isSigned = isSigned(entry->type);
            if (isReal(entry->type) && bitsOf(entry->type) == length)
                signal.type = length == 32 ? database::ValueType::single : database::ValueType::floating;
            if (bitsOf(entry->type) != 0 && bitsOf(entry->type) != length)
                out_.findings.push_back(message.name + " maps " + std::to_string(length) + " bits of " + where + ", which has "
                                        + std::to_string(bitsOf(entry->type)));
            if (!entry->mappable)
                out_.findings.push_back(message.name + " maps " + where + ", which may not be mapped");
            else if (sends ? entry->access == Access::writeOnly : entry->access == Access::readOnly || entry->access == Access::constant)
                out_.findings.push_back(message.name + " maps " + where + ", whose access is " + toText(entry->access));
            limits(signal, *entry);
        }
        signal.uid = ++out_.database.lastUid;
        message.signals.push_back(std::move(signal));
    }

    void limits(database::Signal& signal, const ObjectEntry& entry) const
    {
        if (!isWhole(entry.type))
            return;
        const auto low = Dictionary::number(entry.low, node_), high = Dictionary::number(entry.high, node_);
        if (low && high && *low < *high) {
            signal.minimum = static_cast<double>(*low);
            signal.maximum = static_cast<double>(*high);
        }
    }

    const Dictionary& dictionary_;
    std::uint8_t node_;
    std::string name_;
    const WrittenObjects& written_;
    ProcessData out_;
    std::set<std::uint32_t> taken_;
};

}  // namespace

std::string signalNameOf(const Dictionary& dictionary, const ObjectEntry& entry) { return asName(dictionary.nameOf(entry)); }

ProcessData processDataOf(const Dictionary& dictionary, std::uint8_t node, const std::string& name, const WrittenObjects& written)
{
    return Mapper(dictionary, node, name, written).run();
}

}  // namespace wavetrope::protocol
