// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/rewriting.h"

#include <algorithm>
#include <cmath>
#include <string_view>

#include "base/nearest_name.h"
#include "base/trimmed.h"

namespace wavetrope::drive {

namespace {

constexpr const char* rewritingForms = "Such as \"id 0x181 = 0x281\" or \"BladeState.BladeDepth = BladeDepth + 0.5\"";

// Where the value begins: behind a single "=".
std::size_t placeOfEquals(std::string_view text)
{
    for (std::size_t i = 0; i < text.size(); ++i)
        if (text[i] == '=') {
            if (i + 1 < text.size() && text[i + 1] == '=')
                return std::string_view::npos;
            return i;
        }
    return std::string_view::npos;
}

// A name without the quotes that it may stand in.
std::string bareName(std::string_view name)
{
    std::string out = trimmed(name);
    if (out.size() >= 2 && out.front() == '"' && out.back() == '"')
        out = out.substr(1, out.size() - 2);
    return out;
}

}  // namespace

Expected<Rewriting> Rewriting::compile(std::span<const std::string> texts, std::shared_ptr<const database::Catalog> log, std::uint64_t seed)
{
    Rewriting out;
    out.log_ = std::move(log);
    out.random_ = formula::Random(seed);
    for (const std::string& text : texts) {
        const std::string whole = trimmed(text);
        const auto done = whole.starts_with("id ") || whole.starts_with("id\t") ? out.addIdentifier(whole) : out.addSignal(whole);
        if (!done)
            return tl::unexpected(done.error());
        out.texts_.push_back(whole);
    }
    return out;
}

Expected<void> Rewriting::addIdentifier(const std::string& text)
{
    const std::size_t at = placeOfEquals(text);
    if (at == std::string::npos)
        return fail("'" + text + "' does not say which identifier it becomes", {}, rewritingForms);
    const std::string from = trimmed(std::string_view(text).substr(3, at - 3)), to = trimmed(std::string_view(text).substr(at + 1));
    const auto before = can::identifierFromText(from), behind = can::identifierFromText(to);
    if (!before || !behind)
        return fail("'" + (before ? to : from) + "' is no identifier", {}, "Such as 0x181, or 0x18FEF121 with eight digits for 29 bits");
    identifiers_.emplace_back(*before, *behind);
    return {};
}

Expected<void> Rewriting::addSignal(const std::string& text)
{
    const std::size_t at = placeOfEquals(text);
    const std::string left = trimmed(std::string_view(text).substr(0, at));
    const std::size_t dot = left.rfind('.');
    if (at == std::string::npos || dot == std::string::npos || dot == 0 || dot + 1 == left.size())
        return fail("'" + text + "' is no rewriting", {}, rewritingForms);
    std::string name = bareName(left.substr(0, dot));
    const std::string signal = bareName(left.substr(dot + 1));
    const std::string value = trimmed(std::string_view(text).substr(at + 1));
    // One bus alone, where it is named.
    int bus = -1;
    if (const std::size_t second = name.find('.'); second != std::string::npos) {
        bus = log_->findBus(bareName(std::string_view(name).substr(0, second)));
        if (bus < 0)
            return fail("the log has no bus '" + bareName(std::string_view(name).substr(0, second)) + "'");
        name = bareName(std::string_view(name).substr(second + 1));
    }
    std::vector<std::string> messages, signals;
    bool found = false;
    for (const database::CatalogMessage& message : log_->messages()) {
        messages.push_back(message.message->name);
        if (message.message->name != name || (bus >= 0 && message.bus != bus))
            continue;
        const database::Signal* target = message.message->find(signal);
        if (target == nullptr) {
            for (const database::Signal& one : message.message->signals)
                signals.push_back(one.name);
            continue;
        }
        OfSignal rule;
        rule.message = &message;
        rule.signal = static_cast<std::uint32_t>(target - message.message->signals.data());
        auto compiled = formula::Formula::compile(value, formula::Use::node, [&](std::string_view word) -> Expected<std::uint32_t> {
            if (word == "t")
                return 0;
            std::string_view own = word;
            if (own.size() > name.size() && own.starts_with(name) && own[name.size()] == '.')
                own.remove_prefix(name.size() + 1);
            const database::Signal* known = message.message->find(own);
            if (known == nullptr) {
                std::vector<std::string> names;
                for (const database::Signal& one : message.message->signals)
                    names.push_back(one.name);
                return fail(name + " has no signal '" + std::string(word) + "'", {}, didYouMean(std::string(word), names));
            }
            rule.names.push_back(static_cast<std::uint32_t>(known - message.message->signals.data()));
            return static_cast<std::uint32_t>(rule.names.size());
        });
        if (!compiled) {
            Error error = compiled.error();
            error.where = "'" + value + "'" + (error.where.empty() ? "" : ", " + error.where);
            return tl::unexpected(error);
        }
        rule.value = std::move(*compiled);
        signals_[&message].push_back(std::move(rule));
        found = true;
    }
    if (found)
        return {};
    if (!signals.empty())
        return fail(name + " has no signal '" + signal + "'", {}, didYouMean(signal, signals));
    return fail("no database of the log's buses has a message '" + name + "'", {}, didYouMean(name, messages));
}

can::Identifier Rewriting::identifierOf(can::Identifier id) const
{
    for (const auto& [from, to] : identifiers_)
        if (id == from)
            id = to;
    return id;
}

Rewriting::Outcome Rewriting::apply(const can::FrameView& from, Time since, can::Frame& to)
{
    Outcome out;
    if (from.kind == can::FrameKind::error)
        return out;
    to.id = identifierOf(from.id);
    out.changed = to.id != from.id;
    if (signals_.empty())
        return out;
    const auto found = signals_.find(log_->find(from));
    if (found == signals_.end())
        return out;
    for (const OfSignal& rule : found->second) {
        const database::MessagePlan& plan = rule.message->plan;
        database::Decoded decoded;
        if (!plan.decodeOne(from, rule.signal, decoded))
            continue;
        slots_.assign(1 + rule.names.size(), static_cast<double>(since.count()) * 1e-9);
        bool there = true;
        for (std::size_t i = 0; i < rule.names.size() && there; ++i) {
            database::Decoded other;
            there = plan.decodeOne(from, rule.names[i], other);
            slots_[i + 1] = other.value;
        }
        if (!there)
            continue;
        const double value = rule.value.evaluate(slots_, random_);
        if (std::isnan(value)) {
            out.failed = true;
            continue;
        }
        bool fits = true;
        const std::uint64_t bits = database::MessagePlan::bitsOf(plan.plan(rule.signal), value, fits);
        out.limited = out.limited || !fits;
        plan.encodeBits({to.data.data(), to.length}, rule.signal, bits);
    }
    out.changed = out.changed || !std::equal(to.data.begin(), to.data.begin() + to.length, from.data);
    return out;
}

}  // namespace wavetrope::drive
