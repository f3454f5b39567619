// SPDX-License-Identifier: GPL-3.0-or-later
// What all views of a window share: the time window, the cursor, what is selected.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QString>
#include <QTimer>

#include <functional>
#include <memory>
#include <optional>
#include <utility>
#include <vector>

#include "app/theme/theme.h"
#include "rig/run_document.h"

namespace wavetrope::app {

using rig::RunDocument;

class BackgroundScan;
class Desk;
class NoteDesk;
class RuleDesk;
class BusDesk;
class TimingDesk;
class CurveDesk;
class OutboxDesk;
class ManipulationDesk;
class DialogueDesk;
class ProtocolDesk;
class BoardDesk;
class ReportDesk;
class DeriveDesk;
class DrawnCurves;
class EventDesk;

/// What the inspector explains.
struct Selection {
    enum class Kind {
        none,
        message,
        signal,
        node,
        event,
        interface,
        condition,
        recording,
        response,
        derived,
        outboxRow,
        boardItem,
        phase,
        object
    } kind = Kind::none;
    std::uint8_t bus = 0;
    can::Identifier id{};
    int signal = -1;            ///< Index in the message, for a signal; number of a row of the outbox, or of an item of a board;
                                ///< of a phase, for partner `bus`; of an object, of which `id` is the node, index and sub-index.
    QString node;               ///< Name of a node, interface of the machine, condition, recording, derived signal, board or dialogue.
    measure::Event event;
    /// Whether it is a message, or a signal of one.
    [[nodiscard]] bool names(std::uint8_t ofBus, can::Identifier ofId) const
    {
        return (kind == Kind::message || kind == Kind::signal || kind == Kind::outboxRow) && bus == ofBus && id == ofId;
    }
    friend bool operator==(const Selection& a, const Selection& b)
    {
        return a.kind == b.kind && a.bus == b.bus && a.id == b.id && a.signal == b.signal && a.node == b.node
               && a.event.time == b.event.time && a.event.kind == b.event.kind && a.event.text == b.event.text;
    }
};

/// Two moments between which is measured.
struct Marks {
    std::optional<Time> a, b;
    [[nodiscard]] bool both() const { return a && b; }
    friend bool operator==(const Marks&, const Marks&) = default;
};

/// A line of a spectrum, drawn over the curve that it is of: mean + amplitude cos(2 pi hertz s + phase), s from `from` on.
struct Tone {
    QString path;
    Time from{}, to{};
    double hertz = 0, amplitude = 0, phase = 0, mean = 0;
    friend bool operator==(const Tone&, const Tone&) = default;
};

/// One time axis for a window. While it follows, the cursor stands at the newest frame; once moved, the views rest
/// until `now()`.
class Stage : public QObject {
    Q_OBJECT
public:
    explicit Stage(RunDocument& document);
    ~Stage() override;
    /// The databases of this window as they are edited.
    [[nodiscard]] Desk& desk();
    /// The notes of this window's run.
    [[nodiscard]] NoteDesk& notes();
    /// The conditions and recordings of this window's rig.
    [[nodiscard]] RuleDesk& rules();
    /// The buses of this window's rig, as they shall be.
    [[nodiscard]] BusDesk& buses();
    /// Response times, with the jitter and deadlines of this window's rig.
    [[nodiscard]] TimingDesk& timing();
    /// The reports of this window's rig.
    [[nodiscard]] ReportDesk& reports();
    [[nodiscard]] OutboxDesk& outbox();
    /// What is changed on purpose of what nodes send.
    [[nodiscard]] ManipulationDesk& manipulations();
    [[nodiscard]] DialogueDesk& dialogues();
    /// What higher protocols make of it.
    [[nodiscard]] ProtocolDesk& protocols();
    /// The boards of this window's rig.
    [[nodiscard]] BoardDesk& boards();
    /// The derived signals of this window's rig.
    [[nodiscard]] DeriveDesk& derive();
    /// All that happened.
    [[nodiscard]] EventDesk& events();
    /// The samples of signals.
    [[nodiscard]] CurveDesk& curveDesk();

    [[nodiscard]] RunDocument& document() { return document_; }
    /// By which letter and hue a bus is known in this window.
    [[nodiscard]] BusMark mark(unsigned bus) const;
    /// Whether there is nothing to look at yet: a rig without a bus.
    [[nodiscard]] bool emptyDesk() const { return document_.isLive() && document_.buses().empty(); }
    [[nodiscard]] const database::Catalog& catalog() const { return *document_.catalog(); }
    /// Has all views go by another catalog, behind what somebody does between: `catalogChanged` tells them.
    void takeCatalog(std::shared_ptr<const database::Catalog> catalog, const std::function<void()>& before = {});

    /// Rows that the views look at; renewed with each beat.
    [[nodiscard]] const trace::Snapshot& snapshot() const { return snapshot_; }
    /// Whether the oldest frames were let go, so that what has not been seen may have been.
    [[nodiscard]] bool lostOldest() const { return snapshot_.valid() && snapshot_.rows() > 0 && snapshot_.trace().isGone(0); }
    [[nodiscard]] bool following() const { return following_; }
    [[nodiscard]] Time cursor() const { return cursor_; }
    /// Newest row at the cursor, or noRow.
    [[nodiscard]] trace::Row cursorRow() const { return cursorRow_; }
    [[nodiscard]] Time windowFrom() const { return windowFrom_; }
    [[nodiscard]] Time windowTo() const { return windowTo_; }
    /// The whole run, as far as the timeline shows it.
    static constexpr Time narrowestWindow = std::chrono::microseconds(1);
    [[nodiscard]] Time wholeFrom() const { return document_.begins(); }
    [[nodiscard]] Time wholeTo() const;
    [[nodiscard]] Time newest() const { return newest_; }
    /// Whether what was read or run to its end is what is looked at.
    [[nodiscard]] bool caughtUp() const { return wasReady_; }

    void setCursor(Time time);
    void setCursorRow(trace::Row row);
    /// Moves that follow each other at once are one for whoever goes back.
    void setWindow(Time from, Time to);
    /// A window that was chosen by itself: going back leads to the one before it.
    void chooseWindow(Time from, Time to);
    /// Zooms the window around a moment.
    void zoom(double factor, Time around);
    /// As wide as a span, about the cursor.
    void setWidth(Time span);
    /// Shows the window that was shown before, or the one behind it again; false where there is none.
    bool formerWindow(bool back);
    /// Back to the newest frame, and to the usual span.
    void now();
    /// Span that a live run shows, and that `now` returns to.
    void setUsualWindow(Time span) { usualWindow_ = span; }
    void rest();

    /// The marks A and B, on all views.
    [[nodiscard]] const Marks& marks() const { return marks_; }
    void setMarks(const Marks& marks);
    /// The signals that are drawn in the lanes in sight, by path.
    [[nodiscard]] const std::vector<QString>& curves() const { return curves_; }
    void setCurves(std::vector<QString> paths);

    /// Whoever draws them, or null. `drawnChanged` tells that they are drawn another way.
    [[nodiscard]] DrawnCurves* drawnCurves() const { return drawnCurves_; }
    void setDrawnCurves(DrawnCurves* drawn) { drawnCurves_ = drawn; }

    /// The tone that the lanes draw, or nothing.
    [[nodiscard]] const std::optional<Tone>& tone() const { return tone_; }
    void setTone(const std::optional<Tone>& tone)
    {
        if (std::exchange(tone_, tone) != tone)
            Q_EMIT toneChanged();
    }

    [[nodiscard]] const Selection& selection() const { return selection_; }
    void select(const Selection& selection);

    /// Seconds since the start of the run.
    [[nodiscard]] double seconds(Time time) const { return static_cast<double>((time - document_.begins()).count()) * 1e-9; }
    [[nodiscard]] Time timeOf(double seconds) const { return document_.begins() + Time(static_cast<std::int64_t>(seconds * 1e9)); }

    /// Row at or before a moment, or noRow.
    [[nodiscard]] trace::Row rowAt(Time time) const;
    /// The order of time, as far as it has been measured; rows behind that count as in order.
    [[nodiscard]] trace::TimeIndex order() const;

    /// What the stream's filter found last, for a mark on the timeline; null where everything passes.
    void setMatches(const BackgroundScan* matches);
    [[nodiscard]] const BackgroundScan* matches() const { return matches_; }

Q_SIGNALS:
    void filtersChanged();      ///< The rig's named filters.
    void matchesChanged();
    void beat();                ///< New frames are in the snapshot, or time went on.
    void axisChanged();         ///< Cursor, window or following changed.
    void marksChanged();
    void curvesChanged();
    void toneChanged();
    void drawnChanged();        ///< Curves are drawn another way, or at another scale.
    void selectionChanged();
    void becameReady();         ///< A log has been read.
    /// Somebody chose a bus: whoever shows one alone shows that.
    void busChosen(unsigned bus);
    /// Somebody wants a signal plotted, a message filtered, a node's row shown.
    void plotWanted(const QString& signal);
    void filterWanted(const QString& expression);
    /// Something that the status line tells once.
    void told(const QString& text);
    /// Somebody wants a report of the rig written to a file.
    void reportWanted(int report, const QString& path);
    /// Somebody wants the rig saved.
    void rigSaveWanted();
    /// Somebody wants a log played back in the rig of this window's document.
    void replayWanted(const QString& path);
    /// The databases were edited: `catalog()` is another one, and what was looked up in the old one is out of date.
    void catalogChanged();
    /// Somebody wants these interfaces of the machine watched, as the buses of a new rig.
    void watchWanted(const QStringList& interfaces);
    /// Somebody wants a rig or log opened; an empty path asks for one.
    void fileWanted(const QString& path);
    void newRigWanted();
    /// Somebody wants the run started anew with the buses that the rig shall have.
    void restartWanted();
    /// Somebody wants the definition of an identifier opened, or made.
    void definitionWanted(int bus, unsigned idKey);
    /// What a node sends is to be changed on purpose, in words that somebody goes on with.
    void manipulationWanted(const QString& line);
    /// Somebody on a bus is to be asked: kind, whom and what, with | between them; somebody goes on with it.
    void questionWanted(unsigned bus, const QString& line);

private:
    void onTimer();
    void follow();
    void place(Time time, trace::Row row);
    void rememberWindow();

    RunDocument& document_;
    const BackgroundScan* matches_ = nullptr;
    std::unique_ptr<Desk> desk_;
    std::unique_ptr<NoteDesk> notes_;
    std::unique_ptr<RuleDesk> rules_;
    std::unique_ptr<BusDesk> buses_;
    std::unique_ptr<TimingDesk> timing_;
    std::unique_ptr<ProtocolDesk> protocols_;
    std::unique_ptr<CurveDesk> curveDesk_;
    std::unique_ptr<ReportDesk> reports_;
    std::unique_ptr<OutboxDesk> outbox_;
    std::unique_ptr<ManipulationDesk> manipulations_;
    std::unique_ptr<DialogueDesk> dialogues_;
    std::unique_ptr<BoardDesk> boards_;
    std::unique_ptr<DeriveDesk> derive_;
    std::unique_ptr<EventDesk> events_;
    QTimer timer_;
    trace::Snapshot snapshot_;
    bool following_ = true;
    Time usualWindow_ = std::chrono::seconds(12);
    bool wasReady_ = false;
    bool wasFollowed_ = false;
    bool moved_ = false;            // the user has chosen what to see
    Time cursor_{0};
    Time newest_{0};
    trace::Row cursorRow_ = trace::noRow;
    Time windowFrom_{0};
    Time windowTo_{0};
    Selection selection_;
    Marks marks_;
    // Windows that were chosen: a wheel that turns on is one choice.
    std::vector<std::pair<Time, Time>> former_;
    std::vector<std::pair<Time, Time>> later_;
    QElapsedTimer sinceChosen_;
    std::vector<QString> curves_;
    DrawnCurves* drawnCurves_ = nullptr;
    std::optional<Tone> tone_;
};

/// "Bus:Message.Signal", the name of a signal in drags and pages.
[[nodiscard]] QString signalPath(const database::Catalog& catalog, const database::SignalRef& ref);
/// The signal of such a name, or nothing.
[[nodiscard]] std::optional<database::SignalRef> signalOf(const database::Catalog& catalog, const QString& path);
inline constexpr const char* signalMime = "application/x-wavetrope-signal";

}  // namespace wavetrope::app
