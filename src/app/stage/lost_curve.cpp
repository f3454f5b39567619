// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/lost_curve.h"

#include <QObject>

#include <algorithm>

#include "app/parts/text.h"
#include "app/stage/stage.h"
#include "base/nearest_name.h"

namespace wavetrope::app {

LostCurve lostCurve(const database::Catalog& catalog, const QString& path)
{
    LostCurve lost;
    lost.path = path;
    if (path.startsWith(QLatin1Char(':'))) {
        lost.name = path.mid(1);
        lost.why = QObject::tr("the rig has no such derived signal");
        std::vector<std::string> names;
        for (const database::DerivedSignal& derived : catalog.derived())
            names.push_back(derived.spec.name);
        if (const std::string near = nearestName(lost.name.toStdString(), names); !near.empty()) {
            lost.next = QLatin1Char(':') + text(near);
            lost.nextName = text(near);
        }
        return lost;
    }
    const auto colon = path.indexOf(QLatin1Char(':'));
    const auto dot = path.indexOf(QLatin1Char('.'), colon);
    const QString busName = path.left(colon), messageName = path.mid(colon + 1, dot - colon - 1);
    lost.name = path.mid(dot + 1);
    const std::string name = lost.name.toStdString();
    const int bus = catalog.findBus(busName.toStdString());
    const database::CatalogMessage* message = nullptr;
    for (const database::CatalogMessage& one : catalog.messages())
        if (one.bus == bus && one.message->name == messageName.toStdString())
            message = &one;
    lost.why = bus < 0              ? QObject::tr("there is no bus %1").arg(busName)
               : message == nullptr ? QObject::tr("no database of %1 has the message %2").arg(busName, messageName)
                                    : QObject::tr("%1 of %2 has no such signal").arg(messageName, busName);
    const auto take = [&](const database::SignalRef& ref) {
        lost.next = signalPath(catalog, ref);
        lost.nextName = QObject::tr("%1 of %2").arg(text(ref.signal().name), text(ref.message->message->name));
    };
    // The same name on its bus, then anywhere, then the nearest name in its message.
    std::vector<database::SignalRef> same = catalog.findSignals(name);
    std::stable_sort(same.begin(), same.end(),
        [&](const database::SignalRef& a, const database::SignalRef& b) { return (a.message->bus == bus) > (b.message->bus == bus); });
    if (!same.empty()) {
        take(same.front());
    } else if (message != nullptr) {
        std::vector<std::string> names;
        for (const database::Signal& signal : message->message->signals)
            names.push_back(signal.name);
        const std::string near = nearestName(name, names);
        for (std::uint32_t i = 0; i < names.size(); ++i)
            if (names[i] == near && !near.empty())
                take({message, i});
    }
    return lost;
}

}  // namespace wavetrope::app
