// SPDX-License-Identifier: GPL-3.0-or-later
// Conditions and recordings as people write them in place, and as they are written into the document.
#pragma once

#include <optional>
#include <string>

#include "rig/rig.h"

namespace wavetrope::rig {

/// A condition as one line: "Chatter > 6 mm/s for 100 ms, stays 2 s", "no frame of id 0x120 for 60 ms", "load of Implement above
/// 80 % over 20 ms", "Implement is bus off", "the run begins", "10 s behind the run's begin", "every 60 s", "the disk is nearly
/// full", "frames are lost on Implement", "key F9", "the word keep". What is none of these is a filter.
[[nodiscard]] std::string conditionText(const EventSpec& condition);
/// Reads such a line; shorter forms will do ("after 10 s", "frames lost", "word keep"). Buses are those of the rig. Whether a
/// filter can be compiled is not looked at.
[[nodiscard]] Expected<EventSpec> conditionFromText(const std::string& name, const std::string& text, const Rig& rig);

/// What is written in a recording's sentence, each by itself.
enum class RecordingField : std::uint8_t {
    name,
    keep,           ///< A filter; empty: everything.
    start,          ///< An expression; empty: the run's begin.
    stop,           ///< An expression; empty: where the start ends.
    before,         ///< "2 s", "200 frames"; empty: nothing.
    after,
    again,          ///< "again" or "once".
    pattern,        ///< Of the files' names.
    anew,           ///< "200 MB or 1 h or 1000 frames or midnight"; empty: one file.
    stay,           ///< "20 files or 20 GB", "for good"; empty: all.
};
[[nodiscard]] std::string fieldText(const RecordingSpec& recording, RecordingField field);
/// The recording with one of them as it was typed. Errors say what is expected.
[[nodiscard]] Expected<RecordingSpec> withField(RecordingSpec recording, RecordingField field, const std::string& text);

/// As they stand in the document; fields of `before` that are none of theirs stay.
[[nodiscard]] nlohmann::json written(const EventSpec& condition, nlohmann::json before = nlohmann::json::object());
[[nodiscard]] nlohmann::json written(const RecordingSpec& recording, nlohmann::json before = nlohmann::json::object());

/// The rig's conditions and recordings, and when playback plays, as they stand in its document.
struct RuleDocument {
    nlohmann::json events = nlohmann::json::array();
    nlohmann::json recordings = nlohmann::json::array();
    nlohmann::json playback = nlohmann::json::object();     ///< `start` and `stop`.
    friend bool operator==(const RuleDocument&, const RuleDocument&) = default;
};
[[nodiscard]] RuleDocument rulesIn(const Rig& rig);
/// Puts others in their place, in the document too. An error, with its place, leaves all as it was.
[[nodiscard]] Expected<void> setRules(Rig& rig, const RuleDocument& rules);

}  // namespace wavetrope::rig
