// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lanes/window_field.h"

#include <algorithm>
#include <cmath>

#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

WindowField::WindowField(Stage& stage) : stage_(stage)
{
    setObjectName(QStringLiteral("lanesWindow"));
    setAutoRaise(true);
    setFocusPolicy(Qt::NoFocus);
    setToolTip(tr("Type another range, such as 44 to 50 or 1:02.5 to 1:03, or a width, such as 10 s (W)"));
    Theme::writeInBody(this);
    connect(this, &QToolButton::clicked, this, &WindowField::edit);
}

// With as many decimals as tell a hundredth of the window.
void WindowField::refresh()
{
    const double from = stage_.seconds(stage_.windowFrom());
    const double to = stage_.seconds(stage_.windowTo());
    const int decimals = std::clamp(2 - static_cast<int>(std::floor(std::log10(std::max(to - from, 1e-9)))), 1, 9);
    setText(tr("%1 to %2").arg(timeText(from, decimals), timeWords(to, decimals)));
}

void WindowField::edit()
{
    if (field_ != nullptr)
        return;
    // Above all, since the reason why not stands under it.
    field_ = new InPlaceField(window());
    field_->setObjectName(QStringLiteral("lanesWindowField"));
    field_->setAccessibleName(tr("From when to when is shown"));
    connect(field_, &InPlaceField::kept, field_, &QObject::deleteLater);
    connect(field_, &InPlaceField::left, field_, &QObject::deleteLater);
    constexpr int leastWidth = 190;
    field_->open(QRect(mapTo(window(), QPoint(0, 0)), size()), leastWidth, text(), tr("44 to 50, or 10 s"),
        [this](const QString& words) { return show(words); });
}

Expected<void> WindowField::show(const QString& words)
{
    const auto range = rangeFromText(words.trimmed().toStdString());
    if (!range)
        return tl::unexpected(range.error());
    if (!range->from) {
        stage_.setWidth(range->to);
        return {};
    }
    const Time whole = stage_.wholeTo() - stage_.wholeFrom();
    if (range->to.count() <= 0 || *range->from >= whole)
        return fail(tr("There is nothing then: it goes from %1 to %2")
                .arg(timeWords(0, 1), timeWords(stage_.seconds(stage_.wholeTo()), 1))
                .toStdString());
    const Time from = std::max(Time{0}, *range->from), to = std::min(whole, range->to);
    if (to - from < Stage::narrowestWindow)
        Q_EMIT stage_.told(tr("The narrowest window is %1").arg(wavetrope::app::text(spanText(Stage::narrowestWindow))));
    stage_.chooseWindow(stage_.wholeFrom() + from, stage_.wholeFrom() + to);
    return {};
}

}  // namespace wavetrope::app
