// SPDX-License-Identifier: GPL-3.0-or-later
// What higher protocols make of a window's run or log.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QString>
#include <QUndoStack>

#include <map>
#include <memory>
#include <optional>
#include <set>
#include <vector>

#include "app/stage/stage.h"
#include "measure/message_index.h"
#include "protocol/process_data.h"
#include "protocol/talk.h"
#include "protocol/dictionary_review.h"
#include "protocol/network.h"
#include "protocol/recognise.h"

namespace wavetrope::app {

class BackgroundScan;
class NewestWork;

/// What a bus speaks, and who says so.
struct SpokenOn {
    std::vector<protocol::Spoken> spoken;
    bool said = false;      ///< By the rig; else it was recognised.
    QString why;            ///< In words.
};

/// Messages, transfers and who is there, followed on a thread of its own as long as somebody looks.
class ProtocolDesk : public QObject {
    Q_OBJECT
public:
    explicit ProtocolDesk(Stage& stage);
    ~ProtocolDesk() override;

    /// By bus of the trace.
    [[nodiscard]] const std::vector<SpokenOn>& spoken() const { return spoken_; }
    /// Sets what a bus speaks, in the rig; an edit that can be taken back. Nothing: it is recognised again.
    [[nodiscard]] Expected<void> speak(const std::string& bus, const std::optional<std::vector<std::string>>& protocols);
    [[nodiscard]] QUndoStack& undoStack() { return undo_; }

    /// The messages of the trace, put together while somebody has them; null where nothing is spoken.
    [[nodiscard]] std::shared_ptr<const measure::MessageIndex> messages();
    /// Whether a message of the databases comes in pieces: it is one of a network of vehicles, and too long for a frame.
    [[nodiscard]] bool inPieces(const database::CatalogMessage& message) const;
    /// The newest of a message that comes in pieces, up to the cursor; nothing where there was none.
    [[nodiscard]] std::optional<measure::Message> newestOf(const database::CatalogMessage& message);
    /// Who is there at the cursor.
    [[nodiscard]] const std::vector<protocol::NetworkNode>& nodes() const { return nodes_; }
    /// The moment that they are told of.
    [[nodiscard]] Time nodesAt() const { return nodesAt_; }
    /// What came in pieces, with its first bytes where it has few; in the order in which it ended.
    [[nodiscard]] const std::vector<protocol::Transfer>& transfers() const { return transfers_; }
    [[nodiscard]] std::uint64_t notKept() const { return notKept_; }
    [[nodiscard]] std::uint64_t broken() const { return broken_; }
    /// The name of who has an address, a node's number or an identifier; empty where nothing tells.
    [[nodiscard]] QString nameOf(std::uint8_t bus, protocol::Party party) const;
    /// The same of one who is there; a unit without an address is known by its name.
    [[nodiscard]] QString nameOf(const protocol::NetworkNode& node) const;
    /// "BladeUnit → Display", "BladeUnit → all", "→ node 4".
    [[nodiscard]] QString betweenWords(std::uint8_t bus, const protocol::Head& head) const;
    /// What each bus speaks, by its index.
    [[nodiscard]] std::vector<std::vector<protocol::Spoken>> spokenByBus() const;
    /// Whether any bus speaks anything.
    [[nodiscard]] bool anySpoken() const;
    /// The dictionary of the node that a message of objects is of, or null.
    [[nodiscard]] const protocol::Dictionary* dictionaryOf(std::uint8_t bus, const protocol::Head& head) const;
    /// Gives a node another dictionary, in the rig: an edit that can be taken back. An empty path takes it away.
    [[nodiscard]] Expected<void> attachDictionary(const std::string& bus, std::uint8_t node, const QString& path);
    /// What the traffic so far says against the dictionary of a node; followed while somebody looks.
    [[nodiscard]] const std::vector<protocol::Contradiction>& contradictionsOf(std::uint8_t bus, std::uint8_t node) const;
    /// The dictionary of a node, or null.
    [[nodiscard]] const protocol::Dictionary* dictionaryOf(std::uint8_t bus, std::uint8_t node) const;

    /// An object of a node.
    struct ObjectOf {
        std::uint8_t bus = 0, node = 0;
        protocol::ObjectPlace place{};
        friend auto operator<=>(const ObjectOf& a, const ObjectOf& b)
        {
            return std::tuple(a.bus, a.node, protocol::Dictionary::keyOf(a.place))
                   <=> std::tuple(b.bus, b.node, protocol::Dictionary::keyOf(b.place));
        }
        friend bool operator==(const ObjectOf& a, const ObjectOf& b) { return (a <=> b) == 0; }
    };
    /// The newest whole transfer of it up to the cursor, with up to `bytesKept` of its bytes; null where there was none.
    [[nodiscard]] const protocol::Transfer* transferOf(const ObjectOf& object) const;
    static constexpr std::size_t bytesKept = 64;
    /// How long the node took with each whole transfer of one request and one answer, so far.
    [[nodiscard]] std::vector<Time> answerTimes(std::uint8_t bus, std::uint8_t node) const;
    /// Where it stands in process data, and its newest value there at the cursor.
    struct InProcessData {
        const database::CatalogMessage* message = nullptr;  ///< Of the dictionary's own.
        std::uint32_t signal = 0;
        trace::Row row = trace::noRow;
        std::optional<database::Decoded> value;
    };
    [[nodiscard]] std::optional<InProcessData> inProcessData(const ObjectOf& object) const;
    /// Its value at the cursor, as text: of process data, else as it was read or written last; empty where nothing told it.
    [[nodiscard]] QString valueOf(const ObjectOf& object) const;

    /// What came of a question, on the thread of the run: gives what is to be done with it in the window.
    using Answered = std::function<std::function<void()>(const protocol::Talk&, const protocol::Answer&, double at, double milliseconds)>;
    /// Asks somebody on a bus. An error where nothing runs.
    [[nodiscard]] Expected<void> ask(std::uint8_t bus, std::unique_ptr<protocol::Talk> talk, Answered answered);

    /// Keeps the session of a server alive from now on; 0: no longer. An error where nothing runs.
    [[nodiscard]] Expected<void> keepSession(std::uint8_t bus, const protocol::DiagnosticPair& pair, Time every);

    /// One who is there.
    struct Member {
        std::uint8_t bus = 0;
        protocol::Party party;
        friend bool operator==(const Member&, const Member&) = default;
    };
    /// Keeps messages, transfers and trouble codes to these; none: to nobody in particular.
    void keep(std::vector<Member> members);
    [[nodiscard]] const std::vector<Member>& kept() const { return kept_; }
    /// Whether what somebody has with somebody is kept.
    [[nodiscard]] bool keeps(std::uint8_t bus, const protocol::Head& head) const;
    [[nodiscard]] bool keeps(const Member& member) const;
    /// Whether one of the two of a message is among these.
    [[nodiscard]] static bool among(const std::vector<Member>& members, std::uint8_t bus, const protocol::Head& head);
    /// "BladeUnit, 0x28"; empty where nobody is kept to.
    [[nodiscard]] QString keptWords() const;

    void look(const QObject* who, bool looks);
    /// Whether all that is there was followed.
    [[nodiscard]] bool settled() const;

Q_SIGNALS:
    void changed();
    /// What buses speak is another thing.
    void spokenChanged();
    /// Others are kept to.
    void keptChanged();
    /// Further messages are put together.
    void messagesGrown();

private:
    struct Following;
    class Change;
    class Attachment;
    Expected<void> place(const std::string& bus, std::uint8_t node, const std::string& file);
    void begin();
    void bringUp();
    void followOn();
    void learn();
    void enlist(protocol::Transfer&& transfer);
    Expected<void> replace(const std::string& bus, const nlohmann::json& next);

    Stage& stage_;
    NewestWork* work_;
    std::shared_ptr<Following> following_;
    std::vector<SpokenOn> spoken_;
    std::vector<protocol::NetworkNode> nodes_;
    std::vector<protocol::Transfer> transfers_;
    std::map<ObjectOf, std::vector<std::uint32_t>> objects_;  // their whole transfers, by place among all
    mutable std::map<const protocol::Dictionary*, std::shared_ptr<const database::Catalog>> processes_;
    std::map<std::pair<std::uint8_t, std::uint8_t>, std::vector<protocol::Contradiction>> contradictions_;
    std::weak_ptr<const measure::MessageIndex> messages_;
    std::shared_ptr<const measure::MessageIndex> held_;     // since somebody asked for a value of it
    std::unique_ptr<BackgroundScan> scan_;     // brings it up
    trace::Row seen_ = 0;
    std::uint64_t notKept_ = 0, broken_ = 0, rows_ = 0;
    trace::Row at_ = trace::noRow;
    Time nodesAt_{};
    bool over_ = false, asking_ = false;
    std::size_t identifiers_ = 0;
    std::map<std::string, nlohmann::json> apart_;   // of buses that the rig has not
    std::vector<Member> kept_;
    std::set<const QObject*> lookers_;
    QElapsedTimer since_;
    QUndoStack undo_;
};

}  // namespace wavetrope::app
