// SPDX-License-Identifier: GPL-3.0-or-later
// The text of a JSON document, changed where its values are.
#pragma once

#include <string>

#include <nlohmann/json_fwd.hpp>

namespace wavetrope::rig {

/// The document `is` as text. What it has in common with `was`, the document that `source` is the text of, stays as it
/// stands there: the order of fields, line breaks, blanks and how numbers are written. What is new stands behind, short lists
/// and objects on one line. Without a source, all is new.
[[nodiscard]] std::string documentText(const std::string& source, const nlohmann::json& was, const nlohmann::json& is);

}  // namespace wavetrope::rig
