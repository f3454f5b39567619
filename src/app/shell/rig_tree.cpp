// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/rig_tree.h"

#include <QDropEvent>
#include <QFileDialog>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QUrl>
#include <QVBoxLayout>

#include <algorithm>
#include <functional>

#include "app/paint/paint.h"
#include "app/parts/text.h"
#include "app/stage/curve_desk.h"
#include "app/stage/desk.h"
#include "app/stage/protocol_desk.h"
#include "app/stage/selection_menu.h"
#include "app/stage/signal_drag.h"
#include "app/theme/theme.h"
#include "measure/coverage.h"

namespace wavetrope::app {

namespace {

constexpr unsigned valuesEvery = 6;  // beats
constexpr int mostPopulated = 300;   // messages whose signals one search brings in; another letter finds the rest

bool holds(const database::Message& message, const QString& wanted)
{
    return std::any_of(message.signals.begin(), message.signals.end(), [&](const database::Signal& signal) {
        return QLatin1String(signal.name.data(), static_cast<qsizetype>(signal.name.size())).contains(wanted, Qt::CaseInsensitive);
    });
}

bool isDictionary(const QString& path)
{
    return path.endsWith(QLatin1String(".eds"), Qt::CaseInsensitive) || path.endsWith(QLatin1String(".dcf"), Qt::CaseInsensitive);
}

std::uint64_t placeOf(std::uint8_t bus, std::uint32_t id) { return std::uint64_t{bus} << 32 | id; }

}  // namespace

class RigTree::Delegate : public QStyledItemDelegate {
public:
    Delegate(const Stage& stage, QObject* parent) : QStyledItemDelegate(parent), stage_(stage) {}
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override
    {
        return {10, Theme::get().px(index.data(levelRole).toInt() == busLevel ? 24 : 18)};
    }
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        const Theme& theme = Theme::get();
        const QModelIndex name = index.siblingAtColumn(0);
        const auto* view = qobject_cast<const QTreeView*>(option.widget);
        const int level = name.data(levelRole).toInt();
        const bool selected = (option.state & QStyle::State_Selected) != 0;
        QRectF box = option.rect;
        if (selected)
            painter->fillRect(box, theme.accentSoft);
        // The second column paints both: a name takes the room that it needs, and what stands behind it only what is left.
        if (index.column() == 0 && view != nullptr && !view->isFirstColumnSpanned(index.row(), index.parent()))
            return;
        const double right = box.right() - theme.px(8);
        box = view != nullptr ? QRectF(view->visualRect(name)) : box;
        box.setRight(right);
        const QFont nameFont = level == busLevel ? theme.bodyStrong() : theme.body();
        const QFont behindFont = level == messageLevel || level == signalLevel || level == derivedLevel || level == busLevel
                                         || level == objectLevel
                                     ? theme.mono(10)
                                     : theme.small();
        const double mark = theme.px(level == busLevel ? 22 : level == missingLevel || level == derivedLevel ? 20 : 3);
        const double needed = mark + QFontMetricsF(nameFont).horizontalAdvance(name.data().toString()) + theme.px(10);
        const QString behind = index.column() == 0 ? QString() : index.data().toString();
        if (const double width = QFontMetricsF(behindFont).horizontalAdvance(behind) + 1; needed + width <= box.width())
            paintText(*painter, box, behind, behindFont, theme.ink2, Qt::AlignRight | Qt::AlignVCenter);
        if (level == busLevel) {
            paintBusBadge(*painter, QRectF(box.left() + theme.px(2), box.center().y() - theme.px(7), theme.px(14), theme.px(14)),
                stage_.mark(name.data(busRole).toUInt()));
            box.adjust(theme.px(22), 0, 0, 0);
        } else {
            box.adjust(theme.px(3), 0, 0, 0);
        }
        if (level == missingLevel) {
            paintWarning(*painter, QPointF(box.left() + theme.px(5), box.center().y()), theme.px(9));
            box.adjust(theme.px(15), 0, 0, 0);
        } else if (level == derivedLevel) {
            paintDerivedBadge(*painter, QRectF(box.left(), box.center().y() - theme.px(6), theme.px(12), theme.px(12)));
            box.adjust(theme.px(17), 0, 0, 0);
        }
        paintText(*painter, box, name.data().toString(), nameFont, theme.ink);
    }

private:
    const Stage& stage_;
};

// Signals and messages can be dragged out.
class RigTree::Tree : public QTreeWidget {
public:
    using QTreeWidget::QTreeWidget;

    std::function<void(const QString&, const QPoint&)> dropped;
    Stage* stage = nullptr;

    /// Of the signals among some items.
    static QStringList pathsOf(const QList<QTreeWidgetItem*>& items)
    {
        QStringList paths;
        for (const QTreeWidgetItem* item : items)
            if (const QString path = item->data(0, pathRole).toString(); !path.isEmpty())
                paths << path;
        return paths;
    }

protected:
    void startDrag(Qt::DropActions) override
    {
        const QStringList paths = pathsOf(selectedItems());
        Sendable send;
        for (const QTreeWidgetItem* item : selectedItems())
            if (item->data(0, levelRole).toInt() == messageLevel)
                send.messages.emplace_back(
                    static_cast<std::uint8_t>(item->data(0, busRole).toUInt()), can::Identifier::fromKey(item->data(0, idRole).toUInt()));
            else if (item->data(0, levelRole).toInt() == nodeLevel)
                send.nodes << item->text(0);
        if (!paths.isEmpty())
            dragSignals(this, *stage, paths);
        else
            dragSendable(this, *stage, send);
    }
    static QString databaseOf(const QMimeData* mime)
    {
        for (const QUrl& url : mime->urls())
            if (url.isLocalFile()
                && (url.toLocalFile().endsWith(QLatin1String(".dbc"), Qt::CaseInsensitive) || isDictionary(url.toLocalFile())))
                return url.toLocalFile();
        return {};
    }
    void dragEnterEvent(QDragEnterEvent* event) override
    {
        if (!databaseOf(event->mimeData()).isEmpty())
            event->acceptProposedAction();
        else
            event->ignore();  // the window opens logs and rigs
    }
    void dragMoveEvent(QDragMoveEvent* event) override { event->acceptProposedAction(); }
    void dropEvent(QDropEvent* event) override
    {
        event->acceptProposedAction();
        dropped(databaseOf(event->mimeData()), event->position().toPoint());
    }
    QStringList mimeTypes() const override { return {QLatin1String(signalMime)}; }
    QMimeData* mimeData(const QList<QTreeWidgetItem*>& items) const override
    {
        const QStringList paths = pathsOf(items);
        return paths.isEmpty() ? nullptr : signalData(paths);
    }
    void drawBranches(QPainter* painter, const QRect& box, const QModelIndex& index) const override
    {
        const Theme& theme = Theme::get();
        if (selectionModel()->isSelected(index))
            painter->fillRect(box, theme.accentSoft);
        if (!model()->hasChildren(index) || index.data(levelRole).toInt() == busLevel)
            return;
        painter->save();
        painter->setRenderHint(QPainter::Antialiasing);
        painter->setPen(Qt::NoPen);
        painter->setBrush(theme.ink3);
        const QPointF centre(box.right() - theme.px(5), box.center().y() + 0.5);
        const double s = theme.px(3);
        const QPointF open[3] = {centre + QPointF(-s, -s * 0.6), centre + QPointF(s, -s * 0.6), centre + QPointF(0, s * 0.9)};
        const QPointF shut[3] = {centre + QPointF(-s * 0.6, -s), centre + QPointF(-s * 0.6, s), centre + QPointF(s * 0.9, 0)};
        painter->drawPolygon(isExpanded(index) ? open : shut, 3);
        painter->restore();
    }
};

RigTree::RigTree(Stage& stage, QWidget* parent) : QWidget(parent), stage_(stage), find_(new QLineEdit), tree_(new Tree), result_(new QLabel)
{
    setObjectName(QStringLiteral("rigTree"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 4);
    layout->setSpacing(6);
    find_->setObjectName(QStringLiteral("findBox"));
    find_->setPlaceholderText(tr("Find a node, message or signal"));
    find_->setToolTip(tr("Type a few letters; Enter plots the signal found  (Ctrl+L)"));
    auto* inset = new QHBoxLayout;
    inset->setContentsMargins(9, 0, 9, 0);
    inset->addWidget(find_);
    layout->addLayout(inset);
    layout->addWidget(tree_, 1);
    layout->addWidget(result_);
    if (stage.emptyDesk()) {
        auto* words = new QLabel(tr("Buses, nodes, messages and signals will stand here."));
        words->setObjectName(QStringLiteral("treeWords"));
        words->setWordWrap(true);
        words->setAlignment(Qt::AlignTop);
        words->setContentsMargins(13, 4, 9, 0);
        Theme::writeInBody(words);
        const auto quieten = [words] { words->setStyleSheet(QStringLiteral("color: %1").arg(Theme::get().ink2.name())); };
        quieten();
        connect(&Theme::get(), &Theme::changed, words, quieten);
        layout->insertWidget(1, words, 1);
        tree_->hide();
    }
    result_->setAlignment(Qt::AlignHCenter);
    result_->setContentsMargins(8, 2, 8, 4);
    result_->hide();
    tree_->setColumnCount(2);
    tree_->setHeaderHidden(true);
    tree_->setItemDelegate(new Delegate(stage_, tree_));
    tree_->header()->setStretchLastSection(false);
    tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    tree_->header()->setSectionResizeMode(1, QHeaderView::Fixed);
    tree_->header()->setMinimumSectionSize(10);
    tree_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    tree_->stage = &stage_;
    tree_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    tree_->setDragEnabled(true);
    tree_->setDragDropMode(QAbstractItemView::DragDrop);
    tree_->dropped = [this](const QString& path, const QPoint& at) { attach(path, at); };
    tree_->setUniformRowHeights(false);
    tree_->setFrameShape(QFrame::NoFrame);
    tree_->setAccessibleName(tr("Rig tree"));
    tree_->setToolTip(tr("Drag signals onto the lanes, or press Enter on them"));
    connect(find_, &QLineEdit::textChanged, this, &RigTree::find);
    connect(tree_, &QTreeWidget::currentItemChanged, this, &RigTree::onCurrent);
    connect(tree_, &QTreeWidget::itemActivated, this, &RigTree::activate);
    connect(&stage, &Stage::selectionChanged, this, &RigTree::mark);
    tree_->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(tree_, &QTreeWidget::customContextMenuRequested, this, &RigTree::showMenu);
    connect(&stage, &Stage::beat, this, [this] {
        if (isVisible() && beats_++ % valuesEvery == 0)
            refreshValues();
    });
    connect(&stage, &Stage::becameReady, this, [this] {
        building_ = true;
        build();
        building_ = false;
        mark();
        QTimer::singleShot(0, this, &RigTree::refreshValues);  // once the rows have their places
    });
    connect(&stage, &Stage::catalogChanged, this, &RigTree::rebuildKeeping);
    connect(&stage.protocols(), &ProtocolDesk::changed, this, [this] {
        if (isVisible() && !stage_.following())
            refreshValues();
    });
    connect(&stage.curveDesk(), &CurveDesk::grown, this, [this] {
        if (isVisible() && !stage_.catalog().derived().empty() && !stage_.following())
            refreshValues();
    });
    connect(&stage, &Stage::axisChanged, this, [this] {
        if (isVisible() && !stage_.following())
            refreshValues();
    });
    connect(tree_, &QTreeWidget::itemExpanded, this, [this](QTreeWidgetItem* item) {
        populate(item);
        populateObjects(item);
        QTimer::singleShot(0, this, &RigTree::refreshValues);
    });
    const auto restyle = [this] {
        tree_->setIndentation(Theme::get().px(14));
        tree_->header()->resizeSection(1, Theme::get().px(86));
        result_->setFont(Theme::get().small());
        tree_->doItemsLayout();
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    find_->installEventFilter(this);
    build();
}

QTreeWidget* RigTree::tree() { return tree_; }

const database::CatalogMessage* RigTree::messageOf(const QTreeWidgetItem* item) const
{
    return stage_.catalog().find(
        static_cast<std::uint8_t>(item->data(0, busRole).toUInt()), can::Identifier::fromKey(item->data(0, idRole).toUInt()));
}

void RigTree::populate(QTreeWidgetItem* item)
{
    const auto* message = item->data(0, levelRole).toInt() == messageLevel && item->childCount() == 0 ? messageOf(item) : nullptr;
    if (message == nullptr)
        return;
    QList<QTreeWidgetItem*> children;
    for (std::uint32_t i = 0; i < message->message->signals.size(); ++i) {
        auto* signalItem = new QTreeWidgetItem({QString::fromStdString(message->message->signals[i].name)});
        signalItem->setData(0, levelRole, signalLevel);
        signalItem->setData(1, levelRole, signalLevel);
        signalItem->setData(0, busRole, message->bus);
        signalItem->setData(0, idRole, message->message->id.key());
        signalItem->setData(0, signalRole, static_cast<int>(i));
        signalItem->setData(0, pathRole, signalPath(stage_.catalog(), {message, i}));
        children.push_back(signalItem);
    }
    item->addChildren(children);
}

// What of the catalog the tree shows: while it stays the same, so does the tree.
std::size_t RigTree::shape() const
{
    std::size_t hash = 0;
    const auto add = [&](std::string_view text) { hash = hash * 1099511628211ULL ^ std::hash<std::string_view>{}(text); };
    for (const rig::BusSpec& bus : stage_.document().rig().buses)
        for (const std::string& file : bus.databases)
            add(file);
    for (const database::CatalogMessage& message : stage_.catalog().messages()) {
        hash = hash * 31 + message.bus + message.message->id.key() * 2654435761U + message.file;
        add(message.message->name);
        add(message.message->sender);
        for (const database::Signal& signal : message.message->signals)
            add(signal.name);
    }
    for (const database::DerivedSignal& derived : stage_.catalog().derived()) {
        add(derived.spec.name);
        add(derived.spec.formula);
    }
    for (const auto& [of, dictionary] : stage_.document().databases().dictionaries) {
        add(of.first);
        hash = hash * 31 + of.second + dictionary->entries.size();
    }
    return hash;
}

void RigTree::rebuildKeeping()
{
    if (shape() == shape_)
        return refreshValues();
    QSet<QString> open;
    const auto pathOf = [](const QTreeWidgetItem* item) {
        QString path;
        for (; item != nullptr; item = item->parent())
            path = item->text(0) + QLatin1Char('/') + path;
        return path;
    };
    for (QTreeWidgetItemIterator it(tree_); *it != nullptr; ++it)
        if ((*it)->isExpanded())
            open.insert(pathOf(*it));
    building_ = true;
    build();
    for (QTreeWidgetItemIterator it(tree_); *it != nullptr; ++it)
        if (open.contains(pathOf(*it)))
            (*it)->setExpanded(true);
    building_ = false;
    mark();
    refreshValues();
}

void RigTree::build()
{
    tree_->clear();
    messages_.clear();
    nodes_.clear();
    shape_ = shape();
    const auto& catalog = stage_.catalog();
    for (std::uint8_t bus = 0; bus < catalog.busCount(); ++bus) {
        auto* busItem = new QTreeWidgetItem(
            tree_, {bus < stage_.document().buses().size() ? QString::fromStdString(stage_.document().buses()[bus].name) : QString()});
        busItem->setData(0, levelRole, busLevel);
        busItem->setData(1, levelRole, busLevel);
        busItem->setData(0, busRole, bus);
        const auto& databases = catalog.databases(bus);
        // Files that the rig names and that could not be read: marked, and a click says where they are.
        bool missing = false;
        for (const rig::BusSpec& spec : stage_.document().rig().buses) {
            if (spec.name != catalog.busName(bus))
                continue;
            for (const std::string& file : spec.databases) {
                const auto index = stage_.document().databases().byPath.contains(file) ? -1 : stage_.desk().shelf().find(file);
                if (index < 0 || !stage_.desk().shelf().at(static_cast<std::size_t>(index)).missing)
                    continue;
                missing = true;
                auto* item = new QTreeWidgetItem(busItem, {tr("missing: %1").arg(QString::fromStdString(file))});
                item->setData(0, levelRole, missingLevel);
                item->setData(0, fileRole, index);
                item->setToolTip(
                    0, tr("%1\nPress Enter or double click to say where it is")
                           .arg(QString::fromStdString(stage_.desk().shelf().at(static_cast<std::size_t>(index)).missing->text())));
            }
        }
        if (databases.empty() && !missing) {
            auto* none = new QTreeWidgetItem(busItem, {tr("no database")});
            none->setData(0, levelRole, databaseLevel);
            none->setFlags(Qt::ItemIsEnabled);
            none->setFirstColumnSpanned(true);
        }
        for (const auto& database : databases) {
            QTreeWidgetItem* parent = busItem;
            if (databases.size() > 1) {
                parent = new QTreeWidgetItem(busItem,
                    {database->path.empty() ? tr("the rig's own") : QString::fromStdString(database->path).section(QLatin1Char('/'), -1)});
                parent->setData(0, levelRole, databaseLevel);
                parent->setExpanded(true);
            }
            std::vector<std::string> senders;
            for (const database::Node& node : database->nodes)
                senders.push_back(node.name);
            senders.emplace_back();
            for (const std::string& sender : senders) {
                std::vector<const database::CatalogMessage*> messages;
                for (const auto& message : catalog.messages())
                    if (message.bus == bus && message.message->sender == sender && database->find(message.message->id) == message.message)
                        messages.push_back(&message);
                if (messages.empty())
                    continue;
                auto* nodeItem = new QTreeWidgetItem(
                    parent, {sender.empty() ? tr("no sender") : QString::fromStdString(sender),
                                messages.size() == 1 ? tr("1 message") : tr("%1 messages").arg(messages.size())});
                nodeItem->setData(0, levelRole, nodeLevel);
                nodeItem->setData(1, levelRole, nodeLevel);
                nodeItem->setData(0, busRole, bus);
                if (!sender.empty())
                    nodes_.insert(nodeItem->text(0), nodeItem);
                for (const auto* message : messages) {
                    auto* messageItem = new QTreeWidgetItem(nodeItem,
                        {QString::fromStdString(message->message->name), QString::fromStdString(can::toText(message->message->id))});
                    messageItem->setData(0, levelRole, messageLevel);
                    messageItem->setData(1, levelRole, messageLevel);
                    messageItem->setData(0, busRole, bus);
                    messageItem->setData(0, idRole, message->message->id.key());
                    if (const auto place = placeOf(bus, message->message->id.key()); !messages_.contains(place))
                        messages_.insert(place, messageItem);
                    // Its signals come when they are looked at: a large database has tens of thousands.
                    if (!message->message->signals.empty())
                        messageItem->setChildIndicatorPolicy(QTreeWidgetItem::ShowIndicator);
                }
            }
        }
        buildDictionaries(busItem, bus);
        busItem->setExpanded(true);
    }
    buildDerived();
    if (!find_->text().isEmpty())
        find(find_->text());
}

// Signals that are worked out from others, below the buses.
void RigTree::buildDerived()
{
    const auto& all = stage_.catalog().derived();
    if (all.empty())
        return;
    auto* group = new QTreeWidgetItem(tree_, {tr("Derived")});
    group->setData(0, levelRole, databaseLevel);
    group->setData(1, levelRole, databaseLevel);
    for (const database::DerivedSignal& one : all) {
        auto* item = new QTreeWidgetItem(group, {app::text(one.spec.name)});
        item->setData(0, levelRole, derivedLevel);
        item->setData(1, levelRole, derivedLevel);
        item->setData(0, pathRole, QString(QLatin1Char(':') + app::text(one.spec.name)));
        item->setToolTip(0, QStringLiteral("= ") + app::text(one.spec.formula));
    }
    group->setExpanded(true);
}

void RigTree::find(const QString& text)
{
    const QString wanted = text.trimmed();
    int signalsFound = 0;
    int messagesFound = 0;
    int populated = 0;
    QTreeWidgetItem* best = nullptr;
    int bestRank = 99;
    // A row stays when it, one above or one below fits.
    const std::function<bool(QTreeWidgetItem*, bool)> visit = [&](QTreeWidgetItem* item, bool above) {
        const int level = item->data(0, levelRole).toInt();
        const bool fits = !wanted.isEmpty()
                          && (item->text(0).contains(wanted, Qt::CaseInsensitive)
                              || (level == messageLevel && item->text(1).contains(wanted, Qt::CaseInsensitive)));
        bool below = false;
        if (!wanted.isEmpty() && (level == dictionaryLevel || level == indexLevel) && populated < mostPopulated) {
            populated += item->childCount() == 0 ? 1 : 0;
            populateObjects(item);
        }
        if (level == messageLevel && !wanted.isEmpty() && item->childCount() == 0)
            if (const auto* message = messageOf(item);
                populated < mostPopulated && message != nullptr && holds(*message->message, wanted)) {
                populate(item);
                ++populated;
            }
        for (int i = 0; i < item->childCount(); ++i)
            below = visit(item->child(i), above || fits) || below;
        if (fits) {
            const int rank = (level == signalLevel || level == derivedLevel || level == objectLevel ? 0
                                 : level == messageLevel                                            ? 2
                                                                                                    : 4)
                             + (item->text(0).startsWith(wanted, Qt::CaseInsensitive) ? 0 : 1);
            if (rank < bestRank || (rank == bestRank && item->text(0).size() < best->text(0).size())) {
                best = item;
                bestRank = rank;
            }
        }
        signalsFound += fits && (level == signalLevel || level == derivedLevel) ? 1 : 0;
        messagesFound += fits && level == messageLevel ? 1 : 0;
        item->setHidden(!wanted.isEmpty() && !fits && !above && !below);
        if (!wanted.isEmpty())
            item->setExpanded(below);
        else
            item->setExpanded(level == busLevel || level == databaseLevel);
        return fits || below;
    };
    for (int i = 0; i < tree_->topLevelItemCount(); ++i)
        visit(tree_->topLevelItem(i), false);
    result_->setVisible(!wanted.isEmpty());
    result_->setText(best == nullptr ? tr("Nothing is called so.")
                                     : tr("%1, %2 found")
                                           .arg(signalsFound == 1 ? tr("1 signal") : tr("%1 signals").arg(signalsFound),
                                               messagesFound == 1 ? tr("1 message") : tr("%1 messages").arg(messagesFound)));
    if (best != nullptr && !building_) {
        tree_->setCurrentItem(best);
        tree_->scrollToItem(best);
    }
    refreshValues();
}

void RigTree::refreshValues()
{
    const trace::Snapshot& snapshot = stage_.snapshot();
    if (!snapshot.valid())
        return;
    const trace::Row limit = stage_.cursorRow() == trace::noRow ? 0 : stage_.cursorRow() + 1;
    // Only what is on the screen is decoded.
    std::vector<measure::SeriesKeeper::Look> derived;
    bool objects = false;   // their transfers are followed while one is in sight
    for (QTreeWidgetItem* item = tree_->itemAt(1, 1); item != nullptr; item = tree_->itemBelow(item)) {
        if (tree_->visualItemRect(item).top() > tree_->viewport()->height())
            break;
        const int level = item->data(0, levelRole).toInt();
        if (level == busLevel) {
            const unsigned bus = item->data(0, busRole).toUInt();
            const double percent = stage_.document().measures().read([&](const measure::MeasureState& state) {
                if (bus >= state.loads.size() || state.loads[bus].empty())
                    return -1.0;
                const std::int64_t last = state.loads[bus].indexOf(stage_.cursor()) - 1;
                return static_cast<double>(state.loads[bus].busy(last - 999, last)) / 1e7;
            });
            item->setText(1, percent < 0 ? QString() : QStringLiteral("%1 %").arg(percent, 0, 'f', 0));
        }
        if (level == derivedLevel)
            if (const auto source = curveOf(stage_.document().catalog(), item->data(0, pathRole).toString())) {
                const auto series = stage_.curveDesk().series(*source);
                derived.push_back({series, {}, {}, 0});
                const auto value = series->at(snapshot, stage_.cursor());
                item->setText(1, value ? source->reading(*value) : QString());
            }
        if (level == dictionaryLevel) {
            objects = true;
            sayContradictions(item);
        }
        if (level == objectLevel) {
            objects = true;
            const auto key = item->data(0, signalRole).toUInt();
            item->setText(1, stage_.protocols().valueOf({static_cast<std::uint8_t>(item->data(0, busRole).toUInt()),
                                 static_cast<std::uint8_t>(item->data(0, idRole).toUInt()),
                                 {static_cast<std::uint16_t>(key >> 8), static_cast<std::uint8_t>(key)}}));
        }
        if (level != signalLevel)
            continue;
        const auto* message = messageOf(item);
        if (message != nullptr && stage_.protocols().inPieces(*message)) {
            const auto whole = stage_.protocols().newestOf(*message);
            const auto signal = static_cast<std::uint32_t>(item->data(0, signalRole).toInt());
            database::Decoded value;
            item->setText(1, whole && message->plan.decodeOne(whole->data, signal, value)
                                 ? readingText(message->message->signals[signal], value)
                                 : QString());
            continue;
        }
        const trace::Row row = message == nullptr ? trace::noRow : measure::newestOf(snapshot, *message, limit);
        database::Decoded decoded;
        const auto index = static_cast<std::uint32_t>(item->data(0, signalRole).toInt());
        if (row == trace::noRow || !message->plan.decodeOne(snapshot.frame(row), index, decoded))
            continue;
        const database::Signal& signal = message->message->signals[index];
        item->setText(1, readingText(signal, decoded));
    }
    stage_.protocols().look(this, objects);
    if (stage_.catalog().derived().size() > 0)
        stage_.curveDesk().look(this, std::move(derived));
}

Selection RigTree::selectionOf(const QTreeWidgetItem* item)
{
    Selection selection;
    if (item == nullptr)
        return selection;
    const int level = item->data(0, levelRole).toInt();
    if (level == messageLevel || level == signalLevel) {
        selection.kind = level == messageLevel ? Selection::Kind::message : Selection::Kind::signal;
        selection.bus = static_cast<std::uint8_t>(item->data(0, busRole).toUInt());
        selection.id = can::Identifier::fromKey(item->data(0, idRole).toUInt());
        if (level == signalLevel)
            selection.signal = item->data(0, signalRole).toInt();
    } else if (level == nodeLevel) {
        selection.kind = Selection::Kind::node;
        selection.node = item->text(0);
        selection.bus = static_cast<std::uint8_t>(item->data(0, busRole).toUInt());
    } else if (level == derivedLevel) {
        selection.kind = Selection::Kind::derived;
        selection.node = item->text(0);
    } else if (level == objectLevel) {
        selection.kind = Selection::Kind::object;
        selection.bus = static_cast<std::uint8_t>(item->data(0, busRole).toUInt());
        selection.id.value = item->data(0, idRole).toUInt();
        selection.signal = item->data(0, signalRole).toInt();
    }
    return selection;
}

void RigTree::onCurrent(QTreeWidgetItem* item)
{
    if (building_)
        return;     // nobody chose it
    const Selection selection = selectionOf(item);
    if (selection.kind != Selection::Kind::none)
        stage_.select(selection);
}

void RigTree::mark()
{
    const Selection& selection = stage_.selection();
    if (tree_->currentItem() != nullptr && tree_->currentItem()->isSelected() && selectionOf(tree_->currentItem()) == selection)
        return;
    QTreeWidgetItem* item = nullptr;
    if (selection.kind == Selection::Kind::node) {
        for (QTreeWidgetItem* one : nodes_.values(selection.node))      // on the bus that is meant, if it is on it
            if (item == nullptr || one->data(0, busRole).toUInt() == selection.bus)
                item = one;
    } else if (selection.kind == Selection::Kind::message || selection.kind == Selection::Kind::signal) {
        item = messages_.value(placeOf(selection.bus, selection.id.key()));
        if (item != nullptr && selection.signal >= 0 && selection.signal < item->childCount() && item->isExpanded())
            item = item->child(selection.signal);
    }
    for (QTreeWidgetItem* above = item == nullptr ? nullptr : item->parent(); above != nullptr; above = above->parent())
        if (!above->isExpanded())
            item = above;
    const QSignalBlocker block(tree_);
    if (item == nullptr || item->isHidden())
        tree_->clearSelection();
    else
        tree_->setCurrentItem(item);
}

void RigTree::pointTo(QTreeWidgetItem* item)
{
    const QString path = QFileDialog::getOpenFileName(this, tr("Where the database is"), {}, tr("Signal databases (*.dbc)"));
    if (path.isEmpty())
        return;
    Desk& desk = stage_.desk();
    if (const auto found = desk.shelf().pointTo(item->data(0, fileRole).toUInt(), path.toStdString()); !found)
        QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(found.error().text()));
    else
        desk.noteArranged();
}

void RigTree::attach(const QString& path, const QPoint& at)
{
    // The bus under the point, else the only one.
    const QTreeWidgetItem* item = tree_->itemAt(at);
    while (item != nullptr && item->parent() != nullptr)
        item = item->parent();
    if (item == nullptr && tree_->topLevelItemCount() == 1)
        item = tree_->topLevelItem(0);
    if (isDictionary(path))
        return attachDictionary(path, tree_->itemAt(at));
    if (item == nullptr) {
        result_->setText(tr("Drop it on the bus that it explains."));
        result_->show();
        return;
    }
    Desk& desk = stage_.desk();
    if (const auto attached = desk.shelf().attach(item->text(0).toStdString(), path.toStdString()); !attached)
        QMessageBox::warning(this, tr("Wavetrope"), QString::fromStdString(attached.error().text()));
    else
        desk.noteArranged();
}

void RigTree::activate(QTreeWidgetItem* item)
{
    if (item != nullptr && item->data(0, levelRole).toInt() == missingLevel)
        return pointTo(item);
    // All that are chosen, where the item is one of them.
    const int level = item == nullptr ? -1 : item->data(0, levelRole).toInt();
    if (level == signalLevel || level == derivedLevel)
        for (const QString& path : item->isSelected() ? Tree::pathsOf(tree_->selectedItems()) : Tree::pathsOf({item}))
            Q_EMIT stage_.plotWanted(path);
}

void RigTree::showMenu(const QPoint& at)
{
    QTreeWidgetItem* item = tree_->itemAt(at);
    if (item == nullptr)
        item = tree_->currentItem();
    if (item == nullptr)
        return;
    tree_->setCurrentItem(item);
    auto* menu = new QMenu(this);
    menu->setObjectName(QStringLiteral("treeMenu"));
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const int level = item->data(0, levelRole).toInt();
    if (level == messageLevel || level == signalLevel || level == nodeLevel || level == derivedLevel)
        addSelectionActions(*menu, stage_, stage_.selection());
    else if (level == missingLevel)
        menu->addAction(tr("Say where it is..."), this, [this] { activate(tree_->currentItem()); });
    if (item->childCount() > 0) {
        menu->addSeparator();
        menu->addAction(item->isExpanded() ? tr("Fold") : tr("Unfold"), this,
                [this] {
                    if (QTreeWidgetItem* chosen = tree_->currentItem())     // the tree may have been made anew meanwhile
                        chosen->setExpanded(!chosen->isExpanded());
                })
            ->setObjectName(QStringLiteral("foldItem"));
        menu->addAction(tr("Fold all"), tree_, &QTreeWidget::collapseAll)->setObjectName(QStringLiteral("foldAll"));
    }
    if (menu->isEmpty())
        return menu->deleteLater();
    menu->popup(tree_->viewport()->mapToGlobal(at));
}

bool RigTree::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == find_ && event->type() == QEvent::KeyPress) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
            activate(tree_->currentItem());
            return true;
        }
        if (key->key() == Qt::Key_Down || key->key() == Qt::Key_Up) {
            tree_->setFocus();
            return true;
        }
        if (key->key() == Qt::Key_Escape) {
            find_->clear();
            return true;
        }
    }
    return QWidget::eventFilter(watched, event);
}

void RigTree::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::get().surface);
}

}  // namespace wavetrope::app
