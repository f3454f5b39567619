// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/newest_work.h"

#include <utility>

namespace wavetrope::app {

NewestWork::NewestWork(QObject* parent) : QObject(parent), thread_([this] { run(); }) {}

NewestWork::~NewestWork()
{
    {
        const std::scoped_lock lock(mutex_);
        stopping_ = true;
        ++newest_;
    }
    wake_.notify_one();
    thread_.join();
}

void NewestWork::ask(Work work)
{
    {
        const std::scoped_lock lock(mutex_);
        work_ = std::move(work);
        number_ = ++newest_;
    }
    wake_.notify_one();
}

void NewestWork::run()
{
    std::unique_lock lock(mutex_);
    for (;;) {
        wake_.wait(lock, [this] { return stopping_ || work_ != nullptr; });
        if (stopping_)
            return;
        const Work work = std::exchange(work_, nullptr);
        const std::uint64_t number = number_;
        lock.unlock();
        if (Deliver deliver = work([this, number] { return newest_ == number; }); deliver && newest_ == number)
            QMetaObject::invokeMethod(
                this,
                [this, number, deliver = std::move(deliver)] {
                    if (newest_ == number)
                        deliver();
                },
                Qt::QueuedConnection);
        lock.lock();
    }
}

}  // namespace wavetrope::app
