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
    const std::uint64_t number = front_ + held_.size();
    Held& held = held_.emplace_back();
    held.frame = can::Frame(frame);
    held.is = Held::Is::open;
    Taken taken;
    if (frame.bus < layers_.size())
        for (const auto& layer : layers_[frame.bus])
            if (taken = layer->take(frame, number); taken.as != Taken::As::foreign)
                break;
    if (!held.whole)  // else it is told already what it has made whole
        held.taken = taken;
    if (taken.as != Taken::As::piece)
        held.is = Held::Is::decided;
    emitFront();
    if (held_.size() > mostHeld)
        for (const auto& layer : layers_[held_.front().frame.bus])
            layer->finish();
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
}

void MessageStream::emit(const Held& held) const
{
    MessageRow row{held.frame.time, held.frame.bus, {}, held.frame.kind, held.frame.id, held.frame.length,
        {held.frame.data.data(), held.frame.length}};
    row.direction = held.frame.direction;
    row.brs = held.frame.brs;
    row.esi = held.frame.esi;
    if (held.taken.as != Taken::As::foreign)
        row.head = held.taken.head;
    if (held.whole)
        row.data = held.message;
    else if (held.taken.length != Taken::wholePayload)
        row.data = row.data.subspan(held.taken.from, held.taken.length);
    row.length = held.frame.kind == can::FrameKind::remote ? std::min<unsigned>(held.frame.dlc, can::maxClassicLength)
                                                           : static_cast<unsigned>(row.data.size());
    row_(row);
}

void MessageStream::emitFront()
{
    while (!held_.empty() && held_.front().is != Held::Is::open) {
        if (held_.front().is == Held::Is::decided)
            emit(held_.front());
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
