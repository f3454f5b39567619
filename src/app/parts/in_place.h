// SPDX-License-Identifier: GPL-3.0-or-later
// A field that stands in place of the words that it changes.
#pragma once

#include <QLabel>
#include <QLineEdit>

#include <functional>

#include "base/error.h"

namespace wavetrope::app {

/// Return keeps what was typed, Tab keeps it and goes on, Escape leaves it. What cannot be kept stays in the field, with the
/// reason under it.
class InPlaceField : public QLineEdit {
    Q_OBJECT
public:
    /// Keeps a text, or says why not.
    using Keep = std::function<Expected<void>(const QString&)>;
    explicit InPlaceField(QWidget* parent);

    /// Opens over a box, at least `least` wide, with a text to change.
    void open(const QRect& box, int least, const QString& text, const QString& hint, Keep keep);
    [[nodiscard]] bool isOpen() const { return isVisible(); }
    /// What is in the way, or empty.
    [[nodiscard]] QString problem() const { return problem_->isVisible() ? problem_->text() : QString(); }
    /// Keeps what stands in it, if it is open; false where that cannot be.
    bool finish();

Q_SIGNALS:
    /// It was kept, and the field is closed; go on with the next (1), the one before (-1), or none (0).
    void kept(int next);
    void left();

protected:
    bool event(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

private:
    bool keepIt(int next);
    void restyle();

    QLabel* problem_;
    Keep keep_;
    QString before_;
    bool keeping_ = false;
};

}  // namespace wavetrope::app
