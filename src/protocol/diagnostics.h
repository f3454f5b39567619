// SPDX-License-Identifier: GPL-3.0-or-later
// Diagnostics over given identifiers: requests and answers of up to 2^28 bytes (ISO 15765-2:2016; services of ISO 14229-1:2020).
#pragma once

#include <map>

#include "protocol/open_transfers.h"
#include "protocol/spoken.h"

namespace wavetrope::protocol {

/// Data frames, classic or FD, of the pairs' identifiers, in normal addressing. Limits: N_Bs and N_Cr of ISO 15765-2, table 16.
class Diagnostics final : public Layer {
public:
    Diagnostics(TransferListener& listener, const std::vector<DiagnosticPair>& pairs);

    [[nodiscard]] Taken take(const can::FrameView& frame, std::uint64_t number) override;
    [[nodiscard]] Time nextLimit() const override { return open_.nextLimit(); }
    void passed(Time now) override;
    void finish() override;

private:
    struct Role {
        can::Identifier other;
        bool request = false;  // it carries requests
    };
    struct Open {
        Transfer transfer{};
        std::uint64_t size = 0;
        unsigned next = 1;          // number of the frame to come
        unsigned block = 0, left = 0;   // frames until the receiver is to be heard again; 0: it asked for all
        bool awaitsControl = true;
    };
    bool first(const can::FrameView& frame, std::uint64_t number, const Role& role);
    bool consecutive(const can::FrameView& frame, std::uint64_t number);
    bool control(const can::FrameView& frame, std::uint64_t number, const Role& role);

    std::map<std::uint32_t, Role> roles_;  // by key of the identifier
    OpenTransfers<Open> open_;  // by that which it is sent with
};

}  // namespace wavetrope::protocol
