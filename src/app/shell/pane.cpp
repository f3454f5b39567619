// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QClipboard>
#include <QDrag>
#include <QDropEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPainter>
#include <QPointer>
#include <QStackedLayout>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/shell/page.h"
#include "app/shell/report_writer.h"
#include "app/stage/report_desk.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr const char* paneMime = "application/x-wavetrope-view";
QPointer<Pane> draggedFrom;

/// Asks for the room of the tools in front alone: what another view has leaves the names in the tabs whole.
class ToolStack : public QStackedLayout {
public:
    using QStackedLayout::QStackedLayout;
    QSize minimumSize() const override { return currentWidget() != nullptr ? currentWidget()->minimumSizeHint() : QSize(); }
    QSize sizeHint() const override { return currentWidget() != nullptr ? currentWidget()->sizeHint() : QSize(); }
};

}  // namespace

Pane::Pane(Page& page) : page_(page), tabs_(new QTabBar), headBox_(new QWidget), menuButton_(new QToolButton)
{
    setAcceptDrops(true);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    head_ = new QHBoxLayout(headBox_);
    head_->setContentsMargins(6, 0, 6, 0);
    head_->setSpacing(8);
    tabs_->setDrawBase(false);
    tabs_->setExpanding(false);
    tabs_->setObjectName(QStringLiteral("viewTabs"));
    tabs_->setUsesScrollButtons(false);
    tabs_->setElideMode(Qt::ElideRight);     // all are there, however narrow it is
    tabs_->setFocusPolicy(Qt::TabFocus);
    tabs_->installEventFilter(this);
    head_->addWidget(tabs_);
    auto* tools = new QWidget;
    toolStack_ = new ToolStack(tools);
    head_->addWidget(tools, 1);
    menuButton_->setToolTip(tr("Split, add or close views"));
    menuButton_->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(menuButton_);
    menuButton_->setMenu(menu);
    connect(menu, &QMenu::aboutToShow, this, [this, menu] {
        menu->clear();
        fillMenu(*menu);
    });
    head_->addWidget(menuButton_);
    layout->addWidget(headBox_);
    auto* views = new QWidget;
    viewStack_ = new QStackedLayout(views);
    layout->addWidget(views, 1);
    connect(tabs_, &QTabBar::currentChanged, this, [this](int index) {
        viewStack_->setCurrentIndex(index);
        toolStack_->setCurrentIndex(index);
        toolStack_->invalidate();
        head_->invalidate();
        Q_EMIT page_.changed();
    });
    connect(&Theme::get(), &Theme::changed, this, &Pane::refreshHead);
    refreshHead();
}

void Pane::refreshHead()
{
    const Theme& theme = Theme::get();
    headBox_->setFixedHeight(theme.px(28));
    tabs_->setFont(theme.head());
    tabs_->setStyleSheet(QStringLiteral(
        "QTabBar::tab { background: transparent; border: none; padding: 3px 6px; color: %1; } QTabBar::tab:selected { color: %2; } "
        "QTabBar::tab:!selected:hover { color: %2; } QTabBar::tab:focus { border: 1px solid %3; border-radius: 3px; padding: 2px 5px; }")
            .arg(theme.ink3.name(), theme.ink.name(), theme.accent.name()));
    menuButton_->setIcon(theme.icon("more", theme.ink2));
    holdWidth();
}

void Pane::holdWidth()
{
    int tools = 0;
    for (int i = 0; i < toolStack_->count(); ++i)
        tools = std::max(tools, toolStack_->widget(i)->minimumSizeHint().width());
    const QMargins margins = head_->contentsMargins();
    headBox_->setMinimumWidth(margins.left() + tabs_->minimumSizeHint().width() + tools + menuButton_->minimumSizeHint().width()
                              + 2 * head_->spacing() + margins.right());
}

View* Pane::addView(const ViewKind& kind, const nlohmann::json& setUp)
{
    View* view = kind.create(page_.stage());
    put({&kind, view});
    view->restore(setUp);
    return view;
}

void Pane::put(Entry entry)
{
    entries_.push_back(entry);
    QWidget* tools = entry.view->tools();
    toolStack_->addWidget(tools != nullptr ? tools : new QWidget);
    viewStack_->addWidget(entry.view);
    const int index = tabs_->addTab(tr(entry.kind->title));
    tabs_->setTabToolTip(index, tr("%1. Drag it onto another pane to move it").arg(tr(entry.kind->purpose)));
    connect(entry.view, &View::setUpChanged, &page_, &Page::changed);
    if (isVisible())
        orderFocus();
    holdWidth();
    setCurrent(index);
    // A page of its own whose name says all.
    headBox_->setVisible(entries_.size() > 1 || !entry.view->property("headless").toBool());
}

void Pane::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    orderFocus();       // now that all of it is in one window
}

// The tabulator goes through the head as it is read, from left to right.
void Pane::orderFocus()
{
    QWidget* last = tabs_;
    for (int i = 0; i < toolStack_->count(); ++i)
        for (QWidget* tool : toolStack_->widget(i)->findChildren<QWidget*>())
            if ((tool->focusPolicy() & Qt::TabFocus) != 0 && tool->focusProxy() == nullptr && tool->window() == window()) {
                setTabOrder(last, tool);
                last = tool;
            }
    setTabOrder(last, menuButton_);
}

Pane::Entry Pane::take(int index)
{
    const Entry entry = entries_[static_cast<std::size_t>(index)];
    entries_.erase(entries_.begin() + index);
    viewStack_->removeWidget(entry.view);
    QWidget* tools = toolStack_->widget(index);
    toolStack_->removeWidget(tools);
    tools->setParent(nullptr);
    if (entry.view->tools() == nullptr)
        tools->deleteLater();
    tabs_->removeTab(index);
    holdWidth();
    disconnect(entry.view, &View::setUpChanged, &page_, &Page::changed);
    if (entries_.empty())
        page_.removePane(this);
    return entry;
}

void Pane::closeView(int index)
{
    const nlohmann::json before = page_.save()["layout"];
    const QString title = tabs_->tabText(index);
    Page& page = page_;     // the pane may go with its last view
    const Entry entry = take(index);
    if (QWidget* tools = entry.view->tools())
        tools->deleteLater();
    entry.view->hide();
    entry.view->deleteLater();
    Q_EMIT page.changed();
    Q_EMIT page.viewClosed(title, before);
}

int Pane::current() const { return tabs_->currentIndex(); }
void Pane::setCurrent(int index) { tabs_->setCurrentIndex(index); }

void Pane::fillMenu(QMenu& menu)
{
    const auto each = [this](QMenu* target, const std::function<void(const ViewKind&)>& action) {
        for (const ViewKind& kind : viewKinds()) {
            QAction* item = target->addAction(tr(kind.title));
            item->setToolTip(tr(kind.purpose));
            connect(item, &QAction::triggered, this, [action, &kind] { action(kind); });
        }
    };
    each(menu.addMenu(tr("Add as tab")), [this](const ViewKind& kind) { addView(kind, nlohmann::json::object()); });
    each(menu.addMenu(tr("Split below")),
        [this](const ViewKind& kind) { page_.split(this, Qt::Vertical, false, {&kind, kind.create(page_.stage())}); });
    each(menu.addMenu(tr("Split right")),
        [this](const ViewKind& kind) { page_.split(this, Qt::Horizontal, false, {&kind, kind.create(page_.stage())}); });
    menu.addSeparator();
    if (!entries_.empty()) {
        View* view = entries_[static_cast<std::size_t>(current())].view;
        const QString title = tabs_->tabText(current());
        const auto act = [&](const QString& words, const char* name, const std::function<void()>& what) {
            QAction* action = menu.addAction(words);
            action->setObjectName(QLatin1String(name));
            connect(action, &QAction::triggered, this, what);
        };
        act(tr("Copy the picture"), "copyPicture",
            [this, view, title] { QApplication::clipboard()->setImage(Picture(*view, captionOf(page_.stage(), title)).image(2)); });
        act(tr("Save the picture..."), "savePicture", [this, view, title] {
            const QString path = QFileDialog::getSaveFileName(
                this, tr("Save the picture"), title + QStringLiteral(".svg"), tr("Pictures (*.svg *.png *.pdf)"));
            if (!path.isEmpty())
                tell(Picture(*view, captionOf(page_.stage(), title)).write(path, 2), path);
        });
        act(tr("Save what is drawn as CSV..."), "saveCsv", [this, view, title] {
            const QString path = QFileDialog::getSaveFileName(
                this, tr("Save what is drawn"), title + QStringLiteral(".csv"), tr("Values separated by commas (*.csv)"));
            const QString lines = path.isEmpty() ? QString() : view->csv();
            if (!path.isEmpty() && lines.isEmpty())
                Q_EMIT page_.stage().told(tr("There is nothing to write here, or too much: a narrower window helps"));
            else if (!path.isEmpty())
                tell(writeWhole(path, lines.toUtf8()), path);
        });
        act(tr("Add to the report"), "addToReport", [this, view] {
            const ViewKind& kind = *entries_[static_cast<std::size_t>(current())].kind;
            page_.stage().reports().add(0, partOf(page_.stage(), kind, *view));
            Q_EMIT page_.stage().told(tr("It stands in the report now"));
        });
        menu.addSeparator();
        QAction* close = menu.addAction(tr("Close %1").arg(tabs_->tabText(current())));
        close->setObjectName(QStringLiteral("closeView"));
        connect(close, &QAction::triggered, this, [this] { closeView(current()); });
    }
}

void Pane::tell(const Expected<void>& done, const QString& path)
{
    if (!done)
        QMessageBox::warning(this, tr("Wavetrope"), text(done.error().text()));
    else
        Q_EMIT page_.stage().told(tr("saved to %1").arg(path));
}

nlohmann::json Pane::save() const
{
    nlohmann::json tabs = nlohmann::json::array();
    for (const Entry& entry : entries_) {
        nlohmann::json view = entry.view->save();
        view["view"] = entry.kind->kind;
        tabs.push_back(view);
    }
    return {{"tabs", tabs}, {"front", current()}};
}

void Pane::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.ground);
    painter.setPen(theme.hairline);
    painter.drawLine(0, headBox_->height() - 1, width(), headBox_->height() - 1);
    if (entries_.empty())
        paintText(
            painter, rect(), tr("An empty page. Add a view from the menu at the right above."), theme.body(), theme.ink2, Qt::AlignCenter);
}

void Pane::startDrag()
{
    draggedFrom = this;
    auto* mime = new QMimeData;
    mime->setData(QLatin1String(paneMime), QByteArray::number(current()));
    auto* drag = new QDrag(this);
    drag->setMimeData(mime);
    drag->setPixmap(tabs_->grab());
    drag->exec(Qt::MoveAction);
}

bool Pane::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == tabs_ && event->type() == QEvent::MouseButtonPress)
        pressedAt_ = static_cast<QMouseEvent*>(event)->pos();
    if (watched == tabs_ && event->type() == QEvent::MouseMove) {
        auto* mouse = static_cast<QMouseEvent*>(event);
        if ((mouse->buttons() & Qt::LeftButton) != 0 && (mouse->pos() - pressedAt_).manhattanLength() > QApplication::startDragDistance()) {
            startDrag();
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

Pane::Zone Pane::zoneAt(const QPoint& point) const
{
    const double x = static_cast<double>(point.x()) / width();
    const double y = static_cast<double>(point.y()) / height();
    if (x > 0.25 && x < 0.75 && y > 0.25 && y < 0.75)
        return Zone::middle;
    if (point.y() < headBox_->height())
        return Zone::middle;
    const double distances[4] = {x, 1 - x, y, 1 - y};
    const auto nearest = std::min_element(distances, distances + 4) - distances;
    constexpr Zone zones[4] = {Zone::left, Zone::right, Zone::top, Zone::bottom};
    return zones[nearest];
}

void Pane::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasFormat(QLatin1String(paneMime)))
        event->acceptProposedAction();
}

void Pane::dragMoveEvent(QDragMoveEvent* event)
{
    zone_ = zoneAt(event->position().toPoint());
    event->acceptProposedAction();
}

void Pane::dragLeaveEvent(QDragLeaveEvent*) { zone_ = Zone::none; }

void Pane::dropEvent(QDropEvent* event)
{
    const Zone zone = zoneAt(event->position().toPoint());
    zone_ = Zone::none;
    Pane* from = draggedFrom;
    if (from == nullptr || (from == this && (zone == Zone::middle || from->count() == 1)))
        return;
    event->acceptProposedAction();
    const int index = event->mimeData()->data(QLatin1String(paneMime)).toInt();
    if (index < 0 || index >= from->count())
        return;
    const Entry entry = from->take(index);
    if (zone == Zone::middle)
        put(entry);
    else
        page_.split(this, zone == Zone::left || zone == Zone::right ? Qt::Horizontal : Qt::Vertical,
            zone == Zone::left || zone == Zone::top, entry);
    Q_EMIT page_.changed();
}

}  // namespace wavetrope::app
