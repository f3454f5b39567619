// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/live_rules.h"

#include <algorithm>
#include <cstdio>
#include <filesystem>

#include "base/time_text.h"

namespace wavetrope::rig {

namespace {

constexpr std::size_t mostNoted = 1000;     // between two looks
constexpr std::size_t mostTakes = 10'000, mostStretches = 20'000;
constexpr int flushesBetweenDisk = 50;
constexpr std::size_t mostSettings = 1000;      // of the clock; of the time before nobody asks any more
constexpr std::size_t mostLate = 100'000;       // frames that were on their way when the clock was set

std::uint64_t freeOf(const std::string& folder)
{
    std::error_code code;
    const auto space = std::filesystem::space(folder, code);
    return code ? ~std::uint64_t{0} : space.available;
}

// 41,230
std::string grouped(std::uint64_t number)
{
    std::string out = std::to_string(number);
    for (std::size_t at = out.size(); at > 3; at -= 3)
        out.insert(at - 3, 1, ',');
    return out;
}

std::string tenths(Time span)
{
    char text[32];
    std::snprintf(text, sizeof text, "%.1f s", std::chrono::duration<double>(span).count());
    return text;
}

}  // namespace

std::unique_ptr<LiveRules> LiveRules::create(const Rig& rig, CompiledRules compiled, const trace::Trace& trace,
    std::vector<can::BitRate> rates, const std::optional<TakesOptions>& takes)
{
    if (!takes)
        compiled.set.recordings.clear();
    auto live = std::unique_ptr<LiveRules>(new LiveRules(std::move(compiled), trace));
    const rules::RuleSet& set = live->compiled_.set;
    live->facts_.resize(set.conditions.size());
    if (takes) {
        live->options_ = *takes;
        if (!live->options_.freeSpace)
            live->options_.freeSpace = freeOf;
    }
    for (std::size_t r = 0; r < set.recordings.size(); ++r) {
        const RecordingSpec& spec = rig.recordings[live->compiled_.recordings[r]];
        auto writer = record::TakeWriter::create(spec.name, spec.files, takes->folder, trace.buses(), live->workers_);
        live->problems_.push_back(writer ? std::string() : writer.error().text());
        live->writers_.push_back(writer ? std::move(*writer) : nullptr);
        live->never_.push_back(rules::neverWords(set.recordings[r], set.conditions));
    }
    live->newest_.resize(set.recordings.size());
    rules::RuleSet all = set;
    for (const auto& rule : {live->compiled_.plays, live->compiled_.rests})
        if (rule)
            all.recordings.push_back(*rule);
    live->rules_ = std::make_unique<rules::Rules>(std::move(all), std::move(rates), *live);
    return live;
}

void LiveRules::begin(Time origin)
{
    for (const auto& writer : writers_)
        if (writer)
            writer->takeUp();
    rules_->begin(origin);
}

void LiveRules::end(const std::string& why)
{
    rules_->end(why);
    for (const auto& writer : writers_)
        if (writer)
            writer->settle();
}

void LiveRules::frame(trace::Row row, const can::FrameView& frame)
{
    const trace::TraceKey key = trace::TraceKey::of(frame);
    auto found = identifiers_.find(key.packed());
    if (found == identifiers_.end())
        found = identifiers_.emplace(key.packed(), static_cast<trace::IdentifierIndex>(identifiers_.size())).first;
    if (settings_.empty())
        return rules_->frame(row, frame, found->second, key);
    can::FrameView told = frame;
    told.time = runTime(row, frame.time);
    rules_->frame(row, told, found->second, key);
}

void LiveRules::clockSet(Time by)
{
    set_ += by;
    settings_.emplace_back(trace_.rows(), set_);
    if (settings_.size() > mostSettings)
        settings_.erase(settings_.begin());
}

// What was stamped before the clock was set may come behind that: of the two, the time that is nearer to that of the rules.
Time LiveRules::runTime(trace::Row row, Time stamp)
{
    const Time now = stamp - set_;
    const Time before = stamp - (settings_.size() > 1 ? settings_[settings_.size() - 2].second : Time{0});
    const auto apart = [&](Time time) { return std::chrono::abs(time - rules_->instant()); };
    if (apart(now) <= apart(before))
        return now;
    if (late_.size() < mostLate)
        late_.push_back(row);
    return before;
}

// How far the machine's clock was from that of the rules when a row was stamped.
Time LiveRules::setBefore(trace::Row row) const
{
    auto behind = std::upper_bound(
        settings_.begin(), settings_.end(), row, [](trace::Row of, const auto& setting) { return of < setting.first; });
    if (behind != settings_.begin() && std::binary_search(late_.begin(), late_.end(), row))
        --behind;
    return behind == settings_.begin() ? Time{0} : std::prev(behind)->second;
}

void LiveRules::flush(Time now)
{
    for (const auto& writer : writers_)
        if (writer)
            writer->flush();
    if (writers_.empty() || --untilDisk_ > 0)
        return;
    untilDisk_ = flushesBetweenDisk;
    bool full = options_.freeSpace(options_.folder) < options_.leaveFree;
    if (full != nearlyFull_)
        rules_->diskNearlyFull(nearlyFull_ = full, now);
    if (full)
        for (const auto& writer : writers_)
            if (writer)
                writer->settle();
    // The oldest takes go first, of whatever recording, unless they stay for good.
    while (full) {
        record::TakeWriter* oldest = nullptr;
        for (const auto& writer : writers_)
            if (writer && writer->oldest() != 0 && (oldest == nullptr || writer->oldest() < oldest->oldest()))
                oldest = writer.get();
        if (oldest == nullptr || !oldest->dropOldest())
            break;
        full = options_.freeSpace(options_.folder) < options_.leaveFree;
    }
}

void LiveRules::became(std::size_t condition, Time at, bool now)
{
    at += set_;
    facts_[condition].met += now ? 1 : 0;
    facts_[condition].last = at;
    ++changes_;
    if (!now) {
        if (facts_[condition].open >= stretchesForgotten_)
            stretches_[static_cast<std::size_t>(facts_[condition].open - stretchesForgotten_)].to = at;
        return;
    }
    if (condition < noted_.size() && noted_[condition] && fresh_.size() < mostNoted) {
        const rules::ConditionRule& rule = rules_->rules().conditions[condition];
        const bool lasts = rule.kind == rules::ConditionKind::frames || rule.kind == rules::ConditionKind::silent;
        fresh_.push_back({rule.name, lasts ? at - rule.span : at, at, static_cast<std::uint8_t>(std::max(0, rule.bus))});
    }
    if (heeded_)
        heeded_(rules_->rules().conditions[condition].name);
    facts_[condition].open = stretchesForgotten_ + stretches_.size();
    stretches_.push_back({condition, at, std::nullopt});
    if (stretches_.size() > mostStretches) {
        stretches_.pop_front();
        ++stretchesForgotten_;
    }
}

rules::Take* LiveRules::current(std::size_t recording)
{
    return newest_[recording] < forgotten_ ? nullptr : &takes_[static_cast<std::size_t>(newest_[recording] - forgotten_)];
}

void LiveRules::takeBegins(std::size_t recording, Time at, const std::string& why)
{
    if (drives(recording)) {
        if (driven_)
            driven_(compiled_.plays.has_value() && recording == writers_.size());
        return;
    }
    at += set_;
    const std::uint64_t number = rules_->stateOf(recording).takes;
    newest_[recording] = forgotten_ + takes_.size();
    takes_.push_back({recording, number, at, why, at, {}, 0});
    takeFiles_.emplace_back();
    if (takes_.size() > mostTakes) {
        takes_.pop_front();
        takeFiles_.pop_front();
        ++forgotten_;
    }
    ++changes_;
    if (writers_[recording])
        writers_[recording]->begin(number, at, why);
}

void LiveRules::keepsEarlier(std::size_t recording, trace::Row row)
{
    if (drives(recording))
        return;
    if (trace_.isGone(row)) {
        if (writers_[recording])
            writers_[recording]->lose(1);
        return;
    }
    keeps(recording, row, trace_.snapshot().frame(row));
}

void LiveRules::keeps(std::size_t recording, trace::Row row, const can::FrameView& frame)
{
    if (drives(recording))
        return;
    if (rules::Take* take = current(recording); take != nullptr)
        ++take->frames;
    if (writers_[recording])
        writers_[recording]->write(settings_.empty() ? frame : trace_.snapshot().frame(row));     // as it was stamped
}

void LiveRules::takeEnds(std::size_t recording, Time at, const std::string& why)
{
    if (drives(recording))
        return;
    ++changes_;
    if (writers_[recording])
        writers_[recording]->end();
    if (rules::Take* take = current(recording); take != nullptr) {
        take->ends = at + set_;
        take->whyEnds = why;
        if (writers_[recording])
            takeFiles_[static_cast<std::size_t>(newest_[recording] - forgotten_)] = writers_[recording]->takeFiles();
    }
}

// Of what memory let go the stamp is not known: it counts as lost.
Time LiveRules::stampOf(trace::Row row) { return trace_.isGone(row) ? Time::max() : trace_.snapshot().time(row) - setBefore(row); }

std::optional<bool> LiveRules::holds(const std::string& name) const
{
    const auto& conditions = compiled_.set.conditions;
    for (std::size_t c = 0; c < conditions.size(); ++c)
        if (conditions[c].name == name)
            return rules_->isTrue(c);
    return std::nullopt;
}

std::vector<ConditionReport> LiveRules::conditions() const
{
    std::vector<ConditionReport> out;
    const auto& conditions = compiled_.set.conditions;
    for (std::size_t c = 0; c < conditions.size(); ++c) {
        out.push_back({conditions[c].name, conditions[c].words(), rules_->isTrue(c), facts_[c].met, facts_[c].last, conditions[c].known});
    }
    return out;
}

std::vector<TakingReport> LiveRules::recordings(Time now) const
{
    std::vector<TakingReport> out;
    for (std::size_t r = 0; r < writers_.size(); ++r) {
        const rules::RecordingRule& rule = compiled_.set.recordings[r];
        TakingReport report{compiled_.recordings[r], rule.name, rules_->stateOf(r),
            writers_[r] ? writers_[r]->report() : record::WriterReport{}, {}, never_[r]};
        if (!writers_[r])
            report.files.problem = problems_[r];
        using Phase = rules::Rules::Phase;
        switch (report.state.phase) {
        case Phase::armed: report.words = "armed: waits for " + (rule.start ? rule.start->text() : std::string("the run")); break;
        case Phase::keeps:
            report.words = "keeps: " + tenths(now - report.state.since) + ", " + grouped(report.files.frames) + " frames";
            break;
        case Phase::behind:
            report.words = rule.after.byFrames ? "behind the stop for " + grouped(report.state.framesLeft) + " frames"
                                               : "behind the stop for " + tenths(std::max(Time{0}, report.state.ends - now));
            break;
        case Phase::done: report.words = "done"; break;
        }
        out.push_back(std::move(report));
    }
    return out;
}

}  // namespace wavetrope::rig
