// SPDX-License-Identifier: GPL-3.0-or-later
// The takes of one recording, as files in a folder.
#pragma once

#include <deque>
#include <future>
#include <memory>
#include <string>
#include <vector>

#include "base/workers.h"
#include "formats/log_file.h"
#include "record/file_pattern.h"

namespace wavetrope::record {

/// How the takes of a recording become files.
struct FileRules {
    std::string pattern = "{recording}-{date}-{number}.pcapng";     ///< The ending says the format and the compression.
    std::uint64_t size = 0;                 ///< A new file from so many bytes on; 0: not by size.
    std::uint64_t frames = 0;               ///< A new file behind so many frames; 0: not by frames.
    Time every{};                           ///< A new file after so long; 0: not by time.
    bool midnight = false;                  ///< A new file at the local midnight.
    std::uint64_t keep = 0;                 ///< So many files stay, the newest; 0: all.
    std::uint64_t total = 0;                ///< The newest stay within so many bytes; 0: all.
    bool forGood = false;                   ///< None is taken away, not even where the disk is nearly full.
};

/// What its files are doing, for people.
struct WriterReport {
    std::string path;               ///< Of the file that is open, or of the last one.
    bool open = false;
    std::uint64_t files = 0;        ///< Begun so far.
    std::uint64_t frames = 0;       ///< Of the take that goes on, or of the last one.
    std::uint64_t bytes = 0;        ///< Of all its files.
    std::uint64_t lost = 0;         ///< Frames that could not be written.
    std::string problem;            ///< What is in the way, or empty.
};

/// Writes one take after the other. Whoever hands it frames does not wait for a disk: files are made whole by workers, which
/// several writers may share. A file stands beside its place until it is whole, and never takes the place of one that
/// is there. Which files are its own stands in a list beside them (".RECORDING.takes"), so that no other is ever taken away,
/// and what a crash left is given its name when the recording is there again.
class TakeWriter {
public:
    /// Makes the folder where it is missing. An error names what is wrong with it or with the pattern.
    /// The workers outlive it.
    [[nodiscard]] static Expected<std::unique_ptr<TakeWriter>> create(const std::string& recording, const FileRules& rules,
        const std::string& folder, std::vector<trace::TraceBus> buses, Workers& workers);
    ~TakeWriter();
    TakeWriter(const TakeWriter&) = delete;
    TakeWriter& operator=(const TakeWriter&) = delete;

    /// Takes up what is there from before. To be called when no other one writes into the folder for this recording.
    void takeUp();
    void begin(std::uint64_t take, Time at, const std::string& why);
    void write(const can::FrameView& frame);
    void lose(std::uint64_t frames) { report_.lost += frames; }
    void end();
    /// Waits until every file that has ended is whole.
    void settle();
    /// Hands what was taken to the system, and tries anew where the disk refused. To be called several times a second.
    void flush();
    /// Takes the oldest of its whole files away; false where there is none, or all stay for good.
    bool dropOldest();
    /// Stamp in the file system of the oldest whole file; 0 where there is none to take away.
    [[nodiscard]] std::int64_t oldest() const;
    [[nodiscard]] WriterReport report() const;
    /// Where the files of the take that goes on, or of the last one, stand or will stand.
    [[nodiscard]] const std::vector<std::string>& takeFiles() const { return takeFiles_; }

private:
    TakeWriter(std::string recording, FileRules rules, std::string folder, std::vector<trace::TraceBus> buses, Workers& workers)
        : recording_(std::move(recording)),
          rules_(std::move(rules)),
          folder_(std::move(folder)),
          buses_(std::move(buses)),
          workers_(workers)
    {}
    struct Written {
        std::string name;
        std::uint64_t bytes = 0;
    };
    // A file that is being made whole. It has its name where that went well.
    struct Ending {
        Written file;
        std::future<Expected<void>> whole;
    };
    [[nodiscard]] std::string listPath() const;
    void saveList();
    void collect(std::size_t most);
    [[nodiscard]] bool full(const can::FrameView& frame) const;
    bool open(Time at);
    void close();
    void leave(const Error& problem);
    void bound();

    std::string recording_;
    FileRules rules_;
    std::string folder_;
    std::vector<trace::TraceBus> buses_;
    Workers& workers_;
    std::vector<Written> whole_;            // the oldest first
    std::deque<Ending> ending_;             // behind them
    std::unique_ptr<formats::LogFile> file_;
    std::string openName_;
    Time fileBegins_{};
    std::uint64_t take_ = 0, number_ = 0, takeFrames_ = 0;
    std::string why_;
    std::vector<std::string> takeFiles_;
    int wait_ = 0;                          // flushes until the disk is tried again
    WriterReport report_;
};

}  // namespace wavetrope::record
