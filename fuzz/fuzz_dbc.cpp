// Any text gives a database; all that is in it decodes and encodes any payload.
#include <cstdlib>

#include "database/codec.h"
#include "database/dbc_reader.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    const auto reading = database::readDbc({reinterpret_cast<const char*>(data), size}, "fuzz.dbc");
    can::Frame frame;
    frame.kind = can::FrameKind::fd;
    frame.length = 64;
    for (std::size_t i = 0; i < frame.data.size(); ++i)
        frame.data[i] = size > 0 ? data[i % size] : 0;
    std::vector<database::Decoded> decoded;
    for (const database::Message& message : reading.database.messages) {
        if (!message.id.valid() || message.length > can::maxLength)
            std::abort();
        const database::MessagePlan plan(message);
        decoded.clear();
        plan.decode(frame.view(), decoded);
        for (const database::Decoded& value : decoded) {
            can::Frame copy = frame;
            plan.encode(copy.data.data(), value.signal, value.value);
            plan.encodeBits(copy.data.data(), value.signal, value.bits);
            if (copy.data != frame.data)
                std::abort();  // putting back what was there changes nothing
        }
    }
    return 0;
}
