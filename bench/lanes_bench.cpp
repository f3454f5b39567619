// SPDX-License-Identifier: GPL-3.0-or-later
// Eight lanes of ten million samples each: what a painted frame costs while they are moved and zoomed, as their curves are still being
// made and behind that. Runs without a display (QT_QPA_PLATFORM=offscreen).
#include <QApplication>
#include <QTest>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <string>
#include <unistd.h>
#include <utility>
#include <vector>

#include "app/lanes/lane.h"
#include "app/lanes/lanes_view.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "bench/figures.h"
#include "formats/log_file.h"

using namespace wavetrope;
using namespace wavetrope::app;
using namespace wavetrope::bench;

namespace {

constexpr int lanesShown = 8;

// Counts what is painted of lanes.
class Paints : public QObject {
public:
    int count = 0;

protected:
    bool eventFilter(QObject* object, QEvent* event) override
    {
        if (event->type() == QEvent::Paint && object->objectName() == QLatin1String("timePlot"))
            ++count;
        return false;
    }
};

void report(const char* what, std::vector<double> ms)
{
    std::sort(ms.begin(), ms.end());
    const auto at = [&](double share) { return ms[static_cast<std::size_t>(share * static_cast<double>(ms.size() - 1))]; };
    std::printf("  %-44s %6zu frames   median %6.2f ms   99.9 %% %6.2f ms (want 16)   longest %6.2f ms\n", what, ms.size(), at(0.5),
        at(0.999), ms.back());
    std::fflush(stdout);
}

}  // namespace

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    const std::uint64_t millions = std::max<std::uint64_t>(1, argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 10);
    const std::string folder = argc > 2 ? argv[2] : "/tmp";
    const std::string path = folder + "/wavetrope-lanes-bench.pcapng", dbc = folder + "/wavetrope-lanes-bench.dbc";
    const trace::TraceBus bus{"Main", {500'000, 0}};
    {
        std::ofstream out(dbc);
        out << "BU_: N\nBO_ 256 M: 8 N\n";
        for (int i = 0; i < lanesShown; ++i)
            out << " SG_ S" << i << " : " << 8 * i << "|8@1+ (1,0) [0|255] \"mm\" N\n";
        auto file = formats::LogFile::create(path, std::span(&bus, 1));
        can::Frame frame;
        frame.id = {256, false};
        frame.length = frame.dlc = 8;
        for (std::uint64_t i = 0; i < millions * 1'000'000; ++i) {
            frame.time = std::chrono::seconds(1'800'000'000) + std::chrono::microseconds(i * 1000);
            for (unsigned k = 0; k < lanesShown; ++k)
                frame.data[k] = static_cast<std::uint8_t>(
                    128 + 100 * std::sin(static_cast<double>(i) / (50.0 * (k + 1))) + (i * 7919 + k) % 20);
            (*file)->write(frame.view());
        }
        if (!(*file)->finish())
            return 1;
    }
    const std::string rigPath = folder + "/wavetrope-lanes-bench.json";
    std::ofstream(rigPath) << nlohmann::json{{"wavetrope", 1}, {"name", "bench"},
        {"buses", {{{"name", "Main"}, {"rate", "500k"}, {"databases", {dbc}}}}},
        {"pages", {{{"name", "Lanes"}, {"layout", {{"tabs", {{{"view", "lanes"}}}}}}}}}}
                                  .dump();
    auto loaded = rig::loadRig(rigPath);
    if (!loaded) {
        std::fprintf(stderr, "%s\n", loaded.error().text().c_str());
        return 1;
    }
    {
        MainWindow window(RunDocument::log(path, std::move(*loaded)));
        window.setAttribute(Qt::WA_DeleteOnClose, false);
        window.resize(1280, 800);
        window.show();
        while (!window.document().ready() || !window.stage().caughtUp())
            QTest::qWait(20);
        auto* view = window.currentPage()->find<LanesView>();
        Stage& stage = window.stage();
        Paints paints;
        application.installEventFilter(&paints);
        const auto moved = [&](const char* what, int count) {
            std::vector<double> ms;
            const double whole = stage.seconds(stage.wholeTo());
            for (int i = 0; i < count; ++i) {
                // From the hour to the millisecond and back, to and fro.
                const double depth = 0.5 - 0.5 * std::cos(2 * 3.14159265 * i / 250.0);
                const double width = whole * std::pow(1e-6, depth);
                const double middle = whole * (0.5 + 0.4 * std::sin(i / 37.0));
                // From the move to the end of its painting. What is painted behind that, as finer curves come, is a frame of its own.
                int quiet = 0;
                double span = 0;
                bool first = true;
                while (quiet < 3) {
                    const int before = paints.count;
                    span += 1000 * secondsOf([&] {
                        if (std::exchange(first, false))
                            stage.setWindow(stage.timeOf(middle - width / 2), stage.timeOf(middle + width / 2));
                        QCoreApplication::processEvents();
                    });
                    if (paints.count == before) {
                        ++quiet;
                        continue;
                    }
                    ms.push_back(std::exchange(span, 0));
                    quiet = 0;
                }
            }
            report(what, std::move(ms));
        };
        QStringList paths;
        for (int i = 0; i < lanesShown; ++i)
            paths << QStringLiteral("Main:M.S%1").arg(i);
        std::printf("%d lanes of %llu M samples each\n", lanesShown, static_cast<unsigned long long>(millions));
        // The first of them behind its drop: until something of it is painted, and until all of it is.
        double coarse = 0;
        const double drawn = 1000 * secondsOf([&] {
            coarse = 1000 * secondsOf([&] {
                view->add(paths.mid(0, 1));
                TimePlot& plot = *view->lanes().front()->plot();
                int before = paints.count;
                while (plot.graphCount() == 0 || plot.graph(0)->dataCount() == 0 || paints.count == before) {
                    if (plot.graphCount() == 0 || plot.graph(0)->dataCount() == 0)
                        before = paints.count;
                    QCoreApplication::processEvents();
                }
            });
            while (!view->settled())
                QCoreApplication::processEvents(QEventLoop::AllEvents, 1);
        });
        std::printf("  first curve painted %.1f ms behind its drop (want 150), all of it in %.0f ms (want 500)\n", coarse, drawn);
        view->remove(paths.front());
        view->add(paths);
        const double first = secondsOf([&] { moved("moved and zoomed while curves are made", 1000); });
        const double all = secondsOf([&] {
            while (!view->settled())
                QTest::qWait(5);
        });
        line("curves were made", first + all, "s");
        moved("moved and zoomed, curves made", 2000);
        window.closeWithoutAsking();
    }
    for (const std::string& file : {path, dbc, rigPath})
        ::unlink(file.c_str());
    return 0;
}
