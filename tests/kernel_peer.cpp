// SPDX-License-Identifier: GPL-3.0-or-later
// A plain program of the kernel's CAN interface, with nothing of the product in it: sends or receives a known
// sequence of classic, FD and error frames on an interface, floods one, or is the adapter at a serial line.
//   kernel_peer send|rest|receive INTERFACE    flood:SECONDS INTERFACE    count:FRAMES INTERFACE    serial GO-FILE
#include <linux/can.h>
#include <linux/can/error.h>
#include <linux/can/raw.h>
#include <net/if.h>
#include <poll.h>
#include <fcntl.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <termios.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <ctime>
#include <string>

namespace {

constexpr int frames = 200;

// Frame number i of the sequence.
std::size_t make(int i, canfd_frame& frame)
{
    std::memset(&frame, 0, sizeof frame);
    const unsigned length = static_cast<unsigned>(i * 7 % 9);
    switch (i % 5) {
    case 0: frame.can_id = 0x100U + static_cast<unsigned>(i); break;
    case 1: frame.can_id = (0x18FF0000U + static_cast<unsigned>(i)) | CAN_EFF_FLAG; break;
    case 2: frame.can_id = (0x200U + static_cast<unsigned>(i)) | CAN_RTR_FLAG; break;
    case 3: frame.can_id = 0x300U + static_cast<unsigned>(i); break;
    default: frame.can_id = CAN_ERR_FLAG | CAN_ERR_PROT; break;
    }
    frame.len = static_cast<__u8>(length);
    std::size_t size = CAN_MTU;
    if (i % 5 == 3) {
        frame.len = i % 2 != 0 ? 64 : 12;
        frame.flags = i % 2 != 0 ? CANFD_BRS : CANFD_ESI;
        size = CANFD_MTU;
    } else if (i % 5 == 4) {
        frame.len = 8;
    }
    for (unsigned k = 0; k < frame.len && i % 5 != 2; ++k)
        frame.data[k] = static_cast<__u8>(i + static_cast<int>(k) * 3);
    return size;
}

int openSocket(const char* name)
{
    const int socket = ::socket(PF_CAN, SOCK_RAW, CAN_RAW);
    const int on = 1;
    const can_err_mask_t all = CAN_ERR_MASK;
    ::setsockopt(socket, SOL_CAN_RAW, CAN_RAW_FD_FRAMES, &on, sizeof on);
    ::setsockopt(socket, SOL_CAN_RAW, CAN_RAW_ERR_FILTER, &all, sizeof all);
    ifreq request{};
    std::strncpy(request.ifr_name, name, IFNAMSIZ - 1);
    if (::ioctl(socket, SIOCGIFINDEX, &request) < 0)
        return -1;
    sockaddr_can address{};
    address.can_family = AF_CAN;
    address.can_ifindex = request.ifr_ifindex;
    return ::bind(socket, reinterpret_cast<sockaddr*>(&address), sizeof address) < 0 ? -1 : socket;
}

// Sends numbered frames for so long, or so many, as fast as the interface takes them, and says how many.
int flood(int socket, int seconds, unsigned long long most)
{
    timespec begun{}, now{};
    ::clock_gettime(CLOCK_MONOTONIC, &begun);
    unsigned long long count = 0;
    do {
        for (int i = 0; i < 64 && count < most; ++i) {
            can_frame frame{};
            frame.can_id = 0x100U + static_cast<unsigned>(count % 256);
            frame.len = 8;
            std::memcpy(frame.data, &count, sizeof count);
            if (::write(socket, &frame, sizeof frame) == static_cast<ssize_t>(sizeof frame))
                ++count;
            else if (errno != ENOBUFS)
                return 4;
        }
        ::clock_gettime(CLOCK_MONOTONIC, &now);
    } while (count < most && now.tv_sec - begun.tv_sec < seconds);
    std::printf("%llu\n", count);
    return 0;
}

// The adapter at a serial line: takes what the kernel's line discipline writes, line by line, and prints it; once the file
// is there, 200 frames come from it, in the line's own text: t, identifier, length, bytes.
int serial(const char* go)
{
    const int adapter = ::posix_openpt(O_RDWR | O_NOCTTY);
    if (adapter < 0 || ::grantpt(adapter) != 0 || ::unlockpt(adapter) != 0)
        return 5;
    const int line = ::open(::ptsname(adapter), O_RDWR | O_NOCTTY);
    termios raw{};
    ::tcgetattr(line, &raw);
    ::cfmakeraw(&raw);
    ::tcsetattr(line, TCSANOW, &raw);
    int discipline = 17;        // N_SLCAN
    char name[IFNAMSIZ] = "";
    if (line < 0 || ::ioctl(line, TIOCSETD, &discipline) < 0 || ::ioctl(line, SIOCGIFNAME, name) < 0)
        return 6;
    std::printf("ready %s\n", name);
    std::fflush(stdout);
    bool sent = false;
    std::string said;
    for (;;) {
        pollfd waiting{adapter, POLLIN, 0};
        if (::poll(&waiting, 1, 50) > 0) {
            char c = 0;
            if (::read(adapter, &c, 1) != 1)
                return 7;
            if (c != '\r') {
                said += c;
                continue;
            }
            std::printf("%s\n", said.c_str());
            std::fflush(stdout);
            said.clear();
        } else if (!sent && ::access(go, F_OK) == 0) {
            sent = true;
            for (unsigned i = 0; i < frames; ++i) {
                char text[40];
                const int size = std::snprintf(text, sizeof text, "t%03X2%02X%02X\r", 0x100U + i, i, 255U - i);
                if (::write(adapter, text, static_cast<std::size_t>(size)) != size)
                    return 8;
                usleep(500);
            }
        }
    }
}

}  // namespace

int main(int argc, char** argv)
{
    if (argc != 3)
        return 2;
    const std::string mode = argv[1];
    if (mode == "serial")
        return serial(argv[2]);
    const int socket = openSocket(argv[2]);
    if (socket < 0)
        return 3;
    if (mode.starts_with("flood:"))
        return flood(socket, std::atoi(mode.c_str() + 6), ~0ULL);
    if (mode.starts_with("count:"))
        return flood(socket, 60, std::strtoull(mode.c_str() + 6, nullptr, 10));
    if (mode == "send" || mode == "rest") {
        for (int i = 0; i < frames; ++i) {
            canfd_frame frame;
            const std::size_t size = make(i, frame);
            if (::write(socket, &frame, size) != static_cast<ssize_t>(size))
                return 4;
            usleep(mode == "rest" && i == frames / 2 ? 400'000 : 500);
        }
        return 0;
    }
    // Prints what comes: all but the error frames, and whatever should not come behind them.
    std::printf("ready\n");
    std::fflush(stdout);
    pollfd waiting{socket, POLLIN, 0};
    constexpr int all = frames - frames / 5;
    for (int got = 0; ::poll(&waiting, 1, got < all ? 30'000 : 300) > 0; ++got) {
        canfd_frame frame{};
        const ssize_t size = ::read(socket, &frame, sizeof frame);
        std::printf("%08X %zd %u %u ", frame.can_id, size, frame.len, size == CANFD_MTU ? frame.flags & (CANFD_BRS | CANFD_ESI) : 0U);
        for (unsigned k = 0; k < frame.len && (frame.can_id & CAN_RTR_FLAG) == 0; ++k)
            std::printf("%02X", frame.data[k]);
        std::printf("\n");
    }
    return 0;
}
