// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/scripts.h"

#include <algorithm>
#include <filesystem>
#include <fstream>

#include "base/replace_file.h"

namespace wavetrope::rig {

namespace {

constexpr std::size_t longestScript = 1U << 20U;

const drive::NodeSpec* find(const Rig& rig, const std::string& node)
{
    const auto found = std::find_if(rig.nodes.begin(), rig.nodes.end(), [&](const auto& one) { return one.name == node; });
    return found == rig.nodes.end() ? nullptr : &*found;
}

}  // namespace

Expected<std::string> readScript(const std::string& path)
{
    std::ifstream file(path, std::ios::binary);
    std::string text(longestScript + 1, '\0');
    if (!file || std::filesystem::is_directory(path))
        return fail("cannot read " + path, path, "Put the file there, or name another one");
    file.read(text.data(), static_cast<std::streamsize>(text.size()));
    text.resize(static_cast<std::size_t>(file.gcount()));
    if (text.size() > longestScript)
        return fail(path + " is longer than a script may be", path, "1 MiB at the most");
    if (text.empty())
        text = "\n";
    return text;
}

Expected<std::string> scriptOf(const Rig& rig, const std::string& node)
{
    const drive::NodeSpec* spec = find(rig, node);
    if (spec == nullptr)
        return fail("the rig has no node '" + node + "'");
    if (spec->script.file.empty() || !spec->script.text.empty())
        return spec->script.text;
    return readScript(rig.resolve(spec->script.file));
}

bool setScript(Rig& rig, const std::string& node, const std::string& text)
{
    const auto found = std::find_if(rig.nodes.begin(), rig.nodes.end(), [&](const auto& one) { return one.name == node; });
    if (found == rig.nodes.end())
        return false;
    if (!found->script.file.empty()) {
        found->script.text = text.empty() ? "\n" : text;
        return true;
    }
    found->script.text = text;
    if (auto nodes = rig.document.find("nodes"); nodes != rig.document.end() && nodes->is_array())
        for (auto& one : *nodes)
            if (one.is_object() && one.contains("name") && one["name"] == node) {
                if (text.empty())
                    one.erase("script");
                else
                    one["script"] = {{"text", text}};
            }
    return true;
}

bool scriptDiffersFromFile(const Rig& rig, const std::string& node)
{
    const drive::NodeSpec* spec = find(rig, node);
    if (spec == nullptr || spec->script.file.empty() || spec->script.text.empty())
        return false;
    const auto there = readScript(rig.resolve(spec->script.file));
    return !there || *there != spec->script.text;
}

Expected<void> saveScript(const Rig& rig, const std::string& node)
{
    const drive::NodeSpec* spec = find(rig, node);
    if (spec == nullptr || spec->script.file.empty() || spec->script.text.empty())
        return {};
    return replaceFile(rig.resolve(spec->script.file), spec->script.text);
}

}  // namespace wavetrope::rig
