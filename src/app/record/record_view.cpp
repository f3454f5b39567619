// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/record/record_view.h"

#include <QHBoxLayout>
#include <QLocale>
#include <QMenu>
#include <QShortcut>
#include <QSplitter>
#include <QVBoxLayout>

#include <algorithm>
#include <map>

#include "app/paint/paint.h"
#include "app/parts/buttons.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "rig/rules_json.h"

namespace wavetrope::app {

namespace {

constexpr unsigned beatsBetween = 5;
constexpr unsigned beatsBetweenRehearsals = 60;

QString sizeWords(std::uint64_t bytes)
{
    return QLocale::c()
        .formattedDataSize(static_cast<qint64>(bytes), 1, QLocale::DataSizeSIFormat)
        .replace(QStringLiteral(".0 "), QStringLiteral(" "));
}

}  // namespace

RecordView::RecordView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      facts_(new ElidedLabel),
      recordingsHead_(new QLabel),
      folder_(new ElidedLabel),
      rehearsalHead_(new ElidedLabel),
      takeBack_(linkButton(tr("Take it back"), "takeRulesBack")),
      armAsChanged_(actingButton(tr("Arm as changed"), "armAsChanged")),
      conditionRows_(new ConditionRows(stage)),
      recordingRows_(new RecordingRows(stage)),
      rehearsalRows_(new RehearsalRows(stage)),
      rehearsing_(new Rehearsing(stage, this))
{
    setObjectName(QStringLiteral("recordView"));
    facts_->setObjectName(QStringLiteral("recordFacts"));
    auto* addCondition = linkButton(tr("Add a condition..."), "addCondition");
    auto* addRecording = linkButton(tr("Add a recording..."), "addRecording");
    auto* kinds = new QMenu(addCondition);
    const QString bus = stage.document().buses().empty() ? QStringLiteral("Main") : text(stage.document().buses().front().name);
    for (const auto& [what, words] :
        {std::pair{tr("A signal or frame..."), QString()}, {tr("An identifier falls silent"), tr("no frame of id 0x100 for 100 ms")},
            {tr("A bus is full"), tr("load of %1 above 80 % over 100 ms").arg(bus)}, {tr("A bus fails"), tr("%1 is bus off").arg(bus)},
            {tr("The run begins"), tr("the run begins")}, {tr("After a time"), tr("10 s behind the run's begin")},
            {tr("Every so often"), tr("every 60 s")}, {tr("A key in this window"), tr("key F9")},
            {tr("A word from outside"), tr("the word keep")}, {tr("Frames are lost"), tr("frames are lost")},
            {tr("The disk is nearly full"), tr("the disk is nearly full")}})
        kinds->addAction(what, this, [=, this] { conditionRows_->add(words); });
    connect(addCondition, &QPushButton::clicked, this, [=] { kinds->popup(addCondition->mapToGlobal(QPoint(0, addCondition->height()))); });
    connect(addRecording, &QPushButton::clicked, this, [this] {
        // It starts with the condition that is in force, if there is one.
        const std::int64_t chosen = conditionRows_->current();
        const auto& events = this->stage().document().rig().events;
        const bool any = chosen >= 0 && static_cast<std::size_t>(chosen) < events.size();
        recordingRows_->edit(
            this->stage().rules().addRecording(any ? rules::quotedName(events[static_cast<std::size_t>(chosen)].name) : std::string()),
            rig::RecordingField::name);
    });
    addCondition->setToolTip(tr("Add a condition  (Insert in the list)"));
    addRecording->setToolTip(tr("Add a recording that starts with the chosen condition  (Insert in the list)"));
    takeBack_->setToolTip(tr("Undo the last change  (Ctrl+Z)"));
    armAsChanged_->setToolTip(tr("The run follows the rules as they stand here; takes that go on end  (Ctrl+Enter)"));
    auto* toolRow = new QHBoxLayout(tools_);
    toolRow->setContentsMargins(0, 0, 0, 0);
    toolRow->addWidget(facts_, 1);
    toolRow->addWidget(addCondition);

    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* split = split_ = new QSplitter(Qt::Vertical);
    split->setChildrenCollapsible(false);
    connect(split, &QSplitter::splitterMoved, this, [this] { dragged_ = true; });
    split->setHandleWidth(1);
    split->addWidget(conditionRows_);
    std::vector<QHBoxLayout*> heads;
    std::vector<QLabel*> titles;
    const auto part = [&](const QString& name, QWidget* rows, std::initializer_list<QWidget*> behind, QWidget* wide) {
        auto* widget = new QWidget;
        auto* below = new QVBoxLayout(widget);
        below->setContentsMargins(0, 0, 0, 0);
        below->setSpacing(0);
        auto* head = new QHBoxLayout;
        auto* title = new QLabel(name);
        head->addWidget(title);
        for (QWidget* one : behind)
            head->addWidget(one, one == wide ? 1 : 0);
        below->addLayout(head);
        below->addWidget(rows, 1);
        split->addWidget(widget);
        heads.push_back(head);
        titles.push_back(title);
    };
    part(tr("Recordings"), recordingRows_, {recordingsHead_, folder_, addRecording}, folder_);
    part(tr("Rehearsal"), rehearsalRows_, {rehearsalHead_, takeBack_, armAsChanged_}, rehearsalHead_);
    column->addWidget(split);
    setFocusProxy(conditionRows_);
    const auto restyle = [=, this] {
        const Theme& theme = Theme::get();
        for (QHBoxLayout* head : heads) {
            head->setContentsMargins(theme.px(12), theme.px(5), theme.px(12), theme.px(5));
            head->setSpacing(theme.px(14));
        }
        toolRow->setSpacing(theme.px(14));
        for (QLabel* title : titles)
            title->setFont(theme.head());
        for (QLabel* label : {facts_, recordingsHead_, folder_, rehearsalHead_}) {
            label->setFont(theme.body());
            label->setStyleSheet(QStringLiteral("color: %1").arg(theme.ink2.name()));
        }
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    takeBack_->setEnabled(stage.rules().undoStack().canUndo());
    connect(&stage.rules().undoStack(), &QUndoStack::canUndoChanged, takeBack_, &QWidget::setEnabled);
    connect(takeBack_, &QPushButton::clicked, this, [this] { this->stage().rules().undoStack().undo(); });
    connect(armAsChanged_, &QPushButton::clicked, this, &RecordView::arm);
    for (const Qt::Key key : {Qt::Key_Return, Qt::Key_Enter}) {
        auto* shortcut = new QShortcut(QKeySequence(Qt::CTRL | key), this);
        shortcut->setContext(Qt::WidgetWithChildrenShortcut);
        connect(shortcut, &QShortcut::activated, this, &RecordView::arm);
    }
    connect(recordingRows_, &RecordingRows::startOrStopWanted, this, &RecordView::startOrStop);
    connect(recordingRows_, &RecordingRows::chosen, this, [this] {
        showRehearsal();
        const auto index = static_cast<std::size_t>(std::max<std::int64_t>(0, recordingRows_->current()));
        if (index < recordingRows_->rows().size())
            choose(Selection::Kind::recording, recordingRows_->rows()[index].spec.name);
    });
    connect(conditionRows_, &ConditionRows::chosen, this, [this] {
        const auto index = static_cast<std::size_t>(std::max<std::int64_t>(0, conditionRows_->current()));
        if (index < conditionRows_->rows().size())
            choose(Selection::Kind::condition, conditionRows_->rows()[index].name.toStdString());
    });
    connect(&stage.rules(), &RuleDesk::changed, this, [this] {
        rehearsing_->forget();
        refresh();
        Q_EMIT setUpChanged();
    });
    connect(&stage, &Stage::beat, this, [this] {
        if (++beats_ % beatsBetween == 0)
            refresh();
        if (beats_ % beatsBetweenRehearsals == 0 && rehearsing_->cheap() && this->stage().document().isLive() && isVisible())
            rehearsing_->begin();
    });
    connect(&stage, &Stage::filtersChanged, this, [this] {
        rehearsing_->forget();
        refresh();
    });
    connect(rehearsing_, &Rehearsing::finished, this, &RecordView::refresh);
    connect(&stage, &Stage::becameReady, this, &RecordView::refresh);
    connect(&stage, &Stage::catalogChanged, this, &RecordView::refresh);
    connect(&stage, &Stage::axisChanged, this, [this] {
        if (!this->stage().document().isLive())
            refresh();
    });
    refresh();
}

std::vector<ConditionRow> RecordView::conditionRowsNow(const rig::CompiledRules& compiled)
{
    RunDocument& document = stage().document();
    const RuleDesk& desk = stage().rules();
    rig::Session* session = document.session();
    const auto spansOf = [](std::size_t count, const std::vector<rules::TrueStretch>& stretches) {
        std::vector<std::vector<TrueSpan>> out(count);
        for (const rules::TrueStretch& stretch : stretches)
            if (stretch.condition < count)
                out[stretch.condition].push_back({stretch.from, stretch.to.value_or(Time::max())});
        return out;
    };
    // As the run has followed them, by name; and as they were rehearsed, by index.
    std::map<std::string, std::pair<rig::ConditionReport, std::vector<TrueSpan>>> followed;
    if (session != nullptr) {
        const auto reports = session->conditionReports();
        auto spans = spansOf(reports.size(), session->rulesHistory()->stretches);
        for (std::size_t i = 0; i < reports.size(); ++i)
            followed[reports[i].name] = {reports[i], std::move(spans[i])};
    }
    std::vector<std::vector<TrueSpan>> tried;
    if (rehearsed())
        tried = spansOf(compiled.set.conditions.size(), rehearsing_->result().stretches);
    std::vector<ConditionRow> rows;
    for (std::size_t i = 0; i < compiled.set.conditions.size(); ++i) {
        const rules::ConditionRule& rule = compiled.set.conditions[i];
        const rig::EventSpec& spec = document.rig().events[i];
        ConditionRow row{text(rule.name), text(rig::conditionText(spec)), false, rule.known, true, 0, {}, {}};
        if (session != nullptr) {
            const rig::EventSpec* armed = desk.armedCondition(rule.name);
            row.isArmed = armed != nullptr && rig::conditionText(*armed) == rig::conditionText(spec);
        }
        const auto live = followed.find(rule.name);
        if (row.isArmed && live != followed.end()) {
            const rig::ConditionReport& report = live->second.first;
            row.now = report.now;
            row.known = report.known;
            row.met = report.met;
            row.last = report.last;
            row.spans = std::move(live->second.second);
        } else if (i < tried.size()) {
            row.spans = std::move(tried[i]);
            row.met = row.spans.size();
            if (!row.spans.empty())
                row.last = row.spans.back().to == Time::max() ? stage().newest() : row.spans.back().to;
            const Time cursor = stage().cursor();
            const auto behind = std::upper_bound(
                row.spans.begin(), row.spans.end(), cursor, [](Time time, const TrueSpan& one) { return time < one.from; });
            row.now = session == nullptr && behind != row.spans.begin() && cursor < std::prev(behind)->to;
        }
        if (const rules::NearMiss* miss = rehearsing_->missOf(rule.name); row.met == 0 && miss != nullptr)
            row.miss = *miss;
        rows.push_back(std::move(row));
    }
    return rows;
}

std::vector<RecordingRow> RecordView::recordingRowsNow(const rig::CompiledRules& compiled, unsigned& armed, unsigned& keep)
{
    const rig::Rig& rig = stage().document().rig();
    const RuleDesk& desk = stage().rules();
    rig::Session* session = stage().document().session();
    std::vector<RecordingRow> rows;
    for (const rig::RecordingSpec& spec : rig.recordings) {
        RecordingRow row;
        row.spec = spec;
        row.state = tr("not armed");
        row.changed = session != nullptr;
        rows.push_back(std::move(row));
    }
    for (std::size_t i = 0; i < compiled.recordings.size(); ++i) {
        const std::string never = rules::neverWords(compiled.set.recordings[i], compiled.set.conditions);
        rows[compiled.recordings[i]].never = never.empty() ? QString() : tr("As it is written, %1").arg(text(never));
    }
    if (session != nullptr) {
        const auto reports = session->takingReports();
        for (std::size_t i = 0; i < reports.size(); ++i) {
            const rig::TakingReport& report = reports[i];
            const rig::RecordingSpec* spec = desk.armedRecording(report.name);
            if (spec == nullptr)
                continue;
            auto found = std::find_if(rows.begin(), rows.end(), [&](const RecordingRow& row) { return row.spec.name == report.name; });
            if (found == rows.end()) {
                rows.emplace_back();
                found = std::prev(rows.end());
                found->spec = *spec;
                found->gone = true;
            }
            RecordingRow& row = *found;
            row.armed = *spec;
            row.changed = row.gone || rig::written(row.spec) != rig::written(*spec);
            row.session = i;
            row.phase = report.state.phase;
            row.state = text(report.words);
            const bool waits = report.state.phase == rules::Rules::Phase::armed;
            ++(waits ? armed : keep);
            if (!report.files.problem.empty()) {
                row.below = text(report.files.problem);
            } else if (waits && spec->before.byFrames) {
                row.buffer = spec->before.frames == 0
                                 ? -1
                                 : static_cast<double>(report.state.waiting) / static_cast<double>(spec->before.frames);
                row.below = tr("%1 of %2 frames before").arg(countText(report.state.waiting)).arg(countText(spec->before.frames));
            } else if (waits && spec->before.span.count() > 0) {
                const Time held = std::clamp(session->now() - report.state.waitingSince, Time{0}, spec->before.span);
                row.buffer = std::chrono::duration<double>(held) / std::chrono::duration<double>(spec->before.span);
                row.below = tr("%1 of %2, %3 frames")
                                .arg(static_cast<double>(held.count()) * 1e-9, 0, 'f', 1)
                                .arg(text(spanText(spec->before.span)), countText(report.state.waiting));
            } else if (!waits) {
                row.below = report.files.files == 1 ? tr("%1 in 1 file").arg(sizeWords(report.files.bytes))
                                                    : tr("%1 in %2 files").arg(sizeWords(report.files.bytes)).arg(report.files.files);
            } else if (report.state.takes > 0) {
                row.below = report.state.takes == 1 ? tr("1 take so far") : tr("%1 takes so far").arg(report.state.takes);
            }
            if (report.files.lost > 0)
                row.below += tr(", %1 frames lost").arg(countText(report.files.lost));
        }
    } else if (rehearsed()) {
        std::vector<std::uint64_t> takes(rows.size()), frames(rows.size());
        for (const rules::Take& take : rehearsing_->result().takes) {
            ++takes[rehearsing_->recordings()[take.recording]];
            frames[rehearsing_->recordings()[take.recording]] += take.frames;
        }
        for (const std::size_t index : rehearsing_->recordings()) {
            RecordingRow& row = rows[index];
            row.state = takes[index] == 0   ? tr("rehearsed: no take")
                        : takes[index] == 1 ? tr("rehearsed: 1 take, %1 frames").arg(countText(frames[index]))
                                            : tr("rehearsed: %1 takes, %2 frames").arg(countText(takes[index]), countText(frames[index]));
            row.phase = takes[index] == 0 ? rules::Rules::Phase::armed : rules::Rules::Phase::done;
        }
    }
    return rows;
}

void RecordView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    refresh();
}

// What nobody looks at costs nothing: neither rows nor a rehearsal.
void RecordView::refresh()
{
    if (!isVisible())
        return;
    const bool isLive = stage().document().isLive();
    const bool differs = stage().rules().differs();
    if ((!isLive || differs) && !rehearsed())
        rehearsing_->begin();
    tellTried(differs);
    const rig::CompiledRules& compiled = rehearsing_->compiled();
    unsigned armed = 0, keep = 0;
    auto conditions = conditionRowsNow(compiled);
    auto recordings = recordingRowsNow(compiled, armed, keep);
    const auto now = std::count_if(conditions.begin(), conditions.end(), [](const ConditionRow& row) { return row.now; });
    rig::Session* session = stage().document().session();
    facts_->setText(isLive ? tr("%1, %2 true now").arg(counted(conditions.size(), "condition")).arg(now)
                    : rehearsed() && !rehearsing_->result().problem.empty()
                        ? tr("gone through in part: %1").arg(text(rehearsing_->result().problem))
                    : rehearsed() ? tr("%1 over this log, as if it came now").arg(counted(conditions.size(), "condition"))
                                  : tr("%1; the log is being gone through").arg(counted(conditions.size(), "condition")));
    recordingsHead_->setText(!isLive ? QString() : tr("%1 armed, %2 keep").arg(armed).arg(keep));
    folder_->setText(isLive && !recordings.empty() && !session->takesFolder().empty()
                         ? tr("takes go to %1").arg(text(session->takesFolder()))
                         : QString());
    takeBack_->setVisible(differs);
    armAsChanged_->setVisible(differs);
    conditionRows_->show(std::move(conditions));
    recordingRows_->show(std::move(recordings));
    showRehearsal();
    share();
}

// Each part has the height of its rows, until somebody drags them; where all is not to be had, the longer ones give.
void RecordView::share()
{
    if (dragged_ || height() < 50)
        return;
    QList<int> wanted;
    const int heads[] = {0, split_->widget(1)->height() - recordingRows_->height(), split_->widget(2)->height() - rehearsalRows_->height()};
    const int rows[] = {conditionRows_->wanted(), recordingRows_->wanted(), rehearsalRows_->wanted()};
    int sum = 0;
    for (int i = 0; i < 3; ++i) {
        wanted.push_back(std::max(rows[i], Theme::get().px(64)) + heads[i]);
        sum += wanted.back();
    }
    const int least = Theme::get().px(90);
    for (int over = sum - height(); over > 0;) {
        const auto longest = std::max_element(wanted.begin(), wanted.end());
        if (*longest <= least)
            break;
        const int take = std::min({over, *longest - least, std::max(1, over / 4)});
        *longest -= take;
        over -= take;
    }
    if (sum < height())
        wanted[1] += height() - sum;
    if (wanted != split_->sizes() && wanted != shared_)
        split_->setSizes(shared_ = wanted);
}

void RecordView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    shared_.clear();
    share();
}

// The rehearsed takes, on the timeline: of a log all, of a run those of recordings that are changed.
void RecordView::tellTried(bool differs)
{
    const bool isLive = stage().document().isLive();
    const std::vector<rig::RecordingSpec>& recordings = stage().document().rig().recordings;
    std::vector<TakeTier> tiers;
    if (rehearsed() && (!isLive || differs)) {
        for (const std::size_t index : rehearsing_->recordings()) {
            const rig::RecordingSpec& spec = recordings[index];
            const rig::RecordingSpec* armed = stage().rules().armedRecording(spec.name);
            if (isLive && armed != nullptr && rig::written(*armed) == rig::written(spec))
                continue;
            TakeTier tier;
            for (const rules::Take& take : rehearsing_->result().takes)
                if (rehearsing_->recordings()[take.recording] == index)
                    tier.takes.push_back(shapeOf(take, spec, false, stage().newest(), TakeShape::Form::tried));
            const QString name = text(spec.name);
            tier.words = isLive ? tr("%1 as changed: %2 would have come").arg(name).arg(tier.takes.size())
                                : tr("%1: %2 rehearsed").arg(name).arg(tier.takes.size());
            if (!tier.takes.empty())
                tiers.push_back(std::move(tier));
        }
    }
    stage().rules().setTried(std::move(tiers));
}

// The parts of the chosen recording's start, and its takes.
void RecordView::showRehearsal()
{
    const std::int64_t chosen = recordingRows_->current();
    if (chosen < 0 || static_cast<std::size_t>(chosen) >= recordingRows_->rows().size()) {
        rehearsalHead_->setText({});
        rehearsalRows_->show({}, tr("Choose a recording to see why it would start, and when."));
        return;
    }
    const RecordingRow& row = recordingRows_->rows()[static_cast<std::size_t>(chosen)];
    const std::vector<ConditionRow>& conditions = conditionRows_->rows();
    rig::Session* session = stage().document().session();
    std::vector<std::string> names;
    for (const rig::EventSpec& event : stage().document().rig().events)
        names.push_back(event.name);
    std::vector<RehearsalRows::Line> lines;
    const auto addParts = [&](const std::string& expression, const QString& front) {
        const auto terms = rules::Terms::parse(expression, names);
        if (!terms)
            return;
        for (const std::size_t condition : terms->conditions()) {
            if (condition >= conditions.size())
                continue;
            RehearsalRows::Line line;
            line.words = front + conditions[condition].name;
            line.spans = conditions[condition].spans;
            line.right = conditions[condition].met == 0 && conditions[condition].miss
                             ? tr("never: %1").arg(text(conditions[condition].miss->words))
                         : conditions[condition].met == 0 ? tr("never true")
                         : conditions[condition].met == 1 ? tr("true once")
                                                          : tr("true %1 times").arg(countText(conditions[condition].met));
            lines.push_back(std::move(line));
        }
    };
    addParts(row.spec.start, {});
    addParts(row.spec.stop, tr("stop: "));
    const Time newest = stage().newest();
    std::vector<rules::Take> kept, tried;
    if (session != nullptr && row.armed) {
        const auto history = session->rulesHistory();
        for (const rules::Take& take : history->takes)
            if (take.recording == row.session)
                kept.push_back(take);
        RehearsalRows::Line line;
        line.words = tr("as armed");
        line.ofTakes = true;
        std::uint64_t frames = 0;
        for (const rules::Take& take : kept) {
            line.takes.push_back(shapeOf(take, *row.armed, take.whyEnds.empty(), newest, TakeShape::Form::kept));
            frames += take.frames;
        }
        line.right = kept.size() == 1 ? tr("1 take, %1 frames").arg(countText(frames))
                                      : tr("%1 takes, %2 frames").arg(kept.size()).arg(countText(frames));
        lines.push_back(std::move(line));
    }
    const bool differs = stage().rules().differs();
    if ((session == nullptr || differs) && !row.gone && rehearsed()) {
        RehearsalRows::Line line;
        line.words = session == nullptr ? tr("takes") : tr("as changed");
        line.strong = true;
        line.ofTakes = true;
        std::uint64_t frames = 0;
        for (const rules::Take& take : rehearsing_->result().takes)
            if (rehearsing_->recordings()[take.recording] == static_cast<std::size_t>(chosen)) {
                tried.push_back(take);
                line.takes.push_back(shapeOf(take, row.spec, false, newest, TakeShape::Form::tried));
                frames += take.frames;
            }
        // What was kept and would no longer come.
        for (const rules::Take& take : kept)
            if (std::none_of(
                    tried.begin(), tried.end(), [&](const rules::Take& one) { return one.begins <= take.ends && take.begins <= one.ends; }))
                line.takes.push_back(shapeOf(take, *row.armed, take.whyEnds.empty(), newest, TakeShape::Form::missed));
        line.right = tried.size() == 1 ? tr("1 take, %1 frames").arg(countText(frames))
                                       : tr("%1 takes, %2 frames").arg(tried.size()).arg(countText(frames));
        lines.push_back(std::move(line));
    }
    const QString name = text(row.spec.name);
    rehearsalHead_->setText(session == nullptr        ? tr("%1, over this log").arg(name)
                            : differs && !rehearsed() ? tr("%1, the run is being gone through").arg(name)
                            : differs                 ? tr("%1 as changed, over this run up to now").arg(name)
                                                      : tr("%1, over this run").arg(name));
    rehearsalRows_->show(std::move(lines), tr("It starts where the run begins."));
}

// In the inspector.
void RecordView::choose(Selection::Kind kind, const std::string& name)
{
    Selection selection;
    selection.kind = kind;
    selection.node = text(name);
    stage().select(selection);
}

void RecordView::arm()
{
    if (!conditionRows_->field().finish() || !recordingRows_->field().finish() || !stage().rules().differs())
        return;
    if (const auto armed = stage().rules().arm(); !armed)
        Q_EMIT stage().told(tr("The run goes on with what is armed: %1").arg(text(armed.error().text())));
}

void RecordView::startOrStop(std::size_t recording)
{
    rig::Session* session = stage().document().session();
    const auto& rows = recordingRows_->rows();
    if (session == nullptr || recording >= rows.size() || !rows[recording].armed)
        return;
    const std::size_t index = rows[recording].session;
    const bool runs = rows[recording].phase == rules::Rules::Phase::keeps || rows[recording].phase == rules::Rules::Phase::behind;
    session->call([&](rig::Session& s) {
        if (s.rules() == nullptr)
            return;
        if (runs)
            s.rules()->stop(index, s.scheduler().now());
        else
            s.rules()->start(index, s.scheduler().now());
    });
    refresh();
}

}  // namespace wavetrope::app
