// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/merged_logs.h"

#include <algorithm>
#include <atomic>
#include <condition_variable>
#include <deque>
#include <filesystem>
#include <limits>
#include <mutex>
#include <thread>

#include "base/stamp.h"
#include "formats/frame_batch.h"

namespace wavetrope::formats {

namespace {

constexpr std::size_t framesOfBlock = 2048;
constexpr std::size_t blocksAhead = 8;      // that one log is read ahead of the others

struct Block {
    std::vector<can::Frame> frames;
};

// One log, read on a thread of its own into a short queue.
class Stream final : public LogSink {
public:
    Stream(const LogPart& part, const ReadOptions& options) : part_(part), options_(options)
    {
        if (part_.layout)
            options_.layout = &*part_.layout;
        options_.threads = 1;   // each log has a thread already
        thread_ = std::thread([this] { read(); });
    }
    ~Stream() override
    {
        {
            const std::scoped_lock lock(mutex_);
            stopped_ = true;
        }
        room_.notify_all();
        thread_.join();
    }
    Stream(const Stream&) = delete;
    Stream& operator=(const Stream&) = delete;

    // The frame to come, or null behind the last. Waits for it.
    const can::Frame* front()
    {
        if (at_ < block_.frames.size())
            return &block_.frames[at_];
        std::unique_lock lock(mutex_);
        filled_.wait(lock, [this] { return !blocks_.empty() || ended_; });
        if (blocks_.empty())
            return nullptr;
        block_ = std::move(blocks_.front());
        blocks_.pop_front();
        at_ = 0;
        room_.notify_one();
        return &block_.frames[0];
    }
    void pop() { ++at_; }
    // A bus of this log; it is there before its first frame.
    trace::TraceBus bus(std::uint8_t index)
    {
        const std::scoped_lock lock(mutex_);
        return buses_[index];
    }
    [[nodiscard]] std::size_t busCount()
    {
        const std::scoped_lock lock(mutex_);
        return buses_.size();
    }
    [[nodiscard]] const LogPart& part() const { return part_; }
    [[nodiscard]] std::uint64_t done() const { return done_; }
    [[nodiscard]] std::uint64_t total() const { return total_; }
    // To be asked behind the last frame.
    [[nodiscard]] const Expected<ReadReport>& report() const { return report_; }

    std::uint8_t onBus(const trace::TraceBus& bus) override
    {
        const std::scoped_lock lock(mutex_);
        buses_.push_back(bus);
        return static_cast<std::uint8_t>(buses_.size() - 1);
    }
    void onFrames(std::span<const can::FrameView> frames) override
    {
        for (const can::FrameView& frame : frames) {
            std::int64_t time = 0;
            if (__builtin_add_overflow(frame.time.count(), part_.offset.count(), &time) || !isStamp(Time(time))) {
                ++outside_;
                continue;
            }
            filling_.frames.emplace_back(frame).time = Time(time);
            if (filling_.frames.size() == framesOfBlock)
                hand();
        }
    }
    bool onProgress(std::uint64_t done, std::uint64_t total) override
    {
        done_ = done;
        total_ = total;
        const std::scoped_lock lock(mutex_);
        return !stopped_;
    }

private:
    void hand()
    {
        if (filling_.frames.empty())
            return;
        std::unique_lock lock(mutex_);
        room_.wait(lock, [this] { return blocks_.size() < blocksAhead || stopped_; });
        blocks_.push_back(std::move(filling_));
        filling_ = {};
        filling_.frames.reserve(framesOfBlock);
        filled_.notify_one();
    }
    void read()
    {
        report_ = readLogFile(part_.path, *this, options_);
        if (report_ && outside_ > 0)
            report_->warnings.push_back(
                {std::to_string(outside_) + " frames left out: with its offset they lie outside the years 1970 to 2261", part_.path, 0, 0,
                    {}});
        hand();
        const std::scoped_lock lock(mutex_);
        ended_ = true;
        filled_.notify_one();
    }

    LogPart part_;
    ReadOptions options_;
    std::mutex mutex_;
    std::condition_variable filled_;
    std::condition_variable room_;
    std::deque<Block> blocks_;
    std::vector<trace::TraceBus> buses_;
    bool ended_ = false;
    bool stopped_ = false;
    Block filling_;         // of the reading thread
    std::uint64_t outside_ = 0;
    Block block_;           // of the merging one
    std::size_t at_ = 0;
    std::atomic<std::uint64_t> done_{0};
    std::atomic<std::uint64_t> total_{0};
    Expected<ReadReport> report_;
    std::thread thread_;
};

class Merge {
public:
    Merge(const std::vector<LogPart>& parts, LogSink& sink, const ReadOptions& options) : sink_(sink)
    {
        for (const LogPart& part : parts)
            streams_.push_back(std::make_unique<Stream>(part, options));
        maps_.resize(parts.size());
    }

    Expected<ReadReport> run()
    {
        ReadReport report;
        std::uint64_t sinceProgress = 0;
        std::vector<const can::Frame*> fronts;
        for (const auto& stream : streams_)
            fronts.push_back(stream->front());
        // What cannot be read at all is known by now.
        for (std::size_t i = 0; i < streams_.size(); ++i)
            if (fronts[i] == nullptr && !streams_[i]->report())
                return tl::unexpected(streams_[i]->report().error());
        FrameBatch batch(sink_);
        while (true) {
            std::size_t next = fronts.size();
            for (std::size_t i = 0; i < fronts.size(); ++i)
                if (fronts[i] != nullptr && (next == fronts.size() || fronts[i]->time < fronts[next]->time))
                    next = i;
            if (next == fronts.size())
                break;
            can::FrameView& frame = batch.next();
            frame = fronts[next]->view();
            frame.bus = busOf(next, frame.bus);
            batch.commit();
            batch.flush();      // before its block goes
            streams_[next]->pop();
            fronts[next] = streams_[next]->front();
            if (++sinceProgress == 4096) {
                sinceProgress = 0;
                std::uint64_t done = 0;
                std::uint64_t total = 0;
                for (const auto& stream : streams_) {
                    done += stream->done();
                    total += stream->total();
                }
                if (!sink_.onProgress(std::min(done, total), total)) {
                    report.cancelled = true;
                    break;
                }
            }
        }
        report.frames = batch.total();
        if (report.cancelled)
            return report;
        for (std::size_t i = 0; i < streams_.size(); ++i) {
            for (std::size_t bus = 0; bus < streams_[i]->busCount(); ++bus)     // those without a frame, too
                (void)busOf(i, static_cast<std::uint8_t>(bus));
            const auto& part = streams_[i]->report();
            if (!part) {
                report.warnings.push_back(part.error());
                continue;
            }
            report.warnings.insert(report.warnings.end(), part->warnings.begin(), part->warnings.end());
            report.badLines.insert(report.badLines.end(), part->badLines.begin(), part->badLines.end());
            report.badLineCount += part->badLineCount;
        }
        sink_.onProgress(1, 1);
        return report;
    }

private:
    std::uint8_t busOf(std::size_t stream, std::uint8_t bus)
    {
        auto& map = maps_[stream];
        while (map.size() <= bus) {
            trace::TraceBus found = streams_[stream]->bus(static_cast<std::uint8_t>(map.size()));
            const LogPart& part = streams_[stream]->part();
            const std::string file = std::filesystem::path(part.path).stem();
            if (found.name.empty())
                found.name = map.empty() ? file : file + " " + std::to_string(map.size() + 1);
            else if (part.ownBuses)
                found.name += " (" + file + ")";
            // One name and one rate is one bus, where both are known.
            const auto same = std::find_if(known_.begin(), known_.end(),
                [&](const Known& known) { return known.name == found.name && known.rate.agreesWith(found.rate); });
            if (same != known_.end()) {
                map.push_back(same->index);
                continue;
            }
            if (known_.size() >= std::numeric_limits<std::uint8_t>::max()) {  // more than frames can tell apart: the last takes the rest
                map.push_back(known_.back().index);
                continue;
            }
            Known known{found.name, found.rate, 0};
            if (std::any_of(known_.begin(), known_.end(), [&](const Known& other) { return other.name == found.name; }))
                found.name += " (" + can::toText(found.rate) + ")";
            map.push_back(sink_.onBus(found));
            known.index = map.back();
            known_.push_back(std::move(known));
        }
        return map[bus];
    }

    LogSink& sink_;
    std::vector<std::unique_ptr<Stream>> streams_;
    std::vector<std::vector<std::uint8_t>> maps_;  // of each log's buses to those of the sink
    struct Known {
        std::string name;  // without its rate behind it
        can::BitRate rate;
        std::uint8_t index;
    };
    std::vector<Known> known_;
};

}  // namespace

Expected<ReadReport> readLogs(const std::vector<LogPart>& parts, LogSink& sink, const ReadOptions& options)
{
    if (parts.empty() || parts.size() > mostLogs)
        return fail(std::to_string(parts.size()) + " logs: expected 1 to " + std::to_string(mostLogs) + " of them");
    return Merge(parts, sink, options).run();
}

}  // namespace wavetrope::formats
