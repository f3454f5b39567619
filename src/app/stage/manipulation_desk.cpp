// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/manipulation_desk.h"

#include <QRegularExpression>

#include <algorithm>

#include "app/parts/edit_times.h"
#include "app/stage/stage.h"
#include "rig/manipulations.h"

namespace wavetrope::app {

class ManipulationDesk::Change : public QUndoCommand {
public:
    Change(ManipulationDesk& desk, Kept before, Kept next, const QString& what)
        : QUndoCommand(what), desk_(desk), before_(std::move(before)), next_(std::move(next))
    {}
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }

private:
    ManipulationDesk& desk_;
    Kept before_, next_;
};

ManipulationDesk::ManipulationDesk(Stage& stage) : stage_(stage) { EditTimes::follow(undo_); }

const ManipulationDesk::Kept& ManipulationDesk::kept() const { return stage_.document().rig().manipulations; }

std::vector<ManipulationDesk::Row> ManipulationDesk::rows() const
{
    std::vector<Row> out;
    for (const rig::KeptManipulation& one : kept())
        out.push_back({QString::fromStdString(one.name), QString::fromStdString(one.fault ? one.fault->bus : one.does.node),
            QString::fromStdString(one.does.text), true, one.acts, false, one.fault.has_value(), {}});
    const std::size_t own = out.size();
    const rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return out;
    // Those that the run knows belong to the rig's of the same words; what is left somebody else has asked for.
    const auto add = [&](const QString& whose, bool wire, const drive::ManipulationFacts& facts) {
        const QString text = QString::fromStdString(facts.text);
        const auto end = out.begin() + static_cast<std::ptrdiff_t>(own);
        const auto found = std::find_if(out.begin(), end, [&](const Row& row) { return row.text == text && row.acts && !row.running; });
        if (found == end) {
            out.push_back({{}, whose, text, false, true, true, wire, facts});
            return;
        }
        found->running = true;
        found->facts = facts;
    };
    for (const drive::ActorReport& report : session->reports()) {
        if (const auto* node = report.as<drive::NodeFacts>(); node != nullptr)
            for (const drive::ManipulationFacts& facts : node->manipulations)
                add(QString::fromStdString(report.name), false, facts);
        if (const auto* wires = report.as<drive::WireFaultList>(); wires != nullptr)
            for (const drive::WireFaultRow& row : wires->rows)
                add(QString::fromStdString(stage_.document().busName(row.bus)), true,
                    {row.text, row.since, row.acts, row.over, row.harmed});
    }
    return out;
}

std::vector<ManipulationDesk::Row> ManipulationDesk::actingOf(const QString& node) const
{
    std::vector<Row> out = rows();
    std::erase_if(out, [&](const Row& row) { return row.node != node || !row.running || !row.facts.acts || row.facts.done; });
    return out;
}

QString ManipulationDesk::beginningFor(std::uint8_t bus, can::Identifier id) const
{
    const rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return {};
    const auto* entry = stage_.catalog().find(bus, id);
    const std::string message = entry != nullptr ? entry->message->name : can::toText(id);
    const auto quoted = [](const std::string& name) {
        const QString text = QString::fromStdString(name);
        return text.contains(' ') ? '"' + text + '"' : text;
    };
    for (const rig::NodeReport& report : session->nodeReports())
        for (const drive::NodeSpec& node : stage_.document().rig().nodes)
            if (report.on && node.name == report.name)
                for (const drive::SendSpec& send : node.sends)
                    if (send.message == message || (send.message.empty() && can::identifierFromText(send.identifier) == id))
                        return quoted(node.name) + ' ' + quoted(message);
    return {};
}

Expected<void> ManipulationDesk::add(const QString& typed)
{
    static const QRegularExpression named(QStringLiteral("^([^\":=]*[^\":= ]):\\s+(.*)$"));
    const auto match = named.match(typed.trimmed());
    const QString name = match.hasMatch() ? match.captured(1).trimmed() : QString();
    auto wanted = rig::manipulationFrom((match.hasMatch() ? match.captured(2) : typed).toStdString());
    if (!wanted)
        return tl::unexpected(wanted.error());
    Kept next = kept();
    const auto same = std::find_if(next.begin(), next.end(), [&](const auto& one) { return one.does.text == wanted->does.text; });
    if (same != next.end() && same->acts)
        return fail("'" + wanted->does.text + "' acts already");
    if (rig::Session* session = stage_.document().session(); session != nullptr) {
        // Tried first, so that what cannot be done is no step to take back.
        Expected<void> done;
        session->call([&](rig::Session& run) {
            done = rig::manipulate(run, *wanted);
            if (done)
                rig::lift(run, *wanted);
        });
        if (!done)
            return done;
    }
    const QString what = tr("change %1").arg(QString::fromStdString(wanted->fault ? wanted->fault->bus : wanted->does.node));
    if (same != next.end()) {
        same->acts = true;
        same->name = name.isEmpty() ? same->name : name.toStdString();
    } else {
        wanted->name = name.toStdString();
        wanted->acts = true;
        next.push_back(std::move(*wanted));
    }
    put(std::move(next), what);
    return {};
}

void ManipulationDesk::setActs(const Row& row, bool acts)
{
    if (!row.kept)
        return liftForeign(row);
    Kept next = kept();
    for (rig::KeptManipulation& one : next)
        if (QString::fromStdString(one.does.text) == row.text)
            one.acts = acts;
    put(std::move(next), acts ? tr("change %1").arg(row.node) : tr("lift what changes %1").arg(row.node));
}

void ManipulationDesk::liftAll()
{
    for (const Row& row : rows())
        if (!row.kept)
            liftForeign(row);
    Kept next = kept();
    const bool any = std::any_of(next.begin(), next.end(), [](const auto& one) { return one.acts; });
    for (rig::KeptManipulation& one : next)
        one.acts = false;
    if (any)
        put(std::move(next), tr("lift all"));
    Q_EMIT changed();
}

void ManipulationDesk::again(const Row& row)
{
    const auto wanted = rig::manipulationFrom(row.text.toStdString());
    if (rig::Session* session = stage_.document().session(); session != nullptr && wanted)
        session->call([&](rig::Session& run) {
            rig::lift(run, *wanted);
            (void)rig::manipulate(run, *wanted);
        });
    Q_EMIT changed();
}

void ManipulationDesk::liftForeign(const Row& row)
{
    const auto wanted = rig::manipulationFrom(row.text.toStdString());
    if (rig::Session* session = stage_.document().session(); session != nullptr && wanted)
        session->call([&](rig::Session& run) { rig::lift(run, *wanted); });
    Q_EMIT changed();
}

void ManipulationDesk::remove(const Row& row)
{
    if (!row.kept)
        return liftForeign(row);
    Kept next = kept();
    std::erase_if(next, [&](const auto& one) { return QString::fromStdString(one.does.text) == row.text; });
    put(std::move(next), tr("take out what changes %1").arg(row.node));
}

void ManipulationDesk::rename(const Row& row, const QString& name)
{
    Kept next = kept();
    const auto found = std::find_if(
        next.begin(), next.end(), [&](const auto& one) { return QString::fromStdString(one.does.text) == row.text; });
    if (found != next.end()) {
        found->name = name.trimmed().toStdString();
    } else if (auto wanted = rig::manipulationFrom(row.text.toStdString())) {
        liftForeign(row);  // the rig's own goes on from here
        wanted->name = name.trimmed().toStdString();
        wanted->acts = true;
        next.push_back(std::move(*wanted));
    }
    put(std::move(next), tr("keep what changes %1").arg(row.node));
}

void ManipulationDesk::put(Kept next, const QString& what) { undo_.push(new Change(*this, kept(), std::move(next), what)); }

void ManipulationDesk::replace(const Kept& next)
{
    const Kept before = kept();
    stage_.document().rig().setManipulations(next);
    if (rig::Session* session = stage_.document().session(); session != nullptr)
        session->call([&](rig::Session& run) { (void)rig::follow(run, before, next); });
    Q_EMIT changed();
}

}  // namespace wavetrope::app
