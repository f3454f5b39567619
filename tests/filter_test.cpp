// SPDX-License-Identifier: GPL-3.0-or-later
// The filter language: what it means, what it says about mistakes, and that the scan agrees with the definition.
#include <QFile>
#include <QTest>

#include <functional>
#include <map>
#include <random>

#include "sanitized.h"
#include "vector_file.h"
#include "can/parameter_group.h"
#include "database/dbc_reader.h"
#include "filter/completion.h"
#include "filter/filter_scan.h"
#include "filter/filter_stream.h"
#include "filter/language.h"
#include "filter/match_times.h"
#include "filter/narrow.h"

using namespace wavetrope;
using namespace wavetrope::filter;

namespace {

std::shared_ptr<const database::Catalog> demoCatalog()
{
    static const auto catalog = [] {
        auto made = std::make_shared<database::Catalog>();
        for (const char* name : {"Chassis", "Implement", "Body", "Scanner"}) {
            const auto bus = made->addBus(name);
            const std::string path = std::string(WAVETROPE_DEMO "/") + QString::fromLatin1(name).toLower().toStdString() + ".dbc";
            made->attach(bus, std::make_shared<const database::Database>(database::readDbcFile(path)->database));
        }
        return std::shared_ptr<const database::Catalog>(made);
    }();
    return catalog;
}

can::Frame frameOf(std::uint8_t bus, std::uint32_t id, const char* hex = "0000000000000000", bool extended = false)
{
    can::Frame frame;
    frame.bus = bus;
    frame.id = {id, extended};
    frame.data = bytesOf(hex);
    frame.length = static_cast<std::uint8_t>(std::strlen(hex) / 2);
    frame.dlc = can::dlcOfLength(frame.length);
    frame.direction = can::Direction::received;
    return frame;
}

can::Frame withSignal(const char* message, const char* signal, double value)
{
    for (const auto& entry : demoCatalog()->messages())
        if (entry.message->name == message) {
            can::Frame frame = frameOf(entry.bus, entry.message->id.value, "0000000000000000", entry.message->id.extended);
            entry.plan.encode(frame.data, static_cast<std::uint32_t>(entry.message->find(signal) - entry.message->signals.data()), value);
            return frame;
        }
    return {};
}

bool passes(const char* text, const can::Frame& frame)
{
    const auto filter = Filter::compile(text, demoCatalog());
    if (!filter)
        qFatal("%s: %s", text, filter.error().text().c_str());
    return filter->matches(frame.view());
}

struct Sample {
    std::string text;
    std::function<bool(std::size_t)> passes;
};

// Frames at random, and what each construct means for them, written down plainly.
struct Reference {
    std::vector<can::Frame> frames;
    trace::Trace trace;
    trace::Trace filled;                // the same rows, in segments that were filled at one go
    std::vector<std::size_t> previous;  // frame of the same identifier before each, or none
    static constexpr std::size_t none = ~std::size_t{0};

    Reference(unsigned seed, std::size_t count)
    {
        std::mt19937 random(seed);
        std::map<std::uint64_t, std::size_t> last;
        Time time{1'000'000'000};
        for (std::size_t i = 0; i < count; ++i) {
            can::Frame frame;
            switch (random() % 8) {
            case 0:
            case 1: frame = withSignal("BladeState", "BladeDepth", static_cast<double>(random() % 11)); break;
            case 2: frame = withSignal("WaterState", "Valve", random() % 3); break;
            case 3: frame = frameOf(2, 0x18FF2103, "0102030405060708", true); break;
            case 4: frame = frameOf(2, 0x0CEF0021U | (random() % 4) << 8, "0102030405060708", true); break;
            default: frame = frameOf(static_cast<std::uint8_t>(random() % 4), 0x100 + random() % 40); break;
            }
            if (random() % 50 == 0)
                frame.length = static_cast<std::uint8_t>(random() % 9);
            frame.dlc = frame.length;
            if (random() % 3 != 0)
                frame.data[0] = static_cast<std::uint8_t>(frame.data[0] ^ random());
            frame.direction = static_cast<can::Direction>(random() % 3);
            if (random() % 40 == 0)
                frame.kind = random() % 2 == 0 ? can::FrameKind::remote : can::FrameKind::error;
            time += Time(random() % 200 == 0 ? -500'000 : static_cast<int>(random() % 2'000'000));
            frame.time = time;
            const auto [entry, isNew] = last.try_emplace(trace::TraceKey::of(frame).packed(), i);
            previous.push_back(isNew ? none : entry->second);
            entry->second = i;
            trace.append(frame.view());
            frames.push_back(frame);
        }
        std::vector<can::FrameView> views;
        for (const can::Frame& frame : frames)
            views.push_back(frame.view());
        std::span<const can::FrameView> left = views;
        for (; left.size() >= trace::segmentRows; left = left.subspan(trace::segmentRows)) {
            const std::array<std::span<const can::FrameView>, 2> stretches{left.first(1234), left.subspan(1234, trace::segmentRows - 1234)};
            filled.append(trace::fillSegment(stretches));
        }
        for (const can::FrameView& frame : left)
            filled.append(frame);
    }
    // The value of a signal in each frame, and in the newest earlier frame of the identifier that carries it.
    struct Course {
        std::vector<std::optional<double>> now, before;
    };
    [[nodiscard]] std::shared_ptr<const Course> course(const char* message, const char* signal) const
    {
        auto course = std::make_shared<Course>();
        for (std::size_t i = 0; i < frames.size(); ++i) {
            const auto* found = demoCatalog()->find(frames[i].view());
            database::Decoded decoded;
            std::optional<double> value;
            if (found != nullptr && found->message->name == message
                && found->plan.decodeOne(
                    frames[i].view(), static_cast<std::uint32_t>(found->message->find(signal) - found->message->signals.data()), decoded))
                value = decoded.value;
            course->now.push_back(value);
            const std::size_t p = previous[i];
            course->before.push_back(p == none ? std::nullopt : course->now[p] ? course->now[p] : course->before[p]);
        }
        return course;
    }
    std::vector<Sample> samples() const
    {
        const auto depth = [c = course("BladeState", "BladeDepth")](std::size_t i) { return c->now[i]; };
        const auto was = [c = course("BladeState", "BladeDepth")](std::size_t i) { return c->before[i]; };
        const auto valve = course("WaterState", "Valve");
        const auto since = [this](std::size_t i) {
            return previous[i] == none ? std::optional<Time>() : std::optional(frames[i].time - frames[previous[i]].time);
        };
        const auto parts = [this](std::size_t i) {
            return frames[i].id.extended && frames[i].kind != can::FrameKind::error ? std::optional(can::ParameterGroup::of(frames[i].id))
                                                                                    : std::nullopt;
        };
        // The newest match before each frame, noted once.
        const auto soon = [this](Time span, const std::function<bool(std::size_t)>& inner) {
            auto newest = std::make_shared<std::vector<std::size_t>>(frames.size(), none);
            for (std::size_t i = 1; i < frames.size(); ++i)
                (*newest)[i] = inner(i - 1) ? i - 1 : (*newest)[i - 1];
            return [this, span, newest](std::size_t i) {
                const std::size_t p = (*newest)[i];
                return p != none && frames[i].time >= frames[p].time && frames[i].time - frames[p].time <= span;
            };
        };
        return {
            {"id 0x100..0x110",
                [this](std::size_t i) {
                    return frames[i].kind != can::FrameKind::error && !frames[i].id.extended && frames[i].id.value >= 0x100
                           && frames[i].id.value <= 0x110;
                }},
            {"received", [this](std::size_t i) { return frames[i].direction == can::Direction::received; }},
            {"kind remote", [this](std::size_t i) { return frames[i].kind == can::FrameKind::remote; }},
            {"BladeDepth > 4", [=](std::size_t i) { return depth(i) && *depth(i) > 4; }},
            {"BladeDepth between 3 and 4 mm", [=](std::size_t i) { return depth(i) && *depth(i) >= 3 && *depth(i) <= 4; }},
            {"WaterState.Valve = \"open\"", [=](std::size_t i) { return valve->now[i] == 1.0; }},
            {"WaterState.Valve changes",
                [=](std::size_t i) { return valve->now[i] && valve->before[i] && *valve->now[i] != *valve->before[i]; }},
            {"BladeDepth changes by 2",
                [=](std::size_t i) { return depth(i) && was(i) && std::round(std::abs(*depth(i) - *was(i)) * 1e6) >= 2e6; }},
            {"BladeDepth rises above 5 mm", [=](std::size_t i) { return depth(i) && was(i) && *depth(i) > 5 && *was(i) <= 5; }},
            {"BladeDepth falls below 5 mm", [=](std::size_t i) { return depth(i) && was(i) && *depth(i) < 5 && *was(i) >= 5; }},
            {"byte 0 = 0x1F", [this](std::size_t i) { return frames[i].length > 0 && frames[i].data[0] == 0x1F; }},
            {"byte 2 > 3", [this](std::size_t i) { return frames[i].length > 2 && frames[i].data[2] > 3; }},
            {"byte 0 mask 0xF0", [this](std::size_t i) { return frames[i].length > 0 && (frames[i].data[0] & 0xF0) != 0; }},
            {"byte 0 mask 0xF0 = 0x30", [this](std::size_t i) { return frames[i].length > 0 && (frames[i].data[0] & 0xF0) == 0x30; }},
            {"length 8", [this](std::size_t i) { return frames[i].length == 8; }},
            {"length < 4", [this](std::size_t i) { return frames[i].length < 4; }},
            {"gap > 50 ms", [=](std::size_t i) { return since(i) && *since(i) > std::chrono::milliseconds(50); }},
            {"gap between 1ms and 5 ms",
                [=](std::size_t i) {
                    return since(i) && *since(i) >= std::chrono::milliseconds(1) && *since(i) <= std::chrono::milliseconds(5);
                }},
            {"group 0xEF00", [=](std::size_t i) { return parts(i) && parts(i)->group == 0xEF00; }},
            {"source 0x21", [=](std::size_t i) { return parts(i) && parts(i)->source == 0x21; }},
            {"destination 2", [=](std::size_t i) { return parts(i) && parts(i)->addressed && parts(i)->destination == 2; }},
            {"time 1 s .. 3.5 s",
                [this](std::size_t i) {
                    const auto t = frames[i].time - frames[0].time;
                    return t >= std::chrono::seconds(1) && t <= std::chrono::milliseconds(3500);
                }},
            {"within 20 ms after (BladeDepth rises above 5)",
                soon(std::chrono::milliseconds(20), [=](std::size_t p) { return depth(p) && was(p) && *depth(p) > 5 && *was(p) <= 5; })},
            {"within 3 ms after (id 0x110 and within 30 ms after (WaterState.Valve = \"open\"))",
                soon(std::chrono::milliseconds(3),
                    [this, opened = soon(std::chrono::milliseconds(30), [=](std::size_t q) { return valve->now[q] == 1.0; })](
                        std::size_t p) {
                        return frames[p].kind != can::FrameKind::error && !frames[p].id.extended && frames[p].id.value == 0x110
                               && opened(p);
                    })},
        };
    }
};

}  // namespace

class FilterTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void everyConditionMeansWhatItSays_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<bool>("bladeStateAt5mm");
        QTest::addColumn<bool>("heartbeat");
        QTest::addColumn<bool>("lamps");
        const auto row = [](const char* text, bool blade, bool heartbeat, bool lamps) {
            QTest::newRow(text) << QString::fromLatin1(text) << blade << heartbeat << lamps;
        };
        row("", true, true, true);
        row("id 0x181", true, false, false);
        row("id 181h", true, false, false);
        row("id 0x100..0x6FF", true, false, false);
        row("id 0x18FF2103", false, false, true);
        row("id 0x18FF0000..0x18FFFFFF", false, false, true);
        row("id 0x181 mask 0x7F0", true, false, false);
        row("id 0x18FF0003 mask 0x1FFF00FF", false, false, true);
        row("name Blade*", true, false, false);
        row("name blade?tate", true, false, false);
        row("name \"*Heartbeat\"", false, true, false);
        row("from WaterUnit", false, true, false);
        row("not from WaterUnit", true, false, true);
        row("bus Implement", true, true, false);
        row("kind data", true, true, true);
        row("kind fd", false, false, false);
        row("kind error or kind remote", false, false, false);
        row("sent", false, false, false);
        row("received", true, true, true);
        row("undecoded", false, false, false);
        row("BladeState.BladeDepth > 4 mm", true, false, false);
        row("BladeDepth > 4", true, false, false);
        row("BladeDepth > 4mm and bus Implement", true, false, false);
        row("BladeDepth <= 4 mm", false, false, false);
        row("not BladeDepth > 4 mm", false, true, true);
        row("BladeDepth = 5", true, false, false);
        row("BladeDepth != 5", false, false, false);
        row("BladeMode = \"up\"", true, false, false);
        row("BladeMode != \"up\"", false, false, false);
        row("from WaterUnit and not id 0x702", false, false, false);
        row("id 0x181 or id 0x702 and bus Body", true, false, false);
        row("(id 0x181 or id 0x702) and bus Body", false, false, false);
        row("not not id 0x181", true, false, false);
        row("not (id 0x181 or bus Body)", false, true, false);
    }
    void everyConditionMeansWhatItSays()
    {
        QFETCH(QString, text);
        QFETCH(bool, bladeStateAt5mm);
        QFETCH(bool, heartbeat);
        QFETCH(bool, lamps);
        const QByteArray utf8 = text.toUtf8();
        QCOMPARE(passes(utf8, withSignal("BladeState", "BladeDepth", 5)), bladeStateAt5mm);
        QCOMPARE(passes(utf8, withSignal("WaterHeartbeat", "NetworkState", 5)), heartbeat);
        QCOMPARE(passes(utf8, withSignal("CabLamps", "Beacon", 1)), lamps);
    }

    void textsOfASignalAreCompared()
    {
        QVERIFY(passes("WaterState.Valve = \"open\"", withSignal("WaterState", "Valve", 1)));
        QVERIFY(!passes("WaterState.Valve = \"open\"", withSignal("WaterState", "Valve", 0)));
        QVERIFY(passes("WaterState.Valve != \"open\"", withSignal("WaterState", "Valve", 0)));
    }

    void aMultiplexedSignalIsCarriedOnlyByItsOwnSelector()
    {
        QVERIFY(!passes("Height1_03 = 0", [] {
            can::Frame frame = frameOf(3, 0x310, "00");
            frame.kind = can::FrameKind::fd;
            frame.length = 64;
            return frame;
        }()));
        QVERIFY(passes("Height0_03 = 0", [] {
            can::Frame frame = frameOf(3, 0x310, "00");
            frame.kind = can::FrameKind::fd;
            frame.length = 64;
            return frame;
        }()));
    }

    void mistakesAreNamedWithTheirColumn_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<int>("column");
        QTest::addColumn<QString>("words");
        const auto row = [](const char* text, int column, const char* words) {
            QTest::newRow(text) << QString::fromUtf8(text) << column << QString::fromUtf8(words);
        };
        row("id", 3, "an identifier such as");
        row("id 0x800", 4, "expected an identifier");
        row("id 0x200..0x18FF2103", 11, "begins with 11 bits and ends with 29");
        row("id 0x300..0x200", 11, "ends before it begins");
        row("id 0x100 mask 0xFFFF", 15, "mask of 11 bits");
        row("from Nobody", 6, "no database has a node");
        row("bus Attic", 5, "there is no bus");
        row("kind strange", 6, "data, fd, remote or error");
        row("BladeDepth > 4 bar", 16, "unit of BladeDepth is mm");
        row("BladeDepth > deep", 14, "a number");
        row("BladeDepth 4", 12, "a comparison");
        row("WaterState.Valve = \"ajar\"", 20, "has no text");
        row("Counter > 3", 1, "several messages");
        row("Depth > 3", 1, "neither a condition nor a signal");
        row("(id 0x100", 10, "')'");
        row("id 0x100 id 0x200", 10, "'and', 'or' or the end");
        row("and", 1, "a condition");
        row("id 0x100 or", 12, "a condition");
        row("name \"Blade", 6, "closing quote");
        row("length 268435457", 8, "from 0 to 268435456");
        row("byte 268435456 = 1", 6, "from 0 to 268435455");
        row("byte 3 = 256", 10, "from 0 to 255");
        row("byte 3", 7, "a comparison");
        row("gap > soon", 7, "a time such as 50 ms");
        row("gap", 4, "a comparison");
        row("group 0x40000", 7, "parameter group");
        row("time 3 s", 6, "a stretch of time");
        row("time 9 s .. 3 s", 6, "ends before it begins");
        row("within 20 ms id 0x1", 14, "'after'");
        row("within 20 ms after id 0x1", 20, "'('");
        row("BladeDepth between 3 or 4", 22, "'and' and the upper end");
        row("BladeDepth between 4 and 3", 26, "below the lower");
        row("BladeDepth changes by 0", 23, "above 0");
        row("BladeDepth rises over 3", 18, "'above'");
        row("id 0x1 every", 13, "a number such as 10");
        row("id 0x1 every 0", 14, "from 1");
        row("id 0x1 every 10 per bus", 21, "'id'");
        row("id 0x1 first and id 0x2", 14, "the end of the filter");
        row("@shaving", 1, "there is no filter 'shaving'");
    }
    void mistakesAreNamedWithTheirColumn()
    {
        QFETCH(QString, text);
        QFETCH(int, column);
        QFETCH(QString, words);
        const auto filter = Filter::compile(text.toStdString(), demoCatalog());
        QVERIFY(!filter);
        QCOMPARE(filter.error().column, column);
        QVERIFY2(QString::fromStdString(filter.error().text()).contains(words), filter.error().text().c_str());
    }

    void depthAndLengthAreLimited()
    {
        QVERIFY(!Filter::compile(std::string(5000, '('), demoCatalog()));
        QVERIFY(!Filter::compile(std::string(70000, ' ') + "id 0x1", demoCatalog()));
        std::string many = "id 0x1";
        for (int i = 0; i < 2000; ++i)
            many += " or id 0x1";
        QVERIFY(!Filter::compile(many, demoCatalog()));
    }

    void theVerdictForAnIdentifierNeverContradictsAFrame()
    {
        std::mt19937 random(21);
        const char* const texts[] = {"BladeDepth > 4 or from WaterUnit", "not (kind fd or id 0x100..0x200)", "undecoded and not sent",
            "(bus Body or kind error) and received", "not Flow < 6 and not name Blade*"};
        for (const char* text : texts) {
            const auto filter = Filter::compile(text, demoCatalog());
            QVERIFY(filter.has_value());
            for (int i = 0; i < 3000; ++i) {
                can::Frame frame = frameOf(static_cast<std::uint8_t>(random() % 4), random() % 0x800);
                for (auto& byte : frame.data)
                    byte = static_cast<std::uint8_t>(random());
                frame.kind = static_cast<can::FrameKind>(random() % 4);
                frame.direction = static_cast<can::Direction>(random() % 3);
                const Verdict verdict = filter->verdict(trace::TraceKey::of(frame));
                if (verdict != Verdict::depends)
                    QCOMPARE(filter->matches(frame.view()), verdict == Verdict::always);
            }
        }
    }

    void theScanFindsWhatEachFrameByItselfWould()
    {
        std::mt19937 random(22);
        trace::Trace trace;
        const auto filter = Filter::compile("BladeDepth > 4 or id 0x300..0x3FF", demoCatalog());
        FilterScan scan(*filter);
        std::vector<trace::Row> wanted;
        for (int round = 0; round < 5; ++round) {
            for (int i = 0; i < 30000; ++i) {
                can::Frame frame = random() % 3 == 0 ? withSignal("BladeState", "BladeDepth", random() % 10) : frameOf(1, random() % 0x800);
                frame.time = Time(i);
                if (filter->matches(frame.view()))
                    wanted.push_back(trace.rows());
                trace.append(frame.view());
            }
            while (!scan.advance(trace.snapshot(), {7001})) {}
        }
        QCOMPARE(scan.rows().size(), wanted.size());
        for (std::size_t i = 0; i < wanted.size(); ++i)
            QCOMPARE(scan.rows()[i], wanted[i]);
    }

    void everyConstructAgreesWithASlowReference()
    {
        Reference reference(23, test::some(140'000, 35'000));
        std::mt19937 random(24);
        // Each construct by itself, then joined at random.
        std::vector<Sample> samples = reference.samples();
        const std::size_t single = samples.size();
        for (int i = test::some(20, 8); i > 0; --i) {
            const Sample a = samples[random() % single];
            const Sample b = samples[random() % single];
            switch (random() % 3) {
            case 0:
                samples.push_back({"(" + a.text + ") and (" + b.text + ")", [=](std::size_t f) { return a.passes(f) && b.passes(f); }});
                break;
            case 1:
                samples.push_back({"(" + a.text + ") or (" + b.text + ")", [=](std::size_t f) { return a.passes(f) || b.passes(f); }});
                break;
            default: samples.push_back({"not (" + a.text + ")", [=](std::size_t f) { return !a.passes(f); }}); break;
            }
        }
        for (const Sample& sample : samples) {
            const auto filter = Filter::compile(sample.text, demoCatalog());
            QVERIFY2(filter.has_value(), filter ? "" : (sample.text + ": " + filter.error().text()).c_str());
            FilterScan scan(*filter);
            FilterScan growing(*filter);
            FilterScan filled(*filter);
            QVERIFY(filled.advance(reference.filled.snapshot(), {~std::uint64_t{0}, 2}));
            QVERIFY(scan.advance(reference.trace.snapshot(), {~std::uint64_t{0}, 2}));
            for (std::uint64_t rows = 20'000; rows < reference.frames.size(); rows += 1 + random() % 60'000)
                growing.advance({reference.trace, rows});
            QVERIFY(growing.advance(reference.trace.snapshot(), {~std::uint64_t{0}, 2}));
            FilterStream stream(*filter, reference.frames.front().time);
            std::uint64_t found = 0;
            for (std::size_t i = 0; i < reference.frames.size(); ++i) {
                const bool wanted = sample.passes(i);
                if (stream.passes(reference.frames[i].view()) != wanted)
                    QFAIL((sample.text + " one after the other, row " + std::to_string(i)).c_str());
                if (!wanted)
                    continue;
                if (scan.rows()[found] != i || growing.rows()[found] != i || filled.rows()[found] != i)
                    QFAIL((sample.text + " in parallel, while growing or in whole segments, row " + std::to_string(i)).c_str());
                ++found;
            }
            QVERIFY2(scan.rows().size() == found && growing.rows().size() == found && filled.rows().size() == found, sample.text.c_str());
        }
    }

    void bytesCompareInEveryWay()
    {
        Reference reference(27, 70'000);
        std::mt19937 random(28);
        const std::pair<const char*, std::function<bool(unsigned, unsigned)>> ways[] = {
            {"<", std::less<>()},
            {"<=", std::less_equal<>()},
            {"=", std::equal_to<>()},
            {"!=", std::not_equal_to<>()},
            {">=", std::greater_equal<>()},
            {">", std::greater<>()},
        };
        const auto agrees = [&](const std::string& text, const std::function<bool(unsigned)>& passes, unsigned index) {
            const auto filter = Filter::compile(text, demoCatalog());
            QVERIFY2(filter.has_value(), text.c_str());
            FilterScan scan(*filter);
            scan.advance(reference.filled.snapshot());
            std::uint64_t found = 0;
            for (std::size_t i = 0; i < reference.frames.size(); ++i) {
                const can::Frame& frame = reference.frames[i];
                if (frame.length > index && passes(frame.data[index]) && scan.rows()[found++] != i)
                    QFAIL((text + ", row " + std::to_string(i)).c_str());
            }
            QVERIFY2(scan.rows().size() == found, text.c_str());
        };
        for (const auto& [sign, holds] : ways)
            for (const unsigned value : {0U, 1U, 0x7FU, 0xFEU, 0xFFU})
                for (const unsigned mask : {0xFFU, 0xF0U, 1U}) {
                    const unsigned index = random() % 3;
                    const std::string text = "byte " + std::to_string(index) + (mask == 0xFF ? "" : " mask " + std::to_string(mask)) + " "
                                             + sign + " " + std::to_string(value);
                    agrees(text, [&, value = value, mask = mask](unsigned byte) { return holds(byte & mask, value); }, index);
                }
        agrees("byte 0 between 16 and 31", [](unsigned byte) { return byte >= 16 && byte <= 31; }, 0);
        agrees("byte 0 between 31 and 16", [](unsigned) { return false; }, 0);
        agrees("byte 1 between 0 and 255", [](unsigned) { return true; }, 1);
    }

    void thinningCountsWhatTheRestPasses()
    {
        Reference reference(25, test::some(140'000, 35'000));
        const std::pair<const char*, Thinning> thinnings[] = {{"every 10", {Thinning::Kind::every, 10, false}},
            {"first", {Thinning::Kind::first, 1, false}}, {"every 7 per id", {Thinning::Kind::every, 7, true}},
            {"first per id", {Thinning::Kind::first, 1, true}}};
        const auto samples = reference.samples();
        for (const Sample& sample : {samples[1], samples[3], samples[6], samples[13], samples[22]})
            for (const auto& [words, thinning] : thinnings) {
                const auto filter = Filter::compile(sample.text + " " + words, demoCatalog());
                QVERIFY2(filter.has_value(), filter ? "" : filter.error().text().c_str());
                FilterScan scan(*filter);
                for (std::uint64_t rows = 30'000; rows < reference.frames.size(); rows += 30'000)
                    scan.advance({reference.trace, rows}, {~std::uint64_t{0}, 2});
                QVERIFY(scan.advance(reference.trace.snapshot()));
                FilterStream stream(*filter, reference.frames.front().time);
                std::map<std::uint64_t, std::uint64_t> counts;
                std::uint64_t found = 0;
                for (std::size_t i = 0; i < reference.frames.size(); ++i) {
                    const can::FrameView frame = reference.frames[i].view();
                    const bool matched = sample.passes(i);
                    std::uint64_t& count = counts[thinning.perIdentifier ? trace::TraceKey::of(frame).packed() : 0];
                    const bool wanted = matched && (thinning.kind == Thinning::Kind::first ? count == 0 : count % thinning.every == 0);
                    count += matched ? 1 : 0;
                    if (stream.passes(frame) != wanted)
                        QFAIL((sample.text + words).c_str());
                    if (wanted && scan.rows()[found++] != i)
                        QFAIL((sample.text + " " + words + ", row " + std::to_string(i)).c_str());
                }
                QCOMPARE(scan.rows().size(), found);
            }
    }

    void rowsAreFoundByPlaceAndPlacesByRow()
    {
        Reference reference(26, 200'000);
        for (const char* text : {"", "id 0x181", "received", "BladeDepth > 4", "byte 0 mask 1", "received every 9"}) {
            FilterScan scan(*Filter::compile(text, demoCatalog()));
            scan.advance(reference.trace.snapshot());
            const RowSet& rows = scan.rows();
            std::uint64_t rank = 0;
            for (trace::Row row = 0; row < reference.frames.size(); row += 1 + row % 97) {
                while (rank < rows.size() && rows[rank] < row)
                    ++rank;
                if (rows.rank(row) != rank || rows.next(row) != (rank < rows.size() ? rows[rank] : trace::noRow)
                    || rows.previous(row) != (rank > 0 ? rows[rank - 1] : trace::noRow))
                    QFAIL((std::string(text) + ", row " + std::to_string(row)).c_str());
            }
            QCOMPARE(rows.at(rows.size()), trace::noRow);
            QCOMPARE(rows.rank(reference.frames.size() + 1), rows.size());
        }
    }

    void bitsAreCountedAndFoundByTheirNumber()
    {
        std::mt19937 random(28);
        for (const unsigned oneIn : {1U, 2U, 7U, 500U, 20'000U}) {
            auto bits = std::make_unique<RowBits>();
            std::vector<std::uint32_t> rows;
            for (std::uint32_t row = 0; row < trace::segmentRows; ++row)
                if (random() % oneIn == 0) {
                    bits->set(row);
                    rows.push_back(row);
                }
            QCOMPARE(bits->index(), static_cast<std::uint32_t>(rows.size()));
            for (std::size_t n = 0; n < rows.size(); n += 1 + random() % 50) {
                QCOMPARE(bits->select(static_cast<std::uint32_t>(n)), rows[n]);
                QCOMPARE(bits->rank(rows[n]), static_cast<std::uint32_t>(n));
            }
            const RowPart part = RowPart::ofBits(*bits);
            QCOMPARE(part.count(), static_cast<std::uint32_t>(rows.size()));
            QCOMPARE(part.kind(), rows.empty()                            ? RowPart::Kind::none
                                  : rows.size() > trace::segmentRows / 16 ? RowPart::Kind::dense
                                                                          : RowPart::Kind::sparse);
            const trace::Segment segment(0);
            auto again = std::make_unique<RowBits>();
            part.fill(*again, segment);
            QVERIFY(again->words == bits->words);
            QVERIFY(part.memory() <= sizeof(RowPart) + std::max<std::size_t>(sizeof(RowBits), rows.size() * 2) + 64);
        }
        const RowPart all = RowPart::ofAll(100);
        auto bits = std::make_unique<RowBits>();
        all.fill(*bits, trace::Segment(0));
        QCOMPARE(bits->index(), 100U);
        QCOMPARE(RowPart::ofAll(0).kind(), RowPart::Kind::none);
    }

    void aScanThatIsCancelledGoesOnWhereItWas()
    {
        Reference reference(27, 140'000);
        FilterScan scan(*Filter::compile("byte 0 mask 1", demoCatalog()));
        std::atomic<bool> cancel{true};
        QVERIFY(!scan.advance(reference.trace.snapshot(), {~std::uint64_t{0}, 2, &cancel}));
        QCOMPARE(scan.seen(), 0U);
        cancel = false;
        QVERIFY(scan.advance(reference.trace.snapshot(), {~std::uint64_t{0}, 2, &cancel}));
        QCOMPARE(scan.seen(), 140'000U);
        QVERIFY(scan.rows().size() > 0);
    }

    void filtersUseEachOtherByName()
    {
        const NamedFilters::Map named = {{"blade", "id 0x181"}, {"deep cut", "@blade and BladeDepth > 4"}, {"ring", "@round or id 0x1"},
            {"round", "@ring"}, {"thin", "id 0x1 every 2"}, {"wrong", "id"}};
        const auto compile = [&](const char* text) { return Filter::compile(text, demoCatalog(), {&named}); };
        const auto deep = compile("@\"deep cut\" and received");
        QVERIFY2(deep.has_value(), deep ? "" : deep.error().text().c_str());
        QVERIFY(deep->matches(withSignal("BladeState", "BladeDepth", 5).view()));
        QVERIFY(!deep->matches(withSignal("BladeState", "BladeDepth", 3).view()));
        const auto round = compile("@ring");
        QVERIFY(!round && round.error().text().find("uses itself") != std::string::npos);
        const auto wrong = compile("@wrong");
        QVERIFY(!wrong && wrong.error().text().find("in the filter 'wrong'") != std::string::npos);
        QVERIFY(!compile("@thin and received"));
        const auto unknown = compile("@nothing");
        QVERIFY(!unknown && unknown.error().text().find("Its filters are blade, deep cut") != std::string::npos);
    }

    void completionKnowsWhatFits_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("first");
        QTest::addColumn<int>("from");
        const auto row = [](const char* text, const char* first, int from) {
            QTest::newRow(text) << QString::fromUtf8(text) << QString::fromUtf8(first) << from;
        };
        row("", "id", 0);
        row("re", "received", 0);
        row("bus ", "Chassis", 4);
        row("bus im", "Implement", 4);
        row("id 0x1 ", "and", 7);
        row("id 0x1 and not fr", "from", 15);
        row("from Wat", "WaterUnit", 5);
        row("name bladeS", "BladeState", 5);
        row("kind ", "data", 5);
        row("BladeDe", "BladeDepth", 0);
        row("BladeState.S", "BladeState.SideTilt", 0);
        row("BladeDepth ", ">", 11);
        row("BladeDepth ch", "changes", 11);
        row("BladeDepth > 4 ", "mm", 15);
        row("BladeDepth rises ", "above", 17);
        row("Valve = ", "\"closed\"", 8);
        row("Valve = \"op", "\"open\"", 8);
        row("@sh", "@shaving", 0);
        row("sent every 3 per ", "id", 17);
    }
    void completionKnowsWhatFits()
    {
        QFETCH(QString, text);
        QFETCH(QString, first);
        QFETCH(int, from);
        const NamedFilters::Map named = {{"shaving", "BladeMode = \"shaving\""}};
        const Completions found = complete(text.toStdString(), text.toUtf8().size(), *demoCatalog(), named);
        QVERIFY(!found.choices.empty());
        QCOMPARE(QString::fromStdString(found.choices.front().text), first);
        QCOMPARE(static_cast<int>(found.from), from);
        QVERIFY(found.choices.size() <= 50);
    }

    void whatIsChosenMakesSenseToTheParser()
    {
        // From any beginning, the first choice taken again and again never makes an error where there was none before it.
        for (std::string text : {"bus im", "from Wat", "name bladeS", "BladeDepth > 4 ", "@sh", "Valve = \"op"}) {
            const NamedFilters::Map named = {{"shaving", "BladeMode = \"shaving\""}};
            const Completions found = complete(text, text.size(), *demoCatalog(), named);
            text.replace(found.from, found.length, found.choices.front().text);
            const auto filter = Filter::compile(text, demoCatalog(), {&named});
            QVERIFY2(filter.has_value(), filter ? "" : (text + ": " + filter.error().text()).c_str());
        }
    }

    void conditionsAreTakenIntoAFilter()
    {
        QCOMPARE(narrowed("", "id 0x1", Narrow::onlyThis), std::string("id 0x1"));
        QCOMPARE(narrowed("", "id 0x1", Narrow::notThis), std::string("not id 0x1"));
        QCOMPARE(narrowed("bus A or bus B", "id 0x1", Narrow::onlyThis), std::string("(bus A or bus B) and id 0x1"));
        QCOMPARE(narrowed("bus A", "id 0x1", Narrow::alsoThis), std::string("bus A or id 0x1"));
        QCOMPARE(narrowed("(bus A or bus B)", "sent", Narrow::notThis), std::string("(bus A or bus B) and not sent"));
        QCOMPARE(narrowed("bus A every 10", "sent", Narrow::onlyThis), std::string("bus A and sent every 10"));
        QCOMPARE(narrowed("first", "sent", Narrow::onlyThis), std::string("sent first"));
        QCOMPARE(narrowed("sent", "sent", Narrow::onlyThis), std::string("sent"));
        QCOMPARE(narrowed("bus A", "id 0x1 or id 0x2", Narrow::onlyThis), std::string("bus A and (id 0x1 or id 0x2)"));
        QCOMPARE(narrowed("bus A", "id 0x1 and sent", Narrow::notThis), std::string("bus A and not (id 0x1 and sent)"));
    }

    void theDocumentsSayWhatTheTableSays()
    {
        QFile file(QStringLiteral(WAVETROPE_DOCS "/filter-language.md"));
        QVERIFY(file.open(QIODevice::ReadOnly));
        const std::string text = file.readAll().toStdString();
        for (const auto kind : {Construct::Kind::condition, Construct::Kind::ofSignal, Construct::Kind::joining, Construct::Kind::thinning})
            QVERIFY2(text.find(languageTable(kind)) != std::string::npos, languageTable(kind).c_str());
        // And every example of the table is understood.
        const NamedFilters::Map named = {{"shaving", "BladeMode = \"shaving\""}};
        for (const Construct& construct : constructs()) {
            const auto filter = Filter::compile(construct.write, demoCatalog(), {&named});
            QVERIFY2(filter.has_value(), filter ? "" : (std::string(construct.write) + ": " + filter.error().text()).c_str());
        }
    }

    // A strip that shows where matches lie: each is marked beside its place at most by one part of its segment's time, and
    // nothing is marked without one.
    void whereMatchesLieInTime_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<bool>("disorder");
        for (const bool disorder : {false, true})
            for (const char* text :
                {"id 0x123", "id 0x100..0x1FF", "byte 3 = 0x00", "id 0x100..0x1FF every 50", "id 0x100..0x1FF every 3 per id", "id 0x7FF"})
                QTest::addRow("%s%s", text, disorder ? ", out of order" : "") << QString::fromLatin1(text) << disorder;
    }
    void whereMatchesLieInTime()
    {
        QFETCH(QString, text);
        QFETCH(bool, disorder);
        std::mt19937 random(31);
        trace::Trace trace;
        const auto filter = Filter::compile(text.toStdString(), demoCatalog());
        QVERIFY(filter.has_value());
        FilterScan scan(*filter);
        MatchTimes times;
        std::int64_t now = 0;
        for (int round = 0; round < 6; ++round) {
            for (unsigned n = 20'000 + random() % 30'000; n > 0; --n) {
                now += static_cast<std::int64_t>(random() % (random() % 5000 == 0 ? 3'000'000'000 : 20'000));
                can::Frame frame = frameOf(0, random() % 0x700);
                frame.time = Time(disorder && random() % 500 == 0 ? now - static_cast<std::int64_t>(random() % 1'000'000'000) : now);
                trace.append(frame.view());
            }
            const auto snapshot = trace.snapshot();
            while (!scan.advance(snapshot, {trace::segmentRows})) {
                while (!times.advance(snapshot, scan.rows(), scan.seen(), 1)) {}
            }
            QVERIFY(times.advance(snapshot, scan.rows(), scan.seen()));
            QCOMPARE(times.seen(), snapshot.rows());
            for (const std::size_t places : {7UL, 700UL, 1900UL}) {
                const Time from = snapshot.earliest();
                const Time to = snapshot.latest() + Time(1);
                const auto marks = times.marks(from, to, places);
                QCOMPARE(marks.size(), places);
                const double perPlace = static_cast<double>((to - from).count()) / static_cast<double>(places);
                std::vector<bool> near(places, false);      // places that a match allows
                for (std::uint64_t i = 0; i < scan.rows().size(); ++i) {
                    const trace::Row row = scan.rows()[i];
                    const auto segment = snapshot.segment(static_cast<std::size_t>(row / trace::segmentRows));
                    const double part = static_cast<double>((segment->latest() - segment->earliest()).count()) / 2048 + 1;
                    const double at = static_cast<double>((snapshot.time(row) - from).count());
                    const auto first = static_cast<std::size_t>(std::max(0.0, (at - part) / perPlace));
                    const auto last = std::min(places - 1, static_cast<std::size_t>((at + part) / perPlace));
                    bool marked = false;
                    for (std::size_t place = first; place <= last; ++place) {
                        near[place] = true;
                        marked = marked || marks[place];
                    }
                    QVERIFY2(marked, std::to_string(row).c_str());
                }
                for (std::size_t place = 0; place < places; ++place)
                    QVERIFY2(!marks[place] || near[place], std::to_string(place).c_str());
            }
        }
        QVERIFY(times.marks({}, {}, 10) == std::vector<bool>(10, false));
    }

    void patternsFit()
    {
        QVERIFY(fitsPattern("BladeState", "*state"));
        QVERIFY(fitsPattern("abcabc", "a*c*c"));
        QVERIFY(!fitsPattern("abc", "a?"));
        QVERIFY(fitsPattern("", "*"));
        QVERIFY(!fitsPattern("", "?"));
    }
};

QTEST_APPLESS_MAIN(FilterTest)
#include "filter_test.moc"
