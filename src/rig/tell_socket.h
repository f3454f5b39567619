// SPDX-License-Identifier: GPL-3.0-or-later
// Words from outside to a running capture or window, over a socket of this machine.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "base/error.h"

namespace wavetrope::rig {

/// Longest word that is taken, in bytes.
inline constexpr std::size_t longestWord = 200;

/// Where a rig listens when nothing else was said: RIG.sock in the folder of the user's running programs, named after the
/// rig's file.
[[nodiscard]] std::string usualSocket(const std::string& rigPath);

/// The listening side. Only the same user may connect, by the permissions of the socket's file.
class TellSocket {
public:
    /// A file of that name that nobody listens to any more is replaced; one that somebody does listen to is an error.
    [[nodiscard]] static Expected<std::unique_ptr<TellSocket>> listen(const std::string& path);
    ~TellSocket();
    TellSocket(const TellSocket&) = delete;
    TellSocket& operator=(const TellSocket&) = delete;

    /// Takes what has come, without waiting. `answer(word)` gives what the other side is told.
    void poll(const std::function<std::string(const std::string& word)>& answer);
    [[nodiscard]] const std::string& path() const { return path_; }

private:
    TellSocket(std::string path, int socket) : path_(std::move(path)), socket_(socket) {}
    std::string path_;
    int socket_;
    std::vector<int> clients_;
};

/// Tells a word, and gives the answer. Waits two seconds at most.
[[nodiscard]] Expected<std::string> tellWord(const std::string& path, const std::string& word);

}  // namespace wavetrope::rig
