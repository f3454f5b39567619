// SPDX-License-Identifier: GPL-3.0-or-later
// Formulas over samples as they come, a block at a time.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "base/time.h"
#include "formula/formula.h"

namespace wavetrope::formula {

/// So many inputs a formula may have.
inline constexpr unsigned mostInputs = 64;

/// Follows a formula of a derived signal over its samples: one wherever one of its inputs has one, in the order of the trace.
/// What the functions over time remember is kept from block to block; they take constant time for a sample. Where stamps go back,
/// their time stands still.
class Evaluator {
public:
    static constexpr std::size_t blockSize = 1024;

    explicit Evaluator(const Formula& formula);
    ~Evaluator();
    Evaluator(Evaluator&&) noexcept;
    Evaluator& operator=(Evaluator&&) noexcept;
    /// Goes on from where the other one stands.
    Evaluator(const Evaluator& other);
    Evaluator& operator=(const Evaluator& other) { return *this = Evaluator(other); }

    /// Up to blockSize samples: their stamps, for each input by slot the value that holds at each of them (anything before its first
    /// sample), and which inputs have a sample there, as bits. Writes a value for each sample to `out`; those in front of the first that
    /// has one are undefined. Gives the place of the first that has one, as many as there are samples where none has.
    std::size_t evaluate(
        std::span<const Time> times, std::span<const double* const> inputs, std::span<const std::uint64_t> touched, double* out);
    /// Bytes of what its functions over time remember, which a copy takes.
    [[nodiscard]] std::size_t remembers() const;

private:
    struct Memory;
    struct Level;
    std::vector<Step> steps_;
    std::vector<std::unique_ptr<Memory>> memories_;  // by step; null for those without
    std::vector<Level> levels_;
    std::vector<Time> clock_;  // stamps that never go back
    Time now_ = Time::min();
    std::uint64_t seen_ = 0;  // inputs that have had a sample
};

}  // namespace wavetrope::formula
