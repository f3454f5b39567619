// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/outbox/outbox_rows.h"

#include <QApplication>
#include <QClipboard>
#include <QDrag>
#include <QFileDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QMimeData>
#include <QPainter>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/signal_drag.h"
#include "app/stage/stage.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/compose.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

constexpr const char* movedMime = "application/x-wavetrope-outbox-move";
constexpr std::size_t mostAskedSingly = 100;

}  // namespace

OutboxRows::OutboxRows(Stage& stage, QWidget* parent) : RowList(parent), stage_(stage), look_(stage), field_(new InPlaceField(viewport()))
{
    setObjectName(QStringLiteral("outboxRows"));
    setAccessibleName(tr("Outbox"));
    setMouseTracking(true);
    viewport()->setAcceptDrops(true);
    setAcceptDrops(true);
    layHeads();
    field_->setObjectName(QStringLiteral("outboxField"));
    field_->installEventFilter(this);
    connect(field_, &InPlaceField::kept, this, [this](int next) {
        if (next == 0)
            return setFocus();
        // Tab goes on to the next value of the row.
        for (std::size_t i = 0; i < entries_.size(); ++i)
            if (entries_[i].row && entries_[i].place() == editing_.first) {
                const std::size_t values = look_.values(editing_.first).size();
                const std::size_t value = editing_.second + static_cast<std::size_t>(next);
                if (value < values && !valueOf(i, value).isNull())
                    edit(i, value);
                else
                    setFocus();
            }
    });
    connect(field_, &InPlaceField::left, this, [this] { setFocus(); });
}

void OutboxRows::setWanted(const QString& text)
{
    wanted_ = text.trimmed();
    rebuild();
}

void OutboxRows::rebuild()
{
    const bool any = current_ >= 0 && static_cast<std::size_t>(current_) < entries_.size();
    const Entry before = any ? entries_[static_cast<std::size_t>(current_)] : Entry{};
    entries_.clear();
    std::size_t number = 0;
    const auto& groups = stage_.outbox().groups();
    for (std::size_t g = 0; g < groups.size(); ++g) {
        entries_.push_back({g, std::nullopt, 0});
        const bool folded = folded_.contains(groups[g].name) && wanted_.isEmpty();
        bool shown = false;
        for (std::size_t r = 0; r < groups[g].rows.size(); ++r, ++number) {
            const drive::OutboxRow& row = groups[g].rows[r];
            const QString all = look_.name({g, r}) + QLatin1Char(' ') + text(row.comment) + QLatin1Char(' ') + text(row.bus)
                                + QLatin1Char(' ') + text(can::toText(look_.id({g, r}))) + QLatin1Char(' ') + text(groups[g].name);
            if (folded || (!wanted_.isEmpty() && !all.contains(wanted_, Qt::CaseInsensitive)))
                continue;
            entries_.push_back({g, r, number});
            shown = true;
        }
        if (!shown && !wanted_.isEmpty())
            entries_.pop_back();
    }
    current_ = std::min(current_, static_cast<int>(entries_.size()) - 1);
    for (std::size_t i = 0; any && i < entries_.size(); ++i)
        if (entries_[i].group == before.group && entries_[i].row == before.row)
            current_ = static_cast<int>(i);
    asks_.clear();
    lookAgain();
}

void OutboxRows::lookAgain()
{
    look_.refresh();
    refresh();
}

QString OutboxRows::rowText(std::uint64_t index) const
{
    const Entry& entry = entries_[index];
    if (!entry.row)
        return text(stage_.outbox().groups()[entry.group].name);
    static const QStringList states = {tr("Send"), tr("Sends"), tr("Ready"), tr("Waits")};
    const OutboxDesk::Place place = entry.place();
    QStringList values;
    for (const OutboxLook::Value& value : look_.values(place))
        values << (value.name.isEmpty() ? value.text : value.name + QLatin1Char(' ') + value.text);
    const auto [when, howLong] = look_.when(place);
    const drive::OutboxRowFacts* facts = look_.facts(place);
    return QStringList{states[static_cast<int>(look_.state(place))], text(look_.spec(place).bus), look_.name(place), when, howLong,
        values.join(QStringLiteral(", ")), asks_.contains(entry.number) ? asks_.at(entry.number).front().words : look_.words(place),
        facts == nullptr ? QString() : QString::number(facts->sent)}
        .join(QLatin1Char('\t'));
}

QStringList OutboxRows::remedies(std::size_t index) const
{
    const auto asks = asks_.find(entries_[index].number);
    if (!entries_[index].row || asks == asks_.end())
        return {};
    QStringList out;
    const OutboxDesk::Other& other = asks->second.front();
    if (other.row)
        out << tr("Hold the other row");
    else if (!other.node.isEmpty())
        out << tr("Take %1 out").arg(other.node);
    return out << tr("Another identifier...") << tr("Send all the same");
}

void OutboxRows::choose(std::uint64_t index)
{
    if (index >= entries_.size())
        return;
    current_ = static_cast<int>(index);
    bring(index);
    if (const Entry& entry = entries_[index]; entry.row) {
        Selection selection;
        selection.kind = Selection::Kind::outboxRow;
        selection.bus = static_cast<std::uint8_t>(std::max(0, look_.bus(entry.place())));
        selection.id = look_.id(entry.place());
        selection.signal = static_cast<int>(entry.number);
        stage_.select(selection);
    }
    viewport()->update();
}

void OutboxRows::choosePlace(OutboxDesk::Place place)
{
    if (place.group < stage_.outbox().groups().size())
        fold(place.group, false);
    for (std::size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i].row && entries_[i].place() == place)
            choose(i);
}

void OutboxRows::ask(std::size_t number)
{
    const auto& others = stage_.outbox().others(number);
    if (others.empty())
        return;
    asks_[number] = others;
    refresh();
    Q_EMIT stage_.told(others.front().words);
}

std::vector<OutboxDesk::Place> OutboxRows::chosen() const
{
    std::vector<OutboxDesk::Place> out;
    if (current_ < 0)
        return out;
    const auto [first, last] = chosenRange();
    for (std::uint64_t i = first; i <= std::min<std::uint64_t>(last, entries_.size() - 1); ++i)
        if (entries_[i].row)
            out.push_back(entries_[i].place());
    return out;
}

OutboxDesk::Place OutboxRows::behindCurrent() const
{
    if (current_ < 0)
        return {stage_.outbox().groups().empty() ? 0 : stage_.outbox().groups().size() - 1, ~std::size_t{0} >> 1};
    const Entry& entry = entries_[static_cast<std::size_t>(current_)];
    return {entry.group, entry.row ? *entry.row + 1 : 0};
}

unsigned OutboxRows::busOfCurrent() const
{
    if (current_ < 0 || !entries_[static_cast<std::size_t>(current_)].row)
        return 0;
    return static_cast<unsigned>(std::max(0, look_.bus(entries_[static_cast<std::size_t>(current_)].place())));
}

void OutboxRows::say(const Expected<void>& done) { Q_EMIT refused(done ? QString() : text(done.error().text())); }

void OutboxRows::pressGroup(const Entry& entry, bool start)
{
    if (!start)
        return stage_.outbox().holdGroup(entry.group);
    if (const QString why = stage_.outbox().unable(); !why.isEmpty()) {
        Q_EMIT stage_.told(why);
        return;
    }
    // Those that somebody else sends too are asked about, each in its row; the others go out when that is settled.
    bool asked = false;
    stage_.outbox().lookForOthers();
    for (std::size_t row = 0; row < stage_.outbox().groups()[entry.group].rows.size(); ++row) {
        const OutboxDesk::Place place{entry.group, row};
        const std::size_t number = stage_.outbox().numberOf(place);
        const drive::OutboxRowFacts* facts = look_.facts(place);
        if (look_.spec(place).when == drive::OutboxRow::When::byHand || facts == nullptr || facts->going)
            continue;
        if (const auto& others = stage_.outbox().others(number); !others.empty()) {
            asks_[number] = others;
            asked = true;
        }
    }
    if (asked) {
        refresh();
        Q_EMIT stage_.told(tr("Not started: a row has another sender. Settle it there, and start again"));
        return;
    }
    stage_.outbox().startTogether(entry.group);
}

void OutboxRows::press(std::size_t index, bool asked)
{
    const Entry entry = entries_[index];
    OutboxDesk& desk = stage_.outbox();
    if (!entry.row) {
        look_.refresh();
        return pressGroup(entry, !look_.anyGoing(entry.group));
    }
    look_.refresh();
    const OutboxDesk::Place place = entry.place();
    const drive::OutboxRowFacts* facts = look_.facts(place);
    const bool holds = facts != nullptr && facts->going && !(look_.spec(place).gathers && !facts->waiting.empty());
    if (const QString why = desk.unable(); !why.isEmpty() && !holds) {
        Q_EMIT stage_.told(why);
        return;
    }
    if (const QString problem = look_.problem(place); !problem.isEmpty()) {
        Q_EMIT stage_.told(problem);
        return;
    }
    if (facts != nullptr && facts->going)
        return holds ? desk.hold(entry.number) : desk.send(entry.number);
    // Before its first frame: whoever else sends it is named, with what to do.
    if (const auto& others = desk.others(entry.number, !asked); !others.empty()) {
        asks_[entry.number] = others;
        refresh();
        return;
    }
    asks_.erase(entry.number);
    desk.go(entry.number);
    refresh();
}

// Of several rows those that rest begin; where none does, all are held.
void OutboxRows::pressChosen()
{
    const auto [first, last] = chosenRange();
    if (current_ < 0)
        return;
    if (first == last)
        return press(static_cast<std::size_t>(current_));
    look_.refresh();
    std::vector<std::size_t> rest, go;
    for (std::uint64_t i = first; i <= std::min<std::uint64_t>(last, entries_.size() - 1); ++i)
        if (entries_[i].row) {
            const drive::OutboxRowFacts* facts = look_.facts(entries_[i].place());
            (facts != nullptr && facts->going && !(look_.spec(entries_[i].place()).gathers && !facts->waiting.empty()) ? go : rest)
                .push_back(i);
        }
    // Rows that go out are among those who send for the next ones; of very many all are asked about at once.
    const bool many = rest.size() > mostAskedSingly;
    if (many)
        stage_.outbox().lookForOthers();
    for (const std::size_t i : rest.empty() ? go : rest)
        press(i, many);
}

void OutboxRows::takeRemedy(std::size_t index, std::size_t remedy)
{
    const Entry entry = entries_[index];
    const auto asks = asks_.find(entry.number);
    if (!entry.row || asks == asks_.end())
        return;
    const OutboxDesk::Other other = asks->second.front();
    const std::size_t own = other.row || !other.node.isEmpty() ? 0 : 1;     // nobody can be taken out
    OutboxDesk& desk = stage_.outbox();
    switch (remedy + own) {
    case 0:
        desk.takeOut(other);
        asks_.erase(entry.number);
        desk.go(entry.number);
        break;
    case 1: editIdentifier(index, true); break;
    default:
        asks_.erase(entry.number);
        desk.sendAnyway(entry.place());
        desk.go(entry.number);
    }
    refresh();
}

void OutboxRows::editIdentifier(std::size_t index, bool thenGo)
{
    const Entry entry = entries_[index];
    const Theme& theme = Theme::get();
    const QRectF line = lineOf(index);
    const QRect box(theme.px(messageAt), static_cast<int>(line.top()) + theme.px(3), theme.px(100), theme.px(18));
    field_->open(
        box, theme.px(120), text(can::toText(look_.id(entry.place()))), {}, [this, entry, thenGo](const QString& words) -> Expected<void> {
            const auto set = stage_.outbox().setIdentifier(entry.place(), words);
            if (set && thenGo)
                stage_.outbox().go(entry.number);
            return set;
        });
    editing_ = {entry.place(), ~std::size_t{0} - 1};
}

void OutboxRows::edit(std::size_t index, std::size_t value)
{
    const Entry entry = entries_[index];
    const std::vector<OutboxLook::Value> values = look_.values(entry.place());
    if (value >= values.size() || look_.spec(entry.place()).frame.kind == can::FrameKind::remote)
        return;
    const QString name = values[value].name;
    QRect box = valueOf(index, value);
    if (!name.isEmpty())
        box.setLeft(
            box.left() + static_cast<int>(QFontMetricsF(Theme::get().body()).horizontalAdvance(name)) + Theme::get().px(valuePad + 5));
    const bool source = values[value].source;
    editing_ = {entry.place(), value};
    field_->open(box, name.isEmpty() ? 180 : 90, source ? QString() : values[value].text,
        source ? tr("a value ends the source") : QString(), [this, entry, name](const QString& words) -> Expected<void> {
            OutboxDesk& desk = stage_.outbox();
            return name.isEmpty() ? desk.setBytes(entry.place(), words) : desk.setValue(entry.place(), name, words);
        });
}

// From the field: the value goes on by a step, as if it were typed and kept.
void OutboxRows::step(double steps)
{
    const auto [place, value] = editing_;
    if (!stage_.outbox().has(place))
        return;
    const std::vector<OutboxLook::Value> values = look_.values(place);
    const database::CatalogMessage* message = look_.message(place);
    if (value >= values.size() || message == nullptr)
        return;
    const std::uint32_t at = values[value].place;
    const database::Signal& signal = message->message->signals[at];
    const database::SignalPlan& plan = message->plan.plan(at);
    const auto bits = database::bitsFromText(signal, plan, field_->text().toStdString());
    if (!bits)
        return;
    const std::uint64_t next = database::steppedBits(signal, plan, *bits, steps);
    if (const auto set = stage_.outbox().setBits(place, at, next); !set)
        return say(set);
    field_->setText(text(database::readingOf(signal, plan, next)));
    field_->selectAll();
}

// Ctrl+D is the window's elsewhere.
bool OutboxRows::event(QEvent* event)
{
    if (event->type() == QEvent::ShortcutOverride) {
        const auto& key = static_cast<QKeyEvent&>(*event);
        if (key.key() == Qt::Key_D && key.modifiers() == Qt::ControlModifier)
            event->accept();
    }
    return RowList::event(event);
}

bool OutboxRows::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == field_ && event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Up || key->key() == Qt::Key_Down) {
            const double steps = (key->modifiers() & Qt::ShiftModifier) != 0 ? 10 : (key->modifiers() & Qt::ControlModifier) != 0 ? 0.1 : 1;
            step(key->key() == Qt::Key_Up ? steps : -steps);
            return true;
        }
    }
    return RowList::eventFilter(watched, event);
}

void OutboxRows::fold(std::size_t group, bool folded)
{
    const std::string& name = stage_.outbox().groups()[group].name;
    if (folded == folded_.contains(name))
        return;
    if (folded)
        folded_.insert(name);
    else
        folded_.erase(name);
    rebuild();
}

void OutboxRows::editGroup(std::size_t index, const char* field)
{
    const Entry entry = entries_[index];
    const Theme& theme = Theme::get();
    const drive::OutboxGroup& group = stage_.outbox().groups()[entry.group];
    const bool name = QLatin1String(field) == QLatin1String("name");
    const QRectF line = lineOf(index);
    const int shift = name ? 0 : static_cast<int>(QFontMetricsF(theme.head()).horizontalAdvance(text(group.name))) + theme.px(10);
    const QRect box(theme.px(24) + shift, static_cast<int>(line.center().y()) - theme.px(10), theme.px(160), theme.px(20));
    field_->open(box, theme.px(200), text(name ? group.name : group.comment), {},
        [this, entry, field](const QString& words) { return stage_.outbox().setGroup(entry.group, field, words); });
    editing_ = {{entry.group, 0}, ~std::size_t{0} - 1};
}

// Past the ends of a group they go into the next one.
void OutboxRows::moveChosen(int by)
{
    const std::vector<OutboxDesk::Place> rows = chosen();
    if (rows.empty())
        return;
    const auto& groups = stage_.outbox().groups();
    OutboxDesk::Place to = by < 0 ? rows.front() : rows.back();
    if (by < 0) {
        if (to.row > 0)
            --to.row;
        else if (to.group > 0)
            to = {to.group - 1, groups[to.group - 1].rows.size()};
        else
            return;
    } else if (to.row + 1 < groups[to.group].rows.size()) {
        to.row += 2;
    } else if (to.group + 1 < groups.size()) {
        to = {to.group + 1, 0};
    } else {
        return;
    }
    choosePlace(stage_.outbox().move(rows, to));
}

void OutboxRows::copyChosen() const
{
    if (const auto rows = chosen(); !rows.empty())
        QApplication::clipboard()->setMimeData(stage_.outbox().copied(rows));
}

void OutboxRows::paste() { say(stage_.outbox().paste(QApplication::clipboard()->mimeData(), behindCurrent(), busOfCurrent())); }

void OutboxRows::keyPressEvent(QKeyEvent* event)
{
    const auto at = static_cast<std::size_t>(std::max(0, current_));
    if (event->matches(QKeySequence::Paste))
        return paste();
    if (current_ < 0)
        return RowList::keyPressEvent(event);
    const Entry entry = entries_[at];
    OutboxDesk& desk = stage_.outbox();
    if (event->matches(QKeySequence::Copy))
        return copyChosen();
    if (event->matches(QKeySequence::Cut)) {
        copyChosen();
        return desk.remove(chosen());
    }
    const bool alt = (event->modifiers() & Qt::AltModifier) != 0, control = (event->modifiers() & Qt::ControlModifier) != 0;
    switch (event->key()) {
    case Qt::Key_Return:
    case Qt::Key_Enter: return pressChosen();
    case Qt::Key_F2: return entry.row ? edit(at, 0) : editGroup(at, "name");
    case Qt::Key_Delete:
        if (!chosen().empty())
            return desk.remove(chosen());
        return desk.removeGroup(entry.group);
    case Qt::Key_D:
        if (control)
            return desk.duplicate(chosen());
        break;
    case Qt::Key_Up:
    case Qt::Key_Down:
        if (alt)
            return moveChosen(event->key() == Qt::Key_Up ? -1 : 1);
        break;
    case Qt::Key_Left:
    case Qt::Key_Right:
        if (!entry.row)
            return fold(entry.group, event->key() == Qt::Key_Left);
        break;
    case Qt::Key_1:
    case Qt::Key_2:
    case Qt::Key_3:
        if (entry.row && asks_.contains(entry.number) && remedies(at).size() > event->key() - Qt::Key_1)
            return takeRemedy(at, static_cast<std::size_t>(event->key() - Qt::Key_1));
        break;
    case Qt::Key_Escape:
        if (entry.row && asks_.erase(entry.number) > 0)
            return refresh();
        if (entry.row && !look_.waiting(entry.place()).isEmpty())
            return desk.takeBack(entry.place());
        break;
    default: break;
    }
    RowList::keyPressEvent(event);
}

void OutboxRows::mousePressEvent(QMouseEvent* event)
{
    int under = -1;
    const std::int64_t index = rowAt(event->position(), &under);
    mayDrag_ = false;
    if (index < 0 || event->button() != Qt::LeftButton)
        return RowList::mousePressEvent(event);
    const auto row = static_cast<std::size_t>(index);
    setFocus();
    if (under >= 0) {
        choose(row);
        const std::vector<QRectF> boxes = remedyBoxes(lineOf(row), remedies(row));
        for (std::size_t i = 0; i < boxes.size(); ++i)
            if (boxes[i].contains(event->position()))
                return takeRemedy(row, i);
        return;
    }
    const Entry entry = entries_[row];
    const QRectF line = lineOf(row);
    RowList::mousePressEvent(event);
    if (!entry.row) {
        const auto [hold, start] = groupButtons(line);
        if (hold.contains(event->position()) || start.contains(event->position())) {
            look_.refresh();
            return pressGroup(entry, start.contains(event->position()));
        }
        if (event->position().x() < Theme::get().px(28))
            fold(entry.group, !folded_.contains(stage_.outbox().groups()[entry.group].name));
        return;
    }
    if (controlIn(line).contains(event->position()))
        return press(row);
    const std::vector<QRectF> boxes = valueBoxes(line, look_.values(entry.place()));
    for (std::size_t i = 0; i < boxes.size(); ++i)
        if (boxes[i].contains(event->position()) && (event->modifiers() & Qt::ShiftModifier) == 0)
            return edit(row, i);
    mayDrag_ = true;
    pressedAt_ = event->position();
}

void OutboxRows::mouseMoveEvent(QMouseEvent* event)
{
    if (!mayDrag_ || (event->buttons() & Qt::LeftButton) == 0
        || (event->position() - pressedAt_).manhattanLength() < QApplication::startDragDistance())
        return RowList::mouseMoveEvent(event);
    mayDrag_ = false;
    const auto rows = chosen();
    if (rows.empty())
        return;
    auto* drag = new QDrag(this);
    QMimeData* mime = stage_.outbox().copied(rows);
    mime->setData(QLatin1String(movedMime), "1");
    drag->setMimeData(mime);
    drag->exec(Qt::MoveAction | Qt::CopyAction, Qt::MoveAction);
}

void OutboxRows::mouseReleaseEvent(QMouseEvent* event)
{
    mayDrag_ = false;
    RowList::mouseReleaseEvent(event);
}

OutboxDesk::Place OutboxRows::dropAt(const QPointF& point, int* y) const
{
    const std::int64_t index = rowAt(point);
    if (index < 0) {
        if (y != nullptr)
            *y = entries_.empty() ? headHeight() + 2 : static_cast<int>(lineOf(entries_.size() - 1).bottom());
        return {stage_.outbox().groups().empty() ? 0 : stage_.outbox().groups().size() - 1, ~std::size_t{0} >> 1};
    }
    const Entry& entry = entries_[static_cast<std::size_t>(index)];
    const QRectF line = lineOf(static_cast<std::size_t>(index));
    if (!entry.row) {
        if (y != nullptr)
            *y = static_cast<int>(line.bottom());
        return {entry.group, 0};
    }
    const bool below = point.y() > line.center().y();
    if (y != nullptr)
        *y = static_cast<int>(below ? line.bottom() : line.top());
    return {entry.group, *entry.row + (below ? 1 : 0)};
}

void OutboxRows::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasFormat(QLatin1String(movedMime)) || carriesSendable(event->mimeData())) {
        event->acceptProposedAction();
        return;
    }
    event->ignore();
}

void OutboxRows::dragMoveEvent(QDragMoveEvent* event)
{
    (void)dropAt(event->position(), &dropLine_);
    event->acceptProposedAction();
    viewport()->update();
}

void OutboxRows::dragLeaveEvent(QDragLeaveEvent*)
{
    dropLine_ = -1;
    viewport()->update();
}

void OutboxRows::dropEvent(QDropEvent* event)
{
    dropLine_ = -1;
    const OutboxDesk::Place before = dropAt(event->position());
    event->acceptProposedAction();
    if (event->mimeData()->hasFormat(QLatin1String(movedMime))) {
        if (const auto rows = chosen(); !rows.empty())
            choosePlace(stage_.outbox().move(rows, before));
    } else {
        stage_.outbox().addDropped(event->mimeData(), before);
    }
    viewport()->update();
}

void OutboxRows::contextMenuEvent(QContextMenuEvent* event)
{
    if (headMenu(event))
        return;
    const bool byKey = event->reason() == QContextMenuEvent::Keyboard;
    if (const std::int64_t index = byKey ? current() : rowAt(event->pos()); index >= 0) {
        const auto [first, last] = chosenRange();
        if (static_cast<std::uint64_t>(index) < first || static_cast<std::uint64_t>(index) > last || current_ < 0)
            choose(static_cast<std::uint64_t>(index));
    }
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("outboxMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    fillMenu(*menu);
    const QPoint at = current_ >= 0 ? lineOf(static_cast<std::size_t>(current_)).bottomLeft().toPoint() + QPoint(Theme::get().px(90), 0)
                                    : QPoint(Theme::get().px(90), headHeight());
    menu->popup(byKey ? viewport()->mapToGlobal(at) : event->globalPos());
}

void OutboxRows::fillMenu(QMenu& menu)
{
    OutboxDesk& desk = stage_.outbox();
    const auto add = [&](const char* name, const QString& words, const QKeySequence& key, auto act) {
        QAction* action = menu.addAction(words);
        action->setObjectName(QLatin1String(name));
        action->setShortcut(key);
        connect(action, &QAction::triggered, this, act);
        return action;
    };
    const auto rows = chosen();
    const bool on = current_ >= 0 && static_cast<std::size_t>(current_) < entries_.size();
    const auto at = static_cast<std::size_t>(std::max(0, current_));
    if (on && entries_[at].row) {
        const Entry entry = entries_[at];
        const QStringList what = remedies(at);
        for (qsizetype i = 0; i < what.size(); ++i)
            add("remedy", what[i], {}, [this, at, i] { takeRemedy(at, static_cast<std::size_t>(i)); });
        if (!what.isEmpty())
            menu.addSeparator();
        add("pressRow", look_.state(entry.place()) == OutboxLook::State::send ? tr("Send") : tr("Hold"), Qt::Key_Return,
            [this] { pressChosen(); });
        if (const drive::OutboxRowFacts* facts = look_.facts(entry.place()); facts != nullptr && facts->going)
            add("sendOne", tr("Send one now"), {}, [&desk, number = entry.number] { desk.send(number); });
        if (!look_.waiting(entry.place()).isEmpty())
            add("takeBack", tr("Take back what waits"), Qt::Key_Escape, [&desk, entry] { desk.takeBack(entry.place()); });
        add("anotherIdentifier", tr("Another identifier..."), {}, [this, at] { editIdentifier(at, false); });
        if (look_.spec(entry.place()).anyway)
            add("nameOthers", tr("Name other senders again"), {},
                [&desk, entry] { (void)desk.setFields(entry.place(), {{"anyway", nullptr}}, tr("name other senders again")); });
        menu.addSeparator();
        add("copyRows", rows.size() > 1 ? tr("Copy rows") : tr("Copy row"), QKeySequence::Copy, [this] { copyChosen(); });
        add("duplicateRows", tr("Duplicate"), QKeySequence(Qt::CTRL | Qt::Key_D), [this, &desk] { desk.duplicate(chosen()); });
        add("removeRows", tr("Take out of the outbox"), Qt::Key_Delete, [this, &desk] { desk.remove(chosen()); });
        add("moveUp", tr("Move up"), QKeySequence(Qt::ALT | Qt::Key_Up), [this] { moveChosen(-1); });
        add("moveDown", tr("Move down"), QKeySequence(Qt::ALT | Qt::Key_Down), [this] { moveChosen(1); });
    } else if (on) {
        const Entry entry = entries_[at];
        add("startGroup", tr("Start together"), Qt::Key_Return, [this, entry] {
            look_.refresh();
            pressGroup(entry, true);
        });
        add("holdGroup", tr("Hold"), {}, [&desk, entry] { desk.holdGroup(entry.group); });
        add("renameGroup", tr("Rename..."), Qt::Key_F2, [this, at] { editGroup(at, "name"); });
        add("commentGroup", tr("Comment..."), {}, [this, at] { editGroup(at, "comment"); });
        add("saveGroup", tr("Save this group as a file..."), {}, [this, &desk, entry] {
            const QString path = QFileDialog::getSaveFileName(
                this, tr("Group of rows"), text(desk.groups()[entry.group].name) + QStringLiteral(".json"), tr("Groups of rows (*.json)"));
            if (!path.isEmpty())
                say(desk.saveGroup(entry.group, path));
        });
        add("removeGroup", tr("Take the group out of the outbox"), Qt::Key_Delete, [&desk, entry] { desk.removeGroup(entry.group); });
    }
    menu.addSeparator();
    add("pasteRows", tr("Paste rows"), QKeySequence::Paste, [this] { paste(); });
    add("addGroup", tr("New group"), {}, [&desk] { desk.addGroup(); });
    add("readGroup", tr("Add a group from a file..."), {}, [this, &desk] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Group of rows"), {}, tr("Groups of rows (*.json)"));
        if (!path.isEmpty())
            say(desk.readGroup(path));
    });
}

}  // namespace wavetrope::app
