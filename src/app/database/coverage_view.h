// SPDX-License-Identifier: GPL-3.0-or-later
// How much of the traffic the databases explain, as numbers and a list.
#pragma once

#include <QLabel>

#include "app/paint/row_list.h"
#include "app/stage/view.h"
#include "measure/coverage.h"

namespace wavetrope::app {

/// Identifiers without a definition first, then those of transport protocols, lengths that disagree, definitions that
/// two files give differently, messages never seen, and what is explained. A row leads to its frames; Enter on one
/// without a definition defines it.
class CoverageView : public View {
    Q_OBJECT
public:
    explicit CoverageView(Stage& stage);
    QWidget* tools() override { return facts_; }
    [[nodiscard]] const measure::Coverage& coverage() const { return coverage_; }
    [[nodiscard]] RowList* rows();

private:
    class Rows;
    friend class Rows;
    void refresh();

    QLabel* facts_;
    measure::Coverage coverage_;
    std::uint64_t seenRows_ = ~std::uint64_t{0};
    const database::Catalog* seenCatalog_ = nullptr;
    unsigned beats_ = 0;
    Rows* rows_;
};

}  // namespace wavetrope::app
