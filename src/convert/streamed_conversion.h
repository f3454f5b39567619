// SPDX-License-Identifier: GPL-3.0-or-later
// A log as a file for other programs, written while it is read.
#pragma once

#include <atomic>
#include <memory>
#include <utility>

#include "convert/conversion.h"
#include "convert/frame_stream.h"
#include "convert/value_rows.h"
#include "formats/log_file.h"

namespace wavetrope::convert {

/// Writes frames, or CSV with a row for each value, as a stream brings them: memory does not grow with the log, which may be
/// a pipe. The other forms need to know all of a log first. What comes of it is the same as `convert` gives.
class StreamedConversion {
public:
    /// Whether a form can be written like this.
    [[nodiscard]] static bool fits(Form form) { return form == Form::log || form == Form::rows; }

    /// Begins beside the file's place. `within` gives the stretch of time, both ends included, once the stamp of the first
    /// frame is known. The filter of the conversion is not used: the stream has its own.
    [[nodiscard]] static Expected<std::unique_ptr<StreamedConversion>> begin(
        Conversion conversion, std::function<std::pair<Time, Time>(Time origin)> within);

    /// What the stream has to do.
    void join(StreamWork& work);
    /// Behind the last frame: gives the file its name. `buses` are all of the log, explained by `catalog`.
    [[nodiscard]] Expected<Outcome> finish(
        const std::vector<trace::TraceBus>& buses, const std::shared_ptr<const database::Catalog>& catalog);
    /// Leaves nothing of it.
    void discard();

private:
    StreamedConversion(Conversion conversion, std::function<std::pair<Time, Time>(Time)> within)
        : conversion_(std::move(conversion)), within_(std::move(within)), values_(conversion_.signals)
    {}
    [[nodiscard]] bool take(const LogFacts& facts, std::span<const can::FrameView> frames);
    [[nodiscard]] bool declare(const std::vector<trace::TraceBus>& buses);
    [[nodiscard]] std::string render(const LogFacts& facts, std::span<const can::FrameView> frames, std::span<const DerivedValue> derived);
    [[nodiscard]] std::pair<Time, Time> stretch(Time origin)
    {
        const auto asked = within_(origin);
        if (asked.first > asked.second)
            reversed_ = true;
        return asked;
    }
    [[nodiscard]] bool good() const
    {
        return !failure_ && !reversed_ && (text_ == nullptr || text_->good()) && (log_ == nullptr || log_->good());
    }

    Conversion conversion_;
    std::function<std::pair<Time, Time>(Time)> within_;
    std::unique_ptr<formats::OutputFile> text_;
    std::unique_ptr<formats::LogFile> log_;
    std::size_t declared_ = 0;              // buses
    std::uint64_t frames_ = 0;
    ValueStream values_;
    std::optional<Error> failure_;
    std::atomic<bool> reversed_{false};     // the stretch of time ends before it begins
};

}  // namespace wavetrope::convert
