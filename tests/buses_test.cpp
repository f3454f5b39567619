// SPDX-License-Identifier: GPL-3.0-or-later
// The buses of a rig in the window: written in place, undone, and started anew with.
#include <QAction>
#include <QApplication>
#include <QDragEnterEvent>
#include <QDropEvent>
#include <QMimeData>
#include <QPointer>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>

#include "app/buses/buses_view.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "rules_by_hand.h"

using namespace wavetrope;
using namespace wavetrope::app;

class BusesTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    static MainWindow* windowOf(const std::string& text)
    {
        auto rig = rig::rigFromText(text, {});
        if (!rig)
            qFatal("%s", rig.error().text().c_str());
        auto document = RunDocument::live(*rig);
        if (!document)
            qFatal("%s", document.error().text().c_str());
        auto* window = new MainWindow(std::move(*document));
        window->resize(1280, 800);
        window->show();
        return window;
    }
    static BusesView* viewOf(MainWindow* window, const char* page)
    {
        window->showPage(QLatin1String(page));
        for (Pane* pane : window->currentPage()->panes())
            pane->setCurrent(pane->count() - 1);        // it is the last of them
        return window->currentPage()->find<BusesView>();
    }

private Q_SLOTS:
    void initTestCase()
    {
        QApplication::setOrganizationName(QStringLiteral("wavetrope-test"));
        QApplication::setQuitOnLastWindowClosed(false);
    }
    void cleanup()
    {
        while (!MainWindow::all().empty()) {
            QPointer<MainWindow> window = MainWindow::all().front();
            window->closeWithoutAsking();
            QTRY_VERIFY(window.isNull());
        }
    }

    void fromNothingToABusThatRuns()
    {
        QPointer<MainWindow> window = windowOf(R"({"wavetrope": 1, "name": "No rig yet"})");
        BusesView* view = viewOf(window, "Begin");
        QVERIFY(view != nullptr);
        QTest::mouseClick(view->tools()->findChild<QPushButton*>(QStringLiteral("addBus")), Qt::LeftButton);
        InPlaceField& field = view->field();
        QVERIFY(field.isOpen());
        test::typed(field, QStringLiteral("Deck"), Qt::Key_Tab);
        test::typed(field, QStringLiteral("mqtts://sam:secret@h/a"), Qt::Key_Return);
        QVERIFY2(field.problem().contains(QStringLiteral("passed on")), qPrintable(field.problem()));
        test::typed(field, QStringLiteral("simulated"), Qt::Key_Tab);
        test::typed(field, QStringLiteral("250k"), Qt::Key_Return);
        QVERIFY(!field.isOpen());
        QCOMPARE(view->rowText(0), QStringLiteral("Deck\tsimulated\t250k\tnone\tnot yet"));
        QVERIFY(window->document().buses().empty());        // the run goes on as it is
        QTest::mouseClick(view->tools()->findChild<QPushButton*>(QStringLiteral("restartWithThis")), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(window.isNull() && !MainWindow::all().empty(), 30'000);
        MainWindow* running = MainWindow::all().front();
        QCOMPARE(running->document().buses().size(), std::size_t{1});
        QCOMPARE(running->document().buses()[0].rate.nominal, 250'000U);
        QVERIFY(running->isWindowModified());       // it is saved nowhere yet
    }

    void fromDatabasesAndFromALog()
    {
        QPointer<MainWindow> window = windowOf(R"({"wavetrope": 1, "name": "No rig yet"})");
        QMimeData dropped;
        dropped.setUrls({QUrl::fromLocalFile(WAVETROPE_DEMO "/implement.dbc"), QUrl::fromLocalFile(WAVETROPE_DEMO "/body.dbc")});
        QDragEnterEvent enter(QPoint(400, 400), Qt::CopyAction, &dropped, Qt::LeftButton, {});
        QApplication::sendEvent(window, &enter);
        QDropEvent drop(QPointF(400, 400), Qt::CopyAction, &dropped, Qt::LeftButton, {});
        QApplication::sendEvent(window, &drop);
        QTRY_VERIFY_WITH_TIMEOUT(window.isNull() && !MainWindow::all().empty(), 30'000);
        MainWindow* made = MainWindow::all().front();
        QCOMPARE(made->document().buses().size(), std::size_t{2});
        QVERIFY(made->document().buses()[1].name == "body" && made->document().catalog()->find(0, {0x181, false}) != nullptr);

        const auto demo = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        const QString log = folder_.filePath(QStringLiteral("short.pcapng"));
        {
            auto session = rig::Session::create(*demo, rig::loadDatabases(*demo));
            QVERIFY(session && (*session)->record(log.toStdString()));
            (*session)->runFor(std::chrono::seconds(1), nullptr);
            QVERIFY((*session)->finishRecording());
        }
        auto* logged = new MainWindow(RunDocument::log(log.toStdString(), *demo));
        logged->show();
        QTRY_VERIFY_WITH_TIMEOUT(logged->document().ready() && logged->document().buses().size() == 4, 30'000);
        auto* action = logged->findChild<QAction*>(QStringLiteral("rigFromLog"));
        QVERIFY(action != nullptr);
        action->trigger();
        MainWindow* fromLog = nullptr;
        for (MainWindow* one : MainWindow::all())
            if (one->document().isLive() && one->document().rig().name == "short")
                fromLog = one;
        QVERIFY(fromLog != nullptr);
        QVERIFY(fromLog->document().buses().size() == 4 && fromLog->document().catalog()->find(1, {0x181, false}) != nullptr);
    }

    void aLetterAndAHueAreChosen()
    {
        MainWindow* window = windowOf(
            R"({"wavetrope": 1, "name": "two", "buses": [{"name": "Near", "rate": "500k"}, {"name": "Far", "rate": "250k"}]})");
        BusesView* view = viewOf(window, "Record");
        QVERIFY(view != nullptr);
        QTRY_VERIFY(view->isVisible());
        Stage& stage = window->stage();
        // By the keys of the menu that L opens: the first of it are the letters, the second the hues.
        const auto choose = [&](const std::vector<Qt::Key>& keys) {
            bool sent = false;
            QTimer::singleShot(0, view, [&] {
                for (const Qt::Key key : keys)
                    if (QWidget* menu = QApplication::activePopupWidget(); menu != nullptr)
                        QTest::keyClick(menu, key);
                sent = true;
                while (QApplication::activePopupWidget() != nullptr)
                    QApplication::activePopupWidget()->close();
            });
            view->rows().setFocus();
            QTest::keyClick(&view->rows(), Qt::Key_L);
            return sent;
        };
        view->rows().choose(1);
        QVERIFY(choose({Qt::Key_Down, Qt::Key_Right, Qt::Key_K}));
        QCOMPARE(stage.mark(1).letter, QStringLiteral("K"));
        QVERIFY(choose({Qt::Key_Down, Qt::Key_Down, Qt::Key_Right, Qt::Key_Down, Qt::Key_Down, Qt::Key_Return}));
        QCOMPARE(stage.mark(1).hue, 2U);
        QCOMPARE(stage.mark(0).letter, QStringLiteral("A"));
        QVERIFY(!stage.buses().differs() && window->isWindowModified());    // nothing has to be started anew for it
        // It goes with the bus to another place, and under another name; what has no letter of its own takes that of its place.
        QTest::keyClick(&view->rows(), Qt::Key_Up, Qt::AltModifier);
        QCOMPARE(stage.buses().markOfPlan(0).letter, QStringLiteral("K"));
        QCOMPARE(stage.mark(1).letter, QStringLiteral("K"));
        QCOMPARE(stage.mark(0).letter, QStringLiteral("B"));
        QVERIFY(stage.buses().set(0, rig::BusField::name, QStringLiteral("Aft")));
        QCOMPARE(stage.mark(1).letter, QStringLiteral("K"));
        const QString path = folder_.filePath(QStringLiteral("marked.json"));
        QVERIFY(window->saveRigTo(path));
        const auto saved = rig::loadRig(path.toStdString());
        QVERIFY(saved && saved->buses[0].letter == 'K' && saved->buses[0].hue == 3);
        for (int i = 0; i < 4; ++i)
            QTest::mouseClick(view->tools()->findChild<QPushButton*>(QStringLiteral("takeBusesBack")), Qt::LeftButton);
        QVERIFY(stage.mark(1).letter == QStringLiteral("B") && stage.mark(1).hue == 1);
    }

    void changesAreUndoneAndSaved()
    {
        MainWindow* window = windowOf(
            R"({"wavetrope": 1, "name": "two", "buses": [{"name": "A", "rate": "500k"}, {"name": "B", "rate": "250k"}],
                "events": [{"name": "full", "load": {"bus": "A", "above": 80, "over": "1 s"}}]})");
        BusesView* view = viewOf(window, "Record");
        QVERIFY(view != nullptr);
        QTRY_VERIFY(view->isVisible());
        view->rows().setFocus();
        view->rows().choose(0);
        QTest::keyClick(&view->rows(), Qt::Key_Delete);     // a condition hangs on it
        QCOMPARE(view->rows().count(), std::uint64_t{2});
        QTest::keyClick(&view->rows(), Qt::Key_F2);
        test::typed(view->field(), QStringLiteral("Rear"), Qt::Key_Return);
        QTest::keyClick(&view->rows(), Qt::Key_Down, Qt::AltModifier);
        QVERIFY(view->rowText(1).startsWith(QStringLiteral("Rear\t")));
        QVERIFY(window->stage().buses().differs() && window->isWindowModified());
        QCOMPARE(window->document().rig().buses[0].name, std::string("A"));
        // What is saved has them; what runs has not.
        const QString path = folder_.filePath(QStringLiteral("saved.json"));
        QVERIFY(window->saveRigTo(path));
        const auto saved = rig::loadRig(path.toStdString());
        QVERIFY2(saved, saved ? "" : saved.error().text().c_str());
        QVERIFY(saved->buses[0].name == "B" && saved->buses[1].name == "Rear" && saved->events[0].bus == "Rear");
        QTest::mouseClick(view->tools()->findChild<QPushButton*>(QStringLiteral("takeBusesBack")), Qt::LeftButton);
        QTest::mouseClick(view->tools()->findChild<QPushButton*>(QStringLiteral("takeBusesBack")), Qt::LeftButton);
        QVERIFY(!window->stage().buses().differs());
        QVERIFY(view->rowText(0).startsWith(QStringLiteral("A\tsimulated\t500k\tnone\t")));
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    BusesTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "buses_test.moc"
