// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/help_dialog.h"

#include <QAction>
#include <QApplication>
#include <QClipboard>
#include <QDialogButtonBox>
#include <QHBoxLayout>
#include <QPushButton>
#include <QSysInfo>
#include <QThread>
#include <QVBoxLayout>

#include "app/keeping/keeping_options.h"
#include "app/parts/named.h"
#include "app/parts/recent_warnings.h"
#include "app/parts/notation.h"
#include "app/parts/screen_room.h"
#include "app/parts/settings.h"
#include "app/shell/view_kinds.h"
#include "app/theme/theme.h"
#include "filter/language.h"
#include "formats/trace_sink.h"

namespace wavetrope::app {

namespace {

QString escaped(std::string_view text) { return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size())).toHtmlEscaped(); }

QString megabytes(std::uint64_t bytes) { return QObject::tr("%1 MB").arg(bytes / 1'000'000); }

QString row(const QString& left, const QString& right, bool code)
{
    return QStringLiteral("<tr><td style='padding: 3px 18px 3px 0'>%1</td><td style='padding: 3px 0'>%2</td></tr>")
        .arg(code ? QStringLiteral("<code>%1</code>").arg(left) : left, right);
}

// `code` between backquotes.
QString marked(QString text)
{
    bool open = false;
    QString out;
    for (const QChar c : text) {
        if (c != QLatin1Char('`')) {
            out += c;
            continue;
        }
        out += open ? QStringLiteral("</code>") : QStringLiteral("<code>");
        open = !open;
    }
    return out;
}

}  // namespace

HelpDialog::HelpDialog(const QWidget& window, Chapter chapter, const QString& view, QWidget* parent)
    : QDialog(parent), window_(window), view_(view), chapters_(new QListWidget), text_(new QTextBrowser)
{
    const Theme& theme = Theme::get();
    setObjectName(QStringLiteral("help"));
    setWindowTitle(tr("Help"));
    resize(withinScreen(*this, {theme.px(860), theme.px(560)}));
    named(chapters_, "helpChapters", tr("Chapters"));
    named(text_, "helpText", tr("Text of the chapter"));
    chapters_->addItems({tr("Keys"), tr("Filter language"), tr("Views"), tr("About this program")});
    chapters_->setMaximumWidth(theme.px(180));
    for (int i = 0; i < chapters_->count(); ++i)
        chapters_->item(i)->setSizeHint(QSize(0, theme.px(28)));
    text_->setOpenLinks(false);
    auto* across = new QHBoxLayout;
    across->addWidget(chapters_);
    across->addWidget(text_, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    auto* copy = buttons->addButton(tr("Copy facts"), QDialogButtonBox::ActionRole);
    named(copy, "helpCopy",
        tr("Copies versions, settings and recent warnings to the clipboard, for a report of a mistake. Names of files and folders are left "
           "out"));
    auto* column = new QVBoxLayout(this);
    column->addLayout(across, 1);
    column->addWidget(buttons);
    connect(copy, &QPushButton::clicked, this, [] { QApplication::clipboard()->setText(facts()); });
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(chapters_, &QListWidget::currentRowChanged, this, [this](int index) { text_->setHtml(textOf(static_cast<Chapter>(index))); });
    show(chapter);
}

void HelpDialog::show(Chapter chapter)
{
    chapters_->setCurrentRow(static_cast<int>(chapter));
    text_->setHtml(textOf(chapter));
    chapters_->setFocus();
}

QString HelpDialog::keys() const
{
    QString out = tr("<h3>Of the window</h3>") + QStringLiteral("<table>");
    for (const QAction* action : window_.actions())
        if (!action->shortcut().isEmpty() && !action->text().isEmpty())
            out += row(action->shortcut().toString(QKeySequence::NativeText).toHtmlEscaped(),
                action->text().remove(QStringLiteral("...")).toHtmlEscaped(), true);
    out += row(QStringLiteral("Ctrl+1 ... Ctrl+9"), tr("Pages"), true) + row(QStringLiteral("Space"), tr("Back to now"), true)
           + row(QStringLiteral("Escape"), tr("End long work"), true);
    QString ofViews;
    QStringList told;
    for (const QAction* action : window_.findChildren<QAction*>()) {
        const QString key = action->shortcut().toString(QKeySequence::NativeText);
        if (key.isEmpty() || action->text().isEmpty() || window_.actions().contains(action) || told.contains(key + action->text()))
            continue;
        told << key + action->text();
        ofViews += row(key.toHtmlEscaped(), action->text().remove(QStringLiteral("...")).toHtmlEscaped(), true);
    }
    if (!ofViews.isEmpty())
        out += QStringLiteral("</table>") + tr("<h3>Of the views that are open</h3>") + QStringLiteral("<table>") + ofViews;
    out += QStringLiteral("</table>") + tr("<h3>Of the timeline and the lanes</h3>") + QStringLiteral("<table>");
    for (const auto& [key, what] : std::initializer_list<std::pair<const char*, QString>>{{"Left, Right", tr("Cursor back and forth")},
             {"+, -", tr("Zoom")}, {"Home, End", tr("To the beginning, to the end")}, {"N", tr("Note on the cursor's moment")},
             {"Wheel", tr("Zoom; with Shift: move")}})
        out += row(QLatin1String(key), what, true);
    out += QStringLiteral("</table>") + tr("<h3>Of the lanes, with a plot focused</h3>") + QStringLiteral("<table>");
    for (const auto& [key, what] : std::initializer_list<std::pair<const char*, QString>>{
             {"A, B", tr("A mark at the pointer, else at the cursor; with Shift: take it away")},
             {"R, F, C, G", tr("To the next rise, fall, change, gap of the chosen curve; with Shift: the one before")},
             {"L, S", tr("To its largest, smallest from A to B, else in the window")},
             {"Alt+Left, Alt+Right", tr("The window that was shown before, and after")}, {"0", tr("The whole run")},
             {"Ctrl and drag", tr("Zoom into a box")}, {"Y, P", tr("Another scale, another form of the lane with the chosen curve")},
             {"V", tr("Fold it, and unfold it")}, {"Ctrl+Up, Ctrl+Down", tr("Move it; with Shift: its height")}})
        out += row(QLatin1String(key), what, true);
    out += QStringLiteral("</table>") + tr("<h3>Of rows</h3>") + QStringLiteral("<table>");
    for (const auto& [key, what] :
        std::initializer_list<std::pair<const char*, QString>>{{"Up, Down, Page Up, Page Down", tr("From row to row")},
            {"Shift+Up, Shift+Down", tr("Choose several")}, {"Ctrl+C", tr("Copy the chosen rows, for a spreadsheet")},
            {"Right, Left", tr("Open and close what stands under a row")}, {"Menu", tr("What can be done with a row")}})
        out += row(QLatin1String(key), what, true);
    return out + QStringLiteral("</table>");
}

QString HelpDialog::textOf(Chapter chapter) const
{
    using Kind = filter::Construct::Kind;
    switch (chapter) {
    case Chapter::keys: return keys();
    case Chapter::filter: {
        QString out = tr("<p>One line of text says which frames pass. The same text works in the stream, the roster, recordings, "
                         "conversion and on the command line. Ctrl+Space offers what fits at the cursor.</p>");
        for (const auto& [kind, title] : {std::pair{Kind::condition, tr("Conditions")}, std::pair{Kind::ofSignal, tr("Of signals")},
                 std::pair{Kind::joining, tr("Together")}, std::pair{Kind::thinning, tr("Last: thinning")}}) {
            out += QStringLiteral("<h3>%1</h3><table>").arg(title);
            for (const filter::Construct& construct : filter::constructs())
                if (construct.kind == kind)
                    out += row(escaped(construct.write), marked(escaped(construct.passes)), true);
            out += QStringLiteral("</table>");
        }
        return out;
    }
    case Chapter::views: {
        QString out = tr("<p>A page holds views in splits and tabs. The menu at the right of a view's head adds, splits and closes; a head "
                         "is dragged onto another pane to move its view.</p>")
                      + QStringLiteral("<table>");
        for (const ViewKind& kind : viewKinds()) {
            const QString title = tr(kind.title).toHtmlEscaped();
            out += row(view_ == QLatin1String(kind.kind) ? QStringLiteral("<b>%1</b>").arg(title) : title, tr(kind.purpose).toHtmlEscaped(),
                false);
        }
        return out + QStringLiteral("</table>");
    }
    case Chapter::about:
        return tr("<p><b>Wavetrope</b> sees, measures and replays the traffic of controller area networks.</p><p>Free software under the "
                  "GNU General Public License, version 3 or later.</p>")
               + QStringLiteral("<pre>%1</pre>").arg(facts().toHtmlEscaped());
    }
    return {};
}

static QString compilerName()
{
#ifdef __clang__
    return QStringLiteral(__VERSION__);  // which names itself
#else
    return QStringLiteral("g++ " __VERSION__);
#endif
}

// What a report of a mistake needs, and nothing that names somebody: no files, no folders, no rigs.
QString HelpDialog::facts()
{
    const QScreen* screen = QGuiApplication::primaryScreen();
    QString out = tr("Wavetrope %1\nBuild %2, compiler %3\nQt %4 (built with %5)\nSystem %6, %7, kernel %8\nPlatform %9")
                      .arg(QStringLiteral(WAVETROPE_VERSION), QStringLiteral(WAVETROPE_BUILD), compilerName(),
                          QString::fromLatin1(qVersion()), QStringLiteral(QT_VERSION_STR), QSysInfo::prettyProductName(),
                          QSysInfo::currentCpuArchitecture(), QSysInfo::kernelVersion(), QGuiApplication::platformName());
    if (screen != nullptr)
        out += tr(", screen %1 x %2, %3 pixels a point")
                   .arg(screen->size().width())
                   .arg(screen->size().height())
                   .arg(screen->devicePixelRatio(), 0, 'f', 2);
    out += tr("\n%1 cores, memory %2").arg(QThread::idealThreadCount()).arg(megabytes(formats::memoryBound() / 3 * 4));
    out += tr("\n\nSettings\nTheme %1, text %2")
               .arg(Theme::get().name() == ThemeName::ink ? tr("Ink") : tr("Paper"))
               .arg(Theme::get().scale(), 0, 'f', 1);
    out += tr("\nTimes in %1, bytes %2, raw values %3")
               .arg(timeForm() == TimeForm::minutes ? tr("minutes") : tr("seconds"),
                   byteBase() == NumberBase::decimal ? tr("decimal") : tr("hexadecimal"),
                   rawBase() == NumberBase::decimal ? tr("decimal") : tr("hexadecimal"));
    out += tr("\nWindow of time %1 s, kept runs stay %2 days").arg(usualWindowSeconds()).arg(keptRunDays());
    if (const auto keeping = keepingOptions())
        out += tr("\nRuns are kept on the disk, %1 in memory, %2 of the disk left free")
                   .arg(megabytes(keeping->memory), megabytes(keeping->leaveFree));
    else
        out += tr("\nRuns stay in memory alone");
    const QStringList warnings = RecentWarnings::all();
    out += warnings.isEmpty() ? tr("\n\nNo warnings since the program began")
                              : tr("\n\nRecent warnings\n%1").arg(warnings.join(QLatin1Char('\n')));
    return out;
}

}  // namespace wavetrope::app
