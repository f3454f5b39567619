// SPDX-License-Identifier: GPL-3.0-or-later
// The server of a node's objects (CiA 301, 7.2.4.3).
#pragma once

#include <functional>
#include <map>
#include <vector>

#include "protocol/dictionary.h"
#include "protocol/process_data.h"

namespace wavetrope::protocol {

/// Answers reads and writes of a node that is simulated: expedited, in segments, by block with CRC. Values begin as the dictionary says, zeros where it says
/// nothing. It knows neither bus nor clock; a client that stays away for a second in the middle of a transfer is told so when it comes back.
class ObjectServer {
public:
    /// Bytes of one object that it takes: more are refused.
    static constexpr std::size_t mostBytes = 1U << 20U;

    ObjectServer(Dictionary dictionary, std::uint8_t node);

    void hear(const can::FrameView& frame);
    /// What is to be sent, in this order.
    [[nodiscard]] std::vector<can::Frame> take() { return std::exchange(frames_, {}); }

    [[nodiscard]] const Dictionary& dictionary() const { return dictionary_; }
    [[nodiscard]] std::uint8_t node() const { return node_; }
    [[nodiscard]] const WrittenObjects& values() const { return values_; }
    /// As if it had been written from within; false where the dictionary has no such object.
    bool set(ObjectPlace place, std::vector<std::uint8_t> value);
    /// Before each read: a value that is known elsewhere, in place of its own.
    std::function<std::optional<std::vector<std::uint8_t>>(ObjectPlace)> live;
    /// Behind each write from the bus.
    std::function<void(const ObjectEntry&, const std::vector<std::uint8_t>&)> written;
    [[nodiscard]] std::uint64_t reads() const { return reads_; }
    [[nodiscard]] std::uint64_t writes() const { return writes_; }

private:
    enum class Expects : std::uint8_t { nothing, uploadSegment, downloadSegment, blockStart, blockAnswer, blockSegment, blockEnd };
    void begin(const can::FrameView& frame);
    void goOn(const can::FrameView& frame);
    void startUpload(const can::FrameView& frame, bool block);
    void startDownload(const can::FrameView& frame, bool block);
    void uploadSegment(bool toggle);
    void sendBlock();
    void answer(std::uint8_t first, std::uint32_t rest = 0);
    void reply(std::vector<std::uint8_t> bytes);
    void abort(std::uint32_t code);
    /// 0, or why it may not be.
    [[nodiscard]] std::uint32_t store(std::vector<std::uint8_t> value);

    Dictionary dictionary_;
    std::uint8_t node_;
    WrittenObjects values_;
    std::vector<can::Frame> frames_;
    Expects expects_ = Expects::nothing;
    ObjectPlace place_{};
    std::vector<std::uint8_t> data_;
    std::size_t at_ = 0, blockFrom_ = 0;
    bool toggle_ = false, checked_ = false, last_ = false;
    unsigned blockSize_ = 0, inBlock_ = 0;
    std::uint64_t reads_ = 0, writes_ = 0;
};

}  // namespace wavetrope::protocol
