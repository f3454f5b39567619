// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/program.h"

#include <cmath>

#include "can/parameter_group.h"

namespace wavetrope::filter {

namespace {

template <class... Ts>
struct Overloaded : Ts... {
    using Ts::operator()...;
};

Verdict known(bool value) { return value ? Verdict::always : Verdict::never; }

const database::SignalRef* carried(const std::vector<database::SignalRef>& signals, const database::CatalogMessage* message)
{
    for (const database::SignalRef& ref : signals)
        if (ref.message == message)
            return &ref;
    return nullptr;
}

// What the identifier tells of a condition that looks at nothing but identifiers.
Verdict ofIdentifier(const Expression& expression, const trace::TraceKey& key, const database::CatalogMessage* message)
{
    const auto parts = [&] { return can::ParameterGroup::of(key.id); };
    const bool extended = !key.error && key.id.extended;
    return std::visit(Overloaded{
                          [&](const IdRange& t) {
                              return known(!key.error && key.id.extended == t.first.extended && t.first.value <= key.id.value
                                           && key.id.value <= t.last.value);
                          },
                          [&](const IdMask& t) {
                              return known(!key.error && key.id.extended == t.id.extended && ((key.id.value ^ t.id.value) & t.mask) == 0);
                          },
                          [&](const NamePattern& t) { return known(message != nullptr && fitsPattern(message->message->name, t.pattern)); },
                          [&](const FromNode& t) { return known(message != nullptr && message->message->sender == t.node); },
                          [&](const OnBus& t) { return known(key.bus == t.bus); },
                          [&](const OfKind& t) {
                              return key.error || t.kind == can::FrameKind::error ? known(key.error && t.kind == can::FrameKind::error)
                                                                                  : Verdict::depends;
                          },
                          [&](const Undecoded&) { return known(!key.error && message == nullptr); },
                          [&](const OfGroup& t) {
                              return known(extended && parts().group == (t.group & ((t.group >> 8 & 0xFFU) < 240 ? 0x3FF00U : 0x3FFFFU)));
                          },
                          [&](const FromSource& t) { return known(extended && parts().source == t.address); },
                          [&](const ToDestination& t) { return known(extended && parts().addressed && parts().destination == t.address); },
                          [&](const auto&) { return Verdict::depends; },
                      },
        expression.term);
}

}  // namespace

// Those of a derived signal. Each of its samples stands beside the one before, whatever frame gave that.
namespace {

bool holds(const DerivedTest& test, const DerivedNow& now)
{
    if (!now.value)
        return false;
    const double value = *now.value;
    switch (test.how) {
    case DerivedTest::How::compares: return compares(value, test.comparison, test.number, test.upper);
    case DerivedTest::How::changes: return now.before && value != *now.before;
    case DerivedTest::How::changesBy: return now.before && std::abs(value - *now.before) >= test.number;
    case DerivedTest::How::risesAbove: return now.before && value > test.number && !(*now.before > test.number);
    case DerivedTest::How::fallsBelow: return now.before && value < test.number && !(*now.before < test.number);
    }
    return false;
}

}  // namespace

Program::Program(const Expression* tree, const Understood& understood, const database::Catalog& catalog, const trace::TraceKey& key,
    std::optional<can::FrameKind> kind)
    : kind_(kind), slots_(understood.changeSlots)
{
    root_ = tree == nullptr ? add({Node::Kind::yes, -1, -1, nullptr, nullptr}) : build(*tree, catalog, key);
}

int Program::add(Node node)
{
    nodes_.push_back(node);
    return static_cast<int>(nodes_.size()) - 1;
}

int Program::build(const Expression& expression, const database::Catalog& catalog, const trace::TraceKey& key)
{
    using NodeKind = Node::Kind;
    const auto kindOf = [&](int node) { return nodes_[static_cast<std::size_t>(node)].kind; };
    const auto fixed = [&](bool value) { return add({value ? NodeKind::yes : NodeKind::no, -1, -1, nullptr, nullptr}); };
    const auto joined = [&](const ExpressionPointer& a, const ExpressionPointer& b, NodeKind kind, NodeKind neutral, NodeKind decides) {
        const int left = build(*a, catalog, key);
        if (kindOf(left) == decides)
            return left;
        const int right = build(*b, catalog, key);
        if (kindOf(right) == decides || kindOf(left) == neutral)
            return right;
        return kindOf(right) == neutral ? left : add({kind, left, right, nullptr, nullptr});
    };
    if (const auto* both = std::get_if<Both>(&expression.term))
        return joined(both->left, both->right, NodeKind::both, NodeKind::yes, NodeKind::no);
    if (const auto* either = std::get_if<Either>(&expression.term))
        return joined(either->left, either->right, NodeKind::either, NodeKind::no, NodeKind::yes);
    if (const auto* negation = std::get_if<Negation>(&expression.term)) {
        const int inner = build(*negation->inner, catalog, key);
        if (kindOf(inner) == NodeKind::yes || kindOf(inner) == NodeKind::no)
            return fixed(kindOf(inner) == NodeKind::no);
        return add({NodeKind::negation, inner, -1, nullptr, nullptr});
    }
    const database::CatalogMessage* message = key.error ? nullptr : catalog.find(key.bus, key.id);
    if (const auto* compare = std::get_if<CompareSignal>(&expression.term)) {
        const database::SignalRef* signal = message == nullptr ? nullptr : carried(compare->signals, message);
        if (signal == nullptr)
            return fixed(false);
        if (compare->byText)
            return add({NodeKind::text, -1, -1, &expression, signal});
        tests_.emplace_back(message->plan.plan(signal->index), compare->comparison, compare->number, compare->upper);
        return add({NodeKind::signal, -1, -1, &expression, signal, static_cast<int>(tests_.size()) - 1});
    }
    if (const auto* change = std::get_if<SignalChange>(&expression.term)) {
        const database::SignalRef* signal = message == nullptr ? nullptr : carried(change->signals, message);
        if (signal == nullptr)
            return fixed(false);
        changes_.push_back({change->slot, signal});
        using How = SignalChange::How;
        const Comparison comparison = change->how == How::risesAbove ? Comparison::greater : Comparison::less;
        tests_.emplace_back(message->plan.plan(signal->index), comparison, change->number, Number{});
        return add({NodeKind::change, -1, -1, &expression, signal, static_cast<int>(tests_.size()) - 1});
    }
    if (const auto* derived = std::get_if<DerivedTest>(&expression.term))
        return message != nullptr && catalog.looksAt(derived->derived, *message) ? add({NodeKind::leaf, -1, -1, &expression, nullptr})
                                                                                 : fixed(false);
    if (const auto* of = std::get_if<OfKind>(&expression.term); of != nullptr && kind_)
        return fixed(of->kind == *kind_);
    const Verdict verdict = ofIdentifier(expression, key, message);
    if (verdict != Verdict::depends)
        return fixed(verdict == Verdict::always);
    gaps_ = gaps_ || std::holds_alternative<GapTest>(expression.term);
    if (const auto* soon = std::get_if<SoonAfter>(&expression.term))
        soons_.push_back(soon->slot);
    return add({NodeKind::leaf, -1, -1, &expression, nullptr});
}

Verdict Program::verdict() const
{
    const Node::Kind kind = nodes_[static_cast<std::size_t>(root_)].kind;
    return kind == Node::Kind::yes ? Verdict::always : kind == Node::Kind::no ? Verdict::never : Verdict::depends;
}

std::optional<Program::Plain> Program::plain() const
{
    const Node& root = nodes_[static_cast<std::size_t>(root_)];
    if (root.kind != Node::Kind::signal || root.signal->message->plan.multiplexed(root.signal->index))
        return std::nullopt;
    return Plain{&root.signal->message->plan.plan(root.signal->index), &test(root)};
}

const ByteTest* Program::byteTest() const
{
    const Node& root = nodes_[static_cast<std::size_t>(root_)];
    return root.kind == Node::Kind::leaf ? std::get_if<ByteTest>(&root.term->term) : nullptr;
}

namespace {

can::Payload bytesOf(const can::FrameView& frame, const can::Payload* whole) { return whole != nullptr ? *whole : frame.payload(); }

unsigned lengthOf(const can::FrameView& frame, const can::Payload* whole)
{
    return whole != nullptr ? static_cast<unsigned>(whole->size()) : frame.length;
}

// A message with more bytes than a frame has data.
bool decodeIn(const can::FrameView& frame, const can::Payload* whole, const database::SignalRef& signal, database::Decoded& decoded)
{
    const database::MessagePlan& plan = signal.message->plan;
    return whole != nullptr ? plan.decodeOne(*whole, signal.index, decoded) : plan.decodeOne(frame, signal.index, decoded);
}

}  // namespace

bool Program::look(int index, const can::FrameView& frame, const Moment& moment) const
{
    const Node& node = nodes_[static_cast<std::size_t>(index)];
    switch (node.kind) {
    case Node::Kind::yes: return true;
    case Node::Kind::no: return false;
    case Node::Kind::both: return look(node.left, frame, moment) && look(node.right, frame, moment);
    case Node::Kind::either: return look(node.left, frame, moment) || look(node.right, frame, moment);
    case Node::Kind::negation: return !look(node.left, frame, moment);
    case Node::Kind::signal:
    case Node::Kind::text: {
        database::Decoded decoded;
        if (!decodeIn(frame, moment.whole, *node.signal, decoded))
            return false;
        const auto& t = std::get<CompareSignal>(node.term->term);
        if (node.kind == Node::Kind::signal)
            return test(node).passes(decoded.bits);
        return (database::textOf(node.signal->signal(), decoded.bits) == t.text) == (t.comparison == Comparison::equal);
    }
    case Node::Kind::change: {
        const auto& t = std::get<SignalChange>(node.term->term);
        database::Decoded decoded;
        if (moment.past == nullptr || !moment.past->values[t.slot] || !decodeIn(frame, moment.whole, *node.signal, decoded))
            return false;
        const std::uint64_t before = *moment.past->values[t.slot];
        const database::SignalPlan& plan = node.signal->message->plan.plan(node.signal->index);
        switch (t.how) {
        case SignalChange::How::changes: return differs(plan, decoded.bits, before);
        case SignalChange::How::changesBy: return differsBy(plan, decoded.bits, before, t.number.value);
        case SignalChange::How::risesAbove:
        case SignalChange::How::fallsBelow: return test(node).passes(decoded.bits) && !test(node).passes(before);
        }
        return false;
    }
    case Node::Kind::leaf: break;
    }
    return std::visit(
        Overloaded{
            [&](const DerivedTest& t) { return moment.derived != nullptr && holds(t, moment.derived[t.derived]); },
            [&](const OfKind& t) { return frame.kind == t.kind; },
            [&](const InDirection& t) { return frame.direction == t.direction; },
            [&](const ByteTest& t) {
                const can::Payload bytes = bytesOf(frame, moment.whole);
                return t.index < bytes.size() && compares<unsigned>(bytes[t.index] & t.mask, t.comparison, t.value, t.upper);
            },
            [&](const LengthTest& t) { return compares<unsigned>(lengthOf(frame, moment.whole), t.comparison, t.length, t.upper); },
            [&](const GapTest& t) {
                return moment.past != nullptr && moment.past->time
                       && compares(frame.time - *moment.past->time, t.comparison, t.span, t.upper);
            },
            [&](const InTime& t) { return frame.time - moment.origin >= t.from && frame.time - moment.origin <= t.to; },
            [&](const SoonAfter& t) {
                if (moment.soon == nullptr || !moment.soon[t.slot])
                    return false;
                const Time since = frame.time - *moment.soon[t.slot];
                return since >= Time{0} && since <= t.span;
            },
            [&](const auto&) { return false; },
        },
        node.term->term);
}

void Program::remember(const can::FrameView& frame, Past& past, const can::Payload* whole) const
{
    database::Decoded decoded;
    for (const Change& change : changes_)
        if (decodeIn(frame, whole, *change.signal, decoded))
            past.values[change.slot] = decoded.bits;
    past.time = frame.time;
}

}  // namespace wavetrope::filter
