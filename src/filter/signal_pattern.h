// SPDX-License-Identifier: GPL-3.0-or-later
// Several signals by one text.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "base/error.h"

namespace re2 {
class RE2;
}

namespace wavetrope::filter {

/// `Blade*` with * for any run and ? for one character, whatever the case of letters; or, between slashes, a regular expression that is
/// found anywhere in the name, such as `/Force(Left|Right)/`: an extended one of POSIX.1-2017, 9.4, with \d, \w, \s and (?i), without
/// what refers back. Whatever the text, compiling it and looking for it take time and memory in proportion to its length (500 characters
/// at most). Copies share what was compiled.
class SignalPattern {
public:
    /// An empty text fits every name. The error says what is wrong with an expression.
    [[nodiscard]] static Expected<SignalPattern> compile(std::string_view text);
    /// Whether a name fits by itself, or as Message.Signal.
    [[nodiscard]] bool fits(std::string_view message, std::string_view signal) const;

private:
    [[nodiscard]] bool fits(const std::string& name) const;

    std::string glob_;
    std::shared_ptr<const re2::RE2> expression_;
};

}  // namespace wavetrope::filter
