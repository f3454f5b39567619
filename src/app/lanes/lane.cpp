#include <QContextMenuEvent>
#include <QDropEvent>
#include <QHBoxLayout>
#include <QMenu>
#include <QMimeData>
#include <QPainter>

#include <algorithm>

#include "app/lanes/lanes_view.h"
#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr double headWidth = 138;
constexpr std::uint64_t rowsPerBeat = 400'000;  // decoded in one go on the interface thread; the rest with the next beats

}  // namespace

Lane::Lane(LanesView& view, const std::vector<QString>& paths, bool last) : QWidget(&view), view_(view), plot_(new TimePlot(view.stage(), last))
{
    setObjectName(QStringLiteral("lane"));
    setAcceptDrops(true);
    setMinimumHeight(Theme::get().px(64));
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(Theme::get().px(headWidth), 0, 0, 0);
    layout->addWidget(plot_);
    plot_->setAcceptDrops(false);
    plot_->setToolTip(tr("Click: cursor here. Wheel: zoom. Shift and wheel: move. Double click beside it: fit the scale"));
    plot_->setContextMenuPolicy(Qt::NoContextMenu);
    for (const QString& path : paths) {
        const auto ref = signalOf(view.stage().catalog(), path);
        if (!ref)
            continue;
        Curve curve{*ref, path, std::make_unique<measure::SignalSeries>(*ref, view.stage().document().begins()), plot_->addGraph()};
        curve.graph->setAdaptiveSampling(false);
        curves_.push_back(std::move(curve));
    }
    restyle();
    scaleToDatabase();
    connect(&Theme::get(), &Theme::changed, this, &Lane::restyle);
}

void Lane::restyle()
{
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const unsigned bus = curves_[i].ref.message->bus;
        QPen pen(Theme::get().bus(bus), 1.4);
        // A second curve of one bus is dashed.
        for (std::size_t k = 0; k < i; ++k)
            if (curves_[k].ref.message->bus == bus)
                pen.setStyle(Qt::DashLine);
        curves_[i].graph->setPen(pen);
        const database::Signal& signal = curves_[i].ref.signal();
        curves_[i].graph->setLineStyle(signal.texts.empty() && signal.length > 1 ? QCPGraph::lsLine : QCPGraph::lsStepLeft);
    }
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
    fitted_ = !any;
    if (any) {
        const double margin = (high - low) * 0.04;
        plot_->yAxis->setRange(low - margin, high + margin);
    }
}

void Lane::refresh()
{
    Stage& stage = view_.stage();
    for (Curve& curve : curves_) {
        curve.series->update(stage.snapshot(), rowsPerBeat);
        std::vector<double> times;
        std::vector<double> values;
        curve.series->points(stage.seconds(stage.windowFrom()), stage.seconds(stage.windowTo()), plot_->columns(), times, values);
        curve.graph->setData(QVector<double>(times.begin(), times.end()), QVector<double>(values.begin(), values.end()), true);
    }
    plot_->followStage();
    if (fitted_) {
        measure::RangeSummary all;
        for (const Curve& curve : curves_)
            all.add(curve.series->over(curve.series->lowerBound(stage.seconds(stage.windowFrom())), curve.series->lowerBound(stage.seconds(stage.windowTo()))));
        if (all.count > 0) {
            const double margin = all.high > all.low ? (all.high - all.low) * 0.08 : 1;
            plot_->yAxis->setRange(all.low - margin, all.high + margin);
        }
    }
    plot_->drawSoon();
    update(QRect(0, 0, Theme::get().px(headWidth), height()));
}

void Lane::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    Stage& stage = view_.stage();
    double y = theme.px(4);
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const Curve& curve = curves_[i];
        const database::Signal& signal = curve.ref.signal();
        const double badge = theme.px(14);
        const double left = theme.px(10);
        paintBusBadge(painter, QRectF(left, y + theme.px(1), badge, badge), curve.ref.message->bus);
        paintText(painter, QRectF(left + theme.px(20), y, theme.px(headWidth - 34), theme.px(16)), QString::fromStdString(signal.name), i == 0 ? theme.bodyStrong() : theme.body(), theme.ink);
        y += theme.px(18);
        const auto value = curve.series->at(stage.seconds(stage.cursor()));
        const QString text = value ? readingText(signal, (*value - signal.offset) / (signal.factor != 0 ? signal.factor : 1), *value) : tr("no value yet");
        const QFont font = i == 0 && curves_.size() < 3 ? theme.mono(15) : theme.mono();
        const double valueHeight = i == 0 && curves_.size() < 3 ? theme.px(22) : theme.px(15);
        paintText(painter, QRectF(left, y, theme.px(headWidth - 14), valueHeight), text, value ? font : theme.body(), value ? theme.ink : theme.ink3);
        y += valueHeight + theme.px(4);
    }
    painter.setPen(theme.grid);
    painter.drawLine(0, height() - 1, width(), height() - 1);
}

int Lane::curveAt(double y) const
{
    const int index = static_cast<int>((y - Theme::get().px(4)) / Theme::get().px(40));
    return curves_.empty() ? -1 : std::clamp(index, 0, static_cast<int>(curves_.size()) - 1);
}

void Lane::mousePressEvent(QMouseEvent* event)
{
    const int index = curveAt(event->position().y());
    if (index < 0)
        return;
    const Curve& curve = curves_[static_cast<std::size_t>(index)];
    Selection selection;
    selection.kind = Selection::Kind::signal;
    selection.bus = curve.ref.message->bus;
    selection.id = curve.ref.message->message->id;
    selection.signal = static_cast<int>(curve.ref.index);
    view_.stage().select(selection);
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
    menu.addAction(fitted_ ? tr("Scale of the database") : tr("Fit the scale to the data"), this, [this] { mouseDoubleClickEvent(nullptr); });
    menu.exec(event->globalPos());
}

void Lane::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasFormat(QLatin1String(signalMime)))
        event->acceptProposedAction();
}

void Lane::dropEvent(QDropEvent* event)
{
    const auto found = std::find(view_.lanes().begin(), view_.lanes().end(), this);
    event->acceptProposedAction();
    view_.add(QString::fromUtf8(event->mimeData()->data(QLatin1String(signalMime))), static_cast<int>(found - view_.lanes().begin()));
}

}  // namespace wavetrope::app
