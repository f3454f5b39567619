// SPDX-License-Identifier: GPL-3.0-or-later
// The databases of a rig as they are edited: what is on disk, what was changed, and what is undone.
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "database/catalog.h"
#include "database/dbc_reader.h"
#include "database/edit.h"
#include "rig/rig.h"

namespace wavetrope::rig {

/// One database of the shelf: a file, or the definitions that the rig keeps itself for a bus.
struct ShelfEntry {
    std::string name;                   ///< As in the rig's document; of own definitions the bus.
    std::string path;                   ///< Of the file; empty for own definitions.
    std::vector<std::string> buses;     ///< That it explains; none when it was taken off them all.
    bool own = false;
    std::optional<Error> missing;       ///< Why the file could not be read; then the database is empty.
    database::DbcReading reading;       ///< As it is on disk.
    database::Database edited;

    [[nodiscard]] bool changed() const { return at != savedAt; }
    [[nodiscard]] bool canUndo() const { return at > 0; }
    [[nodiscard]] bool canRedo() const { return at < steps.size(); }

    std::vector<database::Edit> steps;  ///< Done up to `at`, undone behind it.
    std::vector<std::uint64_t> orders;  ///< Of each step among all that was done on the shelf.
    std::uint64_t revision = 0;         ///< Counts what changed `edited`.
    std::size_t at = 0;
    std::size_t savedAt = 0;            ///< Position that was saved; beyond all steps where none is.
    std::uint64_t stamp = 0;            ///< Of the file when it was read or written.
};

/// Which files each bus of the rig has, in their order.
struct Arrangement {
    std::string title;
    std::vector<std::vector<std::string>> before, after;
    std::uint64_t order = 0;
};

/// All databases of a rig. Edits change `edited` alone until `save`.
class Shelf {
public:
    /// Reads the files that the rig names; own definitions for each bus stand behind them. The rig outlives the shelf.
    explicit Shelf(Rig& rig);

    /// Process data of nodes with a dictionary, by bus and node: they explain what no database does.
    void setProcessData(std::map<std::pair<std::string, std::uint8_t>, std::shared_ptr<const database::Database>> all)
    {
        processData_ = std::move(all);
    }

    [[nodiscard]] std::size_t size() const { return entries_.size(); }
    [[nodiscard]] const ShelfEntry& at(std::size_t index) const { return *entries_[index]; }
    /// Index of the own definitions of a bus, or -1.
    [[nodiscard]] int ownOf(const std::string& bus) const;
    /// Index of a file by its name in the document, or -1.
    [[nodiscard]] int find(const std::string& name) const;

    /// Does an edit; what was undone before it is forgotten.
    void apply(std::size_t index, database::Edit edit);
    /// Undoes what was done last, to this database or to which files the buses have. Returns whether it was the latter.
    bool undo(std::size_t index);
    bool redo(std::size_t index);
    [[nodiscard]] bool canUndo(std::size_t index) const { return at(index).canUndo() || arranged_ > 0; }
    [[nodiscard]] bool canRedo(std::size_t index) const { return at(index).canRedo() || arranged_ < arrangements_.size(); }
    /// Whether undoing now would change which files the buses have.
    [[nodiscard]] bool undoArranges(std::size_t index) const;
    [[nodiscard]] bool redoArranges(std::size_t index) const;
    /// What makes edits of a database, for `apply`.
    [[nodiscard]] database::Editor editor(std::size_t index) { return database::Editor(entries_[index]->edited); }

    /// Whether the file is no longer as it was read or written.
    [[nodiscard]] bool changedOnDisk(std::size_t index) const;
    /// The file as it is on disk now.
    [[nodiscard]] Expected<database::DbcReading> onDisk(std::size_t index) const;
    /// Takes the file as it is on disk; edits are forgotten.
    [[nodiscard]] Expected<void> reread(std::size_t index);
    /// Writes what was edited. A file that changed on disk is refused, unless `overwrite` says that the user was asked.
    /// Own definitions go into the rig's document.
    [[nodiscard]] Expected<void> save(std::size_t index, bool overwrite = false);
    /// Writes to another file, in the form of its ending, and leaves the entry as it is.
    [[nodiscard]] Expected<void> exportTo(std::size_t index, const std::string& path) const;

    /// Attaches a file to a bus of the rig, behind those that it has; the first that knows an identifier wins.
    [[nodiscard]] Expected<std::size_t> attach(const std::string& bus, const std::string& path);
    /// Takes a file off a bus. It stays on disk.
    void detach(const std::string& bus, std::size_t index);
    /// Says where a missing file is: that one takes its place. Returns its index.
    [[nodiscard]] Expected<std::size_t> pointTo(std::size_t index, const std::string& path);
    /// Moves a file of a bus one place towards the front.
    void prefer(const std::string& bus, std::size_t index);
    /// The rig is about to be saved in another folder: files that are named relative to it get names relative to that one.
    void moveTo(const std::string& folder);
    /// A new, empty database file that is attached to a bus. It is written at once.
    [[nodiscard]] Expected<std::size_t> create(const std::string& bus, const std::string& path);

    /// The catalog of buses by name, from the databases as they are edited. May be called on a thread of its own while
    /// the shelf is read; what changes the shelf waits for it.
    [[nodiscard]] std::shared_ptr<const database::Catalog> catalog(
        const std::vector<std::string>& busNames, const std::vector<database::DerivedSpec>& derived = {}) const;

private:
    void load(ShelfEntry& entry);
    /// Index of a file by its path, read if it is new to the shelf.
    Expected<std::size_t> take(const std::string& path);
    [[nodiscard]] std::vector<std::vector<std::string>> files() const;
    void arrange(std::string title, std::vector<std::vector<std::string>> next);
    void setFiles(const std::vector<std::vector<std::string>>& files);

    Rig& rig_;
    std::map<std::pair<std::string, std::uint8_t>, std::shared_ptr<const database::Database>> processData_;
    std::vector<std::unique_ptr<ShelfEntry>> entries_;
    std::vector<Arrangement> arrangements_;     // done up to `arranged_`, undone behind it
    std::size_t arranged_ = 0;
    std::uint64_t order_ = 0;
    mutable std::mutex changing_;
    // Databases of the last catalog, so that only what was edited since is copied for the next.
    mutable std::map<const ShelfEntry*, std::pair<std::uint64_t, std::shared_ptr<const database::Database>>> shared_;
};

}  // namespace wavetrope::rig
