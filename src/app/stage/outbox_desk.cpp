// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/outbox_desk.h"

#include <algorithm>

#include "app/parts/edit_times.h"
#include "app/parts/text.h"
#include "app/stage/stage.h"
#include "base/time_text.h"
#include "database/compose.h"
#include "drive/message_text.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

// A value as a rig writes it: a text of the signal by its name, else the number.
nlohmann::json valueOf(const database::Signal& signal, const database::SignalPlan& plan, std::uint64_t bits)
{
    if (const std::string_view text = database::textOf(signal, bits); !text.empty())
        return {{"label", std::string(text)}};
    const double value = plan.physicalOf(bits);
    if (value == std::floor(value) && std::abs(value) < 1e15)
        return static_cast<std::int64_t>(value);
    return value;
}

}  // namespace

class OutboxDesk::Change : public QUndoCommand {
public:
    Change(OutboxDesk& desk, nlohmann::json next, const QString& what)
        : QUndoCommand(what), desk_(desk), before_(desk.written()), next_(std::move(next))
    {}
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }

private:
    OutboxDesk& desk_;
    nlohmann::json before_, next_;
};

OutboxDesk::OutboxDesk(Stage& stage) : stage_(stage) { EditTimes::follow(undo_); }

const std::vector<drive::OutboxGroup>& OutboxDesk::groups() const { return stage_.document().rig().outbox; }

nlohmann::json OutboxDesk::written() const
{
    const nlohmann::json& document = stage_.document().rig().document;
    return document.contains("outbox") ? document["outbox"] : nlohmann::json();
}

std::vector<drive::OutboxRowFacts> OutboxDesk::facts() const
{
    if (const rig::Session* session = stage_.document().session())
        for (const drive::ActorReport& report : session->reports())
            if (const auto* facts = report.as<drive::OutboxFacts>())
                return facts->rows;
    return {};
}

// What cannot be read is told, and nothing is done.
Expected<void> OutboxDesk::put(nlohmann::json next, const QString& what)
{
    if (next == written())
        return {};
    rig::Rig trial;
    if (const auto set = trial.setOutbox(next); !set)
        return set;
    undo_.push(new Change(*this, std::move(next), what));
    return {};
}

void OutboxDesk::replace(const nlohmann::json& outbox)
{
    rig::Rig& rig = stage_.document().rig();
    if (!rig.setOutbox(outbox))
        return;
    if (rig::Session* session = stage_.document().session())
        session->post([groups = rig.outbox](rig::Session& run) { run.outbox().put(groups); });
    Q_EMIT changed();
}

Expected<void> OutboxDesk::setValue(std::size_t group, std::size_t row, const QString& signal, const QString& text)
{
    const drive::OutboxRow& spec = groups()[group].rows[row];
    const auto& catalog = *stage_.document().catalog();
    const std::string name = signal.toStdString();
    for (const database::CatalogMessage& message : catalog.messages()) {
        if (message.message->name != spec.message || catalog.busName(message.bus) != spec.bus)
            continue;
        for (std::uint32_t i = 0; i < message.message->signals.size(); ++i) {
            const database::Signal& one = message.message->signals[i];
            if (one.name != name)
                continue;
            const auto bits = database::bitsFromText(one, message.plan.plan(i), text.toStdString());
            if (!bits)
                return tl::unexpected(bits.error());
            if (const std::string outside = database::outsideWords(one, message.plan.plan(i), *bits); !outside.empty())
                return fail(outside);
            nlohmann::json next = written();
            next[group]["rows"][row]["signals"][name] = valueOf(one, message.plan.plan(i), *bits);
            return put(std::move(next), tr("%1 of %2").arg(signal, wavetrope::app::text(spec.message)));
        }
    }
    return fail("no database of " + spec.bus + " has " + spec.message + "." + name);
}

Expected<void> OutboxDesk::setBytes(std::size_t group, std::size_t row, const QString& text)
{
    const drive::OutboxRow& spec = groups()[group].rows[row];
    const bool fd = spec.frame.kind == can::FrameKind::fd;
    const auto typed = drive::messageFromText(
        can::toText(spec.frame.id) + (fd ? spec.frame.brs ? " fdbrs " : " fd " : " ") + text.trimmed().toStdString());
    if (!typed)
        return tl::unexpected(typed.error());
    if (!typed->frame)
        return fail("'" + text.toStdString() + "' are no bytes", {}, "Such as 11 22 33");
    nlohmann::json next = written();
    nlohmann::json& edited = next[group]["rows"][row];
    edited.erase("bytes");
    if (typed->frame->length != spec.frame.length) {
        edited["frame"] = drive::toText(typed->frame->view());
    } else {
        for (unsigned i = 0; i < spec.frame.length; ++i)
            if (typed->frame->data[i] != spec.frame.data[i])
                edited["bytes"][std::to_string(i)] = typed->frame->data[i];
    }
    return put(std::move(next), tr("bytes of %1").arg(wavetrope::app::text(can::toText(spec.frame.id))));
}

Expected<void> OutboxDesk::add(std::size_t group, const QString& text, unsigned bus)
{
    const auto typed = drive::messageFromText(text.toStdString());
    if (!typed)
        return tl::unexpected(typed.error());
    const auto& catalog = *stage_.document().catalog();
    if (bus >= catalog.busCount())
        return fail("there is no bus to send on");
    nlohmann::json row = {{"bus", catalog.busName(static_cast<std::uint8_t>(bus))}, {"starts", false}};
    if (typed->frame) {
        row["frame"] = drive::toText(typed->frame->view());
    } else {
        const database::CatalogMessage* found = nullptr;
        for (const database::CatalogMessage& message : catalog.messages())
            if (message.message->name == typed->name && (found == nullptr || message.bus == bus))
                found = &message;
        if (found == nullptr)
            return fail("no database of the rig has the message '" + typed->name + "'", {},
                "Type the name of one, or an identifier with bytes, such as 0x1F0 11 22 33");
        row["bus"] = catalog.busName(found->bus);
        row["message"] = typed->name;
        for (const auto& [name, value] : typed->values) {
            const database::Signal* signal = found->message->find(name);
            if (signal == nullptr)
                return fail("message " + typed->name + " has no signal '" + name + "'");
            const auto place = static_cast<std::uint32_t>(signal - found->message->signals.data());
            const auto bits = database::bitsFromText(*signal, found->plan.plan(place), value);
            if (!bits)
                return tl::unexpected(bits.error());
            row["signals"][name] = valueOf(*signal, found->plan.plan(place), *bits);
        }
        if (found->message->cycleTime.count() > 0)
            row["every"] = exactSpanText(found->message->cycleTime);
    }
    nlohmann::json next = written();
    if (!next.is_array() || next.empty())
        next = nlohmann::json::array({{{"name", tr("By hand").toStdString()}, {"rows", nlohmann::json::array()}}});
    nlohmann::json& rows = next[std::min(group, next.size() - 1)]["rows"];
    if (!rows.is_array())
        rows = nlohmann::json::array();
    rows.push_back(std::move(row));
    return put(std::move(next), tr("put %1 into the outbox").arg(text.section(QLatin1Char(' '), 0, 0)));
}

void OutboxDesk::remove(std::size_t group, std::size_t row)
{
    nlohmann::json next = written();
    next[group]["rows"].erase(row);
    (void)put(std::move(next), tr("take a row out of the outbox"));
}

void OutboxDesk::sendAnyway(std::size_t group, std::size_t row)
{
    nlohmann::json next = written();
    next[group]["rows"][row]["anyway"] = true;
    (void)put(std::move(next), tr("send all the same"));
}

std::vector<rig::Collision> OutboxDesk::collisions(std::size_t row) const
{
    std::vector<rig::Collision> out;
    if (rig::Session* session = stage_.document().session())
        session->call([&](rig::Session& run) {
            for (const rig::RowCollision& one : rig::collisionsOf(run.outbox(), run.actors(), *run.catalog()))
                if (one.row == row)
                    out.push_back(one.with);
        });
    return out;
}

void OutboxDesk::go(std::size_t row)
{
    if (rig::Session* session = stage_.document().session())
        session->post([row](rig::Session& run) { run.outbox().go(row); });
}

void OutboxDesk::hold(std::size_t row)
{
    if (rig::Session* session = stage_.document().session())
        session->post([row](rig::Session& run) { run.outbox().hold(row); });
}

void OutboxDesk::send(std::size_t row)
{
    if (rig::Session* session = stage_.document().session())
        session->post([row](rig::Session& run) { run.outbox().send(row); });
}

void OutboxDesk::startTogether(std::size_t group)
{
    if (rig::Session* session = stage_.document().session())
        session->post([group](rig::Session& run) { run.outbox().startTogether(group); });
}

void OutboxDesk::holdAll()
{
    if (rig::Session* session = stage_.document().session())
        session->post([](rig::Session& run) {
            for (std::size_t row = 0; row < run.outbox().rowCount(); ++row)
                run.outbox().hold(row);
        });
}

}  // namespace wavetrope::app
