// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/output_file.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstring>

namespace wavetrope::formats {

namespace {

constexpr std::size_t bufferSize = 256 * 1024;

}  // namespace

Expected<std::unique_ptr<OutputFile>> OutputFile::create(const std::string& path)
{
    const std::string part = path + ".part";
    const int file = ::open(part.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (file < 0)
        return fail(
            std::string("the file cannot be written: ") + std::strerror(errno), part, "Choose a folder that exists and may be written to");
    return std::unique_ptr<OutputFile>(new OutputFile(path, file));
}

OutputFile::OutputFile(std::string path, int file)
    : path_(std::move(path)), file_(file), deflater_(Deflater::make(compressionOfName(path_)))
{
    buffer_.reserve(bufferSize + 128);
}

OutputFile::~OutputFile()
{
    if (file_ >= 0)
        drain(Deflater::Until::flush);
    close();
}

void OutputFile::write(std::span<const std::uint8_t> bytes)
{
    buffer_.insert(buffer_.end(), bytes.begin(), bytes.end());
    if (deflater_ == nullptr)
        ends_.push_back(buffer_.size());
    if (buffer_.size() >= bufferSize)
        drain(Deflater::Until::more);
}

void OutputFile::drain(Deflater::Until until)
{
    std::span<const std::uint8_t> bytes = buffer_;
    if (deflater_ != nullptr) {
        deflated_.clear();
        deflater_->write(buffer_, until, deflated_);
        bytes = deflated_;
    }
    std::size_t done = 0;
    while (done < bytes.size() && failure_ == 0) {
        const ssize_t put = ::write(file_, bytes.data() + done, bytes.size() - done);
        if (put < 0 && errno != EINTR)
            failure_ = errno;
        else if (put > 0)
            done += static_cast<std::size_t>(put);
    }
    // Of a disk that is full, what was written last is whole: a block that was cut off is taken back.
    if (failure_ != 0 && deflater_ == nullptr) {
        const auto behind = std::upper_bound(ends_.begin(), ends_.end(), done);
        const std::size_t whole = behind == ends_.begin() ? 0 : *std::prev(behind);
        if (whole < done && ::ftruncate(file_, static_cast<off_t>(written_ + whole)) == 0)
            done = whole;
    }
    written_ += done;
    ends_.clear();
    buffer_.clear();
}

void OutputFile::close()
{
    if (file_ >= 0)
        ::close(file_);
    file_ = -1;
}

Expected<void> OutputFile::flush()
{
    // Each flush ends a block of the compression, which costs room and time: one a second is enough.
    const auto now = std::chrono::steady_clock::now();
    if (!buffer_.empty() && (deflater_ == nullptr || now - flushed_ >= std::chrono::seconds(1))) {
        drain(Deflater::Until::flush);
        flushed_ = now;
    }
    if (failure_ != 0)
        return fail(std::string("writing failed: ") + std::strerror(failure_), path_ + ".part",
            "Free space on the disk; what was written before is whole");
    return {};
}

Expected<void> OutputFile::finish()
{
    drain(Deflater::Until::end);
    if (auto flushed = flush(); !flushed)
        return flushed;
    if (::fsync(file_) != 0 && errno != EINVAL) {
        failure_ = errno;
        return flush();
    }
    close();
    if (::rename((path_ + ".part").c_str(), path_.c_str()) != 0)
        return fail(std::string("the finished file cannot be renamed: ") + std::strerror(errno), path_,
            "It stands beside, with .part behind its name");
    return {};
}

void OutputFile::discard()
{
    close();
    buffer_.clear();
    ::unlink((path_ + ".part").c_str());
}

}  // namespace wavetrope::formats
