// SPDX-License-Identifier: GPL-3.0-or-later
// A compiled filter: which frames pass.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "base/error.h"
#include "database/catalog.h"
#include "filter/expression.h"
#include "filter/parser.h"
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
    [[nodiscard]] static Expected<Filter> compile(
        std::string_view text, std::shared_ptr<const database::Catalog> catalog, const NamedFilters& named = {});

    /// One frame by itself, as if it were the first and at the start: for rows of a log use FilterStream or FilterScan.
    [[nodiscard]] bool matches(const can::FrameView& frame) const;
    /// Of the conditions, thinning aside.
    [[nodiscard]] Verdict verdict(const trace::TraceKey& key) const;
    /// The same where the kind of the frame is known too.
    [[nodiscard]] Verdict verdict(const trace::TraceKey& key, can::FrameKind kind) const;
    /// Whether a frame's passing hangs on signals, bytes or length of a payload, its own or an earlier one.
    [[nodiscard]] bool looksAtContents() const;
    [[nodiscard]] bool passesEverything() const { return understood_ == nullptr; }
    /// Whether a frame's passing hangs on other frames or on the start of the log.
    [[nodiscard]] bool needsOthers() const;
    [[nodiscard]] const std::string& text() const { return text_; }
    /// What was understood; null where everything passes.
    [[nodiscard]] const Understood* understood() const { return understood_.get(); }
    [[nodiscard]] const database::Catalog& catalog() const { return *catalog_; }
    [[nodiscard]] const std::shared_ptr<const database::Catalog>& sharedCatalog() const { return catalog_; }

private:
    std::string text_;
    std::shared_ptr<const Understood> understood_;
    std::shared_ptr<const database::Catalog> catalog_;
};

/// Whether a text fits a pattern with * (any run) and ? (one character), whatever the case of letters.
[[nodiscard]] bool fitsPattern(std::string_view text, std::string_view pattern);

}  // namespace wavetrope::filter
