// SPDX-License-Identifier: GPL-3.0-or-later
// What is changed of the frames of a log on their way to a bus.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "can/frame.h"
#include "database/catalog.h"
#include "formula/formula.h"

namespace wavetrope::drive {

/// Rewritings in the order in which they are given, each one of these:
///
///     id 0x181 = 0x281                    another identifier; eight digits are 29 bits
///     BladeState.BladeDepth = EXPR        another value of a signal
///
/// Messages and signals are those that the log's frame is, whatever identifier it goes out with. In EXPR a signal of the same message is its value
/// in the log's frame, by its name or as MESSAGE.SIGNAL, and `t` are seconds since the log begins. A frame that does not carry the signal, or one of
/// those in EXPR, goes as it is. What the signal's bits cannot hold is limited to what they can. Identifiers follow each other: each rewriting looks
/// at what those before it left; of several values for one signal the last one holds.
class Rewriting {
public:
    Rewriting() = default;
    /// `log` explains the frames of the log. The error names what is not there, or the place in the formula.
    [[nodiscard]] static Expected<Rewriting> compile(
        std::span<const std::string> texts, std::shared_ptr<const database::Catalog> log, std::uint64_t seed = 1);

    [[nodiscard]] bool empty() const { return signals_.empty() && identifiers_.empty(); }
    /// As they were given.
    [[nodiscard]] const std::vector<std::string>& texts() const { return texts_; }

    /// What came of rewriting one frame.
    struct Outcome {
        bool changed = false;  ///< It goes out otherwise than the log has it.
        bool limited = false;  ///< A value was limited.
        bool failed = false;  ///< A formula had no number: its signal goes as it is.
    };
    /// Rewrites a copy of a frame of the log; `since` is its distance from the log's begin.
    Outcome apply(const can::FrameView& from, Time since, can::Frame& to);
    /// Under which identifier a data or remote frame goes out.
    [[nodiscard]] can::Identifier identifierOf(can::Identifier id) const;

private:
    struct OfSignal {
        const database::CatalogMessage* message = nullptr;
        std::uint32_t signal = 0;
        formula::Formula value;
        std::vector<std::uint32_t> names;  // signals by slot, behind `t`
    };
    [[nodiscard]] Expected<void> addIdentifier(const std::string& text);
    [[nodiscard]] Expected<void> addSignal(const std::string& text);

    std::shared_ptr<const database::Catalog> log_;
    std::vector<std::string> texts_;
    std::vector<std::pair<can::Identifier, can::Identifier>> identifiers_;
    std::map<const database::CatalogMessage*, std::vector<OfSignal>> signals_;  // each in the order given
    formula::Random random_{1};
    std::vector<double> slots_;
};

}  // namespace wavetrope::drive
