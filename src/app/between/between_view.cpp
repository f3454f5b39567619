// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/between/between_view.h"

#include <QApplication>
#include <QClipboard>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <array>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/notation.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

// A number as long as a cell has room for.
QString numberText(const std::optional<double>& value)
{
    if (!value)
        return {};
    const double size = std::abs(*value);
    if (size != 0 && (size >= 1e7 || size < 1e-4))
        return QString::number(*value, 'e', 1)
            .replace(QLatin1String("e-0"), QLatin1String("e-"))
            .replace(QLatin1String("e+0"), QLatin1String("e"));
    return QString::number(*value, 'f', size >= 1000 ? 1 : size >= 100 ? 2 : size >= 1 ? 3 : 4);
}

}  // namespace

class BetweenView::Rows : public RowList {
public:
    explicit Rows(BetweenView& view) : view_(view)
    {
        setObjectName(QStringLiteral("betweenRows"));
        setAccessibleName(BetweenView::tr("From A to B"));
        layHeads();
    }
    void layHeads()
    {
        // Names have what is left over, as far as they need it.
        constexpr double mostMore = 150;
        more_ = std::clamp(static_cast<double>(viewport()->width()) / Theme::get().scale() - leastWidth, 0.0, mostMore);
        std::vector<Head> heads = {{12, BetweenView::tr("curve")}};
        for (qsizetype i = 0; i < names().size(); ++i)
            heads.push_back({0, names()[i], rightOf(static_cast<std::size_t>(i))});
        setHeads(std::move(heads), leastWidth);
    }
    static const QStringList& names()
    {
        static const QStringList all = {BetweenView::tr("at A"), BetweenView::tr("at B"), QStringLiteral("B \u2212 A"),
            BetweenView::tr("per s"), BetweenView::tr("samples"), BetweenView::tr("smallest"), BetweenView::tr("largest"),
            BetweenView::tr("mean"), BetweenView::tr("RMS"), BetweenView::tr("deviation"), BetweenView::tr("integral")};
        return all;
    }
    std::uint64_t count() const override { return view_.shown_.size(); }
    std::int64_t current() const override
    {
        for (std::size_t i = 0; i < view_.shown_.size(); ++i)
            if (view_.shown_[i].source.chosenIn(view_.stage().selection()))
                return static_cast<std::int64_t>(i);
        return -1;
    }
    void choose(std::uint64_t index) override { view_.stage().select(view_.shown_[index].source.selection()); }
    QString rowText(std::uint64_t index) const override
    {
        const Row& row = view_.shown_[index];
        QStringList parts = {nameOf(row)};
        parts += cells(row);
        if (named(row) || !row.measures.whole)
            parts << words(row);
        return parts.join(QLatin1Char('\t'));
    }

protected:
    QString emptyText() const override
    {
        if (!view_.stage().marks().both())
            return BetweenView::tr("Set two marks: A and B at the pointer, in lanes or load, or pull them in from the edge of the plot.");
        return BetweenView::tr("No lanes are in sight: the curves that they draw are measured here.");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const Row& row = view_.shown_[index];
        const int height = theme.rowHeight();
        if (static_cast<std::int64_t>(index) == current())
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        const QRectF badge(theme.px(12), y + theme.px(3), theme.px(14), theme.px(14));
        if (const auto bus = row.source.bus())
            paintBusBadge(painter, badge, view_.stage().mark(*bus));
        else
            paintDerivedBadge(painter, badge);
        const QString unit = row.source.unit();
        const double unitWide = unit.isEmpty() ? 0 : QFontMetricsF(theme.body()).horizontalAdvance(unit) + theme.px(4);
        const double room = theme.px(rightOf(0) - 52 - 32) - unitWide;
        const QString name = row.source.name();
        paintText(painter, QRectF(theme.px(32), y, room, height), name, theme.bodyStrong(), theme.ink);
        paintText(painter,
            QRectF(theme.px(32) + std::min(room, QFontMetricsF(theme.bodyStrong()).horizontalAdvance(name) + theme.px(5)), y, unitWide + 1,
                height),
            unit, theme.body(), theme.ink2);
        const QStringList all = cells(row);
        for (int i = 0; i < all.size(); ++i)
            if (i <= 4 || !(named(row) || !row.measures.whole))
                paintText(painter,
                    QRectF(theme.px(rightOf(static_cast<std::size_t>(i)) - widthOf(static_cast<std::size_t>(i))), y,
                        theme.px(widthOf(static_cast<std::size_t>(i))), height),
                    all[i], theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
        if (named(row) || !row.measures.whole)
            paintText(painter, QRectF(theme.px(rightOf(4) + 16), y, theme.px(rightOf(10) - rightOf(4) - 16), height), words(row),
                theme.body(), theme.ink2);
    }

    void resizeEvent(QResizeEvent* event) override
    {
        layHeads();
        RowList::resizeEvent(event);
    }

private:
    static constexpr double leastWidth = 770;
    double more_ = 0;
    // Right edges of the columns behind the name, in unscaled pixels.
    [[nodiscard]] double rightOf(std::size_t column) const
    {
        static constexpr std::array<int, 11> edges = {200, 252, 304, 360, 410, 466, 520, 576, 630, 690, 758};
        return edges[column] + more_;
    }
    [[nodiscard]] int widthOf(std::size_t column) const
    {
        return column == 0 ? 54 : static_cast<int>(rightOf(column) - rightOf(column - 1)) - 4;
    }
    static bool named(const Row& row) { return row.source.named(); }
    static QString nameOf(const Row& row)
    {
        const QString unit = row.source.unit();
        return row.source.name() + (unit.isEmpty() ? QString() : QLatin1Char(' ') + unit);
    }
    static QString reading(const Row& row, const std::optional<double>& value)
    {
        return !value ? QString() : named(row) ? row.source.reading(*value) : row.source.number(*value);
    }
    static QStringList cells(const Row& row)
    {
        const measure::IntervalMeasures& m = row.measures;
        const bool any = m.samples > 0;
        if (!m.whole)
            return {reading(row, m.atFrom), reading(row, m.atTo), {}, {}, {}, {}, {}, {}, {}, {}, {}};
        const auto sample = [&](double value) { return any ? row.source.number(value) : QString(); };
        if (named(row))
            return {reading(row, m.atFrom), reading(row, m.atTo), {}, {}, QString::number(m.samples), {}, {}, {}, {}, {}, {}};
        QString difference;
        if (m.atFrom && m.atTo)
            difference = row.source.number(*m.atTo - *m.atFrom);
        return {reading(row, m.atFrom), reading(row, m.atTo), difference, numberText(m.slope), QString::number(m.samples),
            sample(m.smallest), sample(m.largest), numberText(m.mean), numberText(m.rms), numberText(m.deviation), numberText(m.integral)};
    }
    // Where numbers would say nothing, or less than all.
    static QString words(const Row& row)
    {
        if (!row.measures.whole)
            return BetweenView::tr("frames at its ends were let go");
        const std::uint64_t count = row.measures.changes;
        return count == 0   ? BetweenView::tr("no change")
               : count == 1 ? BetweenView::tr("1 change")
                            : BetweenView::tr("%1 changes").arg(countText(count));
    }
    BetweenView& view_;
};

BetweenView::BetweenView(Stage& stage)
    : View(stage), tools_(new QWidget), facts_(new QLabel), copy_(new QToolButton), rows_(new Rows(*this)), work_(new NewestWork(this))
{
    setObjectName(QStringLiteral("between"));
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    Theme::writeInBody(facts_);
    bar->addWidget(facts_, 1);
    copy_->setObjectName(QStringLiteral("copyBetween"));
    copy_->setText(tr("copy as rows"));
    copy_->setAutoRaise(true);
    copy_->setProperty("link", true);
    copy_->setToolTip(tr("All rows with their heads, for a spreadsheet"));
    bar->addWidget(copy_);
    connect(copy_, &QToolButton::clicked, this, [this] { QApplication::clipboard()->setText(allText()); });
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    connect(&stage, &Stage::marksChanged, this, &BetweenView::ask);
    connect(&stage, &Stage::curvesChanged, this, &BetweenView::ask);
    connect(&stage, &Stage::catalogChanged, this, &BetweenView::ask);
    connect(&stage, &Stage::becameReady, this, &BetweenView::ask);
    connect(&stage, &Stage::selectionChanged, this, [this] { rows_->viewport()->update(); });
    connect(&stage, &Stage::beat, this, [this] {
        // Of a run that goes on, as long as the stretch is not over.
        const Marks& marks = this->stage().marks();
        if (isVisible() && settled_ && marks.both() && std::max(*marks.a, *marks.b) >= this->stage().newest() - std::chrono::seconds(1))
            ask();
    });
    ask();
}

std::size_t BetweenView::count() const { return shown_.size(); }
QString BetweenView::rowText(std::size_t index) const { return rows_->rowText(index); }

QString BetweenView::allText() const
{
    QString out = QStringLiteral("curve\t") + Rows::names().join(QLatin1Char('\t'));
    for (std::size_t i = 0; i < shown_.size(); ++i)
        out += QLatin1Char('\n') + rows_->rowText(i);
    return out;
}

void BetweenView::showEvent(QShowEvent* event)
{
    View::showEvent(event);
    ask();
}

void BetweenView::ask()
{
    const Marks& marks = stage().marks();
    settled_ = false;
    work_->forget();
    if (!isVisible())
        return;
    copy_->setEnabled(marks.both());
    facts_->setText(
        marks.both() ? tr("%1, exact over the samples").arg(timeWords(std::abs(stage().seconds(*marks.b) - stage().seconds(*marks.a)), 3))
                     : tr("no marks yet"));
    const auto catalog = stage().document().catalog();
    std::vector<Row> rows;
    std::vector<measure::SeriesKeeper::Look> looks;
    if (marks.both())
        for (const QString& path : stage().curves())
            if (const auto source = curveOf(catalog, path)) {
                rows.push_back({*source, stage().curveDesk().series(*source), {}});
                looks.push_back({rows.back().series, {}, {}, 0});
            }
    stage().curveDesk().look(this, std::move(looks));
    if (rows.empty()) {
        shown_.clear();
        settled_ = true;
        return rows_->refresh();
    }
    if (!std::equal(
            shown_.begin(), shown_.end(), rows.begin(), rows.end(), [](const Row& a, const Row& b) { return a.series == b.series; }))
        shown_ = rows;      // until they are measured, empty
    rows_->refresh();
    work_->ask([this, snapshot = stage().snapshot(), rows = std::move(rows), &keeper = stage().curveDesk().keeper(),
                   from = std::min(*marks.a, *marks.b),
                   to = std::max(*marks.a, *marks.b)](const std::function<bool()>& goesOn) mutable -> NewestWork::Deliver {
        for (Row& row : rows) {
            keeper.waitFor(*row.series, snapshot.rows(), goesOn);
            if (!goesOn())
                return {};
            row.measures = row.series->between(snapshot, from, to);
        }
        return [this, rows = std::move(rows)]() mutable { take(std::move(rows)); };
    });
}

void BetweenView::hideEvent(QHideEvent* event)
{
    work_->forget();
    stage().curveDesk().look(this, {});
    View::hideEvent(event);
}

void BetweenView::take(std::vector<Row> rows)
{
    shown_ = std::move(rows);
    settled_ = true;
    rows_->refresh();
}

}  // namespace wavetrope::app
