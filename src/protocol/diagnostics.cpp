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

}  // namespace

Diagnostics::Diagnostics(TransferListener& listener, const std::vector<DiagnosticPair>& pairs) : open_(listener)
{
    for (const DiagnosticPair& pair : pairs) {
        roles_[pair.request.key()] = {pair.answer, true};
        roles_[pair.answer.key()] = {pair.request, false};
    }
}

Taken Diagnostics::take(const can::FrameView& frame, std::uint64_t number)
{
    if (frame.kind != can::FrameKind::data && frame.kind != can::FrameKind::fd)
        return {};
    const auto found = roles_.find(frame.id.key());
    if (found == roles_.end())
        return {};
    const Role& role = found->second;
    Taken taken{Taken::As::alone, {Protocol::diagnostics, Kind::transport, Party::identifier(frame.id), Party::identifier(role.other)}};
    if (frame.length == 0)
        return taken;
    bool piece = false;
    switch (frame.data[0] >> 4) {
    case single: {
        // 9.6.2: the length stands in the first byte; of longer frames in the second, where the first has none.
        const unsigned low = frame.data[0] & 15U;
        const unsigned head = low == 0 && frame.length > 8 ? 2 : 1;
        const unsigned length = head == 2 ? frame.data[1] : low;
        if (length == 0 || head + length > frame.length || (head == 1 && frame.length > 8) || (head == 2 && length < 8))
            return taken;
        if (open_.find(frame.id.key()) != nullptr)
            open_.end(frame.id.key(), Ended::unfinished);
        taken.head.kind = kindOf(role.request, frame.data[head]);
        taken.from = static_cast<std::uint8_t>(head);
        taken.length = static_cast<std::uint8_t>(length);
        return taken;
    }
    case firstFrame: piece = first(frame, number, role); break;
    case consecutiveFrame: piece = consecutive(frame, number); break;
    case flowControl: piece = control(frame, number, role); break;
    default: break;
    }
    if (piece)
        taken.as = Taken::As::piece;
    return taken;
}

bool Diagnostics::first(const can::FrameView& frame, std::uint64_t number, const Role& role)
{
    if (frame.length < 8)
        return false;
    std::uint64_t size = static_cast<std::uint64_t>(frame.data[0] & 15U) << 8 | frame.data[1];
    unsigned head = 2;
    if (size == 0) {  // 9.6.3: above 4,095 it stands in four bytes
        for (head = 2; head < 6; ++head)
            size = size << 8 | frame.data[head];
        if (size <= 4095)
            return false;
    }
    if (size < 8 || size > mostBytes)
        return false;
    const std::uint64_t key = frame.id.key();
    open_.end(key, Ended::unfinished);
    Open* open = open_.begin(key);
    if (open == nullptr)
        return false;
    open->size = size;
    Transfer& transfer = open->transfer;
    const std::uint8_t service = frame.data[head];
    transfer.id = frame.id;
    transfer.head = {Protocol::diagnostics, kindOf(role.request, service), Party::identifier(frame.id), Party::identifier(role.other)};
    transfer.what = role.request ? service : service == negative ? frame.data[head + 1] : service & static_cast<std::uint8_t>(~answerBit);
    open_.append(*open, frame.data + head, std::min<std::uint64_t>(frame.length - head, size));
    open_.add(key, frame, number, networkLimit);
    return true;
}

bool Diagnostics::consecutive(const can::FrameView& frame, std::uint64_t number)
{
    const std::uint64_t key = frame.id.key();
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
    if (open->transfer.bytes == open->size)
        open_.end(key, Ended::whole);
    else if (open_.tooMuch(*open))
        open_.end(key, Ended::unfinished);
    else if (open->block > 0 && --open->left == 0)
        open->awaitsControl = true;
    return true;
}

bool Diagnostics::control(const can::FrameView& frame, std::uint64_t number, const Role& role)
{
    const std::uint64_t key = role.other.key();
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
