// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/record/record_view.h"

#include <QHBoxLayout>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QLocale>
#include <QMouseEvent>
#include <QPainter>
#include <QRegularExpression>
#include <QScrollBar>
#include <QSplitter>
#include <QToolTip>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/elided_label.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "rig/rules_json.h"
#include "rules/rehearsal.h"

namespace wavetrope::app {

namespace {

constexpr unsigned beatsBetween = 5;
constexpr double nameAt = 30, wordsAt = 150, nowAt = 420, metAt = 480, lastAt = 532, stripAt = 610;

QString sizeWords(std::uint64_t bytes)
{
    return QLocale::c()
        .formattedDataSize(static_cast<qint64>(bytes), 1, QLocale::DataSizeSIFormat)
        .replace(QStringLiteral(".0 "), QStringLiteral(" "));
}

// A recording as a sentence.
QString sentenceOf(const rig::RecordingSpec& spec)
{
    const auto tr = [](const char* words) { return RecordView::tr(words); };
    const auto margin = [](const rules::Margin& of) { return text(rig::marginText(of)); };
    const auto is = [](const rules::Margin& of) { return of.byFrames ? of.frames > 0 : of.span.count() > 0; };
    QString out = tr("Keeps %1 from %2 to %3")
                      .arg(spec.keep.empty() ? tr("everything") : text(spec.keep),
                          spec.start.empty() ? tr("the run's begin") : text(spec.start),
                          !spec.stop.empty()   ? text(spec.stop)
                          : spec.start.empty() ? tr("its end")
                                               : tr("the end of that"));
    QStringList around;
    if (is(spec.before))
        around << tr("%1 before").arg(margin(spec.before));
    if (is(spec.after))
        around << tr("%1 behind").arg(margin(spec.after));
    if (!around.isEmpty())
        out += QStringLiteral(", ") + around.join(tr(" and "));
    out += tr(", into %1").arg(text(spec.files.pattern));
    QStringList anew;
    if (spec.files.size > 0)
        anew << sizeWords(spec.files.size);
    if (spec.files.frames > 0)
        anew << tr("%1 frames").arg(countText(spec.files.frames));
    if (spec.files.every.count() > 0)
        anew << text(spanText(spec.files.every));
    if (spec.files.midnight)
        anew << tr("midnight");
    if (!anew.isEmpty())
        out += tr("; a new file at %1").arg(anew.join(tr(" or ")));
    if (spec.files.keep > 0)
        out += tr(", the newest %1 stay").arg(spec.files.keep);
    if (spec.files.total > 0)
        out += tr(", the newest %1 stay").arg(sizeWords(spec.files.total));
    if (!spec.start.empty())
        out += spec.again ? tr("; again each time") : tr("; once");
    return out;
}

// The mark of a take: thin before its start, thick from start to stop, thin behind. What is armed waits before its start.
void paintTakeMark(QPainter& painter, const QPointF& centre, rules::Rules::Phase phase, const QColor& colour)
{
    using Phase = rules::Rules::Phase;
    const Theme& theme = Theme::get();
    const double unit = theme.px(1);
    const QRectF box(centre.x() - 4 * unit, centre.y() - 4 * unit, 8 * unit, 8 * unit);
    painter.fillRect(QRectF(box.left() - 6 * unit, centre.y() - unit, 6 * unit, 2 * unit), colour);
    if (phase == Phase::armed) {
        painter.setPen(QPen(colour, 1.5 * unit));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(box.adjusted(1, 1, -1, -1));
        return;
    }
    painter.fillRect(box, colour);
    if (phase == Phase::behind || phase == Phase::done)
        painter.fillRect(QRectF(box.right(), centre.y() - unit, 6 * unit, 2 * unit), colour);
    if (phase == Phase::keeps)
        painter.fillRect(QRectF(box.right() + 2 * unit, box.top(), 2 * unit, box.height()), colour);
}

}  // namespace

class RecordView::Conditions final : public RowList {
public:
    explicit Conditions(RecordView& view) : view_(view)
    {
        setObjectName(QStringLiteral("conditionRows"));
        setAccessibleName(RecordView::tr("Conditions of the rig"));
        setHeads({{nameAt, RecordView::tr("condition")}, {wordsAt, RecordView::tr("true when")}, {nowAt, RecordView::tr("now")},
                     {metAt, RecordView::tr("met"), metAt + 40}, {lastAt, RecordView::tr("last"), lastAt + 66, true},
                     {stripAt, RecordView::tr("over the run")}},
            stripAt + 100);
    }
    std::uint64_t count() const override { return view_.conditions_.size(); }
    std::int64_t current() const override { return view_.chosenCondition_; }
    void choose(std::uint64_t index) override
    {
        view_.chosenCondition_ = static_cast<int>(index);
        const Row& row = view_.conditions_[index];
        if (row.last)
            view_.stage().setCursor(*row.last);
        viewport()->update();
    }
    QString rowText(std::uint64_t index) const override { return view_.conditionText(index); }

protected:
    QString emptyText() const override
    {
        return RecordView::tr("The rig has no conditions yet. They stand in its document under \"events\"; see docs/recordings.md.");
    }
    int pitch() const override { return Theme::get().px(21); }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const Row& row = view_.conditions_[index];
        const double height = pitch();
        if (static_cast<std::int64_t>(index) == current())
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        const auto at = [&](double from, double to) { return QRectF(theme.px(from), y, theme.px(to - from), height); };
        // A level: high while it is true.
        painter.setPen(QPen(row.known ? theme.ink : theme.ink3, 1.6));
        const double low = y + height * 0.68, high = y + height * 0.3, x = theme.px(12);
        if (row.now) {
            const QPointF line[] = {{x, low}, {x + theme.px(3), low}, {x + theme.px(3), high}, {x + theme.px(9), high},
                {x + theme.px(9), low}, {x + theme.px(12), low}};
            painter.drawPolyline(line, 6);
        } else {
            painter.drawLine(QPointF(x, low), QPointF(x + theme.px(12), low));
        }
        paintText(painter, at(nameAt, wordsAt - 6), row.name, theme.bodyStrong(), row.known ? theme.ink : theme.ink3);
        paintText(painter, at(wordsAt, nowAt - 8), row.words, theme.mono(), theme.ink2);
        paintText(painter, at(nowAt, metAt - 4),
            !row.known ? RecordView::tr("not here")
            : row.now  ? RecordView::tr("true")
                       : RecordView::tr("not true"),
            row.now ? theme.bodyStrong() : theme.body(), row.now ? theme.ink : theme.ink2);
        paintText(painter, at(metAt - 10, metAt + 40), row.met == 0 ? RecordView::tr("never") : countText(row.met),
            row.met == 0 ? theme.bodyStrong() : theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
        if (row.last)
            paintText(painter, at(lastAt - 6, lastAt + 66), row.now ? RecordView::tr("now") : timeText(view_.stage().seconds(*row.last), 2),
                theme.mono(), theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
        paintStrip(painter, QRectF(theme.px(stripAt), y + 3, rowWidth() - theme.px(stripAt) - theme.px(14), height - 6), index);
        painter.setPen(theme.hairline);
        painter.drawLine(0, y + static_cast<int>(height) - 1, rowWidth(), y + static_cast<int>(height) - 1);
    }
    void paintStrip(QPainter& painter, const QRectF& box, std::size_t condition) const
    {
        const Theme& theme = Theme::get();
        const Time from = view_.stage().wholeFrom(), to = std::max(view_.stage().newest(), from + Time(1));
        const auto x = [&](Time time) {
            return box.left() + box.width() * static_cast<double>((time - from).count()) / static_cast<double>((to - from).count());
        };
        painter.setPen(QPen(theme.ink2, 1));
        painter.drawLine(QPointF(box.left(), box.bottom() - 2), QPointF(box.right(), box.bottom() - 2));
        if (condition >= view_.spans_.size())
            return;
        // What lies within one pixel is drawn once, and what follows is looked for behind it.
        const std::vector<Span>& spans = view_.spans_[condition];
        for (auto span = spans.begin(); span != spans.end();) {
            const bool open = span->to == Time::max();
            const double left = x(span->from), right = std::max(left + 1.5, open ? box.right() : x(span->to));
            painter.fillRect(QRectF(left, box.top() + 1, right - left, box.height() - 3), theme.grid);
            painter.setPen(QPen(theme.ink, 1));
            painter.drawLine(QPointF(left, box.bottom() - 2), QPointF(left, box.top() + 1));
            painter.drawLine(QPointF(left, box.top() + 1), QPointF(right, box.top() + 1));
            if (!open)
                painter.drawLine(QPointF(right, box.top() + 1), QPointF(right, box.bottom() - 2));
            const Time behind = from
                                + Time(static_cast<std::int64_t>(
                                    (right - box.left()) / box.width() * static_cast<double>((to - from).count())));
            span = std::upper_bound(span + 1, spans.end(), behind, [](Time time, const Span& one) { return time < one.to; });
        }
    }

private:
    RecordView& view_;
};

class RecordView::Recordings final : public RowList {
public:
    explicit Recordings(RecordView& view) : view_(view)
    {
        setObjectName(QStringLiteral("recordingRows"));
        setAccessibleName(RecordView::tr("Recordings of the rig"));
        setMouseTracking(true);
    }
    std::uint64_t count() const override { return view_.recordings_.size(); }
    std::int64_t current() const override { return view_.chosenRecording_; }
    void choose(std::uint64_t index) override
    {
        view_.chosenRecording_ = static_cast<int>(index);
        viewport()->update();
    }
    QString rowText(std::uint64_t index) const override { return view_.recordingText(index); }

protected:
    QString emptyText() const override
    {
        return RecordView::tr("The rig has no recordings yet. They stand in its document under \"recordings\"; see docs/recordings.md.");
    }
    int pitch() const override { return Theme::get().px(74); }
    [[nodiscard]] QRectF buttonBox(int y) const
    {
        const Theme& theme = Theme::get();
        return QRect(rowWidth() - theme.px(66), y + theme.px(24), theme.px(54), theme.px(24));
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const Recording& row = view_.recordings_[index];
        const double height = pitch(), line = theme.px(17);
        if (static_cast<std::int64_t>(index) == current())
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height - 1), theme.accentSoft);
        const double room = rowWidth() * 0.62;
        paintText(painter, QRectF(theme.px(12), y + theme.px(3), room - theme.px(20), line), row.name, theme.bodyStrong(), theme.ink);
        painter.setFont(theme.body());
        painter.setPen(row.never.isEmpty() ? theme.ink2 : theme.error);
        // Whole lines alone; the tooltip has all of it.
        painter.drawText(QRectF(theme.px(12), y + theme.px(20), room - theme.px(24), 3 * QFontMetrics(theme.body()).lineSpacing()),
            Qt::TextWordWrap, row.never.isEmpty() ? row.sentence : row.never);
        paintTakeMark(painter, QPointF(room + theme.px(6), y + theme.px(12)), row.phase, row.armed ? theme.ink : theme.ink3);
        const double stateAt = room + theme.px(28), stateRoom = rowWidth() - stateAt - theme.px(row.armed ? 74 : 12);
        paintText(painter, QRectF(stateAt, y + theme.px(3), stateRoom, line), row.state, theme.body(), theme.ink);
        if (row.buffer >= 0) {
            const QRectF bar(stateAt, y + theme.px(24), std::min<double>(theme.px(92), stateRoom), theme.px(5));
            painter.fillRect(bar, theme.grid);
            painter.fillRect(QRectF(bar.left(), bar.top(), bar.width() * row.buffer, bar.height()), theme.ink2);
        }
        paintText(painter, QRectF(stateAt, y + theme.px(row.buffer >= 0 ? 32 : 21), stateRoom, line), row.below, theme.body(), theme.ink2);
        if (row.armed) {
            const bool runs = row.phase == rules::Rules::Phase::keeps || row.phase == rules::Rules::Phase::behind;
            const QRectF box = buttonBox(y);
            painter.setRenderHint(QPainter::Antialiasing);
            painter.setPen(theme.hairline);
            painter.setBrush(theme.raised);
            painter.drawRoundedRect(box, theme.px(4), theme.px(4));
            painter.setRenderHint(QPainter::Antialiasing, false);
            paintText(painter, box, runs ? RecordView::tr("Stop") : RecordView::tr("Start"), theme.body(), theme.ink, Qt::AlignCenter);
        }
        painter.setPen(theme.hairline);
        painter.drawLine(0, y + static_cast<int>(height) - 1, rowWidth(), y + static_cast<int>(height) - 1);
    }
    void mousePressEvent(QMouseEvent* event) override
    {
        const std::int64_t index = rowAt(event->position());
        RowList::mousePressEvent(event);
        if (index < 0)
            return;
        const int y = headHeight() + static_cast<int>(static_cast<std::uint64_t>(index) - top()) * pitch();
        if (view_.recordings_[static_cast<std::size_t>(index)].armed && buttonBox(y).contains(event->position()))
            view_.startOrStop(static_cast<std::size_t>(index));
    }
    bool viewportEvent(QEvent* event) override
    {
        if (event->type() == QEvent::ToolTip) {
            const auto* help = static_cast<QHelpEvent*>(event);
            if (const std::int64_t index = rowAt(help->pos()); index >= 0) {
                const Recording& row = view_.recordings_[static_cast<std::size_t>(index)];
                QToolTip::showText(help->globalPos(),
                    QStringList{
                        row.sentence, row.state, row.never, row.armed ? RecordView::tr("Start or stop by hand  (Enter)") : QString()}
                        .filter(QRegularExpression(QStringLiteral(".")))
                        .join(QLatin1Char('\n')),
                    viewport());
                return true;
            }
        }
        return RowList::viewportEvent(event);
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && current() >= 0)
            return view_.startOrStop(static_cast<std::size_t>(current()));
        RowList::keyPressEvent(event);
    }

private:
    RecordView& view_;
};

RecordView::RecordView(Stage& stage)
    : View(stage),
      facts_(new ElidedLabel),
      recordingsHead_(new QLabel),
      folder_(new ElidedLabel),
      conditionRows_(new Conditions(*this)),
      recordingRows_(new Recordings(*this))
{
    setObjectName(QStringLiteral("recordView"));
    facts_->setObjectName(QStringLiteral("recordFacts"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* split = new QSplitter(Qt::Vertical);
    split->setChildrenCollapsible(false);
    split->setHandleWidth(1);
    split->addWidget(conditionRows_);
    auto* below = new QWidget;
    auto* belowColumn = new QVBoxLayout(below);
    belowColumn->setContentsMargins(0, 0, 0, 0);
    belowColumn->setSpacing(0);
    auto* head = new QHBoxLayout;
    auto* title = new QLabel(tr("Recordings"));
    head->addWidget(title);
    head->addWidget(recordingsHead_);
    head->addWidget(folder_, 1);
    belowColumn->addLayout(head);
    belowColumn->addWidget(recordingRows_, 1);
    split->addWidget(below);
    split->setStretchFactor(0, 1);
    split->setStretchFactor(1, 1);
    column->addWidget(split);
    setFocusProxy(conditionRows_);
    const auto restyle = [=, this] {
        const Theme& theme = Theme::get();
        head->setContentsMargins(theme.px(12), theme.px(5), theme.px(12), theme.px(5));
        head->setSpacing(theme.px(14));
        title->setFont(theme.head());
        for (QLabel* label : {facts_, recordingsHead_, folder_}) {
            label->setFont(theme.body());
            label->setStyleSheet(QStringLiteral("color: %1").arg(theme.ink2.name()));
        }
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    connect(&stage, &Stage::beat, this, [this] {
        if (beats_++ % beatsBetween == 0)
            refresh();
    });
    connect(&stage, &Stage::becameReady, this, &RecordView::refresh);
    connect(&stage, &Stage::axisChanged, this, [this] {
        if (!this->stage().document().isLive())
            refresh();
    });
    refresh();
}

RecordView::~RecordView()
{
    leaving_ = true;
    if (rehearsing_.joinable())
        rehearsing_.join();
}

// Over a log: on a thread of its own, once it has been read.
void RecordView::rehearse()
{
    RunDocument& document = stage().document();
    const trace::Snapshot& snapshot = stage().snapshot();
    if (rehearsing_.joinable() || !document.ready() || rehearsed_ || !snapshot.valid())
        return;
    std::vector<std::string> names;
    std::vector<can::BitRate> rates;
    for (const trace::TraceBus& bus : document.buses()) {
        names.push_back(bus.name);
        rates.push_back(bus.rate);
    }
    rig::CompiledRules compiled = rig::rulesOf(document.rig(), document.catalog(), names);
    rehearsing_ = std::thread([this, snapshot, set = std::move(compiled.set), rates] {
        rules::RehearsalOptions options;
        options.goesOn = [this](std::uint64_t) { return !leaving_; };
        auto done = std::make_shared<const rules::Rehearsed>(rules::rehearse(snapshot, set, rates, options));
        if (leaving_)
            return;
        QMetaObject::invokeMethod(this, [this, done] {
            rehearsing_.join();
            rehearsed_ = done;
            takeStretches(done->stretches, stage().document().rig().events.size());
            refresh();
        });
    });
}

void RecordView::refresh()
{
    RunDocument& document = stage().document();
    const rig::Rig& rig = document.rig();
    rig::Session* session = document.session();
    std::vector<std::string> names;
    for (const trace::TraceBus& bus : document.buses())
        names.push_back(bus.name);
    conditions_.clear();
    recordings_.clear();
    if (session != nullptr) {
        if (const auto history = session->rulesHistory(); history != history_) {
            history_ = history;
            takeStretches(history->stretches, rig.events.size());
        }
        for (const rig::ConditionReport& report : session->conditionReports())
            conditions_.push_back({text(report.name), text(report.words), report.now, report.known, report.met, report.last});
    } else {
        rehearse();
        const rig::CompiledRules compiled = rig::rulesOf(rig, document.catalog(), names);
        for (const rules::ConditionRule& rule : compiled.set.conditions)
            conditions_.push_back({text(rule.name), text(rule.words()), false, rule.known, 0, {}});
        if (rehearsed_)
            for (std::size_t c = 0; c < conditions_.size() && c < spans_.size(); ++c) {
                const std::vector<Span>& spans = spans_[c];
                conditions_[c].met = spans.size();
                if (spans.empty())
                    continue;
                conditions_[c].last = spans.back().to == Time::max() ? stage().newest() : spans.back().to;
                const Time cursor = stage().cursor();
                const auto behind = std::upper_bound(
                    spans.begin(), spans.end(), cursor, [](Time time, const Span& one) { return time < one.from; });
                conditions_[c].now = behind != spans.begin() && cursor < std::prev(behind)->to;
            }
    }
    for (const rig::RecordingSpec& spec : rig.recordings)
        recordings_.push_back({text(spec.name), sentenceOf(spec), tr("not armed"), {}, {}, rules::Rules::Phase::armed, false, 0, -1});
    unsigned armed = 0, keep = 0;
    if (session != nullptr) {
        const auto reports = session->takingReports();
        for (std::size_t i = 0; i < reports.size(); ++i) {
            const rig::TakingReport& report = reports[i];
            if (report.index >= recordings_.size())
                continue;
            Recording& row = recordings_[report.index];
            const rig::RecordingSpec& spec = rig.recordings[report.index];
            row.armed = true;
            row.session = i;
            row.phase = report.state.phase;
            row.state = text(report.words);
            row.never = report.never.empty() ? QString() : tr("As it is written, %1").arg(text(report.never));
            const bool waits = report.state.phase == rules::Rules::Phase::armed;
            ++(waits ? armed : keep);
            if (!report.files.problem.empty()) {
                row.below = text(report.files.problem);
            } else if (waits && spec.before.byFrames) {
                row.buffer = spec.before.frames == 0 ? -1
                                                     : static_cast<double>(report.state.waiting) / static_cast<double>(spec.before.frames);
                row.below = tr("%1 of %2 frames before").arg(countText(report.state.waiting)).arg(countText(spec.before.frames));
            } else if (waits && spec.before.span.count() > 0) {
                const Time held = std::clamp(session->now() - report.state.waitingSince, Time{0}, spec.before.span);
                row.buffer = std::chrono::duration<double>(held) / std::chrono::duration<double>(spec.before.span);
                row.below = tr("%1 of %2, %3 frames")
                                .arg(static_cast<double>(held.count()) * 1e-9, 0, 'f', 1)
                                .arg(text(spanText(spec.before.span)), countText(report.state.waiting));
            } else if (!waits) {
                row.below = report.files.files == 1 ? tr("%1 in 1 file").arg(sizeWords(report.files.bytes))
                                                    : tr("%1 in %2 files").arg(sizeWords(report.files.bytes)).arg(report.files.files);
            } else if (report.state.takes > 0) {
                row.below = report.state.takes == 1 ? tr("1 take so far") : tr("%1 takes so far").arg(report.state.takes);
            }
            if (report.files.lost > 0)
                row.below += tr(", %1 frames lost").arg(countText(report.files.lost));
        }
    } else if (rehearsed_) {
        std::vector<std::uint64_t> takes(recordings_.size()), frames(recordings_.size());
        const rig::CompiledRules compiled = rig::rulesOf(rig, document.catalog(), names);
        for (const rules::Take& take : rehearsed_->takes) {
            ++takes[compiled.recordings[take.recording]];
            frames[compiled.recordings[take.recording]] += take.frames;
        }
        for (std::size_t i = 0; i < compiled.recordings.size(); ++i) {
            Recording& row = recordings_[compiled.recordings[i]];
            const std::uint64_t count = takes[compiled.recordings[i]];
            row.state = count == 0 ? tr("rehearsed: no take")
                        : count == 1
                            ? tr("rehearsed: 1 take, %1 frames").arg(countText(frames[compiled.recordings[i]]))
                            : tr("rehearsed: %1 takes, %2 frames").arg(countText(count), countText(frames[compiled.recordings[i]]));
            row.phase = count == 0 ? rules::Rules::Phase::armed : rules::Rules::Phase::done;
            const std::string never = rules::neverWords(compiled.set.recordings[i], compiled.set.conditions);
            row.never = never.empty() ? QString() : tr("As it is written, %1").arg(text(never));
        }
    }
    const auto now = std::count_if(conditions_.begin(), conditions_.end(), [](const Row& row) { return row.now; });
    facts_->setText(session != nullptr ? tr("%1 conditions in this rig, %2 true now").arg(conditions_.size()).arg(now)
                    : rehearsed_ && !rehearsed_->problem.empty() ? tr("gone through in part: %1").arg(text(rehearsed_->problem))
                    : rehearsed_ ? tr("%1 conditions over this log, as if it came now").arg(conditions_.size())
                                 : tr("%1 conditions; the log is being gone through").arg(conditions_.size()));
    recordingsHead_->setText(session == nullptr ? QString() : tr("%1 armed, %2 keep").arg(armed).arg(keep));
    folder_->setText(session != nullptr && !recordings_.empty() && !session->takesFolder().empty()
                         ? tr("takes go to %1").arg(text(session->takesFolder()))
                         : QString());
    conditionRows_->refresh();
    recordingRows_->refresh();
}

void RecordView::takeStretches(const std::vector<rules::TrueStretch>& stretches, std::size_t conditions)
{
    spans_.assign(conditions, {});
    for (const rules::TrueStretch& stretch : stretches)
        if (stretch.condition < conditions)
            spans_[stretch.condition].push_back({stretch.from, stretch.to.value_or(Time::max())});
}

void RecordView::startOrStop(std::size_t recording)
{
    rig::Session* session = stage().document().session();
    if (session == nullptr || recording >= recordings_.size() || !recordings_[recording].armed)
        return;
    const std::size_t index = recordings_[recording].session;
    const bool runs = recordings_[recording].phase == rules::Rules::Phase::keeps
                      || recordings_[recording].phase == rules::Rules::Phase::behind;
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

QString RecordView::conditionText(std::size_t index) const
{
    const Row& row = conditions_[index];
    return QStringList{row.name, row.words, row.now ? tr("true") : tr("not true"), row.met == 0 ? tr("never") : QString::number(row.met)}
        .join(QLatin1Char('\t'));
}

QString RecordView::recordingText(std::size_t index) const
{
    const Recording& row = recordings_[index];
    return QStringList{row.name, row.sentence, row.state, row.below, row.never}.join(QLatin1Char('\t'));
}

}  // namespace wavetrope::app
