// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done with an object of a node: read it now, write it.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

#include "app/stage/protocol_desk.h"

namespace wavetrope::app {

/// A field for the value, and two buttons. Nothing goes out but by these, or Enter in the field.
class ObjectPanel : public QWidget {
    Q_OBJECT
public:
    ObjectPanel(Stage& stage, QWidget* parent);

    /// Shows an object; what was typed for another one is let go.
    void show(const ProtocolDesk::ObjectOf& object);
    void read();
    void write();
    /// What the last question came to.
    [[nodiscard]] QString words() const { return words_->isHidden() ? QString() : words_->text(); }
    [[nodiscard]] QLineEdit* value() { return value_; }

Q_SIGNALS:
    void heightChanged();

private:
    void say(const QString& words, bool wrong);
    void ask(std::unique_ptr<protocol::Talk> talk, const QString& done);
    [[nodiscard]] const protocol::ObjectEntry* entry() const;

    Stage& stage_;
    ProtocolDesk::ObjectOf object_;
    QLineEdit* value_;
    QPushButton* read_;
    QPushButton* write_;
    QLabel* words_;
};

}  // namespace wavetrope::app
