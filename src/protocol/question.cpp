// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/question.h"

#include <vector>

#include "protocol/diagnostic_services.h"
#include "protocol/hex_text.h"

namespace wavetrope::protocol {

namespace {

constexpr std::size_t longInBytes = 64;     // what is longer goes by block
constexpr std::size_t longestLine = 16'384;
constexpr std::uint32_t mostAddress = 253;

std::vector<std::string> wordsOf(std::string_view text)
{
    std::vector<std::string> words;
    bool within = false, quoted = false;
    for (const char c : text) {
        if (c == '"') {
            quoted = !quoted;
            if (quoted && !within) {
                words.emplace_back();
                within = true;
            }
        } else if (c == ' ' && !quoted) {
            within = false;
        } else {
            if (!std::exchange(within, true))
                words.emplace_back();
            words.back() += c;
        }
    }
    return words;
}

class Reader {
public:
    Reader(std::string_view text, const std::function<const Dictionary*(std::uint8_t)>& dictionaryOf)
        : words_(wordsOf(text)), dictionaryOf_(dictionaryOf)
    {
        out_.words = text;
    }
    Expected<Question> read()
    {
        const std::string what = words_.empty() ? std::string() : words_[at_++];
        const auto done = what == "read" || what == "write"          ? object(what == "write")
                          : what == "request" || what == "send"      ? group(what == "send")
                          : what == "state"                          ? state()
                          : what == "diagnose" || what == "troubles" ? diagnose(what == "troubles")
                          : what == "sync" || what == "time"
                              ? frame(what == "sync")
                              : Expected<void>(wavetrope::fail(
                                    "'" + what + "': expected read, write, request, send, state, sync, time, diagnose or troubles"));
        if (!done)
            return tl::unexpected(done.error());
        if (at_ < words_.size())
            return wavetrope::fail("'" + words_[at_] + "' is too much");
        return std::move(out_);
    }

private:
    [[nodiscard]] Expected<std::string> next(const char* wanted)
    {
        if (at_ == words_.size())
            return wavetrope::fail(std::string("expected ") + wanted);
        return words_[at_++];
    }
    [[nodiscard]] std::string rest()
    {
        std::string out;
        for (; at_ < words_.size(); ++at_)
            out += (out.empty() ? "" : " ") + words_[at_];
        return out;
    }

    Expected<void> object(bool writes)
    {
        const auto number = next("a node, such as 1");
        if (!number)
            return tl::unexpected(number.error());
        const auto node = nodeFromText(*number);
        if (!node)
            return tl::unexpected(node.error());
        const auto name = next("an object, such as 0x2001:03");
        if (!name)
            return tl::unexpected(name.error());
        const Dictionary* dictionary = dictionaryOf_ ? dictionaryOf_(*node) : nullptr;
        const auto place = dictionary != nullptr ? dictionary->placeOf(*name) : objectPlaceFromText(*name);
        if (!place)
            return tl::unexpected(place.error());
        const ObjectEntry* entry = dictionary == nullptr ? nullptr : dictionary->find(*place);
        if (entry != nullptr)
            out_.type = entry->type;
        if (!writes) {
            const bool block = entry != nullptr && entry->type == ObjectType::domain;
            out_.make = [node = *node, place = *place, block] { return objectRead(node, place, block); };
            return {};
        }
        const std::string value = rest();
        auto bytes = entry != nullptr ? Dictionary::bytesFor(*entry, value, *node) : bytesFromText(value);
        if (!bytes)
            return tl::unexpected(bytes.error());
        out_.make = [node = *node, place = *place, bytes = std::move(*bytes)] {
            return objectWrite(node, place, bytes, bytes.size() > longInBytes);
        };
        return {};
    }

    Expected<void> group(bool sends)
    {
        const auto number = next("a group, such as 0xFECA");
        if (!number)
            return tl::unexpected(number.error());
        const auto group = groupFromText(*number);
        if (!group)
            return tl::unexpected(group.error());
        VehiclePlace place;
        if (at_ < words_.size() && words_[at_] == "to") {
            ++at_;
            const auto to = next("an address, such as 0x28");
            if (!to)
                return tl::unexpected(to.error());
            const auto address = wholeFromText(*to, mostAddress);
            if (!address)
                return wavetrope::fail("'" + *to + "' is no address: expected 0 to 253, such as 0x28");
            place.other = static_cast<std::uint8_t>(*address);
        }
        if (!sends) {
            out_.make = [place, group = *group]() -> std::unique_ptr<Talk> { return groupRequest(place, group); };
            return {};
        }
        auto bytes = bytesFromText(rest());
        if (!bytes)
            return tl::unexpected(bytes.error());
        out_.make = [place, group = *group, bytes = std::move(*bytes)] { return groupSend(place, group, bytes); };
        return {};
    }

    Expected<void> state()
    {
        const auto number = next("a node, or all");
        if (!number)
            return tl::unexpected(number.error());
        std::uint8_t node = 0;
        if (*number != "all") {
            const auto read = nodeFromText(*number);
            if (!read)
                return tl::unexpected(read.error());
            node = *read;
        }
        const auto command = stateCommandFromText(rest());
        if (!command)
            return tl::unexpected(command.error());
        out_.make = [node, command = *command] { return stateCommand(node, command); };
        return {};
    }

    Expected<void> frame(bool sync)
    {
        out_.make = [sync] { return framesSent([sync](Time now) { return sync ? syncFrame() : timeFrame(now); }); };
        return {};
    }

    Expected<void> diagnose(bool troubles)
    {
        const auto text = next("two identifiers, such as 0x7E0/0x7E8");
        if (!text)
            return tl::unexpected(text.error());
        const auto spoken = spokenFromText("bus=diagnostics:" + *text);
        if (!spoken)
            return tl::unexpected(spoken.error());
        if (spoken->pairs.size() != 1)
            return wavetrope::fail("expected one pair of identifiers, such as 0x7E0/0x7E8");
        auto bytes = troubles ? Expected<std::vector<std::uint8_t>>(troublesRequest()) : bytesFromText(rest());
        if (!bytes)
            return tl::unexpected(bytes.error());
        out_.make = [pair = spoken->pairs.front(), bytes = std::move(*bytes)] { return diagnosticRequest(pair, bytes); };
        return {};
    }

    std::vector<std::string> words_;
    std::size_t at_ = 0;
    const std::function<const Dictionary*(std::uint8_t)>& dictionaryOf_;
    Question out_;
};

}  // namespace

Expected<Question> questionFromText(std::string_view text, const std::function<const Dictionary*(std::uint8_t node)>& dictionaryOf)
{
    if (text.size() > longestLine)
        return fail("a question has 16,384 characters at the most");
    return Reader(text, dictionaryOf).read();
}

}  // namespace wavetrope::protocol
