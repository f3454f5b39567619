// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/node_script.h"

#include <algorithm>
#include <cmath>

#include "base/nearest_name.h"
#include "base/valid_text.h"
#include "database/compose.h"
#include "drive/node.h"

namespace wavetrope::drive {

namespace {

using script::Arguments;
using script::Handler;
using script::Value;

constexpr std::size_t mostLines = 20'000, reportedLines = 256, longestLine = 500;
constexpr unsigned mostLinesInSecond = 100;
constexpr std::uint64_t mostCostInSecond = 50'000'000;
constexpr std::size_t mostWaiting = 10'000, mostNames = 1'000;
constexpr unsigned mostManipulatedInSecond = 100;
constexpr Time shortestTimer = std::chrono::microseconds(20);
constexpr double longestTimer = 1e9;

constexpr ScriptCall calls[] = {
    {"on.start", "function()", "The run begins, or the node is put back into it.", "on.start(function() log('begins in', state()) end)"},
    {"on.stop", "function()", "The run ends, or the node is taken out of it. What is sent here goes nowhere any more.",
        "on.stop(function() log('ends after', time(), 's') end)"},
    {"on.message", "name, function(frame)", "A message of a database arrives on one of the node's buses; it does not hear its own.",
        "on.message('BladeCommand', function(frame) log('asked for', frame.CommandedDepth) end)"},
    {"on.change", "signal, function(value, before)",
        "A signal has another value than the frame before had; with the first frame `before` is nil. MESSAGE.SIGNAL where several have its "
        "name.",
        "on.change('BladeCommand.Release', function(value, before) log(before, 'became', value) end)"},
    {"on.timer", "name, function()", "A timer of that name has run out.", "on.timer('answer', function() send('BladeState') end)"},
    {"on.key", "key, function(down)", "A key of the window, such as F7, goes down (true) or up (false).",
        "on.key('F7', function(down) log(down and 'down' or 'up') end)"},
    {"on.enter", "state, function(before)", "The node enters a state.", "on.enter('filling', function(before) every('beat', 0.1) end)"},
    {"on.leave", "state, function(next)", "The node leaves a state.", "on.leave('filling', function(next) cancel('beat') end)"},
    {"on.condition", "expression, function() [, seconds]",
        "An expression, as reactions of the rig have them, becomes true, and stays so for so many seconds where they are given.",
        "on.condition('CommandedDepth > 5', function() enter('deep') end, 0.2)"},
    {"on.frame", "filter, function(frame)", "A frame of one of the node's buses passes a filter.",
        "on.frame('id 0x201', function(frame) log(frame.length, 'bytes at', frame.time) end)"},
    {"send", "name [, values [, bus]]",
        "Sends a message once, now, with what its sources and `set` give, and with the values of this one frame: numbers, or texts of the "
        "signal. A "
        "raw frame by its identifier, with a list of bytes.",
        "send('BladeState', {BladeDepth = 3.5})\nsend('0x1F0', {0x11, 0x22})"},
    {"set", "name, value",
        "Gives a variable of the node a value, or a signal of what it sends: that one holds from its next frame on, until it is set to "
        "nil.",
        "set('BladeState.BladeDepth', 3.5)"},
    {"value", "name", "What a variable, a named value, a received or sent signal, or a derived signal reads now; nil before it has any.",
        "log('now', value('BladeState.BladeDepth'))"},
    {"enter", "state", "Enters a state.", "enter('ready')"},
    {"fault", "state", "Enters a state that is a fault: it stands on the timeline in red.", "fault('no answer')"},
    {"state", "", "The state that the node is in.", "if state() == 'ready' then log('ready') end"},
    {"timer", "name, seconds", "Begins a timer anew: it runs out once.", "timer('answer', 0.05)"},
    {"every", "name, seconds", "Begins a timer anew: it runs out again and again.", "every('beat', 0.1)"},
    {"cancel", "name", "A timer does not run out any more.", "cancel('beat')"},
    {"object.read", "node, object, function(bytes, why) [, bus]",
        "Reads an object of a node's dictionary. `bytes` is a text of hexadecimal digits; where there is no answer it is nil, and `why` "
        "tells.",
        "on.start(function() object.read(4, '0x2001:03', function(bytes, why) log(bytes or why) end) end)"},
    {"object.write", "node, object, bytes, function(why) [, bus]",
        "Writes bytes, a text of hexadecimal digits, into an object. `why` is nil where the node took it.",
        "on.start(function() object.write(4, '0x2001:03', '02', function(why) log(why or 'written') end) end)"},
    {"object.state", "node, command [, bus]",
        "Commands the network state of a node, or of all where that is nil: start, stop, pre-operational, reset, reset communication.",
        "on.start(function() object.state(4, 'start') end)"},
    {"object.sync", "[bus]", "Sends a sync.", "on.start(function() object.sync() end)"},
    {"object.time", "[bus]", "Tells the time of the run.", "on.start(function() object.time() end)"},
    {"group.request", "group, address, function(bytes, why) [, bus]",
        "Asks an address of a network of vehicles for a group, and receives it however long it is.",
        "on.start(function() group.request('0xFECA', 0x28, function(bytes, why) log(bytes or why) end) end)"},
    {"group.send", "group, address, bytes [, bus]",
        "Sends a group of up to 1,785 bytes to an address, or to everybody where that is nil, from the node's own address.",
        "on.start(function() group.send('0xFEF1', nil, '01 02 03') end)"},
    {"diagnose", "identifiers, bytes, function(bytes, why) [, bus]",
        "Sends a diagnostic request over two identifiers, and waits for its answer.",
        "on.start(function() diagnose('0x7E0/0x7E8', '22 F1 90', function(bytes, why) log(bytes or why) end) end)"},
    {"manipulate", "text",
        "Has a node go wrong on purpose, or a wire, as the view Manipulations takes it, until it is lifted; or all that the rig keeps "
        "under a name.",
        "on.key('F8', function(down) if down then manipulate('Blade BladeState.BladeDepth = 3.5') else lift() end end)"},
    {"lift", "[text]", "Lifts what was manipulated by these words; without, all that this script manipulates.",
        "on.stop(function() lift() end)"},
    {"log", "values...", "A line with its time, beside the script and in `--log`.", "log('depth', value('BladeState.BladeDepth'))"},
    {"time", "", "Seconds since the run's begin.", "log(time())"},
    {"random", "", "A number from 0 up to, not including, 1; of the run's seed.", "if random() < 0.1 then log('now and then') end"},
};

constexpr std::pair<const char*, const char*> frameParts[] = {
    {"message", "name of its message, nil where no database has it"},
    {"id", "identifier, as a number"},
    {"bus", "name of its bus"},
    {"time", "seconds since the run's begin, at the end of its last bit"},
    {"length", "bytes of its payload"},
    {"extended", "true where the identifier has 29 bits"},
    {"remote", "true where it asks for data"},
    {"fd", "true for a frame with flexible data rate"},
};

// What something is called, and whom to tell of it.
Expected<std::pair<std::string, Handler>> wordAndHandler(const Arguments& given)
{
    auto word = given.text(1);
    if (!word)
        return tl::unexpected(word.error());
    const auto handler = given.function(2);
    if (!handler)
        return tl::unexpected(handler.error());
    return std::pair(std::move(*word), *handler);
}

}  // namespace

std::span<const ScriptCall> scriptCalls() { return calls; }
std::span<const std::pair<const char*, const char*>> scriptFrameParts() { return frameParts; }

NodeScript::NodeScript(Node& node, const ScriptSpec& spec) : node_(node), name_(spec.file.empty() ? node.name() + ".lua" : spec.file)
{
    if (const auto slash = name_.find_last_of('/'); slash != std::string::npos)
        name_.erase(0, slash + 1);
}

NodeScript::~NodeScript() = default;

Expected<std::unique_ptr<NodeScript>> NodeScript::load(Node& node, const ScriptSpec& spec)
{
    std::unique_ptr<NodeScript> made(new NodeScript(node, spec));
    made->draining_ = true;     // nothing is told before it is whole
    auto loaded = script::Script::load(spec.text, made->name_, made->functions());
    if (!loaded)
        return tl::unexpected(loaded.error());
    made->script_ = std::move(*loaded);
    made->draining_ = false;
    return made;
}

std::vector<script::Function> NodeScript::functions()
{
    using Member = Expected<Value> (NodeScript::*)(const Arguments&);
    const auto member = [this](Member of) { return [this, of](const Arguments& given) { return (this->*of)(given); }; };
    // A handler for something that has a name.
    const auto named = [](std::multimap<std::string, Handler>& into) {
        return [&into](const Arguments& given) -> Expected<Value> {
            const auto both = wordAndHandler(given);
            if (!both)
                return tl::unexpected(both.error());
            into.emplace(both->first, both->second);
            return Value{};
        };
    };
    const auto plain = [](std::vector<Handler>& into) {
        return [&into](const Arguments& given) -> Expected<Value> {
            const auto handler = given.function(1);
            if (!handler)
                return tl::unexpected(handler.error());
            into.push_back(*handler);
            return Value{};
        };
    };
    const auto states = [this](bool wrong) {
        return [this, wrong](const Arguments& given) -> Expected<Value> {
            auto name = given.text(1);
            if (!name)
                return tl::unexpected(name.error());
            if (name->empty())
                return fail("a state has a name");
            name->resize(std::min<std::size_t>(name->size(), longestLine));
            node_.enter(*name, wrong, "its script says so");
            return Value{};
        };
    };
    std::map<std::string, std::function<Expected<Value>(const Arguments&)>> made;
    made["on.start"] = plain(starts_);
    made["on.stop"] = plain(stops_);
    made["on.message"] = member(&NodeScript::onMessage);
    made["on.change"] = member(&NodeScript::onChange);
    made["on.timer"] = [this](const Arguments& given) -> Expected<Value> {
        const auto both = wordAndHandler(given);
        if (!both)
            return tl::unexpected(both.error());
        const auto watch = watchNamed(both->first);
        if (!watch)
            return tl::unexpected(watch.error());
        (*watch)->handlers.push_back(both->second);
        return Value{};
    };
    made["on.key"] = named(keys_);
    made["on.enter"] = named(enters_);
    made["on.leave"] = named(leaves_);
    made["on.condition"] = member(&NodeScript::onCondition);
    made["on.frame"] = member(&NodeScript::onFilter);
    made["send"] = member(&NodeScript::send);
    made["set"] = member(&NodeScript::set);
    made["value"] = member(&NodeScript::value);
    made["enter"] = states(false);
    made["fault"] = states(true);
    made["state"] = [this](const Arguments&) -> Expected<Value> {
        return node_.states_.empty() ? Value{} : Value(node_.states_.back().state);
    };
    made["timer"] = [this](const Arguments& given) { return setTimer(given, false); };
    made["every"] = [this](const Arguments& given) { return setTimer(given, true); };
    made["cancel"] = [this](const Arguments& given) -> Expected<Value> {
        const auto name = given.text(1);
        if (!name)
            return tl::unexpected(name.error());
        const auto watch = watchNamed(*name);
        if (!watch)
            return tl::unexpected(watch.error());
        (*watch)->timer.stop();
        (*watch)->runs = false;
        return Value{};
    };
    made["object.read"] = member(&NodeScript::readObject);
    made["object.write"] = member(&NodeScript::writeObject);
    made["object.state"] = member(&NodeScript::commandState);
    made["object.sync"] = member(&NodeScript::sendSync);
    made["object.time"] = member(&NodeScript::sendTime);
    made["group.request"] = member(&NodeScript::requestGroup);
    made["group.send"] = member(&NodeScript::sendGroup);
    made["diagnose"] = member(&NodeScript::diagnose);
    made["manipulate"] = member(&NodeScript::manipulate);
    made["lift"] = member(&NodeScript::lift);
    made["log"] = [this](const Arguments& given) -> Expected<Value> {
        if (auto written = write(given.line()); !written)
            return tl::unexpected(written.error());
        return Value{};
    };
    made["time"] = [this](const Arguments&) -> Expected<Value> {
        return Value(static_cast<double>((node_.world_.scheduler.now() - node_.world_.begins).count()) / 1e9);
    };
    made["random"] = [this](const Arguments&) -> Expected<Value> { return Value(node_.random_.uniform()); };
    std::vector<script::Function> out;
    for (const ScriptCall& call : calls)
        out.push_back({call.name, made.at(call.name)});
    return out;
}

Expected<Value> NodeScript::onMessage(const Arguments& given)
{
    const auto both = wordAndHandler(given);
    if (!both)
        return tl::unexpected(both.error());
    const auto& [name, handler] = *both;
    bool found = false;
    for (const auto& message : node_.world_.catalog->messages())
        if (message.message->name == name && node_.attachedTo(message.bus)) {
            listening_[&message].handlers.push_back(handler);
            found = true;
        }
    if (!found)
        return fail("no database of its buses has the message '" + name + "'", {}, didYouMean(name, node_.messageNames()));
    return Value{};
}

Expected<Value> NodeScript::onChange(const Arguments& given)
{
    const auto both = wordAndHandler(given);
    if (!both)
        return tl::unexpected(both.error());
    const auto& [name, handler] = *both;
    bool found = false;
    for (const database::SignalRef& ref : node_.world_.catalog->findSignals(name))
        if (node_.attachedTo(ref.message->bus)) {
            std::vector<Watched>& changes = listening_[ref.message].changes;
            const auto there = std::find_if(changes.begin(), changes.end(), [&](const Watched& one) { return one.signal == ref.index; });
            if (there != changes.end())
                there->handlers.push_back(handler);
            else
                changes.push_back({ref.index, {}, {handler}});
            found = true;
        }
    if (!found)
        return fail("'" + name + "' is no signal that it could receive", {}, didYouMean(name, node_.knownNames()));
    return Value{};
}

Expected<Value> NodeScript::onCondition(const Arguments& given)
{
    const auto both = wordAndHandler(given);
    if (!both)
        return tl::unexpected(both.error());
    const auto& [text, handler] = *both;
    ReactionSpec spec;
    spec.when = text;
    if (given.has(3)) {
        const auto seconds = given.number(3);
        if (!seconds || !(*seconds >= 0 && *seconds <= longestTimer))
            return fail("argument 3 has to be a number of seconds");
        spec.hold = Time(std::llround(*seconds * 1e9));
    }
    if (node_.reactions_.size() >= mostNames)
        return fail("it has " + std::to_string(mostNames) + " conditions, which is as many as there may be");
    if (const auto built = node_.buildReaction(spec); !built) {
        Error error = built.error();
        error.where.clear();
        return tl::unexpected(error);
    }
    node_.reactions_.back().handler = handler;
    return Value{};
}

Expected<Value> NodeScript::onFilter(const Arguments& given)
{
    const auto both = wordAndHandler(given);
    if (!both)
        return tl::unexpected(both.error());
    const auto& [text, handler] = *both;
    if (filtered_.size() >= mostNames)
        return fail("it has " + std::to_string(mostNames) + " filters, which is as many as there may be");
    auto compiled = filter::Filter::compile(text, node_.world_.catalog, {&node_.world_.filters});
    if (!compiled) {
        Error error = compiled.error();
        error.what = "'" + text + "': " + error.what;
        return tl::unexpected(error);
    }
    filtered_.push_back({filter::FilterStream(std::move(*compiled), node_.world_.begins), handler});
    return Value{};
}

Expected<Value> NodeScript::send(const Arguments& given)
{
    const auto name = given.text(1);
    if (!name)
        return tl::unexpected(name.error());
    std::string bus;
    if (given.has(3)) {
        auto text = given.text(3);
        if (!text)
            return tl::unexpected(text.error());
        bus = std::move(*text);
    }
    const bool raw = can::identifierFromText(*name).has_value() && name->starts_with("0x");
    if (raw && (given.has(2) || !node_.sendsItself(*name))) {
        std::vector<std::uint8_t> bytes;
        if (given.has(2)) {
            const auto taken = given.each(2, [&](const Value& key, const Value& value) -> Expected<void> {
                const auto* place = std::get_if<double>(&key);
                const auto* byte = std::get_if<double>(&value);
                if (place == nullptr || *place != static_cast<double>(bytes.size()) + 1 || byte == nullptr || !(*byte >= 0 && *byte <= 255)
                    || *byte != std::floor(*byte) || bytes.size() >= 64)
                    return fail("argument 2 has to be a list of up to 64 bytes of 0 to 255");
                bytes.push_back(static_cast<std::uint8_t>(*byte));
                return {};
            });
            if (!taken)
                return tl::unexpected(taken.error());
        }
        if (const auto sent = node_.sendRaw(*name, bus, bytes); !sent)
            return tl::unexpected(sent.error());
        return Value{};
    }
    const auto index = node_.sendingNamed(*name, bus);
    if (!index)
        return tl::unexpected(index.error());
    std::vector<MessageEncoder::Held> once;
    if (given.has(2)) {
        const auto taken = given.each(2, [&](const Value& key, const Value& value) -> Expected<void> {
            const auto* signal = std::get_if<std::string>(&key);
            const auto held = node_.heldFor(*index, signal != nullptr ? *signal : std::string(), value);
            if (!held)
                return tl::unexpected(held.error());
            once.push_back(*held);
            return {};
        });
        if (!taken)
            return tl::unexpected(taken.error());
    }
    node_.sendWith(*index, once);
    return Value{};
}

Expected<Value> NodeScript::set(const Arguments& given)
{
    const auto name = given.text(1);
    if (!name)
        return tl::unexpected(name.error());
    const auto value = given.value(2);
    if (!value)
        return tl::unexpected(value.error());
    if (node_.spec_.variables.contains(*name)) {
        const auto* truth = std::get_if<bool>(&*value);
        const auto* number = std::get_if<double>(&*value);
        if (number == nullptr && truth == nullptr)
            return fail(*name + " is a variable: it takes a number");
        node_.slots_[node_.names_[*name]] = number != nullptr ? *number : *truth ? 1 : 0;
        ++node_.changes_;
        node_.variablesMoved_ = true;
        return Value{};
    }
    const auto point = name->rfind('.');
    if (point == std::string::npos)
        return fail("'" + *name + "' is no variable of the node, and a signal that it sends is written MESSAGE.SIGNAL");
    const auto index = node_.sendingNamed(name->substr(0, point), {});
    if (!index)
        return tl::unexpected(index.error());
    if (const auto done = node_.give(*index, name->substr(point + 1), *value); !done)
        return tl::unexpected(done.error());
    return Value{};
}

Expected<Value> NodeScript::value(const Arguments& given)
{
    const auto name = given.text(1);
    if (!name)
        return tl::unexpected(name.error());
    // What it sends itself it does not hear: it is what stands in its frame.
    if (const auto own = node_.ownValue(*name))
        return Value(*own);
    for (const auto& [known, initial] : node_.spec_.variables)
        if (known == *name)
            return Value(node_.slots_[node_.names_[known]]);
    for (const auto& [known, source] : node_.spec_.values)
        if (known == *name) {
            node_.refresh();
            return Value(node_.slots_[node_.names_[known]]);
        }
    bool known = false;
    for (const database::SignalRef& ref : node_.world_.catalog->findSignals(*name))
        if (node_.attachedTo(ref.message->bus)) {
            known = true;
            database::Decoded decoded;
            if (const auto last = last_.find(ref.message);
                last != last_.end() && ref.message->plan.decodeOne(last->second.view(), ref.index, decoded))
                return Value(decoded.value);
        }
    if (known)
        return Value{};
    const auto& derived = node_.world_.catalog->derived();
    const auto found = std::find_if(derived.begin(), derived.end(), [&](const auto& one) { return one.spec.name == *name; });
    if (found == derived.end())
        return fail("'" + *name + "' is neither a value of this node nor a signal that it could receive", {},
            didYouMean(*name, node_.knownNames()));
    const auto place = static_cast<std::uint32_t>(found - derived.begin());
    if (std::find(derivedWanted_.begin(), derivedWanted_.end(), place) == derivedWanted_.end()) {
        derivedWanted_.push_back(place);
        derived_ = std::make_unique<database::DerivedStream>(node_.world_.catalog, derivedWanted_);
    }
    const auto now = derivedNow_.find(place);
    return now == derivedNow_.end() || !std::isfinite(now->second) ? Value{} : Value(now->second);
}

Expected<Value> NodeScript::manipulate(const Arguments& given)
{
    const auto text = given.text(1);
    if (!text)
        return tl::unexpected(text.error());
    if (!node_.world_.manipulate || !script_)
        return fail("nothing is manipulated before the run has begun: do it in on.start");
    tick();
    if (++manipulatedNow_ > mostManipulatedInSecond)
        return fail("more than " + std::to_string(mostManipulatedInSecond) + " manipulations within one second of the run");
    // The same anew begins anew.
    const auto before = std::find(manipulated_.begin(), manipulated_.end(), *text);
    if (before != manipulated_.end()) {
        if (const auto lifted = node_.world_.manipulate(*text, true); !lifted)
            return tl::unexpected(lifted.error());
        manipulated_.erase(before);
    }
    if (manipulated_.size() >= mostNames)
        return fail("it manipulates " + std::to_string(mostNames) + " things, which is as many as there may be");
    if (const auto done = node_.world_.manipulate(*text, false); !done)
        return tl::unexpected(done.error());
    manipulated_.push_back(*text);
    return Value{};
}

Expected<Value> NodeScript::lift(const Arguments& given)
{
    if (!node_.world_.manipulate || !script_)
        return Value{};
    std::vector<std::string> texts = manipulated_;
    if (given.has(1)) {
        auto text = given.text(1);
        if (!text)
            return tl::unexpected(text.error());
        texts = {std::move(*text)};
    }
    for (const std::string& text : texts) {
        if (const auto done = node_.world_.manipulate(text, true); !done)
            return tl::unexpected(done.error());
        std::erase(manipulated_, text);
    }
    return Value{};
}

// Counts anew within each second of the run.
void NodeScript::tick()
{
    const std::int64_t second = (node_.world_.scheduler.now() - node_.world_.begins) / std::chrono::seconds(1);
    if (std::exchange(second_, second) == second)
        return;
    linesNow_ = manipulatedNow_ = askedNow_ = 0;
    costNow_ = 0;
}

Expected<NodeScript::Watch*> NodeScript::watchNamed(const std::string& name)
{
    for (Watch& watch : watches_)
        if (watch.name == name)
            return &watch;
    if (watches_.size() >= mostNames)
        return fail("it has " + std::to_string(mostNames) + " timers, which is as many as there may be");
    watches_.push_back({name, {}, clock::Timer::calling<&NodeScript::elapsed>(node_.world_.scheduler, this), {}, {}, false});
    return &watches_.back();
}

Expected<Value> NodeScript::setTimer(const Arguments& given, bool again)
{
    const auto name = given.text(1);
    if (!name)
        return tl::unexpected(name.error());
    const auto seconds = given.number(2);
    if (!seconds)
        return tl::unexpected(seconds.error());
    if (!(*seconds >= 0 && *seconds <= longestTimer))
        return fail("argument 2 has to be a number of seconds, 0 or more");
    const auto watch = watchNamed(*name);
    if (!watch)
        return tl::unexpected(watch.error());
    const Time span = std::max(shortestTimer, Time(std::llround(*seconds * 1e9)));
    Watch& one = **watch;
    one.every = again ? span : Time{0};
    one.due = node_.world_.scheduler.now() + span;
    one.runs = true;
    one.timer.at(one.due, static_cast<std::uint32_t>(std::find_if(watches_.begin(), watches_.end(), [&](const Watch& w) {
        return &w == &one;
    }) - watches_.begin()));
    return Value{};
}

void NodeScript::elapsed(std::uint32_t index)
{
    if (stopped_)
        return;
    Watch& watch = watches_[index];
    watch.runs = watch.every.count() > 0;
    if (watch.runs) {
        watch.due += watch.every;
        watch.timer.at(watch.due, index);
    }
    for (const Handler handler : watch.handlers)
        post(handler);
    drain();
}

Expected<void> NodeScript::write(std::string line, bool own)
{
    const Time now = node_.world_.scheduler.now();
    tick();
    if (!own && ++linesNow_ > mostLinesInSecond)
        return fail("more than " + std::to_string(mostLinesInSecond) + " lines within one second of the run");
    if (line.size() > longestLine)
        line.resize(longestLine);
    log_.push_back({now, validText(line)});
    ++lines_;
    if (log_.size() > mostLines)
        log_.pop_front();
    ++node_.changes_;
    return {};
}

Expected<Value> NodeScript::get(const Value& key)
{
    if (frame_ == nullptr)
        return fail("the frame is gone");
    if (const auto* number = std::get_if<double>(&key)) {
        if (*number >= 0 && *number < frame_->length && *number == std::floor(*number) && frame_->data != nullptr)
            return Value(static_cast<double>(frame_->data[static_cast<std::size_t>(*number)]));
        return Value{};
    }
    const auto* name = std::get_if<std::string>(&key);
    if (name == nullptr)
        return Value{};
    if (message_ != nullptr) {
        const auto& signals = message_->message->signals;
        const auto found = std::find_if(signals.begin(), signals.end(), [&](const database::Signal& one) { return one.name == *name; });
        if (found != signals.end()) {
            database::Decoded decoded;
            if (!message_->plan.decodeOne(*frame_, static_cast<std::uint32_t>(found - signals.begin()), decoded))
                return Value{};
            return Value(decoded.value);
        }
    }
    if (*name == "message")
        return message_ != nullptr ? Value(message_->message->name) : Value{};
    if (*name == "id")
        return Value(static_cast<double>(frame_->id.value));
    if (*name == "bus")
        return Value(node_.world_.catalog->busName(frame_->bus));
    if (*name == "time")
        return Value(static_cast<double>((frame_->time - node_.world_.begins).count()) / 1e9);
    if (*name == "length")
        return Value(static_cast<double>(frame_->length));
    if (*name == "extended")
        return Value(frame_->id.extended);
    if (*name == "remote")
        return Value(frame_->kind == can::FrameKind::remote);
    if (*name == "fd")
        return Value(frame_->kind == can::FrameKind::fd);
    std::vector<std::string> names;
    for (const auto& [part, meaning] : frameParts)
        names.emplace_back(part);
    if (message_ != nullptr)
        for (const database::Signal& signal : message_->message->signals)
            names.push_back(signal.name);
    return fail("a frame of " + (message_ != nullptr ? message_->message->name : can::toText(frame_->id)) + " has no '" + *name + "'", {},
        didYouMean(*name, names));
}

void NodeScript::post(Handler handler, std::vector<Value> arguments)
{
    if (stopped_)
        return;
    if (events_.size() >= mostWaiting)
        return halt({"what happens leads to more and more that happens, at one moment", name_, 0, 0, {}});
    events_.push_back({handler, std::move(arguments)});
}

void NodeScript::call(Handler handler, std::span<const Value> arguments)
{
    const auto done = script_->call(handler, arguments);
    tick();
    costNow_ += script_->cost() + 50;
    if (!done)
        halt(done.error());
    else if (costNow_ > mostCostInSecond)
        halt({"it took more than " + std::to_string(mostCostInSecond / 1'000'000) + " million instructions within one second of the run",
            name_, 0, 0, {}});
}

void NodeScript::drain()
{
    if (draining_)
        return;
    draining_ = true;
    std::size_t told = 0;
    while (!events_.empty() && !stopped_) {
        const Event event = std::move(events_.front());
        events_.pop_front();
        if (++told > mostWaiting) {
            halt({"what happens leads to more and more that happens, at one moment", name_, 0, 0, {}});
            break;
        }
        call(event.handler, event.arguments);
    }
    draining_ = false;
    if (std::exchange(node_.variablesMoved_, false) && node_.on_) {
        node_.react(nullptr);
        node_.plan();
        if (!events_.empty())
            drain();
    }
}

void NodeScript::halt(const Error& error)
{
    if (stopped_)
        return;
    stopped_ = error;
    events_.clear();
    for (Watch& watch : watches_)
        watch.timer.stop();
    (void)write("stopped: " + error.text(), true);
    node_.enter("script stopped", true, error.text());
}

void NodeScript::start()
{
    // Before what the first state brings.
    for (std::size_t i = 0; i < starts_.size() && !stopped_; ++i)
        events_.insert(events_.begin() + static_cast<std::ptrdiff_t>(i), {starts_[i], {}});
    drain();
}

void NodeScript::stop()
{
    for (const Handler handler : stops_)
        post(handler);
    drain();
    for (Watch& watch : watches_)
        watch.timer.stop();
}

void NodeScript::onFrame(const can::FrameView& frame, const database::CatalogMessage* message)
{
    if (stopped_ || draining_)
        return;
    if (derived_)
        for (const auto& [derived, value] : derived_->take(frame))
            derivedNow_[derived] = value;
    frame_ = &frame;
    message_ = message;
    if (message != nullptr)
        last_.insert_or_assign(message, can::Frame(frame));
    if (message != nullptr)
        if (const auto found = listening_.find(message); found != listening_.end()) {
            const Value told[] = {static_cast<script::Object*>(this)};
            // By their places: a handler may add others.
            for (std::size_t i = 0; i < found->second.handlers.size() && !stopped_; ++i) {
                draining_ = true;
                call(found->second.handlers[i], told);
                draining_ = false;
            }
            for (std::size_t i = 0; i < found->second.changes.size() && !stopped_; ++i) {
                Watched& watched = found->second.changes[i];
                database::Decoded decoded;
                if (!message->plan.decodeOne(frame, watched.signal, decoded) || watched.bits == decoded.bits)
                    continue;
                const database::SignalPlan& plan = message->plan.plan(watched.signal);
                const Value before = watched.bits ? Value(plan.physical(*watched.bits)) : Value{};
                watched.bits = decoded.bits;
                for (const Handler handler : watched.handlers)
                    post(handler, {Value(decoded.value), before});
            }
        }
    for (std::size_t i = 0; i < filtered_.size() && !stopped_; ++i)
        if (filtered_[i].stream.passes(frame)) {
            const Value told[] = {static_cast<script::Object*>(this)};
            draining_ = true;
            call(filtered_[i].handler, told);
            draining_ = false;
        }
    frame_ = nullptr;
    drain();
}

void NodeScript::onKey(const std::string& key, bool down)
{
    const auto [from, to] = keys_.equal_range(key);
    for (auto one = from; one != to; ++one)
        post(one->second, {Value(down)});
    drain();
}

void NodeScript::entered(const std::string& before, const std::string& now)
{
    for (auto [from, to] = leaves_.equal_range(before); from != to; ++from)
        post(from->second, {Value(now)});
    for (auto [from, to] = enters_.equal_range(now); from != to; ++from)
        post(from->second, {Value(before)});
}

void NodeScript::conditionHolds(Handler handler) { post(handler); }

void NodeScript::goOnFrom(NodeScript& before)
{
    script_->keepFrom(*before.script_);
    log_ = std::move(before.log_);
    lines_ = before.lines_;
    second_ = before.second_;
    linesNow_ = before.linesNow_;
    manipulatedNow_ = before.manipulatedNow_;
    manipulated_ = before.manipulated_;
    for (const Watch& former : before.watches_)
        for (std::size_t i = 0; i < watches_.size(); ++i)
            if (watches_[i].name == former.name && former.runs) {
                watches_[i].every = former.every;
                watches_[i].due = former.due;
                watches_[i].runs = true;
                watches_[i].timer.at(former.due, static_cast<std::uint32_t>(i));
            }
    for (auto& [message, listening] : listening_)
        if (const auto found = before.listening_.find(message); found != before.listening_.end())
            for (Watched& watched : listening.changes)
                for (const Watched& former : found->second.changes)
                    if (former.signal == watched.signal)
                        watched.bits = former.bits;
}

ScriptFacts NodeScript::facts() const
{
    ScriptFacts out{name_, stopped_, {}, lines_};
    out.log.assign(log_.end() - static_cast<std::ptrdiff_t>(std::min(log_.size(), reportedLines)), log_.end());
    return out;
}

}  // namespace wavetrope::drive
