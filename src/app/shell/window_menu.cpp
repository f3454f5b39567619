// SPDX-License-Identifier: GPL-3.0-or-later
// The menu of a window, its help, and going from pane to pane.
#include <QAction>
#include <QApplication>
#include <QMenu>
#include <QTabBar>

#include "app/files/log_files.h"
#include "app/files/recent_files.h"
#include "app/inspector/inspector_view.h"
#include "app/keeping/keeping.h"
#include "app/shell/main_window.h"
#include "app/shell/pace_button.h"
#include "app/shell/run_bar.h"
#include "app/parts/settings.h"
#include "app/shell/settings_dialog.h"
#include "app/stage/curve_desk.h"
#include "app/stage/derive_desk.h"
#include "app/stage/event_desk.h"
#include "app/stage/filter_line.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

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
    add(menu_, tr("Open log or rig..."), QKeySequence::Open, [this] { openFromHere({}); });
    auto* recent = menu_->addMenu(tr("Open recent"));
    recent->setObjectName(QStringLiteral("recent"));
    connect(recent, &QMenu::aboutToShow, this, [this, recent] {
        recent->clear();
        for (const QString& path : recentFiles())
            connect(recent->addAction(path), &QAction::triggered, this, [this, path] { openFromHere(path); });
        if (recent->isEmpty())
            recent->addAction(tr("nothing yet"))->setEnabled(false);
    });
    add(menu_, tr("New rig"), QKeySequence::New, [this] { newRig(); })->setObjectName(QStringLiteral("newRig"));
    if (!document_->isLive())
        add(menu_, tr("New rig from this log"), {}, [this] { rigFromLog(); })->setObjectName(QStringLiteral("rigFromLog"));
    add(menu_, tr("Open several logs as one..."), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O), [this] {
        const QStringList paths = askForLogs(this, tr("Open several logs as one"));
        if (!paths.isEmpty())
            openLogs(paths, document_->rig(), this);
    });
    add(menu_, tr("Follow a log as it grows..."), {}, [this] {
        const QString path = askForGrowingLog(this, tr("Follow a log that another program writes"));
        if (!path.isEmpty())
            openFile(path, document_->rig(), this, true);
    })->setObjectName(QStringLiteral("follow"));
    add(menu_, tr("Runs that were not ended..."), {}, [this] { offerRecovery(true); })->setObjectName(QStringLiteral("recover"));
    add(menu_, tr("Save run as log..."), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S), [this] {
        const QString path = askWhereToWriteLog(this, tr("Save what is in the trace"), QStringLiteral("run.pcapng"));
        if (!path.isEmpty())
            saveRunTo(path);
    })->setObjectName(QStringLiteral("saveRun"));
    add(menu_, tr("Convert..."), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_E), [this] {
        convert();
    })->setObjectName(QStringLiteral("convert"));
    menu_->addSeparator();
    add(menu_, tr("Save"), QKeySequence::Save, [this] { saveCurrent(); })->setObjectName(QStringLiteral("save"));
    add(menu_, tr("Save rig"), {}, [this] { saveRig(); })->setObjectName(QStringLiteral("saveRig"));
    add(menu_, tr("Save rig as..."), QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_S), [this] {
        saveRigAs();
    })->setObjectName(QStringLiteral("saveRigAs"));
    add(menu_, tr("Rig settings..."), {}, [this] { rigSettings(); })->setObjectName(QStringLiteral("rigSettings"));
    menu_->addSeparator();
    add(menu_, tr("Undo"), QKeySequence::Undo, [this] { undo(false); });
    add(menu_, tr("Redo"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), [this] { undo(true); });
    menu_->addSeparator();
    if (document_->isLive()) {
        add(menu_, tr("Start or stop"), Qt::Key_F5, [this] { startStop(); });
        add(menu_, tr("Record or end recording"), Qt::Key_F8, [this] { record(false); });
        add(menu_, tr("Record what the stream's filter passes"), QKeySequence(Qt::SHIFT | Qt::Key_F8), [this] {
            record(true);
        })->setObjectName(QStringLiteral("recordFiltered"));
        add(menu_, tr("Hold time, or let it go on"), QKeySequence(Qt::CTRL | Qt::Key_H), [this] {
            runBar_->pace->toggleHeld();
        })->setObjectName(QStringLiteral("holdTimeKey"));
        add(menu_, tr("Step to the next instant"), QKeySequence(Qt::CTRL | Qt::Key_J), [this] { runBar_->pace->step(); });
        add(menu_, tr("Step to the next frame"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_J), [this] { runBar_->pace->stepToFrame(); });
        add(menu_, tr("Hold the views, capture goes on"), Qt::Key_F7, [this] { stage_->rest(); })->setObjectName(QStringLiteral("hold"));
    }
    for (const bool back : {false, true})
        add(menu_, back ? tr("Event before") : tr("Next event"), back ? QKeySequence(Qt::SHIFT | Qt::Key_F4) : QKeySequence(Qt::Key_F4),
            [this, back] {
                if (!stage_->events().goNext(back))
                    Q_EMIT stage_->told(back ? tr("There is no event before") : tr("There is no event behind"));
            })
            ->setObjectName(back ? QStringLiteral("eventBefore") : QStringLiteral("nextEvent"));
    add(menu_, tr("Derive a signal..."), QKeySequence(Qt::CTRL | Qt::Key_D), [this] {
        stage_->derive().add(chosenCurve(*stage_));
    })->setObjectName(QStringLiteral("derive"));
    add(menu_, tr("Find in the rig"), QKeySequence(Qt::CTRL | Qt::Key_L), [this] {
        tree_->findBox()->setFocus();
        tree_->findBox()->selectAll();
    });
    add(menu_, tr("Filter of the page"), QKeySequence::Find, [this] {
        // That of the view in focus, else the first of the page.
        FilterLine* first = nullptr;
        for (View* view : currentPage() != nullptr ? currentPage()->views() : std::vector<View*>{}) {
            FilterLine* line = view->isVisible() ? view->filterLine() : nullptr;
            if (line != nullptr
                && (first == nullptr || view == QApplication::focusWidget() || view->isAncestorOf(QApplication::focusWidget())))
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
    // Whatever key gives plus, with Shift or without. One press stands for several sequences, as with Shift and without what it
    // types: no two of these may be of one press, or neither counts.
    add(menu_, tr("Larger text"), QKeySequence(Qt::CTRL | Qt::Key_Plus), [] { scaleText(0.1); })
        ->setShortcuts({QKeySequence(Qt::CTRL | Qt::Key_Plus), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Plus),
            QKeySequence(Qt::CTRL | Qt::Key_Equal)});
    add(menu_, tr("Smaller text"), QKeySequence(Qt::CTRL | Qt::Key_Minus), [] {
        scaleText(-0.1);
    })->setShortcuts({QKeySequence(Qt::CTRL | Qt::Key_Minus), QKeySequence(Qt::CTRL | Qt::Key_Underscore)});
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
        QWidget* target = pane == tree_     ? static_cast<QWidget*>(tree_->tree())
                          : pane == runBar_ ? static_cast<QWidget*>(runBar_->nameButton)
                                            : pane;
        target->setFocus(Qt::TabFocusReason);
        QWidget* now = QApplication::focusWidget();
        if (now != nullptr && (now == target || target->isAncestorOf(now)))
            return;
    }
}

}  // namespace wavetrope::app
