// SPDX-License-Identifier: GPL-3.0-or-later
// A frame put together from values, with its counters and checksums.
#pragma once

#include <cmath>
#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "can/bit_rate.h"
#include "database/catalog.h"

namespace wavetrope::drive {

/// Counts up with each frame sent.
struct CounterSpec {
    std::uint64_t modulo = 16;
};
/// Over all bytes but its own: their sum, their exclusive or, or a CRC of polynomial 0x2F that begins with 0xFF.
enum class Checksum : std::uint8_t { sum8, xor8, crc8 };

/// Makes the frames of one message, or of an identifier that no database explains: what stands in it from the start, the
/// values that are given, its counters and its checksums. For everybody who sends.
class MessageEncoder {
public:
    /// What goes into a place of the frame: a value that whoever sends gives, a counter, a checksum.
    struct Given {};
    using Filling = std::variant<Given, CounterSpec, Checksum>;

    /// Of a message of a database, which has to outlive this: its start values stand in it.
    explicit MessageEncoder(const database::CatalogMessage& message);
    /// Of a frame as it is.
    MessageEncoder(std::uint8_t bus, const can::Frame& frame) : bus_(bus), frame_(frame) {}
    /// Of an identifier and a length in bytes, all of them zero. A length that no frame has becomes the next one that there is.
    MessageEncoder(std::uint8_t bus, can::Identifier id, unsigned length);

    /// Signal of that name, or byte of that number. The error names what there is.
    [[nodiscard]] Expected<std::uint32_t> placeOf(std::string_view name) const;
    /// Whether the bus carries such frames (ISO 11898-1:2015, 10.4.2: a classic frame has up to 8 bytes).
    [[nodiscard]] Expected<void> checkFits(const std::string& bus, can::BitRate rate) const;

    /// Adds a place that is filled anew for each frame. `tag` is what the values of `encode` are asked by.
    void fill(std::uint32_t place, Filling filling, std::uint32_t tag = 0);

    /// Puts a payload in place of what stands in the frame, as far as that is long.
    void take(can::Payload payload);
    /// Counters go on where those of another one stand.
    void countFrom(const MessageEncoder& other)
    {
        for (Field& field : fields_)
            for (const Field& before : other.fields_)
                if (before.place == field.place)
                    field.count = before.count;
    }
    /// What was filled anew stays as it is from now on.
    void leave(std::uint32_t place)
    {
        std::erase_if(fields_, [place](const Field& field) { return field.place == place; });
        settled_ = false;
    }

    /// Puts the next frame together. `valueOf(tag)` gives the physical value of a place (a raw frame's byte), asked for in the
    /// order of filling, selectors first, and only where the selectors that stand in the frame choose the signal;
    /// `refused(place, value)` is told of a value that its bits cannot hold, where `overflow` refuses such.
    template <class ValueOf, class Refused>
    const can::Frame& encode(ValueOf&& valueOf, database::Overflow overflow, Refused&& refused)
    {
        const auto fillNext = [&](Field& field) {
            double value = 0;
            if (std::holds_alternative<Given>(field.filling))
                value = valueOf(field.tag);
            else if (const auto* counter = std::get_if<CounterSpec>(&field.filling))
                value = static_cast<double>(field.count++ % counter->modulo);
            else
                return putChecksum(frame_, field.place, std::get<Checksum>(field.filling));
            // What is not a number is never sent: what was there stays.
            if (std::isnan(value) || (!this->put(field.place, value, overflow) && overflow == database::Overflow::refuse))
                refused(field.place, value);
        };
        if (!settled_)
            settle();
        // By one selector: what it chooses is known by its bits.
        if (selector_) {
            if (selectorField_)
                fillNext(fields_[*selectorField_]);
            if (const std::vector<std::uint32_t>* chosen = chosenNow()) {
                for (const std::uint32_t field : *chosen)
                    fillNext(fields_[field]);
                return frame_;
            }
        }
        for (Field& field : fields_)
            if ((!selector_ || !selectorField_ || &field != &fields_[*selectorField_]) && isChosen(field.place))
                fillNext(field);
        return frame_;
    }

    /// A place of the frame that is held at raw bits, whatever fills it.
    struct Held {
        std::uint32_t place = 0;
        std::uint64_t bits = 0;
    };
    /// The frame as it was put together last, with places held: those that its selectors choose then, and checksums over all that are not held
    /// themselves. What is put together next knows nothing of it.
    [[nodiscard]] const can::Frame& withHeld(std::span<const Held> held);

    /// How far the counter that fills a place counts; 0 where none does.
    [[nodiscard]] std::uint64_t modulo(std::uint32_t place) const
    {
        for (const Field& field : fields_)
            if (const auto* counter = std::get_if<CounterSpec>(&field.filling); counter != nullptr && field.place == place)
                return counter->modulo;
        return 0;
    }

    /// The frame as it was put together last.
    [[nodiscard]] const can::Frame& frame() const { return frame_; }
    [[nodiscard]] std::uint8_t bus() const { return bus_; }
    /// Null for a raw frame.
    [[nodiscard]] const database::CatalogMessage* message() const { return message_; }
    [[nodiscard]] std::string name() const { return message_ != nullptr ? message_->message->name : can::toText(frame_.id); }

private:
    struct Field {
        std::uint32_t place = 0;  // signal or byte number
        Filling filling;
        std::uint32_t tag = 0;
        std::uint64_t count = 0;
    };
    void complete();
    void settle();
    // Places in `fields_` that stand in the frame as its selector is now, but for the selector's own; null where there are too many values of it.
    [[nodiscard]] const std::vector<std::uint32_t>* chosenNow();
    [[nodiscard]] int rank(const Field& field) const;
    // Signals of other selector values share the bits: only the selected ones go in, and only they count and draw chance.
    [[nodiscard]] bool isChosen(std::uint32_t place) const
    {
        return message_ == nullptr || message_->plan.present({frame_.data.data(), frame_.length}, place);
    }
    bool put(std::uint32_t place, double value, database::Overflow overflow);
    void putChecksum(can::Frame& frame, std::uint32_t place, Checksum kind) const;

    std::uint8_t bus_ = 0;
    const database::CatalogMessage* message_ = nullptr;
    can::Frame frame_;
    std::vector<Field> fields_;
    can::Frame held_;
    bool settled_ = false;  // what is below is that of the fields
    std::optional<std::uint32_t> selector_;  // the only signal that chooses others
    std::optional<std::size_t> selectorField_;  // what fills it
    std::map<std::uint64_t, std::vector<std::uint32_t>> chosen_;  // by its bits
};

}  // namespace wavetrope::drive
