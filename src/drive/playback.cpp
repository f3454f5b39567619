#include "drive/playback.h"

#include <algorithm>
#include <set>

#include "filter/filter_scan.h"

namespace wavetrope::drive {

namespace {

constexpr Time retryAfter = std::chrono::microseconds(50);

bool passes(const Route& route, const database::Catalog& catalog, const trace::TraceKey& key)
{
    if (route.to < 0 || key.error)
        return false;
    if (route.senders == Senders::all)
        return true;
    const auto* message = catalog.find(key.bus, key.id);
    const bool named = message != nullptr && std::find(route.nodes.begin(), route.nodes.end(), message->message->sender) != route.nodes.end();
    return named == (route.senders == Senders::only);
}

}  // namespace

std::string Collision::words(const database::Catalog& catalog) const
{
    return can::toText(id) + (message.empty() ? "" : " " + message) + " on " + catalog.busName(bus) + " is also sent by " + node;
}

Playback::Playback(clock::Scheduler& scheduler, std::vector<bus::Bus*> buses, std::shared_ptr<const database::Catalog> rigCatalog)
    : scheduler_(scheduler), buses_(std::move(buses)), rigCatalog_(std::move(rigCatalog))
{
    for (bus::Bus* bus : buses_)
        ports_.push_back(bus->attach("playback", can::Direction::sent));
}

void Playback::load(std::shared_ptr<const trace::Trace> log, std::shared_ptr<const database::Catalog> logCatalog)
{
    rest();
    log_ = std::move(log);
    logCatalog_ = std::move(logCatalog);
    snapshot_ = log_->snapshot();
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
    rows_.clear();
    chosenByBus_.assign(routes_.size(), 0);
    if (!log_)
        return;
    std::vector<char> identifierPasses;
    for (trace::IdentifierIndex i = 0; i < log_->identifierCount(); ++i) {
        const trace::TraceKey& key = log_->key(i);
        identifierPasses.push_back(key.bus < routes_.size() && passes(routes_[key.bus], *logCatalog_, key) ? 1 : 0);
    }
    // What the routes' own filters pass, where they have any.
    std::vector<std::unique_ptr<filter::FilterScan>> scans;
    for (const Route& route : routes_) {
        scans.push_back(route.filter.passesEverything() ? nullptr : std::make_unique<filter::FilterScan>(route.filter));
        if (scans.back())
            scans.back()->advance(snapshot_, {~std::uint64_t{0}, 0});
    }
    for (std::uint64_t position = 0; position < order_.rows(); ++position) {
        const trace::Row row = order_.rowAt(position);
        const trace::IdentifierIndex identifier = snapshot_.identifier(row);
        if (identifierPasses[identifier] == 0)
            continue;
        const std::uint8_t bus = log_->key(identifier).bus;
        if (scans[bus] && !scans[bus]->rows().contains(row))
            continue;
        rows_.push_back(row);
        ++chosenByBus_[bus];
    }
    setRange(from_, to_);
}

void Playback::setRange(std::optional<Time> from, std::optional<Time> to)
{
    from_ = from;
    to_ = to;
    const auto place = [&](Time time, bool behind) {
        const auto found = std::partition_point(rows_.begin(), rows_.end(), [&](trace::Row row) { return behind ? snapshot_.time(row) <= time : snapshot_.time(row) < time; });
        return static_cast<std::size_t>(found - rows_.begin());
    };
    first_ = from ? place(*from, false) : 0;
    last_ = to ? place(*to, true) : rows_.size();
    last_ = std::max(first_, last_);
    rest();
    next_ = first_;
    anchorLog_ = logTimeAt(next_);
}

std::vector<Collision> Playback::collisions(const std::vector<Sender>& senders) const
{
    std::set<std::pair<std::uint8_t, std::uint32_t>> sending;
    for (std::size_t i = first_; i < last_; ++i) {
        const trace::TraceKey& key = log_->key(snapshot_.identifier(rows_[i]));
        sending.emplace(static_cast<std::uint8_t>(routes_[key.bus].to), key.id.key());
    }
    std::vector<Collision> out;
    for (const Sender& sender : senders)
        if (sending.contains({sender.bus, sender.id.key()})) {
            const auto* message = rigCatalog_->find(sender.bus, sender.id);
            out.push_back({sender.bus, sender.id, message != nullptr ? message->message->name : std::string(), sender.node});
        }
    return out;
}

Time Playback::logTimeAt(std::size_t index) const
{
    if (rows_.empty())
        return start_;
    if (index == first_ && !from_)
        return start_;  // the log's own beginning, not that of the first chosen frame
    return index < rows_.size() ? snapshot_.time(rows_[index]) : end_;
}

void Playback::setPace(Pace pace)
{
    anchorLog_ = position();
    anchorRun_ = scheduler_.now();
    pace_ = pace;
    if (playing_)
        schedule();
}

void Playback::play()
{
    if (!log_ || playing_)
        return;
    if (next_ >= last_) {
        next_ = first_;
        anchorLog_ = logTimeAt(first_);
    }
    playing_ = true;
    anchorRun_ = scheduler_.now();
    schedule();
}

void Playback::rest()
{
    if (playing_)
        anchorLog_ = position();
    playing_ = false;
    ++generation_;
}

void Playback::seek(Time logTime)
{
    const auto found = std::partition_point(rows_.begin() + static_cast<std::ptrdiff_t>(first_), rows_.begin() + static_cast<std::ptrdiff_t>(last_),
                                            [&](trace::Row row) { return snapshot_.time(row) < logTime; });
    next_ = static_cast<std::size_t>(found - rows_.begin());
    anchorLog_ = std::clamp(logTime, start_, end_);
    anchorRun_ = scheduler_.now();
    if (playing_)
        schedule();
}

Time Playback::position() const
{
    if (!playing_ || pace_.factor <= 0)
        return anchorLog_;
    const auto elapsed = static_cast<double>((scheduler_.now() - anchorRun_).count()) * pace_.factor;
    const Time limit = next_ < rows_.size() ? snapshot_.time(rows_[next_]) : end_;
    return std::min(limit, anchorLog_ + Time(static_cast<std::int64_t>(elapsed)));
}

void Playback::schedule()
{
    ++generation_;
    if (next_ >= last_) {
        if (loop_ && last_ > first_) {
            next_ = first_;
            anchorLog_ = logTimeAt(first_);
            anchorRun_ = scheduler_.now() + (pace_.factor > 0 ? Time(0) : retryAfter);
        } else {
            anchorLog_ = next_ >= rows_.size() ? end_ : snapshot_.time(rows_[next_]);
            playing_ = false;
            return;
        }
    }
    Time when = scheduler_.now();
    if (pace_.factor > 0) {
        const auto ahead = static_cast<double>((snapshot_.time(rows_[next_]) - anchorLog_).count());
        when = anchorRun_ + Time(static_cast<std::int64_t>(ahead / pace_.factor));
    }
    scheduler_.at(
        when,
        [](void* context, std::uint64_t tag) {
            auto* self = static_cast<Playback*>(context);
            if (tag == self->generation_)
                self->due();
        },
        this, generation_);
}

void Playback::due()
{
    if (!send(next_)) {
        scheduler_.at(
            scheduler_.now() + retryAfter,
            [](void* context, std::uint64_t tag) {
                auto* self = static_cast<Playback*>(context);
                if (tag == self->generation_)
                    self->due();
            },
            this, ++generation_);
        return;
    }
    if (pace_.factor <= 0)
        anchorLog_ = snapshot_.time(rows_[next_]);
    ++next_;
    schedule();
}

bool Playback::send(std::size_t index)
{
    const can::FrameView view = snapshot_.frame(rows_[index]);
    const auto to = static_cast<std::size_t>(routes_[view.bus].to);
    if (!buses_[to]->accepts(ports_[to]))
        return false;
    buses_[to]->offer(ports_[to], can::Frame(view));
    ++sent_;
    return true;
}

void Playback::step(std::size_t count)
{
    rest();
    for (; count > 0 && next_ < last_; --count) {
        if (!send(next_))
            break;
        anchorLog_ = snapshot_.time(rows_[next_]);
        ++next_;
    }
}

}  // namespace wavetrope::drive
