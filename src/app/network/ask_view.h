// SPDX-License-Identifier: GPL-3.0-or-later
// Questions to whoever is on a bus.
#pragma once

#include <deque>

#include "app/stage/protocol_desk.h"
#include "app/stage/view.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace wavetrope::app {

/// Reads and writes objects, asks for groups and sends them, commands network states, sends diagnostic requests, in a run: a line to ask, and below what was
/// asked with its answers. Nothing goes out but by the button, or Enter.
class AskView : public View {
    Q_OBJECT
public:
    enum class Kind : std::uint8_t { readObject, writeObject, requestGroup, sendGroup, state, diagnose, troubles, keep, sync, time };

    explicit AskView(Stage& stage);
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] QString csv() const override;

    [[nodiscard]] bool takes(Wish::For what) const override { return what == Wish::For::question; }
    void present(const Wish& wish) override;
    /// Fills the line in: nothing is asked yet.
    void prepare(std::uint8_t bus, Kind kind, const QString& whom, const QString& what = {});
    void ask();
    [[nodiscard]] std::size_t count() const { return asked_.size(); }
    /// The newest first.
    [[nodiscard]] QString rowText(std::size_t index) const;

private:
    class Rows;
    friend class Rows;
    struct Asked {
        double at = 0;
        std::uint8_t bus = 0;
        QString question, answer;
        bool good = false, waits = true;
        double took = 0;  // milliseconds
    };
    static constexpr std::size_t mostKept = 1'000;
    void kindChanged();
    void busesChanged();
    void tell(const QString& words, bool wrong);
    void keepSession(std::uint8_t bus);
    [[nodiscard]] Expected<protocol::DiagnosticPair> pairOf(std::uint8_t bus) const;
    [[nodiscard]] QString line() const;
    [[nodiscard]] QString questionWords(std::uint8_t bus) const;
    void intoOutbox();

    QComboBox* bus_;
    QComboBox* kind_;
    QLineEdit* whom_;
    QLineEdit* what_;
    QLineEdit* value_;
    QPushButton* ask_;
    QPushButton* outbox_;
    QLabel* words_;
    Rows* rows_;
    std::deque<Asked> asked_;
    std::uint64_t number_ = 0;  // of the newest
};

}  // namespace wavetrope::app
