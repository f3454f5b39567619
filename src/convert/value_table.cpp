// SPDX-License-Identifier: GPL-3.0-or-later
#include "convert/value_table.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/csv_text.h"
#include "base/number_text.h"
#include "convert/chosen_signals.h"
#include "convert/derived_rows.h"
#include "convert/samples.h"

namespace wavetrope::convert {

namespace {

constexpr std::int64_t mostRows = 1'000'000'000;
constexpr std::uint64_t progressEvery = 4096;

// One signal of one identifier.
struct Column {
    trace::IdentifierIndex identifier = 0;
    const database::CatalogMessage* message = nullptr;
    std::uint32_t signal = 0;
    bool holds = false;         // a value between two others would mean nothing
    std::string head;
};

std::vector<Column> columnsOf(const Frames& frames, const std::vector<ChosenMessage>& messages)
{
    const auto buses = frames.snapshot().trace().buses();
    std::vector<Column> columns;
    std::vector<trace::IdentifierIndex> order;
    for (trace::IdentifierIndex i = 0; i < messages.size(); ++i)
        if (messages[i].any)
            order.push_back(i);
    std::sort(order.begin(), order.end(),
        [&](trace::IdentifierIndex a, trace::IdentifierIndex b) { return frames.keys()[a].packed() < frames.keys()[b].packed(); });
    std::map<std::string, int> names;
    for (const trace::IdentifierIndex i : order)
        for (std::uint32_t s = 0; s < messages[i].chosen.size(); ++s) {
            if (!messages[i].chosen[s])
                continue;
            const database::Signal& signal = messages[i].entry->message->signals[s];
            const trace::TraceKey& key = frames.keys()[i];
            Column column{i, messages[i].entry, s, !signal.texts.empty() || signal.length == 1 || signal.selects(), {}};
            column.head = (key.bus < buses.size() ? buses[key.bus].name + "." : std::string()) + messages[i].entry->message->name + "."
                          + signal.name;
            if (names[column.head]++ > 0)  // one message under several identifiers
                column.head += " " + can::toText(key.id);
            if (!signal.unit.empty())
                column.head += " [" + signal.unit + "]";
            columns.push_back(std::move(column));
        }
    return columns;
}

class Rows {
public:
    Rows(formats::ByteTarget& target, Time origin) : target_(target), origin_(origin) {}
    void head(const std::vector<Column>& columns)
    {
        text_ = "time [s]";
        for (const Column& column : columns) {
            text_ += ',';
            appendCsvField(text_, column.head);
        }
        text_ += '\n';
    }
    template <class Cell>
    void row(Time time, std::size_t columns, Cell cell)
    {
        appendSeconds(text_, time - origin_);
        for (std::size_t i = 0; i < columns; ++i) {
            text_ += ',';
            cell(i, text_);
        }
        text_ += '\n';
        if (text_.size() > 100'000)
            flush();
    }
    void flush()
    {
        target_.write({reinterpret_cast<const std::uint8_t*>(text_.data()), text_.size()});
        text_.clear();
    }

private:
    formats::ByteTarget& target_;
    Time origin_;
    std::string text_;
};

// A row whenever a value changes. Derived signals have the last columns.
bool onChange(const Frames& frames, const std::vector<Column>& columns, const std::vector<ChosenMessage>& messages,
    const DerivedRows& derived, Rows& rows, Outcome& outcome, const Progress& progress)
{
    struct Cell {
        bool known = false;
        double value = 0;
        std::string text;
    };
    std::vector<Cell> cells(columns.size());
    std::vector<std::vector<int>> columnOf(messages.size());
    const std::size_t firstDerived = columns.size() - derived.count();
    for (std::size_t c = 0; c < firstDerived; ++c) {
        auto& of = columnOf[columns[c].identifier];
        of.resize(messages[columns[c].identifier].chosen.size(), -1);
        of[columns[c].signal] = static_cast<int>(c);
    }
    std::vector<database::Decoded> decoded;
    bool pending = false;
    Time pendingAt{};
    std::uint64_t tooShort = 0;
    const auto write = [&] {
        rows.row(pendingAt, cells.size(), [&](std::size_t i, std::string& out) { out += cells[i].text; });
        ++outcome.values;
        pending = false;
    };
    const trace::Snapshot& snapshot = frames.snapshot();
    const auto take = [&](trace::Row row) {
        ++outcome.frames;
        const Frames::At shown = frames.at(row);
        const trace::IdentifierIndex identifier = shown.identifier;
        const std::span<const DerivedRows::Value> values = derived.count() > 0 ? derived.of(row) : std::span<const DerivedRows::Value>();
        const bool plain = identifier < messages.size() && messages[identifier].any && shown.decodes;
        if (!plain && values.empty())
            return;
        const can::FrameHead& frame = shown.head;
        if (pending && frame.time != pendingAt)
            write();
        decoded.clear();
        if (plain)
            tooShort += messages[identifier].entry->plan.decode(shown.payload, decoded) > 0 ? 1 : 0;
        for (const database::Decoded& value : decoded) {
            const int column = columnOf[identifier][value.signal];
            if (column < 0)
                continue;
            Cell& cell = cells[static_cast<std::size_t>(column)];
            if (cell.known && (cell.value == value.value || (std::isnan(cell.value) && std::isnan(value.value))))
                continue;
            cell.known = pending = true;
            cell.value = value.value;
            cell.text.clear();
            appendNumber(cell.text, value.value);
        }
        for (const DerivedRows::Value& value : values) {
            Cell& cell = cells[firstDerived + value.place];
            const bool gap = !std::isfinite(value.value);       // nothing holds from there to the next
            if (gap ? !cell.known : cell.known && cell.value == value.value)
                continue;
            pending = true;
            cell.known = !gap;
            cell.value = value.value;
            cell.text.clear();
            if (!gap)
                appendNumber(cell.text, value.value);
        }
        pendingAt = frame.time;
    };
    if (snapshot.trace().monotone()) {
        std::vector<trace::Row> some;
        for (trace::Row at = frames.begin(); at < frames.end();) {
            at = frames.next(at, rowsAtOnce, some);
            for (const trace::Row row : some)
                take(row);
            if (progress && !progress(at - frames.begin(), frames.end() - frames.begin()))
                return false;
        }
    } else {
        const trace::TimeIndex order(snapshot);
        for (std::uint64_t i = 0; i < order.rows(); ++i) {
            if (const trace::Row row = order.rowAt(i); frames.has(row))
                take(row);
            if (i % progressEvery == 0 && progress && !progress(i, order.rows()))
                return false;
        }
    }
    if (pending)
        write();
    if (tooShort > 0)
        outcome.warnings.push_back(
            std::to_string(tooShort) + " frames are shorter than their message; the signals that they carry were decoded");
    return true;
}

// Of messages: each is put together once, for all its columns.
std::vector<std::vector<Sample>> samplesOf(const Frames& frames, const std::vector<Column>& columns, std::size_t count)
{
    std::vector<std::vector<Sample>> out(count);
    std::map<trace::IdentifierIndex, std::vector<std::size_t>> columnsOf;
    for (std::size_t c = 0; c < count; ++c)
        columnsOf[columns[c].identifier].push_back(c);
    std::vector<trace::Row> some;
    for (trace::Row at = frames.begin(); at < frames.end();) {
        at = frames.next(at, rowsAtOnce, some);
        for (const trace::Row row : some) {
            const Frames::At shown = frames.at(row);
            const auto found = columnsOf.find(shown.identifier);
            if (found == columnsOf.end() || !shown.decodes)
                continue;
            database::Decoded decoded;
            for (const std::size_t c : found->second)
                if (columns[c].message->plan.decodeOne(shown.payload, columns[c].signal, decoded))
                    out[c].push_back({shown.head.time, decoded.value});
        }
    }
    for (std::vector<Sample>& samples : out)
        std::stable_sort(samples.begin(), samples.end(), [](const Sample& a, const Sample& b) { return a.time < b.time; });
    return out;
}

// A row at each step.
Expected<bool> atSteps(const Frames& frames, const std::vector<Column>& columns, const DerivedRows& derived, const Conversion& conversion,
    Rows& rows, Outcome& outcome, const Progress& progress)
{
    struct Source {
        Samples samples;
        std::optional<Sample> last;
    };
    std::vector<Source> sources;
    sources.reserve(columns.size());
    Time first = Time::max();
    Time end = Time::min();
    const trace::Snapshot& snapshot = frames.snapshot();
    std::vector<trace::Row> some;
    for (trace::Row at = frames.begin(); at < frames.end();) {
        at = frames.next(at, rowsAtOnce, some);
        outcome.frames += some.size();
        for (const trace::Row row : some) {
            const Time time = snapshot.time(row);
            first = std::min(first, time);
            end = std::max(end, time);
        }
    }
    if (first > end)
        return true;
    if (conversion.from > Time::min())
        first = conversion.from;
    const std::int64_t count = (end - first) / conversion.step + 1;
    if (count > mostRows)
        return fail("a step of " + std::to_string(conversion.step.count()) + " ns makes " + std::to_string(count) + " rows", "step",
            "Choose a longer step, or a shorter stretch of time");
    const std::size_t firstDerived = columns.size() - derived.count();
    if (frames.ofMessages())
        for (std::vector<Sample>& samples : samplesOf(frames, columns, firstDerived))
            sources.push_back({Samples(std::move(samples)), {}});
    else
        for (std::size_t c = 0; c < firstDerived; ++c)
            sources.push_back({Samples(frames, columns[c].identifier, *columns[c].message, columns[c].signal), {}});
    std::vector<std::vector<Sample>> given(derived.count());
    for (const DerivedRows::Value& value : derived.all())
        if (frames.has(value.row))
            given[value.place].push_back({snapshot.time(value.row), value.value});
    for (std::vector<Sample>& samples : given) {
        std::stable_sort(samples.begin(), samples.end(), [](const Sample& a, const Sample& b) { return a.time < b.time; });
        sources.push_back({Samples(std::move(samples)), {}});
    }
    for (std::int64_t i = 0; i < count; ++i) {
        const Time time = first + i * conversion.step;
        rows.row(time, columns.size(), [&](std::size_t c, std::string& out) {
            Source& source = sources[c];
            const Sample* next = source.samples.peek();
            for (; next != nullptr && next->time <= time; next = source.samples.peek()) {
                source.last = *next;
                source.samples.step();
            }
            if (!source.last)
                return;
            double value = source.last->value;
            if (c >= firstDerived && !std::isfinite(value))
                return;     // a gap
            if (c >= firstDerived && next != nullptr && !std::isfinite(next->value))
                next = nullptr;
            if (conversion.between == Between::interpolate && !columns[c].holds && next != nullptr) {
                const double span = static_cast<double>((next->time - source.last->time).count());
                value += (next->value - value) * (static_cast<double>((time - source.last->time).count()) / span);
            }
            appendNumber(out, value);
        });
        ++outcome.values;
        if (static_cast<std::uint64_t>(i) % progressEvery == 0 && progress
            && !progress(static_cast<std::uint64_t>(i), static_cast<std::uint64_t>(count)))
            return false;
    }
    return true;
}

}  // namespace

Expected<void> writeValueTable(const Frames& frames, const database::Catalog& catalog, const Conversion& conversion,
    formats::ByteTarget& target, Outcome& outcome, const Progress& progress, bool& cancelled)
{
    const auto messages = chooseSignals(frames.keys(), catalog, conversion.signals);
    std::vector<Column> columns = columnsOf(frames, messages);
    const DerivedRows derived(frames.snapshot(), catalog, conversion.signals, conversion.spoken);
    for (std::size_t place = 0; place < derived.count(); ++place) {
        const database::DerivedSpec& spec = derived.spec(place);
        columns.push_back({0, nullptr, 0, false, spec.name + (spec.unit.empty() ? "" : " [" + spec.unit + "]")});
    }
    cancelled = false;
    if (columns.empty())
        return fail("no signal of the log is chosen, so the table would have no columns", conversion.signals,
            "Attach the databases that explain the log, and look at the pattern for signals");
    Rows rows(target, conversion.clock == Clock::start ? frames.snapshot().trace().origin() : Time{0});
    rows.head(columns);
    if (conversion.step > Time{0}) {
        const auto whole = atSteps(frames, columns, derived, conversion, rows, outcome, progress);
        if (!whole)
            return tl::unexpected(whole.error());
        cancelled = !*whole;
    } else {
        cancelled = !onChange(frames, columns, messages, derived, rows, outcome, progress);
    }
    rows.flush();
    return {};
}

}  // namespace wavetrope::convert
