// SPDX-License-Identifier: GPL-3.0-or-later
// The outbox in the real window: rows are sent, held, edited and added by mouse and keys.
#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QDropEvent>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <QToolButton>

#include <algorithm>

#include "app/database/database_view.h"
#include "app/inspector/outbox_panel.h"
#include "app/keeping/keeping_options.h"
#include "app/outbox/outbox_view.h"
#include "app/parts/text.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/stage/row_keys.h"
#include "app/stage/signal_drag.h"
#include "app/theme/theme.h"
#include "bus/simulated_bus.h"
#include "drive/message_text.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::app;

class OutboxTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    std::unique_ptr<MainWindow> window_;

    Stage& stage() { return window_->stage(); }
    OutboxView* view()
    {
        window_->showPage(QStringLiteral("Drive"));
        auto* found = window_->currentPage()->find<OutboxView>();
        for (Pane* pane : window_->currentPage()->panes())
            for (int i = 0; i < pane->count() && !found->isVisible(); ++i)
                pane->setCurrent(i);
        return found;
    }
    OutboxRows* list() { return view()->list(); }
    /// Place of a row in the list by its message or frame.
    std::size_t row(const QString& name)
    {
        for (std::size_t i = 0; i < list()->count(); ++i)
            if (list()->entry(i).row && list()->rowText(i).section('\t', 2, 2) == name)
                return i;
        return ~std::size_t{0};
    }
    QString cell(const QString& name, int column)
    {
        return row(name) < list()->count() ? list()->rowText(row(name)).section('\t', column, column) : QString();
    }
    drive::OutboxRowFacts facts(const QString& name)
    {
        const std::size_t at = row(name);
        const auto& all = stage().outbox().facts();
        return at < list()->count() && list()->entry(at).number < all.size() ? all[list()->entry(at).number] : drive::OutboxRowFacts{};
    }
    void clickControl(std::size_t at)
    {
        list()->choose(at);     // in sight
        QTest::mouseClick(list()->viewport(), Qt::LeftButton, {}, list()->controlOf(at).center());
    }
    void clickValue(std::size_t at, std::size_t value)
    {
        list()->choose(at);
        QTest::mouseClick(list()->viewport(), Qt::LeftButton, {}, list()->valueOf(at, value).center());
    }
    std::optional<can::Frame> newest(unsigned id)
    {
        const trace::Snapshot snapshot = window_->document().trace().snapshot();
        for (trace::Row at = snapshot.rows(); at-- > 0;)
            if (const can::FrameView frame = snapshot.frame(at); frame.id.value == id && frame.direction == can::Direction::sent)
                return can::Frame(frame);
        return std::nullopt;
    }

    void startOrStop()
    {
        for (QToolButton* button : window_->findChildren<QToolButton*>())
            if (button->toolTip().contains(QStringLiteral("(F5)")))
                QTest::mouseClick(button, Qt::LeftButton);
    }
    static std::unique_ptr<MainWindow> opened(const rig::Rig& rig)
    {
        auto document = liveRun(rig);
        if (!document)
            return {};
        auto window = std::make_unique<MainWindow>(std::move(*document));
        window->setAttribute(Qt::WA_DeleteOnClose, false);
        window->resize(1280, 800);
        window->show();
        return window;
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        Theme::get().choose(ThemeName::paper);
        const auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        QVERIFY(rig.has_value());
        window_ = opened(*rig);
        QVERIFY(window_ != nullptr && view()->isVisible());
        QTRY_VERIFY(!stage().outbox().facts().empty());
    }
    void cleanupTestCase() { window_->closeWithoutAsking(); }

    void rowsAreToldAsTheyAre()
    {
        QTRY_COMPARE(list()->rowText(row(QStringLiteral("0x603"))).section('\t', 0, 4),
            QStringLiteral("Send\tImplement\t0x603\tonce\teach time it is sent"));
        QCOMPARE(cell(QStringLiteral("0x77E"), 3), QStringLiteral("every 1 s"));
        QCOMPARE(cell(QStringLiteral("0x77E"), 4), QStringLiteral("600 times"));
        QCOMPARE(cell(QStringLiteral("0x1F0"), 3), QStringLiteral("answers Mode = 4"));
        QCOMPARE(cell(QStringLiteral("0x3F0"), 4), QStringLiteral("20 times, 2 ms apart"));
        QVERIFY(cell(QStringLiteral("BladeCommand"), 5).startsWith(QStringLiteral("CommandedDepth 3.4 mm, CommandedTilt sine")));
        QVERIFY(!view()->grab().isNull());
    }

    void aRowIsSentByItsControlAndByEnterAlone()
    {
        const std::size_t at = row(QStringLiteral("0x603"));
        clickControl(at);
        QTRY_COMPARE(facts(QStringLiteral("0x603")).sent, 1U);
        QTest::keyClick(list(), Qt::Key_Return);
        QTRY_COMPARE(facts(QStringLiteral("0x603")).sent, 2U);
        // Nothing else sends: not a click on its name, not a double click anywhere.
        const QPoint name(list()->controlOf(at).right() + 60, list()->controlOf(at).center().y());
        QTest::mouseClick(list()->viewport(), Qt::LeftButton, {}, name);
        QTest::mouseDClick(list()->viewport(), Qt::LeftButton, {}, name);
        QTest::mouseRelease(list()->viewport(), Qt::LeftButton, {}, name);
        clickControl(row(QStringLiteral("0x77E")));
        QTRY_VERIFY(facts(QStringLiteral("0x77E")).sent >= 1);
        QCOMPARE(facts(QStringLiteral("0x603")).sent, 2U);
        QTRY_COMPARE(cell(QStringLiteral("0x77E"), 0), QStringLiteral("Sends"));
        // Pressed again, it is held.
        clickControl(row(QStringLiteral("0x77E")));
        QTRY_VERIFY(!facts(QStringLiteral("0x77E")).going);
        QTRY_COMPARE(cell(QStringLiteral("0x77E"), 0), QStringLiteral("Send"));
    }

    void whoElseSendsIsNamedBeforeTheFirstFrame()
    {
        clickControl(row(QStringLiteral("WaterState")));
        QCOMPARE(cell(QStringLiteral("WaterState"), 6), QStringLiteral("WaterUnit (simulated) sends WaterState too: two senders"));
        QCOMPARE(list()->remedies(row(QStringLiteral("WaterState"))),
            (QStringList{
                QStringLiteral("Take WaterUnit out"), QStringLiteral("Another identifier..."), QStringLiteral("Send all the same")}));
        QCOMPARE(facts(QStringLiteral("WaterState")).offered, 0U);
        QVERIFY(!list()->grab().isNull());
        // Escape leaves it as it was.
        QTest::keyClick(list(), Qt::Key_Escape);
        QVERIFY(list()->remedies(row(QStringLiteral("WaterState"))).isEmpty());
        QVERIFY(!facts(QStringLiteral("WaterState")).going);
        // Another node is taken out for it, by key, and the row goes out.
        clickControl(row(QStringLiteral("BladeCommand")));
        QCOMPARE(list()->remedies(row(QStringLiteral("BladeCommand"))).value(0), QStringLiteral("Take LevelControl out"));
        QTest::keyClick(list(), Qt::Key_1);
        QTRY_VERIFY(facts(QStringLiteral("BladeCommand")).sent > 3);
        const auto reports = window_->document().session()->nodeReports();
        QVERIFY(std::any_of(
            reports.begin(), reports.end(), [](const rig::NodeReport& node) { return node.name == "LevelControl" && !node.on; }));
        // All the same: kept for the row, and undone.
        clickControl(row(QStringLiteral("WaterState")));
        QTest::mouseClick(list()->viewport(), Qt::LeftButton, {}, list()->remedyOf(row(QStringLiteral("WaterState")), 2).center());
        QTRY_VERIFY(facts(QStringLiteral("WaterState")).sent > 0);
        QVERIFY(stage().outbox().row(list()->entry(row(QStringLiteral("WaterState"))).place()).anyway);
        stage().outbox().undoStack().undo();
        QVERIFY(!stage().outbox().row(list()->entry(row(QStringLiteral("WaterState"))).place()).anyway);
        // It goes on, and says that somebody else sends it: what came in while it runs raises the same words.
        QTRY_COMPARE(cell(QStringLiteral("WaterState"), 6), QStringLiteral("WaterUnit (simulated) sends WaterState too: two senders"));
        QTRY_VERIFY(facts(QStringLiteral("WaterState")).foreign > 0);
        clickControl(row(QStringLiteral("WaterState")));
        QTRY_VERIFY(!facts(QStringLiteral("WaterState")).going);
        // Under another identifier it is a frame with the same bytes, and goes out as that.
        clickControl(row(QStringLiteral("WaterState")));
        QTest::keyClick(list(), Qt::Key_2);
        QVERIFY(list()->field()->isOpen());
        QCOMPARE(list()->field()->text(), QStringLiteral("0x182"));
        list()->field()->selectAll();
        QTest::keyClicks(list()->field(), QStringLiteral("0x5F2"));
        QTest::keyClick(list()->field(), Qt::Key_Return);
        QTRY_VERIFY(facts(QStringLiteral("0x5F2")).sent > 0);
        QTRY_VERIFY(newest(0x5F2).has_value());     // the trace shows a frame behind those who hear it
        QCOMPARE(newest(0x5F2)->length, std::uint8_t{8});
        stage().outbox().undoStack().undo();
        QVERIFY(row(QStringLiteral("WaterState")) < list()->count());
    }

    void aValueThatWasEditedWaitsUntilItIsSent()
    {
        QTRY_VERIFY(facts(QStringLiteral("BladeCommand")).going);
        const auto depth = [&] {
            const auto frame = newest(0x201);
            return frame ? (frame->data[0] | (frame->data[1] & 0xF) << 8) : -1;
        };
        QTRY_COMPARE(depth(), 340);
        clickValue(row(QStringLiteral("BladeCommand")), 0);
        QVERIFY(list()->field()->isOpen());
        QCOMPARE(list()->field()->text(), QStringLiteral("3.4 mm"));
        // What it cannot be is refused in words, and stays in the field.
        QTest::keyClicks(list()->field(), QStringLiteral("21"));
        QTest::keyClick(list()->field(), Qt::Key_Return);
        QVERIFY2(list()->field()->problem().contains(QStringLiteral("12 bits hold")), qPrintable(list()->field()->problem()));
        list()->field()->selectAll();
        QTest::keyClicks(list()->field(), QStringLiteral("13"));
        QTest::keyClick(list()->field(), Qt::Key_Return);
        QVERIFY2(list()->field()->problem().contains(QStringLiteral("above 12 mm")), qPrintable(list()->field()->problem()));
        list()->field()->selectAll();
        QTest::keyClicks(list()->field(), QStringLiteral("3.8 mm"));
        QTest::keyClick(list()->field(), Qt::Key_Return);
        QVERIFY(!list()->field()->isOpen());
        QTRY_COMPARE(cell(QStringLiteral("BladeCommand"), 6), QStringLiteral("waits: goes out when you send it"));
        const std::uint64_t before = facts(QStringLiteral("BladeCommand")).sent;
        QTRY_VERIFY(facts(QStringLiteral("BladeCommand")).sent > before + 5);
        QCOMPARE(depth(), 340);
        QVERIFY(!view()->grab().isNull());
        // Enter sends it; it goes on with that.
        list()->choose(row(QStringLiteral("BladeCommand")));
        QTest::keyClick(list(), Qt::Key_Return);
        QTRY_COMPARE(depth(), 380);
        QTRY_COMPARE(facts(QStringLiteral("BladeCommand")).waiting.size(), std::size_t{0});
        QVERIFY(facts(QStringLiteral("BladeCommand")).going);
        // It stands in the rig, and can be undone.
        QCOMPARE(window_->document().rig().document["outbox"][0]["rows"][0]["signals"]["CommandedDepth"].get<double>(), 3.8);
        stage().outbox().undoStack().undo();
        QCOMPARE(window_->document().rig().document["outbox"][0]["rows"][0]["signals"]["CommandedDepth"].get<double>(), 3.4);
        QTRY_COMPARE(facts(QStringLiteral("BladeCommand")).waiting.size(), std::size_t{1});
        // Escape takes back what waits: the row has what is on the bus.
        view()->list()->choose(row(QStringLiteral("BladeCommand")));
        QTRY_COMPARE(cell(QStringLiteral("BladeCommand"), 6), QStringLiteral("waits: goes out when you send it"));
        QTest::keyClick(list(), Qt::Key_Escape);
        QTRY_COMPARE(facts(QStringLiteral("BladeCommand")).waiting.size(), std::size_t{0});
        QCOMPARE(window_->document().rig().document["outbox"][0]["rows"][0]["signals"]["CommandedDepth"].get<double>(), 3.8);
        // Stepped with the arrows from its field, ten and a tenth, as one step to undo.
        clickValue(row(QStringLiteral("BladeCommand")), 0);
        QTest::keyClick(list()->field(), Qt::Key_Up);
        QCOMPARE(list()->field()->text(), QStringLiteral("3.9 mm"));
        QTest::keyClick(list()->field(), Qt::Key_Down, Qt::ShiftModifier);
        QCOMPARE(list()->field()->text(), QStringLiteral("2.9 mm"));
        QTest::keyClick(list()->field(), Qt::Key_Up, Qt::ControlModifier);
        QCOMPARE(list()->field()->text(), QStringLiteral("2.91 mm"));
        QTest::keyClick(list()->field(), Qt::Key_Escape);
        QCOMPARE(window_->document().rig().document["outbox"][0]["rows"][0]["signals"]["CommandedDepth"].get<double>(), 2.91);
        stage().outbox().undoStack().undo();
        QCOMPARE(window_->document().rig().document["outbox"][0]["rows"][0]["signals"]["CommandedDepth"].get<double>(), 3.8);
    }

    // One switch: nothing goes out, what was due is counted, and nothing shifts.
    void allRowsAreHeld()
    {
        QTRY_VERIFY(facts(QStringLiteral("BladeCommand")).going);
        auto* hold = window_->findChild<QPushButton*>(QStringLiteral("outboxHoldAll"));
        auto* go = window_->findChild<QPushButton*>(QStringLiteral("outboxGoOut"));
        QVERIFY(go->isChecked());
        QTest::mouseClick(hold, Qt::LeftButton);
        QTRY_VERIFY(stage().outbox().held());
        QTRY_VERIFY(facts(QStringLiteral("BladeCommand")).withheld > 5);
        const std::uint64_t sent = facts(QStringLiteral("BladeCommand")).sent;
        QTRY_VERIFY(cell(QStringLiteral("BladeCommand"), 6).contains(QStringLiteral("all rows are held")));
        clickControl(row(QStringLiteral("0x603")));
        QTRY_COMPARE(facts(QStringLiteral("0x603")).withheld, 1U);
        QCOMPARE(facts(QStringLiteral("BladeCommand")).sent, sent);
        QTRY_VERIFY(hold->isChecked());
        QTest::mouseClick(go, Qt::LeftButton);
        QTRY_VERIFY(facts(QStringLiteral("BladeCommand")).sent > sent);
        clickControl(row(QStringLiteral("BladeCommand")));
        QTRY_VERIFY(!facts(QStringLiteral("BladeCommand")).going);
    }

    void keysOfTheWindowSendRows()
    {
        const auto down = [&](Qt::Key key) { QTest::keyPress(list(), key); };
        const auto up = [&](Qt::Key key) { QTest::keyRelease(list(), key); };
        const std::uint64_t before = facts(QStringLiteral("CabLamps")).sent;
        list()->setFocus();
        QTest::keyClick(list(), Qt::Key_F9);
        QTRY_COMPARE(facts(QStringLiteral("CabLamps")).sent, before + 1);
        // Somebody else sends the other: it is asked about first, as by the control.
        down(Qt::Key_F10);
        QTRY_COMPARE(list()->remedies(row(QStringLiteral("Levers"))).value(0), QStringLiteral("Take OperatorSeat out"));
        up(Qt::Key_F10);
        QCOMPARE(facts(QStringLiteral("Levers")).offered, 0U);
        const OutboxDesk::Place levers = list()->entry(row(QStringLiteral("Levers"))).place();
        stage().outbox().sendAnyway(levers);
        list()->setFocus();
        down(Qt::Key_F10);
        QTRY_VERIFY(facts(QStringLiteral("Levers")).sent >= 3);
        QVERIFY(facts(QStringLiteral("Levers")).going);
        QCOMPARE(cell(QStringLiteral("Levers"), 0), QStringLiteral("Sends"));
        up(Qt::Key_F10);
        QTRY_VERIFY(!facts(QStringLiteral("Levers")).going);
        // The window goes to the back: nothing stays pressed.
        down(Qt::Key_F10);
        QTRY_VERIFY(facts(QStringLiteral("Levers")).going);
        QEvent back(QEvent::WindowDeactivate);
        QApplication::sendEvent(window_.get(), &back);
        QTRY_VERIFY(!facts(QStringLiteral("Levers")).going);
        stage().outbox().undoStack().undo();
        // Keys of the window itself are refused in words; every plain one of its menu is known.
        for (const QAction* action : window_->findChildren<QAction*>()) {
            const QKeySequence key = action->shortcut();
            if (key.count() != 1 || key[0].keyboardModifiers() != Qt::NoModifier || rowKeyName(key.toString()).isEmpty())
                continue;
            const auto free = checkRowKey(stage(), key.toString(), levers);
            QVERIFY2(!free && free.error().what.find("belongs to the window itself") != std::string::npos, qPrintable(key.toString()));
        }
        QVERIFY(checkRowKey(stage(), QStringLiteral("f10"), levers).has_value());
        QVERIFY(checkRowKey(stage(), QStringLiteral("F9"), levers).error().what.find("another row") != std::string::npos);
        QVERIFY(!checkRowKey(stage(), QStringLiteral("Ctrl+Q"), levers));
    }

    // All that a row is, in the inspector.
    void theInspectorChangesARow()
    {
        list()->choose(row(QStringLiteral("BladeCommand")));
        auto* panel = window_->findChild<OutboxPanel*>();
        QTRY_VERIFY(panel != nullptr && panel->isVisible());
        QTRY_COMPARE(panel->values().size(), std::size_t{3});
        const auto find = [&](const char* name) { return panel->findChild<QLineEdit*>(QLatin1String(name)); };
        const auto type = [&](QLineEdit* field, const QString& words) {
            field->setFocus();
            field->selectAll();
            QTest::keyClicks(field, words.isEmpty() ? QStringLiteral(" ") : words);
            QTest::keyClick(field, Qt::Key_Return);
        };
        const OutboxDesk::Place blade = list()->entry(row(QStringLiteral("BladeCommand"))).place();
        const auto spec = [&]() -> const drive::OutboxRow& { return stage().outbox().row(blade); };
        type(find("outboxEvery"), QStringLiteral("20 ms"));
        QCOMPARE(spec().every, Time{20'000'000});
        type(find("outboxEvery"), QStringLiteral("0 ms"));
        QVERIFY2(panel->problem().contains(QStringLiteral("no period")), qPrintable(panel->problem()));
        type(find("outboxEvery"), QStringLiteral("10 ms"));
        QVERIFY(panel->problem().isEmpty());
        type(find("outboxCount"), QStringLiteral("500"));
        QCOMPARE(spec().count, 500U);
        type(find("outboxCount"), {});
        QCOMPARE(spec().count, 0U);
        // At once: the next beat has it.
        QTest::mouseClick(panel->findChild<QPushButton*>(QStringLiteral("outboxGathers0")), Qt::LeftButton);
        QVERIFY(!spec().gathers);
        clickControl(row(QStringLiteral("BladeCommand")));
        QTRY_VERIFY(facts(QStringLiteral("BladeCommand")).going);
        ValueRow* depth = panel->values().front();
        type(depth->field(), QStringLiteral("4.5 mm"));
        const auto sentDepth = [&] {
            const auto frame = newest(0x201);
            return frame ? (frame->data[0] | (frame->data[1] & 0xF) << 8) : -1;
        };
        QTRY_COMPARE(sentDepth(), 450);
        type(depth->field(), QStringLiteral("13"));
        QVERIFY2(depth->problem().contains(QStringLiteral("above 12 mm")), qPrintable(depth->problem()));
        QTest::keyClick(depth->field(), Qt::Key_Escape);
        QVERIFY(depth->problem().isEmpty());
        QTest::keyClick(depth->field(), Qt::Key_Up, Qt::ShiftModifier);
        QTRY_COMPARE(sentDepth(), 550);
        // Dragged on the track: the run follows, and the document when it is let go.
        ValueTrack* track = depth->track();
        const auto at = [&](double value) { return QPoint(static_cast<int>(track->xOf(value)), 9); };
        QTest::mousePress(track, Qt::LeftButton, {}, at(5.5));
        QTest::mouseMove(track, at(8));
        QTRY_VERIFY(std::abs(sentDepth() - 800) < 20);
        QCOMPARE(std::get<double>(spec().values.at("CommandedDepth")), 5.5);
        QTest::mouseRelease(track, Qt::LeftButton, {}, at(8));
        QVERIFY(std::abs(std::get<double>(spec().values.at("CommandedDepth")) - 8) < 0.2);
        // A source in place of a value, with its fields.
        depth->kinds()->setCurrentIndex(3);
        Q_EMIT depth->kinds()->activated(3);
        QVERIFY(std::holds_alternative<drive::SineSpec>(spec().values.at("CommandedDepth")));
        type(depth->findChild<QLineEdit*>(QStringLiteral("sourceField1")), QStringLiteral("0.25"));
        QCOMPARE(std::get<drive::SineSpec>(spec().values.at("CommandedDepth")).amplitude, 0.25);
        type(depth->findChild<QLineEdit*>(QStringLiteral("sourceField1")), QStringLiteral("wide"));
        QVERIFY(depth->problem().contains(QStringLiteral("no number")));
        // Back to its start value.
        Q_EMIT depth->kinds()->activated(1);
        QVERIFY(!spec().values.contains("CommandedDepth"));
        // A bit of the lattice.
        const auto tilt = [&] { return spec().values.contains("Release") ? std::get<double>(spec().values.at("Release")) : -1; };
        QCOMPARE(tilt(), 1.0);
        const QPoint bit = panel->bits()->cellOf(24).center().toPoint();
        QTest::mouseClick(panel->bits(), Qt::LeftButton, {}, bit);
        QVERIFY2(panel->problem().isEmpty(), qPrintable(panel->problem()));
        QCOMPARE(tilt(), 0.0);
        QTest::mouseClick(panel->bits(), Qt::LeftButton, {}, bit);
        QCOMPARE(tilt(), 1.0);
        // Another way of going out; what belongs to the other is gone, and comes back with undo.
        auto* when = panel->findChild<QComboBox*>(QStringLiteral("outboxWhen"));
        Q_EMIT when->activated(2);
        QCOMPARE(spec().when, drive::OutboxRow::When::answer);
        type(find("outboxAnswer"), QStringLiteral("Mode ="));
        QTRY_VERIFY(cell(QStringLiteral("BladeCommand"), 6).contains(QStringLiteral("not going out: ")));
        QCOMPARE(cell(QStringLiteral("BladeCommand"), 0), QStringLiteral("Waits"));
        Q_EMIT when->activated(3);
        QCOMPARE(spec().when, drive::OutboxRow::When::moment);
        Q_EMIT when->activated(4);
        QVERIFY(spec().when == drive::OutboxRow::When::byHand && spec().key == "F11");
        type(find("outboxKey"), QStringLiteral("F5"));
        QVERIFY2(panel->problem().contains(QStringLiteral("belongs to the window itself")), qPrintable(panel->problem()));
        type(find("outboxKey"), QStringLiteral("f12"));
        QCOMPARE(spec().key, std::string("F12"));
        QTest::mouseClick(panel->findChild<QPushButton*>(QStringLiteral("outboxHeld1")), Qt::LeftButton);
        QVERIFY(spec().held && spec().every == Time{20'000'000});
        type(find("outboxComment"), QStringLiteral("by the foot"));
        QCOMPARE(spec().comment, std::string("by the foot"));
        while (stage().outbox().undoStack().canUndo() && spec().when != drive::OutboxRow::When::every)
            stage().outbox().undoStack().undo();
        QCOMPARE(spec().every, Time{10'000'000});
        QVERIFY(panel->lines().join(QLatin1Char('|')).contains(QStringLiteral("Kept: ")));
    }

    // What is on the bus tells of counters and checksums, and they are offered.
    void countersAndChecksumsAreOffered()
    {
        stage().outbox().addSeen(0, can::Identifier{0x120, false});
        QTRY_VERIFY(row(QStringLiteral("SeatAndPedals")) < list()->count());
        auto* panel = window_->findChild<OutboxPanel*>();
        QTRY_VERIFY(panel->isVisible() && panel->values().size() == 5);
        const OutboxDesk::Place seat = list()->entry(row(QStringLiteral("SeatAndPedals"))).place();
        // As it came, with its period.
        QCOMPARE(stage().outbox().row(seat).every, Time{20'000'000});
        QVERIFY(stage().outbox().row(seat).values.contains("SeatOccupied"));
        const auto offer = [&](const char* name) -> QPushButton* {
            for (ValueRow* one : panel->values())
                if (one->words().startsWith(QLatin1String(name)))
                    return one->findChild<QPushButton*>(QStringLiteral("offeredSource"));
            return nullptr;
        };
        QTRY_VERIFY(offer("Counter") != nullptr && offer("Counter")->isVisible());
        QVERIFY(offer("Checksum")->isVisible() && offer("Checksum")->text().contains(QStringLiteral("crc8")));
        QVERIFY(!offer("SeatOccupied")->isVisible());
        offer("Counter")->click();
        QCOMPARE(std::get<drive::CounterSpec>(stage().outbox().row(seat).values.at("Counter")).modulo, 16U);
        offer("Checksum")->click();
        QCOMPARE(std::get<drive::Checksum>(stage().outbox().row(seat).values.at("Checksum")), drive::Checksum::crc8);
        for (int i = 0; i < 3; ++i)
            stage().outbox().undoStack().undo();
        QVERIFY(row(QStringLiteral("SeatAndPedals")) >= list()->count());
    }

    void rowsAreMovedCopiedAndFound()
    {
        const auto names = [&] {
            QStringList out;
            for (std::size_t i = 0; i < list()->count(); ++i)
                out << (list()->entry(i).row ? QStringLiteral("  ") : QString())
                           + list()->rowText(i).section('\t', list()->entry(i).row ? 2 : 0, list()->entry(i).row ? 2 : 0);
            return out;
        };
        const QStringList before = names();
        list()->choose(row(QStringLiteral("0x77E")));
        list()->setFocus();
        QTest::keyClick(list(), Qt::Key_Up, Qt::AltModifier);
        QCOMPARE(row(QStringLiteral("0x77E")) + 1, row(QStringLiteral("0x603")));
        QTest::keyClick(list(), Qt::Key_Up, Qt::AltModifier);      // into the group before
        QCOMPARE(list()->entry(row(QStringLiteral("0x77E"))).group, std::size_t{0});
        stage().outbox().undoStack().undo();
        stage().outbox().undoStack().undo();
        QCOMPARE(names(), before);
        // Two of them, duplicated, cut, and put in elsewhere.
        list()->choose(row(QStringLiteral("0x603")));
        QTest::keyClick(list(), Qt::Key_Down, Qt::ShiftModifier);
        QCOMPARE(list()->chosen().size(), std::size_t{2});
        QTest::keyClick(list(), Qt::Key_D, Qt::ControlModifier);
        QCOMPARE(names().count(QStringLiteral("  0x77E")), 2);
        stage().outbox().undoStack().undo();
        list()->choose(row(QStringLiteral("0x603")));
        QTest::keyClick(list(), Qt::Key_Down, Qt::ShiftModifier);
        QTest::keyClick(list(), Qt::Key_X, Qt::ControlModifier);
        QVERIFY(!names().contains(QStringLiteral("  0x603")) && !names().contains(QStringLiteral("  0x77E")));
        QVERIFY2(QApplication::clipboard()->text().contains(QStringLiteral("0x77E 05\t1 s\tImplement\ta heartbeat")),
            qPrintable(QApplication::clipboard()->text()));
        list()->choose(1);
        QTest::keyClick(list(), Qt::Key_V, Qt::ControlModifier);
        QCOMPARE(names().mid(0, 4), (QStringList{QStringLiteral("Blade by hand"), QStringLiteral("  BladeCommand"),
                                        QStringLiteral("  0x603"), QStringLiteral("  0x77E")}));
        QCOMPARE(stage().outbox().row({0, 2}).count, 600U);        // all of what it was
        stage().outbox().undoStack().undo();
        stage().outbox().undoStack().undo();
        QCOMPARE(names(), before);
        // From a spreadsheet.
        QApplication::clipboard()->setText(
            QStringLiteral("0x444\t11\t22\t50 ms\tBody\tfrom a sheet\nBladeCommand\tCommandedDepth=2.5 mm\n"));
        list()->choose(row(QStringLiteral("0x603")));
        QTest::keyClick(list(), Qt::Key_V, Qt::ControlModifier);
        QCOMPARE(list()->rowText(row(QStringLiteral("0x444"))).section('\t', 0, 3), QStringLiteral("Send\tBody\t0x444\tevery 50 ms"));
        stage().outbox().undoStack().undo();
        QApplication::clipboard()->setText(QStringLiteral("0x444 11\n0x445 1122\n"));
        QTest::keyClick(list(), Qt::Key_V, Qt::ControlModifier);
        auto* wrong = window_->findChild<QLabel*>(QStringLiteral("outboxWrong"));
        QVERIFY2(wrong->isVisible() && wrong->text().contains(QStringLiteral("line 2")), qPrintable(wrong->text()));
        QCOMPARE(names(), before);
        // Found by any of its words; a group folds.
        auto* find = window_->findChild<QLineEdit*>(QStringLiteral("outboxFind"));
        QTest::keyClicks(find, QStringLiteral("heart"));
        QCOMPARE(names(), (QStringList{QStringLiteral("Service and lamps"), QStringLiteral("  0x77E")}));
        find->clear();
        list()->choose(0);
        list()->setFocus();
        QTest::keyClick(list(), Qt::Key_Left);
        QCOMPARE(names().size(), before.size() - 1);
        QTest::keyClick(list(), Qt::Key_Right);
        QCOMPARE(names(), before);
        // Messages and nodes that are dropped, in front of the row that they are dropped on.
        Sendable what;
        what.messages.emplace_back(std::uint8_t{1}, can::Identifier{0x383, false});
        what.nodes << QStringLiteral("WaterUnit");
        const std::unique_ptr<QMimeData> mime(sendableData(what));
        const QPointF on = list()->valueOf(row(QStringLiteral("0x77E")), 0).topLeft();
        QDragEnterEvent enter(on.toPoint(), Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(list()->viewport(), &enter);
        QVERIFY(enter.isAccepted());
        QDragMoveEvent over(on.toPoint(), Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(list()->viewport(), &over);
        QVERIFY(!list()->grab().isNull());
        QDropEvent drop(on, Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(list()->viewport(), &drop);
        QCOMPARE(names().count(QStringLiteral("WaterUnit")), 1);
        QCOMPARE(names().count(QStringLiteral("  WaterHeater")), 1);
        QCOMPARE(names().size(), before.size() + 1 + 1 + 10);
        stage().outbox().undoStack().undo();
        QCOMPARE(names(), before);
        // A group as a file, and in again under a name of its own.
        const QString path = folder_.filePath(QStringLiteral("group.json"));
        QVERIFY(stage().outbox().saveGroup(1, path).has_value());
        QVERIFY(stage().outbox().readGroup(path).has_value());
        QCOMPARE(names().last(), QStringLiteral("  Levers"));
        QVERIFY(names().contains(QStringLiteral("Service and lamps 2")));
        stage().outbox().undoStack().undo();
        QVERIFY(!stage().outbox().readGroup(QStringLiteral(WAVETROPE_DEMO "/rig.json")));
        // A name for a group, typed in place.
        list()->choose(0);
        QTest::keyClick(list(), Qt::Key_F2);
        list()->field()->selectAll();
        QTest::keyClicks(list()->field(), QStringLiteral("Faults"));
        QTest::keyClick(list()->field(), Qt::Key_Return);
        QVERIFY(list()->field()->problem().contains(QStringLiteral("two groups are called")));
        list()->field()->selectAll();
        QTest::keyClicks(list()->field(), QStringLiteral("Blade"));
        QTest::keyClick(list()->field(), Qt::Key_Return);
        QCOMPARE(names().first(), QStringLiteral("Blade"));
        stage().outbox().undoStack().undo();
    }

    void rowsAreAddedEditedAndTakenAway()
    {
        QLineEdit* line = view()->line();
        const std::size_t before = list()->count();
        line->setFocus();
        QTest::keyClicks(line, QStringLiteral("0x123 11 2"));
        QTest::keyClicks(line, QStringLiteral("23"));
        QTest::keyClick(line, Qt::Key_Return);
        auto* wrong = window_->findChild<QLabel*>(QStringLiteral("outboxWrong"));
        QVERIFY(wrong->isVisible() && wrong->text().contains(QStringLiteral("'223' is no byte")));
        QCOMPARE(list()->count(), before);
        line->clear();
        QTest::keyClicks(line, QStringLiteral("0x123 11 22"));
        QTest::keyClick(line, Qt::Key_Return);
        QVERIFY(!wrong->isVisible() && line->text().isEmpty());
        QCOMPARE(list()->count(), before + 1);
        QTest::keyClicks(line, QStringLiteral("CabClimate FanSpeed=40"));
        QTest::keyClick(line, Qt::Key_Return);
        QCOMPARE(cell(QStringLiteral("CabClimate"), 3), QStringLiteral("every 100 ms"));      // the database's cycle
        QCOMPARE(cell(QStringLiteral("CabClimate"), 1), QStringLiteral("Body"));
        // Bytes are typed as a whole.
        clickValue(row(QStringLiteral("0x123")), 0);
        QCOMPARE(list()->field()->text(), QStringLiteral("11 22"));
        QTest::keyClicks(list()->field(), QStringLiteral("11 AB"));
        QTest::keyClick(list()->field(), Qt::Key_Return);
        QTRY_COMPARE(cell(QStringLiteral("0x123"), 5), QStringLiteral("11 AB"));
        clickControl(row(QStringLiteral("0x123")));
        QTRY_VERIFY(newest(0x123).has_value());
        QCOMPARE(newest(0x123)->data[1], std::uint8_t{0xAB});
        list()->choose(row(QStringLiteral("0x123")));
        QTest::keyClick(list(), Qt::Key_Delete);
        QVERIFY(row(QStringLiteral("0x123")) == ~std::size_t{0});
        stage().outbox().undoStack().undo();
        QVERIFY(row(QStringLiteral("0x123")) != ~std::size_t{0});
        // A group begins together, and is held.
        std::size_t head = 0;
        while (list()->rowText(head) != QStringLiteral("Service and lamps"))
            ++head;
        clickControl(head);
        QTRY_VERIFY(facts(QStringLiteral("0x77E")).going && facts(QStringLiteral("0x1F0")).going);
        QTRY_COMPARE(cell(QStringLiteral("0x1F0"), 0), QStringLiteral("Ready"));
        QTest::mouseClick(list()->viewport(), Qt::LeftButton, {}, list()->holdOf(head).center());
        QTRY_VERIFY(!facts(QStringLiteral("0x77E")).going && !facts(QStringLiteral("0x1F0")).going);
    }

    // Each thing that a value may wait for, in words.
    void whatAValueWaitsForIsTold()
    {
        const QString beat = QStringLiteral("0x77E");
        const std::uint64_t before = facts(beat).sent;
        clickControl(row(beat));
        QTRY_VERIFY(facts(beat).sent > before);
        const OutboxDesk::Place place = list()->entry(row(beat)).place();
        QVERIFY(stage().outbox().setBytes(place, QStringLiteral("7F")).has_value());
        QTRY_VERIFY2(cell(beat, 6).startsWith(QStringLiteral("waits: goes out with the next beat in ")), qPrintable(cell(beat, 6)));
        QTRY_VERIFY(facts(beat).waiting.empty() && facts(beat).frame.data[0] == 0x7F);
        clickControl(row(beat));
        QTRY_VERIFY(!facts(beat).going);
        QVERIFY(stage().outbox().setBytes(place, QStringLiteral("05")).has_value());
        QTRY_COMPARE(cell(beat, 6), QStringLiteral("waits: goes out when you send it"));
        stage().outbox().setHeld(true);
        QTRY_COMPARE(cell(beat, 6), QStringLiteral("waits: goes out when all rows go out"));
        stage().outbox().setHeld(false);
        QTRY_COMPARE(cell(beat, 6), QStringLiteral("waits: goes out when you send it"));
        stage().outbox().undoStack().undo();
        stage().outbox().undoStack().undo();
        // One that answers.
        const QString answer = QStringLiteral("0x1F0");
        clickControl(row(answer));
        QTRY_VERIFY(facts(answer).going);
        QVERIFY(stage().outbox().setBytes(list()->entry(row(answer)).place(), QStringLiteral("11 22 44")).has_value());
        QTRY_COMPARE(cell(answer, 6), QStringLiteral("waits: goes out with the next answer"));
        stage().outbox().undoStack().undo();
        clickControl(row(answer));
    }

    // A frame by itself: identifier, format, kind and length are fields.
    void aFrameGetsAnotherForm()
    {
        list()->choose(row(QStringLiteral("0x603")));
        auto* panel = window_->findChild<OutboxPanel*>();
        const OutboxDesk::Place place = list()->entry(row(QStringLiteral("0x603"))).place();
        const drive::OutboxRow before = stage().outbox().row(place);
        const auto frame = [&] { return drive::toText(stage().outbox().row(place).frame.view()); };
        auto* length = panel->findChild<QLineEdit*>(QStringLiteral("outboxLength"));
        auto* form = panel->findChild<QComboBox*>(QStringLiteral("outboxForm"));
        QTRY_VERIFY(length->isVisible() && length->text() == QString::number(before.frame.length));
        const auto type = [&](QLineEdit* field, const QString& words) {
            field->setFocus();
            field->selectAll();
            QTest::keyClicks(field, words);
            QTest::keyClick(field, Qt::Key_Return);
        };
        type(length, QStringLiteral("2"));
        QCOMPARE(stage().outbox().row(place).frame.length, std::uint8_t{2});
        type(length, QStringLiteral("12"));
        QVERIFY2(panel->problem().contains(QStringLiteral("12 bytes do not fit into a classic frame")), qPrintable(panel->problem()));
        QTest::mouseClick(panel->findChild<QPushButton*>(QStringLiteral("outboxWide1")), Qt::LeftButton);
        QVERIFY(stage().outbox().row(place).frame.id.extended);
        form->setFocus();
        QTest::keyClick(form, Qt::Key_Down);
        Q_EMIT form->activated(form->currentIndex());
        QCOMPARE(stage().outbox().row(place).frame.kind, can::FrameKind::fd);
        type(length, QStringLiteral("code 9"));
        QCOMPARE(stage().outbox().row(place).frame.length, std::uint8_t{12});
        type(panel->findChild<QLineEdit*>(QStringLiteral("outboxIdentifier")), QStringLiteral("0x18FEF121"));
        QVERIFY(frame().starts_with("0x18FEF121 fd "));
        form->setCurrentIndex(3);
        Q_EMIT form->activated(3);
        QVERIFY2(panel->problem().contains(QStringLiteral("12 bytes")), qPrintable(panel->problem()));
        QTRY_COMPARE(form->currentIndex(), 1);
        while (stage().outbox().row(place).written != before.written)
            stage().outbox().undoStack().undo();
        QCOMPARE(frame(), drive::toText(before.frame.view()));
    }

    void aMessageOfTheDatabaseIsPutIn()
    {
        window_->showPage(QStringLiteral("Databases"));
        auto* rows = window_->findChild<MessageRows*>();
        QTRY_VERIFY(rows != nullptr && rows->isVisible() && rows->count() > 0);
        const std::size_t before = stage().outbox().placeOf(0) ? stage().outbox().groups().back().rows.size() : 0;
        std::uint64_t at = 0;
        while (at < rows->count() && !rows->rowText(at).contains(QStringLiteral("\t0x")))
            ++at;       // behind the heads of senders
        QVERIFY(at < rows->count());
        const QString name = rows->rowText(at).section('\t', 0, 0);
        rows->choose(at);
        QContextMenuEvent wanted(QContextMenuEvent::Keyboard, {}, rows->mapToGlobal(QPoint(5, 5)));
        QApplication::sendEvent(rows, &wanted);
        auto* menu = rows->findChild<QMenu*>(QStringLiteral("messageMenu"));
        QTRY_VERIFY(menu != nullptr && menu->isVisible());
        auto* put = menu->findChild<QAction*>(QStringLiteral("sendMessage"));
        QVERIFY(put != nullptr);
        put->trigger();
        menu->close();
        QCOMPARE(stage().outbox().groups().back().rows.size(), before + 1);
        QCOMPARE(text(stage().outbox().groups().back().rows.back().message), name);
        stage().outbox().undoStack().undo();
    }

    // Ten thousand rows: the list and its edits are as usual, and all that go out go out.
    void tenThousandRows()
    {
        rig::Rig rig = *rig::loadRig(WAVETROPE_DEMO "/rig.json");
        nlohmann::json rows = nlohmann::json::array();
        for (int i = 0; i < 10'000; ++i)
            rows.push_back({{"bus", "Implement"}, {"frame", "0x" + QString::number(0x10000000 + i, 16).toStdString() + " 01 02"},
                {"every", "10 s"}, {"offset", std::to_string(i) + " us"}});
        nlohmann::json document = rig.document;
        document["outbox"] = {{{"name", "Many"}, {"rows", rows}}};
        const auto many = rig::rigFromText(document.dump(), rig.path);
        QVERIFY2(many.has_value(), many ? "" : many.error().text().c_str());
        auto other = opened(*many);
        std::swap(window_, other);
        QTRY_COMPARE(list()->count(), std::uint64_t{10'001});
        QVERIFY(!view()->grab().isNull());
        list()->choose(10'000);
        QTest::keyClick(list(), Qt::Key_Return);
        QTRY_VERIFY(stage().outbox().facts().size() == 10'000 && stage().outbox().facts().back().sent > 0);
        QVERIFY(stage().outbox().setBytes({0, 9'999}, QStringLiteral("0A 0B")).has_value());
        QTRY_COMPARE(list()->rowText(10'000).section('\t', 5, 5), QStringLiteral("0A 0B"));
        list()->choose(10'000);
        QTest::keyClick(list(), Qt::Key_Return);
        QTRY_VERIFY(!stage().outbox().facts().back().going);
        list()->choose(0);
        QTest::keyClick(list(), Qt::Key_Return);
        QTRY_VERIFY(std::count_if(stage().outbox().facts().begin(), stage().outbox().facts().end(), [](const drive::OutboxRowFacts& one) {
            return one.going && one.sent > 0;
        }) > 1'000);
        list()->choose(0);
        QTest::keyClick(list(), Qt::Key_Return);
        QTRY_VERIFY(std::none_of(
            stage().outbox().facts().begin(), stage().outbox().facts().end(), [](const drive::OutboxRowFacts& one) { return one.going; }));
        window_->closeWithoutAsking();
        std::swap(window_, other);
    }

    void whereNothingRunsNothingGoesOut()
    {
        auto other = opened(*rig::loadRig(WAVETROPE_DEMO "/rig.json"));
        std::swap(window_, other);
        const QString name = QStringLiteral("0x603");
        QTRY_VERIFY(row(name) < list()->count());
        startOrStop();
        QTRY_COMPARE(cell(name, 6), QStringLiteral("not going out: nothing runs"));
        QSignalSpy told(&stage(), &Stage::told);
        clickControl(row(name));
        QCOMPARE(told.size(), qsizetype{1});
        QVERIFY(told.front().front().toString().contains(QStringLiteral("nothing runs")));
        QTest::keyClick(window_.get(), Qt::Key_F9);
        QCOMPARE(told.size(), qsizetype{2});
        QCOMPARE(facts(name).sent, std::uint64_t{0});
        // Another identifier is given all the same: a message goes out as a frame then.
        const OutboxDesk::Place blade = list()->entry(row(QStringLiteral("BladeCommand"))).place();
        QVERIFY(stage().outbox().setIdentifier(blade, QStringLiteral("0x5A0")).has_value());
        QCOMPARE(stage().outbox().row(blade).frame.id.value, 0x5A0U);
        QVERIFY(stage().outbox().row(blade).message.empty() && stage().outbox().row(blade).frame.length > 0);
        stage().outbox().undoStack().undo();
        startOrStop();
        QTRY_VERIFY(cell(name, 6) != QStringLiteral("not going out: nothing runs"));
        QCOMPARE(facts(name).sent, std::uint64_t{0});       // what was pressed meanwhile is not kept for later
        clickControl(row(name));
        QTRY_COMPARE(facts(name).sent, std::uint64_t{1});
        window_->closeWithoutAsking();
        std::swap(window_, other);
    }

    void aBusThatIsOffIsTold()
    {
        auto other = opened(*rig::loadRig(WAVETROPE_DEMO "/rig.json"));
        std::swap(window_, other);
        const QString name = QStringLiteral("0x77E");
        QTRY_VERIFY(row(name) < list()->count());
        // All who are on the bus misread what they send, but one who listens.
        const auto& buses = window_->document().buses();
        const auto place = static_cast<std::size_t>(
            std::find_if(buses.begin(), buses.end(), [](const auto& bus) { return bus.name == "Implement"; }) - buses.begin());
        bus::Port own = 0;
        window_->document().session()->call([&](rig::Session& run) {
            auto& bus = dynamic_cast<bus::SimulatedBus&>(run.bus(place));
            own = bus.attach("listens", can::Direction::received);
            for (bus::Port port = 0; port < own; ++port)
                bus.corruptNext(port, 1000);
        });
        QVERIFY(stage().outbox().setFields(list()->entry(row(name)).place(), {{"every", "10 ms"}}, QStringLiteral("faster")).has_value());
        clickControl(row(name));
        QTRY_VERIFY(facts(name).busOff);
        QTRY_COMPARE(cell(name, 6), QStringLiteral("not going out: bus is off"));
        QVERIFY(facts(name).going);
        QVERIFY(stage().outbox().setBytes(list()->entry(row(name)).place(), QStringLiteral("55")).has_value());
        QTRY_VERIFY2(cell(name, 6).contains(QStringLiteral("not going out: bus is off")), qPrintable(cell(name, 6)));
        // Once it is back, what waits goes out.
        window_->document().session()->call([&](rig::Session& run) {
            auto& bus = dynamic_cast<bus::SimulatedBus&>(run.bus(place));
            for (bus::Port port = 0; port < own; ++port) {
                bus.corruptNext(port, 0);
                bus.restart(port);
            }
        });
        QTRY_VERIFY(!facts(name).busOff && facts(name).frame.data[0] == 0x55);
        window_->closeWithoutAsking();
        std::swap(window_, other);
    }

    void aLogSendsNothing()
    {
        auto log = std::make_unique<MainWindow>(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", *rig::loadRig(WAVETROPE_DEMO "/rig.json")));
        log->setAttribute(Qt::WA_DeleteOnClose, false);
        log->resize(1280, 800);
        log->show();
        std::swap(window_, log);
        QCOMPARE(cell(QStringLiteral("0x603"), 6), QStringLiteral("not going out: this is a log"));
        QCOMPARE(cell(QStringLiteral("0x603"), 0), QStringLiteral("Waits"));
        QSignalSpy told(&stage(), &Stage::told);
        clickControl(row(QStringLiteral("0x603")));
        QCOMPARE(told.size(), qsizetype{1});
        window_->closeWithoutAsking();
        std::swap(window_, log);
    }
};

QTEST_MAIN(OutboxTest)
#include "outbox_test.moc"
