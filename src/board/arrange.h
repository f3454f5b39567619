// SPDX-License-Identifier: GPL-3.0-or-later
// Where the items of a board go, and boards that make themselves.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "board/board_spec.h"
#include "database/catalog.h"

namespace wavetrope::board {

/// Cells of such a size that nothing lies in, nearest to where they are wanted; none where there is no room. `but` is an item that gives its own
/// cells free.
[[nodiscard]] std::optional<Cells> freePlace(const std::vector<Item>& items, Cells wanted, std::optional<std::size_t> but = {});

/// How a signal is shown best: texts as a named state, one bit as a lamp, a range as a bar, else as a number; and the cells that it takes.
[[nodiscard]] Shown fitting(const database::Signal& signal);
[[nodiscard]] Cells usualSize(Shown shown);

/// Path of a signal, "Bus:Message.Signal".
[[nodiscard]] std::string pathOf(const database::Catalog& catalog, const database::CatalogMessage& message, const database::Signal& signal);

struct Made {
    Board made;
    std::size_t leftOut = 0;  ///< Signals that found no room.
    std::vector<std::string> missing;  ///< What a pattern speaks of and the node does not send.
};
/// A board of these signals, in their order, well filled and without overlap.
[[nodiscard]] Made boardOf(const database::Catalog& catalog, const std::string& name, const std::vector<database::SignalRef>& signals);
/// A board of all that a node sends, one message behind the other.
[[nodiscard]] Made boardForNode(const database::Catalog& catalog, const std::string& node);

/// What goes where, written once for several nodes: a board whose signals are "Message.Signal", either with `*` and `?` in it.
struct Pattern {
    std::string name;
    std::vector<Item> items;
};
[[nodiscard]] Expected<Pattern> patternFromText(std::string_view json, const std::string& where);
/// The board that a pattern makes of a node. What the node does not send is left out, and told.
[[nodiscard]] Made boardByPattern(const database::Catalog& catalog, const Pattern& pattern, const std::string& node);

}  // namespace wavetrope::board
