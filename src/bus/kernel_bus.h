// SPDX-License-Identifier: GPL-3.0-or-later
// A bus of the kernel's CAN socket family.
#pragma once

#include <atomic>
#include <memory>
#include <thread>

#include "bus/bus.h"

namespace wavetrope::bus {

/// Receives and sends classic, FD and error frames through one raw CAN socket (linux/can/raw.h).
///
/// A thread of its own reads the socket into a queue; `take()` brings the frames in on the caller's thread. Frames
/// that this socket sent come back from the kernel once they were on the bus, and are marked as sent. Time stamps are
/// those of the interface's hardware where it has them and they go by the time of day, else the kernel's; its health says which.
class KernelBus final : public Bus {
public:
    struct Options {
        std::uint8_t index = 0;
        can::BitRate rate;              ///< From the rig, where the interface itself does not tell.
        std::size_t queueLimit = 1U << 17;
    };

    /// Opens an interface by name. Errors say in words what is wrong when it is missing, down or not permitted.
    [[nodiscard]] static Expected<std::unique_ptr<KernelBus>> open(const std::string& interface, const Options& options);
    /// The same, but waits for one that is missing or down: its health says so until it is there. An interface that vanishes
    /// later is waited for in any case, and taken up when one of its name is back.
    [[nodiscard]] static Expected<std::unique_ptr<KernelBus>> await(const std::string& interface, const Options& options);
    ~KernelBus() override;
    KernelBus(const KernelBus&) = delete;
    KernelBus& operator=(const KernelBus&) = delete;

    Port attach(std::string name, can::Direction direction, Order order = Order::byPriority) override;
    bool offer(Port port, const can::Frame& frame) override;
    [[nodiscard]] bool accepts(Port port) const override;
    void enable(Port port, bool on) override;
    [[nodiscard]] std::optional<Time> arrived() override;
    [[nodiscard]] bool inHand() override;
    void take() override;
    [[nodiscard]] Health health() const override;
    [[nodiscard]] can::BitRate bitRate() const override { return options_.rate; }

private:
    struct Queue;
    KernelBus(std::string interface, int socket, int index, int failure, const Options& options);
    static int openSocket(const std::string& interface, int& index, int& failure);
    void read();
    void recover();
    void receiveBatch();
    void follow(const can::Frame& frame);

    std::string interface_;
    int socket_;                        // the number stays when the socket behind it is another one
    std::atomic<int> index_;                         // of the interface that it is bound to; 0: none
    std::size_t buffer_ = 0;            // bytes that the kernel holds for us
    std::chrono::steady_clock::time_point recovering_{};
    Options options_;
    std::unique_ptr<Queue> queue_;
    std::vector<bool> enabled_;
    std::atomic<bool> stopping_{false};
    std::atomic<bool> reading_{false};  // frames may have left the socket that are not in the queue yet
    std::atomic<std::uint64_t> lost_{0};
    std::atomic<std::uint32_t> overflow_{0};
    std::atomic<std::uint64_t> lostBefore_{0};  // by sockets that are no more
    std::atomic<int> failure_{0};
    enum class StampedBy : std::uint8_t { none, kernel, hardware, kernelSinceApart };
    std::atomic<StampedBy> stampedBy_{StampedBy::none};       // of the newest frame
    std::uint64_t refused_ = 0;
    int refusal_ = 0;
    std::uint64_t errors_ = 0;
    bool busOff_ = false;               // as the error frames tell
    bool passive_ = false;
    bool warning_ = false;
    StateHistory states_;
    std::thread reader_;
};

}  // namespace wavetrope::bus
