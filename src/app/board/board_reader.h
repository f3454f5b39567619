// SPDX-License-Identifier: GPL-3.0-or-later
// What the items of a board say at the cursor.
#pragma once

#include <QObject>
#include <QPointF>
#include <QString>

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <utility>
#include <vector>

#include "app/stage/curve_desk.h"
#include "app/stage/outbox_look.h"
#include "app/stage/stage.h"
#include "board/board_spec.h"
#include "measure/recent_curve.h"
#include "measure/standing.h"
#include "rig/session.h"

namespace wavetrope::app {

/// An item as it reads now.
struct BoardReading {
    QString label, unit;
    QString problem;                    ///< Why it shows nothing; empty where it does.
    std::optional<unsigned> bus;
    std::optional<double> value;
    QString number;                     ///< The value without its unit, or its text.
    bool named = false;                 ///< The value is told in words alone.
    double from = 0, to = 1;
    std::optional<double> below, above;
    measure::Side side = measure::Side::inside;
    QString outWords;                   ///< "under 6.0 for 3.2 s"
    bool old = false;
    QString oldWords;                   ///< "old since 79.8 s"
    QString since;                      ///< When its named state or lamp became so.
    std::optional<double> also;
    QString alsoWords;
    std::vector<QPointF> past, alsoPast;    ///< Seconds before the cursor, at most 0, and values.
    double pastSpan = 20;
    std::optional<std::pair<double, double>> lately;    ///< Smallest and largest of the last 10 s.
    bool lit = false;

    /// @name Of controls
    ///@{
    std::optional<double> asked, actual;
    QString askedText, actualText;
    bool waits = false;
    QString controlWords;
    bool inert = false;                 ///< It drives nothing now: `controlWords` say why.
    bool pressed = false;
    std::vector<std::pair<QString, double>> choices;
    double step = 0.1;
    ///@}
    friend bool operator==(const BoardReading&, const BoardReading&) = default;
};

/// Reads items; keeps the samples that they need known as long as it lives.
class BoardReader {
public:
    explicit BoardReader(Stage& stage) : stage_(stage), outbox_(stage) {}
    ~BoardReader();
    BoardReader(const BoardReader&) = delete;
    BoardReader& operator=(const BoardReader&) = delete;

    /// An item that reads otherwise than before.
    struct Changed {
        std::size_t item = 0;
        bool valueAlone = false;        ///< What it shows, and nothing that stands around it.
    };
    /// Looks again, for items of one board.
    std::vector<Changed> refresh(const std::vector<board::Item>& items);
    /// One that says nothing where it has not been read yet.
    [[nodiscard]] const BoardReading& of(std::size_t item) const
    {
        static const BoardReading none;
        return item < readings_.size() ? readings_[item] : none;
    }
    /// Whether all that is drawn of curves is known.
    [[nodiscard]] bool settled() const;
    [[nodiscard]] std::size_t size() const { return readings_.size(); }
    /// Values that controls ask for while they are dragged, by item.
    std::map<std::size_t, double> dragged;
    std::map<std::size_t, bool> pressed;

private:
    struct Curve {
        CurveSource source;
        std::shared_ptr<measure::SignalSeries> series;
    };
    [[nodiscard]] const Curve* curve(const QString& path);
    void readSignal(BoardReading& out, const board::Item& item, const QString& path, std::size_t index);
    /// What a curve was in the last while, kept up for an item; null where it is read as a whole each time. It counts by its value, or by the side
    /// of the limits.
    [[nodiscard]] const measure::RecentCurve* recent(const Curve& curve, const board::Item& item, std::size_t index, bool bySide);
    void readCondition(BoardReading& out, const board::Item& item);
    void readManipulation(BoardReading& out, const board::Item& item) const;
    void readVariable(BoardReading& out, const board::Item& item);
    void readRow(BoardReading& out, const board::Item& item);
    void readPast(std::vector<QPointF>& into, const Curve& curve, double span) const;
    void readAge(BoardReading& out, const board::Item& item, const Curve& curve);
    void readLimits(BoardReading& out, const board::Item& item, const Curve& curve, std::size_t index);
    /// Since when a curve has been as `holds` says, looking back from the cursor.
    [[nodiscard]] measure::Since since(const Curve& curve, const std::function<bool(double)>& holds) const;
    void readControl(BoardReading& out, const board::Item& item, std::size_t index) const;

    Stage& stage_;
    OutboxLook outbox_;
    std::shared_ptr<const database::Catalog> catalog_;
    std::map<QString, Curve> curves_;
    struct Recent {
        QString path;
        std::optional<double> below, above;
        Time span{};
        measure::RecentCurve curve;
    };
    std::map<std::pair<std::size_t, bool>, Recent> recents_;  // by item, and what counts
    std::vector<BoardReading> readings_, before_;
    std::vector<rig::NodeReport> nodes_;
    std::map<std::pair<unsigned, std::uint32_t>, std::optional<measure::Age>> ages_;  // of messages, by bus and identifier; of one look
    QObject who_;  // looks at them
    bool looks_ = false;
};

}  // namespace wavetrope::app
