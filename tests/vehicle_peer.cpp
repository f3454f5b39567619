// SPDX-License-Identifier: GPL-3.0-or-later
// A plain program over the kernel's own stack for networks of vehicles (linux/can/j1939.h); knows nothing of the product.
//
//   vehicle_peer claim   INTERFACE NAME ADDRESS           claims, and says its claim again whenever somebody else claims the address; until it is ended
//   vehicle_peer send    INTERFACE FROM TO GROUP BYTES    sends so many bytes (i * 7 + 3), and waits until they are out; TO 255: to everybody
//   vehicle_peer quit    INTERFACE FROM TO GROUP BYTES    the same, but leaves in the middle
//   vehicle_peer receive INTERFACE ADDRESS COUNT          prints so many messages: source, group, length, bytes
//   vehicle_peer answer  INTERFACE ADDRESS GROUP BYTES    answers one request for the group, to who asked
#include <linux/can.h>
#include <linux/can/j1939.h>
#include <net/if.h>
#include <sys/socket.h>
#include <sys/time.h>
#include <unistd.h>

#include <csignal>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <string>
#include <vector>

namespace {

[[noreturn]] void die(const char* what)
{
    std::perror(what);
    std::exit(1);
}

unsigned long number(const char* text) { return std::strtoul(text, nullptr, 0); }

sockaddr_can place(const char* interface, std::uint64_t name, std::uint8_t address, std::uint32_t group)
{
    sockaddr_can out{};
    out.can_family = AF_CAN;
    out.can_ifindex = static_cast<int>(if_nametoindex(interface));
    out.can_addr.j1939.name = name;
    out.can_addr.j1939.addr = address;
    out.can_addr.j1939.pgn = group;
    return out;
}

int opened(const sockaddr_can& own)
{
    const int fd = socket(PF_CAN, SOCK_DGRAM, CAN_J1939);
    if (fd < 0)
        die("socket");
    const int yes = 1;
    if (setsockopt(fd, SOL_SOCKET, SO_BROADCAST, &yes, sizeof yes) != 0)
        die("SO_BROADCAST");
    if (bind(fd, reinterpret_cast<const sockaddr*>(&own), sizeof own) != 0)
        die("bind");
    return fd;
}

std::vector<std::uint8_t> pattern(std::size_t count)
{
    std::vector<std::uint8_t> out(count);
    for (std::size_t i = 0; i < count; ++i)
        out[i] = static_cast<std::uint8_t>(i * 7 + 3);
    return out;
}

void sendAll(int fd, const sockaddr_can& to, const std::vector<std::uint8_t>& bytes)
{
    if (sendto(fd, bytes.data(), bytes.size(), 0, reinterpret_cast<const sockaddr*>(&to), sizeof to) != static_cast<ssize_t>(bytes.size()))
        die("sendto");
}

// The stack waits with closing until what waits is out, or given up, or a signal comes.
void closedInTheMiddle(int fd)
{
    struct sigaction does{};
    does.sa_handler = [](int) {};
    sigaction(SIGALRM, &does, nullptr);
    const itimerval soon{{0, 0}, {0, 300'000}};
    setitimer(ITIMER_REAL, &soon, nullptr);
    close(fd);
}

}  // namespace

int main(int argc, char** argv)
{
    setvbuf(stdout, nullptr, _IOLBF, 0);
    if (argc < 5)
        return 2;
    const std::string does = argv[1];
    const char* interface = argv[2];
    if (does == "claim") {
        const std::uint64_t name = std::strtoull(argv[3], nullptr, 16);
        const auto address = static_cast<std::uint8_t>(number(argv[4]));
        const int fd = opened(place(interface, name, address, J1939_NO_PGN));
        const int yes = 1;
        if (setsockopt(fd, SOL_CAN_J1939, SO_J1939_PROMISC, &yes, sizeof yes) < 0)
            die("SO_J1939_PROMISC");
        std::vector<std::uint8_t> claim(8);
        std::memcpy(claim.data(), &name, 8);
        const sockaddr_can all = place(interface, J1939_NO_NAME, J1939_NO_ADDR, J1939_PGN_ADDRESS_CLAIMED);
        sendAll(fd, all, claim);
        std::puts("claimed");
        for (;;) {
            std::uint8_t bytes[8];
            sockaddr_can from{};
            socklen_t size = sizeof from;
            const ssize_t got = recvfrom(fd, bytes, sizeof bytes, 0, reinterpret_cast<sockaddr*>(&from), &size);
            if (got < 0)
                die("recvfrom");
            if (got == 8 && from.can_addr.j1939.pgn == J1939_PGN_ADDRESS_CLAIMED && from.can_addr.j1939.addr == address
                && std::memcmp(bytes, claim.data(), 8) != 0) {
                sendAll(fd, all, claim);
                std::puts("again");
            }
        }
    }
    if ((does == "send" || does == "quit") && argc == 7) {
        const int fd = opened(place(interface, J1939_NO_NAME, static_cast<std::uint8_t>(number(argv[3])), J1939_NO_PGN));
        sendAll(fd,
            place(interface, J1939_NO_NAME, static_cast<std::uint8_t>(number(argv[4])), static_cast<std::uint32_t>(number(argv[5]))),
            pattern(number(argv[6])));
        if (does == "send")
            close(fd);
        else
            closedInTheMiddle(fd);
        return 0;
    }
    if (does == "receive") {
        const int fd = opened(place(interface, J1939_NO_NAME, static_cast<std::uint8_t>(number(argv[3])), J1939_NO_PGN));
        std::puts("ready");
        for (unsigned long i = number(argv[4]); i > 0; --i) {
            std::vector<std::uint8_t> bytes(2000);
            sockaddr_can from{};
            socklen_t size = sizeof from;
            const ssize_t got = recvfrom(fd, bytes.data(), bytes.size(), 0, reinterpret_cast<sockaddr*>(&from), &size);
            if (got < 0)
                die("recvfrom");
            std::printf("%02X %05X %zd ", from.can_addr.j1939.addr, from.can_addr.j1939.pgn, got);
            for (ssize_t k = 0; k < got; ++k)
                std::printf("%02X", bytes[static_cast<std::size_t>(k)]);
            std::puts("");
        }
        return 0;
    }
    if (does == "answer" && argc == 6) {
        const auto group = static_cast<std::uint32_t>(number(argv[4]));
        const int fd = opened(place(interface, J1939_NO_NAME, static_cast<std::uint8_t>(number(argv[3])), J1939_NO_PGN));
        std::puts("ready");
        for (;;) {
            std::uint8_t bytes[8] = {};
            sockaddr_can from{};
            socklen_t size = sizeof from;
            const ssize_t got = recvfrom(fd, bytes, sizeof bytes, 0, reinterpret_cast<sockaddr*>(&from), &size);
            if (got < 0)
                die("recvfrom");
            if (got != 3 || from.can_addr.j1939.pgn != J1939_PGN_REQUEST
                || (bytes[0] | static_cast<std::uint32_t>(bytes[1]) << 8 | static_cast<std::uint32_t>(bytes[2]) << 16) != group)
                continue;
            sendAll(fd, place(interface, J1939_NO_NAME, from.can_addr.j1939.addr, group), pattern(number(argv[5])));
            close(fd);
            return 0;
        }
    }
    return 2;
}
