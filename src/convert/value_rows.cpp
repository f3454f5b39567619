// SPDX-License-Identifier: GPL-3.0-or-later
#include "convert/value_rows.h"

#include <cmath>

#include "base/csv_text.h"
#include "base/in_parallel.h"
#include "base/number_text.h"

namespace wavetrope::convert {

namespace {

constexpr std::size_t rowsOfPart = 8192;

// A stretch of frames and what becomes of it.
struct Part {
    std::vector<trace::Row> rows;
    std::string text;
    ValueRows::Counts counts;
};

}  // namespace

ValueRows::ValueRows(std::shared_ptr<const database::Catalog> catalog, const std::string& pattern, Time origin)
    : catalog_(std::move(catalog)), origin_(origin)
{
    for (const database::CatalogMessage& message : catalog_->messages()) {
        Entry entry;
        bool anyChosen = false;
        for (std::uint32_t s = 0; s < message.message->signals.size(); ++s) {
            Fixed fixed;
            fixed.signal = &message.message->signals[s];
            fixed.chosen = pattern.empty() || filter::fitsPattern(fixed.signal->name, pattern)
                           || filter::fitsPattern(message.message->name + "." + fixed.signal->name, pattern);
            anyChosen = anyChosen || fixed.chosen;
            const database::SignalPlan& plan = message.plan.plan(s);
            fixed.whole = plan.type == database::ValueType::integer;
            fixed.isSigned = plan.isSigned;
            fixed.unused = 64U - plan.length;
            for (const std::string& text : {message.message->name, fixed.signal->name}) {
                fixed.front += ',';
                appendCsvField(fixed.front, text);
            }
            fixed.front += ',';
            fixed.back = ",";
            appendCsvField(fixed.back, fixed.signal->unit);
            fixed.back += ',';
            entry.signals.push_back(std::move(fixed));
        }
        if (!anyChosen)
            continue;
        any_ = true;
        entry.bus = ",";
        appendCsvField(entry.bus, catalog_->busName(message.bus));
        entry.bus += ',';
        entries_.emplace(&message, std::move(entry));
    }
    for (const database::DerivedSignal& derived : catalog_->derived()) {
        std::string front = ",,,,", back = ",";
        appendCsvField(front, derived.spec.name);
        front += ",,";
        appendCsvField(back, derived.spec.unit);
        derived_.emplace_back(std::move(front), back + ",\n");
    }
    any_ = any_ || !chooseDerived(*catalog_, pattern).empty();
}

void ValueRows::append(Time time, std::uint32_t derived, double value, std::string& out, Counts& counts) const
{
    if (!std::isfinite(value))
        return;
    appendSeconds(out, time - origin_);
    out += derived_[derived].first;
    appendNumber(out, value);
    out += derived_[derived].second;
    ++counts.values;
}

void ValueRows::append(
    const can::FrameHead& frame, can::Payload bytes, std::string& out, std::vector<database::Decoded>& decoded, Counts& counts) const
{
    const database::CatalogMessage* message = catalog_->find(frame);
    if (message == nullptr)
        return;
    ++counts.frames;
    const auto found = entries_.find(message);
    if (found == entries_.end())
        return;
    decoded.clear();
    if (frame.kind == can::FrameKind::data || frame.kind == can::FrameKind::fd)
        counts.tooShort += message->plan.decode(bytes, decoded) > 0 ? 1 : 0;
    if (decoded.empty())
        return;
    // What comes before the signal's own fields is the same for all of the frame.
    std::string front;
    appendSeconds(front, frame.time - origin_);
    front += found->second.bus;
    front += can::toText(frame.id);
    for (const database::Decoded& value : decoded) {
        const Fixed& fixed = found->second.signals[value.signal];
        if (!fixed.chosen)
            continue;
        out += front;
        out += fixed.front;
        if (!fixed.whole)
            appendNumber(out, value.raw);
        else if (fixed.isSigned)
            appendInteger(out, static_cast<std::int64_t>(value.bits << fixed.unused) >> fixed.unused);
        else
            appendInteger(out, value.bits);
        out += ',';
        appendNumber(out, value.value);
        out += fixed.back;
        if (!fixed.signal->texts.empty())
            appendCsvField(out, database::textOf(*fixed.signal, value.bits));
        out += '\n';
        ++counts.values;
    }
}

std::vector<std::string> shortcomings(
    const ValueRows::Counts& counts, bool anyDatabase, bool anySignal, const std::string& pattern, std::uint64_t frames)
{
    std::vector<std::string> words;
    if (counts.tooShort > 0)
        words.push_back(
            std::to_string(counts.tooShort) + " frames are shorter than their message; the signals that they carry were decoded");
    if (counts.values > 0)
        return words;
    if (!anyDatabase)
        words.push_back("no value was written: no database explains any bus of the log. Give one with --database [BUS=]FILE");
    else if (!anySignal)
        words.push_back("no value was written: no signal of the databases fits '" + pattern + "'");
    else if (frames == 0)
        words.push_back("no value was written: no frame passes");
    else if (counts.frames == 0)
        words.push_back(
            "no value was written: the databases explain none of the " + std::to_string(frames) + " frames. Are they those of this bus?");
    else
        words.push_back("no value was written: no frame carries a signal that was asked for");
    return words;
}

bool writeValueRows(const Frames& frames, const std::shared_ptr<const database::Catalog>& catalog, const Conversion& conversion,
    formats::ByteTarget& target, Outcome& outcome, const Progress& progress)
{
    const ValueRows rows(catalog, conversion.signals, conversion.clock == Clock::start ? frames.snapshot().trace().origin() : Time{0});
    const auto write = [&](std::string_view text) { target.write({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()}); };
    write(ValueRows::head);
    const DerivedRows derived(frames.snapshot(), *catalog, conversion.signals);
    std::vector<Part> parts(4UL * threadsFor(conversion.threads));
    ValueRows::Counts all;
    for (trace::Row at = frames.begin(); at < frames.end();) {
        std::size_t used = 0;
        while (used < parts.size() && at < frames.end())
            at = frames.next(at, rowsOfPart, parts[used++].rows);
        inParallel(used, conversion.threads, [&](std::size_t i) {
            Part& part = parts[i];
            std::vector<database::Decoded> decoded;
            part.text.clear();
            part.counts = {};
            for (const trace::Row row : part.rows) {
                const can::FrameView frame = frames.snapshot().frame(row);
                rows.append(frame, part.text, decoded, part.counts);
                if (derived.count() > 0)
                    for (const DerivedRows::Value& value : derived.of(row))
                        rows.append(frame.time, derived.derived(value.place), value.value, part.text, part.counts);
            }
        });
        for (std::size_t i = 0; i < used; ++i) {
            write(parts[i].text);
            outcome.frames += parts[i].rows.size();
            all.frames += parts[i].counts.frames;
            all.values += parts[i].counts.values;
            all.tooShort += parts[i].counts.tooShort;
        }
        if (progress && !progress(at - frames.begin(), frames.end() - frames.begin()))
            return false;
    }
    outcome.values += all.values;
    for (std::string& words : shortcomings(all, catalog->anyDatabase(), rows.any(), conversion.signals, outcome.frames))
        outcome.warnings.push_back(std::move(words));
    return true;
}

std::string ValueStream::render(const std::shared_ptr<const database::Catalog>& catalog, Time origin,
    std::span<const can::FrameView> frames, std::span<const DerivedValue> derived, Time from, Time to)
{
    std::shared_ptr<const ValueRows> rows;
    {
        const std::scoped_lock lock(mutex_);
        auto& known = rows_[catalog.get()];
        if (known == nullptr)
            known = std::make_shared<const ValueRows>(catalog, pattern_, origin);
        rows = known;
    }
    std::string text;
    std::vector<database::Decoded> decoded;
    ValueRows::Counts counts;
    std::uint64_t taken = 0;
    auto next = derived.begin();
    for (std::size_t i = 0; i < frames.size(); ++i) {
        const can::FrameView& frame = frames[i];
        const bool within = frame.time >= from && frame.time <= to;
        if (within) {
            ++taken;
            rows->append(frame, text, decoded, counts);
        }
        for (; next != derived.end() && next->frame == i; ++next)
            if (within)
                rows->append(frame.time, next->derived, next->value, text, counts);
    }
    const std::scoped_lock lock(mutex_);
    frames_ += taken;
    counts_.frames += counts.frames;
    counts_.values += counts.values;
    counts_.tooShort += counts.tooShort;
    return text;
}

std::vector<std::string> ValueStream::shortcomings(const std::shared_ptr<const database::Catalog>& catalog) const
{
    return convert::shortcomings(counts_, catalog->anyDatabase(), ValueRows(catalog, pattern_, {}).any(), pattern_, frames_);
}

}  // namespace wavetrope::convert
