// SPDX-License-Identifier: GPL-3.0-or-later
// Messages of higher protocols in place of frames.
#pragma once

#include "app/stage/protocol_desk.h"
#include "app/stage/view.h"

class QToolButton;

namespace wavetrope::app {

class NewestWork;

/// The messages around the cursor: what came in pieces stands in one row where it became whole, and opens to its pieces. A transfer that broke off is one row
/// too, where its last frame came. A click puts the cursor there.
class MessagesView : public View {
    Q_OBJECT
public:
    explicit MessagesView(Stage& stage);
    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] bool settled() const override;
    [[nodiscard]] QString csv() const override;

    [[nodiscard]] std::size_t count() const { return order_.size(); }
    [[nodiscard]] QString rowText(std::size_t index) const;
    void choose(std::size_t index);
    void setOpen(std::size_t index, bool open);
    /// Full width of the drawing of durations.
    void setScale(Time scale);
    [[nodiscard]] Time scale() const { return scale_; }
    /// Leaves process data and groups of one frame out, which are most of the traffic.
    void setWithoutProcess(bool without);

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    class Rows;
    friend class Rows;
    struct Piece {
        Time time{};
        trace::Row row = 0;
        can::Identifier id;
        std::vector<std::uint8_t> data;
    };
    struct Message {
        Time time{}, lasted{};
        trace::Row row = 0;
        std::uint8_t bus = 0;
        std::optional<protocol::Head> head;
        can::Identifier id;
        std::uint64_t bytes = 0;
        QString what, value, broken;  // `broken`: how it ended, where it is not whole
        std::vector<std::uint8_t> data;  // its first ones
        std::vector<Piece> pieces;
        std::uint64_t frames = 1;
    };
    struct Around {  // what was put together, of rows [from, to)
        std::vector<Message> messages;
        trace::Row from = 0, to = 0, snapshot = 0;
        bool open = false;  // the newest rows are in it
    };
    static Around putTogether(const trace::Snapshot& snapshot, const std::vector<std::vector<protocol::Spoken>>& spoken, trace::Row at,
        const std::function<const protocol::Dictionary*(std::uint8_t, std::uint8_t)>& dictionaryOf, const protocol::Names* names,
        const std::function<bool()>& goesOn);
    void ask();
    void arrange();

    Around around_;
    std::vector<std::uint32_t> order_;  // of those that are shown
    std::vector<trace::Row> open_;
    int chosen_ = -1;
    Time scale_ = std::chrono::milliseconds(100);
    bool withoutProcess_ = false, asking_ = false;
    QWidget* tools_;
    QToolButton* process_;
    Rows* rows_;
    NewestWork* work_;
};

}  // namespace wavetrope::app
