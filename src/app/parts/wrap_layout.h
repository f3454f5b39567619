// SPDX-License-Identifier: GPL-3.0-or-later
// Widgets in a line, and in further lines where it is too narrow for one.
#pragma once

#include <QLayout>

#include <vector>

namespace wavetrope::app {

/// From left to right, each as wide as it wants to be; a line that is full is followed by another.
class WrapLayout final : public QLayout {
public:
    explicit WrapLayout(QWidget* parent, int gap) : QLayout(parent), gap_(gap) { setContentsMargins(0, 0, 0, 0); }
    ~WrapLayout() override;

    void addItem(QLayoutItem* item) override { items_.push_back(item); }
    [[nodiscard]] int count() const override { return static_cast<int>(items_.size()); }
    [[nodiscard]] QLayoutItem* itemAt(int index) const override
    {
        return index >= 0 && index < count() ? items_[static_cast<std::size_t>(index)] : nullptr;
    }
    QLayoutItem* takeAt(int index) override;
    [[nodiscard]] Qt::Orientations expandingDirections() const override { return {}; }
    [[nodiscard]] bool hasHeightForWidth() const override { return true; }
    [[nodiscard]] int heightForWidth(int width) const override { return lay(QRect(0, 0, width, 0), false); }
    [[nodiscard]] QSize sizeHint() const override;
    [[nodiscard]] QSize minimumSize() const override;
    void setGeometry(const QRect& box) override;

private:
    int lay(const QRect& box, bool place) const;

    std::vector<QLayoutItem*> items_;
    int gap_;
};

}  // namespace wavetrope::app
