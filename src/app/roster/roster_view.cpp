// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/roster/roster_view.h"

#include <QVBoxLayout>

#include "app/stage/narrowing.h"
#include "app/stage/protocol_desk.h"

namespace wavetrope::app {

RosterView::RosterView(Stage& stage)
    : View(stage), filterLine_(new FilterLine(tr("Filter, e.g. not bus Scanner"))), rows_(new RosterRows(*this))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(rows_);
    setFocusProxy(rows_);
    filterLine_->setNamed(stage.document().rig().namedFilters());
    filterLine_->setCatalog(stage.document().catalog());
    connect(filterLine_, &FilterLine::wrongChanged, rows_, &RowList::setStale);
    connect(filterLine_, &FilterLine::keepWanted, this,
        [this](const QString& name, const QString& text) { keepFilter(this->stage(), name, text); });
    connect(filterLine_, &FilterLine::filterChanged, this, [this] {
        rows_->rebuild();
        rows_->refresh();
        Q_EMIT setUpChanged();
    });
    const auto refresh = [this] {
        if (isVisible())
            rows_->refresh();
    };
    connect(&stage, &Stage::beat, this, refresh);
    connect(&stage.protocols(), &ProtocolDesk::messagesGrown, this, refresh);
    connect(&stage.protocols(), &ProtocolDesk::spokenChanged, this, refresh);
    connect(&stage, &Stage::axisChanged, this, refresh);
    connect(&stage, &Stage::selectionChanged, this, [this, refresh] {
        refresh();
        if (const std::int64_t at = rows_->current(); at >= 0)
            rows_->bring(static_cast<std::uint64_t>(at));
    });
    const auto catalogChanged = [this] {
        filterLine_->setNamed(this->stage().document().rig().namedFilters());
        filterLine_->setCatalog(this->stage().document().catalog());
        rows_->forget();
        rows_->refresh();
    };
    connect(rows_, &RowList::columnsChanged, this, &RosterView::setUpChanged);
    connect(&stage, &Stage::becameReady, this, catalogChanged);
    connect(&stage, &Stage::catalogChanged, this, catalogChanged);
    connect(&stage, &Stage::filtersChanged, this, catalogChanged);
}

nlohmann::json RosterView::save() const
{
    nlohmann::json setUp = rows_->save();
    setUp["filter"] = filterLine_->text().toStdString();
    return setUp;
}

void RosterView::restore(const nlohmann::json& setUp)
{
    rows_->restore(setUp);
    if (setUp.contains("filter") && setUp["filter"].is_string())
        filterLine_->setText(QString::fromStdString(setUp["filter"].get<std::string>()));
}

}  // namespace wavetrope::app
