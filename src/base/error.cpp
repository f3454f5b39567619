// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/error.h"

namespace wavetrope {

std::string Error::text() const
{
    std::string out = where;
    if (line > 0) {
        out += (out.empty() ? "line " : ":") + std::to_string(line);
        if (column > 0)
            out += ":" + std::to_string(column);
    } else if (column > 0) {
        out += (out.empty() ? "column " : ": column ") + std::to_string(column);
    }
    if (!out.empty())
        out += ": ";
    out += what;
    if (!remedy.empty())
        out += ". " + remedy;
    return out;
}

tl::unexpected<Error> fail(std::string what, std::string where, std::string remedy)
{
    return tl::unexpected(Error{std::move(what), std::move(where), 0, 0, std::move(remedy)});
}

}  // namespace wavetrope
