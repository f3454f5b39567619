// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_file.h"

namespace wavetrope::formats {

Expected<std::unique_ptr<LogFile>> LogFile::create(const std::string& path, std::span<const trace::TraceBus> buses, const std::string& note)
{
    const auto format = formatForName(path);
    if (!format)
        return tl::unexpected(format.error());
    auto file = OutputFile::create(path);
    if (!file)
        return tl::unexpected(file.error());
    auto log = std::unique_ptr<LogFile>(new LogFile(std::move(*file), (*format)->encoder()));
    log->encoder_->begin(*log->file_, buses, note);
    return log;
}

}  // namespace wavetrope::formats
