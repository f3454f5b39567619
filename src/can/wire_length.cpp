// SPDX-License-Identifier: GPL-3.0-or-later
#include "can/wire_length.h"

#include <algorithm>
#include <array>

namespace wavetrope::can {

namespace {

// Stuffing as a finite automaton: the state is the value of the last bit and how often it stood in a row (1 to 4; the
// fifth brings a stuff bit of the other value, which is the first of a new row). One look-up advances by a byte.
constexpr unsigned stateOf(unsigned bit, unsigned run) { return bit * 4 + run - 1; }

struct Step {
    std::uint8_t state;
    std::uint8_t stuffed;
};

constexpr Step stepBit(unsigned state, unsigned bit)
{
    const unsigned last = state / 4;
    unsigned run = state % 4 + 1;
    run = bit == last ? run + 1 : 1;
    if (run == 5)
        return {static_cast<std::uint8_t>(stateOf(bit ^ 1U, 1)), 1};
    return {static_cast<std::uint8_t>(stateOf(bit, run)), 0};
}

// Bits 0 to 2 the next state, from bit 3 on the stuff bits of the byte.
constexpr auto stuffTable = [] {
    std::array<std::array<std::uint8_t, 256>, 8> table{};
    for (unsigned state = 0; state < 8; ++state)
        for (unsigned byte = 0; byte < 256; ++byte) {
            unsigned at = state;
            unsigned count = 0;
            for (int bit = 7; bit >= 0; --bit) {
                const Step step = stepBit(at, (byte >> bit) & 1U);
                at = step.state;
                count += step.stuffed;
            }
            table[state][byte] = static_cast<std::uint8_t>(at | (count << 3));
        }
    return table;
}();

constexpr std::uint16_t crc15Polynomial = 0x4599;

// What a byte adds to the CRC when so many bytes follow it. The CRC is linear: that of a frame is the exclusive or of
// what its bytes add, none of which has to wait for another.
constexpr unsigned mostCrcBytes = 5 + 8;  // longest header and payload
constexpr auto crcTables = [] {
    std::array<std::array<std::uint16_t, 256>, mostCrcBytes> tables{};
    for (unsigned byte = 0; byte < 256; ++byte) {
        unsigned crc = byte << 7;
        for (unsigned following = 0; following < mostCrcBytes; ++following) {
            for (int bit = 0; bit < 8; ++bit)
                crc = (crc & 0x4000U) != 0 ? (crc << 1) ^ crc15Polynomial : crc << 1;
            crc &= 0x7FFFU;
            tables[following][byte] = static_cast<std::uint16_t>(crc);
        }
    }
    return tables;
}();

struct StuffCounter {
    unsigned state = stateOf(1, 1);
    unsigned count = 0;

    void byte(unsigned value)
    {
        const unsigned entry = stuffTable[state][value & 0xFFU];
        state = entry & 7U;
        count += entry >> 3;
    }
    void bits(std::uint32_t value, int width)
    {
        for (int bit = width - 1; bit >= 0; --bit) {
            const Step step = stepBit(state, (value >> bit) & 1U);
            state = step.state;
            count += step.stuffed;
        }
    }
};

constexpr unsigned tailBits = 1 + 1 + 1 + 7;  // CRC delimiter, ACK slot, ACK delimiter, end of frame

WireLength classicLength(const FrameView& frame)
{
    const bool remote = frame.kind == FrameKind::remote;
    const unsigned rtr = remote ? 1 : 0;
    const unsigned length = remote ? 0 : std::min<unsigned>(frame.length, maxClassicLength);
    const std::uint64_t id = frame.id.value;

    // The header with the start-of-frame bit as its highest bit. Alternating bits that end in 1 pad it to whole bytes:
    // they never stuff, as the recessive idle before a frame does not; zeros in front leave the CRC alone.
    StuffCounter stuff;
    unsigned crc = 0;
    unsigned bits = 0;
    if (frame.id.extended) {
        const std::uint64_t header = (((((id >> 18) << 2 | 3U) << 18 | (id & 0x3FFFFU)) << 1 | rtr) << 6) | frame.dlc;
        bits = 39 + 8 * length;
        const std::uint64_t padded = header | (1ULL << 39);
        for (unsigned i = 0; i < 5; ++i) {
            stuff.byte(static_cast<unsigned>(padded >> (32 - 8 * i)));
            crc ^= crcTables[length + 4 - i][(header >> (32 - 8 * i)) & 0xFFU];
        }
    } else {
        const std::uint32_t header = static_cast<std::uint32_t>((id << 1 | rtr) << 6) | frame.dlc;
        bits = 19 + 8 * length;
        const std::uint32_t padded = header | (0b10101U << 19);
        for (unsigned i = 0; i < 3; ++i) {
            stuff.byte(padded >> (16 - 8 * i));
            crc ^= crcTables[length + 2 - i][(header >> (16 - 8 * i)) & 0xFFU];
        }
    }
    for (unsigned i = 0; i < length; ++i) {
        stuff.byte(frame.data[i]);
        crc ^= crcTables[length - 1 - i][frame.data[i]];
    }
    // The bit behind the CRC is the opposite of its last one, so that it cannot complete a row of five.
    stuff.byte(crc >> 7);
    stuff.byte((crc << 1) | (~crc & 1U));

    WireLength result;
    result.stuffBits = static_cast<std::uint16_t>(stuff.count);
    result.nominalBits = static_cast<std::uint16_t>(bits + 15 + stuff.count + tailBits);
    return result;
}

// Puts the bits in front of ESI through the counter; gives how many there are, without stuff bits.
unsigned fdHeader(const FrameHead& frame, StuffCounter& stuff)
{
    const std::uint64_t id = frame.id.value;
    const unsigned brs = frame.brs ? 1 : 0;
    unsigned nominal = 0;
    if (frame.id.extended) {  // SOF, base, SRR, IDE, extension, RRS, FDF, res, BRS
        const std::uint64_t header = ((((id >> 18) << 2 | 3U) << 18 | (id & 0x3FFFFU)) << 4) | 0b0100U | brs;
        nominal = 36;
        const std::uint64_t padded = header | (0b0101ULL << 36);
        for (int shift = 32; shift >= 0; shift -= 8)
            stuff.byte(static_cast<unsigned>(padded >> shift));
    } else {  // SOF, identifier, RRS, IDE, FDF, res, BRS
        const std::uint32_t header = static_cast<std::uint32_t>(id << 5) | 0b00100U | brs;
        nominal = 17;
        const std::uint32_t padded = header | (0b1010101U << 17);
        for (int shift = 16; shift >= 0; shift -= 8)
            stuff.byte(padded >> shift);
    }
    return nominal;
}

// The rate switches at the sample point of BRS: a stuff bit behind BRS already belongs to the data phase.
unsigned stuffAtNominalRate(const FrameHead& frame, const StuffCounter& behindBrs)
{
    return behindBrs.count - ((behindBrs.state / 4) != (frame.brs ? 1U : 0U) ? 1 : 0);
}

WireLength fdLengthOf(const FrameHead& frame, unsigned headerBits, unsigned nominalStuff, unsigned stuffBits)
{
    const bool longCrc = frame.length > 16;
    const unsigned crcField = longCrc ? 4 + 21 + 7 : 4 + 17 + 6;  // stuff count, CRC, fixed stuff bits
    const unsigned dataPhase = 5 + 8U * frame.length + crcField + (stuffBits - nominalStuff);
    const unsigned nominal = headerBits + nominalStuff + tailBits;
    WireLength result;
    result.stuffBits = static_cast<std::uint16_t>(stuffBits);
    result.nominalBits = static_cast<std::uint16_t>(frame.brs ? nominal : nominal + dataPhase);
    result.dataBits = static_cast<std::uint16_t>(frame.brs ? dataPhase : 0);
    return result;
}

WireLength fdLength(const FrameView& frame)
{
    StuffCounter stuff;
    const unsigned headerBits = fdHeader(frame, stuff);
    const unsigned nominalStuff = stuffAtNominalRate(frame, stuff);
    const unsigned esiAndDlc = (frame.esi ? 16U : 0U) | frame.dlc;
    stuff.bits(esiAndDlc, 5);
    for (unsigned i = 0; i < frame.length; ++i)
        stuff.byte(frame.data[i]);
    const unsigned lastBit = frame.length > 0 ? frame.data[frame.length - 1] & 1U : frame.dlc & 1U;
    if ((stuff.state / 4) != lastBit)  // the first fixed stuff bit takes the place of this one
        --stuff.count;
    return fdLengthOf(frame, headerBits, nominalStuff, stuff.count);
}

// The most stuff bits over all payloads: for each state of the automaton the most that leads to it. Behind the last bit none is
// counted, since the first fixed stuff bit takes its place.
WireLength longestFdLength(const FrameHead& frame)
{
    StuffCounter stuff;
    const unsigned headerBits = fdHeader(frame, stuff);
    const unsigned nominalStuff = stuffAtNominalRate(frame, stuff);
    std::array<int, 8> most;
    most.fill(-1);
    most[stuff.state] = static_cast<int>(stuff.count);
    const unsigned behind = 5 + 8U * frame.length;     // ESI, DLC and data
    for (unsigned at = 0; at < behind; ++at) {
        std::array<int, 8> next;
        next.fill(-1);
        const bool isCode = at >= 1 && at < 5;
        for (unsigned state = 0; state < most.size(); ++state)
            for (unsigned bit = 0; bit < 2; ++bit) {
                if (most[state] < 0 || (isCode && bit != ((frame.dlc >> (4 - at)) & 1U)))
                    continue;
                const Step step = stepBit(state, bit);
                next[step.state] = std::max(next[step.state], most[state] + (at + 1 < behind ? step.stuffed : 0));
            }
        most = next;
    }
    return fdLengthOf(frame, headerBits, nominalStuff, static_cast<unsigned>(*std::max_element(most.begin(), most.end())));
}

}  // namespace

WireLength wireLength(const FrameView& frame)
{
    switch (frame.kind) {
    case FrameKind::error: return {errorFrameBits - intermissionBits, 0, 0};
    case FrameKind::fd: return fdLength(frame);
    default: return classicLength(frame);
    }
}

WireLength longestLength(const FrameHead& head)
{
    if (head.kind == FrameKind::fd)
        return longestFdLength(head);
    if (head.kind == FrameKind::error)
        return {errorFrameBits - intermissionBits, 0, 0};
    const unsigned stuffed = (head.id.extended ? 54U : 34U)
                             + (head.kind == FrameKind::remote ? 0U : 8U * std::min<unsigned>(head.length, 8));
    WireLength result;
    result.stuffBits = static_cast<std::uint16_t>((stuffed - 1) / 4);
    result.nominalBits = static_cast<std::uint16_t>(stuffed + tailBits + result.stuffBits);
    return result;
}

std::uint16_t crc15(const std::uint8_t* bits, unsigned count)
{
    unsigned crc = 0;
    for (unsigned i = 0; i < count; ++i) {
        const bool feedback = ((bits[i] & 1U) != 0) != ((crc & 0x4000U) != 0);
        crc = (crc << 1) & 0x7FFFU;
        if (feedback)
            crc ^= crc15Polynomial;
    }
    return static_cast<std::uint16_t>(crc);
}

}  // namespace wavetrope::can
