// Bytes of a log from a file or from memory, in order.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "can/error.h"

namespace wavetrope::formats {

/// Hands out contiguous stretches of bytes. What was handed out stays valid until the next call of `window`.
class ByteSource {
public:
    /// Opens a file. Errors for what is missing, unreadable or a directory.
    [[nodiscard]] static Expected<ByteSource> open(const std::string& path);
    /// Reads from memory that outlives the source.
    explicit ByteSource(std::span<const std::uint8_t> memory);
    ~ByteSource();
    ByteSource(ByteSource&& other) noexcept;
    ByteSource& operator=(ByteSource&&) = delete;
    ByteSource(const ByteSource&) = delete;
    ByteSource& operator=(const ByteSource&) = delete;

    /// At least `wanted` bytes from the current position where there are so many, else all that are left. As much more
    /// as is at hand. `wanted` is limited to `mostAtOnce`.
    [[nodiscard]] std::span<const std::uint8_t> window(std::size_t wanted);
    /// Steps over bytes; beyond the end means to the end.
    void skip(std::uint64_t count);

    [[nodiscard]] std::uint64_t position() const { return position_; }
    [[nodiscard]] std::uint64_t size() const { return size_; }
    [[nodiscard]] const std::string& name() const { return name_; }

    static constexpr std::size_t mostAtOnce = 16U << 20;

private:
    ByteSource() = default;

    std::string name_ = "memory";
    int file_ = -1;
    std::span<const std::uint8_t> memory_;
    std::vector<std::uint8_t> buffer_;
    std::uint64_t bufferStart_ = 0;     // position of buffer_[0] in the file
    std::size_t bufferFill_ = 0;
    std::uint64_t position_ = 0;
    std::uint64_t size_ = 0;
};

}  // namespace wavetrope::formats
