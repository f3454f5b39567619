// SPDX-License-Identifier: GPL-3.0-or-later
// What is asked of a server beyond one request: a session, trouble codes, transfers (ISO 14229-1:2020).
#pragma once

#include <string>
#include <vector>

#include "protocol/talk.h"

namespace wavetrope::protocol {

/// A trouble code of a server (ISO 14229-1:2020, 12.3).
struct DiagnosticTrouble {
    std::uint32_t code = 0;     ///< 24 bits.
    std::uint8_t status = 0;
    /// "P0123-45": letter and four digits of the upper two bytes, failure type behind (ISO 15031-6, 6).
    [[nodiscard]] std::string text() const;
    /// "test failed, confirmed" (ISO 14229-1:2020, table D.2).
    [[nodiscard]] std::string words() const;
};
/// Request for all whose status has one of these bits.
[[nodiscard]] std::vector<std::uint8_t> troublesRequest(std::uint8_t statusMask = 0xFF);
/// Those of an answer to it (`59 02`); what is cut off at its end is left out.
[[nodiscard]] std::vector<DiagnosticTrouble> diagnosticTroublesOf(can::Payload answer);

/// Enters a session (10), then asks; its answer is that of the request.
[[nodiscard]] std::unique_ptr<Talk> diagnosticInSession(DiagnosticPair pair, std::uint8_t session, std::vector<std::uint8_t> request);
/// Tells a server every so often that the tester is still there, wanting no answer (3E 80), for so long.
[[nodiscard]] std::unique_ptr<Talk> sessionHeld(DiagnosticPair pair, Time every, Time lasts);
/// S3 of a server is five seconds (ISO 14229-2:2021, table 4).
inline constexpr Time usualKeep = std::chrono::seconds(2);
/// The frame that tells it once.
[[nodiscard]] can::Frame testerPresent(const DiagnosticPair& pair);

/// Writes bytes to an address of a server's memory: request download (34), transfer in blocks as long as it takes (36), exit (37).
[[nodiscard]] std::unique_ptr<Talk> diagnosticDownload(DiagnosticPair pair, std::uint32_t address, std::vector<std::uint8_t> bytes);
/// Reads so many, up to 2^24: request upload (35), and as above. The answer's bytes are those that were read.
[[nodiscard]] std::unique_ptr<Talk> diagnosticUpload(DiagnosticPair pair, std::uint32_t address, std::uint32_t size);

}  // namespace wavetrope::protocol
