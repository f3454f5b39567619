// SPDX-License-Identifier: GPL-3.0-or-later
// Help inside the program: keys, the filter language, what a view is for, about.
#pragma once

#include <QDialog>
#include <QListWidget>
#include <QTextBrowser>

namespace wavetrope::app {

/// A list of chapters and their text. Both are made from what the program itself knows: its actions, the table of the
/// filter language, the kinds of views.
class HelpDialog : public QDialog {
    Q_OBJECT
public:
    enum class Chapter { keys, filter, views, about };
    /// Keys are those of the window's actions; `view` is the kind of view to begin with, or empty.
    HelpDialog(const QWidget& window, Chapter chapter, const QString& view, QWidget* parent);
    void show(Chapter chapter);
    /// Versions, build and system as text, for a report of a mistake. Nothing of anybody's work is in it.
    [[nodiscard]] static QString facts();

private:
    [[nodiscard]] QString textOf(Chapter chapter) const;
    [[nodiscard]] QString keys() const;

    const QWidget& window_;
    QString view_;
    QListWidget* chapters_;
    QTextBrowser* text_;
};

}  // namespace wavetrope::app
