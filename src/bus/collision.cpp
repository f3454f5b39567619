#include "bus/collision.h"

namespace wavetrope::bus {

namespace {

constexpr unsigned flagBits = 6;
constexpr unsigned delimiterBits = 8;

enum class Doing : std::uint8_t { sending, activeFlag, passiveFlag, waiting };

struct Party {
    Doing doing = Doing::sending;
    unsigned flagLeft = 0;
};

}  // namespace

CollisionOutcome followCollision(const std::vector<Transmitter>& transmitters, bool receiversActive)
{
    CollisionOutcome outcome;
    outcome.transmitterFlagged.assign(transmitters.size(), false);
    std::vector<Party> parties(transmitters.size());
    Party receivers{Doing::waiting, 0};
    bool receiversDetected = false;
    unsigned run = 0;
    std::uint8_t last = 1;
    bool anyActiveFlag = false;

    const auto raise = [&](Party& party, can::ErrorState state) {
        const bool active = state == can::ErrorState::active;
        party.doing = active ? Doing::activeFlag : Doing::passiveFlag;
        party.flagLeft = flagBits;
        anyActiveFlag = anyActiveFlag || active;
    };

    for (std::size_t at = 0;; ++at) {
        std::uint8_t wire = 1;
        bool anybodySends = false;
        for (std::size_t i = 0; i < parties.size(); ++i) {
            if (parties[i].doing == Doing::sending && at < transmitters[i].bits.size()) {
                anybodySends = true;
                wire &= transmitters[i].bits[at];
            } else if (parties[i].doing == Doing::activeFlag) {
                wire = 0;
            }
        }
        if (receivers.doing == Doing::activeFlag)
            wire = 0;

        if (!anybodySends) {
            bool flags = receivers.doing == Doing::activeFlag;
            for (const Party& party : parties)
                flags = flags || party.doing == Doing::activeFlag;
            if (!flags) {  // a survivor is through, or only recessive bits are left
                for (std::size_t i = 0; i < parties.size(); ++i)
                    if (parties[i].doing == Doing::sending)
                        outcome.survivor = i;
                if (!outcome.survivor && !anyActiveFlag) {
                    // Everybody that sent is error-passive: six recessive bits of the passive flag, which the
                    // receivers take for a stuff error and answer.
                    at += flagBits + (receiversActive ? flagBits : 0);
                    outcome.receiversFlagged = true;
                }
                outcome.bits = at + delimiterBits;
                return outcome;
            }
        }

        run = wire == last ? run + 1 : 1;
        last = wire;
        if (receivers.doing == Doing::activeFlag && --receivers.flagLeft == 0)
            receivers.doing = Doing::waiting;
        else if (receivers.doing == Doing::waiting && receiversDetected && wire == 0)
            outcome.receiversSawDominant = true;
        if (!receiversDetected && run == 6) {
            receiversDetected = true;
            outcome.receiversFlagged = true;
            if (receiversActive) {
                raise(receivers, can::ErrorState::active);
            }
        }
        for (std::size_t i = 0; i < parties.size(); ++i) {
            Party& party = parties[i];
            if (party.doing == Doing::sending && at < transmitters[i].bits.size()) {
                const bool misread = transmitters[i].misreads == at;
                if (misread || transmitters[i].bits[at] != wire) {
                    raise(party, transmitters[i].state);
                    outcome.transmitterFlagged[i] = true;
                }
            } else if (party.doing == Doing::activeFlag || party.doing == Doing::passiveFlag) {
                if (--party.flagLeft == 0)
                    party.doing = Doing::waiting;
            }
        }
    }
}

}  // namespace wavetrope::bus
