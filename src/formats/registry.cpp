// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>

#include "formats/log_format.h"
#include "formats/pcap.h"
#include "formats/pcapng.h"
#include "formats/run_log.h"
#include "formats/text_log.h"
#include "formats/text_recognition.h"

namespace wavetrope::formats {

const std::vector<LogFormat>& logFormats()
{
    static const std::vector<LogFormat> formats = {
        pcapngFormat(),
        pcapFormat(),
        runLogFormat(),
    };
    return formats;
}

std::vector<std::string> logEndings(LogUse use)
{
    if (use == LogUse::readAsText)
        return {".txt", ".csv", ".tsv", ".log", ".jsonl"};
    std::vector<std::string> endings;
    for (const LogFormat& format : logFormats())
        if (use != LogUse::write || format.encoder != nullptr)
            endings.insert(endings.end(), format.extensions.begin(), format.extensions.end());
    if (use != LogUse::follow)      // where compressed bytes end is known at their end alone
        for (const std::string_view packing : compressedEndings())
            endings.emplace_back(packing);
    return endings;
}

namespace {

std::string knownExtensions()
{
    std::string text;
    for (const LogFormat& format : logFormats())
        for (const std::string& extension : format.extensions)
            text += (text.empty() ? "" : ", ") + extension;
    return text;
}

}  // namespace

Expected<const LogFormat*> formatForName(const std::string& path)
{
    std::string lower(withoutCompression(path));
    std::transform(lower.begin(), lower.end(), lower.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    for (const LogFormat& format : logFormats())
        for (const std::string& extension : format.extensions)
            if (lower.ends_with(extension))
                return &format;
    return fail("no log format has this file name", path, "End it in one of: " + knownExtensions() + "; .gz or .zst behind it compresses");
}

namespace {

const LogFormat* formatOf(std::span<const std::uint8_t> head)
{
    for (const LogFormat& format : logFormats())
        if (format.recognise(head))
            return &format;
    return nullptr;
}

}  // namespace

bool isTextLog(ByteSource& source)
{
    const auto head = source.window(4096);
    return formatOf(head) == nullptr && looksLikeText({reinterpret_cast<const char*>(head.data()), head.size()});
}

Expected<void> knownLog(ByteSource& source)
{
    const auto head = source.window(64);
    if (head.empty())
        return fail(source.damage().empty() ? "the file is empty" : source.damage(), source.name(), "Choose a log with frames in it");
    if (formatOf(head) != nullptr || isTextLog(source))
        return {};
    if (!source.damage().empty())
        return fail(source.damage(), source.name(), "Fetch or record it again");
    return fail(
        "this is no log of a known format", source.name(), "Known are: " + knownExtensions() + ", and text with a frame on each line");
}

Expected<ReadReport> readLog(ByteSource& source, LogSink& sink, const ReadOptions& options)
{
    if (options.layout == nullptr || source.window(1).empty())
        if (const auto known = knownLog(source); !known)
            return tl::unexpected(known.error());
    const auto head = source.window(64);
    Expected<ReadReport> report;
    if (const LogFormat* format = formatOf(head)) {
        Workers workers(options.more || source.live() ? 1 : options.threads);   // what is followed is to be seen as it comes
        report = format->read(source, sink, workers, options);
        sink.onEnd();
    } else {
        const auto layout = layoutFor(source, options);
        if (!layout)
            return tl::unexpected(layout.error());
        report = readTextLog(source, sink, *layout);
    }
    if (report && !source.damage().empty())
        report->warnings.push_back({source.damage() + "; everything before was read", source.name(), 0, 0, {}});
    return report;
}

Expected<ReadReport> readLogFile(const std::string& path, LogSink& sink, const ReadOptions& options)
{
    auto source = ByteSource::open(path);
    if (!source)
        return tl::unexpected(source.error());
    if (options.more && isTextLog(*source))
        return fail("a log of text cannot be followed", path, "Open it as it is");
    if (options.more && source->live())
        return fail("a pipe is read as it comes and need not be followed", path, "Open it as it is");
    if (options.more)
        source->follow(options.more);
    return readLog(*source, sink, options);
}

}  // namespace wavetrope::formats
