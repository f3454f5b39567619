// SPDX-License-Identifier: GPL-3.0-or-later
// interfaces and capture.
#include <unistd.h>

#include <algorithm>

#include "base/time_text.h"
#include "bus/arrivals.h"
#include "bus/kernel_bus.h"
#include "bus/kernel_interfaces.h"
#include "bus/kinds.h"
#include "cli/capture_command.h"
#include "cli/command.h"
#include "cli/csv.h"
#include "clock/pacer.h"
#include "record/recorder.h"
#include "spool/spool.h"

namespace wavetrope::cli {

namespace {

Time machineTime() { return std::chrono::duration_cast<Time>(std::chrono::system_clock::now().time_since_epoch()); }

int interfaces()
{
    std::vector<bus::Listed> listed;
    for (const bus::BusKind& kind : bus::busKinds()) {
        auto found = kind.list();
        if (!found)
            return report(found.error());
        listed.insert(listed.end(), found->begin(), found->end());
    }
    CsvWriter out(stdout);
    out.row({"name", "state", "kind", "bit_rate", "data_bit_rate"});
    for (const bus::Listed& one : listed)
        out.row({one.address, one.state, one.kind, one.rate.known() ? std::to_string(one.rate.nominal) : "",
            one.rate.data > 0 ? std::to_string(one.rate.data) : ""});
    return 0;
}

// A row for each change, until Ctrl+C.
int watchInterfaces()
{
    auto watch = bus::InterfaceWatch::start();
    if (!watch)
        return report(watch.error());
    CsvWriter out(stdout);
    out.row({"time", "change", "name", "state", "kind", "bit_rate", "data_bit_rate", "sample_point", "restart_ms", "place"});
    clock::SteadyClock wall;
    while (!interrupted && out.good()) {
        const Time now = machineTime();
        for (const bus::InterfaceChange& change : (*watch)->poll(now)) {
            const bus::KernelInterface& is = change.is;
            char sample[16] = "";
            if (is.samplePoint > 0)
                std::snprintf(sample, sizeof sample, "%.1f", is.samplePoint);
            out.row(
                {secondsText(now), bus::toText(change.what), is.name, change.what == bus::InterfaceChange::What::gone ? "gone" : is.state,
                    is.kind, is.rate.known() ? std::to_string(is.rate.nominal) : "", is.rate.data > 0 ? std::to_string(is.rate.data) : "",
                    sample, is.restartAfter ? std::to_string(*is.restartAfter / std::chrono::milliseconds(1)) : "", is.place});
        }
        out.flush();
        wall.waitFor(std::chrono::milliseconds(50));
    }
    return out.finish() ? 0 : printed(false);
}

struct CaptureOptions {
    std::vector<std::string> interfaces;
    std::string span;
    RecordOption record;
};

// What comes goes to the recorder, and is kept nowhere else.
class CapturedFrames final : public bus::Listener {
public:
    void recordBy(record::Recorder& recorder) { recorder_ = &recorder; }
    void onFrame(const can::FrameView& frame, bus::Port) override
    {
        ++frames_;
        recorder_->take(frame);
    }
    [[nodiscard]] std::uint64_t frames() const { return frames_; }

private:
    record::Recorder* recorder_ = nullptr;
    std::uint64_t frames_ = 0;
};

int capture(const CaptureOptions& options)
{
    std::optional<Time> span;
    if (!options.span.empty()) {
        span = spanFromText(options.span);
        if (!span || span->count() <= 0)
            return report("--for '" + options.span + "': expected a time such as 10s");
    }
    if (const auto may = mayRecord(options.record); !may)
        return report(may.error());
    const auto known = bus::kernelInterfaces();
    CapturedFrames ingest;
    std::vector<trace::TraceBus> described;
    std::vector<std::unique_ptr<bus::KernelBus>> buses;
    std::vector<bus::Bus*> all;
    for (const std::string& name : options.interfaces) {
        can::BitRate rate;
        if (known)
            for (const bus::KernelInterface& interface : *known)
                if (interface.name == name)
                    rate = interface.rate;
        const auto index = static_cast<std::uint8_t>(described.size());
        described.push_back({name, rate});
        auto opened = bus::KernelBus::open(name, {index, rate, 1U << 17});
        if (!opened)
            return report(opened.error());
        if (const std::string advice = (*opened)->health().advice; !advice.empty())
            warn(advice);
        (*opened)->listen(&ingest);
        buses.push_back(std::move(*opened));
        all.push_back(buses.back().get());
    }
    auto recorder = record::Recorder::start(options.record.path, described);
    if (!recorder)
        return report(recorder.error());
    ingest.recordBy(**recorder);
    std::fprintf(stderr, "capturing%s\n", isatty(STDERR_FILENO) != 0 ? "; Ctrl+C ends it" : "");
    clock::SteadyClock wall;
    const Time start = wall.now();
    ProgressLine progress("capturing");
    while (!interrupted && (!span || wall.now() - start < *span)) {
        wall.waitFor(std::chrono::milliseconds(5));
        bus::bringIn(all, machineTime(), buses.size() > 1 ? bus::arrivalPatience : Time{0});
        if (const auto flushed = (*recorder)->flush(); !flushed)
            return report(flushed.error());
        if (span)
            progress.show(static_cast<std::uint64_t>((wall.now() - start).count()), static_cast<std::uint64_t>(span->count()));
    }
    std::uint64_t lost = 0;
    // What has come by now is waited for, as long as its readers need.
    for (const Time end = wall.now(); wall.now() - end < std::chrono::seconds(1);) {
        if (std::all_of(all.begin(), all.end(), [](bus::Bus* bus) { return bus->inHand(); }))
            break;
        wall.waitFor(std::chrono::milliseconds(1));
    }
    bus::bringIn(all, machineTime(), Time{0});
    for (auto& bus : buses) {
        lost += bus->health().lost;
        if (bus->health().words != "alive")
            warn(bus->health().words);
    }
    if (const auto finished = (*recorder)->finish(); !finished)
        return report(finished.error());
    if (const std::string refused = (*recorder)->refused(); !refused.empty())
        warn(refused);
    std::fprintf(
        stderr, "%llu frames, %llu lost\n", static_cast<unsigned long long>(ingest.frames()), static_cast<unsigned long long>(lost));
    return 0;
}

}  // namespace

void addBusCommands(CLI::App& program, int& result)
{
    const auto watches = std::make_shared<bool>(false);
    CLI::App* list = program.add_subcommand("interfaces", "The kernel's CAN interfaces as CSV");
    list->add_flag("--watch", *watches, "A row for each change, until Ctrl+C");
    list->callback([watches, &result] { result = *watches ? watchInterfaces() : interfaces(); });

    const auto options = std::make_shared<CaptureOptions>();
    const auto ofRig = std::make_shared<RigCapture>();
    CLI::App* command = program.add_subcommand(
        "capture", "Captures from interfaces of the kernel to a log, or runs the recordings of a rig");
    auto* rig = command->add_option("rig", ofRig->rig, "The rig document whose buses, conditions and recordings are run");
    auto* interface =
        command->add_option("--interface", options->interfaces, "Name, such as can0; may be given several times")->excludes(rig);
    command->add_option("--for", options->span, "How long; without, until Ctrl+C");
    auto* record = addRecording(*command, options->record, "The log of the interfaces")->needs(interface);
    interface->needs(record);
    command->add_option("--out", ofRig->out, "Folder for the takes of a rig; without, this one")->needs(rig);
    command
        ->add_option(
            "--spool", ofRig->spool, "Folder that keeps the run while it lasts, so that what is needed from before need not be in memory")
        ->needs(rig);
    command->add_option("--memory", ofRig->memory, "How much of memory its frames may take, such as 512MB")
        ->transform(CLI::AsSizeValue(true))
        ->check(CLI::Range(spool::leastMemory, std::size_t{1} << 46U))
        ->needs(rig);
    command->add_option("--socket", ofRig->socket, "Where words from outside are heard; see tell")->needs(rig);
    command->add_flag("--virtual", ofRig->isVirtual, "As fast as it goes instead of real time, where all buses are simulated")->needs(rig);
    command->callback([options, ofRig, &result] {
        if (ofRig->rig.empty() && options->interfaces.empty()) {
            result = report("expected a rig, or --interface and --record");
            return;
        }
        ofRig->span = options->span;
        result = ofRig->rig.empty() ? capture(*options) : captureRig(*ofRig);
    });
    addTell(program, result);
}

}  // namespace wavetrope::cli
