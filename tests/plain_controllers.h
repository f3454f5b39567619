// SPDX-License-Identifier: GPL-3.0-or-later
// Controllers on a wire, each a machine that drives and reads one bit after the other, as ISO 11898-1:2015 lays it down: what a simulated bus,
// which goes from frame to frame, is held to. Classic frames; time counts in bits.
#pragma once

#include <algorithm>
#include <optional>
#include <string>
#include <vector>

#include "bus/simulated_bus.h"

namespace wavetrope::test {

struct PlainBit {
    int value = 1;
    bool stuff = false, arbitration = false, data = false, crc = false;
};

/// From start of frame to the last bit of the CRC, stuffed (10.4.2, 10.5).
inline std::vector<PlainBit> plainBits(const can::Frame& frame)
{
    std::vector<PlainBit> plain;
    const auto put = [&](std::uint32_t value, int width, PlainBit like) {
        for (int bit = width - 1; bit >= 0; --bit) {
            like.value = static_cast<int>(value >> bit & 1U);
            plain.push_back(like);
        }
    };
    const PlainBit arbitration{1, false, true}, control{}, data{1, false, false, true}, crcBit{1, false, false, false, true};
    const std::uint32_t remote = frame.kind == can::FrameKind::remote ? 1 : 0;
    put(0, 1, arbitration);
    if (frame.id.extended) {
        put(frame.id.value >> 18, 11, arbitration);
        put(3, 2, arbitration);
        put(frame.id.value & 0x3FFFFU, 18, arbitration);
        put(remote, 1, arbitration);
        put(0, 2, control);
    } else {
        put(frame.id.value, 11, arbitration);
        put(remote, 1, arbitration);
        put(0, 2, control);
    }
    put(frame.dlc, 4, control);
    for (unsigned i = 0; i < frame.length; ++i)
        put(frame.data[i], 8, data);
    std::uint32_t crc = 0;
    for (const PlainBit& bit : plain) {
        const bool next = ((crc >> 14 & 1U) != 0) != (bit.value != 0);
        crc = crc << 1 & 0x7FFFU;
        if (next)
            crc ^= 0x4599U;
    }
    put(crc, 15, crcBit);
    std::vector<PlainBit> out;
    int run = 0, last = -1;
    for (const PlainBit& bit : plain) {
        out.push_back(bit);
        run = bit.value == last ? run + 1 : 1;
        last = bit.value;
        if (run == 5) {
            PlainBit stuff = bit;
            stuff.value = last = 1 - bit.value;
            stuff.stuff = true;
            out.push_back(stuff);
            run = 1;
        }
    }
    return out;
}

/// One controller. It drives `drives()`, then reads what the wire is.
class PlainController {
public:
    enum class Does { waits, idle, sends, receives, activeFlag, passiveFlag, behindFlag, delimits, pauses, suspends };

    struct Waiting {
        can::Frame frame;
        std::uint64_t number = 0;
    };
    std::vector<Waiting> queue;
    bool counts = true;  ///< The listener of the program has no counters.
    bool acknowledges = true;  ///< Set for each frame.
    bool findsCrcWrong = false;
    unsigned transmit = 0, receive = 0;
    Does does = Does::idle;
    unsigned sequencesWanted = 0;  ///< Of eleven recessive bits, until it takes part.
    bool sent = false;  ///< Its frame went out whole with the bit read last.
    bool overloaded = false;  ///< Met what asks for an overload frame, which is not made.

    [[nodiscard]] bool isOff() const { return transmit > 255; }
    [[nodiscard]] bool isPassive() const { return transmit > 127 || receive > 127; }
    [[nodiscard]] bool takesPart() const { return does != Does::waits && !isOff(); }
    [[nodiscard]] bool isBusy() const
    {
        return does == Does::sends || does == Does::receives || does == Does::activeFlag || does == Does::passiveFlag
               || does == Does::behindFlag || does == Does::delimits;
    }

    [[nodiscard]] bool awaitsAcknowledge() const { return does == Does::sends && at_ == dataEnds_ + 1; }
    [[nodiscard]] bool flagsPassively() const { return does == Does::passiveFlag || (does == Does::behindFlag && isPassive()); }
    [[nodiscard]] bool pauses() const { return does == Does::pauses; }

    /// Of what waits, that which wins; the older of equal ones.
    [[nodiscard]] std::size_t next() const
    {
        std::size_t best = 0;
        for (std::size_t i = 1; i < queue.size(); ++i)
            if (const auto a = can::arbitrationBits(queue[i].frame), b = can::arbitrationBits(queue[best].frame);
                a < b || (a == b && queue[i].number < queue[best].number))
                best = i;
        return best;
    }
    [[nodiscard]] bool wouldStart() const { return does == Does::idle && !queue.empty(); }
    void start()
    {
        sending_ = queue[next()];
        stream_ = plainBits(sending_.frame);
        dataEnds_ = stream_.size();
        for (int i = 0; i < 10; ++i)  // delimiter of the CRC, acknowledge, its delimiter, end of frame
            stream_.push_back({});
        does = Does::sends;
        at_ = 0;
        beginReading();
    }
    void restart()
    {
        if (isOff() && sequencesWanted == 0) {
            sequencesWanted = 128;
            recessive_ = 0;
        }
    }

    [[nodiscard]] int drives() const
    {
        switch (does) {
        case Does::sends: return stream_[at_].value;
        case Does::receives: return inTail_ && tailAt_ == 1 && acknowledges && !findsCrcWrong && crcRight_ ? 0 : 1;
        case Does::activeFlag: return 0;
        default: return 1;
        }
    }

    /// Reads the wire; `misreads`: it finds an error in this bit of a frame, whatever it is.
    void read(int wire, bool misreads)
    {
        sent = false;
        if (sequencesWanted > 0)
            countRecessive(wire);
        if (misreads && does == Does::receives)
            return fail();
        if (misreads && does == Does::sends)
            wire = 1 - wire;
        switch (does) {
        case Does::waits: return;
        case Does::idle:
        case Does::suspends:
            if (wire == 0) {
                does = Does::receives;
                beginReading();
                follow(wire);
            } else if (does == Does::suspends && --left_ == 0) {
                does = Does::idle;
            }
            return;
        case Does::sends: return compare(wire);
        case Does::receives: return listen(wire);
        case Does::activeFlag:
            if (wire == 1) {  // rules d and e
                const bool active = !isPassive();
                raise(8);
                return flag(active);
            }
            if (--left_ == 0)
                endFlag();
            return;
        case Does::passiveFlag:
            if (wire == 0 && owesForAcknowledge_) {  // rule c, exception A does not hold
                raise(8);
                owesForAcknowledge_ = false;
            }
            run_ = wire == last_ ? run_ + 1 : 1;
            last_ = wire;
            if (does == Does::passiveFlag && run_ == 6)
                endFlag();
            return;
        case Does::behindFlag:
            if (wire == 1) {
                does = Does::delimits;
                left_ = 7;
            } else if (firstBehind_ && !transmitter_) {
                raise(8);  // rule b
            }
            firstBehind_ = false;
            return;
        case Does::delimits:
            if (wire == 0)
                return fail();
            if (--left_ == 0)
                pause();
            return;
        case Does::pauses:
            if (wire == 0) {
                overloaded = true;
                return;
            }
            if (--left_ == 0) {
                does = transmitter_ && isPassive() ? Does::suspends : Does::idle;
                left_ = 8;
            }
            return;
        }
    }

private:
    void beginReading()
    {
        transmitter_ = does == Does::sends;
        raw_.clear();
        run_ = 0;
        last_ = -1;
        stuffNext_ = inTail_ = stuffWrong_ = false;
        tailAt_ = 0;
        crcRight_ = true;
    }
    // Of one that is off and was asked to come back.
    void countRecessive(int wire)
    {
        recessive_ = wire == 1 ? recessive_ + 1 : 0;
        if (recessive_ < 11)
            return;
        recessive_ = 0;
        if (--sequencesWanted == 0) {
            does = Does::idle;
            transmit = receive = 0;
        }
    }
    // Takes a bit of a frame in front of its tail apart.
    void follow(int wire)
    {
        run_ = wire == last_ ? run_ + 1 : 1;
        last_ = wire;
        stuffWrong_ = run_ == 6;
        if (stuffWrong_)
            return;
        if (!stuffNext_)
            raw_.push_back(wire);
        stuffNext_ = run_ == 5;
        if (!stuffNext_ && wanted() == raw_.size()) {
            inTail_ = true;
            tailAt_ = 0;
            crcRight_ = crcOf() == 0;
        }
    }
    // Bits of the whole frame through its CRC, as far as its head tells.
    [[nodiscard]] std::size_t wanted() const
    {
        const auto number = [&](std::size_t from, std::size_t width) {
            unsigned value = 0;
            for (std::size_t i = from; i < from + width; ++i)
                value = value << 1U | static_cast<unsigned>(raw_[i]);
            return value;
        };
        if (raw_.size() < 19)
            return 1000;
        const bool extended = raw_[13] == 1;
        const std::size_t lengthAt = extended ? 35 : 15;
        if (raw_.size() < lengthAt + 4)
            return 1000;
        const bool remote = raw_[extended ? 32 : 12] == 1;
        return lengthAt + 4 + (remote ? 0 : std::min(number(lengthAt, 4), 8U) * 8) + 15;
    }
    [[nodiscard]] unsigned crcOf() const
    {
        unsigned crc = 0;
        for (const int bit : raw_) {
            const bool next = ((crc >> 14 & 1U) != 0) != (bit != 0);
            crc = crc << 1 & 0x7FFFU;
            if (next)
                crc ^= 0x4599U;
        }
        return crc;
    }
    void compare(int wire)
    {
        const PlainBit own = stream_[at_];
        const std::size_t tail = at_ - std::min(at_, dataEnds_);
        const bool inTail = at_ >= dataEnds_;
        if (!inTail)
            follow(wire);
        ++at_;
        if (inTail && tail == 1) {
            if (wire == 1)
                failAcknowledge();
            return;
        }
        if (wire == own.value) {
            if (at_ == stream_.size()) {
                std::erase_if(queue, [&](const Waiting& waiting) { return waiting.number == sending_.number; });
                if (transmit > 0)
                    --transmit;  // rule g
                sent = true;
                pause();
            }
            return;
        }
        if (own.arbitration && own.value == 1 && !own.stuff) {
            does = Does::receives;  // lost
            transmitter_ = false;
            if (stuffWrong_)
                fail();
            return;
        }
        if (own.arbitration && own.value == 1 && own.stuff)
            return flag(!isPassive());  // rule c, exception B
        fail();
    }
    void listen(int wire)
    {
        if (!inTail_) {
            follow(wire);
            if (stuffWrong_)
                fail();
            return;
        }
        const unsigned at = tailAt_++;
        if (at == 0 && wire == 0)
            return fail();
        if (at == 1 && acknowledges && !findsCrcWrong && crcRight_ && wire == 1)
            return fail();
        if (at == 1) {
            acknowledged_ = acknowledges && wire == 0;
            return;
        }
        if (at == 2 && (wire == 0 || findsCrcWrong || !crcRight_))
            return fail();
        if (at > 2 && at < 9 && wire == 0)
            return fail();
        if (at == 9) {
            if (wire == 0)
                overloaded = true;
            if (acknowledged_)  // rule h
                receive = receive > 127 ? 120 : receive - std::min(receive, 1U);
            pause();
        }
    }
    void raise(unsigned by)
    {
        if (!counts)
            return;
        if (transmitter_)
            transmit += by;
        else
            receive = std::min(255U, receive + by);
        if (isOff())
            sequencesWanted = 0;
    }
    // An error that lets a node become passive still has it send an active flag (12.1.4.3).
    void fail()
    {
        const bool active = !isPassive();
        owesForAcknowledge_ = false;
        raise(transmitter_ ? 8 : 1);
        flag(active);
    }
    void failAcknowledge()
    {
        const bool active = !isPassive();
        owesForAcknowledge_ = !active;
        if (active)
            raise(8);
        flag(active);
    }
    void flag(bool active)
    {
        does = active ? Does::activeFlag : Does::passiveFlag;
        left_ = 6;
        run_ = 0;
        last_ = -1;
    }
    void endFlag()
    {
        does = Does::behindFlag;
        firstBehind_ = true;
    }
    void pause()
    {
        does = isOff() ? Does::waits : Does::pauses;
        left_ = 3;
    }

    Waiting sending_;
    std::vector<PlainBit> stream_;
    std::size_t at_ = 0, dataEnds_ = 0;
    bool transmitter_ = false, acknowledged_ = false, owesForAcknowledge_ = false, firstBehind_ = false;
    std::vector<int> raw_;
    int run_ = 0, last_ = -1;
    bool stuffNext_ = false, stuffWrong_ = false, inTail_ = false, crcRight_ = true;
    unsigned tailAt_ = 0, left_ = 0, recessive_ = 0;
};

}  // namespace wavetrope::test
