// SPDX-License-Identifier: GPL-3.0-or-later
// Several logs opened as one: their offsets, and whether their buses are the same.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QTimer>

#include <atomic>
#include <memory>
#include <thread>

#include "app/import/align_strip.h"
#include "formats/merged_logs.h"

namespace wavetrope::app {

/// Looks into the beginnings of the logs, finds out by frames that they share how far their clocks are apart, and lets the
/// user set it by number or by dragging.
class SeveralLogsDialog;
/// Asks for what reading logs takes: the layout of text, and where there are several, their offsets. Nothing where somebody thought otherwise, or a
/// log cannot be opened, which is told.
[[nodiscard]] std::optional<std::vector<formats::LogPart>> askForParts(const QStringList& paths, QWidget* parent);

class SeveralLogsDialog : public QDialog {
    Q_OBJECT
public:
    SeveralLogsDialog(const QStringList& paths, std::vector<std::optional<formats::TextLayout>> layouts, QWidget* parent = nullptr);
    ~SeveralLogsDialog() override;

    [[nodiscard]] std::vector<formats::LogPart> parts() const;
    [[nodiscard]] AlignStrip* strip() { return strip_; }
    /// Whether the beginnings have been read.
    [[nodiscard]] bool looked() const { return looked_; }
    [[nodiscard]] std::size_t matches(int log) const { return looks_[static_cast<std::size_t>(log)]->matched.matched.size(); }

private:
    struct Look {
        trace::Trace trace;
        QString problem;
        std::atomic<bool> done{false};
        measure::LogPairs pairs;  // with the first log; there when done
        measure::LogAlignment matched;
        bool shown = false;
    };
    class LookSink;
    void follow();
    void setOffset(int log, Time offset, bool fromTable);
    void align(int log);
    void showLog(int log);
    void showStrip();

    std::vector<formats::LogPart> parts_;
    std::vector<std::unique_ptr<Look>> looks_;
    QTableWidget* table_;
    AlignStrip* strip_;
    QLabel* says_;
    QPushButton* open_;
    QTimer timer_;
    std::atomic<bool> closing_{false};
    bool looked_ = false;
    bool filling_ = false;
    std::thread reader_;
};

}  // namespace wavetrope::app
