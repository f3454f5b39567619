// SPDX-License-Identifier: GPL-3.0-or-later
#include "remote/messages.h"

#include <cbor.h>

#include <algorithm>
#include <cstring>
#include <limits>

namespace wavetrope::remote {

namespace {

constexpr std::uint64_t formVersion = 1;
constexpr std::size_t longestName = 200;
constexpr std::size_t mostRanges = 4096;

// Of a frame's flags.
constexpr std::uint64_t extendedBit = 1, fdBit = 2, brsBit = 4, esiBit = 8, remoteBit = 16, errorBit = 32, sentBit = 64;

class Writer {
public:
    void whole(std::uint64_t value) { head(0, value); }
    void signedWhole(std::int64_t value)
    {
        if (value < 0)
            head(1, static_cast<std::uint64_t>(-(value + 1)));      // RFC 8949, 3.1, major type 1
        else
            head(0, static_cast<std::uint64_t>(value));
    }
    void text(const std::string& value)
    {
        head(3, value.size());
        out_.insert(out_.end(), value.begin(), value.end());
    }
    void bytes(BytesView value)
    {
        head(2, value.size());
        out_.insert(out_.end(), value.begin(), value.end());
    }
    void array(std::size_t count) { head(4, count); }
    void raw(const Bytes& value) { out_.insert(out_.end(), value.begin(), value.end()); }
    Bytes take() { return std::move(out_); }
    explicit Writer(Bytes out = {}) : out_(std::move(out)) {}

private:
    void head(unsigned major, std::uint64_t value)
    {
        std::uint8_t buffer[9];
        std::size_t size = 0;
        switch (major) {
        case 0: size = cbor_encode_uint(value, buffer, sizeof buffer); break;
        case 1: size = cbor_encode_negint(value, buffer, sizeof buffer); break;
        case 2: size = cbor_encode_bytestring_start(value, buffer, sizeof buffer); break;
        case 3: size = cbor_encode_string_start(value, buffer, sizeof buffer); break;
        default: size = cbor_encode_array_start(value, buffer, sizeof buffer); break;
        }
        out_.insert(out_.end(), buffer, buffer + size);
    }
    Bytes out_;
};

// Takes one item after the other, of whole numbers, texts, bytes and lists of known length. Whatever else comes is wrong,
// and all that is taken behind it is empty.
class Reader {
public:
    explicit Reader(BytesView bytes) : bytes_(bytes) { good_ = bytes.size() <= largestMessage; }
    [[nodiscard]] bool good() const { return good_; }
    [[nodiscard]] bool atEnd() const { return good_ && bytes_.empty(); }
    std::uint64_t whole(std::uint64_t limit = std::numeric_limits<std::uint64_t>::max())
    {
        next(Kind::whole);
        if (number_ > limit)
            good_ = false;
        return good_ ? number_ : 0;
    }
    std::int64_t signedWhole()
    {
        next(Kind::any);
        if (kind_ != Kind::whole && kind_ != Kind::negative)
            good_ = false;
        if (number_ > static_cast<std::uint64_t>(std::numeric_limits<std::int64_t>::max()))
            good_ = false;
        if (!good_)
            return 0;
        const auto value = static_cast<std::int64_t>(number_);
        return kind_ == Kind::negative ? -1 - value : value;
    }
    std::string text(std::size_t limit)
    {
        next(Kind::text);
        if (run_.size() > limit)
            good_ = false;
        return good_ ? std::string(run_.begin(), run_.end()) : std::string();
    }
    BytesView bytes()
    {
        next(Kind::bytes);
        return good_ ? run_ : BytesView();
    }
    std::size_t array(std::size_t limit)
    {
        next(Kind::array);
        if (number_ > limit || number_ > bytes_.size())     // each element has a byte at least
            good_ = false;
        return good_ ? static_cast<std::size_t>(number_) : 0;
    }
    void fail() { good_ = false; }

private:
    enum class Kind : std::uint8_t { any, whole, negative, text, bytes, array };
    void next(Kind wanted)
    {
        kind_ = Kind::any;
        number_ = 0;
        run_ = {};
        if (!good_)
            return;
        const cbor_decoder_result result = cbor_stream_decode(bytes_.data(), bytes_.size(), &callbacks(), this);
        good_ = result.status == CBOR_DECODER_FINISHED && result.read > 0 && result.read <= bytes_.size() && kind_ != Kind::any
                && (wanted == Kind::any || kind_ == wanted);
        if (good_)
            bytes_ = bytes_.subspan(result.read);
    }
    void take(Kind kind, std::uint64_t number, BytesView run = {})
    {
        kind_ = kind;
        number_ = number;
        run_ = run;
    }
    static Reader& of(void* context) { return *static_cast<Reader*>(context); }
    static const cbor_callbacks& callbacks()
    {
        static const cbor_callbacks table = [] {
            cbor_callbacks all = cbor_empty_callbacks;
            all.uint8 = [](void* c, std::uint8_t v) { of(c).take(Kind::whole, v); };
            all.uint16 = [](void* c, std::uint16_t v) { of(c).take(Kind::whole, v); };
            all.uint32 = [](void* c, std::uint32_t v) { of(c).take(Kind::whole, v); };
            all.uint64 = [](void* c, std::uint64_t v) { of(c).take(Kind::whole, v); };
            all.negint8 = [](void* c, std::uint8_t v) { of(c).take(Kind::negative, v); };
            all.negint16 = [](void* c, std::uint16_t v) { of(c).take(Kind::negative, v); };
            all.negint32 = [](void* c, std::uint32_t v) { of(c).take(Kind::negative, v); };
            all.negint64 = [](void* c, std::uint64_t v) { of(c).take(Kind::negative, v); };
            all.string = [](void* c, cbor_data data, std::size_t size) { of(c).take(Kind::text, 0, {data, size}); };
            all.byte_string = [](void* c, cbor_data data, std::size_t size) { of(c).take(Kind::bytes, 0, {data, size}); };
            all.array_start = [](void* c, std::size_t size) { of(c).take(Kind::array, size); };
            return all;
        }();
        return table;
    }
    BytesView bytes_;
    bool good_ = true;
    Kind kind_ = Kind::any;
    std::uint64_t number_ = 0;
    BytesView run_;
};

// The length code is told where it is another: of classic frames codes above 8 mean 8 bytes (ISO 11898-1:2015, table 5),
// remote requests have no bytes, and a frame that was cut off has fewer.
std::uint8_t usualDlc(const can::FrameHead& frame) { return can::dlcOfLength(frame.length); }

void writeFrame(Writer& out, const can::FrameView& frame, std::int64_t delta, std::uint64_t by)
{
    std::uint64_t flags = 0;
    flags |= frame.id.extended ? extendedBit : 0;
    flags |= frame.kind == can::FrameKind::fd ? fdBit : 0;
    flags |= frame.brs ? brsBit : 0;
    flags |= frame.esi ? esiBit : 0;
    flags |= frame.kind == can::FrameKind::remote ? remoteBit : 0;
    flags |= frame.kind == can::FrameKind::error ? errorBit : 0;
    flags |= frame.direction == can::Direction::sent ? sentBit : 0;
    const bool code = frame.dlc != usualDlc(frame);
    out.array(by != 0 ? 6 : code ? 5 : 4);
    out.signedWhole(delta);
    out.whole(frame.id.value);
    out.whole(flags);
    out.bytes({frame.data, frame.length});
    if (code || by != 0)
        out.whole(frame.dlc);
    if (by != 0)
        out.whole(by);
}

SharedFrame readFrame(Reader& in, Time& last)
{
    SharedFrame shared;
    can::Frame& frame = shared.frame;
    const std::size_t parts = in.array(6);
    const std::int64_t delta = in.signedWhole();
    std::int64_t time = 0;
    if (__builtin_add_overflow(last.count(), delta, &time))
        in.fail();
    last = frame.time = Time(time);
    frame.id.value = static_cast<std::uint32_t>(in.whole(0x1FFFFFFF));
    const std::uint64_t flags = in.whole(127);
    const BytesView data = in.bytes();
    frame.id.extended = (flags & extendedBit) != 0;
    const std::uint64_t kind = flags & (fdBit | remoteBit | errorBit);
    frame.kind = kind == fdBit       ? can::FrameKind::fd
                 : kind == remoteBit ? can::FrameKind::remote
                 : kind == errorBit  ? can::FrameKind::error
                                     : can::FrameKind::data;
    frame.brs = (flags & brsBit) != 0;
    frame.esi = (flags & esiBit) != 0;
    frame.direction = (flags & sentBit) != 0 ? can::Direction::sent : can::Direction::received;
    const bool fd = frame.kind == can::FrameKind::fd;
    const std::size_t most = frame.kind == can::FrameKind::remote ? 0 : fd ? can::maxLength : can::maxClassicLength;
    if ((kind & (kind - 1)) != 0 || parts < 4 || data.size() > most || (!fd && (frame.brs || frame.esi))
        || (frame.kind != can::FrameKind::error && !frame.id.valid()))
        in.fail();
    if (!in.good())
        return shared;
    frame.length = static_cast<std::uint8_t>(data.size());
    std::copy(data.begin(), data.end(), frame.data.begin());
    frame.dlc = usualDlc(frame);
    if (parts >= 5)
        frame.dlc = static_cast<std::uint8_t>(in.whole(15));
    if (parts == 6)
        shared.by = in.whole();
    return shared;
}

void writeRanges(Writer& out, const std::vector<IdRange>& ranges)
{
    const std::size_t count = std::min(ranges.size(), mostRanges);
    out.array(count);
    for (std::size_t i = 0; i < count; ++i) {
        out.array(3);
        out.whole(ranges[i].from.value);
        out.whole(ranges[i].to.value);
        out.whole(ranges[i].from.extended ? 1 : 0);
    }
}

std::vector<IdRange> readRanges(Reader& in)
{
    std::vector<IdRange> out(in.array(mostRanges));
    for (IdRange& range : out) {
        if (in.array(3) != 3)
            in.fail();
        range.from.value = static_cast<std::uint32_t>(in.whole(0x1FFFFFFF));
        range.to.value = static_cast<std::uint32_t>(in.whole(0x1FFFFFFF));
        range.from.extended = range.to.extended = in.whole(1) == 1;
    }
    return out;
}

// The begin of each message: how many parts it has, and the number of its form.
bool begins(Reader& in, std::size_t parts)
{
    if (in.array(parts) != parts || in.whole() != formVersion)
        in.fail();
    return in.good();
}

template <class Message>
std::optional<Message> ended(const Reader& in, Message message)
{
    return in.atEnd() ? std::optional(std::move(message)) : std::nullopt;
}

}  // namespace

std::optional<std::vector<IdRange>> idRangesFromText(const std::string& text)
{
    std::vector<IdRange> out;
    for (std::size_t at = 0; at <= text.size();) {
        const std::size_t end = std::min(text.find(',', at), text.size());
        std::string part = text.substr(at, end - at);
        const auto trim = [](std::string& word) {
            const auto from = word.find_first_not_of(' ');
            word = from == std::string::npos ? std::string() : word.substr(from, word.find_last_not_of(' ') - from + 1);
        };
        trim(part);
        std::string from = part, to = part;
        if (const auto dots = part.find(".."); dots != std::string::npos) {
            from = part.substr(0, dots);
            to = part.substr(dots + 2);
            trim(from);
            trim(to);
        }
        const auto first = can::identifierFromText(from), last = can::identifierFromText(to);
        if (!first || !last || first->extended != last->extended || first->value > last->value)
            return std::nullopt;
        out.push_back({*first, *last});
        at = end + 1;
    }
    return out;
}

bool contains(std::span<const IdRange> ranges, can::Identifier id)
{
    return std::any_of(ranges.begin(), ranges.end(), [&](const IdRange& range) {
        return range.from.extended == id.extended && range.from.value <= id.value && id.value <= range.to.value;
    });
}

Bytes packed(const Description& description)
{
    Writer out;
    out.array(description.here ? 7 : 2);
    out.whole(formVersion);
    out.whole(description.session);
    if (description.here) {
        out.text(description.name.substr(0, longestName));
        out.whole(description.rate.nominal);
        out.whole(description.rate.data);
        out.text(description.trouble.substr(0, longestName));
        writeRanges(out, description.writable);
    }
    return out.take();
}

std::optional<Description> descriptionFrom(BytesView bytes)
{
    Reader in(bytes);
    const std::size_t parts = in.array(7);
    if ((parts != 7 && parts != 2) || in.whole() != formVersion)
        return std::nullopt;
    Description out;
    out.session = in.whole();
    out.here = parts == 7;
    if (out.here) {
        out.name = in.text(longestName);
        out.rate.nominal = static_cast<std::uint32_t>(in.whole(std::numeric_limits<std::uint32_t>::max()));
        out.rate.data = static_cast<std::uint32_t>(in.whole(std::numeric_limits<std::uint32_t>::max()));
        out.trouble = in.text(longestName);
        out.writable = readRanges(in);
    }
    return ended(in, std::move(out));
}

void Packing::add(const can::FrameView& frame, std::uint64_t by)
{
    if (count_ == 0)
        base_ = last_ = frame.time;
    Writer out(std::move(body_));
    writeFrame(out, frame, (frame.time - last_).count(), by);
    body_ = out.take();
    last_ = frame.time;
    ++count_;
    ++next_;
}

Bytes Packing::take(Time now)
{
    Writer out;
    out.array(6);
    out.whole(formVersion);
    out.whole(session_);
    out.whole(first_);
    out.signedWhole(now.count());
    out.signedWhole(base_.count());
    out.array(count_);
    out.raw(body_);
    body_.clear();
    count_ = 0;
    first_ = next_;
    return out.take();
}

Bytes packed(const Packet& packet)
{
    Packing packing(packet.session, packet.first);
    for (const SharedFrame& shared : packet.frames)
        packing.add(shared.frame.view(), shared.by);
    return packing.take(packet.sent);
}

std::optional<Packet> packetFrom(BytesView bytes)
{
    Reader in(bytes);
    if (!begins(in, 6))
        return std::nullopt;
    Packet out;
    out.session = in.whole();
    out.first = in.whole();
    out.sent = Time(in.signedWhole());
    Time last(in.signedWhole());
    const std::size_t count = in.array(largestMessage);
    out.frames.reserve(std::min(count, bytes.size() / 5));
    for (std::size_t i = 0; i < count && in.good(); ++i)
        out.frames.push_back(readFrame(in, last));
    return ended(in, std::move(out));
}

Bytes packed(const Wish& wish)
{
    Writer out;
    out.array(4);
    out.whole(formVersion);
    out.whole(wish.session);
    out.whole(wish.by);
    out.array(wish.frames.size());
    for (const can::Frame& frame : wish.frames)
        writeFrame(out, frame.view(), 0, 0);
    return out.take();
}

std::optional<Wish> wishFrom(BytesView bytes)
{
    Reader in(bytes);
    if (!begins(in, 4))
        return std::nullopt;
    Wish out;
    out.session = in.whole();
    out.by = in.whole();
    const std::size_t count = in.array(largestMessage);
    Time last{};
    for (std::size_t i = 0; i < count && in.good(); ++i)
        out.frames.push_back(readFrame(in, last).frame);
    return ended(in, std::move(out));
}

Bytes packed(const Question& question)
{
    Writer out;
    out.array(3);
    out.whole(formVersion);
    out.whole(question.by);
    out.signedWhole(question.asked.count());
    return out.take();
}

std::optional<Question> questionFrom(BytesView bytes)
{
    Reader in(bytes);
    if (!begins(in, 3))
        return std::nullopt;
    Question out;
    out.by = in.whole();
    out.asked = Time(in.signedWhole());
    return ended(in, out);
}

Bytes packed(const Answer& answer)
{
    Writer out;
    out.array(7);
    out.whole(formVersion);
    out.whole(answer.session);
    out.signedWhole(answer.asked.count());
    out.signedWhole(answer.heard.count());
    out.signedWhole(answer.sent.count());
    out.whole(answer.refused);
    out.text(answer.why.substr(0, longestName));
    return out.take();
}

std::optional<Answer> answerFrom(BytesView bytes)
{
    Reader in(bytes);
    if (!begins(in, 7))
        return std::nullopt;
    Answer out;
    out.session = in.whole();
    out.asked = Time(in.signedWhole());
    out.heard = Time(in.signedWhole());
    out.sent = Time(in.signedWhole());
    out.refused = in.whole();
    out.why = in.text(longestName);
    return ended(in, std::move(out));
}

}  // namespace wavetrope::remote
