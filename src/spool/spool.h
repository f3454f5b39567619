// SPDX-License-Identifier: GPL-3.0-or-later
// Keeps a run on the disk while it lasts, so that it may outlast memory and the program.
#pragma once

#include <chrono>
#include <condition_variable>
#include <cstdint>
#include <functional>
#include <memory>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "base/error.h"
#include "formats/run_log.h"
#include "trace/trace.h"

namespace wavetrope::spool {

/// Smallest bound that is of use for looking at a run.
inline constexpr std::size_t leastMemory = 32'000'000;

/// Where and how a run is kept.
struct SpoolOptions {
    std::string folder;                         ///< Made where it is missing; empty keeps the run in memory alone.
    std::size_t memory = std::size_t{1} << 30;  ///< Bytes that the frames of all runs of this program may take in memory.
    std::uint64_t leaveFree = std::uint64_t{1} << 30;   ///< Bytes of the disk that are not touched.
    std::chrono::milliseconds every{250};       ///< Between two writings; what a crash can lose, and the disk's own time.
    std::function<std::uint64_t(const std::string& folder)> freeSpace;  ///< Asks for the free bytes; empty asks the system.
};

/// Folder for runs where nothing else was said: XDG_STATE_HOME/wavetrope/runs.
[[nodiscard]] std::string usualFolder();

/// Behind the file name of a run: an empty file beside it that says it was kept on purpose.
inline constexpr const char* keptMark = ".kept";

/// How the keeping goes.
struct SpoolReport {
    enum class Disk : std::uint8_t { fine, nearlyFull, refused };
    Disk disk = Disk::fine;
    std::string path;           ///< File of the run; empty where none could be made.
    std::uint64_t rows = 0;     ///< From the first on, on the disk for good.
    std::uint64_t bytes = 0;    ///< On the disk.
    std::uint64_t letGo = 0;    ///< Frames that were let go as memory was full and the disk would not take them.
    std::size_t memory = 0;     ///< The bound: this run's share.
    std::string words;          ///< What is wrong and what follows from it; empty when all is well.
};

/// Follows a trace on a thread of its own. The runs of a program share the memory that they may take. Complete segments go
/// compressed to a file, newer rows to its tail; both are on the disk, not merely with the system, after each writing. Ended
/// in order, it removes its files.
class Spool final : public trace::SegmentStore {
public:
    /// Bounds the trace, which has no frames yet and outlives the spool. Where the disk does not take the run, the
    /// report says so, it is tried again, and meanwhile memory lets go of its oldest frames.
    [[nodiscard]] static std::unique_ptr<Spool> start(const SpoolOptions& options, trace::Trace& trace, formats::RunAbout about);
    ~Spool() override;
    Spool(const Spool&) = delete;
    Spool& operator=(const Spool&) = delete;

    [[nodiscard]] SpoolReport report() const;
    /// Waits until all rows up to now are on the disk, or cannot be.
    void settle();
    /// How long a run is kept that is over: for the time that the user has set, or until it was asked about.
    enum class Keep { forATime, asked };
    /// Has the run stay on the disk when it has ended, among those that were not ended. An error where not all of it is there.
    [[nodiscard]] Expected<void> keep(Keep until = Keep::forATime);
    /// For a writer that can wait: does so while more than the bound is in memory alone.
    void makeRoom();
    [[nodiscard]] std::unique_ptr<trace::Segment> load(std::size_t index) override;

private:
    struct Place {
        std::uint64_t offset = 0;
        std::uint32_t stored = 0;  // 0: not on the disk
    };
    Spool(const SpoolOptions& options, trace::Trace& trace, formats::RunAbout about);
    void work();
    void step();
    bool openFile();
    bool diskTakes();
    [[nodiscard]] std::string words() const;
    [[nodiscard]] std::string diskWords() const;
    bool writeSegments(const trace::Snapshot& snapshot);
    bool writeTail(const trace::Snapshot& snapshot);
    bool append(int file, std::uint64_t at, const std::vector<std::uint8_t>& bytes);
    void refuse(const std::string& why);
    void keepWithinBound(bool taken);
    void share();
    [[nodiscard]] std::uint64_t freeBytes() const;

    SpoolOptions options_;
    trace::Trace& trace_;
    formats::RunAbout about_;
    std::string path_;
    int file_ = -1;
    int tail_ = -1;
    std::uint64_t fileEnd_ = 0;
    std::uint64_t tailEnd_ = 0;
    std::size_t nextSegment_ = 0;
    trace::Row tailNext_ = 0;  // row that the tail goes on with
    std::size_t tailSegment_ = ~std::size_t{0};
    // Of the step under way; the report gets it when that is over.
    SpoolReport::Disk disk_ = SpoolReport::Disk::fine;
    std::string why_;  // the disk's last refusal, or how little room there is
    std::uint64_t letGo_ = 0;
    double bytesPerSecond_ = 0;
    std::chrono::steady_clock::time_point measuredAt_, retryAt_;
    std::uint64_t bytesMeasured_ = 0;

    mutable std::mutex mutex_;  // places and report
    std::vector<Place> places_;
    SpoolReport report_;
    std::string unreadable_;  // what load() could not read
    std::condition_variable wake_, settled_;
    bool ending_ = false;
    bool keep_ = false;  // its files behind the end
    std::uint64_t steps_ = 0;
    std::thread thread_;
};

}  // namespace wavetrope::spool
