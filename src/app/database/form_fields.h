// SPDX-License-Identifier: GPL-3.0-or-later
// The fields of the editor's forms, one row of a table each.
#pragma once

#include <QString>

#include <span>

#include "database/database.h"

namespace wavetrope::app {

/// A field: what it says of a message or signal, and what its text makes of one. `take` gives words where the text is none
/// of the field's, and then leaves the object as it was.
template <class Object>
struct FormField {
    const char* name;
    QString (*says)(const Object&);
    QString (*take)(Object&, const QString& value);
};

/// All that change the object by itself.
[[nodiscard]] std::span<const FormField<database::Message>> messageFields();
[[nodiscard]] std::span<const FormField<database::Signal>> signalFields();

/// The field of a name, or null.
template <class Object>
[[nodiscard]] const FormField<Object>* fieldOf(std::span<const FormField<Object>> fields, const QString& name)
{
    for (const FormField<Object>& field : fields)
        if (name == QLatin1String(field.name))
            return &field;
    return nullptr;
}

/// A number as a field shows it, and as one reads it; nothing where it is none.
[[nodiscard]] QString numberField(double value);
[[nodiscard]] std::optional<double> numberOf(const QString& field);
/// Where `value` is no number, in words.
[[nodiscard]] QString noNumber(const QString& value);

/// The least significant bit stays where it is, as far as the payload allows.
void setOrder(database::Signal& signal, database::ByteOrder order);

}  // namespace wavetrope::app
