// SPDX-License-Identifier: GPL-3.0-or-later
// From raw values to physical ones, to the last bit.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

namespace wavetrope::database {

/// Wide enough for every raw value of 64 bits, signed or not.
using RawValue = __int128;

/// Decimal digits of a raw value, -2^63 to 2^64 - 1.
[[nodiscard]] std::string wholeText(RawValue value);
/// A whole number of -2^63 to 2^64 - 1; nothing where the text is none, or larger. `1e3` and `4.0` are whole.
[[nodiscard]] std::optional<RawValue> wholeFromText(std::string_view text);
/// A decimal's floor, and whether it is a whole number itself.
struct Floor {
    RawValue value = 0;
    bool whole = true;
};
/// Nothing where the text is no decimal, or is 10^36 or more in size.
[[nodiscard]] std::optional<Floor> floorFromText(std::string_view text);
/// A decimal as it was written, where the shortest text of its double is not the same number; else empty.
[[nodiscard]] std::string exactDecimal(std::string_view written, double value);

/// physical = raw x factor + offset, factor and offset being decimals as the database writes them: the double nearest to
/// the exact result, halves to even. 716 x 0.1 is 71.6.
class Scale {
public:
    Scale() = default;
    /// `factorText` and `offsetText` are the decimals where they are not the shortest texts of the doubles, else empty.
    /// `mostRaw` is the largest size of a raw value, so that what needs no more than a few steps of doubles is known.
    Scale(double factor, std::string_view factorText, double offset, std::string_view offsetText, double mostRaw, bool wholeRaw);

    /// Whether `quickly` is exact for every raw value of the signal.
    [[nodiscard]] bool quick() const { return exact_ == nullptr; }
    [[nodiscard]] double quickly(double raw) const { return (raw * numerator + addend) / divisor; }
    [[nodiscard]] double of(double raw) const { return quick() ? quickly(raw) : exactly(raw); }
    [[nodiscard]] double ofWhole(RawValue raw) const;
    /// Without the offset, for differences: the double nearest to raw x factor.
    [[nodiscard]] double step(RawValue raw) const;
    /// The exact result where it is a whole number of less than 2^126; nothing where it is none.
    [[nodiscard]] std::optional<RawValue> whole(RawValue raw) const;
    /// The raw number, not rounded, that gives a physical one.
    [[nodiscard]] long double inverse(double value) const;

    double numerator = 1;
    double addend = 0;
    double divisor = 1;

private:
    struct Exact;
    [[nodiscard]] double exactly(double raw) const;

    std::shared_ptr<const Exact> exact_;    // null where doubles do
};

}  // namespace wavetrope::database
