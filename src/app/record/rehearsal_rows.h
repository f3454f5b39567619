// SPDX-License-Identifier: GPL-3.0-or-later
// Why a recording would start or not: the level of each part of its start, and its takes, on one axis of time.
#pragma once

#include <vector>

#include "app/paint/row_list.h"
#include "app/paint/take_shape.h"
#include "app/record/rule_rows.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

class RehearsalRows : public RowList {
    Q_OBJECT
public:
    struct Line {
        QString words, right;
        bool strong = false;
        std::vector<TrueSpan> spans;        ///< Of a condition.
        std::vector<TakeShape> takes;       ///< Of takes.
        bool ofTakes = false;
    };
    explicit RehearsalRows(Stage& stage);
    void show(std::vector<Line> lines, const QString& empty);
    [[nodiscard]] const std::vector<Line>& lines() const { return lines_; }

    std::uint64_t count() const override { return lines_.size(); }
    std::int64_t current() const override { return -1; }
    void choose(std::uint64_t) override {}
    QString rowText(std::uint64_t index) const override;

    [[nodiscard]] int wanted() const { return headHeight() + static_cast<int>(count()) * pitch() + 2; }

protected:
    QString emptyText() const override { return empty_; }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    [[nodiscard]] QRectF axis(int y) const;
    Stage& stage_;
    std::vector<Line> lines_;
    QString empty_;
};

}  // namespace wavetrope::app
