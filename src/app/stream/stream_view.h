// SPDX-License-Identifier: GPL-3.0-or-later
// Frames in order.
#pragma once

#include <memory>

#include "app/stage/background_scan.h"
#include "app/stage/filter_line.h"
#include "app/stage/message_source.h"
#include "app/stage/view.h"
#include "app/stream/stream_rows.h"

class QToolButton;

namespace wavetrope::app {

/// The stream: filter line and rows. Where a higher protocol is spoken, the rows are its messages if that is wanted.
class StreamView : public View {
    Q_OBJECT
public:
    explicit StreamView(Stage& stage);
    ~StreamView() override;

    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;

    [[nodiscard]] FilterLine* filterLine() override { return filterLine_; }
    [[nodiscard]] QUndoStack* undoStack() override;
    [[nodiscard]] bool takes(Wish::For what) const override { return what == Wish::For::filter; }
    /// The filter in force.
    [[nodiscard]] QString filterText() const { return QString::fromStdString(filterLine_->filter().text()); }
    [[nodiscard]] StreamRows* rows() { return rows_; }
    [[nodiscard]] const BackgroundScan* scan() const { return scan_.get(); }
    /// Messages in place of frames.
    void setMessages(bool messages);
    /// What the rows are while they are messages, or null.
    [[nodiscard]] const MessageSource* messages() const { return messages_.get(); }
    /// What the rows are: all frames, those that were found, or messages.
    [[nodiscard]] const trace::RowSource& source() const;

private:
    void onFilter();
    void onBeat();
    void search();

    QWidget* tools_;
    QToolButton* asMessages_;
    FilterLine* filterLine_;
    StreamRows* rows_;
    std::unique_ptr<BackgroundScan> scan_;  // none while everything passes
    trace::AllRows all_;
    std::unique_ptr<trace::RowSource> found_;
    std::unique_ptr<MessageSource> messages_;
    bool wantsMessages_ = false;
    nlohmann::json otherColumns_;   // of frames while there are messages, and the other way round
    bool searching_ = false;
};

}  // namespace wavetrope::app
