// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/interfaces.h"

#include <chrono>

namespace wavetrope::app {

namespace {

constexpr int lookEvery = 250;              // milliseconds; what is told at once, what is counted each second
constexpr std::size_t trendSeconds = 60, errorSeconds = 600;
constexpr double bitsOfFrame = 125;         // about: eight bytes of payload, with stuff bits

}  // namespace

Interfaces& Interfaces::get()
{
    static Interfaces one;
    return one;
}

Interfaces::Interfaces()
{
    auto watch = bus::InterfaceWatch::start();
    if (watch)
        watch_ = std::move(*watch);
    else
        problem_ = QString::fromStdString(watch.error().text());
    connect(&timer_, &QTimer::timeout, this, &Interfaces::look);
    timer_.start(lookEvery);
    look();
}

const bus::WatchedInterface* Interfaces::find(const QString& name) const
{
    for (const bus::WatchedInterface& one : all_)
        if (QString::fromStdString(one.is.name) == name)
            return &one;
    return nullptr;
}

const Interfaces::Trend& Interfaces::trend(const QString& name) const
{
    static const Trend none;
    const auto found = trends_.constFind(name);
    return found == trends_.constEnd() ? none : *found;
}

void Interfaces::show(std::vector<bus::WatchedInterface> instead, const QHash<QString, Trend>& trends)
{
    timer_.stop();
    problem_.clear();
    all_ = std::move(instead);
    trends_ = trends;
    Q_EMIT changed();
}

void Interfaces::look()
{
    if (!watch_)
        return;
    const Time now = std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch());
    const bool differs = !watch_->poll(now).empty();
    const bool counts = now - counted_ >= std::chrono::seconds(1) || now < counted_;
    if (!differs && !counts)
        return;
    all_ = watch_->all();
    if (counts) {
        const double seconds = counted_.count() == 0 ? 0 : std::chrono::duration<double>(now - counted_).count();
        counted_ = now;
        for (const bus::WatchedInterface& one : all_) {
            Trend& trend = trends_[QString::fromStdString(one.is.name)];
            const std::uint64_t frames = one.is.received + one.is.sent;
            if (seconds > 0) {
                const double rate = frames >= trend.frames ? static_cast<double>(frames - trend.frames) / seconds : 0;
                trend.perSecond.push_back(one.gone ? 0 : rate);
                trend.load = one.is.rate.known() ? 100 * rate * bitsOfFrame / one.is.rate.nominal : 0;
                if (trend.perSecond.size() > trendSeconds)
                    trend.perSecond.pop_front();
                trend.errors.emplace_back(one.is.sendErrors.value_or(0), one.is.receiveErrors.value_or(0));
                if (trend.errors.size() > errorSeconds)
                    trend.errors.pop_front();
            }
            trend.frames = frames;
        }
    }
    Q_EMIT changed();
}

}  // namespace wavetrope::app
