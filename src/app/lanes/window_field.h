// SPDX-License-Identifier: GPL-3.0-or-later
// From when to when is shown, and where another range is typed.
#pragma once

#include <QPointer>
#include <QToolButton>

#include "app/parts/in_place.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

/// The window of the time axis in words. A click opens a field in its place that takes two times or a width (`rangeFromText`); Return shows
/// them, Escape leaves the window as it was. What cannot be shown stays in the field, with the reason under it.
class WindowField : public QToolButton {
    Q_OBJECT
public:
    explicit WindowField(Stage& stage);
    /// Takes up the window as it is.
    void refresh();
    void edit();
    /// That is open, or null.
    [[nodiscard]] InPlaceField* field() const { return field_; }

private:
    [[nodiscard]] Expected<void> show(const QString& words);

    Stage& stage_;
    QPointer<InPlaceField> field_;
};

}  // namespace wavetrope::app
