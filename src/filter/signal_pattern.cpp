// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/signal_pattern.h"

#include <regex.h>

#include "filter/filter.h"

namespace wavetrope::filter {

namespace {

constexpr std::size_t longestExpression = 500;

}  // namespace

struct SignalPattern::Expression {
    regex_t compiled{};
    bool good = false;
    ~Expression()
    {
        if (good)
            ::regfree(&compiled);
    }
};

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
    // What refers back, and what repeats without a small bound, could take for ever.
    for (std::size_t i = 0; i + 1 < inside.size(); ++i) {
        if (inside[i] == '\\' && inside[i + 1] >= '1' && inside[i + 1] <= '9')
            return wrong("an expression that refers back to what it found is not taken");
        if (inside[i] == '\\')
            ++i;
        else if (inside[i] == '{')
            return wrong("repetitions are written with * + or ?");
    }
    auto expression = std::make_shared<Expression>();
    const int code = ::regcomp(&expression->compiled, inside.c_str(), REG_EXTENDED | REG_NOSUB);
    if (code != 0) {
        char words[200];
        ::regerror(code, &expression->compiled, words, sizeof words);
        return wrong(std::string("the regular expression cannot be understood: ") + words);
    }
    expression->good = true;
    pattern.expression_ = std::move(expression);
    return pattern;
}

bool SignalPattern::fits(const std::string& name) const
{
    if (expression_ != nullptr)
        return ::regexec(&expression_->compiled, name.c_str(), 0, nullptr, 0) == 0;
    return fitsPattern(name, glob_);
}

bool SignalPattern::fits(std::string_view message, std::string_view signal) const
{
    if (expression_ == nullptr && glob_.empty())
        return true;
    return fits(std::string(signal)) || (!message.empty() && fits(std::string(message) + '.' + std::string(signal)));
}

}  // namespace wavetrope::filter
