// SPDX-License-Identifier: GPL-3.0-or-later
// The outbox of a window's rig.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QUndoStack>

#include <functional>
#include <map>
#include <optional>
#include <vector>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "drive/outbox.h"
#include "rig/actors.h"
#include "rig/outbox_edits.h"

class QMimeData;

namespace wavetrope::app {

class Stage;

/// What is sent by hand: edits of the rows stand in the rig's document, reach the run that goes on, and can be undone; what is pressed goes to
/// the run alone.
class OutboxDesk : public QObject {
    Q_OBJECT
public:
    using Place = rig::RowPlace;
    explicit OutboxDesk(Stage& stage);

    [[nodiscard]] const std::vector<drive::OutboxGroup>& groups() const;
    [[nodiscard]] const drive::OutboxRow& row(Place place) const { return groups()[place.group].rows[place.row]; }
    [[nodiscard]] bool has(Place place) const { return place.group < groups().size() && place.row < groups()[place.group].rows.size(); }
    /// A row's number through all groups, and back; the number of all rows behind the last.
    [[nodiscard]] std::size_t numberOf(Place place) const;
    [[nodiscard]] std::optional<Place> placeOf(std::size_t number) const;
    /// A row by its group and its message or identifier, "Blade by hand/BladeCommand": the first there is.
    [[nodiscard]] std::optional<Place> placeNamed(const QString& name) const;
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }
    /// How the rows do, in the order of their numbers; none where nothing runs.
    [[nodiscard]] const std::vector<drive::OutboxRowFacts>& facts() const;
    /// The same, as it was looked at last, to be kept; null where nothing runs.
    [[nodiscard]] std::shared_ptr<const std::vector<drive::OutboxRowFacts>> sharedFacts() const { return facts_; }
    /// Whether all rows are held.
    [[nodiscard]] bool held() const { return held_; }

    /// @name Edits
    ///@{
    /// Gives a signal of a row another value, as it is typed. Values that follow each other at once are one step.
    [[nodiscard]] Expected<void> setValue(Place place, const QString& signal, const QString& text);
    /// The same from its raw bits.
    [[nodiscard]] Expected<void> setBits(Place place, std::uint32_t signal, std::uint64_t bits);
    /// A source in place of a value; null: its start value again.
    [[nodiscard]] Expected<void> setSource(Place place, const QString& signal, const nlohmann::json& source);
    /// All bytes of a frame by itself, as they are typed.
    [[nodiscard]] Expected<void> setBytes(Place place, const QString& text);
    /// Another form of a frame by itself.
    [[nodiscard]] Expected<void> setForm(Place place, const rig::FrameForm& form);
    /// Turns round a bit of what it would send.
    [[nodiscard]] Expected<void> toggleBit(Place place, unsigned bit);
    /// Fields of the row in the document; null takes one away.
    [[nodiscard]] Expected<void> setFields(Place place, const nlohmann::json& fields, const QString& what);
    /// Sends the same under another identifier; a message then goes out as a frame, with the bytes that it has now. While nothing runs, those of
    /// sources have their start values.
    [[nodiscard]] Expected<void> setIdentifier(Place place, const QString& text);
    /// What waits comes back to what is on the bus; of one signal where it is named.
    void takeBack(Place place, std::optional<std::uint32_t> signal = {});
    /// Adds a row behind all others of a group, from a message as it is typed; makes a group where there is none. `bus` is that of a frame, and
    /// the first that is looked at for a message.
    [[nodiscard]] Expected<void> add(std::size_t group, const QString& text, unsigned bus);
    /// Adds a row that sends what was on the bus last at the cursor, with its period; of a message that was not seen, its start values.
    void addSeen(std::uint8_t bus, can::Identifier id, std::optional<Place> before = {});
    /// Adds a row that sends a frame once.
    void addFrame(const can::FrameView& frame);
    /// Adds a group with all that a node sends.
    void addNode(const QString& node);
    /// Adds messages of signals by path, and nodes, that were dropped.
    void addDropped(const QMimeData* mime, std::optional<Place> before);
    /// Rows that were copied here or elsewhere.
    [[nodiscard]] Expected<void> paste(const QMimeData* mime, Place before, unsigned bus);
    [[nodiscard]] QMimeData* copied(const std::vector<Place>& rows) const;
    void duplicate(const std::vector<Place>& rows);
    void remove(const std::vector<Place>& rows);
    /// Moves rows in front of a place; gives where the first of them is then.
    Place move(const std::vector<Place>& rows, Place before);
    void addGroup();
    /// Name or comment of a group.
    [[nodiscard]] Expected<void> setGroup(std::size_t group, const char* field, const QString& text);
    void removeGroup(std::size_t group);
    [[nodiscard]] Expected<void> saveGroup(std::size_t group, const QString& path) const;
    [[nodiscard]] Expected<void> readGroup(const QString& path);
    ///@}

    /// Who else sends what a row sends.
    struct Other {
        QString words;  ///< "WaterUnit sends WaterState too"
        QString node;  ///< That may be taken out, or empty.
        std::optional<std::size_t> row;  ///< Of the outbox, that may be held.
    };
    /// Asks the run who else sends, for all rows at once.
    void lookForOthers() const;
    /// Empty where nobody does, or the row is sent all the same. As of a moment ago, unless `now`.
    [[nodiscard]] const std::vector<Other>& others(std::size_t number, bool now = false) const;
    void takeOut(const Other& other);
    /// Kept for the row.
    void sendAnyway(Place place);

    /// Why nothing goes out, whatever is pressed; empty where it does.
    [[nodiscard]] QString unable() const;
    void go(std::size_t number);
    void hold(std::size_t number);
    void send(std::size_t number);
    void startTogether(std::size_t group);
    void holdGroup(std::size_t group);
    /// Whether rows go out, or all are held.
    void setHeld(bool held);
    /// A key of the window, as rows name it; false where no row has it.
    bool key(const QString& key, bool down);
    /// The key of a row, whatever it is.
    void keyOf(std::size_t number, bool down);
    /// The run alone has other bits until the row is edited: while one drags.
    void tryBits(std::size_t number, std::uint32_t signal, std::uint64_t bits);

Q_SIGNALS:
    /// Rows are others.
    void changed();
    /// A row was added that shall be seen.
    void added(std::size_t number);
    /// The key of a row went down, and somebody else sends the same.
    void asked(std::size_t number);

private:
    class Change;
    using Edit = std::function<Expected<void>(nlohmann::json& outbox)>;
    /// Edits of one key that follow each other at once are one step.
    Expected<void> edit(const QString& what, const Edit& change, const QString& key = {});
    Expected<void> editRow(
        Place place, const QString& what, const std::function<Expected<void>(nlohmann::json& row)>& change, const QString& key = {});
    void replace(const nlohmann::json& outbox);
    void insert(std::optional<Place> before, const std::vector<nlohmann::json>& rows, const QString& what);
    [[nodiscard]] nlohmann::json written() const;
    [[nodiscard]] const database::CatalogMessage* messageOf(const drive::OutboxRow& row) const;
    void post(std::function<void(drive::Outbox&)> act) const;

    Stage& stage_;
    QUndoStack undo_;
    mutable std::shared_ptr<const std::vector<drive::OutboxRowFacts>> facts_;
    mutable bool held_ = false;
    mutable std::map<std::size_t, std::vector<rig::RowCollision>> collided_;  // by row
    mutable QElapsedTimer collidedAt_;
    mutable std::map<std::size_t, std::vector<Other>> others_;  // in words, as far as somebody asked
};

}  // namespace wavetrope::app
