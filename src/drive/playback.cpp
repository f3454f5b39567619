// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/playback.h"

#include <algorithm>
#include <set>

#include "base/stamp.h"
#include "filter/filter_scan.h"

namespace wavetrope::drive {

namespace {

constexpr Time retryAfter = std::chrono::microseconds(50);

bool passes(const Route& route, const database::Catalog& catalog, const trace::TraceKey& key, bool errors)
{
    if (route.to < 0 || (key.error && !errors))
        return false;
    if (route.senders == Senders::all)
        return true;
    const auto* message = catalog.find(key.bus, key.id);
    const bool named = message != nullptr
                       && std::find(route.nodes.begin(), route.nodes.end(), message->message->sender) != route.nodes.end();
    return named == (route.senders == Senders::only);
}

}  // namespace

Playback::Playback(clock::Scheduler& scheduler, std::vector<bus::Bus*> buses, std::shared_ptr<const database::Catalog> rigCatalog)
    : scheduler_(scheduler), buses_(std::move(buses)), rigCatalog_(std::move(rigCatalog))
{
    for (std::size_t i = 0; i < buses_.size(); ++i) {
        Lane lane;
        lane.bus = i;
        lane.port = buses_[i]->attach("playback", can::Direction::sent, bus::Order::asOffered);
        lane.rate = buses_[i]->bitRate();
        lane.wake = clock::Timer::calling<&Playback::due>(scheduler_, this);
        lanes_.push_back(std::move(lane));
    }
}

void Playback::load(std::shared_ptr<const trace::Trace> log, std::shared_ptr<const database::Catalog> logCatalog, trace::TimeIndex order)
{
    rest();
    log_ = std::move(log);
    logCatalog_ = std::move(logCatalog);
    snapshot_ = log_->snapshot();
    order_ = std::move(order);
    if (order_.rows() != snapshot_.rows())
        order_ = trace::TimeIndex(snapshot_);
    start_ = snapshot_.earliest();
    end_ = snapshot_.latest();
    from_.reset();
    to_.reset();
    route(std::vector<Route>(logCatalog_->busCount()));
}

void Playback::route(std::vector<Route> routes)
{
    rest();
    routes_ = std::move(routes);
    choose();
}

void Playback::choose()
{
    for (Lane& lane : lanes_) {
        lane.rows.clear();
        lane.frameOf = ~std::size_t{0};
    }
    chosen_ = errorsLeftOut_ = 0;
    chosenByBus_.assign(routes_.size(), 0);
    if (!log_)
        return;
    std::vector<char> identifierPasses;
    for (trace::IdentifierIndex i = 0; i < log_->identifierCount(); ++i) {
        const trace::TraceKey& key = log_->key(i);
        identifierPasses.push_back(key.bus < routes_.size() && passes(routes_[key.bus], *logCatalog_, key, views_ != nullptr) ? 1 : 0);
    }
    // What the routes' own filters pass, where they have any.
    std::vector<std::unique_ptr<filter::FilterScan>> scans;
    for (const Route& route : routes_) {
        scans.push_back(route.filter.passesEverything() ? nullptr : std::make_unique<filter::FilterScan>(route.filter));
        if (scans.back())
            scans.back()->advance(snapshot_, {~std::uint64_t{0}, 0});
    }
    order_.each([&](trace::Row row) {
        const trace::IdentifierIndex identifier = snapshot_.identifier(row);
        const trace::TraceKey& key = log_->key(identifier);
        const std::uint8_t bus = key.bus;
        if (identifierPasses[identifier] == 0) {
            errorsLeftOut_ += key.error && bus < routes_.size() && routes_[bus].to >= 0 ? 1 : 0;
            return;
        }
        if (scans[bus] && !scans[bus]->rows().contains(row))
            return;
        if (const Directions wanted = routes_[bus].directions; wanted != Directions::both) {
            const can::Direction went = snapshot_.frame(row).direction;
            if (went != (wanted == Directions::sent ? can::Direction::sent : can::Direction::received))
                return;
        }
        lanes_[static_cast<std::size_t>(routes_[bus].to)].rows.push_back(row);
        ++chosen_;
        ++chosenByBus_[bus];
    });
    setRange(from_, to_);
}

void Playback::setRange(std::optional<Time> from, std::optional<Time> to)
{
    from_ = from;
    to_ = to;
    for (Lane& lane : lanes_) {
        const auto place = [&](Time time, bool behind) {
            const auto found = std::partition_point(lane.rows.begin(), lane.rows.end(),
                [&](trace::Row row) { return behind ? snapshot_.time(row) <= time : snapshot_.time(row) < time; });
            return static_cast<std::size_t>(found - lane.rows.begin());
        };
        lane.first = from ? place(*from, false) : 0;
        lane.last = std::max(lane.first, to ? place(*to, true) : lane.rows.size());
    }
    rest();
    for (Lane& lane : lanes_)
        lane.next = lane.first;
    anchorLog_ = logTime();
    sends_.reset();
    ++changes_;
}

void Playback::setOn(bool on)
{
    if (on == on_)
        return;
    on_ = on;
    ++changes_;
    if (!on)
        rest();
}

std::vector<SentIdentifier> Playback::sends() const
{
    if (!sends_ && views_ != nullptr)
        sends_.emplace();       // it sends nothing
    if (!sends_) {
        sends_.emplace();
        std::vector<bool> seen;
        for (const Lane& lane : lanes_) {
            seen.assign(log_ ? log_->identifierCount() : 0, false);
            std::set<std::uint32_t> sent;
            for (std::size_t i = lane.first; i < lane.last; ++i)
                seen[snapshot_.identifier(lane.rows[i])] = true;
            for (trace::IdentifierIndex i = 0; i < seen.size(); ++i)
                if (const can::Identifier id = rewriting_.identifierOf(log_->key(i).id); seen[i] && sent.insert(id.key()).second)
                    sends_->push_back({static_cast<std::uint8_t>(lane.bus), id});
        }
    }
    return *sends_;
}

// What moves by itself while it plays is counted with what was sent and where it stands.
std::uint64_t Playback::changes() const
{
    return changes_ * 1'000'003 + sent_ + (playing_ ? static_cast<std::uint64_t>(scheduler_.now().count()) * 2 + 1 : 0);
}

ActorReport Playback::report() const
{
    std::vector<std::uint8_t> onto;
    for (const Lane& lane : lanes_)
        if (!lane.rows.empty())
            onto.push_back(static_cast<std::uint8_t>(lane.bus));
    return {name_, std::move(onto), on_,
        PlaybackFacts{loaded(), playing_, loop_, pace_.factor, start_, end_, position(), chosen_, sent_, chosenByBus_, routes_,
            loaded() && finished(), pace_.gap, rewriting_.texts(), rewritten_}};
}

const Playback::Lane* Playback::front() const
{
    const Lane* front = nullptr;
    for (const Lane& lane : lanes_)
        if (lane.next < lane.last
            && (front == nullptr
                || std::pair(nextTime(lane), lane.rows[lane.next]) < std::pair(nextTime(*front), front->rows[front->next])))
            front = &lane;
    return front;
}

std::size_t Playback::at() const
{
    std::size_t passed = 0;
    for (const Lane& lane : lanes_)
        passed += lane.next;
    return passed;
}

const can::Frame& Playback::nextFrame(const Lane& lane) const
{
    if (lane.frameOf == lane.next)
        return lane.frame;
    const can::FrameView frame = snapshot_.frame(lane.rows[lane.next]);
    lane.frame = can::Frame(frame);
    lane.frameOf = lane.next;
    lane.outcome = {};
    if (!rewriting_.empty())
        lane.outcome = rewriting_.apply(frame, frame.time - start_, lane.frame);
    return lane.frame;
}

void Playback::rewrite(Rewriting rewriting)
{
    rest();
    rewriting_ = std::move(rewriting);
    rewritten_ = {};
    for (Lane& lane : lanes_)
        lane.frameOf = ~std::size_t{0};
    sends_.reset();
    ++changes_;
}

void Playback::ontoViews(bus::Listener* views)
{
    rest();
    views_ = views;
    choose();
}

Time Playback::logTime() const
{
    if (!from_ && std::all_of(lanes_.begin(), lanes_.end(), [](const Lane& lane) { return lane.next == lane.first; }))
        return start_;  // the log's own beginning, not that of the first chosen frame
    const Lane* next = front();
    return next != nullptr ? nextTime(*next) : to_.value_or(end_);
}

Time Playback::duration(const Lane& lane) const
{
    return lane.rate.known() && views_ == nullptr ? can::duration(can::wireLength(nextFrame(lane).view()), lane.rate) : Time{0};
}

Time Playback::lead() const
{
    Time most{0};
    if (!byStamp())
        return most;
    for (const Lane& lane : lanes_)
        if (lane.next < lane.last)
            most = std::max(
                most, duration(lane)
                          - Time(static_cast<std::int64_t>(static_cast<double>((nextTime(lane) - anchorLog_).count()) / pace_.factor)));
    return most;
}

void Playback::anchor()
{
    anchorRun_ = scheduler_.now() + lead();
    beat_ = 0;
}

void Playback::setPace(Pace pace)
{
    anchorLog_ = position();
    pace_ = pace;
    ++changes_;
    anchor();
    if (playing_)
        schedule();
}

void Playback::play()
{
    if (!log_ || playing_ || !on_)
        return;
    if (front() == nullptr) {
        for (Lane& lane : lanes_)
            lane.next = lane.first;
        anchorLog_ = logTime();
    }
    playing_ = true;
    anchor();
    schedule();
}

void Playback::rest()
{
    if (playing_)
        anchorLog_ = position();
    playing_ = false;
    ++changes_;
    for (Lane& lane : lanes_)
        lane.wake.stop();
}

void Playback::seek(Time logTime)
{
    for (Lane& lane : lanes_) {
        const auto found = std::partition_point(lane.rows.begin() + static_cast<std::ptrdiff_t>(lane.first),
            lane.rows.begin() + static_cast<std::ptrdiff_t>(lane.last), [&](trace::Row row) { return snapshot_.time(row) < logTime; });
        lane.next = static_cast<std::size_t>(found - lane.rows.begin());
    }
    anchorLog_ = std::clamp(logTime, start_, end_);
    ++changes_;
    anchor();
    if (playing_)
        schedule();
}

Time Playback::position() const
{
    if (!playing_ || !byStamp())
        return anchorLog_;
    const auto elapsed = static_cast<double>(std::max<std::int64_t>(0, (scheduler_.now() - anchorRun_).count())) * pace_.factor;
    const Lane* next = front();
    const Time limit = next != nullptr ? nextTime(*next) : end_;
    return std::min(limit, anchorLog_ + Time(static_cast<std::int64_t>(std::min(elapsed, 9e18 - 1e17))));
}

// Where everything was sent: begins anew, or ends.
bool Playback::ended()
{
    if (front() != nullptr)
        return false;
    if (loop_ && std::any_of(lanes_.begin(), lanes_.end(), [](const Lane& lane) { return lane.last > lane.first; })) {
        for (Lane& lane : lanes_)
            lane.next = lane.first;
        anchorLog_ = logTime();
        // At a gap the beats go on.
        if (pace_.gap.count() == 0)
            anchorRun_ = scheduler_.now() + (pace_.factor > 0 ? lead() : retryAfter);
        return false;
    }
    anchorLog_ = to_.value_or(end_);
    playing_ = false;
    ++changes_;
    return true;
}

void Playback::schedule()
{
    for (Lane& lane : lanes_)
        lane.wake.stop();
    if (ended())
        return;
    if (oneByOne()) {
        // All buses together stay in the order of the log.
        const Lane* next = front();
        const auto index = static_cast<std::size_t>(next - lanes_.data());
        if (byStamp())
            return schedule(index);
        wake(index, std::max(scheduler_.now(), anchorRun_ + pace_.gap * static_cast<std::int64_t>(beat_)));
        return;
    }
    for (std::size_t i = 0; i < lanes_.size(); ++i)
        schedule(i);
}

void Playback::schedule(std::size_t index)
{
    const Lane& lane = lanes_[index];
    if (lane.next >= lane.last)
        return;
    const auto ahead = static_cast<double>((nextTime(lane) - anchorLog_).count()) / pace_.factor;
    const Time stamp = ahead > 9e18 - static_cast<double>(anchorRun_.count()) ? latestStamp
                                                                              : anchorRun_ + Time(static_cast<std::int64_t>(ahead));
    wake(index, std::max(scheduler_.now(), stamp - duration(lane)));
}

void Playback::due(std::uint32_t index)
{
    Lane& lane = lanes_[index];
    if (!send(lane)) {
        wake(index, scheduler_.now() + retryAfter);
        return;
    }
    ++beat_;
    if (!byStamp())
        anchorLog_ = nextTime(lane);
    ++lane.next;
    if (oneByOne() || front() == nullptr)
        schedule();
    else
        schedule(index);
}

bool Playback::send(Lane& lane)
{
    if (views_ != nullptr) {
        can::Frame shown = nextFrame(lane);
        shown.bus = static_cast<std::uint8_t>(lane.bus);
        shown.time = scheduler_.now();
        views_->onFrame(shown.view(), bus::nobody);
    } else if (!buses_[lane.bus]->accepts(lane.port) || !buses_[lane.bus]->offer(lane.port, nextFrame(lane))) {
        return false;       // what is not taken, as by a kernel whose queue has just filled up, is offered again
    }
    ++sent_;
    rewritten_.changed += lane.outcome.changed ? 1 : 0;
    rewritten_.limited += lane.outcome.limited ? 1 : 0;
    rewritten_.failed += lane.outcome.failed ? 1 : 0;
    return true;
}

void Playback::step(std::size_t count)
{
    rest();
    for (; count > 0 && on_; --count) {
        Lane* lane = front();
        if (lane == nullptr || !send(*lane))
            break;
        anchorLog_ = nextTime(*lane);
        ++lane->next;
    }
}

}  // namespace wavetrope::drive
