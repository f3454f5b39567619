// SPDX-License-Identifier: GPL-3.0-or-later
// Who is on a bus, and in what state, as its messages tell.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "protocol/message_stream.h"
#include "protocol/trouble_codes.h"

namespace wavetrope::protocol {

/// The name of an electronic control unit, taken apart (SAE J1939-81, 4.1.1; ISO 11783-5, 4.3.1).
struct UnitName {
    std::uint64_t value = 0;

    [[nodiscard]] bool choosesAddress() const { return (value >> 63) != 0; }  ///< Arbitrary address capable.
    [[nodiscard]] unsigned industry() const { return value >> 60 & 7U; }
    [[nodiscard]] unsigned classInstance() const { return value >> 56 & 15U; }
    [[nodiscard]] unsigned deviceClass() const { return value >> 49 & 127U; }
    [[nodiscard]] unsigned function() const { return value >> 40 & 255U; }
    [[nodiscard]] unsigned functionInstance() const { return value >> 35 & 31U; }
    [[nodiscard]] unsigned unitInstance() const { return value >> 32 & 7U; }
    [[nodiscard]] unsigned manufacturer() const { return value >> 21 & 2047U; }
    [[nodiscard]] unsigned identity() const { return static_cast<unsigned>(value & 0x1FFFFFU); }
    /// 16 hexadecimal digits.
    [[nodiscard]] std::string text() const;
    /// Its parts in words, with names where there are any.
    [[nodiscard]] std::string words(const Names* names = nullptr) const;
};

/// A trouble code that a unit told.
struct ToldTrouble {
    TroubleCode code;
    Time since{}, last{};   ///< When it became active, and was last told.
    bool active = true;
    std::string lamps{};    ///< That were lit with it, in words.
};

/// One who is on a bus.
struct NetworkNode {
    std::uint8_t bus = 0;
    Protocol protocol = Protocol::vehicle;
    Party node{};
    std::string name{};     ///< As it gives it; empty where it gives none.
    std::string state{};    ///< One word or two.
    Time since{};           ///< Since when it is in that state.
    std::string what{};     ///< What else is known, in words.
    bool lost = false;      ///< It ought to be there, and is not.
    bool warns = false;     ///< It could not become what it wants to be.
    std::vector<Time> beats{};  ///< Its last heartbeats.
    Time period{};          ///< Of these; 0: not known.
    std::uint64_t messages = 0;     ///< That it sent.
    std::string trouble{};  ///< The last thing that went wrong, in words; empty for nothing.
    Time troubleAt{};
    std::vector<ToldTrouble> troubles{};
};

/// Follows messages in their order.
class Network {
public:
    Network() = default;
    explicit Network(std::shared_ptr<const Names> names) : names_(std::move(names)) {}
    void take(const MessageRow& row);
    /// All who were heard, by bus, protocol and address.
    [[nodiscard]] std::vector<NetworkNode> nodes(Time now) const;

private:
    struct Unit {  // of a vehicle: one who has a name, or an address that sends without
        std::uint64_t name = 0;
        bool named = false;
        std::uint8_t address = 0;
        const char* state = "heard";
        Time since{};
        std::uint64_t messages = 0;
        std::string trouble{};
        Time troubleAt{};
        std::vector<ToldTrouble> troubles{};
    };
    struct Machine {  // with an object dictionary
        int status = -1;  // of the last heartbeat
        Time since{}, first{}, last{};  // of that status; of heartbeats
        std::uint64_t heartbeats = 0;
        std::uint16_t emergency = 0;
        Time emergencyAt{};
        std::uint64_t emergencies = 0;
        Time emergencyGone{};
        std::uint64_t messages = 0;
        std::vector<Time> beats{};
    };
    struct Server {  // of diagnostics
        std::uint8_t session = 1;
        Time since{};
        std::uint8_t asked = 0, refused = 0;
        bool pending = false;
        std::uint64_t answers = 0, refusals = 0;
        Time refusedAt{};
    };
    void vehicle(const MessageRow& row);
    void objects(const MessageRow& row);
    void diagnostics(const MessageRow& row);
    void trouble(Unit& unit, const MessageRow& row) const;

    std::shared_ptr<const Names> names_;

    std::map<std::uint8_t, std::vector<Unit>> units_;  // by bus
    std::map<std::pair<std::uint8_t, std::uint32_t>, Machine> machines_;
    std::map<std::pair<std::uint8_t, std::uint32_t>, Server> servers_;  // by the identifier that answers
};

/// What a server says where it refuses (ISO 14229-1:2020, table A.1); its number where the standard has no words for it.
[[nodiscard]] std::string refusalWords(std::uint8_t code);
/// What a class of emergencies is (CiA 301, table 26).
[[nodiscard]] std::string emergencyWords(std::uint16_t code);

}  // namespace wavetrope::protocol
