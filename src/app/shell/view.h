// What every view of a page is.
#pragma once

#include <QString>
#include <QUndoStack>
#include <QWidget>

#include <functional>
#include <nlohmann/json.hpp>
#include <optional>
#include <vector>

#include "app/shell/stage.h"

namespace wavetrope::app {

class FilterLine;

/// What somebody may ask to see, wherever it is shown.
enum class Wish : std::uint8_t {
    plot,           ///< A signal over time.
    filter,         ///< What a filter passes.
    playback,       ///< A log played back; its path.
    definition,     ///< The definition of an identifier: bus and key, with a blank between.
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

    /// What was done in it, or null. The last of what was done in any view of a page is taken back first.
    [[nodiscard]] virtual QUndoStack* undoStack() { return nullptr; }
    /// Takes back, or does again, an edit of what it shows, in front of everything else; false where there is none.
    virtual bool step(bool redo)
    {
        (void)redo;
        return false;
    }
    /// Whether it shows such things: where nothing on the page does, the window goes to a page that has one.
    [[nodiscard]] virtual bool takes(Wish wish) const
    {
        (void)wish;
        return false;
    }
    /// Shows what it was asked for.
    virtual void present(Wish wish, const QString& subject)
    {
        (void)wish;
        (void)subject;
    }

Q_SIGNALS:
    /// The set-up changed: the rig has something to save.
    void setUpChanged();

private:
    Stage& stage_;
};

/// A kind of view. A new one is a folder and a line in view_kinds.cpp.
struct ViewKind {
    const char* kind;       ///< As in the rig document.
    const char* title;
    const char* purpose;    ///< For tooltips.
    std::function<View*(Stage&)> create;
    /// Where it stands when it is asked for and no page has it: the page's title, and what is on it as in the rig document.
    struct Place {
        Wish wish;
        const char* page;
        const char* layout;
    };
    std::optional<Place> place = {};
};
[[nodiscard]] const std::vector<ViewKind>& viewKinds();

}  // namespace wavetrope::app
