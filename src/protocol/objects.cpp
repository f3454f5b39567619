// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/objects.h"

#include "protocol/service_data.h"

#include <optional>

namespace wavetrope::protocol {

using namespace std::chrono_literals;

namespace {

constexpr Time serviceLimit = 5s;  // the standard has none
constexpr std::uint32_t protocolTimedOut = 0x05040000;  // CiA 301, table 22
constexpr unsigned segmentBytes = 7;

struct Place {
    Kind kind;
    bool toNode;  // else from it
};
// Of the predefined connection set, by the upper four bits of the identifier (CiA 301, 7.3.3, tables 40 and 41).
std::optional<Place> placeOf(std::uint32_t function)
{
    switch (function) {
    case 0x1: return Place{Kind::emergency, false};
    case 0x3:
    case 0x5:
    case 0x7:
    case 0x9: return Place{Kind::process, false};
    case 0x4:
    case 0x6:
    case 0x8:
    case 0xA: return Place{Kind::process, true};
    case 0xB: return Place{Kind::transport, false};
    case 0xC: return Place{Kind::transport, true};
    case 0xE: return Place{Kind::heartbeat, false};
    default: return {};
    }
}

// Index and sub-index.
std::uint32_t objectIn(const can::FrameView& frame)
{
    return static_cast<std::uint32_t>(frame.data[2]) << 16 | static_cast<std::uint32_t>(frame.data[1]) << 8 | frame.data[3];
}

std::uint8_t commandOf(const can::FrameView& frame) { return frame.data[0] >> 5; }

}  // namespace

Taken Objects::take(const can::FrameView& frame, std::uint64_t number)
{
    if (frame.kind != can::FrameKind::data || frame.id.extended)
        return {};
    const auto alone = [](Kind kind, Party source = {}, Party destination = {}) {
        return Taken{Taken::As::alone, {Protocol::objects, kind, source, destination}};
    };
    switch (frame.id.value) {
    case 0x000: return alone(Kind::state, {}, frame.length > 1 ? Party::node(frame.data[1]) : Party{});
    case 0x080: return alone(Kind::sync);
    case 0x100: return alone(Kind::time);
    default: break;
    }
    const auto node = static_cast<std::uint8_t>(frame.id.value & 0x7FU);
    const auto place = placeOf(frame.id.value >> 7);
    if (!place || node == 0)
        return {};
    Taken taken = place->toNode ? alone(place->kind, {}, Party::node(node)) : alone(place->kind, Party::node(node));
    if (place->kind == Kind::transport && frame.length == 8 && serve(frame, number, node, place->toNode))
        taken.as = Taken::As::piece;
    return taken;
}

bool Objects::serve(const can::FrameView& frame, std::uint64_t number, std::uint8_t node, bool fromClient)
{
    Open* open = open_.find(node);
    const bool inBlock = open != nullptr && open->expects == Expects::blockSegments && fromClient != open->reads;
    if (frame.data[0] == 0x80) {  // abort
        if (open == nullptr || open->transfer.what != objectIn(frame))
            return false;
        open_.add(node, frame, number, serviceLimit);
        open_.end(node, long32(frame.data + 4) == protocolTimedOut ? Ended::timeout : Ended::aborted);
        return true;
    }
    if (fromClient && !inBlock && begin(frame, node)) {
        open_.add(node, frame, number, serviceLimit);
        return true;
    }
    open = open_.find(node);
    if (open == nullptr)
        return false;
    if (!(fromClient ? client(*open, frame) : server(*open, frame)))
        return false;
    open_.add(node, frame, number, serviceLimit);
    if (open_.tooMuch(*open))
        open_.end(node, Ended::unfinished);
    else if (open->done)
        open_.end(node, open->crcRight ? Ended::whole : Ended::checksum);
    return true;
}

// A client initiates (7.2.4.3.3, .5, .9, .12).
bool Objects::begin(const can::FrameView& frame, std::uint8_t node)
{
    const std::uint8_t first = frame.data[0];
    const unsigned command = commandOf(frame);
    const bool download = command == 1, upload = command == 2, blockUpload = command == 5 && (first & 3U) == 0,
               blockDownload = command == 6 && (first & 1U) == 0;
    if (!download && !upload && !blockUpload && !blockDownload)
        return false;
    if (const Open* before = open_.find(node); before != nullptr)
        open_.end(node, before->wrong ? Ended::sequence : Ended::unfinished);
    Open* open = open_.begin(node);
    if (open == nullptr)
        return false;
    open->reads = upload || blockUpload;
    Transfer& transfer = open->transfer;
    transfer.head = {Protocol::objects, open->reads ? Kind::serviceRead : Kind::serviceWrite, {}, Party::node(node)};
    transfer.id = frame.id;
    transfer.what = objectIn(frame);
    open->expects = download      ? Expects::downloadAnswer
                    : upload      ? Expects::uploadAnswer
                    : blockUpload ? Expects::blockUploadAnswer
                                  : Expects::blockDownloadAnswer;
    if (download && (first & 2U) != 0) {
        open->expedited = true;
        append(*open, frame.data + 4, (first & 1U) != 0 ? 4U - (first >> 2 & 3U) : 4U);
    } else if ((download && (first & 1U) != 0) || (blockDownload && (first & 2U) != 0)) {
        open->sized = true;
        open->size = long32(frame.data + 4);
    }
    if (blockUpload || blockDownload)
        open->crcHere = (first & 4U) != 0;
    if (blockUpload)
        open->blockSize = frame.data[4];
    return true;
}

void Objects::append(Open& open, const std::uint8_t* data, std::size_t count)
{
    if (open.sized)
        count = std::min<std::size_t>(count, open.size - std::min<std::size_t>(open.size, open.transfer.data.size()));
    open_.append(open, data, count);
}

// A segment of either direction (7.2.4.3.4, .6).
bool Objects::segment(Open& open, const can::FrameView& frame, Expects next)
{
    const std::uint8_t first = frame.data[0];
    if (((first & 0x10U) != 0) != open.toggle) {
        open.wrong = true;
        return true;
    }
    open.wrong = false;
    append(open, frame.data + 1, segmentBytes - (first >> 1 & 7U));
    open.last = (first & 1U) != 0;
    open.expects = next;
    return true;
}

bool Objects::client(Open& open, const can::FrameView& frame)
{
    const std::uint8_t first = frame.data[0];
    const unsigned command = commandOf(frame);
    switch (open.expects) {
    case Expects::downloadSegment: return command == 0 && segment(open, frame, Expects::segmentAnswer);
    case Expects::segmentRequest:
        if (command != 3)
            return false;
        open.wrong = ((first & 0x10U) != 0) != open.toggle;
        if (!open.wrong)
            open.expects = Expects::uploadSegment;
        return true;
    case Expects::blockSegments: return !open.reads && blockSegment(open, frame);
    case Expects::blockStart:
        if (first != 0xA3)
            return false;
        open.expects = Expects::blockSegments;
        return true;
    case Expects::blockAnswer: return open.reads && blockAnswer(open, frame);
    case Expects::blockEnd: return !open.reads && blockEnd(open, frame);
    case Expects::blockEndAnswer:
        if (!open.reads || first != 0xA1)
            return false;
        open.done = true;
        return true;
    default: return false;
    }
}

bool Objects::server(Open& open, const can::FrameView& frame)
{
    const std::uint8_t first = frame.data[0];
    const unsigned command = commandOf(frame);
    const bool same = open.transfer.what == objectIn(frame);
    switch (open.expects) {
    case Expects::downloadAnswer:
        if (command != 3 || !same)
            return false;
        open.done = open.expedited;
        open.expects = Expects::downloadSegment;
        return true;
    case Expects::segmentAnswer:
        if (command != 1)
            return false;
        open.wrong = ((first & 0x10U) != 0) != open.toggle;
        if (open.wrong)
            return true;
        open.toggle = !open.toggle;
        open.done = open.last;
        open.expects = Expects::downloadSegment;
        return true;
    case Expects::blockUploadAnswer:
        if (command == 6 && (first & 1U) == 0 && same) {
            open.crcThere = (first & 4U) != 0;
            open.sized = (first & 2U) != 0;
            open.size = long32(frame.data + 4);
            open.expects = Expects::blockStart;
            return true;
        }
        [[fallthrough]];  // it may answer as to a plain upload (7.2.4.3.12)
    case Expects::uploadAnswer:
        if (command != 2 || !same)
            return false;
        if ((first & 2U) != 0) {
            append(open, frame.data + 4, (first & 1U) != 0 ? 4U - (first >> 2 & 3U) : 4U);
            open.done = true;
        } else if ((first & 1U) != 0) {
            open.sized = true;
            open.size = long32(frame.data + 4);
        }
        open.expects = Expects::segmentRequest;
        return true;
    case Expects::uploadSegment:
        if (command != 0 || !segment(open, frame, Expects::segmentRequest))
            return false;
        if (!open.wrong) {
            open.toggle = !open.toggle;
            open.done = open.last;
        }
        return true;
    case Expects::blockDownloadAnswer:
        if (command != 5 || (first & 3U) != 0 || !same)
            return false;
        open.crcThere = (first & 4U) != 0;
        open.blockSize = frame.data[4];
        open.expects = Expects::blockSegments;
        return true;
    case Expects::blockSegments: return open.reads && blockSegment(open, frame);
    case Expects::blockAnswer: return !open.reads && blockAnswer(open, frame);
    case Expects::blockEnd: return open.reads && blockEnd(open, frame);
    case Expects::blockEndAnswer:
        if (open.reads || first != 0xA1)
            return false;
        open.done = true;
        return true;
    default: return false;
    }
}

// 7.2.4.3.10, .14: what follows a wrong number is sent anew behind the answer.
bool Objects::blockSegment(Open& open, const can::FrameView& frame)
{
    const unsigned at = frame.data[0] & 0x7FU;
    const bool last = (frame.data[0] & 0x80U) != 0;
    if (at == 0)
        return false;
    if (at == open.inBlock + 1 && !open.wrong) {
        ++open.inBlock;
        append(open, frame.data + 1, segmentBytes);
        open.last = last;
    } else {
        open.wrong = true;
        open.last = false;
    }
    if (last || at >= open.blockSize)
        open.expects = Expects::blockAnswer;
    return true;
}

bool Objects::blockAnswer(Open& open, const can::FrameView& frame)
{
    if (frame.data[0] != 0xA2)
        return false;
    const unsigned confirmed = frame.data[1];
    if (confirmed > open.inBlock)
        open.wrong = true;
    else {
        open.last = open.last && confirmed == open.inBlock;
        open.transfer.data.resize(std::min(open.transfer.data.size(), open.blockFrom + std::size_t{confirmed} * segmentBytes));
        open.wrong = false;
    }
    open.blockFrom = open.transfer.data.size();
    open.inBlock = 0;
    open.blockSize = frame.data[2];
    open.expects = open.last ? Expects::blockEnd : Expects::blockSegments;
    return true;
}

// 7.2.4.3.11, .15.
bool Objects::blockEnd(Open& open, const can::FrameView& frame)
{
    if (commandOf(frame) != 6 || (frame.data[0] & 3U) != 1)
        return false;
    auto& data = open.transfer.data;
    const std::size_t unused = frame.data[0] >> 2 & 7U;
    if (!open.sized)
        data.resize(data.size() - std::min(unused, data.size()));
    open.transfer.bytes = data.size();
    if (open.crcHere && open.crcThere)
        open.crcRight = crc(data) == (frame.data[1] | frame.data[2] << 8);
    open.expects = Expects::blockEndAnswer;
    return true;
}

void Objects::passed(Time now)
{
    open_.passed(now, [](const Open& open) { return open.wrong ? Ended::sequence : Ended::timeout; });
}

void Objects::finish()
{
    open_.finish([](const Open& open) { return open.wrong ? Ended::sequence : Ended::unfinished; });
}

}  // namespace wavetrope::protocol
