// SPDX-License-Identifier: GPL-3.0-or-later
// A list that grows at its end while others read what is already there.
#pragma once

#include <array>
#include <atomic>
#include <bit>
#include <cstddef>
#include <memory>

namespace wavetrope::trace {

/// One writer appends, any number of readers index what was published. Elements never move: blocks double in size.
/// `Blocks` of them, the first of 2^FirstBits elements.
template <class T, unsigned FirstBits = 6, unsigned Blocks = 40>
class PublishedList {
public:
    PublishedList() = default;
    PublishedList(const PublishedList&) = delete;
    PublishedList& operator=(const PublishedList&) = delete;
    ~PublishedList()
    {
        for (auto& block : blocks_)
            delete[] block.load(std::memory_order_relaxed);
    }

    [[nodiscard]] std::size_t size() const { return size_.load(std::memory_order_acquire); }

    /// Writer only.
    void append(T value)
    {
        const std::size_t at = size_.load(std::memory_order_relaxed);
        const auto [block, offset] = place(at);
        T* memory = blocks_[block].load(std::memory_order_relaxed);
        if (memory == nullptr) {
            memory = new T[std::size_t{1} << (FirstBits + block)]();
            blocks_[block].store(memory, std::memory_order_release);
        }
        memory[offset] = std::move(value);
        size_.store(at + 1, std::memory_order_release);
    }
    /// `at` must be smaller than a size() read before.
    [[nodiscard]] const T& operator[](std::size_t at) const
    {
        const auto [block, offset] = place(at);
        return blocks_[block].load(std::memory_order_acquire)[offset];
    }

private:
    static std::pair<unsigned, std::size_t> place(std::size_t at)
    {
        const std::size_t shifted = at + (std::size_t{1} << FirstBits);
        const unsigned top = static_cast<unsigned>(std::bit_width(shifted)) - 1;
        return {top - FirstBits, shifted - (std::size_t{1} << top)};
    }

    std::array<std::atomic<T*>, Blocks> blocks_{};
    std::atomic<std::size_t> size_{0};
};

}  // namespace wavetrope::trace
