// SPDX-License-Identifier: GPL-3.0-or-later
// Measured in the window: response times with deadlines by hand, undone, kept with the rig; marks and the table between them;
// boxes, widths and former windows.
#include <QApplication>
#include <QClipboard>
#include <QTemporaryDir>
#include <QSignalSpy>
#include <QTest>
#include <QTreeWidget>

#include "app/between/between_view.h"
#include "app/inspector/inspector_view.h"
#include "app/lanes/lanes_view.h"
#include "app/load/bursts_view.h"
#include "app/load/load_view.h"
#include "app/response/response_view.h"
#include "app/shares/shares_view.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/spectrum/spectrum_view.h"
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
    // As a person does it: with the button let go at the end.
    static void doubleClick(QWidget* widget, const QPoint& at)
    {
        QTest::mouseDClick(widget, Qt::LeftButton, {}, at);
        QTest::mouseRelease(widget, Qt::LeftButton, {}, at);
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
        doubleClick(rows, rows->mapFrom(view, cell));
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
            doubleClick(rows, rows->mapFrom(view, view->cellAt(static_cast<std::size_t>(row), true)) - QPoint(200, 0));
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

    void marksAndTheTableBetweenThem()
    {
        auto window = shown(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", demo()));
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready(), 60'000);
        window->showPage(QStringLiteral("Analyse"));
        Stage& stage = window->stage();
        QTRY_VERIFY(stage.seconds(stage.newest()) > 119);       // the views have made themselves anew for all of it
        auto* lanes = window->currentPage()->find<LanesView>();
        for (Pane* pane : window->currentPage()->panes())
            if (pane->count() == 4)
                pane->setCurrent(1);
        auto* table = window->currentPage()->find<BetweenView>();
        QVERIFY(table != nullptr && table->isVisible());
        QCOMPARE(table->count(), std::size_t{0});
        stage.setWindow(stage.timeOf(44), stage.timeOf(50));
        stage.setCursor(stage.timeOf(47));
        const auto plot = [&] { return lanes->lanes()[0]->plot(); };     // lanes may be made anew
        QTRY_VERIFY(lanes->lanes()[0]->complete() && std::abs(plot()->xAxis->range().lower - 44) < 1e-6);
        const auto at = [&](double seconds) {
            return QPoint(static_cast<int>(std::lround(plot()->xAxis->coordToPixel(seconds))), plot()->axisRect()->center().y());
        };
        // Marks by key at the pointer, whose value stands beside it.
        const auto hovers = [&](const QPoint& point) {
            QTest::mouseMove(plot(), point + QPoint(3, 0));
            QTest::mouseMove(plot(), point);
            return !plot()->readout().isEmpty();
        };
        QTRY_VERIFY(hovers(at(46.9)));
        QCOMPARE(plot()->readout().size(), qsizetype{2});
        QVERIFY2(plot()->readout()[0].startsWith(QStringLiteral("BladeDepth\t")), qPrintable(plot()->readout()[0]));
        plot()->setFocus();
        QTest::keyClick(plot(), Qt::Key_A);
        QVERIFY(stage.marks().a && std::abs(stage.seconds(*stage.marks().a) - 46.9) < 0.02);
        QTRY_VERIFY(hovers(at(48.1)));
        QTest::keyClick(plot(), Qt::Key_B);
        QVERIFY(stage.marks().both());
        QTRY_VERIFY(table->settled() && table->count() == 4);
        // Exact over the samples: what all of them give.
        const auto compare = [&] {
            const trace::Snapshot& snapshot = stage.snapshot();
            for (std::size_t i = 0; i < 4; ++i) {
                const auto ref = signalOf(stage.catalog(), stage.curves()[i]);
                const measure::IntervalMeasures all = measure::measured(measure::samplesOf(snapshot, stage.catalog(), *ref),
                    std::min(*stage.marks().a, *stage.marks().b), std::max(*stage.marks().a, *stage.marks().b));
                const QStringList row = table->rowText(i).split('\t');
                QCOMPARE(row[5], QString::number(all.samples));
                QVERIFY2(std::abs(row[8].toDouble() - *all.mean) < 2e-2, qPrintable(table->rowText(i)));
                QVERIFY(std::abs(row[6].toDouble() - all.smallest) < 1e-2 && std::abs(row[7].toDouble() - all.largest) < 1e-2);
            }
        };
        compare();
        // A mark is dragged, past the other one too; the table follows.
        const Time before = *stage.marks().a;
        QTest::mousePress(plot(), Qt::LeftButton, {}, at(stage.seconds(before)));
        QTest::mouseMove(plot(), at(49));
        QTest::mouseRelease(plot(), Qt::LeftButton, {}, at(49));
        QVERIFY(*stage.marks().a > *stage.marks().b);
        QVERIFY(std::abs(stage.seconds(stage.cursor()) - 47) < 1e-6);       // the cursor stayed
        QTRY_VERIFY(table->settled());
        compare();
        // All rows with their heads.
        window->findChild<QToolButton*>(QStringLiteral("copyBetween"))->click();
        QCOMPARE(QApplication::clipboard()->text().count('\n'), qsizetype{4});
        QVERIFY(QApplication::clipboard()->text().startsWith(QStringLiteral("curve\tat A\tat B\t")));
        // To places of the chosen curve.
        table->setFocus();
        Selection selection;
        const auto ref = signalOf(stage.catalog(), stage.curves()[0]);
        selection.kind = Selection::Kind::signal;
        selection.bus = ref->message->bus;
        selection.id = ref->message->message->id;
        selection.signal = static_cast<int>(ref->index);
        stage.select(selection);
        const measure::SignalSeries& series = *lanes->lanes()[0]->curves()[0].series;
        const auto valueAt = [&](Time time) { return *series.at(stage.snapshot(), time); };
        for (const auto& [key, rises] : {std::pair(Qt::Key_R, true), std::pair(Qt::Key_F, false)}) {
            const Time from = stage.cursor();
            QTest::keyClick(lanes, key);
            QVERIFY(stage.cursor() > from);
            QCOMPARE(valueAt(stage.cursor()) > valueAt(stage.cursor() - Time(1000)), rises);
            QTest::keyClick(lanes, key, Qt::ShiftModifier);
            QVERIFY(stage.cursor() < from + std::chrono::seconds(1));
        }
        QTest::keyClick(lanes, Qt::Key_L);
        const measure::IntervalMeasures all = measure::measured(
            measure::samplesOf(stage.snapshot(), stage.catalog(), *ref), *stage.marks().b, *stage.marks().a);
        QCOMPARE(valueAt(stage.cursor()), all.largest);
        QTest::keyClick(lanes, Qt::Key_S);
        QCOMPARE(valueAt(stage.cursor()), all.smallest);
        // Taken away; pulled in from the edge.
        plot()->setFocus();
        QTest::keyClick(plot(), Qt::Key_A, Qt::ShiftModifier);
        QVERIFY(!stage.marks().a && stage.marks().b);
        QTRY_COMPARE(table->count(), std::size_t{0});
        const QPoint edge(plot()->axisRect()->left() + 1, plot()->axisRect()->center().y());
        QTest::mousePress(plot(), Qt::LeftButton, {}, edge);
        QTest::mouseMove(plot(), at(45));
        QTest::mouseRelease(plot(), Qt::LeftButton, {}, at(45));
        QVERIFY(stage.marks().a && std::abs(stage.seconds(*stage.marks().a) - 45) < 0.02);
        window->closeWithoutAsking();
    }

    // A derived signal is a curve as others are: from the tree, with its value, in the table, explained.
    void aDerivedSignalIsDrawnAndMeasured()
    {
        auto window = shown(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", demo()));
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready() && window->stage().caughtUp(), 60'000);
        Stage& stage = window->stage();
        window->showPage(QStringLiteral("Analyse"));
        auto* lanes = window->currentPage()->find<LanesView>();
        auto* tree = window->findChild<QTreeWidget*>();
        const auto items = tree->findItems(QStringLiteral("DepthError"), Qt::MatchRecursive | Qt::MatchExactly);
        QCOMPARE(items.size(), qsizetype{1});
        tree->setCurrentItem(items[0]);
        QCOMPARE(stage.selection().kind, Selection::Kind::derived);
        const std::size_t before = lanes->arrangement().size();
        QTest::keyClick(tree, Qt::Key_Return);
        QCOMPARE(lanes->arrangement().size(), before + 1);
        QCOMPARE(lanes->arrangement().back()[0], QStringLiteral(":DepthError"));
        QTRY_VERIFY(lanes->lanes().back()->complete());
        const measure::Samples samples = measure::derivedSamples(stage.snapshot(), stage.catalog(), 0);
        QCOMPARE(lanes->lanes().back()->curves()[0].series->size(), std::uint64_t{samples.size()});
        stage.setWindow(stage.timeOf(30), stage.timeOf(40));
        stage.setCursor(stage.timeOf(33));
        const auto holds = std::upper_bound(samples.times.begin(), samples.times.end(), stage.cursor()) - samples.times.begin() - 1;
        const QString value = QString::number(samples.values[static_cast<std::size_t>(holds)], 'f', 3) + QStringLiteral(" mm");
        QCOMPARE(lanes->lanes().back()->head()->reading(lanes->lanes().back()->curves()[0]), value);
        QTRY_COMPARE(items[0]->text(1), value);
        auto* inspector = window->findChild<Inspector*>();
        QTRY_VERIFY((inspector->repaint(), inspector->text().contains(QStringLiteral("BladeDepth - WantedDepth")))
                    && inspector->text().contains(value));
        for (Pane* pane : window->currentPage()->panes())
            if (pane->count() == 4)
                pane->setCurrent(1);
        stage.setMarks({stage.timeOf(31), stage.timeOf(39)});
        auto* table = window->currentPage()->find<BetweenView>();
        QTRY_VERIFY(table->settled() && table->count() == 5);
        const measure::IntervalMeasures all = measure::measured(samples, stage.timeOf(31), stage.timeOf(39));
        const QStringList row = table->rowText(4).split('\t');
        QCOMPARE(row[0], QStringLiteral("DepthError mm"));
        QCOMPARE(row[5], QString::number(all.samples));
        QVERIFY(std::abs(row[7].toDouble() - all.largest) < 1e-3);
        // Its lane is taken back.
        QTest::keyClick(lanes, Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(lanes->arrangement().size(), before);
        window->closeWithoutAsking();
    }

    // Of the chosen curve, between the marks: as all samples say.
    void whatACurveIsMadeOf()
    {
        auto window = shown(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", demo()));
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready() && window->stage().caughtUp(), 60'000);
        Stage& stage = window->stage();
        window->showPage(QStringLiteral("Analyse"));
        for (Pane* pane : window->currentPage()->panes())
            if (pane->count() == 4)
                pane->setCurrent(2);
        auto* view = window->currentPage()->find<SpectrumView>();
        QVERIFY(view != nullptr && view->isVisible());
        const auto source = *curveOf(stage.document().catalog(), QStringLiteral("Implement:BladeState.CylinderPressure"));
        stage.select(source.selection());
        stage.setMarks({stage.timeOf(20), stage.timeOf(60)});
        QTRY_VERIFY(view->settled() && view->spectrum());
        const measure::Samples samples = measure::samplesOf(stage.snapshot(), stage.catalog(), source.ref);
        const measure::TimedValues all{samples.times, samples.values};
        const auto expected = measure::spectrumOf(all, stage.timeOf(20), stage.timeOf(60), view->spectrum()->rate, measure::FadeOut::hann);
        QVERIFY(std::abs(view->spectrum()->rate - 50) < 0.1);        // the usual distance
        QCOMPARE(view->spectrum()->points, expected->points);
        QCOMPARE(*view->spectrum()->highest(), *expected->highest());
        QVERIFY(std::abs(view->spectrum()->amplitudes[5] - expected->amplitudes[5]) < 1e-9);
        QVERIFY(view->facts()[1].endsWith(QStringLiteral(" Hz")));
        QVERIFY(view->csv().startsWith(QStringLiteral("hertz,amplitude\n0,0\n")));
        // What the pointer is on.
        QTest::mouseMove(view, view->area().center().toPoint());
        QTRY_VERIFY(view->readout().contains(QStringLiteral(" Hz: ")));
        QVERIFY(!view->grab().isNull());
        // Sampled at another rate; a click on a line draws what it is into the lane of its curve.
        auto* rate = view->tools()->findChild<QComboBox*>(QStringLiteral("spectrumRate"));
        rate->setCurrentIndex(rate->findText(QStringLiteral("20 Hz")));
        Q_EMIT rate->activated(rate->currentIndex());
        QTRY_VERIFY(view->settled() && view->spectrum() && view->spectrum()->rate == 20);
        QCOMPARE(view->save()["rate"].get<double>(), 20.0);
        auto* lanes = window->currentPage()->find<LanesView>();
        const auto laneOf = [&]() -> const Lane* {
            for (const Lane* lane : lanes->lanes())
                for (const Curve& curve : lane->curves())
                    if (curve.source.path == source.path)
                        return lane;
            return nullptr;
        };
        QVERIFY(laneOf() != nullptr);
        const std::size_t line = *view->spectrum()->highest();
        const QPoint at(static_cast<int>(view->area().left()
                                         + view->area().width() * (static_cast<double>(line) + 0.5)
                                               / static_cast<double>(view->spectrum()->amplitudes.size())),
            static_cast<int>(view->area().bottom()) - 4);
        QTest::mouseClick(view, Qt::LeftButton, {}, at);
        QCOMPARE(view->line(), std::optional<std::size_t>(line));
        QVERIFY(std::abs(stage.tone()->hertz - static_cast<double>(line) * view->spectrum()->width) < 1e-9);
        QTRY_VERIFY(laneOf()->tone() != nullptr && laneOf()->tone()->data()->size() > 100);
        double most = -1e9, least = 1e9;
        for (const QCPGraphData& point : *laneOf()->tone()->data()) {
            most = std::max(most, point.value);
            least = std::min(least, point.value);
        }
        QVERIFY(most - least <= 2 * view->spectrum()->amplitudes[line] + 1e-9 && most - least > view->spectrum()->amplitudes[line]);
        QVERIFY(view->facts().join('\n').contains(QStringLiteral("drawn: ")));
        QTest::mouseClick(view, Qt::LeftButton, {}, at);
        QTRY_VERIFY(laneOf()->tone() == nullptr && !view->line());
        QTest::mouseClick(view, Qt::LeftButton, {}, at);
        QVERIFY(view->line());
        QTest::keyClick(view, Qt::Key_Escape);
        QVERIFY(!stage.tone());
        QTest::mouseClick(view, Qt::LeftButton, {}, at);
        stage.setMarks({stage.timeOf(21), stage.timeOf(60)});     // of another stretch it says nothing
        QVERIFY(!stage.tone());
        stage.setMarks({stage.timeOf(20), stage.timeOf(60)});
        // Values and periods: each sample once.
        QTest::mouseClick(window->findChild<QToolButton*>(QStringLiteral("spectrumMode1")), Qt::LeftButton);
        QTRY_VERIFY(view->settled() && view->histogram());
        const auto inside = std::count_if(
            samples.times.begin(), samples.times.end(), [&](Time time) { return time >= stage.timeOf(20) && time <= stage.timeOf(60); });
        QCOMPARE(view->histogram()->all, static_cast<std::uint64_t>(inside));
        QTest::mouseClick(window->findChild<QToolButton*>(QStringLiteral("spectrumMode2")), Qt::LeftButton);
        QTRY_VERIFY(view->settled() && view->histogram() && view->histogram()->all == static_cast<std::uint64_t>(inside) - 1);
        QVERIFY(std::abs(view->histogram()->mean - 0.02) < 1e-4);
        QVERIFY(!view->grab().isNull());
        // Over another curve of the lanes; a click goes to the moment of a pair.
        QTest::mouseClick(window->findChild<QToolButton*>(QStringLiteral("spectrumMode3")), Qt::LeftButton);
        QTRY_VERIFY(view->settled() && !view->pairing().times.empty());
        const nlohmann::json kept = view->save();
        QCOMPARE(kept["mode"].get<std::string>(), std::string("over another"));
        QVERIFY(!view->grab().isNull());
        stage.setCursor(stage.timeOf(100));
        QTest::mouseClick(view, Qt::LeftButton, {}, view->area().center().toPoint());
        QVERIFY(std::find(view->pairing().times.begin(), view->pairing().times.end(), stage.cursor()) != view->pairing().times.end());
        window->closeWithoutAsking();
    }

    void sharesOfTheWindowAndFromAToB()
    {
        auto window = shown(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", demo()));
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready(), 60'000);
        Stage& stage = window->stage();
        QTRY_VERIFY(stage.seconds(stage.newest()) > 119);
        window->showPage(QStringLiteral("Load"));
        auto* view = window->currentPage()->find<SharesView>();
        QVERIFY(view != nullptr && view->isVisible());
        stage.setWindow(stage.timeOf(58), stage.timeOf(66));
        QTRY_VERIFY(view->settled() && view->count() > 5);
        QCOMPARE(view->shares().from, stage.timeOf(58));
        // Each by itself: the frames of the message that the first row names.
        const auto framesOf = [&](const std::string& name, Time from, Time to) {
            std::uint64_t frames = 0;
            const trace::Snapshot& snapshot = stage.snapshot();
            for (trace::Row row = 0; row < snapshot.rows(); ++row)
                if (const can::FrameView frame = snapshot.frame(row); frame.bus == 1 && frame.time >= from && frame.time <= to)
                    if (const auto* message = stage.catalog().find(frame);
                        message != nullptr ? message->message->name == name : can::toText(frame.id) == name)
                        ++frames;
            return frames;
        };
        for (const std::size_t row : {std::size_t{0}, view->count() - 1})
            QCOMPARE(view->shares().shares[row].frames, framesOf(view->shares().shares[row].what, stage.timeOf(58), stage.timeOf(66)));
        // From A to B once both are set; by sender by its button; a row chooses.
        stage.setMarks({stage.timeOf(60), stage.timeOf(61)});
        QTRY_VERIFY(view->settled() && view->shares().to == stage.timeOf(61));
        QCOMPARE(view->shares().shares[0].frames, framesOf(view->shares().shares[0].what, stage.timeOf(60), stage.timeOf(61)));
        QTest::mouseClick(window->findChild<QToolButton*>(QStringLiteral("sharesBysender")), Qt::LeftButton);
        QTRY_VERIFY(view->settled() && view->rowText(0).split('\t')[0].contains(QStringLiteral("Unit")));
        QTest::keyClick(view->focusProxy(), Qt::Key_Down);
        QCOMPARE(stage.selection().kind, Selection::Kind::node);
        QCOMPARE(QString::fromStdString(view->save()["by"].get<std::string>()), QStringLiteral("sender"));
        QTest::mouseClick(window->findChild<QToolButton*>(QStringLiteral("sharesBykind")), Qt::LeftButton);
        QTRY_COMPARE(view->count(), std::size_t{1});
        QVERIFY(view->rowText(0).startsWith(QStringLiteral("data\t")));
        window->closeWithoutAsking();
    }

    void whatIsPromisedStandsBesideTheLoad()
    {
        auto window = shown(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", demo()));
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready(), 60'000);
        Stage& stage = window->stage();
        QTRY_VERIFY(stage.seconds(stage.newest()) > 119);
        window->showPage(QStringLiteral("Load"));
        auto* load = window->currentPage()->find<LoadView>();
        // All buses on one scale; a click on a head chooses one, and the shares and the response times follow.
        QCOMPARE(load->strips().size(), std::size_t{4});
        auto* shares = window->currentPage()->find<SharesView>();
        QTest::mouseClick(load->strips()[3], Qt::LeftButton, {}, QPoint(30, 10));
        QTRY_VERIFY(shares->settled() && shares->count() > 0 && shares->shares().shares[0].bus == 3);
        auto* response = window->currentPage()->find<ResponseView>();
        QVERIFY(response->count() > 0 && response->rowText(0).contains(QStringLiteral("IceProfile")));
        QTest::mouseClick(load->strips()[1], Qt::LeftButton, {}, QPoint(30, 10));
        QTRY_VERIFY(shares->settled() && shares->count() > 0 && shares->shares().shares[0].bus == 1);
        QCOMPARE(load->chosen(), load->strips()[1]);
        for (const LoadStrip* strip : load->strips()) {
            const auto [mean, low, high] = stage.document().measures().read([&](const measure::MeasureState& state) {
                measure::RangeSummary all;
                const auto& bins = state.loads[strip->bus()];
                for (std::int64_t bin = bins.indexOf(stage.windowFrom()) / 20; bin * 20 < bins.indexOf(stage.windowTo()); ++bin)
                    all.add(100.0 * static_cast<double>(bins.busy(20 * bin, 20 * bin + 19)) / 20e6);
                return std::tuple(all.mean(), all.low, all.high);
            });
            QVERIFY(std::abs(strip->seen().mean() - mean) < 0.1 && std::abs(strip->seen().high - high) < 1e-6);
            QVERIFY(strip->seen().low <= low + 1e-6);
        }
        // Each message with a cycle time, as long as it may be: 13 of them at 250 kbit/s.
        double percent = 0;
        for (const auto& message : stage.catalog().messages())
            if (message.bus == 1 && message.message->cycleTime.count() > 0) {
                const unsigned stuffed = 34 + 8 * message.message->length;
                percent += 100.0 * (stuffed + 13 + (stuffed - 1) / 4) * 4000 / static_cast<double>(message.message->cycleTime.count());
            }
        QVERIFY(percent > 15 && percent < 30);
        QVERIFY2(std::abs(load->chosen()->promised() - percent) < 1e-9,
            qPrintable(QStringLiteral("%1 and not %2").arg(load->chosen()->promised()).arg(percent)));
        // What the pointer is on.
        stage.setWindow(stage.timeOf(58), stage.timeOf(66));
        QTRY_VERIFY(std::abs(load->plot()->xAxis->range().lower - 58) < 1e-6);
        const auto hovers = [&] {
            const QPoint at(static_cast<int>(load->plot()->xAxis->coordToPixel(61.34)), load->plot()->axisRect()->center().y());
            QTest::mouseMove(load->plot(), at + QPoint(2, 0));
            QTest::mouseMove(load->plot(), at);
            return load->plot()->readout().size() == 3;
        };
        QTRY_VERIFY(hovers());
        QVERIFY2(load->plot()->readout()[0].startsWith(QStringLiteral("load over 20 ms\t")), qPrintable(load->plot()->readout()[0]));
        QVERIFY(load->plot()->readout()[0].section('\t', 1).section(' ', 0, 0).toDouble() > 80);       // in a burst
        // Darker above what is promised: between two curves, of which one stops there.
        const auto curve = [&](const char* name) {
            for (int i = 0; i < load->plot()->graphCount(); ++i)
                if (load->plot()->graph(i)->name() == QLatin1String(name))
                    return load->plot()->graph(i)->data();
            return QSharedPointer<QCPGraphDataContainer>();
        };
        QCOMPARE(curve("highest")->size(), curve("promised")->size());
        for (int i = 0; i < curve("highest")->size(); ++i)
            QCOMPARE(curve("promised")->at(i)->value, std::min(curve("highest")->at(i)->value, load->chosen()->promised()));
        QVERIFY(curve("long mean")->size() >= 7);
        const QStringList csv = load->csv().split('\n', Qt::SkipEmptyParts);
        QCOMPARE(csv[0], QStringLiteral("time,Chassis load_percent,Implement load_percent,Body load_percent,Scanner load_percent"));
        QVERIFY(std::abs(static_cast<int>(csv.size()) - 401) <= 1);
        window->closeWithoutAsking();
    }

    void burstsAreListedWithWhoTookTheBus()
    {
        auto window = shown(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", demo()));
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready() && window->stage().caughtUp(), 60'000);
        Stage& stage = window->stage();
        window->showPage(QStringLiteral("Load"));
        auto* bursts = window->currentPage()->find<BurstsView>();
        QTRY_VERIFY(bursts->settled() && bursts->count() == 3);
        for (std::size_t i = 0; i < 3; ++i) {
            const QStringList row = bursts->rowText(i).split('\t');
            QCOMPARE(row[0], QStringLiteral("B"));
            QCOMPARE(row[1], QString::number(i + 1));
            // Its frames, one by one.
            const auto& all = stage.events().all();
            std::size_t seen = 0;
            for (const measure::Event& event : all)
                if (event.kind == measure::EventKind::burst && seen++ == i) {
                    std::uint64_t frames = 0;
                    const trace::Snapshot& snapshot = stage.snapshot();
                    for (trace::Row at = 0; at < snapshot.rows(); ++at)
                        if (const can::FrameView frame = snapshot.frame(at);
                            frame.bus == 1 && frame.time >= event.time && frame.time <= event.until)
                            ++frames;
                    QCOMPARE(row[5], QString::number(frames));
                }
            QVERIFY2(row[4].section(' ', 0, 0).toDouble() > 80 && row[6].contains(QStringLiteral(" %, ")), qPrintable(row.join('|')));
        }
        // A row: the cursor, and the shares of it; Enter: all of it in the window.
        bursts->choose(1);
        const measure::Event burst = stage.selection().event;
        QCOMPARE(stage.cursor(), burst.time);
        auto* shares = window->currentPage()->find<SharesView>();
        QTRY_VERIFY(shares->settled() && shares->shares().from == burst.time && shares->shares().to == burst.until);
        QTest::keyClick(bursts->focusProxy(), Qt::Key_Return);
        QVERIFY(
            stage.windowFrom() < burst.time && stage.windowTo() > burst.until && stage.windowTo() - stage.windowFrom() < Time(500'000'000));
        // Elsewhere the shares are of the window again.
        stage.setCursor(stage.timeOf(20));
        stage.setWindow(stage.timeOf(10), stage.timeOf(30));
        QTRY_VERIFY(shares->settled() && shares->shares().from == stage.timeOf(10));
        window->closeWithoutAsking();
    }

    void boxesWidthsAndFormerWindows()
    {
        auto window = shown(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", demo()));
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready(), 60'000);
        window->showPage(QStringLiteral("Analyse"));
        Stage& stage = window->stage();
        QTRY_VERIFY(stage.seconds(stage.newest()) > 119);       // the views have made themselves anew for all of it
        auto* lanes = window->currentPage()->find<LanesView>();
        const auto plot = [&] { return lanes->lanes()[0]->plot(); };     // lanes may be made anew
        stage.setCursor(stage.timeOf(30));
        const auto window0 = std::pair(stage.windowFrom(), stage.windowTo());
        QTRY_VERIFY(std::abs(plot()->xAxis->range().upper - stage.seconds(window0.second)) < 1e-6);
        const auto at = [&](double seconds) {
            return QPoint(static_cast<int>(std::lround(plot()->xAxis->coordToPixel(seconds))), plot()->axisRect()->center().y());
        };
        const QPoint to = at(60);
        QTest::mousePress(plot(), Qt::LeftButton, Qt::ControlModifier, at(20));
        QTest::mouseMove(plot(), to);
        QTest::mouseRelease(plot(), Qt::LeftButton, Qt::ControlModifier, to);
        QVERIFY(std::abs(stage.seconds(stage.windowFrom()) - 20) < 0.5 && std::abs(stage.seconds(stage.windowTo()) - 60) < 0.5);
        QCOMPARE(stage.cursor(), stage.timeOf(30));
        const auto boxed = std::pair(stage.windowFrom(), stage.windowTo());
        window->findChild<QToolButton*>(QStringLiteral("wide10"))->click();
        QCOMPARE(stage.windowTo() - stage.windowFrom(), Time(std::chrono::seconds(10)));
        QCOMPARE(stage.windowFrom(), stage.timeOf(25));
        const auto back = [&](bool is) { QTest::keyClick(lanes->lanes()[0]->plot(), is ? Qt::Key_Left : Qt::Key_Right, Qt::AltModifier); };
        back(true);
        QCOMPARE(std::pair(stage.windowFrom(), stage.windowTo()), boxed);
        back(true);
        QCOMPARE(std::pair(stage.windowFrom(), stage.windowTo()), window0);
        back(false);
        back(false);
        QCOMPARE(stage.windowFrom(), stage.timeOf(25));
        QTest::keyClick(lanes, Qt::Key_0);
        QCOMPARE(std::pair(stage.windowFrom(), stage.windowTo()), std::pair(stage.wholeFrom(), stage.wholeTo()));
        QTest::keyClick(lanes, Qt::Key_Home);
        QCOMPARE(stage.cursor(), stage.wholeFrom());
        window->closeWithoutAsking();
    }

    // The words of the window are where another is typed; what cannot be shown stays there with the reason.
    void anotherWindowIsTyped()
    {
        auto window = shown(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", demo()));
        QTRY_VERIFY_WITH_TIMEOUT(window->document().ready(), 60'000);
        window->showPage(QStringLiteral("Analyse"));
        Stage& stage = window->stage();
        QTRY_VERIFY(stage.seconds(stage.newest()) > 119);
        auto* lanes = window->currentPage()->find<LanesView>();
        auto* words = window->findChild<WindowField*>(QStringLiteral("lanesWindow"));
        const auto type = [&](const char* text) {
            QTest::keyClicks(words->field(), QString::fromUtf8(text));
            QTest::keyClick(words->field(), Qt::Key_Return);
        };
        const auto from = [&] { return stage.seconds(stage.windowFrom()); };
        const auto to = [&] { return stage.seconds(stage.windowTo()); };

        QTest::mouseClick(words, Qt::LeftButton);
        QVERIFY(words->field() != nullptr && words->field()->isVisible());
        QCOMPARE(words->field()->selectedText(), words->text());
        type("0:44 to 50.5");
        QCOMPARE(stage.windowFrom(), stage.timeOf(44));
        QCOMPARE(stage.windowTo(), stage.timeOf(50.5));
        QTRY_COMPARE(words->text(), QStringLiteral("44.00 to 50.50 s"));
        QTRY_VERIFY(words->field() == nullptr);

        // The key of the lanes opens it too, and Escape leaves all as it was.
        lanes->setFocus();
        QTest::keyClick(lanes, Qt::Key_W);
        QVERIFY(words->field() != nullptr);
        QTest::keyClicks(words->field(), QStringLiteral("1 to 2"));
        QTest::keyClick(words->field(), Qt::Key_Escape);
        QCOMPARE(from(), 44.0);
        QTRY_VERIFY(words->field() == nullptr);

        words->click();
        type("50 to 44");
        QVERIFY(words->field() != nullptr && words->field()->isVisible());
        QVERIFY2(words->field()->problem().contains(QLatin1String("behind the beginning")), qPrintable(words->field()->problem()));
        words->field()->selectAll();
        type("500 to 600");
        QVERIFY2(words->field()->problem().contains(QLatin1String("it goes from 0.0 s to 120.0 s")), qPrintable(words->field()->problem()));
        QCOMPARE(from(), 44.0);
        words->field()->selectAll();
        type("100 to 500");         // as much of it as there is
        QCOMPARE(stage.windowFrom(), stage.timeOf(100));
        QCOMPARE(stage.windowTo(), stage.wholeTo());
        QTRY_VERIFY(words->field() == nullptr);

        stage.setCursor(stage.timeOf(110));
        words->click();
        type("4 s");
        QCOMPARE(from(), 108.0);
        QCOMPARE(to(), 112.0);
        QTRY_VERIFY(words->field() == nullptr);
        QSignalSpy told(&stage, &Stage::told);
        words->click();
        type("47 to 47.000000001");
        QCOMPARE(stage.windowTo() - stage.windowFrom(), Stage::narrowestWindow);
        QVERIFY(told.last().first().toString().contains(QLatin1String("1 us")));
        QTRY_VERIFY(words->text().startsWith(QLatin1String("46.9999995")));
        QTRY_VERIFY(words->field() == nullptr);
        words->click();
        type("0 to 87600 h");       // ten years
        QCOMPARE(std::pair(stage.windowFrom(), stage.windowTo()), std::pair(stage.wholeFrom(), stage.wholeTo()));
        QTest::keyClick(lanes, Qt::Key_Left, Qt::AltModifier);
        QCOMPARE(stage.windowTo() - stage.windowFrom(), Stage::narrowestWindow);
        window->closeWithoutAsking();
    }

private:
    static void stageUndo(MainWindow& window) { window.stage().timing().undoStack().undo(); }
};

QTEST_MAIN(SeeingTest)
#include "seeing_test.moc"
