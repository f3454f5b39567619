// SPDX-License-Identifier: GPL-3.0-or-later
#include "remote/place.h"

#include <sys/stat.h>

#include <charconv>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <iterator>

#include "base/json_reader.h"

namespace wavetrope::remote {

namespace {

constexpr const char* example = "Write it as mqtts://host/topic";
constexpr std::size_t longestTopic = 1000;
constexpr std::size_t largestFile = 1U << 20;

std::string fromEnvironment(const char* name)
{
    const char* value = std::getenv(name);
    return value == nullptr ? std::string() : value;
}

Expected<Credentials> fromFile(const std::string& path, const Place& place, bool needed)
{
    struct stat facts{};
    if (::stat(path.c_str(), &facts) != 0) {
        if (!needed)
            return Credentials{};
        return fail(std::strerror(errno), path);
    }
    if ((facts.st_mode & 077U) != 0)
        return fail("others than its owner may read this file with passwords", path, "Close it: chmod 600 " + path);
    if (!S_ISREG(facts.st_mode) || static_cast<std::size_t>(facts.st_size) > largestFile)
        return fail("expected a small JSON file with a member for each broker's host", path);
    std::ifstream in(path, std::ios::binary);
    const std::string text{std::istreambuf_iterator<char>(in), {}};
    const auto document = nlohmann::json::parse(text, nullptr, false);
    if (!document.is_object())
        return fail("expected a JSON object with a member for each broker's host", path);
    try {
        Credentials out;
        const JsonReader hosts(document);
        if (const auto host = hosts.find(place.host.c_str())) {
            host->needObject();
            out = {host->text("user"), host->text("password"), host->text("ca"), host->text("certificate"), host->text("key")};
        }
        return out;
    } catch (const JsonFailure& failure) {
        return fail(failure.error.what, path + failure.error.where);
    }
}

}  // namespace

std::string Place::text() const { return host + "/" + topic; }

Expected<Place> placeFromText(const std::string& text)
{
    Place place;
    std::string rest;
    if (text.starts_with("mqtts://")) {
        rest = text.substr(8);
    } else if (text.starts_with("mqtt://")) {
        rest = text.substr(7);
        place.encrypted = false;
    } else {
        return fail("expected a topic on a broker", text, example);
    }
    for (const char c : text)
        if (static_cast<unsigned char>(c) <= ' ' || c == 0x7F)
            return fail("blanks and control characters have no place in it", text, example);
    const auto slash = rest.find('/');
    std::string host = rest.substr(0, slash);
    place.topic = slash == std::string::npos ? std::string() : rest.substr(slash + 1);
    while (!place.topic.empty() && place.topic.back() == '/')
        place.topic.pop_back();
    // Names and passwords are not repeated in what is said.
    if (host.find('@') != std::string::npos)
        return fail("a name or password does not belong into it, since rigs are passed on",
            (place.encrypted ? "mqtts://...@" : "mqtt://...@") + host.substr(host.rfind('@') + 1),
            "Set WAVETROPE_MQTT_USER and WAVETROPE_MQTT_PASSWORD, or write them into a file of mode 600; see docs/remote-bus.md");
    if (place.topic.empty())
        return fail("expected a topic behind the host", text, example);
    if (place.topic.front() == '$' || place.topic.find_first_of("+#?") != std::string::npos || place.topic.size() > longestTopic)
        return fail("a topic has no '+', '#' or '?', and does not begin with '$'", text, example);
    place.port = place.encrypted ? 8883 : 1883;
    const auto bracket = host.rfind(']');
    if (const auto colon = host.rfind(':'); colon != std::string::npos && (bracket == std::string::npos || colon > bracket)) {
        const std::string port = host.substr(colon + 1);
        const auto [end, bad] = std::from_chars(port.data(), port.data() + port.size(), place.port);
        if (bad != std::errc() || end != port.data() + port.size() || place.port == 0)
            return fail("a port is a number of 1 to 65535", text, example);
        host.resize(colon);
    }
    if (host.size() > 2 && host.front() == '[' && host.back() == ']')
        host = host.substr(1, host.size() - 2);
    if (host.empty() || host.find_first_of("[]") != std::string::npos)
        return fail("expected the broker's host", text, example);
    place.host = host;
    return place;
}

Expected<Credentials> credentialsFor(const Place& place)
{
    Credentials out{fromEnvironment("WAVETROPE_MQTT_USER"), fromEnvironment("WAVETROPE_MQTT_PASSWORD"),
        fromEnvironment("WAVETROPE_MQTT_CA"), fromEnvironment("WAVETROPE_MQTT_CERTIFICATE"), fromEnvironment("WAVETROPE_MQTT_KEY")};
    std::string path = fromEnvironment("WAVETROPE_MQTT_FILE");
    const bool named = !path.empty();
    if (!named) {
        const std::string home = fromEnvironment("XDG_CONFIG_HOME").empty() ? fromEnvironment("HOME") + "/.config"
                                                                            : fromEnvironment("XDG_CONFIG_HOME");
        path = home + "/wavetrope/brokers.json";
    }
    const auto file = fromFile(path, place, named);
    if (!file)
        return file;
    const auto fill = [](std::string& to, const std::string& from) {
        if (to.empty())
            to = from;
    };
    fill(out.authorities, file->authorities);
    if (out.user.empty()) {
        out.user = file->user;
        fill(out.password, file->password);
    }
    if (out.certificate.empty()) {
        out.certificate = file->certificate;
        fill(out.key, file->key);
    }
    for (const std::string* needed : {&out.authorities, &out.certificate, &out.key})
        if (struct stat facts{}; !needed->empty() && ::stat(needed->c_str(), &facts) != 0)
            return fail(std::strerror(errno), *needed, "It is named for the broker " + place.host);
    return out;
}

}  // namespace wavetrope::remote
