// SPDX-License-Identifier: GPL-3.0-or-later
// What the editor's menu does: files, the question about a file that changed on disk, copy and paste.
#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>

#include <nlohmann/json.hpp>

#include "app/database/database_view.h"
#include "app/database/network_dialog.h"
#include "app/parts/text.h"
#include "database/database_json.h"
#include "database/diff.h"

namespace wavetrope::app {

namespace {

constexpr const char* definitionMime = "application/x-wavetrope-definition";

}  // namespace

void DatabaseView::buildMenu()
{
    auto* menu = new QMenu(more_);
    menu->setObjectName(QStringLiteral("databaseMenu"));
    const auto add = [&](const QString& name, const QString& words, auto action, const QKeySequence& key = {}) {
        QAction* item = menu->addAction(words);
        item->setObjectName(name);
        item->setShortcut(key);
        item->setShortcutContext(Qt::WidgetWithChildrenShortcut);
        addAction(item);
        connect(item, &QAction::triggered, this, action);
    };
    add(QStringLiteral("newMessage"), tr("New message"), [this] { newMessage(); }, QKeySequence(Qt::CTRL | Qt::Key_M));
    add(QStringLiteral("newSignal"), tr("New signal"), [this] { newSignal(~0U, 8); }, QKeySequence(Qt::CTRL | Qt::Key_I));
    add(QStringLiteral("removeMessage"), tr("Take the message out"), [this] {
        if (desk_.message() != nullptr)
            desk_.apply(desk_.editor().removeMessage(desk_.message()->uid));
    });
    menu->addSeparator();
    add(QStringLiteral("copyDefinition"), tr("Copy message or signal"), [this] { copy(); });
    add(QStringLiteral("pasteDefinition"), tr("Paste"), [this] { paste(); });
    menu->addSeparator();
    add(QStringLiteral("network"), tr("Nodes, tables and attributes..."), [this] {
        NetworkDialog dialog(desk_, this);
        dialog.exec();
    });
    menu->addSeparator();
    add(QStringLiteral("attachDatabase"), tr("Attach a database..."),
        [this] { attachFile(QFileDialog::getOpenFileName(this, tr("Database to attach"), {}, tr("Signal databases (*.dbc)"))); });
    add(QStringLiteral("newDatabase"), tr("New database..."), [this] {
        const QString path = QFileDialog::getSaveFileName(
            this, tr("New database"), QStringLiteral("new.dbc"), tr("Signal databases (*.dbc)"));
        if (path.isEmpty() || !desk_.any())
            return;
        const auto made = desk_.shelf().create(
            desk_.entry().buses.empty() ? std::string() : desk_.entry().buses.front(), path.toStdString());
        if (!made)
            return desk_.say(text(made.error().text()));
        rearranged(*made);
    });
    add(QStringLiteral("preferDatabase"), tr("Let it win over the one before it"), [this] {
        for (const std::string& bus : desk_.entry().buses)
            desk_.shelf().prefer(bus, desk_.current());
        rearranged(desk_.current());
    });
    add(QStringLiteral("detachDatabase"), tr("Take it off its bus"), [this] {
        const int bus = desk_.bus();
        if (bus < 0 || desk_.entry().own)
            return desk_.say(tr("The rig's own definitions stay with their bus."));
        desk_.shelf().detach(stage().catalog().busName(static_cast<std::uint8_t>(bus)), desk_.current());
        std::size_t next = 0;
        while (next < desk_.count() && desk_.shelf().at(next).buses.empty())
            ++next;
        rearranged(desk_.entry().buses.empty() ? next : desk_.current());
    });
    add(QStringLiteral("pointTo"), tr("Point to the file..."), [this] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Where the database is"), {}, tr("Signal databases (*.dbc)"));
        if (path.isEmpty())
            return;
        const auto found = desk_.shelf().pointTo(desk_.current(), path.toStdString());
        if (!found)
            return desk_.say(text(found.error().text()));
        rearranged(*found);
    });
    add(QStringLiteral("exportDatabase"), tr("Export as .dbc, .json, .csv or .html..."), [this] { exportAs(); });
    more_->setMenu(menu);
}

void DatabaseView::rearranged(std::size_t index)
{
    desk_.noteArranged();
    desk_.open(index);
}

bool DatabaseView::saveCurrent()
{
    if (!desk_.any())
        return false;
    if (desk_.entry().own) {    // they are part of the rig's document
        Q_EMIT stage().rigSaveWanted();
        fill();
        return !desk_.entry().changed();
    }
    if (desk_.shelf().changedOnDisk(desk_.current())) {
        askAboutDisk();
        return false;
    }
    if (const auto saved = desk_.shelf().save(desk_.current()); !saved) {
        desk_.say(text(saved.error().text()));
        return false;
    }
    desk_.say({});
    desk_.noteAttached();
    fill();
    return true;
}

void DatabaseView::askAboutDisk()
{
    const auto now = desk_.shelf().onDisk(desk_.current());
    QString words;
    if (!now) {
        words = text(now.error().text());
    } else {
        const auto changes = database::diff(desk_.database(), now->database);
        QStringList lines;
        for (std::size_t i = 0; i < changes.size() && i < 12; ++i)
            lines << (changes[i].field.empty()
                          ? tr("%1: %2").arg(text(changes[i].object), QLatin1String(database::toText(changes[i].kind)))
                          : tr("%1, %2: %3 here, %4 in the file")
                                .arg(text(changes[i].object), text(changes[i].field), text(changes[i].before), text(changes[i].after)));
        if (changes.size() > 12)
            lines << tr("and %1 more").arg(changes.size() - 12);
        words = changes.empty() ? tr("The file means the same as what is shown here.") : lines.join(QLatin1Char('\n'));
    }
    QMessageBox box(QMessageBox::Question, tr("Wavetrope"), tr("%1 was changed by another program.").arg(text(desk_.entry().name)),
        QMessageBox::NoButton, this);
    box.setInformativeText(words);
    QPushButton* again = box.addButton(tr("Read it again"), QMessageBox::DestructiveRole);
    QPushButton* keep = box.addButton(tr("Overwrite it with mine"), QMessageBox::AcceptRole);
    box.addButton(tr("Leave both"), QMessageBox::RejectRole);
    box.exec();
    if (box.clickedButton() == again) {
        if (const auto read = desk_.shelf().reread(desk_.current()); !read)
            desk_.say(text(read.error().text()));
    } else if (box.clickedButton() == keep) {
        if (const auto saved = desk_.shelf().save(desk_.current(), true); !saved)
            desk_.say(text(saved.error().text()));
    } else {
        return;
    }
    desk_.noteAttached();
    desk_.open(desk_.current());
}

void DatabaseView::exportAs()
{
    const QString path = QFileDialog::getSaveFileName(this, tr("Export the database"), QStringLiteral("network.html"),
        tr("Page (*.html);;Table (*.csv);;Database (*.dbc);;JSON (*.json)"));
    if (path.isEmpty())
        return;
    if (const auto written = desk_.shelf().exportTo(desk_.current(), path.toStdString()); !written)
        desk_.say(text(written.error().text()));
}

void DatabaseView::attachFile(const QString& path)
{
    if (path.isEmpty() || !desk_.any())
        return;
    const int shown = desk_.bus();
    const std::string bus = shown >= 0 ? stage().catalog().busName(static_cast<std::uint8_t>(shown)) : desk_.entry().buses.front();
    const auto attached = desk_.shelf().attach(bus, path.toStdString());
    if (!attached)
        return desk_.say(text(attached.error().text()));
    rearranged(*attached);
}

void DatabaseView::copy()
{
    const database::Message* message = desk_.message();
    if (message == nullptr)
        return;
    // The clipboard holds a database of one message; of a signal, with that signal alone.
    database::Database one;
    one.messages.push_back(*message);
    if (const database::Signal* signal = desk_.signal())
        one.messages.front().signals = {*signal};
    one.definitions = desk_.database().definitions;
    const std::string json = database::toJson(one).dump(2);
    auto* mime = new QMimeData;
    mime->setText(text(json));
    mime->setData(QLatin1String(definitionMime), desk_.signal() != nullptr ? QByteArrayLiteral("signal") : QByteArrayLiteral("message"));
    QApplication::clipboard()->setMimeData(mime);
}

void DatabaseView::paste()
{
    const QMimeData* mime = QApplication::clipboard()->mimeData();
    const auto read = database::readDatabaseJson(mime->text().toStdString(), "clipboard");
    if (!read || read->messages.empty())
        return desk_.say(tr("The clipboard holds no message or signal."));
    database::Message message = read->messages.front();
    for (database::Signal& signal : message.signals)
        signal.uid = 0;
    const bool asSignal = mime->data(QLatin1String(definitionMime)) == "signal" && !message.signals.empty();
    if (asSignal) {
        const database::Message* into = desk_.message();
        if (into == nullptr)
            return;
        database::Signal signal = message.signals.front();
        while (into->find(signal.name) != nullptr)
            signal.name += "_2";
        const std::uint32_t uid = into->uid;
        if (desk_.apply(desk_.editor().putSignal(uid, signal, "paste " + signal.name)))
            desk_.choose(uid, desk_.message()->signals.back().uid);
        return;
    }
    message.uid = 0;
    while (desk_.database().find(message.name) != nullptr)
        message.name += "_2";
    if (desk_.apply(desk_.editor().putMessage(message, "paste " + message.name)))
        desk_.choose(desk_.database().messages.back().uid);
}

}  // namespace wavetrope::app
