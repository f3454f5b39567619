// SPDX-License-Identifier: GPL-3.0-or-later
// An expression over named conditions: "chatter and (flowLow or not valveOpen)".
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace wavetrope::rules {

/// Names joined by `and`, `or` and `not`, with parentheses; `not` binds strongest, then `and`. A name with blanks stands in
/// double quotes. At most 1,000 names and 200 levels of parentheses.
class Terms {
public:
    /// Names are looked up among those of the conditions. Errors name the column.
    [[nodiscard]] static Expected<Terms> parse(std::string_view text, std::span<const std::string> names);

    /// Whether it holds where `truth(i)` says whether condition `i` does.
    template <class Truth>
    [[nodiscard]] bool holds(Truth truth) const
    {
        return look(root_, truth);
    }
    /// The conditions that it names, each once, in the order in which they stand.
    [[nodiscard]] const std::vector<std::size_t>& conditions() const { return conditions_; }
    [[nodiscard]] const std::string& text() const { return text_; }

private:
    friend class TermsParser;
    struct Node {
        enum class Kind : std::uint8_t { name, negation, both, either };
        Kind kind = Kind::name;
        int left = -1;              // of a name: its condition
        int right = -1;
    };
    template <class Truth>
    [[nodiscard]] bool look(int index, Truth& truth) const
    {
        const Node& node = nodes_[static_cast<std::size_t>(index)];
        switch (node.kind) {
        case Node::Kind::name: return truth(static_cast<std::size_t>(node.left));
        case Node::Kind::negation: return !look(node.left, truth);
        case Node::Kind::both: return look(node.left, truth) && look(node.right, truth);
        case Node::Kind::either: return look(node.left, truth) || look(node.right, truth);
        }
        return false;
    }

    std::string text_;
    std::vector<Node> nodes_;
    std::vector<std::size_t> conditions_;
    int root_ = -1;
};

/// The expression with one name in place of another, all else as it was written.
[[nodiscard]] std::string renamed(std::string_view text, std::string_view from, const std::string& to);

/// A name as it stands in an expression: in double quotes where it has to.
[[nodiscard]] std::string quotedName(const std::string& name);

}  // namespace wavetrope::rules
