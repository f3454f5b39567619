// SPDX-License-Identifier: GPL-3.0-or-later
// What of each bus of a log goes to which bus of the rig, as rows that split and join.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QToolButton>
#include <QWidget>

#include <memory>
#include <optional>
#include <vector>

#include "app/stage/stage.h"
#include "drive/playback.h"

class QVBoxLayout;

namespace wavetrope::app {

class FilterLine;

[[nodiscard]] bool sameRoutes(const std::vector<drive::Route>& a, const std::vector<drive::Route>& b);

/// One row for each route, those of a bus of the log below each other. A row's menu says which kinds and directions pass, gives the bus one more way,
/// and takes a way out.
class RouteRows : public QWidget {
    Q_OBJECT
public:
    explicit RouteRows(Stage& stage, QWidget* parent = nullptr);

    /// The log whose buses they are, with what explains them; null: none.
    void setLog(std::shared_ptr<const trace::Trace> log, std::shared_ptr<const database::Catalog> catalog);
    /// What playback does. What somebody is choosing just now stays.
    void show(const std::vector<drive::Route>& routes, const std::vector<std::size_t>& chosen);

Q_SIGNALS:
    void edited(const std::vector<drive::Route>& routes);
    /// A filter that was typed is none.
    void wrong(const QString& words);

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    struct Row {
        QWidget* line = nullptr;
        QComboBox* what = nullptr;
        FilterLine* filter = nullptr;
        QLabel* arrow = nullptr;
        QComboBox* to = nullptr;
        QLabel* count = nullptr;
        QToolButton* further = nullptr;
    };
    void build(const std::vector<drive::Route>& routes);
    [[nodiscard]] Row makeRow(std::size_t index, bool first);
    void fill(std::size_t index);
    void lay();
    void chosen(std::size_t index);
    void filtered(std::size_t index);
    void fillMenu(std::size_t index);
    void change(std::size_t index, const std::function<void(drive::Route&)>& how);
    [[nodiscard]] int rigBusOf(int logBus) const;

    Stage& stage_;
    std::shared_ptr<const trace::Trace> log_;
    std::shared_ptr<const database::Catalog> catalog_;
    QVBoxLayout* layout_;
    std::vector<Row> rows_;
    std::vector<drive::Route> routes_;
    bool filling_ = false;
};

}  // namespace wavetrope::app
