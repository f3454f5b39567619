// SPDX-License-Identifier: GPL-3.0-or-later
// The rig document: the whole set-up, saved as one JSON file.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "board/board_spec.h"
#include "bus/kinds.h"
#include "bus/wire_fault_text.h"
#include "can/bit_rate.h"
#include "database/catalog.h"
#include "drive/dialogue_spec.h"
#include "drive/gateway.h"
#include "drive/manipulation.h"
#include "drive/node_spec.h"
#include "drive/outbox_spec.h"
#include "protocol/dictionary.h"
#include "protocol/names.h"
#include "protocol/spoken.h"
#include "record/take_writer.h"
#include "rig/derived_json.h"
#include "rig/report_json.h"
#include "rig/timing_json.h"
#include "rules/recording_rule.h"

namespace wavetrope::rig {

struct BusSpec {
    std::string name;
    can::BitRate rate;
    char letter = 0;                ///< By which it is known in the views, A to Z or a digit; 0: that of its place.
    unsigned hue = 0;               ///< 1 to 8; 0: that of its place.
    Time restartAfter{0};           ///< After bus off, a node takes part again after so long; 0: when it is asked to.
    const bus::BusKind* kind = &bus::busKinds().front();  ///< What it is made of.
    std::string address;                    ///< What its kind says that it means.
    std::vector<protocol::Spoken> protocols{};  ///< What it speaks.
    bool saysProtocols = false;     ///< The document says so, be it nothing.
    std::map<std::uint8_t, std::string> dictionaries{};     ///< Of nodes by number, EDS or DCF, relative to the document.
    std::vector<std::string> databases;     ///< As in the document, relative to it; the first that knows an identifier wins.
    database::Match match = database::Match::full;  ///< How frames find messages that do not say so themselves.
    std::shared_ptr<const database::Database> definitions;  ///< The rig's own, behind the files; null when there are none.
};

struct NamedFilter {
    std::string name;
    std::string expression;
};

/// A named condition. It flags the timeline, and recordings may hang on it.
struct EventSpec {
    std::string name;
    std::string when{};                     ///< Of frames and silence: a filter expression.
    Time hold{};                            ///< Hold time, length of a silence, span of a load, `after`, `every`.
    rules::ConditionKind kind = rules::ConditionKind::frames;
    Time stays{};                           ///< It counts as true for so long behind the instant at which it last was.
    std::string bus{};                      ///< Of a load or state.
    double above = 0;                       ///< Of a load, in percent.
    rules::BusState state = rules::BusState::busOff;
    std::string word{};                     ///< A key, or a word from outside.
};

/// A recording: which frames it keeps, and when. See docs/recordings.md.
struct RecordingSpec {
    std::string name;
    std::string keep{};                     ///< A filter expression; empty: everything.
    std::string start{};                    ///< Over conditions; empty: from the run's begin, one take.
    std::string stop{};                     ///< Over conditions; empty: where the start expression ends.
    rules::Margin before{};
    rules::Margin after{};
    bool again = true;
    record::FileRules files{};
};

/// When playback plays and rests, over conditions; each empty: by hand.
struct PlaybackSpec {
    std::string start{};
    std::string stop{};
    friend bool operator==(const PlaybackSpec&, const PlaybackSpec&) = default;
};

/// Something that is changed on purpose of what a node sends, or goes wrong on a wire. No two of a rig say the same.
struct KeptManipulation {
    std::string name{};         ///< That it is asked for by; several may have one, or none.
    drive::Manipulation does;   ///< Of what goes wrong on the wire its text alone.
    std::optional<bus::TypedFault> fault{};     ///< What goes wrong on the wire instead of what a node sends.
    bool acts = false;          ///< From the run's begin.
};

/// Reads what `drive::manipulationFromText` takes, and with `wire` in front what `bus::wireFaultFromText` takes.
[[nodiscard]] Expected<KeptManipulation> manipulationFrom(std::string_view text);

/// A rig. Fields of the document that are not known here are kept when it is saved.
struct Rig {
    static constexpr int version = 1;

    std::string path;                       ///< Of the file; empty for a new one.
    std::string name;
    std::uint64_t seed = 1;
    Time begins{};                          ///< Instant at which virtual time begins; 0: when the run starts.
    std::string names;  ///< A table of names of manufacturers, functions and parameters, relative to the document; empty for none.
    Time story{};  ///< After which the nodes' time starts over; 0 never.
    std::vector<BusSpec> buses;
    std::vector<drive::NodeSpec> nodes;
    std::vector<drive::GatewaySpec> gateways;
    std::vector<drive::DialogueSpec> dialogues;
    std::vector<KeptManipulation> manipulations;
    std::vector<drive::OutboxGroup> outbox;
    std::vector<NamedFilter> filters;
    std::vector<EventSpec> events;
    std::vector<RecordingSpec> recordings;
    PlaybackSpec playback;
    std::vector<database::DerivedSpec> derived;
    Timings timings;
    std::vector<ReportSpec> reports;
    std::vector<board::Board> boards;
    nlohmann::json document = nlohmann::json::object();  ///< Everything as it is now; pages live only here.
    nlohmann::json saved = nlohmann::json::object();  ///< As it was read or saved last.
    std::string source;  ///< Text of the file, so that what was not changed stays as it stands there.

    /// Whether the document is no longer as it was read or saved.
    [[nodiscard]] bool changed() const { return document != saved; }
    /// Sets name, seed and story, in the document as well.
    void setFacts(const std::string& newName, std::uint64_t newSeed, Time newStory);
    /// Folder of the file, for relative paths.
    [[nodiscard]] std::string folder() const;
    [[nodiscard]] std::string resolve(const std::string& relative) const;
    /// A file as the document names it: relative where it is below the rig's folder.
    [[nodiscard]] std::string nameOf(const std::string& path) const;
    /// Sets jitters and deadlines, in the document as well.
    void setTimings(const Timings& next);
    /// Sets derived signals, in the document as well; unknown fields stay with their names, or with their places where those are new.
    void setDerived(const std::vector<database::DerivedSpec>& next);
    /// Sets the outbox, in the document as well: the field as it is written there, null for none. An error leaves all as it is.
    [[nodiscard]] Expected<void> setOutbox(const nlohmann::json& next);
    /// Sets what is changed on purpose, in the document as well.
    void setManipulations(const std::vector<KeptManipulation>& next);
    /// Sets one dialogue, in the document as well: as it is written there. An error leaves all as it is.
    [[nodiscard]] Expected<void> setDialogue(std::size_t index, const nlohmann::json& next);
    /// What a bus speaks, as it is written in the document; null where nothing is said. An error where the rig has no such bus.
    [[nodiscard]] Expected<nlohmann::json> protocolsOf(const std::string& bus) const;
    /// Sets it, in the document as well. An error leaves all as it is.
    [[nodiscard]] Expected<void> setProtocols(const std::string& bus, const nlohmann::json& next);
    /// Sets the file of a node's dictionary, as it is written in the document; empty takes it out. An error where the rig has no such bus.
    [[nodiscard]] Expected<void> setDictionary(const std::string& bus, std::uint8_t node, const std::string& file);
    /// Sets what reports are made of, in the document as well.
    void setReports(const std::vector<ReportSpec>& next);
    /// Sets boards, in the document as well.
    void setBoards(const std::vector<board::Board>& next);
    /// Keeps a filter under a name, in place of one that has it; an empty text takes the name out.
    void keepFilter(const std::string& filterName, const std::string& expression);
    /// Its filters by name, as other filters use them.
    [[nodiscard]] std::map<std::string, std::string, std::less<>> namedFilters() const;
};

/// Reads a rig from text. `path` is the file it came from. Errors name the JSON pointer, or line and column.
[[nodiscard]] Expected<Rig> rigFromText(const std::string& text, const std::string& path);
[[nodiscard]] Expected<Rig> loadRig(const std::string& path);
/// Writes the document beside its place and renames it.
/// What was not changed since reading keeps its order, its lines and its blanks.
[[nodiscard]] Expected<void> saveRig(Rig& rig, const std::string& path);

/// What loading the databases of a rig gave.
struct LoadedDatabases {
    std::map<std::string, std::shared_ptr<const database::Database>> byPath;  ///< By path as in the document.
    /// By bus and node.
    std::map<std::pair<std::string, std::uint8_t>, std::shared_ptr<const protocol::Dictionary>> dictionaries{};
    std::map<std::pair<std::string, std::uint8_t>, std::shared_ptr<const database::Database>> processData{};  ///< Of these, as messages.
    std::shared_ptr<const protocol::Names> names{};  ///< Null where there are none.
    std::vector<Error> problems;  ///< Missing files and bad statements; the rest was loaded.
};
[[nodiscard]] LoadedDatabases loadDatabases(const Rig& rig);
/// Reads the dictionary of a node into them. What its file says wrong is among the problems; an error where it cannot be read.
[[nodiscard]] Expected<void> loadDictionary(LoadedDatabases& into, const std::string& bus, std::uint8_t node, const std::string& path);

/// Attaches what a database explains and nothing does so far.
void attachBehind(database::Catalog& catalog, std::uint8_t bus, const std::shared_ptr<const database::Database>& database);
/// Attaches the databases of a rig's bus, and the rig's own definitions of it, to a bus of a catalog.
void attachDatabases(database::Catalog& catalog, std::uint8_t bus, const BusSpec& spec, const LoadedDatabases& databases);
/// What a bus of this name speaks.
[[nodiscard]] std::vector<protocol::Spoken> spokenOn(const std::string& bus, const Rig& rig);
/// The catalog of the rig's own buses.
[[nodiscard]] std::shared_ptr<const database::Catalog> catalogOf(const Rig& rig, const LoadedDatabases& databases);
/// A catalog for the buses of a log: each gets the databases of the rig's bus of the same name.
[[nodiscard]] std::shared_ptr<const database::Catalog> catalogFor(
    const std::vector<std::string>& busNames, const Rig& rig, const LoadedDatabases& databases);

}  // namespace wavetrope::rig
