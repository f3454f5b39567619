// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/dictionary.h"

#include <algorithm>
#include <charconv>
#include <cstdio>
#include <fstream>
#include <limits>

#include "base/nearest_name.h"
#include "base/trimmed.h"
#include "base/valid_text.h"

namespace wavetrope::protocol {

namespace {

constexpr std::size_t mostBytesOfFile = 32U << 20U, mostProblems = 200;

char lower(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; }

std::string lowered(std::string_view text)
{
    std::string out;
    for (const char c : text)
        out += lower(c);
    return out;
}

// One byte a character, where it is no UTF-8.
std::string textOf(std::string_view bytes)
{
    if (validText(bytes).find("\xEF\xBF\xBD") == std::string::npos)
        return validText(bytes);
    std::string out;
    for (const char c : bytes) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte < 0x80) {
            out += c;
            continue;
        }
        out += static_cast<char>(0xC0U | byte >> 6);
        out += static_cast<char>(0x80U | (byte & 0x3FU));
    }
    return validText(out);
}

std::optional<std::uint64_t> sizeOf(std::string_view digits)
{
    int base = 10;
    if (digits.starts_with("0x") || digits.starts_with("0X")) {
        digits.remove_prefix(2);
        base = 16;
    } else if (digits.size() > 1 && digits.front() == '0') {
        base = 8;
    }
    std::uint64_t size = 0;
    const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), size, base);
    if (digits.empty() || problem != std::errc() || end != digits.data() + digits.size())
        return std::nullopt;
    return size;
}

// Hexadecimal digits of a section's name.
std::optional<unsigned> hexOf(std::string_view digits, unsigned most)
{
    unsigned value = 0;
    const auto [end, problem] = std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
    if (digits.empty() || problem != std::errc() || end != digits.data() + digits.size() || value > most)
        return std::nullopt;
    return value;
}

// Reads sections of KEY=VALUE (CiA 306-1, 4.4), then makes objects of them.
class EdsReader {
public:
    EdsReader(std::string_view text, const std::string& path) : text_(text) { out_.path = path; }

    Expected<Dictionary> read()
    {
        split();
        if (sections_.empty())
            return fail("it is no EDS or DCF: it has no [section]", out_.path, "Choose the electronic data sheet of the device");
        if (const Section* device = section("deviceinfo")) {
            out_.product = device->text("productname");
            out_.vendor = device->text("vendorname");
            out_.vendorNumber = number32(*device, "vendornumber");
            out_.productNumber = number32(*device, "productnumber");
            out_.revision = number32(*device, "revisionnumber");
        }
        for (const char* name : {"devicecomissioning", "devicecommissioning"})
            if (const Section* commissioning = section(name))
                if (const auto id = Dictionary::number(commissioning->text("nodeid"), 0); id && *id >= 1 && *id <= 127)
                    out_.node = static_cast<std::uint8_t>(*id);
        for (const auto& [name, one] : sections_) {
            if (const auto index = hexOf(name, 0xFFFF); index && name.size() == 4)
                object(static_cast<std::uint16_t>(*index), one);
            if (tooMany_)
                return fail("it has more than " + std::to_string(Dictionary::mostEntries) + " objects", out_.path);
        }
        for (const auto& [name, one] : sections_)
            if (const auto sub = name.find("sub"); sub == 4)
                subObject(name, one);
        if (tooMany_)
            return fail("it has more than " + std::to_string(Dictionary::mostEntries) + " objects", out_.path);
        if (out_.entries.empty())
            return fail("it has no object", out_.path, "Choose the electronic data sheet of the device");
        missing();
        return std::move(out_);
    }

private:
    struct Section {
        int line = 0;
        std::map<std::string, std::string, std::less<>> values;  // by key in small letters

        [[nodiscard]] std::string text(std::string_view key) const
        {
            const auto found = values.find(key);
            return found == values.end() ? std::string() : found->second;
        }
    };

    void problem(int line, std::string what)
    {
        if (out_.problems.size() < mostProblems)
            out_.problems.push_back({std::move(what), out_.path, line, 0, {}});
    }
    [[nodiscard]] const Section* section(std::string_view name) const
    {
        const auto found = sections_.find(name);
        return found == sections_.end() ? nullptr : &found->second;
    }

    void split()
    {
        if (text_.starts_with("\xEF\xBB\xBF"))
            text_.remove_prefix(3);
        Section* now = nullptr;
        for (int line = 1; !text_.empty(); ++line) {
            const auto end = text_.find_first_of("\r\n");
            const std::string raw = trimmed(text_.substr(0, end));
            text_.remove_prefix(end == std::string_view::npos                            ? text_.size()
                                : text_[end] == '\r' && text_.substr(end + 1, 1) == "\n" ? end + 2
                                                                                         : end + 1);
            if (raw.empty() || raw.front() == ';')
                continue;
            if (raw.front() == '[') {
                const auto close = raw.find(']');
                if (close == std::string::npos) {
                    problem(line, "a section's name has no ] behind it");
                    now = nullptr;
                    continue;
                }
                const auto [at, fresh] = sections_.try_emplace(lowered(trimmed(std::string_view(raw).substr(1, close - 1))));
                if (fresh)
                    at->second.line = line;
                else
                    problem(line,
                        "the section [" + textOf(at->first) + "] is here a second time, first in line " + std::to_string(at->second.line));
                now = &at->second;
                continue;
            }
            const auto equals = raw.find('=');
            if (equals == std::string::npos || now == nullptr) {
                problem(line, equals == std::string::npos ? "expected KEY=VALUE" : "it stands in no section");
                continue;
            }
            now->values.try_emplace(
                lowered(trimmed(std::string_view(raw).substr(0, equals))), textOf(trimmed(std::string_view(raw).substr(equals + 1))));
        }
    }

    [[nodiscard]] static std::optional<std::uint32_t> number32(const Section& in, std::string_view key)
    {
        const auto value = Dictionary::number(in.text(key), 0);
        return value && *value >= 0 && *value <= std::numeric_limits<std::uint32_t>::max()
                   ? std::optional(static_cast<std::uint32_t>(*value))
                   : std::nullopt;
    }

    // 4.6.3: VAR 7, ARRAY 8, RECORD 9, DOMAIN 2, DEFTYPE 5, DEFSTRUCT 6; where it is not said, VAR.
    void object(std::uint16_t index, const Section& in)
    {
        const std::string name = in.text("parametername");
        if (!out_.objects.emplace(index, name).second)
            return;
        const auto kind = in.text("objecttype").empty() ? std::optional<std::int64_t>(7) : Dictionary::number(in.text("objecttype"), 0);
        const auto compact = Dictionary::number(in.text("compactsubobj"), 0).value_or(0);
        if (!kind) {
            problem(in.line, "'" + in.text("objecttype") + "' is no object type");
            return;
        }
        if (*kind == 5 || *kind == 6)
            return;  // types hold nothing
        if (*kind != 8 && *kind != 9 && compact <= 0) {
            entry({index, 0}, name, in, in);
            return;
        }
        if (compact > 0)
            compacted(index, name, in, static_cast<unsigned>(std::min<std::int64_t>(compact, 254)));
    }

    // 4.6.3.2: sub-objects that are all alike, with names and values in sections of their own.
    void compacted(std::uint16_t index, const std::string& name, const Section& in, unsigned count)
    {
        char digits[8];
        std::snprintf(digits, sizeof digits, "%04x", index);
        const Section *names = section(std::string(digits) + "name"), *values = section(std::string(digits) + "value");
        ObjectEntry number;
        number.place = {index, 0};
        number.name = "NrOfObjects";
        number.type = ObjectType::unsigned8;
        number.access = Access::readOnly;
        number.initial = std::to_string(count);
        add(number);
        for (unsigned sub = 1; sub <= count && !tooMany_; ++sub) {
            const std::string key = std::to_string(sub);
            std::string own = names != nullptr ? names->text(key) : std::string();
            if (own.empty())
                own = name + key;
            ObjectEntry* made = entry({index, static_cast<std::uint8_t>(sub)}, own, in, in);
            if (made != nullptr && values != nullptr)
                made->set = values->text(key);
        }
    }

    void subObject(const std::string& name, const Section& in)
    {
        const auto index = hexOf(std::string_view(name).substr(0, 4), 0xFFFF);
        const auto sub = hexOf(std::string_view(name).substr(7), 0xFF);
        if (!index || !sub)
            return;
        const auto place = ObjectPlace{static_cast<std::uint16_t>(*index), static_cast<std::uint8_t>(*sub)};
        if (out_.objects.find(place.index) == out_.objects.end()) {
            problem(in.line, "the object of the sub-object [" + name + "] is missing");
            out_.objects.emplace(place.index, std::string());
        }
        entry(place, in.text("parametername"), in, in);
    }

    ObjectEntry* entry(ObjectPlace place, const std::string& name, const Section& in, const Section& values)
    {
        ObjectEntry made;
        made.place = place;
        made.name = name;
        const auto kind = Dictionary::number(in.text("objecttype"), 0);
        const auto type = Dictionary::number(in.text("datatype"), 0);
        if (type && *type > 0 && *type <= 0xFFFF)
            made.type = static_cast<ObjectType>(*type);
        else if (kind == 2)
            made.type = ObjectType::domain;
        else {
            problem(in.line, in.text("datatype").empty() ? "the object has no DataType; it is left out"
                                                         : "'" + in.text("datatype") + "' is no data type; the object is left out");
            return nullptr;
        }
        const std::string access = lowered(in.text("accesstype"));
        if (access == "ro")
            made.access = Access::readOnly;
        else if (access == "wo")
            made.access = Access::writeOnly;
        else if (access == "const")
            made.access = Access::constant;
        else if (!access.empty() && access != "rw" && access != "rwr" && access != "rww")
            problem(in.line, "'" + in.text("accesstype") + "' is no access: expected ro, wo, rw, rwr, rww or const; it is taken as rw");
        made.mappable = Dictionary::number(in.text("pdomapping"), 0).value_or(0) != 0;
        made.initial = values.text("defaultvalue");
        made.low = in.text("lowlimit");
        made.high = in.text("highlimit");
        made.set = in.text("parametervalue");
        return add(made);
    }

    ObjectEntry* add(const ObjectEntry& entry)
    {
        if (out_.entries.size() >= Dictionary::mostEntries) {
            tooMany_ = true;
            return nullptr;
        }
        return &out_.entries.insert_or_assign(Dictionary::keyOf(entry.place), entry).first->second;
    }

    // 4.6.2: lists of what there is, and of what is missing behind them.
    void missing()
    {
        for (const char* list : {"mandatoryobjects", "optionalobjects", "manufacturerobjects"})
            if (const Section* in = section(list))
                for (const auto& [key, text] : in->values) {
                    const auto index = Dictionary::number(text, 0);
                    if (key != "supportedobjects" && index && *index >= 0 && *index <= 0xFFFF
                        && out_.objects.find(static_cast<std::uint16_t>(*index)) == out_.objects.end())
                        problem(in->line, "the object " + text + " is listed, and has no section");
                }
    }

    std::string_view text_;
    std::map<std::string, Section, std::less<>> sections_;  // by name in small letters
    Dictionary out_;
    bool tooMany_ = false;
};

// As it is compared with what somebody types.
std::string compared(std::string_view name)
{
    std::string out;
    for (const char c : name)
        if (c != ' ' && c != '_')
            out += lower(c);
    return out;
}

}  // namespace

const char* toText(Access access)
{
    constexpr const char* words[] = {"read and write", "read", "write", "constant"};
    return words[static_cast<unsigned>(access)];
}

const ObjectEntry* Dictionary::find(ObjectPlace place) const
{
    const auto found = entries.find(keyOf(place));
    return found == entries.end() ? nullptr : &found->second;
}

std::string Dictionary::nameOf(const ObjectEntry& entry) const
{
    const auto object = objects.find(entry.place.index);
    const auto next = entries.upper_bound(keyOf({entry.place.index, 0}));
    const bool alone = entry.place.sub == 0 && (next == entries.end() || next->second.place.index != entry.place.index);
    return alone || object == objects.end() || object->second.empty() ? entry.name : object->second + '.' + entry.name;
}

Expected<ObjectPlace> Dictionary::placeOf(std::string_view text) const
{
    if (const auto place = objectPlaceFromText(text); place && (text.starts_with("0x") || text.starts_with("0X")))
        return *place;
    const std::string wanted = compared(text);
    std::optional<ObjectPlace> found;
    std::vector<std::string> names;
    for (const auto& [key, entry] : entries) {
        const std::string whole = nameOf(entry);
        if (compared(whole) == wanted)
            return entry.place;
        if (names.size() < 5'000)
            names.push_back(entry.name);
        if (compared(entry.name) != wanted)
            continue;
        if (found)
            return fail("'" + std::string(text) + "' are several objects", path, "Put the object's name in front: " + whole);
        found = entry.place;
    }
    if (!found)
        return fail("the dictionary has no object '" + std::string(text) + "'", path, didYouMean(text, names));
    return *found;
}

std::optional<std::int64_t> Dictionary::number(std::string_view text, std::uint8_t ofNode)
{
    const std::string kept = trimmed(text);
    text = kept;
    const std::string small = lowered(text);
    constexpr std::string_view own = "$nodeid";
    if (const auto at = small.find(own); at != std::string::npos) {
        std::string rest = small.substr(0, at) + small.substr(at + own.size());
        std::erase_if(rest, [](char c) { return c == ' ' || c == '+'; });
        const auto added = rest.empty() ? std::optional<std::uint64_t>(0) : sizeOf(rest);
        if (!added || *added > std::numeric_limits<std::uint32_t>::max())
            return std::nullopt;
        return static_cast<std::int64_t>(*added + ofNode);
    }
    const bool below = text.starts_with('-');
    const auto size = sizeOf(below ? text.substr(1) : text);
    if (!size)
        return std::nullopt;
    return static_cast<std::int64_t>(below ? 0 - *size : *size);
}

std::optional<std::vector<std::uint8_t>> Dictionary::initialOf(const ObjectEntry& entry, std::uint8_t ofNode) const
{
    const std::string& text = entry.set.empty() ? entry.initial : entry.set;
    if (text.empty())
        return std::nullopt;
    if (isWhole(entry.type)) {
        const auto value = number(text, ofNode);
        if (!value)
            return std::nullopt;
        std::vector<std::uint8_t> out;
        for (unsigned i = 0; i < (bitsOf(entry.type) + 7) / 8; ++i)
            out.push_back(static_cast<std::uint8_t>(static_cast<std::uint64_t>(*value) >> 8 * i));
        return out;
    }
    const auto bytes = bytesOfValue(entry.type, text);
    return bytes ? std::optional(*bytes) : std::nullopt;
}

Expected<std::vector<std::uint8_t>> Dictionary::bytesFor(const ObjectEntry& entry, std::string_view text, std::uint8_t ofNode)
{
    auto bytes = bytesOfValue(entry.type, text);
    if (!bytes)
        return fail(entry.name + ": " + bytes.error().what);
    const auto value = wholeOf(entry.type, *bytes);
    if (!value)
        return bytes;
    const auto beyond = [&](const std::string& limit, bool below) {
        const auto bound = number(limit, ofNode);
        if (!bound)
            return false;
        if (entry.type == ObjectType::unsigned64)
            return below ? static_cast<std::uint64_t>(*value) < static_cast<std::uint64_t>(*bound)
                         : static_cast<std::uint64_t>(*value) > static_cast<std::uint64_t>(*bound);
        return below ? *value < *bound : *value > *bound;
    };
    if (beyond(entry.low, true) || beyond(entry.high, false))
        return fail(entry.name + ": " + std::string(text) + " is outside of its limits, " + (entry.low.empty() ? "no lowest" : entry.low)
                    + " to " + (entry.high.empty() ? "no highest" : entry.high));
    return bytes;
}

Expected<std::uint8_t> nodeFromText(std::string_view text)
{
    unsigned node = 0;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), node);
    if (problem != std::errc() || end != text.data() + text.size() || node < 1 || node > 127)
        return fail("'" + std::string(text) + "' is no node: expected a number of 1 to 127");
    return static_cast<std::uint8_t>(node);
}

Expected<DictionaryOption> dictionaryOptionFromText(std::string_view text)
{
    const auto equals = text.find('=');
    const auto dot = equals == std::string_view::npos ? equals : text.substr(0, equals).rfind('.');
    if (dot == std::string_view::npos || dot == 0 || equals + 1 == text.size())
        return fail("--dictionary '" + std::string(text) + "': expected BUS.NODE=FILE, such as Implement.4=blade.eds");
    const auto node = nodeFromText(text.substr(dot + 1, equals - dot - 1));
    if (!node)
        return fail("--dictionary '" + std::string(text) + "': " + node.error().what);
    return DictionaryOption{std::string(text.substr(0, dot)), *node, std::string(text.substr(equals + 1))};
}

Expected<Dictionary> dictionaryFromText(std::string_view text, const std::string& path) { return EdsReader(text, path).read(); }

Expected<Dictionary> readDictionary(const std::string& path)
{
    std::ifstream file(path, std::ios::binary);
    if (!file)
        return fail("the file cannot be read", path);
    std::string text(mostBytesOfFile + 1, '\0');
    file.read(text.data(), static_cast<std::streamsize>(text.size()));
    text.resize(static_cast<std::size_t>(file.gcount()));
    if (text.size() > mostBytesOfFile)
        return fail("the file has more than 32 MB", path, "Choose the electronic data sheet of the device");
    return dictionaryFromText(text, path);
}

}  // namespace wavetrope::protocol
