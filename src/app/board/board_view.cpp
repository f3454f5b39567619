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

#include "app/board/gauges.h"
#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/stage/event_desk.h"
#include "app/stage/signal_drag.h"

namespace wavetrope::app {

namespace {

using board::Shown;

constexpr double handleSize = 8;
constexpr double trayPart = 0.26;       // of the height, while a board is edited

struct TrayLine {
    const char* name;
    std::vector<Shown> kinds;
};
const std::vector<TrayLine>& tray()
{
    static const std::vector<TrayLine> lines = {
        {QT_TRANSLATE_NOOP("BoardView", "Gauges"), {Shown::number, Shown::dial, Shown::bar, Shown::lamp, Shown::state, Shown::history}},
        {QT_TRANSLATE_NOOP("BoardView", "Controls"),
            {Shown::slider, Shown::turn, Shown::toggle, Shown::button, Shown::choice, Shown::entry, Shown::key}},
        {QT_TRANSLATE_NOOP("BoardView", "Besides"), {Shown::title, Shown::text, Shown::picture}}};
    return lines;
}

QString kindName(Shown shown)
{
    switch (shown) {
    case Shown::number: return BoardView::tr("number");
    case Shown::dial: return BoardView::tr("dial");
    case Shown::bar: return BoardView::tr("bar");
    case Shown::lamp: return BoardView::tr("lamp");
    case Shown::state: return BoardView::tr("named state");
    case Shown::history: return BoardView::tr("short history");
    case Shown::slider: return BoardView::tr("slider");
    case Shown::turn: return BoardView::tr("dial");
    case Shown::toggle: return BoardView::tr("switch");
    case Shown::button: return BoardView::tr("button");
    case Shown::choice: return BoardView::tr("choice");
    case Shown::entry: return BoardView::tr("number");
    case Shown::key: return BoardView::tr("key");
    case Shown::title: return BoardView::tr("title");
    case Shown::text: return BoardView::tr("text");
    case Shown::picture: return BoardView::tr("picture");
    }
    return {};
}

// A small picture of a kind, as the tray offers it.
void paintKind(QPainter& painter, Shown shown, const QRectF& box)
{
    const Theme& theme = Theme::get();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const QPointF c = box.center();
    const double w = box.width(), h = box.height();
    painter.setPen(QPen(theme.ink2, 1.3));
    painter.setBrush(Qt::NoBrush);
    switch (shown) {
    case Shown::number: paintText(painter, box, QStringLiteral("8.41"), theme.mono(15), theme.ink); break;
    case Shown::dial:
    case Shown::turn:
        painter.drawArc(QRectF(box.left(), box.top() + 2, h * 1.6, h * 1.6), 30 * 16, 120 * 16);
        painter.setPen(QPen(theme.ink, 2.2));
        painter.drawLine(QPointF(box.left() + h * 0.8, box.bottom()), QPointF(box.left() + h * 0.55, box.top() + 4));
        break;
    case Shown::bar:
        painter.fillRect(QRectF(box.left(), c.y() - 3, w * 0.8, 6), theme.grid);
        painter.fillRect(QRectF(box.left(), c.y() - 3, w * 0.5, 6), theme.bus(BusMark(1)));
        break;
    case Shown::lamp:
        painter.setBrush(theme.ink);
        painter.drawEllipse(QPointF(box.left() + 7, c.y()), 6, 6);
        painter.setBrush(Qt::NoBrush);
        painter.drawEllipse(QPointF(box.left() + 24, c.y()), 6, 6);
        break;
    case Shown::state: paintText(painter, box, BoardView::tr("shaving"), theme.head(), theme.ink); break;
    case Shown::history:
        painter.setPen(QPen(theme.bus(BusMark(1)), 1.6));
        painter.drawPolyline(QPolygonF({{box.left(), c.y() + 4}, {box.left() + w * 0.2, c.y() - 3}, {box.left() + w * 0.4, c.y() + 3},
            {box.left() + w * 0.6, c.y() - 5}, {box.left() + w * 0.8, c.y()}}));
        break;
    case Shown::slider: {
        painter.drawLine(QPointF(box.left(), c.y()), QPointF(box.left() + w * 0.8, c.y()));
        const QPointF d(box.left() + w * 0.4, c.y());
        painter.setPen(QPen(theme.accent, 1.6));
        painter.setBrush(theme.surface);
        painter.drawPolygon(QPolygonF({d + QPointF(0, -6), d + QPointF(6, 0), d + QPointF(0, 6), d + QPointF(-6, 0)}));
        break;
    }
    case Shown::picture: painter.drawRect(QRectF(box.left(), box.top(), w * 0.7, h)); break;
    case Shown::title: paintText(painter, box, BoardView::tr("Driver"), theme.title(), theme.ink); break;
    case Shown::text:
        for (int i = 0; i < 3; ++i)
            painter.drawLine(
                QPointF(box.left(), box.top() + 4 + i * 6), QPointF(box.left() + w * (i == 2 ? 0.5 : 0.7), box.top() + 4 + i * 6));
        break;
    default: {
        painter.setBrush(theme.raised);
        const QRectF at(box.left(), box.top(), w * (shown == Shown::key ? 0.4 : 0.75), h);
        painter.drawRoundedRect(at, 3, 3);
        const QString words = shown == Shown::toggle   ? BoardView::tr("off | on")
                              : shown == Shown::button ? BoardView::tr("go")
                              : shown == Shown::choice ? QStringLiteral("1 | 2 | 3")
                              : shown == Shown::entry  ? QStringLiteral("3.80")
                                                       : QStringLiteral("F9");
        paintText(painter, at, words, theme.small(), theme.ink, Qt::AlignCenter);
    }
    }
    painter.restore();
}

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
    if (item.of.kind == board::Binding::Kind::condition)
        return shown == Shown::lamp || shown == Shown::state;
    return board::isGauge(shown);
}

// Where an item is painted: hairlines lie around it.
QRect insideOf(const QRectF& box)
{
    const QRect whole = box.toAlignedRect();
    return whole.adjusted(2, 2, -2, -2);
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
    for (std::size_t row = 0; row < tray().size(); ++row)
        for (std::size_t k = 0; k < tray()[row].kinds.size(); ++k)
            if (tray()[row].kinds[k] == shown) {
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

// From which row on a board drives: that of its uppermost control, where no gauge reaches below it; else behind the last.
int BoardView::drivenFrom() const
{
    int driven = board::gridSize;
    for (const board::Item& item : items())
        if (board::isControl(item.shown))
            driven = std::min(driven, item.at.row);
    for (const board::Item& item : items())
        if (!board::isControl(item.shown) && item.at.row + item.at.high > driven)
            return board::gridSize;
    return driven;
}

// What changed inside of items, and nothing around them: each by itself on a canvas, where what is painted is bounded by one rectangle. To paint them
// all within the many pieces of a region costs several times as much.
bool BoardView::paintParts(const QRegion& region)
{
    std::vector<QRectF> boxes;
    for (const board::Item& item : items())
        boxes.push_back(boxOf(item.at));
    std::vector<std::vector<QRect>> pieces(boxes.size());
    for (const QRect& piece : region) {
        const auto in = std::find_if(boxes.begin(), boxes.end(), [&](const QRectF& box) { return insideOf(box).contains(piece); });
        if (in == boxes.end())
            return false;
        pieces[static_cast<std::size_t>(in - boxes.begin())].push_back(piece);
    }
    const Theme& theme = Theme::get();
    const int driven = drivenFrom();
    QPainter canvas(this);
    GaugePainter gauge(canvas, stage(), cell());
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        if (pieces[i].empty())
            continue;
        const board::Item& item = items()[i];
        std::vector<QRectF> parts;
        for (const QRectF& part : GaugePainter::movingOf(boxes[i], item.shown, cell()))
            parts.emplace_back(part.toAlignedRect() & insideOf(boxes[i]));
        const bool moving = std::all_of(pieces[i].begin(), pieces[i].end(), [&](const QRect& piece) {
            return std::any_of(parts.begin(), parts.end(), [&](const QRectF& part) { return part.contains(piece); });
        });
        if (!moving)
            parts = {insideOf(boxes[i])};
        for (const QRectF& part : parts) {
            canvas.setClipRect(part);
            canvas.fillRect(part, item.at.row >= driven ? theme.surface : theme.ground);
            gauge.paintPart(boxes[i], item, reader_.of(i), focused_ == i && hasFocus(), part);
        }
    }
    return true;
}

void BoardView::paintEvent(QPaintEvent* event)
{
    QElapsedTimer took;
    took.start();
    if (reader_.size() != items().size())
        reader_.refresh(items());
    if (!editing_ && paintParts(event->region())) {
        paintedIn_ = took.nsecsElapsed();
        return;
    }
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(event->rect(), theme.ground);
    if (items().empty() && !editing_) {
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        painter.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap,
            stage().boards().find(name_) == nullptr && !name_.isEmpty()
                ? tr("There is no board \"%1\". Press \"edited\" to make it, or make one of a node from its menu in the tree.").arg(name_)
                : tr("Nothing is on this board yet. Press \"edited\", then drag signals of the tree here."));
        paintedIn_ = took.nsecsElapsed();
        return;
    }
    const int driven = drivenFrom();
    const bool band = driven < board::gridSize;
    if (band && !editing_) {
        const double y = boxOf({0, driven, 1, 1}).top();
        painter.fillRect(QRectF(0, y, width(), height() - y), theme.surface);
        painter.setPen(QPen(theme.hairline, 1.5));
        painter.drawLine(QPointF(0, y), QPointF(width(), y));
    }
    if (editing_)
        paintEditing(painter);
    const double size = cell();
    GaugePainter gauge(painter, stage(), size);
    for (std::size_t i = 0; i < items().size(); ++i) {
        const board::Item& item = items()[i];
        const bool moved = editing_ && chosen_ == i && dropping_;
        const QRectF box = boxOf(moved ? *dropping_ : item.at);
        if (!event->region().intersects(box.adjusted(-1, -1, 1, 1).toAlignedRect()))
            continue;
        gauge.paint(box, item, reader_.of(i), !editing_ && focused_ == i && hasFocus());
        // Hairlines hold it together: between neighbours, no frames.
        if (!editing_) {
            painter.setPen(theme.hairline);
            if (item.at.column + item.at.wide < board::gridSize
                && !(band && board::isControl(item.shown) && item.at.column + item.at.wide >= board::gridSize))
                painter.drawLine(QPointF(box.right(), box.top() + size * 0.3), QPointF(box.right(), box.bottom() - size * 0.3));
            if (item.at.row + item.at.high < board::gridSize && item.at.row + item.at.high != driven)
                painter.drawLine(QPointF(box.left() + size * 0.3, box.bottom()), QPointF(box.right() - size * 0.3, box.bottom()));
        }
    }
    if (editing_ && chosen_ && *chosen_ < items().size()) {
        const board::Cells at = dropping_ ? *dropping_ : items()[*chosen_].at;
        const QRectF box = boxOf(at);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(theme.accent, 1.6));
        painter.drawRect(box);
        if (wanted_ && dropping_ && *wanted_ != *dropping_) {  // where the pointer is, which is not free
            painter.setPen(QPen(theme.error, 1.2, Qt::DashLine));
            painter.drawRect(boxOf(*wanted_));
        }
        for (std::size_t k = 0; k < 8; ++k) {
            const QPointF point = handleOf(k);
            painter.fillRect(QRectF(point.x() - 3, point.y() - 3, 7, 7), theme.surface);
            painter.setPen(QPen(theme.accent, 1.2));
            painter.drawRect(QRectF(point.x() - 3, point.y() - 3, 7, 7));
        }
        const QString words = tr("%1 x %2 cells").arg(at.wide).arg(at.high);
        const double wide = QFontMetricsF(theme.bodyStrong()).horizontalAdvance(words) + 12;
        const double x = box.left() - wide - 8 > 4 ? box.left() - wide - 8 : std::min(box.right() + 8, width() - wide - 4);
        const QRectF chip(x, std::min(box.bottom() + 2, grid().bottom() - theme.px(20)), wide, theme.px(18));
        painter.fillRect(chip, theme.accent);
        paintText(painter, chip, words, theme.bodyStrong(), theme.surface, Qt::AlignCenter);
        // Edges that align.
        painter.setPen(QPen(theme.accent, 1, Qt::DotLine));
        for (std::size_t i = 0; i < items().size() && dropping_; ++i) {
            if (i == *chosen_)
                continue;
            const board::Cells& other = items()[i].at;
            for (const int edge : {at.column, at.column + at.wide})
                if (edge == other.column || edge == other.column + other.wide) {
                    const double guide = boxOf({edge, 0, 1, 1}).left();
                    painter.drawLine(QPointF(guide, grid().top()), QPointF(guide, grid().bottom()));
                }
        }
    }
    paintedIn_ = took.nsecsElapsed();
}

void BoardView::paintEditing(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const QRectF all = grid();
    painter.fillRect(all, theme.surface);
    painter.setPen(theme.ink3);
    for (int row = 0; row <= board::gridSize; ++row)
        for (int column = 0; column <= board::gridSize; ++column)
            painter.drawPoint(
                QPointF(all.left() + all.width() * column / board::gridSize, all.top() + all.height() * row / board::gridSize));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme.accent, 1.4, Qt::DashLine));
    painter.drawRect(all);
    for (std::size_t i = 0; i < items().size(); ++i) {
        painter.setPen(QPen(theme.hairline, 1));
        painter.drawRect(boxOf(chosen_ == i && dropping_ ? *dropping_ : items()[i].at).adjusted(2, 2, -2, -2));
    }
    // The head line is tinted: it cannot be taken for the board in use.
    painter.fillRect(QRectF(0, 0, width(), theme.px(4)), theme.accent);
    paintTray(painter);
}

void BoardView::paintTray(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const double top = grid().bottom() + theme.px(6);
    painter.fillRect(QRectF(0, top, width(), height() - top), theme.ground);
    const double wide = QFontMetricsF(theme.bodyStrong()).horizontalAdvance(tr("Put onto the grid")) + theme.px(10);
    paintText(painter, QRectF(theme.px(12), top, wide, theme.px(18)), tr("Put onto the grid"), theme.bodyStrong(), theme.ink);
    paintText(painter, QRectF(theme.px(12) + wide, top, width() - wide - theme.px(20), theme.px(18)),
        tr("click one of these, or drop a signal: it comes as what fits it"), theme.body(), theme.ink2);
    for (const TrayLine& line : tray()) {
        const QRectF first = trayOf(line.kinds.front());
        paintText(painter, QRectF(theme.px(12), first.top(), theme.px(74), theme.px(20)), tr(line.name), theme.bodyStrong(), theme.ink);
        painter.setPen(theme.grid);
        painter.drawLine(QPointF(theme.px(12), first.top() - 2), QPointF(width() - theme.px(12), first.top() - 2));
        for (const Shown shown : line.kinds) {
            const QRectF box = trayOf(shown);
            paintKind(painter, shown,
                QRectF(
                    box.left(), box.top() + 1, theme.px(64), std::max(12.0, std::min<double>(theme.px(18), box.height() - theme.px(15)))));
            paintText(painter, QRectF(box.left(), box.bottom() - theme.px(14), box.width(), theme.px(14)), kindName(shown), theme.small(),
                theme.ink2);
        }
    }
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
    for (const TrayLine& line : tray())
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

void BoardView::pressControl(std::size_t item, const QPointF& point)
{
    focused_ = item;
    update();
    const BoardReading& reading = reader_.of(item);
    if (reading.inert || !reading.problem.isEmpty()) {
        Q_EMIT stage().told(reading.problem.isEmpty() ? reading.controlWords : reading.problem);
        return;
    }
    const board::Item& what = items()[item];
    const QRectF box = boxOf(what.at);
    switch (what.shown) {
    case Shown::slider:
    case Shown::turn: held_ = item; return dragControl(item, point, false);
    case Shown::button:
    case Shown::key:
        held_ = item;
        heldByKey_ = false;
        reader_.pressed[item] = true;
        stage().boards().press(what, true);
        return refresh();
    case Shown::toggle:
    case Shown::choice: {
        const auto parts = GaugePainter::partsOf(box, cell(), reading.choices.size());
        for (std::size_t i = 0; i < parts.size(); ++i)
            if (parts[i].contains(point))
                return drive(item, reading.choices[i].second);
        return;
    }
    case Shown::entry: return actuate(item);
    default: return;
    }
}

void BoardView::dragControl(std::size_t item, const QPointF& point, bool end)
{
    const board::Item& what = items()[item];
    if (what.shown != Shown::slider && what.shown != Shown::turn)
        return;
    const BoardReading& reading = reader_.of(item);
    double part = 0;
    if (what.shown == Shown::slider) {
        const QRectF track = GaugePainter::trackOf(boxOf(what.at), cell());
        part = (point.x() - track.left()) / std::max(1.0, track.width());
    } else {
        const GaugePainter::Dial dial = GaugePainter::dialOf(boxOf(what.at), cell());
        const QPointF from = point - dial.centre;
        part = (std::atan2(from.x(), -from.y()) * 180 / M_PI + 60) / 120;
    }
    double value = reading.from + std::clamp(part, 0.0, 1.0) * (reading.to - reading.from);
    const double fine = what.of.kind == board::Binding::Kind::variable ? (reading.to - reading.from) / 200 : 0;
    if (fine > 0)
        value = std::round(value / fine) * fine;
    reader_.dragged[item] = value;
    if (end) {
        reader_.dragged.erase(item);
        drive(item, value);
    } else if (what.of.kind == board::Binding::Kind::variable) {
        stage().boards().setVariable(text(what.of.name), value);
    } else if (const auto place = stage().outbox().placeNamed(text(what.of.name))) {
        const auto* message = rig::messageOfRow(stage().catalog(), stage().outbox().row(*place).bus, stage().outbox().row(*place).message);
        const database::Signal* signal = message == nullptr ? nullptr : message->message->find(what.of.value);
        if (signal != nullptr) {
            const auto at = static_cast<std::uint32_t>(signal - message->message->signals.data());
            bool fits = true;
            stage().outbox().tryBits(
                stage().outbox().numberOf(*place), at, database::MessagePlan::bitsOf(message->plan.plan(at), value, fits));
        }
    }
    refresh();
}

void BoardView::drive(std::size_t item, double value)
{
    const board::Item what = items()[item];
    if (what.of.kind == board::Binding::Kind::variable) {
        stage().boards().setVariable(text(what.of.name), value);
    } else {
        board::Item sets = what;
        sets.sets = value;
        stage().boards().press(sets, true);
    }
    refresh();
}

void BoardView::stepControl(std::size_t item, double steps)
{
    const BoardReading& reading = reader_.of(item);
    const board::Item& what = items()[item];
    if (reading.inert || !reading.problem.isEmpty())
        return;
    if (what.shown == Shown::toggle || what.shown == Shown::choice) {
        for (std::size_t i = 0; i < reading.choices.size(); ++i)
            if (reading.asked && reading.choices[i].second == *reading.asked) {
                const auto next = static_cast<std::size_t>(
                    std::clamp<long>(static_cast<long>(i) + (steps > 0 ? 1 : -1), 0, static_cast<long>(reading.choices.size()) - 1));
                return drive(item, reading.choices[next].second);
            }
        return;
    }
    if (what.shown == Shown::slider || what.shown == Shown::turn || what.shown == Shown::entry)
        drive(item, std::clamp(reading.asked.value_or(reading.from) + steps * reading.step, reading.from, reading.to));
}

// Whatever is held down is let go.
void BoardView::release()
{
    if (!held_)
        return;
    const std::size_t item = *std::exchange(held_, std::nullopt);
    if (item < items().size() && reader_.pressed.contains(item))
        stage().boards().press(items()[item], false);
    reader_.pressed.erase(item);
    reader_.dragged.erase(item);
    refresh();
}

// Enter on a control.
void BoardView::actuate(std::size_t item)
{
    const BoardReading& reading = reader_.of(item);
    const board::Item what = items()[item];
    if (reading.inert || !reading.problem.isEmpty()) {
        Q_EMIT stage().told(reading.problem.isEmpty() ? reading.controlWords : reading.problem);
        return;
    }
    if (what.shown == Shown::toggle) {
        if (reading.choices.size() == 2)
            drive(item, reading.asked == reading.choices[1].second ? reading.choices[0].second : reading.choices[1].second);
        return;
    }
    if (what.shown != Shown::entry && what.shown != Shown::slider && what.shown != Shown::turn)
        return;
    const QRectF box = GaugePainter::buttonOf(boxOf(what.at), cell());
    field_->open(box.toRect(), 80, reading.askedText, {}, [this, item, what](const QString& words) -> Expected<void> {
        if (what.of.kind == board::Binding::Kind::row) {
            const auto place = stage().outbox().placeNamed(text(what.of.name));
            return place ? stage().outbox().setValue(*place, text(what.of.value), words) : Expected<void>(fail("the row is gone"));
        }
        bool good = false;
        const double value = words.trimmed().toDouble(&good);
        const BoardReading& now = reader_.of(item);
        if (!good || !std::isfinite(value))
            return fail("'" + words.toStdString() + "' is no number");
        if (value < now.from || value > now.to)
            return fail("it goes from " + database::numberText(now.from, 6) + " to " + database::numberText(now.to, 6));
        drive(item, value);
        return {};
    });
}

void BoardView::focusNext(bool back)
{
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < items().size(); ++i)
        if (board::isControl(items()[i].shown))
            order.push_back(i);
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return std::pair(items()[a].at.row, items()[a].at.column) < std::pair(items()[b].at.row, items()[b].at.column);
    });
    if (order.empty())
        return;
    const auto now = focused_ ? std::find(order.begin(), order.end(), *focused_) : order.end();
    const auto at = now == order.end() ? (back ? order.size() - 1 : 0)
                                       : (static_cast<std::size_t>(now - order.begin()) + (back ? order.size() - 1 : 1)) % order.size();
    release();
    focused_ = order[at];
    setAccessibleDescription(reader_.of(*focused_).label + QLatin1Char(' ') + reader_.of(*focused_).askedText + QLatin1Char(' ')
                             + reader_.of(*focused_).controlWords);
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
        for (const TrayLine& line : tray())
            for (const Shown kind : line.kinds)
                if (suits(items()[*chosen_], kind))
                    as->addAction(board::isControl(kind) ? tr("%1 (drives)").arg(kindName(kind)) : kindName(kind), this,
                        [this, kind] { shown(kind); });
        menu->addAction(tr("Duplicate"), this, [this] { duplicate(); })->setShortcut(QKeySequence(Qt::CTRL | Qt::Key_D));
        menu->addAction(tr("Take off the board"), this, [this] { removeChosen(); })->setShortcut(Qt::Key_Delete);
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
