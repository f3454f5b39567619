// SPDX-License-Identifier: GPL-3.0-or-later
#include "record/take_writer.h"

#include <sys/stat.h>

#include <algorithm>
#include <ctime>
#include <filesystem>
#include <fstream>
#include <set>

#include "base/replace_file.h"

namespace wavetrope::record {

namespace {

namespace fs = std::filesystem;

constexpr int flushesBetweenTries = 50;
constexpr std::size_t mostEnding = 16;      // files of one recording that are made whole while it takes more
constexpr const char* partly = ".part";

// Days since 1970, of the local calendar.
std::int64_t localDay(Time time)
{
    const auto seconds = static_cast<std::time_t>(std::chrono::floor<std::chrono::seconds>(time).count());
    std::tm parts{};
    localtime_r(&seconds, &parts);
    return std::int64_t{parts.tm_year} * 366 + parts.tm_yday;
}

std::uint64_t sizeOf(const fs::path& path)
{
    std::error_code code;
    const auto size = fs::file_size(path, code);
    return code ? 0 : size;
}

bool isThere(const fs::path& path)
{
    std::error_code code;
    return fs::exists(fs::symlink_status(path, code));
}

}  // namespace

Expected<std::unique_ptr<TakeWriter>> TakeWriter::create(
    const std::string& recording, const FileRules& rules, const std::string& folder, std::vector<trace::TraceBus> buses, Workers& workers)
{
    const auto name = fileNameFrom(rules.pattern, {recording, {}, 1, 1, Time{0}, false});
    if (!name)
        return tl::unexpected(name.error());
    if (const auto format = formats::formatForName(*name); !format)
        return tl::unexpected(format.error());
    std::error_code code;
    fs::create_directories(folder, code);
    if (code)
        return fail("the folder for recordings cannot be made: " + code.message(), folder, "Choose another one");
    return std::unique_ptr<TakeWriter>(new TakeWriter(recording, rules, folder, std::move(buses), workers));
}

TakeWriter::~TakeWriter()
{
    close();
    settle();
}

std::string TakeWriter::listPath() const { return (fs::path(folder_) / ("." + fileNameOf(recording_) + ".takes")).string(); }

// What a crash left beside its place is whole as far as it goes.
void TakeWriter::takeUp()
{
    std::ifstream in(listPath());
    std::set<std::string> seen;
    for (std::string name; std::getline(in, name);) {
        if (name.empty() || name.find('/') != std::string::npos || name == "." || name == ".." || !seen.insert(name).second)
            continue;
        const fs::path path = fs::path(folder_) / name;
        std::error_code code;
        if (!isThere(path) && isThere(path.string() + partly)) {
            // One in which nothing had been written yet was no file of a take.
            if (sizeOf(path.string() + partly) == 0)
                fs::remove(path.string() + partly, code);
            else
                fs::rename(path.string() + partly, path, code);
        }
        if (fs::is_regular_file(fs::symlink_status(path, code)))
            whole_.push_back({name, sizeOf(path)});
    }
}

void TakeWriter::saveList()
{
    std::string text;
    for (const Written& one : whole_)
        text += one.name + '\n';
    for (const Ending& one : ending_)
        text += one.file.name + '\n';
    if (!openName_.empty())
        text += openName_ + '\n';
    if (const auto saved = replaceFile(listPath(), text, Reaches::system); !saved)
        report_.problem = saved.error().text();
    else
        (void)workers_.submit([path = listPath()] { syncFile(path); });
}

void TakeWriter::begin(std::uint64_t take, Time at, const std::string& why)
{
    take_ = take;
    why_ = why;
    takeFrames_ = 0;
    takeFiles_.clear();
    fileBegins_ = at;
}

bool TakeWriter::full(const can::FrameView& frame) const
{
    return (rules_.size > 0 && file_->bytes() >= rules_.size) || (rules_.frames > 0 && file_->frames() >= rules_.frames)
           || (rules_.every.count() > 0 && frame.time - fileBegins_ >= rules_.every)
           || (rules_.midnight && localDay(frame.time) != localDay(fileBegins_));
}

bool TakeWriter::open(Time at)
{
    fileBegins_ = at;
    std::string name;
    do {
        ++number_;
        const auto made = fileNameFrom(rules_.pattern, {recording_, why_, take_, number_, at, false});
        if (!made || (!name.empty() && *made == name)) {
            // A pattern without a number: the number goes before the ending.
            const std::string whole = made ? *made : name;
            const std::size_t dot = whole.find('.', 1);
            name = whole.substr(0, dot) + "-" + std::to_string(number_) + (dot == std::string::npos ? std::string() : whole.substr(dot));
        } else {
            name = *made;
        }
    } while (isThere(fs::path(folder_) / name) || isThere((fs::path(folder_) / name).string() + partly));
    // It stands in the list before it is there, so that nothing is left behind that nobody knows of.
    openName_ = name;
    saveList();
    auto file = formats::LogFile::create((fs::path(folder_) / name).string(), buses_,
        "recording " + recording_ + ", take " + std::to_string(take_) + (why_.empty() ? std::string() : ", began by " + why_));
    if (!file) {
        report_.problem = file.error().text();
        openName_.clear();
        wait_ = flushesBetweenTries;
        return false;
    }
    file_ = std::move(*file);
    report_.problem.clear();
    report_.path = file_->path();
    takeFiles_.push_back(report_.path);
    ++report_.files;
    return true;
}

void TakeWriter::write(const can::FrameView& frame)
{
    ++takeFrames_;
    if (file_ && full(frame))
        close();
    if (!file_ && (wait_ > 0 || !open(takeFrames_ == 1 ? fileBegins_ : frame.time))) {
        ++report_.lost;
        return;
    }
    file_->write(frame);
}

void TakeWriter::close()
{
    if (!file_)
        return;
    if (const auto flushed = file_->flush(); !flushed)
        return leave(flushed.error());
    collect(mostEnding - 1);
    Ending ending{{std::exchange(openName_, {}), file_->bytes()}, {}};
    ending.whole = workers_.submit([file = std::move(file_)] { return file->finish(); });
    ending_.push_back(std::move(ending));
}

// Takes in the files that are whole by now, and waits for the oldest until there are so many at the most that are not.
void TakeWriter::collect(std::size_t most)
{
    bool any = false;
    while (!ending_.empty()
           && (ending_.size() > most || ending_.front().whole.wait_for(std::chrono::seconds(0)) == std::future_status::ready)) {
        Written file = std::move(ending_.front().file);
        const auto finished = workers_.wait(ending_.front().whole);
        ending_.pop_front();
        const fs::path path = fs::path(folder_) / file.name;
        if (!finished) {
            // What is there stays readable.
            report_.problem = finished.error().text();
            std::error_code code;
            fs::rename(path.string() + partly, path, code);
            wait_ = flushesBetweenTries;
        }
        file.bytes = sizeOf(path);
        whole_.push_back(std::move(file));
        any = true;
    }
    if (!any)
        return;
    bound();
    saveList();
}

void TakeWriter::settle()
{
    collect(0);
    syncFile(listPath());
}

// What is there stays readable; behind it a new file is tried, for as long as the take goes on.
void TakeWriter::leave(const Error& problem)
{
    file_.reset();
    collect(0);
    report_.problem = problem.text();
    const fs::path path = fs::path(folder_) / openName_;
    std::error_code code;
    fs::rename(path.string() + partly, path, code);
    whole_.push_back({openName_, sizeOf(path)});
    openName_.clear();
    saveList();
    wait_ = flushesBetweenTries;
}

void TakeWriter::bound()
{
    const auto all = [&] {
        std::uint64_t bytes = 0;
        for (const Written& one : whole_)
            bytes += one.bytes;
        return bytes;
    };
    while ((rules_.keep > 0 && whole_.size() > rules_.keep) || (rules_.total > 0 && whole_.size() > 1 && all() > rules_.total)) {
        std::error_code code;
        fs::remove(fs::path(folder_) / whole_.front().name, code);
        whole_.erase(whole_.begin());
    }
}

void TakeWriter::end() { close(); }

void TakeWriter::flush()
{
    if (wait_ > 0)
        --wait_;
    collect(mostEnding);
    if (!file_)
        return;
    if (const auto flushed = file_->flush(); !flushed)
        leave(flushed.error());
}

bool TakeWriter::dropOldest()
{
    if (rules_.forGood || whole_.empty())
        return false;
    std::error_code code;
    fs::remove(fs::path(folder_) / whole_.front().name, code);
    whole_.erase(whole_.begin());
    saveList();
    return true;
}

std::int64_t TakeWriter::oldest() const
{
    if (rules_.forGood || whole_.empty())
        return 0;
    struct stat facts{};
    return ::stat((fs::path(folder_) / whole_.front().name).c_str(), &facts) == 0 ? facts.st_mtime : 1;
}

WriterReport TakeWriter::report() const
{
    WriterReport out = report_;
    out.open = file_ != nullptr;
    out.frames = takeFrames_;
    for (const Written& one : whole_)
        out.bytes += one.bytes;
    for (const Ending& one : ending_)
        out.bytes += one.file.bytes;
    if (file_)
        out.bytes += file_->bytes();
    return out;
}

}  // namespace wavetrope::record
