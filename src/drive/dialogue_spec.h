// SPDX-License-Identifier: GPL-3.0-or-later
// Two partners of one protocol, with its phases and time limits, as the rig document says it. See docs/dialogues.md.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/time.h"

namespace wavetrope {
class JsonReader;
}

namespace wavetrope::drive {

/// What a partner does where a limit of it is passed.
struct Consequence {
    enum class What : std::uint8_t { nothing, again, go, end, fault };
    What what = What::nothing;
    unsigned times = 0;             ///< `again`: so often at most; then what `then` says.
    std::string phase;              ///< `go`: where to.
    unsigned reason = 0;            ///< `end` and `fault`: counted from 1, as the dialogue's reasons are.
    What then = What::nothing;      ///< Behind the last `again`: end or fault.
};

/// A message that a partner has to hear while it is in a phase.
struct HearSpec {
    std::string message;
    Time within{};                  ///< From entering, from `after`, or where it is cyclic from the last one.
    std::string after;              ///< The wait begins with each frame of this message; empty: on entering.
    bool cyclic = false;            ///< Again and again, for as long as the phase goes on.
    Consequence broken;
};

/// A message that a partner sends while it is in a phase.
struct SaySpec {
    std::string message;
    std::string after;              ///< In answer to this message; empty: on entering.
    std::string when;               ///< Once an expression of its node is true; empty: on entering, or after.
    Time delay{};                   ///< So much later.
    Time every{};                   ///< From then on by this period; 0: once.
};

/// What ends a phase and the dialogue with it.
struct EndingSpec {
    std::string when;               ///< An expression of its node,
    Time hold{};                    ///< true for so long.
    Consequence what;
};

/// One partner in one phase.
struct SideSpec {
    std::string pointer;
    std::vector<std::string> on;    ///< Messages, of whichever partner, whose frame enters the phase.
    std::vector<std::size_t> from;  ///< Phases from which it is entered; `rest`: from none.
    unsigned again = 0;             ///< It may be entered so often from itself.
    Time notBefore{};               ///< May not be left before.
    Time within{};                  ///< Has to be left within; 0: any time.
    Consequence broken;             ///< Where it is not.
    std::vector<HearSpec> hears;
    std::vector<std::string> allows;    ///< Further messages that may come in it.
    std::vector<SaySpec> says;
    std::vector<EndingSpec> endings;
    static constexpr std::size_t rest = ~std::size_t{0};
};

struct PhaseSpec {
    std::string name;
    std::array<SideSpec, 2> sides;  ///< In the order of the partners.
};

struct DialogueSpec {
    std::string pointer;
    std::string name;
    std::string bus;
    std::array<std::string, 2> partners;    ///< The first one begins.
    std::string begins;             ///< An expression of the first partner's node: it begins once that is true. Empty: when asked.
    std::vector<std::string> reasons;
    std::vector<PhaseSpec> phases;
    std::vector<std::string> ends;  ///< Messages with which it is over.
    std::string reason;             ///< Signal of such a message that tells why, counted from 1; empty: none does.

    /// All messages that it speaks of, each once, in the order of the document.
    [[nodiscard]] std::vector<std::string> messages() const;
    /// "tank is full", or "reason 9" for one without a name; empty for 0.
    [[nodiscard]] std::string reasonText(unsigned number) const;
    /// "asked again 3 times, then a fault: the other not heard in time"; "is told" where nothing follows.
    [[nodiscard]] std::string consequenceText(const Consequence& what) const;
    /// Whether another one differs from it in its time limits at the most.
    [[nodiscard]] bool sameButForLimits(const DialogueSpec& other) const;
};

/// Reads a dialogue; throws JsonFailure. Phases that nothing enters or leaves, limits that contradict each other, and one partner for both sides
/// are refused.
[[nodiscard]] DialogueSpec dialogueFromJson(const JsonReader& in);

}  // namespace wavetrope::drive
