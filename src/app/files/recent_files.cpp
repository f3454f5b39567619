// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/files/recent_files.h"

#include <QCoreApplication>
#include <QFileInfo>
#include <QSettings>

namespace wavetrope::app {

namespace {

const QString recentKey = QStringLiteral("recent");
constexpr int mostRecent = 12;

}  // namespace

QStringList recentFiles() { return QSettings().value(recentKey).toStringList(); }

void noteRecentFile(const QString& path)
{
    const QString whole = QFileInfo(path).absoluteFilePath();
    QStringList recent = recentFiles();
    recent.removeAll(whole);
    recent.prepend(whole);
    QSettings().setValue(recentKey, recent.mid(0, mostRecent));
}

QString demoRig()
{
    const QString program = QCoreApplication::applicationDirPath();
    for (const char* place : {"/../share/wavetrope/demo/rig.json", "/../../demo/rig.json", "/../../../demo/rig.json"})
        if (const QFileInfo rig(program + QLatin1String(place)); rig.isFile())
            return rig.canonicalFilePath();
    return {};
}

}  // namespace wavetrope::app
