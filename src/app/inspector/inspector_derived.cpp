// SPDX-License-Identifier: GPL-3.0-or-later
// A signal that is worked out from others.
#include <QPainter>

#include "app/inspector/inspector_view.h"
#include "app/parts/text.h"
#include "app/paint/paint.h"
#include "app/stage/curve_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

void Inspector::paintDerived(QPainter& painter)
{
    const Theme& theme = Theme::get();
    const auto source = curveOf(stage_.document().catalog(), QLatin1Char(':') + stage_.selection().node);
    double y = theme.px(10);
    if (!source) {
        heading(painter, y, stage_.selection().node, tr("no longer there"), -1, QString());
        return;
    }
    const database::DerivedSignal& derived = source->catalog->derived()[source->derived];
    heading(painter, y, source->name(), tr("derived signal"), -1, QString());
    if (!derived.spec.comment.empty())
        passage(painter, y, QString(), app::text(derived.spec.comment), false, theme.ink2);
    passage(painter, y, tr("formula"), app::text(derived.spec.formula), true);
    if (derived.problem) {
        passage(painter, y, tr("has no value"), app::text(derived.problem->text()), false, theme.error);
        return;
    }
    const auto value = stage_.curveDesk().series(*source)->at(stage_.snapshot(), stage_.cursor());
    fact(painter, y, tr("At the cursor"), value ? source->reading(*value) : tr("no value yet"));
    if (source->minimum() || source->maximum())
        fact(painter, y, tr("Range"),
            source->minimum() && source->maximum()
                ? tr("%1 to %2").arg(source->number(*source->minimum()), source->reading(*source->maximum()))
            : source->minimum() ? tr("from %1").arg(source->reading(*source->minimum()))
                                : tr("up to %1").arg(source->reading(*source->maximum())));
    section(painter, y, tr("Worked out from"), tr("at the cursor"));
    for (const database::DerivedSignal::Input& input : derived.inputs) {
        const CurveSource other{source->catalog, QString(), input.signal, input.derived};
        const QString path = other.isDerived() ? QLatin1Char(':') + other.name() : signalPath(*source->catalog, input.signal);
        const CurveSource known{source->catalog, path, input.signal, input.derived};
        const auto now = stage_.curveDesk().series(known)->at(stage_.snapshot(), stage_.cursor());
        fact(painter, y, known.name(), now ? known.reading(*now) : tr("no value yet"));
    }
}

}  // namespace wavetrope::app
