// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/kernel_interfaces.h"

#include <linux/can/netlink.h>
#include <linux/if.h>
#include <linux/if_arp.h>
#include <linux/rtnetlink.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

namespace wavetrope::bus {

namespace {

template <class Visit>
void eachAttribute(const rtattr* attribute, int length, Visit visit)
{
    for (; RTA_OK(attribute, length); attribute = RTA_NEXT(attribute, length))
        visit(attribute->rta_type & ~NLA_F_NESTED, RTA_DATA(attribute), static_cast<int>(RTA_PAYLOAD(attribute)));
}

template <class T>
T readAs(const void* data, int length)
{
    T value{};
    std::memcpy(&value, data, std::min(sizeof value, static_cast<std::size_t>(length)));
    return value;
}

std::string textOf(const void* data, int length)
{
    const char* text = static_cast<const char*>(data);
    return {text, strnlen(text, static_cast<std::size_t>(length))};
}

const char* controllerState(std::uint32_t state)
{
    switch (state) {
    case CAN_STATE_ERROR_ACTIVE: return "up";
    case CAN_STATE_ERROR_WARNING: return "error warning";
    case CAN_STATE_ERROR_PASSIVE: return "error-passive";
    case CAN_STATE_BUS_OFF: return "bus off";
    default: return "stopped";
    }
}

void readCanData(const void* data, int length, KernelInterface& out)
{
    eachAttribute(static_cast<const rtattr*>(data), length, [&](int type, const void* value, int size) {
        if (type == IFLA_CAN_BITTIMING)
            out.rate.nominal = readAs<can_bittiming>(value, size).bitrate;
        else if (type == IFLA_CAN_DATA_BITTIMING)
            out.rate.data = readAs<can_bittiming>(value, size).bitrate;
        else if (type == IFLA_CAN_STATE && out.up)
            out.state = controllerState(readAs<std::uint32_t>(value, size));
    });
}

KernelInterface readLink(const nlmsghdr* message)
{
    const auto* info = static_cast<const ifinfomsg*>(NLMSG_DATA(message));
    KernelInterface out;
    out.index = info->ifi_index;
    out.up = (info->ifi_flags & IFF_UP) != 0;
    out.state = out.up ? "up" : "down";
    out.kind = "can";
    eachAttribute(IFLA_RTA(info), static_cast<int>(IFLA_PAYLOAD(message)), [&](int type, const void* value, int size) {
        if (type == IFLA_IFNAME)
            out.name = textOf(value, size);
        else if (type == IFLA_MTU)
            out.mtu = readAs<std::uint32_t>(value, size);
        else if (type == IFLA_LINKINFO)
            eachAttribute(static_cast<const rtattr*>(value), size, [&](int inner, const void* data, int length) {
                if (inner == IFLA_INFO_KIND)
                    out.kind = textOf(data, length);
                else if (inner == IFLA_INFO_DATA && out.kind == "can")
                    readCanData(data, length, out);
            });
    });
    return out;
}

}  // namespace

Expected<std::vector<KernelInterface>> kernelInterfaces()
{
    const int socket = ::socket(AF_NETLINK, SOCK_RAW | SOCK_CLOEXEC, NETLINK_ROUTE);
    if (socket < 0)
        return fail(std::string("the kernel's interfaces cannot be listed: ") + std::strerror(errno), "route socket");
    struct {
        nlmsghdr header;
        ifinfomsg info;
    } request{};
    request.header.nlmsg_len = sizeof request;
    request.header.nlmsg_type = RTM_GETLINK;
    request.header.nlmsg_flags = NLM_F_REQUEST | NLM_F_DUMP;
    std::vector<KernelInterface> out;
    bool done = ::send(socket, &request, sizeof request, 0) < 0;
    std::vector<char> buffer(64 * 1024);
    while (!done) {
        const ssize_t got = ::recv(socket, buffer.data(), buffer.size(), 0);
        if (got <= 0)
            break;
        int left = static_cast<int>(got);
        // As NLMSG_OK has it, which compares a signed number with an unsigned one.
        const auto whole = [&](const nlmsghdr* message) {
            return left >= static_cast<int>(sizeof *message) && message->nlmsg_len >= sizeof *message
                   && message->nlmsg_len <= static_cast<unsigned>(left);
        };
        for (auto* message = reinterpret_cast<const nlmsghdr*>(buffer.data()); whole(message); message = NLMSG_NEXT(message, left)) {
            if (message->nlmsg_type == NLMSG_DONE || message->nlmsg_type == NLMSG_ERROR) {
                done = true;
                break;
            }
            if (message->nlmsg_type == RTM_NEWLINK && static_cast<const ifinfomsg*>(NLMSG_DATA(message))->ifi_type == ARPHRD_CAN)
                out.push_back(readLink(message));
        }
    }
    ::close(socket);
    std::sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
    return out;
}

}  // namespace wavetrope::bus
