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

constexpr std::uint64_t rowsOfBeat = 400'000;  // decoded in one go on the interface thread; the rest with the next beats

// What is counted, or on and off, has no values between.
class WholeTicker : public QCPAxisTicker {
protected:
    double getTickStep(const QCPRange& range) override { return std::max(1.0, std::ceil(QCPAxisTicker::getTickStep(range))); }
};

bool isWhole(const database::Signal& signal)
{
    return signal.type == database::ValueType::integer && signal.factor == std::floor(signal.factor)
           && signal.offset == std::floor(signal.offset);
}

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
            if (const auto value = curve.series->at(seconds)) {
                bool fits = false;
                const database::Signal& signal = curve.ref.signal();
                const auto bits = database::MessagePlan::bitsOf(curve.ref.message->plan.plan(curve.ref.index), *value, fits);
                lines << QString::fromStdString(signal.name) + QLatin1Char('\t') + readingText(signal, bits, *value);
            }
        return lines;
    });
    plot_->setAccessibleDescription(
        tr("Click: cursor here. A, B: a mark at the pointer. Wheel: zoom. Shift and wheel: move. Ctrl and drag: zoom into a box."));
    plot_->setContextMenuPolicy(Qt::NoContextMenu);
    for (const QString& path : paths) {
        const auto ref = signalOf(view.stage().catalog(), path);
        if (!ref)
            continue;
        Curve curve{*ref, path, std::make_unique<measure::SignalSeries>(*ref, view.stage().document().begins()), plot_->addGraph()};
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
    if (!curves_.empty() && std::all_of(curves_.begin(), curves_.end(), [](const Curve& curve) { return isWhole(curve.ref.signal()); })) {
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
        const database::Signal& signal = curve.ref.signal();
        const QFontMetricsF metrics(Theme::get().mono());
        curve.valueRoom = 0;
        for (const auto& end : {signal.minimum, signal.maximum})
            if (end) {
                bool fits = false;
                curve.valueRoom = std::max(
                    curve.valueRoom, metrics.horizontalAdvance(readingText(signal,
                                         database::MessagePlan::bitsOf(curve.ref.message->plan.plan(curve.ref.index), *end, fits), *end)));
            }
    }
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const unsigned bus = curves_[i].ref.message->bus;
        QPen pen(Theme::get().bus(view_.stage().mark(bus)), 1.4);
        // A second curve of one bus is dashed.
        for (std::size_t k = 0; k < i; ++k)
            if (curves_[k].ref.message->bus == bus)
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
        const database::Signal& first = curves_.front().ref.signal();
        const database::Signal& signal = curve.ref.signal();
        return !signal.texts.empty() && signal.unit.empty() && signal.texts == first.texts && signal.factor == first.factor
               && signal.offset == first.offset;
    };
    if (curves_.empty() || !std::all_of(curves_.begin(), curves_.end(), alike))
        return;
    const database::SignalPlan& plan = curves_.front().ref.message->plan.plan(curves_.front().ref.index);
    for (const database::ValueText& text : curves_.front().ref.signal().texts)
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

void Lane::scaleToDatabase()
{
    double low = 0;
    double high = 0;
    bool any = false;
    for (const Curve& curve : curves_) {
        const database::Signal& signal = curve.ref.signal();
        if (!signal.minimum || !signal.maximum || *signal.maximum <= *signal.minimum)
            continue;
        low = any ? std::min(low, *signal.minimum) : *signal.minimum;
        high = any ? std::max(high, *signal.maximum) : *signal.maximum;
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
    for (Curve& curve : curves_) {
        curve.series->update(stage.snapshot(), rowsOfBeat);
        std::vector<double> times;
        std::vector<double> values;
        curve.series->points(stage.seconds(stage.windowFrom()), stage.seconds(stage.windowTo()), plot_->columns(),
            stage.seconds(stage.newest()), times, values);
        // Single values are marked where they stand apart.
        const bool apart = times.size() * 7 < plot_->columns();
        curve.graph->setScatterStyle(apart ? QCPScatterStyle(QCPScatterStyle::ssDisc, 4.5) : QCPScatterStyle::ssNone);
        curve.graph->setData(QVector<double>(times.begin(), times.end()), QVector<double>(values.begin(), values.end()), true);
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
            const auto shown = curve.series->at(at);
            curve.letter->setVisible(last > 0 && end > stage.seconds(stage.windowFrom()) && shown.has_value());
            curve.letter->position->setCoords(at, shown.value_or(0));
        }
    }
    plot_->followStage();
    if (fitted_) {
        measure::RangeSummary all;
        for (const Curve& curve : curves_)
            all.add(curve.series->over(
                curve.series->lowerBound(stage.seconds(stage.windowFrom())), curve.series->lowerBound(stage.seconds(stage.windowTo()))));
        if (all.count > 0) {
            const double margin = all.high > all.low ? (all.high - all.low) * 0.08 : 1;
            plot_->yAxis->setRange(all.low - margin, all.high + margin);
        }
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
        QAction* action = menu.addAction(tr("Remove %1").arg(QString::fromStdString(curve.ref.signal().name)));
        const QString path = curve.path;
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
