// SPDX-License-Identifier: GPL-3.0-or-later
// response.
#include <algorithm>
#include <filesystem>
#include <fstream>
#include <iterator>

#include "base/csv_text.h"
#include "base/nearest_name.h"
#include "base/number_text.h"
#include "base/time_text.h"
#include "base/trimmed.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "database/export.h"
#include "timing/response_times.h"

namespace wavetrope::cli {

namespace {

constexpr int exitLate = 1;
constexpr std::uintmax_t largestTable = 16U << 20U;
constexpr Time longestTime = std::chrono::hours(24 * 365);

// Milliseconds, or a span with its unit: not negative, and no longer than a year.
std::optional<Time> millisecondsFrom(std::string_view text)
{
    const std::string word = trimmed(text);
    const bool bare = !word.empty() && word.find_first_not_of("0123456789.") == std::string::npos;
    const auto span = spanFromText(bare ? word + " ms" : word);
    return span && span->count() >= 0 && *span <= longestTime && !word.empty() ? span : std::nullopt;
}

// A table with the head message,`column`: sets what it names.
Expected<void> readTimes(
    const std::string& path, const std::string& column, std::vector<timing::TimedMessage>& messages, Time timing::TimedMessage::* which)
{
    std::ifstream file(path, std::ios::binary);
    std::error_code code;
    if (!file || std::filesystem::is_directory(path, code))
        return fail("the file cannot be read", path);
    if (std::filesystem::is_regular_file(path, code) && std::filesystem::file_size(path, code) > largestTable)
        return fail("the file is larger than 16 MB: expected a table with a row for each message", path);
    const auto rows = csvFromText(std::string(std::istreambuf_iterator<char>(file), {}), path);
    if (!rows)
        return tl::unexpected(rows.error());
    const std::vector<std::string> head = {"message", column};
    if (rows->empty() || rows->front().fields != head)
        return tl::unexpected(Error{"the head of the table is expected to be message," + column, path, 1, 0, {}});
    std::vector<std::string> names;
    for (const timing::TimedMessage& message : messages)
        names.push_back(message.name);
    std::vector<bool> named(messages.size());
    for (std::size_t r = 1; r < rows->size(); ++r) {
        const CsvRow& row = (*rows)[r];
        const auto wrong = [&](std::string what, std::string remedy = {}) {
            return tl::unexpected(Error{std::move(what), path, row.line, 0, std::move(remedy)});
        };
        if (row.fields.size() != 2)
            return wrong("expected two fields, a message and milliseconds");
        const auto time = millisecondsFrom(row.fields[1]);
        if (!time)
            return wrong("'" + row.fields[1] + "' is no time in milliseconds, 0 or more, such as 0.2");
        bool any = false;
        for (std::size_t i = 0; i < messages.size(); ++i)
            if (messages[i].name == row.fields[0]) {
                if (named[i])
                    return wrong("the message " + row.fields[0] + " is named twice");
                any = named[i] = true;
                messages[i].*which = *time;
            }
        if (!any)
            return wrong("the database has no message '" + row.fields[0] + "'", didYouMean(row.fields[0], names));
    }
    return {};
}

std::string milliseconds(Time time)
{
    std::string out;
    appendNumber(out, static_cast<double>(time.count()) / 1e6);
    return out;
}

struct ResponseOptions {
    std::string database, rate, jitter, deadline;
};

int response(const ResponseOptions& options)
{
    const auto rate = can::bitRateFromText(options.rate);
    if (!rate)
        return report("--bit-rate '" + options.rate + "': expected a bit rate such as 500k or 500k/2M");
    const auto database = database::readDatabase(options.database, [](const Error& problem) { warn(problem.text()); });
    if (!database)
        return report(database.error());
    std::vector<timing::TimedMessage> messages = timing::timedMessages(*database);
    if (messages.size() < database->messages.size())
        warn(std::to_string(database->messages.size() - messages.size()) + " messages are longer than a frame and are left out");
    const auto switches = std::count_if(
        messages.begin(), messages.end(), [](const timing::TimedMessage& message) { return message.head.brs; });
    if (switches > 0 && rate->data == 0)
        warn(std::to_string(switches) + " messages switch to a faster bit rate, which is not given: all of their bits are counted at "
             + can::toText(*rate) + ". Give both: --bit-rate " + can::toText(*rate) + "/2M");
    if (!options.jitter.empty()) {
        if (const auto all = millisecondsFrom(options.jitter)) {
            for (timing::TimedMessage& message : messages)
                message.jitter = *all;
        } else if (const auto read = readTimes(options.jitter, "jitter_ms", messages, &timing::TimedMessage::jitter); !read) {
            return report(read.error());
        }
    }
    if (!options.deadline.empty())
        if (const auto read = readTimes(options.deadline, "deadline_ms", messages, &timing::TimedMessage::deadline); !read)
            return report(read.error());
    CsvWriter out(stdout);
    out.row({"id", "message", "bytes", "period_ms", "jitter_ms", "bits", "response_ms", "deadline_ms", "meets"});
    bool all = true;
    for (const timing::ResponseTime& answer : timing::responseTimes(messages, *rate)) {
        const timing::TimedMessage& message = messages[answer.message];
        std::string worst;
        if (answer.milliseconds)
            appendNumber(worst, *answer.milliseconds);
        if (answer.unfinished)
            warn(message.name + ": no bound was found; with it the bus is so nearly full that the worst case lies too far ahead");
        all = all && answer.meets;
        out.row({can::toText(message.head.id), message.name, std::to_string(message.bytes), milliseconds(message.period),
            milliseconds(message.jitter), std::to_string(answer.bits), worst, milliseconds(message.deadline), answer.meets ? "1" : "0"});
    }
    const int result = printed(out.finish());
    return result == 0 && !all ? exitLate : result;
}

}  // namespace

void addTimingCommands(CLI::App& program, int& result)
{
    const auto options = std::make_shared<ResponseOptions>();
    CLI::App* command = program.add_subcommand(
        "response", "How long each message of a bus may take in the worst case, as CSV; exit code 1 when one does not meet its deadline");
    command->add_option("database", options->database, "The database of the bus")->required();
    command->add_option("--bit-rate", options->rate, "500k, or 500k/2M with the rate of the data phase")->required();
    command->add_option("--jitter", options->jitter,
        "How late a message may be queued: milliseconds for all of them, or a table with the head message,jitter_ms");
    command->add_option("--deadline", options->deadline, "A table with the head message,deadline_ms; who is not named has its period");
    command->callback([options, &result] { result = response(*options); });
}

}  // namespace wavetrope::cli
