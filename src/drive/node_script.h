// SPDX-License-Identifier: GPL-3.0-or-later
// A node's script: what it may call, and what calls it.
#pragma once

#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <unordered_map>
#include <vector>

#include "clock/timer.h"
#include "database/derived_stream.h"
#include "drive/node_spec.h"
#include "filter/filter_stream.h"
#include "script/script.h"

namespace wavetrope::drive {

class Node;

/// A line that a script logged.
struct LogLine {
    Time time{};
    std::string text;
};

/// How a node's script is doing, for people.
struct ScriptFacts {
    std::string name;                   ///< Its file; empty: the node has none.
    std::optional<Error> stopped;       ///< Why it does nothing any more.
    std::vector<LogLine> log;           ///< The newest lines.
    std::uint64_t lines = 0;            ///< All that it logged.
};

/// One of the calls that a node's script has: the table of them is what scripts get, what is offered while one types, and what the manual says.
struct ScriptCall {
    const char* name;  ///< "on.message".
    const char* arguments;  ///< "name, function(frame)".
    const char* meaning;
    const char* example;
};
[[nodiscard]] std::span<const ScriptCall> scriptCalls();
/// Parts of a frame that a script reads besides its signals, and what they are.
[[nodiscard]] std::span<const std::pair<const char*, const char*>> scriptFrameParts();

/// A script at work for a node. What happens is put into a line and told one after the other, so that what a handler does calls no other
/// handler within it.
class NodeScript final : private script::Object {
public:
    /// Loads it. An error names its line, or what it speaks of and is not there.
    [[nodiscard]] static Expected<std::unique_ptr<NodeScript>> load(Node& node, const ScriptSpec& spec);
    ~NodeScript() override;
    NodeScript(const NodeScript&) = delete;
    NodeScript& operator=(const NodeScript&) = delete;

    void start();
    void stop();
    void onFrame(const can::FrameView& frame, const database::CatalogMessage* message);
    void onKey(const std::string& key, bool down);
    void entered(const std::string& before, const std::string& now);
    void conditionHolds(script::Handler handler);
    /// Tells what waits to be told.
    void drain();
    /// Goes on with what the one before had: global values, timers, what was set.
    void goOnFrom(NodeScript& before);

    [[nodiscard]] const std::optional<Error>& stopped() const { return stopped_; }
    [[nodiscard]] const std::deque<LogLine>& log() const { return log_; }
    [[nodiscard]] ScriptFacts facts() const;

private:
    struct Event {
        script::Handler handler = 0;
        std::vector<script::Value> arguments;
    };
    struct Watched {
        std::uint32_t signal = 0;
        std::optional<std::uint64_t> bits;
        std::vector<script::Handler> handlers;
    };
    struct Listening {
        std::vector<script::Handler> handlers;
        std::vector<Watched> changes;
    };
    struct Watch {
        std::string name;
        std::vector<script::Handler> handlers;
        clock::Timer timer;
        Time every{};
        Time due{};
        bool runs = false;
    };
    struct Filtered {
        filter::FilterStream stream;
        script::Handler handler;
    };

    NodeScript(Node& node, const ScriptSpec& spec);
    [[nodiscard]] std::vector<script::Function> functions();
    Expected<script::Value> get(const script::Value& key) override;
    void post(script::Handler handler, std::vector<script::Value> arguments = {});
    void call(script::Handler handler, std::span<const script::Value> arguments);
    void halt(const Error& error);
    void elapsed(std::uint32_t watch);
    Expected<void> write(std::string line, bool own = false);
    void tick();

    Expected<script::Value> onMessage(const script::Arguments& given);
    Expected<script::Value> onChange(const script::Arguments& given);
    Expected<script::Value> onCondition(const script::Arguments& given);
    Expected<script::Value> onFilter(const script::Arguments& given);
    Expected<script::Value> send(const script::Arguments& given);
    Expected<script::Value> set(const script::Arguments& given);
    Expected<script::Value> value(const script::Arguments& given);
    Expected<script::Value> manipulate(const script::Arguments& given);
    Expected<script::Value> lift(const script::Arguments& given);
    Expected<script::Value> setTimer(const script::Arguments& given, bool again);
    Expected<script::Value> readObject(const script::Arguments& given);
    Expected<script::Value> writeObject(const script::Arguments& given);
    Expected<script::Value> commandState(const script::Arguments& given);
    Expected<script::Value> sendSync(const script::Arguments& given);
    Expected<script::Value> sendTime(const script::Arguments& given);
    [[nodiscard]] static Expected<std::uint8_t> machineAt(const script::Arguments& given, int index);
    [[nodiscard]] static Expected<protocol::ObjectPlace> objectAt(const script::Arguments& given, int index);
    Expected<script::Value> requestGroup(const script::Arguments& given);
    Expected<script::Value> sendGroup(const script::Arguments& given);
    Expected<script::Value> diagnose(const script::Arguments& given);
    Expected<void> ask(std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, script::Handler handler, bool bytes);
    Expected<std::uint8_t> busAt(const script::Arguments& given, int index) const;
    Expected<protocol::VehiclePlace> vehicleAt(const script::Arguments& given, int index) const;
    Expected<Watch*> watchNamed(const std::string& name);

    Node& node_;
    std::string name_;
    std::shared_ptr<NodeScript*> self_ = std::make_shared<NodeScript*>(this);  // for answers that come when it is gone
    std::unique_ptr<script::Script> script_;
    std::optional<Error> stopped_;
    bool draining_ = false;
    std::deque<Event> events_;
    std::vector<script::Handler> starts_, stops_;
    std::vector<std::string> manipulated_;  // what it has go wrong
    std::multimap<std::string, script::Handler> keys_, enters_, leaves_;
    std::unordered_map<const database::CatalogMessage*, Listening> listening_;
    std::deque<Filtered> filtered_;
    std::deque<Watch> watches_;
    std::unique_ptr<database::DerivedStream> derived_;
    std::vector<std::uint32_t> derivedWanted_;
    std::map<std::uint32_t, double> derivedNow_;
    // The frame that is told of.
    std::unordered_map<const database::CatalogMessage*, can::Frame> last_;  // the newest of each message
    const can::FrameView* frame_ = nullptr;
    const database::CatalogMessage* message_ = nullptr;
    std::deque<LogLine> log_;
    std::uint64_t lines_ = 0;
    // Of the second of the run that goes on.
    std::int64_t second_ = -1;
    unsigned linesNow_ = 0, manipulatedNow_ = 0, askedNow_ = 0;
    std::uint64_t callsNow_ = 0, costNow_ = 0;
};

}  // namespace wavetrope::drive
