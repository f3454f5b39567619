// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of a view that shows messages in place of frames.
#pragma once

#include <list>
#include <memory>
#include <unordered_map>

#include "measure/message_index.h"
#include "trace/row_source.h"

namespace wavetrope::app {

/// Messages as far as they are decided, and behind them, where no filter chooses, the frames that came since.
class MessageSource final : public trace::RowSource {
public:
    /// `filtered`: frames behind what is decided are left out.
    MessageSource(const measure::MessageIndex& index, bool filtered) : index_(index), filtered_(filtered) {}

    /// What is decided by now is what the rows are until the next time.
    void renew(const trace::Snapshot& snapshot);
    [[nodiscard]] std::uint64_t count(const trace::Snapshot& snapshot) const override;
    [[nodiscard]] trace::Row row(std::uint64_t index) const override;
    [[nodiscard]] std::uint64_t nearest(trace::Row row) const override;
    [[nodiscard]] trace::RowEntry entry(const trace::Snapshot& snapshot, std::uint64_t index) const override;
    [[nodiscard]] trace::RowEntry previous(const trace::Snapshot& snapshot, std::uint64_t index) const override;
    /// The message of a row; stays as long as somebody has it.
    [[nodiscard]] std::shared_ptr<const measure::Message> message(const trace::Snapshot& snapshot, trace::Row row) const;

private:
    [[nodiscard]] trace::RowEntry of(const trace::Snapshot& snapshot, trace::Row row) const;

    const measure::MessageIndex& index_;
    bool filtered_;
    trace::Row decided_ = 0, rows_ = 0;
    std::uint64_t messages_ = 0;    // in front of decided_
    using Kept = std::pair<trace::Row, std::shared_ptr<const measure::Message>>;
    mutable std::list<Kept> kept_;  // newest first
    mutable std::unordered_map<trace::Row, std::list<Kept>::iterator> places_;
};

}  // namespace wavetrope::app
