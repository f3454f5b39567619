// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/rule_desk.h"

#include <QDrag>
#include <QFile>
#include <QMimeData>
#include <QUrl>

#include <algorithm>

#include "app/parts/edit_times.h"
#include "app/parts/text.h"
#include "app/stage/stage.h"
#include "rig/conditions.h"
#include "rules/terms.h"

namespace wavetrope::app {

// Others in place of those that were there.
class RuleDesk::Change : public QUndoCommand {
public:
    Change(RuleDesk& desk, rig::RuleDocument next, const QString& what)
        : QUndoCommand(what), desk_(desk), before_(rig::rulesIn(desk.rig())), next_(std::move(next))
    {}
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }

private:
    RuleDesk& desk_;
    rig::RuleDocument before_, next_;
};

namespace {

template <class Item>
std::vector<std::string> namesOf(const std::vector<Item>& items)
{
    std::vector<std::string> out;
    for (const Item& item : items)
        out.push_back(item.name);
    return out;
}

template <class Item>
const Item* called(const std::vector<Item>& items, const std::string& name)
{
    const auto found = std::find_if(items.begin(), items.end(), [&](const Item& item) { return item.name == name; });
    return found == items.end() ? nullptr : &*found;
}

Time spanOf(const rules::Margin& margin) { return margin.byFrames ? Time{0} : margin.span; }

}  // namespace

TakeShape shapeOf(const rules::Take& take, const rig::RecordingSpec& spec, bool goesOn, Time newest, TakeShape::Form form)
{
    const Time ends = goesOn ? newest : take.ends;
    return {
        take.begins - spanOf(spec.before), take.begins, std::max(take.begins, goesOn ? ends : ends - spanOf(spec.after)), ends, form, {}};
}

QStringList filesThere(const std::vector<std::string>& files)
{
    QStringList out;
    for (const std::string& file : files)
        if (const QString path = text(file); QFile::exists(path))
            out << path;
    return out;
}

RuleDesk::RuleDesk(Stage& stage) : stage_(stage)
{
    EditTimes::follow(undo_);
    if (!stage.document().isLive())
        return;
    armedDocument_ = rig::rulesIn(rig());
    armed_.events = rig().events;
    armed_.recordings = rig().recordings;
    armed_.playback = rig().playback;
}

const rig::Rig& RuleDesk::rig() const { return stage_.document().rig(); }

bool RuleDesk::differs() const { return stage_.document().isLive() && rig::rulesIn(rig()) != armedDocument_; }

const rig::EventSpec* RuleDesk::armedCondition(const std::string& name) const { return called(armed_.events, name); }

const rig::RecordingSpec* RuleDesk::armedRecording(const std::string& name) const { return called(armed_.recordings, name); }

void RuleDesk::replace(const rig::RuleDocument& rules)
{
    // They were looked through before.
    (void)rig::setRules(stage_.document().rig(), rules);
    Q_EMIT changed();
}

// What is edited stands at `place` ("/events/3"): what is wrong with it is an error, and what is wrong elsewhere was so before.
Expected<void> RuleDesk::put(rig::RuleDocument next, const QString& what, const std::string& place)
{
    rig::Rig tried;
    tried.buses = rig().buses;
    tried.filters = rig().filters;
    if (const auto set = rig::setRules(tried, next); !set)
        return set;
    std::vector<std::string> buses;
    for (const trace::TraceBus& bus : stage_.document().buses())
        buses.push_back(bus.name);
    for (const Error& error : rig::rulesOf(tried, stage_.document().catalog(), buses).unknown)
        if (const std::size_t at = error.where.find(place);
            !place.empty() && at != std::string::npos && (at + place.size() == error.where.size() || error.where[at + place.size()] == '/'))
            return tl::unexpected(error);
    if (next != rig::rulesIn(rig()))
        undo_.push(new Change(*this, std::move(next), what));
    return {};
}

Expected<void> RuleDesk::setCondition(std::size_t index, const QString& name, const QString& words)
{
    const std::string called = name.trimmed().toStdString();
    if (called.empty())
        return fail("a condition has a name");
    if (called.find('"') != std::string::npos)
        return fail("a name has no double quotes: expressions put it into them");
    auto condition = rig::conditionFromText(called, words.toStdString(), rig());
    if (!condition)
        return tl::unexpected(condition.error());
    rig::RuleDocument next = rig::rulesIn(rig());
    const bool fresh = index >= next.events.size();
    if (fresh) {
        index = next.events.size();
        next.events.push_back(rig::written(*condition));
    } else {
        const std::string before = rig().events[index].name;
        next.events[index] = rig::written(*condition, next.events[index]);
        const auto follow = [&](nlohmann::json& hangs) {
            for (const char* field : {"start", "stop"})
                if (before != called && hangs.contains(field) && hangs[field].is_string())
                    hangs[field] = rules::renamed(hangs[field].get<std::string>(), before, called);
        };
        for (auto& recording : next.recordings)
            follow(recording);
        follow(next.playback);
    }
    return put(std::move(next), fresh ? tr("add the condition %1").arg(name) : tr("change the condition %1").arg(name),
        "/events/" + std::to_string(index));
}

Expected<void> RuleDesk::removeCondition(std::size_t index)
{
    const std::string name = rig().events[index].name;
    const std::vector<std::string> names = namesOf(rig().events);
    const auto hangs = [&](const std::string& start, const std::string& stop) {
        for (const std::string& expression : {start, stop})
            if (const auto terms = rules::Terms::parse(expression, names);
                terms && std::find(terms->conditions().begin(), terms->conditions().end(), index) != terms->conditions().end())
                return true;
        return false;
    };
    for (const rig::RecordingSpec& recording : rig().recordings)
        if (hangs(recording.start, recording.stop))
            return fail("the recording " + recording.name + " hangs on " + name, {}, "Take it out of its expressions first");
    if (hangs(rig().playback.start, rig().playback.stop))
        return fail("playback hangs on " + name, {}, "Have it begin and rest by hand first");
    rig::RuleDocument next = rig::rulesIn(rig());
    next.events.erase(index);
    return put(std::move(next), tr("take out the condition %1").arg(text(name)), {});
}

Expected<void> RuleDesk::setField(std::size_t recording, rig::RecordingField field, const QString& typed)
{
    auto changed = rig::withField(rig().recordings[recording], field, typed.toStdString());
    if (!changed)
        return tl::unexpected(changed.error());
    rig::RuleDocument next = rig::rulesIn(rig());
    next.recordings[recording] = rig::written(*changed, next.recordings[recording]);
    return put(std::move(next), tr("change the recording %1").arg(text(changed->name)), "/recordings/" + std::to_string(recording));
}

std::size_t RuleDesk::addRecording(const std::string& start)
{
    rig::RecordingSpec recording;
    recording.name = freeName(false).toStdString();
    recording.start = start;
    rig::RuleDocument next = rig::rulesIn(rig());
    next.recordings.push_back(rig::written(recording));
    (void)put(std::move(next), tr("add the recording %1").arg(text(recording.name)), {});
    return rig().recordings.size() - 1;
}

void RuleDesk::removeRecording(std::size_t index)
{
    rig::RuleDocument next = rig::rulesIn(rig());
    next.recordings.erase(index);
    (void)put(std::move(next), tr("take out the recording %1").arg(text(rig().recordings[index].name)), {});
}

Expected<void> RuleDesk::setPlayback(const rig::PlaybackSpec& spec)
{
    rig::RuleDocument next = rig::rulesIn(rig());
    for (const auto& [field, words] : {std::pair{"start", &spec.start}, std::pair{"stop", &spec.stop}}) {
        if (words->empty())
            next.playback.erase(field);
        else
            next.playback[field] = *words;
    }
    return put(std::move(next), tr("say when playback plays"), "/playback");
}

QString RuleDesk::freeName(bool condition) const
{
    for (std::size_t number = (condition ? rig().events.size() : rig().recordings.size()) + 1;; ++number) {
        const QString name = (condition ? tr("condition %1") : tr("recording %1")).arg(number);
        const std::string plain = name.toStdString();
        if (condition ? called(rig().events, plain) == nullptr : called(rig().recordings, plain) == nullptr)
            return name;
    }
}

void RuleDesk::setTried(std::vector<TakeTier> tiers)
{
    if (tiers == tried_)
        return;
    tried_ = std::move(tiers);
    Q_EMIT triedChanged();
}

std::vector<TakeTier> RuleDesk::kept() const
{
    rig::Session* session = stage_.document().session();
    std::vector<TakeTier> out;
    if (session == nullptr)
        return out;
    const auto history = session->rulesHistory();
    if (history->takes.empty())
        return out;
    const auto reports = session->takingReports();
    for (std::size_t i = 0; i < reports.size(); ++i) {
        const rig::RecordingSpec* spec = armedRecording(reports[i].name);
        TakeTier tier;
        bool goesOn = false;
        for (std::size_t t = 0; t < history->takes.size(); ++t)
            if (const rules::Take& take = history->takes[t]; take.recording == i && spec != nullptr) {
                goesOn = take.whyEnds.empty();
                tier.takes.push_back(shapeOf(take, *spec, goesOn, stage_.newest(), TakeShape::Form::kept));
                tier.takes.back().files = history->files[t];
            }
        if (tier.takes.empty())
            continue;
        const QString name = text(reports[i].name);
        tier.words = tier.takes.size() == 1
                         ? (goesOn ? tr("%1: goes on").arg(name) : tr("%1: 1 take").arg(name))
                         : (goesOn ? tr("%1: %2 takes, one goes on") : tr("%1: %2 takes")).arg(name).arg(tier.takes.size());
        out.push_back(std::move(tier));
    }
    return out;
}

void dragFiles(QWidget* from, const QStringList& files)
{
    QList<QUrl> urls;
    for (const QString& file : files)
        urls << QUrl::fromLocalFile(file);
    auto* mime = new QMimeData;
    mime->setUrls(urls);
    auto* drag = new QDrag(from);
    drag->setMimeData(mime);
    drag->exec(Qt::CopyAction);
}

QStringList RuleDesk::newestTake(const std::string& recording) const
{
    rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return {};
    const auto reports = session->takingReports();
    const auto history = session->rulesHistory();
    for (std::size_t i = history->takes.size(); i-- > 0;)
        if (const std::size_t of = history->takes[i].recording; of < reports.size() && reports[of].name == recording)
            if (const QStringList files = filesThere(history->files[i]); !files.isEmpty())
                return files;
    return {};
}

Expected<void> RuleDesk::arm()
{
    rig::Session* session = stage_.document().session();
    if (session == nullptr)
        return fail("a log is not recorded");
    Expected<void> taken;
    session->call([&](rig::Session& s) { taken = s.takeRules(rig()); });
    if (!taken)
        return taken;
    armedDocument_ = rig::rulesIn(rig());
    armed_.events = rig().events;
    armed_.recordings = rig().recordings;
    armed_.playback = rig().playback;
    Q_EMIT changed();
    return {};
}

}  // namespace wavetrope::app
