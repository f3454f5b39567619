// SPDX-License-Identifier: GPL-3.0-or-later
// Any bytes on a topic are a message or none; one that is read says the same when it is packed again.
#include <cstdlib>

#include "remote/messages.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope::remote;
    const BytesView bytes(data, size);
    if (const auto packet = packetFrom(bytes); packet && !packet->frames.empty()) {
        const auto again = packetFrom(packed(*packet));
        if (!again || again->frames.size() != packet->frames.size() || again->frames.back().frame.time != packet->frames.back().frame.time)
            std::abort();
    }
    if (const auto is = descriptionFrom(bytes); is && !descriptionFrom(packed(*is)))
        std::abort();
    (void)wishFrom(bytes);
    (void)questionFrom(bytes);
    (void)answerFrom(bytes);
    return 0;
}
