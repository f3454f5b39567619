// SPDX-License-Identifier: GPL-3.0-or-later
// Messages as they are typed: what is read as a frame reads back as the same, and what is put together decodes to what was given. Rewritings and
// manipulations: what is taken holds its signal within its bits, and leaves the length of a frame.
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "database/compose.h"
#include "database/dbc_reader.h"
#include "drive/manipulation.h"
#include "drive/message_text.h"
#include "drive/rewriting.h"

using namespace wavetrope;

namespace {

const database::Database& blade()
{
    static const database::Database database = database::readDbc(
        "BU_: Blade\nBO_ 513 Blade: 8 Blade\n SG_ Page M : 0|4@1+ (1,0) [0|0] \"\" Blade\n"
        " SG_ Depth m0 : 8|12@1- (0.01,-3) [-5|5] \"mm\" Blade\n SG_ Share m1 : 8|32@1- "
        "(1,0) [0|0] \"\" Blade\n SG_ Wide : 40|16@1+ (1,0) [0|0] \"bar\" Blade\n"
        "SIG_VALTYPE_ 513 Share : 1;\nVAL_ 513 Page 0 \"depth\" 1 \"share\" ;\n",
        "blade.dbc")
                                                   .database;
    return database;
}

void rewriteWith(std::string_view text, const std::uint8_t* data, std::size_t size)
{
    static const auto catalog = [] {
        auto out = std::make_shared<database::Catalog>();
        out->attach(out->addBus("Main"), std::make_shared<const database::Database>(blade()));
        return out;
    }();
    (void)drive::manipulationFromText(text);
    const std::vector<std::string> texts = {std::string(text)};
    auto rewriting = drive::Rewriting::compile(texts, catalog);
    if (!rewriting)
        return;
    can::Frame frame;
    frame.id = {513, false};
    frame.length = frame.dlc = static_cast<std::uint8_t>(size % 9);
    for (unsigned i = 0; i < frame.length; ++i)
        frame.data[i] = data[i % size];
    can::Frame out = frame;
    const auto outcome = rewriting->apply(frame.view(), Time{7'000'000}, out);
    if (out.length != frame.length || out.id != rewriting->identifierOf(frame.id)
        || outcome.changed != (out.id != frame.id || out.data != frame.data))
        std::abort();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    if (size > 0)
        rewriteWith(std::string_view(reinterpret_cast<const char*>(data), size), data, size);
    const auto typed = drive::messageFromText(std::string_view(reinterpret_cast<const char*>(data), size));
    if (!typed)
        return 0;
    if (typed->frame) {
        const auto again = drive::messageFromText(drive::toText(typed->frame->view()));
        if (!again || !again->frame || drive::toText(again->frame->view()) != drive::toText(typed->frame->view()))
            std::abort();
        return 0;
    }
    const database::Message& message = blade().messages.front();
    static const database::MessagePlan plan(message);
    std::vector<database::GivenBits> given;
    for (const auto& [name, value] : typed->values)
        for (std::uint32_t i = 0; i < message.signals.size(); ++i)
            if (message.signals[i].name == name)
                if (const auto bits = database::bitsFromText(message.signals[i], plan.plan(i), value))
                    given.push_back({i, *bits});
    const auto composed = database::compose(message, plan, given);
    if (!composed)
        return 0;
    for (const database::GivenBits& one : given) {
        database::Decoded decoded;
        if (!plan.decodeOne(can::Payload(composed->payload), one.signal, decoded) || decoded.bits != one.bits)
            std::abort();
    }
    return 0;
}
