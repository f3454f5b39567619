// SPDX-License-Identifier: GPL-3.0-or-later
// What one can do from an empty desk.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

#include <vector>

#include "app/begin/interface_row.h"
#include "app/stage/view.h"

namespace wavetrope::app {

/// The interfaces of this machine as they come and go, rigs and logs used lately, the demo. Nothing is opened before it is
/// asked for.
class BeginView : public View {
    Q_OBJECT
public:
    explicit BeginView(Stage& stage);
    [[nodiscard]] const std::vector<InterfaceRow*>& rows() const { return rows_; }

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    class Recent;
    void refresh();
    void refreshRecent();
    void refreshTicks();
    void makeCurrent(const QString& name);
    [[nodiscard]] QStringList ticked() const;

    std::vector<InterfaceRow*> rows_;
    QString current_;
    void fit();

    ElidedLabel* counts_;
    QLabel* minute_;
    QBoxLayout* across_;
    QFrame* between_;
    QVBoxLayout* interfaces_;
    QLabel* none_;
    QWidget* together_;
    QPushButton* watchThese_;
    QLabel* become_;
    QVBoxLayout* rigs_;
    QVBoxLayout* logs_;
};

}  // namespace wavetrope::app
