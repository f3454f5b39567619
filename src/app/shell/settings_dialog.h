// What the user settles for all windows: look, memory and disk, the window of time.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QSpinBox>

namespace wavetrope::app {

/// Takes effect at once; what concerns a run, from the next one on.
class SettingsDialog : public QDialog {
    Q_OBJECT
public:
    explicit SettingsDialog(QWidget* parent);

private:
    QComboBox* theme_;
    QDoubleSpinBox* scale_;
    QDoubleSpinBox* window_;
    QSpinBox* keptDays_;
    QComboBox* times_;
    QComboBox* bytes_;
    QComboBox* raw_;
};

/// Seconds that a live view shows, and that Now returns to.
[[nodiscard]] double usualWindowSeconds();
/// Days after which a run that was kept on purpose is removed; 0 for never.
[[nodiscard]] int keptRunDays();
/// Takes theme and text size of the last time; the theme may be said otherwise.
void applyLook(const QString& theme = {});
/// Makes texts larger or smaller, and keeps that.
void scaleText(double by);
void toggleTheme();

}  // namespace wavetrope::app
