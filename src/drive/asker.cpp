// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/asker.h"

#include "protocol/diagnostic_services.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t roomForBlock = 256;   // frames of a block, or of an announced message

}  // namespace

Asker::Asker(clock::Scheduler& scheduler, std::vector<bus::Bus*> buses)
    : scheduler_(scheduler),
      timer_(clock::Timer::calling<&Asker::due>(scheduler, this)),
      keeping_(clock::Timer::calling<&Asker::tell>(scheduler, this))
{
    for (bus::Bus* bus : buses) {
        lines_.emplace_back();
        lines_.back().bus = bus;
    }
}

void Asker::ask(std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, Done done)
{
    Line& line = lines_[bus];
    if (line.waiting.size() >= mostWaiting)
        return done({false, {}, "too many questions wait"}, Time{0});
    attach(bus);
    line.waiting.push_back({std::move(talk), std::move(done)});
    begin(bus);
}

void Asker::attach(std::uint8_t bus)
{
    Line& line = lines_[bus];
    if (std::exchange(line.attached, true))
        return;
    line.port = line.bus->attach(name_, can::Direction::sent, bus::Order::asOffered);
    line.bus->makeRoom(line.port, roomForBlock);
    line.bus->listen(this);
}

void Asker::keep(std::uint8_t bus, const protocol::DiagnosticPair& pair, Time every)
{
    attach(bus);
    std::size_t at = 0;
    while (at < kept_.size() && (kept_[at].bus != bus || kept_[at].pair != pair))
        ++at;
    if (at == kept_.size())
        kept_.push_back({bus, pair, {}, {}});
    kept_[at].every = every;
    kept_[at].next = scheduler_.now();
    tell(static_cast<std::uint32_t>(at));
}

void Asker::tell(std::uint32_t at)
{
    Kept& kept = kept_[at];
    // A call that was set before the period became another one.
    if (kept.every.count() <= 0 || scheduler_.now() < kept.next)
        return;
    (void)lines_[kept.bus].bus->offer(lines_[kept.bus].port, protocol::testerPresent(kept.pair));
    ++changes_;
    kept.next = scheduler_.now() + kept.every;
    keeping_.also(kept.next, at);
}

void Asker::begin(std::uint8_t bus)
{
    Line& line = lines_[bus];
    if (line.asked || line.waiting.empty())
        return;
    line.asked = true;
    line.since = scheduler_.now();
    line.waiting.front().talk->begin(line.since);
    goOn(bus);
}

void Asker::onFrame(const can::FrameView& frame, bus::Port sender)
{
    Line& line = lines_[frame.bus];
    if (!line.asked || sender == line.port)
        return;
    line.waiting.front().talk->hear(frame);
    goOn(frame.bus);
}

void Asker::due(std::uint32_t bus)
{
    Line& line = lines_[bus];
    if (!line.asked)
        return;
    line.waiting.front().talk->passed(scheduler_.now());
    goOn(static_cast<std::uint8_t>(bus));
}

void Asker::goOn(std::uint8_t bus)
{
    Line& line = lines_[bus];
    protocol::Talk& talk = *line.waiting.front().talk;
    bool refused = false;
    for (const can::Frame& frame : talk.take())
        refused = !line.bus->offer(line.port, frame) || refused;
    if (!talk.answer() && !refused) {
        if (talk.due() != Time::max())
            timer_.also(talk.due(), bus);
        return;
    }
    const protocol::Answer answer = talk.answer() && !refused
                                        ? *talk.answer()
                                        : protocol::Answer{false, {}, "the bus takes no frames: " + line.bus->health().words};
    const Question over = std::move(line.waiting.front());
    line.waiting.pop_front();
    line.asked = false;
    ++changes_;
    over.done(answer, scheduler_.now() - line.since);
    begin(bus);
}

}  // namespace wavetrope::drive
