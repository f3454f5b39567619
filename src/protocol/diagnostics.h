// SPDX-License-Identifier: GPL-3.0-or-later
// Diagnostics over given identifiers: requests and answers of up to 2^28 bytes (ISO 15765-2:2016; services of ISO 14229-1:2020).
#pragma once

#include <set>
#include <unordered_map>

#include "protocol/open_transfers.h"
#include "protocol/spoken.h"

namespace wavetrope::protocol {

/// Data frames, classic or FD, of the pairs' identifiers, in normal addressing, fixed or not, or with a byte of address in front: extended and mixed. Limits: N_Bs and N_Cr of ISO 15765-2, table 16.
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
        std::uint64_t key = 0, otherKey = 0;  // of identifier and address
        unsigned address = 0;  // bytes of it in front
        bool request = false;  // it carries requests
    };
    struct Open {
        Transfer transfer{};
        std::uint64_t size = 0;
        unsigned next = 1;  // number of the frame to come
        unsigned block = 0, left = 0;  // frames until the receiver is to be heard again; 0: it asked for all
        bool awaitsControl = true;
    };
    bool first(const can::FrameView& frame, std::uint64_t number, const Role& role);
    bool consecutive(const can::FrameView& frame, std::uint64_t number, const Role& role);
    [[nodiscard]] const Role* roleOf(const can::FrameView& frame) const;
    bool control(const can::FrameView& frame, std::uint64_t number, const Role& role);

    std::unordered_map<std::uint64_t, Role> roles_;  // by identifier and address
    std::set<std::uint32_t> addressed_;  // identifiers that have addresses
    OpenTransfers<Open> open_;  // by that which it is sent with
};

}  // namespace wavetrope::protocol
