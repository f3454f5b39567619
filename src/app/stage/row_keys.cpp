// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/row_keys.h"

#include <QKeyEvent>
#include <QKeySequence>

#include <algorithm>

#include "app/stage/board_desk.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

namespace {

// What the window and its views go by, wherever the focus is.
const QStringList& ownKeys()
{
    static const QStringList keys = {QStringLiteral("F1"), QStringLiteral("F2"), QStringLiteral("F3"), QStringLiteral("F4"),
        QStringLiteral("F5"), QStringLiteral("F6"), QStringLiteral("F7"), QStringLiteral("F8"), QStringLiteral("A"), QStringLiteral("B"),
        QStringLiteral("C"), QStringLiteral("F"), QStringLiteral("G"), QStringLiteral("L"), QStringLiteral("N"), QStringLiteral("P"),
        QStringLiteral("R"), QStringLiteral("S"), QStringLiteral("V"), QStringLiteral("W"), QStringLiteral("Y"), QStringLiteral("0"),
        QStringLiteral("1"), QStringLiteral("2"), QStringLiteral("3")};
    return keys;
}

bool isRowKey(const QString& name)
{
    if (name.size() == 1)
        return name[0].isLetterOrNumber() && name[0].unicode() < 128;
    bool good = false;
    const int number = name.mid(1).toInt(&good);
    return name.startsWith(QLatin1Char('F')) && good && number >= 1 && number <= 12;
}

bool taken(const Stage& stage, const QString& name, std::optional<OutboxDesk::Place> but, const std::pair<QString, std::size_t>& butItem,
    std::string& by)
{
    if (ownKeys().contains(name)) {
        by = "the window itself";
        return true;
    }
    Stage& all = const_cast<Stage&>(stage);
    for (const rig::EventSpec& spec : all.document().rig().events)
        if (spec.kind == rules::ConditionKind::key && QKeySequence(QString::fromStdString(spec.word)) == QKeySequence(name)) {
            by = "the condition " + spec.name;
            return true;
        }
    const auto& groups = all.outbox().groups();
    for (std::size_t g = 0; g < groups.size(); ++g)
        for (std::size_t r = 0; r < groups[g].rows.size(); ++r)
            if (groups[g].rows[r].key == name.toStdString() && but != OutboxDesk::Place{g, r}) {
                by = "another row of the outbox, in " + groups[g].name;
                return true;
            }
    for (const board::Board& one : all.boards().all())
        for (std::size_t i = 0; i < one.items.size(); ++i)
            if (one.items[i].press == name.toStdString() && butItem != std::pair(QString::fromStdString(one.name), i)) {
                by = "a control of the board " + one.name;
                return true;
            }
    return false;
}

}  // namespace

QString rowKeyName(const QString& typed)
{
    const QString name = typed.trimmed().toUpper();
    return isRowKey(name) ? name : QString();
}

QString rowKeyOf(const QKeyEvent& event)
{
    if ((event.modifiers() & (Qt::ControlModifier | Qt::AltModifier | Qt::MetaModifier)) != 0)
        return {};
    return rowKeyName(QKeySequence(event.key()).toString());
}

Expected<void> checkRowKey(const Stage& stage, const QString& typed, OutboxDesk::Place place, const std::pair<QString, std::size_t>& item)
{
    const QString name = rowKeyName(typed);
    if (name.isEmpty())
        return fail("'" + typed.toStdString() + "' is no key for a row", {}, "A letter, a digit, or F9 to F12");
    std::string by;
    if (taken(stage, name, place, item, by))
        return fail("the key " + name.toStdString() + " belongs to " + by, {}, "Another one, such as " + freeRowKey(stage).toStdString());
    return {};
}

QString freeRowKey(const Stage& stage)
{
    std::string by;
    for (const char* key : {"F9", "F10", "F11", "F12", "Q", "E", "T", "U", "I", "O", "D", "H", "J", "K", "Z", "X", "M"})
        if (!taken(stage, QLatin1String(key), {}, {QString(), ~std::size_t{0}}, by))
            return QLatin1String(key);
    return {};
}

}  // namespace wavetrope::app
