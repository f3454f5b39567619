// SPDX-License-Identifier: GPL-3.0-or-later
// The object dictionaries of nodes in the rig tree.
#include <QInputDialog>
#include <QMessageBox>

#include "app/parts/text.h"
#include "app/shell/rig_tree.h"
#include "app/stage/protocol_desk.h"

namespace wavetrope::app {

namespace {

constexpr int mostTold = 12;

}  // namespace

// Under the node that it is of, where the tree has it; else a node of its own.
void RigTree::buildDictionaries(QTreeWidgetItem* busItem, std::uint8_t bus)
{
    for (const auto& [of, dictionary] : stage_.document().databases().dictionaries) {
        if (of.first != stage_.catalog().busName(bus))
            continue;
        const QString name = stage_.protocols().nameOf(bus, protocol::Party::node(of.second));
        QTreeWidgetItem* node = nullptr;
        for (QTreeWidgetItem* one : nodes_.values(name))
            if (one->data(0, busRole).toUInt() == bus)
                node = one;
        if (node == nullptr) {
            node = new QTreeWidgetItem(busItem, {name.isEmpty() ? tr("node %1").arg(of.second) : name});
            node->setData(0, levelRole, nodeLevel);
            node->setData(1, levelRole, nodeLevel);
            node->setData(0, busRole, bus);
            nodes_.insert(node->text(0), node);
        }
        auto* item = new QTreeWidgetItem(node, {tr("objects"), tr("node %1, %2").arg(of.second).arg(dictionary->entries.size())});
        for (const int column : {0, 1})
            item->setData(column, levelRole, dictionaryLevel);
        item->setData(0, busRole, bus);
        item->setData(0, idRole, of.second);
        sayContradictions(item);
        // They come when they are looked at: there may be tens of thousands.
        item->setChildIndicatorPolicy(QTreeWidgetItem::ShowIndicator);
    }
}

void RigTree::populateObjects(QTreeWidgetItem* item)
{
    const int level = item->data(0, levelRole).toInt();
    if (item->childCount() > 0 || (level != dictionaryLevel && level != indexLevel))
        return;
    const auto bus = static_cast<std::uint8_t>(item->data(0, busRole).toUInt());
    const auto node = static_cast<std::uint8_t>(item->data(0, idRole).toUInt());
    const protocol::Dictionary* dictionary = stage_.protocols().dictionaryOf(bus, node);
    if (dictionary == nullptr)
        return;
    QList<QTreeWidgetItem*> children;
    const auto child = [&](Level of, const QString& words, std::uint32_t key) {
        auto* made = new QTreeWidgetItem({words});
        for (const int column : {0, 1})
            made->setData(column, levelRole, of);
        made->setData(0, busRole, bus);
        made->setData(0, idRole, node);
        made->setData(0, signalRole, key);
        children.push_back(made);
        return made;
    };
    const auto hex = [](unsigned number, int digits) { return QStringLiteral("%1").arg(number, digits, 16, QLatin1Char('0')).toUpper(); };
    if (level == indexLevel) {
        const std::uint32_t index = item->data(0, signalRole).toUInt();
        for (auto entry = dictionary->entries.lower_bound(index << 8); entry != dictionary->entries.end() && entry->first >> 8 == index;
            ++entry)
            child(objectLevel, QStringLiteral(":%1 %2").arg(hex(entry->first & 0xFFU, 2), text(entry->second.name)), entry->first);
        item->addChildren(children);
        return;
    }
    for (auto entry = dictionary->entries.begin(); entry != dictionary->entries.end();) {
        const std::uint32_t index = entry->first >> 8;
        const auto behind = dictionary->entries.upper_bound(index << 8 | 0xFFU);
        const auto name = dictionary->objects.find(static_cast<std::uint16_t>(index));
        const bool several = name != dictionary->objects.end() || std::next(entry) != behind;
        const QString words = QStringLiteral("0x%1 %2").arg(
            hex(index, 4), text(name != dictionary->objects.end() ? name->second : entry->second.name));
        if (several)
            child(indexLevel, words, index)->setChildIndicatorPolicy(QTreeWidgetItem::ShowIndicator);
        else
            child(objectLevel, words, entry->first);
        entry = behind;
    }
    item->addChildren(children);
}

// How many objects the traffic says otherwise of.
void RigTree::sayContradictions(QTreeWidgetItem* item)
{
    const auto bus = static_cast<std::uint8_t>(item->data(0, busRole).toUInt());
    const auto node = static_cast<std::uint8_t>(item->data(0, idRole).toUInt());
    const auto& found = stage_.protocols().contradictionsOf(bus, node);
    const protocol::Dictionary* dictionary = stage_.protocols().dictionaryOf(bus, node);
    if (dictionary == nullptr)
        return;
    item->setText(1, found.empty() ? tr("node %1, %2").arg(node).arg(dictionary->entries.size())
                                   : tr("%n contradicted", nullptr, static_cast<int>(found.size())));
    QStringList tip{text(dictionary->path)};
    for (const protocol::Contradiction& one : found)
        if (tip.size() < mostTold)
            tip << QStringLiteral("0x%1:%2 %3")
                       .arg(QStringLiteral("%1").arg(one.place.index, 4, 16, QLatin1Char('0')).toUpper())
                       .arg(one.place.sub, 2, 16, QLatin1Char('0'))
                       .arg(text(one.words));
    for (const Error& problem : dictionary->problems)
        if (tip.size() < mostTold)
            tip << text(problem.text());
    item->setToolTip(0, tip.join(QLatin1Char('\n')));
}

// Of the node that it is dropped on; else somebody is asked which one.
void RigTree::attachDictionary(const QString& path, const QTreeWidgetItem* on)
{
    const QTreeWidgetItem* bus = on;
    QString name;
    for (; bus != nullptr && bus->parent() != nullptr; bus = bus->parent())
        if (bus->data(0, levelRole).toInt() == nodeLevel)
            name = bus->text(0);
    if (bus == nullptr) {
        result_->setText(tr("Drop it on the node that it is of."));
        result_->show();
        return;
    }
    const auto index = static_cast<std::uint8_t>(bus->data(0, busRole).toUInt());
    int node = 0;
    for (int number = 1; number < 128 && node == 0 && !name.isEmpty(); ++number)
        if (stage_.protocols().nameOf(index, protocol::Party::node(static_cast<std::uint8_t>(number))) == name)
            node = number;
    if (node == 0) {
        bool told = false;
        node = QInputDialog::getInt(this, tr("Dictionary"), tr("Number of the node on %1:").arg(bus->text(0)), 1, 1, 127, 1, &told);
        if (!told)
            return;
    }
    if (const auto done = stage_.protocols().attachDictionary(bus->text(0).toStdString(), static_cast<std::uint8_t>(node), path); !done)
        QMessageBox::warning(this, tr("Wavetrope"), text(done.error().text()));
}

}  // namespace wavetrope::app
