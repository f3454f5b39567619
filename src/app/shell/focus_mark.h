// SPDX-License-Identifier: GPL-3.0-or-later
// Where the keyboard is.
#pragma once

#include <QPointer>
#include <QWidget>

namespace wavetrope::app {

/// A line round the list, tree, plot or view of a window that has the keyboard's focus. What draws a mark of its own, such as
/// buttons and fields, has none.
class FocusMark : public QObject {
    Q_OBJECT
public:
    explicit FocusMark(QWidget* window);
    /// Where it is, or null.
    [[nodiscard]] QWidget* target() const { return target_; }

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    class Line;
    void follow(QWidget* focus);
    void lay();

    QWidget* window_;
    QPointer<QWidget> target_;
    QPointer<QWidget> line_;
};

}  // namespace wavetrope::app
