// SPDX-License-Identifier: GPL-3.0-or-later
// Messages put together from their pieces: frames/s over traffic of which a fifth are pieces, beside a copy of the same frames.
//     wavetrope-protocol-bench [MILLIONS]
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <vector>

#include "filter/filter_scan.h"
#include "measure/message_index.h"
#include "protocol/message_stream.h"

using namespace wavetrope;

namespace {

// A vehicle's bus: groups of eight bytes, and in between broadcasts of 200 bytes, so that every fifth frame is a piece.
std::vector<can::Frame> traffic(std::size_t count)
{
    std::vector<can::Frame> frames;
    frames.reserve(count);
    Time at{};
    unsigned packet = 0, groups = 0;
    while (frames.size() < count) {
        can::Frame frame;
        frame.time = at += std::chrono::microseconds(270);
        frame.length = frame.dlc = 8;
        if (frames.size() % 5 != 4) {
            frame.id = {0x18FE0021U + (groups++ % 200 << 8), true};
            frame.data[0] = static_cast<std::uint8_t>(groups);
        } else if (packet == 0) {
            frame.id = {0x1CECFF21, true};
            frame.data = {32, 200, 0, 29, 255, 0xE3, 0xFE, 0};
            ++packet;
        } else {
            frame.id = {0x1CEBFF21, true};
            frame.data = {static_cast<std::uint8_t>(packet), 1, 2, 3, 4, 5, 6, 7};
            packet = packet == 29 ? 0 : packet + 1;
        }
        frames.push_back(frame);
    }
    return frames;
}

double seconds(const std::chrono::steady_clock::time_point& from)
{
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count();
}

}  // namespace

int main(int argc, char** argv)
{
    const std::size_t rounds = argc > 1 ? std::strtoul(argv[1], nullptr, 10) : 20;
    auto frames = traffic(1'000'000);
    const Time length = frames.back().time + std::chrono::milliseconds(1);
    std::uint64_t rows = 0, whole = 0;
    protocol::MessageStream stream([&](const protocol::MessageRow&) { ++rows; },
        [&](const protocol::Transfer& transfer) { whole += transfer.ended == protocol::Ended::whole ? 1U : 0U; });
    stream.speak(0, {*protocol::spokenFromText("a=vehicle")});
    const auto began = std::chrono::steady_clock::now();
    for (std::size_t round = 0; round < rounds; ++round)
        for (can::Frame& frame : frames) {
            stream.onFrame(frame.view());
            frame.time += length;
        }
    stream.finish();
    const double took = seconds(began);
    std::vector<can::Frame> copy(frames.size());
    const auto copying = std::chrono::steady_clock::now();
    std::uint64_t sum = 0;
    for (std::size_t round = 0; round < rounds; ++round) {
        std::copy(frames.begin(), frames.end(), copy.begin());
        sum += copy[round].data[0];
    }
    const double copied = seconds(copying);
    const double million = static_cast<double>(rounds);

    // The same filter over the frames of a trace, and over its messages.
    trace::Trace log;
    log.addBus({"a", {}});
    const std::size_t filtered = std::min<std::size_t>(rounds, 10);
    for (std::size_t round = 0; round < filtered; ++round)
        for (can::Frame& frame : frames) {
            log.append(frame.view());
            frame.time += length;
        }
    const trace::Snapshot snapshot = log.snapshot();
    const auto catalog = std::make_shared<const database::Catalog>();
    struct Figure {
        const char* text;
        double overFrames, followed, overMessages;
    };
    std::vector<Figure> figures;
    for (const char* text : {"group 0xFE05", "byte 0 > 0x80", "gap > 20 ms"}) {
        const auto filter = filter::Filter::compile(text, catalog);
        if (!filter)
            return 1;
        const auto million10 = static_cast<double>(snapshot.rows()) / 1e6;
        auto at = std::chrono::steady_clock::now();
        filter::FilterScan scan(*filter);
        (void)scan.advance(snapshot, {~std::uint64_t{0}, 2, nullptr});
        const double overFrames = million10 / seconds(at);
        at = std::chrono::steady_clock::now();
        filter::FilterStream follow(*filter, snapshot.trace().origin());
        std::uint64_t passed = 0;
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            passed += follow.passes(snapshot.frame(row)) ? 1U : 0U;
        const double followed = million10 / seconds(at);
        at = std::chrono::steady_clock::now();
        measure::MessageIndex index({{*protocol::spokenFromText("a=vehicle")}}, *filter, snapshot.trace().origin());
        (void)index.advance(snapshot);
        index.finish(snapshot);
        figures.push_back({text, overFrames, followed, million10 / seconds(at)});
        if (passed == 0 && index.rows().size() == 0)
            std::printf("nothing passes %s\n", text);
    }
    for (const Figure& one : figures)
        std::printf("filter %-45s %8.1f M frames/s found on two cores, %.1f followed, %.1f over messages\n", one.text, one.overFrames,
            one.followed, one.overMessages);
    std::printf("%-52s %8.1f M frames/s\n", "put together, one core", million / took);
    std::printf("%-52s %8.1f M frames/s (%llu)\n", "the same frames copied", million / copied, static_cast<unsigned long long>(sum));
    std::printf(
        "%-52s %8.1f M rows, %llu whole messages\n", "that is", static_cast<double>(rows) / 1e6, static_cast<unsigned long long>(whole));
}
