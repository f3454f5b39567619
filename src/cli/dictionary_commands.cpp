// SPDX-License-Identifier: GPL-3.0-or-later
// dictionary: what traffic tells of the dictionaries of nodes.
#include <filesystem>

#include "base/replace_file.h"
#include "base/time_text.h"
#include "cli/csv.h"
#include "cli/message_rows.h"
#include "cli/protocols.h"
#include "protocol/dictionary_review.h"
#include "protocol/mapping.h"
#include "protocol/process_data.h"

namespace wavetrope::cli {

namespace {

struct DictionaryOptions {
    Question question;
    std::vector<std::string> protocols;
    std::string node, out;
    bool overwrite = false;
};

// One node's dictionary with what was heard.
struct Reviewed {
    std::string bus;
    std::uint8_t node = 0;
    protocol::Dictionary dictionary;
    std::unique_ptr<protocol::DictionaryReview> review;
};

Expected<std::vector<Reviewed>> dictionariesOf(const Question& question)
{
    std::vector<Reviewed> all;
    const auto add = [&](const std::string& bus, std::uint8_t node, const std::string& path) -> Expected<void> {
        auto read = protocol::readDictionary(path);
        if (!read)
            return tl::unexpected(read.error());
        all.push_back({bus, node, std::move(*read), nullptr});
        return {};
    };
    for (const std::string& text : question.dictionaries) {
        const auto option = protocol::dictionaryOptionFromText(text);
        if (!option)
            return tl::unexpected(option.error());
        if (const auto added = add(option->bus, option->node, option->path); !added)
            return tl::unexpected(added.error());
    }
    if (!question.rig.empty()) {
        const auto rig = rig::loadRig(question.rig);
        if (!rig)
            return tl::unexpected(rig.error());
        for (const rig::BusSpec& bus : rig->buses)
            for (const auto& [node, path] : bus.dictionaries)
                if (std::none_of(all.begin(), all.end(), [&](const Reviewed& one) { return one.bus == bus.name && one.node == node; }))
                    if (const auto added = add(bus.name, node, rig->resolve(path)); !added)
                        return tl::unexpected(added.error());
    }
    if (all.empty())
        return fail("nothing says which dictionaries nodes have", {}, "Give --dictionary BUS.NODE=FILE, or a --rig that names some");
    return all;
}

int review(const DictionaryOptions& options)
{
    const auto speaking = speakingOf(options.protocols, options.question.rig);
    if (!speaking)
        return report(speaking.error());
    auto all = dictionariesOf(options.question);
    if (!all)
        return report(all.error());
    CsvWriter out(stdout);
    out.row({"bus", "node", "object", "name", "times", "first", "words"});
    // What the file contradicts by itself comes first.
    for (Reviewed& one : *all) {
        for (const Error& problem : one.dictionary.problems)
            out.row({one.bus, std::to_string(one.node), "", "", "1", "", problem.text()});
        for (const std::string& finding : protocol::processDataOf(one.dictionary, one.node, "Node" + std::to_string(one.node)).findings)
            out.row({one.bus, std::to_string(one.node), "", "", "1", "", finding});
        one.review = std::make_unique<protocol::DictionaryReview>(one.dictionary, one.node);
    }
    const auto done = follow(options.question, *speaking, [&](MessageSink& sink) {
        sink.onRow = [&](const protocol::MessageRow& row) {
            for (Reviewed& one : *all)
                if (one.bus == sink.buses[row.bus].name)
                    one.review->take(row);
        };
    });
    if (!done)
        return report(done.error());
    char place[16];
    for (const Reviewed& one : *all)
        for (const protocol::Contradiction& found : one.review->found()) {
            std::snprintf(place, sizeof place, "0x%04X:%02X", found.place.index, found.place.sub);
            const protocol::ObjectEntry* entry = one.dictionary.find(found.place);
            out.row({one.bus, std::to_string(one.node), place, entry == nullptr ? std::string() : one.dictionary.nameOf(*entry),
                std::to_string(found.times), found.first.count() == 0 ? std::string() : secondsText(found.first), found.words});
        }
    return printed(out.finish());
}

int heard(const DictionaryOptions& options)
{
    const auto speaking = speakingOf(options.protocols, options.question.rig);
    if (!speaking)
        return report(speaking.error());
    const auto dot = options.node.rfind('.');
    const auto node = dot == std::string::npos ? Expected<std::uint8_t>(fail("")) : protocol::nodeFromText(options.node.substr(dot + 1));
    if (!node)
        return report("'" + options.node + "': expected a bus and a node, such as Implement.4");
    const std::string bus = options.node.substr(0, dot);
    std::error_code code;
    if (!options.overwrite && std::filesystem::exists(options.out, code))
        return report(Error{"the file exists, and is left as it is", options.out, 0, 0, "Choose another name, or say --overwrite"});
    protocol::HeardMapping mapping;
    std::vector<trace::TraceBus> buses;
    const auto done = follow(options.question, *speaking, [&](MessageSink& sink) {
        sink.onTransfer = [&](const protocol::Transfer& transfer) { mapping.take(transfer); };
        sink.atEnd = [&] { buses = sink.buses; };
    });
    if (!done)
        return report(done.error());
    std::size_t index = 0;
    while (index < buses.size() && buses[index].name != bus)
        ++index;
    if (index == buses.size())
        return report(Error{"the log has no bus '" + bus + "'", options.question.log, 0, 0, {}});
    const auto found = mapping.nodes().find({static_cast<std::uint8_t>(index), *node});
    if (found == mapping.nodes().end())
        return report(Error{"nobody reads or writes how process data of node " + std::to_string(*node) + " are mapped",
            options.question.log, 0, 0, "Read it from the node: wavetrope-cli object mapping"});
    if (const auto written = replaceFile(options.out, protocol::sheetOf(protocol::dictionaryOfMapping(found->second, *node))); !written)
        return report(written.error());
    return 0;
}

}  // namespace

void addDictionaryCommands(CLI::App& program, int& result)
{
    CLI::App* dictionary = program.add_subcommand("dictionary", "What traffic tells of the dictionaries of nodes");
    dictionary->require_subcommand(1);
    const auto common = [](CLI::App* command, DictionaryOptions& options) {
        command->add_option("log", options.question.log, "The log")->required();
        addProtocolOption(*command, options.protocols);
        command->add_option("--rig", options.question.rig, "A rig whose buses say what they speak");
        addLayoutOption(*command, options.question.layout);
    };
    auto options = std::make_shared<DictionaryOptions>();
    CLI::App* command = dictionary->add_subcommand(
        "review", "Prints what contradicts itself in dictionaries, and what the log contradicts");
    common(command, *options);
    addDictionaryOption(*command, options->question);
    command->callback([options, &result] { result = review(*options); });
    options = std::make_shared<DictionaryOptions>();
    command = dictionary->add_subcommand(
        "heard", "Keeps the mapping of a node's process data, as it was read or written in a log, as a DCF");
    common(command, *options);
    command->add_option("node", options->node, "Its bus and number, such as Implement.4")->required();
    command->add_option("out", options->out, "The new file")->required();
    command->add_flag("--overwrite", options->overwrite, "Replace a file that exists");
    command->callback([options, &result] { result = heard(*options); });
}

}  // namespace wavetrope::cli
