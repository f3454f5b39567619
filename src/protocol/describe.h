// SPDX-License-Identifier: GPL-3.0-or-later
// Messages of higher protocols in their own words.
#pragma once

#include <string>
#include <vector>

#include "protocol/dictionary.h"
#include "protocol/message_stream.h"
#include "protocol/names.h"

namespace wavetrope::protocol {

/// What a message is, and what it says.
struct Described {
    std::string what;   ///< "read 0x2001:03", "heartbeat", "request for 0xFECA".
    std::string value;  ///< "DepthSource: 2", "operational"; bytes where nothing is known of them.
};

/// `dictionary` is that of the node, or null.
[[nodiscard]] Described describe(const MessageRow& row, const Dictionary* dictionary = nullptr, const Names* names = nullptr);
/// "operational", "boot-up".
[[nodiscard]] std::string heartbeatWords(std::uint8_t state);
/// "read data by identifier" (ISO 14229-1:2020, table 2), of a request or its answer.
[[nodiscard]] std::string serviceWords(std::uint8_t service);
/// So many bytes in hexadecimal digits at the most, and how many there are where these are more.
[[nodiscard]] std::string bytesWords(can::Payload bytes, std::size_t most = 16);
/// What a frame that carries or steers pieces does: "announces", "piece 3", "flow control".
[[nodiscard]] std::string pieceWords(const Head& head, can::Identifier id, can::Payload data);
/// How a transfer ended where it is not whole: "broken off", "no answer".
[[nodiscard]] std::string brokenWords(Ended ended);

/// What most of a stretch's pieces belonged to: "112 service transfers of node 4, object 0x1A00", "read of 0x2010:00 of node 1".
struct PiecesCause {
    std::string words;
    std::uint64_t frames = 0;
};
/// Of transfers between the same two, about the same object, group or service, those with most frames; no words where there are none.
[[nodiscard]] PiecesCause causeOf(const std::vector<Transfer>& transfers);

}  // namespace wavetrope::protocol
