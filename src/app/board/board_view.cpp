// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/board_view.h"

#include <QApplication>
#include <QButtonGroup>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMimeData>
#include <QPainter>
#include <QPushButton>

#include <algorithm>
#include <cmath>

#include "app/board/board_tray.h"
#include "app/board/gauges.h"
#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/stage/event_desk.h"
#include "app/stage/manipulation_desk.h"
#include "app/stage/selection_menu.h"
#include "app/stage/signal_drag.h"

namespace wavetrope::app {

namespace {

using board::Shown;

constexpr double handleSize = 8;
constexpr double trayPart = 0.26;       // of the height, while a board is edited

// Which kinds one thing may be shown as.
bool suits(const board::Item& item, Shown shown)
{
    if (item.of.kind == board::Binding::Kind::none)
        return (board::isGauge(item.shown) && board::isGauge(shown)) || (board::isControl(item.shown) && board::isControl(shown))
               || item.shown == shown;
    if (item.of.kind == board::Binding::Kind::row && item.of.value.empty())
        return shown == Shown::button || shown == Shown::key;
    if (item.of.kind == board::Binding::Kind::row || item.of.kind == board::Binding::Kind::variable)
        return board::isGauge(shown) || board::isControl(shown);
    if (item.of.kind == board::Binding::Kind::manipulation)
        return shown == Shown::toggle || shown == Shown::button || shown == Shown::key || shown == Shown::lamp;
    if (item.of.kind == board::Binding::Kind::condition)
        return shown == Shown::lamp || shown == Shown::state;
    return board::isGauge(shown);
}

}  // namespace

BoardView::BoardView(Stage& stage)
    : View(stage),
      reader_(stage),
      tools_(new QWidget),
      told_(new ElidedLabel),
      what_(new ElidedLabel),
      mode_(new QButtonGroup(this)),
      field_(new InPlaceField(this))
{
    setObjectName(QStringLiteral("board"));
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAcceptDrops(true);
    setMinimumSize(240, 160);
    setAttribute(Qt::WA_OpaquePaintEvent);
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    bar->setSpacing(6);
    Theme::writeInBody(what_);
    Theme::writeInBody(told_);
    told_->setObjectName(QStringLiteral("boardFacts"));
    what_->setObjectName(QStringLiteral("boardName"));
    told_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    bar->addWidget(what_);
    bar->addWidget(told_, 1);
    auto* says = new QLabel(tr("this board is"));
    Theme::writeInBody(says);
    bar->addWidget(says);
    for (const auto& [id, object, words, tip] :
        {std::tuple{0, "boardInUse", tr("in use"), tr("Controls drive what they are bound to  (Escape)")},
            std::tuple{1, "boardEdited", tr("edited"), tr("Items are moved, sized and put on; no control sends  (Ctrl+E)")}}) {
        auto* button = new QPushButton(words);
        button->setObjectName(QLatin1String(object));
        button->setCheckable(true);
        button->setToolTip(tip);
        mode_->addButton(button, id);
        bar->addWidget(button);
    }
    mode_->button(0)->setChecked(true);
    connect(mode_, &QButtonGroup::idClicked, this, [this](int id) { setEditing(id == 1); });
    field_->setObjectName(QStringLiteral("boardField"));
    connect(field_, &InPlaceField::kept, this, [this] { setFocus(); });
    connect(field_, &InPlaceField::left, this, [this] { setFocus(); });
    connect(&stage, &Stage::beat, this, &BoardView::follow);
    connect(&stage, &Stage::axisChanged, this, &BoardView::follow);
    connect(&stage, &Stage::becameReady, this, &BoardView::refresh);
    connect(&stage, &Stage::catalogChanged, this, &BoardView::refresh);
    connect(&stage.curveDesk(), &CurveDesk::grown, this, &BoardView::follow);
    connect(&stage.boards(), &BoardDesk::changed, this, [this] {
        if (chosen_ && *chosen_ >= items().size())
            choose(std::nullopt);
        nameMode();
        refresh();
    });
    connect(&stage.outbox(), &OutboxDesk::changed, this, &BoardView::refresh);
    connect(&Theme::get(), &Theme::changed, this, [this] { update(); });
    nameMode();
}

nlohmann::json BoardView::save() const { return {{"board", name_.toStdString()}}; }

void BoardView::restore(const nlohmann::json& setUp)
{
    if (const auto name = setUp.find("board"); name != setUp.end() && name->is_string())
        name_ = text(name->get<std::string>());
    nameMode();
    refresh();
}

const std::vector<board::Item>& BoardView::items() const
{
    static const std::vector<board::Item> none;
    const board::Board* found = stage().boards().find(name_);
    return found == nullptr ? none : found->items;
}

void BoardView::nameMode()
{
    what_->setText(editing_ ? tr("Editing %1").arg(name_) : name_);
    const std::size_t count = items().size();
    told_->setText(editing_                       ? tr("controls send nothing until you are done")
                   : !stage().document().isLive() ? tr("%1 gauges and controls, the state at the cursor").arg(count)
                                                  : tr("%1 gauges and controls").arg(count));
    mode_->button(editing_ ? 1 : 0)->setChecked(true);
}

void BoardView::setEditing(bool editing)
{
    if (editing == editing_)
        return;
    release();
    editing_ = editing;
    focused_.reset();
    if (!editing)
        choose(std::nullopt);
    if (editing && name_.isEmpty())
        name_ = stage().boards().freeName(tr("Board"));
    nameMode();
    Q_EMIT stage().boards().editingChanged();
    setFocus();
    refresh();
}

QRectF BoardView::grid() const
{
    const Theme& theme = Theme::get();
    const double side = theme.px(12), below = editing_ ? height() * trayPart : theme.px(4);
    return {side, static_cast<double>(theme.px(6)), width() - 2 * side, height() - theme.px(6) - below};
}

QRectF BoardView::boxOf(const board::Cells& cells) const
{
    const QRectF all = grid();
    const double wide = all.width() / board::gridSize, high = all.height() / board::gridSize;
    return {all.left() + cells.column * wide, all.top() + cells.row * high, cells.wide * wide, cells.high * high};
}

QPoint BoardView::cellAt(const QPointF& point) const
{
    const QRectF all = grid();
    return {static_cast<int>(std::floor((point.x() - all.left()) / all.width() * board::gridSize)),
        static_cast<int>(std::floor((point.y() - all.top()) / all.height() * board::gridSize))};
}

std::optional<std::size_t> BoardView::itemAt(const QPointF& point) const
{
    for (std::size_t i = 0; i < items().size(); ++i)
        if (boxOf(items()[i].at).contains(point))
            return i;
    return std::nullopt;
}

QRectF BoardView::trayOf(Shown shown) const
{
    const Theme& theme = Theme::get();
    const double top = grid().bottom() + theme.px(26), line = (height() - top) / 3.0;
    for (std::size_t row = 0; row < boardTray().size(); ++row)
        for (std::size_t k = 0; k < boardTray()[row].kinds.size(); ++k)
            if (boardTray()[row].kinds[k] == shown) {
                const double wide = (width() - theme.px(100)) / 7.0;
                return {theme.px(90) + static_cast<double>(k) * wide, top + static_cast<double>(row) * line, wide - theme.px(8),
                    line - theme.px(3)};
            }
    return {};
}

QPointF BoardView::handleOf(std::size_t handle) const
{
    if (!chosen_ || *chosen_ >= items().size())
        return {};
    const QRectF box = boxOf(dropping_ ? *dropping_ : items()[*chosen_].at);
    const QPointF points[8] = {box.topLeft(), {box.center().x(), box.top()}, box.topRight(), {box.right(), box.center().y()},
        box.bottomRight(), {box.center().x(), box.bottom()}, box.bottomLeft(), {box.left(), box.center().y()}};
    return points[handle];
}

void BoardView::refresh()
{
    follow();
    update();
}

void BoardView::follow()
{
    if (!isVisible())
        return;
    QElapsedTimer took;
    took.start();
    stage().events().look(this,
        std::any_of(items().begin(), items().end(), [](const board::Item& one) { return one.of.kind == board::Binding::Kind::condition; }));
    for (const auto& [item, valueAlone] : reader_.refresh(items())) {
        const QRectF box = boxOf(items()[item].at);
        std::vector<QRectF> moving;
        if (valueAlone && !editing_)
            moving = GaugePainter::movingOf(box, items()[item].shown, cell());
        if (moving.empty())
            update(insideOf(box));
        for (const QRectF& part : moving)
            update(part.toAlignedRect() & insideOf(box));
    }
    lookedIn_ = took.nsecsElapsed();
}

void BoardView::choose(std::optional<std::size_t> item)
{
    chosen_ = item;
    if (item && *item < items().size()) {
        Selection selection;
        selection.kind = Selection::Kind::boardItem;
        selection.node = name_;
        selection.signal = static_cast<int>(*item);
        stage().select(selection);
    } else if (stage().selection().kind == Selection::Kind::boardItem) {
        stage().select({});
    }
    update();
}

void BoardView::edit(std::vector<board::Item> next, const QString& what) { stage().boards().put(name_, std::move(next), what); }

// In whole cells; where something lies already, the nearest place that is free.
board::Cells BoardView::dragged(const QPointF& point) const
{
    const board::Item& item = items()[*chosen_];
    const QRectF all = grid();
    const int columns = static_cast<int>(std::lround((point.x() - pressedAt_.x()) / (all.width() / board::gridSize)));
    const int rows = static_cast<int>(std::lround((point.y() - pressedAt_.y()) / (all.height() / board::gridSize)));
    board::Cells at = item.at;
    if (handle_ < 0) {
        at.column = std::clamp(at.column + columns, 0, board::gridSize - at.wide);
        at.row = std::clamp(at.row + rows, 0, board::gridSize - at.high);
        return at;
    }
    int left = at.column, top = at.row, right = at.column + at.wide, bottom = at.row + at.high;
    if (handle_ == 0 || handle_ == 6 || handle_ == 7)
        left = std::clamp(left + columns, 0, right - 1);
    if (handle_ == 2 || handle_ == 3 || handle_ == 4)
        right = std::clamp(right + columns, left + 1, board::gridSize);
    if (handle_ <= 2)
        top = std::clamp(top + rows, 0, bottom - 1);
    if (handle_ >= 4 && handle_ <= 6)
        bottom = std::clamp(bottom + rows, top + 1, board::gridSize);
    return {left, top, right - left, bottom - top};
}

void BoardView::mousePressEvent(QMouseEvent* event)
{
    if (event->button() != Qt::LeftButton)
        return;
    setFocus();
    const QPointF point = event->position();
    pressedAt_ = point;
    handle_ = -1;
    if (!editing_) {
        const auto item = itemAt(point);
        if (!item)
            return;
        if (board::isControl(items()[*item].shown))
            return pressControl(*item, point);
        // What it shows is explained beside it.
        if (items()[*item].of.kind == board::Binding::Kind::signal || items()[*item].of.kind == board::Binding::Kind::derived)
            if (const auto source = curveOf(stage().document().catalog(),
                    (items()[*item].of.kind == board::Binding::Kind::derived ? QStringLiteral(":") : QString())
                        + text(items()[*item].of.name)))
                stage().select(source->selection());
        return;
    }
    for (std::size_t k = 0; k < 8 && chosen_; ++k)
        if ((handleOf(k) - point).manhattanLength() < handleSize) {
            handle_ = static_cast<int>(k);
            return;
        }
    for (const TrayLine& line : boardTray())
        for (const Shown shown : line.kinds)
            if (trayOf(shown).contains(point)) {
                board::Item item;
                item.shown = shown;
                item.at = board::usualSize(shown);
                return putOn(item, std::nullopt);
            }
    choose(itemAt(point));
}

void BoardView::mouseMoveEvent(QMouseEvent* event)
{
    if (!editing_) {
        if (held_ && (event->buttons() & Qt::LeftButton) != 0)
            dragControl(*held_, event->position(), false);
        const auto item = itemAt(event->position());
        setCursor(item && board::isControl(items()[*item].shown) && !reader_.of(*item).inert ? Qt::PointingHandCursor : Qt::ArrowCursor);
        return;
    }
    if (!chosen_ || (event->buttons() & Qt::LeftButton) == 0 || *chosen_ >= items().size())
        return;
    if (!wanted_ && (event->position() - pressedAt_).manhattanLength() < QApplication::startDragDistance())
        return;
    wanted_ = dragged(event->position());
    const std::vector<board::Item>& all = items();
    const bool free = std::none_of(
        all.begin(), all.end(), [&](const board::Item& one) { return &one != &all[*chosen_] && one.at.overlaps(*wanted_); });
    if (free)
        dropping_ = wanted_;
    else if (handle_ < 0)
        dropping_ = board::freePlace(all, *wanted_, *chosen_);
    update();
}

void BoardView::mouseReleaseEvent(QMouseEvent* event)
{
    if (event->button() != Qt::LeftButton)
        return;
    if (!editing_) {
        if (held_)
            dragControl(*held_, event->position(), true);
        release();
        return;
    }
    if (chosen_ && dropping_ && *chosen_ < items().size()) {
        std::vector<board::Item> next = items();
        next[*chosen_].at = *dropping_;
        edit(std::move(next), handle_ < 0 ? tr("move an item") : tr("size of an item"));
    }
    wanted_.reset();
    dropping_.reset();
    handle_ = -1;
    update();
}

void BoardView::wheelEvent(QWheelEvent* event)
{
    const auto item = itemAt(event->position());
    if (editing_ || !item || focused_ != item || !board::isControl(items()[*item].shown))
        return event->ignore();
    stepControl(*item, event->angleDelta().y() > 0 ? 1 : -1);
    event->accept();
}

void BoardView::moveChosen(int columns, int rows, bool size)
{
    if (!chosen_ || *chosen_ >= items().size())
        return;
    std::vector<board::Item> next = items();
    board::Cells& at = next[*chosen_].at;
    if (size) {
        at.wide += columns;
        at.high += rows;
    } else {
        at.column += columns;
        at.row += rows;
    }
    if (!at.inside())
        return;
    for (std::size_t i = 0; i < next.size(); ++i)
        if (i != *chosen_ && next[i].at.overlaps(at)) {
            Q_EMIT stage().told(tr("Something lies there already"));
            return;
        }
    edit(std::move(next), size ? tr("size of an item") : tr("move an item"));
}

void BoardView::duplicate()
{
    if (!chosen_ || *chosen_ >= items().size())
        return;
    if (const auto made = stage().boards().add(name_, items()[*chosen_]))
        choose(made);
}

void BoardView::removeChosen()
{
    if (!chosen_ || *chosen_ >= items().size())
        return;
    std::vector<board::Item> next = items();
    next.erase(next.begin() + static_cast<std::ptrdiff_t>(*chosen_));
    choose(std::nullopt);
    edit(std::move(next), tr("take an item off"));
}

void BoardView::putOn(board::Item item, const std::optional<QPointF>& at)
{
    if (at) {
        const QPoint cellThere = cellAt(*at);
        item.at.column = std::clamp(cellThere.x() - item.at.wide / 2, 0, board::gridSize - item.at.wide);
        item.at.row = std::clamp(cellThere.y() - item.at.high / 2, 0, board::gridSize - item.at.high);
    }
    if (const auto made = stage().boards().add(name_, std::move(item)))
        choose(made);
}

void BoardView::shown(Shown as)
{
    if (!chosen_ || *chosen_ >= items().size() || !suits(items()[*chosen_], as))
        return;
    std::vector<board::Item> next = items();
    next[*chosen_].shown = as;
    edit(std::move(next), tr("how an item is shown"));
}

bool BoardView::event(QEvent* event)
{
    if (event->type() == QEvent::ShortcutOverride) {
        const auto& key = static_cast<QKeyEvent&>(*event);
        if (editing_ && key.key() == Qt::Key_D && key.modifiers() == Qt::ControlModifier)
            event->accept();
    } else if (event->type() == QEvent::KeyPress && !editing_) {
        // Tab goes through the controls first.
        const auto& key = static_cast<QKeyEvent&>(*event);
        const bool back = key.key() == Qt::Key_Backtab;
        if (key.key() == Qt::Key_Tab || back) {
            focusNext(back);
            return true;
        }
    } else if (event->type() == QEvent::WindowDeactivate) {
        release();
    }
    return View::event(event);
}

void BoardView::keyPressEvent(QKeyEvent* event)
{
    const bool control = (event->modifiers() & Qt::ControlModifier) != 0, shift = (event->modifiers() & Qt::ShiftModifier) != 0;
    if (control && event->key() == Qt::Key_E)
        return setEditing(!editing_);
    const int across = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
    const int down = event->key() == Qt::Key_Down ? 1 : event->key() == Qt::Key_Up ? -1 : 0;
    if (editing_) {
        if (event->key() == Qt::Key_Escape)
            return setEditing(false);
        if ((across != 0 || down != 0) && chosen_)
            return moveChosen(across, down, shift);
        if (event->key() == Qt::Key_Delete)
            return removeChosen();
        if (control && event->key() == Qt::Key_D)
            return duplicate();
        return View::keyPressEvent(event);
    }
    if (focused_ && *focused_ < items().size()) {
        const Shown as = items()[*focused_].shown;
        if (across != 0 || down != 0)
            return stepControl(*focused_, (across - down) * (shift ? 10 : control ? 0.1 : 1));
        if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
            if (as != Shown::button && as != Shown::key)
                return actuate(*focused_);
            if (!event->isAutoRepeat() && !held_) {
                pressControl(*focused_, {});
                heldByKey_ = true;
            }
            return;
        }
    }
    View::keyPressEvent(event);
}

void BoardView::keyReleaseEvent(QKeyEvent* event)
{
    if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && heldByKey_ && !event->isAutoRepeat())
        return release();
    View::keyReleaseEvent(event);
}

void BoardView::focusOutEvent(QFocusEvent* event)
{
    if (heldByKey_ || !(QApplication::mouseButtons() & Qt::LeftButton))
        release();
    View::focusOutEvent(event);
    update();
}

void BoardView::contextMenuEvent(QContextMenuEvent* event)
{
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("boardMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    if (editing_ && event->reason() != QContextMenuEvent::Keyboard)
        choose(itemAt(event->pos()));
    if (editing_ && chosen_) {
        QMenu* as = menu->addMenu(tr("Shown as"));
        for (const TrayLine& line : boardTray())
            for (const Shown kind : line.kinds)
                if (suits(items()[*chosen_], kind))
                    as->addAction(board::isControl(kind) ? tr("%1 (drives)").arg(kindName(kind)) : kindName(kind), this,
                        [this, kind] { shown(kind); });
        menu->addAction(tr("Duplicate"), this, [this] { duplicate(); })->setShortcut(QKeySequence(Qt::CTRL | Qt::Key_D));
        menu->addAction(tr("Take off the board"), this, [this] { removeChosen(); })->setShortcut(Qt::Key_Delete);
        menu->addSeparator();
    }
    addSwitches(*menu);
    // What is done with a signal anywhere is done with what a gauge shows of it.
    if (const auto item = event->reason() == QContextMenuEvent::Keyboard ? focused_ : itemAt(event->pos());
        !editing_ && item && items()[*item].of.kind == board::Binding::Kind::signal)
        if (const auto source = curveOf(stage().document().catalog(), text(items()[*item].of.name)); source && !source->isDerived()) {
            Selection selection;
            selection.kind = Selection::Kind::signal;
            selection.bus = static_cast<std::uint8_t>(source->ref.message->bus);
            selection.id = source->ref.message->message->id;
            selection.signal = static_cast<int>(source->ref.index);
            addSelectionActions(*menu, stage(), selection);
            menu->addSeparator();
        }
    menu->addAction(editing_ ? tr("Done editing") : tr("Edit this board"), this, [this] { setEditing(!editing_); })
        ->setShortcut(editing_ ? QKeySequence(Qt::Key_Escape) : QKeySequence(Qt::CTRL | Qt::Key_E));
    QMenu* others = menu->addMenu(tr("Show another board"));
    for (const board::Board& one : stage().boards().all())
        others->addAction(text(one.name), this, [this, name = text(one.name)] {
            name_ = name;
            choose(std::nullopt);
            nameMode();
            refresh();
            Q_EMIT setUpChanged();
        });
    menu->addAction(tr("Take this board away"), this, [this] { stage().boards().remove(name_); });
    menu->popup(event->globalPos());
}

// A switch for each name under which the rig keeps what is changed on purpose.
void BoardView::addSwitches(QMenu& menu)
{
    QStringList names;
    for (const ManipulationDesk::Row& row : stage().manipulations().rows())
        if (row.kept && !row.name.isEmpty() && !names.contains(row.name))
            names << row.name;
    if (!editing_ || names.isEmpty())
        return;
    QMenu* switches = menu.addMenu(tr("Switch for what goes wrong on purpose"));
    switches->setObjectName(QStringLiteral("manipulationSwitches"));
    for (const QString& name : names)
        switches->addAction(name, this, [this, name] {
            board::Item item;
            item.shown = Shown::toggle;
            item.of = {board::Binding::Kind::manipulation, name.toStdString(), {}};
            putOn(std::move(item), rect().center());
        });
}

void BoardView::dragEnterEvent(QDragEnterEvent* event)
{
    if (carriesSendable(event->mimeData()))
        event->acceptProposedAction();
    else
        event->ignore();
}

void BoardView::dragMoveEvent(QDragMoveEvent* event) { event->acceptProposedAction(); }

// Dropped on the grid, a signal becomes what fits it; on an item, that shows it instead.
void BoardView::dropEvent(QDropEvent* event)
{
    event->acceptProposedAction();
    setEditing(true);
    const QStringList paths = pathsIn(event->mimeData());
    const auto on = itemAt(event->position());
    if (on && paths.size() == 1 && board::isGauge(items()[*on].shown)) {
        if (const auto made = stage().boards().itemFor(paths.front())) {
            std::vector<board::Item> next = items();
            next[*on].of = made->of;
            next[*on].label.clear();
            next[*on].from = next[*on].to = next[*on].below = next[*on].above = std::nullopt;
            edit(std::move(next), tr("what an item shows"));
            choose(on);
        }
        return;
    }
    for (const QString& path : paths)
        if (auto made = stage().boards().itemFor(path))
            putOn(std::move(*made), event->position());
    if (paths.isEmpty())
        for (const auto& [bus, id] : sendableIn(stage().catalog(), event->mimeData()).messages)
            if (const auto* message = stage().catalog().find(bus, id))
                for (std::uint32_t i = 0; i < message->message->signals.size(); ++i)
                    if (auto made = stage().boards().itemFor(signalPath(stage().catalog(), {message, i})))
                        putOn(std::move(*made), event->position());
}

}  // namespace wavetrope::app
