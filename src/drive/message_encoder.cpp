// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/message_encoder.h"

#include <algorithm>
#include <cctype>

#include "base/nearest_name.h"

namespace wavetrope::drive {

namespace {

// Over all bytes but the checksum's own.
std::uint8_t checksumOf(Checksum kind, const can::Frame& frame, unsigned own)
{
    std::uint8_t sum = kind == Checksum::crc8 ? 0xFF : 0;
    for (unsigned i = 0; i < frame.length; ++i) {
        if (i == own)
            continue;
        if (kind == Checksum::sum8) {
            sum = static_cast<std::uint8_t>(sum + frame.data[i]);
        } else {
            sum ^= frame.data[i];
            for (int bit = 0; kind == Checksum::crc8 && bit < 8; ++bit)
                sum = static_cast<std::uint8_t>((sum & 0x80U) != 0 ? (sum << 1) ^ 0x2FU : sum << 1);
        }
    }
    return sum;
}

}  // namespace

MessageEncoder::MessageEncoder(const database::CatalogMessage& message) : bus_(message.bus), message_(&message)
{
    const database::Message& definition = *message.message;
    frame_.id = definition.id;
    frame_.length = static_cast<std::uint8_t>(std::min(definition.length, can::maxLength));
    frame_.kind = definition.fd ? can::FrameKind::fd : can::FrameKind::data;
    frame_.brs = definition.brs;
    message.plan.fillStart(frame_.data);
    complete();
}

MessageEncoder::MessageEncoder(std::uint8_t bus, can::Identifier id, unsigned length) : bus_(bus)
{
    frame_.id = id;
    frame_.length = static_cast<std::uint8_t>(length);
    frame_.kind = length > can::maxClassicLength ? can::FrameKind::fd : can::FrameKind::data;
    complete();
}

void MessageEncoder::complete()
{
    frame_.dlc = can::dlcOfLength(frame_.length);
    frame_.length = static_cast<std::uint8_t>(can::lengthOfDlc(frame_.dlc));
}

void MessageEncoder::take(can::Payload payload)
{
    frame_.data.fill(0);
    std::copy_n(payload.begin(), std::min<std::size_t>(payload.size(), frame_.length), frame_.data.begin());
}

Expected<void> MessageEncoder::checkFits(const std::string& bus, can::BitRate rate) const
{
    if (message_ != nullptr && message_->message->length > can::maxLength)
        return fail(name() + " has " + std::to_string(message_->message->length) + " bytes, more than the 64 that a frame carries");
    if (frame_.kind == can::FrameKind::fd && rate.known() && rate.data == 0)
        return fail(name() + " is a CAN FD frame of " + std::to_string(frame_.length) + " bytes, and bus " + bus + " (" + can::toText(rate)
                        + ") has classic frames of up to 8",
            {}, "Give the bus a data rate, such as \"rate\": \"" + can::toText(rate) + "/2M\"");
    return {};
}

Expected<std::uint32_t> MessageEncoder::placeOf(std::string_view name) const
{
    if (message_ == nullptr) {
        const bool digits = !name.empty() && name.size() <= 2
                            && std::all_of(name.begin(), name.end(), [](unsigned char c) { return std::isdigit(c) != 0; });
        const int byte = digits ? std::stoi(std::string(name)) : -1;
        if (byte < 0 || byte >= static_cast<int>(frame_.length))
            return fail("raw frame " + this->name() + " has no byte '" + std::string(name) + "'", {},
                "Its bytes are 0 to " + std::to_string(std::max(1U, unsigned{frame_.length}) - 1));
        return static_cast<std::uint32_t>(byte);
    }
    const std::vector<database::Signal>& signals = message_->message->signals;
    if (const database::Signal* signal = message_->message->find(name); signal != nullptr)
        return static_cast<std::uint32_t>(signal - signals.data());
    std::vector<std::string> names;
    std::string all;
    for (const database::Signal& other : signals) {
        names.push_back(other.name);
        all += (all.empty() ? "" : ", ") + other.name;
    }
    const std::string nearest = didYouMean(std::string(name), names);
    return fail("message " + this->name() + " has no signal '" + std::string(name) + "'", {},
        (nearest.empty() ? "" : nearest + " ") + (all.empty() ? "It has none" : "Its signals are " + all));
}

// The selector goes in before what it selects, a checksum when everything else stands.
int MessageEncoder::rank(const Field& field) const
{
    if (message_ != nullptr && message_->message->signals[field.place].selects())
        return message_->message->signals[field.place].mux == database::MuxRole::selector ? 0 : 1;
    return std::holds_alternative<Checksum>(field.filling) ? 3 : 2;
}

void MessageEncoder::fill(std::uint32_t place, Filling filling, std::uint32_t tag)
{
    const Field field{place, filling, tag, 0};
    const auto behind = std::upper_bound(
        fields_.begin(), fields_.end(), field, [this](const Field& a, const Field& b) { return rank(a) < rank(b); });
    fields_.insert(behind, field);
    settled_ = false;
}

void MessageEncoder::settle()
{
    settled_ = true;
    selector_.reset();
    selectorField_.reset();
    chosen_.clear();
    if (message_ == nullptr)
        return;
    const auto& signals = message_->message->signals;
    if (std::count_if(signals.begin(), signals.end(), [](const database::Signal& one) { return one.selects(); }) != 1)
        return;
    const auto place = static_cast<std::uint32_t>(
        std::find_if(signals.begin(), signals.end(), [](const database::Signal& one) { return one.selects(); }) - signals.begin());
    if (message_->plan.multiplexed(place) || message_->plan.plan(place).lastByte >= frame_.length)
        return;
    selector_ = place;
    for (std::size_t i = 0; i < fields_.size(); ++i)
        if (fields_[i].place == place)
            selectorField_ = i;
}

const std::vector<std::uint32_t>* MessageEncoder::chosenNow()
{
    constexpr std::size_t mostValues = 256;
    const std::uint64_t bits = message_->plan.plan(*selector_).rawBits(can::Payload{frame_.data.data(), frame_.length});
    if (const auto known = chosen_.find(bits); known != chosen_.end())
        return &known->second;
    if (chosen_.size() >= mostValues)
        return nullptr;
    std::vector<std::uint32_t>& chosen = chosen_[bits];
    for (std::size_t i = 0; i < fields_.size(); ++i)
        if (i != selectorField_ && isChosen(fields_[i].place))
            chosen.push_back(static_cast<std::uint32_t>(i));
    return &chosen;
}

bool MessageEncoder::put(std::uint32_t place, double value, database::Overflow overflow)
{
    if (message_ != nullptr)
        return message_->plan.encode(frame_.data, place, value, overflow);
    frame_.data[place] = static_cast<std::uint8_t>(value > 0 ? std::min(value, 255.0) : 0.0);     // 0 for what is no number
    return true;
}

void MessageEncoder::putChecksum(can::Frame& frame, std::uint32_t place, Checksum kind) const
{
    const unsigned own = message_ != nullptr ? message_->message->signals[place].startBit / 8 : place;
    const std::uint8_t sum = checksumOf(kind, frame, own);
    if (message_ != nullptr)
        message_->plan.encodeBits(frame.data, place, sum);
    else
        frame.data[place] = sum;
}

const can::Frame& MessageEncoder::withHeld(std::span<const Held> held)
{
    held_ = frame_;
    const auto chosen = [&](std::uint32_t place) {
        return message_ == nullptr || message_->plan.present({held_.data.data(), held_.length}, place);
    };
    const auto put = [&](const Held& one) {
        if (!chosen(one.place))
            return;
        if (message_ != nullptr)
            message_->plan.encodeBits(held_.data, one.place, one.bits);
        else
            held_.data[one.place] = static_cast<std::uint8_t>(one.bits);
    };
    // What selects goes in before what it selects; the second round is that of nested selectors.
    for (int round = 0; round < 2 && message_ != nullptr; ++round)
        for (const Held& one : held)
            if (message_->message->signals[one.place].selects())
                put(one);
    for (const Held& one : held)
        put(one);
    for (const Field& field : fields_)
        if (const auto* sum = std::get_if<Checksum>(&field.filling);
            sum != nullptr && chosen(field.place)
            && std::none_of(held.begin(), held.end(), [&](const Held& one) { return one.place == field.place; }))
            putChecksum(held_, field.place, *sum);
    return held_;
}

}  // namespace wavetrope::drive
