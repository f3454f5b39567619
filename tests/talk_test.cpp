// SPDX-License-Identifier: GPL-3.0-or-later
// Questions to peers that are written here from the standards, by nothing of the product: objects of a dictionary, and diagnostics; with what may go
// wrong on the way. And on the command line, to a node of a rig.
#include <QTemporaryDir>
#include <QTest>

#include <deque>
#include <functional>
#include <random>

#include "command_line.h"
#include "protocol/message_stream.h"
#include "protocol/diagnostic_services.h"
#include "protocol/question.h"
#include "protocol/talk.h"

using namespace wavetrope;
using namespace wavetrope::protocol;
using test::cli;
using Bytes = std::vector<std::uint8_t>;

namespace {

/// What a peer does wrong.
enum class Wrong { nothing, silent, refuses, toggle, checksum, losesOne, lies };

/// The server of one object, node 5 (CiA 301, 7.2.4).
class PlainServer {
public:
    Bytes object, written;
    Wrong wrong = Wrong::nothing;
    unsigned blockSize = 10;
    bool knowsCrc = true;

    std::vector<Bytes> hear(const Bytes& in)
    {
        out_.clear();
        if (wrong == Wrong::silent && heard_++ >= 1)
            return {};
        const unsigned first = in[0];
        const Bytes place(in.begin() + 1, in.begin() + 4);
        if (receiving_) {
            receive(in);
        } else if (first >> 5 == 2) {
            if (wrong == Wrong::refuses)
                return {{0x80, in[1], in[2], in[3], 0, 0, 2, 6}};
            at_ = 0;
            toggle_ = false;
            if (object.size() <= 4 && !object.empty()) {
                Bytes answer{static_cast<std::uint8_t>(0x43 | (4 - object.size()) << 2), in[1], in[2], in[3]};
                answer.insert(answer.end(), object.begin(), object.end());
                say(answer);
            } else {
                say({0x41, in[1], in[2], in[3], static_cast<std::uint8_t>(object.size()), static_cast<std::uint8_t>(object.size() >> 8), 0,
                    0});
            }
        } else if (first >> 5 == 3) {
            Bytes answer{0};
            while (answer.size() < 8 && at_ < object.size())
                answer.push_back(object[at_++]);
            answer[0] = static_cast<std::uint8_t>((toggle_ != (wrong == Wrong::toggle && at_ > 14) ? 0x10U : 0U) | (8 - answer.size()) << 1
                                                  | (at_ == object.size() ? 1U : 0U));
            toggle_ = !toggle_;
            say(answer);
        } else if (first >> 5 == 1) {
            if (wrong == Wrong::refuses)
                return {{0x80, in[1], in[2], in[3], 0x30, 0, 9, 6}};
            written.clear();
            toggle_ = false;
            if ((first & 2U) != 0)
                written.assign(in.begin() + 4, in.begin() + 4 + ((first & 1U) != 0 ? 4 - (first >> 2 & 3U) : 4));
            say({0x60, in[1], in[2], in[3]});
        } else if (first >> 5 == 0) {
            written.insert(written.end(), in.begin() + 1, in.begin() + 8 - (first >> 1 & 7U));
            say({static_cast<std::uint8_t>(0x20U | (toggle_ != (wrong == Wrong::toggle && written.size() > 14) ? 0x10U : 0U))});
            toggle_ = !toggle_;
        } else if (first >> 5 == 5 && (first & 3U) == 0) {
            if (wrong == Wrong::refuses)
                return {{0x80, in[1], in[2], in[3], 0, 0, 2, 6}};
            at_ = from_ = 0;
            theirBlock_ = in[4];
            lost_ = false;
            const auto size = static_cast<unsigned>(object.size());
            say({static_cast<std::uint8_t>(0xC2U | (knowsCrc ? 4U : 0U)), in[1], in[2], in[3], static_cast<std::uint8_t>(size),
                static_cast<std::uint8_t>(size >> 8), 0, 0});
        } else if (first == 0xA3) {
            sendBlock();
        } else if (first == 0xA2) {
            at_ = from_ + std::size_t{in[1]} * 7;
            theirBlock_ = in[2];
            if (at_ >= object.size()) {
                unsigned sum = crcOf(object);
                if (wrong == Wrong::checksum)
                    sum ^= 0x100;
                say({static_cast<std::uint8_t>(0xC1U | ((7 - object.size() % 7) % 7) << 2), static_cast<std::uint8_t>(sum),
                    static_cast<std::uint8_t>(sum >> 8)});
            } else {
                sendBlock();
            }
        } else if (first >> 5 == 6 && (first & 1U) == 0) {
            if (wrong == Wrong::refuses)
                return {{0x80, in[1], in[2], in[3], 0x21, 0, 0, 8}};
            written.clear();
            receiving_ = true;
            came_ = 0;
            lost_ = last_ = false;
            say({static_cast<std::uint8_t>(0xA0U | (knowsCrc ? 4U : 0U)), in[1], in[2], in[3], static_cast<std::uint8_t>(blockSize)});
        } else if (first >> 5 == 6) {
            written.resize(written.size() - (first >> 2 & 7U));
            if (knowsCrc && (in[1] | in[2] << 8) != static_cast<int>(crcOf(written)))
                return {{0x80, 0, 0, 0, 4, 0, 4, 5}};
            say({0xA1});
        }
        return out_;
    }

private:
    void say(Bytes bytes)
    {
        bytes.resize(8, 0);
        out_.push_back(std::move(bytes));
    }
    static unsigned crcOf(const Bytes& data)
    {
        unsigned crc = 0;
        for (const std::uint8_t byte : data)
            for (int bit = 7; bit >= 0; --bit) {
                const bool next = ((crc >> 15 & 1U) ^ (byte >> bit & 1U)) != 0;
                crc = (crc << 1 & 0xFFFFU) ^ (next ? 0x1021U : 0U);
            }
        return crc;
    }
    void sendBlock()
    {
        from_ = at_;
        for (unsigned number = 1; number <= theirBlock_ && at_ < object.size(); ++number) {
            Bytes piece{0};
            while (piece.size() < 8 && at_ < object.size())
                piece.push_back(object[at_++]);
            piece[0] = static_cast<std::uint8_t>(number | (at_ == object.size() ? 0x80U : 0U));
            if (wrong == Wrong::losesOne && !lost_ && number == 2 && (piece[0] & 0x80U) == 0) {
                lost_ = true;
                continue;
            }
            say(piece);
        }
    }
    void receive(const Bytes& in)
    {
        const unsigned number = in[0] & 0x7FU;
        if (wrong == Wrong::losesOne && !lost_ && number == 2 && number != blockSize && (in[0] & 0x80U) == 0) {
            lost_ = true;
            return;
        }
        if (number == came_ + 1) {
            ++came_;
            last_ = (in[0] & 0x80U) != 0;
            written.insert(written.end(), in.begin() + 1, in.end());
        }
        if (number != blockSize && (in[0] & 0x80U) == 0)
            return;
        say({0xA2, static_cast<std::uint8_t>(came_), static_cast<std::uint8_t>(blockSize)});
        receiving_ = !last_;
        came_ = 0;
    }

    std::vector<Bytes> out_;
    std::size_t at_ = 0, from_ = 0;
    unsigned theirBlock_ = 0, came_ = 0, heard_ = 0;
    bool toggle_ = false, receiving_ = false, lost_ = false, last_ = false;
};

/// A server of diagnostics that answers a request with given bytes (ISO 15765-2).
class PlainTester {
public:
    Bytes heard, answer;
    Wrong wrong = Wrong::nothing;
    std::function<Bytes(const Bytes&)> answers{};  // in place of one answer for all
    unsigned block = 0, pendings = 0;
    std::optional<std::uint8_t> address, mine;  // a byte in front of what comes, and of what it says

    std::vector<Bytes> hear(Bytes in)
    {
        out_.clear();
        if (address) {
            if (in[0] != *address)
                return {};
            in.erase(in.begin());
        }
        switch (in[0] >> 4) {
        case 0:
            heard.assign(in.begin() + 1, in.begin() + 1 + (in[0] & 15U));
            reply();
            break;
        case 1:
            size_ = (in[0] & 15U) << 8 | in[1];
            heard.assign(in.begin() + 2, in.end());
            if (wrong == Wrong::silent)
                break;
            if (wrong == Wrong::refuses) {
                say({0x32, 0, 0});
                break;
            }
            say({0x31, 0, 0});
            say({0x30, static_cast<std::uint8_t>(block), 0xF5});
            left_ = block;
            break;
        case 2:
            heard.insert(heard.end(), in.begin() + 1,
                in.begin() + 1 + static_cast<std::ptrdiff_t>(std::min<std::size_t>(in.size() - 1, size_ - heard.size())));
            if (heard.size() == size_)
                reply();
            else if (block > 0 && --left_ == 0) {
                say({0x30, static_cast<std::uint8_t>(block), 0});
                left_ = block;
            }
            break;
        default:
            for (unsigned number = 1; at_ < answer.size(); ++number) {
                Bytes piece{static_cast<std::uint8_t>(0x20U | ((wrong == Wrong::losesOne && number == 3 ? number + 1 : number) & 15U))};
                while (piece.size() < room() && at_ < answer.size())
                    piece.push_back(answer[at_++]);
                say(piece);
            }
        }
        return out_;
    }

private:
    [[nodiscard]] std::size_t room() const { return mine ? 7 : 8; }
    void say(Bytes bytes)
    {
        bytes.resize(room(), 0xAA);
        if (mine)
            bytes.insert(bytes.begin(), *mine);
        out_.push_back(std::move(bytes));
    }
    void reply()
    {
        if (wrong == Wrong::silent)
            return;
        if (answers)
            answer = answers(heard);
        for (unsigned i = 0; i < pendings; ++i)
            say({3, 0x7F, heard[0], 0x78});
        if (wrong == Wrong::lies)
            say({3, 0x7F, 0x3E, 0x12});  // of a question that nobody asked
        if (answer.size() < room()) {
            Bytes one{static_cast<std::uint8_t>(answer.size())};
            one.insert(one.end(), answer.begin(), answer.end());
            return say(one);
        }
        Bytes first{static_cast<std::uint8_t>(0x10U | answer.size() >> 8), static_cast<std::uint8_t>(answer.size())};
        at_ = room() - 2;
        first.insert(first.end(), answer.begin(), answer.begin() + static_cast<std::ptrdiff_t>(at_));
        say(first);
    }

    std::vector<Bytes> out_;
    std::size_t at_ = 0, size_ = 0;
    unsigned left_ = 0;
};

/// Lets both talk until there is an answer; all frames go through what observes the bus, too.
struct Room {
    std::vector<Transfer> transfers;
    Answer answer;

    Room(Talk& talk, can::Identifier theirs, const std::function<std::vector<Bytes>(const Bytes&)>& peer, const char* spoken)
    {
        MessageStream stream([](const MessageRow&) {}, [&](const Transfer& one) { transfers.push_back(one); });
        stream.speak(0, {*spokenFromText(spoken)});
        Time now{};
        talk.begin(now);
        for (int turn = 0; turn < 20'000 && !talk.answer(); ++turn) {
            auto frames = talk.take();
            if (frames.empty()) {
                if (talk.due() == Time::max())
                    break;
                now = std::max(now, talk.due());
                talk.passed(now);
                continue;
            }
            std::deque<Bytes> said;
            for (can::Frame& frame : frames) {
                frame.time = now += std::chrono::microseconds(300);
                stream.onFrame(frame.view());
                for (Bytes& bytes : peer({frame.data.begin(), frame.data.begin() + frame.length}))
                    said.push_back(std::move(bytes));
            }
            for (const Bytes& bytes : said) {
                can::Frame frame;
                frame.id = theirs;
                frame.length = frame.dlc = 8;
                std::copy(bytes.begin(), bytes.end(), frame.data.begin());
                frame.time = now += std::chrono::microseconds(300);
                stream.onFrame(frame.view());
                talk.hear(frame.view());
            }
        }
        for (can::Frame& frame : talk.take()) {
            frame.time = now += std::chrono::microseconds(300);
            stream.onFrame(frame.view());
        }
        stream.finish();
        if (talk.answer())
            answer = *talk.answer();
        else
            answer.words = "it never ended";
    }
};

Bytes someBytes(std::mt19937& random, std::size_t size)
{
    Bytes out(size);
    for (std::uint8_t& byte : out)
        byte = static_cast<std::uint8_t>(random());
    return out;
}

}  // namespace

class TalkTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    // What is written is what the server has, what is read is what it had; and who observes the bus says so too.
    void objectsAreReadAndWritten()
    {
        std::mt19937 random(51);
        for (int round = 0; round < 400; ++round) {
            PlainServer server;
            server.object = someBytes(random, 1 + random() % (random() % 4 == 0 ? 3000 : 40));
            server.blockSize = 2 + random() % 126;
            server.knowsCrc = random() % 4 != 0;
            server.wrong = random() % 3 == 0 ? Wrong::losesOne : Wrong::nothing;
            const bool block = random() % 2 != 0, writes = random() % 2 != 0;
            const auto talk = writes ? objectWrite(5, {0x2001, 3}, server.object, block) : objectRead(5, {0x2001, 3}, block);
            const Room room(*talk, {0x585, false}, [&](const Bytes& in) { return server.hear(in); }, "a=objects");
            QVERIFY2(room.answer.good, (std::to_string(round) + ": " + room.answer.words).c_str());
            QVERIFY2(writes ? server.written == server.object : room.answer.data == server.object, std::to_string(round).c_str());
            QCOMPARE(room.transfers.size(), std::size_t{1});
            QVERIFY(room.transfers[0].ended == Ended::whole && room.transfers[0].data == server.object);
            QCOMPARE(whatOf(room.transfers[0]), std::string("0x2001:03"));
        }
    }

    void whatGoesWrongWithObjectsIsSaid()
    {
        for (const bool writes : {false, true})
            for (const bool block : {false, true})
                for (const auto& [wrong, words, ended] : std::initializer_list<std::tuple<Wrong, const char*, Ended>>{
                         {Wrong::silent, "did not answer", Ended::timeout}, {Wrong::refuses, "the server aborts", Ended::aborted},
                         {Wrong::toggle, "toggle", Ended::aborted}, {Wrong::checksum, "CRC", Ended::aborted}}) {
                    if ((wrong == Wrong::toggle && block) || (wrong == Wrong::checksum && (!block || writes)))
                        continue;
                    PlainServer server;
                    server.wrong = wrong;
                    server.object = Bytes(100, 7);
                    const auto talk = writes ? objectWrite(5, {0x2001, 3}, server.object, block) : objectRead(5, {0x2001, 3}, block);
                    const Room room(*talk, {0x585, false}, [&](const Bytes& in) { return server.hear(in); }, "a=objects");
                    QVERIFY2(!room.answer.good && room.answer.words.find(words) != std::string::npos,
                        (room.answer.words + " / " + words).c_str());
                    QVERIFY2(room.transfers.size() == 1 && room.transfers[0].ended == ended,
                        (std::string(words) + " / " + toText(room.transfers.at(0).ended)).c_str());
                }
        QCOMPARE(abortWords(0x06020000), std::string("the dictionary has no such object (0x06020000)"));
    }

    void serversAreAsked()
    {
        std::mt19937 random(52);
        const DiagnosticPair plain{{0x7E0, false}, {0x7E8, false}}, extended{{0x7E0, false}, {0x7E8, false}, 0x12, 0xF1};
        for (int round = 0; round < 400; ++round) {
            PlainTester server;
            const bool addressed = random() % 2 == 0;
            const DiagnosticPair& pair = addressed ? extended : plain;
            server.address = pair.requestAddress;
            server.mine = pair.answerAddress;
            Bytes request = someBytes(random, 1 + random() % (random() % 4 == 0 ? 4000 : 30));
            request[0] = 0x22;
            server.answer = someBytes(random, 3 + random() % (random() % 4 == 0 ? 4000 : 30));
            server.answer[0] = 0x62;
            server.block = random() % 20;
            server.pendings = random() % 3;
            server.wrong = random() % 4 == 0 ? Wrong::lies : Wrong::nothing;
            const auto talk = diagnosticRequest(pair, request);
            const Room room(
                *talk, pair.answer, [&](const Bytes& in) { return server.hear(in); }, ("a=diagnostics:" + toText(pair)).c_str());
            QVERIFY2(room.answer.good, (std::to_string(round) + ": " + room.answer.words).c_str());
            QVERIFY(server.heard == request && room.answer.data == server.answer);
            for (const Transfer& one : room.transfers)
                QVERIFY(one.ended == Ended::whole && (one.data == request || one.data == server.answer));
            const std::size_t single = addressed ? 6 : 7;
            QCOMPARE(room.transfers.size(), std::size_t{request.size() > single} + std::size_t{server.answer.size() > single});
        }
    }

    // Down into a memory and up again, in blocks as long as the server takes.
    void memoryIsMoved()
    {
        std::mt19937 random(91);
        const DiagnosticPair pair{{0x7E0, false}, {0x7E8, false}};
        for (int round = 0; round < 60; ++round) {
            const Bytes wanted = someBytes(random, 1 + random() % (random() % 4 == 0 ? 20'000 : 600));
            const unsigned most = 3 + random() % (random() % 2 == 0 ? 5'000 : 200);
            Bytes memory, asked;
            unsigned counter = 0;
            bool ended = false;
            PlainTester server;
            server.answers = [&](const Bytes& in) -> Bytes {
                switch (in[0]) {
                case 0x34:
                case 0x35: {
                    asked = in;
                    counter = 0;
                    return {static_cast<std::uint8_t>(in[0] + 0x40), 0x20, static_cast<std::uint8_t>(most >> 8),
                        static_cast<std::uint8_t>(most)};
                }
                case 0x36: {
                    if (in[1] != static_cast<std::uint8_t>(++counter) || in.size() > most)
                        return {0x7F, 0x36, 0x73};
                    Bytes out{0x76, in[1]};
                    if (asked[0] == 0x34) {
                        memory.insert(memory.end(), in.begin() + 2, in.end());
                    } else {
                        const std::size_t from = (counter - 1) * static_cast<std::size_t>(most - 2),
                                          to = std::min<std::size_t>(from + most - 2, memory.size());
                        out.insert(out.end(), memory.begin() + static_cast<std::ptrdiff_t>(from),
                            memory.begin() + static_cast<std::ptrdiff_t>(to));
                    }
                    return out;
                }
                default: ended = true; return {0x77};
                }
            };
            const auto hear = [&](const Bytes& in) { return server.hear(in); };
            const auto down = diagnosticDownload(pair, 0x00801000, wanted);
            const Room wrote(*down, pair.answer, hear, "a=diagnostics:0x7E0/0x7E8");
            QVERIFY2(wrote.answer.good, wrote.answer.words.c_str());
            QVERIFY(memory == wanted && ended);
            Bytes head{0x34, 0x00, 0x44, 0x00, 0x80, 0x10, 0x00};
            for (int shift = 24; shift >= 0; shift -= 8)
                head.push_back(static_cast<std::uint8_t>(wanted.size() >> shift));
            QVERIFY(asked == head);
            // A block that an answer brings has to fit into one: 4,095 bytes.
            if (most > 4'095)
                continue;
            const auto up = diagnosticUpload(pair, 0x00801000, static_cast<std::uint32_t>(wanted.size()));
            const Room read(*up, pair.answer, hear, "a=diagnostics:0x7E0/0x7E8");
            QVERIFY2(read.answer.good && read.answer.data == wanted, read.answer.words.c_str());
        }
    }

    void whatGoesWrongWithMemoryIsSaid()
    {
        const DiagnosticPair pair{{0x7E0, false}, {0x7E8, false}};
        struct Case {
            Bytes begin, block, end;
            const char* words;
        };
        for (const Case& one :
            {Case{{0x7F, 0x35, 0x31}, {}, {}, "not begun: refused: request out of range"}, Case{{0x75}, {}, {}, "how long a block"},
                Case{{0x75, 0x20, 0, 2}, {}, {}, "hold nothing"}, Case{{0x75, 0x10, 6}, {0x76, 2, 1, 2, 3, 4}, {}, "answers another one"},
                Case{{0x75, 0x10, 6}, {0x76, 1}, {}, "0 bytes, where 4 are left"},
                Case{{0x75, 0x10, 8}, {0x76, 1, 1, 2, 3, 4, 5}, {}, "5 bytes, where 4 are left"},
                Case{{0x75, 0x10, 6}, {0x7F, 0x36, 0x72}, {}, "block 1: refused"},
                Case{{0x75, 0x10, 6}, {0x76, 1, 1, 2, 3, 4}, {0x7F, 0x37, 0x24}, "not ended: refused"}}) {
            PlainTester server;
            server.answers = [&](const Bytes& in) { return in[0] == 0x35 ? one.begin : in[0] == 0x36 ? one.block : one.end; };
            const auto up = diagnosticUpload(pair, 0, 4);
            const Room room(*up, pair.answer, [&](const Bytes& in) { return server.hear(in); }, "a=diagnostics:0x7E0/0x7E8");
            QVERIFY2(!room.answer.good && room.answer.words.find(one.words) != std::string::npos,
                (room.answer.words + " / " + one.words).c_str());
        }
        for (const std::uint32_t size : {0U, (1U << 24) + 1}) {
            const auto up = diagnosticUpload(pair, 0, size);
            up->begin({});
            QVERIFY(up->answer() && !up->answer()->good);
        }
    }

    void sessionsAndTroubleCodes()
    {
        const DiagnosticPair pair{{0x7E0, false}, {0x7E8, false}};
        PlainTester server;
        bool extended = false;
        server.answers = [&](const Bytes& in) -> Bytes {
            if (in[0] == 0x10) {
                extended = in[1] == 3;
                return extended ? Bytes{0x50, 3, 0, 50, 1, 244} : Bytes{0x7F, 0x10, 0x12};
            }
            return extended ? Bytes{0x59, 2, 0xFF, 0x01, 0x23, 0x45, 0x09, 0xC1, 0x00, 0x00, 0x28, 0x99} : Bytes{0x7F, in[0], 0x7F};
        };
        const auto hear = [&](const Bytes& in) { return server.hear(in); };
        const auto refused = diagnosticInSession(pair, 0x60, troublesRequest());
        QVERIFY(Room(*refused, pair.answer, hear, "a=diagnostics:0x7E0/0x7E8").answer.words.starts_with("the session: refused"));
        const auto asked = diagnosticInSession(pair, 3, troublesRequest());
        const Room room(*asked, pair.answer, hear, "a=diagnostics:0x7E0/0x7E8");
        QVERIFY2(room.answer.good, room.answer.words.c_str());
        const auto troubles = diagnosticTroublesOf(room.answer.data);
        QCOMPARE(troubles.size(), std::size_t{2});  // a byte that is left over is none
        QCOMPARE(troubles[0].text(), std::string("P0123-45"));
        QCOMPARE(troubles[0].words(), std::string("test failed, confirmed"));
        QCOMPARE(troubles[1].text(), std::string("U0100-00"));
        QCOMPARE(troubles[1].words(), std::string("confirmed, failed since it was cleared"));

        // The tester is there, every two seconds, and nobody is to answer.
        const auto held = sessionHeld({{0x6F1, false}, {0x612, false}, 0x12, 0xF1}, usualKeep, std::chrono::seconds(9));
        held->begin(Time{});
        std::size_t told = 0;
        for (Time now{}; !held->answer(); now = held->due()) {
            held->passed(now);
            for (const can::Frame& frame : held->take()) {
                ++told;
                QVERIFY(frame.id == (can::Identifier{0x6F1, false}) && frame.data[0] == 0x12 && frame.data[1] == 2 && frame.data[2] == 0x3E
                        && frame.data[3] == 0x80);
            }
        }
        QCOMPARE(told, std::size_t{5});
    }

    // CiA 301, 7.2.5 and 7.2.6: 2026-12-01 is 15,675 days behind 1984-01-01.
    void syncAndTime()
    {
        QCOMPARE(syncFrame().length, std::uint8_t{0});
        QCOMPARE(syncFrame().id.value, 0x80U);
        QCOMPARE(syncFrame(7).data[0], std::uint8_t{7});
        const can::Frame time = timeFrame(std::chrono::seconds(1'796'083'200) + std::chrono::milliseconds(12'345'678));
        QVERIFY(time.id.value == 0x100 && time.length == 6);
        QCOMPARE(static_cast<unsigned>(time.data[0] | time.data[1] << 8 | time.data[2] << 16 | time.data[3] << 24), 12'345'678U);
        QCOMPARE(time.data[4] | time.data[5] << 8, 15'675);
    }

    void whatGoesWrongWithServersIsSaid()
    {
        const DiagnosticPair pair{{0x18DA00F1, true}, {0x18DAF100, true}};
        for (const auto& [wrong, size, answer, words] : std::initializer_list<std::tuple<Wrong, std::size_t, Bytes, const char*>>{
                 {Wrong::silent, 3, {0x62, 1, 2}, "no answer"}, {Wrong::silent, 30, {0x62, 1, 2}, "no flow control"},
                 {Wrong::refuses, 30, {0x62, 1, 2}, "does not take a request of that length"},
                 {Wrong::nothing, 3, {0x7F, 0x22, 0x33}, "security access denied"},
                 {Wrong::losesOne, 3, Bytes(50, 0x62), "frames of it are missing"},
                 {Wrong::nothing, 5000, {0x62, 1, 2}, "4,095 bytes at the most"}}) {
            PlainTester server;
            server.wrong = wrong;
            server.answer = answer;
            Bytes request(size, 1);
            request[0] = 0x22;
            const auto talk = diagnosticRequest(pair, request);
            const Room room(*talk, pair.answer, [&](const Bytes& in) { return server.hear(in); }, "a=diagnostics:0x18DA00F1/0x18DAF100");
            QVERIFY2(!room.answer.good && room.answer.words.find(words) != std::string::npos, (room.answer.words + " / " + words).c_str());
        }
    }

    void questionsAreTyped()
    {
        const auto dictionary = dictionaryFromText(
            "[DeviceInfo]\n[OptionalObjects]\nSupportedObjects=1\n1=0x2001\n[2001]\nParameterName=Deepest depth\n"
            "DataType=0x0003\nAccessType=rw\nLowLimit=0\nHighLimit=2000\n",
            "a.eds");
        QVERIFY(dictionary);
        const auto known = [&](std::uint8_t node) { return node == 4 ? &*dictionary : nullptr; };
        const auto first = [](const Question& question) {
            const auto talk = question.make();
            talk->begin(std::chrono::seconds(5'113 * 86'400));
            const auto frames = talk->take();
            QByteArray out = frames.empty() ? QByteArray("none") : QByteArray::number(frames.front().id.value, 16) + ' ';
            if (!frames.empty())
                out += QByteArray(reinterpret_cast<const char*>(frames.front().data.data()), frames.front().length).toHex();
            return out;
        };
        for (const auto& [text, frame] : std::initializer_list<std::pair<const char*, const char*>>{
                 {"read 4 \"Deepest depth\"", "604 4001200000000000"}, {"read 5 0x2001:03", "605 4001200300000000"},
                 {"write 4 deepest_depth 1200", "604 2b012000b0040000"}, {"write 5 0x2001:03 02 03", "605 2b01200302030000"},
                 {"request 0xFECA to 0x28", "18ea28f9 cafe00"}, {"send 0xFEF1 01 02 03", "18fef1f9 010203"}, {"state 4 start", "0 0104"},
                 {"state all reset communication", "0 8200"}, {"sync", "80 "}, {"time", "100 000000000000"},
                 {"diagnose 0x7E0/0x7E8 22 F1 90", "7e0 0322f190cccccccc"}, {"troubles 0x7E0/0x7E8", "7e0 031902ffcccccccc"}}) {
            const auto question = questionFromText(text, known);
            QVERIFY2(question.has_value(), question ? "" : question.error().text().c_str());
            QCOMPARE(first(*question), QByteArray(frame));
            QCOMPARE(first(*question), QByteArray(frame));  // as often as it is made
        }
        for (const auto& [text, words] : std::initializer_list<std::pair<const char*, const char*>>{{"", "expected read"},
                 {"tell 4", "expected read"}, {"read", "expected a node"}, {"read 200 0x2001", "127"}, {"read 4", "expected an object"},
                 {"read 4 Depest", "no object"}, {"write 4 0x2001 2001", "limits"}, {"write 5 0x2001:03 2", "hexadecimal"},
                 {"request 0xFECA to 0xFF", "no address"}, {"send 0xFEF1", ""}, {"state 4 begin", "expected start"}, {"sync 3", "too much"},
                 {"diagnose 0x7E0 22", "no pair"}, {"read 5 0x2001:03 4", "too much"}}) {
            const auto question = questionFromText(text, known);
            QVERIFY2(!question && question.error().text().find(words) != std::string::npos,
                (std::string(text) + ": " + (question ? "" : question.error().text())).c_str());
        }
        QVERIFY(!questionFromText("send 0xFEF1 " + std::string(20'000, '0')));
    }

    void whatIsTypedIsUnderstood()
    {
        const auto pairs = spokenFromText("a=diagnostics:0x6F1+12/0x612+F1,0x7E0/0x7E8");
        QVERIFY(pairs && pairs->pairs.size() == 2 && pairs->pairs[0].requestAddress == 0x12 && pairs->pairs[0].answerAddress == 0xF1);
        QVERIFY(
            !pairs->pairs[1].requestAddress && toText(pairs->pairs[0]) == "0x6F1+12/0x612+F1" && toText(pairs->pairs[1]) == "0x7E0/0x7E8");
        for (const char* text :
            {"0x6F1+1/0x612", "0x6F1+/0x612", "0x6F1+123/0x612", "0x6F1+1G/0x612", "0x6F1+12/0x6F1+12", "0x6F1+-1/0x612"})
            QVERIFY2(!spokenFromText(std::string("a=diagnostics:") + text), text);
        const auto place = objectPlaceFromText("0x2001:0A");
        QVERIFY(place && place->index == 0x2001 && place->sub == 10);
        QVERIFY(objectPlaceFromText("1018")->sub == 0);
        for (const char* text : {"", "0x2001:", "0x20011", "0x2001:100", "x:1", "0x2001:03 "})
            QVERIFY2(!objectPlaceFromText(text), text);
        QVERIFY(*bytesFromText("22 F1 90") == (Bytes{0x22, 0xF1, 0x90}) && *bytesFromText("22f190") == (Bytes{0x22, 0xF1, 0x90}));
        for (const char* text : {"", "2", "22 F", "2 2", "0x22", "22,33"})
            QVERIFY2(!bytesFromText(text), text);
    }

    // A node of a rig answers by its script.
    void onTheCommandLine()
    {
        QTemporaryDir folder;
        QFile rig(folder.filePath(QStringLiteral("rig.json")));
        QVERIFY(rig.open(QIODevice::WriteOnly));
        rig.write(
            R"json({"wavetrope": 1, "name": "Bench", "buses": [{"name": "A", "rate": "500k"}], "nodes": [{"name": "Unit", "buses": ["A"], "script": {"text":
            "on.frame('id 0x604 and byte 0 == 0x40', function(f) send('0x584', {0x4B, 1, 0x20, 3, 0x10, 0x27, 0, 0}) end) on.frame('id 0x604 and not byte 0 == 0x40', function(f) send('0x584', {0x80, 1, 0x20, 3, 2, 0, 1, 6}) end) on.frame('id 0x7E0', function(f) send('0x7E8', {3, 0x7F, 0x22, 0x31}) end)"}}]})json");
        rig.close();
        const auto asked = [&](const QStringList& command, const QStringList& what) {
            return cli(command + QStringList{rig.fileName()} + what + QStringList{QStringLiteral("--virtual")});
        };
        const QStringList read{QStringLiteral("object"), QStringLiteral("read")}, write{QStringLiteral("object"), QStringLiteral("write")};
        const wavetrope::test::Answer value = asked(read, {QStringLiteral("4"), QStringLiteral("0x2001:03")});
        QVERIFY2(value.code == 0 && value.out == QLatin1String("10 27\n"), qPrintable(value.out + value.err));
        const wavetrope::test::Answer refused = asked(write, {QStringLiteral("4"), QStringLiteral("0x2001:03"), QStringLiteral("11 22")});
        QVERIFY2(refused.code == 1 && refused.err.contains(QLatin1String("it can only be read")), qPrintable(refused.err));
        const wavetrope::test::Answer nobody = asked(read, {QStringLiteral("9"), QStringLiteral("0x2001:03")});
        QVERIFY2(nobody.code == 1 && nobody.err.contains(QLatin1String("node 9 did not answer")), qPrintable(nobody.err));
        const wavetrope::test::Answer no = asked({QStringLiteral("diagnose")}, {QStringLiteral("0x7E0/0x7E8"), QStringLiteral("22 F1 90")});
        QVERIFY2(no.code == 1 && no.out == QLatin1String("7F 22 31\n") && no.err.contains(QLatin1String("request out of range")),
            qPrintable(no.out + no.err));
        for (const QStringList& wrong : {QStringList{QStringLiteral("0"), QStringLiteral("0x2001:03")},
                 {QStringLiteral("4"), QStringLiteral("here")}, {QStringLiteral("4")}})
            QCOMPARE(asked(read, wrong).code, 2);
    }
};

QTEST_APPLESS_MAIN(TalkTest)
#include "talk_test.moc"
