// SPDX-License-Identifier: GPL-3.0-or-later
// What somebody has asked the scheduler for, and may take back.
#pragma once

#include <type_traits>
#include <utility>

#include "clock/scheduler.h"

namespace wavetrope::clock {

/// Calls its owner at moments. Whatever it was set for comes to nothing once it is set anew, stopped or gone, so that no owner
/// has to tell an event that counts from one that is void. Not thread-safe, as the scheduler; must not outlive it.
class Timer {
public:
    using Handler = void (*)(void* context, std::uint32_t tag);

    Timer() = default;
    Timer(Scheduler& scheduler, Handler handler, void* context, Phase phase = Phase::act)
        : scheduler_(&scheduler), slot_(scheduler.takeSlot({handler, context, 0})), phase_(phase)
    {}
    /// One that calls a member of its owner, with the tag where that takes one: `Timer::calling<&Node::beat>(scheduler, this)`.
    template <auto Method, class Owner>
    [[nodiscard]] static Timer calling(Scheduler& scheduler, Owner* owner, Phase phase = Phase::act)
    {
        const Handler handler = [](void* context, std::uint32_t tag) {
            if constexpr (std::is_invocable_v<decltype(Method), Owner*, std::uint32_t>)
                (static_cast<Owner*>(context)->*Method)(tag);
            else
                (static_cast<Owner*>(context)->*Method)();
        };
        return Timer(scheduler, handler, owner, phase);
    }
    ~Timer() { release(); }
    Timer(const Timer&) = delete;
    Timer& operator=(const Timer&) = delete;
    Timer(Timer&& other) noexcept : scheduler_(std::exchange(other.scheduler_, nullptr)), slot_(other.slot_), phase_(other.phase_) {}
    Timer& operator=(Timer&& other) noexcept
    {
        if (this != &other) {
            release();
            scheduler_ = std::exchange(other.scheduler_, nullptr);
            slot_ = other.slot_;
            phase_ = other.phase_;
        }
        return *this;
    }

    /// Comes at `when`, and at no other moment; one in the past means now.
    void at(Time when, std::uint32_t tag = 0)
    {
        stop();
        also(when, tag);
    }
    /// Comes at `when` too, beside what it is set for.
    void also(Time when, std::uint32_t tag = 0) { scheduler_->at(when, *slot_, tag, phase_); }
    /// Does not come any more.
    void stop()
    {
        if (scheduler_ != nullptr)
            ++slot_->generation;
    }

private:
    void release()
    {
        if (scheduler_ != nullptr)
            scheduler_->giveBack(*slot_);
    }

    Scheduler* scheduler_ = nullptr;
    Scheduler::Slot* slot_ = nullptr;
    Phase phase_ = Phase::act;
};

}  // namespace wavetrope::clock
