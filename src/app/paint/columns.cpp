// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/paint/columns.h"

#include <algorithm>
#include <cmath>

#include "app/parts/notation.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr double margin = 17, columnGap = 6, narrowest = 16, widestColumn = 2000, grip = 4;

}  // namespace

QString ColumnKind::head() const
{
    return unit.isEmpty() ? title : unit == QLatin1String(ofTime) ? timeHead(title) : QStringLiteral("%1, %2").arg(title, unit);
}

Columns::Columns(std::vector<ColumnKind> kinds) : kinds_(std::move(kinds)) { reset(); }

void Columns::reset()
{
    shown_.clear();
    for (std::size_t i = 0; i < kinds_.size(); ++i)
        if (kinds_[i].usual)
            shown_.push_back({static_cast<int>(i), kinds_[i].width});
}

int Columns::placeOf(int kind) const
{
    const auto found = std::find_if(shown_.begin(), shown_.end(), [&](const Shown& s) { return s.kind == kind; });
    return found == shown_.end() ? -1 : static_cast<int>(found - shown_.begin());
}

void Columns::show(int kind, bool on)
{
    const int place = placeOf(kind);
    if (on == (place >= 0) || (!on && shown_.size() == 1))
        return;
    if (!on) {
        shown_.erase(shown_.begin() + place);
        return;
    }
    // Behind the nearest of those that usually stand before it.
    int at = 0;
    for (int before = kind - 1; before >= 0; --before)
        if (const int there = placeOf(before); there >= 0) {
            at = there + 1;
            break;
        }
    shown_.insert(shown_.begin() + at, {kind, kinds_[static_cast<std::size_t>(kind)].width});
}

void Columns::move(int from, int to)
{
    const int last = static_cast<int>(shown_.size()) - 1;
    if (from < 0 || from > last || to < 0 || to > last || from == to)
        return;
    const Shown moved = shown_[static_cast<std::size_t>(from)];
    shown_.erase(shown_.begin() + from);
    shown_.insert(shown_.begin() + to, moved);
}

void Columns::setWidth(int place, double width)
{
    if (place >= 0 && static_cast<std::size_t>(place) < shown_.size())
        shown_[static_cast<std::size_t>(place)].width = std::clamp(width, narrowest, widestColumn);
}

void Columns::setView(int width, int scrolled)
{
    view_ = width;
    scrolled_ = scrolled;
}

double Columns::widthOf(std::size_t place) const
{
    const Theme& theme = Theme::get();
    const double own = theme.px(shown_[place].width);
    if (!at(place).rest)
        return own;
    double others = theme.px(margin);
    for (std::size_t i = 0; i < shown_.size(); ++i)
        if (i != place)
            others += theme.px(shown_[i].width);
    return std::max(own, view_ - others);
}

double Columns::leftOf(std::size_t place) const
{
    double left = Theme::get().px(margin) - scrolled_;
    for (std::size_t i = 0; i < place; ++i)
        left += widthOf(i);
    return left;
}

int Columns::total() const
{
    return shown_.empty() ? 0 : static_cast<int>(leftOf(shown_.size() - 1) + widthOf(shown_.size() - 1)) + scrolled_;
}

QRectF Columns::box(std::size_t place, double y, double height) const
{
    return {leftOf(place), y, widthOf(place) - Theme::get().px(columnGap), height};
}

int Columns::placeUnder(double x) const
{
    for (std::size_t i = 0; i < shown_.size(); ++i)
        if (const double left = leftOf(i); x >= left && x < left + widthOf(i))
            return static_cast<int>(i);
    return -1;
}

int Columns::edgeUnder(double x) const
{
    for (std::size_t i = 0; i < shown_.size(); ++i)
        if (!at(i).rest && std::abs(x - (leftOf(i) + widthOf(i) - Theme::get().px(columnGap) / 2.0)) <= grip)
            return static_cast<int>(i);
    return -1;
}

nlohmann::json Columns::save() const
{
    nlohmann::json kept = nlohmann::json::array();
    for (const Shown& shown : shown_)
        kept.push_back({{"name", kinds_[static_cast<std::size_t>(shown.kind)].key}, {"width", std::round(shown.width)}});
    return kept;
}

void Columns::restore(const nlohmann::json& kept)
{
    if (!kept.is_array())
        return;
    std::vector<Shown> next;
    for (const auto& column : kept) {
        if (!column.is_object() || !column.contains("name"))
            continue;
        const auto found = std::find_if(kinds_.begin(), kinds_.end(), [&](const ColumnKind& kind) { return column["name"] == kind.key; });
        const int kind = static_cast<int>(found - kinds_.begin());
        if (found == kinds_.end() || std::any_of(next.begin(), next.end(), [&](const Shown& shown) { return shown.kind == kind; }))
            continue;
        const double width = column.contains("width") && column["width"].is_number() ? column["width"].get<double>() : found->width;
        next.push_back({kind, std::clamp(std::isfinite(width) ? width : found->width, narrowest, widestColumn)});
    }
    if (!next.empty())
        shown_ = std::move(next);
}

}  // namespace wavetrope::app
