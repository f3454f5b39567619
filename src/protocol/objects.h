// SPDX-License-Identifier: GPL-3.0-or-later
// Machines with object dictionaries: process data, network states, and service data in up to 2^28 bytes (CiA 301, 4.2; clause 7).
#pragma once

#include "protocol/open_transfers.h"

namespace wavetrope::protocol {

/// Classic data frames whose identifiers are of the predefined connection set (7.3.3). Each server has one channel for service data: expedited,
/// segmented, by block; both directions. What has no limit in the standard has five seconds.
class Objects final : public Layer {
public:
    explicit Objects(TransferListener& listener) : open_(listener) {}

    [[nodiscard]] Taken take(const can::FrameView& frame, std::uint64_t number) override;
    [[nodiscard]] Time nextLimit() const override { return open_.nextLimit(); }
    void passed(Time now) override;
    void finish() override;

private:
    /// What comes next, and from whom.
    enum class Expects : std::uint8_t {
        downloadAnswer,
        downloadSegment,
        segmentAnswer,
        uploadAnswer,
        segmentRequest,
        uploadSegment,
        blockDownloadAnswer,
        blockSegments,
        blockAnswer,
        blockEnd,
        blockEndAnswer,
        blockUploadAnswer,
        blockStart,
    };
    struct Open {
        Transfer transfer{};
        Expects expects = Expects::downloadAnswer;
        bool reads = false;
        bool expedited = false;
        bool sized = false;  // `size` was announced
        std::uint32_t size = 0;
        bool toggle = false;  // of the segment to come
        bool last = false;  // the segment that came last is
        bool wrong = false;  // a number or toggle was, and may be repeated
        bool crcHere = false, crcThere = false;  // client and server know of it
        bool crcRight = true;
        bool done = false;
        unsigned blockSize = 0, inBlock = 0;  // segments: of a block, and of this one that came in order
        std::size_t blockFrom = 0;  // bytes in front of the block
    };
    bool begin(const can::FrameView& frame, std::uint8_t node);
    bool client(Open& open, const can::FrameView& frame);
    bool server(Open& open, const can::FrameView& frame);
    bool segment(Open& open, const can::FrameView& frame, Expects next);
    bool blockSegment(Open& open, const can::FrameView& frame);
    bool blockAnswer(Open& open, const can::FrameView& frame);
    bool blockEnd(Open& open, const can::FrameView& frame);
    void append(Open& open, const std::uint8_t* data, std::size_t count);
    bool serve(const can::FrameView& frame, std::uint64_t number, std::uint8_t node, bool fromClient);

    OpenTransfers<Open> open_;  // by server
};

}  // namespace wavetrope::protocol
