// SPDX-License-Identifier: GPL-3.0-or-later
// Any lines are recognised as some log or refused in words, and read without more frames than lines.
#include <cstdlib>

#include "formats/trace_sink.h"
#include "formats/text_layout.h"
#include "formats/text_recognition.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    using namespace wavetrope;
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    formats::ByteSource source({data, size});
    trace::Trace trace;
    formats::TraceSink sink(trace);
    const auto found = formats::recogniseLayout(text, "fuzz");
    formats::TextLayout layout;
    if (found) {
        // What is kept comes back as it was.
        const auto back = formats::layoutFromJson(formats::toJson(found->layout), "fuzz");
        if (!back || !(*back == found->layout))
            std::abort();
        layout = *back;
    }
    formats::ReadOptions options;
    options.layout = found ? &layout : nullptr;
    const auto report = formats::readLog(source, sink, options);
    if (report && report->frames + report->badLineCount > size + 1)
        std::abort();
    (void)formats::layoutFromJson(text, "fuzz");
    return 0;
}
