// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/parts/field_grid.h"

#include <QComboBox>
#include <QGridLayout>

#include <algorithm>

#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int fieldGap = 6;
constexpr std::array arrangements = {4, 3, 2};     // and where none of them fits, a line for each

}  // namespace

FieldGrid::FieldGrid(QWidget* parent) : QWidget(parent), grid_(new QGridLayout(this))
{
    grid_->setContentsMargins(0, 0, 0, 0);
    grid_->setHorizontalSpacing(fieldGap);
    grid_->setVerticalSpacing(3);
}

void FieldGrid::add(const QString& label, QWidget* field, int characters, const Places& places)
{
    auto* words = new QLabel(label, this);
    words->setObjectName(QStringLiteral("fieldLabel"));
    words->setBuddy(field);
    field->setParent(this);
    cells_.push_back({words, field, characters, places});
    across_ = 0;
}

void FieldGrid::restyle()
{
    const Theme& theme = Theme::get();
    for (const Cell& cell : cells_) {
        cell.label->setFont(theme.small());
        cell.label->setStyleSheet(QStringLiteral("color: %1;").arg(theme.ink3.name()));
        const QFontMetrics metrics(cell.field->font());
        int least = metrics.horizontalAdvance(QLatin1Char('0')) * cell.characters + theme.px(18);
        if (const auto* box = qobject_cast<QComboBox*>(cell.field); box != nullptr && cell.characters == 0) {
            // Of few choices each is read in full.
            const QFontMetrics body(theme.body());
            for (int i = 0; i < box->count(); ++i)
                least = std::max(least, body.horizontalAdvance(box->itemText(i)) + theme.px(30));
        }
        cell.field->setMinimumWidth(least);
    }
    across_ = 0;
    if (width_ > 0)
        lay(width_);
}

int FieldGrid::wanted(int across) const
{
    std::array<int, 4> labels{};
    std::array<int, 4> fields{};
    const std::size_t which = static_cast<std::size_t>(4 - across);
    for (const Cell& cell : cells_) {
        const Place& place = cell.places[which];
        labels[static_cast<std::size_t>(place.at)] = std::max(labels[static_cast<std::size_t>(place.at)], cell.label->sizeHint().width());
        if (place.span == 1)
            fields[static_cast<std::size_t>(place.at)] = std::max(fields[static_cast<std::size_t>(place.at)], cell.field->minimumWidth());
    }
    int sum = (2 * across - 1) * fieldGap;
    for (std::size_t i = 0; i < static_cast<std::size_t>(across); ++i)
        sum += labels[i] + fields[i];
    return sum;
}

void FieldGrid::lay(int width)
{
    width_ = width;
    const auto* fits = std::find_if(arrangements.begin(), arrangements.end(), [&](int across) { return wanted(across) <= width; });
    const int across = fits == arrangements.end() ? 1 : *fits;
    if (across != across_)
        arrange(across);
}

void FieldGrid::arrange(int across)
{
    across_ = across;
    const std::size_t which = static_cast<std::size_t>(4 - std::max(across, arrangements.back()));
    for (int column = 0; column < 8; ++column)
        grid_->setColumnStretch(column, column % 2 == 1 && column < 2 * across ? 1 : 0);
    std::vector<const Cell*> reading;
    for (const Cell& cell : cells_) {
        grid_->removeWidget(cell.label);
        grid_->removeWidget(cell.field);
        reading.push_back(&cell);
    }
    std::stable_sort(reading.begin(), reading.end(), [which](const Cell* a, const Cell* b) {
        return std::pair(a->places[which].row, a->places[which].at) < std::pair(b->places[which].row, b->places[which].at);
    });
    QWidget* before = nullptr;
    int line = 0;
    for (const Cell* cell : reading) {
        const Place place = across == 1 ? Place{line++, 0, 1} : cell->places[which];
        grid_->addWidget(cell->label, place.row, place.at * 2);
        grid_->addWidget(cell->field, place.row, place.at * 2 + 1, 1, place.span * 2 - 1);
        // The keys go from field to field as the eye does.
        if (before != nullptr)
            setTabOrder(before, cell->field);
        before = cell->field;
    }
}

}  // namespace wavetrope::app
