// SPDX-License-Identifier: GPL-3.0-or-later
// What opens in a window or in another: logs and rigs that are dropped, a definition, a log that is to be played back.
#include <QDropEvent>
#include <QFileInfo>
#include <QInputDialog>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QStackedWidget>
#include <QTabBar>
#include <QTimer>
#include <QUrl>

#include <set>

#include "app/files/log_files.h"
#include "app/keeping/keeping_options.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/shell/status_line.h"
#include "app/stage/bus_desk.h"
#include "app/stage/interfaces.h"

namespace wavetrope::app {

void MainWindow::openDefinition(int bus, unsigned idKey)
{
    fulfil({Wish::For::definition, {}, static_cast<std::uint8_t>(bus), can::Identifier::fromKey(idKey)});
}

void MainWindow::replay(const QString& path)
{
    // The window in which the rig runs, where it is open already; which one, where there are several.
    std::vector<MainWindow*> running;
    for (MainWindow* window : all())
        if (window->document_->isLive() && (window->document_->rig().path == document_->rig().path || document_->rig().path.empty()))
            running.push_back(window);
    MainWindow* window = document_->isLive() ? this : running.size() == 1 ? running.front() : nullptr;
    if (window == nullptr && running.size() > 1) {
        QStringList choices;
        for (const MainWindow* one : running)
            choices << tr("%1, %2 s of run time")
                               .arg(QString::fromStdString(one->document_->title()))
                               .arg(static_cast<double>((one->document_->session()->now() - one->document_->begins()).count()) * 1e-9, 0,
                                   'f', 0)
                           + (choices.isEmpty() ? QString() : tr(" (%1)").arg(choices.size() + 1));
        choices << tr("a new window");
        bool good = false;
        const QString chosen = QInputDialog::getItem(
            this, tr("Play the log in"), tr("The rig runs in several windows. Play it in:"), choices, 0, false, &good);
        if (!good)
            return;
        const qsizetype index = choices.indexOf(chosen);
        window = index < static_cast<qsizetype>(running.size()) ? running[static_cast<std::size_t>(index)] : nullptr;
    }
    if (window == nullptr) {
        auto document = liveRun(document_->rig());
        if (!document) {
            QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(document.error().text()));
            return;
        }
        window = new MainWindow(std::move(*document));
    }
    window->show();
    window->raise();
    window->activateWindow();
    window->fulfil({Wish::For::playback, path, 0, {}});
}

bool MainWindow::atEmptyDesk() const
{
    return document_->isLive() && document_->rig().buses.empty() && document_->rig().path.empty() && losses().empty();
}

void MainWindow::makeWayFor(MainWindow* window)
{
    if (window == nullptr || !atEmptyDesk())
        return;
    window->setGeometry(geometry());
    closeWithoutAsking();
}

void MainWindow::restart()
{
    takeIntoDocument();
    const auto rig = stage_->buses().planned();
    // Tried before anything is ended: a mistake leaves this run as it is.
    Expected<std::unique_ptr<rig::Session>> tried = rig ? rig::Session::create(*rig, rig::loadDatabases(*rig))
                                                        : tl::unexpected(rig.error());
    if (!tried) {
        QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(tried.error().text()));
        return;
    }
    tried->reset();
    // The rig goes on in the other window; what was not kept of the run is asked about.
    movedOn_ = true;
    const QString page = pageTabs_->tabText(pageTabs_->currentIndex());
    const QRect place = geometry();
    const bool quits = QApplication::quitOnLastWindowClosed();
    QApplication::setQuitOnLastWindowClosed(false);
    if (!close()) {
        movedOn_ = false;
        QApplication::setQuitOnLastWindowClosed(quits);
        return;
    }
    // Once this run has let go of its interfaces and files.
    QTimer::singleShot(0, qApp, [next = *rig, page, place, quits] {
        QApplication::setQuitOnLastWindowClosed(quits);
        auto live = liveRun(next);
        if (!live) {
            QMessageBox::warning(nullptr, tr("Wavetrope"), QString::fromStdString(live.error().text()));
            return;
        }
        auto* window = new MainWindow(std::move(*live));
        window->setGeometry(place);
        window->show();
        window->showPage(page);
    });
}

void MainWindow::openFromHere(const QString& path)
{
    const QString chosen = path.isEmpty() ? askForLogOrRig(this, tr("Open")) : path;
    if (!chosen.isEmpty())
        makeWayFor(openFile(chosen, document_->rig(), this));
}

void MainWindow::watch(const QStringList& interfaces)
{
    nlohmann::json buses = nlohmann::json::array();
    for (const QString& name : interfaces) {
        nlohmann::json bus = {{"name", name.toStdString()}, {"interface", name.toStdString()}};
        if (const bus::WatchedInterface* of = Interfaces::get().find(name); of != nullptr && of->is.rate.known())
            bus["rate"] = can::toText(of->is.rate);
        buses.push_back(std::move(bus));
    }
    openMade({{"wavetrope", rig::Rig::version}, {"name", interfaces.join(QStringLiteral(", ")).toStdString()}, {"buses", buses}});
}

void MainWindow::openMade(const nlohmann::json& document)
{
    auto rig = rig::rigFromText(document.dump(), {});
    Expected<std::unique_ptr<RunDocument>> live = rig ? liveRun(*rig) : tl::unexpected(rig.error());
    if (!live) {
        QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(live.error().text()));
        return;
    }
    auto* window = new MainWindow(std::move(*live));
    window->show();
    makeWayFor(window);
}

void MainWindow::rigFromLog()
{
    const std::string name = QFileInfo(QString::fromStdString(document_->path())).completeBaseName().toStdString();
    openMade(rig::documentOfLog(name.empty() ? document_->title() : name, document_->buses(), document_->rig()));
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasUrls())
        event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event)
{
    event->acceptProposedAction();
    QStringList logs;
    QStringList rigs;
    QStringList databases;
    for (const QUrl& url : event->mimeData()->urls())
        if (url.toLocalFile().endsWith(QLatin1String(".dbc"), Qt::CaseInsensitive))
            databases << url.toLocalFile();
        else if (url.isLocalFile())
            (url.toLocalFile().endsWith(QLatin1String(".json"), Qt::CaseInsensitive) ? rigs : logs) << url.toLocalFile();
    if (!databases.isEmpty() && !atEmptyDesk())
        status_->tell(tr("Drop a database on the bus that it explains, in the tree on the left"));
    else if (!databases.isEmpty())
        QTimer::singleShot(0, this, [this, databases] { openDatabases(databases); });
    // Whoever dropped them goes on first: questions come behind.
    QTimer::singleShot(0, this, [this, logs, rigs] { openDropped(rigs, logs); });
}

// On an empty desk: a rig with a bus for each, to be given a source.
void MainWindow::openDatabases(const QStringList& paths)
{
    nlohmann::json buses = nlohmann::json::array();
    std::set<std::string> names;
    for (const QString& path : paths) {
        const std::string wanted = QFileInfo(path).completeBaseName().toStdString();
        std::string name = wanted;
        for (int number = 2; !names.insert(name).second; ++number)
            name = wanted + " " + std::to_string(number);
        buses.push_back({{"name", name}, {"rate", "500k"}, {"databases", {path.toStdString()}}});
    }
    openMade({{"wavetrope", rig::Rig::version}, {"name", QFileInfo(paths.front()).completeBaseName().toStdString()}, {"buses", buses}});
}

void MainWindow::openDropped(const QStringList& rigs, const QStringList& logs)
{
    for (const QString& rig : rigs)
        openFile(rig, document_->rig(), this);
    if (logs.size() == 1)
        openFile(logs.front(), document_->rig(), this);
    if (logs.size() < 2)
        return;
    QMessageBox box(QMessageBox::Question, tr("Wavetrope"), tr("%1 logs were dropped.").arg(logs.size()), QMessageBox::NoButton, this);
    box.setObjectName(QStringLiteral("severalDropped"));
    box.setInformativeText(tr("As one, in the order of time, or each by itself?"));
    QPushButton* one = box.addButton(tr("One window"), QMessageBox::AcceptRole);
    QPushButton* each = box.addButton(tr("A window each"), QMessageBox::ActionRole);
    box.addButton(QMessageBox::Cancel);
    box.exec();
    if (box.clickedButton() == one)
        openLogs(logs, document_->rig(), this);
    else if (box.clickedButton() == each)
        for (const QString& log : logs)
            openFile(log, document_->rig(), this);
}

}  // namespace wavetrope::app
