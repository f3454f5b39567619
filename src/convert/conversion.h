// SPDX-License-Identifier: GPL-3.0-or-later
// A trace, or a part of it, as a file for other programs.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "base/error.h"
#include "database/catalog.h"
#include "filter/filter.h"
#include "filter/row_set.h"
#include "protocol/spoken.h"
#include "trace/trace.h"

namespace wavetrope::convert {

/// What is written.
enum class Form : std::uint8_t {
    log,        ///< Frames, in the log format that the name ends in.
    rows,       ///< CSV, a row for each value.
    table,      ///< CSV, a column for each signal.
    database,   ///< SQLite: frames, messages, signals and values.
};
/// What time stamps count from.
enum class Clock : std::uint8_t { start, epoch };
/// A table's value between two samples. What has texts, and switches, hold in any case.
enum class Between : std::uint8_t { hold, interpolate };

struct Conversion {
    std::string path;                       ///< ".gz" or ".zst" at its end compresses.
    Form form = Form::log;
    filter::Filter filter;                  ///< Which frames.
    Time from = Time::min();      ///< Frames stamped from here
    Time to = Time::max();        ///< to here, both included.
    std::vector<std::vector<protocol::Spoken>>
        spoken{};    ///< What buses speak, by index: messages of a table or database in place of frames.
    std::string signals;                    ///< Signals whose name, or Message.Signal, fits this pattern; all where it is empty.
    Clock clock = Clock::start;             ///< Of the CSV forms.
    Time step{0};                      ///< Of a table: a row at each step; 0 for a row whenever a value changes.
    Between between = Between::hold;        ///< Of a table with steps.
    bool overwrite = false;                 ///< Whether a file of that name may be replaced.
    unsigned threads = 0;                   ///< 0: as many as there are cores.
};

/// What came of it.
struct Outcome {
    std::uint64_t frames = 0;               ///< Frames that went in.
    std::uint64_t values = 0;               ///< Signal values, or rows of a table.
    std::uint64_t bytes = 0;                ///< Size of the file.
    std::vector<std::string> warnings;      ///< What the form cannot hold, frames that are too short, and the like.
};

/// Called now and then with how much is done of how much; false cancels.
using Progress = std::function<bool(std::uint64_t done, std::uint64_t total)>;

/// The form that a file name asks for: a log format, ".csv" or ".sqlite", compressed or not. CSV is Form::rows.
[[nodiscard]] Expected<Form> formForName(const std::string& path);

/// An error where a file of that name exists and is not to be replaced.
[[nodiscard]] Expected<void> mayWrite(const Conversion& conversion);

/// Writes the file beside its place and renames it when it is whole. Nothing is left of one that is cancelled or fails.
[[nodiscard]] Expected<Outcome> convert(const trace::Snapshot& snapshot, const std::shared_ptr<const database::Catalog>& catalog,
    const Conversion& conversion, const Progress& progress = {});

}  // namespace wavetrope::convert
