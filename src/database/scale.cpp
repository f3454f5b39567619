// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/scale.h"

#include <algorithm>
#include <bit>
#include <charconv>
#include <cmath>
#include <vector>

namespace wavetrope::database {

namespace decimals {

// Digits of a number from outside that are taken at their word; longer ones are as their double has them.
constexpr std::size_t mostDigits = 400;
constexpr int mostExponent = 400;
// Powers of ten up to this one are doubles without loss.
constexpr int exactPowers = 22;
constexpr double exactWhole = 0x1p53;
constexpr RawValue one = 1;

// The size of a whole number of any length, in limbs of nine decimal digits, lowest first.
class Natural {
public:
    static constexpr std::uint32_t limb = 1'000'000'000;

    Natural() = default;
    explicit Natural(unsigned __int128 value)
    {
        for (; value != 0; value /= limb)
            limbs_.push_back(static_cast<std::uint32_t>(value % limb));
    }
    [[nodiscard]] bool zero() const { return limbs_.empty(); }
    void timesSmall(std::uint32_t by, std::uint32_t plus = 0)
    {
        std::uint64_t carry = plus;
        for (std::uint32_t& l : limbs_) {
            carry += std::uint64_t{l} * by;
            l = static_cast<std::uint32_t>(carry % limb);
            carry /= limb;
        }
        for (; carry != 0; carry /= limb)
            limbs_.push_back(static_cast<std::uint32_t>(carry % limb));
        trim();
    }
    void timesPower(std::uint32_t base, int exponent)
    {
        for (; exponent > 0; --exponent)
            timesSmall(base);
    }
    [[nodiscard]] Natural times(const Natural& other) const
    {
        Natural out;
        out.limbs_.assign(limbs_.size() + other.limbs_.size() + 1, 0);
        for (std::size_t i = 0; i < limbs_.size(); ++i) {
            std::uint64_t carry = 0;
            for (std::size_t j = 0; j < other.limbs_.size() || carry != 0; ++j) {
                carry += out.limbs_[i + j] + (j < other.limbs_.size() ? std::uint64_t{limbs_[i]} * other.limbs_[j] : 0);
                out.limbs_[i + j] = static_cast<std::uint32_t>(carry % limb);
                carry /= limb;
            }
        }
        out.trim();
        return out;
    }
    [[nodiscard]] int compare(const Natural& other) const
    {
        if (limbs_.size() != other.limbs_.size())
            return limbs_.size() < other.limbs_.size() ? -1 : 1;
        for (std::size_t i = limbs_.size(); i-- > 0;)
            if (limbs_[i] != other.limbs_[i])
                return limbs_[i] < other.limbs_[i] ? -1 : 1;
        return 0;
    }
    void add(const Natural& other)
    {
        limbs_.resize(std::max(limbs_.size(), other.limbs_.size()) + 1, 0);
        std::uint32_t carry = 0;
        for (std::size_t i = 0; i < limbs_.size(); ++i) {
            carry += limbs_[i] + (i < other.limbs_.size() ? other.limbs_[i] : 0);
            limbs_[i] = carry % limb;
            carry /= limb;
        }
        trim();
    }
    // Of a smaller or equal one.
    void subtract(const Natural& other)
    {
        std::int64_t borrow = 0;
        for (std::size_t i = 0; i < limbs_.size(); ++i) {
            std::int64_t left = std::int64_t{limbs_[i]} - borrow - (i < other.limbs_.size() ? other.limbs_[i] : 0);
            borrow = left < 0;
            limbs_[i] = static_cast<std::uint32_t>(left + borrow * limb);
        }
        trim();
    }
    [[nodiscard]] std::string digits() const
    {
        if (zero())
            return "0";
        std::string out = std::to_string(limbs_.back());
        for (std::size_t i = limbs_.size() - 1; i-- > 0;) {
            const std::string part = std::to_string(limbs_[i]);
            out.append(9 - part.size(), '0').append(part);
        }
        return out;
    }
    // Its value where it is below 2^limitBits.
    [[nodiscard]] std::optional<RawValue> value(unsigned limitBits) const
    {
        RawValue out = 0;
        for (std::size_t i = limbs_.size(); i-- > 0;) {
            if (out > (one << limitBits) / limb)
                return std::nullopt;
            out = out * limb + limbs_[i];
        }
        return out < one << limitBits ? std::optional(out) : std::nullopt;
    }
    // Takes zeros off the end.
    bool divideByTen()
    {
        if (zero() || limbs_.front() % 10 != 0)
            return false;
        std::uint64_t rest = 0;
        for (std::size_t i = limbs_.size(); i-- > 0;) {
            rest = rest * limb + limbs_[i];
            limbs_[i] = static_cast<std::uint32_t>(rest / 10);
            rest %= 10;
        }
        trim();
        return true;
    }

private:
    void trim()
    {
        while (!limbs_.empty() && limbs_.back() == 0)
            limbs_.pop_back();
    }
    std::vector<std::uint32_t> limbs_;
};

// (-1)^negative x size x 10^exponent.
struct Decimal {
    bool negative = false;
    Natural size;
    int exponent = 0;

    void alignTo(int lower)
    {
        size.timesPower(10, exponent - lower);
        exponent = lower;
    }
    void add(Decimal other)
    {
        const int lower = std::min(exponent, other.exponent);
        alignTo(lower);
        other.alignTo(lower);
        if (negative == other.negative) {
            size.add(other.size);
        } else if (size.compare(other.size) >= 0) {
            size.subtract(other.size);
        } else {
            other.size.subtract(size);
            size = std::move(other.size);
            negative = other.negative;
        }
    }
    [[nodiscard]] Decimal times(const Decimal& other) const
    {
        return {negative != other.negative, size.times(other.size), exponent + other.exponent};
    }
    void shorten()
    {
        if (size.zero())
            exponent = 0;
        while (size.divideByTen())
            ++exponent;
    }
    [[nodiscard]] bool same(const Decimal& other) const
    {
        Decimal a = *this;
        Decimal b = other;
        a.shorten();
        b.shorten();
        return (a.size.zero() && b.size.zero()) || (a.negative == b.negative && a.exponent == b.exponent && a.size.compare(b.size) == 0);
    }
    [[nodiscard]] double nearest() const
    {
        if (size.zero())
            return 0;
        const std::string text = size.digits() + "e" + std::to_string(exponent);
        double value = 0;
        if (std::from_chars(text.data(), text.data() + text.size(), value).ec == std::errc::result_out_of_range)
            value = static_cast<int>(text.find('e')) + exponent > 0 ? HUGE_VAL : 0;
        return negative ? -value : value;
    }
};

std::optional<Decimal> decimalOf(std::string_view text)
{
    Decimal out;
    if (!text.empty() && (text.front() == '-' || text.front() == '+')) {
        out.negative = text.front() == '-';
        text.remove_prefix(1);
    }
    bool point = false;
    std::size_t digits = 0;
    bool any = false;
    while (!text.empty() && (text.front() == '.' || (text.front() >= '0' && text.front() <= '9'))) {
        const char c = text.front();
        text.remove_prefix(1);
        if (c == '.') {
            if (point)
                return std::nullopt;
            point = true;
            continue;
        }
        any = true;
        digits += digits > 0 || c != '0';
        if (digits > mostDigits || out.exponent < -mostExponent)
            return std::nullopt;
        out.size.timesSmall(10, static_cast<std::uint32_t>(c - '0'));
        if (c != '0' && out.size.zero())
            out.size = Natural(static_cast<unsigned>(c - '0'));
        out.exponent -= point;
    }
    if (!any)
        return std::nullopt;
    if (!text.empty()) {
        if (text.front() != 'e' && text.front() != 'E')
            return std::nullopt;
        text.remove_prefix(1);
        if (!text.empty() && text.front() == '+')
            text.remove_prefix(1);
        int exponent = 0;
        const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), exponent);
        if (code != std::errc{} || end != text.data() + text.size() || std::abs(exponent) > mostExponent)
            return std::nullopt;
        out.exponent += exponent;
    }
    return out;
}

// What a finite double is, digit for digit.
Decimal decimalOf(double value)
{
    int exponent = 0;
    const double mantissa = std::frexp(std::abs(value), &exponent);
    auto whole = static_cast<std::uint64_t>(std::ldexp(mantissa, 53));
    exponent -= 53;
    if (whole != 0) {
        const int zeros = std::countr_zero(whole);
        whole >>= zeros;
        exponent += zeros;
    } else {
        exponent = 0;
    }
    Decimal out{std::signbit(value), Natural(whole), 0};
    if (exponent >= 0) {
        out.size.timesPower(2, exponent);
    } else {
        out.size.timesPower(5, -exponent);
        out.exponent = exponent;
    }
    return out;
}

Decimal decimalOf(RawValue value)
{
    return {value < 0, Natural(value < 0 ? -static_cast<unsigned __int128>(value) : static_cast<unsigned __int128>(value)), 0};
}

std::string shortest(double value)
{
    char buffer[40];
    return {buffer, std::to_chars(buffer, buffer + sizeof buffer, value).ptr};
}

// The decimal that is meant by a double and, where it says more, its text.
Decimal meant(double value, std::string_view text)
{
    if (!text.empty()) {
        double read = 0;
        if (const auto decimal = decimalOf(text);
            decimal && std::from_chars(text.data(), text.data() + text.size(), read).ec == std::errc{} && read == value)
            return *decimal;
    }
    return decimalOf(shortest(value)).value_or(Decimal{});
}

// The place of the lowest bit that is one.
int lowestBit(double value)
{
    if (value == 0)
        return 1000;
    int exponent = 0;
    const auto mantissa = static_cast<std::uint64_t>(std::ldexp(std::frexp(std::abs(value), &exponent), 53));
    return exponent - 53 + std::countr_zero(mantissa);
}

double powerOfTen(int exponent)
{
    double power = 1;
    for (; exponent > 0; --exponent)
        power *= 10;
    return power;
}

}  // namespace decimals

using namespace decimals;

struct Scale::Exact {
    Decimal factor;
    Decimal offset;
    long double factorLong = 1;
    long double offsetLong = 0;
    // (raw x f + o) / 10^places, where these fit.
    std::optional<RawValue> f;
    std::optional<RawValue> o;
    int places = 0;
    bool doubles = false;       // numerator, addend and divisor are the decimals without loss
};

std::string wholeText(RawValue value)
{
    return value < 0 ? std::to_string(static_cast<std::int64_t>(value)) : std::to_string(static_cast<std::uint64_t>(value));
}

std::optional<RawValue> wholeFromText(std::string_view text)
{
    auto decimal = decimalOf(text);
    if (!decimal)
        return std::nullopt;
    decimal->shorten();
    if (decimal->exponent < 0 || decimal->exponent > 20)
        return std::nullopt;
    decimal->alignTo(0);
    const auto size = decimal->size.value(64);
    if (!size || (decimal->negative && *size > one << 63))
        return std::nullopt;
    return decimal->negative ? -*size : *size;
}

std::optional<Floor> floorFromText(std::string_view text)
{
    auto decimal = decimalOf(text);
    if (!decimal)
        return std::nullopt;
    decimal->shorten();
    if (decimal->exponent > 36)
        return std::nullopt;
    if (decimal->exponent > 0)
        decimal->alignTo(0);
    std::string digits = decimal->size.digits();
    const bool whole = decimal->exponent == 0;
    digits.resize(digits.size() - std::min(digits.size(), static_cast<std::size_t>(-decimal->exponent)));
    if (digits.size() > 36)
        return std::nullopt;
    RawValue value = 0;
    for (const char c : digits)
        value = value * 10 + (c - '0');
    return Floor{decimal->negative ? -value - !whole : value, whole};
}

std::string exactDecimal(std::string_view written, double value)
{
    if (!written.empty() && written.front() == '+')
        written.remove_prefix(1);
    const auto decimal = decimalOf(written);
    const auto same = decimalOf(shortest(value));
    return !decimal || !same || decimal->same(*same) ? std::string() : std::string(written);
}

Scale::Scale(double factor, std::string_view factorText, double offset, std::string_view offsetText, double mostRaw, bool wholeRaw)
{
    numerator = factor;
    addend = offset;
    if (!std::isfinite(factor) || !std::isfinite(offset)
        || (factor == 1 && offset == 0 && factorText.empty() && (!wholeRaw || mostRaw <= exactWhole)))
        return;
    Exact exact{meant(factor, factorText), meant(offset, offsetText), 1, 0, std::nullopt, std::nullopt, 0, false};
    // Where both are sums of powers of two and nothing is rounded on the way, doubles are exact.
    if (wholeRaw && exact.factor.same(decimalOf(factor)) && exact.offset.same(decimalOf(offset))) {
        const int lowest = std::min(lowestBit(factor), lowestBit(offset));
        if (std::ldexp(mostRaw * std::abs(factor), -lowest) + std::ldexp(std::abs(offset), -lowest) <= exactWhole)
            return;
    }
    Decimal f = exact.factor;
    Decimal o = exact.offset;
    f.shorten();
    o.shorten();
    const int lower = std::min({f.exponent, o.exponent, 0});
    if (lower >= -exactPowers && f.exponent <= exactPowers && o.exponent <= exactPowers) {
        f.alignTo(lower);
        o.alignTo(lower);
        exact.places = -lower;
        const auto wholeF = f.size.value(62);
        const auto wholeO = o.size.value(100);
        if (wholeF && wholeO) {
            exact.f = f.negative ? -*wholeF : *wholeF;
            exact.o = o.negative ? -*wholeO : *wholeO;
            if (static_cast<double>(*wholeF) <= exactWhole && static_cast<double>(*wholeO) <= exactWhole) {
                numerator = static_cast<double>(*exact.f);
                addend = static_cast<double>(*exact.o);
                divisor = powerOfTen(exact.places);
                exact.doubles = true;
                if (wholeRaw && mostRaw * std::abs(numerator) + std::abs(addend) <= exactWhole)
                    return;
            }
        }
    }
    const auto asLong = [](const Decimal& decimal) {
        return std::strtold(
            ((decimal.negative ? "-" : "") + decimal.size.digits() + "e" + std::to_string(decimal.exponent)).c_str(), nullptr);
    };
    exact.factorLong = asLong(exact.factor);
    exact.offsetLong = asLong(exact.offset);
    exact_ = std::make_shared<const Exact>(std::move(exact));
}

double Scale::exactly(double raw) const
{
    if (!std::isfinite(raw))
        return raw * numerator + addend;
    if (exact_->doubles) {
        // Exact in every step but the division where nothing was rounded away.
        const double product = raw * numerator;
        const double sum = product + addend;
        const double taken = sum - product;
        if (std::isfinite(sum) && std::fma(raw, numerator, -product) == 0 && (product - (sum - taken)) + (addend - taken) == 0
            && std::abs(sum) > 0x1p-900)
            return sum / divisor;
    }
    Decimal out = decimalOf(raw).times(exact_->factor);
    out.add(exact_->offset);
    return out.nearest();
}

double Scale::ofWhole(RawValue raw) const
{
    if (quick())
        return quickly(static_cast<double>(raw));
    if (exact_->f) {
        const RawValue sum = raw * *exact_->f + *exact_->o;
        if (exact_->places == 0)
            return static_cast<double>(sum);
        if (sum <= one << 53 && sum >= -(one << 53))
            return static_cast<double>(sum) / powerOfTen(exact_->places);
    }
    Decimal out = decimalOf(raw).times(exact_->factor);
    out.add(exact_->offset);
    return out.nearest();
}

double Scale::step(RawValue raw) const
{
    if (quick())
        return static_cast<double>(raw) * numerator / divisor;
    return decimalOf(raw).times(exact_->factor).nearest();
}

std::optional<RawValue> Scale::whole(RawValue raw) const
{
    if (quick()) {
        if (divisor != 1 || numerator != std::nearbyint(numerator) || addend != std::nearbyint(addend))
            return std::nullopt;
        return static_cast<RawValue>(quickly(static_cast<double>(raw)));
    }
    return exact_->f && exact_->places == 0 ? std::optional(raw * *exact_->f + *exact_->o) : std::nullopt;
}

long double Scale::inverse(double value) const
{
    if (quick())
        return numerator != 0 ? (value * divisor - addend) / numerator : 0;
    return exact_->factorLong != 0 ? (static_cast<long double>(value) - exact_->offsetLong) / exact_->factorLong : 0;
}

}  // namespace wavetrope::database
