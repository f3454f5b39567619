// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/stage.h"

#include <QThreadPool>

#include <algorithm>

#include "app/stage/desk.h"
#include "app/stage/board_desk.h"
#include "app/stage/bus_desk.h"
#include "app/stage/curve_desk.h"
#include "app/stage/derive_desk.h"
#include "app/stage/event_desk.h"
#include "app/stage/dialogue_desk.h"
#include "app/stage/protocol_desk.h"
#include "app/stage/manipulation_desk.h"
#include "app/stage/note_desk.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/report_desk.h"
#include "app/stage/rule_desk.h"
#include "app/stage/timing_desk.h"

namespace wavetrope::app {

namespace {

constexpr int beatMilliseconds = 33;

}  // namespace

Stage::Stage(RunDocument& document)
    : document_(document),
      notes_(std::make_unique<NoteDesk>(*this)),
      rules_(std::make_unique<RuleDesk>(*this)),
      buses_(std::make_unique<BusDesk>(*this)),
      timing_(std::make_unique<TimingDesk>(*this)),
      protocols_(std::make_unique<ProtocolDesk>(*this)),
      curveDesk_(std::make_unique<CurveDesk>(*this)),
      reports_(std::make_unique<ReportDesk>(*this)),
      outbox_(std::make_unique<OutboxDesk>(*this)),
      manipulations_(std::make_unique<ManipulationDesk>(*this)),
      dialogues_(std::make_unique<DialogueDesk>(*this)),
      boards_(std::make_unique<BoardDesk>(*this)),
      derive_(std::make_unique<DeriveDesk>(*this)),
      events_(std::make_unique<EventDesk>(*this)),
      snapshot_(document.trace(), document.begun() ? document.trace().rows() : 0)
{
    connect(&timer_, &QTimer::timeout, this, &Stage::onTimer);
    timer_.start(beatMilliseconds);
    following_ = document.isLive();
    windowTo_ = document.begins() + usualWindow_;
    windowFrom_ = document.begins();
}

Stage::~Stage() = default;

Desk& Stage::desk()
{
    if (!desk_)
        desk_ = std::make_unique<Desk>(*this);
    return *desk_;
}

NoteDesk& Stage::notes() { return *notes_; }

RuleDesk& Stage::rules() { return *rules_; }

BusDesk& Stage::buses() { return *buses_; }
TimingDesk& Stage::timing() { return *timing_; }
CurveDesk& Stage::curveDesk() { return *curveDesk_; }
ReportDesk& Stage::reports() { return *reports_; }
OutboxDesk& Stage::outbox() { return *outbox_; }
ManipulationDesk& Stage::manipulations() { return *manipulations_; }
DialogueDesk& Stage::dialogues() { return *dialogues_; }

ProtocolDesk& Stage::protocols() { return *protocols_; }

BoardDesk& Stage::boards() { return *boards_; }
DeriveDesk& Stage::derive() { return *derive_; }
EventDesk& Stage::events() { return *events_; }

void Stage::takeCatalog(std::shared_ptr<const database::Catalog> catalog, const std::function<void()>& before)
{
    // What no view refers to any more may be large, and goes elsewhere.
    QThreadPool::globalInstance()->start([old = document_.setCatalog(std::move(catalog))]() mutable { old.reset(); });
    if (before)
        before();
    Q_EMIT catalogChanged();
}

BusMark Stage::mark(unsigned bus) const { return buses_->mark(bus); }

Time Stage::wholeTo() const
{
    const Time end = std::max(newest_, document_.begins() + std::chrono::milliseconds(1));
    if (!document_.isLive())
        return end;
    const Time story = document_.rig().story.count() > 0 ? document_.rig().story : Time(std::chrono::seconds(60));
    Time whole = story;
    while (document_.begins() + whole < end)
        whole = whole * 3 / 2;
    return document_.begins() + whole;
}

void Stage::onTimer()
{
    // What a log's reading has prepared comes in here, between the looks of the views.
    const bool adopted = document_.adopt();
    if (!document_.begun()) {
        Q_EMIT beat();
        return;
    }
    const bool done = document_.ready();
    const bool nowDone = done && !wasReady_;
    // The end of following a log is news as the end of reading is.
    const bool fresh = adopted || nowDone || (wasFollowed_ && !document_.follows());
    wasReady_ = done;
    wasFollowed_ = document_.follows();
    const Time newest = document_.end();
    if (!fresh && newest <= newest_ && document_.trace().rows() == snapshot_.rows()) {
        // While time is held nothing new comes, and what is asked of the run is seen all the same.
        if (!done || (document_.session() != nullptr && document_.session()->pace().held))
            Q_EMIT beat();
        return;
    }
    snapshot_ = document_.trace().snapshot();
    // A frame may have come between the two looks.
    newest_ = snapshot_.rows() > 0 ? std::max(newest, snapshot_.time(snapshot_.rows() - 1)) : newest;
    if (!document_.isLive()) {
        // A log that is still being read fills the window, until the user chooses what to see.
        if (!moved_) {
            windowFrom_ = wholeFrom();
            windowTo_ = wholeTo();
            following_ = false;
            // Up to where the measures are, so that loads and periods tell of the same moment.
            const std::uint64_t measured = std::min(
                snapshot_.rows(), document_.measures().read([](const measure::MeasureState& state) { return state.rows; }));
            cursorRow_ = done ? rowAt(newest_) : measured == 0 ? trace::noRow : measured - 1;
            cursor_ = done || cursorRow_ == trace::noRow ? newest_ : snapshot_.time(cursorRow_);
            Q_EMIT axisChanged();
        }
        if (nowDone || (adopted && done))
            notes_->load();
        if (fresh)
            Q_EMIT becameReady();
    }
    if (following_)
        follow();
    Q_EMIT beat();
}

void Stage::follow()
{
    const Time width = windowTo_ - windowFrom_;
    cursor_ = newest_;
    cursorRow_ = snapshot_.rows() == 0 ? trace::noRow : snapshot_.rows() - 1;
    windowTo_ = std::max(newest_, document_.begins() + width);
    windowFrom_ = windowTo_ - width;
    Q_EMIT axisChanged();
}

trace::TimeIndex Stage::order() const
{
    trace::TimeIndex order = document_.measures().order();
    order.follow(snapshot_);
    return order;
}

trace::Row Stage::rowAt(Time time) const
{
    // Those that came since the last beat are not shown yet.
    const trace::Row row = snapshot_.rows() == 0 ? trace::noRow : order().newestAt(time);
    return row == trace::noRow ? row : std::min(row, snapshot_.rows() - 1);
}

void Stage::setCursor(Time time)
{
    time = std::clamp(time, wholeFrom(), std::max(wholeFrom(), newest_));
    place(time, rowAt(time));
}

void Stage::setCursorRow(trace::Row row)
{
    if (row < snapshot_.rows())
        place(std::clamp(snapshot_.time(row), wholeFrom(), std::max(wholeFrom(), newest_)), row);
}

void Stage::place(Time time, trace::Row row)
{
    following_ = false;
    moved_ = true;
    cursor_ = time;
    cursorRow_ = row;
    const Time width = windowTo_ - windowFrom_;
    if (cursor_ < windowFrom_ || cursor_ > windowTo_) {
        windowFrom_ = cursor_ - width / 2;
        windowTo_ = windowFrom_ + width;
    }
    Q_EMIT axisChanged();
}

void Stage::rememberWindow()
{
    constexpr qint64 oneChoice = 400;       // milliseconds
    constexpr std::size_t mostFormer = 100;
    const bool goesOn = sinceChosen_.isValid() && sinceChosen_.elapsed() < oneChoice;
    sinceChosen_.restart();
    if (goesOn && !former_.empty())
        return;
    if (former_.empty() || former_.back() != std::pair(windowFrom_, windowTo_))
        former_.emplace_back(windowFrom_, windowTo_);
    if (former_.size() > mostFormer)
        former_.erase(former_.begin());
    later_.clear();
}

bool Stage::formerWindow(bool back)
{
    std::vector<std::pair<Time, Time>>& from = back ? former_ : later_;
    if (from.empty())
        return false;
    const std::pair<Time, Time> next = from.back();
    from.pop_back();
    (back ? later_ : former_).emplace_back(windowFrom_, windowTo_);
    following_ = false;
    windowFrom_ = next.first;
    windowTo_ = next.second;
    sinceChosen_.invalidate();
    Q_EMIT axisChanged();
    return true;
}

void Stage::setWidth(Time span)
{
    if (following_) {
        sinceChosen_.invalidate();
        rememberWindow();
        windowFrom_ = windowTo_ - std::min(span, wholeTo() - wholeFrom());
        follow();
        return;
    }
    const Time middle = cursor_ >= windowFrom_ && cursor_ <= windowTo_ ? cursor_ : windowFrom_ + (windowTo_ - windowFrom_) / 2;
    chooseWindow(middle - span / 2, middle + span / 2);
}

void Stage::chooseWindow(Time from, Time to)
{
    sinceChosen_.invalidate();
    setWindow(from, to);
}

void Stage::setWindow(Time from, Time to)
{
    rememberWindow();
    moved_ = true;
    if (to - from < narrowestWindow) {
        const Time middle = from + (to - from) / 2;
        from = middle - narrowestWindow / 2;
        to = from + narrowestWindow;
    }
    const Time whole = wholeTo() - wholeFrom();
    if (to - from > whole) {
        from = wholeFrom();
        to = wholeTo();
    }
    if (from < wholeFrom()) {
        to += wholeFrom() - from;
        from = wholeFrom();
    }
    if (following_ && document_.isLive() && to < newest_)
        following_ = false;
    windowFrom_ = from;
    windowTo_ = to;
    Q_EMIT axisChanged();
}

void Stage::zoom(double factor, Time around)
{
    const auto width = static_cast<double>((windowTo_ - windowFrom_).count());
    const auto left = static_cast<double>((around - windowFrom_).count());
    const double next = std::max(static_cast<double>(narrowestWindow.count()), width * factor);
    if (following_) {  // the right edge stays at the newest frame
        windowFrom_ = windowTo_ - Time(static_cast<std::int64_t>(std::min(next, static_cast<double>((wholeTo() - wholeFrom()).count()))));
        follow();
        return;
    }
    const Time from = around - Time(static_cast<std::int64_t>(left * next / width));
    setWindow(from, from + Time(static_cast<std::int64_t>(next)));
}

void Stage::now()
{
    if (!document_.isLive()) {
        setCursor(newest_);
        moved_ = moved_ && !document_.follows();    // a log that grows takes the cursor with it again
        return;
    }
    following_ = true;
    windowFrom_ = windowTo_ - usualWindow_;
    follow();
}

void Stage::rest()
{
    following_ = false;
    Q_EMIT axisChanged();
}

void Stage::setMatches(const BackgroundScan* matches)
{
    matches_ = matches;
    Q_EMIT matchesChanged();
}

void Stage::setMarks(const Marks& marks)
{
    if (marks == marks_)
        return;
    marks_ = marks;
    Q_EMIT marksChanged();
}

void Stage::setCurves(std::vector<QString> paths)
{
    if (paths == curves_)
        return;
    curves_ = std::move(paths);
    Q_EMIT curvesChanged();
}

void Stage::select(const Selection& selection)
{
    if (selection == selection_)
        return;
    selection_ = selection;
    Q_EMIT selectionChanged();
}

QString signalPath(const database::Catalog& catalog, const database::SignalRef& ref)
{
    return QString::fromStdString(catalog.busName(ref.message->bus) + ":" + ref.message->message->name + "." + ref.signal().name);
}

std::optional<database::SignalRef> signalOf(const database::Catalog& catalog, const QString& path)
{
    const auto colon = path.indexOf(QLatin1Char(':'));
    const std::string bus = path.left(colon).toStdString();
    for (const database::SignalRef& ref : catalog.findSignals(path.mid(colon + 1).toStdString()))
        if (catalog.busName(ref.message->bus) == bus)
            return ref;
    return std::nullopt;
}

}  // namespace wavetrope::app
