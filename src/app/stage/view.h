// SPDX-License-Identifier: GPL-3.0-or-later
// What every view of a page is.
#pragma once

#include <QString>
#include <QUndoStack>
#include <QWidget>

#include <nlohmann/json.hpp>

#include "app/stage/stage.h"

namespace wavetrope::app {

class FilterLine;

/// What somebody may ask to see, wherever it is shown, with its subject.
struct Wish {
    enum class For : std::uint8_t {
        plot,           ///< A signal over time: the selected one.
        filter,         ///< What a filter passes.
        playback,       ///< A log played back.
        definition,     ///< The definition of an identifier, to be made where there is none.
        manipulation,   ///< A line that says what is changed on purpose, to be gone on with.
        question,       ///< Somebody on a bus is asked: kind, whom and what, with | between them.
    };
    For what = For::plot;
    QString path;               ///< Of the log; or the line.
    std::uint8_t bus = 0;       ///< Of the identifier.
    can::Identifier id;
};

/// A view stands in a pane of a page. Its tools are shown in the pane's head; its set-up is saved with the rig.
class View : public QWidget {
    Q_OBJECT
public:
    explicit View(Stage& stage, QWidget* parent = nullptr);

    [[nodiscard]] Stage& stage() const { return stage_; }
    /// Controls for the pane's head, or null. Owned by the view's pane.
    [[nodiscard]] virtual QWidget* tools() { return nullptr; }
    /// Where its filter is typed, or null.
    [[nodiscard]] virtual FilterLine* filterLine() { return nullptr; }
    [[nodiscard]] virtual nlohmann::json save() const { return nlohmann::json::object(); }
    virtual void restore(const nlohmann::json& setUp) { (void)setUp; }

    /// Whether it shows all that it will show of what is there: nothing is being worked out for it.
    [[nodiscard]] virtual bool settled() const { return true; }
    /// What is drawn, as lines of values separated by commas, with their heads; empty where there is nothing to write.
    [[nodiscard]] virtual QString csv() const;

    /// What was done in it, or null. The last of what was done in any view of a page is taken back first.
    [[nodiscard]] virtual QUndoStack* undoStack() { return nullptr; }
    /// The same, where what it shows is edited elsewhere too.
    [[nodiscard]] virtual QUndoStack* sharedUndoStack() { return nullptr; }
    /// Takes back, or does again, an edit of what it shows, in front of everything else; false where there is none.
    virtual bool step(bool redo)
    {
        (void)redo;
        return false;
    }
    /// Whether it shows such things: where nothing on the page does, the window goes to a page that has one.
    [[nodiscard]] virtual bool takes(Wish::For what) const
    {
        (void)what;
        return false;
    }
    /// Shows what it was asked for.
    virtual void present(const Wish& wish) { (void)wish; }

Q_SIGNALS:
    /// The set-up changed: the rig has something to save.
    void setUpChanged();

private:
    Stage& stage_;
};

/// Lines of cells that tabs separate as lines of values separated by commas (RFC 4180).
[[nodiscard]] QString csvFromTabs(const QString& text);

}  // namespace wavetrope::app
