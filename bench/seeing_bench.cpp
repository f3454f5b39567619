// SPDX-License-Identifier: GPL-3.0-or-later
// What is looked at: response times, measures between two marks, derived signals, beside copying the same bytes.
#include <cmath>
#include <random>

#include "bench/figures.h"
#include "database/dbc_reader.h"
#include "measure/signal_series.h"
#include "measure/samples.h"
#include "timing/response_times.h"

using namespace wavetrope;
using namespace wavetrope::bench;

namespace {

// A bus of so many messages at seven tenths of its load, each with some jitter.
std::vector<timing::TimedMessage> fullBus(unsigned count)
{
    std::mt19937 random(3);
    std::vector<timing::TimedMessage> messages;
    for (unsigned i = 0; i < count; ++i) {
        timing::TimedMessage message;
        message.name = "M" + std::to_string(i);
        message.head.id = {0x10000U + i, true};
        message.head.length = message.head.dlc = 8;
        message.period = std::chrono::milliseconds(count / 4 + random() % count);
        message.jitter = std::chrono::microseconds(random() % 2000);
        message.deadline = message.period;
        messages.push_back(std::move(message));
    }
    return messages;
}

// Three signals that come in turn, a sample a millisecond, so many together.
std::vector<measure::Samples> threeInputs(std::size_t count)
{
    std::vector<measure::Samples> inputs(3);
    for (std::size_t i = 0; i < count; ++i) {
        measure::Samples& input = inputs[i % 3];
        input.rows.push_back(i);
        input.times.push_back(std::chrono::milliseconds(i));
        input.values.push_back(static_cast<double>((i * 7919) % 1000));
    }
    return inputs;
}

void derivedSignals(std::size_t count)
{
    const std::vector<measure::Samples> inputs = threeInputs(count);
    const auto formula = formula::Formula::compile("a - mean(b, 200 ms) + c", formula::Use::derived,
        [](std::string_view name) -> Expected<std::uint32_t> { return static_cast<std::uint32_t>(name[0] - 'a'); });
    std::size_t samples = 0;
    double largest = 0;
    const double seconds = best(3, [&] {
        samples = 0;
        measure::evaluate(*formula, {&inputs[0], &inputs[1], &inputs[2]}, [&](const measure::SampleBlock& block) {
            samples += block.values.size();
            for (const double value : block.values)
                largest = std::max(largest, value);
            return true;
        });
    });
    std::vector<char> from(count * 24, 1);
    std::vector<char> to(count * 24, 1);
    const double copy = best(3, [&] { std::copy(from.begin(), from.end(), to.begin()); });
    row("derived signal of three inputs and a moving mean", static_cast<double>(samples) / seconds / 1e6, "M/s", 30,
        words("copying rows, stamps and values of as many: %.0f M/s", static_cast<double>(count) / copy / 1e6).c_str());
}

// A signal with so many samples, one a millisecond: its curve brought up, drawn, and measured between two marks.
void curves(std::size_t count)
{
    constexpr const char* text = "VERSION \"\"\nBU_: Node\nBO_ 256 Wave: 8 Node\n SG_ Height : 0|16@1- (0.01,0) [0|0] \"mm\" Node\n";
    constexpr Time start = std::chrono::seconds(1'800'000'000);
    constexpr std::size_t lanes = 8;
    const auto database = std::make_shared<const database::Database>(database::readDbc(text, "wave.dbc").database);
    auto catalog = std::make_shared<database::Catalog>();
    catalog->attach(catalog->addBus("Wave"), database);
    trace::Trace trace;
    trace.addBus({"Wave", {1'000'000, 0}});
    can::Frame frame;
    frame.id = {256, false};
    frame.length = frame.dlc = 8;
    for (std::size_t i = 0; i < count; ++i) {
        frame.time = start + std::chrono::milliseconds(i);
        const auto value = static_cast<std::uint16_t>((i * 7919) % 30'000);
        frame.data[0] = static_cast<std::uint8_t>(value);
        frame.data[1] = static_cast<std::uint8_t>(value >> 8U);
        trace.append(frame.view());
    }
    const trace::Snapshot snapshot = trace.snapshot();
    const auto signal = *catalog->findSignal("Wave.Wave.Height");
    std::vector<std::unique_ptr<measure::SignalSeries>> all;
    const double copy = best(3, [&, from = std::vector<char>(count * 8, 1), to = std::vector<char>(count * 8, 1)]() mutable {
        std::copy(from.begin(), from.end(), to.begin());
    });
    for (std::size_t lane = 0; lane < lanes; ++lane)
        all.push_back(std::make_unique<measure::SignalSeries>(catalog, signal, start));
    const double made = secondsOf([&] { all[0]->update(snapshot); });
    row("first curve of a signal with 10 M samples, all of it", 1000 * made, "ms", 500,
        words("%.0f M samples/s; copying their payloads %.0f ms", static_cast<double>(count) / made / 1e6, 1000 * copy).c_str());
    for (std::size_t lane = 1; lane < lanes; ++lane)
        all[lane]->update(snapshot);
    row("memory kept for a curve", static_cast<double>(all[0]->bytes()) / static_cast<double>(count), "bytes", 2, "a sample");
    const Time end = snapshot.latest();
    std::mt19937 random(5);
    double worst = 0;
    std::size_t points = 0;
    for (int move = 0; move < 300; ++move) {
        const double width = std::pow(10.0, static_cast<double>(random() % 1000) / 1000 * 4 + 6);       // a millisecond to all
        const Time from = start + Time(static_cast<std::int64_t>(random() % 1000 * (1e-3 * static_cast<double>((end - start).count()))));
        const Time to = std::min(end, from + Time(static_cast<std::int64_t>(width * 1e3)));
        worst = std::max(worst, secondsOf([&] {
            for (const auto& series : all) {
                const bool small = series->about(from, to) <= 2048;
                const auto detail = small ? series->detail(snapshot, from, to) : nullptr;
                points += series->points(from, to, 1000, end, detail.get()).times.size();
            }
        }));
    }
    row("points of 8 curves of 10 M samples, the slowest of 300", 1000 * worst, "ms", 16,
        words("%.0f points", static_cast<double>(points)).c_str());
    double slowest = 0;
    std::uint64_t measured = 0;
    for (int move = 0; move < 100; ++move) {
        const Time from = start + std::chrono::microseconds(random() % 4'000'000'000);
        const Time to = end - std::chrono::microseconds(random() % 4'000'000'000);
        slowest = std::max(slowest, secondsOf([&] {
            for (const auto& series : all)
                measured += series->between(snapshot, from, to).samples;
        }));
    }
    const double whole = secondsOf(
        [&] { measured += measure::measured(measure::samplesBetween(snapshot, *catalog, signal, start, end), start, end).samples; });
    row("table between the marks, 8 curves of 10 M samples", 1000 * slowest, "ms", 100,
        words("slowest of 100; each sample of one curve: %.0f ms", 1000 * whole).c_str());
    const double fine = best(3, [&] { points += all[0]->detail(snapshot, start, start + std::chrono::seconds(200))->times.size(); });
    row("200,000 samples as they are, of a curve of 10 M", 1000 * fine, "ms", 16, words("%.0f", static_cast<double>(measured)).c_str());
}

}  // namespace

int main()
{
    curves(10'000'000);
    derivedSignals(10'000'000);
    const auto messages = fullBus(500);
    std::size_t bounded = 0;
    const double seconds = best(5, [&] {
        bounded = 0;
        for (const timing::ResponseTime& answer : timing::responseTimes(messages, {500'000, 0}))
            bounded += answer.milliseconds.has_value() ? 1 : 0;
    });
    row("response times of 500 messages", 1000 * seconds, "ms", 50,
        words("load %.0f %%, %.0f with a bound", timing::promisedLoad(messages, {500'000, 0}), static_cast<double>(bounded)).c_str());
    return 0;
}
