// SPDX-License-Identifier: GPL-3.0-or-later
// The kinds of views, in one table.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "app/stage/view.h"

namespace wavetrope::app {

/// A kind of view. A new one is a folder and a line in view_kinds.cpp.
struct ViewKind {
    const char* kind;       ///< As in the rig document.
    const char* title;
    const char* purpose;    ///< For tooltips.
    std::function<View*(Stage&)> create;
    /// Where it stands when it is asked for and no page has it: the page's title, and what is on it as in the rig document.
    struct Place {
        Wish::For what;
        const char* page;
        const char* layout;
    };
    std::optional<Place> place = {};
};
[[nodiscard]] const std::vector<ViewKind>& viewKinds();

}  // namespace wavetrope::app
