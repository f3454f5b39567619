// SPDX-License-Identifier: GPL-3.0-or-later
// Scripts within their bounds; and what a node's script calls, and is called for.
#include <QTemporaryDir>
#include <QTest>

#include "command_line.h"
#include "drive/node.h"
#include "rig/session.h"
#include "script/script.h"

using namespace wavetrope;
using namespace wavetrope::rig;
using namespace std::chrono_literals;
using script::Arguments;
using script::Script;
using script::Value;

namespace {

// A script that may say what it finds, and be called.
struct Bench {
    std::vector<std::string> said;
    std::vector<script::Handler> handlers;

    Expected<std::unique_ptr<Script>> load(const std::string& text, const script::Limits& limits = {})
    {
        return Script::load(text, "bench.lua",
            {{"log",
                 [this](const Arguments& given) -> Expected<Value> {
                     said.push_back(given.line());
                     return Value{};
                 }},
                {"on.call",
                    [this](const Arguments& given) -> Expected<Value> {
                        const auto handler = given.function(1);
                        if (!handler)
                            return tl::unexpected(handler.error());
                        handlers.push_back(*handler);
                        return Value{};
                    }},
                {"refuse", [](const Arguments&) -> Expected<Value> { return fail("not today", {}, "Come again"); }},
                {"sum",
                    [](const Arguments& given) -> Expected<Value> {
                        double sum = 0;
                        const auto taken = given.each(1, [&](const Value& key, const Value& value) -> Expected<void> {
                            if (!std::holds_alternative<std::string>(key) || !std::holds_alternative<double>(value))
                                return fail("names and numbers alone");
                            sum += std::get<double>(value);
                            return {};
                        });
                        if (!taken)
                            return tl::unexpected(taken.error());
                        return Value(sum);
                    }}},
            limits);
    }
};

class Point final : public script::Object {
public:
    Expected<Value> get(const Value& key) override
    {
        const auto* name = std::get_if<std::string>(&key);
        if (name != nullptr && *name == "x")
            return Value(3.5);
        if (name != nullptr && *name == "y")
            return Value{};
        return fail("a point has no such part");
    }
};

constexpr const char* twoNodes = R"rig({"wavetrope": 1, "name": "Scripted", "seed": 7, "begins": "2027-02-01T18:00:00Z",
    "buses": [{"name": "Implement", "rate": "250k", "databases": ["implement.dbc"]},
              {"name": "Side", "rate": "250k"}],
    "derived": [{"name": "Twice", "formula": "CommandedDepth * 2"}],
    "nodes": [
      {"name": "Level", "buses": ["Implement"], "variables": {"deep": 0},
       "values": [{"wanted": {"steps": [[0, 1.5], [0.45, 4.25], [0.75, 8]]}}],
       "sends": [{"message": "BladeCommand", "every": "100ms", "signals": {"CommandedDepth": "wanted", "CommandedTilt": 0.5}}]},
      {"name": "Blade", "buses": ["Implement", "Side"], "state": "up", "variables": {"count": 0},
       "sends": [{"message": "BladeState", "signals": {"SideTilt": -1.25, "Counter": {"counter": {"modulo": 256}}}}],
       "reacts": [{"when": "count > 2", "enter": "counted"}]}
    ]})rig";

Rig rigWith(const std::string& script, const char* node = "Blade")
{
    auto rig = rigFromText(twoNodes, WAVETROPE_DEMO "/scripted.json");
    if (!rig)
        qFatal("%s", rig.error().text().c_str());
    for (drive::NodeSpec& spec : rig->nodes)
        if (spec.name == node)
            spec.script.text = script;
    return std::move(*rig);
}

struct Run {
    explicit Run(const std::string& script) : Run(rigWith(script)) {}
    explicit Run(const Rig& rig)
    {
        auto made = Session::create(rig, loadDatabases(rig));
        if (!made)
            qFatal("%s", made.error().text().c_str());
        session = std::move(*made);
        blade = dynamic_cast<drive::Node*>(session->actor("Blade"));
    }
    void runFor(Time span) { session->runFor(span, nullptr); }
    [[nodiscard]] QStringList log() const
    {
        QStringList out;
        if (blade->script() != nullptr)
            for (const drive::LogLine& line : blade->script()->log())
                out << QString::number(static_cast<double>((line.time - session->begins()).count()) / 1e9, 'g', 6) + ' '
                           + QString::fromStdString(line.text);
        return out;
    }
    [[nodiscard]] QStringList words() const
    {
        QStringList out = log();
        for (QString& line : out)
            line = line.section(' ', 1);
        return out;
    }
    // Frames of an identifier, as bytes.
    [[nodiscard]] QStringList frames(std::uint32_t id) const
    {
        QStringList out;
        const trace::Snapshot snapshot = session->trace().snapshot();
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            if (const can::FrameView frame = snapshot.frame(row); frame.id.value == id)
                out << QString::fromLatin1(QByteArray(reinterpret_cast<const char*>(frame.data), frame.length).toHex());
        return out;
    }
    std::unique_ptr<Session> session;
    drive::Node* blade = nullptr;
};

}  // namespace

class ScriptTest : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void onlyWhatComputesIsThere()
    {
        Bench bench;
        const auto script = bench.load(R"lua(
            for _, name in ipairs({'io', 'os', 'load', 'loadfile', 'dofile', 'loadstring', 'require', 'package', 'debug', 'coroutine',
                                   'collectgarbage', 'warn'}) do
                if _G[name] ~= nil then log('there is', name) end
            end
            for _, name in ipairs({'find', 'match', 'gmatch', 'gsub', 'dump'}) do
                if string[name] ~= nil or ('x')[name] ~= nil then log('there is', name) end
            end
            if table.move or math.random or math.randomseed then log('there is more') end
            log(tostring({}), tostring(log), string.format('%s %d', {}, 3), 7 // 2, 2 ^ 0.5 > 1.41)
            log(string.format('%.2f', 1.005), ('abc'):upper(), #'\u{20AC}', utf8.len('\u{20AC}'), math.floor(-1.5))
        )lua");
        QVERIFY2(script, script ? "" : script.error().text().c_str());
        QCOMPARE(bench.said, (std::vector<std::string>{"table function table 3 3 true", "1.00 ABC 3 1 -2"}));
    }

    void keysComeInOneOrder()
    {
        Bench bench;
        const auto script = bench.load(R"lua(
            local t = {}
            for _, key in ipairs({'wing', 'b', 'aa', 'a', 10, 2, 1.5, -1, 'Z', true}) do t[key] = true end
            local line = ''
            for key in pairs(t) do line = line .. tostring(key) .. ' '; if key == 2 then t.aa = nil end end
            log(line)
            local key, line = next(t), ''
            while key ~= nil do line = line .. tostring(key) .. ' '; key = next(t, key) end
            log(line)
            log(next({}), sum({a = 1, b = 2.5}))
        )lua");
        QVERIFY2(script, script ? "" : script.error().text().c_str());
        QCOMPARE(bench.said, (std::vector<std::string>{"-1 1.5 2 10 Z a b wing true ", "-1 1.5 2 10 Z a b wing true ", "nil 3.5"}));
    }

    void whatGoesOverIsStopped_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("says");
        QTest::addColumn<int>("line");
        const QString instructions = "200000 instructions", memory = "more memory";
        QTest::newRow("loop") << "\nwhile true do end" << instructions << 2;
        QTest::newRow("loop in pcall") << "while true do pcall(function() while true do end end) end" << instructions << 1;
        QTest::newRow("loop in xpcall") << "local function f() while true do end end\nwhile true do xpcall(f, f) end" << instructions << -1;
        QTest::newRow("pcall in pcall") << "local function f(n) pcall(f, n) while true do end end f(1)" << instructions << -1;
        QTest::newRow("loop at the end of a block")
            << "do local x <close> = setmetatable({}, {__close = function() while true do end end}) while true do end end" << instructions
            << 1;
        QTest::newRow("recursion") << "local function f() return 1 + f() end f()" << "" << -1;
        QTest::newRow("tail recursion") << "local function f() return f() end\nf()" << instructions << 1;
        QTest::newRow("texts") << "local t = 'x' while true do t = t .. t end" << memory << 0;
        QTest::newRow("a long text") << "return ('x'):rep(1 << 40)" << "" << -1;
        QTest::newRow("many texts") << "while true do local t = ('x'):rep(60000) .. 'y' end" << instructions << 1;
        QTest::newRow("tables") << "local t = {} while true do t[#t + 1] = {} end" << "" << -1;
        QTest::newRow("one table") << "local t = {} for i = 1, 1e9 do t[i] = i end" << "" << -1;
        QTest::newRow("shifts")
            << "local t = {} for i = 1, 20000 do t[i] = i end while true do table.insert(t, 1, 0) table.remove(t, 1) end" << instructions
            << 1;
        QTest::newRow("sorting") << "local t = {} for i = 1, 10000 do t[i] = -i end while true do table.sort(t) end" << instructions << 1;
        QTest::newRow("concat") << "local t = {} for i = 1, 10000 do t[i] = '' end while true do table.concat(t) end" << instructions << 1;
        QTest::newRow("unpack") << "while true do table.unpack({}, 1, 100000) end" << "" << 1;
        QTest::newRow("concat of nothing") << "table.concat(setmetatable({}, {__index = function() return '' end}), '', 1, 1 << 50)"
                                           << instructions << 1;
        QTest::newRow("pairs") << "local t = {} for i = 1, 10000 do t[i] = i end while true do pairs(t) end" << instructions << 1;
        QTest::newRow("finalizer") << "setmetatable({}, {__gc = function() while true do end end})" << "__gc" << 1;
        QTest::newRow("weak") << "setmetatable({}, {__mode = 'k'})" << "__mode" << 1;
        QTest::newRow("addresses") << "\nlog(string.format('%p', {}))" << "%p" << 2;
        QTest::newRow("keys without order") << "for k in pairs({[{}] = 1}) do end" << "no order" << 1;
        QTest::newRow("what is not there") << "\n\nos.execute('true')" << "'os'" << 3;
        QTest::newRow("refused") << "\nrefuse()" << "refuse: not today. Come again" << 2;
        QTest::newRow("no function") << "on.call(3)" << "has to be a function, and is a number" << 1;
        QTest::newRow("an error that is no text") << "error({})" << "" << -1;
        QTest::newRow("syntax") << "log('a')\nif then" << "near 'then'" << 2;
        QTest::newRow("nested") << QString(5000, '(') << "" << -1;
        QTest::newRow("nested tables") << "return " + QString(5000, '{') << "" << -1;
        QTest::newRow("a program for another machine") << QString("\x1bLua") << "" << -1;
    }
    void whatGoesOverIsStopped()
    {
        QFETCH(const QString, text);
        QFETCH(const QString, says);
        QFETCH(const int, line);
        Bench bench;
        const auto script = bench.load(text.toStdString());
        QVERIFY(!script);
        const Error error = script.error();
        QVERIFY2(QString::fromStdString(error.what).contains(says), error.text().c_str());
        QCOMPARE(error.where, std::string("bench.lua"));
        if (line >= 0)
            QCOMPARE(error.line, line);
        // In a function that is called it is the same, and the script can be called again.
        Bench other;
        const auto called = other.load("on.call(function()\n" + text.toStdString() + "\nend)\non.call(function() log('still here') end)");
        if (!called)
            return;     // it is no program
        QVERIFY(!(*called)->call(other.handlers.at(0), {}));
        QVERIFY((*called)->memory() <= script::Limits{}.memory);
        const auto again = (*called)->call(other.handlers.at(1), {});
        QVERIFY2(again || again.error().text().find("memory") != std::string::npos, again ? "" : again.error().text().c_str());
    }

    void bytesThatAreNoTextAreNoHarm()
    {
        std::string rubbish = "log('a')\n";
        for (int i = 1; i < 256; ++i)
            rubbish += static_cast<char>(i);
        QVERIFY(!Script::check(rubbish, "bench.lua"));
        Bench bench;
        const auto script = bench.load("log('\xff\xfe\\0\\200')");
        QVERIFY(script && bench.said.at(0).size() == 4);
        QVERIFY(Script::check("return 1", "bench.lua"));
        QCOMPARE(Script::check("x = = 1", "bench.lua").error().line, 1);
        QVERIFY(!Script::check(std::string(2U << 20U, ' '), "bench.lua"));
    }

    void whatIsReadIsGoneWithItsCall()
    {
        Bench bench;
        const auto script = bench.load(R"lua(
            on.call(function(point, number, text, truth) kept = point; log(point.x, point.y, number, text, truth) end)
            on.call(function() log(kept.x) end)
            on.call(function(point) log(point.z) end)
        )lua");
        QVERIFY(script);
        Point point;
        const Value given[] = {static_cast<script::Object*>(&point), 2.0, std::string("word"), true};
        QVERIFY((*script)->call(bench.handlers.at(0), given));
        QCOMPARE(bench.said.at(0), std::string("3.5 nil 2 word true"));
        const auto gone = (*script)->call(bench.handlers.at(1), {});
        QVERIFY(!gone && gone.error().what.find("gone") != std::string::npos && gone.error().line == 3);
        const auto part = (*script)->call(bench.handlers.at(2), given);
        QVERIFY(!part && part.error().what == "a point has no such part" && part.error().line == 4);
    }

    void whatAgreesIsKept()
    {
        Bench before, after;
        const auto first = before.load("count, name, list, other, log2 = 5, 'deep', {1, {x = 'y'}, [3] = true}, 1, log\nlist.self = list");
        const auto second = after.load("count, name, list, other = 0, '', {}, 'a text now'\n"
                                       "on.call(function() log(count, name, list[1], list[2].x, list[3], other, more) end)");
        QVERIFY(first && second);
        (*second)->keepFrom(**first);
        QVERIFY((*second)->call(after.handlers.at(0), {}));
        QCOMPARE(after.said.at(0), std::string("5 deep 1 y true a text now nil"));
    }

    void aNodeIsCalledAndActs()
    {
        Run run(R"lua(
            on.start(function() log('start', state(), time()) end)
            on.message('BladeCommand', function(frame)
                if frame.time < 0.2 then log(frame.message, frame.bus, frame.id, frame.length, frame.extended, frame.CommandedTilt, frame[0]) end
            end)
            on.change('CommandedDepth', function(value, before) log(before, value, value == frameless) end)
            on.condition('CommandedDepth > 7', function() set('count', 3) end, 0.05)
            on.enter('counted', function(before) log('from', before); every('beat', 0.02); timer('end', 0.05) end)
            on.leave('up', function(next) log('to', next) end)
            on.timer('beat', function() send('BladeState', {BladeDepth = value('count')}) end)
            on.timer('end', function() cancel('beat'); fault('over'); send('0x1F0', {0x11, 0x22}, 'Side') end)
            on.frame('id 0x201', function(frame) if frame.time > 0.95 then log('filtered', frame.CommandedDepth, value('Twice')) end end)
            on.stop(function() log('stop', value('BladeCommand.CommandedDepth'), value('BladeState.SideTilt')) end)
        )lua");
        run.runFor(1s);
        run.session->endActors();
        const QStringList words = run.words();
        QCOMPARE(words,
            (QStringList{"start up 0", "BladeCommand Implement 513 4 false 0.5 150", "nil 1.5 false",
                "BladeCommand Implement 513 4 false 0.5 150", "1.5 4.25 false", "4.25 8 false", "to counted", "from up", "stop 8 -1.25"}));
        QCOMPARE(run.frames(0x181).size(), 2);
        QCOMPARE(run.frames(0x1F0), QStringList{"1122"});
        // The values of one frame, over those of its sources; counters go on.
        for (int i = 0; i < 2; ++i) {   // 3.00 mm in the lowest twelve bits
            const QByteArray bytes = QByteArray::fromHex(run.frames(0x181).at(i).toLatin1());
            QCOMPARE(static_cast<std::uint8_t>(bytes[0]) | (static_cast<std::uint8_t>(bytes[1]) & 15U) << 8U, 300U);
            QCOMPARE(static_cast<int>(bytes[6]), i);
        }
        QVERIFY(run.blade->states().back().state == "over" && run.blade->states().back().wrong);
        const auto facts = std::any_cast<drive::NodeFacts>(run.blade->report().facts);
        QCOMPARE(facts.script.lines, std::uint64_t(words.size()));
        QVERIFY(!facts.script.stopped);
    }

    void aSignalThatIsSetStaysSet()
    {
        Run run(R"lua(
            on.start(function() set('BladeState.BladeDepth', 3.5); set('BladeState.BladeMode', 2); every('beat', 0.1) end)
            local sent = 0
            on.timer('beat', function()
                sent = sent + 1
                if sent == 3 then set('BladeState.BladeDepth', nil) end
                if sent == 4 then send('BladeState', {BladeDepth = 1, BladeMode = 1}) else send('BladeState') end
                log(value('BladeState.BladeDepth'), value('BladeMode'))
            end)
        )lua");
        run.runFor(550ms);
        QCOMPARE(run.words(), (QStringList{"3.5 2", "3.5 2", "0 2", "0 2", "0 2"}));
        const database::CatalogMessage* message = run.session->catalog()->find(0, can::Identifier{0x181, false});
        QVERIFY(message != nullptr);
        QStringList depths;
        const trace::Snapshot snapshot = run.session->trace().snapshot();
        for (trace::Row row = 0; row < snapshot.rows(); ++row)
            if (const can::FrameView frame = snapshot.frame(row); frame.id.value == 0x181) {
                QStringList values;
                for (const std::uint32_t signal : {0U, 1U, 4U, 5U}) {
                    database::Decoded decoded;
                    QVERIFY(message->plan.decodeOne(frame, signal, decoded));
                    values << QString::number(decoded.value);
                }
                depths << values.join(' ');
            }
        QCOMPARE(depths, (QStringList{"3.5 -1.25 2 0", "3.5 -1.25 2 1", "0 -1.25 2 2", "1 -1.25 1 3", "0 -1.25 2 4"}));
    }

    void whatIsWrongStopsTheScriptAlone_data()
    {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("says");
        QTest::addColumn<int>("line");
        const auto later = [](const QString& body) { return "on.timer('x', function()\n" + body + "\nend)\ntimer('x', 0.2)"; };
        QTest::newRow("loop") << later("while true do end") << "instructions" << 2;
        QTest::newRow("no such message") << later("send('BladeStat')") << "BladeState" << 2;
        QTest::newRow("no such signal") << later("send('BladeState', {BladeDept = 1})") << "BladeDepth" << 2;
        QTest::newRow("no such value") << later("log(value('CommandedDept'))") << "CommandedDepth" << 2;
        QTest::newRow("a text that the signal has not") << later("set('BladeState.BladeDepth', 'deep')") << "deep" << 2;
        QTest::newRow("not a number") << later("send('BladeState', {BladeDepth = 0/0})") << "not a number" << 2;
        QTest::newRow("a byte too large") << later("send('0x1F0', {256})") << "0 to 255" << 2;
        QTest::newRow("no such length") << later("local t = {} for i = 1, 9 do t[i] = 1 end\nsend('0x1F0', t)") << "no frame has 9 bytes"
                                        << 3;
        QTest::newRow("flood of lines") << later("for i = 1, 200 do\nlog(i) end") << "100 lines" << 3;
        QTest::newRow("events without end") << "on.enter('a', function() enter('b') end)\non.enter('b', function() enter('a') end)\n"
                                                   + later("enter('a')")
                                            << "more and more" << 0;
        QTest::newRow("much in one second") << "on.timer('y', function() for i = 1, 60000 do end end)\nevery('y', 0.0001)" << "50 million"
                                            << 0;
        QTest::newRow("calling nothing") << later("local x = nil\nx()") << "call a nil value" << 3;
        QTest::newRow("a number for a text") << later("enter(5)") << "has to be a text" << 2;
    }
    void whatIsWrongStopsTheScriptAlone()
    {
        QFETCH(const QString, text);
        QFETCH(const QString, says);
        QFETCH(const int, line);
        Run run(text.toStdString());
        QVERIFY2(!run.blade->scriptProblem(), run.blade->scriptProblem() ? run.blade->scriptProblem()->text().c_str() : "");
        run.runFor(1s);
        const auto& stopped = run.blade->script()->stopped();
        QVERIFY(stopped);
        QVERIFY2(QString::fromStdString(stopped->text()).contains(says), stopped->text().c_str());
        QCOMPARE(stopped->line, line);
        QCOMPARE(run.blade->states().back().state, std::string("script stopped"));
        QVERIFY(run.blade->states().back().wrong);
        QVERIFY(run.log().last().contains("stopped: Blade.lua"));
        QCOMPARE(run.frames(0x201).size(), 10);     // the others go on
    }

    void whatSpeaksOfNothingIsNotLoaded()
    {
        for (const auto& [text, says] : {std::pair("\non.message('BladeComand', function() end)", "BladeCommand"),
                 {"\non.change('CommandedDept', function() end)", "CommandedDepth"}, {"\non.frame('id = ', function() end)", "id"},
                 {"\non.condition('Commanded >', function() end)", "Commanded"}, {"\nsendd('x')", "sendd"}}) {
            Run run(text);
            QVERIFY(run.blade->scriptProblem());
            QVERIFY2(run.blade->scriptProblem()->text().find(says) != std::string::npos, run.blade->scriptProblem()->text().c_str());
            QCOMPARE(run.blade->scriptProblem()->line, 2);
            run.runFor(300ms);
            QCOMPARE(run.frames(0x201).size(), 3);
            const auto facts = std::any_cast<drive::NodeFacts>(run.blade->report().facts);
            QVERIFY(facts.script.stopped && facts.script.stopped->line == 2);
        }
    }

    void theSameSeedGivesTheSameFrames()
    {
        const std::string script = R"lua(
            local seen = {}
            on.message('BladeCommand', function(frame)
                seen['k' .. math.floor(random() * 50)] = frame.time
                local sum = 0
                for key, at in pairs(seen) do sum = (sum * 7 + #key + at) % 11 end
                timer('answer', 0.001 + random() * 0.01)
                set('BladeState.BladeDepth', sum)
            end)
            on.timer('answer', function() send('BladeState', {CylinderPressure = random() * 100}) end)
        )lua";
        QStringList before;
        for (int round = 0; round < 3; ++round) {
            Run run(script);
            run.runFor(20s);
            const QStringList frames = run.frames(0x181);
            QVERIFY2(frames.size() == 200, qPrintable(run.log().join('\n')));
            if (round > 0)
                QCOMPARE(frames, before);
            before = frames;
        }
        Rig other = rigWith(script);
        other.seed = 8;
        Run run(other);
        run.runFor(20s);
        QVERIFY(run.frames(0x181) != before);
    }

    void aScriptIsTakenOverWhileTheRunGoesOn()
    {
        Run run("count = 0\nevery('beat', 0.1)\non.timer('beat', function() count = count + 1; log('one', count) end)\n"
                "on.condition('CommandedDepth > 7', function() log('old') end)");
        run.runFor(350ms);
        QVERIFY(!run.blade->takeScript({"", "", "count = 0\nif"}));
        QVERIFY(!run.blade->takeScript({"", "", "on.condition('CommandedDepth > 7', function() end)\nnothing()"}));
        run.runFor(100ms);
        QVERIFY(run.blade->takeScript({"", "",
            "count = 0\non.timer('beat', function() count = count + 1; log('two', count) end)\n"
            "on.condition('CommandedDepth > 7', function() log('new') end)"}));
        run.runFor(400ms);
        QCOMPARE(run.log(), (QStringList{"0.1 one 1", "0.2 one 2", "0.3 one 3", "0.4 one 4", "0.5 two 5", "0.6 two 6", "0.7 two 7",
                                "0.8 two 8", "0.800328 new"}));
        // Taken out of the run and put back it begins as at the start.
        run.blade->setOn(false);
        run.runFor(200ms);
        const qsizetype lines = run.log().size();
        run.blade->setOn(true);
        run.runFor(100ms);
        QVERIFY(run.log().size() <= lines);
        QVERIFY(run.blade->takeScript({}));
        QVERIFY(run.blade->script() == nullptr);
    }

    void aKeyOfTheWindowIsHeard()
    {
        Run run("on.key('F7', function(down) log(down) end)");
        run.runFor(100ms);
        run.blade->key("F7", true);
        run.blade->key("F8", true);
        run.blade->key("F7", false);
        QCOMPARE(run.words(), (QStringList{"true", "false"}));
    }

    // Of itself and of others, also of what the rig keeps by a name; on the wire too. What is wrong is told in its line.
    void aScriptManipulatesAndLifts()
    {
        auto rig = rigWith("on.start(function()\n"
                           "  manipulate('Level BladeCommand.CommandedDepth = 2')\n"
                           "  timer('lift', 0.45)\n"
                           "  every('state', 0.1)\n"
                           "end)\n"
                           "on.timer('state', function() send('BladeState') end)\n"
                           "on.timer('lift', function() lift() manipulate('slant') timer('again', 0.3) end)\n"
                           "on.timer('again', function() manipulate('slant') lift('slant') log(pcall(manipulate, 'Levle BladeCommand "
                           "off')) manipulate('Blade Nothing off') end)");
        rig.manipulations.push_back(*manipulationFrom("Blade BladeState.SideTilt = 1"));
        rig.manipulations.back().name = "slant";
        Run run(rig);
        run.runFor(440ms);
        const QStringList held = run.frames(0x201);
        QVERIFY(held.size() >= 4
                && std::all_of(held.begin(), held.end(), [](const QString& one) { return one.startsWith(QStringLiteral("c8")); }));
        const QStringList straight = run.frames(0x181);
        run.runFor(500ms);
        const QStringList level = run.frames(0x201), state = run.frames(0x181);
        QVERIFY2(!level.back().startsWith(QStringLiteral("c8")), qPrintable(level.join(' ')));
        QVERIFY(state.size() > straight.size() + 2);
        // Held while it was, and as before behind.
        const auto tilt = [](const QString& one) { return one.mid(4, 4); };
        QVERIFY(tilt(state[straight.size() + 1]) != tilt(straight.front()));
        QVERIFY2(run.log().join('\n').contains(QStringLiteral("Did you mean Level")), qPrintable(run.log().join('\n')));
        QVERIFY(run.blade->script()->stopped());
        QCOMPARE(run.blade->script()->stopped()->line, 8);
    }

    void nothingIsManipulatedWithoutBounds()
    {
        Run early("manipulate('Level BladeCommand off')");
        QVERIFY(early.blade->scriptProblem() && early.blade->scriptProblem()->what.find("on.start") != std::string::npos);
        Run flood("on.start(function() for i = 1, 1000 do manipulate('Level BladeCommand.CommandedDepth + ' .. i) end end)");
        flood.runFor(10ms);
        QVERIFY(flood.blade->script()->stopped() && flood.blade->script()->stopped()->what.find("100 manipulations") != std::string::npos);
    }

    // The manual has every call of the table, in its words, with its example; and each example does what it shall.
    void theManualSaysWhatThereIs()
    {
        QFile file(WAVETROPE_DOCS "/node-scripts.md");
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QString manual = QString::fromUtf8(file.readAll());
        QString examples, reference;
        for (const drive::ScriptCall& call : drive::scriptCalls()) {
            reference +=
                QStringLiteral("### `%1(%2)`\n\n%3\n\n```lua\n%4\n```\n\n").arg(call.name, call.arguments, call.meaning, call.example);
            examples += QString::fromUtf8(call.example) + '\n';
        }
        for (const auto& [part, meaning] : drive::scriptFrameParts())
            reference += QStringLiteral("- `frame.%1`: %2\n").arg(part, meaning);
        if (qEnvironmentVariableIsSet("WAVETROPE_PRINT_REFERENCE"))
            fputs(qPrintable(reference), stdout);
        QVERIFY2(manual.contains(reference),
            "docs/node-scripts.md does not have the table of calls as it is; WAVETROPE_PRINT_REFERENCE=1 prints it");
        Run run(examples.toStdString());
        QVERIFY2(!run.blade->scriptProblem(), run.blade->scriptProblem() ? run.blade->scriptProblem()->text().c_str() : "");
        run.runFor(2s);
        QVERIFY2(!run.blade->script()->stopped(), run.blade->script()->stopped() ? run.blade->script()->stopped()->text().c_str() : "");
        QVERIFY(run.log().size() > 5 && run.frames(0x181).size() > 1);
    }

    void filesOfScriptsStayBesideTheirRig()
    {
        QTemporaryDir folder;
        const auto load = [&](const QString& script) {
            return rigFromText(QString(twoNodes).replace(R"("state": "up",)", R"("state": "up", "script": )" + script + ",").toStdString(),
                folder.filePath("rig.json").toStdString());
        };
        for (const char* wrong :
            {R"("../other.lua")", R"("/etc/passwd")", R"({"file": "a/../../b.lua"})", R"({})", R"(3)", R"({"file": "a.lua", "text": "x"})"})
            QVERIFY2(!load(wrong), wrong);
        QVERIFY(load(R"script({"text": "log(1)"})script"));
        QVERIFY(load(R"("scripts/blade.lua")"));
    }

    void theCommandLineRunsAScript()
    {
        QTemporaryDir folder;
        QFile file(folder.filePath("cab.lua"));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("every('x', 0.5)\non.timer('x', function() log('beat, with a comma', time()) end)\n");
        file.close();
        const auto cli = [](const QStringList& arguments, QByteArray* out, QByteArray* err) {
            const test::Answer answer = test::cli(arguments);
            *out = answer.out.toUtf8();
            *err = answer.err.toUtf8();
            return answer.code;
        };
        QByteArray out, err;
        const QString demo = WAVETROPE_DEMO "/rig.json";
        QCOMPARE(cli({"run", demo, "--for", "1100ms", "--virtual", "--script", "Cab=" + file.fileName(), "--log"}, &out, &err), 0);
        const QList<QByteArray> lines = out.trimmed().split('\n');
        QCOMPARE(lines.size(), 3);
        QCOMPARE(lines.at(0), QByteArray("time,node,text"));
        QVERIFY(lines.at(1).endsWith(",Cab,\"beat, with a comma 0.5\"") && lines.at(2).endsWith(",Cab,\"beat, with a comma 1\""));
        QCOMPARE(cli({"run", demo, "--for", "1s", "--virtual", "--script", "Caab=" + file.fileName()}, &out, &err), 2);
        QVERIFY(err.contains("Cab"));
        QCOMPARE(cli({"run", demo, "--for", "1s", "--virtual", "--script", "Cab=" + folder.filePath("none.lua")}, &out, &err), 2);
        QVERIFY(file.open(QIODevice::WriteOnly | QIODevice::Append));
        file.write("if\n");
        file.close();
        QCOMPARE(cli({"run", demo, "--for", "1s", "--virtual", "--script", "Cab=" + file.fileName()}, &out, &err), 2);
        QVERIFY2(err.contains("cab.lua:4") || err.contains("cab.lua:3"), err.constData());
    }
};

QTEST_APPLESS_MAIN(ScriptTest)
#include "script_test.moc"
