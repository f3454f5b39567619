// SPDX-License-Identifier: GPL-3.0-or-later
#include <QContextMenuEvent>
#include <QMenu>
#include <QPainter>

#include "app/database/database_view.h"
#include "app/paint/paint.h"
#include "app/stage/selection_menu.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t mostFound = 2000;  // rows that a search shows; who looks for more types another letter

}  // namespace

MessageRows::MessageRows(Desk& desk, Stage& stage) : desk_(desk), stage_(stage)
{
    setObjectName(QStringLiteral("databaseRows"));
    setAccessibleName(tr("Messages of the database"));
    connect(&desk_, &Desk::edited, this, &MessageRows::rebuild);
    connect(&desk_, &Desk::chosen, this, [this] {
        refresh();
        if (const std::int64_t at = current(); at >= 0)
            bring(static_cast<std::uint64_t>(at));
    });
}

void MessageRows::rebuild()
{
    index_ = desk_.any() ? database::SearchIndex(desk_.database()) : database::SearchIndex();
    find(wanted_);
}

void MessageRows::find(const QString& text)
{
    wanted_ = text.trimmed();
    rows_.clear();
    if (!desk_.any())
        return refresh();
    const database::Database& db = desk_.database();
    if (!wanted_.isEmpty()) {
        for (const database::SearchHit& hit : index_.find(wanted_.toStdString(), mostFound)) {
            const database::Message& message = db.messages[hit.message];
            if (hit.signal < 0) {
                rows_.push_back({message.uid, 0, message.name, can::toText(message.id)});
            } else {
                const database::Signal& signal = message.signals[static_cast<std::size_t>(hit.signal)];
                rows_.push_back({message.uid, signal.uid, signal.name, message.name});
            }
        }
        return refresh();
    }
    // By sender: the nodes in their order, then what nobody sends.
    std::map<std::string_view, std::vector<const database::Message*>> bySender;
    for (const database::Message& message : db.messages)
        bySender[message.sender].push_back(&message);
    const auto group = [&](const std::string& sender, const std::string& title) {
        const auto found = bySender.find(sender);
        if (found == bySender.end())
            return;
        rows_.push_back({0, 0, title, std::to_string(found->second.size())});
        for (const database::Message* message : found->second)
            rows_.push_back({message->uid, 0, message->name, can::toText(message->id)});
        bySender.erase(found);
    };
    for (const database::Node& node : db.nodes)
        group(node.name, node.name);
    while (!bySender.empty()) {
        const std::string sender(bySender.begin()->first);
        group(sender, sender.empty() ? "no sender" : sender);
    }
    refresh();
}

std::int64_t MessageRows::current() const
{
    const database::Message* message = desk_.message();
    if (message == nullptr)
        return -1;
    const database::Signal* signal = desk_.signal();
    std::int64_t found = -1;
    for (std::size_t i = 0; i < rows_.size(); ++i)
        if (rows_[i].message == message->uid) {
            if (signal != nullptr && rows_[i].signal == signal->uid)
                return static_cast<std::int64_t>(i);
            if (rows_[i].signal == 0)
                found = static_cast<std::int64_t>(i);
        }
    return found;
}

void MessageRows::choose(std::uint64_t index)
{
    const Row& row = rows_[index];
    Selection selection;
    if (row.message == 0) {
        selection.kind = Selection::Kind::node;
        selection.node = QString::fromStdString(row.text);
        stage_.select(selection);
        return;
    }
    desk_.choose(row.message, row.signal);
    Q_EMIT messageChosen();
}

// What can be done with a message elsewhere, on the bus that the database explains.
void MessageRows::contextMenuEvent(QContextMenuEvent* event)
{
    const std::int64_t index = event->reason() == QContextMenuEvent::Keyboard ? current() : rowAt(event->pos());
    if (index < 0 || static_cast<std::uint64_t>(index) >= count())
        return;
    const Row& row = rows_[static_cast<std::size_t>(index)];
    choose(static_cast<std::uint64_t>(index));
    Selection selection;
    if (row.message == 0) {
        selection.kind = Selection::Kind::node;
        selection.node = QString::fromStdString(row.text);
    } else if (const int bus = desk_.bus(); bus >= 0 && desk_.message() != nullptr) {
        desk_.publish();
        selection.bus = static_cast<std::uint8_t>(bus);
        selection.id = desk_.message()->id;
        selection.kind = desk_.signal() != nullptr ? Selection::Kind::signal : Selection::Kind::message;
        if (desk_.signal() != nullptr)
            selection.signal = static_cast<int>(desk_.signal() - desk_.message()->signals.data());
    }
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("messageMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    addSelectionActions(*menu, stage_, selection);
    if (auto* here = menu->findChild<QAction*>(QStringLiteral("openDefinitionOfMenu")))
        menu->removeAction(here);       // it is open
    if (menu->isEmpty())
        delete menu;
    else
        menu->popup(event->globalPos());
}

QString MessageRows::rowText(std::uint64_t index) const
{
    return QString::fromStdString(rows_[index].text) + QLatin1Char('\t') + QString::fromStdString(rows_[index].side);
}

QString MessageRows::emptyText() const
{
    if (!desk_.any())
        return tr("No bus has a database.");
    return wanted_.isEmpty() ? tr("No message yet.") : tr("Nothing is called so.");
}

void MessageRows::paintRow(QPainter& painter, int y, std::uint64_t index)
{
    const Theme& theme = Theme::get();
    const Row& row = rows_[index];
    const int width = viewport()->width();
    const bool heading = row.message == 0;
    if (static_cast<std::int64_t>(index) == current())
        painter.fillRect(QRectF(2, y, width - 4, pitch()), theme.accentSoft);
    const bool identifier = !heading && row.signal == 0;
    // In a narrow list the names come first: what stands beside them is told by the fields.
    const QString beside = heading || width >= theme.px(150) ? QString::fromStdString(row.side) : QString();
    const double side = QFontMetricsF(identifier ? theme.mono() : theme.small()).horizontalAdvance(beside) + theme.px(4);
    const double left = theme.px(heading ? 10 : row.signal != 0 ? 30 : 20);
    paintText(painter, QRectF(left, y, width - left - side - theme.px(12), pitch()), QString::fromStdString(row.text),
        heading ? theme.bodyStrong() : theme.body(), heading ? theme.ink2 : theme.ink);
    paintText(painter, QRectF(width - side - theme.px(8), y, side, pitch()), beside, identifier ? theme.mono() : theme.small(), theme.ink3,
        Qt::AlignRight | Qt::AlignVCenter);
}

}  // namespace wavetrope::app
