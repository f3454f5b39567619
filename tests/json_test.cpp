// SPDX-License-Identifier: GPL-3.0-or-later
// Documents of JSON: what is read from them, and the place that an error names.
#include <QTest>

#include "base/json_reader.h"

using namespace wavetrope;
using nlohmann::json;

class JsonTest : public QObject {
    Q_OBJECT
    static QString wrongOf(const char* document, const std::function<void(const JsonReader&)>& read)
    {
        const json parsed = json::parse(document);
        const auto done = readingJson("file", [&] {
            read(JsonReader(parsed));
            return 0;
        });
        return done ? QString() : QString::fromStdString(done.error().text());
    }
private Q_SLOTS:
    void whatIsThereIsRead()
    {
        const json document = json::parse(
            R"({"name": "pump", "share": 0.5, "count": 7, "on": true, "every": "20 ms", "after": 1.5, "kind": "b", "one": "x", "many": ["x", "y"], "odd/name~": {"deep": [1, 2]}})");
        const JsonReader in(document);
        QCOMPARE(in.text("name"), std::string("pump"));
        QCOMPARE(in.needText("name"), std::string("pump"));
        QCOMPARE(in.number("share", 0), 0.5);
        QCOMPARE(in.whole("count", 10, 0), std::uint64_t{7});
        QVERIFY(in.flag("on"));
        QCOMPARE(in.span("every"), Time(std::chrono::milliseconds(20)));
        QCOMPARE(in.span("after"), Time(std::chrono::milliseconds(1500)));
        static constexpr const char* words[] = {"a", "b"};
        QCOMPARE(in.word("kind", words), 1U);
        QCOMPARE(in.texts("one"), (std::vector<std::string>{"x"}));
        QCOMPARE(in.texts("many"), (std::vector<std::string>{"x", "y"}));
        double sum = 0;
        in.at("odd/name~").each("deep", [&](const JsonReader& number) { sum += number.number(); });
        QCOMPARE(sum, 3.0);
    }
    void whatIsNotThereHasItsStandard()
    {
        const json document = json::object();
        const JsonReader in(document);
        QCOMPARE(in.text("name", "none"), std::string("none"));
        QCOMPARE(in.number("share", 2), 2.0);
        QCOMPARE(in.whole("count", 10, 3), std::uint64_t{3});
        QVERIFY(!in.flag("on") && !in.has("on") && in.texts("many").empty());
        QCOMPARE(in.span("every"), Time{0});
        static constexpr const char* words[] = {"a", "b"};
        QCOMPARE(in.word("kind", words, 1), 1U);
        in.each("list", [](const JsonReader&) { QFAIL("nothing is there"); });
        in.eachMember("members", [](const std::string&, const JsonReader&) { QFAIL("nothing is there"); });
    }
    void anErrorNamesItsPlaceAndWhatWasExpected()
    {
        static constexpr const char* words[] = {"first", "second"};
        const auto expect = [](const QString& said, const char* pointer, const char* words2) {
            QVERIFY2(said.contains(QLatin1String(pointer)) && said.contains(QLatin1String(words2)), qPrintable(said));
        };
        expect(wrongOf(R"([1])", [](const JsonReader& in) { (void)in.text("name"); }), "file, /", "an object");
        expect(wrongOf(R"({"name": 3})", [](const JsonReader& in) { (void)in.text("name"); }), "/name", "a text in quotes");
        expect(wrongOf(R"({})", [](const JsonReader& in) { (void)in.needText("name"); }), "/name", "found none");
        expect(wrongOf(R"({})", [](const JsonReader& in) { (void)in.at("name"); }), "/name", "is missing");
        expect(wrongOf(R"({"n": "3"})", [](const JsonReader& in) { (void)in.number("n", 0); }), "/n", "a number");
        expect(wrongOf(R"({"n": 11})", [](const JsonReader& in) { (void)in.whole("n", 10, 0); }), "/n", "0 to 10");
        expect(wrongOf(R"({"n": -1})", [](const JsonReader& in) { (void)in.whole("n", 10, 0); }), "/n", "0 to 10");
        expect(wrongOf(R"({"n": 1})", [](const JsonReader& in) { (void)in.flag("n"); }), "/n", "true or false");
        expect(wrongOf(R"({"n": "soon"})", [](const JsonReader& in) { (void)in.span("n"); }), "/n", "20 ms");
        expect(wrongOf(R"({"n": -1})", [](const JsonReader& in) { (void)in.span("n"); }), "/n", "20 ms");
        expect(wrongOf(R"({"n": "third"})", [](const JsonReader& in) { (void)in.word("n", words); }), "/n", "first, second; found 'third'");
        expect(wrongOf(R"({"list": {}})", [](const JsonReader& in) { in.each("list", [](const JsonReader&) {}); }), "/list", "a list");
        expect(wrongOf(R"({"a": [{"b": [true]}]})",
                   [](const JsonReader& in) {
                       in.each(
                           "a", [](const JsonReader& element) { element.each("b", [](const JsonReader& deep) { (void)deep.text(); }); });
                   }),
            "/a/0/b/0", "a text in quotes");
        // RFC 6901, 3: '~' and '/' of a name are written ~0 and ~1.
        expect(wrongOf(R"({"m": {"a/b~c": 1}})",
                   [](const JsonReader& in) {
                       in.eachMember("m", [](const std::string&, const JsonReader& member) { (void)member.text(); });
                   }),
            "/m/a~1b~0c", "a text in quotes");
    }
};

QTEST_APPLESS_MAIN(JsonTest)
#include "json_test.moc"
