// SPDX-License-Identifier: GPL-3.0-or-later
// Busy time of one bus in bins of a fixed span.
#pragma once

#include <array>
#include <map>
#include <memory>
#include <optional>

#include "can/bit_rate.h"
#include "measure/file_memory.h"

namespace wavetrope::measure {

/// The quotient, rounded towards minus infinity.
[[nodiscard]] inline std::int64_t floorDivide(std::int64_t a, std::int64_t b) { return a / b - (a % b < 0 ? 1 : 0); }

/// Time that a bus was occupied, and frames that ended, in one bin.
struct LoadBin {
    std::uint64_t busy = 0;     ///< Nanoseconds; may exceed the span where a log's stamps are wrong.
    std::uint32_t frames = 0;
};

/// Bins on whole multiples of the span since 1970. A frame occupies the bus from its first bit to the end of its
/// intermission, spread over the bins that it touches; it is counted in the bin of its time stamp. Stretches without
/// frames cost nothing.
class LoadBins {
public:
    /// `span` from 1 us to 4 s.
    /// Bins go to `memory`, which may be shared by bins that one thread fills.
    LoadBins(can::BitRate rate, Time span, std::shared_ptr<FileMemory> memory = std::make_shared<FileMemory>())
        : rate_(rate), times_(rate), span_(span), memory_(std::move(memory))
    {}

    LoadBins(LoadBins&&) noexcept = default;
    LoadBins& operator=(LoadBins&&) noexcept = default;
    LoadBins(const LoadBins&) = delete;
    LoadBins& operator=(const LoadBins&) = delete;

    Time add(const can::FrameView& frame) { return add(frame, can::wireLength(frame)); }
    /// Gives the time for which the frame occupies the bus; 0 where the rate is not known.
    Time add(const can::FrameView& frame, can::WireLength bits);

    [[nodiscard]] Time span() const { return span_; }
    [[nodiscard]] can::BitRate rate() const { return rate_; }
    /// Number of the bin that holds a moment.
    [[nodiscard]] std::int64_t indexOf(Time time) const;
    [[nodiscard]] Time startOf(std::int64_t index) const { return Time(index * span_.count()); }
    [[nodiscard]] LoadBin bin(std::int64_t index) const;
    /// The first bin from `index` on of a stretch that holds anything, or `index` where it lies in one; nothing behind the
    /// last. Stretches are whole pages of bins.
    [[nodiscard]] std::optional<std::int64_t> nextTouched(std::int64_t index) const;
    /// Busy time over bins first to last, both included.
    [[nodiscard]] std::int64_t busy(std::int64_t first, std::int64_t last) const;
    [[nodiscard]] bool empty() const { return pages_.empty(); }
    /// Bins touched so far; meaningless while empty.
    [[nodiscard]] std::int64_t first() const { return first_; }
    [[nodiscard]] std::int64_t last() const { return last_; }

private:
    static constexpr std::int64_t pageSize = 1024;
    using Page = std::array<LoadBin, pageSize>;
    LoadBin& at(std::int64_t index);

    can::BitRate rate_;
    can::BitTimes times_;
    Time span_;
    std::int64_t home_ = 0;         // bin of the frame before, and where it starts
    std::int64_t homeStart_ = 0;
    std::shared_ptr<FileMemory> memory_;
    std::map<std::int64_t, Page*> pages_;
    std::int64_t cachedNumber_ = 0;
    Page* cached_ = nullptr;
    std::int64_t first_ = 0;
    std::int64_t last_ = 0;
};

}  // namespace wavetrope::measure
