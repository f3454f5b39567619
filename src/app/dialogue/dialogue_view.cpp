// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogue/dialogue_view.h"

#include <QApplication>
#include <QComboBox>
#include <QHBoxLayout>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QPainterPath>
#include <QPointer>
#include <QScrollBar>
#include <QToolTip>
#include <QWheelEvent>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/stage/dialogue_desk.h"
#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

using drive::Consequence;
using drive::DialogueEvent;
using drive::HeardMessage;
using drive::SideSpec;

constexpr double headTall = 30, timesWide = 54, wayAt = 60, boxAt = 70, boxWide = 136, phaseGap = 9, lineTall = 23, brokenTall = 34,
                 strokesTall = 34, leastPhase = 48, timeHalf = 26, waitWide = 34, nowPhase = 108, tongue = 7, narrow = 560;
constexpr double farthestDown = 600, farthestIn = 120, moveStep = 8;
constexpr std::size_t mostStrokes = 40, mostPhases = 256;

QString fromStd(const std::string& text) { return QString::fromStdString(text); }

QString seconds(Time span) { return QString::number(static_cast<double>(span.count()) * 1e-9, 'f', 3); }

QString milliseconds(Time span)
{
    const double value = static_cast<double>(span.count()) * 1e-6;
    return QString::number(value, 'f', value < 10 ? 1 : 0);
}

bool contains(const std::vector<std::string>& names, const std::string& name)
{
    return std::find(names.begin(), names.end(), name) != names.end();
}

bool enters(const drive::PhaseSpec& phase, const std::string& message)
{
    return contains(phase.sides[0].on, message) || contains(phase.sides[1].on, message);
}

// Whether somebody waits for a message in a phase, or sends it there; again and again, or at all.
bool goesIn(const drive::PhaseSpec& phase, const std::string& message, bool again)
{
    return std::any_of(phase.sides.begin(), phase.sides.end(), [&](const SideSpec& side) {
        return std::any_of(
                   side.hears.begin(), side.hears.end(), [&](const auto& one) { return one.message == message && (one.cyclic || !again); })
               || std::any_of(side.says.begin(), side.says.end(),
                   [&](const auto& one) { return one.message == message && (one.every.count() > 0 || !again); });
    });
}

bool waitedFor(const drive::PhaseSpec& phase, const std::string& message)
{
    return std::any_of(phase.sides.begin(), phase.sides.end(), [&](const SideSpec& side) {
        return std::any_of(side.hears.begin(), side.hears.end(), [&](const auto& one) { return one.message == message && !one.cyclic; });
    });
}

// A message that enters a phase stands there, unless it comes once and is waited for in the phase before: then it ends that.
bool standsIn(const drive::DialogueSpec& spec, std::size_t phase, const std::string& message)
{
    std::optional<std::size_t> home, waits;
    bool comesAgain = false;
    for (std::size_t i = 0; i < spec.phases.size(); ++i) {
        if (!home && enters(spec.phases[i], message)) {
            home = i;
            comesAgain = goesIn(spec.phases[i], message, true);
        }
        if (!waits && waitedFor(spec.phases[i], message))
            waits = i;
    }
    if (home)
        return phase == (waits && !comesAgain ? *waits : *home);
    return goesIn(spec.phases[phase], message, false);
}

void paintHatch(QPainter& painter, const QRectF& box, const QColor& colour)
{
    painter.save();
    painter.setClipRect(box);
    painter.setPen(QPen(colour, 1.2));
    for (double x = box.left() - box.height(); x < box.right(); x += 4)
        painter.drawLine(QPointF(x, box.bottom()), QPointF(x + box.height(), box.top()));
    painter.restore();
    painter.setPen(QPen(colour, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(box);
}

// A bar that runs over a tick.
void paintBroken(QPainter& painter, const QPointF& centre)
{
    const Theme& theme = Theme::get();
    const double s = theme.px(4);
    painter.fillRect(QRectF(centre.x() - 1.5 * s, centre.y() - 0.75 * s, 2 * s, 1.5 * s), theme.error);
    painter.setPen(QPen(theme.error, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(QRectF(centre.x() + 0.5 * s, centre.y() - 0.75 * s, s, 1.5 * s));
    painter.fillRect(QRectF(centre.x() + 0.5 * s, centre.y() - 1.3 * s, 1.5, 2.6 * s), theme.error);
}

}  // namespace

DialogueView::DialogueView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      choice_(new QComboBox(tools_)),
      facts_(new ElidedLabel(tools_)),
      breakOff_(new QPushButton(tr("Break off..."), tools_)),
      begin_(new QPushButton(tr("Begin anew"), tools_)),
      bar_(new QScrollBar(Qt::Vertical, this))
{
    setObjectName(QStringLiteral("dialogue"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName(tr("Dialogue of two partners"));
    auto* row = new QHBoxLayout(tools_);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(choice_);
    row->addWidget(facts_, 1);
    row->addWidget(breakOff_);
    row->addWidget(begin_);
    choice_->setObjectName(QStringLiteral("dialogueChoice"));
    breakOff_->setObjectName(QStringLiteral("breakOff"));
    begin_->setObjectName(QStringLiteral("beginDialogue"));
    choice_->setToolTip(tr("Which dialogue of the rig is shown"));
    breakOff_->setToolTip(tr("End the dialogue for one of its reasons"));
    begin_->setToolTip(tr("The first partner begins, from whatever phase  (Enter)"));
    Theme::writeInBody(facts_);
    connect(choice_, &QComboBox::activated, this, [this] {
        wanted_ = choice_->currentText();
        refresh();
    });
    connect(begin_, &QPushButton::clicked, this, &DialogueView::begin);
    connect(breakOff_, &QPushButton::clicked, this, &DialogueView::breakOff);
    connect(&stage, &Stage::beat, this, &DialogueView::refresh);
    connect(&stage, &Stage::axisChanged, this, &DialogueView::refresh);
    connect(&stage.dialogues(), &DialogueDesk::changed, this, &DialogueView::refresh);
    begin_->setVisible(stage.document().isLive());
    breakOff_->setVisible(stage.document().isLive());
    bar_->setFocusPolicy(Qt::NoFocus);
    bar_->hide();
    connect(bar_, &QScrollBar::valueChanged, this, [this] { update(); });
}

nlohmann::json DialogueView::save() const
{
    nlohmann::json out = nlohmann::json::object();
    if (!wanted_.isEmpty())
        out["dialogue"] = wanted_.toStdString();
    const auto any = [](const std::vector<double>& all) {
        return std::any_of(all.begin(), all.end(), [](double one) { return one != 0; });
    };
    for (const auto& [name, by] : moved_)
        if (any(by.down) || any(by.in[0]) || any(by.in[1]))
            out["moved"][name.toStdString()] = {{"down", by.down}, {"in", by.in}};
    return out;
}

void DialogueView::restore(const nlohmann::json& setUp)
{
    wanted_.clear();
    moved_.clear();
    if (!setUp.is_object())
        return;
    const auto name = setUp.find("dialogue");
    wanted_ = name != setUp.end() && name->is_string() ? QString::fromStdString(name->get<std::string>()) : QString();
    const auto numbers = [](const nlohmann::json& from, double most) {
        std::vector<double> out;
        for (std::size_t i = 0; from.is_array() && i < std::min(from.size(), mostPhases); ++i)
            out.push_back(from[i].is_number() ? std::clamp(from[i].get<double>(), 0.0, most) : 0);
        return out;
    };
    if (const auto all = setUp.find("moved"); all != setUp.end() && all->is_object())
        for (const auto& [dialogue, by] : all->items()) {
            if (!by.is_object() || moved_.size() >= mostPhases)
                continue;
            Moved& to = moved_[QString::fromStdString(dialogue)];
            to.down = numbers(by.value("down", nlohmann::json::array()), farthestDown);
            const nlohmann::json in = by.value("in", nlohmann::json::array());
            for (std::size_t partner = 0; in.is_array() && partner < 2 && partner < in.size(); ++partner)
                to.in[partner] = numbers(in[partner], farthestIn);
        }
}

QString DialogueView::at(Time time) const { return QString::number(stage().seconds(time), 'f', 3); }

void DialogueView::refresh()
{
    if (!isVisible())
        return;
    now_.reset();
    QStringList names;
    for (const drive::DialogueFacts& facts : stage().dialogues().all()) {
        names << fromStd(facts.spec->name);
        if (!now_ || names.last() == wanted_)
            now_ = facts;
    }
    QStringList shown;
    for (int i = 0; i < choice_->count(); ++i)
        shown << choice_->itemText(i);
    if (shown != names) {
        choice_->clear();
        choice_->addItems(names);
    }
    choice_->setVisible(names.size() > 1);
    if (now_)
        choice_->setCurrentText(fromStd(now_->spec->name));
    follow();
    lay();
    const bool goesOn = visits_[0].empty() ? !visits_[1].empty() && !visits_[1].back().to : !visits_[0].back().to;
    begin_->setEnabled(now_ && now_->partners[0].simulated && stage().document().isLive() && stage().document().session()->running());
    breakOff_->setEnabled(begin_->isEnabled() && stage().following() && goesOn);
    if (!now_) {
        facts_->clear();
    } else if (visits_[0].empty() && visits_[1].empty()) {
        facts_->setText(tr("%1 rests").arg(fromStd(now_->spec->name)));
    } else {
        std::size_t broken = 0;
        for (const auto& visits : visits_)
            for (const Visit& visit : visits)
                broken += visit.broken.size();
        const std::vector<Visit>& first = visits_[0].empty() ? visits_[1] : visits_[0];
        const QString rules = broken == 0 ? tr("no rule broken") : broken == 1 ? tr("1 rule broken") : tr("%1 rules broken").arg(broken);
        facts_->setText((goesOn ? tr("%1, since %2 s, %3") : tr("%1, ended at %2 s, %3"))
                .arg(fromStd(now_->spec->name), at(goesOn ? first.front().from : *first.back().to), rules));
    }
    update();
}

// The newest round as it stood at the cursor.
void DialogueView::follow()
{
    visits_ = {};
    lines_.clear();
    if (!now_)
        return;
    const drive::DialogueSpec& spec = *now_->spec;
    const Time limit = stage().following() ? Time::max() : stage().cursor();
    for (const DialogueEvent& event : now_->events) {
        if (event.time > limit)
            break;
        std::vector<Visit>& visits = visits_[event.partner];
        if (event.what == DialogueEvent::What::enters) {
            if (!visits.empty() && visits.back().to)
                visits.clear();     // another round
            unsigned entered = 1;
            if (!visits.empty()) {
                visits.back().to = event.time;
                entered = visits.back().phase == event.phase ? visits.back().entered + 1 : 1;
            }
            visits.push_back({event.phase, event.time, std::nullopt, entered, {}});
        } else if (event.what == DialogueEvent::What::ends) {
            if (!visits.empty())
                visits.back().to = event.time;
        } else if (!visits.empty() && !visits.back().to) {
            visits.back().broken.push_back(event);
            // How long it took nobody knew before it came.
            if (event.took && event.limit && event.time - *event.limit + *event.took > limit)
                visits.back().broken.back().took.reset();
        }
    }
    lines_.resize(spec.phases.size());
    for (std::size_t phase = 0; phase < spec.phases.size(); ++phase) {
        std::optional<Time> from, to;
        bool there = false;
        for (std::size_t partner = 0; partner < 2; ++partner)
            for (const Visit& visit : visits_[partner])
                if (visit.phase == phase) {
                    from = from ? std::min(*from, visit.from) : visit.from;
                    there = there || !visit.to;
                    if (visit.to)
                        to = to ? std::max(*to, *visit.to) : *visit.to;
                }
        for (std::size_t number = 0; number < now_->messages->size(); ++number) {
            const std::string& name = (*now_->messages)[number].name;
            if (!standsIn(spec, phase, name))
                continue;
            Line line;
            line.message = number;
            const bool entering = enters(spec.phases[phase], name);
            for (const HeardMessage& heard : now_->heard) {
                if (heard.message != number || heard.time > limit || !from || heard.time < *from)
                    continue;
                if (!there && to && (entering ? heard.time >= *to : heard.time > *to))
                    continue;
                if (line.last) {
                    ++line.before;
                    line.past.push_back(*line.last);
                }
                line.last = heard;
            }
            lines_[phase].push_back(std::move(line));
        }
    }
}

std::size_t DialogueView::phaseNow(std::size_t partner) const
{
    return visits_[partner].empty() || visits_[partner].back().to ? SideSpec::rest : visits_[partner].back().phase;
}

const DialogueView::Visit* DialogueView::visitOf(std::size_t partner, std::size_t phase) const
{
    for (auto visit = visits_[partner].rbegin(); visit != visits_[partner].rend(); ++visit)
        if (visit->phase == phase)
            return &*visit;
    return nullptr;
}

void DialogueView::lay()
{
    const Theme& theme = Theme::get();
    tops_.clear();
    talls_.clear();
    double y = headTall + 6;
    const Moved& by = moved();
    for (std::size_t phase = 0; phase < lines_.size(); ++phase) {
        y += phase < by.down.size() ? by.down[phase] : 0;
        tops_.push_back(y);
        double tall = 8;
        bool strokes = false;
        for (const Line& line : lines_[phase]) {
            tall += lineTall;
            strokes = strokes || line.before > 1;
        }
        for (const auto& visits : visits_)
            for (const Visit& visit : visits)
                if (visit.phase == phase)
                    tall += brokenTall * static_cast<double>(visit.broken.size());
        tall += strokes ? strokesTall : 0;
        const bool current = phaseNow(0) == phase || phaseNow(1) == phase;
        talls_.push_back(std::max(tall, current ? nowPhase : leastPhase));
        y += talls_.back() + phaseGap;
    }
    tops_.push_back(y);
    const int content = theme.px(y);
    bar_->setRange(0, std::max(0, content - height()));
    bar_->setPageStep(std::max(1, height()));
    bar_->setSingleStep(theme.px(lineTall));
    bar_->setGeometry(width() - theme.px(9), 0, theme.px(9), height());
    bar_->setVisible(bar_->maximum() > 0);
}

void DialogueView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    lay();
}

void DialogueView::wheelEvent(QWheelEvent* event)
{
    QCoreApplication::sendEvent(bar_, event);
    event->accept();
}

void DialogueView::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
        begin_->click();
    else if (const Selection& chosen = stage().selection();
        chosen.kind == Selection::Kind::phase && now_ && (event->modifiers() & Qt::ShiftModifier)
        && static_cast<std::size_t>(chosen.signal) < now_->spec->phases.size() && chosen.bus < 2
        && (event->key() == Qt::Key_Down || event->key() == Qt::Key_Up || event->key() == Qt::Key_Left || event->key() == Qt::Key_Right)) {
        const auto phase = static_cast<std::size_t>(chosen.signal);
        const Moved before = moved();
        const double down = event->key() == Qt::Key_Down ? moveStep : event->key() == Qt::Key_Up ? -moveStep : 0;
        const double right = event->key() == Qt::Key_Right ? moveStep : event->key() == Qt::Key_Left ? -moveStep : 0;
        move(chosen.bus, phase, before.down[phase] + down, before.in[chosen.bus][phase] + (chosen.bus == 0 ? right : -right));
        keepMove(before);
    } else if (event->key() == Qt::Key_Down)
        bar_->setValue(bar_->value() + bar_->singleStep());
    else if (event->key() == Qt::Key_Up)
        bar_->setValue(bar_->value() - bar_->singleStep());
    else
        View::keyPressEvent(event);
}

void DialogueView::begin()
{
    if (!now_ || stage().document().session() == nullptr)
        return;
    stage().document().session()->post([name = now_->spec->name](rig::Session& session) {
        if (auto* dialogue = dynamic_cast<drive::Dialogue*>(session.actor(name)); dialogue != nullptr)
            (void)dialogue->begin();
    });
}

void DialogueView::breakOff()
{
    if (!now_)
        return;
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("reasons"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (std::size_t i = 0; i < now_->spec->reasons.size(); ++i)
        menu->addAction(tr("%1  %2").arg(i + 1).arg(fromStd(now_->spec->reasons[i])), this,
            [this, name = now_->spec->name, reason = static_cast<unsigned>(i + 1)] {
                stage().document().session()->post([name, reason](rig::Session& session) {
                    if (auto* dialogue = dynamic_cast<drive::Dialogue*>(session.actor(name)); dialogue != nullptr)
                        if (!dialogue->breakOff(0, reason))
                            (void)dialogue->breakOff(1, reason);
                });
            });
    menu->popup(breakOff_->mapToGlobal(QPoint(0, breakOff_->height())));
}

QRectF DialogueView::phaseBox(std::size_t partner, std::size_t phase) const
{
    const Theme& theme = Theme::get();
    if (phase + 1 >= tops_.size())
        return {};
    const double top = theme.px(tops_[phase]) - bar_->value(), tall = theme.px(talls_[phase]);
    double left = partner == 0 ? theme.px(boxAt) : width() - theme.px(boxAt + boxWide) - (bar_->isVisible() ? theme.px(9) : 0);
    if (const auto by = now_ ? moved_.find(fromStd(now_->spec->name)) : moved_.end();
        by != moved_.end() && phase < by->second.in[partner].size())
        left += (partner == 0 ? 1 : -1) * theme.px(by->second.in[partner][phase]);
    return {left, top, static_cast<double>(theme.px(boxWide)), tall};
}

QUndoStack* DialogueView::undoStack() { return &stage().dialogues().undoStack(); }

void DialogueView::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    // A click on what was broken goes to its moment.
    for (const auto& [box, time] : marks_)
        if (box.contains(event->position())) {
            stage().setCursor(time);
            return;
        }
    const auto there = phaseAt(event->position());
    if (!there || event->button() != Qt::LeftButton)
        return;
    Selection selection;
    selection.kind = Selection::Kind::phase;
    selection.bus = static_cast<std::uint8_t>(there->first);
    selection.signal = static_cast<int>(there->second);
    selection.node = fromStd(now_->spec->name);
    stage().select(selection);
    drag_ = Drag{event->position(), there->first, there->second, moved(), false};
    update();
}

/// A phase that is dragged; the way follows.
class DialogueView::Move : public QUndoCommand {
public:
    Move(DialogueView* view, QString dialogue, Moved before, Moved next)
        : QUndoCommand(tr("move a phase")), view_(view), dialogue_(std::move(dialogue)), before_(std::move(before)), next_(std::move(next))
    {}
    void undo() override { put(before_); }
    void redo() override { put(next_); }

private:
    void put(const Moved& to)
    {
        if (view_.isNull())
            return;
        view_->moved_[dialogue_] = to;
        view_->lay();
        view_->update();
        Q_EMIT view_->setUpChanged();
    }
    QPointer<DialogueView> view_;
    QString dialogue_;
    Moved before_, next_;
};

DialogueView::Moved& DialogueView::moved()
{
    Moved& by = moved_[now_ ? fromStd(now_->spec->name) : QString()];
    const std::size_t phases = now_ ? now_->spec->phases.size() : 0;
    by.down.resize(phases);
    for (auto& in : by.in)
        in.resize(phases);
    return by;
}

std::optional<std::pair<std::size_t, std::size_t>> DialogueView::phaseAt(const QPointF& point) const
{
    for (std::size_t partner = 0; now_ && partner < 2; ++partner)
        for (std::size_t phase = 0; phase < now_->spec->phases.size(); ++phase)
            if (phaseBox(partner, phase).contains(point))
                return std::pair(partner, phase);
    return {};
}

void DialogueView::move(std::size_t partner, std::size_t phase, double down, double in)
{
    Moved& by = moved();
    by.down[phase] = std::clamp(down, 0.0, farthestDown);
    by.in[partner][phase] = std::clamp(in, 0.0, farthestIn);
    lay();
    update();
}

void DialogueView::keepMove(const Moved& before)
{
    if (moved() != before)
        stage().dialogues().undoStack().push(new Move(this, fromStd(now_->spec->name), before, moved()));
}

void DialogueView::mouseMoveEvent(QMouseEvent* event)
{
    if (!drag_ || !now_)
        return;
    const QPointF by = event->position() - drag_->from;
    drag_->moves = drag_->moves || by.manhattanLength() >= QApplication::startDragDistance();
    if (!drag_->moves)
        return;
    const double unit = Theme::get().px(100) / 100.0;
    move(drag_->partner, drag_->phase, drag_->before.down[drag_->phase] + by.y() / unit,
        drag_->before.in[drag_->partner][drag_->phase] + (drag_->partner == 0 ? 1 : -1) * by.x() / unit);
}

void DialogueView::mouseReleaseEvent(QMouseEvent*)
{
    if (const auto drag = std::exchange(drag_, std::nullopt); drag && drag->moves && now_)
        keepMove(drag->before);
}

// Back to where the program lays it.
void DialogueView::mouseDoubleClickEvent(QMouseEvent* event)
{
    const auto there = phaseAt(event->position());
    if (!there)
        return;
    const Moved before = moved();
    move(there->first, there->second, 0, 0);
    keepMove(before);
}

bool DialogueView::event(QEvent* event)
{
    if (event->type() == QEvent::ToolTip && now_) {
        const auto* help = static_cast<QHelpEvent*>(event);
        for (std::size_t partner = 0; partner < 2; ++partner)
            for (std::size_t phase = 0; phase < now_->spec->phases.size(); ++phase)
                if (phaseBox(partner, phase).contains(help->pos())) {
                    const SideSpec& side = now_->spec->phases[phase].sides[partner];
                    QStringList words;
                    if (!side.on.empty())
                        words << tr("entered on %1").arg(fromStd(side.on.front()));
                    if (side.notBefore.count() > 0)
                        words << tr("not left before %1").arg(fromStd(spanText(side.notBefore)));
                    words << (side.within.count() > 0 ? tr("left within %1").arg(fromStd(spanText(side.within))) : tr("left at any time"));
                    for (const auto& hear : side.hears)
                        words << tr("has to hear %1 within %2").arg(fromStd(hear.message), fromStd(spanText(hear.within)));
                    QToolTip::showText(help->globalPos(), words.join(QLatin1Char('\n')), this);
                    return true;
                }
        for (const auto& [box, time] : marks_)
            if (box.contains(help->pos())) {
                QToolTip::showText(help->globalPos(), tr("Go to %1 s  (click)").arg(at(time)), this);
                return true;
            }
    }
    return View::event(event);
}

void DialogueView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    marks_.clear();
    if (!now_) {
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        painter.drawText(rect().adjusted(20, 20, -20, -20), Qt::AlignCenter | Qt::TextWordWrap,
            stage().document().isLive()
                ? tr("This rig has no dialogue. Two partners, their phases and limits are described in its document; docs/dialogues.md "
                     "tells how.")
            : stage().dialogues().following() || !stage().document().ready() ? tr("Both partners are followed once the log has been read.")
            : !stage().dialogues().problem().isEmpty() ? tr("Not followed over this log: %1").arg(stage().dialogues().problem())
                                                       : tr("The rig that explains this log has no dialogue. Open it with one that has: "
                                                            "both partners are followed then, and what broke "
                                                            "their rules is told."));
        return;
    }
    const drive::DialogueSpec& spec = *now_->spec;
    painter.setClipRect(QRectF(0, theme.px(headTall), width(), height()));
    for (std::size_t phase = 0; phase < spec.phases.size(); ++phase) {
        for (std::size_t partner = 0; partner < 2; ++partner)
            paintPhase(painter, partner, phase);
        const QRectF left = phaseBox(0, phase), right = phaseBox(1, phase);
        QRectF box(left.right() + theme.px(tongue + 10), left.top() + theme.px(4), 0, theme.px(lineTall));
        box.setRight(right.left() - theme.px(tongue + 10));
        if (box.width() < theme.px(60))
            continue;
        const bool ahead = visitOf(0, phase) == nullptr && visitOf(1, phase) == nullptr;
        // Older rounds of what comes again and again, folded into strokes under their limit.
        bool strokes = false;
        std::size_t most = 0;
        for (const Line& line : lines_[phase]) {
            const std::size_t owner = (*now_->messages)[line.message].owner;
            if (line.before < 2 || owner > 1)
                continue;
            const std::size_t listener = 1 - owner;
            const double room = std::min(box.width() / 2 - theme.px(34), double(theme.px(110)));
            const double x0 = listener == 0 ? box.left() : box.right() - room;
            const double base = box.top() + theme.px(28), tall = theme.px(20);
            const std::size_t from = line.past.size() > mostStrokes ? line.past.size() - mostStrokes : 0;
            Time limit{};
            for (std::size_t i = from; i < line.past.size(); ++i)
                if (const auto& wait = line.past[i].waited[listener]; wait && wait->limit.count() > 0) {
                    limit = wait->limit;
                    const double share = std::min(1.3, static_cast<double>(wait->took.count()) / static_cast<double>(limit.count()));
                    painter.fillRect(QRectF(x0 + static_cast<double>(i - from) * room / mostStrokes, base - tall * share,
                                         std::max(1.0, room / mostStrokes - 1.2), tall * share),
                        share > 1 ? theme.error : theme.ink2);
                }
            if (limit.count() == 0)
                continue;
            strokes = true;
            painter.setPen(QPen(theme.ink, 1));
            painter.drawLine(QPointF(x0, base - tall), QPointF(x0 + room, base - tall));
            paintText(painter, QRectF(x0, base - tall - theme.px(13), room, theme.px(12)), milliseconds(limit) + tr(" ms"), theme.small(),
                theme.ink2, listener == 0 ? Qt::AlignRight | Qt::AlignVCenter : Qt::AlignLeft | Qt::AlignVCenter);
            most = std::max(most, line.before);
        }
        if (most > 0)
            paintText(painter, QRectF(box.center().x() - theme.px(40), box.top() + theme.px(6), theme.px(80), theme.px(20)),
                tr("%1 before").arg(most), theme.small(), theme.ink2, Qt::AlignCenter);
        if (strokes)
            box.translate(0, theme.px(strokesTall));
        for (const Line& line : lines_[phase]) {
            paintLine(painter, box, line, ahead || !line.last);
            box.translate(0, theme.px(lineTall));
        }
        for (const auto& visits : visits_)
            for (const Visit& visit : visits)
                for (std::size_t i = 0; visit.phase == phase && i < visit.broken.size(); ++i) {
                    const QRectF words(box.left() + theme.px(18), box.top(), box.width() - theme.px(18), theme.px(brokenTall - 4));
                    paintBroken(painter, QPointF(box.left() + theme.px(8), box.top() + theme.px(9)));
                    painter.setFont(theme.bodyStrong());
                    painter.setPen(theme.ink);
                    painter.drawText(words, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, fromStd(visit.broken[i].why));
                    marks_.emplace_back(QRectF(box.left(), box.top(), box.width(), theme.px(brokenTall - 4)), visit.broken[i].time);
                    box.translate(0, theme.px(brokenTall));
                }
    }
    for (std::size_t partner = 0; partner < 2; ++partner)
        paintWay(painter, partner);
    // The head stays.
    painter.setClipping(false);
    painter.fillRect(QRectF(0, 0, width(), theme.px(headTall)), theme.surface);
    const bool wide = width() > theme.px(narrow);
    for (std::size_t partner = 0; partner < 2; ++partner) {
        const QRectF box = phaseBox(partner, 0);
        const bool right = partner == 1;
        const QRectF name(box.left(), theme.px(6), box.width() + theme.px(60), theme.px(18));
        const QString words = fromStd(spec.partners[partner]);
        const double badge = theme.px(14), wideName = QFontMetricsF(theme.head()).horizontalAdvance(words);
        if (!right) {
            paintBusBadge(painter, QRectF(name.left(), name.top() + 2, badge, badge),
                stage().mark(static_cast<unsigned>(std::max(0, stage().catalog().findBus(spec.bus)))));
            paintText(painter, name.adjusted(theme.px(20), 0, 0, 0), words, theme.head(), theme.ink);
        } else {
            paintText(painter, QRectF(box.left() - theme.px(60), name.top(), box.width() + theme.px(60), name.height()), words,
                theme.head(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
            paintBusBadge(painter, QRectF(box.right() - wideName - theme.px(20), name.top() + 2, badge, badge),
                stage().mark(static_cast<unsigned>(std::max(0, stage().catalog().findBus(spec.bus)))));
        }
        paintText(painter, QRectF(right ? width() - theme.px(timesWide + 8) : theme.px(8), name.top(), theme.px(timesWide), name.height()),
            tr("entered, s"), theme.small(), theme.ink2, right ? Qt::AlignRight | Qt::AlignVCenter : Qt::AlignLeft | Qt::AlignVCenter);
        if (!wide)
            continue;
        const QString how = now_->partners[partner].simulated ? tr("simulated") : tr("outside");
        const double pillWide = theme.px(78);
        const QRectF pill(right ? box.left() - theme.px(tongue + 12) - pillWide : box.right() + theme.px(tongue + 12), theme.px(7),
            pillWide, theme.px(17));
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(theme.hairline, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(pill, pill.height() / 2, pill.height() / 2);
        painter.setRenderHint(QPainter::Antialiasing, false);
        paintText(painter, pill, how, theme.small(), theme.ink2, Qt::AlignCenter);
    }
    if (wide)
        paintText(painter, QRectF(width() / 2.0 - theme.px(50), theme.px(6), theme.px(100), theme.px(18)), tr("seen at, s"), theme.small(),
            theme.ink2, Qt::AlignCenter);
}

void DialogueView::paintPhase(QPainter& painter, std::size_t partner, std::size_t phase) const
{
    const Theme& theme = Theme::get();
    const QRectF box = phaseBox(partner, phase);
    const SideSpec& side = now_->spec->phases[phase].sides[partner];
    const Visit* visit = visitOf(partner, phase);
    const bool current = phaseNow(partner) == phase;
    const bool right = partner == 1;
    // A tongue: this partner speaks first in the phase; a notch: it answers.
    bool speaks = false;
    for (const std::string& name : side.on)
        for (const auto& message : *now_->messages)
            speaks = speaks || (message.name == name && message.owner == partner);
    const double inner = right ? box.left() : box.right(), outward = right ? -1 : 1, middle = box.top() + theme.px(20), half = theme.px(7);
    const double tip = (speaks ? 1 : -1) * outward * theme.px(tongue);
    QPainterPath path;
    path.moveTo(right ? box.topRight() : box.topLeft());
    path.lineTo(inner, box.top());
    path.lineTo(inner, middle - half);
    path.lineTo(inner + tip, middle - half / 2);
    path.lineTo(inner + tip, middle + half / 2);
    path.lineTo(inner, middle + half);
    path.lineTo(inner, box.bottom());
    path.lineTo(right ? box.right() : box.left(), box.bottom());
    path.closeSubpath();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(current            ? theme.accent
                        : visit != nullptr ? theme.ink2
                                           : theme.ink3,
        current ? 1.4 : 1, visit != nullptr ? Qt::SolidLine : Qt::DashLine));
    painter.setBrush(current ? theme.accentSoft : visit != nullptr ? theme.raised : theme.surface);
    painter.drawPath(path);
    // What the inspector explains.
    if (const Selection& chosen = stage().selection(); chosen.kind == Selection::Kind::phase && chosen.bus == partner
                                                       && chosen.signal == static_cast<int>(phase)
                                                       && chosen.node == fromStd(now_->spec->name)) {
        painter.setPen(QPen(theme.ink, 2));
        painter.setBrush(Qt::NoBrush);
        painter.drawPath(path);
    }
    painter.restore();
    // The outer edge fills from the top, its whole height being the limit.
    const Time now = visit == nullptr ? Time{0}
                                      : (visit->to                ? *visit->to
                                            : stage().following() ? now_->told
                                                                  : stage().cursor())
                                            - visit->from;
    const QRectF edge(right ? box.right() - theme.px(5) : box.left(), box.top(), theme.px(5), box.height());
    bool late = false;
    if (visit != nullptr && side.within.count() > 0) {
        const double share = static_cast<double>(now.count()) / static_cast<double>(side.within.count());
        late = share > 1;
        painter.fillRect(edge.adjusted(1, 1, -1, -1), theme.ground);
        if (late)
            paintHatch(painter, edge, theme.error);
        else
            painter.fillRect(QRectF(edge.left(), edge.top(), edge.width(), edge.height() * share), current ? theme.accent : theme.ink2);
    }
    if (side.notBefore.count() > 0 && side.within.count() > 0 && visit != nullptr) {
        const double y = edge.top()
                         + edge.height() * static_cast<double>(side.notBefore.count()) / static_cast<double>(side.within.count());
        painter.setPen(QPen(theme.ink, 1.4));
        painter.drawLine(QPointF(edge.left() - theme.px(2), y), QPointF(edge.right() + theme.px(2), y));
    }
    QStringList below;
    const auto align = right ? Qt::AlignRight | Qt::AlignVCenter : Qt::AlignLeft | Qt::AlignVCenter;
    const double pad = theme.px(12);
    QRectF line(box.left() + pad, box.top() + theme.px(7), box.width() - 2 * pad, theme.px(16));
    paintText(painter, line, fromStd(now_->spec->phases[phase].name), visit != nullptr ? theme.head() : theme.body(),
        visit != nullptr ? theme.ink : theme.ink2, align);
    line.translate(0, theme.px(17));
    if (visit == nullptr) {
        if (side.within.count() > 0)
            paintText(painter, line, tr("within %1").arg(fromStd(spanText(side.within))), theme.body(), theme.ink2, align);
        return;
    }
    if (current) {
        paintText(painter, QRectF(line.left(), line.top(), line.width(), theme.px(20)), seconds(now).chopped(1) + tr(" s"), theme.mono(14),
            late ? theme.error : theme.ink, align);
        line.translate(0, theme.px(22));
        if (side.within.count() > 0)
            below << tr("of %1").arg(fromStd(spanText(side.within)));
    } else {
        below << (side.within.count() > 0 ? tr("%1 of %2").arg(seconds(now), fromStd(spanText(side.within)))
                                          : tr("%1 s").arg(seconds(now)));
    }
    if (visit->entered > 1)
        below << (visit->entered == 2 ? tr("entered twice") : tr("entered %1 times").arg(visit->entered));
    std::size_t broken = 0;
    for (const Visit& one : visits_[partner])
        broken += one.phase == phase ? one.broken.size() : 0;
    if (current && side.notBefore.count() > 0)
        below << tr("not before %1").arg(fromStd(spanText(side.notBefore)));
    for (const QString& words : below) {
        if (line.bottom() > box.bottom())
            return;
        paintText(painter, line, words, theme.body(), theme.ink2, align);
        line.translate(0, theme.px(15));
    }
    if (broken > 0 && line.bottom() <= box.bottom()) {
        const QString words = broken == 1 ? tr("1 rule broken") : tr("%1 rules broken").arg(broken);
        const double wide = QFontMetricsF(theme.bodyStrong()).horizontalAdvance(words);
        paintText(painter, line, words, theme.bodyStrong(), theme.ink, align);
        paintBroken(painter, QPointF(right ? line.right() - wide - theme.px(12) : line.left() + wide + theme.px(12), line.center().y()));
    }
}

// The way taken, with the times of entering; what may come is dotted.
void DialogueView::paintWay(QPainter& painter, std::size_t partner) const
{
    const Theme& theme = Theme::get();
    const bool right = partner == 1;
    const double x = right ? phaseBox(1, 0).right() + theme.px(boxAt - wayAt) : theme.px(wayAt);
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    std::optional<double> before;
    for (std::size_t i = 0; i < visits_[partner].size(); ++i) {
        const Visit& visit = visits_[partner][i];
        const QRectF box = phaseBox(partner, visit.phase);
        const double y = std::min(box.top() + theme.px(9) + theme.px(15) * (visit.entered - 1), box.bottom() - theme.px(6));
        painter.setPen(QPen(theme.ink, 1.6));
        if (before)
            painter.drawLine(QPointF(x, *before), QPointF(x, y));
        if (before && visit.phase <= visits_[partner][i - 1].phase)
            paintLoop(painter, x, y, visit.phase == visits_[partner][i - 1].phase ? *before : box.top() + theme.px(9), right);
        painter.setBrush(theme.ink);
        painter.drawEllipse(QPointF(x, y), theme.px(2.6), theme.px(2.6));
        if (!before) {
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(QPointF(x, y), theme.px(5), theme.px(5));
        }
        paintText(painter,
            QRectF(right ? x + theme.px(6) : 0, y - theme.px(8), right ? width() - x - theme.px(8) : x - theme.px(6), theme.px(16)),
            at(visit.from), theme.mono(9.5), theme.ink2, right ? Qt::AlignLeft | Qt::AlignVCenter : Qt::AlignRight | Qt::AlignVCenter);
        painter.setPen(QPen(theme.ink, 1));
        painter.drawLine(QPointF(x, y), QPointF(right ? box.right() : box.left(), y));
        before = y;
    }
    if (before && phaseNow(partner) != SideSpec::rest && tops_.size() > 1) {
        const double end = phaseBox(partner, tops_.size() - 2).top() + theme.px(9);
        if (end > *before) {
            painter.setPen(QPen(theme.ink3, 1.2, Qt::DotLine));
            painter.drawLine(QPointF(x, *before + theme.px(4)), QPointF(x, end));
        }
    }
    painter.restore();
}

// The way back: round the line, with an arrow where it comes in again.
void DialogueView::paintLoop(QPainter& painter, double x, double from, double to, bool right) const
{
    const Theme& theme = Theme::get();
    const double out = (right ? -1 : 1) * theme.px(6), s = theme.px(2.5);
    QPainterPath path(QPointF(x, from));
    path.quadTo(x + out, from, x + out, from - theme.px(4));
    path.lineTo(x + out, to + theme.px(4));
    path.quadTo(x + out, to, x, to);
    painter.save();
    painter.setPen(QPen(theme.ink2, 1.2));
    painter.setBrush(Qt::NoBrush);
    painter.drawPath(path);
    painter.setBrush(theme.ink2);
    painter.drawPolygon(QPolygonF({QPointF(x, to), QPointF(x + out * 0.7, to - s), QPointF(x + out * 0.7, to + s)}));
    painter.restore();
}

void DialogueView::paintLine(QPainter& painter, const QRectF& box, const Line& line, bool ahead) const
{
    const Theme& theme = Theme::get();
    const drive::DialogueFacts::Message& message = (*now_->messages)[line.message];
    const bool fromLeft = message.owner != 1;
    const std::size_t listener = fromLeft ? 1 : 0;
    const QRectF words(box.left(), box.top(), box.width(), theme.px(15));
    const double y = box.top() + theme.px(18);
    painter.save();
    painter.setPen(QPen(ahead ? theme.ink3 : theme.ink2, 1, ahead ? Qt::DashLine : Qt::SolidLine));
    painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y));
    painter.setPen(QPen(ahead ? theme.ink3 : theme.ink2, 1));
    const double start = fromLeft ? box.left() : box.right(), end = fromLeft ? box.right() : box.left(), s = theme.px(3);
    painter.drawLine(QPointF(start, y - s), QPointF(start, y + s));
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setBrush(ahead ? QBrush(theme.surface) : QBrush(theme.ink2));
    painter.drawPolygon(
        QPolygonF({QPointF(end, y), QPointF(end + (fromLeft ? -1 : 1) * 2 * s, y - s), QPointF(end + (fromLeft ? -1 : 1) * 2 * s, y + s)}));
    painter.restore();
    paintText(painter,
        QRectF(fromLeft ? words.left() + theme.px(4) : words.center().x() + theme.px(timeHalf), words.top(),
            words.width() / 2 - theme.px(timeHalf + 4), words.height()),
        fromStd(message.name), theme.body(), ahead ? theme.ink2 : theme.ink,
        fromLeft ? Qt::AlignLeft | Qt::AlignVCenter : Qt::AlignRight | Qt::AlignVCenter);
    paintText(painter, QRectF(words.center().x() - theme.px(timeHalf), words.top(), theme.px(2 * timeHalf), words.height()),
        line.last ? at(line.last->time) : tr("due"), line.last ? theme.mono() : theme.body(), ahead ? theme.ink3 : theme.ink,
        Qt::AlignCenter);
    if (line.last && line.last->waited[listener])
        paintWait(painter,
            QRectF(fromLeft ? words.center().x() + theme.px(timeHalf) : words.left() + theme.px(4), words.top(),
                words.width() / 2 - theme.px(timeHalf + 4), words.height()),
            *line.last->waited[listener], !fromLeft);
}

void DialogueView::paintWait(QPainter& painter, const QRectF& box, const HeardMessage::Wait& wait, bool left) const
{
    const Theme& theme = Theme::get();
    const bool late = wait.took > wait.limit;
    const double wide = theme.px(waitWide);
    const bool inSeconds = wait.limit >= std::chrono::seconds(1);
    const QString words = inSeconds ? tr("%1 ms of %2").arg(milliseconds(wait.took), fromStd(spanText(wait.limit)))
                                    : tr("%1 of %2 ms").arg(milliseconds(wait.took), milliseconds(wait.limit));
    QRectF bar(left ? box.left() : box.right() - wide, box.center().y() - theme.px(3), wide, theme.px(6));
    const double share = static_cast<double>(wait.took.count()) / static_cast<double>(wait.limit.count());
    painter.fillRect(bar, theme.ground);
    painter.fillRect(
        QRectF(left ? bar.left() : bar.right() - wide * std::min(1.0, share), bar.top(), wide * std::min(1.0, share), bar.height()),
        theme.ink2);
    if (late)
        paintHatch(painter, QRectF(left ? bar.right() : bar.left() - theme.px(14), bar.top(), theme.px(14), bar.height()), theme.error);
    painter.setPen(QPen(theme.ink, 1.2));
    const double tick = left ? bar.right() : bar.left();
    painter.drawLine(QPointF(tick, bar.top() - 2), QPointF(tick, bar.bottom() + 2));
    const double beside = wide + theme.px(late ? 20 : 6);
    paintText(painter, left ? box.adjusted(beside, 0, 0, 0) : box.adjusted(0, 0, -beside, 0), words,
        late ? theme.mono(10.5, QFont::DemiBold) : theme.mono(), theme.ink2,
        left ? Qt::AlignLeft | Qt::AlignVCenter : Qt::AlignRight | Qt::AlignVCenter);
}

}  // namespace wavetrope::app
