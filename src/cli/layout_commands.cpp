// SPDX-License-Identifier: GPL-3.0-or-later
// layout.
#include <algorithm>

#include "base/time_text.h"
#include "cli/command.h"
#include "formats/text_line.h"
#include "formats/text_log.h"
#include "formats/text_recognition.h"

namespace wavetrope::cli {

namespace {

constexpr std::size_t looksAt = 1024 * 1024;
constexpr int framesShown = 5;
constexpr int badLinesPrinted = 5;
constexpr int exitOpen = 3;     // something is left open

struct LayoutOptions {
    std::string log, keep;
    std::vector<std::string> answers;
    bool json = false;
};

std::string choicesOf(const formats::LayoutQuestion& question)
{
    std::string answers;
    for (const std::string& answer : question.answers)
        answers += (answers.empty() ? "" : " or ") + answer;
    return answers;
}

// Answers are WORD=ANSWER, WORD being one of the question. Gives how many questions stay open; an error for an answer that
// fits none.
Expected<int> openQuestions(formats::Recognition& found, const std::vector<std::string>& answers)
{
    std::vector<bool> answered(found.questions.size(), false);
    for (const std::string& given : answers) {
        const auto equals = given.find('=');
        const std::string about = given.substr(0, equals);
        const std::string says = equals == std::string::npos ? std::string() : given.substr(equals + 1);
        bool fits = false;
        std::string expected;
        for (std::size_t q = 0; q < found.questions.size(); ++q) {
            const formats::LayoutQuestion& question = found.questions[q];
            if (equals == std::string::npos || about.empty() || question.what.find(about) == std::string::npos)
                continue;
            const auto chosen = std::find(question.answers.begin(), question.answers.end(), says);
            if (chosen == question.answers.end()) {
                expected += (expected.empty() ? "" : "; ") + question.what + " (" + choicesOf(question) + ")";
                continue;
            }
            fits = answered[q] = true;
            formats::answer(found.layout, question, static_cast<std::size_t>(chosen - question.answers.begin()));
        }
        if (fits)
            continue;
        std::string questions;
        for (const formats::LayoutQuestion& question : found.questions)
            questions += (questions.empty() ? "" : "; ") + question.what + " (" + choicesOf(question) + ")";
        return fail("--answer " + given + ": "
                        + (expected.empty() ? "no question that the lines leave open has this word" : "this is no answer to " + expected),
            {},
            questions.empty()  ? "Nothing is open"
            : expected.empty() ? "Open is: " + questions
                               : std::string());
    }
    return static_cast<int>(std::count(answered.begin(), answered.end(), false));
}

void printFrames(const formats::TextLayout& layout, std::string_view head)
{
    formats::LineReader reader(layout);
    can::FrameView frame;
    std::uint8_t data[can::maxLength];
    std::string_view channel;
    unsigned number = 0;
    int shown = 0;
    int bad = 0;
    bool any = false;
    for (const std::string_view line : formats::linesOf(head, 400)) {
        if (number++ < layout.headLines || formats::isSkipped(line, layout))
            continue;
        if (const char* problem = reader.read(line, frame, data, channel)) {
            if (any && bad++ < badLinesPrinted)
                std::printf("line %-6u %s\n", number, problem);
            continue;
        }
        any = true;
        if (shown++ >= framesShown)
            continue;
        std::string bytes;
        for (unsigned i = 0; i < frame.length; ++i) {
            char byte[4];
            std::snprintf(byte, sizeof byte, " %02X", data[i]);
            bytes += byte;
        }
        std::printf("line %-6u %s  %.*s  %s  %s  %s  [%u]%s\n", number, secondsText(frame.time).c_str(), static_cast<int>(channel.size()),
            channel.data(), can::toText(frame.direction), can::toText(frame.kind), can::toText(frame.id).c_str(), frame.length,
            bytes.c_str());
    }
}

int layout(const LayoutOptions& options)
{
    auto source = formats::ByteSource::open(options.log);
    if (!source)
        return report(source.error());
    if (!formats::isTextLog(*source))
        return report(options.log + ": this is no log of text; it needs no layout");
    const auto bytes = source->window(looksAt);
    const std::string_view head(reinterpret_cast<const char*>(bytes.data()), std::min(bytes.size(), looksAt));
    auto found = formats::recogniseLayout(head, options.log);
    if (!found)
        return report(found.error());
    const auto opened = openQuestions(*found, options.answers);
    if (!opened)
        return report(opened.error());
    const int open = *opened;
    const formats::Fit fit = formats::fitOf(found->layout, head);
    if (options.json) {
        std::printf("%s", formats::toJson(found->layout).c_str());
    } else {
        const formats::TextLayout& is = found->layout;
        std::printf("columns  parted by %s, behind %u lines of head\n", formats::separatorText(is.separator), is.headLines);
        for (std::size_t i = 0; i < is.columns.size(); ++i)
            if (is.columns[i] != formats::Meaning::nothing) {
                std::string how;
                if (is.columns[i] == formats::Meaning::time)
                    how = std::string(formats::toText(is.timeForm)) + (is.decimalComma ? ", decimal comma" : "")
                          + (is.sincePrevious ? ", since the line before" : "");
                else if (is.columns[i] == formats::Meaning::identifier)
                    how = is.identifierBase == formats::Base::hexadecimal ? "hexadecimal" : "decimal";
                else if (is.columns[i] == formats::Meaning::data)
                    how = std::string(is.dataBase == formats::Base::hexadecimal ? "hexadecimal" : "decimal")
                          + (is.bytes == formats::Bytes::apart ? ", a column a byte" : ", all in one column");
                else if (is.columns[i] == formats::Meaning::length && is.lengthIsCode)
                    how = "a length code";
                std::printf("%6zu   %-11s %3.0f %%  %s\n", i + 1, formats::toText(is.columns[i]), 100 * found->confidence[i], how.c_str());
            }
        std::printf("fits     %u of the first %u lines\n", fit.fitting, fit.lines);
        printFrames(is, head);
    }
    for (const formats::LayoutQuestion& question : found->questions) {
        if (open > 0)
            std::fprintf(stderr, "wavetrope-cli: open: %s (%s) Answer with --answer WORD=ANSWER, WORD being one of the question\n",
                question.what.c_str(), choicesOf(question).c_str());
    }
    if (open > 0)
        return exitOpen;
    if (!options.keep.empty()) {
        formats::KeptLayouts kept(formats::KeptLayouts::usualFolder());
        found->layout.name = options.keep;
        if (const auto done = kept.keep(found->layout); !done)
            return report(done.error());
    }
    return 0;
}

}  // namespace

void addLayoutCommands(CLI::App& program, int& result)
{
    const auto options = std::make_shared<LayoutOptions>();
    CLI::App* command = program.add_subcommand(
        "layout", "What the columns of a log of text are recognised as; ends with 3 where its lines leave something open");
    command->add_option("log", options->log, "The log")->required();
    command->add_flag("--json", options->json, "The layout as JSON, as --layout takes it");
    command->add_option(
        "--answer", options->answers, "To a question that the lines leave open: identifiers=decimal, data=hexadecimal, unit=milliseconds");
    command->add_option("--keep", options->keep, "Keep the layout under this name; logs that it fits are read by it from now on");
    command->callback([options, &result] { result = layout(*options); });
}

}  // namespace wavetrope::cli
