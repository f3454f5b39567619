// SPDX-License-Identifier: GPL-3.0-or-later
// Painted lists by themselves: columns, a scroll bar over ten thousand million rows, rows that open.
#include <QApplication>
#include <QContextMenuEvent>
#include <QMenu>
#include <QScrollBar>
#include <QTest>
#include <QWheelEvent>

#include <map>
#include <set>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/theme/theme.h"

using namespace wavetrope::app;

namespace {

// As many rows as it is told, each with its number.
class Numbers : public RowList {
public:
    explicit Numbers(std::uint64_t rows) : rows_(rows)
    {
        setColumns(Columns({{"number", QStringLiteral("number"), QStringLiteral("the number"), 120, true, true},
            {"half", QStringLiteral("half"), QStringLiteral("half of it"), 80},
            {"secret", QStringLiteral("secret"), QStringLiteral("not at first"), 60, false},
            {"rest", QStringLiteral("rest"), QStringLiteral("what is left"), 50, true, false, true}}));
    }
    std::uint64_t count() const override { return rows_; }
    QString rowText(std::uint64_t index) const override { return QString::number(index) + QLatin1Char('\t') + QString::number(index / 2); }
    std::int64_t current() const override { return current_; }
    void choose(std::uint64_t index) override { current_ = static_cast<std::int64_t>(index); }
    void setRows(std::uint64_t rows) { rows_ = rows; }
    void fix(const std::vector<std::pair<double, QString>>& heads, double least)
    {
        std::vector<Head> fixed;
        for (const auto& [at, words] : heads)
            fixed.push_back({at, words});
        setColumns({});
        setHeads(std::move(fixed), least);
    }

    std::set<std::uint64_t> painted;
    std::map<std::uint64_t, int> opened;
    std::vector<std::pair<std::uint64_t, int>> clicked;
    int sorted = -1;
    QString empty = QStringLiteral("nothing");

protected:
    void paintRow(QPainter&, int, std::uint64_t index) override { painted.insert(index); }
    QString emptyText() const override { return empty; }
    void headClicked(int kind) override { sorted = kind; }
    bool opens(std::uint64_t index) const override { return index % 10 != 9; }
    int linesUnder(std::uint64_t index) const override
    {
        const auto found = opened.find(index);
        return found == opened.end() ? 0 : found->second;
    }
    void open(std::uint64_t index, bool shallOpen) override
    {
        if (shallOpen)
            opened[index] = 3;
        else
            opened.erase(index);
    }
    void lineClicked(std::uint64_t index, int line) override { clicked.emplace_back(index, line); }

private:
    std::uint64_t rows_;
    std::int64_t current_ = 0;
};

void wheel(QWidget* target, int steps, Qt::KeyboardModifiers modifiers = Qt::NoModifier)
{
    QWheelEvent event(QPointF(30, 60), target->mapToGlobal(QPointF(30, 60)), {}, QPoint(0, steps * 120), Qt::NoButton, modifiers,
        Qt::NoScrollPhase, false);
    QApplication::sendEvent(target, &event);
}

}  // namespace

class ListTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void columnsKeepTheirOrderAndWidths()
    {
        Columns columns({{"a", QStringLiteral("a"), {}, 100}, {"b", QStringLiteral("b"), {}, 50, false},
            {"c", QStringLiteral("c"), {}, 30, true, false, true}});
        columns.setView(400, 0);
        QCOMPARE(columns.count(), std::size_t{2});
        QVERIFY(!columns.has(1));
        columns.show(1, true);
        QCOMPARE(columns.placeOf(1), 1);        // behind a, where it usually stands
        columns.move(2, 0);
        QCOMPARE(columns.kindAt(0), 2);
        columns.setWidth(columns.placeOf(0), 1);
        QVERIFY(columns.box(1, 0, 10).width() > 5);     // never so narrow that it cannot be taken hold of
        columns.setWidth(columns.placeOf(0), 140);
        const auto kept = columns.save();
        Columns other({{"a", QStringLiteral("a"), {}, 100}, {"b", QStringLiteral("b"), {}, 50, false},
            {"c", QStringLiteral("c"), {}, 30, true, false, true}});
        other.restore(kept);
        QVERIFY(other.save() == kept);
        other.show(0, false);
        other.show(1, false);
        other.show(2, false);
        QCOMPARE(other.count(), std::size_t{1});        // the last one stays
        other.restore(nlohmann::json::parse("[{\"name\":\"a\",\"width\":1e300},{\"name\":\"a\"},{\"width\":4},\"b\",null]"));
        QCOMPARE(other.count(), std::size_t{1});
        QVERIFY(other.total() < 5000);
        other.restore(nlohmann::json::parse("{\"name\":\"a\"}"));
        QCOMPARE(other.count(), std::size_t{1});
        other.reset();
        QCOMPARE(other.count(), std::size_t{2});
    }

    void theLastColumnTakesWhatIsLeft()
    {
        Columns columns({{"a", QStringLiteral("a"), {}, 100}, {"c", QStringLiteral("c"), {}, 30, true, false, true}});
        columns.setView(600, 0);
        QCOMPARE(columns.total(), 600);
        columns.setWidth(0, 900);
        QVERIFY(columns.total() > 900);
        columns.setView(600, 200);
        QCOMPARE(columns.placeUnder(-150), 0);
        QCOMPARE(columns.edgeUnder(300), -1);
        columns.setView(600, 0);
        for (std::size_t i = 0; i < columns.count(); ++i)
            QCOMPARE(columns.placeUnder(columns.box(i, 0, 1).center().x()), static_cast<int>(i));
    }

    void wordsOfAnEmptyListKeepWithinWhatIsSeen()
    {
        // Heads that ask for far more than the pane has.
        Numbers list(0);
        list.empty = QStringLiteral("Nothing is here yet: what comes in is told here, and what to do where nothing comes.");
        list.fix({{10, QStringLiteral("first")}, {400, QStringLiteral("second")}}, 900);
        for (const int width : {260, 420}) {
            list.resize(width, 220);
            list.show();
            list.refresh();
            QVERIFY(list.horizontalScrollBar()->maximum() > 0);
            const QImage picture = list.viewport()->grab().toImage();
            const double scale = picture.devicePixelRatio();
            const QColor ground = picture.pixelColor(1, picture.height() - 2);
            int left = picture.width();
            int right = -1;
            for (int y = static_cast<int>(40 * scale); y < picture.height(); ++y)
                for (int x = 0; x < picture.width(); ++x)
                    if (picture.pixelColor(x, y) != ground) {
                        left = std::min(left, x);
                        right = std::max(right, x);
                    }
            // As much room on the one side as on the other, and some on both.
            QVERIFY2(right > left, qPrintable(QString::number(width)));
            const int free = picture.width() - 1 - right;
            QVERIFY2(left >= 15 * scale && free >= 15 * scale && std::abs(left - free) < 40 * scale,
                qPrintable(QStringLiteral("%1: from %2 to %3").arg(width).arg(left).arg(right)));
        }
    }

    void oneBarReachesTenThousandMillionRows()
    {
        constexpr std::uint64_t rows = 10'000'000'000;
        Numbers list(rows);
        list.resize(500, 300);
        list.show();
        list.refresh();
        QScrollBar* bar = list.verticalScrollBar();
        bar->setValue(bar->maximum());
        list.grab();
        QVERIFY(*list.painted.rbegin() >= rows - 8);        // a step of the bar is five rows here
        wheel(list.viewport(), -5);
        list.painted.clear();
        list.grab();
        QCOMPARE(*list.painted.rbegin(), rows - 1);
        // Every single row is in reach of wheel and keys from wherever the bar stands.
        bar->setValue(bar->maximum() / 2);
        const std::uint64_t top = list.top();
        wheel(list.viewport(), -1);
        QCOMPARE(list.top(), top + 3);
        list.choose(top + 4);
        QTest::keyClick(&list, Qt::Key_Down);
        QCOMPARE(list.current(), static_cast<std::int64_t>(top + 5));
        QTest::keyClick(&list, Qt::Key_End);
        QCOMPARE(list.current(), static_cast<std::int64_t>(rows - 1));
        QTest::keyClick(&list, Qt::Key_Home);
        QCOMPARE(list.top(), std::uint64_t{0});
        QVERIFY(list.painted.size() < 200);     // what is on the screen, and no more
    }

    void fewRowsNeedNoBarAndNoneSaysSo()
    {
        Numbers list(3);
        list.resize(500, 300);
        list.show();
        list.refresh();
        QCOMPARE(list.verticalScrollBar()->maximum(), 0);
        list.setRows(0);
        list.refresh();
        list.grab();
        QTest::keyClick(&list, Qt::Key_Down);
        QTest::keyClick(&list, Qt::Key_End);
        QCOMPARE(list.current(), std::int64_t{0});
        QVERIFY(list.chosenText().isEmpty());
    }

    // Fixed columns that the view is too narrow for are reached sideways.
    void fixedColumnsAreReachedSideways()
    {
        Numbers list(100);
        list.fix({{10, QStringLiteral("first")}, {500, QStringLiteral("last")}}, 640);
        list.resize(800, 300);
        list.show();
        list.refresh();
        QCOMPARE(list.horizontalScrollBar()->maximum(), 0);
        QVERIFY(!list.horizontalScrollBar()->isVisible());
        list.resize(300, 300);
        QApplication::processEvents();
        QVERIFY(list.horizontalScrollBar()->isVisible());
        QVERIFY(list.horizontalScrollBar()->maximum() >= 340);
        const QImage before = list.viewport()->grab().toImage();
        wheel(list.viewport(), -4, Qt::ShiftModifier);
        QVERIFY(list.horizontalScrollBar()->value() > 0);
        QVERIFY(list.viewport()->grab().toImage() != before);
    }

    // What stood at its end stays there, whatever height it gets.
    void aListAtItsEndStaysThere()
    {
        Numbers list(1000);
        list.resize(500, 400);
        list.show();
        list.refresh();
        list.toEnd();
        const auto lastIsWhole = [&] {
            return list.top() + static_cast<std::uint64_t>(list.visibleRows()) == 1000
                   && (list.viewport()->height() - Theme::get().px(20)) / Theme::get().rowHeight() >= list.visibleRows();
        };
        QVERIFY(lastIsWhole());
        for (const int height : {391, 250, 333, 600}) {
            list.resize(500, height);
            QApplication::processEvents();
            QVERIFY2(lastIsWhole(), qPrintable(QString::number(height)));
        }
        // Elsewhere the first row stays.
        list.verticalScrollBar()->setValue(100);
        list.resize(500, 300);
        QApplication::processEvents();
        QCOMPARE(list.top(), std::uint64_t{100});
    }

    void openRowsPushTheOthersDown()
    {
        Numbers list(100);
        list.resize(500, 400);
        list.show();
        list.refresh();
        const int pitch = Theme::get().rowHeight();
        const int head = Theme::get().px(20);
        QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, QPoint(6, head + 2 * pitch + pitch / 2));
        QCOMPARE(list.opened.count(2), std::size_t{1});
        QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, QPoint(100, head + 4 * pitch + pitch / 2));
        QCOMPARE(list.clicked, (std::vector<std::pair<std::uint64_t, int>>{{2, 1}}));
        QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, QPoint(100, head + 6 * pitch + pitch / 2));
        QCOMPARE(list.current(), std::int64_t{3});
        // By keys too; a row that does not open stays as it is.
        QTest::keyClick(&list, Qt::Key_Right);
        QCOMPARE(list.opened.count(3), std::size_t{1});
        QTest::keyClick(&list, Qt::Key_Left);
        QCOMPARE(list.opened.count(3), std::size_t{0});
        list.choose(9);
        QTest::keyClick(&list, Qt::Key_Right);
        QCOMPARE(list.opened.count(9), std::size_t{0});
        // With the last rows open, the end is still the end.
        for (const std::uint64_t row : {95, 96, 97, 98})
            list.setOpen(row, true);
        list.toEnd();
        list.painted.clear();
        list.grab();
        QCOMPARE(*list.painted.rbegin(), std::uint64_t{99});
        QVERIFY(list.painted.size() < 12);
        list.choose(40);
        list.bring(40);
        QCOMPARE(list.top(), std::uint64_t{40});
        // Opened at the lower edge, its lines come into sight.
        list.choose(40 + static_cast<std::uint64_t>(list.visibleRows()) - 1);
        list.bring(static_cast<std::uint64_t>(list.current()));
        const std::uint64_t top = list.top();
        QTest::keyClick(&list, Qt::Key_Right);
        QCOMPARE(list.top(), list.current() % 10 == 9 ? top : top + 3);
    }

    void rowsAreChosenTogetherWithShift()
    {
        Numbers list(50);
        list.resize(500, 400);
        list.show();
        list.refresh();
        const int pitch = Theme::get().rowHeight();
        const int head = Theme::get().px(20);
        QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, QPoint(100, head + 3 * pitch + 4));
        QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::ShiftModifier, QPoint(100, head + 6 * pitch + 4));
        QCOMPARE(list.chosenRange(), (std::pair<std::uint64_t, std::uint64_t>{3, 6}));
        QCOMPARE(list.chosenText(), QStringLiteral("number\thalf\trest\n3\t1\n4\t2\n5\t2\n6\t3"));
        QTest::keyClick(&list, Qt::Key_Up, Qt::ShiftModifier);
        QCOMPARE(list.chosenRange(), (std::pair<std::uint64_t, std::uint64_t>{3, 5}));
        // A menu leaves them together, a click does not.
        QTest::mouseClick(list.viewport(), Qt::RightButton, Qt::NoModifier, QPoint(100, head + 4 * pitch + 4));
        QCOMPARE(list.chosenRange(), (std::pair<std::uint64_t, std::uint64_t>{3, 5}));
        QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, QPoint(100, head + 8 * pitch + 4));
        QCOMPARE(list.chosenRange(), (std::pair<std::uint64_t, std::uint64_t>{8, 8}));
        QCOMPARE(list.chosenText(), QStringLiteral("8\t4"));
    }

    void headsSortMoveAndSize()
    {
        Numbers list(50);
        list.resize(500, 400);
        list.show();
        list.refresh();
        QTest::mouseClick(list.viewport(), Qt::LeftButton, Qt::NoModifier, list.headCentre(1));
        QCOMPARE(list.sorted, 1);
        int changes = 0;
        connect(&list, &RowList::columnsChanged, this, [&] { ++changes; });
        const auto drag = [&](QPoint from, QPoint to) {
            QTest::mousePress(list.viewport(), Qt::LeftButton, Qt::NoModifier, from);
            QTest::mouseMove(list.viewport(), (from + to) / 2);
            QTest::mouseMove(list.viewport(), to);
            list.grab();
            QTest::mouseRelease(list.viewport(), Qt::LeftButton, Qt::NoModifier, to);
        };
        list.sorted = -1;
        drag(list.headCentre(1), list.headCentre(0));
        QCOMPARE(list.columns().kindAt(0), 1);
        QCOMPARE(list.sorted, -1);
        const double width = list.columns().box(0, 0, 1).width();
        drag(list.headEdge(0), list.headEdge(0) + QPoint(25, 0));
        QCOMPARE(qRound(list.columns().box(0, 0, 1).width() - width), 25);
        QCOMPARE(changes, 2);
        // Wider than the view: scrolled sideways, and the heads with it.
        drag(list.headEdge(0), list.headEdge(0) + QPoint(600, 0));
        QVERIFY(list.horizontalScrollBar()->maximum() > 0);
        const QPoint before = list.headCentre(1);
        wheel(list.viewport(), -2, Qt::ShiftModifier);
        QVERIFY(list.headCentre(1).x() < before.x());
        QVERIFY(list.top() == 0);
        list.showColumn(2, true);
        QVERIFY(list.columns().has(2));
        QCOMPARE(changes, 4);
    }

    void textsAreCutInTheirMiddleNeverBeyondTheirBox()
    {
        // Painted ink of a text, by columns of pixels.
        const auto inked = [](const QString& text, const QFont& font, double room, Qt::Alignment alignment) {
            QImage image(400, 40, QImage::Format_ARGB32);
            image.fill(Qt::white);
            QPainter painter(&image);
            paintText(painter, QRectF(100, 5, room, 30), text, font, Qt::black, alignment);
            painter.end();
            std::pair<int, int> reach{400, -1};
            for (int x = 0; x < image.width(); ++x)
                for (int y = 0; y < image.height(); ++y)
                    if (qGray(image.pixel(x, y)) < 128)
                        reach = {std::min(reach.first, x), std::max(reach.second, x)};
            return reach;
        };
        const Theme& theme = Theme::get();
        for (const QFont& font : {theme.mono(), theme.body(), theme.mono(10.5, QFont::Bold)})
            for (const char* text : {"0x18FEF100 and more than fits", "Wasserst\u00e4nde \u2264 40 %, and more than fits"})
                for (const double room : {30.0, 61.5, 120.0}) {
                    const auto [from, to] = inked(QString::fromUtf8(text), font, room, Qt::AlignLeft | Qt::AlignVCenter);
                    QVERIFY(from >= 99 && to <= 100 + room + 1);
                    QVERIFY(to - from > room / 2);
                }
        const auto right = inked(QStringLiteral("42"), theme.mono(), 120, Qt::AlignRight | Qt::AlignVCenter);
        QVERIFY(right.first > 190 && right.second <= 221);
        QCOMPARE(inked(QString(), theme.body(), 120, Qt::AlignLeft), (std::pair<int, int>{400, -1}));
        // The same again, from what was kept.
        QCOMPARE(inked(QStringLiteral("BladeDepth"), theme.body(), 120, Qt::AlignLeft),
            inked(QStringLiteral("BladeDepth"), theme.body(), 120, Qt::AlignLeft));
    }
};

QTEST_MAIN(ListTest)
#include "list_test.moc"
