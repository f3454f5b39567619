// SPDX-License-Identifier: GPL-3.0-or-later
// Any bytes give a trace and a report, or an error; every row of the trace can be read, and how the bytes are divided
// changes nothing.
#include <cstdlib>

#include "formats/trace_sink.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    trace::Trace trace;
    formats::TraceSink sink(trace);
    formats::ByteSource source({data, size});
    formats::ReadOptions options;
    options.threads = 1;
    options.stretchBytes = 64;
    const auto report = formats::readLog(source, sink, options);
    if (report && report->frames != trace.rows())
        std::abort();
    // In larger pieces the same comes out.
    trace::Trace whole;
    formats::TraceSink into(whole);
    formats::ByteSource again({data, size});
    options.stretchBytes = 1U << 20;
    const auto other = formats::readLog(again, into, options);
    if (other.has_value() != report.has_value() || whole.rows() != trace.rows())
        std::abort();
    for (trace::Row row = 0; row < trace.rows(); ++row)
        if (whole.snapshot().time(row) != trace.snapshot().time(row) || whole.snapshot().frame(row).bus != trace.snapshot().frame(row).bus)
            std::abort();
    const auto snapshot = trace.snapshot();
    const std::size_t buses = trace.buses().size();
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        const can::FrameView frame = snapshot.frame(row);
        if (frame.length > can::maxLength || frame.bus >= buses)
            std::abort();
        if (can::wireLength(frame).nominalBits == 0)
            std::abort();
    }
    return 0;
}
