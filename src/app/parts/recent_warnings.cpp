// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/parts/recent_warnings.h"

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QEvent>
#include <QMessageBox>
#include <QRegularExpression>
#include <QSysInfo>

#include <deque>
#include <mutex>

namespace wavetrope::app {

namespace {

struct Warnings {
    std::mutex mutex;
    std::deque<std::pair<qint64, QString>> list;
    QElapsedTimer since;
    QtMessageHandler before = nullptr;
};

Warnings& warnings()
{
    static Warnings all;
    return all;
}

void ofLibraries(QtMsgType type, const QMessageLogContext& context, const QString& text)
{
    if (type != QtDebugMsg && type != QtInfoMsg)
        RecentWarnings::note(text);
    if (warnings().before != nullptr)
        warnings().before(type, context, text);
}

}  // namespace

void RecentWarnings::watch()
{
    static bool watching = false;
    if (std::exchange(watching, true))
        return;
    warnings().since.start();
    warnings().before = qInstallMessageHandler(ofLibraries);
    auto* filter = new RecentWarnings;
    filter->setParent(qApp);
    qApp->installEventFilter(filter);
}

void RecentWarnings::note(const QString& text)
{
    Warnings& all = warnings();
    const std::scoped_lock lock(all.mutex);
    all.list.emplace_back(all.since.isValid() ? all.since.elapsed() : 0, text.left(longest));
    if (all.list.size() > static_cast<std::size_t>(most))
        all.list.pop_front();
}

QStringList RecentWarnings::all()
{
    Warnings& kept = warnings();
    const std::scoped_lock lock(kept.mutex);
    QStringList out;
    for (const auto& [at, text] : kept.list)
        out << QStringLiteral("%1 s  %2").arg(static_cast<double>(at) / 1000, 0, 'f', 1).arg(impersonal(text));
    return out;
}

QString RecentWarnings::impersonal(QString text)
{
    // A file's name, with its folders or without: of its endings those stay that say what it is.
    static const QRegularExpression files(QStringLiteral(
        R"((?:[^\s'"(),;:<>]*/)?[^\s'"(),;:/<>]*?((?:\.(?:pcapng|pcap|json|dbc|csv|db|sqlite|txt|log|run|html|png|svg))(?:\.(?:gz|zst))?)(?![\w.]))"));
    static const QRegularExpression paths(QStringLiteral(R"((?<![\w*])/(?:[^\s'"(),;:<>/]+/)*[^\s'"(),;:<>/]+/?)"));
    text.replace(files, QStringLiteral("*\\1"));
    text.replace(paths, QStringLiteral("/..."));
    for (const QString& name : {QDir::home().dirName(), qEnvironmentVariable("USER"), QSysInfo::machineHostName()})
        if (name.size() > 2)
            text.replace(QRegularExpression(QStringLiteral("\\b%1\\b").arg(QRegularExpression::escape(name))), QStringLiteral("..."));
    text.replace(QLatin1Char('\n'), QLatin1Char(' '));
    return text;
}

bool RecentWarnings::eventFilter(QObject* object, QEvent* event)
{
    if (event->type() == QEvent::Show)
        if (const auto* box = qobject_cast<QMessageBox*>(object); box != nullptr && box->icon() != QMessageBox::NoIcon)
            note(box->text() + (box->informativeText().isEmpty() ? QString() : QLatin1Char(' ') + box->informativeText()));
    return QObject::eventFilter(object, event);
}

}  // namespace wavetrope::app
