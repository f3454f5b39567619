// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/files/log_files.h"

#include <QCoreApplication>
#include <QFileDialog>

#include "formats/log_format.h"

namespace wavetrope::app {

namespace {

QString tr(const char* text) { return QCoreApplication::translate("LogFiles", text); }

QString namePatterns(const std::vector<std::string>& endings)
{
    QStringList out;
    for (const std::string& ending : endings)
        out << QLatin1Char('*') + QString::fromStdString(ending);
    return out.join(QLatin1Char(' '));
}

// Logs of any kind first, then lines of text alone, then everything: a name says little about what is in a file.
QString logKinds(const QString& all, const QString& more = {})
{
    using formats::LogUse;
    QString logs = namePatterns(formats::logEndings(LogUse::read)) + QLatin1Char(' ')
                   + namePatterns(formats::logEndings(LogUse::readAsText));
    if (!more.isEmpty())
        logs += QLatin1Char(' ') + more;
    return QStringLiteral("%1 (%2);;%3 (%4);;%5 (*)")
        .arg(all, logs, tr("Logs of text"), namePatterns(formats::logEndings(LogUse::readAsText)), tr("All files"));
}

}  // namespace

QString askForLog(QWidget* parent, const QString& title) { return QFileDialog::getOpenFileName(parent, title, {}, logKinds(tr("Logs"))); }

QString askForLogOrRig(QWidget* parent, const QString& title)
{
    return QFileDialog::getOpenFileName(parent, title, {}, logKinds(tr("Logs and rigs"), QStringLiteral("*.json")));
}

QStringList askForLogs(QWidget* parent, const QString& title)
{
    return QFileDialog::getOpenFileNames(parent, title, {}, logKinds(tr("Logs")));
}

QString askForGrowingLog(QWidget* parent, const QString& title)
{
    return QFileDialog::getOpenFileName(parent, title, {},
        QStringLiteral("%1 (%2);;%3 (*)").arg(tr("Logs"), namePatterns(formats::logEndings(formats::LogUse::follow)), tr("All files")));
}

QString askWhereToWriteLog(QWidget* parent, const QString& title, const QString& proposed)
{
    return QFileDialog::getSaveFileName(
        parent, title, proposed, QStringLiteral("%1 (%2)").arg(tr("Logs"), namePatterns(formats::logEndings(formats::LogUse::write))));
}

}  // namespace wavetrope::app
