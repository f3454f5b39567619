// SPDX-License-Identifier: GPL-3.0-or-later
// Units of signals, as far as their texts tell: enough to see that millimetres were added to degrees.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace wavetrope::database {

struct DerivedSignal;

/// Symbols with powers: "mm/s", "l/min", "m/s²", "1/min". Nothing is known of symbols, so that mm and cm are two.
class Unit {
public:
    Unit() = default;
    /// Factors are parted by blanks, `*` or `·`; `/` turns round the one behind it; powers are whole, as in `m^2`, `m²` or `s^-1`.
    /// A text that is not so, or that leaves open what is divided ("J/kg K"), is one symbol.
    [[nodiscard]] static Unit fromText(std::string_view text);
    /// What is multiplied first, then what is divided by: "l s/min"; "1" where nothing is left.
    [[nodiscard]] std::string text() const;
    [[nodiscard]] Unit times(const Unit& other, int power = 1) const;
    friend bool operator==(const Unit&, const Unit&) = default;

private:
    std::map<std::string, int, std::less<>> powers_;
};

/// Says of each derived signal, in an order in which each stands behind those that it looks at, whether units are added, compared or
/// chosen between that differ, and whether its own is another than what it works out. A signal without a unit fits everything, and so
/// does what is multiplied by a number: it may turn one unit into another.
void findUnits(std::vector<DerivedSignal>& derived, const std::vector<std::uint32_t>& order);

}  // namespace wavetrope::database
