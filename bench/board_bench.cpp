// SPDX-License-Identifier: GPL-3.0-or-later
// A board of sixty gauges that follows a run of the demo rig: how long a frame takes, from looking at the values to the last pixel; beside
// filling the same area and drawing its numbers alone.
#include <QApplication>
#include <QElapsedTimer>
#include <QImage>
#include <QPainter>
#include <QTest>

#include <algorithm>
#include <cstdio>
#include <string>
#include <tuple>
#include <vector>

#include "app/board/board_view.h"
#include "app/keeping/keeping_options.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "bench/figures.h"

using namespace wavetrope;
using namespace wavetrope::app;
using namespace wavetrope::bench;

namespace {

constexpr std::size_t gauges = 60;

double partOf(std::vector<double> sorted, double part)
{
    std::sort(sorted.begin(), sorted.end());
    return sorted[std::min(sorted.size() - 1, static_cast<std::size_t>(static_cast<double>(sorted.size()) * part))];
}

}  // namespace

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    const int frames = argc > 2 ? std::max(50, std::atoi(argv[2])) : 900;
    const auto rig = rig::loadRig(argc > 1 ? argv[1] : "demo/rig.json");
    if (!rig) {
        std::fprintf(stderr, "%s\n", rig.error().text().c_str());
        return 1;
    }
    auto document = liveRun(*rig);
    if (!document)
        return 1;
    MainWindow window(std::move(*document));
    window.setAttribute(Qt::WA_DeleteOnClose, false);
    window.resize(1920, 1080);
    window.show();
    // Signals of all buses, each kind of gauge among them.
    std::vector<database::SignalRef> signals;
    for (const database::CatalogMessage& message : window.stage().catalog().messages())
        for (std::uint32_t i = 0; i < message.message->signals.size() && signals.size() < gauges; i += 2)
            if (!message.message->sender.empty())
                signals.push_back({&message, i});
    board::Made made = board::boardOf(window.stage().catalog(), "Bench", signals);
    for (std::size_t i = 0; i < made.made.items.size(); ++i)
        if (i % 6 == 0)
            made.made.items[i].shown = board::Shown::history;
        else if (i % 6 == 3)
            made.made.items[i].shown = board::Shown::dial;
    window.stage().boards().show(made);
    auto* view = window.currentPage()->find<BoardView>();
    QTest::qWait(3000);
    // Its own frames, as the run drives them: what was looked at, and painted for it.
    struct Frames : QObject {
        BoardView* view = nullptr;
        std::vector<double> looked, painted, both;
        bool eventFilter(QObject* watched, QEvent* event) override
        {
            if (event->type() == QEvent::Paint && view->paintedIn() > 0) {
                looked.push_back(static_cast<double>(view->lookedIn()) * 1e-6);
                painted.push_back(static_cast<double>(view->paintedIn()) * 1e-6);
                both.push_back(looked.back() + painted.back());
            }
            return QObject::eventFilter(watched, event);
        }
    } own;
    own.view = view;
    view->installEventFilter(&own);
    for (int i = 0; i < 600 && static_cast<int>(own.both.size()) < frames; ++i)
        QTest::qWait(100);
    view->removeEventFilter(&own);
    const auto& [looked, painted, both] = std::tie(own.looked, own.painted, own.both);
    // The limit: the area filled, and as many numbers drawn.
    QImage image(view->size(), QImage::Format_ARGB32_Premultiplied);
    std::vector<double> bare;
    for (int i = 0; i < 200; ++i) {
        QElapsedTimer took;
        took.start();
        QPainter painter(&image);
        painter.fillRect(image.rect(), Theme::get().ground);
        QFont font = Theme::get().mono(10);
        font.setPixelSize(40);
        painter.setFont(font);
        for (std::size_t k = 0; k < gauges; ++k)
            painter.drawText(QPointF(20 + 170 * (k % 8), 60 + 90 * (k / 8)),
                QString::number(static_cast<double>(i) + static_cast<double>(k) * 0.37, 'f', 2));
        painter.end();
        bare.push_back(static_cast<double>(took.nsecsElapsed()) * 1e-6);
    }
    const std::string beside = std::to_string(view->items().size()) + " items, looked at in " + std::to_string(partOf(looked, 0.5))
                               + ", painted in " + std::to_string(partOf(painted, 0.5)) + " ms; the area and its numbers alone "
                               + std::to_string(partOf(bare, 0.5));
    row("board of 60 gauges, a frame (median)", partOf(both, 0.5), "ms", 2, beside.c_str());
    const std::string longest = "longest " + std::to_string(partOf(both, 1)) + " ms of " + std::to_string(both.size()) + ", looking "
                                + std::to_string(partOf(looked, 1)) + ", painting " + std::to_string(partOf(painted, 1))
                                + "; the bare limit " + std::to_string(partOf(bare, 1)) + " of " + std::to_string(bare.size());
    row("board of 60 gauges, a frame (p99.9)", partOf(both, 0.999), "ms", 16, longest.c_str());
    window.closeWithoutAsking();
    return 0;
}
