// SPDX-License-Identifier: GPL-3.0-or-later
#include "spool/spool.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <ctime>
#include <filesystem>

#include "base/read_at.h"
#include "formats/run_block.h"

namespace wavetrope::spool {

namespace {

using namespace std::chrono_literals;
namespace files = std::filesystem;

constexpr std::size_t segmentsAtOnce = 16;      // written between two waits for the disk
constexpr auto warnAhead = 10min;               // a disk that is full so soon is announced
constexpr auto retryAfter = 2s;
constexpr int namesTried = 100;

std::atomic<int> runsAlive{0};       // of this program

std::string sizeText(std::uint64_t bytes)
{
    char text[32];
    std::snprintf(text, sizeof text, bytes >= 1'000'000'000 ? "%.1f GB" : "%.0f MB",
        static_cast<double>(bytes) * (bytes >= 1'000'000'000 ? 1e-9 : 1e-6));
    return text;
}

bool syncFolder(const std::string& folder)
{
    const int at = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (at < 0)
        return false;
    const bool good = ::fsync(at) == 0;
    ::close(at);
    return good;
}

}  // namespace

std::string usualFolder()
{
    const char* state = std::getenv("XDG_STATE_HOME");
    const char* home = std::getenv("HOME");
    if (state != nullptr && *state == '/')
        return std::string(state) + "/wavetrope/runs";
    return std::string(home != nullptr && *home == '/' ? home : "/tmp") + "/.local/state/wavetrope/runs";
}

std::unique_ptr<Spool> Spool::start(const SpoolOptions& options, trace::Trace& trace, formats::RunAbout about)
{
    return std::unique_ptr<Spool>(new Spool(options, trace, std::move(about)));
}

Spool::Spool(const SpoolOptions& options, trace::Trace& trace, formats::RunAbout about)
    : options_(options), trace_(trace), about_(std::move(about)), measuredAt_(std::chrono::steady_clock::now())
{
    ++runsAlive;
    trace_.boundTo(options_.memory, *this);
    share();
    report_.memory = trace_.residence()->bound();
    if (!options_.folder.empty() && diskTakes() && openFile())
        report_.path = path_;
    thread_ = std::thread([this] { work(); });
}

Spool::~Spool()
{
    {
        const std::scoped_lock lock(mutex_);
        ending_ = true;
    }
    wake_.notify_all();
    thread_.join();
    --runsAlive;
    for (const int file : {file_, tail_})
        if (file >= 0)
            ::close(file);
    if (!path_.empty() && !keep_) {
        std::error_code ignored;
        files::remove(formats::tailOf(path_), ignored);
        files::remove(path_, ignored);
    }
}

SpoolReport Spool::report() const
{
    const std::scoped_lock lock(mutex_);
    return report_;
}

Expected<void> Spool::keep(Keep until)
{
    settle();
    const SpoolReport now = report();
    if (now.path.empty() || now.rows < trace_.rows())
        return fail(options_.folder.empty() ? "the run is kept in memory alone"
                    : now.words.empty()     ? "the disk has not taken all of the run"
                                            : now.words,
            now.path.empty() ? options_.folder : now.path, "Save it as a log on another disk");
    if (until == Keep::asked) {
        keep_ = true;
        return {};
    }
    // A mark beside it tells from when on its user has not wanted to lose it.
    const std::string mark = now.path + keptMark;
    const int file = ::open(mark.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600);
    const bool marked = file >= 0 && ::fsync(file) == 0;
    if (file >= 0)
        ::close(file);
    if (!marked)
        return fail(std::string("the run cannot be marked as kept: ") + std::strerror(errno), mark, "Save it as a log on another disk");
    keep_ = true;
    return {};
}

void Spool::settle()
{
    std::unique_lock lock(mutex_);
    const std::uint64_t wanted = steps_ + 2;  // one may be under way that began before
    settled_.wait(lock, [&] {
        wake_.notify_all();
        return steps_ >= wanted || ending_;
    });
}

void Spool::makeRoom()
{
    if (trace_.residence()->held() > trace_.residence()->bound())
        settle();
}

void Spool::work()
{
    std::unique_lock lock(mutex_);
    while (!ending_) {
        lock.unlock();
        step();
        lock.lock();
        ++steps_;
        settled_.notify_all();
        if (!ending_)
            wake_.wait_for(lock, options_.every);
    }
}

void Spool::share()
{
    trace_.residence()->setBound(
        std::max(std::min(leastMemory, options_.memory), options_.memory / static_cast<std::size_t>(std::max(1, runsAlive.load()))));
}

void Spool::step()
{
    share();
    const auto now = std::chrono::steady_clock::now();
    bool taken = false;
    if (!options_.folder.empty() && now >= retryAt_ && diskTakes() && (file_ >= 0 || openFile())) {
        taken = true;
        // As long as whole segments wait, they go first.
        for (trace::Snapshot snapshot = trace_.snapshot(); taken; snapshot = trace_.snapshot()) {
            const std::size_t complete = static_cast<std::size_t>(snapshot.rows() / trace::segmentRows);
            taken = writeSegments(snapshot);
            if (nextSegment_ == complete)
                taken = taken && writeTail(snapshot);
            keepWithinBound(taken);
            if (nextSegment_ >= static_cast<std::size_t>(trace_.rows() / trace::segmentRows))
                break;
            const std::scoped_lock lock(mutex_);
            if (ending_)
                break;
        }
    }
    keepWithinBound(taken);
    const std::uint64_t bytes = fileEnd_ + tailEnd_;
    if (const std::chrono::duration<double> passed = now - measuredAt_; passed > 5s) {
        bytesPerSecond_ = static_cast<double>(bytes - std::min(bytes, bytesMeasured_)) / passed.count();
        bytesMeasured_ = bytes;
        measuredAt_ = now;
    }
    const std::scoped_lock lock(mutex_);
    report_.disk = disk_;
    report_.bytes = bytes;
    report_.path = path_;
    report_.memory = trace_.residence()->bound();
    report_.letGo = letGo_;
    report_.words = words();
}

std::string Spool::words() const
{
    const std::string disk = diskWords();
    return disk.empty() || unreadable_.empty() ? disk + unreadable_ : disk + ". " + unreadable_;
}

std::string Spool::diskWords() const
{
    const std::string gone = std::to_string(letGo_) + " frames were let go";
    const std::string bound = sizeText(trace_.residence()->bound());
    if (options_.folder.empty())
        return letGo_ == 0 ? std::string()
                           : gone + ", as the run is kept in memory alone, which is bound to " + bound + ". It goes on with the newest";
    if (disk_ == SpoolReport::Disk::refused && letGo_ == 0)
        return "The run is kept in memory alone, as " + why_ + ". Beyond " + bound
               + " its oldest frames are let go, and a crash would lose it";
    if (disk_ == SpoolReport::Disk::refused)
        return gone + ", as " + why_ + " and memory is bound to " + bound + ". Capture goes on with the newest; make room in "
               + options_.folder;
    if (disk_ == SpoolReport::Disk::nearlyFull)
        return "The disk is nearly full: " + why_ + ". Make room in " + options_.folder
               + "; otherwise only the newest frames will be kept, in memory";
    return letGo_ > 0 ? gone + " while the disk would not take them" : std::string();
}

std::uint64_t Spool::freeBytes() const
{
    if (options_.freeSpace)
        return options_.freeSpace(options_.folder);
    // The folder may have to be made yet: the nearest there is lies on the same disk.
    for (files::path at = options_.folder;; at = at.parent_path()) {
        struct statvfs info{};
        if (::statvfs(at.c_str(), &info) == 0)
            return static_cast<std::uint64_t>(info.f_bavail) * info.f_frsize;
        if (at == at.parent_path())
            return ~std::uint64_t{0};
    }
}

bool Spool::diskTakes()
{
    const std::uint64_t free = freeBytes();
    if (free <= options_.leaveFree) {
        refuse("the disk has " + sizeText(free) + " left, and " + sizeText(options_.leaveFree) + " of it are not touched");
        return false;
    }
    const std::uint64_t left = free - options_.leaveFree;
    const double seconds = std::chrono::duration<double>(warnAhead).count();
    disk_ = SpoolReport::Disk::fine;
    if (left < options_.leaveFree / 2 || static_cast<double>(left) < bytesPerSecond_ * seconds) {
        disk_ = SpoolReport::Disk::nearlyFull;
        why_ = sizeText(left) + " are left for this run";
    }
    return true;
}

bool Spool::openFile()
{
    std::error_code error;
    files::create_directories(options_.folder, error);
    if (error) {
        refuse("the folder " + options_.folder + " cannot be made: " + error.message());
        return false;
    }
    const std::time_t now = about_.startedAt != 0 ? static_cast<std::time_t>(about_.startedAt) : std::time(nullptr);
    std::tm parts{};
    ::gmtime_r(&now, &parts);
    char stamp[32];
    std::strftime(stamp, sizeof stamp, "%Y%m%d-%H%M%S", &parts);
    for (int n = 0; n < namesTried && file_ < 0; ++n) {
        path_ = options_.folder + "/" + stamp + "-" + std::to_string(::getpid()) + (n == 0 ? "" : "-" + std::to_string(n))
                + formats::runExtension;
        file_ = ::open(path_.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
        if (file_ < 0 && errno != EEXIST)
            break;
    }
    if (file_ < 0) {
        refuse("no file can be made in " + options_.folder + ": " + std::strerror(errno));
        path_.clear();
        return false;
    }
    // Told apart by it from runs that a crash left behind. Who looks for those holds it for a moment.
    for (int n = 0; n < namesTried && ::flock(file_, LOCK_EX | LOCK_NB) != 0; ++n)
        std::this_thread::sleep_for(1ms);
    const auto head = formats::runHead(about_);
    bool good = append(file_, 0, head);
    if (good && !syncFolder(options_.folder)) {
        good = false;
        refuse("the folder " + options_.folder + " cannot be made safe on its disk: " + std::strerror(errno));
    }
    if (!good) {
        ::close(file_);
        file_ = -1;
        files::remove(path_, error);
        path_.clear();
        return false;
    }
    fileEnd_ = head.size();
    return true;
}

bool Spool::append(int file, std::uint64_t at, const std::vector<std::uint8_t>& bytes)
{
    std::size_t done = 0;
    while (done < bytes.size()) {
        const ssize_t wrote = ::pwrite(file, bytes.data() + done, bytes.size() - done, static_cast<off_t>(at + done));
        if (wrote < 0 && errno == EINTR)
            continue;
        if (wrote <= 0)
            break;
        done += static_cast<std::size_t>(wrote);
    }
    if (done == bytes.size() && ::fdatasync(file) == 0)
        return true;
    refuse(std::string("writing to ") + path_ + " failed: " + std::strerror(errno));
    (void)!::ftruncate(file, static_cast<off_t>(at));  // no half block stays behind
    return false;
}

bool Spool::writeSegments(const trace::Snapshot& snapshot)
{
    const std::size_t complete = static_cast<std::size_t>(snapshot.rows() / trace::segmentRows);
    std::vector<std::uint8_t> bytes;
    std::vector<std::pair<std::size_t, Place>> written;
    const std::size_t end = std::min(complete, nextSegment_ + segmentsAtOnce);
    for (std::size_t s = nextSegment_; s < end; ++s) {
        if (trace_.isGone(trace::Row{s} * trace::segmentRows))
            continue;
        const std::uint64_t at = fileEnd_ + bytes.size();
        formats::writeRunBlock(trace_, *snapshot.segment(s), 0, trace::segmentRows, bytes);
        written.push_back({s, {at, static_cast<std::uint32_t>(fileEnd_ + bytes.size() - at)}});
    }
    if (!bytes.empty() && !append(file_, fileEnd_, bytes))
        return false;
    fileEnd_ += bytes.size();
    nextSegment_ = end;
    {
        const std::scoped_lock lock(mutex_);
        places_.resize(end);
        for (const auto& [segment, place] : written)
            places_[segment] = place;
        report_.rows = std::max<std::uint64_t>(report_.rows, trace::Row{end} * trace::segmentRows);
    }
    for (const auto& [segment, place] : written)
        trace_.residence()->kept(segment);
    return true;
}

bool Spool::writeTail(const trace::Snapshot& snapshot)
{
    const std::size_t segment = static_cast<std::size_t>(snapshot.rows() / trace::segmentRows);
    const trace::Row first = trace::Row{segment} * trace::segmentRows;
    if (snapshot.rows() == first || (segment == tailSegment_ && tailNext_ == snapshot.rows()))
        return true;
    const bool fresh = segment != tailSegment_;
    std::vector<std::uint8_t> bytes;
    if (fresh)
        bytes = formats::runHead(about_);
    const trace::Row from = fresh ? first : tailNext_;
    formats::writeRunBlock(trace_, *snapshot.segment(segment), static_cast<std::uint32_t>(from - first),
        static_cast<std::uint32_t>(snapshot.rows() - first), bytes);
    if (!fresh) {
        if (!append(tail_, tailEnd_, bytes))
            return false;
        tailEnd_ += bytes.size();
    } else {
        // The tail before holds nothing that the file has not: the new one takes its place whole.
        const std::string name = formats::tailOf(path_);
        const std::string beside = name + ".new";
        const int file = ::open(beside.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
        if (file < 0) {
            refuse("no file can be made in " + options_.folder + ": " + std::strerror(errno));
            return false;
        }
        bool good = append(file, 0, bytes);
        if (good && (::rename(beside.c_str(), name.c_str()) != 0 || !syncFolder(options_.folder))) {
            good = false;
            refuse("the newest frames in " + name + " cannot be made safe on its disk: " + std::strerror(errno));
        }
        if (!good) {
            ::close(file);
            ::unlink(beside.c_str());
            return false;
        }
        if (tail_ >= 0)
            ::close(tail_);
        tail_ = file;
        tailEnd_ = bytes.size();
        tailSegment_ = segment;
    }
    tailNext_ = snapshot.rows();
    const std::scoped_lock lock(mutex_);
    report_.rows = std::max(report_.rows, snapshot.rows());
    return true;
}

void Spool::keepWithinBound(bool taken)
{
    trace::Residence& residence = *trace_.residence();
    residence.relieve();
    // A disk that is merely slow gets as much again before frames are let go.
    const std::size_t most = taken ? 2 * residence.bound() : residence.bound();
    std::uint64_t letGo = 0;
    while (residence.held() > most && residence.letGoOldest() != trace::Residence::none)
        letGo += trace::segmentRows;
    if (letGo == 0)
        return;
    residence.relieve();
    letGo_ += letGo;
    if (taken)
        why_ = "the disk does not keep up";
    disk_ = SpoolReport::Disk::refused;
}

void Spool::refuse(const std::string& why)
{
    disk_ = SpoolReport::Disk::refused;
    why_ = why;
    retryAt_ = std::chrono::steady_clock::now() + std::min<std::chrono::steady_clock::duration>(retryAfter, 8 * options_.every);
}

std::unique_ptr<trace::Segment> Spool::load(std::size_t index)
{
    Place place;
    int file = -1;
    {
        const std::scoped_lock lock(mutex_);
        if (index < places_.size())
            place = places_[index];
        file = file_;
    }
    if (place.stored == 0 || file < 0)
        return nullptr;
    std::vector<std::uint8_t> bytes(place.stored);
    const auto head = readAt(file, place.offset, bytes) == bytes.size() ? formats::RunBlockHead::read(bytes) : std::nullopt;
    auto block = head ? formats::RunBlock::read(*head, std::span(bytes).subspan(formats::RunBlockHead::size))
                      : Expected<formats::RunBlock>(fail("it cannot be read"));
    if (block && head->firstRow == trace::Row{index} * trace::segmentRows && head->rows == trace::segmentRows)
        if (auto segment = block->segment(head->firstRow, trace_))
            return segment;
    const std::scoped_lock lock(mutex_);
    unreadable_ = "Frames from row " + std::to_string(trace::Row{index} * trace::segmentRows + 1) + " on cannot be read from " + path_
                  + (block ? "" : ": " + block.error().what);
    return nullptr;
}

}  // namespace wavetrope::spool
