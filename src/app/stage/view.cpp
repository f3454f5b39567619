// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/view.h"

#include <QEvent>

#include "app/paint/row_list.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

// Views look at the stage only while they are seen, and a log brings no beats of its own: a view that comes into sight
// asks for one.
class ComesIntoSight : public QObject {
public:
    ComesIntoSight(Stage& stage, QObject* parent) : QObject(parent), stage_(stage) {}

protected:
    bool eventFilter(QObject* watched, QEvent* event) override
    {
        if (event->type() == QEvent::Show)
            QMetaObject::invokeMethod(&stage_, &Stage::beat, Qt::QueuedConnection);
        return QObject::eventFilter(watched, event);
    }

private:
    Stage& stage_;
};

}  // namespace

View::View(Stage& stage, QWidget* parent) : QWidget(parent), stage_(stage)
{
    installEventFilter(new ComesIntoSight(stage, this));
    connect(&Theme::get(), &Theme::changed, this, [this] { update(); });
}

// Of a view that is a list: its rows.
QString View::csv() const
{
    constexpr std::uint64_t mostRows = 1'000'000;
    const auto* rows = findChild<RowList*>();
    return rows == nullptr ? QString() : csvFromTabs(rows->allText(mostRows));
}

QString csvFromTabs(const QString& text)
{
    QString out;
    for (const QString& line : text.split(QLatin1Char('\n'))) {
        QStringList cells = line.split(QLatin1Char('\t'));
        for (QString& cell : cells)
            if (cell.contains(QLatin1Char(',')) || cell.contains(QLatin1Char('"')))
                cell = QLatin1Char('"') + cell.replace(QLatin1Char('"'), QLatin1String("\"\"")) + QLatin1Char('"');
        out += cells.join(QLatin1Char(',')) + QLatin1Char('\n');
    }
    return out;
}

}  // namespace wavetrope::app
