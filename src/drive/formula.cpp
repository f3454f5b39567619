// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/formula.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include "base/nearest_name.h"

namespace wavetrope::drive {

std::uint64_t Random::next()
{
    std::uint64_t z = (state_ += 0x9E3779B97F4A7C15ULL);
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
    return z ^ (z >> 31);
}

double Random::normal()
{
    double sum = -6;
    for (int i = 0; i < 12; ++i)
        sum += uniform();
    return sum;
}

// Recursive descent to steps of a stack machine. Failures are thrown and caught inside this file only.
class FormulaParser {
public:
    FormulaParser(std::string_view text, const Formula::Resolve& resolve, const std::vector<std::string>& names)
        : text_(text), resolve_(resolve), names_(names)
    {}

    Expected<Formula> run()
    {
        try {
            either(0);
            space();
            if (at_ < text_.size())
                throw Failure{at_, "expected an operator or the end"};
            return std::move(formula_);
        } catch (const Failure& failure) {
            return tl::unexpected(Error{failure.what, "expression '" + std::string(text_.substr(0, 80)) + "'", 0,
                static_cast<int>(failure.at) + 1, failure.remedy});
        }
    }

private:
    using Op = Formula::Op;
    struct Failure {
        std::size_t at;
        std::string what;
        std::string remedy = {};
    };
    struct Function {
        std::string_view name;
        unsigned arguments;
        Op op;
    };
    static constexpr std::array<Function, 11> functions = {{{"abs", 1, Op::abs}, {"min", 2, Op::min}, {"max", 2, Op::max},
        {"clamp", 3, Op::clamp}, {"sin", 1, Op::sin}, {"floor", 1, Op::floor}, {"round", 1, Op::round}, {"if", 3, Op::choose},
        {"noise", 1, Op::noise}, {"ramp", 3, Op::ramp}, {"between", 3, Op::between}}};

    void emit(Op op, double number = 0, std::uint32_t slot = 0) { formula_.steps_.push_back({op, number, slot}); }
    void space()
    {
        while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\t' || text_[at_] == '\n'))
            ++at_;
    }
    bool tryMark(std::string_view mark)
    {
        space();
        if (text_.substr(at_, mark.size()) != mark)
            return false;
        at_ += mark.size();
        return true;
    }
    bool tryWord(std::string_view word)
    {
        space();
        if (wordAt(at_) != word)
            return false;
        at_ += word.size();
        return true;
    }
    [[nodiscard]] std::string_view wordAt(std::size_t at) const
    {
        std::size_t end = at;
        while (end < text_.size() && (std::isalnum(static_cast<unsigned char>(text_[end])) != 0 || text_[end] == '_' || text_[end] == '.'))
            ++end;
        return text_.substr(at, end - at);
    }

    void either(unsigned depth)
    {
        both(depth);
        while (tryWord("or")) {
            both(depth);
            emit(Op::either);
        }
    }
    void both(unsigned depth)
    {
        comparison(depth);
        while (tryWord("and")) {
            comparison(depth);
            emit(Op::both);
        }
    }
    void comparison(unsigned depth)
    {
        if (depth > Formula::deepest / 4)
            throw Failure{at_, "nested too deeply"};
        if (tryWord("not")) {
            comparison(depth + 1);
            emit(Op::negation);
            return;
        }
        sum(depth);
        static constexpr std::array<std::pair<std::string_view, Op>, 6> marks = {{{"<=", Op::lessOrEqual}, {">=", Op::greaterOrEqual},
            {"!=", Op::notEqual}, {"<", Op::less}, {">", Op::greater}, {"=", Op::equal}}};
        for (const auto& [mark, op] : marks)
            if (tryMark(mark)) {
                sum(depth);
                emit(op);
                return;
            }
    }
    void sum(unsigned depth)
    {
        product(depth);
        for (;;) {
            const Op op = tryMark("+") ? Op::add : tryMark("-") ? Op::subtract : Op::number;
            if (op == Op::number)
                return;
            product(depth);
            emit(op);
        }
    }
    void product(unsigned depth)
    {
        factor(depth);
        for (;;) {
            const Op op = tryMark("*") ? Op::multiply : tryMark("/") ? Op::divide : tryMark("%") ? Op::modulo : Op::number;
            if (op == Op::number)
                return;
            factor(depth);
            emit(op);
        }
    }
    void factor(unsigned depth)
    {
        if (depth > Formula::deepest / 4)
            throw Failure{at_, "nested too deeply"};
        if (formula_.steps_.size() > 2000)
            throw Failure{at_, "the expression is too long"};
        if (tryMark("-")) {
            factor(depth + 1);
            emit(Op::negate);
            return;
        }
        if (tryMark("(")) {
            either(depth + 1);
            if (!tryMark(")"))
                throw Failure{at_, "expected ')'"};
            return;
        }
        space();
        const std::size_t start = at_;
        if (at_ < text_.size() && (std::isdigit(static_cast<unsigned char>(text_[at_])) != 0 || text_[at_] == '.')) {
            double value = 0;
            const auto [end, code] = std::from_chars(text_.data() + at_, text_.data() + text_.size(), value);
            if (code != std::errc{})
                throw Failure{start, "expected a number"};
            at_ = static_cast<std::size_t>(end - text_.data());
            emit(Op::number, value);
            return;
        }
        const std::string_view word = wordAt(at_);
        if (word.empty())
            throw Failure{start, "expected a number, a name or '('"};
        at_ += word.size();
        for (const Function& function : functions)
            if (function.name == word && tryMark("(")) {
                for (unsigned i = 0; i < function.arguments; ++i) {
                    if (i > 0 && !tryMark(","))
                        throw Failure{
                            at_, "expected ',': " + std::string(word) + " takes " + std::to_string(function.arguments) + " values"};
                    either(depth + 1);
                }
                if (!tryMark(")"))
                    throw Failure{at_, "expected ')'"};
                emit(function.op);
                return;
            }
        const auto slot = resolve_(word);
        if (!slot)
            throw Failure{start, "'" + std::string(word) + "' is neither a value of this node nor a signal that it could receive",
                didYouMean(word, names_)};
        emit(Op::slot, 0, *slot);
    }

    std::string_view text_;
    const Formula::Resolve& resolve_;
    const std::vector<std::string>& names_;
    std::size_t at_ = 0;
    Formula formula_;
};

Expected<Formula> Formula::compile(std::string_view text, const Resolve& resolve, const std::vector<std::string>& names)
{
    return FormulaParser(text, resolve, names).run();
}

std::vector<std::uint32_t> Formula::slots() const
{
    std::vector<std::uint32_t> out;
    for (const Step& step : steps_)
        if (step.op == Op::slot)
            out.push_back(step.slot);
    return out;
}

std::vector<double> Formula::numbers() const
{
    std::vector<double> out;
    for (const Step& step : steps_)
        if (step.op == Op::number)
            out.push_back(step.number);
    return out;
}

bool Formula::random() const
{
    return std::any_of(steps_.begin(), steps_.end(), [](const Step& step) { return step.op == Op::noise; });
}

Formula Formula::constant(double value)
{
    Formula formula;
    formula.steps_.push_back({Op::number, value, 0});
    return formula;
}

double Formula::evaluate(const std::vector<double>& slots, Random& random) const
{
    std::array<double, deepest * 4> stack;     // what is read was put there before
    std::size_t top = 0;
    for (const Step& step : steps_) {
        if (top + 1 >= stack.size())
            return 0;
        double* const last = stack.data() + top - 1;
        switch (step.op) {
        case Op::number: stack[top++] = step.number; break;
        case Op::slot: stack[top++] = slots[step.slot]; break;
        case Op::negate: last[0] = -last[0]; break;
        case Op::negation: last[0] = last[0] == 0 ? 1 : 0; break;
        case Op::abs: last[0] = std::abs(last[0]); break;
        case Op::sin: last[0] = std::sin(last[0]); break;
        case Op::floor: last[0] = std::floor(last[0]); break;
        case Op::round: last[0] = std::round(last[0]); break;
        case Op::noise: last[0] *= random.normal(); break;
        case Op::clamp:
            last[-2] = std::min(std::max(last[-2], last[-1]), last[0]);
            top -= 2;
            break;
        case Op::choose:
            last[-2] = last[-2] != 0 ? last[-1] : last[0];
            top -= 2;
            break;
        case Op::ramp:
            last[-2] = last[0] == last[-1] ? (last[-2] >= last[0] ? 1 : 0)
                                           : std::clamp((last[-2] - last[-1]) / (last[0] - last[-1]), 0.0, 1.0);
            top -= 2;
            break;
        case Op::between:
            last[-2] = last[-2] >= last[-1] && last[-2] < last[0] ? 1 : 0;
            top -= 2;
            break;
        default: {
            const double a = last[-1];
            const double b = last[0];
            double r = 0;
            switch (step.op) {
            case Op::add: r = a + b; break;
            case Op::subtract: r = a - b; break;
            case Op::multiply: r = a * b; break;
            case Op::divide: r = b == 0 ? 0 : a / b; break;
            case Op::modulo: r = b == 0 ? 0 : a - b * std::floor(a / b); break;
            case Op::less: r = a < b; break;
            case Op::lessOrEqual: r = a <= b; break;
            case Op::equal: r = a == b; break;
            case Op::notEqual: r = a != b; break;
            case Op::greaterOrEqual: r = a >= b; break;
            case Op::greater: r = a > b; break;
            case Op::both: r = a != 0 && b != 0; break;
            case Op::either: r = a != 0 || b != 0; break;
            case Op::min: r = std::min(a, b); break;
            case Op::max: r = std::max(a, b); break;
            default: break;
            }
            last[-1] = r;
            --top;
        }
        }
    }
    return top == 0 ? 0 : stack[top - 1];
}

}  // namespace wavetrope::drive
