// SPDX-License-Identifier: GPL-3.0-or-later
// Logs over one axis of time, dragged against each other.
#pragma once

#include <QWidget>

#include <vector>

#include "measure/log_alignment.h"

namespace wavetrope::app {

/// A bar for each log, with lines to the first one where frames match. A bar is dragged, or moved by keys; the first stays.
class AlignStrip : public QWidget {
    Q_OBJECT
public:
    explicit AlignStrip(QWidget* parent = nullptr);

    struct Log {
        QString name;
        Time begins{};
        Time ends{};
        Time offset{0};
        std::vector<std::pair<Time, Time>> matched;   ///< Stamps of the first log and of this one, without offset.
        bool read = false;
    };
    void setLogs(std::vector<Log> logs);
    [[nodiscard]] QSize sizeHint() const override;
    /// Middle of a bar.
    [[nodiscard]] QPoint barOf(int log) const;
    /// Time of so many pixels.
    [[nodiscard]] Time timeOfPixels(int pixels) const;

Q_SIGNALS:
    /// A bar was moved.
    void offsetChanged(int log, qint64 nanoseconds);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    void fit();
    [[nodiscard]] double xOf(Time time) const;
    [[nodiscard]] QRectF lane(int log) const;

    std::vector<Log> logs_;
    Time from_{};
    Time to_{1};
    bool fitted_ = false;
    int dragged_ = -1;
    int chosen_ = 1;
    double pressedX_ = 0;
    Time pressedOffset_{};
};

}  // namespace wavetrope::app
