// SPDX-License-Identifier: GPL-3.0-or-later
// A named arrangement of views in splits and tabs.
#pragma once

#include <QLabel>
#include <QMenu>
#include <QTabBar>
#include <QToolButton>
#include <QWidget>

#include <nlohmann/json.hpp>
#include <vector>

#include "app/shell/view_kinds.h"

class QHBoxLayout;
class QSplitter;
class QStackedLayout;

namespace wavetrope::app {

class Page;

/// A pane holds one view, or several as tabs. Its head carries their names, the tools of the one in front, and a menu.
/// A head is dragged onto another pane: its middle makes a tab, its edges a split.
class Pane : public QWidget {
    Q_OBJECT
public:
    explicit Pane(Page& page);

    struct Entry {
        const ViewKind* kind = nullptr;
        View* view = nullptr;
    };
    View* addView(const ViewKind& kind, const nlohmann::json& setUp);
    /// Takes a view out without destroying it; an empty pane goes away.
    Entry take(int index);
    void put(Entry entry);
    void closeView(int index);
    [[nodiscard]] int count() const { return static_cast<int>(entries_.size()); }
    [[nodiscard]] const std::vector<Entry>& entries() const { return entries_; }
    [[nodiscard]] int current() const;
    void setCurrent(int index);
    [[nodiscard]] nlohmann::json save() const;
    void fillMenu(QMenu& menu);

protected:
    void showEvent(QShowEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dragMoveEvent(QDragMoveEvent* event) override;
    void dragLeaveEvent(QDragLeaveEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    enum class Zone { none, middle, left, right, top, bottom };
    [[nodiscard]] Zone zoneAt(const QPoint& point) const;
    void refreshHead();
    /// No narrower than the widest of its views' tools needs, whichever is in front.
    void holdWidth();
    void orderFocus();
    void startDrag();
    /// Where something was written, or why not.
    void tell(const Expected<void>& done, const QString& path);

    Page& page_;
    std::vector<Entry> entries_;
    QTabBar* tabs_;
    QHBoxLayout* head_;
    QWidget* headBox_;
    QStackedLayout* toolStack_;
    QStackedLayout* viewStack_;
    QToolButton* menuButton_;
    Zone zone_ = Zone::none;
    QPoint pressedAt_;
};

/// A page: a tree of splitters with panes for leaves.
class Page : public QWidget {
    Q_OBJECT
public:
    Page(Stage& stage, QString name);

    [[nodiscard]] const QString& name() const { return name_; }
    void setName(const QString& name) { name_ = name; }
    [[nodiscard]] Stage& stage() { return stage_; }
    void restore(const nlohmann::json& layout);
    [[nodiscard]] nlohmann::json save() const;
    /// Whether the user gave its panes other sizes since they were last kept.
    [[nodiscard]] bool resized() const { return resized_; }
    void keptSizes() { resized_ = false; }

    /// All views of the page.
    [[nodiscard]] std::vector<View*> views() const;
    /// The first view of a kind, or null.
    template <class T>
    [[nodiscard]] T* find() const
    {
        for (View* view : views())
            if (auto* found = qobject_cast<T*>(view))
                return found;
        return nullptr;
    }
    [[nodiscard]] std::vector<Pane*> panes() const;
    /// Splits a pane and puts a view into the new half.
    void split(Pane* pane, Qt::Orientation orientation, bool before, Pane::Entry entry);
    void removePane(Pane* pane);
    /// Adds a view: as a tab beside others, or as the first.
    View* open(const QString& kind);

Q_SIGNALS:
    void changed();
    /// A view was closed; the layout is that from before.
    void viewClosed(const QString& title, const nlohmann::json& before);

private:
    void followSizes(QSplitter* splitter);
    friend class Pane;
    QWidget* build(const nlohmann::json& layout, int depth);
    [[nodiscard]] nlohmann::json saveWidget(QWidget* widget) const;
    void setRoot(QWidget* root);

    Stage& stage_;
    QString name_;
    QWidget* root_ = nullptr;
    bool resized_ = false;
};

}  // namespace wavetrope::app
