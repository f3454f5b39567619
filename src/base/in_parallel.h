// SPDX-License-Identifier: GPL-3.0-or-later
// Work on several threads.
#pragma once

#include <algorithm>
#include <atomic>
#include <thread>
#include <vector>

namespace wavetrope {

/// As many threads as were asked for, or as many as the machine has cores for 0.
[[nodiscard]] inline unsigned threadsFor(unsigned wanted)
{
    return wanted != 0 ? wanted : std::max(1U, std::thread::hardware_concurrency());
}

/// Calls work(i) for each i below count, on several threads (0: as many as there are cores), and waits for all.
template <class Work>
void inParallel(std::size_t count, unsigned threads, Work work)
{
    threads = threadsFor(threads);
    std::atomic<std::size_t> next{0};
    const auto run = [&] {
        for (std::size_t i = next++; i < count; i = next++)
            work(i);
    };
    std::vector<std::thread> others;
    for (unsigned t = 1; t < threads && t < count; ++t)
        others.emplace_back(run);
    run();
    for (std::thread& other : others)
        other.join();
}

}  // namespace wavetrope
