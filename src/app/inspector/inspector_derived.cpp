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
    form_->show(source->name());
    place(form_, y);
    lines_ << tr("formula") + QStringLiteral(": ") + app::text(derived.spec.formula);
    if (!form_->problem().isEmpty())
        lines_ << form_->problem();
    placePanel(y, source->path);
    if (derived.problem) {
        contentHeight_ = y;
        return;
    }
    const auto value = stage_.curveDesk().series(*source)->at(stage_.snapshot(), stage_.cursor());
    fact(painter, y, tr("At the cursor"), value ? source->reading(*value) : tr("no value yet"));
    section(painter, y, tr("Worked out from"), tr("at the cursor"));
    for (const CurveSource& input : source->inputs()) {
        const auto now = stage_.curveDesk().series(input)->at(stage_.snapshot(), stage_.cursor());
        fact(painter, y, input.name(), now ? input.reading(*now) : tr("no value yet"));
    }
    contentHeight_ = y;
}

}  // namespace wavetrope::app
