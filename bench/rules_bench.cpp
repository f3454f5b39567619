// SPDX-License-Identifier: GPL-3.0-or-later
// Fifty conditions and ten recordings over a long trace, beside reading the same frames one after the other.
#include <cstdlib>

#include "bench/figures.h"
#include "bench/traffic.h"
#include "rules/rehearsal.h"

using namespace wavetrope;
using namespace wavetrope::bench;

namespace {

rules::RuleSet madeRules()
{
    rules::RuleSet set;
    std::vector<std::string> names;
    const auto add = [&](const char* kind, rules::ConditionKind what, Time span, const std::string& filter) {
        rules::ConditionRule rule;
        rule.name = kind + std::to_string(set.conditions.size());
        rule.kind = what;
        rule.span = span;
        rule.filter = *filter::Filter::compile(filter, madeCatalog());
        rule.bus = static_cast<int>(set.conditions.size() % buses);
        rule.percent = 30 + static_cast<double>(set.conditions.size());
        rule.stays = set.conditions.size() % 3 == 0 ? std::chrono::seconds(1) : std::chrono::seconds(0);
        names.push_back(rule.name);
        set.conditions.push_back(std::move(rule));
    };
    using namespace std::chrono_literals;
    for (unsigned i = 0; i < 10; ++i) {
        const std::string id = "bus Bus" + std::to_string(i % buses) + " and id 0x1" + std::to_string(10 + i);
        add("held", rules::ConditionKind::frames, 1ms * (20 * i), id + " and byte 4 > " + std::to_string(20 * i));
        add("quiet", rules::ConditionKind::silent, 1ms * (30 + i), id);
        add("seen", rules::ConditionKind::frames, 0ms, id);
        add("full", rules::ConditionKind::load, 20ms * (i + 1), {});
        add("every", rules::ConditionKind::every, 1s * (i + 1), {});
    }
    for (unsigned i = 0; i < 10; ++i) {
        rules::RecordingRule rule;
        rule.name = "recording " + std::to_string(i);
        const char* keeps[] = {"", "bus Bus1", "not bus Bus2", "every 10"};
        rule.keep = *filter::Filter::compile(keeps[i % 4], madeCatalog());
        rule.start = *rules::Terms::parse("(" + names[5 * i] + " or " + names[5 * i + 3] + ") and not " + names[5 * i + 1], names);
        if (i % 2 == 1)
            rule.stop = *rules::Terms::parse(names[5 * i + 4], names);
        rule.before = {std::chrono::seconds(2), 0, false};
        rule.after = {std::chrono::seconds(1), 0, false};
        set.recordings.push_back(std::move(rule));
    }
    return set;
}

// Frames as a wire can carry them: the buses in turn, each at four fifths of its load; or as they come, closer than they are
// long, which no bus can.
void measure(std::uint64_t frames, bool onAWire)
{
    trace::Trace trace;
    const std::vector<can::BitRate> rates(buses, {500'000, 0});
    for (unsigned i = 0; i < buses; ++i)
        trace.addBus({"Bus" + std::to_string(i), rates[i]});
    Generator generator;
    for (std::uint64_t i = 0; i < frames; ++i) {
        can::FrameView frame = generator.next();
        if (onAWire) {
            frame.bus = static_cast<std::uint8_t>(i % buses);
            frame.time = std::chrono::seconds(1000) + i * std::chrono::microseconds(36);
        }
        trace.append(frame);
    }
    const trace::Snapshot snapshot = trace.snapshot();
    std::uint64_t sum = 0;
    const double reading = secondsOf([&] {
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            sum += snapshot.frame(row).length + snapshot.identifier(row);
    });
    rules::Rehearsed rehearsed;
    const double following = secondsOf([&] { rehearsed = rules::rehearse(snapshot, madeRules(), rates); });
    std::printf("%llu M frames %s, %zu takes, %zu stretches\n", static_cast<unsigned long long>(frames / 1'000'000),
        onAWire ? "as a wire carries them" : "closer than they are long", rehearsed.takes.size(), rehearsed.stretches.size());
    line("50 conditions and 10 recordings", static_cast<double>(frames) / following / 1e6, "M frames/s",
        words("want 5; going through the rows alone: %.1f (%llu)", static_cast<double>(frames) / reading / 1e6,
            static_cast<unsigned long long>(sum % 10)));
}

}  // namespace

int main(int argc, char** argv)
{
    const std::uint64_t frames = 1'000'000 * (argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 10);
    measure(frames, true);
    measure(frames, false);
    return 0;
}
