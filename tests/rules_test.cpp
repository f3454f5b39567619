// SPDX-License-Identifier: GPL-3.0-or-later
// Conditions and recordings: single cases by hand, and at random against a plain model that looks at everything.
#include <QTest>

#include <random>

#include "rules/rehearsal.h"
#include "rules_model.h"

using namespace wavetrope;
using namespace wavetrope::rules;

namespace {

constexpr Time tick = std::chrono::milliseconds(1);

std::shared_ptr<const database::Catalog> oneBus()
{
    auto made = std::make_shared<database::Catalog>();
    made->addBus("Main");
    return made;
}

filter::Filter filterOf(const std::string& text) { return *filter::Filter::compile(text, oneBus()); }

// A frame carries its number behind its value, so that a take tells which it has.
can::Frame frameOf(const plain::Frame& of, std::size_t number)
{
    can::Frame frame;
    frame.id = {of.id, false};
    frame.length = frame.dlc = 5;
    frame.data[0] = static_cast<std::uint8_t>(of.value);
    const auto narrow = static_cast<std::uint32_t>(number);
    std::memcpy(frame.data.data() + 1, &narrow, sizeof narrow);
    frame.time = of.time * tick;
    return frame;
}

class Numbers final : public TakeKeeper {
public:
    void begins(const Take& take) override { current_[take.recording] = take.number; }
    void keeps(std::size_t recording, const can::FrameView& frame) override
    {
        std::uint32_t number = 0;
        std::memcpy(&number, frame.data + 1, sizeof number);
        frames[{recording, current_[recording]}].push_back(number);
    }
    void ends(const Take&) override {}
    std::map<std::pair<std::size_t, std::uint64_t>, std::vector<std::size_t>> frames;

private:
    std::map<std::size_t, std::uint64_t> current_;
};

// What a rule set makes of frames, in ticks.
struct Outcome {
    std::vector<plain::Stretch> stretches;
    std::vector<plain::Take> takes;
    std::vector<Take> told;
};

Outcome outcomeOf(const std::vector<plain::Frame>& frames, const RuleSet& rules)
{
    trace::Trace trace;
    trace.addBus({"Main", {500'000, 0}});
    for (std::size_t i = 0; i < frames.size(); ++i)
        trace.append(frameOf(frames[i], i).view());
    Numbers numbers;
    RehearsalOptions options;
    options.keeper = &numbers;
    const Rehearsed rehearsed = rehearse(trace.snapshot(), rules, {{500'000, 0}}, options);
    Outcome out;
    for (const TrueStretch& stretch : rehearsed.stretches)
        out.stretches.push_back({stretch.condition, stretch.from / tick, stretch.to ? std::optional(*stretch.to / tick) : std::nullopt});
    for (const Take& take : rehearsed.takes) {
        auto kept = numbers.frames[{take.recording, take.number}];
        if (kept.size() != take.frames)
            qFatal("a take of %zu frames counted %llu", kept.size(), static_cast<unsigned long long>(take.frames));
        out.takes.push_back({take.recording, take.begins / tick, take.ends / tick, std::move(kept)});
    }
    out.told = rehearsed.takes;
    return out;
}

ConditionRule condition(
    const std::string& name, ConditionKind kind, const std::string& filter = {}, std::int64_t span = 0, std::int64_t stays = 0)
{
    ConditionRule rule;
    rule.name = name;
    rule.kind = kind;
    if (!filter.empty())
        rule.filter = filterOf(filter);
    rule.span = span * tick;
    rule.stays = stays * tick;
    return rule;
}

RuleSet setOf(std::vector<ConditionRule> conditions, std::vector<RecordingRule> recordings = {})
{
    return {std::move(conditions), std::move(recordings)};
}

std::vector<std::string> namesOf(const std::vector<ConditionRule>& conditions)
{
    std::vector<std::string> names;
    for (const ConditionRule& one : conditions)
        names.push_back(one.name);
    return names;
}

RecordingRule recording(const std::vector<ConditionRule>& conditions, const std::string& start, const std::string& stop = {},
    Margin before = {}, Margin after = {}, bool again = true)
{
    RecordingRule rule;
    rule.name = "it";
    if (!start.empty())
        rule.start = *Terms::parse(start, namesOf(conditions));
    if (!stop.empty())
        rule.stop = *Terms::parse(stop, namesOf(conditions));
    rule.before = before;
    rule.after = after;
    rule.again = again;
    return rule;
}

QString textOf(const std::vector<plain::Take>& takes)
{
    QString out;
    for (const plain::Take& take : takes) {
        out += QStringLiteral("recording %1: %2 to %3:").arg(take.recording).arg(take.begins).arg(take.ends);
        for (const std::size_t frame : take.frames)
            out += QStringLiteral(" %1").arg(frame);
        out += QLatin1Char('\n');
    }
    return out;
}

QString textOf(const std::vector<plain::Stretch>& stretches)
{
    QString out;
    for (const plain::Stretch& stretch : stretches)
        out += QStringLiteral("%1: %2 to %3\n").arg(stretch.condition).arg(stretch.from).arg(stretch.to ? *stretch.to : -1);
    return out;
}

std::vector<std::size_t> numbers(std::initializer_list<std::size_t> list) { return list; }

}  // namespace

class RulesTest : public QObject {
    Q_OBJECT

    // A random case, for the product and for the model.
    struct Case {
        std::vector<plain::Frame> frames;
        std::vector<plain::Condition> conditions;
        std::vector<plain::Recording> recordings;
        RuleSet rules;
        QString words;
    };

    static Case randomCase(std::mt19937_64& random)
    {
        const auto upTo = [&](unsigned most) { return static_cast<unsigned>(random() % (most + 1)); };
        Case out;
        std::int64_t time = 1000;
        const unsigned density = 1 + upTo(6);
        for (unsigned count = 1 + upTo(60); count > 0; --count) {
            time += upTo(density) == 0 ? upTo(12) : upTo(1);
            out.frames.push_back({time, 256 + upTo(3), upTo(3)});
        }
        const unsigned conditions = 1 + upTo(5);
        for (unsigned c = 0; c < conditions; ++c) {
            using Kind = plain::Condition::Kind;
            plain::Condition plainOne;
            plainOne.kind = static_cast<Kind>(upTo(5));
            plainOne.id = 256 + upTo(3);
            plainOne.above = upTo(2);
            plainOne.stays = upTo(2) == 0 ? 1 + upTo(9) : 0;
            const std::string id = "id " + can::toText(can::Identifier{plainOne.id, false});
            const std::string name = std::string(1, static_cast<char>('a' + c));
            ConditionRule rule;
            switch (plainOne.kind) {
            case Kind::level:
                plainOne.span = upTo(1) == 0 ? 0 : upTo(8);
                rule = condition(
                    name, ConditionKind::frames, id + " and byte 0 > " + std::to_string(plainOne.above), plainOne.span, plainOne.stays);
                break;
            case Kind::moment: rule = condition(name, ConditionKind::frames, id, 0, plainOne.stays); break;
            case Kind::silent:
                plainOne.span = 1 + upTo(9);
                rule = condition(name, ConditionKind::silent, id, plainOne.span, plainOne.stays);
                break;
            case Kind::begins: rule = condition(name, ConditionKind::begins, {}, 0, plainOne.stays); break;
            case Kind::after:
                plainOne.span = upTo(30);
                rule = condition(name, ConditionKind::after, {}, plainOne.span, plainOne.stays);
                break;
            case Kind::every:
                plainOne.span = 1 + upTo(20);
                rule = condition(name, ConditionKind::every, {}, plainOne.span, plainOne.stays);
                break;
            }
            out.conditions.push_back(plainOne);
            out.words += QStringLiteral("%1: %2, stays %3\n")
                             .arg(QString::fromStdString(name), QString::fromStdString(rule.words()))
                             .arg(plainOne.stays);
            out.rules.conditions.push_back(std::move(rule));
        }
        for (unsigned r = 1 + upTo(2); r > 0; --r) {
            plain::Recording plainOne;
            RecordingRule rule;
            rule.name = "r" + std::to_string(r);
            const auto expression = [&](std::function<bool(const std::vector<bool>&)>& model) {
                // ((not) a and/or (not) b) and/or (not) c, of any of them
                struct Part {
                    unsigned condition;
                    bool negated;
                };
                std::vector<Part> parts;
                for (unsigned n = 1 + upTo(2); n > 0; --n)
                    parts.push_back({upTo(conditions - 1), upTo(2) == 0});
                const bool either = upTo(1) == 0;
                model = [parts, either](const std::vector<bool>& counts) {
                    bool result = !either;
                    for (const Part& part : parts) {
                        const bool one = counts[part.condition] != part.negated;
                        result = either ? result || one : result && one;
                    }
                    return result;
                };
                std::string text;
                for (const Part& part : parts)
                    text += (text.empty() ? ""
                                : either  ? " or "
                                          : " and ")
                            + std::string(part.negated ? "not " : "") + std::string(1, static_cast<char>('a' + part.condition));
                return text;
            };
            std::string start, stop;
            if (upTo(7) > 0)
                start = expression(plainOne.start);
            if (upTo(1) == 0)
                stop = expression(plainOne.stop);
            const auto margin = [&](std::int64_t& value, bool& frames) {
                frames = upTo(2) == 0;
                value = upTo(1) == 0 ? 0 : upTo(12);
                return frames ? Margin{Time{0}, static_cast<std::uint64_t>(value), true} : Margin{value * tick, 0, false};
            };
            const Margin before = margin(plainOne.before, plainOne.beforeFrames);
            const Margin after = margin(plainOne.after, plainOne.afterFrames);
            plainOne.again = upTo(4) > 0;
            rule = recording(out.rules.conditions, start, stop, before, after, plainOne.again);
            const unsigned kept = 255 + upTo(4);
            plainOne.keep = [kept](const plain::Frame& frame) { return kept < 256 || frame.id == kept; };
            if (kept >= 256)
                rule.keep = filterOf("id " + can::toText(can::Identifier{kept, false}));
            out.words += QStringLiteral("keep '%1' start '%2' stop '%3' before %4 %5 after %6 %7 again %8\n")
                             .arg(QString::fromStdString(rule.keep.text()), QString::fromStdString(start), QString::fromStdString(stop))
                             .arg(plainOne.before)
                             .arg(plainOne.beforeFrames ? "frames" : "ms")
                             .arg(plainOne.after)
                             .arg(plainOne.afterFrames ? "frames" : "ms")
                             .arg(plainOne.again);
            out.recordings.push_back(std::move(plainOne));
            out.rules.recordings.push_back(std::move(rule));
        }
        for (const plain::Frame& frame : out.frames)
            out.words += QStringLiteral("%1: %2 %3\n").arg(frame.time).arg(frame.id).arg(frame.value);
        return out;
    }

private Q_SLOTS:
    void framesWithoutContentsAreMoments()
    {
        const Outcome outcome = outcomeOf({{10, 256, 0}, {10, 256, 0}, {12, 257, 0}, {15, 256, 0}},
            setOf({condition("it", ConditionKind::frames, "id 0x100"), condition("held", ConditionKind::frames, "id 0x100", 2)}));
        QCOMPARE(textOf(outcome.stretches), textOf(std::vector<plain::Stretch>{{0, 10, 10}, {0, 15, 15}}));
    }

    void contentsHoldUntilAFrameSaysOtherwise()
    {
        const std::vector<plain::Frame> frames = {{10, 256, 5}, {12, 257, 0}, {14, 256, 6}, {20, 256, 0}, {25, 256, 9}, {30, 257, 0}};
        const Outcome outcome = outcomeOf(frames, setOf({condition("it", ConditionKind::frames, "id 0x100 and byte 0 > 4"),
                                                      condition("held", ConditionKind::frames, "id 0x100 and byte 0 > 4", 10),
                                                      condition("long", ConditionKind::frames, "id 0x100 and byte 0 > 4", 11)}));
        // The hold time is over at 20, where time comes before the frame that ends it.
        QCOMPARE(textOf(outcome.stretches), textOf(std::vector<plain::Stretch>{{0, 10, 20}, {1, 20, 20}, {0, 25, std::nullopt}}));
    }

    void theKindOfAFrameRulesItOut()
    {
        // A remote frame of the same identifier says nothing of a condition over data frames.
        trace::Trace trace;
        trace.addBus({"Main", {500'000, 0}});
        can::Frame frame = frameOf({10, 256, 5}, 0);
        trace.append(frame.view());
        frame.kind = can::FrameKind::remote;
        frame.length = 0;
        frame.time = 12 * tick;
        trace.append(frame.view());
        const Rehearsed rehearsed = rehearse(
            trace.snapshot(), setOf({condition("it", ConditionKind::frames, "kind data and byte 0 > 4")}), {{500'000, 0}});
        QCOMPARE(rehearsed.stretches.size(), std::size_t{1});
        QVERIFY(!rehearsed.stretches[0].to);
    }

    void silenceBeginsBehindTheFirstFrame()
    {
        const Outcome outcome = outcomeOf({{0, 257, 0}, {20, 256, 0}, {25, 256, 0}, {40, 256, 0}, {50, 257, 0}},
            setOf({condition("quiet", ConditionKind::silent, "id 0x100", 10)}));
        QCOMPARE(textOf(outcome.stretches), textOf(std::vector<plain::Stretch>{{0, 35, 40}, {0, 50, std::nullopt}}));
    }

    void aTakeHasWhatCameBeforeAndBehind()
    {
        const std::vector<plain::Frame> frames = {{0, 257, 0}, {5, 257, 0}, {8, 257, 0}, {10, 256, 9}, {11, 257, 0}, {14, 256, 0},
            {16, 257, 0}, {16, 257, 1}, {17, 257, 0}, {30, 257, 0}};
        const std::vector<ConditionRule> conditions = {condition("high", ConditionKind::frames, "id 0x100 and byte 0 > 4")};
        const auto frame = [](std::uint64_t count) { return Margin{Time{0}, count, true}; };
        Outcome outcome = outcomeOf(
            frames, setOf(conditions, {recording(conditions, "high", {}, {5 * tick, 0, false}, {2 * tick, 0, false})}));
        // From 5 on, which is exactly as long before; up to both frames at 16, which is exactly as long behind.
        QCOMPARE(textOf(outcome.takes), textOf(std::vector<plain::Take>{{0, 10, 16, numbers({1, 2, 3, 4, 5, 6, 7})}}));
        QCOMPARE(outcome.told[0].why, std::string("high"));
        QCOMPARE(outcome.told[0].whyEnds, std::string("not high"));
        outcome = outcomeOf(frames, setOf(conditions, {recording(conditions, "high", {}, frame(2), frame(3))}));
        QCOMPARE(textOf(outcome.takes), textOf(std::vector<plain::Take>{{0, 10, 17, numbers({1, 2, 3, 4, 5, 6, 7, 8})}}));
        outcome = outcomeOf(frames, setOf(conditions, {recording(conditions, "high", {}, frame(0), frame(0))}));
        QCOMPARE(textOf(outcome.takes), textOf(std::vector<plain::Take>{{0, 10, 14, numbers({3, 4, 5})}}));
    }

    void framesOfAnEarlierTakeAreNotTakenAgain()
    {
        const std::vector<plain::Frame> frames = {{0, 256, 0}, {2, 257, 0}, {4, 256, 0}, {6, 257, 0}, {7, 256, 0}};
        const std::vector<ConditionRule> conditions = {condition("it", ConditionKind::frames, "id 0x100")};
        const Outcome outcome = outcomeOf(frames, setOf(conditions, {recording(conditions, "it", {}, {100 * tick, 0, false}, {})}));
        QCOMPARE(textOf(outcome.takes),
            textOf(std::vector<plain::Take>{{0, 0, 0, numbers({0})}, {0, 4, 4, numbers({1, 2})}, {0, 7, 7, numbers({3, 4})}}));
    }

    void withoutAStartThereIsOneTake()
    {
        const std::vector<plain::Frame> frames = {{3, 257, 0}, {5, 256, 0}, {9, 257, 0}, {12, 256, 0}, {15, 257, 0}};
        const std::vector<ConditionRule> conditions = {condition("it", ConditionKind::frames, "id 0x100")};
        Outcome outcome = outcomeOf(frames, setOf(conditions, {recording(conditions, {})}));
        QCOMPARE(textOf(outcome.takes), textOf(std::vector<plain::Take>{{0, 3, 15, numbers({0, 1, 2, 3, 4})}}));
        QCOMPARE(outcome.told[0].why, std::string("run begins"));
        QCOMPARE(outcome.told[0].whyEnds, std::string("the log ends"));
        outcome = outcomeOf(frames, setOf(conditions, {recording(conditions, {}, "it", {}, {4 * tick, 0, false})}));
        QCOMPARE(textOf(outcome.takes), textOf(std::vector<plain::Take>{{0, 3, 9, numbers({0, 1, 2})}}));
    }

    void whatIsTrueAtTheBeginBecomesTrueThere()
    {
        const std::vector<plain::Frame> frames = {{3, 257, 0}, {5, 256, 0}, {9, 257, 0}};
        const std::vector<ConditionRule> conditions = {condition("it", ConditionKind::frames, "id 0x100")};
        const Outcome outcome = outcomeOf(frames, setOf(conditions, {recording(conditions, "not it")}));
        // It ends with the moment at 5, and begins anew where that is over: at the same instant.
        QCOMPARE(textOf(outcome.takes), textOf(std::vector<plain::Take>{{0, 3, 9, numbers({0, 1, 2})}}));
    }

    void twoThatStayNeedNotHitTheSameFrame()
    {
        const std::vector<plain::Frame> frames = {{0, 258, 0}, {5, 256, 0}, {9, 257, 0}, {30, 256, 0}, {36, 257, 0}};
        const std::vector<ConditionRule> conditions = {
            condition("a", ConditionKind::frames, "id 0x100", 0, 5), condition("b", ConditionKind::frames, "id 0x101")};
        const Outcome outcome = outcomeOf(frames, setOf(conditions, {recording(conditions, "a and b")}));
        QCOMPARE(textOf(outcome.takes), textOf(std::vector<plain::Take>{{0, 9, 9, numbers({2})}}));
        QCOMPARE(outcome.told[0].why, std::string("b"));
    }

    void aClockThatGoesBackHoldsTheInstant()
    {
        // Frames keep their stamps; time of the rules stands still until they are past it again.
        const std::vector<plain::Frame> frames = {{10, 257, 0}, {20, 256, 0}, {12, 257, 0}, {19, 256, 0}, {25, 257, 0}};
        const std::vector<ConditionRule> conditions = {condition("it", ConditionKind::frames, "id 0x100", 0, 3)};
        const Outcome outcome = outcomeOf(frames, setOf(conditions, {recording(conditions, "it", {}, {1 * tick, 0, false}, {})}));
        QCOMPARE(textOf(outcome.stretches), textOf(std::vector<plain::Stretch>{{0, 20, 20}}));
        QCOMPARE(textOf(outcome.takes), textOf(std::vector<plain::Take>{{0, 20, 23, numbers({1, 2, 3})}}));
    }

    void theLoadOfTheSpanThatEndsNow()
    {
        // Random frames at 500 kbit/s: what counts is looked at in every microsecond.
        std::mt19937_64 random(5);
        for (int n = 0; n < 80; ++n) {
            const Time span = std::chrono::microseconds(500 + random() % 3000);
            const double percent = static_cast<double>(random() % 90);
            trace::Trace trace;
            trace.addBus({"Main", {500'000, 0}});
            std::vector<std::pair<Time, Time>> busy;
            std::vector<Time> stamps;
            Time at = std::chrono::seconds(1);
            for (int i = 0; i < 60; ++i) {
                can::Frame frame = frameOf({0, 256 + static_cast<unsigned>(random() % 3), static_cast<unsigned>(random() % 256)}, random());
                const can::WireLength bits = can::wireLength(frame.view());
                // In every other trace some stamps lie closer than frames are long.
                at += n % 2 == 1 && random() % 5 == 0
                          ? Time(std::chrono::microseconds(60))
                          : can::occupancy(bits, {500'000, 0})
                                + (random() % 3 == 0 ? Time(std::chrono::microseconds(random() % 2000)) : Time{0});
                frame.time = at;
                trace.append(frame.view());
                busy.emplace_back(
                    at - can::duration(bits, {500'000, 0}), at - can::duration(bits, {500'000, 0}) + can::occupancy(bits, {500'000, 0}));
                stamps.push_back(at);
            }
            ConditionRule rule = condition("full", ConditionKind::load);
            rule.bus = 0;
            rule.span = span;
            rule.percent = percent;
            const Rehearsed rehearsed = rehearse(trace.snapshot(), setOf({rule}), {{500'000, 0}});
            const auto above = [&](Time now, std::size_t known) {
                Time sum{0};
                for (std::size_t i = 0; i < known; ++i)
                    sum += std::max(Time{0}, std::min(now, busy[i].second) - std::max(now - span, busy[i].first));
                return static_cast<double>(sum.count()) > static_cast<double>(span.count()) * percent / 100;
            };
            // Rises with frames alone; falls in between at the first instant at which it is not above.
            std::vector<std::pair<Time, std::optional<Time>>> expected;
            for (std::size_t i = 0; i < stamps.size(); ++i) {
                const bool open = !expected.empty() && !expected.back().second;
                if (!open && above(stamps[i], i + 1))
                    expected.emplace_back(stamps[i], std::nullopt);
                if (expected.empty() || expected.back().second)
                    continue;
                const Time end = i + 1 < stamps.size() ? stamps[i + 1] : stamps[i];
                Time last = stamps[i];
                for (Time now = stamps[i] + std::chrono::microseconds(1); now < end; now += std::chrono::microseconds(1)) {
                    if (!above(now, i + 1)) {
                        for (last += Time(1); above(last, i + 1); last += Time(1)) {}
                        expected.back().second = last;
                        break;
                    }
                    last = now;
                }
                for (last += Time(1); !expected.back().second && last < end; last += Time(1))
                    if (!above(last, i + 1))
                        expected.back().second = last;
                // At the next frame's instant it is looked at with that frame.
                if (!expected.back().second && i + 1 < stamps.size() && !above(end, i + 2))
                    expected.back().second = end;
            }
            QCOMPARE(rehearsed.stretches.size(), expected.size());
            for (std::size_t i = 0; i < expected.size(); ++i) {
                QCOMPARE(rehearsed.stretches[i].from.count(), expected[i].first.count());
                QCOMPARE(rehearsed.stretches[i].to.value_or(Time{0}).count(), expected[i].second.value_or(Time{0}).count());
            }
        }
    }

    void expressionsSayWhereTheyAreWrong()
    {
        const std::vector<std::string> names = {"chatter", "flow low", "quiet"};
        const auto wrong = [&](const char* text, int column, const char* part) {
            const auto terms = Terms::parse(text, names);
            QVERIFY2(!terms, text);
            QCOMPARE(terms.error().column, column);
            QVERIFY2(terms.error().text().find(part) != std::string::npos, terms.error().text().c_str());
        };
        wrong("", 1, "the name of a condition");
        wrong("chatter quiet", 9, "'and', 'or'");
        wrong("chatter and", 12, "the end");
        wrong("chater", 1, "Did you mean chatter?");
        wrong("flow low", 1, "flow low");
        wrong("(chatter", 9, "')'");
        wrong("not not", 8, "the end");
        wrong("\"flow low", 1, "closing quote");
        wrong((std::string(300, '(') + "chatter").c_str(), 202, "200 levels");
        const auto terms = Terms::parse("chatter or not quiet and \"flow low\"", names);
        QVERIFY(terms.has_value());
        QCOMPARE(terms->conditions(), (std::vector<std::size_t>{0, 2, 1}));
        for (unsigned bits = 0; bits < 8; ++bits) {
            const auto truth = [&](std::size_t i) { return (bits >> i & 1U) != 0; };
            QCOMPARE(terms->holds(truth), truth(0) || (!truth(2) && truth(1)));
        }
        QCOMPARE(quotedName("flow low"), std::string("\"flow low\""));
        QCOMPARE(quotedName("chatter"), std::string("chatter"));
        QCOMPARE(quotedName("or"), std::string("\"or\""));
    }

    void whatCanNeverComeIsSaid()
    {
        const std::vector<ConditionRule> conditions = {condition("a", ConditionKind::frames, "id 0x100 and byte 0 > 1"),
            condition("held", ConditionKind::frames, "id 0x100", 5), condition("begin", ConditionKind::begins),
            condition("minute", ConditionKind::every, {}, 60), condition("later", ConditionKind::after, {}, 9)};
        const auto words = [&](const char* start, const char* stop = "") {
            return neverWords(recording(conditions, start, stop), conditions);
        };
        QCOMPARE(words("a"), std::string());
        QCOMPARE(words("a and not a"), std::string("it can never start: a and not a can never be true"));
        QVERIFY(words("held").find("instants of single frames") != std::string::npos);
        QCOMPARE(words("begin and minute"), std::string("it can never start: begin and minute can never be true"));
        QCOMPARE(words("begin and later"), std::string("it can never start: begin and later can never be true"));
        QCOMPARE(words("minute and later"), std::string());
        QCOMPARE(words("a or not a"), std::string("it can never stop: a or not a is always true"));
        QCOMPARE(words("a", "held"),
            std::string("it can never stop: held is true at the instants of single frames alone, and has to hold for a time"));
        QCOMPARE(words("a", "minute"), std::string());
    }

    void stampsYearsApartDoNotGoOnForYears()
    {
        const std::vector<plain::Frame> frames = {{0, 256, 0}, {1'000'000'000'000, 256, 0}};
        trace::Trace trace;
        trace.addBus({"Main", {500'000, 0}});
        for (std::size_t i = 0; i < frames.size(); ++i)
            trace.append(frameOf(frames[i], i).view());
        RehearsalOptions options;
        options.mostInstants = 1'000'000;
        Rehearsed rehearsed = rehearse(trace.snapshot(), setOf({condition("often", ConditionKind::every, {}, 1)}), {{500'000, 0}}, options);
        QVERIFY(rehearsed.problem.find("too far apart") != std::string::npos);
        options.mostInstants = ~std::uint64_t{0};
        options.mostStretches = 100'000;
        rehearsed = rehearse(trace.snapshot(), setOf({condition("often", ConditionKind::every, {}, 1)}), {{500'000, 0}}, options);
        QVERIFY(rehearsed.problem.find("more than 100000 times") != std::string::npos);
        QVERIFY(rehearsed.stretches.size() < 300'000);
        // Somebody who does not wait for it.
        options = {};
        int asked = 0;
        options.goesOn = [&](std::uint64_t) { return ++asked < 5; };
        rehearsed = rehearse(trace.snapshot(), setOf({condition("often", ConditionKind::every, {}, 1)}), {{500'000, 0}}, options);
        QCOMPARE(asked, 5);
        QVERIFY(rehearsed.problem.empty());
    }

    void atRandomAsThePlainModelHasIt()
    {
        const int cases = qEnvironmentVariableIsSet("WAVETROPE_CASES") ? qEnvironmentVariableIntValue("WAVETROPE_CASES") : 4'000;
        std::mt19937_64 random(qEnvironmentVariableIsSet("WAVETROPE_SEED") ? qEnvironmentVariableIntValue("WAVETROPE_SEED") : 1);
        std::size_t takes = 0, stretches = 0;
        for (int n = 0; n < cases; ++n) {
            const Case one = randomCase(random);
            plain::Model model(one.frames, one.conditions, one.recordings);
            model.run();
            Outcome outcome = outcomeOf(one.frames, one.rules);
            const auto inOrder = [](auto& list, auto key) {
                std::stable_sort(list.begin(), list.end(), [&](const auto& a, const auto& b) { return key(a) < key(b); });
            };
            inOrder(model.stretches, [](const plain::Stretch& s) { return std::pair(s.from, s.condition); });
            inOrder(model.takes, [](const plain::Take& t) { return std::pair(t.begins, t.recording); });
            if (outcome.stretches != model.stretches)
                QFAIL(qPrintable(QStringLiteral("case %1\n%2true\n%3instead of\n%4")
                        .arg(n)
                        .arg(one.words, textOf(outcome.stretches), textOf(model.stretches))));
            if (outcome.takes != model.takes)
                QFAIL(qPrintable(QStringLiteral("case %1\n%2takes\n%3instead of\n%4")
                        .arg(n)
                        .arg(one.words, textOf(outcome.takes), textOf(model.takes))));
            takes += outcome.takes.size();
            stretches += outcome.stretches.size();
        }
        // The cases say something.
        QVERIFY(takes > static_cast<std::size_t>(cases) && stretches > static_cast<std::size_t>(cases));
    }
};

QTEST_APPLESS_MAIN(RulesTest)
#include "rules_test.moc"
