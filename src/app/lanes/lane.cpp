// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/lane.h"

#include <QContextMenuEvent>
#include <QDropEvent>
#include <QHBoxLayout>
#include <QMenu>
#include <QMimeData>
#include <QPainter>
#include <QTimer>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

#include "app/lanes/lane_graph.h"
#include "app/lanes/lanes_view.h"
#include "app/paint/paint.h"
#include "app/parts/in_place.h"
#include "app/parts/notation.h"
#include "app/stage/signal_drag.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int usualScaleRoom = 44;
constexpr int mostNameWidth = 84;       // of a value's name at the scale
constexpr int mostLinesAtOnce = 7;      // that a lane of many curves asks room for
constexpr int foldedHeight = 24, edgeHeight = 5;
constexpr double mostEnd = 1e300;       // of a scale
constexpr int ticksOfScale = 3;

// What is counted, or on and off, has no values between.
class WholeTicker : public QCPAxisTicker {
protected:
    double getTickStep(const QCPRange& range) override { return std::max(1.0, std::ceil(QCPAxisTicker::getTickStep(range))); }
};

}  // namespace

class Lane::Mark : public QWidget {
public:
    explicit Mark(QWidget* parent) : QWidget(parent)
    {
        setObjectName(QStringLiteral("dropMark"));
        setAttribute(Qt::WA_TransparentForMouseEvents);
        hide();
    }
    void show(Place place)
    {
        place_ = place;
        setGeometry(parentWidget()->rect());
        setVisible(place != Place::none);
        raise();
        update();
    }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        const QColor accent = Theme::get().accent;
        if (place_ == Place::here) {
            painter.setPen(QPen(accent, 2));
            painter.drawRect(QRectF(rect()).adjusted(1, 1, -1, -1));
        } else {
            painter.fillRect(QRectF(0, place_ == Place::above ? 0 : height() - Theme::get().px(3), width(), Theme::get().px(3)), accent);
        }
    }

private:
    Place place_ = Place::none;
};

class Lane::Edge : public QWidget {
public:
    explicit Edge(Lane& lane) : QWidget(&lane), lane_(lane)
    {
        setObjectName(QStringLiteral("laneEdge"));
        setCursor(Qt::SplitVCursor);
        setToolTip(Lane::tr("Drag: how high the lane is; double click: its share of what there is"));
    }

protected:
    void mousePressEvent(QMouseEvent* event) override
    {
        from_ = lane_.height();
        at_ = event->globalPosition().y();
    }
    void mouseMoveEvent(QMouseEvent* event) override { lane_.setFixedHeight(wanted(event)); }
    void mouseReleaseEvent(QMouseEvent* event) override
    {
        if (std::abs(event->globalPosition().y() - at_) < 2)
            return;
        LaneSetUp next = lane_.setUp_;
        next.height = static_cast<int>(std::lround(wanted(event) / Theme::get().scale()));
        lane_.view_.changeLane(lane_.index_, next, Lane::tr("height of a lane"));
    }
    void mouseDoubleClickEvent(QMouseEvent*) override
    {
        LaneSetUp next = lane_.setUp_;
        next.height = 0;
        lane_.view_.changeLane(lane_.index_, next, Lane::tr("height of a lane"));
    }

private:
    [[nodiscard]] int wanted(const QMouseEvent* event) const
    {
        constexpr int most = 1200;
        return std::clamp(from_ + static_cast<int>(event->globalPosition().y() - at_), Theme::get().px(40), Theme::get().px(most));
    }
    Lane& lane_;
    int from_ = 0;
    double at_ = 0;
};

Lane::Lane(LanesView& view, const LaneSetUp& setUp, std::size_t index)
    : QWidget(&view),
      view_(view),
      setUp_(setUp),
      index_(index),
      head_(new LaneHead(view.stage(), curves_, this)),
      plot_(new TimePlot(view.stage(), false)),
      ground_(new LaneGround(plot_->xAxis, plot_->yAxis)),
      mark_(new Mark(this)),
      edge_(new Edge(*this)),
      field_(new InPlaceField(this))
{
    setObjectName(QStringLiteral("lane"));
    setAcceptDrops(true);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(head_);
    beside_ = new QVBoxLayout;
    beside_->setSpacing(0);
    beside_->addWidget(plot_, 1);
    layout->addLayout(beside_, 1);
    plot_->setAcceptDrops(false);
    plot_->installEventFilter(this);
    ground_->setLayer(QStringLiteral("grid"));
    // What the pointer is on, exact: the value that holds there.
    plot_->setReadout([this](double seconds) {
        QStringList lines;
        for (const Curve& curve : curves_)
            if (const auto value = curve.series->at(view_.stage().snapshot(), view_.stage().timeOf(seconds)))
                lines << curve.source.name() + QLatin1Char('\t') + curve.source.reading(*value);
        return lines;
    });
    plot_->setAccessibleDescription(
        tr("Click: cursor here. A, B: a mark at the pointer. Wheel: zoom. Shift and wheel: move. Ctrl and drag: zoom into a box. On the "
           "scale: drag moves it, the wheel zooms it, a double click at an end types it."));
    plot_->setContextMenuPolicy(Qt::NoContextMenu);
    connect(plot_, &TimePlot::columnsChanged, &view, &LanesView::refreshSoon);
    connect(head_, &LaneHead::dragged, this, [this](int curve) { view_.dragCurve(*this, static_cast<std::size_t>(curve)); });
    connect(head_, &LaneHead::foldWanted, this, [this] { view_.fold(index_); });
    bringCurves();
    tellLost();
    layAxes();
    nameValues();
    restyle();
    layHeight();
    scale();
    connect(&Theme::get(), &Theme::changed, this, &Lane::restyle);
}

void Lane::bringCurves()
{
    for (const QString& path : setUp_.paths) {
        const auto source = curveOf(view_.stage().document().catalog(), path);
        if (!source) {
            lost_.push_back(lostCurve(view_.stage().catalog(), path));
            continue;
        }
        Curve curve;
        curve.source = *source;
        curve.series = view_.stage().curveDesk().series(*source);
        curve.graph = new LaneGraph(plot_->xAxis, plot_->yAxis);
        curve.graph->setAdaptiveSampling(false);
        curves_.push_back(std::move(curve));
    }
    if (curves_.size() > 1)
        for (Curve& curve : curves_) {
            curve.letter = new QCPItemText(plot_);
            curve.letter->setPositionAlignment(Qt::AlignRight | Qt::AlignVCenter);
            curve.letter->setPadding(QMargins(2, 0, 2, 0));
            curve.letter->setClipToAxisRect(true);
        }
    raiseChosen();
}

void Lane::raiseChosen()
{
    for (const Curve& curve : curves_)
        if (curves_.size() > 1 && curve.source.chosenIn(view_.stage().selection())) {
            curve.graph->setLayer(curve.graph->layer());
            plot_->drawSoon();
        }
}

// They stay where they were, with the reason and what could take their place.
void Lane::tellLost()
{
    if (lost_.empty())
        return;
    QStringList lines;
    for (std::size_t i = 0; i < lost_.size(); ++i) {
        const LostCurve& lost = lost_[i];
        QString line = QStringLiteral("<b>%1</b>: %2. ").arg(lost.name.toHtmlEscaped(), lost.why.toHtmlEscaped());
        if (!lost.next.isEmpty())
            line +=
                QStringLiteral("<a href=\"next:%1\">%2</a> &nbsp; ").arg(i).arg(tr("Draw %1 instead").arg(lost.nextName).toHtmlEscaped());
        line += QStringLiteral("<a href=\"away:%1\">%2</a>").arg(i).arg(tr("Take it away"));
        lines << line;
    }
    lostWords_ = new QLabel(lines.join(QStringLiteral("<br>")));
    lostWords_->setObjectName(QStringLiteral("laneLost"));
    lostWords_->setTextFormat(Qt::RichText);
    lostWords_->setTextInteractionFlags(Qt::LinksAccessibleByKeyboard | Qt::LinksAccessibleByMouse);
    lostWords_->setWordWrap(true);
    lostWords_->setMargin(6);
    Theme::writeInBody(lostWords_);
    connect(lostWords_, &QLabel::linkActivated, this, [this](const QString& link) {
        const auto index = static_cast<std::size_t>(link.mid(5).toUInt());
        if (index >= lost_.size())
            return;
        // The lanes are made anew behind this click.
        const LostCurve lost = lost_[index];
        LanesView& view = view_;
        QTimer::singleShot(0, &view, [&view, lost, away = link.startsWith(QLatin1String("away"))] {
            if (away)
                view.remove(lost.path);
            else
                view.replace(lost.path, lost.next);
        });
    });
    beside_->insertWidget(0, lostWords_);
}

void Lane::apply(const LaneSetUp& setUp)
{
    setUp_ = setUp;
    layAxes();
    nameValues();
    restyle();
    layHeight();
    refresh();
}

// Enumerations and flags that stand alone are told by name.
bool Lane::asBand() const { return setUp_.form == LaneSetUp::Form::usual && curves_.size() == 1 && curves_.front().source.named(); }

// The first axis stands at the left, further ones at the right.
void Lane::layAxes()
{
    for (const Curve& curve : curves_)
        curve.graph->setValueAxis(plot_->yAxis);
    QCPAxisRect* rect = plot_->axisRect();
    while (rect->axisCount(QCPAxis::atRight) > 1)
        rect->removeAxis(rect->axis(QCPAxis::atRight, rect->axisCount(QCPAxis::atRight) - 1));
    plot_->yAxis2->setVisible(false);
    if (setUp_.own)
        for (std::size_t i = 1; i < curves_.size(); ++i) {
            QCPAxis* axis = i == 1 ? plot_->yAxis2 : rect->addAxis(QCPAxis::atRight);
            axis->setVisible(true);
            axis->setTickLabels(true);
            axis->grid()->setVisible(false);
            curves_[i].graph->setValueAxis(axis);
        }
    for (const Curve& curve : curves_)
        if (curve.letter != nullptr)
            curve.letter->position->setAxes(plot_->xAxis, curve.graph->valueAxis());
    const bool band = asBand();
    plot_->yAxis->setTickLabels(!band);
    if (band && band_ == nullptr) {
        band_ = new LaneBand(plot_->xAxis, plot_->yAxis);
        const database::Signal& signal = curves_.front().source.ref.signal();
        band_->flag = signal.length == 1;
        band_->nameOf = [this](double value) { return curves_.front().source.reading(value); };
        band_->colourOf = [this](double value) {
            const auto& tints = Theme::get().tint;
            const auto place = std::find_if(names_.begin(), names_.end(), [value](const auto& name) { return name.first == value; });
            const auto number = place == names_.end() ? tints.size() - 1 : static_cast<std::size_t>(place - names_.begin());
            return tints[number % tints.size()];
        };
    } else if (!band && band_ != nullptr) {
        plot_->removePlottable(band_);
        band_ = nullptr;
    }
    for (const Curve& curve : curves_)
        curve.graph->setVisible(!band);
}

int Lane::axesAtRight() const { return setUp_.own && !setUp_.folded ? std::max(0, static_cast<int>(curves_.size()) - 1) : 0; }

int Lane::leastHeight() const
{
    const Theme& theme = Theme::get();
    if (setUp_.folded)
        return theme.px(foldedHeight);
    // Two names with their values, or as many lines as are read at a glance.
    const int lines = std::min(static_cast<int>(curves_.size()), mostLinesAtOnce);
    const int words = lostWords_ == nullptr ? 0 : theme.px(24 * static_cast<int>(lost_.size()));
    return words + theme.px(curves_.empty() ? 8 : asBand() ? 42 : curves_.size() > 1 ? std::max(82, 17 * lines + 8) : 64);
}

void Lane::layHeight()
{
    plot_->setVisible(!setUp_.folded && !curves_.empty());
    if (lostWords_ != nullptr)
        lostWords_->setVisible(!setUp_.folded || curves_.empty());
    edge_->setVisible(!setUp_.folded);
    if (setUp_.folded || asBand() || curves_.empty() || setUp_.height > 0) {
        // A band, and words alone, want no share of what is left over.
        setFixedHeight(setUp_.folded || setUp_.height == 0 ? leastHeight() : Theme::get().px(setUp_.height));
    } else {
        setMinimumHeight(leastHeight());
        setMaximumHeight(QWIDGETSIZE_MAX);
    }
    layout()->setAlignment(head_, setUp_.folded ? Qt::AlignLeft : Qt::Alignment());
}

void Lane::restyle()
{
    const Theme& theme = Theme::get();
    layHeight();
    // Room for the ends of its range, so that the heads stand still while values go on.
    for (Curve& curve : curves_) {
        const QFontMetricsF metrics(theme.mono());
        curve.valueRoom = 0;
        for (const auto& end : {curve.source.minimum(), curve.source.maximum()})
            if (end)
                curve.valueRoom = std::max(curve.valueRoom, metrics.horizontalAdvance(curve.source.reading(*end)));
    }
    using Form = LaneSetUp::Form;
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const auto bus = curves_[i].source.bus();
        QPen pen(bus ? theme.bus(view_.stage().mark(*bus)) : theme.ink2, 1.4);
        if (band_ != nullptr)
            band_->line = pen.color();
        // A second curve of one bus is dashed.
        for (std::size_t k = 0; k < i; ++k)
            if (curves_[k].source.bus() == bus)
                pen.setStyle(Qt::DashLine);
        curves_[i].graph->setPen(pen);
        // A value holds until the next one, where nothing else is wanted.
        curves_[i].graph->setLineStyle(setUp_.form == Form::lines    ? QCPGraph::lsLine
                                       : setUp_.form == Form::points ? QCPGraph::lsNone
                                                                     : QCPGraph::lsStepLeft);
        if (QCPItemText* letter = curves_[i].letter) {
            letter->setText(LaneHead::letterOf(i));
            letter->setFont(theme.text(11, QFont::DemiBold));
            letter->setColor(theme.ink);
            letter->setBrush(QBrush(theme.surface));
        }
        QCPAxis* axis = curves_[i].graph->valueAxis();
        if (axis == plot_->yAxis)
            continue;
        axis->setTickPen(Qt::NoPen);
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelFont(theme.mono(9.8));
        axis->setTickLabelColor(theme.ink3);
        axis->setNumberFormat(QStringLiteral("gb"));
        axis->setNumberPrecision(6);
        axis->ticker()->setTickCount(ticksOfScale);
    }
    plot_->drawSoon();
}

// The scale of enumerations has their texts, where all curves mean the same by a value. A number with a unit that has texts for a
// few of its values stays a number.
void Lane::nameValues()
{
    names_.clear();
    nameTicks_.reset();
    const auto alike = [&](const Curve& curve) {
        if (!curve.source.named() || !curves_.front().source.named())
            return false;
        const database::Signal& first = curves_.front().source.ref.signal();
        const database::Signal& signal = curve.source.ref.signal();
        return signal.texts == first.texts && signal.factor == first.factor && signal.offset == first.offset;
    };
    if (!curves_.empty() && !setUp_.own && std::all_of(curves_.begin(), curves_.end(), alike)) {
        const database::SignalRef& ref = curves_.front().source.ref;
        const database::SignalPlan& plan = ref.message->plan.plan(ref.index);
        for (const database::ValueText& text : ref.signal().texts)
            if (text.more == 0)
                names_.emplace_back(plan.scale.ofWhole(text.value), QString::fromStdString(text.text));
        std::sort(names_.begin(), names_.end());
    }
    if (!names_.empty()) {
        nameTicks_ = QSharedPointer<QCPAxisTickerText>::create();
        nameTicks_->setTickCount(ticksOfScale);
        plot_->yAxis->setTicker(nameTicks_);
    } else {
        plot_->yAxis->setTicker(evenTicks(plot_->yAxis));
    }
}

// Ticks of a scale that is not logarithmic.
QSharedPointer<QCPAxisTicker> Lane::evenTicks(const QCPAxis* axis) const
{
    const bool whole = !curves_.empty() && std::all_of(curves_.begin(), curves_.end(), [&](const Curve& curve) {
        return curve.graph->valueAxis() != axis || curve.source.whole();
    });
    auto ticker = whole ? QSharedPointer<WholeTicker>::create().staticCast<QCPAxisTicker>() : QSharedPointer<QCPAxisTicker>::create();
    ticker->setTickCount(ticksOfScale);
    return ticker;
}

// As many of the names as have room beside each other.
void Lane::layNames()
{
    nameTicks_->clear();
    const QFontMetrics metrics(Theme::get().mono(9.8));
    double last = 0;
    bool any = false;
    for (const auto& [value, name] : names_) {
        const double at = plot_->yAxis->coordToPixel(value);
        if (any && std::abs(at - last) < metrics.height() - 2)
            continue;
        nameTicks_->addTick(value, metrics.elidedText(name, Qt::ElideRight, Theme::get().px(mostNameWidth)));
        last = at;
        any = true;
    }
}

int Lane::wantedScaleRoom() const
{
    const Theme& theme = Theme::get();
    int widest = theme.px(usualScaleRoom);
    const QFontMetrics metrics(theme.mono(9.8));
    if (!asBand())
        for (const auto& name : names_)
            widest = std::max(widest, std::min(metrics.horizontalAdvance(name.second), theme.px(mostNameWidth)) + theme.px(8));
    return widest;
}

bool Lane::complete() const
{
    return std::all_of(
        curves_.begin(), curves_.end(), [&](const Curve& curve) { return curve.series->complete(view_.stage().snapshot()); });
}

void Lane::look(std::vector<measure::SeriesKeeper::Look>& looks) const
{
    for (const Curve& curve : curves_)
        looks.push_back({curve.series, view_.stage().windowFrom(), view_.stage().windowTo(), setUp_.folded ? 0 : plot_->columns()});
}

QString Lane::axisName(const QCPAxis* axis) const
{
    for (const Curve& curve : curves_)
        if (curve.graph->valueAxis() == axis)
            return setUp_.axisOf(curve.source.path);
    return {};
}

Lane::Ends Lane::endsOf(QCPAxis* axis) const
{
    using Scale = LaneSetUp::Scale;
    if (setUp_.scale == Scale::hand)
        if (const auto own = setUp_.hand.find(axisName(axis)); own != setUp_.hand.end())
            return {own->second.first, own->second.second};
    std::optional<std::pair<double, double>> promised, seen, all;
    const auto join = [](std::optional<std::pair<double, double>>& into, const std::optional<std::pair<double, double>>& ends) {
        if (ends)
            into = into ? std::pair(std::min(into->first, ends->first), std::max(into->second, ends->second)) : *ends;
    };
    for (const Curve& curve : curves_) {
        if (curve.graph->valueAxis() != axis)
            continue;
        const auto least = curve.source.minimum();
        const auto most = curve.source.maximum();
        if (least && most && *most > *least)
            join(promised, std::pair(*least, *most));
        join(seen, curve.seen);
        if (setUp_.scale == Scale::run)
            join(all, curve.series->range());
    }
    if (setUp_.scale == Scale::database || setUp_.scale == Scale::hand) {
        if (!names_.empty()) {
            // With room for the names of the outermost. What lies outside of the database's range, such as a mark for what is not
            // available, does not press the others together.
            const auto [low, high] = promised.value_or(std::pair(names_.front().first, names_.back().first));
            const double margin = std::max(0.5, (high - low) * 0.14);
            return {low - margin, high + margin};
        }
        if (promised) {
            const double margin = (promised->second - promised->first) * 0.04;
            return {promised->first - margin, promised->second + margin};
        }
    }
    const auto ends = setUp_.scale == Scale::run && all ? all : seen;
    if (!ends)
        return {axis->range().lower, axis->range().upper};
    const double margin = ends->second > ends->first ? (ends->second - ends->first) * 0.08 : 1;
    return {std::max(-mostEnd, ends->first - margin), std::min(mostEnd, ends->second + margin)};
}

void Lane::scale()
{
    std::vector<QCPAxis*> done;
    for (const Curve& curve : curves_) {
        QCPAxis* axis = curve.graph->valueAxis();
        if (std::find(done.begin(), done.end(), axis) != done.end())
            continue;
        done.push_back(axis);
        Ends ends = dragged_ == axis ? draggedEnds_ : endsOf(axis);
        std::optional<double> positive;
        for (const Curve& other : curves_)
            if (other.graph->valueAxis() == axis && other.leastPositive)
                positive = std::min(positive.value_or(*other.leastPositive), *other.leastPositive);
        const bool logarithmic = setUp_.logarithmic && ends.high > 0 && (ends.low > 0 || (positive && *positive < ends.high));
        if (logarithmic && ends.low <= 0)
            ends.low = *positive / 1.2;
        axis->setScaleType(logarithmic ? QCPAxis::stLogarithmic : QCPAxis::stLinear);
        axis->setRange(ends.low, ends.high);
        if (!nameTicks_ && logarithmic != !axis->ticker().dynamicCast<QCPAxisTickerLog>().isNull())
            axis->setTicker(logarithmic ? QSharedPointer<QCPAxisTickerLog>::create() : evenTicks(axis));
        axis->setBasePen(setUp_.own ? QPen(curve.graph->pen().color(), 2) : QPen(Theme::get().hairline));
    }
    if (nameTicks_)
        layNames();
}

void Lane::drawCurve(Curve& curve)
{
    Stage& stage = view_.stage();
    const measure::SignalSeries::Points points = stage.curveDesk().points(
        *curve.series, stage.windowFrom(), stage.windowTo(), plot_->columns());
    curve.seen.reset();
    curve.leastPositive.reset();
    for (const double value : points.values) {
        if (std::isnan(value))
            continue;
        curve.seen = curve.seen ? std::pair(std::min(curve.seen->first, value), std::max(curve.seen->second, value))
                                : std::pair(value, value);
        if (value > 0)
            curve.leastPositive = std::min(curve.leastPositive.value_or(value), value);
    }
    const auto index = static_cast<std::size_t>(&curve - curves_.data());
    if (band_ != nullptr)
        drawBand(points);
    // Single values are marked where they stand apart.
    const bool apart = points.single && points.times.size() * 7 < plot_->columns();
    const bool dots = setUp_.form == LaneSetUp::Form::points;
    curve.graph->setScatterStyle(apart || dots ? QCPScatterStyle(QCPScatterStyle::ssDisc, apart ? 4.5 : 2.2) : QCPScatterStyle::ssNone);
    curve.graph->setData(
        QVector<double>(points.times.begin(), points.times.end()), QVector<double>(points.values.begin(), points.values.end()), true);
    if (curves_.size() == 1)
        drawGround(points);
    if (curve.letter != nullptr)
        placeLetter(curve, index, points);
}

void Lane::drawBand(const measure::SignalSeries::Points& points)
{
    const Stage& stage = view_.stage();
    band_->take(points.times, points.values);
    band_->marks.clear();
    for (const auto& mark : {stage.marks().a, stage.marks().b})
        if (mark)
            band_->marks.push_back(stage.seconds(*mark));
}

void Lane::drawGround(const measure::SignalSeries::Points& points)
{
    const CurveSource& source = curves_.front().source;
    const bool limits = band_ == nullptr && names_.empty();
    ground_->lowest = limits ? source.minimum() : std::nullopt;
    ground_->highest = limits ? source.maximum() : std::nullopt;
    ground_->lowWords.clear();
    ground_->highWords.clear();
    ground_->outside.clear();
    ground_->curve = curves_.front().graph->data();
    ground_->named = band_ != nullptr;
    const Stage& stage = view_.stage();
    const double from = stage.seconds(stage.windowFrom());
    const double to = stage.seconds(stage.windowTo());
    for (const bool high : {false, true}) {
        const std::optional<double>& limit = high ? ground_->highest : ground_->lowest;
        double time = 0;
        bool any = false;
        for (std::size_t i = 0; limit && i < points.values.size(); ++i)
            if (high ? points.values[i] > *limit : points.values[i] < *limit) {
                any = true;
                const double ends = i + 1 < points.times.size() ? points.times[i + 1] : points.times[i];
                const double begins = std::max(points.times[i], from);
                if (const double until = std::min(ends, to); until > begins) {
                    time += until - begins;
                    ground_->outside.push_back({begins, until, points.values[i]});
                }
            }
        // For how long is told where each sample is looked at.
        if (any)
            (high ? ground_->highWords : ground_->lowWords) = (high ? tr("above %1") : tr("below %1")).arg(source.reading(*limit))
                                                              + (points.single ? tr(", %1 s").arg(time, 0, 'f', 2) : QString());
    }
    ground_->gaps.clear();
    const double period = static_cast<double>(curves_.front().series->period().count()) * 1e-9;
    for (const auto& [begins, ends] : points.gaps) {
        const auto missing = period > 0 ? std::max<qint64>(1, std::llround((ends - begins) / period)) : 0;
        ground_->gaps.push_back({begins, ends, missing == 1 ? tr("1 beat missing") : tr("%1 beats missing").arg(missing)});
    }
}

// Each further left than the one before, so that curves that lie on each other keep their letters.
void Lane::placeLetter(const Curve& curve, std::size_t index, const measure::SignalSeries::Points& points)
{
    const Stage& stage = view_.stage();
    const std::vector<double>& times = points.times;
    const std::vector<double>& values = points.values;
    const double pixel = (stage.seconds(stage.windowTo()) - stage.seconds(stage.windowFrom())) / std::max(1U, plot_->columns());
    // Where the curve goes out of sight, or ended before.
    const double right = stage.seconds(stage.windowTo());
    std::size_t last = values.size();
    while (last > 0 && (std::isnan(values[last - 1]) || (times[last - 1] > right && (last == 1 || std::isnan(values[last - 2])))))
        --last;
    const double end = last > 0 ? std::min(right, times[last - 1]) : 0;
    const double at = end - static_cast<double>(index) * 15 * pixel;
    const auto shown = curve.series->at(stage.snapshot(), stage.timeOf(at));
    curve.letter->setVisible(last > 0 && end > stage.seconds(stage.windowFrom()) && shown.has_value());
    curve.letter->position->setCoords(at, shown.value_or(0));
}

// So fine that each of its periods is seen, as long as there are pixels for them.
void Lane::drawTone()
{
    const std::optional<Tone>& tone = view_.stage().tone();
    const Curve* of = nullptr;
    for (const Curve& curve : curves_)
        if (tone && band_ == nullptr && curve.source.path == tone->path)
            of = &curve;
    if (of == nullptr) {
        if (tone_ != nullptr)
            plot_->removeGraph(tone_);
        tone_ = nullptr;
        return;
    }
    if (tone_ == nullptr) {
        tone_ = plot_->addGraph();
        tone_->setAdaptiveSampling(false);
    }
    tone_->setValueAxis(of->graph->valueAxis());
    tone_->setPen(QPen(Theme::get().ink, 1.2));
    const Time from = std::max(tone->from, view_.stage().windowFrom()), to = std::min(tone->to, view_.stage().windowTo());
    const unsigned points = 4 * plot_->columns();
    QVector<double> times, values;
    for (unsigned i = 0; from < to && i <= points; ++i) {
        const double at = view_.stage().seconds(from) + (view_.stage().seconds(to) - view_.stage().seconds(from)) * i / points;
        times.append(at);
        values.append(
            tone->mean + tone->amplitude * std::cos(2 * M_PI * tone->hertz * (at - view_.stage().seconds(tone->from)) + tone->phase));
    }
    tone_->setData(times, values, true);
}

void Lane::refresh()
{
    if (!setUp_.folded) {
        for (Curve& curve : curves_)
            drawCurve(curve);
        drawTone();
        plot_->followStage();
        scale();
        plot_->drawSoon();
    }
    head_->refresh();
}

void Lane::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.setPen(Theme::get().grid);
    painter.drawLine(0, height() - 1, width(), height() - 1);
}

void Lane::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    edge_->setGeometry(0, height() - edgeHeight, width(), edgeHeight);
    edge_->raise();
}

QCPAxis* Lane::axisAt(const QPointF& at) const
{
    const QRect rect = plot_->axisRect()->rect();
    if (asBand() || at.y() < rect.top() || at.y() > rect.bottom())
        return nullptr;
    if (at.x() < rect.left())
        return plot_->yAxis;
    // From the plot to the right, each as wide as the others.
    const int axes = axesAtRight();
    if (at.x() <= rect.right() || axes == 0)
        return nullptr;
    const double each = static_cast<double>(plot_->width() - rect.right()) / axes;
    const auto place = std::clamp(static_cast<int>((at.x() - rect.right()) / each), 0, axes - 1);
    return curves_[static_cast<std::size_t>(place) + 1].graph->valueAxis();
}

void Lane::setByHand(QCPAxis* axis, double low, double high, const QString& step)
{
    if (!std::isfinite(low) || !std::isfinite(high) || high - low < std::max(1e-12, 1e-12 * std::abs(high)) || std::abs(low) > mostEnd
        || std::abs(high) > mostEnd)
        return;
    if (step.isEmpty()) {
        dragged_ = axis;
        draggedEnds_ = {low, high};
        scale();
        plot_->drawSoon();
        return;
    }
    LaneSetUp next = setUp_;
    // Axes that were not touched stay as they are.
    if (next.scale != LaneSetUp::Scale::hand) {
        next.hand.clear();
        for (const Curve& curve : curves_)
            next.hand[axisName(curve.graph->valueAxis())] = {
                curve.graph->valueAxis()->range().lower, curve.graph->valueAxis()->range().upper};
    }
    next.scale = LaneSetUp::Scale::hand;
    next.hand[axisName(axis)] = {low, high};
    dragged_ = nullptr;
    view_.changeLane(index_, next, step);
}

// Of the places beside the plot, where the scales are.
bool Lane::axisEvent(QEvent* event)
{
    if (event->type() == QEvent::Wheel) {
        auto* wheel = static_cast<QWheelEvent*>(event);
        QCPAxis* axis = axisAt(wheel->position());
        if (axis == nullptr)
            return false;
        const double factor = std::pow(0.8, wheel->angleDelta().y() / 120.0);
        const QCPRange range = axis->range();
        const double at = axis->pixelToCoord(wheel->position().y());
        if (axis->scaleType() == QCPAxis::stLogarithmic)
            setByHand(axis, at * std::pow(range.lower / at, factor), at * std::pow(range.upper / at, factor), tr("zoom a scale"));
        else
            setByHand(axis, at - (at - range.lower) * factor, at + (range.upper - at) * factor, tr("zoom a scale"));
        return true;
    }
    auto* mouse = static_cast<QMouseEvent*>(event);
    if (event->type() == QEvent::MouseMove && dragged_ != nullptr && (mouse->buttons() & Qt::LeftButton) != 0) {
        // The value under the pointer stays under it.
        const QCPRange range = dragged_->range();
        const double to = dragged_->pixelToCoord(mouse->position().y());
        if (dragged_->scaleType() == QCPAxis::stLogarithmic) {
            setByHand(dragged_, range.lower * draggedFrom_ / to, range.upper * draggedFrom_ / to, {});
        } else {
            setByHand(dragged_, range.lower + draggedFrom_ - to, range.upper + draggedFrom_ - to, {});
        }
        return true;
    }
    if (event->type() == QEvent::MouseButtonRelease && dragged_ != nullptr) {
        QCPAxis* axis = dragged_;
        const Ends ends = draggedEnds_;
        dragged_ = nullptr;
        if (ends.low != endsOf(axis).low)
            setByHand(axis, ends.low, ends.high, tr("move a scale"));
        return true;
    }
    if (mouse->button() != Qt::LeftButton)
        return false;
    QCPAxis* axis = axisAt(mouse->position());
    if (axis == nullptr)
        return false;
    if (event->type() == QEvent::MouseButtonPress) {
        dragged_ = axis;
        draggedFrom_ = axis->pixelToCoord(mouse->position().y());
        draggedEnds_ = {axis->range().lower, axis->range().upper};
        return true;
    }
    if (event->type() == QEvent::MouseButtonDblClick) {
        dragged_ = nullptr;
        typeEnd(axis, mouse->position().y() < plot_->axisRect()->center().y());
        return true;
    }
    return false;
}

void Lane::typeEnd(QCPAxis* axis, bool high)
{
    const QRect rect = plot_->axisRect()->rect();
    const Theme& theme = Theme::get();
    const bool left = axis == plot_->yAxis;
    const QRect box(plot_->x() + (left ? 0 : rect.right()), plot_->y() + (high ? rect.top() : rect.bottom() - theme.px(18)), theme.px(44),
        theme.px(18));
    const QCPRange range = axis->range();
    field_->open(box, theme.px(90), QString::number(high ? range.upper : range.lower, 'g', 6), high ? tr("largest") : tr("smallest"),
        [this, axis, high, range](const QString& typed) -> Expected<void> {
            bool good = false;
            const double end = QString(typed).replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&good);
            if (!good || !std::isfinite(end))
                return fail("expected a number");
            if (high ? end <= range.lower : end >= range.upper)
                return fail(high ? "the largest must lie above the smallest" : "the smallest must lie below the largest");
            setByHand(axis, high ? range.lower : end, high ? end : range.upper, tr("type a scale"));
            return {};
        });
}

bool Lane::eventFilter(QObject* watched, QEvent* event)
{
    switch (event->type()) {
    case QEvent::Wheel:
    case QEvent::MouseButtonPress:
    case QEvent::MouseMove:
    case QEvent::MouseButtonRelease:
        if (axisEvent(event))
            return true;
        break;
    case QEvent::MouseButtonDblClick:
        if (axisEvent(event))
            return true;
        if (plot_->axisRect()->rect().contains(static_cast<QMouseEvent*>(event)->position().toPoint())) {
            view_.toggleFit(index_);
            return true;
        }
        break;
    default: break;
    }
    return QWidget::eventFilter(watched, event);
}

void Lane::contextMenuEvent(QContextMenuEvent* event)
{
    QMenu menu;
    view_.fillLaneMenu(menu, index_);
    menu.exec(event->globalPos());
}

Lane::Place Lane::placeAt(double y) const { return y < height() * 0.22 ? Place::above : y > height() * 0.78 ? Place::below : Place::here; }

void Lane::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasFormat(QLatin1String(signalMime)))
        event->acceptProposedAction();
}

void Lane::dragMoveEvent(QDragMoveEvent* event)
{
    mark_->show(placeAt(event->position().y()));
    event->acceptProposedAction();
}

void Lane::dragLeaveEvent(QDragLeaveEvent*) { mark_->show(Place::none); }

void Lane::dropEvent(QDropEvent* event)
{
    const Place place = placeAt(event->position().y());
    mark_->show(Place::none);
    const QStringList paths = pathsIn(event->mimeData());
    const int from = laneIn(event->mimeData());
    event->acceptProposedAction();
    const int index = static_cast<int>(index_);
    // Where lanes are made anew, this one goes.
    QMetaObject::invokeMethod(
        &view_,
        [view = &view_, paths, place, index, from] {
            const int lane = place == Place::here ? index : -1;
            const int before = place == Place::here ? -1 : place == Place::above ? index : index + 1;
            if (from >= 0)
                view->move(paths.value(0), from, lane, before);
            else
                view->add(paths, lane, before);
        },
        Qt::QueuedConnection);
}

}  // namespace wavetrope::app
