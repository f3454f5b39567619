// What opens in a window or in another: logs and rigs that are dropped, a definition, a log that is to be played back.
#include <QDropEvent>
#include <QInputDialog>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QStackedWidget>
#include <QTabBar>
#include <QTimer>
#include <QUrl>

#include "app/database/database_view.h"
#include "app/keeping/keeping_options.h"
#include "app/playback/playback_view.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/shell/status_line.h"

namespace wavetrope::app {

void MainWindow::openDefinition(int bus, unsigned idKey)
{
    // The page that has the editor, or a new one.
    const auto show = [&] {
        for (int i = 0; i < pages_->count(); ++i) {
            auto* page = qobject_cast<Page*>(pages_->widget(i));
            auto* view = page->find<DatabaseView>();
            if (view == nullptr)
                continue;
            pageTabs_->setCurrentIndex(i);
            for (Pane* pane : page->panes())
                for (int k = 0; k < pane->count(); ++k)
                    if (pane->entries()[static_cast<std::size_t>(k)].view == view)
                        pane->setCurrent(k);
            view->define(static_cast<std::uint8_t>(bus), can::Identifier::fromKey(idKey));
            return true;
        }
        return false;
    };
    if (show())
        return;
    addPage(tr("Databases"), nlohmann::json::parse(R"({"tabs":[{"view":"database"},{"view":"coverage"},{"view":"review"},{"view":"compare"}]})"));
    notePages();
    show();
}

void MainWindow::replay(const QString& path)
{
    // The window in which the rig runs, where it is open already; which one, where there are several.
    std::vector<MainWindow*> running;
    for (MainWindow* window : all())
        if (window->document_->isLive() && (window->document_->rig().path == document_->rig().path || document_->rig().path.empty()))
            running.push_back(window);
    MainWindow* window = running.size() == 1 ? running.front() : nullptr;
    if (running.size() > 1) {
        QStringList choices;
        for (const MainWindow* one : running)
            choices << tr("%1, %2 s of run time").arg(QString::fromStdString(one->document_->title())).arg(static_cast<double>((one->document_->session()->now() - one->document_->begins()).count()) * 1e-9, 0, 'f', 0) + (choices.isEmpty() ? QString() : tr(" (%1)").arg(choices.size() + 1));
        choices << tr("a new window");
        bool good = false;
        const QString chosen = QInputDialog::getItem(this, tr("Play the log in"), tr("The rig runs in several windows. Play it in:"), choices, 0, false, &good);
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
    for (int i = 0; i < window->pages_->count(); ++i)
        if (auto* playback = window->pageAt(i)->find<PlaybackView>()) {
            window->pageTabs_->setCurrentIndex(i);
            playback->load(path);
            return;
        }
    // It may have been closed: a page for it.
    window->addPage(tr("Playback"), nlohmann::json::parse(R"({"tabs":[{"view":"playback"}]})"));
    window->pageTabs_->setCurrentIndex(window->pages_->count() - 1);
    window->currentPage()->find<PlaybackView>()->load(path);
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
    for (const QUrl& url : event->mimeData()->urls())
        if (url.toLocalFile().endsWith(QLatin1String(".dbc"), Qt::CaseInsensitive))
            status_->tell(tr("Drop a database on the bus that it explains, in the tree on the left"));
        else if (url.isLocalFile())
            (url.toLocalFile().endsWith(QLatin1String(".json"), Qt::CaseInsensitive) ? rigs : logs) << url.toLocalFile();
    // Whoever dropped them goes on first: questions come behind.
    QTimer::singleShot(0, this, [this, logs, rigs] { openDropped(rigs, logs); });
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
