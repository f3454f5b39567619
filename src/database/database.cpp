// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/database.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <iterator>

#include "database/dbc_format.h"
#include "database/field_text.h"

namespace wavetrope::database {

namespace {

template <class Range, class Matches>
auto* findIf(Range& range, Matches matches)
{
    const auto found = std::find_if(range.begin(), range.end(), matches);
    return found == range.end() ? nullptr : &*found;
}

// The value of an object, else the default of the definition.
const AttributeValue* valueOf(const AttributeValues& values, const AttributeDefinition* definition, const char* name)
{
    if (const AttributeValue* own = values.find(name))
        return own;
    return definition != nullptr && definition->standard ? &*definition->standard : nullptr;
}

}  // namespace

std::string_view Signal::textOf(RawValue raw) const
{
    std::string_view ofRange;
    for (const ValueText& entry : texts) {
        if (entry.value == raw && entry.more == 0)
            return entry.text;
        if (ofRange.empty() && entry.more > 0 && raw >= entry.value && raw <= entry.last())
            ofRange = entry.text;
    }
    return ofRange;
}

std::optional<RawValue> Signal::valueOf(std::string_view text) const
{
    for (const ValueText& entry : texts)
        if (entry.text == text)
            return entry.value;
    return std::nullopt;
}

bool Signal::presentAt(std::uint64_t selected) const
{
    if (muxRanges.empty())
        return selected == muxValue;
    return std::any_of(
        muxRanges.begin(), muxRanges.end(), [&](const MuxRange& range) { return selected >= range.from && selected <= range.to; });
}

const Signal* Message::find(std::string_view signal) const
{
    return findIf(signals, [&](const Signal& s) { return s.name == signal; });
}

Signal* Message::find(std::string_view signal)
{
    return findIf(signals, [&](const Signal& s) { return s.name == signal; });
}

bool Variable::holdsText() const { return type == 2 || access.starts_with(dbc::textAccess); }

void Variable::setType(unsigned kind)
{
    if (access.empty())
        access = dbc::freeAccess;
    // The last digit tells who may read and write.
    const std::string who = access.substr(access.size() - 1);
    if (kind == 2 && !access.starts_with(dbc::textAccess))
        access = std::string(dbc::textAccess) + "00" + who;
    else if (kind < 2 && access.starts_with(dbc::textAccess))
        access = std::string(dbc::freeAccess).substr(0, dbc::freeAccess.size() - 1) + who;
    type = kind == 2 ? 0 : kind;
}

const Message* Database::find(can::Identifier id) const
{
    return findIf(messages, [&](const Message& m) { return m.id == id; });
}

const Message* Database::find(std::string_view name) const
{
    return findIf(messages, [&](const Message& m) { return m.name == name; });
}

const Node* Database::findNode(std::string_view name) const
{
    return findIf(nodes, [&](const Node& n) { return n.name == name; });
}

const AttributeDefinition* Database::definition(AttributeOwner owner, std::string_view name) const
{
    return findIf(definitions, [&](const AttributeDefinition& d) { return d.owner == owner && d.name == name; });
}

std::size_t Database::signalCount() const
{
    std::size_t count = 0;
    for (const Message& message : messages)
        count += message.signals.size();
    return count;
}

std::vector<ValueText> rangesOf(const std::vector<ValueText>& texts)
{
    std::vector<ValueText> ranges;
    std::copy_if(texts.begin(), texts.end(), std::back_inserter(ranges), [](const ValueText& text) { return text.more > 0; });
    return ranges;
}

void keepTextRanges(Signal& signal)
{
    if (const auto ranges = rangesOf(signal.texts); ranges.empty())
        signal.attributes.remove(customary::textRanges);
    else
        signal.attributes.set(customary::textRanges, AttributeValue::of(textsText(ranges)));
}

void applyCustomary(const Database& database, Message& message)
{
    const auto of = [&](const char* name) {
        const AttributeDefinition* definition = database.definition(AttributeOwner::message, name);
        return std::pair(valueOf(message.attributes, definition, name), definition);
    };
    message.cycleTime = {};
    if (const auto [value, definition] = of(customary::cycleTime); value != nullptr && value->number > 0 && value->number < 1e9)
        message.cycleTime = std::chrono::nanoseconds(std::llround(value->number * 1e6));
    message.sendType.clear();
    if (const auto [value, definition] = of(customary::sendType); value != nullptr)
        message.sendType = definition != nullptr ? definition->wordsOf(*value) : value->text;
    message.fd = message.length > can::maxClassicLength;
    message.match.reset();
    if (const auto [value, definition] = of(customary::frameFormat); value != nullptr && definition != nullptr) {
        const std::string format = definition->wordsOf(*value);
        message.fd = message.fd || format.find("FD") != std::string::npos;
        if (format.find("J1939") != std::string::npos)
            message.match = Match::group;
        else if (message.attributes.find(customary::frameFormat) != nullptr)
            message.match = Match::full;
    }
    message.brs = false;
    if (const auto [value, definition] = of(customary::bitRateSwitch); value != nullptr)
        message.brs = definition != nullptr && definition->type == AttributeType::enumeration ? definition->choiceOf(*value) > 0
                                                                                              : value->number != 0;
    message.matchMask = 0;
    if (const AttributeValue* mask = message.attributes.find(customary::matchMask);
        mask != nullptr && mask->number > 0 && mask->number <= 0x1FFFFFFF) {
        message.match = Match::mask;
        message.matchMask = static_cast<std::uint32_t>(mask->number);
    }
    const AttributeDefinition* start = database.definition(AttributeOwner::signal, customary::startValue);
    for (Signal& signal : message.signals) {
        signal.startRaw.reset();
        if (const AttributeValue* own = signal.attributes.find(customary::startValue); own != nullptr && !own->isText)
            signal.startRaw = own->number;
        else if (start != nullptr && start->standard && !start->standard->isText && start->standard->number != 0)
            signal.startRaw = start->standard->number;
        if (const AttributeValue* ranges = signal.attributes.find(customary::textRanges); ranges != nullptr && ranges->isText) {
            if (const auto read = textsFromText(ranges->text)) {
                std::erase_if(signal.texts, [](const ValueText& text) { return text.more > 0; });
                for (const ValueText& text : rangesOf(*read))
                    signal.texts.push_back(text);
            }
        } else {
            std::erase_if(signal.texts, [](const ValueText& text) { return text.more > 0; });
        }
    }
}

}  // namespace wavetrope::database
