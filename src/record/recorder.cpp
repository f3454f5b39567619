#include "record/recorder.h"

namespace wavetrope::record {

Expected<std::unique_ptr<Recorder>> Recorder::start(const std::string& path, const trace::Trace& trace, trace::Row from, const filter::Filter& filter, std::optional<Time> origin)
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

}  // namespace wavetrope::record
