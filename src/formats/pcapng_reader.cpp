// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/pcapng_reader.h"

#include <algorithm>
#include <charconv>
#include <cstring>
#include <unordered_map>

#include "formats/pcapng_decoder.h"
#include "formats/progress.h"

namespace wavetrope::formats {

namespace {

using namespace pcapng;

constexpr std::size_t mostInterfaces = 1U << 20;
constexpr unsigned mostNamedBuses = 255;

// Goes from block to block, describes interfaces, and has the packets between taken apart elsewhere.
// Steps over packets of the usual kind: from `at` on, until there is anything else or `end` is passed. Counts them.
template <bool swapped>
std::size_t overPackets(std::span<const std::uint8_t> bytes, std::size_t at, std::size_t end, std::size_t& count)
{
    std::size_t found = 0;
    while (at < end && bytes.size() - at >= 12) {
        const std::uint32_t length = load32(bytes.data() + at + 4, swapped);
        if (load32(bytes.data() + at, swapped) != enhancedPacket || length < 12 || length % 4 != 0
            || length > std::min(bytes.size() - at, ByteSource::mostAtOnce))
            break;
        at += length;
        ++found;
    }
    count += found;
    return at;
}

class PcapngReader {
public:
    PcapngReader(ByteSource& source, LogSink& sink, Workers& workers, const ReadOptions& options)
        : source_(source),
          sink_(sink),
          stretchBytes_(options.stretchBytes),
          queue_(sink, workers, static_cast<bool>(options.more) || source.live())
    {}

    Expected<ReadReport> run()
    {
        Progress progress(source_, sink_);
        bool more = true;
        while (more) {
            if (!progress.goesOn()) {
                report_.cancelled = true;
                break;
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
        queue_.deliver();
        progress.end();
        report_.frames = queue_.frames();
        countedWarning(interfacesLeftOut_, "interfaces beyond the first 1,048,576 of their section, and their packets, stepped over");
        countedWarning(queue_.counts().otherLinks, "packets of other link types stepped over");
        countedWarning(queue_.counts().malformed, "packets that are no frame stepped over");
        countedWarning(queue_.counts().tooLate, "frames with a time stamp outside the years 1970 to 2261 refused");
        countedWarning(queue_.counts().untimed, "packets without a time stamp take that of the frame before");
        return std::move(report_);
    }

private:
    void warn(std::string what)
    {
        report_.warnings.push_back({std::move(what) + " (at byte " + std::to_string(source_.position()) + ")", source_.name(), 0, 0, {}});
    }
    void countedWarning(std::uint64_t count, const char* what)
    {
        if (count > 0)
            report_.warnings.push_back({std::to_string(count) + " " + what, source_.name(), 0, 0, {}});
    }
    [[nodiscard]] std::uint32_t u32(const std::uint8_t* at) const { return load32(at, swapped_); }

    // Takes whole blocks off the front of `bytes`; gives how many bytes those had.
    std::size_t blocks(std::span<const std::uint8_t> bytes)
    {
        std::size_t at = 0;
        std::size_t from = 0;       // what lies behind it waits to be handed on
        std::size_t waiting = 0;    // blocks
        const auto hand = [&] {
            if (waiting > 0)
                queue_.add([swapped = swapped_, interfaces = interfaces_, position = source_.position() + from,
                               part = bytes.subspan(from, at - from), most = waiting, holds = source_.hold()] {
                    return swapped ? Decoder<true>(interfaces, position).run(part, most, holds)
                                   : Decoder<false>(interfaces, position).run(part, most, holds);
                });
            from = at;
            waiting = 0;
        };
        const bool goesOn = [&] {
            wanted_ = 12;
            while (at + 12 <= bytes.size()) {
                if (sectionSeen_)
                    at = swapped_ ? overPackets<true>(bytes, at, from + stretchBytes_, waiting)
                                  : overPackets<false>(bytes, at, from + stretchBytes_, waiting);
                if (at - from >= stretchBytes_)
                    hand();
                if (at + 12 > bytes.size())
                    break;
                const std::uint8_t* block = bytes.data() + at;
                const std::uint32_t type = u32(block);
                if (type == sectionHeader) {
                    hand();
                    if (!turnTo(block))
                        return stop(at, "a section header without a byte-order mark");
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
                    return true;
                }
                if (at + length > bytes.size()) {
                    wanted_ = length;
                    return true;
                }
                if (type == interfaceDescription && length >= 20)
                    describe(block, length, source_.position() + at);
                if (type == sectionHeader)
                    interfaces_ = std::make_shared<Interfaces>();
                at += length;
                ++waiting;
                if (at - from >= stretchBytes_)
                    hand();
            }
            return true;
        }();
        hand();
        stopped_ = !goesOn;
        return at;
    }

    // Takes on the byte order of a section header.
    bool turnTo(const std::uint8_t* block)
    {
        std::uint32_t magic;
        std::memcpy(&magic, block + 8, 4);
        if (magic != byteOrderMagic && magic != __builtin_bswap32(byteOrderMagic))
            return false;
        swapped_ = magic != byteOrderMagic;
        sectionSeen_ = true;
        return true;
    }

    // Gives false.
    bool stop(std::size_t at, const std::string& what)
    {
        const Error error{what, source_.name() + ", byte " + std::to_string(source_.position() + at), 0, 0, {}};
        if (!anyInterface_)
            failure_ = Error{what + ", so this is no usable pcapng log", error.where, 0, 0, "Record or export it again"};
        else
            report_.warnings.push_back({what + "; everything before it was read", error.where, 0, 0, {}});
        return false;
    }

    void describe(const std::uint8_t* block, std::uint32_t length, std::uint64_t position)
    {
        anyInterface_ = true;
        if (interfaces_->size() >= mostInterfaces) {
            ++interfacesLeftOut_;
            return;
        }
        Interface interface;
        trace::TraceBus bus;
        std::uint8_t resolution = 6;
        std::int64_t offset = 0;
        eachOption(block + 16, block + length - 4, swapped_, [&](std::uint16_t code, const std::uint8_t* value, std::uint16_t size) {
            if (code == interfaceName)
                bus.name.assign(reinterpret_cast<const char*>(value), strnlen(reinterpret_cast<const char*>(value), size));
            else if (code == timeResolution && size >= 1)
                resolution = value[0];
            else if (code == timeOffset && size >= 8)
                offset = static_cast<std::int64_t>(load64(value, swapped_));
            else if (code == interfaceSpeed && size >= 8)
                bus.rate.nominal = static_cast<std::uint32_t>(std::min<std::uint64_t>(load64(value, swapped_), 20'000'000));
            else if (code == comment)
                readComment({reinterpret_cast<const char*>(value), size}, bus.rate);
        });
        interface.described = position;
        interface.can = load16(block + 8, swapped_) == linkTypeCan;
        interface.scale = TickScale(resolution, offset);
        if (interface.can)
            interface.bus = busOf(bus);
        interfaces_->append(interface);
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

    // An interface that has the name and the rates of an earlier one is the same bus, also in a later section.
    std::uint8_t busOf(trace::TraceBus bus)
    {
        const auto known = named_.find(bus.name);
        if (known != named_.end()) {
            for (const auto& [rate, index] : known->second)
                if (rate.agreesWith(bus.rate))
                    return index;
        }
        if (buses_ == mostNamedBuses) {
            if (!tooManySaid_)
                warn("more than 255 buses: the frames of the further ones are shown on the last");
            tooManySaid_ = true;
            return newestBus_;
        }
        ++buses_;
        const std::string name = bus.name;
        if (known != named_.end())
            bus.name += " (" + can::toText(bus.rate) + ")";
        newestBus_ = sink_.onBus(bus);
        if (!name.empty())
            named_[name].emplace_back(bus.rate, newestBus_);
        return newestBus_;
    }

    ByteSource& source_;
    LogSink& sink_;
    std::size_t stretchBytes_;
    PacketQueue queue_;
    ReadReport report_;
    std::optional<Error> failure_;
    std::shared_ptr<Interfaces> interfaces_ = std::make_shared<Interfaces>();
    std::uint64_t interfacesLeftOut_ = 0;
    std::unordered_map<std::string, std::vector<std::pair<can::BitRate, std::uint8_t>>> named_;
    std::uint8_t newestBus_ = 0;
    unsigned buses_ = 0;
    std::size_t wanted_ = 12;
    std::uint64_t skipRest_ = 0;
    bool swapped_ = false;
    bool sectionSeen_ = false;
    bool anyInterface_ = false;
    bool tooManySaid_ = false;
    bool stopped_ = false;
};

}  // namespace

Expected<ReadReport> readPcapng(ByteSource& source, LogSink& sink, Workers& workers, const ReadOptions& options)
{
    return PcapngReader(source, sink, workers, options).run();
}

}  // namespace wavetrope::formats
