// SPDX-License-Identifier: GPL-3.0-or-later
// What is looked at: response times, measures between two marks, derived signals, beside copying the same bytes.
#include <random>

#include "bench/figures.h"
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

}  // namespace

int main()
{
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
