// SPDX-License-Identifier: GPL-3.0-or-later
// Samples of a signal or of a derived one, brought in as a trace grows.
#pragma once

#include <memory>
#include <vector>

#include "formula/evaluator.h"
#include "measure/message_index.h"
#include "measure/samples.h"

namespace wavetrope::measure {

/// Follows a formula over samples of its inputs as they come.
class FormulaFollower {
public:
    explicit FormulaFollower(const formula::Formula& formula);

    /// The next samples of each input, by slot; merged by row. What comes of them is handed on block by block, until `take` gives false.
    void follow(const std::vector<const Samples*>& inputs, const std::function<bool(const SampleBlock&)>& take);
    /// Bytes of what its functions over time remember.
    [[nodiscard]] std::size_t remembers() const { return evaluator_.remembers(); }

private:
    formula::Evaluator evaluator_;
    std::vector<double> holds_;  // by slot: the newest value
};

/// A copy goes on from where the other one stands. The catalog outlives it.
class SampleFeed {
public:
    SampleFeed(const database::Catalog& catalog, const database::SignalRef& signal);
    SampleFeed(const database::Catalog& catalog, std::uint32_t derived);
    /// Of a message that is in no catalog: all identifiers that fit it are its.
    explicit SampleFeed(const database::SignalRef& signal);
    /// Of a message of a network of vehicles that is too long for a frame: as the messages of the trace have it.
    SampleFeed(const database::Catalog& catalog, const database::SignalRef& signal, std::shared_ptr<const MessageIndex> messages);

    /// Appends the samples of the rows from `next()` up to `to`, in the order of the trace; what they are of is read at most up to there.
    void take(const trace::Snapshot& snapshot, trace::Row to, Samples& out);
    [[nodiscard]] trace::Row next() const { return next_; }
    /// Up to which row of a snapshot samples can be brought in by now.
    [[nodiscard]] trace::Row reach(const trace::Snapshot& snapshot) const;
    /// Goes on from a row. Of a derived one, which hangs on all that came before, only at the beginning.
    void seek(trace::Row row) { next_ = row; }
    [[nodiscard]] bool derived() const { return !followed_.empty() || plain_.empty(); }
    /// Bytes that a copy takes.
    [[nodiscard]] std::size_t remembers() const;

private:
    struct Plain {  // a signal of a message
        database::SignalRef signal;
        std::vector<trace::IdentifierIndex> identifiers;
        std::size_t known = 0;  // of those of the trace, how many were looked at
    };
    struct Source {
        bool plain;
        std::size_t place;
    };
    struct Followed {
        FormulaFollower follower;
        std::vector<Source> inputs;
    };
    void takePlain(Plain& plain, const trace::Snapshot& snapshot, trace::Row to, Samples& out) const;
    void takeWholes(const Plain& plain, const trace::Snapshot& snapshot, trace::Row to, Samples& out) const;
    std::size_t placeOf(const database::SignalRef& signal);

    const database::Catalog* catalog_;
    std::shared_ptr<const MessageIndex> messages_;
    trace::Row next_ = 0;
    std::vector<Plain> plain_;
    std::vector<Followed> followed_;  // each behind those that it looks at; the last is what is asked for
};

}  // namespace wavetrope::measure
