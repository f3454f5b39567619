// SPDX-License-Identifier: GPL-3.0-or-later
// Sets of rows: the product's own beside roaring bitmaps, over the same answers of the same filters. The argument is the
// size of the log in millions of frames.
#include <cstdlib>
#include <random>

#include <benchmark/benchmark.h>
#include <roaring/roaring.hh>

#include "bench/figures.h"
#include "bench/traffic.h"
#include "filter/filter_scan.h"
#include "trace/trace.h"

using namespace wavetrope;
using namespace wavetrope::bench;

namespace {

void beside(const trace::Trace& trace, const char* what, const char* text)
{
    const trace::Snapshot snapshot = trace.snapshot();
    const auto filter = filter::Filter::compile(text, madeCatalog());
    if (!filter)
        std::abort();
    filter::FilterScan scan(*filter);
    const double answer = secondsOf([&] { scan.advance(snapshot, {~std::uint64_t{0}, 1}); });
    const filter::RowSet& own = scan.rows();
    std::vector<std::uint32_t> rows;
    const double listing = secondsOf([&] {
        rows.reserve(own.size());
        own.each(0, [&](trace::Row row) {
            rows.push_back(static_cast<std::uint32_t>(row));
            return true;
        });
    });
    Roaring other;
    const double adding = secondsOf([&] {
        other.addMany(rows.size(), rows.data());
        other.runOptimize();
    });
    std::mt19937_64 random(3);
    constexpr unsigned asked = 20'000;
    std::vector<std::uint64_t> places(asked);
    for (auto& place : places)
        place = random() % std::max<std::uint64_t>(1, own.size());
    std::uint64_t sum = 0;
    const auto perAsk = [&](auto ask) {
        return 1e9 / asked * best(3, [&] {
            for (const std::uint64_t place : places)
                sum += ask(place);
        });
    };
    // A view asks for sixty rows that follow one another, and where a row stands.
    const auto ownRow = [&](std::uint64_t n) { return own.at(n); };
    const auto otherRow = [&](std::uint64_t n) {
        std::uint32_t row = 0;
        other.select(static_cast<std::uint32_t>(n), &row);
        return row;
    };
    const double ownAt = perAsk(ownRow);
    const double otherAt = perAsk(otherRow);
    const auto sixty = [&](auto at) {
        return 1e9 / 600 * best(3, [&] {
            for (unsigned i = 0; i < 10; ++i)
                for (std::uint64_t n = places[i]; n < places[i] + 60 && n < own.size(); ++n)
                    sum += at(n);
        });
    };
    const double ownSixty = sixty(ownRow);
    const double otherSixty = sixty(otherRow);
    const double ownRank = perAsk([&](std::uint64_t n) { return own.rank(rows[n]); });
    const double otherRank = perAsk([&](std::uint64_t n) { return other.rank(rows[n]) - 1; });
    std::printf("%s, %zu rows\n", what, rows.size());
    line("own: the answer, one core", answer * 1e3, "ms", words("and %.2f MB", static_cast<double>(own.memory()) / 1e6));
    line("roaring: the same rows added", adding * 1e3, "ms",
        words("behind %.1f ms for listing them; %.2f MB", listing * 1e3, static_cast<double>(other.getSizeInBytes()) / 1e6));
    line("a row by its number, anywhere", ownAt, "ns", words("roaring %.0f ns", otherAt));
    line("sixty that follow one another, each", ownSixty, "ns", words("roaring %.0f ns", otherSixty));
    line("the number of a row", ownRank, "ns", words("roaring %.0f ns", otherRank));
    benchmark::DoNotOptimize(sum);
}

}  // namespace

int main(int argc, char** argv)
{
    const std::uint64_t frames = 1'000'000 * (argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 10);
    trace::Trace trace;
    for (unsigned i = 0; i < buses; ++i)
        trace.addBus({"Bus" + std::to_string(i), {500'000, 0}});
    Generator generator;
    for (std::uint64_t i = 0; i < frames; ++i)
        trace.append(generator.next());
    beside(trace, "one identifier", "bus Bus3 and id 0x110");
    beside(trace, "200 of 400 identifiers", "id 0x100..0x118");
    beside(trace, "a byte of every payload", "byte 4 < 0x64");
    beside(trace, "a rare byte", "byte 4 = 0xEE");
    return 0;
}
