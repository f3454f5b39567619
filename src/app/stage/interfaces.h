// SPDX-License-Identifier: GPL-3.0-or-later
// The machine's interfaces, as they come and go, for all windows.
#pragma once

#include <QHash>
#include <QObject>
#include <QTimer>

#include <deque>
#include <memory>
#include <vector>

#include "bus/kernel_interfaces.h"

namespace wavetrope::app {

/// Follows them from the first time that somebody asks. Nothing is opened: what stands here is what the kernel tells of them.
class Interfaces : public QObject {
    Q_OBJECT
public:
    /// What is known of one over time.
    struct Trend {
        std::deque<double> perSecond;               ///< Frames, each second, the newest last; a minute of them.
        std::deque<std::pair<unsigned, unsigned>> errors;   ///< Counters for sending and receiving, each second; ten minutes.
        std::uint64_t frames = 0;                   ///< When it was looked at last.
        double load = 0;                            ///< Of the last second, about, in percent; 0 where the rate is not known.
    };

    [[nodiscard]] static Interfaces& get();
    [[nodiscard]] const std::vector<bus::WatchedInterface>& all() const { return all_; }
    /// One of them, or null.
    [[nodiscard]] const bus::WatchedInterface* find(const QString& name) const;
    [[nodiscard]] const Trend& trend(const QString& name) const;
    /// Why they cannot be followed, or empty.
    [[nodiscard]] const QString& problem() const { return problem_; }
    /// Shows these instead of the machine's from now on: for pictures and tests.
    void show(std::vector<bus::WatchedInterface> instead, const QHash<QString, Trend>& trends = {});

Q_SIGNALS:
    void changed();             ///< At least once a second.

private:
    Interfaces();
    void look();

    QTimer timer_;
    std::unique_ptr<bus::InterfaceWatch> watch_;
    std::vector<bus::WatchedInterface> all_;
    QHash<QString, Trend> trends_;
    Time counted_{};
    QString problem_;
};

}  // namespace wavetrope::app
