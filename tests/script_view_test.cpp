// SPDX-License-Identifier: GPL-3.0-or-later
// Scripts in the real window: one is typed with an error, mended, taken over, and seen to act.
#include <QComboBox>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTest>
#include <QTableWidget>

#include "app/keeping/keeping_options.h"
#include "app/script/editor_library.h"
#include "app/script/script_view.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/theme/theme.h"
#include "rig/scripts.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::app;

class ScriptViewTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    std::unique_ptr<MainWindow> window_;

    ScriptView* view()
    {
        window_->showPage(QStringLiteral("Drive"));
        auto* found = window_->currentPage()->find<ScriptView>();
        for (Pane* pane : window_->currentPage()->panes())
            for (int i = 0; i < pane->count() && !found->isVisible(); ++i)
                pane->setCurrent(i);
        return found;
    }
    QsciScintilla* editor() { return view()->editor(); }
    QWidget* keys() { return editor()->viewport(); }
    void type(const QString& text)
    {
        editor()->setFocus();
        for (const QChar c : text)
            if (c == QLatin1Char('\n'))
                QTest::keyClick(editor(), Qt::Key_Return);
            else
                QTest::keyClick(editor(), c.toLatin1());
    }
    QStringList logged()
    {
        QStringList out;
        for (int i = 0; i < view()->log()->rowCount(); ++i)
            out << view()->log()->item(i, 1)->text();
        return out;
    }
    bool anyFrame(unsigned id)
    {
        const trace::Snapshot snapshot = window_->document().trace().snapshot();
        for (trace::Row at = snapshot.rows(); at-- > 0;)
            if (snapshot.frame(at).id.value == id)
                return true;
        return false;
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        Theme::get().choose(ThemeName::paper);
        for (const char* name : {"rig.json", "implement.dbc", "chassis.dbc", "body.dbc", "scanner.dbc"})
            QVERIFY(QFile::copy(QString(WAVETROPE_DEMO "/") + name, folder_.filePath(name)));
        auto rig = rig::loadRig(folder_.filePath("rig.json").toStdString());
        QVERIFY(rig.has_value());
        auto document = liveRun(*rig);
        QVERIFY(document.has_value());
        window_ = std::make_unique<MainWindow>(std::move(*document));
        window_->setAttribute(Qt::WA_DeleteOnClose, false);
        window_->resize(1280, 800);
        window_->show();
    }
    void cleanupTestCase() { window_->closeWithoutAsking(); }

    void anErrorIsMarkedMendedAndTheScriptActs()
    {
        QVERIFY(view() != nullptr);
        auto* choice = window_->findChild<QComboBox*>(QStringLiteral("scriptNode"));
        QVERIFY(choice->count() > 10);
        view()->show(QStringLiteral("BladeUnit"));
        QCOMPARE(choice->currentText(), QStringLiteral("BladeUnit"));
        QTRY_COMPARE(view()->status(), QStringLiteral("no script yet"));
        type(QStringLiteral("every('x', 0.05)\non.timer('x', function("));
        QTRY_VERIFY(view()->problem().has_value());
        QCOMPARE(view()->problem()->line, 2);
        QTRY_VERIFY(view()->status().contains(QStringLiteral("line 2 is wrong")));
        QVERIFY(!window_->findChild<QPushButton*>(QStringLiteral("takeOver"))->isEnabled());
        QVERIFY(window_->isWindowModified());
        type(QStringLiteral(") send('0x1F0', {1, 2}) log('beat') end)"));
        QTRY_VERIFY(!view()->problem().has_value());
        QTRY_COMPARE(view()->status(), QStringLiteral("waits to be taken over"));
        QVERIFY(!anyFrame(0x1F0));
        QTest::keyClick(editor(), Qt::Key_Return, Qt::ControlModifier);
        QTRY_VERIFY(anyFrame(0x1F0));
        QTRY_VERIFY(logged().contains(QStringLiteral("beat")));
        QTRY_VERIFY(view()->status().startsWith(QStringLiteral("runs")));
    }

    void aLineOfTheLogLeadsToItsMoment()
    {
        QTableWidget* log = view()->log();
        QTRY_VERIFY(log->rowCount() > 2);
        QTableWidgetItem* item = log->item(1, 0);
        const Time moment(item->data(Qt::UserRole).toLongLong());
        log->scrollToItem(item);
        QTest::mouseClick(log->viewport(), Qt::LeftButton, {}, log->visualItemRect(item).center());
        QCOMPARE(window_->stage().cursor(), moment);
        window_->stage().now();
    }

    void whatSpeaksOfNothingIsMarkedAndTheFormerGoesOn()
    {
        const int before = static_cast<int>(editor()->lines());
        editor()->setCursorPosition(before - 1, editor()->lineLength(before - 1));
        type(QStringLiteral("\non.message('BladeComand', print)"));
        QTRY_COMPARE(view()->status(), QStringLiteral("waits to be taken over"));
        QTest::mouseClick(window_->findChild<QPushButton*>(QStringLiteral("takeOver")), Qt::LeftButton);
        QTRY_VERIFY(view()->problem().has_value());
        QCOMPARE(view()->problem()->line, before + 1);
        QVERIFY2(view()->problem()->text().find("BladeCommand") != std::string::npos, view()->problem()->text().c_str());
        const qsizetype lines = logged().size();
        QTRY_VERIFY(logged().size() > lines);       // the one before goes on
        // Taken back in the text.
        editor()->setFocus();
        while (editor()->isUndoAvailable() && editor()->text().contains(QStringLiteral("BladeComand")))
            QVERIFY(view()->step(false));
        QTRY_VERIFY(!view()->problem().has_value());
    }

    // Calls and messages are offered while one types.
    void whatFitsIsOffered()
    {
        const auto end = [&] {
            const int last = static_cast<int>(editor()->lines()) - 1;
            editor()->setCursorPosition(last, editor()->lineLength(last));
            editor()->setFocus();
        };
        const QString before = editor()->text();
        const auto offered = [&](const QString& typed) {
            end();
            type(QStringLiteral("\n") + typed);
            const bool active = editor()->isListActive();
            QTest::keyClick(editor(), Qt::Key_Tab);     // takes what is offered
            return active;
        };
        QVERIFY(offered(QStringLiteral("mani")));
        QVERIFY2(editor()->text().contains(QStringLiteral("\nmanipulate")), qPrintable(editor()->text()));
        QVERIFY(offered(QStringLiteral("BladeComm")));
        QVERIFY2(editor()->text().contains(QStringLiteral("\nBladeCommand")), qPrintable(editor()->text()));
        // A signal, behind its message's dot.
        end();
        type(QStringLiteral("\nsignal('BladeCommand."));
        QTRY_VERIFY(editor()->isListActive());
        type(QStringLiteral("Comm"));
        QTest::keyClick(editor(), Qt::Key_Tab);
        QVERIFY2(editor()->text().contains(QStringLiteral("signal('BladeCommand.CommandedDepth")), qPrintable(editor()->text()));
        editor()->setFocus();
        while (editor()->isUndoAvailable() && editor()->text() != before)
            QVERIFY(view()->step(false));
        QCOMPARE(editor()->text(), before);
    }

    void itIsKeptWithTheRig()
    {
        QVERIFY(rig::setScript(window_->document().rig(), "Cab", "log('cab')\n"));
        const auto saved = rig::saveRig(window_->document().rig(), folder_.filePath("kept.json").toStdString());
        QVERIFY(saved.has_value());
        const auto again = rig::loadRig(folder_.filePath("kept.json").toStdString());
        QVERIFY(again.has_value());
        QCOMPARE(rig::scriptOf(*again, "Cab").value(), std::string("log('cab')\n"));
        const std::string kept = rig::scriptOf(*again, "BladeUnit").value();
        QVERIFY2(kept.starts_with("every('x', 0.05)"), kept.c_str());
        QVERIFY(!rig::scriptOf(*again, "Nobody"));
        // One in a file beside it is written there.
        rig::Rig own = *again;
        QFile file(folder_.filePath("cab.lua"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("log('file')\n");
        file.close();
        for (drive::NodeSpec& node : own.nodes)
            if (node.name == "Cab")
                node.script = {"", "cab.lua", ""};
        QCOMPARE(rig::scriptOf(own, "Cab").value(), std::string("log('file')\n"));
        QVERIFY(rig::setScript(own, "Cab", "log('other')\n") && rig::scriptDiffersFromFile(own, "Cab"));
        QVERIFY(rig::saveScript(own, "Cab").has_value() && !rig::scriptDiffersFromFile(own, "Cab"));
        QVERIFY(file.open(QIODevice::ReadOnly));
        QCOMPARE(file.readAll(), QByteArray("log('other')\n"));
    }
};

QTEST_MAIN(ScriptViewTest)
#include "script_view_test.moc"
