// A filter as a tree.
#pragma once

#include <memory>
#include <string>
#include <variant>
#include <vector>

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

enum class Comparison : std::uint8_t { less, lessOrEqual, equal, notEqual, greaterOrEqual, greater };

/// A signal compared with a number, or with one of its texts. False where the frame does not carry the signal.
struct CompareSignal {
    std::vector<database::SignalRef> signals;  ///< The signal on each bus that has it.
    Comparison comparison = Comparison::equal;
    double number = 0;
    std::string text;
    bool byText = false;
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

struct Expression {
    std::variant<IdRange, IdMask, NamePattern, FromNode, OnBus, OfKind, InDirection, Undecoded, CompareSignal, Both, Either, Negation> term;
};

}  // namespace wavetrope::filter
