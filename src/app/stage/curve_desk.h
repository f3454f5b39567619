// SPDX-License-Identifier: GPL-3.0-or-later
// The curves of a window: what they are of, and their samples.
#pragma once

#include <QObject>
#include <QString>

#include <atomic>
#include <map>
#include <memory>
#include <optional>
#include <set>

#include "app/stage/stage.h"
#include "measure/series_keeper.h"

namespace wavetrope::app {

/// What a curve is of: a signal of a message, or a derived signal. Its path is "Bus:Message.Signal", or ":Name".
struct CurveSource {
    std::shared_ptr<const database::Catalog> catalog;
    QString path;
    database::SignalRef ref{};          ///< Its message is null where it is derived.
    std::uint32_t derived = 0;

    [[nodiscard]] bool isDerived() const { return ref.message == nullptr; }
    [[nodiscard]] QString name() const;
    [[nodiscard]] QString unit() const;
    [[nodiscard]] std::optional<double> minimum() const;
    [[nodiscard]] std::optional<double> maximum() const;
    /// Where it comes from: bus and message, or its formula.
    [[nodiscard]] QString origin() const;
    /// What a derived one is worked out from.
    [[nodiscard]] std::vector<CurveSource> inputs() const;
    /// Bus that it is of; none for a derived one.
    [[nodiscard]] std::optional<unsigned> bus() const;
    /// A value with its unit, or in words.
    [[nodiscard]] QString reading(double value) const;
    /// A value without its unit, as fine as it is.
    [[nodiscard]] QString number(double value) const;
    /// Whether its values are told in words alone.
    [[nodiscard]] bool named() const;
    /// Whether there are no values between whole ones.
    [[nodiscard]] bool whole() const;
    [[nodiscard]] bool chosenIn(const Selection& selection) const;
    [[nodiscard]] Selection selection() const;
};

/// The curve of a path, or nothing.
[[nodiscard]] std::optional<CurveSource> curveOf(std::shared_ptr<const database::Catalog> catalog, const QString& path);

/// The path of the curve that is chosen, or empty where something else is.
[[nodiscard]] QString chosenCurve(const Stage& stage);

/// Curves are brought up on threads of their own, as long as somebody looks at them.
class CurveDesk : public QObject {
    Q_OBJECT
public:
    explicit CurveDesk(Stage& stage);
    ~CurveDesk() override;

    /// The samples of a curve; the same for all who ask.
    [[nodiscard]] std::shared_ptr<measure::SignalSeries> series(const CurveSource& source);
    /// What of them is seen, by whom; takes the place of what the same one saw before.
    void look(const QObject* who, std::vector<measure::SeriesKeeper::Look> looks);
    /// Points of a stretch of time for so many columns: from samples as they are where they have been read or are few, else from sums.
    [[nodiscard]] measure::SignalSeries::Points points(const measure::SignalSeries& series, Time from, Time to, unsigned columns) const;
    [[nodiscard]] const measure::SeriesKeeper& keeper() const { return *keeper_; }
    void setBound(std::size_t bytes) { keeper_->setBound(bytes); }

Q_SIGNALS:
    void grown();       ///< A series has grown, or is known better.

private:
    Stage& stage_;
    std::map<QString, std::weak_ptr<measure::SignalSeries>> series_;    // of this catalog
    std::vector<std::shared_ptr<measure::SignalSeries>> late_;          // that were asked for last, though nobody may hold them any more
    std::shared_ptr<const database::Catalog> catalog_;
    Time begins_{};
    std::set<const QObject*> lookers_;
    std::atomic<bool> told_{false};
    std::unique_ptr<measure::SeriesKeeper> keeper_;
};

}  // namespace wavetrope::app
