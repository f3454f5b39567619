// SPDX-License-Identifier: GPL-3.0-or-later
// Text logs: what their lines mean is found out, asked where they leave it open, and read to the bit.
#include <QFile>
#include <QTemporaryDir>
#include <QTest>

#include <cinttypes>
#include <cstdarg>
#include <functional>
#include <limits>
#include <random>

#include "base/stamp.h"
#include "formats/text_line.h"
#include "formats/text_log.h"
#include "formats/text_recognition.h"
#include "formats/trace_sink.h"

using namespace wavetrope;
using namespace wavetrope::formats;

namespace {

// What the written log is about.
struct Written {
    std::vector<can::Frame> frames;
    bool channels = true;       // of these, what the layout tells
    bool directions = true;
    bool fd = true;
    std::int64_t step = 1000;   // of its times, in nanoseconds
};

std::vector<can::Frame> someFrames(bool fd, bool remote, bool extended = true, std::size_t count = 120)
{
    std::mt19937 random(77);
    std::vector<can::Frame> frames;
    Time time = std::chrono::milliseconds(1234);
    const std::uint32_t ids[] = {0x0C1, 0x181, 0x2A7, 0x5E0, 0x7FF, 0x18FEF100, 0x0CF00421, 0x1A0};
    for (std::size_t i = 0; i < count; ++i) {
        can::Frame frame;
        time += std::chrono::microseconds(300 + random() % 9000);
        frame.time = time;
        frame.id.value = ids[random() % (extended ? 8 : 5)];
        frame.id.extended = frame.id.value > 0x7FF;
        frame.bus = static_cast<std::uint8_t>(random() % 2);
        frame.direction = random() % 5 == 0 ? can::Direction::sent : can::Direction::received;
        if (remote && random() % 12 == 0) {
            frame.kind = can::FrameKind::remote;
            frame.dlc = static_cast<std::uint8_t>(random() % 9);
        } else {
            frame.kind = fd && random() % 3 == 0 ? can::FrameKind::fd : can::FrameKind::data;
            frame.dlc = static_cast<std::uint8_t>(frame.kind == can::FrameKind::fd ? 9 + random() % 7 : random() % 9);
            frame.length = static_cast<std::uint8_t>(can::lengthOfDlc(frame.dlc));
            for (unsigned b = 0; b < frame.length; ++b)
                frame.data[b] = static_cast<std::uint8_t>(random());
        }
        frames.push_back(frame);
    }
    return frames;
}

[[gnu::format(printf, 1, 2)]] std::string print(const char* form, ...)
{
    char text[400];
    va_list values;
    va_start(values, form);
    std::vsnprintf(text, sizeof text, form, values);
    va_end(values);
    return text;
}

std::string bytesOf(const can::Frame& frame, const char* form, const char* between)
{
    std::string text;
    for (unsigned i = 0; i < frame.length; ++i)
        text += (i > 0 ? between : "") + print(form, frame.data[i]);
    return text;
}

double seconds(const can::Frame& frame) { return static_cast<double>(frame.time.count()) * 1e-9; }
std::int64_t microseconds(const can::Frame& frame) { return frame.time.count() / 1000; }

// One way in which a program may write its log.
struct Style {
    const char* name;
    bool fd, remote, extended, channels, directions;
    std::int64_t step;      // of its times, ns
    const char* head;
    std::function<std::string(const can::Frame&)> line;
};

const std::vector<Style>& styles()
{
    static const std::vector<Style> all = {
        {"blanks, identifier with 0x, bytes apart", false, true, true, true, true, 1000, "",
            [](const can::Frame& f) {
                return print("%.6f  bus%d  %s  0x%X  %d  %s", seconds(f), f.bus + 1, f.direction == can::Direction::sent ? "Tx" : "Rx",
                    f.id.value, f.kind == can::FrameKind::remote ? f.dlc : f.length,
                    f.kind == can::FrameKind::remote ? "remote" : bytesOf(f, "%02X", " ").c_str());
            }},
        {"comma, head, bytes together", false, false, true, true, false, 1000, "Time,Channel,ID,Len,Data\n",
            [](const can::Frame& f) {
                return print("%.6f,%d,%03X,%d,%s", seconds(f), f.bus, f.id.value, f.length, bytesOf(f, "%02X", "").c_str());
            }},
        {"semicolon, decimal comma", false, false, true, false, false, 1000, "Zeitpunkt;Id;n;Payload\n",
            [](const can::Frame& f) {
                std::string time = print("%.6f", seconds(f));
                time[time.find('.')] = ',';
                return time + print(";0x%08X;%d;%s", f.id.value, f.length, bytesOf(f, "%02x", " ").c_str());
            }},
        {"tab, milliseconds in the head, all decimal", false, false, false, false, true, 1'000'000,
            "time [ms]\tdir\tid (dec)\tlength\tdata (dec)\n",
            [](const can::Frame& f) {
                return print("%" PRId64 "\t%s\t%u\t%d\t%s", microseconds(f) / 1000, f.direction == can::Direction::sent ? "out" : "in",
                    f.id.value, f.length, bytesOf(f, "%d", " ").c_str());
            }},
        {"bars, microseconds by their pace", false, false, true, true, false, 1000, "# recorded at the rink\n",
            [](const can::Frame& f) {
                return print("| %" PRId64 " | %s | %s%X | %d | %s |", microseconds(f), f.bus == 0 ? "north" : "south",
                    f.id.extended ? "0x" : "0x", f.id.value, f.length, bytesOf(f, "%02X", " ").c_str());
            }},
        {"clock with a date before it", false, false, true, true, true, 1'000'000, "// day month year\n",
            [](const can::Frame& f) {
                const std::int64_t ms = microseconds(f) / 1000;
                return print("05.02.2031 %02d:%02d:%02d.%03d ch%d %s %Xh [%d] %s", 10, 20, static_cast<int>(ms / 1000),
                    static_cast<int>(ms % 1000), f.bus, f.direction == can::Direction::sent ? "T" : "R", f.id.value, f.length,
                    bytesOf(f, "%02X", " ").c_str());
            }},
        {"date and clock in one", false, false, true, true, false, 1000, "stamp;bus;identifier;dlc;payload\n",
            [](const can::Frame& f) {
                const std::int64_t us = microseconds(f);
                return print("2031-02-05T10:20:%02d.%06dZ;%s;%08X;%d;%s", static_cast<int>(us / 1'000'000),
                    static_cast<int>(us % 1'000'000), f.bus == 0 ? "Chassis" : "Body", f.id.value, f.length,
                    bytesOf(f, "%02X", "-").c_str());
            }},
        {"since 1970 in parentheses, names with =", false, true, true, true, false, 1000, "",
            [](const can::Frame& f) {
                return print("(%" PRId64 ".%06d) id=%X%s len=%d if=port%d %s", 1'900'000'000 + microseconds(f) / 1'000'000,
                    static_cast<int>(microseconds(f) % 1'000'000), f.id.value, f.id.extended ? "x" : "",
                    f.kind == can::FrameKind::remote ? f.dlc : f.length, f.bus,
                    f.kind == can::FrameKind::remote ? "rtr" : bytesOf(f, "%02x", " ").c_str());
            }},
        {"FD with a column of kinds and length codes", true, false, true, true, false, 1000, "t[s] ch kind id dlc bytes\n",
            [](const can::Frame& f) {
                return print("%10.6f %d %-8s %8X %d %s", seconds(f), f.bus + 1, f.kind == can::FrameKind::fd ? "FD" : "classic", f.id.value,
                    f.dlc, bytesOf(f, "%02X", " ").c_str());
            }},
        {"FD with lengths, in quotes", true, false, true, true, true, 1000,
            "\"time_us\",\"bus\",\"direction\",\"id\",\"length\",\"data\"\n",
            [](const can::Frame& f) {
                return print("\"%" PRId64 "\",\"%s\",\"%s\",\"0x%03x\",\"%d\",\"%s\"", microseconds(f), f.bus == 0 ? "A" : "B",
                    f.direction == can::Direction::sent ? "sent" : "received", f.id.value, f.length, bytesOf(f, "%02x", " ").c_str());
            }},
        {"row numbers in front, no length", false, false, true, false, false, 1000, "no time id b0 b1 b2 b3 b4 b5 b6 b7\n",
            [](const can::Frame& f) {
                static int row = 0;
                return print("%d %.6f %08X %s", ++row, seconds(f), f.id.value, bytesOf(f, "%02X", " ").c_str());
            }},
        {"identifier first, time last but the data", false, false, true, true, false, 1000, "",
            [](const can::Frame& f) {
                return print("%03X\t%d\tcan%d\t%.6f\t%s", f.id.value, f.length, f.bus, seconds(f), bytesOf(f, "%02X", ".").c_str());
            }},
        {"decimal bytes with 0x identifiers", false, false, true, false, false, 1000, "",
            [](const can::Frame& f) {
                return print("%.6fs 0x%X %d : %s", seconds(f), f.id.value, f.length, bytesOf(f, "%d", " ").c_str());
            }},
        {"since the line before", false, false, true, false, false, 1000, "delta time [us],identifier,length,data\n",
            [](const can::Frame& f) {
                static Time last{};
                const auto gap = (f.time - last).count() / 1000;
                last = f.time;
                return print(
                    "%" PRId64 ",0x%X,%d,%s", static_cast<std::int64_t>(gap), f.id.value, f.length, bytesOf(f, "%02X", " ").c_str());
            }},
        {"kinds joined with switches, nanoseconds", true, true, true, true, true, 1, "ns;net;way;flags;id;size;data\n",
            [](const can::Frame& f) {
                std::string flags = f.id.extended ? "EXT" : "STD";
                if (f.kind == can::FrameKind::fd)
                    flags += "|FD";
                if (f.kind == can::FrameKind::remote)
                    flags += "|RTR";
                return print("%" PRId64 ";%d;%s;%s;%X;%d;%s", static_cast<std::int64_t>(1'900'000'000'000'000'000 + f.time.count()), f.bus,
                    f.direction == can::Direction::sent ? "->" : "<-", flags.c_str(), f.id.value,
                    f.kind == can::FrameKind::remote ? f.dlc : f.length, bytesOf(f, "%02X", " ").c_str());
            }},
        {"an object of JSON in each line, bytes in a list", false, false, true, true, false, 1000, "",
            [](const can::Frame& f) {
                return print(R"({"ts":%.6f,"bus":%d,"frame":{"id":%u,"dlc":%d,"data":[%s]}})", seconds(f), f.bus + 1, f.id.value, f.length,
                    bytesOf(f, "%d", ", ").c_str());
            }},
        {"an object of JSON, text for identifier and bytes", false, false, true, false, true, 1000, "",
            [](const can::Frame& f) {
                return print(R"({"time": %.6f, "dir": "%s", "id": "0x%03X", "data": "%s"})", seconds(f),
                    f.direction == can::Direction::sent ? "tx" : "rx", f.id.value, bytesOf(f, "%02X", " ").c_str());
            }},
        {"a tag in each line", false, false, true, true, true, 1000, "<log>\n",
            [](const can::Frame& f) {
                return print(R"(  <msg bus="%d" time="%.6f" id="0x%X" dir="%s" data="%s"/>)", f.bus + 1, seconds(f), f.id.value,
                    f.direction == can::Direction::sent ? "tx" : "rx", bytesOf(f, "%02X", "").c_str());
            }},
        {"fields with their names", false, false, true, false, false, 1000, "",
            [](const can::Frame& f) {
                return print("t=%.6f id=0x%03X len=%d data=%s", seconds(f), f.id.value, f.length, bytesOf(f, "%02X", "").c_str());
            }},
        {"identifier and data joined", false, false, true, true, false, 1000, "",
            [](const can::Frame& f) {
                return print("(%.6f) bus%d ", seconds(f), f.bus) + print(f.id.extended ? "%08X" : "%03X", f.id.value) + "#"
                       + bytesOf(f, "%02X", "");
            }},
        {"units behind the numbers", false, false, true, false, false, 1000, "",
            [](const can::Frame& f) {
                return print("%" PRId64 "us 0x%X %dB %s", microseconds(f), f.id.value, f.length, bytesOf(f, "%02X", " ").c_str());
            }},
        {"a clock of twelve hours", false, false, true, false, false, 1000, "time,id,len,data\n",
            [](const can::Frame& f) {
                const auto clock = static_cast<int>(microseconds(f) / 1'000'000) + 59 - 1;    // from 11:59:59 AM on
                return print("2031-02-05 %02d:%02d:%02d.%06d %s,0x%03X,%d,%s", clock < 60 ? 11 : 12, clock < 60 ? 59 : 0, clock % 60,
                    static_cast<int>(microseconds(f) % 1'000'000), clock < 60 ? "AM" : "PM", f.id.value, f.length,
                    bytesOf(f, "%02X", " ").c_str());
            }},
        {"the name of the month, blanks", false, false, true, false, false, 1000, "",
            [](const can::Frame& f) {
                return print("05 February 2031 13:20:%02d.%06d 0x%03X %d %s", static_cast<int>(microseconds(f) / 1'000'000),
                    static_cast<int>(microseconds(f) % 1'000'000), f.id.value, f.length, bytesOf(f, "%02X", " ").c_str());
            }},
        {"a time zone", false, false, true, false, false, 1000, "time;id;len;data\n",
            [](const can::Frame& f) {
                return print("2031-02-05T13:20:%02d.%06d+01:00;0x%03X;%d;%s", static_cast<int>(microseconds(f) / 1'000'000),
                    static_cast<int>(microseconds(f) % 1'000'000), f.id.value, f.length, bytesOf(f, "%02X", " ").c_str());
            }},
        {"a clock that passes midnight", false, false, true, false, false, 1000, "",
            [](const can::Frame& f) {
                const auto clock = static_cast<int>((microseconds(f) / 1'000'000 + 86'398) % 86'400);
                return print("%02d:%02d:%02d.%06d 0x%03X %d %s", clock / 3600, clock / 60 % 60, clock % 60,
                    static_cast<int>(microseconds(f) % 1'000'000), f.id.value, f.length, bytesOf(f, "%02X", " ").c_str());
            }},
        {"seconds and nanoseconds in two columns", false, false, true, false, false, 1000, "sec,nsec,id,len,data\n",
            [](const can::Frame& f) {
                return print("%d,%09d,0x%03X,%d,%s", static_cast<int>(microseconds(f) / 1'000'000),
                    static_cast<int>(microseconds(f) % 1'000'000 * 1000), f.id.value, f.length, bytesOf(f, "%02X", " ").c_str());
            }},
        {"FD in letters", true, false, false, false, false, 1000, "time,id,flags,len,data\n",
            [](const can::Frame& f) {
                return print("%.6f,0x%03X,%s,%d,%s", seconds(f), f.id.value, f.kind == can::FrameKind::fd ? "F" : "-", f.length,
                    bytesOf(f, "%02X", " ").c_str());
            }},
        {"FD and extended in columns of their own", true, false, true, false, false, 1000, "time,ide,fdf,brs,esi,id,len,data\n",
            [](const can::Frame& f) {
                return print("%.6f,%d,%d,0,0,%X,%d,%s", seconds(f), f.id.extended ? 1 : 0, f.kind == can::FrameKind::fd ? 1 : 0, f.id.value,
                    f.length, bytesOf(f, "%02X", " ").c_str());
            }},
        {"characters of the bytes at the end", false, false, true, false, false, 1000, "",
            [](const can::Frame& f) {
                std::string shown;
                for (unsigned i = 0; i < f.length; ++i)
                    shown += f.data[i] > 32 && f.data[i] < 127 && f.data[i] != '|' ? static_cast<char>(f.data[i]) : '.';
                return print("%.6f 0x%03X %d %s   |%s|", seconds(f), f.id.value, f.length, bytesOf(f, "%02X", " ").c_str(), shown.c_str());
            }},
    };
    return all;
}

std::string textOf(const Style& style, const std::vector<can::Frame>& frames)
{
    std::string text = style.head;
    for (const can::Frame& frame : frames)
        text += style.line(frame) + '\n';
    return text;
}

ByteSource sourceOf(const std::string& text) { return ByteSource({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()}); }

std::string columnsText(const Recognition& found)
{
    std::string text(separatorText(found.layout.separator));
    for (const Meaning meaning : found.layout.columns)
        text += std::string(" ") + toText(meaning);
    return text + ", " + toText(found.layout.timeForm) + ", " + std::to_string(found.fitting) + " of " + std::to_string(found.lines);
}

}  // namespace

class TextLogTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void layoutsAreRecognisedAndReadToTheBit_data()
    {
        QTest::addColumn<int>("index");
        for (std::size_t i = 0; i < styles().size(); ++i)
            QTest::newRow(styles()[i].name) << static_cast<int>(i);
    }
    void layoutsAreRecognisedAndReadToTheBit()
    {
        QFETCH(int, index);
        const Style& style = styles()[static_cast<std::size_t>(index)];
        const auto frames = someFrames(style.fd, style.remote, style.extended);
        const std::string text = textOf(style, frames);
        const auto found = recogniseLayout(text, "log.txt");
        QVERIFY2(found.has_value(), found ? "" : found.error().text().c_str());
        if (!found->sure())
            QFAIL((columnsText(*found) + ": " + found->questions.front().what).c_str());
        QVERIFY2(found->fitting == found->lines && found->lines == frames.size(), columnsText(*found).c_str());

        trace::Trace trace;
        TraceSink sink(trace);
        ByteSource source = sourceOf(text);
        const auto report = readLog(source, sink);
        QVERIFY(report.has_value());
        QCOMPARE(report->badLineCount, std::uint64_t{0});
        const auto snapshot = trace.snapshot();
        QCOMPARE(snapshot.rows(), frames.size());
        QCOMPARE(trace.buses().size(), style.channels ? std::size_t{2} : std::size_t{1});
        const std::int64_t offset = snapshot.time(0).count() - frames[0].time.count() / style.step * style.step;
        for (std::size_t i = 0; i < frames.size(); ++i) {
            const can::FrameView read = snapshot.frame(i);
            const can::Frame& wrote = frames[i];
            const std::string where = "frame " + std::to_string(i) + ": " + style.line(wrote) + " (" + columnsText(*found) + ")";
            QVERIFY2(read.id == wrote.id, where.c_str());
            QVERIFY2(read.kind == wrote.kind, where.c_str());
            QVERIFY2(read.dlc == wrote.dlc && read.length == wrote.length, where.c_str());
            QVERIFY2(std::equal(read.data, read.data + read.length, wrote.data.begin()), where.c_str());
            if (found->layout.sincePrevious)
                QVERIFY2(std::abs(read.time.count() - wrote.time.count()) <= static_cast<std::int64_t>(i + 2) * style.step, where.c_str());
            else
                QVERIFY2(read.time.count() - offset == wrote.time.count() / style.step * style.step, where.c_str());
            if (style.directions)
                QVERIFY2(read.direction == wrote.direction, where.c_str());
            if (style.channels)
                QVERIFY2((trace.buses()[read.bus].name == trace.buses()[snapshot.frame(0).bus].name) == (wrote.bus == frames[0].bus),
                    where.c_str());
        }
    }

    void switchesInColumnsOfTheirOwnAreRead_data()
    {
        QTest::addColumn<QString>("head");
        QTest::addColumn<QString>("yes");
        QTest::addColumn<QString>("no");
        QTest::newRow("as the command list writes them") << "time,bus,dir,kind,id,brs,esi,length,data" << "1" << "0";
        QTest::newRow("in words") << "Time,Bus,Dir,Type,ID,Bit Rate Switch,Error State,Len,Data" << "yes" << "no";
        QTest::newRow("a cross or nothing") << "t,channel,direction,kind,identifier,BRS,ESI,len,payload" << "x" << "";
    }
    void switchesInColumnsOfTheirOwnAreRead()
    {
        QFETCH(QString, head);
        QFETCH(QString, yes);
        QFETCH(QString, no);
        std::string text = head.toStdString() + "\n";
        for (int i = 0; i < 60; ++i) {
            const bool fd = i % 3 == 0;
            const auto word = [&](bool set) { return (set ? yes : no).toStdString(); };
            text += print("%.6f,Body,%s,%s,0x%03X,", 0.001 * i, i % 2 == 0 ? "received" : "sent", fd ? "fd" : "data", 0x1A0 + i % 4)
                    + word(fd && i % 2 == 0) + "," + word(fd && i % 4 < 2) + print(",2,%02X %02X\n", i, 255 - i);
        }
        const auto found = recogniseLayout(text, "switches.csv");
        QVERIFY2(found.has_value(), found ? "" : found.error().text().c_str());
        QVERIFY2(found->sure() && found->fitting == 60, columnsText(*found).c_str());
        QCOMPARE(found->layout.columnOf(Meaning::bitRateSwitch), 5);
        QCOMPARE(found->layout.columnOf(Meaning::errorState), 6);
        QCOMPARE(*layoutFromJson(toJson(found->layout), "again"), found->layout);
        trace::Trace trace;
        TraceSink sink(trace);
        ByteSource source = sourceOf(text);
        QVERIFY(readLog(source, sink).has_value());
        QCOMPARE(trace.rows(), 60U);
        for (int i = 0; i < 60; ++i) {
            const can::FrameView frame = trace.snapshot().frame(static_cast<trace::Row>(i));
            QCOMPARE(frame.kind, i % 3 == 0 ? can::FrameKind::fd : can::FrameKind::data);
            QCOMPARE(frame.brs, i % 6 == 0);
            QCOMPARE(frame.esi, i % 3 == 0 && i % 4 < 2);
        }
        // What is neither is listed.
        const std::string broken = text + print("0.070000,Body,sent,fd,0x1A0,maybe,") + no.toStdString() + ",2,01 02\n";
        trace::Trace rest;
        TraceSink into(rest);
        ByteSource again = sourceOf(broken);
        const auto report = readLog(again, into);
        QVERIFY(report.has_value());
        QCOMPARE(report->badLineCount, std::uint64_t{1});
        QCOMPARE(rest.rows(), 60U);
    }

    void aColumnOfNoughtsAndOnesWithoutAHeadIsNoSwitch()
    {
        std::string text;
        for (int i = 0; i < 40; ++i)
            text += print("%.4f 0x1A%d %d 3 0A FF %02X\n", 0.01 * i, i % 3, i % 2, i);
        const auto found = recogniseLayout(text, "bare.txt");
        QVERIFY(found.has_value());
        QCOMPARE(found->layout.columnOf(Meaning::bitRateSwitch), -1);
        QCOMPARE(found->layout.columnOf(Meaning::errorState), -1);
    }

    void whatTheLinesLeaveOpenIsAsked()
    {
        // Three digits without a letter, of few identifiers: hexadecimal or decimal?
        std::string text = "time,id,len,data\n";
        for (int i = 0; i < 40; ++i)
            text += print("%.4f,%d,2,%02X%02X\n", 0.01 * i, i % 2 == 0 ? 120 : 345, i, 255 - i);
        const auto identifiers = recogniseLayout(text, "open.csv");
        QVERIFY(identifiers.has_value());
        QCOMPARE(identifiers->questions.size(), std::size_t{1});
        QVERIFY(identifiers->questions[0].what.find("identifiers") != std::string::npos);
        QCOMPARE(identifiers->questions[0].choices.size(), std::size_t{2});
        ByteSource source = sourceOf(text);
        trace::Trace trace;
        TraceSink sink(trace);
        const auto refused = readLog(source, sink);
        QVERIFY(!refused.has_value());
        QVERIFY(refused.error().what.find("identifiers") != std::string::npos);
        for (const TextLayout& choice : identifiers->questions[0].choices) {
            trace::Trace read;
            TraceSink into(read);
            ByteSource again = sourceOf(text);
            ReadOptions options;
            options.layout = &choice;
            QVERIFY(readLog(again, into, options).has_value());
            QCOMPARE(read.snapshot().frame(0).id.value, choice.identifierBase == Base::hexadecimal ? 0x120U : 120U);
        }

        // Whole numbers a hundred apart: microseconds of a busy bus, or milliseconds of a quiet one?
        text.clear();
        for (int i = 0; i < 40; ++i)
            text += print("%d 0x1A%d 3 0A FF %02X\n", 5000 + 100 * i, i % 3, i);
        const auto times = recogniseLayout(text, "open.txt");
        QVERIFY(times.has_value());
        QCOMPARE(times->questions.size(), std::size_t{1});
        QVERIFY(times->questions[0].what.find("unit") != std::string::npos);
        QCOMPARE(times->questions[0].answers, (std::vector<std::string>{"milliseconds", "microseconds"}));
    }

    void oneReadingOfTwoIsNeverTakenUnasked_data()
    {
        QTest::addColumn<int>("which");
        QTest::addColumn<QString>("asked");
        QTest::addColumn<QStringList>("answers");
        QTest::newRow("a length, and no data") << 0 << "no data" << QStringList{"without data"};
        QTest::newRow("whole seconds, or milliseconds") << 1 << "unit" << QStringList{"milliseconds", "seconds"};
        QTest::newRow("words of two bytes") << 2 << "order" << QStringList{"as written", "swapped"};
        QTest::newRow("a length, or the first byte") << 3 << "length" << QStringList{"length", "first byte"};
        QTest::newRow("a head that says nothing") << 4 << "not understood" << QStringList{"leave it out"};
    }
    void oneReadingOfTwoIsNeverTakenUnasked()
    {
        QFETCH(int, which);
        QFETCH(QString, asked);
        QFETCH(QStringList, answers);
        std::mt19937 random(9);
        std::string text = which == 0 ? "time,id,dlc\n" : which == 4 ? "time,id,flags,len,data\n" : "";
        for (int i = 0; i < 60; ++i) {
            const unsigned a = random() % 256, b = random() % 256, id = 0x1A0 + i % 7;
            switch (which) {
            case 0: text += print("%.6f,0x%03X,%d\n", 0.01 * i, id, i % 9); break;
            case 1: text += print("%d 0x%03X 2 %02X %02X\n", 1000 + i, id, a, b); break;
            case 2: text += print("%.6f 0x%03X 4 %02X%02X %02X%02X\n", 0.01 * i, id, a, b, b, a); break;
            case 3: text += print("%.6f 0x%03X 07 %02X %02X %02X %02X %02X %02X %02X\n", 0.01 * i, id, a, b, b, a, a, a, b); break;
            default: text += print("%.6f,0x%03X,0x%02X,2,%02X %02X\n", 0.01 * i, id, 16 * (a % 4), a, b); break;
            }
        }
        const auto found = recogniseLayout(text, "open.txt");
        QVERIFY2(found.has_value(), found ? "" : found.error().text().c_str());
        QCOMPARE(found->questions.size(), std::size_t{1});
        QVERIFY2(QString::fromStdString(found->questions[0].what).contains(asked), found->questions[0].what.c_str());
        QCOMPARE(found->questions[0].answers.size(), static_cast<std::size_t>(answers.size()));
        for (qsizetype i = 0; i < answers.size(); ++i)
            QCOMPARE(QString::fromStdString(found->questions[0].answers[static_cast<std::size_t>(i)]), answers[i]);
        // Without an answer nothing is read; every answer reads all lines.
        trace::Trace unread;
        TraceSink nowhere(unread);
        ByteSource source = sourceOf(text);
        QVERIFY(!readLog(source, nowhere).has_value());
        for (const TextLayout& choice : found->questions[0].choices) {
            trace::Trace read;
            TraceSink into(read);
            ByteSource again = sourceOf(text);
            ReadOptions options;
            options.layout = &choice;
            const auto report = readLog(again, into, options);
            QVERIFY(report.has_value());
            QCOMPARE(report->badLineCount, std::uint64_t{0});
            QCOMPARE(read.rows(), 60U);
        }
    }

    void textOfTwoBytesPerCharacterIsReadLikeAnyOther_data()
    {
        QTest::addColumn<bool>("bigFirst");
        QTest::addColumn<bool>("marked");
        QTest::newRow("small byte first, marked") << false << true;
        QTest::newRow("big byte first, marked") << true << true;
        QTest::newRow("small byte first, unmarked") << false << false;
        QTest::newRow("big byte first, unmarked") << true << false;
    }
    void textOfTwoBytesPerCharacterIsReadLikeAnyOther()
    {
        QFETCH(bool, bigFirst);
        QFETCH(bool, marked);
        const auto frames = someFrames(false, false);
        const std::string plain = textOf(styles()[1], frames);
        std::string wide;
        const auto put = [&](unsigned character) {
            wide += static_cast<char>(bigFirst ? character >> 8 : character & 0xFF);
            wide += static_cast<char>(bigFirst ? character & 0xFF : character >> 8);
        };
        if (marked)
            put(0xFEFF);
        for (const char c : plain)
            put(static_cast<unsigned char>(c));
        trace::Trace narrow, read;
        TraceSink intoNarrow(narrow), into(read);
        QTemporaryDir folder;
        QFile file(folder.filePath("wide.csv"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(wide.data(), static_cast<qint64>(wide.size()));
        file.close();
        ByteSource first = sourceOf(plain);
        auto second = ByteSource::open(file.fileName().toStdString());
        QVERIFY(second.has_value());
        QVERIFY(readLog(first, intoNarrow).has_value());
        const auto report = readLog(*second, into);
        QVERIFY2(report.has_value(), report ? "" : report.error().text().c_str());
        QCOMPARE(read.rows(), frames.size());
        for (trace::Row row = 0; row < read.rows(); ++row) {
            const can::FrameView a = narrow.snapshot().frame(row), b = read.snapshot().frame(row);
            QVERIFY(a.time == b.time && a.id == b.id && a.length == b.length && std::equal(a.data, a.data + a.length, b.data));
        }
    }

    void linesThatDoNotFitAreListed()
    {
        std::string text = "a log of the rink\ntime;id;len;data\n";
        for (int i = 0; i < 30; ++i)
            text += i == 7    ? "0.07;0x7G1;2;0102\n"
                    : i == 11 ? "stopped here\n"
                    : i == 19 ? "0.19;0x123;4;0102\n"
                              : print("%.2f;0x123;2;0102\n", 0.01 * i);
        text += "# the end\n\n0.99;0x123;2";
        ByteSource source = sourceOf(text);
        trace::Trace trace;
        TraceSink sink(trace);
        const auto report = readLog(source, sink);
        QVERIFY(report.has_value());
        QVERIFY2(report->frames == 27, columnsText(*recogniseLayout(text, "log")).c_str());
        QCOMPARE(report->badLineCount, std::uint64_t{4});
        std::vector<std::pair<int, std::string>> lines;
        for (const Error& bad : report->badLines)
            lines.emplace_back(bad.line, bad.what);
        QCOMPARE(lines, (std::vector<std::pair<int, std::string>>{{10, "the identifier is none"}, {14, "the time is none"},
                            {22, "there are fewer bytes than the length says"}, {35, "there are fewer bytes than the length says"}}));
        QVERIFY(report->warnings[0].what.find("4 lines are no frames") != std::string::npos);
    }

    void aKeptLayoutIsUsedByItself()
    {
        QTemporaryDir folder;
        KeptLayouts kept(folder.filePath("layouts").toStdString());
        QVERIFY(kept.all().empty());
        TextLayout layout;
        layout.separator = ',';
        layout.columns = {Meaning::time, Meaning::identifier, Meaning::nothing, Meaning::data};
        layout.timeForm = TimeForm::milliseconds;
        layout.identifierBase = Base::decimal;
        layout.bytes = Bytes::together;
        QVERIFY(!kept.keep(layout).has_value());
        layout.name = "Rink / hall 2";
        QVERIFY(kept.keep(layout).has_value());
        const KeptLayouts again(folder.filePath("layouts").toStdString());
        QCOMPARE(again.all().size(), std::size_t{1});
        QCOMPARE(again.all()[0], layout);
        std::string text;
        for (int i = 0; i < 20; ++i)
            text += print("%d,120,7,0A%02X\n", 100 * i, i);
        ByteSource source = sourceOf(text);
        trace::Trace trace;
        TraceSink sink(trace);
        ReadOptions options;
        options.kept = &again.all();
        QVERIFY(readLog(source, sink, options).has_value());
        QCOMPARE(trace.snapshot().frame(3).id.value, 120U);
        QCOMPARE(trace.snapshot().frame(3).time, Time(std::chrono::milliseconds(300)));
        QFile broken(folder.filePath("layouts/broken.json"));
        QVERIFY(broken.open(QIODevice::WriteOnly));
        broken.write("{\"wavetrope_layout\": 1, \"columns\": [\"mood\"]}");
        broken.close();
        QCOMPARE(KeptLayouts(folder.filePath("layouts").toStdString()).all().size(), std::size_t{1});
        QVERIFY(layoutFromJson("{\"wavetrope_layout\": 1, \"columns\": [\"mood\"]}", "x").error().what.find("mood") != std::string::npos);
    }

    void timesAndWordsAreReadExactly()
    {
        QCOMPARE(timeOf("12.5", TimeForm::seconds, false), std::optional(Time(12'500'000'000)));
        QCOMPARE(timeOf("12,5", TimeForm::milliseconds, true), std::optional(Time(12'500'000)));
        QCOMPARE(timeOf("12.5ms", TimeForm::seconds, false), std::optional(Time(12'500'000)));
        QCOMPARE(timeOf("00:01:02.000000003", TimeForm::clock, false), std::optional(Time(62'000'000'003)));
        QCOMPARE(timeOf("01:02:03:250", TimeForm::clock, false), std::optional(Time(3'723'250'000'000)));
        QCOMPARE(timeOf("1970-01-02T00:00:01Z", TimeForm::clock, false), std::optional(Time(86'401'000'000'000)));
        QVERIFY(!timeOf("99999999999", TimeForm::seconds, false));
        QVERIFY(!timeOf("1:2:99", TimeForm::clock, false));
        QVERIFY(!dayOf("2031-02-30") && !dayOf("2300-01-01") && !dayOf("1.2.31"));
        QCOMPARE(dayOf("1970/01/02"), dayOf("02.01.1970"));
        QCOMPARE(wholeNumber("1Fh", Base::decimal), std::optional<std::uint64_t>(0x1F));
        QVERIFY(!wholeNumber("-1", Base::decimal) && !wholeNumber("", Base::hexadecimal) && !wholeNumber("0x", Base::decimal));
        QVERIFY(kindOf("FD+BRS")->brs && kindOf("FD+BRS")->fd && kindOf("ext/rtr")->remote && !kindOf("mood"));
    }

    // Stamps that signed 64-bit nanoseconds hold, but not their differences or their sums with a date.
    void timesTooFarApartAreRefusedLineByLine()
    {
        QVERIFY(!isStamp(latestStamp + Time(1)) && !isStamp(earliestStamp - Time(1)));
        QCOMPARE((latestStamp - earliestStamp).count(), std::numeric_limits<std::int64_t>::max());
        std::uint8_t data[can::maxLength];
        can::FrameView frame;
        std::string_view channel;
        TextLayout layout;
        layout.columns = {Meaning::time, Meaning::identifier, Meaning::data};
        layout.separator = ' ';
        layout.bytes = Bytes::together;
        LineReader plain(layout);
        QVERIFY(plain.read("-9000000001 2A0 0102", frame, data, channel) != nullptr);
        QVERIFY(plain.read("9220000000 2A0 0102", frame, data, channel) != nullptr);
        QVERIFY(plain.read("-5 2A0 0102", frame, data, channel) == nullptr);
        QCOMPARE(frame.time.count(), -5'000'000'000);
        layout.columns.insert(layout.columns.begin(), Meaning::date);
        LineReader dated(layout);
        QVERIFY(dated.read("2031-01-02 9000000001 2A0 0102", frame, data, channel) != nullptr);
        QVERIFY(dated.read("1970-01-02 1.5 2A0 0102", frame, data, channel) == nullptr);
        QCOMPARE(frame.time.count(), 86'401'500'000'000);
        const auto found = recogniseLayout("1900000000.146912 2A0 2 01 02\n-9000000001.5 2A0 2 01 02\n1900000002 2A1 2 01 02\n", "far.txt");
        QVERIFY(found || !found.error().text().empty());
    }

    void textThatIsNoLogIsRefusedInWords()
    {
        for (const char* text : {"Dear colleague,\nthe ice is thin in hall 2.\nRegards\n", "1\n2\n3\n4\n", "x,y\n1.0,2.0\n1.1,2.1\n"}) {
            const auto found = recogniseLayout(text, "letter.txt");
            QVERIFY2(!found.has_value(), found ? columnsText(*found).c_str() : "");
            QVERIFY(!found.error().text().empty());
        }
    }

    // Bytes at random, and lines torn apart: always an answer, never more.
    void anyBytesGiveAnAnswer()
    {
        std::mt19937 random(4);
        for (int round = 0; round < 400; ++round) {
            const Style& style = styles()[random() % styles().size()];
            std::string text = textOf(style, someFrames(style.fd, style.remote, style.extended, 20));
            for (int hits = static_cast<int>(random() % 60); hits > 0; --hits)
                text[random() % text.size()] = "0123456789abcdefx.,;:|\t\n -\"=()"[random() % 31];
            ByteSource source = sourceOf(text);
            trace::Trace trace;
            TraceSink sink(trace);
            const auto report = readLog(source, sink);
            if (report) {
                QVERIFY(report->frames == trace.rows());
                QVERIFY(report->frames + report->badLineCount <= 60);
            }
        }
    }
};

QTEST_APPLESS_MAIN(TextLogTest)
#include "text_log_test.moc"
