// SPDX-License-Identifier: GPL-3.0-or-later
// A log of more than five million frames in the window: opened, scrolled, arranged, narrowed, noted and converted.
#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QFile>
#include <QInputDialog>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>
#include <QScrollBar>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>

#include <map>

#include "answers.h"
#include "app/convert/convert_dialog.h"
#include "app/import/several_logs_dialog.h"
#include "app/import/text_log_dialog.h"
#include "app/notes/notes_view.h"
#include "app/roster/roster_view.h"
#include "app/shell/main_window.h"
#include "app/stream/stream_view.h"
#include "app/theme/theme.h"
#include "filter/filter_stream.h"
#include "formats/log_file.h"
#include "formats/trace_sink.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

constexpr int laps = 46;
constexpr Time lap = std::chrono::seconds(33);

}  // namespace

class LongLogTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    QString path_;
    rig::Rig rig_;
    std::uint64_t frames_ = 0;
    MainWindow* window_ = nullptr;

    Stage& stage() { return window_->stage(); }
    template <class T>
    T* view(const char* page)
    {
        window_->showPage(QString::fromLatin1(page));
        return window_->currentPage()->find<T>();
    }
    // Does something with the menu that opens next.
    void withMenu(QObject* context, const std::function<void(QMenu*)>& act)
    {
        test::whenPopup<QMenu>(context, [act](QMenu* menu) {
            act(menu);
            menu->close();
        });
    }
    void askMenu(RowList* rows, const QPoint& at, const std::function<void(QMenu*)>& act)
    {
        withMenu(rows, act);
        QContextMenuEvent event(
            at.isNull() ? QContextMenuEvent::Keyboard : QContextMenuEvent::Mouse, at, rows->viewport()->mapToGlobal(at));
        QApplication::sendEvent(rows->viewport(), &event);
        QApplication::setActiveWindow(window_);
    }
    void drag(QWidget* widget, const QPoint& from, const QPoint& to)
    {
        QTest::mousePress(widget, Qt::LeftButton, Qt::NoModifier, from);
        QTest::mouseMove(widget, (from + to) / 2);
        QTest::mouseMove(widget, to);
        QTest::mouseRelease(widget, Qt::LeftButton, Qt::NoModifier, to);
    }
    void typeInto(const QString& text)
    {
        test::whenModal<QInputDialog>(window_, [text](QInputDialog* dialog) {
            dialog->setTextValue(text);
            dialog->accept();
        });
    }
    void found(StreamView* stream)
    {
        QTRY_COMPARE(QString::fromStdString(stream->filterLine()->filter().text()), stream->filterLine()->text());
        QTRY_VERIFY_WITH_TIMEOUT(stream->scan() != nullptr && stream->scan()->seen() == stage().snapshot().rows(), 30'000);
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        Theme::get().choose(ThemeName::paper);
        rig_ = *rig::loadRig(WAVETROPE_DEMO "/rig.json");
        rig::SessionOptions options;
        options.measured = false;
        auto session = rig::Session::create(rig_, rig::loadDatabases(rig_), options);
        QVERIFY(session.has_value());
        (*session)->runFor(lap, nullptr);
        // The same lap again and again.
        path_ = folder_.filePath("long.pcapng");
        const auto snapshot = (*session)->trace().snapshot();
        auto file = formats::LogFile::create(path_.toStdString(), (*session)->trace().buses());
        QVERIFY(file.has_value());
        for (int i = 0; i < laps; ++i)
            for (trace::Row row = 0; row < snapshot.rows(); ++row) {
                can::FrameView frame = snapshot.frame(row);
                frame.time += i * lap;
                (*file)->write(frame);
                ++frames_;
            }
        QVERIFY((*file)->finish().has_value());
        QVERIFY(frames_ > 5'000'000);

        window_ = MainWindow::openFile(path_, rig_, nullptr);
        QVERIFY(window_ != nullptr);
        // Rows, roster and load are there while the most of it is still to be read.
        QTRY_VERIFY_WITH_TIMEOUT(stage().snapshot().rows() > 0, 30'000);
        auto* stream = view<StreamView>("Watch");
        QTRY_VERIFY(stream->rows()->count() > 0);
        // A machine that looks rarely may be late: then all of it has been read, and is about to be told.
        if (stream->rows()->count() >= frames_)
            QTRY_VERIFY(window_->document().ready());
        QTRY_VERIFY(window_->currentPage()->find<RosterView>()->rows()->count() > 20);
        QTRY_VERIFY(window_->statusText().contains(QStringLiteral("reading")) || window_->document().ready());
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().ready() && stage().snapshot().rows() == frames_, 120'000);
    }
    void cleanupTestCase()
    {
        if (window_ != nullptr)
            window_->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), 0U);
    }

    void oneScrollBarReachesEveryRow()
    {
        view<StreamView>("Watch")->filterLine()->setText({});   // the page comes with one
        StreamRows* rows = view<StreamView>("Watch")->rows();
        rows->refresh();
        QScrollBar* bar = rows->verticalScrollBar();
        QCOMPARE(static_cast<std::uint64_t>(bar->maximum()), frames_ - static_cast<std::uint64_t>(rows->visibleRows()));
        for (const int value : {0, 1, 2'345'678, bar->maximum() - 1, bar->maximum()}) {
            bar->setValue(value);
            QCOMPARE(rows->top(), static_cast<std::uint64_t>(value));
            rows->grab();
        }
        bar->triggerAction(QAbstractSlider::SliderPageStepSub);
        QCOMPARE(rows->top(), static_cast<std::uint64_t>(bar->maximum() - rows->visibleRows()));
        QTest::keyClick(rows, Qt::Key_End);
        QCOMPARE(stage().cursorRow(), frames_ - 1);
        QVERIFY(rows->goTo(QStringLiteral("row 4,999,999")));
        QCOMPARE(stage().cursorRow(), trace::Row{4'999'998});
        QVERIFY(rows->top() <= 4'999'998 && rows->top() + static_cast<std::uint64_t>(rows->visibleRows()) > 4'999'998);
    }

    void columnsAreChosenMovedSizedAndKept()
    {
        auto* stream = view<StreamView>("Watch");
        StreamRows* rows = stream->rows();
        stage().setCursorRow(3'000'000);
        rows->refresh();
        const Columns& columns = rows->columns();
        // Chosen by the menu of the heads.
        askMenu(rows, rows->headCentre(0), [](QMenu* menu) { menu->findChild<QAction*>(QStringLiteral("column-sender"))->trigger(); });
        QVERIFY(columns.has(StreamRows::sender));
        askMenu(rows, rows->headCentre(columns.placeOf(StreamRows::sinceSame)),
            [](QMenu* menu) { menu->findChild<QAction*>(QStringLiteral("hideColumn"))->trigger(); });
        QVERIFY(!columns.has(StreamRows::sinceSame));
        // Sized by the edge of a head.
        const int id = columns.placeOf(StreamRows::identifier);
        const double before = columns.box(static_cast<std::size_t>(id), 0, 1).width();
        drag(rows->viewport(), rows->headEdge(id), rows->headEdge(id) + QPoint(40, 0));
        QCOMPARE(qRound(columns.box(static_cast<std::size_t>(id), 0, 1).width() - before), 40);
        // Moved by the head.
        drag(rows->viewport(), rows->headCentre(id), rows->headCentre(0));
        QCOMPARE(columns.placeOf(StreamRows::identifier), 0);
        const QStringList cells = rows->rowText(3'000'000).split(QLatin1Char('\t'));
        QVERIFY(cells[0].startsWith(QStringLiteral("0x")));
        QCOMPARE(static_cast<std::size_t>(cells.size()), columns.count());
        // Kept with the page, and come back.
        rows->setByteText(ByteText::decimal);
        const nlohmann::json kept = stream->save();
        askMenu(rows, {}, [](QMenu* menu) {
            auto* which = menu->findChild<QMenu*>(QStringLiteral("columnsMenu"));
            which->actions().back()->trigger();
        });
        rows->setByteText(ByteText::hexadecimal);
        QCOMPARE(columns.placeOf(StreamRows::time), 0);
        stream->restore(kept);
        QCOMPARE(columns.placeOf(StreamRows::identifier), 0);
        QCOMPARE(qRound(columns.box(0, 0, 1).width() - before), 40);
        QVERIFY(rows->byteText() == ByteText::decimal);
        stream->restore(
            nlohmann::json::parse(R"({"columns":[{"name":"mood"},7,{"name":"bytes","width":"wide"},{"name":"bytes"}],"bytes":"loud"})"));
        QCOMPARE(columns.count(), std::size_t{1});
        askMenu(rows, {}, [](QMenu* menu) { menu->findChild<QMenu*>(QStringLiteral("columnsMenu"))->actions().back()->trigger(); });
        rows->setByteText(ByteText::hexadecimal);
    }

    void cellsSayTimesAndBytesInEveryForm()
    {
        StreamRows* rows = view<StreamView>("Watch")->rows();
        const trace::Row row = 1'000'000;
        stage().setCursorRow(row + 10);
        for (const int column : {StreamRows::clock, StreamRows::sinceShown, StreamRows::toCursor, StreamRows::direction, StreamRows::kind,
                 StreamRows::length, StreamRows::code})
            rows->showColumn(column, true);
        const auto& snapshot = stage().snapshot();
        const can::FrameView frame = snapshot.frame(row);
        const auto cell = [&](int column) { return rows->rowText(row).split(QLatin1Char('\t'))[rows->columns().placeOf(column)]; };
        QCOMPARE(cell(StreamRows::time).toDouble(), qRound64(stage().seconds(frame.time) * 1e6) / 1e6);
        QVERIFY(cell(StreamRows::clock).startsWith(QStringLiteral("2027-02-")));
        QCOMPARE(cell(StreamRows::sinceShown).toDouble(),
            qRound(static_cast<double>((frame.time - snapshot.time(row - 1)).count()) * 1e-4) / 100.0);
        const trace::Row same = snapshot.previousOf(snapshot.identifier(row), row);
        QCOMPARE(
            cell(StreamRows::sinceSame).toDouble(), qRound(static_cast<double>((frame.time - snapshot.time(same)).count()) * 1e-4) / 100.0);
        QVERIFY(cell(StreamRows::toCursor).toDouble() <= 0);
        QCOMPARE(cell(StreamRows::length).toInt(), static_cast<int>(frame.length));
        QCOMPARE(cell(StreamRows::code).toInt(), static_cast<int>(frame.dlc));
        const std::pair<ByteText, int> forms[] = {{ByteText::hexadecimal, 16}, {ByteText::decimal, 10}, {ByteText::binary, 2}};
        for (const auto& [text, base] : forms) {
            rows->setByteText(text);
            const QStringList bytes = cell(StreamRows::bytes).split(QLatin1Char(' '));
            QCOMPARE(bytes.size(), static_cast<int>(frame.length));
            for (int i = 0; i < bytes.size(); ++i)
                QCOMPARE(bytes[i].toInt(nullptr, base), static_cast<int>(frame.data[i]));
            rows->grab();
        }
        rows->setByteText(ByteText::text);
        QCOMPARE(cell(StreamRows::bytes).size(), static_cast<int>(frame.length));
        rows->setByteText(ByteText::hexadecimal);
        askMenu(rows, {}, [](QMenu* menu) { menu->findChild<QMenu*>(QStringLiteral("columnsMenu"))->actions().back()->trigger(); });
    }

    void aRowOpensToItsSignals()
    {
        auto* stream = view<StreamView>("Watch");
        StreamRows* rows = stream->rows();
        stream->filterLine()->setText(QStringLiteral("name WaterState and time 100 s .. 110 s"));
        found(stream);
        stage().setCursorRow(stream->scan()->row(5));
        rows->refresh();
        rows->setFocus();
        const trace::Row row = stage().cursorRow();
        QTest::keyClick(rows, Qt::Key_Right);
        QVERIFY(rows->isOpen(row));
        rows->grab();
        std::vector<database::Decoded> decoded;
        const auto* message = stage().catalog().find(stage().snapshot().frame(row));
        message->plan.decode(stage().snapshot().frame(row), decoded);
        QVERIFY(!decoded.empty());
        for (std::size_t i = 0; i < decoded.size(); ++i) {
            const QStringList parts = rows->lineText(5, static_cast<int>(i)).split(QLatin1Char('\t'));
            QCOMPARE(parts[0], QString::fromStdString(message->message->signals[decoded[i].signal].name));
            QVERIFY(parts[1].split(QLatin1Char(' '))[0].toDouble() - decoded[i].value < 0.51);
        }
        // A click on a line explains its signal; the rows behind move down by the lines.
        rows->verticalScrollBar()->setValue(5);
        QVERIFY(rows->viewport()->height() > static_cast<int>(decoded.size() + 3) * Theme::get().rowHeight());
        const int pitch = Theme::get().rowHeight();
        const int head = pitch;
        QTest::mouseClick(rows->viewport(), Qt::LeftButton, Qt::NoModifier,
            QPoint(200, head + static_cast<int>(5 - rows->top()) * pitch + pitch + pitch / 2));
        QVERIFY(stage().selection().kind == Selection::Kind::signal);
        QTest::mouseClick(rows->viewport(), Qt::LeftButton, Qt::NoModifier,
            QPoint(200, head + static_cast<int>(5 - rows->top()) * pitch + static_cast<int>(1 + decoded.size()) * pitch + pitch / 2));
        QCOMPARE(stage().cursorRow(), stream->scan()->row(6));
        // The end stays in reach however much is open.
        rows->setOpen(rows->count() - 1, true);
        QTest::keyClick(rows, Qt::Key_End);
        rows->grab();
        rows->verticalScrollBar()->setValue(rows->verticalScrollBar()->maximum());
        QVERIFY(rows->top() > rows->count() - static_cast<std::uint64_t>(rows->visibleRows()));
        rows->setOpen(rows->count() - 1, false);
        stage().setCursorRow(row);
        QTest::keyClick(rows, Qt::Key_Left);
        QVERIFY(!rows->isOpen(row));
        stream->filterLine()->setText({});
    }

    void severalRowsAreCopiedWithTheirHeads()
    {
        StreamRows* rows = view<StreamView>("Watch")->rows();
        stage().setCursorRow(2'000'000);
        rows->setFocus();
        for (int i = 0; i < 4; ++i)
            QTest::keyClick(rows, Qt::Key_Down, Qt::ShiftModifier);
        QTest::keyClick(rows, Qt::Key_C, Qt::ControlModifier);
        const QStringList lines = QApplication::clipboard()->text().split(QLatin1Char('\n'));
        QCOMPARE(lines.size(), 6);
        QVERIFY(lines[0].startsWith(QStringLiteral("time, s\tsince same, ms\tbus\tid")));
        for (int i = 0; i < 5; ++i)
            QCOMPARE(lines[i + 1], rows->rowText(2'000'000 + static_cast<std::uint64_t>(i)));
        QTest::keyClick(rows, Qt::Key_Down);
        QCOMPARE(rows->chosenText(), rows->rowText(2'000'005));
        // What assistive technology is told.
        QVERIFY(rows->accessibleDescription().startsWith(QStringLiteral("Row 2,000,006 of 5,")));
        QVERIFY(rows->accessibleDescription().contains(QString(rows->rowText(2'000'005)).replace(QLatin1Char('\t'), QStringLiteral(", "))));
    }

    void theSameFramesWhateverTheWayToThem()
    {
        // A condition of one signal, counted by the window and one frame after the other.
        auto* stream = view<StreamView>("Watch");
        StreamRows* rows = stream->rows();
        const char* text = "CylinderPressure rises above 60 bar or WaterState.Valve changes";
        stream->filterLine()->setText(QString::fromLatin1(text));
        found(stream);
        filter::FilterStream plain(*filter::Filter::compile(text, window_->document().catalog()), window_->document().begins());
        std::vector<trace::Row> wanted;
        for (trace::Row row = 0; row < frames_; ++row)
            if (plain.passes(stage().snapshot().frame(row)))
                wanted.push_back(row);
        QVERIFY(wanted.size() > static_cast<std::size_t>(laps));
        QCOMPARE(stream->scan()->size(), wanted.size());
        for (std::size_t i = 0; i < wanted.size(); i += 1 + wanted.size() / 40)
            QCOMPARE(stream->scan()->row(i), wanted[i]);
        QTRY_VERIFY(stream->filterLine()->message().contains(QStringLiteral("match")));
        // From match to match by key, from anywhere.
        stage().setCursorRow(wanted[3] + 1);
        rows->setFocus();
        QTest::keyClick(rows, Qt::Key_F3);
        QCOMPARE(stage().cursorRow(), wanted[4]);
        QTest::keyClick(rows, Qt::Key_F3, Qt::ShiftModifier);
        QCOMPARE(stage().cursorRow(), wanted[3]);
        stream->filterLine()->setText({});
    }

    void twoStreamsStandAtOneCursor()
    {
        auto* first = view<StreamView>("Watch");
        Page* page = window_->currentPage();
        auto* second = qobject_cast<StreamView*>(page->open(QStringLiteral("stream")));
        QVERIFY(second != nullptr && second != first);
        first->filterLine()->setText(QStringLiteral("bus Implement"));
        second->filterLine()->setText(QStringLiteral("bus Chassis"));
        found(first);
        found(second);
        QVERIFY(first->scan()->size() + second->scan()->size() < frames_);
        stage().setCursorRow(first->scan()->row(333'333));
        QCOMPARE(first->rows()->current(), std::int64_t{333'333});
        const trace::Row near = second->rows()->rowOf(static_cast<std::uint64_t>(second->rows()->current()));
        QVERIFY(near <= stage().cursorRow()
                && second->scan()->lowerBound(stage().cursorRow()) == static_cast<std::uint64_t>(second->rows()->current()) + 1);
        first->filterLine()->setText({});
        second->filterLine()->setText({});
        for (Pane* pane : page->panes())
            for (int i = 0; i < pane->count(); ++i)
                if (pane->entries()[static_cast<std::size_t>(i)].view == second) {
                    pane->closeView(i);
                    return;
                }
        QFAIL("the second stream stands nowhere");
    }

    void theRosterShowsAnyMomentAtOnce()
    {
        auto* roster = view<RosterView>("Watch");
        RosterRows* rows = roster->rows();
        roster->filterLine()->setText({});
        for (const int column : {RosterRows::frames, RosterRows::spread, RosterRows::since, RosterRows::length})
            rows->showColumn(column, true);
        const auto& snapshot = stage().snapshot();
        for (const trace::Row row : {trace::Row{0}, trace::Row{123'456}, trace::Row{3'333'333}, trace::Row{frames_ - 1}}) {
            stage().setCursorRow(row);
            rows->grab();
            std::uint64_t sum = 0;
            // Behind the identifiers stands what comes in pieces.
            for (std::uint64_t i = 0; i < rows->shown().size(); ++i) {
                const QStringList cells = rows->rowText(i).split(QLatin1Char('\t'));
                sum += cells[rows->columns().placeOf(RosterRows::frames)].toULongLong();
                const trace::Row newest = snapshot.previousOf(rows->shown()[i], row + 1);
                if (newest != trace::noRow)
                    QCOMPARE(cells[rows->columns().placeOf(RosterRows::length)].toInt(), static_cast<int>(snapshot.frame(newest).length));
            }
            QCOMPARE(sum, row + 1);
        }
        // Sorted by anything; a second click turns it round.
        for (const int column : {RosterRows::frames, RosterRows::period, RosterRows::name}) {
            const auto at = rows->headCentre(rows->columns().placeOf(column));
            QTest::mouseClick(rows->viewport(), Qt::LeftButton, Qt::NoModifier, at);
            const auto up = rows->shown();
            QTest::mouseClick(rows->viewport(), Qt::LeftButton, Qt::NoModifier, at);
            QVERIFY(rows->shown() != up);
            if (column == RosterRows::frames)
                for (std::size_t i = 1; i < rows->shown().size(); ++i)
                    QVERIFY(snapshot.countOf(rows->shown()[i - 1]) >= snapshot.countOf(rows->shown()[i]));
        }
        rows->sortBy(RosterRows::identifier, false);
    }

    void theRosterGroupsItsRows()
    {
        auto* roster = view<RosterView>("Watch");
        RosterRows* rows = roster->rows();
        const std::uint64_t plain = rows->count();
        askMenu(
            rows, rows->headCentre(1), [](QMenu* menu) { menu->findChild<QMenu*>(QStringLiteral("groupMenu"))->actions()[1]->trigger(); });
        QCOMPARE(rows->count(), plain + window_->document().buses().size());
        QVERIFY(rows->rowText(0).startsWith(QStringLiteral("Chassis, ")));
        rows->grab();
        // Keys step over the heads of groups.
        rows->setFocus();
        QTest::keyClick(rows, Qt::Key_Home);
        QCOMPARE(rows->current(), std::int64_t{1});
        rows->groupBy(RosterRows::Grouping::sender);
        bool blade = false;
        for (std::uint64_t i = 0; i < rows->count(); ++i)
            blade = blade || rows->rowText(i).startsWith(QStringLiteral("BladeUnit, "));
        QVERIFY(blade);
        const nlohmann::json kept = roster->save();
        rows->groupBy(RosterRows::Grouping::none);
        QCOMPARE(rows->count(), plain);
        roster->restore(kept);
        QVERIFY(rows->count() > plain);
        rows->groupBy(RosterRows::Grouping::none);

        // One row for a parameter group and source.
        askMenu(rows, rows->headCentre(1), [](QMenu* menu) { menu->findChild<QAction*>(QStringLiteral("joinGroups"))->trigger(); });
        QVERIFY(rows->count() <= plain);
        bool named = false;
        for (std::uint64_t i = 0; i < rows->count(); ++i)
            named = named || rows->rowText(i).contains(QStringLiteral(" from "));
        bool extended = false;
        for (trace::IdentifierIndex i = 0; i < stage().snapshot().trace().identifierCount(); ++i)
            extended = extended || stage().snapshot().trace().key(i).id.extended;
        QCOMPARE(named, extended);
        rows->joinGroups(false);
    }

    void openRosterRowsTellSmallestAndLargestSoFar()
    {
        auto* roster = view<RosterView>("Watch");
        RosterRows* rows = roster->rows();
        const auto& snapshot = stage().snapshot();
        QStringList problems;
        for (const auto& [name, id] : {std::pair{"BladeState", 0x181U}, std::pair{"WaterState", 0x182U}}) {
            roster->filterLine()->setText(QStringLiteral("name %1").arg(QLatin1String(name)));
            QTRY_VERIFY(rows->count() == 1 && snapshot.trace().key(rows->shown()[0]).id.value == id);
            for (const trace::Row row : {trace::Row{40'000}, trace::Row{900'000}, trace::Row{4'100'000}}) {
                stage().setCursorRow(row);
                rows->setOpen(0, true);
                QTRY_VERIFY_WITH_TIMEOUT(rows->lineText(0, 0).contains(QStringLiteral("so far")), 20'000);
                rows->grab();
                // Once more by hand.
                const auto* message = stage().catalog().find(1, {id, false});
                struct Wanted {
                    double low, high, newest;
                };
                std::map<std::uint32_t, Wanted> wanted;
                std::vector<database::Decoded> decoded;
                snapshot.eachOf(rows->shown()[0], 0, [&](trace::Row at, const can::FrameView& frame) {
                    if (at > row)
                        return false;
                    decoded.clear();
                    message->plan.decode(frame, decoded);
                    for (const auto& value : decoded) {
                        Wanted& found = wanted.try_emplace(value.signal, Wanted{value.value, value.value, value.value}).first->second;
                        found = {std::min(found.low, value.value), std::max(found.high, value.value), value.value};
                    }
                    return true;
                });
                for (const auto& [number, is] : wanted) {
                    const auto& signal = message->message->signals[number];
                    const QStringList parts = rows->lineText(0, static_cast<int>(number)).split(QLatin1Char('\t'));
                    const QStringList words = parts[2].split(QLatin1Char(' '));
                    QVERIFY2(
                        std::abs(words[0].toDouble() - is.low) <= signal.factor && std::abs(words[2].toDouble() - is.high) <= signal.factor,
                        qPrintable(parts[2]));
                    const QString problem = is.newest < *signal.minimum   ? QStringLiteral("below its minimum")
                                            : is.newest > *signal.maximum ? QStringLiteral("above its maximum")
                                            : is.low < *signal.minimum    ? QStringLiteral("was below its minimum")
                                            : is.high > *signal.maximum   ? QStringLiteral("was above its maximum")
                                                                          : QString();
                    QCOMPARE(parts.value(3).section(QLatin1Char(','), 0, 0), problem);
                    problems.append(problem);
                }
            }
        }
        QVERIFY(problems.contains(QStringLiteral("was below its minimum")) && problems.contains(QString()));
        rows->setOpen(0, false);
        roster->filterLine()->setText({});
    }

    void notesStandBesideTheLog()
    {
        auto* stream = view<StreamView>("Watch");
        StreamRows* rows = stream->rows();
        QTRY_VERIFY(stream->scan() == nullptr);
        stage().setCursorRow(1'234'567);
        rows->setFocus();
        typeInto(QStringLiteral("the blade stalls here"));
        QTest::keyClick(rows, Qt::Key_N);
        QCOMPARE(stage().notes().notes().all().size(), std::size_t{1});
        QCOMPARE(stage().notes().notes().at(1'234'567)->text, std::string("the blade stalls here"));
        rows->showColumn(StreamRows::note, true);
        QVERIFY(rows->rowText(1'234'567).contains(QStringLiteral("the blade stalls here")));
        auto* notes = qobject_cast<NotesView*>(window_->currentPage()->open(QStringLiteral("notes")));
        QVERIFY(notes != nullptr);
        stage().setCursor(stage().timeOf(700));
        auto* list = notes->findChild<RowList*>(QStringLiteral("noteRows"));
        typeInto(QStringLiteral("water runs out"));
        QTest::keyClick(list, Qt::Key_N);
        QCOMPARE(notes->count(), std::size_t{2});
        window_->grab();    // flags on the timeline
        notes->search()->setText(QStringLiteral("BLADE"));
        QCOMPARE(notes->count(), std::size_t{1});
        notes->choose(0);
        QCOMPARE(stage().cursorRow(), trace::Row{1'234'567});
        notes->search()->clear();
        const QString file = path_ + QStringLiteral(".notes.json");
        const auto kept = rig::Notes::load(path_.toStdString());
        QVERIFY(kept.has_value());
        QCOMPARE(kept->all().size(), std::size_t{2});
        // Taken back and again, on the disk too.
        stage().notes().undoStack().undo();
        QCOMPARE(rig::Notes::load(path_.toStdString())->all().size(), std::size_t{1});
        stage().notes().undoStack().undo();
        QVERIFY(!QFile::exists(file));
        stage().notes().undoStack().redo();
        QCOMPARE(rig::Notes::load(path_.toStdString())->at(1'234'567)->time, stage().snapshot().time(1'234'567));
        // An empty text takes a note away.
        stage().setCursorRow(1'234'567);
        typeInto(QString());
        QTest::keyClick(rows, Qt::Key_N);
        QVERIFY(stage().notes().notes().all().empty());
        rows->showColumn(StreamRows::note, false);
        for (Pane* pane : window_->currentPage()->panes())
            for (int i = 0; i < pane->count(); ++i)
                if (pane->entries()[static_cast<std::size_t>(i)].view == notes) {
                    pane->closeView(i);
                    return;
                }
    }

    void aPartIsConvertedFromTheWindow()
    {
        auto* stream = view<StreamView>("Watch");
        stream->filterLine()->setText(QStringLiteral("bus Implement"));
        found(stream);
        window_->convert();
        auto* dialog = window_->findChild<ConvertDialog*>();
        QVERIFY(dialog != nullptr);
        QCOMPARE(dialog->findChild<FilterLine*>()->text(), QStringLiteral("bus Implement"));
        const auto box = [&](const char* name) { return dialog->findChild<QComboBox*>(QLatin1String(name)); };
        const auto edit = [&](const char* name) { return dialog->findChild<QLineEdit*>(QLatin1String(name)); };
        auto* start = dialog->findChild<QPushButton*>(QStringLiteral("convertStart"));
        box("convertKind")->setCurrentIndex(3);
        box("convertPacking")->setCurrentIndex(2);
        box("convertStretch")->setCurrentIndex(2);
        QVERIFY(edit("convertPath")->text().endsWith(QStringLiteral(".pcapng.zst")));
        edit("convertPath")->setText(folder_.filePath("part.pcapng.zst"));
        edit("convertFrom")->setText(QStringLiteral("ten seconds"));
        QTest::mouseClick(start, Qt::LeftButton);
        QVERIFY(dialog->says().contains(QStringLiteral("expected a time")));
        edit("convertFrom")->setText(QStringLiteral("10 s"));
        edit("convertTo")->setText(QStringLiteral("20 s"));
        QTest::mouseClick(start, Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(dialog->says().startsWith(QStringLiteral("Wrote ")), 60'000);
        trace::Trace back;
        formats::TraceSink sink(back);
        QVERIFY(formats::readLogFile(folder_.filePath("part.pcapng.zst").toStdString(), sink).has_value());
        std::uint64_t wanted = 0;
        const auto& snapshot = stage().snapshot();
        for (trace::Row row = 0; row < frames_ && snapshot.time(row) <= stage().timeOf(20); ++row)
            wanted += snapshot.time(row) >= stage().timeOf(10) && snapshot.frame(row).bus == 1 ? 1 : 0;
        QVERIFY(wanted > 1000);
        QCOMPARE(back.rows(), wanted);

        // Values by column, and a file that exists is asked for.
        box("convertKind")->setCurrentIndex(1);
        box("convertPacking")->setCurrentIndex(0);
        edit("convertSignals")->setText(QStringLiteral("BladeState.BladeDepth"));
        edit("convertPath")->setText(folder_.filePath("part.csv"));
        QTest::mouseClick(start, Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(dialog->says().startsWith(QStringLiteral("Wrote ")), 60'000);
        QFile csv(folder_.filePath("part.csv"));
        QVERIFY(csv.open(QIODevice::ReadOnly));
        QCOMPARE(csv.readLine().trimmed(), QByteArray("time [s],Implement.BladeState.BladeDepth [mm]"));
        test::whenModal<QMessageBox>(dialog, [](QMessageBox* asked) { asked->button(QMessageBox::No)->click(); });
        const qint64 size = csv.size();
        QTest::mouseClick(start, Qt::LeftButton);
        QVERIFY(!dialog->working());
        QCOMPARE(csv.size(), size);

        // Ended by Escape, nothing is left.
        box("convertKind")->setCurrentIndex(2);
        dialog->findChild<FilterLine*>()->setText({});
        box("convertStretch")->setCurrentIndex(0);
        edit("convertSignals")->clear();
        edit("convertPath")->setText(folder_.filePath("all.sqlite"));
        QTest::mouseClick(start, Qt::LeftButton);
        QVERIFY(dialog->working());
        QTRY_VERIFY(QFile::exists(folder_.filePath("all.sqlite.part")));
        QTest::keyClick(dialog, Qt::Key_Escape);
        QTRY_VERIFY_WITH_TIMEOUT(!dialog->working(), 30'000);
        QVERIFY(dialog->says().contains(QStringLiteral("cancelled")));
        QVERIFY(!QFile::exists(folder_.filePath("all.sqlite")) && !QFile::exists(folder_.filePath("all.sqlite.part")));
        QTest::keyClick(dialog, Qt::Key_Escape);
        QTRY_VERIFY(window_->findChild<ConvertDialog*>() == nullptr);
        stream->filterLine()->setText({});
        QApplication::setActiveWindow(window_);
    }

    void aLogOfTextIsCorrectedKeptAndThenOpensByItself()
    {
        const QString path = folder_.filePath("rink.txt");
        {
            QFile file(path);
            QVERIFY(file.open(QIODevice::WriteOnly));
            file.write("when [ms];line;id;len;content\n");
            for (int i = 0; i < 200; ++i)
                file.write(QStringLiteral("%1;%2;%3;2;0A%4\n")
                        .arg(5000 + 10 * i)
                        .arg(i % 2 == 0 ? "front" : "rear")
                        .arg(i % 2 == 0 ? 120 : 345)
                        .arg(i, 2, 16, QLatin1Char('0'))
                        .toUtf8());
            file.write("stopped by hand\n");
        }
        // What the lines leave open is asked; until then the log does not open.
        test::whenModal<TextLogDialog>(window_, [this](TextLogDialog* dialog) {
            auto* open = dialog->findChild<QPushButton*>(QStringLiteral("textOpen"));
            QVERIFY(!open->isEnabled());
            QVERIFY(dialog->says().contains(QStringLiteral("leave open")));
            QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("textAnswer0_1")), Qt::LeftButton);
            QVERIFY(open->isEnabled());
            QVERIFY(dialog->textLayout().identifierBase == formats::Base::decimal);
            // A head goes where it is dragged, and back by keys.
            LayoutTable* table = dialog->table();
            QCOMPARE(table->textLayout().columnOf(formats::Meaning::channel), 1);
            drag(table->viewport(), table->headOf(1).center(), table->headOf(3).center());
            QCOMPARE(table->textLayout().columnOf(formats::Meaning::channel), 3);
            QCOMPARE(table->textLayout().columnOf(formats::Meaning::length), -1);
            table->setFocus();
            QTest::keyClick(table, Qt::Key_Left, Qt::ShiftModifier);
            QCOMPARE(table->textLayout().columnOf(formats::Meaning::channel), 2);
            QVERIFY(!open->isEnabled());    // there is no identifier now
            withMenu(dialog, [](QMenu* menu) { menu->actions()[static_cast<int>(formats::Meaning::identifier)]->trigger(); });
            QTest::mouseClick(table->viewport(), Qt::LeftButton, Qt::NoModifier, table->headOf(2).center());
            withMenu(dialog, [](QMenu* menu) { menu->actions()[static_cast<int>(formats::Meaning::channel)]->trigger(); });
            QTest::mouseClick(table->viewport(), Qt::LeftButton, Qt::NoModifier, table->headOf(1).center());
            withMenu(dialog, [](QMenu* menu) { menu->actions()[static_cast<int>(formats::Meaning::length)]->trigger(); });
            QTest::mouseClick(table->viewport(), Qt::LeftButton, Qt::NoModifier, table->headOf(3).center());
            QVERIFY(open->isEnabled());
            QVERIFY(dialog->says().startsWith(QStringLiteral("199 of the first"))
                    || dialog->says().startsWith(QStringLiteral("200 of the first")));
            dialog->findChild<QComboBox*>(QStringLiteral("textTime"))->setCurrentIndex(0);
            QVERIFY(dialog->textLayout().timeForm == formats::TimeForm::seconds);
            dialog->findChild<QComboBox*>(QStringLiteral("textTime"))->setCurrentIndex(1);
            dialog->findChild<QLineEdit*>(QStringLiteral("textName"))->setText(QStringLiteral("rink"));
            QTest::mouseClick(open, Qt::LeftButton);
        });
        MainWindow* opened = MainWindow::openFile(path, rig_, window_);
        QVERIFY(opened != nullptr);
        QTRY_VERIFY(opened->document().ready() && opened->stage().snapshot().rows() == 200);
        QCOMPARE(opened->stage().snapshot().frame(0).id.value, 120U);
        QCOMPARE(opened->document().buses().size(), std::size_t{2});
        // The line that is no frame is told.
        QTRY_VERIFY(opened->findChild<QMessageBox*>() != nullptr);
        QVERIFY(opened->findChild<QMessageBox*>()->text().contains(QStringLiteral("1 line is no frame")));
        QVERIFY(opened->findChild<QMessageBox*>()->detailedText().contains(QStringLiteral("line 202")));
        opened->findChild<QMessageBox*>()->close();
        opened->closeWithoutAsking();
        // Kept: the next one opens without a question.
        const QString next = folder_.filePath("next.txt");
        QVERIFY(QFile::copy(path, next));
        MainWindow* again = MainWindow::openFile(next, rig_, window_);
        QVERIFY(again != nullptr);
        QTRY_VERIFY(again->document().ready() && again->stage().snapshot().rows() == 200);
        QCOMPARE(again->stage().snapshot().frame(0).id.value, 120U);
        again->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), 1U);
        QApplication::setActiveWindow(window_);
    }

    void severalLogsOpenAsOneWithTheirClocksMatched()
    {
        // The same ten seconds by two recorders: one heard the implement and the body, the other, with a clock that is
        // ahead, the chassis and the body.
        const auto& snapshot = stage().snapshot();
        const QStringList paths = {folder_.filePath("front.pcapng"), folder_.filePath("rear.pcapng")};
        constexpr Time ahead = std::chrono::milliseconds(1250);
        std::uint64_t frames = 0;
        for (int i = 0; i < 2; ++i) {
            auto file = formats::LogFile::create(paths[i].toStdString(), window_->document().trace().buses());
            for (trace::Row row = 0; snapshot.time(row) < stage().timeOf(10); ++row) {
                can::FrameView frame = snapshot.frame(row);
                if (frame.bus != 2 && frame.bus != 1 - i)
                    continue;
                frame.time += i * ahead;
                (*file)->write(frame);
                ++frames;
            }
            QVERIFY((*file)->finish().has_value());
        }
        test::whenModal<SeveralLogsDialog>(window_, [this, ahead](SeveralLogsDialog* dialog) {
            QTRY_VERIFY(dialog->looked());
            QCOMPARE(dialog->parts()[1].offset, -ahead);
            const std::size_t matched = dialog->matches(1);
            QVERIFY(matched > 100);
            // Dragged away, nothing matches; a number brings it back.
            AlignStrip* strip = dialog->strip();
            dialog->grab();
            drag(strip, strip->barOf(1), strip->barOf(1) + QPoint(60, 0));
            QVERIFY(dialog->parts()[1].offset > -ahead);
            QVERIFY(dialog->matches(1) < matched / 10);
            auto* table = dialog->findChild<QTableWidget*>();
            table->item(1, 3)->setText(QStringLiteral("a little"));
            QVERIFY(dialog->findChild<QLabel*>(QStringLiteral("severalSays"))->text().contains(QStringLiteral("expected a time")));
            table->item(1, 3)->setText(QStringLiteral("-1.25 s"));
            QCOMPARE(dialog->matches(1), matched);
            strip->setFocus();
            QTest::keyClick(strip, Qt::Key_Right);
            QVERIFY(dialog->parts()[1].offset > -ahead);
            QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("matchClocks")), Qt::LeftButton);
            QCOMPARE(dialog->parts()[1].offset, -ahead);
            QTest::mouseClick(dialog->findChild<QPushButton*>(QStringLiteral("severalOpen")), Qt::LeftButton);
        });
        MainWindow* opened = MainWindow::openLogs(paths, rig_, window_);
        QVERIFY(opened != nullptr);
        QTRY_VERIFY(opened->document().ready() && opened->stage().snapshot().rows() == frames);
        QVERIFY(opened->document().trace().monotone());
        QVERIFY(opened->document().title().ends_with("+1"));
        // What both heard stands there twice, at one moment.
        const auto& merged = opened->stage().snapshot();
        std::uint64_t twice = 0;
        for (trace::Row row = 1; row < merged.rows(); ++row)
            twice += merged.time(row) == merged.time(row - 1) && merged.frame(row).id == merged.frame(row - 1).id ? 1 : 0;
        QVERIFY(twice > 500);
        opened->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), 1U);
        QApplication::setActiveWindow(window_);
    }
};

QTEST_MAIN(LongLogTest)
#include "long_log_test.moc"
