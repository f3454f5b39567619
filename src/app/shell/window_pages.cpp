// SPDX-License-Identifier: GPL-3.0-or-later
// The pages of a window: added, named, moved, removed, and got back.
#include <QContextMenuEvent>
#include <QInputDialog>
#include <QMenu>
#include <QPointer>
#include <QStackedWidget>

#include "app/board/board_view.h"
#include "app/parts/edit_times.h"
#include "app/shell/main_window.h"

namespace wavetrope::app {

namespace {

nlohmann::json usualPages()
{
    return nlohmann::json::parse(R"([
{"name":"Watch","layout":{"split":"vertical","sizes":[58,42],"parts":[{"tabs":[{"view":"roster"}]},{"tabs":[{"view":"stream"}]}]}},
{"name":"Analyse","layout":{"split":"vertical","sizes":[62,38],"parts":[{"tabs":[{"view":"lanes"}]},{"tabs":[{"view":"load"},{"view":"between"},{"view":"spectrum"},{"view":"events"}]}]}},
{"name":"Load","layout":{"split":"vertical","sizes":[45,55],"parts":[{"tabs":[{"view":"load"}]},{"tabs":[{"view":"response"},{"view":"shares"},{"view":"events"}]}]}},
{"name":"Drive","layout":{"split":"vertical","sizes":[55,45],"parts":[{"tabs":[{"view":"playback"},{"view":"outbox"}]},{"tabs":[{"view":"nodes"}]}]}},
{"name":"Record","layout":{"tabs":[{"view":"record"},{"view":"buses"}]}},
{"name":"Network","layout":{"split":"vertical","sizes":[45,55],"parts":[{"tabs":[{"view":"network"}]},{"tabs":[{"view":"messages"},{"view":"ask"},{"view":"events"}]}]}},
{"name":"Databases","layout":{"tabs":[{"view":"database"},{"view":"coverage"},{"view":"review"},{"view":"compare"}]}}])");
}

// What one begins from, where there is no bus to look at.
nlohmann::json emptyDesk() { return nlohmann::json::parse(R"([{"name":"Begin","layout":{"tabs":[{"view":"begin"},{"view":"buses"}]}}])"); }

// A step that was done before it is pushed.
class DoneCommand : public QUndoCommand {
public:
    DoneCommand(const QString& words, std::function<void()> undoes, std::function<void()> redoes)
        : QUndoCommand(words), undoes_(std::move(undoes)), redoes_(std::move(redoes))
    {}
    void undo() override { undoes_(); }
    void redo() override
    {
        if (pushed_)
            redoes_();
        pushed_ = true;
    }

private:
    std::function<void()> undoes_;
    std::function<void()> redoes_;
    bool pushed_ = false;
};

nlohmann::json without(const char* field, nlohmann::json layout)
{
    if (layout.is_object())
        layout.erase(field);
    if (layout.is_structured())
        for (auto& part : layout)
            part = without(field, std::move(part));
    return layout;
}

}  // namespace

void MainWindow::buildPages()
{
    EditTimes::follow(pageSteps_);
    const auto& document = document_->rig().document;
    nlohmann::json pages = document.contains("pages") && document["pages"].is_array() && !document["pages"].empty() ? document["pages"]
                           : document_->isLive() && document_->rig().buses.empty()                                  ? emptyDesk()
                                                                                                                    : usualPages();
    if (!document_->rig().recordings.empty() && pages.dump().find("\"view\":\"record\"") == std::string::npos)
        pages.push_back({{"name", "Record"}, {"layout", {{"tabs", {{{"view", "record"}}}}}}});
    for (const auto& page : pages)
        if (page.is_object() && page.contains("name") && page["name"].is_string())
            addPage(QString::fromStdString(page["name"].get<std::string>()),
                page.contains("layout") ? page["layout"] : nlohmann::json::object());
    keepPages();
    pageTabs_->setMovable(true);
    pageTabs_->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(pageTabs_, &QTabBar::customContextMenuRequested, this,
        [this](const QPoint& at) { showPageMenu(std::max(0, pageTabs_->tabAt(at)), pageTabs_->mapToGlobal(at)); });
    connect(pageTabs_, &QTabBar::tabBarDoubleClicked, this, [this](int index) {
        if (index >= 0)
            askForPageName(index);
    });
    connect(pageTabs_, &QTabBar::tabMoved, this, [this](int from, int to) {
        if (movingPage_)
            return;
        QWidget* page = pages_->widget(from);
        pages_->removeWidget(page);
        pages_->insertWidget(to, page);
        pages_->setCurrentIndex(pageTabs_->currentIndex());
        notePages();
        pageSteps_.push(
            new DoneCommand(tr("move a page"), [this, from, to] { movePage(to, from); }, [this, from, to] { movePage(from, to); }));
    });
}

bool MainWindow::pagesDiffer() const { return pagesChanged_ || without("sizes", pagesNow()) != keptPages_; }

nlohmann::json MainWindow::pagesNow() const
{
    nlohmann::json pages = nlohmann::json::array();
    for (int i = 0; i < pageCount(); ++i)
        pages.push_back(pageAt(i)->save());
    return pages;
}

void MainWindow::keepPages()
{
    keptPages_ = without("sizes", pagesNow());
    for (int i = 0; i < pageCount(); ++i)
        pageAt(i)->keptSizes();
    pagesChanged_ = false;
}

// What was changed and changed back is as it was. Sizes follow the window's: only those that the user gave count. Which view is
// in front was looked at, not arranged: it is saved along with the rig, and asks for no saving.
void MainWindow::notePages()
{
    pagesChanged_ = without("front", without("sizes", pagesNow())) != without("front", keptPages_);
    for (int i = 0; i < pageCount() && !pagesChanged_; ++i)
        pagesChanged_ = pageAt(i)->resized();
    refreshTitle();
}

void MainWindow::showBoard(const QString& name)
{
    for (int i = 0; i < pages_->count(); ++i)
        if (auto* board = pageAt(i)->find<BoardView>(); board != nullptr && board->name() == name)
            return pageTabs_->setCurrentIndex(i);
    const auto put = [this, name] {
        addPage(name, {{"tabs", {{{"view", "board"}, {"board", name.toStdString()}}}}});
        pageTabs_->setCurrentIndex(pages_->count() - 1);
        notePages();
    };
    put();
    pageSteps_.push(new DoneCommand(tr("page of a board"), [this, at = pages_->count() - 1] { removePage(at, false); }, put));
}

void MainWindow::addPage(const QString& name, const nlohmann::json& layout, int at)
{
    auto* page = new Page(*stage_, name);
    page->restore(layout);
    const int index = at < 0 ? pages_->count() : at;
    pages_->insertWidget(index, page);
    pageTabs_->insertTab(index, name);
    connect(page, &Page::changed, this, &MainWindow::notePages);
    connect(page, &Page::viewClosed, this, [this, page](const QString& title, const nlohmann::json& before) {
        const auto restore = [this, page = QPointer<Page>(page)](const nlohmann::json& setUp) {
            if (page.isNull())
                return;
            page->restore(setUp);
            pageTabs_->setCurrentIndex(pages_->indexOf(page));
            notePages();
        };
        pageSteps_.push(new DoneCommand(
            tr("close %1").arg(title), [restore, before] { restore(before); },
            [restore, after = page->save()["layout"]] { restore(after); }));
    });
}

void MainWindow::removePage(int index, bool step)
{
    if (index < 0 || index >= pages_->count() || pages_->count() == 1)
        return;
    Page* page = pageAt(index);
    const QString name = page->name();
    const nlohmann::json layout = page->save()["layout"];
    pageTabs_->removeTab(index);
    pages_->removeWidget(page);
    page->hide();
    page->deleteLater();
    pages_->setCurrentIndex(pageTabs_->currentIndex());
    notePages();
    if (step)
        pageSteps_.push(new DoneCommand(
            tr("remove the page %1").arg(name),
            [this, name, layout, index] {
                addPage(name, layout, index);
                pageTabs_->setCurrentIndex(index);
                notePages();
            },
            [this, index] { removePage(index, false); }));
}

void MainWindow::renamePage(int index, const QString& name)
{
    if (name.isEmpty() || name == pageAt(index)->name())
        return;
    const auto set = [this](int at, const QString& to) {
        if (at >= pages_->count())
            return;
        pageAt(at)->setName(to);
        pageTabs_->setTabText(at, to);
        notePages();
    };
    const QString before = pageAt(index)->name();
    set(index, name);
    pageSteps_.push(
        new DoneCommand(tr("name a page"), [set, index, before] { set(index, before); }, [set, index, name] { set(index, name); }));
}

void MainWindow::movePage(int from, int to)
{
    if (from < 0 || to < 0 || from >= pages_->count() || to >= pages_->count())
        return;
    movingPage_ = true;
    pageTabs_->moveTab(from, to);
    QWidget* page = pages_->widget(from);
    pages_->removeWidget(page);
    pages_->insertWidget(to, page);
    movingPage_ = false;
    pages_->setCurrentIndex(pageTabs_->currentIndex());
    notePages();
}

void MainWindow::askForPageName(int index)
{
    bool good = false;
    const QString name = QInputDialog::getText(this, tr("Name of the page"), tr("Name"), QLineEdit::Normal, pageAt(index)->name(), &good);
    if (good)
        renamePage(index, name.trimmed());
}

void MainWindow::showPageMenu(int index, const QPoint& at)
{
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("pageMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto add = [&](const char* name, const QString& words, bool enabled, auto action) {
        QAction* item = menu->addAction(words);
        item->setObjectName(QLatin1String(name));
        item->setEnabled(enabled);
        connect(item, &QAction::triggered, this, action);
    };
    add("renamePage", tr("Rename..."), true, [this, index] { askForPageName(index); });
    add("duplicatePage", tr("Duplicate"), true, [this, index] {
        const auto put = [this, name = tr("%1 copy").arg(pageAt(index)->name()), layout = pageAt(index)->save()["layout"], index] {
            addPage(name, layout, index + 1);
            pageTabs_->setCurrentIndex(index + 1);
            notePages();
        };
        put();
        pageSteps_.push(new DoneCommand(tr("duplicate a page"), [this, index] { removePage(index + 1, false); }, put));
    });
    const auto shift = [this](int from, int to) {
        movePage(from, to);
        pageSteps_.push(
            new DoneCommand(tr("move a page"), [this, from, to] { movePage(to, from); }, [this, from, to] { movePage(from, to); }));
    };
    add("movePageLeft", tr("Move left"), index > 0, [shift, index] { shift(index, index - 1); });
    add("movePageRight", tr("Move right"), index + 1 < pages_->count(), [shift, index] { shift(index, index + 1); });
    menu->addSeparator();
    add("removePage", tr("Remove"), pages_->count() > 1, [this, index] { removePage(index); });
    menu->popup(at);
}

Page* MainWindow::pageAt(int index) const { return qobject_cast<Page*>(pages_->widget(index)); }
int MainWindow::pageCount() const { return pages_->count(); }

}  // namespace wavetrope::app
