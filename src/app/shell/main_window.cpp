#include "app/shell/main_window.h"

#include <QApplication>
#include <QDropEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPointer>
#include <QPushButton>
#include <QScreen>
#include <QSplitter>
#include <QStackedWidget>
#include <QTimer>
#include <QUrl>
#include <QVBoxLayout>

#include <algorithm>
#include <utility>

#include "app/convert/convert_dialog.h"
#include "app/database/database_view.h"
#include "app/database/findings_view.h"
#include "app/inspector/inspector_view.h"
#include "app/keeping/keeping.h"
#include "app/lanes/lanes_view.h"
#include "app/nodes/nodes_view.h"
#include "app/notes/notes_view.h"
#include "app/playback/playback_view.h"
#include "app/shell/edit_times.h"
#include "app/shell/settings_dialog.h"
#include "app/shell/status_line.h"
#include "app/stream/stream_view.h"
#include "app/theme/theme.h"
#include "convert/conversion.h"

namespace wavetrope::app {

namespace {

constexpr unsigned announceEvery = 15;     // beats

std::vector<MainWindow*>& windows()
{
    static std::vector<MainWindow*> all;
    return all;
}

}  // namespace

const std::vector<MainWindow*>& MainWindow::all() { return windows(); }

MainWindow::MainWindow(std::unique_ptr<RunDocument> document) : document_(std::move(document)), stage_(std::make_unique<Stage>(*document_)), menu_(new QMenu(this))
{
    windows().push_back(this);
    setAttribute(Qt::WA_DeleteOnClose);
    setAcceptDrops(true);
    fitToScreen();
    stage_->setUsualWindow(Time(static_cast<std::int64_t>(usualWindowSeconds() * 1e9)));
    buildMenu();

    auto* centre = new QWidget;
    auto* column = new QVBoxLayout(centre);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    runBar_ = new RunBar(*stage_, menu_);
    timeline_ = new Timeline(*stage_);
    column->addWidget(runBar_);
    column->addWidget(timeline_);
    auto* across = new QSplitter(Qt::Horizontal);
    across->setHandleWidth(1);
    across->setChildrenCollapsible(false);
    tree_ = new RigTree(*stage_);
    auto* middle = new QWidget;
    auto* middleColumn = new QVBoxLayout(middle);
    middleColumn->setContentsMargins(0, 0, 0, 0);
    middleColumn->setSpacing(0);
    pageTabs_ = new QTabBar;
    pageTabs_->setObjectName(QStringLiteral("pageTabs"));
    pageTabs_->setDrawBase(false);
    pageTabs_->setExpanding(false);
    pageTabs_->setToolTip(tr("Pages  (Ctrl+1, Ctrl+2, ...). Double click: rename; drag: move; right click: more"));
    auto* tabLine = new QHBoxLayout;
    tabLine->setContentsMargins(6, 0, 6, 0);
    tabLine->addWidget(pageTabs_);
    auto* add = new QToolButton;
    add->setObjectName(QStringLiteral("addPage"));
    add->setToolTip(tr("New page"));
    tabLine->addWidget(add);
    tabLine->addStretch(1);
    middleColumn->addLayout(tabLine);
    pages_ = new QStackedWidget;
    middleColumn->addWidget(pages_, 1);
    inspector_ = new Inspector(*stage_);
    across->addWidget(tree_);
    across->addWidget(middle);
    across->addWidget(inspector_);
    across->setSizes({228, 776, 276});
    across->setStretchFactor(1, 1);
    column->addWidget(across, 1);
    setCentralWidget(centre);

    status_ = new StatusLine(*stage_);
    setStatusBar(status_);

    const auto restyle = [this, add] {
        const Theme& theme = Theme::get();
        pageTabs_->setFont(theme.text(12));
        pageTabs_->setStyleSheet(QStringLiteral("QTabBar::tab { background: transparent; border: none; border-bottom: 2px solid transparent; padding: 5px 8px; color: %1; } QTabBar::tab:selected { color: %2; border-bottom-color: %3; font-weight: 600; }")
                                     .arg(theme.ink2.name(), theme.ink.name(), theme.accent.name()));
        add->setIcon(theme.icon("add", theme.ink2));
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    connect(pageTabs_, &QTabBar::currentChanged, pages_, &QStackedWidget::setCurrentIndex);
    connect(add, &QToolButton::clicked, this, [this] {
        addPage(tr("Page %1").arg(pages_->count() + 1), nlohmann::json::parse(R"({"tabs":[{"view":"stream"}]})"));
        pageTabs_->setCurrentIndex(pages_->count() - 1);
        notePages();
    });
    connect(runBar_, &RunBar::startStopWanted, this, &MainWindow::startStop);
    connect(runBar_, &RunBar::recordWanted, this, [this] { record(false); });
    connect(stage_.get(), &Stage::beat, this, [this] {
        if (beats_++ % announceEvery == 0)
            announceKeeping();
    });
    connect(stage_.get(), &Stage::becameReady, this, [this] {
        if (document_->ready() && !document_->problem().isEmpty())
            showProblem();
        if (Page* page = currentPage())
            page->update();
        status_->refresh();
    });
    // A signal to plot, with no lanes in sight: go where they are, and the page shows it.
    connect(stage_.get(), &Stage::plotWanted, this, [this] {
        if (currentPage() != nullptr && currentPage()->find<LanesView>() == nullptr)
            for (int i = 0; i < pages_->count(); ++i)
                if (auto* page = qobject_cast<Page*>(pages_->widget(i)); page->find<LanesView>() != nullptr)
                    return pageTabs_->setCurrentIndex(i);
    });
    connect(stage_.get(), &Stage::filterWanted, this, [this] {
        if (currentPage() != nullptr && currentPage()->find<StreamView>() == nullptr)
            for (int i = 0; i < pages_->count(); ++i)
                if (auto* page = qobject_cast<Page*>(pages_->widget(i)); page->find<StreamView>() != nullptr)
                    return pageTabs_->setCurrentIndex(i);
    });
    for (auto signal : {&Desk::arranged, &Desk::edited, &Desk::entriesChanged})
        connect(&stage_->desk(), signal, this, &MainWindow::refreshTitle);
    connect(stage_.get(), &Stage::filtersChanged, this, &MainWindow::refreshTitle);
    connect(stage_.get(), &Stage::told, this, [this](const QString& text) { status_->tell(text); });
    connect(&stage_->notes(), &NoteDesk::problem, this, [this](const QString& problem) { QMessageBox::warning(this, tr("Wavetrope"), problem); });
    connect(stage_.get(), &Stage::replayWanted, this, &MainWindow::replay);
    connect(stage_.get(), &Stage::rigSaveWanted, this, [this] { saveRig(); });
    connect(stage_.get(), &Stage::definitionWanted, this, &MainWindow::openDefinition);
    buildPages();
    refreshTitle();
    status_->refresh();
    if (currentPage() != nullptr && !currentPage()->views().empty())
        currentPage()->views().front()->setFocus();
}

MainWindow::~MainWindow()
{
    cancelSaving_ = true;
    if (saver_.joinable())
        saver_.join();
    windows().erase(std::remove(windows().begin(), windows().end(), this), windows().end());
    // Views and dialogs refer to stage and document: they go first.
    for (auto* dialog : findChildren<ConvertDialog*>())
        delete dialog;
    delete takeCentralWidget();
}

void MainWindow::showProblem()
{
    auto* box = new QMessageBox(QMessageBox::Warning, tr("Wavetrope"), document_->problem(), QMessageBox::Ok, this);
    box->setAttribute(Qt::WA_DeleteOnClose);
    QStringList lines;
    for (const Error& line : document_->badLines())
        lines << tr("line %1: %2").arg(line.line).arg(QString::fromStdString(line.what));
    if (!lines.isEmpty())
        box->setDetailedText(lines.join(QLatin1Char('\n')));
    box->open();
}

void MainWindow::buildMenu()
{
    const auto add = [this](QMenu* menu, const QString& text, const QKeySequence& key, auto action) {
        auto* item = new QAction(text, this);
        item->setShortcut(key);
        item->setShortcutContext(Qt::WindowShortcut);
        connect(item, &QAction::triggered, this, action);
        menu->addAction(item);
        addAction(item);
        return item;
    };
    add(menu_, tr("Open log or rig..."), QKeySequence::Open, [this] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Open"), {}, tr("Logs and rigs (*.pcapng *.pcap *.gz *.zst *.json);;Logs of text (*.txt *.csv *.log *.tsv);;All files (*)"));
        if (!path.isEmpty())
            openFile(path, document_->rig(), this);
    });
    auto* recent = menu_->addMenu(tr("Open recent"));
    recent->setObjectName(QStringLiteral("recent"));
    connect(recent, &QMenu::aboutToShow, this, [this, recent] {
        recent->clear();
        for (const QString& path : recentFiles())
            connect(recent->addAction(path), &QAction::triggered, this, [this, path] { openFile(path, document_->rig(), this); });
        if (recent->isEmpty())
            recent->addAction(tr("nothing yet"))->setEnabled(false);
    });
    add(menu_, tr("New rig"), QKeySequence::New, [this] { newRig(); })->setObjectName(QStringLiteral("newRig"));
    add(menu_, tr("Open several logs as one..."), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O), [this] {
        const QStringList paths = QFileDialog::getOpenFileNames(this, tr("Open several logs as one"), {}, tr("Logs (*.pcapng *.pcap *.gz *.zst *.txt *.csv *.log *.tsv);;All files (*)"));
        if (!paths.isEmpty())
            openLogs(paths, document_->rig(), this);
    });
    add(menu_, tr("Follow a log as it grows..."), {}, [this] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Follow a log that another program writes"), {}, tr("Logs (*.pcapng *.pcap);;All files (*)"));
        if (!path.isEmpty())
            openFile(path, document_->rig(), this, true);
    })->setObjectName(QStringLiteral("follow"));
    add(menu_, tr("Runs that were not ended..."), {}, [this] { offerRecovery(true); })->setObjectName(QStringLiteral("recover"));
    add(menu_, tr("Save run as log..."), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S), [this] {
        const QString path = QFileDialog::getSaveFileName(this, tr("Save what is in the trace"), QStringLiteral("run.pcapng"), tr("Logs (*.pcapng *.pcap *.gz *.zst)"));
        if (!path.isEmpty())
            saveRunTo(path);
    })->setObjectName(QStringLiteral("saveRun"));
    add(menu_, tr("Convert..."), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_E), [this] { convert(); })->setObjectName(QStringLiteral("convert"));
    menu_->addSeparator();
    add(menu_, tr("Save"), QKeySequence::Save, [this] { saveCurrent(); })->setObjectName(QStringLiteral("save"));
    add(menu_, tr("Save rig"), {}, [this] { saveRig(); })->setObjectName(QStringLiteral("saveRig"));
    add(menu_, tr("Save rig as..."), QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_S), [this] { saveRigAs(); })->setObjectName(QStringLiteral("saveRigAs"));
    add(menu_, tr("Rig settings..."), {}, [this] { rigSettings(); })->setObjectName(QStringLiteral("rigSettings"));
    menu_->addSeparator();
    add(menu_, tr("Undo"), QKeySequence::Undo, [this] { undo(false); });
    add(menu_, tr("Redo"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), [this] { undo(true); });
    menu_->addSeparator();
    if (document_->isLive()) {
        add(menu_, tr("Start or stop"), Qt::Key_F5, [this] { startStop(); });
        add(menu_, tr("Record or end recording"), Qt::Key_F8, [this] { record(false); });
        add(menu_, tr("Record what the stream's filter passes"), QKeySequence(Qt::SHIFT | Qt::Key_F8), [this] { record(true); })->setObjectName(QStringLiteral("recordFiltered"));
        add(menu_, tr("Hold the views, capture goes on"), Qt::Key_F7, [this] { stage_->rest(); })->setObjectName(QStringLiteral("hold"));
    }
    add(menu_, tr("Find in the rig"), QKeySequence(Qt::CTRL | Qt::Key_L), [this] {
        tree_->findBox()->setFocus();
        tree_->findBox()->selectAll();
    });
    add(menu_, tr("Filter of the page"), QKeySequence::Find, [this] {
        // That of the view in focus, else the first of the page.
        FilterLine* first = nullptr;
        for (View* view : currentPage() != nullptr ? currentPage()->views() : std::vector<View*>{}) {
            FilterLine* line = view->isVisible() ? view->filterLine() : nullptr;
            if (line != nullptr && (first == nullptr || view == QApplication::focusWidget() || view->isAncestorOf(QApplication::focusWidget())))
                first = line;
        }
        if (first != nullptr) {
            first->edit()->setFocus();
            first->edit()->selectAll();
        }
    })->setObjectName(QStringLiteral("filterOfPage"));
    menu_->addSeparator();
    add(menu_, tr("Settings..."), QKeySequence(Qt::CTRL | Qt::Key_Comma), [this] {
        SettingsDialog(this).exec();
        stage_->setUsualWindow(Time(static_cast<std::int64_t>(usualWindowSeconds() * 1e9)));
    })->setObjectName(QStringLiteral("settings"));
    add(menu_, tr("Memory and disk..."), {}, [this] { KeepingDialog(this).exec(); })->setObjectName(QStringLiteral("keeping"));
    add(menu_, tr("Paper or Ink"), QKeySequence(Qt::CTRL | Qt::Key_T), [] { toggleTheme(); });
    // Whatever key gives plus, with Shift or without.
    add(menu_, tr("Larger text"), QKeySequence(Qt::CTRL | Qt::Key_Plus), [] { scaleText(0.1); })->setShortcuts({QKeySequence(Qt::CTRL | Qt::Key_Plus), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Plus), QKeySequence(Qt::CTRL | Qt::Key_Equal), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Equal)});
    add(menu_, tr("Smaller text"), QKeySequence(Qt::CTRL | Qt::Key_Minus), [] { scaleText(-0.1); })->setShortcuts({QKeySequence(Qt::CTRL | Qt::Key_Minus), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Minus), QKeySequence(Qt::CTRL | Qt::Key_Underscore), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Underscore)});
    add(menu_, tr("Next pane"), Qt::Key_F6, [this] { goToPane(1); })->setObjectName(QStringLiteral("nextPane"));
    add(menu_, tr("Pane before"), QKeySequence(Qt::SHIFT | Qt::Key_F6), [this] { goToPane(-1); });
    menu_->addSeparator();
    auto* help = menu_->addMenu(tr("Help"));
    help->setObjectName(QStringLiteral("helpMenu"));
    using Chapter = HelpDialog::Chapter;
    add(help, tr("What this view is for"), Qt::Key_F1, [this] { showHelp(Chapter::views); })->setObjectName(QStringLiteral("helpViews"));
    add(help, tr("Keys"), {}, [this] { showHelp(Chapter::keys); })->setObjectName(QStringLiteral("helpKeys"));
    add(help, tr("Filter language"), {}, [this] { showHelp(Chapter::filter); })->setObjectName(QStringLiteral("helpFilter"));
    add(help, tr("About this program"), {}, [this] { showHelp(Chapter::about); })->setObjectName(QStringLiteral("helpAbout"));
    menu_->addSeparator();
    add(menu_, tr("Close window"), QKeySequence::Close, [this] { close(); });
    for (int i = 0; i < 9; ++i) {
        auto* go = new QAction(this);
        go->setShortcut(QKeySequence(Qt::CTRL | static_cast<Qt::Key>(Qt::Key_1 + i)));
        connect(go, &QAction::triggered, this, [this, i] {
            if (i < pageTabs_->count())
                pageTabs_->setCurrentIndex(i);
        });
        addAction(go);
    }
}

Page* MainWindow::page(const QString& name) const
{
    for (int i = 0; i < pages_->count(); ++i)
        if (auto* page = qobject_cast<Page*>(pages_->widget(i)); page->name() == name)
            return page;
    return nullptr;
}

Page* MainWindow::currentPage() const { return qobject_cast<Page*>(pages_->currentWidget()); }

void MainWindow::showPage(const QString& name)
{
    for (int i = 0; i < pages_->count(); ++i)
        if (qobject_cast<Page*>(pages_->widget(i))->name() == name)
            pageTabs_->setCurrentIndex(i);
}

QString MainWindow::statusText() const { return status_->facts(); }

void MainWindow::announceKeeping()
{
    rig::Session* session = document_->session();
    if (session == nullptr)
        return;
    const auto keeping = session->keeping();
    const bool worse = keeping.disk > announced_;
    announced_ = keeping.disk;
    if (!worse)
        return;
    // Said once and without holding anything up; the status line goes on saying it.
    if (keepingBox_.isNull()) {
        keepingBox_ = new QMessageBox(QMessageBox::Warning, tr("Wavetrope"), {}, QMessageBox::Ok, this);
        keepingBox_->setObjectName(QStringLiteral("keepingProblem"));
        keepingBox_->setAttribute(Qt::WA_DeleteOnClose);
        keepingBox_->setModal(false);
    }
    keepingBox_->setText(QString::fromStdString(keeping.words) + QLatin1Char('.'));
    keepingBox_->show();
}

void MainWindow::undo(bool redo)
{
    Page* page = currentPage();
    if (page == nullptr)
        return;
    const bool edits = !pageTabs_->hasFocus() && stage_->desk().canStep(redo);
    if (auto* databases = page->find<DatabaseView>(); edits && databases != nullptr && databases->isVisible())
        return databases->undo(redo);
    if (auto* review = page->find<ReviewView>(); edits && review != nullptr && review->isVisible())
        return redo ? review->desk().redo() : review->desk().undo();
    // What was done last in what the page shows, or with the pages themselves.
    std::vector<QUndoStack*> stacks = {&pageSteps_};
    for (View* view : page->views()) {
        if (auto* lanes = qobject_cast<LanesView*>(view))
            stacks.push_back(&lanes->undoStack());
        else if (auto* nodes = qobject_cast<NodesView*>(view))
            stacks.push_back(&nodes->undoStack());
        else if (auto* playback = qobject_cast<PlaybackView*>(view))
            stacks.push_back(&playback->undoStack());
        else if (qobject_cast<NotesView*>(view) != nullptr || qobject_cast<StreamView*>(view) != nullptr)
            stacks.push_back(&stage_->notes().undoStack());
    }
    QUndoStack* latest = nullptr;
    for (QUndoStack* stack : stacks) {
        const auto time = [redo](QUndoStack* of) { return redo ? EditTimes::ofRedo(*of) : EditTimes::ofUndo(*of); };
        if (time(stack) == 0)
            continue;
        // The step that was undone last was done before those undone earlier.
        if (latest == nullptr || (redo ? time(stack) < time(latest) : time(stack) > time(latest)))
            latest = stack;
    }
    if (latest != nullptr) {
        redo ? latest->redo() : latest->undo();
        return;
    }
    // A file that was dropped on a bus, for example.
    if (stage_->desk().arrangedLast(redo))
        redo ? stage_->desk().redo() : stage_->desk().undo();
}

void MainWindow::startStop()
{
    rig::Session* session = document_->session();
    if (session == nullptr)
        return;
    if (session->running())
        session->stop();
    else
        session->start(wall_);
}

void MainWindow::record(bool filtered)
{
    rig::Session* session = document_->session();
    if (session == nullptr)
        return;
    QString problem;
    if (session->recording().on) {
        session->call([&](rig::Session& s) {
            if (auto finished = s.finishRecording(); !finished)
                problem = QString::fromStdString(finished.error().text());
        });
    } else {
        const auto* stream = filtered && currentPage() != nullptr ? currentPage()->find<StreamView>() : nullptr;
        const std::string filter = stream != nullptr ? stream->filterText().toStdString() : std::string();
        const QString path = QFileDialog::getSaveFileName(this, filter.empty() ? tr("Record to") : tr("Record what passes %1 to").arg(QString::fromStdString(filter)), QStringLiteral("recording.pcapng"), tr("Logs (*.pcapng *.pcap *.gz *.zst)"));
        if (path.isEmpty())
            return;
        session->call([&](rig::Session& s) {
            if (auto started = s.record(path.toStdString(), filter); !started)
                problem = QString::fromStdString(started.error().text());
        });
    }
    if (!problem.isEmpty())
        QMessageBox::warning(this, tr("Wavetrope"), problem);
    status_->refresh();
}

void MainWindow::saveRunTo(const QString& path)
{
    if (saving_)
        return;
    if (saver_.joinable())
        saver_.join();
    saving_ = true;
    cancelSaving_ = false;
    const trace::Snapshot snapshot = document_->trace().snapshot();
    savingRows_ = snapshot.rows();
    const QPointer<MainWindow> self(this);
    saver_ = std::thread([this, self, snapshot, path, catalog = document_->catalog()] {
        convert::Conversion conversion;
        conversion.path = path.toStdString();
        conversion.overwrite = true;    // the file dialog has asked
        const auto saved = convert::convert(snapshot, catalog, conversion, [this](std::uint64_t done, std::uint64_t total) {
            QMetaObject::invokeMethod(
                this, [this, done, total] { status_->tell(tr("saving, %1 %. Escape cancels").arg(100 * done / std::max<std::uint64_t>(1, total))); }, Qt::QueuedConnection);
            return !cancelSaving_;
        });
        const QString problem = saved ? QString() : QString::fromStdString(saved.error().text());
        QMetaObject::invokeMethod(
            this,
            [self, path, problem] {
                if (self.isNull())
                    return;
                self->saving_ = false;
                if (problem.isEmpty())
                    self->savedRows_ = self->savingRows_;
                const bool closing = std::exchange(self->closeWhenSaved_, false) && problem.isEmpty();
                if (problem.isEmpty() && !self->stage_->notes().notes().all().empty())
                    self->stage_->notes().saveTo(path.toStdString());
                Q_EMIT self->runSaved(path, problem);
                if (!problem.isEmpty() && !self->cancelSaving_)
                    QMessageBox::warning(self, tr("Wavetrope"), problem);
                else
                    self->status_->tell(problem.isEmpty() ? tr("saved to %1").arg(path) : problem);
                if (closing)
                    self->close();
            },
            Qt::QueuedConnection);
    });
}

void MainWindow::convert()
{
    if (!document_->begun())
        return;
    auto* stream = currentPage() != nullptr ? currentPage()->find<StreamView>() : nullptr;
    auto* dialog = new ConvertDialog(*stage_, stream != nullptr ? stream->filterLine()->text() : QString(), this);
    dialog->show();
}

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
            choices << tr("%1, %2 s of run time").arg(one->document_->title()).arg(static_cast<double>((one->document_->session()->now() - one->document_->begins()).count()) * 1e-9, 0, 'f', 0) + (choices.isEmpty() ? QString() : tr(" (%1)").arg(choices.size() + 1));
        choices << tr("a new window");
        bool good = false;
        const QString chosen = QInputDialog::getItem(this, tr("Play the log in"), tr("The rig runs in several windows. Play it in:"), choices, 0, false, &good);
        if (!good)
            return;
        const qsizetype index = choices.indexOf(chosen);
        window = index < static_cast<qsizetype>(running.size()) ? running[static_cast<std::size_t>(index)] : nullptr;
    }
    if (window == nullptr) {
        auto document = RunDocument::live(document_->rig());
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

void MainWindow::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Space) {
        stage_->now();
        status_->refresh();
    } else if (event->key() == Qt::Key_Escape) {
        cancelSaving_ = true;
        document_->cancelReading();
    } else {
        QMainWindow::keyPressEvent(event);
    }
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

void MainWindow::fitToScreen()
{
    // Never more than the screen has room for, the window's own frame counted.
    const QScreen* at = screen() != nullptr ? screen() : QGuiApplication::primaryScreen();
    const QSize room = at != nullptr ? at->availableSize() - QSize(8, 40) : QSize(1280, 800);
    setMinimumSize(QSize(640, 420).boundedTo(room));
    resize(QSize(1280, 800).boundedTo(room));
}

void MainWindow::showHelp(HelpDialog::Chapter chapter)
{
    QString kind;
    for (const Pane* pane : currentPage() != nullptr ? currentPage()->panes() : std::vector<Pane*>{})
        for (const Pane::Entry& entry : pane->entries())
            if (entry.view == QApplication::focusWidget() || entry.view->isAncestorOf(QApplication::focusWidget()))
                kind = QLatin1String(entry.kind->kind);
    auto* dialog = new HelpDialog(*this, chapter, kind, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->QDialog::show();
}

void MainWindow::goToPane(int step)
{
    std::vector<QWidget*> panes = {runBar_, timeline_, tree_};
    for (View* view : currentPage() != nullptr ? currentPage()->views() : std::vector<View*>{})
        if (view->isVisible())
            panes.push_back(view);
    panes.push_back(inspector_);
    int at = -1;
    QWidget* focus = QApplication::focusWidget();
    for (std::size_t i = 0; i < panes.size(); ++i)
        if (focus != nullptr && (panes[i] == focus || panes[i]->isAncestorOf(focus)))
            at = static_cast<int>(i);
    const int count = static_cast<int>(panes.size());
    for (int tries = 0; tries < count; ++tries) {
        at = (at + step + count) % count;
        QWidget* pane = panes[static_cast<std::size_t>(at)];
        QWidget* target = pane == tree_ ? static_cast<QWidget*>(tree_->tree()) : pane == runBar_ ? static_cast<QWidget*>(runBar_->nameButton) : pane;
        target->setFocus(Qt::TabFocusReason);
        QWidget* now = QApplication::focusWidget();
        if (now != nullptr && (now == target || target->isAncestorOf(now)))
            return;
    }
}

}  // namespace wavetrope::app
