// SPDX-License-Identifier: GPL-3.0-or-later
// What a window keeps and asks about: pages and their steps, the rig, the run.
#include <QAction>
#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFileInfo>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QSettings>
#include <QSpinBox>
#include <QTabBar>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTest>
#include <QTextBrowser>

#include <algorithm>

#include "answers.h"
#include "app/files/recent_files.h"
#include "app/keeping/keeping.h"
#include "app/keeping/keeping_options.h"
#include "app/keeping/recovery_dialog.h"
#include "app/parts/recent_warnings.h"
#include "app/shell/closing_dialog.h"
#include "app/shell/help_dialog.h"
#include "app/shell/main_window.h"
#include "app/shell/rig_settings_dialog.h"
#include "app/shell/settings_dialog.h"
#include "app/stage/filter_line.h"
#include "app/stream/stream_view.h"
#include "app/theme/theme.h"
#include "filter/language.h"
#include "formats/trace_sink.h"
#include "spool/unfinished.h"

using namespace wavetrope;
using namespace wavetrope::app;

class ClosingTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    QString path() const { return folder_.filePath(QStringLiteral("rig.json")); }
    QByteArray text() const
    {
        QFile file(path());
        return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
    }
    std::string runs() const { return folder_.filePath(QStringLiteral("runs")).toStdString(); }

    /// A window on a rig of one node, as it was written to the disk.
    std::unique_ptr<MainWindow> window()
    {
        QFile file(path());
        if (!file.open(QIODevice::WriteOnly))
            return nullptr;
        file.write("{\n  \"wavetrope\": 1,\n  \"name\": \"small\",\n  \"seed\": 3,\n  \"buses\": [{\"name\": \"A\", \"rate\": \"500k\"}],\n"
                   "  \"nodes\": [{\"name\": \"N\", \"buses\": [\"A\"], \"sends\": [{\"id\": \"0x123\", \"bus\": \"A\", \"every\": \"5 "
                   "ms\"}]}]\n}\n");
        file.close();
        const auto rig = rig::loadRig(path().toStdString());
        auto document = liveRun(*rig);
        if (!document)
            return nullptr;
        auto made = std::make_unique<MainWindow>(std::move(*document));
        made->resize(1280, 800);
        made->show();
        if (!QTest::qWaitForWindowExposed(made.get()))
            return nullptr;
        return made;
    }
    static QStringList pagesOf(const MainWindow& window)
    {
        QStringList names;
        for (int i = 0; i < window.pageCount(); ++i)
            names << window.pageAt(i)->name();
        return names;
    }
    static void choose(ClosingDialog* dialog, int index, Loss::Remedy remedy)
    {
        auto* box = dialog->findChild<QComboBox*>(QStringLiteral("closing%1").arg(index));
        QVERIFY(box != nullptr);
        const int at = box->findData(static_cast<int>(remedy));
        QVERIFY(at >= 0);
        box->setCurrentIndex(at);
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        QApplication::setOrganizationName(QStringLiteral("wavetrope"));
        QApplication::setApplicationName(QStringLiteral("wavetrope"));
        QSettings().setValue(QStringLiteral("keeping/folder"), QString::fromStdString(runs()));
        QCOMPARE(keepingOptions()->folder, runs());
        Theme::get().choose(ThemeName::paper);
    }

    void pagesAreNamedMovedDoubledAndRemovedAndAllIsUndone()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        const QStringList before = pagesOf(*shown);
        QCOMPARE(before.size(), 7);
        QVERIFY(!shown->isWindowModified());
        auto* tabs = shown->findChild<QTabBar*>(QStringLiteral("pageTabs"));
        QVERIFY(tabs != nullptr);
        const auto pick = [&](int index, const char* name) {
            test::whenPopup<QMenu>(this, [name](QMenu* menu) {
                auto* action = menu->findChild<QAction*>(QLatin1String(name));
                QVERIFY(action != nullptr && action->isEnabled());
                menu->setActiveAction(action);
                QTest::keyClick(menu, Qt::Key_Return);
            });
            Q_EMIT tabs->customContextMenuRequested(tabs->tabRect(index).center());
        };
        pick(1, "movePageLeft");
        QTRY_COMPARE(pagesOf(*shown), (QStringList{before[1], before[0], before[2], before[3], before[4], before[5], before[6]}));
        QVERIFY(shown->isWindowModified());
        pick(4, "removePage");
        QTRY_COMPARE(shown->pageCount(), 6);
        pick(0, "duplicatePage");
        QTRY_COMPARE(shown->pageCount(), 7);
        QCOMPARE(pagesOf(*shown)[1], before[1] + QStringLiteral(" copy"));
        shown->removePage(1);
        test::whenModal<QInputDialog>(this, [](QInputDialog* dialog) {
            dialog->setTextValue(QStringLiteral("Cold start"));
            dialog->accept();
        });
        pick(0, "renamePage");
        QTRY_COMPARE(pagesOf(*shown)[0], QStringLiteral("Cold start"));
        QCOMPARE(tabs->tabText(0), QStringLiteral("Cold start"));
        // Step by step back, and the views of the removed page are there again.
        QApplication::setActiveWindow(shown.get());
        tabs->setFocus();
        for (int i = 0; i < 8 && pagesOf(*shown) != before; ++i)
            QTest::keyClick(shown.get(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(pagesOf(*shown).join(QLatin1Char(' ')), before.join(QLatin1Char(' ')));
        QVERIFY(!shown->pageAt(static_cast<int>(pagesOf(*shown).indexOf(before[4])))->views().empty());
        QVERIFY(!shown->isWindowModified());        // as it was, so there is nothing to save
        shown->closeWithoutAsking();
    }

    // The mark tells of what differs from the file, not of what was touched.
    void whatIsTypedAndTakenBackIsNoChange()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->showPage(QStringLiteral("Watch"));
        auto* stream = shown->currentPage()->find<StreamView>();
        QVERIFY(stream != nullptr);
        QLineEdit* edit = stream->filterLine()->edit();
        const QString given = edit->text();
        edit->setFocus();
        edit->selectAll();
        QTest::keyClicks(edit, QStringLiteral("id 0x181"));
        QTRY_VERIFY(shown->isWindowModified());
        edit->selectAll();
        if (given.isEmpty())
            QTest::keyClick(edit, Qt::Key_Backspace);
        else
            QTest::keyClicks(edit, given);
        QTRY_VERIFY(!shown->isWindowModified());
        // Nor does looking at another view of a pane; it is kept all the same where the rig is saved.
        shown->showPage(QStringLiteral("Analyse"));
        Pane* two = nullptr;
        for (Pane* pane : shown->currentPage()->panes())
            if (pane->count() > 1)
                two = pane;
        QVERIFY(two != nullptr && two->current() == 0);
        auto* tabs = two->findChild<QTabBar*>();
        QTest::mouseClick(tabs, Qt::LeftButton, Qt::NoModifier, tabs->tabRect(1).center());
        QCOMPARE(two->current(), 1);
        QVERIFY(!shown->isWindowModified());
        const QByteArray before = text();
        QVERIFY(shown->saveRig());
        QVERIFY(text() != before && text().contains("\"front\": 1"));
        QTest::mouseClick(tabs, Qt::LeftButton, Qt::NoModifier, tabs->tabRect(0).center());
        // Larger text changes nothing in the rig either.
        Theme::get().setScale(1.3);
        Theme::get().setScale(1);
        QVERIFY(!shown->isWindowModified());
        shown->closeWithoutAsking();
    }

    void theLastPageStays()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        while (shown->pageCount() > 1)
            shown->removePage(0);
        shown->removePage(0);
        QCOMPARE(shown->pageCount(), 1);
        shown->closeWithoutAsking();
    }

    void aChangedRigIsAskedAboutOnceAndSaved()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        const QByteArray before = text();
        shown->renamePage(0, QStringLiteral("Cold start"));
        QVERIFY(shown->isWindowModified());
        // Back: nothing is done, the window stays.
        bool asked = false;
        test::whenModal<ClosingDialog>(this, [&](ClosingDialog* dialog) {
            asked = true;
            QTest::keyClick(dialog, Qt::Key_Escape);
        });
        QVERIFY(!shown->close());
        QVERIFY(asked && shown->isVisible());
        QCOMPARE(text(), before);
        // Save, and let the run go.
        test::whenModal<ClosingDialog>(this, [&](ClosingDialog* dialog) {
            choose(dialog, 0, Loss::Remedy::save);
            choose(dialog, 1, Loss::Remedy::discard);
            QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("closingDo")), Qt::LeftButton);
        });
        QTRY_VERIFY(shown->document().trace().rows() > 0);
        QVERIFY(shown->close());
        const QByteArray after = text();
        QVERIFY(after.contains("Cold start"));
        QVERIFY(after.startsWith("{\n  \"wavetrope\": 1,\n  \"name\": \"small\",\n  \"seed\": 3,\n  \"buses\": [{\"name\": \"A\", "
                                 "\"rate\": \"500k\"}],\n"));    // as it stood there
    }

    void theRunIsKeptAndFoundAgain()
    {
        QDir(QString::fromStdString(runs())).removeRecursively();
        {
            auto shown = window();
            QVERIFY(shown != nullptr);
            QTRY_VERIFY(shown->document().trace().rows() > 50);
            QCOMPARE(shown->losses().size(), std::size_t{1});
            QCOMPARE(shown->losses()[0].kind, Loss::Kind::run);
            test::whenModal<ClosingDialog>(this, [&](ClosingDialog* dialog) {
                choose(dialog, 0, Loss::Remedy::keep);
                QTest::keyClick(dialog, Qt::Key_Return);
            });
            QVERIFY(shown->close());
        }
        const auto found = spool::unfinishedRuns(runs());
        QCOMPARE(found.size(), std::size_t{1});
        QVERIFY(found[0].kept);
        // It is found by who looks for it, and is no question at the next start.
        {
            auto shown = window();
            shown->offerRecovery();
            QVERIFY(shown->findChild<RecoveryDialog*>() == nullptr);
            shown->offerRecovery(true);
            auto* dialog = shown->findChild<RecoveryDialog*>();
            QVERIFY(dialog != nullptr && dialog->runs().size() == 1);
            QCOMPARE(dialog->findChild<QTableWidget*>()->item(0, 2)->text(), QStringLiteral("it was kept"));
            dialog->reject();
            shown->closeWithoutAsking();
        }
        // One that is discarded leaves nothing.
        {
            auto shown = window();
            QTRY_VERIFY(shown->document().trace().rows() > 50);
            test::whenModal<ClosingDialog>(this, [&](ClosingDialog* dialog) {
                QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("closingDiscard")), Qt::LeftButton);
            });
            QVERIFY(shown->close());
        }
        QCOMPARE(spool::unfinishedRuns(runs()).size(), std::size_t{1});
    }

    // A recording that goes on is listed, and ends whole with the window.
    void aRecordingThatGoesOnIsListedAndEndsWhole()
    {
        const std::string path = folder_.filePath("going.pcapng").toStdString();
        auto shown = window();
        QVERIFY(shown != nullptr);
        QVERIFY(shown->document().session()->record(path).has_value());
        QTRY_VERIFY(shown->document().session()->recording().frames > 20);
        const auto losses = shown->losses();
        QVERIFY(std::any_of(losses.begin(), losses.end(), [](const Loss& loss) { return loss.kind == Loss::Kind::recording; }));
        int rows = 0;
        test::whenModal<ClosingDialog>(this, [&](ClosingDialog* dialog) {
            rows = static_cast<int>(dialog->findChildren<QComboBox*>().size());
            QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("closingDiscard")), Qt::LeftButton);
        });
        QVERIFY(shown->close());
        QVERIFY(rows >= 1);
        shown.reset();
        trace::Trace read;
        formats::TraceSink sink(read);
        const auto report = formats::readLogFile(path, sink);
        QVERIFY(report.has_value());
        QVERIFY2(report->warnings.empty(), "its last block is whole");
        QVERIFY(read.rows() > 20);
    }

    void theFactsOfARigAreSetAndSaved()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        test::whenModal<RigSettingsDialog>(this, [](RigSettingsDialog* dialog) {
            auto* name = dialog->findChild<QLineEdit*>(QStringLiteral("rigName"));
            auto* seed = dialog->findChild<QLineEdit*>(QStringLiteral("rigSeed"));
            QVERIFY(name != nullptr && seed != nullptr);
            name->setText(QStringLiteral("winter"));
            seed->setText(QStringLiteral("12"));
            QTest::keyClick(name, Qt::Key_Return);
        });
        shown->rigSettings();
        QVERIFY(shown->isWindowModified());
        QVERIFY(shown->windowTitle().contains(QStringLiteral("winter")));
        QVERIFY(shown->saveRig());
        QVERIFY(!shown->isWindowModified());
        QVERIFY(text().contains("\"name\": \"winter\"") && text().contains("\"seed\": 12"));
        shown->closeWithoutAsking();
    }

    void helpKnowsTheKeysTheFilterLanguageAndTheView()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        HelpDialog help(*shown, HelpDialog::Chapter::keys, QStringLiteral("stream"), nullptr);
        static_cast<QWidget&>(help).show();
        auto* text = help.findChild<QTextBrowser*>(QStringLiteral("helpText"));
        auto* chapters = help.findChild<QListWidget*>(QStringLiteral("helpChapters"));
        QVERIFY(text != nullptr && chapters != nullptr);
        QCOMPARE(chapters->count(), 4);
        // Every action of the window that has a key is told, by that key.
        QStringList missing;
        int keys = 0;
        for (const QAction* action : shown->findChildren<QAction*>()) {
            if (action->shortcut().isEmpty() || action->text().isEmpty())
                continue;
            ++keys;
            if (!text->toPlainText().contains(action->shortcut().toString(QKeySequence::NativeText)))
                missing << action->text();
        }
        QVERIFY(keys > 20);
        QVERIFY2(missing.isEmpty(), qPrintable(missing.join(QLatin1Char(','))));
        help.show(HelpDialog::Chapter::filter);
        for (const filter::Construct& construct : filter::constructs())
            QVERIFY2(
                text->toPlainText().contains(QString::fromUtf8(construct.write.data(), static_cast<qsizetype>(construct.write.size()))),
                construct.write.data());
        help.show(HelpDialog::Chapter::views);
        QVERIFY(text->toPlainText().size() > 200);
        help.show(HelpDialog::Chapter::about);
        for (const QString& fact : {QStringLiteral("Qt"), QStringLiteral("compiler"), QStringLiteral("Theme"), QStringLiteral("in memory")})
            QVERIFY2(HelpDialog::facts().contains(fact), qPrintable(fact));
        QTest::mouseClick(help.findChild<QPushButton*>(QStringLiteral("helpCopy")), Qt::LeftButton);
        QCOMPARE(QApplication::clipboard()->text(), HelpDialog::facts());
        shown->closeWithoutAsking();
    }

    // A report of a mistake tells what was said of late, and of whom or what it was said to nobody.
    void recentWarningsAreToldWithoutWhatIsPersonal()
    {
        RecentWarnings::watch();
        QMessageBox box(QMessageBox::Warning, QStringLiteral("Wavetrope"),
            QStringLiteral("%1/rink/secret-customer.pcapng.gz: this log ends in the middle of a block").arg(QDir::homePath()));
        box.show();
        QMessageBox plain(QMessageBox::NoIcon, QStringLiteral("Wavetrope"), QStringLiteral("nothing wrong"));
        plain.show();
        qWarning("a library said this of /srv/team/mine");
        RecentWarnings::note(QStringLiteral("lap.dbc:12:3: expected ';' (see \"other rig.json\", id 0x1F0, 250 kbit/s, 3.5 s, 1.2.3)"));
        const QString told = RecentWarnings::all().join(QLatin1Char('\n'));
        QVERIFY2(told.contains(QStringLiteral("*.pcapng.gz: this log ends in the middle of a block")), qPrintable(told));
        QVERIFY(told.contains(QStringLiteral("a library said this of /...")));
        QVERIFY(told.contains(QStringLiteral("*.dbc:12:3: expected ';'"))
                && told.contains(QStringLiteral("id 0x1F0, 250 kbit/s, 3.5 s, 1.2.3)")));
        for (const QString& personal : {QStringLiteral("secret"), QStringLiteral("rink"), QStringLiteral("team"), QStringLiteral("mine"),
                 QStringLiteral("lap"), QStringLiteral("nothing wrong"), QDir::homePath()})
            QVERIFY2(!told.contains(personal), qPrintable(personal + QLatin1Char('\n') + told));
        QVERIFY(HelpDialog::facts().contains(told));
        for (int i = 0; i < 2 * RecentWarnings::most; ++i)
            RecentWarnings::note(QString(2000, QLatin1Char('x')));
        QCOMPARE(RecentWarnings::all().size(), RecentWarnings::most);
        QVERIFY(RecentWarnings::all().constLast().size() < RecentWarnings::longest + 20);
    }

    void settingsHoldForWindowsToCome()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        {
            SettingsDialog settings(shown.get());
            settings.show();
            auto* days = settings.findChild<QSpinBox*>(QStringLiteral("settingsDays"));
            auto* seconds = settings.findChild<QDoubleSpinBox*>(QStringLiteral("settingsWindow"));
            QVERIFY(days != nullptr && seconds != nullptr);
            days->setValue(3);
            seconds->setValue(40);
            QTest::keyClick(&settings, Qt::Key_Return);
            QVERIFY(!settings.isVisible());
        }
        SettingsDialog again(shown.get());
        QCOMPARE(again.findChild<QSpinBox*>(QStringLiteral("settingsDays"))->value(), 3);
        QCOMPARE(again.findChild<QDoubleSpinBox*>(QStringLiteral("settingsWindow"))->value(), 40.0);
        shown->closeWithoutAsking();
    }

    void aKeyGoesFromPaneToPaneAndBack()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->showPage(QStringLiteral("Watch"));
        QApplication::setActiveWindow(shown.get());
        auto* stream = shown->currentPage()->find<StreamView>();
        stream->setFocus();
        QWidget* first = QApplication::focusWidget();
        QVERIFY(first != nullptr);
        std::vector<QWidget*> seen;
        for (int i = 0; i < 12; ++i) {
            QTest::keyClick(shown.get(), Qt::Key_F6);
            QWidget* now = QApplication::focusWidget();
            QVERIFY(now != nullptr && now->isVisible());
            if (now == first)
                break;
            QVERIFY2(std::find(seen.begin(), seen.end(), now) == seen.end(), qPrintable(now->objectName()));     // never the same twice
            seen.push_back(now);
        }
        QCOMPARE(QApplication::focusWidget(), first);   // all the way round
        QVERIFY(seen.size() >= 3);
        QTest::keyClick(shown.get(), Qt::Key_F6, Qt::ShiftModifier);
        QCOMPARE(QApplication::focusWidget(), seen.back());
        // To the filter of the page, wherever the focus is.
        QTest::keyClick(shown.get(), Qt::Key_F, Qt::ControlModifier);
        const QWidget* filter = QApplication::focusWidget();
        QVERIFY(filter != nullptr && filter->objectName() == QStringLiteral("filter"));
        shown->closeWithoutAsking();
    }

    void filesThatWereSavedAreOfferedAgain()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        const QString other = folder_.filePath(QStringLiteral("other.json"));
        QVERIFY(shown->saveRigTo(other));
        QVERIFY(shown->saveRigTo(path()));
        const QStringList recent = recentFiles();
        QVERIFY(recent.size() >= 2);
        QCOMPARE(recent[0], QFileInfo(path()).absoluteFilePath());
        QCOMPARE(recent[1], QFileInfo(other).absoluteFilePath());
        QCOMPARE(recent.count(recent[0]), 1);
        shown->closeWithoutAsking();
    }

    void aFilterWithAMistakeGreysTheRowsAndSaysWhy()
    {
        auto shown = window();
        QVERIFY(shown != nullptr);
        shown->showPage(QStringLiteral("Watch"));
        auto* stream = shown->currentPage()->find<StreamView>();
        QVERIFY(stream != nullptr);
        stream->filterLine()->setText(QStringLiteral("id 0x123"));
        QTRY_VERIFY(stream->rows()->count() > 20);
        stream->filterLine()->setText(QStringLiteral("id 0x123 adn"));
        const auto problem = [&] {
            const auto* label = shown->findChild<QLabel*>(QStringLiteral("filterProblem"));
            return label != nullptr && label->isVisible() ? label->text() : QString();
        };
        QTRY_VERIFY2(problem().contains(QStringLiteral("adn")) || problem().contains(QStringLiteral("column")), qPrintable(problem()));
        QVERIFY(stream->rows()->count() > 20);  // what the last good filter passed stays
        stream->filterLine()->setText(QStringLiteral("id 0x123"));
        QTRY_VERIFY(problem().isEmpty());
        shown->closeWithoutAsking();
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    ClosingTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "closing_test.moc"
