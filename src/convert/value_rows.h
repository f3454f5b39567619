// SPDX-License-Identifier: GPL-3.0-or-later
// Signal values as CSV, a row each.
#pragma once

#include <map>
#include <mutex>
#include <unordered_map>

#include "convert/derived_rows.h"
#include "convert/frame_stream.h"
#include "convert/frames.h"
#include "formats/log_format.h"

namespace wavetrope::convert {

/// Puts the values of frames into rows: time, bus, id, message, signal, raw, value, unit and label. Numbers read back as
/// the same ones. Any number of threads may ask.
class ValueRows {
public:
    static constexpr const char* head = "time,bus,id,message,signal,raw,value,unit,label\n";

    /// Of signals whose name, or Message.Signal, fits the pattern; all where it is empty. Times count from `origin`.
    ValueRows(std::shared_ptr<const database::Catalog> catalog, const std::string& pattern, Time origin);

    struct Counts {
        std::uint64_t frames = 0;       ///< That a database explains.
        std::uint64_t values = 0;
        std::uint64_t tooShort = 0;     ///< Frames without room for a signal of theirs.
    };
    /// Appends the rows of a frame. `decoded` is scratch.
    void append(const can::FrameView& frame, std::string& out, std::vector<database::Decoded>& decoded, Counts& counts) const
    {
        append(frame, frame.payload(), out, decoded, counts);
    }
    /// Of a message whose bytes may be more than those of a frame.
    void append(
        const can::FrameHead& frame, can::Payload bytes, std::string& out, std::vector<database::Decoded>& decoded, Counts& counts) const;
    /// Appends the row of a value that a frame gave a derived signal: it has no bus, identifier, message and raw value. A gap has none.
    void append(Time time, std::uint32_t derived, double value, std::string& out, Counts& counts) const;
    /// Whether any signal of any message fits, or a derived one.
    [[nodiscard]] bool any() const { return any_; }

private:
    // What the rows of one signal have in common.
    struct Fixed {
        std::string front;  // ",message,signal,"
        std::string back;  // ",unit,"
        const database::Signal* signal = nullptr;
        bool chosen = false;
        bool whole = true;  // raw values are integers
        bool isSigned = false;
        unsigned unused = 0;
    };
    struct Entry {
        std::string bus;  // ",bus,"
        std::vector<Fixed> signals;
    };
    std::shared_ptr<const database::Catalog> catalog_;
    std::unordered_map<const database::CatalogMessage*, Entry> entries_;  // with a signal that is chosen
    std::vector<std::pair<std::string, std::string>> derived_;  // by derived signal: what stands in front of its value, and behind it
    Time origin_;
    bool any_ = false;
};

/// Renders stretches of a log that is still being read into value rows, and counts; any number of threads may ask. What
/// explains the log may change while it is read.
class ValueStream {
public:
    explicit ValueStream(std::string pattern) : pattern_(std::move(pattern)) {}

    /// The rows of frames whose stamps lie in [from, to]; times count from `origin`.
    [[nodiscard]] std::string render(const std::shared_ptr<const database::Catalog>& catalog, Time origin,
        std::span<const can::FrameView> frames, std::span<const DerivedValue> derived, Time from = Time::min(), Time to = Time::max());
    /// Those that it wants with the frames.
    [[nodiscard]] std::vector<std::uint32_t> derive(const database::Catalog& catalog) const { return chooseDerived(catalog, pattern_); }

    /// To be asked at the end: frames that were taken, what they gave, and what is worth a warning.
    [[nodiscard]] std::uint64_t frames() const { return frames_; }
    [[nodiscard]] const ValueRows::Counts& counts() const { return counts_; }
    [[nodiscard]] std::vector<std::string> shortcomings(const std::shared_ptr<const database::Catalog>& catalog) const;

private:
    std::string pattern_;
    std::mutex mutex_;
    std::map<const database::Catalog*, std::shared_ptr<const ValueRows>> rows_;
    ValueRows::Counts counts_;
    std::uint64_t frames_ = 0;
};

/// Says in words what a conversion to values came to less than one would think: frames that are too short, or why there is
/// no value at all; empty where all is well.
[[nodiscard]] std::vector<std::string> shortcomings(
    const ValueRows::Counts& counts, bool anyDatabase, bool anySignal, const std::string& pattern, std::uint64_t frames);

/// Writes the head and a row for each value that the frames carry. False where progress asked for an end.
bool writeValueRows(const Frames& frames, const std::shared_ptr<const database::Catalog>& catalog, const Conversion& conversion,
    formats::ByteTarget& target, Outcome& outcome, const Progress& progress);

}  // namespace wavetrope::convert
