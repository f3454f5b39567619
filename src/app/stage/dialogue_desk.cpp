// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/dialogue_desk.h"

#include "app/parts/edit_times.h"
#include "app/stage/newest_work.h"
#include "app/stage/stage.h"
#include "base/time_text.h"
#include "rig/session.h"
#include "trace/time_index.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t heardOfALog = 200'000;
constexpr std::uint64_t askEvery = 65'536;      // rows

}  // namespace

DialogueDesk::DialogueDesk(Stage& stage) : stage_(stage), work_(new NewestWork(this))
{
    EditTimes::follow(undo_);
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

class DialogueDesk::Change : public QUndoCommand {
public:
    Change(DialogueDesk& desk, std::size_t dialogue, nlohmann::json before, nlohmann::json next)
        : QUndoCommand(QObject::tr("change a limit")), desk_(desk), dialogue_(dialogue), before_(std::move(before)), next_(std::move(next))
    {}
    void undo() override { (void)desk_.replace(dialogue_, before_); }
    void redo() override
    {
        if (std::exchange(done_, true))
            (void)desk_.replace(dialogue_, next_);
    }

private:
    DialogueDesk& desk_;
    std::size_t dialogue_;
    nlohmann::json before_, next_;
    bool done_ = false;
};

const drive::DialogueFacts* DialogueDesk::find(const QString& name) const
{
    const auto found = std::find_if(
        all_.begin(), all_.end(), [&](const auto& one) { return QString::fromStdString(one.spec->name) == name; });
    return found == all_.end() ? nullptr : &*found;
}

Expected<void> DialogueDesk::setLimit(const QString& name, const std::string& place, Time limit)
{
    const auto& dialogues = stage_.document().rig().dialogues;
    const auto found = std::find_if(
        dialogues.begin(), dialogues.end(), [&](const auto& one) { return QString::fromStdString(one.name) == name; });
    if (found == dialogues.end() || !place.starts_with(found->pointer + "/"))
        return fail("the rig has no such dialogue");
    const auto index = static_cast<std::size_t>(found - dialogues.begin());
    const nlohmann::json before = stage_.document().rig().document["dialogues"][index];
    nlohmann::json next = before;
    const nlohmann::json::json_pointer at(place.substr(found->pointer.size()));
    if (limit.count() > 0)
        next[at] = spanText(limit);
    else if (next.contains(at))
        next[at.parent_pointer()].erase(at.back());
    if (next == before)
        return {};
    if (auto done = replace(index, next); !done)
        return done;
    undo_.push(new Change(*this, index, before, next));
    return {};
}

Expected<void> DialogueDesk::replace(std::size_t dialogue, const nlohmann::json& next)
{
    if (auto done = stage_.document().rig().setDialogue(dialogue, next); !done)
        return done;
    const drive::DialogueSpec spec = stage_.document().rig().dialogues[dialogue];
    if (rig::Session* session = stage_.document().session(); session != nullptr)
        session->call([&](rig::Session& run) {
            if (auto* one = dynamic_cast<drive::Dialogue*>(run.actor(spec.name)); one != nullptr)
                (void)one->takeLimits(spec);
        });
    refresh();
    followLog();
    Q_EMIT changed();
    return {};
}

Expected<void> DialogueDesk::begin(const QString& name)
{
    Expected<void> done;
    if (rig::Session* session = stage_.document().session(); session != nullptr)
        session->call([&](rig::Session& run) {
            if (auto* one = dynamic_cast<drive::Dialogue*>(run.actor(name.toStdString())); one != nullptr)
                done = one->begin();
        });
    return done;
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
