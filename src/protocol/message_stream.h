// SPDX-License-Identifier: GPL-3.0-or-later
// The frames of a log as messages: what is whole in one row at its place, all else a row each.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <unordered_map>
#include <vector>

#include "protocol/layer.h"
#include "protocol/spoken.h"

namespace wavetrope::protocol {

/// A message, or a frame that is none of a protocol.
struct MessageRow {
    Time time{};
    std::uint8_t bus = 0;
    std::optional<Head> head{};     ///< Nothing for frames of no protocol.
    can::FrameKind frame = can::FrameKind::data;
    can::Identifier id{};
    unsigned length = 0;            ///< Bytes; of a remote frame as many as it asks for.
    can::Payload data{};
    can::Direction direction = can::Direction::unknown;  ///< Of its last frame, as what follows.
    bool brs = false, esi = false;
    std::uint64_t number = 0;       ///< Of its last frame, in the order of the trace.
    Time lasted{};                  ///< From its first frame to its last.
    std::uint32_t what = 0;         ///< Of a message that came in pieces, as Transfer::what.
    std::span<const std::uint64_t> pieces{};    ///< The numbers of its frames, where it came in pieces.
    bool stray = false;             ///< Carries or steers pieces of nothing that was begun.
};

/// Follows the frames of a trace in their order. A row comes once all in front of it is decided: at the latest when the limits of what is open are over.
class MessageStream final : TransferListener {
public:
    /// Rows that are held back at the most; beyond, what is open is given up.
    static constexpr std::size_t mostHeld = 2'000'000;

    MessageStream(std::function<void(const MessageRow&)> row, std::function<void(const Transfer&)> transfer)
        : row_(std::move(row)), transfer_(std::move(transfer))
    {}
    /// Protocols of a bus; to be called before its first frame. Where two claim a frame, diagnostics goes first, then objects.
    void speak(std::uint8_t bus, const std::vector<Spoken>& spoken);

    void onFrame(const can::FrameView& frame);
    /// Frames that nobody has any more: what is open cannot go on.
    void skip(std::uint64_t frames);
    /// The log ends.
    void finish();
    /// All frames in front of this number are decided, and with them the messages that they began.
    [[nodiscard]] std::uint64_t decided() const { return front_; }

private:
    /// A frame that waits until it is decided what it is part of.
    struct Held {
        can::Frame frame;
        Taken taken;
        enum class Is : std::uint8_t { alone, open, within, whole } state = Is::open;  ///< `whole`: it made a message whole.
    };
    /// Frames by their numbers, in a ring that only grows.
    class Waiting {
    public:
        [[nodiscard]] bool empty() const { return count_ == 0; }
        [[nodiscard]] std::size_t size() const { return count_; }
        [[nodiscard]] Held& operator[](std::size_t i) { return ring_[(first_ + i) & (ring_.size() - 1)]; }
        [[nodiscard]] Held& front() { return ring_[first_]; }
        Held& append(const can::FrameView& frame);
        void dropFront()
        {
            first_ = (first_ + 1) & (ring_.size() - 1);
            --count_;
        }

    private:
        std::vector<Held> ring_;  // of a power of two
        std::size_t first_ = 0, count_ = 0;
    };
    void onTransfer(Transfer&& transfer) override;
    void emit(const can::FrameView& frame, const Taken& taken, std::uint64_t number, const Transfer* whole) const;
    [[nodiscard]] Taken take(const can::FrameView& frame, std::uint64_t number);
    void emitFront();
    void learnLimit();

    std::function<void(const MessageRow&)> row_;
    std::function<void(const Transfer&)> transfer_;
    std::vector<std::vector<std::unique_ptr<Layer>>> layers_;  // by bus
    Waiting held_;
    std::unordered_map<std::uint64_t, Transfer> wholes_;  // by the number of the frame that made them so, while that is held
    std::uint64_t front_ = 0;  // number of the first that is held
    Time limit_ = Time::max();  // of all layers the first
};

}  // namespace wavetrope::protocol
