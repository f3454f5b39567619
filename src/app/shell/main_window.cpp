// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/main_window.h"

#include <QApplication>
#include <QDropEvent>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPointer>
#include <QProgressDialog>
#include <QPushButton>
#include <QSplitter>
#include <QStackedWidget>
#include <QTimer>
#include <QUrl>
#include <QVBoxLayout>

#include <algorithm>
#include <utility>

#include "app/board/board_view.h"
#include "app/convert/convert_dialog.h"
#include "app/files/log_files.h"
#include "app/inspector/inspector_view.h"
#include "app/keeping/keeping.h"
#include "app/parts/edit_times.h"
#include "app/parts/screen_room.h"
#include "app/shell/focus_mark.h"
#include "app/parts/settings.h"
#include "app/parts/text.h"
#include "app/shell/report_writer.h"
#include "app/shell/settings_dialog.h"
#include "app/shell/status_line.h"
#include "app/stage/board_desk.h"
#include "app/stage/derive_desk.h"
#include "app/stage/desk.h"
#include "app/stage/note_desk.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/row_keys.h"
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

MainWindow::MainWindow(std::unique_ptr<RunDocument> document)
    : document_(std::move(document)), stage_(std::make_unique<Stage>(*document_)), menu_(new QMenu(this))
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
    // On the page of a board that is in use, tree and inspector are words at the ends of the tab line.
    for (QToolButton** fold : {&foldTree_, &foldInspector_}) {
        *fold = new QToolButton;
        (*fold)->setAutoRaise(true);
        (*fold)->setCheckable(true);
        (*fold)->hide();
        connect(*fold, &QToolButton::toggled, this, &MainWindow::foldSides);
    }
    foldTree_->setObjectName(QStringLiteral("foldTree"));
    foldInspector_->setObjectName(QStringLiteral("foldInspector"));
    foldTree_->setText(tr("Rig"));
    foldInspector_->setText(tr("Inspector"));
    foldTree_->setToolTip(tr("The tree of the rig beside the board"));
    foldInspector_->setToolTip(tr("The inspector beside the board"));
    foldTree_->setArrowType(Qt::RightArrow);
    foldInspector_->setArrowType(Qt::LeftArrow);
    for (QToolButton* fold : {foldTree_, foldInspector_})
        fold->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    tabLine->addWidget(foldTree_);
    tabLine->addWidget(pageTabs_);
    auto* add = new QToolButton;
    add->setObjectName(QStringLiteral("addPage"));
    add->setToolTip(tr("New page"));
    tabLine->addWidget(add);
    tabLine->addStretch(1);
    tabLine->addWidget(foldInspector_);
    middleColumn->addLayout(tabLine);
    pages_ = new QStackedWidget;
    middleColumn->addWidget(pages_, 1);
    inspector_ = new Inspector(*stage_);
    across->addWidget(tree_);
    across->addWidget(middle);
    across->addWidget(inspector_);
    across->setStretchFactor(1, 1);
    across_ = across;
    divide();
    connect(across, &QSplitter::splitterMoved, this, [this] { divided_ = true; });
    column->addWidget(across, 1);
    setCentralWidget(centre);

    status_ = new StatusLine(*stage_);
    setStatusBar(status_);

    const auto restyle = [this, add, middle] {
        const Theme& theme = Theme::get();
        pageTabs_->setFont(theme.text(12));
        pageTabs_->setStyleSheet(
            QStringLiteral("QTabBar::tab { background: transparent; border: none; border-bottom: 2px solid transparent; padding: 5px 8px; "
                           "color: %1; } QTabBar::tab:selected { color: %2; border-bottom-color: %3; font-weight: 600; }")
                .arg(theme.ink2.name(), theme.ink.name(), theme.accent.name()));
        add->setIcon(theme.icon("add", theme.ink2));
        foldTree_->setFont(theme.body());
        foldInspector_->setFont(theme.body());
        // Names in the tree are cut last: the views between give way first, and they scroll.
        tree_->setMinimumWidth(theme.px(150));
        middle->setMinimumWidth(theme.px(360));
        inspector_->setMinimumWidth(theme.px(170));
        divide();
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    connect(pageTabs_, &QTabBar::currentChanged, pages_, &QStackedWidget::setCurrentIndex);
    connect(pages_, &QStackedWidget::currentChanged, this, &MainWindow::foldSides);
    connect(&stage_->boards(), &BoardDesk::editingChanged, this, &MainWindow::foldSides);
    connect(pageTabs_, &QTabBar::currentChanged, pageTabs_,
        [this] { pageTabs_->updateGeometry(); });     // the chosen one is written stronger, and wider
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
        if (document_->ready() && !document_->problem().empty())
            showProblem();
        if (Page* page = currentPage())
            page->update();
        status_->refresh();
    });
    // A signal to plot, with no lanes in sight: go where they are, and the page shows it.
    connect(stage_.get(), &Stage::questionWanted, this,
        [this](unsigned bus, const QString& line) { fulfil({Wish::For::question, line, static_cast<std::uint8_t>(bus), {}}); });
    connect(stage_.get(), &Stage::plotWanted, this, [this] { (void)viewFor(Wish::For::plot); });
    connect(stage_.get(), &Stage::filterWanted, this, [this] { (void)viewFor(Wish::For::filter); });
    for (auto signal : {&Desk::arranged, &Desk::edited, &Desk::entriesChanged})
        connect(&stage_->desk(), signal, this, &MainWindow::refreshTitle);
    connect(stage_.get(), &Stage::filtersChanged, this, &MainWindow::refreshTitle);
    connect(stage_.get(), &Stage::told, this, [this](const QString& text) { status_->tell(text); });
    connect(&stage_->notes(), &NoteDesk::problem, this,
        [this](const QString& problem) { QMessageBox::warning(this, tr("Wavetrope"), problem); });
    connect(stage_.get(), &Stage::replayWanted, this, &MainWindow::replay);
    connect(stage_.get(), &Stage::rigSaveWanted, this, [this] { saveRig(); });
    connect(stage_.get(), &Stage::definitionWanted, this, &MainWindow::openDefinition);
    connect(
        stage_.get(), &Stage::manipulationWanted, this, [this](const QString& line) { fulfil({Wish::For::manipulation, line, 0, {}}); });
    // Queued: this window may make way for another.
    connect(stage_.get(), &Stage::watchWanted, this, &MainWindow::watch, Qt::QueuedConnection);
    connect(stage_.get(), &Stage::fileWanted, this, &MainWindow::openFromHere, Qt::QueuedConnection);
    connect(stage_.get(), &Stage::newRigWanted, this, &MainWindow::newRig, Qt::QueuedConnection);
    connect(&stage_->boards(), &BoardDesk::showWanted, this, &MainWindow::showBoard);
    connect(stage_.get(), &Stage::reportWanted, this, &MainWindow::reportTo, Qt::QueuedConnection);
    connect(stage_.get(), &Stage::restartWanted, this, &MainWindow::restart, Qt::QueuedConnection);
    new FocusMark(this);
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

void MainWindow::reportTo(int report, const QString& path)
{
    const auto& reports = document_->rig().reports;
    if (report < 0 || static_cast<std::size_t>(report) >= reports.size())
        return;
    const rig::ReportSpec wanted = reports[static_cast<std::size_t>(report)];
    QProgressDialog progress(tr("Writing the report %1").arg(text(wanted.name)), tr("Cancel"), 0, 100, this);
    progress.setWindowModality(Qt::WindowModal);
    progress.setMinimumDuration(300);
    const auto done = writeReport(*this, wanted, path, [&](int percent) {
        progress.setValue(percent);
        return !progress.wasCanceled();
    });
    const bool cancelled = progress.wasCanceled();
    progress.reset();
    if (done)
        status_->tell(tr("saved to %1").arg(path));
    else if (!cancelled)
        QMessageBox::warning(this, tr("Wavetrope"), text(done.error().text()));
}

void MainWindow::showProblem()
{
    auto* box = new QMessageBox(QMessageBox::Warning, tr("Wavetrope"), QString::fromStdString(document_->problem()), QMessageBox::Ok, this);
    box->setAttribute(Qt::WA_DeleteOnClose);
    QStringList lines;
    for (const Error& line : document_->badLines())
        lines << tr("line %1: %2").arg(line.line).arg(QString::fromStdString(line.what));
    if (!lines.isEmpty())
        box->setDetailedText(lines.join(QLatin1Char('\n')));
    box->open();
}

Page* MainWindow::page(const QString& name) const
{
    for (int i = 0; i < pages_->count(); ++i)
        if (auto* page = qobject_cast<Page*>(pages_->widget(i)); page->name() == name)
            return page;
    return nullptr;
}

void MainWindow::fulfil(const Wish& wish)
{
    if (View* view = viewFor(wish.what))
        view->present(wish);
}

View* MainWindow::viewFor(Wish::For what)
{
    // What is in sight first, then the pages as they stand.
    std::vector<int> order = {pages_->currentIndex()};
    for (int i = 0; i < pages_->count(); ++i)
        order.push_back(i);
    for (const int index : order) {
        Page* page = pageAt(index);
        if (page == nullptr)
            continue;
        for (Pane* pane : page->panes())
            for (int i = 0; i < pane->count(); ++i) {
                View* view = pane->entries()[static_cast<std::size_t>(i)].view;
                if (!view->takes(what))
                    continue;
                pageTabs_->setCurrentIndex(index);
                pane->setCurrent(i);
                return view;
            }
    }
    // It may have been closed: a page for it.
    for (const ViewKind& kind : viewKinds())
        if (kind.place && kind.place->what == what) {
            addPage(tr(kind.place->page), nlohmann::json::parse(kind.place->layout));
            notePages();
            return viewFor(what);
        }
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
    // Edits of what a view shows, unless the pages themselves are meant.
    if (!pageTabs_->hasFocus())
        for (View* view : page->views())
            if (view->isVisible() && view->step(redo))
                return;
    // What was done last in what the page shows, or with the pages themselves.
    std::vector<QUndoStack*> stacks = {&pageSteps_, &stage_->derive().undoStack()};     // the inspector stands beside all pages
    for (View* view : page->views())
        for (QUndoStack* stack : {view->undoStack(), view->sharedUndoStack()})
            if (stack != nullptr && std::find(stacks.begin(), stacks.end(), stack) == stacks.end())
                stacks.push_back(stack);
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
    // Done between events of the run, however long the disk takes; the window goes on.
    const QPointer<MainWindow> self(this);
    const auto done = [self](const Expected<void>& outcome) {
        const QString problem = outcome ? QString() : QString::fromStdString(outcome.error().text());
        QMetaObject::invokeMethod(
            qApp,
            [self, problem] {
                if (self.isNull())
                    return;
                if (!problem.isEmpty())
                    QMessageBox::warning(self, tr("Wavetrope"), problem);
                self->status_->refresh();
            },
            Qt::QueuedConnection);
    };
    if (session->recording().on) {
        session->post([done](rig::Session& s) { done(s.finishRecording()); });
    } else {
        const auto* stream = filtered && currentPage() != nullptr ? currentPage()->find<StreamView>() : nullptr;
        const std::string filter = stream != nullptr ? stream->filterText().toStdString() : std::string();
        const QString path = askWhereToWriteLog(this,
            filter.empty() ? tr("Record to") : tr("Record what passes %1 to").arg(QString::fromStdString(filter)),
            QStringLiteral("recording.pcapng"));
        if (path.isEmpty())
            return;
        session->post([done, to = path.toStdString(), filter](rig::Session& s) { done(s.record(to, filter)); });
    }
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
                this,
                [this, done, total] {
                    status_->tell(tr("saving, %1 %. Escape cancels").arg(100 * done / std::max<std::uint64_t>(1, total)));
                },
                Qt::QueuedConnection);
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

void MainWindow::foldSides()
{
    BoardView* board = currentPage() != nullptr && currentPage()->views().size() == 1 ? currentPage()->find<BoardView>() : nullptr;
    const bool fold = board != nullptr && !board->editing();
    foldTree_->setVisible(fold);
    foldInspector_->setVisible(fold);
    tree_->setVisible(!fold || foldTree_->isChecked());
    inspector_->setVisible(!fold || foldInspector_->isChecked());
    foldTree_->setArrowType(foldTree_->isChecked() ? Qt::LeftArrow : Qt::RightArrow);
    foldInspector_->setArrowType(foldInspector_->isChecked() ? Qt::RightArrow : Qt::LeftArrow);
}

// Keys that conditions of the rig hang on.
bool MainWindow::pressForRules(const QKeyEvent& event)
{
    rig::Session* session = document_->session();
    if (session == nullptr || event.isAutoRepeat())
        return false;
    const QKeySequence pressed(event.keyCombination());
    bool found = false;
    for (const rig::EventSpec& spec : document_->rig().events) {
        if (spec.kind != rules::ConditionKind::key || QKeySequence(QString::fromStdString(spec.word)) != pressed)
            continue;
        found = true;
        session->post([word = spec.word](rig::Session& run) {
            if (run.rules() != nullptr)
                run.rules()->press(word, run.scheduler().now());
        });
    }
    return found;
}

// Keys that rows of the outbox are sent by. They count as held until they come up, or the window is no longer in front.
bool MainWindow::pressForRows(const QKeyEvent& event)
{
    const QString key = rowKeyOf(event);
    if (key.isEmpty() || document_->session() == nullptr)
        return false;
    if (event.isAutoRepeat())
        return rowKeysDown_.contains(key);
    const bool ofRow = stage_->outbox().key(key, true);
    if (!stage_->boards().key(key, true) && !ofRow)
        return false;
    if (rowKeysDown_.isEmpty())
        qApp->installEventFilter(this);
    rowKeysDown_ << key;
    return true;
}

void MainWindow::releaseRowKeys(const QString& key)
{
    for (const QString& down : key.isEmpty() ? rowKeysDown_ : QStringList(key)) {
        stage_->outbox().key(down, false);
        stage_->boards().key(down, false);
    }
    if (key.isEmpty())
        rowKeysDown_.clear();
    else
        rowKeysDown_.removeAll(key);
    if (rowKeysDown_.isEmpty())
        qApp->removeEventFilter(this);
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event)
{
    if (event->type() == QEvent::KeyRelease) {
        const auto& released = static_cast<QKeyEvent&>(*event);
        if (const QString key = rowKeyOf(released); !released.isAutoRepeat() && rowKeysDown_.contains(key))
            releaseRowKeys(key);
    } else if (event->type() == QEvent::WindowDeactivate && watched == this && !rowKeysDown_.isEmpty()) {
        releaseRowKeys();
    }
    return QMainWindow::eventFilter(watched, event);
}

void MainWindow::keyPressEvent(QKeyEvent* event)
{
    if (pressForRules(*event) || pressForRows(*event))
        return;
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

void MainWindow::resizeEvent(QResizeEvent* event)
{
    QMainWindow::resizeEvent(event);
    divide();
}

void MainWindow::divide()
{
    if (divided_ || width() < minimumWidth())
        return;
    const auto px = [](double units) { return Theme::get().px(units); };
    const int forTree = std::clamp(width() - px(940), px(150), px(228));
    const int forInspector = std::clamp(width() - px(700) - forTree, px(170), px(276));
    across_->setSizes({forTree, std::max(px(360), width() - forTree - forInspector), forInspector});
}

void MainWindow::fitToScreen()
{
    // Never more than the screen has room for, the window's own frame counted.
    setMinimumSize(withinScreen(*this, {640, 420}));
    resize(withinScreen(*this, {1280, 800}));
}

}  // namespace wavetrope::app
