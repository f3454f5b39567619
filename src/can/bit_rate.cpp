// SPDX-License-Identifier: GPL-3.0-or-later
#include "can/bit_rate.h"

#include <charconv>
#include <cmath>

namespace wavetrope::can {

namespace {

std::int64_t nanoseconds(std::uint64_t bits, std::uint32_t rate)
{
    return static_cast<std::int64_t>((bits * 1'000'000'000ULL + rate / 2) / rate);
}

std::string rateText(std::uint32_t rate)
{
    if (rate % 1'000'000 == 0)
        return std::to_string(rate / 1'000'000) + "M";
    if (rate % 1000 == 0)
        return std::to_string(rate / 1000) + "k";
    return std::to_string(rate);
}

std::optional<std::uint32_t> rateFromText(std::string_view text)
{
    double value = 0;
    const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (code != std::errc{})
        return std::nullopt;
    const std::string_view suffix(end, static_cast<std::size_t>(text.data() + text.size() - end));
    if (suffix == "k" || suffix == "K")
        value *= 1e3;
    else if (suffix == "M" || suffix == "m")
        value *= 1e6;
    else if (!suffix.empty())
        return std::nullopt;
    if (!(value >= 1e3 && value <= 20e6))
        return std::nullopt;
    return static_cast<std::uint32_t>(std::lround(value));
}

}  // namespace

Time duration(WireLength bits, BitRate rate)
{
    const std::uint32_t dataRate = rate.data > 0 ? rate.data : rate.nominal;
    return Time(nanoseconds(bits.nominalBits, rate.nominal) + nanoseconds(bits.dataBits, dataRate));
}

Time occupancy(WireLength bits, BitRate rate)
{
    bits.nominalBits = static_cast<std::uint16_t>(bits.nominalBits + intermissionBits);
    return duration(bits, rate);
}

BitTimes::BitTimes(BitRate rate) : rate_(rate)
{
    if (!rate.known())
        return;
    for (std::uint16_t bits = 0; bits < mostBits; ++bits) {
        nominal_.push_back(can::duration({bits, 0, 0}, rate).count());
        data_.push_back(can::duration({0, bits, 0}, rate).count());
    }
}

std::string toText(BitRate rate)
{
    if (!rate.known())
        return "";
    return rate.data > 0 ? rateText(rate.nominal) + "/" + rateText(rate.data) : rateText(rate.nominal);
}

std::optional<BitRate> bitRateFromText(std::string_view text)
{
    const auto slash = text.find('/');
    const auto nominal = rateFromText(text.substr(0, slash));
    if (!nominal)
        return std::nullopt;
    if (slash == std::string_view::npos)
        return BitRate{*nominal, 0};
    const auto data = rateFromText(text.substr(slash + 1));
    if (!data)
        return std::nullopt;
    return BitRate{*nominal, *data};
}

}  // namespace wavetrope::can
