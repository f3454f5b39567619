// Takes the packets of a pcapng section apart.
#pragma once

#include <algorithm>
#include <memory>
#include <span>

#include "formats/packed_frame.h"
#include "formats/packet_queue.h"
#include "formats/pcapng_blocks.h"
#include "formats/tick_scale.h"
#include "trace/published_list.h"

namespace wavetrope::formats::pcapng {

/// What a section says of an interface.
struct Interface {
    std::uint64_t described = 0;    // where in the log
    bool can = false;
    std::uint8_t bus = 0;
    TickScale scale;
};
/// Grows while packets before its newest interfaces are taken apart elsewhere.
using Interfaces = trace::PublishedList<Interface>;

/// Takes apart whole blocks of one section.
class Decoder {
public:
    Decoder(bool swapped, std::shared_ptr<const Interfaces> interfaces, std::uint64_t position) : swapped_(swapped), interfaces_(std::move(interfaces)), position_(position) {}

    DecodedPackets run(std::span<const std::uint8_t> blocks, std::shared_ptr<const void> holds)
    {
        decoded_.stretch->bytes = std::move(holds);
        decoded_.stretch->frames.reserve(blocks.size() / (32 + packedHeader) + 1);
        for (std::size_t at = 0; at < blocks.size();) {
            const std::uint8_t* block = blocks.data() + at;
            const std::uint32_t length = u32(block + 4);
            switch (u32(block)) {
            case enhancedPacket: enhanced(block, length); break;
            case obsoletePacket: obsolete(block, length); break;
            case simplePacket: simple(block, length); break;
            default: break;
            }
            at += length;
            position_ += length;
        }
        return std::move(decoded_);
    }

private:
    [[nodiscard]] std::uint32_t u32(const std::uint8_t* at) const { return load32(at, swapped_); }
    [[nodiscard]] std::uint64_t ticks(const std::uint8_t* at) const { return static_cast<std::uint64_t>(u32(at)) << 32 | u32(at + 4); }

    void enhanced(const std::uint8_t* block, std::uint32_t length)
    {
        if (length < 32)
            return;
        const std::uint32_t captured = u32(block + 20);
        if (captured > length - 32) {
            ++decoded_.counts.malformed;
            return;
        }
        auto direction = can::Direction::unknown;
        const std::uint8_t* options = block + 28 + ((captured + 3U) & ~3U);
        const std::uint8_t* end = block + length - 4;
        if (options + 4 <= end)
            eachOption(options, end, swapped_, [&](std::uint16_t code, const std::uint8_t* value, std::uint16_t size) {
                if (code == packetFlags && size == 4) {
                    const std::uint32_t way = u32(value) & 3U;
                    direction = way == 1 ? can::Direction::received : way == 2 ? can::Direction::sent : can::Direction::unknown;
                }
            });
        packet(u32(block + 8), ticks(block + 12), block + 28, captured, direction);
    }

    void obsolete(const std::uint8_t* block, std::uint32_t length)
    {
        if (length >= 32)
            packet(load16(block + 8, swapped_), ticks(block + 12), block + 28, std::min(u32(block + 20), length - 32), can::Direction::unknown);
    }

    // The interface of that number at this place of the log; null where there is none, or not of CAN frames.
    const Interface* interface(std::uint32_t index)
    {
        if (index >= interfaces_->size() || (*interfaces_)[index].described > position_) {
            ++decoded_.counts.malformed;
            return nullptr;
        }
        const Interface& found = (*interfaces_)[index];
        if (!found.can)
            ++decoded_.counts.otherLinks;
        return found.can ? &found : nullptr;
    }

    can::FrameView* unpacked(const std::uint8_t* data, std::uint32_t size)
    {
        can::FrameView& frame = decoded_.stretch->frames.emplace_back();
        if (unpackFrame(data, size, frame))
            return &frame;
        decoded_.stretch->frames.pop_back();
        ++decoded_.counts.malformed;
        return nullptr;
    }

    void packet(std::uint32_t index, std::uint64_t ticks, const std::uint8_t* data, std::uint32_t size, can::Direction direction)
    {
        const Interface* from = interface(index);
        if (from == nullptr)
            return;
        const auto time = from->scale.time(ticks);
        if (!time) {
            ++decoded_.counts.tooLate;
            return;
        }
        can::FrameView* frame = unpacked(data, size);
        if (frame == nullptr)
            return;
        frame->time = *time;
        frame->bus = from->bus;
        frame->direction = direction;
        decoded_.lastTime = time;
    }

    // A packet without a stamp, of the first interface.
    void simple(const std::uint8_t* block, std::uint32_t length)
    {
        if (length < 16)
            return;
        if (interfaces_->size() == 0 || (*interfaces_)[0].described > position_ || !(*interfaces_)[0].can) {
            ++decoded_.counts.otherLinks;
            return;
        }
        can::FrameView* frame = unpacked(block + 12, std::min(u32(block + 8), length - 16));
        if (frame == nullptr)
            return;
        ++decoded_.counts.untimed;
        frame->bus = (*interfaces_)[0].bus;
        if (decoded_.lastTime)
            frame->time = *decoded_.lastTime;
        else
            decoded_.untimedAtFront = decoded_.stretch->frames.size();
    }

    bool swapped_;
    std::shared_ptr<const Interfaces> interfaces_;
    std::uint64_t position_;        // of the block in the log
    DecodedPackets decoded_;
};

}  // namespace wavetrope::formats::pcapng
