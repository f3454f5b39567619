// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/formula_completion.h"

#include <algorithm>
#include <cctype>
#include <unordered_map>

#include "formula/language.h"

namespace wavetrope::database {

namespace {

bool inWord(char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '.'; }

std::string lower(std::string_view text)
{
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return out;
}

std::string quotedWhereNeeded(std::string name)
{
    const bool plain = !name.empty() && std::isdigit(static_cast<unsigned char>(name.front())) == 0 && name.front() != '.'
                       && std::all_of(name.begin(), name.end(), inWord);
    return plain ? name : '"' + name + '"';
}

}  // namespace

std::string formulaName(const Catalog& catalog, const SignalRef& signal)
{
    const std::string& own = signal.signal().name;
    if (catalog.findDerived(own) < 0 && catalog.findSignals(own).size() == 1)
        return quotedWhereNeeded(own);
    const std::string withMessage = signal.message->message->name + '.' + own;
    return quotedWhereNeeded(catalog.findSignals(withMessage).size() == 1 ? withMessage : catalog.fullName(signal));
}

FormulaChoices completeFormula(std::string_view formula, std::size_t cursor, const Catalog& catalog, std::size_t most)
{
    FormulaChoices out;
    cursor = std::min(cursor, formula.size());
    std::size_t from = cursor, end = cursor;
    while (from > 0 && inWord(formula[from - 1]))
        --from;
    while (end < formula.size() && inWord(formula[end]))
        ++end;
    out.from = from;
    out.length = end - from;
    const std::string typed = lower(formula.substr(from, cursor - from));
    if (!typed.empty() && std::isdigit(static_cast<unsigned char>(typed.front())) != 0)
        return out;     // a number
    std::vector<FormulaChoice> begins, holds;
    const auto add = [&](std::string_view name, auto text, auto hint) {
        const std::string small = lower(name);
        const auto at = small.find(typed);
        auto& list = at == 0 ? begins : holds;
        if (at != std::string::npos && list.size() < most)
            list.push_back({text(), hint()});
    };
    if (!typed.empty()) {
        for (const DerivedSignal& derived : catalog.derived())
            add(derived.spec.name, [&] { return derived.spec.name; }, [&] { return "= " + derived.spec.formula; });
        // How often there is a name: asking for each signal would take a time that grows with the square.
        std::unordered_map<std::string_view, unsigned> times;
        for (const CatalogMessage& message : catalog.messages())
            for (const Signal& signal : message.message->signals)
                ++times[signal.name];
        const bool dotted = typed.find('.') != std::string::npos;
        for (const CatalogMessage& message : catalog.messages())
            for (std::uint32_t i = 0; i < message.message->signals.size() && begins.size() < most; ++i) {
                const Signal& signal = message.message->signals[i];
                const std::string full = message.message->name + '.' + signal.name;
                add(
                    dotted ? std::string_view(full) : std::string_view(signal.name),
                    [&] {
                        return times[signal.name] == 1 && !dotted ? quotedWhereNeeded(signal.name) : formulaName(catalog, {&message, i});
                    },
                    [&] {
                        return (signal.unit.empty() ? std::string() : signal.unit + ", ") + message.message->name + " of "
                               + catalog.busName(message.bus);
                    });
            }
    }
    for (const formula::Function& function : formula::functions())
        if (function.use != formula::Use::node)
            add(
                function.name, [&] { return std::string(function.name) + '('; },
                [&] { return std::string(function.write) + ": " + std::string(function.gives); });
    out.choices = std::move(begins);
    for (FormulaChoice& choice : holds)
        if (out.choices.size() < most)
            out.choices.push_back(std::move(choice));
    return out;
}

}  // namespace wavetrope::database
