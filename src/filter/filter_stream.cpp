// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/filter_stream.h"

#include <cmath>
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
    if (derived_ != nullptr) {
        auto next = std::make_unique<database::DerivedStream>(filter_.sharedCatalog(), understood.derived);
        next->takeOver(*derived_);
        derived_ = std::move(next);
    }
    for (auto& [packed, of] : identifiers_) {
        of.whole = Program(understood.tree.get(), understood, filter_.catalog(), of.key);
        of.inner.clear();
        for (const SoonAfter* soon : understood.soons)
            of.inner.emplace_back(soon->inner.get(), understood, filter_.catalog(), of.key);
    }
}

const DerivedNow* FilterStream::follow(const can::FrameView& frame)
{
    const Understood& understood = *filter_.understood();
    if (understood.derived.empty())
        return nullptr;
    if (derived_ == nullptr) {
        derived_ = std::make_unique<database::DerivedStream>(filter_.sharedCatalog(), understood.derived);
        derivedNow_.resize(filter_.catalog().derived().size());
    }
    for (const std::uint32_t told : std::exchange(derivedTold_, {})) {
        DerivedNow& now = derivedNow_[told];
        now.before = now.value;
        now.value.reset();
    }
    // What is not finite is no sample.
    for (const database::DerivedStream::Sample& sample : derived_->take(frame))
        if (std::isfinite(sample.value)) {
            derivedNow_[sample.derived].value = sample.value;
            derivedTold_.push_back(sample.derived);
        }
    return derivedNow_.data();
}

bool FilterStream::passes(const can::FrameView& frame, const can::Payload* whole)
{
    if (filter_.passesEverything())
        return true;
    const Understood& understood = *filter_.understood();
    const DerivedNow* derived = follow(frame);
    if (understood.tree == nullptr && !understood.thinning.perIdentifier)
        return understood.thinning.passes(matches_++);
    Known& of = known(frame);
    const Moment moment{&of.past, soon_.data(), origin_, derived, whole};
    bool passed = of.whole.matches(frame, moment);
    for (std::size_t slot = 0; slot < of.inner.size(); ++slot)
        soonNow_[slot] = of.inner[slot].matches(frame, moment);
    // What is remembered of this frame holds for the ones behind it.
    for (std::size_t slot = 0; slot < of.inner.size(); ++slot) {
        if (soonNow_[slot])
            soon_[slot] = frame.time;
        of.inner[slot].remember(frame, of.past, whole);
    }
    of.whole.remember(frame, of.past, whole);
    if (passed)
        passed = understood.thinning.passes(understood.thinning.perIdentifier ? of.matches++ : matches_++);
    return passed;
}

}  // namespace wavetrope::filter
