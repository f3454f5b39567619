// Writes a running trace to a log.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "filter/filter_scan.h"
#include "formats/log_file.h"
#include "trace/trace.h"

namespace wavetrope::record {

/// Follows a trace and writes its rows to a file that stands beside its place until it is finished. What `advance` has
/// written survives the end of the program.
class Recorder {
public:
    /// Begins at row `from` of the trace. Of the rows from there on, those are written that the filter passes; what it
    /// remembers of earlier frames it takes from the whole trace, and its times count from `origin`.
    [[nodiscard]] static Expected<std::unique_ptr<Recorder>> start(const std::string& path, const trace::Trace& trace, trace::Row from, const filter::Filter& filter = {}, std::optional<Time> origin = {});

    /// Writes the rows that came and hands them to the system.
    [[nodiscard]] Expected<void> advance();
    /// Writes the rest, and gives the file its name.
    [[nodiscard]] Expected<void> finish();

    [[nodiscard]] const std::string& path() const { return file_->path(); }
    [[nodiscard]] std::uint64_t frames() const { return file_->frames(); }
    /// Frames that the format could not hold, in words, or empty.
    [[nodiscard]] std::string refused() const { return file_->refused(); }
    [[nodiscard]] std::uint64_t bytes() const { return file_->bytes(); }

private:
    Recorder(std::unique_ptr<formats::LogFile> file, const trace::Trace& trace, trace::Row from) : file_(std::move(file)), trace_(trace), next_(from) {}
    std::unique_ptr<formats::LogFile> file_;
    const trace::Trace& trace_;
    trace::Row next_;
    std::unique_ptr<filter::FilterScan> scan_;      // none where everything passes
};

}  // namespace wavetrope::record
