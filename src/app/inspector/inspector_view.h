// SPDX-License-Identifier: GPL-3.0-or-later
// The pane that explains what is selected.
#pragma once

#include <QPushButton>
#include <QWidget>

#include <deque>

#include "app/inspector/board_panel.h"
#include "app/inspector/curve_panel.h"
#include "app/inspector/derived_form.h"
#include "app/inspector/object_panel.h"
#include "app/inspector/outbox_panel.h"
#include "app/inspector/phase_panel.h"
#include "app/layout/layout_widget.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

/// Message or signal: where each bit lies, values with their range, rhythm and counts. Node: what it does and why.
/// Event: what it was. Everything at the cursor.
class Inspector : public QWidget {
    Q_OBJECT
public:
    explicit Inspector(Stage& stage, QWidget* parent = nullptr);
    /// What it says, line by line, for assistive technology and the clipboard.
    [[nodiscard]] QString text() const { return lines_.join(QLatin1Char('\n')); }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    void paintMessage(QPainter& painter);
    void placeLayout(double& y, const database::CatalogMessage* message, const can::FrameView& frame);
    void paintSignals(QPainter& painter, double& y, const database::CatalogMessage& message, const can::FrameView& frame);
    void paintRhythmHistogram(QPainter& painter, double& y, const database::CatalogMessage* message, const measure::IdentifierStats& stats,
        const std::vector<Time>& beats);
    void paintDefinition(QPainter& painter, double& y, const database::CatalogMessage& message, const database::Signal& signal);
    void link(QPainter& painter, double& y, const QString& name, const QString& node);
    void paintNode(QPainter& painter);
    void paintCounters(QPainter& painter, double& y, const rig::NodeReport& node);
    void paintEventFacts(QPainter& painter);
    void paintInterface(QPainter& painter);
    void paintCondition(QPainter& painter);
    void paintRecording(QPainter& painter);
    void paintResponse(QPainter& painter);
    void paintDerived(QPainter& painter);
    void paintOutboxRow(QPainter& painter);
    void paintBoardItem(QPainter& painter);
    void paintPhase(QPainter& painter);
    void paintObject(QPainter& painter);
    void paintAnswerTimes(QPainter& painter, double& y, std::vector<Time> times, std::optional<Time> mine);
    void paintLimit(QPainter& painter, double& y, Time took, Time limit, std::optional<Time> notBefore);
    void passage(QPainter& painter, double& y, const QString& name, const QString& words, bool mono, const QColor& colour = {});
    /// Title and what stands under it; gives where the rest begins.
    double headOf(QPainter& painter, const QString& name, const QString& below);
    void paintErrorTrend(QPainter& painter, double& y, const std::deque<std::pair<unsigned, unsigned>>& counters);
    void heading(QPainter& painter, double& y, const QString& title, const QString& subtitle, int bus, const QString& id = {});
    void section(QPainter& painter, double& y, const QString& text, const QString& right = {});
    void fact(QPainter& painter, double& y, const QString& name, const QString& value, bool wrong = false, bool mono = true);
    // The files of the take at a point, those that are there.
    [[nodiscard]] QStringList takeAt(const QPointF& point) const;
    /// Places a widget of its own at the full width, and goes on below it.
    void place(QWidget* widget, double& y);
    /// How a curve is drawn, where a lane in sight draws it.
    void placePanel(double& y, const QString& path);
    void lookAtInputs();
    void placeButtons();
    void updateButtons();

    Stage& stage_;
    QPushButton* plot_;
    QPushButton* only_;
    QPushButton* define_;
    QPushButton* derive_;
    QWidget* body_;                                     // above the buttons: what of its own it has
    DerivedForm* form_;
    CurvePanel* panel_;
    OutboxPanel* outbox_;
    PhasePanel* phase_;
    BoardPanel* board_;
    ObjectPanel* object_;
    std::vector<QWidget*> placed_;                      // while it is painted
    LayoutWidget* layout_;
    bool layoutWanted_ = false;
    QStringList lines_;
    std::vector<std::pair<QRectF, int>> signalRows_;
    std::vector<std::pair<QRectF, QString>> links_;    // to nodes
    std::vector<std::pair<QRectF, std::vector<std::string>>> takeRows_;      // and their files
    QStringList pressed_;                               // files of the take that may be dragged
    QPointF pressedAt_;
    double scroll_ = 0;
    double contentHeight_ = 0;
    int buttonsTop_ = 0;
    bool looks_ = false;        // at what a derived signal is worked out from
};

}  // namespace wavetrope::app
