// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/manipulation/manipulation_view.h"

#include <QCompleter>
#include <QCoreApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QScrollBar>
#include <QStringListModel>
#include <QWheelEvent>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/in_place.h"
#include "app/theme/theme.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

constexpr double leverRow = 26, leverAt = 12, leverBadgeAt = 34, leverNameAt = 56, leverNameWide = 124, leverNodeWide = 94,
                 leverControlWide = 62, leverLineTall = 30;

}  // namespace

ManipulationView::ManipulationView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      facts_(new ElidedLabel(tools_)),
      liftAll_(new QPushButton(tr("Lift all"), tools_)),
      line_(new QLineEdit(this)),
      name_(new InPlaceField(this)),
      bar_(new QScrollBar(Qt::Vertical, this))
{
    setObjectName(QStringLiteral("manipulations"));
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("What is done on purpose to what nodes send"));
    auto* row = new QHBoxLayout(tools_);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(facts_, 1);
    row->addWidget(liftAll_);
    liftAll_->setObjectName(QStringLiteral("liftAll"));
    liftAll_->setToolTip(tr("All nodes send again as they would by themselves"));
    Theme::writeInBody(facts_);
    line_->setObjectName(QStringLiteral("manipulationLine"));
    line_->setPlaceholderText(tr("dry tank: WaterUnit WaterState.TankLevel = 0 from 10s, or NODE MESSAGE off 3 times"));
    line_->setToolTip(
        tr("A name and a colon in front keep it under that name.\nNODE MESSAGE.SIGNAL = value, + 6, * 1.5, follows \"40 + 5 * sin(t)\", "
           "jumps 3, stuck, wrong\nNODE MESSAGE off, later 80ms, every 5ms, again, length 4\nthen 3 times, from 10s, to 12s, "
           "while \"condition\", in \"phase\"\nwire BUS bit, stuff, crc, form or ack, an identifier, 3 times; wire BUS error NODE, rate "
           "NODE, babble NODE, short, counters NODE 120 0; "
           "then at 14s or when \"condition\", and for 200ms  (Enter)"));
    auto* completer = new QCompleter(this);
    completer->setModel(new QStringListModel(completer));
    completer->setCaseSensitivity(Qt::CaseInsensitive);
    completer->setFilterMode(Qt::MatchContains);
    line_->setCompleter(completer);
    connect(line_, &QLineEdit::returnPressed, this, &ManipulationView::add);
    connect(line_, &QLineEdit::textEdited, this, [this] {
        problem_.clear();
        update();
    });
    connect(liftAll_, &QPushButton::clicked, this, [this] { this->stage().manipulations().liftAll(); });
    connect(&stage, &Stage::beat, this, &ManipulationView::refresh);
    connect(&stage.manipulations(), &ManipulationDesk::changed, this, &ManipulationView::refresh);
    bar_->setFocusPolicy(Qt::NoFocus);
    bar_->hide();
    connect(bar_, &QScrollBar::valueChanged, this, [this] { update(); });
}

void ManipulationView::refresh()
{
    if (!isVisible())
        return;
    rows_ = stage().manipulations().rows();
    std::size_t acts = 0, waits = 0, done = 0, lifted = 0;
    for (const ManipulationDesk::Row& row : rows_)
        ++(!row.acts || !row.running ? lifted : row.facts.done ? done : row.facts.acts ? acts : waits);
    if (stage().document().isLive())
        if (auto* model = static_cast<QStringListModel*>(line_->completer()->model()); model->rowCount() == 0)
            model->setStringList(offers());
    chosen_ = std::min(chosen_, static_cast<int>(rows_.size()) - 1);
    QStringList words;
    if (acts > 0)
        words << (acts == 1 ? tr("1 acts") : tr("%1 act").arg(acts));
    if (waits > 0)
        words << (waits == 1 ? tr("1 waits") : tr("%1 wait").arg(waits));
    if (done > 0)
        words << (done == 1 ? tr("1 is done") : tr("%1 are done").arg(done));
    if (lifted > 0)
        words << (lifted == 1 ? tr("1 is lifted") : tr("%1 are lifted").arg(lifted));
    facts_->setText(words.isEmpty() ? tr("all nodes send as they would by themselves") : words.join(QStringLiteral(", ")));
    liftAll_->setEnabled(acts + waits + done > 0);
    lay();
    update();
}

// What the line completes: nodes with their messages and signals.
QStringList ManipulationView::offers() const
{
    QStringList out;
    for (const drive::NodeSpec& node : stage().document().rig().nodes)
        for (const drive::SendSpec& send : node.sends) {
            out << QString::fromStdString(node.name + ' ' + (send.message.empty() ? send.identifier : send.message));
            for (const auto& message : stage().catalog().messages())
                if (message.message->name == send.message)
                    for (const database::Signal& signal : message.message->signals)
                        out << QString::fromStdString(node.name + ' ' + send.message + '.' + signal.name);
        }
    out.removeDuplicates();
    return out;
}

void ManipulationView::lay()
{
    const Theme& theme = Theme::get();
    const int tall = theme.px(leverLineTall);
    line_->setFont(theme.mono());
    line_->setGeometry(theme.px(12), height() - tall + theme.px(2), width() - theme.px(24), tall - theme.px(6));
    line_->setEnabled(stage().document().isLive());
    const int room = height() - tall - (problem_.isEmpty() ? 0 : theme.px(leverRow));
    const int content = static_cast<int>(rows_.size()) * theme.px(leverRow);
    bar_->setRange(0, std::max(0, content - room));
    bar_->setPageStep(std::max(1, room));
    bar_->setSingleStep(theme.px(leverRow));
    bar_->setGeometry(width() - theme.px(9), 0, theme.px(9), std::max(0, room));
    bar_->setVisible(bar_->maximum() > 0);
}

void ManipulationView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    lay();
}

void ManipulationView::wheelEvent(QWheelEvent* event)
{
    QCoreApplication::sendEvent(bar_, event);
    event->accept();
}

double ManipulationView::rowTop(std::size_t row) const { return static_cast<double>(row) * Theme::get().px(leverRow) - bar_->value(); }

QRectF ManipulationView::controlOf(std::size_t row) const
{
    const Theme& theme = Theme::get();
    return {width() - static_cast<double>(theme.px(leverControlWide + 14)), rowTop(row) + theme.px(2),
        static_cast<double>(theme.px(leverControlWide)), static_cast<double>(theme.px(leverRow - 5))};
}

int ManipulationView::indexAt(const QPointF& at) const
{
    const int index = static_cast<int>((at.y() + bar_->value()) / Theme::get().px(leverRow));
    return index < static_cast<int>(rows_.size()) && at.y() < line_->y() ? index : -1;
}

void ManipulationView::present(const Wish& wish)
{
    problem_.clear();
    line_->setText(wish.path);
    line_->setFocus();
    line_->setCursorPosition(static_cast<int>(wish.path.size()));
    refresh();
}

void ManipulationView::add()
{
    if (line_->text().trimmed().isEmpty())
        return;
    const auto done = stage().manipulations().add(line_->text());
    problem_ = done ? QString()
                    : QString::fromStdString(done.error().what + (done.error().remedy.empty() ? "" : ". " + done.error().remedy));
    if (done)
        line_->clear();
    refresh();
}

QString ManipulationView::controlText(const Row& row)
{
    return !row.acts ? tr("Apply") : row.running && row.facts.done ? tr("Again") : tr("Lift");
}

// What is lifted acts again, what is done is done again, all else is lifted.
void ManipulationView::pressControl(std::size_t row)
{
    const Row pressed = rows_[row];
    if (pressed.acts && pressed.running && pressed.facts.done)
        stage().manipulations().again(pressed);
    else
        stage().manipulations().setActs(pressed, !pressed.acts);
    refresh();
}

void ManipulationView::rename(std::size_t row)
{
    const Theme& theme = Theme::get();
    const Row named = rows_[row];
    const QRect box(theme.px(leverNameAt), static_cast<int>(rowTop(row)), theme.px(leverNameWide), theme.px(leverRow));
    name_->open(box, theme.px(180), named.name, tr("Name in the rig"), [this, named](const QString& text) -> Expected<void> {
        stage().manipulations().rename(named, text);
        refresh();
        return {};
    });
}

void ManipulationView::mouseDoubleClickEvent(QMouseEvent* event)
{
    const int index = indexAt(event->position());
    if (index >= 0 && !controlOf(static_cast<std::size_t>(index)).contains(event->position()))
        rename(static_cast<std::size_t>(index));
}

void ManipulationView::contextMenuEvent(QContextMenuEvent* event)
{
    if (event->reason() != QContextMenuEvent::Keyboard)
        chosen_ = indexAt(event->pos());
    if (chosen_ < 0)
        return;
    update();
    const auto row = static_cast<std::size_t>(chosen_);
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("manipulationMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    menu->addAction(controlText(rows_[row]) + QStringLiteral("\tEnter"), this, [this, row] { pressControl(row); });
    menu->addAction((rows_[row].kept ? tr("Name") : tr("Keep in the rig")) + QStringLiteral("\tF2"), this, [this, row] { rename(row); });
    menu->addAction(
        (rows_[row].kept ? tr("Take out of the rig") : tr("Lift")) + QStringLiteral("\tDel"), this, [this, row] { remove(row); });
    menu->popup(event->globalPos());
}

void ManipulationView::remove(std::size_t row)
{
    if (row < rows_.size())
        stage().manipulations().remove(Row(rows_[row]));
    refresh();
}

void ManipulationView::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    chosen_ = indexAt(event->position());
    if (chosen_ >= 0 && event->button() == Qt::LeftButton && controlOf(static_cast<std::size_t>(chosen_)).contains(event->position()))
        pressControl(static_cast<std::size_t>(chosen_));
    update();
}

void ManipulationView::keyPressEvent(QKeyEvent* event)
{
    if (rows_.empty()) {
        View::keyPressEvent(event);
    } else if (event->key() == Qt::Key_F2 && chosen_ >= 0) {
        rename(static_cast<std::size_t>(chosen_));
    } else if (event->key() == Qt::Key_Down || event->key() == Qt::Key_Up) {
        chosen_ = std::clamp(chosen_ + (event->key() == Qt::Key_Down ? 1 : -1), 0, static_cast<int>(rows_.size()) - 1);
        update();
    } else if (event->key() == Qt::Key_Delete && chosen_ >= 0) {
        remove(static_cast<std::size_t>(chosen_));
    } else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && chosen_ >= 0) {
        pressControl(static_cast<std::size_t>(chosen_));
    } else {
        View::keyPressEvent(event);
    }
}

int ManipulationView::busOf(const QString& node) const
{
    if (const int bus = stage().catalog().findBus(node.toStdString()); bus >= 0)
        return bus;
    for (const drive::NodeSpec& spec : stage().document().rig().nodes)
        if (QString::fromStdString(spec.name) == node && !spec.buses.empty())
            return stage().catalog().findBus(spec.buses.front());
    return -1;
}

void ManipulationView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    if (rows_.empty()) {
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        painter.drawText(QRectF(20, 0, width() - 40, line_->y()), Qt::AlignCenter | Qt::TextWordWrap,
            stage().document().isLive() ? tr("Nothing is changed on purpose. Type below what a node shall send otherwise: a signal held at "
                                             "a value, a message that is left out.")
                                        : tr("A log is as it was recorded. Nodes are changed on purpose while a rig runs."));
    }
    painter.save();
    painter.setClipRect(QRectF(0, 0, width(), line_->y() - theme.px(2)));
    const double nodeAt = theme.px(leverNameAt)
                          + (std::any_of(rows_.begin(), rows_.end(), [](const Row& row) { return !row.name.isEmpty(); })
                                  ? theme.px(leverNameWide)
                                  : 0);
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        const Row& row = rows_[i];
        const double y = rowTop(i), tall = theme.px(leverRow);
        if (static_cast<int>(i) == chosen_)
            painter.fillRect(QRectF(2, y, width() - 4, tall), theme.accentSoft);
        const bool acts = row.acts && row.running && row.facts.acts && !row.facts.done;
        if (row.acts)
            paintLever(painter, QPointF(theme.px(leverAt + 6), y + tall / 2), acts ? theme.accent : theme.ink3);
        if (const int bus = busOf(row.node); bus >= 0)
            paintBusBadge(painter, QRectF(theme.px(leverBadgeAt), y + (tall - theme.px(14)) / 2, theme.px(14), theme.px(14)),
                stage().mark(static_cast<unsigned>(bus)));
        const QColor& ink = row.acts ? theme.ink : theme.ink2;
        if (nodeAt > theme.px(leverNameAt))
            paintText(
                painter, QRectF(theme.px(leverNameAt), y, nodeAt - theme.px(leverNameAt) - 8, tall), row.name, theme.bodyStrong(), ink);
        paintText(painter, QRectF(nodeAt, y, theme.px(leverNodeWide) - 6, tall), row.node, theme.body(), ink);
        const QRectF control = controlOf(i);
        const double countsAt = control.left() - theme.px(210), wordsAt = nodeAt + theme.px(leverNodeWide);
        // What it does, without the node that stands in front.
        QString words = row.wire ? row.text.section(' ', 1) : row.text;
        for (const QString& front : {row.node, '"' + row.node + '"'})
            if (words.startsWith(front))
                words = words.mid(front.size()).trimmed();
        paintText(painter, QRectF(wordsAt, y, countsAt - wordsAt - 8, tall), words, acts ? theme.bodyStrong() : theme.body(),
            acts ? theme.ink : theme.ink2);
        const QString since = !row.acts        ? tr("lifted")
                              : !row.running   ? (stage().document().isLive() ? tr("cannot act") : tr("in a run"))
                              : row.facts.done ? tr("done")
                              : acts           ? tr("since %1").arg(stage().seconds(row.facts.since), 0, 'f', 2)
                                               : tr("waits");
        paintText(painter, QRectF(countsAt, y, theme.px(90), tall), since, theme.body(), theme.ink2);
        if (row.running)
            paintText(painter, QRectF(countsAt + theme.px(90), y, theme.px(114), tall),
                (row.wire                    ? row.facts.changed == 1 ? tr("harmed 1 frame") : tr("harmed %1 frames")
                                       : row.facts.changed == 1 ? tr("changed 1 frame")
                                             : tr("changed %1 frames"))
                    .replace(QStringLiteral("%1"), countText(row.facts.changed)),
                theme.body(), theme.ink2);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(theme.hairline, 1));
        painter.setBrush(theme.raised);
        painter.drawRoundedRect(control.adjusted(0.5, 0.5, -0.5, -0.5), theme.px(4), theme.px(4));
        painter.setRenderHint(QPainter::Antialiasing, false);
        paintText(painter, control, controlText(row), theme.body(), theme.ink, Qt::AlignCenter);
        painter.setPen(theme.grid);
        painter.drawLine(theme.px(8), static_cast<int>(y + tall) - 1, width(), static_cast<int>(y + tall) - 1);
    }
    painter.restore();
    if (!problem_.isEmpty()) {
        const QRectF box(theme.px(12), line_->y() - theme.px(leverRow), width() - theme.px(24), theme.px(leverRow - 4));
        painter.fillRect(box, theme.surface);
        paintText(painter, box, problem_, theme.bodyStrong(), theme.error);
    }
}

}  // namespace wavetrope::app
