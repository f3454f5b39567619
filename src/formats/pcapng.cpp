// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/pcapng.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <optional>

#include "base/stamp.h"
#include "formats/packed_frame.h"
#include "formats/pcapng_blocks.h"
#include "formats/pcapng_reader.h"

namespace wavetrope::formats {

namespace {

using namespace pcapng;

class PcapngEncoder final : public LogEncoder {
public:
    void begin(ByteTarget& target, std::span<const trace::TraceBus> buses, const std::string& note) override
    {
        start(sectionHeader);
        put32(byteOrderMagic);
        put16(1);
        put16(0);
        put32(0xFFFFFFFFU);  // section length not given
        put32(0xFFFFFFFFU);
        if (!note.empty())
            putOption(comment, note);
        putOption(4, "Wavetrope");
        end(target);
        for (const trace::TraceBus& one : buses)
            bus(target, one);
        if (buses.empty())
            bus(target, {});
    }
    void bus(ByteTarget& target, const trace::TraceBus& bus) override
    {
        describe(target, bus, 0);
        buses_.push_back({bus, interfaces_++, {}});
    }
    [[nodiscard]] const char* stamps() const override { return "1969 to 2261"; }

    [[nodiscard]] bool frame(ByteTarget& target, const can::FrameView& frame) override
    {
        std::uint8_t packet[packedHeader + can::maxLength];
        const auto size = static_cast<std::uint32_t>(packFrame(frame, packet));
        if (frame.bus >= buses_.size())
            return false;
        Bus& bus = buses_[frame.bus];
        std::uint32_t interface = bus.interface;
        auto ticks = static_cast<std::uint64_t>(frame.time.count());
        if (frame.time.count() < 0) {
            // Ticks have no sign: these frames belong to an interface whose times begin earlier.
            if (!isStamp(frame.time))
                return false;
            if (!bus.early) {
                describe(target, bus.is, earlySeconds);
                bus.early = interfaces_++;
            }
            interface = *bus.early;
            ticks = static_cast<std::uint64_t>(frame.time.count() - earlySeconds * 1'000'000'000);
        }
        // Every frame goes through here: it is put together in place.
        std::array<std::uint8_t, 28 + sizeof packet + 3 + 12 + 4> block;
        std::size_t at = 0;
        const auto put = [&](std::uint32_t value) {
            std::memcpy(block.data() + at, &value, sizeof value);
            at += sizeof value;
        };
        const std::uint32_t padded = (size + 3U) & ~3U;
        const std::uint32_t options = frame.direction != can::Direction::unknown ? 12 : 0;
        const std::uint32_t length = 28 + padded + options + 4;
        for (const std::uint32_t value : {static_cast<std::uint32_t>(enhancedPacket), length, interface,
                 static_cast<std::uint32_t>(ticks >> 32), static_cast<std::uint32_t>(ticks), size, size})
            put(value);
        std::memcpy(block.data() + at, packet, size);
        std::memset(block.data() + at + size, 0, padded - size);
        at += padded;
        if (options > 0) {
            put(packetFlags | 4U << 16);
            put(frame.direction == can::Direction::received ? 1 : 2);
            put(endOfOptions);
        }
        put(length);
        target.write({block.data(), at});
        return true;
    }

private:
    // Before the earliest stamp that there may be.
    static constexpr std::int64_t earlySeconds = earliestStamp.count() / 1'000'000'000 - 1;

    void describe(ByteTarget& target, const trace::TraceBus& bus, std::int64_t offset)
    {
        start(interfaceDescription);
        put16(linkTypeCan);
        put16(0);
        put32(0);
        if (!bus.name.empty())
            putOption(interfaceName, bus.name);
        if (bus.rate.data > 0)
            putOption(comment, std::string(dataRateComment) + std::to_string(bus.rate.data) + " bit/s");
        if (bus.rate.nominal > 0) {
            put16(interfaceSpeed);
            put16(8);
            put32(bus.rate.nominal);
            put32(0);
        }
        put16(timeResolution);
        put16(1);
        put32(9);
        if (offset != 0) {
            put16(timeOffset);
            put16(8);
            putRaw(&offset, 8);
        }
        put32(endOfOptions);
        end(target);
    }

    void start(std::uint32_t type)
    {
        bytes_.clear();
        put32(type);
        put32(0);
    }
    void end(ByteTarget& target)
    {
        const auto length = static_cast<std::uint32_t>(bytes_.size() + 4);
        std::memcpy(bytes_.data() + 4, &length, 4);
        put32(length);
        target.write(bytes_);
    }
    void put16(std::uint16_t value) { putRaw(&value, 2); }
    void put32(std::uint32_t value) { putRaw(&value, 4); }
    void putRaw(const void* value, std::size_t size)
    {
        const auto* bytes = static_cast<const std::uint8_t*>(value);
        bytes_.insert(bytes_.end(), bytes, bytes + size);
    }
    void putBytes(const std::uint8_t* bytes, std::size_t size)
    {
        putRaw(bytes, size);
        bytes_.resize((bytes_.size() + 3) & ~std::size_t{3});
    }
    void putOption(std::uint16_t code, std::string_view text)
    {
        text = text.substr(0, 1000);
        put16(code);
        put16(static_cast<std::uint16_t>(text.size()));
        putBytes(reinterpret_cast<const std::uint8_t*>(text.data()), text.size());
    }

    std::vector<std::uint8_t> bytes_;
    struct Bus {
        trace::TraceBus is;
        std::uint32_t interface = 0;
        std::optional<std::uint32_t> early;     // where it has frames before 1970
    };
    std::vector<Bus> buses_;
    std::uint32_t interfaces_ = 0;
};

bool recognisePcapng(std::span<const std::uint8_t> head)
{
    static constexpr std::uint8_t magic[4] = {0x0A, 0x0D, 0x0D, 0x0A};
    return head.size() >= 4 && std::equal(magic, magic + 4, head.begin());
}

}  // namespace

LogFormat pcapngFormat()
{
    return {"pcapng", {".pcapng"}, recognisePcapng, readPcapng,
        []() -> std::unique_ptr<LogEncoder> { return std::make_unique<PcapngEncoder>(); }};
}

}  // namespace wavetrope::formats
