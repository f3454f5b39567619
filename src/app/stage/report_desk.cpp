// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/report_desk.h"

#include "app/parts/edit_times.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

class ReportDesk::Change : public QUndoCommand {
public:
    Change(ReportDesk& desk, std::vector<rig::ReportSpec> next, const QString& what)
        : QUndoCommand(what), desk_(desk), before_(desk.all()), next_(std::move(next))
    {}
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }

private:
    ReportDesk& desk_;
    std::vector<rig::ReportSpec> before_, next_;
};

ReportDesk::ReportDesk(Stage& stage) : stage_(stage) { EditTimes::follow(undo_); }

const std::vector<rig::ReportSpec>& ReportDesk::all() const { return stage_.document().rig().reports; }

void ReportDesk::put(std::vector<rig::ReportSpec> next, const QString& what)
{
    if (next != all())
        undo_.push(new Change(*this, std::move(next), what));
}

void ReportDesk::replace(const std::vector<rig::ReportSpec>& reports)
{
    stage_.document().rig().setReports(reports);
    Q_EMIT changed();
}

void ReportDesk::add(std::size_t report, rig::ReportPart part)
{
    std::vector<rig::ReportSpec> next = all();
    if (next.empty()) {
        next.emplace_back();
        next.back().name = tr("Report").toStdString();
    }
    next[std::min(report, next.size() - 1)].parts.push_back(std::move(part));
    put(std::move(next), tr("add to the report"));
}

}  // namespace wavetrope::app
