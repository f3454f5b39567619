// SPDX-License-Identifier: GPL-3.0-or-later
// Stretches in which a bus was nearly full.
#pragma once

#include <map>
#include <tuple>

#include "app/stage/event_desk.h"
#include "app/stage/view.h"

class QLabel;

namespace wavetrope::app {

class NewestWork;

/// A row for each burst of the run: when it began, how long it lasts, its load, its frames, and who took the bus in it. A click sets the
/// cursor, Enter the window.
class BurstsView : public View {
    Q_OBJECT
public:
    explicit BurstsView(Stage& stage);
    QWidget* tools() override { return tools_; }
    [[nodiscard]] bool settled() const override;
    [[nodiscard]] QString csv() const override;

    [[nodiscard]] std::size_t count() const { return bursts_.size(); }
    /// What a row says, tab-separated.
    [[nodiscard]] QString rowText(std::size_t index) const;
    void choose(std::size_t index);
    void showWhole(std::size_t index);

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    class Rows;
    using Key = std::tuple<std::uint8_t, Time, Time>;
    struct Counted {
        std::uint64_t frames = 0;
        QString who;
    };
    void refresh();
    void ask();
    [[nodiscard]] static Key keyOf(const measure::Event& event) { return {event.bus, event.time, event.until}; }
    [[nodiscard]] const Counted* countedOf(const measure::Event& event) const;

    std::vector<measure::Event> bursts_;
    std::vector<unsigned> numbers_;         // of each on its bus, from 1
    std::map<Key, Counted> counted_;
    std::shared_ptr<const database::Catalog> countedBy_;
    bool counting_ = false;
    QWidget* tools_;
    QLabel* facts_;
    Rows* rows_;
    NewestWork* work_;
};

}  // namespace wavetrope::app
