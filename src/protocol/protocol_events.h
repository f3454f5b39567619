// SPDX-License-Identifier: GPL-3.0-or-later
// What goes wrong in higher protocols, with the clause that is broken.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "protocol/message_stream.h"

namespace wavetrope::protocol {

/// Something that happened on a bus.
struct ProtocolEvent {
    Time from{}, to{};
    std::uint8_t bus = 0;
    std::string what;   ///< Who, or what of whom.
    std::string why;    ///< In words, with the clause.
    bool open = false;  ///< It goes on.
    std::uint64_t number = 0;  ///< Of the frame that showed it, in the order of the trace.
};

/// Follows messages and transfers in their order: messages in pieces that were not whole, strays, refused requests, emergencies, heartbeats that stay away
/// for two periods, addresses that were lost or could not be claimed, trouble codes.
class ProtocolEvents {
public:
    explicit ProtocolEvents(std::size_t most = 100'000) : most_(most) {}

    void take(const MessageRow& row);
    void take(const Transfer& transfer);
    /// By the times of the log it is this late: what stays away is told.
    void passed(Time now);

    /// In the order in which they were found.
    [[nodiscard]] const std::vector<ProtocolEvent>& all() const { return events_; }
    [[nodiscard]] std::uint64_t notKept() const { return notKept_; }
    /// Turns with anything new.
    [[nodiscard]] std::uint64_t changes() const { return changes_; }

private:
    static constexpr std::size_t none = ~std::size_t{0}, mostFollowed = 65'536;
    using Who = std::pair<std::uint8_t, std::uint32_t>;  // bus and address, node or identifier
    struct Heart {
        Time first{}, last{};
        std::uint64_t beats = 0;
        std::size_t lost = none;
        std::uint64_t number = 0;
    };
    struct Claim {
        std::uint64_t name = 0;
        bool lost = false;
    };
    std::size_t note(ProtocolEvent event);
    void goesOn(std::size_t event, Time until);
    void ends(std::size_t& event, Time at);
    void stray(const MessageRow& row);
    void beat(const MessageRow& row);
    void emergency(const MessageRow& row);
    void claim(const MessageRow& row);
    void trouble(const MessageRow& row);
    void refused(const MessageRow& row);

    std::size_t most_;
    std::vector<ProtocolEvent> events_;
    std::uint64_t notKept_ = 0, changes_ = 0;
    std::map<Who, Heart> hearts_;
    Time nextLoss_ = Time::max();
    std::map<Who, std::size_t> emergencies_, strays_;
    std::map<Who, Claim> claims_;  // by address
    std::map<Who, std::map<std::uint32_t, std::size_t>> troubles_;  // by address: codes to their events
};

}  // namespace wavetrope::protocol
