// SPDX-License-Identifier: GPL-3.0-or-later
// Derived signals, measures and shares against plain references that look at every sample.
#include <QFile>
#include <QTest>

#include <cmath>
#include <map>
#include <random>

#include "database/dbc_reader.h"
#include "database/derived_stream.h"
#include "derived_model.h"
#include "filter/filter_scan.h"
#include "filter/signal_pattern.h"
#include "made_traffic.h"
#include "measure/interval_measures.h"
#include "measure/load_shares.h"
#include "measure/range_events.h"
#include "sanitized.h"

using namespace wavetrope;
using namespace wavetrope::measure;
using test::fill, test::inputNames, test::madeCatalog, test::start;

namespace {

// Of a frame: which of the inputs it carries, by looking each up.
std::map<unsigned, double> carried(const database::Catalog& catalog, const can::FrameView& frame)
{
    std::map<unsigned, double> out;
    for (unsigned i = 0; i < inputNames.size(); ++i) {
        const auto ref = catalog.findSignal(inputNames[i]);
        database::Decoded decoded;
        if (catalog.find(frame) == ref->message && ref->message->plan.decodeOne(frame, ref->index, decoded))
            out[i] = decoded.value;
    }
    return out;
}

bool near(double a, double b)
{
    if (std::isnan(a) || std::isnan(b))
        return std::isnan(a) == std::isnan(b);
    return a == b || std::abs(a - b) <= 1e-9 * std::max({1.0, std::abs(a), std::abs(b)});
}

QString shown(double value) { return QString::number(value, 'g', 17); }

}  // namespace

class DerivedTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void agreesWithWhatTheWordsSay()
    {
        std::mt19937 random(41);
        std::uint64_t compared = 0;
        std::map<std::string, int> seen;
        for (int round = 0; round < test::some(1500, 150); ++round) {
            trace::Trace trace;
            fill(trace, random, 60 + static_cast<int>(random() % 200), false);
            auto catalog = madeCatalog();
            const auto term = test::madeTerm(random, static_cast<unsigned>(inputNames.size()), 1 + random() % 4);
            const std::string formula = term->text(inputNames);
            catalog->derive({{"Made", formula, "", {}, {}, ""}});
            const std::set<unsigned> own = term->inputs();
            QCOMPARE(catalog->derived()[0].problem.has_value(), own.empty());
            if (own.empty())
                continue;
            const trace::Snapshot snapshot = trace.snapshot();
            const Samples samples = derivedSamples(snapshot, *catalog, 0);
            database::DerivedStream stream(catalog, {0});
            std::vector<std::optional<double>> held(inputNames.size());
            std::size_t at = 0;
            for (trace::Row row = 0; row < snapshot.rows(); ++row) {
                const can::FrameView frame = snapshot.frame(row);
                std::set<unsigned> touched;
                for (const auto& [input, value] : carried(*catalog, frame))
                    if (own.contains(input)) {
                        held[input] = value;
                        touched.insert(input);
                    }
                const auto& streamed = stream.take(frame);
                const auto expected = touched.empty() ? std::nullopt : term->at(frame.time.count(), held, touched);
                QCOMPARE(streamed.size(), expected ? std::size_t{1} : std::size_t{0});
                if (!expected)
                    continue;
                QVERIFY(at < samples.size() && samples.rows[at] == row && samples.times[at] == frame.time);
                // Where numbers grow beyond all bounds, what is lost in rounding may turn a comparison round.
                if (std::abs(*expected) > 1e250 || std::abs(samples.values[at]) > 1e250) {
                    ++at;
                    break;
                }
                if (!near(samples.values[at], *expected)) {
                    bool huge = false;
                    for (const auto& value : held)
                        huge = huge || (value && std::abs(*value) > 1e100);
                    if (huge)
                        break;
                    QFAIL(qPrintable(QString::fromStdString(formula) + ": " + shown(samples.values[at]) + " and not " + shown(*expected)));
                }
                QVERIFY(near(streamed[0].value, samples.values[at]));
                ++at;
                ++compared;
            }
            for (const formula::Function& function : formula::functions())
                if (formula.find(std::string(function.name) + "(") != std::string::npos)
                    ++seen[std::string(function.name)];
        }
        QVERIFY2(compared > static_cast<unsigned>(test::some(20'000, 1'500)), qPrintable(QString::number(compared)));
        for (const char* name : {"mean", "smallest", "largest", "slope", "integral", "delayed", "since", "count", "if", "round"})
            QVERIFY2(seen[name] > test::some(10, 0), name);
    }

    void blocksAndSingleSamplesAreTheSame()
    {
        std::mt19937 random(43);
        trace::Trace trace;
        fill(trace, random, 30'000, true);
        auto catalog = madeCatalog();
        catalog->derive({{"Later", "Error * 2 + count(Error > 3)", "", {}, {}, ""},
            {"Error", "Front.Two.A - mean(Front.Two.B, 300 ms)", "mm", {}, {}, ""},
            {"Way", "integral(slope(Rear.Two.A)) + delayed(Error, 70 ms) + largest(Front.Flows.Left, 1 s)", "", {}, {}, ""}});
        for (std::uint32_t d = 0; d < 3; ++d) {
            QVERIFY(!catalog->derived()[d].problem);
            const Samples samples = derivedSamples(trace.snapshot(), *catalog, d);
            QVERIFY(samples.size() > 3'000);
            database::DerivedStream stream(catalog, {d});
            std::size_t at = 0;
            for (trace::Row row = 0; row < trace.rows(); ++row)
                for (const auto& sample : stream.take(trace.snapshot().frame(row)))
                    if (sample.derived == d) {
                        QVERIFY(at < samples.size());
                        QCOMPARE(samples.rows[at], row);
                        QVERIFY(std::isnan(sample.value) ? std::isnan(samples.values[at]) : sample.value == samples.values[at]);
                        ++at;
                    }
            QCOMPARE(at, samples.size());
        }
    }

    // Where it has a sample that is finite: compared, or beside the one before. Scanned as the trace grows, and frame by frame.
    void filtersLookAtDerivedSignals()
    {
        std::mt19937 random(59);
        trace::Trace trace;
        fill(trace, random, 150'000, false);     // more than two segments
        auto catalog = madeCatalog();
        catalog->derive({{"Error", "Front.Two.A / round(Front.Two.B / 100) - mean(Rear.Two.A, 300 ms)", "mm", {}, {}, ""}});
        const Samples samples = derivedSamples(trace.snapshot(), *catalog, 0);
        using Holds = bool (*)(double, std::optional<double>);
        const std::vector<std::pair<const char*, Holds>> filters = {{"Error > 20 mm", [](double v, auto) { return v > 20; }},
            {"Error between -5 and 5", [](double v, auto) { return v >= -5 && v <= 5; }},
            {"Error changes by 60", [](double v, auto b) { return b && std::abs(v - *b) >= 60; }},
            {"Error rises above 0", [](double v, auto b) { return b && v > 0 && !(*b > 0); }},
            {"Error falls below 0", [](double v, auto b) { return b && v < 0 && !(*b < 0); }},
            {"Error changes", [](double v, auto b) { return b && v != *b; }}};
        for (const auto& [words, holds] : filters) {
            std::vector<trace::Row> expected;
            std::optional<double> before;
            for (std::size_t i = 0; i < samples.size(); ++i) {
                if (!std::isfinite(samples.values[i]))
                    continue;
                if (holds(samples.values[i], before))
                    expected.push_back(samples.rows[i]);
                before = samples.values[i];
            }
            QVERIFY(expected.size() > 50);
            const auto filter = filter::Filter::compile(words, catalog);
            QVERIFY2(filter, filter ? "" : filter.error().text().c_str());
            QVERIFY(filter->needsOthers() && filter->looksAtContents());
            filter::FilterScan scan(*filter);
            for (std::uint64_t rows = 0; rows < trace.rows();) {
                rows = std::min<std::uint64_t>(trace.rows(), rows + 1 + random() % 40'000);
                scan.advance(trace::Snapshot(trace, rows), {});
            }
            std::vector<trace::Row> found;
            for (std::uint64_t n = 0; n < scan.rows().size(); ++n)
                found.push_back(scan.rows()[n]);
            QVERIFY2(found == expected, words);
            filter::FilterStream stream(*filter);
            found.clear();
            for (trace::Row row = 0; row < trace.rows(); ++row) {
                if (row == 70'000)
                    stream.rebind(*filter::Filter::compile(words, catalog));
                if (stream.passes(trace.snapshot().frame(row)))
                    found.push_back(row);
            }
            QVERIFY2(found == expected, words);
        }
        const auto thinned = filter::Filter::compile("Error > 20 every 10", catalog);
        filter::FilterScan scan(*thinned);
        scan.advance(trace.snapshot(), {});
        filter::FilterScan all(*filter::Filter::compile("Error > 20", catalog));
        all.advance(trace.snapshot(), {});
        QCOMPARE(scan.rows().size(), (all.rows().size() + 9) / 10);
        QCOMPARE(scan.rows()[1], all.rows()[10]);
        for (const char* wrong : {"Error > 2 bar", "Error = \"on\"", "Error"})
            QVERIFY(!filter::Filter::compile(wrong, catalog));
    }

    void mistakesSayWhatAndWhere_data()
    {
        QTest::addColumn<QString>("formula");
        QTest::addColumn<QString>("words");
        QTest::addColumn<int>("column");
        QTest::newRow("ambiguous") << "1 + A" << "Name one of them: Front.Two.A or Rear.Two.A" << 5;
        QTest::newRow("none") << "Front.Two.C" << "there is no signal 'Front.Two.C'" << 1;
        QTest::newRow("near") << "Lft" << "Did you mean Left?" << 1;
        QTest::newRow("circle") << "Other + 1" << "circle: Made looks at Other, which looks at Made" << 0;
        QTest::newRow("itself") << "Made" << "circle: Made looks at Made" << 0;
        QTest::newRow("time") << "mean(Front.Two.A, 200)x" << "expected an operator" << 23;
        QTest::newRow("no time") << "mean(Front.Two.A)" << "expected ',' and a time" << 17;
        QTest::newRow("bad time") << "mean(Front.Two.A, soon)" << "expected a time, such as 200 ms" << 19;
        QTest::newRow("nodes' time") << "t * 2" << "t is the time of simulated nodes" << 1;
        QTest::newRow("nodes' noise") << "noise(2)" << "for simulated nodes alone" << 1;
        QTest::newRow("no input") << "2 * 3" << "looks at no signal" << 0;
        QTest::newRow("quotes") << "\"Front.Two.A" << "does not end" << 1;
    }
    void mistakesSayWhatAndWhere()
    {
        QFETCH(QString, formula);
        QFETCH(QString, words);
        QFETCH(int, column);
        auto catalog = madeCatalog();
        catalog->derive({{"Made", formula.toStdString(), "", {}, {}, ""}, {"Other", "Made * 2", "", {}, {}, ""}});
        QString all;
        for (const auto& derived : catalog->derived())
            if (derived.problem)
                all += QString::fromStdString(derived.problem->text()) + "\n";
        QVERIFY2(all.contains(words), qPrintable(all));
        QCOMPARE(catalog->derived()[0].problem->column, column);
        QVERIFY(all.contains("derived signal 'Made'") && catalog->derived()[1].problem);     // who looks at it has none either
        QVERIFY(catalog->derivedOrder().empty());
    }

    void nameInQuotesMayHaveBlanks()
    {
        const auto database = std::make_shared<const database::Database>(database::readDbc(test::madeText, "made.dbc").database);
        auto catalog = std::make_shared<database::Catalog>();
        catalog->attach(catalog->addBus("Front left"), database);
        catalog->derive({{"Made", "\"Front left.Two.A\" + B", "", {}, {}, ""}});
        QVERIFY2(!catalog->derived()[0].problem, catalog->derived()[0].problem ? catalog->derived()[0].problem->text().c_str() : "");
    }

    void rangesAreLeftAndEnteredAtTheirFrames()
    {
        std::mt19937 random(61);
        for (int round = 0; round < 500; ++round) {
            Samples samples;
            for (unsigned i = 0; i < random() % 40; ++i) {
                samples.rows.push_back(i * 3);
                samples.times.push_back(start + std::chrono::milliseconds(i * 10));
                samples.values.push_back(random() % 9 == 0    ? std::nan("")
                                         : random() % 30 == 0 ? HUGE_VAL
                                                              : static_cast<double>(random() % 9));
            }
            const auto found = outOfRange(samples, 2, 6);
            // Each sample by itself: is it the first outside, or the first inside again?
            std::size_t events = 0;
            for (std::size_t i = 0; i < samples.size(); ++i) {
                const double value = samples.values[i];
                if (std::isnan(value))
                    continue;
                std::optional<bool> before;
                for (std::size_t k = i; k > 0 && !before; --k)
                    if (!std::isnan(samples.values[k - 1]))
                        before = samples.values[k - 1] < 2 || samples.values[k - 1] > 6;
                const bool outside = value < 2 || value > 6;
                if (outside && !before.value_or(false)) {
                    QVERIFY(events < found.size());
                    QCOMPARE(found[events].row, samples.rows[i]);
                    QCOMPARE(found[events].below, value < 2);
                    ++events;
                } else if (!outside && before.value_or(false)) {
                    QCOMPARE(*found[events - 1].to, samples.times[i]);
                }
            }
            QCOMPARE(found.size(), events);
            for (std::size_t e = 0; e + 1 < found.size(); ++e)
                QVERIFY(found[e].to);
        }
    }

    // Straight from the words: pieces that hold from one sample to the next, cut at both ends.
    void measuresAgreeWithAddingUp()
    {
        std::mt19937 random(47);
        for (int round = 0; round < test::some(2000, 300); ++round) {
            Samples samples;
            Time time = start;
            const bool disorder = random() % 4 == 0;
            for (unsigned i = 0; i < random() % 30; ++i) {
                time += std::chrono::milliseconds(random() % 3 == 0 ? 0 : random() % 100);
                samples.rows.push_back(i);
                samples.times.push_back(disorder && random() % 3 == 0 ? time - std::chrono::milliseconds(random() % 200) : time);
                samples.values.push_back(random() % 12 == 0 ? std::nan("") : static_cast<double>(random() % 2000) / 7 - 100);
            }
            const Time from = random() % 5 == 0 ? Time::min() : start + std::chrono::milliseconds(static_cast<int>(random() % 1500) - 200);
            const Time to = std::max(from == Time::min() ? start : from, start + std::chrono::milliseconds(random() % 2000));
            const IntervalMeasures measures = measured(samples, from, to);
            std::vector<std::size_t> order(samples.size());
            for (std::size_t i = 0; i < order.size(); ++i)
                order[i] = i;
            std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return samples.times[a] < samples.times[b]; });
            std::vector<double> inside;
            std::vector<Time> stamps;
            double weight = 0, sum = 0, squares = 0;
            std::vector<std::pair<double, double>> pieces;
            for (std::size_t k = 0; k < order.size(); ++k) {
                const Time t = samples.times[order[k]];
                const double v = samples.values[order[k]];
                if (std::isnan(v))
                    continue;
                if (t >= from && t <= to) {
                    inside.push_back(v);
                    stamps.push_back(t);
                }
                const Time until = std::min(to, k + 1 < order.size() ? samples.times[order[k + 1]] : to);
                const Time since = std::max(t, from);
                if (until > since)
                    pieces.emplace_back(v, static_cast<double>((until - since).count()) * 1e-9);
            }
            for (const auto& [v, w] : pieces) {
                weight += w;
                sum += v * w;
                squares += v * v * w;
            }
            QCOMPARE(measures.samples, inside.size());
            if (!inside.empty()) {
                QCOMPARE(measures.first, inside.front());
                QCOMPARE(measures.last, inside.back());
                QCOMPARE(measures.smallest, *std::min_element(inside.begin(), inside.end()));
                QCOMPARE(measures.largest, *std::max_element(inside.begin(), inside.end()));
            }
            QCOMPARE(measures.slope.has_value(), inside.size() > 1 && stamps.back() > stamps.front());
            if (measures.slope)
                QVERIFY(near(*measures.slope,
                    (inside.back() - inside.front()) / (static_cast<double>((stamps.back() - stamps.front()).count()) * 1e-9)));
            QCOMPARE(measures.mean.has_value(), weight > 0);
            if (!measures.mean)
                continue;
            double deviation = 0;
            for (const auto& [v, w] : pieces)
                deviation += (v - sum / weight) * (v - sum / weight) * w;
            QVERIFY(near(*measures.mean, sum / weight));
            QVERIFY(near(*measures.integral, sum));
            QVERIFY(near(*measures.rms, std::sqrt(squares / weight)));
            QVERIFY(near(*measures.deviation, std::sqrt(deviation / weight)));
        }
    }

    // A stretch alone gives what the whole does, from rows that are found and not passed.
    void stretchesAreMeasuredByThemselves()
    {
        std::mt19937 random(67);
        for (const bool disorder : {false, true}) {
            trace::Trace trace;
            fill(trace, random, 100'000, disorder);
            const auto catalog = madeCatalog();
            const trace::Snapshot snapshot = trace.snapshot();
            for (int round = 0; round < 60; ++round) {
                const auto ref = catalog->findSignal(inputNames[random() % inputNames.size()]);
                const Time from = start + std::chrono::milliseconds(static_cast<std::int64_t>(random() % 800'000) - 10'000);
                const Time to = from + std::chrono::milliseconds(random() % (round % 2 == 0 ? 100 : 100'000));
                const IntervalMeasures whole = measured(samplesOf(snapshot, *catalog, *ref), from, to);
                const IntervalMeasures part = measured(samplesBetween(snapshot, *catalog, *ref, from, to), from, to);
                QCOMPARE(part.samples, whole.samples);
                QVERIFY(part.mean == whole.mean && part.deviation == whole.deviation && part.integral == whole.integral
                        && part.atFrom == whole.atFrom && part.atTo == whole.atTo);
                QCOMPARE(part.changes, whole.changes);
            }
        }
    }

    void smallDeviationsBesideLargeMeansAndHugeNumbersAreKept()
    {
        IntervalMeter meter(start, start + std::chrono::seconds(4));
        for (int i = 0; i < 4; ++i)
            meter.add(start + std::chrono::seconds(i), 1e9 + (i % 2 == 0 ? 1e-3 : -1e-3));
        const IntervalMeasures small = meter.finish();
        QVERIFY(std::abs(*small.deviation - 1e-3) < 1e-7);
        IntervalMeter huge(start, start + std::chrono::seconds(2));
        huge.add(start, 1e300);
        huge.add(start + std::chrono::seconds(1), -1e300);
        const IntervalMeasures measures = huge.finish();
        QCOMPARE(*measures.rms, 1e300);
        QCOMPARE(*measures.deviation, 1e300);
        QCOMPARE(*measures.mean, 0.0);
        QCOMPARE(*measures.atFrom, 1e300);
        QCOMPARE(*measures.atTo, -1e300);
    }

    void sharesAgreeWithAddingUp_data()
    {
        QTest::addColumn<int>("by");
        QTest::newRow("message") << 0;
        QTest::newRow("sender") << 1;
        QTest::newRow("kind") << 2;
        QTest::newRow("class") << 3;
    }
    void sharesAgreeWithAddingUp()
    {
        QFETCH(int, by);
        std::mt19937 random(53);
        const auto catalog = madeCatalog();
        const std::vector<can::BitRate> rates = {{500'000, 0}, {250'000, 0}};
        const std::map<std::uint32_t, std::pair<std::string, std::string>> known = {
            {256, {"Flows", "Pump"}}, {257, {"Real", "Pump"}}, {258, {"Two", "Panel"}}};
        for (int round = 0; round < 60; ++round) {
            trace::Trace trace;
            fill(trace, random, 1 + static_cast<int>(random() % 400), random() % 3 == 0);
            const trace::Snapshot snapshot = trace.snapshot();
            ShareRange range;
            if (random() % 2 == 0)
                range.from = start + std::chrono::milliseconds(random() % 1000);
            if (random() % 2 == 0)
                range.to = range.from.value_or(start) + std::chrono::milliseconds(random() % 2000);
            const auto shares = loadShares(snapshot, *catalog, rates, static_cast<ShareBy>(by), range);
            QVERIFY(shares);
            const auto bitsOf = [&](const can::FrameView& frame) { return can::wireLength(frame).nominalBits; };
            const auto bit = [&](const can::FrameView& frame) { return frame.bus == 0 ? 2000 : 4000; };
            Time from = Time::max();
            Time to = Time::min();
            for (trace::Row row = 0; row < snapshot.rows(); ++row)
                to = std::max(to, snapshot.time(row));
            for (trace::Row row = 0; row < snapshot.rows(); ++row)
                if (const can::FrameView frame = snapshot.frame(row); frame.time == snapshot.earliest())
                    from = std::min(from, frame.time - Time(bitsOf(frame) * bit(frame)));
            from = range.from.value_or(from);
            to = range.to.value_or(to);
            QCOMPARE(shares->from, from);
            QCOMPARE(shares->to, to);
            struct Sum {
                std::uint64_t frames = 0, bits = 0;
                std::int64_t busy = 0;
            };
            std::map<std::pair<unsigned, std::string>, Sum> sums;
            for (trace::Row row = 0; row < snapshot.rows(); ++row) {
                const can::FrameView frame = snapshot.frame(row);
                if (frame.time < from || frame.time > to)
                    continue;
                const bool error = frame.kind == can::FrameKind::error;
                const auto found = error ? known.end() : known.find(frame.id.value);
                const std::string whats[] = {found != known.end() ? found->second.first : can::toText(frame.id),
                    found != known.end() && frame.kind == can::FrameKind::data ? found->second.second : "unknown", can::toText(frame.kind),
                    "plain"};
                Sum& sum = sums[{frame.bus, whats[by]}];
                ++sum.frames;
                sum.bits += bitsOf(frame) + 3U;
                const Time begins = std::max(from, frame.time - Time(bitsOf(frame) * bit(frame)));
                const Time ends = std::min(to, frame.time + Time(3 * bit(frame)));
                sum.busy += (ends - begins).count();
            }
            QCOMPARE(shares->shares.size(), sums.size());
            for (std::size_t i = 0; i < shares->shares.size(); ++i) {
                const LoadShare& share = shares->shares[i];
                const Sum& sum = sums.at({share.bus, share.what});
                QCOMPARE(share.frames, sum.frames);
                QCOMPARE(share.bits, sum.bits);
                QCOMPARE(share.busy.count(), sum.busy);
                if (i > 0 && shares->shares[i - 1].bus == share.bus)
                    QVERIFY(shares->shares[i - 1].busy >= share.busy);
            }
            // Of a bus behind those whose rates are told, as a log brings it late: frames and bits, and no busy time.
            const auto untold = loadShares(snapshot, *catalog, {rates[0]}, static_cast<ShareBy>(by), {from, to});
            QVERIFY(untold);
            QCOMPARE(untold->shares.size(), sums.size());
            for (const LoadShare& share : untold->shares) {
                QCOMPARE(share.frames, (sums.at({share.bus, share.what}).frames));
                QCOMPARE(share.busy.count(), share.bus == 0 ? sums.at({share.bus, share.what}).busy : 0);
            }
        }
    }

    void patternsChooseSignals()
    {
        const auto fits = [](const char* pattern, const char* message, const char* signal) {
            const auto compiled = filter::SignalPattern::compile(pattern);
            return compiled && compiled->fits(message, signal);
        };
        QVERIFY(fits("Blade*", "X", "BladeDepth") && fits("blade*", "X", "BladeDepth") && !fits("Blade*", "X", "Flow"));
        QVERIFY(fits("X.*", "X", "Flow") && !fits("X.*", "", "Flow") && fits("", "X", "Flow"));
        QVERIFY(fits("/Force(Left|Right)/", "X", "ForceLeft") && !fits("/^Force$/", "X", "ForceLeft") && fits("/^X[.]F/", "X", "Flow"));
        QVERIFY(fits("/^\\w{4}L/", "X", "LawnLeft") && fits("/(?i)^force/", "X", "ForceLeft"));
        QVERIFY(!filter::SignalPattern::compile("/(/") && !filter::SignalPattern::compile("/a++/"));
        QVERIFY(!filter::SignalPattern::compile("/(a)\\1/") && !filter::SignalPattern::compile("/a{99999}/"));
        QVERIFY(!filter::SignalPattern::compile("/" + std::string(1000, '(') + "/"));
        // What repeats what repeats is refused before it is multiplied out.
        QVERIFY(!filter::SignalPattern::compile("/((((((a{30}){30}){30}){30}){30}){30}/"));
        QVERIFY(!fits("/^(a|a?)+$/", "", std::string(200'000, 'a').append("b").c_str()));
    }

    void theDocumentHasTheTablesOfTheLanguage()
    {
        QFile file(QStringLiteral(WAVETROPE_DOCS "/derived-signals.md"));
        QVERIFY(file.open(QIODevice::ReadOnly));
        const std::string document = file.readAll().toStdString();
        for (const formula::Use use : {formula::Use::anywhere, formula::Use::derived})
            QVERIFY2(document.find(formula::functionTable(use)) != std::string::npos, formula::functionTable(use).c_str());
    }
};

QTEST_APPLESS_MAIN(DerivedTest)
#include "derived_test.moc"
