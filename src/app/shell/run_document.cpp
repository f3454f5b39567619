#include "app/shell/run_document.h"

#include <QFileInfo>

#include "formats/log_format.h"

namespace wavetrope::app {

namespace {

class ReadingSink final : public formats::TraceSink {
public:
    ReadingSink(trace::Trace& trace, std::atomic<bool>& cancelled, std::atomic<int>& percent) : TraceSink(trace), cancelled_(cancelled), percent_(percent) {}
    bool onProgress(std::uint64_t done, std::uint64_t total) override
    {
        percent_ = total == 0 ? 0 : static_cast<int>(90 * done / total);
        return !cancelled_;
    }

private:
    std::atomic<bool>& cancelled_;
    std::atomic<int>& percent_;
};

std::vector<measure::ConditionSpec> conditionsOf(const rig::Rig& rig, const std::shared_ptr<const database::Catalog>& catalog)
{
    std::vector<measure::ConditionSpec> conditions;
    const auto named = rig.namedFilters();
    for (const rig::EventSpec& event : rig.events)
        if (auto filter = filter::Filter::compile(event.when, catalog, {&named}))  // an event whose signals this log has not is no event here
            conditions.push_back({event.name, std::move(*filter), event.hold});
    return conditions;
}

}  // namespace

Expected<std::unique_ptr<RunDocument>> RunDocument::live(const rig::Rig& rig, double factor)
{
    auto document = std::unique_ptr<RunDocument>(new RunDocument);
    document->rig_ = rig;
    document->path_ = rig.path;
    document->title_ = QString::fromStdString(rig.name);
    document->databases_ = rig::loadDatabases(rig);
    auto session = rig::Session::create(rig, document->databases_);
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

std::unique_ptr<RunDocument> RunDocument::log(const std::string& path, const rig::Rig& rig)
{
    auto document = std::unique_ptr<RunDocument>(new RunDocument);
    document->rig_ = rig;
    document->path_ = path;
    document->title_ = QFileInfo(QString::fromStdString(path)).fileName();
    document->trace_ = &document->ownTrace_;
    document->ownMeasures_ = std::make_unique<measure::Measures>(document->catalog_, std::vector<can::BitRate>{}, std::vector<measure::ConditionSpec>{});
    document->measures_ = document->ownMeasures_.get();
    document->reader_ = std::thread([self = document.get()] { self->read(); });
    return document;
}

RunDocument::~RunDocument()
{
    cancelled_ = true;
    if (reader_.joinable())
        reader_.join();
    if (session_)
        session_->stop();
}

void RunDocument::read()
{
    ReadingSink sink(ownTrace_, cancelled_, percent_);
    const auto report = formats::readLogFile(path_, sink);
    if (!report)
        problem_ = QString::fromStdString(report.error().text());
    else if (!report->warnings.empty())
        problem_ = QString::fromStdString(report->warnings.front().text());
    else if (report->cancelled)
        problem_ = QStringLiteral("Reading was cancelled; what was read is shown.");

    databases_ = rig::loadDatabases(rig_);
    buses_ = ownTrace_.buses();
    std::vector<std::string> names;
    std::vector<can::BitRate> rates;
    for (std::size_t i = 0; i < buses_.size(); ++i) {
        for (const rig::BusSpec& bus : rig_.buses)
            if (bus.name == buses_[i].name && !buses_[i].rate.known())
                buses_[i].rate = bus.rate;
        names.push_back(buses_[i].name);
        rates.push_back(buses_[i].rate);
        if (buses_[i].name.empty())
            buses_[i].name = "Bus " + std::to_string(i + 1);
    }
    catalog_ = rig::catalogFor(names, rig_, databases_);
    ownMeasures_ = std::make_unique<measure::Measures>(catalog_, rates, conditionsOf(rig_, catalog_));
    measures_ = ownMeasures_.get();
    const trace::Snapshot snapshot = ownTrace_.snapshot();
    begins_ = snapshot.earliest();
    while (!cancelled_ && !ownMeasures_->advance(snapshot, 1U << 18))
        percent_ = 90 + static_cast<int>(10 * ownMeasures_->read([](const measure::MeasureState& s) { return s.rows; }) / std::max<std::uint64_t>(1, snapshot.rows()));
    percent_ = 100;
    ready_ = true;
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

Time RunDocument::end() const
{
    return session_ ? session_->now() : trace_->snapshot().latest();
}

}  // namespace wavetrope::app
