#include "app/shell/main_window.h"

#include <QApplication>
#include <QDropEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPointer>
#include <QSettings>
#include <QSplitter>
#include <QStackedWidget>
#include <QUrl>
#include <QVBoxLayout>

#include <algorithm>

#include "app/convert/convert_dialog.h"
#include "app/database/database_view.h"
#include "app/database/findings_view.h"
#include "app/inspector/inspector_view.h"
#include "app/keeping/keeping.h"
#include "app/lanes/lanes_view.h"
#include "app/nodes/nodes_view.h"
#include "app/notes/notes_view.h"
#include "app/playback/playback_view.h"
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

nlohmann::json usualPages()
{
    return nlohmann::json::parse(R"([
{"name":"Watch","layout":{"split":"vertical","sizes":[58,42],"parts":[{"tabs":[{"view":"roster"}]},{"tabs":[{"view":"stream"}]}]}},
{"name":"Analyse","layout":{"split":"vertical","sizes":[62,38],"parts":[{"tabs":[{"view":"lanes"}]},{"tabs":[{"view":"load"},{"view":"events"}]}]}},
{"name":"Drive","layout":{"split":"vertical","sizes":[48,52],"parts":[{"tabs":[{"view":"playback"}]},{"tabs":[{"view":"nodes"}]}]}},
{"name":"Databases","layout":{"tabs":[{"view":"database"},{"view":"coverage"},{"view":"review"},{"view":"compare"}]}}])");
}

}  // namespace

const std::vector<MainWindow*>& MainWindow::all() { return windows(); }

MainWindow::MainWindow(std::unique_ptr<RunDocument> document) : document_(std::move(document)), stage_(std::make_unique<Stage>(*document_)), menu_(new QMenu(this))
{
    windows().push_back(this);
    setAttribute(Qt::WA_DeleteOnClose);
    setWindowTitle(document_->title() + QStringLiteral(" - Wavetrope"));
    setAcceptDrops(true);
    resize(1280, 800);
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
    pageTabs_->setMovable(false);
    pageTabs_->setToolTip(tr("Pages  (Ctrl+1, Ctrl+2, ...). Double click: rename"));
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
        pagesChanged_ = true;
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
    connect(&stage_->desk(), &Desk::arranged, this, [this] { pagesChanged_ = true; });
    connect(stage_.get(), &Stage::filtersChanged, this, [this] { pagesChanged_ = true; });
    connect(&stage_->notes(), &NoteDesk::problem, this, [this](const QString& problem) { QMessageBox::warning(this, tr("Wavetrope"), problem); });
    connect(stage_.get(), &Stage::replayWanted, this, &MainWindow::replay);
    connect(stage_.get(), &Stage::definitionWanted, this, &MainWindow::openDefinition);
    buildPages();
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
    if (document_->isLive())
        add(menu_, tr("Save rig"), QKeySequence::Save, [this] { saveRigTo(QString::fromStdString(document_->rig().path)); });
    menu_->addSeparator();
    add(menu_, tr("Undo"), QKeySequence::Undo, [this] { undo(false); });
    add(menu_, tr("Redo"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), [this] { undo(true); });
    menu_->addSeparator();
    if (document_->isLive()) {
        add(menu_, tr("Start or stop"), Qt::Key_F5, [this] { startStop(); });
        add(menu_, tr("Record or end recording"), Qt::Key_F8, [this] { record(false); });
        add(menu_, tr("Record what the stream's filter passes"), QKeySequence(Qt::SHIFT | Qt::Key_F8), [this] { record(true); })->setObjectName(QStringLiteral("recordFiltered"));
        add(menu_, tr("Hold the views, capture goes on"), Qt::Key_F6, [this] { stage_->rest(); })->setObjectName(QStringLiteral("hold"));
    }
    add(menu_, tr("Find in the rig"), QKeySequence(Qt::CTRL | Qt::Key_L), [this] {
        tree_->findBox()->setFocus();
        tree_->findBox()->selectAll();
    });
    add(menu_, tr("Filter"), QKeySequence::Find, [this] {
        if (Page* page = currentPage()) {
            if (auto* stream = page->find<StreamView>())
                stream->filterLine()->edit()->setFocus();
        }
    });
    menu_->addSeparator();
    add(menu_, tr("Paper or Ink"), QKeySequence(Qt::CTRL | Qt::Key_T), [] {
        Theme::get().choose(Theme::get().name() == ThemeName::paper ? ThemeName::ink : ThemeName::paper);
        QSettings().setValue(QStringLiteral("theme"), Theme::get().name() == ThemeName::ink ? QStringLiteral("ink") : QStringLiteral("paper"));
    });
    add(menu_, tr("Memory and disk..."), {}, [this] { KeepingDialog(this).exec(); })->setObjectName(QStringLiteral("keeping"));
    const auto scale = [](double by) {
        Theme::get().setScale(Theme::get().scale() + by);
        QSettings().setValue(QStringLiteral("scale"), Theme::get().scale());
    };
    add(menu_, tr("Larger text"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Plus), [scale] { scale(0.1); });
    add(menu_, tr("Smaller text"), QKeySequence(Qt::CTRL | Qt::Key_Minus), [scale] { scale(-0.1); });
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

void MainWindow::buildPages()
{
    const auto& document = document_->rig().document;
    const nlohmann::json pages = document.contains("pages") && document["pages"].is_array() && !document["pages"].empty() ? document["pages"] : usualPages();
    for (const auto& page : pages)
        if (page.is_object() && page.contains("name") && page["name"].is_string())
            addPage(QString::fromStdString(page["name"].get<std::string>()), page.contains("layout") ? page["layout"] : nlohmann::json::object());
    pagesChanged_ = false;
}

void MainWindow::addPage(const QString& name, const nlohmann::json& layout)
{
    auto* page = new Page(*stage_, name);
    page->restore(layout);
    pages_->addWidget(page);
    pageTabs_->addTab(name);
    connect(page, &Page::changed, this, [this] { pagesChanged_ = true; });
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
    const auto keeping = session != nullptr ? session->keeping() : std::nullopt;
    if (!keeping || keeping->disk == announced_)
        return;
    const bool worse = keeping->disk > announced_;
    announced_ = keeping->disk;
    if (!worse)
        return;
    // Said once and without holding anything up; the status line goes on saying it.
    if (keepingBox_.isNull()) {
        keepingBox_ = new QMessageBox(QMessageBox::Warning, tr("Wavetrope"), {}, QMessageBox::Ok, this);
        keepingBox_->setObjectName(QStringLiteral("keepingProblem"));
        keepingBox_->setAttribute(Qt::WA_DeleteOnClose);
        keepingBox_->setModal(false);
    }
    keepingBox_->setText(QString::fromStdString(keeping->words) + QLatin1Char('.'));
    keepingBox_->show();
}

void MainWindow::undo(bool redo)
{
    Page* page = currentPage();
    if (page == nullptr)
        return;
    // The view in focus first, else the first of the page that has something to undo.
    if (auto* databases = page->find<DatabaseView>(); databases != nullptr && databases->isVisible())
        return databases->undo(redo);
    if (auto* review = page->find<ReviewView>(); review != nullptr && review->isVisible())
        return redo ? review->desk().redo() : review->desk().undo();
    std::vector<QUndoStack*> stacks;
    for (View* view : page->views()) {
        QUndoStack* stack = nullptr;
        if (auto* lanes = qobject_cast<LanesView*>(view))
            stack = &lanes->undoStack();
        else if (auto* nodes = qobject_cast<NodesView*>(view))
            stack = &nodes->undoStack();
        else if (auto* playback = qobject_cast<PlaybackView*>(view))
            stack = &playback->undoStack();
        else if (qobject_cast<NotesView*>(view) != nullptr || qobject_cast<StreamView*>(view) != nullptr)
            stack = &stage_->notes().undoStack();
        if (stack == nullptr)
            continue;
        if (view->isAncestorOf(QApplication::focusWidget()) || view == QApplication::focusWidget())
            stacks.insert(stacks.begin(), stack);
        else
            stacks.push_back(stack);
    }
    for (QUndoStack* stack : stacks)
        if (redo ? stack->canRedo() : stack->canUndo()) {
            redo ? stack->redo() : stack->undo();
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
    const trace::Snapshot snapshot = stage_->snapshot();
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
                if (problem.isEmpty() && !self->stage_->notes().notes().all().empty())
                    self->stage_->notes().saveTo(path.toStdString());
                Q_EMIT self->runSaved(path, problem);
                if (!problem.isEmpty() && !self->cancelSaving_)
                    QMessageBox::warning(self, tr("Wavetrope"), problem);
                else
                    self->status_->tell(problem.isEmpty() ? tr("saved to %1").arg(path) : problem);
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

bool MainWindow::saveRigTo(const QString& path)
{
    rig::Rig& rig = document_->rig();
    nlohmann::json pages = nlohmann::json::array();
    for (int i = 0; i < pages_->count(); ++i)
        pages.push_back(qobject_cast<Page*>(pages_->widget(i))->save());
    rig.document["pages"] = pages;
    if (const auto saved = rig::saveRig(rig, path.toStdString()); !saved) {
        QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(saved.error().text()));
        return false;
    }
    pagesChanged_ = false;
    status_->tell(tr("saved to %1").arg(path));
    return true;
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
    pagesChanged_ = true;
    show();
}

void MainWindow::replay(const QString& path)
{
    auto document = RunDocument::live(document_->rig());
    if (!document) {
        QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(document.error().text()));
        return;
    }
    auto* window = new MainWindow(std::move(*document));
    window->show();
    for (int i = 0; i < window->pages_->count(); ++i)
        if (auto* playback = qobject_cast<Page*>(window->pages_->widget(i))->find<PlaybackView>()) {
            window->pageTabs_->setCurrentIndex(i);
            playback->load(path);
            return;
        }
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
    for (const QUrl& url : event->mimeData()->urls())
        if (url.toLocalFile().endsWith(QLatin1String(".dbc"), Qt::CaseInsensitive))
            status_->tell(tr("Drop a database on the bus that it explains, in the tree on the left"));
        else if (url.isLocalFile())
            openFile(url.toLocalFile(), document_->rig(), this);
}

void MainWindow::closeEvent(QCloseEvent* event)
{
    rig::Session* session = document_->session();
    if (session != nullptr && session->recording().on)
        session->call([](rig::Session& s) { (void)s.finishRecording(); });
    event->accept();
}

}  // namespace wavetrope::app
