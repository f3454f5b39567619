#include "formats/byte_source.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <mutex>
#include <utility>

#include "can/read_at.h"

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
    const Compression compression = compressionOfHead({head, fetch(0, head)});
    if (compression == Compression::none)
        return;
    fetched_ = std::make_shared<std::uint64_t>(0);
    // The source may be moved: the function holds what it needs.
    inflater_ = Inflater::make(compression, [file = file_, memory = memory_, at = fetched_](std::span<std::uint8_t> out) {
        ByteSource plain;
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
    if (file_ < 0) {
        const std::size_t count = from >= memory_.size() ? 0 : std::min<std::size_t>(out.size(), memory_.size() - from);
        if (count > 0)
            std::memcpy(out.data(), memory_.data() + from, count);
        return count;
    }
    return readAt(file_, from, out);
}

ByteSource::ByteSource(ByteSource&& other) noexcept
    : name_(std::move(other.name_)), more_(std::move(other.more_)), trouble_(std::move(other.trouble_)), file_(other.file_), memory_(other.memory_), buffers_(std::move(other.buffers_)), buffer_(std::move(other.buffer_)),
      held_(other.held_), bufferStart_(other.bufferStart_), bufferFill_(other.bufferFill_), position_(other.position_), stored_(other.stored_),
      inflater_(std::move(other.inflater_)), fetched_(std::move(other.fetched_))
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
    if (file_ < 0 && inflater_ == nullptr)
        return memory_.subspan(static_cast<std::size_t>(std::min<std::uint64_t>(position_, stored_)));
    const std::uint64_t bufferEnd = bufferStart_ + bufferFill_;
    if (position_ < bufferStart_ || position_ + wanted > bufferEnd) {
        const std::size_t kept = position_ >= bufferStart_ && position_ < bufferEnd ? static_cast<std::size_t>(bufferEnd - position_) : 0;
        makeRoom(std::max(readAhead, wanted), kept);
        bufferStart_ = position_;
        const std::span<std::uint8_t> room(buffer_->data() + kept, buffer_->size() - kept);
        bufferFill_ = kept + (inflater_ != nullptr ? inflater_->read(room) : fetch(bufferStart_ + kept, room));
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
    struct stat now {};
    const std::uint64_t known = bufferStart_ + bufferFill_;
    do {
        if (!more_() || ::fstat(file_, &now) != 0)
            return false;
        struct stat named {};
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
