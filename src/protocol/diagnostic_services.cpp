// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/diagnostic_services.h"

#include <algorithm>
#include <cstdio>

#include "protocol/chain.h"

namespace wavetrope::protocol {

namespace {

constexpr std::uint8_t sessionService = 0x10, troubleService = 0x19, presentService = 0x3E, downloadService = 0x34, uploadService = 0x35,
                       transferService = 0x36, exitService = 0x37, wantsNoAnswer = 0x80;
constexpr std::size_t mostMoved = 1U << 24;
constexpr std::size_t longestRequest = 4095;

class InSession final : public Chain<Talk> {
public:
    InSession(DiagnosticPair pair, std::uint8_t session, std::vector<std::uint8_t> request)
        : pair_(pair), session_(session), request_(std::move(request))
    {}

private:
    std::unique_ptr<Talk> ask() override
    {
        switch (asked_++) {
        case 0: return diagnosticRequest(pair_, {sessionService, session_});
        case 1: return diagnosticRequest(pair_, request_);
        default: return nullptr;
        }
    }
    Expected<void> came(const Talk& talk, bool) override
    {
        answer_ = *talk.answer();
        if (asked_ == 1 && !answer_.good)
            return wavetrope::fail("the session: " + answer_.words);
        return {};
    }
    Answer whole() override { return answer_; }

    DiagnosticPair pair_;
    std::uint8_t session_;
    std::vector<std::uint8_t> request_;
    unsigned asked_ = 0;
    Answer answer_;
};

// Down to the server, or up from it.
class Moved final : public Chain<Talk> {
public:
    Moved(DiagnosticPair pair, bool down, std::uint32_t address, std::size_t size, std::vector<std::uint8_t> bytes)
        : pair_(pair), down_(down), address_(address), size_(size), bytes_(std::move(bytes))
    {}
    void begin(Time now) override
    {
        if (size_ == 0 || size_ > mostMoved)
            return fail("a transfer has 1 to 16,777,216 bytes");
        Chain<Talk>::begin(now);
    }

private:
    enum class Step { begins, moves, ends, over };

    std::unique_ptr<Talk> ask() override
    {
        switch (step_) {
        case Step::begins: {
            // 14.2.2: no compression, four bytes each of address and size.
            std::vector<std::uint8_t> request{down_ ? downloadService : uploadService, 0x00, 0x44};
            for (const std::uint32_t number : {address_, static_cast<std::uint32_t>(size_)})
                for (int shift = 24; shift >= 0; shift -= 8)
                    request.push_back(static_cast<std::uint8_t>(number >> shift));
            return diagnosticRequest(pair_, std::move(request));
        }
        case Step::moves: {
            std::vector<std::uint8_t> request{transferService, static_cast<std::uint8_t>(++blocks_)};
            if (down_) {
                const std::size_t some = std::min(room_, size_ - moved_);
                const auto from = bytes_.begin() + static_cast<std::ptrdiff_t>(moved_);
                request.insert(request.end(), from, from + static_cast<std::ptrdiff_t>(some));
                moved_ += some;
            }
            return diagnosticRequest(pair_, std::move(request));
        }
        case Step::ends: return diagnosticRequest(pair_, {exitService});
        case Step::over: break;
        }
        return nullptr;
    }
    Expected<void> came(const Talk& talk, bool) override
    {
        const Answer& answer = *talk.answer();
        const std::string block = "block " + std::to_string(blocks_) + ": ";
        if (!answer.good)
            return wavetrope::fail((step_ == Step::begins     ? std::string("the transfer is not begun: ")
                                       : step_ == Step::moves ? block
                                                              : std::string("the transfer is not ended: "))
                                   + answer.words);
        switch (step_) {
        case Step::begins: {
            // 14.2.3: how many bytes tell the longest request, service and counter included.
            const std::size_t count = answer.data.size() > 1 ? answer.data[1] >> 4 : 0;
            if (count == 0 || count > 4 || answer.data.size() < 2 + count)
                return wavetrope::fail("the server does not say how long a block may be");
            std::size_t most = 0;
            for (std::size_t i = 0; i < count; ++i)
                most = most << 8 | answer.data[2 + i];
            if (most < 3)
                return wavetrope::fail("the server takes blocks of " + std::to_string(most) + " bytes, which hold nothing");
            room_ = std::min(most, longestRequest) - 2;
            step_ = Step::moves;
            return {};
        }
        case Step::moves:
            if (answer.data.size() < 2 || answer.data[1] != static_cast<std::uint8_t>(blocks_))
                return wavetrope::fail(block + "the server answers another one");
            if (!down_) {
                const std::size_t some = answer.data.size() - 2, left = size_ - moved_;
                if (some == 0 || some > left)
                    return wavetrope::fail(block + std::to_string(some) + " bytes, where " + std::to_string(left) + " are left");
                bytes_.insert(bytes_.end(), answer.data.begin() + 2, answer.data.end());
                moved_ += some;
            }
            if (moved_ == size_)
                step_ = Step::ends;
            return {};
        default: step_ = Step::over; return {};
        }
    }
    Answer whole() override { return {true, down_ ? std::vector<std::uint8_t>() : std::move(bytes_), {}}; }

    DiagnosticPair pair_;
    bool down_;
    std::uint32_t address_;
    std::size_t size_;
    std::vector<std::uint8_t> bytes_;
    Step step_ = Step::begins;
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
    const std::size_t size = bytes.size();
    return std::make_unique<Moved>(pair, true, address, size, std::move(bytes));
}

std::unique_ptr<Talk> diagnosticUpload(DiagnosticPair pair, std::uint32_t address, std::uint32_t size)
{
    return std::make_unique<Moved>(pair, false, address, size, std::vector<std::uint8_t>());
}

}  // namespace wavetrope::protocol
