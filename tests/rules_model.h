// SPDX-License-Identifier: GPL-3.0-or-later
// Conditions and recordings followed in the plainest way: tick by tick, every condition looked at in every step.
#pragma once

#include <algorithm>
#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace plain {

/// Times are ticks. Frames are told apart by what stands in `says`.
struct Frame {
    std::int64_t time = 0;
    unsigned id = 0;
    unsigned value = 0;
};

struct Condition {
    enum class Kind { level, moment, silent, begins, after, every } kind = Kind::level;
    unsigned id = 0;                ///< Of the frames that it looks at.
    unsigned above = 0;             ///< Of a level: true where the value is above.
    std::int64_t span = 0;
    std::int64_t stays = 0;

    // While it is followed:
    bool base = false, raw = false;
    std::int64_t since = 0;
    std::optional<std::int64_t> lastPass, lastTrue;
};

struct Recording {
    std::function<bool(const std::vector<bool>&)> start, stop;      ///< Over what counts; empty: none.
    std::function<bool(const Frame&)> keep;
    std::int64_t before = 0, after = 0;
    bool beforeFrames = false, afterFrames = false;
    bool again = true;

    bool wasStart = false, wasStop = false, running = false, done = false;
    std::optional<std::int64_t> end;                                ///< Instant.
    std::optional<std::int64_t> left;                               ///< Frames.
    std::vector<std::size_t> waiting;                               ///< Passed, and in no take yet.
};

struct Take {
    std::size_t recording = 0;
    std::int64_t begins = 0, ends = 0;
    std::vector<std::size_t> frames;                                ///< Numbers in the trace.
    bool operator==(const Take&) const = default;
};

struct Stretch {
    std::size_t condition = 0;
    std::int64_t from = 0;
    std::optional<std::int64_t> to;
    bool operator==(const Stretch&) const = default;
};

class Model {
public:
    Model(std::vector<Frame> frames, std::vector<Condition> conditions, std::vector<Recording> recordings)
        : frames_(std::move(frames)),
          conditions_(std::move(conditions)),
          recordings_(std::move(recordings)),
          open_(conditions_.size()),
          running_(recordings_.size())
    {}

    void run()
    {
        if (frames_.empty())
            return;
        std::size_t next = 0;
        const std::int64_t begin = frames_.front().time;
        for (tick_ = begin; tick_ <= frames_.back().time; ++tick_) {
            // What time begins, all at once.
            for (Condition& c : conditions_) {
                if (c.kind == Condition::Kind::begins)
                    set(c, tick_ == begin || c.raw);
                if (c.kind == Condition::Kind::after && tick_ - begin >= c.span)
                    set(c, true);
                if (c.kind == Condition::Kind::every && tick_ > begin && (tick_ - begin) % c.span == 0)
                    set(c, true);
                if (c.kind == Condition::Kind::level && c.base && tick_ - c.since >= c.span)
                    set(c, true);
                if (c.kind == Condition::Kind::silent && c.lastPass && tick_ - *c.lastPass == c.span)
                    set(c, true);
            }
            step(true, tick_ == begin);
            // The frames, each a step.
            for (; next < frames_.size() && frames_[next].time == tick_; ++next) {
                const Frame& frame = frames_[next];
                for (Condition& c : conditions_) {
                    if (c.id != frame.id)
                        continue;
                    if (c.kind == Condition::Kind::moment && c.span == 0)
                        set(c, true);
                    if (c.kind == Condition::Kind::silent) {
                        set(c, false);
                        c.lastPass = tick_;
                    }
                    if (c.kind == Condition::Kind::level) {
                        const bool now = frame.value > c.above;
                        if (now && !c.base)
                            c.since = tick_;
                        c.base = now;
                        if (!now)
                            set(c, false);
                        else if (c.span == 0)
                            set(c, true);
                    }
                }
                const std::vector<bool> stoppedBefore = stopping();
                step(true, false);
                take(next, stoppedBefore);
            }
            // What time ends.
            for (Condition& c : conditions_)
                if (c.kind == Condition::Kind::moment || c.kind == Condition::Kind::begins || c.kind == Condition::Kind::every)
                    set(c, false);
            step(false, false);
            for (std::size_t r = 0; r < recordings_.size(); ++r)
                if (recordings_[r].running && ((recordings_[r].end && *recordings_[r].end == tick_) || recordings_[r].left == 0))
                    endTake(r);
        }
        tick_ = frames_.back().time;
        for (std::size_t r = 0; r < recordings_.size(); ++r)
            if (recordings_[r].running)
                endTake(r);
    }

    std::vector<Take> takes;
    std::vector<Stretch> stretches;

private:
    void set(Condition& c, bool now)
    {
        const auto index = static_cast<std::size_t>(&c - conditions_.data());
        if (now && !c.raw) {
            open_[index] = stretches.size();
            stretches.push_back({index, tick_, std::nullopt});
        }
        if (!now && c.raw)
            stretches[open_[index]].to = tick_;
        if (now || c.raw)
            c.lastTrue = tick_;
        c.raw = now;
    }
    // Whether they count; what stays does so up to and with the frames of its last instant.
    [[nodiscard]] std::vector<bool> counting(bool stillThisInstant) const
    {
        std::vector<bool> out;
        for (const Condition& c : conditions_) {
            const bool stays = c.stays > 0 && c.lastTrue
                               && (stillThisInstant ? tick_ <= *c.lastTrue + c.stays : tick_ < *c.lastTrue + c.stays);
            out.push_back(c.raw || stays);
        }
        return out;
    }
    [[nodiscard]] std::vector<bool> stopping() const
    {
        std::vector<bool> out;
        for (const Recording& r : recordings_)
            out.push_back(r.running && (r.end || r.left));
        return out;
    }
    void step(bool stillThisInstant, bool first)
    {
        for (Condition& c : conditions_)
            if (c.raw)
                c.lastTrue = tick_;
        const std::vector<bool> counts = counting(stillThisInstant);
        for (std::size_t i = 0; i < recordings_.size(); ++i) {
            Recording& r = recordings_[i];
            const bool start = r.start && r.start(counts);
            const bool stop = r.stop && r.stop(counts);
            const bool starts = r.start ? start && !r.wasStart : first;
            const bool stops = stop && !r.wasStop;
            r.wasStart = start;
            r.wasStop = stop;
            if (!r.running && !r.done && starts) {
                r.running = true;
                running_[i] = takes.size();
                takes.push_back({i, tick_, 0, {}});
                std::vector<std::size_t>& frames = takes.back().frames;
                if (r.beforeFrames)
                    frames.assign(r.waiting.end() - std::min<std::ptrdiff_t>(r.before, std::ssize(r.waiting)), r.waiting.end());
                else
                    for (const std::size_t f : r.waiting)
                        if (frames_[f].time >= tick_ - r.before)
                            frames.push_back(f);
                r.waiting.clear();
            }
            if (!r.running)
                continue;
            if (r.stop ? stops && !r.end && !r.left : r.start && !start && !r.end && !r.left) {
                if (r.afterFrames)
                    r.left = r.after;
                else
                    r.end = tick_ + r.after;
            } else if (!r.stop && r.start && start) {
                r.end.reset();
                r.left.reset();
            }
        }
    }
    void take(std::size_t frame, const std::vector<bool>& stoppedBefore)
    {
        for (std::size_t i = 0; i < recordings_.size(); ++i) {
            Recording& r = recordings_[i];
            if (r.running && r.left == 0 && stoppedBefore[i])
                endTake(i);
            if (!r.keep(frames_[frame]))
                continue;
            if (!r.running) {
                r.waiting.push_back(frame);
                continue;
            }
            takes[running_[i]].frames.push_back(frame);
            if (r.left && stoppedBefore[i] && --*r.left == 0)
                endTake(i);
        }
    }
    void endTake(std::size_t i)
    {
        Recording& r = recordings_[i];
        takes[running_[i]].ends = tick_;
        r.running = false;
        r.end.reset();
        r.left.reset();
        r.done = !r.again || !r.start;
    }

    std::vector<Frame> frames_;
    std::vector<Condition> conditions_;
    std::vector<Recording> recordings_;
    std::vector<std::size_t> open_, running_;
    std::int64_t tick_ = 0;
};

}  // namespace plain
