// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/happenings.h"

#include <algorithm>
#include <cstdio>
#include <map>
#include <tuple>

#include "base/in_parallel.h"
#include "can/error_words.h"
#include "database/codec.h"
#include "measure/bus_loads.h"
#include "measure/range_events.h"
#include "measure/sample_feed.h"
#include "protocol/protocol_events.h"

namespace wavetrope::measure {

/// One kind of things, over the rows in their order.
class Happenings::Follower {
public:
    virtual ~Follower() = default;
    /// Rows from where it stands up to one; false where it was told to end.
    virtual bool advance(const trace::Snapshot& snapshot, const GoesOn& goesOn) = 0;
    virtual void finish(const trace::Snapshot& snapshot) { (void)snapshot; }
    virtual void tell(std::vector<Event>& out) const = 0;
    std::uint64_t changes = 0, notKept = 0;
    std::string problem;
};

namespace {

constexpr trace::Row rowsAtOnce = 1U << 16U;
constexpr std::uint64_t mostInstantsFollowed = 200'000'000;
constexpr Time errorsApart = std::chrono::milliseconds(100);

std::string valueWords(double value, const std::string& unit)
{
    const std::string out = database::numberText(value, 9);
    return unit.empty() ? out : out + " " + unit;
}

// One that looks at each frame.
class FrameFollower : public Happenings::Follower {
public:
    bool advance(const trace::Snapshot& snapshot, const GoesOn& goesOn) override
    {
        for (; next_ < snapshot.rows(); ++next_) {
            if (next_ % rowsAtOnce == 0 && goesOn && !goesOn())
                return false;
            if (snapshot.trace().isGone(next_))
                continue;
            const trace::IdentifierIndex identifier = snapshot.identifier(next_);
            take(next_, identifier, snapshot.trace().key(identifier), snapshot);
        }
        taken(snapshot);
        return true;
    }

protected:
    virtual void take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const trace::Snapshot& snapshot) = 0;
    virtual void taken(const trace::Snapshot& snapshot) { (void)snapshot; }

private:
    trace::Row next_ = 0;
};

// Conditions of the rig, or states of controllers: what the rules say of them.
class RuleFollower final : public FrameFollower, private rules::RuleSink {
public:
    RuleFollower(EventKind kind, std::vector<rules::ConditionRule> conditions, std::vector<can::BitRate> rates, std::size_t most)
        : kind_(kind),
          most_(most),
          open_(conditions.size(), none),
          rules_(rules::RuleSet{std::move(conditions), {}}, std::move(rates), *this)
    {
        rules_.askEvery(rowsAtOnce, [this] {
            if ((instants_ += rowsAtOnce) > mostInstantsFollowed)
                problem = "conditions come due more than " + std::to_string(mostInstantsFollowed)
                          + " times: the stamps lie too far apart for how often they do";
            return problem.empty() && (goesOn_ == nullptr || !*goesOn_ || (*goesOn_)());
        });
    }
    bool advance(const trace::Snapshot& snapshot, const GoesOn& goesOn) override
    {
        goesOn_ = &goesOn;
        const bool all = FrameFollower::advance(snapshot, goesOn);
        goesOn_ = nullptr;
        return all;
    }
    void finish(const trace::Snapshot&) override { rules_.end("the log ends"); }
    void tell(std::vector<Event>& out) const override { out.insert(out.end(), events_.begin(), events_.end()); }

protected:
    void take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const trace::Snapshot& snapshot) override
    {
        row_ = row;
        if (!rules_.gaveUp())
            rules_.frame(row, snapshot.frame(row), identifier, key);
    }

private:
    static constexpr std::size_t none = ~std::size_t{0};
    void became(std::size_t condition, Time at, bool now) override
    {
        ++changes;
        if (!now) {
            if (open_[condition] != none) {
                events_[open_[condition]].until = at;
                events_[open_[condition]].open = false;
            }
            return;
        }
        open_[condition] = none;
        if (events_.size() >= most_) {
            ++notKept;
            return;
        }
        const rules::ConditionRule& rule = rules_.rules().conditions[condition];
        const bool frames = rule.kind == rules::ConditionKind::frames;
        // It is told when it began: a hold time, or a silence, counts from its beginning.
        const Time before = frames || rule.kind == rules::ConditionKind::silent ? rule.span : Time{0};
        const int bus = frames ? rules_.madeOn(condition) : rule.bus;
        open_[condition] = events_.size();
        events_.push_back({kind_, at - before, at, bus < 0 ? noBus : static_cast<std::uint8_t>(bus), row_, rule.name, 1, rule.name,
            kind_ == EventKind::state ? "an error frame said so" : rule.words(), true});
    }
    void takeBegins(std::size_t, Time, const std::string&) override {}
    void keepsEarlier(std::size_t, trace::Row) override {}
    void keeps(std::size_t, trace::Row, const can::FrameView&) override {}
    void takeEnds(std::size_t, Time, const std::string&) override {}
    Time stampOf(trace::Row) override { return {}; }

    EventKind kind_;
    std::size_t most_;
    std::vector<std::size_t> open_;     // the newest of each condition
    std::vector<Event> events_;
    trace::Row row_ = trace::noRow;
    std::uint64_t instants_ = 0;
    const GoesOn* goesOn_ = nullptr;
    rules::Rules rules_;
};

class BeatsAndBursts final : public FrameFollower {
public:
    BeatsAndBursts(const std::shared_ptr<const database::Catalog>& catalog, const std::vector<can::BitRate>& rates, bool beats, bool bursts,
        std::size_t most)
        : finder_({}, catalog, rates.size(), {}, {}, {}, most), loads_(rates), beats_(beats), bursts_(bursts)
    {}
    void finish(const trace::Snapshot& snapshot) override
    {
        findBursts(Time::max());
        if (snapshot.rows() > 0)
            missing_ = finder_.stillMissing(snapshot.latest());
        ++changes;
    }
    void tell(std::vector<Event>& out) const override
    {
        for (Event event : finder_.events()) {
            if (event.kind == EventKind::missedBeats && beats_)
                out.push_back(std::move(event));
            if (event.kind != EventKind::burst || !bursts_)
                continue;
            const LoadBins& bins = loads_[event.bus];
            const double busy = static_cast<double>(bins.busy(bins.indexOf(event.time), bins.indexOf(event.until) - 1));
            char words[60];
            std::snprintf(words, sizeof words, "load of %.0f %%", 100 * busy / static_cast<double>((event.until - event.time).count()));
            event.what = "burst";
            event.why = words;
            out.push_back(std::move(event));
        }
        if (beats_)
            out.insert(out.end(), missing_.begin(), missing_.end());
    }

protected:
    void take(trace::Row row, trace::IdentifierIndex identifier, const trace::TraceKey& key, const trace::Snapshot& snapshot) override
    {
        const can::FrameView frame = snapshot.frame(row);
        finder_.take(row, identifier, key, frame);
        loads_.take(row, identifier, key, frame);
    }
    void taken(const trace::Snapshot& snapshot) override
    {
        if (snapshot.rows() > 0)
            findBursts(snapshot.latest());
        changes += std::exchange(known_, finder_.events().size()) != known_ ? 1 : 0;
        notKept = finder_.notKept();
    }

private:
    void findBursts(Time now)
    {
        for (std::size_t bus = 0; bus < loads_.size(); ++bus)
            finder_.findBursts(static_cast<std::uint8_t>(bus), loads_[bus], now);
    }
    EventFinder finder_;
    BusLoads loads_;
    bool beats_, bursts_;
    std::vector<Event> missing_;
    std::size_t known_ = 0;
};

// Bunches of error frames of one class on a bus.
class ErrorFollower final : public FrameFollower {
public:
    explicit ErrorFollower(std::size_t most) : most_(most) {}
    void tell(std::vector<Event>& out) const override
    {
        for (Event event : events_) {
            event.why = std::to_string(event.count) + (event.count == 1 ? " error frame" : " error frames");
            event.text = event.count == 1 ? event.what : event.what + ", " + event.why;
            out.push_back(std::move(event));
        }
    }

protected:
    void take(trace::Row row, trace::IdentifierIndex, const trace::TraceKey& key, const trace::Snapshot& snapshot) override
    {
        if (!key.error)
            return;
        const can::FrameView frame = snapshot.frame(row);
        const std::uint32_t classes = can::errorClasses(frame);
        ++changes;
        if (const auto found = open_.find({frame.bus, classes});
            found != open_.end() && frame.time - events_[found->second].until < errorsApart) {
            events_[found->second].until = frame.time;
            ++events_[found->second].count;
            return;
        }
        if (events_.size() >= most_) {
            ++notKept;
            return;
        }
        open_[{frame.bus, classes}] = events_.size();
        events_.push_back({EventKind::errorFrame, frame.time, frame.time, frame.bus, row, {}, 1, can::errorClassWords(classes)});
    }

private:
    std::size_t most_;
    std::map<std::pair<unsigned, std::uint32_t>, std::size_t> open_;
    std::vector<Event> events_;
};

// What goes wrong in the higher protocols that buses speak.
class ProtocolFollower final : public FrameFollower {
public:
    ProtocolFollower(const std::vector<std::vector<protocol::Spoken>>& spoken, std::size_t most) : found_(most)
    {
        for (std::size_t bus = 0; bus < spoken.size(); ++bus)
            stream_.speak(static_cast<std::uint8_t>(bus), spoken[bus]);
    }
    void finish(const trace::Snapshot& snapshot) override
    {
        stream_.finish();
        if (snapshot.rows() > 0)
            found_.passed(snapshot.latest());
        ++changes;
    }
    void tell(std::vector<Event>& out) const override
    {
        for (const protocol::ProtocolEvent& event : found_.all())
            out.push_back({EventKind::protocol, event.from, event.to, event.bus, trace::Row{event.number + before_}, event.what, 1,
                event.what, event.why, event.open});
    }

protected:
    void take(trace::Row row, trace::IdentifierIndex, const trace::TraceKey&, const trace::Snapshot& snapshot) override
    {
        if (!std::exchange(begun_, true))
            before_ = row;
        stream_.onFrame(snapshot.frame(row));
    }
    void taken(const trace::Snapshot&) override
    {
        changes += std::exchange(known_, found_.changes()) != found_.changes() ? 1 : 0;
        notKept = found_.notKept();
    }

private:
    protocol::ProtocolEvents found_;
    protocol::MessageStream stream_{[this](const protocol::MessageRow& row) { found_.take(row); },
        [this](const protocol::Transfer& transfer) { found_.take(transfer); }};
    trace::Row before_ = 0;  // rows that were gone
    bool begun_ = false;
    std::uint64_t known_ = 0;
};

// One signal, or derived one, and its range.
class RangeFollower final : public Happenings::Follower {
public:
    RangeFollower(SampleFeed feed, std::string name, std::string unit, std::uint8_t bus, double low, double high, std::size_t most)
        : feed_(std::move(feed)),
          name_(std::move(name)),
          unit_(std::move(unit)),
          bus_(bus),
          low_(low),
          high_(high),
          most_(most),
          watch_(low, high)
    {}
    bool advance(const trace::Snapshot& snapshot, const GoesOn& goesOn) override
    {
        while (feed_.next() < snapshot.rows()) {
            if (goesOn && !goesOn())
                return false;
            samples_.clear();
            feed_.take(snapshot, std::min<trace::Row>(snapshot.rows(), feed_.next() + 16 * rowsAtOnce), samples_);
            const auto before = stateOf();
            watch_.take(samples_);
            changes += stateOf() != before ? 1 : 0;
        }
        samples_ = {};
        const std::size_t found = watch_.found().size();
        notKept = found > most_ ? found - most_ : 0;
        return true;
    }
    void tell(std::vector<Event>& out) const override
    {
        const auto& found = watch_.found();
        for (std::size_t i = 0; i < std::min(found.size(), most_); ++i) {
            const OutOfRange& one = found[i];
            const std::string limit = one.below ? "below " + valueWords(low_, unit_) : "above " + valueWords(high_, unit_);
            out.push_back({EventKind::range, one.from, one.to.value_or(one.from), bus_, one.row, name_ + ' ' + limit, 1, name_,
                limit + ", as far as " + valueWords(one.farthest, unit_), !one.to});
        }
    }

private:
    [[nodiscard]] std::tuple<std::size_t, bool, double> stateOf() const
    {
        const auto& found = watch_.found();
        return {found.size(), !found.empty() && found.back().to.has_value(), found.empty() ? 0 : found.back().farthest};
    }
    SampleFeed feed_;
    std::string name_, unit_;
    std::uint8_t bus_;
    double low_, high_;
    std::size_t most_;
    RangeWatch watch_;
    Samples samples_;
};

std::vector<rules::ConditionRule> stateRules(const std::vector<std::string>& buses)
{
    std::vector<rules::ConditionRule> out;
    for (std::size_t bus = 0; bus < buses.size(); ++bus)
        for (const rules::BusState state : {rules::BusState::errorPassive, rules::BusState::busOff}) {
            rules::ConditionRule rule;
            rule.name = rules::toText(state);
            rule.kind = rules::ConditionKind::state;
            rule.bus = static_cast<int>(bus);
            rule.busName = buses[bus];
            rule.state = state;
            out.push_back(std::move(rule));
        }
    return out;
}

}  // namespace

Happenings::Happenings(std::shared_ptr<const database::Catalog> catalog, Options options)
{
    const auto wants = [&](EventKind kind) { return options.kinds[static_cast<std::size_t>(kind)]; };
    if (wants(EventKind::condition) && !options.conditions.empty())
        followers_.push_back(
            std::make_unique<RuleFollower>(EventKind::condition, std::move(options.conditions), options.rates, options.most));
    if (wants(EventKind::state))
        followers_.push_back(std::make_unique<RuleFollower>(EventKind::state, stateRules(options.buses), options.rates, options.most));
    if (wants(EventKind::missedBeats) || wants(EventKind::burst))
        followers_.push_back(
            std::make_unique<BeatsAndBursts>(catalog, options.rates, wants(EventKind::missedBeats), wants(EventKind::burst), options.most));
    if (wants(EventKind::errorFrame))
        followers_.push_back(std::make_unique<ErrorFollower>(options.most));
    if (wants(EventKind::protocol)
        && std::any_of(options.spoken.begin(), options.spoken.end(), [](const auto& one) { return !one.empty(); }))
        followers_.push_back(std::make_unique<ProtocolFollower>(options.spoken, options.most));
    if (!wants(EventKind::range))
        return;
    for (const database::CatalogMessage& message : catalog->messages())
        for (std::uint32_t i = 0; i < message.message->signals.size(); ++i)
            if (const database::Signal& signal = message.message->signals[i];
                signal.minimum && signal.maximum && *signal.minimum <= *signal.maximum)
                followers_.push_back(std::make_unique<RangeFollower>(SampleFeed(*catalog, database::SignalRef{&message, i}),
                    message.message->name + '.' + signal.name, signal.unit, message.bus, *signal.minimum, *signal.maximum, options.most));
    for (std::uint32_t d = 0; d < catalog->derived().size(); ++d)
        if (const database::DerivedSignal& derived = catalog->derived()[d];
            !derived.problem && derived.spec.minimum && derived.spec.maximum)
            followers_.push_back(std::make_unique<RangeFollower>(SampleFeed(*catalog, d), derived.spec.name, derived.spec.unit, noBus,
                *derived.spec.minimum, *derived.spec.maximum, options.most));
}

Happenings::~Happenings() = default;

bool Happenings::advance(const trace::Snapshot& snapshot, const GoesOn& goesOn, unsigned threads)
{
    std::vector<char> all(followers_.size(), 0);
    inParallel(followers_.size(), threads, [&](std::size_t i) { all[i] = followers_[i]->advance(snapshot, goesOn) ? 1 : 0; });
    return std::find(all.begin(), all.end(), 0) == all.end();
}

void Happenings::finish(const trace::Snapshot& snapshot)
{
    for (const auto& follower : followers_)
        follower->finish(snapshot);
}

std::vector<Event> Happenings::all(Time newest) const
{
    std::vector<Event> out;
    for (const auto& follower : followers_)
        follower->tell(out);
    for (Event& event : out)
        if (event.open)
            event.until = std::max(event.until, newest);
    std::stable_sort(out.begin(), out.end(), inOrder);
    return out;
}

bool inOrder(const Event& a, const Event& b)
{
    const auto key = [](const Event& event) {
        return std::tuple(event.time, event.kind, event.bus == noBus ? -1 : static_cast<int>(event.bus), std::string_view(event.what));
    };
    return key(a) < key(b);
}

std::uint64_t Happenings::notKept() const
{
    std::uint64_t out = 0;
    for (const auto& follower : followers_)
        out += follower->notKept;
    return out;
}

std::string Happenings::problem() const
{
    for (const auto& follower : followers_)
        if (!follower->problem.empty())
            return follower->problem;
    return {};
}

std::uint64_t Happenings::changes() const
{
    std::uint64_t out = 0;
    for (const auto& follower : followers_)
        out += follower->changes;
    return out;
}

}  // namespace wavetrope::measure
