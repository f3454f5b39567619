// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/begin/interface_row.h"

#include <QApplication>
#include <QClipboard>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QProcess>
#include <QStandardPaths>
#include <QVBoxLayout>

#include <unistd.h>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/interface_words.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr const char* usualSpeeds[] = {"125k", "250k", "500k", "1M", "500k/2M", "500k/5M"};

}  // namespace

class InterfaceRow::Plug final : public QWidget {
public:
    explicit Plug(const bus::WatchedInterface& of) : of_(of) {}
    [[nodiscard]] QSize sizeHint() const override { return {Theme::get().px(18), Theme::get().px(14)}; }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        paintPlug(painter, QRectF(0, (height() - Theme::get().px(12)) / 2.0, width(), Theme::get().px(12)), of_);
    }

private:
    const bus::WatchedInterface& of_;
};

// Frames per second over the last minute, as an area.
class InterfaceRow::Spark final : public QWidget {
public:
    void take(const std::deque<double>& values)
    {
        values_.assign(values.begin(), values.end());
        update();
    }
    [[nodiscard]] QSize sizeHint() const override { return {Theme::get().px(120), Theme::get().px(26)}; }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        const Theme& theme = Theme::get();
        const double bottom = height() - 3;
        painter.setPen(theme.faint);
        painter.drawLine(QPointF(0, bottom), QPointF(width(), bottom));
        double most = 1;
        for (const double value : values_)
            most = std::max(most, value);
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme.faint);
        const double step = width() / 60.0;
        const double left = width() - step * static_cast<double>(values_.size());
        for (std::size_t i = 0; i < values_.size(); ++i) {
            const double tall = (bottom - 2) * values_[i] / most;
            painter.drawRect(QRectF(left + step * static_cast<double>(i), bottom - tall, step + 0.5, tall));
        }
    }

private:
    std::vector<double> values_;
};

InterfaceRow::InterfaceRow(const QString& name, QWidget* parent)
    : QWidget(parent),
      name_(name),
      tick_(new QCheckBox),
      title_(new ElidedLabel(name)),
      plug_(new Plug(of_)),
      state_(new QLabel),
      first_(new ElidedLabel),
      second_(new ElidedLabel),
      spark_(new Spark),
      rate_(new QLabel),
      unit_(new QLabel(tr("frames/s"))),
      watch_(new QPushButton(tr("Watch"))),
      bringUp_(new QWidget),
      speed_(new QComboBox),
      agree_(new ElidedLabel),
      command_(new QLineEdit),
      carryOut_(new QPushButton(tr("Carry out")))
{
    setObjectName(QStringLiteral("interface-%1").arg(name));
    setAccessibleName(tr("Interface %1").arg(name));
    tick_->setAccessibleName(tr("Watch %1 together with others").arg(name));
    tick_->setToolTip(tr("Watch it together with the others that are ticked  (Space)"));
    watch_->setObjectName(QStringLiteral("watch"));
    watch_->setToolTip(tr("Make a rig of %1, and run it. Nothing is sent.").arg(name));
    command_->setReadOnly(true);
    command_->setObjectName(QStringLiteral("command"));
    command_->setAccessibleName(tr("Command that brings %1 up").arg(name));
    carryOut_->setObjectName(QStringLiteral("carryOut"));
    carryOut_->setToolTip(tr("Asks for the right to do it, and does it"));
    speed_->setEditable(true);
    speed_->setObjectName(QStringLiteral("speed"));
    speed_->setAccessibleName(tr("Bit rate for %1").arg(name));
    for (const char* usual : usualSpeeds)
        speed_->addItem(QLatin1String(usual));
    auto* copy = new QPushButton(tr("Copy"));
    copy->setObjectName(QStringLiteral("copyCommand"));

    auto* row = new QHBoxLayout(this);
    auto* words = new QVBoxLayout;
    words->setSpacing(1);
    auto* line = new QHBoxLayout;
    auto* two = new QVBoxLayout;
    two->setSpacing(1);
    two->addWidget(first_);
    two->addWidget(second_);
    line->addLayout(two, 1);
    line->addWidget(spark_);
    auto* number = new QVBoxLayout;
    number->setSpacing(0);
    number->addWidget(rate_);
    unit_->setAlignment(Qt::AlignRight);
    number->addWidget(unit_);
    line->addLayout(number);
    line->addWidget(watch_);
    words->addLayout(line);
    auto* bring = new QVBoxLayout(bringUp_);
    auto* speedLine = new QHBoxLayout;
    auto* at = new QLabel(tr("Bring it up at"));
    speedLine->addWidget(at);
    speedLine->addWidget(speed_);
    speedLine->addWidget(agree_, 1);
    commandLine_ = new QHBoxLayout;
    auto* buttons = new QHBoxLayout;
    commandLine_->addWidget(command_, 1);
    buttons->addWidget(copy);
    buttons->addWidget(carryOut_);
    buttons->addStretch(0);
    commandLine_->addLayout(buttons);
    bring->addLayout(speedLine);
    bring->addLayout(commandLine_);
    words->addWidget(bringUp_);
    const auto top = [&](QWidget* of) { row->addWidget(of, 0, Qt::AlignTop); };
    top(tick_);
    top(title_);
    top(plug_);
    top(state_);
    row->addLayout(words, 1);

    const auto restyle = [=, this] {
        const Theme& theme = Theme::get();
        row->setContentsMargins(theme.px(12), theme.px(8), theme.px(12), theme.px(8));
        row->setSpacing(theme.px(9));
        line->setSpacing(theme.px(14));
        bring->setContentsMargins(0, theme.px(4), 0, theme.px(2));
        bring->setSpacing(theme.px(6));
        title_->setFont(theme.mono(11.5));
        title_->setFixedWidth(theme.px(52));
        title_->setToolTip(name_);
        title_->setFixedHeight(theme.px(17));
        plug_->setFixedSize(theme.px(20), theme.px(17));
        state_->setFont(theme.bodyStrong());
        state_->setFixedWidth(theme.px(46));
        state_->setFixedHeight(theme.px(17));
        tick_->setFixedHeight(theme.px(17));
        first_->setFont(theme.body());
        second_->setFont(theme.body());
        agree_->setFont(theme.body());
        at->setFont(theme.body());
        command_->setFont(theme.mono(10.5));
        rate_->setFont(theme.mono(11.5));
        rate_->setAlignment(Qt::AlignRight);
        rate_->setMinimumWidth(theme.px(62));
        unit_->setFont(theme.body());
        spark_->setFixedSize(theme.px(120), theme.px(28));
        speed_->setFixedWidth(theme.px(92));
        const QString quiet = QStringLiteral("color: %1").arg(theme.ink2.name());
        for (QWidget* one : std::initializer_list<QWidget*>{second_, agree_, at, unit_})
            one->setStyleSheet(quiet);
        update();
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    connect(watch_, &QPushButton::clicked, this, &InterfaceRow::watchWanted);
    connect(tick_, &QCheckBox::toggled, this, &InterfaceRow::tickChanged);
    connect(speed_, &QComboBox::currentTextChanged, this, [this] {
        command_->setText(command());
        command_->setCursorPosition(0);
    });
    connect(copy, &QPushButton::clicked, this, [this] {
        QApplication::clipboard()->setText(command_->text());
        Q_EMIT told(tr("The command is on the clipboard"));
    });
    connect(carryOut_, &QPushButton::clicked, this, &InterfaceRow::carryOut);
}

QString InterfaceRow::command() const
{
    const auto rate = can::bitRateFromText(speed_->currentText().trimmed().toStdString());
    if (of_.is.kind == "can" && !rate)
        return tr("'%1' is no bit rate: expected one such as 500k, or 500k/2M").arg(speed_->currentText());
    return QStringLiteral("sudo ") + text(bus::bringUpCommand(of_.is, rate.value_or(can::BitRate{})));
}

void InterfaceRow::carryOut()
{
    const auto rate = can::bitRateFromText(speed_->currentText().trimmed().toStdString());
    if (of_.is.kind == "can" && !rate)
        return Q_EMIT told(command());
    QStringList words = text(bus::bringUpCommand(of_.is, rate.value_or(can::BitRate{}))).split(QLatin1Char(' '));
    if (::geteuid() != 0)
        words.prepend(QStringLiteral("pkexec"));
    auto* process = new QProcess(this);
    connect(process, &QProcess::errorOccurred, this, [this, process] {
        Q_EMIT told(tr("It could not be carried out: %1").arg(process->errorString()));
        process->deleteLater();
    });
    connect(process, &QProcess::finished, this, [this, process](int code, QProcess::ExitStatus) {
        if (code != 0)
            Q_EMIT told(tr("It was not carried out: %1").arg(QString::fromLocal8Bit(process->readAllStandardError()).simplified()));
        process->deleteLater();
    });
    process->start(words.takeFirst(), words);
}

void InterfaceRow::setCurrent(bool on)
{
    current_ = on;
    update();
}

void InterfaceRow::setNarrow(bool on)
{
    narrow_ = on;
    spark_->setVisible(wasUp_ && !on);
    commandLine_->setDirection(on ? QBoxLayout::TopToBottom : QBoxLayout::LeftToRight);
}

void InterfaceRow::show(const bus::WatchedInterface& of, const Interfaces::Trend& trend, can::BitRate otherRate, const QString& otherName)
{
    const bool first = of_.is.name.empty();
    of_ = of;
    const bool alive = of.is.alive() && !of.gone;
    InterfaceWords words = wordsOf(of);
    if (alive && trend.load >= 0.5)
        words.second += tr("%1about %2 % load").arg(words.second.isEmpty() ? QString() : QStringLiteral(", ")).arg(trend.load, 0, 'f', 0);
    state_->setText(words.state);
    first_->setText(words.first);
    second_->setText(words.second);
    for (ElidedLabel* label : {first_, second_})
        label->setToolTip(label->text());
    title_->setEnabled(!of.gone);
    tick_->setEnabled(alive);
    if (first || alive != wasUp_)
        tick_->setChecked(alive);
    wasUp_ = alive;
    watch_->setVisible(alive);
    spark_->setVisible(alive && !narrow_);
    const double now = trend.perSecond.empty() ? 0 : trend.perSecond.back();
    rate_->setText(countText(static_cast<std::uint64_t>(now + 0.5)));
    rate_->setVisible(alive);
    unit_->setVisible(alive);
    spark_->take(trend.perSecond);
    const bool down = !of.gone && !of.is.up;
    bringUp_->setVisible(down);
    const bool needsRate = of.is.kind == "can";
    speed_->setVisible(down && needsRate);
    if (down && (first || command_->text().isEmpty())) {
        const can::BitRate proposed = of.is.rate.known() ? of.is.rate : otherRate;
        speed_->setCurrentText(proposed.known() ? text(can::toText(proposed)) : QStringLiteral("500k"));
        agree_->setText(!needsRate           ? QString()
                        : of.is.rate.known() ? tr("the rate that it had")
                        : otherRate.known()  ? tr("the rate of %1; with two adapters on one wire it must agree").arg(otherName)
                                             : tr("all on one wire must agree"));
        command_->setText(command());
        command_->setCursorPosition(0);
    }
    const bool may = ::geteuid() == 0 || !QStandardPaths::findExecutable(QStringLiteral("pkexec")).isEmpty();
    carryOut_->setVisible(may);
    if (!may)
        agree_->setText(tr("Run it in a terminal: this machine has no pkexec to ask for the right"));
    updateGeometry();
    plug_->update();
}

void InterfaceRow::paintEvent(QPaintEvent*)
{
    const Theme& theme = Theme::get();
    QPainter painter(this);
    if (current_) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme.accentSoft);
        painter.drawRoundedRect(QRectF(2, 1, width() - 4, height() - 3), 3, 3);
    }
    painter.setPen(theme.hairline);
    painter.drawLine(0, height() - 1, width(), height() - 1);
}

void InterfaceRow::mousePressEvent(QMouseEvent* event)
{
    Q_EMIT chosen();
    event->accept();
}

}  // namespace wavetrope::app
