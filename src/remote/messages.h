// SPDX-License-Identifier: GPL-3.0-or-later
// What passes between the two sides of a shared bus, packed in CBOR (RFC 8949). See docs/remote-bus.md.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "can/bit_rate.h"
#include "can/frame.h"

namespace wavetrope::remote {

using Bytes = std::vector<std::uint8_t>;
using BytesView = std::span<const std::uint8_t>;

/// Largest message that is looked at.
inline constexpr std::size_t largestMessage = 256U << 10;

/// Identifiers from one to another, both included, of one length.
struct IdRange {
    can::Identifier from, to;
    friend bool operator==(const IdRange&, const IdRange&) = default;
};
/// "0x1F0", "0x200..0x20F", "0x18FF2103", with commas between; nothing where a part is no identifier or range.
[[nodiscard]] std::optional<std::vector<IdRange>> idRangesFromText(const std::string& text);
[[nodiscard]] bool contains(std::span<const IdRange> ranges, can::Identifier id);

/// TOPIC/bus, kept by the broker: what is shared there.
struct Description {
    std::uint64_t session = 0;          ///< Drawn anew whenever sharing begins.
    bool here = true;                   ///< False: it has ended, and the rest says nothing.
    std::string name;                   ///< Of the bus.
    can::BitRate rate;
    std::string trouble;                ///< What is wrong with the bus there, in words; empty when it is alive.
    std::vector<IdRange> writable;      ///< What may be sent to it.
};

/// A frame as it travels: `by` is who on this side had it sent; 0: nobody.
struct SharedFrame {
    can::Frame frame;
    std::uint64_t by = 0;
};

/// TOPIC/frames: frames in the order of the bus.
struct Packet {
    std::uint64_t session = 0;
    std::uint64_t first = 0;            ///< How many frames the bus had before the first of these; so that those lost are counted.
    Time sent{};                        ///< By the sharing side's clock.
    std::vector<SharedFrame> frames;
};

/// TOPIC/send: frames for the bus.
struct Wish {
    std::uint64_t session = 0;
    std::uint64_t by = 0;               ///< Who asks for it.
    std::vector<can::Frame> frames;
};

/// TOPIC/ask: what is the time there?
struct Question {
    std::uint64_t by = 0;
    Time asked{};                       ///< By the asking side's clock.
};

/// TOPIC/answer/BY, the latter in hexadecimal.
struct Answer {
    std::uint64_t session = 0;
    Time asked{};                       ///< From the question.
    Time heard{}, sent{};               ///< By the sharing side's clock.
    std::uint64_t refused = 0;          ///< Frames of the asking side that were not put onto the bus so far.
    std::string why;                    ///< The last of them.
};

[[nodiscard]] Bytes packed(const Description& description);
[[nodiscard]] Bytes packed(const Packet& packet);
[[nodiscard]] Bytes packed(const Wish& wish);
[[nodiscard]] Bytes packed(const Question& question);
[[nodiscard]] Bytes packed(const Answer& answer);

/// Packs frames as they come, so that nothing is copied twice.
class Packing {
public:
    /// Begins behind `before` frames of the bus.
    Packing(std::uint64_t session, std::uint64_t before) : session_(session), first_(before), next_(before) {}
    void add(const can::FrameView& frame, std::uint64_t by = 0);
    [[nodiscard]] bool empty() const { return count_ == 0; }
    [[nodiscard]] std::size_t size() const { return body_.size(); }
    [[nodiscard]] std::uint64_t frames() const { return count_; }
    /// The packet; the next one begins behind it.
    [[nodiscard]] Bytes take(Time now);

private:
    std::uint64_t session_, first_, next_, count_ = 0;
    Time base_{}, last_{};
    Bytes body_;
};

/// Nothing where the bytes are not of that form to the last.
[[nodiscard]] std::optional<Description> descriptionFrom(BytesView bytes);
[[nodiscard]] std::optional<Packet> packetFrom(BytesView bytes);
[[nodiscard]] std::optional<Wish> wishFrom(BytesView bytes);
[[nodiscard]] std::optional<Question> questionFrom(BytesView bytes);
[[nodiscard]] std::optional<Answer> answerFrom(BytesView bytes);

}  // namespace wavetrope::remote
