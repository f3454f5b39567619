#include "formats/log_file.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

namespace wavetrope::formats {

namespace {

constexpr std::size_t bufferSize = 256 * 1024;

}  // namespace

class LogFile::Target final : public ByteTarget {
public:
    explicit Target(int file) : file_(file) { buffer_.reserve(bufferSize + 128); }
    ~Target() override { close(); }
    Target(const Target&) = delete;
    Target& operator=(const Target&) = delete;

    void write(std::span<const std::uint8_t> bytes) override
    {
        buffer_.insert(buffer_.end(), bytes.begin(), bytes.end());
        if (buffer_.size() >= bufferSize)
            drain();
    }
    void drain()
    {
        std::size_t done = 0;
        while (done < buffer_.size() && failure_ == 0) {
            const ssize_t put = ::write(file_, buffer_.data() + done, buffer_.size() - done);
            if (put < 0 && errno != EINTR)
                failure_ = errno;
            else if (put > 0)
                done += static_cast<std::size_t>(put);
        }
        written_ += done;
        buffer_.clear();
    }
    void close()
    {
        if (file_ >= 0)
            ::close(file_);
        file_ = -1;
    }
    int sync() { return ::fsync(file_); }
    [[nodiscard]] int failure() const { return failure_; }
    [[nodiscard]] std::uint64_t bytes() const { return written_ + buffer_.size(); }

private:
    int file_;
    int failure_ = 0;
    std::uint64_t written_ = 0;
    std::vector<std::uint8_t> buffer_;
};

Expected<std::unique_ptr<LogFile>> LogFile::create(const std::string& path, std::span<const trace::TraceBus> buses)
{
    const auto format = formatForName(path);
    if (!format)
        return tl::unexpected(format.error());
    const std::string part = path + ".part";
    const int file = ::open(part.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (file < 0)
        return fail(std::string("the log cannot be written: ") + std::strerror(errno), part, "Choose a folder that exists and may be written to");
    auto log = std::unique_ptr<LogFile>(new LogFile(path, std::make_unique<Target>(file), (*format)->encoder()));
    log->encoder_->begin(*log->target_, buses);
    log->losses_ = log->encoder_->losses(buses);
    return log;
}

LogFile::LogFile(std::string path, std::unique_ptr<Target> target, std::unique_ptr<LogEncoder> encoder)
    : path_(std::move(path)), target_(std::move(target)), encoder_(std::move(encoder))
{
}

LogFile::~LogFile()
{
    if (target_)
        target_->drain();
}

void LogFile::write(const can::FrameView& frame)
{
    encoder_->frame(*target_, frame);
    ++frames_;
}

Expected<void> LogFile::flush()
{
    target_->drain();
    if (target_->failure() != 0)
        return fail(std::string("writing the log failed: ") + std::strerror(target_->failure()), path_ + ".part", "Free space on the disk; what was written before is whole");
    return {};
}

Expected<void> LogFile::finish()
{
    if (auto flushed = flush(); !flushed)
        return flushed;
    target_->sync();
    target_->close();
    if (::rename((path_ + ".part").c_str(), path_.c_str()) != 0)
        return fail(std::string("the finished log cannot be renamed: ") + std::strerror(errno), path_, "It stands beside, with .part behind its name");
    target_.reset();
    return {};
}

void LogFile::discard()
{
    target_.reset();
    ::unlink((path_ + ".part").c_str());
}

std::uint64_t LogFile::bytes() const
{
    return target_ ? target_->bytes() : 0;
}

}  // namespace wavetrope::formats
