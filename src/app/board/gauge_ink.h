// SPDX-License-Identifier: GPL-3.0-or-later
// Words, digits and badges of a board, drawn often.
#pragma once

#include <QPainter>
#include <QRectF>
#include <QString>

#include <cstdint>

#include "app/theme/theme.h"

namespace wavetrope::app {

/// What was shaped or drawn before is not made again. What lies beside the parts that are painted anew is passed over.
class GaugeInk {
public:
    explicit GaugeInk(QPainter& painter) : painter_(painter) {}

    /// What is painted anew from now on; all where that is empty.
    void paintOnly(const QRectF& part) { part_ = part; }
    [[nodiscard]] bool touches(const QRectF& box) const { return part_.isEmpty() || part_.intersects(box); }

    /// A font with its measures.
    struct Face {
        QFont font;
        double ascent = 0, descent = 0, cap = 0, digit = 0;
        std::uint32_t key = 0;
    };
    [[nodiscard]] static const Face& face(double pixels, bool mono, QFont::Weight weight);
    [[nodiscard]] static QFont font(double pixels, bool mono, QFont::Weight weight = QFont::Normal);
    [[nodiscard]] static double wideOf(const QString& words, double pixels, bool mono, QFont::Weight weight = QFont::Normal);
    /// The largest size up to `most` at which words are no wider than a width.
    [[nodiscard]] static double sizeFor(const QString& words, double most, double width, bool mono, QFont::Weight weight = QFont::Normal);

    /// Draws words from their baseline.
    void draw(const QPointF& base, const QString& text, const Face& face, const QColor& colour);
    /// A number of the monospace face in its digits, each drawn once and put there as a picture: numbers are others all the time.
    void digits(const QPointF& base, const QString& number, const Face& face, const QColor& colour);
    /// In a box; what is too wide for it is cut short.
    void words(const QRectF& box, const QString& text, const QFont& font, const QColor& colour,
        Qt::Alignment alignment = Qt::AlignLeft | Qt::AlignVCenter);
    void badge(const QRectF& box, const BusMark& mark);
    /// A disc.
    void dot(const QPointF& centre, double radius, const QColor& colour);

private:
    [[nodiscard]] static double wideAt100(const QString& words, bool mono, QFont::Weight weight);

    QPainter& painter_;
    QRectF part_;
    const Theme& theme_ = Theme::get();
    const QString monoFamily_ = theme_.mono(10).family();
};

}  // namespace wavetrope::app
