// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/database/findings_view.h"

#include <QDropEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMimeData>
#include <QPainter>
#include <QScrollBar>
#include <QUrl>
#include <QVBoxLayout>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "database/export.h"
#include "measure/coverage.h"

namespace wavetrope::app {

namespace {

constexpr unsigned trafficEvery = 120;  // beats
constexpr double kindAt = 30, findingAt = 150;
constexpr double changeAt = 12, objectAt = 80, fieldAt = 280, beforeAt = 400, afterAt = 520, seenAt = 640;

}  // namespace

class ReviewView::Rows : public RowList {
public:
    explicit Rows(ReviewView& view) : view_(view)
    {
        setObjectName(QStringLiteral("reviewRows"));
        setAccessibleName(ReviewView::tr("Findings"));
        setHeads({{kindAt, ReviewView::tr("kind")}, {findingAt, ReviewView::tr("finding")}}, findingAt + 400);
    }
    std::uint64_t count() const override { return view_.findings_.size(); }
    std::int64_t current() const override { return chosen; }
    void choose(std::uint64_t index) override { view_.choose(index); }
    QString rowText(std::uint64_t index) const override
    {
        const database::Finding& f = view_.findings_[index];
        return QStringList{QLatin1String(database::toText(f.severity)), QLatin1String(database::toText(f.kind)), text(f.object),
            text(f.what), QString::number(f.line)}
            .join(QLatin1Char('\t'));
    }
    /// Where the remedy of a row stands.
    QRectF remedyBox(int y, const database::Finding& finding) const
    {
        const Theme& theme = Theme::get();
        const double width = finding.remedy.empty() ? 0
                                                    : QFontMetricsF(theme.body()).horizontalAdvance(text(finding.remedy)) + theme.px(16);
        return {rowWidth() - width - theme.px(10), y + 1.0, width, theme.rowHeight() - 2.0};
    }
    std::int64_t chosen = -1;

protected:
    QString emptyText() const override
    {
        return view_.desk_.any() ? ReviewView::tr("Nothing to find fault with in %1.").arg(text(view_.desk_.entry().name))
                                 : ReviewView::tr("No bus has a database.");
    }
    void mousePressEvent(QMouseEvent* event) override
    {
        const std::int64_t index = rowAt(event->position());
        if (index >= 0) {
            const int y = headHeight() + static_cast<int>(static_cast<std::uint64_t>(index) - top()) * pitch();
            if (remedyBox(y, view_.findings_[static_cast<std::size_t>(index)])
                    .contains(event->position() + QPointF(horizontalScrollBar()->value(), 0)))
                return view_.remedy(static_cast<std::size_t>(index));
        }
        RowList::mousePressEvent(event);
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && chosen >= 0)
            view_.remedy(static_cast<std::size_t>(chosen));
        else
            RowList::keyPressEvent(event);
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const database::Finding& f = view_.findings_[index];
        const int height = theme.rowHeight();
        if (static_cast<std::int64_t>(index) == chosen)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        const QPointF mark(theme.px(18), y + height / 2.0);
        if (f.severity == database::Severity::error) {
            painter.save();
            painter.setRenderHint(QPainter::Antialiasing);
            painter.setPen(Qt::NoPen);
            painter.setBrush(theme.error);
            painter.drawEllipse(mark, theme.px(4), theme.px(4));
            painter.restore();
        } else {
            paintWarning(painter, mark, theme.px(9));
        }
        paintText(painter, QRectF(theme.px(kindAt), y, theme.px(findingAt - kindAt - 6), height), QLatin1String(database::toText(f.kind)),
            theme.body(), theme.ink2);
        const QRectF button = remedyBox(y, f);
        double right = rowWidth() - theme.px(12);
        if (!f.remedy.empty()) {
            painter.setRenderHint(QPainter::Antialiasing);
            painter.setPen(QPen(theme.accent, 1));
            painter.setBrush(theme.surface);
            painter.drawRoundedRect(button, 3, 3);
            painter.setRenderHint(QPainter::Antialiasing, false);
            paintText(painter, button, text(f.remedy), theme.body(), theme.accent, Qt::AlignCenter);
            right = button.left() - theme.px(8);
        }
        QString what = text(f.what);
        if (f.line > 0) {
            const QString line = ReviewView::tr("line %1").arg(f.line);
            const double width = QFontMetricsF(theme.mono()).horizontalAdvance(line);
            paintText(painter, QRectF(right - width, y, width + 2, height), line, theme.mono(), theme.ink3);
            right -= width + theme.px(8);
        }
        paintText(painter, QRectF(theme.px(findingAt), y, right - theme.px(findingAt), height), what, theme.body(), theme.ink);
    }

private:
    ReviewView& view_;
};

ReviewView::ReviewView(Stage& stage) : View(stage), desk_(stage.desk()), facts_(new ElidedLabel), rows_(new Rows(*this))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    Theme::writeInBody(facts_);
    facts_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    facts_->setObjectName(QStringLiteral("reviewFacts"));
    connect(&desk_, &Desk::edited, this, [this] {
        reviewedAt_ = ~std::size_t{0};
        if (isVisible())
            refresh();
    });
    connect(&stage, &Stage::beat, this, [this] {
        if (isVisible() && (beats_++ % trafficEvery == 0 || reviewedAt_ == ~std::size_t{0}))
            refresh();
    });
}

void ReviewView::refresh()
{
    if (!desk_.any())
        return;
    const rig::ShelfEntry& entry = desk_.entry();
    const trace::Snapshot& snapshot = stage().snapshot();
    const std::uint64_t rows = snapshot.valid() ? snapshot.rows() : 0;
    if (reviewedAt_ == entry.at && reviewedEntry_ == desk_.current() && rows == trafficRows_)
        return;
    if (reviewedEntry_ != desk_.current())
        rows_->chosen = -1;
    reviewedAt_ = entry.at;
    reviewedEntry_ = desk_.current();
    trafficRows_ = rows;
    findings_ = database::review(entry.edited, entry.own || entry.missing ? nullptr : &entry.reading);
    if (rows > 0)
        for (database::Finding& finding : measure::reviewTraffic(measure::coverageOf(snapshot, stage().catalog()), entry.edited))
            findings_.push_back(std::move(finding));
    const auto errors = std::count_if(
        findings_.begin(), findings_.end(), [](const database::Finding& f) { return f.severity == database::Severity::error; });
    facts_->setText(tr("%1: %2, %3")
            .arg(text(entry.name), counted(static_cast<std::uint64_t>(errors), "error"),
                counted(findings_.size() - static_cast<std::size_t>(errors), "warning")));
    if (rows_->chosen >= static_cast<std::int64_t>(findings_.size()))
        rows_->chosen = -1;
    rows_->refresh();
}

void ReviewView::choose(std::size_t index)
{
    rows_->chosen = static_cast<std::int64_t>(index);
    const database::Finding& finding = findings_[index];
    if (finding.message != 0) {
        desk_.choose(finding.message, finding.signal);
        if (desk_.bus() >= 0 && desk_.message() != nullptr) {
            Selection selection;
            selection.kind = Selection::Kind::message;
            selection.bus = static_cast<std::uint8_t>(desk_.bus());
            selection.id = desk_.message()->id;
            stage().select(selection);
        }
    }
    rows_->viewport()->update();
}

void ReviewView::remedy(std::size_t index)
{
    if (index < findings_.size() && findings_[index].mend)
        desk_.apply(findings_[index].mend(desk_.editor()));
}

class CompareView::Rows : public RowList {
public:
    explicit Rows(CompareView& view) : view_(view)
    {
        setObjectName(QStringLiteral("compareRows"));
        setAccessibleName(CompareView::tr("Differences"));
        setHeads({{changeAt, CompareView::tr("change")}, {objectAt, CompareView::tr("what")}, {fieldAt, CompareView::tr("field")},
                     {beforeAt, CompareView::tr("before")}, {afterAt, CompareView::tr("now")}, {seenAt, CompareView::tr("in this trace")}},
            seenAt + 110);
    }
    std::uint64_t count() const override { return view_.changes_.size(); }
    std::int64_t current() const override { return chosen; }
    void choose(std::uint64_t index) override
    {
        chosen = static_cast<std::int64_t>(index);
        const database::Change& change = view_.changes_[index];
        if (change.ofMessage && view_.desk_.bus() >= 0) {
            Selection selection;
            selection.kind = Selection::Kind::message;
            selection.bus = static_cast<std::uint8_t>(view_.desk_.bus());
            selection.id = change.id;
            view_.stage().select(selection);
            if (const database::Message* message = view_.desk_.database().find(change.id))
                view_.desk_.choose(message->uid);
        }
        viewport()->update();
    }
    QString rowText(std::uint64_t index) const override
    {
        const database::Change& c = view_.changes_[index];
        return QStringList{QLatin1String(database::toText(c.kind)), text(c.object), text(c.field), text(c.before), text(c.after)}.join(
            QLatin1Char('\t'));
    }
    std::int64_t chosen = -1;

protected:
    QString emptyText() const override
    {
        return view_.older_
                   ? CompareView::tr("Both mean the same.")
                   : CompareView::tr(
                         "Choose an older version of this database, or drop its file here: each difference is listed field by field.");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const database::Change& c = view_.changes_[index];
        const int height = theme.rowHeight();
        const auto box = [&](double from, double to) { return QRectF(theme.px(from), y, theme.px(to - from), height); };
        if (static_cast<std::int64_t>(index) == chosen)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        paintText(painter, box(changeAt, objectAt - 4), QLatin1String(database::toText(c.kind)), theme.body(), theme.ink2);
        paintText(painter, box(objectAt, fieldAt - 8), text(c.object), c.field.empty() ? theme.bodyStrong() : theme.body(), theme.ink);
        paintText(painter, box(fieldAt, beforeAt - 8), text(c.field), theme.body(), theme.ink2);
        paintText(painter, box(beforeAt, afterAt - 8), text(c.before), theme.mono(), theme.ink3);
        paintText(painter, box(afterAt, seenAt - 8), text(c.after), theme.mono(), theme.ink);
        if (!c.ofMessage || !view_.stage().snapshot().valid() || view_.desk_.bus() < 0)
            return;
        const auto identifier = view_.stage().snapshot().trace().find({static_cast<std::uint8_t>(view_.desk_.bus()), false, c.id});
        const std::uint64_t frames = identifier ? view_.stage().snapshot().countOf(*identifier) : 0;
        paintText(painter, QRectF(theme.px(seenAt), y, rowWidth() - theme.px(seenAt + 8), height),
            frames > 0 ? CompareView::tr("%1 frames").arg(countText(frames)) : CompareView::tr("not seen"), theme.mono(),
            frames > 0 ? theme.ink : theme.ink3);
    }

private:
    CompareView& view_;
};

CompareView::CompareView(Stage& stage)
    : View(stage),
      desk_(stage.desk()),
      tools_(new QWidget),
      choose_(new QPushButton(tr("Compare with..."))),
      facts_(new ElidedLabel),
      rows_(new Rows(*this))
{
    setAcceptDrops(true);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    auto* line = new QHBoxLayout(tools_);
    line->setContentsMargins(0, 0, 0, 0);
    choose_->setObjectName(QStringLiteral("compareChoose"));
    choose_->setToolTip(tr("The older version that the open database is compared with"));
    line->addWidget(choose_);
    Theme::writeInBody(facts_);
    line->addWidget(facts_, 1);
    connect(choose_, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Older version"), {}, tr("Signal databases (*.dbc *.json)"));
        if (!path.isEmpty())
            compareWith(path);
    });
    connect(&desk_, &Desk::edited, this, &CompareView::refresh);
}

void CompareView::compareWith(const QString& path)
{
    auto read = database::readDatabase(path.toStdString());
    if (!read) {
        facts_->setText(text(read.error().text()));
        return;
    }
    path_ = path;
    older_ = std::move(*read);
    refresh();
}

void CompareView::refresh()
{
    if (!older_ || !desk_.any())
        return;
    changes_ = database::diff(*older_, desk_.database());
    facts_->setText(tr("%1 from %2").arg(counted(changes_.size(), "difference"), QFileInfo(path_).fileName()));
    rows_->refresh();
}

void CompareView::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasUrls())
        event->acceptProposedAction();
}

void CompareView::dropEvent(QDropEvent* event)
{
    event->acceptProposedAction();
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile())
            compareWith(url.toLocalFile());
}

}  // namespace wavetrope::app
