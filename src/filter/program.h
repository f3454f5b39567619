// SPDX-License-Identifier: GPL-3.0-or-later
// A filter made ready for the frames of one identifier.
#pragma once

#include <limits>
#include <optional>
#include <vector>

#include "filter/filter.h"
#include "filter/value_test.h"

namespace wavetrope::filter {

/// What is remembered of the earlier frames of one identifier.
struct Past {
    std::vector<std::optional<std::uint64_t>> values;   ///< By slot of a change: its raw bits, exact where a number cannot be.
    std::optional<Time> time;              ///< Of its previous frame.
};

/// What a frame gave the derived signals that a filter speaks of, by place in the catalog: its sample, and the one before.
struct DerivedNow {
    std::optional<double> value, before;
};

/// What a frame is looked at with.
struct Moment {
    const Past* past = nullptr;                 ///< Null: no earlier frame.
    const std::optional<Time>* soon = nullptr; ///< By slot: the newest earlier match of each `within`; null where there are none.
    Time origin{};                         ///< Start of the run or log.
    const DerivedNow* derived = nullptr;   ///< Null where none are followed: none of them has a sample.
    const can::Payload* whole = nullptr;    ///< The bytes of a message that has more than its frame; null: those of the frame.
};

/// The conditions of a filter for one identifier: what is known of it is folded away, its signals are looked up.
class Program {
public:
    /// Where the kind of the frames is known, that is folded away as well.
    Program(const Expression* tree, const Understood& understood, const database::Catalog& catalog, const trace::TraceKey& key,
        std::optional<can::FrameKind> kind = std::nullopt);

    [[nodiscard]] Verdict verdict() const;
    [[nodiscard]] bool matches(const can::FrameView& frame, const Moment& moment) const { return look(root_, frame, moment); }
    /// Takes a frame into what is remembered, behind looking at it; `whole` as in a moment.
    void remember(const can::FrameView& frame, Past& past, const can::Payload* whole = nullptr) const;
    /// Whether anything of earlier frames of the identifier is asked for.
    [[nodiscard]] bool remembers() const { return !changes_.empty() || gaps_; }
    [[nodiscard]] bool gaps() const { return gaps_; }
    struct Change {
        unsigned slot = 0;
        const database::SignalRef* signal = nullptr;
    };
    /// The signals whose earlier values are asked for.
    [[nodiscard]] const std::vector<Change>& changes() const { return changes_; }
    /// The slots of `within` whose newest earlier match is asked for.
    [[nodiscard]] const std::vector<unsigned>& soons() const { return soons_; }
    [[nodiscard]] Past nothing() const { return {std::vector<std::optional<std::uint64_t>>(slots_), std::nullopt}; }

    /// Where the whole is one comparison of a signal that every frame carries: its plan and the values that pass.
    struct Plain {
        const database::SignalPlan* plan = nullptr;
        const ValueTest* test = nullptr;
    };
    [[nodiscard]] std::optional<Plain> plain() const;
    /// The test of a byte where it is the whole, or null.
    [[nodiscard]] const ByteTest* byteTest() const;

private:
    struct Node {
        enum class Kind : std::uint8_t { yes, no, both, either, negation, signal, text, change, leaf };
        Kind kind = Kind::no;
        int left = -1;
        int right = -1;
        const Expression* term = nullptr;
        const database::SignalRef* signal = nullptr;
        int test = -1;                              // of a comparison with numbers
    };
    int build(const Expression& expression, const database::Catalog& catalog, const trace::TraceKey& key);
    int add(Node node);
    [[nodiscard]] bool look(int node, const can::FrameView& frame, const Moment& moment) const;

    [[nodiscard]] const ValueTest& test(const Node& node) const { return tests_[static_cast<std::size_t>(node.test)]; }

    std::optional<can::FrameKind> kind_;
    std::vector<Node> nodes_;
    std::vector<ValueTest> tests_;
    int root_ = -1;
    std::vector<Change> changes_;
    std::vector<unsigned> soons_;
    std::size_t slots_ = 0;
    bool gaps_ = false;
};

}  // namespace wavetrope::filter
