// SPDX-License-Identifier: GPL-3.0-or-later
// The client of service data (CiA 301, 7.2.4.3).
#include "protocol/service_data.h"
#include "protocol/talk.h"

#include <algorithm>

namespace wavetrope::protocol {

using namespace std::chrono_literals;

namespace {

constexpr Time patience = 1s;           // for an answer
constexpr unsigned pieceBytes = 7;
constexpr std::uint8_t ownBlock = 127;  // segments that it takes at once
constexpr std::uint32_t abortToggle = 0x05030000, abortTimeout = 0x05040000, abortCommand = 0x05040001, abortCrc = 0x05040004;

class ObjectTalk : public Talk {
public:
    ObjectTalk(std::uint8_t node, ObjectPlace place) : node_(node), place_(place) {}

    void hear(const can::FrameView& frame) final
    {
        if (answer() || frame.kind != can::FrameKind::data || frame.id != can::Identifier{0x580U + node_, false} || frame.length != 8)
            return;
        if (frame.data[0] == 0x80 && !inBlock())
            return fail("the server aborts: " + abortWords(long32(frame.data + 4)));
        due_ = frame.time + patience;
        said(frame);
    }
    void passed(Time now) final
    {
        if (answer() || now < due_)
            return;
        abort(abortTimeout);
        fail("node " + std::to_string(node_) + " did not answer within a second");
    }

protected:
    virtual void said(const can::FrameView& frame) = 0;
    /// Whether what comes are segments alone.
    [[nodiscard]] virtual bool inBlock() const { return false; }
    void request(std::initializer_list<std::uint8_t> bytes) { send({0x600U + node_, false}, bytes); }
    void request(const std::vector<std::uint8_t>& bytes) { send({0x600U + node_, false}, bytes); }
    void initiate(std::uint8_t first, std::uint32_t last)
    {
        request({first, static_cast<std::uint8_t>(place_.index), static_cast<std::uint8_t>(place_.index >> 8), place_.sub,
            static_cast<std::uint8_t>(last), static_cast<std::uint8_t>(last >> 8), static_cast<std::uint8_t>(last >> 16),
            static_cast<std::uint8_t>(last >> 24)});
    }
    void abort(std::uint32_t code) { initiate(0x80, code); }
    void giveUp(std::uint32_t code, const char* words)
    {
        abort(code);
        fail(words);
    }
    [[nodiscard]] bool ofPlace(const can::FrameView& frame) const
    {
        return (frame.data[1] | frame.data[2] << 8) == place_.index && frame.data[3] == place_.sub;
    }

private:
    std::uint8_t node_;
    ObjectPlace place_;
};

class ObjectRead final : public ObjectTalk {
public:
    ObjectRead(std::uint8_t node, ObjectPlace place, bool block) : ObjectTalk(node, place), block_(block) {}

    void begin(Time now) override
    {
        due_ = now + patience;
        block_ ? initiate(0xA4, ownBlock) : initiate(0x40, 0);
    }

private:
    [[nodiscard]] bool inBlock() const override { return expects_ == Expects::blockSegment; }
    void said(const can::FrameView& frame) override
    {
        const std::uint8_t first = frame.data[0];
        switch (expects_) {
        case Expects::answer:
            if (!ofPlace(frame))
                return;
            if (block_ && (first & 0xE1U) == 0xC0) {
                checked_ = (first & 4U) != 0;
                expects_ = Expects::blockSegment;
                return request({0xA3});
            }
            if ((first & 0xE0U) != 0x40)
                return giveUp(abortCommand, "the server answers something else");
            if ((first & 2U) != 0) {
                data_.assign(frame.data + 4, frame.data + 4 + ((first & 1U) != 0 ? 4 - (first >> 2 & 3U) : 4));
                return done();
            }
            expects_ = Expects::segment;
            return request({0x60});
        case Expects::segment:
            if ((first & 0xE0U) != 0)
                return giveUp(abortCommand, "the server answers something else");
            if (((first & 0x10U) != 0) != toggle_)
                return giveUp(abortToggle, "the server sends the wrong toggle bit");
            toggle_ = !toggle_;
            data_.insert(data_.end(), frame.data + 1, frame.data + 8 - (first >> 1 & 7U));
            if ((first & 1U) != 0)
                return done();
            return request({static_cast<std::uint8_t>(0x60 | (toggle_ ? 0x10 : 0))});
        case Expects::blockSegment: {
            const unsigned at = first & 0x7FU;
            const bool last = (first & 0x80U) != 0;
            if (at == 0)
                return fail("the server aborts: " + abortWords(long32(frame.data + 4)));
            if (at == came_ + 1) {
                ++came_;
                data_.insert(data_.end(), frame.data + 1, frame.data + 8);
                last_ = last;
            }
            if (last || at >= ownBlock) {
                request({0xA2, static_cast<std::uint8_t>(came_), ownBlock});
                expects_ = last_ ? Expects::blockEnd : Expects::blockSegment;
                came_ = 0;
            }
            return;
        }
        case Expects::blockEnd:
            if ((first & 0xE3U) != 0xC1)
                return giveUp(abortCommand, "the server answers something else");
            data_.resize(data_.size() - std::min<std::size_t>(data_.size(), first >> 2 & 7U));
            if (checked_ && crc(data_) != (frame.data[1] | frame.data[2] << 8))
                return giveUp(abortCrc, "the CRC of the block is wrong");
            request({0xA1});
            return done();
        }
    }
    void done() { end({true, std::move(data_), {}}); }

    enum class Expects { answer, segment, blockSegment, blockEnd };
    bool block_;
    Expects expects_ = Expects::answer;
    bool toggle_ = false, checked_ = false, last_ = false;
    unsigned came_ = 0;
    std::vector<std::uint8_t> data_;
};

class ObjectWrite final : public ObjectTalk {
public:
    ObjectWrite(std::uint8_t node, ObjectPlace place, std::vector<std::uint8_t> data, bool block)
        : ObjectTalk(node, place), data_(std::move(data)), block_(block)
    {}

    void begin(Time now) override
    {
        due_ = now + patience;
        const auto size = static_cast<std::uint32_t>(data_.size());
        if (block_)
            return initiate(0xC6, size);
        if (size > 4 || size == 0)
            return initiate(0x21, size);
        std::uint32_t value = 0;
        for (std::uint32_t i = 0; i < size; ++i)
            value |= static_cast<std::uint32_t>(data_[i]) << 8 * i;
        initiate(static_cast<std::uint8_t>(0x23 | (4 - size) << 2), value);
    }

private:
    void said(const can::FrameView& frame) override
    {
        const std::uint8_t first = frame.data[0];
        switch (expects_) {
        case Expects::answer:
            if (!ofPlace(frame))
                return;
            if (block_ && (first & 0xE3U) == 0xA0) {
                checked_ = (first & 4U) != 0;
                return sendBlock(frame.data[4]);
            }
            if (first != 0x60)
                return giveUp(abortCommand, "the server answers something else");
            if (data_.size() <= 4 && !data_.empty())
                return end({true, {}, {}});
            expects_ = Expects::segment;
            return sendSegment();
        case Expects::segment:
            if ((first & 0xE0U) != 0x20)
                return giveUp(abortCommand, "the server answers something else");
            if (((first & 0x10U) != 0) != toggle_)
                return giveUp(abortToggle, "the server sends the wrong toggle bit");
            toggle_ = !toggle_;
            if (sent_ >= data_.size())
                return end({true, {}, {}});
            return sendSegment();
        case Expects::blockAnswer:
            if (first != 0xA2 || frame.data[1] > inBlock_)
                return giveUp(abortCommand, "the server answers something else");
            sent_ = std::min(data_.size(), blockFrom_ + std::size_t{frame.data[1]} * pieceBytes);
            if (frame.data[1] < inBlock_ || sent_ < data_.size())
                return sendBlock(frame.data[2]);
            expects_ = Expects::blockEnd;
            {
                const auto unused = (pieceBytes - data_.size() % pieceBytes) % pieceBytes;
                const std::uint16_t sum = checked_ ? crc(data_) : std::uint16_t{0};
                return request(
                    {static_cast<std::uint8_t>(0xC1 | unused << 2), static_cast<std::uint8_t>(sum), static_cast<std::uint8_t>(sum >> 8)});
            }
        case Expects::blockEnd:
            if (first != 0xA1)
                return giveUp(abortCommand, "the server answers something else");
            return end({true, {}, {}});
        }
    }
    // Seven bytes from where it is.
    std::vector<std::uint8_t> piece(std::uint8_t first)
    {
        std::vector<std::uint8_t> bytes{first};
        while (bytes.size() < 8 && sent_ < data_.size())
            bytes.push_back(data_[sent_++]);
        return bytes;
    }
    void sendSegment()
    {
        const std::size_t left = data_.size() - sent_;
        const bool last = left <= pieceBytes;
        request(piece(static_cast<std::uint8_t>((toggle_ ? 0x10U : 0U) | (last ? (pieceBytes - left) << 1 | 1U : 0U))));
    }
    void sendBlock(unsigned size)
    {
        if (size == 0 || size > 127)
            return giveUp(0x05040002, "the server asks for a block of no segments");
        expects_ = Expects::blockAnswer;
        blockFrom_ = sent_;
        inBlock_ = 0;
        do {
            const bool last = data_.size() - sent_ <= pieceBytes;
            ++inBlock_;
            request(piece(static_cast<std::uint8_t>((last ? 0x80U : 0U) | inBlock_)));
        } while (inBlock_ < size && sent_ < data_.size());
    }

    enum class Expects { answer, segment, blockAnswer, blockEnd };
    std::vector<std::uint8_t> data_;
    bool block_;
    Expects expects_ = Expects::answer;
    bool toggle_ = false, checked_ = false;
    std::size_t sent_ = 0, blockFrom_ = 0;
    unsigned inBlock_ = 0;
};

class Frames final : public Talk {
public:
    Frames(std::function<can::Frame(Time)> make, Time every, Time lasts) : make_(std::move(make)), every_(every), lasts_(lasts) {}
    void begin(Time now) override
    {
        until_ = now + lasts_;
        pass({make_(now)});
        next(now);
    }
    void hear(const can::FrameView&) override {}
    void passed(Time now) override
    {
        if (now >= due_)
            pass({make_(now)});
        next(now);
    }

private:
    void next(Time now)
    {
        if (every_.count() <= 0 || now + every_ > until_)
            return end({true, {}, {}});
        due_ = now + every_;
    }
    std::function<can::Frame(Time)> make_;
    Time every_, lasts_, until_{};
};

can::Frame shortFrame(can::Identifier id, std::initializer_list<std::uint8_t> bytes)
{
    can::Frame frame;
    frame.id = id;
    frame.length = frame.dlc = static_cast<std::uint8_t>(bytes.size());
    std::copy(bytes.begin(), bytes.end(), frame.data.begin());
    return frame;
}

}  // namespace

std::unique_ptr<Talk> objectRead(std::uint8_t node, ObjectPlace place, bool block)
{
    return std::make_unique<ObjectRead>(node, place, block);
}

Expected<StateCommand> stateCommandFromText(std::string_view text)
{
    static constexpr std::pair<std::string_view, StateCommand> words[] = {{"start", StateCommand::start}, {"stop", StateCommand::stop},
        {"pre-operational", StateCommand::preOperational}, {"reset", StateCommand::reset},
        {"reset communication", StateCommand::resetCommunication}};
    for (const auto& [word, command] : words)
        if (word == text)
            return command;
    return wavetrope::fail("'" + std::string(text) + "': expected start, stop, pre-operational, reset or reset communication");
}

std::unique_ptr<Talk> stateCommand(std::uint8_t node, StateCommand command)
{
    return framesSent([=](Time) { return shortFrame({0, false}, {static_cast<std::uint8_t>(command), node}); });
}

std::unique_ptr<Talk> framesSent(std::function<can::Frame(Time)> make, Time every, Time lasts)
{
    return std::make_unique<Frames>(std::move(make), every, lasts);
}

can::Frame syncFrame(std::optional<std::uint8_t> counter)
{
    constexpr can::Identifier id{0x080, false};
    return counter ? shortFrame(id, {*counter}) : shortFrame(id, {});
}

can::Frame timeFrame(Time sinceEpoch)
{
    // Milliseconds of the day in 28 bits, days since 1984-01-01 in 16.
    constexpr std::int64_t daysTo1984 = 5113, millisecondsOfDay = 86'400'000;
    const std::int64_t all = sinceEpoch.count() / 1'000'000, days = all / millisecondsOfDay - daysTo1984;
    const auto ms = static_cast<std::uint32_t>(all % millisecondsOfDay);
    const auto day = static_cast<std::uint16_t>(std::clamp<std::int64_t>(days, 0, 0xFFFF));
    return shortFrame(
        {0x100, false}, {static_cast<std::uint8_t>(ms), static_cast<std::uint8_t>(ms >> 8), static_cast<std::uint8_t>(ms >> 16),
                            static_cast<std::uint8_t>(ms >> 24), static_cast<std::uint8_t>(day), static_cast<std::uint8_t>(day >> 8)});
}

std::unique_ptr<Talk> objectWrite(std::uint8_t node, ObjectPlace place, std::vector<std::uint8_t> data, bool block)
{
    return std::make_unique<ObjectWrite>(node, place, std::move(data), block);
}

}  // namespace wavetrope::protocol
