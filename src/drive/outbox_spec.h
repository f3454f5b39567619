// SPDX-License-Identifier: GPL-3.0-or-later
// What is sent by hand, as the rig document says it.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "can/frame.h"
#include "database/codec.h"
#include "drive/node_spec.h"

namespace wavetrope::drive {

/// A row of the outbox: a message or a frame, what stands in it, and when it goes out. See docs/sending.md.
struct OutboxRow {
    /// What has it go out.
    enum class When : std::uint8_t {
        byHand,     ///< Each time it is sent.
        every,      ///< Beat k at its start + offset + k x period.
        answer,     ///< So long after a frame that passes a filter.
        moment      ///< At a moment of the run.
    };

    std::string pointer;                ///< Its place in the document, for errors.
    std::string written;                ///< As it stands in the document.
    std::string what;                   ///< Which message or identifier of which bus: rows of the same are the same row, edited.
    std::string rhythm;                 ///< All that says when it goes out.
    std::string bus;
    std::string message;                ///< Of the bus's databases; empty for a frame by itself.
    std::string ask;                    ///< A question in place of both (protocol::questionFromText).
    can::Frame frame;                   ///< Where there is neither.
    std::map<std::string, SourceSpec> values;   ///< By signal; of a frame by byte number. What is not named has its start value.
    std::vector<std::pair<std::string, std::string>> typed;     ///< Values as they are typed, `3.5 mm`, `open`.
    std::string comment;
    When when = When::byHand;
    Time every{};
    Time offset{};                      ///< Of its first beat.
    std::uint64_t count = 0;            ///< Beats, or answers; 0: until told.
    std::string answer;                 ///< A filter.
    Time after{};                       ///< Behind the frame that it answers.
    Time at{};                          ///< Since the run's begin.
    unsigned burst = 1;                 ///< Frames at a time, so far apart.
    Time apart{};
    std::string key;                    ///< Of the window: each press sends it, or while it is held it goes out by its period.
    bool held = false;                  ///< While the key is held.
    bool starts = true;                 ///< It goes out from the beginning of a run that the outbox takes part in.
    bool gathers = false;               ///< Edits wait for the next send, and go in one frame.
    bool anyway = false;                ///< It is sent though something else sends the identifier.
    database::Overflow overflow = database::Overflow::refuse;   ///< What happens to a value that its bits cannot hold.

    /// The message, the question, or the identifier.
    [[nodiscard]] std::string name() const { return !message.empty() ? message : !ask.empty() ? ask : can::toText(frame.id); }
    /// A frame by itself.
    [[nodiscard]] bool raw() const { return message.empty() && ask.empty(); }
};

struct OutboxGroup {
    std::string name;
    std::string comment;
    std::vector<OutboxRow> rows;
};

/// Reads the outbox of a rig document; throws JsonFailure, with its place there.
[[nodiscard]] std::vector<OutboxGroup> outboxFromJson(const JsonReader& in);

}  // namespace wavetrope::drive
