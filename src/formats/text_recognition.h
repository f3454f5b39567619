// SPDX-License-Identifier: GPL-3.0-or-later
// Finding out how the lines of a text log are laid out.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "formats/text_layout.h"

namespace wavetrope::formats {

/// Something that the lines leave open, and that nobody but the user knows.
struct LayoutQuestion {
    std::string what;                   ///< "Are the identifiers hexadecimal or decimal?"
    std::vector<TextLayout> choices;    ///< What the layout is for each answer; the likelier first.
    std::vector<std::string> answers;
};

/// Brings an answer of a question into a layout: each question is about a part of its own.
void answer(TextLayout& layout, const LayoutQuestion& question, std::size_t which);

/// What was recognised.
struct Recognition {
    TextLayout layout;
    std::vector<double> confidence;     ///< Of each column's meaning, 0 to 1.
    std::vector<LayoutQuestion> questions;
    unsigned lines = 0;                 ///< Lines that were looked at, head and remarks aside,
    unsigned fitting = 0;               ///< and those of them that are frames by this layout.

    [[nodiscard]] bool sure() const { return questions.empty(); }
};

/// Looks at the first lines of a log. An error where they are no log that it can read.
[[nodiscard]] Expected<Recognition> recogniseLayout(std::string_view head, const std::string& where);

/// How many of the first lines are frames by a layout: lines that were looked at, and those that fit.
struct Fit {
    unsigned lines = 0;
    unsigned fitting = 0;
    [[nodiscard]] bool good() const { return lines > 0 && fitting * 20 >= lines * 19; }
};
[[nodiscard]] Fit fitOf(const TextLayout& layout, std::string_view head);

/// Whether bytes look like lines of text.
[[nodiscard]] bool looksLikeText(std::string_view head);

/// In front of the first line of some texts.
inline constexpr std::string_view byteOrderMark = "\xEF\xBB\xBF";
/// The lines of a text, at most so many, without their ends and the mark in front.
[[nodiscard]] std::vector<std::string_view> linesOf(std::string_view text, std::size_t most);

}  // namespace wavetrope::formats
