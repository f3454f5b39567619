// SPDX-License-Identifier: GPL-3.0-or-later
// Long logs: what each answer costs at 1, 10 and 100 million frames, beside SQLite with the same rows and beside plain
// scans of memory.
#include <sqlite3.h>
#include <unistd.h>

#include <benchmark/benchmark.h>

#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <random>
#include <string>
#include <vector>

#include "bench/figures.h"
#include "bench/traffic.h"
#include "database/dbc_reader.h"
#include "filter/filter_scan.h"
#include "formats/log_file.h"
#include "formats/trace_sink.h"

using namespace wavetrope;
using namespace wavetrope::bench;

namespace {

// The shortest of three scans by a filter, and how many rows it passes.
double filterSeconds(const trace::Trace& trace, const char* text, unsigned threads, std::uint64_t& passed)
{
    return bench::best(3, [&] {
        filter::FilterScan scan(*filter::Filter::compile(text, catalog()));
        scan.advance(trace.snapshot(), {~std::uint64_t{0}, threads});
        passed = scan.rows().size();
    });
}

// The same rows in a table with an index on the identifier.
void besideSqlite(const trace::Trace& trace, std::uint64_t rows, const std::string& folder)
{
    const std::string path = folder + "/bench.sqlite";
    sqlite3* db = nullptr;
    if (sqlite3_open(path.c_str(), &db) != SQLITE_OK)
        std::abort();
    const auto run = [&](const char* sql) {
        if (sqlite3_exec(db, sql, nullptr, nullptr, nullptr) != SQLITE_OK)
            std::abort();
    };
    run("PRAGMA journal_mode=OFF");
    run("PRAGMA synchronous=OFF");
    run("CREATE TABLE frames (time INTEGER, bus INTEGER, id INTEGER, data BLOB)");
    const trace::Snapshot snapshot = trace.snapshot();
    const double filling = bench::secondsOf([&] {
        run("BEGIN");
        sqlite3_stmt* insert = nullptr;
        sqlite3_prepare_v2(db, "INSERT INTO frames VALUES (?,?,?,?)", -1, &insert, nullptr);
        for (trace::Row row = 0; row < rows; ++row) {
            const can::FrameView frame = snapshot.frame(row);
            sqlite3_bind_int64(insert, 1, frame.time.count());
            sqlite3_bind_int(insert, 2, frame.bus);
            sqlite3_bind_int(insert, 3, static_cast<int>(frame.id.value));
            sqlite3_bind_blob(insert, 4, frame.data, frame.length, SQLITE_STATIC);
            sqlite3_step(insert);
            sqlite3_reset(insert);
        }
        sqlite3_finalize(insert);
        run("COMMIT");
    });
    const double indexing = bench::secondsOf([&] { run("CREATE INDEX byId ON frames (bus, id)"); });
    std::uint64_t found = 0;
    const auto query = [&](const char* sql) {
        return bench::best(2, [&] {
            sqlite3_stmt* select = nullptr;
            sqlite3_prepare_v2(db, sql, -1, &select, nullptr);
            found = 0;
            while (sqlite3_step(select) == SQLITE_ROW) {
                benchmark::DoNotOptimize(sqlite3_column_int64(select, 0));
                ++found;
            }
            sqlite3_finalize(select);
        });
    };
    const double one = query("SELECT rowid FROM frames WHERE bus=3 AND id=261");
    std::uint64_t passed = 0;
    trace::Trace part;
    for (trace::Row row = 0; row < rows; ++row)
        part.append(snapshot.frame(row));
    const double own = filterSeconds(part, "bus Bus3 and id 0x105", 0, passed);
    if (passed != found)
        std::abort();
    line("SQLite: filling a table with the rows", static_cast<double>(rows) / filling / 1e6, "M rows/s",
        words("and %.1f s for an index on bus and identifier", indexing));
    line("SQLite: one identifier by its index", one * 1e3, "ms",
        words("ours over the same rows: %.3f ms, %.0f times faster", own * 1e3, one / own));
    sqlite3_close(db);
    ::unlink(path.c_str());
}

// Makes the frames of a log, and appends them to a trace as a run does.
void makeLog(std::uint64_t frames, const std::string& path)
{
    trace::Trace trace;
    std::vector<trace::TraceBus> names;
    for (unsigned bus = 0; bus < buses; ++bus)
        names.push_back({"Bus" + std::to_string(bus), {500'000, 0}});
    for (const trace::TraceBus& name : names)
        trace.addBus(name);
    auto file = formats::LogFile::create(path, names);
    if (!file)
        std::abort();
    Generator generator;
    double appending = 0;
    std::vector<can::Frame> block(1 << 16);
    for (std::uint64_t done = 0; done < frames; done += block.size()) {
        const auto count = static_cast<std::size_t>(std::min<std::uint64_t>(block.size(), frames - done));
        for (std::size_t i = 0; i < count; ++i)
            block[i] = can::Frame(generator.next());
        appending += bench::secondsOf([&] {
            for (std::size_t i = 0; i < count; ++i)
                trace.append(block[i].view());
        });
        for (std::size_t i = 0; i < count; ++i)
            (*file)->write(block[i].view());
    }
    if (!(*file)->finish())
        std::abort();
    line("appending one by one, indexes included, one core", static_cast<double>(frames) / appending / 1e6, "M frames/s");
    line("memory of that", static_cast<double>(trace.memory()) / static_cast<double>(frames), "bytes/frame", "want 24");
}

// Reads a log that lies in the page cache.
void read(const std::string& path, std::uint64_t frames, trace::Trace& trace)
{
    const auto bytes = static_cast<double>(std::filesystem::file_size(path));
    const auto into = [&](trace::Trace& to, unsigned threads) {
        return bench::secondsOf([&] {
            formats::TraceSink sink(to);
            formats::ReadOptions options;
            options.threads = threads;
            const auto report = formats::readLogFile(path, sink, options);
            if (!report || to.rows() != frames)
                std::abort();
        });
    };
    double alone = 0;
    {
        trace::Trace one;
        alone = into(one, 1);
    }
    double all = 1e9;
    for (int i = 0; i < 2; ++i) {
        trace::Trace again;
        all = std::min(all, into(again, 0));
    }
    all = std::min(all, into(trace, 0));
    std::vector<std::uint8_t> from(std::size_t{256} << 20, 1);
    std::vector<std::uint8_t> to(from.size());
    const double copying = bench::best(5, [&] {
        std::memcpy(to.data(), from.data(), from.size());
        benchmark::ClobberMemory();
    });
    const double plain = static_cast<double>(from.size()) / copying / 1e9;
    line("pcapng read, all rows indexed, all cores", bytes / all / 1e9, "GB/s",
        words("%.1f M frames/s; ", static_cast<double>(frames) / all / 1e6)
            + words("memcpy: %.2f GB/s, a quarter of it %.2f", plain, plain / 4));
    line("the same, one core", bytes / alone / 1e9, "GB/s", words("%.1f M frames/s", static_cast<double>(frames) / alone / 1e6));
    line("memory", static_cast<double>(trace.memory()) / static_cast<double>(frames), "bytes/frame", "want 24");
}

void measure(std::uint64_t frames, const std::string& folder)
{
    std::printf("%llu M frames\n", static_cast<unsigned long long>(frames / 1'000'000));
    const std::string path = folder + "/bench.pcapng";
    makeLog(frames, path);
    trace::Trace trace;
    read(path, frames, trace);
    ::unlink(path.c_str());
    std::uint64_t passed = 0;
    double seconds = filterSeconds(trace, "bus Bus3 and id 0x105", 0, passed);
    line("filter: one identifier", seconds * 1e3, "ms", words("%.0f rows; want 10 ms at 100 M", static_cast<double>(passed)));
    seconds = filterSeconds(trace, "id 0x100..0x118", 0, passed);
    line("filter: 200 of 400 identifiers", seconds * 1e3, "ms", words("%.0f rows; want 300 ms at 100 M", static_cast<double>(passed)));
    std::uint64_t carrying = 0;
    filterSeconds(trace, "name Message3", 0, carrying);
    seconds = filterSeconds(trace, "Level3 > 30 mm", 0, passed);
    line("filter: a signal's value", static_cast<double>(carrying) / seconds / 1e6, "M frames/s",
        words("of the %.0f frames that carry it, all cores; want 100; %.1f ms", static_cast<double>(carrying), seconds * 1e3));
    seconds = filterSeconds(trace, "Rare3 = 238 and gap > 1 us", 0, passed);
    line("filter: a rare value with a gap", seconds * 1e3, "ms", words("%.0f rows", static_cast<double>(passed)));
    seconds = filterSeconds(trace, "byte 4 = 0xEE", 0, passed);
    // The same question put to a plain column of payloads.
    double plain = 1e9;
    {
        const std::uint64_t rows = std::min<std::uint64_t>(frames, 20'000'000);
        std::vector<std::uint64_t> column(rows);
        for (std::uint64_t i = 0; i < rows; ++i)
            std::memcpy(&column[i], trace.snapshot().frame(i).data, 8);
        std::uint64_t count = 0;
        plain = bench::best(3, [&] {
            count = 0;
            for (const std::uint64_t payload : column)
                count += (payload >> 32 & 0xFFU) == 0xEE ? 1 : 0;
            benchmark::DoNotOptimize(count);
        });
        plain *= static_cast<double>(frames) / static_cast<double>(rows);
    }
    line("filter: a byte of every payload", seconds * 1e3, "ms",
        words("a plain scan on one core: %.1f ms, ratio %.2f; want 2", plain * 1e3, seconds / plain));
    // The roster: newest row, count and the two rows before, of every identifier, at cursors all over the trace.
    const trace::Snapshot snapshot = trace.snapshot();
    std::mt19937_64 random(3);
    double slowest = 0;
    for (int i = 0; i < 200; ++i) {
        const trace::Row cursor = random() % frames;
        slowest = std::max(slowest, bench::secondsOf([&] {
            for (trace::IdentifierIndex id = 0; id < trace.identifierCount(); ++id) {
                const trace::Row newest = snapshot.previousOf(id, cursor + 1);
                benchmark::DoNotOptimize(newest == trace::noRow ? newest : snapshot.previousOf(id, newest));
                benchmark::DoNotOptimize(snapshot.countOf(id, cursor + 1));
            }
        }));
    }
    line("roster at any cursor, slowest of 200", slowest * 1e3, "ms", "want 16");
    filter::FilterScan scan(*filter::Filter::compile("id 0x100..0x118", catalog()));
    scan.advance(snapshot, {~std::uint64_t{0}, 0});
    slowest = 0;
    for (int i = 0; i < 200; ++i) {
        const std::uint64_t from = random() % scan.rows().size();
        slowest = std::max(slowest, bench::secondsOf([&] {
            for (std::uint64_t n = from; n < from + 60; ++n)
                if (const trace::Row row = scan.rows()[n]; row != trace::noRow)
                    benchmark::DoNotOptimize(snapshot.frame(row).data[0]);
        }));
    }
    line("60 matching rows anywhere, slowest of 200", slowest * 1e3, "ms");
    line("the answer of that filter takes", static_cast<double>(scan.rows().memory()) / 1e6, "MB");
    besideSqlite(trace, std::min<std::uint64_t>(frames, 5'000'000), folder);
}

}  // namespace

int main(int argc, char** argv)
{
    const std::string folder = std::getenv("TMPDIR") != nullptr ? std::getenv("TMPDIR") : "/tmp";
    const std::uint64_t largest = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 10;
    for (std::uint64_t size = 1; size <= largest; size *= 10)
        measure(size * 1'000'000, folder);
    return 0;
}
