// SPDX-License-Identifier: GPL-3.0-or-later
// Any text compiles or gives an error with a column inside it; what compiles can be asked about any frame.
#include <cstdlib>

#include "database/dbc_reader.h"
#include "filter/filter.h"

namespace {

std::shared_ptr<const wavetrope::database::Catalog> catalog()
{
    using namespace wavetrope::database;
    static const auto made = [] {
        auto built = std::make_shared<Catalog>();
        const auto bus = built->addBus("Implement");
        built->attach(
            bus, std::make_shared<const Database>(readDbc("BU_: A B\nBO_ 385 State: 8 A\n SG_ Depth : 0|12@1- (0.01,0) [0|12] \"mm\" B\n "
                                                          "SG_ Mode : 12|2@1+ (1,0) [0|3] \"\" B\nVAL_ 385 Mode 0 \"up\" 1 \"down\" ;\n",
                     "fuzz")
                         .database));
        return std::shared_ptr<const Catalog>(built);
    }();
    return made;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    const auto filter = filter::Filter::compile({reinterpret_cast<const char*>(data), size}, catalog());
    if (!filter) {
        if (filter.error().column < 1 || filter.error().column > static_cast<int>(size) + 1 || filter.error().what.empty())
            std::abort();
        return 0;
    }
    for (unsigned i = 0; i < 8; ++i) {
        can::Frame frame;
        frame.id = {i % 2 != 0 ? 385U : i, false};
        frame.kind = static_cast<can::FrameKind>(i % 4);
        frame.length = frame.dlc = 8;
        frame.data[0] = static_cast<std::uint8_t>(size);
        const auto verdict = filter->verdict(trace::TraceKey::of(frame));
        if (verdict != filter::Verdict::depends && filter->matches(frame.view()) != (verdict == filter::Verdict::always))
            std::abort();
    }
    return 0;
}
