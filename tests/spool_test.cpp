// SPDX-License-Identifier: GPL-3.0-or-later
// A run that is kept on the disk while it lasts: blocks, memory within its bound, crashes, disks that refuse.
#include <QTemporaryDir>
#include <QTest>

#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <random>
#include <thread>

#include "same_frame.h"
#include "sanitized.h"
#include "base/stamp.h"
#include "filter/filter_scan.h"
#include "formats/run_block.h"
#include "formats/trace_sink.h"
#include "rig/session.h"
#include "spool/spool.h"
#include "spool/unfinished.h"

using namespace wavetrope;
using namespace std::chrono_literals;
using trace::noRow;
using trace::Row;
using trace::segmentRows;

namespace {

constexpr std::uint64_t plenty = std::uint64_t{1} << 40;

/// Frames of every kind; identifiers that come and go.
class Traffic {
public:
    explicit Traffic(unsigned seed) : random_(seed) {}
    can::Frame next()
    {
        can::Frame frame;
        time_ += random_() % 2000 == 0 ? 3'000'000'000 : static_cast<std::int64_t>(random_() % 200'000) - 1000;
        frame.time = Time(time_);
        frame.bus = static_cast<std::uint8_t>(random_() % 3);
        const bool extended = random_() % 3 == 0;
        // Some identifiers are heard in a part of the run alone.
        const auto phase = static_cast<std::uint32_t>(count_++ / 100'000);
        frame.id = {(extended ? 0x18FF0000U : 0x100U) + static_cast<std::uint32_t>(random_() % 40)
                        + (random_() % 50 == 0 ? 0x40 * (phase % 4 + 1) : 0),
            extended};
        frame.direction = static_cast<can::Direction>(random_() % 3);
        const unsigned kind = static_cast<unsigned>(random_() % 100);
        if (kind < 4) {
            frame.kind = can::FrameKind::fd;
            frame.brs = random_() % 2 == 0;
            frame.esi = random_() % 9 == 0;
            frame.dlc = static_cast<std::uint8_t>(random_() % 16);
            frame.length = static_cast<std::uint8_t>(can::lengthOfDlc(frame.dlc));
        } else if (kind < 6) {
            frame.kind = can::FrameKind::remote;
            frame.dlc = static_cast<std::uint8_t>(random_() % 9);
        } else if (kind < 7) {
            frame.kind = can::FrameKind::error;
            frame.id = {1U << random_() % 8, false};
            frame.length = frame.dlc = 8;
        } else {
            frame.length = frame.dlc = static_cast<std::uint8_t>(random_() % 10 == 0 ? random_() % 9 : 8);
        }
        for (unsigned i = 0; i < frame.length; ++i)
            frame.data[i] = static_cast<std::uint8_t>(random_() % 4 == 0 ? random_() : i);
        return frame;
    }

private:
    std::mt19937 random_;
    std::int64_t time_ = 1'800'000'000'000'000'000;
    std::uint64_t count_ = 0;
};

spool::SpoolOptions optionsIn(const QString& folder, std::size_t memory = 8'000'000)
{
    spool::SpoolOptions options;
    options.folder = folder.toStdString();
    options.memory = memory;
    options.every = 10ms;
    options.leaveFree = 1'000'000;
    options.freeSpace = [](const std::string&) { return plenty; };
    return options;
}

formats::RunAbout aboutThree()
{
    return {{{"One", {500'000, 0}}, {"Two", {250'000, 0}}, {"Three", {500'000, 2'000'000}}}, "rig.json", "Three buses",
        Time(1'800'000'000'000'000'000), 1'800'000'000};
}

/// A trace that is kept and one that is not, with the same frames.
struct Pair {
    explicit Pair(const spool::SpoolOptions& options)
    {
        for (const trace::TraceBus& bus : aboutThree().buses) {
            kept.addBus(bus);
            plain.addBus(bus);
        }
        keeper = spool::Spool::start(options, kept, aboutThree());
    }
    void append(std::uint64_t count)
    {
        for (std::uint64_t i = 0; i < count; ++i) {
            const can::Frame frame = traffic.next();
            kept.append(frame.view());
            plain.append(frame.view());
            if (i % 10'000 == 0)
                keeper->makeRoom();
        }
        keeper->settle();
    }
    Traffic traffic{7};
    trace::Trace kept, plain;
    std::unique_ptr<spool::Spool> keeper;   // ends first
};

/// Appends what is read to a trace of its own.
Expected<formats::ReadReport> readInto(const std::string& path, trace::Trace& trace)
{
    formats::TraceSink sink(trace);
    return formats::readLogFile(path, sink);
}

QStringList runsIn(const QString& folder) { return QDir(folder).entryList({QStringLiteral("*.wtrun")}, QDir::Files); }

/// What a child shares with the test that ends it.
struct Progress {
    std::atomic<std::uint64_t> count;
    struct Entry {
        std::int64_t at;
        std::uint64_t rows, durable;
    } entries[20'000];
};

std::int64_t nowNs()
{
    return std::chrono::duration_cast<std::chrono::nanoseconds>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

}  // namespace

class SpoolTest : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void aBlockGivesBackEveryRowAndTheSegmentItself()
    {
        Traffic traffic(1);
        trace::Trace trace;
        for (int i = 0; i < 2 * static_cast<int>(segmentRows) + 5000; ++i)
            trace.append(traffic.next().view());
        const trace::Snapshot snapshot = trace.snapshot();
        const std::pair<std::uint32_t, std::uint32_t> stretches[] = {
            {0, segmentRows}, {0, 1}, {segmentRows - 1, segmentRows}, {777, 40'123}};
        for (const auto& [from, to] : stretches) {
            std::vector<std::uint8_t> bytes;
            const trace::SegmentPin pin = snapshot.segment(1);
            formats::writeRunBlock(trace, *pin, from, to, bytes);
            const auto head = formats::RunBlockHead::read(bytes);
            QVERIFY(head.has_value());
            QCOMPARE(head->firstRow, Row{segmentRows} + from);
            QCOMPARE(head->rows, to - from);
            QCOMPARE(bytes.size(), formats::RunBlockHead::size + head->stored);
            auto block = formats::RunBlock::read(*head, std::span(bytes).subspan(formats::RunBlockHead::size));
            QVERIFY2(block.has_value(), block ? "" : block.error().what.c_str());
            Row row = head->firstRow;
            bool good = true;
            block->each([&](std::uint32_t, const can::FrameView& frame) { good = same(frame, snapshot.frame(row++)) && good; });
            QVERIFY(good);
            QCOMPARE(row, Row{segmentRows} + to);
        }
        // The whole of it comes back as the same segment: groups in their order, chained as they were.
        std::vector<std::uint8_t> bytes;
        formats::writeRunBlock(trace, *snapshot.segment(1), 0, segmentRows, bytes);
        auto block = formats::RunBlock::read(*formats::RunBlockHead::read(bytes), std::span(bytes).subspan(formats::RunBlockHead::size));
        const auto again = block->segment(segmentRows, trace);
        QVERIFY(again != nullptr);
        const trace::SegmentPin before = snapshot.segment(1);
        QCOMPARE(again->groupCount(), before->groupCount());
        QCOMPARE(again->earliest(), before->earliest());
        QCOMPARE(again->latest(), before->latest());
        for (std::uint32_t g = 0; g < again->groupCount(); ++g) {
            QCOMPARE(again->group(g).next(), before->group(g).next());
            QCOMPARE(again->group(g).size(), before->group(g).size());
            QCOMPARE(again->group(g).identifier(), before->group(g).identifier());
        }
        // A trace that does not know the identifiers cannot take it.
        QVERIFY(block->segment(0, trace::Trace()) == nullptr);
    }

    void aDamagedBlockIsRefusedWhereverTheDamageIs()
    {
        Traffic traffic(2);
        trace::Trace trace;
        for (int i = 0; i < 2000; ++i)
            trace.append(traffic.next().view());
        std::vector<std::uint8_t> bytes;
        formats::writeRunBlock(trace, *trace.snapshot().segment(0), 0, 2000, bytes);
        std::mt19937 random(3);
        for (int i = 0; i < 2000; ++i) {
            std::vector<std::uint8_t> damaged = bytes;
            const std::size_t at = i < 40 ? static_cast<std::size_t>(i) : random() % damaged.size();
            damaged[at] = static_cast<std::uint8_t>(damaged[at] ^ (1U << random() % 8));
            const auto head = formats::RunBlockHead::read(damaged);
            QVERIFY(!head || !formats::RunBlock::read(*head, std::span(damaged).subspan(formats::RunBlockHead::size)));
        }
        for (const std::size_t size : {std::size_t{0}, std::size_t{39}, bytes.size() - 1}) {
            const auto head = formats::RunBlockHead::read(std::span(bytes).first(size));
            QVERIFY(size >= 40 ? !formats::RunBlock::read(*head, std::span(bytes).subspan(40, size - 40)) : !head);
        }
    }

    void aBlockWithAStampThatNoLogCarriesIsRefused()
    {
        const std::pair<Time, bool> stamps[] = {{latestStamp, true}, {Time::max(), false}, {earliestStamp, true}, {Time::min(), false}};
        for (const auto& [stamp, sound] : stamps) {
            trace::Trace trace;
            can::Frame frame = Traffic(4).next();
            frame.time = stamp;
            trace.append(frame.view());
            std::vector<std::uint8_t> bytes;
            formats::writeRunBlock(trace, *trace.snapshot().segment(0), 0, 1, bytes);
            const auto head = formats::RunBlockHead::read(bytes);
            QVERIFY(head.has_value());
            QCOMPARE(formats::RunBlock::read(*head, std::span(bytes).subspan(formats::RunBlockHead::size)).has_value(), sound);
        }
    }

    void whatLeftMemoryReadsAsIfItWereThere()
    {
        QTemporaryDir folder;
        Pair pair(optionsIn(folder.path()));
        pair.append(7 * segmentRows + 12'345);
        const trace::Snapshot kept = pair.kept.snapshot();
        const trace::Snapshot plain = pair.plain.snapshot();
        QCOMPARE(kept.rows(), plain.rows());
        QVERIFY2(pair.kept.residence()->bytes() <= 8'000'000, std::to_string(pair.kept.residence()->bytes()).c_str());
        QVERIFY(pair.kept.memory() < pair.plain.memory() / 2);
        QCOMPARE(pair.keeper->report().rows, kept.rows());
        QCOMPARE(pair.keeper->report().letGo, 0U);
        QCOMPARE(pair.keeper->report().words, std::string());
        QCOMPARE(kept.earliest(), plain.earliest());
        QCOMPARE(kept.latest(), plain.latest());
        std::mt19937_64 random(4);
        for (int i = 0; i < 3000; ++i) {
            const Row row = i < 300 ? Row{random() % kept.rows()}
                                    : Row{(static_cast<Row>(i / 400) * 131'071 + static_cast<Row>(i)) % kept.rows()};
            if (!same(kept.frame(row), plain.frame(row)))
                QFAIL(std::to_string(row).c_str());
            const trace::IdentifierIndex of = kept.identifier(row);
            QCOMPARE(of, plain.identifier(row));
            if (i % 60 == 0) {
                QCOMPARE(kept.previousOf(of, row), plain.previousOf(of, row));
                QCOMPARE(kept.nextOf(of, row + 1), plain.nextOf(of, row + 1));
                QCOMPARE(kept.countOf(of, row), plain.countOf(of, row));
                const std::uint64_t n = random() % plain.countOf(of);
                QCOMPARE(kept.nthOf(of, n), plain.nthOf(of, n));
            }
        }
        for (trace::IdentifierIndex of = 0; of < pair.kept.identifierCount(); of += 37) {
            std::vector<Row> wanted;
            plain.eachOf(of, 70'000, [&](Row row, const can::FrameView&) {
                wanted.push_back(row);
                return true;
            });
            std::size_t at = 0;
            bool good = true;
            kept.eachOf(of, 70'000, [&](Row row, const can::FrameView& frame) {
                good = at < wanted.size() && row == wanted[at++] && same(frame, plain.frame(row)) && good;
                return good;
            });
            QVERIFY(good);
            QCOMPARE(at, wanted.size());
        }
        QVERIFY(pair.kept.residence()->bytes() <= 8'000'000);
    }

    void payloadsOfManyRowsStayAtHand()
    {
        QTemporaryDir folder;
        Pair pair(optionsIn(folder.path(), 6'000'000));
        pair.append(6 * segmentRows);
        const trace::Snapshot kept = pair.kept.snapshot();
        std::vector<can::FrameView> frames;
        std::vector<Row> rows;
        for (unsigned i = 0; i < trace::Snapshot::framesAtHand; ++i) {
            rows.push_back((Row{i} * 100'003) % kept.rows());
            frames.push_back(kept.frame(rows.back()));
        }
        for (std::size_t i = 0; i < frames.size(); ++i)
            QVERIFY(same(frames[i], pair.plain.snapshot().frame(rows[i])));
    }

    void readersAndTheWriterGoOnWhileSegmentsComeAndGo()
    {
        QTemporaryDir folder;
        Pair pair(optionsIn(folder.path(), 8'000'000));
        pair.append(5 * segmentRows);
        std::atomic<bool> stop{false};
        std::atomic<std::uint64_t> wrong{0};
        std::vector<std::thread> readers;
        for (unsigned r = 0; r < 3; ++r)
            readers.emplace_back([&, r] {
                std::mt19937_64 random(r);
                const trace::Snapshot plain(pair.plain, 5 * segmentRows);
                while (!stop) {
                    const trace::Snapshot kept = pair.kept.snapshot();
                    const Row row = random() % plain.rows();
                    if (!same(kept.frame(row), plain.frame(row))
                        || kept.previousOf(kept.identifier(row), row) != plain.previousOf(plain.identifier(row), row))
                        ++wrong;
                }
            });
        Traffic more(9);
        for (int i = 0; i < 5 * static_cast<int>(segmentRows); ++i) {
            pair.kept.append(more.next().view());
            if (i % 10'000 == 0)
                pair.keeper->makeRoom();
        }
        stop = true;
        for (std::thread& reader : readers)
            reader.join();
        QCOMPARE(wrong.load(), 0U);
        QCOMPARE(pair.keeper->report().letGo, 0U);
    }

    void filtersFindTheSameRows()
    {
        QTemporaryDir folder;
        Pair pair(optionsIn(folder.path(), 16'000'000));
        const auto catalog = std::make_shared<const database::Catalog>();
        int left = test::some(8, 4);
        for (const char* text : {"id 0x105", "gap > 20 ms", "every 50 per id", "within 1 ms after (id 0x105)", "", "byte 0 = 3",
                 "id 0x100..0x110 and length 8", "every 100"}) {
            if (left-- == 0)
                break;
            const auto filter = filter::Filter::compile(text, catalog);
            QVERIFY2(filter.has_value(), text);
            filter::FilterScan inKept(*filter), inPlain(*filter);
            for (int round = 0; round < 2; ++round) {
                pair.append(segmentRows + 777);
                inKept.advance(pair.kept.snapshot());
                inPlain.advance(pair.plain.snapshot());
            }
            QCOMPARE(inKept.rows().size(), inPlain.rows().size());
            std::mt19937_64 random(5);
            for (int i = 0; i < 40 && inPlain.rows().size() > 0; ++i) {
                const std::uint64_t n = random() % inPlain.rows().size();
                QCOMPARE(inKept.rows().at(n), inPlain.rows().at(n));
                QCOMPARE(inKept.rows().rank(n * 3), inPlain.rows().rank(n * 3));
            }
        }
    }

    void theFileIsALogWhileItGrowsAndIsGoneInTheEnd()
    {
        QTemporaryDir folder;
        QString path;
        {
            Pair pair(optionsIn(folder.path()));
            for (int round = 0; round < 4; ++round) {
                pair.append(round == 2 ? segmentRows : 30'000);
                path = QString::fromStdString(pair.keeper->report().path);
                trace::Trace read;
                const auto report = readInto(path.toStdString(), read);
                QVERIFY2(report.has_value(), report ? "" : report.error().text().c_str());
                QVERIFY(report->warnings.empty());
                QCOMPARE(read.rows(), pair.plain.rows());
                QCOMPARE(read.buses().size(), std::size_t{3});
                QCOMPARE(read.buses()[2].rate.data, 2'000'000U);
                for (Row row = 0; row < read.rows(); row += 101)
                    QVERIFY(same(read.snapshot().frame(row), pair.plain.snapshot().frame(row)));
                const auto extent = formats::runExtent(path.toStdString());
                QVERIFY(extent.has_value());
                QCOMPARE(extent->rows, pair.plain.rows());
                QCOMPARE(extent->about.title, std::string("Three buses"));
            }
            // It runs: nobody is offered it, and nobody can take it away.
            QVERIFY(spool::unfinishedRuns(folder.path().toStdString()).empty());
            QVERIFY(!spool::discardRun(path.toStdString()));
        }
        QVERIFY(!QFile::exists(path));
        QVERIFY(runsIn(folder.path()).isEmpty());
    }

    void aCrashLosesTheLastSecondAtMost()
    {
        // The whole run as it would have been.
        const auto rig = rig::loadRig(WAVETROPE_DEMO "/rig.json");
        QVERIFY(rig.has_value());
        const auto databases = rig::loadDatabases(*rig);
        rig::SessionOptions options;
        options.measured = false;
        auto whole = rig::Session::create(*rig, databases, options);
        QVERIFY(whole.has_value());

        bool withinASecond = false;
        for (int attempt = 0; attempt < 3 && !withinASecond; ++attempt) {  // a disk may stand still for once
            QTemporaryDir folder;
            auto* progress = static_cast<Progress*>(
                ::mmap(nullptr, sizeof(Progress), PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0));
            QVERIFY(progress != MAP_FAILED);
            const pid_t child = ::fork();
            QVERIFY(child >= 0);
            if (child == 0) {
                rig::SessionOptions kept = options;
                kept.spool = optionsIn(folder.path());
                kept.spool->every = spool::SpoolOptions().every;
                auto session = rig::Session::create(*rig, databases, kept);
                if (!session)
                    ::_exit(1);
                const std::int64_t started = nowNs();
                // A bus at its usual pace, and then as fast as the machine can, through many segments.
                clock::SteadyClock wall;
                const auto note = [&] {
                    const std::uint64_t n = progress->count.load();
                    if (n < std::size(progress->entries)) {
                        progress->entries[n] = {nowNs(), (*session)->trace().rows(), (*session)->keeping().rows};
                        progress->count.store(n + 1);
                    }
                    return true;
                };
                (*session)->runFor(1500ms, &wall, note);
                while (nowNs() - started < 60'000'000'000)
                    (*session)->runFor(100ms, nullptr, note);
                ::_exit(0);
            }
            // Through the bus at its usual pace and some segments of the rest, or as many as there is room to note.
            const auto lately = [&] {
                const std::uint64_t n = progress->count;
                return n == 0 ? std::uint64_t{0} : progress->entries[n - 1].durable;
            };
            QTRY_VERIFY_WITH_TIMEOUT(
                lately() > static_cast<unsigned>(test::some(2, 1)) * segmentRows + 1000 || progress->count == std::size(progress->entries),
                50'000);
            const std::int64_t killedAt = nowNs();
            QCOMPARE(::kill(child, SIGKILL), 0);
            int status = 0;
            QCOMPARE(::waitpid(child, &status, 0), child);
            QVERIFY(WIFSIGNALED(status) && WTERMSIG(status) == SIGKILL);

            const auto runs = spool::unfinishedRuns(folder.path().toStdString());
            QCOMPARE(runs.size(), std::size_t{1});
            QCOMPARE(runs[0].problem, std::string());
            QCOMPARE(runs[0].about.title, rig->name);
            QVERIFY(runs[0].about.rig.ends_with("/rig.json"));
            std::uint64_t aSecondBefore = 0, durable = 0;
            for (std::uint64_t n = 0; n < progress->count; ++n) {
                if (progress->entries[n].at <= killedAt - 1'000'000'000)
                    aSecondBefore = progress->entries[n].rows;
                durable = progress->entries[n].durable;
            }
            QVERIFY(durable > 4000);
            QVERIFY2(runs[0].rows >= durable, "what was said to be on the disk is there");
            withinASecond = aSecondBefore > 0 && runs[0].rows >= aSecondBefore;

            // What is there is, frame by frame, what the run had.
            trace::Trace recovered;
            const auto report = readInto(runs[0].path, recovered);
            QVERIFY(report.has_value() && report->warnings.empty());
            QCOMPARE(recovered.rows(), runs[0].rows);
            while ((*whole)->trace().rows() < recovered.rows())
                (*whole)->runFor(1s, nullptr);
            const trace::Snapshot wanted = (*whole)->trace().snapshot();
            for (Row row = 0; row < recovered.rows(); ++row)
                if (!same(recovered.snapshot().frame(row), wanted.frame(row)))
                    QFAIL(std::to_string(row).c_str());

            // Saved as a log without being held in memory, then discarded.
            const std::string saved = folder.filePath(QStringLiteral("saved.pcapng")).toStdString();
            const auto saving = spool::saveRun(runs[0], saved);
            QVERIFY(saving.has_value());
            QCOMPARE(saving->frames, recovered.rows());
            trace::Trace again;
            QVERIFY(readInto(saved, again).has_value());
            QCOMPARE(again.rows(), recovered.rows());
            QCOMPARE(again.buses().size(), rig->buses.size());
            QVERIFY(same(again.snapshot().frame(again.rows() - 1), recovered.snapshot().frame(recovered.rows() - 1)));
            const auto cancelled = spool::saveRun(
                runs[0], folder.filePath(QStringLiteral("no.pcapng")).toStdString(), [](std::uint64_t, std::uint64_t) { return false; });
            QVERIFY(!cancelled.has_value());
            QVERIFY(!QFile::exists(folder.filePath(QStringLiteral("no.pcapng")))
                    && !QFile::exists(folder.filePath(QStringLiteral("no.pcapng.part"))));
            QVERIFY(spool::discardRun(runs[0].path).has_value());
            QVERIFY(spool::unfinishedRuns(folder.path().toStdString()).empty());
            QVERIFY(runsIn(folder.path()).isEmpty());
            ::munmap(progress, sizeof(Progress));
        }
        QVERIFY(withinASecond);
    }

    void aRunThatIsCutOffAnywhereReadsToThere()
    {
        QTemporaryDir folder;
        const QString copy = folder.filePath(QStringLiteral("copy.wtrun"));
        Traffic traffic(12);
        trace::Trace trace;
        for (int i = 0; i < 3000; ++i)
            trace.append(traffic.next().view());
        std::vector<std::uint8_t> bytes = formats::runHead(aboutThree());
        const std::size_t head = bytes.size();
        std::vector<std::size_t> ends;
        for (std::uint32_t row = 0; row < 3000; row += 500) {
            formats::writeRunBlock(trace, *trace.snapshot().segment(0), row, row + 500, bytes);
            ends.push_back(bytes.size());
        }
        const auto write = [&](const QString& name, std::span<const std::uint8_t> part) {
            std::ofstream(name.toStdString(), std::ios::binary)
                .write(reinterpret_cast<const char*>(part.data()), static_cast<std::streamsize>(part.size()));
        };
        for (std::size_t size = 0; size < bytes.size(); size += 1 + size / 50) {
            write(copy, std::span(bytes).first(size));
            trace::Trace read;
            const auto report = readInto(copy.toStdString(), read);
            QCOMPARE(report.has_value(), size >= head);
            if (!report)
                continue;
            const auto whole = static_cast<std::uint64_t>(
                std::count_if(ends.begin(), ends.end(), [&](std::size_t end) { return end <= size; }));
            QCOMPARE(read.rows(), whole * 500);
            QCOMPARE(report->warnings.empty(), size == head || std::find(ends.begin(), ends.end(), size) != ends.end());
        }
        // A tail that says again what stands in the file adds what is new; one of another run is left alone.
        write(copy, std::span(bytes).first(ends[3]));
        std::vector<std::uint8_t> tail = formats::runHead(aboutThree());
        formats::writeRunBlock(trace, *trace.snapshot().segment(0), 1700, 2300, tail);
        write(copy + QStringLiteral(".tail"), tail);
        trace::Trace read;
        QVERIFY(readInto(copy.toStdString(), read).has_value());
        QCOMPARE(read.rows(), Row{2300});
        for (Row row = 0; row < read.rows(); ++row)
            QVERIFY(same(read.snapshot().frame(row), trace.snapshot().frame(row)));
        formats::RunAbout other = aboutThree();
        other.startedAt += 1;
        std::vector<std::uint8_t> foreign = formats::runHead(other);
        foreign.insert(foreign.end(), tail.begin() + static_cast<std::ptrdiff_t>(head), tail.end());
        write(copy + QStringLiteral(".tail"), foreign);
        trace::Trace without;
        QVERIFY(readInto(copy.toStdString(), without).has_value());
        QCOMPARE(without.rows(), Row{2000});
        // A block that is damaged inside is left out and told; what follows it is read.
        QFile::remove(copy + QStringLiteral(".tail"));
        std::vector<std::uint8_t> damaged = bytes;
        damaged[ends[1] + 60] ^= 1;
        write(copy, damaged);
        trace::Trace rest;
        const auto report = readInto(copy.toStdString(), rest);
        QVERIFY(report.has_value());
        QCOMPARE(rest.rows(), Row{2500});
        QCOMPARE(report->warnings.size(), std::size_t{1});
        QVERIFY2(report->warnings[0].what.find("from row 1000 on, 500 of them") != std::string::npos, report->warnings[0].what.c_str());
    }

    // A run that is not kept on the disk goes on with its newest frames, and says so.
    void aRunInMemoryAloneIsBounded()
    {
        spool::SpoolOptions options = optionsIn({}, 6'000'000);
        Pair pair(options);
        pair.append(2 * segmentRows);
        QCOMPARE(pair.keeper->report().letGo, 0U);
        QVERIFY(pair.keeper->report().words.empty());
        pair.append(8 * segmentRows + 500);
        const spool::SpoolReport report = pair.keeper->report();
        QVERIFY(report.letGo > 0 && report.path.empty());
        QVERIFY2(report.words.find("kept in memory alone") != std::string::npos && report.words.find("6 MB") != std::string::npos,
            report.words.c_str());
        QVERIFY(pair.kept.residence()->bytes() <= 2 * options.memory);
        QVERIFY(pair.kept.isGone(0));
        const auto kept = pair.kept.snapshot();
        const auto plain = pair.plain.snapshot();
        for (Row row = kept.rows() - 500; row < kept.rows(); ++row)
            QVERIFY(same(kept.frame(row), plain.frame(row)));
        const auto toStay = pair.keeper->keep();
        QVERIFY(!toStay.has_value());
        QVERIFY(toStay.error().what.find("memory alone") != std::string::npos);
    }

    void runsShareTheMemory()
    {
        QTemporaryDir folder;
        const spool::SpoolOptions options = optionsIn(folder.path(), 128'000'000);
        Pair first(options);
        QCOMPARE(first.keeper->report().memory, std::size_t{128'000'000});
        {
            Pair second(options);
            QTRY_COMPARE(first.keeper->report().memory, std::size_t{64'000'000});
            QTRY_COMPARE(second.keeper->report().memory, std::size_t{64'000'000});
        }
        QTRY_COMPARE(first.keeper->report().memory, std::size_t{128'000'000});
    }

    void whatAllSegmentsHoldIsCounted()
    {
        const std::size_t before = trace::memoryOfSegments();
        {
            trace::Trace trace;
            Traffic traffic{3};
            for (int i = 0; i < 100'000; ++i)
                trace.append(traffic.next().view());
            const std::size_t held = trace::memoryOfSegments() - before;
            QVERIFY2(held > 1'000'000 && held <= trace.memory(), std::to_string(held).c_str());
            // A log is read as long as all of them together are within the bound.
            trace::Trace small;
            formats::TraceSink sink(small, 1000);
            std::vector<can::Frame> frames;
            std::vector<can::FrameView> views;
            for (std::uint32_t i = 0; i < 2 * segmentRows; ++i)
                frames.push_back(traffic.next());
            for (const can::Frame& frame : frames)
                views.push_back(frame.view());
            sink.onFrames(std::span<const can::FrameView>(views).first(segmentRows));
            sink.onFrames(std::span<const can::FrameView>(views).subspan(segmentRows));
            QVERIFY(sink.full());
        }
        QCOMPARE(trace::memoryOfSegments(), before);
    }

    void aTailThatCannotTakeItsPlaceIsSaid()
    {
        QTemporaryDir folder;
        Pair pair(optionsIn(folder.path()));
        pair.keeper->settle();
        const QString tail = QString::fromStdString(formats::tailOf(pair.keeper->report().path));
        QVERIFY(QDir().mkpath(tail + "/in the way"));
        pair.append(1000);
        const spool::SpoolReport report = pair.keeper->report();
        QCOMPARE(report.disk, spool::SpoolReport::Disk::refused);
        QVERIFY2(report.words.find("cannot be made safe") != std::string::npos, report.words.c_str());
        QVERIFY(!pair.keeper->keep().has_value());
        // Out of the way, it goes on.
        QVERIFY(QDir(tail).removeRecursively());
        QTRY_COMPARE_WITH_TIMEOUT(pair.keeper->report().disk, spool::SpoolReport::Disk::fine, 30'000);
        QTRY_COMPARE(pair.keeper->report().rows, pair.kept.rows());
    }

    void aFullDiskIsAnnouncedInTimeAndMemoryLetsItsOldestGo()
    {
        QTemporaryDir folder;
        std::atomic<std::uint64_t> free{plenty};
        spool::SpoolOptions options = optionsIn(folder.path(), 8'000'000);
        options.freeSpace = [&](const std::string&) { return free.load(); };
        Pair pair(options);
        pair.append(3 * segmentRows);
        QCOMPARE(pair.keeper->report().disk, spool::SpoolReport::Disk::fine);
        free = 1'400'000;
        pair.append(100);
        QCOMPARE(pair.keeper->report().disk, spool::SpoolReport::Disk::nearlyFull);
        QVERIFY(pair.keeper->report().words.find("nearly full") != std::string::npos);
        QCOMPARE(pair.keeper->report().rows, pair.kept.rows());  // and it goes on being kept
        free = 999'999;
        pair.append(2 * segmentRows);
        QCOMPARE(pair.keeper->report().disk, spool::SpoolReport::Disk::refused);
        QVERIFY2(pair.keeper->report().words.find("are not touched") != std::string::npos, pair.keeper->report().words.c_str());
        for (int i = 0; i < 4; ++i)
            pair.append(2 * segmentRows);
        const spool::SpoolReport full = pair.keeper->report();
        QVERIFY(full.letGo > 0 && full.letGo % segmentRows == 0);
        QVERIFY2(full.words.find(std::to_string(full.letGo) + " frames were let go") != std::string::npos, full.words.c_str());
        QVERIFY(pair.kept.residence()->bytes() <= 8'000'000);
        // What went is counted and known; what is on the disk or in memory is all there.
        const trace::Snapshot kept = pair.kept.snapshot();
        const trace::Snapshot plain = pair.plain.snapshot();
        std::uint64_t gone = 0;
        for (Row row = 0; row < kept.rows(); row += 97) {
            if (pair.kept.isGone(row)) {
                if (++gone % 100 == 1)
                    QVERIFY(kept.previousOf(kept.identifier(row), row) == noRow || kept.previousOf(kept.identifier(row), row) < row);
            } else if (!same(kept.frame(row), plain.frame(row))) {
                QFAIL(std::to_string(row).c_str());
            }
        }
        QVERIFY(gone > 0 && gone <= full.letGo / 97 + 2);
        QVERIFY(!pair.kept.isGone(0) && !pair.kept.isGone(kept.rows() - 1));
        filter::FilterScan scan(*filter::Filter::compile("id 0x105", std::make_shared<const database::Catalog>()));
        scan.advance(kept);
        scan.rows().each(0, [&](Row row) {
            if (pair.kept.isGone(row) || plain.frame(row).id.value != 0x105)
                QTest::qFail("a row that was let go, or another identifier", __FILE__, __LINE__);
            return true;
        });
        // Room again: it goes on, and the file tells what is missing.
        free = plenty;
        QTRY_COMPARE_WITH_TIMEOUT(pair.keeper->report().disk, spool::SpoolReport::Disk::fine, 30'000);
        pair.append(1000);
        QCOMPARE(pair.keeper->report().disk, spool::SpoolReport::Disk::fine);
        QCOMPARE(pair.keeper->report().rows, pair.kept.rows());
        QVERIFY(pair.keeper->report().words.find("were let go while") != std::string::npos);
        trace::Trace read;
        const auto report = readInto(pair.keeper->report().path, read);
        QVERIFY(report.has_value());
        QCOMPARE(read.rows(), pair.kept.rows() - full.letGo);
        QCOMPARE(report->warnings.size(), std::size_t{1});
        QVERIFY(report->warnings[0].what.find(std::to_string(full.letGo) + " frames are missing") != std::string::npos);
    }

    void aFolderThatCannotBeMadeLeavesMemory()
    {
        QTemporaryDir folder;
        const QString file = folder.filePath(QStringLiteral("file"));
        QVERIFY(QFile(file).open(QIODevice::WriteOnly));
        Pair pair(optionsIn(file + QStringLiteral("/runs"), 8'000'000));
        pair.append(1000);
        QCOMPARE(pair.keeper->report().disk, spool::SpoolReport::Disk::refused);
        QVERIFY2(pair.keeper->report().words.find("cannot be made") != std::string::npos, pair.keeper->report().words.c_str());
        QVERIFY(pair.keeper->report().path.empty());
        QCOMPARE(pair.keeper->report().letGo, 0U);
        QVERIFY(same(pair.kept.snapshot().frame(999), pair.plain.snapshot().frame(999)));
        for (int i = 0; i < 6; ++i)
            pair.append(segmentRows);
        QVERIFY(pair.keeper->report().letGo > 0);
        QVERIFY(same(pair.kept.snapshot().frame(pair.kept.rows() - 1), pair.plain.snapshot().frame(pair.plain.rows() - 1)));
        // Where the folder can be made after all, the rest is kept.
        QFile::remove(file);
        QTRY_VERIFY(!pair.keeper->report().path.empty());
        pair.append(10);
        QCOMPARE(pair.keeper->report().rows, pair.kept.rows());
    }

    void aWriteThatFailsLeavesNoHalfBlock()
    {
        QTemporaryDir folder;
        Pair pair(optionsIn(folder.path(), 100'000'000));
        pair.append(2 * segmentRows + 10);
        const auto path = pair.keeper->report().path;
        const auto before = std::filesystem::file_size(path);
        // The system refuses to let files grow further.
        std::signal(SIGXFSZ, SIG_IGN);
        rlimit limit{};
        ::getrlimit(RLIMIT_FSIZE, &limit);
        const rlimit none = limit;
        limit.rlim_cur = before + 1000;
        QCOMPARE(::setrlimit(RLIMIT_FSIZE, &limit), 0);
        pair.append(2 * segmentRows);
        const spool::SpoolReport refused = pair.keeper->report();
        const auto after = std::filesystem::file_size(path);
        QCOMPARE(::setrlimit(RLIMIT_FSIZE, &none), 0);
        QCOMPARE(refused.disk, spool::SpoolReport::Disk::refused);
        QVERIFY2(refused.words.find("failed") != std::string::npos, refused.words.c_str());
        QCOMPARE(after, before);
        QTRY_COMPARE(pair.keeper->report().rows, pair.kept.rows());
        trace::Trace read;
        const auto report = readInto(path, read);
        QVERIFY(report.has_value());
        QVERIFY2(report->warnings.empty(), report->warnings.empty() ? "" : report->warnings[0].text().c_str());
        QCOMPARE(read.rows(), pair.plain.rows());
    }

    void aFileThatIsDamagedUnderARunIsTold()
    {
        QTemporaryDir folder;
        Pair pair(optionsIn(folder.path(), 8'000'000));
        pair.append(8 * segmentRows);
        {
            std::fstream file(pair.keeper->report().path, std::ios::in | std::ios::out | std::ios::binary);
            file.seekp(5000);
            file.write("everything is different now", 27);
        }
        const trace::Snapshot kept = pair.kept.snapshot();
        QCOMPARE(kept.frame(100).length, std::uint8_t{0});
        QVERIFY(kept.segment(0)->lost());
        QTRY_VERIFY(pair.keeper->report().words.find("Frames from row 1 on cannot be read") != std::string::npos);
        QVERIFY(same(kept.frame(3 * segmentRows), pair.plain.snapshot().frame(3 * segmentRows)));
    }

    void runsThatCannotBeReadAreListedWithTheReason()
    {
        QTemporaryDir folder;
        const std::string bad = folder.filePath(QStringLiteral("bad.wtrun")).toStdString();
        std::ofstream(bad) << "WAVERUN1 but no more";
        std::ofstream(folder.filePath(QStringLiteral("other.txt")).toStdString()) << "not a run";
        const std::string empty = folder.filePath(QStringLiteral("empty.wtrun")).toStdString();
        const auto head = formats::runHead(aboutThree());
        std::ofstream(empty, std::ios::binary).write(reinterpret_cast<const char*>(head.data()), static_cast<std::streamsize>(head.size()));
        const auto runs = spool::unfinishedRuns(folder.path().toStdString());
        QCOMPARE(runs.size(), std::size_t{1});
        QCOMPARE(runs[0].path, bad);
        QVERIFY(!runs[0].problem.empty());
        QVERIFY(!QFile::exists(QString::fromStdString(empty)));  // it never had a frame
        QVERIFY(!spool::discardRun(folder.filePath(QStringLiteral("other.txt")).toStdString()));
        QVERIFY(!spool::discardRun(folder.filePath(QStringLiteral("none.wtrun")).toStdString()));
        QVERIFY(spool::discardRun(bad).has_value());
        QVERIFY(spool::unfinishedRuns("/nowhere/at/all").empty());
        QVERIFY(QFile::exists(folder.filePath(QStringLiteral("other.txt"))));
    }
};

QTEST_GUILESS_MAIN(SpoolTest)
#include "spool_test.moc"
