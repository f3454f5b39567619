// SPDX-License-Identifier: GPL-3.0-or-later
// What is sent by hand: a row for each message, with the control that sends it.
#pragma once

#include <QLabel>
#include <QLineEdit>

#include <optional>
#include <vector>

#include "app/parts/in_place.h"
#include "app/stage/outbox_desk.h"
#include "app/stage/view.h"

class QMenu;
class QToolButton;

namespace wavetrope::app {

/// The outbox. A row reads as a sentence: sends BladeCommand every 10 ms until told. The control at the left, and Enter, send the row, begin it
/// or hold it; nothing else sends. Values are typed where they stand; every edit can be undone.
class OutboxView : public View {
    Q_OBJECT
public:
    explicit OutboxView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] QUndoStack* sharedUndoStack() override { return &stage().outbox().undoStack(); }

    /// A row as it stands in the list: a group's head, or one of its rows.
    struct Entry {
        std::size_t group = 0;
        std::optional<std::size_t> row;  ///< Of the group; none for its head.
        std::size_t number = 0;  ///< Of the row, through all groups.
    };
    enum class State : std::uint8_t { send, sends, ready, waits };
    [[nodiscard]] std::size_t count() const { return entries_.size(); }
    [[nodiscard]] const Entry& entry(std::size_t index) const { return entries_[index]; }
    [[nodiscard]] State stateOf(std::size_t index) const;
    /// The second line under the values: what is wrong, else what waits, else the comment or where values come from.
    [[nodiscard]] QString wordsOf(std::size_t index) const;
    /// Tab-separated: control, bus, message, when, values, words, sent.
    [[nodiscard]] QString rowText(std::size_t index) const;
    /// Places in the pixels of the rows: the control, the button of a group, and a value by its number.
    [[nodiscard]] QRect controlOf(std::size_t index) const;
    [[nodiscard]] QRect valueOf(std::size_t index, std::size_t value) const;
    [[nodiscard]] QWidget* rows() const;
    [[nodiscard]] InPlaceField* field() const { return field_; }
    [[nodiscard]] QLineEdit* line() const { return line_; }

    /// What the control does, and Enter.
    void press(std::size_t index);
    void choose(std::size_t index);
    void edit(std::size_t index, std::size_t value);

protected:
    void showEvent(QShowEvent* event) override;

private:
    class Rows;
    struct Value {
        QString name;  ///< Empty for the bytes of a frame.
        QString text;
        bool source = false, waits = false;
    };
    [[nodiscard]] const drive::OutboxRow& specOf(const Entry& entry) const
    {
        return stage().outbox().groups()[entry.group].rows[*entry.row];
    }
    [[nodiscard]] const drive::OutboxRowFacts* factsOf(const Entry& entry) const;
    [[nodiscard]] const database::CatalogMessage* messageOf(const drive::OutboxRow& spec) const;
    [[nodiscard]] int busOf(const drive::OutboxRow& spec) const;
    [[nodiscard]] can::Identifier idOf(const drive::OutboxRow& spec) const;
    [[nodiscard]] std::vector<Value> valuesOf(const Entry& entry) const;
    [[nodiscard]] static std::pair<QString, QString> whenWords(const drive::OutboxRow& spec);
    [[nodiscard]] QString problemOf(const Entry& entry) const;
    [[nodiscard]] bool anyGoing(std::size_t group) const;
    void rebuild();
    void refresh();
    void addTyped();

    std::vector<Entry> entries_;
    std::vector<drive::OutboxRowFacts> facts_;
    std::vector<bus::Health> health_;
    int current_ = -1;
    QWidget* tools_;
    QLabel* told_;
    QToolButton* hold_;
    Rows* rows_;
    QLineEdit* line_;
    QLabel* wrong_;
    InPlaceField* field_;
};

}  // namespace wavetrope::app
