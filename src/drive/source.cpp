// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/source.h"

#include "base/nearest_name.h"
#include "database/codec.h"

namespace wavetrope::drive {

double Source::evaluate(double t, const std::vector<double>& slots, formula::Random& random)
{
    struct Visitor {
        Source& source;
        double t;
        const std::vector<double>& slots;
        formula::Random& random;
        double operator()(double value) const { return value; }
        double operator()(const FormulaSpec&) const { return source.formula.evaluate(slots, random); }
        double operator()(const LabelSpec&) const { return 0; }
        double operator()(const CurveSpec& curve) const { return curve.at(t); }
        double operator()(const SineSpec& sine) const { return sine.at(t); }
        double operator()(const NoiseSpec& noise) const { return noise.mean + noise.deviation * random.normal(); }
        double operator()(const CounterSpec& counter) const { return static_cast<double>(source.count++ % counter.modulo); }
        double operator()(Checksum) const { return 0; }
    };
    return std::visit(Visitor{*this, t, slots, random}, spec);
}

Expected<Source> sourceFor(const SourceSpec& spec, const database::Signal* signal, const std::string& place, const CompileFormula& compile)
{
    Source source{spec, {}, 0};
    if (const auto* formula = std::get_if<FormulaSpec>(&spec)) {
        auto compiled = compile(formula->text, place);
        if (!compiled)
            return tl::unexpected(compiled.error());
        source.formula = std::move(*compiled);
    } else if (const auto* label = std::get_if<LabelSpec>(&spec)) {
        if (signal == nullptr)
            return fail("\"" + label->text + "\" is a text, and only a signal of a database has texts", place, "Give a number");
        const database::ValueText* text = nullptr;
        std::vector<std::string> known;
        std::string choices;
        for (const database::ValueText& entry : signal->texts) {
            if (entry.text == label->text)
                text = &entry;
            known.push_back(entry.text);
            choices += (choices.empty() ? "\"" : ", \"") + entry.text + "\"";
        }
        if (text == nullptr) {
            const std::string nearest = didYouMean(label->text, known);
            return fail(signal->name + " has no text \"" + label->text + "\"", place,
                choices.empty() ? "It has none; give a number" : (nearest.empty() ? "" : nearest + " ") + "Its texts are " + choices);
        }
        source.spec = database::planOf(*signal).scale.ofWhole(text->value);
    }
    return source;
}

}  // namespace wavetrope::drive
