// SPDX-License-Identifier: GPL-3.0-or-later
// The limits of a partner in a phase, and what it has agreed before, to be changed.
#pragma once

#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

#include <optional>
#include <vector>

#include "app/stage/stage.h"
#include "drive/dialogue.h"

namespace wavetrope::app {

/// One field for each limit, and for each value that the partner sends once in a phase before: that one is changed on purpose, as anything a node sends
/// is. What an edit waits for is said, with a button that begins the dialogue anew.
class PhasePanel : public QWidget {
    Q_OBJECT
public:
    explicit PhasePanel(Stage& stage, QWidget* parent);

    /// False where there is no such phase.
    bool show(const QString& dialogue, std::size_t partner, std::size_t phase);
    [[nodiscard]] QStringList lines() const;
    [[nodiscard]] QString problem() const { return problem_->isHidden() ? QString() : problem_->text(); }

private:
    struct Limit {
        std::string place;  ///< In the rig's document.
        Time value{};
        QLineEdit* edit = nullptr;
        QLabel* label = nullptr;
    };
    struct Agreed {
        QString signal;  ///< "DockLimits.HighestPressure".
        std::uint32_t index = 0;
        const database::CatalogMessage* message = nullptr;
        QLineEdit* edit = nullptr;
        QLabel* label = nullptr;
        QLabel* now = nullptr;  ///< What was sent last.
    };
    void build(const drive::DialogueSpec& spec);
    void fill(const drive::DialogueFacts& facts);
    void keep(std::size_t limit);
    void agree(std::size_t agreed);
    void tell(const Expected<void>& done);
    /// The manipulation that holds it, or nothing.
    [[nodiscard]] std::optional<QString> heldAs(const Agreed& one) const;

    Stage& stage_;
    QString dialogue_, node_;
    std::size_t partner_ = 0, phase_ = 0;
    QGridLayout* grid_;
    QLabel* heading_;
    QLabel* agreedHeading_;
    QLabel* waits_;
    QLabel* problem_;
    QPushButton* begin_;
    std::vector<Limit> limits_;
    std::vector<Agreed> agreed_;
    QString built_;
};

}  // namespace wavetrope::app
