// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/lane_set_up.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace wavetrope::app {

namespace {

constexpr std::array<const char*, 4> scaleWords = {"database", "window", "run", "hand"};
constexpr std::array<const char*, 4> formWords = {"usual", "steps", "lines", "points"};
constexpr int leastHeight = 20, mostHeight = 2000;

template <class Enum>
void readWord(const nlohmann::json& from, const char* field, const std::array<const char*, 4>& words, Enum& into)
{
    if (from.contains(field) && from[field].is_string())
        for (std::size_t i = 0; i < words.size(); ++i)
            if (from[field] == words[i])
                into = static_cast<Enum>(i);
}

bool flag(const nlohmann::json& from, const char* field) { return from.contains(field) && from[field] == true; }

std::vector<QString> pathsFrom(const nlohmann::json& list)
{
    std::vector<QString> paths;
    if (list.is_array())
        for (const auto& path : list)
            if (path.is_string())
                paths.push_back(QString::fromStdString(path.get<std::string>()));
    return paths;
}

}  // namespace

bool LaneSetUp::has(const QString& path) const { return std::find(paths.begin(), paths.end(), path) != paths.end(); }

nlohmann::json written(const Arrangement& arrangement)
{
    nlohmann::json lanes = nlohmann::json::array();
    for (const LaneSetUp& lane : arrangement) {
        nlohmann::json paths = nlohmann::json::array();
        for (const QString& path : lane.paths)
            paths.push_back(path.toStdString());
        if (lane == LaneSetUp(lane.paths)) {
            lanes.push_back(paths);
            continue;
        }
        nlohmann::json out = {{"signals", paths}};
        if (lane.scale != LaneSetUp::Scale::database)
            out["scale"] = scaleWords[static_cast<std::size_t>(lane.scale)];
        if (lane.form != LaneSetUp::Form::usual)
            out["form"] = formWords[static_cast<std::size_t>(lane.form)];
        if (lane.own)
            out["own"] = true;
        if (lane.logarithmic)
            out["logarithmic"] = true;
        if (lane.folded)
            out["folded"] = true;
        if (lane.height > 0)
            out["height"] = lane.height;
        for (const auto& [axis, ends] : lane.hand)
            out["hand"][axis.toStdString()] = {ends.first, ends.second};
        lanes.push_back(out);
    }
    return lanes;
}

Arrangement arrangementFrom(const nlohmann::json& lanes)
{
    Arrangement arrangement;
    if (!lanes.is_array())
        return arrangement;
    for (const auto& lane : lanes) {
        if (!lane.is_object()) {
            arrangement.emplace_back(pathsFrom(lane));
            continue;
        }
        LaneSetUp set(lane.contains("signals") ? pathsFrom(lane["signals"]) : std::vector<QString>());
        readWord(lane, "scale", scaleWords, set.scale);
        readWord(lane, "form", formWords, set.form);
        set.own = flag(lane, "own");
        set.logarithmic = flag(lane, "logarithmic");
        set.folded = flag(lane, "folded");
        if (lane.contains("height") && lane["height"].is_number())
            set.height = static_cast<int>(std::clamp(lane["height"].get<double>(), double{leastHeight}, double{mostHeight}));
        if (lane.contains("hand") && lane["hand"].is_object())
            for (const auto& [axis, ends] : lane["hand"].items())
                if (ends.is_array() && ends.size() == 2 && ends[0].is_number() && ends[1].is_number()
                    && ends[0].get<double>() < ends[1].get<double>())
                    set.hand[QString::fromStdString(axis)] = {ends[0].get<double>(), ends[1].get<double>()};
        arrangement.push_back(std::move(set));
    }
    return arrangement;
}

}  // namespace wavetrope::app
