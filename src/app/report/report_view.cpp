// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/report/report_view.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/in_place.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

using Kind = rig::ReportPart::Kind;

namespace {

constexpr int saysAt = 130, whenAt = 220;       // unscaled pixels, the second from the right

QString whenWords(const rig::ReportPart& part)
{
    if (part.kind != Kind::view)
        return {};
    const auto moment = [](const std::optional<Time>& time, const QString& otherwise) {
        return time ? text(exactSpanText(*time)) : otherwise;
    };
    return !part.from && !part.to
               ? ReportView::tr("the whole run")
               : ReportView::tr("%1 to %2").arg(moment(part.from, ReportView::tr("begin")), moment(part.to, ReportView::tr("end")));
}

}  // namespace

class ReportView::Rows : public RowList {
public:
    explicit Rows(ReportView& view) : view_(view)
    {
        setObjectName(QStringLiteral("reportRows"));
        setAccessibleName(ReportView::tr("Parts of the report"));
        setHeads({{12, ReportView::tr("part")}, {saysAt, ReportView::tr("says")}});
    }
    std::uint64_t count() const override { return view_.report() == nullptr ? 0 : view_.report()->parts.size(); }
    std::int64_t current() const override { return view_.chosen_ < static_cast<std::int64_t>(count()) ? view_.chosen_ : -1; }
    void choose(std::uint64_t index) override
    {
        view_.chosen_ = static_cast<std::int64_t>(index);
        viewport()->update();
    }
    QString rowText(std::uint64_t index) const override
    {
        const rig::ReportPart& part = view_.report()->parts[index];
        return QStringList{view_.kindWords(part), text(part.words).replace(QLatin1Char('\n'), QLatin1Char(' ')), whenWords(part)}.join(
            QLatin1Char('\t'));
    }
    [[nodiscard]] QRect wordsRect(std::size_t index) const
    {
        const Theme& theme = Theme::get();
        const int y = viewport()->y() + static_cast<int>(index - top()) * theme.rowHeight();
        return {theme.px(saysAt), y, rowWidth() - theme.px(saysAt + 20), theme.rowHeight()};
    }

protected:
    QString emptyText() const override
    {
        return ReportView::tr("Nothing stands in the report yet. The menu of each view adds it; H adds a heading, T a text.");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const rig::ReportPart& part = view_.report()->parts[index];
        const int height = theme.rowHeight();
        if (static_cast<std::int64_t>(index) == current())
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        paintText(painter, QRectF(theme.px(12), y, theme.px(saysAt - 18), height), view_.kindWords(part), theme.body(), theme.ink2);
        const double when = part.kind == Kind::view ? theme.px(whenAt) : theme.px(12);
        paintText(painter, QRectF(theme.px(saysAt), y, rowWidth() - theme.px(saysAt) - when, height),
            part.kind == Kind::view && part.words.empty() ? ReportView::tr("as the view is called")
                                                          : text(part.words).section(QLatin1Char('\n'), 0, 0),
            part.kind == Kind::heading ? theme.bodyStrong() : theme.body(),
            part.kind == Kind::view && part.words.empty() ? theme.ink3 : theme.ink);
        paintText(painter, QRectF(rowWidth() - theme.px(whenAt), y, theme.px(whenAt - 12), height), whenWords(part), theme.mono(),
            theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        const bool bare = event->modifiers() == Qt::NoModifier;
        if (bare && (event->key() == Qt::Key_H || event->key() == Qt::Key_T))
            return view_.addWords(event->key() == Qt::Key_H ? Kind::heading : Kind::text);
        if (bare && event->key() == Qt::Key_Delete)
            return view_.takeOut();
        if (bare && (event->key() == Qt::Key_Return || event->key() == Qt::Key_F2) && current() >= 0)
            return view_.edit(static_cast<std::size_t>(current()));
        if ((event->modifiers() & Qt::ControlModifier) != 0 && (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down))
            return view_.move(event->key() == Qt::Key_Up ? -1 : 1);
        RowList::keyPressEvent(event);
    }
    void mouseDoubleClickEvent(QMouseEvent* event) override
    {
        if (const std::int64_t at = rowAt(event->position()); at >= 0)
            view_.edit(static_cast<std::size_t>(at));
    }

private:
    ReportView& view_;
};

ReportView::ReportView(Stage& stage, std::function<QString(const std::string&)> titleOf)
    : View(stage),
      titleOf_(std::move(titleOf)),
      tools_(new QWidget),
      which_(new QComboBox),
      html_(new QToolButton),
      pdf_(new QToolButton),
      rows_(new Rows(*this)),
      field_(new InPlaceField(this))
{
    setObjectName(QStringLiteral("report"));
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    bar->setSpacing(4);
    which_->setObjectName(QStringLiteral("reportChoice"));
    which_->setAccessibleName(tr("Report"));
    bar->addWidget(which_);
    const auto button = [&](QToolButton* one, const QString& words, const char* name, const QString& tip,
                            const std::function<void()>& what) {
        one->setText(words);
        one->setObjectName(QLatin1String(name));
        one->setToolTip(tip);
        one->setAutoRaise(true);
        bar->addWidget(one);
        connect(one, &QToolButton::clicked, this, what);
    };
    button(new QToolButton, QStringLiteral("+"), "reportNew", tr("Another report"), [this] { addReport(); });
    bar->addSpacing(Theme::get().px(8));
    button(new QToolButton, tr("heading"), "reportHeading", tr("Add a heading  (H)"), [this] { addWords(Kind::heading); });
    button(new QToolButton, tr("text"), "reportText", tr("Add a text  (T)"), [this] { addWords(Kind::text); });
    bar->addStretch(1);
    button(html_, tr("write HTML..."), "reportHtml", tr("One file, with its pictures inside"), [this] { write("html"); });
    button(pdf_, tr("write PDF..."), "reportPdf", tr("Pages of A4"), [this] { write("pdf"); });
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    connect(which_, &QComboBox::currentIndexChanged, this, [this] {
        chosen_ = -1;
        rows_->refresh();
        Q_EMIT setUpChanged();
    });
    connect(&stage.reports(), &ReportDesk::changed, this, &ReportView::rebuild);
    connect(field_, &InPlaceField::kept, this, [this](int) { rows_->setFocus(); });
    connect(field_, &InPlaceField::left, this, [this] { rows_->setFocus(); });
    rebuild();
}

QString ReportView::kindWords(const rig::ReportPart& part) const
{
    return part.kind == Kind::heading ? tr("heading") : part.kind == Kind::text ? tr("text") : titleOf_(part.view);
}

std::size_t ReportView::count() const { return static_cast<std::size_t>(rows_->count()); }
QString ReportView::rowText(std::size_t index) const { return rows_->rowText(index); }
void ReportView::choose(std::size_t part) { rows_->choose(part); }

const rig::ReportSpec* ReportView::report() const
{
    const auto& all = stage().reports().all();
    return which_->currentIndex() >= 0 && static_cast<std::size_t>(which_->currentIndex()) < all.size()
               ? &all[static_cast<std::size_t>(which_->currentIndex())]
               : nullptr;
}

void ReportView::rebuild()
{
    const QSignalBlocker blocked(which_);
    const int before = std::max(0, which_->currentIndex());
    which_->clear();
    for (const rig::ReportSpec& one : stage().reports().all())
        which_->addItem(text(one.name));
    which_->setCurrentIndex(std::min(before, which_->count() - 1));
    which_->setVisible(which_->count() > 0);
    const bool any = report() != nullptr && !report()->parts.empty();
    html_->setEnabled(any);
    pdf_->setEnabled(any);
    rows_->refresh();
}

void ReportView::change(const QString& what, const std::function<void(rig::ReportSpec&)>& how)
{
    std::vector<rig::ReportSpec> next = stage().reports().all();
    const auto at = static_cast<std::size_t>(std::max(0, which_->currentIndex()));
    if (next.empty()) {
        next.emplace_back();
        next.back().name = tr("Report").toStdString();
    }
    how(next[std::min(at, next.size() - 1)]);
    stage().reports().put(std::move(next), what);
}

void ReportView::addReport()
{
    std::vector<rig::ReportSpec> next = stage().reports().all();
    for (std::size_t number = next.size() + 1;; ++number) {
        const std::string name = tr("Report %1").arg(number).toStdString();
        if (std::any_of(next.begin(), next.end(), [&](const rig::ReportSpec& one) { return one.name == name; }))
            continue;
        next.emplace_back();
        next.back().name = name;
        break;
    }
    stage().reports().put(std::move(next), tr("another report"));
    which_->setCurrentIndex(which_->count() - 1);
}

void ReportView::addWords(Kind kind)
{
    const std::int64_t at = chosen_ < 0 ? static_cast<std::int64_t>(count()) : chosen_ + 1;
    change(kind == Kind::heading ? tr("add a heading") : tr("add a text"), [&](rig::ReportSpec& report) {
        rig::ReportPart part;
        part.kind = kind;
        part.words = (kind == Kind::heading ? tr("Heading") : tr("Text")).toStdString();
        report.parts.insert(
            report.parts.begin() + std::min<std::int64_t>(at, static_cast<std::int64_t>(report.parts.size())), std::move(part));
    });
    chosen_ = at;
    rows_->bring(static_cast<std::uint64_t>(at));
    edit(static_cast<std::size_t>(at));
}

void ReportView::edit(std::size_t part)
{
    if (part >= count())
        return;
    chosen_ = static_cast<std::int64_t>(part);
    const rig::ReportPart& now = report()->parts[part];
    field_->open(rows_->wordsRect(part), 300, text(now.words), now.kind == Kind::view ? tr("as the view is called") : tr("words"),
        [this, part](const QString& typed) -> Expected<void> {
            if (part < count())
                change(tr("change the words of the report"),
                    [&](rig::ReportSpec& report) { report.parts[part].words = typed.trimmed().toStdString(); });
            return {};
        });
}

void ReportView::move(int step)
{
    const std::int64_t to = chosen_ + step;
    if (chosen_ < 0 || to < 0 || to >= static_cast<std::int64_t>(count()))
        return;
    change(tr("move a part of the report"), [&](rig::ReportSpec& report) {
        std::swap(report.parts[static_cast<std::size_t>(chosen_)], report.parts[static_cast<std::size_t>(to)]);
    });
    chosen_ = to;
    rows_->bring(static_cast<std::uint64_t>(to));
    rows_->viewport()->update();
}

void ReportView::takeOut()
{
    if (rows_->current() >= 0)
        change(tr("take a part out of the report"), [&](rig::ReportSpec& report) { report.parts.erase(report.parts.begin() + chosen_); });
}

void ReportView::write(const char* ending)
{
    const QString path = QFileDialog::getSaveFileName(this, tr("Write the report"),
        text(report()->name) + QLatin1Char('.') + QLatin1String(ending),
        QLatin1String(ending) == QLatin1String("pdf") ? tr("PDF (*.pdf)") : tr("HTML (*.html)"));
    if (!path.isEmpty())
        Q_EMIT stage().reportWanted(which_->currentIndex(), path);
}

nlohmann::json ReportView::save() const
{
    return report() == nullptr ? nlohmann::json::object() : nlohmann::json{{"report", report()->name}};
}

void ReportView::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("report") && setUp["report"].is_string())
        which_->setCurrentIndex(std::max(0, which_->findText(text(setUp["report"].get<std::string>()))));
}

}  // namespace wavetrope::app
