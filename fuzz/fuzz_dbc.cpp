// SPDX-License-Identifier: GPL-3.0-or-later
// Any text gives a database; all that is in it decodes and encodes any payload, it is written back as it was, and a new
// file of it reads as the same.
#include <cstdlib>

#include "database/codec.h"
#include "database/dbc_writer.h"
#include "database/review.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    const auto reading = database::readDbc({reinterpret_cast<const char*>(data), size}, "fuzz.dbc");
    const auto written = database::writeDbc(reading.database, reading.database, reading.source);
    if (!written || *written != std::string_view(reinterpret_cast<const char*>(data), size))
        std::abort();
    (void)database::review(reading.database, &reading);
    const std::string fresh = database::writeDbc(reading.database);
    // What a new file says is a fixed point from the second writing on: names that no file can hold drop out in the first.
    const std::string second = database::writeDbc(database::readDbc(fresh, "fuzz.dbc").database);
    if (database::writeDbc(database::readDbc(second, "fuzz.dbc").database) != second)
        std::abort();
    can::Frame frame;
    frame.kind = can::FrameKind::fd;
    frame.length = 64;
    for (std::size_t i = 0; i < frame.data.size(); ++i)
        frame.data[i] = size > 0 ? data[i % size] : 0;
    std::vector<database::Decoded> decoded;
    for (const database::Message& message : reading.database.messages) {
        if (!message.id.valid() || message.length > database::maxMessageLength)
            std::abort();
        const database::MessagePlan plan(message);
        decoded.clear();
        plan.decode(frame.view(), decoded);
        std::vector<std::uint8_t> payload(message.length, 0x5A);
        std::vector<database::Decoded> whole;
        plan.decode(can::Payload(payload), whole);
        for (const database::Decoded& value : decoded) {
            can::Frame copy = frame;
            plan.encode(copy.data, value.signal, value.value);
            plan.encodeBits(copy.data, value.signal, value.bits);
            if (copy.data != frame.data)
                std::abort();  // putting back what was there changes nothing
        }
    }
    return 0;
}
