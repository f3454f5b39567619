// SPDX-License-Identifier: GPL-3.0-or-later
// Work on a thread of its own, of which the newest alone counts.
#pragma once

#include <QObject>

#include <atomic>
#include <condition_variable>
#include <cstdint>
#include <functional>
#include <mutex>
#include <thread>

namespace wavetrope::app {

/// Work that is asked for while other work goes on takes its place: that one is told to end, and nothing of it is delivered.
class NewestWork : public QObject {
    Q_OBJECT
public:
    /// Brings what came of it to the thread of whoever asked.
    using Deliver = std::function<void()>;
    /// Asks now and then whether to go on.
    using Work = std::function<Deliver(const std::function<bool()>& goesOn)>;

    explicit NewestWork(QObject* parent);
    ~NewestWork() override;

    void ask(Work work);
    /// Nothing of what was asked for is wanted any more.
    void forget() { ++newest_; }

private:
    void run();

    std::mutex mutex_;
    std::condition_variable wake_;
    Work work_;
    std::uint64_t number_ = 0;              // of the work that waits
    std::atomic<std::uint64_t> newest_{0};
    bool stopping_ = false;
    std::thread thread_;
};

}  // namespace wavetrope::app
