// SPDX-License-Identifier: GPL-3.0-or-later
// A long log in the window: time to its first painted rows, and what a painted frame costs while it is scrolled by wheel,
// bar and keys, and while the cursor moves through the roster. Runs without a display (QT_QPA_PLATFORM=offscreen).
#include <QApplication>
#include <QScrollBar>
#include <QTest>
#include <QWheelEvent>

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <random>
#include <string>
#include <unistd.h>
#include <vector>

#include "app/roster/roster_view.h"
#include "app/shell/main_window.h"
#include "app/stream/stream_view.h"
#include "bench/figures.h"
#include "bench/traffic.h"
#include "formats/log_file.h"

using namespace wavetrope;
using namespace wavetrope::app;
using namespace wavetrope::bench;

namespace {

// Painted frames by what made them.
struct Frames {
    const char* what;
    std::vector<double> ms;
};

void report(Frames& frames)
{
    std::sort(frames.ms.begin(), frames.ms.end());
    const auto at = [&](double share) { return frames.ms[static_cast<std::size_t>(share * static_cast<double>(frames.ms.size() - 1))]; };
    std::printf("  %-44s %6zu frames   median %6.2f ms   99.9 %% %6.2f ms (want 16)   longest %6.2f ms\n", frames.what, frames.ms.size(),
        at(0.5), at(0.999), frames.ms.back());
}

template <class Act>
Frames timed(const char* what, int count, QWidget* painted, Act act)
{
    Frames frames{what, {}};
    for (int i = 0; i < count; ++i) {
        frames.ms.push_back(1000 * secondsOf([&] {
            act(i);
            painted->repaint();
        }));
        QApplication::processEvents();
    }
    return frames;
}

}  // namespace

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    const std::uint64_t millions = std::max<std::uint64_t>(1, argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 10);
    const std::string folder = argc > 2 ? argv[2] : "/tmp";
    const std::string path = folder + "/wavetrope-scroll-bench.pcapng";
    std::string dbc = folder + "/wavetrope-scroll-bench.dbc";
    std::vector<trace::TraceBus> names;
    for (unsigned bus = 0; bus < buses; ++bus)
        names.push_back({"Bus" + std::to_string(bus), {500'000, 0}});
    {
        auto file = formats::LogFile::create(path, names);
        Generator generator;
        for (std::uint64_t i = 0; i < millions * 1'000'000; ++i)
            (*file)->write(generator.next());
        if (!(*file)->finish())
            return 1;
        std::ofstream(dbc) << trafficDatabase();
    }
    rig::Rig rig;
    nlohmann::json document = {{"wavetrope", 1}, {"name", "bench"}, {"buses", nlohmann::json::array()}};
    for (const auto& bus : names)
        document["buses"].push_back({{"name", bus.name}, {"rate", "500k"}, {"databases", {dbc}}});
    const std::string rigPath = folder + "/wavetrope-scroll-bench.json";
    std::ofstream(rigPath) << document.dump();
    const auto loaded = rig::loadRig(rigPath);
    if (!loaded) {
        std::fprintf(stderr, "%s\n", loaded.error().text().c_str());
        return 1;
    }

    std::printf("%llu M frames in %.2f GB\n", static_cast<unsigned long long>(millions),
        1e-9 * static_cast<double>(std::ifstream(path, std::ios::ate | std::ios::binary).tellg()));
    MainWindow* window = nullptr;
    StreamRows* rows = nullptr;
    const double first = secondsOf([&] {
        window = MainWindow::openFile(QString::fromStdString(path), *loaded, nullptr);
        window->resize(1280, 800);
        rows = window->currentPage()->find<StreamView>()->rows();
        while (rows->count() == 0)
            QApplication::processEvents(QEventLoop::WaitForMoreEvents);
        rows->viewport()->repaint();
    });
    std::printf("  first painted rows behind opening          %8.0f ms (want 300)\n", 1000 * first);
    const double whole = secondsOf([&] {
        while (!window->document().ready())
            QApplication::processEvents(QEventLoop::AllEvents, 20);
    });
    std::printf("  read and measured to its end               %8.2f s, %.1f M frames/s; memory %.1f bytes a frame\n", whole,
        1e-6 * static_cast<double>(window->stage().snapshot().rows()) / whole,
        static_cast<double>(window->document().trace().memory()) / static_cast<double>(window->document().trace().rows()));
    QTest::qWait(200);
    rows->refresh();
    std::mt19937_64 random(3);
    QScrollBar* bar = rows->verticalScrollBar();
    const auto turn = [&](int) {
        QWheelEvent wheel(QPointF(100, 60), rows->viewport()->mapToGlobal(QPointF(100, 60)), {}, QPoint(0, random() % 2 == 0 ? 120 : -360),
            Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(rows->viewport(), &wheel);
    };
    Frames all[] = {
        timed("stream, by wheel", 3000, rows->viewport(), turn),
        timed("stream, by its bar, anywhere", 3000, rows->viewport(),
            [&](int) { bar->setValue(static_cast<int>(random() % static_cast<std::uint64_t>(bar->maximum() + 1))); }),
        timed("stream, by keys, all views at the cursor", 1000, rows->viewport(),
            [&](int i) { QTest::keyClick(rows, i % 50 == 49 ? Qt::Key_PageDown : Qt::Key_Down); }),
        timed("roster, cursor anywhere", 1000, window->currentPage()->find<RosterView>()->rows()->viewport(),
            [&](int) { window->stage().setCursorRow(random() % window->stage().snapshot().rows()); }),
    };
    for (Frames& frames : all)
        report(frames);
    window->close();
    QTest::qWait(100);
    ::unlink(path.c_str());
    ::unlink(dbc.c_str());
    ::unlink(rigPath.c_str());
    return 0;
}
