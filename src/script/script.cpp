// SPDX-License-Identifier: GPL-3.0-or-later
#include "script/script.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <lua.hpp>
#include <map>
#include <new>
#include <set>

namespace wavetrope::script {

namespace {

constexpr int hookEvery = 1000;                 // instructions
constexpr std::size_t longestSource = 1U << 20U;
constexpr std::size_t longestName = 40;         // Lua cuts longer ones in its errors
constexpr unsigned mostDeep = 16;               // tables in tables that are kept
constexpr std::size_t mostKept = 20'000;        // entries of them
constexpr const char* objectKind = "object";
constexpr std::string_view preludeName = "=prelude";

// What of the language stays is named here; all else is taken away. Costs of what goes on inside a function of the library, where no
// instruction is counted, are charged; what would tell an address, or an order that hangs on one, does not.
constexpr const char* prelude = R"lua(
local charge, ordered, log = ...
local next, type, select, rawget, setmetatable, getmetatable, tostring_, error = next, type, select, rawget, setmetatable, getmetatable,
    tostring, error
local format, gsub, find, byte, insert, remove, sort, concat, unpack, tointeger = string.format, string.gsub, string.find, string.byte,
    table.insert, table.remove, table.sort, table.concat, table.unpack, math.tointeger
local gmatch, pcall_ = string.gmatch, pcall
local function only(from, names)
    local kept = {}
    for name in gmatch(names, '%S+') do kept[name] = from[name] end
    for name in next, from do from[name] = nil end
    for name, what in next, kept do from[name] = what end
end
local function say(value)
    local kind = type(value)
    if kind == 'table' or kind == 'function' or kind == 'userdata' then
        local meta = getmetatable(value)
        return type(meta) == 'table' and rawget(meta, '__tostring') and tostring_(value) or kind
    end
    return tostring_(value)
end
function tostring(...)
    if select('#', ...) == 0 then error("tostring: a value was expected", 2) end
    return say((...))
end
function print(...)
    local line = ''
    for i = 1, select('#', ...) do line = line .. (i > 1 and '\t' or '') .. say((select(i, ...))) end
    log(line)
end
function string.format(text, ...)
    if type(text) == 'string' and find(gsub(text, '%%%%', ''), '%%[-+ #0%d.]*p') then
        error("format: '%p' tells where something is in memory, which is another place each time", 2)
    end
    local count, any = select('#', ...), false
    for i = 1, count do
        local kind = type((select(i, ...)))
        any = any or kind == 'table' or kind == 'function' or kind == 'userdata'
    end
    if not any then return format(text, ...) end
    local values = {...}
    for i = 1, count do
        local kind = type(values[i])
        if kind == 'table' or kind == 'function' or kind == 'userdata' then values[i] = say(values[i]) end
    end
    return format(text, unpack(values, 1, count))
end
_G.setmetatable = function(what, meta)
    if type(meta) == 'table' and (rawget(meta, '__gc') ~= nil or rawget(meta, '__mode') ~= nil) then
        error("setmetatable: '__gc' and '__mode' hang on when memory is collected", 2)
    end
    return setmetatable(what, meta)
end
function string.byte(text, from, to)
    if to then charge(64 << 10 < to - (from or 1) and 64 << 10 or to < 0 and #text or to) end
    return byte(text, from, to)
end
function table.insert(list, ...)
    if select('#', ...) > 1 then charge(#list) end
    return insert(list, ...)
end
function table.remove(list, ...)
    if select('#', ...) > 0 then charge(#list) end
    return remove(list, ...)
end
function table.sort(list, before)
    charge(#list * 16)
    return sort(list, before)
end
function table.concat(list, between, from, to)
    charge((to or #list) - (from or 1) + 1)
    return concat(list, between, from, to)
end
function table.unpack(list, from, to)
    charge((to or #list) - (from or 1) + 1)
    return unpack(list, from, to)
end
-- What handles an error does so behind it, where instructions are counted again.
function xpcall(what, handler, ...)
    local result = table.pack(pcall_(what, ...))
    if result[1] then return unpack(result, 1, result.n) end
    return false, handler(result[2])
end
-- In the order of the keys: numbers, then texts.
function pairs(what)
    local keys, at = ordered(what), 0
    return function()
        local value
        repeat
            at = at + 1
            if keys[at] == nil then return nil end
            value = rawget(what, keys[at])
        until value ~= nil
        return keys[at], value
    end
end
_G.next = function(what, before)
    local keys = ordered(what)
    if before == nil then
        if keys[1] == nil then return nil end
        return keys[1], rawget(what, keys[1])
    end
    for i = 1, #keys do
        if keys[i] == before then
            if keys[i + 1] == nil then return nil end
            return keys[i + 1], rawget(what, keys[i + 1])
        end
    end
    error('next: the table has no such key', 2)
end
only(string, 'byte char format len lower pack packsize rep reverse sub unpack upper')
only(table, 'concat insert pack remove sort unpack')
only(math, 'abs acos asin atan ceil cos deg exp floor fmod huge log max maxinteger min mininteger modf pi rad sin sqrt tan tointeger type ult')
only(utf8, 'char codepoint codes len offset')
only(_G, '_G _VERSION assert error getmetatable ipairs math next pairs pcall print rawequal rawget rawlen rawset select setmetatable string table tonumber tostring type utf8 xpcall')
)lua";

struct Box {
    Object* object;
    std::uint64_t call;
};

struct Table;
using Kept = std::variant<bool, lua_Integer, double, std::string, std::shared_ptr<Table>>;
struct Table {
    std::vector<std::pair<Kept, Kept>> entries;
};

class LuaScript final : public Script {
public:
    LuaScript(std::string name, std::vector<Function> functions, const Limits& limits)
        : name_(std::move(name)), limits_(limits), functions_(std::move(functions))
    {
        if (name_.size() > longestName)
            name_.erase(0, name_.size() - longestName);
        state_ = lua_newstate(allocate, this);
        if (state_ == nullptr)
            return;
        *static_cast<LuaScript**>(lua_getextraspace(state_)) = this;
    }
    LuaScript(const LuaScript&) = delete;
    LuaScript& operator=(const LuaScript&) = delete;
    ~LuaScript() override
    {
        if (state_ != nullptr)
            lua_close(state_);
    }

    [[nodiscard]] static LuaScript& of(lua_State* state) { return **static_cast<LuaScript**>(lua_getextraspace(state)); }

    Expected<void> begin()
    {
        if (state_ == nullptr)
            return fail("there is no memory for a script", name_);
        lua_pushcfunction(state_, setUp);
        return carryOut(0, true);
    }

    Expected<void> compile(const std::string& text)
    {
        if (text.size() > longestSource)
            return fail("it is longer than " + std::to_string(longestSource >> 10U) + " KiB", name_);
        const std::string chunk = "=" + name_;
        if (luaL_loadbufferx(state_, text.data(), text.size(), chunk.c_str(), "t") != LUA_OK)
            return tl::unexpected(taken());
        return {};
    }

    Expected<void> run() { return carryOut(0, false); }

    Expected<void> call(Handler handler, std::span<const Value> arguments) override
    {
        if (!lua_checkstack(state_, static_cast<int>(arguments.size()) + 8))
            return fail("it has no room for a call", name_);
        lua_rawgeti(state_, LUA_REGISTRYINDEX, handler);
        ++calls_;
        arguments_ = arguments;
        // What is pushed may need memory that is not there: behind a call that is protected.
        lua_pushcfunction(state_, withArguments);
        lua_insert(state_, -2);
        return carryOut(1, false);
    }

    void keepFrom(Script& before) override
    {
        auto& from = static_cast<LuaScript&>(before);
        std::map<std::string, Kept> kept;
        std::size_t room = mostKept;
        lua_pushglobaltable(from.state_);
        lua_pushnil(from.state_);
        while (lua_next(from.state_, -2) != 0) {
            if (lua_type(from.state_, -2) == LUA_TSTRING) {
                const char* name = lua_tostring(from.state_, -2);
                if (!from.builtIn_.contains(name))
                    if (auto value = read(from.state_, -1, 0, room))
                        kept.emplace(name, std::move(*value));
            }
            lua_pop(from.state_, 1);
        }
        lua_pop(from.state_, 1);
        toKeep_ = &kept;
        lua_pushcfunction(state_, takeKept);
        (void)carryOut(0, true);        // what has no room stays as the new script has it
        toKeep_ = nullptr;
    }

    [[nodiscard]] std::uint64_t cost() const override
    {
        return left_ >= static_cast<std::int64_t>(limits_.instructions)
                   ? 0
                   : static_cast<std::uint64_t>(static_cast<std::int64_t>(limits_.instructions) - left_);
    }
    [[nodiscard]] std::size_t memory() const override { return used_; }

    void charge(lua_State* state, std::int64_t cost)
    {
        left_ -= std::max<std::int64_t>(cost, 0);
        if (left_ < 0)
            tooLong(state);
    }

    static void push(lua_State* state, const Value& value)
    {
        struct Visitor {
            lua_State* state;
            void operator()(std::monostate) const { lua_pushnil(state); }
            void operator()(bool truth) const { lua_pushboolean(state, truth ? 1 : 0); }
            void operator()(double number) const
            {
                if (number == std::floor(number) && std::abs(number) < 0x1p53)
                    lua_pushinteger(state, static_cast<lua_Integer>(number));
                else
                    lua_pushnumber(state, number);
            }
            void operator()(const std::string& text) const { lua_pushlstring(state, text.data(), text.size()); }
            void operator()(Object* object) const
            {
                auto* box = static_cast<Box*>(lua_newuserdatauv(state, sizeof(Box), 0));
                *box = {object, of(state).calls_};
                luaL_setmetatable(state, objectKind);
            }
        };
        std::visit(Visitor{state}, value);
    }

    static Value valueAt(lua_State* state, int index)
    {
        switch (lua_type(state, index)) {
        case LUA_TBOOLEAN: return lua_toboolean(state, index) != 0;
        case LUA_TNUMBER: return static_cast<double>(lua_tonumber(state, index));
        case LUA_TSTRING: {
            std::size_t length = 0;
            const char* text = lua_tolstring(state, index, &length);
            return std::string(text, length);
        }
        default: return std::monostate{};
        }
    }

private:
    static void* allocate(void* self, void* block, std::size_t before, std::size_t now)
    {
        auto& script = *static_cast<LuaScript*>(self);
        // Of a new block `before` says what it is for.
        const std::size_t had = block == nullptr ? 0 : before;
        if (now == 0) {
            script.used_ -= had;
            std::free(block);
            return nullptr;
        }
        if (now > had) {
            if (script.used_ - had + now > script.limits_.memory
                || (block == nullptr && before == LUA_TSTRING && now > script.limits_.text + 64))
                return nullptr;
            script.left_ -= static_cast<std::int64_t>(now / 256);
        }
        void* made = std::realloc(block, now);
        if (made != nullptr)
            script.used_ += now - had;
        return made != nullptr || now > had ? made : block;
    }

    static void count(lua_State* state, lua_Debug*)
    {
        LuaScript& script = of(state);
        script.left_ -= script.over_ ? 0 : hookEvery;
        if (script.over_ || script.left_ < 0)
            script.tooLong(state);
    }

    // Said again at the very next instruction, so that no `pcall` of it goes on for long.
    [[noreturn]] void tooLong(lua_State* state)
    {
        over_ = true;
        lua_sethook(state, count, LUA_MASKCOUNT, 1);
        refuse(state, "it did not come to an end within " + std::to_string(limits_.instructions) + " instructions");
        std::abort();
    }

    // "name:12: " of the innermost line of the script itself.
    static void pushPlace(lua_State* state)
    {
        lua_Debug at;
        for (int level = 0; lua_getstack(state, level, &at) != 0; ++level)
            if (lua_getinfo(state, "Sl", &at) != 0 && at.currentline > 0 && std::string_view(at.source) != preludeName) {
                lua_pushfstring(state, "%s:%d: ", at.short_src, at.currentline);
                return;
            }
        lua_pushliteral(state, "");
    }

    static int refuse(lua_State* state, const std::string& words)
    {
        pushPlace(state);
        lua_pushlstring(state, words.data(), words.size());
        lua_concat(state, 2);
        return lua_error(state);
    }

    // Calls what stands below so many arguments, within the bounds.
    Expected<void> carryOut(int arguments, bool own)
    {
        left_ = static_cast<std::int64_t>(own ? std::uint64_t{1} << 40U : limits_.instructions);
        over_ = false;
        lua_sethook(state_, count, own ? 0 : LUA_MASKCOUNT, hookEvery);
        const int result = lua_pcall(state_, arguments, 0, 0);
        ++calls_;       // what was read in it is gone
        if (result == LUA_OK && !over_)
            return {};
        Error error = result == LUA_OK ? Error{"it did not come to an end within " + std::to_string(limits_.instructions) + " instructions",
                                             name_, 0, 0, {}}
                                       : taken();
        if (result == LUA_ERRMEM)
            error.what = "it needs more memory than the " + std::to_string(limits_.memory >> 20U)
                         + " MiB that a script may have, or a text of more than " + std::to_string(limits_.text >> 10U) + " KiB";
        lua_settop(state_, 0);
        return tl::unexpected(std::move(error));
    }

    // The error on top of the stack: "name:12: what".
    Error taken()
    {
        Error error{"its error is no text", name_, 0, 0, {}};
        if (lua_type(state_, -1) == LUA_TSTRING) {
            std::size_t length = 0;
            const char* raw = lua_tolstring(state_, -1, &length);
            error.what.assign(raw, length);
            const std::string begin = name_ + ":";
            if (error.what.starts_with(begin)) {
                char* end = nullptr;
                const long line = std::strtol(error.what.c_str() + begin.size(), &end, 10);
                if (line > 0 && *end == ':') {
                    error.line = static_cast<int>(line);
                    error.what.erase(0, static_cast<std::size_t>(end - error.what.c_str()) + (end[1] == ' ' ? 2 : 1));
                }
            }
        }
        lua_pop(state_, 1);
        return error;
    }

    static int withArguments(lua_State* state)
    {
        LuaScript& script = of(state);
        luaL_checkstack(state, static_cast<int>(script.arguments_.size()) + 1, nullptr);
        for (const Value& value : script.arguments_)
            push(state, value);
        lua_call(state, static_cast<int>(script.arguments_.size()), 0);
        return 0;
    }

    static int bridge(lua_State* state)
    {
        const auto* function = static_cast<const Function*>(lua_touserdata(state, lua_upvalueindex(1)));
        const auto result = function->call(Arguments(state, lua_gettop(state)));
        if (!result) {
            const Error& error = result.error();
            const std::string words = function->name + ": " + error.what + (error.remedy.empty() ? "" : ". " + error.remedy);
            return refuse(state, words);
        }
        if (std::holds_alternative<std::monostate>(*result))
            return 0;
        push(state, *result);
        return 1;
    }

    static int readObject(lua_State* state)
    {
        const auto* box = static_cast<const Box*>(luaL_checkudata(state, 1, objectKind));
        if (box->call != of(state).calls_)
            return refuse(state, "what is read here was of an earlier call, and is gone");
        const auto value = box->object->get(valueAt(state, 2));
        if (!value) {
            const std::string words = value.error().what + (value.error().remedy.empty() ? "" : ". " + value.error().remedy);
            return refuse(state, words);
        }
        push(state, *value);
        return 1;
    }

    static int charged(lua_State* state)
    {
        of(state).charge(state, static_cast<std::int64_t>(std::clamp(lua_tonumber(state, 1), 0.0, 1e12)));
        return 0;
    }

    static int logged(lua_State* state)
    {
        lua_getglobal(state, "log");
        lua_insert(state, 1);
        if (lua_isnil(state, 1))
            return 0;
        lua_call(state, lua_gettop(state) - 1, 0);
        return 0;
    }

    // The keys of a table as a list: numbers first, then texts by their bytes, then truth.
    static int ordered(lua_State* state)
    {
        if (lua_type(state, 1) != LUA_TTABLE)
            return refuse(state, std::string("a table was expected, and this is ") + luaL_typename(state, 1));
        struct Key {
            int kind;
            lua_Number number;
            lua_Integer whole;
            bool isWhole;
            std::string_view text;
        };
        std::vector<Key> keys;
        lua_pushnil(state);
        while (lua_next(state, 1) != 0) {
            lua_pop(state, 1);
            Key key{lua_type(state, -1), 0, 0, false, {}};
            if (key.kind == LUA_TNUMBER) {
                key.isWhole = lua_isinteger(state, -1) != 0;
                key.number = lua_tonumber(state, -1);
                key.whole = key.isWhole ? lua_tointeger(state, -1) : 0;
            } else if (key.kind == LUA_TSTRING) {
                std::size_t length = 0;
                const char* text = lua_tolstring(state, -1, &length);
                key.text = {text, length};
            } else if (key.kind == LUA_TBOOLEAN) {
                key.whole = lua_toboolean(state, -1);
            } else {
                return refuse(state, "keys that are tables or functions have no order: use numbers or texts");
            }
            keys.push_back(key);
        }
        of(state).charge(state, static_cast<std::int64_t>(keys.size()) * 4);
        std::sort(keys.begin(), keys.end(), [](const Key& a, const Key& b) {
            if (a.kind != b.kind)
                return (a.kind == LUA_TBOOLEAN ? 99 : a.kind) < (b.kind == LUA_TBOOLEAN ? 99 : b.kind);
            if (a.kind == LUA_TSTRING)
                return a.text < b.text;
            if (a.kind == LUA_TBOOLEAN || (a.isWhole && b.isWhole))
                return a.whole < b.whole;
            return a.number < b.number;
        });
        lua_createtable(state, static_cast<int>(keys.size()), 0);
        for (std::size_t i = 0; i < keys.size(); ++i) {
            const Key& key = keys[i];
            if (key.kind == LUA_TSTRING)
                lua_pushlstring(state, key.text.data(), key.text.size());
            else if (key.kind == LUA_TBOOLEAN)
                lua_pushboolean(state, static_cast<int>(key.whole));
            else if (key.isWhole)
                lua_pushinteger(state, key.whole);
            else
                lua_pushnumber(state, key.number);
            lua_rawseti(state, -2, static_cast<lua_Integer>(i) + 1);
        }
        return 1;
    }

    static int setUp(lua_State* state)
    {
        LuaScript& script = of(state);
        luaL_requiref(state, "_G", luaopen_base, 1);
        luaL_requiref(state, LUA_MATHLIBNAME, luaopen_math, 1);
        luaL_requiref(state, LUA_STRLIBNAME, luaopen_string, 1);
        luaL_requiref(state, LUA_TABLIBNAME, luaopen_table, 1);
        luaL_requiref(state, LUA_UTF8LIBNAME, luaopen_utf8, 1);
        lua_settop(state, 0);
        luaL_newmetatable(state, objectKind);
        lua_pushcfunction(state, readObject);
        lua_setfield(state, -2, "__index");
        lua_pushboolean(state, 0);
        lua_setfield(state, -2, "__metatable");
        lua_settop(state, 0);
        if (luaL_loadbufferx(state, prelude, std::char_traits<char>::length(prelude), preludeName.data(), "t") != LUA_OK)
            return lua_error(state);
        lua_pushcfunction(state, charged);
        lua_pushcfunction(state, ordered);
        lua_pushcfunction(state, logged);
        lua_call(state, 3, 0);
        for (const Function& function : script.functions_) {
            const auto point = function.name.find('.');
            lua_pushglobaltable(state);
            if (point != std::string::npos) {
                const std::string group = function.name.substr(0, point);
                if (lua_getfield(state, -1, group.c_str()) != LUA_TTABLE) {
                    lua_pop(state, 1);
                    lua_newtable(state);
                    lua_pushvalue(state, -1);
                    lua_setfield(state, -3, group.c_str());
                }
            }
            lua_pushlightuserdata(state, const_cast<Function*>(&function));
            lua_pushcclosure(state, bridge, 1);
            lua_setfield(state, -2, function.name.c_str() + (point == std::string::npos ? 0 : point + 1));
            lua_settop(state, 0);
        }
        lua_pushglobaltable(state);
        lua_pushnil(state);
        while (lua_next(state, -2) != 0) {
            lua_pop(state, 1);
            if (lua_type(state, -1) == LUA_TSTRING)
                script.builtIn_.insert(lua_tostring(state, -1));
        }
        return 0;
    }

    static std::optional<Kept> read(lua_State* state, int index, unsigned depth, std::size_t& room)
    {
        switch (lua_type(state, index)) {
        case LUA_TBOOLEAN: return Kept(lua_toboolean(state, index) != 0);
        case LUA_TNUMBER:
            return lua_isinteger(state, index) != 0 ? Kept(lua_tointeger(state, index))
                                                    : Kept(static_cast<double>(lua_tonumber(state, index)));
        case LUA_TSTRING: {
            std::size_t length = 0;
            const char* text = lua_tolstring(state, index, &length);
            return Kept(std::string(text, length));
        }
        case LUA_TTABLE: break;
        default: return std::nullopt;
        }
        if (depth >= mostDeep || lua_checkstack(state, 8) == 0)
            return std::nullopt;
        auto table = std::make_shared<Table>();
        const int at = lua_absindex(state, index);
        lua_pushnil(state);
        while (lua_next(state, at) != 0) {
            auto key = lua_type(state, -2) == LUA_TTABLE ? std::nullopt : read(state, -2, depth, room);
            auto value = key && room > 0 ? read(state, -1, depth + 1, room) : std::nullopt;
            if (value) {
                --room;
                table->entries.emplace_back(std::move(*key), std::move(*value));
            }
            lua_pop(state, 1);
        }
        return Kept(std::move(table));
    }

    static void write(lua_State* state, const Kept& value)
    {
        luaL_checkstack(state, 8, nullptr);
        if (const auto* truth = std::get_if<bool>(&value))
            lua_pushboolean(state, *truth ? 1 : 0);
        else if (const auto* whole = std::get_if<lua_Integer>(&value))
            lua_pushinteger(state, *whole);
        else if (const auto* number = std::get_if<double>(&value))
            lua_pushnumber(state, *number);
        else if (const auto* text = std::get_if<std::string>(&value))
            lua_pushlstring(state, text->data(), text->size());
        else {
            lua_newtable(state);
            for (const auto& [key, entry] : std::get<std::shared_ptr<Table>>(value)->entries) {
                write(state, key);
                write(state, entry);
                lua_rawset(state, -3);
            }
        }
    }

    static int takeKept(lua_State* state)
    {
        LuaScript& script = of(state);
        lua_pushglobaltable(state);
        for (const auto& [name, value] : *script.toKeep_) {
            if (script.builtIn_.contains(name))
                continue;
            lua_getfield(state, 1, name.c_str());
            const int kind = lua_type(state, -1);
            lua_settop(state, 1);
            const int wanted = std::holds_alternative<bool>(value)          ? LUA_TBOOLEAN
                               : std::holds_alternative<std::string>(value) ? LUA_TSTRING
                               : value.index() == 4                         ? LUA_TTABLE
                                                                            : LUA_TNUMBER;
            if (kind != wanted)
                continue;
            write(state, value);
            lua_setfield(state, 1, name.c_str());
        }
        return 0;
    }

    std::string name_;
    Limits limits_;
    std::vector<Function> functions_;
    lua_State* state_ = nullptr;
    std::size_t used_ = 0;
    std::int64_t left_ = std::int64_t{1} << 40U;
    bool over_ = false;
    std::uint64_t calls_ = 1;
    std::span<const Value> arguments_;
    std::set<std::string, std::less<>> builtIn_;
    const std::map<std::string, Kept>* toKeep_ = nullptr;
};

lua_State* in(void* state) { return static_cast<lua_State*>(state); }

std::string what(lua_State* state, int index)
{
    if (lua_isnoneornil(state, index))
        return "nothing";
    if (lua_type(state, index) == LUA_TSTRING)
        return "a text";
    return std::string("a ") + luaL_typename(state, index);
}

}  // namespace

bool Arguments::has(int index) const { return index <= count_ && !lua_isnoneornil(in(state_), index); }

Expected<double> Arguments::number(int index) const
{
    // A text that looks like a number is none: it was meant as something else.
    if (index <= count_ && lua_type(in(state_), index) == LUA_TNUMBER)
        return static_cast<double>(lua_tonumber(in(state_), index));
    return fail("argument " + std::to_string(index) + " has to be a number, and is " + what(in(state_), index));
}

Expected<std::string> Arguments::text(int index) const
{
    if (index <= count_ && lua_type(in(state_), index) == LUA_TSTRING) {
        std::size_t length = 0;
        const char* text = lua_tolstring(in(state_), index, &length);
        return std::string(text, length);
    }
    return fail("argument " + std::to_string(index) + " has to be a text, and is " + what(in(state_), index));
}

Expected<bool> Arguments::truth(int index) const
{
    if (index <= count_ && lua_type(in(state_), index) == LUA_TBOOLEAN)
        return lua_toboolean(in(state_), index) != 0;
    return fail("argument " + std::to_string(index) + " has to be true or false, and is " + what(in(state_), index));
}

Expected<Handler> Arguments::function(int index) const
{
    if (index > count_ || lua_type(in(state_), index) != LUA_TFUNCTION)
        return fail("argument " + std::to_string(index) + " has to be a function, and is " + what(in(state_), index));
    lua_pushvalue(in(state_), index);
    return luaL_ref(in(state_), LUA_REGISTRYINDEX);
}

Expected<Value> Arguments::value(int index) const
{
    if (index > count_)
        return std::monostate{};
    switch (lua_type(in(state_), index)) {
    case LUA_TNIL:
    case LUA_TBOOLEAN:
    case LUA_TNUMBER:
    case LUA_TSTRING: return LuaScript::valueAt(in(state_), index);
    default:
        return fail(
            "argument " + std::to_string(index) + " has to be a number, a text, or true or false, and is " + what(in(state_), index));
    }
}

Expected<void> Arguments::each(int index, const std::function<Expected<void>(const Value&, const Value&)>& take) const
{
    lua_State* state = in(state_);
    if (index > count_ || lua_type(state, index) != LUA_TTABLE)
        return fail("argument " + std::to_string(index) + " has to be a table, and is " + what(state, index));
    std::vector<std::pair<Value, Value>> entries;
    lua_pushnil(state);
    while (lua_next(state, index) != 0) {
        entries.emplace_back(LuaScript::valueAt(state, -2), LuaScript::valueAt(state, -1));
        lua_pop(state, 1);
    }
    LuaScript::of(state).charge(state, static_cast<std::int64_t>(entries.size()) * 4);
    // Of all kinds only numbers and texts are keys here; the others come first, and are refused by whoever asks for names.
    std::stable_sort(entries.begin(), entries.end(), [](const auto& a, const auto& b) {
        if (a.first.index() != b.first.index())
            return a.first.index() < b.first.index();
        if (const auto* number = std::get_if<double>(&a.first))
            return *number < std::get<double>(b.first);
        if (const auto* text = std::get_if<std::string>(&a.first))
            return *text < std::get<std::string>(b.first);
        return false;
    });
    for (const auto& [key, value] : entries)
        if (auto taken = take(key, value); !taken)
            return taken;
    return {};
}

std::string Arguments::line() const
{
    lua_State* state = in(state_);
    std::string line;
    for (int i = 1; i <= count_; ++i) {
        if (i > 1)
            line += ' ';
        // `tostring` of the script's own world tells no addresses.
        lua_getglobal(state, "tostring");
        lua_pushvalue(state, i);
        lua_call(state, 1, 1);
        std::size_t length = 0;
        if (const char* text = lua_tolstring(state, -1, &length); text != nullptr)
            line.append(text, length);
        lua_pop(state, 1);
    }
    return line;
}

Expected<std::unique_ptr<Script>> Script::load(
    const std::string& text, const std::string& name, std::vector<Function> functions, const Limits& limits)
{
    auto script = std::make_unique<LuaScript>(name, std::move(functions), limits);
    if (auto done = script->begin(); !done)
        return tl::unexpected(done.error());
    if (auto done = script->compile(text); !done)
        return tl::unexpected(done.error());
    if (auto done = script->run(); !done)
        return tl::unexpected(done.error());
    return script;
}

Expected<void> Script::check(const std::string& text, const std::string& name)
{
    LuaScript script(name, {}, {});
    if (auto done = script.begin(); !done)
        return done;
    return script.compile(text);
}

}  // namespace wavetrope::script
