// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/interface_words.h"

#include <QCoreApplication>
#include <QDateTime>

#include "app/parts/text.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

QString words(const char* source) { return QCoreApplication::translate("Interfaces", source); }

}  // namespace

QString clockText(Time time)
{
    return QDateTime::fromMSecsSinceEpoch(time / std::chrono::milliseconds(1)).toString(QStringLiteral("HH:mm:ss"));
}

QString rateWords(can::BitRate rate)
{
    const auto one = [](std::uint32_t bits) {
        return bits % 1'000'000 == 0 ? QStringLiteral("%1 Mbit/s").arg(bits / 1'000'000) : QStringLiteral("%1 kbit/s").arg(bits / 1000.0);
    };
    return rate.data > 0 ? words("%1 and %2").arg(one(rate.nominal), one(rate.data)) : one(rate.nominal);
}

InterfaceWords wordsOf(const bus::WatchedInterface& of)
{
    const bus::KernelInterface& is = of.is;
    InterfaceWords out;
    const bool own = is.kind != "can";
    if (of.gone) {
        out.state = words("gone");
        out.first = is.place.empty() ? words("since %1").arg(clockText(of.since))
                                     : words("since %1, pulled out of %2").arg(clockText(of.since), text(is.place));
        out.second = words("A rig that names it waits for it, and takes it up when it is back.");
        return out;
    }
    out.state = is.alive() ? words("alive") : is.state == "bus off" ? words("bus off") : words("down");
    if (own)
        out.first = words("of the kernel's own making, no bit rate");
    else if (!is.rate.known())
        out.first = words("no bit rate set yet");
    else
        out.first = is.samplePoint > 0 ? words("%1, sample point %2 %").arg(rateWords(is.rate)).arg(is.samplePoint, 0, 'f', 1)
                                       : rateWords(is.rate);
    QStringList parts;
    if (!is.place.empty())
        parts << text(is.place);
    if (is.hasController && is.up)
        parts << (is.state == "up" ? words("error active") : text(is.state));
    if (is.listenOnly)
        parts << words("listens only");
    if (is.fd)
        parts << words("FD");
    if (own && is.alive())
        parts << words("no wire hangs on it");
    if (!is.up && of.last != bus::InterfaceChange::What::present)
        parts << words("down since %1").arg(clockText(of.since));
    out.second = parts.join(QStringLiteral(", "));
    return out;
}

void paintPlug(QPainter& painter, const QRectF& box, const bus::WatchedInterface& of)
{
    const Theme& theme = Theme::get();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    const double unit = box.height() / 12;
    QPen pen(of.gone ? theme.ink3 : of.is.alive() ? theme.ink : theme.ink2, 2 * unit);
    pen.setCapStyle(Qt::FlatCap);
    painter.setPen(pen);
    const QPointF centre = box.center();
    const double gap = of.is.alive() && !of.gone ? 0 : 2.2 * unit;
    const auto line = [&](double x, double y, double toX, double toY) {
        painter.drawLine(centre + QPointF(x * unit, y * unit), centre + QPointF(toX * unit, toY * unit));
    };
    line(-8, 0, -gap / unit, 0);
    line(-3 - gap / unit, -4, -3 - gap / unit, 4);
    if (of.gone) {
        pen.setDashPattern({0.8, 0.8});
        painter.setPen(pen);
        line(gap / unit, 0, 8, 0);
    } else {
        line(gap / unit, 0, 8, 0);
        line(3 + gap / unit, -4, 3 + gap / unit, 4);
    }
    painter.restore();
}

}  // namespace wavetrope::app
