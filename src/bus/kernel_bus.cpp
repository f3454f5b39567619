// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/kernel_bus.h"

#include <fcntl.h>
#include <linux/can/error.h>
#include <linux/can/raw.h>
#include <linux/net_tstamp.h>
#include <net/if.h>
#include <poll.h>
#include <readerwriterqueue/readerwriterqueue.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>

#include "bus/kernel_frame.h"
#include "bus/kernel_interfaces.h"

namespace wavetrope::bus {

struct KernelBus::Queue {
    explicit Queue(std::size_t size) : frames(size) {}
    moodycamel::ReaderWriterQueue<can::Frame> frames;
};

namespace {

constexpr int pollMilliseconds = 50;
constexpr unsigned batchSize = 64;
constexpr auto betweenTries = std::chrono::milliseconds(200);
constexpr int wantedBuffer = 8 * 1024 * 1024;

// What passes without anybody opening the bus again.
bool mayComeBack(int failure) { return failure == ENODEV || failure == ENETDOWN || failure == ENXIO || failure == EIO; }

tl::unexpected<Error> failWith(int code, const std::string& interface)
{
    switch (code) {
    case EAFNOSUPPORT:
    case EPROTONOSUPPORT: return fail("this kernel has no CAN sockets", interface, "Load its modules: modprobe can can-raw");
    case ENODEV: return fail("there is no such interface", interface, "'wavetrope-cli interfaces' lists those that exist");
    case EPERM:
    case EACCES: return fail("not permitted to open it", interface, "Ask the administrator for the right to use CAN sockets");
    case ENETDOWN: return fail("the interface is down", interface, "Bring it up: ip link set " + interface + " up");
    default: return fail(std::strerror(code), interface);
    }
}

// An address with a blank in it is the place that an interface hangs on, "usb 1-2.1": which one that is now. Kernel names
// have none.
std::string nameOf(const std::string& address)
{
    if (address.find(' ') == std::string::npos)
        return address;
    if (const auto all = kernelInterfaces())
        for (const KernelInterface& one : *all)
            if (one.place == address)
                return one.name;
    return {};
}

}  // namespace

// A socket bound to an interface, or what is in the way; -1 where there is no socket at all.
int KernelBus::openSocket(const std::string& interface, int& index, int& failure)
{
    index = failure = 0;
    const int socket = ::socket(PF_CAN, SOCK_RAW | SOCK_CLOEXEC, CAN_RAW);
    if (socket < 0) {
        failure = errno;
        return -1;
    }
    ifreq request{};
    std::strncpy(request.ifr_name, nameOf(interface).c_str(), IFNAMSIZ - 1);
    if (::ioctl(socket, SIOCGIFFLAGS, &request) < 0)
        failure = errno;
    else if ((request.ifr_flags & IFF_UP) == 0)
        failure = ENETDOWN;
    else if (::ioctl(socket, SIOCGIFINDEX, &request) < 0)
        failure = errno;
    if (failure != 0)
        return socket;

    const int on = 1;
    const can_err_mask_t allErrors = CAN_ERR_MASK;
    ::setsockopt(socket, SOL_CAN_RAW, CAN_RAW_FD_FRAMES, &on, sizeof on);
    ::setsockopt(socket, SOL_CAN_RAW, CAN_RAW_RECV_OWN_MSGS, &on, sizeof on);
    ::setsockopt(socket, SOL_CAN_RAW, CAN_RAW_ERR_FILTER, &allErrors, sizeof allErrors);
    ::setsockopt(socket, SOL_SOCKET, SO_TIMESTAMPNS, &on, sizeof on);
    const int hardware = SOF_TIMESTAMPING_RX_HARDWARE | SOF_TIMESTAMPING_RAW_HARDWARE;
    ::setsockopt(socket, SOL_SOCKET, SO_TIMESTAMPING, &hardware, sizeof hardware);
    ::setsockopt(socket, SOL_SOCKET, SO_RXQ_OVFL, &on, sizeof on);
    if (::setsockopt(socket, SOL_SOCKET, SO_RCVBUFFORCE, &wantedBuffer, sizeof wantedBuffer) < 0)
        ::setsockopt(socket, SOL_SOCKET, SO_RCVBUF, &wantedBuffer, sizeof wantedBuffer);

    sockaddr_can address{};
    address.can_family = AF_CAN;
    address.can_ifindex = request.ifr_ifindex;
    if (::bind(socket, reinterpret_cast<const sockaddr*>(&address), sizeof address) < 0)
        failure = errno;
    else
        index = request.ifr_ifindex;
    return socket;
}

Expected<std::unique_ptr<KernelBus>> KernelBus::open(const std::string& interface, const Options& options)
{
    auto opened = await(interface, options);
    if (!opened)
        return opened;
    if (const int failure = (*opened)->failure_; failure != 0)
        return failWith(failure, interface);
    return opened;
}

Expected<std::unique_ptr<KernelBus>> KernelBus::await(const std::string& interface, const Options& options)
{
    if (interface.empty() || (interface.size() >= IFNAMSIZ && interface.find(' ') == std::string::npos))
        return fail("an interface name has 1 to 15 characters", interface);
    int index = 0, failure = 0;
    const int socket = openSocket(interface, index, failure);
    if (socket >= 0 && (failure == 0 || mayComeBack(failure)))
        return std::unique_ptr<KernelBus>(new KernelBus(interface, socket, index, failure, options));
    if (socket >= 0)
        ::close(socket);
    return failWith(failure, interface);
}

KernelBus::KernelBus(std::string interface, int socket, int index, int failure, const Options& options)
    : interface_(std::move(interface)),
      socket_(socket),
      index_(index),
      options_(options),
      queue_(std::make_unique<Queue>(options.queueLimit)),
      failure_(failure)
{
    int size = 0;
    socklen_t length = sizeof size;
    if (::getsockopt(socket_, SOL_SOCKET, SO_RCVBUF, &size, &length) == 0)
        buffer_ = static_cast<std::size_t>(size) / 2;   // the kernel tells twice of what was asked for
    reader_ = std::thread([this] { read(); });
}

KernelBus::~KernelBus()
{
    stopping_ = true;
    reader_.join();
    ::close(socket_);
}

void KernelBus::read()
{
    while (!stopping_) {
        pollfd waiting{socket_, POLLIN, 0};
        const int ready = ::poll(&waiting, 1, pollMilliseconds);
        if (failure_ != 0)
            recover();
        if (ready <= 0)
            continue;
        reading_ = true;
        receiveBatch();
        reading_ = false;
        if (failure_ != 0)
            std::this_thread::sleep_for(std::chrono::milliseconds(pollMilliseconds));
    }
}

// Looks whether the interface is there again: the same one, or another of its name that was plugged in.
void KernelBus::recover()
{
    const auto now = std::chrono::steady_clock::now();
    if (now - recovering_ < betweenTries)
        return;
    recovering_ = now;
    ifreq request{};
    std::strncpy(request.ifr_name, nameOf(interface_).c_str(), IFNAMSIZ - 1);
    if (::ioctl(socket_, SIOCGIFFLAGS, &request) < 0) {
        failure_ = errno;
        return;
    }
    if ((request.ifr_flags & IFF_UP) == 0) {
        failure_ = ENETDOWN;
        return;
    }
    if (::ioctl(socket_, SIOCGIFINDEX, &request) == 0 && request.ifr_ifindex == index_) {
        failure_ = 0;
        return;
    }
    int index = 0, failure = 0;
    const int socket = openSocket(interface_, index, failure);
    if (socket < 0)
        return;
    if (failure == 0 && ::dup3(socket, socket_, O_CLOEXEC) >= 0) {
        index_ = index;
        lostBefore_ += overflow_.exchange(0);   // the new socket counts from zero
        failure_ = 0;
    }
    ::close(socket);
}

void KernelBus::receiveBatch()
{
    std::array<canfd_frame, batchSize> frames{};
    // Two kinds of stamps, and the count of what was dropped.
    constexpr std::size_t controlSize = CMSG_SPACE(sizeof(timespec)) + CMSG_SPACE(3 * sizeof(timespec)) + CMSG_SPACE(sizeof(std::uint32_t));
    struct alignas(cmsghdr) Control {
        std::array<char, controlSize> bytes;
    };
    std::array<Control, batchSize> controls{};
    std::array<iovec, batchSize> parts{};
    std::array<mmsghdr, batchSize> messages{};
    for (unsigned i = 0; i < batchSize; ++i) {
        parts[i] = {&frames[i], sizeof frames[i]};
        messages[i].msg_hdr.msg_iov = &parts[i];
        messages[i].msg_hdr.msg_iovlen = 1;
        messages[i].msg_hdr.msg_control = controls[i].bytes.data();
        messages[i].msg_hdr.msg_controllen = controls[i].bytes.size();
    }
    const int got = ::recvmmsg(socket_, messages.data(), batchSize, MSG_DONTWAIT, nullptr);
    if (got < 0) {
        if (errno != EAGAIN && errno != EINTR)
            failure_ = errno;
        return;
    }
    failure_ = 0;
    for (int i = 0; i < got; ++i) {
        msghdr& header = messages[static_cast<unsigned>(i)].msg_hdr;
        auto frame = fromKernel(frames[static_cast<unsigned>(i)], messages[static_cast<unsigned>(i)].msg_len);
        if (!frame)
            continue;
        const KernelFacts facts = factsOf(header);
        const Stamp stamp = stampOf(facts);
        frame->time = stamp.time;
        stampedBy_ = stamp.ofHardware ? StampedBy::hardware : facts.hardware ? StampedBy::kernelSinceApart : StampedBy::kernel;
        if (facts.dropped)
            overflow_ = *facts.dropped;
        frame->bus = options_.index;
        frame->direction = (header.msg_flags & MSG_CONFIRM) != 0 ? can::Direction::sent : can::Direction::received;
        if (!queue_->frames.try_enqueue(*frame))
            ++lost_;
    }
}

Port KernelBus::attach(std::string, can::Direction, Order)
{
    enabled_.push_back(true);
    return static_cast<Port>(enabled_.size() - 1);
}

bool KernelBus::accepts(Port port) const
{
    if (!enabled_[port])
        return false;
    // The kernel tells where the interface's transmit queue is full.
    pollfd room{socket_, POLLOUT, 0};
    return ::poll(&room, 1, 0) > 0 && (room.revents & POLLOUT) != 0;
}

bool KernelBus::offer(Port port, const can::Frame& frame)
{
    if (!enabled_[port])
        return false;
    const KernelFrame out = toKernel(frame);
    if (::send(socket_, &out.frame, out.size, MSG_DONTWAIT) == static_cast<ssize_t>(out.size))
        return true;
    ++refused_;
    refusal_ = errno;
    return false;
}

void KernelBus::enable(Port port, bool on) { enabled_[port] = on; }

std::optional<Time> KernelBus::arrived()
{
    const can::Frame* frame = queue_->frames.peek();
    return frame == nullptr ? std::nullopt : std::optional(frame->time);
}

bool KernelBus::inHand()
{
    // In this order: what the socket no longer holds is in the queue, or being put there.
    pollfd waiting{socket_, POLLIN, 0};
    const bool read = ::poll(&waiting, 1, 0) <= 0 || (waiting.revents & POLLIN) == 0 || failure_ != 0;
    return read && !reading_;
}

void KernelBus::take()
{
    can::Frame frame;
    if (!queue_->frames.try_dequeue(frame))
        return;
    if (frame.kind == can::FrameKind::error) {
        ++errors_;
        follow(frame);
    }
    deliver(frame.view(), nobody);
}

// What error frames tell of the controller (linux/can/error.h).
void KernelBus::follow(const can::Frame& frame)
{
    const std::uint32_t kinds = frame.id.value;
    const auto state = [&] {
        using can::ErrorState;
        return busOff_ ? ErrorState::busOff : passive_ ? ErrorState::passive : warning_ ? ErrorState::warning : ErrorState::active;
    };
    const can::ErrorState before = state();
    if ((kinds & CAN_ERR_BUSOFF) != 0)
        busOff_ = true;
    if ((kinds & CAN_ERR_RESTARTED) != 0)
        busOff_ = passive_ = warning_ = false;
    if ((kinds & CAN_ERR_CRTL) != 0 && frame.length > 1) {
        passive_ = (frame.data[1] & (CAN_ERR_CRTL_RX_PASSIVE | CAN_ERR_CRTL_TX_PASSIVE)) != 0;
        warning_ = (frame.data[1] & (CAN_ERR_CRTL_RX_WARNING | CAN_ERR_CRTL_TX_WARNING)) != 0;
    }
    if (state() != before)
        states_.note({frame.time, interface_, state(), frame.length > 7 ? frame.data[6] : 0U, frame.length > 7 ? frame.data[7] : 0U});
}

Health KernelBus::health() const
{
    Health health;
    const int failure = failure_;
    health.alive = failure == 0;
    health.words = "alive";
    health.state = failure != 0   ? Health::State::down
                   : refused_ > 0 ? Health::State::refusing
                   : busOff_      ? Health::State::busOff
                   : passive_     ? Health::State::passive
                   : warning_     ? Health::State::warning
                                  : Health::State::alive;
    if (busOff_) {
        health.words = interface_ + " is bus off";
        health.alive = false;
    } else if (passive_) {
        health.words = interface_ + " is error-passive";
    } else if (warning_) {
        health.words = interface_ + " is at its error warning level";
    }
    if (failure == ENETDOWN)
        health.words = interface_ + " is down";
    else if (failure == ENODEV || failure == ENXIO)
        health.words = interface_ + (index_ == 0 ? ": there is no such interface" : " is gone");
    else if (failure != 0)
        health.words = interface_ + ": " + std::strerror(failure);
    else if (refused_ > 0)
        health.words = interface_ + " refused " + std::to_string(refused_) + " frames to send: " + std::strerror(refusal_);
    switch (stampedBy_) {
    case StampedBy::none: break;
    case StampedBy::kernel: health.facts = "stamps: the kernel's"; break;
    case StampedBy::hardware: health.facts = "stamps: the interface's own"; break;
    case StampedBy::kernelSinceApart: health.facts = "stamps: the kernel's, since the interface's own clock goes by another time"; break;
    }
    health.errors = errors_;
    health.changes = states_.told();
    health.lost = lost_ + overflow_ + lostBefore_ + refused_;
    if (buffer_ < wantedBuffer && failure == 0)
        health.advice = "the kernel holds " + std::to_string(buffer_ / 1000) + " kB of frames for " + interface_
                        + " at the most, and bursts may be lost: sysctl -w net.core.rmem_max=" + std::to_string(wantedBuffer);
    return health;
}

}  // namespace wavetrope::bus
