// SPDX-License-Identifier: GPL-3.0-or-later
// The messages of a log on the command line.
#pragma once

#include <algorithm>
#include <functional>
#include <optional>
#include <utility>

#include "cli/command.h"
#include "filter/filter_stream.h"
#include "measure/message_index.h"
#include "protocol/message_stream.h"

namespace wavetrope::cli {

/// What the buses of a log speak: as typed, and as a rig says of those that nothing was typed of.
struct Speaking {
    std::vector<protocol::Spoken> all;
    std::vector<std::string> typed;  ///< Buses, which the log must have.

    [[nodiscard]] std::vector<protocol::Spoken> on(const std::string& bus) const;
    /// A bus that was typed, and that none of these is called.
    [[nodiscard]] std::optional<Error> missing(const std::vector<trace::TraceBus>& buses, const std::string& log) const;
};
/// Reads the values of --protocol. `rigPath` may be empty.
[[nodiscard]] Expected<Speaking> speakingOf(const std::vector<std::string>& protocols, const std::string& rigPath);

/// Whether anything is said of what buses speak. A rig that cannot be read says nothing: whoever reads it next tells why.
[[nodiscard]] bool speaks(const Question& question, const std::vector<std::string>& protocols);

/// Adds --protocol to a command.
CLI::Option* addProtocolOption(CLI::App& command, std::vector<std::string>& protocols);

/// Messages of a log while it is read.
class MessageSink final : public formats::LogSink {
public:
    std::function<void(const protocol::MessageRow&)> onRow = [](const protocol::MessageRow&) {};
    std::function<void(const protocol::Transfer&)> onTransfer = [](const protocol::Transfer&) {};
    /// Before each frame; false: it and what follows is left out.
    std::function<bool(const can::FrameView&)> goesOn = [](const can::FrameView&) { return true; };

    MessageSink(const Speaking& speaking, const std::string& log) : speaking_(speaking), progress_("reading " + log) {}

    std::uint8_t onBus(const trace::TraceBus& bus) override
    {
        buses.push_back(bus);
        stream.speak(static_cast<std::uint8_t>(buses.size() - 1), speaking_.on(bus.name));
        return static_cast<std::uint8_t>(buses.size() - 1);
    }
    void onFrames(std::span<const can::FrameView> frames) override
    {
        if (!frames.empty() && !std::exchange(begun_, true))
            for (const std::string& bus : speaking_.typed)
                if (!named(buses, bus) && !named(known, bus))
                    missing = bus;
        for (const can::FrameView& frame : frames) {
            if (missing || over_)
                return;
            over_ = !goesOn(frame);
            if (!over_)
                stream.onFrame(frame);
        }
    }
    bool onProgress(std::uint64_t done, std::uint64_t total) override
    {
        progress_.show(done, total);
        return !interrupted && !missing && !over_;
    }
    [[nodiscard]] bool begun() const { return begun_; }
    std::function<void()> atEnd = [] {};

    std::vector<trace::TraceBus> buses, known;  ///< So far, and those that the log has anywhere, where that was asked.
    std::optional<std::string> missing;     ///< A bus that was typed, and that none of them is called.
    protocol::MessageStream stream{
        [this](const protocol::MessageRow& row) { onRow(row); }, [this](const protocol::Transfer& one) { onTransfer(one); }};

private:
    static bool named(const std::vector<trace::TraceBus>& among, const std::string& bus)
    {
        return std::any_of(among.begin(), among.end(), [&](const trace::TraceBus& one) { return one.name == bus; });
    }
    const Speaking& speaking_;
    ProgressLine progress_;
    bool begun_ = false, over_ = false;
};

/// Reads the log of a question; `prepare` puts what hears of it into the sink.
[[nodiscard]] Expected<void> follow(const Question& question, const Speaking& speaking, const std::function<void(MessageSink&)>& prepare);

/// The messages of a log that pass a filter, with what explains them.
class PassingRows {
public:
    /// False: no more are wanted.
    using Take = std::function<bool(
        const protocol::MessageRow&, const std::vector<trace::TraceBus>&, const std::shared_ptr<const database::Catalog>&)>;

    PassingRows(const Question& question, const std::vector<std::string>& protocols) : question_(question), protocols_(protocols) {}
    /// What it takes to know what each signal is; without, only where the filter asks.
    void explained() { explains_ = true; }
    /// Hears every row, whether it passes or not, in front of `take`.
    std::function<void(const protocol::MessageRow&, const std::shared_ptr<const database::Catalog>&)> heard{};
    /// Stamp of the log's first frame, once it is known.
    [[nodiscard]] Time first() const { return first_; }
    [[nodiscard]] const Databases& databases() const { return databases_; }

    Expected<void> each(const Take& take)
    {
        const auto speaking = speakingOf(protocols_, question_.rig);
        if (!speaking)
            return tl::unexpected(speaking.error());
        // Groups are found whatever the address that sends them.
        for (const protocol::Spoken& one : speaking->all)
            if (one.protocol == protocol::Protocol::vehicle)
                databases_.matchByGroup(one.bus);
        const auto done = follow(question_, *speaking, [&](MessageSink& sink) {
            sink.goesOn = [this, &sink](const can::FrameView& frame) {
                if (!std::exchange(begun_, true))
                    first_ = frame.time;
                return wanted_ && prepare(sink.buses, frame.time);
            };
            sink.onRow = [this, &sink, &take](const protocol::MessageRow& row) {
                if (wanted_ && heard)
                    heard(row, catalog);
                const bool long_ = row.data.size() > can::maxLength;
                if (wanted_ && (!filter_ || filter_->passes(measure::viewOf(row), long_ ? &row.data : nullptr)))
                    wanted_ = take(row, sink.buses, catalog);
            };
        });
        return failure_ ? tl::unexpected(*failure_) : done;
    }
    std::shared_ptr<const database::Catalog> catalog;

private:
    // A bus may come behind the first frames.
    bool prepare(const std::vector<trace::TraceBus>& buses, Time first)
    {
        if ((question_.narrowing.filter.empty() && !explains_) || bound_ == buses.size())
            return true;
        auto explained = databases_.explain(buses);
        if (!explained) {
            failure_ = explained.error();
            return false;
        }
        catalog = *explained;
        bound_ = buses.size();
        if (question_.narrowing.filter.empty())
            return true;
        auto compiled = filterOf(question_, catalog);
        if (!compiled) {
            failure_ = compiled.error();
            return false;
        }
        if (filter_)
            filter_->rebind(std::move(*compiled));
        else
            filter_.emplace(std::move(*compiled), first);
        return true;
    }

    const Question& question_;
    const std::vector<std::string>& protocols_;
    Databases databases_{question_};
    std::optional<filter::FilterStream> filter_;
    std::optional<Error> failure_;
    std::size_t bound_ = 0;
    Time first_{};
    bool explains_ = false, wanted_ = true, begun_ = false;
};

}  // namespace wavetrope::cli
