// SPDX-License-Identifier: GPL-3.0-or-later
// Two simulated buses with an outbox, for tests of sending.
#pragma once

#include <memory>
#include <vector>

#include <nlohmann/json.hpp>

#include "base/json_reader.h"
#include "bus/simulated_bus.h"
#include "can/wire_length.h"
#include "database/dbc_reader.h"
#include "drive/outbox.h"

namespace wavetrope::drive {

inline const char* const bladeText =
    "BU_: Blade Panel\n"
    "BO_ 513 BladeCommand: 4 Panel\n SG_ CommandedDepth : 0|12@1- (0.01,0) [0|12] \"mm\" Blade\n SG_ Tilt : 12|10@1- (0.1,-3) [-5|5] "
    "\"deg\" Blade\n"
    " SG_ Release : 24|2@1+ (1,0) [0|1] \"\" Blade\n SG_ Count : 28|4@1+ (1,0) [0|15] \"\" Blade\n"
    "BO_ 514 Paged: 4 Panel\n SG_ Page M : 0|4@1+ (1,0) [0|0] \"\" Blade\n SG_ First m0 : 8|16@1- (0.5,0) [0|0] \"l\" Blade\n SG_ Second "
    "m2 : 8|8@1+ "
    "(1,0) [0|0] \"\" Blade\n SG_ Always : 31|8@0+ (1,0) [0|0] \"\" Blade\n"
    "BO_ 515 Real: 8 Panel\n SG_ Whole : 0|64@1+ (1,0) [0|0] \"\" Blade\n"
    "BO_ 516 Float: 4 Panel\n SG_ Share : 0|32@1- (1,0) [0|0] \"\" Blade\n"
    "SIG_VALTYPE_ 516 Share : 1;\n"
    "VAL_ 513 Release 0 \"off\" 1 \"on\" 3 \"not available\" ;\nVAL_ 514 Page 0 \"flow\" 2 \"count\" ;\n"
    "BA_DEF_ SG_ \"GenSigStartValue\" INT -1000 65535;\nBA_DEF_ BO_ \"GenMsgCycleTime\" INT 0 10000;\n"
    "BA_ \"GenSigStartValue\" SG_ 513 Tilt 40;\nBA_ \"GenSigStartValue\" SG_ 514 Page 2;\nBA_ \"GenSigStartValue\" SG_ 514 Second 7;\n"
    "BA_ \"GenSigStartValue\" SG_ 514 First 9;\n";

inline std::shared_ptr<const database::Catalog> bladeCatalog()
{
    auto catalog = std::make_shared<database::Catalog>();
    catalog->attach(
        catalog->addBus("Main"), std::make_shared<const database::Database>(database::readDbc(bladeText, "blade.dbc").database));
    catalog->addBus("Other");
    return catalog;
}

// Two buses with an outbox, and everything that was on them.
struct World final : bus::Listener {
    clock::Scheduler scheduler{Time(1'000'000'000)};
    bus::SimulatedBus main{scheduler, {{500'000, 2'000'000}, 0, 64, true}};
    bus::SimulatedBus other{scheduler, {{125'000, 0}, 1, 64, true}};
    bus::Port partner = main.attach("partner", can::Direction::received);
    std::shared_ptr<const database::Catalog> catalog = bladeCatalog();
    std::unique_ptr<Outbox> outbox;
    std::vector<can::Frame> frames;
    Time begins = scheduler.now();

    explicit World(const char* groups)
    {
        const auto document = nlohmann::json::parse(groups);
        outbox = std::make_unique<Outbox>(
            outboxFromJson(JsonReader(document, "/outbox")), OutboxWorld{scheduler, {&main, &other}, catalog, {}, 3, scheduler.now()});
        main.listen(this);
        other.listen(this);
    }
    void onFrame(const can::FrameView& frame, bus::Port) override { frames.emplace_back(frame); }
    void run(Time span) { scheduler.runUntil(scheduler.now() + span); }
    [[nodiscard]] OutboxRowFacts facts(std::size_t row) const { return (*outbox->report().as<OutboxFacts>()->rows)[row]; }
    // When a frame is over that was offered at a moment on an idle bus.
    [[nodiscard]] Time over(Time offered, const can::Frame& frame) const
    {
        return offered + can::duration(can::wireLength(frame.view()), frame.bus == 0 ? main.bitRate() : other.bitRate());
    }
};

}  // namespace wavetrope::drive
