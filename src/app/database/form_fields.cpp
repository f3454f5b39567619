// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/database/form_fields.h"

#include <QCoreApplication>
#include <QStringList>

#include "app/parts/text.h"
#include "database/codec.h"
#include "database/field_text.h"
#include "database/layout.h"

namespace wavetrope::app {

namespace {

QString fieldWords(const char* words) { return QCoreApplication::translate("DatabaseView", words); }

QString takeNumber(double& target, const QString& value)
{
    const auto read = numberOf(value);
    if (!read)
        return noNumber(value);
    target = *read;
    return {};
}

QString takeBound(std::optional<double>& target, const QString& value)
{
    double read = 0;
    if (!value.isEmpty())
        if (const QString wrong = takeNumber(read, value); !wrong.isEmpty())
            return wrong;
    target = value.isEmpty() ? std::nullopt : std::optional(read);
    return {};
}

QString takeWhole(unsigned& target, const QString& value, unsigned most)
{
    bool good = false;
    const unsigned read = value.toUInt(&good);
    if (!good || read > most)
        return fieldWords("'%1': expected a whole number of 0 to %2").arg(value).arg(most);
    target = read;
    return {};
}

QString boundField(const std::optional<double>& bound) { return bound ? numberField(*bound) : QString(); }

// A range has two ends: the other one starts at what the bits hold.
QString completeRange(database::Signal& signal, const QString& wrong)
{
    if (signal.minimum.has_value() != signal.maximum.has_value() && wrong.isEmpty()) {
        if (!signal.minimum)
            signal.minimum = std::min(0.0, *signal.maximum);
        else
            signal.maximum = std::max(0.0, *signal.minimum);
    }
    return wrong;
}

// A field that is the text it holds.
template <auto member, typename Of>
constexpr FormField<Of> textFieldOf(const char* name, std::string Of::*)
{
    return {name, [](const Of& of) { return text(of.*member); },
        [](Of& of, const QString& value) {
            of.*member = value.toStdString();
            return QString();
        }};
}

template <auto member>
constexpr auto textField(const char* name)
{
    return textFieldOf<member>(name, member);
}

using M = database::Message;
using S = database::Signal;

constexpr FormField<M> ofMessage[] = {
    textField<&M::name>("messageName"),
    {"messageId", [](const M& m) { return text(can::toText(m.id)); },
        [](M& m, const QString& value) {
            const auto id = can::identifierFromText(value.toStdString());
            if (!id)
                return fieldWords("'%1': expected an identifier such as 0x1F0, or 8 digits for 29 bits").arg(value);
            m.id = *id;
            return QString();
        }},
    {"messageLength", [](const M& m) { return QString::number(m.length); },
        [](M& m, const QString& value) {
            bool good = false;
            const unsigned length = value.toUInt(&good);
            if (!good || length > database::maxMessageLength)
                return fieldWords("'%1': expected a length of 0 to %2 bytes").arg(value).arg(database::maxMessageLength);
            m.length = length;
            return QString();
        }},
    textField<&M::sender>("messageSender"),
    textField<&M::comment>("messageComment"),
};

constexpr FormField<S> ofSignal[] = {
    textField<&S::name>("signalName"),
    {"signalStart", [](const S& s) { return QString::number(s.startBit); },
        [](S& s, const QString& value) { return takeWhole(s.startBit, value, database::maxMessageLength * 8 - 1); }},
    {"signalLength", [](const S& s) { return QString::number(s.length); },
        [](S& s, const QString& value) { return takeWhole(s.length, value, 64); }},
    {"signalFactor", [](const S& s) { return numberField(s.factor); },
        [](S& s, const QString& value) { return takeNumber(s.factor, value); }},
    {"signalOffset", [](const S& s) { return numberField(s.offset); },
        [](S& s, const QString& value) { return takeNumber(s.offset, value); }},
    {"signalMinimum", [](const S& s) { return boundField(s.minimum); },
        [](S& s, const QString& value) { return completeRange(s, takeBound(s.minimum, value)); }},
    {"signalMaximum", [](const S& s) { return boundField(s.maximum); },
        [](S& s, const QString& value) { return completeRange(s, takeBound(s.maximum, value)); }},
    textField<&S::unit>("signalUnit"),
    textField<&S::comment>("signalComment"),
    {"signalReceivers",
        [](const S& s) {
            QStringList names;
            for (const std::string& receiver : s.receivers)
                names << text(receiver);
            return names.join(QStringLiteral(", "));
        },
        [](S& s, const QString& value) {
            s.receivers = database::wordsFromText(value.toStdString());
            return QString();
        }},
    {"signalPresent", [](const S& s) { return text(database::muxText(s)); },
        [](S& s, const QString& value) {
            const auto taken = database::takeMuxText(s, value.toStdString());
            return taken ? QString() : text(taken.error().text());
        }},
    {"signalTexts", [](const S& s) { return text(database::textsText(s.texts)); },
        [](S& s, const QString& value) {
            auto texts = database::textsFromText(value.toStdString());
            if (!texts)
                return text(texts.error().text());
            s.texts = std::move(*texts);
            return QString();
        }},
};

}  // namespace

std::span<const FormField<M>> messageFields() { return ofMessage; }
std::span<const FormField<S>> signalFields() { return ofSignal; }

QString numberField(double value) { return text(database::numberText(value, 15)); }

std::optional<double> numberOf(const QString& field)
{
    bool good = false;
    const double value = field.trimmed().toDouble(&good);
    return good ? std::optional(value) : std::nullopt;
}

QString noNumber(const QString& value) { return fieldWords("'%1': expected a number").arg(value); }

void setOrder(database::Signal& signal, database::ByteOrder order)
{
    if (order == signal.order)
        return;
    const unsigned least = database::bitsOf(signal).front();
    signal.order = order;
    const int start = database::startFromLeast(least, signal.length, order);
    signal.startBit = start >= 0 ? static_cast<unsigned>(start) : order == database::ByteOrder::motorola ? 7 : 0;
}

}  // namespace wavetrope::app
