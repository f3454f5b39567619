// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/bus_choice.h"

#include <QAbstractItemView>

#include <algorithm>

#include "app/stage/stage.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

BusChoice::BusChoice(Stage& stage, const QString& name, const QString& tip, const QString& all) : stage_(stage), all_(all)
{
    setObjectName(name);
    setToolTip(tip);
    connect(this, &QComboBox::currentIndexChanged, this, [this](int index) {
        if (index >= 0)
            wanted_ = currentData().toString();
    });
}

void BusChoice::fill()
{
    const Theme& theme = Theme::get();
    const QSignalBlocker block(this);
    const int keep = std::max(0, currentIndex());
    clear();
    if (!all_.isEmpty())
        addItem(all_, QString());
    const auto& buses = stage_.document().buses();
    for (std::size_t i = 0; i < buses.size(); ++i)
        addItem(stage_.mark(static_cast<unsigned>(i)).letter + QStringLiteral("  ") + QString::fromStdString(buses[i].name),
            QString::fromStdString(buses[i].name));
    setCurrentIndex(std::clamp(wanted_.isEmpty() ? keep : findData(wanted_), 0, std::max(0, count() - 1)));
    setFont(theme.body());
    if (compact_) {
        setFixedWidth(theme.px(42));
        view()->setMinimumWidth(theme.px(150));
        return;
    }
    int widest = 0;
    for (int i = 0; i < count(); ++i)
        widest = std::max(widest, QFontMetrics(theme.body()).horizontalAdvance(itemText(i)));
    setMinimumWidth(std::min(widest, theme.px(160)) + theme.px(44));
}

}  // namespace wavetrope::app
