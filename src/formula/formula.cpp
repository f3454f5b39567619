// SPDX-License-Identifier: GPL-3.0-or-later
#include "formula/formula.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <utility>

#include "base/nearest_name.h"
#include "base/time_text.h"
#include "formula/operations.h"

namespace wavetrope::formula {

// Recursive descent to steps of a stack machine. Failures are thrown and caught inside this file only.
class FormulaParser {
public:
    FormulaParser(std::string_view text, Use use, const Formula::Resolve& resolve) : text_(text), use_(use), resolve_(resolve) {}

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
    struct Failure {
        std::size_t at;
        std::string what;
        std::string remedy = {};
    };

    void emit(Step step, unsigned takes)
    {
        for (unsigned i = 0; i < takes; ++i)
            step.inputs |= std::exchange(on_[--height_], 0);
        on_[height_++] = step.inputs;
        formula_.depth_ = std::max(formula_.depth_, height_);
        formula_.steps_.push_back(step);
    }
    void emit(Op op, unsigned takes) { emit(Step{op, 0, 0, {}, 0}, takes); }
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
            emit(Op::either, 2);
        }
    }
    void both(unsigned depth)
    {
        comparison(depth);
        while (tryWord("and")) {
            comparison(depth);
            emit(Op::both, 2);
        }
    }
    void comparison(unsigned depth)
    {
        if (depth > Formula::deepest / 4)
            throw Failure{at_, "nested too deeply"};
        if (tryWord("not")) {
            comparison(depth + 1);
            emit(Op::negation, 1);
            return;
        }
        sum(depth);
        static constexpr std::array<std::pair<std::string_view, Op>, 6> marks = {{{"<=", Op::lessOrEqual}, {">=", Op::greaterOrEqual},
            {"!=", Op::notEqual}, {"<", Op::less}, {">", Op::greater}, {"=", Op::equal}}};
        for (const auto& [mark, op] : marks)
            if (tryMark(mark)) {
                sum(depth);
                emit(op, 2);
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
            emit(op, 2);
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
            emit(op, 2);
        }
    }
    void factor(unsigned depth)
    {
        if (depth > Formula::deepest / 4 || height_ + 2 >= on_.size())
            throw Failure{at_, "nested too deeply"};
        if (formula_.steps_.size() > 2000)
            throw Failure{at_, "the expression is too long"};
        if (tryMark("-")) {
            factor(depth + 1);
            emit(Op::negate, 1);
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
            emit(Step{Op::number, number(), 0, {}, 0}, 0);
            return;
        }
        if (tryMark("\"")) {
            const std::size_t end = text_.find('"', at_);
            if (end == std::string_view::npos)
                throw Failure{start, "a name in quotes does not end"};
            const std::string_view quoted = text_.substr(at_, end - at_);
            at_ = end + 1;
            return name(quoted, start);
        }
        const std::string_view word = wordAt(at_);
        if (word.empty())
            throw Failure{start, "expected a number, a name or '('"};
        at_ += word.size();
        for (const Function& function : functions())
            if (function.name == word && tryMark("("))
                return call(function, start, depth);
        name(word, start);
    }
    double number()
    {
        double value = 0;
        const auto [end, code] = std::from_chars(text_.data() + at_, text_.data() + text_.size(), value);
        if (code != std::errc{})
            throw Failure{at_, "expected a number"};
        at_ = static_cast<std::size_t>(end - text_.data());
        return value;
    }
    void call(const Function& function, std::size_t start, unsigned depth)
    {
        const std::string word(function.name);
        if (function.use == Use::derived && use_ != Use::derived)
            throw Failure{start, word + " looks back over time: derived signals alone can", "Derive a signal with it"};
        if (function.use == Use::node && use_ != Use::node)
            throw Failure{start, word + " is for simulated nodes alone"};
        const std::string takes = ": as in " + std::string(function.write);
        for (unsigned i = 0; i < function.values; ++i) {
            if (i > 0 && !tryMark(","))
                throw Failure{at_, "expected ','" + takes};
            either(depth + 1);
        }
        Step step{function.op, 0, 0, {}, 0};
        if (function.span) {
            if (!tryMark(","))
                throw Failure{at_, "expected ',' and a time" + takes};
            step.span = span();
        }
        if (!tryMark(")"))
            throw Failure{at_, "expected ')'" + takes};
        emit(step, function.values);
    }
    Time span()
    {
        space();
        const std::size_t start = at_;
        std::size_t end = at_;
        while (end < text_.size() && text_[end] != ')' && text_[end] != ',')
            ++end;
        const auto span = spanFromText(text_.substr(start, end - start));
        if (!span || span->count() < 0)
            throw Failure{start, "expected a time, such as 200 ms"};
        at_ = end;
        return *span;
    }
    void name(std::string_view word, std::size_t start)
    {
        const auto slot = resolve_(word);
        if (!slot)
            throw Failure{start, slot.error().what, slot.error().remedy};
        emit(Step{Op::slot, 0, *slot, {}, *slot < 64 ? std::uint64_t{1} << *slot : 0}, 0);
    }

    std::string_view text_;
    Use use_;
    const Formula::Resolve& resolve_;
    std::size_t at_ = 0;
    std::array<std::uint64_t, Formula::deepest * 4> on_{};      // by place on the stack: the inputs that it hangs on
    unsigned height_ = 0;
    Formula formula_;
};

Expected<Formula> Formula::compile(std::string_view text, Use use, const Resolve& resolve)
{
    return FormulaParser(text, use, resolve).run();
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

bool Formula::overTime() const
{
    return std::any_of(steps_.begin(), steps_.end(), [](const Step& step) { return step.op >= Op::mean; });
}

std::string renamed(std::string_view formula, std::string_view from, std::string_view to)
{
    std::string out;
    const auto inWord = [&](std::size_t at) {
        const auto c = static_cast<unsigned char>(formula[at]);
        return std::isalnum(c) != 0 || c == '_' || c == '.';
    };
    for (std::size_t at = 0; at < formula.size();) {
        std::size_t end = at;
        const bool quoted = formula[at] == '"';
        if (quoted)
            end = std::min(formula.find('"', at + 1), formula.size() - 1) + 1;
        else
            while (end < formula.size() && inWord(end))
                ++end;
        if (end == at)
            ++end;
        const std::string_view word = formula.substr(at, end - at);
        const std::string_view name = quoted && word.size() >= 2 ? word.substr(1, word.size() - 2) : word;
        // What is called, or begins with a digit, is no name.
        std::size_t behind = end;
        while (behind < formula.size() && formula[behind] == ' ')
            ++behind;
        const bool called = !quoted && behind < formula.size() && formula[behind] == '(';
        if (name == from && !called)
            out += quoted ? '"' + std::string(to) + '"' : std::string(to);
        else
            out += word;
        at = end;
    }
    return out;
}

Formula Formula::constant(double value)
{
    Formula formula;
    formula.steps_.push_back({Op::number, value, 0, {}, 0});
    formula.depth_ = 1;
    return formula;
}

double Formula::evaluate(const std::vector<double>& slots, Random& random) const
{
    std::array<double, deepest * 4> stack;     // what is read was put there before
    std::size_t top = 0;
    for (const Step& step : steps_) {
        if (step.op == Op::number)
            stack[top++] = step.number;
        else if (step.op == Op::slot)
            stack[top++] = slots[step.slot];
        else if (step.op == Op::noise)
            stack[top - 1] *= random.normal();
        else
            dispatch(
                step.op, [&]<Op op>() { stack[top - 1] = unary<op>(stack[top - 1]); },
                [&]<Op op>() {
                    --top;
                    stack[top - 1] = binary<op>(stack[top - 1], stack[top]);
                },
                [&]<Op op>() {
                    top -= 2;
                    stack[top - 1] = ternary<op>(stack[top - 1], stack[top], stack[top + 1]);
                });
    }
    return top == 0 ? 0 : stack[top - 1];
}

}  // namespace wavetrope::formula
