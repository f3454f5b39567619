// SPDX-License-Identifier: GPL-3.0-or-later
// What acts in a run, in virtual time on one core: the demo rig; and a node's script, beside the same run without one and beside a reaction
// of the rig.
//     wavetrope-driving-bench RIG
#include <cstdio>
#include <memory>
#include <string>

#include "bench/figures.h"
#include "drive/node.h"
#include "rig/session.h"

using namespace wavetrope;
using namespace wavetrope::bench;

namespace {

constexpr Time span = std::chrono::seconds(20);

// A bus that one node fills, and another that listens.
std::string rigText(const std::string& ear)
{
    return R"rig({"wavetrope": 1, "name": "bench", "begins": "2027-02-01T18:00:00Z",
 "buses": [{"name": "Main", "rate": "1M", "definitions": {"wavetrope_database": 1, "messages": [
   {"id": "0x100", "name": "State", "length": 8, "sender": "Unit", "signals": [{"name": "Level", "start_bit": 0, "length": 16}]}]}}],
 "nodes": [{"name": "Unit", "buses": ["Main"], "sends": [{"message": "State", "every": "150 us", "signals": {"Level": {"counter": {"modulo": 60000}}}}]},
           {"name": "Ear", "buses": ["Main"])rig"
           + ear + "}]}";
}

double run(const std::string& ear, std::uint64_t& frames)
{
    const auto rig = rig::rigFromText(rigText(ear), "bench.json");
    if (!rig) {
        std::fprintf(stderr, "%s\n", rig.error().text().c_str());
        std::exit(1);
    }
    return best(3, [&] {
        rig::SessionOptions options;
        options.measured = false;
        auto session = rig::Session::create(*rig, rig::loadDatabases(*rig), options);
        (*session)->runFor(span, nullptr);
        frames = (*session)->trace().rows();
        for (const drive::Node* node : (*session)->all<drive::Node>())
            if (node->scriptProblem() || (node->script() != nullptr && node->script()->stopped())) {
                std::fprintf(stderr, "the script was stopped\n");
                std::exit(1);
            }
    });
}

}  // namespace

int main(int argc, char** argv)
{
    if (argc != 2) {
        std::fprintf(stderr, "wavetrope-driving-bench RIG\n");
        return 2;
    }
    const auto demo = rig::loadRig(argv[1]);
    if (!demo) {
        std::fprintf(stderr, "%s\n", demo.error().text().c_str());
        return 2;
    }
    const auto databases = rig::loadDatabases(*demo);
    for (const bool measured : {false, true}) {
        std::uint64_t frames = 0;
        const double seconds = best(2, [&] {
            rig::SessionOptions options;
            options.measured = measured;
            auto session = rig::Session::create(*demo, databases, options);
            (*session)->runFor(std::chrono::seconds(120), nullptr);
            frames = (*session)->trace().rows();
        });
        row(measured ? "the demo rig, 120 s, all measured" : "the demo rig, 120 s", 120 / seconds, "x", 400);
        line("of it", static_cast<double>(frames) / seconds / 1e6, "M frames/s");
    }
    std::uint64_t frames = 0;
    const double bare = run("", frames);
    const double reaction = run(R"(, "variables": {"n": 0}, "reacts": [{"on": "State", "set": {"n": "n + Level"}}])", frames);
    const double script = run(
        R"rig(, "script": {"text": "local n = 0 on.message('State', function(frame) n = n + frame.Level end)"})rig", frames);
    const double change = run(R"rig(, "script": {"text": "local n = 0 on.change('Level', function(value) n = n + value end)"})rig", frames);
    const double each = 1e9 / static_cast<double>(frames);
    line("frames", static_cast<double>(frames), "");
    line("without anybody who listens", bare * each, "ns a frame");
    line("a reaction of the rig, beside that", (reaction - bare) * each, "ns a frame");
    row("a script's reaction to a message, beside that", (script - bare) * each / 1000, "us", 1);
    row("the same to a signal that changes", (change - bare) * each / 1000, "us", 1);
    row("calls a second", static_cast<double>(frames) / (script - bare) / 1000, "k/s", 500);
    return 0;
}
