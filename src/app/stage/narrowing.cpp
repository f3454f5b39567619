// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/narrowing.h"

namespace wavetrope::app {

void addNarrowing(QMenu& menu, FilterLine& line, const std::string& condition)
{
    const QString what = QString::fromStdString(condition);
    const auto add = [&](const char* name, const QString& words, filter::Narrow how) {
        QAction* action = menu.addAction(words.arg(what));
        action->setObjectName(QLatin1String(name));
        QObject::connect(action, &QAction::triggered, &line, [&line, condition, how] { line.narrow(condition, how); });
    };
    add("onlyThis", QObject::tr("Only this: %1"), filter::Narrow::onlyThis);
    add("notThis", QObject::tr("Not this: %1"), filter::Narrow::notThis);
    add("alsoThis", QObject::tr("Also this: %1"), filter::Narrow::alsoThis);
}

std::string quotedName(const std::string& name) { return name.find_first_of(" ()<>=!") == std::string::npos ? name : '"' + name + '"'; }

void keepFilter(Stage& stage, const QString& name, const QString& text)
{
    stage.document().rig().keepFilter(name.toStdString(), text.toStdString());
    Q_EMIT stage.filtersChanged();
}

}  // namespace wavetrope::app
