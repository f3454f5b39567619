// SPDX-License-Identifier: GPL-3.0-or-later
#include "convert/streamed_conversion.h"

#include <sys/stat.h>

namespace wavetrope::convert {

Expected<std::unique_ptr<StreamedConversion>> StreamedConversion::begin(
    Conversion conversion, std::function<std::pair<Time, Time>(Time)> within)
{
    if (const auto may = mayWrite(conversion); !may)
        return tl::unexpected(may.error());
    auto streamed = std::unique_ptr<StreamedConversion>(new StreamedConversion(std::move(conversion), std::move(within)));
    if (streamed->conversion_.form == Form::rows) {
        auto file = formats::OutputFile::create(streamed->conversion_.path);
        if (!file)
            return tl::unexpected(file.error());
        streamed->text_ = std::move(*file);
        streamed->text_->write(std::string_view(ValueRows::head));
    }
    return streamed;
}

void StreamedConversion::join(StreamWork& work)
{
    if (conversion_.form == Form::log) {
        work.take = [this](const LogFacts& facts, std::span<const can::FrameView> frames) { return take(facts, frames); };
        return;
    }
    work.render = [this](const LogFacts& facts, std::span<const can::FrameView> frames, std::span<const DerivedValue> derived) {
        return render(facts, frames, derived);
    };
    work.derive = [this](const database::Catalog& catalog) { return values_.derive(catalog); };
    work.write = [this](std::string_view text) {
        text_->write(text);
        return good();
    };
}

// Buses that the file does not know yet.
bool StreamedConversion::declare(const std::vector<trace::TraceBus>& buses)
{
    if (log_ == nullptr) {
        auto file = formats::LogFile::create(conversion_.path, buses);
        if (!file) {
            failure_ = file.error();
            return false;
        }
        log_ = std::move(*file);
        declared_ = buses.size();
    }
    for (; declared_ < buses.size(); ++declared_)
        log_->addBus(buses[declared_]);
    return true;
}

bool StreamedConversion::take(const LogFacts& facts, std::span<const can::FrameView> frames)
{
    if (!declare(facts.buses))
        return false;
    const auto [from, to] = stretch(facts.origin);
    for (const can::FrameView& frame : frames) {
        if (frame.time < from || frame.time > to)
            continue;
        log_->write(frame);
        ++frames_;
    }
    return good();
}

std::string StreamedConversion::render(const LogFacts& facts, std::span<const can::FrameView> frames, std::span<const DerivedValue> derived)
{
    const auto [from, to] = stretch(facts.origin);
    return values_.render(facts.catalog, conversion_.clock == Clock::start ? facts.origin : Time{0}, frames, derived, from, to);
}

Expected<Outcome> StreamedConversion::finish(
    const std::vector<trace::TraceBus>& buses, const std::shared_ptr<const database::Catalog>& catalog)
{
    Outcome outcome;
    if (reversed_)
        failure_ = Error{"the stretch of time ends before it begins", conversion_.path, 0, 0, {}};
    if (conversion_.form == Form::log && !failure_)
        (void)declare(buses);       // a log without frames has its buses, too
    if (failure_) {
        discard();
        return tl::unexpected(*failure_);
    }
    outcome.frames = log_ != nullptr ? frames_ : values_.frames();
    if (log_ != nullptr) {
        if (const std::string losses = log_->losses(buses); !losses.empty())
            outcome.warnings.push_back(losses);
        if (const std::string refused = log_->refused(); !refused.empty())
            outcome.warnings.push_back(refused);
    } else {
        outcome.values = values_.counts().values;
        outcome.warnings = values_.shortcomings(catalog);
    }
    if (const auto done = log_ != nullptr ? log_->finish() : text_->finish(); !done) {
        discard();
        return tl::unexpected(done.error());
    }
    struct stat info{};
    outcome.bytes = ::stat(conversion_.path.c_str(), &info) == 0 ? static_cast<std::uint64_t>(info.st_size) : 0;
    return outcome;
}

void StreamedConversion::discard()
{
    if (log_ != nullptr)
        log_->discard();
    if (text_ != nullptr)
        text_->discard();
}

}  // namespace wavetrope::convert
