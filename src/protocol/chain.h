// SPDX-License-Identifier: GPL-3.0-or-later
// A conversation of several questions.
#pragma once

#include <memory>
#include <utility>

#include "protocol/talk.h"

namespace wavetrope::protocol {

/// Questions one after the other, each made when the one before is over. `Base` is a Talk, or one that tells more.
template <class Base>
class Chain : public Base {
public:
    void begin(Time now) override
    {
        next(now);
        follow(now);
    }
    void hear(const can::FrameView& frame) override
    {
        if (this->answer() || inner_ == nullptr)
            return;
        inner_->hear(frame);
        follow(frame.time);
    }
    void passed(Time now) override
    {
        if (this->answer() || inner_ == nullptr)
            return;
        inner_->passed(now);
        follow(now, true);
    }

protected:
    /// The next question, or null: that was all.
    virtual std::unique_ptr<Talk> ask() = 0;
    /// What came of one, `silent` where nobody answered in time; an error ends it.
    virtual Expected<void> came(const Talk& talk, bool silent) = 0;
    /// The answer to all of them.
    [[nodiscard]] virtual Answer whole() { return {true, {}, {}}; }

private:
    void next(Time now)
    {
        inner_ = ask();
        if (inner_ == nullptr)
            return this->end(whole());
        inner_->begin(now);
    }
    void follow(Time now, bool silent = false)
    {
        while (!this->answer()) {
            this->pass(inner_->take());
            this->due_ = inner_->due();
            if (!inner_->answer())
                return;
            if (const auto good = came(*inner_, std::exchange(silent, false)); !good)
                return this->fail(good.error().what);
            next(now);
        }
    }
    std::unique_ptr<Talk> inner_;
};

}  // namespace wavetrope::protocol
