// SPDX-License-Identifier: GPL-3.0-or-later
// An object read by block on a simulated bus of 1 Mbit/s, beside what the bus could carry: its frames one behind the other, seven bytes each.
//     wavetrope-block-bench EDS
#include <cstdio>

#include "can/wire_length.h"
#include "drive/asker.h"
#include "rig/session.h"

using namespace wavetrope;

int main(int argc, char** argv)
{
    const std::string sheet = argc > 1 ? argv[1] : "demo/blade.eds";
    constexpr unsigned bytes = 65'536;
    auto rig = rig::rigFromText(
        R"({"wavetrope": 1, "name": "bench", "buses": [{"name": "A", "rate": "1M", "dictionaries": {"1": ")" + sheet
            + R"("}}], "nodes": [{"name": "Blade", "buses": ["A"], "objects": {"bus": "A", "node": 1, "blocks": {"0x2010:00": 65536}}}]})",
        "bench.json");
    if (!rig) {
        std::fprintf(stderr, "%s\n", rig.error().text().c_str());
        return 1;
    }
    rig::SessionOptions options;
    options.measured = false;
    auto session = rig::Session::create(*rig, rig::loadDatabases(*rig), options);
    if (!session)
        return 1;
    Time took{};
    bool whole = false;
    (*session)->all<drive::Asker>().front()->ask(
        0, protocol::objectRead(1, {0x2010, 0}, true), [&](const protocol::Answer& answer, Time of) {
            whole = answer.good && answer.data.size() == bytes;
            took = of;
            (*session)->endHere();
        });
    (*session)->runFor(std::chrono::seconds(60), nullptr);
    // The same segments, as long as they were on the wire.
    const trace::Snapshot snapshot = (*session)->trace().snapshot();
    const can::BitTimes times(can::BitRate{1'000'000, 0});
    Time carried{};
    for (trace::Row row = 0; row < snapshot.rows(); ++row)
        if (const can::FrameView frame = snapshot.frame(row); frame.id.value == 0x581 && row > 1 && row + 2 < snapshot.rows())
            carried += times.occupancy(can::wireLength(frame));
    const double share = 100.0 * static_cast<double>(carried.count()) / static_cast<double>(took.count());
    std::printf("%-52s %8.1f KB/s%s\n", "an object of 64 KB read by block", bytes / (static_cast<double>(took.count()) * 1e-9) / 1000,
        whole ? "" : ", and it is not whole");
    std::printf("%-52s %8.1f %%\n", "of the time its segments alone take", share);
    return whole ? 0 : 1;
}
