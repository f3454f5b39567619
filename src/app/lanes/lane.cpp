// SPDX-License-Identifier: GPL-3.0-or-later
#include <QContextMenuEvent>
#include <QDropEvent>
#include <QHBoxLayout>
#include <QMenu>
#include <QMimeData>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

#include "app/lanes/lanes_view.h"
#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int usualScaleRoom = 44;
constexpr int mostNameWidth = 84;       // of a value's name at the scale
constexpr int mostLinesAtOnce = 7;      // that a lane of many curves asks room for

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

Lane::Lane(LanesView& view, const std::vector<QString>& paths, bool last)
    : QWidget(&view),
      view_(view),
      head_(new LaneHead(view.stage(), curves_, this)),
      plot_(new TimePlot(view.stage(), last)),
      mark_(new Mark(this))
{
    setObjectName(QStringLiteral("lane"));
    setAcceptDrops(true);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(head_);
    layout->addWidget(plot_, 1);
    plot_->setAcceptDrops(false);
    // What the pointer is on, exact: the value that holds there.
    plot_->setReadout([this](double seconds) {
        QStringList lines;
        for (const Curve& curve : curves_)
            if (const auto value = curve.series->at(view_.stage().snapshot(), view_.stage().timeOf(seconds)))
                lines << curve.source.name() + QLatin1Char('\t') + curve.source.reading(*value);
        return lines;
    });
    plot_->setAccessibleDescription(
        tr("Click: cursor here. A, B: a mark at the pointer. Wheel: zoom. Shift and wheel: move. Ctrl and drag: zoom into a box."));
    plot_->setContextMenuPolicy(Qt::NoContextMenu);
    connect(plot_, &TimePlot::columnsChanged, &view, &LanesView::refreshSoon);
    for (const QString& path : paths) {
        const auto source = curveOf(view.stage().document().catalog(), path);
        if (!source)
            continue;
        Curve curve{*source, view.stage().curveDesk().series(*source), plot_->addGraph()};
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
    if (!curves_.empty() && std::all_of(curves_.begin(), curves_.end(), [](const Curve& curve) { return curve.source.whole(); })) {
        const auto ticker = QSharedPointer<WholeTicker>::create();
        ticker->setTickCount(plot_->yAxis->ticker()->tickCount());
        plot_->yAxis->setTicker(ticker);
    }
    nameValues();
    restyle();
    scaleToDatabase();
    connect(&Theme::get(), &Theme::changed, this, &Lane::restyle);
}

void Lane::restyle()
{
    // Two names with their values, or as many lines as are read at a glance.
    const int lines = std::min(static_cast<int>(curves_.size()), mostLinesAtOnce);
    setMinimumHeight(Theme::get().px(curves_.size() > 1 ? std::max(82, 17 * lines + 8) : 64));
    // Room for the ends of its range, so that the heads stand still while values go on.
    for (Curve& curve : curves_) {
        const QFontMetricsF metrics(Theme::get().mono());
        curve.valueRoom = 0;
        for (const auto& end : {curve.source.minimum(), curve.source.maximum()})
            if (end)
                curve.valueRoom = std::max(curve.valueRoom, metrics.horizontalAdvance(curve.source.reading(*end)));
    }
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const auto bus = curves_[i].source.bus();
        QPen pen(bus ? Theme::get().bus(view_.stage().mark(*bus)) : Theme::get().ink2, 1.4);
        // A second curve of one bus is dashed.
        for (std::size_t k = 0; k < i; ++k)
            if (curves_[k].source.bus() == bus)
                pen.setStyle(Qt::DashLine);
        curves_[i].graph->setPen(pen);
        curves_[i].graph->setLineStyle(QCPGraph::lsStepLeft);   // a value holds until the next one
        if (QCPItemText* letter = curves_[i].letter) {
            letter->setText(LaneHead::letterOf(i));
            letter->setFont(Theme::get().text(11, QFont::DemiBold));
            letter->setColor(Theme::get().ink);
            letter->setBrush(QBrush(Theme::get().surface));
        }
    }
}

// The scale of enumerations has their texts, where all curves mean the same by a value. A number with a unit that has texts for a
// few of its values stays a number.
void Lane::nameValues()
{
    const auto alike = [&](const Curve& curve) {
        if (!curve.source.named() || !curves_.front().source.named())
            return false;
        const database::Signal& first = curves_.front().source.ref.signal();
        const database::Signal& signal = curve.source.ref.signal();
        return signal.texts == first.texts && signal.factor == first.factor && signal.offset == first.offset;
    };
    if (curves_.empty() || !std::all_of(curves_.begin(), curves_.end(), alike))
        return;
    const database::SignalRef& ref = curves_.front().source.ref;
    const database::SignalPlan& plan = ref.message->plan.plan(ref.index);
    for (const database::ValueText& text : ref.signal().texts)
        if (text.more == 0)
            names_.emplace_back(plan.scale.ofWhole(text.value), QString::fromStdString(text.text));
    std::sort(names_.begin(), names_.end());
    if (names_.empty())
        return;
    nameTicks_ = QSharedPointer<QCPAxisTickerText>::create();
    plot_->yAxis->setTicker(nameTicks_);
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
        looks.push_back({curve.series, view_.stage().windowFrom(), view_.stage().windowTo(), plot_->columns()});
}

void Lane::scaleToDatabase()
{
    double low = 0;
    double high = 0;
    bool any = false;
    for (const Curve& curve : curves_) {
        const auto least = curve.source.minimum();
        const auto most = curve.source.maximum();
        if (!least || !most || *most <= *least)
            continue;
        low = any ? std::min(low, *least) : *least;
        high = any ? std::max(high, *most) : *most;
        any = true;
    }
    fitted_ = !any && names_.empty();
    if (!names_.empty()) {
        // With room for the names of the outermost. What lies outside of the database's range, such as a mark for what is not
        // available, does not press the others together.
        if (!any) {
            low = names_.front().first;
            high = names_.back().first;
        }
        const double margin = std::max(0.5, (high - low) * 0.14);
        plot_->yAxis->setRange(low - margin, high + margin);
    } else if (any) {
        const double margin = (high - low) * 0.04;
        plot_->yAxis->setRange(low - margin, high + margin);
    }
}

void Lane::refresh()
{
    Stage& stage = view_.stage();
    std::optional<std::pair<double, double>> seen;
    for (Curve& curve : curves_) {
        const measure::SignalSeries::Points points = stage.curveDesk().points(
            *curve.series, stage.windowFrom(), stage.windowTo(), plot_->columns());
        const std::vector<double>& times = points.times;
        const std::vector<double>& values = points.values;
        // Single values are marked where they stand apart.
        const bool apart = points.single && times.size() * 7 < plot_->columns();
        curve.graph->setScatterStyle(apart ? QCPScatterStyle(QCPScatterStyle::ssDisc, 4.5) : QCPScatterStyle::ssNone);
        curve.graph->setData(QVector<double>(times.begin(), times.end()), QVector<double>(values.begin(), values.end()), true);
        for (const double value : values)
            if (!std::isnan(value))
                seen = seen ? std::pair(std::min(seen->first, value), std::max(seen->second, value)) : std::pair(value, value);
        if (curve.letter != nullptr) {
            // Each further left than the one before, so that curves that lie on each other keep their letters.
            const double pixel = (stage.seconds(stage.windowTo()) - stage.seconds(stage.windowFrom())) / std::max(1U, plot_->columns());
            // Where the curve goes out of sight, or ended before.
            const double right = stage.seconds(stage.windowTo());
            std::size_t last = values.size();
            while (last > 0 && (std::isnan(values[last - 1]) || (times[last - 1] > right && (last == 1 || std::isnan(values[last - 2])))))
                --last;
            const double end = last > 0 ? std::min(right, times[last - 1]) : 0;
            const double at = end - static_cast<double>(&curve - curves_.data()) * 15 * pixel;
            const auto shown = curve.series->at(stage.snapshot(), stage.timeOf(at));
            curve.letter->setVisible(last > 0 && end > stage.seconds(stage.windowFrom()) && shown.has_value());
            curve.letter->position->setCoords(at, shown.value_or(0));
        }
    }
    plot_->followStage();
    if (fitted_ && seen) {
        const double margin = seen->second > seen->first ? (seen->second - seen->first) * 0.08 : 1;
        plot_->yAxis->setRange(seen->first - margin, seen->second + margin);
    }
    if (!names_.empty())
        layNames();
    plot_->drawSoon();
    head_->update();
}

void Lane::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.setPen(Theme::get().grid);
    painter.drawLine(0, height() - 1, width(), height() - 1);
}

void Lane::mouseDoubleClickEvent(QMouseEvent*)
{
    if (fitted_)
        scaleToDatabase();
    else
        fitted_ = true;
    refresh();
}

void Lane::contextMenuEvent(QContextMenuEvent* event)
{
    QMenu menu;
    for (const Curve& curve : curves_) {
        QAction* action = menu.addAction(tr("Remove %1").arg(curve.source.name()));
        const QString path = curve.source.path;
        connect(action, &QAction::triggered, &view_, [this, path] { view_.remove(path); });
    }
    menu.addAction(
        fitted_ ? tr("Scale of the database") : tr("Fit the scale to the data"), this, [this] { mouseDoubleClickEvent(nullptr); });
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
    const int index = static_cast<int>(std::find(view_.lanes().begin(), view_.lanes().end(), this) - view_.lanes().begin());
    const QString path = QString::fromUtf8(event->mimeData()->data(QLatin1String(signalMime)));
    event->acceptProposedAction();
    // Where lanes are made anew, this one goes.
    QMetaObject::invokeMethod(
        &view_,
        [view = &view_, path, place, index] {
            place == Place::here ? view->add(path, index) : view->add(path, -1, place == Place::above ? index : index + 1);
        },
        Qt::QueuedConnection);
}

}  // namespace wavetrope::app
