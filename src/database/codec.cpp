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

std::uint64_t maskOf(unsigned length) { return length >= 64 ? ~0ULL : (1ULL << length) - 1; }

}  // namespace

PaddedPayload::PaddedPayload(const can::FrameView& frame)
{
    if (frame.length > 0)
        std::memcpy(bytes, frame.data, frame.length);
}

SignalPlan planOf(const Signal& signal)
{
    SignalPlan plan;
    plan.length = static_cast<std::uint8_t>(signal.length);
    plan.isSigned = signal.isSigned;
    plan.type = signal.type;
    plan.factor = signal.factor;
    plan.offset = signal.offset;
    plan.motorola = signal.order == ByteOrder::motorola;
    plan.byte = static_cast<std::uint8_t>(signal.startBit / 8);
    if (!plan.motorola) {
        const unsigned inByte = signal.startBit % 8;
        const unsigned end = inByte + signal.length;
        plan.shift = static_cast<std::uint8_t>(inByte);
        plan.spill = static_cast<std::uint8_t>(end > 64 ? end - 64 : 0);
        plan.lastByte = static_cast<std::uint8_t>(plan.byte + (end - 1) / 8);
    } else {
        // The start bit is the most significant one; bits run down to bit 0 of the byte and on at bit 7 of the next.
        const unsigned above = 7 - signal.startBit % 8;  // unused bits in front of it
        const unsigned end = above + signal.length;
        plan.spill = static_cast<std::uint8_t>(end > 64 ? end - 64 : 0);
        plan.shift = static_cast<std::uint8_t>(end > 64 ? 0 : 64 - end);
        plan.lastByte = static_cast<std::uint8_t>(plan.byte + (end - 1) / 8);
    }
    return plan;
}

std::uint64_t SignalPlan::rawBits(const std::uint8_t* payload) const
{
    const std::uint64_t word = loadLittle(payload + byte);
    std::uint64_t value = 0;
    if (motorola) {
        value = __builtin_bswap64(word) >> shift;
        if (spill > 0)
            value = (value << spill) | (payload[byte + 8] >> (8 - spill));
    } else {
        value = word >> shift;
        if (spill > 0)
            value |= static_cast<std::uint64_t>(payload[byte + 8]) << (64 - shift);
    }
    return value & maskOf(length);
}

double SignalPlan::rawValue(std::uint64_t bits) const
{
    if (type == ValueType::single)
        return std::bit_cast<float>(static_cast<std::uint32_t>(bits));
    if (type == ValueType::floating)
        return std::bit_cast<double>(bits);
    if (!isSigned)
        return static_cast<double>(bits);
    const unsigned unused = 64U - length;
    return static_cast<double>(static_cast<std::int64_t>(bits << unused) >> unused);
}

void SignalPlan::store(std::uint8_t* payload, std::uint64_t bits) const
{
    // Bit by bit positions in the wire's own order; encoding is not the hot path that decoding is.
    for (unsigned i = 0; i < length; ++i) {
        unsigned position = 0;  // byte * 8 + bit
        if (motorola) {
            const unsigned above = spill > 0 ? 64 + spill - length : 64U - shift - length;
            const unsigned fromTop = above + (length - 1 - i);
            position = (byte + fromTop / 8) * 8 + (7 - fromTop % 8);
        } else {
            position = byte * 8U + shift + i;
        }
        const auto mask = static_cast<std::uint8_t>(1U << (position % 8));
        if (position / 8 >= can::maxLength)
            continue;
        if (((bits >> i) & 1U) != 0)
            payload[position / 8] |= mask;
        else
            payload[position / 8] &= static_cast<std::uint8_t>(~mask);
    }
}

MessagePlan::MessagePlan(const Message& message)
{
    for (std::size_t i = 0; i < message.signals.size(); ++i) {
        const Signal& signal = message.signals[i];
        plans_.push_back(planOf(signal));
        multiplexed_.push_back(signal.mux == MuxRole::multiplexed);
        muxValues_.push_back(signal.muxValue);
        anyMultiplexed_ = anyMultiplexed_ || signal.mux == MuxRole::multiplexed;
        if (signal.mux == MuxRole::selector && selector_ < 0)
            selector_ = static_cast<int>(i);
    }
}

unsigned MessagePlan::decode(const can::FrameView& frame, std::vector<Decoded>& out) const
{
    if (frame.kind == can::FrameKind::remote || frame.kind == can::FrameKind::error)
        return 0;
    const PaddedPayload payload(frame);
    std::uint64_t selected = 0;
    bool haveSelector = false;
    if (anyMultiplexed_ && selector_ >= 0 && plans_[static_cast<unsigned>(selector_)].lastByte < frame.length) {
        selected = plans_[static_cast<unsigned>(selector_)].rawBits(payload.bytes);
        haveSelector = true;
    }
    unsigned missing = 0;
    for (std::uint32_t i = 0; i < plans_.size(); ++i) {
        const SignalPlan& plan = plans_[i];
        if (multiplexed_[i] && (!haveSelector || muxValues_[i] != selected))
            continue;
        if (plan.lastByte >= frame.length) {
            ++missing;
            continue;
        }
        const std::uint64_t bits = plan.rawBits(payload.bytes);
        const double raw = plan.rawValue(bits);
        out.push_back({i, bits, raw, plan.physical(raw)});
    }
    return missing;
}

bool MessagePlan::decodeOne(const can::FrameView& frame, std::uint32_t signal, Decoded& out) const
{
    const SignalPlan& plan = plans_[signal];
    if (plan.lastByte >= frame.length || frame.kind == can::FrameKind::remote || frame.kind == can::FrameKind::error)
        return false;
    const PaddedPayload payload(frame);
    if (multiplexed_[signal]) {
        if (selector_ < 0)
            return false;
        const SignalPlan& selector = plans_[static_cast<unsigned>(selector_)];
        if (selector.lastByte >= frame.length || selector.rawBits(payload.bytes) != muxValues_[signal])
            return false;
    }
    out.signal = signal;
    out.bits = plan.rawBits(payload.bytes);
    out.raw = plan.rawValue(out.bits);
    out.value = plan.physical(out.raw);
    return true;
}

void MessagePlan::encode(std::uint8_t* payload, std::uint32_t signal, double value) const
{
    const SignalPlan& plan = plans_[signal];
    const double raw = plan.factor != 0 ? (value - plan.offset) / plan.factor : 0;
    std::uint64_t bits = 0;
    if (plan.type == ValueType::single) {
        bits = std::bit_cast<std::uint32_t>(static_cast<float>(raw));
    } else if (plan.type == ValueType::floating) {
        bits = std::bit_cast<std::uint64_t>(raw);
    } else if (!std::isnan(raw)) {
        const double rounded = std::nearbyint(raw);
        if (plan.isSigned) {
            const double limit = std::ldexp(1.0, plan.length - 1);
            if (rounded >= limit)
                bits = maskOf(plan.length - 1U);
            else if (rounded <= -limit)
                bits = 1ULL << (plan.length - 1U);
            else
                bits = static_cast<std::uint64_t>(static_cast<std::int64_t>(rounded));
        } else {
            const double limit = std::ldexp(1.0, plan.length);
            if (rounded >= limit)
                bits = maskOf(plan.length);
            else if (rounded > 0)
                bits = static_cast<std::uint64_t>(rounded);
        }
    }
    plan.store(payload, bits & maskOf(plan.length));
}

void MessagePlan::encodeBits(std::uint8_t* payload, std::uint32_t signal, std::uint64_t bits) const
{
    plans_[signal].store(payload, bits & maskOf(plans_[signal].length));
}

std::string rawText(const SignalPlan& plan, std::uint64_t bits)
{
    if (plan.type != ValueType::integer)
        return numberText(plan.rawValue(bits));
    if (!plan.isSigned)
        return std::to_string(bits);
    const unsigned unused = 64U - plan.length;
    return std::to_string(static_cast<std::int64_t>(bits << unused) >> unused);
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
