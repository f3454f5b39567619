// SPDX-License-Identifier: GPL-3.0-or-later
#include "can/error_words.h"

#include <linux/can/error.h>

#include <iterator>
#include <utility>

namespace wavetrope::can {

namespace {

constexpr std::uint32_t countersToo = 0x200;        // CAN_ERR_CNT, which older headers lack

constexpr std::pair<std::uint8_t, const char*> places[] = {{CAN_ERR_PROT_LOC_SOF, "the start of the frame"},
    {CAN_ERR_PROT_LOC_ID28_21, "identifier bits 28 to 21"}, {CAN_ERR_PROT_LOC_ID20_18, "identifier bits 20 to 18"},
    {CAN_ERR_PROT_LOC_SRTR, "the substitute remote request bit"}, {CAN_ERR_PROT_LOC_IDE, "the identifier extension bit"},
    {CAN_ERR_PROT_LOC_ID17_13, "identifier bits 17 to 13"}, {CAN_ERR_PROT_LOC_ID12_05, "identifier bits 12 to 5"},
    {CAN_ERR_PROT_LOC_ID04_00, "identifier bits 4 to 0"}, {CAN_ERR_PROT_LOC_RTR, "the remote request bit"},
    {CAN_ERR_PROT_LOC_RES1, "reserved bit 1"}, {CAN_ERR_PROT_LOC_RES0, "reserved bit 0"}, {CAN_ERR_PROT_LOC_DLC, "the length code"},
    {CAN_ERR_PROT_LOC_DATA, "the data"}, {CAN_ERR_PROT_LOC_CRC_SEQ, "the checksum"}, {CAN_ERR_PROT_LOC_CRC_DEL, "the checksum's delimiter"},
    {CAN_ERR_PROT_LOC_ACK, "the acknowledge slot"}, {CAN_ERR_PROT_LOC_ACK_DEL, "the acknowledge delimiter"},
    {CAN_ERR_PROT_LOC_EOF, "the end of the frame"}, {CAN_ERR_PROT_LOC_INTERM, "the intermission"}};

constexpr std::pair<std::uint8_t, const char*> violations[] = {{CAN_ERR_PROT_BIT, "bit error"}, {CAN_ERR_PROT_FORM, "form error"},
    {CAN_ERR_PROT_STUFF, "stuff error"}, {CAN_ERR_PROT_BIT0, "a dominant bit could not be sent"},
    {CAN_ERR_PROT_BIT1, "a recessive bit could not be sent"}, {CAN_ERR_PROT_OVERLOAD, "overload"},
    {CAN_ERR_PROT_ACTIVE, "an active error flag"}};

constexpr std::pair<std::uint8_t, const char*> controllerStates[] = {{CAN_ERR_CRTL_RX_OVERFLOW, "frames were lost in the controller"},
    {CAN_ERR_CRTL_TX_OVERFLOW, "the controller's send buffer is full"}, {CAN_ERR_CRTL_RX_WARNING, "warning level, receiving"},
    {CAN_ERR_CRTL_TX_WARNING, "warning level, sending"}, {CAN_ERR_CRTL_RX_PASSIVE, "error passive, receiving"},
    {CAN_ERR_CRTL_TX_PASSIVE, "error passive, sending"}, {CAN_ERR_CRTL_ACTIVE, "error active again"}};

// Lines of the transceiver: the lower half says how CAN_H is, the upper how CAN_L is.
constexpr std::pair<std::uint8_t, const char*> lines[] = {{CAN_ERR_TRX_CANH_NO_WIRE, "CAN_H has no wire"},
    {CAN_ERR_TRX_CANH_SHORT_TO_BAT, "CAN_H touches the battery"}, {CAN_ERR_TRX_CANH_SHORT_TO_VCC, "CAN_H touches the supply"},
    {CAN_ERR_TRX_CANH_SHORT_TO_GND, "CAN_H touches ground"}, {CAN_ERR_TRX_CANL_NO_WIRE, "CAN_L has no wire"},
    {CAN_ERR_TRX_CANL_SHORT_TO_BAT, "CAN_L touches the battery"}, {CAN_ERR_TRX_CANL_SHORT_TO_VCC, "CAN_L touches the supply"},
    {CAN_ERR_TRX_CANL_SHORT_TO_GND, "CAN_L touches ground"}, {CAN_ERR_TRX_CANL_SHORT_TO_CANH, "CAN_L touches CAN_H"}};

}  // namespace

std::uint32_t errorClasses(const FrameHead& frame)
{
    const std::uint32_t classes = frame.id.value & 0x1FFFFFFFU;
    return classes == countersToo ? classes : classes & ~countersToo;
}

std::string errorClassWords(std::uint32_t classes)
{
    static constexpr std::pair<std::uint32_t, const char*> names[] = {{CAN_ERR_PROT, "protocol error"},
        {CAN_ERR_ACK, "nobody acknowledged"}, {CAN_ERR_LOSTARB, "arbitration lost"}, {CAN_ERR_TX_TIMEOUT, "the driver gave up sending"},
        {CAN_ERR_CRTL, "trouble in the controller"}, {CAN_ERR_TRX, "trouble in the transceiver"}, {CAN_ERR_BUSOFF, "bus off"},
        {CAN_ERR_RESTARTED, "the controller was restarted"}, {CAN_ERR_BUSERROR, "bus error"}, {countersToo, "error counters"}};
    std::string out;
    for (const auto& [bit, name] : names)
        if ((classes & bit) != 0)
            out += (out.empty() ? "" : "; ") + std::string(name);
    return out.empty() ? "error frame" : out;
}

std::string errorWords(const FrameView& frame)
{
    const std::uint32_t classes = frame.id.value;
    const auto at = [&](unsigned index) { return index < frame.length ? frame.data[index] : std::uint8_t{0}; };
    std::string out;
    const auto say = [&](const std::string& words) { out += (out.empty() ? "" : "; ") + words; };
    if ((classes & CAN_ERR_PROT) != 0) {
        std::string words;
        for (const auto& [bit, name] : violations)
            if ((at(2) & bit) != 0)
                words += (words.empty() ? "" : ", ") + std::string(name);
        if (words.empty())
            words = "protocol error";
        for (const auto& [code, name] : places)
            if (at(3) == code)
                words += std::string(" in ") + name;
        if ((at(2) & CAN_ERR_PROT_TX) != 0)
            words += ", while sending";
        say(words);
    }
    if ((classes & CAN_ERR_ACK) != 0)
        say("nobody acknowledged");
    if ((classes & CAN_ERR_LOSTARB) != 0)
        say(at(0) == CAN_ERR_LOSTARB_UNSPEC ? "arbitration lost" : "arbitration lost in bit " + std::to_string(at(0)));
    if ((classes & CAN_ERR_TX_TIMEOUT) != 0)
        say("the driver gave up sending");
    if ((classes & CAN_ERR_CRTL) != 0) {
        std::string words;
        for (const auto& [bit, name] : controllerStates)
            if ((at(1) & bit) != 0)
                words += (words.empty() ? "" : ", ") + std::string(name);
        say(words.empty() ? "trouble in the controller" : words);
    }
    if ((classes & CAN_ERR_TRX) != 0) {
        std::string words;
        for (const auto& [code, name] : lines)
            if ((code <= 0x0F ? at(4) & 0x0FU : at(4) & 0xF0U) == code)
                words += (words.empty() ? "" : ", ") + std::string(name);
        say(words.empty() ? "trouble in the transceiver" : words);
    }
    if ((classes & CAN_ERR_BUSOFF) != 0)
        say("bus off");
    if ((classes & CAN_ERR_RESTARTED) != 0)
        say("the controller was restarted");
    if ((classes & CAN_ERR_BUSERROR) != 0 && (classes & CAN_ERR_PROT) == 0)
        say("bus error");
    if ((classes & countersToo) != 0 || (((classes & (CAN_ERR_CRTL | CAN_ERR_PROT)) != 0) && (at(6) != 0 || at(7) != 0)))
        out += std::string(out.empty() ? "error counters" : "") + " (" + std::to_string(at(6)) + " sending, " + std::to_string(at(7))
               + " receiving)";
    return out.empty() ? "error frame" : out;
}

}  // namespace wavetrope::can
