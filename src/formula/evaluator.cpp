// SPDX-License-Identifier: GPL-3.0-or-later
#include "formula/evaluator.h"

#include <algorithm>
#include <cmath>
#include <deque>

#include "formula/operations.h"
#include "formula/sliding.h"

namespace wavetrope::formula {

namespace {

double seconds(Time span) { return static_cast<double>(span.count()) * 1e-9; }

}  // namespace

// What the functions over time remember, each what it needs.
struct Evaluator::Memory {
    SlidingMean mean;
    SlidingExtreme extreme;
    std::deque<std::pair<Time, double>> past;       // of delayed: what is not yet that old, behind what is
    Time lastTime{};
    double last = 0, result = 0, compensation = 0;
    bool any = false, ready = false, was = false;
};

struct Evaluator::Level {
    std::vector<double> own;
    const double* values = nullptr;
    std::size_t from = 0;           // the first sample that has a value
};

Evaluator::Evaluator(const Formula& formula) : steps_(formula.steps()), levels_(formula.depth())
{
    for (const Step& step : steps_)
        memories_.push_back(step.op >= Op::mean ? std::make_unique<Memory>() : nullptr);
}

Evaluator::~Evaluator() = default;
Evaluator::Evaluator(Evaluator&&) noexcept = default;
Evaluator& Evaluator::operator=(Evaluator&&) noexcept = default;

Evaluator::Evaluator(const Evaluator& other) : steps_(other.steps_), levels_(other.levels_.size()), now_(other.now_), seen_(other.seen_)
{
    for (const auto& memory : other.memories_)
        memories_.push_back(memory ? std::make_unique<Memory>(*memory) : nullptr);
}

std::size_t Evaluator::remembers() const
{
    std::size_t bytes = sizeof(Evaluator) + steps_.size() * sizeof(Step) + levels_.size() * sizeof(Level);
    for (const auto& memory : memories_)
        if (memory)
            bytes += sizeof(Memory) + memory->mean.remembers() + memory->extreme.remembers()
                     + memory->past.size() * sizeof(memory->past[0]);
    return bytes;
}

std::size_t Evaluator::evaluate(
    std::span<const Time> times, std::span<const double* const> inputs, std::span<const std::uint64_t> touched, double* out)
{
    const std::size_t count = times.size();
    if (clock_.empty()) {       // room to work in, where it is worked
        clock_.resize(blockSize);
        for (Level& level : levels_)
            level.own.resize(blockSize);
    }
    for (std::size_t i = 0; i < count; ++i)
        clock_[i] = now_ = std::max(now_, times[i]);
    std::size_t top = 0;
    for (std::size_t s = 0; s < steps_.size(); ++s) {
        const Step& step = steps_[s];
        if (step.op == Op::number) {
            Level& level = levels_[top++];
            std::fill_n(level.own.begin(), count, step.number);
            level.values = level.own.data();
            level.from = 0;
            continue;
        }
        if (step.op == Op::slot) {
            Level& level = levels_[top++];
            level.values = inputs[step.slot];
            level.from = 0;
            if ((seen_ & step.inputs) == 0)
                while (level.from < count && (touched[level.from] & step.inputs) == 0)
                    ++level.from;
            continue;
        }
        dispatch(
            step.op,
            [&]<Op op>() {
                Level& a = levels_[top - 1];
                for (std::size_t i = 0; i < count; ++i)
                    a.own[i] = unary<op>(a.values[i]);
                a.values = a.own.data();
            },
            [&]<Op op>() {
                const Level& b = levels_[--top];
                Level& a = levels_[top - 1];
                for (std::size_t i = 0; i < count; ++i)
                    a.own[i] = binary<op>(a.values[i], b.values[i]);
                a.values = a.own.data();
                a.from = std::max(a.from, b.from);
            },
            [&]<Op op>() {
                top -= 2;
                const Level& b = levels_[top];
                const Level& c = levels_[top + 1];
                Level& a = levels_[top - 1];
                for (std::size_t i = 0; i < count; ++i)
                    a.own[i] = ternary<op>(a.values[i], b.values[i], c.values[i]);
                a.values = a.own.data();
                a.from = std::max({a.from, b.from, c.from});
            });
        if (memories_[s] == nullptr)
            continue;
        Level& level = levels_[top - 1];
        Memory& memory = *memories_[s];
        const double* x = level.values;
        double* to = level.own.data();
        std::size_t from = level.from;
        switch (step.op) {
        case Op::mean:
            for (std::size_t i = from; i < count; ++i)
                to[i] = memory.mean.next(clock_[i], x[i], step.span);
            break;
        case Op::smallest:
        case Op::largest:
            for (std::size_t i = from; i < count; ++i)
                to[i] = memory.extreme.next(clock_[i], x[i], step.span, step.op == Op::smallest ? 1 : -1);
            break;
        case Op::slope:
            for (std::size_t i = level.from; i < count; ++i) {
                if ((touched[i] & step.inputs) != 0 || !memory.any) {
                    if (memory.any) {
                        memory.result = clock_[i] > memory.lastTime ? (x[i] - memory.last) / seconds(clock_[i] - memory.lastTime)
                                                                    : notANumber;
                        memory.ready = true;
                    }
                    memory.any = true;
                    memory.last = x[i];
                    memory.lastTime = clock_[i];
                }
                to[i] = memory.result;
                from = memory.ready ? from : i + 1;
            }
            break;
        case Op::integral:
            for (std::size_t i = from; i < count; ++i) {
                if (memory.any && std::isfinite(memory.last)) {
                    // What is small beside the sum is not lost.
                    const double add = memory.last * seconds(clock_[i] - memory.lastTime) - memory.compensation;
                    const double sum = memory.result + add;
                    memory.compensation = std::isfinite(sum) ? (sum - memory.result) - add : 0;
                    memory.result = sum;
                }
                memory.any = true;
                memory.last = x[i];
                memory.lastTime = clock_[i];
                to[i] = memory.result;
            }
            break;
        case Op::delayed:
            for (std::size_t i = level.from; i < count; ++i) {
                memory.past.emplace_back(clock_[i], x[i]);
                const Time then = before(clock_[i], step.span);
                while (memory.past.size() > 1 && memory.past[1].first <= then)
                    memory.past.pop_front();
                memory.ready = memory.ready || memory.past.front().first <= then;
                to[i] = memory.past.front().second;
                from = memory.ready ? from : i + 1;
            }
            break;
        case Op::since:
        case Op::count:
            for (std::size_t i = level.from; i < count; ++i) {
                const bool now = x[i] != 0;
                if (now && !memory.was) {
                    memory.lastTime = clock_[i];
                    memory.result += 1;
                    memory.ready = true;
                }
                memory.was = now;
                to[i] = step.op == Op::count ? memory.result : seconds(clock_[i] - memory.lastTime);
                from = memory.ready || step.op == Op::count ? from : i + 1;
            }
            break;
        default: break;
        }
        level.values = to;
        level.from = from;
    }
    for (std::size_t i = 0; i < count; ++i)
        seen_ |= touched[i];
    const Level& result = levels_[0];
    std::copy(result.values, result.values + count, out);
    return std::min(result.from, count);
}

}  // namespace wavetrope::formula
