// SPDX-License-Identifier: GPL-3.0-or-later
// Rows of a trace, compressed: the answer of a filter.
#pragma once

#include <array>
#include <atomic>
#include <memory>
#include <mutex>
#include <vector>

#include "filter/expression.h"
#include "trace/trace.h"

namespace wavetrope::filter {

/// A bit for each row of a segment, with counts on the way so that a row is found by its number and the other way round.
struct RowBits {
    static constexpr std::size_t wordsOfBlock = 16;
    std::array<std::uint64_t, trace::segmentRows / 64> words{};
    std::array<std::uint16_t, trace::segmentRows / 64 / wordsOfBlock> before{};    ///< Bits before each block; valid behind `index`.

    void set(std::uint32_t row, bool value = true) { words[row / 64] |= std::uint64_t{value} << (row % 64); }
    /// Counts the bits on the way; returns how many there are.
    std::uint32_t index();
    /// The n-th row, of those that are set.
    [[nodiscard]] std::uint32_t select(std::uint32_t n) const;
    /// How many are set before a row.
    [[nodiscard]] std::uint32_t rank(std::uint32_t row) const;
};

/// Rows of one segment: none, all, those of some of its groups, a list of rows, or a bit for each.
class RowPart {
public:
    enum class Kind : std::uint8_t { none, all, groups, sparse, dense };

    RowPart() = default;
    /// The rows whose bits are set.
    static RowPart ofBits(RowBits& bits);
    /// All rows of groups, whole: they are looked up where they are asked for.
    static RowPart ofGroups(std::vector<std::uint16_t> groups, std::uint32_t count, std::uint32_t limit);
    static RowPart ofAll(std::uint32_t rows);

    [[nodiscard]] std::uint32_t count() const { return count_; }
    [[nodiscard]] Kind kind() const { return kind_; }
    /// The rows as bits.
    void fill(RowBits& bits, const trace::Segment& segment) const;
    [[nodiscard]] std::size_t memory() const { return sizeof *this + list_.capacity() * 2 + (bits_ ? sizeof(RowBits) : 0); }

private:
    friend class RowSet;
    Kind kind_ = Kind::none;
    std::uint32_t count_ = 0;
    std::uint32_t limit_ = 0;                   // rows of the segment that were there, for groups
    std::vector<std::uint16_t> list_;           // rows or groups
    std::unique_ptr<RowBits> bits_;
};

/// Ascending rows that grow at their end. One thread adds, others read at any time; what was read stays as it was.
class RowSet {
public:
    explicit RowSet(Thinning thinning = {}) : thinning_(thinning) {}
    RowSet(const RowSet&) = delete;
    RowSet& operator=(const RowSet&) = delete;

    [[nodiscard]] std::uint64_t size() const;
    /// The n-th row; noRow behind the last.
    [[nodiscard]] trace::Row at(std::uint64_t n) const;
    [[nodiscard]] trace::Row operator[](std::uint64_t n) const { return at(n); }
    /// How many rows lie before a row.
    [[nodiscard]] std::uint64_t rank(trace::Row row) const;
    [[nodiscard]] bool contains(trace::Row row) const { return at(rank(row)) == row; }
    /// First row at or behind a row, last row before it; noRow where there is none.
    [[nodiscard]] trace::Row next(trace::Row from) const { return at(rank(from)); }
    [[nodiscard]] trace::Row previous(trace::Row limit) const;
    [[nodiscard]] std::size_t memory() const;
    /// Whether not all of the rows of the segments pass, but every so manyth.
    [[nodiscard]] bool thinned() const { return thinning_.kind != Thinning::Kind::all; }
    /// Sets the bits of the rows of a segment, thinning aside.
    void fill(std::size_t index, RowBits& bits, const trace::Segment& segment) const;

    /// Calls visit(row) for the rows from the n-th on, in order; stops when it returns false.
    template <class Visit>
    void each(std::uint64_t from, Visit visit) const
    {
        for (std::uint64_t n = from;; ++n) {
            const trace::Row row = at(n);
            if (row == trace::noRow || !visit(row))
                return;
        }
    }

    /// Writer: puts the rows of a segment in place, behind those of the segments before it.
    void set(const trace::Snapshot& snapshot, std::size_t index, RowPart part);

private:
    struct Entry {
        trace::Row first = 0;
        std::shared_ptr<const RowPart> part;
        std::uint64_t before = 0;
    };
    [[nodiscard]] std::uint64_t whole() const { return entries_.empty() ? 0 : entries_.back().before + entries_.back().part->count(); }
    [[nodiscard]] trace::Row atWhole(std::uint64_t n) const;
    [[nodiscard]] std::uint64_t rankWhole(trace::Row row) const;
    const RowBits& bitsOf(const Entry& entry) const;

    Thinning thinning_;                         // of the whole, where it is not per identifier
    mutable std::mutex mutex_;
    trace::Snapshot snapshot_;                  // of the newest part
    std::vector<Entry> entries_;
    // The bits of the part that was read last, and how many are set before each eighth of it.
    mutable const RowPart* cached_ = nullptr;
    mutable std::unique_ptr<RowBits> cache_;
};

}  // namespace wavetrope::filter
