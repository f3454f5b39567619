// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/plot.h"

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

// Times as they are written everywhere, with the decimals that tell one tick from the next.
class SecondsTicker : public QCPAxisTicker {
protected:
    double getTickStep(const QCPRange& range) override
    {
        step_ = QCPAxisTicker::getTickStep(range);
        return step_;
    }
    QString getTickLabel(double tick, const QLocale&, QChar, int) override
    {
        int decimals = 0;
        for (double step = step_; decimals < 9 && std::abs(step - std::round(step)) > 1e-6 * step_ * std::pow(10.0, decimals); ++decimals)
            step *= 10;
        return timeWords(tick, decimals);
    }

private:
    double step_ = 1;
};

}  // namespace

TimePlot::TimePlot(Stage& stage, bool showTimes, QWidget* parent)
    : QCustomPlot(parent), stage_(stage), showTimes_(showTimes), cursor_(new QCPItemStraightLine(this)), between_(new QCPItemRect(this))
{
    setObjectName(QStringLiteral("timePlot"));
    setFocusPolicy(Qt::StrongFocus);
    axisRect()->setAutoMargins(QCP::msNone);
    setPlottingHint(QCP::phImmediateRefresh, false);       // all that changed is painted at once
    xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new SecondsTicker));
    xAxis2->setVisible(false);
    yAxis2->setVisible(false);
    yAxis->ticker()->setTickCount(3);
    cursor_->setLayer(QStringLiteral("overlay"));
    between_->setLayer(QStringLiteral("grid"));
    between_->topLeft->setTypeY(QCPItemPosition::ptAxisRectRatio);
    between_->bottomRight->setTypeY(QCPItemPosition::ptAxisRectRatio);
    between_->setVisible(false);
    for (QCPItemStraightLine*& line : markLines_) {
        line = new QCPItemStraightLine(this);
        line->setLayer(QStringLiteral("overlay"));
        line->setVisible(false);
    }
    connect(&stage, &Stage::marksChanged, this, [this] {
        placeMarks();
        drawSoon();
        update();
    });
    setAntialiasedElements(QCP::aePlottables | QCP::aeItems);
    setNoAntialiasingOnDrag(true);
    restyle();
    connect(&Theme::get(), &Theme::changed, this, [this] {
        restyle();
        drawSoon();
    });
}

void TimePlot::restyle()
{
    const Theme& theme = Theme::get();
    setBackground(QBrush(theme.surface));
    axisRect()->setMargins(QMargins(scaleRoom_ > 0 ? scaleRoom_ : theme.px(44), theme.px(4),
        axesAtRight_ > 0 ? axesAtRight_ * theme.px(44) : theme.px(10), theme.px(showTimes_ ? 20 : 3)));
    axisRect()->setBackground(QBrush(theme.ground));
    for (QCPAxis* axis : {xAxis, yAxis}) {
        axis->setBasePen(QPen(theme.hairline));
        axis->setTickPen(QPen(theme.hairline));
        axis->setSubTickPen(Qt::NoPen);
        axis->setTickLabelFont(theme.mono(9.8));
        axis->setTickLabelColor(theme.ink3);
        axis->grid()->setPen(QPen(theme.grid));
        axis->grid()->setZeroLinePen(QPen(theme.grid));
        axis->setTickLength(0, showTimes_ && axis == xAxis ? 3 : 0);
        axis->setNumberFormat(QStringLiteral("gb"));
        axis->setNumberPrecision(6);
    }
    xAxis->setTickLabels(showTimes_);
    cursor_->setPen(QPen(theme.accent, 1.5));
    for (QCPItemStraightLine* line : markLines_)
        if (line != nullptr)
            line->setPen(QPen(theme.ink, 1));
    QColor shade = theme.ink;
    shade.setAlphaF(0.06F);
    between_->setPen(Qt::NoPen);
    between_->setBrush(shade);
}

void TimePlot::placeMarks()
{
    const Marks& marks = stage_.marks();
    for (const bool b : {false, true}) {
        const std::optional<Time>& mark = b ? marks.b : marks.a;
        QCPItemStraightLine* line = markLines_[b ? 1 : 0];
        line->setVisible(mark.has_value());
        if (mark) {
            line->point1->setCoords(stage_.seconds(*mark), 0);
            line->point2->setCoords(stage_.seconds(*mark), 1);
        }
    }
    between_->setVisible(marks.both());
    if (marks.both()) {
        between_->topLeft->setCoords(stage_.seconds(std::min(*marks.a, *marks.b)), 0);
        between_->bottomRight->setCoords(stage_.seconds(std::max(*marks.a, *marks.b)), 1);
    }
}

void TimePlot::setScaleRoom(int pixels, int axesAtRight)
{
    if (scaleRoom_ == pixels && axesAtRight_ == axesAtRight)
        return;
    scaleRoom_ = pixels;
    axesAtRight_ = axesAtRight;
    restyle();
    drawSoon();
    Q_EMIT columnsChanged();
}

double TimePlot::cursorX() const { return stage_.seconds(stage_.cursor()); }

unsigned TimePlot::columns() const { return static_cast<unsigned>(std::max(10, axisRect()->width())); }

void TimePlot::drawSoon()
{
    if (!size().isEmpty())
        replot(QCustomPlot::rpQueuedReplot);
}

// There is nothing to draw on where a plot is folded away.
void TimePlot::resizeEvent(QResizeEvent* event)
{
    if (event->size().isEmpty())
        return;
    QCustomPlot::resizeEvent(event);
    Q_EMIT columnsChanged();
}

void TimePlot::followStage()
{
    // As many as there is room for their texts.
    const double room = axisRect()->width() / QFontMetricsF(xAxis->tickLabelFont()).horizontalAdvance(QStringLiteral("00000.0 s"));
    xAxis->ticker()->setTickCount(std::clamp(static_cast<int>(room), 1, 5));
    xAxis->setRange(stage_.seconds(stage_.windowFrom()), stage_.seconds(stage_.windowTo()));
    cursor_->point1->setCoords(cursorX(), 0);
    cursor_->point2->setCoords(cursorX(), 1);
    placeMarks();
}

void TimePlot::moveCursor(const QMouseEvent* event)
{
    const double seconds = xAxis->pixelToCoord(event->position().x());
    Q_EMIT clickedAt(seconds);
    stage_.setCursor(stage_.timeOf(seconds));
}

std::optional<double> TimePlot::markX(bool b) const
{
    const std::optional<Time>& mark = b ? stage_.marks().b : stage_.marks().a;
    return mark ? std::optional(xAxis->coordToPixel(stage_.seconds(*mark))) : std::nullopt;
}

void TimePlot::setMark(bool b, std::optional<Time> time)
{
    if (time)
        time = std::clamp(*time, stage_.wholeFrom(), std::max(stage_.wholeFrom(), stage_.newest()));
    Marks marks = stage_.marks();
    (b ? marks.b : marks.a) = time;
    stage_.setMarks(marks);
}

void TimePlot::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    if (event->button() != Qt::LeftButton || !axisRect()->rect().contains(event->pos()))
        return;
    const double x = event->position().x();
    const double reach = Theme::get().px(5);
    if ((event->modifiers() & Qt::ControlModifier) != 0) {
        drag_ = Drag::box;
        boxFrom_ = xAxis->pixelToCoord(x);
        return;
    }
    // A mark is taken where it stands, or pulled in from the edge at its side.
    for (const bool b : {true, false})
        if (const auto at = markX(b); at && std::abs(*at - x) <= reach) {
            drag_ = b ? Drag::markB : Drag::markA;
            return;
        }
    if (!stage_.marks().a && x - axisRect()->left() <= reach)
        drag_ = Drag::markA;
    else if (!stage_.marks().b && axisRect()->right() - x <= reach)
        drag_ = Drag::markB;
    else {
        drag_ = Drag::cursor;
        moveCursor(event);
    }
}

void TimePlot::mouseMoveEvent(QMouseEvent* event)
{
    const double seconds = xAxis->pixelToCoord(event->position().x());
    const bool inside = axisRect()->rect().contains(event->pos());
    pointer_ = inside ? std::optional(seconds) : std::nullopt;
    const double reach = Theme::get().px(5);
    const auto near = [&](bool b) {
        const auto at = markX(b);
        return at && std::abs(*at - event->position().x()) <= reach;
    };
    setCursor(inside && (near(false) || near(true)) ? Qt::SizeHorCursor : Qt::ArrowCursor);
    switch (drag_) {
    case Drag::cursor: moveCursor(event); break;
    case Drag::markA: setMark(false, stage_.timeOf(seconds)); break;
    case Drag::markB: setMark(true, stage_.timeOf(seconds)); break;
    case Drag::box:
    case Drag::none: break;
    }
    if (readout_ || drag_ == Drag::box)
        update();
}

void TimePlot::mouseReleaseEvent(QMouseEvent* event)
{
    if (drag_ == Drag::box) {
        const double to = xAxis->pixelToCoord(event->position().x());
        if (std::abs(xAxis->coordToPixel(to) - xAxis->coordToPixel(boxFrom_)) > 3)
            stage_.chooseWindow(stage_.timeOf(std::min(boxFrom_, to)), stage_.timeOf(std::max(boxFrom_, to)));
        update();
    }
    drag_ = Drag::none;
}

void TimePlot::leaveEvent(QEvent* event)
{
    pointer_.reset();
    update();
    QCustomPlot::leaveEvent(event);
}

// A and B set a mark at the pointer, else at the cursor; with Shift they take it away.
void TimePlot::keyPressEvent(QKeyEvent* event)
{
    const bool a = event->key() == Qt::Key_A;
    if ((a || event->key() == Qt::Key_B) && (event->modifiers() & ~Qt::ShiftModifier) == 0) {
        const Time at = pointer_ ? stage_.timeOf(*pointer_) : stage_.cursor();
        setMark(!a, (event->modifiers() & Qt::ShiftModifier) != 0 ? std::nullopt : std::optional(at));
        return;
    }
    QCustomPlot::keyPressEvent(event);
}

QStringList TimePlot::readout() const { return readout_ && pointer_ ? readout_(*pointer_) : QStringList(); }

namespace {

int drawnOut = 0;       // of the interface thread

}  // namespace

TimePlot::DrawnOut::DrawnOut() { ++drawnOut; }
TimePlot::DrawnOut::~DrawnOut() { --drawnOut; }

void TimePlot::paintEvent(QPaintEvent* event)
{
    if (drawnOut > 0) {
        QCPPainter lines(this);
        lines.setMode(QCPPainter::pmVectorized);
        lines.setMode(QCPPainter::pmNoCaching);
        lines.fillRect(rect(), Theme::get().surface);
        draw(&lines);
        if (pennants_)
            paintPennants(lines);
        return;
    }
    QCustomPlot::paintEvent(event);
    QPainter painter(this);
    if (drag_ == Drag::box && pointer_) {
        const double from = xAxis->coordToPixel(boxFrom_);
        const double to = xAxis->coordToPixel(*pointer_);
        QColor shade = Theme::get().accent;
        shade.setAlphaF(0.15F);
        painter.fillRect(QRectF(std::min(from, to), axisRect()->top(), std::abs(to - from), axisRect()->height()), shade);
    }
    if (pennants_)
        paintPennants(painter);
    if (drag_ == Drag::none)
        paintReadout(painter);
}

// Pennants, so that marks are never taken for letters of buses.
void TimePlot::paintPennants(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const QRect area = axisRect()->rect();
    painter.setRenderHint(QPainter::Antialiasing);
    const double half = theme.px(6);
    const double top = area.top();
    const QFontMetricsF metrics(theme.mono(9.8));
    const Marks& marks = stage_.marks();
    const bool aFirst = !marks.both() || *marks.a <= *marks.b;
    for (const bool b : {false, true}) {
        const auto at = markX(b);
        if (!at || *at < area.left() || *at > area.right())
            continue;
        QPolygonF shape;
        shape << QPointF(*at - half, top) << QPointF(*at + half, top) << QPointF(*at + half, top + theme.px(10))
              << QPointF(*at, top + theme.px(15)) << QPointF(*at - half, top + theme.px(10));
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme.ink);
        painter.drawPolygon(shape);
        paintText(painter, QRectF(*at - half, top - theme.px(1), 2 * half, theme.px(13)), b ? QStringLiteral("B") : QStringLiteral("A"),
            theme.text(9, QFont::DemiBold), theme.ground, Qt::AlignCenter);
        // Its time stands outside of the two, where there is room.
        const QString words = timeWords(stage_.seconds(b ? *marks.b : *marks.a), 3);
        const double wide = metrics.horizontalAdvance(words);
        const bool left = b != aFirst;
        const QRectF box(left ? *at - half - theme.px(4) - wide : *at + half + theme.px(4), top, wide, theme.px(14));
        if (box.left() < area.left() || box.right() > area.right())
            continue;
        painter.fillRect(box.adjusted(-2, 0, 2, 0), theme.ground);
        paintText(painter, box, words, theme.mono(9.8), theme.ink);
    }
    if (marks.both()) {
        const double from = std::max<double>(*markX(!aFirst), area.left());
        const double to = std::min<double>(*markX(aFirst), area.right());
        const QString words = timeWords(std::abs(stage_.seconds(*marks.b) - stage_.seconds(*marks.a)), 3);
        const double wide = metrics.horizontalAdvance(words);
        if (to - from > wide + theme.px(24))
            paintText(painter, QRectF(from, top, to - from, theme.px(14)), words, theme.mono(9.8), theme.ink, Qt::AlignCenter);
    }
}

void TimePlot::paintReadout(QPainter& painter)
{
    const QStringList lines = readout();
    if (lines.isEmpty())
        return;
    const Theme& theme = Theme::get();
    const QRect area = axisRect()->rect();
    const double x = xAxis->coordToPixel(*pointer_);
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setPen(QPen(theme.ink2, 1, Qt::DotLine));
    painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()));
    const QFontMetricsF names(theme.body());
    const QFontMetricsF values(theme.mono());
    double nameWide = 0;
    double valueWide = 0;
    for (const QString& line : lines) {
        nameWide = std::max(nameWide, names.horizontalAdvance(line.section(QLatin1Char('\t'), 0, 0)));
        valueWide = std::max(valueWide, values.horizontalAdvance(line.section(QLatin1Char('\t'), 1)));
    }
    const QString when = tr("at %1").arg(timeWords(*pointer_, 3));
    const double wide = std::max(nameWide + theme.px(12) + valueWide, values.horizontalAdvance(when)) + theme.px(16);
    const double each = theme.px(16);
    const double tall = each * static_cast<double>(lines.size() + 1) + theme.px(6);
    // On the side with more room, and within the plot.
    const double left = x - area.left() > area.right() - x ? x - theme.px(10) - wide : x + theme.px(10);
    const QRectF box(left,
        std::max<double>(
            0, std::min<double>(area.top() + theme.px(pennants_ && (stage_.marks().a || stage_.marks().b) ? 20 : 4), height() - tall)),
        wide, tall);
    painter.setPen(theme.hairline);
    painter.setBrush(theme.raised);
    painter.drawRect(box);
    double y = box.top() + theme.px(3);
    paintText(painter, QRectF(box.left() + theme.px(8), y, wide, each), when, theme.mono(9.8), theme.ink2);
    for (const QString& line : lines) {
        y += each;
        paintText(painter, QRectF(box.left() + theme.px(8), y, nameWide + 1, each), line.section(QLatin1Char('\t'), 0, 0), theme.body(),
            theme.ink);
        paintText(painter, QRectF(box.left(), y, wide - theme.px(8), each), line.section(QLatin1Char('\t'), 1), theme.mono(), theme.ink,
            Qt::AlignRight | Qt::AlignVCenter);
    }
}

void TimePlot::wheelEvent(QWheelEvent* event)
{
    const double steps = event->angleDelta().y() / 120.0;
    if ((event->modifiers() & Qt::ShiftModifier) != 0) {
        const Time by = Time(
            static_cast<std::int64_t>(static_cast<double>((stage_.windowTo() - stage_.windowFrom()).count()) * -0.1 * steps));
        stage_.setWindow(stage_.windowFrom() + by, stage_.windowTo() + by);
    } else {
        stage_.zoom(std::pow(0.8, steps), stage_.timeOf(xAxis->pixelToCoord(event->position().x())));
    }
    event->accept();
}

}  // namespace wavetrope::app
