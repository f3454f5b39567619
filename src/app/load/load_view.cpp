// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/load/load_view.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>

#include <algorithm>
#include <array>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/notation.h"
#include "app/stage/bus_choice.h"
#include "app/stage/timing_desk.h"
#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

constexpr std::array<int, 10> spans = {1, 2, 5, 10, 20, 50, 100, 200, 500, 1000};  // ms
constexpr int usualSpan = 4;
constexpr double loadHeadWidth = 138;
constexpr Time meanSpan = std::chrono::seconds(1);
constexpr Time takersSpan = std::chrono::seconds(1);
constexpr std::size_t mostBurstsShown = 12;
constexpr unsigned takersEvery = 6;  // beats

}  // namespace

LoadView::LoadView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      busBox_(new BusChoice(stage, QStringLiteral("loadBus"), tr("Bus whose load is shown"))),
      span_(new QSlider(Qt::Horizontal)),
      over_(new QLabel(tr("averaged over"))),
      spanText_(new QLabel),
      facts_(new ElidedLabel),
      plot_(new TimePlot(stage, true)),
      takers_(new TakersList(stage)),
      peaks_(plot_->addGraph()),
      mean_(plot_->addGraph()),
      tracer_(new QCPItemTracer(plot_)),
      promise_(new QCPItemStraightLine(plot_))
{
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    bar->setSpacing(8);
    span_->setObjectName(QStringLiteral("loadSpan"));
    span_->setRange(0, static_cast<int>(spans.size()) - 1);
    span_->setValue(usualSpan);
    span_->setFixedWidth(88);
    span_->setToolTip(tr("Averaged over: short shows bursts, long shows trends"));
    spanText_->setMinimumWidth(48);
    for (QWidget* widget : std::initializer_list<QWidget*>{busBox_, over_, span_, spanText_})
        bar->addWidget(widget);
    facts_->setObjectName(QStringLiteral("loadFacts"));
    facts_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);   // cut before it makes the pane wider
    bar->addWidget(facts_, 1);

    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(Theme::get().px(loadHeadWidth), 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(plot_, 1);
    layout->addWidget(takers_);
    plot_->setToolTip(tr("Area: mean; line: highest. Click a peak: cursor and frames of that moment. Wheel: zoom"));
    plot_->yAxis->setRange(0, 104);
    auto ticker = QSharedPointer<QCPAxisTickerFixed>::create();
    ticker->setTickStep(25);
    plot_->yAxis->setTicker(ticker);
    peaks_->setLineStyle(QCPGraph::lsStepLeft);
    peaks_->setAdaptiveSampling(false);
    mean_->setLineStyle(QCPGraph::lsStepLeft);
    mean_->setAdaptiveSampling(false);
    tracer_->setStyle(QCPItemTracer::tsCircle);
    tracer_->setSize(7);
    setFocusProxy(plot_);

    connect(busBox_, &QComboBox::currentIndexChanged, this, &LoadView::chooseBus);
    connect(span_, &QSlider::valueChanged, this, &LoadView::chooseSpan);
    connect(&stage, &Stage::beat, this, &LoadView::refresh);
    connect(&stage, &Stage::axisChanged, this, &LoadView::refresh);
    connect(&stage, &Stage::becameReady, this, &LoadView::rebuild);
    connect(&Theme::get(), &Theme::changed, this, &LoadView::rebuild);
    connect(plot_, &TimePlot::clickedAt, this, &LoadView::jumpTo);
    connect(&stage.timing(), &TimingDesk::changed, this, &LoadView::showPromise);
    plot_->setPennants(true);
    plot_->setReadout([this](double seconds) { return readoutAt(seconds); });
    takersDelay_.setSingleShot(true);
    takersDelay_.setInterval(40);
    connect(&takersDelay_, &QTimer::timeout, this, &LoadView::showTakers);
    rebuild();
}

void LoadView::rebuild()
{
    const Theme& theme = Theme::get();
    busBox_->fill();
    bus_ = busBox_->bus();
    QColor area = theme.bus(stage().mark(bus_));
    area.setAlphaF(0.45F);
    peaks_->setPen(QPen(theme.bus(stage().mark(bus_)), 1));
    peaks_->setBrush(Qt::NoBrush);
    mean_->setPen(Qt::NoPen);
    mean_->setBrush(area);
    tracer_->setPen(QPen(theme.accent, 1.5));
    tracer_->setBrush(theme.accent);
    facts_->setFont(theme.body());
    spanText_->setFont(theme.mono());
    layout()->setContentsMargins(theme.px(loadHeadWidth), 0, 0, 0);
    promise_->setPen(QPen(theme.ink, 1, Qt::DashLine));
    showPromise();
    chooseSpan(span_->value());
}

// At their longest, so that what keeps its promise never exceeds it.
void LoadView::showPromise()
{
    const can::BitRate rate = stage().timing().rate(bus_);
    promised_ = rate.known() ? timing::promisedLoad(stage().timing().messages(bus_), rate) : 0;
    promise_->setVisible(promised_ > 0);
    promise_->point1->setCoords(0, promised_);
    promise_->point2->setCoords(1, promised_);
    plot_->drawSoon();
}

// The stretch under the pointer: its load, and how many frames ended in it.
QStringList LoadView::readoutAt(double seconds) const
{
    if (!series_)
        return {};
    const Time at = stage().timeOf(seconds);
    return stage().document().measures().read([&](const measure::MeasureState& state) -> QStringList {
        if (bus_ >= state.loads.size() || at < series_->start() || at >= series_->end())
            return {};
        const measure::LoadBins& bins = state.loads[bus_];
        const std::int64_t each = std::max<std::int64_t>(1, series_->span() / bins.span());
        const std::int64_t first = measure::floorDivide(bins.indexOf(at), each) * each;
        std::uint64_t frames = 0;
        for (std::int64_t i = first; i < first + each; ++i)
            frames += bins.bin(i).frames;
        return {tr("load over %1").arg(spanText_->text()) + QStringLiteral("\t%1 %").arg(series_->at(at), 0, 'f', 1),
            tr("frames") + QLatin1Char('\t') + countText(frames)};
    });
}

// Each stretch of the window: its begin, and its load.
QString LoadView::csv() const
{
    if (!series_)
        return {};
    QString out = QStringLiteral("time,load_percent\n");
    const Time first = std::max(series_->start(), stage().windowFrom());
    for (Time at = series_->start() + series_->span() * ((first - series_->start()) / series_->span());
        at < std::min(series_->end(), stage().windowTo()); at += series_->span())
        out += QString::fromStdString(wavetrope::secondsText(at - stage().document().begins())) + QLatin1Char(',')
               + QString::number(series_->at(at), 'f', 3) + QLatin1Char('\n');
    return out;
}

void LoadView::chooseBus(int index)
{
    if (index < 0)
        return;
    rebuild();
    Q_EMIT setUpChanged();
}

void LoadView::chooseSpan(int step)
{
    const int ms = spans[static_cast<std::size_t>(std::clamp(step, 0, static_cast<int>(spans.size()) - 1))];
    spanText_->setText(ms >= 1000 ? QStringLiteral("1 s") : QStringLiteral("%1 ms").arg(ms));
    series_.reset();
    slow_.reset();
    counted_ = {};
    stage().document().measures().read([&](const measure::MeasureState& state) {
        if (bus_ < state.loads.size()) {
            series_ = std::make_unique<measure::LoadSeries>(state.loads[bus_], std::chrono::milliseconds(ms));
            slow_ = std::make_unique<measure::LoadSeries>(state.loads[bus_], meanSpan);
        }
        return 0;
    });
    refresh();
    Q_EMIT setUpChanged();
}

Time LoadView::shownAt() const
{
    // At the newest frame the stretch under the cursor is not over yet: the one before it tells the load.
    return stage().following() && series_ ? std::max(series_->start(), stage().cursor() - series_->span()) : stage().cursor();
}

double LoadView::loadAtCursor() const { return series_ ? series_->at(shownAt()) : 0; }

void LoadView::refresh()
{
    if (!isVisible() || !series_)
        return;
    const Theme& theme = Theme::get();
    std::vector<measure::Event> bursts;
    stage().document().measures().read([&](const measure::MeasureState& state) {
        series_->update(state.loads[bus_]);
        slow_->update(state.loads[bus_]);
        for (const measure::Event& event : state.events.events())
            if (event.kind == measure::EventKind::burst && event.bus == bus_)
                bursts.push_back(event);
        return 0;
    });
    const double from = stage().seconds(stage().windowFrom());
    const double to = stage().seconds(stage().windowTo());
    const unsigned columns = plot_->columns();
    // Bins while they are wider than a pixel, else the peak of each pixel column.
    const double binSeconds = static_cast<double>(series_->span().count()) * 1e-9;
    const double step = std::max(binSeconds, (to - from) / columns);
    QVector<double> times;
    QVector<double> peaks;
    QVector<double> means;
    for (double at = std::floor(from / step) * step; at < to; at += step) {
        const measure::RangeSummary bins = series_->over(stage().timeOf(at), stage().timeOf(at + step));
        times.append(at);
        peaks.append(bins.high);
        means.append(bins.mean());
    }
    // The area is the mean at any zoom; the line over it the highest bin of each pixel.
    peaks_->setData(times, peaks, true);
    mean_->setData(times, means, true);
    tracer_->position->setCoords(stage().seconds(shownAt()), loadAtCursor());

    for (QCPItemRect* item : burstRects_)
        plot_->removeItem(item);
    for (QCPItemText* item : burstTexts_)
        plot_->removeItem(item);
    burstRects_.clear();
    burstTexts_.clear();
    std::size_t inWindow = 0;
    for (std::size_t i = 0; i < bursts.size(); ++i) {
        const double start = stage().seconds(bursts[i].time);
        const double end = stage().seconds(bursts[i].until);
        if (end < from || start > to || ++inWindow > mostBurstsShown)
            continue;
        auto* box = new QCPItemRect(plot_);
        box->setPen(QPen(theme.error, 1));
        box->topLeft->setCoords(start, 102);
        box->bottomRight->setCoords(end, 0);
        burstRects_.push_back(box);
        auto* text = new QCPItemText(plot_);
        // The word where there is room for it, else the number.
        const double room = (i + 1 < bursts.size() ? std::min(to, stage().seconds(bursts[i + 1].time)) : to) - end;
        const double pixels = room / (to - from) * columns;
        const QFontMetrics metrics(theme.bodyStrong());
        const QString long_ = tr("burst %1").arg(i + 1);
        const QString short_ = QString::number(i + 1);
        text->setText(pixels > metrics.horizontalAdvance(long_) + 10   ? long_
                      : pixels > metrics.horizontalAdvance(short_) + 8 ? short_
                                                                       : QString());
        text->setFont(theme.bodyStrong());
        text->setColor(theme.ink);
        text->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
        text->setPadding(QMargins(4, 0, 0, 0));
        text->position->setCoords(end, 102);
        burstTexts_.push_back(text);
    }
    const measure::RangeSummary window = series_->over(
        std::max(stage().windowFrom(), series_->start()), std::min(stage().windowTo(), series_->end()));
    facts_->setText(tr("in view: highest %1 %, mean %2 %, %3")
            .arg(window.count > 0 ? window.high : 0, 0, 'f', 0)
            .arg(window.mean(), 0, 'f', 0)
            .arg(inWindow == 0   ? tr("no bursts")
                 : inWindow == 1 ? tr("1 burst")
                                 : tr("%1 bursts").arg(inWindow)));
    facts_->setToolTip(facts_->text());
    plot_->followStage();
    plot_->drawSoon();
    if (!stage().following()) {
        if (!takersDelay_.isActive())       // beats go on meanwhile
            takersDelay_.start();
    } else if (beats_++ % takersEvery == 0)
        showTakers();
    update();
}

void LoadView::showTakers()
{
    Time from = stage().windowFrom();
    Time to = std::min(stage().windowTo(), stage().newest());
    QString what = tr("in view");
    if (!stage().following()) {
        // Around the cursor, wherever it was set.
        from = std::max(stage().wholeFrom(), stage().cursor() - takersSpan / 2);
        to = std::min(from + takersSpan, stage().newest());
        what = tr("1 s at %1").arg(timeWords(stage().seconds(stage().cursor()), 2));
    }
    stage().document().measures().read([&](const measure::MeasureState& state) {
        unsigned number = 0;
        for (const measure::Event& event : state.events.events()) {
            if (event.kind != measure::EventKind::burst || event.bus != bus_)
                continue;
            ++number;
            if (!stage().following() && stage().cursor() >= event.time && stage().cursor() <= event.until) {
                from = event.time;
                to = event.until;
                what = tr("burst %1, %2 ms").arg(number).arg((to - from).count() / 1'000'000);
            }
        }
        return 0;
    });
    // At rest the same stretch is counted once, while beats go on.
    const Counted wanted{bus_, from, to, to < stage().newest()};
    if (counted_ == wanted && wanted.past)
        return;
    counted_ = wanted;
    takers_->show(bus_, from, to, what);
}

void LoadView::jumpTo(double seconds)
{
    if (!series_)
        return;
    // The highest bin near the click, then the first frame of this bus in it.
    const double perPixel = (stage().seconds(stage().windowTo()) - stage().seconds(stage().windowFrom())) / plot_->columns();
    const Time peak = series_->peakIn(stage().timeOf(seconds - 3 * perPixel), stage().timeOf(seconds + 3 * perPixel) + Time(1));
    trace::Row row = stage().rowAt(peak);
    row = row == trace::noRow ? 0 : row;
    const trace::Snapshot snapshot = stage().snapshot();
    const trace::Row limit = std::min<trace::Row>(snapshot.rows(), row + 100'000);
    while (row < limit && (snapshot.trace().key(snapshot.identifier(row)).bus != bus_ || snapshot.time(row) < peak))
        ++row;
    // The plot sets the cursor to the click once this returns; the frame's moment is set behind that.
    if (row < limit)
        QMetaObject::invokeMethod(
            this,
            [this, row] {
                stage().setCursorRow(row);
                const trace::TraceKey& key = stage().snapshot().trace().key(stage().snapshot().identifier(row));
                Selection selection;
                selection.kind = Selection::Kind::message;
                selection.bus = key.bus;
                selection.id = key.id;
                stage().select(selection);
                showTakers();
            },
            Qt::QueuedConnection);
}

void LoadView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    if (bus_ >= stage().document().buses().size())
        return;
    const double left = theme.px(10);
    paintBusBadge(painter, QRectF(left, theme.px(6), theme.px(14), theme.px(14)), stage().mark(bus_));
    paintText(painter, QRectF(left + theme.px(20), theme.px(5), theme.px(104), theme.px(16)),
        QString::fromStdString(stage().document().buses()[bus_].name), theme.bodyStrong(), theme.ink);
    if (!stage().document().buses()[bus_].rate.known()) {
        paintText(painter, QRectF(left, theme.px(24), theme.px(124), theme.px(20)), tr("bit rate not known"), theme.body(), theme.error);
        return;
    }
    paintText(painter, QRectF(left, theme.px(26), theme.px(124), theme.px(24)),
        QString::number(loadAtCursor(), 'f', 0) + QStringLiteral(" %"), theme.mono(15), theme.ink);
    paintText(painter, QRectF(left, theme.px(48), theme.px(124), theme.px(16)), tr("at %1").arg(timeWords(stage().seconds(shownAt()), 3)),
        theme.body(), theme.ink3);
    if (height() < theme.px(98))
        return;     // the plot's tooltip says it too
    paintText(painter, QRectF(left, theme.px(66), theme.px(124), theme.px(16)), tr("area: mean"), theme.small(), theme.ink3);
    paintText(painter, QRectF(left, theme.px(80), theme.px(124), theme.px(16)), tr("line: highest"), theme.small(), theme.ink3);
    if (promised_ > 0 && height() >= theme.px(116))
        paintText(painter, QRectF(left, theme.px(94), theme.px(124), theme.px(16)), tr("dashes: promised %1 %").arg(promised_, 0, 'f', 0),
            theme.small(), theme.ink3);
}

void LoadView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    // Where it is narrow, the tooltip says what is averaged, and the plot goes before the list.
    over_->setVisible(width() > Theme::get().px(740));
    takers_->setVisible(width() > Theme::get().px(480));
    takers_->setFixedWidth(std::clamp(width() * 3 / 10, Theme::get().px(150), Theme::get().px(236)));
}

void LoadView::contextMenuEvent(QContextMenuEvent* event)
{
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("loadMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (int i = 0; i < busBox_->count(); ++i) {
        QAction* bus = menu->addAction(
            tr("Load of %1").arg(busBox_->itemData(i).toString()), this, [this, i] { busBox_->setCurrentIndex(i); });
        bus->setCheckable(true);
        bus->setChecked(i == busBox_->currentIndex());
    }
    menu->addSeparator();
    menu->addAction(tr("Copy as a picture"), this, [this] { QApplication::clipboard()->setPixmap(grab()); });
    menu->addAction(tr("Show the whole run"), this, [this] { stage().setWindow(stage().wholeFrom(), stage().wholeTo()); });
    menu->popup(event->globalPos());
}

nlohmann::json LoadView::save() const
{
    return {{"bus", busBox_->busName()}, {"span", std::to_string(spans[static_cast<std::size_t>(span_->value())]) + " ms"}};
}

void LoadView::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("bus") && setUp["bus"].is_string())
        busBox_->want(QString::fromStdString(setUp["bus"].get<std::string>()));
    if (setUp.contains("span") && setUp["span"].is_string()) {
        const int ms = QString::fromStdString(setUp["span"].get<std::string>()).section(QLatin1Char(' '), 0, 0).toInt();
        for (std::size_t i = 0; i < spans.size(); ++i)
            if (spans[i] == ms)
                span_->setValue(static_cast<int>(i));
    }
    rebuild();
}

}  // namespace wavetrope::app
