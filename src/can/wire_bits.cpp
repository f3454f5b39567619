#include "can/wire_bits.h"

#include "can/wire_length.h"

namespace wavetrope::can {

std::vector<std::uint8_t> wireBits(const FrameView& frame)
{
    std::vector<std::uint8_t> plain;
    const auto put = [&plain](std::uint32_t value, int width) {
        for (int bit = width - 1; bit >= 0; --bit)
            plain.push_back((value >> bit) & 1U);
    };
    const bool fd = frame.kind == FrameKind::fd;
    const unsigned rtr = frame.kind == FrameKind::remote ? 1 : 0;
    put(0, 1);
    if (frame.id.extended) {
        put(frame.id.value >> 18, 11);
        put(3, 2);
        put(frame.id.value & 0x3FFFFU, 18);
        put(rtr, 1);
    } else {
        put(frame.id.value, 11);
        put(rtr, 1);
        put(0, 1);
    }
    if (fd) {
        put(1, 1);
        put(0, 1);
        put(frame.brs ? 1 : 0, 1);
        put(frame.esi ? 1 : 0, 1);
    } else {
        put(0, frame.id.extended ? 2 : 1);
    }
    put(frame.dlc, 4);
    for (unsigned i = 0; i < frame.length; ++i)
        put(frame.data[i], 8);
    if (!fd)
        put(crc15(plain.data(), static_cast<unsigned>(plain.size())), 15);

    std::vector<std::uint8_t> stuffed;
    stuffed.reserve(plain.size() + plain.size() / 4);
    unsigned run = 0;
    std::uint8_t last = 2;
    for (const std::uint8_t bit : plain) {
        stuffed.push_back(bit);
        run = bit == last ? run + 1 : 1;
        last = bit;
        if (run == 5) {
            last = bit ^ 1U;
            stuffed.push_back(last);
            run = 1;
        }
    }
    return stuffed;
}

}  // namespace wavetrope::can
