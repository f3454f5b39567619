// The signal database: what the frames of a bus mean.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "can/frame.h"

namespace wavetrope::database {

enum class ByteOrder : std::uint8_t { intel, motorola };    ///< Least or most significant byte first.
enum class ValueType : std::uint8_t { integer, single, floating };  ///< `floating` is IEEE 754 double.
enum class MuxRole : std::uint8_t { plain, selector, multiplexed };

/// A text for one raw value.
struct ValueText {
    std::int64_t value = 0;
    std::string text;
};

/// One signal: where its bits lie and what they mean.
struct Signal {
    std::string name;
    unsigned startBit = 0;      ///< As in the file: least significant bit (Intel) or most significant bit (Motorola).
    unsigned length = 1;        ///< Bits, 1 to 64.
    ByteOrder order = ByteOrder::intel;
    bool isSigned = false;
    ValueType type = ValueType::integer;
    double factor = 1;
    double offset = 0;
    std::optional<double> minimum;   ///< Absent where the file says [0|0].
    std::optional<double> maximum;
    std::string unit;
    std::vector<std::string> receivers;
    MuxRole mux = MuxRole::plain;
    std::uint64_t muxValue = 0;      ///< Selector value at which a multiplexed signal is present.
    std::vector<ValueText> texts;
    std::string comment;
    std::optional<double> startRaw;  ///< Raw start value, from the customary attribute.

    /// Text of a raw value, or empty.
    [[nodiscard]] std::string_view textOf(double raw) const;
};

/// One message: a frame with a meaning.
struct Message {
    std::string name;
    can::Identifier id{};
    unsigned length = 0;             ///< Payload bytes, 0 to 64.
    std::string sender;              ///< Empty when none is named.
    std::vector<Signal> signals;
    std::string comment;
    can::Time cycleTime{};           ///< 0 where none is promised.
    bool fd = false;
    bool brs = false;

    [[nodiscard]] const Signal* find(std::string_view signal) const;
};

struct Node {
    std::string name;
    std::string comment;
};

/// A database as read from one file.
struct Database {
    std::string path;
    std::string version;
    std::vector<Node> nodes;
    std::vector<Message> messages;

    [[nodiscard]] const Message* find(can::Identifier id) const;
    [[nodiscard]] const Message* find(std::string_view name) const;
};

}  // namespace wavetrope::database
