// SPDX-License-Identifier: GPL-3.0-or-later
// What a value was over a span of time that ends now, in constant time for a sample.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <deque>
#include <vector>

#include "base/time.h"

namespace wavetrope::formula {

/// The moment so long before another, or the first that there is.
[[nodiscard]] inline Time before(Time now, Time span)
{
    return now.count() < Time::min().count() + span.count() ? Time::min() : now - span;
}

/// The mean over time of what it was, a queue of two stacks, so that sums are only ever added to. What is not finite does not count.
class SlidingMean {
public:
    double next(Time now, double value, Time span)
    {
        if (any_)
            close(now);
        const Time from = before(now, span);
        while (head_ < pieces_.size() && pieces_[head_].to <= from)
            drop();
        any_ = true;
        last_ = now;
        value_ = value;
        if (head_ == pieces_.size())
            return value;
        if (head_ == turned_)
            turn();
        // The first of them may have begun before the span.
        const Piece& first = pieces_[head_];
        double sum = behind(head_ + 1).sum + back_.sum;
        double weight = behind(head_ + 1).weight + back_.weight;
        if (first.counts) {
            const double part = static_cast<double>((first.to - std::max(first.from, from)).count());
            sum += first.value * part;
            weight += part;
        }
        return weight > 0 ? sum / weight : value;
    }
    /// Bytes of what it remembers.
    [[nodiscard]] std::size_t remembers() const { return pieces_.size() * sizeof(Piece) + sums_.size() * sizeof(Sum); }

private:
    struct Piece {
        Time from, to;
        double value;
        bool counts;
    };
    struct Sum {
        double sum = 0, weight = 0;
        void add(const Piece& piece)
        {
            if (!piece.counts)
                return;
            const auto part = static_cast<double>((piece.to - piece.from).count());
            sum += piece.value * part;
            weight += part;
        }
    };

    void close(Time now)
    {
        if (now <= last_)
            return;
        const Piece piece{last_, now, value_, std::isfinite(value_)};
        back_.add(piece);
        // While others have samples it stays what it was: one piece.
        if (pieces_.size() > turned_ && pieces_.back().value == value_)
            pieces_.back().to = now;
        else
            pieces_.push_back(piece);
    }
    void drop()
    {
        if (head_ == turned_)
            turn();
        ++head_;
    }
    // Sums from each piece to the last one, of all that there are.
    void turn()
    {
        pieces_.erase(pieces_.begin(), pieces_.begin() + static_cast<std::ptrdiff_t>(head_));
        head_ = 0;
        sums_.assign(pieces_.size() + 1, {});
        for (std::size_t i = pieces_.size(); i > 0; --i) {
            sums_[i - 1] = sums_[i];
            sums_[i - 1].add(pieces_[i - 1]);
        }
        turned_ = pieces_.size();
        back_ = {};
    }
    [[nodiscard]] const Sum& behind(std::size_t place) const { return sums_[place]; }

    std::vector<Piece> pieces_;
    std::vector<Sum> sums_;         // of [place, turned_)
    Sum back_;                      // of [turned_, end)
    std::size_t head_ = 0, turned_ = 0;
    bool any_ = false;
    Time last_{};
    double value_ = 0;
};

/// The smallest (or, with `sign` -1, largest) that it was, what held at the beginning included. What is not a number does not count.
class SlidingExtreme {
public:
    double next(Time now, double value, Time span, double sign)
    {
        const Time from = before(now, span);
        if (any_ && !std::isnan(last_))       // it held until now
            push(last_, now, sign);
        any_ = true;
        last_ = value;
        while (!queue_.empty() && queue_.front().until <= from)
            queue_.pop_front();
        if (queue_.empty())
            return value;
        const double best = queue_.front().value;
        return std::isnan(value) || sign * best < sign * value ? best : value;
    }
    /// Bytes of what it remembers.
    [[nodiscard]] std::size_t remembers() const { return queue_.size() * sizeof(Held); }

private:
    struct Held {
        double value;
        Time until;
    };
    void push(double value, Time until, double sign)
    {
        while (!queue_.empty() && sign * queue_.back().value >= sign * value)
            queue_.pop_back();
        queue_.push_back({value, until});
    }
    std::deque<Held> queue_;        // ever later, and ever less extreme
    bool any_ = false;
    double last_ = 0;
};

}  // namespace wavetrope::formula
