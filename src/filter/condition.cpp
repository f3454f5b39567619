// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/condition.h"

namespace wavetrope::filter {

ConditionStep Condition::next(const can::FrameView& frame, trace::IdentifierIndex identifier, const trace::TraceKey& key)
{
    if (verdicts_.size() <= identifier)
        verdicts_.resize(identifier + 1);
    if (!verdicts_[identifier])
        verdicts_[identifier] = spec_.filter.verdict(key);
    const Verdict verdict = *verdicts_[identifier];
    ConditionStep step;
    step.holds = counts_;
    if (verdict == Verdict::never && !spec_.filter.needsOthers())
        return step;
    const bool passes = stream_.passes(frame);
    if (verdict == Verdict::never)
        return step;
    step.says = true;
    const bool now = verdict == Verdict::always || passes;
    if (now && !true_)
        since_ = frame.time;
    const bool waits = !counts_ && (true_ || now);
    // With a hold time, it held up to this frame, whatever this one says.
    if (waits && (spec_.hold.count() == 0 ? now : true_ && frame.time - since_ >= spec_.hold)) {
        counts_ = step.began = true;
        step.from = since_ + spec_.hold;
    }
    step.ended = counts_ && !now;
    counts_ = counts_ && now;
    true_ = now;
    step.holds = counts_;
    return step;
}

}  // namespace wavetrope::filter
