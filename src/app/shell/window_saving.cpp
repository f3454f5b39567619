// SPDX-License-Identifier: GPL-3.0-or-later
// What of a window is saved, and asked about before it goes.
#include <QApplication>
#include <QCloseEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QSettings>

#include <filesystem>

#include "app/database/database_view.h"
#include "app/files/log_files.h"
#include "app/keeping/keeping_options.h"
#include "app/files/recent_files.h"
#include "app/shell/closing_dialog.h"
#include "app/shell/main_window.h"
#include "app/shell/rig_settings_dialog.h"
#include "app/shell/status_line.h"
#include "app/stage/bus_desk.h"
#include "rig/scripts.h"

namespace wavetrope::app {

namespace {

QString nameOf(const std::string& path) { return QFileInfo(QString::fromStdString(path)).fileName(); }

}  // namespace

bool MainWindow::nodesChanged() const
{
    rig::Session* session = document_->session();
    if (session == nullptr)
        return false;
    const auto& nodes = document_->rig().nodes;
    for (const rig::NodeReport& report : session->nodeReports())
        for (const drive::NodeSpec& node : nodes)
            if (node.name == report.name && node.off == report.on)
                return true;
    return false;
}

bool MainWindow::rigChanged() const
{
    if ((document_->isLive() && pagesChanged_) || stage_->buses().document() != document_->rig().saved || nodesChanged())
        return !movedOn_;
    for (const drive::NodeSpec& node : document_->rig().nodes)
        if (rig::scriptDiffersFromFile(document_->rig(), node.name))
            return true;
    const rig::Shelf* shelf = stage_->desk().shelfIfRead();
    for (std::size_t i = 0; shelf != nullptr && i < shelf->size(); ++i)
        if (shelf->at(i).own && shelf->at(i).changed())
            return true;
    return false;
}

std::vector<std::size_t> MainWindow::changedDatabases() const
{
    std::vector<std::size_t> changed;
    const rig::Shelf* shelf = stage_->desk().shelfIfRead();
    for (std::size_t i = 0; shelf != nullptr && i < shelf->size(); ++i)
        if (!shelf->at(i).own && shelf->at(i).changed())
            changed.push_back(i);
    return changed;
}

void MainWindow::refreshTitle()
{
    setWindowTitle(QString::fromStdString(document_->title()) + QStringLiteral("[*] - Wavetrope"));
    setWindowModified(hasEdits());
}

// The database where its editor has the focus, else the rig.
bool MainWindow::saveCurrent()
{
    QWidget* focus = QApplication::focusWidget();
    for (QWidget* widget = focus; widget != nullptr; widget = widget->parentWidget())
        if (auto* editor = qobject_cast<DatabaseView*>(widget)) {
            const bool own = stage_->desk().any() && stage_->desk().entry().own;
            if (own)
                break;      // the rig's own definitions are saved with it
            if (!editor->saveCurrent())
                return false;
            status_->tell(tr("saved to %1").arg(QString::fromStdString(stage_->desk().entry().path)));
            refreshTitle();
            return true;
        }
    return saveRig();
}

bool MainWindow::saveRig()
{
    const std::string path = document_->rig().path;
    return path.empty() ? saveRigAs() : saveRigTo(QString::fromStdString(path));
}

bool MainWindow::saveRigAs()
{
    const rig::Rig& rig = document_->rig();
    const QString proposed = rig.path.empty() ? QString::fromStdString(rig.name) + QStringLiteral(".json")
                                              : QString::fromStdString(rig.path);
    QString path = QFileDialog::getSaveFileName(this, tr("Save the rig as"), proposed, tr("Rigs (*.json)"));
    if (path.isEmpty())
        return false;
    if (!path.endsWith(QLatin1String(".json"), Qt::CaseInsensitive))
        path += QLatin1String(".json");
    return saveRigTo(path);
}

void MainWindow::takeIntoDocument()
{
    rig::Rig& rig = document_->rig();
    if (pagesDiffer() || !rig.document.contains("pages"))
        rig.document["pages"] = pagesNow();
    if (rig::Shelf* shelf = stage_->desk().shelfIfRead())
        for (std::size_t i = 0; i < shelf->size(); ++i)
            if (shelf->at(i).own && shelf->at(i).changed())
                (void)shelf->save(i);
    if (rig::Session* session = document_->session();
        session != nullptr && rig.document.contains("nodes") && rig.document["nodes"].is_array())
        for (const rig::NodeReport& report : session->nodeReports()) {
            for (auto& node : rig.document["nodes"]) {
                if (!node.is_object() || !node.contains("name") || node["name"] != report.name)
                    continue;
                const bool off = node.contains("off") && node["off"] == true;
                if (report.on && off)
                    node.erase("off");
                else if (!report.on && !off)
                    node["off"] = true;
            }
            for (drive::NodeSpec& node : rig.nodes)
                if (node.name == report.name)
                    node.off = !report.on;
        }
}

bool MainWindow::saveRigTo(const QString& path)
{
    rig::Rig& rig = document_->rig();
    takeIntoDocument();
    const std::filesystem::path to = std::filesystem::absolute(path.toStdString());
    const bool elsewhere = !rig.path.empty() && to.parent_path() != std::filesystem::absolute(rig.path).parent_path();
    if (elsewhere || rig.path.empty())
        stage_->desk().shelf().moveTo(to.parent_path().string());
    for (const drive::NodeSpec& node : rig.nodes)
        if (rig::scriptDiffersFromFile(rig, node.name))
            if (const auto written = rig::saveScript(rig, node.name); !written) {
                QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(written.error().text()));
                return false;
            }
    // Buses that do not run yet are in the file; in here the run's stay until it is started anew.
    const nlohmann::json running = rig.document;
    rig.document = stage_->buses().document();
    const auto saved = rig::saveRig(rig, to.string());
    rig.document = running;
    if (!saved) {
        QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(saved.error().text()));
        return false;
    }
    rig.path = to.string();
    keepPages();
    noteRecentFile(path);
    Q_EMIT stage_->desk().entriesChanged();
    status_->tell(tr("saved to %1").arg(path));
    refreshTitle();
    return true;
}

void MainWindow::newRig()
{
    rig::Rig rig;
    rig.name = "New rig";
    rig.document = {{"wavetrope", rig::Rig::version}, {"name", rig.name}};
    rig.saved = rig.document;
    auto document = liveRun(rig);
    if (!document) {
        QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(document.error().text()));
        return;
    }
    (new MainWindow(std::move(*document)))->show();
}

void MainWindow::rigSettings()
{
    RigSettingsDialog dialog(document_->rig(), this);
    if (dialog.exec() == QDialog::Accepted) {
        if (document_->isLive())
            document_->setTitle(document_->rig().name);
        refreshTitle();
        runBar_->update();
    }
}

void MainWindow::closeWithoutAsking()
{
    askBeforeClosing_ = false;
    close();
}

bool MainWindow::hasEdits() const { return rigChanged() || !changedDatabases().empty(); }

bool MainWindow::closeKeeping()
{
    for (const Loss& loss : losses()) {
        const bool goesOn = loss.kind == Loss::Kind::run || loss.kind == Loss::Kind::recording;
        if (goesOn && (loss.remedies.front() != Loss::Remedy::keep || !carryOut(loss, Loss::Remedy::keep, spool::Spool::Keep::asked)))
            return close();
    }
    askBeforeClosing_ = false;
    return close();
}

std::vector<Loss> MainWindow::losses() const
{
    std::vector<Loss> out;
    for (const std::size_t index : changedDatabases()) {
        const rig::ShelfEntry& entry = stage_->desk().shelf().at(index);
        out.push_back({Loss::Kind::database, static_cast<int>(index), tr("Edits of %1").arg(nameOf(entry.path)),
            QString::fromStdString(entry.path), {Loss::Remedy::save, Loss::Remedy::discard}});
    }
    if (rigChanged()) {
        const rig::Rig& rig = document_->rig();
        out.push_back({Loss::Kind::rig, 0, tr("Changes of the rig %1").arg(QString::fromStdString(rig.name)),
            rig.path.empty() ? tr("It has no file yet: a name is asked for") : QString::fromStdString(rig.path),
            {rig.path.empty() ? Loss::Remedy::saveAs : Loss::Remedy::save, Loss::Remedy::discard}});
        if (!rig.path.empty())
            out.back().remedies.insert(out.back().remedies.begin() + 1, Loss::Remedy::saveAs);
    }
    if (rig::Session* session = document_->session()) {
        if (const auto recording = session->recording(); recording.on)
            out.push_back({Loss::Kind::recording, 0, tr("A recording goes on"),
                tr("%1 frames in %2")
                    .arg(QLocale(QLocale::English).toString(static_cast<qulonglong>(recording.frames)),
                        QString::fromStdString(recording.path)),
                {Loss::Remedy::keep}});
        const std::uint64_t rows = document_->trace().rows();
        if (rows > 0 && rows != savedRows_) {
            Loss run{Loss::Kind::run, 0, tr("The run"),
                tr("%1 frames, %2 s")
                    .arg(QLocale(QLocale::English).toString(static_cast<qulonglong>(rows)))
                    .arg(static_cast<double>((session->now() - session->begins()).count()) * 1e-9, 0, 'f', 1),
                {}};
            if (!session->keeping().path.empty())
                run.remedies.push_back(Loss::Remedy::keep);
            run.remedies.push_back(Loss::Remedy::saveAs);
            run.remedies.push_back(Loss::Remedy::discard);
            out.push_back(std::move(run));
        }
    }
    return out;
}

// False where something could not be done: the window stays.
bool MainWindow::carryOut(const Loss& loss, Loss::Remedy remedy, spool::Spool::Keep until)
{
    const auto failed = [this](const QString& words) {
        QMessageBox::warning(this, tr("Wavetrope"), words);
        return false;
    };
    rig::Session* session = document_->session();
    switch (loss.kind) {
    case Loss::Kind::database:
        if (remedy == Loss::Remedy::save)
            if (const auto saved = stage_->desk().shelf().save(static_cast<std::size_t>(loss.index)); !saved)
                return failed(QString::fromStdString(saved.error().text()));
        return true;
    case Loss::Kind::rig: return remedy == Loss::Remedy::discard || (remedy == Loss::Remedy::saveAs ? saveRigAs() : saveRig());
    case Loss::Kind::recording: {
        QString problem;
        session->call([&](rig::Session& s) {
            if (const auto finished = s.finishRecording(); !finished)
                problem = QString::fromStdString(finished.error().text());
        });
        return problem.isEmpty() || failed(problem);
    }
    case Loss::Kind::run:
        if (remedy == Loss::Remedy::discard)
            return true;
        session->stop();        // what comes behind it would not be in it
        if (remedy == Loss::Remedy::keep) {
            const auto kept = session->spool()->keep(until);
            return kept ? true : failed(tr("The run is not kept. %1").arg(QString::fromStdString(kept.error().text())));
        }
        const QString path = askWhereToWriteLog(this, tr("Save the run as a log"), QStringLiteral("run.pcapng"));
        if (path.isEmpty())
            return false;
        closeWhenSaved_ = true;
        saveRunTo(path);        // the window closes when that is done
        return false;
    }
    return true;
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    rig::Session* session = document_->session();
    const auto found = askBeforeClosing_ ? losses() : std::vector<Loss>{};
    if (!found.empty()) {
        ClosingDialog dialog(found, this);
        if (dialog.exec() != QDialog::Accepted) {
            event->ignore();
            return;
        }
        for (std::size_t i = 0; i < found.size(); ++i)
            if (!carryOut(found[i], dialog.remedy(i))) {
                event->ignore();
                return;
            }
        askBeforeClosing_ = false;
    }
    if (session != nullptr && session->recording().on)
        session->call([](rig::Session& s) { (void)s.finishRecording(); });
    event->accept();
}

}  // namespace wavetrope::app
