// SPDX-License-Identifier: GPL-3.0-or-later
// Machines of a rig: whatever a document says, and whatever comes in which order, limits are told in the order of time, and once.
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

#include <nlohmann/json.hpp>

#include "base/json_reader.h"
#include "database/dbc_reader.h"
#include "drive/dialogue_watch.h"

using namespace wavetrope;

namespace {

std::shared_ptr<const database::Catalog> catalog()
{
    static const auto made = [] {
        const auto database = std::make_shared<database::Database>(
            database::readDbc("BU_: One Two\n"
                              "BO_ 1 A: 1 One\n SG_ Why : 0|8@1+ (1,0) [0|0] \"\" Two\n"
                              "BO_ 2 B: 1 Two\n SG_ Why : 0|8@1+ (1,0) [0|0] \"\" One\n"
                              "BO_ 3 C: 1 One\n SG_ Why : 0|8@1+ (1,0) [0|0] \"\" Two\n"
                              "BO_ 4 D: 1 Two\n SG_ Why : 0|8@1+ (1,0) [0|0] \"\" One\n",
                "fuzz.dbc")
                .database);
        auto out = std::make_shared<database::Catalog>();
        out->attach(out->addBus("Main"), database);
        return out;
    }();
    return made;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    std::size_t split = 0;
    while (split < size && data[split] != '\n')
        ++split;
    const auto json = nlohmann::json::parse(data, data + split, nullptr, false);
    if (!json.is_object())
        return 0;
    drive::DialogueSpec spec;
    try {
        spec = drive::dialogueFromJson(JsonReader(json));
    } catch (const JsonFailure&) {
        return 0;
    }
    auto watch = drive::DialogueWatch::create(spec, catalog(), Time{0});
    if (!watch)
        return 0;
    Time now{0};
    for (std::size_t i = split + 1; i + 2 < size; i += 3) {
        now += Time((data[i + 1] & 1U) != 0 ? std::int64_t{data[i + 1]} * 1'000'000 : data[i + 1]);
        can::Frame frame;
        frame.time = now;
        frame.id = {1U + data[i] % 5U, false};
        frame.length = frame.dlc = 1;
        frame.data[0] = data[i + 2];
        if (data[i] > 200)
            watch->advance(now);
        else if (data[i] > 190)
            watch->leave(data[i] % 2, now, data[i + 2], "left");
        else
            (void)watch->take(frame.view());
        if (const auto next = watch->next(); next && *next <= now && data[i] > 200)
            std::abort();
    }
    watch->finish(now);
    Time before{0};
    for (const drive::DialogueEvent& event : watch->events()) {
        if (event.time < before || (event.took && event.took->count() < 0) || event.partner > 1
            || (event.phase != drive::SideSpec::rest && event.phase >= spec.phases.size()))
            std::abort();
        if (event.what == drive::DialogueEvent::What::breaks && event.limit && event.took && event.why.find("early") == std::string::npos
            && *event.took < *event.limit)
            std::abort();
        before = event.time;
    }
    return 0;
}
