// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/protocol_desk.h"

#include <QApplication>
#include <QUndoCommand>

#include <algorithm>

#include "app/parts/text.h"
#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/stage/desk.h"
#include "app/stage/background_scan.h"
#include "app/stage/newest_work.h"
#include "drive/asker.h"
#include "measure/coverage.h"

namespace wavetrope::app {

namespace {

constexpr qint64 askedAgainAfter = 200;  // ms
constexpr int broughtUpAgain = 60;
constexpr trace::Row rowsBetweenStates = 65'536, rowsInFront = 4'096;
constexpr std::size_t mostTransfers = 200'000;

}  // namespace

// Belongs to the work; what it has is brought over by value.
struct ProtocolDesk::Following {
    using Dictionaries = std::map<std::pair<std::uint8_t, std::uint8_t>, std::shared_ptr<const protocol::Dictionary>>;
    Following(std::vector<std::vector<protocol::Spoken>> of, Dictionaries known, std::shared_ptr<const protocol::Names> names)
        : spoken(std::move(of)), dictionaries(std::move(known)), newest(std::move(names))
    {
        for (const auto& [node, dictionary] : dictionaries)
            reviews.emplace(node, protocol::DictionaryReview(*dictionary, node.second));
        for (std::size_t bus = 0; bus < spoken.size(); ++bus)
            stream.speak(static_cast<std::uint8_t>(bus), spoken[bus]);
        states.push_back({0, newest});
    }
    struct State {
        trace::Row row;
        protocol::Network network;
    };
    // False where it was told to end.
    bool advance(const trace::Snapshot& snapshot, const std::function<bool()>& goesOn)
    {
        for (; next < snapshot.rows(); ++next) {
            if (next % rowsInFront == 0 && !goesOn())
                return false;
            if (next - states.back().row >= rowsBetweenStates)
                states.push_back({next, newest});
            if (snapshot.trace().isGone(next))
                stream.skip(1);
            else
                stream.onFrame(snapshot.frame(next));
        }
        return true;
    }
    // As they were when a row had come.
    [[nodiscard]] protocol::Network at(const trace::Snapshot& snapshot, trace::Row row) const
    {
        auto state = std::upper_bound(
            states.begin(), states.end(), row, [](trace::Row wanted, const State& one) { return wanted < one.row; });
        if (state != states.begin())
            --state;
        protocol::Network network = state->network;
        trace::Row from = state->row > rowsInFront ? state->row - rowsInFront : 0;
        while (from < row && snapshot.trace().isGone(from))
            ++from;
        const trace::Row begun = from, taken = state->row;
        protocol::MessageStream again(
            [&](const protocol::MessageRow& message) {
                if (message.number + begun >= taken)
                    network.take(message);
            },
            [](const protocol::Transfer&) {});
        for (std::size_t bus = 0; bus < spoken.size(); ++bus)
            again.speak(static_cast<std::uint8_t>(bus), spoken[bus]);
        for (; from <= row && from < snapshot.rows(); ++from)
            again.onFrame(snapshot.frame(from));
        again.finish();
        return network;
    }

    std::vector<std::vector<protocol::Spoken>> spoken;
    Dictionaries dictionaries;
    std::map<std::pair<std::uint8_t, std::uint8_t>, protocol::DictionaryReview> reviews;
    protocol::Network newest;
    std::vector<State> states;
    std::vector<protocol::Transfer> ended;  // since they were brought over
    std::uint64_t whole = 0, broken = 0;
    trace::Row next = 0;
    bool finished = false;
    protocol::MessageStream stream{[this](const protocol::MessageRow& row) {
                                       newest.take(row);
                                       for (auto& [node, review] : reviews)
                                           if (node.first == row.bus)
                                               review.take(row);
                                   },
        [this](const protocol::Transfer& transfer) {
            ++(transfer.ended == protocol::Ended::whole ? whole : broken);
            if (ended.size() >= mostTransfers)
                return;
            protocol::Transfer kept = transfer;     // numbers and bytes of long ones are let go below
            if (kept.data.size() > bytesKept)
                kept.data = {};
            kept.numbers = {transfer.numbers.front(), transfer.numbers.back()};
            ended.push_back(std::move(kept));
        }};
};

// What a bus speaks became something else, in the rig.
class ProtocolDesk::Change final : public QUndoCommand {
public:
    Change(ProtocolDesk& desk, std::string bus, nlohmann::json before, nlohmann::json after)
        : QUndoCommand(tr("What %1 speaks").arg(app::text(bus))),
          desk_(desk),
          bus_(std::move(bus)),
          before_(std::move(before)),
          after_(std::move(after))
    {}
    void undo() override { (void)desk_.replace(bus_, before_); }
    void redo() override { (void)desk_.replace(bus_, after_); }

private:
    ProtocolDesk& desk_;
    std::string bus_;
    nlohmann::json before_, after_;
};

// A node has another dictionary, in the rig.
class ProtocolDesk::Attachment final : public QUndoCommand {
public:
    Attachment(ProtocolDesk& desk, std::string bus, std::uint8_t node, std::string before, std::string after)
        : QUndoCommand(tr("Dictionary of node %1").arg(node)),
          desk_(desk),
          bus_(std::move(bus)),
          node_(node),
          before_(std::move(before)),
          after_(std::move(after))
    {}
    void undo() override { (void)desk_.place(bus_, node_, before_); }
    void redo() override { (void)desk_.place(bus_, node_, after_); }

private:
    ProtocolDesk& desk_;
    std::string bus_;
    std::uint8_t node_;
    std::string before_, after_;
};

ProtocolDesk::ProtocolDesk(Stage& stage) : stage_(stage), work_(new NewestWork(this))
{
    connect(&stage, &Stage::beat, this, [this] {
        learn();
        followOn();
        bringUp();
    });
    connect(&stage, &Stage::axisChanged, this, &ProtocolDesk::followOn);
    for (auto anew : {&Stage::catalogChanged, &Stage::becameReady})
        connect(&stage, anew, this, &ProtocolDesk::begin);
}

ProtocolDesk::~ProtocolDesk() = default;

void ProtocolDesk::look(const QObject* who, bool looks)
{
    if (!looks) {
        if (lookers_.erase(who) > 0)
            disconnect(who, &QObject::destroyed, this, nullptr);
        return;
    }
    if (lookers_.insert(who).second)
        connect(who, &QObject::destroyed, this, [this, who] { lookers_.erase(who); });
    learn();
    followOn();
}

// The rig says it; else the identifiers that came so far tell.
void ProtocolDesk::learn()
{
    const trace::Snapshot& snapshot = stage_.snapshot();
    const auto& buses = stage_.document().buses();
    if (!snapshot.valid())
        return;
    const std::size_t identifiers = snapshot.trace().identifierCount();
    if (identifiers == identifiers_ && spoken_.size() == buses.size())
        return;
    identifiers_ = identifiers;
    std::vector<std::vector<can::Identifier>> seen(buses.size());
    for (std::size_t i = 0; i < identifiers; ++i) {
        const trace::TraceKey& key = snapshot.trace().key(static_cast<trace::IdentifierIndex>(i));
        if (!key.error && key.bus < seen.size())
            seen[key.bus].push_back(key.id);
    }
    std::vector<SpokenOn> found(buses.size());
    for (std::size_t bus = 0; bus < buses.size(); ++bus) {
        SpokenOn& one = found[bus];
        for (const rig::BusSpec& spec : stage_.document().rig().buses)
            if (spec.name == buses[bus].name && spec.saysProtocols) {
                one.said = true;
                one.spoken = spec.protocols;
                one.why = tr("as the rig says");
            }
        if (const auto apart = apart_.find(buses[bus].name); apart != apart_.end() && !apart->second.is_null()) {
            one.said = true;
            one.why = tr("as you said");
            for (const auto& word : apart->second)
                if (auto read = protocol::spokenFromText(buses[bus].name + '=' + word.get<std::string>()))
                    one.spoken.push_back(std::move(*read));
        }
        if (one.said)
            continue;
        QStringList why;
        for (protocol::Recognised& recognised : protocol::recognise(buses[bus].name, seen[bus])) {
            one.spoken.push_back(std::move(recognised.spoken));
            why << text(recognised.why);
        }
        one.why = why.isEmpty() ? tr("nothing was recognised") : why.join(QStringLiteral("; "));
    }
    const auto same = [](const SpokenOn& a, const SpokenOn& b) {
        return a.said == b.said && a.why == b.why && a.spoken.size() == b.spoken.size()
               && std::equal(a.spoken.begin(), a.spoken.end(), b.spoken.begin(),
                   [](const protocol::Spoken& x, const protocol::Spoken& y) { return x.protocol == y.protocol && x.pairs == y.pairs; });
    };
    if (found.size() == spoken_.size() && std::equal(found.begin(), found.end(), spoken_.begin(), same))
        return;
    spoken_ = std::move(found);
    messages_.reset();
    held_.reset();
    scan_.reset();
    begin();
    Q_EMIT spokenChanged();
}

void ProtocolDesk::begin()
{
    following_.reset();
    nodes_.clear();
    transfers_.clear();
    objects_.clear();
    processes_.clear();
    contradictions_.clear();
    notKept_ = broken_ = rows_ = 0;
    at_ = trace::noRow;
    over_ = asking_ = false;
    work_->forget();
    since_.invalidate();
    Q_EMIT changed();
    followOn();
}

bool ProtocolDesk::settled() const
{
    if (!anySpoken())
        return true;
    return following_ && !asking_ && rows_ >= stage_.snapshot().rows() && at_ == stage_.cursorRow();
}

void ProtocolDesk::followOn()
{
    const trace::Snapshot& snapshot = stage_.snapshot();
    if (lookers_.empty() || !snapshot.valid() || asking_)
        return;
    // A run brings new frames all the time; where the cursor went is looked up at once.
    if (stage_.following() && since_.isValid() && since_.elapsed() < askedAgainAfter)
        return;
    if (!anySpoken())
        return;
    const trace::Row cursor = stage_.cursorRow();
    const bool over = !stage_.document().isLive() && stage_.document().ready() && stage_.caughtUp();
    if (following_ && rows_ == snapshot.rows() && at_ == cursor && over == over_)
        return;
    if (!following_) {
        Following::Dictionaries dictionaries;
        for (const auto& [of, dictionary] : stage_.document().databases().dictionaries)
            if (const int bus = stage_.catalog().findBus(of.first); bus >= 0)
                dictionaries[{static_cast<std::uint8_t>(bus), of.second}] = dictionary;
        following_ = std::make_shared<Following>(spokenByBus(), std::move(dictionaries), stage_.document().databases().names);
    }
    asking_ = true;
    since_.restart();
    const Time now = stage_.following() && stage_.document().isLive() ? stage_.newest() : stage_.cursor();
    work_->ask([this, following = following_, snapshot, cursor, now, over](const std::function<bool()>& goesOn) -> NewestWork::Deliver {
        if (!following->advance(snapshot, goesOn))
            return {};
        if (over && !std::exchange(following->finished, true))
            following->stream.finish();
        const bool newest = cursor == trace::noRow || cursor + 1 >= snapshot.rows();
        auto nodes = (newest ? following->newest : following->at(snapshot, cursor)).nodes(now);
        std::map<std::pair<std::uint8_t, std::uint8_t>, std::vector<protocol::Contradiction>> contradictions;
        for (const auto& [node, review] : following->reviews)
            contradictions[node] = review.found();
        return [this, following, nodes = std::move(nodes), contradictions = std::move(contradictions),
                   ended = std::exchange(following->ended, {}), broken = following->broken, rows = snapshot.rows(), cursor, now,
                   over]() mutable {
            if (following != following_)
                return;
            asking_ = false;
            nodes_ = std::move(nodes);
            nodesAt_ = now;
            contradictions_ = std::move(contradictions);
            for (protocol::Transfer& one : ended)
                enlist(std::move(one));
            broken_ = broken;
            rows_ = rows;
            at_ = cursor;
            over_ = over;
            Q_EMIT changed();
            followOn();
        };
    });
}

void ProtocolDesk::enlist(protocol::Transfer&& transfer)
{
    if (transfers_.size() >= mostTransfers) {
        ++notKept_;
        return;
    }
    if (transfer.head.protocol == protocol::Protocol::objects && transfer.ended == protocol::Ended::whole)
        objects_[{transfer.bus, static_cast<std::uint8_t>(transfer.head.destination.value),
                     {static_cast<std::uint16_t>(transfer.what >> 8), static_cast<std::uint8_t>(transfer.what)}}]
            .push_back(static_cast<std::uint32_t>(transfers_.size()));
    transfers_.push_back(std::move(transfer));
}

const protocol::Transfer* ProtocolDesk::transferOf(const ObjectOf& object) const
{
    const auto found = objects_.find(object);
    if (found == objects_.end())
        return nullptr;
    const Time now = stage_.following() && stage_.document().isLive() ? Time::max() : stage_.cursor();
    const auto behind = std::partition_point(
        found->second.begin(), found->second.end(), [&](std::uint32_t at) { return transfers_[at].to <= now; });
    return behind == found->second.begin() ? nullptr : &transfers_[*std::prev(behind)];
}

std::vector<Time> ProtocolDesk::answerTimes(std::uint8_t bus, std::uint8_t node) const
{
    std::vector<Time> times;
    for (auto of = objects_.lower_bound({bus, node, {}}); of != objects_.end() && of->first.bus == bus && of->first.node == node; ++of)
        for (const std::uint32_t at : of->second)
            if (transfers_[at].frames == 2)
                times.push_back(transfers_[at].to - transfers_[at].from);
    return times;
}

std::optional<ProtocolDesk::InProcessData> ProtocolDesk::inProcessData(const ObjectOf& object) const
{
    const protocol::Dictionary* dictionary = dictionaryOf(object.bus, object.node);
    const protocol::ObjectEntry* entry = dictionary == nullptr ? nullptr : dictionary->find(object.place);
    if (entry == nullptr)
        return {};
    std::shared_ptr<const database::Catalog>& known = processes_[dictionary];
    if (known == nullptr) {
        auto made = std::make_shared<database::Catalog>();
        for (const trace::TraceBus& bus : stage_.document().buses())
            made->addBus(bus.name);
        auto process = protocol::processDataOf(*dictionary, object.node, "Node" + std::to_string(object.node));
        made->attach(object.bus, std::make_shared<const database::Database>(std::move(process.database)));
        known = std::move(made);
    }
    const std::string name = protocol::signalNameOf(*dictionary, *entry);
    for (const database::CatalogMessage& message : known->messages())
        for (std::uint32_t i = 0; i < message.message->signals.size(); ++i) {
            if (message.message->signals[i].name != name)
                continue;
            InProcessData found{&message, i, trace::noRow, {}};
            const trace::Snapshot& snapshot = stage_.snapshot();
            const trace::Row limit = stage_.cursorRow() == trace::noRow ? 0 : stage_.cursorRow() + 1;
            if (snapshot.valid())
                found.row = measure::newestOf(snapshot, message, limit);
            database::Decoded decoded;
            if (found.row != trace::noRow && message.plan.decodeOne(snapshot.frame(found.row), i, decoded))
                found.value = decoded;
            return found;
        }
    return {};
}

QString ProtocolDesk::valueOf(const ObjectOf& object) const
{
    if (const auto process = inProcessData(object); process && process->value)
        return readingText(process->message->message->signals[process->signal], *process->value);
    const protocol::Transfer* transfer = transferOf(object);
    if (transfer == nullptr)
        return {};
    const protocol::Dictionary* dictionary = dictionaryOf(object.bus, object.node);
    const protocol::ObjectEntry* entry = dictionary == nullptr ? nullptr : dictionary->find(object.place);
    if (transfer->bytes > bytesKept)
        return tr("%n bytes", nullptr, static_cast<int>(transfer->bytes));
    return text(protocol::valueText(entry == nullptr ? protocol::ObjectType::octetString : entry->type, transfer->data));
}

Expected<void> ProtocolDesk::ask(std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, Answered answered)
{
    rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return fail("a log answers nobody: questions go out in a run");
    auto shared = std::make_shared<std::unique_ptr<protocol::Talk>>(std::move(talk));
    session->post([shared, bus, answered = std::move(answered), begins = stage_.document().begins()](rig::Session& of) {
        const Time began = of.scheduler().now();
        const protocol::Talk* asked = shared->get();
        of.all<drive::Asker>().front()->ask(
            bus, std::move(*shared), [asked, answered, began, begins](const protocol::Answer& answer, Time took) {
                const double at = static_cast<double>((began - begins).count()) * 1e-9, ms = static_cast<double>(took.count()) * 1e-6;
                QMetaObject::invokeMethod(qApp, answered(*asked, answer, at, ms));
            });
    });
    return {};
}

Expected<void> ProtocolDesk::keepSession(std::uint8_t bus, const protocol::DiagnosticPair& pair, Time every)
{
    rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return fail("a log answers nobody: questions go out in a run");
    session->post([bus, pair, every](rig::Session& of) { of.all<drive::Asker>().front()->keep(bus, pair, every); });
    return {};
}

QString ProtocolDesk::nameOf(std::uint8_t bus, protocol::Party party) const
{
    const auto& buses = stage_.document().buses();
    if (bus >= buses.size() || party.is == protocol::Party::Is::nobody)
        return {};
    for (const drive::NodeSpec& node : stage_.document().rig().nodes) {
        if (party.is == protocol::Party::Is::node && node.objects && node.objects->bus == buses[bus].name
            && node.objects->node == party.value)
            return text(node.name);
        if (party.is == protocol::Party::Is::address && node.address && node.address->bus == buses[bus].name
            && node.address->address == party.value)
            return text(node.name);
    }
    // Whoever sends a message of the databases that only it can send.
    for (const database::CatalogMessage& message : stage_.catalog().messages()) {
        if (message.bus != bus || message.message->sender.empty())
            continue;
        const can::Identifier id = message.message->id;
        if (party.is == protocol::Party::Is::node && !id.extended && id.value == 0x700 + party.value)
            return text(message.message->sender);
        if (party.is == protocol::Party::Is::address && id.extended && (id.value & 0xFFU) == party.value)
            return text(message.message->sender);
        if (party.is == protocol::Party::Is::identifier && id.key() == party.value)
            return text(message.message->sender);
    }
    return {};
}

QString ProtocolDesk::nameOf(const protocol::NetworkNode& node) const
{
    const auto& buses = stage_.document().buses();
    for (const drive::NodeSpec& spec : stage_.document().rig().nodes)
        if (node.node.is == protocol::Party::Is::address && spec.address && !node.name.empty() && node.bus < buses.size()
            && spec.address->bus == buses[node.bus].name && protocol::UnitName{spec.address->name}.text() == node.name)
            return text(spec.name);
    return nameOf(node.bus, node.node);
}

QString ProtocolDesk::betweenWords(std::uint8_t bus, const protocol::Head& head) const
{
    const auto name = [&](protocol::Party party) {
        const QString known = nameOf(bus, party);
        return !known.isEmpty() ? known : party.is == protocol::Party::Is::node ? tr("node %1").arg(party.value) : text(toText(party));
    };
    const bool from = head.source.is != protocol::Party::Is::nobody, to = head.destination.is != protocol::Party::Is::nobody;
    if (!from)
        return to ? tr("→ %1").arg(name(head.destination)) : tr("to all");
    if (!to)
        return head.protocol == protocol::Protocol::vehicle ? tr("%1 → all").arg(name(head.source)) : name(head.source);
    return tr("%1 → %2").arg(name(head.source), name(head.destination));
}

std::vector<std::vector<protocol::Spoken>> ProtocolDesk::spokenByBus() const
{
    std::vector<std::vector<protocol::Spoken>> all;
    for (const SpokenOn& one : spoken_)
        all.push_back(one.spoken);
    return all;
}

bool ProtocolDesk::anySpoken() const
{
    return std::any_of(spoken_.begin(), spoken_.end(), [](const SpokenOn& one) { return !one.spoken.empty(); });
}

const protocol::Dictionary* ProtocolDesk::dictionaryOf(std::uint8_t bus, const protocol::Head& head) const
{
    if (head.protocol != protocol::Protocol::objects)
        return nullptr;
    const protocol::Party node = head.source.is == protocol::Party::Is::node ? head.source : head.destination;
    return node.is == protocol::Party::Is::node ? dictionaryOf(bus, static_cast<std::uint8_t>(node.value)) : nullptr;
}

const protocol::Dictionary* ProtocolDesk::dictionaryOf(std::uint8_t bus, std::uint8_t node) const
{
    const auto& buses = stage_.document().buses();
    if (bus >= buses.size())
        return nullptr;
    const auto& known = stage_.document().databases().dictionaries;
    const auto found = known.find({buses[bus].name, node});
    return found == known.end() ? nullptr : found->second.get();
}

void ProtocolDesk::keep(std::vector<Member> members)
{
    if (std::exchange(kept_, std::move(members)) == kept_)
        return;
    Q_EMIT keptChanged();
    Q_EMIT changed();
}

bool ProtocolDesk::keeps(const Member& member) const
{
    return kept_.empty() || std::find(kept_.begin(), kept_.end(), member) != kept_.end();
}

bool ProtocolDesk::among(const std::vector<Member>& members, std::uint8_t bus, const protocol::Head& head)
{
    return std::any_of(members.begin(), members.end(),
        [&](const Member& one) { return one == Member{bus, head.source} || one == Member{bus, head.destination}; });
}

bool ProtocolDesk::keeps(std::uint8_t bus, const protocol::Head& head) const { return kept_.empty() || among(kept_, bus, head); }

QString ProtocolDesk::keptWords() const
{
    QStringList out;
    for (const Member& member : kept_) {
        const QString name = nameOf(member.bus, member.party);
        out << (name.isEmpty() ? text(toText(member.party)) : name);
    }
    return out.join(QStringLiteral(", "));
}

std::shared_ptr<const measure::MessageIndex> ProtocolDesk::messages()
{
    learn();
    if (!anySpoken())
        return nullptr;
    auto index = messages_.lock();
    if (index != nullptr)
        return index;
    auto made = std::make_shared<measure::MessageIndex>(spokenByBus());
    messages_ = made;
    scan_ = std::make_unique<BackgroundScan>(made);
    bringUp();
    return made;
}

// As long as anybody but the scan has it.
void ProtocolDesk::bringUp()
{
    if (scan_ == nullptr)
        return;
    if (messages_.use_count() <= 1) {
        scan_.reset();
        return;
    }
    const trace::Snapshot& snapshot = stage_.snapshot();
    if (!snapshot.valid())
        return;
    const bool over = !stage_.document().isLive() && stage_.document().ready() && stage_.caughtUp();
    scan_->update(snapshot, over);
    const bool decided = scan_->done(snapshot.rows()) && (!over || scan_->seen() >= snapshot.rows());
    if (!decided && !over)
        return;
    if (!decided)   // a log brings no further beats
        QTimer::singleShot(broughtUpAgain, this, &ProtocolDesk::bringUp);
    if (seen_ != scan_->seen()) {
        seen_ = scan_->seen();
        Q_EMIT messagesGrown();
    }
}

std::optional<measure::Message> ProtocolDesk::newestOf(const database::CatalogMessage& message)
{
    constexpr int mostSteps = 100'000;
    const auto index = inPieces(message) ? messages() : nullptr;
    if (index == nullptr)
        return {};
    held_ = index;
    const trace::Row limit = stage_.cursorRow() == trace::noRow ? 0 : stage_.cursorRow() + 1;
    trace::Row best = trace::noRow;
    for (const measure::MessageIndex::Newest& newest : index->newest()) {
        if (newest.bus != message.bus || stage_.catalog().find(newest.bus, newest.id) != &message)
            continue;
        std::optional<std::uint64_t> at = newest.whole;
        for (int steps = 0; at && index->wholeRow(*at) >= limit && steps < mostSteps; ++steps)
            at = index->previous(*at);
        if (at && index->wholeRow(*at) < limit && (best == trace::noRow || index->wholeRow(*at) > best))
            best = index->wholeRow(*at);
    }
    if (best == trace::noRow)
        return {};
    return index->at(stage_.snapshot(), best);
}

bool ProtocolDesk::inPieces(const database::CatalogMessage& message) const
{
    if (!message.message->id.extended || message.message->length <= can::maxClassicLength || message.bus >= spoken_.size())
        return false;
    const auto& spoken = spoken_[message.bus].spoken;
    return std::any_of(
        spoken.begin(), spoken.end(), [](const protocol::Spoken& one) { return one.protocol == protocol::Protocol::vehicle; });
}

const std::vector<protocol::Contradiction>& ProtocolDesk::contradictionsOf(std::uint8_t bus, std::uint8_t node) const
{
    static const std::vector<protocol::Contradiction> none;
    const auto found = contradictions_.find({bus, node});
    return found == contradictions_.end() ? none : found->second;
}

Expected<void> ProtocolDesk::attachDictionary(const std::string& bus, std::uint8_t node, const QString& path)
{
    const rig::Rig& rig = stage_.document().rig();
    std::string before, after;
    for (const rig::BusSpec& spec : rig.buses)
        if (spec.name == bus)
            if (const auto known = spec.dictionaries.find(node); known != spec.dictionaries.end())
                before = known->second;
    if (!path.isEmpty()) {
        after = rig.nameOf(path.toStdString());
        if (const auto placed = place(bus, node, after); !placed)
            return placed;      // nothing was changed
    }
    undo_.push(new Attachment(*this, bus, node, std::move(before), std::move(after)));
    return {};
}

Expected<void> ProtocolDesk::place(const std::string& bus, std::uint8_t node, const std::string& file)
{
    if (auto set = stage_.document().setDictionary(bus, node, file); !set)
        return set;
    stage_.desk().shelf().setProcessData(stage_.document().databases().processData);
    stage_.desk().publish();    // all views go by it, this desk as well
    return {};
}

Expected<void> ProtocolDesk::speak(const std::string& bus, const std::optional<std::vector<std::string>>& protocols)
{
    nlohmann::json next;
    if (protocols)
        next = *protocols;
    const auto inRig = stage_.document().rig().protocolsOf(bus);
    const auto known = apart_.find(bus);
    nlohmann::json before = inRig ? *inRig : known != apart_.end() ? known->second : nlohmann::json();
    if (protocols)
        for (const std::string& one : *protocols)
            if (const auto read = protocol::spokenFromText(bus + '=' + one); !read)
                return tl::unexpected(read.error());
    undo_.push(new Change(*this, bus, std::move(before), std::move(next)));
    return {};
}

Expected<void> ProtocolDesk::replace(const std::string& bus, const nlohmann::json& next)
{
    if (!stage_.document().rig().protocolsOf(bus))
        apart_[bus] = next;
    else if (auto done = stage_.document().rig().setProtocols(bus, next); !done)
        return done;
    spoken_.clear();
    identifiers_ = 0;
    learn();
    Q_EMIT changed();
    return {};
}

}  // namespace wavetrope::app
