// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/compression.h"

#include <zlib.h>
#include <zstd.h>

#include <algorithm>
#include <cctype>
#include <limits>

namespace wavetrope::formats {

namespace {

constexpr std::size_t inputSize = 256 * 1024;
constexpr int gzipLevel = 4;        // nearly as small as the customary 6, at twice the pace
constexpr int zstdLevel = 3;
constexpr int gzipWindow = 15 + 16; // the largest window, with a gzip head

bool endsIn(std::string_view path, std::string_view ending)
{
    return path.size() > ending.size()
           && std::equal(ending.begin(), ending.end(), path.end() - static_cast<std::ptrdiff_t>(ending.size()),
               [](char a, char b) { return a == std::tolower(static_cast<unsigned char>(b)); });
}

// Compressed bytes that were fetched and not yet used up.
class Input {
public:
    explicit Input(Inflater::More more) : more_(std::move(more)), bytes_(inputSize) {}
    // False at the end.
    bool fetch()
    {
        if (at < fill)
            return true;
        at = 0;
        fill = more_(bytes_);
        return fill > 0;
    }
    [[nodiscard]] std::uint8_t* data() { return bytes_.data() + at; }
    std::size_t at = 0;
    std::size_t fill = 0;

private:
    Inflater::More more_;
    std::vector<std::uint8_t> bytes_;
};

class GzipInflater final : public Inflater {
public:
    explicit GzipInflater(More more) : input_(std::move(more)) { inflateInit2(&stream_, gzipWindow); }
    ~GzipInflater() override { inflateEnd(&stream_); }
    GzipInflater(const GzipInflater&) = delete;
    GzipInflater& operator=(const GzipInflater&) = delete;

    std::size_t read(std::span<std::uint8_t> out) override
    {
        std::size_t done = 0;
        while (done < out.size() && !over_) {
            if (!input_.fetch()) {
                if (inside_)
                    damage_ = "the compressed file is cut off";
                over_ = true;
                break;
            }
            stream_.next_in = input_.data();
            stream_.avail_in = static_cast<uInt>(input_.fill - input_.at);
            stream_.next_out = out.data() + done;
            stream_.avail_out = static_cast<uInt>(std::min<std::size_t>(out.size() - done, std::numeric_limits<uInt>::max()));
            const uInt room = stream_.avail_out;
            inside_ = true;
            const int result = inflate(&stream_, Z_NO_FLUSH);
            input_.at = input_.fill - stream_.avail_in;
            done += room - stream_.avail_out;
            if (result == Z_STREAM_END) {  // several files one behind the other are one (RFC 1952, 2.2)
                inside_ = false;
                anyWhole_ = true;
                inflateReset(&stream_);
            } else if (result != Z_OK && result != Z_BUF_ERROR) {
                if (!(anyWhole_ && stream_.total_out == 0))  // what follows a whole file may be filling
                    damage_ = "the compressed bytes are damaged";
                over_ = true;
            }
        }
        return done;
    }

private:
    Input input_;
    z_stream stream_{};
    bool inside_ = false;
    bool anyWhole_ = false;
    bool over_ = false;
};

class ZstdInflater final : public Inflater {
public:
    explicit ZstdInflater(More more) : input_(std::move(more)), stream_(ZSTD_createDStream(), ZSTD_freeDStream) {}

    std::size_t read(std::span<std::uint8_t> out) override
    {
        ZSTD_outBuffer target{out.data(), out.size(), 0};
        while (target.pos < target.size && !over_) {
            // What is finished inside is handed out before more is fetched.
            const bool fetched = input_.fetch();
            if (!fetched && !full_) {
                if (inside_)
                    damage_ = "the compressed file is cut off";
                over_ = true;
                break;
            }
            ZSTD_inBuffer source{input_.data(), input_.fill - input_.at, 0};
            const std::size_t before = target.pos;
            const std::size_t result = ZSTD_decompressStream(stream_.get(), &target, &source);
            input_.at += source.pos;
            if (ZSTD_isError(result) != 0) {
                damage_ = std::string("the compressed bytes are damaged (") + ZSTD_getErrorName(result) + ")";
                over_ = true;
            }
            inside_ = result != 0;
            full_ = inside_ && target.pos == target.size && target.pos > before;
        }
        return target.pos;
    }

private:
    Input input_;
    std::unique_ptr<ZSTD_DStream, decltype(&ZSTD_freeDStream)> stream_;
    bool inside_ = false;
    bool full_ = false;
    bool over_ = false;
};

// UTF-16 (RFC 2781) to UTF-8 (RFC 3629). A surrogate without its other half becomes U+FFFD.
class Utf16Reader final : public Inflater {
public:
    Utf16Reader(More more, bool bigEndian) : input_(std::move(more)), big_(bigEndian) {}

    std::size_t read(std::span<std::uint8_t> out) override
    {
        std::size_t done = 0;
        while (done < out.size()) {
            if (given_ < ready_.size()) {
                out[done++] = static_cast<std::uint8_t>(ready_[given_++]);
                continue;
            }
            const int unit = next();
            if (unit < 0) {
                if (high_ != 0)
                    put(0xFFFD);
                high_ = 0;
                if (given_ == ready_.size())
                    break;
                continue;
            }
            const auto code = static_cast<char32_t>(unit);
            const bool low = code >= 0xDC00 && code < 0xE000;
            if (high_ != 0 && low) {
                put(0x10000 + ((high_ - 0xD800) << 10) + (code - 0xDC00));
                high_ = 0;
                continue;
            }
            const bool lost = high_ != 0;
            high_ = code >= 0xD800 && code < 0xDC00 ? code : 0;
            if (lost)
                put(0xFFFD);
            if (high_ == 0 && !(first_ && code == 0xFEFF))
                put(low ? char32_t{0xFFFD} : code, lost);
            first_ = false;
        }
        return done;
    }

private:
    // A unit of two bytes, or -1 at the end.
    int next()
    {
        int bytes[2];
        for (int& byte : bytes) {
            if (!input_.fetch())
                return -1;
            byte = *input_.data();
            ++input_.at;
        }
        return big_ ? bytes[0] << 8 | bytes[1] : bytes[1] << 8 | bytes[0];
    }
    void put(char32_t code, bool behind = false)
    {
        if (!behind) {
            ready_.clear();
            given_ = 0;
        }
        const auto byte = [&](char32_t value) { ready_ += static_cast<char>(value); };
        if (code < 0x80) {
            byte(code);
        } else if (code < 0x800) {
            byte(0xC0 | code >> 6);
            byte(0x80 | (code & 0x3F));
        } else if (code < 0x10000) {
            byte(0xE0 | code >> 12);
            byte(0x80 | (code >> 6 & 0x3F));
            byte(0x80 | (code & 0x3F));
        } else {
            byte(0xF0 | code >> 18);
            byte(0x80 | (code >> 12 & 0x3F));
            byte(0x80 | (code >> 6 & 0x3F));
            byte(0x80 | (code & 0x3F));
        }
    }

    Input input_;
    bool big_;
    bool first_ = true;
    char32_t high_ = 0;         // the first half of a pair
    std::string ready_;
    std::size_t given_ = 0;
};

class GzipDeflater final : public Deflater {
public:
    GzipDeflater() { deflateInit2(&stream_, gzipLevel, Z_DEFLATED, gzipWindow, 8, Z_DEFAULT_STRATEGY); }
    ~GzipDeflater() override { deflateEnd(&stream_); }
    GzipDeflater(const GzipDeflater&) = delete;
    GzipDeflater& operator=(const GzipDeflater&) = delete;

    void write(std::span<const std::uint8_t> bytes, Until until, std::vector<std::uint8_t>& out) override
    {
        const int flush = until == Until::end ? Z_FINISH : until == Until::flush ? Z_SYNC_FLUSH : Z_NO_FLUSH;
        std::uint8_t part[32768];
        stream_.next_in = const_cast<Bytef*>(bytes.data());  // zlib does not write there
        stream_.avail_in = static_cast<uInt>(bytes.size());
        do {
            stream_.next_out = part;
            stream_.avail_out = sizeof part;
            deflate(&stream_, flush);
            out.insert(out.end(), part, part + (sizeof part - stream_.avail_out));
        } while (stream_.avail_out == 0);
    }

private:
    z_stream stream_{};
};

class ZstdDeflater final : public Deflater {
public:
    ZstdDeflater() : stream_(ZSTD_createCCtx(), ZSTD_freeCCtx)
    {
        ZSTD_CCtx_setParameter(stream_.get(), ZSTD_c_compressionLevel, zstdLevel);
        ZSTD_CCtx_setParameter(stream_.get(), ZSTD_c_checksumFlag, 1);
    }
    void write(std::span<const std::uint8_t> bytes, Until until, std::vector<std::uint8_t>& out) override
    {
        const ZSTD_EndDirective flush = until == Until::end ? ZSTD_e_end : until == Until::flush ? ZSTD_e_flush : ZSTD_e_continue;
        std::uint8_t part[32768];
        ZSTD_inBuffer source{bytes.data(), bytes.size(), 0};
        for (bool done = false; !done;) {
            ZSTD_outBuffer target{part, sizeof part, 0};
            const std::size_t left = ZSTD_compressStream2(stream_.get(), &target, &source, flush);
            out.insert(out.end(), part, part + target.pos);
            done = ZSTD_isError(left) != 0 || (until == Until::more ? source.pos == source.size : left == 0);
        }
    }

private:
    std::unique_ptr<ZSTD_CCtx, decltype(&ZSTD_freeCCtx)> stream_;
};

}  // namespace

std::span<const std::string_view> compressedEndings()
{
    static constexpr std::string_view endings[] = {".gz", ".zst"};
    return endings;
}

Compression compressionOfName(std::string_view path)
{
    return endsIn(path, ".gz") ? Compression::gzip : endsIn(path, ".zst") ? Compression::zstd : Compression::none;
}

std::string_view withoutCompression(std::string_view path)
{
    const Compression compression = compressionOfName(path);
    return path.substr(0, path.size() - (compression == Compression::gzip ? 3 : compression == Compression::zstd ? 4 : 0));
}

Compression compressionOfHead(std::span<const std::uint8_t> head)
{
    if (head.size() >= 3 && head[0] == 0x1F && head[1] == 0x8B && head[2] == 8)
        return Compression::gzip;
    if (head.size() >= 4 && head[0] == 0x28 && head[1] == 0xB5 && head[2] == 0x2F && head[3] == 0xFD)
        return Compression::zstd;
    if (head.size() >= 4) {
        // By the mark in front, or letters with noughts between them.
        const auto letter = [](std::uint8_t byte) { return byte >= 32 && byte < 127; };
        if ((head[0] == 0xFF && head[1] == 0xFE && head[2] != 0) || (letter(head[0]) && head[1] == 0 && letter(head[2]) && head[3] == 0))
            return Compression::utf16Little;
        if ((head[0] == 0xFE && head[1] == 0xFF) || (head[0] == 0 && letter(head[1]) && head[2] == 0 && letter(head[3])))
            return Compression::utf16Big;
    }
    return Compression::none;
}

std::unique_ptr<Inflater> Inflater::make(Compression compression, More more)
{
    if (compression == Compression::gzip)
        return std::make_unique<GzipInflater>(std::move(more));
    if (compression == Compression::zstd)
        return std::make_unique<ZstdInflater>(std::move(more));
    if (compression == Compression::utf16Little || compression == Compression::utf16Big)
        return std::make_unique<Utf16Reader>(std::move(more), compression == Compression::utf16Big);
    return nullptr;
}

std::unique_ptr<Deflater> Deflater::make(Compression compression)
{
    if (compression == Compression::gzip)
        return std::make_unique<GzipDeflater>();
    if (compression == Compression::zstd)
        return std::make_unique<ZstdDeflater>();
    return nullptr;
}

}  // namespace wavetrope::formats
