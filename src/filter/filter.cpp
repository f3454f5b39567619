// SPDX-License-Identifier: GPL-3.0-or-later
#include "filter/filter.h"

#include <cctype>

#include "filter/program.h"

namespace wavetrope::filter {

namespace {

// Whether any condition of a tree is one of those kinds.
template <class... Terms>
bool asksFor(const Expression& expression)
{
    if (const auto* both = std::get_if<Both>(&expression.term))
        return asksFor<Terms...>(*both->left) || asksFor<Terms...>(*both->right);
    if (const auto* either = std::get_if<Either>(&expression.term))
        return asksFor<Terms...>(*either->left) || asksFor<Terms...>(*either->right);
    if (const auto* negation = std::get_if<Negation>(&expression.term))
        return asksFor<Terms...>(*negation->inner);
    if (const auto* soon = std::get_if<SoonAfter>(&expression.term))
        return asksFor<Terms...>(*soon->inner);
    return (std::holds_alternative<Terms>(expression.term) || ...);
}

}  // namespace

Expected<Filter> Filter::compile(std::string_view text, std::shared_ptr<const database::Catalog> catalog, const NamedFilters& named)
{
    Filter filter;
    filter.text_ = text;
    if (text.find_first_not_of(" \t\r\n") == std::string_view::npos)
        return filter;
    auto understood = parse(text, *catalog, named);
    if (!understood)
        return tl::unexpected(understood.error());
    filter.understood_ = std::make_shared<const Understood>(std::move(*understood));
    filter.catalog_ = std::move(catalog);
    return filter;
}

bool Filter::needsOthers() const
{
    return understood_ != nullptr
           && (understood_->remembers() || !understood_->derived.empty() || understood_->thinning.kind != Thinning::Kind::all
               || (understood_->tree != nullptr && asksFor<InTime>(*understood_->tree)));
}

bool Filter::matches(const can::FrameView& frame) const
{
    if (understood_ == nullptr)
        return true;
    const Program program(understood_->tree.get(), *understood_, *catalog_, trace::TraceKey::of(frame));
    return program.matches(frame, {nullptr, nullptr, frame.time});
}

Verdict Filter::verdict(const trace::TraceKey& key) const
{
    return understood_ == nullptr ? Verdict::always : Program(understood_->tree.get(), *understood_, *catalog_, key).verdict();
}

Verdict Filter::verdict(const trace::TraceKey& key, can::FrameKind kind) const
{
    return understood_ == nullptr ? Verdict::always : Program(understood_->tree.get(), *understood_, *catalog_, key, kind).verdict();
}

bool Filter::looksAtContents() const
{
    return understood_ != nullptr && understood_->tree != nullptr
           && asksFor<CompareSignal, SignalChange, DerivedTest, ByteTest, LengthTest>(*understood_->tree);
}

bool fitsPattern(std::string_view text, std::string_view pattern)
{
    const auto alike = [](char a, char b) {
        return std::tolower(static_cast<unsigned char>(a)) == std::tolower(static_cast<unsigned char>(b));
    };
    std::size_t t = 0;
    std::size_t p = 0;
    std::size_t star = std::string_view::npos;
    std::size_t retry = 0;
    while (t < text.size()) {
        if (p < pattern.size() && pattern[p] == '*') {
            star = p++;
            retry = t;
        } else if (p < pattern.size() && (pattern[p] == '?' || alike(pattern[p], text[t]))) {
            ++p;
            ++t;
        } else if (star != std::string_view::npos) {
            p = star + 1;
            t = ++retry;
        } else {
            return false;
        }
    }
    while (p < pattern.size() && pattern[p] == '*')
        ++p;
    return p == pattern.size();
}

}  // namespace wavetrope::filter
