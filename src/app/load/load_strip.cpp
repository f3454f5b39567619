// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/load/load_strip.h"

#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/stage/timing_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr double loadHeadWidth = 138;
constexpr Time meanSpan = std::chrono::seconds(1);
/// Bursts that lie closer than this many pixels are shown as one.
constexpr double together = 6;
constexpr trace::Row mostRowsSearched = 100'000;    // for the frame that a click goes to

}  // namespace

LoadStrip::LoadStrip(Stage& stage, unsigned bus, bool showTimes, QWidget* parent)
    : QWidget(parent),
      stage_(stage),
      bus_(bus),
      plot_(new TimePlot(stage, showTimes)),
      mean_(plot_->addGraph()),
      highest_(plot_->addGraph()),
      kept_(plot_->addGraph()),
      slow_(plot_->addGraph()),
      tracer_(new QCPItemTracer(plot_)),
      promise_(new QCPItemStraightLine(plot_))
{
    setObjectName(QStringLiteral("loadStrip"));
    auto* layout = new QHBoxLayout(this);
    layout->setSpacing(0);
    layout->addWidget(plot_, 1);
    plot_->setToolTip(
        tr("Area: mean; line: highest, darker above what is promised; ink: mean over 1 s. Click a peak: cursor and frame of that "
           "moment. Wheel: zoom"));
    plot_->yAxis->setRange(0, 104);
    auto ticker = QSharedPointer<QCPAxisTickerFixed>::create();
    ticker->setTickStep(25);
    plot_->yAxis->setTicker(ticker);
    for (QCPGraph* graph : {mean_, highest_, kept_}) {
        graph->setLineStyle(QCPGraph::lsStepLeft);
        graph->setAdaptiveSampling(false);
    }
    mean_->setName(QStringLiteral("mean"));
    highest_->setName(QStringLiteral("highest"));
    kept_->setName(QStringLiteral("promised"));
    slow_->setName(QStringLiteral("long mean"));
    slow_->setLineStyle(QCPGraph::lsStepLeft);
    slow_->setAdaptiveSampling(false);
    highest_->setChannelFillGraph(kept_);
    tracer_->setStyle(QCPItemTracer::tsCircle);
    tracer_->setSize(7);
    setFocusProxy(plot_);
    connect(plot_, &TimePlot::clickedAt, this, &LoadStrip::jumpTo);
    connect(&stage.timing(), &TimingDesk::changed, this, &LoadStrip::showPromise);
    connect(&Theme::get(), &Theme::changed, this, &LoadStrip::restyle);
    plot_->setReadout([this](double seconds) { return readoutAt(seconds); });
    restyle();
}

void LoadStrip::restyle()
{
    const Theme& theme = Theme::get();
    const QColor hue = theme.bus(stage_.mark(bus_));
    QColor area = hue, above = hue;
    area.setAlphaF(0.4F);
    above.setAlphaF(0.75F);
    highest_->setPen(QPen(hue, 1));
    highest_->setBrush(above);
    kept_->setPen(Qt::NoPen);
    kept_->setBrush(Qt::NoBrush);
    mean_->setPen(Qt::NoPen);
    mean_->setBrush(area);
    slow_->setPen(QPen(theme.ink, 1.2));
    tracer_->setPen(QPen(theme.accent, 1.5));
    tracer_->setBrush(theme.accent);
    promise_->setPen(QPen(theme.ink, 1, Qt::DashLine));
    layout()->setContentsMargins(theme.px(loadHeadWidth), 0, 0, 0);
    setMinimumHeight(theme.px(46));
    showPromise();
}

// At their longest, so that what keeps its promise never exceeds it.
void LoadStrip::showPromise()
{
    const can::BitRate rate = stage_.timing().rate(bus_);
    promised_ = rate.known() ? timing::promisedLoad(stage_.timing().messages(bus_), rate) : 0;
    promise_->setVisible(promised_ > 0);
    promise_->point1->setCoords(0, promised_);
    promise_->point2->setCoords(1, promised_);
    plot_->drawSoon();
}

void LoadStrip::setSpan(Time span, const QString& words)
{
    spanWords_ = words;
    series_.reset();
    second_.reset();
    stage_.document().measures().read([&](const measure::MeasureState& state) {
        if (bus_ < state.loads.size()) {
            series_ = std::make_unique<measure::LoadSeries>(state.loads[bus_], span);
            second_ = std::make_unique<measure::LoadSeries>(state.loads[bus_], meanSpan);
        }
        return 0;
    });
}

void LoadStrip::setChosen(bool chosen)
{
    if (std::exchange(chosen_, chosen) != chosen)
        update();
}

Time LoadStrip::shownAt() const
{
    // At the newest frame the stretch under the cursor is not over yet: the one before it tells the load.
    return stage_.following() && series_ ? std::max(series_->start(), stage_.cursor() - series_->span()) : stage_.cursor();
}

double LoadStrip::loadAtCursor() const { return series_ ? series_->at(shownAt()) : 0; }

void LoadStrip::refresh()
{
    if (!series_)
        return;
    std::vector<measure::Event> bursts;
    stage_.document().measures().read([&](const measure::MeasureState& state) {
        series_->update(state.loads[bus_]);
        second_->update(state.loads[bus_]);
        for (const measure::Event& event : state.events.events())
            if (event.kind == measure::EventKind::burst && event.bus == bus_)
                bursts.push_back(event);
        return 0;
    });
    const double from = stage_.seconds(stage_.windowFrom());
    const double to = stage_.seconds(stage_.windowTo());
    const unsigned columns = plot_->columns();
    // Bins while they are wider than a pixel, else what each pixel column stands for.
    const auto draw = [&](const measure::LoadSeries& series, auto take) {
        const double step = std::max(static_cast<double>(series.span().count()) * 1e-9, (to - from) / columns);
        for (double at = std::floor(from / step) * step; at < to; at += step)
            take(at, series.over(stage_.timeOf(at), stage_.timeOf(at + step)));
    };
    QVector<double> times, highs, kept, means;
    draw(*series_, [&](double at, const measure::RangeSummary& bins) {
        times.append(at);
        highs.append(bins.high);
        kept.append(promised_ > 0 ? std::min(bins.high, promised_) : bins.high);
        means.append(bins.mean());
    });
    highest_->setData(times, highs, true);
    kept_->setData(times, kept, true);
    mean_->setData(times, means, true);
    QVector<double> slowTimes, slowMeans;
    draw(*second_, [&](double at, const measure::RangeSummary& bins) {
        // The second that goes on is not one yet.
        if (stage_.timeOf(at) + meanSpan <= stage_.newest() && stage_.timeOf(at) >= second_->start()) {
            slowTimes.append(at);
            slowMeans.append(bins.mean());
        }
    });
    slow_->setData(slowTimes, slowMeans, true);
    tracer_->position->setCoords(stage_.seconds(shownAt()), loadAtCursor());
    showBursts(bursts, from, to);
    // As many figures at the scale as there is room for.
    qSharedPointerCast<QCPAxisTickerFixed>(plot_->yAxis->ticker())->setTickStep(height() < Theme::get().px(72) ? 50 : 25);
    seen_ = series_->over(std::max(stage_.windowFrom(), series_->start()), std::min(stage_.windowTo(), series_->end()));
    plot_->followStage();
    plot_->drawSoon();
    update();
}

void LoadStrip::showBursts(const std::vector<measure::Event>& bursts, double from, double to)
{
    const Theme& theme = Theme::get();
    for (QCPItemRect* item : burstRects_)
        plot_->removeItem(item);
    for (QCPItemText* item : burstTexts_)
        plot_->removeItem(item);
    burstRects_.clear();
    burstTexts_.clear();
    burstsSeen_ = 0;
    const double pixel = (to - from) / std::max(1U, plot_->columns());
    for (std::size_t i = 0; i < bursts.size();) {
        const double start = stage_.seconds(bursts[i].time);
        double end = stage_.seconds(bursts[i].until);
        std::size_t next = i + 1;
        if (end < from || start > to) {
            i = next;
            continue;
        }
        while (next < bursts.size() && stage_.seconds(bursts[next].time) <= std::min(to, end + together * pixel)) {
            end = stage_.seconds(bursts[next].until);
            ++next;
        }
        burstsSeen_ += next - i;
        auto* box = new QCPItemRect(plot_);
        box->setPen(QPen(theme.error, 1));
        box->topLeft->setCoords(start, 102);
        box->bottomRight->setCoords(end, 0);
        burstRects_.push_back(box);
        auto* words = new QCPItemText(plot_);
        // The word where there is room for it, else the numbers.
        const double room = (next < bursts.size() ? std::min(to, stage_.seconds(bursts[next].time)) : to) - end;
        const QFontMetrics metrics(theme.bodyStrong());
        const QString numbers = next == i + 1 ? QString::number(i + 1) : tr("%1 to %2").arg(i + 1).arg(next);
        const QString whole = next == i + 1 ? tr("burst %1").arg(numbers) : tr("bursts %1").arg(numbers);
        words->setText(room / pixel > metrics.horizontalAdvance(whole) + 10    ? whole
                       : room / pixel > metrics.horizontalAdvance(numbers) + 8 ? numbers
                                                                               : QString());
        words->setFont(theme.bodyStrong());
        words->setColor(theme.ink);
        words->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
        words->setPadding(QMargins(4, 0, 0, 0));
        words->position->setCoords(end, 102);
        burstTexts_.push_back(words);
        i = next;
    }
}

// The stretch under the pointer: its load, how many frames ended in it, and their bits.
QStringList LoadStrip::readoutAt(double seconds) const
{
    if (!series_)
        return {};
    const Time at = stage_.timeOf(seconds);
    return stage_.document().measures().read([&](const measure::MeasureState& state) -> QStringList {
        if (bus_ >= state.loads.size() || at < series_->start() || at >= series_->end())
            return {};
        const measure::LoadBins& bins = state.loads[bus_];
        const std::int64_t each = std::max<std::int64_t>(1, series_->span() / bins.span());
        const std::int64_t first = measure::floorDivide(bins.indexOf(at), each) * each;
        std::uint64_t frames = 0;
        for (std::int64_t i = first; i < first + each; ++i)
            frames += bins.bin(i).frames;
        QStringList out = {tr("load over %1").arg(spanWords_) + QStringLiteral("\t%1 %").arg(series_->at(at), 0, 'f', 1),
            tr("frames") + QLatin1Char('\t') + countText(frames)};
        if (promised_ > 0)
            out << tr("promised") + QStringLiteral("\t%1 %").arg(promised_, 0, 'f', 1);
        return out;
    });
}

std::vector<std::pair<Time, double>> LoadStrip::stretches() const
{
    std::vector<std::pair<Time, double>> out;
    if (!series_)
        return out;
    const Time first = std::max(series_->start(), stage_.windowFrom());
    for (Time at = series_->start() + series_->span() * ((first - series_->start()) / series_->span());
        at < std::min(series_->end(), stage_.windowTo()); at += series_->span())
        out.emplace_back(at, series_->at(at));
    return out;
}

void LoadStrip::jumpTo(double seconds)
{
    Q_EMIT clicked();
    if (!series_)
        return;
    // The highest bin near the click, then the first frame of this bus in it.
    const double perPixel = (stage_.seconds(stage_.windowTo()) - stage_.seconds(stage_.windowFrom())) / plot_->columns();
    const Time peak = series_->peakIn(stage_.timeOf(seconds - 3 * perPixel), stage_.timeOf(seconds + 3 * perPixel) + Time(1));
    trace::Row row = stage_.rowAt(peak);
    row = row == trace::noRow ? 0 : row;
    const trace::Snapshot snapshot = stage_.snapshot();
    const trace::Row limit = std::min<trace::Row>(snapshot.rows(), row + mostRowsSearched);
    while (row < limit && (snapshot.trace().key(snapshot.identifier(row)).bus != bus_ || snapshot.time(row) < peak))
        ++row;
    // The plot sets the cursor to the click once this returns; the frame's moment is set behind that.
    if (row < limit)
        QMetaObject::invokeMethod(
            this,
            [this, row] {
                stage_.setCursorRow(row);
                const trace::TraceKey& key = stage_.snapshot().trace().key(stage_.snapshot().identifier(row));
                Selection selection;
                selection.kind = Selection::Kind::message;
                selection.bus = key.bus;
                selection.id = key.id;
                stage_.select(selection);
            },
            Qt::QueuedConnection);
}

void LoadStrip::mousePressEvent(QMouseEvent* event)
{
    if (event->button() == Qt::LeftButton)
        Q_EMIT clicked();
    else
        event->ignore();
}

void LoadStrip::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    if (bus_ >= stage_.document().buses().size())
        return;
    const trace::TraceBus& bus = stage_.document().buses()[bus_];
    if (chosen_)
        painter.fillRect(QRectF(0, 2, theme.px(3), height() - 4), theme.accent);
    const double left = theme.px(10), room = theme.px(loadHeadWidth - 16);
    paintBusBadge(painter, QRectF(left, theme.px(5), theme.px(14), theme.px(14)), stage_.mark(bus_));
    const QString load = QString::number(loadAtCursor(), 'f', 0) + QStringLiteral(" %");
    const double loadRoom = QFontMetricsF(theme.mono()).horizontalAdvance(QStringLiteral("100 %"));
    const bool tall = height() >= theme.px(108);
    paintText(painter, QRectF(left + theme.px(20), theme.px(4), room - theme.px(20) - (tall ? 0 : loadRoom + theme.px(4)), theme.px(16)),
        QString::fromStdString(bus.name), theme.bodyStrong(), theme.ink);
    double y = theme.px(22);
    const auto line = [&](const QString& words, const QColor& ink) {
        if (y + theme.px(15) <= height())
            paintText(painter, QRectF(left, y, room, theme.px(15)), words, theme.small(), ink);
        y += theme.px(14);
    };
    if (!bus.rate.known())
        return line(tr("bit rate not known"), theme.error);
    if (tall) {
        paintText(painter, QRectF(left, theme.px(24), room, theme.px(22)), load, theme.mono(15), theme.ink);
        y = theme.px(47);
        line(tr("at %1").arg(timeWords(stage_.seconds(shownAt()), 3)), theme.ink2);
    } else {
        paintText(painter, QRectF(left, theme.px(4), room, theme.px(16)), load, theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
    }
    if (seen_.count == 0)
        return;
    line(tr("mean %1 %").arg(seen_.mean(), 0, 'f', 1), theme.ink2);
    line(tr("%1 to %2 %").arg(seen_.low, 0, 'f', 0).arg(seen_.high, 0, 'f', 0), theme.ink2);
    if (promised_ > 0)
        line(tr("promised %1 %").arg(promised_, 0, 'f', 0), theme.ink2);
}

}  // namespace wavetrope::app
