// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/recognise.h"

#include <algorithm>

namespace wavetrope::drive {

namespace {

constexpr std::size_t leastPayloads = 8;
constexpr unsigned leastCounterBits = 2, mostCounterBits = 32;

std::optional<CounterSpec> asCounter(const std::vector<std::uint64_t>& values, unsigned bits)
{
    if (bits < leastCounterBits || bits > mostCounterBits)
        return std::nullopt;
    std::uint64_t modulo = std::uint64_t{1} << bits;
    for (std::size_t i = 1; i < values.size(); ++i) {
        if (values[i] == values[i - 1] + 1)
            continue;
        // It may begin anew before its bits are full, always at the same value.
        if (values[i] != 0 || (modulo != std::uint64_t{1} << bits && modulo != values[i - 1] + 1))
            return std::nullopt;
        modulo = values[i - 1] + 1;
    }
    return CounterSpec{modulo};
}

}  // namespace

std::optional<Recognised> recognise(
    const database::CatalogMessage& message, std::uint32_t signal, std::span<const std::vector<std::uint8_t>> payloads)
{
    const database::SignalPlan& plan = message.plan.plan(signal);
    if (payloads.size() < leastPayloads || plan.type != database::ValueType::integer || plan.isSigned)
        return std::nullopt;
    std::vector<std::uint64_t> values;
    for (const std::vector<std::uint8_t>& payload : payloads) {
        database::Decoded decoded;
        if (!message.plan.present(payload, signal) || !message.plan.decodeOne(payload, signal, decoded))
            return std::nullopt;
        values.push_back(decoded.bits);
    }
    if (const auto counter = asCounter(values, plan.length))
        return *counter;
    if (plan.length != 8 || std::all_of(values.begin(), values.end(), [&](std::uint64_t value) { return value == values.front(); }))
        return std::nullopt;
    for (const Checksum kind : {Checksum::sum8, Checksum::xor8, Checksum::crc8}) {
        MessageEncoder encoder(message);
        encoder.fill(signal, kind);
        const bool all = std::all_of(payloads.begin(), payloads.end(), [&](const std::vector<std::uint8_t>& payload) {
            encoder.take(payload);
            const can::Frame& made = encoder.encode(
                [](std::uint32_t) { return 0.0; }, database::Overflow::limit, [](std::uint32_t, double) {});
            return made.length == payload.size() && std::equal(payload.begin(), payload.end(), made.data.begin());
        });
        if (all)
            return kind;
    }
    return std::nullopt;
}

}  // namespace wavetrope::drive
