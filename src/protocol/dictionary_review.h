// SPDX-License-Identifier: GPL-3.0-or-later
// What the traffic of a node says against its dictionary.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "protocol/message_stream.h"
#include "protocol/process_data.h"

namespace wavetrope::protocol {

/// Where dictionary and traffic say different things.
struct Contradiction {
    ObjectPlace place{};
    std::string words;      ///< "the file says 500 ms, heartbeats come every 1,000 ms".
    std::uint64_t times = 1;
    Time first{};           ///< When it was seen first.
};

/// Hears the messages of one bus and gathers what contradicts the dictionary of one node: values of another length than the type has, or outside the limits;
/// objects that the dictionary has not, or has for others; process data of another length than what is mapped; heartbeats at another period; an identity
/// that is another one. Memory grows with the dictionary, not with the log.
class DictionaryReview {
public:
    /// `dictionary` outlives it.
    DictionaryReview(const Dictionary& dictionary, std::uint8_t node);

    void take(const MessageRow& row);
    /// To be asked at the end, in the order of objects. Process data that never came are among them, where others of the node did.
    [[nodiscard]] std::vector<Contradiction> found() const;

private:
    void object(const MessageRow& row);
    void process(const MessageRow& row);
    void heartbeat(const MessageRow& row);
    void note(ObjectPlace place, const std::string& words, Time at);

    const Dictionary& dictionary_;
    std::uint8_t node_;
    ProcessData process_;
    std::map<std::uint32_t, std::size_t> byId_;  // messages, by key of the identifier
    std::set<std::uint32_t> came_;
    std::map<std::pair<std::uint32_t, std::string>, Contradiction> found_;
    bool heard_ = false;  // anything of the node
    std::optional<Time> beat_;
    std::uint64_t beats_ = 0;
    Time firstBeat_{}, shortest_ = Time::max();
};

}  // namespace wavetrope::protocol
