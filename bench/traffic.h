// SPDX-License-Identifier: GPL-3.0-or-later
// The traffic of the benchmarks of long logs.
#pragma once

#include <cstring>
#include <memory>
#include <random>
#include <string>

#include "can/frame.h"
#include "database/catalog.h"
#include "database/dbc_reader.h"

namespace wavetrope::bench {

inline constexpr unsigned buses = 8;
inline constexpr unsigned identifiersOfBus = 50;

// Frames over eight buses and 400 identifiers; the lower half of each bus is decoded. One frame in a million carries a
// value that nothing else has.
class Generator {
public:
    can::FrameView next()
    {
        time_ += Time(8000 + static_cast<std::int64_t>(random_() % 4000));
        frame_.time = time_;
        frame_.bus = static_cast<std::uint8_t>(random_() % buses);
        // Few identifiers make most of the traffic, as on a bus.
        const unsigned a = random_() % identifiersOfBus;
        const unsigned b = random_() % identifiersOfBus;
        frame_.id = {0x100 + std::min(a, b), false};
        const std::uint64_t bits = (static_cast<std::uint64_t>(random_()) << 32 | random_()) & 0xFFFFFF00FFFFFFFFU;
        std::memcpy(frame_.data.data(), &bits, 8);
        frame_.data[4] = ++count_ % 1'000'000 == 0 ? 0xEE : static_cast<std::uint8_t>(count_ % 200);
        frame_.length = 8;
        frame_.dlc = 8;
        return frame_.view();
    }

private:
    std::mt19937 random_{7};
    Time time_{1'000'000'000'000};
    can::Frame frame_;
    std::uint64_t count_ = 0;
};

/// The database that explains it, as a file.
inline std::string trafficDatabase()
{
    std::string text = "VERSION \"\"\nBU_: A\n";
    for (unsigned i = 0; i < identifiersOfBus / 2; ++i) {
        const std::string number = std::to_string(i);
        text += "BO_ " + std::to_string(0x100 + i) + " Message" + number + ": 8 A\n SG_ Level" + number
                + " : 0|12@1+ (0.01,0) [0|0] \"mm\" A\n SG_ Rare" + number + " : 32|8@1+ (1,0) [0|0] \"\" A\n";
    }
    return text;
}

inline std::shared_ptr<const database::Catalog> madeCatalog()
{
    const auto read = std::make_shared<const database::Database>(database::readDbc(trafficDatabase(), "bench").database);
    auto made = std::make_shared<database::Catalog>();
    for (unsigned bus = 0; bus < buses; ++bus)
        made->attach(made->addBus("Bus" + std::to_string(bus)), read);
    return made;
}

inline const std::shared_ptr<const database::Catalog>& catalog()
{
    static const auto made = madeCatalog();
    return made;
}

}  // namespace wavetrope::bench
