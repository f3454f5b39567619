// SPDX-License-Identifier: GPL-3.0-or-later
// Fault confinement: the error counters of one node and the state that follows from them.
#pragma once

#include <cstdint>

namespace wavetrope::can {

/// `warning` is error-active with a counter at 96 or more (ISO 11898-1:2015, 12.1.4.3).
enum class ErrorState : std::uint8_t { active, warning, passive, busOff };

/// Whether a node in this state sends active error flags.
[[nodiscard]] constexpr bool flagsActively(ErrorState state) { return state == ErrorState::active || state == ErrorState::warning; }

/// Transmit and receive error counters (ISO 11898-1:2015, 12.1.4; the letters of the rules stand in the text there).
class ErrorCounters {
public:
    [[nodiscard]] unsigned transmit() const { return transmit_; }
    [[nodiscard]] unsigned receive() const { return receive_; }
    [[nodiscard]] ErrorState state() const;

    void receiverDetectedError() { raiseReceive(1); }               ///< Rule a.
    void receiverSawDominantAfterFlag() { raiseReceive(8); }        ///< Rule b.
    void transmitterSentErrorFlag() { transmit_ += 8; }             ///< Rule c; its exceptions are the caller's.
    void transmitted();                                             ///< Rule g: a frame went out whole.
    void received();                                                ///< Rule h: a frame came in whole.
    void recover();                                                 ///< After 128 times 11 recessive bits.
    /// Rule d, or rule e of a receiver: a bit of its own active error flag came back recessive.
    void bitErrorInFlag(bool transmits)
    {
        if (transmits)
            transmit_ += 8;
        else
            raiseReceive(8);
    }
    /// As somebody sets them who tests a controller; at 256 of the first it is bus off.
    void set(unsigned transmit, unsigned receive)
    {
        transmit_ = transmit;
        receive_ = receive < 255 ? receive : 255;
    }

private:
    void raiseReceive(unsigned by);

    unsigned transmit_ = 0;
    unsigned receive_ = 0;
};

/// "active", "warning", "passive" or "bus off".
[[nodiscard]] const char* toText(ErrorState state);

}  // namespace wavetrope::can
