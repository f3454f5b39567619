#include "filter/filter.h"

#include <cctype>

#include "filter/parser.h"

namespace wavetrope::filter {

namespace {

template <class... Ts>
struct Overloaded : Ts... {
    using Ts::operator()...;
};

Verdict known(bool value) { return value ? Verdict::always : Verdict::never; }

bool compare(double value, Comparison comparison, double with)
{
    switch (comparison) {
    case Comparison::less: return value < with;
    case Comparison::lessOrEqual: return value <= with;
    case Comparison::equal: return value == with;
    case Comparison::notEqual: return value != with;
    case Comparison::greaterOrEqual: return value >= with;
    case Comparison::greater: return value > with;
    }
    return false;
}

const database::SignalRef* carried(const CompareSignal& term, std::uint8_t bus, can::Identifier id)
{
    for (const database::SignalRef& ref : term.signals)
        if (ref.message->bus == bus && ref.message->message->id == id)
            return &ref;
    return nullptr;
}

Verdict verdictOf(const Expression& expression, const trace::TraceKey& key, const database::Catalog& catalog)
{
    const auto message = [&] { return key.error ? nullptr : catalog.find(key.bus, key.id); };
    return std::visit(
        Overloaded{
            [&](const IdRange& t) { return known(!key.error && key.id.extended == t.first.extended && t.first.value <= key.id.value && key.id.value <= t.last.value); },
            [&](const IdMask& t) { return known(!key.error && key.id.extended == t.id.extended && ((key.id.value ^ t.id.value) & t.mask) == 0); },
            [&](const NamePattern& t) { return known(message() != nullptr && fitsPattern(message()->message->name, t.pattern)); },
            [&](const FromNode& t) { return known(message() != nullptr && message()->message->sender == t.node); },
            [&](const OnBus& t) { return known(key.bus == t.bus); },
            [&](const OfKind& t) { return key.error || t.kind == can::FrameKind::error ? known(key.error && t.kind == can::FrameKind::error) : Verdict::depends; },
            [&](const InDirection&) { return Verdict::depends; },
            [&](const Undecoded&) { return known(!key.error && message() == nullptr); },
            [&](const CompareSignal& t) { return !key.error && carried(t, key.bus, key.id) != nullptr ? Verdict::depends : Verdict::never; },
            [&](const Both& t) {
                const Verdict a = verdictOf(*t.left, key, catalog);
                const Verdict b = verdictOf(*t.right, key, catalog);
                return a == Verdict::never || b == Verdict::never ? Verdict::never : a == Verdict::always ? b : b == Verdict::always ? a : Verdict::depends;
            },
            [&](const Either& t) {
                const Verdict a = verdictOf(*t.left, key, catalog);
                const Verdict b = verdictOf(*t.right, key, catalog);
                return a == Verdict::always || b == Verdict::always ? Verdict::always : a == Verdict::never ? b : b == Verdict::never ? a : Verdict::depends;
            },
            [&](const Negation& t) {
                const Verdict inner = verdictOf(*t.inner, key, catalog);
                return inner == Verdict::depends ? inner : known(inner == Verdict::never);
            },
        },
        expression.term);
}

bool matchesTerm(const Expression& expression, const can::FrameView& frame, const database::Catalog& catalog)
{
    return std::visit(
        Overloaded{
            [&](const OfKind& t) { return frame.kind == t.kind; },
            [&](const InDirection& t) { return frame.direction == t.direction; },
            [&](const CompareSignal& t) {
                const database::SignalRef* ref = carried(t, frame.bus, frame.id);
                database::Decoded decoded;
                if (ref == nullptr || !ref->message->plan.decodeOne(frame, ref->index, decoded))
                    return false;
                if (!t.byText)
                    return compare(decoded.value, t.comparison, t.number);
                return (ref->signal().textOf(decoded.raw) == t.text) == (t.comparison == Comparison::equal);
            },
            [&](const Both& t) { return matchesTerm(*t.left, frame, catalog) && matchesTerm(*t.right, frame, catalog); },
            [&](const Either& t) { return matchesTerm(*t.left, frame, catalog) || matchesTerm(*t.right, frame, catalog); },
            [&](const Negation& t) { return !matchesTerm(*t.inner, frame, catalog); },
            [&](const auto&) { return verdictOf(expression, trace::TraceKey::of(frame), catalog) == Verdict::always; },
        },
        expression.term);
}

}  // namespace

Expected<Filter> Filter::compile(std::string_view text, std::shared_ptr<const database::Catalog> catalog)
{
    Filter filter;
    filter.text_ = text;
    if (text.find_first_not_of(" \t\r\n") == std::string_view::npos)
        return filter;
    auto tree = parse(text, *catalog);
    if (!tree)
        return tl::unexpected(tree.error());
    filter.tree_ = std::move(*tree);
    filter.catalog_ = std::move(catalog);
    return filter;
}

bool Filter::matches(const can::FrameView& frame) const
{
    return tree_ == nullptr || matchesTerm(*tree_, frame, *catalog_);
}

Verdict Filter::verdict(const trace::TraceKey& key) const
{
    return tree_ == nullptr ? Verdict::always : verdictOf(*tree_, key, *catalog_);
}

bool fitsPattern(std::string_view text, std::string_view pattern)
{
    const auto alike = [](char a, char b) { return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b)); };
    std::size_t t = 0;
    std::size_t p = 0;
    std::size_t star = std::string_view::npos;
    std::size_t retry = 0;
    while (t < text.size()) {
        if (p < pattern.size() && pattern[p] == '*') {
            star = p++;
            retry = t;
        } else if (p < pattern.size() && (pattern[p] == '?' || alike(pattern[p], text[t]))) {
            ++p;
            ++t;
        } else if (star != std::string_view::npos) {
            p = star + 1;
            t = ++retry;
        } else {
            return false;
        }
    }
    while (p < pattern.size() && pattern[p] == '*')
        ++p;
    return p == pattern.size();
}

}  // namespace wavetrope::filter
