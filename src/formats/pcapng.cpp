#include "formats/pcapng.h"

#include <algorithm>
#include <charconv>
#include <cstring>

#include "formats/frame_batch.h"
#include "formats/packed_frame.h"
#include "formats/tick_scale.h"

namespace wavetrope::formats {

namespace {

enum Block : std::uint32_t {
    sectionHeader = 0x0A0D0D0A,
    interfaceDescription = 1,
    obsoletePacket = 2,
    simplePacket = 3,
    enhancedPacket = 6,
};

enum Option : std::uint16_t { endOfOptions = 0, comment = 1, interfaceName = 2, packetFlags = 2, interfaceSpeed = 8, timeResolution = 9, timeOffset = 14 };

constexpr std::uint32_t byteOrderMagic = 0x1A2B3C4D;
constexpr std::size_t mostInterfaces = 65536;
constexpr unsigned mostBuses = 255;
constexpr std::string_view dataRateComment = "data bit rate ";

class Reader {
public:
    Reader(ByteSource& source, LogSink& sink) : source_(source), sink_(sink), batch_(sink) {}

    Expected<ReadReport> run()
    {
        std::uint64_t nextProgress = 0;
        bool more = true;
        while (more) {
            batch_.flush();
            if (source_.position() >= nextProgress) {
                if (!sink_.onProgress(source_.done(), source_.total())) {
                    report_.cancelled = true;
                    break;
                }
                nextProgress = source_.position() + (1U << 20);
            }
            const std::size_t asked = wanted_;
            auto bytes = source_.window(asked);
            if (bytes.empty())
                break;
            const std::size_t used = blocks(bytes);
            source_.skip(used);
            if (failure_)
                return tl::unexpected(*failure_);
            if (skipRest_ > 0) {
                source_.skip(skipRest_);
                skipRest_ = 0;
            } else if (used == 0) {
                if (bytes.size() < asked || wanted_ > ByteSource::mostAtOnce) {
                    warn("the log is cut off inside a block; everything before it was read");
                    more = false;
                }
            }
            if (stopped_)
                more = false;
        }
        batch_.flush();
        sink_.onProgress(source_.total(), source_.total());
        report_.frames = batch_.total();
        countedWarning(otherLinks_, "packets of other link types stepped over");
        countedWarning(malformed_, "packets that are no frame stepped over");
        countedWarning(tooLate_, "frames with a time stamp outside the years 1677 to 2262 refused");
        countedWarning(untimed_, "packets without a time stamp take that of the frame before");
        return std::move(report_);
    }

private:
    struct Interface {
        bool can = false;
        std::uint8_t bus = 0;
        TickScale scale;
    };

    void warn(std::string what)
    {
        report_.warnings.push_back({std::move(what) + " (at byte " + std::to_string(source_.position()) + ")", source_.name(), 0, 0, {}});
    }
    void countedWarning(std::uint64_t count, const char* what)
    {
        if (count > 0)
            report_.warnings.push_back({std::to_string(count) + " " + what, source_.name(), 0, 0, {}});
    }

    [[nodiscard]] std::uint32_t u32(const std::uint8_t* at) const
    {
        std::uint32_t value;
        std::memcpy(&value, at, 4);
        return swapped_ ? __builtin_bswap32(value) : value;
    }
    [[nodiscard]] std::uint16_t u16(const std::uint8_t* at) const
    {
        std::uint16_t value;
        std::memcpy(&value, at, 2);
        return swapped_ ? __builtin_bswap16(value) : value;
    }
    [[nodiscard]] std::uint64_t u64(const std::uint8_t* at) const
    {
        std::uint64_t value;
        std::memcpy(&value, at, 8);
        return swapped_ ? __builtin_bswap64(value) : value;
    }

    // Takes whole blocks off the front of `bytes`; gives how many bytes those had.
    std::size_t blocks(std::span<const std::uint8_t> bytes)
    {
        std::size_t at = 0;
        wanted_ = 12;
        while (at + 12 <= bytes.size()) {
            const std::uint8_t* block = bytes.data() + at;
            std::uint32_t type = u32(block);
            if (type == sectionHeader) {
                std::uint32_t magic;
                std::memcpy(&magic, block + 8, 4);
                if (magic == byteOrderMagic)
                    swapped_ = false;
                else if (magic == __builtin_bswap32(byteOrderMagic))
                    swapped_ = true;
                else
                    return stop(at, "a section header without a byte-order mark");
                sectionSeen_ = true;
            } else if (!sectionSeen_) {
                return stop(at, "a block outside a section");
            }
            const std::uint32_t length = u32(block + 4);
            if (length < 12 || length % 4 != 0)
                return stop(at, "a block with the impossible length " + std::to_string(length));
            if (length > ByteSource::mostAtOnce) {
                // Larger than any frame: stepped over without holding it, or cut off where the file ends before.
                if (length > source_.size() - std::min(source_.size(), source_.position() + at))
                    return stop(at, "a block that declares " + std::to_string(length) + " bytes, more than the file has left");
                skipRest_ = length;
                return at;
            }
            if (at + length > bytes.size()) {
                wanted_ = length;
                return at;
            }
            if (type == enhancedPacket)
                enhanced(block, length);
            else
                other(type, block, length);
            at += length;
        }
        return at;
    }

    std::size_t stop(std::size_t at, const std::string& what)
    {
        const Error error{what, source_.name() + ", byte " + std::to_string(source_.position() + at), 0, 0, {}};
        if (batch_.total() == 0 && !anyInterface_)
            failure_ = Error{what + ", so this is no usable pcapng log", error.where, 0, 0, "Record or export it again"};
        else
            report_.warnings.push_back({what + "; everything before it was read", error.where, 0, 0, {}});
        stopped_ = true;
        return at;
    }

    void other(std::uint32_t type, const std::uint8_t* block, std::uint32_t length)
    {
        if (type == sectionHeader) {
            interfaces_.clear();
        } else if (type == interfaceDescription) {
            if (length >= 20)
                describe(block, length);
        } else if (type == obsoletePacket) {
            if (length >= 32)
                packet(u16(block + 8), static_cast<std::uint64_t>(u32(block + 12)) << 32 | u32(block + 16), block + 28,
                       std::min(u32(block + 20), length - 32), can::Direction::unknown);
        } else if (type == simplePacket) {
            if (length >= 16)
                untimed(block + 12, std::min(u32(block + 8), length - 16));
        }
    }

    template <class Visit>
    void eachOption(const std::uint8_t* at, const std::uint8_t* end, Visit visit) const
    {
        while (at + 4 <= end) {
            const std::uint16_t code = u16(at);
            const std::uint16_t size = u16(at + 2);
            if (code == endOfOptions || size > end - at - 4)
                return;
            visit(code, at + 4, size);
            at += 4 + ((size + 3U) & ~3U);
            if (at > end)
                return;
        }
    }

    void describe(const std::uint8_t* block, std::uint32_t length)
    {
        anyInterface_ = true;
        Interface interface;
        trace::TraceBus bus;
        std::uint8_t resolution = 6;
        std::int64_t offset = 0;
        eachOption(block + 16, block + length - 4, [&](std::uint16_t code, const std::uint8_t* value, std::uint16_t size) {
            if (code == interfaceName)
                bus.name.assign(reinterpret_cast<const char*>(value), strnlen(reinterpret_cast<const char*>(value), size));
            else if (code == timeResolution && size >= 1)
                resolution = value[0];
            else if (code == timeOffset && size >= 8)
                offset = static_cast<std::int64_t>(u64(value));
            else if (code == interfaceSpeed && size >= 8)
                bus.rate.nominal = static_cast<std::uint32_t>(std::min<std::uint64_t>(u64(value), 20'000'000));
            else if (code == comment)
                readComment({reinterpret_cast<const char*>(value), size}, bus.rate);
        });
        interface.can = u16(block + 8) == linkTypeCan;
        interface.scale = TickScale(resolution, offset);
        if (interface.can)
            interface.bus = busOf(bus);
        if (interfaces_.size() < mostInterfaces)
            interfaces_.push_back(interface);
    }

    static void readComment(std::string_view text, can::BitRate& rate)
    {
        const auto at = text.find(dataRateComment);
        if (at == std::string_view::npos)
            return;
        text.remove_prefix(at + dataRateComment.size());
        std::uint32_t value = 0;
        if (std::from_chars(text.data(), text.data() + text.size(), value).ec == std::errc{} && value <= 20'000'000)
            rate.data = value;
    }

    // An interface of a later section that has the name of an earlier one is the same bus.
    std::uint8_t busOf(const trace::TraceBus& bus)
    {
        if (!bus.name.empty())
            for (std::size_t i = 0; i < buses_.size(); ++i)
                if (buses_[i].first == bus.name)
                    return buses_[i].second;
        if (buses_.size() >= mostBuses) {
            if (!tooManySaid_)
                warn("more than 255 buses: the frames of the further ones are shown on the last");
            tooManySaid_ = true;
            return buses_.back().second;
        }
        buses_.emplace_back(bus.name, sink_.onBus(bus));
        return buses_.back().second;
    }

    void enhanced(const std::uint8_t* block, std::uint32_t length)
    {
        if (length < 32)
            return;
        const std::uint32_t captured = u32(block + 20);
        if (captured > length - 32) {
            ++malformed_;
            return;
        }
        auto direction = can::Direction::unknown;
        const std::uint8_t* options = block + 28 + ((captured + 3U) & ~3U);
        const std::uint8_t* end = block + length - 4;
        if (options + 4 <= end)
            eachOption(options, end, [&](std::uint16_t code, const std::uint8_t* value, std::uint16_t size) {
                if (code == packetFlags && size == 4) {
                    const std::uint32_t way = u32(value) & 3U;
                    direction = way == 1 ? can::Direction::received : way == 2 ? can::Direction::sent : can::Direction::unknown;
                }
            });
        packet(u32(block + 8), static_cast<std::uint64_t>(u32(block + 12)) << 32 | u32(block + 16), block + 28, captured, direction);
    }

    void packet(std::uint32_t index, std::uint64_t ticks, const std::uint8_t* data, std::uint32_t size, can::Direction direction)
    {
        if (index >= interfaces_.size()) {
            ++malformed_;
            return;
        }
        const Interface& interface = interfaces_[index];
        if (!interface.can) {
            ++otherLinks_;
            return;
        }
        const auto time = interface.scale.time(ticks);
        if (!time) {
            ++tooLate_;
            return;
        }
        can::FrameView& frame = batch_.next();
        if (!unpackFrame(data, size, frame)) {
            ++malformed_;
            return;
        }
        frame.time = lastTime_ = *time;
        frame.bus = interface.bus;
        frame.direction = direction;
        batch_.commit();
    }

    void untimed(const std::uint8_t* data, std::uint32_t size)
    {
        if (interfaces_.empty() || !interfaces_[0].can) {
            ++otherLinks_;
            return;
        }
        can::FrameView& frame = batch_.next();
        if (!unpackFrame(data, size, frame)) {
            ++malformed_;
            return;
        }
        ++untimed_;
        frame.time = lastTime_;
        frame.bus = interfaces_[0].bus;
        frame.direction = can::Direction::unknown;
        batch_.commit();
    }

    ByteSource& source_;
    LogSink& sink_;
    FrameBatch batch_;
    ReadReport report_;
    std::optional<Error> failure_;
    std::vector<Interface> interfaces_;
    std::vector<std::pair<std::string, std::uint8_t>> buses_;
    std::size_t wanted_ = 12;
    std::uint64_t skipRest_ = 0;
    std::uint64_t otherLinks_ = 0;
    std::uint64_t malformed_ = 0;
    std::uint64_t tooLate_ = 0;
    std::uint64_t untimed_ = 0;
    can::Time lastTime_{0};
    bool swapped_ = false;
    bool sectionSeen_ = false;
    bool anyInterface_ = false;
    bool tooManySaid_ = false;
    bool stopped_ = false;
};

class Encoder final : public LogEncoder {
public:
    void begin(ByteTarget& target, std::span<const trace::TraceBus> buses) override
    {
        start(sectionHeader);
        put32(byteOrderMagic);
        put16(1);
        put16(0);
        put32(0xFFFFFFFFU);  // section length not given
        put32(0xFFFFFFFFU);
        putOption(4, "Wavetrope");
        end(target);
        for (const trace::TraceBus& bus : buses)
            describe(target, bus);
        if (buses.empty())
            describe(target, {});
    }

    void frame(ByteTarget& target, const can::FrameView& frame) override
    {
        std::uint8_t packet[packedHeader + can::maxLength];
        const auto size = static_cast<std::uint32_t>(packFrame(frame, packet));
        const auto ticks = static_cast<std::uint64_t>(std::max<std::int64_t>(0, frame.time.count()));
        start(enhancedPacket);
        put32(frame.bus);
        put32(static_cast<std::uint32_t>(ticks >> 32));
        put32(static_cast<std::uint32_t>(ticks));
        put32(size);
        put32(size);
        putBytes(packet, size);
        if (frame.direction != can::Direction::unknown) {
            put16(packetFlags);
            put16(4);
            put32(frame.direction == can::Direction::received ? 1 : 2);
            put32(endOfOptions);
        }
        end(target);
    }

private:
    void describe(ByteTarget& target, const trace::TraceBus& bus)
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
};

bool recognise(std::span<const std::uint8_t> head)
{
    static constexpr std::uint8_t magic[4] = {0x0A, 0x0D, 0x0D, 0x0A};
    return head.size() >= 4 && std::equal(magic, magic + 4, head.begin());
}

}  // namespace

LogFormat pcapngFormat()
{
    return {"pcapng", {".pcapng"}, recognise,
            [](ByteSource& source, LogSink& sink) { return Reader(source, sink).run(); },
            []() -> std::unique_ptr<LogEncoder> { return std::make_unique<Encoder>(); }};
}

}  // namespace wavetrope::formats
