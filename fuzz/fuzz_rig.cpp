// SPDX-License-Identifier: GPL-3.0-or-later
// Any text gives a rig or an error with words; a rig whose buses are simulated comes to life for a moment or says why not.
#include <cstdlib>

#include "rig/session.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    const auto rig = rig::rigFromText({reinterpret_cast<const char*>(data), size}, "/nonexistent/rig.json");
    if (!rig) {
        if (rig.error().what.empty())
            std::abort();
        return 0;
    }
    for (const rig::BusSpec& bus : rig->buses)
        if (bus.kind->ofTheWorld)
            return 0;
    auto session = rig::Session::create(*rig, {});
    if (session)
        (*session)->runFor(std::chrono::milliseconds(5), nullptr);
    return 0;
}
