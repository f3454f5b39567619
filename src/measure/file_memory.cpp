// SPDX-License-Identifier: GPL-3.0-or-later
#include "measure/file_memory.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <unistd.h>

#include <cstdlib>

namespace wavetrope::measure {

namespace {

constexpr std::size_t near = 4;     // chunks behind the newest that stay mapped in

}  // namespace

FileMemory::FileMemory(const std::string& folder)
{
    if (folder.empty())
        return;
    file_ = ::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
    if (file_ >= 0)
        return;
    // Not every file system makes files without a name; one that loses it at once is the same.
    std::string name = folder + "/load-XXXXXX";
    file_ = ::mkostemp(name.data(), O_CLOEXEC);
    if (file_ >= 0)
        ::unlink(name.c_str());
}

FileMemory::~FileMemory()
{
    for (void* chunk : chunks_)
        ::munmap(chunk, chunkBytes);
    for (const std::byte* block : heap_)
        delete[] block;
    if (file_ >= 0)
        ::close(file_);
}

bool FileMemory::extend()
{
    // Room is asked for first: a mapped page that the disk has no room for would end the program.
    const auto at = static_cast<off_t>(chunks_.size() * chunkBytes);
    if (file_ < 0 || ::posix_fallocate(file_, at, chunkBytes) != 0)
        return false;
    void* chunk = ::mmap(nullptr, chunkBytes, PROT_READ | PROT_WRITE, MAP_SHARED, file_, at);
    if (chunk == MAP_FAILED)
        return false;
    chunks_.push_back(chunk);
    used_ = 0;
    if (chunks_.size() > near)  // what is written there stays in the file, and comes back when it is looked at
        (void)::madvise(chunks_[chunks_.size() - 1 - near], chunkBytes, MADV_DONTNEED);
    return true;
}

void* FileMemory::allocate(std::size_t bytes)
{
    if (used_ + bytes > chunkBytes && !extend()) {
        heap_.push_back(new std::byte[bytes]());
        return heap_.back();
    }
    void* at = static_cast<std::byte*>(chunks_.back()) + used_;
    used_ += bytes;
    return at;
}

}  // namespace wavetrope::measure
