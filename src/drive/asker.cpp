// SPDX-License-Identifier: GPL-3.0-or-later
#include "drive/asker.h"

namespace wavetrope::drive {

namespace {

constexpr std::size_t roomForBlock = 256;   // frames of a block, or of an announced message

}  // namespace

Asker::Asker(clock::Scheduler& scheduler, std::vector<bus::Bus*> buses)
    : scheduler_(scheduler), timer_(clock::Timer::calling<&Asker::due>(scheduler, this))
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
    if (!line.attached) {
        line.attached = true;
        line.port = line.bus->attach(name_, can::Direction::sent, bus::Order::asOffered);
        line.bus->makeRoom(line.port, roomForBlock);
        line.bus->listen(this);
    }
    line.waiting.push_back({std::move(talk), std::move(done)});
    begin(bus);
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
