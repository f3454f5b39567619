#include "convert/value_rows.h"

#include "can/csv_text.h"
#include "can/in_parallel.h"
#include "can/number_text.h"
#include "convert/chosen_signals.h"

namespace wavetrope::convert {

namespace {

constexpr std::size_t rowsOfPart = 8192;

// What the rows of one signal of one identifier have in common.
struct Fixed {
    std::string front;      // ",bus,id,message,signal,"
    std::string back;       // ",unit,"
    const database::Signal* signal = nullptr;
    bool whole = true;      // raw values are integers
    bool isSigned = false;
    unsigned unused = 0;
};

// A stretch of frames and what becomes of it.
struct Part {
    std::vector<trace::Row> rows;
    std::string text;
    std::uint64_t values = 0;
    std::uint64_t tooShort = 0;
};

class Writer {
public:
    Writer(const Frames& frames, const database::Catalog& catalog, const Conversion& conversion)
        : frames_(frames), messages_(chooseSignals(frames.snapshot().trace(), catalog, conversion.signals)),
          origin_(conversion.clock == Clock::start ? frames.snapshot().trace().origin() : can::Time{0})
    {
        const trace::Trace& trace = frames.snapshot().trace();
        const auto buses = trace.buses();
        fixed_.resize(messages_.size());
        for (std::size_t i = 0; i < messages_.size(); ++i) {
            const ChosenMessage& message = messages_[i];
            if (!message.any)
                continue;
            const trace::TraceKey& key = trace.key(static_cast<trace::IdentifierIndex>(i));
            for (std::uint32_t s = 0; s < message.chosen.size(); ++s) {
                Fixed& fixed = fixed_[i].emplace_back();
                fixed.signal = &message.entry->message->signals[s];
                const database::SignalPlan& plan = message.entry->plan.plan(s);
                fixed.whole = plan.type == database::ValueType::integer;
                fixed.isSigned = plan.isSigned;
                fixed.unused = 64U - plan.length;
                for (const std::string& text : {key.bus < buses.size() ? buses[key.bus].name : std::string(), can::toText(key.id), message.entry->message->name, fixed.signal->name}) {
                    fixed.front += ',';
                    can::appendCsvField(fixed.front, text);
                }
                fixed.front += ',';
                fixed.back = ",";
                can::appendCsvField(fixed.back, fixed.signal->unit);
                fixed.back += ',';
            }
        }
    }

    void render(Part& part) const
    {
        std::vector<database::Decoded> decoded;
        std::string time;
        std::string& out = part.text;
        out.clear();
        part.values = part.tooShort = 0;
        for (const trace::Row row : part.rows) {
            const trace::IdentifierIndex identifier = frames_.snapshot().identifier(row);
            if (identifier >= messages_.size() || !messages_[identifier].any)
                continue;
            const ChosenMessage& message = messages_[identifier];
            const can::FrameView frame = frames_.snapshot().frame(row);
            decoded.clear();
            part.tooShort += message.entry->plan.decode(frame, decoded) > 0 ? 1 : 0;
            time.clear();
            can::appendSeconds(time, frame.time - origin_);
            for (const database::Decoded& value : decoded) {
                if (!message.chosen[value.signal])
                    continue;
                const Fixed& fixed = fixed_[identifier][value.signal];
                out += time;
                out += fixed.front;
                if (!fixed.whole)
                    can::appendNumber(out, value.raw);
                else if (fixed.isSigned)
                    can::appendInteger(out, static_cast<std::int64_t>(value.bits << fixed.unused) >> fixed.unused);
                else
                    can::appendInteger(out, value.bits);
                out += ',';
                can::appendNumber(out, value.value);
                out += fixed.back;
                if (!fixed.signal->texts.empty())
                    can::appendCsvField(out, fixed.signal->textOf(value.raw));
                out += '\n';
                ++part.values;
            }
        }
    }

private:
    const Frames& frames_;
    std::vector<ChosenMessage> messages_;
    std::vector<std::vector<Fixed>> fixed_;     // by identifier and signal
    can::Time origin_;
};

}  // namespace

bool writeValueRows(const Frames& frames, const database::Catalog& catalog, const Conversion& conversion, formats::ByteTarget& target, Outcome& outcome, const Progress& progress)
{
    const Writer writer(frames, catalog, conversion);
    const auto write = [&](std::string_view text) { target.write({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()}); };
    write("time,bus,id,message,signal,raw,value,unit,label\n");
    std::vector<Part> parts(4UL * threadsFor(conversion.threads));
    std::uint64_t tooShort = 0;
    for (trace::Row at = frames.begin(); at < frames.end();) {
        std::size_t used = 0;
        while (used < parts.size() && at < frames.end())
            at = frames.next(at, rowsOfPart, parts[used++].rows);
        inParallel(used, conversion.threads, [&](std::size_t i) { writer.render(parts[i]); });
        for (std::size_t i = 0; i < used; ++i) {
            write(parts[i].text);
            outcome.frames += parts[i].rows.size();
            outcome.values += parts[i].values;
            tooShort += parts[i].tooShort;
        }
        if (progress && !progress(at - frames.begin(), frames.end() - frames.begin()))
            return false;
    }
    if (tooShort > 0)
        outcome.warnings.push_back(std::to_string(tooShort) + " frames are shorter than their message; the signals that they carry were decoded");
    return true;
}

}  // namespace wavetrope::convert
