// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/diagnostic_services.h"

#include <algorithm>
#include <cstdio>

namespace wavetrope::protocol {

namespace {

constexpr std::uint8_t sessionService = 0x10, troubleService = 0x19, presentService = 0x3E, downloadService = 0x34, uploadService = 0x35,
                       transferService = 0x36, exitService = 0x37, wantsNoAnswer = 0x80;
constexpr std::uint32_t mostUploaded = 1U << 24;
constexpr std::size_t longestRequest = 4095;

// One question behind the other.
class InTurn : public Talk {
public:
    void hear(const can::FrameView& frame) override
    {
        if (!answer()) {
            inner_->hear(frame);
            look(frame.time);
        }
    }
    void passed(Time now) override
    {
        if (!answer()) {
            inner_->passed(now);
            look(now);
        }
    }

protected:
    // What is asked next, or its end.
    virtual void next(const Answer& answer, Time now) = 0;
    void ask(std::unique_ptr<Talk> talk, Time now)
    {
        former_ = std::move(inner_);    // it may be the one that called
        inner_ = std::move(talk);
        inner_->begin(now);
        look(now);
    }

private:
    void look(Time now)
    {
        pass(inner_->take());
        if (inner_->answer())
            next(*inner_->answer(), now);
        else
            due_ = inner_->due();
    }
    std::unique_ptr<Talk> inner_, former_;
};

class InSession final : public InTurn {
public:
    InSession(DiagnosticPair pair, std::uint8_t session, std::vector<std::uint8_t> request)
        : pair_(pair), session_(session), request_(std::move(request))
    {}
    void begin(Time now) override { ask(diagnosticRequest(pair_, {sessionService, session_}), now); }

private:
    void next(const Answer& answer, Time now) override
    {
        if (asked_)
            return end(answer);
        if (!answer.good)
            return fail("the session: " + answer.words);
        asked_ = true;
        ask(diagnosticRequest(pair_, request_), now);
    }
    DiagnosticPair pair_;
    std::uint8_t session_;
    std::vector<std::uint8_t> request_;
    bool asked_ = false;
};

// Down to the server, or up from it.
class Moved final : public InTurn {
public:
    Moved(DiagnosticPair pair, bool down, std::uint32_t address, std::uint32_t size, std::vector<std::uint8_t> bytes)
        : pair_(pair), down_(down), address_(address), size_(size), bytes_(std::move(bytes))
    {}
    void begin(Time now) override
    {
        if (size_ == 0 || size_ > mostUploaded)
            return fail("a transfer has 1 to 16,777,216 bytes");
        // 14.2.2: no compression, four bytes each of address and size.
        std::vector<std::uint8_t> request{down_ ? downloadService : uploadService, 0x00, 0x44};
        for (const std::uint32_t number : {address_, size_})
            for (int shift = 24; shift >= 0; shift -= 8)
                request.push_back(static_cast<std::uint8_t>(number >> shift));
        ask(diagnosticRequest(pair_, std::move(request)), now);
    }

private:
    void next(const Answer& answer, Time now) override
    {
        if (!answer.good)
            return fail((blocks_ == 0 ? std::string("the transfer is not begun: ")
                            : exits_  ? std::string("the transfer is not ended: ")
                                      : "block " + std::to_string(blocks_) + ": ")
                        + answer.words);
        if (exits_)
            return end({true, down_ ? std::vector<std::uint8_t>() : std::move(bytes_), {}});
        if (blocks_ == 0) {
            // 14.2.3: how many bytes tell the longest request, service and counter included.
            const std::size_t count = answer.data.size() > 1 ? answer.data[1] >> 4 : 0;
            if (count == 0 || count > 4 || answer.data.size() < 2 + count)
                return fail("the server does not say how long a block may be");
            std::size_t most = 0;
            for (std::size_t i = 0; i < count; ++i)
                most = most << 8 | answer.data[2 + i];
            if (most < 3)
                return fail("the server takes blocks of " + std::to_string(most) + " bytes, which hold nothing");
            room_ = std::min(most, longestRequest) - 2;
        } else if (answer.data.size() < 2 || answer.data[1] != static_cast<std::uint8_t>(blocks_)) {
            return fail("block " + std::to_string(blocks_) + ": the server answers another one");
        } else if (!down_) {
            if (answer.data.size() == 2 || answer.data.size() - 2 > size_ - bytes_.size())
                return fail("block " + std::to_string(blocks_) + ": " + std::to_string(answer.data.size() - 2) + " bytes, where "
                            + std::to_string(size_ - bytes_.size()) + " are left");
            bytes_.insert(bytes_.end(), answer.data.begin() + 2, answer.data.end());
        }
        if (down_ ? moved_ == bytes_.size() : bytes_.size() == size_) {
            exits_ = true;
            return ask(diagnosticRequest(pair_, {exitService}), now);
        }
        ++blocks_;
        std::vector<std::uint8_t> request{transferService, static_cast<std::uint8_t>(blocks_)};
        if (down_) {
            const std::size_t some = std::min(room_, bytes_.size() - moved_);
            request.insert(request.end(), bytes_.begin() + static_cast<std::ptrdiff_t>(moved_),
                bytes_.begin() + static_cast<std::ptrdiff_t>(moved_ + some));
            moved_ += some;
        }
        ask(diagnosticRequest(pair_, std::move(request)), now);
    }

    DiagnosticPair pair_;
    bool down_, exits_ = false;
    std::uint32_t address_, size_;
    std::vector<std::uint8_t> bytes_;
    std::size_t moved_ = 0, room_ = 0;
    std::uint64_t blocks_ = 0;
};

}  // namespace

std::string DiagnosticTrouble::text() const
{
    char out[16];
    std::snprintf(out, sizeof out, "%c%u%03X-%02X", "PCBU"[code >> 22 & 3U], code >> 20 & 3U, code >> 8 & 0xFFFU, code & 0xFFU);
    return out;
}

std::string DiagnosticTrouble::words() const
{
    static constexpr const char* bits[] = {"test failed", "test failed in this cycle", "pending", "confirmed",
        "not tested since it was cleared", "failed since it was cleared", "not tested in this cycle", "warning asked for"};
    std::string out;
    for (unsigned bit = 0; bit < 8; ++bit)
        if ((status >> bit & 1U) != 0)
            out += (out.empty() ? "" : ", ") + std::string(bits[bit]);
    return out.empty() ? "none of its bits" : out;
}

std::vector<std::uint8_t> troublesRequest(std::uint8_t statusMask) { return {troubleService, 0x02, statusMask}; }

std::vector<DiagnosticTrouble> diagnosticTroublesOf(can::Payload answer)
{
    std::vector<DiagnosticTrouble> all;
    for (std::size_t at = 3; at + 4 <= answer.size(); at += 4)
        all.push_back({static_cast<std::uint32_t>(answer[at]) << 16 | static_cast<std::uint32_t>(answer[at + 1]) << 8 | answer[at + 2],
            answer[at + 3]});
    return all;
}

std::unique_ptr<Talk> diagnosticInSession(DiagnosticPair pair, std::uint8_t session, std::vector<std::uint8_t> request)
{
    return std::make_unique<InSession>(pair, session, std::move(request));
}

can::Frame testerPresent(const DiagnosticPair& pair)
{
    can::Frame frame;
    frame.id = pair.request;
    frame.length = frame.dlc = 8;
    frame.data.fill(0xCC);
    auto at = frame.data.begin();
    if (pair.requestAddress)
        *at++ = *pair.requestAddress;
    *at++ = 2;
    *at++ = presentService;
    *at = wantsNoAnswer;
    return frame;
}

std::unique_ptr<Talk> sessionHeld(DiagnosticPair pair, Time every, Time lasts)
{
    return framesSent([pair](Time) { return testerPresent(pair); }, every, lasts);
}

std::unique_ptr<Talk> diagnosticDownload(DiagnosticPair pair, std::uint32_t address, std::vector<std::uint8_t> bytes)
{
    const auto size = static_cast<std::uint32_t>(std::min<std::size_t>(bytes.size(), UINT32_MAX));
    return std::make_unique<Moved>(pair, true, address, size, std::move(bytes));
}

std::unique_ptr<Talk> diagnosticUpload(DiagnosticPair pair, std::uint32_t address, std::uint32_t size)
{
    return std::make_unique<Moved>(pair, false, address, size, std::vector<std::uint8_t>());
}

}  // namespace wavetrope::protocol
