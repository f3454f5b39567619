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

#include <cairo-pdf.h>
#include <cairo-svg.h>
#include <poppler.h>

#include <algorithm>
#include <string>

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
    return sameEachTime(bytes, caption_.title);
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

namespace {

// A document that is read, and its pages drawn on another surface.
class Redrawing {
public:
    explicit Redrawing(const QByteArray& pdf) : bytes_(g_bytes_new(pdf.constData(), static_cast<gsize>(pdf.size())))
    {
        GError* error = nullptr;
        document_ = poppler_document_new_from_bytes(bytes_, nullptr, &error);
        problem_ = error != nullptr ? error->message : "";
        g_clear_error(&error);
    }
    ~Redrawing()
    {
        if (document_ != nullptr)
            g_object_unref(document_);
        g_bytes_unref(bytes_);
    }
    Redrawing(const Redrawing&) = delete;
    Redrawing& operator=(const Redrawing&) = delete;

    [[nodiscard]] bool good() const { return document_ != nullptr; }
    [[nodiscard]] const std::string& problem() const { return problem_; }
    [[nodiscard]] int pages() const { return poppler_document_get_n_pages(document_); }
    [[nodiscard]] QSizeF size(int page) const
    {
        PopplerPage* one = poppler_document_get_page(document_, page);
        double width = 0;
        double height = 0;
        poppler_page_get_size(one, &width, &height);
        g_object_unref(one);
        return {width, height};
    }
    void draw(int page, cairo_t* cairo) const
    {
        PopplerPage* one = poppler_document_get_page(document_, page);
        poppler_page_render_for_printing(one, cairo);
        g_object_unref(one);
    }
    static cairo_status_t take(void* to, const unsigned char* data, unsigned length)
    {
        static_cast<QByteArray*>(to)->append(reinterpret_cast<const char*>(data), static_cast<qsizetype>(length));
        return CAIRO_STATUS_SUCCESS;
    }

private:
    GBytes* bytes_;
    PopplerDocument* document_;
    std::string problem_;
};

// Names with numbers that go on from picture to picture begin at 1 in each.
QByteArray numberedAnew(const QByteArray& svg)
{
    static const QRegularExpression names(QStringLiteral(R"((id="|"#|url\(#)(surface|image|source|mask)(\d+))"));
    const QString before = QString::fromUtf8(svg);
    QString out;
    QHash<QString, int> numbers;
    qsizetype at = 0;
    for (auto found = names.globalMatch(before); found.hasNext();) {
        const QRegularExpressionMatch match = found.next();
        const QString name = match.captured(2) + match.captured(3);
        if (!numbers.contains(name))
            numbers.insert(name, static_cast<int>(numbers.size()) + 1);
        out += before.mid(at, match.capturedStart() - at) + match.captured(1) + match.captured(2) + QString::number(numbers[name]);
        at = match.capturedEnd();
    }
    return (out + before.mid(at)).toUtf8();
}

}  // namespace

Expected<QByteArray> svgFromPdf(const QByteArray& pdf)
{
    const Redrawing from(pdf);
    if (!from.good() || from.pages() < 1)
        return fail("the picture cannot be made: " + from.problem());
    QByteArray out;
    const QSizeF size = from.size(0);
    cairo_surface_t* surface = cairo_svg_surface_create_for_stream(&Redrawing::take, &out, size.width(), size.height());
    cairo_t* cairo = cairo_create(surface);
    from.draw(0, cairo);
    const bool good = cairo_status(cairo) == CAIRO_STATUS_SUCCESS;
    cairo_destroy(cairo);
    cairo_surface_finish(surface);
    cairo_surface_destroy(surface);
    if (!good)
        return fail("the picture cannot be drawn");
    // Groups do for letters what symbols do, and every reader knows them.
    out.replace("<symbol overflow=\"visible\" id=", "<g id=").replace("</symbol>", "</g>");
    return numberedAnew(out);
}

QByteArray sameEachTime(const QByteArray& pdf, const QString& title)
{
    const Redrawing from(pdf);
    if (!from.good())
        return pdf;
    QByteArray out;
    cairo_surface_t* surface = cairo_pdf_surface_create_for_stream(&Redrawing::take, &out, 1, 1);
    cairo_pdf_surface_set_metadata(surface, CAIRO_PDF_METADATA_TITLE, title.toUtf8().constData());
    cairo_pdf_surface_set_metadata(surface, CAIRO_PDF_METADATA_CREATOR, "Wavetrope");
    cairo_pdf_surface_set_metadata(surface, CAIRO_PDF_METADATA_CREATE_DATE, "1970-01-01T00:00:00Z");
    cairo_t* cairo = cairo_create(surface);
    for (int page = 0; page < from.pages(); ++page) {
        const QSizeF size = from.size(page);
        cairo_pdf_surface_set_size(surface, size.width(), size.height());
        from.draw(page, cairo);
        cairo_show_page(cairo);
    }
    const bool good = cairo_status(cairo) == CAIRO_STATUS_SUCCESS;
    cairo_destroy(cairo);
    cairo_surface_finish(surface);
    cairo_surface_destroy(surface);
    return good ? out : pdf;
}

Expected<void> writeWhole(const QString& path, const QByteArray& bytes)
{
    QSaveFile file(path);
    if (!file.open(QIODevice::WriteOnly) || file.write(bytes) != bytes.size() || !file.commit())
        return fail("cannot be written: " + file.errorString().toStdString(), path.toStdString(), "Choose another place");
    return {};
}

}  // namespace wavetrope::app
