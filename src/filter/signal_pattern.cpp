// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/signal_pattern.h"

#include <re2/re2.h>

#include "filter/filter.h"

namespace wavetrope::filter {

namespace {

constexpr std::size_t longestExpression = 500;
constexpr int memoryOfExpression = 1 << 20;  // bytes: of the expression as compiled, and of what its search keeps

}  // namespace

Expected<SignalPattern> SignalPattern::compile(std::string_view text)
{
    SignalPattern pattern;
    if (text.size() < 2 || text.front() != '/' || text.back() != '/') {
        pattern.glob_ = text;
        return pattern;
    }
    const std::string inside(text.substr(1, text.size() - 2));
    const auto wrong = [&](const std::string& what) { return fail(what, "pattern " + std::string(text.substr(0, 80))); };
    if (inside.size() > longestExpression)
        return wrong("a regular expression of more than 500 characters");
    RE2::Options options;
    options.set_max_mem(memoryOfExpression);
    options.set_log_errors(false);
    auto expression = std::make_shared<const RE2>(inside, options);
    if (!expression->ok())
        return wrong("the regular expression cannot be understood: " + expression->error());
    pattern.expression_ = std::move(expression);
    return pattern;
}

bool SignalPattern::fits(const std::string& name) const
{
    if (expression_ != nullptr)
        return RE2::PartialMatch(name, *expression_);
    return fitsPattern(name, glob_);
}

bool SignalPattern::fits(std::string_view message, std::string_view signal) const
{
    if (expression_ == nullptr && glob_.empty())
        return true;
    return fits(std::string(signal)) || (!message.empty() && fits(std::string(message) + '.' + std::string(signal)));
}

}  // namespace wavetrope::filter
