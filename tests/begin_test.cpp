// SPDX-License-Identifier: GPL-3.0-or-later
// From an empty desk: interfaces as they come and go, watched with one click; rigs and logs used lately.
#include <QApplication>
#include <QClipboard>
#include <QPointer>
#include <QProcess>
#include <QSettings>
#include <QTemporaryDir>
#include <QTest>

#include "app/begin/begin_view.h"
#include "app/files/recent_files.h"
#include "app/inspector/inspector_view.h"
#include "app/shell/main_window.h"
#include "app/stage/interfaces.h"
#include "rules_by_hand.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

bus::WatchedInterface interface(const char* name, const char* kind, bool up)
{
    bus::WatchedInterface one;
    one.is.name = name;
    one.is.kind = kind;
    one.is.up = up;
    one.is.state = up ? "up" : "down";
    one.is.hasController = one.is.kind == "can";
    return one;
}

std::vector<bus::WatchedInterface> bench()
{
    std::vector<bus::WatchedInterface> all = {interface("nocan0", "can", true), interface("nocan1", "can", false),
        interface("nocan2", "can", true), interface("novcan", "vcan", true)};
    all[0].is.rate = {250'000, 0};
    all[0].is.samplePoint = 87.5;
    all[0].is.place = "usb 1-2.1";
    all[0].is.sendErrors = 7;
    all[0].is.receiveErrors = 96;
    all[2].gone = true;
    all[2].is.place = "usb 1-2.3";
    return all;
}

}  // namespace

class BeginTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    static MainWindow* emptyWindow()
    {
        rig::Rig rig;
        rig.name = "No rig yet";
        rig.document = {{"wavetrope", 1}};
        rig.saved = rig.document;
        auto document = RunDocument::live(rig);
        if (!document)
            qFatal("%s", document.error().text().c_str());
        auto* window = new MainWindow(std::move(*document));
        window->resize(1280, 800);
        window->show();
        return window;
    }
    static BeginView* beginOf(MainWindow* window) { return window->currentPage()->find<BeginView>(); }
    template <class Widget>
    static Widget* in(QWidget* parent, const char* name)
    {
        auto* found = parent->findChild<Widget*>(QLatin1String(name));
        if (found == nullptr)
            qFatal("there is no %s", name);
        return found;
    }
    static void closeAll()
    {
        while (!MainWindow::all().empty()) {
            QPointer<MainWindow> window = MainWindow::all().front();
            window->closeWithoutAsking();
            QTRY_VERIFY(window.isNull());
        }
    }

private Q_SLOTS:
    void initTestCase()
    {
        QApplication::setOrganizationName(QStringLiteral("wavetrope-test"));
        QSettings::setDefaultFormat(QSettings::IniFormat);
        QSettings::setPath(QSettings::IniFormat, QSettings::UserScope, folder_.path());
    }
    void cleanup() { closeAll(); }

    void anEmptyDeskSaysWhatOneCanDo()
    {
        Interfaces::get().show({});
        MainWindow* window = emptyWindow();
        QCOMPARE(window->pageCount(), 1);
        QCOMPARE(window->currentPage()->name(), QStringLiteral("Begin"));
        QVERIFY(window->atEmptyDesk());
        QVERIFY(window->losses().empty());
        const auto* none = in<QLabel>(window, "noInterfaces");
        QVERIFY(none->isVisible() && none->text().contains(QStringLiteral("no CAN interface")));
        QVERIFY(!in<QPushButton>(window, "watchThese")->isVisible());
        QVERIFY(!window->runBar()->startStop->isEnabled() && !window->runBar()->record->isEnabled());
        QTRY_VERIFY(window->statusText().contains(QStringLiteral("0 interfaces known")));
        QVERIFY(in<QLabel>(window, "treeWords")->isVisible());
    }

    void interfacesChangeInPlace()
    {
        Interfaces::get().show(bench());
        MainWindow* window = emptyWindow();
        BeginView* begin = beginOf(window);
        QCOMPARE(begin->rows().size(), std::size_t{4});
        InterfaceRow* first = begin->rows()[0];
        const auto says = [](QWidget* row) {
            QStringList words;
            for (const QLabel* label : row->findChildren<QLabel*>())
                if (label->isVisible())
                    words << label->text();
            return words.join(QLatin1Char('|'));
        };
        QVERIFY2(says(first).contains(QStringLiteral("alive")) && says(first).contains(QStringLiteral("250 kbit/s, sample point 87.5 %"))
                     && says(first).contains(QStringLiteral("usb 1-2.1")),
            qPrintable(says(first)));
        QVERIFY(says(begin->rows()[1]).contains(QStringLiteral("no bit rate set yet")));
        QVERIFY(says(begin->rows()[2]).contains(QStringLiteral("pulled out of usb 1-2.3")));
        QVERIFY(says(begin->rows()[3]).contains(QStringLiteral("of the kernel's own making")));
        // What is alive is ticked, what is down or gone cannot be.
        QVERIFY(first->ticked() && !begin->rows()[1]->ticked() && !begin->rows()[2]->ticked() && begin->rows()[3]->ticked());
        QCOMPARE(in<QPushButton>(window, "watchThese")->text(), QStringLiteral("Watch these 2"));
        // One comes back, another comes: rows stay what they are.
        auto now = bench();
        now[2].gone = false;
        now.push_back(interface("zcan", "can", false));
        Interfaces::get().show(now);
        QCOMPARE(begin->rows().size(), std::size_t{5});
        QCOMPARE(begin->rows()[0], first);
        QVERIFY(begin->rows()[2]->ticked());
        QCOMPARE(in<QPushButton>(window, "watchThese")->text(), QStringLiteral("Watch these 3"));
        now.erase(now.begin());
        Interfaces::get().show(now);
        QCOMPARE(begin->rows().size(), std::size_t{4});
        QCOMPARE(begin->rows()[0]->name(), QStringLiteral("nocan1"));
    }

    void theCommandFollowsTheRate()
    {
        Interfaces::get().show(bench());
        MainWindow* window = emptyWindow();
        InterfaceRow* row = beginOf(window)->rows()[1];
        auto* command = in<QLineEdit>(row, "command");
        QVERIFY(command->isVisible());
        // The rate of the other one is proposed.
        QCOMPARE(command->text(), QStringLiteral("sudo ip link set nocan1 up type can bitrate 250000 restart-ms 100"));
        auto* speed = in<QComboBox>(row, "speed");
        speed->setCurrentText(QStringLiteral("500k/2M"));
        QCOMPARE(
            command->text(), QStringLiteral("sudo ip link set nocan1 up type can bitrate 500000 dbitrate 2000000 fd on restart-ms 100"));
        QTest::mouseClick(in<QPushButton>(row, "copyCommand"), Qt::LeftButton);
        QCOMPARE(QApplication::clipboard()->text(), command->text());
        speed->setCurrentText(QStringLiteral("fast"));
        QVERIFY(command->text().contains(QStringLiteral("'fast' is no bit rate")));
        QVERIFY(!in<QLineEdit>(beginOf(window)->rows()[0], "command")->isVisible());
    }

    void keysMoveTickAndWatch()
    {
        Interfaces::get().show(bench());
        QPointer<MainWindow> window = emptyWindow();
        BeginView* begin = beginOf(window);
        begin->setFocus();
        QCOMPARE(window->stage().selection().node, QStringLiteral("nocan0"));
        QTest::keyClick(begin, Qt::Key_Space);
        QVERIFY(!begin->rows()[0]->ticked());
        QTest::keyClick(begin, Qt::Key_Space);
        QTest::keyClick(begin, Qt::Key_Down);
        QTest::keyClick(begin, Qt::Key_Space);      // down: it stays out
        QVERIFY(!begin->rows()[1]->ticked());
        QTest::keyClick(begin, Qt::Key_Down);
        QTest::keyClick(begin, Qt::Key_Down);
        QTest::keyClick(begin, Qt::Key_Down);
        QCOMPARE(window->stage().selection().node, QStringLiteral("novcan"));
        QTRY_VERIFY(window->inspector()->text().contains(QStringLiteral("the kernel (vcan)")));
        QTest::keyClick(begin, Qt::Key_Up);
        QTest::keyClick(begin, Qt::Key_Up);
        QTest::keyClick(begin, Qt::Key_Up);
        QTRY_VERIFY(window->inspector()->text().contains(QStringLiteral("Sending, receiving: 7, 96")));
        QVERIFY(window->inspector()->text().contains(QStringLiteral("ip link set nocan0 up type can bitrate 250000")));
        QTest::keyClick(begin, Qt::Key_Return);
        // A rig of both runs in the place of the empty window. These interfaces are not here: the buses wait, and say so.
        QTRY_VERIFY(window.isNull());
        QCOMPARE(MainWindow::all().size(), std::size_t{1});
        MainWindow* running = MainWindow::all().front();
        const rig::Rig& rig = running->document().rig();
        QCOMPARE(rig.buses.size(), std::size_t{2});
        QCOMPARE(rig.buses[0].address, std::string("nocan0"));
        QCOMPARE(rig.buses[0].rate.nominal, 250'000U);
        QCOMPARE(rig.buses[1].address, std::string("novcan"));
        QVERIFY(running->page(QStringLiteral("Watch")) != nullptr && running->page(QStringLiteral("Begin")) == nullptr);
        QVERIFY(running->losses().empty());
        QCOMPARE(running->document().session()->health()[0].state, bus::Health::State::down);
    }

    void rigsAndLogsUsedLatelyStandThere()
    {
        Interfaces::get().show(bench());
        QFile file(folder_.filePath(QStringLiteral("bench.json")));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(
            R"({"wavetrope": 1, "name": "Cab bench", "buses": [{"name": "Cab", "interface": "nocan0"}, {"name": "Wait", "interface": "nocan2"}]})");
        file.close();
        noteRecentFile(QStringLiteral(WAVETROPE_TEST_DATA "/capture-a.pcapng"));
        noteRecentFile(folder_.filePath(QStringLiteral("gone.json")));
        noteRecentFile(file.fileName());
        QPointer<MainWindow> window = emptyWindow();
        QAbstractButton* rig = nullptr;
        QStringList names;
        for (QAbstractButton* button : beginOf(window)->findChildren<QAbstractButton*>())
            if (!button->accessibleName().isEmpty() && button->toolTip().startsWith(QLatin1Char('/'))) {
                names << button->accessibleName();
                if (button->toolTip() == file.fileName())
                    rig = button;
            }
        QCOMPARE(names.size(), 2);      // what is no longer there does not stand there
        QVERIFY2(names.contains(QStringLiteral("Cab bench, bus B waits for nocan2")), qPrintable(names.join('|')));
        QVERIFY(rig != nullptr);
        QTest::mouseClick(rig, Qt::LeftButton);
        QTRY_VERIFY(window.isNull());
        QCOMPARE(MainWindow::all().size(), std::size_t{1});
        QCOMPARE(MainWindow::all().front()->document().rig().name, std::string("Cab bench"));
    }

    void theDemoRunsFromHere()
    {
        Interfaces::get().show({});
        QPointer<MainWindow> window = emptyWindow();
        QTest::mouseClick(in<QPushButton>(window, "runDemo"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(window.isNull(), 30'000);
        QCOMPARE(MainWindow::all().front()->document().buses().size(), std::size_t{4});
    }

    void onAKernelsInterfaces()
    {
        if (!qEnvironmentVariableIsSet("WAVETROPE_IN_KERNEL"))
            QSKIP("runs within the kernel's test");
        QPointer<MainWindow> window = emptyWindow();
        BeginView* begin = beginOf(window);
        const auto ready = [&] { return begin->rows().size() >= 2 && begin->rows()[0]->ticked() && begin->rows()[1]->ticked(); };
        QTRY_VERIFY_WITH_TIMEOUT(ready(), 10'000);
        QCOMPARE(begin->rows()[1]->name(), QStringLiteral("vcan1"));
        for (std::size_t i = 2; i < begin->rows().size(); ++i)
            begin->rows()[i]->setTicked(false);
        QTest::mouseClick(in<QPushButton>(window, "watchThese"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(window.isNull(), 30'000);
        MainWindow* running = MainWindow::all().front();
        QCOMPARE(running->document().buses().size(), std::size_t{2});
        QTRY_VERIFY_WITH_TIMEOUT(running->document().session()->health()[1].alive, 30'000);
        QProcess peer;
        peer.start(QStringLiteral(WAVETROPE_PEER), {QStringLiteral("send"), QStringLiteral("vcan0")});
        QVERIFY(peer.waitForFinished(30'000));
        QTRY_COMPARE_WITH_TIMEOUT(running->document().trace().rows(), std::uint64_t{200}, 30'000);
        peer.start(QStringLiteral(WAVETROPE_PEER), {QStringLiteral("send"), QStringLiteral("vcan1")});
        QVERIFY(peer.waitForFinished(30'000));
        QTRY_COMPARE_WITH_TIMEOUT(running->document().trace().rows(), std::uint64_t{400}, 30'000);
        // Rules made by hand, rehearsed and armed; frames of the other program are taken. It rests for longer than a take goes on behind
        // its stop, so that there are several (more, where it did not get its turn in time); none takes a frame of the one before it.
        test::makeRulesByHand(running, QStringLiteral("somebody"), QStringLiteral("bus vcan1"));
        if (QTest::currentTestFailed())
            return;
        peer.start(QStringLiteral(WAVETROPE_PEER), {QStringLiteral("rest"), QStringLiteral("vcan1")});
        QVERIFY(peer.waitForFinished(30'000));
        const auto history = [&] { return running->document().session()->rulesHistory(); };
        const auto frames = [&] {
            std::uint64_t all = 0;
            for (const rules::Take& take : history()->takes)
                all += take.frames;
            return all;
        };
        const auto told = [&] {
            return QStringLiteral("%1 frames in %2 takes of %3 rows; %4")
                .arg(frames())
                .arg(history()->takes.size())
                .arg(running->document().trace().rows())
                .arg(running->document().session()->takingReports().back().words.c_str());
        };
        const auto taken = [&] { return frames() == 200 && !history()->takes.back().whyEnds.empty(); };
        QTRY_VERIFY2_WITH_TIMEOUT(taken(), qPrintable(told()), 30'000);
        QVERIFY2(history()->takes.size() >= 2, qPrintable(told()));
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    BeginTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "begin_test.moc"
