// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/near_miss.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/number_text.h"
#include "base/time_text.h"
#include "filter/filter_stream.h"
#include "filter/value_test.h"
#include "rules/rehearsal.h"

namespace wavetrope::rules {

namespace {

using filter::Comparison;

constexpr std::uint64_t lookedEvery = 1U << 16U;
constexpr unsigned shares = 40;         // of a load, that are looked at below the one that is wanted

std::string numberText(double value)
{
    char text[32];
    std::snprintf(text, sizeof text, "%.6g", value);
    return text;
}

std::string withUnit(double value, const std::string& unit) { return numberText(value) + (unit.empty() ? "" : " " + unit); }

// A comparison within a filter, and what the trace had of it.
struct Leaf {
    const filter::CompareSignal* compare = nullptr;
    std::uint64_t frames = 0, held = 0;
    double lowest = std::numeric_limits<double>::infinity(), highest = -std::numeric_limits<double>::infinity();
    double gap = std::numeric_limits<double>::infinity(), closest = 0;
    Time at{};

    [[nodiscard]] const database::Signal& signal() const { return compare->signals.front().signal(); }
    [[nodiscard]] std::string words() const
    {
        constexpr const char* marks[] = {"<", "<=", "=", "!=", ">=", ">", "between"};
        std::string out = signal().name + " " + marks[static_cast<unsigned>(compare->comparison)] + " ";
        if (compare->byText)
            return out + "\"" + compare->text + "\"";
        out += numberText(compare->number.value);
        return compare->comparison == Comparison::between ? out + " and " + numberText(compare->upper.value) : out;
    }
    // How far a value is from holding.
    [[nodiscard]] double gapOf(double value) const
    {
        switch (compare->comparison) {
        case Comparison::less:
        case Comparison::lessOrEqual: return value - compare->number.value;
        case Comparison::greater:
        case Comparison::greaterOrEqual: return compare->number.value - value;
        case Comparison::between: return value < compare->number.value ? compare->number.value - value : value - compare->upper.value;
        default: return std::fabs(value - compare->number.value);
        }
    }
    [[nodiscard]] double limitFor(double value) const
    {
        return compare->comparison == Comparison::between && value > compare->upper.value ? compare->upper.value : compare->number.value;
    }
    void see(const can::FrameView& frame)
    {
        for (const database::SignalRef& ref : compare->signals) {
            database::Decoded decoded;
            if (ref.message->bus != frame.bus || !ref.message->fits(frame.id) || !ref.message->plan.decodeOne(frame, ref.index, decoded))
                continue;
            ++frames;
            lowest = std::min(lowest, decoded.value);
            highest = std::max(highest, decoded.value);
            if (compare->byText) {
                const bool equal = ref.signal().textOf(ref.message->plan.plan(ref.index).whole(decoded.bits)) == compare->text;
                held += equal == (compare->comparison == Comparison::equal) ? 1 : 0;
            } else if (filter::ValueTest(ref.message->plan.plan(ref.index), compare->comparison, compare->number, compare->upper)
                           .passes(decoded.bits)) {
                ++held;
            } else if (const double apart = gapOf(decoded.value); apart < gap) {
                gap = apart;
                closest = decoded.value;
                at = frame.time;
            }
        }
    }
};

void collect(const filter::Expression* tree, std::vector<Leaf>& leaves, bool& all)
{
    if (tree == nullptr)
        return;
    if (const auto* both = std::get_if<filter::Both>(&tree->term)) {
        collect(both->left.get(), leaves, all);
        collect(both->right.get(), leaves, all);
    } else if (const auto* either = std::get_if<filter::Either>(&tree->term)) {
        collect(either->left.get(), leaves, all);
        collect(either->right.get(), leaves, all);
    } else if (const auto* compare = std::get_if<filter::CompareSignal>(&tree->term); compare != nullptr && !compare->signals.empty()) {
        leaves.push_back({compare});
    } else {
        all = false;
    }
}

// The longest stretch over which a condition without its hold time is true, or nothing.
std::optional<TrueStretch> longestOf(
    const trace::Snapshot& snapshot, ConditionRule rule, const std::vector<can::BitRate>& rates, const std::function<bool()>& goesOn)
{
    rule.span = rule.stays = Time{0};
    RuleSet set;
    set.conditions.push_back(std::move(rule));
    RehearsalOptions options;
    options.goesOn = [&](std::uint64_t) { return !goesOn || goesOn(); };
    const Rehearsed all = rehearse(snapshot, std::move(set), rates, options);
    std::optional<TrueStretch> longest;
    const Time end = snapshot.rows() > 0 ? snapshot.time(snapshot.rows() - 1) : Time{0};
    for (TrueStretch stretch : all.stretches) {
        if (!stretch.to)
            stretch.to = std::max(end, stretch.from);
        if (!longest || *stretch.to - stretch.from > *longest->to - longest->from)
            longest = stretch;
    }
    return longest;
}

std::optional<NearMiss> ofFrames(
    const trace::Snapshot& snapshot, const ConditionRule& rule, const std::vector<can::BitRate>& rates, const std::function<bool()>& goesOn)
{
    NearMiss out;
    if (rule.span.count() > 0)
        if (const auto longest = longestOf(snapshot, rule, rates, goesOn)) {
            out.at = longest->to;
            out.words = "held for " + spanText(*longest->to - longest->from) + " at the longest, of " + spanText(rule.span);
            return out;
        }
    std::vector<Leaf> leaves;
    bool valuesAlone = true;
    collect(rule.filter.understood() == nullptr ? nullptr : rule.filter.understood()->tree.get(), leaves, valuesAlone);
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        if (row % lookedEvery == 0 && goesOn && !goesOn())
            return {};
        if (leaves.empty())
            break;
        const can::FrameView frame = snapshot.frame(row);
        for (Leaf& leaf : leaves)
            leaf.see(frame);
    }
    const Leaf* worst = nullptr;
    for (const Leaf& leaf : leaves) {
        if (leaf.frames == 0) {
            out.words = "no frame carries " + leaf.signal().name;
            return out;
        }
        // Of several that never held, the one that was nearest to it, by its own span of values.
        const auto nearness = [](const Leaf& one) {
            return one.compare->byText ? 2.0 : one.gap / (std::fabs(one.compare->number.value) + std::fabs(one.gap));
        };
        if (leaf.held == 0 && (worst == nullptr || nearness(leaf) < nearness(*worst)))
            worst = &leaf;
    }
    if (worst == nullptr) {
        if (leaves.empty() || !valuesAlone)
            out.words = "no frame passes " + rule.filter.text();
        else
            out.words = leaves.size() == 1 ? "it held, and nothing came of it" : "each part held, but never all in one frame";
        return out;
    }
    if (worst->compare->byText || !std::isfinite(worst->gap)) {
        out.words = worst->words() + " never held";
        out.more = "In none of " + std::to_string(worst->frames) + " frames that carry it.";
        return out;
    }
    const std::string& unit = worst->signal().unit;
    const double limit = worst->limitFor(worst->closest);
    out.at = worst->at;
    out.values = {worst->lowest, worst->highest, worst->closest, limit, unit, worst->frames};
    out.words = "closest " + numberText(worst->closest) + " of " + withUnit(limit, unit);
    out.more = worst->words() + " held in none of " + std::to_string(worst->frames) + " frames: " + withUnit(worst->lowest, unit) + " to "
               + withUnit(worst->highest, unit) + " seen, " + withUnit(worst->gap, unit) + (worst->closest < limit ? " below" : " above")
               + " its limit.";
    return out;
}

std::optional<NearMiss> ofSilence(const trace::Snapshot& snapshot, const ConditionRule& rule, const std::function<bool()>& goesOn)
{
    NearMiss out;
    filter::FilterStream stream(rule.filter, snapshot.rows() > 0 ? snapshot.time(0) : Time{0});
    std::optional<Time> last;
    Time longest{-1};
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        if (row % lookedEvery == 0 && goesOn && !goesOn())
            return {};
        const can::FrameView frame = snapshot.frame(row);
        if (!stream.passes(frame))
            continue;
        if (last && frame.time - *last > longest) {
            longest = frame.time - *last;
            out.at = frame.time;
        }
        last = frame.time;
    }
    if (!last)
        out.words = "no such frame came, and silence counts from the first";
    else if (longest.count() < 0)
        out.words = "one such frame came";
    else
        out.words = "silent for " + spanText(longest) + " at the longest, of " + spanText(rule.span);
    return out;
}

// Which of many shares below the one that is wanted the load came above.
std::optional<NearMiss> ofLoad(
    const trace::Snapshot& snapshot, const ConditionRule& rule, const std::vector<can::BitRate>& rates, const std::function<bool()>& goesOn)
{
    RuleSet set;
    for (unsigned i = 0; i < shares; ++i) {
        set.conditions.push_back(rule);
        set.conditions.back().percent = rule.percent * i / shares;
        set.conditions.back().stays = Time{0};
    }
    RehearsalOptions options;
    options.goesOn = [&](std::uint64_t) { return !goesOn || goesOn(); };
    const Rehearsed all = rehearse(snapshot, std::move(set), rates, options);
    if (goesOn && !goesOn())
        return {};
    NearMiss out;
    std::optional<std::size_t> highest;
    for (const TrueStretch& stretch : all.stretches)
        if (!highest || stretch.condition > *highest) {
            highest = stretch.condition;
            out.at = stretch.from;
        }
    if (!highest) {
        out.words = "the bus carried nothing";
        return out;
    }
    const double share = rule.percent * static_cast<double>(*highest) / shares;
    out.words = "above " + numberText(share) + " % at the most, of " + numberText(rule.percent) + " %";
    out.values = {0, share, share, rule.percent, "%", 0};
    return out;
}

}  // namespace

std::optional<NearMiss> nearMiss(const trace::Snapshot& snapshot, const ConditionRule& condition, const std::vector<can::BitRate>& rates,
    const std::function<bool()>& goesOn)
{
    if (!condition.known)
        return NearMiss{"it speaks of what is not here", {}, {}, {}};
    switch (condition.kind) {
    case ConditionKind::frames: return ofFrames(snapshot, condition, rates, goesOn);
    case ConditionKind::silent: return ofSilence(snapshot, condition, goesOn);
    case ConditionKind::load: return ofLoad(snapshot, condition, rates, goesOn);
    case ConditionKind::after:
    case ConditionKind::every: return NearMiss{"the run is not that long", {}, {}, {}};
    default: return {};
    }
}

}  // namespace wavetrope::rules
