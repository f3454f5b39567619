// SPDX-License-Identifier: GPL-3.0-or-later
// How the chosen curve is drawn, and where it does something.
#pragma once

#include <QButtonGroup>
#include <QCheckBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTimer>
#include <QWidget>

#include <array>
#include <optional>
#include <vector>

#include "app/stage/drawn_curves.h"
#include "app/stage/stage.h"

namespace wavetrope::app {

class NewestWork;

/// Scale, axis and form of the lane that draws a curve, and the next rise, fall, change, largest, smallest and gap from the cursor, with
/// the keys that go there. What is set here is set in the lane, and undone with it.
class CurvePanel : public QWidget {
    Q_OBJECT
public:
    explicit CurvePanel(Stage& stage, QWidget* parent);

    /// Shows a curve; false where no lane in sight draws it.
    bool show(const QString& path);
    /// The rows of the places as they read: "rise 47.380 s".
    [[nodiscard]] QStringList places() const;
    /// Whether they are those of the cursor as it stands.
    [[nodiscard]] bool settled() const { return settled_ && !soon_.isActive(); }

Q_SIGNALS:
    void heightChanged();

private:
    class PlaceButton;
    struct Section {
        QLabel* name;
        QLabel* right;
    };
    static constexpr std::size_t kinds = 6;
    void fill();
    void restyle();
    void askPlaces();
    void set(const QString& what, const std::function<void(LaneSetUp&)>& change);
    void setEnds();

    Stage& stage_;
    QString path_;
    std::optional<DrawnCurves::Drawn> drawn_;
    std::vector<Section> sections_;
    std::vector<QLabel*> labels_;
    QButtonGroup* scale_;
    QButtonGroup* axis_;
    QButtonGroup* form_;
    QLabel* axisLabel_;
    QLabel* fromLabel_;
    QLabel* toLabel_;
    QLineEdit* from_;
    QLineEdit* to_;
    QCheckBox* logarithmic_;
    std::array<PlaceButton*, kinds> places_{};
    QTimer soon_;
    bool settled_ = false;
    NewestWork* work_;
};

}  // namespace wavetrope::app
