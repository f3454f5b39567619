// SPDX-License-Identifier: GPL-3.0-or-later
// The frames of a log as messages: what is whole in one row at its place, all else a row each.
#pragma once

#include <deque>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "protocol/diagnostics.h"

namespace wavetrope::protocol {

/// What a bus speaks.
struct Spoken {
    std::string bus;
    Protocol protocol = Protocol::vehicle;
    std::vector<DiagnosticPair> pairs{};  ///< Of `diagnostics`.
};
/// Reads `BUS=vehicle`, `BUS=objects`, `BUS=diagnostics:0x7E0/0x7E8,0x18DA00F1/0x18DAF100`. Errors name what was expected.
[[nodiscard]] Expected<Spoken> spokenFromText(std::string_view text);

/// A message, or a frame that is none of a protocol.
struct MessageRow {
    Time time{};
    std::uint8_t bus = 0;
    std::optional<Head> head{};     ///< Nothing for frames of no protocol.
    can::FrameKind frame = can::FrameKind::data;
    can::Identifier id{};
    unsigned length = 0;            ///< Bytes; of a remote frame as many as it asks for.
    can::Payload data{};
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
    /// The log ends.
    void finish();

private:
    struct Held {
        can::Frame frame;
        Taken taken;
        enum class Is : std::uint8_t { decided, open, within } is = Is::decided;
        std::vector<std::uint8_t> message{};
        bool whole = false;
    };
    void onTransfer(Transfer&& transfer) override;
    void emit(const Held& held) const;
    void emitFront();

    std::function<void(const MessageRow&)> row_;
    std::function<void(const Transfer&)> transfer_;
    std::vector<std::vector<std::unique_ptr<Layer>>> layers_;  // by bus
    std::deque<Held> held_;
    std::uint64_t front_ = 0;  // number of the first that is held
};

}  // namespace wavetrope::protocol
