// SPDX-License-Identifier: GPL-3.0-or-later
// How long the messages of a bus may take in the worst case, before the first frame is sent.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/time.h"
#include "can/bit_rate.h"
#include "database/catalog.h"
#include "database/database.h"

namespace wavetrope::timing {

/// A message as the analysis sees it.
struct TimedMessage {
    std::string name;
    can::FrameHead head;        ///< Identifier, kind, rate switch and length.
    unsigned bytes = 0;         ///< As the database has it; `head` has the length that a frame may have.
    Time period{};              ///< Between two of its frames; 0 where none is promised: it blocks others, and is not answered for.
    Time jitter{};              ///< How late behind its beat it may be queued. 0 or more.
    Time deadline{};            ///< Behind the beat; counts only where there is a period.
};

/// What the analysis says of a message with a period.
struct ResponseTime {
    std::size_t message = 0;    ///< Its place among those given.
    unsigned bits = 0;          ///< Of its longest frame, with the 3 of intermission.
    /// From the beat to the end of its frame's intermission, the jitter in it; in ms. Without a value there is no bound, or none was
    /// found within the bounds of the work.
    std::optional<double> milliseconds;
    bool meets = false;         ///< Whether it is never later than its deadline: exactly, equality included.
    bool unfinished = false;    ///< The work was ended: its bus is so nearly full that the worst case lies too far ahead.
    std::uint64_t instance = 0; ///< Which frame since all began together is the worst, from 0.
};

/// The worst case of each message with a period, by Davis, Burns, Bril and Lukkien, Controller Area Network (CAN) schedulability
/// analysis: refuted, revisited and revised, Real-Time Systems 35, 2007: frames of lower priority block by their longest, all that
/// were queued in a busy period count. Identifiers order by arbitration; equal ones as if the other always won. Exact: times are
/// counted in the common part of a nanosecond and the bits of both rates. `rate.nominal` must be known. For each message others are
/// looked at so many times at the most. By priority.
[[nodiscard]] std::vector<ResponseTime> responseTimes(
    const std::vector<TimedMessage>& messages, can::BitRate rate, std::uint64_t mostLooks = 30'000'000);

/// The messages of a database that one frame carries, with their cycle times as periods and deadlines and no jitter.
[[nodiscard]] std::vector<TimedMessage> timedMessages(const database::Database& database);

/// Those of a bus of a catalog, as frames find them.
[[nodiscard]] std::vector<TimedMessage> timedMessages(const database::Catalog& catalog, std::uint8_t bus);

/// One frame of a worst case.
struct WorstFrame {
    enum class Role : std::uint8_t {
        lower,          ///< It has just begun, and is let go to its end.
        before,         ///< It goes first.
        own,            ///< An earlier one of the message itself, or, as the last, the one that is answered for.
    };
    std::size_t message = 0;    ///< Its place among those given.
    Role role = Role::before;
    double from = 0, to = 0;    ///< Milliseconds since all began together; `to` is the end of the intermission.
};

/// The worst case of a message, frame by frame: all that go before it are queued at once, as late as they may be, when the longest of
/// the others has just begun. Empty where there is no bound, and where more than `most` frames would go before it.
[[nodiscard]] std::vector<WorstFrame> worstCase(
    const std::vector<TimedMessage>& messages, can::BitRate rate, const ResponseTime& of, std::size_t most = 1000);

/// Share of a bus in percent that so many messages take with their longest frames.
[[nodiscard]] double promisedLoad(const std::vector<TimedMessage>& messages, can::BitRate rate);

}  // namespace wavetrope::timing
