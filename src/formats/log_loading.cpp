// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_loading.h"

namespace wavetrope::formats {

namespace {

class HookedSink final : public TraceSink {
public:
    HookedSink(trace::Trace& trace, const LoadHooks& hooks) : TraceSink(trace), hooks_(hooks) {}
    bool onProgress(std::uint64_t done, std::uint64_t total) override
    {
        return (!hooks_.progress || hooks_.progress(done, total)) && TraceSink::onProgress(done, total);
    }

protected:
    void onRows() override
    {
        if (hooks_.rows)
            hooks_.rows();
    }

private:
    const LoadHooks& hooks_;
};

}  // namespace

Expected<ReadReport> readParts(const std::vector<LogPart>& parts, LogSink& sink, ReadOptions options)
{
    if (parts.empty())
        return fail("no log is named");
    if (parts.size() > 1)
        return readLogs(parts, sink, options);
    if (parts.front().layout)
        options.layout = &*parts.front().layout;
    return readLogFile(parts.front().path, sink, options);
}

Expected<LoadReport> loadLogs(const std::vector<LogPart>& parts, trace::Trace& trace, const LoadHooks& hooks, ReadOptions options)
{
    HookedSink sink(trace, hooks);
    auto reading = readParts(parts, sink, std::move(options));
    if (!reading)
        return tl::unexpected(reading.error());
    LoadReport report;
    static_cast<ReadReport&>(report) = std::move(*reading);
    if (sink.full())
        report.full = sink.fullness(parts.front().path);
    return report;
}

}  // namespace wavetrope::formats
