// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/page.h"

#include <QSplitter>
#include <QVBoxLayout>

#include <algorithm>

namespace wavetrope::app {

namespace {

constexpr int deepest = 8;

const ViewKind* kindOf(const std::string& name)
{
    for (const ViewKind& kind : viewKinds())
        if (name == kind.kind)
            return &kind;
    return nullptr;
}

QSplitter* makeSplitter(Qt::Orientation orientation)
{
    auto* splitter = new QSplitter(orientation);
    splitter->setHandleWidth(1);
    splitter->setChildrenCollapsible(false);
    return splitter;
}

}  // namespace

Page::Page(Stage& stage, QString name) : stage_(stage), name_(std::move(name))
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    setRoot(new Pane(*this));
}

void Page::setRoot(QWidget* root)
{
    if (root_ != nullptr && root_ != root) {
        layout()->removeWidget(root_);
        root_->hide();
        root_->deleteLater();
    }
    root_ = root;
    layout()->addWidget(root_);
}

QWidget* Page::build(const nlohmann::json& layout, int depth)
{
    if (depth < deepest && layout.is_object() && layout.contains("parts") && layout["parts"].is_array() && !layout["parts"].empty()) {
        const bool vertical = !layout.contains("split") || layout["split"] != "horizontal";
        QSplitter* splitter = makeSplitter(vertical ? Qt::Vertical : Qt::Horizontal);
        QList<int> sizes;
        for (const auto& part : layout["parts"]) {
            splitter->addWidget(build(part, depth + 1));
            const std::size_t i = static_cast<std::size_t>(sizes.size());
            const bool given = layout.contains("sizes") && layout["sizes"].is_array() && i < layout["sizes"].size()
                               && layout["sizes"][i].is_number();
            sizes << (given ? std::clamp(static_cast<int>(layout["sizes"][i].get<double>() * 10), 1, 100000) : 500);
            splitter->setStretchFactor(static_cast<int>(i), 1);
        }
        splitter->setSizes(sizes);
        followSizes(splitter);
        return splitter;
    }
    auto* pane = new Pane(*this);
    if (layout.is_object() && layout.contains("tabs") && layout["tabs"].is_array()) {
        for (const auto& tab : layout["tabs"])
            if (tab.is_object() && tab.contains("view") && tab["view"].is_string())
                if (const ViewKind* kind = kindOf(tab["view"].get<std::string>()))
                    pane->addView(*kind, tab);
        pane->setCurrent(layout.contains("front") && layout["front"].is_number_integer() ? layout["front"].get<int>() : 0);
    }
    return pane;
}

void Page::restore(const nlohmann::json& layout) { setRoot(build(layout, 0)); }

void Page::followSizes(QSplitter* splitter)
{
    connect(splitter, &QSplitter::splitterMoved, this, [this] {
        resized_ = true;
        Q_EMIT changed();
    });
}

nlohmann::json Page::saveWidget(QWidget* widget) const
{
    if (auto* splitter = qobject_cast<QSplitter*>(widget)) {
        nlohmann::json parts = nlohmann::json::array();
        nlohmann::json sizes = nlohmann::json::array();
        const QList<int> all = splitter->sizes();
        int sum = 0;
        for (const int size : all)
            sum += size;
        for (int i = 0; i < splitter->count(); ++i) {
            parts.push_back(saveWidget(splitter->widget(i)));
            sizes.push_back(sum > 0 ? all[i] * 100 / sum : 50);
        }
        return {{"split", splitter->orientation() == Qt::Vertical ? "vertical" : "horizontal"}, {"sizes", sizes}, {"parts", parts}};
    }
    if (auto* pane = qobject_cast<Pane*>(widget))
        return pane->save();
    return nlohmann::json::object();
}

nlohmann::json Page::save() const { return {{"name", name_.toStdString()}, {"layout", saveWidget(root_)}}; }

std::vector<Pane*> Page::panes() const
{
    std::vector<Pane*> found;
    if (auto* pane = qobject_cast<Pane*>(root_))
        found.push_back(pane);
    for (Pane* pane : root_->findChildren<Pane*>())
        found.push_back(pane);
    return found;
}

std::vector<View*> Page::views() const
{
    std::vector<View*> found;
    for (const Pane* pane : panes())
        for (const Pane::Entry& entry : pane->entries())
            found.push_back(entry.view);
    return found;
}

void Page::split(Pane* pane, Qt::Orientation orientation, bool before, Pane::Entry entry)
{
    auto* fresh = new Pane(*this);
    fresh->put(entry);
    auto* parent = qobject_cast<QSplitter*>(pane->parentWidget());
    if (parent != nullptr && parent->orientation() == orientation) {
        parent->insertWidget(parent->indexOf(pane) + (before ? 0 : 1), fresh);
    } else {
        QSplitter* splitter = makeSplitter(orientation);
        followSizes(splitter);
        if (parent != nullptr) {
            const QList<int> sizes = parent->sizes();
            parent->replaceWidget(parent->indexOf(pane), splitter);
            splitter->addWidget(pane);
            parent->setSizes(sizes);
        } else {
            layout()->removeWidget(pane);
            root_ = splitter;
            layout()->addWidget(splitter);
            splitter->addWidget(pane);
        }
        splitter->insertWidget(before ? 0 : 1, fresh);
        pane->show();
        splitter->setSizes({500, 500});
    }
    fresh->show();
    Q_EMIT changed();
}

void Page::removePane(Pane* pane)
{
    auto* parent = qobject_cast<QSplitter*>(pane->parentWidget());
    if (parent == nullptr)
        return;  // the last pane stays, empty
    pane->hide();
    pane->setParent(nullptr);
    pane->deleteLater();
    if (parent->count() == 1) {  // a splitter with one part is none
        QWidget* rest = parent->widget(0);
        if (auto* above = qobject_cast<QSplitter*>(parent->parentWidget())) {
            above->replaceWidget(above->indexOf(parent), rest);
            parent->deleteLater();
        } else {
            rest->setParent(this);
            setRoot(rest);
        }
        rest->show();
    }
    Q_EMIT changed();
}

View* Page::open(const QString& kind)
{
    const ViewKind* found = kindOf(kind.toStdString());
    if (found == nullptr)
        return nullptr;
    const auto all = panes();
    return all.front()->addView(*found, nlohmann::json::object());
}

}  // namespace wavetrope::app
