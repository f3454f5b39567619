// SPDX-License-Identifier: GPL-3.0-or-later
// What the traffic of a message tells of its signals.
#pragma once

#include <optional>
#include <span>
#include <variant>
#include <vector>

#include "database/catalog.h"
#include "drive/message_encoder.h"

namespace wavetrope::drive {

/// A counter or a checksum, as sources have them.
using Recognised = std::variant<CounterSpec, Checksum>;

/// Whether a signal counted up by one with each of these payloads of its message, which follow each other, or was a checksum over the other
/// bytes of each; they have to be eight or more, and a checksum has to have changed. Nothing where it was neither.
[[nodiscard]] std::optional<Recognised> recognise(
    const database::CatalogMessage& message, std::uint32_t signal, std::span<const std::vector<std::uint8_t>> payloads);

}  // namespace wavetrope::drive
