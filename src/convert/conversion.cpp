// SPDX-License-Identifier: GPL-3.0-or-later
#include "convert/conversion.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cctype>

#include "convert/frames.h"
#include "convert/sqlite_writer.h"
#include "convert/value_rows.h"
#include "convert/value_table.h"
#include "filter/filter_scan.h"
#include "formats/log_file.h"

namespace wavetrope::convert {

namespace {

constexpr std::uint64_t filterRows = 64 * trace::segmentRows;

std::string lowerName(const std::string& path)
{
    std::string name(formats::withoutCompression(path));
    for (char& c : name)
        c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return name;
}

std::uint64_t sizeOf(const std::string& path)
{
    struct stat info{};
    return ::stat(path.c_str(), &info) == 0 ? static_cast<std::uint64_t>(info.st_size) : 0;
}

tl::unexpected<Error> cancelled(const std::string& path) { return fail("cancelled; nothing was written", path); }

// Gives a file its name, or leaves nothing of it.
template <class File>
Expected<Outcome> finished(File& file, Outcome outcome)
{
    if (const auto done = file.finish(); !done) {
        file.discard();
        return tl::unexpected(done.error());
    }
    return outcome;
}

// Frames to a log.
Expected<Outcome> toLog(const Frames& frames, const Conversion& conversion, const Progress& progress)
{
    Outcome outcome;
    auto file = formats::LogFile::create(conversion.path, frames.snapshot().trace().buses());
    if (!file)
        return tl::unexpected(file.error());
    if (const std::string losses = (*file)->losses(frames.snapshot().trace().buses()); !losses.empty())
        outcome.warnings.push_back(losses);
    std::vector<trace::Row> some;
    for (trace::Row at = frames.begin(); at < frames.end() && (*file)->good();) {
        at = frames.next(at, rowsAtOnce, some);
        for (const trace::Row row : some)
            (*file)->write(frames.snapshot().frame(row));
        outcome.frames += some.size();
        if (progress && !progress(at - frames.begin(), frames.end() - frames.begin())) {
            (*file)->discard();
            return cancelled(conversion.path);
        }
    }
    if (const std::string refused = (*file)->refused(); !refused.empty())
        outcome.warnings.push_back(refused);
    return finished(**file, std::move(outcome));
}

// Values to text.
Expected<Outcome> toText(
    const Frames& frames, const std::shared_ptr<const database::Catalog>& catalog, const Conversion& conversion, const Progress& progress)
{
    Outcome outcome;
    auto file = formats::OutputFile::create(conversion.path);
    if (!file)
        return tl::unexpected(file.error());
    // A full disk ends it, not only at the end.
    const Progress going = [&](std::uint64_t done, std::uint64_t total) { return (*file)->good() && (!progress || progress(done, total)); };
    bool ended = false;
    if (conversion.form == Form::table) {
        if (const auto written = writeValueTable(frames, *catalog, conversion, **file, outcome, going, ended); !written) {
            (*file)->discard();
            return tl::unexpected(written.error());
        }
    } else {
        ended = !writeValueRows(frames, catalog, conversion, **file, outcome, going);
    }
    if (ended && (*file)->good()) {
        (*file)->discard();
        return cancelled(conversion.path);
    }
    return finished(**file, std::move(outcome));
}

// A database beside its place, then to it, or compressed.
Expected<Outcome> toSqlite(const Frames& frames, const database::Catalog& catalog, const Conversion& conversion, const Progress& progress)
{
    Outcome outcome;
    const std::string beside = conversion.path + ".part";
    const bool compressed = formats::compressionOfName(conversion.path) != formats::Compression::none;
    const std::string plain = compressed ? conversion.path + ".making" : beside;
    ::unlink(plain.c_str());
    const auto written = writeSqlite(plain, frames, catalog, conversion, outcome, progress);
    if (!written || !*written) {
        ::unlink(plain.c_str());
        return written ? cancelled(conversion.path) : tl::unexpected(written.error());
    }
    if (!compressed) {
        if (::rename(plain.c_str(), conversion.path.c_str()) != 0)
            return fail("the finished file cannot be renamed", conversion.path, "It stands beside, with .part behind its name");
        return outcome;
    }
    const auto made = [&]() -> Expected<void> {
        auto source = formats::ByteSource::open(plain);
        if (!source)
            return tl::unexpected(source.error());
        auto file = formats::OutputFile::create(conversion.path);
        if (!file)
            return tl::unexpected(file.error());
        for (auto bytes = source->window(1); !bytes.empty() && (*file)->good(); bytes = source->window(1)) {
            (*file)->write(bytes);
            source->skip(bytes.size());
        }
        if (auto finished = (*file)->finish(); !finished) {
            (*file)->discard();
            return finished;
        }
        return {};
    }();
    ::unlink(plain.c_str());
    if (!made)
        return tl::unexpected(made.error());
    return outcome;
}

}  // namespace

Expected<Form> formForName(const std::string& path)
{
    const std::string name = lowerName(path);
    if (name.ends_with(".csv"))
        return Form::rows;
    if (name.ends_with(".sqlite"))
        return Form::database;
    if (const auto format = formats::formatForName(path); !format)
        return fail("no form has this file name", path,
            "End it in .csv, .sqlite or the name of a log format (.pcapng, .pcap); .gz or .zst behind it compresses");
    return Form::log;
}

Expected<void> mayWrite(const Conversion& conversion)
{
    struct stat there{};
    if (!conversion.overwrite && ::lstat(conversion.path.c_str(), &there) == 0)     // a link that leads nowhere is something, too
        return fail("the file exists, and is left as it is", conversion.path, "Choose another name, or ask for it to be overwritten");
    return {};
}

Expected<Outcome> convert(const trace::Snapshot& snapshot, const std::shared_ptr<const database::Catalog>& catalog,
    const Conversion& conversion, const Progress& progress)
{
    if (const auto may = mayWrite(conversion); !may)
        return tl::unexpected(may.error());
    if (conversion.from > conversion.to)
        return fail("the stretch of time ends before it begins", conversion.path);
    const bool messages = !conversion.spoken.empty() && (conversion.form == Form::table || conversion.form == Form::database);
    const bool all = conversion.filter.passesEverything() && !messages;
    filter::FilterScan scan(conversion.filter);
    measure::MessageIndex index(
        messages ? conversion.spoken : std::vector<std::vector<protocol::Spoken>>(), conversion.filter, snapshot.trace().origin());
    filter::RowFinder& finder = messages ? static_cast<filter::RowFinder&>(index) : scan;
    // Half of the way is finding, where anything is to be found.
    while (!all && !finder.advance(snapshot, {filterRows, conversion.threads, nullptr}))
        if (progress && !progress(finder.seen(), 2 * snapshot.rows()))
            return cancelled(conversion.path);
    finder.finish(snapshot);
    const Frames frames(snapshot, all ? nullptr : &finder.rows(), conversion.from, conversion.to, messages ? &index : nullptr);
    const Progress rest = all || !progress ? progress
                                           : [&](std::uint64_t done, std::uint64_t total) { return progress(total + done, 2 * total); };
    auto outcome = conversion.form == Form::log        ? toLog(frames, conversion, rest)
                   : conversion.form == Form::database ? toSqlite(frames, *catalog, conversion, rest)
                                                       : toText(frames, catalog, conversion, rest);
    if (outcome && outcome->values == 0 && (conversion.form == Form::table || conversion.form == Form::database))
        for (std::string& words :
            shortcomings({}, catalog->anyDatabase(), ValueRows(catalog, conversion.signals, {}).any(), conversion.signals, outcome->frames))
            outcome->warnings.push_back(std::move(words));
    if (outcome)
        outcome->bytes = sizeOf(conversion.path);
    return outcome;
}

}  // namespace wavetrope::convert
