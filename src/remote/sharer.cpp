// SPDX-License-Identifier: GPL-3.0-or-later
#include "remote/sharer.h"

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>

#include "remote/machine.h"

namespace wavetrope::remote {

namespace {

constexpr std::size_t packetBytes = 32U << 10;
constexpr std::size_t mostWishes = 4096;
constexpr std::size_t mostOffered = 4096;
constexpr std::size_t mostClients = 64;
constexpr std::size_t packetsOnTheWay = 256;          // that the broker has not confirmed
constexpr auto settling = std::chrono::milliseconds(1500);  // for one who shares there already to answer

bool same(const can::FrameView& a, const can::Frame& b)
{
    return a.id == b.id && a.kind == b.kind && a.length == b.length && a.brs == b.brs
           && std::equal(a.data, a.data + a.length, b.data.begin());
}

}  // namespace

Sharer::Sharer(Options options) : options_(std::move(options)), session_(drawn()), packing_(session_, 0)
{
    Description gone;
    gone.session = session_;
    gone.here = false;
    std::vector<std::string> topics{"bus", "ask", "answer/" + inHex(session_)};
    if (!options_.writable.empty())
        topics.emplace_back("send");
    line_ = std::make_unique<Line>(
        Line::Options{options_.place, options_.credentials, std::move(topics), "bus", packed(gone)},
        [this](const std::string& topic, BytesView bytes) { hear(topic, bytes); }, [this] { opened(); }, [this] { pump(); });
    line_->start();
}

Sharer::~Sharer() { close(); }

void Sharer::opened()
{
    // Whoever shares there already answers this question; until then nothing is said.
    line_->say("ask", packed(Question{session_, machineTime()}));
    const std::scoped_lock lock(mutex_);
    openedAt_ = std::chrono::steady_clock::now();
    if (settled_)
        describe();
}

// The lock is held.
void Sharer::describe()
{
    Description is;
    is.session = session_;
    is.name = options_.name;
    is.rate = options_.rate;
    is.trouble = trouble_;
    is.writable = options_.writable;
    line_->say("bus", packed(is), true);
}

void Sharer::hear(const std::string& topic, BytesView bytes)
{
    const Time now = machineTime();
    const std::scoped_lock lock(mutex_);
    if (topic == "bus") {
        if (bytes.empty())
            return;
        const auto is = descriptionFrom(bytes);
        if (!is)
            ++state_.strange;
        else if (is->session == session_ && !is->here && !closed_ && settled_)
            describe();     // the broker took us for gone
        else if (is->session != session_ && is->here && settled_)
            state_.foreign = "somebody else shares " + is->name + " at " + options_.place.text() + " too";
    } else if (topic == "ask") {
        const auto question = questionFrom(bytes);
        if (!question) {
            ++state_.strange;
            return;
        }
        if (question->by == session_ || !settled_)
            return;
        Answer answer;
        answer.session = session_;
        answer.asked = question->asked;
        answer.heard = now;
        if (const auto client = clients_.find(question->by); client != clients_.end()) {
            answer.refused = client->second.refused;
            answer.why = client->second.why;
        }
        answer.sent = machineTime();
        line_->say("answer/" + inHex(question->by), packed(answer));
    } else if (topic == "send") {
        const auto wish = wishFrom(bytes);
        if (!wish || wish->by == 0) {
            ++state_.strange;
            return;
        }
        for (const can::Frame& frame : wish->frames) {
            if (wish->session != session_)
                refuse(wish->by, "sharing began anew in between");
            else if (frame.kind == can::FrameKind::error || !contains(options_.writable, frame.id))
                refuse(wish->by, toText(frame.id) + " may not be sent to it");
            else if (wishes_.size() >= mostWishes)
                refuse(wish->by, "more was to be sent than the bus carries");
            else
                wishes_.push_back({frame, wish->by});
        }
    } else if (topic.starts_with("answer/")) {
        if (const auto answer = answerFrom(bytes); answer && answer->session != session_ && !settled_) {
            state_.refusedByOther = true;
            state_.foreign = "somebody shares a bus at " + options_.place.text() + " already";
        }
    }
}

// The lock is held.
void Sharer::refuse(std::uint64_t by, const std::string& why)
{
    ++state_.refused;
    Client& client = clients_[by];
    ++client.refused;
    client.why = why;
    client.heardAt = ++hearings_;
    if (clients_.size() > mostClients)
        clients_.erase(std::min_element(
            clients_.begin(), clients_.end(), [](const auto& a, const auto& b) { return a.second.heardAt < b.second.heardAt; }));
}

void Sharer::add(const can::FrameView& frame)
{
    std::uint64_t by = 0;
    if (frame.direction == can::Direction::sent) {
        const auto ours = std::find_if(offered_.begin(), offered_.end(), [&](const Asked& one) { return same(frame, one.frame); });
        if (ours != offered_.end()) {
            by = ours->by;
            offered_.erase(ours);
        }
    }
    packing_.add(frame, by);
    ++added_;
    if (packing_.size() >= packetBytes)
        flush();
}

void Sharer::flush()
{
    const Time now = machineTime();
    const std::uint64_t frames = packing_.frames();
    Bytes bytes;
    if (!packing_.empty())
        bytes = packing_.take(now);
    {
        const std::scoped_lock lock(mutex_);
        state_.frames = added_;
        if (!settled_ && openedAt_ && !state_.refusedByOther && std::chrono::steady_clock::now() - *openedAt_ >= settling) {
            settled_ = true;
            describe();
        }
        if (!bytes.empty()) {
            outboxBytes_ += bytes.size();
            outbox_.push_back({std::move(bytes), frames});
            while (outboxBytes_ > options_.held && outbox_.size() > 1) {
                state_.lost += outbox_.front().frames;
                outboxBytes_ -= outbox_.front().bytes.size();
                outbox_.pop_front();
            }
        }
    }
    pump();
}

// Gives the line as much as it takes. On either thread.
void Sharer::pump()
{
    const std::scoped_lock lock(mutex_);
    while (settled_ && !outbox_.empty() && line_->onTheWay() < packetsOnTheWay && line_->say("frames", outbox_.front().bytes)) {
        outboxBytes_ -= outbox_.front().bytes.size();
        outbox_.pop_front();
    }
}

void Sharer::setTrouble(const std::string& words)
{
    const std::scoped_lock lock(mutex_);
    if (words == trouble_)
        return;
    trouble_ = words;
    if (settled_)
        describe();
}

void Sharer::carryOut(const std::function<bool(const can::Frame&)>& offer)
{
    std::deque<Asked> wishes;
    {
        const std::scoped_lock lock(mutex_);
        wishes.swap(wishes_);
    }
    for (Asked& wish : wishes) {
        // It is remembered before: a bus may let it be heard at once.
        if (offered_.size() >= mostOffered)
            offered_.pop_front();
        offered_.push_back(wish);
        const bool taken = offer(wish.frame);
        const std::scoped_lock lock(mutex_);
        if (taken) {
            ++state_.written;
        } else {
            offered_.pop_back();
            refuse(wish.by, "the bus did not take it");
        }
    }
}

void Sharer::close()
{
    {
        const std::scoped_lock lock(mutex_);
        if (std::exchange(closed_, true))
            return;
    }
    flush();
    {
        const std::scoped_lock lock(mutex_);
        if (settled_) {
            Description gone;
            gone.session = session_;
            gone.here = false;
            line_->say("bus", packed(gone), true);
        }
    }
    line_->close();
}

Sharer::State Sharer::state() const
{
    const std::scoped_lock lock(mutex_);
    State out = state_;
    out.line = line_->state();
    return out;
}

}  // namespace wavetrope::remote
