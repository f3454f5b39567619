// SPDX-License-Identifier: GPL-3.0-or-later
// The program of the command line, called from a test.
#pragma once

#include <QProcess>
#include <QString>
#include <QStringList>

namespace wavetrope::test {

struct Answer {
    int code = 0;  ///< -1: it crashed, or did not end.
    QString out, err;
};

inline Answer cli(const QStringList& arguments)
{
    QProcess process;
    process.start(QStringLiteral(WAVETROPE_CLI), arguments);
    if (!process.waitForFinished(60'000))
        return {-1, {}, {}};
    return {process.exitStatus() == QProcess::NormalExit ? process.exitCode() : -1, QString::fromUtf8(process.readAllStandardOutput()),
        QString::fromUtf8(process.readAllStandardError())};
}

}  // namespace wavetrope::test
