// SPDX-License-Identifier: GPL-3.0-or-later
// Boards of gauges and controls, as a rig document has them.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/time.h"

namespace wavetrope {
class JsonReader;
}

namespace wavetrope::board {

inline constexpr int gridSize = 24;     ///< Columns and rows of a board.

/// How an item is shown. Gauges, controls, and what stands besides.
enum class Shown : std::uint8_t {
    number,
    dial,
    bar,
    lamp,
    state,
    history,
    slider,
    turn,
    toggle,
    button,
    choice,
    entry,
    key,
    title,
    text,
    picture
};
inline constexpr std::size_t shownCount = 16;
[[nodiscard]] constexpr bool isControl(Shown shown) { return shown >= Shown::slider && shown <= Shown::key; }
[[nodiscard]] constexpr bool isGauge(Shown shown) { return shown <= Shown::history; }
/// The word of a document: "number", "switch".
[[nodiscard]] const char* wordOf(Shown shown);

/// What an item shows or drives.
struct Binding {
    enum class Kind : std::uint8_t { none, signal, derived, condition, variable, row, manipulation };
    Kind kind = Kind::none;
    std::string
        name;  ///< "Bus:Message.Signal", a derived signal or condition, "Node.variable", "Group/Message or identifier", a name under which manipulations are kept.
    std::string value;  ///< Signal of a row; empty where the row itself is sent.
    friend bool operator==(const Binding&, const Binding&) = default;
};

/// Cells of the grid.
struct Cells {
    int column = 0, row = 0, wide = 4, high = 3;
    [[nodiscard]] bool overlaps(const Cells& other) const
    {
        return column < other.column + other.wide && other.column < column + wide && row < other.row + other.high && other.row < row + high;
    }
    [[nodiscard]] bool inside() const
    {
        return column >= 0 && row >= 0 && wide >= 1 && high >= 1 && column + wide <= gridSize && row + high <= gridSize;
    }
    friend bool operator==(const Cells&, const Cells&) = default;
};

struct Item {
    Shown shown = Shown::number;
    Binding of;
    std::string also;  ///< Path of a signal beside it: what was asked, or measured.
    Cells at;
    std::string label;  ///< Empty: the name of what it is bound to.
    std::optional<double> from, to;  ///< Else of the database.
    std::optional<double> below, above;  ///< Limits; else none.
    std::optional<int> decimals;  ///< Else as fine as its raw values.
    Time old{};  ///< From when on a value counts as old; 0: three periods.
    Time span{};  ///< Of a short history; 0: 20 s.
    double sets = 1, rests = 0;  ///< Of a button: while it is pressed, and else.
    std::string text;  ///< Of a title or text; the file of a picture.
    std::string press;  ///< Key of the window.
    friend bool operator==(const Item&, const Item&) = default;
};

struct Board {
    std::string name;
    std::vector<Item> items;
    friend bool operator==(const Board&, const Board&) = default;
};

/// Reads the boards of a rig document; items that overlap or leave the grid are an error. Throws JsonFailure.
[[nodiscard]] std::vector<Board> boardsFromJson(const JsonReader& in);
/// One item; throws JsonFailure.
[[nodiscard]] Item itemFromJson(const JsonReader& in);
[[nodiscard]] nlohmann::json toJson(const Item& item);
[[nodiscard]] nlohmann::json toJson(const std::vector<Board>& boards);

}  // namespace wavetrope::board
