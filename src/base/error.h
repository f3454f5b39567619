// SPDX-License-Identifier: GPL-3.0-or-later
// What went wrong with outside data: what, where, and what to do about it.
#pragma once

#include <string>
#include <tl/expected.hpp>

namespace wavetrope {

/// A problem in words, with the place it was found at. Line and column count from 1; 0 means not known.
struct Error {
    std::string what;       ///< What happened and what was expected instead.
    std::string where;      ///< File, bus, JSON pointer or other place; may be empty.
    int line = 0;
    int column = 0;
    std::string remedy;     ///< What the user can do; may be empty.

    /// One line of text: "where:line:column: what. remedy".
    [[nodiscard]] std::string text() const;
};

template <class T>
using Expected = tl::expected<T, Error>;

/// Shorthand for returning an error from a function with an Expected result.
[[nodiscard]] tl::unexpected<Error> fail(std::string what, std::string where = {}, std::string remedy = {});

}  // namespace wavetrope
