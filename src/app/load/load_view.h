// SPDX-License-Identifier: GPL-3.0-or-later
// The load of the buses over time.
#pragma once

#include <QLabel>
#include <QSlider>

#include <vector>

#include "app/load/load_strip.h"
#include "app/stage/view.h"

class QScrollArea;
class QVBoxLayout;

namespace wavetrope::app {

class BusChoice;

/// All buses one above the other on one scale and axis, so that they can be compared, or one alone.
class LoadView : public View {
    Q_OBJECT
public:
    explicit LoadView(Stage& stage);
    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] QString csv() const override;

    [[nodiscard]] const std::vector<LoadStrip*>& strips() const { return strips_; }
    /// The strip of the chosen bus, else the first one; null where there is none.
    [[nodiscard]] LoadStrip* chosen() const;
    [[nodiscard]] TimePlot* plot() const { return chosen()->plot(); }
    [[nodiscard]] double loadAtCursor() const { return chosen() == nullptr ? 0 : chosen()->loadAtCursor(); }

protected:
    void resizeEvent(QResizeEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void showEvent(QShowEvent* event) override;

private:
    void rebuild();
    void chooseSpan(int step);
    void chooseStrip(unsigned bus);
    void refresh();

    QWidget* tools_;
    BusChoice* busBox_;
    QSlider* span_;
    QLabel* over_;
    QLabel* spanText_;
    QLabel* facts_;
    QScrollArea* scroll_;
    QVBoxLayout* column_;
    std::vector<LoadStrip*> strips_;
    unsigned bus_ = 0;          // of several, the one that is chosen
    bool all_ = true;           // of what the strips are
    std::size_t buses_ = 0;
};

}  // namespace wavetrope::app
