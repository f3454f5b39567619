// SPDX-License-Identifier: GPL-3.0-or-later
// Compressed files, read and written as they are: gzip (RFC 1952) and Zstandard (RFC 8878).
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace wavetrope::formats {

/// Texts of two bytes a character are taken apart in the same way: what comes out is UTF-8.
enum class Compression : std::uint8_t { none, gzip, zstd, utf16Little, utf16Big };

/// What a file name ends in: ".gz", ".zst", or neither.
[[nodiscard]] Compression compressionOfName(std::string_view path);
/// What compressed files' names end in.
[[nodiscard]] std::span<const std::string_view> compressedEndings();
/// A file name without ".gz" or ".zst" at its end.
[[nodiscard]] std::string_view withoutCompression(std::string_view path);
/// What a file begins with.
[[nodiscard]] Compression compressionOfHead(std::span<const std::uint8_t> head);

/// Takes compressed bytes apart.
class Inflater {
public:
    /// Gives further compressed bytes, as many as fit; 0 at their end.
    using More = std::function<std::size_t(std::span<std::uint8_t>)>;

    virtual ~Inflater() = default;
    /// Fills `out` as far as there is something, and gives how many bytes those are. Fewer only at the end or where the
    /// bytes are damaged or cut off, which `damage` then tells.
    virtual std::size_t read(std::span<std::uint8_t> out) = 0;
    [[nodiscard]] const std::string& damage() const { return damage_; }

    [[nodiscard]] static std::unique_ptr<Inflater> make(Compression compression, More more);

protected:
    std::string damage_;
};

/// Puts bytes together.
class Deflater {
public:
    virtual ~Deflater() = default;
    enum class Until : std::uint8_t { more, flush, end };
    /// Appends what becomes of `bytes` to `out`. With `flush`, all so far can be read back from what is out; with `end`
    /// the file is whole.
    virtual void write(std::span<const std::uint8_t> bytes, Until until, std::vector<std::uint8_t>& out) = 0;

    /// Null for no compression.
    [[nodiscard]] static std::unique_ptr<Deflater> make(Compression compression);
};

}  // namespace wavetrope::formats
