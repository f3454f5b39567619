// SPDX-License-Identifier: GPL-3.0-or-later
// A filter as a tree.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <variant>
#include <vector>

#include "can/frame.h"
#include "database/catalog.h"

namespace wavetrope::filter {

/// Identifiers from `first` to `last`, both of one length.
struct IdRange {
    can::Identifier first;
    can::Identifier last;
};
/// Identifiers that agree with `id` in the bits of `mask`.
struct IdMask {
    can::Identifier id;
    std::uint32_t mask;
};
/// Messages whose name fits a pattern with * and ?, whatever the case.
struct NamePattern {
    std::string pattern;
};
struct FromNode {
    std::string node;
};
struct OnBus {
    std::uint8_t bus;
};
struct OfKind {
    can::FrameKind kind;
};
struct InDirection {
    can::Direction direction;
};
struct Undecoded {};

/// `between` holds from one number to another, both included.
enum class Comparison : std::uint8_t { less, lessOrEqual, equal, notEqual, greaterOrEqual, greater, between };

/// Whether a value compares so; `upper` serves `between` alone.
template <class Value>
[[nodiscard]] bool compares(Value value, Comparison comparison, Value with, Value upper = {})
{
    switch (comparison) {
    case Comparison::less: return value < with;
    case Comparison::lessOrEqual: return value <= with;
    case Comparison::equal: return value == with;
    case Comparison::notEqual: return value != with;
    case Comparison::greaterOrEqual: return value >= with;
    case Comparison::greater: return value > with;
    case Comparison::between: return value >= with && value <= upper;
    }
    return false;
}

/// A number as it stands in a filter: the nearest double and, where it is larger than doubles tell apart, the whole
/// number at or below it.
struct Number {
    double value = 0;
    std::optional<database::RawValue> floor;   ///< Nothing where it is beyond 2^120.
    bool whole = true;                         ///< Whether it is its floor.

    friend bool operator<(const Number& a, const Number& b)
    {
        return a.floor && b.floor && *a.floor != *b.floor ? *a.floor < *b.floor : a.value < b.value;
    }
};

/// A signal compared with a number, or with one of its texts. False where the frame does not carry the signal.
struct CompareSignal {
    std::vector<database::SignalRef> signals;  ///< The signal on each bus that has it.
    Comparison comparison = Comparison::equal;
    Number number;
    Number upper;
    std::string text;
    bool byText = false;
};

/// A signal beside its value in the newest earlier frame of the same identifier that carries it. False on the first.
struct SignalChange {
    enum class How : std::uint8_t { changes, changesBy, risesAbove, fallsBelow };
    std::vector<database::SignalRef> signals;
    How how = How::changes;
    Number number;
    unsigned slot = 0;                         ///< Of the value that is remembered.
};
/// A derived signal at the frames where it has a sample: compared, or beside its sample before. False elsewhere.
struct DerivedTest {
    enum class How : std::uint8_t { compares, changes, changesBy, risesAbove, fallsBelow };
    std::uint32_t derived = 0;                 ///< Place in the catalog.
    How how = How::compares;
    Comparison comparison = Comparison::equal;
    double number = 0;
    double upper = 0;
};
/// A byte of the payload, under a mask. False where the payload is shorter.
struct ByteTest {
    unsigned index = 0;
    std::uint8_t mask = 0xFF;
    Comparison comparison = Comparison::equal;
    unsigned value = 0;
    unsigned upper = 0;
};
struct LengthTest {
    Comparison comparison = Comparison::equal;
    unsigned length = 0;
    unsigned upper = 0;
};
/// Time since the previous frame of the same identifier. False on the first.
struct GapTest {
    Comparison comparison = Comparison::greater;
    Time span{};
    Time upper{};
};
/// 29-bit identifiers by their parts (SAE J1939-21, 5.2).
struct OfGroup {
    std::uint32_t group;
};
struct FromSource {
    std::uint8_t address;
};
struct ToDestination {
    std::uint8_t address;
};
/// Counted from the start of the run or log, both ends included.
struct InTime {
    Time from;
    Time to;
};

struct Expression;
using ExpressionPointer = std::unique_ptr<const Expression>;

struct Both {
    ExpressionPointer left;
    ExpressionPointer right;
};
struct Either {
    ExpressionPointer left;
    ExpressionPointer right;
};
struct Negation {
    ExpressionPointer inner;
};

/// Frames at most a span behind the newest earlier frame that `inner` passes, in the order of the log.
struct SoonAfter {
    Time span{};
    ExpressionPointer inner;
    unsigned slot = 0;                         ///< Of the moment that is remembered.
};

struct Expression {
    std::variant<IdRange, IdMask, NamePattern, FromNode, OnBus, OfKind, InDirection, Undecoded, CompareSignal, SignalChange, DerivedTest,
        ByteTest, LengthTest, GapTest, OfGroup, FromSource, ToDestination, InTime, SoonAfter, Both, Either, Negation>
        term;
};

/// Which of the frames that match the rest pass: all, every n-th beginning with the first, or the first alone.
struct Thinning {
    enum class Kind : std::uint8_t { all, every, first };
    Kind kind = Kind::all;
    std::uint64_t every = 1;
    bool perIdentifier = false;

    /// Whether the match of a number, counted from 0, passes.
    [[nodiscard]] bool passes(std::uint64_t number) const
    {
        return kind == Kind::all || (kind == Kind::first ? number == 0 : number % every == 0);
    }
};

/// A filter as it was understood.
struct Understood {
    ExpressionPointer tree;                    ///< Null where there is only a thinning.
    Thinning thinning;
    unsigned changeSlots = 0;                  ///< Remembered values.
    unsigned soonSlots = 0;                    ///< Remembered moments.
    std::vector<const SoonAfter*> soons;       ///< By slot; what stands inside another comes before it.
    std::vector<std::uint32_t> derived;        ///< Derived signals that it speaks of.
    bool remembers() const { return changeSlots > 0 || soonSlots > 0 || gaps; }
    bool gaps = false;
};

}  // namespace wavetrope::filter
