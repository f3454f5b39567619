// SPDX-License-Identifier: GPL-3.0-or-later
// What derived signals mean, said once more and slowly: each function looks through all that it has ever been given.
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <optional>
#include <random>
#include <set>
#include <string>
#include <vector>

namespace wavetrope::test {

/// A formula as a tree, with what each part of it was.
struct Term {
    std::string op;                     ///< A number, "input", an operator, or a function.
    double number = 0;
    unsigned input = 0;
    std::int64_t span = 0;              ///< Nanoseconds.
    std::vector<std::unique_ptr<Term>> of;
    struct Was {
        std::int64_t time;
        double value;
    };
    std::vector<Was> was;               ///< Of its first part, at each sample of the whole.
    std::vector<Was> samples;           ///< The same, where one of its inputs has a sample.

    [[nodiscard]] std::set<unsigned> inputs() const
    {
        std::set<unsigned> out;
        if (op == "input")
            out.insert(input);
        for (const auto& part : of)
            out.merge(part->inputs());
        return out;
    }

    [[nodiscard]] std::string text(const std::vector<std::string>& names) const
    {
        if (op == "number")
            return std::to_string(number);
        if (op == "input")
            return names[input];
        std::string out;
        for (std::size_t i = 0; i < of.size(); ++i)
            out += (i == 0                                                                                 ? ""
                       : std::isalpha(static_cast<unsigned char>(op[0])) != 0 && op != "and" && op != "or" ? ", "
                                                                                                           : " " + op + " ")
                   + of[i]->text(names);
        if (op == "minus")
            return "(-" + out + ")";
        if (op == "not")
            return "(not " + out + ")";
        if (std::isalpha(static_cast<unsigned char>(op[0])) == 0 || op == "and" || op == "or")
            return "(" + out + ")";
        return op + "(" + out + (spans() ? ", " + std::to_string(span) + " ns" : "") + ")";
    }
    [[nodiscard]] bool spans() const { return op == "mean" || op == "smallest" || op == "largest" || op == "delayed"; }

    /// At a sample of the whole, at a time that never goes back. `held` is what its inputs are, `touched` which of them have a sample.
    std::optional<double> at(std::int64_t now, const std::vector<std::optional<double>>& held, const std::set<unsigned>& touched)
    {
        constexpr double nan = std::numeric_limits<double>::quiet_NaN();
        if (op == "number")
            return number;
        if (op == "input")
            return held[input];
        std::vector<double> v;
        bool all = true;
        for (const auto& part : of) {       // each is asked, so that it remembers
            const auto value = part->at(now, held, touched);
            all = all && value;
            v.push_back(value.value_or(0));
        }
        if (!all)
            return std::nullopt;
        const std::set<unsigned> own = of[0]->inputs();
        if (was.empty() || std::any_of(own.begin(), own.end(), [&](unsigned i) { return touched.contains(i); }))
            samples.push_back({now, v[0]});
        was.push_back({now, v[0]});
        const auto truth = [](bool is) { return is ? 1.0 : 0.0; };
        if (op == "+")
            return v[0] + v[1];
        if (op == "-")
            return v[0] - v[1];
        if (op == "*")
            return v[0] * v[1];
        if (op == "/")
            return v[1] == 0 ? nan : v[0] / v[1];
        if (op == "%")
            return v[1] == 0 ? nan : std::fmod(v[0], v[1]);
        if (op == "<")
            return truth(v[0] < v[1]);
        if (op == ">=")
            return truth(v[0] >= v[1]);
        if (op == "and")
            return truth(v[0] != 0 && v[1] != 0);
        if (op == "or")
            return truth(v[0] != 0 || v[1] != 0);
        if (op == "not")
            return truth(v[0] == 0);
        if (op == "minus")
            return -v[0];
        if (op == "abs")
            return std::fabs(v[0]);
        if (op == "round")
            return v[0] < 0 ? -std::floor(-v[0] + 0.5) : std::floor(v[0] + 0.5);
        if (op == "min")
            return v[1] < v[0] ? v[1] : v[0];
        if (op == "if")
            return v[0] != 0 ? v[1] : v[2];
        if (op == "slope") {
            if (samples.size() < 2)
                return std::nullopt;
            const Was& a = samples[samples.size() - 2];
            const Was& b = samples.back();
            return b.time == a.time ? nan : (b.value - a.value) / (static_cast<double>(b.time - a.time) * 1e-9);
        }
        if (op == "since" || op == "count") {
            std::optional<std::int64_t> last;
            double times = 0;
            for (std::size_t i = 0; i < was.size(); ++i)
                if (was[i].value != 0 && (i == 0 || was[i - 1].value == 0)) {
                    last = was[i].time;
                    ++times;
                }
            if (op == "count")
                return times;
            return last ? std::optional(static_cast<double>(now - *last) * 1e-9) : std::nullopt;
        }
        if (op == "integral") {
            double sum = 0;
            for (std::size_t i = 0; i + 1 < was.size(); ++i)
                if (std::isfinite(was[i].value))
                    sum += was[i].value * static_cast<double>(was[i + 1].time - was[i].time) * 1e-9;
            return sum;
        }
        const std::int64_t then = now - span;
        if (op == "delayed") {
            std::optional<double> value;
            for (const Was& one : was)
                if (one.time <= then)
                    value = one.value;
            return value;
        }
        // What it was on [then, now], piece by piece; a piece goes to the next one.
        double sum = 0;
        double weight = 0;
        double extreme = v[0];
        for (std::size_t i = 0; i + 1 < was.size(); ++i) {
            if (was[i + 1].time <= then)
                continue;
            const std::int64_t from = std::max(was[i].time, then);
            if (std::isfinite(was[i].value)) {
                sum += was[i].value * static_cast<double>(was[i + 1].time - from);
                weight += static_cast<double>(was[i + 1].time - from);
            }
            if (!std::isnan(was[i].value) && (std::isnan(extreme) || (op == "smallest" ? was[i].value < extreme : was[i].value > extreme)))
                extreme = was[i].value;
        }
        if (op == "mean")
            return weight > 0 ? sum / weight : v[0];
        return extreme;
    }
};

/// A formula over so many inputs, made up.
inline std::unique_ptr<Term> madeTerm(std::mt19937& random, unsigned inputs, unsigned depth)
{
    auto term = std::make_unique<Term>();
    const auto part = [&] { term->of.push_back(madeTerm(random, inputs, depth - 1)); };
    if (depth == 0 || random() % 6 == 0) {
        term->op = random() % 4 == 0 ? "number" : "input";
        term->number = static_cast<double>(random() % 9);
        term->input = random() % inputs;
        return term;
    }
    static const std::vector<std::string> ones = {
        "not", "minus", "abs", "round", "slope", "since", "count", "integral", "mean", "smallest", "largest", "delayed"};
    static const std::vector<std::string> twos = {"+", "-", "*", "/", "%", "<", ">=", "and", "or", "min"};
    const unsigned kind = random() % 10;
    if (kind < 5) {
        term->op = ones[random() % ones.size()];
        static constexpr std::int64_t spans[] = {0, 1, 5'000'000, 20'000'000, 100'000'000, 1'000'000'000};
        term->span = spans[random() % 6] + static_cast<std::int64_t>(random() % 2 == 0 ? 0 : random() % 3'000'000);
        part();
    } else if (kind < 9) {
        term->op = twos[random() % twos.size()];
        part();
        part();
    } else {
        term->op = "if";
        part();
        part();
        part();
    }
    return term;
}

}  // namespace wavetrope::test
