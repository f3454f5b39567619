// SPDX-License-Identifier: GPL-3.0-or-later
// Frames of a log, chosen and put into text while it is read.
#pragma once

#include <deque>
#include <functional>
#include <future>
#include <memory>
#include <optional>

#include "database/derived_stream.h"
#include "filter/filter_stream.h"
#include "formats/log_format.h"

namespace wavetrope::convert {

/// What is known of a log at some frame of it.
struct LogFacts {
    std::vector<trace::TraceBus> buses;
    std::shared_ptr<const database::Catalog> catalog;
    Time origin{};                 ///< Stamp of its first frame.
};

/// A value that a frame gave a derived signal.
struct DerivedValue {
    std::size_t frame = 0;          ///< Place among the frames that it stands beside.
    std::uint32_t derived = 0;      ///< Of the catalog.
    double value = 0;               ///< What is not finite is a gap.
};

/// What is done with the frames of a log. `explain` and `compile` are called for the first frame, and again where a bus
/// appears behind it; `render` on several threads at once; `write` in the order of the log, false where nothing more can
/// be written. `take`, where there is one, stands for both: it gets the frames themselves, in the order of the log.
struct StreamWork {
    std::function<Expected<std::shared_ptr<const database::Catalog>>(const std::vector<trace::TraceBus>&)> explain;
    std::function<Expected<filter::Filter>(const std::shared_ptr<const database::Catalog>&)> compile;
    std::function<std::string(const LogFacts&, std::span<const can::FrameView>, std::span<const DerivedValue>)> render;
    /// Which derived signals `render` wants with the frames; they are followed over all frames, whichever of them pass.
    std::function<std::vector<std::uint32_t>(const database::Catalog&)> derive;
    std::function<bool(std::string_view)> write;
    std::function<bool(const LogFacts&, std::span<const can::FrameView>)> take;
    std::function<bool(std::uint64_t done, std::uint64_t total)> goesOn;
};

/// A sink that keeps nothing: memory does not grow with the log.
class FrameStream final : public formats::LogSink {
public:
    /// `known` are the buses of the log in their order, where they were gathered before.
    explicit FrameStream(StreamWork work, std::vector<trace::TraceBus> known = {}) : work_(std::move(work)), buses_(std::move(known)) {}

    std::uint8_t onBus(const trace::TraceBus& bus) override;
    void onFrames(std::span<const can::FrameView> frames) override;
    void onStretch(std::shared_ptr<const formats::Stretch> stretch, Workers& workers) override;
    void onEnd() override;
    bool onProgress(std::uint64_t done, std::uint64_t total) override;
    /// To be called behind the reading, also of a log without frames.
    void finish();

    /// Why it ended, if what explains the log or chooses frames failed.
    [[nodiscard]] const std::optional<Error>& failure() const { return failure_; }
    /// False where `write` said so.
    [[nodiscard]] bool good() const { return good_; }
    /// Whether frames were looked at.
    [[nodiscard]] bool begun() const { return begun_; }

private:
    [[nodiscard]] bool ready(std::span<const can::FrameView> frames);
    // What becomes of a stretch.
    struct Piece {
        std::string text;
        std::vector<can::FrameView> chosen;
        std::shared_ptr<const formats::Stretch> stretch;    // holds what the frames point to
        std::shared_ptr<const LogFacts> facts;
        bool all = false;                                   // of the stretch
    };
    // Frames that pass, and what they gave derived signals; of all that pass the frames are left out.
    struct Chosen {
        std::vector<can::FrameView> frames;
        std::vector<DerivedValue> derived;
    };
    Chosen choose(std::span<const can::FrameView> frames, bool all);
    void hand(const Piece& piece);
    void deliver(std::size_t left);

    StreamWork work_;
    std::vector<trace::TraceBus> buses_;
    std::size_t nextBus_ = 0;
    bool busesChanged_ = true;
    bool begun_ = false;
    bool good_ = true;
    std::optional<Error> failure_;
    std::shared_ptr<const LogFacts> facts_;
    std::optional<filter::FilterStream> filter_;
    std::unique_ptr<database::DerivedStream> derived_;
    std::vector<bool> wanted_;          // by derived signal
    bool apart_ = false;                // whether stretches can be filtered each by itself
    Workers* workers_ = nullptr;
    std::deque<std::future<Piece>> pending_;
};

/// The buses of a log, whatever else is in it.
class BusGatherer final : public formats::LogSink {
public:
    explicit BusGatherer(std::function<bool(std::uint64_t, std::uint64_t)> goesOn) : goesOn_(std::move(goesOn)) {}
    std::uint8_t onBus(const trace::TraceBus& bus) override
    {
        buses.push_back(bus);
        return static_cast<std::uint8_t>(buses.size() - 1);
    }
    void onFrames(std::span<const can::FrameView>) override {}
    bool onProgress(std::uint64_t done, std::uint64_t total) override { return !goesOn_ || goesOn_(done, total); }
    std::vector<trace::TraceBus> buses;

private:
    std::function<bool(std::uint64_t, std::uint64_t)> goesOn_;
};

}  // namespace wavetrope::convert
