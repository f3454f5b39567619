// SPDX-License-Identifier: GPL-3.0-or-later
#include "protocol/message_stream.h"

#include "protocol/diagnostics.h"
#include "protocol/objects.h"
#include "protocol/vehicle.h"

namespace wavetrope::protocol {

namespace {

// In this order each is asked for a frame.
void build(std::vector<std::unique_ptr<Layer>>& layers, TransferListener& listener, const std::vector<Spoken>& spoken)
{
    std::vector<DiagnosticPair> pairs;
    bool objects = false, vehicle = false;
    for (const Spoken& one : spoken) {
        pairs.insert(pairs.end(), one.pairs.begin(), one.pairs.end());
        objects = objects || one.protocol == Protocol::objects;
        vehicle = vehicle || one.protocol == Protocol::vehicle;
    }
    if (!pairs.empty())
        layers.push_back(std::make_unique<Diagnostics>(listener, pairs));
    if (objects)
        layers.push_back(std::make_unique<Objects>(listener));
    if (vehicle)
        layers.push_back(std::make_unique<Vehicle>(listener));
}

}  // namespace

void MessageStream::speak(std::uint8_t bus, const std::vector<Spoken>& spoken)
{
    if (layers_.size() <= bus)
        layers_.resize(bus + 1U);
    build(layers_[bus], *this, spoken);
}

void MessageStream::onFrame(const can::FrameView& frame)
{
    if (limit_ < frame.time) {
        for (auto& layers : layers_)
            for (const auto& layer : layers)
                if (layer->nextLimit() < frame.time)
                    layer->passed(frame.time);
        learnLimit();
    }
    if (held_.empty()) {
        // As a rule nothing is open, and a frame is a row at once.
        const Taken taken = take(frame, front_);
        if (taken.as != Taken::As::piece) {
            emit(frame, taken, front_, nullptr);
            ++front_;
            return;
        }
        held_.append(frame).taken = taken;
        learnLimit();
        return;
    }
    Held& held = held_.append(frame);
    held.taken = take(frame, front_ + held_.size() - 1);
    if (held.taken.as == Taken::As::piece)
        learnLimit();
    else
        held.state = Held::Is::alone;
    emitFront();
    if (held_.size() > mostHeld)
        for (const auto& layer : layers_[held_.front().frame.bus])
            layer->finish();
}

MessageStream::Held& MessageStream::Waiting::append(const can::FrameView& frame)
{
    if (count_ == ring_.size()) {
        constexpr std::size_t atFirst = 64;
        std::vector<Held> wider(std::max(atFirst, 2 * ring_.size()));
        for (std::size_t i = 0; i < count_; ++i)
            wider[i] = (*this)[i];
        ring_ = std::move(wider);
        first_ = 0;
    }
    Held& held = (*this)[count_++];
    static_cast<can::FrameHead&>(held.frame) = frame;
    std::copy_n(frame.data, frame.length, held.frame.data.begin());
    held.state = Held::Is::open;
    return held;
}

void MessageStream::learnLimit()
{
    limit_ = Time::max();
    for (const auto& layers : layers_)
        for (const auto& layer : layers)
            limit_ = std::min(limit_, layer->nextLimit());
}

Taken MessageStream::take(const can::FrameView& frame, std::uint64_t number)
{
    if (frame.bus < layers_.size())
        for (const auto& layer : layers_[frame.bus])
            if (const Taken taken = layer->take(frame, number); taken.as != Taken::As::foreign)
                return taken;
    return {};
}

void MessageStream::onTransfer(Transfer&& transfer)
{
    const bool whole = transfer.ended == Ended::whole;
    for (const std::uint64_t number : transfer.numbers)
        held_[number - front_].state = whole ? Held::Is::within : Held::Is::alone;
    transfer_(transfer);
    if (!whole)
        return;
    const std::uint64_t last = transfer.numbers.back();
    held_[last - front_].state = Held::Is::whole;
    wholes_.emplace(last, std::move(transfer));
}

void MessageStream::emit(const can::FrameView& frame, const Taken& taken, std::uint64_t number, const Transfer* whole) const
{
    MessageRow row;
    row.number = number;
    row.time = frame.time;
    row.bus = frame.bus;
    row.frame = frame.kind;
    row.id = frame.id;
    row.direction = frame.direction;
    row.brs = frame.brs;
    row.esi = frame.esi;
    row.data = frame.payload();
    if (taken.as != Taken::As::foreign)
        row.head = taken.head;
    row.stray = taken.as == Taken::As::alone && taken.head.kind == Kind::transport;
    if (whole != nullptr) {
        row.head = whole->head;
        row.id = whole->id;
        row.data = whole->data;
        row.lasted = whole->to - whole->from;
        row.what = whole->what;
        row.pieces = whole->numbers;
    } else if (taken.length != Taken::wholePayload)
        row.data = row.data.subspan(taken.from, taken.length);
    row.length = frame.kind == can::FrameKind::remote ? std::min<unsigned>(frame.dlc, can::maxClassicLength)
                                                      : static_cast<unsigned>(row.data.size());
    row_(row);
}

void MessageStream::emitFront()
{
    while (!held_.empty() && held_.front().state != Held::Is::open) {
        const Held& held = held_.front();
        if (held.state == Held::Is::alone) {
            emit(held.frame.view(), held.taken, front_, nullptr);
        } else if (held.state == Held::Is::whole) {
            const auto whole = wholes_.extract(front_);
            emit(held.frame.view(), held.taken, front_, &whole.mapped());
        }
        held_.dropFront();
        ++front_;
    }
}

void MessageStream::skip(std::uint64_t frames)
{
    finish();
    front_ += frames;
}

void MessageStream::finish()
{
    for (auto& layers : layers_)
        for (const auto& layer : layers)
            layer->finish();
    emitFront();
}

}  // namespace wavetrope::protocol
