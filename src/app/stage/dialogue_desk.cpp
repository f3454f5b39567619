// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/dialogue_desk.h"

#include "app/stage/newest_work.h"
#include "app/stage/stage.h"
#include "rig/session.h"
#include "trace/time_index.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t heardOfALog = 200'000;
constexpr std::uint64_t askEvery = 65'536;      // rows

}  // namespace

DialogueDesk::DialogueDesk(Stage& stage) : stage_(stage), work_(new NewestWork(this))
{
    connect(&stage, &Stage::beat, this, &DialogueDesk::refresh);
    for (auto anew : {&Stage::catalogChanged, &Stage::becameReady})
        connect(&stage, anew, this, &DialogueDesk::followLog);
}

void DialogueDesk::refresh()
{
    const rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return;
    all_.clear();
    std::uint64_t broken = 0;
    for (const drive::ActorReport& report : session->reports())
        if (const auto* facts = report.as<drive::DialogueFacts>(); facts != nullptr) {
            all_.push_back(*facts);
            broken += facts->broken;
        }
    if (std::exchange(broken_, broken) != broken)
        Q_EMIT changed();
}

void DialogueDesk::followLog()
{
    if (stage_.document().isLive() || !stage_.document().ready() || stage_.document().rig().dialogues.empty())
        return;
    following_ = true;
    problem_.clear();
    work_->ask([this, specs = stage_.document().rig().dialogues, catalog = stage_.document().catalog(), snapshot = stage_.snapshot(),
                   begins = stage_.document().begins()](const std::function<bool()>& goesOn) -> NewestWork::Deliver {
        std::vector<drive::DialogueWatch> watches;
        QString problem;
        for (const drive::DialogueSpec& spec : specs) {
            auto watch = drive::DialogueWatch::create(spec, catalog, begins);
            if (!watch) {
                problem = QString::fromStdString(watch.error().what);
                continue;
            }
            watch->keepHeard(heardOfALog);
            watches.push_back(std::move(*watch));
        }
        if (watches.empty() || !snapshot.valid() || snapshot.rows() == 0)
            return [this, problem] {
                following_ = false;
                all_.clear();
                problem_ = problem;
                Q_EMIT changed();
            };
        // Of a long log a few identifiers matter.
        std::vector<bool> matters;
        for (trace::IdentifierIndex i = 0; i < snapshot.trace().identifierCount(); ++i) {
            const trace::TraceKey& key = snapshot.trace().key(i);
            matters.push_back(!key.error && std::any_of(watches.begin(), watches.end(), [&](const drive::DialogueWatch& watch) {
                return watch.bus() == key.bus && watch.speaksOf(key.id);
            }));
        }
        const trace::TimeIndex order(snapshot);
        for (std::uint64_t place = 0; place < snapshot.rows(); ++place) {
            if (place % askEvery == 0 && !goesOn())
                return {};
            const trace::Row row = order.rowAt(place);
            const trace::IdentifierIndex identifier = snapshot.identifier(row);
            if (identifier >= matters.size() || !matters[identifier])
                continue;
            const can::FrameView frame = snapshot.frame(row);
            for (drive::DialogueWatch& watch : watches)
                (void)watch.take(frame);
        }
        std::vector<drive::DialogueFacts> all;
        for (drive::DialogueWatch& watch : watches) {
            watch.finish(snapshot.latest());
            all.push_back(drive::factsOf(watch));
            all.back().told = snapshot.latest();
        }
        return [this, all = std::move(all), problem]() mutable {
            following_ = false;
            all_ = std::move(all);
            problem_ = problem;
            Q_EMIT changed();
        };
    });
}

}  // namespace wavetrope::app
