// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/parts/notation.h"

#include <QDateTime>
#include <QSettings>

#include <chrono>
#include <cmath>

#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

const QString timeKey = QStringLiteral("notation/minutes"), byteKey = QStringLiteral("notation/decimalBytes"),
              rawKey = QStringLiteral("notation/hexadecimalRaw");

constexpr Time clockStampsFrom = std::chrono::seconds(100'000'000);

// Kept at hand, since every text that is painted asks for it.
struct Chosen {
    TimeForm time = QSettings().value(timeKey, false).toBool() ? TimeForm::minutes : TimeForm::seconds;
    NumberBase bytes = QSettings().value(byteKey, false).toBool() ? NumberBase::decimal : NumberBase::hexadecimal;
    NumberBase raw = QSettings().value(rawKey, false).toBool() ? NumberBase::hexadecimal : NumberBase::decimal;
};

Chosen& chosen()
{
    static Chosen one;
    return one;
}

}  // namespace

TimeForm timeForm() { return chosen().time; }

void setTimeForm(TimeForm form)
{
    chosen().time = form;
    QSettings().setValue(timeKey, form == TimeForm::minutes);
    Q_EMIT Theme::get().changed();
}

NumberBase byteBase() { return chosen().bytes; }

void setByteBase(NumberBase base)
{
    chosen().bytes = base;
    QSettings().setValue(byteKey, base == NumberBase::decimal);
    Q_EMIT Theme::get().changed();
}

NumberBase rawBase() { return chosen().raw; }

void setRawBase(NumberBase base)
{
    chosen().raw = base;
    QSettings().setValue(rawKey, base == NumberBase::hexadecimal);
    Q_EMIT Theme::get().changed();
}

QString timeText(double seconds, int decimals)
{
    if (timeForm() == TimeForm::seconds)
        return QString::number(seconds, 'f', decimals);
    // Rounded once, as a whole number of the last digit: 59.9996 s are 1:00.000, not 0:60.000.
    const double scale = std::pow(10.0, decimals);
    const auto all = static_cast<long long>(std::llround(std::abs(seconds) * scale));
    const auto minute = static_cast<long long>(60 * scale);
    const long long minutes = all / minute;
    const double rest = static_cast<double>(all % minute) / scale;
    const QString sign = seconds < 0 && all > 0 ? QStringLiteral("-") : QString();
    const QString front = minutes >= 60 ? QStringLiteral("%1:%2").arg(minutes / 60).arg(minutes % 60, 2, 10, QLatin1Char('0'))
                                        : QString::number(minutes);
    return sign + front + QStringLiteral(":%1").arg(rest, decimals == 0 ? 2 : decimals + 3, 'f', decimals, QLatin1Char('0'));
}

QString timeWords(double seconds, int decimals)
{
    return timeForm() == TimeForm::seconds ? QObject::tr("%1 s").arg(timeText(seconds, decimals)) : timeText(seconds, decimals);
}

QString timeHead(const QString& name)
{
    return timeForm() == TimeForm::seconds ? QObject::tr("%1, s").arg(name) : QObject::tr("%1, min:s").arg(name);
}

QString dateText(Time time)
{
    const auto whole = std::chrono::floor<std::chrono::seconds>(time);
    const auto rest = (time - whole).count() / 1000;
    return QDateTime::fromSecsSinceEpoch(whole.count(), Qt::UTC).toString(QStringLiteral("yyyy-MM-dd HH:mm:ss"))
           + QStringLiteral(".%1").arg(rest, 6, 10, QLatin1Char('0'));
}

QString momentText(Time time)
{
    return time < clockStampsFrom ? QString::fromStdString(wavetrope::secondsText(time)) + QStringLiteral(" s") : dateText(time);
}

QString byteText(unsigned byte)
{
    return byteBase() == NumberBase::decimal ? QString::number(byte) : QStringLiteral("%1").arg(byte, 2, 16, QLatin1Char('0')).toUpper();
}

QString rawText(const std::string& decimal, std::uint64_t bits, unsigned length)
{
    if (rawBase() == NumberBase::decimal)
        return QString::fromStdString(decimal);
    return QStringLiteral("0x") + QStringLiteral("%1").arg(bits, static_cast<int>((length + 3) / 4), 16, QLatin1Char('0')).toUpper();
}

}  // namespace wavetrope::app
