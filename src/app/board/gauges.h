// SPDX-License-Identifier: GPL-3.0-or-later
// How items of a board are drawn.
#pragma once

#include <QImage>
#include <QPainter>
#include <QRectF>

#include <utility>
#include <vector>

#include "app/board/board_reader.h"
#include "app/board/gauge_ink.h"
#include "app/theme/theme.h"
#include "board/board_spec.h"

namespace wavetrope::app {

/// Draws items in the two themes, at sizes that are read from three metres: all grow with the cells.
class GaugePainter {
public:
    /// `cell` is the height of a cell in pixels.
    GaugePainter(QPainter& painter, Stage& stage, double cell) : painter_(painter), stage_(stage), cell_(cell), ink_(painter) {}

    void paint(const QRectF& box, const board::Item& item, const BoardReading& reading, bool focused);
    /// The same where what lies beside a part of it is there already: to that part the painter is bounded.
    void paintPart(const QRectF& box, const board::Item& item, const BoardReading& reading, bool focused, const QRectF& part);
    /// Where an item is drawn otherwise when nothing but its value is another; empty where all of it may be.
    [[nodiscard]] static std::vector<QRectF> movingOf(const QRectF& box, board::Shown shown, double cell);

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
    /// What an item has within its edge.
    [[nodiscard]] static QRectF inner(const QRectF& box, double cell);
    [[nodiscard]] double labelSize() const;
    double head(const QRectF& box, const BoardReading& reading, double right = 0);
    void value(const QRectF& box, const BoardReading& reading, Qt::Alignment alignment, double most);
    void limitWords(const QRectF& line, const BoardReading& reading);
    void draw(const QRectF& box, const board::Item& item, const BoardReading& reading, bool focused);
    void bar(const QRectF& line, const BoardReading& reading);
    void number(const QRectF& box, const BoardReading& reading);
    void barGauge(const QRectF& box, const BoardReading& reading);
    void dial(const QRectF& box, const BoardReading& reading, bool control, bool focused);
    void rim(const Dial& dial, const BoardReading& reading);
    void lamp(const QRectF& box, const BoardReading& reading);
    void state(const QRectF& box, const BoardReading& reading);
    void history(const QRectF& box, const BoardReading& reading);
    void slider(const QRectF& box, const BoardReading& reading, bool focused);
    void parts(const QRectF& box, const BoardReading& reading, bool focused);
    void button(const QRectF& box, const board::Item& item, const BoardReading& reading, bool focused);
    void entry(const QRectF& box, const BoardReading& reading, bool focused);
    void controlWords(const QRectF& box, const BoardReading& reading);
    void picture(const QRectF& box, const board::Item& item);
    [[nodiscard]] QColor hue(const BoardReading& reading) const;
    [[nodiscard]] static double partOf(const BoardReading& reading, double value);

    QPainter& painter_;
    Stage& stage_;
    double cell_;
    GaugeInk ink_;
    QImage drawn_;
    std::vector<std::pair<double, double>> columns_;     // of a history that is drawn
    const Theme& theme_ = Theme::get();
};

}  // namespace wavetrope::app
