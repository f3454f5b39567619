// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/load_shares.h"

#include <algorithm>
#include <array>

#include "can/wire_length.h"
#include "measure/samples.h"

namespace wavetrope::measure {

namespace {

constexpr std::size_t kindsOfFrames = 4;
constexpr std::size_t noPlace = ~std::size_t{0};

std::string shareName(ShareBy by, const trace::TraceKey& key, can::FrameKind kind, const database::Catalog& catalog, const ClassOf& classOf)
{
    const database::CatalogMessage* message = kind == can::FrameKind::error ? nullptr : catalog.find(key.bus, key.id);
    switch (by) {
    case ShareBy::message: return message != nullptr ? message->message->name : can::toText(key.id);
    case ShareBy::sender:
        return message != nullptr && kind != can::FrameKind::remote && !message->message->sender.empty() ? message->message->sender
                                                                                                         : "unknown";
    case ShareBy::kind: return can::toText(kind);
    case ShareBy::protocolClass: break;
    }
    return classOf ? classOf(key, kind) : "plain";
}

Time beganAt(const can::FrameView& frame, can::WireLength bits, const std::optional<can::BitTimes>& times)
{
    const Time before = times ? times->duration(bits) : Time{0};
    return frame.time < Time::min() + before ? Time::min() : frame.time - before;
}

// Of the frames with the earliest stamp, where the first of them began.
Time firstBitOf(const trace::Snapshot& snapshot, const std::vector<std::optional<can::BitTimes>>& times)
{
    const Time earliest = snapshot.earliest();
    Time first = earliest;
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        if (snapshot.trace().monotone() && snapshot.time(row) > earliest)
            break;
        if (snapshot.time(row) == earliest) {
            const can::FrameView frame = snapshot.frame(row);
            first = std::min(first, beganAt(frame, can::wireLength(frame), times[frame.bus]));
        }
    }
    return first;
}

}  // namespace

std::optional<ShareBy> shareByFromText(std::string_view word)
{
    static constexpr std::array<std::pair<std::string_view, ShareBy>, 4> words = {
        {{"message", ShareBy::message}, {"sender", ShareBy::sender}, {"kind", ShareBy::kind}, {"class", ShareBy::protocolClass}}};
    for (const auto& [text, by] : words)
        if (text == word)
            return by;
    return std::nullopt;
}

std::optional<LoadShares> loadShares(const trace::Snapshot& snapshot, const database::Catalog& catalog,
    const std::vector<can::BitRate>& rates, ShareBy by, const ShareRange& range, const std::function<bool(trace::Row)>& goesOn,
    const ClassOf& classOf)
{
    LoadShares out;
    if (snapshot.rows() == 0)
        return out;
    std::vector<std::optional<can::BitTimes>> times;
    for (const can::BitRate& rate : rates)
        times.push_back(rate.known() ? std::optional<can::BitTimes>(rate) : std::nullopt);
    times.resize(std::max(times.size(), snapshot.trace().buses().size()));      // that came meanwhile
    out.to = range.to.value_or(snapshot.latest());
    out.from = range.from ? *range.from : firstBitOf(snapshot, times);

    std::map<std::pair<unsigned, std::string>, std::size_t> places;
    std::vector<std::size_t> ofIdentifier;
    // Where stamps never go back, the rows of the range are found and no others looked at.
    const bool ordered = snapshot.trace().monotone();
    const trace::Row begin = ordered ? firstRowWhere(snapshot, [&](Time time) { return time >= out.from; }) : 0;
    const trace::Row end = ordered ? firstRowWhere(snapshot, [&](Time time) { return time > out.to; }) : snapshot.rows();
    for (trace::Row row = begin; row < end; ++row) {
        if ((row - begin) % 65'536 == 0 && goesOn && !goesOn(row))
            return std::nullopt;
        const Time time = snapshot.time(row);
        if (time < out.from || time > out.to)
            continue;
        const trace::IdentifierIndex identifier = snapshot.identifier(row);
        const can::FrameView frame = snapshot.frame(row);
        const std::size_t at = std::size_t{identifier} * kindsOfFrames + static_cast<std::size_t>(frame.kind);
        if (at >= ofIdentifier.size())
            ofIdentifier.resize(at + kindsOfFrames, noPlace);
        if (ofIdentifier[at] == noPlace) {
            const auto [place, fresh] = places.emplace(
                std::pair(unsigned{frame.bus}, shareName(by, snapshot.trace().key(identifier), frame.kind, catalog, classOf)),
                out.shares.size());
            if (fresh)
                out.shares.push_back({frame.bus, place->first.second, 0, 0, Time{0}, identifier});
            else if (out.shares[place->second].identifier != identifier)
                out.shares[place->second].identifier.reset();
            ofIdentifier[at] = place->second;
        }
        LoadShare& share = out.shares[ofIdentifier[at]];
        const can::WireLength bits = can::wireLength(frame);
        ++share.frames;
        share.bits += bits.nominalBits + bits.dataBits + can::intermissionBits;
        const auto& rate = times[frame.bus];
        if (!rate)
            continue;
        share.busy += time - std::max(beganAt(frame, bits, rate), out.from);
        share.busy += std::min(out.to - time, rate->occupancy(bits) - rate->duration(bits));
    }
    std::sort(out.shares.begin(), out.shares.end(), [](const LoadShare& a, const LoadShare& b) {
        return a.bus != b.bus ? a.bus < b.bus : a.busy != b.busy ? a.busy > b.busy : a.what < b.what;
    });
    return out;
}

}  // namespace wavetrope::measure
