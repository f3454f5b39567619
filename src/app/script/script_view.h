// SPDX-License-Identifier: GPL-3.0-or-later
// A node's script: written, taken over while the run goes on, and what it logged.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QTimer>

#include <optional>

#include "app/stage/view.h"
#include "drive/node_script.h"

class QComboBox;
class QsciScintilla;
class QTableWidget;

namespace wavetrope::app {

/// The script of one node of the rig. While it is typed it is checked, and an error stands in its line; calls, messages, signals and states are
/// completed. *Take over* puts it in place of the one that runs. Lines that it logged stand below; a click leads to their moment.
class ScriptView : public View {
    Q_OBJECT
public:
    explicit ScriptView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    bool step(bool redo) override;

    /// Shows the script of a node.
    void show(const QString& node);
    [[nodiscard]] const QString& node() const { return node_; }
    [[nodiscard]] QsciScintilla* editor() { return editor_; }
    [[nodiscard]] QTableWidget* log() { return log_; }
    /// What stands in the text as wrong, or nothing.
    [[nodiscard]] const std::optional<Error>& problem() const { return problem_; }
    [[nodiscard]] QString status() const { return status_->text(); }
    /// Puts it in place of the one that runs.
    void takeOver();

protected:
    void resizeEvent(QResizeEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

private:
    void refresh();
    void typed();
    void check();
    void mark(const std::optional<Error>& error);
    void offerWords();
    void offerBehindDot();
    void dress();
    void lay();
    [[nodiscard]] QString textNow() const;

    QWidget* tools_;
    QComboBox* choice_;
    QLabel* status_;
    QPushButton* takeOver_;
    QsciScintilla* editor_;
    QTableWidget* log_;
    QTimer checking_;
    QString node_;
    QStringList dotted_;  // names with a dot that may be spoken of
    std::optional<Error> problem_;
    bool setting_ = false;  // the text, by no hand
    QString running_;  // what was taken over last
    std::uint64_t lines_ = 0;  // that the log shows
    std::optional<drive::ScriptFacts> facts_;
};

}  // namespace wavetrope::app
