// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/record/rehearsing.h"

#include <chrono>
#include <utility>

#include "app/stage/rule_desk.h"

namespace wavetrope::app {

namespace {

constexpr Time cheapRehearsal = std::chrono::milliseconds(250);
constexpr std::uint64_t mostRowsForReasons = 50'000'000;

}  // namespace

Rehearsing::Rehearsing(Stage& stage, QObject* parent) : QObject(parent), stage_(stage) {}

Rehearsing::~Rehearsing()
{
    leaving_ = true;
    if (thread_.joinable())
        thread_.join();
}

bool Rehearsing::cheap() const { return took_ < cheapRehearsal; }

// Made anew where rules or databases are others.
const rig::CompiledRules& Rehearsing::compiled()
{
    const RunDocument& document = stage_.document();
    if (compiledGeneration_ == generation_ && compiledCatalog_ == document.catalog() && compiledBuses_ == document.buses().size())
        return compiled_;
    std::vector<std::string> names;
    for (const trace::TraceBus& bus : document.buses())
        names.push_back(bus.name);
    compiled_ = rig::rulesOf(stage_.document().rig(), document.catalog(), names);
    compiledGeneration_ = generation_;
    compiledCatalog_ = document.catalog();
    compiledBuses_ = names.size();
    return compiled_;
}

void Rehearsing::begin()
{
    RunDocument& document = stage_.document();
    const trace::Snapshot& snapshot = stage_.snapshot();
    if (!document.ready() || !snapshot.valid() || (thread_.joinable() && goingGeneration_ == generation_))
        return;
    if (thread_.joinable()) {
        leaving_ = true;
        thread_.join();
        leaving_ = false;
    }
    if (done() && rows_ == snapshot.rows())
        return;
    std::vector<can::BitRate> rates;
    for (const trace::TraceBus& bus : document.buses())
        rates.push_back(bus.rate);
    goingGeneration_ = generation_;
    rehearsedCatalog_ = document.catalog();
    thread_ = std::thread(
        [this, snapshot, rules = compiled(), rates, generation = generation_] { work(snapshot, rules, rates, generation); });
}

// On the thread of its own.
void Rehearsing::work(
    const trace::Snapshot& snapshot, const rig::CompiledRules& compiled, const std::vector<can::BitRate>& rates, std::uint64_t generation)
{
    const auto began = std::chrono::steady_clock::now();
    rules::RehearsalOptions options;
    options.goesOn = [this](std::uint64_t) { return !leaving_; };
    Outcome out;
    out.result = std::make_shared<const rules::Rehearsed>(rules::rehearse(snapshot, compiled.set, rates, options));
    out.recordings = compiled.recordings;
    out.rows = snapshot.rows();
    // What was never true: why.
    const auto& conditions = compiled.set.conditions;
    std::vector<bool> met(conditions.size());
    for (const rules::TrueStretch& stretch : out.result->stretches)
        met[stretch.condition] = true;
    std::uint64_t budget = mostRowsForReasons;
    for (std::size_t i = 0; i < conditions.size() && budget >= snapshot.rows() && !leaving_; ++i)
        if (!met[i]) {
            budget -= snapshot.rows();
            if (auto miss = rules::nearMiss(snapshot, conditions[i], rates, [this] { return !leaving_; }))
                out.misses[conditions[i].name] = std::move(*miss);
        }
    if (leaving_)
        return;
    out.took = std::chrono::steady_clock::now() - began;
    QMetaObject::invokeMethod(this, [this, out = std::move(out), generation] { take(out, generation); });
}

void Rehearsing::take(Outcome outcome, std::uint64_t generation)
{
    if (generation != goingGeneration_)
        return;     // another was begun in between
    thread_.join();
    result_ = std::move(outcome.result);
    recordings_ = std::move(outcome.recordings);
    misses_ = std::move(outcome.misses);
    rows_ = outcome.rows;
    took_ = outcome.took;
    doneGeneration_ = generation;
    stage_.rules().setMisses(misses_);
    Q_EMIT finished();
}

}  // namespace wavetrope::app
