// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/run_log.h"

#include <zlib.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <fstream>
#include <nlohmann/json.hpp>

#include "formats/frame_batch.h"
#include "formats/run_block.h"

namespace wavetrope::formats {

namespace {

constexpr char mark[] = "WAVERUN1";
constexpr std::size_t markBytes = 8, headBytes = 16;
constexpr std::uint32_t mostAbout = 1U << 20;
constexpr std::size_t mostBusesOfRun = 256;
constexpr std::size_t mostWarnings = 100;

bool recogniseRun(std::span<const std::uint8_t> head) { return head.size() >= markBytes && std::memcmp(head.data(), mark, markBytes) == 0; }

std::uint32_t load32(const std::uint8_t* at)
{
    std::uint32_t value;
    std::memcpy(&value, at, sizeof value);
    return value;
}

// Reads the blocks of a file in turn. `visit(head, stored)` gets those that are whole; it gives false to end. What is
// wrong behind them comes back in words.
template <class Visit>
std::string eachBlock(ByteSource& source, Visit visit)
{
    for (;;) {
        const auto bytes = source.window(RunBlockHead::size);
        if (bytes.empty())
            return {};
        const auto head = RunBlockHead::read(bytes);
        if (!head)
            return "it is cut off or damaged at byte " + std::to_string(source.position());
        const auto whole = source.window(RunBlockHead::size + head->stored);
        if (whole.size() < RunBlockHead::size + head->stored)
            return "it is cut off at byte " + std::to_string(source.position());
        if (!visit(*head, whole.subspan(RunBlockHead::size, head->stored)))
            return {};
        source.skip(RunBlockHead::size + head->stored);
    }
}

struct Reading {
    LogSink& sink;
    ReadReport report;
    std::vector<std::uint8_t> buses;
    std::uint64_t next = 0;         // row that comes next
    std::uint64_t missing = 0;

    void warn(std::string what, const std::string& where)
    {
        if (report.warnings.size() < mostWarnings)
            report.warnings.push_back({std::move(what), where, 0, 0, {}});
    }

    // A cut-off tail is what a crash leaves behind; of the file before it, that is damage.
    void file(ByteSource& source, bool isTail)
    {
        const std::string problem = eachBlock(source, [&](const RunBlockHead& head, std::span<const std::uint8_t> stored) {
            auto block = RunBlock::read(head, stored);
            if (block && std::any_of(block->groups().begin(), block->groups().end(), [&](const RunBlock::Group& g) {
                    return g.key.bus >= buses.size();
                }))
                block = fail("it names a bus that the run has not");
            if (!block) {
                warn("the frames from row " + std::to_string(head.firstRow) + " on, " + std::to_string(head.rows)
                         + " of them, are left out: " + block.error().what,
                    source.name());
                next = std::max(next, head.firstRow + head.rows);
                return true;
            }
            if (head.firstRow > next)
                missing += head.firstRow - next;
            std::uint64_t row = head.firstRow;
            FrameBatch batch(sink);
            block->each([&](std::uint32_t, const can::FrameView& frame) {
                if (row++ < next)
                    return;  // stands in the file before as well
                can::FrameView& to = batch.next();
                to = frame;
                to.bus = buses[frame.bus];
                batch.commit();
            });
            batch.flush();
            report.frames += batch.total();
            next = std::max(next, row);
            if (!sink.onProgress(source.done(), source.total()))
                report.cancelled = true;
            return !report.cancelled;
        });
        if (!problem.empty() && !isTail)
            warn(problem + "; everything before was read", source.name());
    }
};

Expected<ReadReport> readRun(ByteSource& source, LogSink& sink, Workers&, const ReadOptions&)
{
    const auto about = readRunHead(source);
    if (!about)
        return tl::unexpected(about.error());
    Reading reading{sink, {}, {}, 0, 0};
    for (const trace::TraceBus& bus : about->first.buses)
        reading.buses.push_back(sink.onBus(bus));
    reading.file(source, false);
    if (auto tail = ByteSource::open(tailOf(source.name())); tail && !reading.report.cancelled)
        if (const auto again = readRunHead(*tail);
            again && again->first.startedAt == about->first.startedAt && again->first.buses.size() == about->first.buses.size())
            reading.file(*tail, true);
    if (reading.missing > 0)
        reading.warn(std::to_string(reading.missing) + " frames are missing: they were let go, as the disk was full", source.name());
    return reading.report;
}

}  // namespace

std::string tailOf(const std::string& runPath) { return runPath + ".tail"; }

std::vector<std::uint8_t> runHead(const RunAbout& about)
{
    nlohmann::json buses = nlohmann::json::array();
    for (const trace::TraceBus& bus : about.buses)
        buses.push_back({{"name", bus.name}, {"nominal", bus.rate.nominal}, {"data", bus.rate.data}});
    const std::string text = nlohmann::json{{"buses", buses}, {"rig", about.rig}, {"title", about.title}, {"begins", about.begins.count()},
        {"startedAt",
            about.startedAt}}.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
    std::vector<std::uint8_t> head(headBytes + text.size());
    std::memcpy(head.data(), mark, markBytes);
    const auto size = static_cast<std::uint32_t>(text.size());
    const auto check = static_cast<std::uint32_t>(::crc32(0, reinterpret_cast<const Bytef*>(text.data()), size));
    std::memcpy(head.data() + markBytes, &size, 4);
    std::memcpy(head.data() + markBytes + 4, &check, 4);
    std::memcpy(head.data() + headBytes, text.data(), text.size());
    return head;
}

Expected<std::pair<RunAbout, std::size_t>> readRunHead(ByteSource& source)
{
    const auto broken = [&](const char* what) { return fail(what, source.name(), "Nothing of this run can be read; discard it"); };
    const auto head = source.window(headBytes);
    if (head.size() < headBytes || !recogniseRun(head))
        return broken("this is no run, or its head is cut off");
    const std::uint32_t size = load32(head.data() + markBytes);
    const std::uint32_t check = load32(head.data() + markBytes + 4);
    if (size > mostAbout)
        return broken("the head of the run is damaged");
    const auto whole = source.window(headBytes + size);
    if (whole.size() < headBytes + size || ::crc32(0, whole.data() + headBytes, size) != check)
        return broken("the head of the run is damaged");
    RunAbout about;
    const auto json = nlohmann::json::parse(whole.data() + headBytes, whole.data() + headBytes + size, nullptr, false);
    try {
        for (const auto& bus : json.at("buses"))
            about.buses.push_back(
                {bus.at("name").get<std::string>(), {bus.at("nominal").get<std::uint32_t>(), bus.at("data").get<std::uint32_t>()}});
        about.rig = json.at("rig").get<std::string>();
        about.title = json.at("title").get<std::string>();
        about.begins = Time(json.at("begins").get<std::int64_t>());
        about.startedAt = json.at("startedAt").get<std::int64_t>();
    } catch (const nlohmann::json::exception&) {
        return broken("the head of the run is damaged");
    }
    if (about.buses.size() > mostBusesOfRun)
        return broken("the run names more buses than there can be");
    source.skip(headBytes + size);
    return std::pair(std::move(about), headBytes + size);
}

Expected<RunExtent> runExtent(const std::string& path)
{
    RunExtent extent;
    std::uint64_t next = 0;
    // From head to head: what lies between them is not read.
    const auto count = [&](const std::string& name) -> Expected<RunAbout> {
        auto source = ByteSource::open(name);
        if (!source)
            return tl::unexpected(source.error());
        auto head = readRunHead(*source);
        if (!head)
            return tl::unexpected(head.error());
        extent.bytes += source->size();
        std::ifstream file;
        file.rdbuf()->pubsetbuf(nullptr, 0);
        file.open(name, std::ios::binary);
        for (std::uint64_t at = head->second; file.seekg(static_cast<std::streamoff>(at));) {
            std::array<std::uint8_t, RunBlockHead::size> bytes;
            if (!file.read(reinterpret_cast<char*>(bytes.data()), bytes.size()))
                break;
            const auto block = RunBlockHead::read(bytes);
            if (!block || block->stored > source->size() - at - bytes.size())
                break;
            const std::uint64_t end = block->firstRow + block->rows;
            if (end > next)
                extent.rows += end - std::max(next, block->firstRow);
            next = std::max(next, end);
            at += bytes.size() + block->stored;
        }
        return std::move(head->first);
    };
    auto about = count(path);
    if (!about)
        return tl::unexpected(about.error());
    extent.about = std::move(*about);
    (void)count(tailOf(path));
    return extent;
}

LogFormat runLogFormat() { return {"run", {}, recogniseRun, readRun, nullptr}; }

}  // namespace wavetrope::formats
