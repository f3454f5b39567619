// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/units.h"

#include <algorithm>
#include <cctype>
#include <charconv>

#include "database/catalog.h"

namespace wavetrope::database {

namespace {

constexpr int largestPower = 9;

// A power at the end of a factor: ^-2, ² or ³; taken from it. Nothing where it cannot be read.
std::optional<int> powerOf(std::string_view& factor)
{
    for (const auto& [mark, power] : {std::pair<std::string_view, int>{"\u00b2", 2}, {"\u00b3", 3}})
        if (factor.size() > mark.size() && factor.substr(factor.size() - mark.size()) == mark) {
            factor.remove_suffix(mark.size());
            return power;
        }
    const auto at = factor.find('^');
    if (at == std::string_view::npos)
        return 1;
    int power = 0;
    const auto [end, code] = std::from_chars(factor.data() + at + 1, factor.data() + factor.size(), power);
    if (at == 0 || code != std::errc{} || end != factor.data() + factor.size() || std::abs(power) > largestPower)
        return std::nullopt;
    factor = factor.substr(0, at);
    return power;
}

}  // namespace

Unit Unit::fromText(std::string_view text)
{
    Unit unit;
    const auto whole = [&] {
        Unit symbol;
        symbol.powers_[std::string(text)] = 1;
        return symbol;
    };
    const auto blank = [](char c) { return c == ' ' || c == '\t'; };
    std::size_t at = 0;
    bool divided = false, any = false;
    while (at < text.size()) {
        const std::size_t before = at;
        bool turned = false;
        std::size_t marks = 0;
        while (at < text.size()) {
            if (text.substr(at, 2) == "\u00b7") {
                ++marks;
                at += 2;
            } else if (text[at] == '*' || text[at] == '/') {
                ++marks;
                turned = text[at++] == '/';
            } else if (blank(text[at])) {
                ++at;
            } else {
                break;
            }
        }
        if (at == text.size()) {
            if (marks > 0)
                return whole();
            break;
        }
        // Behind a division, what is multiplied could be meant above or below.
        if (marks > 1 || (!any && marks > 0) || (any && at == before) || (divided && !turned))
            return whole();
        divided = divided || turned;
        std::size_t end = at;
        while (end < text.size() && !blank(text[end]) && text[end] != '*' && text[end] != '/' && text.substr(end, 2) != "\u00b7")
            ++end;
        std::string_view factor = text.substr(at, end - at);
        at = end;
        const auto power = powerOf(factor);
        if (!power || factor.empty() || factor.find_first_of("()^") != std::string_view::npos)
            return whole();
        any = true;
        if (factor == "1" && *power == 1)
            continue;
        if (std::isdigit(static_cast<unsigned char>(factor.front())) != 0)
            return whole();
        const int total = unit.powers_[std::string(factor)] += turned ? -*power : *power;
        if (total == 0)
            unit.powers_.erase(unit.powers_.find(factor));
    }
    return any || text.find_first_not_of(" \t") == std::string_view::npos ? unit : whole();
}

std::string Unit::text() const
{
    std::string out, below;
    for (const auto& [symbol, power] : powers_) {
        std::string& place = power > 0 ? out : below;
        place += power > 0 ? (place.empty() ? "" : " ") : "/";
        place += symbol;
        if (std::abs(power) > 1)
            place += '^' + std::to_string(std::abs(power));
    }
    return (out.empty() ? "1" : out) + below;
}

Unit Unit::times(const Unit& other, int power) const
{
    Unit out = *this;
    for (const auto& [symbol, of] : other.powers_)
        if ((out.powers_[symbol] += of * power) == 0)
            out.powers_.erase(symbol);
    return out;
}

namespace {

// Follows the units of a formula as its values are followed.
class UnitFollower {
public:
    explicit UnitFollower(const std::vector<std::optional<Unit>>& inputs) : inputs_(inputs) {}

    void step(const formula::Step& step)
    {
        using formula::Op;
        switch (step.op) {
        case Op::number: return put({});
        case Op::slot: return put(inputs_[step.slot]);
        case Op::add: return join("adds", 2);
        case Op::subtract: return join("subtracts", 2);
        case Op::min:
        case Op::max: return join("chooses between", 2);
        case Op::clamp: return join("clamps with", 3);
        case Op::multiply:
        case Op::divide: return multiply(step.op == Op::divide ? -1 : 1);
        case Op::modulo: return keepFirst(2);
        case Op::less:
        case Op::lessOrEqual:
        case Op::equal:
        case Op::notEqual:
        case Op::greaterOrEqual:
        case Op::greater: return compare(2);
        case Op::ramp:
        case Op::between: return compare(3);
        case Op::choose: {
            join("chooses between", 2);
            const auto chosen = take();
            take();
            return put(chosen);
        }
        case Op::both:
        case Op::either: return forget(2);
        case Op::negation:
        case Op::sin:
        case Op::noise: return forget(1);
        case Op::negate:
        case Op::abs:
        case Op::floor:
        case Op::round:
        case Op::mean:
        case Op::smallest:
        case Op::largest:
        case Op::delayed: return;
        case Op::slope:
        case Op::integral: {
            auto unit = take();
            if (unit)
                unit = unit->times(Unit::fromText("s"), step.op == Op::slope ? -1 : 1);
            return put(unit);
        }
        case Op::since: return take(), put(Unit::fromText("s"));
        case Op::count: return forget(1);
        }
    }
    [[nodiscard]] const std::optional<Unit>& result() const { return stack_.back(); }
    [[nodiscard]] const std::string& finding() const { return finding_; }

private:
    void put(std::optional<Unit> unit) { stack_.push_back(std::move(unit)); }
    std::optional<Unit> take()
    {
        auto unit = std::move(stack_.back());
        stack_.pop_back();
        return unit;
    }
    void forget(unsigned values)
    {
        for (unsigned i = 0; i < values; ++i)
            take();
        put({});
    }
    void keepFirst(unsigned values)
    {
        for (unsigned i = 1; i < values; ++i)
            take();
    }
    void join(const char* does, unsigned values)
    {
        const auto first = stack_.end() - static_cast<std::ptrdiff_t>(values);
        std::optional<Unit> common;
        bool open = false;
        for (auto unit = first; unit != stack_.end(); ++unit) {
            open = open || !*unit;
            if (common && *unit && *common != **unit) {
                if (finding_.empty())
                    finding_ = std::string("it ") + does + " " + common->text() + " and " + (*unit)->text();
                open = true;
                common.reset();
                break;
            }
            if (*unit)
                common = *unit;
        }
        stack_.erase(first, stack_.end());
        put(open && values > 1 && !common ? std::nullopt : common);
    }
    void compare(unsigned values)
    {
        join("compares", values);
        forget(1);
    }
    void multiply(int power)
    {
        const auto by = take();
        const auto unit = take();
        put(unit && by ? std::optional(unit->times(*by, power)) : std::nullopt);
    }

    const std::vector<std::optional<Unit>>& inputs_;
    std::vector<std::optional<Unit>> stack_;    // nothing: not known, which fits everything
    std::string finding_;
};

std::optional<Unit> stated(const std::string& text) { return text.empty() ? std::nullopt : std::optional(Unit::fromText(text)); }

}  // namespace

void findUnits(std::vector<DerivedSignal>& derived, const std::vector<std::uint32_t>& order)
{
    std::vector<std::optional<Unit>> units(derived.size());
    for (const std::uint32_t d : order) {
        DerivedSignal& made = derived[d];
        std::vector<std::optional<Unit>> inputs;
        for (const DerivedSignal::Input& input : made.inputs)
            inputs.push_back(input.signal.message != nullptr ? stated(input.signal.signal().unit) : units[input.derived]);
        UnitFollower follower(inputs);
        for (const formula::Step& step : made.formula.steps())
            follower.step(step);
        made.finding = follower.finding();
        const std::optional<Unit>& found = follower.result();
        units[d] = made.spec.unit.empty() ? found : stated(made.spec.unit);
        if (made.finding.empty() && found && !made.spec.unit.empty() && *found != *units[d])
            made.finding = "its unit is " + made.spec.unit + ", and it works out " + found->text();
    }
}

}  // namespace wavetrope::database
