// SPDX-License-Identifier: GPL-3.0-or-later
// Any compressed bytes give a log, a warning or an error.
#include "formats/trace_sink.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    formats::ByteSource source({data, size}, true);
    trace::Trace trace;
    formats::TraceSink sink(trace);
    formats::ReadOptions options;
    options.threads = 1;
    (void)formats::readLog(source, sink, options);
    return 0;
}
