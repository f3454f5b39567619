// SPDX-License-Identifier: GPL-3.0-or-later
// A tester who asks one server (ISO 15765-2:2016, 9; ISO 14229-1:2020, 7.5 and annex A).
#include <algorithm>

#include "protocol/network.h"
#include "protocol/talk.h"

namespace wavetrope::protocol {

using namespace std::chrono_literals;

namespace {

constexpr Time network = 1000ms;    // N_Bs, N_Cr
constexpr Time response = 1000ms;   // for the first frame of an answer; a server of ISO 14229-2 takes 50 ms
constexpr Time pending = 5000ms;    // P2*, where it says that it takes longer
constexpr unsigned mostPending = 60;
constexpr std::uint8_t padding = 0xCC;

class DiagnosticRequest final : public Talk {
public:
    DiagnosticRequest(DiagnosticPair pair, std::vector<std::uint8_t> request) : pair_(pair), request_(std::move(request)) {}

    void begin(Time now) override
    {
        if (request_.size() > 4095)
            return fail("a request has 4,095 bytes at the most");
        std::vector<std::uint8_t> bytes;
        if (request_.size() < roomOf(pair_.requestAddress)) {
            bytes.push_back(static_cast<std::uint8_t>(request_.size()));
            bytes.insert(bytes.end(), request_.begin(), request_.end());
            doing_ = Doing::waits;
            due_ = now + response;
        } else {
            bytes = {static_cast<std::uint8_t>(0x10 | request_.size() >> 8), static_cast<std::uint8_t>(request_.size())};
            sent_ = roomOf(pair_.requestAddress) - 2;
            bytes.insert(bytes.end(), request_.begin(), request_.begin() + static_cast<std::ptrdiff_t>(sent_));
            doing_ = Doing::awaitsControl;
            due_ = now + network;
        }
        put(std::move(bytes));
    }

    void hear(const can::FrameView& whole) override
    {
        can::FrameView frame = whole;
        if (pair_.answerAddress && frame.length > 0) {
            if (frame.data[0] != *pair_.answerAddress)
                return;
            ++frame.data;
            --frame.length;
        }
        if (answer() || frame.id != pair_.answer || frame.length == 0
            || (frame.kind != can::FrameKind::data && frame.kind != can::FrameKind::fd))
            return;
        switch (frame.data[0] >> 4) {
        case 0: return single(frame);
        case 1: return first(frame);
        case 2: return consecutive(frame);
        case 3: return control(frame);
        default: return;
        }
    }

    void passed(Time now) override
    {
        if (answer() || now < due_)
            return;
        if (doing_ == Doing::sends)
            return goOn(now);
        fail(doing_ == Doing::awaitsControl ? "the server does not take the request: no flow control within a second"
             : doing_ == Doing::receives    ? "the answer breaks off"
                                            : "no answer");
    }

private:
    enum class Doing { awaitsControl, sends, waits, receives };

    // Bytes of a frame behind the address.
    static std::size_t roomOf(std::optional<std::uint8_t> address) { return address ? 7 : 8; }
    void put(std::vector<std::uint8_t> bytes)
    {
        if (pair_.requestAddress)
            bytes.insert(bytes.begin(), *pair_.requestAddress);
        send(pair_.request, bytes, padding);
    }
    void single(const can::FrameView& frame)
    {
        if (doing_ != Doing::waits && doing_ != Doing::receives)
            return;
        const unsigned low = frame.data[0] & 15U, head = low == 0 && frame.length > roomOf(pair_.answerAddress) ? 2 : 1,
                       length = head == 2 ? frame.data[1] : low;
        if (length == 0 || head + length > frame.length)
            return;
        came_.assign(frame.data + head, frame.data + head + length);
        whole(frame.time);
    }
    void first(const can::FrameView& frame)
    {
        const std::size_t room = roomOf(pair_.answerAddress);
        if (frame.length < room || (doing_ != Doing::waits && doing_ != Doing::receives))
            return;
        size_ = (frame.data[0] & 15U) << 8 | frame.data[1];
        if (size_ < room)
            return;
        came_.assign(frame.data + 2, frame.data + std::min<std::size_t>(frame.length, size_ + 2));
        next_ = 1;
        doing_ = Doing::receives;
        due_ = frame.time + network;
        put({0x30, 0, 0});
    }
    void consecutive(const can::FrameView& frame)
    {
        if (doing_ != Doing::receives)
            return;
        if ((frame.data[0] & 15U) != next_)
            return fail("the answer breaks off: frames of it are missing");
        next_ = (next_ + 1) & 15U;
        due_ = frame.time + network;
        const std::size_t count = std::min<std::size_t>(frame.length - 1U, size_ - came_.size());
        came_.insert(came_.end(), frame.data + 1, frame.data + 1 + count);
        if (came_.size() == size_)
            whole(frame.time);
    }
    void control(const can::FrameView& frame)
    {
        if (doing_ != Doing::awaitsControl || frame.length < 3)
            return;
        switch (frame.data[0] & 15U) {
        case 0:
            left_ = frame.data[1] == 0 ? request_.size() : frame.data[1];
            // 9.6.5.4: up to 127 ms, or 100 to 900 us.
            apart_ = frame.data[2] <= 0x7F                            ? std::chrono::milliseconds(frame.data[2])
                     : frame.data[2] >= 0xF1 && frame.data[2] <= 0xF9 ? Time(std::chrono::microseconds(100 * (frame.data[2] - 0xF0)))
                                                                      : Time(127ms);
            doing_ = Doing::sends;
            return goOn(frame.time);
        case 1: due_ = frame.time + network; return;
        case 2: return fail("the server does not take a request of that length");
        default: return fail("the server answers something else");
        }
    }
    void goOn(Time now)
    {
        while (sent_ < request_.size() && left_ > 0) {
            std::vector<std::uint8_t> bytes{static_cast<std::uint8_t>(0x20 | (number_++ & 15U))};
            while (bytes.size() < roomOf(pair_.requestAddress) && sent_ < request_.size())
                bytes.push_back(request_[sent_++]);
            put(std::move(bytes));
            --left_;
            if (apart_.count() > 0)
                break;
        }
        if (sent_ == request_.size()) {
            doing_ = Doing::waits;
            due_ = now + response;
        } else if (left_ == 0) {
            doing_ = Doing::awaitsControl;
            due_ = now + network;
        } else {
            due_ = now + apart_;
        }
    }
    void whole(Time now)
    {
        if (came_.size() >= 3 && came_[0] == 0x7F && came_[1] == request_[0]) {
            if (came_[2] == 0x78 && ++waits_ <= mostPending) {
                doing_ = Doing::waits;
                due_ = now + pending;
                return;
            }
            return end({false, came_, "refused: " + refusalWords(came_[2])});
        }
        if (came_[0] == (request_[0] | 0x40U))
            return end({true, came_, {}});
        doing_ = Doing::waits;  // of another question
    }

    DiagnosticPair pair_;
    std::vector<std::uint8_t> request_, came_;
    Doing doing_ = Doing::waits;
    std::size_t sent_ = 0, size_ = 0, left_ = 0;
    Time apart_{};
    unsigned number_ = 1, next_ = 1, waits_ = 0;
};

}  // namespace

std::unique_ptr<Talk> diagnosticRequest(DiagnosticPair pair, std::vector<std::uint8_t> request)
{
    return std::make_unique<DiagnosticRequest>(pair, std::move(request));
}

}  // namespace wavetrope::protocol
