// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/playback_log.h"

#include "formats/text_layout.h"

namespace wavetrope::rig {

namespace {

// All of a log, or an error: a playback of less than was asked for would be another one.
Expected<formats::ReadReport> readWhole(
    const std::vector<formats::LogPart>& parts, trace::Trace& log, const std::function<bool()>& goesOn = {})
{
    formats::LoadHooks hooks;
    hooks.progress = [&](std::uint64_t, std::uint64_t) { return !goesOn || goesOn(); };
    const formats::KeptLayouts kept{formats::KeptLayouts::usualFolder()};
    const std::vector<formats::TextLayout>& layouts = kept.all();
    formats::ReadOptions options;
    options.kept = &layouts;
    auto report = formats::loadLogs(parts, log, hooks, options);
    if (!report)
        return tl::unexpected(report.error());
    if (report->full)
        return tl::unexpected(*report->full);
    return std::move(*report);
}

}  // namespace

Expected<formats::ReadReport> PlaybackLog::load(const std::vector<formats::LogPart>& parts)
{
    auto log = std::make_shared<trace::Trace>();
    auto report = readWhole(parts, *log);
    if (report)
        take(log, trace::TimeIndex(log->snapshot()));
    return report;
}

void PlaybackLog::read(const std::vector<formats::LogPart>& parts, std::function<void(std::function<void()>)> post, Done done)
{
    stopReading();
    stop_ = false;
    reader_ = std::thread([this, parts, post = std::move(post), done = std::move(done)] {
        auto log = std::make_shared<trace::Trace>();
        auto report = readWhole(parts, *log, [this] { return !stop_; });
        if (!report || report->cancelled)
            return done(std::move(report));
        post([this, log, order = trace::TimeIndex(log->snapshot()), report, done] {
            take(log, order);
            done(report);
        });
    });
}

void PlaybackLog::stopReading()
{
    stop_ = true;
    if (reader_.joinable())
        reader_.join();
}

void PlaybackLog::take(std::shared_ptr<trace::Trace> log, trace::TimeIndex order)
{
    std::vector<std::string> names;
    for (const trace::TraceBus& bus : log->buses())
        names.push_back(bus.name);
    catalog_ = catalogFor(names, rig_, databases_);
    playback_.load(log, catalog_, std::move(order));
    const std::scoped_lock lock(mutex_);
    log_ = std::move(log);
    told_ = catalog_;
}

Expected<filter::Filter> PlaybackLog::filter(const std::string& text) const
{
    const auto named = rig_.namedFilters();
    return filter::Filter::compile(text, catalog_, {&named});
}

std::shared_ptr<const trace::Trace> PlaybackLog::log() const
{
    const std::scoped_lock lock(mutex_);
    return log_;
}

std::shared_ptr<const database::Catalog> PlaybackLog::catalog() const
{
    const std::scoped_lock lock(mutex_);
    return told_;
}

}  // namespace wavetrope::rig
