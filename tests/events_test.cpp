// SPDX-License-Identifier: GPL-3.0-or-later
// The list of all that happened: as the command line lists it, by kind, bus and name, sorted, walked by key, and as a run goes.
#include <QApplication>
#include <QComboBox>
#include <QLineEdit>
#include <QMenu>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include "app/events/events_view.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/shell/timeline.h"
#include "app/stage/derive_desk.h"
#include "app/stage/note_desk.h"
#include "app/paint/row_list.h"
#include "base/time_text.h"

using namespace wavetrope;
using namespace wavetrope::app;

class EventsTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    QString log_;
    std::unique_ptr<MainWindow> window_;
    EventsView* view_ = nullptr;

    static rig::Rig demo()
    {
        auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        if (!rig)
            qFatal("%s", rig.error().text().c_str());
        return std::move(*rig);
    }
    Stage& stage() { return window_->stage(); }
    EventsView* eventsOf(MainWindow& window)
    {
        window.showPage(QStringLiteral("Analyse"));
        for (Pane* pane : window.currentPage()->panes())
            if (pane->count() == 4)
                pane->setCurrent(3);
        return window.currentPage()->find<EventsView>();
    }
    QAbstractScrollArea* rows() { return view_->findChild<QAbstractScrollArea*>(QStringLiteral("eventRows")); }
    void toggle(const char* kind)
    {
        auto* menu = view_->tools()->findChild<QMenu*>(QStringLiteral("eventKindMenu"));
        Q_EMIT menu->aboutToShow();
        auto* action = menu->findChild<QAction*>(QLatin1String(kind));
        QVERIFY(action != nullptr);
        action->trigger();
    }
    std::size_t countOf(measure::EventKind kind) { return stage().events().counts()[static_cast<std::size_t>(kind)]; }

private Q_SLOTS:
    void initTestCase()
    {
        // A copy, so that notes are kept beside it.
        log_ = folder_.filePath(QStringLiteral("lap.pcapng"));
        QVERIFY(QFile::copy(WAVETROPE_DEMO "/lap.pcapng", log_));
        window_ = std::make_unique<MainWindow>(RunDocument::log(log_.toStdString(), demo()));
        window_->setAttribute(Qt::WA_DeleteOnClose, false);
        window_->resize(1280, 800);
        window_->show();
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().ready() && stage().caughtUp(), 60'000);
        // Before somebody looks: what is measured anyway.
        QTRY_VERIFY(!stage().events().all().empty());
        QCOMPARE(countOf(measure::EventKind::range), std::size_t{0});
        view_ = eventsOf(*window_);
        QTRY_VERIFY(view_->settled());
    }
    void cleanupTestCase() { window_->closeWithoutAsking(); }

    void itIsTheListOfTheCommandLine()
    {
        QProcess cli;
        cli.start(QStringLiteral(WAVETROPE_CLI), {QStringLiteral("events"), log_, QStringLiteral("--rig"), WAVETROPE_DEMO "/rig.json"});
        QVERIFY(cli.waitForFinished(60'000) && cli.exitCode() == 0);
        QStringList wanted = QString::fromUtf8(cli.readAllStandardOutput()).split(QLatin1Char('\n'), Qt::SkipEmptyParts);
        wanted.removeFirst();
        QCOMPARE(view_->count(), static_cast<std::size_t>(wanted.size()));
        QVERIFY(wanted.size() > 20);
        for (std::size_t i = 0; i < view_->count(); ++i) {
            const measure::Event& event = view_->eventAt(i);
            const QString why = event.why.find_first_of(",\"") == std::string::npos
                                    ? QString::fromStdString(event.why)
                                    : QLatin1Char('"')
                                          + QString::fromStdString(event.why).replace(QLatin1String("\""), QLatin1String("\"\""))
                                          + QLatin1Char('"');
            QCOMPARE(QStringList(
                         {QString::fromStdString(secondsText(event.time)),
                             event.open ? QString() : QString::fromStdString(secondsText(event.until)),
                             event.bus == measure::noBus ? QString() : QString::fromStdString(window_->document().buses()[event.bus].name),
                             QLatin1String(measure::toText(event.kind)), QString::fromStdString(event.what), why})
                         .join(QLatin1Char(',')),
                wanted[static_cast<qsizetype>(i)]);
        }
        QVERIFY(view_->csv().startsWith(QStringLiteral("time,bus,kind,what,why,lasts\n")));
    }

    void kindsBusesAndNamesAreChosen()
    {
        const std::size_t all = view_->count();
        toggle("range");
        QCOMPARE(view_->count(), all - countOf(measure::EventKind::range));
        QVERIFY(!stage().events().shows(measure::EventKind::range));
        QVERIFY(view_->save().dump().find("\"without\":[\"range\"]") != std::string::npos);
        auto* bus = view_->tools()->findChild<QComboBox*>(QStringLiteral("eventBus"));
        bus->setCurrentIndex(bus->findText(QStringLiteral("Implement")));
        Q_EMIT bus->activated(bus->currentIndex());
        QVERIFY(view_->count() > 0 && view_->count() < all);
        for (std::size_t i = 0; i < view_->count(); ++i)
            QCOMPARE(window_->document().buses()[view_->eventAt(i).bus].name, std::string("Implement"));
        auto* name = view_->tools()->findChild<QLineEdit*>(QStringLiteral("eventName"));
        QTest::keyClicks(name, QStringLiteral("FLOW"));
        QCOMPARE(view_->count(), std::size_t{1});
        QCOMPARE(view_->eventAt(0).what, std::string("flow low"));
        name->clear();
        bus->setCurrentIndex(0);
        Q_EMIT bus->activated(0);
        toggle("range");
        QCOMPARE(view_->count(), all);
    }

    void headsSort()
    {
        view_->sortBy(5, true);
        for (std::size_t i = 1; i < view_->count(); ++i) {
            const auto span = [&](std::size_t at) { return view_->eventAt(at).until - view_->eventAt(at).time; };
            QVERIFY(span(i) <= span(i - 1));
        }
        auto* list = qobject_cast<RowList*>(rows());
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->headCentre(3));
        for (std::size_t i = 1; i < view_->count(); ++i)
            QVERIFY(view_->eventAt(i - 1).what <= view_->eventAt(i).what);
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->headCentre(3));
        QVERIFY(view_->eventAt(0).what >= view_->eventAt(view_->count() - 1).what);
        const nlohmann::json kept = view_->save();
        view_->sortBy(0, false);
        view_->restore(kept);
        QVERIFY(view_->eventAt(0).what >= view_->eventAt(view_->count() - 1).what);
        view_->sortBy(0, false);
    }

    void keysWalkFromEventToEvent()
    {
        window_->activateWindow();
        QTRY_VERIFY(window_->isActiveWindow());
        stage().setCursor(stage().wholeFrom());
        std::vector<Time> walked;
        for (std::size_t i = 0; i < view_->count(); ++i) {
            QTest::keyClick(window_.get(), Qt::Key_F4);
            walked.push_back(stage().cursor());
            QCOMPARE(view_->chosen(), static_cast<int>(i));
        }
        for (std::size_t i = 0; i < view_->count(); ++i)
            QCOMPARE(walked[i], view_->eventAt(i).time);
        QTest::keyClick(window_.get(), Qt::Key_F4);     // there is none behind
        QCOMPARE(stage().cursor(), walked.back());
        for (std::size_t i = view_->count() - 1; i > 0; --i) {
            QTest::keyClick(window_.get(), Qt::Key_F4, Qt::ShiftModifier);
            QCOMPARE(view_->chosen(), static_cast<int>(i) - 1);
        }
        // From a moment between two.
        stage().setCursor(view_->eventAt(3).time + Time(1));
        QTest::keyClick(window_.get(), Qt::Key_F4, Qt::ShiftModifier);
        QCOMPARE(stage().cursor(), view_->eventAt(3).time);
        // What is not shown is passed over.
        toggle("range");
        stage().setCursor(stage().wholeFrom());
        QTest::keyClick(window_.get(), Qt::Key_F4);
        QVERIFY(stage().selection().event.kind != measure::EventKind::range);
        toggle("range");
    }

    void anEventIsShownWhole()
    {
        std::size_t burst = 0;
        while (view_->eventAt(burst).kind != measure::EventKind::burst)
            ++burst;
        const measure::Event event = view_->eventAt(burst);
        view_->choose(static_cast<int>(burst));
        QCOMPARE(stage().cursor(), event.time);
        QTest::keyClick(rows(), Qt::Key_Return);
        QVERIFY(stage().windowFrom() < event.time && stage().windowTo() > event.until);
        QVERIFY(stage().windowTo() - stage().windowFrom() < 3 * (event.until - event.time));
        stage().setWindow(stage().wholeFrom(), stage().wholeTo());
    }

    void notesAndMarksAreAmongThem()
    {
        const std::size_t all = view_->count();
        stage().notes().put({0, stage().timeOf(50), trace::noRow, "the blade sings"});
        stage().setMarks({stage().timeOf(46.9), stage().timeOf(48.1)});
        QCOMPARE(view_->count(), all + 3);
        QCOMPARE(countOf(measure::EventKind::mark), std::size_t{2});
        std::size_t at = 0;
        while (view_->eventAt(at).kind != measure::EventKind::note)
            ++at;
        QCOMPARE(view_->eventAt(at).what, std::string("the blade sings"));
        QCOMPARE(view_->rowText(at).split('\t').value(2), QStringLiteral("note"));
        std::size_t mark = 0;
        while (mark < at && view_->eventAt(mark).what != "B")
            ++mark;
        QVERIFY(mark < at && view_->eventAt(mark).kind == measure::EventKind::mark);
        // A click on its flag.
        auto* timeline = window_->findChild<Timeline*>();
        QTest::mouseClick(timeline, Qt::LeftButton, {}, QPoint(static_cast<int>(timeline->xOf(stage().timeOf(50))), 8));
        QCOMPARE(stage().cursor(), stage().timeOf(50));
        QCOMPARE(view_->chosen(), static_cast<int>(at));
        stage().setMarks({});
        stage().notes().undoStack().undo();
        QCOMPARE(view_->count(), all);
    }

    void aNewRangeIsLookedForAtOnce()
    {
        const std::size_t before = view_->count();
        database::DerivedSpec spec;
        spec = window_->document().rig().derived[0];
        spec.minimum = -100;
        spec.maximum = 100;
        QVERIFY(stage().derive().put(QStringLiteral("DepthError"), spec, QStringLiteral("range")));
        QTRY_VERIFY(view_->settled() && view_->count() < before);
        for (std::size_t i = 0; i < view_->count(); ++i)
            QVERIFY(view_->eventAt(i).what != "DepthError");
        stage().derive().undoStack().undo();
        QTRY_VERIFY(view_->settled() && view_->count() == before);
    }

    void aRunTellsThemAsItGoes()
    {
        auto document = RunDocument::live(demo(), 30.0, {}, {});
        QVERIFY2(document, document ? "" : document.error().text().c_str());
        MainWindow window(std::move(*document));
        window.setAttribute(Qt::WA_DeleteOnClose, false);
        window.resize(1280, 800);
        window.show();
        EventsView* live = eventsOf(window);
        EventDesk& desk = window.stage().events();
        const auto has = [&](measure::EventKind kind, const char* what) {
            return std::any_of(desk.all().begin(), desk.all().end(),
                [&](const measure::Event& event) { return event.kind == kind && event.what == what; });
        };
        QTRY_VERIFY_WITH_TIMEOUT(has(measure::EventKind::range, "WaterState.Flow"), 60'000);
        QTRY_VERIFY_WITH_TIMEOUT(has(measure::EventKind::condition, "rut"), 60'000);
        QTRY_VERIFY_WITH_TIMEOUT(live->count() >= 4, 60'000);
        for (std::size_t i = 1; i < live->count(); ++i)
            QVERIFY(live->eventAt(i - 1).time <= live->eventAt(i).time);
        window.closeWithoutAsking();
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    EventsTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "events_test.moc"
