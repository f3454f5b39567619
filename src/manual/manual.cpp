// SPDX-License-Identifier: GPL-3.0-or-later
#include "manual/manual.h"

#include <algorithm>
#include <cstdio>

namespace wavetrope::manual {

namespace {

// What man(7) would take for itself.
std::string plain(const std::string& text)
{
    std::string out;
    bool begins = true;
    for (const char c : text) {
        if (begins && (c == '.' || c == '\''))
            out += "\\&";
        begins = c == '\n';
        if (c == '\\')
            out += "\\e";
        else if (c == '-')
            out += "\\-";
        else
            out += c;
    }
    return out;
}

bool isShown(const CLI::Option& option) { return !option.get_group().empty(); }
bool isShown(const CLI::App& command) { return !command.get_group().empty(); }

std::vector<const CLI::Option*> optionsOf(const CLI::App& app)
{
    std::vector<const CLI::Option*> out;
    for (const CLI::Option* option : app.get_options())
        if (isShown(*option))
            out.push_back(option);
    return out;
}

std::vector<const CLI::App*> commandsOf(const CLI::App& app)
{
    std::vector<const CLI::App*> out;
    for (const CLI::App* command : app.get_subcommands([](const CLI::App*) { return true; }))
        if (isShown(*command))
            out.push_back(command);
    return out;
}

std::vector<std::string> namesOf(const CLI::Option& option)
{
    std::vector<std::string> names;
    for (const std::string& name : option.get_snames())
        names.push_back("-" + name);
    for (const std::string& name : option.get_lnames())
        names.push_back("--" + name);
    return names;
}

// Choices of an option stand in its type: "TEXT:{start,epoch}", or "full|group".
std::vector<std::string> choicesOf(const CLI::Option& option)
{
    const std::string type = option.get_type_name();
    const std::size_t from = type.find('{');
    const std::size_t to = type.find('}');
    std::vector<std::string> choices;
    const auto split = [&](const std::string& list, char by) {
        for (std::size_t at = 0; at < list.size();) {
            const std::size_t end = std::min(list.find(by, at), list.size());
            choices.push_back(list.substr(at, end - at));
            at = end + 1;
        }
    };
    if (from != std::string::npos && to != std::string::npos && from < to)
        split(type.substr(from + 1, to - from - 1), ',');
    else if (type.find('|') != std::string::npos)
        split(type, '|');
    return choices;
}

std::string valueOf(const CLI::Option& option)
{
    if (option.get_items_expected_max() == 0)
        return {};
    const std::vector<std::string> choices = choicesOf(option);
    std::string out;
    for (const std::string& choice : choices)
        out += (out.empty() ? "" : "|") + choice;
    return choices.empty() ? "VALUE" : out;
}

void describe(std::string& out, const CLI::App& app)
{
    for (const CLI::Option* option : optionsOf(app)) {
        std::string names;
        if (option->get_positional())
            names = "\\fI" + plain(option->get_name()) + "\\fR";
        for (const std::string& name : namesOf(*option))
            names += (names.empty() ? "\\fB" : ", \\fB") + plain(name) + "\\fR";
        if (const std::string value = option->get_positional() ? std::string() : valueOf(*option); !value.empty())
            names += " \\fI" + plain(value) + "\\fR";
        out += ".TP\n" + names + "\n" + plain(option->get_description()) + "\n";
    }
}

// "list [OPTIONS] log"
std::string usage(const CLI::App& app)
{
    std::string out = "[\\fIOPTION\\fR]...";
    for (const CLI::Option* option : optionsOf(app))
        if (option->get_positional())
            out += std::string(" ") + (option->get_required() ? "" : "[") + "\\fI" + plain(option->get_name()) + "\\fR"
                   + (option->get_items_expected_max() > 1 ? "..." : "") + (option->get_required() ? "" : "]");
    return out;
}

void describeCommands(std::string& out, const CLI::App& app, const std::string& path)
{
    for (const CLI::App* command : commandsOf(app)) {
        const std::string name = path.empty() ? command->get_name() : path + " " + command->get_name();
        if (commandsOf(*command).empty()) {
            out += ".SS \"" + plain(name) + "\"\n\\fB" + plain(name) + "\\fR " + usage(*command) + "\n.PP\n"
                   + plain(command->get_description()) + "\n";
            describe(out, *command);
        }
        describeCommands(out, *command, name);
    }
}

std::string inQuotes(const std::string& text) { return "'" + text + "'"; }

void complete(std::string& out, const CLI::App& app, const std::string& path)
{
    std::string words;
    std::string choices;
    for (const CLI::App* command : commandsOf(app))
        words += command->get_name() + " ";
    for (const CLI::Option* option : optionsOf(app))
        for (const std::string& name : namesOf(*option)) {
            words += name + " ";
            const std::vector<std::string> known = choicesOf(*option);
            std::string list;
            for (const std::string& choice : known)
                list += (list.empty() ? "" : " ") + choice;
            if (!known.empty())
                choices += "        " + inQuotes(path + " " + name) + ") reply=" + inQuotes(list) + " ;;\n";
        }
    out += choices + "        " + inQuotes(path) + ") words=" + inQuotes(words) + " ;;\n";
    for (const CLI::App* command : commandsOf(app))
        complete(out, *command, path + " " + command->get_name());
}

}  // namespace

std::string page(const CLI::App& program, const About& about)
{
    std::string out = ".TH \"" + plain(about.name) + "\" 1 \"\" \"Wavetrope " + plain(about.version) + "\" \"User commands\"\n.SH NAME\n"
                      + plain(about.name) + " \\- " + plain(about.purpose) + "\n.SH SYNOPSIS\n\\fB" + plain(about.name) + "\\fR ";
    out += commandsOf(program).empty() ? usage(program) : "\\fICOMMAND\\fR [\\fIOPTION\\fR]...";
    out += "\n.SH DESCRIPTION\n" + plain(program.get_description()) + ".\n.SH OPTIONS\n";
    describe(out, program);
    if (!commandsOf(program).empty()) {
        out += ".SH COMMANDS\n";
        describeCommands(out, program, {});
    }
    for (const auto& [heading, text] : about.chapters)
        out += ".SH \"" + plain(heading) + "\"\n" + plain(text) + "\n";
    return out;
}

std::string completion(const CLI::App& program, const std::string& name)
{
    std::string function = "_" + name;
    std::replace(function.begin(), function.end(), '-', '_');
    std::string cases;
    complete(cases, program, name);
    // The commands so far are found by whether there is a case for them.
    return "# bash completion of " + name + "\n" + function + "_words()\n{\n    reply=; words=\n    case $1 in\n" + cases
           + "        *) return 1 ;;\n    esac\n}\n" + function
           + "()\n{\n"
             "    local path="
           + name
           + " reply words at current=${COMP_WORDS[COMP_CWORD]}\n"
             "    COMPREPLY=()\n"
             "    for ((at = 1; at < COMP_CWORD; at++)); do\n"
             "        "
           + function
           + "_words \"$path ${COMP_WORDS[at]}\" && [ -n \"$words\" ] && path=\"$path ${COMP_WORDS[at]}\"\n"
             "    done\n"
             "    "
           + function
           + "_words \"$path ${COMP_WORDS[COMP_CWORD-1]}\" && [ -n \"$reply\" ] && { COMPREPLY=($(compgen -W \"$reply\" -- \"$current\")); "
             "return; }\n"
             "    "
           + function
           + "_words \"$path\"\n"
             "    case $current in\n"
             "        -*) COMPREPLY=($(compgen -W \"$words\" -- \"$current\")) ;;\n"
             "        *) COMPREPLY=($(compgen -W \"$(printf '%s\\n' $words | grep -v '^-')\" -- \"$current\") $(compgen -f -- "
             "\"$current\")) ;;\n"
             "    esac\n"
             "}\n"
             "complete -o filenames -F "
           + function + " " + name + "\n";
}

void addTo(CLI::App& program, const About& about)
{
    const auto print = [](const std::string& text) {
        std::fputs(text.c_str(), stdout);
        throw CLI::Success();
    };
    CLI::App* of = &program;
    program.add_flag_callback("--manual", [of, about, print] { print(page(*of, about)); })->group("")->trigger_on_parse();
    program.add_flag_callback("--completion", [of, about, print] { print(completion(*of, about.name)); })->group("")->trigger_on_parse();
}

}  // namespace wavetrope::manual
