// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/run_document.h"

#include <filesystem>
#include <utility>

#include "formats/log_loading.h"
#include "rig/conditions.h"

namespace wavetrope::rig {

namespace {

// Rows that are read before anything is shown, and at most between two measurings.
constexpr std::uint64_t firstRows = 20'000, rowsBetween = 65'536;
using namespace std::chrono_literals;
constexpr auto lookAgainAfter = 240ms;

}  // namespace

Expected<std::unique_ptr<RunDocument>> RunDocument::live(
    const Rig& rig, double factor, std::optional<spool::SpoolOptions> spool, std::optional<TakesOptions> takes)
{
    auto document = std::unique_ptr<RunDocument>(new RunDocument);
    document->rig_ = rig;
    document->path_ = rig.path;
    document->title_ = rig.name;
    document->databases_ = loadDatabases(rig);
    SessionOptions options;
    options.spool = std::move(spool);
    options.takes = std::move(takes);
    auto session = Session::create(rig, document->databases_, options);
    if (!session)
        return tl::unexpected(session.error());
    document->session_ = std::move(*session);
    const auto& leftOut = document->session_->leftOut();
    document->databases_.problems.insert(document->databases_.problems.end(), leftOut.begin(), leftOut.end());
    document->trace_ = &document->session_->trace();
    document->catalog_ = document->session_->catalog();
    document->measures_ = &document->session_->measures();
    document->buses_ = document->trace_->buses();
    document->begins_ = document->session_->begins();
    document->ready_ = true;
    document->session_->start(document->wall_, factor);
    return document;
}

std::unique_ptr<RunDocument> RunDocument::log(
    const std::string& path, const Rig& rig, std::optional<formats::TextLayout> layout, bool follow)
{
    return logs({{path, Time{0}, false, std::move(layout)}}, rig, follow);
}

std::unique_ptr<RunDocument> RunDocument::logs(std::vector<formats::LogPart> parts, const Rig& rig, bool follow)
{
    const std::string path = parts.front().path;
    auto document = std::unique_ptr<RunDocument>(new RunDocument);
    document->rig_ = rig;
    document->readingRig_ = rig;
    document->path_ = path;
    document->title_ = std::filesystem::path(path).filename().string();
    if (parts.size() > 1)
        document->title_ += " +" + std::to_string(parts.size() - 1);
    document->parts_ = std::move(parts);
    document->trace_ = &document->ownTrace_;
    document->following_ = follow;
    document->ownMeasures_.push_back(
        std::make_shared<measure::Measures>(document->catalog_, std::vector<can::BitRate>{}, std::vector<filter::ConditionSpec>{}));
    document->measures_ = document->ownMeasures_.back().get();
    document->reader_ = std::thread([self = document.get()] { self->read(); });
    return document;
}

RunDocument::~RunDocument()
{
    cancelled_ = true;
    closing_ = true;
    if (reader_.joinable())
        reader_.join();
    if (session_)
        session_->stop();
}

void RunDocument::prepare()
{
    Prepared next;
    next.buses = ownTrace_.buses();
    busesPrepared_ = next.buses.size();
    std::vector<std::string> names;
    std::vector<can::BitRate> rates;
    for (std::size_t i = 0; i < next.buses.size(); ++i) {
        for (const BusSpec& bus : readingRig_.buses)
            if (bus.name == next.buses[i].name && !next.buses[i].rate.known())
                next.buses[i].rate = bus.rate;
        names.push_back(next.buses[i].name);
        rates.push_back(next.buses[i].rate);
        if (next.buses[i].name.empty())
            next.buses[i].name = "Bus " + std::to_string(i + 1);
    }
    next.catalog = catalogFor(names, readingRig_, databases_);
    EventConditions events = conditionsOf(readingRig_, next.catalog);
    next.measures = std::make_shared<measure::Measures>(
        next.catalog, rates, events.conditions, std::string(), std::vector<std::shared_ptr<measure::Observer>>{}, events.rules);
    next.begins = ownTrace_.snapshot().earliest();
    measuring_ = next.measures;
    const std::scoped_lock lock(preparedMutex_);
    beginsPrepared_ = next.begins;
    prepared_ = std::move(next);
}

Expected<void> RunDocument::setDictionary(const std::string& bus, std::uint8_t node, const std::string& file)
{
    if (!isLive() && !ready_)
        return fail("the log is still being read", path_, "Wait until it is");
    if (!file.empty())
        if (const auto read = loadDictionary(databases_, bus, node, rig_.resolve(file)); !read)
            return read;
    if (const auto set = rig_.setDictionary(bus, node, file); !set) {
        databases_.dictionaries.erase({bus, node});
        databases_.processData.erase({bus, node});
        return set;
    }
    if (file.empty()) {
        databases_.dictionaries.erase({bus, node});
        databases_.processData.erase({bus, node});
    }
    return {};
}

void RunDocument::measureSome()
{
    const trace::Snapshot snapshot = ownTrace_.snapshot();
    while (!cancelled_ && !measuring_->advance(snapshot, 1U << 18)) {}
}

void RunDocument::wakeMeasuring(bool all)
{
    {
        const std::scoped_lock lock(measuringMutex_);
        measureAll_ = measureAll_ || all;
    }
    measuringWake_.notify_one();
}

void RunDocument::measureBeside()
{
    std::uint64_t seen = 0;
    std::unique_lock lock(measuringMutex_);
    for (;;) {
        measuringWake_.wait(
            lock, [&] { return readingOver_ || measureAll_ || (ownTrace_.rows() >= firstRows && ownTrace_.rows() >= seen + rowsBetween); });
        if (readingOver_)
            return;
        const bool all = std::exchange(measureAll_, false);
        lock.unlock();
        seen = ownTrace_.rows();
        if (measuring_ == nullptr || ownTrace_.buses().size() != busesPrepared_)
            prepare();
        measureSome();
        if (all) {
            measuring_->completeOrder(ownTrace_.snapshot());
            ready_ = true;
        }
        lock.lock();
        measuredOnce_ = true;
        firstMeasured_.notify_one();
    }
}

void RunDocument::waitForFirst()
{
    std::unique_lock lock(measuringMutex_);
    firstMeasured_.wait(lock, [&] { return measuredOnce_; });
}

bool RunDocument::waitForMore()
{
    wakeMeasuring(true);
    for (auto waited = 0ms; waited < lookAgainAfter && !closing_ && !cancelled_; waited += 20ms)
        std::this_thread::sleep_for(20ms);
    return !closing_ && !cancelled_;
}

void RunDocument::read()
{
    databases_ = loadDatabases(readingRig_);
    std::thread measurer([this] { measureBeside(); });
    // Rows go into the trace as they are read; the first of them open the window, the rest fills it.
    std::uint64_t told = 0;
    formats::LoadHooks hooks;
    hooks.rows = [&] {
        const std::uint64_t rows = ownTrace_.rows();
        if (rows < firstRows || rows < told + rowsBetween)
            return;
        wakeMeasuring(false);
        if (std::exchange(told, rows) == 0)  // the first rows are shown before the rest takes the machine
            waitForFirst();
    };
    hooks.progress = [this](std::uint64_t done, std::uint64_t total) {
        percent_ = total == 0 ? 0 : static_cast<int>(99 * done / total);
        return !cancelled_;
    };
    formats::ReadOptions options;
    if (following_)
        options.more = [this] { return waitForMore(); };
    const auto report = formats::loadLogs(parts_, ownTrace_, hooks, options);
    {
        const std::scoped_lock lock(measuringMutex_);
        readingOver_ = true;
    }
    measuringWake_.notify_one();
    measurer.join();
    if (report && !report->badLines.empty())
        badLines_ = report->badLines;
    std::string problem;
    if (!report)
        problem = report.error().text();
    else if (report->full)
        problem = report->full->text();
    else if (!report->warnings.empty())
        problem = report->warnings.front().text();
    else if (report->cancelled)
        problem = "Reading was cancelled; what was read is shown.";
    // Late buses, and frames that were stamped before all that came before them, change what stands on the screen.
    Time begins{};
    {
        const std::scoped_lock lock(preparedMutex_);
        problem_ = problem;
        begins = beginsPrepared_;
    }
    if (measuring_ == nullptr || busesPrepared_ != ownTrace_.buses().size() || begins != ownTrace_.snapshot().earliest())
        prepare();
    const bool cancelled = cancelled_.exchange(false);  // what was read is measured all the same
    const trace::Snapshot snapshot = ownTrace_.snapshot();
    while (!closing_ && !measuring_->advance(snapshot, 1U << 18)) {}
    if (!closing_)
        measuring_->completeOrder(snapshot);
    cancelled_ = cancelled;
    percent_ = 100;
    following_ = false;
    ready_ = true;
}

bool RunDocument::adopt()
{
    std::optional<Prepared> next;
    {
        const std::scoped_lock lock(preparedMutex_);
        next.swap(prepared_);
    }
    if (!next)
        return false;
    buses_ = std::move(next->buses);
    // What was derived anew while the log was read holds on.
    setCatalog(next->catalog->derives(rig_.derived) ? std::move(next->catalog) : next->catalog->withDerived(rig_.derived));
    ownMeasures_.push_back(std::move(next->measures));
    measures_ = ownMeasures_.back().get();
    begins_ = next->begins;
    adopted_ = true;
    return true;
}

std::shared_ptr<const database::Catalog> RunDocument::setCatalog(std::shared_ptr<const database::Catalog> catalog)
{
    // Views let go of what they looked up when they hear of it; one turn later nothing refers to the oldest any more.
    std::shared_ptr<const database::Catalog> oldest;
    retired_.push_back(std::move(catalog_));
    if (retired_.size() > 2) {
        oldest = std::move(retired_.front());
        retired_.erase(retired_.begin());
    }
    catalog_ = std::move(catalog);
    return oldest;
}

Time RunDocument::end() const { return session_ ? session_->now() : trace_->snapshot().latest(); }

}  // namespace wavetrope::rig
