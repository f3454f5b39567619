// SPDX-License-Identifier: GPL-3.0-or-later
// Fields with their labels, as many in a line as there is room for.
#pragma once

#include <QLabel>
#include <QWidget>

#include <array>
#include <vector>

class QGridLayout;

namespace wavetrope::app {

/// A form that is read line by line. Where a field stands is given for four, three and two fields in a line; the widest
/// arrangement is taken in which every field has the room for the characters it must show, or else a line for each.
class FieldGrid final : public QWidget {
    Q_OBJECT
public:
    /// Line, place within it, and how many places it takes.
    struct Place {
        int row = 0;
        int at = 0;
        int span = 1;
    };
    /// With four, three and two fields in a line.
    using Places = std::array<Place, 3>;

    explicit FieldGrid(QWidget* parent = nullptr);

    /// Takes the field over. `characters` is what it must show at least.
    void add(const QString& label, QWidget* field, int characters, const Places& places);
    /// Arranges the fields for this room, in pixels.
    void lay(int width);
    /// Takes the fonts and sizes of the theme.
    void restyle();
    /// Fields in a line at present.
    [[nodiscard]] int across() const { return across_; }
    /// Gives way: `lay` says what there is room for.
    [[nodiscard]] QSize minimumSizeHint() const override { return {0, QWidget::minimumSizeHint().height()}; }

private:
    void arrange(int across);
    [[nodiscard]] int wanted(int across) const;

    struct Cell {
        QLabel* label;
        QWidget* field;
        int characters;
        Places places;
    };
    QGridLayout* grid_;
    std::vector<Cell> cells_;
    int across_ = 0;
    int width_ = 0;
};

}  // namespace wavetrope::app
