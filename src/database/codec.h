// SPDX-License-Identifier: GPL-3.0-or-later
// Compiled plans that take signals out of payloads and put them in.
#pragma once

#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "database/database.h"
#include "database/scale.h"

namespace wavetrope::database {

/// Where the bits of one signal lie, ready to be fetched with one or two loads.
struct SignalPlan {
    /// First byte of the eight that are loaded; a multiple of eight where the signal lies within such eight.
    std::uint16_t byte = 0;
    std::uint8_t shift = 0;         ///< Right shift behind the load.
    std::uint8_t length = 1;
    std::uint8_t spill = 0;         ///< Bits in a ninth byte.
    std::uint16_t lastByte = 0;     ///< Highest payload byte touched.
    bool motorola = false;
    bool isSigned = false;
    ValueType type = ValueType::integer;
    std::uint8_t unused = 0;        ///< Bits above a signed integer's, for the extension of its sign; 0 for unsigned ones.
    std::uint64_t mask = 1;         ///< As many ones as the signal has bits.
    Scale scale;
    double low = 0;                 ///< Smallest raw value that an integer's bits hold.
    double limit = 2;               ///< First raw value above what they hold.

    /// The raw bits, unsigned, right-aligned. Nine bytes behind the signal's first may be read.
    [[nodiscard]] std::uint64_t rawBits(const std::uint8_t* payload) const { return bitsAt(payload + byte); }
    /// The same where nothing may be read behind the payload, which has all of the signal's bits.
    [[nodiscard]] std::uint64_t rawBits(can::Payload payload) const;
    /// The raw value as a number: sign-extended integer, or the float's value.
    [[nodiscard]] double rawValue(std::uint64_t bits) const;
    /// The raw value of an integer, exact to 64 bits.
    [[nodiscard]] RawValue whole(std::uint64_t bits) const
    {
        return isSigned ? RawValue{static_cast<std::int64_t>(bits << unused) >> unused} : RawValue{bits};
    }
    /// The double nearest to the exact raw x factor + offset, of any raw number.
    [[nodiscard]] double physical(double raw) const { return scale.of(raw); }
    /// The same of raw bits.
    [[nodiscard]] double physicalOf(std::uint64_t bits) const
    {
        return scale.quick()                ? scale.quickly(rawValue(bits))
               : type == ValueType::integer ? scale.ofWhole(whole(bits))
                                            : scale.of(rawValue(bits));
    }
    /// Puts raw bits into a payload; false where it has no room for the signal.
    bool store(std::span<std::uint8_t> payload, std::uint64_t bits) const;

private:
    /// Of the eight or nine bytes from `byte` on.
    [[nodiscard]] std::uint64_t bitsAt(const std::uint8_t* at) const;
};

/// Makes the plan of a signal.
[[nodiscard]] SignalPlan planOf(const Signal& signal);

/// One decoded signal.
struct Decoded {
    std::uint32_t signal = 0;       ///< Index into the message's signals.
    std::uint64_t bits = 0;         ///< Raw bits, right-aligned: exact where `raw` cannot be.
    double raw = 0;
    double value = 0;               ///< Physical.
};

/// What to do with a value that a signal's bits cannot hold.
enum class Overflow : std::uint8_t { limit, refuse };

/// Decodes and encodes one message. Built once; keeps no reference to the message.
class MessagePlan {
public:
    explicit MessagePlan(const Message& message);

    /// Appends all signals that the payload carries: multiplexed ones only where their selector says so, nested ones
    /// where all of theirs do, and only those whose bits the payload has. Returns how many were left out because the
    /// payload is too short.
    unsigned decode(can::Payload payload, std::vector<Decoded>& out) const;
    /// Of a frame: none where it has no data.
    unsigned decode(const can::FrameView& frame, std::vector<Decoded>& out) const
    {
        return hasData(frame) ? decode(frame.payload(), out) : 0;
    }
    /// One signal; false when this payload does not carry it.
    bool decodeOne(can::Payload payload, std::uint32_t signal, Decoded& out) const;
    bool decodeOne(const can::FrameView& frame, std::uint32_t signal, Decoded& out) const
    {
        return hasData(frame) && decodeOne(frame.payload(), signal, out);
    }
    /// Sets a signal to a physical value, rounded to the nearest raw one. What its bits cannot hold is limited to what
    /// they can, or refused: then false, and the payload stays as it is. So it does where it has no room for the signal.
    bool encode(std::span<std::uint8_t> payload, std::uint32_t signal, double value, Overflow overflow = Overflow::limit) const;
    /// Raw bits of a physical value; `fits` tells whether the signal's bits can hold it.
    [[nodiscard]] static std::uint64_t bitsOf(const SignalPlan& plan, double value, bool& fits);
    /// Sets the raw bits of a signal; false where the payload has no room for it.
    bool encodeBits(std::span<std::uint8_t> payload, std::uint32_t signal, std::uint64_t bits) const;
    /// Puts the start values into a payload: what is sent of signals that nobody has set.
    void fillStart(std::span<std::uint8_t> payload) const;

    [[nodiscard]] const SignalPlan& plan(std::uint32_t signal) const { return plans_[signal]; }
    [[nodiscard]] std::size_t signalCount() const { return plans_.size(); }
    /// The message's first selector, or -1.
    [[nodiscard]] int selector() const { return selector_; }
    /// The selector of a multiplexed signal, or -1.
    [[nodiscard]] int selectorOf(std::uint32_t signal) const { return conditions_[signal].selector; }
    /// A selector value at which a multiplexed signal is present.
    [[nodiscard]] std::uint64_t muxValue(std::uint32_t signal) const
    {
        return conditions_[signal].ranges.empty() ? 0 : conditions_[signal].ranges.front().from;
    }
    [[nodiscard]] bool multiplexed(std::uint32_t signal) const { return conditions_[signal].multiplexed; }
    /// Whether a payload's selectors say that a signal is present.
    [[nodiscard]] bool present(can::Payload payload, std::uint32_t signal) const;

private:
    [[nodiscard]] static bool hasData(const can::FrameView& frame)
    {
        return frame.kind == can::FrameKind::data || frame.kind == can::FrameKind::fd;
    }
    // `From` gives raw bits of a payload of so many bytes.
    template <class From>
    [[nodiscard]] bool presentIn(const From& from, std::size_t length, std::uint32_t signal) const;
    template <class From>
    unsigned decodeFrom(const From& from, std::size_t length, std::vector<Decoded>& out) const;
    template <class From>
    void take(const From& from, std::uint32_t signal, Decoded& to) const;

    struct Condition {
        bool multiplexed = false;
        int selector = -1;              // of a chain without circles; -1 means never present
        std::vector<MuxRange> ranges;
    };
    std::vector<SignalPlan> plans_;
    std::vector<Condition> conditions_;
    std::vector<std::pair<std::uint32_t, std::uint64_t>> starts_;
    int selector_ = -1;
    bool anyMultiplexed_ = false;
    bool simple_ = true;                // integers of up to 63 bits within eight bytes each
    unsigned lastByte_ = 0;             // highest byte that any signal touches
};

/// Raw bits as text: exact to 64 bits for integers, 17 significant digits for floats.
[[nodiscard]] std::string rawText(const SignalPlan& plan, std::uint64_t bits);
/// The text of raw bits in a table of texts, or empty.
[[nodiscard]] std::string_view textOf(const Signal& signal, std::uint64_t bits);
/// A number with at most so many significant digits, "nan" for every not-a-number.
[[nodiscard]] std::string numberText(double value, int significantDigits = 17);

}  // namespace wavetrope::database
