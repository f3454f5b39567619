// SPDX-License-Identifier: GPL-3.0-or-later
#include "rules/rules.h"

#include <algorithm>
#include <utility>

namespace wavetrope::rules {

namespace {

// Of error frames, as the kernel's interface has them (linux/can/error.h).
constexpr std::uint32_t classController = 0x4, classBusOff = 0x40, classRestarted = 0x100, classCounters = 0x200;
constexpr std::uint8_t receivePassive = 0x10, transmitPassive = 0x20, activeAgain = 0x40, warning = 0x0C;
constexpr unsigned passiveFrom = 128;   // ISO 11898-1:2015, 12.1.4.2
constexpr std::size_t kinds = 4;

}  // namespace

Rules::Rules(RuleSet rules, std::vector<can::BitRate> rates, RuleSink& sink) : rules_(std::move(rules)), sink_(sink)
{
    for (const can::BitRate& rate : rates)
        times_.push_back(rate.known() ? std::optional<can::BitTimes>(rate) : std::nullopt);
    for (const ConditionRule& rule : rules_.conditions) {
        Followed& followed = conditions_.emplace_back();
        followed.rule = &rule;
        followed.momentary = rule.momentary();
        if (rule.kind == ConditionKind::frames || rule.kind == ConditionKind::silent)
            followed.stream = std::make_unique<filter::FilterStream>(rule.filter);
        if (rule.kind == ConditionKind::load && rule.bus >= 0 && static_cast<std::size_t>(rule.bus) < rates.size()
            && rates[static_cast<std::size_t>(rule.bus)].known())
            followed.load = std::make_unique<LoadWindow>(rule.span, rule.percent);
    }
    for (std::size_t r = 0; r < rules_.recordings.size(); ++r) {
        const RecordingRule& rule = rules_.recordings[r];
        recordings_.emplace_back(rule);
        for (const auto* terms : {&rule.start, &rule.stop})
            if (*terms)
                for (const std::size_t condition : (*terms)->conditions()) {
                    auto& named = conditions_[condition].recordings;
                    if (named.empty() || named.back() != r)
                        named.push_back(static_cast<std::uint32_t>(r));
                }
    }
}

Rules::Due& Rules::dueOf(const Entry& entry)
{
    switch (entry.what) {
    case What::begins: return conditions_[entry.index].begins;
    case What::stays: return conditions_[entry.index].stays;
    case What::falls: return conditions_[entry.index].falls;
    case What::take: break;
    }
    return recordings_[entry.index].end;
}

// What is put off stays queued where it was and is looked at again there.
void Rules::schedule(std::size_t index, What what, Time at)
{
    const Entry entry{at, static_cast<std::uint32_t>(index), what};
    Due& due = dueOf(entry);
    due.at = at;
    if (at >= due.queued)
        return;
    due.queued = at;
    (what == What::begins ? beginning_ : ending_).push(entry);
}

template <class Do>
void Rules::popDue(Queue& queue, Do act)
{
    while (!queue.empty() && queue.top().at <= instant_) {
        const Entry entry = queue.top();
        queue.pop();
        Due& due = dueOf(entry);
        if (entry.at != due.queued)
            continue;  // a former entry of something that came to be due earlier
        due.queued = never;
        if (due.at > instant_) {
            if (due.at != never)
                schedule(entry.index, entry.what, due.at);
            continue;
        }
        due.at = never;
        act(entry);
    }
}

namespace {

// An instant so long behind another; what lies behind all time never comes.
Time behind(Time at, Time span) { return at > Time::max() - span ? Time::max() : at + span; }

}  // namespace

void Rules::begin(Time origin)
{
    instant_ = origin;
    begun_ = open_ = true;
    for (std::size_t c = 0; c < conditions_.size(); ++c) {
        Followed& condition = conditions_[c];
        if (condition.stream)
            condition.stream->setOrigin(origin);
        if (condition.rule->kind == ConditionKind::begins)
            moment(c);
        else if (condition.rule->kind == ConditionKind::after && condition.rule->span.count() == 0)
            set(c, true);
        else if (condition.rule->kind == ConditionKind::after || condition.rule->kind == ConditionKind::every)
            schedule(c, What::begins, behind(origin, condition.rule->span));
    }
    for (std::size_t r = 0; r < recordings_.size(); ++r) {
        recordings_[r].keep.setOrigin(origin);
        if (!std::exchange(recordings_[r].dirty, true))
            dirty_.push_back(static_cast<std::uint32_t>(r));
    }
    evaluate();
}

void Rules::arrive(Time at)
{
    at = std::max(at, instant_);
    ++step_;
    if (at > instant_) {
        if (open_)
            timeEnds();
        runTimers(at);
        instant_ = at;
        timeBegins();
        ++step_;
    }
    open_ = true;
}

void Rules::runTimers(Time before)
{
    for (;;) {
        const Time next = std::min(beginning_.empty() ? never : beginning_.top().at, ending_.empty() ? never : ending_.top().at);
        if (next >= before || gaveUp_)
            return;
        if (askEvery_ > 0 && ++byItself_ % askEvery_ == 0 && !goesOn_()) {
            gaveUp_ = true;
            return;
        }
        instant_ = std::max(instant_, next);
        timeBegins();
        timeEnds();
    }
}

void Rules::timeBegins()
{
    ++step_;
    popDue(beginning_, [&](const Entry& entry) {
        const ConditionRule& rule = *conditions_[entry.index].rule;
        if (rule.kind == ConditionKind::every) {
            moment(entry.index);
            schedule(entry.index, What::begins, behind(instant_, rule.span));
        } else {
            set(entry.index, true);
        }
    });
    evaluate();
}

void Rules::timeEnds()
{
    ++step_;
    open_ = false;
    for (const std::uint32_t condition : std::exchange(moments_, {}))
        set(condition, false);
    std::vector<std::uint32_t> takes;
    popDue(ending_, [&](const Entry& entry) {
        switch (entry.what) {
        case What::stays:
            if (!conditions_[entry.index].raw) {
                conditions_[entry.index].counts = false;
                change(entry.index);
            }
            break;
        case What::falls:
            if (conditions_[entry.index].load->above(instant_))
                schedule(entry.index, What::falls, conditions_[entry.index].load->fallsAt(instant_));
            else
                set(entry.index, false);
            break;
        default: takes.push_back(entry.index); break;
        }
    });
    evaluate();
    // Last the takes: those whose time is over, and those that were just stopped with none to come.
    popDue(ending_, [&](const Entry& entry) {
        if (entry.what == What::take)
            takes.push_back(entry.index);
    });
    for (const std::uint32_t take : takes)
        if (recordings_[take].running && recordings_[take].stopping)
            endTake(take, recordings_[take].why);
}

void Rules::settle(Time until)
{
    if (!begun_ || until < instant_)
        return;
    if (open_)
        timeEnds();
    if (until < never)
        runTimers(until + Time(1));
    instant_ = until;
}

void Rules::end(const std::string& why)
{
    if (!begun_)
        return;
    if (open_)
        timeEnds();
    for (std::size_t r = 0; r < recordings_.size(); ++r)
        if (recordings_[r].running)
            endTake(r, why);
}

const Rules::OfIdentifier& Rules::toldBy(trace::IdentifierIndex identifier, const trace::TraceKey& key, can::FrameKind kind)
{
    const std::size_t place = std::size_t{identifier} * kinds + static_cast<std::size_t>(kind);
    if (place >= identifiers_.size())
        identifiers_.resize((std::size_t{identifier} + 1) * kinds);
    OfIdentifier& of = identifiers_[place];
    if (of.known)
        return of;
    of.known = true;
    for (std::size_t c = 0; c < conditions_.size(); ++c) {
        const ConditionRule& rule = *conditions_[c].rule;
        if (!rule.known)
            continue;
        filter::Verdict verdict = filter::Verdict::never;
        bool feeds = false;
        if (conditions_[c].stream) {
            verdict = rule.filter.verdict(key, kind);
            feeds = rule.filter.needsOthers();
        } else if ((rule.kind == ConditionKind::load && conditions_[c].load) || rule.kind == ConditionKind::state) {
            verdict = rule.bus == key.bus ? filter::Verdict::always : filter::Verdict::never;
        }
        if (verdict != filter::Verdict::never || feeds)
            of.conditions.push_back({static_cast<std::uint32_t>(c), verdict});
    }
    for (const Recording& recording : recordings_) {
        const filter::Verdict verdict = recording.rule->keep.verdict(key, kind);
        of.keep.push_back(recording.rule->keep.needsOthers() ? filter::Verdict::depends : verdict);
    }
    return of;
}

void Rules::tellFrame(const Told& told, const can::FrameView& frame)
{
    Followed& condition = conditions_[told.index];
    const ConditionRule& rule = *condition.rule;
    if (rule.kind == ConditionKind::load) {
        if (!occupies_) {
            const can::WireLength bits = can::wireLength(frame);
            const can::BitTimes& times = *times_[frame.bus];
            const Time from = instant_ - times.duration(bits);
            occupies_.emplace(from, from + times.occupancy(bits));
        }
        condition.load->add(occupies_->first, occupies_->second);
        if (condition.load->above(instant_)) {
            set(told.index, true);
            if (condition.falls.at == never)
                schedule(told.index, What::falls, condition.load->fallsAt(instant_));
        }
        return;
    }
    if (rule.kind == ConditionKind::state) {
        followState(condition, frame);
        return;
    }
    const bool looks = told.verdict != filter::Verdict::always || rule.filter.needsOthers();
    const bool passes = looks ? condition.stream->passes(frame) : true;
    if (told.verdict == filter::Verdict::never)
        return;
    if (rule.kind == ConditionKind::silent) {
        if (passes) {
            set(told.index, false);
            schedule(told.index, What::begins, behind(instant_, rule.span));
        }
    } else if (condition.momentary) {
        if (passes && rule.span.count() == 0) {
            condition.bus = frame.bus;
            moment(told.index);
        }
    } else if (!passes) {
        condition.base = false;
        condition.begins.at = never;
        set(told.index, false);
    } else if (!condition.base) {
        condition.base = true;
        condition.bus = frame.bus;
        if (rule.span.count() == 0)
            set(told.index, true);
        else
            schedule(told.index, What::begins, behind(instant_, rule.span));
    }
}

// Of a log there are only the error frames to go by; a controller that receives is not bus off.
void Rules::followState(Followed& condition, const can::FrameView& frame)
{
    const BusState state = condition.rule->state;
    const auto index = static_cast<std::size_t>(&condition - conditions_.data());
    if (state == BusState::gone)
        return;
    const bool error = frame.kind == can::FrameKind::error;
    const std::uint32_t classes = error ? frame.id.value : 0;
    const bool off = (classes & classBusOff) != 0;
    if (state == BusState::busOff) {
        set(index, off);
        return;
    }
    if (!error)
        return;
    const auto byte = [&](unsigned at) { return at < frame.length ? frame.data[at] : std::uint8_t{0}; };
    const bool controller = (classes & classController) != 0;
    const bool counters = (classes & classCounters) != 0;
    if (off || (classes & classRestarted) != 0)
        set(index, false);
    else if (controller && (byte(1) & (receivePassive | transmitPassive)) != 0)
        set(index, true);
    else if (counters)
        set(index, byte(6) >= passiveFrom || byte(7) >= passiveFrom);
    else if (controller && (byte(1) & (activeAgain | warning)) != 0)
        set(index, false);
}

void Rules::frame(trace::Row row, const can::FrameView& frame, trace::IdentifierIndex identifier, const trace::TraceKey& key)
{
    if (gaveUp_)
        return;
    if (!begun_)
        begin(frame.time);
    arrive(frame.time);
    const OfIdentifier& of = toldBy(identifier, key, frame.kind);
    occupies_.reset();
    for (const Told& told : of.conditions)
        tellFrame(told, frame);
    evaluate();
    for (std::size_t r = 0; r < recordings_.size(); ++r) {
        Recording& recording = recordings_[r];
        const filter::Verdict verdict = of.keep[r];
        const bool passes = verdict == filter::Verdict::always || (verdict == filter::Verdict::depends && recording.keep.passes(frame));
        const bool counts = recording.stopping && recording.rule->after.byFrames;
        if (counts && recording.framesLeft == 0 && recording.stoppedIn != step_)
            endTake(r, recording.why);
        if (recording.running && passes) {
            sink_.keeps(r, row, frame);
            if (counts && recording.stoppedIn != step_ && --recording.framesLeft == 0)
                endTake(r, recording.why);
        } else if (passes && !recording.done) {
            recording.earlier.add(row, frame.time, instant_);
        }
    }
}

void Rules::say(ConditionKind kind, const std::string& word, Time at)
{
    if (!begun_)
        return;
    arrive(at);
    for (std::size_t c = 0; c < conditions_.size(); ++c)
        if (conditions_[c].rule->kind == kind && conditions_[c].rule->word == word)
            moment(c);
    evaluate();
}

void Rules::lose(int bus, Time at)
{
    if (!begun_)
        return;
    arrive(at);
    for (std::size_t c = 0; c < conditions_.size(); ++c)
        if (conditions_[c].rule->kind == ConditionKind::lost && (conditions_[c].rule->bus < 0 || conditions_[c].rule->bus == bus))
            moment(c);
    evaluate();
}

void Rules::gone(int bus, bool is, Time at)
{
    if (!begun_)
        return;
    arrive(at);
    for (std::size_t c = 0; c < conditions_.size(); ++c)
        if (const ConditionRule& rule = *conditions_[c].rule;
            rule.kind == ConditionKind::state && rule.state == BusState::gone && rule.bus == bus)
            set(c, is);
    evaluate();
}

void Rules::diskNearlyFull(bool is, Time at)
{
    if (!begun_)
        return;
    arrive(at);
    for (std::size_t c = 0; c < conditions_.size(); ++c)
        if (conditions_[c].rule->kind == ConditionKind::disk)
            set(c, is);
    evaluate();
}

void Rules::startByHand(std::size_t index, Time at)
{
    if (!begun_)
        return;
    arrive(at);
    if (Recording& recording = recordings_[index]; recording.running)
        recording.stopping = false;     // it goes on
    else
        beginTake(index, "by hand");
    recordings_[index].byHand = true;
    recordings_[index].end.at = never;
}

void Rules::stopByHand(std::size_t index, Time at)
{
    if (!begun_ || !recordings_[index].running)
        return;
    arrive(at);
    recordings_[index].byHand = true;
    if (recordings_[index].stopping)
        endTake(index, "by hand");      // asked for twice: at once
    else
        stopTake(index, "by hand");
}

void Rules::moment(std::size_t condition)
{
    if (conditions_[condition].raw)
        return;
    moments_.push_back(static_cast<std::uint32_t>(condition));
    set(condition, true);
}

void Rules::set(std::size_t index, bool now)
{
    Followed& condition = conditions_[index];
    if (condition.raw == now)
        return;
    condition.raw = now;
    sink_.became(index, instant_, now);
    const bool counted = condition.counts;
    if (now) {
        condition.counts = true;
        condition.stays.at = never;
    } else if (condition.rule->stays.count() > 0) {
        schedule(index, What::stays, behind(instant_, condition.rule->stays));
    } else {
        condition.counts = false;
    }
    if (condition.counts != counted)
        change(index);
}

void Rules::change(std::size_t index)
{
    Followed& condition = conditions_[index];
    if (!std::exchange(condition.changed, true))
        changed_.push_back(static_cast<std::uint32_t>(index));
    for (const std::uint32_t recording : condition.recordings)
        if (!std::exchange(recordings_[recording].dirty, true))
            dirty_.push_back(recording);
}

// The end of a step.
void Rules::evaluate()
{
    for (const std::uint32_t recording : dirty_)
        evaluate(recording);
    dirty_.clear();
    for (const std::uint32_t condition : changed_)
        conditions_[condition].changed = false;
    changed_.clear();
}

void Rules::evaluate(std::size_t index)
{
    Recording& recording = recordings_[index];
    const RecordingRule& rule = *recording.rule;
    recording.dirty = false;
    const auto truth = [&](std::size_t condition) { return conditions_[condition].counts; };
    const bool was = recording.start;
    recording.start = rule.start && rule.start->holds(truth);
    const bool stopped = std::exchange(recording.stop, rule.stop && rule.stop->holds(truth));
    const bool stops = recording.stop && !stopped;
    if (!recording.running && !recording.done && (rule.start ? recording.start && !was : recording.takes == 0))
        beginTake(index, rule.start ? changesIn(*rule.start) : "run begins");
    if (!recording.running)
        return;
    if (rule.stop) {
        if (stops && !recording.stopping)
            stopTake(index, changesIn(*rule.stop));
    } else if (rule.start && !recording.byHand) {
        if (!recording.start && !recording.stopping) {
            stopTake(index, changesIn(*rule.start));
        } else if (recording.start && recording.stopping) {
            recording.stopping = false;  // a new start prolongs it
            recording.end.at = never;
        }
    }
}

std::string Rules::changesIn(const Terms& terms) const
{
    std::string out;
    for (const std::size_t condition : terms.conditions())
        if (conditions_[condition].changed)
            out += (out.empty() ? "" : ", ") + std::string(conditions_[condition].counts ? "" : "not ") + conditions_[condition].rule->name;
    return out.empty() ? "run begins" : out;
}

void Rules::beginTake(std::size_t index, std::string why)
{
    Recording& recording = recordings_[index];
    recording.running = true;
    recording.stopping = recording.byHand = false;
    ++recording.takes;
    recording.since = instant_;
    sink_.takeBegins(index, instant_, why);
    recording.earlier.release(
        instant_, [&](trace::Row row) { return sink_.stampOf(row); }, [&](trace::Row row) { sink_.keepsEarlier(index, row); });
}

void Rules::stopTake(std::size_t index, std::string why)
{
    Recording& recording = recordings_[index];
    const Margin& after = recording.rule->after;
    recording.stopping = true;
    recording.stoppedIn = step_;
    recording.why = std::move(why);
    recording.framesLeft = after.frames;
    if (!after.byFrames || after.frames == 0)
        schedule(index, What::take, behind(instant_, after.byFrames ? Time{0} : after.span));
}

void Rules::endTake(std::size_t index, const std::string& why)
{
    Recording& recording = recordings_[index];
    recording.running = recording.stopping = recording.byHand = false;
    recording.end.at = never;
    recording.done = !recording.rule->again || !recording.rule->start;
    sink_.takeEnds(index, instant_, why);
}

Rules::RecordingState Rules::stateOf(std::size_t index) const
{
    const Recording& recording = recordings_[index];
    RecordingState out;
    out.phase = recording.running ? (recording.stopping ? Phase::behind : Phase::keeps) : recording.done ? Phase::done : Phase::armed;
    out.takes = recording.takes;
    out.since = recording.since;
    out.ends = recording.end.at;
    out.framesLeft = recording.framesLeft;
    out.waiting = recording.earlier.count();
    out.waitingSince = recording.earlier.oldest();
    return out;
}

}  // namespace wavetrope::rules
