// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/derived_stream.h"

#include <algorithm>

namespace wavetrope::database {

DerivedStream::DerivedStream(std::shared_ptr<const Catalog> catalog, const std::vector<std::uint32_t>& wanted)
    : catalog_(std::move(catalog))
{
    std::vector<bool> needed(catalog_->derived().size());
    for (const std::uint32_t d : wanted)
        needed[d] = true;
    const std::vector<std::uint32_t>& order = catalog_->derivedOrder();
    for (auto at = order.rbegin(); at != order.rend(); ++at)
        if (needed[*at])
            for (const DerivedSignal::Input& input : catalog_->derived()[*at].inputs)
                if (input.signal.message == nullptr)
                    needed[input.derived] = true;
    std::vector<std::uint32_t> places(catalog_->derived().size());
    for (const std::uint32_t d : order) {
        if (!needed[d])
            continue;
        const DerivedSignal& derived = catalog_->derived()[d];
        const auto place = places[d] = static_cast<std::uint32_t>(followed_.size());
        Followed& followed = followed_.emplace_back(
            Followed{d, formula::Evaluator(derived.formula), std::vector<double>(derived.inputs.size()), {}, 0});
        for (const double& value : followed.values)
            followed.inputs.push_back(&value);
        passes_.emplace_back();
        for (std::uint32_t slot = 0; slot < derived.inputs.size(); ++slot) {
            const DerivedSignal::Input& input = derived.inputs[slot];
            if (input.signal.message != nullptr)
                byMessage_[input.signal.message].push_back({input.signal.index, place, slot});
            else
                passes_[places[input.derived]].push_back({place, slot});
        }
    }
}

void DerivedStream::takeOver(DerivedStream& former)
{
    for (Followed& followed : followed_)
        for (Followed& before : former.followed_)
            if (before.derived == followed.derived && before.values.size() == followed.values.size()) {
                followed.evaluator = std::move(before.evaluator);
                std::copy(before.values.begin(), before.values.end(), followed.values.begin());     // others look at where they stand
            }
}

const std::vector<DerivedStream::Sample>& DerivedStream::take(const can::FrameView& frame)
{
    samples_.clear();
    const CatalogMessage* message = catalog_->find(frame);
    const auto feeds = message == nullptr ? byMessage_.end() : byMessage_.find(message);
    if (feeds == byMessage_.end())
        return samples_;
    bool any = false;
    for (const Feed& feed : feeds->second) {
        Decoded decoded;
        if (!message->plan.decodeOne(frame, feed.signal, decoded))
            continue;
        Followed& followed = followed_[feed.followed];
        followed.values[feed.slot] = decoded.value;
        followed.touched |= std::uint64_t{1} << feed.slot;
        any = true;
    }
    for (std::size_t place = 0; any && place < followed_.size(); ++place) {
        Followed& followed = followed_[place];
        if (followed.touched == 0)
            continue;
        double value = 0;
        const std::uint64_t touched = std::exchange(followed.touched, 0);
        if (followed.evaluator.evaluate({&frame.time, 1}, followed.inputs, {&touched, 1}, &value) != 0)
            continue;
        samples_.push_back({followed.derived, value});
        for (const Pass& pass : passes_[place]) {
            followed_[pass.followed].values[pass.slot] = value;
            followed_[pass.followed].touched |= std::uint64_t{1} << pass.slot;
        }
    }
    return samples_;
}

}  // namespace wavetrope::database
