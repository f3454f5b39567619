// SPDX-License-Identifier: GPL-3.0-or-later
// How items of a board are drawn.
#pragma once

#include <QPainter>
#include <QRectF>

#include <vector>

#include "app/board/board_reader.h"
#include "app/theme/theme.h"
#include "board/board_spec.h"

namespace wavetrope::app {

/// Draws items in the two themes, at sizes that are read from three metres: all grow with the cells.
class GaugePainter {
public:
    /// `cell` is the height of a cell in pixels.
    GaugePainter(QPainter& painter, Stage& stage, double cell) : painter_(painter), stage_(stage), cell_(cell) {}

    void paint(const QRectF& box, const board::Item& item, const BoardReading& reading, bool focused);

    /// @name Where a control is taken hold of, in its box
    ///@{
    /// The line of a slider.
    [[nodiscard]] static QRectF trackOf(const QRectF& box, double cell);
    /// The parts of a switch or a choice.
    [[nodiscard]] static std::vector<QRectF> partsOf(const QRectF& box, double cell, std::size_t count);
    /// A button, or the field of an entry.
    [[nodiscard]] static QRectF buttonOf(const QRectF& box, double cell);
    /// Middle and radius of a dial, and the angle of a part of its range: degrees clockwise from up.
    struct Dial {
        QPointF centre;
        double radius = 0;
    };
    [[nodiscard]] static Dial dialOf(const QRectF& box, double cell);
    [[nodiscard]] static double angleOf(double part) { return -60 + 120 * part; }
    ///@}

private:
    struct Face {
        QFont font;
        double ascent = 0, descent = 0, cap = 0, digit = 0;
        std::uint32_t key = 0;
    };
    /// Draws words from their baseline; those that were drawn before are not shaped again.
    void draw(const QPointF& base, const QString& text, const Face& face, const QColor& colour);
    void badge(const QRectF& box, unsigned bus);
    [[nodiscard]] static const Face& face(double pixels, bool mono, QFont::Weight weight);
    [[nodiscard]] static double wideAt100(const QString& words, bool mono, QFont::Weight weight);
    [[nodiscard]] static double wideOf(const QString& words, double pixels, bool mono, QFont::Weight weight = QFont::Normal);
    [[nodiscard]] QFont font(double pixels, bool mono, QFont::Weight weight = QFont::Normal) const;
    /// The largest size up to `most` at which words are no wider than a width.
    [[nodiscard]] double sizeFor(const QString& words, double most, double width, bool mono, QFont::Weight weight = QFont::Normal) const;
    [[nodiscard]] double labelSize() const;
    double head(const QRectF& box, const BoardReading& reading, double right = 0);
    void value(const QRectF& box, const BoardReading& reading, Qt::Alignment alignment, double most);
    void limitWords(const QRectF& line, const BoardReading& reading);
    void bar(const QRectF& line, const BoardReading& reading);
    void number(const QRectF& box, const BoardReading& reading);
    void barGauge(const QRectF& box, const BoardReading& reading);
    void dial(const QRectF& box, const BoardReading& reading, bool control, bool focused);
    void lamp(const QRectF& box, const BoardReading& reading);
    void state(const QRectF& box, const BoardReading& reading);
    void history(const QRectF& box, const BoardReading& reading);
    void slider(const QRectF& box, const BoardReading& reading, bool focused);
    void parts(const QRectF& box, const BoardReading& reading, bool focused);
    void button(const QRectF& box, const board::Item& item, const BoardReading& reading, bool focused);
    void entry(const QRectF& box, const BoardReading& reading, bool focused);
    void controlWords(const QRectF& box, const BoardReading& reading);
    void picture(const QRectF& box, const board::Item& item);
    void words(const QRectF& box, const QString& text, const QFont& font, const QColor& colour,
        Qt::Alignment alignment = Qt::AlignLeft | Qt::AlignVCenter);
    [[nodiscard]] QColor hue(const BoardReading& reading) const;
    [[nodiscard]] static double partOf(const BoardReading& reading, double value);

    QPainter& painter_;
    Stage& stage_;
    double cell_;
    const Theme& theme_ = Theme::get();
    const QString monoFamily_ = theme_.mono(10).family();
};

}  // namespace wavetrope::app
