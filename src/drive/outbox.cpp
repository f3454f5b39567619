// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/outbox.h"

#include <algorithm>
#include <cmath>

#include "base/nearest_name.h"

namespace wavetrope::drive {

namespace {

constexpr unsigned longestChain = 64;       // answers to answers, until somebody is held
constexpr std::size_t ticksKept = 64;

void note(std::deque<Time>& moments, Time at)
{
    moments.push_back(at);
    if (moments.size() > ticksKept)
        moments.pop_front();
}
constexpr Time toldAgain = std::chrono::milliseconds(500);      // that somebody else sends the same
constexpr std::size_t leastRoom = 64;       // frames that wait for their bus

}  // namespace

Outbox::Outbox(std::vector<OutboxGroup> groups, OutboxWorld world)
    : groups_(std::move(groups)),
      world_(std::move(world)),
      random_(world_.seed * 0x9E3779B97F4A7C15ULL ^ 0x0B0Full),
      slots_(1, 0.0),
      beats_(clock::Timer::calling<&Outbox::beat>(world_.scheduler, this)),
      answers_(clock::Timer::calling<&Outbox::answer>(world_.scheduler, this)),
      bursts_(clock::Timer::calling<&Outbox::more>(world_.scheduler, this)),
      end_(clock::Timer::calling<&Outbox::end>(world_.scheduler, this))
{
    names_["t"] = 0;
    rows_ = rowsOf(groups_);
    attach();
    for (Row& row : rows_)
        buildOrSay(row);
    watch();
}

std::vector<Outbox::Row> Outbox::rowsOf(const std::vector<OutboxGroup>& groups)
{
    std::vector<Row> rows;
    firstOf_.clear();
    for (const OutboxGroup& group : groups) {
        firstOf_.push_back(rows.size());
        for (const OutboxRow& spec : group.rows) {
            Row row;
            row.spec = spec;
            rows.push_back(std::move(row));
        }
    }
    return rows;
}

// Nobody is on a bus who has nothing to send.
void Outbox::attach()
{
    if (rows_.empty())
        return;
    const bool first = ports_.empty();
    for (std::size_t i = 0; i < world_.buses.size(); ++i) {
        if (first) {
            ports_.push_back(world_.buses[i]->attach("outbox", can::Direction::sent));
            world_.buses[i]->listen(this);
        }
        world_.buses[i]->makeRoom(ports_[i], leastRoom + rows_.size());
    }
}

void Outbox::buildOrSay(Row& row)
{
    if (const auto built = build(row); !built) {
        row.encoder.reset();
        row.problem = built.error().text();
    }
}

// The rows of each identifier, for whoever else sends it.
void Outbox::watch()
{
    rowsBy_.clear();
    for (std::uint32_t i = 0; i < rows_.size(); ++i)
        if (rows_[i].encoder)
            rowsBy_[keyOf(rows_[i].encoder->bus(), rows_[i].encoder->frame().id)].push_back(i);
}

// What stands in the frame that goes out next.
std::uint64_t Outbox::bitsAt(const Row& row, std::uint32_t place)
{
    const can::Frame& frame = row.encoder->frame();
    const database::CatalogMessage* message = row.encoder->message();
    if (message == nullptr)
        return place < frame.length ? frame.data[place] : 0;
    database::Decoded decoded;
    return message->plan.decodeOne({frame.data.data(), frame.length}, place, decoded) ? decoded.bits : 0;
}

// A value that comes back to what is on the bus waits no more.
void Outbox::noteEdit(Row& row, std::uint32_t place, std::uint64_t before, std::uint64_t now)
{
    const auto known = std::find_if(row.unsent.begin(), row.unsent.end(), [place](const auto& one) { return one.place == place; });
    if (known == row.unsent.end()) {
        if (before != now)
            row.unsent.push_back({place, before});
    } else if (known->onBus == now) {
        row.unsent.erase(known);
    }
}

// What it sends is new, how far it has come is not.
void Outbox::goOnAs(Row& row, Row& before)
{
    row.going = before.going && row.problem.empty();
    row.origin = before.origin;
    row.beat = before.beat;
    row.offered = before.offered;
    row.sent = before.sent;
    row.refused = before.refused;
    row.refusedWhy = before.refusedWhy;
    row.refusals = std::move(before.refusals);
    row.withheld = before.withheld;
    row.foreign = before.foreign;
    row.foreignLast = before.foreignLast;
    row.mostBehind = before.mostBehind;
    row.ticks = std::move(before.ticks);
    row.onBus = before.onBus;
    row.edition = before.edition + 1;
    row.unsent = std::move(before.unsent);
    row.due = std::move(before.due);
    if (!row.encoder || !before.encoder)
        return;
    row.encoder->countFrom(*before.encoder);
    const auto sourced = [](const Row& of, std::uint32_t place) {
        return std::find(of.sourced.begin(), of.sourced.end(), place) != of.sourced.end();
    };
    const std::size_t places = row.encoder->message() != nullptr ? row.encoder->message()->message->signals.size() : row.spec.frame.length;
    std::erase_if(row.unsent, [&](const auto& one) { return one.place >= places || sourced(row, one.place); });
    const auto given = [](const Row& of, std::uint32_t place) {
        const auto found = std::find_if(of.given.begin(), of.given.end(), [place](const auto& one) { return one.signal == place; });
        return found == of.given.end() ? nullptr : &*found;
    };
    std::vector<std::uint32_t> touched;
    for (const auto* list : {&before.given, &before.waits, &row.given})
        for (const database::GivenBits& one : *list)
            if (one.signal < places && !sourced(row, one.signal) && std::find(touched.begin(), touched.end(), one.signal) == touched.end())
                touched.push_back(one.signal);
    for (const std::uint32_t place : touched)
        noteEdit(row, place, bitsAt(before, place), bitsAt(row, place));
    if (!row.spec.gathers || !before.going)
        return;
    // What is on the bus stays there until it is sent.
    for (const database::GivenBits& one : row.given)
        if (const auto* old = given(before, one.signal); old == nullptr || *old != one)
            row.waits.push_back(one);
    std::erase_if(row.waits, [&](const database::GivenBits& one) {
        return std::none_of(row.unsent.begin(), row.unsent.end(), [&](const auto& other) { return other.place == one.signal; });
    });
    row.given = std::move(before.given);
    std::erase_if(row.given, [&](const database::GivenBits& one) { return sourced(row, one.signal); });
    compose(row);
}

void Outbox::put(std::vector<OutboxGroup> groups)
{
    std::vector<Row> old = std::move(rows_);
    const std::vector<OutboxGroup> before = std::exchange(groups_, std::move(groups));
    const std::vector<std::size_t> oldFirst = firstOf_;
    rows_ = rowsOf(groups_);
    attach();
    std::vector<std::optional<std::uint32_t>> now(old.size());  // where an old row went
    std::vector<bool> taken(rows_.size());
    std::vector<std::size_t> anew;      // those that go out otherwise
    std::unordered_map<std::string, std::deque<std::uint32_t>> same;
    for (std::uint32_t k = 0; k < old.size(); ++k)
        same[old[k].spec.written].push_back(k);
    for (std::uint32_t i = 0; i < rows_.size(); ++i)
        if (const auto found = same.find(rows_[i].spec.written); found != same.end() && !found->second.empty() && !found->first.empty()) {
            const std::uint32_t k = found->second.front();
            found->second.pop_front();
            rows_[i] = std::move(old[k]);
            now[k] = i;
            taken[i] = true;
        }
    for (std::size_t g = 0; g < groups_.size(); ++g)
        for (std::size_t r = 0; r < groups_[g].rows.size(); ++r) {
            const std::size_t i = firstOf_[g] + r;
            if (taken[i])
                continue;
            buildOrSay(rows_[i]);
            for (std::size_t of = 0; of < before.size(); ++of)
                if (const std::size_t k = oldFirst[of] + r;
                    before[of].name == groups_[g].name && r < before[of].rows.size() && !now[k] && old[k].spec.what == rows_[i].spec.what) {
                    goOnAs(rows_[i], old[k]);
                    now[k] = static_cast<std::uint32_t>(i);
                    if (rows_[i].going && old[k].spec.rhythm != rows_[i].spec.rhythm)
                        anew.push_back(i);
                }
        }
    // Whatever was asked for speaks of rows by their old numbers.
    answers_.stop();
    bursts_.stop();
    toCome_ = 0;
    for (auto& [key, flying] : flying_)
        for (auto one = flying.begin(); one != flying.end();) {
            if (now[one->row]) {
                one->row = *now[one->row];
                ++one;
            } else {
                one = flying.erase(one);
                --flyingCount_;
            }
        }
    anyAnswers_ = false;
    for (std::uint32_t i = 0; i < rows_.size(); ++i) {
        Row& row = rows_[i];
        anyAnswers_ = anyAnswers_ || row.answer;
        row.began = ++beginnings_;
        if (row.going && std::find(anew.begin(), anew.end(), i) != anew.end())
            continue;
        if (row.going && (beats(row) || row.spec.when == OutboxRow::When::moment))
            schedule(i);
        for (const auto& [due, chain] : row.due)
            answers_.also(due, i);
    }
    watch();
    for (const std::size_t i : anew) {
        rows_[i].due.clear();
        if (rows_[i].spec.when == OutboxRow::When::byHand)
            hold(i);
        else
            begin(static_cast<std::uint32_t>(i));
    }
    ++changes_;
}

Expected<formula::Formula> Outbox::compile(const std::string& text, const std::string& place)
{
    const formula::Formula::Resolve resolve = [this](std::string_view name) -> Expected<std::uint32_t> {
        if (const auto known = names_.find(std::string(name)); known != names_.end())
            return known->second;
        const auto ref = world_.catalog->findSignal(name);
        if (!ref)
            return tl::unexpected(ref.error());
        const auto slot = static_cast<std::uint32_t>(slots_.size());
        const database::Signal& signal = ref->signal();
        slots_.push_back(signal.startRaw ? ref->message->plan.plan(ref->index).physical(*signal.startRaw) : 0);
        names_[std::string(name)] = slot;
        receptions_[ref->message].emplace_back(slot, ref->index);
        return slot;
    };
    auto formula = formula::Formula::compile(text, formula::Use::node, resolve);
    if (!formula) {
        Error error = formula.error();
        error.where = place + (error.where.empty() ? "" : ", " + error.where);
        return tl::unexpected(error);
    }
    return formula;
}

Expected<void> Outbox::build(Row& row)
{
    const OutboxRow& spec = row.spec;
    const int bus = world_.catalog->findBus(spec.bus);
    if (bus < 0) {
        std::vector<std::string> names;
        for (std::size_t i = 0; i < world_.catalog->busCount(); ++i)
            names.push_back(world_.catalog->busName(static_cast<std::uint8_t>(i)));
        return fail("the rig has no bus '" + spec.bus + "'", {}, didYouMean(spec.bus, names));
    }
    if (!spec.ask.empty()) {
        if (!world_.ask)
            return fail("nobody is asked here");
        auto question = protocol::questionFromText(
            spec.ask, [&](std::uint8_t node) { return world_.dictionaryOf ? world_.dictionaryOf(spec.bus, node) : nullptr; });
        if (!question)
            return tl::unexpected(question.error());
        row.question = std::move(question->make);
        row.askedBus = static_cast<std::uint8_t>(bus);
        row.number = ++numbers_;
        return takeAnswer(row);
    }
    if (!spec.message.empty()) {
        std::vector<std::string> names;
        for (const database::CatalogMessage& candidate : world_.catalog->messages())
            if (candidate.bus == bus) {
                if (candidate.message->name == spec.message)
                    row.encoder.emplace(candidate);
                names.push_back(candidate.message->name);
            }
        if (!row.encoder)
            return fail("no database of " + spec.bus + " has the message '" + spec.message + "'", {}, didYouMean(spec.message, names));
    } else {
        row.encoder.emplace(static_cast<std::uint8_t>(bus), spec.frame);
    }
    if (const auto fits = row.encoder->checkFits(spec.bus, world_.buses[static_cast<std::size_t>(bus)]->bitRate()); !fits)
        return fits;
    const database::CatalogMessage* message = row.encoder->message();
    for (const auto& [name, text] : spec.typed) {
        const auto place = row.encoder->placeOf(name);
        if (!place)
            return tl::unexpected(place.error());
        const auto bits = database::bitsFromText(message->message->signals[*place], message->plan.plan(*place), text);
        if (!bits)
            return tl::unexpected(bits.error());
        row.given.push_back({*place, *bits});
    }
    // Values that stand still are in the frame from the start; all others are asked for with each frame.
    for (const auto& [name, value] : spec.values) {
        const auto place = row.encoder->placeOf(name);
        if (!place)
            return tl::unexpected(place.error());
        const database::Signal* signal = message != nullptr ? &message->message->signals[*place] : nullptr;
        auto source = sourceFor(
            value, signal, name, [this](const std::string& text, const std::string& where) { return compile(text, where); });
        if (!source)
            return tl::unexpected(source.error());
        if (const auto* still = std::get_if<double>(&source->spec)) {
            bool fits = *still >= 0 && *still <= 255;
            const std::uint64_t bits = message != nullptr ? database::MessagePlan::bitsOf(message->plan.plan(*place), *still, fits)
                                                          : static_cast<std::uint64_t>(std::clamp(*still, 0.0, 255.0));
            if (!fits && spec.overflow == database::Overflow::refuse)
                return fail(name + " cannot hold " + database::numberText(*still, 12), {},
                    "Give it a value that its bits hold, or \"overflow\": \"limit\"");
            row.given.push_back({*place, bits});
            continue;
        }
        row.sourced.push_back(*place);
        if (const auto* counter = std::get_if<CounterSpec>(&source->spec)) {
            row.encoder->fill(*place, *counter);
        } else if (const auto* checksum = std::get_if<Checksum>(&source->spec)) {
            row.encoder->fill(*place, *checksum);
        } else {
            row.encoder->fill(*place, MessageEncoder::Given{}, static_cast<std::uint32_t>(row.sources.size()));
            row.sources.push_back(std::move(*source));
        }
    }
    if (message != nullptr)
        if (const auto composed = database::compose(*message->message, message->plan, row.given); !composed)
            return tl::unexpected(composed.error());
    compose(row);
    return takeAnswer(row);
}

// The filter of the frames that it answers, where it does.
Expected<void> Outbox::takeAnswer(Row& row)
{
    const OutboxRow& spec = row.spec;
    if (!spec.answer.empty()) {
        auto filter = filter::Filter::compile(spec.answer, world_.catalog, {&world_.filters});
        if (!filter) {
            Error error = filter.error();
            error.where = "answer " + spec.answer;
            return tl::unexpected(error);
        }
        row.answer = std::make_unique<filter::FilterStream>(std::move(*filter), world_.begins);
        anyAnswers_ = true;
    }
    return {};
}

// The frame with what stands still in it.
void Outbox::compose(Row& row)
{
    if (const database::CatalogMessage* message = row.encoder->message()) {
        const auto composed = database::compose(*message->message, message->plan, row.given);
        if (composed)
            row.encoder->take(composed->payload);
        return;
    }
    std::vector<std::uint8_t> payload(row.spec.frame.data.begin(), row.spec.frame.data.begin() + row.spec.frame.length);
    for (const database::GivenBits& one : row.given)
        payload[one.signal] = static_cast<std::uint8_t>(one.bits);
    row.encoder->take(payload);
}

void Outbox::start()
{
    for (std::size_t g = 0; g < groups_.size(); ++g)
        if (std::find(takesPart_.begin(), takesPart_.end(), groups_[g].name) != takesPart_.end())
            for (std::size_t i = 0; i < groups_[g].rows.size(); ++i)
                if (const Row& row = rows_[firstOf_[g] + i]; row.spec.starts && row.spec.when != OutboxRow::When::byHand)
                    go(firstOf_[g] + i);
    lookWhetherDone();
}

void Outbox::setOn(bool on)
{
    if (on == on_)
        return;
    on_ = on;
    ++changes_;
}

std::vector<SentIdentifier> Outbox::sends() const
{
    std::vector<SentIdentifier> out;
    for (const Row& row : rows_)
        if (on_ && row.encoder && row.problem.empty() && row.going)
            out.push_back({row.encoder->bus(), row.encoder->frame().id});
    return out;
}

std::uint64_t Outbox::changes() const
{
    constexpr Time step = std::chrono::milliseconds(20);
    return changes_ * 0x9E3779B97F4A7C15ULL + static_cast<std::uint64_t>(std::min(world_.scheduler.now(), moved_ + 2 * step) / step);
}

ActorReport Outbox::report() const
{
    OutboxFacts facts;
    auto rows = std::make_shared<std::vector<OutboxRowFacts>>();
    rows->reserve(rows_.size());
    std::vector<std::uint8_t> onto;
    for (const Row& row : rows_) {
        OutboxRowFacts one;
        one.going = row.going;
        one.offered = row.offered;
        one.sent = row.sent;
        one.refused = row.refused;
        one.refusedWhy = row.refusedWhy;
        one.refusals.assign(row.refusals.begin(), row.refusals.end());
        one.busOff = row.encoder && row.encoder->bus() < ports_.size()
                     && world_.buses[row.encoder->bus()]->isOff(ports_[row.encoder->bus()]);
        one.withheld = row.withheld;
        one.beat = row.beat;
        one.ticks.assign(row.ticks.begin(), row.ticks.end());
        one.problem = row.problem;
        one.waiting = row.unsent;
        if (row.going && (beats(row) || row.spec.when == OutboxRow::When::moment))
            one.next = dueOf(row);
        one.mostBehind = row.mostBehind;
        one.frame = row.onBus;
        one.foreign = row.foreign;
        one.foreignLast = row.foreignLast;
        one.told = world_.scheduler.now();
        if (!row.ticks.empty())
            one.last = row.ticks.back();
        if (row.ticks.size() > 1) {
            one.kept = (row.ticks.back() - row.ticks.front()) / static_cast<std::int64_t>(row.ticks.size() - 1);
            Time shortest = Time::max(), longest{0};
            for (std::size_t i = 1; i < row.ticks.size(); ++i) {
                shortest = std::min(shortest, row.ticks[i] - row.ticks[i - 1]);
                longest = std::max(longest, row.ticks[i] - row.ticks[i - 1]);
            }
            one.spread = longest - shortest;
        }
        rows->push_back(std::move(one));
        if (row.encoder && std::find(onto.begin(), onto.end(), row.encoder->bus()) == onto.end())
            onto.push_back(row.encoder->bus());
    }
    facts.rows = std::move(rows);
    facts.held = !on_;
    return {name_, std::move(onto), on_, std::move(facts)};
}

void Outbox::go(std::size_t index)
{
    const Row& row = rows_[index];
    if (!row.problem.empty())
        return;
    if (row.spec.when == OutboxRow::When::byHand)
        return send(index);
    hold(index);
    begin(static_cast<std::uint32_t>(index));
}

// Its beats count from now, or it is armed.
void Outbox::begin(std::uint32_t index)
{
    Row& row = rows_[index];
    row.going = true;
    row.began = ++beginnings_;
    ++changes_;
    row.beat = 0;
    row.origin = row.spec.when == OutboxRow::When::moment ? world_.begins + row.spec.at : world_.scheduler.now() + row.spec.offset;
    if (beats(row))
        schedule(index);
    else if (row.spec.when == OutboxRow::When::moment) {
        if (row.origin < world_.scheduler.now() || (until_ && row.origin > *until_))
            row.going = false;      // it has passed, or never comes
        else
            schedule(index);
    }
}

void Outbox::key(std::size_t index, bool down)
{
    const Row& row = rows_[index];
    if (!row.problem.empty())
        return;
    if (!row.spec.held) {
        if (down)
            send(index);
    } else if (!down) {
        hold(index);
    } else if (!row.going) {
        begin(static_cast<std::uint32_t>(index));
    }
}

void Outbox::hold(std::size_t index)
{
    Row& row = rows_[index];
    if (!row.going)
        return;
    row.going = false;
    row.due.clear();
    ++changes_;
    lookWhetherDone();
}

void Outbox::send(std::size_t index)
{
    Row& row = rows_[index];
    if (!row.problem.empty())
        return;
    for (const database::GivenBits& one : row.waits) {
        std::erase_if(row.given, [&](const auto& other) { return other.signal == one.signal; });
        row.given.push_back(one);
    }
    if (on_ && !std::exchange(row.waits, {}).empty()) {
        ++row.edition;
        compose(row);
    }
    burst(static_cast<std::uint32_t>(index), 0, world_.scheduler.now());
}

void Outbox::startTogether(std::size_t group)
{
    for (std::size_t i = 0; i < groups_[group].rows.size(); ++i)
        if (rows_[firstOf_[group] + i].spec.when != OutboxRow::When::byHand)
            go(firstOf_[group] + i);
}

bool Outbox::set(std::size_t index, std::uint32_t place, std::uint64_t bits)
{
    Row& row = rows_[index];
    if (!row.encoder
        || place >= (row.encoder->message() != nullptr ? row.encoder->message()->message->signals.size() : row.spec.frame.length))
        return false;
    if (std::find(row.sourced.begin(), row.sourced.end(), place) != row.sourced.end()) {
        row.encoder->leave(place);
        std::erase(row.sourced, place);
    }
    ++changes_;
    noteEdit(row, place, bitsAt(row, place), bits);
    const bool gathers = row.spec.gathers && row.going;
    std::vector<database::GivenBits>& into = gathers ? row.waits : row.given;
    for (auto* list : {&row.waits, &into})
        std::erase_if(*list, [&](const auto& other) { return other.signal == place; });
    if (!gathers || std::any_of(row.unsent.begin(), row.unsent.end(), [&](const auto& one) { return one.place == place; }))
        into.push_back({place, bits});
    if (!gathers) {
        ++row.edition;
        compose(row);
    }
    return true;
}

void Outbox::keepBack(std::size_t index, std::string why)
{
    hold(index);
    rows_[index].problem = std::move(why);
    ++changes_;
}

void Outbox::endAt(Time moment)
{
    until_ = moment;
    end_.at(moment);
}

void Outbox::end()
{
    // What is due at this very moment still goes out.
    world_.scheduler.at(
        world_.scheduler.now(),
        [](void* context, std::uint64_t) {
            auto& outbox = *static_cast<Outbox*>(context);
            for (std::size_t i = 0; i < outbox.rows_.size(); ++i)
                outbox.hold(i);
            outbox.lookWhetherDone();
        },
        this, 0, clock::Phase::settle);
}

bool Outbox::done() const
{
    return flyingCount_ == 0 && asked_ == 0 && toCome_ == 0
           && std::none_of(rows_.begin(), rows_.end(), [](const Row& row) { return row.going; });
}

void Outbox::lookWhetherDone()
{
    if (done_ && done())
        done_();
}

// Beat k is due at its origin + k periods, whatever came between.
Time Outbox::dueOf(const Row& row)
{
    return row.spec.when == OutboxRow::When::moment ? row.origin : row.origin + row.spec.every * static_cast<std::int64_t>(row.beat);
}

void Outbox::schedule(std::uint32_t index)
{
    Row& row = rows_[index];
    const Time due = dueOf(row);
    if (until_ && due > *until_)
        return hold(index);
    // A beat knows the time that it is of by its number: what was begun anew since does not count.
    world_.scheduler.at(
        due,
        [](void* context, std::uint64_t tag) {
            auto& outbox = *static_cast<Outbox*>(context);
            const auto which = static_cast<std::uint32_t>(tag & 0xFFFFFFFFU);
            if (which < outbox.rows_.size() && outbox.rows_[which].going && (outbox.rows_[which].began & 0xFFFFFFFFU) == tag >> 32U)
                outbox.beat(which);
        },
        this, (row.began & 0xFFFFFFFFU) << 32U | index);
}

void Outbox::beat(std::uint32_t index)
{
    Row& row = rows_[index];
    const Time due = dueOf(row);
    ++row.beat;
    burst(index, 0, due);
    if (row.spec.when == OutboxRow::When::moment || (row.spec.count > 0 && row.beat >= row.spec.count))
        return hold(index);
    schedule(index);
}

// A frame, and those that follow it.
void Outbox::burst(std::uint32_t index, unsigned chain, Time due)
{
    offer(index, chain, due);
    const Row& row = rows_[index];
    for (unsigned i = 1; i < row.spec.burst; ++i) {
        ++toCome_;
        bursts_.also(world_.scheduler.now() + row.spec.apart * static_cast<std::int64_t>(i), index);
    }
}

void Outbox::more(std::uint32_t index)
{
    --toCome_;
    offer(index, 0, world_.scheduler.now());
    lookWhetherDone();
}

void Outbox::answer(std::uint32_t index)
{
    Row& row = rows_[index];
    if (!row.going || row.due.empty() || row.due.front().first > world_.scheduler.now())
        return;
    const auto [due, chain] = row.due.front();
    row.due.pop_front();
    ++row.beat;
    burst(index, chain + 1, due);
    if (row.spec.count > 0 && row.beat >= row.spec.count)
        hold(index);
}

void Outbox::offer(std::uint32_t index, unsigned chain, Time due)
{
    Row& row = rows_[index];
    moved_ = world_.scheduler.now();
    if (!on_) {
        ++row.withheld;
        return;
    }
    if (row.question)
        return ask(row);
    if (!row.sourced.empty()) {
        const double t = static_cast<double>((world_.scheduler.now() - world_.begins).count()) / 1e9;
        slots_[0] = t;
        (void)row.encoder->encode([&](std::uint32_t source) { return row.sources[source].evaluate(t, slots_, random_); }, row.spec.overflow,
            [](std::uint32_t, double) {});
    }
    const std::uint8_t bus = row.encoder->bus();
    if (!world_.buses[bus]->offer(ports_[bus], row.encoder->frame())) {
        ++row.refused;
        note(row.refusals, world_.scheduler.now());
        const bus::Health health = world_.buses[bus]->health();
        row.refusedWhy = world_.buses[bus]->isOff(ports_[bus]) ? "bus is off" : health.alive ? "queue full" : health.words;
        return;
    }
    ++row.offered;
    ++flyingCount_;
    flying_[keyOf(bus, row.encoder->frame().id)].push_back({index, chain, row.edition, due});
}

void Outbox::ask(Row& row)
{
    ++row.offered;
    ++asked_;
    world_.ask(row.askedBus, row.question(), [self = std::weak_ptr<Outbox*>(self_), number = row.number](const protocol::Answer& answer) {
        if (const auto outbox = self.lock())
            (*outbox)->answered(number, answer);
    });
}

void Outbox::answered(std::uint64_t number, const protocol::Answer& answer)
{
    --asked_;
    moved_ = world_.scheduler.now();
    for (Row& row : rows_) {
        if (row.number != number)
            continue;
        if (answer.good) {
            ++row.sent;
            note(row.ticks, world_.scheduler.now());
        } else {
            ++row.refused;
            note(row.refusals, world_.scheduler.now());
            row.refusedWhy = answer.words;
        }
    }
    lookWhetherDone();
}

void Outbox::onFrame(const can::FrameView& frame, bus::Port sender)
{
    unsigned chain = 0;
    // What comes back from the world carries no port.
    const bool own = frame.kind != can::FrameKind::error && frame.bus < ports_.size()
                     && (sender == ports_[frame.bus] || (sender == bus::nobody && frame.direction == can::Direction::sent));
    if (own) {
        if (const auto found = flying_.find(keyOf(frame.bus, frame.id)); found != flying_.end() && !found->second.empty()) {
            const Flying flew = found->second.front();
            found->second.pop_front();
            --flyingCount_;
            chain = flew.chain;
            Row& row = rows_[flew.row];
            ++row.sent;
            row.onBus = can::Frame(frame);
            row.mostBehind = std::max(row.mostBehind, Time(frame.time - flew.due));
            // What was edited before it was offered is on the bus now.
            if (flew.edition == row.edition && !row.unsent.empty())
                std::erase_if(row.unsent, [&](const auto& one) {
                    return std::none_of(row.waits.begin(), row.waits.end(), [&](const auto& waits) { return waits.signal == one.place; });
                });
            moved_ = world_.scheduler.now();
            note(row.ticks, frame.time);
        }
    } else if (const auto found = rowsBy_.find(keyOf(frame.bus, frame.id)); found != rowsBy_.end() && frame.kind != can::FrameKind::error) {
        for (const std::uint32_t i : found->second) {
            Row& row = rows_[i];
            if (row.foreign++ == 0 || frame.time - row.foreignLast >= toldAgain)
                ++changes_;
            row.foreignLast = frame.time;
        }
    }
    if (const auto* message = receptions_.empty() ? nullptr : world_.catalog->find(frame))
        if (const auto found = receptions_.find(message); found != receptions_.end())
            for (const auto& [slot, signal] : found->second) {
                database::Decoded decoded;
                if (message->plan.decodeOne(frame, signal, decoded))
                    slots_[slot] = decoded.value;
            }
    for (std::uint32_t i = 0; anyAnswers_ && i < rows_.size(); ++i) {
        Row& row = rows_[i];
        if (!row.answer || !row.answer->passes(frame) || !row.going)
            continue;
        if (chain >= longestChain) {
            row.problem = "held: it answered answers " + std::to_string(longestChain) + " times in a row";
            hold(i);
            continue;
        }
        const Time due = std::max(frame.time + row.spec.after, world_.scheduler.now());
        if ((until_ && due > *until_) || (row.spec.count > 0 && row.beat + row.due.size() >= row.spec.count))
            continue;
        row.due.insert(std::upper_bound(row.due.begin(), row.due.end(), std::pair(due, ~0U)), {due, chain});
        answers_.also(due, i);
    }
    lookWhetherDone();
}

}  // namespace wavetrope::drive
