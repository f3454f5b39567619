// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/plot.h"

#include <algorithm>
#include <cmath>

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
    : QCustomPlot(parent), stage_(stage), showTimes_(showTimes), cursor_(new QCPItemStraightLine(this))
{
    setObjectName(QStringLiteral("timePlot"));
    setFocusPolicy(Qt::StrongFocus);
    axisRect()->setAutoMargins(QCP::msNone);
    xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new SecondsTicker));
    xAxis2->setVisible(false);
    yAxis2->setVisible(false);
    yAxis->ticker()->setTickCount(3);
    cursor_->setLayer(QStringLiteral("overlay"));
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
    axisRect()->setMargins(QMargins(scaleRoom_ > 0 ? scaleRoom_ : theme.px(44), theme.px(4), theme.px(10), theme.px(showTimes_ ? 20 : 3)));
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
}

void TimePlot::setScaleRoom(int pixels)
{
    if (scaleRoom_ == pixels)
        return;
    scaleRoom_ = pixels;
    restyle();
    drawSoon();
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
    if (!event->size().isEmpty())
        QCustomPlot::resizeEvent(event);
}

void TimePlot::followStage()
{
    // As many as there is room for their texts.
    const double room = axisRect()->width() / QFontMetricsF(xAxis->tickLabelFont()).horizontalAdvance(QStringLiteral("00000.0 s"));
    xAxis->ticker()->setTickCount(std::clamp(static_cast<int>(room), 1, 5));
    xAxis->setRange(stage_.seconds(stage_.windowFrom()), stage_.seconds(stage_.windowTo()));
    cursor_->point1->setCoords(cursorX(), 0);
    cursor_->point2->setCoords(cursorX(), 1);
}

void TimePlot::moveCursor(const QMouseEvent* event)
{
    const double seconds = xAxis->pixelToCoord(event->position().x());
    Q_EMIT clickedAt(seconds);
    stage_.setCursor(stage_.timeOf(seconds));
}

void TimePlot::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    if (event->button() == Qt::LeftButton && axisRect()->rect().contains(event->pos()))
        moveCursor(event);
}

void TimePlot::mouseMoveEvent(QMouseEvent* event)
{
    if ((event->buttons() & Qt::LeftButton) != 0)
        moveCursor(event);
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
