// SPDX-License-Identifier: GPL-3.0-or-later
// The load of one bus over time.
#pragma once

#include <QWidget>

#include <memory>
#include <vector>

#include "app/stage/plot.h"
#include "measure/load_series.h"

namespace wavetrope::app {

/// Head and plot of a bus: the area is the mean of what a column stands for, the line over it the highest; darker where the highest is
/// above what the databases promise, which is dashed; the line in ink is the mean over a second. A click goes to the frame that ends in
/// the highest stretch near it.
class LoadStrip : public QWidget {
    Q_OBJECT
public:
    LoadStrip(Stage& stage, unsigned bus, bool showTimes, QWidget* parent);

    [[nodiscard]] unsigned bus() const { return bus_; }
    [[nodiscard]] TimePlot* plot() { return plot_; }
    /// Averages over a span from now on.
    void setSpan(Time span, const QString& words);
    void refresh();
    /// Marks it as the one that is chosen among several.
    void setChosen(bool chosen);

    /// Of the stretch under the cursor; while the run is followed, of the one before it.
    [[nodiscard]] double loadAtCursor() const;
    /// Percent of the bus that the databases promise at most, their messages being as long as they may; 0 where they promise nothing.
    [[nodiscard]] double promised() const { return promised_; }
    /// What is in view.
    [[nodiscard]] const measure::RangeSummary& seen() const { return seen_; }
    [[nodiscard]] std::size_t burstsSeen() const { return burstsSeen_; }
    /// Each stretch of the window: its begin and its load.
    [[nodiscard]] std::vector<std::pair<Time, double>> stretches() const;

Q_SIGNALS:
    void clicked();

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    void restyle();
    void showPromise();
    void showBursts(const std::vector<measure::Event>& bursts, double from, double to);
    [[nodiscard]] Time shownAt() const;
    [[nodiscard]] QStringList readoutAt(double seconds) const;
    void jumpTo(double seconds);

    Stage& stage_;
    const unsigned bus_;
    TimePlot* plot_;
    QCPGraph* mean_;
    QCPGraph* highest_;
    QCPGraph* kept_;                    ///< The highest as far as it is promised; what is between the two is darker.
    QCPGraph* slow_;
    QCPItemTracer* tracer_;
    QCPItemStraightLine* promise_;
    std::vector<QCPItemRect*> burstRects_;
    std::vector<QCPItemText*> burstTexts_;
    std::unique_ptr<measure::LoadSeries> series_, second_;
    QString spanWords_;
    double promised_ = 0;
    measure::RangeSummary seen_;
    std::size_t burstsSeen_ = 0;
    bool chosen_ = false;
};

}  // namespace wavetrope::app
