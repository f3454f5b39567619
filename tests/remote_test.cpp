// SPDX-License-Identifier: GPL-3.0-or-later
// A bus in another room: what is packed, who may do what, lines that break, and a broker that is no friend.
#include <QDir>
#include <QFile>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>

#include <arpa/inet.h>
#include <netinet/in.h>
#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <deque>
#include <random>
#include <thread>

#include "bus/remote_bus.h"
#include "remote/machine.h"
#include "remote/messages.h"
#include "remote/sharer.h"
#include "same_frame.h"
#include "sanitized.h"

using namespace wavetrope;
using namespace wavetrope::remote;
using can::Frame;
using can::FrameKind;

namespace {

constexpr int patience = 30'000;

// A port of this machine that is free now.
std::uint16_t freePort()
{
    const int socket = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    ::bind(socket, reinterpret_cast<sockaddr*>(&address), sizeof address);
    socklen_t length = sizeof address;
    ::getsockname(socket, reinterpret_cast<sockaddr*>(&address), &length);
    ::close(socket);
    return ntohs(address.sin_port);
}

bool answers(std::uint16_t port)
{
    const int socket = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    address.sin_port = htons(port);
    const bool taken = ::connect(socket, reinterpret_cast<sockaddr*>(&address), sizeof address) == 0;
    ::close(socket);
    return taken;
}

void write(const QString& path, const QByteArray& text)
{
    QFile file(path);
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(text);
}

// Starts a program whose words nobody reads. (The sanitizer of threads does not bear how the test's library does it.)
pid_t spawned(const std::vector<std::string>& words)
{
    std::vector<char*> arguments;
    for (const std::string& word : words)
        arguments.push_back(const_cast<char*>(word.c_str()));
    arguments.push_back(nullptr);
    posix_spawn_file_actions_t quiet;
    ::posix_spawn_file_actions_init(&quiet);
    for (const int stream : {0, 1, 2})
        ::posix_spawn_file_actions_addopen(&quiet, stream, "/dev/null", O_RDWR, 0);
    pid_t process = -1;
    ::posix_spawnp(&process, arguments[0], &quiet, nullptr, arguments.data(), environ);
    ::posix_spawn_file_actions_destroy(&quiet);
    return process;
}

// A broker on a port of its own. With TLS it knows three people: one who shares, one who reads, one who may send too.
class Broker {
public:
    enum class Knows { nobody, passwords, certificates };
    explicit Broker(Knows knows) : encrypted_(knows != Knows::nobody), port_(freePort())
    {
        QString conf = QStringLiteral("listener %1 127.0.0.1\npersistence false\n").arg(port_);
        if (::getuid() == 0)
            conf += QStringLiteral("user root\n");
        if (encrypted_) {
            makeCertificates();
            for (const char* who : {"sharer", "reader", "writer"})
                run("mosquitto_passwd", {"-b", QFile::exists(at("people")) ? QStringLiteral("-b") : QStringLiteral("-c"), at("people"), who,
                                            QStringLiteral("word-of-") + who});
            write(at("rights"), "user sharer\ntopic readwrite rink/#\nuser reader\ntopic read rink/#\ntopic write rink/+/ask\n"
                                "user writer\ntopic read rink/#\ntopic write rink/+/ask\ntopic write rink/b/send\n");
            conf += QStringLiteral("allow_anonymous false\nacl_file %1\ncafile %2\ncertfile %3\nkeyfile %4\n")
                        .arg(at("rights"), at("ca.pem"), at("broker.pem"), at("broker.key"));
            conf += knows == Knows::passwords ? QStringLiteral("password_file %1\n").arg(at("people"))
                                              : QStringLiteral("require_certificate true\nuse_identity_as_username true\n");
        } else {
            conf += QStringLiteral("allow_anonymous true\n");
        }
        write(at("conf"), conf.toUtf8());
        start();
    }
    ~Broker() { stop(); }

    void start()
    {
        const std::string conf = at("conf").toStdString();
        process_ = spawned({"/usr/sbin/mosquitto", "-c", conf});
        QTRY_VERIFY_WITH_TIMEOUT(answers(port_), patience);
    }
    void stop()
    {
        ::kill(process_, SIGKILL);
        ::waitpid(process_, nullptr, 0);
    }
    [[nodiscard]] Place place(const std::string& topic) const { return {encrypted_, "127.0.0.1", port_, topic}; }
    [[nodiscard]] std::string address(const std::string& topic) const
    {
        return (encrypted_ ? "mqtts://127.0.0.1:" : "mqtt://127.0.0.1:") + std::to_string(port_) + "/" + topic;
    }
    [[nodiscard]] Credentials as(const std::string& who) const { return {who, "word-of-" + who, at("ca.pem").toStdString(), {}, {}}; }
    /// By a certificate of one's own, which names who it is.
    [[nodiscard]] Credentials certified(const char* who)
    {
        const QString key = at(who) + ".key", pem = at(who) + ".pem";
        sign(who, QStringLiteral("/CN=%1").arg(QLatin1String(who)), {});
        return {{}, {}, at("ca.pem").toStdString(), pem.toStdString(), key.toStdString()};
    }
    [[nodiscard]] QString at(const char* name) const { return folder_.filePath(QLatin1String(name)); }
    [[nodiscard]] std::uint16_t port() const { return port_; }

private:
    void run(const QString& program, const QStringList& arguments)
    {
        std::vector<std::string> words{program.toStdString()};
        for (const QString& argument : arguments)
            words.push_back(argument.toStdString());
        int status = -1;
        ::waitpid(spawned(words), &status, 0);
        QCOMPARE(status, 0);
    }
    void makeCertificates()
    {
        const QStringList key{"-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes"};
        run("openssl", QStringList{"req", "-x509"} + key
                           + QStringList{"-days", "2", "-subj", "/CN=Rink", "-keyout", at("ca.key"), "-out", at("ca.pem")});
        write(at("names"), "subjectAltName=IP:127.0.0.1\n");
        sign("broker", QStringLiteral("/CN=127.0.0.1"), {"-extfile", at("names")});
    }
    void sign(const char* who, const QString& subject, const QStringList& more)
    {
        const QString name = at(who);
        run("openssl", {"req", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-subj", subject, "-keyout",
                           name + ".key", "-out", name + ".csr"});
        run("openssl", QStringList{"x509", "-req", "-in", name + ".csr", "-CA", at("ca.pem"), "-CAkey", at("ca.key"), "-CAcreateserial",
                           "-days", "2", "-out", name + ".pem"}
                           + more);
    }
    bool encrypted_;
    std::uint16_t port_;
    QTemporaryDir folder_;
    pid_t process_ = 0;
};

Frame drawnFrame(std::mt19937& random, Time time)
{
    Frame frame;
    frame.time = time;
    frame.kind = static_cast<FrameKind>(random() % 4);
    frame.id.extended = random() % 2 == 0;
    frame.id.value = random() & (frame.id.extended ? 0x1FFFFFFFU : 0x7FFU);
    frame.direction = random() % 4 == 0 ? can::Direction::sent : can::Direction::received;
    const bool fd = frame.kind == FrameKind::fd;
    frame.dlc = static_cast<std::uint8_t>(random() % (fd ? 16 : 9));
    frame.length = static_cast<std::uint8_t>(frame.kind == FrameKind::remote ? 0 : can::lengthOfDlc(frame.dlc));
    if (frame.kind == FrameKind::data && random() % 8 == 0)
        frame.length = 8, frame.dlc = static_cast<std::uint8_t>(9 + random() % 7);
    frame.brs = fd && random() % 2 == 0;
    frame.esi = fd && random() % 2 == 0;
    for (unsigned i = 0; i < frame.length; ++i)
        frame.data[i] = static_cast<std::uint8_t>(random());
    return frame;
}

Frame plain(std::uint32_t id, std::uint8_t first = 0)
{
    Frame frame;
    frame.time = machineTime();
    frame.id = {id, false};
    frame.length = frame.dlc = 8;
    frame.data[0] = first;
    return frame;
}

// A sharing side with a bus of wire: what is offered is heard.
struct There {
    Sharer sharer;
    std::vector<Frame> written;
    explicit There(
        const Broker& broker, const std::string& topic, const char* writable = nullptr, Credentials who = {}, std::size_t held = 64U << 20)
        : sharer({broker.place(topic), std::move(who), "Implement", {500'000, 0},
              writable != nullptr ? *idRangesFromText(writable) : std::vector<IdRange>{}, held})
    {}
    void turn()
    {
        sharer.carryOut([&](const Frame& frame) {
            written.push_back(frame);
            Frame heard = frame;
            heard.time = machineTime();
            heard.direction = can::Direction::sent;
            sharer.add(heard.view());
            return true;
        });
        sharer.flush();
    }
};

// The side that takes it.
struct Here final : bus::Listener {
    std::unique_ptr<bus::RemoteBus> bus;
    std::vector<Frame> frames;
    void open(const std::string& address)
    {
        auto opened = bus::RemoteBus::open(address, 3, {500'000, 0});
        QVERIFY2(opened, opened ? "" : opened.error().text().c_str());
        bus = std::move(*opened);
        bus->listen(this);
    }
    void onFrame(const can::FrameView& frame, bus::Port) override { frames.emplace_back(frame); }
    void turn()
    {
        while (bus->arrived())
            bus->take();
    }
    bool alive() { return bus->health().alive; }
    std::string words() { return bus->health().words; }
};

// Says things on a topic that are none of a shared bus.
struct Stranger {
    Line line;
    Stranger(const Broker& broker, const std::string& topic)
        : line({broker.place(topic), {}, {}, {}, {}}, [](const std::string&, BytesView) {}, nullptr, nullptr)
    {
        line.start();
    }
    bool open() { return line.state().phase == Line::State::Phase::open; }
};

// The credentials of this process, for as long as it lives.
struct AsUser {
    explicit AsUser(const Credentials& who)
    {
        qputenv("WAVETROPE_MQTT_USER", who.user.c_str());
        qputenv("WAVETROPE_MQTT_PASSWORD", who.password.c_str());
        qputenv("WAVETROPE_MQTT_CA", who.authorities.c_str());
        qputenv("WAVETROPE_MQTT_CERTIFICATE", who.certificate.c_str());
        qputenv("WAVETROPE_MQTT_KEY", who.key.c_str());
    }
    ~AsUser()
    {
        for (const char* name :
            {"WAVETROPE_MQTT_USER", "WAVETROPE_MQTT_PASSWORD", "WAVETROPE_MQTT_CA", "WAVETROPE_MQTT_CERTIFICATE", "WAVETROPE_MQTT_KEY"})
            qunsetenv(name);
    }
};

// A server that is given what to answer, byte for byte, connection by connection.
class Script {
public:
    explicit Script(std::vector<std::vector<QByteArray>> answers) : answers_(std::move(answers)), port_(freePort())
    {
        socket_ = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
        const int on = 1;
        ::setsockopt(socket_, SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
        sockaddr_in address{};
        address.sin_family = AF_INET;
        address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        address.sin_port = htons(port_);
        ::bind(socket_, reinterpret_cast<sockaddr*>(&address), sizeof address);
        ::listen(socket_, 4);
        thread_ = std::thread([this] { serve(); });
    }
    ~Script()
    {
        ended_ = true;
        thread_.join();
        ::close(socket_);
    }
    [[nodiscard]] std::string address() const { return "mqtt://127.0.0.1:" + std::to_string(port_) + "/rink/a"; }
    std::atomic<int> version{0};        // of the protocol, in the last request to be let in

private:
    bool readable(int socket) const
    {
        pollfd ready{socket, POLLIN, 0};
        while (!ended_)
            if (::poll(&ready, 1, 20) > 0)
                return true;
        return false;
    }
    void serve()
    {
        std::size_t served = 0;
        while (readable(socket_)) {
            const int client = ::accept4(socket_, nullptr, nullptr, SOCK_CLOEXEC);
            char bytes[4096];
            bool looked = true;
            for (const QByteArray& answer : answers_[std::min(served, answers_.size() - 1)]) {
                const ssize_t got = readable(client) ? ::recv(client, bytes, sizeof bytes, 0) : 0;
                looked = got > 0;
                if (!looked)
                    break;
                // The name of the protocol, "MQTT", is followed by its version.
                if (const auto name = QByteArray::fromRawData(bytes, static_cast<int>(got)).indexOf("MQTT"); name > 0)
                    version = bytes[name + 4];
                (void)!::send(client, answer.constData(), static_cast<std::size_t>(answer.size()), MSG_NOSIGNAL);
            }
            while (looked && readable(client) && ::recv(client, bytes, sizeof bytes, 0) > 0) {}
            ::close(client);
            served += looked ? 1U : 0U;     // not those who only looked whether anybody is there
        }
    }
    std::vector<std::vector<QByteArray>> answers_;
    std::uint16_t port_;
    int socket_ = -1;
    std::atomic<bool> ended_{false};
    std::thread thread_;
};

}  // namespace

#define UNTIL(condition) QTRY_VERIFY_WITH_TIMEOUT(([&] { return condition; })(), patience)

class RemoteTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void initTestCase()
    {
        qputenv("HOME", QDir::tempPath().toUtf8());
        qunsetenv("XDG_CONFIG_HOME");
    }

    void whatIsPackedComesOutAsItWas()
    {
        std::mt19937 random(7);
        for (int round = 0; round < test::some(2000, 300); ++round) {
            Packet packet;
            packet.session = (std::uint64_t{random()} << 32U) | random();
            packet.first = random() % 3 == 0 ? random() : ~std::uint64_t{0} - random();
            packet.sent = Time(static_cast<std::int64_t>(random()) * 1'000'000'000);
            std::int64_t time = 1'800'000'000'000'000'000 - static_cast<std::int64_t>(random());
            for (unsigned i = 0, count = random() % 40; i < count; ++i) {
                time += static_cast<std::int64_t>(random() % 2'000'000) - 500'000;   // stamps of a bus may step back
                packet.frames.push_back({drawnFrame(random, Time(time)), random() % 5 == 0 ? std::uint64_t{random()} << 20U | 1U : 0U});
            }
            const Bytes bytes = packed(packet);
            const auto read = packetFrom(bytes);
            QVERIFY(read && read->session == packet.session && read->first == packet.first && read->sent == packet.sent);
            QCOMPARE(read->frames.size(), packet.frames.size());
            for (std::size_t i = 0; i < packet.frames.size(); ++i) {
                QVERIFY(same(read->frames[i].frame.view(), packet.frames[i].frame.view()));
                QCOMPARE(read->frames[i].by, packet.frames[i].by);
            }
            // Nothing but the whole of it is a packet.
            QVERIFY(!packetFrom(BytesView(bytes).first(bytes.size() - 1)));
            Bytes longer = bytes;
            longer.push_back(0);
            QVERIFY(!packetFrom(longer));
        }
        Description is{77, true, "Implement", {500'000, 2'000'000}, "can0 is down", *idRangesFromText("0x100..0x1FF,0x18FF2103")};
        const auto read = descriptionFrom(packed(is));
        QVERIFY(read && read->here && read->name == is.name && read->rate == is.rate && read->trouble == is.trouble
                && read->writable == is.writable);
        const auto answer = answerFrom(packed(Answer{5, Time(-1), Time(2), Time(3), 4, "0x100 may not be sent to it"}));
        QVERIFY(answer && answer->asked == Time(-1) && answer->refused == 4 && answer->why == "0x100 may not be sent to it");
    }

    // A packet written by hand from RFC 8949: docs/remote-bus.md has it too.
    void aPacketIsWhatTheDocumentSays()
    {
        const Bytes bytes = {0x86, 0x01, 0x07, 0x18, 0x64, 0x1B, 0x18, 0xFA, 0xE2, 0x6A, 0x8C, 0xFB, 0x00, 0x00,   //
            0x1B, 0x18, 0xFA, 0xE2, 0x6A, 0x8C, 0xEB, 0xBD, 0xC0, 0x82,                                            //
            0x84, 0x00, 0x19, 0x01, 0xF0, 0x00, 0x43, 0x11, 0x22, 0x33,                                            //
            0x85, 0x1A, 0x00, 0x01, 0x24, 0xF8, 0x1A, 0x18, 0xFF, 0x21, 0x03, 0x11, 0x40, 0x04};
        const auto packet = packetFrom(bytes);
        QVERIFY(packet);
        QCOMPARE(packet->session, 7U);
        QCOMPARE(packet->first, 100U);
        QCOMPARE(packet->frames.size(), std::size_t{2});
        const Frame &one = packet->frames[0].frame, &two = packet->frames[1].frame;
        QVERIFY(one.kind == FrameKind::data && one.id == (can::Identifier{0x1F0, false}) && one.length == 3 && one.data[2] == 0x33);
        QVERIFY(two.kind == FrameKind::remote && two.id == (can::Identifier{0x18FF2103, true}) && two.length == 0 && two.dlc == 4);
        QCOMPARE((two.time - one.time).count(), 75'000);
        QVERIFY(packed(*packet) == bytes);
    }

    void rubbishIsNoPacket()
    {
        std::mt19937 random(11);
        Packet packet;
        packet.session = 3;
        for (int i = 0; i < 20; ++i)
            packet.frames.push_back({drawnFrame(random, Time(1'800'000'000'000'000'000 + i)), 0});
        const Bytes good = packed(packet);
        for (int round = 0; round < test::some(50'000, 2'000); ++round) {
            Bytes bytes = good;
            for (unsigned i = 0, count = 1 + random() % 6; i < count; ++i)
                bytes[random() % bytes.size()] = static_cast<std::uint8_t>(random());
            if (const auto read = packetFrom(bytes))
                for (const SharedFrame& frame : read->frames)
                    QVERIFY(frame.frame.length <= 64 && frame.frame.dlc <= 15);
            (void)descriptionFrom(bytes);
            (void)wishFrom(bytes);
            (void)answerFrom(bytes);
        }
        QVERIFY(!packetFrom(Bytes(200'000, 0x81)));      // lists in lists in lists
        QVERIFY(!packetFrom({}));
        const Bytes huge{0x86, 0x01, 0x07, 0x00, 0x00, 0x00, 0x9B, 0x7F, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF};
        QVERIFY(!packetFrom(huge));
    }

    void aPlaceIsReadOrRefusedInWords()
    {
        const auto place = placeFromText("mqtts://broker.rink:9000/hall/implement/");
        QVERIFY(place && place->encrypted && place->host == "broker.rink" && place->port == 9000 && place->topic == "hall/implement");
        QCOMPARE(placeFromText("mqtt://[::1]/a")->host, std::string("::1"));
        QCOMPARE(placeFromText("mqtt://[::1]/a")->port, 1883);
        QCOMPARE(placeFromText("mqtts://h/a")->port, 8883);
        for (const char* bad :
            {"", "can0", "http://h/a", "mqtts://", "mqtts://h", "mqtts://h/", "mqtts:///a", "mqtts://h:0/a", "mqtts://h:70000/a",
                "mqtts://h:x/a", "mqtts://h/a/#", "mqtts://h/+", "mqtts://h/$SYS/a", "mqtts://h/a b", "mqtts://h/a?x"})
            QVERIFY2(!placeFromText(bad), bad);
        const auto named = placeFromText("mqtts://sam:secret@h/a");
        QVERIFY(!named && named.error().text().find("secret") == std::string::npos);
        QVERIFY(named.error().remedy.find("WAVETROPE_MQTT_USER") != std::string::npos);
        QVERIFY(!idRangesFromText("0x100..") && !idRangesFromText("") && !idRangesFromText("0x200..0x100")
                && !idRangesFromText("0x100..0x18FF0000"));
        const auto ranges = *idRangesFromText("0x100..0x10F, 1F0h,0x18FF2103");
        QVERIFY(contains(ranges, {0x10F, false}) && !contains(ranges, {0x110, false}) && contains(ranges, {0x1F0, false}));
        QVERIFY(contains(ranges, {0x18FF2103, true}) && !contains(ranges, {0x100, true}));
    }

    void passwordsComeFromAFileThatNobodyElseReads()
    {
        QTemporaryDir folder;
        const QString path = folder.filePath("brokers.json");
        write(path, R"({"h": {"user": "sam", "password": "gate"}})");
        qputenv("WAVETROPE_MQTT_FILE", path.toUtf8());
        QFile::setPermissions(path, QFile::ReadOwner | QFile::WriteOwner | QFile::ReadGroup);
        const auto open = credentialsFor({true, "h", 8883, "a"});
        QVERIFY(!open && open.error().remedy.find("chmod 600") != std::string::npos);
        QFile::setPermissions(path, QFile::ReadOwner | QFile::WriteOwner);
        QCOMPARE(credentialsFor({true, "h", 8883, "a"})->password, std::string("gate"));
        QVERIFY(credentialsFor({true, "other", 8883, "a"})->user.empty());
        qputenv("WAVETROPE_MQTT_USER", "eve");     // the environment goes before it, with its own password
        QCOMPARE(credentialsFor({true, "h", 8883, "a"})->user, std::string("eve"));
        QVERIFY(credentialsFor({true, "h", 8883, "a"})->password.empty());
        qunsetenv("WAVETROPE_MQTT_USER");
        write(path, R"({"h": {"user": 5}})");
        QVERIFY(!credentialsFor({true, "h", 8883, "a"}));
        write(path, R"({"h": {"ca": "/no/such/file"}})");
        QVERIFY(!credentialsFor({true, "h", 8883, "a"}));
        qunsetenv("WAVETROPE_MQTT_FILE");
    }

    void allFramesArriveInOrderWithTheirStamps()
    {
        Broker broker(Broker::Knows::nobody);
        There there(broker, "rink/a");
        Here here;
        here.open(broker.address("rink/a"));
        UNTIL((there.turn(), here.alive()));
        std::mt19937 random(3);
        std::vector<Frame> sent;
        for (int i = 0; i < test::some(20'000, 2'000); ++i) {
            Frame frame = drawnFrame(random, machineTime());
            frame.direction = can::Direction::received;
            sent.push_back(frame);
            there.sharer.add(frame.view());
            if (i % 50 == 0)
                there.turn(), here.turn();
        }
        UNTIL((there.turn(), here.turn(), here.frames.size() >= sent.size()));
        QCOMPARE(here.frames.size(), sent.size());
        for (std::size_t i = 0; i < sent.size(); ++i) {
            sent[i].bus = 3;
            QVERIFY(same(here.frames[i].view(), sent[i].view()));
        }
        UNTIL((there.sharer.add(plain(1).view()), there.turn(), here.turn(),
            here.bus->health().facts.find("the clock there is") != std::string::npos));
        QCOMPARE(here.bus->health().lost, 0U);
        // The sharing side's bus is in trouble, ends, and comes back.
        there.sharer.setTrouble("can0 is down");
        UNTIL(here.words() == "there: can0 is down");
        there.sharer.close();
        UNTIL(here.words().find("is not shared") != std::string::npos);
        There again(broker, "rink/a");
        UNTIL((again.turn(), here.alive()));
    }

    void peopleMayDoWhatTheyMay()
    {
        Broker broker(Broker::Knows::passwords);
        There there(broker, "rink/b", "0x100..0x10F", broker.as("sharer"));
        There readOnly(broker, "rink/c", nullptr, broker.as("sharer"));
        UNTIL((there.turn(), readOnly.turn(), there.sharer.state().line.phase == Line::State::Phase::open));
        Credentials wrong = broker.as("reader");
        wrong.password = "guess";
        {
            const AsUser as(wrong);
            Here here;
            here.open(broker.address("rink/b"));
            UNTIL(here.words().find("not accept") != std::string::npos || here.words().find("not let us in") != std::string::npos);
            QVERIFY(!here.alive());
        }
        {
            Credentials untrusting = broker.as("reader");
            untrusting.authorities.clear();
            const AsUser as(untrusting);
            Here here;
            here.open(broker.address("rink/b"));
            UNTIL(here.words().find("certificate") != std::string::npos);
        }
        {
            const AsUser as(broker.as("reader"));
            Here here, onlyRead;
            here.open(broker.address("rink/b"));
            onlyRead.open(broker.address("rink/c"));
            UNTIL((there.turn(), readOnly.turn(), here.alive() && onlyRead.alive()));
            // The sharing side lets nothing be sent; the broker lets this one not.
            const bus::Port port = onlyRead.bus->attach("me", can::Direction::sent);
            QVERIFY(!onlyRead.bus->accepts(port) && !onlyRead.bus->offer(port, plain(0x100)));
            QVERIFY(onlyRead.words().find("lets nothing be sent") != std::string::npos);
            const bus::Port other = here.bus->attach("me", can::Direction::sent);
            QVERIFY(here.bus->offer(other, plain(0x100)));
            UNTIL((there.turn(), here.words().find("does not let us write rink/b/send") != std::string::npos));
            QVERIFY(there.written.empty());
        }
        {
            const AsUser as(broker.as("writer"));
            Here here;
            here.open(broker.address("rink/b"));
            UNTIL((there.turn(), here.alive()));
            const bus::Port port = here.bus->attach("me", can::Direction::sent);
            QVERIFY(!here.bus->offer(port, plain(0x200)));
            QVERIFY(here.words().find("does not let 0x200 be sent") != std::string::npos);
            for (std::uint8_t i = 0; i < 16; ++i)
                QVERIFY(here.bus->offer(port, plain(0x100U + i, i)));
            there.sharer.add(plain(0x7A0).view());
            UNTIL((there.turn(), here.turn(), here.frames.size() >= 17));
            QCOMPARE(there.written.size(), std::size_t{16});
            for (const Frame& frame : here.frames)
                QCOMPARE(frame.direction, frame.id.value == 0x7A0 ? can::Direction::received : can::Direction::sent);
        }
    }

    void aCertificateSaysWhoItIs()
    {
        Broker broker(Broker::Knows::certificates);
        There there(broker, "rink/b", "0x100..0x10F", broker.certified("sharer"));
        UNTIL((there.turn(), there.sharer.state().line.phase == Line::State::Phase::open));
        {
            // As the environment names them.
            const AsUser as(broker.certified("writer"));
            Here here;
            here.open(broker.address("rink/b"));
            UNTIL((there.turn(), here.alive()));
            const bus::Port port = here.bus->attach("me", can::Direction::sent);
            QVERIFY(here.bus->offer(port, plain(0x105)));
            UNTIL((there.turn(), here.turn(), here.frames.size() == 1));
            QCOMPARE(there.written.size(), std::size_t{1});
        }
        {
            // One that may read alone.
            const AsUser as(broker.certified("reader"));
            Here here;
            here.open(broker.address("rink/b"));
            UNTIL((there.turn(), here.alive()));
            const bus::Port port = here.bus->attach("me", can::Direction::sent);
            QVERIFY(here.bus->offer(port, plain(0x105)));
            UNTIL((there.turn(), here.words().find("does not let us write rink/b/send") != std::string::npos));
        }
        {
            // A password is none; and a certificate with the key of another cannot be used.
            const AsUser as(broker.as("writer"));
            Here here;
            here.open(broker.address("rink/b"));
            UNTIL(here.words().find("it may want a certificate of ours") != std::string::npos);
            QVERIFY(!here.alive());
        }
        Credentials mixed = broker.certified("writer");
        mixed.key = broker.at("reader").toStdString() + ".key";
        const AsUser as(mixed);
        Here here;
        here.open(broker.address("rink/b"));
        UNTIL(here.words().find("certificate") != std::string::npos);
        QVERIFY(!here.alive());
    }

    void aBrokenLineIsBridgedAndWhatIsLostIsCounted()
    {
        Broker broker(Broker::Knows::nobody);
        There there(broker, "rink/a", nullptr, {}, 60'000);
        Here here;
        here.open(broker.address("rink/a"));
        UNTIL((there.turn(), here.alive()));
        std::uint32_t count = 0;
        const auto send = [&](int frames) {
            for (int i = 0; i < frames; ++i, ++count) {
                Frame frame = plain(0x100);
                std::memcpy(frame.data.data(), &count, sizeof count);
                there.sharer.add(frame.view());
                if (i % 20 == 0)
                    there.turn();
            }
            there.turn();
        };
        send(500);
        UNTIL((there.turn(), here.turn(), here.frames.size() == 500));
        broker.stop();
        UNTIL(!here.alive());
        UNTIL((there.turn(), there.sharer.state().line.phase != Line::State::Phase::open));
        send(1000);         // is kept
        broker.start();
        UNTIL((there.turn(), here.turn(), here.alive() && there.sharer.state().line.phase == Line::State::Phase::open));
        // What came before we had listened again is gone with the broker; the next frame says how much that was.
        send(1);
        UNTIL((there.turn(), here.turn(), here.frames.size() + here.bus->health().lost == 1501));
        broker.stop();
        UNTIL((there.turn(), there.sharer.state().line.phase != Line::State::Phase::open));
        send(20'000);       // is more than is held
        QVERIFY(there.sharer.state().lost > 1000);
        broker.start();
        UNTIL((there.turn(), here.turn(), here.alive() && there.sharer.state().line.phase == Line::State::Phase::open));
        send(1);
        UNTIL((there.turn(), here.turn(), here.frames.size() + here.bus->health().lost == count));
        QVERIFY(here.bus->health().lost >= there.sharer.state().lost);
        QVERIFY(here.bus->health().facts.find("lost on the way") != std::string::npos);
        std::uint32_t last = 0;
        for (const Frame& frame : here.frames) {
            std::uint32_t number = 0;
            std::memcpy(&number, frame.data.data(), sizeof number);
            QVERIFY(number == 0 || number > last);      // in order, and none twice
            last = number;
        }
    }

    void aTopicOfSomebodyElse()
    {
        Broker broker(Broker::Knows::nobody);
        Here here;
        here.open(broker.address("rink/a"));
        Stranger stranger(broker, "rink/a");
        UNTIL(stranger.open() && here.words().find("nobody shares") != std::string::npos);
        const auto say = [&](const char* topic, const Bytes& bytes, bool kept = false) { QVERIFY(stranger.line.say(topic, bytes, kept)); };
        say("bus", {'{', '}'}, true);
        say("frames", {'2', '1', '.', '5'});
        UNTIL(here.words().find("no shared bus") != std::string::npos);
        // Ten megabytes of it, while a real one shares there and another lies.
        There there(broker, "rink/a");
        UNTIL((there.turn(), here.alive()));
        for (int i = 0; i < 10; ++i)
            say("frames", Bytes(1'000'000, 0x9F));
        Packet lie;
        lie.session = 99;
        lie.frames.push_back({plain(0x666), 0});
        say("frames", packed(lie));
        there.sharer.add(plain(0x100).view());
        Frame odd = plain(0x101);
        odd.time += std::chrono::hours(24 * 365);
        there.sharer.add(odd.view());
        UNTIL((there.turn(), here.turn(), here.frames.size() >= 2 && here.bus->health().facts.find("a second one") != std::string::npos));
        QCOMPARE(here.frames.size(), std::size_t{2});
        QCOMPARE(here.frames[0].id.value, 0x100U);
        QVERIFY(std::chrono::abs(here.frames[1].time - machineTime()) < std::chrono::minutes(2));
        QVERIFY(here.bus->health().facts.find("impossible stamps") != std::string::npos);
    }

    void twoWhoShareOneTopic()
    {
        Broker broker(Broker::Knows::nobody);
        There first(broker, "rink/a");
        Here here;
        here.open(broker.address("rink/a"));
        UNTIL((first.turn(), here.alive()));
        There second(broker, "rink/a");
        UNTIL((first.turn(), second.turn(), second.sharer.state().refusedByOther));
        second.sharer.add(plain(0x200).view());
        first.sharer.add(plain(0x100).view());
        UNTIL((first.turn(), second.turn(), here.turn(), !here.frames.empty()));
        QCOMPARE(here.frames.size(), std::size_t{1});
        QCOMPARE(here.frames[0].id.value, 0x100U);
    }

    void anOlderBrokerIsSpokenToInItsVersion()
    {
        // It refuses the version; then it lets us in, and lets us read the second of three topics alone.
        const QByteArray refused("\x20\x02\x00\x01", 4), in("\x20\x02\x00\x00", 4);
        QByteArray heard;
        for (const char number : {1, 2, 3}) {
            heard += QByteArray("\x90\x03\x00", 3) + number;
            heard += number == 2 ? '\x01' : '\x80';
        }
        Script script({{refused}, {in, heard}});
        Here here;
        here.open(script.address());
        UNTIL(here.words().find("does not let us read rink/a/") != std::string::npos);
        QCOMPARE(script.version.load(), 4);
    }

    void whatIsNoBrokerIsSaid()
    {
        Script script({{QByteArray("HTTP/1.1 400 Bad Request\r\n\r\n")}});
        Here here;
        here.open(script.address());
        UNTIL(here.words().find("does not answer as a broker does") != std::string::npos);
        Here nobody;
        nobody.open("mqtt://127.0.0.1:" + std::to_string(freePort()) + "/a");
        UNTIL(nobody.words().find("refused") != std::string::npos);
        Here unknown;
        unknown.open("mqtt://no-such-host.invalid/a");
        UNTIL(unknown.words().find("no-such-host.invalid:") != std::string::npos);
    }

    void theCommandLineSharesARigsBusAndCapturesIt()
    {
        Broker broker(Broker::Knows::passwords);
        QTemporaryDir folder;
        const QString address = QString::fromStdString(broker.address("rink/b"));
        write(folder.filePath("here.json"),
            (R"({"wavetrope": 1, "name": "here", "buses": [{"name": "There", "rate": "250k", "remote": ")" + broker.address("rink/b")
                + R"("}], "recordings": [{"name": "all", "files": {"pattern": "{recording}.pcapng"}}]})")
                .c_str());
        const auto environment = [&](const char* who) {
            QProcessEnvironment all = QProcessEnvironment::systemEnvironment();
            all.insert("WAVETROPE_MQTT_USER", who);
            all.insert("WAVETROPE_MQTT_PASSWORD", QStringLiteral("word-of-") + who);
            all.insert("WAVETROPE_MQTT_CA", broker.at("ca.pem"));
            return all;
        };
        const QStringList sharing{"share", WAVETROPE_DEMO "/rig.json", "--bus", "Implement", "--to", address};
        QProcess wrong;
        wrong.setProcessEnvironment(environment("nobody"));
        wrong.start(WAVETROPE_CLI, sharing);
        QVERIFY(wrong.waitForFinished(patience));
        QCOMPARE(wrong.exitCode(), 2);
        QVERIFY(wrong.readAllStandardError().contains("127.0.0.1 does not"));

        QProcess share;
        share.setProcessEnvironment(environment("sharer"));
        share.start(WAVETROPE_CLI, sharing);
        QByteArray said;
        UNTIL((said += share.readAllStandardError(), said.contains("shared at 127.0.0.1/rink/b")));
        QProcess capture;
        capture.setProcessEnvironment(environment("reader"));
        capture.setWorkingDirectory(folder.path());
        capture.start(WAVETROPE_CLI, {"capture", "here.json", "--out", "takes", "--socket", folder.filePath("s")});
        QByteArray captured;
        UNTIL((captured += capture.readAllStandardError(), captured.contains("bus There: alive")));
        UNTIL(QFile(folder.filePath("takes/all.pcapng.part")).size() > 50'000);
        capture.terminate();
        QVERIFY(capture.waitForFinished(patience));
        share.terminate();
        QVERIFY(share.waitForFinished(patience));
        captured += capture.readAllStandardError();
        said += share.readAllStandardError();
        QVERIFY2(capture.exitCode() == 0 && captured.contains(" 0 lost"), captured.constData());
        QVERIFY2(share.exitCode() == 0 && said.contains(" 0 lost, 0 written, 0 refused"), said.constData());
        QProcess list;
        list.start(WAVETROPE_CLI, {"list", folder.filePath("takes/all.pcapng"), "--columns", "time,id"});
        QVERIFY(list.waitForFinished(patience));
        const auto rows = list.readAllStandardOutput().split('\n');
        QVERIFY(rows.size() > 100);
        for (int i = 2; i + 1 < rows.size(); ++i)
            QVERIFY2(rows[i - 1].split(',')[0] <= rows[i].split(',')[0], rows[i].constData());
    }
};

QTEST_GUILESS_MAIN(RemoteTest)
#include "remote_test.moc"
