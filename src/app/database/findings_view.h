// SPDX-License-Identifier: GPL-3.0-or-later
// What is wrong with the open database, with remedies; and what differs from another version of it.
#pragma once

#include <QLabel>
#include <QPushButton>

#include "app/paint/row_list.h"
#include "app/stage/desk.h"
#include "app/stage/view.h"
#include "database/diff.h"
#include "database/review.h"

namespace wavetrope::app {

/// The findings of a review, the worst first. A row leads to what it is about; its remedy is one click, and undone like
/// any edit.
class ReviewView : public View {
    Q_OBJECT
public:
    explicit ReviewView(Stage& stage);
    QWidget* tools() override { return facts_; }
    bool step(bool redo) override { return desk_.stepBack(redo); }
    [[nodiscard]] const std::vector<database::Finding>& findings() const { return findings_; }
    void choose(std::size_t index);
    /// Does the remedy of a finding.
    void remedy(std::size_t index);
    [[nodiscard]] Desk& desk() { return desk_; }

private:
    class Rows;
    friend class Rows;
    void refresh();

    Desk& desk_;
    QLabel* facts_;
    std::vector<database::Finding> findings_;
    std::size_t reviewedAt_ = ~std::size_t{0};
    std::size_t reviewedEntry_ = ~std::size_t{0};
    std::uint64_t trafficRows_ = 0;
    unsigned beats_ = 0;
    Rows* rows_;
};

/// The open database against an older version, and which identifiers of the trace each difference touches.
class CompareView : public View {
    Q_OBJECT
public:
    explicit CompareView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] const std::vector<database::Change>& changes() const { return changes_; }
    /// Compares with a file.
    void compareWith(const QString& path);

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

private:
    class Rows;
    friend class Rows;
    void refresh();

    Desk& desk_;
    QWidget* tools_;
    QPushButton* choose_;
    QLabel* facts_;
    QString path_;
    std::optional<database::Database> older_;
    std::vector<database::Change> changes_;
    Rows* rows_;
};

}  // namespace wavetrope::app
