// SPDX-License-Identifier: GPL-3.0-or-later
// The window: run bar, timeline, rig tree, pages, inspector, status line.
#pragma once

#include <QMainWindow>
#include <QMenu>
#include <QMessageBox>
#include <QPointer>
#include <QTabBar>
#include <QUndoStack>

#include <memory>
#include <vector>

#include "app/shell/closing_dialog.h"
#include "app/shell/help_dialog.h"
#include "app/shell/page.h"
#include "app/shell/rig_tree.h"
#include "app/shell/run_bar.h"
#include "app/shell/timeline.h"

class QStackedWidget;
class QSplitter;

namespace wavetrope::app {

class Inspector;
class StatusLine;

/// One window, one trace: a live run or a log. Opening a log opens a window of its own.
class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(std::unique_ptr<RunDocument> document);
    ~MainWindow() override;

    /// Opens a rig or a log by its file in a new window; says what is wrong in a box when it cannot. `follow` reads a log on
    /// as it grows.
    static MainWindow* openFile(const QString& path, const rig::Rig& rigForLogs, QWidget* parent, bool follow = false);
    /// Opens several logs as one, behind a dialog that sets their offsets.
    static MainWindow* openLogs(const QStringList& paths, const rig::Rig& rigForLogs, QWidget* parent);
    /// Shows the runs that a crash left behind, where there are any; `asked` says so where there are none.
    void offerRecovery(bool asked = false);
    /// Windows that are open.
    [[nodiscard]] static const std::vector<MainWindow*>& all();

    [[nodiscard]] Stage& stage() { return *stage_; }
    [[nodiscard]] RunDocument& document() { return *document_; }
    [[nodiscard]] Page* page(const QString& name) const;
    void showPage(const QString& name);
    [[nodiscard]] Page* currentPage() const;
    [[nodiscard]] RigTree* rigTree() { return tree_; }
    [[nodiscard]] Timeline* timeline() { return timeline_; }
    [[nodiscard]] RunBar* runBar() { return runBar_; }
    [[nodiscard]] Inspector* inspector() { return inspector_; }
    /// Shows the definition of an identifier in the editor, or begins one.
    void openDefinition(int bus, unsigned idKey);
    [[nodiscard]] QString statusText() const;

    /// Saves what is in the trace as a log, in the background with progress.
    void saveRunTo(const QString& path);
    /// Asks for a form, and writes the run or a part of it so.
    void convert();
    /// Saves what is being edited: the database where its editor has the focus, else the rig.
    bool saveCurrent();
    /// Saves the rig whole, own definitions and pages among it; asks for a name where it has no file. False where it was not
    /// saved.
    bool saveRig();
    bool saveRigAs();
    bool saveRigTo(const QString& path);
    /// What would be lost if the window closed now.
    [[nodiscard]] std::vector<Loss> losses() const;
    /// Closes the window as if nothing in it mattered.
    void closeWithoutAsking();
    /// Whether a database, or the rig, was edited and not saved.
    [[nodiscard]] bool hasEdits() const;
    /// Keeps the run among those that were not ended, ends a recording, and closes without a question; edits go. False where
    /// something could not be kept, or is kept nowhere: it is then asked about as always.
    bool closeKeeping();
    /// Opens an empty rig in a window of its own.
    void newRig();
    void rigSettings();
    /// Whether nothing is here yet that would be missed: no bus, no file, no edit.
    [[nodiscard]] bool atEmptyDesk() const;
    /// Makes a rig of interfaces of the machine, and runs it in a window that takes the place of an empty one.
    void watch(const QStringList& interfaces);

    [[nodiscard]] Page* pageAt(int index) const;
    [[nodiscard]] int pageCount() const;
    void renamePage(int index, const QString& name);
    void movePage(int from, int to);
    /// Takes a page out; `step` makes it one that is undone. The last one stays.
    void removePage(int index, bool step = true);

Q_SIGNALS:
    void runSaved(const QString& path, const QString& problem);

protected:
    void keyPressEvent(QKeyEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    void buildMenu();
    bool pressForRules(const QKeyEvent& event);
    bool pressForRows(const QKeyEvent& event);
    void releaseRowKeys(const QString& key = {});
    void reportTo(int report, const QString& path);
    /// What went wrong while the log was read.
    void showProblem();
    void buildPages();
    void addPage(const QString& name, const nlohmann::json& layout, int at = -1);
    /// Goes to the page with a board, or makes one of it.
    void showBoard(const QString& name);
    void foldSides();
    void notePages();
    /// Takes the pages as they are for those that are kept.
    void keepPages();
    [[nodiscard]] nlohmann::json pagesNow() const;
    /// Whether anything of them would be written otherwise than it was.
    [[nodiscard]] bool pagesDiffer() const;
    void fitToScreen();
    /// Gives tree and inspector their usual width, until somebody drags it. In a narrow window they give way before the views,
    /// down to where their names would be cut.
    void divide();
    void openDropped(const QStringList& rigs, const QStringList& logs);
    void showHelp(HelpDialog::Chapter chapter);
    /// Gives the focus to the next of run bar, timeline, tree, views and inspector.
    void goToPane(int step);
    void askForPageName(int index);
    void showPageMenu(int index, const QPoint& at);
    /// Opens a rig or log, asked for where no path is given; the window takes the place of an empty one.
    void openFromHere(const QString& path);
    void makeWayFor(MainWindow* window);
    /// Opens a rig that was made up here in a window of its own; an empty desk gives way to it.
    void openMade(const nlohmann::json& document);
    void openDatabases(const QStringList& paths);
    /// A rig with the buses of this window's log.
    void rigFromLog();
    /// Begins a run with the rig as it shall be, in a window in place of this one.
    void restart();
    void takeIntoDocument();
    [[nodiscard]] bool nodesChanged() const;
    [[nodiscard]] bool rigChanged() const;
    [[nodiscard]] std::vector<std::size_t> changedDatabases() const;
    void refreshTitle();
    bool carryOut(const Loss& loss, Loss::Remedy remedy, spool::Spool::Keep until = spool::Spool::Keep::forATime);
    void showFirst(const char* kind, const std::function<bool(View*)>& use);
    /// Says once when the disk no longer takes the run, or soon will not.
    void announceKeeping();
    /// Begins a recording, of everything or of what the stream's filter passes, or ends the one that runs.
    void record(bool filtered);
    /// Opens the rig of this document in a window of its own, running, with a log in its playback.
    void replay(const QString& path);
    void startStop();
    void undo(bool redo);
    /// Has a view show what was asked for.
    void fulfil(const Wish& wish);
    /// Brings a view to the front that shows such things, on the page in sight, on another, or on a page made for it.
    View* viewFor(Wish::For what);

    std::unique_ptr<RunDocument> document_;
    std::unique_ptr<Stage> stage_;
    QMenu* menu_;
    RunBar* runBar_;
    Timeline* timeline_;
    QSplitter* across_;
    bool divided_ = false;              // by somebody's hand
    RigTree* tree_;
    QTabBar* pageTabs_;
    QStackedWidget* pages_;
    Inspector* inspector_;
    StatusLine* status_;
    unsigned beats_ = 0;
    bool saving_ = false;
    std::atomic<bool> cancelSaving_{false};
    QStringList rowKeysDown_;
    QToolButton* foldTree_ = nullptr;
    QToolButton* foldInspector_ = nullptr;
    std::thread saver_;
    bool pagesChanged_ = false;
    nlohmann::json keptPages_;
    bool movingPage_ = false;
    QUndoStack pageSteps_;
    bool askBeforeClosing_ = true;
    bool closeWhenSaved_ = false;
    bool movedOn_ = false;              // the rig goes on in another window
    std::uint64_t savedRows_ = 0;       // of the run, in the log that it was saved to
    std::uint64_t savingRows_ = 0;
    spool::SpoolReport::Disk announced_ = spool::SpoolReport::Disk::fine;
    QPointer<QMessageBox> keepingBox_;
    clock::SteadyClock wall_;
};

}  // namespace wavetrope::app
