// SPDX-License-Identifier: GPL-3.0-or-later
// Any text is a formula or gives an error with a column inside it, and a formula can be followed over any frames; any text is a pattern of
// signals and a table, or an error.
#include <cstdlib>

#include "base/csv_text.h"
#include "database/dbc_reader.h"
#include "database/derived_stream.h"
#include "filter/signal_pattern.h"

namespace {

std::shared_ptr<wavetrope::database::Catalog> catalog()
{
    using namespace wavetrope::database;
    static const auto read = std::make_shared<const Database>(readDbc(
        "BU_: A B\nBO_ 385 State: 8 A\n SG_ Depth : 0|12@1- (0.01,0) [0|12] \"mm\" B\n SG_ Mode : 12|2@1+ (1,0) [0|3] \"\" B\n", "fuzz")
            .database);
    auto made = std::make_shared<Catalog>();
    made->attach(made->addBus("Implement"), read);
    return made;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    const std::string text(reinterpret_cast<const char*>(data), size);
    const auto known = catalog();
    known->derive({{"Made", text, "", {}, {}, ""}, {"Next", "Made + Depth", "", {}, {}, ""}});
    if (const auto& problem = known->derived()[0].problem; problem) {
        if (problem->what.empty() || problem->column < 0 || problem->column > static_cast<int>(size) + 1)
            std::abort();
    } else {
        database::DerivedStream stream(known, {0, 1});
        for (unsigned i = 0; i < 64; ++i) {
            can::Frame frame;
            frame.time = Time(i % 7 == 6 ? -1'000'000'000LL * i : 50'000'000LL * i * i);
            frame.id = {385, false};
            frame.length = frame.dlc = static_cast<std::uint8_t>(i % 9);
            frame.data[0] = static_cast<std::uint8_t>(i * 37);
            frame.data[1] = static_cast<std::uint8_t>(size > 0 ? data[i % size] : 0);
            for (const auto& sample : stream.take(frame.view()))
                if (sample.derived > 1)
                    std::abort();
        }
    }
    if (const auto pattern = filter::SignalPattern::compile(text); pattern)
        (void)pattern->fits("State", "Depth");
    if (const auto rows = csvFromText(text, "fuzz"); rows)
        for (const CsvRow& row : *rows)
            if (row.fields.empty() || row.line < 1)
                std::abort();
    return 0;
}
