// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/rehearsal.h"

#include <algorithm>

namespace wavetrope::rules {

namespace {

constexpr std::size_t none = ~std::size_t{0};
constexpr std::uint64_t askedEvery = 1U << 16U;     // rows, and instants without one

class Collected final : public RuleSink {
public:
    Collected(const trace::Snapshot& snapshot, const RuleSet& rules, const RehearsalOptions& options)
        : snapshot_(snapshot),
          options_(options),
          open_(rules.conditions.size(), none),
          running_(rules.recordings.size(), none),
          takes_(rules.recordings.size(), 0)
    {}

    void became(std::size_t condition, Time at, bool now) override
    {
        if (!options_.stretches)
            return;
        if (!now) {
            out_.stretches[open_[condition]].to = at;
            return;
        }
        open_[condition] = out_.stretches.size();
        out_.stretches.push_back({condition, at, std::nullopt, rules_->madeOn(condition)});
    }
    void takeBegins(std::size_t recording, Time at, const std::string& why) override
    {
        running_[recording] = out_.takes.size();
        out_.takes.push_back({recording, ++takes_[recording], at, why, at, {}, 0});
        if (options_.keeper != nullptr)
            options_.keeper->begins(out_.takes.back());
    }
    void keepsEarlier(std::size_t recording, trace::Row row) override
    {
        ++out_.takes[running_[recording]].frames;
        if (options_.keeper != nullptr)
            options_.keeper->keeps(recording, snapshot_.frame(row));
    }
    void keeps(std::size_t recording, trace::Row, const can::FrameView& frame) override
    {
        ++out_.takes[running_[recording]].frames;
        if (options_.keeper != nullptr)
            options_.keeper->keeps(recording, frame);
    }
    void takeEnds(std::size_t recording, Time at, const std::string& why) override
    {
        Take& take = out_.takes[running_[recording]];
        take.ends = at;
        take.whyEnds = why;
        if (options_.keeper != nullptr)
            options_.keeper->ends(take);
    }
    void follow(const Rules& rules) { rules_ = &rules; }
    [[nodiscard]] std::size_t stretches() const { return out_.stretches.size(); }
    Time stampOf(trace::Row row) override { return snapshot_.time(row); }

    Rehearsed take()
    {
        std::stable_sort(out_.stretches.begin(), out_.stretches.end(),
            [](const TrueStretch& a, const TrueStretch& b) { return a.from != b.from ? a.from < b.from : a.condition < b.condition; });
        std::stable_sort(out_.takes.begin(), out_.takes.end(),
            [](const Take& a, const Take& b) { return a.begins != b.begins ? a.begins < b.begins : a.recording < b.recording; });
        return std::move(out_);
    }

private:
    const trace::Snapshot& snapshot_;
    const RehearsalOptions& options_;
    const Rules* rules_ = nullptr;
    Rehearsed out_;
    std::vector<std::size_t> open_, running_;       // the newest of each condition and recording
    std::vector<std::uint64_t> takes_;
};

}  // namespace

Rehearsed rehearse(const trace::Snapshot& snapshot, RuleSet set, std::vector<can::BitRate> rates, const RehearsalOptions& options)
{
    Collected collected(snapshot, set, options);
    Rules rules(std::move(set), std::move(rates), collected);
    collected.follow(rules);
    trace::Row at = 0;
    std::uint64_t instants = 0;
    std::string problem;
    const auto within = [&] {
        if (collected.stretches() > options.mostStretches)
            problem = "conditions become true more than " + std::to_string(options.mostStretches) + " times";
        else if (instants > options.mostInstants)
            problem = "conditions come due more than " + std::to_string(options.mostInstants)
                      + " times: the stamps lie too far apart for how often they do";
        return problem.empty() && (!options.goesOn || options.goesOn(at));
    };
    rules.askEvery(askedEvery, [&] {
        instants += askedEvery;
        return within();
    });
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        at = row;
        if (rules.gaveUp() || (row % askedEvery == 0 && !within()))
            break;
        const can::FrameView frame = snapshot.frame(row);
        const trace::IdentifierIndex identifier = snapshot.identifier(row);
        rules.frame(row, frame, identifier, snapshot.trace().key(identifier));
    }
    rules.end("the log ends");
    Rehearsed out = collected.take();
    out.problem = std::move(problem);
    return out;
}

}  // namespace wavetrope::rules
