// SPDX-License-Identifier: GPL-3.0-or-later
// Asking somebody on a bus: objects of a dictionary, and diagnostic requests. A conversation hears the frames of its bus and says what to send; it knows
// neither bus nor clock.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "can/frame.h"
#include "protocol/spoken.h"

namespace wavetrope::protocol {

/// How a conversation ended.
struct Answer {
    bool good = false;
    std::vector<std::uint8_t> data{};  ///< What was asked for.
    std::string words{};  ///< Why there is none.
};

/// One question. Calls are in the order of time.
class Talk {
public:
    virtual ~Talk() = default;
    Talk() = default;
    Talk(const Talk&) = delete;
    Talk& operator=(const Talk&) = delete;

    virtual void begin(Time now) = 0;
    /// A frame of the bus, its own ones too.
    virtual void hear(const can::FrameView& frame) = 0;
    /// It is `due`.
    virtual void passed(Time now) = 0;
    /// When it wants to be called; `Time::max()`: not before a frame comes.
    [[nodiscard]] Time due() const { return due_; }
    /// What is to be sent now, in this order.
    [[nodiscard]] std::vector<can::Frame> take() { return std::exchange(frames_, {}); }
    [[nodiscard]] const std::optional<Answer>& answer() const { return answer_; }

protected:
    void send(can::Identifier id, std::initializer_list<std::uint8_t> bytes, std::uint8_t pad = 0);
    void send(can::Identifier id, const std::vector<std::uint8_t>& bytes, std::uint8_t pad = 0);
    /// Of as many bytes as there are.
    void sendShort(can::Identifier id, const std::vector<std::uint8_t>& bytes);
    /// What somebody else of this conversation says.
    void pass(std::vector<can::Frame> frames) { frames_.insert(frames_.end(), frames.begin(), frames.end()); }
    void end(Answer answer)
    {
        answer_ = std::move(answer);
        due_ = Time::max();
    }
    void fail(std::string words) { end({false, {}, std::move(words)}); }
    Time due_ = Time::max();

private:
    std::vector<can::Frame> frames_;
    std::optional<Answer> answer_;
};

/// An object of a dictionary: index and sub-index.
struct ObjectPlace {
    std::uint16_t index = 0;
    std::uint8_t sub = 0;
};
/// Reads `0x2001:03`: both hexadecimal. Without a sub-index it is 0.
[[nodiscard]] Expected<ObjectPlace> objectPlaceFromText(std::string_view text);
/// Reads bytes in hexadecimal digits, with or without blanks between them.
[[nodiscard]] Expected<std::vector<std::uint8_t>> bytesFromText(std::string_view text);
/// What an abort of service data says (CiA 301, table 22).
[[nodiscard]] std::string abortWords(std::uint32_t code);

/// Who speaks in a network of vehicles, and with whom.
struct VehiclePlace {
    std::uint8_t own = 0xF9;  ///< The address it speaks from, 0 to 253; that of a service tool.
    std::optional<std::uint8_t> other{};  ///< Nothing: everybody.
    std::uint8_t priority = 6;
};
/// An answer of a network of vehicles.
struct GroupAnswer {
    std::uint8_t source = 0;
    std::vector<std::uint8_t> data;
};
/// Asks for a group (SAE J1939-21, 5.4.2). Of one unit its first answer ends it, a refusal too; of everybody all are gathered that come within 1.25 s.
class GroupRequest : public Talk {
public:
    [[nodiscard]] virtual const std::vector<GroupAnswer>& answers() const = 0;
};
[[nodiscard]] std::unique_ptr<GroupRequest> groupRequest(VehiclePlace place, std::uint32_t group);
/// Sends a group of up to 1,785 bytes: in one frame, announced to everybody, or by the directed transport (SAE J1939-21, 5.10).
[[nodiscard]] std::unique_ptr<Talk> groupSend(VehiclePlace place, std::uint32_t group, std::vector<std::uint8_t> data);
/// Claims an address (SAE J1939-81, 4.4) and, where `then` makes something, goes on with it from the address that it got. A name that may choose takes the
/// next free one of 128 to 247 where the one that it wants is taken by a smaller name; else it cannot claim, says so, and fails. The answer's byte is the
/// address.
[[nodiscard]] std::unique_ptr<Talk> claimThen(
    std::uint64_t name, std::uint8_t address, std::function<std::unique_ptr<Talk>(std::uint8_t)> then);
/// What the network states of a machine are commanded with (CiA 301, 7.2.8.3.1).
enum class StateCommand : std::uint8_t { start = 1, stop = 2, preOperational = 128, reset = 129, resetCommunication = 130 };
/// Reads "start", "stop", "pre-operational", "reset", "reset communication".
[[nodiscard]] Expected<StateCommand> stateCommandFromText(std::string_view text);
/// Commands a node, or all of them (0). Nobody answers: it ends with its frame.
[[nodiscard]] std::unique_ptr<Talk> stateCommand(std::uint8_t node, StateCommand command);
/// Sends a frame once, or every so often for so long; `make` says which one. Nobody answers.
[[nodiscard]] std::unique_ptr<Talk> framesSent(std::function<can::Frame(Time now)> make, Time every = {}, Time lasts = {});
/// The frame of a sync (CiA 301, 7.2.5), with a counter of 1 to 240 where there is one.
[[nodiscard]] can::Frame syncFrame(std::optional<std::uint8_t> counter = {});
/// The frame that tells the time, of nanoseconds since 1970 (CiA 301, 7.2.6 and 7.1.6.6).
[[nodiscard]] can::Frame timeFrame(Time sinceEpoch);
/// Reads `0xFECA`: a group of 18 bits, whose last byte is 0 where it goes to an address.
[[nodiscard]] Expected<std::uint32_t> groupFromText(std::string_view text);

/// Reads an object of node 1 to 127: expedited or segmented, or by block with CRC (CiA 301, 7.2.4.3).
[[nodiscard]] std::unique_ptr<Talk> objectRead(std::uint8_t node, ObjectPlace place, bool block);
/// Writes it; up to four bytes go out expedited.
[[nodiscard]] std::unique_ptr<Talk> objectWrite(std::uint8_t node, ObjectPlace place, std::vector<std::uint8_t> data, bool block);
/// Sends a diagnostic request, and gives the bytes of its answer; a refusal is told in words (ISO 15765-2:2016; ISO 14229-1:2020, 7.5).
[[nodiscard]] std::unique_ptr<Talk> diagnosticRequest(DiagnosticPair pair, std::vector<std::uint8_t> request);

}  // namespace wavetrope::protocol
