// Text of a filter into its tree.
#pragma once

#include <string_view>

#include "can/error.h"
#include "filter/expression.h"

namespace wavetrope::filter {

/// Parses a filter; names are looked up in the catalog. The error's column counts characters from 1 and says what was
/// expected there. Nesting is limited to 200 levels, a filter to 1000
/// conditions and 64 KiB of text.
[[nodiscard]] Expected<ExpressionPointer> parse(std::string_view text, const database::Catalog& catalog);

}  // namespace wavetrope::filter
