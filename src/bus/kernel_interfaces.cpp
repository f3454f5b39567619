// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/kernel_interfaces.h"

#include <linux/can.h>
#include <linux/can/netlink.h>
#include <linux/ethtool.h>
#include <linux/if.h>
#include <linux/if_arp.h>
#include <linux/net_tstamp.h>
#include <linux/rtnetlink.h>
#include <linux/sockios.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>

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
        switch (type) {
        case IFLA_CAN_BITTIMING: {
            const auto timing = readAs<can_bittiming>(value, size);
            out.rate.nominal = timing.bitrate;
            out.samplePoint = timing.sample_point / 10.0;
            break;
        }
        case IFLA_CAN_DATA_BITTIMING: {
            const auto timing = readAs<can_bittiming>(value, size);
            out.rate.data = timing.bitrate;
            out.dataSamplePoint = timing.sample_point / 10.0;
            break;
        }
        case IFLA_CAN_STATE:
            if (out.up)
                out.state = controllerState(readAs<std::uint32_t>(value, size));
            break;
        case IFLA_CAN_RESTART_MS: out.restartAfter = std::chrono::milliseconds(readAs<std::uint32_t>(value, size)); break;
        case IFLA_CAN_CTRLMODE: {
            const auto mode = readAs<can_ctrlmode>(value, size);
            out.listenOnly = (mode.flags & CAN_CTRLMODE_LISTENONLY) != 0;
            out.fd = (mode.flags & CAN_CTRLMODE_FD) != 0;
            break;
        }
        case IFLA_CAN_BERR_COUNTER: {
            const auto counters = readAs<can_berr_counter>(value, size);
            out.sendErrors = counters.txerr;
            out.receiveErrors = counters.rxerr;
            break;
        }
        case IFLA_CAN_CTRLMODE_EXT:
            eachAttribute(static_cast<const rtattr*>(value), size, [&](int inner, const void* flags, int bytes) {
                if (inner == IFLA_CAN_CTRLMODE_SUPPORTED)
                    out.mayFd = (readAs<std::uint32_t>(flags, bytes) & CAN_CTRLMODE_FD) != 0;
            });
            break;
        case IFLA_CAN_DATA_BITTIMING_CONST: out.mayFd = true; break;
        default: break;
        }
    });
    out.hasController = true;
}

// What it hangs on, as the kernel's device tree has it.
std::string placeOf(const std::string& name)
{
    std::error_code code;
    const auto device = std::filesystem::canonical("/sys/class/net/" + name + "/device", code);
    if (code || name.find('/') != std::string::npos)
        return {};
    const auto subsystem = std::filesystem::canonical(device / "subsystem", code).filename().string();
    std::string place = device.filename().string();
    if (subsystem == "usb")
        place = place.substr(0, place.find(':'));   // the device, not one of its interfaces
    return code ? place : subsystem + " " + place;
}

// Whether it can stamp frames by a clock of its own (linux/ethtool.h).
bool stampsItself(const std::string& name)
{
    const int socket = ::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0);
    if (socket < 0)
        return false;
    ethtool_ts_info info{};
    info.cmd = ETHTOOL_GET_TS_INFO;
    ifreq request{};
    std::strncpy(request.ifr_name, name.c_str(), IFNAMSIZ - 1);
    request.ifr_data = reinterpret_cast<char*>(&info);
    const bool told = ::ioctl(socket, SIOCETHTOOL, &request) == 0;
    ::close(socket);
    constexpr unsigned wanted = SOF_TIMESTAMPING_RX_HARDWARE | SOF_TIMESTAMPING_RAW_HARDWARE;
    return told && (info.so_timestamping & wanted) == wanted;
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
                else if (inner == IFLA_INFO_XSTATS && out.kind == "can") {
                    const auto stats = readAs<can_device_stats>(data, length);
                    out.busErrors = stats.bus_error;
                    out.busOffs = stats.bus_off;
                    out.restarts = stats.restarts;
                }
            });
        else if (type == IFLA_STATS64) {
            const auto stats = readAs<rtnl_link_stats64>(value, size);
            out.received = stats.rx_packets;
            out.sent = stats.tx_packets;
            out.dropped = stats.rx_dropped + stats.rx_over_errors + stats.rx_missed_errors;
        }
    });
    if (!out.hasController)
        out.fd = out.mtu >= CANFD_MTU;
    out.place = placeOf(out.name);
    out.ownStamps = stampsItself(out.name);
    return out;
}

std::string rateArguments(can::BitRate rate)
{
    std::string out = " bitrate " + std::to_string(rate.nominal);
    if (rate.data > 0)
        out += " dbitrate " + std::to_string(rate.data) + " fd on";
    return out;
}

}  // namespace

std::string KernelInterface::setUpBy() const
{
    if (!hasController || !rate.known())
        return {};
    std::string out = "ip link set " + name + " up type can" + rateArguments(rate);
    if (samplePoint > 0) {
        char text[32];
        std::snprintf(text, sizeof text, " sample-point %.3f", samplePoint / 100);
        out += text;
    }
    if (restartAfter && restartAfter->count() > 0)
        out += " restart-ms " + std::to_string(*restartAfter / std::chrono::milliseconds(1));
    return out + (listenOnly ? " listen-only on" : "");
}

std::string bringUpCommand(const KernelInterface& interface, can::BitRate rate)
{
    const std::string up = "ip link set " + interface.name + " up";
    if (interface.kind != "can")
        return up;
    return (interface.up ? "ip link set " + interface.name + " down && " : "") + up + " type can" + rateArguments(rate) + " restart-ms 100";
}

namespace {

// Calls visit(message) for the messages that a read from a route socket brought.
template <class Visit>
void eachMessage(const char* bytes, ssize_t size, Visit visit)
{
    int left = static_cast<int>(size);
    // As NLMSG_OK has it, which compares a signed number with an unsigned one.
    const auto whole = [&](const nlmsghdr* message) {
        return left >= static_cast<int>(sizeof *message) && message->nlmsg_len >= sizeof *message
               && message->nlmsg_len <= static_cast<unsigned>(left);
    };
    for (auto* message = reinterpret_cast<const nlmsghdr*>(bytes); whole(message); message = NLMSG_NEXT(message, left))
        visit(message);
}

bool isCan(const nlmsghdr* message)
{
    return message->nlmsg_len >= NLMSG_LENGTH(sizeof(ifinfomsg))
           && static_cast<const ifinfomsg*>(NLMSG_DATA(message))->ifi_type == ARPHRD_CAN;
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
        eachMessage(buffer.data(), got, [&](const nlmsghdr* message) {
            if (message->nlmsg_type == NLMSG_DONE || message->nlmsg_type == NLMSG_ERROR)
                done = true;
            else if (!done && message->nlmsg_type == RTM_NEWLINK && isCan(message))
                out.push_back(readLink(message));
        });
    }
    ::close(socket);
    std::sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
    return out;
}

Expected<std::unique_ptr<InterfaceWatch>> InterfaceWatch::start()
{
    const int socket = ::socket(AF_NETLINK, SOCK_RAW | SOCK_CLOEXEC | SOCK_NONBLOCK, NETLINK_ROUTE);
    sockaddr_nl address{};
    address.nl_family = AF_NETLINK;
    address.nl_groups = RTMGRP_LINK;
    if (socket < 0 || ::bind(socket, reinterpret_cast<const sockaddr*>(&address), sizeof address) < 0) {
        const int why = errno;
        if (socket >= 0)
            ::close(socket);
        return fail(std::string("the kernel's interfaces cannot be watched: ") + std::strerror(why), "route socket");
    }
    return std::unique_ptr<InterfaceWatch>(new InterfaceWatch(socket));
}

InterfaceChange::InterfaceChange(What kind, const WatchedInterface& of) : what(kind), is(of.is) {}

const char* toText(InterfaceChange::What what)
{
    constexpr const char* names[] = {"present", "appeared", "changed", "gone"};
    return names[static_cast<unsigned>(what)];
}

InterfaceWatch::~InterfaceWatch() { ::close(socket_); }

std::vector<InterfaceChange> InterfaceWatch::poll(Time now)
{
    // Counters change without a word; for the rest there is one. What was lost of those on the way is seen by asking.
    bool ask = asked_.count() == 0 || now - asked_ >= betweenQuestions || now < asked_;
    char buffer[32 * 1024];
    for (ssize_t got = 0; (got = ::recv(socket_, buffer, sizeof buffer, 0)) != 0;) {
        if (got < 0 && errno == ENOBUFS)
            ask = true;
        if (got < 0)
            break;
        eachMessage(buffer, got, [&](const nlmsghdr* message) {
            ask = ask || ((message->nlmsg_type == RTM_NEWLINK || message->nlmsg_type == RTM_DELLINK) && isCan(message));
        });
    }
    if (!ask)
        return {};
    asked_ = now;
    const auto found = kernelInterfaces();
    if (!found)
        return {};
    std::vector<InterfaceChange> out;
    const auto change = [&](InterfaceChange::What what, const WatchedInterface& of) { out.push_back({what, of}); };
    for (const KernelInterface& is : *found) {
        const auto known = std::find_if(all_.begin(), all_.end(), [&](const WatchedInterface& one) { return one.is.name == is.name; });
        if (known == all_.end()) {
            all_.push_back({is, now, false, begun_ ? InterfaceChange::What::appeared : InterfaceChange::What::present});
            change(all_.back().last, all_.back());
            continue;
        }
        const bool differs = known->gone || known->is.index != is.index || known->is.state != is.state || known->is.up != is.up
                             || known->is.rate != is.rate || known->is.listenOnly != is.listenOnly || known->is.fd != is.fd
                             || known->is.restartAfter != is.restartAfter || known->is.samplePoint != is.samplePoint;
        const bool back = known->gone || known->is.index != is.index;
        known->is = is;
        if (!differs)
            continue;
        known->since = now;
        known->gone = false;
        known->last = back ? InterfaceChange::What::appeared : InterfaceChange::What::changed;
        change(known->last, *known);
    }
    for (WatchedInterface& known : all_) {
        if (known.gone || std::any_of(found->begin(), found->end(), [&](const KernelInterface& is) { return is.name == known.is.name; }))
            continue;
        known.gone = true;
        known.since = now;
        known.last = InterfaceChange::What::gone;
        change(known.last, known);
    }
    std::sort(all_.begin(), all_.end(), [](const auto& a, const auto& b) { return a.is.name < b.is.name; });
    begun_ = true;
    return out;
}

}  // namespace wavetrope::bus
