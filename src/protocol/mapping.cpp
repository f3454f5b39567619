// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/mapping.h"

#include <algorithm>

#include "protocol/chain.h"
#include "protocol/hex_text.h"

namespace wavetrope::protocol {

namespace {

constexpr unsigned firstOfMapping = 0x1400, lastOfMapping = 0x1BFF, mostOfOneKind = 512, mostMapped = 64, missingInARow = 4;

bool isMapping(unsigned index) { return index >= firstOfMapping && index <= lastOfMapping; }
// Whether its sub-objects say what is mapped; else how it is sent.
bool says(unsigned index) { return (index & 0x200U) != 0; }

std::uint64_t numberOf(const std::vector<std::uint8_t>& bytes)
{
    std::uint64_t number = 0;
    for (std::size_t i = std::min<std::size_t>(bytes.size(), 8); i-- > 0;)
        number = number << 8 | bytes[i];
    return number;
}

ObjectType unsignedOf(unsigned bits)
{
    for (const ObjectType type : {ObjectType::boolean, ObjectType::unsigned8, ObjectType::unsigned16, ObjectType::unsigned24,
             ObjectType::unsigned32, ObjectType::unsigned40, ObjectType::unsigned48, ObjectType::unsigned56, ObjectType::unsigned64})
        if (bitsOf(type) >= bits)
            return type;
    return ObjectType::octetString;
}

class ReadMapping final : public Chain<DictionaryRead> {
public:
    explicit ReadMapping(std::uint8_t node) : node_(node) {}
    [[nodiscard]] const WrittenObjects& values() const override { return values_; }
    [[nodiscard]] const std::map<std::uint32_t, std::string>& refused() const override { return refused_; }

private:
    [[nodiscard]] unsigned communication() const { return (sends_ ? 0x1800U : 0x1400U) + number_; }

    std::unique_ptr<Talk> ask() override
    {
        if (number_ == mostOfOneKind || missing_ == missingInARow) {
            if (!std::exchange(sends_, false))
                return nullptr;
            number_ = missing_ = 0;
            at_ = 0;
        }
        // Identifier, how it is sent, how often; then how many are mapped, and each.
        if (at_ < std::size(ofSending))
            place_ = {static_cast<std::uint16_t>(communication()), ofSending[at_]};
        else
            place_ = {static_cast<std::uint16_t>(communication() + 0x200), static_cast<std::uint8_t>(at_ - std::size(ofSending))};
        return objectRead(node_, place_, false);
    }
    Expected<void> came(const Talk& talk, bool silent) override
    {
        const Answer& answer = *talk.answer();
        const std::uint32_t key = Dictionary::keyOf(place_);
        if (answer.good) {
            values_[key] = answer.data;
            heard_ = true;
        } else if (silent && !heard_) {
            return wavetrope::fail(answer.words);
        } else {
            refused_[key] = answer.words;
        }
        if (at_ == 0 && !answer.good) {     // there is no such process data
            ++number_;
            ++missing_;
            return {};
        }
        missing_ = 0;
        if (at_ == std::size(ofSending))
            count_ = answer.good ? std::min<std::uint64_t>(numberOf(answer.data), mostMapped) : 0;
        if (at_ >= std::size(ofSending) && at_ - std::size(ofSending) >= count_) {
            ++number_;
            at_ = 0;
        } else {
            ++at_;
        }
        return {};
    }

    static constexpr std::uint8_t ofSending[] = {1, 2, 5};
    std::uint8_t node_;
    bool sends_ = true, heard_ = false;
    unsigned number_ = 0, missing_ = 0;
    std::size_t at_ = 0;
    std::uint64_t count_ = 0;
    ObjectPlace place_{};
    WrittenObjects values_;
    std::map<std::uint32_t, std::string> refused_;
};

std::string nameOfPlace(unsigned index, unsigned sub)
{
    const bool sends = (index & 0x800U) != 0 && index >= 0x1800;
    const std::string which = std::to_string((index & 0x1FFU) + 1) + (sends ? " sent" : " received");
    if (says(index))
        return sub == 0 ? "Mapped of process data " + which : "Object " + std::to_string(sub) + " of process data " + which;
    switch (sub) {
    case 1: return "Identifier of process data " + which;
    case 2: return "Transmission type of process data " + which;
    case 3: return "Inhibit time of process data " + which;
    case 5: return "Event timer of process data " + which;
    default: return "Sub-object " + std::to_string(sub) + " of process data " + which;
    }
}

}  // namespace

void HeardMapping::take(const Transfer& transfer)
{
    if (transfer.ended != Ended::whole || transfer.head.protocol != Protocol::objects || !isMapping(transfer.what >> 8)
        || transfer.data.size() > 8)
        return;
    nodes_[{transfer.bus, static_cast<std::uint8_t>(transfer.head.destination.value)}][transfer.what] = transfer.data;
}

std::unique_ptr<DictionaryRead> mappingRead(std::uint8_t node) { return std::make_unique<ReadMapping>(node); }

Dictionary dictionaryOfMapping(const WrittenObjects& mapping, std::uint8_t node, const Dictionary* known)
{
    Dictionary out;
    if (known != nullptr)
        out = *known;
    out.node = node;
    for (const auto& [key, bytes] : mapping) {
        const unsigned index = key >> 8, sub = key & 0xFFU;
        ObjectEntry& entry = out.entries[key];
        if (entry.name.empty()) {
            entry.place = {static_cast<std::uint16_t>(index), static_cast<std::uint8_t>(sub)};
            entry.name = nameOfPlace(index, sub);
            entry.type = unsignedOf(static_cast<unsigned>(bytes.size() * 8));
        }
        entry.set = hex("0x%X", static_cast<unsigned>(numberOf(bytes)));
        if (out.objects.count(static_cast<std::uint16_t>(index)) == 0)
            out.objects[static_cast<std::uint16_t>(index)] = says(index) ? "Mapping " + hex("0x%04X", index)
                                                                         : "Process data " + hex("0x%04X", index);
        if (!says(index) || sub == 0)
            continue;
        // Objects that are mapped and that nobody has named.
        const auto mapped = static_cast<std::uint32_t>(numberOf(bytes));
        const ObjectPlace place{static_cast<std::uint16_t>(mapped >> 16), static_cast<std::uint8_t>(mapped >> 8)};
        if (place.index < 0x1000 || (mapped & 0xFFU) == 0 || (mapped & 0xFFU) > 64)
            continue;
        ObjectEntry& target = out.entries[Dictionary::keyOf(place)];
        if (!target.name.empty())
            continue;
        target.place = place;
        target.name = hex("Object %04X %02X", place.index, place.sub);
        target.type = unsignedOf(mapped & 0xFFU);
        target.mappable = true;
        if (out.objects.count(place.index) == 0 && place.sub != 0)
            out.objects[place.index] = hex("Object %04X", place.index);
    }
    return out;
}

std::string sheetOf(const Dictionary& dictionary)
{
    std::string out = "[FileInfo]\nFileVersion=1\nFileRevision=0\nEDSVersion=4.0\n\n[DeviceInfo]\n";
    if (!dictionary.vendor.empty())
        out += "VendorName=" + dictionary.vendor + '\n';
    if (!dictionary.product.empty())
        out += "ProductName=" + dictionary.product + '\n';
    for (const auto& [name, number] : {std::pair{"VendorNumber", dictionary.vendorNumber},
             std::pair{"ProductNumber", dictionary.productNumber}, std::pair{"RevisionNumber", dictionary.revision}})
        if (number)
            out += name + ('=' + std::to_string(*number)) + '\n';
    if (dictionary.node)
        out += "\n[DeviceComissioning]\nNodeID=" + std::to_string(*dictionary.node) + '\n';
    // Which objects there are, by the ranges of 7.4.1.
    std::map<std::uint16_t, std::vector<const ObjectEntry*>> byIndex;
    for (const auto& [key, entry] : dictionary.entries)
        byIndex[static_cast<std::uint16_t>(key >> 8)].push_back(&entry);
    const auto list = [&](const char* section, auto belongs) {
        std::vector<std::uint16_t> some;
        for (const auto& [index, entries] : byIndex)
            if (belongs(index))
                some.push_back(index);
        out += std::string("\n[") + section + "]\nSupportedObjects=" + std::to_string(some.size()) + '\n';
        for (std::size_t i = 0; i < some.size(); ++i)
            out += std::to_string(i + 1) + '=' + hex("0x%04X", some[i]) + '\n';
    };
    const auto mandatory = [](std::uint16_t index) { return index == 0x1000 || index == 0x1001 || index == 0x1018; };
    const auto own = [](std::uint16_t index) { return index >= 0x2000 && index < 0x6000; };
    list("MandatoryObjects", mandatory);
    list("OptionalObjects", [&](std::uint16_t index) { return !mandatory(index) && !own(index); });
    list("ManufacturerObjects", own);
    const auto value = [&](const std::string& section, const ObjectEntry& entry) {
        constexpr const char* access[] = {"rw", "ro", "wo", "const"};
        out += "\n[" + section + "]\nParameterName=" + entry.name
               + (entry.type == ObjectType::domain ? "\nObjectType=0x2" : "\nObjectType=0x7") + "\nDataType="
               + hex("0x%04X", static_cast<unsigned>(entry.type)) + "\nAccessType=" + access[static_cast<unsigned>(entry.access)] + '\n';
        for (const auto& [name, text] : {std::pair{"DefaultValue", &entry.initial}, std::pair{"LowLimit", &entry.low},
                 std::pair{"HighLimit", &entry.high}, std::pair{"ParameterValue", &entry.set}})
            if (!text->empty())
                out += name + ('=' + *text) + '\n';
        out += std::string("PDOMapping=") + (entry.mappable ? "1\n" : "0\n");
    };
    for (const auto& [index, entries] : byIndex) {
        const std::string section = hex("%04X", index);
        const auto name = dictionary.objects.find(index);
        if (name == dictionary.objects.end() && entries.size() == 1 && entries.front()->place.sub == 0) {
            value(section, *entries.front());
            continue;
        }
        out += "\n[" + section + "]\nParameterName=" + (name == dictionary.objects.end() ? section : name->second)
               + "\nObjectType=0x9\nSubNumber=" + std::to_string(entries.size()) + '\n';
        for (const ObjectEntry* entry : entries)
            value(section + "sub" + hex("%X", entry->place.sub), *entry);
    }
    return out;
}

}  // namespace wavetrope::protocol
