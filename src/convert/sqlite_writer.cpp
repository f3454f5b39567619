// SPDX-License-Identifier: GPL-3.0-or-later
#include "convert/sqlite_writer.h"

#include <sqlite3.h>

#include <cmath>
#include <limits>

#include "base/number_text.h"
#include "convert/chosen_signals.h"
#include "convert/derived_rows.h"

namespace wavetrope::convert {

namespace {

constexpr const char* schema = R"(
PRAGMA journal_mode = OFF;
PRAGMA synchronous = OFF;
PRAGMA locking_mode = EXCLUSIVE;
BEGIN;
CREATE TABLE readme (name TEXT PRIMARY KEY, says TEXT NOT NULL);
CREATE TABLE bus (bus INTEGER PRIMARY KEY, name TEXT NOT NULL, bit_rate INTEGER, data_bit_rate INTEGER);
CREATE TABLE message (message INTEGER PRIMARY KEY, bus INTEGER NOT NULL REFERENCES bus, id INTEGER NOT NULL, extended INTEGER NOT NULL,
  name TEXT NOT NULL, sender TEXT NOT NULL, length INTEGER NOT NULL, cycle_ns INTEGER, comment TEXT NOT NULL);
CREATE TABLE signal (signal INTEGER PRIMARY KEY, message INTEGER REFERENCES message, name TEXT NOT NULL, unit TEXT NOT NULL,
  factor REAL NOT NULL, "offset" REAL NOT NULL, minimum REAL, maximum REAL, comment TEXT NOT NULL);
CREATE TABLE frame (frame INTEGER PRIMARY KEY, time_ns INTEGER NOT NULL, bus INTEGER NOT NULL REFERENCES bus, id INTEGER NOT NULL,
  extended INTEGER NOT NULL, kind TEXT NOT NULL, direction TEXT NOT NULL, brs INTEGER NOT NULL, esi INTEGER NOT NULL,
  dlc INTEGER NOT NULL, data BLOB NOT NULL, message INTEGER REFERENCES message);
CREATE TABLE value (frame INTEGER NOT NULL REFERENCES frame, signal INTEGER NOT NULL REFERENCES signal, raw, value REAL, text TEXT);
)";

constexpr const char* indexes = R"(
CREATE INDEX frame_by_time ON frame (time_ns);
CREATE INDEX frame_by_id ON frame (bus, id);
CREATE INDEX value_by_signal ON value (signal, frame);
CREATE VIEW signal_value AS
  SELECT frame.time_ns, frame.time_ns / 1e9 AS seconds_since_1970, CASE WHEN message.message IS NULL THEN NULL ELSE bus.name END AS bus,
    message.name AS message, signal.name AS signal, value.raw, value.value, signal.unit, value.text, frame.frame
  FROM value JOIN signal USING (signal) LEFT JOIN message ON message.message = signal.message JOIN frame USING (frame)
    JOIN bus ON bus.bus = frame.bus;
COMMIT;
)";

constexpr std::pair<const char*, const char*> readme[] = {
    {"", "A log of a controller area network: frames as they were captured, and the signal values that they carry."},
    {"bus", "The buses, with nominal and data bit rate in bit/s; empty where they are not known."},
    {"message", "Messages that occur, with their definition: id as a number, extended is 1 for 29 bits; length in bytes; cycle_ns is the "
                "promised period in nanoseconds, empty where none is promised."},
    {"signal",
        "Signals of these messages: value = raw * factor + offset, in the unit given. minimum and maximum as the database promises them. A "
        "derived signal, which is worked out from others, has no message; its comment begins with its formula."},
    {"frame", "Frames, numbered from 1 in the order of the log. time_ns counts nanoseconds since 1970-01-01 UTC. kind is data, fd, remote "
              "or error; direction is received, sent or empty; brs and esi are flags of CAN FD; dlc is the length code; data holds the "
              "payload bytes. message is empty where no definition is known. An error frame has its class bits in id."},
    {"value", "Values that frames carry, or give a derived signal, which has no raw one: raw is the number as it was sent (as text where "
              "it needs more than 63 bits), value the physical "
              "one, empty where it is no number; text is its meaning where the database has one."},
    {"signal_value",
        "A view with all of it in words, for example: SELECT seconds_since_1970, value FROM signal_value WHERE signal = 'EngineSpeed'."},
};

class Statement {
public:
    Statement(sqlite3* database, const char* text) { sqlite3_prepare_v2(database, text, -1, &statement_, nullptr); }
    ~Statement() { sqlite3_finalize(statement_); }
    Statement(const Statement&) = delete;
    Statement& operator=(const Statement&) = delete;

    Statement& operator<<(std::int64_t value) { return bound(sqlite3_bind_int64(statement_, ++at_, value)); }
    Statement& operator<<(double value) { return bound(sqlite3_bind_double(statement_, ++at_, value)); }
    /// The text outlives the step.
    Statement& operator<<(std::string_view value)
    {
        return bound(sqlite3_bind_text(statement_, ++at_, value.data(), static_cast<int>(value.size()), SQLITE_STATIC));
    }
    Statement& operator<<(std::span<const std::uint8_t> value)
    {
        return bound(value.empty() ? sqlite3_bind_zeroblob(statement_, ++at_, 0)
                                   : sqlite3_bind_blob(statement_, ++at_, value.data(), static_cast<int>(value.size()), SQLITE_STATIC));
    }
    Statement& nothing() { return bound(sqlite3_bind_null(statement_, ++at_)); }
    template <class Value>
    Statement& maybe(const std::optional<Value>& value)
    {
        return value ? *this << *value : nothing();
    }
    [[nodiscard]] bool run()
    {
        at_ = 0;
        const bool done = sqlite3_step(statement_) == SQLITE_DONE;
        return sqlite3_reset(statement_) == SQLITE_OK && done;
    }

private:
    Statement& bound(int) { return *this; }

    sqlite3_stmt* statement_ = nullptr;
    int at_ = 0;
};

class Writer {
public:
    Writer(sqlite3* database, const Frames& frames, const database::Catalog& catalog, const Conversion& conversion)
        : database_(database),
          frames_(frames),
          snapshot_(frames.snapshot()),
          messages_(chooseSignals(frames.keys(), catalog, conversion.signals)),
          derived_(snapshot_, catalog, conversion.signals, conversion.spoken)
    {}

    [[nodiscard]] bool definitions()
    {
        Statement says(database_, "INSERT INTO readme VALUES (?, ?)");
        for (const auto& [name, text] : readme)
            if (!(says << std::string_view(name) << std::string_view(text)).run())
                return false;
        Statement bus(database_, "INSERT INTO bus VALUES (?, ?, nullif(?, 0), nullif(?, 0))");
        const auto buses = snapshot_.trace().buses();
        for (std::size_t i = 0; i < buses.size(); ++i)
            if (!(bus << static_cast<std::int64_t>(i) << std::string_view(buses[i].name) << std::int64_t{buses[i].rate.nominal}
                      << std::int64_t{buses[i].rate.data})
                    .run())
                return false;
        Statement message(database_, "INSERT INTO message VALUES (?, ?, ?, ?, ?, ?, ?, nullif(?, 0), ?)");
        Statement signal(database_, "INSERT INTO signal VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)");
        firstSignal_.resize(messages_.size());
        std::int64_t signals = 0;
        for (std::size_t i = 0; i < messages_.size(); ++i) {
            if (messages_[i].entry == nullptr)
                continue;
            const database::Message& is = *messages_[i].entry->message;
            const trace::TraceKey& key = frames_.keys()[i];
            if (!(message << static_cast<std::int64_t>(i + 1) << std::int64_t{key.bus} << std::int64_t{key.id.value}
                          << std::int64_t{key.id.extended} << std::string_view(is.name) << std::string_view(is.sender)
                          << std::int64_t{is.length} << is.cycleTime.count() << std::string_view(is.comment))
                    .run())
                return false;
            firstSignal_[i] = signals + 1;
            for (const database::Signal& s : is.signals)
                if (!(signal << ++signals << static_cast<std::int64_t>(i + 1) << std::string_view(s.name) << std::string_view(s.unit)
                             << s.factor << s.offset)
                        .maybe(s.minimum)
                        .maybe(s.maximum)
                        .operator<<(std::string_view(s.comment))
                        .run())
                    return false;
        }
        firstDerived_ = signals + 1;
        for (std::size_t place = 0; place < derived_.count(); ++place) {
            const database::DerivedSpec& spec = derived_.spec(place);
            const std::string comment = "= " + spec.formula + (spec.comment.empty() ? "" : "; " + spec.comment);
            signal << ++signals;
            signal.nothing();
            if (!(signal << std::string_view(spec.name) << std::string_view(spec.unit) << 1.0 << 0.0)
                    .maybe(spec.minimum)
                    .maybe(spec.maximum)
                    .operator<<(std::string_view(comment))
                    .run())
                return false;
        }
        return true;
    }

    // False with `cancelled` where progress asked for an end.
    [[nodiscard]] bool rows(Outcome& outcome, const Progress& progress, bool& cancelled)
    {
        Statement insert(database_, "INSERT INTO frame VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");
        Statement value(database_, "INSERT INTO value VALUES (?, ?, ?, ?, nullif(?, ''))");
        std::vector<database::Decoded> decoded;
        std::vector<trace::Row> some;
        std::string large;
        for (trace::Row at = frames_.begin(); at < frames_.end();) {
            at = frames_.next(at, rowsAtOnce, some);
            for (const trace::Row row : some) {
                const Frames::At shown = frames_.at(row);
                const can::FrameHead& frame = shown.head;
                const trace::IdentifierIndex identifier = shown.identifier;
                const bool known = identifier < messages_.size() && messages_[identifier].entry != nullptr;
                const auto number = static_cast<std::int64_t>(++outcome.frames);
                insert << number << std::int64_t{frame.time.count()} << std::int64_t{frame.bus} << std::int64_t{frame.id.value}
                       << std::int64_t{frame.id.extended} << std::string_view(can::toText(frame.kind))
                       << std::string_view(can::toText(frame.direction)) << std::int64_t{frame.brs} << std::int64_t{frame.esi}
                       << std::int64_t{frame.dlc} << shown.payload;
                known ? insert << static_cast<std::int64_t>(identifier) + 1 : insert.nothing();
                if (!insert.run())
                    return false;
                if (!values(value, row, number, outcome))
                    return false;
                if (!known || !messages_[identifier].any || !shown.decodes)
                    continue;
                const ChosenMessage& message = messages_[identifier];
                decoded.clear();
                message.entry->plan.decode(shown.payload, decoded);
                for (const database::Decoded& d : decoded) {
                    if (!message.chosen[d.signal])
                        continue;
                    const database::Signal& signal = message.entry->message->signals[d.signal];
                    value << number << firstSignal_[identifier] + d.signal;
                    const database::SignalPlan& plan = message.entry->plan.plan(d.signal);
                    const unsigned unused = 64U - plan.length;
                    if (plan.type != database::ValueType::integer)
                        value << d.raw;
                    else if (plan.isSigned)
                        value << (static_cast<std::int64_t>(d.bits << unused) >> unused);
                    else if (d.bits <= static_cast<std::uint64_t>(std::numeric_limits<std::int64_t>::max()))
                        value << static_cast<std::int64_t>(d.bits);
                    else {
                        large.clear();
                        appendInteger(large, d.bits);
                        value << std::string_view(large);
                    }
                    value << d.value << database::textOf(signal, d.bits);
                    if (!value.run())
                        return false;
                    ++outcome.values;
                }
            }
            if (progress && !progress(at - frames_.begin(), frames_.end() - frames_.begin())) {
                cancelled = true;
                return false;
            }
        }
        return true;
    }

private:
    // Of derived signals.
    [[nodiscard]] bool values(Statement& value, trace::Row row, std::int64_t number, Outcome& outcome)
    {
        if (derived_.count() == 0)
            return true;
        for (const DerivedRows::Value& one : derived_.of(row)) {
            if (!std::isfinite(one.value))
                continue;
            value << number << firstDerived_ + one.place;
            value.nothing();
            value << one.value << std::string_view();
            if (!value.run())
                return false;
            ++outcome.values;
        }
        return true;
    }
    sqlite3* database_;
    const Frames& frames_;
    const trace::Snapshot& snapshot_;
    std::vector<ChosenMessage> messages_;
    DerivedRows derived_;
    std::vector<std::int64_t> firstSignal_;     // by identifier
    std::int64_t firstDerived_ = 0;
};

}  // namespace

Expected<bool> writeSqlite(const std::string& path, const Frames& frames, const database::Catalog& catalog, const Conversion& conversion,
    Outcome& outcome, const Progress& progress)
{
    sqlite3* opened = nullptr;
    const int result = sqlite3_open_v2(path.c_str(), &opened, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, nullptr);
    const std::unique_ptr<sqlite3, decltype(&sqlite3_close)> database(opened, sqlite3_close);
    const auto problem = [&] {
        return fail(std::string("the database cannot be written: ") + sqlite3_errmsg(opened), path,
            "Choose a folder that exists, may be written to and has room");
    };
    if (result != SQLITE_OK)
        return problem();
    if (sqlite3_exec(opened, schema, nullptr, nullptr, nullptr) != SQLITE_OK)
        return problem();
    Writer writer(opened, frames, catalog, conversion);
    bool cancelled = false;
    if (!writer.definitions() || !writer.rows(outcome, progress, cancelled))
        return cancelled ? Expected<bool>(false) : problem();
    if (sqlite3_exec(opened, indexes, nullptr, nullptr, nullptr) != SQLITE_OK)
        return problem();
    return true;
}

}  // namespace wavetrope::convert
