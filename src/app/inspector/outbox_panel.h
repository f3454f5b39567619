// SPDX-License-Identifier: GPL-3.0-or-later
// The chosen row of the outbox: when it goes out, with which values, and how well it keeps time.
#pragma once

#include <QButtonGroup>
#include <QComboBox>
#include <QElapsedTimer>
#include <QLabel>
#include <QLineEdit>
#include <QWidget>

#include <map>
#include <optional>
#include <vector>

#include "app/inspector/value_row.h"
#include "app/layout/layout_widget.h"
#include "app/stage/outbox_look.h"
#include "app/stage/stage.h"

class QGridLayout;
class QVBoxLayout;

namespace wavetrope::app {

/// All that a row of the outbox is, to be changed where it stands. Each edit is one of the outbox, and undone with it.
class OutboxPanel : public QWidget {
    Q_OBJECT
public:
    explicit OutboxPanel(Stage& stage, QWidget* parent);

    /// Shows a row by its number; false where there is none.
    bool show(std::size_t number);
    /// What it says, line by line.
    [[nodiscard]] QStringList lines() const;
    /// The signals of the row, in their order.
    [[nodiscard]] std::vector<ValueRow*> values() const;
    [[nodiscard]] LayoutWidget* bits() const { return bits_; }
    [[nodiscard]] QString problem() const { return problem_->isHidden() ? QString() : problem_->text(); }

Q_SIGNALS:
    void heightChanged();

private:
    struct Field {
        QLabel* before;
        QLineEdit* edit;
    };
    enum FieldId { period, count, offset, filter, after, moment, burst, apart, keyName, comment, bytes, identifier, length, fieldCount };
    void fill();
    void fillWhen(const drive::OutboxRow& row);
    [[nodiscard]] static int mainOf(const bool (&there)[fieldCount]);
    void layWhen(const bool (&there)[fieldCount]);
    void fillForm(const drive::OutboxRow& row);
    void chooseForm(int form);
    [[nodiscard]] Expected<void> keepLength(OutboxDesk::Place place, const QString& words);
    void fillValues(OutboxDesk::Place place);
    void fillBits(OutboxDesk::Place place);
    void fillTimekeeping(OutboxDesk::Place place);
    void restyle();
    void say(const Expected<void>& done);
    void chooseWhen(int when);
    void keep(FieldId id);
    void lookForSources(OutboxDesk::Place place);
    ValueRow* valueRow(std::size_t index);
    [[nodiscard]] std::optional<OutboxDesk::Place> place() const { return stage_.outbox().placeOf(number_); }

    Stage& stage_;
    OutboxLook look_;
    std::size_t number_ = ~std::size_t{0};
    std::string what_;          // message or identifier that is shown
    QGridLayout* whenGrid_;
    QVBoxLayout* valuesBox_;
    QComboBox* when_;
    std::vector<Field> fields_;
    QButtonGroup* held_;        // a key: each press, or while it is held
    QButtonGroup* gathers_;
    QButtonGroup* overflow_;
    QWidget* raw_;              // what a frame by itself is
    QButtonGroup* wide_;        // 11 or 29 bits
    QComboBox* form_;
    QLabel* problem_;
    QLabel* valuesRight_;
    std::vector<QLabel*> sections_;
    std::vector<QLabel*> quiet_;
    std::vector<ValueRow*> rows_;
    LayoutWidget* bits_;
    QLabel* bitsRight_;
    QLabel* kept_[4][2];
    QLabel* asked_;
    std::map<std::uint32_t, std::pair<nlohmann::json, QString>> offered_;      // by signal
    QElapsedTimer looked_;
    QString shown_;
};

}  // namespace wavetrope::app
