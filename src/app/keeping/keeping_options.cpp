// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/keeping/keeping_options.h"

#include <QDir>
#include <QFileInfo>

#include <QSettings>

#include <algorithm>

#include "formats/trace_sink.h"

namespace wavetrope::app {

namespace {

constexpr double megabyte = 1e6;

}  // namespace

double usualMemory() { return static_cast<double>(formats::memoryBound() / 3) / megabyte; }

std::optional<spool::SpoolOptions> keepingOptions()
{
    const QSettings settings;
    if (!settings.value(KeepingKeys::on, true).toBool())
        return std::nullopt;
    spool::SpoolOptions options;
    options.folder = settings.value(KeepingKeys::folder, QString::fromStdString(spool::usualFolder())).toString().toStdString();
    options.memory = std::max(
        spool::leastMemory, static_cast<std::size_t>(settings.value(KeepingKeys::memory, usualMemory()).toDouble() * megabyte));
    options.leaveFree = static_cast<std::uint64_t>(
        settings.value(KeepingKeys::leaveFree, static_cast<double>(options.leaveFree) / megabyte).toDouble() * megabyte);
    return options;
}

QString takesFolder(const rig::Rig& rig)
{
    if (!rig.path.empty())
        return QFileInfo(QString::fromStdString(rig.path)).absoluteDir().filePath(QStringLiteral("takes"));
    return QFileInfo(QString::fromStdString(spool::usualFolder())).absoluteDir().filePath(QStringLiteral("takes"));
}

}  // namespace wavetrope::app
