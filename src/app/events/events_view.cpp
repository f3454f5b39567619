// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/events/events_view.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <numeric>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

using measure::EventKind;

constexpr std::array<const char*, measure::eventKindCount> kindWords = {QT_TRANSLATE_NOOP("EventsView", "condition"),
    QT_TRANSLATE_NOOP("EventsView", "range"), QT_TRANSLATE_NOOP("EventsView", "beats"), QT_TRANSLATE_NOOP("EventsView", "burst"),
    QT_TRANSLATE_NOOP("EventsView", "error"), QT_TRANSLATE_NOOP("EventsView", "state"), QT_TRANSLATE_NOOP("EventsView", "note"),
    QT_TRANSLATE_NOOP("EventsView", "mark"), QT_TRANSLATE_NOOP("EventsView", "dialogue"), QT_TRANSLATE_NOOP("EventsView", "protocol")};
constexpr std::array<const char*, measure::eventKindCount> kindNames = {QT_TRANSLATE_NOOP("EventsView", "Conditions of the rig"),
    QT_TRANSLATE_NOOP("EventsView", "Signals out of their range"), QT_TRANSLATE_NOOP("EventsView", "Missed beats"),
    QT_TRANSLATE_NOOP("EventsView", "Bursts"), QT_TRANSLATE_NOOP("EventsView", "Error frames"),
    QT_TRANSLATE_NOOP("EventsView", "States of controllers"), QT_TRANSLATE_NOOP("EventsView", "Notes"),
    QT_TRANSLATE_NOOP("EventsView", "Marks A and B"), QT_TRANSLATE_NOOP("EventsView", "Broken rules of dialogues"),
    QT_TRANSLATE_NOOP("EventsView", "Trouble of higher protocols")};

enum Column { timeColumn, busColumn, kindColumn, whatColumn, whyColumn, lastsColumn, eventColumnCount };

QString lasting(const measure::Event& event)
{
    const auto span = static_cast<double>((event.until - event.time).count());
    if (event.open)
        return EventsView::tr("goes on");
    return span <= 0 ? QString() : span < 1e9 ? QStringLiteral("%1 ms").arg(span * 1e-6, 0, 'f', 1) : timeWords(span * 1e-9, 2);
}

}  // namespace

class EventsView::Rows : public RowList {
public:
    explicit Rows(EventsView& view) : view_(view)
    {
        setObjectName(QStringLiteral("eventRows"));
        setAccessibleName(EventsView::tr("Events of the run"));
        setColumns(Columns({
            {"time", EventsView::tr("time"), EventsView::tr("When it began"), 96, true, false, false, ColumnKind::ofTime},
            {"bus", EventsView::tr("bus"), EventsView::tr("Bus, by its letter"), 26},
            {"kind", EventsView::tr("kind"), EventsView::tr("What kind of event it is"), 84},
            {"what", EventsView::tr("what"), EventsView::tr("Name of the condition, message or signal; words of a note"), 180},
            {"why", EventsView::tr("why"), EventsView::tr("What makes it one"), 220, true, false, true},
            {"lasts", EventsView::tr("lasts"), EventsView::tr("How long it lasts"), 80, true, true},
        }));
    }
    std::uint64_t count() const override { return view_.count(); }
    std::int64_t current() const override { return chosen; }
    void choose(std::uint64_t index) override { view_.choose(static_cast<int>(index)); }
    QString rowText(std::uint64_t index) const override
    {
        const measure::Event& event = view_.eventAt(index);
        return QStringList{timeText(view_.stage().seconds(event.time), 6), letterOf(event),
            EventsView::tr(kindWords[static_cast<std::size_t>(event.kind)]), text(event.what), text(event.why), lasting(event)}
            .join(QLatin1Char('\t'));
    }
    void sortMark() { setSorted(view_.sorted_, view_.descending_); }
    int chosen = -1;

protected:
    QString emptyText() const override
    {
        if (!view_.stage().events().all().empty())
            return EventsView::tr("None of these: other kinds, buses or names are kept from this list.");
        return EventsView::tr(
            "Nothing yet. Conditions of the rig, signals out of their range, missed beats, bursts and error frames appear here.");
    }
    void headClicked(int kind) override { view_.sortBy(kind, kind == view_.sorted_ && !view_.descending_); }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const measure::Event& event = view_.eventAt(index);
        const int height = theme.rowHeight();
        if (static_cast<int>(index) == chosen)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        const Flag flag = flagOf(event);
        for (std::size_t place = 0; place < columns_.count(); ++place) {
            const QRectF box = columns_.box(place, y, height);
            switch (columns_.kindAt(place)) {
            case timeColumn: paintText(painter, box, timeText(view_.stage().seconds(event.time), 6), theme.mono(), theme.ink); break;
            case busColumn:
                if (event.bus != measure::noBus)
                    paintBusBadge(painter, QRectF(box.left(), y + theme.px(3), theme.px(14), theme.px(14)), view_.stage().mark(event.bus));
                break;
            case kindColumn:
                paintFlag(painter, QPointF(box.left() + theme.px(6), y + height / 2.0), theme.px(9), flag);
                paintText(painter, box.adjusted(theme.px(18), 0, 0, 0), EventsView::tr(kindWords[static_cast<std::size_t>(event.kind)]),
                    theme.body(), theme.ink2);
                break;
            case whatColumn: paintText(painter, box, text(event.what), theme.body(), flag == Flag::wrong ? theme.error : theme.ink); break;
            case whyColumn: paintText(painter, box, text(event.why), theme.body(), theme.ink2); break;
            default:
                paintText(
                    painter, box, lasting(event), theme.mono(), event.open ? theme.ink2 : theme.ink, Qt::AlignRight | Qt::AlignVCenter);
            }
        }
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && chosen >= 0)
            return view_.showWhole(static_cast<std::size_t>(chosen));
        RowList::keyPressEvent(event);
    }
    void mouseDoubleClickEvent(QMouseEvent* event) override
    {
        if (const std::int64_t row = rowAt(event->position()); row >= 0)
            view_.showWhole(static_cast<std::size_t>(row));
    }

private:
    QString letterOf(const measure::Event& event) const
    {
        return event.bus == measure::noBus ? QString() : QString(view_.stage().mark(event.bus).letter);
    }
    EventsView& view_;
};

EventsView::EventsView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      kinds_(new QToolButton),
      bus_(new QComboBox),
      name_(new QLineEdit),
      rows_(new Rows(*this)),
      notKept_(new QLabel)
{
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    kinds_->setObjectName(QStringLiteral("eventKinds"));
    kinds_->setAutoRaise(true);
    kinds_->setProperty("link", true);
    kinds_->setToolTip(tr("Which kinds are listed, and flagged on the timeline"));
    kinds_->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(kinds_);
    menu->setObjectName(QStringLiteral("eventKindMenu"));
    kinds_->setMenu(menu);
    connect(menu, &QMenu::aboutToShow, this, [this, menu] {
        menu->clear();
        for (std::size_t kind = 0; kind < measure::eventKindCount; ++kind) {
            QAction* action = menu->addAction(
                QStringLiteral("%1\t%2").arg(tr(kindNames[kind]), countText(this->stage().events().counts()[kind])));
            action->setObjectName(QLatin1String(measure::toText(static_cast<EventKind>(kind))));
            action->setCheckable(true);
            action->setChecked(this->stage().events().shows(static_cast<EventKind>(kind)));
            connect(action, &QAction::toggled, this, [this, kind](bool on) {
                this->stage().events().show(static_cast<EventKind>(kind), on);
                Q_EMIT setUpChanged();
            });
        }
    });
    bus_->setObjectName(QStringLiteral("eventBus"));
    bus_->setAccessibleName(tr("Bus of the events"));
    bus_->setToolTip(tr("Events of one bus"));
    bus_->setSizeAdjustPolicy(QComboBox::AdjustToContents);
    bus_->addItem(tr("all buses"));
    name_->setObjectName(QStringLiteral("eventName"));
    name_->setPlaceholderText(tr("find: flow"));
    name_->setAccessibleName(tr("Find among the events"));
    name_->setToolTip(tr("What stands in a name or reason"));
    name_->setClearButtonEnabled(true);
    name_->setMaximumWidth(Theme::get().px(150));
    bar->addWidget(kinds_);
    bar->addWidget(bus_);
    bar->addWidget(name_, 1);
    bar->addStretch(1);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    notKept_->setObjectName(QStringLiteral("eventsNotKept"));
    notKept_->setContentsMargins(12, 4, 12, 4);
    notKept_->setWordWrap(true);
    notKept_->hide();
    layout->addWidget(notKept_);
    setFocusProxy(rows_);
    rows_->sortMark();
    connect(rows_, &RowList::columnsChanged, this, &View::setUpChanged);
    connect(&stage, &Stage::selectionChanged, this, &EventsView::mark);
    connect(&stage.events(), &EventDesk::changed, this, &EventsView::refresh);
    connect(bus_, &QComboBox::activated, this, [this] {
        known_ = ~std::uint64_t{0};
        refresh();
        Q_EMIT setUpChanged();
    });
    connect(name_, &QLineEdit::textChanged, this, [this] {
        known_ = ~std::uint64_t{0};
        refresh();
    });
}

void EventsView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    stage().events().look(this, true);
    refresh();
}

void EventsView::hideEvent(QHideEvent* event)
{
    stage().events().look(this, false);
    View::hideEvent(event);
}

nlohmann::json EventsView::save() const
{
    nlohmann::json out = nlohmann::json::object();
    for (std::size_t kind = 0; kind < measure::eventKindCount; ++kind)
        if (!stage().events().shows(static_cast<EventKind>(kind)))
            out["without"].push_back(measure::toText(static_cast<EventKind>(kind)));
    if (bus_->currentIndex() > 0)
        out["bus"] = bus_->currentData().toString().toStdString();
    if (sorted_ != 0 || descending_) {
        out["sorted"] = sorted_;
        out["descending"] = descending_;
    }
    if (nlohmann::json columns = rows_->columns().save(); !columns.empty())
        out["columns"] = std::move(columns);
    return out;
}

void EventsView::restore(const nlohmann::json& setUp)
{
    if (const auto without = setUp.find("without"); without != setUp.end() && without->is_array())
        for (const auto& word : *without)
            for (std::size_t kind = 0; kind < measure::eventKindCount; ++kind)
                if (word == measure::toText(static_cast<EventKind>(kind)))
                    stage().events().show(static_cast<EventKind>(kind), false);
    if (const auto bus = setUp.find("bus"); bus != setUp.end() && bus->is_string()) {
        const QString name = text(bus->get<std::string>());
        if (bus_->findData(name) < 0)
            bus_->addItem(name, name);
        bus_->setCurrentIndex(bus_->findData(name));
    }
    if (const auto columns = setUp.find("columns"); columns != setUp.end())
        rows_->restoreColumns(*columns);
    const auto sorted = setUp.find("sorted");
    if (sorted != setUp.end() && sorted->is_number_integer() && sorted->get<int>() >= 0 && sorted->get<int>() < eventColumnCount)
        sortBy(sorted->get<int>(), setUp.value("descending", nlohmann::json(false)) == true);
}

void EventsView::refresh()
{
    const EventDesk& desk = stage().events();
    if (!isVisible() || known_ == desk.version())
        return;
    known_ = desk.version();
    // Buses as they are known by now; the chosen one stays.
    const auto& buses = stage().document().buses();
    for (const trace::TraceBus& bus : buses)
        if (const QString name = text(bus.name); bus_->findData(name) < 0)
            bus_->addItem(name, name);
    std::size_t shown = 0;
    for (std::size_t kind = 0; kind < measure::eventKindCount; ++kind)
        shown += desk.shows(static_cast<EventKind>(kind)) ? desk.counts()[kind] : 0;
    kinds_->setText(shown == desk.all().size() ? tr("all kinds, %1").arg(countText(shown))
                                               : tr("%1 of %2").arg(countText(shown), countText(desk.all().size())));
    const QString words =
        !desk.problem().isEmpty() ? desk.problem()
        : desk.notKept() == 0
            ? QString()
            : tr("These are the first %1. %2 more came and are not kept: a condition or a bus may be wrong much of the time.")
                  .arg(countText(desk.all().size()), countText(desk.notKept()));
    notKept_->setVisible(!words.isEmpty());
    notKept_->setText(words);
    arrange();
    mark();
    rows_->refresh();
    if (stage().following() && sorted_ == 0 && !descending_)
        rows_->toEnd();
}

void EventsView::arrange()
{
    const EventDesk& desk = stage().events();
    const auto& all = desk.all();
    const QString wanted = name_->text().trimmed();
    const QString busName = bus_->currentData().toString();
    int bus = -1;
    for (std::size_t i = 0; i < stage().document().buses().size(); ++i)
        if (text(stage().document().buses()[i].name) == busName)
            bus = static_cast<int>(i);
    order_.clear();
    for (std::uint32_t i = 0; i < all.size(); ++i) {
        const measure::Event& event = all[i];
        if (!desk.shows(event.kind) || (bus_->currentIndex() > 0 && event.bus != bus))
            continue;
        if (!wanted.isEmpty() && !text(event.what).contains(wanted, Qt::CaseInsensitive)
            && !text(event.why).contains(wanted, Qt::CaseInsensitive))
            continue;
        order_.push_back(i);
    }
    // They come by time; what is alike stays so.
    const auto by = [&](auto key) {
        std::stable_sort(order_.begin(), order_.end(),
            [&](std::uint32_t a, std::uint32_t b) { return descending_ ? key(all[b]) < key(all[a]) : key(all[a]) < key(all[b]); });
    };
    switch (sorted_) {
    case busColumn: by([](const measure::Event& event) { return event.bus; }); break;
    case kindColumn: by([](const measure::Event& event) { return event.kind; }); break;
    case whatColumn: by([](const measure::Event& event) { return std::string_view(event.what); }); break;
    case whyColumn: by([](const measure::Event& event) { return std::string_view(event.why); }); break;
    case lastsColumn: by([](const measure::Event& event) { return event.until - event.time; }); break;
    default:
        if (descending_)
            std::reverse(order_.begin(), order_.end());
    }
}

void EventsView::sortBy(int column, bool descending)
{
    sorted_ = std::clamp(column, 0, eventColumnCount - 1);
    descending_ = descending;
    rows_->sortMark();
    arrange();
    mark();
    rows_->refresh();
    Q_EMIT setUpChanged();
}

// The event that was chosen here, on the timeline or anywhere else.
void EventsView::mark()
{
    const Selection& selection = stage().selection();
    const int before = rows_->chosen;
    rows_->chosen = -1;
    if (selection.kind == Selection::Kind::event)
        for (std::size_t i = 0; i < order_.size(); ++i)
            if (const measure::Event& event = eventAt(i);
                event.time == selection.event.time && event.bus == selection.event.bus && event.text == selection.event.text)
                rows_->chosen = static_cast<int>(i);
    if (rows_->chosen >= 0 && rows_->chosen != before)
        rows_->bring(static_cast<std::uint64_t>(rows_->chosen));
    rows_->viewport()->update();
}

int EventsView::chosen() const { return rows_->chosen; }
QString EventsView::rowText(std::size_t index) const { return rows_->rowText(index); }

void EventsView::choose(int index)
{
    if (index >= 0 && index < static_cast<int>(order_.size()))
        stage().events().choose(measure::Event(eventAt(static_cast<std::size_t>(index))));
}

void EventsView::showWhole(std::size_t index)
{
    if (index >= order_.size())
        return;
    const measure::Event event = eventAt(index);
    const Time margin = std::max((event.until - event.time) / 4, Time(std::chrono::milliseconds(50)));
    stage().events().choose(event);
    stage().chooseWindow(event.time - margin, std::max(event.until, event.time) + margin);
}

QString EventsView::csv() const
{
    QString out = QStringLiteral("time\tbus\tkind\twhat\twhy\tlasts");
    for (std::size_t i = 0; i < order_.size(); ++i)
        out += QLatin1Char('\n') + rows_->rowText(i);
    return csvFromTabs(out);
}

}  // namespace wavetrope::app
