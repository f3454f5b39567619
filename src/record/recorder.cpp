// SPDX-License-Identifier: GPL-3.0-or-later
#include "record/recorder.h"

namespace wavetrope::record {

Expected<std::unique_ptr<Recorder>> Recorder::start(
    const std::string& path, std::span<const trace::TraceBus> buses, filter::Filter filter, Time origin)
{
    auto file = formats::LogFile::create(path, buses);
    if (!file)
        return tl::unexpected(file.error());
    return std::unique_ptr<Recorder>(new Recorder(std::move(*file), std::move(filter), origin));
}

}  // namespace wavetrope::record
