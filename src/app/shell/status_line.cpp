// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/status_line.h"

#include <algorithm>
#include <cmath>

#include "app/keeping/keeping.h"
#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/notation.h"
#include "app/stage/interfaces.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int everyMs = 250;
constexpr int toldMs = 8000;
constexpr double rateOver = 0.2;    // seconds that a rate is taken over at least

}  // namespace

StatusLine::StatusLine(Stage& stage, QWidget* parent) : QStatusBar(parent), stage_(stage), facts_(new ElidedLabel), state_(new QLabel)
{
    setSizeGripEnabled(false);
    addWidget(facts_, 1);
    addPermanentWidget(state_);
    const auto restyle = [this] {
        const Theme& theme = Theme::get();
        setStyleSheet(QStringLiteral("QStatusBar { background: %1; border-top: 1px solid %2; } QStatusBar::item { border: none; } "
                                     "QStatusBar QLabel { padding: 2px 8px; }")
                .arg(theme.ground.name(), theme.hairline.name()));
        facts_->setFont(theme.body());
        state_->setFont(theme.body());
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    told_.setSingleShot(true);
    connect(&told_, &QTimer::timeout, this, &StatusLine::refresh);
    connect(&again_, &QTimer::timeout, this, &StatusLine::refresh);
    again_.start(everyMs);
    refresh();
}

void StatusLine::tell(const QString& text)
{
    state_->setText(text);
    told_.start(toldMs);
}

void StatusLine::refresh()
{
    facts_->setText(factsNow());
    facts_->setToolTip(facts_->text());
    if (!told_.isActive())
        state_->setText(stateNow());
}

QString StatusLine::factsNow()
{
    const RunDocument& document = stage_.document();
    if (!document.begun())
        return tr("Reading %1").arg(QString::fromStdString(document.title()));
    const std::uint64_t rows = stage_.snapshot().rows();
    QStringList facts;
    if (stage_.emptyDesk()) {
        const auto& all = Interfaces::get().all();
        const auto alive = std::count_if(
            all.begin(), all.end(), [](const bus::WatchedInterface& one) { return !one.gone && one.is.alive(); });
        facts << tr("nothing captured yet") << tr("%1 interfaces known").arg(all.size()) << tr("%1 alive").arg(alive);
        return facts.join(QStringLiteral("      "));
    }
    if (!document.isLive())
        facts << QString::fromStdString(document.title());
    facts << tr("%1 frames").arg(countText(rows));
    if (!document.ready())
        facts << tr("reading, %1 % (Escape on the timeline ends it)").arg(document.percentRead());
    else if (document.follows())
        facts << tr("following the file as it grows (Escape on the timeline ends it)");
    facts << runFacts(rows) << tr("%1 identifiers, %2 explained").arg(stage_.document().trace().identifierCount()).arg(explained());
    return facts.join(QStringLiteral("      "));
}

QStringList StatusLine::runFacts(std::uint64_t rows)
{
    RunDocument& document = stage_.document();
    QStringList facts;
    rig::Session* session = document.session();
    if (session == nullptr) {
        facts << timeWords(stage_.seconds(stage_.newest()), 1);
        if (document.trace().disorders() > 0)
            facts << tr("%1 stamps run backwards").arg(countText(document.trace().disorders()));
        return facts;
    }
    // Frames by the time of the run, which is what the buses carry; how fast that goes stands beside.
    const Time now = wall_.now();
    const Time run = session->now();
    if (const double seconds = static_cast<double>((now - lastAt_).count()) * 1e-9; seconds >= rateOver) {
        const double ran = static_cast<double>((run - lastRun_).count()) * 1e-9;
        // Of the frames that the views have, and by their own stamps: what the run is ahead of the views does not count.
        const Time stamp = rows > 0 ? stage_.snapshot().time(rows - 1) : Time{0};
        const double carried = static_cast<double>((stamp - lastStamp_).count()) * 1e-9;
        rate_ = lastRows_ == 0 || rows <= lastRows_ || carried <= 0 ? 0 : static_cast<double>(rows - lastRows_) / carried;
        lastStamp_ = stamp;
        factor_ = lastAt_.count() == 0 ? 1 : ran / seconds;
        lastRows_ = rows;
        lastAt_ = now;
        lastRun_ = run;
    }
    const rig::RunPace pace = session->pace();
    if (pace.held)
        facts << (pace.stoppedBy.empty() ? tr("time is held") : tr("time is held: %1").arg(QString::fromStdString(pace.stoppedBy)));
    facts << tr("%1 frames/s").arg(countText(static_cast<std::uint64_t>(rate_)))
                 + (session->running() && !pace.held && std::abs(factor_ - 1) > 0.25
                         ? tr(" at %1 times the pace").arg(factor_, 0, 'f', factor_ < 10 ? 1 : 0)
                         : QString());
    std::uint64_t lost = 0;
    for (const bus::Health& health : session->health())
        lost += health.lost;
    facts << tr("%1 lost").arg(countText(lost));
    const auto recording = session->recording();
    const auto keeping = session->keeping();
    const auto memory = document.trace().memory();
    if (!recording.problem.empty())
        facts << QString::fromStdString(recording.problem);
    else if (recording.on)
        facts << tr("recording to %1, %2 MB")
                     .arg(QString::fromStdString(recording.path))
                     .arg(static_cast<double>(recording.bytes) * 1e-6, 0, 'f', 1);
    else if (!keeping.path.empty())
        facts << keepingText(memory, keeping.bytes);
    else
        facts << tr("kept in memory, %1 MB").arg(static_cast<double>(memory) * 1e-6, 0, 'f', 1);
    if (keeping.letGo > 0)
        facts << tr("%1 let go").arg(countText(keeping.letGo));
    return facts;
}

std::size_t StatusLine::explained()
{
    const trace::Trace& trace = stage_.document().trace();
    if (countedOf_ != stage_.document().catalog()) {
        countedOf_ = stage_.document().catalog();
        counted_ = explained_ = 0;
    }
    for (const std::size_t all = trace.identifierCount(); counted_ < all; ++counted_) {
        const trace::TraceKey& key = trace.key(static_cast<trace::IdentifierIndex>(counted_));
        explained_ += !key.error && countedOf_->find(key.bus, key.id) != nullptr ? 1 : 0;
    }
    return explained_;
}

QString StatusLine::stateNow() const
{
    const RunDocument& document = stage_.document();
    if (!document.isLive())
        return tr("Space: to the last frame");
    if (stage_.emptyDesk())
        return tr("Enter: watch what is ticked      Ctrl+O: open");
    const rig::Session* session = stage_.document().session();
    if (session->running())
        return stage_.following() ? tr("following the newest frame") : tr("resting, capture goes on. Space: back to now");
    return stage_.following() ? tr("stopped, at the newest frame") : tr("stopped. Space: to the newest frame");
}

}  // namespace wavetrope::app
