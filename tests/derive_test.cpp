// SPDX-License-Identifier: GPL-3.0-or-later
// Derived signals written in the window, their curves beside them; how a curve is drawn, set where it is explained; curves whose signals
// are no longer there.
#include <QApplication>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTest>
#include <QTreeWidget>

#include "app/inspector/inspector_view.h"
#include "app/lanes/lanes_view.h"
#include "app/parts/notation.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/stage/derive_desk.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

const QString bladeDepth = QStringLiteral("Implement:BladeState.BladeDepth");

}  // namespace

class DeriveTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    std::unique_ptr<MainWindow> window_;
    LanesView* lanes_ = nullptr;
    Inspector* inspector_ = nullptr;

    template <class W>
    W* in(const char* name)
    {
        return inspector_->findChild<W*>(QLatin1String(name));
    }
    Stage& stage() { return window_->stage(); }
    void choose(const QString& path) { stage().select(curveOf(stage().document().catalog(), path)->selection()); }
    void undo(bool redo = false)
    {
        window_->activateWindow();
        QTRY_VERIFY(window_->isActiveWindow());
        lanes_->setFocus();
        QTest::keyClick(
            window_.get(), Qt::Key_Z, redo ? Qt::ControlModifier | Qt::ShiftModifier : Qt::KeyboardModifiers(Qt::ControlModifier));
    }
    const std::vector<database::DerivedSpec>& derived() { return window_->document().rig().derived; }
    static void write(QPlainTextEdit* field, const QString& words)
    {
        field->setFocus();
        QTest::keyClick(field, Qt::Key_A, Qt::ControlModifier);
        QTest::keyClicks(field, words);
    }
    static void write(QLineEdit* field, const QString& words)
    {
        field->setFocus();
        field->selectAll();
        if (words.isEmpty())
            QTest::keyClick(field, Qt::Key_Delete);
        QTest::keyClicks(field, words);
        QTest::keyClick(field, Qt::Key_Return);
    }

private Q_SLOTS:
    void initTestCase()
    {
        auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        QVERIFY(rig);
        window_ = std::make_unique<MainWindow>(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", std::move(*rig)));
        window_->setAttribute(Qt::WA_DeleteOnClose, false);
        window_->resize(1280, 800);
        window_->show();
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().ready() && stage().caughtUp(), 60'000);
        window_->showPage(QStringLiteral("Analyse"));
        lanes_ = window_->currentPage()->find<LanesView>();
        inspector_ = window_->findChild<Inspector*>();
        lanes_->arrange({LaneSetUp{bladeDepth}});
        stage().setWindow(stage().timeOf(40), stage().timeOf(50));
        stage().setCursor(stage().timeOf(45));
    }
    void cleanupTestCase() { window_->closeWithoutAsking(); }

    void aSignalIsDerivedFromAnotherAndUndone()
    {
        choose(bladeDepth);
        inspector_->repaint();
        const std::size_t before = derived().size();
        auto* button = in<QPushButton>("deriveSignal");
        QVERIFY(button->isVisible());
        QTest::mouseClick(button, Qt::LeftButton);
        QCOMPARE(derived().size(), before + 1);
        QCOMPARE(derived().back().name, std::string("BladeDepthDerived"));
        QCOMPARE(derived().back().formula, std::string("BladeDepth"));
        QCOMPARE(derived().back().unit, std::string("mm"));
        QCOMPARE(stage().selection().node, QStringLiteral("BladeDepthDerived"));
        QCOMPARE(lanes_->arrangement().back()[0], QStringLiteral(":BladeDepthDerived"));
        auto* formula = in<QPlainTextEdit>("derivedFormula");
        QTRY_VERIFY(formula->isVisible() && formula->hasFocus());
        QCOMPARE(formula->toPlainText(), QStringLiteral("BladeDepth"));
        // Other curves keep their samples while this one is written.
        const auto other = lanes_->lanes()[0]->curves()[0].series;
        write(formula, QStringLiteral("mean(BladeDepth, 500 ms) - 3"));
        QTRY_COMPARE(derived().back().formula, std::string("mean(BladeDepth, 500 ms) - 3"));
        QCOMPARE(lanes_->lanes()[0]->curves()[0].series, other);
        QTRY_VERIFY(lanes_->lanes().back()->complete());
        const auto all = measure::derivedSamples(stage().snapshot(), stage().catalog(), static_cast<std::uint32_t>(before));
        QCOMPARE(lanes_->lanes().back()->curves()[0].series->size(), std::uint64_t{all.size()});
        const auto at = std::upper_bound(all.times.begin(), all.times.end(), stage().cursor()) - all.times.begin() - 1;
        QTRY_VERIFY(lanes_->lanes().back()->curves()[0].series->at(stage().snapshot(), stage().cursor()).has_value());
        QCOMPARE(*lanes_->lanes().back()->curves()[0].series->at(stage().snapshot(), stage().cursor()),
            all.values[static_cast<std::size_t>(at)]);
        // In the document as well; one sitting is one step, whatever was taken over on the way.
        QVERIFY(window_->document().rig().document["derived"].dump().find("mean(BladeDepth, 500 ms) - 3") != std::string::npos);
        undo();
        QCOMPARE(derived().back().formula, std::string("BladeDepth"));
        QTRY_COMPARE(formula->toPlainText(), QStringLiteral("BladeDepth"));
        undo(true);
        QCOMPARE(derived().back().formula, std::string("mean(BladeDepth, 500 ms) - 3"));
        undo();
        undo();     // of the lanes and of the rig, what was done last first
        undo();
        QCOMPARE(derived().size(), before);
        QCOMPARE(lanes_->arrangement().size(), std::size_t{1});
        QVERIFY(!window_->document().rig().changed());
    }

    void whatIsWrongStaysInTheField()
    {
        choose(QStringLiteral(":DepthError"));
        inspector_->repaint();
        auto* formula = in<QPlainTextEdit>("derivedFormula");
        auto* form = in<DerivedForm>("derivedForm");
        QTRY_VERIFY(formula->isVisible());
        const std::string stood = derived()[0].formula;
        write(formula, QStringLiteral("BladeDepth - Wanted Depth"));
        // Half a word is no mistake yet, as long as words are offered for it.
        QTRY_VERIFY(!form->offered().isEmpty());
        QTest::keyClick(QApplication::activePopupWidget(), Qt::Key_Escape);
        QTRY_VERIFY2(form->problem().startsWith(QStringLiteral("column 14:")), qPrintable(form->problem()));
        QVERIFY(!formula->extraSelections().isEmpty());
        QCOMPARE(derived()[0].formula, stood);
        // Whoever looks at something else meanwhile finds it again.
        choose(bladeDepth);
        inspector_->repaint();
        QVERIFY(!formula->isVisible());
        choose(QStringLiteral(":DepthError"));
        inspector_->repaint();
        QCOMPARE(formula->toPlainText(), QStringLiteral("BladeDepth - Wanted Depth"));
        QVERIFY(form->problem().startsWith(QStringLiteral("column 14:")));
        // Escape: as it stands in the rig.
        formula->setFocus();
        QTest::keyClick(formula, Qt::Key_Escape);
        QCOMPARE(formula->toPlainText().toStdString(), stood);
        QVERIFY(form->problem().isEmpty());
        // Names, units and ranges that cannot be.
        write(in<QLineEdit>("derivedName"), QStringLiteral("2nd"));
        QVERIFY(form->problem().contains(QStringLiteral("no name")));
        QTest::keyClick(in<QLineEdit>("derivedName"), Qt::Key_Escape);
        write(in<QLineEdit>("derivedFrom"), QStringLiteral("low"));
        QVERIFY(form->problem().contains(QStringLiteral("no number")));
        write(in<QLineEdit>("derivedFrom"), QStringLiteral("-2"));
        QCOMPARE(derived()[0].minimum, std::optional<double>(-2));
        // A unit that does not fit is told, and stays.
        write(in<QLineEdit>("derivedUnit"), QStringLiteral("cm"));
        QCOMPARE(derived()[0].unit, std::string("cm"));
        QCOMPARE(form->problem(), QStringLiteral("Units: its unit is cm, and it works out mm"));
        undo();
        QCOMPARE(derived()[0].unit, std::string("mm"));
        QTRY_VERIFY(form->problem().isEmpty());
        undo();
        QVERIFY(!window_->document().rig().changed());
    }

    void wordsAreOfferedAndTaken()
    {
        choose(QStringLiteral(":DepthError"));
        inspector_->repaint();
        auto* formula = in<QPlainTextEdit>("derivedFormula");
        auto* form = in<DerivedForm>("derivedForm");
        QTRY_VERIFY(formula->isVisible());
        write(formula, QStringLiteral("Blade"));
        QTRY_VERIFY(form->offered().contains(QStringLiteral("BladeDepth")));
        QWidget* popup = QApplication::activePopupWidget();
        QVERIFY(popup != nullptr);
        QTest::keyClicks(popup, QStringLiteral("De"));
        QTRY_COMPARE(form->offered().value(0), QStringLiteral("BladeDepth"));
        QTest::keyClick(popup, Qt::Key_Down);
        QTest::keyClick(popup, Qt::Key_Return);
        QTRY_COMPARE(formula->toPlainText(), QStringLiteral("BladeDepth"));
        QTRY_COMPARE(derived()[0].formula, std::string("BladeDepth"));
        formula->setFocus();
        QTest::keyClicks(formula, QStringLiteral(" + "));
        QTest::keyClick(formula, Qt::Key_Space, Qt::ControlModifier);
        QTRY_VERIFY(form->offered().contains(QStringLiteral("mean(")));
        QTest::keyClick(QApplication::activePopupWidget(), Qt::Key_Escape);
        // In the field itself the rig's step is taken back.
        QTest::keyClick(formula, Qt::Key_Z, Qt::ControlModifier);
        QTRY_COMPARE(derived()[0].formula, std::string("BladeDepth - WantedDepth"));
        QVERIFY(!window_->document().rig().changed());
    }

    void aNewNameIsFollowed()
    {
        lanes_->arrange({LaneSetUp{bladeDepth}, LaneSetUp{QStringLiteral(":DepthError")}});
        choose(QStringLiteral(":DepthError"));
        inspector_->repaint();
        stage().derive().add(QStringLiteral(":DepthError"));
        QCOMPARE(derived().back().formula, std::string("DepthError"));
        choose(QStringLiteral(":DepthError"));
        inspector_->repaint();
        write(in<QLineEdit>("derivedName"), QStringLiteral("CutError"));
        QCOMPARE(derived()[0].name, std::string("CutError"));
        QCOMPARE(derived().back().formula, std::string("CutError"));
        QVERIFY(!stage().catalog().derived().back().problem);
        QCOMPARE(stage().selection().node, QStringLiteral("CutError"));
        QCOMPARE(lanes_->arrangement()[1][0], QStringLiteral(":CutError"));
        QVERIFY(lanes_->lanes()[1]->lostWords() == nullptr);
        // Taken out by the menu: its lane says so, and what looks at it; one step brings it back.
        auto* tree = window_->findChild<QTreeWidget*>();
        const auto items = tree->findItems(QStringLiteral("CutError"), Qt::MatchRecursive | Qt::MatchExactly);
        QVERIFY(!items.isEmpty());
        tree->setCurrentItem(items[0]);
        Q_EMIT tree->customContextMenuRequested(tree->visualItemRect(items[0]).center());
        auto* menu = window_->findChild<QMenu*>(QStringLiteral("treeMenu"));
        QVERIFY(menu != nullptr);
        menu->findChild<QAction*>(QStringLiteral("removeDerived"))->trigger();
        menu->close();
        QCOMPARE(derived().size(), std::size_t{1});
        QVERIFY(stage().catalog().derived()[0].problem.has_value());
        QVERIFY(lanes_->lanes()[1]->lostWords() != nullptr);
        QVERIFY(lanes_->lanes()[1]->lostWords()->text().contains(QStringLiteral("the rig has no such derived signal")));
        undo();
        QCOMPARE(derived().size(), std::size_t{2});
        QVERIFY(lanes_->lanes()[1]->lostWords() == nullptr);
        QTRY_VERIFY(lanes_->lanes()[1]->complete());
        undo();
        QCOMPARE(derived()[0].name, std::string("DepthError"));
        QCOMPARE(lanes_->arrangement()[1][0], QStringLiteral(":DepthError"));
        stage().derive().undoStack().setIndex(0);
    }

    void howACurveIsDrawnIsSetWhereItIsExplained()
    {
        lanes_->arrange({LaneSetUp{bladeDepth, QStringLiteral("Chassis:TractionState.WheelSlip")},
            LaneSetUp{QStringLiteral("Implement:BladeState.BladeMode")}});
        choose(bladeDepth);
        inspector_->repaint();
        auto* panel = in<CurvePanel>("curvePanel");
        QTRY_VERIFY(panel->isVisible());
        const auto press = [&](const char* name) { QTest::mouseClick(in<QPushButton>(name), Qt::LeftButton); };
        press("drawnScale1");
        QCOMPARE(lanes_->arrangement()[0].scale, LaneSetUp::Scale::window);
        press("drawnAxis0");
        QVERIFY(lanes_->arrangement()[0].own);
        press("drawnForm2");
        QCOMPARE(lanes_->arrangement()[0].form, LaneSetUp::Form::lines);
        press("drawnForm1");
        QCOMPARE(lanes_->arrangement()[0].form, LaneSetUp::Form::steps);
        auto* log = in<QCheckBox>("drawnLog");
        const QPoint box(6, log->height() / 2);
        QTest::mouseClick(log, Qt::LeftButton, {}, box);
        QVERIFY(lanes_->arrangement()[0].logarithmic);
        QTest::mouseClick(log, Qt::LeftButton, {}, box);
        // Ends by hand: each by itself is not yet a scale.
        in<QLineEdit>("drawnFrom")->setFocus();
        in<QLineEdit>("drawnFrom")->selectAll();
        QTest::keyClicks(in<QLineEdit>("drawnFrom"), QStringLiteral("5"));
        QTest::keyClick(in<QLineEdit>("drawnFrom"), Qt::Key_Tab);
        write(in<QLineEdit>("drawnTo"), QStringLiteral("7.5"));
        QCOMPARE(lanes_->arrangement()[0].scale, LaneSetUp::Scale::hand);
        QCOMPARE(lanes_->arrangement()[0].hand.at(bladeDepth), (std::pair{5.0, 7.5}));
        QTRY_COMPARE(lanes_->lanes()[0]->axisOf(0)->range().upper, 7.5);
        // What is dragged in the lane stands here.
        LaneSetUp next = lanes_->arrangement()[0];
        next.hand[bladeDepth] = {1, 2};
        lanes_->changeLane(0, next, QStringLiteral("scale"));
        QTRY_COMPARE(in<QLineEdit>("drawnTo")->text(), QStringLiteral("2"));
        QVERIFY(lanes_->undoStack()->canUndo());
        // Places, with the keys of the lanes.
        stage().setMarks({stage().timeOf(46.9), stage().timeOf(48.1)});
        stage().setCursor(stage().timeOf(45));
        QTRY_VERIFY(panel->settled());
        const auto expected = [&](measure::SignalSeries::Place what, const char* words, Time cursor) {
            const auto at = lanes_->lanes()[0]->curves()[0].series->next(
                stage().snapshot(), what, cursor, false, stage().timeOf(46.9), stage().timeOf(48.1));
            return QLatin1String(words) + QLatin1Char(' ') + (at ? timeWords(stage().seconds(*at), 3) : QStringLiteral("none here"));
        };
        using Place = measure::SignalSeries::Place;
        QTRY_COMPARE(panel->places(),
            (QStringList{expected(Place::rise, "rise", stage().timeOf(45)), expected(Place::fall, "fall", stage().timeOf(45)),
                expected(Place::change, "change", stage().timeOf(45)), expected(Place::largest, "largest", stage().timeOf(45)),
                expected(Place::smallest, "smallest", stage().timeOf(45)), expected(Place::gap, "gap", stage().timeOf(45))}));
        QVERIFY(panel->places()[3].endsWith(QStringLiteral(" s")) && panel->places()[5] == QStringLiteral("gap none here"));
        const Time cursor = stage().cursor();
        QTest::mouseClick(in<QAbstractButton>("goToR"), Qt::LeftButton);
        QVERIFY(stage().cursor() > cursor);
        QTest::mouseClick(in<QAbstractButton>("goToR"), Qt::LeftButton, Qt::ShiftModifier);
        QVERIFY(stage().cursor() <= cursor);
        stage().setMarks({});
        // A band has no scale, and can be drawn as steps.
        choose(QStringLiteral("Implement:BladeState.BladeMode"));
        inspector_->repaint();
        QTRY_VERIFY(in<QPushButton>("drawnForm0")->isVisible() && in<QPushButton>("drawnForm0")->isChecked());
        QVERIFY(!in<QLineEdit>("drawnFrom")->isVisible() && !in<QPushButton>("drawnAxis0")->isVisible());
        press("drawnForm1");
        QVERIFY(lanes_->lanes()[1]->band() == nullptr);
        QVERIFY(in<QLineEdit>("drawnFrom")->isVisible());
        // Where no lane draws it, there is nothing to set.
        choose(QStringLiteral("Implement:WaterState.Flow"));
        inspector_->repaint();
        QTRY_VERIFY(!panel->isVisible());
        QVERIFY(in<QPushButton>("plotSignal")->isVisible());
        window_->showPage(QStringLiteral("Watch"));
        choose(bladeDepth);
        inspector_->repaint();
        QTRY_VERIFY(!panel->isVisible());
        window_->showPage(QStringLiteral("Analyse"));
        inspector_->repaint();
        QTRY_VERIFY(panel->isVisible());
    }

    void aCurveThatIsLostSaysWhyAndOffersAnother()
    {
        lanes_->arrange({LaneSetUp{bladeDepth, QStringLiteral("Implement:BladeState.BladeDeepth")},
            LaneSetUp{QStringLiteral("Implement:OldState.Flow")}, LaneSetUp{QStringLiteral("Nowhere:BladeState.NothingLikeIt")}});
        const auto words = [&](std::size_t lane) { return lanes_->lanes()[lane]->lostWords(); };
        QVERIFY(words(0) != nullptr && words(1) != nullptr && words(2) != nullptr);
        QVERIFY(words(0)->isVisible());
        QVERIFY(words(0)->text().contains(QStringLiteral("BladeState of Implement has no such signal")));
        QVERIFY(words(0)->text().contains(QStringLiteral("Draw BladeDepth of BladeState instead")));
        QVERIFY(words(1)->text().contains(QStringLiteral("no database of Implement has the message OldState")));
        QVERIFY(words(1)->text().contains(QStringLiteral("Draw Flow of WaterState instead")));
        QVERIFY(
            words(2)->text().contains(QStringLiteral("there is no bus Nowhere")) && !words(2)->text().contains(QStringLiteral("next:")));
        // It stays with the page as long as nobody decides.
        QVERIFY(lanes_->save().dump().find("OldState.Flow") != std::string::npos);
        const Arrangement before = lanes_->arrangement();
        Q_EMIT words(1)->linkActivated(QStringLiteral("next:0"));
        QTRY_COMPARE(lanes_->arrangement()[1][0], QStringLiteral("Implement:WaterState.Flow"));
        QVERIFY(words(1) == nullptr);
        QTRY_VERIFY(lanes_->lanes()[1]->complete());
        Q_EMIT words(2)->linkActivated(QStringLiteral("away:0"));
        QTRY_COMPARE(lanes_->arrangement().size(), std::size_t{2});
        // What is there already is not drawn twice.
        Q_EMIT words(0)->linkActivated(QStringLiteral("next:0"));
        QTRY_COMPARE(lanes_->arrangement()[0].size(), std::size_t{1});
        for (int i = 0; i < 3; ++i)
            QTest::keyClick(lanes_, Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(lanes_->arrangement() == before);
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    DeriveTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "derive_test.moc"
