// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/dialogue_spec.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/json_reader.h"
#include "base/nearest_name.h"
#include "base/time_text.h"

namespace wavetrope::drive {

namespace {

constexpr std::uint64_t mostAgain = 1000;
constexpr std::size_t mostPhases = 200, mostEntries = 200;
constexpr Time shortestPeriod = std::chrono::microseconds(20);

struct Reading {
    const DialogueSpec& dialogue;
    std::vector<std::string> phases;

    [[nodiscard]] std::size_t phase(const JsonReader& in, const std::string& name) const
    {
        const auto found = std::find(phases.begin(), phases.end(), name);
        if (found == phases.end())
            in.wrong("the dialogue has no phase '" + name + "'", didYouMean(name, phases));
        return static_cast<std::size_t>(found - phases.begin());
    }

    [[nodiscard]] unsigned reason(const JsonReader& in) const
    {
        const auto number = in.whole(dialogue.reasons.size());
        if (number == 0)
            in.wrong("expected the number of one of the dialogue's reasons, counted from 1");
        return static_cast<unsigned>(number);
    }

    // "fault", {"fault": 4}, {"end": 1}, {"go": "easing off"}, {"again": 3, "end": 1}.
    [[nodiscard]] Consequence consequence(const JsonReader& in, const char* key) const
    {
        Consequence out;
        if (!in.has(key))
            return out;
        const JsonReader of = in.at(key);
        if (of.json().is_string() && of.json() == "fault") {
            out.what = Consequence::What::fault;
            return out;
        }
        if (!of.json().is_object() || of.json().empty())
            of.wrong("expected \"fault\", {\"end\": reason}, {\"fault\": reason}, {\"go\": phase} or {\"again\": times, \"end\": reason}");
        if (of.has("end") && of.has("fault"))
            of.wrong("it either ends or is a fault");
        for (const auto& [name, what] : {std::pair("end", Consequence::What::end), {"fault", Consequence::What::fault}})
            if (of.has(name)) {
                out.what = what;
                out.reason = reason(of.at(name));
            }
        if (of.has("go")) {
            if (out.what != Consequence::What::nothing)
                of.wrong("it either goes to a phase or is over");
            out.what = Consequence::What::go;
            out.phase = of.text("go");
            (void)phase(of, out.phase);
        }
        if (of.has("again")) {
            if (out.what == Consequence::What::go)
                of.wrong("behind the last attempt it ends, or is a fault");
            const auto times = of.whole("again", mostAgain, 0);
            if (times == 0)
                of.wrong("expected 1 or more times");
            out.then = out.what;
            out.what = Consequence::What::again;
            out.times = static_cast<unsigned>(times);
        }
        return out;
    }

    [[nodiscard]] SideSpec side(const JsonReader& in, std::size_t number) const
    {
        SideSpec side;
        side.pointer = in.pointer();
        side.on = in.texts("on");
        for (const std::string& name : in.texts("from"))
            side.from.push_back(phase(in, name));
        if (!in.has("from"))
            side.from.push_back(number == 0 ? SideSpec::rest : number - 1);
        side.notBefore = in.span("notBefore");
        side.within = in.span("within");
        if (side.within.count() > 0 && side.notBefore > side.within)
            in.wrong("it may not be left before " + spanText(side.notBefore) + ", and has to be left within " + spanText(side.within),
                "Let 'within' be the longer one");
        side.again = static_cast<unsigned>(in.whole("again", mostAgain, 0));
        side.broken = consequence(in, "broken");
        in.each("hears", [&](const JsonReader& one) {
            HearSpec hear;
            hear.message = one.needText("message");
            hear.within = one.span("within");
            if (hear.within.count() <= 0)
                one.wrong("expected 'within' with a time, such as \"200 ms\"");
            hear.after = one.text("after");
            hear.cyclic = one.flag("cyclic");
            hear.broken = consequence(one, "broken");
            side.hears.push_back(std::move(hear));
        });
        side.allows = in.texts("allows");
        in.each("sends", [&](const JsonReader& one) {
            SaySpec say;
            say.message = one.needText("message");
            say.after = one.text("after");
            say.when = one.text("when");
            if (!say.after.empty() && !say.when.empty())
                one.wrong("it is sent either after a message or when an expression is true");
            say.delay = one.span("delay");
            say.every = one.span("every");
            if (say.every.count() != 0 && say.every < shortestPeriod)
                JsonReader::fail(one.placeOf("every"), "expected 20 us or more");
            side.says.push_back(std::move(say));
        });
        in.each("ends", [&](const JsonReader& one) {
            EndingSpec ending;
            ending.when = one.needText("when");
            ending.hold = one.span("for");
            ending.what = consequence(one, "what");
            if (ending.what.what == Consequence::What::nothing || ending.what.what == Consequence::What::again)
                one.wrong("expected 'what' with \"fault\", {\"end\": reason}, {\"fault\": reason} or {\"go\": phase}");
            side.endings.push_back(std::move(ending));
        });
        if (side.endings.size() > mostEntries || side.hears.size() > mostEntries || side.says.size() > mostEntries
            || side.on.size() > mostEntries || side.allows.size() > mostEntries)
            in.wrong("more than " + std::to_string(mostEntries) + " entries");
        return side;
    }
};

// A partner gets into each phase, and out of it, by some message.
void lookWhetherItGoesOn(const JsonReader& in, const DialogueSpec& spec)
{
    for (std::size_t partner = 0; partner < 2; ++partner) {
        std::vector<bool> reached(spec.phases.size());
        for (bool more = true; more;) {
            more = false;
            for (std::size_t i = 0; i < spec.phases.size(); ++i) {
                const SideSpec& side = spec.phases[i].sides[partner];
                const bool enters = !reached[i] && !side.on.empty()
                                    && std::any_of(side.from.begin(), side.from.end(),
                                        [&](std::size_t from) { return from == SideSpec::rest || (from != i && reached[from]); });
                if (enters)
                    more = reached[i] = true;
            }
        }
        for (std::size_t i = 0; i < spec.phases.size(); ++i) {
            if (!reached[i])
                in.wrong("nothing brings " + spec.partners[partner] + " into " + spec.phases[i].name,
                    "Name a message that does, with 'on', and the phases that it comes 'from'");
            const bool leaves = !spec.ends.empty() || std::any_of(spec.phases.begin(), spec.phases.end(), [&](const PhaseSpec& next) {
                const auto& from = next.sides[partner].from;
                return &next != &spec.phases[i] && std::find(from.begin(), from.end(), i) != from.end();
            });
            if (!leaves)
                in.wrong("nothing brings " + spec.partners[partner] + " out of " + spec.phases[i].name,
                    "Name a phase behind it, or a message with which the dialogue 'ends'");
        }
    }
}

}  // namespace

DialogueSpec dialogueFromJson(const JsonReader& in)
{
    DialogueSpec spec;
    spec.pointer = in.pointer();
    spec.name = in.needText("name");
    spec.bus = in.needText("bus");
    const std::vector<std::string> partners = in.texts("partners");
    if (partners.size() != 2 || partners[0] == partners[1] || partners[0].empty() || partners[1].empty())
        JsonReader::fail(
            in.placeOf("partners"), "a dialogue has two partners, and each is another one", "Name two nodes; the first one begins");
    spec.partners = {partners[0], partners[1]};
    spec.begins = in.text("begins");
    spec.reasons = in.texts("reasons");
    if (spec.reasons.size() > mostEntries)
        JsonReader::fail(in.placeOf("reasons"), "more than " + std::to_string(mostEntries) + " reasons");
    spec.ends = in.texts("ends");
    spec.reason = in.text("reason");
    Reading reading{spec, {}};
    in.each("phases", [&](const JsonReader& phase) {
        reading.phases.push_back(phase.needText("name"));
        if (std::count(reading.phases.begin(), reading.phases.end(), reading.phases.back()) > 1)
            phase.wrong("there is another phase '" + reading.phases.back() + "'", "Give each a name of its own");
    });
    if (reading.phases.empty() || reading.phases.size() > mostPhases)
        JsonReader::fail(in.placeOf("phases"), "a dialogue has 1 to " + std::to_string(mostPhases) + " phases");
    in.each("phases", [&](const JsonReader& phase) {
        PhaseSpec one;
        one.name = phase.needText("name");
        const JsonReader sides = phase.at("sides");
        for (std::size_t partner = 0; partner < 2; ++partner) {
            if (!sides.json().is_object() || !sides.has(spec.partners[partner].c_str()))
                sides.wrong("expected a part for " + spec.partners[partner]);
            one.sides[partner] = reading.side(sides.at(spec.partners[partner].c_str()), spec.phases.size());
        }
        for (const auto& [name, value] : sides.json().items())
            if (name != spec.partners[0] && name != spec.partners[1])
                sides.wrong("'" + name + "' is none of its partners", didYouMean(name, partners));
        spec.phases.push_back(std::move(one));
    });
    lookWhetherItGoesOn(in, spec);
    return spec;
}

std::vector<std::string> DialogueSpec::messages() const
{
    std::vector<std::string> out;
    const auto add = [&](const std::string& one) {
        if (!one.empty() && std::find(out.begin(), out.end(), one) == out.end())
            out.push_back(one);
    };
    for (const PhaseSpec& phase : phases)
        for (const SideSpec& side : phase.sides) {
            for (const std::string& one : side.on)
                add(one);
            for (const HearSpec& hear : side.hears) {
                add(hear.after);
                add(hear.message);
            }
            for (const SaySpec& say : side.says)
                add(say.message);
            for (const std::string& one : side.allows)
                add(one);
        }
    for (const std::string& one : ends)
        add(one);
    return out;
}

std::string DialogueSpec::consequenceText(const Consequence& what) const
{
    const auto over = [&](Consequence::What how) {
        const std::string why = reasonText(what.reason);
        return (how == Consequence::What::fault ? std::string("a fault") : std::string("the end")) + (why.empty() ? "" : ": " + why);
    };
    switch (what.what) {
    case Consequence::What::nothing: return "is told";
    case Consequence::What::again:
        return "asked again" + (what.times == 1 ? std::string(" once") : " " + std::to_string(what.times) + " times") + ", then "
               + over(what.then);
    case Consequence::What::go: return what.phase;
    case Consequence::What::end:
    case Consequence::What::fault: break;
    }
    return over(what.what);
}

bool DialogueSpec::sameButForLimits(const DialogueSpec& other) const
{
    const auto same = [](const Consequence& a, const Consequence& b) {
        return a.what == b.what && a.times == b.times && a.phase == b.phase && a.reason == b.reason && a.then == b.then;
    };
    const auto hears = [&](const HearSpec& a, const HearSpec& b) {
        return a.message == b.message && a.after == b.after && a.cyclic == b.cyclic && same(a.broken, b.broken);
    };
    const auto says = [](const SaySpec& a, const SaySpec& b) {
        return a.message == b.message && a.after == b.after && a.when == b.when && a.delay == b.delay && a.every == b.every;
    };
    const auto endings = [&](const EndingSpec& a, const EndingSpec& b) {
        return a.when == b.when && a.hold == b.hold && same(a.what, b.what);
    };
    const auto sides = [&](const SideSpec& a, const SideSpec& b) {
        return a.on == b.on && a.from == b.from && a.again == b.again && a.allows == b.allows && same(a.broken, b.broken)
               && std::equal(a.hears.begin(), a.hears.end(), b.hears.begin(), b.hears.end(), hears)
               && std::equal(a.says.begin(), a.says.end(), b.says.begin(), b.says.end(), says)
               && std::equal(a.endings.begin(), a.endings.end(), b.endings.begin(), b.endings.end(), endings);
    };
    return name == other.name && bus == other.bus && partners == other.partners && begins == other.begins && reasons == other.reasons
           && ends == other.ends && reason == other.reason
           && std::equal(
               phases.begin(), phases.end(), other.phases.begin(), other.phases.end(), [&](const PhaseSpec& a, const PhaseSpec& b) {
                   return a.name == b.name && sides(a.sides[0], b.sides[0]) && sides(a.sides[1], b.sides[1]);
               });
}

std::string DialogueSpec::reasonText(unsigned number) const
{
    if (number == 0)
        return {};
    return number <= reasons.size() ? reasons[number - 1] : "reason " + std::to_string(number);
}

}  // namespace wavetrope::drive
