// SPDX-License-Identifier: GPL-3.0-or-later
// Scripts in Lua 5.4, kept within bounds.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "base/error.h"

namespace wavetrope::script {

class Object;

/// What goes in and out of a script.
using Value = std::variant<std::monostate, bool, double, std::string, Object*>;

/// Something that a script reads by keys while a call goes on. Kept beyond it, it says that it is gone.
class Object {
public:
    virtual ~Object() = default;
    /// A key is a text or a number; nothing (nil) where it has no such part.
    [[nodiscard]] virtual Expected<Value> get(const Value& key) = 0;
};

/// A function of a script, to be called later.
using Handler = int;

/// How much a script may take. All of it is counted, and nothing of it measured in time: the same calls end at the same place.
struct Limits {
    std::uint64_t instructions = 200'000;   ///< Of one call.
    std::size_t memory = 8U << 20U;         ///< Bytes, of all that it keeps.
    std::size_t text = 64U << 10U;          ///< Bytes of its longest text.
};

/// What a script gives to a function that it calls.
class Arguments {
public:
    Arguments(void* state, int count) : state_(state), count_(count) {}
    [[nodiscard]] int size() const { return count_; }
    /// Whether there is one, and it is not nil. Arguments are counted from 1, as scripts count.
    [[nodiscard]] bool has(int index) const;
    // Errors name the argument and what stands there.
    [[nodiscard]] Expected<double> number(int index) const;
    [[nodiscard]] Expected<std::string> text(int index) const;
    [[nodiscard]] Expected<bool> truth(int index) const;
    /// Keeps the function for as long as the script lives.
    [[nodiscard]] Expected<Handler> function(int index) const;
    /// What stands there, as far as it is a value.
    [[nodiscard]] Expected<Value> value(int index) const;
    /// Every entry of a table, numbers first, then texts in the order of their bytes.
    [[nodiscard]] Expected<void> each(int index, const std::function<Expected<void>(const Value& key, const Value& value)>& take) const;
    /// All of them as one line, as `print` has it.
    [[nodiscard]] std::string line() const;

private:
    void* state_;
    int count_;
};

/// A function that scripts may call, and what people are told of it.
struct Function {
    std::string name;       ///< "send", or with one point: "on.message".
    std::function<Expected<Value>(const Arguments&)> call;
};

/// A script that was loaded. It reaches the functions that it was given, and of the language what computes: no files, no
/// processes, no clock, no chance but `random`, and nothing that hangs on where its values stand in memory.
/// See docs/node-scripts.md.
class Script {
public:
    /// Compiles a text and runs it once, from its first line to its last. `name` stands in errors, with the line.
    [[nodiscard]] static Expected<std::unique_ptr<Script>> load(
        const std::string& text, const std::string& name, std::vector<Function> functions, const Limits& limits = {});
    /// Compiles alone.
    [[nodiscard]] static Expected<void> check(const std::string& text, const std::string& name);
    virtual ~Script() = default;

    /// Calls a function that it gave. An error says what was wrong, at `name:line`.
    [[nodiscard]] virtual Expected<void> call(Handler handler, std::span<const Value> arguments) = 0;
    /// Global values that another script of it left, under names that this one gives a value of the same kind: numbers, texts, truth, and
    /// tables of such.
    virtual void keepFrom(Script& before) = 0;
    /// Instructions of the last call, in steps of a thousand, and what memory it took, as instructions.
    [[nodiscard]] virtual std::uint64_t cost() const = 0;
    /// Bytes that it holds now.
    [[nodiscard]] virtual std::size_t memory() const = 0;

protected:
    Script() = default;
};

}  // namespace wavetrope::script
