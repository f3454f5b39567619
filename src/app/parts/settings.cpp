// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/parts/settings.h"

#include <QSettings>

#include <algorithm>

#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

const QString themeKey = QStringLiteral("theme"), scaleKey = QStringLiteral("scale"), windowKey = QStringLiteral("window"),
              daysKey = QStringLiteral("keeping/days"), curvesKey = QStringLiteral("curves/megabytes");
constexpr double usualSeconds = 12;
constexpr int usualDays = 30;

}  // namespace

double usualWindowSeconds() { return std::clamp(QSettings().value(windowKey, usualSeconds).toDouble(), 0.1, 3600.0); }

void setUsualWindowSeconds(double seconds) { QSettings().setValue(windowKey, seconds); }

QStringList patternFolders() { return QSettings().value(QStringLiteral("patternFolders")).toStringList(); }

void setPatternFolders(const QStringList& folders) { QSettings().setValue(QStringLiteral("patternFolders"), folders); }

int curveMegabytes()
{
    constexpr int usual = 1024, least = 16;
    return std::max(least, QSettings().value(curvesKey, usual).toInt());
}

void setCurveMegabytes(int megabytes) { QSettings().setValue(curvesKey, megabytes); }

int keptRunDays() { return std::max(0, QSettings().value(daysKey, usualDays).toInt()); }

void setKeptRunDays(int days) { QSettings().setValue(daysKey, days); }

void applyLook(const QString& theme)
{
    const QSettings settings;
    const QString chosen = theme.isEmpty() ? settings.value(themeKey, QStringLiteral("paper")).toString() : theme;
    Theme::get().choose(chosen == QLatin1String("ink") ? ThemeName::ink : ThemeName::paper);
    Theme::get().setScale(settings.value(scaleKey, 1.0).toDouble());
}

void scaleText(double by)
{
    Theme::get().setScale(Theme::get().scale() + by);
    QSettings().setValue(scaleKey, Theme::get().scale());
}

void toggleTheme()
{
    Theme::get().choose(Theme::get().name() == ThemeName::paper ? ThemeName::ink : ThemeName::paper);
    QSettings().setValue(themeKey, Theme::get().name() == ThemeName::ink ? QStringLiteral("ink") : QStringLiteral("paper"));
}

}  // namespace wavetrope::app
