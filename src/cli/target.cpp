// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/target.h"

#include <algorithm>
#include <filesystem>

#include "base/nearest_name.h"

namespace wavetrope::cli {

Expected<Target> targetOf(const std::string& interface, const std::string& bus, bool isVirtual, std::vector<std::string> words)
{
    Target out;
    out.words = std::move(words);
    if (!interface.empty()) {
        if (!bus.empty())
            return fail("--interface and --bus exclude each other", {}, "--bus names a bus of a rig");
        if (isVirtual)
            return fail("--virtual needs simulated buses alone, and " + interface + " is an interface of the kernel");
        const auto kind = std::find_if(
            bus::busKinds().begin(), bus::busKinds().end(), [](const bus::BusKind& one) { return std::string(one.name) == "kernel"; });
        if (kind == bus::busKinds().end())
            return fail("this build has no interfaces of the kernel");
        rig::BusSpec spec;
        spec.name = interface;
        spec.kind = &*kind;
        spec.address = interface;
        out.rig.name = interface;
        out.rig.buses.push_back(std::move(spec));
        out.bus = interface;
        return out;
    }
    std::error_code code;
    if (out.words.empty() || !std::filesystem::exists(out.words.front(), code))
        return fail("it is not said where to send to", {},
            "Name an interface with --interface can0, or a rig and one of its buses: send demo/rig.json --bus Implement MESSAGE");
    auto rig = rig::loadRig(out.words.front());
    if (!rig)
        return tl::unexpected(rig.error());
    out.words.erase(out.words.begin());
    std::vector<std::string> names;
    for (const rig::BusSpec& one : rig->buses)
        names.push_back(one.name);
    out.rig = std::move(*rig);
    out.bus = bus.empty() && names.size() == 1 ? names.front() : bus;
    if (out.bus.empty())
        return fail("it is not said which bus to send to", out.rig.path, "Name one of its buses with --bus");
    if (std::find(names.begin(), names.end(), out.bus) == names.end())
        return fail("the rig has no bus '" + out.bus + "'", out.rig.path, didYouMean(out.bus, names));
    return out;
}

}  // namespace wavetrope::cli
