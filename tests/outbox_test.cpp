// SPDX-License-Identifier: GPL-3.0-or-later
// The outbox in the real window: rows are sent, held, edited and added by mouse and keys.
#include <QApplication>
#include <QMenu>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <QToolButton>

#include "app/keeping/keeping_options.h"
#include "app/outbox/outbox_view.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/theme/theme.h"

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
    /// Place of a row in the list by its message or frame.
    std::size_t row(const QString& name)
    {
        for (std::size_t i = 0; i < view()->count(); ++i)
            if (view()->entry(i).row && view()->rowText(i).section('\t', 2, 2) == name)
                return i;
        return ~std::size_t{0};
    }
    QString cell(const QString& name, int column) { return view()->rowText(row(name)).section('\t', column, column); }
    drive::OutboxRowFacts facts(const QString& name) { return stage().outbox().facts()[view()->entry(row(name)).number]; }
    void clickControl(std::size_t at)
    {
        view()->choose(at);     // in sight
        QTest::mouseClick(view()->rows(), Qt::LeftButton, {}, view()->controlOf(at).center());
    }
    void clickValue(std::size_t at, std::size_t value)
    {
        view()->choose(at);
        QTest::mouseClick(view()->rows(), Qt::LeftButton, {}, view()->valueOf(at, value).center());
    }
    std::optional<can::Frame> newest(unsigned id)
    {
        const trace::Snapshot snapshot = window_->document().trace().snapshot();
        for (trace::Row at = snapshot.rows(); at-- > 0;)
            if (const can::FrameView frame = snapshot.frame(at); frame.id.value == id && frame.direction == can::Direction::sent)
                return can::Frame(frame);
        return std::nullopt;
    }

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
        QVERIFY(view()->isVisible());
        QTRY_VERIFY(!stage().outbox().facts().empty());
    }
    void cleanupTestCase() { window_->closeWithoutAsking(); }

    void rowsAreToldAsTheyAre()
    {
        QTRY_COMPARE(view()->rowText(row(QStringLiteral("0x602"))).section('\t', 0, 4),
            QStringLiteral("Send\tImplement\t0x602\tonce\teach time it is sent"));
        QCOMPARE(cell(QStringLiteral("0x77E"), 3), QStringLiteral("every 1 s"));
        QCOMPARE(cell(QStringLiteral("0x77E"), 4), QStringLiteral("600 times"));
        QCOMPARE(cell(QStringLiteral("0x1F0"), 3), QStringLiteral("answers Mode = 4"));
        QCOMPARE(cell(QStringLiteral("0x3F0"), 4), QStringLiteral("20 frames, 2 ms apart"));
        QVERIFY(cell(QStringLiteral("BladeCommand"), 5).startsWith(QStringLiteral("CommandedDepth 3.4 mm, CommandedTilt sine")));
        QVERIFY(!view()->grab().isNull());
    }

    void aRowIsSentByItsControlAndByEnterAlone()
    {
        const std::size_t at = row(QStringLiteral("0x602"));
        clickControl(at);
        QTRY_COMPARE(facts(QStringLiteral("0x602")).sent, 1U);
        QTest::keyClick(window_->findChild<QWidget*>(QStringLiteral("outboxRows")), Qt::Key_Return);
        QTRY_COMPARE(facts(QStringLiteral("0x602")).sent, 2U);
        // Nothing else sends: not a click on its name, not a double click anywhere.
        const QPoint name(view()->controlOf(at).right() + 60, view()->controlOf(at).center().y());
        QTest::mouseClick(view()->rows(), Qt::LeftButton, {}, name);
        QTest::mouseDClick(view()->rows(), Qt::LeftButton, {}, name);
        QTest::mouseRelease(view()->rows(), Qt::LeftButton, {}, name);
        clickControl(row(QStringLiteral("0x77E")));
        QTRY_VERIFY(facts(QStringLiteral("0x77E")).sent >= 1);
        QCOMPARE(facts(QStringLiteral("0x602")).sent, 2U);
        QTRY_COMPARE(cell(QStringLiteral("0x77E"), 0), QStringLiteral("Sends"));
        // Pressed again, it is held.
        clickControl(row(QStringLiteral("0x77E")));
        QTRY_VERIFY(!facts(QStringLiteral("0x77E")).going);
        QTRY_COMPARE(cell(QStringLiteral("0x77E"), 0), QStringLiteral("Send"));
    }

    void whoElseSendsIsNamedBeforeTheFirstFrame()
    {
        const auto menu = [&] { return window_->findChild<QMenu*>(QStringLiteral("outboxCollision")); };
        clickControl(row(QStringLiteral("WaterState")));
        QTRY_VERIFY(menu() != nullptr && menu()->isVisible());
        QVERIFY2(menu()->actions().front()->text().contains(QStringLiteral("WaterState on Implement is also sent by WaterUnit")),
            qPrintable(menu()->actions().front()->text()));
        QCOMPARE(facts(QStringLiteral("WaterState")).offered, 0U);
        menu()->close();
        QTRY_VERIFY(menu() == nullptr);
        QVERIFY(!facts(QStringLiteral("WaterState")).going);
        // Another node is taken out for it, and the row goes out.
        clickControl(row(QStringLiteral("BladeCommand")));
        QTRY_VERIFY(menu() != nullptr && menu()->isVisible());
        QTest::keyClick(menu(), Qt::Key_Down);
        QTest::keyClick(menu(), Qt::Key_Return);
        QTRY_VERIFY(facts(QStringLiteral("BladeCommand")).sent > 3);
        const auto reports = window_->document().session()->nodeReports();
        QVERIFY(std::any_of(
            reports.begin(), reports.end(), [](const rig::NodeReport& node) { return node.name == "LevelControl" && !node.on; }));
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
        QVERIFY(view()->field()->isOpen());
        QCOMPARE(view()->field()->text(), QStringLiteral("3.4 mm"));
        // What it cannot be is refused in words, and stays in the field.
        QTest::keyClicks(view()->field(), QStringLiteral("21"));
        QTest::keyClick(view()->field(), Qt::Key_Return);
        QVERIFY2(view()->field()->problem().contains(QStringLiteral("12 bits hold")), qPrintable(view()->field()->problem()));
        view()->field()->selectAll();
        QTest::keyClicks(view()->field(), QStringLiteral("13"));
        QTest::keyClick(view()->field(), Qt::Key_Return);
        QVERIFY2(view()->field()->problem().contains(QStringLiteral("above 12 mm")), qPrintable(view()->field()->problem()));
        view()->field()->selectAll();
        QTest::keyClicks(view()->field(), QStringLiteral("3.8 mm"));
        QTest::keyClick(view()->field(), Qt::Key_Return);
        QVERIFY(!view()->field()->isOpen());
        QTRY_COMPARE(cell(QStringLiteral("BladeCommand"), 6), QStringLiteral("waits: goes out when you send it"));
        const std::uint64_t before = facts(QStringLiteral("BladeCommand")).sent;
        QTRY_VERIFY(facts(QStringLiteral("BladeCommand")).sent > before + 5);
        QCOMPARE(depth(), 340);
        QVERIFY(!view()->grab().isNull());
        // Enter sends it; it goes on with that.
        view()->choose(row(QStringLiteral("BladeCommand")));
        QTest::keyClick(window_->findChild<QWidget*>(QStringLiteral("outboxRows")), Qt::Key_Return);
        QTRY_COMPARE(depth(), 380);
        QTRY_COMPARE(facts(QStringLiteral("BladeCommand")).waits, std::size_t{0});
        QVERIFY(facts(QStringLiteral("BladeCommand")).going);
        // It stands in the rig, and can be undone.
        QCOMPARE(window_->document().rig().document["outbox"][0]["rows"][0]["signals"]["CommandedDepth"].get<double>(), 3.8);
        stage().outbox().undoStack().undo();
        QCOMPARE(window_->document().rig().document["outbox"][0]["rows"][0]["signals"]["CommandedDepth"].get<double>(), 3.4);
        QTRY_COMPARE(facts(QStringLiteral("BladeCommand")).waits, std::size_t{1});
        QToolButton* all = window_->findChild<QToolButton*>(QStringLiteral("outboxHoldAll"));
        QTRY_VERIFY(all->isEnabled());
        QTest::mouseClick(all, Qt::LeftButton);
        QTRY_VERIFY(!facts(QStringLiteral("BladeCommand")).going);
    }

    void rowsAreAddedEditedAndTakenAway()
    {
        QLineEdit* line = view()->line();
        const std::size_t before = view()->count();
        line->setFocus();
        QTest::keyClicks(line, QStringLiteral("0x123 11 2"));
        QTest::keyClicks(line, QStringLiteral("23"));
        QTest::keyClick(line, Qt::Key_Return);
        auto* wrong = window_->findChild<QLabel*>(QStringLiteral("outboxWrong"));
        QVERIFY(wrong->isVisible() && wrong->text().contains(QStringLiteral("'223' is no byte")));
        QCOMPARE(view()->count(), before);
        line->clear();
        QTest::keyClicks(line, QStringLiteral("0x123 11 22"));
        QTest::keyClick(line, Qt::Key_Return);
        QVERIFY(!wrong->isVisible() && line->text().isEmpty());
        QCOMPARE(view()->count(), before + 1);
        QTest::keyClicks(line, QStringLiteral("CabLamps Beacon=on"));
        QTest::keyClick(line, Qt::Key_Return);
        if (row(QStringLiteral("CabLamps")) >= view()->count()) {       // its texts may be others
            line->clear();
            QTest::keyClicks(line, QStringLiteral("CabLamps Beacon=1"));
            QTest::keyClick(line, Qt::Key_Return);
        }
        QCOMPARE(cell(QStringLiteral("CabLamps"), 3), QStringLiteral("every 100 ms"));      // the database's cycle
        QCOMPARE(cell(QStringLiteral("CabLamps"), 1), QStringLiteral("Body"));
        // Bytes are typed as a whole.
        clickValue(row(QStringLiteral("0x123")), 0);
        QCOMPARE(view()->field()->text(), QStringLiteral("11 22"));
        QTest::keyClicks(view()->field(), QStringLiteral("11 AB"));
        QTest::keyClick(view()->field(), Qt::Key_Return);
        QTRY_COMPARE(cell(QStringLiteral("0x123"), 5), QStringLiteral("11 AB"));
        clickControl(row(QStringLiteral("0x123")));
        QTRY_VERIFY(newest(0x123).has_value());
        QCOMPARE(newest(0x123)->data[1], std::uint8_t{0xAB});
        view()->choose(row(QStringLiteral("0x123")));
        QTest::keyClick(window_->findChild<QWidget*>(QStringLiteral("outboxRows")), Qt::Key_Delete);
        QVERIFY(row(QStringLiteral("0x123")) == ~std::size_t{0});
        stage().outbox().undoStack().undo();
        QVERIFY(row(QStringLiteral("0x123")) != ~std::size_t{0});
        // A group begins together, and is held.
        std::size_t head = 0;
        while (view()->rowText(head) != QStringLiteral("Service and lamps"))
            ++head;
        clickControl(head);
        QTRY_VERIFY(facts(QStringLiteral("0x77E")).going && facts(QStringLiteral("0x1F0")).going);
        QTRY_COMPARE(cell(QStringLiteral("0x1F0"), 0), QStringLiteral("Ready"));
        clickControl(head);
        QTRY_VERIFY(!facts(QStringLiteral("0x77E")).going && !facts(QStringLiteral("0x1F0")).going);
    }

    void aLogSendsNothing()
    {
        auto log = std::make_unique<MainWindow>(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", *rig::loadRig(WAVETROPE_DEMO "/rig.json")));
        log->setAttribute(Qt::WA_DeleteOnClose, false);
        log->resize(1280, 800);
        log->show();
        std::swap(window_, log);
        QCOMPARE(cell(QStringLiteral("0x602"), 6), QStringLiteral("not going out: this is a log"));
        QCOMPARE(cell(QStringLiteral("0x602"), 0), QStringLiteral("Waits"));
        QSignalSpy told(&stage(), &Stage::told);
        clickControl(row(QStringLiteral("0x602")));
        QCOMPARE(told.size(), qsizetype{1});
        window_->closeWithoutAsking();
        std::swap(window_, log);
    }
};

QTEST_MAIN(OutboxTest)
#include "outbox_test.moc"
