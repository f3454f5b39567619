// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/codec.h"

#include <algorithm>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstring>

namespace wavetrope::database {

namespace {

std::uint64_t loadLittle(const std::uint8_t* at)
{
    std::uint64_t value;
    std::memcpy(&value, at, sizeof value);
    return value;
}

// To the nearest integer, halves to the even one. Adding and taking away 1.5 * 2^52 rounds every smaller value so.
double rounded(double value)
{
    constexpr double shift = 0x1.8p52;
    return std::abs(value) < 0x1p51 ? (value + shift) - shift : std::nearbyint(value);
}

std::uint64_t maskOf(unsigned length) { return length >= 64 ? ~0ULL : (1ULL << length) - 1; }

// Bytes from the plan's first on that a signal's load or store touches.
std::size_t touched(const SignalPlan& plan) { return plan.spill > 0 ? 9 : 8; }

// Both in one piece, so that encoding a signal calls nothing. `at` are the eight or nine bytes from the plan's first on.
inline void storeAt(const SignalPlan& plan, std::uint8_t* at, std::uint64_t bits)
{
    bits &= plan.mask;
    std::uint64_t word = loadLittle(at);
    if (plan.motorola) {
        word = __builtin_bswap64(word);
        word = (word & ~(plan.mask >> plan.spill << plan.shift)) | (bits >> plan.spill << plan.shift);
        word = __builtin_bswap64(word);
        if (plan.spill > 0) {
            std::uint8_t& ninth = at[8];
            ninth = static_cast<std::uint8_t>((ninth & (0xFFU >> plan.spill)) | (bits << (8 - plan.spill)));
        }
    } else {
        word = (word & ~(plan.mask << plan.shift)) | (bits << plan.shift);
        if (plan.spill > 0) {
            std::uint8_t& ninth = at[8];
            ninth = static_cast<std::uint8_t>((ninth & (0xFFU << plan.spill)) | (bits >> (64 - plan.shift)));
        }
    }
    std::memcpy(at, &word, sizeof word);
}

// False where the payload has no room for the signal.
inline bool storeBits(const SignalPlan& plan, std::span<std::uint8_t> payload, std::uint64_t bits)
{
    if (plan.byte + touched(plan) <= payload.size()) [[likely]] {
        storeAt(plan, payload.data() + plan.byte, bits);
        return true;
    }
    if (plan.lastByte >= payload.size())
        return false;
    std::uint8_t window[9] = {};
    const std::size_t there = payload.size() - plan.byte;
    std::memcpy(window, payload.data() + plan.byte, there);
    storeAt(plan, window, bits);
    std::memcpy(payload.data() + plan.byte, window, there);
    return true;
}

// With the 64 bits that a long double has, where a double has too few.
std::uint64_t wholeBitsOf(const SignalPlan& plan, double value, bool& fits)
{
    const long double whole = std::nearbyint(plan.scale.inverse(value));
    if (whole >= plan.low && whole < plan.limit)
        return (plan.isSigned ? static_cast<std::uint64_t>(static_cast<std::int64_t>(whole)) : static_cast<std::uint64_t>(whole))
               & plan.mask;
    fits = false;
    if (std::isnan(whole))
        return 0;
    return whole < plan.low ? plan.isSigned ? 1ULL << (plan.length - 1U) : 0 : maskOf(plan.isSigned ? plan.length - 1U : plan.length);
}

inline std::uint64_t rawBitsOf(const SignalPlan& plan, double value, bool& fits)
{
    const Scale& scale = plan.scale;
    fits = scale.numerator != 0;
    if (!scale.quick() && plan.type == ValueType::integer) [[unlikely]]
        return wholeBitsOf(plan, value, fits);
    const double raw = fits ? scale.quick() ? (value * scale.divisor - scale.addend) / scale.numerator
                                            : static_cast<double>(scale.inverse(value))
                            : 0;
    if (plan.type == ValueType::floating)
        return std::bit_cast<std::uint64_t>(raw);
    if (plan.type == ValueType::single) {
        fits = fits && (!std::isfinite(raw) || std::isfinite(static_cast<float>(raw)));
        return std::bit_cast<std::uint32_t>(static_cast<float>(raw));
    }
    const double whole = rounded(raw);
    if (whole >= plan.low && whole < plan.limit) [[likely]]
        return (plan.isSigned || plan.length < 64 ? static_cast<std::uint64_t>(static_cast<std::int64_t>(whole))
                                                  : static_cast<std::uint64_t>(whole))
               & plan.mask;
    fits = false;
    if (std::isnan(raw))
        return 0;
    if (whole < plan.low)
        return plan.isSigned ? 1ULL << (plan.length - 1U) : 0;
    return maskOf(plan.isSigned ? plan.length - 1U : plan.length);
}

// A frame's payload with room behind it, so that loads never leave it.
struct PaddedPayload {
    std::uint8_t bytes[can::maxLength + 9] = {};

    explicit PaddedPayload(can::Payload payload)
    {
        if (payload.size() == can::maxClassicLength)  // by far the most: two moves instead of a call
            std::memcpy(bytes, payload.data(), can::maxClassicLength);
        else if (!payload.empty())
            std::memcpy(bytes, payload.data(), payload.size());
    }
    [[nodiscard]] std::uint64_t bits(const SignalPlan& plan) const { return plan.rawBits(bytes); }
};

// One of any length, as it lies.
struct WholePayload {
    can::Payload payload;

    [[nodiscard]] std::uint64_t bits(const SignalPlan& plan) const { return plan.rawBits(payload); }
};

}  // namespace

SignalPlan planOf(const Signal& signal)
{
    SignalPlan plan;
    plan.length = static_cast<std::uint8_t>(signal.length);
    plan.isSigned = signal.isSigned;
    plan.type = signal.type;
    plan.low = signal.isSigned ? -std::ldexp(1.0, static_cast<int>(signal.length) - 1) : 0;
    plan.limit = std::ldexp(1.0, static_cast<int>(signal.length) - (signal.isSigned ? 1 : 0));
    plan.motorola = signal.order == ByteOrder::motorola;
    const unsigned first = signal.startBit / 8;
    plan.mask = maskOf(signal.length);
    plan.scale = Scale(signal.factor, signal.factorText, signal.offset, signal.offsetText, std::max(-plan.low, plan.limit),
        signal.type == ValueType::integer);
    plan.unused = static_cast<std::uint8_t>(signal.isSigned ? 64 - signal.length : 0);
    // Where the signal lies within eight bytes of the payload counted from its start, those are loaded: stores and loads of
    // neighbours then meet at one address, and those of a frame's signals never reach behind byte 63.
    const unsigned block = first / 8 * 8;
    const unsigned lead = signal.order == ByteOrder::motorola ? 7 - signal.startBit % 8 : signal.startBit % 8;
    const bool inBlock = (first - block) * 8 + lead + signal.length <= 64;
    plan.byte = static_cast<std::uint16_t>(inBlock ? block : first);
    // Bits in front of the signal's first one in the order in which they lie; of Motorola from the most significant
    // down to bit 0 and on at bit 7 of the next byte.
    const unsigned inByte = plan.motorola ? 7 - signal.startBit % 8 : signal.startBit % 8;
    plan.lastByte = static_cast<std::uint16_t>(first + (inByte + signal.length - 1) / 8);
    const unsigned before = (first - plan.byte) * 8 + inByte;
    const unsigned end = before + signal.length;
    plan.spill = static_cast<std::uint8_t>(end > 64 ? end - 64 : 0);
    plan.shift = static_cast<std::uint8_t>(!plan.motorola ? before : end > 64 ? 0 : 64 - end);
    return plan;
}

std::uint64_t SignalPlan::rawBits(can::Payload payload) const
{
    if (byte + touched(*this) <= payload.size())
        return bitsAt(payload.data() + byte);
    std::uint8_t window[9] = {};
    std::memcpy(window, payload.data() + byte, payload.size() - byte);
    return bitsAt(window);
}

std::uint64_t SignalPlan::bitsAt(const std::uint8_t* at) const
{
    const std::uint64_t word = loadLittle(at);
    std::uint64_t value = 0;
    if (motorola) {
        value = __builtin_bswap64(word) >> shift;
        if (spill > 0)
            value = (value << spill) | (at[8] >> (8 - spill));
    } else {
        value = word >> shift;
        if (spill > 0)
            value |= static_cast<std::uint64_t>(at[8]) << (64 - shift);
    }
    return value & mask;
}

double SignalPlan::rawValue(std::uint64_t bits) const
{
    if (type == ValueType::integer) [[likely]] {
        if (!isSigned && length == 64)
            return static_cast<double>(bits);
        return static_cast<double>(static_cast<std::int64_t>(bits << unused) >> unused);
    }
    return type == ValueType::single ? static_cast<double>(std::bit_cast<float>(static_cast<std::uint32_t>(bits)))
                                     : std::bit_cast<double>(bits);
}

bool SignalPlan::store(std::span<std::uint8_t> payload, std::uint64_t bits) const { return storeBits(*this, payload, bits); }

MessagePlan::MessagePlan(const Message& message)
{
    const std::size_t count = message.signals.size();
    plans_.reserve(count);
    conditions_.resize(count);
    for (std::size_t i = 0; i < count; ++i) {
        const Signal& signal = message.signals[i];
        plans_.push_back(planOf(signal));
        lastByte_ = std::max<unsigned>(lastByte_, plans_.back().lastByte);
        simple_ = simple_ && plans_.back().type == ValueType::integer && plans_.back().spill == 0 && plans_.back().length < 64
                  && plans_.back().scale.quick();
        if (signal.mux == MuxRole::selector && selector_ < 0)
            selector_ = static_cast<int>(i);
        if (signal.startRaw && *signal.startRaw != 0) {
            const SignalPlan& plan = plans_.back();
            bool fits = false;
            starts_.emplace_back(static_cast<std::uint32_t>(i), bitsOf(plan, plan.physical(*signal.startRaw), fits));
        }
    }
    const auto indexOf = [&](const std::string& name) {
        for (std::size_t i = 0; i < count; ++i)
            if (message.signals[i].name == name)
                return static_cast<int>(i);
        return -1;
    };
    for (std::size_t i = 0; i < count; ++i) {
        const Signal& signal = message.signals[i];
        if (signal.mux != MuxRole::multiplexed)
            continue;
        anyMultiplexed_ = true;
        Condition& condition = conditions_[i];
        condition.multiplexed = true;
        condition.selector = signal.muxSelector.empty() ? selector_ : indexOf(signal.muxSelector);
        condition.ranges = signal.muxRanges.empty() ? std::vector<MuxRange>{{signal.muxValue, signal.muxValue}} : signal.muxRanges;
    }
    // A chain of selectors that bites its own tail selects nothing.
    for (std::size_t i = 0; i < count; ++i) {
        int at = static_cast<int>(i);
        std::size_t steps = 0;
        while (at >= 0 && conditions_[static_cast<std::size_t>(at)].multiplexed && steps++ <= count)
            at = conditions_[static_cast<std::size_t>(at)].selector;
        if (at < 0 || steps > count)
            conditions_[i].selector = -1;
    }
}

bool MessagePlan::present(can::Payload payload, std::uint32_t signal) const
{
    return presentIn(WholePayload{payload}, payload.size(), signal);
}

template <class From>
bool MessagePlan::presentIn(const From& from, std::size_t length, std::uint32_t signal) const
{
    const Condition* condition = &conditions_[signal];
    while (condition->multiplexed) {
        if (condition->selector < 0)
            return false;
        const auto selector = static_cast<std::uint32_t>(condition->selector);
        if (plans_[selector].lastByte >= length)
            return false;
        const std::uint64_t selected = from.bits(plans_[selector]);
        if (std::none_of(condition->ranges.begin(), condition->ranges.end(),
                [&](const MuxRange& range) { return selected >= range.from && selected <= range.to; }))
            return false;
        condition = &conditions_[selector];
    }
    return true;
}

template <class From>
void MessagePlan::take(const From& from, std::uint32_t signal, Decoded& to) const
{
    const SignalPlan& plan = plans_[signal];
    to.signal = signal;
    to.bits = from.bits(plan);
    to.raw = plan.rawValue(to.bits);
    to.value = plan.physicalOf(to.bits);
}

template <class From>
unsigned MessagePlan::decodeFrom(const From& from, std::size_t length, std::vector<Decoded>& out) const
{
    const auto count = static_cast<std::uint32_t>(plans_.size());
    if (!anyMultiplexed_ && lastByte_ < length) {  // nothing to ask
        const std::size_t before = out.size();
        out.resize(before + count);
        Decoded* to = out.data() + before;
        if constexpr (std::is_same_v<From, PaddedPayload>) {
            if (simple_) {
                const SignalPlan* plan = plans_.data();
                for (std::uint32_t i = 0; i < count; ++i, ++plan, ++to) {
                    std::uint64_t word = loadLittle(from.bytes + plan->byte);
                    if (plan->motorola)
                        word = __builtin_bswap64(word);
                    const std::uint64_t bits = word >> plan->shift & plan->mask;
                    const auto raw = static_cast<double>(static_cast<std::int64_t>(bits << plan->unused) >> plan->unused);
                    *to = {i, bits, raw, plan->scale.quickly(raw)};
                }
                return 0;
            }
        }
        for (std::uint32_t i = 0; i < count; ++i)
            take(from, i, to[i]);
        return 0;
    }
    unsigned missing = 0;
    for (std::uint32_t i = 0; i < count; ++i) {
        if (conditions_[i].multiplexed && !presentIn(from, length, i))
            continue;
        if (plans_[i].lastByte >= length) {
            ++missing;
            continue;
        }
        take(from, i, out.emplace_back());
    }
    return missing;
}

unsigned MessagePlan::decode(can::Payload payload, std::vector<Decoded>& out) const
{
    if (payload.size() <= can::maxLength)
        return decodeFrom(PaddedPayload(payload), payload.size(), out);
    return decodeFrom(WholePayload{payload}, payload.size(), out);
}

bool MessagePlan::decodeOne(can::Payload payload, std::uint32_t signal, Decoded& out) const
{
    if (plans_[signal].lastByte >= payload.size())
        return false;
    const auto from = [&](const auto& whole) {
        if (conditions_[signal].multiplexed && !presentIn(whole, payload.size(), signal))
            return false;
        take(whole, signal, out);
        return true;
    };
    return payload.size() <= can::maxLength ? from(PaddedPayload(payload)) : from(WholePayload{payload});
}

std::uint64_t MessagePlan::bitsOf(const SignalPlan& plan, double value, bool& fits) { return rawBitsOf(plan, value, fits); }

bool MessagePlan::encode(std::span<std::uint8_t> payload, std::uint32_t signal, double value, Overflow overflow) const
{
    const SignalPlan& plan = plans_[signal];
    bool fits = true;
    const std::uint64_t bits = rawBitsOf(plan, value, fits);
    if (!fits && overflow == Overflow::refuse)
        return false;
    return storeBits(plan, payload, bits) && fits;
}

bool MessagePlan::encodeBits(std::span<std::uint8_t> payload, std::uint32_t signal, std::uint64_t bits) const
{
    return storeBits(plans_[signal], payload, bits);
}

void MessagePlan::fillStart(std::span<std::uint8_t> payload) const
{
    // What selects goes in before what it selects; the order of the second round is that of nested selectors.
    for (const bool selected : {false, true, true})
        for (const auto& [signal, bits] : starts_)
            if (conditions_[signal].multiplexed == selected && present(payload, signal))
                encodeBits(payload, signal, bits);
}

std::string rawText(const SignalPlan& plan, std::uint64_t bits)
{
    if (plan.type != ValueType::integer)
        return numberText(plan.rawValue(bits));
    return wholeText(plan.whole(bits));
}

std::string_view textOf(const Signal& signal, std::uint64_t bits)
{
    if (signal.texts.empty())
        return {};
    if (signal.type == ValueType::integer) {
        const unsigned unused = 64U - signal.length;
        return signal.textOf(signal.isSigned ? RawValue{static_cast<std::int64_t>(bits << unused) >> unused} : RawValue{bits});
    }
    const double raw = signal.type == ValueType::single ? static_cast<double>(std::bit_cast<float>(static_cast<std::uint32_t>(bits)))
                                                        : std::bit_cast<double>(bits);
    return raw == std::nearbyint(raw) && std::abs(raw) < 0x1p64 ? signal.textOf(static_cast<RawValue>(raw)) : std::string_view();
}

std::string numberText(double value, int significantDigits)
{
    if (std::isnan(value))
        return "nan";
    char buffer[48];
    const auto result = std::to_chars(buffer, buffer + sizeof buffer, value, std::chars_format::general, significantDigits);
    return {buffer, result.ptr};
}

}  // namespace wavetrope::database
