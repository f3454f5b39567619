// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/byte_source.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <mutex>
#include <utility>

#include "base/read_at.h"

namespace wavetrope::formats {

namespace {

constexpr std::size_t readAhead = 512U << 10;

}  // namespace

// Buffers that are used again once nobody holds what they were filled with.
class ByteSource::Buffers : public std::enable_shared_from_this<Buffers> {
public:
    using Buffer = std::vector<std::uint8_t>;

    [[nodiscard]] std::shared_ptr<Buffer> take(std::size_t size)
    {
        std::unique_ptr<Buffer> buffer;
        {
            const std::scoped_lock lock(mutex_);
            if (!free_.empty()) {
                buffer = std::move(free_.back());
                free_.pop_back();
            }
        }
        if (!buffer)
            buffer = std::make_unique<Buffer>();
        if (buffer->size() < size)
            buffer->resize(size);
        return {buffer.release(), [owner = shared_from_this()](Buffer* back) {
                    const std::scoped_lock lock(owner->mutex_);
                    owner->free_.emplace_back(back);
                }};
    }

private:
    std::mutex mutex_;
    std::vector<std::unique_ptr<Buffer>> free_;
};

// Bytes that come once, in order.
class ByteSource::Pipe {
public:
    explicit Pipe(int file) : file_(file) {}
    ~Pipe() { ::close(file_); }
    Pipe(const Pipe&) = delete;
    Pipe& operator=(const Pipe&) = delete;

    // What is at hand of the bytes from a place on, which lies at or behind those that were read; waits for one. 0 at the
    // end, and where a signal came meanwhile.
    std::size_t readAt(std::uint64_t from, std::span<std::uint8_t> out)
    {
        std::uint8_t scratch[65536];
        while (at_ < from) {
            const std::size_t stepped = next({scratch, static_cast<std::size_t>(std::min<std::uint64_t>(sizeof scratch, from - at_))});
            if (stepped == 0)
                return 0;
        }
        return next(out);
    }
    // Looks at the first bytes.
    std::size_t peek(std::span<std::uint8_t> out)
    {
        while (ahead_.size() < out.size()) {
            std::uint8_t byte = 0;
            if (::read(file_, &byte, 1) != 1)
                break;
            ahead_.push_back(byte);
        }
        std::copy(ahead_.begin(), ahead_.end(), out.begin());
        return ahead_.size();
    }

private:
    std::size_t next(std::span<std::uint8_t> out)
    {
        std::size_t got = std::min(out.size(), ahead_.size());
        if (got > 0) {
            std::copy_n(ahead_.begin(), got, out.begin());
            ahead_.erase(ahead_.begin(), ahead_.begin() + static_cast<std::ptrdiff_t>(got));
        } else {
            const ssize_t read = ::read(file_, out.data(), out.size());
            got = read > 0 ? static_cast<std::size_t>(read) : 0;
        }
        at_ += got;
        return got;
    }

    int file_;
    std::uint64_t at_ = 0;
    std::vector<std::uint8_t> ahead_;
};

Expected<ByteSource> ByteSource::open(const std::string& path)
{
    const int file = path == "-" ? ::dup(STDIN_FILENO) : ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0)
        return fail(std::string("the log cannot be opened: ") + std::strerror(errno), path, "Check the name and the rights");
    struct stat info{};
    if (::fstat(file, &info) != 0 || S_ISDIR(info.st_mode)) {
        ::close(file);
        return fail("this is a directory, not a log", path, "Choose a file");
    }
    const bool pipe = S_ISFIFO(info.st_mode) || S_ISSOCK(info.st_mode) || (path == "-" && !S_ISREG(info.st_mode));
    if (!S_ISREG(info.st_mode) && !pipe) {
        ::close(file);
        return fail("this is neither a file nor a pipe", path, "Copy it to a file first");
    }
    ByteSource source;
    source.name_ = path == "-" ? "standard input" : path;
    if (pipe || path == "-") {
        source.pipe_ = std::make_shared<Pipe>(file);
        source.stored_ = ~std::uint64_t{0};
        source.recogniseCompression();
        return source;
    }
    source.file_ = file;
    source.stored_ = static_cast<std::uint64_t>(info.st_size);
    source.recogniseCompression();
    return source;
}

ByteSource::ByteSource(std::span<const std::uint8_t> memory, bool inflate) : memory_(memory), stored_(memory.size())
{
    if (inflate)
        recogniseCompression();
}

void ByteSource::recogniseCompression()
{
    std::uint8_t head[4];
    const Compression compression = compressionOfHead({head, pipe_ != nullptr ? pipe_->peek(head) : fetch(0, head)});
    if (compression == Compression::none)
        return;
    fetched_ = std::make_shared<std::uint64_t>(0);
    // The source may be moved: the function holds what it needs.
    inflater_ = Inflater::make(compression, [file = file_, pipe = pipe_, memory = memory_, at = fetched_](std::span<std::uint8_t> out) {
        ByteSource plain;
        plain.pipe_ = pipe;
        plain.file_ = file;
        plain.memory_ = memory;
        const std::size_t got = plain.fetch(*at, out);
        plain.file_ = -1;
        *at += got;
        return got;
    });
}

std::size_t ByteSource::fetch(std::uint64_t from, std::span<std::uint8_t> out) const
{
    if (pipe_ != nullptr)
        return pipe_->readAt(from, out);
    if (file_ < 0) {
        const std::size_t count = from >= memory_.size() ? 0 : std::min<std::size_t>(out.size(), memory_.size() - from);
        if (count > 0)
            std::memcpy(out.data(), memory_.data() + from, count);
        return count;
    }
    return readAt(file_, from, out);
}

ByteSource::ByteSource(ByteSource&& other) noexcept
    : name_(std::move(other.name_)),
      more_(std::move(other.more_)),
      trouble_(std::move(other.trouble_)),
      file_(other.file_),
      pipe_(std::move(other.pipe_)),
      memory_(other.memory_),
      buffers_(std::move(other.buffers_)),
      buffer_(std::move(other.buffer_)),
      held_(other.held_),
      bufferStart_(other.bufferStart_),
      bufferFill_(other.bufferFill_),
      position_(other.position_),
      stored_(other.stored_),
      inflater_(std::move(other.inflater_)),
      fetched_(std::move(other.fetched_))
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
    if (file_ < 0 && pipe_ == nullptr && inflater_ == nullptr)
        return memory_.subspan(static_cast<std::size_t>(std::min<std::uint64_t>(position_, stored_)));
    const std::uint64_t bufferEnd = bufferStart_ + bufferFill_;
    if (position_ < bufferStart_ || position_ + wanted > bufferEnd) {
        const std::size_t kept = position_ >= bufferStart_ && position_ < bufferEnd ? static_cast<std::size_t>(bufferEnd - position_) : 0;
        makeRoom(std::max(readAhead, wanted), kept);
        bufferStart_ = position_;
        std::span<std::uint8_t> room(buffer_->data() + kept, buffer_->size() - kept);
        // What another program writes behind that is not part of this reading, unless it is followed.
        if (inflater_ == nullptr && !more_ && pipe_ == nullptr)
            room = room.first(std::min<std::uint64_t>(room.size(), stored_ - std::min(stored_, bufferStart_ + kept)));
        bufferFill_ = kept + (inflater_ != nullptr ? inflater_->read(room) : fetch(bufferStart_ + kept, room));
        // A pipe gives what is there: as much as is wanted is waited for.
        for (std::size_t got = 1; pipe_ != nullptr && inflater_ == nullptr && got > 0 && bufferFill_ < wanted; bufferFill_ += got)
            got = fetch(bufferStart_ + bufferFill_, {buffer_->data() + bufferFill_, buffer_->size() - bufferFill_});
        while (bufferFill_ < wanted && hasGrown())
            bufferFill_ += fetch(bufferStart_ + bufferFill_, {buffer_->data() + bufferFill_, buffer_->size() - bufferFill_});
    }
    const auto offset = static_cast<std::size_t>(position_ - bufferStart_);
    return {buffer_->data() + offset, bufferFill_ - offset};
}

void ByteSource::makeRoom(std::size_t size, std::size_t kept)
{
    const std::size_t from = kept == 0 ? 0 : static_cast<std::size_t>(position_ - bufferStart_);
    if (buffer_ == nullptr || held_) {
        if (buffers_ == nullptr)
            buffers_ = std::make_shared<Buffers>();
        const auto before = std::exchange(buffer_, buffers_->take(size));
        held_ = false;
        if (kept > 0)
            std::memcpy(buffer_->data(), before->data() + from, kept);
        return;
    }
    if (buffer_->size() < size)
        buffer_->resize(size);
    if (kept > 0)
        std::memmove(buffer_->data(), buffer_->data() + from, kept);
}

std::shared_ptr<const void> ByteSource::hold()
{
    held_ = buffer_ != nullptr;
    return buffer_;
}

bool ByteSource::hasGrown()
{
    if (!more_ || inflater_ != nullptr || file_ < 0 || !trouble_.empty())
        return false;
    struct stat now{};
    const std::uint64_t known = bufferStart_ + bufferFill_;
    do {
        if (!more_() || ::fstat(file_, &now) != 0)
            return false;
        struct stat named{};
        const bool replaced = ::stat(name_.c_str(), &named) != 0 || named.st_ino != now.st_ino || named.st_dev != now.st_dev;
        if (static_cast<std::uint64_t>(now.st_size) < known)
            trouble_ = "the file was made shorter while it was followed";
        else if (replaced && static_cast<std::uint64_t>(now.st_size) == known)
            trouble_ = "the file was removed or replaced while it was followed";
        if (!trouble_.empty())
            return false;
    } while (static_cast<std::uint64_t>(now.st_size) == known);
    stored_ = static_cast<std::uint64_t>(now.st_size);
    return true;
}

void ByteSource::skip(std::uint64_t count)
{
    if (inflater_ == nullptr && more_) {
        position_ += count;  // what is to be stepped over may be still to come
        return;
    }
    if (inflater_ == nullptr) {
        position_ = count > stored_ - std::min(position_, stored_) ? stored_ : position_ + count;
        return;
    }
    while (count > 0) {  // compressed bytes can only be gone through
        const std::uint64_t step = std::min<std::uint64_t>(count, window(1).size());
        if (step == 0)
            return;
        position_ += step;
        count -= step;
    }
}

}  // namespace wavetrope::formats
