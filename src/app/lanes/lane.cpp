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

constexpr double headWidth = 138;      // at least

// What a curve is called where a lane has several.
QString letterOf(std::size_t index) { return QString(QChar(static_cast<char16_t>('a' + index % 26))); }

constexpr std::uint64_t rowsOfBeat = 400'000;  // decoded in one go on the interface thread; the rest with the next beats

}  // namespace

class Lane::Mark : public QWidget {
public:
    explicit Mark(QWidget* parent) : QWidget(parent)
    {
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

Lane::Lane(LanesView& view, const std::vector<QString>& paths, bool last) : QWidget(&view), view_(view), plot_(new TimePlot(view.stage(), last)), mark_(new Mark(this))
{
    setObjectName(QStringLiteral("lane"));
    setAcceptDrops(true);
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
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
    if (curves_.size() > 1)
        for (Curve& curve : curves_) {
            curve.letter = new QCPItemText(plot_);
            curve.letter->setPositionAlignment(Qt::AlignRight | Qt::AlignVCenter);
            curve.letter->setPadding(QMargins(2, 0, 2, 0));
            curve.letter->setClipToAxisRect(true);
        }
    nameValues();
    restyle();
    scaleToDatabase();
    connect(&Theme::get(), &Theme::changed, this, &Lane::restyle);
}

QString Lane::reading(const Curve& curve, bool* known) const
{
    const auto value = curve.series->at(view_.stage().seconds(view_.stage().cursor()));
    if (known != nullptr)
        *known = value.has_value();
    bool fits = false;
    return value ? readingText(curve.ref.signal(), database::MessagePlan::bitsOf(curve.ref.message->plan.plan(curve.ref.index), *value, fits), *value) : tr("no value yet");
}

int Lane::headColumns() const
{
    const Theme& theme = Theme::get();
    const double room = height() - theme.px(6);
    const auto count = static_cast<double>(curves_.size());
    return count * theme.px(37) <= room ? 0 : count * theme.px(17) <= room ? 1 : 2;
}

int Lane::wantedHead() const
{
    const Theme& theme = Theme::get();
    const int columns = headColumns();
    double widest = 0;
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const QString name = (curves_[i].letter != nullptr ? letterOf(i) + QLatin1Char(' ') : QString()) + QString::fromStdString(curves_[i].ref.signal().name);
        const double named = QFontMetricsF(i == 0 && columns == 0 ? theme.bodyStrong() : theme.body()).horizontalAdvance(name);
        widest = std::max(widest, theme.px(22) + named + (columns == 1 ? curves_[i].valueRoom + theme.px(8) : 0));
    }
    return static_cast<int>(std::ceil(std::max<double>(theme.px(headWidth), widest * std::max(1, columns) + theme.px(14))));
}

void Lane::setHead(int width)
{
    if (head_ == width)
        return;
    head_ = width;
    layout()->setContentsMargins(width, 0, 0, 0);
    update();
}

void Lane::restyle()
{
    setMinimumHeight(Theme::get().px(curves_.size() > 1 ? 82 : 64));     // two names with their values
    // Room for the ends of its range, so that the heads stand still while values go on.
    for (Curve& curve : curves_) {
        const database::Signal& signal = curve.ref.signal();
        const QFontMetricsF metrics(Theme::get().mono());
        curve.valueRoom = metrics.horizontalAdvance(reading(curve));
        for (const auto& end : {signal.minimum, signal.maximum})
            if (end) {
                bool fits = false;
                curve.valueRoom = std::max(curve.valueRoom, metrics.horizontalAdvance(readingText(signal, database::MessagePlan::bitsOf(curve.ref.message->plan.plan(curve.ref.index), *end, fits), *end)));
            }
    }
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const unsigned bus = curves_[i].ref.message->bus;
        QPen pen(Theme::get().bus(bus), 1.4);
        // A second curve of one bus is dashed.
        for (std::size_t k = 0; k < i; ++k)
            if (curves_[k].ref.message->bus == bus)
                pen.setStyle(Qt::DashLine);
        curves_[i].graph->setPen(pen);
        curves_[i].graph->setLineStyle(QCPGraph::lsStepLeft);   // a value holds until the next one
        if (QCPItemText* letter = curves_[i].letter) {
            letter->setText(letterOf(i));
            letter->setFont(Theme::get().text(11, QFont::DemiBold));
            letter->setColor(Theme::get().ink);
            letter->setBrush(QBrush(Theme::get().surface));
        }
    }
}

// The scale of enumerations has their texts.
void Lane::nameValues()
{
    if (curves_.empty() || !std::all_of(curves_.begin(), curves_.end(), [](const Curve& curve) { return !curve.ref.signal().texts.empty(); }))
        return;
    auto ticker = QSharedPointer<QCPAxisTickerText>::create();
    const database::Signal& signal = curves_.front().ref.signal();
    const database::SignalPlan& plan = curves_.front().ref.message->plan.plan(curves_.front().ref.index);
    double low = 0;
    double high = 0;
    bool any = false;
    for (const database::ValueText& text : signal.texts) {
        if (text.more > 0)
            continue;
        const double value = plan.scale.ofWhole(text.value);
        QString name = QString::fromStdString(text.text);
        const QFontMetrics metrics(Theme::get().mono(9.8));
        ticker->addTick(value, metrics.elidedText(name, Qt::ElideRight, Theme::get().px(70)));
        low = any ? std::min(low, value) : value;
        high = any ? std::max(high, value) : value;
        any = true;
    }
    if (!any)
        return;
    plot_->yAxis->setTicker(ticker);
    named_ = true;
    if (!signal.minimum || !signal.maximum)
        plot_->yAxis->setRange(low - 0.4, high + 0.4);
}

bool Lane::complete() const
{
    return std::all_of(curves_.begin(), curves_.end(), [&](const Curve& curve) { return curve.series->complete(view_.stage().snapshot()); });
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
    fitted_ = !any && !named_;
    if (any) {
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
        curve.series->points(stage.seconds(stage.windowFrom()), stage.seconds(stage.windowTo()), plot_->columns(), stage.seconds(stage.newest()), times, values);
        // Single values are marked where they stand apart.
        const bool apart = times.size() * 7 < plot_->columns();
        curve.graph->setScatterStyle(apart ? QCPScatterStyle(QCPScatterStyle::ssDisc, 4.5) : QCPScatterStyle::ssNone);
        curve.graph->setData(QVector<double>(times.begin(), times.end()), QVector<double>(values.begin(), values.end()), true);
        if (curve.letter != nullptr) {
            // Each further left than the one before, so that curves that lie on each other keep their letters.
            const double pixel = (stage.seconds(stage.windowTo()) - stage.seconds(stage.windowFrom())) / std::max(1U, plot_->columns());
            const double at = std::min(stage.seconds(stage.windowTo()), stage.seconds(stage.newest())) - static_cast<double>(&curve - curves_.data()) * 15 * pixel;
            const auto shown = curve.series->at(at);
            curve.letter->setVisible(shown.has_value());
            curve.letter->position->setCoords(at, shown.value_or(0));
        }
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
    update(QRect(0, 0, head_, height()));
}

void Lane::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    Stage& stage = view_.stage();
    heads_.clear();
    // Where they are many, names and values stand in one line each, in two columns where even that is too high.
    const bool compact = headColumns() > 0;
    const bool twice = headColumns() == 2;
    const double full = head_ - theme.px(14);
    const double width = twice ? full / 2 : full;
    const std::size_t rows = twice ? (curves_.size() + 1) / 2 : curves_.size();
    double y = theme.px(4);
    for (std::size_t i = 0; i < curves_.size(); ++i) {
        const Curve& curve = curves_[i];
        const database::Signal& signal = curve.ref.signal();
        const double badge = theme.px(14);
        bool value = false;
        const double left = theme.px(8) + (twice && i >= rows ? width : 0);
        if (twice && i == rows)
            y = theme.px(4);
        const QString text = reading(curve, &value);
        const QString letter = curve.letter != nullptr ? letterOf(i) + QLatin1Char(' ') : QString();
        paintBusBadge(painter, QRectF(left, y + theme.px(1), badge, badge), curve.ref.message->bus);
        const double begin = y;
        if (compact) {
            const QString shown = QFontMetricsF(theme.mono()).horizontalAdvance(text) > width * 0.55 ? QString() : text;
            const double valueRoom = twice ? 0 : QFontMetricsF(theme.mono()).horizontalAdvance(shown) + theme.px(4);
            paintText(painter, QRectF(left + theme.px(18), y, width - theme.px(20) - valueRoom, theme.px(16)), letter + QString::fromStdString(signal.name), theme.body(), theme.ink);
            if (!twice)
                paintText(painter, QRectF(left, y, width, theme.px(16)), shown, theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
            y += theme.px(17);
        } else {
            paintText(painter, QRectF(left + theme.px(20), y, width - theme.px(20), theme.px(16)), letter + QString::fromStdString(signal.name), i == 0 ? theme.bodyStrong() : theme.body(), theme.ink);
            y += theme.px(18);
            const QFont font = i == 0 && curves_.size() < 3 ? theme.mono(15) : theme.mono();
            const double valueHeight = i == 0 && curves_.size() < 3 ? theme.px(22) : theme.px(15);
            paintText(painter, QRectF(left, y, width, valueHeight), text, value ? font : theme.body(), value ? theme.ink : theme.ink3);
            y += valueHeight + theme.px(4);
        }
        heads_.emplace_back(left, begin, width, y - begin);
        if (stage.selection().kind == Selection::Kind::signal && stage.selection().bus == curve.ref.message->bus && stage.selection().id == curve.ref.message->message->id && stage.selection().signal == static_cast<int>(curve.ref.index))
            painter.fillRect(QRectF(0, begin, theme.px(3), y - begin - theme.px(2)), theme.accent);
    }
    painter.setPen(theme.grid);
    painter.drawLine(0, height() - 1, this->width(), height() - 1);
}

int Lane::curveAt(double y) const
{
    const QPoint at = mapFromGlobal(QCursor::pos());
    for (std::size_t i = 0; i < heads_.size(); ++i)
        if (y >= heads_[i].top() && y < heads_[i].bottom() && (heads_.size() < 2 || heads_[i].left() == heads_.front().left() ? at.x() < heads_[i].right() || heads_.back().left() == heads_.front().left() : at.x() >= heads_[i].left()))
            return static_cast<int>(i);
    return curves_.empty() ? -1 : 0;
}

bool Lane::event(QEvent* event)
{
    // The values of all curves, where their heads have no room for them.
    if (event->type() == QEvent::ToolTip && curves_.size() > 1) {
        QStringList lines;
        for (std::size_t i = 0; i < curves_.size(); ++i)
            lines << QStringLiteral("%1  %2: %3").arg(letterOf(i), QString::fromStdString(curves_[i].ref.signal().name), reading(curves_[i]));
        QToolTip::showText(static_cast<QHelpEvent*>(event)->globalPos(), lines.join(QLatin1Char('\n')), this);
        return true;
    }
    return QWidget::event(event);
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

Lane::Place Lane::placeAt(double y) const
{
    return y < height() * 0.22 ? Place::above : y > height() * 0.78 ? Place::below : Place::here;
}

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

void Lane::dragLeaveEvent(QDragLeaveEvent*)
{
    mark_->show(Place::none);
}

void Lane::dropEvent(QDropEvent* event)
{
    const Place place = placeAt(event->position().y());
    mark_->show(Place::none);
    const int index = static_cast<int>(std::find(view_.lanes().begin(), view_.lanes().end(), this) - view_.lanes().begin());
    const QString path = QString::fromUtf8(event->mimeData()->data(QLatin1String(signalMime)));
    event->acceptProposedAction();
    // Where lanes are made anew, this one goes.
    QMetaObject::invokeMethod(&view_, [view = &view_, path, place, index] { place == Place::here ? view->add(path, index) : view->add(path, -1, place == Place::above ? index : index + 1); }, Qt::QueuedConnection);
}

}  // namespace wavetrope::app
