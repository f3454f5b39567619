// SPDX-License-Identifier: GPL-3.0-or-later
// Nodes, value tables and attributes of a database as tables to type in.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QTableWidget>

#include "app/stage/desk.h"

class QPushButton;
class QTabWidget;

namespace wavetrope::app {

/// Each cell takes effect when it is left, as an edit that can be undone. The last row of a table makes a new object;
/// Delete takes rows out.
class NetworkDialog : public QDialog {
    Q_OBJECT
public:
    explicit NetworkDialog(Desk& desk, QWidget* parent = nullptr);

protected:
    void keyPressEvent(QKeyEvent* event) override;

private:
    /// What a row of values is about: an attribute of an object, or of a relation.
    struct ValueRow {
        std::uint32_t definition = 0;
        std::uint32_t object = 0;
        database::Relation relation;
    };
    QTableWidget* table(const char* name, const QString& title, const QStringList& heads, const QString& tip);
    void fill();
    void takeNode(int row, int column);
    void takeTable(int row, int column);
    void takeDefinition(int row, int column);
    void takeVariable(int row, int column);
    void takeValue(int row, int column);
    void fillValues();
    void addRow();
    void removeRow();
    /// What the buttons say and whether they can be pressed, for the table and row that are shown.
    void showButtons();

    Desk& desk_;
    QTabWidget* tabs_;
    QTableWidget* nodes_;
    QTableWidget* tables_;
    QTableWidget* definitions_;
    QTableWidget* variables_;
    QTableWidget* values_;
    QLabel* problem_;
    QPushButton* add_;
    QPushButton* remove_;
    std::vector<ValueRow> valueRows_;
    bool filling_ = false;
    bool sized_ = false;
};

}  // namespace wavetrope::app
