// What a file format of logs offers, and the list of all formats.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "can/error.h"
#include "formats/byte_source.h"
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

/// How a log of text is read; other logs say it themselves.
struct ReadOptions {
    const TextLayout* layout = nullptr;                 ///< By this layout, whatever its lines look like.
    const std::vector<TextLayout>* kept = nullptr;      ///< By one of these, where one fits.
    std::function<bool()> more;                         ///< Follows a file that is being written, as ByteSource::follow does.
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
    virtual void begin(ByteTarget& target, std::span<const trace::TraceBus> buses) = 0;
    virtual void frame(ByteTarget& target, const can::FrameView& frame) = 0;
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
    Expected<ReadReport> (*read)(ByteSource& source, LogSink& sink);
    std::unique_ptr<LogEncoder> (*encoder)();   ///< Null where it is only read.
};

/// All formats.
[[nodiscard]] const std::vector<LogFormat>& logFormats();
/// The format for a file name, or an error that lists those there are.
[[nodiscard]] Expected<const LogFormat*> formatForName(const std::string& path);

/// Reads a log, its format recognised from its first bytes, or the layout of its lines.
[[nodiscard]] Expected<ReadReport> readLog(ByteSource& source, LogSink& sink, const ReadOptions& options = {});
[[nodiscard]] Expected<ReadReport> readLogFile(const std::string& path, LogSink& sink, const ReadOptions& options = {});
/// Whether a file's first bytes are lines of text and no log of a binary format.
[[nodiscard]] bool isTextLog(ByteSource& source);

/// Bytes that a trace may take on this machine: three quarters of its memory.
[[nodiscard]] std::size_t memoryBound();

/// A sink that appends to a trace, until that takes so many bytes.
class TraceSink : public LogSink {
public:
    explicit TraceSink(trace::Trace& trace, std::size_t bound = memoryBound()) : trace_(trace), bound_(bound) {}
    std::uint8_t onBus(const trace::TraceBus& bus) override { return trace_.addBus(bus); }
    void onFrames(std::span<const can::FrameView> frames) override
    {
        if (full_)
            return;
        for (const can::FrameView& frame : frames)
            trace_.append(frame);
        if (const std::uint64_t segment = trace_.rows() / trace::segmentRows; segment != looked_) {
            looked_ = segment;
            full_ = trace_.memory() > bound_;
        }
    }
    bool onProgress(std::uint64_t, std::uint64_t) override { return !full_; }
    /// Whether there was more than the bound allows; what came before is in the trace.
    [[nodiscard]] bool full() const { return full_; }
    /// That in words.
    [[nodiscard]] Error fullness(const std::string& path) const;

private:
    trace::Trace& trace_;
    std::size_t bound_;
    std::uint64_t looked_ = 0;      // segment in which the memory was looked at last
    bool full_ = false;
};

}  // namespace wavetrope::formats
