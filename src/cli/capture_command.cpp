// SPDX-License-Identifier: GPL-3.0-or-later
// capture of a rig, and tell.
#include "cli/capture_command.h"

#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <charconv>
#include <csignal>
#include <cstddef>
#include <cstdlib>
#include <cstring>

#include "base/time_text.h"
#include "rig/session.h"
#include "rig/tell_socket.h"

namespace wavetrope::cli {

namespace {

std::atomic<bool> readAgain{false};

constexpr std::size_t usualMemory = 512'000'000;
constexpr Time reportEvery = std::chrono::milliseconds(500);

// What the service manager is told, where one started the program (its notification protocol). One that does not listen is
// not waited for: frames come first, which is why no library does it.
class Service {
public:
    Service()
    {
        const char* path = std::getenv("NOTIFY_SOCKET");
        if (path == nullptr || (path[0] != '/' && path[0] != '@') || std::strlen(path) >= sizeof address_.sun_path)
            return;
        address_.sun_family = AF_UNIX;
        std::memcpy(address_.sun_path, path, std::strlen(path));
        length_ = static_cast<socklen_t>(offsetof(sockaddr_un, sun_path) + std::strlen(path));
        if (path[0] == '@')
            address_.sun_path[0] = 0;
        socket_ = ::socket(AF_UNIX, SOCK_DGRAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0);
        const std::int64_t of = numberFrom("WATCHDOG_PID");
        if (of == 0 || of == ::getpid())
            beat_ = std::chrono::microseconds(numberFrom("WATCHDOG_USEC") / 3);
    }
    ~Service()
    {
        if (socket_ >= 0)
            ::close(socket_);
    }
    Service(const Service&) = delete;
    Service& operator=(const Service&) = delete;
    void say(const std::string& words) const
    {
        if (socket_ >= 0)
            (void)!::sendto(socket_, words.data(), words.size(), MSG_NOSIGNAL, reinterpret_cast<const sockaddr*>(&address_), length_);
    }
    void alive(Time now)
    {
        if (beat_.count() == 0 || now - beaten_ < beat_)
            return;
        beaten_ = now;
        say("WATCHDOG=1");
    }

private:
    static std::int64_t numberFrom(const char* name)
    {
        const char* text = std::getenv(name);
        std::int64_t number = 0;
        if (text != nullptr)
            std::from_chars(text, text + std::strlen(text), number);
        return std::max<std::int64_t>(0, number);
    }
    sockaddr_un address_{};
    socklen_t length_ = 0;
    int socket_ = -1;
    Time beat_{0};
    Time beaten_{};
};

// Says what a recording does whenever that changes: a line for each take, and for what is in the way.
class TakesLine {
public:
    void show(const rig::Session& session)
    {
        const auto reports = session.takingReports();
        known_.resize(reports.size());
        for (std::size_t i = 0; i < reports.size(); ++i) {
            const rig::TakingReport& report = reports[i];
            Known& known = known_[i];
            const bool runs = report.state.phase == rules::Rules::Phase::keeps || report.state.phase == rules::Rules::Phase::behind;
            if (report.state.takes > known.takes)
                std::fprintf(stderr, "%s: take %llu begins\n", report.name.c_str(), static_cast<unsigned long long>(report.state.takes));
            if (known.runs && (!runs || report.state.takes > known.takes))
                std::fprintf(stderr, "%s: a take has ended, last file %s\n", report.name.c_str(), report.files.path.c_str());
            if (!report.files.problem.empty() && report.files.problem != known.problem)
                warn(report.name + ": " + report.files.problem);
            known = {report.state.takes, runs, report.files.problem};
        }
    }

private:
    struct Known {
        std::uint64_t takes = 0;
        bool runs = false;
        std::string problem;
    };
    std::vector<Known> known_;
};

// Says how a bus is whenever that changes.
class BusesLine {
public:
    void show(const rig::Session& session, const rig::Rig& rig)
    {
        const auto health = session.health();
        said_.resize(health.size());
        for (std::size_t i = 0; i < health.size(); ++i) {
            std::string words = health[i].state == bus::Health::State::refusing ? "refuses frames to send" : health[i].words;
            if (words != said_[i])
                std::fprintf(stderr, "bus %s: %s\n", rig.buses[i].name.c_str(), words.c_str());
            said_[i] = std::move(words);
        }
    }

private:
    std::vector<std::string> said_;
};

// Conditions and recordings of the rig as it stands in its file now. The buses go on; nothing is lost in between.
void takeAnew(rig::Session& session, const rig::Rig& running, const std::string& path)
{
    const auto rig = rig::loadRig(path);
    if (!rig)
        return warn("the rig stays as it is: " + rig.error().text());
    bool sameBuses = rig->buses.size() == running.buses.size();
    for (std::size_t i = 0; sameBuses && i < rig->buses.size(); ++i)
        sameBuses = rig->buses[i].name == running.buses[i].name && rig->buses[i].kind == running.buses[i].kind
                    && rig->buses[i].address == running.buses[i].address && rig->buses[i].rate == running.buses[i].rate;
    if (!sameBuses)
        warn("the buses of the rig have changed: that takes effect when the capture is started anew");
    Expected<void> taken;
    session.call([&](rig::Session& s) { taken = s.takeRules(*rig); });
    if (taken)
        std::fprintf(stderr, "the rig was read again: its recordings are armed\n");
    else
        warn("the rig stays as it is: " + taken.error().text());
}

}  // namespace

int captureRig(const RigCapture& options)
{
    const auto span = spanOfRun(options.span);
    if (!span)
        return report(span.error());
    const auto rig = rig::loadRig(options.rig);
    if (!rig)
        return report(rig.error());
    const auto databases = rig::loadDatabases(*rig);
    for (const Error& problem : databases.problems)
        warn(problem.text());
    rig::SessionOptions how;
    how.measured = how.searched = false;
    how.takes.emplace();
    how.takes->folder = options.out.empty() ? "." : options.out;
    how.spool.emplace();
    how.spool->folder = options.spool;      // without, what is needed from before is in memory alone
    how.spool->memory = options.memory > 0 ? options.memory : usualMemory;
    auto session = rig::Session::create(*rig, databases, how);
    if (!session)
        return report(session.error());
    for (const Error& problem : (*session)->leftOut())
        warn(problem.text());
    for (const rig::TakingReport& recording : (*session)->takingReports())
        if (!recording.files.problem.empty())
            return report(Error{recording.files.problem, "recording " + recording.name, 0, 0, {}});
    if (options.isVirtual && !(*session)->allSimulated())
        return report(Error{"--virtual needs simulated buses alone, and this rig has an interface of the kernel", options.rig, 0, 0, {}});
    for (const bus::Health& health : (*session)->health())
        if (!health.advice.empty())
            warn(health.advice);
    if (rig->recordings.empty())
        warn("the rig has no recordings: nothing is kept");
    for (const rig::TakingReport& recording : (*session)->takingReports())
        if (!recording.never.empty())
            warn("recording " + recording.name + ": " + recording.never);

    const std::string path = options.socket.empty() ? rig::usualSocket(options.rig) : options.socket;
    auto socket = rig::TellSocket::listen(path);
    if (!socket)
        warn("words from outside cannot be heard: " + socket.error().text());
    struct sigaction again{};
    again.sa_handler = [](int) { readAgain = true; };
    ::sigaction(SIGHUP, &again, nullptr);

    Service service;
    clock::SteadyClock wall;
    TakesLine takes;
    BusesLine buses;
    ProgressLine progress("capturing");
    Time shown{};
    const Time begins = (*session)->begins();
    std::fprintf(stderr, "capturing%s\n", socket ? (", words to " + path).c_str() : "");
    service.say("READY=1\nSTATUS=capturing");
    (*session)->runFor(*span, options.isVirtual ? nullptr : &wall, [&] {
        const Time now = wall.now();
        service.alive(now);
        if (socket)
            (*socket)->poll([&](const std::string& word) {
                bool heard = false;
                for (const rig::EventSpec& event : rig->events)
                    heard = heard || (event.kind == rules::ConditionKind::word && event.word == word);
                if (heard)
                    (*session)->post([word](rig::Session& s) {
                        if (s.rules() != nullptr)
                            s.rules()->tell(word, s.scheduler().now());
                    });
                return heard ? std::string("told") : "no condition hangs on the word '" + word + "'";
            });
        if (readAgain.exchange(false))
            takeAnew(**session, *rig, options.rig);
        if (now - shown >= reportEvery) {
            shown = now;
            takes.show(**session);
            buses.show(**session, *rig);
            service.say("STATUS=" + std::to_string((*session)->trace().rows()) + " frames");
        }
        if (!options.span.empty())
            progress.show(static_cast<std::uint64_t>(((*session)->now() - begins).count()), static_cast<std::uint64_t>(span->count()));
        return !interrupted;
    });
    service.say("STOPPING=1");
    (*session)->call([](rig::Session& s) { s.endTakes(); });
    takes.show(**session);
    std::uint64_t lost = 0, files = 0, kept = 0;
    bool good = true;
    for (const bus::Health& health : (*session)->health())
        lost += health.lost;
    for (const rig::TakingReport& recording : (*session)->takingReports()) {
        files += recording.files.files;
        kept += recording.state.takes;
        if (recording.files.lost > 0) {
            good = false;
            warn(recording.name + ": " + std::to_string(recording.files.lost) + " frames could not be kept"
                 + (recording.files.problem.empty() ? std::string() : ": " + recording.files.problem));
        }
    }
    std::fprintf(stderr, "%llu frames, %llu lost, %llu takes in %llu files\n", static_cast<unsigned long long>((*session)->trace().rows()),
        static_cast<unsigned long long>(lost), static_cast<unsigned long long>(kept), static_cast<unsigned long long>(files));
    return good ? 0 : exitBad;
}

void addTell(CLI::App& program, int& result)
{
    struct Told {
        std::string socket, word;
    };
    const auto told = std::make_shared<Told>();
    CLI::App* command = program.add_subcommand("tell", "Tells a word to a running capture or window");
    command->add_option("socket", told->socket, "The socket, as the capture printed it")->required();
    command->add_option("word", told->word, "The word that a condition of its rig hangs on")->required();
    command->callback([told, &result] {
        const auto answer = rig::tellWord(told->socket, told->word);
        if (!answer)
            result = report(answer.error());
        else if (*answer != "told")
            result = report(*answer);
    });
}

}  // namespace wavetrope::cli
