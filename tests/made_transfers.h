// SPDX-License-Identifier: GPL-3.0-or-later
// Conversations of higher protocols, laid down frame by frame from the standards together with the truth about them; by nothing of the product.
#pragma once

#include <algorithm>
#include <optional>
#include <random>
#include <string>
#include <vector>

#include "can/frame.h"

namespace wavetrope::test {

/// Frames of two who talk, and what is to be told of them.
struct Conversation {
    std::vector<can::Frame> frames;
    std::string what, kind, ended;
    std::vector<std::uint8_t> data;  ///< Of the whole message.
    std::uint64_t bytes = 0;
    Time silence{};  ///< That is to follow, so that it ends by itself.
};

class MadeTransfers {
public:
    explicit MadeTransfers(unsigned seed) : random_(seed) {}

    unsigned some(unsigned below) { return static_cast<unsigned>(random_() % below); }

    /// SAE J1939-21, 5.10: from one address to another, or to all.
    Conversation vehicle(std::uint8_t from, std::uint8_t to)
    {
        begin();
        const bool toAll = to == 255;
        const unsigned size = 9 + some(some(3) == 0 ? 1777 : 60), packets = (size + 6) / 7;
        const std::uint32_t group = 0xF000 + some(0xE00);
        fill(size);
        char text[16];
        std::snprintf(text, sizeof text, "0x%04X", group);
        talk_.what = text;
        talk_.kind = "group";
        const auto manage = [&](std::uint8_t source, std::uint8_t destination, std::initializer_list<unsigned> bytes) {
            std::vector<unsigned> all(bytes);
            all.insert(all.end(), {group & 255U, group >> 8 & 255U, group >> 16});
            put(0x1CEC0000U | static_cast<unsigned>(destination) << 8 | source, true, all);
        };
        const auto packet = [&](unsigned number) {
            std::vector<unsigned> bytes{number & 255U};
            for (unsigned i = 0; i < 7; ++i)
                bytes.push_back((number - 1) * 7 + i < size ? talk_.data[(number - 1) * 7 + i] : 255U);
            put(0x1CEB0000U | static_cast<unsigned>(to) << 8 | from, true, bytes);
        };
        const unsigned breaks = some(3) == 0 ? 1 + some(4) : 0, at = 1 + some(packets);
        manage(from, to, {toAll ? 32U : 16U, size & 255U, size >> 8, packets, 255});
        unsigned asked = 0;
        for (unsigned number = 1; number <= packets; ++number) {
            if (!toAll && number > asked) {
                if (some(6) == 0)
                    manage(to, from, {17, 0, 255, 255, 255});  // hold
                const unsigned count = std::min(packets - asked, 1 + some(16));
                manage(to, from, {17, count, number, 255, 255});
                asked += count;
            }
            if (breaks == 1 && number == at)
                return end("timeout", (number - 1) * 7, 1300);
            if (breaks == 2 && number == at && !toAll) {
                const bool bySender = some(2) == 0;
                manage(bySender ? from : to, bySender ? to : from, {255, 2, 255, 255, 255});
                return end("aborted", (number - 1) * 7, 0);
            }
            if (breaks == 3 && number == at && packets > 1) {
                packet(number == packets ? 1 : number + 1);
                return end("sequence", (number - 1) * 7, 1300);
            }
            if (breaks == 4 && number == at && !toAll) {
                manage(to, from, {255, 3, 255, 255, 255});  // its own limit was over
                return end("timeout", (number - 1) * 7, 0);
            }
            packet(number);
        }
        if (toAll)
            return end("whole", size, 0);
        if (breaks == 2)
            return end("timeout", size, 1300);
        manage(to, from, {19, size & 255U, size >> 8, packets, 255});
        return end("whole", size, 0);
    }

    /// CiA 301, 7.2.4: with one server.
    Conversation objects(unsigned node)
    {
        begin();
        const unsigned index = 0x1000 + some(0x8000), sub = some(256);
        char text[16];
        std::snprintf(text, sizeof text, "0x%04X:%02X", index, sub);
        talk_.what = text;
        const bool reads = some(2) != 0;
        talk_.kind = reads ? "service-read" : "service-write";
        const auto client = [&](std::vector<unsigned> bytes) { put(0x600 + node, false, std::move(bytes)); };
        const auto server = [&](std::vector<unsigned> bytes) { put(0x580 + node, false, std::move(bytes)); };
        const auto initiate = [&](unsigned first, unsigned size = 0) {
            return std::vector<unsigned>{
                first, index & 255U, index >> 8, sub, size & 255U, size >> 8 & 255U, size >> 16 & 255U, size >> 24};
        };
        const auto giveUp = [&](bool byClient) {
            (byClient ? put(0x600 + node, false, initiate(0x80, 0x08000000)) : put(0x580 + node, false, initiate(0x80, 0x06020000)));
        };
        const unsigned breaks = some(3) == 0 ? 1 + some(4) : 0;
        const unsigned way = some(3);
        if (way == 0) {  // expedited
            const unsigned size = 1 + some(4);
            fill(size);
            unsigned value = 0;
            for (unsigned i = 0; i < size; ++i)
                value |= static_cast<unsigned>(talk_.data[i]) << 8 * i;
            const unsigned told = 3 | (4 - size) << 2;
            client(initiate(reads ? 0x40 : 0x20 | told, reads ? 0 : value));
            if (breaks == 1)
                return end("timeout", reads ? 0 : size, 5100);
            if (breaks == 2) {
                giveUp(some(2) == 0);
                return end("aborted", reads ? 0 : size, 0);
            }
            server(initiate(reads ? 0x40 | told : 0x60, reads ? value : 0));
            return end("whole", size, 0);
        }
        const unsigned size = 5 + some(some(4) == 0 ? 3000 : 80), pieces = (size + 6) / 7, at = some(pieces);
        fill(size);
        const auto piece = [&](unsigned first, unsigned number, unsigned from) {
            std::vector<unsigned> bytes{first};
            for (unsigned i = 0; i < 7; ++i)
                bytes.push_back(from + number * 7 + i < size ? talk_.data[from + number * 7 + i] : 0U);
            return bytes;
        };
        if (way == 1) {  // segmented
            client(initiate(reads ? 0x40 : 0x21, reads ? 0 : size));
            server(initiate(reads ? 0x41 : 0x60, reads ? size : 0));
            for (unsigned number = 0; number < pieces; ++number) {
                const unsigned toggle = (number & 1U) << 4, last = number + 1 == pieces ? 1U : 0U,
                               unused = last != 0 ? pieces * 7 - size : 0;
                if (breaks == 1 && number == at)
                    return end("timeout", number * 7, 5100);
                if (breaks == 2 && number == at) {
                    giveUp(some(2) == 0);
                    return end("aborted", number * 7, 0);
                }
                const bool wrong = breaks == 3 && number == at;
                if (reads)
                    client({0x60 | toggle, 0, 0, 0, 0, 0, 0, 0});
                const auto segment = piece((toggle ^ (wrong ? 0x10U : 0U)) | unused << 1 | last, number, 0);
                reads ? server(segment) : client(segment);
                if (wrong)
                    return end("sequence", number * 7, 5100);
                if (!reads)
                    server({0x20 | toggle, 0, 0, 0, 0, 0, 0, 0});
            }
            return end("whole", size, 0);
        }
        // By block, with a checksum that both know of or not.
        const bool checked = some(3) != 0, there = some(4) != 0;
        const auto sender = [&](std::vector<unsigned> bytes) { reads ? server(std::move(bytes)) : client(std::move(bytes)); };
        const auto receiver = [&](std::vector<unsigned> bytes) { reads ? client(std::move(bytes)) : server(std::move(bytes)); };
        unsigned block = 1 + some(20);
        if (reads) {
            auto first = initiate(0xA0 | (checked ? 4U : 0U));
            first[4] = block;
            client(first);
            server(initiate(0xC2 | (there ? 4U : 0U), size));
            client({0xA3, 0, 0, 0, 0, 0, 0, 0});
        } else {
            client(initiate(0xC2 | (checked ? 4U : 0U), size));
            auto answer = initiate(0xA0 | (there ? 4U : 0U));
            answer[4] = block;
            server(answer);
        }
        for (unsigned done = 0; done < pieces;) {
            const unsigned count = std::min(block, pieces - done);
            unsigned arrives = count;
            if (breaks == 0 && count > 2 && some(8) == 0)
                arrives = some(count - 1);  // one in front of the last gets lost, and is sent anew with all behind it
            for (unsigned number = 0; number < count; ++number) {
                if (breaks == 1 && done + number == at)
                    return end("timeout", (done + number) * 7, 5100);
                if (breaks == 2 && done + number == at) {
                    giveUp(!reads);  // by who sends
                    return end("aborted", (done + number) * 7, 0);
                }
                if (number == arrives)
                    continue;  // lost
                const bool last = done + number + 1 == pieces;
                sender(piece((last ? 0x80U : 0U) | (number + 1), number, done * 7));
            }
            block = 1 + some(20);
            receiver({0xA2, arrives, block, 0, 0, 0, 0, 0});
            done += arrives;
        }
        unsigned crc = 0;
        for (const std::uint8_t byte : talk_.data)
            for (int bit = 7; bit >= 0; --bit) {
                const bool next = ((crc >> 15 & 1U) ^ (byte >> bit & 1U)) != 0;
                crc = (crc << 1 & 0xFFFFU) ^ (next ? 0x1021U : 0U);
            }
        const bool bad = breaks == 4;
        if (bad)
            crc ^= 0x40;
        sender({0xC1 | (pieces * 7 - size) << 2, crc & 255U, crc >> 8, 0, 0, 0, 0, 0});
        if (breaks == 3)
            return end("timeout", size, 5100);
        receiver({0xA1, 0, 0, 0, 0, 0, 0, 0});
        return end(bad && checked && there ? "checksum" : "whole", size, 0);
    }

    /// ISO 15765-2:2016: a request or an answer of several frames.
    Conversation diagnostics(can::Identifier request, can::Identifier answer, std::optional<unsigned> requestAddress = {},
        std::optional<unsigned> answerAddress = {})
    {
        begin();
        const bool asks = some(2) != 0;
        const can::Identifier from = asks ? request : answer, to = asks ? answer : request;
        const unsigned size = 8 + some(some(5) == 0 ? 6000 : 300);
        fill(size);
        const unsigned service = 0x10 + some(0x2F);
        talk_.data[0] = static_cast<std::uint8_t>(asks ? service : service | 0x40U);
        talk_.kind = asks ? "request" : "answer";
        if (!asks && size <= 4095 && some(6) == 0) {
            talk_.data[0] = 0x7F;
            talk_.data[1] = static_cast<std::uint8_t>(service);
            talk_.kind = "refused";
        }
        char text[8];
        std::snprintf(text, sizeof text, "0x%02X", service);
        talk_.what = text;
        const bool fd = some(4) == 0;
        // With an address a byte less is left.
        const unsigned shorter = (asks ? requestAddress : answerAddress) ? 1 : 0, wide = (fd ? 64 : 8) - shorter;
        const auto lay = [&](can::Identifier id, std::vector<unsigned> bytes) {
            if (const auto address = id == request ? requestAddress : answerAddress)
                bytes.insert(bytes.begin(), *address);
            put(id.value, id.extended, bytes);
        };
        std::vector<unsigned> first;
        if (size > 4095)
            first = {0x10, 0, 0, 0, size >> 8, size & 255U};
        else
            first = {0x10 | size >> 8, size & 255U};
        unsigned sent = 0;
        while (first.size() < wide && sent < size)
            first.push_back(talk_.data[sent++]);
        if (sent == size) {  // it fits into a single frame of that width: a first frame of eight bytes then
            sent = 0;
            first.resize(size > 4095 ? 6 : 2);
            while (first.size() < 8 - shorter)
                first.push_back(talk_.data[sent++]);
        }
        lay(from, first);
        const unsigned breaks = some(3) == 0 ? 1 + some(4) : 0, stop = some(4);
        unsigned number = 1, left = 0, rounds = 0;
        while (sent < size) {
            if (left == 0) {
                if (breaks == 1 && rounds == stop)
                    return end("timeout", sent, 1100);
                if (some(5) == 0)
                    lay(to, {0x31, 0, 0});  // wait
                if (breaks == 2 && rounds == stop) {
                    lay(to, {0x32, 0, 0});
                    return end("aborted", sent, 0);
                }
                const unsigned block = some(12);
                lay(to, {0x30, block, some(10)});
                left = block == 0 ? 100'000 : block;
                ++rounds;
            }
            if (breaks == 3 && some(10) == 0) {
                lay(from, {0x20 | ((number + 1 + some(14)) & 15U), 1, 2, 3, 4, 5, 6, 7});
                return end("sequence", sent, 0);
            }
            if (breaks == 4 && some(10) == 0)
                return end("timeout", sent, 1100);
            std::vector<unsigned> bytes{0x20 | (number++ & 15U)};
            while (bytes.size() < first.size() && sent < size)
                bytes.push_back(talk_.data[sent++]);
            lay(from, bytes);
            --left;
        }
        return end("whole", size, 0);
    }

private:
    void begin()
    {
        talk_ = {};
        at_ = Time{};
    }
    void fill(unsigned size)
    {
        talk_.data.resize(size);
        for (std::uint8_t& byte : talk_.data)
            byte = static_cast<std::uint8_t>(random_());
    }
    Conversation end(const char* how, std::uint64_t bytes, int silence)
    {
        talk_.ended = how;
        talk_.bytes = bytes;
        talk_.silence = std::chrono::milliseconds(silence);
        return std::move(talk_);
    }
    void put(std::uint32_t id, bool extended, std::vector<unsigned> bytes)
    {
        at_ += std::chrono::microseconds(500 + some(some(20) == 0 ? 600'000 : 4'000));
        can::Frame frame;
        frame.time = at_;
        frame.id = {id, extended};
        frame.kind = bytes.size() > 8 ? can::FrameKind::fd : can::FrameKind::data;
        while (frame.kind == can::FrameKind::fd && can::lengthOfDlc(can::dlcOfLength(static_cast<unsigned>(bytes.size()))) > bytes.size())
            bytes.push_back(0xCC);
        frame.length = static_cast<std::uint8_t>(bytes.size());
        frame.dlc = can::dlcOfLength(frame.length);
        for (std::size_t i = 0; i < bytes.size(); ++i)
            frame.data[i] = static_cast<std::uint8_t>(bytes[i]);
        talk_.frames.push_back(frame);
    }

    std::mt19937 random_;
    Conversation talk_;
    Time at_{};
};

}  // namespace wavetrope::test
