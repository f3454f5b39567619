// SPDX-License-Identifier: GPL-3.0-or-later
// Messages put together from their pieces: frames/s over traffic of which a fifth are pieces, beside a copy of the same frames.
//     wavetrope-protocol-bench [MILLIONS]
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <vector>

#include "protocol/message_stream.h"

using namespace wavetrope;

namespace {

// A vehicle's bus: groups of eight bytes, and in between broadcasts of 200 bytes, so that every fifth frame is a piece.
std::vector<can::Frame> traffic(std::size_t count)
{
    std::vector<can::Frame> frames;
    frames.reserve(count);
    Time at{};
    unsigned packet = 0, groups = 0;
    while (frames.size() < count) {
        can::Frame frame;
        frame.time = at += std::chrono::microseconds(270);
        frame.length = frame.dlc = 8;
        if (frames.size() % 5 != 4) {
            frame.id = {0x18FE0021U + (groups++ % 200 << 8), true};
            frame.data[0] = static_cast<std::uint8_t>(groups);
        } else if (packet == 0) {
            frame.id = {0x1CECFF21, true};
            frame.data = {32, 200, 0, 29, 255, 0xE3, 0xFE, 0};
            ++packet;
        } else {
            frame.id = {0x1CEBFF21, true};
            frame.data = {static_cast<std::uint8_t>(packet), 1, 2, 3, 4, 5, 6, 7};
            packet = packet == 29 ? 0 : packet + 1;
        }
        frames.push_back(frame);
    }
    return frames;
}

double seconds(const std::chrono::steady_clock::time_point& from)
{
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count();
}

}  // namespace

int main(int argc, char** argv)
{
    const std::size_t rounds = argc > 1 ? std::strtoul(argv[1], nullptr, 10) : 20;
    auto frames = traffic(1'000'000);
    const Time length = frames.back().time + std::chrono::milliseconds(1);
    std::uint64_t rows = 0, whole = 0;
    protocol::MessageStream stream([&](const protocol::MessageRow&) { ++rows; },
        [&](const protocol::Transfer& transfer) { whole += transfer.ended == protocol::Ended::whole ? 1U : 0U; });
    stream.speak(0, {*protocol::spokenFromText("a=vehicle")});
    const auto began = std::chrono::steady_clock::now();
    for (std::size_t round = 0; round < rounds; ++round)
        for (can::Frame& frame : frames) {
            stream.onFrame(frame.view());
            frame.time += length;
        }
    stream.finish();
    const double took = seconds(began);
    std::vector<can::Frame> copy(frames.size());
    const auto copying = std::chrono::steady_clock::now();
    std::uint64_t sum = 0;
    for (std::size_t round = 0; round < rounds; ++round) {
        std::copy(frames.begin(), frames.end(), copy.begin());
        sum += copy[round].data[0];
    }
    const double copied = seconds(copying);
    const double million = static_cast<double>(rounds);
    std::printf("%-52s %8.1f M frames/s\n", "put together, one core", million / took);
    std::printf("%-52s %8.1f M frames/s (%llu)\n", "the same frames copied", million / copied, static_cast<unsigned long long>(sum));
    std::printf(
        "%-52s %8.1f M rows, %llu whole messages\n", "that is", static_cast<double>(rows) / 1e6, static_cast<unsigned long long>(whole));
}
