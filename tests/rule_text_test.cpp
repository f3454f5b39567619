// SPDX-License-Identifier: GPL-3.0-or-later
// Conditions and recordings as lines that people type, and as they stand in a rig's document.
#include <QTest>

#include <random>

#include "base/time_text.h"
#include "rig/rule_text.h"
#include "rules/terms.h"

using namespace wavetrope;
using namespace wavetrope::rig;
using rules::ConditionKind;

namespace {

Rig rigWith(const std::string& more = {})
{
    auto rig = rigFromText(
        R"({"wavetrope": 1, "name": "r", "buses": [{"name": "Main", "rate": "500k"}, {"name": "Far hall", "rate": "500k"}])" + more + "}",
        "r.json");
    if (!rig)
        qFatal("%s", rig.error().text().c_str());
    return std::move(*rig);
}

template <class Item>
const Item& oneOf(const std::vector<Item>& from, std::mt19937& random)
{
    return from[random() % from.size()];
}

Time drawnSpan(std::mt19937& random)
{
    constexpr std::int64_t units[] = {1, 1000, 1'000'000, 1'000'000'000};
    return Time((1 + random() % 5000) * units[random() % 4]);
}

EventSpec drawnCondition(std::mt19937& random, int number)
{
    EventSpec out;
    out.name = "c" + std::to_string(number);
    out.kind = static_cast<ConditionKind>(random() % 11);
    const std::vector<std::string> filters{
        "Chatter > 6 mm/s", "id 0x120", "every 10", "Valve = \"open for 5 s\"", "within 20 ms after (id 0x120)", "key 5"};
    switch (out.kind) {
    case ConditionKind::frames:
        out.when = filters[random() % 5];
        out.hold = random() % 2 == 0 ? drawnSpan(random) : Time{0};
        break;
    case ConditionKind::silent:
        out.when = random() % 4 == 0 ? std::string() : filters[random() % 5];
        out.hold = drawnSpan(random);
        break;
    case ConditionKind::load:
        out.bus = random() % 2 == 0 ? "Main" : "Far hall";
        out.above = static_cast<double>(random() % 1001) / 10;
        out.hold = std::min(drawnSpan(random), Time(rules::longestLoadSpan));
        break;
    case ConditionKind::state:
        out.bus = random() % 2 == 0 ? "Main" : "Far hall";
        out.state = static_cast<rules::BusState>(random() % 3);
        break;
    case ConditionKind::after: out.hold = random() % 4 == 0 ? Time{0} : drawnSpan(random); break;
    case ConditionKind::every: out.hold = std::max(drawnSpan(random), Time(1000)); break;
    case ConditionKind::lost: out.bus = random() % 2 == 0 ? std::string() : "Far hall"; break;
    case ConditionKind::key: out.word = "F9"; break;
    case ConditionKind::word: out.word = "keep this"; break;
    default: break;
    }
    out.stays = random() % 3 == 0 ? drawnSpan(random) : Time{0};
    return out;
}

bool same(const EventSpec& a, const EventSpec& b)
{
    return a.name == b.name && a.kind == b.kind && a.when == b.when && a.hold == b.hold && a.stays == b.stays && a.bus == b.bus
           && a.above == b.above && a.state == b.state && a.word == b.word;
}

RecordingSpec drawnRecording(std::mt19937& random, int number)
{
    RecordingSpec out;
    out.name = "take " + std::to_string(number);
    const std::vector<std::string> keeps{"", "bus Main", "not id 0x120"}, terms{"", "c0", "c0 and not c1", "(c1 or c0) and not c0"};
    out.keep = oneOf(keeps, random);
    out.start = oneOf(terms, random);
    out.stop = oneOf(terms, random);
    const auto margin = [&] {
        return random() % 3 == 0   ? rules::Margin{}
               : random() % 2 == 0 ? rules::Margin{drawnSpan(random), 0, false}
                                   : rules::Margin{Time{0}, 1 + random() % 1000, true};
    };
    out.before = margin();
    out.after = margin();
    out.again = random() % 2 == 0;
    out.files.pattern = random() % 2 == 0 ? record::FileRules{}.pattern : "a-{number}.pcapng.zst";
    out.files.size = random() % 2 == 0 ? 0 : (1 + random() % 5000) * (random() % 2 == 0 ? 1'000'000ULL : 1ULL);
    out.files.frames = random() % 2 == 0 ? 0 : 1 + random() % 100'000;
    out.files.every = random() % 2 == 0 ? Time{0} : drawnSpan(random);
    out.files.midnight = random() % 2 == 0;
    out.files.forGood = random() % 4 == 0;
    if (!out.files.forGood) {
        out.files.keep = random() % 2 == 0 ? 0 : 1 + random() % 100;
        out.files.total = random() % 2 == 0 ? 0 : (1 + random() % 100) * 1'000'000'000ULL;
    }
    return out;
}

bool same(const RecordingSpec& a, const RecordingSpec& b)
{
    const auto margins = [](const rules::Margin& x, const rules::Margin& y) {
        return x.byFrames == y.byFrames && x.frames == y.frames && x.span == y.span;
    };
    return a.name == b.name && a.keep == b.keep && a.start == b.start && a.stop == b.stop && margins(a.before, b.before)
           && margins(a.after, b.after) && a.again == b.again && a.files.pattern == b.files.pattern && a.files.size == b.files.size
           && a.files.frames == b.files.frames && a.files.every == b.files.every && a.files.midnight == b.files.midnight
           && a.files.keep == b.files.keep && a.files.total == b.files.total && a.files.forGood == b.files.forGood;
}

constexpr RecordingField allFields[] = {RecordingField::name, RecordingField::keep, RecordingField::start, RecordingField::stop,
    RecordingField::before, RecordingField::after, RecordingField::again, RecordingField::pattern, RecordingField::anew,
    RecordingField::stay};

}  // namespace

class RuleTextTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void aSpanIsWrittenExactly()
    {
        std::mt19937_64 random(1);
        for (int i = 0; i < 20'000; ++i) {
            const Time span(static_cast<std::int64_t>(random() >> (1 + random() % 62)));
            const auto read = spanFromText(exactSpanText(span));
            QVERIFY2(read && *read == span, exactSpanText(span).c_str());
        }
        QCOMPARE(exactSpanText(std::chrono::hours(24)), std::string("86400 s"));
        QCOMPARE(exactSpanText(std::chrono::milliseconds(1500)), std::string("1.5 s"));
        QCOMPARE(exactSpanText(Time(1'234'567)), std::string("1234.567 us"));
        QCOMPARE(exactSpanText(Time(7)), std::string("7 ns"));
    }

    void whatAConditionSaysIsReadAsTheSame()
    {
        const Rig rig = rigWith();
        std::mt19937 random(2);
        for (int i = 0; i < 5'000; ++i) {
            const EventSpec is = drawnCondition(random, i);
            const std::string line = conditionText(is);
            const auto read = conditionFromText(is.name, line, rig);
            QVERIFY2(read && same(*read, is), (line + (read ? "  read as  " + conditionText(*read) : "  " + read.error().text())).c_str());
        }
    }

    void shorterFormsAndMistakes()
    {
        const Rig rig = rigWith();
        const auto kind = [&](const char* line) { return conditionFromText("a", line, rig).value_or(EventSpec{}).kind; };
        QCOMPARE(kind("after 10 s"), ConditionKind::after);
        QCOMPARE(kind("run begins"), ConditionKind::begins);
        QCOMPARE(kind("frames lost on Main"), ConditionKind::lost);
        QCOMPARE(kind("disk nearly full"), ConditionKind::disk);
        QCOMPARE(kind("word keep"), ConditionKind::word);
        QCOMPARE(kind("every 10 s"), ConditionKind::every);
        QCOMPARE(kind("every 10"), ConditionKind::frames);      // one frame in ten
        QCOMPARE(conditionFromText("a", "id 0x120 stays 2 s", rig)->stays, Time(std::chrono::seconds(2)));
        QCOMPARE(conditionFromText("a", "no frame of any frame for 2 s", rig)->when, std::string());
        for (const char* bad : {"", "  ", "no frame of id 0x120", "load of Main above 80 %", "load of Main above 180 % over 1 s",
                 "load of Main above 80 % over 61 s", "load of Nowhere above 80 % over 1 s", "Nowhere is bus off", "every 10 ns",
                 "any frame", "frames lost on Nowhere"})
            QVERIFY2(!conditionFromText("a", bad, rig), bad);
        QVERIFY(conditionFromText("a", "Nowhere is gone", rig).error().remedy.find("Far hall") != std::string::npos);
    }

    void theFieldsOfARecordingAreReadAsTheyAreWritten()
    {
        std::mt19937 random(3);
        for (int i = 0; i < 3'000; ++i) {
            const RecordingSpec is = drawnRecording(random, i);
            RecordingSpec typed;
            for (const RecordingField field : allFields) {
                auto next = withField(typed, field, fieldText(is, field));
                QVERIFY2(next, fieldText(is, field).c_str());
                typed = std::move(*next);
            }
            QVERIFY(same(typed, is));
        }
        for (const auto& [field, bad] :
            {std::pair{RecordingField::name, " "}, {RecordingField::before, "2"}, {RecordingField::before, "soon"},
                {RecordingField::after, "-1 s"}, {RecordingField::again, "twice"}, {RecordingField::anew, "20"},
                {RecordingField::anew, "0 MB"}, {RecordingField::stay, "0 files"}, {RecordingField::stay, "some"}})
            QVERIFY2(!withField({}, field, bad), bad);
    }

    void theDocumentSaysTheSameAndKeepsWhatItDoesNotKnow()
    {
        std::mt19937 random(4);
        for (int round = 0; round < 300; ++round) {
            Rig rig = rigWith();
            RuleDocument rules;
            std::vector<EventSpec> conditions;
            std::vector<RecordingSpec> recordings;
            for (int i = 0; i < 6; ++i) {
                conditions.push_back(drawnCondition(random, i));
                recordings.push_back(drawnRecording(random, i));
                rules.events.push_back(written(conditions.back(), {{"ours", i}, {"when", "id 0x1"}, {"for", "9 s"}}));
                rules.recordings.push_back(written(recordings.back(), {{"ours", i}, {"files", {{"theirs", 1}, {"keep", 7}}}}));
            }
            const auto set = setRules(rig, rules);
            QVERIFY2(set, set ? "" : set.error().text().c_str());
            for (std::size_t i = 0; i < conditions.size(); ++i) {
                QVERIFY(same(rig.events[i], conditions[i]));
                QVERIFY2(same(rig.recordings[i], recordings[i]), rules.recordings[i].dump().c_str());
            }
            QVERIFY(rulesIn(rig) == rules);
            QVERIFY(rules.events[3]["ours"] == 3 && rules.recordings[3]["files"]["theirs"] == 1);
            // And read from its text.
            const auto again = rigFromText(rig.document.dump(), "r.json");
            QVERIFY(again && same(again->recordings[5], recordings[5]));
        }
    }

    void whatCannotBeLeavesAllAsItWas()
    {
        Rig rig = rigWith(R"(, "events": [{"name": "a", "key": "F9"}], "recordings": [{"name": "t", "start": "a"}])");
        const nlohmann::json before = rig.document;
        RuleDocument rules = rulesIn(rig);
        rules.events[0]["name"] = "b";
        const auto renamedOnly = setRules(rig, rules);
        QVERIFY(!renamedOnly && renamedOnly.error().text().find("'a'") != std::string::npos);
        rules.recordings[0]["start"] = "b";
        rules.events.push_back({{"name", "b"}, {"key", "F8"}});
        QVERIFY(!setRules(rig, rules));
        QVERIFY(rig.document == before && rig.events.size() == 1 && rig.recordings[0].start == "a");
        rules.events.erase(1);
        QVERIFY(setRules(rig, rules));
        QCOMPARE(rig.recordings[0].start, std::string("b"));
        QVERIFY(setRules(rig, {}));
        QVERIFY(!rig.document.contains("events") && rig.recordings.empty());
    }

    void aNameIsReplacedWhereItStands()
    {
        using rules::renamed;
        QCOMPARE(renamed("a and (aa or  not a)", "a", "motor hot"), std::string("\"motor hot\" and (aa or  not \"motor hot\")"));
        QCOMPARE(renamed("\"motor hot\" or a", "motor hot", "m"), std::string("m or a"));
        QCOMPARE(renamed("not a", "not", "b"), std::string("not a"));
        QCOMPARE(renamed("a or \"a", "a", "b"), std::string("b or \"a"));
        QCOMPARE(renamed("", "a", "b"), std::string());
    }
};

QTEST_GUILESS_MAIN(RuleTextTest)
#include "rule_text_test.moc"
