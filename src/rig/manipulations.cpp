// SPDX-License-Identifier: GPL-3.0-or-later
#include "rig/manipulations.h"

#include <algorithm>

#include "base/nearest_name.h"

namespace wavetrope::rig {

namespace {

drive::Node* nodeOf(Session& session, const std::string& name) { return dynamic_cast<drive::Node*>(session.actor(name)); }

bool actsIn(const std::vector<KeptManipulation>& all, const KeptManipulation& wanted)
{
    return std::any_of(all.begin(), all.end(), [&](const KeptManipulation& one) { return one.acts && one.does.text == wanted.does.text; });
}

}  // namespace

Expected<std::vector<KeptManipulation>> manipulationsOf(const Rig& rig, const std::string& text)
{
    std::vector<KeptManipulation> out;
    for (const KeptManipulation& kept : rig.manipulations)
        if (!kept.name.empty() && kept.name == text)
            out.push_back(kept);
    if (!out.empty())
        return out;
    auto said = manipulationFrom(text);
    if (!said)
        return tl::unexpected(said.error());
    out.push_back(std::move(*said));
    return out;
}

Expected<void> manipulate(Session& session, const KeptManipulation& kept)
{
    const drive::Manipulation& manipulation = kept.does;
    if (kept.fault)
        return session.wireFaults().add(manipulation.text, *kept.fault);
    if (drive::Node* node = nodeOf(session, manipulation.node); node != nullptr)
        return node->manipulate(manipulation);
    std::vector<std::string> names;
    for (const drive::Node* one : session.all<drive::Node>())
        names.push_back(one->name());
    return fail("the rig has no node '" + manipulation.node + "'", {}, didYouMean(manipulation.node, names));
}

void lift(Session& session, const KeptManipulation& kept)
{
    const drive::Manipulation& manipulation = kept.does;
    if (kept.fault)
        return session.wireFaults().lift(manipulation.text);
    drive::Node* node = nodeOf(session, manipulation.node);
    if (node == nullptr)
        return;
    const auto facts = std::any_cast<drive::NodeFacts>(node->report().facts);
    for (std::size_t i = facts.manipulations.size(); i-- > 0;)
        if (facts.manipulations[i].text == manipulation.text) {
            node->lift(i);
            return;
        }
}

Expected<void> manipulateNamed(Session& session, const std::string& text)
{
    const auto all = manipulationsOf(session.rig(), text);
    if (!all)
        return tl::unexpected(all.error());
    for (std::size_t i = 0; i < all->size(); ++i)
        if (const auto done = manipulate(session, (*all)[i]); !done) {
            while (i-- > 0)
                lift(session, (*all)[i]);
            return tl::unexpected(done.error());
        }
    return {};
}

Expected<void> liftNamed(Session& session, const std::string& text)
{
    const auto all = manipulationsOf(session.rig(), text);
    if (!all)
        return tl::unexpected(all.error());
    for (const KeptManipulation& one : *all)
        lift(session, one);
    return {};
}

std::vector<Error> follow(Session& session, const std::vector<KeptManipulation>& before, const std::vector<KeptManipulation>& now)
{
    std::vector<Error> problems;
    for (const KeptManipulation& one : before)
        if (one.acts && !actsIn(now, one))
            lift(session, one);
    for (const KeptManipulation& one : now)
        if (one.acts && !actsIn(before, one))
            if (const auto done = manipulate(session, one); !done)
                problems.push_back(done.error());
    return problems;
}

}  // namespace wavetrope::rig
