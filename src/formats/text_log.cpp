// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/text_log.h"

#include <algorithm>
#include <array>
#include <map>
#include <memory>

#include "formats/frame_batch.h"
#include "formats/progress.h"
#include "formats/text_line.h"
#include "formats/text_recognition.h"

namespace wavetrope::formats {

namespace {

constexpr std::size_t looksAt = 1024 * 1024;
constexpr std::size_t mostBadLines = 1000;
constexpr std::uint64_t longestHead = 50;       // lines before the first frame that are no news
constexpr std::size_t longestLine = 1024 * 1024;
constexpr unsigned mostBuses = 255;
constexpr std::size_t batchSize = 512;

class TextReader {
public:
    TextReader(ByteSource& source, LogSink& sink, const TextLayout& layout)
        : source_(source),
          sink_(sink),
          layout_(layout),
          lines_(layout),
          batch_(sink),
          payloads_(std::make_unique<std::array<std::array<std::uint8_t, can::maxLength>, batchSize>>())
    {}

    ReadReport run()
    {
        Progress progress(source_, sink_);
        std::size_t wanted = longestLine;
        bool skipping = false;      // inside a line that is too long
        while (true) {
            if (!progress.goesOn()) {
                report_.cancelled = true;
                break;
            }
            const auto bytes = source_.window(wanted);
            if (bytes.empty())
                break;
            const std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
            std::size_t at = 0;
            for (std::size_t end = text.find('\n', at); end != std::string_view::npos; end = text.find('\n', at)) {
                if (!skipping)
                    line(text.substr(at, end - at));
                skipping = false;
                at = end + 1;
            }
            batch_.flush();     // before its bytes move
            if (at == 0) {
                if (bytes.size() < wanted) {        // the last line has no end
                    if (!skipping)
                        line(text);
                    at = text.size();
                } else if (!skipping) {
                    ++number_;
                    bad("the line is longer than 1 MB");
                    skipping = true;
                    at = text.size();
                } else {
                    at = text.size();
                }
            }
            source_.skip(at);
        }
        batch_.flush();
        progress.end();
        report_.frames = batch_.total();
        finish();
        return std::move(report_);
    }

private:
    void line(std::string_view text)
    {
        if (++number_ == 1 && text.starts_with(byteOrderMark))
            text.remove_prefix(byteOrderMark.size());
        if (number_ <= layout_.headLines || isSkipped(text, layout_))
            return;
        can::FrameView& frame = batch_.next();
        auto& payload = (*payloads_)[batch_.total() % batchSize];
        std::string_view channel;
        if (const char* problem = lines_.read(text, frame, bytesOf(payload), channel))
            return bad(problem);
        const int bus = busOf(channel);
        if (bus < 0)
            return bad("there are more than 255 buses");
        if (batch_.total() == 0 && number_ <= layout_.headLines + longestHead) {
            report_.badLines.clear();
            report_.badLineCount = 0;
        }
        frame.bus = static_cast<std::uint8_t>(bus);
        batch_.commit();
    }
    static std::uint8_t (&bytesOf(std::array<std::uint8_t, can::maxLength>& payload))[can::maxLength]
    {
        return *reinterpret_cast<std::uint8_t(*)[can::maxLength]>(payload.data());
    }

    int busOf(std::string_view channel)
    {
        if (const auto found = buses_.find(channel); found != buses_.end())
            return found->second;
        if (buses_.size() == mostBuses)
            return -1;
        const std::string name = channel.empty()                                                     ? std::string()
                                 : channel.find_first_not_of("0123456789") == std::string_view::npos ? "Bus " + std::string(channel)
                                                                                                     : std::string(channel.substr(0, 64));
        const int bus = sink_.onBus({name, {}});
        buses_.emplace(channel, bus);
        return bus;
    }
    void bad(const char* what)
    {
        ++report_.badLineCount;
        if (report_.badLines.size() < mostBadLines)
            report_.badLines.push_back({what, source_.name(), static_cast<int>(std::min<std::uint64_t>(number_, 0x7FFFFFFF)), 0, {}});
    }
    void finish()
    {
        if (report_.badLineCount == 0)
            return;
        const Error& first = report_.badLines.front();
        report_.warnings.push_back({std::to_string(report_.badLineCount)
                                        + (report_.badLineCount == 1 ? " line is no frame and was left out: "
                                                                     : " lines are no frames and were left out; of the first, ")
                                        + first.what,
            source_.name(), first.line, 0, {}});
    }

    ByteSource& source_;
    LogSink& sink_;
    const TextLayout& layout_;
    LineReader lines_;
    FrameBatch batch_;
    std::unique_ptr<std::array<std::array<std::uint8_t, can::maxLength>, batchSize>> payloads_;
    std::map<std::string, int, std::less<>> buses_;
    ReadReport report_;
    std::uint64_t number_ = 0;
};

}  // namespace

ReadReport readTextLog(ByteSource& source, LogSink& sink, const TextLayout& layout) { return TextReader(source, sink, layout).run(); }

Expected<TextLayout> layoutFor(ByteSource& source, const ReadOptions& options)
{
    if (options.layout != nullptr)
        return *options.layout;
    const auto bytes = source.window(looksAt);
    const std::string_view head(reinterpret_cast<const char*>(bytes.data()), std::min(bytes.size(), looksAt));
    if (options.kept != nullptr)
        for (const TextLayout& kept : *options.kept)
            if (fitOf(kept, head).good())
                return kept;
    const auto found = recogniseLayout(head, source.name());
    if (!found)
        return tl::unexpected(found.error());
    if (!found->sure())
        return fail("its lines leave something open (" + found->questions.front().what + ")", source.name(),
            "Open it in the window, or choose with wavetrope-cli layout and keep the layout");
    return found->layout;
}

}  // namespace wavetrope::formats
