// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/filter_stream.h"

#include <utility>

namespace wavetrope::filter {

FilterStream::Known& FilterStream::known(const can::FrameView& frame)
{
    const trace::TraceKey key = trace::TraceKey::of(frame);
    if (const auto found = identifiers_.find(key.packed()); found != identifiers_.end())
        return found->second;
    const Understood& understood = *filter_.understood();
    Known made{key, Program(understood.tree.get(), understood, filter_.catalog(), key), {}, {}, 0};
    for (const SoonAfter* soon : understood.soons)
        made.inner.emplace_back(soon->inner.get(), understood, filter_.catalog(), key);
    made.past = made.whole.nothing();
    soon_.resize(understood.soons.size());
    soonNow_.resize(understood.soons.size());
    return identifiers_.emplace(key.packed(), std::move(made)).first->second;
}

void FilterStream::rebind(Filter filter)
{
    const Filter before = std::exchange(filter_, std::move(filter));    // programs look into it
    if (filter_.passesEverything())
        return;
    const Understood& understood = *filter_.understood();
    for (auto& [packed, of] : identifiers_) {
        of.whole = Program(understood.tree.get(), understood, filter_.catalog(), of.key);
        of.inner.clear();
        for (const SoonAfter* soon : understood.soons)
            of.inner.emplace_back(soon->inner.get(), understood, filter_.catalog(), of.key);
    }
}

bool FilterStream::passes(const can::FrameView& frame)
{
    if (filter_.passesEverything())
        return true;
    const Understood& understood = *filter_.understood();
    if (understood.tree == nullptr && !understood.thinning.perIdentifier)
        return understood.thinning.passes(matches_++);
    Known& of = known(frame);
    const Moment moment{&of.past, soon_.data(), origin_};
    bool passed = of.whole.matches(frame, moment);
    for (std::size_t slot = 0; slot < of.inner.size(); ++slot)
        soonNow_[slot] = of.inner[slot].matches(frame, moment);
    // What is remembered of this frame holds for the ones behind it.
    for (std::size_t slot = 0; slot < of.inner.size(); ++slot) {
        if (soonNow_[slot])
            soon_[slot] = frame.time;
        of.inner[slot].remember(frame, of.past);
    }
    of.whole.remember(frame, of.past);
    if (passed)
        passed = understood.thinning.passes(understood.thinning.perIdentifier ? of.matches++ : matches_++);
    return passed;
}

}  // namespace wavetrope::filter
