// SPDX-License-Identifier: GPL-3.0-or-later
#include "convert/frame_stream.h"

namespace wavetrope::convert {

std::uint8_t FrameStream::onBus(const trace::TraceBus& bus)
{
    if (nextBus_ == buses_.size()) {
        buses_.push_back(bus);
        busesChanged_ = true;
    }
    return static_cast<std::uint8_t>(nextBus_++);
}

bool FrameStream::ready(std::span<const can::FrameView> frames)
{
    if (failure_ || !good_)
        return false;
    if (!busesChanged_)
        return true;
    busesChanged_ = false;
    auto facts = std::make_shared<LogFacts>();
    facts->buses = buses_;
    facts->origin = facts_ != nullptr && begun_ ? facts_->origin : frames.empty() ? Time{0} : frames.front().time;
    auto catalog = work_.explain(buses_);
    if (!catalog) {
        failure_ = catalog.error();
        return false;
    }
    facts->catalog = *catalog;
    auto filter = work_.compile(*catalog);
    if (!filter) {
        failure_ = filter.error();
        return false;
    }
    if (filter_)
        filter_->rebind(std::move(*filter));
    else
        filter_.emplace(std::move(*filter), facts->origin);
    apart_ = !filter_->filter().needsOthers();
    if (const auto wanted = work_.derive ? work_.derive(**catalog) : std::vector<std::uint32_t>(); !wanted.empty()) {
        auto next = std::make_unique<database::DerivedStream>(*catalog, wanted);
        if (derived_)
            next->takeOver(*derived_);
        derived_ = std::move(next);
        wanted_.assign((*catalog)->derived().size(), false);
        for (const std::uint32_t derived : wanted)
            wanted_[derived] = true;
    }
    facts_ = std::move(facts);
    begun_ = begun_ || !frames.empty();
    return true;
}

FrameStream::Chosen FrameStream::choose(std::span<const can::FrameView> frames, bool all)
{
    Chosen chosen;
    if (!all)
        chosen.frames.reserve(frames.size());
    for (std::size_t i = 0; i < frames.size(); ++i) {
        const bool passes = all || filter_->passes(frames[i]);
        const std::size_t place = all ? i : chosen.frames.size();
        if (derived_)
            for (const database::DerivedStream::Sample& sample : derived_->take(frames[i]))
                if (passes && wanted_[sample.derived])
                    chosen.derived.push_back({place, sample.derived, sample.value});
        if (passes && !all)
            chosen.frames.push_back(frames[i]);
    }
    return chosen;
}

void FrameStream::onFrames(std::span<const can::FrameView> frames)
{
    deliver(0);
    if (frames.empty() || !ready(frames))
        return;
    Chosen chosen;
    const bool all = filter_->filter().passesEverything();
    if (!all || derived_)
        chosen = choose(frames, all);
    const std::span<const can::FrameView> passing = all ? frames : chosen.frames;
    good_ = good_ && (work_.take ? work_.take(*facts_, passing) : work_.write(work_.render(*facts_, passing, chosen.derived)));
}

void FrameStream::onStretch(std::shared_ptr<const formats::Stretch> stretch, Workers& workers)
{
    workers_ = &workers;
    if (!ready(stretch->frames))
        return;
    const auto made = [this](const std::shared_ptr<const LogFacts>& facts, const std::shared_ptr<const formats::Stretch>& of, Chosen chosen,
                          bool all) {
        const std::span<const can::FrameView> passing = all ? std::span<const can::FrameView>(of->frames) : chosen.frames;
        if (!work_.take)
            return Piece{work_.render(*facts, passing, chosen.derived), {}, nullptr, facts, all};
        return Piece{{}, std::move(chosen.frames), of, facts, all};
    };
    const bool all = filter_->filter().passesEverything();
    if (apart_ && !all && !derived_)
        pending_.push_back(workers.submit([made, stretch, facts = facts_, filter = filter_->filter()] {
            filter::FilterStream alone(filter, facts->origin);
            Chosen chosen;
            for (const can::FrameView& frame : stretch->frames)
                if (alone.passes(frame))
                    chosen.frames.push_back(frame);
            return made(facts, stretch, std::move(chosen), false);
        }));
    else
        pending_.push_back(
            workers.submit([made, stretch, all, facts = facts_, chosen = all && !derived_ ? Chosen() : choose(stretch->frames, all)] {
                return made(facts, stretch, chosen, all);
            }));
    deliver(workers.count() == 1 ? 0 : 2 * workers.count());
}

void FrameStream::hand(const Piece& piece)
{
    if (!work_.take)
        good_ = work_.write(piece.text);
    else
        good_ = work_.take(*piece.facts, piece.all ? std::span<const can::FrameView>(piece.stretch->frames) : piece.chosen);
}

void FrameStream::deliver(std::size_t left)
{
    while (pending_.size() > left) {
        const Piece piece = workers_->wait(pending_.front());
        pending_.pop_front();
        if (good_)
            hand(piece);
    }
}

void FrameStream::onEnd()
{
    deliver(0);
    workers_ = nullptr;
}

void FrameStream::finish() { (void)ready({}); }

bool FrameStream::onProgress(std::uint64_t done, std::uint64_t total)
{
    return good_ && !failure_ && (!work_.goesOn || work_.goesOn(done, total));
}

}  // namespace wavetrope::convert
