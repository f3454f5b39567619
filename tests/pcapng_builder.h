// SPDX-License-Identifier: GPL-3.0-or-later
// Logs in the pcapng layout, block by block.
#pragma once

#include <QByteArray>

#include <cstdint>

namespace wavetrope {

/// Builds pcapng logs in either byte order, sound ones and others.
struct PcapngBuilder {
    QByteArray bytes;
    bool big = false;

    void put(QByteArray& to, std::uint64_t value, int size) const
    {
        for (int i = 0; i < size; ++i)
            to.append(static_cast<char>(value >> 8 * (big ? size - 1 - i : i)));
    }
    PcapngBuilder& block(std::uint32_t type, const QByteArray& body)
    {
        put(bytes, type, 4);
        put(bytes, static_cast<std::uint64_t>(body.size()) + 12, 4);
        bytes.append(body);
        put(bytes, static_cast<std::uint64_t>(body.size()) + 12, 4);
        return *this;
    }
    QByteArray option(int code, const QByteArray& value) const
    {
        QByteArray out;
        put(out, static_cast<std::uint64_t>(code), 2);
        put(out, static_cast<std::uint64_t>(value.size()), 2);
        out.append(value);
        out.append(QByteArray((4 - value.size() % 4) % 4, '\0'));
        return out;
    }
    PcapngBuilder& section()
    {
        QByteArray body;
        put(body, 0x1A2B3C4D, 4);
        put(body, 1, 2);
        put(body, 0, 2);
        put(body, ~0ULL, 8);
        return block(0x0A0D0D0A, body);
    }
    PcapngBuilder& interface(const char* name = "", int link = 227, const QByteArray& more = {})
    {
        QByteArray body;
        put(body, static_cast<std::uint64_t>(link), 2);
        put(body, 0, 2);
        put(body, 0, 4);
        if (*name != '\0')
            body += option(2, name);
        body += option(9, QByteArray(1, '\x09')) + more + option(0, {});
        return block(1, body);
    }
    static QByteArray packet(std::uint32_t word, const QByteArray& data, int flags = 0, int code = 0)
    {
        QByteArray out;
        for (int shift = 24; shift >= 0; shift -= 8)
            out.append(static_cast<char>(word >> shift));
        out.append(static_cast<char>(data.size()));
        out.append(static_cast<char>(flags));
        out.append('\0');
        out.append(static_cast<char>(code));
        return out + data;
    }
    PcapngBuilder& frame(std::uint64_t time, const QByteArray& packet, int interface = 0, const QByteArray& options = {})
    {
        QByteArray body;
        put(body, static_cast<std::uint64_t>(interface), 4);
        put(body, time >> 32, 4);
        put(body, time & 0xFFFFFFFF, 4);
        put(body, static_cast<std::uint64_t>(packet.size()), 4);
        put(body, static_cast<std::uint64_t>(packet.size()), 4);
        body += packet + QByteArray((4 - packet.size() % 4) % 4, '\0') + options;
        return block(6, body);
    }
};

}  // namespace wavetrope
