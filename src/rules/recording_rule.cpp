// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/recording_rule.h"

#include <algorithm>

namespace wavetrope::rules {

namespace {

constexpr std::size_t mostTried = 12;   // conditions of which all combinations are gone through

// Of conditions that can never be true: why.
std::string whyNever(const ConditionRule& condition)
{
    if (!condition.known)
        return condition.name + " speaks of something that is not here";
    if (condition.kind == ConditionKind::frames && condition.momentary() && condition.span.count() > 0)
        return condition.name + " is true at the instants of single frames alone, and has to hold for a time";
    if ((condition.kind == ConditionKind::load || condition.kind == ConditionKind::state) && condition.bus < 0)
        return condition.name + " speaks of a bus that is not here";
    return {};
}

// Two that cannot be true at one instant: neither lasts, and their instants are never the same.
bool neverTogether(const ConditionRule& a, const ConditionRule& b)
{
    if (a.stays.count() > 0 || b.stays.count() > 0)
        return false;
    const auto atBegin = [](const ConditionRule& c) { return c.kind == ConditionKind::begins; };
    const auto later = [](const ConditionRule& c) {
        return ((c.kind == ConditionKind::every || c.kind == ConditionKind::after || c.kind == ConditionKind::silent) && c.span.count() > 0)
               || (c.kind == ConditionKind::frames && c.span.count() > 0);
    };
    return (atBegin(a) && later(b)) || (atBegin(b) && later(a));
}

struct Possible {
    bool holds = false;         // in some combination
    bool fails = false;         // in another one
};

Possible possibilities(const Terms& terms, std::span<const ConditionRule> conditions)
{
    const std::vector<std::size_t>& names = terms.conditions();
    if (names.size() > mostTried)
        return {true, true};
    Possible out;
    for (unsigned combination = 0; combination < 1U << names.size(); ++combination) {
        const auto truth = [&](std::size_t condition) {
            const auto at = static_cast<unsigned>(std::find(names.begin(), names.end(), condition) - names.begin());
            return (combination >> at & 1U) != 0;
        };
        bool can = true;
        for (std::size_t i = 0; i < names.size() && can; ++i) {
            if (!truth(names[i]))
                continue;
            can = whyNever(conditions[names[i]]).empty();
            for (std::size_t k = 0; k < i && can; ++k)
                can = !truth(names[k]) || !neverTogether(conditions[names[i]], conditions[names[k]]);
        }
        if (can)
            (terms.holds(truth) ? out.holds : out.fails) = true;
    }
    return out;
}

std::string reasons(const Terms& terms, std::span<const ConditionRule> conditions)
{
    std::string out;
    for (const std::size_t name : terms.conditions())
        if (const std::string why = whyNever(conditions[name]); !why.empty())
            out += (out.empty() ? "" : "; ") + why;
    return out.empty() ? terms.text() + " can never be true" : out;
}

}  // namespace

std::string neverWords(const RecordingRule& recording, std::span<const ConditionRule> conditions)
{
    if (recording.start && !possibilities(*recording.start, conditions).holds)
        return "it can never start: " + reasons(*recording.start, conditions);
    if (recording.stop && !possibilities(*recording.stop, conditions).holds)
        return "it can never stop: " + reasons(*recording.stop, conditions);
    if (recording.start && !recording.stop && !possibilities(*recording.start, conditions).fails)
        return "it can never stop: " + recording.start->text() + " is always true";
    return {};
}

}  // namespace wavetrope::rules
