// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/event_desk.h"

#include <algorithm>

#include "app/parts/text.h"
#include "app/stage/newest_work.h"
#include "app/stage/dialogue_desk.h"
#include "app/stage/note_desk.h"
#include "app/stage/rule_desk.h"
#include "rig/conditions.h"
#include "rig/rule_text.h"

namespace wavetrope::app {

namespace {

constexpr qint64 againAfter = 300;      // ms; a run brings new frames all the time

}  // namespace

// What is looked for over one catalog and the conditions of one rig. The happenings are the work's own.
struct EventDesk::Search {
    Search(std::shared_ptr<const database::Catalog> of, measure::Happenings::Options options)
        : catalog(of), happenings(std::move(of), std::move(options))
    {}
    std::shared_ptr<const database::Catalog> catalog;
    measure::Happenings happenings;
    std::uint64_t changes = 0;
    bool finished = false;
    std::uint64_t notKept = 0;
    std::string problem;
    std::vector<std::string> untold;        // conditions of which frames say nothing
};

EventDesk::EventDesk(Stage& stage) : stage_(stage), work_(new NewestWork(this))
{
    shown_.fill(true);
    connect(&stage, &Stage::beat, this, [this] {
        gather();
        ask();
    });
    for (auto anew : {&Stage::catalogChanged, &Stage::becameReady})
        connect(&stage, anew, this, &EventDesk::begin);
    connect(&stage, &Stage::marksChanged, this, &EventDesk::count);
    connect(&stage.rules(), &RuleDesk::changed, this, &EventDesk::begin);
    connect(&stage.notes(), &NoteDesk::changed, this, &EventDesk::count);
    connect(&stage.dialogues(), &DialogueDesk::changed, this, &EventDesk::count);
}

EventDesk::~EventDesk() = default;

void EventDesk::look(const QObject* who, bool looks)
{
    if (!looks) {
        lookers_.erase(who);
        return;
    }
    if (lookers_.insert(who).second)
        connect(who, &QObject::destroyed, this, [this, who] { lookers_.erase(who); });
    ask();
}

bool EventDesk::over() const { return !stage_.document().isLive() && stage_.document().ready() && stage_.caughtUp(); }

bool EventDesk::settled() const
{
    return search_ && !searching_ && foundRows_ >= stage_.snapshot().rows() && (foundOver_ || stage_.document().isLive());
}

// What was found is of other definitions.
void EventDesk::begin()
{
    search_.reset();
    foundRows_ = 0;
    foundOver_ = false;
    searching_ = false;
    work_->forget();
    since_.invalidate();
    ask();
}

// Until somebody looks: what is measured anyway.
void EventDesk::gather()
{
    if (search_)
        return;
    const bool more = stage_.document().measures().read([&](const measure::MeasureState& state) {
        const auto& events = state.events.events();
        notKept_ = state.events.notKept();
        if (events.size() == measuredKnown_ && (events.empty() || events.back().until == measuredUntil_))
            return false;
        measuredKnown_ = events.size();
        measuredUntil_ = events.empty() ? Time{} : events.back().until;
        found_ = events;
        return true;
    });
    if (!more)
        return;
    for (measure::Event& event : found_)
        if (event.what.empty())
            event.what = event.text;
    std::stable_sort(found_.begin(), found_.end(), measure::inOrder);
    count();
}

void EventDesk::ask()
{
    const trace::Snapshot& snapshot = stage_.snapshot();
    if (lookers_.empty() || !snapshot.valid() || searching_ || (since_.isValid() && since_.elapsed() < againAfter))
        return;
    const bool end = over();
    if (search_ && snapshot.rows() == foundRows_ && end == foundOver_)
        return;
    if (!search_) {
        measure::Happenings::Options options;
        const auto& catalog = stage_.document().catalog();
        for (const trace::TraceBus& bus : stage_.document().buses()) {
            options.buses.push_back(bus.name);
            options.rates.push_back(bus.rate);
            options.spoken.push_back(rig::spokenOn(bus.name, stage_.document().rig()));
        }
        rig::CompiledRules rules = rig::rulesOf(stage_.document().rig(), catalog, options.buses);
        std::vector<std::string> untold;
        for (const rules::ConditionRule& rule : rules.set.conditions) {
            if (rig::framesTell(rule.kind))
                options.conditions.push_back(rule);
            else
                untold.push_back(rule.name);
        }
        search_ = std::make_shared<Search>(catalog, std::move(options));
        search_->untold = std::move(untold);
    }
    searching_ = true;
    since_.restart();
    work_->ask([this, search = search_, snapshot, end](const std::function<bool()>& goesOn) -> NewestWork::Deliver {
        if (!search->happenings.advance(snapshot, goesOn))
            return {};
        if (end && !std::exchange(search->finished, true))
            search->happenings.finish(snapshot);
        search->notKept = search->happenings.notKept();
        search->problem = search->happenings.problem();
        std::vector<measure::Event> found = search->happenings.all(snapshot.rows() > 0 ? snapshot.latest() : Time{});
        return
            [this, search, found = std::move(found), rows = snapshot.rows(), end]() mutable { take(std::move(found), *search, rows, end); };
    });
}

void EventDesk::take(std::vector<measure::Event> found, const Search& search, std::uint64_t rows, bool end)
{
    if (&search != search_.get())
        return;
    searching_ = false;
    foundRows_ = rows;
    foundOver_ = end;
    found_ = std::move(found);
    notKept_ = search.notKept;
    problem_ = text(search.problem);
    if (!search.untold.empty())
        stage_.document().measures().read([&](const measure::MeasureState& state) {
            for (const measure::Event& event : state.events.events())
                if (event.kind == measure::EventKind::condition
                    && std::find(search.untold.begin(), search.untold.end(), event.text) != search.untold.end())
                    found_.push_back(event);
            return 0;
        });
    for (measure::Event& event : found_)
        if (event.what.empty())
            event.what = event.text;
    std::stable_sort(found_.begin(), found_.end(), measure::inOrder);
    count();
    ask();
}

std::uint8_t EventDesk::busOf(const drive::DialogueSpec& spec) const
{
    const int bus = stage_.catalog().findBus(spec.bus);
    return bus < 0 ? measure::noBus : static_cast<std::uint8_t>(bus);
}

// Notes, marks and broken rules come to what was found.
void EventDesk::count()
{
    all_ = found_;
    const std::size_t found = all_.size();
    const trace::Snapshot& snapshot = stage_.snapshot();
    for (const rig::Note& note : stage_.notes().notes().all()) {
        const bool onRow = note.row != trace::noRow && snapshot.valid() && note.row < snapshot.rows() && !snapshot.trace().isGone(note.row);
        all_.push_back({measure::EventKind::note, note.time, note.time, onRow ? snapshot.frame(note.row).bus : measure::noBus, note.row,
            note.text, 1, note.text, onRow ? tr("on row %1").arg(note.row).toStdString() : tr("on a moment").toStdString()});
    }
    for (const drive::DialogueFacts& facts : stage_.dialogues().all())
        for (const drive::DialogueEvent& event : facts.events)
            if (event.what == drive::DialogueEvent::What::breaks) {
                const std::string& phase = event.phase == drive::SideSpec::rest ? facts.spec->name : facts.spec->phases[event.phase].name;
                all_.push_back({measure::EventKind::dialogue, event.time, event.time, busOf(*facts.spec), trace::noRow,
                    facts.spec->partners[event.partner] + ", " + phase, 1, facts.spec->name, event.why});
            }
    const Marks& marks = stage_.marks();
    for (const auto& [name, mark] : {std::pair{"A", marks.a}, std::pair{"B", marks.b}})
        if (mark)
            all_.push_back({measure::EventKind::mark, *mark, *mark, measure::noBus, trace::noRow, name, 1, name, {}});
    std::stable_sort(all_.begin() + static_cast<std::ptrdiff_t>(found), all_.end(), measure::inOrder);
    std::inplace_merge(all_.begin(), all_.begin() + static_cast<std::ptrdiff_t>(found), all_.end(), measure::inOrder);
    counts_.fill(0);
    for (const measure::Event& event : all_)
        ++counts_[static_cast<std::size_t>(event.kind)];
    ++version_;
    Q_EMIT changed();
}

void EventDesk::show(measure::EventKind kind, bool on)
{
    if (shows(kind) == on)
        return;
    shown_[static_cast<std::size_t>(kind)] = on;
    ++version_;
    Q_EMIT changed();
}

void EventDesk::choose(const measure::Event& event)
{
    if (event.kind == measure::EventKind::note && event.row != trace::noRow)
        stage_.setCursorRow(event.row);
    else
        stage_.setCursor(event.time);
    Selection selection;
    selection.kind = Selection::Kind::event;
    selection.event = event;
    selection.bus = event.bus == measure::noBus ? std::uint8_t{0} : event.bus;
    stage_.select(selection);
}

bool EventDesk::goNext(bool back)
{
    const Time cursor = stage_.cursor();
    const Selection& selection = stage_.selection();
    // Of several at one instant, the one behind that which is selected.
    auto at = std::lower_bound(all_.begin(), all_.end(), cursor, [](const measure::Event& event, Time time) { return event.time < time; });
    if (selection.kind == Selection::Kind::event)
        for (auto same = at; same != all_.end() && same->time == cursor; ++same)
            if (same->kind == selection.event.kind && same->text == selection.event.text && same->bus == selection.event.bus)
                at = back ? same : same + 1;
    if (back) {
        while (at != all_.begin())
            if (--at; shows(at->kind))
                return choose(*at), true;
        return false;
    }
    const bool selected = selection.kind == Selection::Kind::event && selection.event.time == cursor;
    for (; at != all_.end(); ++at)
        if (shows(at->kind) && (selected || at->time > cursor))
            return choose(*at), true;
    return false;
}

}  // namespace wavetrope::app
