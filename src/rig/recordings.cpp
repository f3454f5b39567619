// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/recordings.h"

#include <algorithm>

namespace wavetrope::rig {

namespace {

constexpr std::uint64_t rowsBroughtLevel = 100'000;     // of a recording that begins in a long run, in each slice

}  // namespace

Expected<void> Recordings::begin(const std::string& path, const filter::Filter& passing, Time begins)
{
    for (const Ongoing& other : ongoing_)
        if (other.recorder->path() == path)
            return fail("a recording to that file goes on", path, "Give another name");
    auto recorder = record::Recorder::start(path, trace_.buses(), passing, begins);
    if (!recorder)
        return tl::unexpected(recorder.error());
    Ongoing one;
    one.recorder = std::move(*recorder);
    one.from = trace_.rows();
    one.level = !one.recorder->needsOthers();
    one.next = one.level ? one.from : 0;
    ongoing_.push_back(std::move(one));
    return {};
}

// A filter that asks for earlier frames is shown those that came before it was there, some in each slice, and what came
// meanwhile behind them.
void Recordings::bringLevel(Ongoing& one, std::uint64_t most) const
{
    if (one.level)
        return;
    const trace::Snapshot snapshot = trace_.snapshot();
    const trace::Row end = one.next + std::min(most, snapshot.rows() - one.next);
    while (one.next < end) {
        const trace::Row row = one.next++;
        if (trace_.isGone(row))
            one.next = std::min(end, (row / trace::segmentRows + 1) * trace::segmentRows);
        else if (row < one.from)
            one.recorder->remember(snapshot.frame(row));
        else
            one.recorder->take(snapshot.frame(row));
    }
    one.level = one.next == snapshot.rows();
}

void Recordings::advance()
{
    for (Ongoing& one : ongoing_) {
        bringLevel(one, rowsBroughtLevel);
        if (const auto written = one.recorder->flush(); !written && one.problem.empty())
            one.problem = written.error().text();
    }
}

Expected<void> Recordings::finish(const std::string& path)
{
    Expected<void> result;
    for (Ongoing& one : ongoing_) {
        if (!path.empty() && one.recorder->path() != path)
            continue;
        bringLevel(one, ~std::uint64_t{0});
        if (auto finished = one.recorder->finish(); !finished && result)
            result = std::move(finished);
    }
    std::erase_if(ongoing_, [&](const Ongoing& one) { return path.empty() || one.recorder->path() == path; });
    return result;
}

std::vector<RecordingReport> Recordings::reports() const
{
    std::vector<RecordingReport> out;
    for (const Ongoing& one : ongoing_)
        out.push_back({true, one.recorder->path(), one.recorder->frames(), one.recorder->bytes(), one.problem});
    return out;
}

}  // namespace wavetrope::rig
