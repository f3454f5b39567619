// SPDX-License-Identifier: GPL-3.0-or-later
// The log that playback holds: how it gets there, and what explains it.
#pragma once

#include <atomic>
#include <functional>
#include <memory>
#include <mutex>
#include <span>
#include <string>
#include <thread>
#include <vector>

#include "drive/playback.h"
#include "formats/log_loading.h"
#include "formats/merged_logs.h"
#include "rig/rig.h"
#include "trace/time_index.h"
#include "trace/trace.h"

namespace wavetrope::rig {

/// Loads logs into a playback; their buses take the rig's databases by name. Where nothing else is said, for the driving thread.
class PlaybackLog {
public:
    using Done = std::function<void(Expected<formats::ReadReport>)>;

    /// All must outlive it. Rewritings that draw random values begin with `seed`.
    PlaybackLog(const Rig& rig, const LoadedDatabases& databases, drive::Playback& playback, std::uint64_t seed)
        : rig_(rig), databases_(databases), playback_(playback), seed_(seed)
    {}
    ~PlaybackLog() { stopReading(); }
    PlaybackLog(const PlaybackLog&) = delete;
    PlaybackLog& operator=(const PlaybackLog&) = delete;

    /// Several logs as one, in the order of time.
    [[nodiscard]] Expected<formats::ReadReport> load(const std::vector<formats::LogPart>& parts);
    /// The same without waiting: they are read on a thread of its own, `post` brings what is left to do to the driving thread, and `done` is called on
    /// either thread once they are in playback or have failed.
    void read(const std::vector<formats::LogPart>& parts, std::function<void(std::function<void()>)> post, Done done);
    /// A reading that goes on comes to nothing.
    void stopReading();

    /// Compiles what is changed of its frames.
    [[nodiscard]] Expected<drive::Rewriting> rewriting(std::span<const std::string> texts) const
    {
        return drive::Rewriting::compile(texts, catalog_, seed_);
    }
    /// Compiles a filter over its buses.
    [[nodiscard]] Expected<filter::Filter> filter(const std::string& text) const;

    // For any thread:
    /// The log, or null.
    [[nodiscard]] std::shared_ptr<const trace::Trace> log() const;
    [[nodiscard]] std::shared_ptr<const database::Catalog> catalog() const;

private:
    void take(std::shared_ptr<trace::Trace> log, trace::TimeIndex order);

    const Rig& rig_;
    const LoadedDatabases& databases_;
    drive::Playback& playback_;
    std::uint64_t seed_;
    std::shared_ptr<const database::Catalog> catalog_;
    std::thread reader_;
    std::atomic<bool> stop_{false};

    mutable std::mutex mutex_;  // of what any thread may ask for
    std::shared_ptr<const trace::Trace> log_;
    std::shared_ptr<const database::Catalog> told_;
};

}  // namespace wavetrope::rig
