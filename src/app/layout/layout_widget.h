// SPDX-License-Identifier: GPL-3.0-or-later
// Where each bit of a message lies: rows of eight bits, each signal a coloured stretch.
#pragma once

#include <QWidget>

#include <optional>
#include <vector>

#include "database/layout.h"
#include "measure/bit_toggles.h"

namespace wavetrope::app {

/// The picture of a payload. Small in the inspector, with hexadecimal bytes beside it; large in the editor, where stretches
/// are labelled with what they read, moved, resized and swept out with the mouse, and moved with the arrow keys.
class LayoutWidget : public QWidget {
    Q_OBJECT
public:
    enum class Form { small, large };
    explicit LayoutWidget(Form form, QWidget* parent = nullptr);

    /// Shows a message; selector values as layoutOf takes them.
    void setMessage(const database::Message& message, const std::vector<std::int64_t>& selected = {});
    /// Rows of a payload that no message explains.
    void setUndefined(unsigned length);
    void setChosen(int signal);
    [[nodiscard]] int chosen() const { return chosen_; }
    /// The bits of a payload, drawn in the cells; none where it is empty.
    void setPayload(can::Payload payload);
    /// What each signal says, by its index.
    void setReadings(std::vector<QString> readings);
    /// How often each bit changed, drawn in bits that no signal has.
    void setToggles(std::optional<measure::BitToggles> toggles);
    void setEditable(bool editable) { editable_ = editable; }
    /// A click on a bit of the payload asks to turn it round.
    void setToggling(bool toggling) { toggling_ = toggling; }
    /// Bits that are asked for and not there yet are outlined.
    void setWaiting(std::vector<unsigned> bits);
    /// The order in which bits are swept out.
    void setSweepOrder(database::ByteOrder order) { sweepOrder_ = order; }

    [[nodiscard]] const database::Message& message() const { return message_; }
    [[nodiscard]] int heightWanted() const;
    [[nodiscard]] QSize sizeHint() const override { return {200, heightWanted()}; }
    /// Where a bit is drawn: byte times eight plus bit.
    [[nodiscard]] QRectF cellOf(unsigned bit) const;
    /// What the picture says in words, for assistive technology.
    [[nodiscard]] QString words() const;

Q_SIGNALS:
    void signalChosen(int signal);
    void moved(int signal, unsigned startBit);
    void resized(int signal, unsigned startBit, unsigned length);
    /// Bits swept out, the least significant first.
    void swept(unsigned least, unsigned length);
    void removeWanted(int signal);
    void bitToggled(unsigned bit);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    enum class Drag { none, move, least, most, sweep };
    void rebuild();
    [[nodiscard]] unsigned payloadLength() const { return static_cast<unsigned>(payload_.size()); }
    void paintStretch(QPainter& painter, const database::LayoutStretch& stretch, bool labelled);
    void paintCell(QPainter& painter, unsigned row, unsigned column);
    [[nodiscard]] int bitAt(const QPointF& point) const;
    [[nodiscard]] int signalAt(unsigned bit) const;
    [[nodiscard]] double rowHeight() const;
    /// Which end of the chosen signal a point takes hold of.
    [[nodiscard]] Drag handleAt(const QPointF& point) const;
    [[nodiscard]] std::vector<unsigned> sweptBits() const;
    void dragTo(unsigned bit, bool snap);
    void nudge(int by, bool size);

    Form form_;
    database::Message message_;
    database::Message shown_;       // with what is being dragged in its new place
    std::vector<std::int64_t> selected_;
    database::Layout layout_;
    std::vector<QString> readings_;
    std::optional<measure::BitToggles> toggles_;
    std::vector<std::uint8_t> payload_;
    unsigned undefinedLength_ = 0;
    int chosen_ = -1;
    bool editable_ = false;
    bool toggling_ = false;
    std::vector<unsigned> waiting_;
    database::ByteOrder sweepOrder_ = database::ByteOrder::intel;
    Drag drag_ = Drag::none;
    unsigned grabbed_ = 0;          // of a move: which bit of the signal; of a sweep: where it began
    unsigned sweepTo_ = 0;
};

}  // namespace wavetrope::app
