// SPDX-License-Identifier: GPL-3.0-or-later
// Scripts: whatever a text says, it ends within its bounds, and what it left can be called and taken over.
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "script/script.h"

using namespace wavetrope;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    const std::string text(reinterpret_cast<const char*>(data), size);
    script::Limits limits;
    limits.instructions = 20'000;
    limits.memory = 1U << 20U;
    std::vector<script::Handler> handlers;
    const auto functions = [&]() -> std::vector<script::Function> {
        return {{"on.call",
                    [&](const script::Arguments& given) -> Expected<script::Value> {
                        const auto handler = given.function(1);
                        if (!handler)
                            return tl::unexpected(handler.error());
                        handlers.push_back(*handler);
                        return script::Value{};
                    }},
            {"log", [](const script::Arguments& given) -> Expected<script::Value> { return script::Value(given.line()); }},
            {"take", [](const script::Arguments& given) -> Expected<script::Value> {
                 (void)given.each(1, [](const script::Value&, const script::Value&) -> Expected<void> { return {}; });
                 return given.value(2);
             }}};
    };
    (void)script::Script::check(text, "fuzz.lua");
    auto first = script::Script::load(text, "fuzz.lua", functions(), limits);
    if (!first) {
        if (first.error().what.empty())
            std::abort();
        return 0;
    }
    const script::Value given[] = {1.5, std::string("word"), true};
    for (std::size_t i = 0; i < handlers.size() && i < 8; ++i)
        (void)(*first)->call(handlers[i], given);
    if ((*first)->memory() > limits.memory)
        std::abort();
    if (auto second = script::Script::load(text, "fuzz.lua", functions(), limits))
        (*second)->keepFrom(**first);
    return 0;
}
