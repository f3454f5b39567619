// SPDX-License-Identifier: GPL-3.0-or-later
// Boards in the real window: watched, driven and edited by mouse and keys.
#include <QApplication>
#include <QContextMenuEvent>
#include <QDir>
#include <QDropEvent>
#include <QFile>
#include <QMenu>
#include <QMimeData>
#include <QPointer>
#include <QPushButton>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <QToolButton>

#include "app/board/board_view.h"
#include "app/board/gauges.h"
#include "app/inspector/board_panel.h"
#include "app/keeping/keeping_options.h"
#include "app/parts/settings.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/shell/rig_tree.h"
#include "app/stage/board_desk.h"
#include "app/stage/manipulation_desk.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/signal_drag.h"
#include "app/theme/theme.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::app;

class BoardTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    std::unique_ptr<MainWindow> window_;

    Stage& stage() { return window_->stage(); }
    BoardView* board(const char* page)
    {
        window_->showPage(QLatin1String(page));
        auto* found = window_->currentPage()->find<BoardView>();
        found->setFocus();
        for (int i = 0; i < 500 && found->reading(found->items().size() - 1).label.isEmpty(); ++i)
            QTest::qWait(10);
        return found;
    }
    static std::size_t item(BoardView* view, const char* label)
    {
        for (std::size_t i = 0; i < view->items().size(); ++i)
            if (view->reading(i).label == QLatin1String(label))
                return i;
        qFatal("no item %s", label);
    }
    static double cell(BoardView* view) { return std::min(view->grid().height(), view->grid().width() * 0.62) / board::gridSize; }
    static QPoint trackPoint(BoardView* view, std::size_t item, double value)
    {
        const QRectF track = GaugePainter::trackOf(view->boxOf(view->items()[item].at), cell(view));
        const BoardReading& reading = view->reading(item);
        return QPointF(track.left() + track.width() * (value - reading.from) / (reading.to - reading.from), track.center().y()).toPoint();
    }
    static QPoint part(BoardView* view, std::size_t item, std::size_t number)
    {
        return GaugePainter::partsOf(view->boxOf(view->items()[item].at), cell(view), view->reading(item).choices.size())[number]
            .center()
            .toPoint();
    }
    double variable(const char* node, const char* name)
    {
        for (const rig::NodeReport& report : window_->document().session()->nodeReports())
            if (report.name == node)
                return report.variables.at(name);
        return -1;
    }
    double written(const char* signal) { return std::get<double>(stage().outbox().row({0, 0}).values.at(signal)); }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        Theme::get().choose(ThemeName::paper);
        const auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        QVERIFY(rig.has_value());
        auto document = liveRun(*rig);
        QVERIFY(document.has_value());
        window_ = std::make_unique<MainWindow>(std::move(*document));
        window_->setAttribute(Qt::WA_DeleteOnClose, false);
        window_->resize(1280, 800);
        window_->show();
        QVERIFY(QTest::qWaitForWindowActive(window_.get()));
        QTRY_VERIFY(stage().snapshot().valid() && stage().snapshot().rows() > 1000);
    }
    void cleanupTestCase() { window_->closeWithoutAsking(); }

    // The page of a board in use has the whole width.
    void gaugesShowTheStateAtTheCursor()
    {
        BoardView* view = board("Driver");
        QVERIFY(!window_->findChild<RigTree*>()->isVisible());
        auto* fold = window_->findChild<QToolButton*>(QStringLiteral("foldTree"));
        QVERIFY(fold->isVisible());
        fold->click();
        QVERIFY(window_->findChild<RigTree*>()->isVisible());
        fold->click();
        QTRY_VERIFY(view->reading(item(view, "Speed")).value.has_value());
        stage().rest();
        QTRY_VERIFY(!stage().following());
        QTest::qWait(0);
        const auto at = stage().snapshot().rows();
        QVERIFY(at > 0);
        // Beside decoding the newest frame of each message by itself.
        int compared = 0;
        for (std::size_t i = 0; i < view->items().size(); ++i) {
            const board::Item& one = view->items()[i];
            if (one.of.kind != board::Binding::Kind::signal || !view->reading(i).value)
                continue;
            const auto ref = signalOf(stage().catalog(), QString::fromStdString(one.of.name));
            std::optional<double> wanted;
            for (trace::Row row = stage().cursorRow() + 1; row-- > 0 && !wanted;) {
                const can::FrameView frame = stage().snapshot().frame(row);
                database::Decoded decoded;
                if (stage().catalog().find(frame) == ref->message && ref->message->plan.decodeOne(frame, ref->index, decoded))
                    wanted = decoded.value;
            }
            QTRY_VERIFY(view->reading(i).value == wanted);     // once it has been painted for where the cursor rests
            ++compared;
        }
        QVERIFY(compared >= 8);
        QVERIFY(!view->grab().isNull());
        // Controls are inert while the cursor rests, and say so.
        const std::size_t slider = item(view, "Blade depth to ask for");
        QVERIFY(view->reading(slider).inert);
        QVERIFY(view->reading(slider).controlWords.contains(QStringLiteral("Space")));
        const double before = written("CommandedDepth");
        QSignalSpy told(&stage(), &Stage::told);
        QTest::mouseClick(view, Qt::LeftButton, {}, trackPoint(view, slider, 9));
        QCOMPARE(told.size(), qsizetype{1});
        QCOMPARE(written("CommandedDepth"), before);
        stage().now();
        QTRY_VERIFY(!view->reading(slider).inert);
    }

    void controlsDriveTheOutbox()
    {
        BoardView* view = board("Driver");
        const std::size_t slider = item(view, "Blade depth to ask for"), release = item(view, "Release");
        QTRY_VERIFY(view->reading(slider).controlWords.contains(QStringLiteral("not going out")));
        stage().outbox().sendAnyway({0, 0});
        stage().outbox().go(0);
        QTRY_COMPARE(view->reading(slider).actual, std::optional(3.4));
        // Requested and actual: the row gathers, so it waits until it is sent.
        QTest::mousePress(view, Qt::LeftButton, {}, trackPoint(view, slider, 6));
        QTest::mouseMove(view, trackPoint(view, slider, 9));
        QTRY_VERIFY(std::abs(*view->reading(slider).asked - 9) < 0.2);
        QCOMPARE(written("CommandedDepth"), 3.4);
        QTest::mouseRelease(view, Qt::LeftButton, {}, trackPoint(view, slider, 9));
        QVERIFY(std::abs(written("CommandedDepth") - 9) < 0.2);
        QTRY_VERIFY(view->reading(slider).waits);
        QCOMPARE(view->reading(slider).actual, std::optional(3.4));
        QTRY_COMPARE(view->reading(slider).controlWords, QStringLiteral("goes out when you send it"));
        stage().outbox().send(0);
        QTRY_VERIFY(std::abs(*view->reading(slider).actual - 9) < 0.2 && !view->reading(slider).waits);
        // Arrows and the wheel step the focused one.
        const double now = written("CommandedDepth");
        QTest::keyClick(view, Qt::Key_Up);
        QVERIFY(std::abs(written("CommandedDepth") - now - 0.1) < 1e-9);
        QTest::keyClick(view, Qt::Key_Down, Qt::ShiftModifier);
        QVERIFY(std::abs(written("CommandedDepth") - now + 0.9) < 1e-9);
        QWheelEvent wheel(trackPoint(view, slider, 5), view->mapToGlobal(trackPoint(view, slider, 5)), {}, QPoint(0, 120), Qt::NoButton,
            Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(view, &wheel);
        QVERIFY(std::abs(written("CommandedDepth") - now + 0.8) < 1e-9);
        // A switch.
        QCOMPARE(view->reading(release).choices.size(), std::size_t{2});
        QTest::mouseClick(view, Qt::LeftButton, {}, part(view, release, 0));
        QCOMPARE(written("Release"), 0.0);
        QTest::keyClick(view, Qt::Key_Return);
        QCOMPARE(written("Release"), 1.0);
        // A choice by its texts, with Tab from control to control.
        const std::size_t beacon = item(view, "Beacon");
        QTest::keyClick(view, Qt::Key_Tab);
        QTest::keyClick(view, Qt::Key_Left);
        const OutboxDesk::Place lamps = *stage().outbox().placeNamed(QStringLiteral("Service and lamps/CabLamps"));
        QTRY_COMPARE(std::get<drive::LabelSpec>(stage().outbox().row(lamps).values.at("Beacon")).text, std::string("off"));
        QTRY_COMPARE(view->reading(beacon).askedText, QStringLiteral("off"));
        while (stage().outbox().undoStack().canUndo())
            stage().outbox().undoStack().undo();
        QCOMPARE(written("CommandedDepth"), 3.4);
        stage().outbox().hold(0);
    }

    void buttonsAreHeld()
    {
        BoardView* view = board("Driver");
        const std::size_t lever = item(view, "Lever");
        const OutboxDesk::Place levers = *stage().outbox().placeNamed(QStringLiteral("Service and lamps/Levers"));
        const std::size_t number = stage().outbox().numberOf(levers);
        const QPoint at = GaugePainter::buttonOf(view->boxOf(view->items()[lever].at), cell(view)).center().toPoint();
        // Somebody else sends it: named, and not sent.
        QSignalSpy told(&stage(), &Stage::told);
        QTest::mousePress(view, Qt::LeftButton, {}, at);
        QVERIFY(!told.isEmpty() && told.first().first().toString().contains(QStringLiteral("OperatorSeat")));
        QTest::mouseRelease(view, Qt::LeftButton, {}, at);
        stage().outbox().sendAnyway(levers);
        QTest::mousePress(view, Qt::LeftButton, {}, at);
        QTRY_VERIFY(stage().outbox().facts()[number].sent >= 2);
        QTRY_VERIFY(view->reading(lever).pressed);
        QTest::mouseRelease(view, Qt::LeftButton, {}, at);
        QTRY_VERIFY(!stage().outbox().facts()[number].going);
        // By key, and let go when the focus is lost.
        QTest::keyPress(view, Qt::Key_Return);
        QTRY_VERIFY(stage().outbox().facts()[number].going);
        window_->findChild<QWidget*>(QStringLiteral("pageTabs"))->setFocus();
        QTRY_VERIFY(!stage().outbox().facts()[number].going);
        stage().outbox().undoStack().undo();
    }

    void variablesOfNodesAreDriven()
    {
        BoardView* view = board("Water");
        const std::size_t shut = item(view, "Hold the valve shut"), trim = item(view, "Flow, more or less"), heat = item(view, "Warmer by");
        QTRY_VERIFY(view->reading(shut).asked.has_value());
        QTest::mouseClick(view, Qt::LeftButton, {}, part(view, shut, 1));
        QTRY_COMPARE(variable("WaterUnit", "closed"), 1.0);
        QTRY_COMPARE(view->reading(item(view, "Valve")).number, QStringLiteral("closed"));
        QTest::mouseClick(view, Qt::LeftButton, {}, part(view, shut, 0));
        QTRY_COMPARE(variable("WaterUnit", "closed"), 0.0);
        QTest::mousePress(view, Qt::LeftButton, {}, trackPoint(view, trim, -3));
        QTest::mouseMove(view, trackPoint(view, trim, -6));
        QTRY_VERIFY(std::abs(variable("WaterUnit", "trim") + 6) < 0.3);     // while it is dragged
        QTest::mouseRelease(view, Qt::LeftButton, {}, trackPoint(view, trim, -6));
        QTRY_VERIFY(std::abs(*view->reading(trim).asked + 6) < 0.3);
        // Typed.
        const QPoint field = GaugePainter::buttonOf(view->boxOf(view->items()[heat].at), cell(view)).center().toPoint();
        QTest::mouseClick(view, Qt::LeftButton, {}, field);
        QVERIFY(view->field()->isOpen());
        view->field()->selectAll();
        QTest::keyClicks(view->field(), QStringLiteral("50"));
        QTest::keyClick(view->field(), Qt::Key_Return);
        QVERIFY2(view->field()->problem().contains(QStringLiteral("from 0 to 30")), qPrintable(view->field()->problem()));
        view->field()->selectAll();
        QTest::keyClicks(view->field(), QStringLiteral("12"));
        QTest::keyClick(view->field(), Qt::Key_Return);
        QTRY_COMPARE(variable("WaterUnit", "heat"), 12.0);
        // A key of the window, as long as it is held, wherever the focus is.
        QTest::keyPress(view, Qt::Key_Q);
        QTRY_COMPARE(variable("WaterUnit", "closed"), 1.0);
        QTest::keyRelease(view, Qt::Key_Q);
        QTRY_COMPARE(variable("WaterUnit", "closed"), 0.0);
    }

    // What goes wrong on purpose by a switch; and a gauge's signal is held from its menu.
    void switchesActOnPurpose()
    {
        BoardView* view = board("Water");
        auto& desk = stage().manipulations();
        QVERIFY(desk.add(QStringLiteral("still water: WaterUnit WaterState.Flow = 0")));
        desk.setActs(desk.rows().front(), false);
        const auto menuAt = [&](const QPoint& point) {
            QContextMenuEvent asks(QContextMenuEvent::Mouse, point, view->mapToGlobal(point));
            QApplication::sendEvent(view, &asks);
            QPointer<QMenu> menu = view->findChild<QMenu*>(QStringLiteral("boardMenu"));
            return menu;
        };
        // Room for it.
        view->setEditing(true);
        QTest::mouseClick(view, Qt::LeftButton, {}, view->boxOf(view->items().back().at).center().toPoint());
        QTest::keyClick(view, Qt::Key_Delete);
        const std::size_t before = view->items().size();
        auto menu = menuAt(QPoint(2, 2));
        QVERIFY(menu != nullptr);
        auto* switches = menu->findChild<QMenu*>(QStringLiteral("manipulationSwitches"));
        QVERIFY(switches != nullptr);
        QCOMPARE(switches->actions().size(), 1);
        switches->actions().front()->trigger();
        delete menu;
        QCOMPARE(view->items().size(), before + 1);
        view->setEditing(false);
        QTRY_COMPARE(view->reading(before).label, QStringLiteral("still water"));
        QCOMPARE(view->reading(before).controlWords, QStringLiteral("lifted"));
        QTest::mouseClick(view, Qt::LeftButton, {}, part(view, before, 1));
        QTRY_VERIFY(desk.rows().front().acts && desk.rows().front().running);
        QTRY_COMPARE(view->reading(before).number, QStringLiteral("on"));
        QTest::mouseClick(view, Qt::LeftButton, {}, part(view, before, 0));
        QTRY_VERIFY(!desk.rows().front().acts);
        // What the rig does not keep any more is said.
        desk.remove(desk.rows().front());
        QTRY_VERIFY(view->reading(before).problem.contains(QStringLiteral("keeps nothing as still water")));
        stage().boards().undoStack().undo();
        QTRY_COMPARE(view->items().size(), before);
        stage().boards().undoStack().undo();
        QTRY_COMPARE(view->items().size(), before + 1);

        std::size_t gauge = before;
        for (std::size_t i = 0; i < before; ++i)
            if (view->items()[i].of.kind == board::Binding::Kind::signal
                && view->items()[i].of.name.find("WaterState.") != std::string::npos)
                gauge = i;
        QVERIFY(gauge < before);
        menu = menuAt(view->boxOf(view->items()[gauge].at).center().toPoint());
        QVERIFY(menu != nullptr);
        bool held = false;
        for (QAction* action : menu->actions())
            if (action->objectName() == QLatin1String("holdSignal")) {
                action->trigger();
                held = true;
            }
        delete menu;
        QVERIFY(held);
        QTRY_VERIFY(desk.rows().size() == 1 && desk.rows().front().text.endsWith(QStringLiteral(" stuck")));
        desk.remove(desk.rows().front());
    }

    // Limits and age are told in words.
    void limitsAndAgeAreTold()
    {
        BoardView* view = board("Water");
        const std::size_t shut = item(view, "Hold the valve shut"), flow = item(view, "Flow");
        QTest::mouseClick(view, Qt::LeftButton, {}, part(view, shut, 1));
        QTRY_VERIFY(view->reading(flow).side == measure::Side::under);
        QTRY_VERIFY(view->reading(flow).outWords.startsWith(QStringLiteral("under 6")));
        QVERIFY(view->reading(flow).outWords.contains(QStringLiteral(" for ")));
        QVERIFY(!view->reading(flow).old);
        window_->document().session()->call([](rig::Session& run) { run.actor("WaterUnit")->setOn(false); });
        QTRY_VERIFY(view->reading(flow).old);
        QVERIFY(view->reading(flow).oldWords.startsWith(QStringLiteral("old since ")));
        QVERIFY(!view->reading(flow).number.isEmpty());         // the number never vanishes
        QVERIFY(!view->grab().isNull());
        window_->document().session()->call([](rig::Session& run) { run.actor("WaterUnit")->setOn(true); });
        QTRY_VERIFY(!view->reading(flow).old);
    }

    void aBoardIsEdited()
    {
        BoardView* view = board("Driver");
        const auto before = view->items();
        QTest::mouseClick(window_->findChild<QPushButton*>(QStringLiteral("boardEdited")), Qt::LeftButton);
        auto* edited = view;
        if (!edited->editing())         // the button of another board
            edited->setEditing(true);
        QVERIFY(view->editing() && window_->findChild<RigTree*>()->isVisible());
        const auto centre = [&](std::size_t number) { return view->boxOf(view->items()[number].at).center().toPoint(); };
        const double wide = view->grid().width() / 24, high = view->grid().height() / 24;
        // No control sends.
        const std::size_t slider = item(view, "Blade depth to ask for");
        QTest::mouseClick(view, Qt::LeftButton, {}, trackPoint(view, slider, 11));
        QCOMPARE(written("CommandedDepth"), 3.4);
        QCOMPARE(view->chosen(), std::optional(slider));
        // Taken off, which leaves room; what is beside it is sized into it by its handle, and moved by keys.
        const std::size_t lever = item(view, "Lever"), beacon = item(view, "Beacon");
        QTest::mouseClick(view, Qt::LeftButton, {}, centre(lever));
        QTest::keyClick(view, Qt::Key_Delete);
        QCOMPARE(view->items().size(), before.size() - 1);
        QTest::mouseClick(view, Qt::LeftButton, {}, centre(beacon));
        const QPoint handle = view->handleOf(3).toPoint();
        QTest::mousePress(view, Qt::LeftButton, {}, handle);
        QTest::mouseMove(view, handle + QPoint(static_cast<int>(2 * wide), 0));
        QVERIFY(view->dropping().has_value());
        QCOMPARE(view->dropping()->wide, before[beacon].at.wide + 2);
        QVERIFY(!view->grab().isNull());
        QTest::mouseRelease(view, Qt::LeftButton, {}, handle + QPoint(static_cast<int>(2 * wide), 0));
        QCOMPARE(view->items()[beacon].at.wide, before[beacon].at.wide + 2);
        QTest::keyClick(view, Qt::Key_Right);
        QCOMPARE(view->items()[beacon].at.column, before[beacon].at.column + 1);
        QTest::keyClick(view, Qt::Key_Left, Qt::ShiftModifier);
        QCOMPARE(view->items()[beacon].at.wide, before[beacon].at.wide + 1);
        QTest::keyClick(view, Qt::Key_Left);
        QTest::keyClick(view, Qt::Key_Left);        // something lies there
        QCOMPARE(view->items()[beacon].at.column, before[beacon].at.column);
        // Dragged onto another one: the nearest free place.
        const QPoint from = centre(beacon);
        QTest::mousePress(view, Qt::LeftButton, {}, from);
        QTest::mouseMove(view, from + QPoint(10, static_cast<int>(-8 * high)));
        QTest::mouseMove(view, from + QPoint(0, static_cast<int>(-8 * high)));
        QVERIFY(view->dropping().has_value());
        QTest::mouseRelease(view, Qt::LeftButton, {}, from + QPoint(0, static_cast<int>(-8 * high)));
        for (std::size_t i = 0; i < view->items().size(); ++i)
            for (std::size_t k = 0; k < i; ++k)
                QVERIFY(!view->items()[i].at.overlaps(view->items()[k].at));
        // Duplicated where there is room, from the tray, and dropped.
        QTest::keyClick(view, Qt::Key_Delete);
        const std::size_t count = view->items().size();
        QTest::mouseClick(view, Qt::LeftButton, {}, view->trayOf(board::Shown::title).center().toPoint());
        QCOMPARE(view->items().size(), count + 1);
        QCOMPARE(view->items().back().shown, board::Shown::title);
        QTest::keyClick(view, Qt::Key_Delete);
        const std::unique_ptr<QMimeData> mime(signalData({QStringLiteral("Chassis:PowerState.StateOfCharge")}));
        const QPointF there = view->boxOf({18, 20, 1, 1}).center();
        QDragEnterEvent enter(there.toPoint(), Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(view, &enter);
        QDropEvent drop(there, Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(view, &drop);
        QCOMPARE(view->items().back().shown, board::Shown::bar);
        QCOMPARE(view->items().back().of.name, std::string("Chassis:PowerState.StateOfCharge"));
        // Onto an item: that shows it instead.
        const QPointF tank = view->boxOf(view->items()[item(view, "Tank")].at).center();
        const std::size_t tankItem = item(view, "Tank");
        QDragEnterEvent again(tank.toPoint(), Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(view, &again);
        QDropEvent onto(tank, Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(view, &onto);
        QCOMPARE(view->items()[tankItem].of.name, std::string("Chassis:PowerState.StateOfCharge"));
        QCOMPARE(view->items()[tankItem].at, before[tankItem].at);
        // All of it comes back.
        while (stage().boards().undoStack().canUndo())
            stage().boards().undoStack().undo();
        QVERIFY(view->items() == before);
        QTest::keyClick(view, Qt::Key_Escape);
        QVERIFY(!view->editing() && !window_->findChild<RigTree*>()->isVisible());
    }

    void theInspectorChangesAnItem()
    {
        BoardView* view = board("Driver");
        const auto before = view->items();
        view->setEditing(true);
        const std::size_t flow = item(view, "Flow");
        view->choose(flow);
        auto* panel = window_->findChild<BoardPanel*>();
        QTRY_VERIFY(panel->isVisible());
        const auto type = [&](const char* name, const QString& words) {
            auto* field = panel->findChild<QLineEdit*>(QLatin1String(name));
            field->setFocus();
            field->selectAll();
            QTest::keyClick(field, Qt::Key_Backspace);
            QTest::keyClicks(field, words);
            QTest::keyClick(field, Qt::Key_Return);
        };
        QCOMPARE(panel->findChild<QLineEdit*>(QStringLiteral("board-to"))->placeholderText(), QStringLiteral("20"));
        type("board-to", QStringLiteral("15"));
        QCOMPARE(view->items()[flow].to, std::optional(15.0));
        QTRY_COMPARE(view->reading(flow).to, 15.0);
        type("board-to", {});
        QVERIFY(!view->items()[flow].to.has_value());           // of the database again
        type("board-from", QStringLiteral("wide"));
        QVERIFY(!panel->problem().isEmpty());
        QVERIFY(!view->items()[flow].from.has_value());
        type("board-label", QStringLiteral("Wash flow"));
        QTRY_COMPARE(view->reading(flow).label, QStringLiteral("Wash flow"));
        QTest::mouseClick(panel->findChild<QPushButton*>(QStringLiteral("boardShowndial")), Qt::LeftButton);
        QCOMPARE(view->items()[flow].shown, board::Shown::dial);
        type("boardPlace3", QStringLiteral("9"));
        QVERIFY(panel->problem().contains(QStringLiteral("lies there already")));
        type("boardPlace3", QStringLiteral("3"));
        QCOMPARE(view->items()[flow].at.high, 3);
        type("boardBound", QStringLiteral("Implement:WaterState.Nothing"));
        QTRY_VERIFY(view->reading(flow).problem.contains(QStringLiteral("there is no signal")));
        QVERIFY(!view->grab().isNull());
        while (stage().boards().undoStack().canUndo())
            stage().boards().undoStack().undo();
        QVERIFY(view->items() == before);
        view->setEditing(false);
    }

    // A board that makes itself, for every node, has a page, no overlap, and is read.
    void aBoardForEachNode()
    {
        for (const drive::NodeSpec& node : window_->document().rig().nodes) {
            if (node.sends.empty())
                continue;  // it has nothing to show
            stage().boards().show(board::boardForNode(stage().catalog(), node.name));
            auto* view = window_->currentPage()->find<BoardView>();
            QVERIFY2(view != nullptr && view->name().startsWith(QString::fromStdString(node.name)), node.name.c_str());
            QVERIFY(!view->items().empty());
            for (std::size_t i = 0; i < view->items().size(); ++i) {
                for (std::size_t k = 0; k < i; ++k)
                    QVERIFY(!view->boxOf(view->items()[i].at).adjusted(1, 1, -1, -1).intersects(view->boxOf(view->items()[k].at)));
                QVERIFY(view->rect().contains(view->boxOf(view->items()[i].at).toAlignedRect()));
            }
            QVERIFY(!view->grab().isNull());
        }
        const auto& document = window_->document().rig().document;
        QVERIFY(document["boards"].size() >= 2 + window_->document().rig().nodes.size() - 1);
    }

    // A pattern of a folder that the user named; a file that is none is passed over.
    void patternsAreFoundInFolders()
    {
        const QString folder = folder_.filePath(QStringLiteral("patterns"));
        QVERIFY(QDir().mkpath(folder));
        const auto write = [&](const char* name, const QByteArray& bytes) {
            QFile file(folder + QLatin1Char('/') + QLatin1String(name));
            QVERIFY(file.open(QIODevice::WriteOnly) && file.write(bytes) == bytes.size());
        };
        write("a.json",
            R"({"pattern": "Depth and mode", "items": [{"show": "dial", "signal": "*.BladeDepth", "at": [0, 0, 12, 12]}, {"show": "state", "signal": "BladeMode", "at": [12, 0, 12, 6]}]})");
        write("b.json", "no json");
        write("c.json", QByteArray(3 << 20, ' '));
        setPatternFolders({folder});
        QCOMPARE(BoardDesk::patterns().size(), std::size_t{1});
        stage().boards().showPattern(BoardDesk::patterns().front().second, QStringLiteral("BladeUnit"));
        auto* view = window_->currentPage()->find<BoardView>();
        QCOMPARE(view->items().size(), std::size_t{2});
        QCOMPARE(view->items()[0].of.name, std::string("Implement:BladeState.BladeDepth"));
        QSignalSpy told(&stage(), &Stage::told);
        stage().boards().showPattern(folder + QStringLiteral("/b.json"), QStringLiteral("BladeUnit"));
        QVERIFY(told.size() == 1 && told.first().first().toString().contains(QStringLiteral("no pattern")));
        setPatternFolders({});
    }

    void aLogDrivesNothing()
    {
        auto log = std::make_unique<MainWindow>(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", *rig::loadRig(WAVETROPE_DEMO "/rig.json")));
        log->setAttribute(Qt::WA_DeleteOnClose, false);
        log->resize(1280, 800);
        log->show();
        std::swap(window_, log);
        QTRY_VERIFY(window_->document().ready());
        BoardView* view = board("Driver");
        stage().setCursor(stage().timeOf(50));
        QTRY_COMPARE(view->reading(item(view, "Mode")).number, QStringLiteral("resurfacing"));
        QVERIFY(view->reading(item(view, "Flow")).side == measure::Side::inside);
        stage().setCursor(stage().timeOf(105));
        QTRY_VERIFY(view->settled());
        QTRY_VERIFY2(view->reading(item(view, "Flow")).side == measure::Side::under, qPrintable(view->reading(item(view, "Flow")).number));
        QTRY_VERIFY(view->reading(item(view, "Flow")).outWords.startsWith(QStringLiteral("under 6")));
        QVERIFY(view->reading(item(view, "Blade depth to ask for")).inert);
        window_->closeWithoutAsking();
        std::swap(window_, log);
    }
};

QTEST_MAIN(BoardTest)
#include "board_test.moc"
