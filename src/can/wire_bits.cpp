// SPDX-License-Identifier: GPL-3.0-or-later
#include "can/wire_bits.h"

#include "can/wire_length.h"

namespace wavetrope::can {

std::vector<WireBit> wireTrace(const FrameView& frame)
{
    std::vector<std::uint8_t> values;
    std::vector<WireBit> plain;
    bool arbitration = false;
    bool fast = false;
    const auto put = [&](std::uint32_t value, int width, Place place) {
        for (int bit = width - 1; bit >= 0; --bit) {
            values.push_back((value >> bit) & 1U);
            plain.push_back({values.back(), false, arbitration, fast, place});
        }
    };
    const bool fd = frame.kind == FrameKind::fd;
    const unsigned rtr = frame.kind == FrameKind::remote ? 1 : 0;
    put(0, 1, Place::startOfFrame);
    arbitration = true;
    const std::uint32_t base = frame.id.extended ? frame.id.value >> 18 : frame.id.value;
    put(base >> 3, 8, Place::identifierHigh);
    put(base & 7U, 3, Place::identifierMiddle);
    if (frame.id.extended) {
        put(1, 1, Place::substituteRemote);
        put(1, 1, Place::identifierExtension);
        put(frame.id.value >> 13 & 0x1FU, 5, Place::extensionHigh);
        put(frame.id.value >> 5 & 0xFFU, 8, Place::extensionMiddle);
        put(frame.id.value & 0x1FU, 5, Place::extensionLow);
        put(rtr, 1, Place::remote);
        arbitration = false;
    } else {
        put(rtr, 1, Place::remote);
        arbitration = false;
        put(0, 1, Place::identifierExtension);
    }
    if (fd) {
        put(1, 1, Place::reserved);
        put(0, 1, Place::reserved);
        put(frame.brs ? 1 : 0, 1, Place::reserved);
        fast = frame.brs;
        put(frame.esi ? 1 : 0, 1, Place::reserved);
    } else {
        put(0, frame.id.extended ? 2 : 1, Place::reserved);
    }
    put(frame.dlc, 4, Place::lengthCode);
    for (unsigned i = 0; i < frame.length; ++i)
        put(frame.data[i], 8, Place::data);
    if (!fd)
        put(crc15(values.data(), static_cast<unsigned>(values.size())), 15, Place::crc);

    std::vector<WireBit> stuffed;
    stuffed.reserve(plain.size() + plain.size() / 4);
    unsigned run = 0;
    std::uint8_t last = 2;
    for (const WireBit& bit : plain) {
        stuffed.push_back(bit);
        run = bit.value == last ? run + 1 : 1;
        last = bit.value;
        if (run == 5) {
            last = bit.value ^ 1U;
            stuffed.push_back({last, true, bit.arbitration, bit.fast, bit.place});
            run = 1;
        }
    }
    return stuffed;
}

std::vector<std::uint8_t> wireBits(const FrameView& frame)
{
    std::vector<std::uint8_t> bits;
    for (const WireBit& bit : wireTrace(frame))
        bits.push_back(bit.value);
    return bits;
}

}  // namespace wavetrope::can
