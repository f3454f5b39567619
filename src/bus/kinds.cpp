// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/kinds.h"

#include "bus/absent_bus.h"
#include "bus/kernel_bus.h"
#include "bus/kernel_interfaces.h"
#include "bus/remote_bus.h"
#include "bus/simulated_bus.h"

namespace wavetrope::bus {

namespace {

constexpr std::size_t waitingFrames = 64;           // of a simulated port
constexpr std::size_t arrivedFrames = 1U << 17;     // of the kernel, that nobody has taken yet

Expected<std::unique_ptr<Bus>> openSimulated(clock::Scheduler& scheduler, const Wanted& wanted)
{
    return std::make_unique<SimulatedBus>(
        scheduler, SimulatedBusOptions{wanted.rate, wanted.index, waitingFrames, true, wanted.restartAfter});
}

Expected<std::unique_ptr<Bus>> openKernel(clock::Scheduler&, const Wanted& wanted)
{
    auto opened = KernelBus::await(wanted.address, {wanted.index, wanted.rate, arrivedFrames});
    if (!opened)
        return tl::unexpected(opened.error());
    return std::move(*opened);
}

Expected<std::unique_ptr<Bus>> openRemote(clock::Scheduler&, const Wanted& wanted)
{
    auto opened = RemoteBus::open(wanted.address, wanted.index, wanted.rate);
    if (!opened)
        return tl::unexpected(opened.error());
    return std::move(*opened);
}

Expected<std::unique_ptr<Bus>> openNone(clock::Scheduler&, const Wanted& wanted)
{
    return std::make_unique<AbsentBus>(wanted.rate, Error{"it has no source yet", {}, 0, 0, {}}, false);
}

Expected<void> checkNothing(const std::string&) { return {}; }

Expected<void> checkNone(const std::string& address)
{
    if (address == "none")
        return {};
    return fail("expected \"none\"", {}, "Interfaces have the field \"interface\", shared buses \"remote\"");
}

Expected<void> checkRemote(const std::string& address)
{
    const auto place = remote::placeFromText(address);
    return place ? Expected<void>{} : tl::unexpected(place.error());
}

Expected<std::vector<Listed>> listNone() { return std::vector<Listed>{}; }

Expected<std::vector<Listed>> listKernel()
{
    const auto found = kernelInterfaces();
    if (!found)
        return tl::unexpected(found.error());
    std::vector<Listed> out;
    for (const KernelInterface& interface : *found)
        out.push_back({interface.name, interface.kind, interface.state, interface.rate});
    return out;
}

constexpr BusKind all[] = {
    {"simulated", "", "", false, Time{0}, checkNothing, openSimulated, listNone},
    {"kernel", "interface", "an interface of the kernel, such as can0", true, std::chrono::milliseconds(20), checkNothing, openKernel,
        listKernel},
    {"none", "source", "\"none\": nothing yet", false, Time{0}, checkNone, openNone, listNone},
    {"remote", "remote", "a shared bus, mqtts://host/topic", true, std::chrono::milliseconds(200), checkRemote, openRemote, listNone},
};

}  // namespace

std::span<const BusKind> busKinds() { return all; }

}  // namespace wavetrope::bus
