// SPDX-License-Identifier: GPL-3.0-or-later
// What a file format of logs offers, and the list of all formats.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/workers.h"
#include "formats/byte_source.h"
#include "formats/stretch.h"
#include "trace/trace.h"

namespace wavetrope::formats {

/// Takes what a reader finds.
class LogSink {
public:
    virtual ~LogSink() = default;
    /// A bus appears; gives the index that its frames carry from now on.
    virtual std::uint8_t onBus(const trace::TraceBus& bus) = 0;
    /// Frames in the order of the file. Their payloads are valid during the call only.
    virtual void onFrames(std::span<const can::FrameView> frames) = 0;
    /// The same, for who goes on working with them beside the reading: they stay valid as long as the stretch, and the
    /// workers until `onEnd`.
    virtual void onStretch(std::shared_ptr<const Stretch> stretch, Workers& workers)
    {
        (void)workers;
        onFrames(stretch->frames);
    }
    /// All that there is was handed over.
    virtual void onEnd() {}
    /// Called now and then; false ends the reading.
    virtual bool onProgress(std::uint64_t done, std::uint64_t total)
    {
        (void)done;
        (void)total;
        return true;
    }
};

/// What a reading came to.
struct ReadReport {
    std::uint64_t frames = 0;
    std::vector<Error> warnings;    ///< Truncation, skipped blocks and the like; everything before was delivered.
    bool cancelled = false;
    std::vector<Error> badLines;    ///< Of text: lines that are no frames, the first thousand.
    std::uint64_t badLineCount = 0;
};

struct TextLayout;

/// How a log is read.
struct ReadOptions {
    const TextLayout* layout = nullptr;                 ///< A log of text by this layout, whatever its lines look like.
    const std::vector<TextLayout>* kept = nullptr;      ///< By one of these, where one fits.
    std::function<bool()> more;                         ///< Follows a file that is being written, as ByteSource::follow does.
    unsigned threads = 0;                               ///< Threads that take it apart; as many as there are cores for 0.
    std::size_t stretchBytes = 256U << 10;              ///< How much of it one of them takes at a time, about.
};

/// Where written bytes go.
class ByteTarget {
public:
    virtual ~ByteTarget() = default;
    virtual void write(std::span<const std::uint8_t> bytes) = 0;
};

/// Turns buses and frames into the bytes of a format.
class LogEncoder {
public:
    virtual ~LogEncoder() = default;
    virtual void begin(ByteTarget& target, std::span<const trace::TraceBus> buses, const std::string& note) = 0;
    /// A bus appears behind the beginning; its index is the next.
    virtual void bus(ByteTarget& target, const trace::TraceBus& bus)
    {
        (void)target;
        (void)bus;
    }
    /// False for a frame whose stamp the format cannot hold; nothing is written then.
    [[nodiscard]] virtual bool frame(ByteTarget& target, const can::FrameView& frame) = 0;
    /// Which stamps it can hold, in words: "1970 to 2106".
    [[nodiscard]] virtual const char* stamps() const = 0;
    /// What of a trace the format cannot hold, in words; empty when nothing.
    [[nodiscard]] virtual std::string losses(std::span<const trace::TraceBus> buses) const
    {
        (void)buses;
        return {};
    }
};

/// A file format. A new one is a file with such a record and a line in registry.cpp.
struct LogFormat {
    const char* name;
    std::vector<std::string> extensions;    ///< With the dot, lower case; none where it is only read.
    bool (*recognise)(std::span<const std::uint8_t> head);
    Expected<ReadReport> (*read)(ByteSource& source, LogSink& sink, Workers& workers, const ReadOptions& options);
    std::unique_ptr<LogEncoder> (*encoder)();   ///< Null where it is only read.
};

/// What a log is wanted for.
enum class LogUse : std::uint8_t { read, readAsText, write, follow };

/// Endings of file names for a use, with the dot, lower case; those that compress behind the others. What is read is
/// recognised by its first bytes all the same, whatever its name.
[[nodiscard]] std::vector<std::string> logEndings(LogUse use);

/// All formats.
[[nodiscard]] const std::vector<LogFormat>& logFormats();
/// The format for a file name, or an error that lists those there are.
[[nodiscard]] Expected<const LogFormat*> formatForName(const std::string& path);

/// Reads a log, its format recognised from its first bytes, or the layout of its lines.
[[nodiscard]] Expected<ReadReport> readLog(ByteSource& source, LogSink& sink, const ReadOptions& options = {});
[[nodiscard]] Expected<ReadReport> readLogFile(const std::string& path, LogSink& sink, const ReadOptions& options = {});
/// Whether a source begins like a log that can be read, binary or text; else why not.
[[nodiscard]] Expected<void> knownLog(ByteSource& source);
/// Whether a file's first bytes are lines of text and no log of a binary format.
[[nodiscard]] bool isTextLog(ByteSource& source);

}  // namespace wavetrope::formats
