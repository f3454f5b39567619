// SPDX-License-Identifier: GPL-3.0-or-later
#include "remote/line.h"

#include <fcntl.h>
#include <mosquitto.h>
#include <mqtt_protocol.h>
#include <netdb.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <random>
#include <utility>

namespace wavetrope::remote {

namespace {

using namespace std::chrono_literals;

constexpr int keepAliveSeconds = 10;
constexpr std::uint32_t keptForSeconds = 60;        // what comes while our line is broken, by the broker
constexpr auto betweenTries = 1s;
constexpr int connectMilliseconds = 3000;
constexpr int loopMilliseconds = 100;
constexpr unsigned mostOnTheWay = 512;

// The library is made ready once, and cleaned up where the program ends.
struct Library {
    Library() { mosquitto_lib_init(); }
    ~Library() { mosquitto_lib_cleanup(); }
    Library(const Library&) = delete;
    Library& operator=(const Library&) = delete;
};

void beReady() { static const Library library; }

std::string ownName()
{
    std::random_device random;
    char name[40];
    std::snprintf(name, sizeof name, "wavetrope-%08x%08x", random(), random());
    return name;
}

// What a broker's answer means; MQTT 3.1.1, 3.2.2.3 and MQTT 5, 3.2.2.2.
std::string refusal(int code)
{
    switch (code) {
    case CONNACK_REFUSED_PROTOCOL_VERSION:
    case MQTT_RC_UNSUPPORTED_PROTOCOL_VERSION: return "does not know this version of MQTT";
    case CONNACK_REFUSED_IDENTIFIER_REJECTED:
    case MQTT_RC_CLIENTID_NOT_VALID: return "does not accept our name";
    case CONNACK_REFUSED_SERVER_UNAVAILABLE:
    case MQTT_RC_SERVER_UNAVAILABLE:
    case MQTT_RC_SERVER_BUSY: return "is not available now";
    case CONNACK_REFUSED_BAD_USERNAME_PASSWORD:
    case MQTT_RC_BAD_USERNAME_OR_PASSWORD: return "does not accept user and password";
    case CONNACK_REFUSED_NOT_AUTHORIZED:
    case MQTT_RC_NOT_AUTHORIZED: return "does not let us in: user, password or certificate are not accepted";
    case MQTT_RC_BANNED: return "has banned us";
    default: return "refuses (reason " + std::to_string(code) + ")";
    }
}

}  // namespace

// What the library calls back, on the line's thread.
struct Line::Called {
    static Line& of(void* line) { return *static_cast<Line*>(line); }

    static void connected(mosquitto*, void* context, int code, int, const mosquitto_property*)
    {
        Line& line = of(context);
        line.answered_ = true;
        if (code != 0) {
            if (!line.older_ && (code == MQTT_RC_UNSUPPORTED_PROTOCOL_VERSION || code == CONNACK_REFUSED_PROTOCOL_VERSION)) {
                line.older_ = line.again_ = true;
                return;
            }
            line.setWords(State::Phase::refused, line.options_.place.host + " " + refusal(code));
            return;
        }
        std::vector<int> asked;
        for (const std::string& topic : line.options_.topics) {
            int number = 0;
            mosquitto_subscribe(line.mosquitto_, &number, (line.options_.place.topic + "/" + topic).c_str(), 1);
            asked.push_back(number);
        }
        {
            const std::scoped_lock lock(line.mutex_);
            line.listenings_ = std::move(asked);
            line.state_.phase = State::Phase::open;
            line.state_.words.clear();
            line.state_.unheard.clear();
            ++line.state_.opened;
        }
        line.open_ = true;
        if (line.openedEvent_)
            line.openedEvent_();
    }

    static void disconnected(mosquitto*, void* context, int code, const mosquitto_property*)
    {
        Line& line = of(context);
        line.open_ = false;
        if (line.older_ && line.again_)
            return;
        const std::scoped_lock lock(line.mutex_);
        if (line.state_.phase == State::Phase::open) {
            line.state_.phase = State::Phase::trying;
            line.state_.words = "the line to " + line.options_.place.host + " is broken"
                                + (code == MQTT_RC_SESSION_TAKEN_OVER ? ": somebody has taken our name" : "");
        }
    }

    static void heard(mosquitto*, void* context, const mosquitto_message* message, const mosquitto_property*)
    {
        Line& line = of(context);
        const std::string& base = line.options_.place.topic;
        const std::string topic = message->topic;
        if (topic.size() <= base.size() + 1 || topic.compare(0, base.size(), base) != 0 || topic[base.size()] != '/')
            return;
        line.heard_(topic.substr(base.size() + 1),
            {static_cast<const std::uint8_t*>(message->payload), static_cast<std::size_t>(std::max(0, message->payloadlen))});
    }

    static void delivered(mosquitto*, void* context, int number, int code, const mosquitto_property*)
    {
        Line& line = of(context);
        {
            const std::scoped_lock lock(line.mutex_);
            if (const auto said = line.onTheWay_.find(number); said != line.onTheWay_.end()) {
                if (code >= 0x80)
                    ++line.state_.denied[said->second];
                line.onTheWay_.erase(said);
            }
        }
        if (line.deliveredEvent_)
            line.deliveredEvent_();
    }

    static void listening(mosquitto*, void* context, int number, int count, const int* granted, const mosquitto_property*)
    {
        Line& line = of(context);
        const std::scoped_lock lock(line.mutex_);
        const auto which = std::find(line.listenings_.begin(), line.listenings_.end(), number);
        if (which == line.listenings_.end() || count < 1 || granted[0] < 0x80)
            return;
        const std::string& topic = line.options_.topics[static_cast<std::size_t>(which - line.listenings_.begin())];
        line.state_.unheard = line.options_.place.host + " does not let us read " + line.options_.place.topic + "/" + topic;
    }
};

Line::Line(Options options, Heard heard, Event opened, Event delivered)
    : options_(std::move(options)), heard_(std::move(heard)), openedEvent_(std::move(opened)), deliveredEvent_(std::move(delivered))
{
    beReady();
    state_.words = "no line to " + options_.place.host + " yet";
    mosquitto_ = mosquitto_new(ownName().c_str(), false, this);
    if (mosquitto_ == nullptr)
        throw std::bad_alloc();
    prepare();
}

// All that is said to the library before a line is opened.
void Line::prepare()
{
    mosquitto_threaded_set(mosquitto_, true);
    mosquitto_int_option(mosquitto_, MOSQ_OPT_PROTOCOL_VERSION, older_ ? MQTT_PROTOCOL_V311 : MQTT_PROTOCOL_V5);
    mosquitto_int_option(mosquitto_, MOSQ_OPT_TCP_NODELAY, 1);
    mosquitto_max_inflight_messages_set(mosquitto_, 0);
    mosquitto_connect_v5_callback_set(mosquitto_, Called::connected);
    mosquitto_disconnect_v5_callback_set(mosquitto_, Called::disconnected);
    mosquitto_message_v5_callback_set(mosquitto_, Called::heard);
    mosquitto_publish_v5_callback_set(mosquitto_, Called::delivered);
    mosquitto_subscribe_v5_callback_set(mosquitto_, Called::listening);
    const Credentials& who = options_.credentials;
    const auto orNone = [](const std::string& text) { return text.empty() ? nullptr : text.c_str(); };
    if (!who.user.empty())
        mosquitto_username_pw_set(mosquitto_, who.user.c_str(), orNone(who.password));
    if (options_.place.encrypted) {
        const int rc = mosquitto_tls_set(mosquitto_, orNone(who.authorities), who.authorities.empty() ? "/etc/ssl/certs" : nullptr,
            orNone(who.certificate), orNone(who.key), [](char*, int, int, void*) { return 0; });
        if (rc != MOSQ_ERR_SUCCESS)
            setWords(State::Phase::refused, std::string("certificate and key cannot be used: ") + mosquitto_strerror(rc));
    }
    if (!options_.willTopic.empty())
        mosquitto_will_set(mosquitto_, (options_.place.topic + "/" + options_.willTopic).c_str(), static_cast<int>(options_.will.size()),
            options_.will.data(), 1, true);
}

Line::~Line()
{
    close();
    mosquitto_destroy(mosquitto_);
}

void Line::start()
{
    thread_ = std::thread([this] { run(); });
}

void Line::close()
{
    if (!thread_.joinable())
        return;
    const auto until = std::chrono::steady_clock::now() + 500ms;
    while (open_ && onTheWay() > 0 && std::chrono::steady_clock::now() < until)
        std::this_thread::sleep_for(2ms);
    closing_ = true;
    woken_.notify_all();
    if (open_) {
        mosquitto_property* properties = nullptr;
        mosquitto_property_add_int32(&properties, MQTT_PROP_SESSION_EXPIRY_INTERVAL, 0);
        mosquitto_disconnect_v5(mosquitto_, 0, older_ ? nullptr : properties);
        mosquitto_property_free_all(&properties);
    }
    thread_.join();
}

void Line::setWords(State::Phase phase, std::string words)
{
    const std::scoped_lock lock(mutex_);
    state_.phase = phase;
    state_.words = std::move(words);
}

Line::State Line::state() const
{
    const std::scoped_lock lock(mutex_);
    return state_;
}

void Line::wait(std::chrono::milliseconds span)
{
    std::unique_lock lock(mutex_);
    woken_.wait_for(lock, span, [this] { return closing_.load(); });
}

// Whether anybody answers there, so that the library, which waits for minutes, is asked only where somebody does.
bool Line::reachable()
{
    addrinfo hints{};
    hints.ai_socktype = SOCK_STREAM;
    addrinfo* found = nullptr;
    if (const int rc = ::getaddrinfo(options_.place.host.c_str(), std::to_string(options_.place.port).c_str(), &hints, &found); rc != 0) {
        setWords(State::Phase::trying, options_.place.host + ": " + ::gai_strerror(rc));
        return false;
    }
    int problem = ECONNREFUSED;
    for (const addrinfo* one = found; one != nullptr && problem != 0 && !closing_; one = one->ai_next) {
        const int socket = ::socket(one->ai_family, one->ai_socktype | SOCK_CLOEXEC | SOCK_NONBLOCK, one->ai_protocol);
        if (socket < 0)
            continue;
        problem = ::connect(socket, one->ai_addr, one->ai_addrlen) == 0 ? 0 : errno;
        for (int waited = 0; problem == EINPROGRESS && !closing_; waited += loopMilliseconds) {
            pollfd ready{socket, POLLOUT, 0};
            if (::poll(&ready, 1, loopMilliseconds) > 0) {
                socklen_t length = sizeof problem;
                ::getsockopt(socket, SOL_SOCKET, SO_ERROR, &problem, &length);
            } else if (waited >= connectMilliseconds) {
                problem = ETIMEDOUT;
            }
        }
        ::close(socket);
    }
    ::freeaddrinfo(found);
    if (problem != 0)
        setWords(State::Phase::trying, options_.place.host + ": " + std::strerror(problem));
    return problem == 0;
}

void Line::run()
{
    while (!closing_) {
        if (reachable() && !closing_)
            attempt();
        if (!closing_ && !std::exchange(again_, false))
            wait(betweenTries);
    }
}

// Speaks with the broker until the line breaks or is closed.
void Line::attempt()
{
    if (older_ && !preparedOlder_) {
        // What comes while the line is broken would be kept for ever by such a broker: it is asked to keep nothing.
        preparedOlder_ = true;
        mosquitto_reinitialise(mosquitto_, ownName().c_str(), true, this);
        prepare();
    }
    // The library makes its encryption ready with the first line that needs it, and does not look whether two do so at once.
    static std::mutex first;
    static std::atomic<bool> encryptionReady{false};
    std::unique_lock<std::mutex> alone;
    if (options_.place.encrypted && !encryptionReady)
        alone = std::unique_lock(first);
    answered_ = false;
    const char* host = options_.place.host.c_str();
    int rc = MOSQ_ERR_SUCCESS;
    if (older_) {
        rc = mosquitto_connect(mosquitto_, host, options_.place.port, keepAliveSeconds);
    } else {
        mosquitto_property* properties = nullptr;
        mosquitto_property_add_int32(&properties, MQTT_PROP_SESSION_EXPIRY_INTERVAL, keptForSeconds);
        mosquitto_property_add_int32(&properties, MQTT_PROP_MAXIMUM_PACKET_SIZE, static_cast<std::uint32_t>(2 * largestMessage));
        rc = mosquitto_connect_bind_v5(mosquitto_, host, options_.place.port, keepAliveSeconds, nullptr, properties);
        mosquitto_property_free_all(&properties);
    }
    if (rc == MOSQ_ERR_SUCCESS && options_.place.encrypted)
        encryptionReady = true;
    alone = {};
    const auto began = std::chrono::steady_clock::now();
    while (rc == MOSQ_ERR_SUCCESS && !(closing_ && !open_)) {
        rc = mosquitto_loop(mosquitto_, loopMilliseconds, 1);
        // A broker that gathers small messages until the last is confirmed (RFC 896) is not kept waiting for that: 36 ms
        // became 11 ms, of every hundredth frame. The kernel forgets it, so that it is asked for again and again.
        const int on = 1;
        if (const int socket = mosquitto_socket(mosquitto_); socket >= 0)
            ::setsockopt(socket, IPPROTO_TCP, TCP_QUICKACK, &on, sizeof on);
        // One that takes the line and says nothing is no broker.
        if (!answered_ && std::chrono::steady_clock::now() - began > 5s)
            break;
    }
    open_ = false;
    if (closing_ || answered_)
        return;
    if (rc == MOSQ_ERR_TLS)
        setWords(State::Phase::refused, options_.place.host
                                            + ": no encrypted line: its certificate is not one that is trusted here, or it wants another "
                                              "of us, or speaks no TLS at this port");
    else if (rc == MOSQ_ERR_CONN_LOST && options_.place.encrypted)
        // Since TLS 1.3 (RFC 8446, 4.4.2.4) one who wants a certificate says so behind the handshake, by closing.
        setWords(State::Phase::trying, options_.place.host
                                           + " closes the encrypted line before it answers: it may want a certificate of ours, or speaks "
                                             "no MQTT at this port");
    else if (rc == MOSQ_ERR_INVAL)
        setWords(State::Phase::refused, options_.place.host + ": " + mosquitto_strerror(rc));
    else
        setWords(State::Phase::trying, options_.place.host + " does not answer as a broker does: is MQTT spoken at this port?");
}

bool Line::say(const std::string& topic, BytesView bytes, bool kept)
{
    if (!open_)
        return false;
    // Held until the number is noted, since it may be delivered at once.
    const std::scoped_lock lock(mutex_);
    if (onTheWay_.size() >= mostOnTheWay)
        return false;
    int number = 0;
    if (mosquitto_publish(
            mosquitto_, &number, (options_.place.topic + "/" + topic).c_str(), static_cast<int>(bytes.size()), bytes.data(), 1, kept)
        != MOSQ_ERR_SUCCESS)
        return false;
    onTheWay_[number] = topic.substr(0, topic.find('/'));
    return true;
}

std::size_t Line::onTheWay() const
{
    const std::scoped_lock lock(mutex_);
    return onTheWay_.size();
}

}  // namespace wavetrope::remote
