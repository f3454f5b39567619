// SPDX-License-Identifier: GPL-3.0-or-later
// A run that is larger than its memory: what keeping it costs beside appending alone and beside writing the same bytes to
// the disk, and what it costs to read it back beside copying memory.
#include <fcntl.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <random>
#include <string>
#include <vector>

#include "bench/figures.h"
#include "bench/traffic.h"
#include "filter/filter_scan.h"
#include "formats/run_block.h"
#include "spool/spool.h"

using namespace wavetrope;
using namespace wavetrope::bench;

int main(int argc, char** argv)
{
    const std::uint64_t frames = (argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 20) * 1'000'000;
    const std::string folder = (argc > 2 ? std::string(argv[2]) : std::filesystem::temp_directory_path().string())
                               + "/wavetrope-spool-bench";
    std::vector<trace::TraceBus> names;
    for (unsigned bus = 0; bus < buses; ++bus)
        names.push_back({"Bus" + std::to_string(bus), {500'000, 0}});
    const auto fill = [&](trace::Trace& trace, spool::Spool* keeper) {
        for (const trace::TraceBus& bus : names)
            trace.addBus(bus);
        Generator generator;
        for (std::uint64_t i = 0; i < frames; ++i) {
            trace.append(generator.next());
            if (keeper != nullptr && i % 65'536 == 0)
                keeper->makeRoom();
        }
        if (keeper != nullptr)
            keeper->settle();
    };
    trace::Trace plain;
    const double alone = secondsOf([&] { fill(plain, nullptr); });
    std::printf("%llu M frames\n", static_cast<unsigned long long>(frames / 1'000'000));
    std::printf("  made and appended, memory alone             %8.2f M frames/s, %.2f GB in memory\n",
        1e-6 * static_cast<double>(frames) / alone, 1e-9 * static_cast<double>(plain.memory()));

    spool::SpoolOptions options;
    options.folder = folder;
    options.memory = 256'000'000;
    options.leaveFree = 0;
    trace::Trace kept;
    auto keeper = spool::Spool::start(options, kept, {names, {}, "bench", {}, 1});
    const double keeping = secondsOf([&] { fill(kept, keeper.get()); });
    const spool::SpoolReport report = keeper->report();
    if (report.rows != frames || report.letGo != 0) {
        std::fprintf(stderr, "not all was kept: %s\n", report.words.c_str());
        return 1;
    }
    std::printf("  the same, kept on the disk                  %8.2f M frames/s, %.2f GB in memory, %.2f GB on disk (%.1f bytes a frame)\n",
        1e-6 * static_cast<double>(frames) / keeping, 1e-9 * static_cast<double>(kept.memory()), 1e-9 * static_cast<double>(report.bytes),
        static_cast<double>(report.bytes) / static_cast<double>(frames));

    // One core: a segment to bytes and back, beside copying its payloads.
    const trace::Snapshot memory = plain.snapshot();
    constexpr std::size_t some = 32;
    std::vector<std::vector<std::uint8_t>> blocks(some);
    const double packing = secondsOf([&] {
        for (std::size_t s = 0; s < some; ++s)
            formats::writeRunBlock(plain, *memory.segment(s), 0, trace::segmentRows, blocks[s]);
    });
    const double back = secondsOf([&] {
        for (std::size_t s = 0; s < some; ++s) {
            auto block = formats::RunBlock::read(
                *formats::RunBlockHead::read(blocks[s]), std::span(blocks[s]).subspan(formats::RunBlockHead::size));
            if (!block || block->segment(trace::Row{s} * trace::segmentRows, plain) == nullptr)
                std::abort();
        }
    });
    std::vector<std::uint8_t> bytes(some * memory.segment(0)->memory()), copy(bytes.size());
    const double copying = best(3, [&] { std::copy(bytes.begin(), bytes.end(), copy.begin()); });
    const double perFrame = 1e9 / (some * double{trace::segmentRows});
    std::printf("  a segment to a block, one core              %8.1f ns a frame\n  and back                                    %8.1f ns a "
                "frame, %.1f ms a segment (memcpy of as much: %.1f ns)\n",
        packing * perFrame, back * perFrame, 1e3 * back / some, copying * perFrame);

    // The same bytes written to the disk and waited for.
    const int file = ::open((folder + "/plain").c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    std::vector<std::uint8_t> block(1U << 20, 0x5A);
    const double writing = secondsOf([&] {
        for (std::uint64_t at = 0; at < report.bytes; at += block.size())
            if (::write(file, block.data(), block.size()) < 0)
                std::abort();
        ::fdatasync(file);
    });
    ::close(file);
    std::filesystem::remove(folder + "/plain");
    std::printf("  writing as many bytes to this disk          %8.2f GB/s; the run asked for %.2f GB/s\n",
        1e-9 * static_cast<double>(report.bytes) / writing, 1e-9 * static_cast<double>(report.bytes) / keeping);

    // Looking at what left memory.
    const trace::Snapshot snapshot = kept.snapshot();
    std::mt19937_64 random(1);
    double slowest = 0;
    for (int i = 0; i < 200; ++i)
        slowest = std::max(slowest, secondsOf([&] { (void)snapshot.frame(random() % snapshot.rows()); }));
    std::printf("  a frame anywhere, slowest of 200            %8.1f ms\n", 1e3 * slowest);
    for (const auto& [what, trace] : {std::pair("memory", &plain), {"disk", &kept}}) {
        filter::FilterScan scan(*filter::Filter::compile("byte 0 = 3", catalog()));
        const double seconds = secondsOf([&] { scan.advance(trace->snapshot(), {~std::uint64_t{0}, 2}); });
        std::printf("  a byte of every payload, from %-6s        %8.2f s, %.1f M frames/s\n", what, seconds,
            1e-6 * static_cast<double>(frames) / seconds);
    }
    keeper.reset();
    std::error_code ignored;
    std::filesystem::remove_all(folder, ignored);
    return 0;
}
