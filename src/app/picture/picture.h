// SPDX-License-Identifier: GPL-3.0-or-later
// Views as pictures, the same on paper as on the screen.
#pragma once

#include <QByteArray>
#include <QImage>
#include <QSize>
#include <QString>

#include "base/error.h"

class QPainter;
class QWidget;

namespace wavetrope::app {

/// What stands above a picture: what it is, of which time, of which log or run.
struct Caption {
    QString title, range, source;
    [[nodiscard]] bool empty() const { return title.isEmpty() && range.isEmpty() && source.isEmpty(); }
};

/// A widget as it is shown now, with a caption. Lines and texts stay lines and outlines of letters where the form knows them.
class Picture {
public:
    explicit Picture(QWidget& of, Caption caption = {});

    /// With its caption, in pixels.
    [[nodiscard]] QSize size() const;
    [[nodiscard]] QImage image(double scale = 1) const;
    /// One page as large as the picture. The same each time.
    [[nodiscard]] QByteArray pdf() const;
    /// Letters are outlines: it looks the same wherever it is opened.
    [[nodiscard]] Expected<QByteArray> svg() const;

    /// Writes it in the form that the name ends in: .png, .svg or .pdf; `scale` is that of a .png.
    [[nodiscard]] Expected<void> write(const QString& path, double scale = 1) const;
    void paint(QPainter& painter) const;

private:
    [[nodiscard]] int captionHeight() const;

    QWidget& of_;
    Caption caption_;
};

/// The first page of a document as a picture of lines.
[[nodiscard]] Expected<QByteArray> svgFromPdf(const QByteArray& pdf);
/// A document drawn anew without the time of writing and the names that are made up each time: the same pages give the same bytes.
[[nodiscard]] QByteArray sameEachTime(const QByteArray& pdf, const QString& title);
/// Writes a file beside its place, and renames it.
[[nodiscard]] Expected<void> writeWhole(const QString& path, const QByteArray& bytes);

}  // namespace wavetrope::app
