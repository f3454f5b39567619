// SPDX-License-Identifier: GPL-3.0-or-later
// Traffic at random of two buses with a small database, for what is compared with a plain reference.
#pragma once

#include <cmath>
#include <cstring>
#include <limits>
#include <memory>
#include <random>
#include <string>
#include <vector>

#include "database/catalog.h"
#include "database/dbc_reader.h"
#include "trace/residence.h"
#include "trace/trace.h"

namespace wavetrope::test {

inline constexpr Time start = std::chrono::seconds(1'800'000'000);

// Two buses that speak the same: a message with a selector, one with a real number, one with two signals.
inline constexpr const char* madeText = R"(VERSION ""
BU_: Pump Panel
BO_ 256 Flows: 8 Pump
 SG_ Select M : 0|8@1+ (1,0) [0|0] "" Panel
 SG_ Left m0 : 8|16@1- (0.5,0) [-10|10] "l/min" Panel
 SG_ Right m1 : 8|16@1- (0.25,1) [0|0] "l/min" Panel
BO_ 257 Real: 8 Pump
 SG_ Temperature : 0|64@1- (1,0) [0|0] "degC" Panel
BO_ 258 Two: 2 Panel
 SG_ A : 0|8@1- (1,0) [-5|5] "mm" Pump
 SG_ B : 8|8@1+ (1,0) [0|0] "mm" Pump
SIG_VALTYPE_ 257 Temperature : 2;
)";

inline std::shared_ptr<database::Catalog> madeCatalog()
{
    const auto database = std::make_shared<const database::Database>(database::readDbc(madeText, "made.dbc").database);
    auto catalog = std::make_shared<database::Catalog>();
    for (const char* bus : {"Front", "Rear"})
        catalog->attach(catalog->addBus(bus), database);
    return catalog;
}

inline const std::vector<std::string> inputNames = {
    "Front.Flows.Left", "Front.Flows.Right", "Front.Real.Temperature", "Front.Two.A", "Front.Two.B", "Rear.Two.A"};

// Frames at random, some at one stamp, some too short, some with what is no number.
inline void fill(trace::Trace& trace, std::mt19937& random, int frames, bool disorder)
{
    for (const char* bus : {"Front", "Rear"})
        trace.addBus({bus, {500'000, 2'000'000}});
    Time time = start;
    for (int i = 0; i < frames; ++i) {
        can::Frame frame;
        time += std::chrono::microseconds(random() % 4 == 0 ? 0 : random() % 20'000);
        frame.time = disorder && random() % 10 == 0 ? time - std::chrono::milliseconds(random() % 50) : time;
        frame.bus = static_cast<std::uint8_t>(random() % 2);
        frame.id = {static_cast<std::uint32_t>(256 + random() % 4), false};
        frame.length = frame.dlc = static_cast<std::uint8_t>(random() % 10 == 0 ? random() % 9 : frame.id.value == 258 ? 2 : 8);
        frame.kind = random() % 40 == 0 ? can::FrameKind::remote : random() % 40 == 0 ? can::FrameKind::error : can::FrameKind::data;
        if (frame.kind == can::FrameKind::remote)
            frame.length = 0;
        for (auto& byte : frame.data)
            byte = static_cast<std::uint8_t>(random() % 3 == 0 ? random() % 4 : random());
        if (frame.id.value == 256)
            frame.data[0] = static_cast<std::uint8_t>(random() % 3);
        if (frame.id.value == 257) {
            const double values[] = {
                0, 1.5, -2.25, 1e300, std::nan(""), std::numeric_limits<double>::infinity(), static_cast<double>(random() % 50)};
            const double value = values[random() % 3 == 0 ? random() % 7 : 6];
            std::memcpy(frame.data.data(), &value, sizeof value);
        }
        trace.append(frame.view());
    }
}

}  // namespace wavetrope::test
