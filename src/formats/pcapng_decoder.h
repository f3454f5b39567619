// SPDX-License-Identifier: GPL-3.0-or-later
// Takes the packets of a pcapng section apart.
#pragma once

#include <algorithm>
#include <array>
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

/// Takes apart whole blocks of one section, whose byte order is the other one where `swapped`.
template <bool swapped>
class Decoder {
public:
    /// `position` is that of the first block in the log.
    Decoder(std::shared_ptr<const Interfaces> interfaces, std::uint64_t position) : interfaces_(std::move(interfaces)), position_(position)
    {}

    /// `most` is the number of blocks.
    DecodedPackets run(std::span<const std::uint8_t> blocks, std::size_t most, std::shared_ptr<const void> holds)
    {
        decoded_.stretch->bytes = std::move(holds);
        can::FrameView* next = decoded_.stretch->makeRoom(most);
        can::FrameView* const begin = next;
        for (std::size_t at = 0; at < blocks.size();) {
            const std::uint8_t* block = blocks.data() + at;
            const std::uint32_t length = u32(block + 4);
            switch (u32(block)) {
            case enhancedPacket: next += enhanced(block, length, *next); break;
            case obsoletePacket: next += obsolete(block, length, *next); break;
            case simplePacket:
                next += simple(block, length, *next);
                if (!timed_)
                    decoded_.untimedAtFront = static_cast<std::size_t>(next - begin);
                break;
            default: break;
            }
            at += length;
            position_ += length;
        }
        decoded_.stretch->frames = {begin, static_cast<std::size_t>(next - begin)};
        if (timed_)
            decoded_.lastTime = last_;
        return std::move(decoded_);
    }

private:
    static std::uint32_t u32(const std::uint8_t* at) { return load32(at, swapped); }
    static std::uint64_t ticks(const std::uint8_t* at) { return static_cast<std::uint64_t>(u32(at)) << 32 | u32(at + 4); }

    // Each of these takes a block apart into `frame`, and gives how many frames it holds: one, or none.
    [[gnu::always_inline]] unsigned enhanced(const std::uint8_t* block, std::uint32_t length, can::FrameView& frame)
    {
        if (length < 32)
            return 0;
        const std::uint32_t captured = u32(block + 20);
        if (captured > length - 32) {
            ++decoded_.counts.malformed;
            return 0;
        }
        const std::uint32_t padded = (captured + 3U) & ~3U;
        const auto direction = padded + 36 <= length ? directionOf(block + 28 + padded, block + length - 4) : can::Direction::unknown;
        return packet(u32(block + 8), ticks(block + 12), block + 28, captured, direction, frame);
    }

    unsigned obsolete(const std::uint8_t* block, std::uint32_t length, can::FrameView& frame)
    {
        return length < 32 ? 0
                           : packet(load16(block + 8, swapped), ticks(block + 12), block + 28, std::min(u32(block + 20), length - 32),
                                 can::Direction::unknown, frame);
    }

    // A packet without a stamp, of the first interface.
    unsigned simple(const std::uint8_t* block, std::uint32_t length, can::FrameView& frame)
    {
        if (length < 16)
            return 0;
        if (interfaces_->size() == 0 || (*interfaces_)[0].described > position_ || !(*interfaces_)[0].can) {
            ++decoded_.counts.otherLinks;
            return 0;
        }
        if (!unpackFrame(block + 12, std::min(u32(block + 8), length - 16), frame)) {
            ++decoded_.counts.malformed;
            return 0;
        }
        ++decoded_.counts.untimed;
        frame.bus = (*interfaces_)[0].bus;
        frame.direction = can::Direction::unknown;
        frame.time = last_;
        return 1;
    }

    static can::Direction directionOf(const std::uint8_t* options, const std::uint8_t* end)
    {
        auto direction = can::Direction::unknown;
        eachOption(options, end, swapped, [&](std::uint16_t code, const std::uint8_t* value, std::uint16_t size) {
            if (code == packetFlags && size == 4) {
                const std::uint32_t way = u32(value) & 3U;
                direction = way == 1 ? can::Direction::received : way == 2 ? can::Direction::sent : can::Direction::unknown;
            }
        });
        return direction;
    }

    [[gnu::always_inline]] unsigned packet(std::uint32_t index, std::uint64_t ticks, const std::uint8_t* data, std::uint32_t size,
        can::Direction direction, can::FrameView& frame)
    {
        const Interface* from = index < known_.size() ? known_[index] : nullptr;
        if (from == nullptr && (from = interface(index)) == nullptr)
            return 0;
        Time time(static_cast<std::int64_t>(ticks));
        if (!from->scale.isPlain(ticks)) {
            const auto scaled = from->scale.time(ticks);
            if (!scaled) {
                ++decoded_.counts.tooLate;
                return 0;
            }
            time = *scaled;
        }
        if (!unpackFrame(data, size, frame)) {
            ++decoded_.counts.malformed;
            return 0;
        }
        frame.time = last_ = time;
        frame.bus = from->bus;
        frame.direction = direction;
        timed_ = true;
        return 1;
    }

    // The interface of that number at this place of the log; null where there is none, or not of CAN frames.
    const Interface* interface(std::uint32_t index)
    {
        if (index >= interfaces_->size() || (*interfaces_)[index].described > position_) {
            ++decoded_.counts.malformed;
            return nullptr;
        }
        const Interface& found = (*interfaces_)[index];
        if (!found.can) {
            ++decoded_.counts.otherLinks;
            return nullptr;
        }
        if (index < known_.size())
            known_[index] = &found;
        return &found;
    }

    std::shared_ptr<const Interfaces> interfaces_;
    std::uint64_t position_;
    DecodedPackets decoded_;
    Time last_{0};         // of the newest frame with a time of its own, where `timed_`
    bool timed_ = false;
    std::array<const Interface*, 32> known_{};      // those of the first ones that have had frames
};

}  // namespace wavetrope::formats::pcapng
