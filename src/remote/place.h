// SPDX-License-Identifier: GPL-3.0-or-later
// Where a shared bus is, and who may go there.
#pragma once

#include <cstdint>
#include <string>

#include "base/error.h"

namespace wavetrope::remote {

/// A topic on a broker: "mqtts://host:8883/rink/implement".
struct Place {
    bool encrypted = true;          ///< mqtts: TLS; mqtt: as plain text.
    std::string host;
    std::uint16_t port = 0;
    std::string topic;              ///< Without a slash at either end.

    /// "host/topic", for people.
    [[nodiscard]] std::string text() const;
};

/// Reads a place. Names and passwords in it are an error, since a rig is passed on; wildcards in the topic as well.
[[nodiscard]] Expected<Place> placeFromText(const std::string& text);

/// Who one is to a broker. What is empty is not used.
struct Credentials {
    std::string user;
    std::string password;
    std::string authorities;        ///< File with the certificates that the broker's is checked against; empty: the system's.
    std::string certificate;        ///< File with one's own certificate, and its key.
    std::string key;
};

/// From the environment (WAVETROPE_MQTT_USER, _PASSWORD, _CA, _CERTIFICATE, _KEY), else from the file that
/// WAVETROPE_MQTT_FILE names, else from ~/.config/wavetrope/brokers.json. A file is a JSON object with a member for each
/// host; one that others than its owner may read is an error.
[[nodiscard]] Expected<Credentials> credentialsFor(const Place& place);

}  // namespace wavetrope::remote
