// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/outbox_spec.h"

#include <nlohmann/json.hpp>
#include <set>

#include "base/json_reader.h"
#include "drive/message_text.h"

namespace wavetrope::drive {

namespace {

constexpr std::uint64_t mostBeats = 1ULL << 53U;
constexpr std::uint64_t mostBurst = 100'000;

OutboxRow rowFromJson(const JsonReader& in)
{
    OutboxRow row;
    row.pointer = in.pointer();
    in.needObject();
    row.written = in.json().dump();
    nlohmann::json rhythm;
    for (const char* field : {"every", "offset", "count", "answer", "after", "at", "burst", "apart", "key", "held"})
        if (in.has(field))
            rhythm[field] = in.json()[field];
    row.rhythm = rhythm.dump();
    row.bus = in.needText("bus");
    row.message = in.text("message");
    const std::string frame = in.text("frame");
    row.ask = in.text("ask");
    if ((row.message.empty() ? 0 : 1) + (frame.empty() ? 0 : 1) + (row.ask.empty() ? 0 : 1) != 1)
        in.wrong(
            "expected either a message, a frame or a question", "Such as \"message\": \"BladeCommand\", or \"frame\": \"0x1F0 11 22 33\"");
    if (!frame.empty()) {
        const auto typed = messageFromText(frame);
        if (!typed)
            JsonReader::fail(in.placeOf("frame"), typed.error().what, typed.error().remedy);
        if (!typed->frame)
            JsonReader::fail(in.placeOf("frame"), "expected an identifier and bytes, such as 0x1F0 11 22 33");
        row.frame = *typed->frame;
    }
    row.what = row.bus + '\n' + row.name();
    for (const char* members : {"signals", "bytes"})
        in.eachMember(
            members, [&](const std::string& name, const JsonReader& member) { row.values.emplace(name, sourceFromJson(member)); });
    row.comment = in.text("comment");
    unsigned ways = 0;
    row.key = in.text("key");
    row.held = in.flag("held");
    if (in.has("every")) {
        row.every = in.span("every");
        if (row.every.count() <= 0)
            JsonReader::fail(in.placeOf("every"), "expected a period of more than 0", "Such as 20 ms");
        if (row.key.empty()) {
            row.when = OutboxRow::When::every;
            ++ways;
        }
    }
    if (in.has("answer")) {
        row.answer = in.needText("answer");
        row.when = OutboxRow::When::answer;
        ++ways;
    }
    if (in.has("at")) {
        row.at = in.span("at");
        row.when = OutboxRow::When::moment;
        ++ways;
    }
    if (ways > 1)
        in.wrong("expected one of every, answer and at");
    if (row.held && (row.key.empty() || row.every.count() == 0))
        JsonReader::fail(in.placeOf("held"), "expected a key and a period beside it");
    row.offset = in.span("offset");
    row.after = in.span("after");
    row.count = in.whole("count", mostBeats, 0);
    row.burst = static_cast<unsigned>(in.whole("burst", mostBurst, 1));
    row.apart = in.span("apart");
    if (row.burst == 0)
        JsonReader::fail(in.placeOf("burst"), "expected 1 or more");
    row.starts = !in.has("starts") || in.flag("starts");
    row.gathers = in.flag("gathers");
    row.anyway = in.flag("anyway");
    static constexpr const char* overflows[] = {"refuse", "limit"};
    row.overflow = in.word("overflow", overflows) == 0 ? database::Overflow::refuse : database::Overflow::limit;
    return row;
}

}  // namespace

std::vector<OutboxGroup> outboxFromJson(const JsonReader& in)
{
    std::vector<OutboxGroup> groups;
    std::set<std::string> names;
    in.each([&](const JsonReader& group) {
        OutboxGroup made;
        made.name = group.needText("name");
        if (!names.insert(made.name).second)
            JsonReader::fail(group.placeOf("name"), "two groups are called '" + made.name + "'");
        made.comment = group.text("comment");
        group.each("rows", [&](const JsonReader& row) { made.rows.push_back(rowFromJson(row)); });
        groups.push_back(std::move(made));
    });
    return groups;
}

}  // namespace wavetrope::drive
