// SPDX-License-Identifier: GPL-3.0-or-later
// What leaves and enters by other forms: values as text beside fprintf, compressed logs, logs of text. Each beside what a
// user would take instead, or a limit of the machine, in one run.
#include <sys/stat.h>
#include <unistd.h>

#include <cinttypes>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <vector>

#include "base/time_text.h"
#include "bench/figures.h"
#include "bench/traffic.h"
#include "convert/frames.h"
#include "convert/value_rows.h"
#include "database/codec.h"
#include "formats/log_file.h"
#include "formats/trace_sink.h"

using namespace wavetrope;
using namespace wavetrope::bench;

namespace {

struct Counting final : formats::ByteTarget {
    void write(std::span<const std::uint8_t> more) override { bytes += std::fwrite(more.data(), 1, more.size(), out); }
    std::FILE* out = nullptr;
    std::size_t bytes = 0;
};

// The same numbers as a program that has the frames decoded would write them.
std::uint64_t withPrintf(const trace::Snapshot& snapshot, std::FILE* out)
{
    const auto names = snapshot.trace().buses();
    std::vector<database::Decoded> decoded;
    std::uint64_t values = 0;
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        const can::FrameView frame = snapshot.frame(row);
        const auto* entry = catalog()->find(frame);
        if (entry == nullptr)
            continue;
        decoded.clear();
        entry->plan.decode(frame, decoded);
        for (const database::Decoded& value : decoded) {
            const database::Signal& signal = entry->message->signals[value.signal];
            std::fprintf(out, "%" PRId64 ".%09" PRId64 ",%s,0x%03X,%s,%s,%" PRIu64 ",%.17g,%s,\n", frame.time.count() / 1'000'000'000,
                frame.time.count() % 1'000'000'000, names[frame.bus].name.c_str(), frame.id.value, entry->message->name.c_str(),
                signal.name.c_str(), value.bits, value.value, signal.unit.c_str());
            ++values;
        }
    }
    return values;
}

void decoding(const trace::Trace& trace)
{
    const auto snapshot = trace.snapshot();
    convert::Conversion conversion;
    conversion.clock = convert::Clock::epoch;
    std::FILE* nowhere = std::fopen("/dev/null", "w");
    std::uint64_t values = 0;
    const double plain = best(3, [&] { values = withPrintf(snapshot, nowhere); });
    for (const unsigned threads : {1U, 2U}) {
        conversion.threads = threads;
        convert::Outcome outcome;
        Counting target;
        const double ours = best(3, [&] {
            outcome = {};
            target = {};
            target.out = nowhere;
            const convert::Frames frames(snapshot, nullptr, Time::min(), Time::max());
            convert::writeValueRows(frames, catalog(), conversion, target, outcome, {});
        });
        if (outcome.values != values)
            std::abort();
        line(threads == 1 ? "values to CSV, one thread" : "values to CSV, two threads", 1e-6 * static_cast<double>(values) / ours,
            "M values/s",
            words("%.1f times fprintf of the same numbers (want 4 a core); %.0f MB/s", plain / ours,
                1e-6 * static_cast<double>(target.bytes) / ours));
    }
    line("values with fprintf, one thread", 1e-6 * static_cast<double>(values) / plain, "M values/s");
    std::fclose(nowhere);
}

void logs(const trace::Trace& trace)
{
    const auto snapshot = trace.snapshot();
    const std::string folder = "/tmp/wavetrope-convert-bench";
    ::mkdir(folder.c_str(), 0755);
    for (const char* name : {"log.pcapng", "log.pcapng.gz", "log.pcapng.zst"}) {
        const std::string path = folder + "/" + name;
        std::uint64_t bytes = 0;
        const double writing = secondsOf([&] {
            auto file = formats::LogFile::create(path, trace.buses());
            for (trace::Row row = 0; row < snapshot.rows(); ++row)
                (*file)->write(snapshot.frame(row));
            if (!(*file)->finish())
                std::abort();
            bytes = (*file)->bytes();
        });
        const double reading = best(2, [&] {
            trace::Trace back;
            formats::TraceSink sink(back);
            const auto report = formats::readLogFile(path, sink);
            if (!report || back.rows() != snapshot.rows())
                std::abort();
        });
        line(name, 1e-6 * static_cast<double>(bytes), "MB",
            words("written at %.2f, read into the trace at %.2f M frames/s", 1e-6 * static_cast<double>(snapshot.rows()) / writing,
                1e-6 * static_cast<double>(snapshot.rows()) / reading));
        ::unlink(path.c_str());
    }
    const std::string path = folder + "/log.csv";
    std::FILE* out = std::fopen(path.c_str(), "w");
    std::fputs("time,channel,id,len,data\n", out);
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        const can::FrameView frame = snapshot.frame(row);
        std::fprintf(out, "%s,%u,0x%03X,8,%02X%02X%02X%02X%02X%02X%02X%02X\n", secondsText(frame.time).c_str(), frame.bus, frame.id.value,
            frame.data[0], frame.data[1], frame.data[2], frame.data[3], frame.data[4], frame.data[5], frame.data[6], frame.data[7]);
    }
    const auto bytes = static_cast<double>(std::ftell(out));
    std::fclose(out);
    const double reading = best(2, [&] {
        trace::Trace back;
        formats::TraceSink sink(back);
        if (const auto report = formats::readLogFile(path, sink); !report || back.rows() != snapshot.rows())
            std::abort();
    });
    // The least that a program could do with the lines: read them.
    const double lines = best(2, [&] {
        std::FILE* in = std::fopen(path.c_str(), "r");
        char text[256];
        std::uint64_t count = 0;
        while (std::fgets(text, sizeof text, in) != nullptr)
            ++count;
        std::fclose(in);
        if (count == 0)
            std::abort();
    });
    line("a log of text, recognised and read", 1e-6 * static_cast<double>(snapshot.rows()) / reading, "M frames/s",
        words("%.0f MB/s; fgets alone goes through its lines at %.0f MB/s", 1e-6 * bytes / reading, 1e-6 * bytes / lines));
    ::unlink(path.c_str());
    ::rmdir(folder.c_str());
}

}  // namespace

int main(int argc, char** argv)
{
    const std::uint64_t millions = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 5;
    trace::Trace trace;
    for (unsigned bus = 0; bus < buses; ++bus)
        trace.addBus({"Bus" + std::to_string(bus), {500'000, 0}});
    Generator generator;
    for (std::uint64_t i = 0; i < millions * 1'000'000; ++i)
        trace.append(generator.next());
    std::printf("%llu M frames, half of the identifiers decoded\n", static_cast<unsigned long long>(millions));
    decoding(trace);
    logs(trace);
    return 0;
}
