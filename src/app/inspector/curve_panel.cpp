// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/inspector/curve_panel.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/label.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/curve_desk.h"
#include "app/stage/newest_work.h"
#include "app/theme/theme.h"
#include "database/codec.h"

namespace wavetrope::app {

namespace {

using Place = measure::SignalSeries::Place;
using Scale = LaneSetUp::Scale;
using Form = LaneSetUp::Form;

struct PlaceKind {
    Place place;
    char key;
    const char* words;
};
constexpr std::array<PlaceKind, 6> placeKinds = {
    {{Place::rise, 'R', QT_TRANSLATE_NOOP("CurvePanel", "rise")}, {Place::fall, 'F', QT_TRANSLATE_NOOP("CurvePanel", "fall")},
        {Place::change, 'C', QT_TRANSLATE_NOOP("CurvePanel", "change")}, {Place::largest, 'L', QT_TRANSLATE_NOOP("CurvePanel", "largest")},
        {Place::smallest, 'S', QT_TRANSLATE_NOOP("CurvePanel", "smallest")}, {Place::gap, 'G', QT_TRANSLATE_NOOP("CurvePanel", "gap")}}};

constexpr int placesAfter = 120;        // ms behind the last move of the cursor

QString endText(double end) { return text(database::numberText(end, 6)); }

}  // namespace

// A line that goes to a place: its key, what it is, when.
class CurvePanel::PlaceButton : public QAbstractButton {
public:
    PlaceButton(char key, const QString& words) : key_(QLatin1Char(key)), words_(words)
    {
        setObjectName(QStringLiteral("goTo") + key_);
        setFocusPolicy(Qt::TabFocus);
        setCursor(Qt::PointingHandCursor);
    }
    void say(const QString& among, const QString& when)
    {
        among_ = among;
        when_ = when;
        setAccessibleName(reads());
        setToolTip(CurvePanel::tr("%1: the next one; Shift: the one before").arg(key_));
        update();
    }
    [[nodiscard]] QString reads() const { return words_ + QLatin1Char(' ') + when_; }
    [[nodiscard]] QSize sizeHint() const override { return {Theme::get().px(160), Theme::get().px(20)}; }
    bool before = false;        // Shift was held

protected:
    void mouseReleaseEvent(QMouseEvent* event) override
    {
        before = (event->modifiers() & Qt::ShiftModifier) != 0;
        QAbstractButton::mouseReleaseEvent(event);
    }
    void keyPressEvent(QKeyEvent* event) override
    {
        before = (event->modifiers() & Qt::ShiftModifier) != 0;
        if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
            return click();
        QAbstractButton::keyPressEvent(event);
    }
    void paintEvent(QPaintEvent*) override
    {
        const Theme& theme = Theme::get();
        QPainter painter(this);
        painter.setRenderHint(QPainter::Antialiasing);
        if (underMouse() || hasFocus())
            painter.fillRect(rect(), theme.accentSoft);
        const QRectF cap(0.5, (height() - theme.px(16)) / 2.0 + 0.5, theme.px(16), theme.px(16) - 1);
        painter.setPen(theme.hairline);
        painter.setBrush(theme.raised);
        painter.drawRoundedRect(cap, theme.px(3), theme.px(3));
        paintText(painter, cap, key_, theme.small(), theme.ink, Qt::AlignCenter);
        const double left = theme.px(26);
        paintText(painter, QRectF(left, 0, theme.px(60), height()), words_, theme.body(), theme.ink);
        paintText(painter, QRectF(left + theme.px(62), 0, theme.px(80), height()), among_, theme.small(), theme.ink2);
        paintText(painter, QRectF(left, 0, width() - left, height()), when_, theme.mono(), theme.ink, Qt::AlignRight | Qt::AlignVCenter);
    }

private:
    QString key_, words_, among_, when_;
};

CurvePanel::CurvePanel(Stage& stage, QWidget* parent)
    : QWidget(parent),
      stage_(stage),
      scale_(new QButtonGroup(this)),
      axis_(new QButtonGroup(this)),
      form_(new QButtonGroup(this)),
      from_(new QLineEdit),
      to_(new QLineEdit),
      logarithmic_(new QCheckBox(tr("log"))),
      work_(new NewestWork(this))
{
    setObjectName(QStringLiteral("curvePanel"));
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(6);
    grid->setVerticalSpacing(5);
    grid->setColumnStretch(1, 1);
    const auto section = [&](int row, const QString& words) {
        auto* line = new QHBoxLayout;
        sections_.push_back({new QLabel(words), new QLabel});
        line->addWidget(sections_.back().name, 1);
        line->addWidget(sections_.back().right);
        grid->addLayout(line, row, 0, 1, 2);
    };
    const auto label = [&](const QString& words) {
        labels_.push_back(new QLabel(words));
        return labels_.back();
    };
    const auto row = [&](int at, QLabel* name, QButtonGroup* group, const char* object, std::initializer_list<QString> words) {
        grid->addWidget(name, at, 0);
        auto* line = new QHBoxLayout;
        line->setSpacing(4);
        int id = 0;
        for (const QString& one : words) {
            auto* button = new QPushButton(one);
            button->setCheckable(true);
            button->setProperty("tight", true);
            button->setObjectName(QLatin1String(object) + QString::number(id));
            button->setAccessibleName(name->text() + QLatin1Char(' ') + one);
            group->addButton(button, id++);
            line->addWidget(button);
        }
        line->addStretch(1);
        grid->addLayout(line, at, 1);
    };
    section(0, tr("How it is drawn"));
    row(1, label(tr("scale")), scale_, "drawnScale", {tr("database"), tr("window"), tr("run"), tr("by hand")});
    auto* ends = new QHBoxLayout;
    ends->setSpacing(4);
    fromLabel_ = label(tr("from"));
    toLabel_ = label(tr("to"));
    ends->addWidget(from_, 1);
    ends->addWidget(toLabel_);
    ends->addWidget(to_, 1);
    ends->addWidget(logarithmic_);
    grid->addWidget(fromLabel_, 2, 0);
    grid->addLayout(ends, 2, 1);
    axisLabel_ = label(tr("axis"));
    row(3, axisLabel_, axis_, "drawnAxis", {tr("its own"), tr("shared")});
    row(4, label(tr("form")), form_, "drawnForm", {tr("band"), tr("steps"), tr("lines"), tr("points")});
    section(5, tr("Go to the next"));
    sections_.back().right->setText(tr("Shift: the one before"));
    auto* lines = new QVBoxLayout;
    lines->setSpacing(0);
    grid->addLayout(lines, 6, 0, 1, 2);
    for (std::size_t i = 0; i < kinds; ++i) {
        places_[i] = new PlaceButton(placeKinds[i].key, tr(placeKinds[i].words));
        lines->addWidget(places_[i]);
        connect(places_[i], &QAbstractButton::clicked, this, [this, i] {
            if (DrawnCurves* lanes = stage_.drawnCurves())
                if (const auto at = lanes->place(path_, placeKinds[i].place, places_[i]->before))
                    stage_.setCursor(*at);
        });
    }
    scale_->button(0)->setToolTip(tr("The range of the database  (Y turns it on)"));
    scale_->button(1)->setToolTip(tr("What is in the window"));
    scale_->button(2)->setToolTip(tr("What is in the whole run"));
    scale_->button(3)->setToolTip(tr("As it is typed, or dragged at the scale"));
    form_->button(1)->setToolTip(tr("A value holds until the next  (P turns it on)"));
    from_->setObjectName(QStringLiteral("drawnFrom"));
    to_->setObjectName(QStringLiteral("drawnTo"));
    from_->setAccessibleName(tr("Lower end of the scale"));
    to_->setAccessibleName(tr("Upper end of the scale"));
    logarithmic_->setObjectName(QStringLiteral("drawnLog"));
    logarithmic_->setToolTip(tr("Logarithmic; of what is positive"));
    connect(scale_, &QButtonGroup::idClicked, this, [this](int id) {
        set(tr("scale of a lane"), [this, id](LaneSetUp& next) {
            next.scale = static_cast<Scale>(id);
            if (next.scale == Scale::hand)
                next.hand[next.axisOf(path_)] = drawn_->ends;
        });
    });
    connect(axis_, &QButtonGroup::idClicked, this,
        [this](int id) { set(tr("axes of a lane"), [id](LaneSetUp& next) { next.own = id == 0; }); });
    connect(form_, &QButtonGroup::idClicked, this,
        [this](int id) { set(tr("form of a lane"), [id](LaneSetUp& next) { next.form = static_cast<Form>(id); }); });
    connect(logarithmic_, &QCheckBox::clicked, this,
        [this](bool on) { set(tr("scale of a lane"), [on](LaneSetUp& next) { next.logarithmic = on; }); });
    for (QLineEdit* end : {from_, to_})
        connect(end, &QLineEdit::editingFinished, this, &CurvePanel::setEnds);
    soon_.setSingleShot(true);
    soon_.setInterval(placesAfter);
    connect(&soon_, &QTimer::timeout, this, &CurvePanel::askPlaces);
    const auto placesSoon = [this] {
        settled_ = false;
        if (isVisible() && !soon_.isActive())
            soon_.start();
    };
    connect(&stage, &Stage::axisChanged, this, placesSoon);
    connect(&stage, &Stage::marksChanged, this, placesSoon);
    connect(&stage.curveDesk(), &CurveDesk::grown, this, placesSoon);
    connect(&stage, &Stage::drawnChanged, this, [this] {
        if (!path_.isEmpty())
            fill();
    });
    restyle();
    connect(&Theme::get(), &Theme::changed, this, &CurvePanel::restyle);
}

void CurvePanel::restyle()
{
    const Theme& theme = Theme::get();
    for (const Section& section : sections_) {
        writeLabel(section.name, theme.bodyStrong(), theme.ink);
        writeLabel(section.right, theme.small(), theme.ink2);
    }
    for (QLabel* label : labels_)
        writeLabel(label, theme.body(), theme.ink2);
    for (QButtonGroup* group : {scale_, axis_, form_})
        for (QAbstractButton* button : group->buttons()) {
            button->setFont(theme.small());
            // Four of them stand in a line.
            button->setMinimumWidth(0);
            button->setFixedWidth(QFontMetrics(theme.small()).horizontalAdvance(button->text()) + theme.px(13));
        }
    logarithmic_->setFont(theme.body());
    from_->setFont(theme.mono());
    to_->setFont(theme.mono());
    Q_EMIT heightChanged();
}

bool CurvePanel::show(const QString& path)
{
    const bool other = path_ != path;
    path_ = path;
    if (other) {
        from_->setModified(false);
        to_->setModified(false);
    }
    if (other)
        fill();     // else what was pressed would be taken back by the picture of before
    if (drawn_ && (other || !settled_) && !soon_.isActive())
        soon_.start(other ? 0 : placesAfter);
    return drawn_.has_value();
}

void CurvePanel::fill()
{
    const DrawnCurves* lanes = stage_.drawnCurves();
    drawn_ = lanes == nullptr ? std::nullopt : lanes->drawn(path_);
    if (!drawn_)
        return;
    sections_[0].right->setText(tr("lane %1").arg(drawn_->lane + 1));
    const LaneSetUp& now = drawn_->setUp;
    const auto check = [](QButtonGroup* group, int id) {
        if (QAbstractButton* button = group->button(id); !button->isChecked())
            button->setChecked(true);
    };
    check(scale_, static_cast<int>(now.scale));
    check(axis_, now.own ? 0 : 1);
    check(form_, now.form == Form::usual ? (drawn_->band ? 0 : 1) : static_cast<int>(now.form));
    const auto source = curveOf(stage_.document().catalog(), path_);
    const bool wasBand = !form_->button(0)->isHidden(), wasSeveral = !axisLabel_->isHidden(), wasScale = !from_->isHidden();
    const bool bandable = source && source->named() && now.size() == 1, several = now.size() > 1;
    form_->button(0)->setVisible(bandable);
    axisLabel_->setVisible(several);
    for (QAbstractButton* button : axis_->buttons())
        button->setVisible(several);
    // A band has no scale.
    for (QWidget* one : std::initializer_list<QWidget*>{from_, to_, fromLabel_, toLabel_, logarithmic_})
        one->setVisible(!drawn_->band);
    for (QAbstractButton* button : scale_->buttons())
        button->setEnabled(!drawn_->band);
    logarithmic_->setChecked(now.logarithmic);
    for (const auto& [field, end] : {std::pair{from_, drawn_->ends.first}, std::pair{to_, drawn_->ends.second}})
        if (!field->isModified() && field->text() != endText(end)) {
            field->setText(endText(end));
            field->setCursorPosition(0);
        }
    const bool marks = stage_.marks().both();
    sections_[1].right->setToolTip(marks ? tr("Largest and smallest of what lies between the marks") : tr("Of what is in the window"));
    if (wasBand != bandable || wasSeveral != several || wasScale == drawn_->band)
        Q_EMIT heightChanged();
}

void CurvePanel::set(const QString& what, const std::function<void(LaneSetUp&)>& change)
{
    DrawnCurves* lanes = stage_.drawnCurves();
    if (lanes == nullptr || !drawn_)
        return;
    LaneSetUp next = drawn_->setUp;
    change(next);
    lanes->draw(path_, next, what);
    fill();
}

void CurvePanel::setEnds()
{
    if ((!from_->isModified() && !to_->isModified()) || !drawn_)
        return;
    bool good[2] = {false, false};
    const double low = from_->text().trimmed().toDouble(&good[0]);
    const double high = to_->text().trimmed().toDouble(&good[1]);
    const bool fits = good[0] && good[1] && std::isfinite(low) && std::isfinite(high) && low < high
                      && (!drawn_->setUp.logarithmic || low > 0);
    if (!fits && (from_->hasFocus() || to_->hasFocus()))
        return;     // the other end is still to come
    from_->setModified(false);
    to_->setModified(false);
    if (!fits) {
        Q_EMIT stage_.told(tr("A scale goes from a smaller number to a larger one; it stays as it was."));
        return fill();
    }
    set(tr("scale of a lane"), [&](LaneSetUp& next) {
        next.scale = Scale::hand;
        next.hand[next.axisOf(path_)] = {low, high};
    });
}

void CurvePanel::askPlaces()
{
    const DrawnCurves* lanes = stage_.drawnCurves();
    const auto source = curveOf(stage_.document().catalog(), path_);
    if (!isVisible() || lanes == nullptr || !source)
        return;
    const Marks& marks = stage_.marks();
    const Time from = marks.both() ? std::min(*marks.a, *marks.b) : stage_.windowFrom();
    const Time to = marks.both() ? std::max(*marks.a, *marks.b) : stage_.windowTo();
    const QString among = marks.both() ? tr("A to B") : QString();
    work_->ask([this, among, snapshot = stage_.snapshot(), series = stage_.curveDesk().series(*source), cursor = stage_.cursor(), from, to](
                   const std::function<bool()>& goesOn) -> NewestWork::Deliver {
        std::array<std::optional<Time>, kinds> found;
        for (std::size_t i = 0; i < kinds && goesOn(); ++i)
            found[i] = series->next(snapshot, placeKinds[i].place, cursor, false, from, to, goesOn);
        return [this, among, found] {
            for (std::size_t i = 0; i < kinds; ++i) {
                const Place place = placeKinds[i].place;
                const bool extreme = place == Place::largest || place == Place::smallest;
                places_[i]->say(extreme ? among : QString(), found[i] ? timeWords(stage_.seconds(*found[i]), 3) : tr("none here"));
            }
            settled_ = true;
        };
    });
}

QStringList CurvePanel::places() const
{
    QStringList out;
    for (const PlaceButton* place : places_)
        out << place->reads();
    return out;
}

}  // namespace wavetrope::app
