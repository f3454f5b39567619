// SPDX-License-Identifier: GPL-3.0-or-later
// Lanes by eye and hand: what is drawn of values that came, of such that did not, and of many; heads, places to drop, keys.
#include <QApplication>
#include <QDragEnterEvent>
#include <QFile>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QScrollArea>
#include <QScrollBar>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <QWheelEvent>

#include <cmath>

#include "app/lanes/lane_graph.h"
#include "app/lanes/lanes_view.h"
#include "app/parts/in_place.h"
#include "app/shell/main_window.h"
#include "app/stage/signal_drag.h"
#include "app/theme/theme.h"
#include "formats/log_file.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

constexpr Time cycle = std::chrono::milliseconds(100);
constexpr int cycles = 200;             // 20 s
constexpr int silentFrom = 40;          // 4.0 s: the last one before it came at 3.9 s
constexpr int silentTo = 65;            // 6.5 s
constexpr int manySignals = 16;
constexpr std::uint64_t longRows = 1'000'000;

const QString rate = QStringLiteral("Bench:Flow.Rate");
const QString mode = QStringLiteral("Bench:Flow.Mode");
QString many(int i) { return QStringLiteral("Bench:Many.Channel%1").arg(i, 2, 10, QLatin1Char('0')); }

QByteArray databaseText()
{
    QByteArray text = "VERSION \"\"\nBU_: Pump Panel\n"
                      "BO_ 256 Flow: 8 Pump\n SG_ Rate : 0|16@1+ (0.1,0) [0|500] \"l/min\" Panel\n SG_ Mode : 16|8@1+ (1,0) [0|3] \"\" "
                      "Panel\n SG_ Heat : 24|8@1+ (1,0) [0|200] \"degC\" Panel\n SG_ Open : 32|1@1+ (1,0) [0|1] \"\" Panel\n"
                      "BO_ 512 Many: 16 Pump\n";
    for (int i = 0; i < manySignals; ++i)
        text +=
            QStringLiteral(" SG_ Channel%1 : %2|8@1+ (1,0) [0|255] \"bar\" Panel\n").arg(i, 2, 10, QLatin1Char('0')).arg(i * 8).toUtf8();
    text += "BA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 65535;\nBA_DEF_DEF_ \"GenMsgCycleTime\" 0;\nBA_ \"GenMsgCycleTime\" BO_ 256 100;\n"
            "VAL_ 256 Mode 0 \"off\" 1 \"priming\" 2 \"running\" 3 \"fault\" 255 \"not available\" ;\nVAL_ 256 Heat 254 \"error\" 255 "
            "\"not available\" ;\n";
    return text;
}

can::Frame flowAt(Time time, unsigned tenths, std::uint8_t chosen)
{
    can::Frame frame;
    frame.time = time;
    frame.id = {0x100, false};
    frame.length = frame.dlc = 8;
    frame.data = {};
    frame.data[0] = static_cast<std::uint8_t>(tenths & 0xFF);
    frame.data[1] = static_cast<std::uint8_t>(tenths >> 8);
    frame.data[2] = chosen;
    return frame;
}

}  // namespace

class LanesTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    rig::Rig rig_;
    std::unique_ptr<MainWindow> window_;

    Stage& stage() { return window_->stage(); }
    LanesView* lanes()
    {
        window_->showPage(QStringLiteral("Analyse"));
        return window_->currentPage()->find<LanesView>();
    }
    bool write(const QString& name, const QByteArray& bytes)
    {
        QFile file(folder_.filePath(name));
        return file.open(QIODevice::WriteOnly) && file.write(bytes) == bytes.size();
    }
    std::unique_ptr<MainWindow> open(const QString& log)
    {
        auto made = std::make_unique<MainWindow>(RunDocument::log(folder_.filePath(log).toStdString(), rig_));
        made->setAttribute(Qt::WA_DeleteOnClose, false);
        made->resize(1280, 800);
        made->show();
        return made;
    }
    void look(double from, double to)
    {
        stage().setWindow(stage().timeOf(from), stage().timeOf(to));
        for (Lane* lane : lanes()->lanes()) {
            QTRY_VERIFY(std::abs(lane->plot()->xAxis->range().lower - stage().seconds(stage().windowFrom())) < 1e-6
                        && std::abs(lane->plot()->xAxis->range().upper - stage().seconds(stage().windowTo())) < 1e-6);
            lane->plot()->replot();
        }
    }
    /// Pixels of the bus's hue in the column of a moment.
    static int inkAt(TimePlot* plot, double seconds)
    {
        const QImage image = plot->grab().toImage();
        const double ratio = image.devicePixelRatio();
        const int x = static_cast<int>(plot->xAxis->coordToPixel(seconds) * ratio);
        const QColor hue = Theme::get().bus(0);
        int found = 0;
        const QRect area = plot->axisRect()->rect();
        for (int y = static_cast<int>(area.top() * ratio); y <= static_cast<int>(area.bottom() * ratio) && y < image.height(); ++y) {
            const QColor at = image.pixelColor(x, y);
            found += at.hslSaturation() > 60 && std::abs(at.hslHue() - hue.hslHue()) < 12 ? 1 : 0;      // half a pixel is one
        }
        return found;
    }

private Q_SLOTS:
    // Of many points of a pixel, the column reaches from the smallest to the largest; what holds goes on between, and gaps stay.
    void manyPointsOfAPixelFillItsColumn()
    {
        QCustomPlot plot;
        plot.resize(400, 120);
        plot.axisRect()->setAutoMargins(QCP::msNone);
        plot.axisRect()->setMargins(QMargins(0, 0, 0, 0));
        for (QCPAxis* axis : {plot.xAxis, plot.yAxis}) {
            axis->setVisible(false);
            axis->grid()->setVisible(false);
        }
        plot.xAxis->setRange(0, 400);
        plot.yAxis->setRange(0, 120);
        plot.setAntialiasedElements(QCP::aePlottables);
        auto* graph = new LaneGraph(plot.xAxis, plot.yAxis);
        graph->setAdaptiveSampling(false);
        graph->setLineStyle(QCPGraph::lsStepLeft);
        graph->setPen(QPen(Qt::black, 1.4));
        // Each pixel to 150 goes from 20 to 100 and back; from 150 a value holds up to 250; a gap; then one pixel in ten.
        QVector<double> times, values;
        for (int x = 0; x < 150; ++x)
            for (int k = 0; k < 8; ++k) {
                times << x + k / 8.0;
                values << (k == 3 ? 100 : k == 6 ? 20 : 60);
            }
        times << 150 << 250;
        values << 40 << std::nan("");
        for (int x = 300; x < 400; x += 10)
            for (int k = 0; k < 3; ++k) {
                times << x + k / 4.0;
                values << (k == 1 ? 90 : 70);
            }
        graph->setData(times, values, true);
        plot.replot();
        const QImage image = plot.toPixmap(400, 120).toImage();
        const auto dark = [&](int x, int value) { return image.pixelColor(x, 119 - value).lightness() < 90; };
        for (int x = 2; x < 149; ++x)
            QVERIFY2(dark(x, 22) && dark(x, 60) && dark(x, 98) && !dark(x, 12) && !dark(x, 108), qPrintable(QString::number(x)));
        for (int x = 152; x < 248; x += 3)
            QVERIFY2((dark(x, 39) || dark(x, 40)) && !dark(x, 50) && !dark(x, 30), qPrintable(QString::number(x)));
        for (int x = 253; x < 298; ++x)
            for (int value = 5; value < 115; value += 5)
                QVERIFY2(!dark(x, value), qPrintable(QStringLiteral("%1 %2").arg(x).arg(value)));
        QVERIFY(dark(310, 80) && (dark(315, 70) || dark(315, 69)) && !dark(315, 80) && dark(320, 88));
    }

    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        Theme::get().choose(ThemeName::paper);
        QVERIFY(write(QStringLiteral("bench.dbc"), databaseText()));
        QVERIFY(write(QStringLiteral("rig.json"),
            R"({"wavetrope": 1, "name": "bench", "buses": [{"name": "Bench", "rate": "500k", "databases": ["bench.dbc"]}]})"));
        const auto rig = rig::loadRig(folder_.filePath(QStringLiteral("rig.json")).toStdString());
        QVERIFY2(rig.has_value(), rig ? "" : rig.error().text().c_str());
        rig_ = *rig;
        const trace::TraceBus bus{"Bench", {}};
        auto file = formats::LogFile::create(folder_.filePath(QStringLiteral("bench.pcapng")).toStdString(), std::span(&bus, 1));
        QVERIFY(file.has_value());
        for (int i = 0; i < cycles; ++i) {
            if (i < silentFrom || i >= silentTo)
                (*file)->write(flowAt(i * cycle, 1000 + static_cast<unsigned>(i), static_cast<std::uint8_t>(i / 50)).view());
            if (i % 40 == 0) {
                can::Frame frame;
                frame.time = i * cycle + std::chrono::microseconds(500);
                frame.id = {0x200, false};
                frame.kind = can::FrameKind::fd;
                frame.length = manySignals;
                frame.dlc = can::dlcOfLength(manySignals);
                for (int k = 0; k < manySignals; ++k)
                    frame.data[static_cast<std::size_t>(k)] = static_cast<std::uint8_t>(100 + k * 10);
                (*file)->write(frame.view());
            }
        }
        QVERIFY((*file)->finish().has_value());
        window_ = open(QStringLiteral("bench.pcapng"));
        QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
        QTRY_VERIFY(window_->document().ready() && stage().snapshot().rows() > 170);
    }
    void cleanupTestCase()
    {
        window_->closeWithoutAsking();
        window_.reset();
    }

    void aValueHoldsAndSilenceBreaksTheCurve()
    {
        lanes()->arrange({{rate}});
        QTRY_VERIFY(lanes()->lanes()[0]->complete() && !lanes()->lanes()[0]->curves()[0].graph->data()->isEmpty());
        look(3, 8);
        Lane* lane = lanes()->lanes()[0];
        const QCPGraph* graph = lane->curves()[0].graph;
        QCOMPARE(graph->lineStyle(), QCPGraph::lsStepLeft);
        int points = 0;
        bool broken = false;
        for (const QCPGraphData& point : *graph->data()) {
            broken = broken || (std::isnan(point.value) && point.key > 3.9 && point.key < 6.5);
            points += std::isnan(point.value) ? 0 : 1;
            QVERIFY2(std::isnan(point.value) || point.key <= 4.0 + 1e-9 || point.key >= 6.5 - 1e-9, qPrintable(QString::number(point.key)));
        }
        QVERIFY(broken && points > 20);
        // And in the picture: ink where values came, none where they did not.
        for (const double at : {3.25, 3.75, 7.05, 7.55})
            QVERIFY2(inkAt(lane->plot(), at) > 0, qPrintable(QString::number(at)));
        for (const double at : {4.25, 5.0, 5.75, 6.4})
            QCOMPARE(inkAt(lane->plot(), at), 0);
        // A step, no slope: half a cycle behind a value the picture still has it.
        const QCPGraphData* before = &*graph->data()->findBegin(3.5, false);
        QVERIFY(before->value < 104.2);
    }

    void aValueOfThePastIsFainter()
    {
        lanes()->arrange({{rate}});
        QTRY_VERIFY(lanes()->lanes()[0]->complete());
        Lane* lane = lanes()->lanes()[0];
        bool holds = false;
        stage().setCursor(stage().timeOf(3.95));
        QCOMPARE(lane->head()->reading(lane->curves()[0], &holds), QStringLiteral("103.9 l/min"));
        QVERIFY(holds);
        stage().setCursor(stage().timeOf(5.5));
        QCOMPARE(lane->head()->reading(lane->curves()[0], &holds), QStringLiteral("103.9 l/min"));
        QVERIFY(!holds);
        stage().setCursor(stage().timeOf(6.55));
        QCOMPARE(lane->head()->reading(lane->curves()[0], &holds), QStringLiteral("106.5 l/min"));
        QVERIFY(holds);
    }

    void singleValuesAreMarkedWhereTheyStandApart()
    {
        lanes()->arrange({{many(3)}});
        QTRY_VERIFY(lanes()->lanes()[0]->complete());
        look(0, 20);
        Lane* lane = lanes()->lanes()[0];
        QVERIFY(!lane->curves()[0].graph->scatterStyle().isNone());
        // The mark itself: taller than the line beside it.
        QVERIFY(inkAt(lane->plot(), 12.0005) >= inkAt(lane->plot(), 13) + 2);
    }

    void enumerationsStandAsNames()
    {
        LaneSetUp steps{mode};
        steps.form = LaneSetUp::Form::steps;
        lanes()->arrange({steps});
        QTRY_VERIFY(lanes()->lanes()[0]->complete());
        look(0, 20);
        Lane* lane = lanes()->lanes()[0];
        const QVector<QString> labels = lane->plot()->yAxis->tickVectorLabels();
        for (const char* name : {"off", "priming", "running", "fault"})
            QVERIFY2(labels.contains(QLatin1String(name)), name);
        for (const QString& label : labels)
            QVERIFY2(!label.isEmpty() && !label[0].isDigit(), qPrintable(label));
        // In full, and within the plot: what is cut by its edge is not drawn at all.
        for (const double value : {0.0, 3.0}) {
            const double y = lane->plot()->yAxis->coordToPixel(value);
            QVERIFY(y > 8 && y < lane->plot()->height() - 8);
        }
        QVERIFY(lane->plot()->axisRect()->left() > QFontMetrics(Theme::get().mono(9.8)).horizontalAdvance(QStringLiteral("priming")));
        // What marks that there is no value does not press the others together; a number with such marks stays a number.
        QVERIFY(std::abs(lane->plot()->yAxis->coordToPixel(0) - lane->plot()->yAxis->coordToPixel(3))
                > lane->plot()->axisRect()->height() / 2.0);
        lanes()->arrange({{QStringLiteral("Bench:Flow.Heat")}});
        QTRY_VERIFY(lanes()->lanes()[0]->complete());
        lanes()->lanes()[0]->plot()->replot();
        QVERIFY(!lanes()->lanes()[0]->plot()->yAxis->tickVectorLabels().contains(QStringLiteral("error")));
        // Two that mean different things by a value have a scale of numbers.
        lanes()->arrange({{mode, rate}});
        QTRY_VERIFY(lanes()->lanes()[0]->complete());
        QVERIFY(!lanes()->lanes()[0]->plot()->yAxis->tickVectorLabels().contains(QStringLiteral("priming")));
        lanes()->arrange({{mode}});
        lane = lanes()->lanes()[0];
        QTRY_VERIFY(lane->complete());
        stage().setCursor(stage().timeOf(11));
        QVERIFY(lane->head()->reading(lane->curves()[0]).contains(QStringLiteral("running")));
    }

    void whatIsCountedHasNoTicksBetween()
    {
        lanes()->add(QStringLiteral("Bench:Flow.Open"));
        look(0, 3);
        const QCPAxis* scale = lanes()->lanes().back()->plot()->yAxis;
        QVERIFY(scale->ticker()->tickCount() > 0 && !scale->tickVector().isEmpty());
        for (const double tick : scale->tickVector())
            QCOMPARE(tick, std::round(tick));
        QVERIFY(scale->tickVector().contains(0) && scale->tickVector().contains(1));
        lanes()->remove(QStringLiteral("Bench:Flow.Open"));
    }
    void theHeadOfALaneHasAllItsValues()
    {
        std::vector<QString> all;
        for (int i = 0; i < manySignals; ++i)
            all.push_back(many(i));
        stage().setCursor(stage().timeOf(13));
        for (const double scale : {1.0, 1.4}) {
            Theme::get().setScale(scale);
            for (const std::size_t count : {std::size_t{1}, std::size_t{2}, std::size_t{5}, std::size_t{9}, std::size_t{16}}) {
                lanes()->arrange(
                    {std::vector<QString>(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(count)), {rate}, {mode}, {many(15)}});
                Lane* lane = lanes()->lanes()[0];
                LaneHead* head = lane->head();
                QTRY_VERIFY(lane->complete() && head->height() > 40 && head->width() > 100);
                QApplication::processEvents();
                head->grab();
                std::vector<bool> seen(count);
                for (;;) {
                    std::vector<QRect> places;
                    for (std::size_t i = 0; i < count; ++i) {
                        const QRect rect = head->rectOf(i);
                        if (rect.isEmpty())
                            continue;
                        seen[i] = true;
                        QVERIFY2(head->rect().contains(rect), qPrintable(QStringLiteral("%1 of %2").arg(i).arg(count)));
                        // Its value in full, and some of its name.
                        QVERIFY2(rect.width() >= QFontMetrics(Theme::get().mono()).horizontalAdvance(head->reading(lane->curves()[i]))
                                                     + (head->columns() == 0 ? 0 : Theme::get().px(18 + 40)),
                            qPrintable(QStringLiteral("%1 of %2: %3 px").arg(i).arg(count).arg(rect.width())));
                        for (const QRect& other : places)
                            QVERIFY(!other.intersects(rect));
                        places.push_back(rect);
                        QCOMPARE(head->curveAt(rect.center()), static_cast<int>(i));
                    }
                    if (head->scrollBar()->value() == head->scrollBar()->maximum())
                        break;
                    QWheelEvent wheel(QPointF(20, 20), head->mapToGlobal(QPointF(20, 20)), {}, QPoint(0, -120), Qt::NoButton,
                        Qt::NoModifier, Qt::NoScrollPhase, false);
                    const int before = head->scrollBar()->value();
                    QApplication::sendEvent(head, &wheel);
                    QVERIFY(head->scrollBar()->value() > before);
                }
                QVERIFY2(std::find(seen.begin(), seen.end(), false) == seen.end(),
                    qPrintable(QStringLiteral("%1 at text %2").arg(count).arg(scale)));
            }
        }
        Theme::get().setScale(1);
        // A click on a name chooses its signal.
        lanes()->arrange({{many(0), many(1), many(2)}});
        Lane* lane = lanes()->lanes()[0];
        QTRY_VERIFY(lane->complete() && lane->head()->height() > 100);
        QTest::mouseClick(lane->head(), Qt::LeftButton, {}, lane->head()->rectOf(2).center());
        QCOMPARE(stage().selection().kind, Selection::Kind::signal);
        QCOMPARE(stage().selection().signal, 2);
    }

    void curvesOfALaneHaveLettersAtTheirEnds()
    {
        lanes()->arrange({{rate, mode}});
        QTRY_VERIFY(lanes()->lanes()[0]->complete());
        look(0, 20);
        Lane* lane = lanes()->lanes()[0];
        double last = 0;
        for (std::size_t i = 0; i < 2; ++i) {
            const QCPItemText* letter = lane->curves()[i].letter;
            QVERIFY(letter != nullptr && letter->visible());
            QCOMPARE(letter->text(), LaneHead::letterOf(i));
            QVERIFY(letter->position->key() > 19 && letter->position->key() <= 20);
            QVERIFY(letter->position->key() != last);
            last = letter->position->key();
        }
        QVERIFY(lane->curves()[1].graph->pen().style() != lane->curves()[0].graph->pen().style());     // of one bus
        // Where a curve ended before, its letter stands there, and not behind it.
        look(3, 6);
        QTRY_VERIFY(std::abs(lane->curves()[0].letter->position->key() - 4.0) < 0.11);
    }

    void manyLanesScrollOverATimeAxisThatStays()
    {
        const QSize before = window_->size();
        const int least = lanes()->minimumSizeHint().height();
        LanesView::Arrangement twenty;
        for (int i = 0; i < 20; ++i)
            twenty.push_back({i < manySignals ? many(i) : rate});
        lanes()->arrange(twenty);
        auto* scroll = lanes()->findChild<QScrollArea*>();
        QVERIFY(scroll != nullptr);
        QTRY_VERIFY(scroll->verticalScrollBar()->maximum() > 0);
        QCOMPARE(window_->size(), before);
        QVERIFY(lanes()->minimumSizeHint().height() <= least + 40);
        const QWidget* axis = nullptr;
        for (const TimePlot* plot : lanes()->findChildren<TimePlot*>())
            if (!scroll->isAncestorOf(plot))
                axis = plot;
        QVERIFY(axis != nullptr && axis->isVisible());
        const QPoint at = axis->mapTo(lanes(), QPoint(0, 0));
        QVERIFY(at.y() + axis->height() <= lanes()->height());
        scroll->verticalScrollBar()->setValue(scroll->verticalScrollBar()->maximum());
        QCOMPARE(axis->mapTo(lanes(), QPoint(0, 0)), at);
        // The axis begins where the plots do.
        QTRY_COMPARE(axis->mapTo(lanes(), QPoint(0, 0)).x(), lanes()->lanes()[19]->plot()->mapTo(lanes(), QPoint(0, 0)).x());
        for (Lane* lane : lanes()->lanes())
            QVERIFY(lane->height() >= 60);
        // The wheel over a head that has no more than it shows moves the lanes.
        QWidget* head = lanes()->lanes()[19]->head();
        QWheelEvent wheel(QPointF(20, 20), head->mapToGlobal(QPointF(20, 20)), {}, QPoint(0, 120), Qt::NoButton, Qt::NoModifier,
            Qt::NoScrollPhase, false);
        QApplication::sendEvent(head, &wheel);
        QVERIFY(!wheel.isAccepted() || scroll->verticalScrollBar()->value() < scroll->verticalScrollBar()->maximum());
    }

    void scalesAndFormsAreChosenAndUndone()
    {
        lanes()->arrange({{rate, mode}});
        look(0, 20);
        const auto lane = [&] { return lanes()->lanes()[0]; };
        QTRY_VERIFY(lane()->complete());
        const auto trigger = [&](const char* name) {
            QMenu menu;
            lanes()->fillLaneMenu(menu, 0);
            auto* action = menu.findChild<QAction*>(QLatin1String(name));
            QVERIFY2(action != nullptr, name);
            action->trigger();
            QTest::qWait(1);
        };
        QCPAxis* axis = lane()->plot()->yAxis;
        const QCPRange usual = axis->range();
        trigger("scaleWindow");
        const auto seen = lane()->curves()[0].seen;
        QTRY_VERIFY(seen && axis->range().lower <= seen->first && axis->range() != usual);
        const QCPRange window = axis->range();
        look(10, 12);
        QTRY_VERIFY(axis->range() != window);       // it goes with the window
        trigger("scaleRun");
        const QCPRange run = axis->range();
        const auto all = lane()->curves()[0].series->range();
        QVERIFY(run.lower <= all->first && run.upper >= all->second);
        look(0, 20);
        QTRY_VERIFY(lane()->plot()->xAxis->range().lower < 0.1);
        QVERIFY(std::abs(axis->range().lower - run.lower) < 1e-9);      // and that does not
        // An axis for each: at the right, in its hue.
        trigger("scaleOwn");
        QVERIFY(lane()->axisOf(1) == lane()->plot()->yAxis2 && lane()->plot()->yAxis2->visible());
        QVERIFY(lane()->axisOf(0)->range() != lane()->axisOf(1)->range());
        QCOMPARE(lane()->axesAtRight(), 1);
        QTRY_VERIFY(lane()->plot()->axisRect()->right() < lane()->plot()->width() - Theme::get().px(40));
        // Dragged at the axis: by hand, the other one stays; one step back.
        const QCPRange other = lane()->axisOf(1)->range();
        const QCPRange before = axis->range();
        const QPoint at(10, lane()->plot()->axisRect()->center().y());
        QTest::mousePress(lane()->plot(), Qt::LeftButton, {}, at);
        QTest::mouseMove(lane()->plot(), at + QPoint(0, 8));
        QTest::mouseMove(lane()->plot(), at + QPoint(0, 12));
        QTest::mouseRelease(lane()->plot(), Qt::LeftButton, {}, at + QPoint(0, 12));
        QCOMPARE(lane()->setUp().scale, LaneSetUp::Scale::hand);
        QVERIFY(axis->range().lower > before.lower && std::abs(axis->range().size() - before.size()) < 1e-6 * before.size());
        QCOMPARE(lane()->axisOf(1)->range().lower, other.lower);
        // The wheel over it zooms about the pointer, and typing sets an end.
        const double held = axis->pixelToCoord(at.y());
        const double size = axis->range().size();
        for (int turn = 0; turn < 3; ++turn) {
            QWheelEvent wheel(at, lane()->plot()->mapToGlobal(at), {}, QPoint(0, 120), {}, {}, Qt::NoScrollPhase, false);
            QApplication::sendEvent(lane()->plot(), &wheel);
        }
        QVERIFY(axis->range().size() < size * 0.6);
        QVERIFY(std::abs(axis->pixelToCoord(at.y()) - held) < 1e-6 * size);
        QTest::mouseDClick(lane()->plot(), Qt::LeftButton, {}, QPoint(10, lane()->plot()->axisRect()->top() + 5));
        QTest::mouseRelease(lane()->plot(), Qt::LeftButton, {}, QPoint(10, lane()->plot()->axisRect()->top() + 5));
        QVERIFY(lane()->field()->isOpen());
        lane()->field()->selectAll();
        QTest::keyClicks(lane()->field(), QStringLiteral("-9999"));
        QTest::keyClick(lane()->field(), Qt::Key_Return);
        QVERIFY(lane()->field()->isOpen() && lane()->field()->problem().contains(QStringLiteral("above the smallest")));
        lane()->field()->selectAll();
        QTest::keyClicks(lane()->field(), QStringLiteral("5000"));
        QTest::keyClick(lane()->field(), Qt::Key_Return);
        QCOMPARE(axis->range().upper, 5000.0);
        // Kept with the page, and as it was when it comes back.
        const nlohmann::json kept = lanes()->save();
        lanes()->undoStack()->undo();
        QVERIFY(axis->range().upper < 5000);
        lanes()->undoStack()->undo();       // all turns of the wheel
        QVERIFY(std::abs(axis->range().size() - size) < 1e-6 * size);
        lanes()->undoStack()->undo();
        QCOMPARE(lane()->setUp().scale, LaneSetUp::Scale::run);
        QVERIFY(std::abs(axis->range().lower - before.lower) < 1e-9);
        lanes()->restore(kept);
        QCOMPARE(lanes()->save(), kept);
        QCOMPARE(lane()->plot()->yAxis->range().upper, 5000.0);
        // Forms.
        lanes()->arrange({{rate}});
        QTRY_VERIFY(lane()->complete());
        for (const auto& [name, style] : {std::pair{"formLines", QCPGraph::lsLine}, std::pair{"formPoints", QCPGraph::lsNone},
                 std::pair{"formSteps", QCPGraph::lsStepLeft}}) {
            trigger(name);
            QCOMPARE(lane()->curves()[0].graph->lineStyle(), style);
        }
        trigger("scaleLogarithmic");
        QTRY_VERIFY(lane()->plot()->yAxis->scaleType() == QCPAxis::stLogarithmic && lane()->plot()->yAxis->range().lower > 0);
        lanes()->undoStack()->undo();
        QCOMPARE(lane()->plot()->yAxis->scaleType(), QCPAxis::stLinear);
        // Enumerations that stand alone are a band of their names.
        lanes()->arrange({{mode}});
        QTRY_VERIFY(lane()->complete() && lane()->band() != nullptr && lane()->band()->pieces.size() > 1);
        QVERIFY(!lane()->curves()[0].graph->visible());
        QCOMPARE(
            lane()->band()->nameOf(lane()->band()->pieces[0].value), lane()->curves()[0].source.reading(lane()->band()->pieces[0].value));
        for (std::size_t i = 1; i < lane()->band()->pieces.size(); ++i)
            QVERIFY(lane()->band()->pieces[i].value != lane()->band()->pieces[i - 1].value
                    || lane()->band()->pieces[i].from > lane()->band()->pieces[i - 1].to);
    }

    void lanesAreMovedFoldedAndSizedByHand()
    {
        lanes()->arrange({{rate}, {many(0)}, {many(1), many(2)}});
        QTRY_VERIFY(lanes()->lanes()[2]->height() > 60);
        const auto names = [&] {
            QStringList all;
            for (const LaneSetUp& lane : lanes()->arrangement())
                all << QStringList(lane.paths.begin(), lane.paths.end()).join(QLatin1Char('+'));
            return all;
        };
        const QStringList before = names();
        // A head is dropped in front of another lane: the lane goes there whole; a curve of two leaves the other behind.
        const auto drop = [&](const QString& path, int from, std::size_t onto, double height) {
            const std::unique_ptr<QMimeData> mime(signalData({path}, from));
            Lane* lane = lanes()->lanes()[onto];
            const QPointF at(300, lane->height() * height);
            QDragEnterEvent enter(at.toPoint(), Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(lane, &enter);
            QDropEvent event(at, Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(lane, &event);
            QCoreApplication::processEvents();
        };
        drop(many(0), 1, 0, 0.05);
        QCOMPARE(names(), (QStringList{before[1], before[0], before[2]}));
        drop(many(2), 2, 0, 0.05);
        QCOMPARE(names(), (QStringList{many(2), before[1], before[0], many(1)}));
        drop(many(1), 3, 2, 0.5);
        QCOMPARE(names(), (QStringList{many(2), before[1], before[0] + QLatin1Char('+') + many(1)}));
        // Of two curves in a lane the chosen one is drawn over the other.
        for (const int chosen : {0, 1, 0}) {
            LaneHead* head = lanes()->lanes()[2]->head();
            QTest::mouseClick(head, Qt::LeftButton, {}, head->rectOf(static_cast<std::size_t>(chosen)).center());
            QCPGraph* graph = lanes()->lanes()[2]->curves()[static_cast<std::size_t>(chosen)].graph;
            QCOMPARE(graph->layer()->children().last(), static_cast<QCPLayerable*>(graph));
        }
        for (int i = 0; i < 3; ++i)
            lanes()->undoStack()->undo();
        QCOMPARE(names(), before);
        // The chosen lane goes by keys.
        QTest::mouseClick(lanes()->lanes()[2]->head(), Qt::LeftButton, {}, lanes()->lanes()[2]->head()->rectOf(0).center());
        QTest::keyClick(lanes(), Qt::Key_Up, Qt::ControlModifier);
        QCOMPARE(names(), (QStringList{before[0], before[2], before[1]}));
        lanes()->undoStack()->undo();
        // Folded by a double click on its head.
        LaneHead* head = lanes()->lanes()[1]->head();
        QTest::mouseDClick(head, Qt::LeftButton, {}, head->rectOf(0).center());
        QTest::mouseRelease(head, Qt::LeftButton, {}, head->rectOf(0).center());
        QTRY_VERIFY(lanes()->lanes()[1]->height() == lanes()->lanes()[1]->leastHeight() && !lanes()->lanes()[1]->plot()->isVisible());
        QVERIFY(lanes()->arrangement()[1].folded);
        QTest::keyClick(lanes(), Qt::Key_Z, Qt::ControlModifier);
        QTRY_VERIFY(lanes()->lanes()[1]->plot()->isVisible());
        // Its lower edge is dragged.
        auto* edge = lanes()->lanes()[0]->findChild<QWidget*>(QStringLiteral("laneEdge"));
        QTest::qWait(1);
        const int tall = lanes()->lanes()[0]->height();
        QTest::mousePress(edge, Qt::LeftButton, {}, QPoint(100, 2));
        QTest::mouseMove(edge, QPoint(100, 42));
        QTest::mouseRelease(edge, Qt::LeftButton, {}, QPoint(100, 42));
        QTRY_VERIFY(lanes()->lanes()[0]->height() > tall + 20);
        QVERIFY(lanes()->arrangement()[0].height > 0);
        lanes()->undoStack()->undo();
        QTRY_VERIFY(std::abs(lanes()->lanes()[0]->height() - tall) < 4);
    }

    void severalSignalsComeAtOnce()
    {
        lanes()->arrange({});
        auto* field = window_->findChild<QLineEdit*>(QStringLiteral("lanesPattern"));
        QVERIFY(field != nullptr);
        field->setText(QStringLiteral("/^Flow[.](Rate|Mode)$/"));
        QTest::keyClick(field, Qt::Key_Return);
        QCOMPARE(lanes()->arrangement().size(), std::size_t{2});
        lanes()->undoStack()->undo();
        QCOMPARE(lanes()->arrangement().size(), std::size_t{0});
        QTest::keyClick(field, Qt::Key_Return, Qt::ControlModifier);
        QCOMPARE(lanes()->arrangement().size(), std::size_t{1});
        QCOMPARE(lanes()->arrangement()[0].size(), std::size_t{2});
        // What is wrong with it is told, and nothing comes.
        QSignalSpy told(&stage(), &Stage::told);
        field->setText(QStringLiteral("/(/"));
        QTest::keyClick(field, Qt::Key_Return);
        field->setText(QStringLiteral("NoSuch*"));
        QTest::keyClick(field, Qt::Key_Return);
        QCOMPARE(told.count(), 2);
        QCOMPARE(lanes()->arrangement().size(), std::size_t{1});
        // Dropped together: a lane for each that is not drawn yet.
        const std::unique_ptr<QMimeData> mime(signalData({many(0), rate, many(1)}));
        QDragEnterEvent enter(QPoint(300, lanes()->height() - 5), Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(lanes(), &enter);
        QDropEvent event(QPointF(300, lanes()->height() - 5), Qt::CopyAction, mime.get(), Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(lanes(), &event);
        QCOMPARE(lanes()->arrangement().size(), std::size_t{3});
        lanes()->undoStack()->undo();
        QCOMPARE(lanes()->arrangement().size(), std::size_t{1});
    }

    void aPlaceBetweenLanesIsShownWhileDragging()
    {
        lanes()->arrange({{mode}, {rate}});
        Lane* lane = lanes()->lanes()[1];
        QTRY_VERIFY(lane->height() > 60);
        auto* mark = lane->findChild<QWidget*>(QStringLiteral("dropMark"));
        QVERIFY(mark != nullptr && !mark->isVisible());
        QMimeData mime;
        mime.setData(QLatin1String(signalMime), many(0).toUtf8());
        QDragEnterEvent enter(QPoint(300, 3), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(lane, &enter);
        QVERIFY(enter.isAccepted());
        const auto over = [&](int y) {
            QDragMoveEvent move(QPoint(300, y), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(lane, &move);
            QVERIFY(move.isAccepted() && mark->isVisible());
        };
        const auto accentRows = [&] {
            const QImage image = lane->grab().toImage();
            std::vector<int> rows;
            for (int y = 0; y < image.height(); ++y) {
                int same = 0;
                for (int x = 0; x < image.width(); x += 7)
                    same += image.pixelColor(x, y) == Theme::get().accent ? 1 : 0;
                if (same > image.width() / 7 * 8 / 10)
                    rows.push_back(y);
            }
            return rows;
        };
        over(3);
        QVERIFY(!accentRows().empty() && accentRows().back() < 6);
        over(lane->height() - 3);
        QVERIFY(!accentRows().empty() && accentRows().front() > lane->height() - 8);
        over(lane->height() / 2);
        QVERIFY(accentRows().size() >= 2 && accentRows().front() < 4 && accentRows().back() > lane->height() - 6);  // round the whole lane
        QDragLeaveEvent leave;
        QApplication::sendEvent(lane, &leave);
        QVERIFY(!mark->isVisible());
        // Dropped below the last one it becomes a lane there.
        QApplication::sendEvent(lane, &enter);
        QDropEvent drop(QPointF(300, lane->height() - 3), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(lane, &drop);
        QTRY_COMPARE(lanes()->arrangement().size(), std::size_t{3});
        QCOMPARE(lanes()->arrangement()[2][0], many(0));
    }

    void whatIsPlottedByEnterIsTakenAwayByUndo()
    {
        lanes()->arrange({});
        QApplication::setActiveWindow(window_.get());
        QTest::keyClick(window_.get(), Qt::Key_L, Qt::ControlModifier);
        QLineEdit* find = window_->rigTree()->findBox();
        QTRY_VERIFY(find->hasFocus());
        find->selectAll();
        QTest::keyClicks(find, QStringLiteral("Channel07"));
        QTest::keyClick(find, Qt::Key_Return);
        QCOMPARE(lanes()->arrangement().size(), std::size_t{1});
        QTRY_VERIFY(!find->hasFocus());
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(lanes()->arrangement().size(), std::size_t{0});
        QCOMPARE(find->text(), QStringLiteral("Channel07"));  // and the word that was typed stays
        find->clear();
    }

    // However many rows a log has, its curves reach its end.
    void aCurveOfALongLogReachesItsEnd()
    {
        const trace::TraceBus bus{"Bench", {}};
        auto file = formats::LogFile::create(folder_.filePath(QStringLiteral("long.pcapng")).toStdString(), std::span(&bus, 1));
        QVERIFY(file.has_value());
        for (std::uint64_t i = 0; i < longRows; ++i)
            (*file)->write(flowAt(static_cast<std::int64_t>(i) * std::chrono::microseconds(250), static_cast<unsigned>(i / 300), 2).view());
        QVERIFY((*file)->finish().has_value());
        auto shown = open(QStringLiteral("long.pcapng"));
        shown->showPage(QStringLiteral("Analyse"));
        auto* view = shown->currentPage()->find<LanesView>();
        view->arrange({{rate}});
        // A lane has no curve before the window has taken over what the reading prepared.
        const auto drawn = [&] {
            return shown->document().ready() && !view->lanes().empty() && !view->lanes()[0]->curves().empty()
                   && view->lanes()[0]->curves()[0].series->size() == longRows;
        };
        QTRY_VERIFY_WITH_TIMEOUT(drawn(), 60'000);
        shown->stage().setWindow(shown->stage().wholeFrom(), shown->stage().newest());
        // Lanes are made anew when the window hears that the log has been read.
        const auto points = [&] { return view->lanes()[0]->curves()[0].graph->data(); };
        QTRY_VERIFY(!points()->isEmpty() && (points()->constEnd() - 1)->key > 249.9);
        QVERIFY(points()->size() < 20'000);  // as many as the columns want
        shown->closeWithoutAsking();
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    LanesTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "lanes_test.moc"
