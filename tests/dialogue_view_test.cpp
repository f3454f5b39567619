// SPDX-License-Identifier: GPL-3.0-or-later
// Dialogues in the real window: begun, followed, broken on purpose, broken off, and looked at again.
#include <QApplication>
#include <QContextMenuEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTest>
#include <QToolButton>

#include "app/dialogue/dialogue_view.h"
#include "app/inspector/inspector_view.h"
#include "app/keeping/keeping_options.h"
#include "app/lanes/state_bands.h"
#include "app/manipulation/manipulation_view.h"
#include "app/nodes/nodes_view.h"
#include "app/parts/in_place.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/stage/dialogue_desk.h"
#include "app/stage/event_desk.h"
#include "app/stage/manipulation_desk.h"
#include "app/theme/theme.h"
#include "drive/manipulation.h"
#include "rig/manipulations.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::app;

class DialogueViewTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    std::unique_ptr<MainWindow> window_;

    DialogueView* view()
    {
        window_->showPage(QStringLiteral("Drive"));
        auto* found = window_->currentPage()->find<DialogueView>();
        for (Pane* pane : window_->currentPage()->panes())
            for (int i = 0; i < pane->count() && !found->isVisible(); ++i)
                pane->setCurrent(i);
        return found;
    }
    template <class Kind = QPushButton>
    Kind* button(const char* name)
    {
        return window_->findChild<Kind*>(QLatin1String(name));
    }
    std::size_t phase(std::size_t partner)
    {
        const auto& visits = view()->visits(partner);
        return visits.empty() || visits.back().to ? drive::SideSpec::rest : visits.back().phase;
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        Theme::get().choose(ThemeName::paper);
        // The demo's rig; it is at filling soon, and goes on filling until somebody breaks it off, however long the machine takes to look.
        QFile file(QStringLiteral(WAVETROPE_DEMO "/rig.json"));
        QVERIFY(file.open(QIODevice::ReadOnly));
        nlohmann::json written = nlohmann::json::parse(file.readAll().toStdString());
        nlohmann::json& phases = written["dialogues"][0]["phases"];
        phases[0]["sides"]["WaterUnit"]["sends"][0]["delay"] = "9 ms";
        phases[1]["sides"]["WaterUnit"]["sends"][0]["delay"] = "8 ms";
        nlohmann::json& filling = phases[2]["sides"];
        filling["WaterUnit"]["sends"][1]["delay"] = "1 h";
        filling["WaterUnit"].erase("within");
        filling["FillingPost"].erase("within");
        const auto rig = rig::rigFromText(written.dump(), WAVETROPE_DEMO "/rig.json");
        QVERIFY2(rig.has_value(), rig ? "" : rig.error().text().c_str());
        auto document = liveRun(*rig);
        QVERIFY(document.has_value());
        window_ = std::make_unique<MainWindow>(std::move(*document));
        window_->setAttribute(Qt::WA_DeleteOnClose, false);
        window_->resize(1280, 800);
        window_->show();
    }
    void cleanupTestCase() { window_->closeWithoutAsking(); }

    void itRestsUntilItIsBegun()
    {
        QVERIFY(view() != nullptr);
        QTRY_COMPARE(view()->summary(), QStringLiteral("docking rests"));
        QTRY_VERIFY(button("beginDialogue")->isEnabled());
        QVERIFY(!button("breakOff")->isEnabled());
        QVERIFY(view()->grab().width() > 600);  // phases that are ahead
        QTest::mouseClick(button("beginDialogue"), Qt::LeftButton);
        QTRY_COMPARE(phase(0), std::size_t{2});
        QTRY_COMPARE(phase(1), std::size_t{2});
        QVERIFY(view()->summary().contains(QStringLiteral("no rule broken")));
        QCOMPARE(view()->visits(0).size(), std::size_t{3});
        // Both partners at one height.
        QCOMPARE(view()->phaseBox(0, 2).top(), view()->phaseBox(1, 2).top());
        QVERIFY(view()->phaseBox(0, 2).height() > view()->phaseBox(0, 4).height());
    }

    // A limit that is changed stands in the rig, and waits until the dialogue begins anew; so does a value that was agreed.
    void aLimitIsChangedAndWaitsForTheNextBegin()
    {
        const auto facts = [&] { return *window_->stage().dialogues().find(QStringLiteral("docking")); };
        const auto within = [](const drive::DialogueFacts& one) { return one.spec->phases[2].sides[0].hears[0].within; };
        QTest::mouseClick(view(), Qt::LeftButton, Qt::NoModifier, view()->phaseBox(0, 2).center().toPoint());
        QVERIFY(window_->stage().selection().kind == Selection::Kind::phase);
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("docking, third phase, at WaterUnit")));
        QTRY_VERIFY(window_->inspector()->findChild<QLineEdit*>(QStringLiteral("limitHears0")) != nullptr);
        auto* limit = window_->inspector()->findChild<QLineEdit*>(QStringLiteral("limitHears0"));
        QTRY_VERIFY(limit->isVisible());
        QCOMPARE(limit->text(), QStringLiteral("250 ms"));
        const auto type = [](QLineEdit* line, const QString& words) {
            line->setFocus();
            line->selectAll();
            QTest::keyClicks(line, words);
            QTest::keyClick(line, Qt::Key_Return);
        };
        type(limit, QStringLiteral("never"));
        auto* problem = window_->inspector()->findChild<QLabel*>(QStringLiteral("phaseProblem"));
        QVERIFY(problem->isVisible() && problem->text().contains(QStringLiteral("no time limit")));
        type(limit, QStringLiteral("300 ms"));
        QVERIFY(!problem->isVisible());
        QCOMPARE(window_->document().rig().dialogues[0].phases[2].sides[0].hears[0].within, Time(300'000'000));
        QVERIFY(window_->document().rig().changed());
        QTRY_VERIFY(facts().waits);
        QCOMPARE(within(facts()), Time(250'000'000));
        auto* waits = window_->inspector()->findChild<QLabel*>(QStringLiteral("phaseWaits"));
        QTRY_VERIFY(waits->isVisible() && waits->text().contains(QStringLiteral("begins anew")));

        // A value that was agreed: changed on purpose, from its next frame on.
        auto* agreed = window_->inspector()->findChild<QLineEdit*>(QStringLiteral("agreed0"));
        QVERIFY(agreed != nullptr && agreed->isVisible());
        type(agreed, QStringLiteral("1"));
        QTRY_COMPARE(window_->stage().manipulations().rows().size(), std::size_t{1});
        QVERIFY2(window_->stage().manipulations().rows().front().text.startsWith(QStringLiteral("WaterUnit Dock")),
            qPrintable(window_->stage().manipulations().rows().front().text));
        QTRY_VERIFY(waits->text().contains(QStringLiteral("values wait")));

        QTest::mouseClick(window_->inspector()->findChild<QPushButton*>(QStringLiteral("beginAnew")), Qt::LeftButton);
        QTRY_COMPARE(within(facts()), Time(300'000'000));
        QTRY_VERIFY(!facts().waits);
        QTRY_COMPARE(phase(0), std::size_t{2});
        QTRY_VERIFY(window_->stage().manipulations().rows().front().facts.changed > 0);
        QTRY_VERIFY(!waits->isVisible());

        // Back again, as it was written.
        view()->setFocus();
        QTest::keyClick(view(), Qt::Key_Z, Qt::ControlModifier);  // what was done last
        QTRY_VERIFY(window_->stage().manipulations().rows().empty());
        QTest::keyClick(view(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(window_->document().rig().dialogues[0].phases[2].sides[0].hears[0].within, Time(250'000'000));
        QTRY_VERIFY(facts().waits);
        QTest::mouseClick(button("beginDialogue"), Qt::LeftButton);
        QTRY_COMPARE(within(facts()), Time(250'000'000));
        QTRY_COMPARE(phase(0), std::size_t{2});
        QTRY_COMPARE(phase(1), std::size_t{2});
    }

    // A phase is dragged, and what is below it goes along; by keys, back by undo and by a double click; kept with the page.
    void phasesAreMoved()
    {
        const QRectF filling = view()->phaseBox(0, 2), parting = view()->phaseBox(0, 4), other = view()->phaseBox(1, 2),
                     greeting = view()->phaseBox(0, 0);
        const QPoint from = filling.center().toPoint();
        QTest::mousePress(view(), Qt::LeftButton, Qt::NoModifier, from);
        QTest::mouseMove(view(), from + QPoint(20, 30));
        QTest::mouseMove(view(), from + QPoint(40, 50));
        QTest::mouseRelease(view(), Qt::LeftButton, Qt::NoModifier, from + QPoint(40, 50));
        QCOMPARE(view()->phaseBox(0, 2).topLeft(), filling.topLeft() + QPointF(40, 50));
        QCOMPARE(view()->phaseBox(1, 2).top(), other.top() + 50);
        QCOMPARE(view()->phaseBox(0, 4).top(), parting.top() + 50);
        QCOMPARE(view()->phaseBox(0, 0), greeting);
        const nlohmann::json kept = view()->save();
        QCOMPARE(kept["moved"]["docking"]["down"][2].get<double>(), 50.0);
        view()->setFocus();
        QTest::keyClick(view(), Qt::Key_Up, Qt::ShiftModifier);
        QCOMPARE(view()->phaseBox(0, 2).top(), filling.top() + 42);
        QTest::keyClick(view(), Qt::Key_Z, Qt::ControlModifier);
        QTest::keyClick(view(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(view()->phaseBox(0, 2), filling);
        view()->restore(kept);
        QTRY_COMPARE(view()->phaseBox(0, 2).left(), filling.left() + 40);
        QTest::mouseDClick(view(), Qt::LeftButton, Qt::NoModifier, view()->phaseBox(0, 2).center().toPoint());
        QCOMPARE(view()->phaseBox(0, 2), filling);
        // A set-up from a stranger.
        view()->restore(nlohmann::json::parse(R"({"dialogue": 3, "moved": {"docking": {"down": [1e300, "x", null], "in": 7}, "x": 1}})"));
        QTRY_VERIFY(view()->phaseBox(0, 0).top() <= greeting.top() + 600);
        view()->restore(nlohmann::json::object());
        QTRY_COMPARE(view()->phaseBox(0, 2), filling);
    }

    // Under the lanes, a band for each partner; a click goes to where a phase was entered.
    void bandsStandUnderTheLanes()
    {
        (void)view();
        window_->showPage(QStringLiteral("Analyse"));
        auto* bands = window_->findChild<StateBands*>();
        QTRY_VERIFY(bands != nullptr && bands->isVisible() && bands->bands().size() >= 6);
        QVERIFY(bands->height() >= 2 * 16);
        const auto last = [&](std::size_t partner) {
            StateBands::Band found;
            for (const StateBands::Band& band : bands->bands())
                found = band.partner == partner ? band : found;
            return found;
        };
        QCOMPARE(last(0).name, QStringLiteral("filling"));
        QVERIFY(last(0).goesOn && last(1).goesOn && last(1).row == last(0).row + 1);
        QTRY_VERIFY(!bands->boxOf(last(1)).isEmpty());
        const StateBands::Band band = last(1);
        QTest::mouseClick(bands, Qt::LeftButton, Qt::NoModifier, bands->boxOf(band).center().toPoint());
        QVERIFY(window_->stage().selection().kind == Selection::Kind::phase && window_->stage().selection().bus == 1);
        QCOMPARE(window_->stage().cursor(), band.from);
        QTest::keyClick(window_.get(), Qt::Key_Space);
        QTRY_VERIFY(window_->stage().following());
        (void)view();
    }

    // What its bus counts for a node stands in the inspector.
    void errorCountersAreTold()
    {
        Selection node;
        node.kind = Selection::Kind::node;
        node.node = QStringLiteral("WaterUnit");
        window_->stage().select(node);
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("Error counters: sending, receiving")));
        QVERIFY(window_->inspector()->text().contains(QStringLiteral("Implement: 0, 0")));
        window_->document().session()->call(
            [](rig::Session& session) { (void)rig::manipulateNamed(session, "wire Implement counters WaterUnit 250 12"); });
        QTRY_VERIFY2(
            window_->inspector()->text().contains(QStringLiteral("Implement: error-passive")), qPrintable(window_->inspector()->text()));
        // Under the lanes it has a row of its own, which tells when, and leads there.
        window_->showPage(QStringLiteral("Analyse"));
        auto* bands = window_->findChild<StateBands*>();
        const auto passive = [&] {
            const auto found = std::find_if(bands->bands().begin(), bands->bands().end(),
                [](const StateBands::Band& band) { return band.dialogue.isEmpty() && band.state == can::ErrorState::passive; });
            return found == bands->bands().end() ? StateBands::Band{} : *found;
        };
        QTRY_VERIFY(
            passive().goesOn && passive().to - passive().from > std::chrono::milliseconds(300) && !bands->boxOf(passive()).isEmpty());
        QCOMPARE(passive().counters, QStringLiteral("250 sending, 12 receiving"));
        const StateBands::Band band = passive();
        QTest::mouseClick(bands, Qt::LeftButton, Qt::NoModifier, bands->boxOf(band).center().toPoint());
        QCOMPARE(window_->stage().cursor(), band.from);
        QCOMPARE(window_->stage().selection().node, QStringLiteral("WaterUnit"));
        QTest::keyClick(window_.get(), Qt::Key_Space);
        QTRY_VERIFY(window_->stage().following());
        (void)view();
        window_->document().session()->call(
            [](rig::Session& session) { (void)rig::liftNamed(session, "wire Implement counters WaterUnit 250 12"); });
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("Implement: 0, 0")));
    }

    void itIsBrokenOffForAReason()
    {
        QTRY_VERIFY(button("breakOff")->isEnabled());
        QTest::mouseClick(button("breakOff"), Qt::LeftButton);
        QPointer<QMenu> menu;
        QTRY_VERIFY((menu = view()->findChild<QMenu*>(QStringLiteral("reasons"))) != nullptr && menu->isVisible());
        QCOMPARE(menu->actions().size(), 5);
        QTest::keyClick(menu, Qt::Key_Up);  // the last of them
        QTest::keyClick(menu, Qt::Key_Return);
        QTRY_VERIFY(view()->summary().contains(QStringLiteral("ended at")));
        QCOMPARE(phase(0), drive::SideSpec::rest);
        QTRY_VERIFY(!button("breakOff")->isEnabled());
    }

    void whatIsBrokenIsToldAndLeadsToItsMoment()
    {
        window_->document().session()->call([](rig::Session& session) {
            const auto late = drive::manipulationFromText("FillingPost PostLimits later 60ms 1 times");
            QVERIFY(late && dynamic_cast<drive::Node&>(*session.actor("FillingPost")).manipulate(*late));
        });
        view()->setFocus();
        QTest::keyClick(view(), Qt::Key_Return);
        QTRY_COMPARE(phase(0), std::size_t{2});
        QTRY_VERIFY(view()->summary().contains(QStringLiteral("broken")) && !view()->summary().contains(QStringLiteral("no rule")));
        const auto& visits = view()->visits(0);
        QVERIFY(visits.size() >= 4 && visits[1].phase == 1 && visits[2].phase == 1 && visits[2].entered == 2);
        QCOMPARE(visits[1].broken.size(), std::size_t{1});
        const Time moment = visits[1].broken.front().time;
        // The words stand between the partners, in the phase where it was.
        view()->grab();
        bool found = false;
        const QRectF left = view()->phaseBox(0, 1), right = view()->phaseBox(1, 1);
        for (double y = left.top() + 4; y < left.bottom() && !found; y += 6) {
            QTest::mouseClick(view(), Qt::LeftButton, {}, QPoint(static_cast<int>((left.right() + right.left()) / 2), static_cast<int>(y)));
            found = !window_->stage().following();
        }
        QVERIFY(found);
        QCOMPARE(window_->stage().cursor(), moment);
        // Resting there, the partners are where they were.
        QTRY_COMPARE(phase(0), std::size_t{1});
        QCOMPARE(view()->visits(0).size(), std::size_t{2});
        window_->stage().now();
        QTRY_VERIFY(view()->visits(0).size() >= 4);
    }

    // Typed, seen to act, lifted, taken back.
    void whatIsChangedOnPurposeHasARow()
    {
        auto* list = window_->currentPage()->find<ManipulationView>();
        for (Pane* pane : window_->currentPage()->panes())
            for (int i = 0; i < pane->count() && !list->isVisible(); ++i)
                pane->setCurrent(i);
        QTRY_COMPARE(list->rows().size(), std::size_t{1});  // that of before
        QTRY_VERIFY(list->rows()[0].facts.done);
        QTest::keyClicks(list->line(), QStringLiteral("WaterUnit WaterState.TankLevl = 7"));
        QTest::keyClick(list->line(), Qt::Key_Return);
        QVERIFY2(list->problem().contains(QStringLiteral("TankLevel")), qPrintable(list->problem()));
        QCOMPARE(list->rows().size(), std::size_t{1});
        list->line()->selectAll();
        QTest::keyClicks(list->line(), QStringLiteral("empty tank: WaterUnit WaterState.TankLevel = 7"));
        QVERIFY(list->problem().isEmpty());
        QTest::keyClick(list->line(), Qt::Key_Return);
        // Those of the rig stand first.
        const auto kept = [&] { return list->rows().at(0); };
        QTRY_VERIFY(list->rows().size() == 2 && kept().facts.acts && kept().facts.changed > 1);
        QCOMPARE(kept().name, QStringLiteral("empty tank"));
        QTRY_COMPARE(list->summary(), QStringLiteral("1 acts, 1 is done"));
        const auto written = [&] { return window_->document().rig().document.value("manipulations", nlohmann::json::array()); };
        QCOMPARE(QString::fromStdString(written().dump()),
            QStringLiteral(R"j([{"acts":true,"does":"WaterUnit WaterState.TankLevel = 7","name":"empty tank"}])j"));
        QVERIFY(window_->document().rig().changed());
        QVERIFY(!list->grab().isNull());
        // Once more what was done once: that stands in no rig.
        QTest::mouseClick(list, Qt::LeftButton, {}, list->controlOf(1).center().toPoint());
        QTRY_VERIFY(list->rows().size() == 2 && !list->rows()[1].facts.done);
        // Lifted it is kept, and acts again when it is asked to.
        QTest::mouseClick(list, Qt::LeftButton, {}, list->controlOf(0).center().toPoint());
        QTRY_VERIFY(!kept().acts && !kept().running);
        QTRY_COMPARE(list->summary(), QStringLiteral("1 acts, 1 is lifted"));
        QTest::keyClick(list, Qt::Key_Return);
        QTRY_VERIFY(kept().running && kept().facts.acts);
        // Another name.
        QTest::keyClick(list, Qt::Key_F2);
        QTRY_VERIFY(list->name()->isOpen());
        list->name()->selectAll();
        QTest::keyClicks(list->name(), QStringLiteral("dry"));
        QTest::keyClick(list->name(), Qt::Key_Return);
        QTRY_COMPARE(kept().name, QStringLiteral("dry"));
        QVERIFY(kept().running);
        // Taken out, and taken back.
        list->setFocus();
        QTest::keyClick(list, Qt::Key_Delete);
        QTRY_COMPARE(list->rows().size(), std::size_t{1});
        QVERIFY(written().empty());
        list->undoStack()->undo();
        QTRY_VERIFY(list->rows().size() == 2 && kept().running && kept().name == QLatin1String("dry"));
        QTest::mouseClick(window_->findChild<QPushButton*>(QStringLiteral("liftAll")), Qt::LeftButton);
        QTRY_COMPARE(list->summary(), QStringLiteral("1 is lifted"));
        list->undoStack()->undo();
        QTRY_VERIFY(kept().running);
        list->undoStack()->redo();
        QTRY_VERIFY(!kept().running);
    }

    void allButOneAreSimulated()
    {
        auto* nodes = window_->currentPage()->find<NodesView>();
        for (Pane* pane : window_->currentPage()->panes())
            for (int i = 0; i < pane->count() && !nodes->isVisible(); ++i)
                pane->setCurrent(i);
        const auto out = [&] {
            QStringList names;
            for (const rig::NodeReport& report : window_->document().session()->nodeReports())
                if (!report.on)
                    names << QString::fromStdString(report.name);
            return names;
        };
        QTRY_VERIFY(!nodes->pillOf(QStringLiteral("WaterUnit")).isEmpty());
        nodes->setSimulated(QStringLiteral("Cab"), false);
        QTRY_COMPARE(out(), QStringList{"Cab"});
        QTest::mouseClick(nodes, Qt::LeftButton, {}, nodes->pillOf(QStringLiteral("WaterUnit")).center().toPoint() - QPoint(120, 0));
        QContextMenuEvent ask(QContextMenuEvent::Keyboard, QPoint(), nodes->mapToGlobal(QPoint()));
        QApplication::sendEvent(nodes, &ask);
        QPointer<QMenu> menu;
        QTRY_VERIFY((menu = nodes->findChild<QMenu*>(QStringLiteral("nodesMenu"))) != nullptr && menu->isVisible());
        menu->findChild<QAction*>(QStringLiteral("allButThis"))->trigger();
        menu->close();
        QTRY_COMPARE(out(), QStringList{"WaterUnit"});
        nodes->undoStack()->undo();
        QTRY_COMPARE(out(), QStringList{"Cab"});
        nodes->simulateAllBut({});
        QTRY_VERIFY(out().isEmpty());
    }

    // Held, stepped, and held again where a condition becomes true; said wherever time is told.
    void theTimeOfTheRunIsHeldAndStepped()
    {
        rig::Session& session = *window_->document().session();
        auto* pace = button<QToolButton>("pace");
        QCOMPARE(pace->text(), QStringLiteral("1 x"));
        while (QWidget* open = QApplication::activePopupWidget())
            open->close();
        window_->activateWindow();
        QTRY_VERIFY(window_->isActiveWindow());
        QTest::keyClick(window_.get(), Qt::Key_H, Qt::ControlModifier);
        QTRY_COMPARE(pace->text(), QStringLiteral("time held"));
        const Time there = session.now();
        const auto said = [&](const QString& words) {
            const auto labels = window_->findChildren<QLabel*>();
            return std::any_of(labels.begin(), labels.end(), [&](const QLabel* label) { return label->text().contains(words); });
        };
        QTRY_VERIFY(said(QStringLiteral("time is held")));
        QTest::keyClick(window_.get(), Qt::Key_J, Qt::ControlModifier);
        QVERIFY(session.now() > there);
        const auto rows = window_->document().trace().rows();
        QTest::keyClick(window_.get(), Qt::Key_J, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(window_->document().trace().rows(), rows + 1);
        // From its menu: ten times as fast, to a condition.
        const auto choose = [&](const QString& menu, const QString& text) {
            Q_EMIT pace->menu()->aboutToShow();
            QMenu* choices = menu == QLatin1String("paceMenu") ? pace->menu() : pace->menu()->findChild<QMenu*>(menu);
            for (QAction* action : choices->actions())
                if (action->text().startsWith(text)) {
                    action->trigger();
                    return true;
                }
            return false;
        };
        QVERIFY(choose(QStringLiteral("paceMenu"), QStringLiteral("10 times")));
        const QString condition = QString::fromStdString(window_->document().rig().events.front().name);
        QVERIFY(choose(QStringLiteral("stopMenu"), condition));
        QCOMPARE(session.pace().stopsAt, condition.toStdString());
        QTest::keyClick(window_.get(), Qt::Key_H, Qt::ControlModifier);
        QTRY_VERIFY(pace->text().startsWith(QStringLiteral("10 x, to ")) || session.pace().held);
        session.call([](rig::Session& run) { QVERIFY(run.setPace(0)); });  // the machine need not wait
        QTRY_VERIFY_WITH_TIMEOUT(session.pace().held, 60'000);
        QTRY_COMPARE(pace->text(), QStringLiteral("held: ") + condition);
        QVERIFY(choose(QStringLiteral("stopMenu"), condition));  // no longer
        QVERIFY(choose(QStringLiteral("paceMenu"), QStringLiteral("the pace of the wall")));
        QTest::keyClick(window_.get(), Qt::Key_H, Qt::ControlModifier);
        QTRY_COMPARE(pace->text(), QStringLiteral("1 x"));
        const Time held = session.now();
        QTRY_VERIFY(session.now() > held);
    }

    // Over a log the same machines tell the same, up to the cursor; what was broken stands among the events.
    void aLogIsFollowedAsTheRunWas()
    {
        const auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        QVERIFY(rig.has_value());
        const QString path = folder_.filePath(QStringLiteral("docking.pcapng"));
        {
            rig::SessionOptions options;
            options.measured = false;
            auto session = rig::Session::create(*rig, rig::loadDatabases(*rig), options);
            QVERIFY(session.has_value());
            QVERIFY(rig::manipulate(**session, *rig::manipulationFrom("FillingPost PostLimits later 60ms 1 times")));
            (*session)->runFor(std::chrono::seconds(105), nullptr);
            QVERIFY((*session)->record(path.toStdString()));
            (*session)->runFor(std::chrono::seconds(12), nullptr);
            QVERIFY((*session)->finishRecording(path.toStdString()));
        }
        MainWindow* window = MainWindow::openFile(path, *rig, nullptr);
        QVERIFY(window != nullptr);
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready() && window->stage().caughtUp(), 60'000);
        window->showPage(QStringLiteral("Drive"));
        auto* view = window->currentPage()->find<DialogueView>();
        QVERIFY(view != nullptr);
        for (Pane* pane : window->currentPage()->panes())
            for (int i = 0; i < pane->count() && !view->isVisible(); ++i)
                pane->setCurrent(i);
        window->stage().now();
        QTRY_VERIFY(view->summary().contains(QStringLiteral("ended at")) && view->summary().contains(QStringLiteral("1 rule broken")));
        QVERIFY(!window->findChild<QPushButton*>(QStringLiteral("beginDialogue"))->isVisible());
        QCOMPARE(view->visits(0).back().phase, std::size_t{4});
        const auto& events = window->stage().events();
        QTRY_COMPARE(events.counts()[static_cast<std::size_t>(measure::EventKind::dialogue)], std::size_t{1});
        const auto event = std::find_if(
            events.all().begin(), events.all().end(), [](const measure::Event& one) { return one.kind == measure::EventKind::dialogue; });
        QVERIFY(event->what == "docking" && event->text == "WaterUnit, agreeing" && event->why.find("PostLimits") != std::string::npos);
        // At its moment they were agreeing.
        window->stage().events().choose(*event);
        QTRY_COMPARE(view->visits(0).back().phase, std::size_t{1});
        QVERIFY(!view->visits(0).back().to);
        window->closeWithoutAsking();
    }

    void aPartnerThatIsTakenOutIsOutside()
    {
        window_->document().session()->call([](rig::Session& session) { session.actor("WaterUnit")->setOn(false); });
        QTRY_VERIFY(!button("beginDialogue")->isEnabled());
        window_->document().session()->call([](rig::Session& session) { session.actor("WaterUnit")->setOn(true); });
        QTRY_VERIFY(button("beginDialogue")->isEnabled());
        const nlohmann::json setUp = view()->save();
        view()->restore(setUp);
        view()->restore(nlohmann::json{{"dialogue", "docking"}});
        QVERIFY(view()->save() == (nlohmann::json{{"dialogue", "docking"}}));
    }
};

QTEST_MAIN(DialogueViewTest)
#include "dialogue_view_test.moc"
