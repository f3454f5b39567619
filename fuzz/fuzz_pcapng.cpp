// Any bytes give a trace and a report, or an error; every row of the trace can be read.
#include <cstdlib>

#include "formats/log_format.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    trace::Trace trace;
    formats::TraceSink sink(trace);
    formats::ByteSource source({data, size});
    const auto report = formats::readLog(source, sink);
    if (report && report->frames != trace.rows())
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
