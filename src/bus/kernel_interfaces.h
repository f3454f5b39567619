// SPDX-License-Identifier: GPL-3.0-or-later
// The CAN interfaces that the kernel has.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/time.h"
#include "can/bit_rate.h"

namespace wavetrope::bus {

/// One interface as the kernel describes it over its route socket.
struct KernelInterface {
    std::string name;
    std::string kind;           ///< "vcan", "vxcan", or "can" for hardware.
    bool up = false;
    unsigned mtu = 0;           ///< 16 classic, 72 CAN FD.
    int index = 0;
    can::BitRate rate;          ///< Unknown (0) for virtual interfaces.
    std::string state;          ///< "up", "down", or the controller's error state.
    double samplePoint = 0;     ///< Of the nominal bits, in percent; 0: not told.
    double dataSamplePoint = 0;
    std::optional<Time> restartAfter;   ///< Bus off; 0: never by itself.
    bool hasController = false; ///< It tells bit rates, modes and counters.
    bool listenOnly = false;
    bool fd = false;            ///< FD frames pass now.
    bool mayFd = false;         ///< Its controller could.
    std::optional<unsigned> sendErrors, receiveErrors;  ///< The controller's counters, where it tells them.
    std::uint64_t received = 0, sent = 0;               ///< Frames since it is there.
    std::uint64_t dropped = 0;                          ///< Received, and lost in the kernel or its driver.
    std::uint64_t busErrors = 0, busOffs = 0, restarts = 0;
    bool ownStamps = false;     ///< It stamps frames by a clock of its own.
    std::string place;          ///< What it hangs on: "usb 1-2.1", "pci 0000:03:00.0"; empty for those of the kernel's own making.

    /// Whether frames can pass now.
    [[nodiscard]] bool alive() const { return up && state != "bus off" && state != "stopped"; }
    /// How it was set up: "ip link set can0 up type can bitrate 500000 restart-ms 100". Empty where there is nothing to set.
    [[nodiscard]] std::string setUpBy() const;
};

/// The command that brings an interface up at a rate: that of ip, without sudo. One that is up is taken down first.
[[nodiscard]] std::string bringUpCommand(const KernelInterface& interface, can::BitRate rate);

/// Lists all CAN interfaces by name. An error when the kernel does not answer.
[[nodiscard]] Expected<std::vector<KernelInterface>> kernelInterfaces();

struct WatchedInterface;

/// A change that was seen.
struct InterfaceChange {
    enum class What : std::uint8_t { present, appeared, changed, gone };
    What what = What::present;
    KernelInterface is;             ///< As it is now; of one that is gone: as it was last.
    InterfaceChange(What kind, const WatchedInterface& of);
};
/// "present", "appeared", "changed" or "gone".
[[nodiscard]] const char* toText(InterfaceChange::What what);

/// An interface that is there, or was.
struct WatchedInterface {
    KernelInterface is;
    Time since{};                   ///< It is as it is.
    bool gone = false;
    InterfaceChange::What last = InterfaceChange::What::present;
};

/// Follows the machine's interfaces. Nothing of them is opened.
class InterfaceWatch {
public:
    static constexpr Time betweenQuestions = std::chrono::milliseconds(500);    ///< For counters.

    [[nodiscard]] static Expected<std::unique_ptr<InterfaceWatch>> start();
    ~InterfaceWatch();
    InterfaceWatch(const InterfaceWatch&) = delete;
    InterfaceWatch& operator=(const InterfaceWatch&) = delete;

    /// What has changed since the last call, without waiting; the first call gives all that there is as present. `now` is the
    /// machine's time.
    std::vector<InterfaceChange> poll(Time now);
    /// All, by name; those that are gone among them.
    [[nodiscard]] const std::vector<WatchedInterface>& all() const { return all_; }

private:
    explicit InterfaceWatch(int socket) : socket_(socket) {}
    int socket_;
    std::vector<WatchedInterface> all_;
    Time asked_{};
    bool begun_ = false;
};

}  // namespace wavetrope::bus
