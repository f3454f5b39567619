// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/derive_desk.h"

#include <algorithm>

#include "app/parts/edit_times.h"
#include "app/parts/text.h"
#include "app/stage/curve_desk.h"
#include "app/stage/stage.h"
#include "database/formula_completion.h"
#include "rig/derived_json.h"

namespace wavetrope::app {

class DeriveDesk::Change : public QUndoCommand {
public:
    Change(DeriveDesk& desk, std::vector<database::DerivedSpec> next, const QString& what, int sitting)
        : QUndoCommand(what), desk_(desk), before_(desk.all()), next_(std::move(next)), sitting_(sitting)
    {}
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }
    int id() const override { return sitting_; }
    bool mergeWith(const QUndoCommand* other) override
    {
        next_ = static_cast<const Change*>(other)->next_;
        return true;
    }

private:
    DeriveDesk& desk_;
    std::vector<database::DerivedSpec> before_, next_;
    int sitting_;
};

DeriveDesk::DeriveDesk(Stage& stage) : stage_(stage) { EditTimes::follow(undo_); }

const std::vector<database::DerivedSpec>& DeriveDesk::all() const { return stage_.document().rig().derived; }

std::size_t DeriveDesk::indexOf(const QString& name) const
{
    const std::string wanted = name.toStdString();
    return static_cast<std::size_t>(
        std::find_if(all().begin(), all().end(), [&](const database::DerivedSpec& one) { return one.name == wanted; }) - all().begin());
}

const database::DerivedSpec* DeriveDesk::find(const QString& name) const
{
    const std::size_t index = indexOf(name);
    return index < all().size() ? &all()[index] : nullptr;
}

Expected<void> DeriveDesk::put(const QString& name, database::DerivedSpec next, const QString& what, int sitting)
{
    const std::size_t index = indexOf(name);
    if (index == all().size())
        return fail("it is no longer there", "derived signal '" + name.toStdString() + "'");
    auto made = rig::withDerived(all(), index, std::move(next), stage_.catalog());
    if (!made)
        return tl::unexpected(made.error());
    if (*made != all())
        undo_.push(new Change(*this, std::move(*made), what, sitting));
    return {};
}

void DeriveDesk::add(const QString& curve)
{
    database::DerivedSpec spec;
    std::string base = "Derived";
    if (const auto source = curveOf(stage_.document().catalog(), curve)) {
        base = source->name().toStdString() + "Derived";
        spec.formula = source->isDerived() ? source->name().toStdString() : database::formulaName(stage_.catalog(), source->ref);
        spec.unit = source->unit().toStdString();
    }
    if (spec.formula.empty())
        spec.formula = "0";     // to be written
    spec.name = base;
    for (int i = 2; find(app::text(spec.name)) != nullptr; ++i)
        spec.name = base + std::to_string(i);
    std::vector<database::DerivedSpec> next = all();
    if (next.size() >= rig::mostDerived) {
        Q_EMIT stage_.told(tr("A rig has 1,000 derived signals at the most."));
        return;
    }
    const QString name = app::text(spec.name);
    next.push_back(std::move(spec));
    undo_.push(new Change(*this, std::move(next), tr("derive %1").arg(name), -1));
    Selection selection;
    selection.kind = Selection::Kind::derived;
    selection.node = name;
    stage_.select(selection);
    Q_EMIT stage_.plotWanted(QLatin1Char(':') + name);
    Q_EMIT writingWanted();
}

void DeriveDesk::remove(const QString& name)
{
    const std::size_t index = indexOf(name);
    if (index == all().size())
        return;
    std::vector<database::DerivedSpec> next = all();
    next.erase(next.begin() + static_cast<std::ptrdiff_t>(index));
    undo_.push(new Change(*this, std::move(next), tr("take %1 away").arg(name), -1));
    QStringList lacking;
    for (const database::DerivedSignal& one : stage_.catalog().derived())
        if (one.problem)
            lacking << app::text(one.spec.name);
    if (!lacking.isEmpty())
        Q_EMIT stage_.told(tr("%1 is taken away; without a value now: %2").arg(name, lacking.join(QStringLiteral(", "))));
}

void DeriveDesk::replace(const std::vector<database::DerivedSpec>& next)
{
    // One that is new in place of one that went has another name.
    const std::vector<database::DerivedSpec> before = all();
    QString from, to;
    if (before.size() == next.size())
        for (std::size_t i = 0; i < next.size(); ++i)
            if (before[i].name != next[i].name) {
                from = app::text(before[i].name);
                to = app::text(next[i].name);
            }
    stage_.document().rig().setDerived(next);
    stage_.takeCatalog(stage_.catalog().withDerived(next), [&] {
        if (!from.isEmpty())
            Q_EMIT renamed(from, to);
    });
    if (!from.isEmpty() && stage_.selection().kind == Selection::Kind::derived && stage_.selection().node == from) {
        Selection selection = stage_.selection();
        selection.node = to;
        stage_.select(selection);
    }
}

}  // namespace wavetrope::app
