// SPDX-License-Identifier: GPL-3.0-or-later
// Threads that take work off a queue; whoever waits for a piece of it works along.
#pragma once

#include <chrono>
#include <condition_variable>
#include <deque>
#include <functional>
#include <future>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>

#include "base/in_parallel.h"

namespace wavetrope {

/// As many threads as were asked for, the calling one counted (0: as many as there are cores). Work must not wait for
/// other work. What nobody waited for is dropped at the end.
class Workers {
public:
    explicit Workers(unsigned threads = 0)
    {
        for (unsigned t = 1; t < threadsFor(threads); ++t)
            threads_.emplace_back([this] { serve(); });
    }
    ~Workers()
    {
        {
            const std::scoped_lock lock(mutex_);
            ending_ = true;
            queue_.clear();
        }
        wake_.notify_all();
        for (std::thread& thread : threads_)
            thread.join();
    }
    Workers(const Workers&) = delete;
    Workers& operator=(const Workers&) = delete;

    /// Threads that work, the calling one counted.
    [[nodiscard]] std::size_t count() const { return threads_.size() + 1; }

    /// Puts work at the end of the queue.
    template <class Work>
    [[nodiscard]] auto submit(Work work) -> std::future<decltype(work())>
    {
        auto task = std::make_shared<std::packaged_task<decltype(work())()>>(std::move(work));
        auto result = task->get_future();
        {
            const std::scoped_lock lock(mutex_);
            queue_.emplace_back([task] { (*task)(); });
        }
        wake_.notify_one();
        return result;
    }

    /// Waits for a piece of work of this queue, and does other pieces meanwhile. Gives what it gave, or throws what it threw.
    template <class T>
    [[nodiscard]] T wait(std::future<T>& result)
    {
        while (result.wait_for(std::chrono::seconds(0)) != std::future_status::ready) {
            std::function<void()> next;
            {
                const std::scoped_lock lock(mutex_);
                if (!queue_.empty()) {
                    next = std::move(queue_.front());
                    queue_.pop_front();
                }
            }
            if (!next)
                break;
            next();
        }
        return result.get();
    }

private:
    void serve()
    {
        std::unique_lock lock(mutex_);
        while (true) {
            wake_.wait(lock, [this] { return ending_ || !queue_.empty(); });
            if (ending_)
                return;
            const auto next = std::move(queue_.front());
            queue_.pop_front();
            lock.unlock();
            next();
            lock.lock();
        }
    }

    std::mutex mutex_;
    std::condition_variable wake_;
    std::deque<std::function<void()>> queue_;
    bool ending_ = false;
    std::vector<std::thread> threads_;
};

}  // namespace wavetrope
