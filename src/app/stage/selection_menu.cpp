// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/selection_menu.h"

#include <QApplication>
#include <QClipboard>

#include <algorithm>

#include "app/parts/text.h"
#include "app/stage/board_desk.h"
#include "app/stage/derive_desk.h"
#include "app/stage/manipulation_desk.h"
#include "app/stage/narrowing.h"
#include "app/stage/outbox_desk.h"

namespace wavetrope::app {

void addSelectionActions(QMenu& menu, Stage& stage, const Selection& selection)
{
    const auto add = [&](const char* objectName, const QString& words, auto act) {
        menu.addAction(words, &stage, act)->setObjectName(QLatin1String(objectName));
    };
    const auto copy = [&](const QString& name) {
        add("copyName", QObject::tr("Copy the name %1").arg(name), [name] { QApplication::clipboard()->setText(name); });
    };
    if (selection.kind == Selection::Kind::node) {
        const QString filter = QStringLiteral("from ") + text(quotedName(selection.node.toStdString()));
        add("showOnly", QObject::tr("Show only what %1 sends").arg(selection.node),
            [&stage, filter] { Q_EMIT stage.filterWanted(filter); });
        add("boardForNode", QObject::tr("Board for this node"),
            [&stage, node = selection.node] { stage.boards().show(board::boardForNode(stage.catalog(), node.toStdString())); });
        for (const auto& [name, file] : BoardDesk::patterns())
            add("boardByPattern", QObject::tr("Board by the pattern %1").arg(name),
                [&stage, path = file, node = selection.node] { stage.boards().showPattern(path, node); });
        add("sendNode", QObject::tr("Put all that %1 sends into the outbox").arg(selection.node),
            [&stage, node = selection.node] { stage.outbox().addNode(node); });
        copy(selection.node);
        return;
    }
    const auto derive = [&](const QString& path) {
        add("deriveOfMenu", QObject::tr("Derive a signal from it..."), [&stage, path] { stage.derive().add(path); });
    };
    if (selection.kind == Selection::Kind::derived) {
        const QString path = QLatin1Char(':') + selection.node;
        add("plotSignalOfMenu", QObject::tr("Draw it in the lanes"), [&stage, path] { Q_EMIT stage.plotWanted(path); });
        derive(path);
        add("removeDerived", QObject::tr("Take it out of the rig"), [&stage, name = selection.node] { stage.derive().remove(name); });
        menu.addSeparator();
        copy(selection.node);
        return;
    }
    if (selection.kind != Selection::Kind::message && selection.kind != Selection::Kind::signal)
        return;
    const auto* entry = stage.catalog().find(selection.bus, selection.id);
    const bool signal = selection.kind == Selection::Kind::signal && entry != nullptr && selection.signal >= 0
                        && static_cast<std::size_t>(selection.signal) < entry->message->signals.size();
    if (signal) {
        const QString path = signalPath(stage.catalog(), {entry, static_cast<std::uint32_t>(selection.signal)});
        add("plotSignalOfMenu", QObject::tr("Draw it in the lanes"), [&stage, path] { Q_EMIT stage.plotWanted(path); });
        derive(path);
    }
    const QString filter =
        QStringLiteral("id %1 and bus \"%2\"").arg(text(can::toText(selection.id)), text(stage.catalog().busName(selection.bus)));
    add("showOnly", QObject::tr("Show only this message in the stream"), [&stage, filter] { Q_EMIT stage.filterWanted(filter); });
    if (entry != nullptr && !entry->message->signals.empty())
        add("boardForMessage", QObject::tr("Board for this message"), [&stage, entry] {
            std::vector<database::SignalRef> all;
            for (std::uint32_t i = 0; i < entry->message->signals.size(); ++i)
                all.push_back({entry, i});
            stage.boards().show(board::boardOf(stage.catalog(), entry->message->name, all));
        });
    add("sendMessage", QObject::tr("Put it into the outbox, as it came"),
        [&stage, selection] { stage.outbox().addSeen(selection.bus, selection.id); });
    add("openDefinitionOfMenu", entry == nullptr ? QObject::tr("Define it here...") : QObject::tr("Open its definition..."),
        [&stage, selection] { Q_EMIT stage.definitionWanted(selection.bus, selection.id.key()); });
    // What a node sends that is simulated here may be changed on purpose.
    if (const QString beginning = stage.manipulations().beginningFor(selection.bus, selection.id); !beginning.isEmpty()) {
        const auto change = [&](const char* objectName, const QString& words, const QString& line) {
            add(objectName, words, [&stage, line] {
                if (const auto done = stage.manipulations().add(line); !done)
                    Q_EMIT stage.told(text(done.error().what));
                else
                    Q_EMIT stage.told(QObject::tr("%1: lifted where manipulations are listed").arg(line));
            });
        };
        menu.addSeparator();
        if (signal) {
            const std::string& name = entry->message->signals[static_cast<std::size_t>(selection.signal)].name;
            const QString place = beginning + '.' + text(name);
            change("holdSignal", QObject::tr("Hold it as it is"), place + QStringLiteral(" stuck"));
            add("changeSignal", QObject::tr("Change it on purpose..."),
                [&stage, place] { Q_EMIT stage.manipulationWanted(place + QStringLiteral(" = ")); });
        } else {
            change("leaveOut", QObject::tr("Leave it out on purpose"), beginning + QStringLiteral(" off"));
            add("changeMessage", QObject::tr("Change it on purpose..."),
                [&stage, beginning] { Q_EMIT stage.manipulationWanted(beginning + ' '); });
        }
    }
    menu.addSeparator();
    copy(entry == nullptr ? text(can::toText(selection.id))
         : signal         ? text(entry->message->name + "." + entry->message->signals[static_cast<std::size_t>(selection.signal)].name)
                          : text(entry->message->name));
}

}  // namespace wavetrope::app
