// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/pcap.h"

#include <algorithm>
#include <cstring>

#include "formats/packed_frame.h"
#include "formats/packet_queue.h"
#include "formats/progress.h"

namespace wavetrope::formats {

namespace {

constexpr std::uint32_t magicMicro = 0xA1B2C3D4;
constexpr std::uint32_t magicNano = 0xA1B23C4D;
constexpr std::size_t fileHeader = 24;
constexpr std::size_t recordHeader = 16;

std::uint32_t load32(const std::uint8_t* at, bool swapped)
{
    std::uint32_t value;
    std::memcpy(&value, at, 4);
    return swapped ? __builtin_bswap32(value) : value;
}

struct Head {
    bool known = false;
    bool swapped = false;
    bool nano = false;
};

Head headOf(std::span<const std::uint8_t> head)
{
    if (head.size() < 4)
        return {};
    for (const bool swapped : {false, true}) {
        const std::uint32_t magic = load32(head.data(), swapped);
        if (magic == magicMicro || magic == magicNano)
            return {true, swapped, magic == magicNano};
    }
    return {};
}

// Whole records, one behind the other.
DecodedPackets decode(
    const Head& head, std::uint8_t bus, std::span<const std::uint8_t> records, std::size_t most, std::shared_ptr<const void> holds)
{
    DecodedPackets decoded;
    decoded.stretch->bytes = std::move(holds);
    can::FrameView* const frames = decoded.stretch->makeRoom(most);
    std::size_t count = 0;
    const std::int64_t scale = head.nano ? 1 : 1000;
    for (std::size_t at = 0; at < records.size();) {
        const std::uint8_t* record = records.data() + at;
        const std::uint32_t size = load32(record + 8, head.swapped);
        can::FrameView& frame = frames[count];
        if (unpackFrame(record + recordHeader, size, frame)) {
            frame.time = std::chrono::seconds(load32(record, head.swapped)) + Time(load32(record + 4, head.swapped) * scale);
            frame.bus = bus;
            frame.direction = can::Direction::unknown;
            ++count;
        } else {
            ++decoded.counts.malformed;
        }
        at += recordHeader + size;
    }
    decoded.stretch->frames = {frames, count};
    return decoded;
}

Expected<ReadReport> readPcap(ByteSource& source, LogSink& sink, Workers& workers, const ReadOptions& options)
{
    const auto header = source.window(fileHeader);
    const Head head = headOf(header);
    if (header.size() < fileHeader)
        return fail("the file ends inside its header", source.name(), "Record or export it again");
    const std::uint32_t link = load32(header.data() + 20, head.swapped) & 0x0FFFFFFFU;
    if (link != linkTypeCan)
        return fail("its packets are no CAN frames (link type " + std::to_string(link) + ", wanted 227)", source.name());
    source.skip(fileHeader);

    ReadReport report;
    PacketQueue queue(sink, workers, static_cast<bool>(options.more) || source.live());
    const std::uint8_t bus = sink.onBus({});
    Progress progress(source, sink);
    std::size_t wanted = recordHeader;
    for (bool more = true; more;) {
        if (!progress.goesOn()) {
            report.cancelled = true;
            break;
        }
        const std::size_t asked = wanted;
        const auto bytes = source.window(asked);
        if (bytes.empty())
            break;
        // From header to header; the records between are taken apart elsewhere.
        std::size_t at = 0;
        std::size_t from = 0;
        std::size_t waiting = 0;
        const auto hand = [&] {
            if (waiting > 0)
                queue.add([head, bus, records = bytes.subspan(from, at - from), most = waiting, holds = source.hold()] {
                    return decode(head, bus, records, most, holds);
                });
            from = at;
            waiting = 0;
        };
        while (true) {
            if (at + recordHeader > bytes.size()) {
                wanted = recordHeader;
                break;
            }
            const std::uint32_t size = load32(bytes.data() + at + 8, head.swapped);
            if (size > ByteSource::mostAtOnce - recordHeader) {
                report.warnings.push_back({"a record that declares " + std::to_string(size) + " bytes; everything before it was read",
                    source.name() + ", byte " + std::to_string(source.position() + at), 0, 0, {}});
                more = false;
                break;
            }
            if (at + recordHeader + size > bytes.size()) {
                wanted = recordHeader + size;
                break;
            }
            at += recordHeader + size;
            ++waiting;
            if (at - from >= options.stretchBytes)
                hand();
        }
        hand();
        if (more && at == 0 && bytes.size() < asked) {
            report.warnings.push_back(
                {"the log is cut off inside a record; everything before it was read (at byte " + std::to_string(source.position()) + ")",
                    source.name(), 0, 0, {}});
            more = false;
        }
        source.skip(at);
    }
    queue.deliver();
    progress.end();
    if (const std::uint64_t malformed = queue.counts().malformed; malformed > 0)
        report.warnings.push_back({std::to_string(malformed) + " packets that are no frame stepped over", source.name(), 0, 0, {}});
    report.frames = queue.frames();
    return report;
}

class PcapEncoder final : public LogEncoder {
public:
    void begin(ByteTarget& target, std::span<const trace::TraceBus>, const std::string&) override
    {
        const std::uint32_t words[6] = {magicNano, 2U | 4U << 16, 0, 0, 65535, linkTypeCan};
        std::uint8_t bytes[fileHeader];
        std::memcpy(bytes, words, fileHeader);
        target.write(bytes);
    }
    [[nodiscard]] const char* stamps() const override { return "1970 to 2106"; }
    [[nodiscard]] bool frame(ByteTarget& target, const can::FrameView& frame) override
    {
        const std::int64_t time = frame.time.count();
        if (time < 0 || time / 1'000'000'000 > std::int64_t{0xFFFFFFFF})     // seconds of 32 bits
            return false;
        std::uint8_t bytes[recordHeader + packedHeader + can::maxLength];
        const auto size = static_cast<std::uint32_t>(packFrame(frame, bytes + recordHeader));
        const std::uint32_t words[4] = {
            static_cast<std::uint32_t>(time / 1'000'000'000), static_cast<std::uint32_t>(time % 1'000'000'000), size, size};
        std::memcpy(bytes, words, recordHeader);
        target.write({bytes, recordHeader + size});
        return true;
    }
    [[nodiscard]] std::string losses(std::span<const trace::TraceBus> buses) const override
    {
        return buses.size() > 1 ? "pcap has no buses and no directions: the frames of all buses are written as one"
                                : "pcap has no bus names and no directions";
    }
};

}  // namespace

LogFormat pcapFormat()
{
    return {"pcap", {".pcap"}, [](std::span<const std::uint8_t> head) { return headOf(head).known; }, readPcap,
        []() -> std::unique_ptr<LogEncoder> { return std::make_unique<PcapEncoder>(); }};
}

}  // namespace wavetrope::formats
