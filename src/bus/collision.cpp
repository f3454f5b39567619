// SPDX-License-Identifier: GPL-3.0-or-later
#include "bus/collision.h"

#include <algorithm>

namespace wavetrope::bus {

namespace {

enum class Doing : std::uint8_t { sending, listening, activeFlag, passiveFlag, waiting, delimiter, done };

// A transmitter, or all receivers of one kind.
struct Party {
    Doing doing = Doing::listening;
    unsigned left = 0;          // of an active flag, or of the delimiter
    unsigned run = 0;           // equal bits since a passive flag began
    std::uint8_t last = 2;
    bool flagsActively = true;
    bool afterFlag = false;     // the bit to come is the first behind its flag

    void raise()
    {
        doing = flagsActively ? Doing::activeFlag : Doing::passiveFlag;
        left = flagBits;
        run = 0;
        last = 2;
    }
    [[nodiscard]] bool flagging() const
    {
        return doing == Doing::activeFlag || doing == Doing::passiveFlag || doing == Doing::waiting || doing == Doing::delimiter;
    }
    // Goes on by a bit of the wire. True where its flag has ended and this bit is dominant.
    bool hear(std::uint8_t wire)
    {
        bool dominantBehind = false;
        switch (doing) {
        case Doing::activeFlag:
            if (--left == 0) {
                doing = Doing::waiting;
                afterFlag = true;
            }
            break;
        case Doing::passiveFlag:        // complete with six equal bits (10.4.4.2)
            run = wire == last ? run + 1 : 1;
            last = wire;
            if (run == flagBits) {
                doing = Doing::waiting;
                afterFlag = true;
            }
            break;
        case Doing::waiting:
            dominantBehind = afterFlag && wire == 0;
            afterFlag = false;
            if (wire == 1) {
                doing = Doing::delimiter;
                left = delimiterBits - 1;
            }
            break;
        case Doing::delimiter:
            if (--left == 0)
                doing = Doing::done;
            break;
        default: break;
        }
        return dominantBehind;
    }
};

}  // namespace

bool CollisionOutcome::anySurvivor() const { return std::find(survived.begin(), survived.end(), true) != survived.end(); }

CollisionOutcome followCollision(
    const std::vector<Transmitter>& transmitters, Audience audience, std::optional<std::size_t> flipped, std::optional<Misreader> misreader)
{
    CollisionOutcome outcome;
    const std::size_t count = transmitters.size();
    outcome.survived.assign(count, false);
    outcome.transmitterFlagged.assign(count, false);
    outcome.exempt.assign(count, false);
    outcome.lost.assign(count, false);
    outcome.ends.assign(count, 0);
    std::vector<Party> parties(count);
    for (std::size_t i = 0; i < count; ++i) {
        parties[i].doing = Doing::sending;
        parties[i].flagsActively = can::flagsActively(transmitters[i].state);
    }
    Party active;
    Party passive;
    passive.flagsActively = false;
    Party reader;
    reader.flagsActively = misreader && misreader->active;
    bool detected = false;
    unsigned run = 0;
    std::uint8_t last = 1;
    can::Place place = can::Place::unknown;

    for (std::size_t at = 0;; ++at) {
        std::uint8_t wire = 1;
        bool sends = false;
        for (std::size_t i = 0; i < count; ++i) {
            if (parties[i].doing == Doing::sending && at < transmitters[i].bits.size()) {
                sends = true;
                wire &= transmitters[i].bits[at].value;
                place = transmitters[i].bits[at].place;
            } else if (parties[i].doing == Doing::activeFlag) {
                wire = 0;
            }
        }
        if (active.doing == Doing::activeFlag || reader.doing == Doing::activeFlag)
            wire = 0;
        if (flipped == at)
            wire ^= 1U;
        if (wire == 0)
            outcome.dominantUntil = at + 1;

        if (!sends) {
            // A frame is through where somebody still has nothing to complain of.
            bool through = false;
            for (std::size_t i = 0; i < count; ++i)
                if (parties[i].doing == Doing::sending) {
                    outcome.survived[i] = true;
                    through = true;
                }
            if (through)
                return outcome;
            bool flags = active.flagging() || passive.flagging() || reader.flagging();
            for (const Party& party : parties)
                flags = flags || party.flagging();
            // All have listened to their delimiter, or nobody is there to find an error.
            const bool listeners = audience.active || audience.passive
                                   || std::find(outcome.lost.begin(), outcome.lost.end(), true) != outcome.lost.end();
            if (!flags && (detected || !listeners)) {
                outcome.bits = at;
                return outcome;
            }
        }
        const auto found = [&](Fault fault) {
            if (outcome.fault != Fault::none)
                return;
            outcome.fault = fault;
            outcome.place = place;
            outcome.flagAt = at + 1;
        };
        if (active.hear(wire))
            outcome.active.sawDominant = true;
        if (passive.hear(wire))
            outcome.passive.sawDominant = true;
        if (reader.hear(wire))
            outcome.reader.sawDominant = true;
        if (misreader && misreader->at == at && reader.doing == Doing::listening) {
            if (reader.flagsActively)
                found(Fault::stuff);
            reader.raise();
            outcome.reader.flagged = true;
        }
        for (std::size_t i = 0; i < count; ++i) {
            Party& party = parties[i];
            if (party.doing != Doing::sending || at >= transmitters[i].bits.size()) {
                const bool wasDone = party.doing == Doing::done;
                const bool dominantBehind = party.hear(wire);
                if (party.doing == Doing::done && !wasDone)
                    outcome.ends[i] = at + 1;
                if (dominantBehind && outcome.lost[i])
                    (party.flagsActively ? outcome.active : outcome.passive).sawDominant = true;
                continue;
            }
            const can::WireBit& own = transmitters[i].bits[at];
            const std::uint8_t read = transmitters[i].misreads == at ? own.value ^ 1U : wire;
            if (read == own.value)
                continue;
            if (own.arbitration && !own.stuff && own.value == 1) {
                party.doing = Doing::listening;     // another's dominant bit: arbitration is lost
                outcome.lost[i] = true;
                continue;
            }
            found(own.value == 0 ? Fault::dominantUnsent : Fault::recessiveUnsent);
            outcome.transmitterFlagged[i] = true;
            outcome.exempt[i] = own.arbitration && own.stuff && own.value == 1;
            party.raise();
        }
        run = wire == last ? run + 1 : 1;
        last = wire;
        if (!detected && run == flagBits) {
            detected = true;
            found(Fault::stuff);
            for (std::size_t i = 0; i < count; ++i)
                if (outcome.lost[i] && parties[i].doing == Doing::listening) {
                    parties[i].raise();
                    (parties[i].flagsActively ? outcome.active : outcome.passive).flagged = true;
                }
            if (misreader && reader.doing == Doing::listening) {
                reader.raise();
                outcome.reader.flagged = true;
            }
            if (audience.active) {
                active.raise();
                outcome.active.flagged = true;
            }
            if (audience.passive) {
                passive.raise();
                outcome.passive.flagged = true;
            }
        }
    }
}

TailOutcome followTail(TailFault fault, const std::vector<can::ErrorState>& senders, Audience audience)
{
    TailOutcome outcome;
    outcome.ends.assign(senders.size(), 0);
    outcome.sawDominant.assign(senders.size(), false);
    std::vector<Party> parties(senders.size() + 2);
    for (std::size_t i = 0; i < senders.size(); ++i) {
        parties[i].flagsActively = can::flagsActively(senders[i]);
        parties[i].raise();
    }
    Party& active = parties[senders.size()];
    Party& passive = parties.back();
    passive.flagsActively = false;
    const auto receiversFlag = [&] {
        if (audience.active)
            active.raise();
        if (audience.passive)
            passive.raise();
        outcome.active.flagged = audience.active;
        outcome.passive.flagged = audience.passive;
    };
    if (fault == TailFault::form)
        receiversFlag();
    for (std::size_t at = 0;; ++at) {
        std::uint8_t wire = 1;
        for (const Party& party : parties)
            if (party.doing == Doing::activeFlag)
                wire = 0;
        if (wire == 0)
            outcome.dominantUntil = at + 1;
        bool flags = false;
        for (std::size_t i = 0; i < parties.size(); ++i) {
            Party& party = parties[i];
            if (i < senders.size() && wire == 0 && (party.doing == Doing::activeFlag || party.doing == Doing::passiveFlag))
                outcome.sawDominant[i] = true;
            const bool wasDone = party.doing == Doing::done;
            const bool behind = party.hear(wire);
            if (&party == &active || &party == &passive)
                (&party == &active ? outcome.active : outcome.passive).sawDominant |= behind;
            else if (party.doing == Doing::done && !wasDone)
                outcome.ends[i] = at + 1;
            flags = flags || party.flagging();
        }
        if (at == 0 && (fault == TailFault::checksum || (fault == TailFault::acknowledge && wire == 0)))
            receiversFlag();
        else if (!flags) {
            outcome.bits = at + 1;
            return outcome;
        }
    }
}

}  // namespace wavetrope::bus
