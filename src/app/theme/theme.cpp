// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/theme/theme.h"

#include <QApplication>
#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QPainter>
#include <QPalette>
#include <QProxyStyle>
#include <QSvgRenderer>
#include <QWidget>

#include <algorithm>

namespace {
constexpr double smallest = 11;    // pixels of a text at scale 1
}

// The application is a static library: its resources have to be asked for, outside of any namespace.
static void loadResources() { Q_INIT_RESOURCE(resources); }

namespace wavetrope::app {

namespace {

// The dialogs of files with icons of our own.
class OwnIcons : public QProxyStyle {
public:
    OwnIcons() : QProxyStyle(QStringLiteral("Fusion")) {}
    QIcon standardIcon(StandardPixmap which, const QStyleOption* option, const QWidget* widget) const override
    {
        const char* name = nameOf(which);
        return name != nullptr ? Theme::get().icon(name, Theme::get().ink2) : QProxyStyle::standardIcon(which, option, widget);
    }

private:
    static const char* nameOf(StandardPixmap which)
    {
        switch (which) {
        case SP_DirIcon:
        case SP_DirClosedIcon:
        case SP_DirOpenIcon:
        case SP_DirLinkIcon:
        case SP_DirHomeIcon: return "folder";
        case SP_FileIcon:
        case SP_FileLinkIcon: return "sheet";
        case SP_ComputerIcon:
        case SP_DesktopIcon: return "screen";
        case SP_DriveHDIcon:
        case SP_DriveFDIcon:
        case SP_DriveCDIcon:
        case SP_DriveNetIcon: return "disk";
        case SP_FileDialogNewFolder: return "folder-new";
        case SP_FileDialogToParent: return "folder-up";
        case SP_FileDialogBack:
        case SP_ArrowBack:
        case SP_ArrowLeft: return "back";
        case SP_ArrowForward:
        case SP_ArrowRight: return "forward";
        case SP_FileDialogListView: return "list";
        case SP_FileDialogDetailedView: return "details";
        default: return nullptr;
        }
    }
};

}  // namespace

Theme& Theme::get()
{
    static Theme theme;
    return theme;
}

Theme::Theme()
{
    loadResources();
    load();
}

void Theme::choose(ThemeName name)
{
    name_ = name;
    load();
    apply();
}

void Theme::setScale(double scale)
{
    scale_ = std::clamp(scale, 0.8, 2.0);
    apply();
}

QString Theme::hueName(unsigned hue)
{
    const QString names[] = {tr("blue"), tr("amber"), tr("lavender"), tr("green"), tr("purple"), tr("wine"), tr("grey"), tr("rose")};
    return names[hue % std::size(names)];
}

void Theme::load()
{
    QFile file(QStringLiteral(":/theme/tokens.json"));
    if (!file.open(QIODevice::ReadOnly))
        qFatal("the theme is not in the program");
    const QJsonObject tokens = QJsonDocument::fromJson(file.readAll())
                                   .object()
                                   .value(name_ == ThemeName::paper ? QLatin1String("paper") : QLatin1String("ink"))
                                   .toObject();
    const auto colour = [&tokens](const char* key) { return QColor(tokens.value(QLatin1String(key)).toString()); };
    ground = colour("ground");
    surface = colour("surface");
    raised = colour("raised");
    ink = colour("ink");
    ink2 = colour("ink2");
    ink3 = colour("ink3");
    faint = colour("faint");
    hairline = colour("hairline");
    grid = colour("grid");
    accent = colour("accent");
    accentSoft = colour("accentSoft");
    error = colour("error");
    const QJsonObject hues = tokens.value(QLatin1String("bus")).toObject();
    for (unsigned i = 0; i < bus_.size(); ++i)
        bus_[i] = QColor(hues.value(BusMark(i).letter).toString());
    const QJsonArray tints = tokens.value(QLatin1String("tint")).toArray();
    for (int i = 0; i < 6; ++i)
        tint[static_cast<unsigned>(i)] = QColor(tints.at(i).toString());
}

void Theme::apply()
{
    QApplication::setStyle(new OwnIcons);
    QPalette palette;
    palette.setColor(QPalette::Window, ground);
    palette.setColor(QPalette::Base, surface);
    palette.setColor(QPalette::AlternateBase, ground);
    palette.setColor(QPalette::Text, ink);
    palette.setColor(QPalette::WindowText, ink);
    palette.setColor(QPalette::Button, surface);
    palette.setColor(QPalette::ButtonText, ink);
    palette.setColor(QPalette::ToolTipBase, raised);
    palette.setColor(QPalette::ToolTipText, ink);
    palette.setColor(QPalette::PlaceholderText, ink3);
    palette.setColor(QPalette::Highlight, accentSoft);
    palette.setColor(QPalette::HighlightedText, ink);
    palette.setColor(QPalette::Link, accent);
    palette.setColor(QPalette::Disabled, QPalette::Text, faint);
    palette.setColor(QPalette::Disabled, QPalette::ButtonText, faint);
    palette.setColor(QPalette::Disabled, QPalette::WindowText, faint);
    QApplication::setPalette(palette);
    QApplication::setFont(body());
    qApp->setStyleSheet(QStringLiteral(R"(
QLineEdit, QAbstractSpinBox, QPlainTextEdit[field="true"] { background: %1; border: 1px solid %2; border-radius: %6px; padding: 2px %7px; selection-background-color: %4; selection-color: %3; }
QLineEdit:focus, QComboBox:focus, QAbstractSpinBox:focus, QPlainTextEdit:focus, QTextBrowser:focus { border-color: %5; }
QAbstractSpinBox { qproperty-buttonSymbols: NoButtons; }
QDialog QTabWidget::pane { border: none; border-top: 1px solid %2; }
QDialog QTabBar::tab { background: transparent; border: none; border-bottom: 2px solid transparent; padding: 5px 9px; color: %13; }
QDialog QTabBar::tab:selected { color: %3; border-bottom-color: %5; }
QDialog QTabBar::tab:hover { color: %3; }
QTabBar::tab:focus { border: 1px solid %5; border-radius: 3px; }
QCheckBox:focus { color: %5; }
QPushButton#primary:focus, QPushButton[primary="true"]:focus { border: 2px solid %3; }
QSlider:focus { border: 1px solid %5; border-radius: 3px; }
QLineEdit[wrong="true"] { border-color: %8; }
QPushButton, QToolButton#bar { background: %9; border: 1px solid %2; border-radius: %6px; padding: 3px %7px; color: %3; }
QPushButton:hover, QToolButton#bar:hover { border-color: %10; }
QPushButton:checked, QToolButton#bar:checked { background: %4; border-color: %5; }
QPushButton[tight="true"] { padding: 3px 2px; }
QPushButton[tight="true"]:focus { padding: 2px 1px; }
QPushButton#primary, QPushButton[primary="true"] { background: %5; border-color: %5; color: %9; font-weight: 600; }
QPushButton:disabled { color: %10; }
QPushButton#primary:disabled, QPushButton[primary="true"]:disabled { background: %1; border-color: %2; color: %10; }
QToolButton { border: 1px solid transparent; border-radius: %6px; padding: 2px; }
QToolButton:hover { background: %4; }
QToolButton:checked, QToolButton[link="true"] { color: %5; }
QToolButton:checked { font-weight: 600; }
QToolButton:focus { border: 1px solid %5; }
QPushButton:focus, QToolButton#bar:focus { border: 2px solid %5; padding: 2px %14px; }
QToolButton::menu-indicator { image: none; }
QMenu { background: %9; border: 1px solid %2; padding: 4px; }
QMenu::item { padding: 4px 22px; border-radius: 3px; }
QMenu::item:selected { background: %4; color: %3; }
QMenu::separator { height: 1px; background: %2; margin: 4px 6px; }
QToolTip { background: %9; color: %3; border: 1px solid %2; padding: 3px; }
QScrollBar:vertical { background: transparent; width: 9px; margin: 0; }
QScrollBar::handle:vertical { background: %2; border-radius: 3px; min-height: 24px; margin: 1px 2px; }
QScrollBar::handle:vertical:hover { background: %10; }
QScrollBar:horizontal { background: transparent; height: 9px; margin: 0; }
QScrollBar::handle:horizontal { background: %2; border-radius: 3px; min-width: 24px; margin: 2px 1px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QTreeView { border: none; background: %9; outline: 0; }
QSplitter::handle { background: %2; }
QCheckBox::indicator, QTableView::indicator { width: %12px; height: %12px; border: 1px solid %13; border-radius: 3px; background: %1; }
QCheckBox::indicator:checked, QTableView::indicator:checked { background: %5; border-color: %5; image: url(:/icons/tick-%11.svg); }
QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
QMessageBox { messagebox-warning-icon: url(:/icons/warning-%11.svg); messagebox-critical-icon: url(:/icons/warning-%11.svg); messagebox-question-icon: url(:/icons/question-%11.svg); messagebox-information-icon: url(:/icons/information-%11.svg); }
QDialog QTableView, QDialog QTextBrowser, QDialog QPlainTextEdit { border: 1px solid %2; border-radius: %6px; background: %9; }
QDialog QTabWidget QTableView { border: none; }
QDialog QTabWidget QTableView::item { padding: 0 6px; }
QDialog QListView { border: none; background: transparent; outline: 0; }
QDialog QListView::item { padding: 5px 9px; border-radius: %6px; }
QDialog QListView::item:selected { background: %4; color: %3; }
QTableView { selection-background-color: %4; selection-color: %3; }
QTableView::item:selected, QTableView::item:focus, QTreeView::item:selected, QTreeView::item:focus { background: %4; color: %3; border: none; }
QAbstractScrollArea::corner { background: transparent; border: none; }
QHeaderView::section { background: %9; border: none; border-bottom: 1px solid %2; padding: 3px 4px; color: %3; }
QComboBox { background: %1; border: 1px solid %2; border-radius: %6px; padding: 2px %7px; color: %3; }
QComboBox::drop-down { border: none; width: %12px; }
QComboBox::down-arrow { image: url(:/icons/unfold-%11.svg); width: %12px; height: %12px; margin-right: 6px; }
QComboBox { combobox-popup: 0; }
QComboBox QAbstractItemView::item { min-height: %12px; padding: 3px 6px; border: none; }
QComboBox QAbstractItemView::item:selected { background: %4; color: %3; }
QComboBox QAbstractItemView { background: %9; border: 1px solid %2; outline: none; selection-background-color: %4; selection-color: %3; }
QSlider::groove:horizontal { height: 3px; background: %2; border-radius: 1px; }
QSlider::sub-page:horizontal { background: %5; border-radius: 1px; }
QSlider::handle:horizontal { background: %9; border: 2px solid %5; width: 9px; height: 9px; margin: -5px 0; border-radius: 6px; }
)")
            .arg(raised.name(), hairline.name(), ink.name(), accentSoft.name(), accent.name())
            .arg(px(4))
            .arg(px(7))
            .arg(error.name(), surface.name(), faint.name(), name_ == ThemeName::ink ? QStringLiteral("ink") : QStringLiteral("paper"))
            .arg(px(12))
            .arg(ink3.name())
            .arg(px(7) - 1));
    Q_EMIT changed();
}

void Theme::writeInBody(QWidget* widget)
{
    const auto restyle = [widget] { widget->setFont(get().body()); };
    restyle();
    connect(&get(), &Theme::changed, widget, restyle);
}

QFont Theme::text(double size, QFont::Weight weight) const
{
    QFont font(QStringLiteral("Inter"));
    font.setPixelSize(std::max(8, px(std::max(size, smallest))));
    font.setWeight(weight);
    return font;
}

QFont Theme::mono(double size, QFont::Weight weight) const
{
    QFont font(QStringLiteral("JetBrains Mono"));
    font.setStyleHint(QFont::Monospace);
    font.setPixelSize(std::max(8, px(std::max(size, smallest))));
    font.setWeight(weight);
    return font;
}

QIcon Theme::icon(const char* name, const QColor& colour) const
{
    QSvgRenderer renderer(QStringLiteral(":/icons/%1.svg").arg(QLatin1String(name)));
    QPixmap pixmap(px(32), px(32));
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    renderer.render(&painter);
    painter.setCompositionMode(QPainter::CompositionMode_SourceIn);
    painter.fillRect(pixmap.rect(), colour);
    painter.end();
    return QIcon(pixmap);
}

}  // namespace wavetrope::app
