// SPDX-License-Identifier: GPL-3.0-or-later
// The rules of a window's rig, rehearsed as they stand.
#pragma once

#include <QObject>

#include <atomic>
#include <map>
#include <memory>
#include <string>
#include <thread>
#include <vector>

#include "app/stage/stage.h"
#include "rig/conditions.h"
#include "rules/near_miss.h"
#include "rules/rehearsal.h"

namespace wavetrope::app {

/// Over a log, or the run so far, on a thread of its own. What was begun for rules that are others by now is broken off.
class Rehearsing : public QObject {
    Q_OBJECT
public:
    explicit Rehearsing(Stage& stage, QObject* parent = nullptr);
    ~Rehearsing() override;

    /// The rules, or the filters that they name, are others.
    void forget() { ++generation_; }
    /// Begins, unless it is done over all that there is, or goes on.
    void begin();
    /// The rules as they stand, over the buses and databases that there are now.
    [[nodiscard]] const rig::CompiledRules& compiled();

    /// Whether they have been rehearsed as they stand.
    [[nodiscard]] bool done() const
    {
        // What explains a log may come behind its rows.
        return result_ != nullptr && doneGeneration_ == generation_ && rehearsedCatalog_ == stage_.document().catalog();
    }
    /// What came of it; once it is done.
    [[nodiscard]] const rules::Rehearsed& result() const { return *result_; }
    /// Which of the rig's recordings those of the result are.
    [[nodiscard]] const std::vector<std::size_t>& recordings() const { return recordings_; }
    /// Why a condition was never true, or null.
    [[nodiscard]] const rules::NearMiss* missOf(const std::string& condition) const
    {
        const auto found = misses_.find(condition);
        return found == misses_.end() || !done() ? nullptr : &found->second;
    }
    /// Whether it takes so little that it may be done again as the run goes on.
    [[nodiscard]] bool cheap() const;

Q_SIGNALS:
    void finished();

private:
    struct Outcome {
        std::shared_ptr<const rules::Rehearsed> result;
        std::vector<std::size_t> recordings;
        std::map<std::string, rules::NearMiss> misses;
        trace::Row rows = 0;
        Time took{0};
    };
    void work(const trace::Snapshot& snapshot, const rig::CompiledRules& compiled, const std::vector<can::BitRate>& rates,
        std::uint64_t generation);
    void take(Outcome outcome, std::uint64_t generation);

    Stage& stage_;
    std::shared_ptr<const rules::Rehearsed> result_;
    std::vector<std::size_t> recordings_;
    std::map<std::string, rules::NearMiss> misses_;     // of conditions that were never true, by name
    std::uint64_t generation_ = 1, doneGeneration_ = 0, goingGeneration_ = 0;
    std::shared_ptr<const database::Catalog> rehearsedCatalog_;     // that the rules were understood by
    trace::Row rows_ = 0;
    Time took_{0};                                      // by the last one
    rig::CompiledRules compiled_;
    std::uint64_t compiledGeneration_ = 0;
    std::shared_ptr<const database::Catalog> compiledCatalog_;
    std::size_t compiledBuses_ = 0;
    std::thread thread_;
    std::atomic<bool> leaving_{false};
};

}  // namespace wavetrope::app
