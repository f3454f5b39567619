// SPDX-License-Identifier: GPL-3.0-or-later
// What a report is made of.
#pragma once

#include <QComboBox>

#include <functional>

#include "app/stage/report_desk.h"
#include "app/stage/view.h"

class QToolButton;

namespace wavetrope::app {

class InPlaceField;

/// The parts of a report from top to bottom. Return changes words, Delete takes a part out, Ctrl and arrows move it, H and T add a heading
/// or a text behind it; views are added from the menus of their panes. It is written from here.
class ReportView : public View {
    Q_OBJECT
public:
    /// `titleOf` tells how a kind of view is called.
    ReportView(Stage& stage, std::function<QString(const std::string&)> titleOf);

    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] QUndoStack* undoStack() override { return &stage().reports().undoStack(); }
    [[nodiscard]] std::size_t count() const;
    /// What a part says, tab-separated.
    [[nodiscard]] QString rowText(std::size_t index) const;
    void choose(std::size_t part);
    [[nodiscard]] InPlaceField* field() { return field_; }

private:
    class Rows;
    [[nodiscard]] const rig::ReportSpec* report() const;
    void rebuild();
    /// Changes the report that is shown, as one step; makes one where there is none.
    void change(const QString& what, const std::function<void(rig::ReportSpec&)>& how);
    void addWords(rig::ReportPart::Kind kind);
    void edit(std::size_t part);
    void move(int step);
    void takeOut();
    void write(const char* ending);
    void addReport();

    [[nodiscard]] QString kindWords(const rig::ReportPart& part) const;

    const std::function<QString(const std::string&)> titleOf_;
    QWidget* tools_;
    QComboBox* which_;
    QToolButton* html_;
    QToolButton* pdf_;
    Rows* rows_;
    InPlaceField* field_;
    std::int64_t chosen_ = -1;
};

}  // namespace wavetrope::app
