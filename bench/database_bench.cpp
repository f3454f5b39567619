// SPDX-License-Identifier: GPL-3.0-or-later
// Signal databases of 5,000 messages and 50,000 signals: reading, review, search, decoding and encoding.
#include <benchmark/benchmark.h>

#include <cstring>
#include <random>

#include "bench/figures.h"
#include "bench/generated.h"
#include "database/catalog.h"
#include "database/dbc_reader.h"
#include "database/dbc_writer.h"
#include "database/review.h"
#include "database/search.h"

namespace wavetrope::bench {

void databases(const std::vector<can::Frame>& frames)
{
    const std::string text = generatedDatabase(5000);
    database::DbcReading reading;
    const double read = best(5, [&] { reading = database::readDbc(text, "bench.dbc"); });
    if (!reading.problems.empty() || reading.database.messages.size() != 5000)
        std::abort();
    std::string copy(text.size(), ' ');
    const double plain = best(5, [&] {
        std::memcpy(copy.data(), text.data(), text.size());
        benchmark::ClobberMemory();
    });
    char note[120];
    std::snprintf(note, sizeof note, "(%.1f MB; memcpy of it %.0f MB/s)", static_cast<double>(text.size()) / 1e6,
        static_cast<double>(text.size()) / plain / 1e6);
    row("reading a database, 5,000 messages, 50,000 signals", static_cast<double>(text.size()) / read / 1e6, "MB/s", 40, note);

    std::size_t found = 0;
    std::printf("%-58s %10.2f %-10s\n", "  reviewing it",
        1e3 * best(3, [&] { found += database::review(reading.database, &reading).size(); }), "ms");
    std::printf("%-58s %10.2f %-10s\n", "  writing it back untouched",
        1e3 * best(3, [&] { found += database::writeDbc(reading.database, reading.database, reading.source)->size(); }), "ms");
    auto catalogDatabase = std::make_shared<const database::Database>(reading.database);
    std::printf("%-58s %10.2f %-10s\n", "  compiling all its plans",
        1e3
            * best(3,
                [&] {
                    database::Catalog catalog;
                    catalog.attach(catalog.addBus("A"), catalogDatabase);
                    found += catalog.messages().size();
                }),
        "ms");
    const database::SearchIndex index(reading.database);
    double slowest = 0;
    for (const char* typed : {"s", "si", "sig", "signal4", "signal49", "signal499", "_7", "message12", "node5", "0x"})
        slowest = std::max(slowest, best(3, [&] { found += index.find(typed).size(); }));
    std::printf("%-58s %10.2f %-10s want %8.2f   %s\n", "  a key stroke of the search, the slowest of ten", 1e3 * slowest, "ms", 16.0,
        slowest <= 0.016 ? "held" : "missed");

    // All ten signals of each frame of a log, and the other way round.
    const database::MessagePlan plan(reading.database.messages.front());
    std::vector<database::Decoded> out;
    double sum = 0;
    const double decoding = best(5, [&] {
        for (const can::Frame& frame : frames) {
            out.clear();
            plan.decode(frame.view(), out);
            sum += out.back().value;
        }
    });
    std::vector<std::uint8_t> payloads(frames.size() * 8);
    const double copying = best(5, [&] {
        for (std::size_t i = 0; i < frames.size(); ++i)
            std::memcpy(payloads.data() + i * 8, frames[i].data.data(), 8);
        benchmark::ClobberMemory();
    });
    std::snprintf(note, sizeof note, "(copying the same payloads takes %.1f %% of the time)", 100 * copying / decoding);
    row("decoding all ten signals of each frame", static_cast<double>(frames.size() * 10) / decoding / 1e6, "M/s", 100, note);
    std::uint8_t payload[can::maxLength] = {};
    const double encoding = best(5, [&] {
        for (std::size_t i = 0; i < frames.size(); ++i)
            for (std::uint32_t s = 0; s < 10; ++s)
                plan.encode(payload, s, static_cast<double>(i % 40) * 0.25 - 5);
        benchmark::DoNotOptimize(payload);
    });
    row("encoding signals", static_cast<double>(frames.size() * 10) / encoding / 1e6, "M/s", 50);
    benchmark::DoNotOptimize(sum);
    benchmark::DoNotOptimize(found);
}

}  // namespace wavetrope::bench
