// SPDX-License-Identifier: GPL-3.0-or-later
// Runs that ended without their program: opened, saved, discarded.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>

#include <atomic>
#include <thread>
#include <vector>

#include "spool/unfinished.h"

namespace wavetrope::app {

/// Lists them, the newest first. What is opened or left alone is offered again at the next start.
class RecoveryDialog : public QDialog {
    Q_OBJECT
public:
    /// Of this folder.
    explicit RecoveryDialog(std::string folder, QWidget* parent = nullptr);
    ~RecoveryDialog() override;

    /// Shows one where there are such runs; null where there are none. Unless somebody `asked`, those that were kept on purpose
    /// are no reason to.
    static RecoveryDialog* offer(QWidget* parent, bool asked);

    [[nodiscard]] const std::vector<spool::UnfinishedRun>& runs() const { return runs_; }
    /// Saves the chosen run as a log, in the background.
    void saveTo(const QString& path);

    void reject() override;

Q_SIGNALS:
    /// A run is to be opened as a log; `rig` is the document that it ran by, which may be gone.
    void openWanted(const QString& path, const QString& rig);
    void saved(const QString& path, const QString& problem);

private:
    void load();
    void refresh();
    [[nodiscard]] QString words() const;
    [[nodiscard]] const spool::UnfinishedRun* chosen() const;
    void discard();

    std::string folder_;
    std::vector<spool::UnfinishedRun> runs_;
    QLabel* says_;
    QTableWidget* table_;
    QProgressBar* progress_;
    QPushButton* open_;
    QPushButton* save_;
    QPushButton* discard_;
    QPushButton* later_;
    std::thread saver_;
    std::atomic<bool> cancel_{false};
    bool saving_ = false;
};

}  // namespace wavetrope::app
