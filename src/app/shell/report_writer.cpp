// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/report_writer.h"

#include <QBuffer>
#include <QCoreApplication>
#include <QElapsedTimer>
#include <QFileInfo>
#include <QPageSize>
#include <QPainter>
#include <QPdfWriter>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/shell/main_window.h"
#include "app/shell/page.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int reportDots = 96;              // to the inch: a dot is a pixel
constexpr double pageMargin = 15;           // millimetres
constexpr qint64 longestSettling = 120'000; // milliseconds: what is not there by then is not waited for

// A view by itself, as a part of a report asks for it.
Expected<std::unique_ptr<View>> viewOf(MainWindow& window, const rig::ReportPart& part)
{
    const auto& kinds = viewKinds();
    const auto kind = std::find_if(kinds.begin(), kinds.end(), [&](const ViewKind& one) { return part.view == one.kind; });
    if (kind == kinds.end())
        return fail("there is no view '" + part.view + "'");
    nlohmann::json setUp = part.setUp;
    if (setUp.is_null() && !part.page.empty()) {
        const Page* page = window.page(text(part.page));
        if (page == nullptr)
            return fail("there is no page '" + part.page + "'");
        for (const Pane* pane : page->panes())
            for (const Pane::Entry& entry : pane->entries())
                if (setUp.is_null() && part.view == entry.kind->kind)
                    setUp = entry.view->save();
        if (setUp.is_null())
            return fail("the page '" + part.page + "' has no view '" + part.view + "'");
    }
    std::unique_ptr<View> view(kind->create(window.stage()));
    view->setAttribute(Qt::WA_DontShowOnScreen);
    view->resize(part.width, part.height);
    view->show();
    if (!setUp.is_null())
        view->restore(setUp);
    return view;
}

QString titleOf(const rig::ReportPart& part)
{
    if (!part.words.empty())
        return text(part.words);
    for (const ViewKind& kind : viewKinds())
        if (part.view == kind.kind)
            return QCoreApplication::translate("Pane", kind.title);
    return {};
}

// Calls take(view, caption) for the view of a part, in its stretch of time.
Expected<void> withView(MainWindow& window, const rig::ReportPart& part, const std::function<bool()>& goesOn,
    const std::function<Expected<void>(View&, const Caption&)>& take)
{
    Stage& stage = window.stage();
    const ShownFor shown(stage, {part.from, part.to, part.a, part.b});
    // The table from A to B is of the curves that were drawn last.
    auto view = viewOf(window, part);
    if (!view)
        return tl::unexpected(view.error());
    if (!settle({view->get()}, goesOn))
        return fail("ended");
    return take(**view, captionOf(stage, titleOf(part)));
}

Expected<void> placed(Expected<void> done, const rig::ReportSpec& report, std::size_t part)
{
    if (done)
        return done;
    Error error = done.error();
    error.where = "report '" + report.name + "', part " + std::to_string(part + 1);
    return tl::unexpected(error);
}

QString titleOf(const rig::ReportSpec& report) { return text(report.title.empty() ? report.name : report.title); }

// What is reported on: the log or rig, when it was, how long.
QString subjectOf(MainWindow& window)
{
    const Stage& stage = window.stage();
    return QCoreApplication::translate("Report", "%1, from %2 on, %3, %4 frames")
        .arg(text(window.document().title()), momentText(window.document().begins()), timeWords(stage.seconds(stage.newest()), 1),
            countText(stage.snapshot().rows()));
}

constexpr const char* htmlHead = R"(<!DOCTYPE html>
<html><head><meta charset="utf-8"><title>%1</title><style>
body { font: 15px/1.5 Inter, "Helvetica Neue", Arial, sans-serif; max-width: 1000px; margin: 32px auto; padding: 0 16px; color: %2; background: %3 }
h1 { font-size: 24px; margin: 0 } h2 { font-size: 18px; margin: 28px 0 6px } p { margin: 6px 0; white-space: pre-wrap } p.of { color: %4 }
figure { margin: 14px 0 } figure img { max-width: 100%; border: 1px solid %5 }
@media print { figure, h2 { break-inside: avoid; break-after: avoid-page } }
</style></head><body>
)";

}  // namespace

struct ShownFor::Before {
    Time from, to, cursor;
    Marks marks;
    bool following;
};

ShownFor::ShownFor(Stage& stage, const SeenTime& time)
    : stage_(stage), before_(new Before{stage.windowFrom(), stage.windowTo(), stage.cursor(), stage.marks(), stage.following()})
{
    const auto at = [&](const std::optional<Time>& since, Time otherwise) {
        return since ? std::clamp(stage.wholeFrom() + *since, stage.wholeFrom(), std::max(stage.wholeFrom(), stage.newest())) : otherwise;
    };
    const Time from = at(time.from, stage.wholeFrom());
    const Time to = at(time.to, std::max(stage.wholeFrom(), stage.newest()));
    stage.rest();
    // The cursor stands at the end, where the heads tell the values.
    stage.setCursor(to);
    stage.setWindow(from, std::max(to, from + Time(1)));
    Marks marks;
    if (time.a)
        marks.a = at(time.a, from);
    if (time.b)
        marks.b = at(time.b, to);
    stage.setMarks(marks);
}

ShownFor::~ShownFor()
{
    stage_.setCursor(before_->cursor);
    stage_.setWindow(before_->from, before_->to);
    stage_.setMarks(before_->marks);
    if (before_->following)
        stage_.now();
}

Caption captionOf(Stage& stage, const QString& title)
{
    return {title,
        QCoreApplication::translate("Report", "%1 to %2")
            .arg(timeText(stage.seconds(stage.windowFrom()), 3), timeWords(stage.seconds(stage.windowTo()), 3)),
        text(stage.document().title())};
}

rig::ReportPart partOf(Stage& stage, const ViewKind& kind, View& view)
{
    rig::ReportPart part;
    part.kind = rig::ReportPart::Kind::view;
    part.view = kind.kind;
    part.setUp = view.save();
    part.width = std::clamp(view.width(), rig::ReportPart::least, rig::ReportPart::most);
    part.height = std::clamp(view.height(), rig::ReportPart::least, rig::ReportPart::most);
    // The whole run stays the whole run, however long the next one is.
    const Time begins = stage.wholeFrom();
    if (stage.windowFrom() > begins)
        part.from = stage.windowFrom() - begins;
    if (stage.windowTo() < stage.newest())
        part.to = stage.windowTo() - begins;
    if (stage.marks().a)
        part.a = *stage.marks().a - begins;
    if (stage.marks().b)
        part.b = *stage.marks().b - begins;
    return part;
}

bool settle(const std::vector<View*>& views, const std::function<bool()>& goesOn)
{
    QElapsedTimer timer;
    timer.start();
    // Twice in a row: what comes of what was worked out is laid out with the turn of events behind it.
    for (int quiet = 0; quiet < 2;) {
        QCoreApplication::processEvents(QEventLoop::AllEvents, 10);
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
        if (goesOn && !goesOn())
            return false;
        const bool all = std::all_of(views.begin(), views.end(), [](const View* view) { return !view->isVisible() || view->settled(); });
        quiet = all || timer.elapsed() > longestSettling ? quiet + 1 : 0;
    }
    return true;
}

Expected<QByteArray> reportHtml(MainWindow& window, const rig::ReportSpec& report, const std::function<bool(int)>& progress)
{
    const Theme& theme = Theme::get();
    const QString title = titleOf(report).toHtmlEscaped();
    QString out = QString::fromLatin1(htmlHead).arg(
        title, theme.ink.name(), theme.surface.name(), theme.ink2.name(), theme.hairline.name());
    out += QStringLiteral("<h1>%1</h1>\n<p class=\"of\">%2</p>\n").arg(title, subjectOf(window).toHtmlEscaped());
    for (std::size_t i = 0; i < report.parts.size(); ++i) {
        const rig::ReportPart& part = report.parts[i];
        const auto goesOn = [&] { return !progress || progress(static_cast<int>(100 * i / report.parts.size())); };
        const QString words = text(part.words).toHtmlEscaped();
        if (part.kind == rig::ReportPart::Kind::heading)
            out += QStringLiteral("<h2>%1</h2>\n").arg(words);
        else if (part.kind == rig::ReportPart::Kind::text)
            out += QStringLiteral("<p>%1</p>\n").arg(words);
        else if (auto done = placed(withView(window, part, goesOn,
                                        [&](View& view, const Caption& caption) -> Expected<void> {
                                            const auto svg = Picture(view, caption).svg();
                                            if (!svg)
                                                return tl::unexpected(svg.error());
                                            // Each by itself: what it names inside is its own.
                                            out += QStringLiteral(
                                                "<figure><img alt=\"%1\" src=\"data:image/svg+xml;base64,%2\"></figure>\n")
                                                       .arg((caption.title + QStringLiteral(", ") + caption.range).toHtmlEscaped(),
                                                           QString::fromLatin1(svg->toBase64()));
                                            return {};
                                        }),
                     report, i);
            !done)
            return tl::unexpected(done.error());
    }
    return (out + QStringLiteral("</body></html>\n")).toUtf8();
}

Expected<QByteArray> reportPdf(MainWindow& window, const rig::ReportSpec& report, const std::function<bool(int)>& progress)
{
    const Theme& theme = Theme::get();
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    QPdfWriter writer(&buffer);
    writer.setCreator(QStringLiteral("Wavetrope"));
    writer.setTitle(titleOf(report));
    writer.setResolution(reportDots);
    writer.setPageSize(QPageSize(QPageSize::A4));
    writer.setPageMargins(QMarginsF(pageMargin, pageMargin, pageMargin, pageMargin), QPageLayout::Millimeter);
    QPainter painter(&writer);
    const QRectF page(0, 0, writer.width(), writer.height());
    double y = 0;
    const auto room = [&](double tall) {
        if (y > 0 && y + tall > page.height()) {
            writer.newPage();
            y = 0;
        }
    };
    const auto words = [&](const QString& said, const QFont& font, const QColor& ink, double above, double below = 0) {
        const QRectF box = QFontMetricsF(font, &writer).boundingRect(QRectF(0, 0, page.width(), 1e6), Qt::TextWordWrap, said);
        // A text that is longer than a page goes on on the next one, line by line.
        y += y > 0 ? above : 0;
        if (box.height() <= page.height())
            room(std::min(page.height(), box.height() + below));
        painter.setFont(font);
        painter.setPen(ink);
        painter.drawText(QRectF(0, y, page.width(), box.height() + 2), Qt::TextWordWrap, said);
        y += box.height();
    };
    // Room that what stands behind a heading wants on the same page.
    const auto followed = [&](std::size_t part) {
        constexpr double someLines = 60, captionRoom = 50;
        if (part >= report.parts.size() || report.parts[part].kind != rig::ReportPart::Kind::view)
            return someLines;
        const rig::ReportPart& next = report.parts[part];
        return captionRoom + next.height * std::min(1.0, page.width() / next.width);
    };
    words(titleOf(report), theme.text(20, QFont::DemiBold), theme.ink, 0);
    words(subjectOf(window), theme.text(11), theme.ink2, 2);
    for (std::size_t i = 0; i < report.parts.size(); ++i) {
        const rig::ReportPart& part = report.parts[i];
        const auto goesOn = [&] { return !progress || progress(static_cast<int>(100 * i / report.parts.size())); };
        if (part.kind == rig::ReportPart::Kind::heading)
            words(text(part.words), theme.text(15, QFont::DemiBold), theme.ink, 16, followed(i + 1));
        else if (part.kind == rig::ReportPart::Kind::text)
            words(text(part.words), theme.text(11.5), theme.ink, 6);
        else if (auto done = placed(withView(window, part, goesOn,
                                        [&](View& view, const Caption& caption) -> Expected<void> {
                                            const Picture picture(view, caption);
                                            const double scale = std::min(
                                                {1.0, page.width() / picture.size().width(), page.height() / picture.size().height()});
                                            y += y > 0 ? 10 : 0;
                                            room(picture.size().height() * scale);
                                            painter.save();
                                            painter.translate(0, y);
                                            painter.scale(scale, scale);
                                            picture.paint(painter);
                                            painter.restore();
                                            y += picture.size().height() * scale;
                                            return {};
                                        }),
                     report, i);
            !done)
            return tl::unexpected(done.error());
    }
    painter.end();
    buffer.close();
    return sameEachTime(bytes, titleOf(report));
}

Expected<void> writeReport(MainWindow& window, const rig::ReportSpec& report, const QString& path, const std::function<bool(int)>& progress)
{
    const QString form = QFileInfo(path).suffix().toLower();
    if (form != QLatin1String("html") && form != QLatin1String("pdf"))
        return fail("a report's name ends in .html or .pdf", path.toStdString());
    const auto bytes = form == QLatin1String("pdf") ? reportPdf(window, report, progress) : reportHtml(window, report, progress);
    return bytes ? writeWhole(path, *bytes) : tl::unexpected(bytes.error());
}

}  // namespace wavetrope::app
