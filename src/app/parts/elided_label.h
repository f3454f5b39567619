// SPDX-License-Identifier: GPL-3.0-or-later
// A label that says what there is room for.
#pragma once

#include <QLabel>
#include <QPainter>

namespace wavetrope::app {

/// Ends in dots where its text is longer than its place, and never asks for more.
class ElidedLabel final : public QLabel {
public:
    using QLabel::QLabel;
    [[nodiscard]] QSize minimumSizeHint() const override
    {
        return {fontMetrics().averageCharWidth() * 3, QLabel::minimumSizeHint().height()};
    }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        painter.setPen(palette().color(QPalette::WindowText));
        painter.drawText(
            contentsRect(), Qt::AlignVCenter | Qt::AlignLeft, fontMetrics().elidedText(text(), Qt::ElideRight, contentsRect().width()));
    }
};

}  // namespace wavetrope::app
