// SPDX-License-Identifier: GPL-3.0-or-later
// A curve whose signal is no longer there.
#pragma once

#include <QString>

#include "database/catalog.h"

namespace wavetrope::app {

/// What is known of a path that is no curve any more.
struct LostCurve {
    QString path;
    QString name;           ///< Of the signal.
    QString why;            ///< "BladeState of Implement has no such signal".
    QString next;           ///< Path of one of the same name, or of the nearest name, that could stand in its place; or empty.
    QString nextName;       ///< "BladeDepth of BladeReport".
};

[[nodiscard]] LostCurve lostCurve(const database::Catalog& catalog, const QString& path);

}  // namespace wavetrope::app
