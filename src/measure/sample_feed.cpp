// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/sample_feed.h"

#include <algorithm>
#include <limits>
#include <map>
#include <numeric>

namespace wavetrope::measure {

namespace {

// Puts samples from a place on, which came by identifier, into the order of the trace.
void orderByRow(Samples& samples, std::size_t from)
{
    const auto begin = samples.rows.begin() + static_cast<std::ptrdiff_t>(from);
    if (std::is_sorted(begin, samples.rows.end()))
        return;
    std::vector<std::size_t> order(samples.size() - from);
    std::iota(order.begin(), order.end(), from);
    std::sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return samples.rows[a] < samples.rows[b]; });
    Samples sorted;
    for (const std::size_t at : order) {
        sorted.rows.push_back(samples.rows[at]);
        sorted.times.push_back(samples.times[at]);
        sorted.values.push_back(samples.values[at]);
    }
    std::copy(sorted.rows.begin(), sorted.rows.end(), begin);
    std::copy(sorted.times.begin(), sorted.times.end(), samples.times.begin() + static_cast<std::ptrdiff_t>(from));
    std::copy(sorted.values.begin(), sorted.values.end(), samples.values.begin() + static_cast<std::ptrdiff_t>(from));
}

}  // namespace

FormulaFollower::FormulaFollower(const formula::Formula& formula) : evaluator_(formula) {}

void FormulaFollower::follow(const std::vector<const Samples*>& inputs, const std::function<bool(const SampleBlock&)>& take)
{
    constexpr std::size_t block = formula::Evaluator::blockSize;
    constexpr trace::Row none = std::numeric_limits<trace::Row>::max();
    struct Cursor {
        trace::Row next;            // its next sample, or none
        double holds;
        std::uint64_t bit;
        double* column;
        const Samples* input;
        std::size_t at;
    };
    holds_.resize(inputs.size());
    std::vector<std::vector<double>> columns(inputs.size(), std::vector<double>(block));
    std::vector<const double*> places;
    std::vector<Cursor> cursors;
    for (std::size_t k = 0; k < inputs.size(); ++k) {
        places.push_back(columns[k].data());
        cursors.push_back(
            {inputs[k]->size() > 0 ? inputs[k]->rows[0] : none, holds_[k], std::uint64_t{1} << k, columns[k].data(), inputs[k], 0});
    }
    std::vector<Time> times(block);
    std::vector<trace::Row> rows(block);
    std::vector<std::uint64_t> touched(block);
    std::vector<double> values(block);
    for (bool goes = true; goes;) {
        std::size_t count = 0;
        for (; count < block; ++count) {
            trace::Row row = none;
            for (const Cursor& cursor : cursors)
                row = std::min(row, cursor.next);
            if (row == none)
                break;
            std::uint64_t bits = 0;
            for (Cursor& cursor : cursors) {
                if (cursor.next == row) {
                    const Samples& input = *cursor.input;
                    bits |= cursor.bit;
                    cursor.holds = input.values[cursor.at];
                    times[count] = input.times[cursor.at];
                    cursor.next = ++cursor.at < input.size() ? input.rows[cursor.at] : none;
                }
                cursor.column[count] = cursor.holds;
            }
            rows[count] = row;
            touched[count] = bits;
        }
        if (count == 0)
            break;
        const std::size_t from = evaluator_.evaluate({times.data(), count}, places, {touched.data(), count}, values.data());
        goes = from == count
               || take({{rows.data() + from, count - from}, {times.data() + from, count - from}, {values.data() + from, count - from}});
    }
    for (std::size_t k = 0; k < inputs.size(); ++k)
        holds_[k] = cursors[k].holds;
}

SampleFeed::SampleFeed(const database::Catalog& catalog, const database::SignalRef& signal) : catalog_(&catalog) { placeOf(signal); }

SampleFeed::SampleFeed(const database::SignalRef& signal) : catalog_(nullptr) { placeOf(signal); }

SampleFeed::SampleFeed(const database::Catalog& catalog, const database::SignalRef& signal, std::shared_ptr<const MessageIndex> messages)
    : catalog_(&catalog), messages_(std::move(messages))
{
    placeOf(signal);
}

trace::Row SampleFeed::reach(const trace::Snapshot& snapshot) const
{
    return messages_ == nullptr ? snapshot.rows() : std::min<trace::Row>(snapshot.rows(), messages_->seen());
}

SampleFeed::SampleFeed(const database::Catalog& catalog, std::uint32_t derived) : catalog_(&catalog)
{
    const std::vector<database::DerivedSignal>& all = catalog.derived();
    if (all[derived].problem)
        return;
    // Each that is looked at once, whoever does.
    std::vector<bool> needed(all.size());
    needed[derived] = true;
    const std::vector<std::uint32_t>& order = catalog.derivedOrder();
    for (auto at = order.rbegin(); at != order.rend(); ++at)
        if (needed[*at])
            for (const database::DerivedSignal::Input& input : all[*at].inputs)
                if (input.signal.message == nullptr)
                    needed[input.derived] = true;
    std::map<std::uint32_t, std::size_t> places;
    for (const std::uint32_t d : order) {
        if (!needed[d])
            continue;
        Followed followed{FormulaFollower(all[d].formula), {}};
        for (const database::DerivedSignal::Input& input : all[d].inputs)
            followed.inputs.push_back(
                input.signal.message == nullptr ? Source{false, places[input.derived]} : Source{true, placeOf(input.signal)});
        places[d] = followed_.size();
        followed_.push_back(std::move(followed));
        if (d == derived)
            return;
    }
}

std::size_t SampleFeed::placeOf(const database::SignalRef& signal)
{
    for (std::size_t i = 0; i < plain_.size(); ++i)
        if (plain_[i].signal.message == signal.message && plain_[i].signal.index == signal.index)
            return i;
    plain_.push_back({signal, {}, 0});
    return plain_.size() - 1;
}

std::size_t SampleFeed::remembers() const
{
    std::size_t bytes = sizeof(SampleFeed) + plain_.size() * sizeof(Plain) + followed_.size() * sizeof(Followed);
    for (const Followed& followed : followed_)
        bytes += followed.follower.remembers() + followed.inputs.size() * (sizeof(Source) + sizeof(double));
    return bytes;
}

void SampleFeed::takePlain(Plain& plain, const trace::Snapshot& snapshot, trace::Row to, Samples& out) const
{
    const trace::Trace& trace = snapshot.trace();
    for (; plain.known < trace.identifierCount(); ++plain.known) {
        // A message of the whole identifier goes before one of its parameter group.
        const auto identifier = static_cast<trace::IdentifierIndex>(plain.known);
        const trace::TraceKey& key = trace.key(identifier);
        const database::CatalogMessage* message = plain.signal.message;
        if (!key.error && key.bus == message->bus
            && (catalog_ != nullptr ? catalog_->find(key.bus, key.id) == message : message->fits(key.id)))
            plain.identifiers.push_back(identifier);
    }
    const database::MessagePlan& plan = plain.signal.message->plan;
    const std::size_t before = out.size();
    for (const trace::IdentifierIndex identifier : plain.identifiers)
        snapshot.eachOf(identifier, next_, [&](trace::Row row, const can::FrameView& frame) {
            if (row >= to)
                return false;
            database::Decoded decoded;
            if (plan.decodeOne(frame, plain.signal.index, decoded)) {
                out.rows.push_back(row);
                out.times.push_back(frame.time);
                out.values.push_back(decoded.value);
            }
            return true;
        });
    if (messages_ != nullptr)
        takeWholes(plain, snapshot, to, out);
    if (plain.identifiers.size() > 1 || messages_ != nullptr)
        orderByRow(out, before);
}

// Of each identifier that is the message's, back from the newest one.
void SampleFeed::takeWholes(const Plain& plain, const trace::Snapshot& snapshot, trace::Row to, Samples& out) const
{
    const database::CatalogMessage* message = plain.signal.message;
    for (const MessageIndex::Newest& newest : messages_->newest()) {
        if (newest.bus != message->bus || catalog_->find(newest.bus, newest.id) != message)
            continue;
        for (std::optional<std::uint64_t> at = newest.whole; at; at = messages_->previous(*at)) {
            const trace::Row row = messages_->wholeRow(*at);
            if (row >= to)
                continue;
            if (row < next_)
                break;
            const Message whole = messages_->at(snapshot, row);
            database::Decoded decoded;
            if (!whole.head || whole.head->protocol != protocol::Protocol::vehicle
                || !message->plan.decodeOne(whole.data, plain.signal.index, decoded))
                continue;
            out.rows.push_back(row);
            out.times.push_back(whole.frame.time);
            out.values.push_back(decoded.value);
        }
    }
}

void SampleFeed::take(const trace::Snapshot& snapshot, trace::Row to, Samples& out)
{
    to = std::min<trace::Row>(to, reach(snapshot));
    if (to <= next_)
        return;
    if (followed_.empty()) {
        for (Plain& plain : plain_)
            takePlain(plain, snapshot, to, out);
        next_ = to;
        return;
    }
    std::vector<Samples> given(plain_.size());
    for (std::size_t i = 0; i < plain_.size(); ++i)
        takePlain(plain_[i], snapshot, to, given[i]);
    std::vector<Samples> made(followed_.size());
    for (std::size_t i = 0; i < followed_.size(); ++i) {
        std::vector<const Samples*> inputs;
        for (const Source& source : followed_[i].inputs)
            inputs.push_back(source.plain ? &given[source.place] : &made[source.place]);
        Samples& into = i + 1 == followed_.size() ? out : made[i];
        followed_[i].follower.follow(inputs, [&into](const SampleBlock& block) {
            into.rows.insert(into.rows.end(), block.rows.begin(), block.rows.end());
            into.times.insert(into.times.end(), block.times.begin(), block.times.end());
            into.values.insert(into.values.end(), block.values.begin(), block.values.end());
            return true;
        });
    }
    next_ = to;
}

}  // namespace wavetrope::measure
