// SPDX-License-Identifier: GPL-3.0-or-later
// What is drawn in a lane besides lines.
#pragma once

#include "app/stage/plot_library.h"

#include <QColor>

#include <functional>
#include <optional>
#include <vector>

namespace wavetrope::app {

/// Something of a lane that spans its plot; it never takes clicks.
class LanePainting : public QCPAbstractPlottable {
public:
    LanePainting(QCPAxis* keyAxis, QCPAxis* valueAxis);
    double selectTest(const QPointF&, bool, QVariant* = nullptr) const override { return -1; }
    QCPRange getKeyRange(bool& found, QCP::SignDomain = QCP::sdBoth) const override;
    QCPRange getValueRange(bool& found, QCP::SignDomain = QCP::sdBoth, const QCPRange& = {}) const override;

protected:
    void drawLegendIcon(QCPPainter*, const QRectF&) const override {}
    [[nodiscard]] QRectF area() const;
};

/// Under the curves: limits as hairlines, what lies outside of them shaded, told in words; and where beats are missing, a hatch with their
/// number.
class LaneGround : public LanePainting {
public:
    using LanePainting::LanePainting;
    struct Gap {
        double from = 0, to = 0;    ///< In seconds.
        QString words;
    };
    std::optional<double> lowest, highest;
    QString lowWords, highWords;    ///< Empty where nothing lies outside.
    std::vector<Gap> gaps;
    struct Outside {
        double from = 0, to = 0, value = 0;
    };
    std::vector<Outside> outside;   ///< What of the curve lies beyond a limit, as steps.
    QSharedPointer<QCPGraphDataContainer> curve;    ///< That words step aside from.
    bool named = false;     ///< The curve is a band with names in it.

protected:
    void draw(QCPPainter* painter) override;

private:
    [[nodiscard]] bool crosses(const QRectF& box) const;
    void paintWords(QCPPainter& painter, const QString& words, double top, double line) const;
    void paintGapWords(QCPPainter& painter, const Gap& gap, double from, double to) const;
};

/// Values that have names as a band: one stretch for each, with its name in it. A flag is a line of two levels, filled where it is set.
class LaneBand : public LanePainting {
public:
    using LanePainting::LanePainting;
    struct Piece {
        double from = 0, to = 0;    ///< In seconds.
        double value = 0;
    };
    std::vector<Piece> pieces;
    std::function<QString(double)> nameOf;
    std::function<QColor(double)> colourOf;
    std::vector<double> marks;      ///< In seconds: names step aside from them.
    QColor line;
    bool flag = false;

    /// Pieces of a curve drawn as steps: equal ones that follow each other become one.
    void take(const std::vector<double>& times, const std::vector<double>& values);

protected:
    void draw(QCPPainter* painter) override;
};

}  // namespace wavetrope::app
