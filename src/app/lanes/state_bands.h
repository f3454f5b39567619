// SPDX-License-Identifier: GPL-3.0-or-later
// What somebody was in over the window of the lanes: partners of dialogues in their phases, nodes in their error states.
#pragma once

#include <QWidget>

#include <vector>

#include "app/stage/plot.h"
#include "app/stage/stage.h"
#include "can/error_counters.h"
#include "drive/dialogue.h"

namespace wavetrope::app {

/// A row for each partner of each dialogue that has begun, with the phases that it was in and a red mark where a rule was broken; and one for each node
/// whose error state was not active all the time. A click goes to where the band begins, and has the inspector tell the phase or the node. Not there
/// while there is neither.
class StateBands : public QWidget {
    Q_OBJECT
public:
    /// Lies at the times of an axis that stands below it.
    StateBands(Stage& stage, const TimePlot& axis, QWidget* parent = nullptr);

    /// Looks again at what happened.
    void refresh();

    /// A stay in a phase or an error state.
    struct Band {
        std::size_t row = 0;
        QString dialogue;  ///< Empty: an error state.
        std::size_t partner = 0, phase = 0;
        can::ErrorState state = can::ErrorState::active;
        QString name;
        Time from{}, to{};
        bool goesOn = false;
        QString counters{};  ///< Of an error state, as it began.
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
    void addDialogue(const drive::DialogueFacts& facts);
    void addErrorStates();
    void paintBand(QPainter& painter, const Band& band) const;
    [[nodiscard]] QString wordsOf(const Band& band) const;
    [[nodiscard]] double xOf(Time time) const;
    [[nodiscard]] QString timeWordsOf(Time time) const;
    [[nodiscard]] const Band* bandAt(const QPointF& point) const;

    struct Head {
        QString name;
        int bus = -1;
        bool ofErrors = false;
    };
    Stage& stage_;
    const TimePlot& axis_;
    std::vector<Head> heads_;  // by row
    std::vector<Band> bands_;
    std::vector<std::pair<std::size_t, Time>> broken_;  // by row
};

}  // namespace wavetrope::app
