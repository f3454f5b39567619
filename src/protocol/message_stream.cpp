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
    for (auto& layers : layers_)
        for (const auto& layer : layers)
            if (layer->nextLimit() < frame.time)
                layer->passed(frame.time);
    if (held_.empty()) {
        // As a rule nothing is open, and a frame is a row at once.
        const Taken taken = take(frame, front_);
        if (taken.as != Taken::As::piece) {
            emit(frame, taken, front_, nullptr);
            ++front_;
            return;
        }
        Held& first = held_.emplace_back();
        first.frame = can::Frame(frame);
        first.taken = taken;
        first.is = Held::Is::open;
        return;
    }
    const std::uint64_t number = front_ + held_.size();
    Held& held = held_.emplace_back();
    held.frame = can::Frame(frame);
    held.is = Held::Is::open;
    const Taken taken = take(frame, number);
    if (!held.whole)  // else it is told already what it has made whole
        held.taken = taken;
    if (taken.as != Taken::As::piece)
        held.is = Held::Is::decided;
    emitFront();
    if (held_.size() > mostHeld)
        for (const auto& layer : layers_[held_.front().frame.bus])
            layer->finish();
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
        held_[number - front_].is = whole ? Held::Is::within : Held::Is::decided;
    transfer_(transfer);
    if (!whole)
        return;
    Held& row = held_[transfer.numbers.back() - front_];
    row.is = Held::Is::decided;
    row.whole = true;
    row.taken = {Taken::As::piece, transfer.head};
    row.frame.id = transfer.id;
    row.message = std::move(transfer.data);
    row.lasted = transfer.to - transfer.from;
    row.what = transfer.what;
    row.numbers = std::move(transfer.numbers);
}

void MessageStream::emit(const can::FrameView& frame, const Taken& taken, std::uint64_t number, const Held* whole) const
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
        row.data = whole->message;
        row.lasted = whole->lasted;
        row.what = whole->what;
        row.pieces = whole->numbers;
    }
    if (whole == nullptr && taken.length != Taken::wholePayload)
        row.data = row.data.subspan(taken.from, taken.length);
    row.length = frame.kind == can::FrameKind::remote ? std::min<unsigned>(frame.dlc, can::maxClassicLength)
                                                      : static_cast<unsigned>(row.data.size());
    row_(row);
}

void MessageStream::emitFront()
{
    while (!held_.empty() && held_.front().is != Held::Is::open) {
        if (const Held& held = held_.front(); held.is == Held::Is::decided)
            emit(held.frame.view(), held.taken, front_, held.whole ? &held : nullptr);
        held_.pop_front();
        ++front_;
    }
}

void MessageStream::finish()
{
    for (auto& layers : layers_)
        for (const auto& layer : layers)
            layer->finish();
    emitFront();
}

}  // namespace wavetrope::protocol
