// SPDX-License-Identifier: GPL-3.0-or-later
// Bus load over time, bursts, and who takes the bandwidth.
#pragma once

#include <QLabel>
#include <QSlider>
#include <QTimer>

#include <memory>

#include "app/stage/plot.h"
#include "app/stage/view.h"
#include "measure/load_series.h"

namespace wavetrope::app {

class BusChoice;

/// The messages of a stretch of time, by their share of the bus.
class TakersList : public QWidget {
    Q_OBJECT
public:
    explicit TakersList(Stage& stage, QWidget* parent = nullptr);
    /// Shows who takes a bus between two moments.
    void show(unsigned bus, Time from, Time to, const QString& what);

    struct Taker {
        trace::IdentifierIndex identifier = 0;
        double percent = 0;
    };
    [[nodiscard]] const std::vector<Taker>& takers() const { return takers_; }
    [[nodiscard]] QSize sizeHint() const override;
    /// What stretch of time they are of, in words.
    [[nodiscard]] const QString& what() const { return what_; }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    [[nodiscard]] std::size_t shown() const;
    [[nodiscard]] bool narrow() const;
    [[nodiscard]] int rowsAt() const;

    Stage& stage_;
    unsigned bus_ = 0;
    QString what_;
    std::vector<Taker> takers_;
};

class LoadView : public View {
    Q_OBJECT
public:
    explicit LoadView(Stage& stage);
    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;

    [[nodiscard]] TimePlot* plot() { return plot_; }
    [[nodiscard]] double loadAtCursor() const;
    [[nodiscard]] bool settled() const override { return !takersDelay_.isActive(); }
    [[nodiscard]] QString csv() const override;
    /// Percent of the bus that the databases promise at most, their messages being as long as they may; 0 where they promise nothing.
    [[nodiscard]] double promised() const { return promised_; }
    [[nodiscard]] TakersList* takers() { return takers_; }

protected:
    void resizeEvent(QResizeEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    [[nodiscard]] Time shownAt() const;
    void chooseBus(int index);
    void chooseSpan(int step);
    void rebuild();
    void refresh();
    void showPromise();
    [[nodiscard]] QStringList readoutAt(double seconds) const;
    void jumpTo(double seconds);
    void showTakers();

    QWidget* tools_;
    BusChoice* busBox_;
    QSlider* span_;
    QLabel* over_;
    QLabel* spanText_;
    QLabel* facts_;
    TimePlot* plot_;
    TakersList* takers_;
    QCPGraph* peaks_;
    QCPGraph* mean_;
    QCPItemTracer* tracer_;
    QCPItemStraightLine* promise_;      ///< What the cycle times of the databases add up to.
    std::vector<QCPItemRect*> burstRects_;
    std::vector<QCPItemText*> burstTexts_;
    unsigned bus_ = 0;
    double promised_ = 0;               ///< Percent; 0 where nothing is.
    std::unique_ptr<measure::LoadSeries> series_;
    std::unique_ptr<measure::LoadSeries> slow_;
    unsigned beats_ = 0;
    struct Counted {
        unsigned bus = 0;
        Time from{0};
        Time to{0};
        bool past = false;      // nothing comes into it any more
        bool operator==(const Counted&) const = default;
    };
    Counted counted_;
    QTimer takersDelay_;
};

}  // namespace wavetrope::app
