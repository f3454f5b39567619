// SPDX-License-Identifier: GPL-3.0-or-later
// Where the bits of a message lie, as stretches in rows of eight.
#pragma once

#include <vector>

#include "database/database.h"

namespace wavetrope::database {

/// A stretch of one signal in one row (byte) of the payload. Columns count from 0, the left, which is bit 7.
struct LayoutStretch {
    int signal = 0;             ///< Index in the message.
    unsigned row = 0;
    unsigned from = 0;          ///< First column.
    unsigned to = 0;            ///< Last column, included.
    bool first = false;         ///< Holds the most significant bit.
    bool last = false;          ///< Holds the least significant bit.
};

/// Two signals that claim the same bit although both can be present.
struct LayoutOverlap {
    int a = 0;
    int b = 0;
    unsigned bit = 0;           ///< Byte times eight plus bit, the lowest that both claim.
};

/// The picture of a payload.
struct Layout {
    unsigned rows = 0;                      ///< Bytes of the message, or more where a signal reaches behind it.
    unsigned length = 0;                    ///< Bytes of the message.
    std::vector<LayoutStretch> stretches;            ///< Of the signals shown, in their order.
    std::vector<LayoutOverlap> overlaps;    ///< Of all signals.
    std::vector<int> outside;               ///< Signals that reach behind the payload.
    std::vector<bool> used;                 ///< Of each bit, byte times eight plus bit: whether a shown signal has it.
};

/// The bits of a signal from the least significant on: byte times eight plus bit.
[[nodiscard]] std::vector<unsigned> bitsOf(const Signal& signal);

/// Start bit, as a file has it, of a signal of this length and order whose lowest corner lies at `bit` (least
/// significant bit, byte times eight plus bit). Negative when it would reach out of the longest message.
[[nodiscard]] int startFromLeast(unsigned bit, unsigned length, ByteOrder order);

/// Whether two signals of a message can be present in the same frame.
[[nodiscard]] bool canMeet(const Message& message, const Signal& a, const Signal& b);

/// The layout of a message. Of multiplexed signals those are shown that are present with the selector values given:
/// one for each selecting signal by its index, -1 for all.
[[nodiscard]] Layout layoutOf(const Message& message, const std::vector<std::int64_t>& selected = {});

/// Values of a selector at which some signal is present, in order; of a range its start.
[[nodiscard]] std::vector<std::uint64_t> selectorValues(const Message& message, int selector);

}  // namespace wavetrope::database
