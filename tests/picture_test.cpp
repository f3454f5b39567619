// SPDX-License-Identifier: GPL-3.0-or-later
// Views as pictures and as CSV, and reports: made in the window and without one, read back, the same each time.
#include <QApplication>
#include <QClipboard>
#include <QMenu>
#include <QPainter>
#include <QSvgRenderer>
#include <QTemporaryDir>
#include <QTest>

#include "app/between/between_view.h"
#include "app/lanes/lanes_view.h"
#include "app/load/load_view.h"
#include "app/parts/in_place.h"
#include "app/picture/picture.h"
#include "app/report/report_view.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/shell/report_writer.h"
#include "app/shell/unattended.h"
#include "base/csv_text.h"

using namespace wavetrope;
using namespace wavetrope::app;

class PictureTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    rig::Rig rig_;
    MainWindow* window_ = nullptr;

    [[nodiscard]] Stage& stage() { return window_->stage(); }
    static QByteArray contentOf(const QString& path)
    {
        QFile file(path);
        return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
    }
    // How far two pictures are apart, in parts of 255 for each channel of a point.
    static double apart(QImage a, QImage b)
    {
        const QSize size(240, 120);
        a = a.scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation).convertToFormat(QImage::Format_RGB32);
        b = b.scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation).convertToFormat(QImage::Format_RGB32);
        double sum = 0;
        for (int y = 0; y < size.height(); ++y)
            for (int x = 0; x < size.width(); ++x) {
                const QColor one = a.pixelColor(x, y);
                const QColor other = b.pixelColor(x, y);
                sum += std::abs(one.red() - other.red()) + std::abs(one.green() - other.green()) + std::abs(one.blue() - other.blue());
            }
        return sum / (3.0 * size.width() * size.height());
    }
    static QImage drawn(const QByteArray& svg, QSize size)
    {
        QSvgRenderer renderer(svg);
        QImage image(size, QImage::Format_RGB32);
        image.fill(Qt::white);
        QPainter painter(&image);
        renderer.render(&painter);
        return renderer.isValid() ? image : QImage();
    }
    // Chooses an action of the menu of the pane that shows a view.
    void act(QWidget* view, const char* name)
    {
        for (Pane* pane : window_->currentPage()->panes())
            if (pane->isAncestorOf(view)) {
                QMenu menu;
                pane->fillMenu(menu);
                auto* action = menu.findChild<QAction*>(QLatin1String(name));
                QVERIFY2(action != nullptr, name);
                action->trigger();
                return;
            }
        QFAIL("the view stands in no pane");
    }
    int unattended(const std::function<void(Unattended&)>& how, const std::string& log = WAVETROPE_DEMO "/lap.pcapng")
    {
        Unattended wanted;
        how(wanted);
        return workUnattended(wanted, rig_, {log});
    }

private Q_SLOTS:
    void initTestCase()
    {
        qputenv("XDG_CONFIG_HOME", folder_.path().toUtf8());
        auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        QVERIFY2(rig, rig ? "" : rig.error().text().c_str());
        rig_ = std::move(*rig);
        window_ = new MainWindow(RunDocument::log(WAVETROPE_DEMO "/lap.pcapng", rig_));
        window_->resize(1280, 800);
        window_->show();
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().ready() && stage().caughtUp(), 60'000);
        window_->showPage(QStringLiteral("Analyse"));
        stage().setWindow(stage().timeOf(44), stage().timeOf(50));
        QVERIFY(settle(window_->currentPage()->views()));
    }
    void cleanupTestCase() { window_->closeWithoutAsking(); }

    void aPictureIsTheSameInEveryForm()
    {
        auto* lanes = window_->currentPage()->find<LanesView>();
        const Picture picture(*lanes, captionOf(stage(), QStringLiteral("Lanes")));
        const QImage image = picture.image();
        QCOMPARE(image.size(), picture.size());
        QVERIFY(image.height() > lanes->height());
        QCOMPARE(picture.image(2).size(), picture.size() * 2);
        QImage black(picture.size(), QImage::Format_RGB32);
        black.fill(Qt::black);
        // What is on the screen stands under the caption.
        const QImage screen = lanes->grab().toImage();
        QVERIFY(apart(image.copy(0, image.height() - lanes->height(), lanes->width(), lanes->height()), screen) < 2);
        for (const char* ending : {"png", "svg", "pdf"}) {
            const QString path = folder_.filePath(QStringLiteral("lanes.") + QLatin1String(ending));
            const auto done = picture.write(path);
            QVERIFY2(done, done ? "" : done.error().text().c_str());
            const QByteArray bytes = contentOf(path);
            const QImage back = *ending == 'p' && ending[1] == 'n' ? QImage(path)
                                : *ending == 's'                   ? drawn(bytes, picture.size())
                                                                   : drawn(*svgFromPdf(bytes), picture.size());
            QVERIFY2(apart(back, image) < 4, qPrintable(QStringLiteral("%1: %2").arg(QLatin1String(ending)).arg(apart(back, image))));
            QVERIFY(apart(back, black) > 30);
            // Again, with the same bytes.
            QVERIFY(picture.write(path));
            QVERIFY2(contentOf(path) == bytes, ending);
        }
        // Lines, and no picture of them.
        const QByteArray svg = *picture.svg();
        QVERIFY(!svg.contains("<image") && svg.contains("<path"));
        QVERIFY(contentOf(folder_.filePath("lanes.pdf")).startsWith("%PDF"));
        QVERIFY(!picture.write(folder_.filePath("lanes.txt")));
        const auto nowhere = picture.write(QStringLiteral("/proc/no/such/folder/lanes.svg"));
        QVERIFY(!nowhere && nowhere.error().text().find("cannot be written") != std::string::npos);
        QVERIFY(!svgFromPdf("no document"));
        act(lanes, "copyPicture");
        QCOMPARE(QApplication::clipboard()->image().width(), lanes->width() * 2);
    }

    void whatIsDrawnIsWrittenAsValues()
    {
        auto* lanes = window_->currentPage()->find<LanesView>();
        const QStringList lines = lanes->csv().split('\n', Qt::SkipEmptyParts);
        QCOMPARE(lines[0], QStringLiteral("time,bus,message,signal,value,unit"));
        const auto ref = *signalOf(stage().catalog(), QStringLiteral("Implement:BladeState.BladeDepth"));
        const measure::Samples samples = measure::samplesOf(stage().snapshot(), stage().catalog(), ref);
        std::size_t found = 0;
        for (std::size_t i = 0; i < samples.size(); ++i) {
            if (samples.times[i] < stage().windowFrom() || samples.times[i] > stage().windowTo())
                continue;
            const QStringList cells = lines[static_cast<qsizetype>(++found)].split(',');
            QCOMPARE(cells.mid(1, 3), (QStringList{"Implement", "BladeState", "BladeDepth"}));
            QCOMPARE(cells[4].toDouble(), samples.values[i]);
            QVERIFY(std::abs(cells[0].toDouble() - stage().seconds(samples.times[i])) < 1e-9);
        }
        QVERIFY(found > 200 && !lines[static_cast<qsizetype>(found + 1)].contains(QStringLiteral("BladeDepth")));
        auto* load = window_->currentPage()->find<LoadView>();
        const QStringList bins = load->csv().split('\n', Qt::SkipEmptyParts);
        QCOMPARE(bins[0], QStringLiteral("time,load_percent"));
        QVERIFY(std::abs(static_cast<int>(bins.size()) - 1 - 300) <= 1);         // of 20 ms each
        QCOMPARE(csvFromTabs(QStringLiteral("a\tb,c\nd \"e\"\tf")), QStringLiteral("a,\"b,c\"\n\"d \"\"e\"\"\",f\n"));
    }

    void aReportIsPutTogetherByHandAndWrittenTwice()
    {
        auto& reports = stage().reports();
        const auto before = reports.all();
        auto* lanes = window_->currentPage()->find<LanesView>();
        stage().setMarks({stage().timeOf(46.9), stage().timeOf(48.1)});
        act(lanes, "addToReport");
        QCOMPARE(reports.all()[0].parts.size(), before[0].parts.size() + 1);
        const rig::ReportPart added = reports.all()[0].parts.back();
        QVERIFY(
            added.view == "lanes" && added.from == std::chrono::seconds(44) && added.to == std::chrono::seconds(50) && added.a && added.b);
        QCOMPARE(added.setUp, lanes->save());
        window_->showPage(QStringLiteral("Report"));
        auto* view = window_->currentPage()->find<ReportView>();
        QVERIFY(view != nullptr && view->count() == before[0].parts.size() + 1);
        auto* rows = view->findChild<QWidget*>(QStringLiteral("reportRows"));
        view->choose(view->count() - 1);
        QTest::keyClick(rows, Qt::Key_H);
        QVERIFY(view->field()->isOpen());
        view->field()->selectAll();
        QTest::keyClicks(view->field(), QStringLiteral("Once more"));
        QTest::keyClick(view->field(), Qt::Key_Return);
        QCOMPARE(view->rowText(view->count() - 1), QStringLiteral("heading\tOnce more\t"));
        QTest::keyClick(rows, Qt::Key_Up, Qt::ControlModifier);
        QCOMPARE(view->rowText(view->count() - 2).section('\t', 0, 1), QStringLiteral("heading\tOnce more"));
        QVERIFY(window_->losses().size() > 0);          // the rig has something to save
        const rig::ReportSpec report = reports.all()[0];
        const Time from = stage().windowFrom();
        const Time cursor = stage().cursor();
        for (const char* ending : {"html", "pdf"}) {
            const QString path = folder_.filePath(QStringLiteral("report.") + QLatin1String(ending));
            const auto done = writeReport(*window_, report, path);
            QVERIFY2(done, done ? "" : done.error().text().c_str());
            const QByteArray first = contentOf(path);
            QVERIFY(writeReport(*window_, report, path));
            QVERIFY2(contentOf(path) == first, ending);
            // What was looked at stays.
            QVERIFY(stage().windowFrom() == from && stage().cursor() == cursor && stage().marks().both());
            if (*ending == 'p')
                continue;
            QCOMPARE(first.count("<figure>"), qsizetype{7});
            QVERIFY(first.contains("<h2>Once more</h2>") && first.contains("A lap of the ice resurfacer"));
            QVERIFY(first.indexOf("Once more") > first.indexOf("Who takes the bus"));
            // Each picture is there, and is one.
            for (qsizetype at = first.indexOf("base64,"); at >= 0; at = first.indexOf("base64,", at + 1)) {
                const QByteArray svg = QByteArray::fromBase64(first.mid(at + 7, first.indexOf('"', at) - at - 7));
                QVERIFY(!drawn(svg, QSize(400, 200)).isNull());
            }
        }
        // Taken back, one by one.
        window_->showPage(QStringLiteral("Report"));
        while (reports.undoStack().canUndo())
            reports.undoStack().undo();
        QVERIFY(reports.all() == before);
        stage().setMarks({});
        window_->showPage(QStringLiteral("Analyse"));
        // What cannot be says which part.
        rig::ReportSpec wrong;
        wrong.name = "Wrong";
        wrong.parts.resize(2);
        wrong.parts[1].kind = rig::ReportPart::Kind::view;
        wrong.parts[1].view = "nothing";
        const QString path = folder_.filePath(QStringLiteral("wrong.html"));
        const auto none = writeReport(*window_, wrong, path);
        QVERIFY(!none && none.error().text().find("part 2") != std::string::npos && !QFile::exists(path));
        wrong.parts[1].view = "lanes";
        wrong.parts[1].page = "Nowhere";
        QVERIFY(!writeReport(*window_, wrong, path));
        wrong.parts.pop_back();
        const auto denied = writeReport(*window_, wrong, QStringLiteral("/proc/report.html"));
        QVERIFY(!denied && denied.error().text().find("cannot be written") != std::string::npos);
        QVERIFY(!writeReport(*window_, wrong, folder_.filePath(QStringLiteral("wrong.doc"))));
        // Ended by hand: nothing is written.
        wrong.parts.resize(2);
        wrong.parts[1].kind = rig::ReportPart::Kind::view;
        wrong.parts[1].view = "lanes";
        QVERIFY(!writeReport(*window_, wrong, path, [](int) { return false; }));
        QVERIFY(!QFile::exists(path));
    }

    void withoutAWindow()
    {
        const QString report = folder_.filePath(QStringLiteral("alone.html"));
        QCOMPARE(unattended([&](Unattended& wanted) {
            wanted.report = "Lap";
            wanted.out = report.toStdString();
        }),
            0);
        QCOMPARE(contentOf(report).count("<figure>"), qsizetype{6});
        const QString picture = folder_.filePath(QStringLiteral("alone.png"));
        const auto take = [&](const char* page, const char* view, const char* from, const char* to, const char* size) {
            QFile::remove(picture);
            return unattended([&](Unattended& wanted) {
                wanted.picture = picture.toStdString();
                wanted.page = page;
                wanted.view = view;
                wanted.from = from;
                wanted.to = to;
                wanted.size = size;
            });
        };
        QCOMPARE(take("Analyse", "", "", "", "1280x800"), 0);
        QCOMPARE(QImage(picture).size(), QSize(1280, 800));
        QCOMPARE(take("Analyse", "lanes", "+44s", "+50s", "900x400"), 0);
        QCOMPARE(QImage(picture).size(), QSize(900, 400));
        // The same as in the window.
        auto* lanes = window_->currentPage()->find<LanesView>();
        lanes->setParent(nullptr);
        lanes->setAttribute(Qt::WA_DontShowOnScreen);
        lanes->resize(900, 400 - (Picture(*lanes, captionOf(stage(), QStringLiteral("Lanes"))).size().height() - lanes->height()));
        lanes->show();
        stage().setCursor(stage().timeOf(50));
        stage().setWindow(stage().timeOf(44), stage().timeOf(50));
        QVERIFY(settle({lanes}));
        QVERIFY(apart(Picture(*lanes, captionOf(stage(), QStringLiteral("Lanes"))).image(), QImage(picture)) < 0.5);
        delete lanes;
        for (const auto& [page, view, from, to, size] : {std::tuple{"None", "", "", "", "900x400"},
                 std::tuple{"Analyse", "none", "", "", "900x400"}, std::tuple{"Analyse", "", "later", "", "900x400"},
                 std::tuple{"Analyse", "", "+5s", "+4s", "900x400"}, std::tuple{"Analyse", "", "", "", "9x4"},
                 std::tuple{"Analyse", "", "", "", "90000x4000"}, std::tuple{"Analyse", "", "", "", "large"}}) {
            QCOMPARE(take(page, view, from, to, size), 2);
            QVERIFY(!QFile::exists(picture));
        }
        QCOMPARE(unattended([&](Unattended& wanted) {
            wanted.report = "None";
            wanted.out = report.toStdString();
        }),
            2);
        QCOMPARE(unattended(
                     [&](Unattended& wanted) {
                         wanted.report = "Lap";
                         wanted.out = report.toStdString();
                     },
                     folder_.filePath(QStringLiteral("no.pcapng")).toStdString()),
            2);
    }
};

QTEST_MAIN(PictureTest)
#include "picture_test.moc"
