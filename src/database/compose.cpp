// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/compose.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <optional>

#include "base/nearest_name.h"
#include "base/trimmed.h"

namespace wavetrope::database {

namespace {

constexpr int digitsRead = 12;      // of a number in words

std::string withUnit(const std::string& number, const Signal& signal) { return signal.unit.empty() ? number : number + " " + signal.unit; }

// Whole numbers of a signal that has neither factor nor offset are exact to 64 bits.
std::optional<RawValue> wholeOf(const Signal& signal, std::string_view digits)
{
    return signal.type == ValueType::integer && signal.factor == 1 && signal.offset == 0 ? wholeFromText(digits) : std::nullopt;
}

bool holds(const SignalPlan& plan, RawValue raw)
{
    const RawValue one = 1;
    return plan.isSigned ? raw >= -(one << (plan.length - 1U)) && raw < one << (plan.length - 1U) : raw >= 0 && raw < one << plan.length;
}

std::string rangeWords(const Signal& signal, const SignalPlan& plan)
{
    if (plan.type != ValueType::integer)
        return signal.name + " has " + std::to_string(plan.length) + " bits";
    const auto end = [&](double raw) { return numberText(plan.physical(raw), digitsRead); };
    const double low = plan.low, high = plan.length >= 53 ? plan.limit : plan.limit - 1;
    const bool turned = signal.factor < 0;
    return "Its " + std::to_string(plan.length) + " bits hold " + end(turned ? high : low) + " to "
           + withUnit(end(turned ? low : high), signal);
}

// A number at the beginning, and what stands behind it.
struct Number {
    double value = 0;
    std::string_view digits, behind;
};
std::optional<Number> numberFrom(std::string_view text)
{
    const bool negative = !text.empty() && text.front() == '-';
    std::string_view rest = negative || (!text.empty() && text.front() == '+') ? text.substr(1) : text;
    Number out;
    if (rest.size() > 2 && rest[0] == '0' && (rest[1] == 'x' || rest[1] == 'X')) {
        std::uint64_t whole = 0;
        const auto [end, code] = std::from_chars(rest.data() + 2, rest.data() + rest.size(), whole, 16);
        if (code != std::errc{})
            return std::nullopt;
        out.value = static_cast<double>(whole) * (negative ? -1 : 1);
        out.behind = rest.substr(static_cast<std::size_t>(end - rest.data()));
        return out;
    }
    if (rest.empty() || !((rest[0] >= '0' && rest[0] <= '9') || rest[0] == '.'))
        return std::nullopt;
    const auto [end, code] = std::from_chars(rest.data(), rest.data() + rest.size(), out.value);
    if (code != std::errc{})
        return std::nullopt;
    out.behind = rest.substr(static_cast<std::size_t>(end - rest.data()));
    out.digits = text.substr(0, text.size() - out.behind.size());
    if (!out.digits.empty() && out.digits.front() == '+')
        out.digits.remove_prefix(1);
    out.value = negative ? -out.value : out.value;
    return out;
}

}  // namespace

std::uint64_t startBitsOf(const Signal& signal, const SignalPlan& plan)
{
    if (!signal.startRaw)
        return 0;
    bool fits = false;
    return MessagePlan::bitsOf(plan, plan.physical(*signal.startRaw), fits);
}

std::string readingOf(const Signal& signal, const SignalPlan& plan, std::uint64_t bits)
{
    if (const std::string_view words = textOf(signal, bits); !words.empty())
        return std::string(words);
    if (signal.type == ValueType::integer && signal.factor == 1 && signal.offset == 0)
        return withUnit(rawText(plan, bits), signal);
    return withUnit(numberText(plan.physicalOf(bits), digitsRead), signal);
}

std::string startWords(const Signal& signal, const SignalPlan& plan)
{
    const std::string reading = readingOf(signal, plan, startBitsOf(signal, plan));
    return signal.startRaw ? reading + ", from the database: start value" : reading + ", zero: no start value";
}

std::pair<double, double> rangeOf(const Signal& signal, const SignalPlan& plan)
{
    double low = 0, high = 1;
    if (plan.type == ValueType::integer) {
        low = plan.physical(plan.low);
        high = plan.physical(plan.limit - 1);
        if (low > high)
            std::swap(low, high);
        if (signal.minimum)
            low = std::max(low, *signal.minimum);
        if (signal.maximum)
            high = std::min(high, *signal.maximum);
    } else {
        low = signal.minimum.value_or(0);
        high = signal.maximum.value_or(low + 100);
    }
    return {low, std::max(low, high)};
}

std::uint64_t steppedBits(const Signal& signal, const SignalPlan& plan, std::uint64_t bits, double steps)
{
    if (plan.type == ValueType::integer && !signal.texts.empty()) {
        // From text to text, in the order of their values.
        const RawValue now = plan.whole(bits);
        std::vector<RawValue> values;
        for (const ValueText& text : signal.texts)
            values.push_back(text.value);
        std::sort(values.begin(), values.end());
        values.erase(std::unique(values.begin(), values.end()), values.end());
        const auto above = std::upper_bound(values.begin(), values.end(), now);
        const auto below = std::lower_bound(values.begin(), values.end(), now);
        if (steps > 0 && above != values.end())
            return static_cast<std::uint64_t>(*above) & plan.mask;
        if (steps < 0 && below != values.begin())
            return static_cast<std::uint64_t>(*std::prev(below)) & plan.mask;
        return bits;
    }
    const auto [low, high] = rangeOf(signal, plan);
    const double finest = plan.type == ValueType::integer ? std::abs(signal.factor) : 0;
    double step = high > low ? std::pow(10, std::round(std::log10((high - low) / 100))) : 1;
    step = std::max(step, finest);
    const double change = steps > 0 ? std::max(step * steps, finest) : std::min(step * steps, -finest);
    const double value = std::clamp(plan.physicalOf(bits) + change, low, high);
    bool fits = true;
    return MessagePlan::bitsOf(plan, value, fits);
}

std::string outsideWords(const Signal& signal, const SignalPlan& plan, std::uint64_t bits)
{
    // What has a text, such as "not available", is meant.
    if (!textOf(signal, bits).empty())
        return {};
    const double value = plan.physicalOf(bits);
    const bool below = signal.minimum && value < *signal.minimum;
    if (!below && !(signal.maximum && value > *signal.maximum))
        return {};
    const double limit = below ? *signal.minimum : *signal.maximum;
    return readingOf(signal, plan, bits) + " is " + (below ? "below " : "above ") + withUnit(numberText(limit, digitsRead), signal)
           + ", which its database tells as the limit";
}

Expected<std::uint64_t> bitsFromText(const Signal& signal, const SignalPlan& plan, std::string_view text)
{
    std::string word = trimmed(text);
    if (word.size() >= 2 && word.front() == '"' && word.back() == '"')
        word = trimmed(std::string_view(word).substr(1, word.size() - 2));
    const auto number = numberFrom(word);
    if (const auto raw = signal.valueOf(word); raw && (!number || !trimmed(number->behind).empty()))
        return static_cast<std::uint64_t>(*raw) & plan.mask;
    if (!number) {
        if (word.empty())
            return fail(signal.name + " has no value", {},
                "Give it one, such as " + signal.name + "=" + (signal.texts.empty() ? "0" : signal.texts.front().text));
        std::vector<std::string> texts;
        for (const ValueText& one : signal.texts)
            texts.push_back(one.text);
        return fail("'" + word + "' is no value of " + signal.name, {},
            texts.empty() ? "It takes a number" : "It takes a number or one of its texts. " + didYouMean(word, texts));
    }
    if (const std::string unit = trimmed(number->behind); !unit.empty() && unit != signal.unit)
        return fail(
            "'" + word + "' is no value of " + signal.name, {}, signal.unit.empty() ? "It has no unit" : "Its unit is " + signal.unit);
    if (const auto whole = wholeOf(signal, number->digits); whole && holds(plan, *whole))
        return static_cast<std::uint64_t>(*whole) & plan.mask;
    bool fits = std::isfinite(number->value);
    const std::uint64_t bits = fits ? MessagePlan::bitsOf(plan, number->value, fits) : 0;
    if (!fits)
        return fail(signal.name + " cannot hold " + word, {}, rangeWords(signal, plan));
    return bits;
}

Expected<Composed> compose(const Message& message, const MessagePlan& plan, std::span<const GivenBits> given)
{
    Composed out;
    out.payload.assign(message.length, 0);
    const std::size_t count = message.signals.size();
    std::vector<std::optional<std::uint64_t>> wanted(count);
    for (const GivenBits& one : given)
        wanted[one.signal] = one.bits;
    const auto put = [&](std::uint32_t signal) {
        const std::uint64_t bits = wanted[signal] ? *wanted[signal] : startBitsOf(message.signals[signal], plan.plan(signal));
        return plan.encodeBits(out.payload, signal, bits);
    };
    // Each selector behind those that select it.
    std::vector<bool> placed(count);
    for (bool more = true; more;) {
        more = false;
        for (std::uint32_t i = 0; i < count; ++i)
            if (message.signals[i].selects() && !placed[i] && plan.present(out.payload, i)) {
                more = placed[i] = true;
                if (!put(i) && wanted[i])
                    return fail(
                        message.name + " has " + std::to_string(message.length) + " bytes, and no room for " + message.signals[i].name);
            }
    }
    // What is given goes over start values, where a database has signals on the same bits.
    for (const bool set : {false, true})
        for (std::uint32_t i = 0; i < count; ++i)
            if (!message.signals[i].selects() && wanted[i].has_value() == set && plan.present(out.payload, i))
                if (!put(i) && set)
                    return fail(
                        message.name + " has " + std::to_string(message.length) + " bytes, and no room for " + message.signals[i].name);
    for (std::uint32_t i = 0; i < count; ++i) {
        const bool present = plan.present(out.payload, i);
        if (wanted[i] && !present) {
            const int selector = plan.selectorOf(i);
            std::string why = message.signals[i].name + " is not in this frame of " + message.name;
            std::string remedy;
            if (selector >= 0) {
                const auto place = static_cast<std::uint32_t>(selector);
                why += ": " + message.signals[place].name + " is "
                       + readingOf(message.signals[place], plan.plan(place), plan.plan(place).rawBits(can::Payload(out.payload)));
                remedy = "It is there where " + message.signals[place].name + " is "
                         + readingOf(message.signals[place], plan.plan(place), plan.muxValue(i));
            }
            return fail(std::move(why), {}, std::move(remedy));
        }
        if (!wanted[i] && present)
            out.unset.push_back(i);
    }
    return out;
}

}  // namespace wavetrope::database
