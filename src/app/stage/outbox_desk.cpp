// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/outbox_desk.h"

#include "app/stage/protocol_desk.h"
#include "protocol/question.h"

#include <QFile>
#include <QMimeData>

#include <algorithm>
#include <numeric>

#include "app/parts/edit_times.h"
#include "app/parts/text.h"
#include "app/stage/signal_drag.h"
#include "app/stage/stage.h"
#include "base/replace_file.h"
#include "database/compose.h"
#include "drive/message_text.h"
#include "measure/identifier_stats.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

constexpr const char* rowsMime = "application/x-wavetrope-rows";
constexpr qint64 mostGroupBytes = 64 << 20;
constexpr qint64 oneStep = 1500;            // ms between values that are one step to undo
constexpr qint64 othersKept = 1000;         // ms
constexpr Time foreignCounts = std::chrono::seconds(5);
constexpr std::size_t beatsForPeriod = 8;

}  // namespace

class OutboxDesk::Change : public QUndoCommand {
public:
    Change(OutboxDesk& desk, nlohmann::json next, const QString& what, const QString& key)
        : QUndoCommand(what), desk_(desk), before_(desk.written()), next_(std::move(next)), key_(key)
    {
        since_.start();
    }
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }
    int id() const override { return key_.isEmpty() ? -1 : 1; }
    bool mergeWith(const QUndoCommand* other) override
    {
        const auto* later = static_cast<const Change*>(other);
        if (later->key_ != key_ || since_.elapsed() > oneStep)
            return false;
        next_ = later->next_;
        since_.start();
        return true;
    }

private:
    OutboxDesk& desk_;
    nlohmann::json before_, next_;
    QString key_;
    QElapsedTimer since_;
};

OutboxDesk::OutboxDesk(Stage& stage) : stage_(stage) { EditTimes::follow(undo_); }

const std::vector<drive::OutboxGroup>& OutboxDesk::groups() const { return stage_.document().rig().outbox; }

std::size_t OutboxDesk::numberOf(Place place) const
{
    std::size_t number = place.row;
    for (std::size_t g = 0; g < std::min(place.group, groups().size()); ++g)
        number += groups()[g].rows.size();
    return number;
}

std::optional<OutboxDesk::Place> OutboxDesk::placeOf(std::size_t number) const
{
    for (std::size_t g = 0; g < groups().size(); ++g) {
        if (number < groups()[g].rows.size())
            return Place{g, number};
        number -= groups()[g].rows.size();
    }
    return std::nullopt;
}

std::optional<OutboxDesk::Place> OutboxDesk::placeNamed(const QString& name) const
{
    const std::string group = name.section(QLatin1Char('/'), 0, 0).toStdString(), what = name.section(QLatin1Char('/'), 1).toStdString();
    for (std::size_t g = 0; g < groups().size(); ++g)
        for (std::size_t r = 0; r < groups()[g].rows.size() && groups()[g].name == group; ++r) {
            const drive::OutboxRow& one = groups()[g].rows[r];
            if (one.name() == what)
                return Place{g, r};
        }
    return std::nullopt;
}

nlohmann::json OutboxDesk::written() const
{
    const nlohmann::json& document = stage_.document().rig().document;
    return document.contains("outbox") ? document["outbox"] : nlohmann::json();
}

const std::vector<drive::OutboxRowFacts>& OutboxDesk::facts() const
{
    static const std::vector<drive::OutboxRowFacts> none;
    facts_.reset();
    held_ = false;
    if (const rig::Session* session = stage_.document().session())
        for (const drive::ActorReport& report : session->reports())
            if (const auto* facts = report.as<drive::OutboxFacts>()) {
                facts_ = facts->rows;
                held_ = facts->held;
            }
    return facts_ ? *facts_ : none;
}

const database::CatalogMessage* OutboxDesk::messageOf(const drive::OutboxRow& row) const
{
    return rig::messageOfRow(stage_.catalog(), row.bus, row.message);
}

// What cannot be read is told, and nothing is done.
Expected<void> OutboxDesk::edit(const QString& what, const Edit& change, const QString& key)
{
    nlohmann::json next = written();
    if (const auto done = change(next); !done)
        return done;
    if (next == written())
        return {};
    rig::Rig trial;
    if (const auto set = trial.setOutbox(next); !set)
        return set;
    undo_.push(new Change(*this, std::move(next), what, key));
    return {};
}

Expected<void> OutboxDesk::editRow(
    Place place, const QString& what, const std::function<Expected<void>(nlohmann::json&)>& change, const QString& key)
{
    return edit(what, [&](nlohmann::json& outbox) { return change(outbox[place.group]["rows"][place.row]); }, key);
}

void OutboxDesk::replace(const nlohmann::json& outbox)
{
    rig::Rig& rig = stage_.document().rig();
    if (!rig.setOutbox(outbox))
        return;
    collidedAt_.invalidate();
    post([groups = rig.outbox](drive::Outbox& run) { run.put(groups); });
    Q_EMIT changed();
}

Expected<void> OutboxDesk::setValue(Place place, const QString& signal, const QString& text)
{
    const drive::OutboxRow& spec = row(place);
    const database::CatalogMessage* message = messageOf(spec);
    if (message == nullptr)
        return fail("no database of " + spec.bus + " has " + spec.message + "." + signal.toStdString());
    const auto change = [&](nlohmann::json& edited) { return rig::setSignal(edited, *message, signal.toStdString(), text.toStdString()); };
    return editRow(place, tr("%1 of %2").arg(signal, wavetrope::app::text(spec.message)), change,
        QStringLiteral("%1/%2/%3").arg(place.group).arg(place.row).arg(signal));
}

Expected<void> OutboxDesk::setBits(Place place, std::uint32_t signal, std::uint64_t bits)
{
    const drive::OutboxRow& spec = row(place);
    const database::CatalogMessage* message = messageOf(spec);
    if (message == nullptr || signal >= message->message->signals.size())
        return fail("no database of " + spec.bus + " has " + spec.message);
    const database::Signal& one = message->message->signals[signal];
    if (const std::string outside = database::outsideWords(one, message->plan.plan(signal), bits); !outside.empty())
        return fail(outside);
    const auto change = [&](nlohmann::json& edited) -> Expected<void> {
        edited["signals"][one.name] = rig::writtenValue(one, message->plan.plan(signal), bits);
        return {};
    };
    return editRow(place, tr("%1 of %2").arg(text(one.name), text(spec.message)), change,
        QStringLiteral("%1/%2/%3").arg(place.group).arg(place.row).arg(text(one.name)));
}

Expected<void> OutboxDesk::setSource(Place place, const QString& signal, const nlohmann::json& source)
{
    const char* list = row(place).message.empty() ? "bytes" : "signals";
    const auto change = [&](nlohmann::json& edited) -> Expected<void> {
        if (!source.is_null())
            edited[list][signal.toStdString()] = source;
        else if (edited.contains(list))
            edited[list].erase(signal.toStdString());
        if (edited.contains(list) && edited[list].empty())
            edited.erase(list);
        return {};
    };
    return editRow(place, source.is_null() ? tr("start value of %1").arg(signal) : tr("source of %1").arg(signal), change);
}

Expected<void> OutboxDesk::setBytes(Place place, const QString& text)
{
    return editRow(place, tr("bytes of %1").arg(wavetrope::app::text(can::toText(row(place).frame.id))),
        [&](nlohmann::json& edited) { return rig::setBytes(edited, text.toStdString()); });
}

Expected<void> OutboxDesk::setForm(Place place, const rig::FrameForm& form)
{
    return editRow(place, tr("form of %1").arg(wavetrope::app::text(can::toText(row(place).frame.id))),
        [&](nlohmann::json& edited) { return rig::setForm(edited, form); });
}

Expected<void> OutboxDesk::toggleBit(Place place, unsigned bit)
{
    const drive::OutboxRow& spec = row(place);
    const database::CatalogMessage* message = messageOf(spec);
    const auto payload = rig::stillPayload(spec, message);
    if (!payload)
        return tl::unexpected(payload.error());
    return editRow(place, tr("a bit of %1").arg(text(spec.name())),
        [&](nlohmann::json& edited) { return rig::toggleBit(edited, message, *payload, bit); });
}

Expected<void> OutboxDesk::setFields(Place place, const nlohmann::json& fields, const QString& what)
{
    return editRow(place, what, [&](nlohmann::json& edited) -> Expected<void> {
        for (const auto& [name, value] : fields.items())
            if (value.is_null())
                edited.erase(name);
            else
                edited[name] = value;
        return {};
    });
}

Expected<void> OutboxDesk::setIdentifier(Place place, const QString& text)
{
    const drive::OutboxRow& spec = row(place);
    const auto typed = drive::messageFromText(text.trimmed().toStdString());
    if (!typed)
        return tl::unexpected(typed.error());
    if (!typed->frame || typed->frame->length > 0 || typed->frame->kind != can::FrameKind::data)
        return fail("'" + text.toStdString() + "' is no identifier", {}, "Such as 0x1F0, or 0x18FEF121");
    can::Frame frame = spec.frame;
    if (!spec.ask.empty())
        return fail("a question has no bytes of its own");
    if (const database::CatalogMessage* message = messageOf(spec)) {
        const std::size_t number = numberOf(place);
        frame = can::Frame{};
        frame.kind = message->message->fd ? can::FrameKind::fd : can::FrameKind::data;
        frame.brs = frame.kind == can::FrameKind::fd;
        if (rig::Session* session = stage_.document().session())
            session->call([&](rig::Session& run) {
                if (number < run.outbox().rowCount() && run.outbox().problem(number).empty())
                    frame = run.outbox().frame(number);
            });
        if (frame.length == 0) {
            const auto payload = rig::stillPayload(spec, message);
            if (!payload)
                return tl::unexpected(payload.error());
            if (payload->size() > can::maxLength)
                return fail(spec.message + " is longer than a frame");
            std::copy(payload->begin(), payload->end(), frame.data.begin());
            frame.length = static_cast<std::uint8_t>(payload->size());
            frame.dlc = can::dlcOfLength(frame.length);
        }
    }
    frame.id = typed->frame->id;
    return editRow(place, tr("another identifier"), [&](nlohmann::json& edited) -> Expected<void> {
        edited.erase("message");
        edited.erase("signals");
        edited.erase("anyway");
        edited["frame"] = drive::toText(frame.view());
        return {};
    });
}

void OutboxDesk::takeBack(Place place, std::optional<std::uint32_t> signal)
{
    const std::size_t number = numberOf(place);
    if (number >= facts().size())
        return;
    const drive::OutboxRow& spec = row(place);
    const database::CatalogMessage* message = messageOf(spec);
    (void)editRow(place, tr("take back what waits"), [&](nlohmann::json& edited) -> Expected<void> {
        for (const auto& waits : (*facts_)[number].waiting) {
            if (signal && waits.place != *signal)
                continue;
            if (message == nullptr) {
                edited["bytes"][std::to_string(waits.place)] = waits.onBus;
                continue;
            }
            const database::Signal& one = message->message->signals[waits.place];
            edited["signals"][one.name] = rig::writtenValue(one, message->plan.plan(waits.place), waits.onBus);
        }
        return {};
    });
}

// Behind all others, or in front of a place; and seen.
void OutboxDesk::insert(std::optional<Place> before, const std::vector<nlohmann::json>& rows, const QString& what)
{
    const Place at = before ? *before : Place{groups().empty() ? 0 : groups().size() - 1, ~std::size_t{0} >> 1};
    const auto done = edit(what, [&](nlohmann::json& outbox) -> Expected<void> {
        rig::insertRows(outbox, at, rows);
        return {};
    });
    if (!done) {
        Q_EMIT stage_.told(text(done.error().text()));
        return;
    }
    const std::size_t group = std::min(at.group, groups().size() - 1);
    Q_EMIT added(numberOf({group, std::min(at.row, groups()[group].rows.size() - rows.size())}));
}

Expected<void> OutboxDesk::add(std::size_t group, const QString& text, unsigned bus)
{
    if (const QString words = text.trimmed(); words.startsWith(QLatin1String("ask "))) {
        const QString asked = words.mid(4).trimmed();
        const auto question = protocol::questionFromText(
            asked.toStdString(), [&](std::uint8_t node) { return stage_.protocols().dictionaryOf(static_cast<std::uint8_t>(bus), node); });
        if (!question)
            return tl::unexpected(question.error());
        if (bus >= stage_.document().buses().size())
            return fail("there is no bus to ask on");
        const std::size_t into = groups().empty() ? 0 : std::min(group, groups().size() - 1);
        insert(Place{into, ~std::size_t{0} >> 1},
            {{{"bus", stage_.document().busName(bus)}, {"ask", asked.toStdString()}, {"starts", false}}},
            tr("put a question into the outbox"));
        return {};
    }
    auto made = rig::rowFromText(stage_.catalog(), text.toStdString(), static_cast<std::uint8_t>(std::min(bus, 255U)));
    if (!made)
        return tl::unexpected(made.error());
    const std::size_t into = groups().empty() ? 0 : std::min(group, groups().size() - 1);
    insert(Place{into, ~std::size_t{0} >> 1}, {std::move(*made)},
        tr("put %1 into the outbox").arg(text.trimmed().section(QLatin1Char(' '), 0, 0)));
    return {};
}

void OutboxDesk::addSeen(std::uint8_t bus, can::Identifier id, std::optional<Place> before)
{
    const trace::Snapshot& snapshot = stage_.snapshot();
    const auto* message = stage_.catalog().find(bus, id);
    const QString name = text(message != nullptr ? message->message->name : can::toText(id));
    nlohmann::json made;
    if (const auto known = snapshot.valid() ? snapshot.trace().find({bus, false, id}) : std::nullopt) {
        const trace::Row limit = stage_.cursorRow() == trace::noRow ? 0 : stage_.cursorRow() + 1;
        const measure::IdentifierMoment moment = measure::momentOf(snapshot, *known, limit, beatsForPeriod);
        if (moment.row != trace::noRow) {
            // As the database says where it goes by that, else as it came.
            Time period = moment.beats.size() > 2 ? moment.mean() : Time{0};
            if (message != nullptr && message->message->cycleTime.count() > 0 && period.count() > 0
                && std::abs(period.count() - message->message->cycleTime.count()) * 10 < message->message->cycleTime.count())
                period = message->message->cycleTime;
            else if (period > std::chrono::milliseconds(1))
                period = std::chrono::round<std::chrono::microseconds>(period / 100) * 100;
            made = rig::rowFromFrame(stage_.catalog(), snapshot.frame(moment.row), period);
        }
    }
    if (made.is_null() && message != nullptr)
        made = rig::rowFromMessage(stage_.catalog(), *message);
    if (made.is_null())
        made = {{"bus", stage_.catalog().busName(bus)}, {"frame", can::toText(id)}, {"starts", false}};
    insert(before, {made}, tr("put %1 into the outbox").arg(name));
}

void OutboxDesk::addFrame(const can::FrameView& frame)
{
    insert({}, {rig::rowFromFrame(stage_.catalog(), frame, Time{0})}, tr("put %1 into the outbox").arg(text(can::toText(frame.id))));
}

void OutboxDesk::addNode(const QString& node)
{
    std::vector<nlohmann::json> rows;
    const database::Catalog& catalog = stage_.catalog();
    for (const database::CatalogMessage& message : catalog.messages())
        if (message.message->sender == node.toStdString())
            rows.push_back(rig::rowFromMessage(catalog, message));
    if (rows.empty()) {
        Q_EMIT stage_.told(tr("No database says what %1 sends").arg(node));
        return;
    }
    const auto done = edit(tr("put all that %1 sends into the outbox").arg(node), [&](nlohmann::json& outbox) -> Expected<void> {
        if (!outbox.is_array())
            outbox = nlohmann::json::array();
        outbox.push_back({{"name", rig::freeGroupName(outbox, node.toStdString())},
            {"comment", tr("stands in for %1").arg(node).toStdString()}, {"rows", rows}});
        return {};
    });
    if (done)
        Q_EMIT added(numberOf({groups().size() - 1, 0}));
}

void OutboxDesk::addDropped(const QMimeData* mime, std::optional<Place> before)
{
    const Sendable what = sendableIn(stage_.catalog(), mime);
    if (what.messages.size() + static_cast<std::size_t>(what.nodes.size()) > 1)
        undo_.beginMacro(tr("put messages into the outbox"));
    for (const QString& node : what.nodes)
        addNode(node);
    for (const auto& [bus, id] : what.messages)
        addSeen(bus, id, before);
    if (what.messages.size() + static_cast<std::size_t>(what.nodes.size()) > 1)
        undo_.endMacro();
}

QMimeData* OutboxDesk::copied(const std::vector<Place>& rows) const
{
    auto* mime = new QMimeData;
    const nlohmann::json outbox = written();
    nlohmann::json list = nlohmann::json::array();
    QStringList lines = {QStringLiteral("message\tevery\tbus\tcomment")};
    for (const Place& place : rows) {
        list.push_back(outbox[place.group]["rows"][place.row]);
        lines << text(rig::textOfRow(list.back()));
    }
    mime->setData(QLatin1String(rowsMime), QByteArray::fromStdString(list.dump()));
    mime->setText(lines.join(QLatin1Char('\n')));
    return mime;
}

Expected<void> OutboxDesk::paste(const QMimeData* mime, Place before, unsigned bus)
{
    std::vector<nlohmann::json> rows;
    if (mime->hasFormat(QLatin1String(rowsMime))) {
        const auto list = nlohmann::json::parse(mime->data(QLatin1String(rowsMime)).toStdString(), nullptr, false);
        if (list.is_array())
            rows.assign(list.begin(), list.end());
    }
    if (rows.empty()) {
        auto read = rig::rowsFromText(stage_.catalog(), mime->text().toStdString(), static_cast<std::uint8_t>(bus));
        if (!read)
            return tl::unexpected(read.error());
        rows = std::move(*read);
    }
    insert(before, rows, rows.size() == 1 ? tr("paste a row") : tr("paste %1 rows").arg(rows.size()));
    return {};
}

void OutboxDesk::duplicate(const std::vector<Place>& rows)
{
    if (rows.empty())
        return;
    const nlohmann::json outbox = written();
    std::vector<nlohmann::json> again;
    for (const Place& place : rows)
        again.push_back(outbox[place.group]["rows"][place.row]);
    insert(Place{rows.back().group, rows.back().row + 1}, again, tr("duplicate"));
}

void OutboxDesk::remove(const std::vector<Place>& rows)
{
    (void)edit(rows.size() == 1 ? tr("take a row out of the outbox") : tr("take %1 rows out of the outbox").arg(rows.size()),
        [&](nlohmann::json& outbox) -> Expected<void> {
            rig::removeRows(outbox, rows);
            return {};
        });
}

OutboxDesk::Place OutboxDesk::move(const std::vector<Place>& rows, Place before)
{
    Place at = rows.front();
    (void)edit(tr("move rows"), [&](nlohmann::json& outbox) -> Expected<void> {
        at = rig::moveRows(outbox, rows, before);
        return {};
    });
    return at;
}

void OutboxDesk::addGroup()
{
    (void)edit(tr("a new group"), [](nlohmann::json& outbox) -> Expected<void> {
        if (!outbox.is_array())
            outbox = nlohmann::json::array();
        outbox.push_back({{"name", rig::freeGroupName(outbox, tr("Group").toStdString())}, {"rows", nlohmann::json::array()}});
        return {};
    });
}

Expected<void> OutboxDesk::setGroup(std::size_t group, const char* field, const QString& text)
{
    return edit(tr("%1 of a group").arg(QLatin1String(field)), [&](nlohmann::json& outbox) -> Expected<void> {
        if (text.trimmed().isEmpty() && QLatin1String(field) != QLatin1String("name"))
            outbox[group].erase(field);
        else
            outbox[group][field] = text.trimmed().toStdString();
        return {};
    });
}

void OutboxDesk::removeGroup(std::size_t group)
{
    (void)edit(tr("take a group out of the outbox"), [&](nlohmann::json& outbox) -> Expected<void> {
        outbox.erase(group);
        return {};
    });
}

Expected<void> OutboxDesk::saveGroup(std::size_t group, const QString& path) const
{
    return replaceFile(path.toStdString(), rig::groupAsFile(written()[group]).dump(2) + "\n");
}

Expected<void> OutboxDesk::readGroup(const QString& path)
{
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly))
        return fail("cannot be read: " + file.errorString().toStdString(), path.toStdString());
    if (file.size() > mostGroupBytes)
        return fail("is larger than any group of rows", path.toStdString());
    auto group = rig::groupFromFile(file.readAll().toStdString());
    if (!group) {
        Error error = group.error();
        error.where = path.toStdString() + (error.where.empty() ? "" : ", " + error.where);
        return tl::unexpected(error);
    }
    return edit(tr("a group from a file"), [&](nlohmann::json& outbox) -> Expected<void> {
        if (!outbox.is_array())
            outbox = nlohmann::json::array();
        (*group)["name"] = rig::freeGroupName(outbox, (*group)["name"].get<std::string>());
        outbox.push_back(*group);
        return {};
    });
}

void OutboxDesk::lookForOthers() const
{
    others_.clear();
    collided_.clear();
    collidedAt_.start();
    if (rig::Session* session = stage_.document().session())
        session->call([this](rig::Session& run) {
            for (rig::RowCollision& one : rig::collisionsOf(run.outbox(), run.actors(), *run.catalog()))
                collided_[one.row].push_back(std::move(one));
        });
}

const std::vector<OutboxDesk::Other>& OutboxDesk::others(std::size_t number, bool now) const
{
    if (now || !collidedAt_.isValid() || collidedAt_.elapsed() > othersKept)
        lookForOthers();
    const auto [known, fresh] = others_.try_emplace(number);
    std::vector<Other>& out = known->second;
    const auto place = placeOf(number);
    if (!fresh || !place || stage_.document().session() == nullptr || row(*place).anyway)
        return out;
    if (const auto found = collided_.find(number); found != collided_.end())
        for (const rig::RowCollision& one : found->second) {
            const QString what = text(one.with.message.empty() ? can::toText(one.with.id) : one.with.message);
            if (one.otherRow)
                out.push_back({tr("another row sends %1 too").arg(what), {}, one.otherRow});
            else
                out.push_back(
                    {(one.with.node == "playback" ? tr("%1 sends %2 too: two senders") : tr("%1 (simulated) sends %2 too: two senders"))
                            .arg(text(one.with.node), what),
                        text(one.with.node), {}});
        }
    if (const auto& rows = facts(); out.empty() && number < rows.size())
        if (const drive::OutboxRowFacts& seen = rows[number]; seen.foreign > 0 && seen.told - seen.foreignLast < foreignCounts)
            out.push_back({tr("%1 came from the bus %2 ms ago: two senders")
                               .arg(text(row(*place).name()))
                               .arg((seen.told - seen.foreignLast).count() / 1'000'000),
                {}, {}});
    return out;
}

void OutboxDesk::takeOut(const Other& other)
{
    collidedAt_.invalidate();
    if (other.row)
        return hold(*other.row);
    if (rig::Session* session = stage_.document().session(); session != nullptr && !other.node.isEmpty())
        session->post([name = other.node.toStdString()](rig::Session& run) {
            if (drive::Actor* actor = run.actor(name))
                actor->setOn(false);
        });
}

void OutboxDesk::sendAnyway(Place place) { (void)setFields(place, {{"anyway", true}}, tr("send all the same")); }

void OutboxDesk::post(std::function<void(drive::Outbox&)> act) const
{
    if (rig::Session* session = stage_.document().session())
        session->post([act = std::move(act)](rig::Session& run) { act(run.outbox()); });
}

QString OutboxDesk::unable() const
{
    rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return tr("Nothing goes out: this is a log");
    return session->running() ? QString() : tr("Nothing goes out: nothing runs. Start the run first");
}

void OutboxDesk::go(std::size_t number)
{
    post([number](drive::Outbox& run) {
        if (number < run.rowCount())
            run.go(number);
    });
}

void OutboxDesk::hold(std::size_t number)
{
    post([number](drive::Outbox& run) {
        if (number < run.rowCount())
            run.hold(number);
    });
}

void OutboxDesk::send(std::size_t number)
{
    post([number](drive::Outbox& run) {
        if (number < run.rowCount())
            run.send(number);
    });
}

void OutboxDesk::startTogether(std::size_t group)
{
    post([group](drive::Outbox& run) {
        if (group < run.groups().size())
            run.startTogether(group);
    });
}

void OutboxDesk::holdGroup(std::size_t group)
{
    const std::size_t first = numberOf({group, 0}), count = groups()[group].rows.size();
    post([first, count](drive::Outbox& run) {
        for (std::size_t i = first; i < std::min(first + count, run.rowCount()); ++i)
            run.hold(i);
    });
}

void OutboxDesk::setHeld(bool held)
{
    post([held](drive::Outbox& run) { run.setOn(!held); });
}

bool OutboxDesk::key(const QString& key, bool down)
{
    const std::string name = key.toStdString();
    const QString why = unable();
    bool found = false;
    std::size_t number = 0;
    for (const drive::OutboxGroup& group : groups())
        for (const drive::OutboxRow& one : group.rows) {
            const std::size_t at = number++;
            if (one.key != name)
                continue;
            if (down && !why.isEmpty() && !found)
                Q_EMIT stage_.told(why);
            found = true;
            if (down && !why.isEmpty())
                continue;
            // Before its first frame whoever else sends it is named, as by the control.
            if (down && !others(at, true).empty()) {
                Q_EMIT asked(at);
                continue;
            }
            keyOf(at, down);
        }
    return found;
}

void OutboxDesk::keyOf(std::size_t number, bool down)
{
    post([number, down](drive::Outbox& run) {
        if (number < run.rowCount())
            run.key(number, down);
    });
}

void OutboxDesk::tryBits(std::size_t number, std::uint32_t signal, std::uint64_t bits)
{
    post([=](drive::Outbox& run) {
        if (number < run.rowCount() && run.problem(number).empty())
            run.set(number, signal, bits);
    });
}

}  // namespace wavetrope::app
