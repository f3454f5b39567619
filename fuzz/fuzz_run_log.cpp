// SPDX-License-Identifier: GPL-3.0-or-later
// Any bytes behind the mark of a kept run give a log, a warning or an error.
#include "formats/trace_sink.h"
#include "formats/run_block.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    formats::ByteSource source({data, size});
    trace::Trace trace;
    formats::TraceSink sink(trace);
    formats::ReadOptions options;
    options.threads = 1;
    (void)formats::readLog(source, sink, options);
    if (size < 2)
        return 0;
    // The same bytes as the columns of a block, which no checksum guards.
    if (auto block = formats::RunBlock::fromColumns(data[0] + 1U, std::span(data, size).subspan(1))) {
        trace::Trace rows;
        block->each([&](std::uint32_t, const can::FrameView& frame) { rows.append(frame); });
        (void)block->segment(0, rows);
    }
    return 0;
}
