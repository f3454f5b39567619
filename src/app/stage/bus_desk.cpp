// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/bus_desk.h"

#include <algorithm>

#include "app/parts/edit_times.h"
#include "app/parts/text.h"
#include "app/stage/desk.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

class BusDesk::Change : public QUndoCommand {
public:
    Change(BusDesk& desk, rig::BusPlan next, const QString& what)
        : QUndoCommand(what), desk_(desk), before_(desk.plan()), next_(std::move(next))
    {}
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }

private:
    BusDesk& desk_;
    rig::BusPlan before_, next_;
};

BusDesk::BusDesk(Stage& stage) : stage_(stage), plan_(rig::busesIn(stage.document().rig()))
{
    EditTimes::follow(undo_);
    mark(stage.document().rig());
}

// What the plan says, or, where nothing has been planned yet, the rig: what was attached to a bus meanwhile is in it.
rig::BusPlan BusDesk::present() const { return changed_ ? plan_ : rig::busesIn(stage_.document().rig()); }

bool BusDesk::differs() const
{
    return changed_ && rig::withoutMarks(plan_.buses) != rig::withoutMarks(rig::busesIn(stage_.document().rig()).buses);
}

// A bus that has a new name keeps its mark in the run that goes on under the old one.
void BusDesk::mark(const rig::Rig& rig)
{
    planMarks_ = rig::marksOf(rig.buses);
    marks_.clear();
    for (std::size_t i = 0; i < planMarks_.size(); ++i) {
        std::string name = rig.buses[i].name;
        marks_[name] = planMarks_[i];
        for (auto rename = plan_.renames.rbegin(); rename != plan_.renames.rend(); ++rename)
            if (rename->second == name) {
                name = rename->first;
                marks_.emplace(name, planMarks_[i]);
            }
    }
}

BusMark shown(const rig::BusMark& mark) { return {QString(QChar::fromLatin1(mark.letter)), mark.hue, mark.again}; }

BusMark BusDesk::mark(unsigned bus) const
{
    const std::vector<trace::TraceBus>& buses = stage_.document().buses();
    if (bus < buses.size())
        if (const auto known = marks_.find(buses[bus].name); known != marks_.end())
            return shown(known->second);
    return {bus};
}

BusMark BusDesk::markOfPlan(std::size_t index) const
{
    return index < planMarks_.size() ? shown(planMarks_[index]) : BusMark(static_cast<unsigned>(index));
}

nlohmann::json BusDesk::document() const
{
    const rig::Rig& rig = stage_.document().rig();
    return changed_ ? rig::documentWith(rig.document, plan_) : rig.document;
}

Expected<rig::Rig> BusDesk::planned() const { return rig::planned(stage_.document().rig(), plan_); }

void BusDesk::replace(const rig::BusPlan& plan)
{
    plan_ = plan;
    changed_ = plan_ != rig::busesIn(stage_.document().rig());
    const std::vector<rig::BusMark> before = planMarks_;
    if (const auto rig = planned())
        mark(*rig);
    if (before != planMarks_)
        Q_EMIT Theme::get().changed();      // all that was painted with a hue
    Q_EMIT changed();
}

Expected<void> BusDesk::put(rig::BusPlan next, const QString& what)
{
    if (const auto good = rig::planned(stage_.document().rig(), next); !good)
        return tl::unexpected(good.error());
    if (next != plan_)
        undo_.push(new Change(*this, std::move(next), what));
    return {};
}

Expected<void> BusDesk::set(std::size_t index, rig::BusField field, const QString& typed)
{
    rig::BusPlan next = rig::withBusField(present(), index, field, typed.toStdString());
    const std::string name = rig::busFieldText(next.buses[std::min<std::size_t>(index, next.buses.size() - 1)], rig::BusField::name);
    return put(std::move(next), tr("change the bus %1").arg(text(name)));
}

std::size_t BusDesk::add()
{
    rig::BusPlan next = present();
    std::string name;
    for (std::size_t number = next.buses.size() + 1;; ++number) {
        name = tr("Bus %1").arg(number).toStdString();
        if (std::none_of(next.buses.begin(), next.buses.end(),
                [&](const nlohmann::json& bus) { return rig::busFieldText(bus, rig::BusField::name) == name; }))
            break;
    }
    next.buses.push_back({{"name", name}, {"rate", "500k"}});
    (void)put(std::move(next), tr("add the bus %1").arg(text(name)));
    return plan_.buses.size() - 1;
}

Expected<void> BusDesk::remove(std::size_t index)
{
    rig::BusPlan next = present();
    const std::string name = rig::busFieldText(next.buses[index], rig::BusField::name);
    next.buses.erase(index);
    return put(std::move(next), tr("take out the bus %1").arg(text(name)));
}

void BusDesk::move(std::size_t index, int by)
{
    rig::BusPlan next = present();
    const auto to = static_cast<std::ptrdiff_t>(index) + by;
    if (to < 0 || to >= static_cast<std::ptrdiff_t>(next.buses.size()))
        return;
    std::swap(next.buses[index], next.buses[static_cast<std::size_t>(to)]);
    (void)put(std::move(next), tr("move a bus"));
}

}  // namespace wavetrope::app
