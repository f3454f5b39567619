// SPDX-License-Identifier: GPL-3.0-or-later
// What a simulated node does, as the rig document says it.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <utility>
#include <variant>
#include <vector>

#include "base/error.h"
#include "can/frame.h"
#include "drive/member_spec.h"
#include "drive/message_encoder.h"

namespace wavetrope {
class JsonReader;
}

namespace wavetrope::drive {

/// A line through points over story time: stepwise, or straight between them. Before the first point its value holds.
struct CurveSpec {
    std::vector<std::pair<double, double>> points;  ///< Seconds, value; ascending.
    bool straight = true;
    /// Value at a moment of the story, in seconds.
    [[nodiscard]] double at(double time) const;
};
struct SineSpec {
    double mean = 0;
    double amplitude = 1;
    double period = 1;      ///< Seconds.
    double phase = 0;       ///< Seconds.
    [[nodiscard]] double at(double time) const;
};
struct NoiseSpec {
    double mean = 0;
    double deviation = 1;
};
struct FormulaSpec {
    std::string text;
};
/// One of a signal's texts.
struct LabelSpec {
    std::string text;
};
using SourceSpec = std::variant<double, FormulaSpec, LabelSpec, CurveSpec, SineSpec, NoiseSpec, CounterSpec, Checksum>;

using Window = std::pair<Time, Time>;   ///< Of story time, end excluded.

struct SendSpec {
    std::string pointer;        ///< Its place in the document, for errors.
    std::string bus;            ///< Empty: the first of the node's buses whose databases have the message.
    std::string message;        ///< Database message, or empty for a raw frame.
    std::string identifier;     ///< Of a raw frame without a database entry.
    unsigned length = 0;        ///< Of a raw frame.
    Time every{};               ///< 0: only when a reaction sends it.
    Time phase{};
    Time jitter{};              ///< Uniform, at most so much later.
    std::map<std::string, SourceSpec> values;   ///< By signal; of a raw frame by byte number.
    std::vector<Window> silent; ///< Not sent in these stretches.
    std::vector<Window> only;   ///< Where given, sent in these stretches alone.
    database::Overflow overflow = database::Overflow::limit;    ///< What happens to a value that its bits cannot hold.
};

struct ReactionSpec {
    std::string pointer;
    std::string when;           ///< Expression that becomes true, or empty.
    std::string on;             ///< Message that arrives, or empty.
    Time hold{};                ///< For how long `when` has to have been true.
    std::vector<std::pair<std::string, std::string>> set;   ///< Variables and their expressions.
    std::string enter;          ///< State to enter, or empty.
    bool wrong = false;         ///< The state is a fault.
    std::vector<std::string> send;
    Time after{};               ///< Delay of the sending.
};

/// A script beside what a node does by its other parts: in a file beside the rig, or in the rig itself.
struct ScriptSpec {
    std::string pointer;
    std::string file;           ///< As in the document, relative to it; empty: `text` is all.
    std::string text;           ///< Of the file too, once it was read.
    [[nodiscard]] bool empty() const { return file.empty() && text.empty(); }
};

struct NodeSpec {
    std::string pointer;
    std::string name;
    std::vector<std::string> buses;
    std::string state;                              ///< Initial state.
    std::vector<std::pair<std::string, SourceSpec>> values; ///< Named values, each may use those before it.
    std::map<std::string, double> variables;        ///< Set by reactions; initial values.
    std::vector<SendSpec> sends;
    std::vector<ReactionSpec> reactions;
    ScriptSpec script;
    std::optional<ObjectsSpec> objects;             ///< Its object dictionary.
    std::optional<AddressSpec> address;             ///< In a network of vehicles.
    bool off = false;                               ///< Not simulated at the start.
};

/// Reads a source of values; throws JsonFailure.
[[nodiscard]] SourceSpec sourceFromJson(const JsonReader& in);
/// Reads a node of the rig document; throws JsonFailure, with its place there.
[[nodiscard]] NodeSpec nodeFromJson(const JsonReader& in);

}  // namespace wavetrope::drive
