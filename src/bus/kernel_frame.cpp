// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/kernel_frame.h"

#include <linux/can/raw.h>

#include <algorithm>
#include <cstring>

namespace wavetrope::bus {

KernelFrame toKernel(const can::Frame& frame)
{
    KernelFrame out;
    out.frame.can_id = frame.id.value;
    if (frame.id.extended)
        out.frame.can_id |= CAN_EFF_FLAG;
    if (frame.kind == can::FrameKind::remote)
        out.frame.can_id |= CAN_RTR_FLAG;
    if (frame.kind == can::FrameKind::error)
        out.frame.can_id = (frame.id.value & CAN_ERR_MASK) | CAN_ERR_FLAG;
    out.frame.len = frame.length;
    std::memcpy(out.frame.data, frame.data.data(), frame.length);
    if (frame.kind == can::FrameKind::fd) {
        out.size = CANFD_MTU;
        out.frame.len = static_cast<std::uint8_t>(can::lengthOfDlc(frame.dlc));
        out.frame.flags = static_cast<std::uint8_t>((frame.brs ? CANFD_BRS : 0) | (frame.esi ? CANFD_ESI : 0));
    } else {
        auto& classic = reinterpret_cast<can_frame&>(out.frame);
        if (frame.kind == can::FrameKind::remote)
            classic.can_dlc = std::min<std::uint8_t>(frame.dlc, can::maxClassicLength);
        if (frame.dlc > can::maxClassicLength)
            classic.len8_dlc = frame.dlc;
    }
    return out;
}

std::optional<can::Frame> fromKernel(const canfd_frame& in, std::size_t size)
{
    if (size != CAN_MTU && size != CANFD_MTU)
        return std::nullopt;
    can::Frame frame;
    frame.length = std::min<std::uint8_t>(in.len, size == CAN_MTU ? can::maxClassicLength : can::maxLength);
    frame.dlc = can::dlcOfLength(frame.length);
    if ((in.can_id & CAN_ERR_FLAG) != 0) {
        frame.kind = can::FrameKind::error;
        frame.id = {in.can_id & CAN_ERR_MASK, false};
    } else {
        const bool extended = (in.can_id & CAN_EFF_FLAG) != 0;
        frame.id = {in.can_id & (extended ? CAN_EFF_MASK : CAN_SFF_MASK), extended};
        if (size == CANFD_MTU) {
            frame.kind = can::FrameKind::fd;
            frame.brs = (in.flags & CANFD_BRS) != 0;
            frame.esi = (in.flags & CANFD_ESI) != 0;
        } else if ((in.can_id & CAN_RTR_FLAG) != 0) {
            frame.kind = can::FrameKind::remote;
        }
    }
    if (size == CAN_MTU) {
        const auto& classic = reinterpret_cast<const can_frame&>(in);
        if (frame.length == can::maxClassicLength && classic.len8_dlc > can::maxClassicLength && classic.len8_dlc < 16)
            frame.dlc = classic.len8_dlc;
    }
    if (frame.kind == can::FrameKind::remote)
        frame.length = 0;
    std::memcpy(frame.data.data(), in.data, frame.length);
    return frame;
}

KernelFacts factsOf(msghdr& message)
{
    KernelFacts facts;
    const auto timeOf = [](const timespec& stamp) { return std::chrono::seconds(stamp.tv_sec) + Time(stamp.tv_nsec); };
    for (cmsghdr* c = CMSG_FIRSTHDR(&message); c != nullptr; c = CMSG_NXTHDR(&message, c)) {
        if (c->cmsg_level != SOL_SOCKET)
            continue;
        const std::size_t size = c->cmsg_len - CMSG_LEN(0);
        timespec stamps[3]{};   // linux/errqueue.h, scm_timestamping: by the kernel, no longer used, by the hardware
        if (c->cmsg_type == SO_TIMESTAMPNS && size >= sizeof stamps[0]) {
            std::memcpy(stamps, CMSG_DATA(c), sizeof stamps[0]);
            facts.kernel = timeOf(stamps[0]);
        } else if (c->cmsg_type == SO_TIMESTAMPING && size >= sizeof stamps) {
            std::memcpy(stamps, CMSG_DATA(c), sizeof stamps);
            if (stamps[2].tv_sec != 0 || stamps[2].tv_nsec != 0)
                facts.hardware = timeOf(stamps[2]);
        } else if (c->cmsg_type == SO_RXQ_OVFL && size >= sizeof(std::uint32_t)) {
            facts.dropped.emplace();
            std::memcpy(&*facts.dropped, CMSG_DATA(c), sizeof *facts.dropped);
        }
    }
    return facts;
}

Stamp stampOf(const KernelFacts& facts)
{
    if (!facts.kernel)
        return {facts.hardware.value_or(Time{0}), facts.hardware.has_value(), {}};
    if (!facts.hardware)
        return {*facts.kernel, false, {}};
    const Time apart = *facts.kernel - *facts.hardware;
    const bool together = apart <= mostApart && apart >= -mostApart;
    return {together ? *facts.hardware : *facts.kernel, together, apart};
}

}  // namespace wavetrope::bus
