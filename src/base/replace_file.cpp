// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/replace_file.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>

namespace wavetrope {

Expected<void> replaceFile(const std::string& path, std::string_view bytes, Reaches reaches)
{
    const std::string beside = path + ".part";
    std::FILE* file = std::fopen(beside.c_str(), "wb");
    if (file == nullptr)
        return fail(std::string("cannot be written: ") + std::strerror(errno), path, "Check that the folder may be written to");
    bool good = std::fwrite(bytes.data(), 1, bytes.size(), file) == bytes.size();
    good = std::fflush(file) == 0 && good;
    if (reaches == Reaches::disk)
        good = fsync(fileno(file)) == 0 && good;
    good = std::fclose(file) == 0 && good;
    if (good)
        good = std::rename(beside.c_str(), path.c_str()) == 0;
    if (!good) {
        const std::string why = std::strerror(errno);
        std::remove(beside.c_str());
        return fail("cannot be written: " + why, path, "Check that the disk is not full and the file may be written to");
    }
    return {};
}

void syncFile(const std::string& path)
{
    const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0)
        return;
    ::fsync(file);
    ::close(file);
}

}  // namespace wavetrope
