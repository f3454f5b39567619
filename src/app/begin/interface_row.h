// SPDX-License-Identifier: GPL-3.0-or-later
// One interface of the machine on the page Begin.
#pragma once

#include <QBoxLayout>
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

#include "app/parts/elided_label.h"
#include "app/stage/interfaces.h"

namespace wavetrope::app {

/// Changes in place; nothing of it jumps.
class InterfaceRow : public QWidget {
    Q_OBJECT
public:
    explicit InterfaceRow(const QString& name, QWidget* parent = nullptr);
    [[nodiscard]] const QString& name() const { return name_; }
    [[nodiscard]] bool ticked() const { return tick_->isEnabled() && tick_->isChecked(); }
    void setTicked(bool on) { tick_->setChecked(on); }
    void setCurrent(bool on);
    /// In little room the trend gives way, and the buttons stand below the command.
    void setNarrow(bool on);
    /// Shows how it is now. `otherRate` is that of another interface that is alive, as a proposal.
    void show(const bus::WatchedInterface& of, const Interfaces::Trend& trend, can::BitRate otherRate, const QString& otherName);

Q_SIGNALS:
    void watchWanted();
    void tickChanged();
    void chosen();
    void told(const QString& words);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    class Plug;
    class Spark;
    [[nodiscard]] QString command() const;
    void carryOut();

    QString name_;
    bool current_ = false;
    bool wasUp_ = false;
    bool narrow_ = false;
    bus::WatchedInterface of_;
    QCheckBox* tick_;
    ElidedLabel* title_;
    Plug* plug_;
    QLabel* state_;
    ElidedLabel* first_;
    ElidedLabel* second_;
    Spark* spark_;
    QLabel* rate_;
    QLabel* unit_;
    QPushButton* watch_;
    QWidget* bringUp_;
    QBoxLayout* commandLine_;
    QComboBox* speed_;
    ElidedLabel* agree_;
    QLineEdit* command_;
    QPushButton* carryOut_;
};

}  // namespace wavetrope::app
