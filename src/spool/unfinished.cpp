// SPDX-License-Identifier: GPL-3.0-or-later
#include "spool/unfinished.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <cstring>
#include <filesystem>

#include "formats/log_file.h"
#include "spool/spool.h"

namespace wavetrope::spool {

namespace {

namespace files = std::filesystem;

/// Takes what a running program holds of its run; false where one does.
class Hold {
public:
    explicit Hold(const std::string& path) : file_(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW)) {}
    ~Hold()
    {
        if (file_ >= 0)
            ::close(file_);
    }
    Hold(const Hold&) = delete;
    Hold& operator=(const Hold&) = delete;
    [[nodiscard]] bool there() const { return file_ >= 0; }
    [[nodiscard]] bool take() const { return file_ >= 0 && ::flock(file_, LOCK_EX | LOCK_NB) == 0; }

private:
    int file_;
};

void removeFiles(const std::string& path, std::error_code& error)
{
    std::error_code ignored;
    files::remove(formats::tailOf(path), ignored);
    files::remove(formats::tailOf(path) + ".new", ignored);
    files::remove(path + keptMark, ignored);
    files::remove(path, error);
}

class SavingSink final : public formats::LogSink {
public:
    SavingSink(formats::LogFile& file, const std::function<bool(std::uint64_t, std::uint64_t)>& keepGoing)
        : file_(file), keepGoing_(keepGoing)
    {}
    std::uint8_t onBus(const trace::TraceBus&) override { return next_++; }
    void onFrames(std::span<const can::FrameView> frames) override
    {
        for (const can::FrameView& frame : frames)
            file_.write(frame);
    }
    bool onProgress(std::uint64_t done, std::uint64_t total) override { return !keepGoing_ || keepGoing_(done, total); }

private:
    formats::LogFile& file_;
    const std::function<bool(std::uint64_t, std::uint64_t)>& keepGoing_;
    std::uint8_t next_ = 0;
};

}  // namespace

std::vector<UnfinishedRun> unfinishedRuns(const std::string& folder)
{
    std::vector<UnfinishedRun> runs;
    std::error_code error;
    for (files::directory_iterator at(folder, error), end; !error && at != end; at.increment(error)) {
        const std::string path = at->path().string();
        if (!path.ends_with(formats::runExtension) || !at->is_regular_file(error) || at->is_symlink(error))
            continue;
        if (!Hold(path).take())
            continue;
        UnfinishedRun run;
        run.path = path;
        run.kept = files::exists(path + keptMark, error);
        if (const auto extent = formats::runExtent(path)) {
            run.about = extent->about;
            run.rows = extent->rows;
            run.bytes = extent->bytes;
            if (run.rows == 0) {
                removeFiles(path, error);
                continue;
            }
        } else {
            run.problem = extent.error().what;
        }
        runs.push_back(std::move(run));
    }
    std::sort(runs.begin(), runs.end(), [](const UnfinishedRun& a, const UnfinishedRun& b) {
        return std::pair(a.about.startedAt, a.path) > std::pair(b.about.startedAt, b.path);
    });
    return runs;
}

std::size_t removeKeptBefore(const std::string& folder, std::chrono::seconds age)
{
    std::size_t removed = 0;
    const auto oldest = files::file_time_type::clock::now() - age;
    for (const UnfinishedRun& run : unfinishedRuns(folder)) {
        std::error_code error;
        if (!run.kept)
            continue;
        const auto since = files::last_write_time(run.path + keptMark, error);
        if (!error && since < oldest && discardRun(run.path))
            ++removed;
    }
    return removed;
}

Expected<formats::ReadReport> saveRun(
    const UnfinishedRun& run, const std::string& path, const std::function<bool(std::uint64_t, std::uint64_t)>& keepGoing)
{
    auto file = formats::LogFile::create(path, run.about.buses);
    if (!file)
        return tl::unexpected(file.error());
    SavingSink sink(**file, keepGoing);
    auto report = formats::readLogFile(run.path, sink);
    if (!report || report->cancelled) {
        (*file)->discard();
        return tl::unexpected(report ? Error{"saving was cancelled", path, 0, 0, {}} : report.error());
    }
    if (auto finished = (*file)->finish(); !finished)
        return tl::unexpected(finished.error());
    if (const std::string refused = (*file)->refused(); !refused.empty())
        report->warnings.push_back({refused, run.path, 0, 0, {}});
    return report;
}

Expected<void> discardRun(const std::string& path)
{
    const Hold hold(path);
    if (!hold.there())
        return fail("there is no such run", path);
    if (!path.ends_with(formats::runExtension))
        return fail("this is no run that was kept while it lasted", path);
    if (!hold.take())
        return fail("this run is going on", path, "End it where it runs");
    std::error_code error;
    removeFiles(path, error);
    if (error)
        return fail("the run cannot be removed: " + error.message(), path);
    return {};
}

}  // namespace wavetrope::spool
