// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/derived_json.h"

#include <algorithm>
#include <cctype>

#include "formula/formula.h"

namespace wavetrope::rig {

namespace {

constexpr const char* whatANameIs = "It has letters, digits and _, and does not begin with a digit";

bool isName(const std::string& name)
{
    const auto fits = [](char c) { return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_'; };
    return !name.empty() && std::all_of(name.begin(), name.end(), fits) && std::isdigit(static_cast<unsigned char>(name.front())) == 0;
}

std::string noName(const std::string& name) { return "'" + name + "' is no name of a derived signal"; }

}  // namespace

database::DerivedSpec derivedFrom(const JsonReader& in)
{
    database::DerivedSpec spec;
    spec.name = in.needText("name");
    if (!isName(spec.name))
        JsonReader::fail(in.placeOf("name"), noName(spec.name), whatANameIs);
    spec.formula = in.needText("formula");
    spec.unit = in.text("unit");
    spec.comment = in.text("comment");
    if (const auto range = in.find("range")) {
        const nlohmann::json& ends = range->json();
        if (!ends.is_array() || ends.size() != 2 || !ends[0].is_number() || !ends[1].is_number()
            || !(ends[0].get<double>() < ends[1].get<double>()))
            range->wrong("expected two numbers, the smaller one first, such as [0, 12]");
        spec.minimum = ends[0].get<double>();
        spec.maximum = ends[1].get<double>();
    }
    return spec;
}

nlohmann::json toJson(
    const std::vector<database::DerivedSpec>& derived, const nlohmann::json& written, const std::vector<database::DerivedSpec>& before)
{
    const auto placeOf = [&](const std::string& name) {
        return std::find_if(before.begin(), before.end(), [&](const database::DerivedSpec& one) { return one.name == name; });
    };
    nlohmann::json out = nlohmann::json::array();
    for (std::size_t i = 0; i < derived.size(); ++i) {
        const database::DerivedSpec& spec = derived[i];
        auto place = static_cast<std::size_t>(placeOf(spec.name) - before.begin());
        if (place == before.size() && derived.size() == before.size())
            place = i;      // it has another name now
        nlohmann::json one = place < written.size() && written[place].is_object() ? written[place] : nlohmann::json::object();
        const auto text = [&](const char* field, const std::string& words) {
            if (words.empty())
                one.erase(field);
            else
                one[field] = words;
        };
        one["name"] = spec.name;
        one["formula"] = spec.formula;
        text("unit", spec.unit);
        text("comment", spec.comment);
        if (!spec.minimum || !spec.maximum)
            one.erase("range");
        else if (place >= before.size() || before[place].minimum != spec.minimum || before[place].maximum != spec.maximum)
            one["range"] = {*spec.minimum, *spec.maximum};
        out.push_back(std::move(one));
    }
    return out;
}

Expected<std::vector<database::DerivedSpec>> withDerived(
    std::vector<database::DerivedSpec> all, std::size_t index, database::DerivedSpec next, const database::Catalog& over)
{
    if (!isName(next.name))
        return fail(noName(next.name), "name", whatANameIs);
    for (std::size_t i = 0; i < all.size(); ++i)
        if (i != index && all[i].name == next.name)
            return fail("there is a derived signal '" + next.name + "' already", "name");
    if (index >= all.size() && all.size() >= mostDerived)
        return fail("a rig has 1,000 derived signals at the most", {});
    if (next.formula.find_first_not_of(" \t\n") == std::string::npos)
        return tl::unexpected(Error{"a formula is missing", "formula", 0, 1, "Name a signal"});
    if (next.minimum.has_value() != next.maximum.has_value())
        return fail("a range has two ends, or none", "range");
    if (next.minimum && !(*next.minimum < *next.maximum))
        return fail("a range goes from the smaller to the larger end", "range");
    // What a database lost is told with the signal; it can have another name or unit all the same.
    const bool sameFormula = index < all.size() && all[index].formula == next.formula;
    if (index < all.size() && all[index].name != next.name) {
        const std::string old = all[index].name;
        for (database::DerivedSpec& other : all)
            other.formula = formula::renamed(other.formula, old, next.name);
        next.formula = formula::renamed(next.formula, old, next.name);
    }
    if (index >= all.size()) {
        index = all.size();
        all.emplace_back();
    }
    all[index] = std::move(next);
    if (const auto derived = over.withDerived(all); derived->derived()[index].problem && !sameFormula)
        return tl::unexpected(*derived->derived()[index].problem);
    return all;
}

}  // namespace wavetrope::rig
