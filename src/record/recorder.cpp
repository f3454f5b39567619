#include "record/recorder.h"

namespace wavetrope::record {

namespace {

constexpr std::uint64_t progressEvery = 1U << 16;

}  // namespace

Expected<std::unique_ptr<Recorder>> Recorder::start(const std::string& path, const trace::Trace& trace, trace::Row from, const filter::Filter& filter, std::optional<can::Time> origin)
{
    auto file = formats::LogFile::create(path, trace.buses());
    if (!file)
        return tl::unexpected(file.error());
    auto recorder = std::unique_ptr<Recorder>(new Recorder(std::move(*file), trace, from));
    if (!filter.passesEverything())
        recorder->scan_ = std::make_unique<filter::FilterScan>(filter, origin);
    return recorder;
}

Expected<void> Recorder::advance()
{
    const trace::Snapshot snapshot = trace_.snapshot();
    if (scan_ == nullptr) {
        for (; next_ < snapshot.rows(); ++next_)
            file_->write(snapshot.frame(next_));
        return file_->flush();
    }
    scan_->advance(snapshot);
    scan_->rows().each(scan_->rows().rank(next_), [&](trace::Row row) {
        file_->write(snapshot.frame(row));
        return true;
    });
    next_ = snapshot.rows();
    return file_->flush();
}

Expected<void> Recorder::finish()
{
    if (auto rest = advance(); !rest)
        return rest;
    return file_->finish();
}

Expected<std::uint64_t> saveTrace(const std::string& path, const trace::Snapshot& snapshot, bool (*keepGoing)(void*, std::uint64_t, std::uint64_t), void* context)
{
    auto file = formats::LogFile::create(path, snapshot.trace().buses());
    if (!file)
        return tl::unexpected(file.error());
    for (trace::Row row = 0; row < snapshot.rows(); ++row) {
        (*file)->write(snapshot.frame(row));
        if (keepGoing != nullptr && row % progressEvery == 0 && !keepGoing(context, row, snapshot.rows())) {
            (*file)->discard();
            return fail("saving was cancelled", path);
        }
    }
    if (auto finished = (*file)->finish(); !finished)
        return tl::unexpected(finished.error());
    return snapshot.rows();
}

}  // namespace wavetrope::record
