// What every view of a page is.
#pragma once

#include <QString>
#include <QWidget>

#include <functional>
#include <nlohmann/json.hpp>
#include <vector>

#include "app/shell/stage.h"

namespace wavetrope::app {

class FilterLine;

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
};
[[nodiscard]] const std::vector<ViewKind>& viewKinds();

}  // namespace wavetrope::app
