// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/condition_rule.h"

#include "base/number_text.h"
#include "base/time_text.h"

namespace wavetrope::rules {

const char* toText(BusState state)
{
    constexpr const char* names[] = {"error passive", "bus off", "gone"};
    return names[static_cast<unsigned>(state)];
}

bool ConditionRule::momentary() const
{
    switch (kind) {
    case ConditionKind::frames: return !filter.looksAtContents();
    case ConditionKind::begins:
    case ConditionKind::every:
    case ConditionKind::lost:
    case ConditionKind::key:
    case ConditionKind::word: return true;
    default: return false;
    }
}

namespace {

std::string shortest(double number)
{
    std::string out;
    appendNumber(out, number);
    return out;
}

}  // namespace

std::string ConditionRule::words() const
{
    const std::string written = text.empty() ? filter.text() : text;
    const std::string frames = written.empty() ? "any frame" : written;
    switch (kind) {
    case ConditionKind::frames: return span.count() > 0 ? frames + " for " + exactSpanText(span) : frames;
    case ConditionKind::silent: return "no frame of " + frames + " for " + exactSpanText(span);
    case ConditionKind::load: return "load of " + busName + " above " + shortest(percent) + " % over " + exactSpanText(span);
    case ConditionKind::state: return busName + " is " + toText(state);
    case ConditionKind::begins: return "the run begins";
    case ConditionKind::after: return span.count() == 0 ? "from the run's begin on" : exactSpanText(span) + " behind the run's begin";
    case ConditionKind::every: return "every " + exactSpanText(span);
    case ConditionKind::disk: return "the disk is nearly full";
    case ConditionKind::lost: return busName.empty() ? "frames are lost" : "frames are lost on " + busName;
    case ConditionKind::key: return "key " + word;
    case ConditionKind::word: return "the word " + word;
    }
    return {};
}

}  // namespace wavetrope::rules
