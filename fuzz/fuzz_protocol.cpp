// SPDX-License-Identifier: GPL-3.0-or-later
// Any frames, as higher protocols take them: each is a row, or part of one; what is open is bounded.
#include <cstdint>
#include <cstdlib>

#include "protocol/message_stream.h"
#include "protocol/describe.h"
#include "protocol/network.h"
#include "protocol/object_server.h"
#include "protocol/protocol_events.h"
#include "protocol/vehicle_unit.h"

using namespace wavetrope;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* bytes, std::size_t size)
{
    // Identifiers that mean something, so that what the bytes say is looked at.
    static constexpr std::uint32_t identifiers[] = {
        0x1CEC1011, 0x1CEC1110, 0x1CECFF11, 0x1CEB1011, 0x1CEBFF11, 0x18EEFF11, 0x18EEFF12, 0x18FEF111};
    static constexpr std::uint16_t short_[] = {0x605, 0x585, 0x705, 0x085, 0x000, 0x7E0, 0x7E8, 0x185};
    std::uint64_t rows = 0, within = 0, frames = 0;
    protocol::Network network;
    protocol::ProtocolEvents events(100);
    // Those who are simulated hear the same frames.
    static const protocol::Dictionary dictionary = *protocol::dictionaryFromText(
        "[2001]\nDataType=9\n[1000]\nDataType=7\n[0001]\nDataType=15\n", "x.eds");
    protocol::ObjectServer server(dictionary, 5);
    protocol::VehicleUnit unit(17, 0x10);
    unit.begin(Time{0});
    protocol::MessageStream stream(
        [&](const protocol::MessageRow& row) {
            ++rows;
            network.take(row);
            events.take(row);
            (void)protocol::describe(row, &dictionary);
        },
        [&](const protocol::Transfer& transfer) {
            events.take(transfer);
            if (transfer.ended == protocol::Ended::whole)
                within += transfer.frames - 1;
            if (transfer.frames != transfer.numbers.size() || transfer.from > transfer.to)
                std::abort();
        });
    const auto spoken = [](const char* text) { return *protocol::spokenFromText(text); };
    stream.speak(0, {spoken("a=vehicle"), spoken("a=objects"), spoken("a=diagnostics:0x7E0/0x7E8,0x18DA00F1/0x18DAF100")});
    can::Frame frame;
    while (size >= 3) {
        const std::uint8_t head = bytes[0];
        frame.time += std::chrono::microseconds((bytes[1] & 0x0FU) == 15 ? 700'000 : bytes[1]);
        frame.id = (head & 8U) != 0 ? can::Identifier{identifiers[head & 7U], true} : can::Identifier{short_[head & 7U], false};
        frame.kind = (head & 0xF0U) == 0xF0U ? can::FrameKind::fd : (head & 0xF0U) == 0xE0U ? can::FrameKind::remote : can::FrameKind::data;
        frame.dlc = bytes[1] >> 4;
        if (frame.kind != can::FrameKind::fd)
            frame.dlc = static_cast<std::uint8_t>(frame.dlc > 8 ? 8 : frame.dlc);
        frame.length = static_cast<std::uint8_t>(frame.kind == can::FrameKind::remote ? 0 : can::lengthOfDlc(frame.dlc));
        bytes += 2;
        size -= 2;
        for (unsigned i = 0; i < frame.length; ++i)
            frame.data[i] = i < size ? bytes[i] : std::uint8_t{0};
        const std::size_t taken = size < frame.length ? size : frame.length;
        bytes += taken;
        size -= taken;
        stream.onFrame(frame.view());
        ++frames;
        server.hear(frame.view());
        unit.hear(frame.view());
        unit.passed(frame.time);
        for (const can::Frame& said : server.take())
            if (said.length > 8)
                std::abort();
        for (const can::Frame& said : unit.take())
            if (said.length > 8)
                std::abort();
    }
    stream.finish();
    if (rows + within != frames)
        std::abort();
    (void)network.nodes(frame.time);
    return 0;
}
