// SPDX-License-Identifier: GPL-3.0-or-later
// Replay of a log: which log, at which pace, what of it goes where, who stands in for whom.
#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QUndoStack>

#include <memory>

#include "app/playback/route_rows.h"
#include "app/stage/view.h"
#include "formats/merged_logs.h"
#include "measure/load_series.h"

namespace wavetrope::app {

/// The log in small: its load, and where playing stands. A click goes there, a drag chooses the stretch to play.
class PlaybackStrip : public QWidget {
    Q_OBJECT
public:
    explicit PlaybackStrip(QWidget* parent = nullptr);
    void setLog(const std::shared_ptr<const trace::Trace>& log);
    void setPosition(Time start, Time end, Time position);
    void setColour(const QColor& hue) { hue_ = hue; }
    /// Marked at their time.
    void setLate(const std::vector<drive::LateFrame>& late) { late_ = late; }

Q_SIGNALS:
    void sought(std::int64_t nanoseconds);
    void rangeChosen(std::int64_t from, std::int64_t to);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    bool event(QEvent* event) override;

private:
    [[nodiscard]] Time timeAt(double x) const;
    std::shared_ptr<const trace::Trace> log_;
    std::vector<unsigned> histogram_;
    std::vector<drive::LateFrame> late_;
    QColor hue_;
    Time start_{0}, end_{0}, position_{0};
    double pressedAt_ = -1;
    Time rangeFrom_{0}, rangeTo_{0};
};

class PlaybackView : public View {
    Q_OBJECT
public:
    explicit PlaybackView(Stage& stage);
    QWidget* tools() override { return facts_; }

    /// Loads a log into playback, or several as one, about which it asks.
    void load(const QStringList& paths);
    void load(const QString& path) { load(QStringList{path}); }
    [[nodiscard]] QUndoStack* undoStack() override { return &undo_; }
    [[nodiscard]] QUndoStack* sharedUndoStack() override;
    [[nodiscard]] bool takes(Wish::For what) const override { return what == Wish::For::playback; }
    void present(const Wish& wish) override { load(wish.path); }

protected:
    void paintEvent(QPaintEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

private:
    void refresh();
    void read(const std::vector<formats::LogPart>& parts);
    void setPace(double factor);
    void setGap();
    void setLoop(bool on);
    void setBegin();
    void goOn();
    [[nodiscard]] QString lateWords() const;
    void rewrite();
    void remedy();
    void chooseLog();
    void showDriving();
    void drive();

    QLabel* facts_;
    PlaybackStrip* strip_;
    QWidget* controls_;
    QPushButton* play_;
    QPushButton* step_;
    QSpinBox* frames_;
    QLineEdit* goal_;           // up to where it goes on
    QPushButton* goOn_;
    std::vector<std::pair<double, QPushButton*>> paces_;
    QCheckBox* loop_;
    QLineEdit* loopPause_;
    QLineEdit* gap_;            // from beat to beat, where it is fixed
    QComboBox* onto_;
    QWidget* changing_;         // what is changed on its way
    QLineEdit* rewriting_;
    QLabel* rewritten_;
    QString wrong_;             // with what was typed there
    QWidget* driving_;          // by which conditions it plays and rests
    QComboBox* plays_;
    QComboBox* rests_;
    QLineEdit* at_;             // time of the run
    QPushButton* arm_;
    QLabel* heading_;
    RouteRows* routes_;
    class Notice;
    Notice* notice_;
    QLabel* noticeText_;
    QPushButton* noticeButton_;
    QPushButton* choose_;
    QLabel* empty_;
    rig::PlaybackReport report_;
    std::shared_ptr<const trace::Trace> log_;
    QString logName_;
    QUndoStack undo_;
};

}  // namespace wavetrope::app
