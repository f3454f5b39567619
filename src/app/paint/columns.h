// SPDX-License-Identifier: GPL-3.0-or-later
// The columns of a painted list: chosen, moved and sized by the user, and kept.
#pragma once

#include <QPainter>
#include <QRectF>
#include <QString>

#include <nlohmann/json.hpp>
#include <vector>

namespace wavetrope::app {

/// One that a list can have.
struct ColumnKind {
    const char* key;            ///< As it is kept.
    QString title;
    QString says;               ///< What stands in it.
    double width;               ///< Usual one, in unscaled pixels.
    bool usual = true;          ///< Shown at first.
    bool right = false;         ///< Its head stands at the right, over numbers.
    bool rest = false;          ///< Takes the room that is left.
    QString unit{};             ///< Of all its cells: told in the head. `ofTime` where it follows the way times are written.
    static constexpr const char* ofTime = "time";
    /// What stands over it.
    [[nodiscard]] QString head() const;
};

/// Which of them are shown, in what order and how wide. Places are pixels of the viewport.
class Columns {
public:
    Columns() = default;
    explicit Columns(std::vector<ColumnKind> kinds);

    [[nodiscard]] bool empty() const { return kinds_.empty(); }
    [[nodiscard]] const std::vector<ColumnKind>& kinds() const { return kinds_; }
    /// Kinds shown, by place.
    [[nodiscard]] std::size_t count() const { return shown_.size(); }
    [[nodiscard]] int kindAt(std::size_t place) const { return shown_[place].kind; }
    [[nodiscard]] const ColumnKind& at(std::size_t place) const { return kinds_[static_cast<std::size_t>(shown_[place].kind)]; }
    [[nodiscard]] bool has(int kind) const { return placeOf(kind) >= 0; }
    /// Place of a kind, or -1.
    [[nodiscard]] int placeOf(int kind) const;

    /// Shows a kind at its usual place, or hides it; the last one stays.
    void show(int kind, bool on);
    void move(int from, int to);
    void setWidth(int place, double width);
    /// As they were at first.
    void reset();

    /// Takes note of how wide the viewport is and how far it is scrolled.
    void setView(int width, int scrolled);
    /// Width of all of them.
    [[nodiscard]] int total() const;
    /// A cell, without the gap behind it.
    [[nodiscard]] QRectF box(std::size_t place, double y, double height) const;
    /// Place of the column under x, or -1.
    [[nodiscard]] int placeUnder(double x) const;
    /// Place of the column whose right edge is under x, or -1.
    [[nodiscard]] int edgeUnder(double x) const;

    [[nodiscard]] nlohmann::json save() const;
    /// What is no column or width is left out.
    void restore(const nlohmann::json& kept);

private:
    struct Shown {
        int kind;
        double width;       // unscaled
    };
    [[nodiscard]] double widthOf(std::size_t place) const;
    [[nodiscard]] double leftOf(std::size_t place) const;

    std::vector<ColumnKind> kinds_;
    std::vector<Shown> shown_;
    int view_ = 800;
    int scrolled_ = 0;
};

}  // namespace wavetrope::app
