// SPDX-License-Identifier: GPL-3.0-or-later
// Memory for what is measured of a run without end.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

namespace wavetrope::measure {

/// Hands out memory, zeroed, that is kept as long as this is there. It lies in a file without a name on a disk, so that
/// the system can take back what nobody looks at; where there is no such file, or no room for more of it, on the heap.
/// One thread asks.
class FileMemory {
public:
    /// Without a folder all is on the heap.
    explicit FileMemory(const std::string& folder = {});
    ~FileMemory();
    FileMemory(const FileMemory&) = delete;
    FileMemory& operator=(const FileMemory&) = delete;

    /// Up to chunkBytes, which `bytes` divides.
    [[nodiscard]] void* allocate(std::size_t bytes);
    /// Bytes handed out that are in the file.
    [[nodiscard]] std::size_t inFile() const { return chunks_.size() * chunkBytes; }

    static constexpr std::size_t chunkBytes = std::size_t{1} << 20;

private:
    [[nodiscard]] bool extend();

    int file_ = -1;
    std::vector<void*> chunks_;
    std::vector<std::byte*> heap_;
    std::size_t used_ = chunkBytes;     // of the last chunk
};

}  // namespace wavetrope::measure
