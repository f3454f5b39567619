// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of the window by themselves: colours that can be read, texts, the time axis, keys and gestures of each view.
#include <QAbstractButton>
#include <QApplication>
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QCompleter>
#include <QContextMenuEvent>
#include <QFile>
#include <QInputDialog>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QScrollBar>
#include <QSignalSpy>
#include <QSlider>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>
#include <QToolButton>
#include <QWheelEvent>

#include <cmath>

#include "answers.h"
#include "app/events/events_view.h"
#include "app/inspector/inspector_view.h"
#include "app/lanes/lanes_view.h"
#include "app/load/load_view.h"
#include "app/shares/shares_view.h"
#include "app/nodes/nodes_view.h"
#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/playback/playback_view.h"
#include "app/roster/roster_view.h"
#include "app/shell/main_window.h"
#include "app/stage/narrowing.h"
#include "app/stream/stream_view.h"
#include "app/theme/theme.h"
#include "formats/log_file.h"

using namespace wavetrope;
using namespace wavetrope::app;

namespace {

// Relative luminance and contrast of two colours, as accessibility guidelines for content on the web define them.
double luminance(const QColor& colour)
{
    const auto part = [](double c) { return c <= 0.03928 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4); };
    return 0.2126 * part(colour.redF()) + 0.7152 * part(colour.greenF()) + 0.0722 * part(colour.blueF());
}

double contrast(const QColor& a, const QColor& b)
{
    const double la = luminance(a);
    const double lb = luminance(b);
    return (std::max(la, lb) + 0.05) / (std::min(la, lb) + 0.05);
}

void wheel(QWidget* target, QPointF at, int steps, Qt::KeyboardModifiers modifiers = Qt::NoModifier)
{
    QWheelEvent event(at, target->mapToGlobal(at), {}, QPoint(0, steps * 120), Qt::NoButton, modifiers, Qt::NoScrollPhase, false);
    QApplication::sendEvent(target, &event);
}

}  // namespace

class WidgetsTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    QString path_;
    rig::Rig rig_;
    MainWindow* window_ = nullptr;

    Stage& stage() { return window_->stage(); }
    template <class T>
    T* view(const char* page)
    {
        window_->showPage(QString::fromLatin1(page));
        return window_->currentPage()->find<T>();
    }
    void choose(const char* message, int signal = -1)
    {
        for (const auto& entry : stage().catalog().messages())
            if (entry.message->name == message) {
                Selection selection;
                selection.kind = signal < 0 ? Selection::Kind::message : Selection::Kind::signal;
                selection.bus = entry.bus;
                selection.id = entry.message->id;
                selection.signal = signal;
                stage().select(selection);
            }
    }

private Q_SLOTS:
    void initTestCase()
    {
        Theme::get().choose(ThemeName::paper);
        rig_ = *rig::loadRig(WAVETROPE_DEMO "/rig.json");
        path_ = folder_.filePath("run.pcapng");
        rig::SessionOptions options;
        options.measured = false;
        auto session = rig::Session::create(rig_, rig::loadDatabases(rig_), options);
        QVERIFY(session.has_value());
        QVERIFY((*session)->record(path_.toStdString()).has_value());
        (*session)->runFor(std::chrono::seconds(33), nullptr);
        QVERIFY((*session)->finishRecording().has_value());
        window_ = MainWindow::openFile(path_, rig_, nullptr);
        QVERIFY(window_ != nullptr);
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().ready() && stage().snapshot().rows() == window_->document().trace().rows()
                                     && stage().snapshot().rows() > 100'000,
            30'000);
    }
    void cleanupTestCase()
    {
        window_->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), 0U);
    }

    void aFilterIsCompletedByKeys()
    {
        auto* stream = view<StreamView>("Watch");
        FilterLine* line = stream->filterLine();
        line->setText({});
        line->edit()->setFocus();
        QTest::keyClicks(line->edit(), QStringLiteral("from W"));
        QTRY_VERIFY(line->offered().contains(QStringLiteral("WaterUnit")));
        auto* popup = line->findChild<QCompleter*>()->popup();
        QTest::keyClick(popup, Qt::Key_Down);
        QTest::keyClick(popup, Qt::Key_Return);
        QCOMPARE(line->text(), QStringLiteral("from WaterUnit "));
        QTest::keyClicks(line->edit(), QStringLiteral("and WaterState.Valve = "));
        QTRY_VERIFY(line->offered().contains(QStringLiteral("\"open\"")));
        QTest::keyClick(popup, Qt::Key_Escape);
        line->setText(QStringLiteral("bus "));
        line->edit()->setCursorPosition(4);
        QTest::keyClick(line->edit(), Qt::Key_Space, Qt::ControlModifier);
        QTRY_VERIFY(line->offered().contains(QStringLiteral("Implement")));
        QTest::keyClick(popup, Qt::Key_Escape);
        line->setText({});
        QApplication::setActiveWindow(window_);  // which the list was
    }

    void cellsNarrowTheStream()
    {
        auto* stream = view<StreamView>("Watch");
        stage().setCursorRow(1000);
        StreamRows* rows = stream->rows();
        QTRY_VERIFY(rows->count() > 1000);
        const auto menu = [&](const char* what) {
            test::whenPopup<QMenu>(rows, [what](QMenu* shown) {
                for (QAction* action : shown->actions())
                    if (action->objectName() == QLatin1String(what))
                        action->trigger();
                shown->close();
            });
            QContextMenuEvent event(QContextMenuEvent::Keyboard, QPoint(), QPoint());
            QApplication::sendEvent(rows->viewport(), &event);
        };
        const QString id = rows->rowText(static_cast<std::uint64_t>(rows->current())).split(QLatin1Char('\t'))[3];
        menu("onlyThis");
        QCOMPARE(stream->filterLine()->text(), QStringLiteral("id ") + id);
        QTRY_VERIFY(stream->scan() != nullptr && stream->scan()->seen() == stage().snapshot().rows());
        QVERIFY(stage().matches() == stream->scan());
        const auto first = stream->scan()->size();
        for (std::uint64_t i = 0; i < first; i += 1 + first / 50)
            QCOMPARE(rows->rowText(i).split(QLatin1Char('\t'))[3], id);
        stream->filterLine()->setText({});
        menu("notThis");
        QCOMPARE(stream->filterLine()->text(), QStringLiteral("not id ") + id);
        QTRY_COMPARE(stream->scan()->size() + first, stage().snapshot().rows());
        stream->filterLine()->setText({});
        QVERIFY(stage().matches() == nullptr);
        QApplication::setActiveWindow(window_);  // which the menu was
    }

    void cellsNarrowTheRoster()
    {
        auto* roster = view<RosterView>("Watch");
        choose("BladeState");
        auto* rows = roster->findChild<RosterRows*>();
        rows->refresh();
        test::whenPopup<QMenu>(rows, [](QMenu* shown) {
            for (QAction* action : shown->actions())
                if (action->objectName() == QStringLiteral("notThis"))
                    action->trigger();
            shown->close();
        });
        QContextMenuEvent event(QContextMenuEvent::Keyboard, QPoint(), QPoint());
        QApplication::sendEvent(rows->viewport(), &event);
        QVERIFY2(roster->filterLine()->text().endsWith(QStringLiteral("not id 0x181")), qPrintable(roster->filterLine()->text()));
        for (std::uint64_t i = 0; i < rows->count(); ++i)
            QVERIFY(!rows->rowText(i).contains(QStringLiteral("BladeState")));
        roster->filterLine()->setText({});
        QApplication::setActiveWindow(window_);
    }

    void theMenuOfNamedFiltersUsesKeepsAndTakesOut()
    {
        auto* stream = view<StreamView>("Watch");
        FilterLine* line = stream->filterLine();
        auto* named = line->findChild<QToolButton*>(QStringLiteral("namedFilters"));
        const auto within = [&](const std::function<void(QMenu*)>& act) {
            test::whenPopup<QMenu>(line, [act](QMenu* menu) {
                act(menu);
                menu->close();
            });
            QTest::mouseClick(named, Qt::LeftButton);
        };
        line->setText(QStringLiteral("bus Body"));
        within([&](QMenu* menu) {
            test::whenModal<QInputDialog>(line, [](QInputDialog* dialog) {
                dialog->setTextValue(QStringLiteral("the body"));
                dialog->accept();
            });
            menu->findChild<QAction*>(QStringLiteral("keepFilter"))->trigger();
        });
        QCOMPARE(window_->document().rig().namedFilters().count("the body"), std::size_t{1});
        line->setText({});
        within([](QMenu* menu) { menu->actions().front()->trigger(); });
        QVERIFY(line->text().startsWith(QLatin1Char('@')));
        QVERIFY(line->filter().understood() != nullptr);
        keepFilter(stage(), QStringLiteral("the body"), {});
        QCOMPARE(window_->document().rig().namedFilters().count("the body"), std::size_t{0});
        line->setText({});
        QApplication::setActiveWindow(window_);
    }

    void keysGoToTheSameIdentifierAndToPlaces()
    {
        auto* stream = view<StreamView>("Watch");
        stream->filterLine()->setText({});
        stage().setCursorRow(5000);
        const trace::IdentifierIndex identifier = stage().snapshot().identifier(5000);
        QTest::keyClick(stream->rows(), Qt::Key_Down, Qt::ControlModifier);
        const trace::Row next = stage().cursorRow();
        QVERIFY(next > 5000);
        QCOMPARE(stage().snapshot().identifier(next), identifier);
        QTest::keyClick(stream->rows(), Qt::Key_Up, Qt::ControlModifier);
        QCOMPARE(stage().cursorRow(), trace::Row{5000});
        QVERIFY(stream->rows()->goTo(QStringLiteral("row 1,234")));
        QCOMPARE(stage().cursorRow(), trace::Row{1233});
        QVERIFY(stream->rows()->goTo(QStringLiteral("1.5 s")));
        QVERIFY(std::abs(stage().seconds(stage().cursor()) - 1.5) < 1e-9);
        QVERIFY(!stream->rows()->goTo(QStringLiteral("row 0")));
        QVERIFY(!stream->rows()->goTo(QStringLiteral("somewhere")));
    }

    void filtersAreKeptByNameAndUsedEverywhere()
    {
        auto* stream = view<StreamView>("Watch");
        FilterLine* line = stream->filterLine();
        Q_EMIT line->keepWanted(QStringLiteral("water"), QStringLiteral("from WaterUnit"));
        line->setText(QStringLiteral("@water"));
        QTRY_VERIFY(stream->scan() != nullptr && stream->scan()->seen() == stage().snapshot().rows());
        const auto found = stream->scan()->size();
        QVERIFY(found > 0);
        line->setText(QStringLiteral("from WaterUnit"));
        QTRY_VERIFY(stream->scan() != nullptr && stream->scan()->seen() == stage().snapshot().rows());
        QCOMPARE(stream->scan()->size(), found);
        auto* roster = window_->currentPage()->find<RosterView>();
        roster->filterLine()->setText(QStringLiteral("@water"));
        QVERIFY(roster->filterLine()->message().contains(QStringLiteral("of")));
        QVERIFY(!window_->document().rig().document["filters"].empty());
        roster->filterLine()->setText({});
        line->setText({});
        Q_EMIT line->keepWanted(QStringLiteral("water"), QString());
        QVERIFY(window_->document().rig().filters.empty() || window_->document().rig().namedFilters().count("water") == 0);
    }

    void textCanBeReadInBothThemes()
    {
        for (const ThemeName name : {ThemeName::ink, ThemeName::paper}) {
            Theme::get().choose(name);
            const Theme& theme = Theme::get();
            for (const QColor& ground : {theme.ground, theme.surface, theme.raised, theme.accentSoft}) {
                QVERIFY2(contrast(theme.ink, ground) >= 4.5, qPrintable(ground.name()));
                QVERIFY2(contrast(theme.ink2, ground) >= 4.5, qPrintable(ground.name()));
            }
            for (const QColor& ground : {theme.ground, theme.surface}) {
                QVERIFY(contrast(theme.ink3, ground) >= 4.5);
                QVERIFY(contrast(theme.error, ground) >= 4.5);
                QVERIFY(contrast(theme.accent, ground) >= 4.5);
                for (unsigned bus = 0; bus < 8; ++bus)
                    QVERIFY2(contrast(theme.bus(bus), ground) >= 3, qPrintable(BusMark(bus).letter));
            }
            for (const QColor& tint : theme.tint)
                QVERIFY(contrast(theme.ink, tint) >= 4.5);
        }
        QCOMPARE(Theme::get().bus(0), Theme::get().bus(8));
        QCOMPARE(BusMark(3).letter, QStringLiteral("D"));
    }

    void textSizeStaysInItsBounds()
    {
        Theme::get().setScale(9);
        QCOMPARE(Theme::get().scale(), 2.0);
        Theme::get().setScale(0.1);
        QCOMPARE(Theme::get().scale(), 0.8);
        Theme::get().setScale(1);
        QCOMPARE(Theme::get().px(11.5), 12);
    }

    void everyIconIsThere()
    {
        for (const char* name : {"stop", "start", "record", "recording", "now", "more", "close", "add", "rest", "step"}) {
            const QImage image = Theme::get().icon(name, Qt::red).pixmap(32, 32).toImage();
            bool inked = false;
            for (int y = 0; y < image.height(); ++y)
                for (int x = 0; x < image.width(); ++x)
                    inked = inked || qAlpha(image.pixel(x, y)) > 128;
            QVERIFY2(inked, name);
        }
    }

    void timesAreWrittenAsTheSettingsSay_data()
    {
        QTest::addColumn<double>("seconds");
        QTest::addColumn<int>("decimals");
        QTest::addColumn<QString>("asSeconds");
        QTest::addColumn<QString>("asMinutes");
        QTest::newRow("zero") << 0.0 << 2 << "0.00 s" << "0:00.00";
        QTest::newRow("seconds") << 72.489 << 2 << "72.49 s" << "1:12.49";
        QTest::newRow("microseconds") << 72.261795 << 6 << "72.261795 s" << "1:12.261795";
        QTest::newRow("rounded up to a minute") << 59.9996 << 3 << "60.000 s" << "1:00.000";
        QTest::newRow("whole") << 600.0 << 0 << "600 s" << "10:00";
        QTest::newRow("an hour") << 3661.5 << 2 << "3661.50 s" << "1:01:01.50";
        QTest::newRow("before the start") << -1.25 << 2 << "-1.25 s" << "-0:01.25";
    }
    void timesAreWrittenAsTheSettingsSay()
    {
        QFETCH(double, seconds);
        QFETCH(int, decimals);
        QFETCH(QString, asSeconds);
        QFETCH(QString, asMinutes);
        QCOMPARE(timeWords(seconds, decimals), asSeconds);
        QSignalSpy told(&Theme::get(), &Theme::changed);
        setTimeForm(TimeForm::minutes);
        QCOMPARE(told.size(), 1);
        QCOMPARE(timeWords(seconds, decimals), asMinutes);
        setTimeForm(TimeForm::seconds);
        QCOMPARE(timeWords(seconds, decimals), asSeconds);
    }

    void rawNumbersAreWrittenAsTheSettingsSay()
    {
        QCOMPARE(byteText(0x0A), QStringLiteral("0A"));
        QCOMPARE(rawText("-2", 0x3FE, 10), QStringLiteral("-2"));
        setByteBase(NumberBase::decimal);
        setRawBase(NumberBase::hexadecimal);
        QCOMPARE(byteText(0x0A), QStringLiteral("10"));
        QCOMPARE(rawText("-2", 0x3FE, 10), QStringLiteral("0x3FE"));
        QCOMPARE(rawText("1", 1, 16), QStringLiteral("0x0001"));
        setByteBase(NumberBase::hexadecimal);
        setRawBase(NumberBase::decimal);
        QCOMPARE(byteText(0x7F), QStringLiteral("7F"));
    }

    void valuesShowTheDigitsOfTheirScaling_data()
    {
        QTest::addColumn<double>("value");
        QTest::addColumn<double>("factor");
        QTest::addColumn<QString>("text");
        QTest::newRow("hundredth") << 3.2199999 << 0.01 << "3.22";
        QTest::newRow("whole") << 212.0 << 1.0 << "212";
        QTest::newRow("half") << 43.5 << 0.5 << "43.5";
        QTest::newRow("float") << 0.39999 << 1.0 << "0.400";
        QTest::newRow("tens") << 120.0 << 10.0 << "120";
        QTest::newRow("tiny factor") << 1e-7 << 1e-9 << "0.000000";
        QTest::newRow("large") << 4294967297.0 << 1.0 << "4294967297";
        QTest::newRow("none") << std::nan("") << 1.0 << "not a number";
    }
    void valuesShowTheDigitsOfTheirScaling()
    {
        QFETCH(double, value);
        QFETCH(double, factor);
        QFETCH(QString, text);
        QCOMPARE(valueText(value, factor), text);
    }

    void countsAreGrouped()
    {
        QCOMPARE(countText(0), QStringLiteral("0"));
        QCOMPARE(countText(999), QStringLiteral("999"));
        QCOMPARE(countText(1000), QStringLiteral("1,000"));
        QCOMPARE(countText(123456789), QStringLiteral("123,456,789"));
    }

    void theLatticeInksOnesAndUnderlinesWhatChanged()
    {
        const auto paint = [](std::uint8_t byte, bool changed) {
            QImage image(200, 24, QImage::Format_RGB32);
            image.fill(Theme::get().surface);
            QPainter painter(&image);
            measure::BitMask lately;
            if (changed)
                lately.bytes[0] = 0x80;
            measure::BitMask ever;
            ever.bytes[0] = 0xFF;
            paintBitLattice(painter, QRectF(0, 0, 200, 24), &byte, 1, lately, ever);
            painter.end();
            return image;
        };
        const auto has = [](const QImage& image, const QColor& colour) {
            for (int y = 0; y < image.height(); ++y)
                for (int x = 0; x < 5; ++x)  // the cell of bit 7
                    if (image.pixelColor(x, y) == colour)
                        return true;
            return false;
        };
        QVERIFY(has(paint(0x80, false), Theme::get().ink));
        QVERIFY(!has(paint(0x00, false), Theme::get().ink));
        QVERIFY(has(paint(0x80, true), Theme::get().accent));
        QVERIFY(!has(paint(0x80, false), Theme::get().accent));
    }

    void aMissedBeatIsAHoleInRed()
    {
        const auto holes = [](const std::vector<Time>& beats, Time at) {
            QImage image(120, 20, QImage::Format_RGB32);
            image.fill(Theme::get().surface);
            QPainter painter(&image);
            paintRhythm(painter, QRectF(8, 0, 104, 20), beats, std::chrono::milliseconds(20), at);
            painter.end();
            int count = 0;
            for (int x = 0; x < 120; ++x)
                count += image.pixelColor(x, 10) == Theme::get().error ? 1 : 0;
            return count;
        };
        std::vector<Time> even;
        std::vector<Time> gap;
        for (int i = 0; i < 24; ++i) {
            even.push_back(std::chrono::milliseconds(20 * i));
            if (i < 12 || i > 14)
                gap.push_back(std::chrono::milliseconds(20 * i));
        }
        QCOMPARE(holes(even, std::chrono::milliseconds(465)), 0);
        QVERIFY(holes(gap, std::chrono::milliseconds(465)) >= 4);
        QVERIFY(holes(even, std::chrono::milliseconds(600)) >= 4);  // silent since
    }

    void silentTimesAreNeverCut()
    {
        const QFont font = Theme::get().mono();
        const QFontMetricsF metrics(font);
        for (const double seconds :
            {0.2, 9.94, 59.9, 99.99, 123.4, 999.9, 1000.0, 5999.9, 6000.0, 359'999.0, 360'000.0, 3'500'000.0, 8e6, 9e7}) {
            const QString words = silentText(seconds, font, 88);
            QVERIFY2(words.startsWith(QStringLiteral("silent ")) && metrics.horizontalAdvance(words) <= 88, qPrintable(words));
            const QString narrow = silentText(seconds, font, 60);
            QVERIFY2(!narrow.contains(QStringLiteral("silent")) && metrics.horizontalAdvance(narrow) <= 60, qPrintable(narrow));
        }
        QCOMPARE(silentText(2.34, font, 88), QStringLiteral("silent 2.3 s"));
        QCOMPARE(silentText(5400, font, 88), QStringLiteral("silent 90 min"));
        // In the roster, with the width that its column has.
        auto* roster = view<RosterView>("Watch");
        const Columns& columns = roster->rows()->columns();
        for (std::size_t place = 0; place < columns.count(); ++place)
            if (columns.at(place).key == std::string("period"))
                QVERIFY(columns.box(place, 0, 20).width() >= metrics.horizontalAdvance(QStringLiteral("silent 99 min")));
    }

    void zoomingKeepsTheMomentUnderThePointer()
    {
        Timeline* timeline = window_->timeline();
        stage().setWindow(stage().timeOf(10), stage().timeOf(20));
        const double x = timeline->xOf(stage().timeOf(12));
        wheel(timeline, QPointF(x, 40), 1);
        const double width = stage().seconds(stage().windowTo()) - stage().seconds(stage().windowFrom());
        QVERIFY(std::abs(width - 8) < 1e-6);
        QVERIFY(std::abs((12 - stage().seconds(stage().windowFrom())) / width - 0.2) < 1e-3);
        wheel(timeline, QPointF(x, 40), -1);
        QVERIFY(std::abs(stage().seconds(stage().windowTo()) - 20) < 1e-3);
        for (int i = 0; i < 80; ++i)
            wheel(timeline, QPointF(x, 40), 1);
        QVERIFY(stage().windowTo() - stage().windowFrom() >= Stage::narrowestWindow);
        for (int i = 0; i < 120; ++i)
            wheel(timeline, QPointF(x, 40), -1);
        QVERIFY(stage().windowFrom() >= stage().wholeFrom());
        QVERIFY(stage().windowTo() - stage().windowFrom() <= stage().wholeTo() - stage().wholeFrom());
    }

    void theEdgesOfTheWindowAreDragged()
    {
        Timeline* timeline = window_->timeline();
        stage().setWindow(stage().timeOf(10), stage().timeOf(20));
        const auto point = [&](double seconds) { return QPoint(static_cast<int>(std::round(timeline->xOf(stage().timeOf(seconds)))), 40); };
        QTest::mousePress(timeline, Qt::LeftButton, Qt::NoModifier, point(20));
        QTest::mouseMove(timeline, point(25));
        QTest::mouseRelease(timeline, Qt::LeftButton, Qt::NoModifier, point(25));
        QVERIFY(std::abs(stage().seconds(stage().windowTo()) - 25) < 0.1);
        QVERIFY(std::abs(stage().seconds(stage().windowFrom()) - 10) < 1e-6);
        QTest::mousePress(timeline, Qt::LeftButton, Qt::ShiftModifier, point(15));
        QTest::mouseMove(timeline, point(12));
        QTest::mouseRelease(timeline, Qt::LeftButton, Qt::ShiftModifier, point(12));
        QVERIFY(std::abs(stage().seconds(stage().windowFrom()) - 7) < 0.1);
        QVERIFY(std::abs(stage().seconds(stage().windowTo()) - 22) < 0.1);
    }

    void theTimelineIsWalkedByKey()
    {
        Timeline* timeline = window_->timeline();
        stage().setWindow(stage().timeOf(10), stage().timeOf(20));
        stage().setCursor(stage().timeOf(15));
        timeline->setFocus();
        QTest::keyClick(timeline, Qt::Key_Right);
        QVERIFY(std::abs(stage().seconds(stage().cursor()) - 15.1) < 1e-6);
        QTest::keyClick(timeline, Qt::Key_Left, Qt::ControlModifier);
        QVERIFY(std::abs(stage().seconds(stage().cursor()) - 13.1) < 1e-6);
        QTest::keyClick(timeline, Qt::Key_Home);
        QCOMPARE(stage().cursor(), stage().wholeFrom());
        QTest::keyClick(timeline, Qt::Key_End);
        QCOMPARE(stage().cursor(), stage().newest());
        QTest::keyClick(timeline, Qt::Key_Plus);
        QVERIFY(stage().seconds(stage().windowTo()) - stage().seconds(stage().windowFrom()) < 8.1);
    }

    void theCursorNeverLeavesTheRun()
    {
        stage().setCursor(stage().timeOf(-50));
        QCOMPARE(stage().cursor(), stage().wholeFrom());
        stage().setCursor(stage().timeOf(5000));
        QCOMPARE(stage().cursor(), stage().newest());
        stage().setCursorRow(stage().snapshot().rows() + 5);  // no such row: nothing moves
        QCOMPARE(stage().cursor(), stage().newest());
    }

    void theStreamIsWalkedByKeyAndCopied()
    {
        auto* stream = view<StreamView>("Watch");
        stream->filterLine()->setText(QStringLiteral("name WaterState"));
        QTRY_VERIFY(stream->scan() != nullptr && stream->scan()->seen() == stage().snapshot().rows());
        QCOMPARE(stream->scan()->size(), 660U);
        StreamRows* rows = stream->rows();
        rows->setFocus();
        QTest::keyClick(rows, Qt::Key_Home);
        QCOMPARE(stage().cursorRow(), stream->scan()->row(0));
        QTest::keyClick(rows, Qt::Key_Down);
        QTest::keyClick(rows, Qt::Key_Down);
        QCOMPARE(stage().cursorRow(), stream->scan()->row(2));
        QTest::keyClick(rows, Qt::Key_End);
        QCOMPARE(stage().cursorRow(), stream->scan()->row(659));
        QVERIFY(rows->top() + static_cast<std::uint64_t>(rows->visibleRows()) >= 659);
        QTest::keyClick(rows, Qt::Key_PageUp);
        QCOMPARE(stage().cursorRow(), stream->scan()->row(659 - static_cast<std::size_t>(rows->visibleRows())));
        QTest::keyClick(rows, Qt::Key_C, Qt::ControlModifier);
        const QStringList cells = QApplication::clipboard()->text().split(QLatin1Char('\t'));
        QCOMPARE(cells.size(), 7);
        QCOMPARE(cells[2], QStringLiteral("Implement"));
        QCOMPARE(cells[3], QStringLiteral("0x182"));
        QCOMPARE(cells[4], QStringLiteral("WaterState"));
        stream->filterLine()->setText({});
    }

    void theScrollBarReachesEveryRow()
    {
        auto* stream = view<StreamView>("Watch");
        StreamRows* rows = stream->rows();
        QTRY_VERIFY(rows->isVisible());
        rows->refresh();
        QCOMPARE(static_cast<std::uint64_t>(rows->verticalScrollBar()->maximum()),
            stage().snapshot().rows() - static_cast<std::uint64_t>(rows->visibleRows()));
        for (const int value : {0, 1, 77'777, rows->verticalScrollBar()->maximum()}) {
            rows->verticalScrollBar()->setValue(value);
            QCOMPARE(rows->top(), static_cast<std::uint64_t>(value));
        }
        wheel(rows->viewport(), QPointF(100, 60), 1);
        QCOMPARE(rows->top(), static_cast<std::uint64_t>(rows->verticalScrollBar()->maximum()) - 3);
    }

    void aFilterThatNothingPassesSaysSo()
    {
        auto* stream = view<StreamView>("Watch");
        stream->filterLine()->setText(QStringLiteral("id 0x7EE"));
        QTRY_COMPARE(stream->filterLine()->message(), QStringLiteral("0 frames match"));
        QCOMPARE(stream->rows()->count(), 0U);
        window_->grab();  // paints the empty view
        stream->filterLine()->setText({});
    }

    void theInspectorExplainsAMessageAtTheCursor()
    {
        view<RosterView>("Watch");
        choose("WaterState");
        stage().setCursor(stage().timeOf(20));
        QTRY_VERIFY(window_->inspector()->text().startsWith(QStringLiteral("WaterState")));
        const QString text = window_->inspector()->text();
        QVERIFY(text.contains(QStringLiteral("0x182, 8 bytes, from WaterUnit")));
        QVERIFY(text.contains(QStringLiteral("Valve: open")));
        QVERIFY(text.contains(QStringLiteral("Rhythm: promised 50 ms")));
        int before = 0;
        for (trace::Row row = 0; row <= stage().cursorRow(); ++row)
            before += stage().snapshot().frame(row).id.value == 0x182 && stage().snapshot().frame(row).bus == 1 ? 1 : 0;
        QVERIFY(before > 390 && before < 410);
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("Seen so far: %1 times").arg(before)));
        QVERIFY(text.contains(QStringLiteral("The whole run: 660 frames")));
        stage().setCursor(stage().timeOf(2));
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("Valve: closed")));
        stage().setCursor(stage().wholeFrom());
        QTRY_VERIFY(!window_->inspector()->text().contains(QStringLiteral("Valve")));
    }

    void theInspectorExplainsWhatHasNoDefinition()
    {
        Selection selection;
        selection.kind = Selection::Kind::message;
        selection.bus = 1;
        selection.id = {0x6A7, false};
        stage().select(selection);
        stage().setCursor(stage().timeOf(20));
        QTRY_VERIFY(window_->inspector()->text().startsWith(QStringLiteral("undefined\n0x6A7, 8 bytes")));
        QVERIFY(window_->inspector()->text().contains(QStringLiteral("nothing promised")));
    }

    void onlyThisMessageFiltersTheStream()
    {
        auto* stream = view<StreamView>("Watch");
        choose("BladeState");
        for (QPushButton* button : window_->inspector()->findChildren<QPushButton*>())
            if (button->text() == QStringLiteral("Only this message"))
                QTest::mouseClick(button, Qt::LeftButton);
        QCOMPARE(stream->filterLine()->text(), QStringLiteral("id 0x181 and bus \"Implement\""));
        QTRY_VERIFY(stream->scan() != nullptr && stream->scan()->size() == 1650);
        stream->filterLine()->setText({});
    }

    void plottingFromTheInspectorGoesToTheLanes()
    {
        window_->showPage(QStringLiteral("Watch"));
        choose("WaterState", 1);
        QTest::mouseClick(window_->inspector()->findChild<QPushButton*>(QStringLiteral("plotSignal")), Qt::LeftButton);
        QCOMPARE(window_->currentPage()->name(), QStringLiteral("Analyse"));
        auto* lanes = window_->currentPage()->find<LanesView>();
        QCOMPARE(lanes->arrangement().back()[0], QStringLiteral("Implement:WaterState.Temperature"));
        QTest::keyClick(window_, Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(lanes->arrangement().back()[0] != QStringLiteral("Implement:WaterState.Temperature"));
    }

    void lanesScaleByTheDatabaseAndFitOnADoubleClick()
    {
        auto* lanes = view<LanesView>("Analyse");
        lanes->arrange({{QStringLiteral("Implement:WaterState.TankLevel")}});
        stage().setWindow(stage().timeOf(0), stage().timeOf(30));
        Lane* lane = lanes->lanes()[0];
        QTRY_VERIFY(lane->curves()[0].series->size() > 500);
        QVERIFY(lane->plot()->yAxis->range().contains(0) && lane->plot()->yAxis->range().contains(600));
        QTest::mouseDClick(lane->plot(), Qt::LeftButton, Qt::NoModifier, lane->plot()->axisRect()->center());
        QTest::mouseRelease(lane->plot(), Qt::LeftButton, Qt::NoModifier, lane->plot()->axisRect()->center());
        QTRY_VERIFY(!lane->plot()->yAxis->range().contains(0) && lane->plot()->yAxis->range().contains(490));
        QTest::mouseDClick(lane->plot(), Qt::LeftButton, Qt::NoModifier, lane->plot()->axisRect()->center());
        QTest::mouseRelease(lane->plot(), Qt::LeftButton, Qt::NoModifier, lane->plot()->axisRect()->center());
        QTRY_VERIFY(lane->plot()->yAxis->range().contains(0));
    }

    void aClickInALaneSetsTheCursorAndTheWheelZooms()
    {
        auto* lanes = view<LanesView>("Analyse");
        stage().setWindow(stage().timeOf(10), stage().timeOf(20));
        TimePlot* plot = lanes->lanes()[0]->plot();
        QTRY_VERIFY(std::abs(plot->xAxis->range().lower - 10) < 1e-6 && std::abs(plot->xAxis->range().upper - 20) < 1e-6);
        const QPoint at(static_cast<int>(plot->xAxis->coordToPixel(13)), plot->height() / 2);
        QTest::mouseClick(plot, Qt::LeftButton, Qt::NoModifier, at);
        QVERIFY(std::abs(stage().seconds(stage().cursor()) - 13) < 0.05);
        wheel(plot, at, 1);
        QVERIFY(std::abs(stage().seconds(stage().windowTo()) - stage().seconds(stage().windowFrom()) - 8) < 1e-6);
        wheel(plot, at, 1, Qt::ShiftModifier);
        QVERIFY(stage().seconds(stage().windowFrom()) < 10.6 - 0.7);
    }

    void aSignalThatIsNotThereIsNotPlotted()
    {
        auto* lanes = view<LanesView>("Analyse");
        const auto before = lanes->arrangement();
        lanes->add(QStringLiteral("Implement:WaterState.Nothing"));
        lanes->add(QStringLiteral("garbage"));
        QVERIFY(lanes->arrangement() == before);
        lanes->restore(nlohmann::json::parse(R"({"lanes": [["Cellar:X.Y"], 7, [8]]})"));
        QApplication::processEvents();
        window_->grab();
        lanes->arrange(before);
    }

    // Whatever it is averaged over, the area is the mean of the bus.
    void theAreaOfTheLoadIsItsMeanAtEverySpan()
    {
        auto* load = view<LoadView>("Analyse");
        auto* buses = load->tools()->findChild<QComboBox*>();
        QVERIFY(buses != nullptr);
        buses->setCurrentIndex(buses->findText(QStringLiteral("Implement"), Qt::MatchContains));
        auto* slider = load->tools()->findChild<QSlider*>(QStringLiteral("loadSpan"));
        std::vector<double> means;
        for (const int step : {slider->minimum(), (slider->minimum() + slider->maximum()) / 2, slider->maximum()}) {
            slider->setValue(step);
            stage().setWindow(stage().timeOf(10), stage().timeOf(30));
            QTRY_VERIFY(std::abs(load->plot()->xAxis->range().upper - 30) < 1e-6);
            // The area, over what is in view.
            for (int g = 0; g < load->plot()->graphCount(); ++g) {
                const QCPGraph* graph = load->plot()->graph(g);
                if (graph->name() != QLatin1String("mean") || graph->data()->isEmpty())
                    continue;
                double sum = 0;
                for (const QCPGraphData& point : *graph->data())
                    sum += point.value;
                means.push_back(sum / graph->data()->size());
            }
        }
        QCOMPARE(means.size(), std::size_t{3});
        for (const double mean : means)
            QVERIFY2(std::abs(mean - means.back()) < 3 && mean > 10 && mean < 35,
                qPrintable(QStringLiteral("%1, %2, %3").arg(means[0]).arg(means[1]).arg(means[2])));
        stage().setWindow(stage().wholeFrom(), stage().wholeTo());
    }

    void theSpanOfTheLoadIsChosen()
    {
        auto* load = view<LoadView>("Analyse");
        stage().setCursor(stage().timeOf(20.005));
        auto* slider = load->tools()->findChild<QSlider*>(QStringLiteral("loadSpan"));
        slider->setValue(slider->maximum());
        QTRY_VERIFY(std::abs(load->loadAtCursor() - 20.5) < 2);
        slider->setValue(0);
        QVERIFY(load->loadAtCursor() >= 0 && load->loadAtCursor() <= 100);
        QCOMPARE(load->save()["span"], nlohmann::json("1 ms"));
        load->restore(nlohmann::json::parse(R"({"bus": "Scanner", "span": "100 ms"})"));
        QCOMPARE(slider->value(), 6);
        QTRY_VERIFY(std::abs(load->loadAtCursor() - 46) < 4);
        load->restore(nlohmann::json::parse(R"({"bus": "Implement", "span": "20 ms"})"));
    }

    void theTreeFindsMessagesByNumberAndSaysWhenThereIsNothing()
    {
        RigTree* tree = window_->rigTree();
        tree->findBox()->setText(QStringLiteral("0x282"));
        QCOMPARE(tree->tree()->currentItem()->text(0), QStringLiteral("WaterHeater"));
        QTRY_COMPARE(stage().selection().id.value, 0x282U);
        tree->findBox()->setText(QStringLiteral("steam whistle"));
        bool said = false;
        for (QLabel* label : tree->findChildren<QLabel*>())
            said = said || (label->isVisible() && label->text() == QStringLiteral("Nothing is called so."));
        QVERIFY(said);
        tree->findBox()->clear();
    }

    void theRosterIsSortedByItsHeads()
    {
        auto* roster = view<RosterView>("Watch");
        roster->filterLine()->setText(QStringLiteral("bus Implement and not undecoded"));
        RosterRows* rows = roster->rows();
        const auto nameOf = [&](std::size_t i) { return rows->rowText(i).split(QLatin1Char('\t'))[2]; };
        QTest::mouseClick(rows->viewport(), Qt::LeftButton, Qt::NoModifier, rows->headCentre(2));
        for (std::size_t i = 1; i < rows->shown().size(); ++i)
            QVERIFY(nameOf(i - 1) <= nameOf(i));
        QTest::mouseClick(rows->viewport(), Qt::LeftButton, Qt::NoModifier, rows->headCentre(1));
        QCOMPARE(nameOf(0), QStringLiteral("EmergencyOfBlade"));
        rows->setFocus();
        QTest::keyClick(rows, Qt::Key_Home);
        QTest::keyClick(rows, Qt::Key_C, Qt::ControlModifier);
        QVERIFY(QApplication::clipboard()->text().startsWith(QStringLiteral("Implement\t0x081\tEmergencyOfBlade\t")));
        roster->filterLine()->setText({});
    }

    void theRosterShowsTheStateAtTheCursor()
    {
        auto* roster = view<RosterView>("Watch");
        roster->filterLine()->setText(QStringLiteral("name WaterState"));
        stage().setCursor(stage().timeOf(2));
        const QString early = roster->rows()->rowText(0);
        stage().setCursor(stage().timeOf(30));
        QVERIFY(roster->rows()->rowText(0) != early);
        stage().setCursor(stage().timeOf(2));
        QCOMPARE(roster->rows()->rowText(0), early);
        roster->filterLine()->setText({});
    }

    void eventsAreWalkedByKey()
    {
        view<LoadView>("Analyse");
        for (Pane* pane : window_->currentPage()->panes())
            if (pane->count() > 1)
                pane->setCurrent(pane->count() - 1);
        auto* events = window_->currentPage()->find<EventsView>();
        QTRY_VERIFY(events->isVisible());
        stage().setCursor(stage().timeOf(5));
        QTRY_VERIFY(events->count() >= 1);
        auto* rows = events->findChild<QAbstractScrollArea*>(QStringLiteral("eventRows"));
        QTest::keyClick(rows, Qt::Key_Down);
        QCOMPARE(stage().cursor(), events->eventAt(0).time);
        QCOMPARE(stage().selection().kind, Selection::Kind::event);
        for (Pane* pane : window_->currentPage()->panes())
            if (pane->count() > 1)
                pane->setCurrent(0);
    }

    void aLogWindowSaysWhereNodesAndPlaybackAre()
    {
        auto* nodes = view<NodesView>("Drive");
        QVERIFY(nodes->pillOf(QStringLiteral("WaterUnit")).isEmpty());
        auto* playback = window_->currentPage()->find<PlaybackView>();
        bool said = false;
        for (QLabel* label : playback->findChildren<QLabel*>())
            said = said || (label->isVisible() && label->text().contains(QStringLiteral("This window shows a log")));
        QVERIFY(said);
        playback->load(path_);  // does nothing here
        QVERIFY(!window_->runBar()->startStop->isVisible() && !window_->runBar()->record->isVisible());
    }

    void aLogTellsWhichNodesWereHeard()
    {
        auto* nodes = view<NodesView>("Drive");
        stage().setCursor(stage().timeOf(20));
        QTRY_VERIFY(!nodes->senders().empty());
        const auto sender = [&](const char* name) {
            return *std::find_if(nodes->senders().begin(), nodes->senders().end(), [&](const auto& s) { return s.node == name; });
        };
        const auto water = sender("WaterUnit");
        QVERIFY(water.seen > 0 && water.seen <= water.messages);
        QVERIFY(std::all_of(water.heard.begin(), water.heard.end(), [](bool heard) { return heard; }));
        const auto frames = water.frames;
        stage().setCursor(stage().timeOf(4));
        QTRY_VERIFY(sender("WaterUnit").frames < frames / 4);
        // Before the run nothing was heard: the first sixteen of the twenty seconds are empty.
        QVERIFY(!sender("WaterUnit").heard.front() && sender("WaterUnit").heard.back());
        nodes->setFocus();
        QTest::keyClick(nodes, Qt::Key_Down);
        QCOMPARE(stage().selection().kind, Selection::Kind::node);
        // More of them than there is room for: a bar tells, and keys bring them into sight.
        const QSize before = window_->size();
        window_->resize(1000, 560);
        auto* bar = nodes->findChild<QScrollBar*>();
        QTRY_VERIFY(bar != nullptr && bar->isVisible() && bar->maximum() > 0);
        for (std::size_t i = 0; i < nodes->senders().size(); ++i)
            QTest::keyClick(nodes, Qt::Key_Down);
        QCOMPARE(stage().selection().node, QString::fromStdString(nodes->senders().back().node));
        QCOMPARE(bar->value(), bar->maximum());
        for (int i = 0; i < 40; ++i)
            wheel(nodes, QPointF(50, 60), 1);
        QCOMPARE(bar->value(), 0);
        window_->resize(before);
    }

    void aLogIsPlayedInItsRigByOneButton()
    {
        auto* playback = view<PlaybackView>("Drive");
        auto* button = playback->findChild<QPushButton*>(QStringLiteral("chooseLog"));
        QTRY_VERIFY(button->isVisible());
        const std::size_t before = MainWindow::all().size();
        QTest::mouseClick(button, Qt::LeftButton);
        QCOMPARE(MainWindow::all().size(), before + 1);
        MainWindow* rigWindow = MainWindow::all().back();
        QVERIFY(rigWindow->document().isLive());
        QTRY_VERIFY_WITH_TIMEOUT(rigWindow->document().session()->playbackReport().loaded, 30'000);
        QCOMPARE(rigWindow->document().session()->playbackLog()->rows(), stage().snapshot().rows());
        rigWindow->closeWithoutAsking();
    }

    // Whoever asks to see a signal sees it, also where the lanes lie behind another tab.
    void whatIsAskedForComesToTheFront()
    {
        auto* lanes = view<LanesView>("Analyse");
        QTRY_VERIFY(lanes->isVisible());
        Pane* pane = nullptr;
        for (Pane* each : window_->currentPage()->panes())
            for (int i = 0; i < each->count(); ++i)
                pane = each->entries()[static_cast<std::size_t>(i)].view == lanes ? each : pane;
        QVERIFY(pane != nullptr);
        const auto& kinds = viewKinds();
        pane->addView(*std::find_if(kinds.begin(), kinds.end(),
                          [](const ViewKind& kind) { return QLatin1String(kind.kind) == QLatin1String("events"); }),
            nlohmann::json::object());
        QTRY_VERIFY(!lanes->isVisible());
        const std::size_t before = lanes->lanes().size();
        Q_EMIT stage().plotWanted(QStringLiteral("Implement:WaterState.TankLevel"));
        QTRY_VERIFY(lanes->isVisible());
        QVERIFY(lanes->lanes().size() >= before);
        pane->closeView(pane->count() - 1);
        QTRY_VERIFY(lanes->isVisible());
        // Pages know who takes what: the first that does, or the place that its kind has.
        for (const ViewKind& kind : kinds)
            if (kind.place)
                QVERIFY2(nlohmann::json::parse(kind.place->layout).dump().find(kind.kind) != std::string::npos, kind.kind);
        while (lanes->lanes().size() > before)
            lanes->undoStack()->undo();
        QCOMPARE(lanes->lanes().size(), before);
    }

    void theTreeShowsLoadsOfALogAtOnce()
    {
        view<RosterView>("Watch");
        const QTreeWidgetItem* bus = window_->findChild<QTreeWidget*>()->topLevelItem(1);
        stage().setCursor(stage().timeOf(10));
        QVERIFY(bus->text(1).endsWith(QStringLiteral(" %")));
        const double load = bus->text(1).section(QLatin1Char(' '), 0, 0).toDouble();
        QVERIFY(load > 5 && load < 60);
    }

    // What is chosen anywhere is explained in the inspector and marked everywhere else.
    void selectionIsOne()
    {
        auto* tree = window_->rigTree()->tree();
        auto* roster = view<RosterView>("Watch");
        auto* stream = window_->currentPage()->find<StreamView>();
        stream->filterLine()->setText(QStringLiteral("id 0x182"));
        QTRY_VERIFY(stream->scan() != nullptr && stream->scan()->size() > 10);
        tree->collapseAll();
        for (int i = 0; i < tree->topLevelItemCount(); ++i)
            tree->topLevelItem(i)->setExpanded(true);
        const auto inTree = [&] { return tree->selectedItems().isEmpty() ? QString() : tree->selectedItems().front()->text(0); };
        // In the stream: the roster has it, the tree what it is folded into, then itself.
        stream->rows()->choose(5);
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("WaterState")));
        QVERIFY(roster->rows()->current() >= 0);
        QVERIFY(roster->rows()->rowText(static_cast<std::uint64_t>(roster->rows()->current())).contains(QStringLiteral("0x182")));
        QCOMPARE(inTree(), QStringLiteral("WaterUnit"));
        tree->selectedItems().front()->setExpanded(true);
        // In the roster: another one, in the tree too, and the stream writes it stronger where it comes.
        choose("BladeState");
        choose("WaterState");
        QCOMPARE(inTree(), QStringLiteral("WaterState"));
        QTRY_VERIFY(stream->rows()->count() > 10);
        const QImage strong = stream->rows()->viewport()->grab().toImage();
        choose("BladeState");
        QVERIFY(stream->rows()->viewport()->grab().toImage() != strong);
        // In the tree, a signal: the heads of lanes mark it.
        auto* lanes = view<LanesView>("Analyse");
        lanes->arrange({{QStringLiteral("Implement:WaterState.TankLevel")}, {QStringLiteral("Implement:WaterState.Valve")}});
        QTRY_VERIFY(lanes->lanes().size() == 2 && lanes->lanes()[1]->head()->height() > 40);
        const QImage plain = lanes->lanes()[1]->head()->grab().toImage();
        choose("WaterState");
        QTreeWidgetItem* message = tree->selectedItems().front();
        message->setExpanded(true);
        QTreeWidgetItem* valve = nullptr;
        for (int i = 0; i < message->childCount(); ++i)
            if (message->child(i)->text(0) == QStringLiteral("Valve"))
                valve = message->child(i);
        QVERIFY(valve != nullptr);
        tree->setCurrentItem(valve);
        QCOMPARE(stage().selection().kind, Selection::Kind::signal);
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("Valve")));
        QTRY_VERIFY(lanes->lanes()[1]->head()->grab().toImage() != plain);
        // In a lane's head: the tree has it.
        QTest::mouseClick(lanes->lanes()[0]->head(), Qt::LeftButton, {}, lanes->lanes()[0]->head()->rectOf(0).center());
        QCOMPARE(inTree(), QStringLiteral("TankLevel"));
        QTRY_VERIFY(window_->inspector()->text().contains(QStringLiteral("TankLevel")));
        // Among those who take the bus.
        auto* shares = view<SharesView>("Load");
        QTRY_VERIFY(shares->settled() && shares->count() > 3);
        QTest::keyClick(shares->focusProxy(), Qt::Key_Down);
        QCOMPARE(stage().selection().kind, Selection::Kind::message);
        QTRY_VERIFY(!inTree().isEmpty() && inTree() != QStringLiteral("TankLevel"));
        // A node, then nothing of the kind.
        Selection node;
        node.kind = Selection::Kind::node;
        node.node = QStringLiteral("Display");
        node.bus = 2;
        stage().select(node);
        QCOMPARE(inTree(), QStringLiteral("Display"));
        stage().select({});
        QCOMPARE(inTree(), QString());
        stream->filterLine()->setText({});
    }

    // Highest, mean and bursts beside the load are all three of what is in view.
    void whatIsSaidOfTheLoadIsOfTheSameStretch()
    {
        auto* load = view<LoadView>("Analyse");
        auto* buses = load->tools()->findChild<QComboBox*>();
        buses->setCurrentIndex(buses->findText(QStringLiteral("Chassis"), Qt::MatchContains));
        auto* slider = load->tools()->findChild<QSlider*>(QStringLiteral("loadSpan"));
        slider->setValue(0);        // 1 ms, the bins as they are measured
        auto* facts = load->tools()->findChild<QLabel*>(QStringLiteral("loadFacts"));
        QVERIFY(facts != nullptr);
        for (const auto& [from, to] : {std::pair{2, 4}, std::pair{10, 30}, std::pair{20, 21}}) {
            stage().setWindow(stage().timeOf(from), stage().timeOf(to));
            QTRY_VERIFY(std::abs(load->plot()->xAxis->range().upper - to) < 1e-6);
            double high = 0;
            double sum = 0;
            stage().document().measures().read([&](const measure::MeasureState& state) {
                const std::int64_t first = state.loads[0].indexOf(stage().timeOf(from));
                const std::int64_t last = state.loads[0].indexOf(stage().timeOf(to)) - 1;
                for (std::int64_t bin = first; bin <= last; ++bin) {
                    const double percent = static_cast<double>(state.loads[0].busy(bin, bin)) / 1e4;
                    high = std::max(high, percent);
                    sum += percent;
                }
                sum /= static_cast<double>(last - first + 1);
                return 0;
            });
            QVERIFY(high > sum && sum > 5);
            const QString wanted = QStringLiteral("in view: highest %1 %, mean %2 %, no bursts").arg(high, 0, 'f', 0).arg(sum, 0, 'f', 0);
            QTRY_COMPARE(facts->toolTip(), wanted);
        }
    }

    void theRosterScrollsToWhatIsChosenElsewhere()
    {
        auto* roster = view<RosterView>("Watch");
        RosterRows* rows = roster->rows();
        QTRY_VERIFY(rows->count() > static_cast<std::uint64_t>(rows->visibleRows()));
        rows->verticalScrollBar()->setValue(0);
        const trace::TraceKey& key = stage().snapshot().trace().key(rows->shown().back());
        Selection selection;
        selection.kind = Selection::Kind::message;
        selection.bus = key.bus;
        selection.id = key.id;
        stage().select(selection);
        QVERIFY(rows->top() > 0);
        // Behind the identifiers stands what comes in pieces.
        QCOMPARE(rows->current(), static_cast<std::int64_t>(rows->shown().size()) - 1);
    }

    // The dialogs of files have icons of the application, in the hue of its text.
    void iconsOfFileDialogsAreOurs()
    {
        for (const QStyle::StandardPixmap which : {QStyle::SP_DirIcon, QStyle::SP_FileIcon, QStyle::SP_ComputerIcon,
                 QStyle::SP_FileDialogToParent, QStyle::SP_FileDialogNewFolder}) {
            const QImage picture = QApplication::style()->standardIcon(which).pixmap(32, 32).toImage().convertToFormat(
                QImage::Format_ARGB32);
            int inked = 0;
            for (int y = 0; y < picture.height(); ++y)
                for (int x = 0; x < picture.width(); ++x)
                    if (const QColor colour = picture.pixelColor(x, y); colour.alpha() == 255) {
                        QCOMPARE(colour.rgb(), Theme::get().ink2.rgb());
                        ++inked;
                    }
            QVERIFY(inked > 10);
        }
    }

    void everyControlHasATooltip()
    {
        for (const char* page : {"Watch", "Analyse", "Drive"}) {
            window_->showPage(QString::fromLatin1(page));
            QTRY_VERIFY(window_->currentPage()->isVisible());
            QApplication::processEvents();
            for (QAbstractButton* button : window_->findChildren<QAbstractButton*>())
                if (button->isVisible() && !qobject_cast<QCheckBox*>(button) && button->objectName() != QLatin1String("ScrollLeftButton")
                    && button->objectName() != QLatin1String("ScrollRightButton"))
                    QVERIFY2(!button->toolTip().isEmpty(), qPrintable(button->text() + button->objectName()));
            for (QComboBox* box : window_->findChildren<QComboBox*>())
                if (box->isVisible())
                    QVERIFY(!box->toolTip().isEmpty());
        }
    }

    void aTruncatedLogShowsWhatIsThereAndSaysSo()
    {
        QFile whole(path_);
        QVERIFY(whole.open(QIODevice::ReadOnly));
        QFile cut(folder_.filePath("cut.pcapng"));
        QVERIFY(cut.open(QIODevice::WriteOnly));
        cut.write(whole.read(1'000'003));
        cut.close();
        QString said;
        QTimer poll;
        connect(&poll, &QTimer::timeout, this, [&] {
            if (auto* box = QApplication::activeModalWidget()) {
                said = box->property("text").toString();
                box->close();
            }
        });
        poll.start(50);
        MainWindow* window = MainWindow::openFile(cut.fileName(), rig_, nullptr);
        QTRY_VERIFY_WITH_TIMEOUT(said.contains(QStringLiteral("cut off")), 10'000);
        QVERIFY(window->stage().snapshot().rows() > 5000);
        const auto open = MainWindow::all().size();
        window->closeWithoutAsking();
        QTRY_COMPARE(MainWindow::all().size(), open - 1);
    }
};

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    WidgetsTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "widgets_test.moc"
