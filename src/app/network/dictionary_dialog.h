// SPDX-License-Identifier: GPL-3.0-or-later
// A node's whole dictionary beside its file.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QPushButton>

#include <memory>

#include "app/stage/protocol_desk.h"

namespace wavetrope::app {

/// Reads all objects of a node and shows those that are another than the file says; writes the file's values into the node, or the node's into a file, when
/// it is told to.
class DictionaryDialog : public QDialog {
    Q_OBJECT
public:
    DictionaryDialog(Stage& stage, std::uint8_t bus, std::uint8_t node, QWidget* parent = nullptr);

    void read();
    /// Writes what differs, and reads again.
    void load();
    /// Keeps what the node has as a DCF.
    [[nodiscard]] Expected<void> store(const QString& path) const;
    [[nodiscard]] std::size_t count() const { return rows_.size(); }
    [[nodiscard]] QString rowText(std::size_t index) const { return rows_[index].join(QLatin1Char('\t')); }
    [[nodiscard]] QString words() const { return words_->text(); }
    [[nodiscard]] bool waits() const { return waits_; }

private:
    class Rows;
    friend class Rows;
    void talk(bool loads);
    void say(const QString& words, bool wrong);
    void askStore();

    Stage& stage_;
    std::uint8_t bus_, node_;
    std::shared_ptr<const protocol::Dictionary> dictionary_;
    std::vector<QStringList> rows_;  // object, name, in the file, on the node
    protocol::WrittenObjects values_;
    Rows* list_;
    QLabel* words_;
    QPushButton* read_;
    QPushButton* load_;
    QPushButton* store_;
    bool waits_ = false;
};

}  // namespace wavetrope::app
