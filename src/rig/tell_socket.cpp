// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/tell_socket.h"

#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/time.h>
#include <sys/un.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>

namespace wavetrope::rig {

namespace {

constexpr std::size_t mostClients = 16;
constexpr std::size_t longestAnswer = 1000;

std::optional<sockaddr_un> addressOf(const std::string& path)
{
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    if (path.empty() || path.size() >= sizeof address.sun_path)
        return std::nullopt;
    std::memcpy(address.sun_path, path.data(), path.size());
    return address;
}

bool somebodyListens(const sockaddr_un& address)
{
    const int probe = ::socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0);
    const bool listens = probe >= 0 && ::connect(probe, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0;
    if (probe >= 0)
        ::close(probe);
    return listens;
}

}  // namespace

std::string usualSocket(const std::string& rigPath)
{
    const char* runtime = std::getenv("XDG_RUNTIME_DIR");
    const std::string folder = runtime != nullptr && *runtime != 0 ? runtime : "/tmp/wavetrope-" + std::to_string(::getuid());
    return folder + "/wavetrope-" + std::filesystem::path(rigPath).stem().string() + ".sock";
}

Expected<std::unique_ptr<TellSocket>> TellSocket::listen(const std::string& path)
{
    const auto address = addressOf(path);
    if (!address)
        return fail("the name of a socket has 1 to 107 bytes", path);
    std::error_code code;
    if (const auto folder = std::filesystem::path(path).parent_path(); !folder.empty() && !std::filesystem::exists(folder, code)) {
        std::filesystem::create_directories(folder, code);
        std::filesystem::permissions(folder, std::filesystem::perms::owner_all, code);
    }
    struct stat facts{};
    if (::lstat(path.c_str(), &facts) == 0) {
        if (!S_ISSOCK(facts.st_mode))
            return fail("there is a file of this name that is no socket", path, "Choose another name");
        if (somebodyListens(*address))
            return fail("somebody listens there already", path, "Choose another socket");
        ::unlink(path.c_str());
    }
    const int socket = ::socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
    const mode_t mask = ::umask(0177);
    const bool bound = socket >= 0 && ::bind(socket, reinterpret_cast<const sockaddr*>(&*address), sizeof *address) == 0;
    ::umask(mask);
    if (!bound || ::listen(socket, 8) != 0) {
        const int why = errno;
        if (socket >= 0)
            ::close(socket);
        return fail(std::string("the socket cannot be made: ") + std::strerror(why), path);
    }
    return std::unique_ptr<TellSocket>(new TellSocket(path, socket));
}

TellSocket::~TellSocket()
{
    for (const int client : clients_)
        ::close(client);
    ::close(socket_);
    ::unlink(path_.c_str());
}

void TellSocket::poll(const std::function<std::string(const std::string& word)>& answer)
{
    while (clients_.size() < mostClients) {
        const int client = ::accept4(socket_, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
        if (client < 0)
            break;
        clients_.push_back(client);
    }
    std::erase_if(clients_, [&](int client) {
        char word[longestWord + 1];
        const ssize_t got = ::recv(client, word, sizeof word, 0);
        if (got < 0 && (errno == EAGAIN || errno == EWOULDBLOCK || errno == EINTR))
            return false;
        if (got > 0) {
            const std::string said = static_cast<std::size_t>(got) > longestWord ? "a word has 200 bytes at the most"
                                                                                 : answer(std::string(word, static_cast<std::size_t>(got)));
            (void)!::send(client, said.data(), std::min(said.size(), longestAnswer), MSG_NOSIGNAL);
        }
        ::close(client);
        return true;
    });
}

Expected<std::string> tellWord(const std::string& path, const std::string& word)
{
    if (word.empty() || word.size() > longestWord)
        return fail("a word has 1 to 200 bytes");
    const auto address = addressOf(path);
    if (!address)
        return fail("the name of a socket has 1 to 107 bytes", path);
    const int socket = ::socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0);
    const timeval patience{2, 0};
    ::setsockopt(socket, SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
    ::setsockopt(socket, SOL_SOCKET, SO_SNDTIMEO, &patience, sizeof patience);
    if (::connect(socket, reinterpret_cast<const sockaddr*>(&*address), sizeof *address) != 0) {
        const int why = errno;
        ::close(socket);
        return fail(why == ENOENT || why == ECONNREFUSED ? "nobody listens there"
                                                         : std::string("the socket cannot be reached: ") + std::strerror(why),
            path, "A running capture prints the name of its socket");
    }
    char answer[longestAnswer];
    const bool sent = ::send(socket, word.data(), word.size(), MSG_NOSIGNAL) == static_cast<ssize_t>(word.size());
    const ssize_t got = sent ? ::recv(socket, answer, sizeof answer, 0) : -1;
    ::close(socket);
    if (got <= 0)
        return fail("the word was not answered", path);
    return std::string(answer, static_cast<std::size_t>(got));
}

}  // namespace wavetrope::rig
