// SPDX-License-Identifier: GPL-3.0-or-later
#include "remote/receiver.h"

#include <readerwriterqueue/readerwriterqueue.h>

#include <algorithm>
#include <chrono>

#include "remote/machine.h"

namespace wavetrope::remote {

using namespace std::chrono_literals;

struct Receiver::Queue {
    explicit Queue(std::size_t size) : frames(size) {}
    moodycamel::ReaderWriterQueue<can::Frame> frames;
};

namespace {

constexpr Time askEvery = 2s;
constexpr std::size_t keptTrips = 8;            // the shortest of them tells the offset best
constexpr Time slowFor = 10s;
constexpr Time farOff = 10min;                  // no line holds frames for so long
constexpr Time latestStamp = std::chrono::hours(24 * 365 * 250);    // in 2220; further ones cannot be subtracted safely
constexpr std::size_t wishesOnTheWay = 256;

}  // namespace

Receiver::Receiver(Options options) : options_(std::move(options)), own_(drawn()), queue_(std::make_unique<Queue>(options_.held))
{
    line_ = std::make_unique<Line>(
        Line::Options{options_.place, options_.credentials, {"bus", "frames", "answer/" + inHex(own_)}, {}, {}},
        [this](const std::string& topic, BytesView bytes) { hear(topic, bytes); },
        [this] {
            const std::scoped_lock lock(mutex_);
            askedAt_ = {};
            askAgain(machineTime());
        },
        nullptr);
    line_->start();
}

Receiver::~Receiver() { line_->close(); }

void Receiver::hear(const std::string& topic, BytesView bytes)
{
    if (topic == "bus")
        describe(bytes);
    else if (topic == "frames")
        accept(bytes);
    else if (topic.starts_with("answer/"))
        answer(bytes);
}

void Receiver::describe(BytesView bytes)
{
    const std::scoped_lock lock(mutex_);
    if (bytes.empty()) {
        description_.reset();
        mayWrite_ = false;
        return;
    }
    auto is = descriptionFrom(bytes);
    if (!is) {
        ++state_.strange;
        return;
    }
    if (description_ && description_->session == is->session && !is->here) {
        description_->here = false;
    } else if (!is->here && description_ && description_->here) {
        return;     // of one who shared there before
    } else {
        if (!description_ || description_->session != is->session) {
            expected_.reset();
            trips_.clear();
            refusedThere_ = 0;
        }
        description_ = std::move(is);
    }
    mayWrite_ = description_->here && !description_->writable.empty();
}

void Receiver::accept(BytesView bytes)
{
    const Time now = machineTime();
    const auto packet = packetFrom(bytes);
    const std::scoped_lock lock(mutex_);
    askAgain(now);
    if (!packet) {
        ++state_.strange;
        return;
    }
    if (!description_ || packet->session != description_->session) {
        ++state_.others;
        return;
    }
    // What is delivered a second time was taken the first time.
    std::size_t from = 0;
    if (expected_ && packet->first < *expected_) {
        const std::uint64_t known = *expected_ - packet->first;
        if (known >= packet->frames.size())
            return;
        from = static_cast<std::size_t>(known);
    } else if (expected_) {
        state_.lost += packet->first - *expected_;
    }
    expected_ = packet->first + packet->frames.size();
    const Time offset = trips_.empty() ? Time{0} : *state_.offset;
    for (std::size_t i = from; i < packet->frames.size(); ++i) {
        can::Frame frame = packet->frames[i].frame;
        const auto apart = static_cast<double>(frame.time.count()) - static_cast<double>(offset.count()) - static_cast<double>(now.count());
        if (apart > static_cast<double>(farOff.count()) || apart < -static_cast<double>(farOff.count())) {
            frame.time = now;
            ++state_.misdated;
        } else {
            const Time took = now - (frame.time - offset);
            state_.latency = state_.latency ? *state_.latency + (took - *state_.latency) / 64 : took;
            while (!slow_.empty() && slow_.back().second <= took)
                slow_.pop_back();
            slow_.emplace_back(now, took);
            while (now - slow_.front().first > slowFor)
                slow_.pop_front();
            state_.worst = slow_.front().second;
        }
        // Sent by this program is what it asked for itself.
        frame.direction = packet->frames[i].by == own_ ? can::Direction::sent : can::Direction::received;
        state_.errors += frame.kind == can::FrameKind::error ? 1 : 0;
        ++state_.frames;
        if (!queue_->frames.try_enqueue(frame))
            ++state_.lost;
    }
}

void Receiver::answer(BytesView bytes)
{
    const Time now = machineTime();
    const auto answer = answerFrom(bytes);
    const std::scoped_lock lock(mutex_);
    if (!answer) {
        ++state_.strange;
        return;
    }
    const auto possible = [](Time stamp) { return stamp >= Time{0} && stamp <= latestStamp; };
    if (!description_ || answer->session != description_->session || answer->asked != askedAt_ || !possible(answer->heard)
        || !possible(answer->sent))
        return;
    // Offset and way there and back as in RFC 5905, 8: with the stamps of both sides of both messages.
    const Time there = answer->heard - answer->asked, back = answer->sent - now;
    trips_.push_back({there / 2 + back / 2, there - back});
    if (trips_.size() > keptTrips)
        trips_.pop_front();
    const auto best = std::min_element(trips_.begin(), trips_.end(), [](const Trip& a, const Trip& b) { return a.length < b.length; });
    state_.offset = best->offset;
    state_.trip = best->length;
    refusedThere_ = answer->refused;
    if (answer->refused > 0)
        state_.why = answer->why;
}

// The lock is held. Asked where something comes anyway, so that nobody is woken for it.
void Receiver::askAgain(Time now)
{
    const Time since = now - askedAt_;
    if (since >= Time{0} && since < (trips_.size() < keptTrips ? askEvery / 20 : askEvery))
        return;
    askedAt_ = now;
    line_->say("ask", packed(Question{own_, now}));
}

void Receiver::refuse(std::string why)
{
    const std::scoped_lock lock(mutex_);
    ++refusedHere_;
    state_.why = std::move(why);
}

std::optional<Time> Receiver::next()
{
    const can::Frame* frame = queue_->frames.peek();
    return frame == nullptr ? std::nullopt : std::optional(frame->time);
}

std::optional<can::Frame> Receiver::take()
{
    can::Frame frame;
    return queue_->frames.try_dequeue(frame) ? std::optional(frame) : std::nullopt;
}

bool Receiver::accepts() const { return mayWrite_ && line_->onTheWay() < wishesOnTheWay; }

bool Receiver::offer(const can::Frame& frame)
{
    Wish wish;
    {
        const std::scoped_lock lock(mutex_);
        if (!description_ || !description_->here || !contains(description_->writable, frame.id)) {
            ++refusedHere_;
            state_.why = !description_ || !description_->here ? "nobody shares it now"
                         : description_->writable.empty()     ? "the sharing side lets nothing be sent"
                                                              : "the sharing side does not let " + toText(frame.id) + " be sent";
            return false;
        }
        wish = {description_->session, own_, {frame}};
    }
    if (line_->onTheWay() < wishesOnTheWay && line_->say("send", packed(wish)))
        return true;
    refuse("the line to " + options_.place.host + " is not open");
    return false;
}

Receiver::State Receiver::state() const
{
    const Line::State line = line_->state();
    const std::scoped_lock lock(mutex_);
    State out = state_;
    using Phase = State::Phase;
    if (description_) {
        out.name = description_->name;
        out.rate = description_->rate;
    }
    out.refused = refusedHere_ + refusedThere_;
    if (const auto denied = line.denied.find("send"); denied != line.denied.end()) {
        out.refused += denied->second;
        out.why = options_.place.host + " does not let us write " + options_.place.topic + "/send";
    }
    if (line.phase == Line::State::Phase::refused) {
        out.phase = Phase::refused;
        out.words = line.words;
    } else if (line.phase == Line::State::Phase::trying) {
        out.phase = Phase::trying;
        out.words = line.words;
    } else if (!line.unheard.empty()) {
        out.phase = Phase::refused;
        out.words = line.unheard;
    } else if (!description_) {
        out.phase = Phase::silent;
        out.words = out.strange > 0 ? "what is at " + options_.place.text() + " is no shared bus"
                                    : "nobody shares a bus at " + options_.place.text();
    } else if (!description_->here) {
        out.phase = Phase::gone;
        out.words = description_->name.empty() ? "nobody shares a bus at " + options_.place.text() + " now"
                                               : description_->name + " is not shared at " + options_.place.text() + " any more";
    } else if (!description_->trouble.empty()) {
        out.phase = Phase::trouble;
        out.words = "there: " + description_->trouble;
    } else {
        out.phase = Phase::alive;
        out.words = "alive";
    }
    return out;
}

}  // namespace wavetrope::remote
