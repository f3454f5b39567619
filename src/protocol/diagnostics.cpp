// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/diagnostics.h"

namespace wavetrope::protocol {

using namespace std::chrono_literals;

namespace {

constexpr Time networkLimit = 1000ms;  // N_Bs and N_Cr, ISO 15765-2:2016, table 16
enum FrameType : unsigned { single, firstFrame, consecutiveFrame, flowControl };
enum FlowStatus : unsigned { continueToSend, wait, overflow };
constexpr std::uint8_t negative = 0x7F, answerBit = 0x40;

Kind kindOf(bool request, std::uint8_t service) { return request ? Kind::request : service == negative ? Kind::refused : Kind::answer; }

std::uint64_t keyOf(can::Identifier id, std::optional<std::uint8_t> address)
{
    return id.key() | (address ? std::uint64_t{*address} + 1 : 0) << 32;
}

}  // namespace

Diagnostics::Diagnostics(TransferListener& listener, const std::vector<DiagnosticPair>& pairs) : open_(listener)
{
    for (const DiagnosticPair& pair : pairs) {
        const std::uint64_t request = keyOf(pair.request, pair.requestAddress), answer = keyOf(pair.answer, pair.answerAddress);
        roles_[request] = {pair.answer, request, answer, pair.requestAddress ? 1U : 0U, true};
        roles_[answer] = {pair.request, answer, request, pair.answerAddress ? 1U : 0U, false};
        if (pair.requestAddress)
            addressed_.insert(pair.request.key());
        if (pair.answerAddress)
            addressed_.insert(pair.answer.key());
    }
}

const Diagnostics::Role* Diagnostics::roleOf(const can::FrameView& frame) const
{
    if (frame.length > 0 && !addressed_.empty() && addressed_.count(frame.id.key()) != 0)
        if (const auto found = roles_.find(keyOf(frame.id, frame.data[0])); found != roles_.end())
            return &found->second;
    const auto found = roles_.find(keyOf(frame.id, std::nullopt));
    return found == roles_.end() ? nullptr : &found->second;
}

Taken Diagnostics::take(const can::FrameView& whole, std::uint64_t number)
{
    if (whole.kind != can::FrameKind::data && whole.kind != can::FrameKind::fd)
        return {};
    const Role* role = roleOf(whole);
    if (role == nullptr)
        return {};
    Taken taken{Taken::As::alone, {Protocol::diagnostics, Kind::transport, Party::identifier(whole.id), Party::identifier(role->other)}};
    // Behind the address it is as without one, but for a byte less of room.
    can::FrameView frame = whole;
    frame.data += role->address;
    frame.length = static_cast<std::uint8_t>(frame.length - role->address);
    const unsigned most = 8 - role->address;
    if (frame.length == 0)
        return taken;
    bool piece = false;
    switch (frame.data[0] >> 4) {
    case single: {
        // 9.6.2: the length stands in the first byte; of longer frames in the second, where the first has none.
        const unsigned low = frame.data[0] & 15U;
        const unsigned head = low == 0 && frame.length > most ? 2 : 1;
        const unsigned length = head == 2 ? frame.data[1] : low;
        if (length == 0 || head + length > frame.length || (head == 1 && frame.length > most) || (head == 2 && length < most))
            return taken;
        if (open_.find(role->key) != nullptr)
            open_.end(role->key, Ended::unfinished);
        taken.head.kind = kindOf(role->request, frame.data[head]);
        taken.from = static_cast<std::uint8_t>(head + role->address);
        taken.length = static_cast<std::uint8_t>(length);
        return taken;
    }
    case firstFrame: piece = first(frame, number, *role); break;
    case consecutiveFrame: piece = consecutive(frame, number, *role); break;
    case flowControl: piece = control(frame, number, *role); break;
    default: break;
    }
    if (piece)
        taken.as = Taken::As::piece;
    return taken;
}

bool Diagnostics::first(const can::FrameView& frame, std::uint64_t number, const Role& role)
{
    const unsigned most = 8 - role.address;
    if (frame.length < most)
        return false;
    std::uint64_t size = static_cast<std::uint64_t>(frame.data[0] & 15U) << 8 | frame.data[1];
    unsigned head = 2;
    if (size == 0) {  // 9.6.3: above 4,095 it stands in four bytes
        for (head = 2; head < 6; ++head)
            size = size << 8 | frame.data[head];
        if (size <= 4095)
            return false;
    }
    if (size < most || size > mostBytes)
        return false;
    open_.end(role.key, Ended::unfinished);
    Open* open = open_.begin(role.key);
    if (open == nullptr)
        return false;
    open->size = size;
    Transfer& transfer = open->transfer;
    const std::uint8_t service = frame.data[head];
    transfer.id = frame.id;
    transfer.head = {Protocol::diagnostics, kindOf(role.request, service), Party::identifier(frame.id), Party::identifier(role.other)};
    transfer.what = role.request               ? service
                    : service != negative      ? service & static_cast<std::uint8_t>(~answerBit)
                    : head + 1U < frame.length ? frame.data[head + 1]
                                               : 0;
    open_.append(*open, frame.data + head, std::min<std::uint64_t>(frame.length - head, size));
    open_.add(role.key, frame, number, networkLimit);
    return true;
}

bool Diagnostics::consecutive(const can::FrameView& frame, std::uint64_t number, const Role& role)
{
    const std::uint64_t key = role.key;
    Open* open = open_.find(key);
    if (open == nullptr || open->awaitsControl)
        return false;
    open_.add(key, frame, number, networkLimit);
    if ((frame.data[0] & 15U) != open->next) {
        open_.end(key, Ended::sequence);
        return true;
    }
    open->next = (open->next + 1) & 15U;
    open_.append(*open, frame.data + 1, std::min<std::uint64_t>(frame.length - 1U, open->size - open->transfer.bytes));
    Transfer& transfer = open->transfer;
    if (!role.request && transfer.data.front() == negative && transfer.data.size() > 1)
        transfer.what = transfer.data[1];
    if (transfer.bytes == open->size)
        open_.end(key, Ended::whole);
    else if (open_.tooMuch(*open))
        open_.end(key, Ended::unfinished);
    else if (open->block > 0 && --open->left == 0)
        open->awaitsControl = true;
    return true;
}

bool Diagnostics::control(const can::FrameView& frame, std::uint64_t number, const Role& role)
{
    const std::uint64_t key = role.otherKey;
    Open* open = open_.find(key);
    if (open == nullptr || !open->awaitsControl || frame.length < 3)
        return false;
    switch (frame.data[0] & 15U) {
    case continueToSend:
        open->block = open->left = frame.data[1];
        open->awaitsControl = false;
        open_.add(key, frame, number, networkLimit);
        return true;
    case wait: open_.add(key, frame, number, networkLimit); return true;
    case overflow:
        open_.add(key, frame, number, networkLimit);
        open_.end(key, Ended::aborted);
        return true;
    default: return false;
    }
}

void Diagnostics::passed(Time now)
{
    open_.passed(now, [](const Open&) { return Ended::timeout; });
}

void Diagnostics::finish()
{
    open_.finish([](const Open&) { return Ended::unfinished; });
}

}  // namespace wavetrope::protocol
