// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stream/stream_view.h"

#include <QHBoxLayout>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/paint/paint.h"
#include "app/stage/narrowing.h"
#include "app/stage/note_desk.h"
#include "app/stage/protocol_desk.h"

namespace wavetrope::app {

namespace {

constexpr int searchingAgain = 60;  // ms
constexpr const char* byteTexts[] = {"hexadecimal", "decimal", "binary", "text"};

}  // namespace

StreamView::StreamView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      asMessages_(new QToolButton),
      filterLine_(new FilterLine(tr("Filter, e.g. from WaterUnit and not id 0x702"))),
      rows_(new StreamRows(*this))
{
    auto* bar = new QHBoxLayout(tools_);
    bar->setContentsMargins(0, 0, 0, 0);
    asMessages_->setObjectName(QStringLiteral("asMessages"));
    asMessages_->setText(tr("messages"));
    asMessages_->setToolTip(
        tr("Messages of higher protocols in place of frames: what came in pieces is one row, where it became whole  (M)"));
    asMessages_->setCheckable(true);
    asMessages_->setAutoRaise(true);
    asMessages_->setProperty("link", true);
    asMessages_->hide();
    bar->addWidget(filterLine_, 1);
    bar->addWidget(asMessages_);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    filterLine_->setNamed(stage.document().rig().namedFilters());
    filterLine_->setCatalog(stage.document().catalog());
    connect(filterLine_, &FilterLine::filterChanged, this, &StreamView::onFilter);
    connect(asMessages_, &QToolButton::toggled, this, &StreamView::setMessages);
    const auto spokenChanged = [this] {
        asMessages_->setVisible(this->stage().protocols().anySpoken());
        if (wantsMessages_)
            search();
    };
    connect(&stage.protocols(), &ProtocolDesk::spokenChanged, this, spokenChanged);
    connect(&stage.protocols(), &ProtocolDesk::keptChanged, this, spokenChanged);
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
    if (messages_ != nullptr)
        return *messages_;
    if (found_ != nullptr)
        return *found_;
    return all_;
}

QUndoStack* StreamView::undoStack() { return &stage().notes().undoStack(); }

void StreamView::setMessages(bool messages)
{
    if (std::exchange(wantsMessages_, messages) == messages)
        return;
    asMessages_->setChecked(messages);
    // Each way has columns of its own.
    const nlohmann::json now = rows_->columns().save();
    if (!otherColumns_.is_null())
        rows_->restoreColumns(otherColumns_);
    else
        for (const int column : {StreamRows::lasted, StreamRows::between, StreamRows::sinceSame, StreamRows::bytes})
            rows_->showColumn(column, (column == StreamRows::lasted || column == StreamRows::between) == messages);
    otherColumns_ = now;
    search();
    Q_EMIT setUpChanged();
}

void StreamView::onFilter()
{
    search();
    Q_EMIT setUpChanged();
}

void StreamView::search()
{
    stage().setMatches(nullptr);
    found_.reset();
    messages_.reset();
    scan_.reset();
    const bool filtered = !filterLine_->filter().passesEverything();
    const ProtocolDesk& desk = stage().protocols();
    if (wantsMessages_ && desk.anySpoken()) {
        auto index = std::make_shared<measure::MessageIndex>(desk.spokenByBus(), filterLine_->filter(), stage().document().begins());
        const auto kept = desk.kept();
        if (!kept.empty())
            index->keeps = [kept](const protocol::MessageRow& row) { return row.head && ProtocolDesk::among(kept, row.bus, *row.head); };
        messages_ = std::make_unique<MessageSource>(*index, filtered || !kept.empty());
        scan_ = std::make_unique<BackgroundScan>(std::move(index));
    } else if (filtered) {
        scan_ = std::make_unique<BackgroundScan>(filterLine_->filter(), stage().document().begins());
        found_ = std::make_unique<FoundRows>(*scan_);
    }
    stage().setMatches(filtered ? scan_.get() : nullptr);
    onBeat();
    rows_->showCursor();
}

void StreamView::onBeat()
{
    const trace::Snapshot& snapshot = stage().snapshot();
    if (scan_) {
        const bool over = !stage().document().isLive() && stage().document().ready() && stage().caughtUp();
        scan_->update(snapshot, over);
        if (messages_ != nullptr && snapshot.valid())
            messages_->renew(snapshot);
        const bool decided = !over || messages_ == nullptr || scan_->seen() >= snapshot.rows();
        const bool done = (scan_->times().seen() >= snapshot.rows() || scan_->done(snapshot.rows()) || stage().following()) && decided;
        if (!done || searching_)
            Q_EMIT stage().matchesChanged();
        if (!done)  // a log brings no further beats: look again by itself
            QTimer::singleShot(searchingAgain, this, &StreamView::onBeat);
        else if (searching_)  // the row of the cursor may have been among the last to be found
            rows_->showCursor();
        searching_ = !done;
        const QString count = countText(scan_->size());
        const bool all = stage().matches() == nullptr;
        filterLine_->setResult(messages_ != nullptr
                                   ? (all ? tr("%1 messages") : tr("%1 messages match")).arg(count) + (done ? QString() : tr(", searching"))
                               : done ? tr("%1 frames match").arg(count)
                                      : tr("%1 frames match, searching").arg(count));
    } else {
        filterLine_->setResult(tr("%1 frames").arg(countText(snapshot.rows())));
    }
    if (isVisible())
        rows_->refresh();
}

nlohmann::json StreamView::save() const
{
    nlohmann::json out{{"filter", filterLine_->text().toStdString()}, {"columns", rows_->columns().save()},
        {"bytes", byteTexts[static_cast<unsigned>(rows_->byteText())]}};
    if (wantsMessages_)
        out["rows"] = "messages";
    if (!otherColumns_.is_null())
        out["columns the other way"] = otherColumns_;
    return out;
}

void StreamView::restore(const nlohmann::json& setUp)
{
    setMessages(setUp.value("rows", nlohmann::json()) == "messages");
    if (setUp.contains("columns"))
        rows_->restoreColumns(setUp["columns"]);
    otherColumns_ = setUp.value("columns the other way", nlohmann::json());
    if (setUp.contains("bytes"))
        for (unsigned i = 0; i < std::size(byteTexts); ++i)
            if (setUp["bytes"] == byteTexts[i])
                rows_->setByteText(static_cast<ByteText>(i));
    if (setUp.contains("filter") && setUp["filter"].is_string())
        filterLine_->setText(QString::fromStdString(setUp["filter"].get<std::string>()));
}

}  // namespace wavetrope::app
