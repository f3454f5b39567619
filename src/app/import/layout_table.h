// SPDX-License-Identifier: GPL-3.0-or-later
// The lines of a text log under the meanings of their columns.
#pragma once

#include <QAbstractScrollArea>

#include <string>
#include <vector>

#include "formats/text_recognition.h"

namespace wavetrope::app {

/// Lines by column. The heads say what each column means and how sure that is; a head is dragged to the column that it
/// belongs to, or chosen by click or keys.
class LayoutTable : public QAbstractScrollArea {
    Q_OBJECT
public:
    explicit LayoutTable(QWidget* parent = nullptr);

    void setLines(std::vector<std::string> lines);
    void setTextLayout(const formats::TextLayout& layout, const std::vector<double>& confidence);
    [[nodiscard]] const formats::TextLayout& textLayout() const { return layout_; }
    [[nodiscard]] int columnCount() const { return static_cast<int>(widths_.size()); }
    /// Where the head of a column stands.
    [[nodiscard]] QRect headOf(int column) const;
    /// Lines that are no frames by the layout, with what is wrong with them.
    [[nodiscard]] int misfits() const;

Q_SIGNALS:
    void layoutChanged();

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool viewportEvent(QEvent* event) override;

private:
    struct Line {
        std::string text;
        std::vector<std::string> cells;
        const char* problem = nullptr;
        bool remark = false;
    };
    void split();
    void measure();
    void setMeaning(int column, formats::Meaning meaning);
    void offer(int column);
    [[nodiscard]] formats::Meaning meaningOf(int column) const;
    [[nodiscard]] int columnAt(int x) const;
    [[nodiscard]] int headHeight() const;

    std::vector<Line> lines_;
    formats::TextLayout layout_;
    std::vector<double> confidence_;
    std::vector<int> edges_;        // left edges
    std::vector<int> widths_;
    int chosen_ = 0;
    int dragged_ = -1;
    QPoint pressedAt_;
    QPoint dragAt_;
    bool dragging_ = false;
};

}  // namespace wavetrope::app
