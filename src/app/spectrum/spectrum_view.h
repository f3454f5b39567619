// SPDX-License-Identifier: GPL-3.0-or-later
// What a curve is made of: its frequencies, its values and periods, and how it goes with another one.
#pragma once

#include <memory>
#include <variant>

#include "app/stage/curve_desk.h"
#include "app/stage/newest_work.h"
#include "app/stage/view.h"
#include "measure/spectrum.h"

class QButtonGroup;
class QComboBox;

namespace wavetrope::app {

/// Of the chosen curve, from A to B where both marks are set, else of the window; worked out on a thread of its own.
class SpectrumView : public View {
    Q_OBJECT
public:
    enum class Mode : std::uint8_t { spectrum, values, periods, over };
    explicit SpectrumView(Stage& stage);

    QWidget* tools() override { return tools_; }
    nlohmann::json save() const override;
    void restore(const nlohmann::json& setUp) override;
    [[nodiscard]] bool settled() const override { return settled_; }
    [[nodiscard]] QString csv() const override;

    void setMode(Mode mode);
    [[nodiscard]] Mode mode() const { return mode_; }
    [[nodiscard]] const std::optional<measure::Spectrum>& spectrum() const { return shown_.spectrum; }
    [[nodiscard]] const std::optional<measure::Histogram>& histogram() const { return shown_.histogram; }
    [[nodiscard]] const measure::Pairing& pairing() const { return shown_.pairing; }
    /// The line that is drawn into the lane of the curve, or nothing.
    [[nodiscard]] std::optional<std::size_t> line() const { return line_; }
    /// What stands beside the picture, line by line.
    [[nodiscard]] QStringList facts() const;
    /// What stands beside the pointer; empty where it is elsewhere.
    [[nodiscard]] QString readout() const;
    /// Where what is drawn lies.
    [[nodiscard]] QRectF area() const;

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    struct Shown {
        std::optional<measure::Spectrum> spectrum;
        std::optional<measure::Histogram> histogram;
        measure::Pairing pairing;
        bool tooMany = false;
    };
    struct Axis {
        double low = 0, high = 1;
        [[nodiscard]] double share(double value) const { return (value - low) / (high - low); }
    };
    void ask();
    [[nodiscard]] std::optional<CurveSource> chosen() const;
    [[nodiscard]] std::optional<CurveSource> other() const;
    [[nodiscard]] std::pair<Time, Time> stretch() const;
    void fillOthers();
    [[nodiscard]] std::pair<Axis, Axis> axes() const;
    void paintScales(QPainter& painter, const QRectF& box, const Axis& across, const Axis& up) const;
    void paintBars(QPainter& painter, const QRectF& box, const Axis& up) const;
    void drawLine(std::optional<std::size_t> line);
    void paintPairs(QPainter& painter, const QRectF& box, const Axis& across, const Axis& up) const;
    [[nodiscard]] QColor hue() const;
    [[nodiscard]] QString emptyWords() const;

    Mode mode_ = Mode::spectrum;
    QWidget* tools_;
    QButtonGroup* modes_;
    QComboBox* fade_;
    QComboBox* rate_;
    QComboBox* across_;
    NewestWork* work_;
    Shown shown_;
    std::optional<CurveSource> of_, over_;      // that is shown
    QString wantedAcross_;                      // path of the curve across, as it was chosen
    bool settled_ = false;
    std::optional<QPointF> pointer_;
    std::pair<Time, Time> shownOf_{};           // stretch that is shown
    std::optional<std::size_t> line_;           // that is drawn into the lane
};

}  // namespace wavetrope::app
