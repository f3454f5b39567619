// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/paint/take_shape.h"

#include <algorithm>

#include "app/theme/theme.h"

namespace wavetrope::app {

void paintTakeShape(QPainter& painter, const QRectF& box, const TakeShape& take, Time from, Time to, const QColor& colour)
{
    const double width = static_cast<double>(std::max(to - from, Time{1}).count());
    const auto x = [&](Time time) {
        return std::clamp(box.left() + box.width() * static_cast<double>((time - from).count()) / width, box.left(), box.right());
    };
    const double unit = Theme::get().px(1), middle = box.center().y();
    const double thick = std::min(box.height(), 7.0 * unit);
    double left = x(take.begins), right = std::max(x(take.stops), left + 3 * unit);
    QRectF body(left, middle - thick / 2, right - left, thick);
    if (take.form == TakeShape::Form::missed) {
        painter.setPen(QPen(Theme::get().ink2, 1, Qt::DashLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawLine(QPointF(x(take.before), middle), QPointF(left, middle));
        painter.drawLine(QPointF(right, middle), QPointF(std::max(right, x(take.ends)), middle));
        painter.drawRect(body.adjusted(0, 0.5, 0, -0.5));
        return;
    }
    painter.fillRect(QRectF(x(take.before), middle - unit, left - x(take.before), 2 * unit), colour);
    painter.fillRect(QRectF(right, middle - unit, std::max(0.0, x(take.ends) - right), 2 * unit), colour);
    if (take.form == TakeShape::Form::kept) {
        painter.fillRect(body, colour);
        return;
    }
    painter.save();
    painter.setPen(QPen(colour, unit));
    painter.setBrush(QBrush(colour, Qt::BDiagPattern));
    painter.drawRect(body);
    painter.restore();
}

}  // namespace wavetrope::app
