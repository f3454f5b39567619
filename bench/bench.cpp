// SPDX-License-Identifier: GPL-3.0-or-later
// How fast the core is, each figure beside the limit or the wish that it is measured against, in one run.
#include <benchmark/benchmark.h>

#include <atomic>
#include <cstdio>
#include <cstring>
#include <random>
#include <thread>

#include "bench/figures.h"
#include "bus/simulated_bus.h"
#include "database/codec.h"
#include "filter/filter_scan.h"
#include "formats/trace_sink.h"
#include "measure/measures.h"

using namespace wavetrope;
using namespace wavetrope::bench;

namespace {

std::vector<can::Frame> classicFrames(std::size_t count)
{
    std::mt19937 random(1);
    std::vector<can::Frame> frames(count);
    for (std::size_t i = 0; i < count; ++i) {
        can::Frame& frame = frames[i];
        frame.time = Time(static_cast<std::int64_t>(i) * 250'000);
        frame.id = {static_cast<std::uint32_t>(random() % 60 + 0x100), false};
        frame.length = frame.dlc = 8;
        for (auto& byte : frame.data)
            byte = static_cast<std::uint8_t>(random());
    }
    return frames;
}

void wireLength(const std::vector<can::Frame>& frames)
{
    std::vector<can::FrameView> views;
    for (const can::Frame& frame : frames)
        views.push_back(frame.view());
    unsigned sum = 0;
    const double seconds = best(5, [&] {
        for (const can::FrameView& view : views)
            sum += can::wireLength(view).nominalBits;
    });
    benchmark::DoNotOptimize(sum);
    row("wire length of classic frames", static_cast<double>(frames.size()) / seconds / 1e6, "M/s", 20);
}

void decoding(const std::vector<can::Frame>& frames)
{
    database::Message message;
    message.length = 8;
    for (unsigned i = 0; i < 8; ++i) {
        database::Signal signal;
        signal.startBit = i % 2 == 0 ? i * 8 : i * 8 + 7;
        signal.length = i % 3 == 0 ? 7 : 8;
        signal.order = i % 2 == 0 ? database::ByteOrder::intel : database::ByteOrder::motorola;
        signal.isSigned = i % 3 == 1;
        signal.factor = 0.1;
        signal.offset = -4;
        message.signals.push_back(signal);
    }
    const database::MessagePlan plan(message);
    std::vector<database::Decoded> out;
    double sum = 0;
    const double seconds = best(5, [&] {
        for (const can::Frame& frame : frames) {
            out.clear();
            plan.decode(frame.view(), out);
            sum += out.back().value;
        }
    });
    benchmark::DoNotOptimize(sum);
    row("decoding signals, 8 of 7 to 8 bits in a frame", static_cast<double>(frames.size() * 8) / seconds / 1e6, "M/s", 50);
}

struct MemoryTarget : formats::ByteTarget {
    std::vector<std::uint8_t> bytes;
    void write(std::span<const std::uint8_t> more) override { bytes.insert(bytes.end(), more.begin(), more.end()); }
};

struct CountingSink : formats::LogSink {
    std::uint64_t frames = 0;
    std::uint64_t sum = 0;
    std::uint8_t onBus(const trace::TraceBus&) override { return 0; }
    void onFrames(std::span<const can::FrameView> views) override
    {
        frames += views.size();
        for (const can::FrameView& view : views)
            sum += view.id.value + view.data[0];
    }
};

void reading(const std::vector<can::Frame>& frames)
{
    MemoryTarget target;
    const auto encoder = formats::logFormats().front().encoder();
    const std::vector<trace::TraceBus> buses{{"A", {500'000, 0}}};
    encoder->begin(target, buses, {});
    for (const can::Frame& frame : frames)
        benchmark::DoNotOptimize(encoder->frame(target, frame.view()));
    const auto size = static_cast<double>(target.bytes.size());
    std::vector<std::uint8_t> copy(target.bytes.size());
    const double plain = best(7, [&] {
        std::memcpy(copy.data(), target.bytes.data(), copy.size());
        benchmark::ClobberMemory();
    });
    std::uint64_t sum = 0;
    const double parsing = best(7, [&] {
        CountingSink sink;
        formats::ByteSource source(target.bytes);
        if (!formats::readLog(source, sink) || sink.frames != frames.size())
            std::abort();
        sum += sink.sum;
    });
    benchmark::DoNotOptimize(sum);
    const double memcpyRate = size / plain / 1e9;
    char note[80];
    std::snprintf(note, sizeof note, "(memcpy of the same bytes: %.2f GB/s; %.1f M frames/s)", memcpyRate,
        static_cast<double>(frames.size()) / parsing / 1e6);
    row("pcapng reading against memcpy", size / parsing / 1e9, "GB/s", memcpyRate / 4, note);
    const double into = best(3, [&] {
        trace::Trace trace;
        formats::TraceSink sink(trace);
        formats::ByteSource source(target.bytes);
        if (!formats::readLog(source, sink))
            std::abort();
    });
    std::printf("%-58s %10.2f %-10s\n", "  and into a trace with its indexes", size / into / 1e9, "GB/s");
}

struct NullListener final : bus::Listener {
    std::uint64_t frames = 0;
    void onFrame(const can::FrameView&, bus::Port) override { ++frames; }
};

// A node that offers a frame every so often, the plainest there can be.
struct Beater {
    clock::Scheduler* scheduler;
    bus::SimulatedBus* bus;
    bus::Port port;
    can::Frame frame;
    Time every;
    void schedule(Time when)
    {
        scheduler->at(
            when,
            [](void* context, std::uint64_t) {
                auto* self = static_cast<Beater*>(context);
                self->frame.data[0]++;
                self->bus->offer(self->port, self->frame);
                self->schedule(self->scheduler->now() + self->every);
            },
            this);
    }
};

void simulation()
{
    clock::Scheduler scheduler;
    bus::SimulatedBus bus(scheduler, {{500'000, 0}, 0, 64, true});
    NullListener listener;
    bus.listen(&listener);
    std::vector<Beater> beaters;
    constexpr int nodes = 10;
    for (int i = 0; i < nodes; ++i) {
        Beater beater{&scheduler, &bus, bus.attach("node", can::Direction::received), {}, std::chrono::microseconds(4800)};
        beater.frame.id = {0x100U + static_cast<unsigned>(i), false};
        beater.frame.length = beater.frame.dlc = 8;
        for (unsigned k = 0; k < 8; ++k)
            beater.frame.data[k] = static_cast<std::uint8_t>(i * 37 + static_cast<int>(k) * 91);
        beaters.push_back(beater);
    }
    for (int i = 0; i < nodes; ++i)
        beaters[static_cast<std::size_t>(i)].schedule(std::chrono::microseconds(480 * i));
    constexpr double span = 1000;
    const double seconds = secondsOf([&] { scheduler.runUntil(std::chrono::seconds(static_cast<int>(span))); });
    char note[80];
    std::snprintf(note, sizeof note, "(%.0f times faster than real time, load %.0f %%)", span / seconds,
        static_cast<double>(listener.frames) * 0.000238 / span * 100);
    row("simulated bus, ten nodes, about half load", static_cast<double>(listener.frames) / seconds / 1e6, "M frames/s", 1, note);
}

void appending(const std::vector<can::Frame>& frames)
{
    constexpr std::uint64_t rows = 12'000'000;
    trace::Trace trace;
    std::atomic<bool> done{false};
    std::atomic<std::uint64_t> looked{0};
    const auto read = [&] {
        std::uint64_t sum = 0;
        while (!done) {
            const trace::Snapshot snapshot = trace.snapshot();
            const trace::Row from = snapshot.rows() > 20'000 ? snapshot.rows() - 20'000 : 0;
            for (trace::Row row = from; row < snapshot.rows(); ++row)
                sum += snapshot.frame(row).data[0];
            looked += snapshot.rows() - from;
        }
        benchmark::DoNotOptimize(sum);
    };
    std::thread one(read);
    std::thread two(read);
    const double seconds = secondsOf([&] {
        for (std::uint64_t i = 0; i < rows; ++i)
            trace.append(frames[i % frames.size()].view());
    });
    done = true;
    one.join();
    two.join();
    char note[120];
    std::snprintf(note, sizeof note, "(%llu lost; readers looked at %.0f M rows; %u cores for three threads)",
        static_cast<unsigned long long>(rows - trace.rows()), static_cast<double>(looked.load()) / 1e6,
        std::thread::hardware_concurrency());
    row("appending while two readers scan", static_cast<double>(rows) / seconds / 1e6, "M/s", 5, note);
    const double alone = secondsOf([&] {
        trace::Trace quiet;
        for (std::uint64_t i = 0; i < rows; ++i)
            quiet.append(frames[i % frames.size()].view());
    });
    std::printf("%-58s %10.2f %-10s\n", "  and with nobody reading", static_cast<double>(rows) / alone / 1e6, "M/s");
    const double each = static_cast<double>(trace.memory()) / static_cast<double>(rows);
    std::printf("%-58s %10.2f %-10s want %8.2f   %s\n", "memory of a classic frame of 8 bytes, indexes included", each, "bytes", 40.0,
        each <= 40 ? "held" : "missed");
    filter::FilterScan scan(*filter::Filter::compile("id 0x105", std::make_shared<database::Catalog>()));
    const double filtering = secondsOf([&] { scan.advance(trace.snapshot()); });
    std::printf("%-58s %10.2f %-10s\n", "filter by one identifier", static_cast<double>(rows) / filtering / 1e6, "M rows/s");
    // Of a log whose stamps run on, and of one that begins anew in its middle, whose rows are to be put in order.
    const auto measuring = [&](const char* what, const trace::Trace& of) {
        measure::Measures measures(std::make_shared<database::Catalog>(), {{500'000, 0}}, {});
        const double took = secondsOf([&] { measures.advance(trace::Snapshot(of, 2'000'000)); });
        std::printf("%-58s %10.2f %-10s\n", what, 2.0 / took, "M rows/s");
    };
    trace::Trace straight;
    for (std::int64_t i = 0; i < 2'000'000; ++i) {
        can::FrameView frame = frames[static_cast<std::size_t>(i) % frames.size()].view();
        frame.time = Time(i * 250'000);
        straight.append(frame);
    }
    measuring("all measures (load, periods, bits, events)", straight);
    measuring("  where half of the rows are out of order", trace);
}

}  // namespace

int main()
{
    const auto frames = classicFrames(1'000'000);
    wireLength(frames);
    decoding(frames);
    databases(frames);
    reading(frames);
    simulation();
    appending(frames);
    return 0;
}
