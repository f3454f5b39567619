// SPDX-License-Identifier: GPL-3.0-or-later
// Conditions and recordings in the window: how they are in a run, by hand and by key, and rehearsed over a log.
#include <QApplication>
#include <QComboBox>
#include <QDir>
#include <QPointer>
#include <QTemporaryDir>
#include <QTest>

#include "app/paint/row_list.h"
#include "app/inspector/inspector_view.h"
#include "app/record/record_view.h"
#include "app/shell/main_window.h"
#include "app/shell/timeline.h"
#include "app/stage/rule_desk.h"
#include "app/theme/theme.h"
#include "rules_by_hand.h"

using namespace wavetrope;
using namespace wavetrope::app;

class RecordTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;

    rig::Rig rigWithRules() const
    {
        auto demo = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        if (!demo)
            qFatal("%s", demo.error().text().c_str());
        nlohmann::json document = demo->document;
        document.erase("pages");
        for (const char* one : {R"({"name": "always", "after": "0 s"})", R"({"name": "never", "when": "LiftTemperature > 5000 degC"})",
                 R"({"name": "marked", "key": "F9"})", R"({"name": "begin", "run": "begins"})"})
            document["events"].push_back(nlohmann::json::parse(one));
        document["recordings"] = nlohmann::json::parse(R"([
            {"name": "whole", "files": {"pattern": "whole-{number}.pcapng"}},
            {"name": "asked", "keep": "bus Body", "start": "marked", "before": "300 frames", "after": "100 frames", "files": {"pattern": "asked-{number}.pcapng"}},
            {"name": "odd", "start": "never and not never"}])");
        auto rig = rig::rigFromText(document.dump(), demo->path);
        if (!rig)
            qFatal("%s", rig.error().text().c_str());
        return std::move(*rig);
    }
    MainWindow* live(const char* folder)
    {
        auto document = RunDocument::live(
            rigWithRules(), 1.0, {}, rig::TakesOptions{folder_.filePath(QString::fromLatin1(folder)).toStdString(), 1U << 20U, {}});
        if (!document)
            qFatal("%s", document.error().text().c_str());
        auto* window = new MainWindow(std::move(*document));
        window->resize(1280, 800);
        window->show();
        window->showPage(QStringLiteral("Record"));
        return window;
    }
    static RecordView* viewOf(MainWindow* window) { return window->currentPage()->find<RecordView>(); }

private Q_SLOTS:
    void cleanup()
    {
        while (!MainWindow::all().empty()) {
            QPointer<MainWindow> window = MainWindow::all().front();
            window->closeWithoutAsking();
            QTRY_VERIFY(window.isNull());
        }
    }

    void aRunSaysHowTheyAre()
    {
        MainWindow* window = live("run");
        RecordView* view = viewOf(window);
        QVERIFY(view != nullptr);
        QTRY_COMPARE_WITH_TIMEOUT(view->conditionCount(), window->document().rig().events.size(), 30'000);
        const auto condition = [&](const char* name) {
            for (std::size_t i = 0; i < view->conditionCount(); ++i)
                if (view->conditionText(i).startsWith(QLatin1String(name) + QLatin1Char('\t')))
                    return view->conditionText(i);
            return QString();
        };
        QTRY_COMPARE_WITH_TIMEOUT(condition("always"), QStringLiteral("always\tfrom the run's begin on\ttrue\t1"), 30'000);
        QCOMPARE(condition("never"), QStringLiteral("never\tLiftTemperature > 5000 degC\tnot true\tnever"));
        QCOMPARE(condition("begin"), QStringLiteral("begin\tthe run begins\tnot true\t1"));
        QCOMPARE(view->recordingCount(), std::size_t{3});
        QTRY_VERIFY_WITH_TIMEOUT(view->recordingText(0).contains(QStringLiteral("\tkeeps: ")), 30'000);
        QVERIFY(view->recordingText(0).contains(
            QStringLiteral("Keeps everything from the run's begin to its end, into whole-{number}.pcapng")));
        QVERIFY(view->recordingText(1).contains(QStringLiteral("armed: waits for marked")));
        QTRY_VERIFY_WITH_TIMEOUT(view->recordingText(1).contains(QStringLiteral("300 of 300 frames before")), 30'000);
        QVERIFY2(view->recordingText(2).contains(QStringLiteral("it can never start")), qPrintable(view->recordingText(2)));
    }

    void byKeyAndByHand()
    {
        MainWindow* window = live("hand");
        RecordView* view = viewOf(window);
        auto* rows = view->findChild<RowList*>(QStringLiteral("recordingRows"));
        QTRY_VERIFY_WITH_TIMEOUT(view->recordingText(1).contains(QStringLiteral("armed: waits for marked")), 30'000);
        QTest::keyClick(window, Qt::Key_F9);
        const auto takes = [&] { return window->document().session()->takingReports().at(1).state.takes; };
        QTRY_COMPARE_WITH_TIMEOUT(takes(), std::uint64_t{1}, 30'000);
        const QString folder = folder_.filePath(QStringLiteral("hand"));
        QTRY_VERIFY_WITH_TIMEOUT(QFile::exists(folder + "/asked-001.pcapng"), 30'000);
        // The button at the right end of the row.
        QTRY_VERIFY_WITH_TIMEOUT(view->recordingText(1).contains(QStringLiteral("armed")), 30'000);
        QTest::mouseClick(rows->viewport(), Qt::LeftButton, {}, view->recordings().buttonAt(1));
        QTRY_COMPARE_WITH_TIMEOUT(takes(), std::uint64_t{2}, 30'000);
        QTRY_VERIFY_WITH_TIMEOUT(view->recordingText(1).contains(QStringLiteral("keeps: ")), 30'000);
        // Enter stops it: so many frames go on behind.
        rows->setFocus();
        QTest::keyClick(rows, Qt::Key_Return);
        QTRY_VERIFY_WITH_TIMEOUT(QFile::exists(folder + "/asked-002.pcapng"), 30'000);
        QPointer<MainWindow> closing = window;
        window->closeWithoutAsking();
        QTRY_VERIFY(closing.isNull());
        QVERIFY(QDir(folder).entryList({QStringLiteral("*.part")}).isEmpty());
    }

    void aTakeIsOpenedAndPlayedBackWhereAConditionSaysSo()
    {
        MainWindow* window = live("back");
        RecordView* view = viewOf(window);
        QTRY_VERIFY_WITH_TIMEOUT(view->recordingText(1).contains(QStringLiteral("300 of 300 frames before")), 30'000);
        QTest::keyClick(window, Qt::Key_F9);
        RuleDesk& rules = window->stage().rules();
        QTRY_VERIFY_WITH_TIMEOUT(!rules.newestTake("asked").isEmpty(), 30'000);
        const QString take = rules.newestTake("asked").front();
        QVERIFY(take.endsWith(QStringLiteral("/back/asked-001.pcapng")));
        QVERIFY(rules.newestTake("odd").isEmpty());
        // In the inspector, its row opens it.
        view->recordings().choose(1);
        auto* inspector = window->findChild<Inspector*>();
        QTRY_VERIFY_WITH_TIMEOUT(inspector->text().contains(QStringLiteral("take 1, ")), 30'000);
        for (int y = 5; y < inspector->height() && MainWindow::all().size() == 1; y += 9) {
            QTest::mouseDClick(inspector, Qt::LeftButton, {}, QPoint(60, y));
            QCoreApplication::processEvents();
        }
        QTRY_COMPARE_WITH_TIMEOUT(MainWindow::all().size(), std::size_t{2}, 30'000);
        MainWindow* opened = MainWindow::all()[MainWindow::all().front() == window ? 1 : 0];
        QCOMPARE(QString::fromStdString(opened->document().path()), take);
        opened->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), std::size_t{1});

        // And it is played back in the window in which it was taken.
        Q_EMIT window->stage().replayWanted(take);
        rig::Session* session = window->document().session();
        QTRY_VERIFY_WITH_TIMEOUT(session->playbackReport().loaded, 30'000);
        auto* plays = window->findChild<QComboBox*>(QStringLiteral("playsWhen"));
        auto* arm = window->findChild<QPushButton*>(QStringLiteral("armPlayback"));
        QVERIFY(plays != nullptr && arm != nullptr);
        QTRY_VERIFY_WITH_TIMEOUT(plays->isVisible(), 30'000);
        plays->setFocus();
        for (int i = 0; i < plays->count() && plays->currentText() != QStringLiteral("when marked"); ++i)
            QTest::keyClick(plays, Qt::Key_Down);
        QCOMPARE(plays->currentText(), QStringLiteral("when marked"));
        QCOMPARE(window->document().rig().playback.start, std::string("marked"));
        // A take goes on, which arming would end: that is left to a click.
        QVERIFY(arm->isVisible() && rules.differs());
        QTest::mouseClick(arm, Qt::LeftButton);
        QTRY_VERIFY(!arm->isVisible());
        session->call([](rig::Session& s) {
            for (drive::Node* node : s.all<drive::Node>())
                node->setOn(false);
            s.playback().route({{2, 2}});
        });
        QCOMPARE(session->playbackReport().sent, std::uint64_t{0});
        QTest::keyClick(window, Qt::Key_F9);
        QTRY_VERIFY_WITH_TIMEOUT(session->playbackReport().sent > 0, 30'000);
        // A condition that playback hangs on is not taken out, and goes by its new name.
        const auto index = static_cast<std::size_t>(
            std::find_if(window->document().rig().events.begin(), window->document().rig().events.end(),
                [](const rig::EventSpec& one) { return one.name == "marked"; })
            - window->document().rig().events.begin());
        QVERIFY(!rules.removeCondition(index));
        QVERIFY(rules.setCondition(index, QStringLiteral("now then"), QStringLiteral("key F9")));
        QCOMPARE(window->document().rig().playback.start, std::string("\"now then\""));
        QTRY_COMPARE(plays->currentText(), QStringLiteral("when now then"));
        while (rules.undoStack().canUndo())     // each step of the keys through the box is an edit
            rules.undoStack().undo();
        QVERIFY(window->document().rig().playback.start.empty() && plays->currentIndex() == 0);
    }

    void madeRehearsedArmedAndTaken()
    {
        MainWindow* window = live("made");
        RecordView* view = viewOf(window);
        QTRY_COMPARE_WITH_TIMEOUT(view->conditionCount(), window->document().rig().events.size(), 30'000);
        test::makeRulesByHand(window, QStringLiteral("now and then"), QStringLiteral("every 300 ms"));
        if (QTest::currentTestFailed())
            return;
        QCOMPARE(window->document().rig().recordings.back().start, std::string("\"now and then\""));
        const QDir folder(folder_.filePath(QStringLiteral("made")));
        const auto taken = [&] {
            return !folder.entryList({QStringLiteral("now_and_then_kept-*.pcapng")}).isEmpty()
                   || !folder.entryList({QStringLiteral("now and then kept-*.pcapng")}).isEmpty();
        };
        QTRY_VERIFY_WITH_TIMEOUT(taken(), 30'000);
        QVERIFY(window->stage().rules().undoStack().canUndo());
        // Its takes lie on the timeline; a click on one shows all of it.
        auto* timeline = window->findChild<Timeline*>(QStringLiteral("timeline"));
        QTRY_VERIFY_WITH_TIMEOUT(timeline->tiers() == 2, 30'000);       // the other keeps the whole run
        const auto kept = window->stage().rules().kept();
        const TakeShape& take = kept.back().takes.front();
        QCOMPARE(take.begins - take.before, Time(std::chrono::milliseconds(200)));
        const QPoint on(static_cast<int>(timeline->xOf(take.begins)) + 1, static_cast<int>(timeline->tier(1).center().y()));
        QTest::mouseClick(timeline, Qt::LeftButton, {}, on);
        QVERIFY(!window->stage().following());
        QVERIFY(window->stage().windowTo() - window->stage().windowFrom() < std::chrono::seconds(3));
    }

    void whatIsChangedStandsBesideWhatIsArmed()
    {
        MainWindow* window = live("changed");
        RecordView* view = viewOf(window);
        QTRY_VERIFY_WITH_TIMEOUT(view->recordingText(1).contains(QStringLiteral("armed: waits for marked")), 30'000);
        auto* rows = view->recordings().viewport();
        // A word of the sentence is clicked, and changed in place.
        QTest::mouseClick(rows, Qt::LeftButton, {}, view->recordings().wordAt(1, rig::RecordingField::start));
        InPlaceField& field = view->recordings().field();
        QVERIFY(field.isOpen());
        QCOMPARE(field.text(), QStringLiteral("marked"));
        test::typed(field, QStringLiteral("markd"), Qt::Key_Return);
        QVERIFY2(field.problem().contains(QStringLiteral("'markd'")), qPrintable(field.problem()));    // it stays open, with the reason
        QCOMPARE(window->document().rig().recordings[1].start, std::string("marked"));
        test::typed(field, QStringLiteral("marked or always"), Qt::Key_Return);
        QVERIFY(!field.isOpen());
        QVERIFY(view->recordings().rows()[1].changed && view->recordings().rows()[1].armed->start == "marked");
        auto* arm = view->findChild<QPushButton*>(QStringLiteral("armAsChanged"));
        auto* back = view->findChild<QPushButton*>(QStringLiteral("takeRulesBack"));
        QVERIFY(arm->isVisible() && back->isVisible());
        QVERIFY(view->recordingText(1).contains(QStringLiteral("armed: waits for marked")));    // the run goes on with that
        QTest::mouseClick(back, Qt::LeftButton);
        QVERIFY(!arm->isVisible() && !view->recordings().rows()[1].changed);
        QVERIFY(window->document().rig().changed() == false);
        // Once or again is switched by a click.
        QTest::mouseClick(rows, Qt::LeftButton, {}, view->recordings().wordAt(1, rig::RecordingField::again));
        QVERIFY(!window->document().rig().recordings[1].again);
        // A condition that a recording hangs on is not taken out; its new name goes into the expression.
        view->conditions().choose(5);
        QVERIFY(view->conditionText(5).startsWith(QStringLiteral("marked\t")));
        QTest::keyClick(&view->conditions(), Qt::Key_Delete);
        QCOMPARE(view->conditionCount(), std::size_t{7});
        QTest::keyClick(&view->conditions(), Qt::Key_F2);
        test::typed(view->conditions().field(), QStringLiteral("by hand"), Qt::Key_Return);
        QCOMPARE(window->document().rig().recordings[1].start, std::string("\"by hand\""));
        QTest::mouseClick(arm, Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(view->recordingText(1).contains(QStringLiteral("armed: waits for \"by hand\"")), 30'000);
        QVERIFY(!arm->isVisible());
        // A name that is there already, and an empty one, are refused in words; Escape leaves all as it was.
        QTest::keyClick(&view->conditions(), Qt::Key_F2);
        test::typed(view->conditions().field(), QStringLiteral("always"), Qt::Key_Return);
        QVERIFY(view->conditions().field().problem().contains(QStringLiteral("two conditions")));
        QTest::keyClick(&view->conditions().field(), Qt::Key_Escape);
        QVERIFY(!view->conditions().field().isOpen());
        QVERIFY(view->conditionText(5).startsWith(QStringLiteral("by hand\t")));
        // Taken out of the rig it goes on until it is armed so.
        view->recordings().choose(2);
        QTest::keyClick(&view->recordings(), Qt::Key_Delete);
        QVERIFY(view->recordingCount() == 3 && view->recordings().rows()[2].gone);
        QTest::mouseClick(arm, Qt::LeftButton);
        QTRY_COMPARE_WITH_TIMEOUT(view->recordingCount(), std::size_t{2}, 30'000);
        QVERIFY(window->document().rig().changed());
    }

    void aConditionThatWasNeverTrueSaysHowCloseItCame()
    {
        MainWindow* window = live("close");
        RecordView* view = viewOf(window);
        const auto miss = [&]() -> std::optional<rules::NearMiss> {
            for (const ConditionRow& row : view->conditions().rows())
                if (row.name == QStringLiteral("never"))
                    return row.miss;
            return {};
        };
        QTRY_VERIFY_WITH_TIMEOUT(miss().has_value() && miss()->values, 60'000);
        QVERIFY(miss()->values->limit == 5000 && miss()->values->unit == "degC" && miss()->values->closest < 5000);
        // The inspector explains it, and a recording that is chosen.
        auto* inspector = window->findChild<Inspector*>();
        QVERIFY(inspector != nullptr);
        view->conditions().choose(4);
        QTRY_VERIFY2(
            inspector->text().contains(QStringLiteral("Why it was never true")) && inspector->text().contains(QStringLiteral("5000 degC")),
            qPrintable(inspector->text()));
        view->recordings().choose(1);
        QTRY_VERIFY2(inspector->text().contains(QStringLiteral("recording, armed"))
                         && inspector->text().contains(QStringLiteral("before: 300 frames")),
            qPrintable(inspector->text()));
    }

    void aLogIsRehearsed()
    {
        const QString log = folder_.filePath(QStringLiteral("lap.pcapng"));
        const rig::Rig rig = rigWithRules();
        {
            auto session = rig::Session::create(rig, rig::loadDatabases(rig));
            QVERIFY(session.has_value());
            QVERIFY((*session)->record(log.toStdString()).has_value());
            (*session)->runFor(std::chrono::seconds(50), nullptr);
            QVERIFY((*session)->finishRecording().has_value());
        }
        auto* window = new MainWindow(RunDocument::log(log.toStdString(), rig));
        window->show();
        window->showPage(QStringLiteral("Record"));
        RecordView* view = viewOf(window);
        // It may have been gone through before what explains it was there; then it is gone through anew.
        QTRY_COMPARE_WITH_TIMEOUT(view->conditionText(1), QStringLiteral("chatter\tChatter > 6 mm/s for 100 ms\tnot true\t1"), 60'000);
        QTRY_VERIFY_WITH_TIMEOUT(view->rehearsed(), 60'000);
        QVERIFY2(view->recordingText(0).contains(QStringLiteral("rehearsed: 1 take, ")), qPrintable(view->recordingText(0)));
        QVERIFY(view->recordingText(1).contains(QStringLiteral("rehearsed: no take")));
        // At the cursor: while it lasted it is true.
        window->stage().setCursor(window->stage().timeOf(48.5));
        QTRY_COMPARE(view->conditionText(1), QStringLiteral("chatter\tChatter > 6 mm/s for 100 ms\ttrue\t1"));
        // What explains the log may come behind its rows, or be another: it is gone through anew.
        const std::shared_ptr<const database::Catalog> known = window->document().catalog();
        const auto swap = [&](std::shared_ptr<const database::Catalog> next) {
            window->document().setCatalog(std::move(next));
            Q_EMIT window->stage().catalogChanged();
            QTRY_VERIFY_WITH_TIMEOUT(view->rehearsed(), 60'000);
        };
        auto nothing = std::make_shared<database::Catalog>();
        for (const trace::TraceBus& bus : window->document().buses())
            nothing->addBus(bus.name);
        swap(nothing);
        QTRY_VERIFY2(view->conditionText(1).endsWith(QStringLiteral("\tnot true\tnever"))
                         || view->conditionText(1).endsWith(QStringLiteral("\tnot true\t0")),
            qPrintable(view->conditionText(1)));
        swap(known);
        QTRY_COMPARE(view->conditionText(1), QStringLiteral("chatter\tChatter > 6 mm/s for 100 ms\ttrue\t1"));
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    RecordTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "record_test.moc"
