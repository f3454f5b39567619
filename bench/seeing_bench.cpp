// SPDX-License-Identifier: GPL-3.0-or-later
// What is looked at: response times, measures between two marks, derived signals, beside copying the same bytes.
#include <random>

#include "bench/figures.h"
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

}  // namespace

int main()
{
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
