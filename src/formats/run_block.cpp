// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/run_block.h"

#include <zlib.h>
#include <zstd.h>

#include <cstring>

#include "base/stamp.h"

namespace wavetrope::formats {

namespace {

constexpr std::uint32_t magic = 0x4B4C4252;     // "RBLK"
constexpr int level = 1;                        // a week of traffic has to be compressed while it comes
constexpr std::size_t groupBytes = 11;

template <class T>
void put(std::uint8_t* to, std::size_t at, T value)
{
    std::memcpy(to + at, &value, sizeof value);
}

template <class T>
void append(std::vector<std::uint8_t>& to, T value)
{
    const std::size_t at = to.size();
    to.resize(at + sizeof value);
    std::memcpy(to.data() + at, &value, sizeof value);
}

template <class T>
T get(const std::uint8_t* from)
{
    T value;
    std::memcpy(&value, from, sizeof value);
    return value;
}

std::uint32_t checkOf(std::span<const std::uint8_t> bytes)
{
    return static_cast<std::uint32_t>(::crc32(0, bytes.data(), static_cast<uInt>(bytes.size())));
}

// Differences of neighbouring time stamps: small numbers of either sign in few bytes.
void appendDifference(std::vector<std::uint8_t>& to, std::uint64_t difference)
{
    std::uint64_t folded = difference << 1 ^ (static_cast<std::int64_t>(difference) < 0 ? ~std::uint64_t{0} : 0);
    for (; folded >= 0x80; folded >>= 7)
        to.push_back(static_cast<std::uint8_t>(folded | 0x80));
    to.push_back(static_cast<std::uint8_t>(folded));
}

// What no frame is: more bytes than its kind has (ISO 11898-1:2015, 10.4), or an identifier beyond its bits.
bool sound(const RunBlock::Group& group)
{
    can::FrameHead head;
    trace::Segment::unpack(group.attributes, head);
    const unsigned most = head.kind == can::FrameKind::fd       ? can::maxLength
                          : head.kind == can::FrameKind::remote ? 0U
                                                                : can::maxClassicLength;
    return group.length <= most && (group.key.error || group.key.id.valid()) && group.key.error == (head.kind == can::FrameKind::error);
}

struct ZstdContext {
    ZstdContext() : deflate(ZSTD_createCCtx()), inflate(ZSTD_createDCtx()) {}
    ~ZstdContext()
    {
        ZSTD_freeCCtx(deflate);
        ZSTD_freeDCtx(inflate);
    }
    ZstdContext(const ZstdContext&) = delete;
    ZstdContext& operator=(const ZstdContext&) = delete;
    ZSTD_CCtx* deflate;
    ZSTD_DCtx* inflate;
};

ZstdContext& zstd()
{
    thread_local ZstdContext context;
    return context;
}

}  // namespace

void RunBlockHead::write(std::uint8_t* to) const
{
    std::memset(to, 0, size);
    put(to, 0, magic);
    put(to, 4, stored);
    put(to, 8, plain);
    put(to, 12, rows);
    put(to, 16, firstRow);
    put(to, 24, check);
    put(to, 36, checkOf({to, 36}));
}

std::optional<RunBlockHead> RunBlockHead::read(std::span<const std::uint8_t> bytes)
{
    if (bytes.size() < size || get<std::uint32_t>(bytes.data()) != magic
        || get<std::uint32_t>(bytes.data() + 36) != checkOf(bytes.first(36)))
        return std::nullopt;
    RunBlockHead head;
    head.stored = get<std::uint32_t>(bytes.data() + 4);
    head.plain = get<std::uint32_t>(bytes.data() + 8);
    head.rows = get<std::uint32_t>(bytes.data() + 12);
    head.firstRow = get<std::uint64_t>(bytes.data() + 16);
    head.check = get<std::uint32_t>(bytes.data() + 24);
    if (head.rows == 0 || head.rows > trace::segmentRows || head.stored > mostBytes || head.plain > mostBytes
        || head.firstRow > std::uint64_t{1} << 48)
        return std::nullopt;
    return head;
}

void writeRunBlock(
    const trace::Trace& trace, const trace::Segment& segment, std::uint32_t from, std::uint32_t to, std::vector<std::uint8_t>& out)
{
    std::vector<std::uint8_t> plain;
    plain.reserve(static_cast<std::size_t>(to - from) * 14 + 4096);
    // Groups that have rows here, in the order of the segment, and how many.
    const std::uint32_t count = segment.groupCount();
    struct Part {
        std::uint32_t begin = 0, end = 0;
        std::uint16_t index = 0;
    };
    std::vector<Part> parts(count);
    std::uint32_t used = 0;
    append(plain, std::uint32_t{0});
    for (std::uint32_t g = 0; g < count; ++g) {
        const trace::Group& group = segment.group(g);
        parts[g] = {group.countBefore(from), group.countBefore(to), static_cast<std::uint16_t>(used)};
        if (parts[g].begin == parts[g].end)
            continue;
        append(plain, trace.key(group.identifier()).packed());
        append(plain, group.attributes());
        plain.push_back(group.length());
        ++used;
    }
    put(plain.data(), 0, used);
    std::uint64_t time = 0;
    const std::size_t sizeAt = plain.size();
    append(plain, std::uint32_t{0});
    for (std::uint32_t row = from; row < to; ++row) {
        const auto stamp = static_cast<std::uint64_t>(segment.time(row).count());
        appendDifference(plain, stamp - time);
        time = stamp;
    }
    put(plain.data(), sizeAt, static_cast<std::uint32_t>(plain.size() - sizeAt - 4));
    for (std::uint32_t row = from; row < to; ++row)
        plain.push_back(static_cast<std::uint8_t>(parts[segment.groupIndex(row)].index));
    if (used > 256)
        for (std::uint32_t row = from; row < to; ++row)
            plain.push_back(static_cast<std::uint8_t>(parts[segment.groupIndex(row)].index >> 8));
    for (std::uint32_t g = 0; g < count; ++g)
        segment.group(g).chunks(parts[g].begin, parts[g].end, [&](const std::uint8_t*, const std::uint8_t* payloads, std::uint32_t frames) {
            plain.insert(plain.end(), payloads, payloads + std::size_t{frames} * segment.group(g).length());
        });

    const std::size_t at = out.size();
    out.resize(at + RunBlockHead::size + ZSTD_compressBound(plain.size()));
    const std::size_t stored = ZSTD_compressCCtx(
        zstd().deflate, out.data() + at + RunBlockHead::size, out.size() - at - RunBlockHead::size, plain.data(), plain.size(), level);
    out.resize(at + RunBlockHead::size + stored);
    RunBlockHead head;
    head.firstRow = segment.firstRow() + from;
    head.rows = to - from;
    head.stored = static_cast<std::uint32_t>(stored);
    head.plain = static_cast<std::uint32_t>(plain.size());
    head.check = checkOf(std::span(out).subspan(at + RunBlockHead::size));
    head.write(out.data() + at);
}

Expected<RunBlock> RunBlock::read(const RunBlockHead& head, std::span<const std::uint8_t> stored)
{
    if (stored.size() != head.stored || checkOf(stored) != head.check)
        return fail("its checksum is wrong");
    RunBlock block;
    block.plain_.resize(head.plain + trace::readableBehind);
    const std::size_t plain = ZSTD_decompressDCtx(zstd().inflate, block.plain_.data(), head.plain, stored.data(), stored.size());
    if (ZSTD_isError(plain) != 0 || plain != head.plain)
        return fail("it cannot be decompressed");
    if (!block.take(head.rows))
        return fail("its columns do not fit together");
    return block;
}

Expected<RunBlock> RunBlock::fromColumns(std::uint32_t rows, std::span<const std::uint8_t> columns)
{
    RunBlock block;
    block.plain_.assign(columns.begin(), columns.end());
    block.plain_.resize(columns.size() + trace::readableBehind);
    if (!block.take(rows))
        return fail("its columns do not fit together");
    return block;
}

bool RunBlock::take(std::uint32_t rows)
{
    const std::uint8_t* at = plain_.data();
    const std::size_t plain = plain_.size() - trace::readableBehind;
    const std::uint8_t* const end = at + plain;
    const auto left = [&] { return static_cast<std::size_t>(end - at); };

    if (left() < 4)
        return false;
    const auto groups = get<std::uint32_t>(at);
    at += 4;
    if (groups == 0 || groups > rows || left() < groups * groupBytes + 4)
        return false;
    for (std::uint32_t g = 0; g < groups; ++g, at += groupBytes) {
        const auto packed = get<std::uint64_t>(at);
        Group group;
        group.key = {static_cast<std::uint8_t>(packed >> 40), (packed >> 32 & 1U) != 0,
            can::Identifier::fromKey(static_cast<std::uint32_t>(packed))};
        group.attributes = get<std::uint16_t>(at + 8);
        group.length = at[10];
        if (group.key.packed() != packed || !sound(group))
            return false;
        groups_.push_back(group);
    }
    const auto timeBytes = get<std::uint32_t>(at);
    at += 4;
    if (timeBytes > left())
        return false;
    const std::uint8_t* const timeEnd = at + timeBytes;
    std::uint64_t time = 0;
    times_.reserve(rows);
    for (std::uint32_t row = 0; row < rows; ++row) {
        std::uint64_t folded = 0;
        unsigned shift = 0;
        do {
            if (at == timeEnd || shift > 63)
                return false;
            folded |= static_cast<std::uint64_t>(*at & 0x7FU) << shift;
            shift += 7;
        } while ((*at++ & 0x80U) != 0);
        time += folded >> 1 ^ ((folded & 1U) != 0 ? ~std::uint64_t{0} : 0);
        times_.push_back(static_cast<std::int64_t>(time));
        if (!isStamp(Time(times_.back())))
            return false;
    }
    const std::size_t planes = groups > 256 ? 2 : 1;
    if (at != timeEnd || left() < rows * planes)
        return false;
    std::vector<std::uint32_t> counts(groups);
    groupOf_.resize(rows);
    for (std::uint32_t row = 0; row < rows; ++row) {
        const unsigned group = at[row] | (planes == 2 ? static_cast<unsigned>(at[rows + row]) << 8 : 0U);
        if (group >= groups)
            return false;
        groupOf_[row] = static_cast<std::uint16_t>(group);
        ++counts[group];
    }
    at += rows * planes;
    std::size_t payloads = static_cast<std::size_t>(at - plain_.data());
    for (std::uint32_t g = 0; g < groups; ++g) {
        groups_[g].payloads = payloads;
        payloads += std::size_t{counts[g]} * groups_[g].length;
    }
    if (payloads != plain)
        return false;
    return true;
}

std::unique_ptr<trace::Segment> RunBlock::segment(trace::Row first, const trace::Trace& trace) const
{
    std::vector<trace::KeptGroup> groups;
    for (const Group& group : groups_) {
        const auto identifier = trace.find(group.key);
        if (!identifier)
            return nullptr;
        groups.push_back({*identifier, group.length, group.attributes, plain_.data() + group.payloads});
    }
    return trace::segmentOf(first, groups, groupOf_, times_);
}

}  // namespace wavetrope::formats
