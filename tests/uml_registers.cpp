// SPDX-License-Identifier: GPL-3.0-or-later
// Loaded before user-mode Linux. That kernel keeps 2,696 bytes of its processes' vector registers; a processor with more of
// them has the machine's kernel refuse to set a part. Here the whole is fetched, the part put into it, and the whole set.
#include <elf.h>
#include <linux/ptrace.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <unistd.h>

#include <algorithm>
#include <cstring>

// The library declares it with an ellipsis; the four arguments come in the same registers.
extern "C" long ptrace(unsigned request, long process, void* address, void* data)
{
    alignas(64) static thread_local unsigned char whole[32768];
    if (request == PTRACE_SETREGSET && reinterpret_cast<long>(address) == NT_X86_XSTATE) {
        const auto* part = static_cast<const iovec*>(data);
        iovec all{whole, sizeof whole};
        if (syscall(SYS_ptrace, PTRACE_GETREGSET, process, address, &all) == 0 && all.iov_len > part->iov_len) {
            std::memcpy(whole, part->iov_base, std::min(part->iov_len, sizeof whole));
            return syscall(SYS_ptrace, PTRACE_SETREGSET, process, address, &all);
        }
    }
    // As the library does it: what is peeked at is the result.
    if (request == PTRACE_PEEKTEXT || request == PTRACE_PEEKDATA || request == PTRACE_PEEKUSR) {
        long word = 0;
        const long result = syscall(SYS_ptrace, request, process, address, &word);
        return result < 0 ? result : word;
    }
    return syscall(SYS_ptrace, request, process, address, data);
}
