// SPDX-License-Identifier: GPL-3.0-or-later
// Reads the comma-separated reference files under tests/data.
#pragma once

#include <QByteArray>
#include <QFile>
#include <QList>
#include <QString>

#include <array>
#include <cstdint>
#include <vector>

inline QString dataPath(const char* name) { return QStringLiteral(WAVETROPE_TEST_DATA "/") + QLatin1String(name); }

/// All rows behind the header; an empty list when the file cannot be read.
inline QList<QList<QByteArray>> vectorRows(const char* name)
{
    QFile file(dataPath(name));
    QList<QList<QByteArray>> rows;
    if (!file.open(QIODevice::ReadOnly))
        return rows;
    file.readLine();
    while (!file.atEnd()) {
        const QByteArray line = file.readLine().trimmed();
        if (!line.isEmpty())
            rows.append(line.split(','));
    }
    return rows;
}

/// Bytes of a hexadecimal text, in a buffer of 64.
inline std::array<std::uint8_t, 64> bytesOf(const QByteArray& hex)
{
    std::array<std::uint8_t, 64> bytes{};
    const QByteArray plain = QByteArray::fromHex(hex);
    std::copy(plain.begin(), plain.end(), reinterpret_cast<char*>(bytes.data()));
    return bytes;
}
