// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/board_desk.h"

#include <QDir>
#include <QFile>

#include <algorithm>

#include "app/parts/edit_times.h"
#include "app/parts/settings.h"
#include "app/parts/text.h"
#include "app/stage/curve_desk.h"
#include "app/stage/manipulation_desk.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/stage.h"
#include "drive/node.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t mostPatterns = 100;
constexpr qint64 mostPatternBytes = 1 << 20;

}  // namespace

class BoardDesk::Change : public QUndoCommand {
public:
    Change(BoardDesk& desk, std::vector<board::Board> next, const QString& what)
        : QUndoCommand(what), desk_(desk), before_(desk.all()), next_(std::move(next))
    {}
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }

private:
    BoardDesk& desk_;
    std::vector<board::Board> before_, next_;
};

BoardDesk::BoardDesk(Stage& stage) : stage_(stage) { EditTimes::follow(undo_); }

const std::vector<board::Board>& BoardDesk::all() const { return stage_.document().rig().boards; }

const board::Board* BoardDesk::find(const QString& name) const
{
    const auto found = std::find_if(all().begin(), all().end(), [&](const board::Board& one) { return text(one.name) == name; });
    return found == all().end() ? nullptr : &*found;
}

void BoardDesk::replace(const std::vector<board::Board>& boards)
{
    stage_.document().rig().setBoards(boards);
    Q_EMIT changed();
}

void BoardDesk::put(const QString& name, std::vector<board::Item> items, const QString& what)
{
    std::vector<board::Board> next = all();
    const auto found = std::find_if(next.begin(), next.end(), [&](const board::Board& one) { return text(one.name) == name; });
    if (found == next.end())
        next.push_back({name.toStdString(), std::move(items)});
    else
        found->items = std::move(items);
    if (next != all())
        undo_.push(new Change(*this, std::move(next), what));
}

std::optional<std::size_t> BoardDesk::add(const QString& name, board::Item item)
{
    const board::Board* known = find(name);
    std::vector<board::Item> items = known != nullptr ? known->items : std::vector<board::Item>();
    // Smaller where it does not fit as it would like to.
    std::optional<board::Cells> place = board::freePlace(items, item.at);
    while (!place && (item.at.wide > 2 || item.at.high > 2)) {
        item.at.wide = std::max(2, item.at.wide - 1);
        item.at.high = std::max(2, item.at.high - 1);
        place = board::freePlace(items, item.at);
    }
    if (!place) {
        Q_EMIT stage_.told(tr("There is no room on the board"));
        return std::nullopt;
    }
    item.at = *place;
    items.push_back(std::move(item));
    const std::size_t number = items.size() - 1;
    put(name, std::move(items), tr("put onto the board"));
    return number;
}

void BoardDesk::rename(const QString& name, const QString& next)
{
    std::vector<board::Board> boards = all();
    for (board::Board& one : boards)
        if (text(one.name) == name)
            one.name = next.toStdString();
    undo_.push(new Change(*this, std::move(boards), tr("name of a board")));
}

void BoardDesk::remove(const QString& name)
{
    std::vector<board::Board> boards = all();
    std::erase_if(boards, [&](const board::Board& one) { return text(one.name) == name; });
    if (boards.size() != all().size())
        undo_.push(new Change(*this, std::move(boards), tr("take a board away")));
}

QString BoardDesk::freeName(const QString& wanted) const
{
    QString name = wanted;
    for (int i = 2; find(name) != nullptr; ++i)
        name = wanted + QLatin1Char(' ') + QString::number(i);
    return name;
}

void BoardDesk::show(const board::Made& made)
{
    if (made.made.items.empty()) {
        Q_EMIT stage_.told(tr("There is nothing to put onto a board"));
        return;
    }
    const QString name = freeName(text(made.made.name));
    put(name, made.made.items, tr("a board of %1").arg(text(made.made.name)));
    Q_EMIT showWanted(name);
    QStringList missing;
    for (const std::string& one : made.missing)
        missing << text(one);
    if (made.leftOut > 0)
        Q_EMIT stage_.told(tr("%1 signals found no room on the board").arg(made.leftOut));
    else if (!missing.isEmpty())
        Q_EMIT stage_.told(tr("Left out, since it is not sent: %1").arg(missing.join(QStringLiteral(", "))));
}

std::optional<board::Item> BoardDesk::itemFor(const QString& path) const
{
    const auto source = curveOf(stage_.document().catalog(), path);
    if (!source)
        return std::nullopt;
    board::Item item;
    if (source->isDerived()) {
        item.of = {board::Binding::Kind::derived, path.mid(1).toStdString(), {}};
        item.shown = source->minimum() && source->maximum() ? board::Shown::bar : board::Shown::number;
    } else {
        item.of = {board::Binding::Kind::signal, path.toStdString(), {}};
        item.shown = board::fitting(source->ref.signal());
    }
    item.at = board::usualSize(item.shown);
    return item;
}

std::vector<std::pair<QString, QString>> BoardDesk::patterns()
{
    std::vector<std::pair<QString, QString>> out;
    for (const QString& folder : patternFolders())
        for (const QFileInfo& file : QDir(folder).entryInfoList({QStringLiteral("*.json")}, QDir::Files, QDir::Name)) {
            if (out.size() >= mostPatterns)
                return out;
            // A folder may hold other files, and large ones.
            QFile in(file.filePath());
            if (file.size() > mostPatternBytes || !in.open(QIODevice::ReadOnly))
                continue;
            if (const auto pattern = board::patternFromText(in.readAll().toStdString(), file.filePath().toStdString()))
                out.emplace_back(text(pattern->name), file.filePath());
        }
    return out;
}

void BoardDesk::showPattern(const QString& path, const QString& node)
{
    QFile in(path);
    if (!in.open(QIODevice::ReadOnly) || in.size() > mostPatternBytes) {
        Q_EMIT stage_.told(tr("%1 cannot be read").arg(path));
        return;
    }
    const auto pattern = board::patternFromText(in.readAll().toStdString(), path.toStdString());
    if (!pattern) {
        Q_EMIT stage_.told(text(pattern.error().text()));
        return;
    }
    show(board::boardByPattern(stage_.catalog(), *pattern, node.toStdString()));
}

void BoardDesk::setVariable(const QString& name, double value)
{
    const std::string node = name.section(QLatin1Char('.'), 0, 0).toStdString();
    const std::string variable = name.section(QLatin1Char('.'), 1).toStdString();
    if (rig::Session* session = stage_.document().session())
        session->post([node, variable, value](rig::Session& run) {
            for (drive::Node* one : run.all<drive::Node>())
                if (one->name() == node)
                    one->setVariable(variable, value);
        });
}

void BoardDesk::press(const board::Item& item, bool down)
{
    if (item.of.kind == board::Binding::Kind::variable)
        return setVariable(text(item.of.name), down ? item.sets : item.rests);
    if (item.of.kind == board::Binding::Kind::manipulation) {
        const bool acts = (down ? item.sets : item.rests) != 0;
        for (const ManipulationDesk::Row& row : stage_.manipulations().rows())
            if (row.kept && row.name == text(item.of.name) && row.acts != acts)
                stage_.manipulations().setActs(row, acts);
        return;
    }
    if (item.of.kind != board::Binding::Kind::row)
        return;
    OutboxDesk& outbox = stage_.outbox();
    const auto place = outbox.placeNamed(text(item.of.name));
    if (!place)
        return;
    if (item.of.value.empty()) {
        // The row itself: as its key would send it.
        const std::size_t number = outbox.numberOf(*place);
        if (down && !outbox.others(number, true).empty()) {
            Q_EMIT stage_.told(outbox.others(number).front().words);
            return;
        }
        outbox.keyOf(number, down);
        return;
    }
    const database::CatalogMessage* message = rig::messageOfRow(stage_.catalog(), outbox.row(*place).bus, outbox.row(*place).message);
    if (message == nullptr)
        return;
    for (std::uint32_t i = 0; i < message->message->signals.size(); ++i)
        if (message->message->signals[i].name == item.of.value) {
            bool fits = true;
            const auto set = outbox.setBits(
                *place, i, database::MessagePlan::bitsOf(message->plan.plan(i), down ? item.sets : item.rests, fits));
            if (!set)
                Q_EMIT stage_.told(text(set.error().text()));
        }
}

bool BoardDesk::key(const QString& key, bool down)
{
    bool found = false;
    for (const board::Board& one : all())
        for (const board::Item& item : one.items)
            if (!item.press.empty() && text(item.press) == key) {
                found = true;
                press(item, down);
            }
    return found;
}

}  // namespace wavetrope::app
