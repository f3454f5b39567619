// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/inspector/value_row.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/buttons.h"
#include "app/parts/elided_label.h"
#include "app/parts/label.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/compose.h"

namespace wavetrope::app {

namespace {

// The fields that a kind of source has.
struct SourceField {
    const char* name;
    const char* words;
    bool span = false;
};
struct SourceKind {
    const char* key;
    const char* words;
    std::vector<SourceField> fields;
};

const std::vector<SourceKind>& sourceKinds()
{
    static const std::vector<SourceKind> kinds = {{"", QT_TRANSLATE_NOOP("ValueRow", "value"), {}},
        {"start", QT_TRANSLATE_NOOP("ValueRow", "start value"), {}}, {"formula", QT_TRANSLATE_NOOP("ValueRow", "formula"), {{"", "="}}},
        {"sine", QT_TRANSLATE_NOOP("ValueRow", "sine"), {{"mean", "about"}, {"amplitude", "by"}, {"period", "period s"}}},
        {"ramp", QT_TRANSLATE_NOOP("ValueRow", "ramp"), {{"from", "from"}, {"to", "to"}, {"lasts", "in", true}, {"begins", "at", true}}},
        {"table", QT_TRANSLATE_NOOP("ValueRow", "table"), {{"", "s value, s value"}}},
        {"steps", QT_TRANSLATE_NOOP("ValueRow", "steps"), {{"", "s value, s value"}}},
        {"noise", QT_TRANSLATE_NOOP("ValueRow", "noise"), {{"mean", "about"}, {"deviation", "by"}}},
        {"counter", QT_TRANSLATE_NOOP("ValueRow", "counter"), {{"modulo", "below"}}},
        {"checksum", QT_TRANSLATE_NOOP("ValueRow", "checksum"), {{"", "sum8, xor8, crc8"}}}};
    return kinds;
}

int kindOf(const nlohmann::json& source, bool set)
{
    if (source.is_null())
        return set ? 0 : 1;
    const std::string key = source.is_string() ? "formula" : source.is_object() && !source.empty() ? source.begin().key() : "";
    for (std::size_t i = 0; i < sourceKinds().size(); ++i)
        if (sourceKinds()[i].key == key)
            return static_cast<int>(i);
    return 0;
}

// A field of a source as it is typed.
QString typedOf(const nlohmann::json& source, const SourceField& field)
{
    if (source.is_string())
        return text(source.get<std::string>());
    const nlohmann::json& body = source.begin().value();
    if (body.is_array()) {
        QStringList points;
        for (const nlohmann::json& point : body)
            points << text(database::numberText(point[0].get<double>(), 9)) + QLatin1Char(' ')
                          + text(database::numberText(point[1].get<double>(), 9));
        return points.join(QStringLiteral(", "));
    }
    if (body.is_string())
        return text(body.get<std::string>());
    if (!body.is_object() || !body.contains(field.name))
        return {};
    const nlohmann::json& value = body[field.name];
    return value.is_string() ? text(value.get<std::string>()) : text(database::numberText(value.get<double>(), 9));
}

Expected<double> numberTyped(const QString& words)
{
    bool good = false;
    const double value = words.trimmed().toDouble(&good);
    if (!good || !std::isfinite(value))
        return fail("'" + words.toStdString() + "' is no number");
    return value;
}

// What the fields of a source say.
Expected<nlohmann::json> sourceTyped(const SourceKind& kind, const QStringList& typed)
{
    const std::string key = kind.key;
    if (key == "formula")
        return nlohmann::json(typed.value(0).trimmed().toStdString());
    if (key == "checksum")
        return nlohmann::json{{"checksum", typed.value(0).trimmed().toStdString()}};
    if (key == "table" || key == "steps") {
        nlohmann::json points = nlohmann::json::array();
        for (const QString& pair : typed.value(0).split(QLatin1Char(','), Qt::SkipEmptyParts)) {
            const QStringList parts = pair.simplified().split(QLatin1Char(' '));
            if (parts.size() != 2)
                return fail("'" + pair.trimmed().toStdString() + "' is no point", {}, "Give a time in seconds and a value: 0 1, 2.5 3");
            const auto time = numberTyped(parts[0]), value = numberTyped(parts[1]);
            if (!time || !value)
                return tl::unexpected(!time ? time.error() : value.error());
            points.push_back({*time, *value});
        }
        return nlohmann::json{{key, points}};
    }
    nlohmann::json body = nlohmann::json::object();
    for (std::size_t i = 0; i < kind.fields.size(); ++i) {
        const QString words = typed.value(static_cast<qsizetype>(i)).trimmed();
        if (words.isEmpty())
            continue;
        if (kind.fields[i].span) {
            const auto span = spanFromText(words.toStdString());
            if (!span || span->count() < 0)
                return fail("'" + words.toStdString() + "' is no time", {}, "Such as 5 s");
            body[kind.fields[i].name] = exactSpanText(*span);
            continue;
        }
        const auto value = numberTyped(words);
        if (!value)
            return tl::unexpected(value.error());
        body[kind.fields[i].name] = *value;
    }
    return nlohmann::json{{key, body}};
}

}  // namespace

ValueTrack::ValueTrack(QWidget* parent) : QWidget(parent)
{
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::PointingHandCursor);
    setToolTip(tr("Drag, or step with the arrows; Shift: ten steps, Ctrl: a tenth of one"));
}

QSize ValueTrack::sizeHint() const { return {Theme::get().px(160), Theme::get().px(30)}; }

void ValueTrack::set(const Facts& facts)
{
    if (dragging_) {
        facts_.onBus = facts.onBus;
        return update();
    }
    if (facts == facts_)
        return;
    facts_ = facts;
    setAccessibleDescription(facts.busWords);
    update();
}

double ValueTrack::xOf(double value) const
{
    const double inset = Theme::get().px(6), span = facts_.high - facts_.low;
    const double part = span > 0 ? (value - facts_.low) / span : 0;
    return inset + std::clamp(part, 0.0, 1.0) * (width() - 2 * inset);
}

double ValueTrack::valueAt(double x) const
{
    const double inset = Theme::get().px(6);
    return facts_.low + std::clamp((x - inset) / std::max(1.0, width() - 2 * inset), 0.0, 1.0) * (facts_.high - facts_.low);
}

void ValueTrack::paintEvent(QPaintEvent*)
{
    const Theme& theme = Theme::get();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const double y = theme.px(9);
    painter.setPen(QPen(theme.ink3, 1));
    painter.drawLine(QPointF(xOf(facts_.low), y), QPointF(xOf(facts_.high), y));
    for (const double end : {facts_.low, facts_.high})
        painter.drawLine(QPointF(xOf(end), y - theme.px(3)), QPointF(xOf(end), y + theme.px(3)));
    const double ink = xOf(facts_.asked);
    if (facts_.onBus && facts_.waits) {
        painter.setPen(QPen(theme.accent, 1.5, Qt::DashLine));
        painter.drawLine(QPointF(xOf(*facts_.onBus), y), QPointF(ink, y));
    }
    if (facts_.onBus)
        painter.fillRect(QRectF(xOf(*facts_.onBus) - theme.px(1.5), y - theme.px(6), theme.px(3), theme.px(12)), theme.ink);
    if (facts_.waits || !facts_.onBus || dragging_ || hasFocus()) {
        const double half = theme.px(5.5);
        painter.setPen(QPen(theme.accent, facts_.waits || dragging_ ? 1.8 : 1.2));
        painter.setBrush(theme.surface);
        painter.drawPolygon(QPolygonF({QPointF(ink, y - half), QPointF(ink + half, y), QPointF(ink, y + half), QPointF(ink - half, y)}));
    }
    const QRectF line(0, theme.px(16), width(), theme.px(13));
    const QFontMetricsF metrics(theme.small());
    paintText(painter, line, facts_.lowWords, theme.small(), theme.ink2);
    paintText(painter, line, facts_.highWords, theme.small(), theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
    // Under its tick, where the ends leave room.
    const double wide = metrics.horizontalAdvance(facts_.busWords);
    const double left = metrics.horizontalAdvance(facts_.lowWords) + theme.px(6);
    const double right = width() - metrics.horizontalAdvance(facts_.highWords) - theme.px(6) - wide;
    if (facts_.onBus && right > left)
        paintText(painter, QRectF(std::clamp(xOf(*facts_.onBus) - wide / 2, left, right), line.top(), wide + 2, line.height()),
            facts_.busWords, theme.small(), theme.ink2);
}

void ValueTrack::mousePressEvent(QMouseEvent* event)
{
    if (event->button() != Qt::LeftButton)
        return;
    setFocus();
    dragging_ = true;
    facts_.asked = valueAt(event->position().x());
    facts_.waits = true;
    update();
    Q_EMIT moved(facts_.asked);
}

void ValueTrack::mouseMoveEvent(QMouseEvent* event)
{
    if (!dragging_)
        return;
    facts_.asked = valueAt(event->position().x());
    update();
    Q_EMIT moved(facts_.asked);
}

void ValueTrack::mouseReleaseEvent(QMouseEvent*)
{
    if (!std::exchange(dragging_, false))
        return;
    Q_EMIT released(facts_.asked);
}

void ValueTrack::keyPressEvent(QKeyEvent* event)
{
    const bool up = event->key() == Qt::Key_Up || event->key() == Qt::Key_Right;
    if (!up && event->key() != Qt::Key_Down && event->key() != Qt::Key_Left)
        return QWidget::keyPressEvent(event);
    const double steps = (event->modifiers() & Qt::ShiftModifier) != 0 ? 10 : (event->modifiers() & Qt::ControlModifier) != 0 ? 0.1 : 1;
    Q_EMIT stepped(up ? steps : -steps);
}

ValueRow::ValueRow(QWidget* parent)
    : QWidget(parent),
      name_(new ElidedLabel),
      field_(new QLineEdit),
      texts_(new QComboBox),
      unit_(new QLabel),
      kinds_(new QComboBox),
      track_(new ValueTrack),
      below_(new QLabel),
      problem_(new QLabel),
      offer_(linkButton({}, "offeredSource"))
{
    setObjectName(QStringLiteral("valueRow"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 2, 0, 4);
    all->setSpacing(2);
    auto* top = new QHBoxLayout;
    top->setSpacing(5);
    top->addSpacing(Theme::get().px(15));       // the tint of the signal
    top->addWidget(name_, 1);
    top->addWidget(field_);
    top->addWidget(texts_);
    top->addWidget(unit_);
    all->addLayout(top);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(6);
    middle->addWidget(kinds_, 0, Qt::AlignTop);
    middle->addWidget(track_, 1);
    middle->addStretch(0);
    all->addLayout(middle);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(5);
    grid->setVerticalSpacing(2);
    for (int i = 0; i < 4; ++i) {
        auto* label = new QLabel;
        auto* edit = new QLineEdit;
        edit->setObjectName(QStringLiteral("sourceField%1").arg(i));
        grid->addWidget(label, i / 2, 2 * (i % 2));
        grid->addWidget(edit, i / 2, 2 * (i % 2) + 1);
        fields_.emplace_back(label, edit);
        connect(edit, &QLineEdit::editingFinished, this, &ValueRow::keepFields);
    }
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
    all->addLayout(grid);
    below_->setWordWrap(true);
    problem_->setWordWrap(true);
    problem_->hide();
    all->addWidget(problem_);
    all->addWidget(below_);
    all->addWidget(offer_, 0, Qt::AlignLeft);
    field_->setObjectName(QStringLiteral("valueField"));
    field_->setAlignment(Qt::AlignRight);
    field_->installEventFilter(this);
    texts_->setObjectName(QStringLiteral("valueTexts"));
    kinds_->setObjectName(QStringLiteral("valueSource"));
    for (const SourceKind& kind : sourceKinds())
        kinds_->addItem(tr(kind.words));
    kinds_->setToolTip(tr("Where the value comes from"));
    connect(field_, &QLineEdit::editingFinished, this, [this] {
        if (field_->isModified() && keepText) {
            field_->setModified(false);
            say(keepText(field_->text()));
        }
    });
    connect(texts_, &QComboBox::textActivated, this, [this](const QString& words) {
        if (keepText)
            say(keepText(words));
    });
    connect(kinds_, &QComboBox::activated, this, &ValueRow::chooseKind);
    const auto bitsNear = [this](double value) {
        bool fits = true;
        return database::MessagePlan::bitsOf(*facts_.plan, value, fits);
    };
    connect(track_, &ValueTrack::moved, this, [this, bitsNear](double value) {
        if (facts_.plan != nullptr && tryBits) {
            tryBits(bitsNear(value));
            field_->setText(text(database::numberText(facts_.plan->physicalOf(bitsNear(value)), 9)));
        }
    });
    connect(track_, &ValueTrack::released, this, [this, bitsNear](double value) {
        if (facts_.plan != nullptr && keepBits)
            say(keepBits(bitsNear(value)));
    });
    connect(track_, &ValueTrack::stepped, this, &ValueRow::step);
    connect(offer_, &QPushButton::clicked, this, [this] {
        if (keepSource && !facts_.offered.is_null())
            say(keepSource(facts_.offered));
    });
    restyle();
}

void ValueRow::restyle()
{
    const Theme& theme = Theme::get();
    writeLabel(name_, theme.body(), facts_.set ? theme.ink : theme.ink2);
    writeLabel(unit_, theme.body(), theme.ink2);
    writeLabel(problem_, theme.small(), theme.error);
    writeLabel(below_, facts_.waiting.isEmpty() ? theme.small() : theme.bodyStrong(), facts_.waiting.isEmpty() ? theme.ink2 : theme.ink);
    for (auto& [label, edit] : fields_) {
        writeLabel(label, theme.small(), theme.ink2);
        edit->setFont(theme.mono());
    }
    field_->setFont(theme.mono());
    field_->setFixedWidth(theme.px(78));
    texts_->setFont(theme.body());
    texts_->setFixedWidth(theme.px(112));
    kinds_->setFont(theme.small());
    kinds_->setFixedWidth(theme.px(72));
    offer_->setFont(theme.small());
    QPalette palette = field_->palette();
    palette.setColor(QPalette::Text, facts_.set ? theme.ink : theme.ink3);
    field_->setPalette(palette);
}

void ValueRow::say(const Expected<void>& done)
{
    problem_->setText(done ? QString() : text(done.error().text()));
    if (problem_->isHidden() == !done) {
        problem_->setVisible(!done);
        Q_EMIT heightChanged();
    }
}

void ValueRow::setFacts(const Facts& facts)
{
    const bool other = facts_.signal == nullptr || signal_.name != facts.signal->name;
    const bool styled = other || facts_.set != facts.set || facts_.waiting.isEmpty() != facts.waiting.isEmpty();
    const bool sourceChanged = other || facts_.source != facts.source;
    facts_ = facts;
    signal_ = *facts.signal;
    facts_.signal = &signal_;
    const database::SignalPlan& plan = *facts.plan;
    name_->setText(text(signal_.name));
    name_->setToolTip(text(signal_.comment));
    const bool sourced = !facts.source.is_null();
    const bool named = !signal_.texts.empty() && !sourced;
    if (named && (other || texts_->count() == 0)) {
        texts_->clear();
        for (const database::ValueText& one : signal_.texts)
            texts_->addItem(text(one.text));
        texts_->setAccessibleName(text(signal_.name));
    }
    const QString reading = text(database::readingOf(signal_, plan, facts.bits));
    if (named && !texts_->view()->isVisible()) {
        const int at = texts_->findText(reading);
        if (at != texts_->currentIndex())
            texts_->setCurrentIndex(at);
        texts_->setPlaceholderText(reading);
    }
    if (other) {
        field_->setAccessibleName(text(signal_.name));
        field_->setModified(false);
        say({});
    }
    if (!(field_->hasFocus() && field_->isModified()) && !track_->dragging()) {
        const QString number = text(database::numberText(plan.physicalOf(facts.bits), 9));
        if (field_->text() != number)
            field_->setText(number);
    }
    field_->setReadOnly(sourced);
    unit_->setText(text(signal_.unit));
    const int kind = kindOf(facts.source, facts.set);
    if (!kinds_->view()->isVisible() && kinds_->currentIndex() != kind)
        kinds_->setCurrentIndex(kind);
    const auto [low, high] = database::rangeOf(signal_, plan);
    ValueTrack::Facts track;
    track.low = low;
    track.high = high;
    track.lowWords = text(database::numberText(low, 6));
    track.highWords = text(database::numberText(high, 6));
    if (facts.onBus) {
        track.onBus = plan.physicalOf(*facts.onBus);
        track.busWords = tr("on the bus %1").arg(text(database::readingOf(signal_, plan, *facts.onBus)));
    }
    track.asked = plan.physicalOf(facts.bits);
    track.waits = !facts.waiting.isEmpty();
    track_->set(track);
    below_->setText(!facts.waiting.isEmpty() ? facts.waiting : !facts.set && !sourced ? facts.start : QString());
    offer_->setText(facts.offeredWords);
    if (sourceChanged)
        showFields(true);
    // What stands says how tall it is.
    const bool tracked = !named && !sourced && high > low && plan.length > 1;
    const QString shown = QStringLiteral("%1%2%3%4%5%6")
                              .arg(named)
                              .arg(tracked)
                              .arg(kind)
                              .arg(below_->text().isEmpty() ? 0 : below_->text().size() / 34 + 1)
                              .arg(facts.offeredWords.isEmpty())
                              .arg(signal_.unit.empty());
    if (shown != shown_) {
        shown_ = shown;
        texts_->setVisible(named);
        field_->setVisible(!named);
        unit_->setVisible(!named && !signal_.unit.empty());
        track_->setVisible(tracked);
        below_->setVisible(!below_->text().isEmpty());
        offer_->setVisible(!facts.offeredWords.isEmpty());
        showFields(false);
        Q_EMIT heightChanged();
    }
    if (styled)
        restyle();
    update();
}

void ValueRow::showFields(bool anew)
{
    const SourceKind& kind = sourceKinds()[static_cast<std::size_t>(std::max(0, kindOf(facts_.source, facts_.set)))];
    const bool one = kind.fields.size() == 1;
    for (std::size_t i = 0; i < fields_.size(); ++i) {
        auto& [label, edit] = fields_[i];
        const bool there = i < kind.fields.size();
        label->setVisible(there);
        edit->setVisible(there);
        if (!there)
            continue;
        label->setText(one && *kind.fields[i].name == '\0' && std::string(kind.key) != "formula" ? QString() : tr(kind.fields[i].words));
        edit->setAccessibleName(name_->text() + QLatin1Char(' ') + tr(kind.fields[i].words));
        edit->setPlaceholderText(tr(kind.fields[i].words));
        edit->setToolTip(tr(kind.fields[i].words));
        if (anew && !edit->hasFocus()) {
            edit->setText(typedOf(facts_.source, kind.fields[i]));
            edit->setCursorPosition(0);
        }
    }
    if (auto* grid = static_cast<QGridLayout*>(layout()->itemAt(2)->layout()); one) {
        grid->removeWidget(fields_[0].second);
        grid->addWidget(fields_[0].second, 0, 1, 1, 3);
    } else {
        grid->removeWidget(fields_[0].second);
        grid->addWidget(fields_[0].second, 0, 1, 1, 1);
    }
}

void ValueRow::chooseKind(int kind)
{
    if (!keepSource || facts_.plan == nullptr)
        return;
    const SourceKind& chosen = sourceKinds()[static_cast<std::size_t>(kind)];
    const std::string key = chosen.key;
    if (key.empty())
        return say(keepBits(facts_.bits));
    const auto [low, high] = database::rangeOf(signal_, *facts_.plan);
    const double value = facts_.plan->physicalOf(facts_.bits), wide = high - low;
    nlohmann::json source;      // null: the start value
    if (key == "formula")
        source = database::numberText(value, 9);
    else if (key == "sine")
        source = {{"sine", {{"mean", value}, {"amplitude", wide / 10}, {"period", 4}}}};
    else if (key == "ramp")
        source = {{"ramp",
            {{"from", value}, {"to", high}, {"lasts", "5 s"}, {"begins", exactSpanText(Time(std::llround(facts_.now)) * 1'000'000'000)}}}};
    else if (key == "table" || key == "steps")
        source = {{key, nlohmann::json::array({{0, value}, {5, high}})}};
    else if (key == "noise")
        source = {{"noise", {{"mean", value}, {"deviation", wide / 100}}}};
    else if (key == "counter")
        source = {{"counter", {{"modulo", std::uint64_t{1} << std::min<unsigned>(facts_.plan->length, 32)}}}};
    else if (key == "checksum")
        source = {{"checksum", "crc8"}};
    say(keepSource(source));
}

void ValueRow::keepFields()
{
    const SourceKind& kind = sourceKinds()[static_cast<std::size_t>(std::max(0, kindOf(facts_.source, facts_.set)))];
    if (kind.fields.empty() || !keepSource)
        return;
    QStringList typed;
    bool changed = false;
    for (std::size_t i = 0; i < kind.fields.size(); ++i) {
        typed << fields_[i].second->text();
        changed = changed || fields_[i].second->isModified();
    }
    if (!changed)
        return;
    for (auto& [label, edit] : fields_)
        edit->setModified(false);
    const auto source = sourceTyped(kind, typed);
    say(source ? keepSource(*source) : Expected<void>(tl::unexpected(source.error())));
}

void ValueRow::step(double steps)
{
    if (facts_.plan == nullptr || !keepBits || !facts_.source.is_null())
        return;
    say(keepBits(database::steppedBits(signal_, *facts_.plan, facts_.bits, steps)));
}

bool ValueRow::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == field_ && event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Up || key->key() == Qt::Key_Down) {
            if (field_->isModified() && keepText) {
                field_->setModified(false);
                say(keepText(field_->text()));
            }
            const double steps = (key->modifiers() & Qt::ShiftModifier) != 0 ? 10 : (key->modifiers() & Qt::ControlModifier) != 0 ? 0.1 : 1;
            step(key->key() == Qt::Key_Up ? steps : -steps);
            return true;
        }
        if (key->key() == Qt::Key_Escape) {
            // First what is being typed, then what waits.
            const bool typed = field_->isModified() || !problem_->isHidden();
            field_->setModified(false);
            say({});
            if (!typed && !facts_.waiting.isEmpty() && takeBack)
                takeBack();
            field_->setText(text(database::numberText(facts_.plan->physicalOf(facts_.bits), 9)));
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

void ValueRow::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    const double y = name_->geometry().center().y();
    const QRectF box(0, y - theme.px(4.5), theme.px(9), theme.px(9));
    paintTint(painter, box, static_cast<std::size_t>(property("place").toUInt()));
    painter.setPen(theme.hairline);
    painter.drawRect(box.adjusted(0, 0, -1, -1));
    if (!facts_.waiting.isEmpty()) {
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(theme.accent, 1.2, Qt::DashLine));
        painter.setBrush(Qt::NoBrush);
        const QWidget* edited = field_->isHidden() ? static_cast<QWidget*>(texts_) : field_;
        painter.drawRoundedRect(QRectF(edited->geometry()).adjusted(-1.5, -1.5, 1.5, 1.5), theme.px(4), theme.px(4));
    }
}

QString ValueRow::words() const
{
    QString out = text(signal_.name) + QLatin1Char(' ')
                  + (facts_.plan != nullptr ? text(database::readingOf(signal_, *facts_.plan, facts_.bits)) : QString());
    if (!below_->text().isEmpty())
        out += QStringLiteral(", ") + below_->text();
    return out;
}

}  // namespace wavetrope::app
