// SPDX-License-Identifier: GPL-3.0-or-later
// The fields of the editor: what they show, and what is typed into them.
#include <QHBoxLayout>
#include <QLineEdit>

#include <algorithm>

#include "app/database/database_view.h"
#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/field_text.h"

namespace wavetrope::app {

namespace {

constexpr qsizetype longValue = 8;  // characters

QString numberField(double value) { return text(database::numberText(value, 15)); }

std::optional<double> numberOf(const QString& field)
{
    bool good = false;
    const double value = field.trimmed().toDouble(&good);
    return good ? std::optional(value) : std::nullopt;
}

}  // namespace

void DatabaseView::fillEntries()
{
    const QSignalBlocker quiet(entries_);
    entries_->clear();
    for (std::size_t i = 0; i < desk_.count(); ++i) {
        const rig::ShelfEntry& entry = desk_.shelf().at(i);
        if (entry.buses.empty())
            continue;
        QString title = entry.own ? tr("%1: the rig's own").arg(text(entry.name)) : text(entry.name);
        if (entry.missing)
            title += tr(" (missing)");
        entries_->addItem(title, qulonglong(i));
    }
    entries_->setCurrentIndex(entries_->findData(qulonglong(desk_.current())));
}

void DatabaseView::setField(const char* name, const QString& value)
{
    QLineEdit* edit = fields_.at(QLatin1String(name));
    if (edit->text() == value)
        return;
    edit->setText(value);
    edit->setCursorPosition(0);
    // What may be longer than its field is read in full in the tooltip.
    if (!edit->property("tip").isValid())
        edit->setProperty("tip", edit->toolTip());
    edit->setToolTip(value.size() > longValue ? QStringLiteral("%1\n%2").arg(value, edit->property("tip").toString())
                                              : edit->property("tip").toString());
}

void DatabaseView::fill()
{
    const bool any = desk_.any();
    entries_->setCurrentIndex(any ? entries_->findData(qulonglong(desk_.current())) : -1);
    const database::Message* message = any ? desk_.message() : nullptr;
    // Whoever undid an edit may have taken the chosen one along.
    if (any && message == nullptr && !desk_.database().messages.empty()) {
        desk_.choose(desk_.database().messages.front().uid);
        return;
    }
    save_->setEnabled(any && desk_.entry().changed());
    save_->setText(any && desk_.entry().changed() ? tr("Save *") : tr("Save"));
    disk_->setVisible(any && desk_.shelf().changedOnDisk(desk_.current()) && !desk_.entry().missing);
    placeProblem();
    if (any) {
        const database::Database& db = desk_.database();
        facts_->setText(
            desk_.entry().missing
                ? QString()
                : QStringList{counted(db.messages.size(), "message"), counted(db.signalCount(), "signal")}.join(QStringLiteral(", ")));
    }
    for (QWidget* widget : {static_cast<QWidget*>(messageForm_), static_cast<QWidget*>(layoutScroll_), static_cast<QWidget*>(hint_)})
        widget->setVisible(message != nullptr);
    empty_->setVisible(message == nullptr);
    if (message == nullptr) {
        empty_->setText(!any ? tr("This rig has no bus.")
                        : desk_.entry().missing
                            ? tr("%1\n\nSay where it is: More, Point to the file.").arg(text(desk_.entry().missing->text()))
                        : desk_.entry().own ? tr("Nothing is defined here yet. Choose an identifier without a definition in the roster, "
                                                 "then \"Define here\";\nor drop a database file on this view.")
                                            : tr("This database has no message yet: More, New message (Ctrl+M)."));
        selectors_->hide();
        fillSignal();
        return;
    }
    filling_ = true;
    setField("messageName", text(message->name));
    setField("messageId", text(can::toText(message->id)));
    setField("messageLength", QString::number(message->length));
    setField("messageCycle", message->cycleTime.count() > 0 ? text(spanText(message->cycleTime)) : QString());
    setField("messageComment", text(message->comment));
    frame_->setCurrentIndex(!message->fd ? 0 : message->brs ? 2 : 1);
    {
        const QSignalBlocker quiet(sender_);
        sender_->clear();
        sender_->addItem(tr("not named"), QString());
        for (const database::Node& node : desk_.database().nodes)
            sender_->addItem(text(node.name), text(node.name));
        const int index = sender_->findData(text(message->sender));
        if (index < 0)
            sender_->addItem(tr("%1 (no node)").arg(text(message->sender)), text(message->sender));
        sender_->setCurrentIndex(index < 0 ? sender_->count() - 1 : index);
    }
    filling_ = false;

    // A box for each selector, to look at one arrangement at a time.
    std::vector<int> selecting;
    for (std::size_t i = 0; i < message->signals.size(); ++i)
        if (message->signals[i].selects())
            selecting.push_back(static_cast<int>(i));
    const bool same = own_ && own_->uid == message->uid && selectorBoxes_.size() == selecting.size();
    if (!same) {
        while (QLayoutItem* item = selectorLine_->takeAt(0)) {
            if (item->widget() != nullptr) {
                item->widget()->hide();
                item->widget()->deleteLater();
            }
            delete item;
        }
        selectorBoxes_.clear();
        selected_.assign(message->signals.size(), -1);
        for (const int index : selecting) {
            auto* label = new QLabel(tr("%1 selects").arg(text(message->signals[static_cast<std::size_t>(index)].name)));
            Theme::writeInBody(label);
            selectorLine_->addWidget(label);
            auto* box = new QComboBox;
            box->setObjectName(QStringLiteral("selector%1").arg(text(message->signals[static_cast<std::size_t>(index)].name)));
            box->setToolTip(tr("Which signals the picture shows"));
            box->addItem(tr("all"), qlonglong(-1));
            box->addItem(tr("as received"), qlonglong(-2));
            for (const std::uint64_t value : database::selectorValues(*message, index)) {
                const std::string_view label2 = message->signals[static_cast<std::size_t>(index)].textOf(database::RawValue{value});
                box->addItem(label2.empty() ? QString::number(value)
                                            : QStringLiteral("%1 %2").arg(value).arg(
                                                  QString::fromUtf8(label2.data(), static_cast<qsizetype>(label2.size()))),
                    qlonglong(value));
            }
            box->setCurrentIndex(1);
            connect(box, &QComboBox::activated, this, &DatabaseView::refresh);
            selectorLine_->addWidget(box);
            selectorBoxes_.emplace_back(index, box);
        }
        selectorLine_->addStretch(1);
    }
    selectors_->setVisible(!selecting.empty());
    const bool changed = !own_ || !(*own_ == *message);
    if (changed) {
        own_ = std::make_unique<database::Message>(*message);
        series_.reset();
        plan_ = std::make_unique<database::CatalogMessage>(
            database::CatalogMessage{static_cast<std::uint8_t>(std::max(0, desk_.bus())), own_.get(), database::MessagePlan(*own_),
                own_->match.value_or(
                    desk_.bus() >= 0 ? stage().catalog().busMatch(static_cast<std::uint8_t>(desk_.bus())) : database::Match::full),
                0});
    }
    selected_.resize(message->signals.size(), -1);
    layout_->setEditable(true);
    fillSignal();
    resetPlot();
    beats_ = 0;
    showChosen();
    refresh();
}

void DatabaseView::showChosen()
{
    const int index = chosenSignalIndex();
    if (index == shownSignal_ && own_->uid == shownMessage_)
        return;
    shownSignal_ = index;
    shownMessage_ = own_->uid;
    if (index < 0)
        return;
    // A signal that is not in the arrangement shown brings its own.
    const auto& condition = own_->signals[static_cast<std::size_t>(index)];
    const int selector = plan_->plan.multiplexed(static_cast<std::uint32_t>(index))
                             ? plan_->plan.selectorOf(static_cast<std::uint32_t>(index))
                             : -1;
    for (const auto& [selecting, box] : selectorBoxes_)
        if (selecting == selector && box->currentData().toLongLong() != -1
            && !(box->currentData().toLongLong() >= 0 && condition.presentAt(static_cast<std::uint64_t>(box->currentData().toLongLong()))))
            if (const int at = box->findData(qlonglong(plan_->plan.muxValue(static_cast<std::uint32_t>(index)))); at >= 0)
                box->setCurrentIndex(at);
    refreshLayout();
    const QRectF cell = layout_->cellOf(database::bitsOf(condition).back());
    QTimer::singleShot(0, this, [this, cell] {
        layoutScroll_->ensureVisible(static_cast<int>(cell.center().x()), static_cast<int>(cell.center().y()), 20, Theme::get().px(40));
    });
}

int DatabaseView::chosenSignalIndex() const
{
    const database::Signal* signal = desk_.any() ? desk_.signal() : nullptr;
    if (signal == nullptr || !own_)
        return -1;
    for (std::size_t i = 0; i < own_->signals.size(); ++i)
        if (own_->signals[i].uid == signal->uid)
            return static_cast<int>(i);
    return -1;
}

void DatabaseView::fillSignal()
{
    const database::Signal* signal = desk_.any() ? desk_.signal() : nullptr;
    signalForm_->setVisible(signal != nullptr);
    plot_->setVisible(signal != nullptr);
    if (signal == nullptr)
        return;
    filling_ = true;
    setField("signalName", text(signal->name));
    setField("signalStart", QString::number(signal->startBit));
    setField("signalLength", QString::number(signal->length));
    setField("signalFactor", numberField(signal->factor));
    setField("signalOffset", numberField(signal->offset));
    setField("signalMinimum", signal->minimum ? numberField(*signal->minimum) : QString());
    setField("signalMaximum", signal->maximum ? numberField(*signal->maximum) : QString());
    setField("signalUnit", text(signal->unit));
    setField("signalStartValue", signal->startRaw ? numberField(database::planOf(*signal).physical(*signal->startRaw)) : QString());
    setField("signalPresent", text(database::muxText(*signal)));
    setField("signalTexts", text(database::textsText(signal->texts)));
    QStringList receivers;
    for (const std::string& receiver : signal->receivers)
        receivers << text(receiver);
    setField("signalReceivers", receivers.join(QStringLiteral(", ")));
    setField("signalComment", text(signal->comment));
    order_->setCurrentIndex(signal->order == database::ByteOrder::motorola ? 1 : 0);
    kind_->setCurrentIndex(signal->type == database::ValueType::single     ? 2
                           : signal->type == database::ValueType::floating ? 3
                           : signal->isSigned                              ? 1
                                                                           : 0);
    layout_->setSweepOrder(signal->order);
    filling_ = false;
}

void DatabaseView::takeMessage(const char* what)
{
    const database::Message* current = desk_.message();
    if (current == nullptr)
        return;
    database::Message message = *current;
    const QString name = QLatin1String(what);
    desk_.say({});
    taking_ = name;
    const QString value = fields_.contains(name) ? fields_.at(name)->text().trimmed() : QString();
    const auto wrong = [this](const QString& words) { desk_.say(words); };
    if (name == QLatin1String("messageCycle")) {
        const auto span = value.isEmpty() ? std::optional(Time{0}) : spanFromText(value.toStdString());
        if (!span)
            return wrong(tr("'%1': expected a time such as 20 ms").arg(value));
        if (*span != current->cycleTime)
            desk_.apply(desk_.editor().setCycleTime(current->uid, *span));
        return;
    }
    if (name == QLatin1String("messageName"))
        message.name = value.toStdString();
    else if (name == QLatin1String("messageId")) {
        const auto id = can::identifierFromText(value.toStdString());
        if (!id)
            return wrong(tr("'%1': expected an identifier such as 0x1F0, or 8 digits for 29 bits").arg(value));
        message.id = *id;
    } else if (name == QLatin1String("messageLength")) {
        bool good = false;
        message.length = value.toUInt(&good);
        if (!good || message.length > database::maxMessageLength)
            return wrong(tr("'%1': expected a length of 0 to %2 bytes").arg(value).arg(database::maxMessageLength));
    } else if (name == QLatin1String("messageComment"))
        message.comment = value.toStdString();
    else
        message.sender = sender_->currentData().toString().toStdString();
    if (message == *current)
        return desk_.say({});
    const std::string title = "change " + current->name;
    desk_.apply(desk_.editor().putMessage(std::move(message), title));
}

void DatabaseView::takeSignal(const char* what)
{
    const database::Message* message = desk_.message();
    const database::Signal* current = desk_.signal();
    if (message == nullptr || current == nullptr)
        return;
    database::Signal signal = *current;
    const QString name = QLatin1String(what);
    desk_.say({});
    taking_ = name;
    const QString value = fields_.contains(name) ? fields_.at(name)->text().trimmed() : QString();
    const auto wrong = [this](const QString& words) { desk_.say(words); };
    const auto number = [&](double& target) {
        const auto read = numberOf(value);
        if (read)
            target = *read;
        else
            wrong(tr("'%1': expected a number").arg(value));
        return read.has_value();
    };
    const auto bound = [&](std::optional<double>& target) {
        if (value.isEmpty()) {
            target.reset();
            return true;
        }
        double read = 0;
        if (!number(read))
            return false;
        target = read;
        return true;
    };
    const auto whole = [&](unsigned& target, unsigned most) {
        bool good = false;
        const unsigned read = value.toUInt(&good);
        if (!good || read > most)
            wrong(tr("'%1': expected a whole number of 0 to %2").arg(value).arg(most));
        else
            target = read;
        return good && read <= most;
    };
    if (name == QLatin1String("signalStartValue")) {
        std::optional<double> physical;
        if (!bound(physical))
            return;
        std::optional<double> raw;
        if (physical && signal.factor != 0)
            raw = static_cast<double>(database::planOf(signal).scale.inverse(*physical));
        if (raw != current->startRaw)
            desk_.apply(desk_.editor().setStartValue(message->uid, signal.uid, raw));
        return;
    }
    bool good = true;
    if (name == QLatin1String("signalName"))
        signal.name = value.toStdString();
    else if (name == QLatin1String("signalStart"))
        good = whole(signal.startBit, 511);
    else if (name == QLatin1String("signalLength"))
        good = whole(signal.length, 64);
    else if (name == QLatin1String("signalFactor"))
        good = number(signal.factor);
    else if (name == QLatin1String("signalOffset"))
        good = number(signal.offset);
    else if (name == QLatin1String("signalMinimum"))
        good = bound(signal.minimum);
    else if (name == QLatin1String("signalMaximum"))
        good = bound(signal.maximum);
    else if (name == QLatin1String("signalUnit"))
        signal.unit = value.toStdString();
    else if (name == QLatin1String("signalComment"))
        signal.comment = value.toStdString();
    else if (name == QLatin1String("signalReceivers"))
        signal.receivers = database::wordsFromText(value.toStdString());
    else if (name == QLatin1String("signalPresent")) {
        const auto taken = database::takeMuxText(signal, value.toStdString());
        if (!taken)
            return wrong(text(taken.error().text()));
    } else if (name == QLatin1String("signalTexts")) {
        auto texts = database::textsFromText(value.toStdString());
        if (!texts)
            return wrong(text(texts.error().text()));
        signal.texts = std::move(*texts);
    } else if (name == QLatin1String("signalOrder")) {
        const auto next = order_->currentIndex() == 1 ? database::ByteOrder::motorola : database::ByteOrder::intel;
        if (next != signal.order) {
            // The least significant bit stays where it is, as far as the payload allows.
            const unsigned least = database::bitsOf(signal).front();
            signal.order = next;
            const int start = database::startFromLeast(least, signal.length, next);
            signal.startBit = start >= 0 ? static_cast<unsigned>(start) : next == database::ByteOrder::motorola ? 7 : 0;
        }
    } else if (name == QLatin1String("signalKind")) {
        const int kind = kind_->currentIndex();
        signal.isSigned = kind >= 1;
        signal.type = kind == 2 ? database::ValueType::single : kind == 3 ? database::ValueType::floating : database::ValueType::integer;
        if (kind >= 2)
            signal.length = kind == 2 ? 32 : 64;
    }
    if (!good)
        return;
    if (signal == *current)
        return desk_.say({});
    if ((signal.minimum.has_value() || signal.maximum.has_value()) && !(signal.minimum && signal.maximum)) {
        // A range has two ends: the other one starts at what the bits hold.
        if (!signal.minimum)
            signal.minimum = std::min(0.0, *signal.maximum);
        else
            signal.maximum = std::max(0.0, *signal.minimum);
    }
    const std::string title = "change " + current->name;
    if (!desk_.apply(desk_.editor().putSignal(message->uid, std::move(signal), title)))
        fillSignal();
}

}  // namespace wavetrope::app
