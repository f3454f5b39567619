// SPDX-License-Identifier: GPL-3.0-or-later
// Spectra, histograms and pairs against what is known of them and what adding up gives.
#include <QTest>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <random>

#include "measure/spectrum.h"

using namespace wavetrope;
using namespace wavetrope::measure;

namespace {

constexpr Time start = std::chrono::seconds(1'800'000'000);

struct Made {
    std::vector<Time> times;
    std::vector<double> values;
    void add(double seconds, double value)
    {
        times.push_back(start + Time(std::llround(seconds * 1e9)));
        values.push_back(value);
    }
    [[nodiscard]] TimedValues view() const { return {times, values}; }
};

bool near(double a, double b, double by = 1e-9) { return std::abs(a - b) <= by * std::max({1.0, std::abs(a), std::abs(b)}); }

}  // namespace

class SpectrumTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void linesStandWhereTheSinesAre_data()
    {
        QTest::addColumn<int>("fade");
        for (int fade = 0; fade < 5; ++fade)
            QTest::newRow(toText(static_cast<FadeOut>(fade))) << fade;
    }
    // 17.5 Hz of 0.24 mm, and 8.25 Hz of 0.05 mm, about 3 mm: sampled at 100 Hz for 4 s, lines are 0.25 Hz apart.
    void linesStandWhereTheSinesAre()
    {
        QFETCH(int, fade);
        Made made;
        for (int i = 0; i < 400; ++i) {
            const double t = i * 0.01;
            made.add(t, 3 + 0.24 * std::sin(2 * std::numbers::pi * 17.5 * t + 1) + 0.05 * std::cos(2 * std::numbers::pi * 8.25 * t));
        }
        const auto spectrum = spectrumOf(made.view(), start, start + std::chrono::seconds(4), {}, static_cast<FadeOut>(fade));
        QVERIFY(spectrum);
        QCOMPARE(spectrum->points, std::size_t{400});
        QVERIFY(near(spectrum->rate, 100) && near(spectrum->width, 0.25) && near(spectrum->mean, 3, 1e-3) && spectrum->held == 1);
        QCOMPARE(spectrum->amplitudes.size(), std::size_t{201});
        QCOMPARE(*spectrum->highest(), std::size_t{70});
        QVERIFY2(near(spectrum->amplitudes[70], 0.24, 1e-6), qPrintable(QString::number(spectrum->amplitudes[70], 'g', 12)));
        QCOMPARE(*spectrum->next(), std::size_t{33});
        QVERIFY(near(spectrum->amplitudes[33], 0.05, 1e-6));
        QCOMPARE(spectrum->amplitudes[0], 0.0);
        QCOMPARE(static_cast<int>(*fadeOutFromText(toText(static_cast<FadeOut>(fade)))), fade);
    }

    // Each line as the sum that defines it, of values at random at times at random.
    void linesAreTheSumsThatDefineThem()
    {
        std::mt19937 random(89);
        std::uint64_t compared = 0;
        for (int round = 0; round < 120; ++round) {
            Made made;
            double t = static_cast<double>(random() % 100) / 1000;
            for (unsigned i = 0; i < 5 + random() % 60; ++i) {
                t += static_cast<double>(1 + random() % 40) / 1000;
                made.add(t, random() % 12 == 0 ? std::nan("") : static_cast<double>(random() % 1000) / 7);
            }
            const Time from = start + std::chrono::milliseconds(random() % 200);
            const Time to = from + std::chrono::milliseconds(random() % 1500);
            const double rate = 20 + static_cast<double>(random() % 200);
            const auto fade = static_cast<FadeOut>(random() % 2);      // none, hann
            const auto spectrum = spectrumOf(made.view(), from, to, rate, fade);
            const auto count = static_cast<std::size_t>(static_cast<double>((to - from).count()) * 1e-9 * rate + 1e-9);
            std::vector<double> values;
            std::size_t held = 0;
            double sum = 0;
            for (std::size_t i = 0; i < count; ++i) {
                const Time moment = from + Time(std::llround(static_cast<double>(i) / rate * 1e9));
                double value = std::nan("");
                for (std::size_t k = 0; k < made.times.size() && made.times[k] <= moment; ++k)
                    value = made.values[k];
                values.push_back(value);
                if (std::isfinite(value)) {
                    ++held;
                    sum += value;
                }
            }
            QCOMPARE(spectrum.has_value(), count >= 4 && held > 0);
            if (!spectrum)
                continue;
            QVERIFY(near(spectrum->held, static_cast<double>(held) / static_cast<double>(count)));
            QVERIFY(near(spectrum->mean, sum / static_cast<double>(held)));
            double weights = 0;
            std::vector<double> faded;
            for (std::size_t i = 0; i < count; ++i) {
                const double weight =
                    fade == FadeOut::none
                        ? 1
                        : 0.5 - 0.5 * std::cos(2 * std::numbers::pi * static_cast<double>(i) / static_cast<double>(count));
                weights += weight;
                faded.push_back(std::isfinite(values[i]) ? (values[i] - sum / static_cast<double>(held)) * weight : 0);
            }
            for (std::size_t k = 1; k < spectrum->amplitudes.size(); ++k) {
                double real = 0;
                double imaginary = 0;
                for (std::size_t i = 0; i < count; ++i) {
                    const double turn = 2 * std::numbers::pi * static_cast<double>(k * i % count) / static_cast<double>(count);
                    real += faded[i] * std::cos(turn);
                    imaginary -= faded[i] * std::sin(turn);
                }
                QVERIFY(near(spectrum->amplitudes[k], (2 * k == count ? 1 : 2) * std::hypot(real, imaginary) / weights, 1e-7));
                // With its phase it is that line: real and imaginary part again.
                const double scale = spectrum->amplitudes[k] * weights / (2 * k == count ? 1 : 2);
                QVERIFY(near(scale * std::cos(spectrum->phases[k]), real, 1e-6 * (1 + std::abs(real)))
                        && near(scale * std::sin(spectrum->phases[k]), imaginary, 1e-6 * (1 + std::abs(imaginary))));
                ++compared;
            }
        }
        QVERIFY(compared > 3'000);
        Made none;
        QVERIFY(!spectrumOf(none.view(), start, start + std::chrono::seconds(1), {}, FadeOut::hann));
        none.add(0, 1);
        QVERIFY(!spectrumOf(none.view(), start, start + std::chrono::seconds(1), {}, FadeOut::hann));        // no distance
        QVERIFY(!spectrumOf(none.view(), start, start, 10.0, FadeOut::hann));
        // Of ten years at a microsecond, as many points as there may be.
        none.add(1e-6, 2);
        const auto long_ = spectrumOf(none.view(), start, start + std::chrono::hours(24 * 3650), {}, FadeOut::hann);
        QVERIFY(long_ && long_->points == Spectrum::mostPoints);
    }

    void histogramsCountEachSampleOnce()
    {
        std::mt19937 random(97);
        for (int round = 0; round < 300; ++round) {
            Made made;
            double t = 0;
            const bool whole = round % 2 == 0;
            for (unsigned i = 0; i < random() % 200; ++i) {
                t += static_cast<double>(random() % 30) / 1000;
                made.add(t, random() % 15 == 0 ? std::nan("")
                            : whole            ? static_cast<double>(random() % 40) - 20
                                               : static_cast<double>(random() % 100'000) / 13);
            }
            const Time from = start + std::chrono::milliseconds(random() % 500);
            const Time to = from + std::chrono::milliseconds(random() % 3000);
            std::vector<double> values;
            std::vector<double> periods;
            std::optional<Time> before;
            for (std::size_t i = 0; i < made.times.size(); ++i) {
                if (made.times[i] < from || made.times[i] > to)
                    continue;
                if (std::isfinite(made.values[i]))
                    values.push_back(made.values[i]);
                if (before)
                    periods.push_back(static_cast<double>((made.times[i] - *before).count()) * 1e-9);
                before = made.times[i];
            }
            for (const bool ofPeriods : {false, true}) {
                const std::vector<double>& all = ofPeriods ? periods : values;
                const auto histogram = ofPeriods ? histogramOfPeriods(made.view(), from, to, 37)
                                                 : histogramOfValues(made.view(), from, to, 37);
                QCOMPARE(histogram.has_value(), !all.empty());
                if (!histogram)
                    continue;
                QCOMPARE(histogram->all, std::uint64_t{all.size()});
                QCOMPARE(histogram->smallest, *std::min_element(all.begin(), all.end()));
                QCOMPARE(histogram->largest, *std::max_element(all.begin(), all.end()));
                std::uint64_t counted = 0;
                for (std::size_t bin = 0; bin < histogram->counts.size(); ++bin) {
                    counted += histogram->counts[bin];
                    // What stands at an edge may fall to either side.
                    const double low = histogram->low + static_cast<double>(bin) * histogram->width;
                    const double margin = 1e-9 * std::max(1.0, std::abs(low)) + histogram->width * 1e-9;
                    std::uint64_t surely = 0;
                    std::uint64_t perhaps = 0;
                    for (const double value : all) {
                        surely += value > low + margin && value < low + histogram->width - margin ? 1 : 0;
                        perhaps += value >= low - margin && value <= low + histogram->width + margin ? 1 : 0;
                    }
                    QVERIFY(histogram->counts[bin] >= surely && histogram->counts[bin] <= perhaps);
                }
                QCOMPARE(counted, histogram->all);
                if (whole && !ofPeriods)
                    QCOMPARE(histogram->counts.size(), static_cast<std::size_t>(histogram->largest - histogram->smallest) + 1);
            }
        }
    }

    void pairsAreWhatBothAreThen()
    {
        std::mt19937 random(101);
        for (int round = 0; round < 300; ++round) {
            Made x, y;
            for (Made* one : {&x, &y}) {
                double t = 0;
                for (unsigned i = 0; i < random() % 40; ++i) {
                    t += static_cast<double>(random() % 20) / 1000;
                    one->add(t, random() % 10 == 0 ? std::nan("") : static_cast<double>(random() % 50));
                }
            }
            const Time from = start + std::chrono::milliseconds(random() % 200);
            const Time to = from + std::chrono::milliseconds(random() % 400);
            const Pairing pairs = pairedOver(x.view(), y.view(), from, to);
            std::vector<Time> moments = x.times;
            moments.insert(moments.end(), y.times.begin(), y.times.end());
            std::sort(moments.begin(), moments.end());
            moments.erase(std::unique(moments.begin(), moments.end()), moments.end());
            const auto holding = [](const Made& of, Time moment) {
                double value = std::nan("");
                for (std::size_t i = 0; i < of.times.size() && of.times[i] <= moment; ++i)
                    value = of.values[i];
                return value;
            };
            std::size_t at = 0;
            for (const Time moment : moments) {
                const double a = holding(x, moment);
                const double b = holding(y, moment);
                if (moment < from || moment > to || !std::isfinite(a) || !std::isfinite(b))
                    continue;
                QVERIFY(at < pairs.times.size() && pairs.times[at] == moment && pairs.xs[at] == a && pairs.ys[at] == b);
                ++at;
            }
            QCOMPARE(at, pairs.times.size());
        }
    }
};

QTEST_APPLESS_MAIN(SpectrumTest)
#include "spectrum_test.moc"
