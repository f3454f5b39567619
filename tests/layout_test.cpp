// SPDX-License-Identifier: GPL-3.0-or-later
// The layout by itself: what the mouse and the keys ask for in both byte orders, and what the picture tells.
#include <QApplication>
#include <QSignalSpy>
#include <QTest>

#include "app/layout/layout_widget.h"
#include "app/theme/theme.h"
#include "measure/bit_toggles.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

database::Signal signalOf(const char* name, unsigned start, unsigned length, database::ByteOrder order = database::ByteOrder::intel)
{
    database::Signal signal;
    signal.uid = start + 1;
    signal.name = name;
    signal.startBit = start;
    signal.length = length;
    signal.order = order;
    return signal;
}

database::Message messageOf(std::vector<database::Signal> list, unsigned length = 8)
{
    database::Message message;
    message.uid = 1;
    message.name = "M";
    message.length = length;
    message.signals = std::move(list);
    return message;
}

}  // namespace

class LayoutTest : public QObject {
    Q_OBJECT
    std::unique_ptr<LayoutWidget> widget_;

    QPoint cell(unsigned bit) { return widget_->cellOf(bit).center().toPoint(); }
    void drag(QPoint from, QPoint to, Qt::KeyboardModifiers modifiers = {})
    {
        QTest::mousePress(widget_.get(), Qt::LeftButton, modifiers, from);
        QMouseEvent move(QEvent::MouseMove, to, widget_->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, modifiers);
        QApplication::sendEvent(widget_.get(), &move);
        QTest::mouseRelease(widget_.get(), Qt::LeftButton, modifiers, to);
    }
    QPoint leastEnd(unsigned bit)
    {
        const QRectF box = widget_->cellOf(bit);
        return {static_cast<int>(box.right()) - 1, static_cast<int>(box.center().y())};
    }
    QPoint mostEnd(unsigned bit)
    {
        const QRectF box = widget_->cellOf(bit);
        return {static_cast<int>(box.left()) + 1, static_cast<int>(box.center().y())};
    }

private Q_SLOTS:
    void init()
    {
        widget_ = std::make_unique<LayoutWidget>(LayoutWidget::Form::large);
        widget_->resize(640, 300);
        widget_->setEditable(true);
        widget_->show();
    }
    void cleanup() { widget_.reset(); }

    void cellsLieAsBitsAreCounted()
    {
        widget_->setMessage(messageOf({}));
        QVERIFY(widget_->cellOf(7).left() < widget_->cellOf(0).left());
        QCOMPARE(widget_->cellOf(7).top(), widget_->cellOf(0).top());
        QVERIFY(widget_->cellOf(8).top() > widget_->cellOf(0).top());
        QCOMPARE(widget_->cellOf(15).left(), widget_->cellOf(7).left());
        const int eight = widget_->heightWanted();
        widget_->setMessage(messageOf({}, 64));
        QVERIFY(widget_->heightWanted() > 7 * eight);
    }

    void runsAreMoved_data()
    {
        QTest::addColumn<int>("start");
        QTest::addColumn<int>("length");
        QTest::addColumn<bool>("motorola");
        QTest::addColumn<int>("grab");
        QTest::addColumn<int>("to");
        QTest::addColumn<bool>("alt");
        QTest::addColumn<int>("wanted");    // start bit; -1 for not moved
        const auto row = [](const char* name, int start, int length, bool motorola, int grab, int to, bool alt, int wanted) {
            QTest::newRow(name) << start << length << motorola << grab << to << alt << wanted;
        };
        row("one byte down", 0, 8, false, 3, 11, false, 8);
        row("three bits on", 0, 4, false, 1, 4, false, 3);
        row("across a border", 4, 4, false, 4, 10, false, 10);
        row("snaps forward", 0, 8, false, 0, 7, false, 8);
        row("snaps back", 0, 8, false, 0, 9, false, 8);
        row("Alt lets it be", 0, 8, false, 0, 7, true, 7);
        row("twelve bits do not snap", 0, 12, false, 0, 7, false, 7);
        row("back to where it was", 8, 8, false, 10, 10, false, -1);
        row("not above the first bit", 0, 8, false, 7, 3, false, -1);
        row("most first, one byte down", 7, 8, true, 3, 11, false, 15);
        row("most first, two bits to the right", 7, 4, true, 7, 5, false, 5);
        row("most first, across a border", 7, 12, true, 7, 3, false, 3);
    }
    void runsAreMoved()
    {
        QFETCH(int, start);
        QFETCH(int, length);
        QFETCH(bool, motorola);
        QFETCH(int, grab);
        QFETCH(int, to);
        QFETCH(bool, alt);
        QFETCH(int, wanted);
        widget_->setMessage(messageOf({signalOf("S", static_cast<unsigned>(start), static_cast<unsigned>(length),
            motorola ? database::ByteOrder::motorola : database::ByteOrder::intel)}));
        QSignalSpy moved(widget_.get(), &LayoutWidget::moved);
        QSignalSpy chosen(widget_.get(), &LayoutWidget::signalChosen);
        drag(cell(static_cast<unsigned>(grab)), cell(static_cast<unsigned>(to)), alt ? Qt::AltModifier : Qt::NoModifier);
        QCOMPARE(chosen.size(), 1);
        QCOMPARE(moved.size(), wanted < 0 ? 0 : 1);
        if (wanted >= 0)
            QCOMPARE(moved[0][1].toInt(), wanted);
        // The picture itself waits for whoever edits.
        QCOMPARE(widget_->message().signals[0].startBit, static_cast<unsigned>(start));
    }

    void endsResize_data()
    {
        QTest::addColumn<bool>("motorola");
        QTest::addColumn<bool>("least");
        QTest::addColumn<int>("to");
        QTest::addColumn<int>("start");
        QTest::addColumn<int>("length");
        QTest::newRow("least first, lower end up") << false << true << 10 << 10 << 6;
        QTest::newRow("least first, lower end down") << false << true << 4 << 4 << 12;
        QTest::newRow("least first, upper end up") << false << false << 19 << 8 << 12;
        QTest::newRow("least first, upper end down") << false << false << 11 << 8 << 4;
        QTest::newRow("most first, lower end on") << true << true << 20 << 15 << 12;
        QTest::newRow("most first, lower end back") << true << true << 12 << 15 << 4;
        QTest::newRow("most first, upper end back") << true << false << 3 << 3 << 12;
        QTest::newRow("most first, upper end on") << true << false << 11 << 11 << 4;
    }
    void endsResize()
    {
        QFETCH(bool, motorola);
        QFETCH(bool, least);
        QFETCH(int, to);
        QFETCH(int, start);
        QFETCH(int, length);
        widget_->setMessage(
            messageOf({signalOf("S", motorola ? 15 : 8, 8, motorola ? database::ByteOrder::motorola : database::ByteOrder::intel)}));
        widget_->setChosen(0);
        QSignalSpy resized(widget_.get(), &LayoutWidget::resized);
        drag(least ? leastEnd(8) : mostEnd(15), cell(static_cast<unsigned>(to)));
        QCOMPARE(resized.size(), 1);
        QCOMPARE(resized[0][1].toInt(), start);
        QCOMPARE(resized[0][2].toInt(), length);
    }

    void freeBitsAreSweptOut_data()
    {
        QTest::addColumn<bool>("motorola");
        QTest::addColumn<int>("from");
        QTest::addColumn<int>("to");
        QTest::addColumn<int>("least");
        QTest::addColumn<int>("length");
        QTest::newRow("one bit") << false << 20 << 20 << 20 << 1;
        QTest::newRow("a byte") << false << 16 << 23 << 16 << 8;
        QTest::newRow("backwards") << false << 23 << 16 << 16 << 8;
        QTest::newRow("two bytes") << false << 16 << 31 << 16 << 16;
        QTest::newRow("most first, two bytes") << true << 23 << 24 << 24 << 16;
        QTest::newRow("most first, nibbles across") << true << 19 << 28 << 28 << 8;
    }
    void freeBitsAreSweptOut()
    {
        QFETCH(bool, motorola);
        QFETCH(int, from);
        QFETCH(int, to);
        QFETCH(int, least);
        QFETCH(int, length);
        widget_->setMessage(messageOf({}));
        widget_->setSweepOrder(motorola ? database::ByteOrder::motorola : database::ByteOrder::intel);
        QSignalSpy swept(widget_.get(), &LayoutWidget::swept);
        drag(cell(static_cast<unsigned>(from)), cell(static_cast<unsigned>(to)));
        QCOMPARE(swept.size(), 1);
        QCOMPARE(swept[0][0].toInt(), least);
        QCOMPARE(swept[0][1].toInt(), length);
    }

    void nothingIsMovedWhereNothingMayBeEdited()
    {
        widget_->setEditable(false);
        widget_->setMessage(messageOf({signalOf("S", 0, 8)}));
        QSignalSpy moved(widget_.get(), &LayoutWidget::moved);
        QSignalSpy swept(widget_.get(), &LayoutWidget::swept);
        QSignalSpy chosen(widget_.get(), &LayoutWidget::signalChosen);
        drag(cell(3), cell(20));
        drag(cell(30), cell(40));
        QCOMPARE(moved.size() + swept.size(), 0);
        QCOMPARE(chosen.size(), 1);
        QTest::keyClick(widget_.get(), Qt::Key_Down);
        QCOMPARE(moved.size(), 0);
    }

    void escapeGivesADragUp()
    {
        widget_->setMessage(messageOf({signalOf("S", 0, 8)}));
        QSignalSpy moved(widget_.get(), &LayoutWidget::moved);
        QTest::mousePress(widget_.get(), Qt::LeftButton, {}, cell(3));
        QMouseEvent move(QEvent::MouseMove, cell(20), widget_->mapToGlobal(cell(20)), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(widget_.get(), &move);
        QTest::keyClick(widget_.get(), Qt::Key_Escape);
        QTest::mouseRelease(widget_.get(), Qt::LeftButton, {}, cell(20));
        QCOMPARE(moved.size(), 0);
    }

    void whatOverlapsAndWhatReachesOutIsSaid()
    {
        widget_->setMessage(messageOf({signalOf("A", 0, 12), signalOf("B", 8, 8), signalOf("C", 60, 8)}));
        QVERIFY(widget_->words().contains(QStringLiteral("A and B overlap")));
        QVERIFY(widget_->words().contains(QStringLiteral("C reaches past the payload")));
        widget_->setMessage(messageOf({signalOf("A", 0, 8), signalOf("B", 8, 8)}));
        QCOMPARE(widget_->words(), QString());
    }

    void bitsValuesAndTogglesAreDrawn()
    {
        widget_->setMessage(messageOf({signalOf("S", 0, 8)}));
        const QImage plain = widget_->grab().toImage();
        const std::uint8_t bytes[8] = {0xFF, 0, 0, 0, 0, 0, 0, 0x55};
        widget_->setPayload(bytes);
        const QImage bits = widget_->grab().toImage();
        QVERIFY(bits != plain);
        widget_->setReadings({QStringLiteral("127 km/h")});
        const QImage readings = widget_->grab().toImage();
        QVERIFY(readings != bits);
        measure::BitToggles toggles;
        toggles.frames = 100;
        toggles.changes[20] = 50;
        widget_->setToggles(toggles);
        const QImage heat = widget_->grab().toImage();
        QVERIFY(heat != readings);
        // Only the cell that changed is warm.
        const auto shade = [&](unsigned bit) { return heat.pixel(widget_->cellOf(bit).topLeft().toPoint() + QPoint(6, 20)); };
        QVERIFY(shade(20) != shade(21));
        Theme::get().choose(ThemeName::ink);
        QVERIFY(widget_->grab().toImage() != heat);
        Theme::get().choose(ThemeName::paper);
    }

    void anUndefinedPayloadIsRowsWithoutRuns()
    {
        widget_->setUndefined(3);
        QCOMPARE(widget_->message().signals.size(), 0U);
        QCOMPARE(widget_->chosen(), -1);
        QSignalSpy swept(widget_.get(), &LayoutWidget::swept);
        drag(cell(0), cell(23));
        QCOMPARE(swept.size(), 1);
        QCOMPARE(swept[0][1].toInt(), 24);
        drag(cell(30), cell(31));  // behind the payload there is nothing to sweep
        QCOMPARE(swept.size(), 1);
    }

    void togglesCountEachChange()
    {
        trace::Trace trace;
        for (int i = 0; i < 100; ++i) {
            can::Frame frame;
            frame.id = {1, false};
            frame.length = frame.dlc = 2;
            frame.data[0] = static_cast<std::uint8_t>(i);
            frame.data[1] = i < 50 ? 0 : 0x80;
            frame.time = Time(i);
            trace.append(frame.view());
        }
        const auto toggles = measure::bitToggles(trace.snapshot(), 0, trace.rows());
        QCOMPARE(toggles.frames, 100U);
        QCOMPARE(toggles.length, 2U);
        QCOMPARE(toggles.changes[0], 99U);
        QCOMPARE(toggles.changes[1], 49U);
        QCOMPARE(toggles.changes[15], 1U);
        QCOMPARE(toggles.changes[8], 0U);
        QCOMPARE(measure::bitToggles(trace.snapshot(), 0, 10).frames, 10U);
        QCOMPARE(measure::bitToggles(trace.snapshot(), 0, trace.rows(), 20).frames, 20U);
    }
};

QTEST_MAIN(LayoutTest)
#include "layout_test.moc"
