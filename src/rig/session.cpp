// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/session.h"

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <future>
#include <iterator>
#include <utility>

#include "base/background_thread.h"
#include "base/nearest_name.h"
#include "bus/absent_bus.h"
#include "drive/asker.h"
#include "rig/conditions.h"
#include "rig/manipulations.h"
#include "rig/rule_text.h"

namespace wavetrope::rig {

namespace {

constexpr Time setAtLeast = std::chrono::milliseconds(100);     // by less a clock is not set, but goes
constexpr Time sliceUnpaced = std::chrono::milliseconds(100);
constexpr Time slicePaced = std::chrono::milliseconds(4);
constexpr Time leastPause = std::chrono::microseconds(250);       // shorter ones would eat the turns that a busy machine gives
// A machine that is too slow falls behind in steps that measures and recorder keep up with, not in one leap.
constexpr Time longestStep = std::chrono::minutes(1);
constexpr Time longestSlice = std::chrono::milliseconds(100);

}  // namespace

// Every frame of every bus passes here once, on the driving thread.
class Session::Ingest final : public bus::Listener {
public:
    explicit Ingest(Session& session) : session_(session) {}
    void onFrame(const can::FrameView& frame, bus::Port) override
    {
        session_.trace_.append(frame);
        session_.recordings_.take(frame);
        if (session_.rules_)
            session_.rules_->frame(session_.trace_.rows() - 1, frame);
        session_.armRules();
    }

private:
    Session& session_;
};

Expected<std::unique_ptr<Session>> Session::create(const Rig& rig, const LoadedDatabases& databases, const SessionOptions& options)
{
    auto session = std::unique_ptr<Session>(new Session(rig, databases, options));
    if (auto built = session->build(); !built)
        return tl::unexpected(built.error());
    return session;
}

Session::Session(const Rig& rig, const LoadedDatabases& databases, const SessionOptions& options)
    : rig_(rig),
      databases_(databases),
      options_(options),
      catalog_(catalogOf(rig, databases)),
      begins_(rig.begins.count() != 0 ? rig.begins : std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch())),
      scheduler_(begins_)
{}

Session::~Session()
{
    if (playbackLog_)
        playbackLog_->stopReading();
    stop();
    endTakes();
    endActors();
}

void Session::endActors()
{
    if (!started_ || std::exchange(ended_, true))
        return;
    for (const auto& actor : actors_)
        actor->stop();
}

Expected<void> Session::build()
{
    ingest_ = std::make_unique<Ingest>(*this);
    std::vector<can::BitRate> rates;
    std::vector<bus::Bus*> buses;
    for (const BusSpec& spec : rig_.buses)
        allSimulated_ = allSimulated_ && !spec.kind->ofTheWorld;
    if (!allSimulated_ && rig_.begins.count() != 0) {
        // Frames of a real bus carry the machine's time; the rest of the run has to agree with it.
        begins_ = std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch());
        scheduler_ = clock::Scheduler(begins_);
    }
    if (!allSimulated_)
        watchClock();
    if (!options_.searched)
        trace_.leaveOutPresences();
    for (std::size_t i = 0; i < rig_.buses.size(); ++i) {
        const BusSpec& spec = rig_.buses[i];
        const std::uint8_t index = trace_.addBus({spec.name, spec.rate});
        rates.push_back(spec.rate);
        auto opened = spec.kind->open(
            scheduler_, {index, spec.rate, spec.address, spec.restartAfter.count() > 0 ? std::optional(spec.restartAfter) : std::nullopt});
        if (!opened) {
            // The rest of the rig runs; the bus says why it does not.
            Error error = opened.error();
            buses_.push_back(std::make_unique<bus::AbsentBus>(spec.rate, error));
            error.where = "bus " + spec.name + ", " + error.where;
            leftOut_.push_back(std::move(error));
        } else {
            buses_.push_back(std::move(*opened));
            // One that is missing or down is waited for; the rest of the rig runs.
            if (const bus::Health health = buses_.back()->health(); spec.kind->ofTheWorld && health.state == bus::Health::State::down)
                leftOut_.push_back({health.words + "; it is waited for", "bus " + spec.name, 0, 0, {}});
        }
        buses.push_back(buses_.back().get());
    }
    for (std::size_t i = 0; i < buses_.size(); ++i)
        if (rig_.buses[i].kind->ofTheWorld) {
            arriving_.push_back(buses_[i].get());
            if (pace_.bound.empty())
                pace_.bound = "bus " + rig_.buses[i].name + " is of the world, and its frames come by the clock on the wall";
        }
    for (const BusSpec& spec : rig_.buses)
        handOver_ = std::max(handOver_, spec.kind->handOver);
    patience_ = arriving_.size() > 1 && arriving_.size() == buses_.size() ? bus::arrivalPatience : Time{0};
    {
        const auto now = std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch()).count();
        spool::SpoolOptions inMemory;
        inMemory.memory = formats::memoryBound();
        spool_ = spool::Spool::start(options_.spool.value_or(inMemory), trace_,
            {trace_.buses(), rig_.path.empty() ? std::string() : std::filesystem::absolute(rig_.path).string(), rig_.name, begins_, now});
    }
    bool incomplete = false;
    for (const BusSpec& bus : rig_.buses)
        for (const std::string& file : bus.databases)
            incomplete = incomplete || !databases_.byPath.contains(file);
    incomplete_ = incomplete;
    EventConditions events = conditionsOf(rig_, catalog_);
    if (!incomplete && !events.unknown.empty())
        return tl::unexpected(events.unknown.front().second);
    for (const auto& [name, error] : events.unknown)
        leftOut_.push_back({"the event " + name + " is left out: " + error.what, rig_.path, 0, 0, {}});
    const bool onDisk = options_.spool && !spool_->report().path.empty();
    measures_ = std::make_unique<measure::Measures>(catalog_, rates, std::move(events.conditions),
        onDisk ? options_.spool->folder : std::string(), std::vector<std::shared_ptr<measure::Observer>>{}, std::move(events.rules));
    measuredEvents_ = rig_.events;

    // Whoever acts hears a frame before the trace shows it, so that their reports are never behind the views.
    ActorWorld world{rig_, scheduler_, buses, catalog_, &databases_, options_.seed.value_or(rig_.seed), begins_, options_.without,
        options_.outbox, incomplete, leftOut_, {},
        [this](const std::string& name) -> std::optional<bool> {
            const std::optional<bool> holds = rules_ ? rules_->holds(name) : std::nullopt;
            rulesAsked_ = rulesAsked_ || holds;
            return holds;
        },
        [this](const std::string& text, bool lifted) { return lifted ? liftNamed(*this, text) : manipulateNamed(*this, text); },
        [this](const std::string& name, std::function<void()> act) -> Expected<void> {
            if (const auto known = knownCondition(name); !known)
                return known;
            rulesAsked_ = true;
            heeding_.emplace_back(name, std::move(act));
            return {};
        }};
    world.ask = [this](std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, std::function<void(const protocol::Answer&)> done) {
        all<drive::Asker>().front()->ask(
            bus, std::move(talk), [done = std::move(done)](const protocol::Answer& answer, Time) { done(answer); });
    };
    for (const ActorKind& kind : actorKinds()) {
        world.made = actors_;
        auto made = kind.make(world);
        if (!made)
            return tl::unexpected(made.error());
        std::move(made->begin(), made->end(), std::back_inserter(actors_));
    }
    playback_ = all<drive::Playback>().front();
    playbackLog_ = std::make_unique<PlaybackLog>(rig_, databases_, *playback_, options_.seed.value_or(rig_.seed));
    outbox_ = all<drive::Outbox>().front();
    wireFaults_ = all<drive::WireFaults>().front();
    auto made = makeRules();
    if (!made)
        return tl::unexpected(made.error());
    rules_ = std::move(*made);
    rulesTimer_ = clock::Timer::calling<&Session::settleRules>(scheduler_, this, clock::Phase::settle);
    for (Error& error : follow(*this, {}, rig_.manipulations)) {
        error.what = "not manipulated: " + error.what;
        leftOut_.push_back(std::move(error));
    }
    for (bus::Bus* bus : buses)
        bus->listen(ingest_.get());
    now_ = begins_.count();
    publish();
    return {};
}

Expected<std::unique_ptr<LiveRules>> Session::makeRules()
{
    if (rig_.events.empty() && (rig_.recordings.empty() || !options_.takes))
        return nullptr;     // playback hangs on conditions
    std::vector<std::string> names;
    std::vector<can::BitRate> rates;
    for (const trace::TraceBus& bus : trace_.buses()) {
        names.push_back(bus.name);
        rates.push_back(bus.rate);
    }
    CompiledRules compiled = rulesOf(rig_, rulesCatalog_ ? rulesCatalog_ : catalog_, names);
    if (!incomplete_ && !compiled.unknown.empty())
        return tl::unexpected(compiled.unknown.front());
    std::vector<bool> noted;
    for (const EventSpec& event : rig_.events)
        noted.push_back(!framesTell(event.kind) || std::none_of(measuredEvents_.begin(), measuredEvents_.end(), [&](const EventSpec& one) {
            return one.name == event.name && conditionText(one) == conditionText(event);
        }));
    auto live = LiveRules::create(rig_, std::move(compiled), trace_, std::move(rates), options_.takes);
    live->setNoted(std::move(noted));
    live->drivePlayback([this](bool plays) { drivePlayback(plays); });
    live->heed([this](const std::string& condition) { becameTrue(condition); });
    for (const TakingReport& recording : live->recordings(begins_))
        if (!recording.files.problem.empty())
            leftOut_.push_back({"the recording " + recording.name + " keeps nothing: " + recording.files.problem, {}, 0, 0, {}});
    return live;
}

Expected<void> Session::takeRules(const Rig& from)
{
    Rig next = rig_;
    next.filters = from.filters;
    next.events = from.events;
    next.recordings = from.recordings;
    next.playback = from.playback;
    next.derived = from.derived;
    auto rulesCatalog = catalog_->derives(next.derived) ? nullptr : catalog_->withDerived(next.derived);
    std::swap(rig_, next);
    std::swap(rulesCatalog_, rulesCatalog);
    auto made = makeRules();
    if (!made) {
        std::swap(rig_, next);
        std::swap(rulesCatalog_, rulesCatalog);
        return tl::unexpected(made.error());
    }
    endTakes();
    rules_ = std::move(*made);
    rulesTimer_.stop();
    rulesDue_ = Time::max();
    if (rules_ && clockWasSet_.count() != 0)
        rules_->clockSet(clockWasSet_);
    if (rules_ && started_)
        rules_->begin(scheduler_.now());
    return {};
}

// The rules say so in the middle of a frame or of a step of time: it is done at that instant, behind what goes on there.
void Session::drivePlayback(bool plays)
{
    scheduler_.at(
        scheduler_.now(),
        [](void* context, std::uint64_t does) {
            auto& session = *static_cast<Session*>(context);
            if (does == 0)
                session.playback_->rest();
            else if (session.collisions().empty())
                session.playback_->play();
            ++session.changes_;
        },
        this, plays ? 1 : 0);
}

void Session::endTakes()
{
    if (rules_)
        rules_->end("the run ends");
}

// Frames of the world carry the machine's time of day, which somebody may set while the run goes on.
void Session::watchClock()
{
    const auto nanoseconds = [](const auto& instant) { return std::chrono::duration_cast<Time>(instant.time_since_epoch()); };
    const Time apart = nanoseconds(std::chrono::system_clock::now()) - nanoseconds(std::chrono::steady_clock::now());
    const Time by = apart - clockApart_.value_or(apart);
    if (clockApart_ && std::chrono::abs(by) < setAtLeast)
        return;
    clockApart_ = apart;
    clockWasSet_ += by;
    if (rules_ && by.count() != 0)
        rules_->clockSet(by);
}

// What the rules are told of buses besides their frames.
void Session::watchBuses()
{
    lostBefore_.resize(buses_.size(), 0);
    goneBefore_.resize(buses_.size(), false);
    for (bus::Bus* bus : arriving_) {
        const auto index = static_cast<std::size_t>(
            std::find_if(buses_.begin(), buses_.end(), [&](const auto& one) { return one.get() == bus; }) - buses_.begin());
        const bus::Health health = bus->health();
        if (std::exchange(lostBefore_[index], health.lost) < health.lost)
            rules_->lose(static_cast<int>(index), scheduler_.now());
        const bool gone = health.state == bus::Health::State::down;
        if (goneBefore_[index] != gone)
            rules_->gone(static_cast<int>(index), gone, scheduler_.now());
        goneBefore_[index] = gone;
    }
}

drive::Actor* Session::actor(std::string_view name)
{
    for (const auto& actor : actors_)
        if (actor->name() == name)
            return actor.get();
    return nullptr;
}

// What hangs on the rules is done at their instants, whatever the slices.
void Session::armRules()
{
    if (!rules_ || !allSimulated_ || !(rulesAsked_ || rules_->drivesPlayback()))
        return;
    if (const Time next = rules_->next(); std::exchange(rulesDue_, next) == next)
        return;
    if (rulesDue_ == Time::max())
        rulesTimer_.stop();
    else
        rulesTimer_.at(rulesDue_);
}

void Session::settleRules()
{
    const Time now = scheduler_.now();
    if (scheduler_.next() <= now)
        return rulesTimer_.at(now);     // behind all else of this instant
    rulesDue_ = Time::max();
    rules_->settle(now);
    armRules();
}

void Session::slice(Time until)
{
    if (!started_) {
        started_ = true;
        for (const auto& actor : actors_)
            actor->start();
        if (rules_)
            rules_->begin(begins_);
    }
    if (!allSimulated_) {
        // What is simulated goes on up to each frame that has arrived, so that all come in the order of time.
        watchClock();
        const Time now = std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch());
        bus::bringIn(arriving_, now, patience_, [&](Time stamp) {
            if (std::chrono::abs(stamp - now) > setAtLeast)
                watchClock();       // it may just have been
            if (stamp > scheduler_.now() && stamp <= until)
                scheduler_.runUntil(stamp);
        });
    }
    armRules();
    scheduler_.runUntil(until);
    if (scheduler_.halted())
        until = std::min(until, scheduler_.now());
    if (rules_) {
        // Frames of the world come to hand a little behind their stamps.
        watchBuses();
        rules_->settle(allSimulated_ ? until : until - std::max(patience_, handOver_));
        rules_->flush(until);
        for (const LiveRules::Noted& one : rules_->takeNoted())
            measures_->note({measure::EventKind::condition, one.began, one.at, one.bus, trace::noRow, one.name, 1});
    }
    if (options_.measured)
        measures_->advance(trace_.snapshot());
    recordings_.advance();
    now_.store(until.count(), std::memory_order_release);
}

void Session::runFor(Time span, clock::WallClock* paceBy, const std::function<bool()>& keepGoing)
{
    const Time end = scheduler_.now() + span;
    std::optional<clock::Pacer> pacer;
    if (paceBy != nullptr)
        pacer.emplace(*paceBy, scheduler_.now());
    if (pacer && (!allSimulated_ || options_.onTime))
        wakeSoon();
    Time published{};
    while (scheduler_.now() < end && !scheduler_.halted() && (!keepGoing || keepGoing())) {
        if (pacer) {
            own();
            const Time pause = pausePaced(*pacer);
            disown();
            paceBy->waitFor(pause);
        }
        own();
        carryOut();
        slice(pacer ? std::min({end, pacer->target(), scheduler_.now() + longestSlice}) : std::min(end, scheduler_.now() + sliceUnpaced));
        if (pacer)
            publishNow(*paceBy, published);
        disown();
        if (!pacer)
            spool_->makeRoom();
    }
    own();
    carryOut();
    ++changes_;  // all reports are made anew
    publish();
    disown();
}

void Session::start(clock::WallClock& wall, double factor)
{
    if (running_.exchange(true))
        return;
    thread_ = std::thread([this, &wall, factor] { drive(wall, factor); });
}

void Session::stop()
{
    running_ = false;
    if (thread_.joinable())
        thread_.join();
    carryOutRequests();
}

// What goes out to the world is due at its instant; in virtual time stamps are exact, whenever they are worked out.
Time Session::pausePaced(const clock::Pacer& pacer) const
{
    if (allSimulated_ && !options_.onTime)
        return slicePaced;
    return std::clamp(pacer.waitUntil(std::min(scheduler_.next(), scheduler_.now() + slicePaced)), leastPause, slicePaced);
}

void Session::publishNow(clock::WallClock& wall, Time& published)
{
    const Time now = wall.now();
    if (now - published < slicePaced && published.count() != 0)
        return;
    published = now;
    publish();
}

// Where time is held it is told at once.
void Session::hasStopped(clock::WallClock& wall, Time& published)
{
    if (pace_.held && scheduler_.halted()) {
        scheduler_.goOn();
        publish();
    }
    publishNow(wall, published);
}

void Session::drive(clock::WallClock& wall, double factor)
{
    std::optional<clock::Pacer> pacer;
    std::uint64_t pacedFor = 0;
    if (!allSimulated_ || options_.onTime)
        wakeSoon();
    Time published{};
    own();
    if (factor != 1 && allSimulated_)
        pace_.factor = factor;
    disown();
    while (running_) {
        own();
        carryOut();
        if (pace_.held || pace_.factor == 0) {
            pacer.reset();
            if (!pace_.held)
                slice(scheduler_.now() + sliceUnpaced);
            hasStopped(wall, published);
            const bool held = pace_.held;
            disown();
            if (held)
                wall.waitFor(slicePaced);
            else
                spool_->makeRoom();
            continue;
        }
        if (!pacer || std::exchange(pacedFor, pacings_) != pacings_)
            pacer.emplace(wall, scheduler_.now(), pace_.factor);
        const Time target = pacer->target();
        slice(std::clamp(target, scheduler_.now(), scheduler_.now() + longestSlice));
        hasStopped(wall, published);
        const Time pause = scheduler_.now() >= target ? pausePaced(*pacer) : Time{};
        disown();
        if (pause.count() > 0)
            wall.waitFor(pause);
    }
}

Expected<void> Session::ownTime() const
{
    if (pace_.bound.empty())
        return {};
    return fail(pace_.bound, {}, "A copy of the rig with simulated buses may have a time of its own");
}

Expected<void> Session::setPace(double factor)
{
    if (factor != 1)
        if (const auto may = ownTime(); !may)
            return may;
    if (factor != 0 && !(factor >= slowest && factor <= fastest))
        return fail("the pace of a run is 0.1 to 100 times that of the wall, or as fast as the machine can");
    pace_.factor = factor;
    ++pacings_;
    return {};
}

Expected<void> Session::holdTime(bool held)
{
    if (const auto may = ownTime(); !may && held)
        return may;
    pace_.held = held;
    pace_.stoppedBy.clear();
    ++pacings_;
    return {};
}

Expected<std::uint64_t> Session::step(std::uint64_t instants)
{
    if (const auto held = holdTime(true); !held)
        return tl::unexpected(held.error());
    if (!started_)
        slice(scheduler_.now());
    std::uint64_t gone = 0;
    for (; gone < instants && scheduler_.next() != Time::max(); ++gone) {
        slice(std::max(scheduler_.next(), scheduler_.now()));
        scheduler_.goOn();
        if (!pace_.stoppedBy.empty())
            return gone + 1;
    }
    return gone;
}

Expected<bool> Session::stepToFrame()
{
    const trace::Row before = trace_.rows();
    const Time end = scheduler_.now() + longestStep;
    while (trace_.rows() == before && scheduler_.now() < end) {
        const auto gone = step();
        if (!gone)
            return tl::unexpected(gone.error());
        if (*gone == 0 || !pace_.stoppedBy.empty())
            break;
    }
    return trace_.rows() != before;
}

Expected<void> Session::knownCondition(const std::string& condition) const
{
    if (rules_ && rules_->holds(condition))
        return {};
    std::vector<std::string> names;
    for (const EventSpec& event : rig_.events)
        names.push_back(event.name);
    return fail("the rig has no condition '" + condition + "'", {}, didYouMean(condition, names));
}

Expected<void> Session::stopAt(const std::string& condition)
{
    if (!condition.empty()) {
        if (const auto may = ownTime(); !may)
            return may;
        if (const auto known = knownCondition(condition); !known)
            return known;
        rulesAsked_ = true;
    }
    pace_.stopsAt = condition;
    return {};
}

void Session::becameTrue(const std::string& condition)
{
    for (std::size_t i = 0; i < heeding_.size(); ++i)
        if (heeding_[i].first == condition)
            heeding_[i].second();
    if (pace_.stopsAt.empty() || pace_.stopsAt != condition)
        return;
    pace_.held = true;
    pace_.stoppedBy = condition;
    scheduler_.halt();
}

RunPace Session::pace() const
{
    const std::scoped_lock lock(mutex_);
    return paceReport_;
}

void Session::post(std::function<void(Session&)> request)
{
    {
        const std::scoped_lock lock(mutex_);
        requests_.push_back(std::move(request));
    }
    if (!running_)
        carryOutRequests();
}

void Session::call(const std::function<void(Session&)>& request)
{
    {
        std::unique_lock lock(mutex_);
        if (owned_ && owner_ == std::this_thread::get_id()) {   // asked for by a request
            lock.unlock();
            return request(*this);
        }
    }
    std::promise<void> done;
    post([&](Session& session) {
        request(session);
        done.set_value();
    });
    done.get_future().wait();
}

// By whoever asks while nothing runs. Where somebody else owns the run, the request is left to that one: it looks again,
// under the same lock, before it gives the run away.
void Session::carryOutRequests()
{
    std::unique_lock lock(mutex_);
    while (!owned_ && !requests_.empty()) {
        owned_ = true;
        owner_ = std::this_thread::get_id();
        lock.unlock();
        carryOut();
        lock.lock();
        owned_ = false;
    }
    lock.unlock();
    free_.notify_all();
}

void Session::own()
{
    std::unique_lock lock(mutex_);
    free_.wait(lock, [this] { return !owned_; });
    owned_ = true;
    owner_ = std::this_thread::get_id();
}

void Session::disown()
{
    {
        const std::scoped_lock lock(mutex_);
        owned_ = false;
    }
    free_.notify_all();
}

void Session::carryOut()
{
    for (;;) {
        std::vector<std::function<void(Session&)>> requests;
        {
            const std::scoped_lock lock(mutex_);
            requests.swap(requests_);
        }
        if (requests.empty())
            return;
        for (auto& request : requests)
            request(*this);
        ++changes_;
        publish();
    }
}

// What has not changed since the last time is not made again.
void Session::publish()
{
    std::vector<std::pair<std::size_t, drive::ActorReport>> changed;
    reportedActors_.resize(actors_.size(), 0);
    for (std::size_t i = 0; i < actors_.size(); ++i)
        if (const std::uint64_t changes = actors_[i]->changes(); std::exchange(reportedActors_[i], changes) != changes)
            changed.emplace_back(i, actors_[i]->report());
    std::optional<std::vector<Collision>> colliding;
    if (std::exchange(reportedChanges_, changes_) != changes_)
        colliding = collisions();
    std::vector<bus::Health> health;
    for (const auto& bus : buses_)
        health.push_back(bus->health());

    std::vector<std::vector<bus::MeasuredResponse>> responses;
    if (publishings_ % 8 == 0)
        for (const auto& bus : buses_)
            responses.push_back(bus->responses());

    const std::scoped_lock lock(mutex_);
    if (!responses.empty())
        responses_ = std::move(responses);
    reports_.resize(actors_.size());
    for (auto& [i, report] : changed)
        reports_[i] = std::move(report);
    if (colliding)
        collisions_ = std::move(*colliding);
    health_ = std::move(health);
    paceReport_ = pace_;
    absentReport_ = absent_;
    const bool eighth = publishings_++ % 8 == 0;
    if (rules_ && (std::exchange(rulesChanges_, changes_) != changes_ || eighth)) {
        conditionReports_ = rules_->conditions();
        takingReports_ = rules_->recordings(scheduler_.now());
        if (std::exchange(historyOf_, rules_->changes()) != rules_->changes())
            rulesHistory_ = std::make_shared<RulesHistory>(RulesHistory{{rules_->stretches().begin(), rules_->stretches().end()},
                {rules_->takes().begin(), rules_->takes().end()}, {rules_->takeFiles().begin(), rules_->takeFiles().end()}});
    }
    recordingReports_ = recordings_.reports();
    for (const RecordingReport& recording : recordingReports_)
        if (!recording.problem.empty())
            recordingProblem_ = recording.problem;
}

Expected<void> Session::record(const std::string& path, const std::string& filter)
{
    const auto named = rig_.namedFilters();
    const auto passing = filter::Filter::compile(filter, catalog_, {&named});
    if (!passing)
        return tl::unexpected(passing.error());
    if (auto begun = recordings_.begin(path, *passing, begins_); !begun)
        return begun;
    const std::scoped_lock lock(mutex_);
    recordingProblem_.clear();
    return {};
}

void Session::playOntoViews(bool on) { playback_->ontoViews(on ? ingest_.get() : nullptr); }

void Session::readForPlayback(const std::vector<formats::LogPart>& parts, PlaybackLog::Done done)
{
    playbackLog_->read(parts, [this](const std::function<void()>& rest) { post([rest](Session&) { rest(); }); }, std::move(done));
}

std::vector<drive::ActorReport> Session::reports() const
{
    const std::scoped_lock lock(mutex_);
    return reports_;
}

std::vector<NodeReport> Session::nodeReports() const
{
    const std::scoped_lock lock(mutex_);
    std::vector<NodeReport> out;
    const drive::PlaybackFacts* played = nullptr;
    for (const drive::ActorReport& report : reports_)
        if (const auto* facts = report.as<drive::PlaybackFacts>(); facts != nullptr)
            played = facts;
    const auto plays = [&](const std::string& node, const std::vector<std::uint8_t>& buses) {
        return played != nullptr && played->loaded
               && std::any_of(played->routes.begin(), played->routes.end(), [&](const drive::Route& route) {
                      if (route.to < 0 || std::find(buses.begin(), buses.end(), static_cast<std::uint8_t>(route.to)) == buses.end())
                          return false;
                      const bool named = std::find(route.nodes.begin(), route.nodes.end(), node) != route.nodes.end();
                      return route.senders == drive::Senders::all || named == (route.senders == drive::Senders::only);
                  });
    };
    for (const drive::ActorReport& report : reports_)
        if (const auto* facts = report.as<drive::NodeFacts>(); facts != nullptr)
            out.push_back({*facts, report.name, report.buses, report.on,
                report.on                             ? NodePlace::simulated
                : plays(report.name, report.buses)    ? NodePlace::playedBack
                : absentReport_.contains(report.name) ? NodePlace::off
                                                      : NodePlace::outside});
    return out;
}

std::vector<bus::MeasuredResponse> Session::responses(std::size_t bus) const
{
    const std::scoped_lock lock(mutex_);
    return bus < responses_.size() ? responses_[bus] : std::vector<bus::MeasuredResponse>();
}

PlaybackReport Session::playbackReport() const
{
    const std::scoped_lock lock(mutex_);
    for (const drive::ActorReport& report : reports_)
        if (const auto* facts = report.as<drive::PlaybackFacts>(); facts != nullptr)
            return {*facts, collisions_};
    return {};
}

std::vector<ConditionReport> Session::conditionReports() const
{
    const std::scoped_lock lock(mutex_);
    return conditionReports_;
}

std::vector<TakingReport> Session::takingReports() const
{
    const std::scoped_lock lock(mutex_);
    return takingReports_;
}

std::shared_ptr<const Session::RulesHistory> Session::rulesHistory() const
{
    const std::scoped_lock lock(mutex_);
    return rulesHistory_;
}

std::vector<bus::Health> Session::health() const
{
    const std::scoped_lock lock(mutex_);
    return health_;
}

std::vector<RecordingReport> Session::recordings() const
{
    const std::scoped_lock lock(mutex_);
    return recordingReports_;
}

RecordingReport Session::recording() const
{
    const std::scoped_lock lock(mutex_);
    return recordingReports_.empty() ? RecordingReport{false, {}, 0, 0, recordingProblem_} : recordingReports_.front();
}

}  // namespace wavetrope::rig
