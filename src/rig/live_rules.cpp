// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/live_rules.h"

#include <algorithm>
#include <cstdio>
#include <filesystem>

#include "base/time_text.h"

namespace wavetrope::rig {

namespace {

constexpr std::size_t mostTakes = 10'000;
constexpr int flushesBetweenDisk = 50;

std::uint64_t freeOf(const std::string& folder)
{
    std::error_code code;
    const auto space = std::filesystem::space(folder, code);
    return code ? ~std::uint64_t{0} : space.available;
}

std::string tenths(Time span)
{
    char text[32];
    std::snprintf(text, sizeof text, "%.1f s", std::chrono::duration<double>(span).count());
    return text;
}

}  // namespace

Expected<std::unique_ptr<LiveRules>> LiveRules::create(const Rig& rig, CompiledRules compiled, const trace::Trace& trace,
    std::vector<can::BitRate> rates, const std::optional<TakesOptions>& takes)
{
    if (!takes)
        compiled.set.recordings.clear();
    auto live = std::unique_ptr<LiveRules>(new LiveRules(rig, std::move(compiled), trace));
    const rules::RuleSet& set = live->compiled_.set;
    live->facts_.resize(set.conditions.size());
    if (takes) {
        live->options_ = *takes;
        if (!live->options_.freeSpace)
            live->options_.freeSpace = freeOf;
    }
    for (std::size_t r = 0; r < set.recordings.size(); ++r) {
        const RecordingSpec& spec = rig.recordings[live->compiled_.recordings[r]];
        auto writer = record::TakeWriter::create(spec.name, spec.files, takes->folder, trace.buses());
        if (!writer) {
            Error error = writer.error();
            error.where = "recording " + spec.name + (error.where.empty() ? "" : ", " + error.where);
            return tl::unexpected(std::move(error));
        }
        live->writers_.push_back(std::move(*writer));
        live->never_.push_back(rules::neverWords(set.recordings[r], set.conditions));
    }
    live->newest_.resize(set.recordings.size());
    live->rules_ = std::make_unique<rules::Rules>(set, std::move(rates), *live);
    return live;
}

void LiveRules::frame(trace::Row row, const can::FrameView& frame)
{
    const trace::TraceKey key = trace::TraceKey::of(frame);
    const auto [found, fresh] = identifiers_.emplace(key.packed(), static_cast<trace::IdentifierIndex>(identifiers_.size()));
    rules_->frame(row, frame, found->second, key);
}

void LiveRules::flush(Time now)
{
    for (const auto& writer : writers_)
        writer->flush();
    if (writers_.empty() || --untilDisk_ > 0)
        return;
    untilDisk_ = flushesBetweenDisk;
    bool full = options_.freeSpace(options_.folder) < options_.leaveFree;
    if (full != nearlyFull_)
        rules_->diskNearlyFull(nearlyFull_ = full, now);
    // The oldest takes go first, of whatever recording, unless they stay for good.
    while (full) {
        record::TakeWriter* oldest = nullptr;
        for (const auto& writer : writers_)
            if (writer->oldest() != 0 && (oldest == nullptr || writer->oldest() < oldest->oldest()))
                oldest = writer.get();
        if (oldest == nullptr || !oldest->dropOldest())
            break;
        full = options_.freeSpace(options_.folder) < options_.leaveFree;
    }
}

void LiveRules::became(std::size_t condition, Time at, bool now)
{
    facts_[condition].met += now ? 1 : 0;
    facts_[condition].last = at;
}

rules::Take* LiveRules::current(std::size_t recording)
{
    return newest_[recording] < forgotten_ ? nullptr : &takes_[static_cast<std::size_t>(newest_[recording] - forgotten_)];
}

void LiveRules::takeBegins(std::size_t recording, Time at, const std::string& why)
{
    const std::uint64_t number = rules_->stateOf(recording).takes;
    newest_[recording] = forgotten_ + takes_.size();
    takes_.push_back({recording, number, at, why, at, {}, 0});
    if (takes_.size() > mostTakes) {
        takes_.pop_front();
        ++forgotten_;
    }
    writers_[recording]->begin(number, at, why);
}

void LiveRules::keepsEarlier(std::size_t recording, trace::Row row)
{
    if (trace_.isGone(row))
        return writers_[recording]->lose(1);
    keeps(recording, row, trace_.snapshot().frame(row));
}

void LiveRules::keeps(std::size_t recording, trace::Row, const can::FrameView& frame)
{
    if (rules::Take* take = current(recording); take != nullptr)
        ++take->frames;
    writers_[recording]->write(frame);
}

void LiveRules::takeEnds(std::size_t recording, Time at, const std::string& why)
{
    writers_[recording]->end();
    if (rules::Take* take = current(recording); take != nullptr) {
        take->ends = at;
        take->whyEnds = why;
    }
}

// Of what memory let go the stamp is not known: it counts as lost.
Time LiveRules::stampOf(trace::Row row) { return trace_.isGone(row) ? Time::max() : trace_.snapshot().time(row); }

std::vector<ConditionReport> LiveRules::conditions() const
{
    std::vector<ConditionReport> out;
    const auto& conditions = compiled_.set.conditions;
    for (std::size_t c = 0; c < conditions.size(); ++c) {
        const int bus = conditions[c].bus;
        out.push_back({conditions[c].name, conditions[c].words(bus < 0 ? std::string() : buses_[static_cast<std::size_t>(bus)]),
            rules_->isTrue(c), facts_[c].met, facts_[c].last, conditions[c].known});
    }
    return out;
}

std::vector<TakingReport> LiveRules::recordings(Time now) const
{
    std::vector<TakingReport> out;
    for (std::size_t r = 0; r < writers_.size(); ++r) {
        const rules::RecordingRule& rule = compiled_.set.recordings[r];
        TakingReport report{rule.name, rules_->stateOf(r), writers_[r]->report(), {}, never_[r]};
        using Phase = rules::Rules::Phase;
        switch (report.state.phase) {
        case Phase::armed: report.words = "armed: waits for " + (rule.start ? rule.start->text() : std::string("the run")); break;
        case Phase::keeps:
            report.words = "keeps: " + tenths(now - report.state.since) + ", " + std::to_string(report.files.frames) + " frames";
            break;
        case Phase::behind:
            report.words = rule.after.byFrames ? "behind the stop for " + std::to_string(report.state.framesLeft) + " frames"
                                               : "behind the stop for " + tenths(std::max(Time{0}, report.state.ends - now));
            break;
        case Phase::done: report.words = "done"; break;
        }
        out.push_back(std::move(report));
    }
    return out;
}

}  // namespace wavetrope::rig
