// SPDX-License-Identifier: GPL-3.0-or-later
// Response times in the window: rows, verdict, deadlines by hand, undone, kept with the rig, and the way to the worst measured.
#include <QApplication>
#include <QTemporaryDir>
#include <QTest>

#include "app/inspector/inspector_view.h"
#include "app/response/response_view.h"
#include "app/shell/main_window.h"
#include "app/stage/timing_desk.h"

using namespace wavetrope;
using namespace wavetrope::app;

class SeeingTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    static rig::Rig demo()
    {
        auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        if (!rig)
            qFatal("%s", rig.error().text().c_str());
        return std::move(*rig);
    }
    static std::unique_ptr<MainWindow> shown(std::unique_ptr<RunDocument> document)
    {
        auto window = std::make_unique<MainWindow>(std::move(document));
        window->setAttribute(Qt::WA_DeleteOnClose, false);
        window->resize(1280, 800);
        window->show();
        return window;
    }
    static void type(InPlaceField& field, const char* words)
    {
        QVERIFY(field.isOpen());
        field.selectAll();
        if (*words == '\0')
            QTest::keyClick(&field, Qt::Key_Delete);
        QTest::keyClicks(&field, QString::fromLatin1(words));
        QTest::keyClick(&field, Qt::Key_Return);
    }
    static int rowOf(ResponseView& view, const char* message)
    {
        for (std::size_t i = 0; i < view.count(); ++i)
            if (view.rowText(i).split('\t')[1] == QLatin1String(message))
                return static_cast<int>(i);
        return -1;
    }

private Q_SLOTS:
    void responseTimesOfALiveBus()
    {
        auto document = RunDocument::live(demo(), 20.0, {}, {});
        QVERIFY2(document, document ? "" : document.error().text().c_str());
        auto window = shown(std::move(*document));
        window->showPage(QStringLiteral("Load"));
        auto* view = window->currentPage()->find<ResponseView>();
        QVERIFY(view != nullptr);
        QCOMPARE(view->count(), std::size_t{13});
        QCOMPARE(view->verdict(), QStringLiteral("BladeForces may miss its deadline; 12 others meet it"));
        const QStringList first = view->rowText(0).split('\t');
        QCOMPARE(first.mid(0, 7), (QStringList{"0x381", "BladeForces", "8", "10 ms", "0.2 ms", "4.5 ms", "4.78 ms"}));
        QCOMPARE(first[8], QStringLiteral("0.28 ms late"));
        QTRY_VERIFY(view->rowText(0).split('\t')[7].endsWith(QStringLiteral(" ms")));      // measured by now
        // The inspector lays the worst case out.
        view->choose(0);
        auto* inspector = window->findChild<Inspector*>();
        inspector->grab();
        QVERIFY2(inspector->text().contains(QStringLiteral("May miss its deadline")), qPrintable(inspector->text()));
        QVERIFY(inspector->text().contains(
            QStringLiteral("In the worst case it has passed after 4.78 ms; wanted after 4.50 ms, as set by hand.")));
        QVERIFY(inspector->text().contains(QStringLiteral("jitter: 0.20 ms")));
        QVERIFY(inspector->text().contains(QStringLiteral("BladeCommand: 0.38 ms")));
        // A deadline by mouse and keys, in its cell; the rows follow, the most pressing first.
        const QPoint cell = view->cellAt(1, true);
        QWidget* rows = view->childAt(cell);
        QTest::mouseDClick(rows, Qt::LeftButton, {}, rows->mapFrom(view, cell));
        type(view->field(), "2.5");
        QCOMPARE(view->rowText(0).split('\t')[1], QStringLiteral("BladeCommand"));
        QCOMPARE(view->verdict(), QStringLiteral("BladeCommand and 1 more may miss their deadlines; 11 others meet it"));
        window->activateWindow();
        QTRY_VERIFY(window->isActiveWindow());
        view->setFocus();
        QTest::keyClick(view->focusProxy(), Qt::Key_Z, Qt::ControlModifier);
        QTRY_COMPARE(view->verdict(), QStringLiteral("BladeForces may miss its deadline; 12 others meet it"));
        // Emptied, it is the period again; nonsense stays in the field, with the reason.
        view->edit(0, true);
        type(view->field(), "soon");
        QVERIFY(view->field().isOpen() && view->field().problem().contains(QStringLiteral("no time")));
        type(view->field(), "");
        QCOMPARE(view->verdict(), QStringLiteral("each of 13 meets its deadline, whatever comes"));
        QVERIFY(rowOf(*view, "BladeForces") > 0);
        // The jitter of all, and of one.
        view->jitterField().setFocus();
        view->jitterField().selectAll();
        QTest::keyClicks(&view->jitterField(), QStringLiteral("1"));
        QTest::keyClick(&view->jitterField(), Qt::Key_Return);
        QCOMPARE(view->rowText(static_cast<std::size_t>(rowOf(*view, "BladeState"))).split('\t')[6], QStringLiteral("2.08 ms"));
        view->edit(static_cast<std::size_t>(rowOf(*view, "BladeState")), false);
        type(view->field(), "300 us");
        QCOMPARE(view->rowText(static_cast<std::size_t>(rowOf(*view, "BladeState"))).split('\t')[4], QStringLiteral("0.3 ms"));
        const nlohmann::json kept = window->document().rig().document["timing"];
        QCOMPARE(kept.size(), std::size_t{1});
        QCOMPARE(QString::fromStdString(kept[0]["jitter"].get<std::string>()), QStringLiteral("1 ms"));
        QVERIFY(kept[0].dump().find(R"({"jitter":"300 us","name":"BladeState"})") != std::string::npos);
        auto again = rig::rigFromText(window->document().rig().document.dump(), WAVETROPE_DEMO "/rig.json");
        QVERIFY(again && again->timings == window->document().rig().timings);
        for (int i = 0; i < 4; ++i)
            stageUndo(*window);
        QCOMPARE(view->verdict(), QStringLiteral("BladeForces may miss its deadline; 12 others meet it"));
        // To the frame that took longest.
        window->stage().rest();
        const int row = rowOf(*view, "BladeState");
        view->choose(static_cast<std::size_t>(row));
        const auto worstAtCursor = [&] {
            QTest::mouseDClick(
                rows, Qt::LeftButton, {}, rows->mapFrom(view, view->cellAt(static_cast<std::size_t>(row), true)) - QPoint(200, 0));
            return window->stage().snapshot().frame(window->stage().cursorRow()).id.value == 0x181U;
        };
        QTRY_VERIFY(worstAtCursor());       // what the views look at is a beat behind what is measured
        const auto measured = window->document().session()->responses(1);
        QVERIFY(std::any_of(measured.begin(), measured.end(),
            [&](const bus::MeasuredResponse& one) { return one.id.value == 0x181 && one.count > 3 && one.longest > Time(400'000); }));
        window->closeWithoutAsking();
    }

    void aLogHasComputedTimesAlone()
    {
        auto window = shown(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", demo()));
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready(), 60'000);
        window->showPage(QStringLiteral("Load"));
        auto* view = window->currentPage()->find<ResponseView>();
        QTRY_COMPARE(view->count(), std::size_t{13});
        QCOMPARE(view->rowText(0).split('\t')[7], QStringLiteral("\u2013"));
        // Another bus, with both rates; one that has no rate says so.
        auto* bus = window->findChild<QComboBox*>(QStringLiteral("responseBus"));
        bus->setCurrentIndex(3);
        QVERIFY(view->count() >= 3 && view->rowText(0).contains(QStringLiteral("IceProfile")));
        QCOMPARE(QString::fromStdString(view->save()["bus"].get<std::string>()), QStringLiteral("Scanner"));
        window->closeWithoutAsking();
    }

private:
    static void stageUndo(MainWindow& window) { window.stage().timing().undoStack().undo(); }
};

QTEST_MAIN(SeeingTest)
#include "seeing_test.moc"
