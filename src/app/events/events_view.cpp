// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/events/events_view.h"

#include <QLabel>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/notation.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

class EventsView::Rows : public RowList {
public:
    explicit Rows(EventsView& view) : view_(view)
    {
        setObjectName(QStringLiteral("eventRows"));
        setAccessibleName(EventsView::tr("Events of the run"));
        setHeads({{12, EventsView::tr("time"), 0, true}, {144, EventsView::tr("event")}, {360, EventsView::tr("lasted")}}, 440);
    }
    std::uint64_t count() const override { return view_.events_.size(); }
    std::int64_t current() const override { return chosen; }
    void choose(std::uint64_t index) override { view_.choose(static_cast<int>(index)); }
    QString rowText(std::uint64_t index) const override
    {
        const measure::Event& event = view_.events_[index];
        return QStringList{timeText(view_.stage().seconds(event.time), 6), view_.stage().mark(event.bus).letter,
            QString::fromStdString(event.text), lasted(event)}
            .join(QLatin1Char('\t'));
    }
    int chosen = -1;

protected:
    QString emptyText() const override
    {
        return EventsView::tr("Nothing yet. Conditions of the rig, missed beats, bursts and error frames appear here.");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const measure::Event& event = view_.events_[index];
        if (static_cast<int>(index) == chosen)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, theme.rowHeight()), theme.accentSoft);
        const auto box = [&](double from, double to) { return QRectF(theme.px(from), y, theme.px(to - from), theme.rowHeight()); };
        paintText(painter, box(12, 106), timeText(view_.stage().seconds(event.time), 6), theme.mono(), theme.ink);
        paintBusBadge(painter, QRectF(theme.px(108), y + theme.px(3), theme.px(14), theme.px(14)), view_.stage().mark(event.bus));
        const Flag flag = flagOf(event);
        paintFlag(painter, QPointF(theme.px(134), y + theme.rowHeight() / 2.0), theme.px(9), flag);
        paintText(painter, box(144, 352), QString::fromStdString(event.text), theme.body(), flag == Flag::wrong ? theme.error : theme.ink);
        paintText(painter, box(360, 480), lasted(event), theme.mono(), theme.ink2);
    }

private:
    static QString lasted(const measure::Event& event)
    {
        return QStringLiteral("%1 ms").arg(static_cast<double>((event.until - event.time).count()) * 1e-6, 0, 'f', 0);
    }
    EventsView& view_;
};

EventsView::EventsView(Stage& stage) : View(stage), rows_(new Rows(*this)), notKept_(new QLabel)
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    notKept_->setObjectName(QStringLiteral("eventsNotKept"));
    notKept_->setContentsMargins(12, 4, 12, 4);
    notKept_->setWordWrap(true);
    notKept_->hide();
    layout->addWidget(notKept_);
    setFocusProxy(rows_);
    connect(&stage, &Stage::selectionChanged, this, &EventsView::mark);
    connect(&stage, &Stage::beat, this, &EventsView::refresh);
}

void EventsView::refresh()
{
    if (!isVisible())
        return;
    std::uint64_t notKept = 0;
    const bool more = stage().document().measures().read([&](const measure::MeasureState& state) {
        notKept = state.events.notKept();
        const auto& all = state.events.events();
        if (all.size() == known_ && (known_ == 0 || events_.back().until == all.back().until))
            return false;
        known_ = all.size();
        events_ = all;
        return true;
    });
    notKept_->setVisible(notKept > 0);
    if (notKept > 0)
        notKept_->setText(tr("These are the first %1. %2 more came and are not kept: a condition or a bus may be wrong much of the time.")
                .arg(countText(known_), countText(notKept)));
    if (!more)
        return;
    std::stable_sort(events_.begin(), events_.end(), [](const measure::Event& a, const measure::Event& b) { return a.time < b.time; });
    mark();
    rows_->refresh();
    if (stage().following())
        rows_->toEnd();
}

// The event that was chosen here, on the timeline or anywhere else.
void EventsView::mark()
{
    const Selection& selection = stage().selection();
    rows_->chosen = -1;
    if (selection.kind == Selection::Kind::event)
        for (std::size_t i = 0; i < events_.size(); ++i)
            if (const measure::Event& event = events_[i];
                event.time == selection.event.time && event.bus == selection.event.bus && event.text == selection.event.text)
                rows_->chosen = static_cast<int>(i);
    rows_->viewport()->update();
}

int EventsView::chosen() const { return rows_->chosen; }

void EventsView::choose(int index)
{
    if (index < 0 || index >= static_cast<int>(events_.size()))
        return;
    const measure::Event& event = events_[static_cast<std::size_t>(index)];
    stage().setCursor(event.time);
    Selection selection;
    selection.kind = Selection::Kind::event;
    selection.event = event;
    selection.bus = event.bus;
    stage().select(selection);
}

}  // namespace wavetrope::app
