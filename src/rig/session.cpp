#include "rig/session.h"

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <future>
#include <utility>

#include "bus/absent_bus.h"
#include "bus/kernel_bus.h"
#include "bus/simulated_bus.h"
#include "formats/trace_sink.h"

namespace wavetrope::rig {

namespace {

constexpr Time sliceUnpaced = std::chrono::milliseconds(100);
constexpr Time slicePaced = std::chrono::milliseconds(4);
// A machine that is too slow falls behind in steps that measures and recorder keep up with, not in one leap.
constexpr Time longestSlice = std::chrono::milliseconds(100);
constexpr std::size_t reportedStates = 64;

class CancellableSink final : public formats::TraceSink {
public:
    CancellableSink(trace::Trace& trace, const std::atomic<bool>& stop) : TraceSink(trace), stop_(stop) {}
    bool onProgress(std::uint64_t done, std::uint64_t total) override { return !stop_ && TraceSink::onProgress(done, total); }

private:
    const std::atomic<bool>& stop_;
};

}  // namespace

// Every frame of every bus passes here once, on the driving thread.
class Session::Ingest final : public bus::Listener {
public:
    explicit Ingest(trace::Trace& trace) : trace_(trace) {}
    void onFrame(const can::FrameView& frame, bus::Port) override { trace_.append(frame); }

private:
    trace::Trace& trace_;
};

Expected<std::unique_ptr<Session>> Session::create(const Rig& rig, const LoadedDatabases& databases, const SessionOptions& options)
{
    auto session = std::unique_ptr<Session>(new Session(rig, databases, options));
    if (auto built = session->build(); !built)
        return tl::unexpected(built.error());
    return session;
}

Session::Session(const Rig& rig, const LoadedDatabases& databases, const SessionOptions& options)
    : rig_(rig), databases_(databases), options_(options), catalog_(catalogOf(rig, databases)),
      begins_(rig.begins.count() != 0 ? rig.begins : std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch())),
      scheduler_(begins_)
{
}

Session::~Session()
{
    stopReading_ = true;
    if (logReader_.joinable())
        logReader_.join();
    stop();
}

Expected<void> Session::build()
{
    ingest_ = std::make_unique<Ingest>(trace_);
    std::vector<can::BitRate> rates;
    std::vector<bus::Bus*> buses;
    for (const BusSpec& spec : rig_.buses)
        allSimulated_ = allSimulated_ && spec.interface.empty();
    if (!allSimulated_ && rig_.begins.count() != 0) {
        // Frames of a real bus carry the machine's time; the rest of the run has to agree with it.
        begins_ = std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch());
        scheduler_ = clock::Scheduler(begins_);
    }
    for (std::size_t i = 0; i < rig_.buses.size(); ++i) {
        const BusSpec& spec = rig_.buses[i];
        const std::uint8_t index = trace_.addBus({spec.name, spec.rate});
        rates.push_back(spec.rate);
        if (spec.interface.empty()) {
            buses_.push_back(std::make_unique<bus::SimulatedBus>(scheduler_, bus::SimulatedBusOptions{spec.rate, index, 64, true, spec.restartAfter.count() > 0 ? std::optional(spec.restartAfter) : std::nullopt}));
        } else {
            auto opened = bus::KernelBus::open(spec.interface, {index, spec.rate, 1U << 17});
            if (!opened) {
                // The rest of the rig runs; the bus says why it does not.
                Error error = opened.error();
                buses_.push_back(std::make_unique<bus::AbsentBus>(spec.rate, error));
                error.where = "bus " + spec.name + ", " + error.where;
                leftOut_.push_back(std::move(error));
            } else {
                buses_.push_back(std::move(*opened));
            }
        }
        buses.push_back(buses_.back().get());
    }
    for (std::size_t i = 0; i < buses_.size(); ++i)
        if (!rig_.buses[i].interface.empty())
            arriving_.push_back(buses_[i].get());
    patience_ = arriving_.size() > 1 && arriving_.size() == buses_.size() ? bus::arrivalPatience : Time{0};
    {
        const auto now = std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch()).count();
        spool::Options inMemory;
        inMemory.memory = formats::memoryBound();
        spool_ = spool::Spool::start(options_.spool.value_or(inMemory), trace_, {trace_.buses(), rig_.path.empty() ? std::string() : std::filesystem::absolute(rig_.path).string(), rig_.name, begins_, now});
    }
    std::vector<measure::ConditionSpec> conditions;
    bool incomplete = false;
    for (const BusSpec& bus : rig_.buses)
        for (const std::string& file : bus.databases)
            incomplete = incomplete || !databases_.byPath.contains(file);
    const auto named = rig_.namedFilters();
    for (const EventSpec& event : rig_.events) {
        auto filter = filter::Filter::compile(event.when, catalog_, {&named});
        if (!filter && incomplete) {
            leftOut_.push_back({"the event " + event.name + " is left out: " + filter.error().what, rig_.path, 0, 0, {}});
            continue;
        }
        if (!filter) {
            Error error = filter.error();
            error.where = "event " + event.name + ", /events/" + std::to_string(&event - rig_.events.data()) + "/when";
            return tl::unexpected(error);
        }
        conditions.push_back({event.name, std::move(*filter), event.hold});
    }
    const bool onDisk = options_.spool && !spool_->report().path.empty();
    measures_ = std::make_unique<measure::Measures>(catalog_, rates, std::move(conditions), onDisk ? options_.spool->folder : std::string());

    // Nodes hear a frame before the trace shows it, so that their reports are never behind the views.
    const drive::NodeWorld world{scheduler_, buses, catalog_, options_.seed.value_or(rig_.seed), begins_, rig_.story};
    for (drive::NodeSpec spec : rig_.nodes) {
        spec.off = spec.off || std::find(options_.without.begin(), options_.without.end(), spec.name) != options_.without.end();
        auto node = drive::Node::create(spec, world);
        if (!node && incomplete) {  // its messages may stand in the file that is missing
            leftOut_.push_back({spec.name + " is not simulated: " + node.error().what, node.error().where, 0, 0, {}});
            continue;
        }
        if (!node)
            return tl::unexpected(node.error());
        nodes_.push_back(std::move(*node));
    }
    for (const std::string& name : options_.without)
        if (node(name) == nullptr)
            return fail("the rig has no node '" + name + "'");
    playback_ = std::make_unique<drive::Playback>(scheduler_, buses, catalog_);
    for (bus::Bus* bus : buses)
        bus->listen(ingest_.get());
    now_ = begins_.count();
    publish();
    return {};
}

drive::Node* Session::node(std::string_view name)
{
    for (auto& node : nodes_)
        if (node->name() == name)
            return node.get();
    return nullptr;
}

void Session::slice(Time until)
{
    if (!started_) {
        started_ = true;
        for (auto& node : nodes_)
            node->start();
    }
    if (!allSimulated_) {
        // What is simulated goes on up to each frame that has arrived, so that all come in the order of time.
        const Time now = std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch());
        bus::bringIn(arriving_, now, patience_, [&](Time stamp) {
            if (stamp > scheduler_.now() && stamp <= until)
                scheduler_.runUntil(stamp);
        });
    }
    scheduler_.runUntil(until);
    if (options_.measured)
        measures_->advance(trace_.snapshot());
    if (recorder_)
        if (auto written = recorder_->advance(); !written) {
            const std::scoped_lock lock(mutex_);
            recording_.problem = written.error().text();
        }
    now_.store(until.count(), std::memory_order_release);
}

void Session::runFor(Time span, clock::WallClock* paceBy, const std::function<bool()>& keepGoing)
{
    const Time end = scheduler_.now() + span;
    std::optional<clock::Pacer> pacer;
    if (paceBy != nullptr)
        pacer.emplace(*paceBy, scheduler_.now());
    while (scheduler_.now() < end && (!keepGoing || keepGoing())) {
        if (pacer)
            paceBy->waitFor(slicePaced);
        own();
        carryOut();
        slice(pacer ? std::min({end, pacer->target(), scheduler_.now() + longestSlice}) : std::min(end, scheduler_.now() + sliceUnpaced));
        disown();
        if (!pacer)
            spool_->makeRoom();
    }
    own();
    carryOut();
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

void Session::drive(clock::WallClock& wall, double factor)
{
    const clock::Pacer pacer(wall, scheduler_.now(), factor);
    while (running_) {
        own();
        carryOut();
        const Time target = pacer.target();
        slice(std::clamp(target, scheduler_.now(), scheduler_.now() + longestSlice));
        publish();
        const bool early = scheduler_.now() >= target;
        disown();
        if (early)
            wall.waitFor(slicePaced);
    }
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
    std::vector<std::pair<std::size_t, NodeReport>> changed;
    reportedNodes_.resize(nodes_.size(), 0);
    for (std::size_t i = 0; i < nodes_.size(); ++i) {
        const drive::Node& node = *nodes_[i];
        if (std::exchange(reportedNodes_[i], node.changes()) == node.changes())
            continue;
        NodeReport report{node.name(), node.buses(), node.on(), {}, node.refused()};
        const auto& states = node.states();
        const std::size_t from = states.size() > reportedStates ? states.size() - reportedStates : 0;
        report.states.assign(states.begin() + static_cast<std::ptrdiff_t>(from), states.end());
        changed.emplace_back(i, std::move(report));
    }
    std::optional<PlaybackReport> playback;
    if (std::exchange(reportedChanges_, changes_) != changes_) {
        playback.emplace();
        playback->loaded = playback_->loaded();
        playback->chosenByBus = playback_->chosenByBus();
        playback->routes = playback_->routes();
        playback->collisions = collisions();
    }
    std::vector<bus::Health> health;
    for (const auto& bus : buses_)
        health.push_back(bus->health());

    const std::scoped_lock lock(mutex_);
    nodeReports_.resize(nodes_.size());
    for (auto& [i, report] : changed)
        nodeReports_[i] = std::move(report);
    if (playback)
        playbackReport_ = std::move(*playback);
    playbackReport_.playing = playback_->playing();
    playbackReport_.loop = playback_->loop();
    playbackReport_.factor = playback_->pace().factor;
    playbackReport_.start = playback_->start();
    playbackReport_.end = playback_->end();
    playbackReport_.position = playback_->position();
    playbackReport_.chosen = playback_->chosen();
    playbackReport_.sent = playback_->sent();
    playbackReport_.finished = playback_->loaded() && playback_->finished();
    health_ = std::move(health);
    recording_.on = recorder_ != nullptr;
    if (recorder_) {
        recording_.path = recorder_->path();
        recording_.frames = recorder_->frames();
        recording_.bytes = recorder_->bytes();
    }
}

Expected<void> Session::record(const std::string& path, const std::string& filter)
{
    const auto named = rig_.namedFilters();
    const auto passing = filter::Filter::compile(filter, catalog_, {&named});
    if (!passing)
        return tl::unexpected(passing.error());
    auto recorder = record::Recorder::start(path, trace_, trace_.rows(), *passing, begins_);
    if (!recorder)
        return tl::unexpected(recorder.error());
    recorder_ = std::move(*recorder);
    const std::scoped_lock lock(mutex_);
    recording_.problem.clear();
    return {};
}

Expected<void> Session::finishRecording()
{
    if (!recorder_)
        return {};
    auto finished = recorder_->finish();
    recorder_.reset();
    return finished;
}

Expected<formats::ReadReport> Session::loadPlayback(const std::string& path)
{
    auto log = std::make_shared<trace::Trace>();
    formats::TraceSink sink(*log);
    auto report = formats::readLogFile(path, sink);
    if (sink.full())
        return tl::unexpected(sink.fullness(path));
    if (report)
        takeForPlayback(log, trace::TimeIndex(log->snapshot()));
    return report;
}

void Session::readForPlayback(const std::string& path, std::function<void(Expected<formats::ReadReport>)> done)
{
    stopReading_ = true;
    if (logReader_.joinable())
        logReader_.join();
    stopReading_ = false;
    logReader_ = std::thread([this, path, done = std::move(done)] {
        auto log = std::make_shared<trace::Trace>();
        CancellableSink sink(*log, stopReading_);
        auto report = formats::readLogFile(path, sink);
        if (sink.full())
            return done(tl::unexpected(sink.fullness(path)));
        if (!report || report->cancelled)
            return done(std::move(report));
        post([log, order = trace::TimeIndex(log->snapshot()), report, done](Session& session) {
            session.takeForPlayback(log, order);
            done(report);
        });
    });
}

void Session::takeForPlayback(std::shared_ptr<trace::Trace> log, trace::TimeIndex order)
{
    std::vector<std::string> names;
    for (const trace::TraceBus& bus : log->buses())
        names.push_back(bus.name);
    playbackCatalog_ = catalogFor(names, rig_, databases_);
    playback_->load(log, playbackCatalog_, std::move(order));
    const std::scoped_lock lock(mutex_);
    playbackLog_ = std::move(log);
}

std::vector<drive::Collision> Session::collisions()
{
    if (!playback_->loaded())
        return {};
    std::vector<drive::Playback::Sender> senders;
    for (const auto& node : nodes_)
        if (node->on())
            for (const auto& [bus, id] : node->sentIdentifiers())
                senders.push_back({node->name(), bus, id});
    return playback_->collisions(senders);
}

std::vector<NodeReport> Session::nodeReports() const
{
    const std::scoped_lock lock(mutex_);
    return nodeReports_;
}

PlaybackReport Session::playbackReport() const
{
    const std::scoped_lock lock(mutex_);
    return playbackReport_;
}

std::vector<bus::Health> Session::health() const
{
    const std::scoped_lock lock(mutex_);
    return health_;
}

std::shared_ptr<const trace::Trace> Session::playbackLog() const
{
    const std::scoped_lock lock(mutex_);
    return playbackLog_;
}

Session::RecordingReport Session::recording() const
{
    const std::scoped_lock lock(mutex_);
    return recording_;
}

}  // namespace wavetrope::rig
