// SPDX-License-Identifier: GPL-3.0-or-later
// Derived signals over a catalog.
#include <algorithm>

#include "base/nearest_name.h"
#include "database/catalog.h"
#include "database/units.h"
#include "formula/evaluator.h"

namespace wavetrope::database {

std::string Catalog::fullName(const SignalRef& ref) const
{
    return busName(ref.message->bus) + '.' + ref.message->message->name + '.' + ref.signal().name;
}

Expected<SignalRef> Catalog::findSignal(std::string_view name) const
{
    std::vector<SignalRef> found = findSignals(name);
    for (std::size_t bus = 0; bus < explained_->buses.size(); ++bus) {
        const std::string& busName = explained_->buses[bus].name;
        if (name.size() > busName.size() + 1 && name.substr(0, busName.size()) == busName && name[busName.size()] == '.')
            for (const SignalRef& ref : findSignals(name.substr(busName.size() + 1)))
                if (ref.message->bus == bus)
                    found.push_back(ref);
    }
    if (found.size() == 1)
        return found.front();
    if (found.size() > 1)
        return fail("there are " + std::to_string(found.size()) + " signals called '" + std::string(name) + "'", {},
            "Name one of them: " + fullName(found[0]) + " or " + fullName(found[1]));
    std::vector<std::string> names;
    for (const CatalogMessage& message : explained_->messages)
        for (std::uint32_t i = 0; i < message.message->signals.size(); ++i) {
            names.push_back(message.message->signals[i].name);
            names.push_back(message.message->name + '.' + message.message->signals[i].name);
        }
    for (const DerivedSignal& derived : derived_)
        names.push_back(derived.spec.name);
    std::sort(names.begin(), names.end());
    return fail("there is no signal '" + std::string(name) + "'", {}, didYouMean(name, names));
}

int Catalog::findDerived(std::string_view name) const
{
    const auto found = std::find_if(derived_.begin(), derived_.end(), [&](const DerivedSignal& one) { return one.spec.name == name; });
    return found == derived_.end() ? -1 : static_cast<int>(found - derived_.begin());
}

bool Catalog::looksAt(std::uint32_t derived, const CatalogMessage& message) const
{
    if (derived_[derived].problem)
        return false;
    for (const DerivedSignal::Input& input : derived_[derived].inputs)
        if (input.signal.message == nullptr ? looksAt(input.derived, message) : input.signal.message == &message)
            return true;
    return false;
}

void Catalog::derive(const std::vector<DerivedSpec>& specs)
{
    const auto first = static_cast<std::uint32_t>(derived_.size());
    for (const DerivedSpec& spec : specs)
        derived_.emplace_back().spec = spec;
    for (std::uint32_t d = first; d < derived_.size(); ++d) {
        DerivedSignal& derived = derived_[d];
        const auto slotFor = [&](const DerivedSignal::Input& input) -> Expected<std::uint32_t> {
            for (std::uint32_t slot = 0; slot < derived.inputs.size(); ++slot)
                if (const DerivedSignal::Input& known = derived.inputs[slot];
                    known.signal.message == input.signal.message
                    && (input.signal.message != nullptr ? known.signal.index == input.signal.index : known.derived == input.derived))
                    return slot;
            if (derived.inputs.size() == formula::mostInputs)
                return fail("there are more than " + std::to_string(formula::mostInputs) + " inputs");
            derived.inputs.push_back(input);
            return static_cast<std::uint32_t>(derived.inputs.size() - 1);
        };
        auto compiled = formula::Formula::compile(
            derived.spec.formula, formula::Use::derived, [&](std::string_view name) -> Expected<std::uint32_t> {
                if (const int other = findDerived(name); other >= 0)
                    return slotFor({{}, static_cast<std::uint32_t>(other)});
                if (const auto ref = findSignal(name))
                    return slotFor({*ref, 0});
                else if (name == "t")
                    return fail("t is the time of simulated nodes, for them alone");
                else
                    return tl::unexpected(ref.error());
            });
        if (compiled && derived.inputs.empty())
            derived.problem = Error{"it looks at no signal, so it never has a sample", {}, 0, 0, {}};
        else if (compiled)
            derived.formula = std::move(*compiled);
        else
            derived.problem = compiled.error();
    }
    // In order of what looks at what; what goes round in a circle is told where it closes.
    enum class Mark : std::uint8_t { fresh, open, done };
    std::vector<Mark> marks(derived_.size(), Mark::fresh);
    derivedOrder_.clear();
    const auto visit = [&](const auto& self, std::uint32_t d, const std::string& way) -> void {
        DerivedSignal& derived = derived_[d];
        marks[d] = Mark::open;
        for (const DerivedSignal::Input& input : derived.inputs) {
            if (input.signal.message != nullptr || derived.problem)
                continue;
            DerivedSignal& other = derived_[input.derived];
            if (marks[input.derived] == Mark::fresh)
                self(self, input.derived, way + " looks at " + other.spec.name + ", which");
            if (marks[input.derived] == Mark::open)
                derived.problem = Error{"it goes round in a circle: " + way + " looks at " + other.spec.name, {}, 0, 0, {}};
            else if (other.problem)
                derived.problem = Error{other.spec.name + ", at which it looks, has no samples: " + other.problem->what, {}, 0, 0, {}};
        }
        marks[d] = Mark::done;
        if (!derived.problem)
            derivedOrder_.push_back(d);
    };
    for (std::uint32_t d = 0; d < derived_.size(); ++d)
        if (marks[d] == Mark::fresh)
            visit(visit, d, derived_[d].spec.name);
    findUnits(derived_, derivedOrder_);
    for (DerivedSignal& derived : derived_)
        if (derived.problem && derived.problem->where.find("derived signal") == std::string::npos) {
            const std::string& where = derived.problem->where;
            derived.problem->where = "derived signal '" + derived.spec.name + "'" + (where.empty() ? "" : ", " + where);
        }
}

std::shared_ptr<const Catalog> Catalog::withDerived(const std::vector<DerivedSpec>& specs) const
{
    auto out = std::make_shared<Catalog>();
    out->explained_ = explained_;
    out->derive(specs);
    return out;
}

bool Catalog::derives(const std::vector<DerivedSpec>& specs) const
{
    return std::equal(derived_.begin(), derived_.end(), specs.begin(), specs.end(),
        [](const DerivedSignal& one, const DerivedSpec& spec) { return one.spec == spec; });
}

bool Catalog::derivesAs(std::uint32_t derived, const Catalog& other, std::uint32_t theirs) const
{
    const DerivedSignal& a = derived_[derived];
    const DerivedSignal& b = other.derived_[theirs];
    if (a.problem || b.problem || a.spec.formula != b.spec.formula || a.inputs.size() != b.inputs.size())
        return false;
    for (std::size_t i = 0; i < a.inputs.size(); ++i) {
        const SignalRef& mine = a.inputs[i].signal;
        const SignalRef& their = b.inputs[i].signal;
        if (mine.message != their.message || mine.index != their.index
            || (mine.message == nullptr && !derivesAs(a.inputs[i].derived, other, b.inputs[i].derived)))
            return false;
    }
    return true;
}

}  // namespace wavetrope::database
