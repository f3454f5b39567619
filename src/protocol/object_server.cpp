// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/object_server.h"

#include <algorithm>

#include "protocol/service_data.h"

namespace wavetrope::protocol {

namespace {

constexpr unsigned pieceBytes = 7;
constexpr std::uint8_t ownBlock = 127;
// CiA 301, table 22.
constexpr std::uint32_t toggleWrong = 0x05030000, commandUnknown = 0x05040001, blockSizeWrong = 0x05040002, crcWrong = 0x05040004,
                        memoryFull = 0x05040005, writeOnly = 0x06010001, readOnly = 0x06010002, noObject = 0x06020000,
                        lengthWrong = 0x06070010, noSubIndex = 0x06090011, tooLarge = 0x06090031, tooSmall = 0x06090032;

}  // namespace

ObjectServer::ObjectServer(Dictionary dictionary, std::uint8_t node) : dictionary_(std::move(dictionary)), node_(node)
{
    for (const auto& [key, entry] : dictionary_.entries)
        values_[key] = dictionary_.initialOf(entry, node).value_or(std::vector<std::uint8_t>((bitsOf(entry.type) + 7) / 8, 0));
}

bool ObjectServer::set(ObjectPlace place, std::vector<std::uint8_t> value)
{
    const auto found = values_.find(Dictionary::keyOf(place));
    if (found == values_.end())
        return false;
    found->second = std::move(value);
    return true;
}

void ObjectServer::reply(std::vector<std::uint8_t> bytes)
{
    can::Frame frame;
    frame.id = {0x580U + node_, false};
    frame.length = frame.dlc = 8;
    frame.data.fill(0);
    std::copy_n(bytes.begin(), std::min<std::size_t>(bytes.size(), 8), frame.data.begin());
    frames_.push_back(frame);
}

void ObjectServer::answer(std::uint8_t first, std::uint32_t rest)
{
    reply({first, static_cast<std::uint8_t>(place_.index), static_cast<std::uint8_t>(place_.index >> 8), place_.sub,
        static_cast<std::uint8_t>(rest), static_cast<std::uint8_t>(rest >> 8), static_cast<std::uint8_t>(rest >> 16),
        static_cast<std::uint8_t>(rest >> 24)});
}

void ObjectServer::abort(std::uint32_t code)
{
    answer(0x80, code);
    expects_ = Expects::nothing;
}

void ObjectServer::hear(const can::FrameView& frame)
{
    if (frame.kind != can::FrameKind::data || frame.id != can::Identifier{0x600U + node_, false} || frame.length != 8)
        return;
    const std::uint8_t first = frame.data[0];
    if (expects_ == Expects::blockSegment && first != 0x80)
        return goOn(frame);
    if (first == 0x80) {
        expects_ = Expects::nothing;
        return;
    }
    const unsigned command = first >> 5;
    if (command == 1 || command == 2 || (command == 5 && (first & 3U) == 0) || (command == 6 && (first & 1U) == 0))
        return begin(frame);
    goOn(frame);
}

void ObjectServer::begin(const can::FrameView& frame)
{
    place_ = {static_cast<std::uint16_t>(frame.data[1] | frame.data[2] << 8), frame.data[3]};
    data_.clear();
    at_ = blockFrom_ = 0;
    toggle_ = checked_ = last_ = false;
    inBlock_ = 0;
    const ObjectEntry* entry = dictionary_.find(place_);
    if (entry == nullptr)
        return abort(dictionary_.objects.count(place_.index) == 0 ? noObject : noSubIndex);
    const unsigned command = frame.data[0] >> 5;
    const bool reads = command == 2 || command == 5;
    if (reads ? entry->access == Access::writeOnly : entry->access == Access::readOnly || entry->access == Access::constant)
        return abort(reads ? writeOnly : readOnly);
    reads ? startUpload(frame, command == 5) : startDownload(frame, command == 6);
}

void ObjectServer::startUpload(const can::FrameView& frame, bool block)
{
    ++reads_;
    auto known = live ? live(place_) : std::nullopt;
    data_ = known ? std::move(*known) : values_[Dictionary::keyOf(place_)];
    const auto size = static_cast<std::uint32_t>(data_.size());
    if (block) {
        blockSize_ = frame.data[4];
        if (blockSize_ == 0 || blockSize_ > 127)
            return abort(blockSizeWrong);
        checked_ = (frame.data[0] & 4U) != 0;
        expects_ = Expects::blockStart;
        return answer(0xC6, size);
    }
    if (size > 0 && size <= 4) {
        std::uint32_t value = 0;
        for (std::uint32_t i = 0; i < size; ++i)
            value |= static_cast<std::uint32_t>(data_[i]) << 8 * i;
        expects_ = Expects::nothing;
        return answer(static_cast<std::uint8_t>(0x43 | (4 - size) << 2), value);
    }
    expects_ = Expects::uploadSegment;
    answer(0x41, size);
}

void ObjectServer::startDownload(const can::FrameView& frame, bool block)
{
    const std::uint8_t first = frame.data[0];
    if (block) {
        checked_ = (first & 4U) != 0;
        blockSize_ = ownBlock;
        expects_ = Expects::blockSegment;
        return answer(0xA4, ownBlock);
    }
    if ((first & 2U) != 0) {
        const std::size_t size = (first & 1U) != 0 ? 4U - (first >> 2 & 3U) : 4U;
        if (const std::uint32_t problem = store({frame.data + 4, frame.data + 4 + size}); problem != 0)
            return abort(problem);
        expects_ = Expects::nothing;
        return answer(0x60);
    }
    expects_ = Expects::downloadSegment;
    answer(0x60);
}

void ObjectServer::uploadSegment(bool toggle)
{
    if (toggle != toggle_)
        return abort(toggleWrong);
    const std::size_t count = std::min<std::size_t>(pieceBytes, data_.size() - at_);
    const bool last = at_ + count == data_.size();
    std::vector<std::uint8_t> bytes{static_cast<std::uint8_t>((toggle ? 0x10U : 0U) | (pieceBytes - count) << 1 | (last ? 1U : 0U))};
    bytes.insert(bytes.end(), data_.begin() + static_cast<std::ptrdiff_t>(at_), data_.begin() + static_cast<std::ptrdiff_t>(at_ + count));
    at_ += count;
    toggle_ = !toggle_;
    if (last)
        expects_ = Expects::nothing;
    reply(std::move(bytes));
}

void ObjectServer::sendBlock()
{
    blockFrom_ = at_;
    inBlock_ = 0;
    do {
        ++inBlock_;
        const std::size_t count = std::min<std::size_t>(pieceBytes, data_.size() - at_);
        const bool last = at_ + count == data_.size();
        std::vector<std::uint8_t> bytes{static_cast<std::uint8_t>((last ? 0x80U : 0U) | inBlock_)};
        bytes.insert(
            bytes.end(), data_.begin() + static_cast<std::ptrdiff_t>(at_), data_.begin() + static_cast<std::ptrdiff_t>(at_ + count));
        at_ += count;
        reply(std::move(bytes));
    } while (inBlock_ < blockSize_ && at_ < data_.size());
    expects_ = Expects::blockAnswer;
}

void ObjectServer::goOn(const can::FrameView& frame)
{
    const std::uint8_t first = frame.data[0];
    switch (expects_) {
    case Expects::uploadSegment:
        if ((first & 0xE0U) != 0x60)
            return abort(commandUnknown);
        return uploadSegment((first & 0x10U) != 0);
    case Expects::downloadSegment: {
        if ((first & 0xE0U) != 0)
            return abort(commandUnknown);
        if (((first & 0x10U) != 0) != toggle_)
            return abort(toggleWrong);
        data_.insert(data_.end(), frame.data + 1, frame.data + 8 - (first >> 1 & 7U));
        if (data_.size() > mostBytes)
            return abort(memoryFull);
        if ((first & 1U) != 0) {
            if (const std::uint32_t problem = store(std::move(data_)); problem != 0)
                return abort(problem);
            expects_ = Expects::nothing;
        }
        reply({static_cast<std::uint8_t>(0x20 | (toggle_ ? 0x10 : 0))});
        toggle_ = !toggle_;
        return;
    }
    case Expects::blockStart:
        if (first != 0xA3)
            return abort(commandUnknown);
        return sendBlock();
    case Expects::blockAnswer: {
        if (first != 0xA2 || frame.data[1] > inBlock_)
            return abort(commandUnknown);
        const bool all = frame.data[1] == inBlock_ && at_ == data_.size();
        at_ = std::min(data_.size(), blockFrom_ + std::size_t{frame.data[1]} * pieceBytes);
        blockSize_ = frame.data[2];
        if (blockSize_ == 0 || blockSize_ > 127)
            return abort(blockSizeWrong);
        if (!all)
            return sendBlock();
        const std::size_t unused = data_.empty() ? pieceBytes : (pieceBytes - data_.size() % pieceBytes) % pieceBytes;
        const std::uint16_t sum = checked_ ? crc(data_) : std::uint16_t{0};
        expects_ = Expects::blockEnd;
        return reply({static_cast<std::uint8_t>(0xC1 | unused << 2), static_cast<std::uint8_t>(sum), static_cast<std::uint8_t>(sum >> 8)});
    }
    case Expects::blockSegment: {
        const unsigned number = first & 0x7FU;
        if (number == inBlock_ + 1 && !last_) {
            ++inBlock_;
            last_ = (first & 0x80U) != 0;
            data_.insert(data_.end(), frame.data + 1, frame.data + 8);
            if (data_.size() > mostBytes)
                return abort(memoryFull);
        }
        if ((first & 0x80U) == 0 && number < ownBlock)
            return;
        const unsigned came = inBlock_;
        inBlock_ = 0;
        if (last_)
            expects_ = Expects::blockEnd;
        return reply({0xA2, static_cast<std::uint8_t>(came), ownBlock});
    }
    case Expects::blockEnd:
        if (last_ && (first & 0xE3U) == 0xC1) {  // of a download
            data_.resize(data_.size() - std::min<std::size_t>(data_.size(), first >> 2 & 7U));
            if (checked_ && crc(data_) != (frame.data[1] | frame.data[2] << 8))
                return abort(crcWrong);
            if (const std::uint32_t problem = store(std::move(data_)); problem != 0)
                return abort(problem);
            expects_ = Expects::nothing;
            return reply({0xA1});
        }
        expects_ = Expects::nothing;
        if (first != 0xA1)
            abort(commandUnknown);
        return;
    case Expects::nothing: return abort(commandUnknown);
    }
}

std::uint32_t ObjectServer::store(std::vector<std::uint8_t> value)
{
    const ObjectEntry* entry = dictionary_.find(place_);
    if (entry == nullptr)
        return noObject;
    if (bitsOf(entry->type) != 0 && value.size() != (bitsOf(entry->type) + 7) / 8)
        return lengthWrong;
    if (const auto whole = wholeOf(entry->type, value)) {
        const auto low = Dictionary::number(entry->low, node_), high = Dictionary::number(entry->high, node_);
        if (low && *whole < *low)
            return tooSmall;
        if (high && *whole > *high)
            return tooLarge;
    }
    ++writes_;
    if (written)
        written(*entry, value);
    values_[Dictionary::keyOf(place_)] = std::move(value);
    return 0;
}

}  // namespace wavetrope::protocol
