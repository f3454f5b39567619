// SPDX-License-Identifier: GPL-3.0-or-later
// What is looked at: a live run or an opened log.
#pragma once

#include <atomic>
#include <condition_variable>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

#include "formats/merged_logs.h"
#include "measure/measures.h"
#include "rig/session.h"
#include "trace/time_index.h"

namespace wavetrope::rig {

/// One trace with everything known about it. A live document holds the session that drives it; a log is read in the
/// background, and complete when `ready` says so.
class RunDocument {
public:
    /// A live run of a rig, paced by the wall clock times a factor; kept on the disk as `spool` says, or in memory alone.
    /// With `takes` the rig's recordings are armed.
    [[nodiscard]] static Expected<std::unique_ptr<RunDocument>> live(
        const Rig& rig, double factor = 1.0, std::optional<spool::SpoolOptions> spool = {}, std::optional<TakesOptions> takes = {});
    /// A log, explained by the databases of a rig where bus names agree. Reading goes on in the background.
    /// A log of text is read by `layout`.
    /// `follow` goes on where it ends as long as another program writes it.
    [[nodiscard]] static std::unique_ptr<RunDocument> log(
        const std::string& path, const Rig& rig, std::optional<formats::TextLayout> layout = {}, bool follow = false);
    /// Several logs as one, in the order of time.
    [[nodiscard]] static std::unique_ptr<RunDocument> logs(std::vector<formats::LogPart> parts, const Rig& rig, bool follow = false);
    ~RunDocument();
    RunDocument(const RunDocument&) = delete;
    RunDocument& operator=(const RunDocument&) = delete;

    [[nodiscard]] bool isLive() const { return session_ != nullptr; }
    [[nodiscard]] Session* session() { return session_.get(); }
    [[nodiscard]] Rig& rig() { return rig_; }
    [[nodiscard]] const LoadedDatabases& databases() const { return databases_; }
    /// Gives a node another dictionary, in the rig as well; an empty file takes it away. What refers to the old one stays valid as long as that is held. An
    /// error leaves all as it was: a file that cannot be read, a bus that the rig has not, a log that is still being read. Nodes that run keep theirs.
    [[nodiscard]] Expected<void> setDictionary(const std::string& bus, std::uint8_t node, const std::string& file);
    [[nodiscard]] const std::string& title() const { return title_; }
    void setTitle(const std::string& title) { title_ = title; }
    [[nodiscard]] const std::string& path() const { return path_; }

    /// A live run is ready at once; a log when it has been read and measured to its end.
    [[nodiscard]] bool ready() const { return ready_; }
    /// Whether there is something to look at: a log's first rows are, long before it is ready.
    [[nodiscard]] bool begun() const { return session_ != nullptr || adopted_; }
    /// Takes over what the reading of a log has prepared: its buses, their catalog and measures. True when these are new.
    /// For the interface thread.
    bool adopt();
    [[nodiscard]] int percentRead() const { return percent_; }
    void cancelReading() { cancelled_ = true; }
    /// Whether a log is read on as it grows.
    [[nodiscard]] bool follows() const { return following_; }
    /// What went wrong while reading, or empty. To be asked once ready.
    [[nodiscard]] std::string problem() const
    {
        const std::scoped_lock lock(preparedMutex_);
        return problem_;
    }
    /// Lines of a text log that are no frames, the first thousand. To be asked once ready.
    [[nodiscard]] const std::vector<Error>& badLines() const { return badLines_; }

    [[nodiscard]] const trace::Trace& trace() const { return *trace_; }
    [[nodiscard]] const std::shared_ptr<const database::Catalog>& catalog() const { return catalog_; }
    /// Puts another catalog in force; what refers to the old one stays valid. Nodes that run keep theirs. Returns one
    /// that nothing refers to any more, for letting it go where that holds nobody up.
    std::shared_ptr<const database::Catalog> setCatalog(std::shared_ptr<const database::Catalog> catalog);
    [[nodiscard]] const measure::Measures& measures() const { return *measures_; }
    [[nodiscard]] const std::vector<trace::TraceBus>& buses() const { return buses_; }
    /// Empty of one that a log which is being read brought behind those that are known.
    [[nodiscard]] std::string busName(unsigned bus) const { return bus < buses_.size() ? buses_[bus].name : std::string(); }
    /// Times on screen count from here.
    [[nodiscard]] Time begins() const { return begins_; }
    /// Newest moment: now for a live run, the last frame of a log.
    [[nodiscard]] Time end() const;

private:
    RunDocument() = default;
    /// What the views look at besides the rows; prepared while reading.
    struct Prepared {
        std::vector<trace::TraceBus> buses;
        std::shared_ptr<const database::Catalog> catalog;
        std::shared_ptr<measure::Measures> measures;
        Time begins{};
    };
    void read();
    /// Prepares for the buses that are known so far, and measures the rows that are there (reading thread).
    void prepare();
    void measureSome();
    /// Measures beside the reading (measuring thread), whenever there is enough, or all that there is.
    void measureBeside();
    void wakeMeasuring(bool all);
    void waitForFirst();
    /// At the end of a log that is followed: waits a little, and gives whether to go on.
    bool waitForMore();

    std::unique_ptr<Session> session_;
    clock::SteadyClock wall_;
    Rig rig_;
    LoadedDatabases databases_;
    std::string title_;
    std::string path_;
    trace::Trace ownTrace_;
    const trace::Trace* trace_ = nullptr;
    std::shared_ptr<const database::Catalog> catalog_ = std::make_shared<database::Catalog>();
    std::vector<std::shared_ptr<const database::Catalog>> retired_;
    std::vector<std::shared_ptr<measure::Measures>> ownMeasures_;  // adopted; the newest is in force
    const measure::Measures* measures_ = nullptr;
    std::shared_ptr<measure::Measures> measuring_;  // of the reading thread
    Rig readingRig_;  // the reading thread's own
    std::size_t busesPrepared_ = 0;
    Time beginsPrepared_{};
    bool adopted_ = false;
    std::atomic<bool> closing_{false};
    mutable std::mutex preparedMutex_;
    std::optional<Prepared> prepared_;
    std::vector<trace::TraceBus> buses_;
    Time begins_{0};
    std::thread reader_;
    std::mutex measuringMutex_;
    std::condition_variable measuringWake_, firstMeasured_;
    bool measuredOnce_ = false;
    bool readingOver_ = false;
    bool measureAll_ = false;
    std::atomic<bool> following_{false};
    std::atomic<bool> ready_{false};
    std::atomic<bool> cancelled_{false};
    std::atomic<int> percent_{0};
    std::string problem_;
    std::vector<Error> badLines_;
    std::vector<formats::LogPart> parts_;
};

}  // namespace wavetrope::rig
