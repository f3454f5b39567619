// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/timing_desk.h"

#include <algorithm>
#include <limits>

#include "app/parts/edit_times.h"
#include "app/stage/stage.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

constexpr Time longestDeadline = std::chrono::hours(24);
constexpr std::uint64_t mostLooks = 1'000'000;      // at a message, for one: the window waits for it

}  // namespace

class TimingDesk::Change : public QUndoCommand {
public:
    Change(TimingDesk& desk, rig::Timings before, rig::Timings next, const QString& what)
        : QUndoCommand(what), desk_(desk), before_(std::move(before)), next_(std::move(next))
    {}
    void undo() override { desk_.replace(before_); }
    void redo() override { desk_.replace(next_); }

private:
    TimingDesk& desk_;
    rig::Timings before_, next_;
};

double TimingDesk::Row::share() const
{
    if (!answer.milliseconds)
        return std::numeric_limits<double>::infinity();
    return deadline() > 0 ? *answer.milliseconds / deadline() : std::numeric_limits<double>::max();
}

TimingDesk::TimingDesk(Stage& stage) : stage_(stage)
{
    EditTimes::follow(undo_);
    connect(&stage, &Stage::catalogChanged, this, &TimingDesk::forget);
    connect(&stage, &Stage::becameReady, this, &TimingDesk::forget);
}

void TimingDesk::forget()
{
    buses_.clear();
    Q_EMIT changed();
}

std::string TimingDesk::nameOf(unsigned bus) const { return stage_.document().busName(bus); }

can::BitRate TimingDesk::rate(unsigned bus) const
{
    const auto& buses = stage_.document().buses();
    if (bus >= buses.size())
        return {};
    if (buses[bus].rate.known())
        return buses[bus].rate;
    for (const rig::BusSpec& spec : stage_.document().rig().buses)
        if (spec.name == buses[bus].name)
            return spec.rate;
    return {};
}

bool TimingDesk::measures(unsigned bus) const
{
    const rig::Session* session = stage_.document().session();
    return session != nullptr && !session->responses(bus).empty();
}

TimingDesk::OfBus& TimingDesk::of(unsigned bus)
{
    OfBus& out = buses_[bus];
    if (out.known || !rate(bus).known() || bus >= stage_.catalog().busCount())
        return out;
    out.known = true;
    out.messages = timing::timedMessages(stage_.catalog(), static_cast<std::uint8_t>(bus));
    const rig::Timings& timings = stage_.document().rig().timings;
    const auto timing = timings.find(nameOf(bus));
    std::vector<rig::MessageTiming> own(out.messages.size());
    if (timing != timings.end())
        for (std::size_t i = 0; i < out.messages.size(); ++i) {
            timing::TimedMessage& message = out.messages[i];
            if (const auto found = timing->second.messages.find(message.name); found != timing->second.messages.end())
                own[i] = found->second;
            message.jitter = own[i].jitter.value_or(timing->second.jitter);
            message.deadline = own[i].deadline.value_or(message.period);
        }
    for (const timing::ResponseTime& answer : timing::responseTimes(out.messages, rate(bus), mostLooks))
        out.rows.push_back({out.messages[answer.message], answer, own[answer.message].jitter.has_value(),
            own[answer.message].deadline.has_value(), std::nullopt});
    std::stable_sort(out.rows.begin(), out.rows.end(), [](const Row& a, const Row& b) { return a.share() > b.share(); });
    return out;
}

const std::vector<TimingDesk::Row>& TimingDesk::rows(unsigned bus)
{
    OfBus& out = of(bus);
    if (const rig::Session* session = stage_.document().session(); session != nullptr) {
        const std::vector<bus::MeasuredResponse> measured = session->responses(bus);
        for (Row& row : out.rows)
            if (const auto found = std::find_if(
                    measured.begin(), measured.end(), [&](const bus::MeasuredResponse& one) { return one.id == row.message.head.id; });
                found != measured.end())
                row.measured = *found;
    }
    return out.rows;
}

const std::vector<timing::TimedMessage>& TimingDesk::messages(unsigned bus) { return of(bus).messages; }

Time TimingDesk::jitter(unsigned bus) const
{
    const rig::Timings& timings = stage_.document().rig().timings;
    const auto found = timings.find(nameOf(bus));
    return found == timings.end() ? Time{0} : found->second.jitter;
}

void TimingDesk::put(rig::Timings next, const QString& what)
{
    const rig::Timings& before = stage_.document().rig().timings;
    std::erase_if(next, [](const auto& entry) { return entry.second.empty(); });
    if (next != before)
        undo_.push(new Change(*this, before, std::move(next), what));
}

void TimingDesk::replace(const rig::Timings& timings)
{
    stage_.document().rig().setTimings(timings);
    forget();
}

void TimingDesk::setJitter(unsigned bus, Time jitter)
{
    rig::Timings next = stage_.document().rig().timings;
    next[nameOf(bus)].jitter = jitter;
    put(std::move(next), tr("jitter of %1").arg(QString::fromStdString(nameOf(bus))));
}

void TimingDesk::set(unsigned bus, const std::string& message, Field field, std::optional<Time> time)
{
    rig::Timings next = stage_.document().rig().timings;
    auto& messages = next[nameOf(bus)].messages;
    rig::MessageTiming& timing = messages[message];
    (field == Field::jitter ? timing.jitter : timing.deadline) = time;
    if (timing == rig::MessageTiming{})
        messages.erase(message);
    const QString name = QString::fromStdString(message);
    put(std::move(next), field == Field::jitter ? tr("jitter of %1").arg(name) : tr("deadline of %1").arg(name));
}

std::optional<Time> TimingDesk::timeFrom(const QString& typed)
{
    const std::string word = typed.trimmed().toStdString();
    if (word.empty())
        return std::nullopt;
    const bool bare = word.find_first_not_of("0123456789.") == std::string::npos;
    const auto time = spanFromText(bare ? word + " ms" : word);
    return time && time->count() >= 0 && *time <= longestDeadline ? time : std::nullopt;
}

}  // namespace wavetrope::app
