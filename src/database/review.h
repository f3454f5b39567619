// SPDX-License-Identifier: GPL-3.0-or-later
// What is wrong with a database, by itself.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "database/dbc_reader.h"
#include "database/edit.h"

namespace wavetrope::database {

enum class Severity : std::uint8_t { note, warning, error };
[[nodiscard]] const char* toText(Severity severity);

enum class FindingKind : std::uint8_t {
    unreadable,             ///< A statement that could not be understood.
    overlap,                ///< Two signals claim one bit and can be present together.
    outsidePayload,         ///< A signal reaches behind the last byte.
    range,                  ///< Minimum and maximum that the bits cannot hold, or the wrong way round.
    duplicateName,          ///< Two nodes, messages, or signals of a message of one name.
    duplicateIdentifier,    ///< Two messages with one identifier.
    unknownSender,          ///< A sender that is no node.
    unknownReceiver,
    noSelector,             ///< A multiplexed signal without one, or with one that does not select.
    noFactor,               ///< A factor of 0: nothing can be encoded.
    startValue,             ///< A start value that the bits cannot hold.
    valueText,              ///< A text for a value that the bits cannot hold, or two texts for one.
    length,                 ///< A length that no frame has.
    attribute,              ///< A value of an attribute that is not defined, or outside its definition.
    cycleTime,              ///< Contradicted by the recorded traffic.
    seenLength,             ///< Recorded payloads shorter than the message.
};
[[nodiscard]] const char* toText(FindingKind kind);

/// One finding.
struct Finding {
    Severity severity = Severity::warning;
    FindingKind kind = FindingKind::overlap;
    std::string what;               ///< In words, with the names.
    std::string object;             ///< "Message.Signal", "Message" or a node.
    std::uint32_t message = 0;      ///< Uids, where it is about them.
    std::uint32_t signal = 0;
    int line = 0;                   ///< Of the file; 0 where it is not from one.
    int column = 0;
    std::string remedy;             ///< What the button does; empty where there is none.
    std::function<Expected<Edit>(const Editor&)> mend;  ///< Makes the remedy.
};

/// Looks through a database. With its reading, findings get their lines and what could not be read is among them.
[[nodiscard]] std::vector<Finding> review(const Database& database, const DbcReading* reading = nullptr);

}  // namespace wavetrope::database
