// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/message_text.h"

#include <algorithm>
#include <cctype>
#include <charconv>

namespace wavetrope::drive {

namespace {

struct Word {
    std::string text;       // with its quotes
    int column = 0;
};

Expected<std::vector<Word>> wordsOf(std::string_view text)
{
    std::vector<Word> words;
    std::size_t at = 0;
    while (at < text.size()) {
        if (std::isspace(static_cast<unsigned char>(text[at])) != 0) {
            ++at;
            continue;
        }
        Word word{{}, static_cast<int>(at) + 1};
        bool quoted = false;
        for (; at < text.size() && (quoted || std::isspace(static_cast<unsigned char>(text[at])) == 0); ++at) {
            quoted = quoted != (text[at] == '"');
            word.text += text[at];
        }
        if (quoted)
            return tl::unexpected(Error{"a quote is not closed", {}, 0, word.column, {}});
        words.push_back(std::move(word));
    }
    return words;
}

std::optional<unsigned> byteFrom(std::string_view word)
{
    if (word.size() > 2 && word[0] == '0' && (word[1] == 'x' || word[1] == 'X'))
        word.remove_prefix(2);
    unsigned value = 0;
    const auto [end, code] = std::from_chars(word.data(), word.data() + word.size(), value, 16);
    return code == std::errc{} && end == word.data() + word.size() && word.size() <= 2 ? std::optional(value) : std::nullopt;
}

tl::unexpected<Error> wrong(const Word& word, std::string what, std::string remedy = {})
{
    return tl::unexpected(Error{std::move(what), {}, 0, word.column, std::move(remedy)});
}

Expected<can::Frame> frameOf(const std::vector<Word>& words, can::Identifier id)
{
    can::Frame frame;
    frame.id = id;
    std::size_t at = 1;
    const std::string kind = words.size() > 1 ? words[1].text : std::string();
    if (kind == "remote") {
        frame.kind = can::FrameKind::remote;
        if (words.size() > 3)
            return wrong(words[3], "a remote frame has no bytes: expected a length code of 0 to 8 alone");
        if (words.size() == 3) {
            const std::string& code = words[2].text;
            if (code.size() != 1 || code[0] < '0' || code[0] > '8')
                return wrong(words[2], "'" + code + "' is no length code of a remote frame: expected 0 to 8");
            frame.dlc = static_cast<std::uint8_t>(code[0] - '0');
        }
        return frame;
    }
    if (kind == "fd" || kind == "fdbrs") {
        frame.kind = can::FrameKind::fd;
        frame.brs = kind == "fdbrs";
        ++at;
    }
    const bool fd = frame.kind == can::FrameKind::fd;
    const std::size_t most = fd ? can::maxLength : can::maxClassicLength;
    for (; at < words.size(); ++at) {
        const auto byte = byteFrom(words[at].text);
        if (!byte)
            return wrong(words[at], "'" + words[at].text + "' is no byte: expected two hexadecimal digits",
                frame.length == 0 && !fd ? "Behind the identifier may stand fd, fdbrs or remote" : "");
        if (frame.length >= most)
            return wrong(words[at], fd ? "a CAN FD frame has up to 64 bytes" : "a classic frame has up to 8 bytes",
                fd ? "" : "Write fd or fdbrs behind the identifier for a CAN FD frame");
        frame.data[frame.length++] = static_cast<std::uint8_t>(*byte);
    }
    frame.dlc = can::dlcOfLength(frame.length);
    if (can::lengthOfDlc(frame.dlc) != frame.length)
        return wrong(words.back(), "no CAN FD frame has " + std::to_string(frame.length) + " bytes",
            "The next length is " + std::to_string(can::lengthOfDlc(frame.dlc)));
    return frame;
}

}  // namespace

Expected<MessageText> messageFromText(std::string_view text)
{
    const auto words = wordsOf(text);
    if (!words)
        return tl::unexpected(words.error());
    if (words->empty())
        return fail("a message is missing", {}, "Such as 0x1F0 11 22 33, or a name with values as BladeCommand BladeDepth=3.5");
    MessageText out;
    const Word& first = words->front();
    const bool assigned = words->size() > 1 && (*words)[1].text.find('=') != std::string::npos;
    if (std::isdigit(static_cast<unsigned char>(first.text.front())) != 0 && !assigned) {
        const auto id = can::identifierFromText(first.text);
        if (!id)
            return wrong(first, "'" + first.text + "' is no identifier",
                "Up to three hexadecimal digits are 11 bits (0x1F0), eight are 29 bits (0x18FEF121)");
        auto frame = frameOf(*words, *id);
        if (!frame)
            return tl::unexpected(frame.error());
        out.frame = std::move(*frame);
        return out;
    }
    out.name = first.text;
    for (std::size_t i = 1; i < words->size(); ++i) {
        const Word& word = (*words)[i];
        const std::size_t sign = word.text.find('=');
        if (sign == std::string::npos || sign == 0)
            return wrong(word, "expected a signal and its value, such as BladeDepth=3.5, and not '" + word.text + "'",
                "A value with blanks stands in quotes");
        std::string signal = word.text.substr(0, sign);
        if (std::any_of(out.values.begin(), out.values.end(), [&](const auto& one) { return one.first == signal; }))
            return wrong(word, signal + " is given twice");
        out.values.emplace_back(std::move(signal), word.text.substr(sign + 1));
    }
    return out;
}

std::string toText(const can::FrameView& frame)
{
    std::string out = can::toText(frame.id);
    if (frame.kind == can::FrameKind::remote)
        return out + " remote " + std::to_string(frame.dlc);
    if (frame.kind == can::FrameKind::fd)
        out += frame.brs ? " fdbrs" : " fd";
    constexpr char digits[] = "0123456789ABCDEF";
    for (unsigned i = 0; i < frame.length; ++i) {
        out += ' ';
        out += digits[frame.data[i] >> 4U];
        out += digits[frame.data[i] & 15U];
    }
    return out;
}

}  // namespace wavetrope::drive
