// SPDX-License-Identifier: GPL-3.0-or-later
// Bytes of a log from a file or from memory, in order.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "base/error.h"
#include "formats/compression.h"

namespace wavetrope::formats {

/// Hands out contiguous stretches of bytes. What was handed out stays valid until the next call of `window`. Compressed
/// bytes are recognised, and handed out as what they hold.
class ByteSource {
public:
    /// Opens a file, or a pipe, which is read as it comes; "-" is standard input. Errors for what is missing, unreadable or
    /// a directory. Of a file that grows it hands out what was there now, unless it is followed.
    [[nodiscard]] static Expected<ByteSource> open(const std::string& path);
    /// Reads from memory that outlives the source; compressed bytes are taken apart only where that is asked for.
    explicit ByteSource(std::span<const std::uint8_t> memory, bool inflate = false);
    ~ByteSource();
    ByteSource(ByteSource&& other) noexcept;
    ByteSource& operator=(ByteSource&&) = delete;
    ByteSource(const ByteSource&) = delete;
    ByteSource& operator=(const ByteSource&) = delete;

    /// At least `wanted` bytes from the current position where there are so many, else all that are left. As much more
    /// as is at hand. `wanted` is limited to `mostAtOnce`.
    [[nodiscard]] std::span<const std::uint8_t> window(std::size_t wanted);
    /// Keeps what `window` handed out last for as long as this is held, by any thread; null for bytes in memory, which
    /// outlive the source.
    [[nodiscard]] std::shared_ptr<const void> hold();
    /// Steps over bytes; beyond the end means to the end.
    void skip(std::uint64_t count);

    [[nodiscard]] std::uint64_t position() const { return position_; }
    /// How many bytes there are; of compressed ones that is not known beforehand, and this is the largest number.
    [[nodiscard]] std::uint64_t size() const { return inflater_ == nullptr ? stored_ : ~std::uint64_t{0}; }
    /// Whether it is a pipe: its bytes come once, and nobody knows how many.
    [[nodiscard]] bool live() const { return pipe_ != nullptr; }
    [[nodiscard]] const std::string& name() const { return name_; }
    /// What is wrong with the compressed bytes, if anything: what was handed out before is good.
    [[nodiscard]] std::string damage() const { return inflater_ == nullptr ? trouble_ : inflater_->damage(); }

    /// For a file that another program writes: where its bytes end, `more` is asked, which waits a little and gives whether
    /// to look again. It ends by itself, and says so as damage, where the file is made shorter or another takes its place.
    /// Compressed files cannot be followed.
    void follow(std::function<bool()> more) { more_ = std::move(more); }

    /// How far the reading has got, in bytes as they are stored.
    [[nodiscard]] std::uint64_t done() const { return inflater_ == nullptr ? position_ : *fetched_; }
    [[nodiscard]] std::uint64_t total() const { return stored_; }

    static constexpr std::size_t mostAtOnce = 16U << 20;

private:
    ByteSource() = default;
    void recogniseCompression();
    [[nodiscard]] bool hasGrown();
    // Makes room for so many bytes; the last `kept` of those from the position on move to the front.
    void makeRoom(std::size_t size, std::size_t kept);
    std::size_t fetch(std::uint64_t from, std::span<std::uint8_t> out) const;

    std::string name_ = "memory";
    std::function<bool()> more_;
    std::string trouble_;               // what ended the following
    int file_ = -1;
    class Pipe;
    std::shared_ptr<Pipe> pipe_;
    std::span<const std::uint8_t> memory_;
    class Buffers;
    std::shared_ptr<Buffers> buffers_;
    std::shared_ptr<std::vector<std::uint8_t>> buffer_;
    bool held_ = false;                 // buffer_, by someone else as well
    std::uint64_t bufferStart_ = 0;     // position of the first byte of buffer_
    std::size_t bufferFill_ = 0;
    std::uint64_t position_ = 0;
    std::uint64_t stored_ = 0;          // bytes of the file
    std::unique_ptr<Inflater> inflater_;
    std::shared_ptr<std::uint64_t> fetched_;    // of them, those that the inflater has had
};

}  // namespace wavetrope::formats
