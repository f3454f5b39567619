// SPDX-License-Identifier: GPL-3.0-or-later
#include "database/review.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "database/codec.h"
#include "database/dbc_format.h"
#include "database/layout.h"

namespace wavetrope::database {

namespace {

struct Bounds {
    double low = 0;
    double high = 0;
};

Bounds rawBounds(const Signal& signal)
{
    if (signal.type == ValueType::single)
        return {-3.4028234663852886e38, 3.4028234663852886e38};
    if (signal.type == ValueType::floating)
        return {-1.7976931348623157e308, 1.7976931348623157e308};
    return signal.isSigned
               ? Bounds{-std::ldexp(1.0, static_cast<int>(signal.length) - 1), std::ldexp(1.0, static_cast<int>(signal.length) - 1) - 1}
               : Bounds{0, std::ldexp(1.0, static_cast<int>(signal.length)) - 1};
}

class Reviewer {
public:
    Reviewer(const Database& database, const DbcReading* reading) : db_(database), reading_(reading)
    {
        if (reading_ != nullptr)
            for (const DbcStatement& statement : reading_->source.statements)
                places_.emplace(statement.key, &statement);
        for (const Node& node : db_.nodes)
            nodes_.insert(node.name);
    }

    std::vector<Finding> run()
    {
        if (reading_ != nullptr) {
            for (const Error& problem : reading_->problems)
                unreadable(problem, Severity::error);
            for (const Error& warning : reading_->warnings)
                unreadable(warning, Severity::warning);
        }
        names();
        for (const Message& message : db_.messages)
            look(message);
        attributes();
        std::stable_sort(out_.begin(), out_.end(), [](const Finding& a, const Finding& b) { return a.severity > b.severity; });
        return std::move(out_);
    }

private:
    void unreadable(const Error& error, Severity severity)
    {
        Finding finding{severity, FindingKind::unreadable, error.what, {}, 0, 0, error.line, error.column, {}, {}};
        out_.push_back(std::move(finding));
    }
    Finding& add(Severity severity, FindingKind kind, std::string what, std::string object, const std::string& key,
        std::uint32_t message = 0, std::uint32_t signal = 0)
    {
        Finding finding{severity, kind, std::move(what), std::move(object), message, signal, 0, 0, {}, {}};
        if (const auto place = places_.find(key); place != places_.end()) {
            finding.line = place->second->line;
            finding.column = place->second->column;
        }
        out_.push_back(std::move(finding));
        return out_.back();
    }
    static void remedy(Finding& finding, std::string words, std::function<Expected<Edit>(const Editor&)> mend)
    {
        finding.mend = [words, mend = std::move(mend)](const Editor& editor) {
            auto edit = mend(editor);
            if (edit)
                edit->title = words;
            return edit;
        };
        finding.remedy = std::move(words);
    }
    // Remedies that change a message or a signal as it is then.
    static std::function<Expected<Edit>(const Editor&)> changing(std::uint32_t uid, std::function<void(Message&)> with)
    {
        return [uid, with = std::move(with)](const Editor& editor) -> Expected<Edit> {
            for (Message message : editor.database().messages)
                if (message.uid == uid) {
                    with(message);
                    return editor.putMessage(std::move(message), {});
                }
            return fail("this message is no longer there");
        };
    }

    void names()
    {
        std::map<std::string, int> seen;
        for (const Node& node : db_.nodes)
            if (++seen[node.name] == 2)
                add(Severity::error, FindingKind::duplicateName, "two nodes are called " + node.name, node.name, "BU_");
        seen.clear();
        std::map<std::uint32_t, const Message*> ids;
        for (const Message& message : db_.messages) {
            if (++seen[message.name] == 2)
                add(Severity::warning, FindingKind::duplicateName, "two messages are called " + message.name, message.name,
                    dbc::key("BO_", message.uid), message.uid);
            const auto [first, isNew] = ids.emplace(message.id.key(), &message);
            if (!isNew) {
                Finding& finding = add(Severity::error, FindingKind::duplicateIdentifier,
                    can::toText(message.id) + " is both " + first->second->name + " and " + message.name + "; the first one wins",
                    message.name, dbc::key("BO_", message.uid), message.uid);
                remedy(finding, "Take " + message.name + " out",
                    [uid = message.uid](const Editor& editor) -> Expected<Edit> { return editor.removeMessage(uid); });
            }
        }
    }

    void look(const Message& message)
    {
        const std::string key = dbc::key("BO_", message.uid);
        if (message.length <= can::maxLength && can::lengthOfDlc(can::dlcOfLength(message.length)) != message.length) {
            Finding& finding = add(Severity::warning, FindingKind::length,
                message.name + " has " + std::to_string(message.length) + " bytes; frames carry 0 to 8, 12, 16, 20, 24, 32, 48 or 64",
                message.name, key, message.uid);
            const unsigned longer = can::lengthOfDlc(can::dlcOfLength(message.length));
            remedy(finding, "Make it " + std::to_string(longer) + " bytes",
                changing(message.uid, [longer](Message& m) { m.length = longer; }));
        }
        if (!message.sender.empty() && !nodes_.contains(message.sender)) {
            Finding& finding = add(Severity::warning, FindingKind::unknownSender,
                message.sender + " sends " + message.name + " but is no node", message.name, key, message.uid);
            remedy(finding, "Add the node " + message.sender, [name = message.sender](const Editor& editor) {
                Node node;
                node.name = name;
                return editor.putNode(std::move(node), {});
            });
        }
        for (const std::string& sender : message.moreSenders)
            if (!nodes_.contains(sender))
                add(Severity::warning, FindingKind::unknownSender, sender + " sends " + message.name + " but is no node", message.name,
                    dbc::key("BO_TX_BU_", message.uid), message.uid);
        const Layout layout = layoutOf(message);
        for (const LayoutOverlap& overlap : layout.overlaps) {
            const Signal& a = message.signals[static_cast<std::size_t>(overlap.a)];
            const Signal& b = message.signals[static_cast<std::size_t>(overlap.b)];
            add(Severity::error, FindingKind::overlap,
                a.name + " and " + b.name + " both claim bit " + std::to_string(overlap.bit % 8) + " of byte "
                    + std::to_string(overlap.bit / 8),
                message.name + '.' + b.name, dbc::key("SG_", b.uid), message.uid, b.uid);
        }
        for (const int index : layout.outside) {
            const Signal& signal = message.signals[static_cast<std::size_t>(index)];
            Finding& finding = add(Severity::error, FindingKind::outsidePayload,
                signal.name + " reaches to byte " + std::to_string(planOf(signal).lastByte) + "; " + message.name + " has "
                    + std::to_string(message.length) + " bytes",
                message.name + '.' + signal.name, dbc::key("SG_", signal.uid), message.uid, signal.uid);
            const unsigned needed = planOf(signal).lastByte + 1U;
            const unsigned longer = needed <= can::maxLength ? can::lengthOfDlc(can::dlcOfLength(needed)) : needed;
            remedy(finding, "Make " + message.name + ' ' + std::to_string(longer) + " bytes long",
                changing(message.uid, [longer](Message& m) { m.length = longer; }));
        }
        std::map<std::string, int> seen;
        for (const Signal& signal : message.signals) {
            if (++seen[signal.name] == 2)
                add(Severity::error, FindingKind::duplicateName, "two signals of " + message.name + " are called " + signal.name,
                    message.name + '.' + signal.name, dbc::key("SG_", signal.uid), message.uid, signal.uid);
            look(message, signal);
        }
    }

    void look(const Message& message, const Signal& signal)
    {
        const std::string key = dbc::key("SG_", signal.uid);
        const std::string object = message.name + '.' + signal.name;
        const auto change = [uid = message.uid, own = signal.uid](auto with) {
            return changing(uid, [own, with](Message& m) {
                for (Signal& s : m.signals)
                    if (s.uid == own)
                        with(s);
            });
        };
        for (const std::string& receiver : signal.receivers)
            if (!nodes_.contains(receiver)) {
                Finding& finding = add(Severity::warning, FindingKind::unknownReceiver,
                    receiver + " receives " + signal.name + " but is no node", object, key, message.uid, signal.uid);
                remedy(finding, "Take it out of the receivers", change([receiver](Signal& s) { std::erase(s.receivers, receiver); }));
            }
        if (signal.factor == 0) {
            Finding& finding = add(Severity::error, FindingKind::noFactor,
                signal.name + " has a factor of 0: every raw value means the same", object, key, message.uid, signal.uid);
            remedy(finding, "Make the factor 1", change([](Signal& s) { s.factor = 1; }));
        }
        const Bounds raw = rawBounds(signal);
        const Scale scale = planOf(signal).scale;
        const double one = scale.of(raw.low);
        const double other = scale.of(raw.high);
        const Bounds physical{std::min(one, other), std::max(one, other)};
        if (signal.minimum && signal.maximum && signal.factor != 0) {
            const double slack = std::abs(signal.factor) * 0.5;
            if (*signal.minimum > *signal.maximum) {
                Finding& finding = add(Severity::error, FindingKind::range,
                    "the range of " + signal.name + " runs from " + numberText(*signal.minimum, 9) + " down to "
                        + numberText(*signal.maximum, 9),
                    object, key, message.uid, signal.uid);
                remedy(finding, "Turn it round", change([](Signal& s) { std::swap(s.minimum, s.maximum); }));
            } else if (*signal.minimum < physical.low - slack || *signal.maximum > physical.high + slack) {
                Finding& finding = add(Severity::warning, FindingKind::range,
                    signal.name + " ranges from " + numberText(*signal.minimum, 9) + " to " + numberText(*signal.maximum, 9)
                        + "; its bits hold " + numberText(physical.low, 9) + " to " + numberText(physical.high, 9),
                    object, key, message.uid, signal.uid);
                remedy(finding, "Keep what the bits hold", change([physical](Signal& s) {
                    s.minimum = std::max(*s.minimum, physical.low);
                    s.maximum = std::min(*s.maximum, physical.high);
                }));
            }
        }
        if (signal.startRaw && (*signal.startRaw < raw.low || *signal.startRaw > raw.high)) {
            Finding& finding = add(Severity::warning, FindingKind::startValue,
                "the start value of " + signal.name + ", raw " + numberText(*signal.startRaw, 9) + ", does not fit its bits", object,
                dbc::attributeKey(customary::startValue, signal.uid), message.uid, signal.uid);
            remedy(finding, "Limit it",
                [uid = message.uid, own = signal.uid, value = std::clamp(*signal.startRaw, raw.low, raw.high)](
                    const Editor& editor) -> Expected<Edit> { return editor.setStartValue(uid, own, value); });
        }
        const RawValue highest = (RawValue{1} << (signal.length - (signal.isSigned ? 1 : 0))) - 1;
        const RawValue lowest = signal.isSigned ? -highest - 1 : 0;
        std::set<RawValue> texts;
        std::vector<const ValueText*> ranges;
        for (const ValueText& text : signal.texts) {
            const bool range = text.more > 0;
            const bool fits = signal.type != ValueType::integer || (text.value >= lowest && text.last() <= highest);
            // A value of its own inside a range is no doubt: it goes before.
            bool twice = !range && !texts.insert(text.value).second;
            RawValue doubled = text.value;
            for (const ValueText* earlier : ranges)
                if (range && earlier->value <= text.last() && text.value <= earlier->last()) {
                    twice = true;
                    doubled = std::max(earlier->value, text.value);
                }
            if (range)
                ranges.push_back(&text);
            if (fits && !twice)
                continue;
            const std::string values = wholeText(text.value) + (range ? " to " + wholeText(text.last()) : "");
            Finding& finding = add(Severity::warning, FindingKind::valueText,
                fits ? signal.name + " has two texts for " + wholeText(doubled)
                     : "\"" + text.text + "\" is the text of " + values + ", which the bits of " + signal.name + " cannot hold",
                object, range ? dbc::attributeKey(customary::textRanges, signal.uid) : dbc::key("VAL_", signal.uid), message.uid,
                signal.uid);
            remedy(finding, "Take the text out", change([text](Signal& s) {
                const auto found = std::find(s.texts.rbegin(), s.texts.rend(), text);
                if (found != s.texts.rend())
                    s.texts.erase(std::next(found).base());
            }));
        }
        if (signal.mux == MuxRole::multiplexed) {
            const Signal* selector = nullptr;
            for (const Signal& s : message.signals)
                if (signal.muxSelector.empty() ? s.mux == MuxRole::selector : s.name == signal.muxSelector)
                    selector = &s;
            if (selector == nullptr || !selector->selects() || selector == &signal) {
                Finding& finding = add(Severity::error, FindingKind::noSelector,
                    signal.name + " is multiplexed, but "
                        + (selector == nullptr
                                ? message.name + " has no "
                                      + (signal.muxSelector.empty() ? std::string("selector") : "signal " + signal.muxSelector)
                                : selector->name + " does not select"),
                    object, key, message.uid, signal.uid);
                remedy(finding, "Let it be present always", change([](Signal& s) {
                    s.mux = MuxRole::plain;
                    s.muxRanges.clear();
                    s.muxSelector.clear();
                }));
            }
        }
    }

    void attributes()
    {
        std::map<std::pair<AttributeOwner, std::string>, const AttributeDefinition*> known;
        for (const AttributeDefinition& definition : db_.definitions)
            known.emplace(std::pair(definition.owner, definition.name), &definition);
        const auto check = [&](const AttributeValues& values, AttributeOwner owner, std::uint32_t uid, const std::string& object,
                               std::uint32_t message) {
            for (const auto& [name, value] : values) {
                const auto found = known.find({owner, name});
                if (found == known.end()) {
                    add(Severity::warning, FindingKind::attribute, object + " has the attribute " + name + ", which is not defined", object,
                        dbc::attributeKey(name, uid), message);
                    continue;
                }
                const AttributeDefinition& definition = *found->second;
                const bool numeric = definition.type != AttributeType::text && definition.type != AttributeType::enumeration;
                const bool bad = definition.type == AttributeType::enumeration ? definition.choiceOf(value) < 0
                                 : numeric                                     ? value.isText
                                                 || (definition.minimum && definition.maximum && *definition.minimum < *definition.maximum
                                                     && (value.number < *definition.minimum || value.number > *definition.maximum))
                                           : false;
                if (bad)
                    add(Severity::warning, FindingKind::attribute,
                        "the attribute " + name + " of " + object + " is " + definition.wordsOf(value) + ", outside its definition", object,
                        dbc::attributeKey(name, uid), message);
            }
        };
        check(db_.network.attributes, AttributeOwner::network, 0, "the network", 0);
        for (const Node& node : db_.nodes)
            check(node.attributes, AttributeOwner::node, node.uid, node.name, 0);
        for (const Message& message : db_.messages) {
            check(message.attributes, AttributeOwner::message, message.uid, message.name, message.uid);
            for (const Signal& signal : message.signals)
                if (!signal.attributes.empty())
                    check(signal.attributes, AttributeOwner::signal, signal.uid, message.name + '.' + signal.name, message.uid);
        }
    }

    const Database& db_;
    const DbcReading* reading_;
    std::unordered_map<std::string, const DbcStatement*> places_;
    std::set<std::string> nodes_;
    std::vector<Finding> out_;
};

}  // namespace

const char* toText(Severity severity)
{
    static constexpr const char* words[] = {"note", "warning", "error"};
    return words[static_cast<unsigned>(severity)];
}

const char* toText(FindingKind kind)
{
    static constexpr const char* words[] = {"unreadable", "overlap", "outside the payload", "range", "duplicate name",
        "duplicate identifier", "unknown sender", "unknown receiver", "no selector", "no factor", "start value", "value text", "length",
        "attribute", "cycle time", "length seen"};
    return words[static_cast<unsigned>(kind)];
}

std::vector<Finding> review(const Database& database, const DbcReading* reading) { return Reviewer(database, reading).run(); }

}  // namespace wavetrope::database
