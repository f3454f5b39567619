// SPDX-License-Identifier: GPL-3.0-or-later
// What the rows of a view are: frames, or what is put together from several.
#pragma once

#include "trace/trace.h"

namespace wavetrope::trace {

/// What one row of a view stands for.
struct RowEntry {
    Row row = noRow;            ///< Its frame; of several the last, which completes it. noRow where there is none.
    std::uint32_t frames = 1;   ///< That it was put together from.
    can::FrameHead head;        ///< Of that frame; of several with the identifier that the whole goes by.
    can::Payload payload;       ///< Of any length; valid as long as a payload of the snapshot is.
};

/// Rows by index, in the order of the trace. For the thread of the view.
class RowSource {
public:
    virtual ~RowSource() = default;

    [[nodiscard]] virtual std::uint64_t count(const Snapshot& snapshot) const = 0;
    /// The frame that an index below the count stands at.
    [[nodiscard]] virtual Row row(std::uint64_t index) const = 0;
    /// The index that stands at a row, or the nearest before it, or the first.
    [[nodiscard]] virtual std::uint64_t nearest(Row row) const = 0;
    [[nodiscard]] virtual RowEntry entry(const Snapshot& snapshot, std::uint64_t index) const = 0;
    /// The one before it of the same identifier, whether it is among the rows or not.
    [[nodiscard]] virtual RowEntry previous(const Snapshot& snapshot, std::uint64_t index) const = 0;
};

/// Rows that are single frames.
class FrameRows : public RowSource {
public:
    [[nodiscard]] RowEntry entry(const Snapshot& snapshot, std::uint64_t index) const final { return of(snapshot, row(index)); }
    [[nodiscard]] RowEntry previous(const Snapshot& snapshot, std::uint64_t index) const final
    {
        const Row at = row(index);
        return of(snapshot, snapshot.previousOf(snapshot.identifier(at), at));
    }

private:
    static RowEntry of(const Snapshot& snapshot, Row row)
    {
        if (row == noRow)
            return {};
        const can::FrameView frame = snapshot.frame(row);
        return {row, 1, frame, frame.payload()};
    }
};

/// Every frame of the trace.
class AllRows final : public FrameRows {
public:
    [[nodiscard]] std::uint64_t count(const Snapshot& snapshot) const override { return snapshot.rows(); }
    [[nodiscard]] Row row(std::uint64_t index) const override { return index; }
    [[nodiscard]] std::uint64_t nearest(Row row) const override { return row; }
};

}  // namespace wavetrope::trace
