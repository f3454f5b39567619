#include "formats/byte_source.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

namespace wavetrope::formats {

namespace {

constexpr std::size_t readAhead = 4U << 20;

}  // namespace

Expected<ByteSource> ByteSource::open(const std::string& path)
{
    const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0)
        return fail(std::string("the log cannot be opened: ") + std::strerror(errno), path, "Check the name and the rights");
    struct stat info {};
    if (::fstat(file, &info) != 0 || S_ISDIR(info.st_mode)) {
        ::close(file);
        return fail("this is a directory, not a log", path, "Choose a file");
    }
    if (!S_ISREG(info.st_mode)) {
        ::close(file);
        return fail("this is not a regular file", path, "Copy it to a file first");
    }
    ByteSource source;
    source.name_ = path;
    source.file_ = file;
    source.size_ = static_cast<std::uint64_t>(info.st_size);
    return source;
}

ByteSource::ByteSource(std::span<const std::uint8_t> memory) : memory_(memory), size_(memory.size()) {}

ByteSource::ByteSource(ByteSource&& other) noexcept
    : name_(std::move(other.name_)), file_(other.file_), memory_(other.memory_), buffer_(std::move(other.buffer_)),
      bufferStart_(other.bufferStart_), bufferFill_(other.bufferFill_), position_(other.position_), size_(other.size_)
{
    other.file_ = -1;
}

ByteSource::~ByteSource()
{
    if (file_ >= 0)
        ::close(file_);
}

std::span<const std::uint8_t> ByteSource::window(std::size_t wanted)
{
    wanted = std::min(wanted, mostAtOnce);
    if (file_ < 0)
        return memory_.subspan(static_cast<std::size_t>(std::min<std::uint64_t>(position_, size_)));
    const std::uint64_t bufferEnd = bufferStart_ + bufferFill_;
    if (position_ < bufferStart_ || position_ + wanted > bufferEnd) {
        const std::size_t kept = position_ >= bufferStart_ && position_ < bufferEnd ? static_cast<std::size_t>(bufferEnd - position_) : 0;
        if (buffer_.size() < std::max(readAhead, wanted))
            buffer_.resize(std::max(readAhead, wanted));
        if (kept > 0)
            std::memmove(buffer_.data(), buffer_.data() + (position_ - bufferStart_), kept);
        bufferStart_ = position_;
        bufferFill_ = kept;
        while (bufferFill_ < buffer_.size()) {
            const ssize_t got = ::pread(file_, buffer_.data() + bufferFill_, buffer_.size() - bufferFill_,
                                        static_cast<off_t>(bufferStart_ + bufferFill_));
            if (got < 0 && errno == EINTR)
                continue;
            if (got <= 0)
                break;
            bufferFill_ += static_cast<std::size_t>(got);
        }
    }
    const auto offset = static_cast<std::size_t>(position_ - bufferStart_);
    return {buffer_.data() + offset, bufferFill_ - offset};
}

void ByteSource::skip(std::uint64_t count)
{
    position_ = count > size_ - std::min(position_, size_) ? size_ : position_ + count;
}

}  // namespace wavetrope::formats
