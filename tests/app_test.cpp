// SPDX-License-Identifier: GPL-3.0-or-later
// The real window, driven with mouse and keys through the work of a first day: watch, find and plot, filter, go back
// to a moment, save and open, replay.
#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QDropEvent>
#include <QElapsedTimer>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QScrollBar>
#include <QSplitter>
#include <QTemporaryDir>
#include <QTest>
#include <QUrl>

#include <cmath>

#include "answers.h"
#include "app/events/events_view.h"
#include "app/inspector/inspector_view.h"
#include "app/keeping/keeping_options.h"
#include "app/lanes/lanes_view.h"
#include "app/load/load_view.h"
#include "app/nodes/nodes_view.h"
#include "app/playback/playback_view.h"
#include "app/roster/roster_view.h"
#include "app/shell/main_window.h"
#include "app/shell/status_line.h"
#include "app/shell/timeline.h"
#include "app/stream/stream_view.h"
#include "app/theme/theme.h"
#include "formats/log_file.h"
#include "formats/trace_sink.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

constexpr double pace = 20;

void dropOn(QWidget* target, QMimeData* mime, QPoint at)
{
    QDragEnterEvent enter(at, Qt::CopyAction | Qt::MoveAction, mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(target, &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent drop(at, Qt::CopyAction | Qt::MoveAction, mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(target, &drop);
}

QMimeData* signalMimeOf(const QString& path)
{
    auto* mime = new QMimeData;
    mime->setData(QLatin1String(signalMime), path.toUtf8());
    return mime;
}

std::unique_ptr<RunDocument> demoRun()
{
    const auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
    if (!rig)
        qFatal("%s", rig.error().text().c_str());
    auto document = liveRun(*rig, pace);
    if (!document)
        qFatal("%s", document.error().text().c_str());
    return std::move(*document);
}

std::string lapPath()
{
    // A lap short enough for a test, made by the same rig that makes the demo's.
    static QTemporaryDir folder;
    static const std::string path = [] {
        const std::string file = folder.filePath("lap.pcapng").toStdString();
        const auto rig = rig::loadRig(WAVETROPE_DEMO "/lap.json");
        rig::SessionOptions options;
        options.measured = false;
        auto session = rig::Session::create(*rig, rig::loadDatabases(*rig), options);
        if (!session || !(*session)->record(file))
            qFatal("no lap");
        (*session)->runFor(std::chrono::seconds(48), nullptr);
        if (!(*session)->finishRecording())
            qFatal("no lap");
        return file;
    }();
    return path;
}

}  // namespace

class AppTest : public QObject {
    Q_OBJECT
    MainWindow* window_ = nullptr;
    QTemporaryDir folder_;

    double seconds() { return window_->stage().seconds(window_->stage().newest()); }
    template <class T>
    T* view(const char* page)
    {
        window_->showPage(QString::fromLatin1(page));
        return window_->currentPage()->find<T>();
    }

private Q_SLOTS:
    void initTestCase()
    {
        Theme::get().choose(ThemeName::paper);
        window_ = new MainWindow(demoRun());
        window_->show();
        QVERIFY(QTest::qWaitForWindowExposed(window_));
    }
    void cleanupTestCase()
    {
        window_->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), 0U);
    }

    // 1. The window opens on the running rig.
    void theWindowShowsTheRunningRigAtOnce()
    {
        auto* roster = view<RosterView>("Watch");
        QVERIFY(roster != nullptr);
        QTRY_VERIFY(roster->rows()->shown().size() >= 35);
        const auto rows = window_->stage().snapshot().rows();
        QTRY_VERIFY(window_->stage().snapshot().rows() > rows + 1000);
        QVERIFY(window_->stage().following());
        QTRY_VERIFY(
            window_->statusText().contains(QStringLiteral(" 0 lost")) && window_->statusText().contains(QStringLiteral("identifiers")));
        // The ridges of the four buses lie apart and have at least 12 pixels each.
        for (unsigned bus = 0; bus < 4; ++bus)
            QVERIFY(window_->timeline()->ridge(bus).height() >= 12);
        QVERIFY(roster->rows()->rowText(0).startsWith(QStringLiteral("Chassis\t0x0C1\tTractionState")));
    }

    // 2. A few letters find the signal; Enter and dragging plot it.
    void aSignalIsFoundByTypingAndPlottedWithEnterAndDrag()
    {
        auto* lanes = view<LanesView>("Analyse");
        lanes->arrange({});
        QCOMPARE(lanes->lanes().size(), 0U);
        QApplication::setActiveWindow(window_);
        QTest::keyClick(window_, Qt::Key_L, Qt::ControlModifier);
        QTRY_VERIFY(window_->rigTree()->findBox()->hasFocus());
        QTest::keyClicks(window_->rigTree()->findBox(), QStringLiteral("bladede"));
        QCOMPARE(window_->rigTree()->tree()->currentItem()->text(0), QStringLiteral("BladeDepth"));
        QTest::keyClick(window_->rigTree()->findBox(), Qt::Key_Return);
        QCOMPARE(lanes->arrangement().size(), 1U);
        QCOMPARE(lanes->arrangement()[0][0], QStringLiteral("Implement:BladeState.BladeDepth"));

        // One into the same lane, two into lanes of their own.
        dropOn(lanes->lanes()[0], signalMimeOf(QStringLiteral("Scanner:LevelRequest.WantedDepth")), lanes->lanes()[0]->rect().center());
        QTRY_COMPARE(lanes->arrangement()[0].size(), 2U);
        // At the upper edge of a lane it goes into a lane of its own above; undone as one step.
        dropOn(lanes->lanes()[0], signalMimeOf(QStringLiteral("Implement:WaterState.TankLevel")), QPoint(60, 2));
        QTRY_COMPARE(lanes->arrangement().size(), 2U);
        QCOMPARE(lanes->arrangement()[0][0], QStringLiteral("Implement:WaterState.TankLevel"));
        lanes->setFocus();
        QTest::keyClick(window_, Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(lanes->arrangement().size(), 1U);
        dropOn(lanes, signalMimeOf(QStringLiteral("Chassis:SteeringAngle.Articulation")), QPoint(60, 60));
        dropOn(lanes, signalMimeOf(QStringLiteral("Implement:BladeState.CylinderPressure")), QPoint(60, 60));
        QCOMPARE(lanes->arrangement().size(), 3U);
        QTRY_VERIFY(lanes->lanes()[1]->curves()[0].series->size() > 100);
        QTRY_VERIFY(lanes->lanes()[0]->curves()[0].graph->data()->size() > 20);

        // Undo and redo.
        lanes->setFocus();
        QTest::keyClick(window_, Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(lanes->arrangement().size(), 2U);
        QTest::keyClick(window_, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(lanes->arrangement().size(), 3U);
        // One that is drawn already is told, and shown where it is.
        window_->rigTree()->findBox()->setFocus();
        QTest::keyClick(window_->rigTree()->findBox(), Qt::Key_Return);
        QCOMPARE(lanes->arrangement().size(), 3U);
        QCOMPARE(window_->findChild<StatusLine*>()->state(), QStringLiteral("BladeDepth is drawn already, in lane 1"));
        QCOMPARE(window_->stage().selection().id.value, 0x181U);
        // Heads are as wide as their names and values want, and all alike; the plots begin where they end.
        lanes->arrange({{QStringLiteral("Implement:BladeState.BladeDepth"), QStringLiteral("Scanner:LevelRequest.WantedDepth"),
                            QStringLiteral("Implement:BladeState.CylinderPressure"), QStringLiteral("Implement:BladeState.Chatter")},
            {QStringLiteral("Chassis:SteeringAngle.Articulation")}, {QStringLiteral("Implement:WaterState.TankLevel")}});
        const auto headOf = [](Lane* lane) { return lane->head()->width(); };
        QTRY_VERIFY(headOf(lanes->lanes()[0]) >= lanes->lanes()[0]->head()->wantedWidth()
                    || headOf(lanes->lanes()[0]) >= lanes->width() * 3 / 10 - 1);
        QCOMPARE(headOf(lanes->lanes()[1]), headOf(lanes->lanes()[0]));
        QTest::keyClick(window_->rigTree()->findBox(), Qt::Key_Escape);
        QVERIFY(window_->rigTree()->findBox()->text().isEmpty());
    }

    // However fast the run goes, what is said is what its buses carry; how fast it goes stands beside.
    void theRateIsThatOfTheBuses()
    {
        const QRegularExpression said(QStringLiteral("([\\d,]+) frames/s( at \\S+ times the pace)?"));
        const auto rate = [&] {
            const auto match = said.match(window_->statusText());
            return match.hasMatch() ? match.captured(1).remove(QLatin1Char(',')).toInt() : 0;
        };
        QTRY_VERIFY(rate() > 500);
        QVERIFY2(rate() < 6000, qPrintable(window_->statusText()));
        QTRY_VERIFY2(window_->statusText().contains(QStringLiteral("times the pace")), qPrintable(window_->statusText()));
    }

    void whatTheTreeShowsCanBeDraggedOut()
    {
        auto* tree = window_->rigTree()->tree();
        QTest::keyClicks(window_->rigTree()->findBox(), QStringLiteral("SideTilt"));
        QVERIFY(tree->dragEnabled());
        std::unique_ptr<QMimeData> mime(tree->model()->mimeData({tree->currentIndex()}));
        QVERIFY(mime != nullptr);
        QCOMPARE(QString::fromUtf8(mime->data(QLatin1String(signalMime))), QStringLiteral("Implement:BladeState.SideTilt"));
        QTest::keyClick(window_->rigTree()->findBox(), Qt::Key_Escape);
    }

    // What is shown of a signal, a message or a node has a menu wherever it is shown.
    void treeInspectorAndNodesHaveMenus()
    {
        const auto open = [&](QWidget* widget, const QPoint& at) {
            QContextMenuEvent asked(QContextMenuEvent::Mouse, at, widget->mapToGlobal(at));
            QApplication::sendEvent(widget, &asked);
        };
        const auto trigger = [&](const char* menu, const char* action) {
            auto* popup = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            QVERIFY(popup != nullptr);
            QCOMPARE(popup->objectName(), QLatin1String(menu));
            auto* chosen = popup->findChild<QAction*>(QLatin1String(action));
            if (chosen == nullptr)
                for (QAction* one : popup->actions())
                    if (one->objectName() == QLatin1String(action))
                        chosen = one;
            QVERIFY2(chosen != nullptr, action);
            chosen->trigger();
            popup->close();
        };
        auto* lanes = view<LanesView>("Analyse");
        lanes->arrange({});
        auto* tree = window_->rigTree()->tree();
        QTest::keyClicks(window_->rigTree()->findBox(), QStringLiteral("SideTilt"));
        open(tree->viewport(), tree->visualItemRect(tree->currentItem()).center());
        trigger("treeMenu", "plotSignalOfMenu");
        QTRY_COMPARE(lanes->arrangement().size(), 1U);
        QCOMPARE(lanes->arrangement()[0][0], QStringLiteral("Implement:BladeState.SideTilt"));
        // The inspector explains the same, and offers the same.
        auto* inspector = window_->findChild<Inspector*>();
        open(inspector, QPoint(40, 8));
        trigger("inspectorMenu", "copyName");
        QCOMPARE(QApplication::clipboard()->text(), QStringLiteral("BladeState.SideTilt"));
        open(inspector, QPoint(40, 8));
        trigger("inspectorMenu", "copyInspector");
        QVERIFY(QApplication::clipboard()->text().contains(QStringLiteral("SideTilt")));
        auto* stream = view<StreamView>("Watch");
        QTest::keyClicks(window_->rigTree()->findBox(), {});
        open(tree->viewport(), tree->visualItemRect(tree->currentItem()).center());
        trigger("treeMenu", "showOnly");
        QTRY_COMPARE(stream->filterLine()->filter().text(), std::string("id 0x181 and bus \"Implement\""));
        stream->filterLine()->setText({});
        QTest::keyClick(window_->rigTree()->findBox(), Qt::Key_Escape);
        // A node, in its row.
        auto* nodes = view<NodesView>("Drive");
        QTRY_VERIFY(!nodes->pillOf(QStringLiteral("WaterUnit")).isEmpty());
        const QPoint row(20, nodes->pillOf(QStringLiteral("WaterUnit")).center().toPoint().y());
        const auto isOn = [&] {
            for (const auto& report : window_->document().session()->nodeReports())
                if (report.name == "WaterUnit")
                    return report.on;
            return false;
        };
        open(nodes, row);
        trigger("nodesMenu", "place2");
        QTRY_VERIFY(!isOn());
        nodes->undoStack()->undo();
        QTRY_VERIFY(isOn());
        QCOMPARE(window_->stage().selection().node, QStringLiteral("WaterUnit"));
    }

    // What is chosen in one view is marked in the others.
    void anEventThatIsChosenOnTheTimelineIsMarkedInItsList()
    {
        auto* events = view<EventsView>("Analyse");
        QVERIFY(events != nullptr);
        for (Pane* pane : window_->currentPage()->panes())
            if (pane->count() > 1)
                pane->setCurrent(pane->count() - 1);
        QTRY_VERIFY(events->count() > 0);
        auto* timeline = window_->findChild<Timeline*>();
        const measure::Event event = events->eventAt(0);
        const QPoint at(static_cast<int>(timeline->xOf(event.time)), 8);
        QTest::mouseClick(timeline, Qt::LeftButton, {}, at);
        QCOMPARE(window_->stage().selection().kind, Selection::Kind::event);
        QTRY_VERIFY(events->chosen() >= 0);
        const measure::Event& marked = events->eventAt(static_cast<std::size_t>(events->chosen()));
        QCOMPARE(marked.time, window_->stage().selection().event.time);
        QCOMPARE(marked.text, window_->stage().selection().event.text);
        // Another selection takes the mark away.
        Selection node;
        node.kind = Selection::Kind::node;
        node.node = QStringLiteral("WaterUnit");
        window_->stage().select(node);
        QTRY_COMPARE(events->chosen(), -1);
        for (Pane* pane : window_->currentPage()->panes())
            if (pane->count() > 1)
                pane->setCurrent(0);
        window_->stage().now();
    }

    // 3. A filter says how many frames match, and where it is mistyped.
    void aFilterCountsWhileTypingAndNamesItsMistakes()
    {
        auto* stream = view<StreamView>("Watch");
        QLineEdit* edit = stream->filterLine()->edit();
        edit->setFocus();
        edit->selectAll();
        QTest::keyClicks(edit, QStringLiteral("from WaterUnit and not id 0x702"));
        QTRY_COMPARE(stream->filterLine()->filter().text(), std::string("from WaterUnit and not id 0x702"));
        QTRY_VERIFY(stream->filterLine()->message().contains(QStringLiteral("frames match")) && stream->scan() != nullptr
                    && stream->scan()->size() > 10);
        for (std::size_t i = 0; i < stream->scan()->size(); i += 7) {
            const auto frame = window_->stage().snapshot().frame(stream->scan()->row(i));
            QVERIFY(frame.id.value == 0x182 || frame.id.value == 0x282 || frame.id.value == 0x382);
        }
        const auto before = stream->filterLine()->filter().text();
        QTest::keyClicks(edit, QStringLiteral(" adn"));
        QTRY_VERIFY(stream->filterLine()->message().startsWith(QStringLiteral("column 33: expected 'and'")));
        QVERIFY(edit->property("wrong").toBool());
        QCOMPARE(stream->filterLine()->filter().text(), before);  // the last good filter stays
        edit->selectAll();
        QTest::keyClicks(edit, QStringLiteral("BladeState.BladeDepth > 2 mm"));
        QTRY_VERIFY(stream->filterLine()->message().contains(QStringLiteral("frames match")));
        QVERIFY(!edit->property("wrong").toBool());
        // Half a word is no mistake while words are offered; it is one when they are sent away.
        const QString count = stream->filterLine()->message();
        QTest::keyClicks(edit, QStringLiteral(" or Bla"));
        QVERIFY(!stream->filterLine()->offered().isEmpty());
        QTest::qWait(300);
        QVERIFY(!edit->property("wrong").toBool());
        QVERIFY2(stream->filterLine()->message().contains(QStringLiteral("frames match")), qPrintable(count));
        QTest::keyClick(QApplication::activePopupWidget(), Qt::Key_Escape);
        QApplication::setActiveWindow(window_);
        QTRY_VERIFY(edit->property("wrong").toBool());
        QVERIFY(stream->filterLine()->message().startsWith(QStringLiteral("column 33")));
        edit->clear();
        QTRY_VERIFY(stream->scan() == nullptr);
    }

    void whatMatchesIsMarkedOnTheTimelineOfARunningRig()
    {
        auto* stream = view<StreamView>("Watch");
        stream->filterLine()->setText(QStringLiteral("id 0x181"));
        Stage& stage = window_->stage();
        QTRY_VERIFY(stage.matches() != nullptr && stage.matches()->size() > 20);
        // Every stretch of a second holds some: one message comes each 20 ms.
        QTRY_VERIFY(seconds() > 3);
        const auto marks = [&](double from, double to) {
            return stage.matches()->times().marks(stage.timeOf(from), stage.timeOf(to), static_cast<std::size_t>(to - from) * 2);
        };
        QTRY_VERIFY(marks(0, 3) == std::vector<bool>(6, true));
        QVERIFY(marks(-4, 0) == std::vector<bool>(8, false));
        // On the strip they are painted in the accent, as far as the run goes.
        auto* timeline = window_->findChild<Timeline*>();
        const auto painted = [&] {
            const QImage image = timeline->grab().toImage();
            const double ratio = image.devicePixelRatio();
            const auto at = [&](double second) {
                return image.pixelColor(
                    static_cast<int>(timeline->xOf(stage.timeOf(second)) * ratio), static_cast<int>((Theme::get().px(16) - 2) * ratio));
            };
            return at(1.5) == Theme::get().accent && at(seconds() + 20) != Theme::get().accent;
        };
        QTRY_VERIFY(painted());
        stream->filterLine()->setText({});
        QVERIFY(stage.matches() == nullptr);
    }

    void aLogCanBeLookedAtWhileItIsStillRead()
    {
        // A long log: the lap's frames again and again, each time later.
        const QString path = folder_.filePath(QStringLiteral("long.pcapng"));
        {
            trace::Trace lap;
            formats::TraceSink sink(lap);
            QVERIFY(formats::readLogFile(lapPath(), sink).has_value());
            auto file = formats::LogFile::create(path.toStdString(), lap.buses());
            QVERIFY(file.has_value());
            const trace::Snapshot all = lap.snapshot();
            const Time lasts = all.latest() - all.earliest() + std::chrono::milliseconds(1);
            for (int round = 0; round < 40; ++round)
                for (trace::Row row = 0; row < all.rows(); ++row) {
                    can::FrameView frame = all.frame(row);
                    frame.time += lasts * round;
                    (*file)->write(frame);
                }
            QVERIFY((*file)->finish().has_value());
        }
        MainWindow* log = MainWindow::openFile(path, window_->document().rig(), nullptr);
        QVERIFY(log != nullptr);
        log->show();
        // The first rows are there, explained by the databases, while the rest is on its way.
        QTRY_VERIFY_WITH_TIMEOUT(log->stage().snapshot().rows() > 0, 30'000);
        const bool early = !log->document().ready();
        const std::uint64_t first = log->stage().snapshot().rows();
        QVERIFY(log->stage().catalog().anyDatabase());
        QVERIFY(log->document().begun());
        if (early)
            QVERIFY(log->statusText().contains(QStringLiteral("reading")) || log->document().ready()
                    || log->statusText().contains(QStringLiteral("Reading")));
        QTRY_VERIFY_WITH_TIMEOUT(log->document().ready() && log->stage().snapshot().rows() == log->document().trace().rows(), 60'000);
        QVERIFY(log->stage().snapshot().rows() >= first);
        QVERIFY2(early, "the whole log was read before anything was shown");
        // It fills the window, and the cursor stands at its end.
        QTRY_COMPARE(log->stage().windowFrom(), log->stage().wholeFrom());
        QTRY_COMPARE(log->stage().windowTo(), log->stage().wholeTo());
        QTRY_COMPARE(log->stage().cursor(), log->stage().newest());
        log->closeWithoutAsking();
    }

    void aBusThatAppearsLateInALogIsTakenIn()
    {
        // Two sections one behind the other; the second brings a bus of its own.
        const auto section = [&](const char* name, const char* bus, int frames, std::int64_t from) {
            const QString path = folder_.filePath(QLatin1String(name));
            const std::vector<trace::TraceBus> buses{{bus, {500'000, 0}}};
            auto file = formats::LogFile::create(path.toStdString(), buses);
            for (int i = 0; i < frames; ++i) {
                can::Frame frame;
                frame.id = {0x181, false};
                frame.length = 8;
                frame.dlc = 8;
                frame.time = Time(from + i * 100'000LL);
                (*file)->write(frame.view());
            }
            if (!(*file)->finish())
                qFatal("no log");
            QFile read(path);
            return read.open(QIODevice::ReadOnly) ? read.readAll() : QByteArray();
        };
        const QByteArray first = section("one.pcapng", "Implement", 90'000, 1'000'000'000'000);
        const QByteArray second = section("two.pcapng", "Attic", 90'000, 1'009'000'000'000);
        QFile both(folder_.filePath(QStringLiteral("both.pcapng")));
        QVERIFY(both.open(QIODevice::WriteOnly));
        both.write(first + second);
        both.close();
        MainWindow* log = MainWindow::openFile(both.fileName(), window_->document().rig(), nullptr);
        QVERIFY(log != nullptr);
        log->show();
        QTRY_VERIFY_WITH_TIMEOUT(log->document().ready() && log->stage().snapshot().rows() == 180'000, 30'000);
        QCOMPARE(log->document().buses().size(), std::size_t{2});
        QCOMPARE(log->stage().catalog().busCount(), std::size_t{2});
        QVERIFY(log->stage().catalog().find(0, {0x181, false}) != nullptr);
        QVERIFY(log->stage().catalog().find(1, {0x181, false}) == nullptr);
        QCOMPARE(log->document().measures().read([](const measure::MeasureState& s) { return s.rows; }), std::uint64_t{180'000});
        QCOMPARE(log->document().measures().read([](const measure::MeasureState& s) { return s.loads.size(); }), std::size_t{2});
        log->closeWithoutAsking();
    }

    void readingIsEndedByEscapeAndWhatWasReadStays()
    {
        const QString path = folder_.filePath(QStringLiteral("long.pcapng"));
        QVERIFY(QFile::exists(path));
        MainWindow* log = MainWindow::openFile(path, window_->document().rig(), nullptr);
        QVERIFY(log != nullptr);
        QString said;
        QTimer answer;
        connect(&answer, &QTimer::timeout, this, [&] {
            if (auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget())) {
                said = box->text();
                box->accept();
            }
        });
        answer.start(20);
        log->show();
        QTRY_VERIFY_WITH_TIMEOUT(log->stage().snapshot().rows() > 0, 30'000);
        QTest::keyClick(log->findChild<Timeline*>(), Qt::Key_Escape);
        QTRY_VERIFY_WITH_TIMEOUT(log->document().ready() && !said.isEmpty(), 30'000);
        QVERIFY(said.contains(QStringLiteral("cancelled")));
        const std::uint64_t rows = log->document().trace().rows();
        QVERIFY(rows > 0);
        QTRY_COMPARE(log->stage().snapshot().rows(), rows);
        QCOMPARE(log->document().measures().read([](const measure::MeasureState& s) { return s.rows; }), rows);
        log->closeWithoutAsking();
    }

    void theRosterIsFilteredAndChosenByKey()
    {
        auto* roster = view<RosterView>("Watch");
        roster->filterLine()->edit()->setFocus();
        roster->filterLine()->edit()->selectAll();
        QTest::keyClicks(roster->filterLine()->edit(), QStringLiteral("bus Body"));
        QTRY_VERIFY(roster->filterLine()->message().contains(QStringLiteral(" of ")) && roster->rows()->shown().size() < 35);
        roster->rows()->setFocus();
        QTest::keyClick(roster->rows(), Qt::Key_Home);
        QTest::keyClick(roster->rows(), Qt::Key_Down);
        QCOMPARE(window_->stage().selection().kind, Selection::Kind::message);
        QCOMPARE(window_->stage().selection().bus, std::uint8_t{2});
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("Seen so far: ")));
        QVERIFY(window_->inspector()->text().contains(QStringLiteral("On the wire: ")));
        roster->filterLine()->edit()->clear();
    }

    void scrollingBackRestsTheViewsWhileCaptureGoesOn()
    {
        auto* stream = view<StreamView>("Watch");
        window_->stage().now();
        QTRY_VERIFY(stream->rows()->count() > 1000);
        stream->rows()->verticalScrollBar()->triggerAction(QAbstractSlider::SliderPageStepSub);
        QVERIFY(!window_->stage().following());
        const auto top = stream->rows()->top();
        const auto rows = window_->stage().snapshot().rows();
        QTRY_VERIFY(window_->stage().snapshot().rows() > rows + 2000);
        QCOMPARE(stream->rows()->top(), top);
        QTest::keyClick(window_, Qt::Key_Space);
        QVERIFY(window_->stage().following());
    }

    // 4. A click on the load peak at second 60 takes everything there; Space comes back.
    void aClickOnThePeakTakesEveryViewToThatMoment()
    {
        QElapsedTimer timer;
        timer.start();
        while (seconds() < 66 && timer.elapsed() < 30'000)
            QTest::qWait(20);
        QVERIFY(seconds() >= 66);
        Timeline* timeline = window_->timeline();
        Stage& stage = window_->stage();
        stage.zoom(40, stage.newest());  // its edges are elsewhere, however far the run is
        const double x = timeline->xOf(stage.timeOf(60.05));
        QTest::mouseClick(timeline, Qt::LeftButton, Qt::NoModifier,
            QPoint(static_cast<int>(std::round(x)), static_cast<int>(timeline->ridge(1).center().y())));
        QVERIFY(!stage.following());
        const double at = stage.seconds(stage.cursor());
        QVERIFY2(at > 59.9 && at < 63.2, std::to_string(at).c_str());     // one of its three peaks: a long run puts them close together
        const auto rows = stage.snapshot().rows();

        auto* load = view<LoadView>("Analyse");
        QTRY_VERIFY(load->isVisible());
        stage.setWindow(stage.timeOf(56), stage.timeOf(66));
        // At any zoom the names of bursts stand clear of each other.
        std::size_t named = 0;
        for (const auto& [from, to] : {std::pair{30.0, 66.0}, std::pair{56.0, 66.0}, std::pair{59.0, 64.0}, std::pair{59.9, 60.3}}) {
            stage.setWindow(stage.timeOf(from), stage.timeOf(to));
            QTRY_VERIFY(
                std::abs(load->plot()->xAxis->range().lower - from) < 1e-6 && std::abs(load->plot()->xAxis->range().upper - to) < 1e-6);
            load->plot()->replot();
            std::vector<QRectF> names;
            for (int i = 0; i < load->plot()->itemCount(); ++i)
                if (auto* text = qobject_cast<QCPItemText*>(load->plot()->item(i));
                    text != nullptr && text->visible() && !text->text().isEmpty())
                    names.emplace_back(text->topLeft->pixelPosition(), text->bottomRight->pixelPosition());
            for (std::size_t i = 0; i < names.size(); ++i)
                for (std::size_t k = i + 1; k < names.size(); ++k)
                    QVERIFY2(!names[i].intersects(names[k]), qPrintable(QStringLiteral("%1 to %2").arg(from).arg(to)));
            named += names.size();
        }
        QVERIFY(named >= 4);
        stage.setWindow(stage.timeOf(56), stage.timeOf(66));
        // A click in the load plot lands on a frame of the burst.
        TimePlot* plot = load->plot();
        QTRY_VERIFY(std::abs(plot->xAxis->range().lower - 56) < 1e-6 && std::abs(plot->xAxis->range().upper - 66) < 1e-6);
        QTest::mouseClick(plot, Qt::LeftButton, Qt::NoModifier,
            QPoint(static_cast<int>(plot->xAxis->coordToPixel(60.04)), static_cast<int>(plot->yAxis->coordToPixel(50))));
        QTRY_VERIFY(load->loadAtCursor() >= 85);
        QTRY_COMPARE(stage.selection().bus, std::uint8_t{1});

        auto* stream = view<StreamView>("Watch");
        const auto shown = [&] {
            const std::uint64_t index = stream->rows()->indexOf(stage.cursorRow());
            return index >= stream->rows()->top()
                   && index <= stream->rows()->top() + static_cast<std::uint64_t>(stream->rows()->visibleRows());
        };
        QTRY_VERIFY(shown());
        QVERIFY(std::abs(stage.seconds(stage.snapshot().time(stage.cursorRow())) - stage.seconds(stage.cursor())) < 0.01);
        QTRY_VERIFY(stage.snapshot().rows() > rows);  // nothing stopped capturing meanwhile
        stream->rows()->setFocus();
        QTest::keyClick(stream->rows(), Qt::Key_Space);
        QVERIFY(stage.following());
        QVERIFY(stage.seconds(stage.cursor()) > 66);
    }

    void aPeakIsHitThoughTheWholeRunIsLong()
    {
        QElapsedTimer timer;
        timer.start();
        while (seconds() < 190 && timer.elapsed() < 30'000)
            QTest::qWait(20);
        Timeline* timeline = window_->timeline();
        Stage& stage = window_->stage();
        QVERIFY(stage.seconds(stage.wholeTo()) > 250);
        const double x = timeline->xOf(stage.timeOf(61.35));
        QTest::mouseClick(timeline, Qt::LeftButton, Qt::NoModifier,
            QPoint(static_cast<int>(std::round(x)), static_cast<int>(timeline->ridge(1).center().y())));
        const double load = stage.document().measures().read([&](const measure::MeasureState& state) {
            const std::int64_t bin = state.loads[1].indexOf(stage.cursor()) / 100 * 100;
            return static_cast<double>(state.loads[1].busy(bin, bin + 99)) / 1e6;
        });
        QVERIFY2(load > 90, qPrintable(QStringLiteral("%1 % at %2 s").arg(load).arg(stage.seconds(stage.cursor()))));
        stage.now();
    }

    void eventsAreListedAndLeadToTheirMoment()
    {
        auto* load = view<LoadView>("Analyse");
        Q_UNUSED(load)
        for (Pane* pane : window_->currentPage()->panes())
            if (pane->count() > 1)
                pane->setCurrent(pane->count() - 1);
        auto* events = window_->currentPage()->find<EventsView>();
        QTRY_VERIFY(events->isVisible());
        int rut = -1;
        const auto found = [&] {
            for (std::size_t i = 0; i < events->count() && rut < 0; ++i)
                if (events->eventAt(i).text == "rut")
                    rut = static_cast<int>(i);
            return rut >= 0;
        };
        QTRY_VERIFY_WITH_TIMEOUT(found(), 30'000);
        events->choose(rut);
        QVERIFY(std::abs(window_->stage().seconds(window_->stage().cursor()) - 31) < 0.2);
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("condition of the rig")));
        window_->stage().now();
    }

    // A condition that is wrong all the time fills the list: what came behind is counted in words.
    void eventsThatWereNotKeptAreSaid()
    {
        constexpr int pairs = 100'100;
        const QString path = folder_.filePath("restless.pcapng");
        const trace::TraceBus bus{"Bench", {}};
        auto file = formats::LogFile::create(path.toStdString(), std::span(&bus, 1));
        QVERIFY(file.has_value());
        can::Frame frame;
        frame.id = {0x100, false};
        frame.length = frame.dlc = 1;
        for (int i = 0; i < 2 * pairs; ++i) {
            frame.time = i * std::chrono::milliseconds(1);
            frame.data[0] = static_cast<std::uint8_t>(i % 2);
            (*file)->write(frame.view());
        }
        QVERIFY((*file)->finish().has_value());
        rig::Rig rig;
        rig.buses.push_back({});
        rig.buses.back().name = "Bench";
        rig.events.push_back({"flicker", "byte 0 = 1", {}});
        auto* log = new MainWindow(RunDocument::log(path.toStdString(), rig));
        log->show();
        log->showPage(QStringLiteral("Analyse"));
        for (Pane* pane : log->currentPage()->panes())
            if (pane->count() > 1)
                pane->setCurrent(pane->count() - 1);
        const auto* words = log->currentPage()->find<EventsView>()->findChild<QLabel*>(QStringLiteral("eventsNotKept"));
        QVERIFY(words != nullptr);
        QTRY_VERIFY_WITH_TIMEOUT(words->isVisible() && words->text().contains(QStringLiteral("100 more")), 60'000);
        QVERIFY2(words->text().contains(QStringLiteral("first 100,000")), qPrintable(words->text()));
        log->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), 1U);
    }

    // 5. The run is saved, opened in a window of its own, and looks as it did.
    void aSavedRunOpensInAWindowOfItsOwn()
    {
        const QString path = folder_.filePath("run.pcapng");
        QString problem = QStringLiteral("not saved");
        connect(window_, &MainWindow::runSaved, this, [&](const QString&, const QString& text) { problem = text; });
        const auto rows = window_->stage().snapshot().rows();
        window_->saveRunTo(path);
        QTRY_COMPARE_WITH_TIMEOUT(problem, QString(), 20'000);
        auto* mime = new QMimeData;
        mime->setUrls({QUrl::fromLocalFile(path)});
        dropOn(window_, mime, QPoint(600, 300));
        QTRY_COMPARE(MainWindow::all().size(), 2U);
        MainWindow* log = MainWindow::all().back();
        QTRY_VERIFY_WITH_TIMEOUT(log->stage().snapshot().rows() >= rows, 30'000);
        QVERIFY(!log->document().isLive());
        QVERIFY(window_->document().session()->running());  // the run goes on in its own

        log->showPage(QStringLiteral("Watch"));
        auto* roster = log->currentPage()->find<RosterView>();
        QTRY_VERIFY(roster->rows()->shown().size() >= 35);
        auto* stream = log->currentPage()->find<StreamView>();
        stream->filterLine()->setText(QStringLiteral("BladeState.BladeDepth > 4 mm"));
        QTRY_VERIFY(stream->scan() != nullptr && stream->scan()->seen() == log->stage().snapshot().rows() && stream->scan()->size() > 5);
        log->showPage(QStringLiteral("Analyse"));
        auto* load = log->currentPage()->find<LoadView>();
        log->stage().setCursor(log->stage().timeOf(60.04));
        QTRY_VERIFY(load->loadAtCursor() >= 85);
        auto* lanes = log->currentPage()->find<LanesView>();
        lanes->add(QStringLiteral("Implement:WaterState.TankLevel"));
        QTRY_VERIFY(lanes->lanes().back()->curves()[0].series->size() > 1000);
        log->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), 1U);
    }

    void aBrokenLogSaysWhatIsWrongAndTheRunGoesOn()
    {
        const QString path = folder_.filePath("broken.pcapng");
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("this is no log");
        file.close();
        QString said;
        test::whenModal<QMessageBox>(this, [&](QMessageBox* box) {
            said = box->text();
            box->accept();
        });
        const std::size_t before = MainWindow::all().size();
        QVERIFY(MainWindow::openFile(path, window_->document().rig(), nullptr) == nullptr);
        QVERIFY2(said.contains(QStringLiteral("no log")), said.toUtf8().constData());
        QCOMPARE(MainWindow::all().size(), before);     // no empty window stays behind
        QVERIFY(window_->document().session()->running());
    }

    // 6. WaterUnit is taken out, its recording plays, and the display reacts.
    void aReplayStandsInForANodeThatIsTakenOut()
    {
        auto* nodes = view<NodesView>("Drive");
        auto* playback = window_->currentPage()->find<PlaybackView>();
        playback->load(QString::fromStdString(lapPath()));
        QTRY_VERIFY_WITH_TIMEOUT(playback->findChild<QComboBox*>(QStringLiteral("routeImplement")) != nullptr, 20'000);
        auto* route = playback->findChild<QComboBox*>(QStringLiteral("routeImplement"));
        route->setFocus();
        route->setCurrentIndex(route->findData(QStringLiteral("only WaterUnit")));
        auto* notice = playback->findChild<QLabel*>(QStringLiteral("noticeText"));
        QTRY_VERIFY(notice->text().startsWith(QStringLiteral("Collision: 0x182 WaterState on Implement is also sent by WaterUnit")));
        auto* play = playback->findChild<QPushButton*>(QStringLiteral("primary"));
        // What cannot be pressed does not look as if it could.
        const auto ground = [play] { return play->grab().toImage().pixelColor(play->width() / 2, 4); };
        QVERIFY(!play->isEnabled() && ground() == Theme::get().raised);

        // Out by its pill, back by undo, out again by the remedy beside the collision.
        QTRY_VERIFY(!nodes->pillOf(QStringLiteral("WaterUnit")).isEmpty());
        const auto isOn = [&] {
            for (const auto& report : window_->document().session()->nodeReports())
                if (report.name == "WaterUnit")
                    return report.on;
            return false;
        };
        QTest::mouseClick(nodes, Qt::LeftButton, Qt::NoModifier, nodes->pillOf(QStringLiteral("WaterUnit")).center().toPoint());
        QTRY_VERIFY(!isOn());
        nodes->setFocus();
        QTest::keyClick(nodes, Qt::Key_Z, Qt::ControlModifier);
        QTRY_VERIFY(isOn());
        QTRY_VERIFY(notice->text().startsWith(QStringLiteral("Collision")));
        QTest::mouseClick(playback->findChild<QPushButton*>(QStringLiteral("remedy")), Qt::LeftButton);
        QTRY_VERIFY(!isOn());
        QTRY_VERIFY(notice->text().startsWith(QStringLiteral("No collision")) && play->isEnabled());
        QCOMPARE(ground(), Theme::get().accent);

        // Single steps first, then the whole at its pace.
        const auto sent = [&] { return window_->document().session()->playbackReport().sent; };
        QTest::mouseClick(playback->findChild<QPushButton*>(QStringLiteral("step")), Qt::LeftButton);
        QTRY_COMPARE(sent(), 1U);
        QTest::mouseClick(playback->findChild<QPushButton*>(QStringLiteral("step")), Qt::LeftButton);
        QTRY_COMPARE(sent(), 2U);
        QTest::mouseClick(play, Qt::LeftButton);
        QTRY_VERIFY(window_->document().session()->playbackReport().playing);
        // Whatever the display made of WaterUnit's last own frames is over by the 30th second of the recording.
        const auto played = [&] {
            const auto report = window_->document().session()->playbackReport();
            return static_cast<double>((report.position - report.start).count()) * 1e-9;
        };
        QTRY_VERIFY_WITH_TIMEOUT(played() > 30, 20'000);
        const Time from = window_->document().session()->now();
        const auto lit = [&] {
            for (const auto& report : window_->document().session()->nodeReports())
                if (report.name == "Display")
                    for (const auto& change : report.states)
                        if (change.time > from && change.state == "warning lit" && change.why.find("Flow < 6") != std::string::npos)
                            return true;
            return false;
        };
        QTRY_VERIFY_WITH_TIMEOUT(lit(), 30'000);

        // What the display shows is the recording's tank level.
        Selection display;
        display.kind = Selection::Kind::node;
        display.node = QStringLiteral("Display");
        window_->stage().select(display);
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("ShownTankLevel: ")));
        const QString text = window_->inspector()->text();
        const double shown = text.mid(text.indexOf(QStringLiteral("ShownTankLevel: ")) + 16).section(QLatin1Char(' '), 0, 0).toDouble();
        QVERIFY2(shown > 370 && shown < 431, std::to_string(shown).c_str());

        QTest::mouseClick(playback->findChild<QPushButton*>(QStringLiteral("pace10")), Qt::LeftButton);
        QTRY_VERIFY(window_->document().session()->playbackReport().factor == 10);
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().session()->playbackReport().finished, 20'000);

        const auto report = [&] { return window_->document().session()->playbackReport(); };
        playbackGoesItsWays(playback);

        // Changed on its way, at a fixed gap; what is typed wrong changes nothing.
        auto* rewriting = playback->findChild<QLineEdit*>(QStringLiteral("rewriting"));
        auto* said = playback->findChild<QLabel*>(QStringLiteral("rewritten"));
        const auto type = [&](QLineEdit* line, const QString& words) {
            line->setFocus();
            line->selectAll();
            QTest::keyClicks(line, words);
            QTest::keyClick(line, Qt::Key_Return);
        };
        type(rewriting, QStringLiteral("WaterState.Flwo = 1"));
        QVERIFY2(said->text().contains(QStringLiteral("Flow")), qPrintable(said->text()));
        QVERIFY(report().rewriting.empty());
        type(rewriting, QStringLiteral("WaterState.Flow = Flow * 0.5; id 0x182 = 0x299"));
        QTRY_COMPARE(report().rewriting.size(), std::size_t{2});
        auto* gap = playback->findChild<QLineEdit*>(QStringLiteral("paceGap"));
        type(gap, QStringLiteral("5 ms"));
        QTRY_VERIFY(report().gap == Time(5'000'000));
        QTRY_COMPARE(gap->text(), QStringLiteral("every 5 ms"));
        QTest::mouseClick(play, Qt::LeftButton);
        QTRY_VERIFY(report().rewritten.changed > 2);
        QTRY_VERIFY(said->text().contains(QStringLiteral("changed")));
        QVERIFY(window_->document().trace().find({1, false, {0x299, false}}).has_value());
        QTest::mouseClick(play, Qt::LeftButton);
        QTRY_VERIFY(!report().playing);
        QTest::mouseClick(playback->findChild<QPushButton*>(QStringLiteral("pace10")), Qt::LeftButton);
        QTRY_VERIFY(report().gap.count() == 0);
        playback->undoStack()->undo();
        QTRY_VERIFY(report().rewriting.empty());
        QTRY_VERIFY(rewriting->text().isEmpty());
        QTest::mouseClick(playback->findChild<QPushButton*>(QStringLiteral("remedy")), Qt::LeftButton);
        QTRY_VERIFY(isOn());
    }

    // One more way for a bus, with a filter, and out again; on to a moment; into the views alone.
    void playbackGoesItsWays(PlaybackView* playback)
    {
        const auto report = [&] { return window_->document().session()->playbackReport(); };
        const auto item = [&](int row, const QString& words) {
            auto* menu = playback->findChild<QToolButton*>(QStringLiteral("routeMenu%1").arg(row))->menu();
            Q_EMIT menu->aboutToShow();
            for (QAction* action : menu->actions())
                if (action->text() == words)
                    return action->trigger();
            QFAIL(qPrintable(words));
        };
        const auto type = [&](const char* name, const QString& words) {
            auto* line = playback->findChild<QWidget*>(QLatin1String(name));
            auto* edit = qobject_cast<QLineEdit*>(line) != nullptr ? qobject_cast<QLineEdit*>(line) : line->findChild<QLineEdit*>();
            edit->setFocus();
            edit->selectAll();
            QTest::keyClick(edit, Qt::Key_Delete);
            QTest::keyClicks(edit, words);
            QTest::keyClick(edit, Qt::Key_Return);
        };
        const std::size_t ways = report().routes.size(), chosen = report().chosen;
        item(1, QStringLiteral("One more way for this bus"));
        QTRY_COMPARE(report().routes.size(), ways + 1);
        QTRY_VERIFY(playback->findChild<QComboBox*>(QStringLiteral("routeImplement2")) != nullptr);
        QCOMPARE(report().routes[2].from, 1);
        QVERIFY(report().routes[2].to != 1);
        type("routeFilter2", QStringLiteral("id 0x182 and length 8"));
        QTRY_COMPARE(QString::fromStdString(report().routes[2].filter.text()), QStringLiteral("id 0x182 and length 8"));
        QTRY_VERIFY(report().chosen > chosen && report().chosenByRoute[2] < report().chosenByRoute[1] * 2);
        item(2, QStringLiteral("Received by who recorded them"));
        QTRY_VERIFY(report().routes[2].directions == drive::Directions::received);
        item(2, QStringLiteral("Take this way out"));
        QTRY_COMPARE(report().chosen, chosen);
        QTRY_VERIFY(playback->findChild<QComboBox*>(QStringLiteral("routeImplement2")) == nullptr
                    || !playback->findChild<QComboBox*>(QStringLiteral("routeImplement2"))->isVisible());
        for (int i = 0; i < 4; ++i)
            playback->undoStack()->undo();
        QTRY_COMPARE(report().routes.size(), ways);

        // On to a moment, and into the views alone.
        QTest::mouseClick(playback->findChild<QPushButton*>(QStringLiteral("pace0")), Qt::LeftButton);
        QTRY_VERIFY(report().factor == 0);
        window_->document().session()->call([](rig::Session& run) { run.playback().seek(run.playback().logStart()); });
        const auto sent = report().sent;
        type("playTo", QStringLiteral("2 s"));
        QTRY_VERIFY(report().sent > sent && !report().playing);
        QTRY_VERIFY(report().position - report().start <= std::chrono::seconds(2) && report().position > report().start);
        auto* onto = playback->findChild<QComboBox*>(QStringLiteral("onto"));
        onto->setFocus();
        QTest::keyClick(onto, Qt::Key_Down);
        QTRY_VERIFY(report().ontoViews);
        QTest::keyClick(onto, Qt::Key_Up);
        QTRY_VERIFY(!report().ontoViews);
        type("playsAt", QStringLiteral("0.5 s"));
        QVERIFY(!report().playsAt);
        type("playsAt", QStringLiteral("3000 s"));
        QTRY_VERIFY(report().playsAt.has_value());
        type("playsAt", QString());
        QTRY_VERIFY(!report().playsAt);
        auto* loop = playback->findChild<QLineEdit*>(QStringLiteral("loopPause"));
        type("loopPause", QStringLiteral("2 s"));
        QTRY_VERIFY(report().loop && report().loopPause == std::chrono::seconds(2));
        QTRY_COMPARE(loop->text(), QStringLiteral("2 s"));
        window_->document().session()->call([](rig::Session& run) { run.playback().setLoop(false); });
        type("paceGap", QStringLiteral("2 WaterState"));
        QTRY_VERIFY(report().beat && report().beat->every == 2);
        QTest::mouseClick(playback->findChild<QPushButton*>(QStringLiteral("pace10")), Qt::LeftButton);
        QTRY_VERIFY(!report().beat && report().factor == 10);
    }

    // On a small screen with large text every button has room for its word, and nothing lies on something else.
    void nothingIsCutOrCoveredInANarrowWindow()
    {
        const QSize before = window_->size();
        int looked = 0;
        Selection selection;
        selection.kind = Selection::Kind::signal;
        selection.bus = 1;
        selection.id = {0x181, false};
        selection.signal = 0;
        window_->stage().select(selection);
        struct Shape {
            QSize size;
            double scale;
        };
        for (const auto& [size, scale] : {Shape{{1016, 660}, 1.4}, Shape{{1016, 660}, 1.0}, Shape{{1280, 800}, 1.4}}) {
            Theme::get().setScale(scale);
            window_->resize(size);
            for (const char* page : {"Watch", "Analyse", "Drive", "Databases"}) {
                window_->showPage(QString::fromLatin1(page));
                QTRY_VERIFY(window_->currentPage()->isVisible() && window_->currentPage()->width() > 100);
                QApplication::processEvents();
                QCOMPARE(window_->size(), size);    // and the window never grows
                for (const QPushButton* button : window_->findChildren<QPushButton*>()) {
                    if (!button->isVisible() || button->visibleRegion().isEmpty())
                        continue;
                    ++looked;
                    const QString where = QStringLiteral("%1, %2 on %3 at %4x%5, text %6")
                                              .arg(button->text(), button->objectName(), QLatin1String(page))
                                              .arg(size.width())
                                              .arg(size.height())
                                              .arg(scale);
                    QVERIFY2(button->width() >= button->fontMetrics().horizontalAdvance(button->text())
                                 && button->height() >= button->fontMetrics().height(),
                        qPrintable(where));
                    for (const QWidget* other : button->parentWidget()->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly))
                        if (other != button && other->isVisible()
                            && (qobject_cast<const QAbstractButton*>(other) != nullptr || qobject_cast<const QComboBox*>(other) != nullptr
                                || qobject_cast<const QLineEdit*>(other) != nullptr))
                            QVERIFY2(!other->geometry().intersects(button->geometry()),
                                qPrintable(where + QStringLiteral(" under ") + other->objectName()));
                }
                for (const QComboBox* box : window_->currentPage()->findChildren<QComboBox*>())
                    if (box->isVisible())
                        QVERIFY2(box->height() >= box->fontMetrics().height(), qPrintable(box->objectName()));
                for (const QLineEdit* edit : window_->currentPage()->findChildren<QLineEdit*>())
                    if (edit->isVisible())
                        QVERIFY2(edit->height() >= edit->fontMetrics().height() && edit->width() > 30,
                            qPrintable(edit->objectName() + QString::number(edit->width())));
            }
        }
        QVERIFY2(looked > 60, qPrintable(QString::number(looked)));
        Theme::get().setScale(1);
        window_->resize(before);
    }

    // Pages: splits and tabs, saved with the rig.
    void panesAreSplitMovedClosedAndSavedWithTheRig()
    {
        window_->showPage(QStringLiteral("Watch"));
        Page* page = window_->currentPage();
        const std::size_t before = page->panes().size();
        QMenu menu;
        page->panes().front()->fillMenu(menu);
        QVERIFY(menu.actions().size() >= 5);
        menu.actions()[2]->menu()->actions().last()->trigger();  // split right: nodes
        QCOMPARE(page->panes().size(), before + 1);
        QVERIFY(page->find<NodesView>() != nullptr);
        page->open(QStringLiteral("events"));
        const QString path = folder_.filePath("rig.json");
        QVERIFY(window_->saveRigTo(path));
        const auto saved = rig::loadRig(path.toStdString());
        QVERIFY(saved.has_value());
        const std::string text = saved->document["pages"].dump();
        QVERIFY(text.find("\"horizontal\"") != std::string::npos && text.find("\"nodes\"") != std::string::npos);
        QVERIFY(saved->document["nodes"] == window_->document().rig().document["nodes"]);
        // What was saved comes back the same.
        Page again(window_->stage(), QStringLiteral("again"));
        again.restore(saved->document["pages"][0]["layout"]);
        QCOMPARE(again.views().size(), page->views().size());
        QCOMPARE(again.panes().size(), page->panes().size());

        for (Pane* pane : page->panes())
            for (int i = pane->count() - 1; i >= 0; --i)
                if (View* view = pane->entries()[static_cast<std::size_t>(i)].view;
                    qobject_cast<NodesView*>(view) != nullptr || qobject_cast<EventsView*>(view) != nullptr)
                    pane->closeView(i);
        QCOMPARE(page->panes().size(), before);
    }

    void bothThemesAndLargerTextKeepEveryPagePainted()
    {
        for (const ThemeName name : {ThemeName::ink, ThemeName::paper})
            for (const double scale : {1.0, 1.5}) {
                Theme::get().choose(name);
                Theme::get().setScale(scale);
                for (const char* page : {"Watch", "Analyse", "Drive"}) {
                    window_->showPage(QString::fromLatin1(page));
                    const auto dark = [&] {
                        const QImage picture = window_->grab().toImage();
                        return picture.pixelColor(5, picture.height() / 2).lightness() < 128;
                    };
                    QTRY_COMPARE(dark(), name == ThemeName::ink);
                }
            }
        Theme::get().setScale(1);
    }

    void stopAndStartKeepTheTrace()
    {
        QTest::mouseClick(window_->runBar()->startStop, Qt::LeftButton);
        const auto hued = [this](const QColor& colour) {
            const QImage picture = window_->runBar()->grab().toImage();
            int count = 0;
            for (int y = 0; y < picture.height(); ++y)
                for (int x = 0; x < picture.width(); ++x)
                    count += picture.pixelColor(x, y).rgb() == colour.rgb() ? 1 : 0;
            return count;
        };
        QTRY_VERIFY(!window_->document().session()->running());
        const auto rows = window_->document().trace().rows();
        // The loads are those of the moment in which it stopped, and grey: only the badges have the hues of their buses.
        QTRY_VERIFY(hued(Theme::get().faint) > 50);
        const int stopped = hued(Theme::get().bus(3));
        QTest::mouseClick(window_->runBar()->startStop, Qt::LeftButton);
        QTRY_VERIFY(window_->document().trace().rows() > rows);
        QTRY_VERIFY(hued(Theme::get().bus(3)) > stopped + 20);
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    AppTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "app_test.moc"
