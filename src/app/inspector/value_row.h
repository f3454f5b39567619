// SPDX-License-Identifier: GPL-3.0-or-later
// A value that is given: typed, chosen, dragged, or from a source.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

#include <functional>
#include <optional>
#include <vector>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "database/codec.h"
#include "database/database.h"

namespace wavetrope::app {

/// From smallest to largest: a tick where the value on the bus is, a diamond where it shall be. Dragged, and stepped with the arrows.
class ValueTrack : public QWidget {
    Q_OBJECT
public:
    explicit ValueTrack(QWidget* parent = nullptr);
    struct Facts {
        double low = 0, high = 1;
        QString lowWords, highWords, busWords;
        std::optional<double> onBus;
        double asked = 0;
        bool waits = false;
        friend bool operator==(const Facts&, const Facts&) = default;
    };
    void set(const Facts& facts);
    [[nodiscard]] const Facts& facts() const { return facts_; }
    [[nodiscard]] bool dragging() const { return dragging_; }
    [[nodiscard]] double xOf(double value) const;
    [[nodiscard]] QSize sizeHint() const override;

Q_SIGNALS:
    void moved(double value);
    void released(double value);
    void stepped(double steps);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    [[nodiscard]] double valueAt(double x) const;

    Facts facts_;
    bool dragging_ = false;
};

/// One signal of a row of the outbox.
class ValueRow : public QWidget {
    Q_OBJECT
public:
    explicit ValueRow(QWidget* parent = nullptr);

    struct Facts {
        const database::Signal* signal = nullptr;
        const database::SignalPlan* plan = nullptr;
        std::uint64_t bits = 0;                     ///< As it shall go out; of a source, as it went out last.
        std::optional<std::uint64_t> onBus;         ///< In the newest frame.
        bool set = false;                           ///< Somebody gave it.
        nlohmann::json source;                      ///< As the document has it, where it follows one; else null.
        QString waiting;                            ///< Words of what it waits for.
        QString start;                              ///< Words of where it comes from, where nobody gave it.
        nlohmann::json offered;                     ///< A source that the traffic speaks for; else null.
        QString offeredWords;
        double now = 0;                             ///< Seconds of the run, for sources that begin now.
    };
    void setFacts(const Facts& facts);
    [[nodiscard]] QString words() const;
    void restyle();

    [[nodiscard]] QLineEdit* field() const { return field_; }
    [[nodiscard]] QComboBox* texts() const { return texts_; }
    [[nodiscard]] QComboBox* kinds() const { return kinds_; }
    [[nodiscard]] ValueTrack* track() const { return track_; }
    [[nodiscard]] QString problem() const { return problem_->isHidden() ? QString() : problem_->text(); }

    /// Whoever keeps what is given; errors stand under the field.
    std::function<Expected<void>(const QString& text)> keepText;
    std::function<Expected<void>(std::uint64_t bits)> keepBits;
    std::function<Expected<void>(const nlohmann::json& source)> keepSource;
    /// While one drags.
    std::function<void(std::uint64_t bits)> tryBits;
    std::function<void()> takeBack;

Q_SIGNALS:
    void heightChanged();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

private:
    void say(const Expected<void>& done);
    void chooseKind(int kind);
    void keepFields();
    void step(double steps);
    void showFields(bool anew);

    Facts facts_;
    database::Signal signal_;       // as it was, behind another catalog too
    QLabel* name_;
    QLineEdit* field_;
    QComboBox* texts_;
    QLabel* unit_;
    QComboBox* kinds_;
    ValueTrack* track_;
    std::vector<std::pair<QLabel*, QLineEdit*>> fields_;
    QLabel* below_;
    QLabel* problem_;
    QPushButton* offer_;
    QString shown_;         // which widgets stand, for the height
};

}  // namespace wavetrope::app
