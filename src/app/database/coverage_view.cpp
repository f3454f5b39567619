// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/database/coverage_view.h"

#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QVBoxLayout>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr unsigned againEvery = 30;  // beats
constexpr double badgeAt = 10, idAt = 34, messageAt = 128, whatAt = 290, framesAt = 470, shareAt = 560, barAt = 640;

}  // namespace

class CoverageView::Rows : public RowList {
public:
    explicit Rows(CoverageView& view) : view_(view)
    {
        setObjectName(QStringLiteral("coverageRows"));
        setAccessibleName(CoverageView::tr("Coverage by identifier"));
        setHeads({{idAt, CoverageView::tr("id")}, {messageAt, CoverageView::tr("message")}, {whatAt, CoverageView::tr("what")},
                     {framesAt - 40, CoverageView::tr("frames"), shareAt - 14}, {shareAt - 6, CoverageView::tr("of frames"), barAt - 10},
                     {barAt, CoverageView::tr("of the bus's traffic")}},
            barAt + 110);
    }
    enum class What { identifier, conflict, silent };
    struct Row {
        What what;
        std::size_t index;
    };
    std::vector<Row> list;
    std::int64_t chosen = -1;
    std::vector<double> busyOfBus;

    std::uint64_t count() const override { return list.size(); }
    std::int64_t current() const override { return chosen; }
    void choose(std::uint64_t index) override
    {
        chosen = static_cast<std::int64_t>(index);
        Selection selection;
        selection.kind = Selection::Kind::message;
        selection.bus = busOf(list[index]);
        selection.id = idOf(list[index]);
        view_.stage().select(selection);
        viewport()->update();
    }
    std::uint8_t busOf(const Row& row) const
    {
        return row.what == What::identifier ? view_.coverage_.identifiers[row.index].bus
               : row.what == What::conflict ? view_.coverage_.conflicts[row.index].bus
                                            : view_.coverage_.neverSeen[row.index]->bus;
    }
    can::Identifier idOf(const Row& row) const
    {
        return row.what == What::identifier ? view_.coverage_.identifiers[row.index].id
               : row.what == What::conflict ? view_.coverage_.conflicts[row.index].hidden->id
                                            : view_.coverage_.neverSeen[row.index]->message->id;
    }
    QString nameOf(const Row& row) const
    {
        if (row.what == What::conflict)
            return QString::fromStdString(view_.coverage_.conflicts[row.index].hidden->name);
        const auto* message = row.what == What::identifier ? view_.coverage_.identifiers[row.index].message
                                                           : view_.coverage_.neverSeen[row.index];
        return message == nullptr ? QString() : QString::fromStdString(message->message->name);
    }
    QString wordsOf(const Row& row) const
    {
        if (row.what == What::silent)
            return CoverageView::tr("never seen");
        if (row.what == What::conflict)
            return CoverageView::tr("another file says %1")
                .arg(QString::fromStdString(view_.coverage_.conflicts[row.index].winner->message->name));
        const measure::CoveredIdentifier& entry = view_.coverage_.identifiers[row.index];
        if (entry.kind == measure::CoverageClass::transport)
            return CoverageView::tr("transport protocol");
        if (entry.kind == measure::CoverageClass::unexplained)
            return CoverageView::tr("no definition");
        QStringList words;
        if (entry.message->match == database::Match::group) {
            const auto group = can::ParameterGroup::of(entry.id);
            const auto address = [](unsigned a) { return QStringLiteral("%1").arg(a, 2, 16, QLatin1Char('0')).toUpper(); };
            words << CoverageView::tr("from %1").arg(address(group.source));
            if (group.addressed)
                words << (group.destination == 255 ? CoverageView::tr("to all")
                                                   : CoverageView::tr("to %1").arg(address(group.destination)));
        }
        if (entry.shorter > 0)
            words << CoverageView::tr("%1 shorter").arg(countText(entry.shorter));
        if (entry.longer > 0)
            words << CoverageView::tr("%1 longer").arg(countText(entry.longer));
        return words.isEmpty() ? CoverageView::tr("explained") : words.join(QStringLiteral(", "));
    }
    QString rowText(std::uint64_t index) const override
    {
        const Row& row = list[index];
        return QStringList{QString::fromStdString(view_.stage().catalog().busName(busOf(row))),
            QString::fromStdString(can::toText(idOf(row))), nameOf(row), wordsOf(row),
            row.what == What::identifier ? QString::number(view_.coverage_.identifiers[row.index].frames) : QStringLiteral("0")}
            .join(QLatin1Char('\t'));
    }

protected:
    QString emptyText() const override { return CoverageView::tr("No frames yet."); }
    void keyPressEvent(QKeyEvent* event) override
    {
        if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && chosen >= 0
            && static_cast<std::size_t>(chosen) < list.size())
            define(static_cast<std::size_t>(chosen));
        else
            RowList::keyPressEvent(event);
    }
    void mouseDoubleClickEvent(QMouseEvent* event) override
    {
        if (const std::int64_t index = rowAt(event->position()); index >= 0)
            define(static_cast<std::size_t>(index));
    }
    void define(std::size_t index) { Q_EMIT view_.stage().definitionWanted(busOf(list[index]), idOf(list[index]).key()); }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const Row& row = list[index];
        const int height = theme.rowHeight();
        const auto box = [&](double from, double to) { return QRectF(theme.px(from), y, theme.px(to - from), height); };
        if (static_cast<std::int64_t>(index) == chosen)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        const unsigned bus = busOf(row);
        paintBusBadge(
            painter, QRectF(theme.px(badgeAt), y + (height - theme.px(14)) / 2.0, theme.px(14), theme.px(14)), view_.stage().mark(bus));
        const bool quiet = row.what == What::silent;
        paintText(painter, box(idAt, messageAt - 4), QString::fromStdString(can::toText(idOf(row))), theme.mono(),
            quiet ? theme.ink3 : theme.ink);
        paintText(painter, box(messageAt, whatAt - 8), nameOf(row), theme.body(), quiet ? theme.ink3 : theme.ink);
        bool warn = row.what == What::conflict;
        if (row.what == What::identifier) {
            const measure::CoveredIdentifier& entry = view_.coverage_.identifiers[row.index];
            warn = entry.kind == measure::CoverageClass::unexplained || entry.shorter + entry.longer > 0;
        }
        if (warn)
            paintWarning(painter, QPointF(theme.px(whatAt + 5), y + height / 2.0), theme.px(9));
        paintText(painter, box(whatAt + (warn ? 16 : 0), framesAt - 50), wordsOf(row), theme.body(), warn ? theme.ink : theme.ink2);
        if (row.what != What::identifier)
            return;
        const measure::CoveredIdentifier& entry = view_.coverage_.identifiers[row.index];
        paintText(
            painter, box(framesAt - 60, shareAt - 14), countText(entry.frames), theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
        const double share = 100.0 * static_cast<double>(entry.frames)
                             / static_cast<double>(std::max<std::uint64_t>(1, view_.coverage_.allFrames()));
        paintText(painter, box(shareAt - 10, barAt - 10), QStringLiteral("%1 %").arg(share, 0, 'f', 1), theme.mono(), theme.ink2,
            Qt::AlignRight | Qt::AlignVCenter);
        if (bus < busyOfBus.size() && busyOfBus[bus] > 0) {
            const QRectF bar(theme.px(barAt), y + theme.px(6), rowWidth() - theme.px(barAt + 12), theme.px(8));
            painter.fillRect(bar, theme.raised);
            painter.fillRect(
                QRectF(bar.left(), bar.top(), bar.width() * static_cast<double>(entry.busy.count()) / busyOfBus[bus], bar.height()),
                theme.bus(view_.stage().mark(bus)));
        }
    }

private:
    CoverageView& view_;
};

CoverageView::CoverageView(Stage& stage) : View(stage), facts_(new ElidedLabel), rows_(new Rows(*this))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    Theme::writeInBody(facts_);
    facts_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    facts_->setObjectName(QStringLiteral("coverageFacts"));
    connect(&stage, &Stage::beat, this, [this] {
        if (isVisible() && (beats_++ % againEvery == 0 || rows_->list.empty() || !this->stage().document().isLive()))
            refresh();
    });
    connect(&stage, &Stage::catalogChanged, this, [this] {
        seenCatalog_ = nullptr;
        coverage_ = {};
        rows_->list.clear();
        rows_->chosen = -1;
        if (isVisible())
            refresh();
    });
}

RowList* CoverageView::rows() { return rows_; }

void CoverageView::refresh()
{
    const trace::Snapshot& snapshot = stage().snapshot();
    if (!snapshot.valid() || (snapshot.rows() == seenRows_ && &stage().catalog() == seenCatalog_))
        return;
    seenRows_ = snapshot.rows();
    seenCatalog_ = &stage().catalog();
    const auto busy = stage().document().measures().read([](const measure::MeasureState& state) {
        std::vector<Time> each;
        for (const measure::IdentifierStats& stats : state.identifiers)
            each.push_back(stats.busy);
        return each;
    });
    coverage_ = measure::coverageOf(snapshot, stage().catalog(), busy);
    rows_->busyOfBus.assign(stage().catalog().busCount(), 0);
    rows_->list.clear();
    std::vector<Rows::Row> explained;
    for (std::size_t i = 0; i < coverage_.identifiers.size(); ++i) {
        const measure::CoveredIdentifier& entry = coverage_.identifiers[i];
        if (entry.bus < rows_->busyOfBus.size())
            rows_->busyOfBus[entry.bus] += static_cast<double>(entry.busy.count());
        const bool plain = entry.kind == measure::CoverageClass::explained && entry.shorter + entry.longer == 0;
        (plain ? explained : rows_->list).push_back({Rows::What::identifier, i});
    }
    for (std::size_t i = 0; i < coverage_.conflicts.size(); ++i)
        rows_->list.push_back({Rows::What::conflict, i});
    for (std::size_t i = 0; i < coverage_.neverSeen.size(); ++i)
        rows_->list.push_back({Rows::What::silent, i});
    rows_->list.insert(rows_->list.end(), explained.begin(), explained.end());
    using measure::CoverageClass;
    const auto percent = [](double part, double whole) { return whole > 0 ? 100.0 * part / whole : 0.0; };
    QString facts = tr("%1 of %2 identifiers, %3 % of frames, %4 % of bus time")
                        .arg(coverage_.count(CoverageClass::explained))
                        .arg(coverage_.identifiers.size())
                        .arg(percent(static_cast<double>(coverage_.frames(CoverageClass::explained)),
                                 static_cast<double>(coverage_.allFrames())),
                            0, 'f', 1)
                        .arg(percent(static_cast<double>(coverage_.busy(CoverageClass::explained).count()),
                                 static_cast<double>(coverage_.allBusy().count())),
                            0, 'f', 1);
    if (!coverage_.neverSeen.empty())
        facts += tr("; %1 never seen").arg(coverage_.neverSeen.size());
    facts_->setText(facts);
    facts_->setToolTip(tr("Explained by the databases: %1").arg(facts));
    rows_->refresh();
}

}  // namespace wavetrope::app
