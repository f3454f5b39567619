// SPDX-License-Identifier: GPL-3.0-or-later
// The messages of a trace in place of its frames, beside the trace: what a row of it is stays with it.
#pragma once

#include <functional>
#include <mutex>
#include <optional>
#include <unordered_map>
#include <vector>

#include "filter/filter_stream.h"
#include "filter/row_finder.h"
#include "protocol/message_stream.h"
#include "trace/published_list.h"

namespace wavetrope::measure {

/// A message as it stands in a trace.
struct Message {
    std::optional<protocol::Head> head{};   ///< Nothing for frames of no protocol.
    can::FrameHead frame{};                 ///< Of its last frame, with the identifier that the whole goes by.
    std::vector<std::uint8_t> data{};
    Time lasted{};                          ///< From its first frame to its last.
    std::uint32_t what = 0;                 ///< As protocol::Transfer::what.
    bool stray = false;                     ///< Carries or steers pieces of nothing whole.
    std::vector<trace::Row> pieces{};       ///< Where it came in pieces: their rows.

    /// As it came out of the stream; valid as long as this.
    [[nodiscard]] protocol::MessageRow row() const;
};

/// Follows a trace: a row for each frame that stands alone, and one for each message that came in pieces, where its last frame is. What is not decided yet
/// has no row. Of a message that came in pieces a few bytes are kept, where its frames are; the message is put together again when somebody looks at it.
class MessageIndex final : public filter::RowFinder {
public:
    /// What the buses speak, by index. Rows are those of the messages that pass the filter, whose times count from `origin`.
    explicit MessageIndex(std::vector<std::vector<protocol::Spoken>> spoken, filter::Filter filter = {}, Time origin = {});
    /// Whether a message that passes the filter has a row. To be set before the first frame; asked on the thread that advances.
    std::function<bool(const protocol::MessageRow&)> keeps{};

    bool advance(const trace::Snapshot& snapshot, const filter::ScanLimits& limits = {}) override;
    [[nodiscard]] const filter::RowSet& rows() const override { return rows_; }
    [[nodiscard]] std::uint64_t seen() const override { return decided_.load(std::memory_order_acquire); }
    void finish(const trace::Snapshot& snapshot) override;

    /// Messages so far that came in pieces, whether they pass the filter or not.
    [[nodiscard]] std::uint64_t wholes() const { return wholes_.size(); }
    /// The row that the n-th of them stands at.
    [[nodiscard]] trace::Row wholeRow(std::uint64_t n) const { return wholes_[n].row; }
    /// The one at a row, or nothing.
    [[nodiscard]] std::optional<std::uint64_t> wholeAt(trace::Row row) const;
    /// How many stand in front of a row.
    [[nodiscard]] std::uint64_t wholesBefore(trace::Row row) const;
    /// The one before it that goes by the same identifier on the same bus, or nothing.
    [[nodiscard]] std::optional<std::uint64_t> previous(std::uint64_t n) const;
    /// The newest that goes by an identifier.
    struct Newest {
        std::uint8_t bus = 0;
        can::Identifier id{};
        std::uint64_t whole = 0;  ///< The newest,
        std::uint64_t count = 0;  ///< and how many there are.
    };
    /// One for each identifier, in their order.
    [[nodiscard]] std::vector<Newest> newest() const;
    /// Rows of the frames of the n-th.
    [[nodiscard]] std::vector<trace::Row> pieces(std::uint64_t n) const;

    /// The message that the row of a snapshot is, or that it makes whole.
    [[nodiscard]] Message at(const trace::Snapshot& snapshot, trace::Row row) const;
    [[nodiscard]] const std::vector<std::vector<protocol::Spoken>>& spoken() const { return spoken_; }
    /// Bytes that it holds.
    [[nodiscard]] std::size_t memory() const;

private:
    struct Whole {
        trace::Row row = 0;
        std::uint64_t piecesAt = 0;  // in deltas_
        std::uint32_t previous = 0;  // so many in front of it; 0: there is none
        std::uint32_t frames = 0;
    };
    void take(const protocol::MessageRow& row);
    void publish(const trace::Snapshot& snapshot);
    void put(std::uint64_t value);

    std::vector<std::vector<protocol::Spoken>> spoken_;
    std::optional<filter::FilterStream> filter_;
    filter::RowSet rows_;
    filter::RowBits bits_{};  // of the segment that is decided in part
    std::size_t segment_ = 0;
    std::atomic<std::uint64_t> decided_{0};
    trace::Row next_ = 0;
    trace::PublishedList<Whole> wholes_;
    trace::PublishedList<std::uint8_t, 10> deltas_;  // from piece to piece, seven bits a byte
    const trace::Snapshot* current_ = nullptr;
    mutable std::mutex newestMutex_;
    std::unordered_map<std::uint64_t, Newest> newest_;
    protocol::MessageStream stream_{[this](const protocol::MessageRow& row) { take(row); }, [](const protocol::Transfer&) {}};
};

/// A message as a filter looks at it: of one with more bytes than a frame has, its first ones.
[[nodiscard]] can::FrameView viewOf(const protocol::MessageRow& row);

}  // namespace wavetrope::measure
