// SPDX-License-Identifier: GPL-3.0-or-later
#include "timing/response_times.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numeric>

#include "can/wire_bits.h"
#include "can/wire_length.h"

namespace wavetrope::timing {

namespace {

using Ticks = __int128;

constexpr Ticks farthest = Ticks{1} << 110;             // beyond it sums could overflow
constexpr std::uint64_t nanosecondsPerSecond = 1'000'000'000;

// Times in whole parts of a nanosecond, of a nominal bit and of a data bit alike.
class Scale {
public:
    explicit Scale(can::BitRate rate)
    {
        const std::uint64_t data = rate.data > 0 ? rate.data : rate.nominal;
        perSecond_ = common(common(nanosecondsPerSecond, rate.nominal), data);
        perNanosecond_ = perSecond_ / nanosecondsPerSecond;
        nominal_ = perSecond_ / rate.nominal;
        fast_ = perSecond_ / static_cast<Ticks>(data);
    }
    [[nodiscard]] Ticks of(Time time) const { return Ticks{time.count()} * perNanosecond_; }
    [[nodiscard]] Ticks of(can::WireLength bits) const { return bits.nominalBits * nominal_ + bits.dataBits * fast_; }
    [[nodiscard]] Ticks bit() const { return nominal_; }
    [[nodiscard]] double milliseconds(Ticks ticks) const
    {
        // What is a whole number of nanoseconds comes out as it is written in decimals.
        if (ticks % perNanosecond_ == 0 && ticks / perNanosecond_ < (Ticks{1} << 53))
            return static_cast<double>(static_cast<std::int64_t>(ticks / perNanosecond_)) / 1e6;
        return static_cast<double>(static_cast<long double>(ticks) * 1000.0L / static_cast<long double>(perSecond_));
    }

private:
    static Ticks common(Ticks a, std::uint64_t b)
    {
        Ticks x = a;
        Ticks y = b;
        while (y != 0)
            x = std::exchange(y, x % y);
        return a / x * static_cast<Ticks>(b);
    }

    Ticks perSecond_, perNanosecond_, nominal_, fast_;
};

struct Row {
    std::size_t message;
    std::uint32_t key;
    Ticks length, period, jitter;       // period 0: none
};

// As many whole periods as are begun in a span of 0 or more.
Ticks begun(Ticks span, Ticks period)
{
    // Most of them fit into what one division of the machine takes.
    if (((span | period) >> 63) == 0)
        return (static_cast<std::int64_t>(span) + static_cast<std::int64_t>(period) - 1) / static_cast<std::int64_t>(period);
    return (span + period - 1) / period;
}

struct Worst {
    std::optional<Ticks> response;
    std::uint64_t instance = 0;
    bool unfinished = false;
};

// Of the row at `own`; those in front of it go first (equation numbers of the paper).
class Analysis {
public:
    Analysis(const std::vector<Row>& higher, const Row& own, Ticks blocking, Ticks bit, std::uint64_t mostLooks)
        : higher_(higher), own_(own), blocking_(blocking), bit_(bit), mostLooks_(mostLooks)
    {}

    Worst find()
    {
        Worst worst;
        long double share = static_cast<long double>(own_.length) / static_cast<long double>(own_.period);
        for (const Row& row : higher_)
            share += static_cast<long double>(row.length) / static_cast<long double>(row.period);
        if (share > 1.0L + 1e-15L)
            return worst;
        const auto busy = settle(
            own_.length, [&](Ticks t) { return blocking_ + demand(t) + begun(t + own_.jitter, own_.period) * own_.length; });   // (6)
        if (!busy) {
            worst.unfinished = true;
            return worst;
        }
        const Ticks instances = begun(*busy + own_.jitter, own_.period);     // (7)
        Ticks waits = blocking_;
        for (Ticks q = 0; q < instances; ++q) {
            const auto settled = settle(waits, [&](Ticks w) { return blocking_ + q * own_.length + demand(w + bit_); });    // (8)
            if (!settled) {
                worst.unfinished = true;
                worst.response.reset();
                return worst;
            }
            const Ticks response = own_.jitter + *settled - q * own_.period + own_.length;      // (9)
            if (!worst.response || response > *worst.response) {
                worst.response = response;
                worst.instance = static_cast<std::uint64_t>(q);
            }
            waits = *settled + own_.length;      // no smaller than this for the next one
        }
        return worst;
    }

private:
    [[nodiscard]] Ticks demand(Ticks span)
    {
        work_ += higher_.size() + 1;
        Ticks sum = 0;
        for (const Row& row : higher_)
            sum += begun(span + row.jitter, row.period) * row.length;
        return sum;
    }
    template <class Next>
    std::optional<Ticks> settle(Ticks from, Next next)
    {
        for (;;) {
            const Ticks to = next(from);
            if (to <= from)
                return from;
            if (work_ > mostLooks_ || to > farthest)
                return std::nullopt;
            from = to;
        }
    }

    const std::vector<Row>& higher_;
    const Row& own_;
    Ticks blocking_, bit_;
    std::uint64_t mostLooks_;
    std::uint64_t work_ = 0;
};

}  // namespace

std::vector<ResponseTime> responseTimes(const std::vector<TimedMessage>& messages, can::BitRate rate, std::uint64_t mostLooks)
{
    const Scale scale(rate);
    std::vector<Row> rows;
    std::vector<can::WireLength> lengths;
    for (std::size_t i = 0; i < messages.size(); ++i) {
        const TimedMessage& message = messages[i];
        lengths.push_back(can::longestLength(message.head));
        lengths.back().nominalBits = static_cast<std::uint16_t>(lengths.back().nominalBits + can::intermissionBits);
        rows.push_back(
            {i, can::arbitrationBits(message.head), scale.of(lengths.back()), scale.of(message.period), scale.of(message.jitter)});
    }
    std::stable_sort(rows.begin(), rows.end(), [](const Row& a, const Row& b) { return a.key < b.key; });
    // By what it is blocked: the longest of all that lose against it.
    std::vector<Ticks> blocking(rows.size(), 0);
    Ticks longest = 0;
    for (std::size_t end = rows.size(); end > 0;) {
        std::size_t begin = end - 1;
        while (begin > 0 && rows[begin - 1].key == rows[end - 1].key)
            --begin;
        for (std::size_t i = begin; i < end; ++i)
            blocking[i] = longest;
        for (std::size_t i = begin; i < end; ++i)
            longest = std::max(longest, rows[i].length);
        end = begin;
    }
    std::vector<ResponseTime> out;
    std::vector<Row> higher;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (rows[i].period == 0)
            continue;
        const std::size_t own = higher.size();
        higher.push_back(rows[i]);
        // Others of its identifier that stand behind it count as higher as well.
        std::vector<Row> before(higher.begin(), higher.begin() + static_cast<std::ptrdiff_t>(own));
        for (std::size_t k = i + 1; k < rows.size() && rows[k].key == rows[i].key; ++k)
            if (rows[k].period > 0)
                before.push_back(rows[k]);
        const Worst worst = Analysis(before, rows[i], blocking[i], scale.bit(), mostLooks).find();
        const std::size_t which = rows[i].message;
        ResponseTime& response = out.emplace_back();
        response.message = which;
        response.bits = lengths[which].nominalBits + lengths[which].dataBits;
        response.unfinished = worst.unfinished;
        response.instance = worst.instance;
        if (worst.response) {
            response.milliseconds = scale.milliseconds(*worst.response);
            response.meets = *worst.response <= scale.of(messages[which].deadline);
        }
    }
    return out;
}

std::vector<WorstFrame> worstCase(const std::vector<TimedMessage>& messages, can::BitRate rate, const ResponseTime& of, std::size_t most)
{
    std::vector<WorstFrame> out;
    if (!of.milliseconds)
        return out;
    const Scale scale(rate);
    const auto lengthOf = [&](std::size_t i) {
        can::WireLength bits = can::longestLength(messages[i].head);
        bits.nominalBits = static_cast<std::uint16_t>(bits.nominalBits + can::intermissionBits);
        return scale.of(bits);
    };
    const auto key = [&](std::size_t i) { return can::arbitrationBits(messages[i].head); };
    const std::size_t own = of.message;
    Ticks now = 0;
    const auto put = [&](std::size_t i, WorstFrame::Role role) {
        const Ticks end = now + lengthOf(i);
        out.push_back({i, role, scale.milliseconds(now), scale.milliseconds(end)});
        now = end;
    };
    std::optional<std::size_t> lower;
    std::vector<std::size_t> queued;        // those that go first, by priority; itself last
    for (std::size_t i = 0; i < messages.size(); ++i) {
        if (i != own && key(i) > key(own)) {
            if (!lower || lengthOf(i) > lengthOf(*lower))
                lower = i;
        } else if (i != own && messages[i].period.count() > 0) {
            queued.push_back(i);
        }
    }
    std::stable_sort(queued.begin(), queued.end(), [&](std::size_t a, std::size_t b) { return key(a) < key(b); });
    queued.push_back(own);
    if (lower)
        put(*lower, WorstFrame::Role::lower);
    std::vector<Ticks> next(messages.size(), 0);  // when each is queued again: at once, then at its beats, the first as late as it may be
    std::vector<std::uint64_t> sent(messages.size(), 0);
    while (out.size() < most) {
        const auto first = std::find_if(queued.begin(), queued.end(),
            [&](std::size_t i) { return i == own ? true : next[i] < now + scale.bit() || (now == 0 && next[i] == 0); });
        const std::size_t i = *first;
        put(i, i == own ? WorstFrame::Role::own : WorstFrame::Role::before);
        if (i == own && sent[own] == of.instance)
            return out;
        ++sent[i];
        next[i] = std::max<Ticks>(0, static_cast<Ticks>(sent[i]) * scale.of(messages[i].period) - scale.of(messages[i].jitter));
    }
    return {};
}

namespace {

template <class Messages>
std::vector<TimedMessage> timed(const Messages& messages)
{
    std::vector<TimedMessage> out;
    for (const database::Message* each : messages) {
        const database::Message& message = *each;
        if (message.length > (message.fd ? can::maxLength : can::maxClassicLength))
            continue;
        TimedMessage& made = out.emplace_back();
        made.name = message.name;
        made.bytes = message.length;
        made.head.id = message.id;
        made.head.kind = message.fd ? can::FrameKind::fd : can::FrameKind::data;
        made.head.brs = message.fd && message.brs;
        made.head.dlc = can::dlcOfLength(message.length);
        made.head.length = static_cast<std::uint8_t>(can::lengthOfDlc(made.head.dlc));
        made.period = made.deadline = std::max(message.cycleTime, Time{0});
    }
    return out;
}

}  // namespace

std::vector<TimedMessage> timedMessages(const database::Database& database)
{
    std::vector<const database::Message*> messages;
    for (const database::Message& message : database.messages)
        messages.push_back(&message);
    return timed(messages);
}

std::vector<TimedMessage> timedMessages(const database::Catalog& catalog, std::uint8_t bus)
{
    std::vector<const database::Message*> messages;
    for (const database::CatalogMessage& message : catalog.messages())
        if (message.bus == bus)
            messages.push_back(message.message);
    return timed(messages);
}

double promisedLoad(const std::vector<TimedMessage>& messages, can::BitRate rate)
{
    double percent = 0;
    for (const TimedMessage& message : messages)
        if (message.period.count() > 0)
            percent += 100.0 * static_cast<double>(can::occupancy(can::longestLength(message.head), rate).count())
                       / static_cast<double>(message.period.count());
    return percent;
}

}  // namespace wavetrope::timing
