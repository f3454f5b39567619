// SPDX-License-Identifier: GPL-3.0-or-later
// Writing a run, or a part of it, as a file of another form.
#pragma once

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QTimer>

#include <atomic>
#include <memory>
#include <optional>
#include <thread>

#include "app/stage/background_scan.h"
#include "app/stage/filter_line.h"
#include "app/stage/stage.h"
#include "convert/conversion.h"

class QFormLayout;

namespace wavetrope::app {

/// Asks what is to be written, and writes it on a thread of its own; capture and views go on.
class ConvertDialog : public QDialog {
    Q_OBJECT
public:
    /// `filter` is what the frames are narrowed to at first.
    ConvertDialog(Stage& stage, const QString& filter, QWidget* parent = nullptr);
    ~ConvertDialog() override;

    [[nodiscard]] bool working() const { return thread_.joinable(); }
    /// What came of it, or what is in the way.
    [[nodiscard]] QString says() const { return says_->text(); }

protected:
    void reject() override;

private:
    void formChanged();
    void showCount();
    void choosePath();
    void begin();
    void follow();
    void say(const QString& text, bool wrong);
    [[nodiscard]] QString ending() const;
    [[nodiscard]] std::optional<Time> momentOf(QLineEdit* edit, const QString& name);
    [[nodiscard]] std::optional<convert::Conversion> conversion();

    Stage& stage_;
    QFormLayout* form_;
    QComboBox* kind_;
    QComboBox* packing_;
    FilterLine* filter_;
    QComboBox* stretch_;
    QWidget* stretchEnds_;
    QLineEdit* from_;
    QLineEdit* to_;
    QLineEdit* signals_;
    QComboBox* rows_;
    QWidget* rowsBox_;
    QLineEdit* step_;
    QComboBox* between_;
    QComboBox* clock_;
    QLineEdit* path_;
    QLabel* says_;
    QProgressBar* progress_;
    QPushButton* start_;
    QPushButton* close_;
    QTimer timer_;
    std::unique_ptr<BackgroundScan> scan_;      // counts what the filter passes
    std::thread thread_;
    std::atomic<bool> cancelled_{false};
    std::atomic<bool> over_{false};
    std::atomic<int> perMille_{0};
    std::optional<Expected<convert::Outcome>> outcome_;
};

}  // namespace wavetrope::app
