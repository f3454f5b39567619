// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/picture.h"

#include <QBuffer>
#include <QFileInfo>
#include <QPageSize>
#include <QPainter>
#include <QPdfWriter>
#include <QRegularExpression>
#include <QSaveFile>
#include <QWidget>

#include <cairo-svg.h>
#include <poppler.h>

#include <cmath>
#include <memory>

#include "app/paint/paint.h"
#include "app/stage/plot.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int dotsPerInch = 96;
constexpr double pointsPerDot = 72.0 / dotsPerInch;
constexpr double mostScale = 8;

}  // namespace

Picture::Picture(QWidget& of, Caption caption) : of_(of), caption_(std::move(caption)) {}

int Picture::captionHeight() const { return caption_.empty() ? 0 : Theme::get().px(28); }

QSize Picture::size() const { return {of_.width(), of_.height() + captionHeight()}; }

void Picture::paint(QPainter& painter) const
{
    const Theme& theme = Theme::get();
    painter.fillRect(QRectF(QPointF(0, 0), QSizeF(size())), theme.surface);
    if (!caption_.empty()) {
        const double tall = captionHeight();
        double left = theme.px(12);
        paintText(painter, QRectF(left, 0, of_.width(), tall), caption_.title, theme.head(), theme.ink);
        left += QFontMetricsF(theme.head()).horizontalAdvance(caption_.title) + theme.px(12);
        paintText(painter, QRectF(left, 0, of_.width() - left, tall), caption_.range, theme.body(), theme.ink2);
        const double room = of_.width() - left - QFontMetricsF(theme.body()).horizontalAdvance(caption_.range) - theme.px(24);
        paintText(painter, QRectF(of_.width() - theme.px(12) - room, 0, room, tall), caption_.source, theme.body(), theme.ink2,
            Qt::AlignRight | Qt::AlignVCenter);
        painter.setPen(theme.hairline);
        painter.drawLine(QPointF(0, tall - 0.5), QPointF(of_.width(), tall - 0.5));
    }
    const TimePlot::DrawnOut lines;
    painter.save();
    painter.translate(0, captionHeight());
    of_.render(&painter, QPoint(), QRegion(), QWidget::DrawWindowBackground | QWidget::DrawChildren);
    painter.restore();
}

QImage Picture::image(double scale) const
{
    scale = std::clamp(scale, 0.25, mostScale);
    QImage image((QSizeF(size()) * scale).toSize(), QImage::Format_RGB32);
    image.fill(Theme::get().surface);
    QPainter painter(&image);
    painter.scale(scale, scale);
    paint(painter);
    return image;
}

QByteArray Picture::pdf() const
{
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    QPdfWriter writer(&buffer);
    writer.setCreator(QStringLiteral("Wavetrope"));
    writer.setTitle(caption_.title);
    writer.setResolution(dotsPerInch);
    writer.setPageSize(QPageSize(QSizeF(size()) * pointsPerDot, QPageSize::Point, QString(), QPageSize::ExactMatch));
    writer.setPageMargins(QMarginsF(0, 0, 0, 0));
    QPainter painter(&writer);
    paint(painter);
    painter.end();
    buffer.close();
    forgetWhen(bytes);
    return bytes;
}

Expected<QByteArray> Picture::svg() const { return svgFromPdf(pdf()); }

Expected<void> Picture::write(const QString& path, double scale) const
{
    const QString form = QFileInfo(path).suffix().toLower();
    if (form == QLatin1String("svg")) {
        const auto bytes = svg();
        return bytes ? writeWhole(path, *bytes) : tl::unexpected(bytes.error());
    }
    if (form == QLatin1String("pdf"))
        return writeWhole(path, pdf());
    if (form != QLatin1String("png"))
        return fail("a picture's name ends in .png, .svg or .pdf", path.toStdString());
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    image(scale).save(&buffer, "PNG");
    return writeWhole(path, bytes);
}

Expected<QByteArray> svgFromPdf(const QByteArray& pdf)
{
    const std::unique_ptr<GBytes, decltype(&g_bytes_unref)> bytes(
        g_bytes_new(pdf.constData(), static_cast<gsize>(pdf.size())), &g_bytes_unref);
    GError* error = nullptr;
    PopplerDocument* document = poppler_document_new_from_bytes(bytes.get(), nullptr, &error);
    if (document == nullptr) {
        const std::string why = error != nullptr ? error->message : "it cannot be read";
        g_clear_error(&error);
        return fail("the picture cannot be made: " + why);
    }
    PopplerPage* page = poppler_document_get_page(document, 0);
    double width = 0;
    double height = 0;
    poppler_page_get_size(page, &width, &height);
    QByteArray out;
    const auto take = [](void* to, const unsigned char* data, unsigned length) {
        static_cast<QByteArray*>(to)->append(reinterpret_cast<const char*>(data), static_cast<qsizetype>(length));
        return CAIRO_STATUS_SUCCESS;
    };
    cairo_surface_t* surface = cairo_svg_surface_create_for_stream(take, &out, width, height);
    cairo_t* cairo = cairo_create(surface);
    poppler_page_render_for_printing(page, cairo);
    const bool good = cairo_status(cairo) == CAIRO_STATUS_SUCCESS;
    cairo_destroy(cairo);
    cairo_surface_finish(surface);
    cairo_surface_destroy(surface);
    g_object_unref(page);
    g_object_unref(document);
    if (!good)
        return fail("the picture cannot be drawn");
    // Groups do for letters what symbols do, and every reader knows them.
    out.replace("<symbol overflow=\"visible\" id=", "<g id=").replace("</symbol>", "</g>");
    return out;
}

void forgetWhen(QByteArray& pdf)
{
    // What is replaced stays as long as it was, so that places in the file hold.
    const auto blank = [&pdf](const QByteArray& begins, char ends, const QByteArray& kept) {
        for (qsizetype at = pdf.indexOf(begins); at >= 0; at = pdf.indexOf(begins, at + 1)) {
            const qsizetype end = pdf.indexOf(ends, at + begins.size());
            for (qsizetype i = at + begins.size(); i < end; ++i)
                if (!kept.contains(pdf[i]))
                    pdf[i] = '0';
        }
    };
    blank("/CreationDate (D:", ')', "+-'Z");
    blank("/ModDate (D:", ')', "+-'Z");
    for (const char* mark : {"<xmp:CreateDate>", "<xmp:ModifyDate>", "<xmp:MetadataDate>"})
        blank(mark, '<', "+-:TZ");
    for (const char* mark : {"uuid:", "xmpMM:DocumentID=\"uuid:"})
        for (qsizetype at = pdf.indexOf(mark); at >= 0; at = pdf.indexOf(mark, at + 1))
            for (qsizetype i = at + static_cast<qsizetype>(qstrlen(mark));
                i < pdf.size() && (std::isxdigit(static_cast<unsigned char>(pdf[i])) != 0 || pdf[i] == '-'); ++i)
                if (pdf[i] != '-')
                    pdf[i] = '0';
    if (const qsizetype at = pdf.lastIndexOf("/ID ["); at >= 0)
        for (qsizetype i = at + 5; i < pdf.size() && pdf[i] != ']'; ++i)
            if (std::isxdigit(static_cast<unsigned char>(pdf[i])) != 0)
                pdf[i] = '0';
}

Expected<void> writeWhole(const QString& path, const QByteArray& bytes)
{
    QSaveFile file(path);
    if (!file.open(QIODevice::WriteOnly) || file.write(bytes) != bytes.size() || !file.commit())
        return fail("cannot be written: " + file.errorString().toStdString(), path.toStdString(), "Choose another place");
    return {};
}

}  // namespace wavetrope::app
