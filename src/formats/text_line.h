// SPDX-License-Identifier: GPL-3.0-or-later
// One line of a text log as a frame.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "can/frame.h"
#include "formats/text_layout.h"

namespace wavetrope::formats {

/// Words that a text log may say direction and kind with. Empty where a word is none of them.
[[nodiscard]] std::optional<can::Direction> directionOf(std::string_view word);
struct KindWord {
    bool remote = false;
    bool error = false;
    bool fd = false;
    bool brs = false;
    bool esi = false;
    bool extended = false;
    bool standard = false;
    bool sent = false;
    bool received = false;
};
[[nodiscard]] std::optional<KindWord> kindOf(std::string_view word);
/// Whether a cell says yes: "1", "yes", "true", "on", "x"; not: "0", "no", "false", "off", "-" or nothing. Empty for others.
[[nodiscard]] std::optional<bool> switchOf(std::string_view cell);

/// A number with or without "0x" in front or "h" behind. Empty where there is anything else.
[[nodiscard]] std::optional<std::uint64_t> wholeNumber(std::string_view text, Base base);
/// A length: a whole number, with "B" or "bytes" behind it or without. Empty where it is none.
[[nodiscard]] std::optional<std::uint64_t> lengthNumber(std::string_view text);
/// A time of a form; of a clock, within its day, or with the day that stands before it
/// ("2031-02-05T10:20:30.5", "5 Feb 2031 10:20:30"); AM, PM and an offset from UTC may stand behind.
[[nodiscard]] std::optional<Time> timeOf(std::string_view text, TimeForm form, bool decimalComma);
/// Midnight of a day: "2031-02-05", "2031/02/05", "05.02.2031", "05-Feb-2031", "Feb 5, 2031".
[[nodiscard]] std::optional<Time> dayOf(std::string_view text);

/// Takes lines apart by a layout.
class LineReader {
public:
    explicit LineReader(const TextLayout& layout);

    /// Reads a line into `frame`, whose bytes go to `data`. Gives what does not fit, or null when all does. The bus is
    /// told by `channel`, empty where the layout has none.
    [[nodiscard]] const char* read(
        std::string_view line, can::FrameView& frame, std::uint8_t (&data)[can::maxLength], std::string_view& channel);

private:
    [[nodiscard]] const char* readData(std::size_t from, std::uint8_t (&data)[can::maxLength], unsigned& count, bool& remote) const;

    const TextLayout layout_;
    int date_, time_, channel_, direction_, kind_, identifier_, length_, data_, bitRateSwitch_, errorState_, fraction_, fdFormat_,
        extendedId_, remoteRequest_;
    std::size_t dataEnd_;           // the column behind the payload's that means something else
    Time days_{};              // that a clock without dates has passed
    std::vector<std::string_view> columns_;
    Time previous_{};
};

}  // namespace wavetrope::formats
