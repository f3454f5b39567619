// SPDX-License-Identifier: GPL-3.0-or-later
// The phases of the rig's dialogues as bands under the lanes.
#pragma once

#include <QWidget>

#include <vector>

#include "app/stage/plot.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

/// A band for each partner of each dialogue that has begun, over the window of the lanes: the phases that it was in, and a red mark where a rule was
/// broken. A click goes to where the phase was entered, and has the inspector tell it. Not there while nothing has begun.
class PhaseBands : public QWidget {
    Q_OBJECT
public:
    /// Lies at the times of an axis that stands below it.
    PhaseBands(Stage& stage, const TimePlot& axis, QWidget* parent = nullptr);

    /// Looks again at what happened.
    void refresh();

    /// A stay of a partner in a phase.
    struct Band {
        std::size_t row = 0;
        QString dialogue;
        std::size_t partner = 0, phase = 0;
        QString name;
        Time from{}, to{};
        bool goesOn = false;
    };
    [[nodiscard]] const std::vector<Band>& bands() const { return bands_; }
    /// Where one stands, in its own pixels; empty where it is out of sight.
    [[nodiscard]] QRectF boxOf(const Band& band) const;
    [[nodiscard]] QSize sizeHint() const override;

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

private:
    [[nodiscard]] double xOf(Time time) const;
    [[nodiscard]] QString timeWordsOf(Time time) const;
    [[nodiscard]] const Band* bandAt(const QPointF& point) const;

    struct Head {
        QString name;
        int bus = -1;
    };
    Stage& stage_;
    const TimePlot& axis_;
    std::vector<Head> heads_;  // by row
    std::vector<Band> bands_;
    std::vector<std::pair<std::size_t, Time>> broken_;  // by row
};

}  // namespace wavetrope::app
