// SPDX-License-Identifier: GPL-3.0-or-later
// What a higher protocol makes of the frames of one bus: messages of one frame, and messages that came in pieces.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/time.h"
#include "can/frame.h"
#include "protocol/spoken.h"

namespace wavetrope::protocol {

/// What a message is within its protocol. `transport`: a frame that carries or steers pieces, and is part of no whole message.
enum class Kind : std::uint8_t {
    group,
    request,
    acknowledge,
    claim,
    transport,
    process,
    serviceRead,
    serviceWrite,
    emergency,
    heartbeat,
    state,
    sync,
    time,
    answer,
    refused
};
[[nodiscard]] const char* toText(Kind kind);

/// Who sent a message, or for whom it is.
struct Party {
    enum class Is : std::uint8_t { nobody, address, node, identifier };
    Is is = Is::nobody;  ///< `nobody`: not known, or everybody.
    std::uint32_t value = 0;  ///< The address, the node, or the key of the identifier.

    [[nodiscard]] static Party address(std::uint8_t value) { return {Is::address, value}; }
    /// Everybody, where it is the address of all (SAE J1939-81, 4.2).
    [[nodiscard]] static Party addressed(std::uint8_t value) { return value == 255 ? Party{} : address(value); }
    [[nodiscard]] static Party node(std::uint8_t value) { return value == 0 ? Party{} : Party{Is::node, value}; }
    [[nodiscard]] static Party identifier(can::Identifier id) { return {Is::identifier, id.key()}; }
    bool operator==(const Party&) const = default;
};
/// `0x21`, `4`, `0x7E0`; empty for nobody.
[[nodiscard]] std::string toText(Party party);

/// What a message, or a frame that is a row of its own, is.
struct Head {
    Protocol protocol = Protocol::vehicle;
    Kind kind = Kind::transport;
    Party source{}, destination{};
};

/// How the putting together of a message ended.
enum class Ended : std::uint8_t {
    whole,  ///< Complete by its standard.
    aborted,  ///< By one of the two.
    sequence,  ///< A wrong number, or toggle.
    checksum,  ///< A block that was confirmed with a wrong CRC.
    timeout,  ///< Nothing came within the limit of its state.
    unfinished,  ///< The same two began anew, or the log ends.
};
[[nodiscard]] const char* toText(Ended ended);

/// A message that came in pieces, or was to.
struct Transfer {
    Head head;
    std::uint8_t bus = 0;
    Time from{}, to{};  ///< Of its first frame and its last.
    can::Identifier id{};  ///< That the whole message stands under.
    std::uint32_t what = 0;  ///< The group; index and sub-index (bits 8 to 23, 0 to 7); the service.
    std::uint64_t bytes = 0;  ///< Those that came in order.
    std::uint64_t frames = 0;  ///< Of both sides.
    Ended ended = Ended::unfinished;
    std::vector<std::uint64_t> numbers{};  ///< Of its frames, in their order.
    std::vector<std::uint8_t> data{};  ///< Of the message, as far as it came.
};
/// `0xFECA`, `0x2001:0A`, `0x22`.
[[nodiscard]] std::string whatOf(const Transfer& transfer);

/// Hears how messages in pieces end, in the order in which that is known.
class TransferListener {
public:
    /// Each frame of one that is not whole is a row of its own.
    virtual void onTransfer(Transfer&& transfer) = 0;

protected:
    ~TransferListener() = default;
};

/// What a layer says of a frame.
struct Taken {
    enum class As : std::uint8_t {
        foreign,  ///< Not of its protocol.
        alone,  ///< A row of its own: `head` tells what it is.
        piece,  ///< Of a message whose end is told later; `head` is that of the frame where it is not whole.
    };
    As as = As::foreign;
    Head head{};
    std::uint8_t from = 0;  ///< Where in its payload the message begins,
    std::uint8_t length = wholePayload;  ///< and how long it is.
    static constexpr std::uint8_t wholePayload = 255;
};

/// Of most messages in pieces that are open at once; more are not begun, and their frames stand alone.
inline constexpr std::size_t mostOpen = 4'096;
/// Bytes that one message may have, and those of all that are open on a bus (what goes beyond is broken off as `unfinished`).
inline constexpr std::uint64_t mostBytes = std::uint64_t{1} << 28, mostBytesOpen = std::uint64_t{1} << 29;

/// One protocol on one bus. Frames come in the order of the trace; times are those of the log.
class Layer {
public:
    virtual ~Layer() = default;
    /// Looks at a frame; `number` counts those of the trace.
    [[nodiscard]] virtual Taken take(const can::FrameView& frame, std::uint64_t number) = 0;
    /// When the first limit ends behind which something that is open is given up; `Time::max()` where nothing is open.
    [[nodiscard]] virtual Time nextLimit() const = 0;
    /// Gives up what had to go on before this moment.
    virtual void passed(Time now) = 0;
    /// The log ends: what is open stays so.
    virtual void finish() = 0;
};

}  // namespace wavetrope::protocol
