// SPDX-License-Identifier: GPL-3.0-or-later
// Networks of commercial, agricultural and municipal vehicles: groups, and messages of up to 1,785 bytes (SAE J1939-21, 5.10; ISO 11783-3, 5.11).
#pragma once

#include "protocol/open_transfers.h"

namespace wavetrope::protocol {

/// Classic data frames of 29 bits. The broadcast announcement and the directed transport; limits of SAE J1939-21, 5.10.2.4.
class Vehicle final : public Layer {
public:
    explicit Vehicle(TransferListener& listener) : open_(listener) {}

    [[nodiscard]] Taken take(const can::FrameView& frame, std::uint64_t number) override;
    [[nodiscard]] Time nextLimit() const override { return open_.nextLimit(); }
    void passed(Time now) override;
    void finish() override;

private:
    struct Open {
        Transfer transfer{};
        std::uint16_t size = 0;
        unsigned packets = 0;
        unsigned came = 0;  // in order
        unsigned next = 1;  // number of the packet to come
        unsigned last = 0;  // that may come until it is asked for more; 0: none was asked for yet
        bool wrong = false;  // a number was, and it may be repeated
    };
    bool steer(const can::FrameView& frame, std::uint64_t number);
    bool carry(const can::FrameView& frame, std::uint64_t number);
    bool announce(const can::FrameView& frame, std::uint64_t number, std::uint64_t key);
    bool abort(const can::FrameView& frame, std::uint64_t number);

    OpenTransfers<Open> open_;  // by source and destination
};

}  // namespace wavetrope::protocol
