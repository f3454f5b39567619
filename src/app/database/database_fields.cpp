// SPDX-License-Identifier: GPL-3.0-or-later
// The fields of the editor: what they show, and what is typed into them.
#include <QHBoxLayout>
#include <QLineEdit>

#include <algorithm>

#include "app/database/database_view.h"
#include "app/database/form_fields.h"
#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/field_text.h"

namespace wavetrope::app {

namespace {

constexpr qsizetype longValue = 8;  // characters

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
    for (const FormField<database::Message>& field : messageFields())
        if (fields_.contains(QLatin1String(field.name)))
            setField(field.name, field.says(*message));
    setField("messageCycle", message->cycleTime.count() > 0 ? text(spanText(message->cycleTime)) : QString());
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
    for (const FormField<database::Signal>& field : signalFields())
        setField(field.name, field.says(*signal));
    setField("signalStartValue", signal->startRaw ? numberField(database::planOf(*signal).physical(*signal->startRaw)) : QString());
    order_->setCurrentIndex(signal->order == database::ByteOrder::motorola ? 1 : 0);
    kind_->setCurrentIndex(signal->type == database::ValueType::single     ? 2
                           : signal->type == database::ValueType::floating ? 3
                           : signal->isSigned                              ? 1
                                                                           : 0);
    layout_->setSweepOrder(signal->order);
    filling_ = false;
}

QString DatabaseView::take(const char* name)
{
    desk_.say({});
    taking_ = QLatin1String(name);
    return fields_.contains(taking_) ? fields_.at(taking_)->text().trimmed() : QString();
}

void DatabaseView::takeMessage(const char* name)
{
    const database::Message* current = desk_.message();
    if (current == nullptr)
        return;
    const QString value = take(name);
    if (taking_ == QLatin1String("messageCycle")) {
        const auto span = value.isEmpty() ? std::optional(Time{0}) : spanFromText(value.toStdString());
        if (!span)
            return desk_.say(tr("'%1': expected a time such as 20 ms").arg(value));
        if (*span != current->cycleTime)
            desk_.apply(desk_.editor().setCycleTime(current->uid, *span));
        return;
    }
    database::Message message = *current;
    const auto* field = fieldOf(messageFields(), taking_);
    const QString chosen = taking_ == QLatin1String("messageSender") ? sender_->currentData().toString() : value;
    if (const QString wrong = field->take(message, chosen); !wrong.isEmpty())
        return desk_.say(wrong);
    if (message == *current)
        return;
    const std::string title = "change " + current->name;
    desk_.apply(desk_.editor().putMessage(std::move(message), title));
}

void DatabaseView::takeStartValue(const QString& value)
{
    const database::Signal& signal = *desk_.signal();
    const auto physical = numberOf(value);
    if (!value.isEmpty() && !physical)
        return desk_.say(noNumber(value));
    std::optional<double> raw;
    if (physical && signal.factor != 0)
        raw = static_cast<double>(database::planOf(signal).scale.inverse(*physical));
    if (raw != signal.startRaw)
        desk_.apply(desk_.editor().setStartValue(desk_.message()->uid, signal.uid, raw));
}

void DatabaseView::takeSignal(const char* name)
{
    const database::Message* message = desk_.message();
    const database::Signal* current = desk_.signal();
    if (message == nullptr || current == nullptr)
        return;
    const QString value = take(name);
    if (taking_ == QLatin1String("signalStartValue"))
        return takeStartValue(value);
    database::Signal signal = *current;
    if (const auto* field = fieldOf(signalFields(), taking_); field != nullptr) {
        if (const QString wrong = field->take(signal, value); !wrong.isEmpty())
            return desk_.say(wrong);
    }
    putSignal(std::move(signal));
}

void DatabaseView::takeOrder()
{
    if (desk_.message() == nullptr || desk_.signal() == nullptr)
        return;
    (void)take("signalOrder");
    database::Signal signal = *desk_.signal();
    setOrder(signal, order_->currentIndex() == 1 ? database::ByteOrder::motorola : database::ByteOrder::intel);
    putSignal(std::move(signal));
}

void DatabaseView::takeKind()
{
    if (desk_.message() == nullptr || desk_.signal() == nullptr)
        return;
    (void)take("signalKind");
    database::Signal signal = *desk_.signal();
    const int kind = kind_->currentIndex();
    signal.isSigned = kind >= 1;
    signal.type = kind == 2 ? database::ValueType::single : kind == 3 ? database::ValueType::floating : database::ValueType::integer;
    if (kind >= 2)
        signal.length = kind == 2 ? 32 : 64;
    putSignal(std::move(signal));
}

void DatabaseView::putSignal(database::Signal signal)
{
    const database::Signal& current = *desk_.signal();
    if (signal == current)
        return;
    const std::string title = "change " + current.name;
    if (!desk_.apply(desk_.editor().putSignal(desk_.message()->uid, std::move(signal), title)))
        fillSignal();
}

}  // namespace wavetrope::app
