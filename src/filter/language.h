// SPDX-License-Identifier: GPL-3.0-or-later
// The filter language in one table: what the parser knows, what completion offers, and what the documents say.
#pragma once

#include <span>
#include <string>
#include <string_view>

namespace wavetrope::filter {

/// One thing that can be written in a filter.
struct Construct {
    enum class Kind : std::uint8_t {
        condition,      ///< Begins a condition by its word.
        ofSignal,       ///< Stands behind a signal.
        joining,        ///< Joins or turns round conditions.
        thinning,       ///< Last in a filter.
    };
    std::string_view word;      ///< The word that makes it; empty where marks do.
    Kind kind = Kind::condition;
    std::string_view write;     ///< As one would write it.
    std::string_view passes;    ///< What that passes.
};

/// All of them, in the order of the documents.
[[nodiscard]] std::span<const Construct> constructs();
/// The table of a kind as in docs/filter-language.md.
[[nodiscard]] std::string languageTable(Construct::Kind kind);
/// How a condition is written that begins with a word, for example "id 0x1F0".
[[nodiscard]] std::string exampleOf(std::string_view word);
/// Whether a word begins a condition.
[[nodiscard]] bool beginsCondition(std::string_view word);
/// The words that begin conditions, for error messages: "id, name, ... or a signal".
[[nodiscard]] std::string conditionWords();
/// Those that need no database: "id, bus, kind and within".
[[nodiscard]] std::string conditionWordsWithoutDatabase();

}  // namespace wavetrope::filter
