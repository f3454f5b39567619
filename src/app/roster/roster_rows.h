// SPDX-License-Identifier: GPL-3.0-or-later
// The painted rows of the roster.
#pragma once

#include <map>
#include <memory>
#include <set>
#include <vector>

#include "app/paint/row_list.h"
#include "app/stage/stage.h"
#include "measure/identifier_stats.h"
#include "measure/message_index.h"
#include "measure/signal_extremes.h"

namespace wavetrope::app {

class RosterView;

class RosterRows : public RowList {
    Q_OBJECT
public:
    explicit RosterRows(RosterView& view);

    /// The columns, in the order in which they usually stand.
    enum Column { bus, identifier, name, sender, frames, beats, period, spread, since, length, bits, newest };
    enum class Grouping : std::uint8_t { none, bus, sender };

    [[nodiscard]] std::uint64_t count() const override { return entries_.size(); }
    [[nodiscard]] std::int64_t current() const override;
    void choose(std::uint64_t index) override;
    [[nodiscard]] QString rowText(std::uint64_t index) const override;

    /// Identifiers shown, in order; the first of those that share a row.
    [[nodiscard]] const std::vector<trace::IdentifierIndex>& shown() const { return shown_; }
    void rebuild();
    /// The catalog is another one: what was looked up in the old one is let go.
    void forget();

    void sortBy(int column, bool descending);
    void groupBy(Grouping grouping);
    /// One row for each parameter group and source, in place of each identifier, for identifiers of 29 bits.
    void joinGroups(bool join);
    /// What a line under a row says.
    [[nodiscard]] QString lineText(std::uint64_t index, int line) const;

    [[nodiscard]] nlohmann::json save() const;
    void restore(const nlohmann::json& setUp);

protected:
    void paintRow(QPainter& painter, int y, std::uint64_t index) override;
    [[nodiscard]] QString emptyText() const override;
    [[nodiscard]] int pitch() const override;
    void headClicked(int kind) override;
    void aboutToRefresh() override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void fillHeadMenu(QMenu& menu, int kind) override;
    [[nodiscard]] bool opens(std::uint64_t index) const override { return !entries_[index].members.empty(); }
    [[nodiscard]] int linesUnder(std::uint64_t index) const override;
    void open(std::uint64_t index, bool open) override;
    void paintLine(QPainter& painter, int y, std::uint64_t index, int line) override;
    void lineClicked(std::uint64_t index, int line) override;

private:
    /// A row: the identifiers that it stands for, or the head of a group.
    using WholeKey = std::pair<std::uint8_t, std::uint32_t>;    // bus, key of the identifier
    struct Entry {
        std::vector<trace::IdentifierIndex> members;
        QString title;
        std::optional<WholeKey> whole{};    // of messages that come in pieces
        [[nodiscard]] bool isHead() const { return members.empty() && !whole; }
    };
    [[nodiscard]] bool isCurrent(const Entry& entry) const;
    struct Line {
        const database::Signal* signal = nullptr;
        std::optional<database::Decoded> newest;
        std::optional<measure::RangeSummary> soFar;
    };
    [[nodiscard]] static QString rangeText(const Line& line);
    [[nodiscard]] const database::CatalogMessage* messageOf(trace::IdentifierIndex identifier) const;
    [[nodiscard]] trace::Row limit() const;
    [[nodiscard]] std::vector<Line> linesOf(const Entry& entry) const;
    [[nodiscard]] QString identifierText(const Entry& entry) const;
    void follow();
    bool lookForWholes();
    [[nodiscard]] measure::IdentifierMoment momentOf(const WholeKey& whole) const;
    [[nodiscard]] const database::CatalogMessage* messageOf(const WholeKey& whole) const;
    [[nodiscard]] std::vector<std::pair<int, QString>> wholeCells(const WholeKey& whole, double room) const;
    [[nodiscard]] QString wholeText(const WholeKey& whole) const;
    void paintWhole(QPainter& painter, int y, const Entry& entry) const;
    [[nodiscard]] static QString periodText(Time span);

    RosterView& view_;
    std::vector<Entry> entries_;
    std::vector<trace::IdentifierIndex> shown_;
    std::size_t known_ = 0;
    int order_ = identifier;
    bool descending_ = false;
    Grouping grouping_ = Grouping::none;
    bool joined_ = false;
    QPoint pressedAt_;
    std::set<trace::IdentifierIndex> open_;     // by the first of a row
    struct Extremes {
        std::unique_ptr<measure::SignalExtremes> known;
        trace::Row at = trace::noRow;           // of the answer that is kept
        std::vector<measure::RangeSummary> answer;
    };
    mutable std::map<trace::IdentifierIndex, Extremes> extremes_;
    bool following_ = false;
    std::shared_ptr<const measure::MessageIndex> index_;
    std::map<WholeKey, std::vector<std::uint64_t>> wholes_;     // by their numbers in it
};

}  // namespace wavetrope::app
