#include "app/events/events_view.h"

#include <QKeyEvent>
#include <QPainter>
#include <QScrollBar>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

class EventsView::Rows : public QAbstractScrollArea {
public:
    explicit Rows(EventsView& view) : view_(view)
    {
        setFrameShape(QFrame::NoFrame);
        setFocusPolicy(Qt::StrongFocus);
        setObjectName(QStringLiteral("eventRows"));
        setAccessibleName(EventsView::tr("Events of the run"));
        setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
        connect(verticalScrollBar(), &QScrollBar::valueChanged, this, [this] { viewport()->update(); });
    }
    void refresh(bool toEnd)
    {
        const int visible = (viewport()->height() - head()) / Theme::get().rowHeight();
        verticalScrollBar()->setRange(0, std::max(0, static_cast<int>(view_.events_.size()) - visible));
        verticalScrollBar()->setPageStep(std::max(1, visible));
        if (toEnd)
            verticalScrollBar()->setValue(verticalScrollBar()->maximum());
        viewport()->update();
    }
    int chosen = -1;

protected:
    void resizeEvent(QResizeEvent*) override { refresh(false); }
    void mousePressEvent(QMouseEvent* event) override
    {
        if (event->position().y() >= head())
            view_.choose(verticalScrollBar()->value() + (static_cast<int>(event->position().y()) - head()) / Theme::get().rowHeight());
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        if (event->key() == Qt::Key_Down)
            view_.choose(chosen + 1);
        else if (event->key() == Qt::Key_Up)
            view_.choose(chosen - 1);
        else
            QAbstractScrollArea::keyPressEvent(event);
    }
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(viewport());
        const Theme& theme = Theme::get();
        painter.fillRect(viewport()->rect(), theme.surface);
        const auto heading = [&](double x, const QString& text) { paintText(painter, QRectF(theme.px(x), 0, theme.px(120), head()), text, theme.small(), theme.ink3); };
        heading(12, EventsView::tr("time"));
        heading(112, EventsView::tr("event"));
        heading(360, EventsView::tr("lasted"));
        painter.setPen(theme.hairline);
        painter.drawLine(0, head() - 1, width(), head() - 1);
        if (view_.events_.empty()) {
            paintText(painter, QRectF(0, head(), viewport()->width(), theme.px(60)), EventsView::tr("Nothing yet. Conditions of the rig, missed beats, bursts and error frames appear here."), theme.body(), theme.ink2, Qt::AlignCenter);
            return;
        }
        int y = head();
        for (auto i = static_cast<std::size_t>(verticalScrollBar()->value()); i < view_.events_.size() && y < viewport()->height(); ++i, y += theme.rowHeight()) {
            const measure::Event& event = view_.events_[i];
            if (static_cast<int>(i) == chosen)
                painter.fillRect(QRectF(2, y, viewport()->width() - 4, theme.rowHeight()), theme.accentSoft);
            paintText(painter, QRectF(theme.px(12), y, theme.px(80), theme.rowHeight()), secondsText(view_.stage().seconds(event.time), 3), theme.mono(), theme.ink);
            paintBusBadge(painter, QRectF(theme.px(92), y + theme.px(3), theme.px(14), theme.px(14)), event.bus);
            const bool wrong = event.kind == measure::EventKind::errorFrame;
            if (event.kind != measure::EventKind::condition && !wrong)
                paintWarning(painter, QPointF(theme.px(118), y + theme.rowHeight() / 2.0), theme.px(9));
            const double textAt = event.kind == measure::EventKind::condition || wrong ? 112 : 128;
            paintText(painter, QRectF(theme.px(textAt), y, theme.px(352 - textAt), theme.rowHeight()), QString::fromStdString(event.text), theme.body(), wrong ? theme.error : theme.ink);
            paintText(painter, QRectF(theme.px(360), y, theme.px(120), theme.rowHeight()), QStringLiteral("%1 ms").arg(static_cast<double>((event.until - event.time).count()) * 1e-6, 0, 'f', 0), theme.mono(), theme.ink2);
            painter.setPen(theme.grid);
            painter.drawLine(theme.px(8), y + theme.rowHeight() - 1, viewport()->width(), y + theme.rowHeight() - 1);
        }
    }

private:
    static int head() { return Theme::get().px(20); }
    EventsView& view_;
};

EventsView::EventsView(Stage& stage) : View(stage), rows_(new Rows(*this))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    connect(&stage, &Stage::beat, this, &EventsView::refresh);
}

void EventsView::refresh()
{
    if (!isVisible())
        return;
    const bool more = stage().document().measures().read([&](const measure::MeasureState& state) {
        const auto& all = state.events.events();
        if (all.size() == known_ && (known_ == 0 || events_.back().until == all.back().until))
            return false;
        known_ = all.size();
        events_ = all;
        return true;
    });
    if (!more)
        return;
    std::stable_sort(events_.begin(), events_.end(), [](const measure::Event& a, const measure::Event& b) { return a.time < b.time; });
    rows_->refresh(stage().following());
}

void EventsView::choose(int index)
{
    if (index < 0 || index >= static_cast<int>(events_.size()))
        return;
    rows_->chosen = index;
    const measure::Event& event = events_[static_cast<std::size_t>(index)];
    stage().setCursor(event.time);
    Selection selection;
    selection.kind = Selection::Kind::event;
    selection.event = event;
    selection.bus = event.bus;
    stage().select(selection);
    rows_->viewport()->update();
}

}  // namespace wavetrope::app
