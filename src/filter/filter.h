// A compiled filter: which frames pass.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "can/error.h"
#include "database/catalog.h"
#include "filter/expression.h"
#include "trace/trace_key.h"

namespace wavetrope::filter {

/// What is known about all frames of an identifier without looking at them.
enum class Verdict : std::uint8_t { never, always, depends };

/// Keeps the catalog that its names were looked up in alive. Copies are cheap.
class Filter {
public:
    /// Passes everything.
    Filter() = default;
    /// Compiles a filter; an empty text passes everything. See docs/filter-language.md.
    [[nodiscard]] static Expected<Filter> compile(std::string_view text, std::shared_ptr<const database::Catalog> catalog);

    [[nodiscard]] bool matches(const can::FrameView& frame) const;
    [[nodiscard]] Verdict verdict(const trace::TraceKey& key) const;
    [[nodiscard]] bool passesEverything() const { return tree_ == nullptr; }
    [[nodiscard]] const std::string& text() const { return text_; }

private:
    std::string text_;
    std::shared_ptr<const Expression> tree_;
    std::shared_ptr<const database::Catalog> catalog_;
};

/// Whether a text fits a pattern with * (any run) and ? (one character), whatever the case of letters.
[[nodiscard]] bool fitsPattern(std::string_view text, std::string_view pattern);

}  // namespace wavetrope::filter
