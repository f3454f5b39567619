// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stream/stream_view.h"

#include <QTimer>
#include <QVBoxLayout>

#include "app/paint/paint.h"
#include "app/stage/narrowing.h"
#include "app/stage/note_desk.h"

namespace wavetrope::app {

namespace {

constexpr int searchingAgain = 60;  // ms
constexpr const char* byteTexts[] = {"hexadecimal", "decimal", "binary", "text"};

}  // namespace

StreamView::StreamView(Stage& stage)
    : View(stage), filterLine_(new FilterLine(tr("Filter, e.g. from WaterUnit and not id 0x702"))), rows_(new StreamRows(*this))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    filterLine_->setNamed(stage.document().rig().namedFilters());
    filterLine_->setCatalog(stage.document().catalog());
    connect(filterLine_, &FilterLine::filterChanged, this, &StreamView::onFilter);
    connect(&stage, &Stage::beat, this, &StreamView::onBeat);
    connect(&stage, &Stage::axisChanged, rows_, &StreamRows::showCursor);
    connect(&stage, &Stage::selectionChanged, rows_->viewport(), qOverload<>(&QWidget::update));
    const auto catalogChanged = [this] {
        filterLine_->setNamed(this->stage().document().rig().namedFilters());
        filterLine_->setCatalog(this->stage().document().catalog());
        rows_->refresh();
    };
    connect(&stage, &Stage::becameReady, this, catalogChanged);
    connect(&stage, &Stage::catalogChanged, this, catalogChanged);
    connect(&stage, &Stage::filtersChanged, this, catalogChanged);
    connect(filterLine_, &FilterLine::wrongChanged, rows_, &RowList::setStale);
    connect(filterLine_, &FilterLine::keepWanted, this,
        [this](const QString& name, const QString& text) { keepFilter(this->stage(), name, text); });
    connect(rows_, &RowList::columnsChanged, this, &StreamView::setUpChanged);
    connect(&stage.notes(), &NoteDesk::changed, rows_, &RowList::refresh);
    connect(&stage, &Stage::filterWanted, this, [this](const QString& text) { filterLine_->setText(text); });
}

StreamView::~StreamView()
{
    if (stage().matches() == scan_.get())
        stage().setMatches(nullptr);
}

const trace::RowSource& StreamView::source() const
{
    if (found_ != nullptr)
        return *found_;
    return all_;
}

QUndoStack* StreamView::undoStack() { return &stage().notes().undoStack(); }

void StreamView::onFilter()
{
    stage().setMatches(nullptr);
    found_.reset();
    scan_.reset();
    if (!filterLine_->filter().passesEverything()) {
        scan_ = std::make_unique<BackgroundScan>(filterLine_->filter(), stage().document().begins());
        found_ = std::make_unique<FoundRows>(*scan_);
    }
    stage().setMatches(scan_.get());
    onBeat();
    rows_->showCursor();
    Q_EMIT setUpChanged();
}

void StreamView::onBeat()
{
    const trace::Snapshot& snapshot = stage().snapshot();
    if (scan_) {
        scan_->update(snapshot);
        const bool done = scan_->times().seen() >= snapshot.rows() || stage().following();
        if (!done || searching_)
            Q_EMIT stage().matchesChanged();
        if (!done)  // a log brings no further beats: look again by itself
            QTimer::singleShot(searchingAgain, this, &StreamView::onBeat);
        else if (searching_)  // the row of the cursor may have been among the last to be found
            rows_->showCursor();
        searching_ = !done;
        filterLine_->setResult(
            done ? tr("%1 frames match").arg(countText(scan_->size())) : tr("%1 frames match, searching").arg(countText(scan_->size())));
    } else {
        filterLine_->setResult(tr("%1 frames").arg(countText(snapshot.rows())));
    }
    if (isVisible())
        rows_->refresh();
}

nlohmann::json StreamView::save() const
{
    return {{"filter", filterLine_->text().toStdString()}, {"columns", rows_->columns().save()},
        {"bytes", byteTexts[static_cast<unsigned>(rows_->byteText())]}};
}

void StreamView::restore(const nlohmann::json& setUp)
{
    if (setUp.contains("columns"))
        rows_->restoreColumns(setUp["columns"]);
    if (setUp.contains("bytes"))
        for (unsigned i = 0; i < std::size(byteTexts); ++i)
            if (setUp["bytes"] == byteTexts[i])
                rows_->setByteText(static_cast<ByteText>(i));
    if (setUp.contains("filter") && setUp["filter"].is_string())
        filterLine_->setText(QString::fromStdString(setUp["filter"].get<std::string>()));
}

}  // namespace wavetrope::app
