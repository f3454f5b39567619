// SPDX-License-Identifier: GPL-3.0-or-later
// Colours, type and measures of the application, from one file of tokens.
#pragma once

#include <QColor>
#include <QFont>
#include <QIcon>
#include <QObject>
#include <QString>

#include <array>
#include <utility>

class QWidget;

namespace wavetrope::app {

enum class ThemeName { paper, ink };

/// By what a bus is known wherever it appears: a letter, in ink, and a hue. From a number it is that of a place: the ninth
/// starts over.
struct BusMark {
    BusMark(unsigned place) : letter(QChar('A' + static_cast<char16_t>(place % 26))), hue(place % 8), again(place >= 8) {}  // NOLINT
    BusMark(QString ofLetter, unsigned ofHue, bool isAgain) : letter(std::move(ofLetter)), hue(ofHue), again(isAgain) {}
    QString letter;
    unsigned hue = 0;       ///< Of eight, counted from 0.
    bool again = false;     ///< Another one before it has that hue.
};

/// The look in force. One for the application; `changed` is sent when theme or text size change.
class Theme : public QObject {
    Q_OBJECT
public:
    static Theme& get();

    void choose(ThemeName name);
    [[nodiscard]] ThemeName name() const { return name_; }
    /// Text size, 0.8 to 2 times the normal.
    void setScale(double scale);
    [[nodiscard]] double scale() const { return scale_; }
    /// Pixels of a measure at the present text size.
    [[nodiscard]] int px(double size) const { return static_cast<int>(size * scale_ + 0.5); }

    QColor ground, surface, raised, ink, ink2, ink3, faint, hairline, grid, accent, accentSoft, error;
    std::array<QColor, 6> tint;

    [[nodiscard]] QColor bus(const BusMark& mark) const { return bus_[mark.hue % bus_.size()]; }
    /// What a hue is called, "blue".
    [[nodiscard]] static QString hueName(unsigned hue);

    [[nodiscard]] QFont title() const { return text(13.5, QFont::DemiBold); }
    [[nodiscard]] QFont head() const { return text(12, QFont::DemiBold); }
    [[nodiscard]] QFont body() const { return text(11.5); }
    [[nodiscard]] QFont bodyStrong() const { return text(11.5, QFont::DemiBold); }
    [[nodiscard]] QFont small() const { return text(9.8); }
    [[nodiscard]] QFont mono() const { return mono(10.5); }
    [[nodiscard]] QFont mono(double size, QFont::Weight weight = QFont::Normal) const;
    [[nodiscard]] QFont text(double size, QFont::Weight weight = QFont::Normal) const;
    /// Has a widget write in the body font from now on, whatever the size of texts.
    static void writeInBody(QWidget* widget);
    /// An icon of the family in a colour.
    [[nodiscard]] QIcon icon(const char* name, const QColor& colour) const;
    [[nodiscard]] int rowHeight() const { return px(20); }

Q_SIGNALS:
    void changed();

private:
    Theme();
    void load();
    void apply();

    ThemeName name_ = ThemeName::paper;
    double scale_ = 1;
    std::array<QColor, 8> bus_;
};

}  // namespace wavetrope::app
