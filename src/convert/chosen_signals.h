// SPDX-License-Identifier: GPL-3.0-or-later
// The signals that a conversion writes, by the identifiers of a trace.
#pragma once

#include <string>
#include <vector>

#include "database/catalog.h"
#include "trace/trace.h"

namespace wavetrope::convert {

/// What is known of one identifier.
struct ChosenMessage {
    const database::CatalogMessage* entry = nullptr;
    std::vector<bool> chosen;           ///< By signal of the message.
    bool any = false;
};

/// Looks up all identifiers once; a signal is chosen whose name, or Message.Signal, fits the pattern.
[[nodiscard]] std::vector<ChosenMessage> chooseSignals(
    const std::vector<trace::TraceKey>& keys, const database::Catalog& catalog, const std::string& pattern);

}  // namespace wavetrope::convert
