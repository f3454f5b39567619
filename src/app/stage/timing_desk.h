// SPDX-License-Identifier: GPL-3.0-or-later
// Response times of a window's buses, with the jitter and deadlines of its rig.
#pragma once

#include <QObject>
#include <QString>
#include <QUndoStack>

#include <map>
#include <optional>
#include <vector>

#include "bus/bus.h"
#include "rig/timing_json.h"
#include "timing/response_times.h"

namespace wavetrope::app {

class Stage;

/// Every change goes through here and can be undone; all who look at response times follow.
class TimingDesk : public QObject {
    Q_OBJECT
public:
    explicit TimingDesk(Stage& stage);

    /// What is known of a message with a cycle time.
    struct Row {
        timing::TimedMessage message;
        timing::ResponseTime answer;
        bool ownJitter = false, ownDeadline = false;    ///< Set by hand, and not for all, or the period.
        std::optional<bus::MeasuredResponse> measured;
        [[nodiscard]] double deadline() const { return static_cast<double>(message.deadline.count()) / 1e6; }
        /// Of the deadline, what the worst case takes; beyond all where there is no bound.
        [[nodiscard]] double share() const;
    };
    /// Those of a bus, the one that is nearest to its deadline, or the farthest behind it, first.
    [[nodiscard]] const std::vector<Row>& rows(unsigned bus);
    /// All messages of the bus, those without a cycle time too, as they were reckoned with.
    [[nodiscard]] const std::vector<timing::TimedMessage>& messages(unsigned bus);
    [[nodiscard]] can::BitRate rate(unsigned bus) const;
    /// Whether what is measured can be known: the bus is simulated here.
    [[nodiscard]] bool measures(unsigned bus) const;

    [[nodiscard]] Time jitter(unsigned bus) const;
    void setJitter(unsigned bus, Time jitter);
    enum class Field : std::uint8_t { jitter, deadline };
    /// Of one message; nothing: that of all, or the period, again.
    void set(unsigned bus, const std::string& message, Field field, std::optional<Time> time);
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }

    /// A time in milliseconds from what somebody typed, 0 or more: "4.5", "4.5 ms", "200 us".
    [[nodiscard]] static std::optional<Time> timeFrom(const QString& typed);

Q_SIGNALS:
    void changed();

private:
    class Change;
    struct OfBus {
        bool known = false;
        std::vector<timing::TimedMessage> messages;
        std::vector<Row> rows;
    };
    void put(rig::Timings next, const QString& what);
    void replace(const rig::Timings& timings);
    [[nodiscard]] std::string nameOf(unsigned bus) const;
    OfBus& of(unsigned bus);
    void forget();

    Stage& stage_;
    QUndoStack undo_;
    std::map<unsigned, OfBus> buses_;
};

}  // namespace wavetrope::app
