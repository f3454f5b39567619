// SPDX-License-Identifier: GPL-3.0-or-later
// A segment filled at one go, apart from any trace.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "trace/segment.h"
#include "trace/trace_key.h"

namespace wavetrope::trace {

/// A complete segment that waits for its place. Its groups name their identifiers by position in `keys`.
struct FilledSegment {
    std::unique_ptr<Segment> segment;
    std::vector<TraceKey> keys;         ///< In the order of first appearance.
    std::uint32_t disorders = 0;        ///< Frames stamped before their predecessor, the first one left out.
    Time first{0}, last{0};        ///< Stamps of the first and the last row.
};

/// Fills a segment with stretches of frames that come one behind the other, segmentRows of them altogether. The payloads
/// of a group lie together, and groups in their order, so that a look through all of them goes straight through memory. To
/// be used by any thread.
[[nodiscard]] FilledSegment fillSegment(std::span<const std::span<const can::FrameView>> stretches);

/// A group of a segment that was kept elsewhere.
struct KeptGroup {
    IdentifierIndex identifier = 0;
    std::uint8_t length = 0;
    std::uint16_t attributes = 0;
    const std::uint8_t* payloads = nullptr;     ///< Of all its frames, one behind the other.
};

/// The segment whose rows belong to these groups, and have these stamps: up to segmentRows of either. Groups come in the
/// order in which they were.
[[nodiscard]] std::unique_ptr<Segment> segmentOf(
    Row first, std::span<const KeptGroup> groups, std::span<const std::uint16_t> groupOf, std::span<const std::int64_t> times);

}  // namespace wavetrope::trace
