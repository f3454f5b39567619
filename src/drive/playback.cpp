// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/playback.h"

#include <algorithm>
#include <charconv>
#include <set>
#include <sstream>

#include "base/nearest_name.h"
#include "base/stamp.h"
#include "base/time_text.h"
#include "filter/filter_scan.h"

namespace wavetrope::drive {

namespace {

constexpr Time retryAfter = std::chrono::microseconds(50);

constexpr std::size_t mostOffered = 8192;  // of a bus that takes frames and never shows them
constexpr std::size_t lateKept = 256;

bool passes(const Route& route, const database::Catalog& catalog, const trace::TraceKey& key, bool errors)
{
    if (route.to < 0 || route.from != key.bus || (key.error && !errors))
        return false;
    if (route.senders == Senders::all)
        return true;
    const auto* message = catalog.find(key.bus, key.id);
    const bool named = message != nullptr
                       && std::find(route.nodes.begin(), route.nodes.end(), message->message->sender) != route.nodes.end();
    return named == (route.senders == Senders::only);
}

bool passes(const Route& route, const can::FrameHead& frame)
{
    switch (frame.kind) {
    case can::FrameKind::data:
        if (!route.kinds.data)
            return false;
        break;
    case can::FrameKind::fd:
        if (!route.kinds.fd)
            return false;
        break;
    case can::FrameKind::remote:
        if (!route.kinds.remote)
            return false;
        break;
    case can::FrameKind::error: break;
    }
    return route.directions == Directions::both
           || frame.direction == (route.directions == Directions::sent ? can::Direction::sent : can::Direction::received);
}

std::string nameOf(const Beat& beat, const database::Catalog& rig)
{
    const database::CatalogMessage* message = rig.find(beat.bus, beat.id);
    return rig.busName(beat.bus) + "." + (message != nullptr ? message->message->name : can::toText(beat.id));
}

// A message of the rig by its name, BUS.NAME or its identifier.
Expected<Beat> beatOf(const std::string& name, const database::Catalog& rig)
{
    const auto id = can::identifierFromText(name);
    std::optional<Beat> found;
    std::vector<std::string> names;
    for (const database::CatalogMessage& message : rig.messages()) {
        const std::string full = rig.busName(static_cast<std::uint8_t>(message.bus)) + "." + message.message->name;
        names.push_back(message.message->name);
        if (name != message.message->name && name != full && !(id && *id == message.message->id))
            continue;
        if (found)
            return fail("'" + name + "' is a message of two buses", {}, "Say which, such as " + full);
        found = Beat{static_cast<std::uint8_t>(message.bus), message.message->id, 1};
    }
    if (!found)
        return fail("no database of the rig has a message '" + name + "'", {}, didYouMean(name, names));
    return *found;
}

}  // namespace

Expected<Pace> paceFromText(std::string_view text, const database::Catalog& rig)
{
    std::istringstream in{std::string(text)};
    std::string word;
    if (!(in >> word) || word != "every")
        return fail("expected a pace such as 'every 5 ms' or 'every 2 BladeState', not '" + std::string(text) + "'");
    std::string rest;
    std::getline(in >> std::ws, rest);
    while (!rest.empty() && rest.back() == ' ')
        rest.pop_back();
    Pace pace;
    if (const auto gap = spanFromText(rest)) {
        if (gap->count() <= 0)
            return fail("from beat to beat some time passes, such as 5 ms");
        pace.gap = *gap;
        return pace;
    }
    unsigned every = 1;
    const auto blank = rest.find(' ');
    if (const auto [end, wrong] = std::from_chars(rest.data(), rest.data() + std::min(blank, rest.size()), every);
        blank != std::string::npos && wrong == std::errc() && end == rest.data() + blank) {
        if (every == 0 || every > 1'000'000)
            return fail(
                "a frame goes out at each, every second, ... or every millionth frame of a message, not at every " + std::to_string(every));
        rest = rest.substr(rest.find_first_not_of(' ', blank));
    } else
        every = 1;
    auto beat = beatOf(rest, rig);
    if (!beat)
        return tl::unexpected(beat.error());
    pace.beat = *beat;
    pace.beat->every = every;
    return pace;
}

std::string toText(const Pace& pace, const database::Catalog& rig)
{
    if (pace.beat)
        return "every " + (pace.beat->every > 1 ? std::to_string(pace.beat->every) + " " : std::string()) + nameOf(*pace.beat, rig);
    return pace.gap.count() > 0 ? "every " + spanText(pace.gap) : std::string();
}

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
        ears_.push_back(std::make_unique<Ear>(*this, i));
        buses_[i]->listen(ears_.back().get());
    }
    begins_ = clock::Timer::calling<&Playback::begin>(scheduler_, this);
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
    std::vector<Route> routes(logCatalog_->busCount());
    for (std::size_t i = 0; i < routes.size(); ++i)
        routes[i].from = static_cast<int>(i);
    route(std::move(routes));
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
    chosenByRoute_.assign(routes_.size(), 0);
    if (!log_)
        return;
    // Which routes an identifier may take.
    std::vector<std::vector<std::size_t>> open(log_->identifierCount());
    std::vector<bool> played(log_->buses().size());
    for (std::size_t i = 0; i < routes_.size(); ++i) {
        if (routes_[i].to >= 0 && routes_[i].from >= 0 && static_cast<std::size_t>(routes_[i].from) < played.size())
            played[static_cast<std::size_t>(routes_[i].from)] = true;
        for (trace::IdentifierIndex k = 0; k < open.size(); ++k)
            if (passes(routes_[i], *logCatalog_, log_->key(k), views_ != nullptr))
                open[k].push_back(i);
    }
    // What the routes' own filters pass, where they have any.
    std::vector<std::unique_ptr<filter::FilterScan>> scans;
    std::vector<bool> looks;
    for (const Route& route : routes_) {
        scans.push_back(route.filter.passesEverything() || route.to < 0 ? nullptr : std::make_unique<filter::FilterScan>(route.filter));
        if (scans.back())
            scans.back()->advance(snapshot_, {~std::uint64_t{0}, 0});
        looks.push_back(route.directions != Directions::both || !route.kinds.all());
    }
    order_.each([&](trace::Row row) {
        const trace::IdentifierIndex identifier = snapshot_.identifier(row);
        const trace::TraceKey& key = log_->key(identifier);
        if (key.error && views_ == nullptr && key.bus < played.size() && played[key.bus])
            ++errorsLeftOut_;
        for (const std::size_t i : open[identifier]) {
            if ((scans[i] && !scans[i]->rows().contains(row)) || (looks[i] && !passes(routes_[i], snapshot_.frame(row))))
                continue;
            ++chosenByRoute_[i];
            Lane& lane = lanes_[static_cast<std::size_t>(routes_[i].to)];
            if (!lane.rows.empty() && lane.rows.back() == row)
                continue;       // another route has brought it there
            lane.rows.push_back(row);
            ++chosen_;
        }
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
        PlaybackFacts{loaded(), playing_, loop_, pace_.factor, start_, end_, position(), chosen_, sent_, chosenByRoute_, routes_,
            loaded() && finished(), pace_.gap, rewriting_.texts(), rewritten_, pace_.beat, views_ != nullptr, loopPause_, playsAt_,
            restsBehind_.has_value(), late_, {lateFrames_.begin(), lateFrames_.end()}}};
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
    beats_ = 0;
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
    playsAt_.reset();
    begins_.stop();
    beats_ = 0;
    ++changes_;
    anchor();
    schedule();
}

void Playback::begin() { play(); }

void Playback::playAt(std::optional<Time> instant)
{
    begins_.stop();
    playsAt_ = instant;
    ++changes_;
    if (instant)
        begins_.at(std::max(*instant, scheduler_.now()), 0);
}

// At its pace; what is not chosen is passed over.
void Playback::goTo(Place place)
{
    rest();
    restsBehind_ = place;
    play();
}

bool Playback::playTo(const filter::Filter& filter)
{
    if (front() == nullptr)
        return false;
    filter::FilterScan scan(filter);
    scan.advance(snapshot_, {~std::uint64_t{0}, 0});
    std::optional<Place> found;
    for (const Lane& lane : lanes_)
        for (std::size_t i = lane.next; i < lane.last; ++i)
            if (scan.rows().contains(lane.rows[i])) {
                const Place place{snapshot_.time(lane.rows[i]), lane.rows[i]};
                found = std::min(found.value_or(place), place);
                break;
            }
    if (found)
        goTo(*found);
    return found.has_value();
}

bool Playback::playTo(Time logTime)
{
    const Lane* next = front();
    if (next == nullptr || nextTime(*next) > logTime)
        return false;
    goTo({logTime, ~trace::Row{0}});
    return true;
}

bool Playback::there() const
{
    const Lane* next = front();
    return restsBehind_ && (next == nullptr || placeOf(*next) > *restsBehind_);
}

void Playback::rest()
{
    if (playing_)
        anchorLog_ = position();
    playing_ = false;
    restsBehind_.reset();
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
        // At a gap the beats go on, unless there is a pause.
        if (pace_.gap.count() == 0 || loopPause_.count() > 0) {
            anchorRun_ = scheduler_.now() + loopPause_ + (byStamp() ? lead() : retryAfter);
            beat_ = 0;
        }
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
    if (there())
        return rest();
    if (ended())
        return;
    if (pace_.beat)
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
    if (lane.next >= lane.last || (restsBehind_ && placeOf(lane) > *restsBehind_))
        return;
    wake(index, std::max(scheduler_.now(), dueOf(lane) - duration(lane)));
}

// When the next frame's last bit is due.
Time Playback::dueOf(const Lane& lane) const
{
    if (!byStamp())
        return anchorRun_ + pace_.gap * static_cast<std::int64_t>(beat_) + duration(lane);
    const auto ahead = static_cast<double>((nextTime(lane) - anchorLog_).count()) / pace_.factor;
    return ahead > 9e18 - static_cast<double>(anchorRun_.count()) ? latestStamp : anchorRun_ + Time(static_cast<std::int64_t>(ahead));
}

void Playback::heard(std::size_t index, const can::FrameView& frame, bus::Port sender)
{
    Lane& lane = lanes_[index];
    if (sender != lane.port && pace_.beat && playing_ && pace_.beat->bus == lane.bus && frame.id == pace_.beat->id
        && frame.kind != can::FrameKind::error && ++beats_ >= pace_.beat->every) {
        beats_ = 0;
        if (const Lane* next = front(); next != nullptr)
            wake(static_cast<std::size_t>(next - lanes_.data()), scheduler_.now());
    }
    // A bus of the world does not tell who sent what.
    const bool own = sender == lane.port || (sender == bus::nobody && frame.direction == can::Direction::sent);
    if (!own || lane.offered.empty() || !(frame.id == lane.offered.front().id))
        return;
    const Offered offered = lane.offered.front();
    lane.offered.pop_front();
    if (frame.time - offered.due <= lateFrom)
        return;
    ++late_;
    ++changes_;
    lateFrames_.push_back({offered.log, frame.time - offered.due});
    if (lateFrames_.size() > lateKept)
        lateFrames_.pop_front();
}

void Playback::due(std::uint32_t index)
{
    Lane& lane = lanes_[index];
    const Time due = dueOf(lane);
    if (!send(lane)) {
        wake(index, scheduler_.now() + retryAfter);
        return;
    }
    if (views_ == nullptr && (byStamp() || (pace_.gap.count() > 0 && !pace_.beat))) {
        if (lane.offered.size() >= mostOffered)
            lane.offered.pop_front();
        lane.offered.push_back({nextFrame(lane).id, due, nextTime(lane)});
    }
    ++beat_;
    if (!byStamp())
        anchorLog_ = nextTime(lane);
    ++lane.next;
    if (oneByOne() || front() == nullptr || there())
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
