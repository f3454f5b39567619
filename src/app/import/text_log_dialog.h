// SPDX-License-Identifier: GPL-3.0-or-later
// How the lines of a text log are read: shown, corrected and kept.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>

#include "app/import/layout_table.h"

class QVBoxLayout;

namespace wavetrope::app {

/// Shows the first lines of a log with what was recognised; the user answers what they leave open, corrects, and opens it.
class TextLogDialog : public QDialog {
    Q_OBJECT
public:
    /// `head` is the beginning of the file.
    TextLogDialog(const QString& path, const std::string& head, const std::string& folder, QWidget* parent = nullptr);

    /// What the log is to be read by.
    [[nodiscard]] const formats::TextLayout& textLayout() const { return table_->textLayout(); }
    [[nodiscard]] LayoutTable* table() { return table_; }
    [[nodiscard]] QString says() const { return says_->text(); }

    void accept() override;

private:
    void showQuestions();
    void takeFields();
    void showFields();
    void showFrames();

    std::string head_;
    std::string folder_;
    formats::Recognition found_;
    std::vector<bool> answered_;
    QVBoxLayout* questions_;
    LayoutTable* table_;
    QComboBox* separator_;
    QComboBox* time_;
    QComboBox* identifiers_;
    QComboBox* bytes_;
    QComboBox* spread_;
    QComboBox* length_;
    QCheckBox* comma_;
    QCheckBox* since_;
    QCheckBox* padded_;
    QPlainTextEdit* frames_;
    QLabel* says_;
    QLineEdit* name_;
    QPushButton* open_;
    bool showing_ = false;
};

/// The layout of a text log: one that is kept and fits, or what the user settles on; empty where he leaves it.
[[nodiscard]] std::optional<formats::TextLayout> askForLayout(const QString& path, QWidget* parent);

}  // namespace wavetrope::app
