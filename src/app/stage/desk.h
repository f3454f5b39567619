// SPDX-License-Identifier: GPL-3.0-or-later
// The databases of a window on the desk: which one is open, what of it is chosen, and what was edited.
#pragma once

#include <QFileSystemWatcher>
#include <QObject>
#include <QTimer>

#include <future>
#include <memory>

#include "rig/shelf.h"

namespace wavetrope::app {

class Stage;

/// One for a stage, made when it is first asked for. Edits reach the other views through a new catalog, shortly after.
class Desk : public QObject {
    Q_OBJECT
public:
    explicit Desk(Stage& stage);
    ~Desk() override;

    /// The databases; read when they are first asked for.
    [[nodiscard]] rig::Shelf& shelf();
    /// The same where they were asked for before, else null.
    [[nodiscard]] rig::Shelf* shelfIfRead() { return shelf_.get(); }
    [[nodiscard]] const rig::Shelf& shelf() const { return const_cast<Desk*>(this)->shelf(); }
    [[nodiscard]] std::size_t count() const { return shelf().size(); }
    [[nodiscard]] bool any() const { return shelf().size() > 0; }
    [[nodiscard]] std::size_t current() const { return current_; }
    [[nodiscard]] const rig::ShelfEntry& entry() const { return shelf().at(current_); }
    [[nodiscard]] const database::Database& database() const { return entry().edited; }
    void open(std::size_t index);
    /// The database that explains an identifier of a bus, and its message there.
    void openMessage(std::uint8_t bus, can::Identifier id);

    /// The chosen message, or null.
    [[nodiscard]] const database::Message* message() const;
    /// The chosen signal of it, or null.
    [[nodiscard]] const database::Signal* signal() const;
    void choose(std::uint32_t message, std::uint32_t signal = 0);

    /// Does an edit of the open database. What is wrong with it is said in words, and nothing happens.
    bool apply(Expected<database::Edit> edit);
    void undo();
    /// Takes back the last edit, or does it again; false where there is none.
    bool stepBack(bool redo)
    {
        if (!canStep(redo))
            return false;
        redo ? this->redo() : undo();
        return true;
    }
    void redo();
    [[nodiscard]] database::Editor editor() { return shelf().editor(current_); }

    /// Bus of the stage that the open database explains, or -1.
    [[nodiscard]] int bus() const;
    /// Brings the edits to all views now.
    void publish();
    /// What the last failed edit or saving said.
    [[nodiscard]] const QString& problem() const { return problem_; }
    void say(const QString& problem);
    /// After databases came, went or were saved.
    void noteAttached();
    /// After the buses got other files, which is part of the rig's document.
    void noteArranged();
    /// Whether there is a step to undo, or to do again.
    [[nodiscard]] bool canStep(bool redo) const { return arrangedLast(redo) || (any() && (redo ? entry().canRedo() : entry().canUndo())); }
    /// Whether the last step, done or undone, was one of which files the buses have.
    [[nodiscard]] bool arrangedLast(bool redo) const
    {
        return shelf_ && any() && (redo ? shelf_->redoArranges(current_) : shelf_->undoArranges(current_));
    }

Q_SIGNALS:
    void entriesChanged();      ///< Databases came, went or were saved.
    void arranged();            ///< Which files the buses have is no longer as in the rig's document.
    void edited();              ///< The open one changed, or another is open.
    void chosen();
    void problemChanged();
    void changedOnDisk();

private:
    void step(bool arrangement);
    void watch();
    void publishSoon();
    void take(std::shared_ptr<const database::Catalog> catalog);

    Stage& stage_;
    std::unique_ptr<rig::Shelf> shelf_;
    std::size_t current_ = 0;
    std::uint32_t message_ = 0;
    std::uint32_t signal_ = 0;
    QTimer publishing_;
    QFileSystemWatcher watcher_;
    QString problem_;
    std::future<void> making_;      // of the catalog, on a thread of its own
    std::uint64_t made_ = 0;        // how many were begun; an older one that comes late is dropped
};

}  // namespace wavetrope::app
