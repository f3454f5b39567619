// SPDX-License-Identifier: GPL-3.0-or-later
// Rows of an outbox as a rig document has them: made from what is typed, pasted or was on a bus, and changed.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "can/frame.h"
#include "database/catalog.h"
#include "drive/outbox_spec.h"

namespace wavetrope::rig {

/// Where a row stands: its group, and its place there.
struct RowPlace {
    std::size_t group = 0;
    std::size_t row = 0;
    friend auto operator<=>(const RowPlace&, const RowPlace&) = default;
};

/// The message of a row of a bus, or null where no database of it has one.
[[nodiscard]] const database::CatalogMessage* messageOfRow(
    const database::Catalog& catalog, std::string_view bus, std::string_view message);

/// What a row would send, as far as it stands still: values of sources are the start values.
[[nodiscard]] Expected<std::vector<std::uint8_t>> stillPayload(const drive::OutboxRow& row, const database::CatalogMessage* message);

/// A value as a rig writes it: a text of the signal by its name, else the number.
[[nodiscard]] nlohmann::json writtenValue(const database::Signal& signal, const database::SignalPlan& plan, std::uint64_t bits);

/// A row from a message as it is typed (see docs/sending.md), every cycle of its database where it tells one, else by hand. `bus` is that of
/// a frame, and the first that is looked at for a message.
[[nodiscard]] Expected<nlohmann::json> rowFromText(const database::Catalog& catalog, std::string_view text, std::uint8_t bus);
/// A row that sends what a frame had, every `period`, or by hand where that is 0: as a message with its values where a database explains all
/// of its bits, else as a frame.
[[nodiscard]] nlohmann::json rowFromFrame(const database::Catalog& catalog, const can::FrameView& frame, Time period);
/// A row of a message with its start values, every cycle of its database.
[[nodiscard]] nlohmann::json rowFromMessage(const database::Catalog& catalog, const database::CatalogMessage& message);

/// Rows of a text, a line each, in cells that tabs part: the message as it is typed, which may take several cells (0x1F0, 11, 22; one value
/// each), then in any order a period ("20 ms"), a bus of the rig, and what else there is as a comment. A first line that begins with
/// "message" is a head. The error tells the line; none is taken then.
[[nodiscard]] Expected<std::vector<nlohmann::json>> rowsFromText(const database::Catalog& catalog, std::string_view text, std::uint8_t bus);
/// The same of a row: "BladeCommand CommandedDepth=3.5", period, bus, comment, parted by tabs. Sources are left out.
[[nodiscard]] std::string textOfRow(const nlohmann::json& row);

/// Gives a signal of a row a value as it is typed. What its bits cannot hold, or its range does not allow, is an error, but for a row
/// that says to limit: that takes the nearest.
[[nodiscard]] Expected<void> setSignal(
    nlohmann::json& row, const database::CatalogMessage& message, std::string_view signal, std::string_view text);
/// Gives a row other bytes: of a frame all of them as they are typed.
[[nodiscard]] Expected<void> setBytes(nlohmann::json& row, std::string_view text);
/// What a frame by itself may be, beside its bytes.
struct FrameForm {
    std::optional<bool> extended = {};  ///< 29 bits.
    std::optional<can::FrameKind> kind = {};
    std::optional<bool> brs = {};
    std::optional<unsigned> length = {};  ///< Bytes; of a remote frame its length code.
};
/// Gives the frame of a row another form. Bytes stay as far as it has them, new ones are 0, those behind a shorter length go. An error where the
/// identifier or the bytes do not fit the new form.
[[nodiscard]] Expected<void> setForm(nlohmann::json& row, const FrameForm& form);
/// Turns round a bit of what a row sends; `payload` is what it would send now. Of a message, the signal that has the bit gets another value;
/// an error where none has it, or a source gives it.
[[nodiscard]] Expected<void> toggleBit(nlohmann::json& row, const database::CatalogMessage* message, can::Payload payload, unsigned bit);

/// @name Of a whole outbox, which is a list of groups. Places are those in `outbox`, ascending.
///@{
/// Puts rows into a group in front of its row `before`; a new group where there is none.
void insertRows(nlohmann::json& outbox, RowPlace before, const std::vector<nlohmann::json>& rows);
void removeRows(nlohmann::json& outbox, std::vector<RowPlace> rows);
/// Moves rows in front of another place; gives where the first of them is then.
RowPlace moveRows(nlohmann::json& outbox, std::vector<RowPlace> rows, RowPlace before);
/// A name that no group of the outbox has: "By hand", "By hand 2".
[[nodiscard]] std::string freeGroupName(const nlohmann::json& outbox, const std::string& name);
///@}

/// @name A group of rows as a file of its own
///@{
[[nodiscard]] nlohmann::json groupAsFile(const nlohmann::json& group);
/// The group in such a file; the error tells its place.
[[nodiscard]] Expected<nlohmann::json> groupFromFile(std::string_view bytes);
///@}

}  // namespace wavetrope::rig
