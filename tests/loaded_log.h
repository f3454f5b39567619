// SPDX-License-Identifier: GPL-3.0-or-later
// A log that was read into a trace of its own.
#pragma once

#include <QByteArray>
#include <QStringList>

#include <algorithm>
#include <memory>

#include "formats/log_file.h"
#include "formats/trace_sink.h"

namespace wavetrope {

struct LoadedLog {
    trace::Trace trace;
    Expected<formats::ReadReport> report = formats::ReadReport{};

    [[nodiscard]] can::FrameView at(trace::Row row) const { return trace.snapshot().frame(row); }
    [[nodiscard]] QStringList warnings() const
    {
        QStringList texts;
        for (const Error& warning : report->warnings)
            texts << QString::fromStdString(warning.what);
        return texts;
    }
    [[nodiscard]] bool warned(const char* words) const
    {
        return std::any_of(report->warnings.begin(), report->warnings.end(),
            [&](const Error& warning) { return warning.text().find(words) != std::string::npos; });
    }
};

inline std::unique_ptr<LoadedLog> loadBytes(const QByteArray& bytes, const formats::ReadOptions& options = {})
{
    auto loaded = std::make_unique<LoadedLog>();
    formats::TraceSink sink(loaded->trace);
    formats::ByteSource source({reinterpret_cast<const std::uint8_t*>(bytes.constData()), static_cast<std::size_t>(bytes.size())});
    loaded->report = formats::readLog(source, sink, options);
    return loaded;
}

inline std::unique_ptr<LoadedLog> loadFile(const std::string& path, const formats::ReadOptions& options = {})
{
    auto loaded = std::make_unique<LoadedLog>();
    formats::TraceSink sink(loaded->trace);
    loaded->report = formats::readLogFile(path, sink, options);
    return loaded;
}

}  // namespace wavetrope
