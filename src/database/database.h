// SPDX-License-Identifier: GPL-3.0-or-later
// The signal database: what the frames of a bus mean.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "can/frame.h"
#include "database/attribute.h"
#include "database/scale.h"

namespace wavetrope::database {

enum class ByteOrder : std::uint8_t { intel, motorola };    ///< Least or most significant byte first.
enum class ValueType : std::uint8_t { integer, single, floating };  ///< `floating` is IEEE 754 double.
enum class MuxRole : std::uint8_t { plain, selector, multiplexed };
/// How frames find their message: by the whole identifier, by the bits of a mask, or by the parameter group of a 29-bit
/// identifier, where priority, source and (below PF 240) destination do not matter.
enum class Match : std::uint8_t { full, mask, group };

/// A text for one raw value, or for a range of them.
struct ValueText {
    RawValue value = 0;              ///< Raw, -2^63 to 2^64 - 1.
    std::string text;
    std::uint64_t more = 0;          ///< How many raw values behind `value` have the text too.

    [[nodiscard]] RawValue last() const { return value + more; }
    friend bool operator==(const ValueText&, const ValueText&) = default;
};

/// Selector values at which a multiplexed signal is present, both ends included.
struct MuxRange {
    std::uint64_t from = 0;
    std::uint64_t to = 0;
    friend bool operator==(const MuxRange&, const MuxRange&) = default;
};

/// Bytes of a message at the most: what one transfer over several frames carries at its usual length (ISO 15765-2:2016, 9.6.3).
/// A frame by itself has can::maxLength.
inline constexpr unsigned maxMessageLength = 4095;

/// One signal: where its bits lie and what they mean.
struct Signal {
    std::uint32_t uid = 0;      ///< Identity while the database is open; 0 until it is part of one.
    std::string name;
    std::string shortName;      ///< As the file has it where `name` comes from the customary long-name attribute.
    unsigned startBit = 0;      ///< As in the file: least significant bit (Intel) or most significant bit (Motorola).
    unsigned length = 1;        ///< Bits, 1 to 64.
    ByteOrder order = ByteOrder::intel;
    bool isSigned = false;
    ValueType type = ValueType::integer;
    double factor = 1;
    double offset = 0;
    std::string factorText;          ///< As the file has it where the shortest text of `factor` is another number.
    std::string offsetText;
    std::optional<double> minimum;   ///< Absent where the file says [0|0].
    std::optional<double> maximum;
    std::string unit;
    std::vector<std::string> receivers;
    MuxRole mux = MuxRole::plain;
    bool alsoSelector = false;       ///< A multiplexed signal that selects others itself.
    std::uint64_t muxValue = 0;      ///< Selector value at which a multiplexed signal is present.
    std::string muxSelector;         ///< Its selector's name where it is not the message's only one.
    std::vector<MuxRange> muxRanges; ///< Where set, in place of `muxValue`.
    std::vector<ValueText> texts;
    std::string comment;
    AttributeValues attributes;
    std::optional<double> startRaw;  ///< Raw start value, from the customary attribute.

    /// Text of a raw value, or empty. A text for the value alone goes before one for a range.
    [[nodiscard]] std::string_view textOf(RawValue raw) const;
    /// Raw value of a text, or empty. The first of several values with the same text, the lowest of a range.
    [[nodiscard]] std::optional<RawValue> valueOf(std::string_view text) const;
    [[nodiscard]] bool selects() const { return mux == MuxRole::selector || alsoSelector; }
    /// Whether a selector's raw value lets this multiplexed signal be present.
    [[nodiscard]] bool presentAt(std::uint64_t selected) const;
    friend bool operator==(const Signal&, const Signal&) = default;
};

/// Signals of a message that belong together.
struct SignalGroup {
    std::string name;
    unsigned repetitions = 1;
    std::vector<std::string> signals;
    friend bool operator==(const SignalGroup&, const SignalGroup&) = default;
};

/// One message: a frame with a meaning.
struct Message {
    std::uint32_t uid = 0;
    std::string name;
    std::string shortName;           ///< See Signal::shortName.
    can::Identifier id{};
    unsigned length = 0;             ///< Payload bytes, 0 to maxMessageLength.
    std::string sender;              ///< Empty when none is named.
    std::vector<std::string> moreSenders;
    std::vector<Signal> signals;
    std::vector<SignalGroup> groups;
    std::string comment;
    AttributeValues attributes;
    Time cycleTime{};           ///< 0 where none is promised. This and what follows comes from attributes.
    std::string sendType;            ///< As the attribute names it; empty where it says nothing.
    bool fd = false;
    bool brs = false;
    std::optional<Match> match;      ///< Where absent, the bus decides.
    std::uint32_t matchMask = 0;     ///< For Match::mask: bits of the identifier that matter.

    [[nodiscard]] const Signal* find(std::string_view signal) const;
    [[nodiscard]] Signal* find(std::string_view signal);
    friend bool operator==(const Message&, const Message&) = default;
};

struct Node {
    std::uint32_t uid = 0;
    std::string name;
    std::string shortName;           ///< See Signal::shortName.
    std::string comment;
    AttributeValues attributes;
    friend bool operator==(const Node&, const Node&) = default;
};

/// A table of texts that signals may share.
struct ValueTable {
    std::uint32_t uid = 0;
    std::string name;
    std::vector<ValueText> texts;
    friend bool operator==(const ValueTable&, const ValueTable&) = default;
};

/// A variable of the environment: no part of any frame.
struct Variable {
    std::uint32_t uid = 0;
    std::string name;
    unsigned type = 0;               ///< 0 integer, 1 float, 2 text; most files say text in the access word.
    double minimum = 0;
    double maximum = 0;
    std::string unit;
    double initial = 0;
    unsigned id = 0;
    std::string access;
    std::vector<std::string> nodes;
    unsigned dataLength = 0;         ///< Bytes, for a variable that holds data.
    std::vector<ValueText> texts;
    std::string comment;
    AttributeValues attributes;

    /// Whether it is a text, by its type or by the flag in its access word.
    [[nodiscard]] bool holdsText() const;
    /// Makes it an integer, a float or a text (0, 1, 2).
    void setType(unsigned kind);
    friend bool operator==(const Variable&, const Variable&) = default;
};

/// A shape that signals may share.
struct SignalType {
    std::uint32_t uid = 0;
    std::string name;
    unsigned length = 1;
    ByteOrder order = ByteOrder::intel;
    bool isSigned = false;
    double factor = 1;
    double offset = 0;
    double minimum = 0;
    double maximum = 0;
    std::string unit;
    double standard = 0;             ///< Its default.
    std::string table;               ///< Of texts; empty where it names none.
    friend bool operator==(const SignalType&, const SignalType&) = default;
};

/// The value of an attribute of a node's relation with a message, signal or variable.
struct Relation {
    std::uint32_t uid = 0;
    AttributeOwner owner = AttributeOwner::nodeMessage;
    std::string attribute;
    std::string node;
    std::uint32_t message = 0;       ///< Uid of the message, for nodeMessage and nodeSignal.
    std::string object;              ///< Name of the signal or the variable.
    AttributeValue value;
    friend bool operator==(const Relation&, const Relation&) = default;
};

/// What belongs to the database as a whole.
struct Network {
    std::string version;
    std::string busTiming;           ///< What follows BS_:, as in the file.
    std::string comment;
    AttributeValues attributes;
    std::vector<Relation> relations;
    friend bool operator==(const Network&, const Network&) = default;
};

/// A database as read from one file.
struct Database {
    std::string path;
    Network network;
    std::vector<Node> nodes;
    std::vector<ValueTable> tables;
    std::vector<Message> messages;
    std::vector<Variable> variables;
    std::vector<SignalType> signalTypes;
    std::vector<AttributeDefinition> definitions;
    std::uint32_t lastUid = 0;       ///< Highest identity given out.

    [[nodiscard]] const Message* find(can::Identifier id) const;
    [[nodiscard]] const Message* find(std::string_view name) const;
    [[nodiscard]] const Node* findNode(std::string_view name) const;
    [[nodiscard]] const AttributeDefinition* definition(AttributeOwner owner, std::string_view name) const;
    [[nodiscard]] std::size_t signalCount() const;
};

/// Takes cycle time, send type, start values, texts of ranges, frame format and matching out of the customary attributes
/// of a message.
void applyCustomary(const Database& database, Message& message);
/// The texts of ranges, as their customary attribute holds them: files of the .dbc form name single values alone.
[[nodiscard]] std::vector<ValueText> rangesOf(const std::vector<ValueText>& texts);
/// Brings that attribute up to the texts.
void keepTextRanges(Signal& signal);

/// Names of the customary attributes.
namespace customary {
inline constexpr const char* cycleTime = "GenMsgCycleTime";
inline constexpr const char* sendType = "GenMsgSendType";
inline constexpr const char* startValue = "GenSigStartValue";
inline constexpr const char* frameFormat = "VFrameFormat";
inline constexpr const char* bitRateSwitch = "CANFD_BRS";
inline constexpr const char* matchMask = "IdentifierMask";
inline constexpr const char* textRanges = "ValueTextRanges";    ///< Of a signal: "3 to 250 = reserved; 251 to 254 = error".
inline constexpr const char* longMessage = "SystemMessageLongSymbol";
inline constexpr const char* longSignal = "SystemSignalLongSymbol";
inline constexpr const char* longNode = "SystemNodeLongSymbol";
}  // namespace customary

}  // namespace wavetrope::database
