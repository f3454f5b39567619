// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/database/network_dialog.h"

#include <QDialogButtonBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QPushButton>
#include <QTabWidget>
#include <QVBoxLayout>

#include "app/parts/named.h"
#include "app/parts/screen_room.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "database/codec.h"
#include "database/field_text.h"

namespace wavetrope::app {

namespace {

constexpr const char* owners[] = {"network", "node", "message", "signal", "variable", "node-message", "node-signal", "node-variable"};
constexpr const char* types[] = {"integer", "hexadecimal", "float", "text", "enumeration"};

template <std::size_t count>
int indexOf(const char* const (&words)[count], const QString& word)
{
    for (std::size_t i = 0; i < count; ++i)
        if (word.compare(QLatin1String(words[i]), Qt::CaseInsensitive) == 0)
            return static_cast<int>(i);
    return -1;
}

constexpr const char* variableTypes[] = {"integer", "float", "text"};

bool readRange(const QString& words, double& low, double& high)
{
    const QStringList ends = words.split(QStringLiteral(" to "));
    bool a = false;
    bool b = false;
    low = ends.front().toDouble(&a);
    high = ends.back().toDouble(&b);
    return ends.size() == 2 && a && b;
}

// "0 to 100" of a number's definition, "off, on" of an enumeration's.
QString limitsText(const database::AttributeDefinition& d)
{
    if (d.type == database::AttributeType::enumeration) {
        QStringList choices;
        for (const std::string& choice : d.choices)
            choices << text(choice);
        return choices.join(QStringLiteral(", "));
    }
    return d.minimum && d.maximum
               ? QStringLiteral("%1 to %2").arg(text(database::numberText(*d.minimum, 12)), text(database::numberText(*d.maximum, 12)))
               : QString();
}

database::AttributeValue valueFrom(const QString& typed, const database::AttributeDefinition& definition)
{
    if (definition.type == database::AttributeType::text)
        return database::AttributeValue::of(typed.toStdString());
    if (definition.type == database::AttributeType::enumeration) {
        const auto found = std::find(definition.choices.begin(), definition.choices.end(), typed.trimmed().toStdString());
        if (found != definition.choices.end())
            return database::AttributeValue::of(static_cast<double>(found - definition.choices.begin()));
        return database::AttributeValue::of(typed.toStdString());
    }
    bool good = false;
    const QString trimmed = typed.trimmed();
    const double number = trimmed.startsWith(QLatin1String("0x"), Qt::CaseInsensitive)
                              ? static_cast<double>(trimmed.mid(2).toULongLong(&good, 16))
                              : trimmed.toDouble(&good);
    return good ? database::AttributeValue::of(number) : database::AttributeValue::of(typed.toStdString());
}

}  // namespace

NetworkDialog::NetworkDialog(Desk& desk, QWidget* parent)
    : QDialog(parent), desk_(desk), tabs_(new QTabWidget), problem_(new QLabel), add_(new QPushButton), remove_(new QPushButton)
{
    setObjectName(QStringLiteral("networkDialog"));
    setWindowTitle(tr("Nodes, tables and attributes"));
    resize(withinScreen(*this, {800, 480}));
    auto* column = new QVBoxLayout(this);
    column->addWidget(tabs_, 1);
    nodes_ = table("networkNodes", tr("Nodes"), {tr("node"), tr("comment")}, tr("A double click changes a cell"));
    tables_ = table("networkTables", tr("Value tables"), {tr("table"), tr("value texts")}, tr("Texts as 0 = off; 1 = on"));
    definitions_ = table("networkDefinitions", tr("Attributes"),
        {tr("of"), tr("attribute"), tr("type"), tr("range or choices"), tr("default")},
        tr("Of: network, node, message, signal and their relations. Type: integer, hexadecimal, float, text, enumeration"));
    variables_ = table("networkVariables", tr("Variables"),
        {tr("variable"), tr("type"), tr("range"), tr("unit"), tr("initial"), tr("nodes"), tr("value texts"), tr("comment")},
        tr("Variables of the environment, which are part of no frame. Type: integer, float, text"));
    values_ = table("networkValues", tr("Values"), {tr("object"), tr("attribute"), tr("value")},
        tr("Of the network, of the chosen message, its signal and its nodes, of variables and of relations; empty for the default"));
    named(add_, "networkAdd", tr("Begins a new row at the end of the table"));
    named(remove_, "networkRemove", tr("Takes the chosen row out, Delete; Ctrl+Z brings it back"));
    auto* rowButtons = new QHBoxLayout;
    rowButtons->addWidget(add_);
    rowButtons->addWidget(remove_);
    rowButtons->addStretch(1);
    column->addLayout(rowButtons);
    for (QPushButton* button : {add_, remove_})
        button->setAutoDefault(false);      // Return ends the typing in a cell
    connect(add_, &QPushButton::clicked, this, &NetworkDialog::addRow);
    connect(remove_, &QPushButton::clicked, this, &NetworkDialog::removeRow);
    connect(tabs_, &QTabWidget::currentChanged, this, &NetworkDialog::showButtons);
    problem_->setStyleSheet(QStringLiteral("color: %1;").arg(Theme::get().error.name()));
    problem_->setWordWrap(true);
    column->addWidget(problem_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::accept);
    column->addWidget(buttons);
    connect(nodes_, &QTableWidget::cellChanged, this, &NetworkDialog::takeNode);
    connect(tables_, &QTableWidget::cellChanged, this, &NetworkDialog::takeTable);
    connect(definitions_, &QTableWidget::cellChanged, this, &NetworkDialog::takeDefinition);
    connect(variables_, &QTableWidget::cellChanged, this, &NetworkDialog::takeVariable);
    connect(values_, &QTableWidget::cellChanged, this, &NetworkDialog::takeValue);
    connect(&desk_, &Desk::edited, this, &NetworkDialog::fill);
    connect(&desk_, &Desk::problemChanged, this, [this] { problem_->setText(desk_.problem()); });
    fill();
    showButtons();
}

QTableWidget* NetworkDialog::table(const char* name, const QString& title, const QStringList& heads, const QString& tip)
{
    auto* widget = new QTableWidget(0, static_cast<int>(heads.size()));
    widget->setObjectName(QLatin1String(name));
    widget->setHorizontalHeaderLabels(heads);
    widget->horizontalHeader()->setStretchLastSection(true);
    widget->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    widget->verticalHeader()->hide();
    widget->setToolTip(tip);
    widget->setAccessibleName(title);
    widget->setSelectionBehavior(QAbstractItemView::SelectRows);
    widget->setSelectionMode(QAbstractItemView::SingleSelection);
    widget->setShowGrid(false);
    widget->verticalHeader()->setDefaultSectionSize(Theme::get().rowHeight() + 4);
    widget->setTabKeyNavigation(false);     // Tab leaves the table; the arrow keys go through it
    connect(widget, &QTableWidget::itemSelectionChanged, this, &NetworkDialog::showButtons);
    tabs_->addTab(widget, title);
    return widget;
}

void NetworkDialog::fill()
{
    filling_ = true;
    const database::Database& db = desk_.database();
    const auto put = [](QTableWidget* table, int row, const QStringList& cells, quint32 uid) {
        for (int column = 0; column < cells.size(); ++column) {
            auto* item = new QTableWidgetItem(cells[column]);
            item->setData(Qt::UserRole, uid);
            table->setItem(row, column, item);
        }
    };
    nodes_->setRowCount(static_cast<int>(db.nodes.size()) + 1);
    for (std::size_t i = 0; i < db.nodes.size(); ++i)
        put(nodes_, static_cast<int>(i), {text(db.nodes[i].name), text(db.nodes[i].comment)}, db.nodes[i].uid);
    put(nodes_, static_cast<int>(db.nodes.size()), {QString(), QString()}, 0);
    tables_->setRowCount(static_cast<int>(db.tables.size()) + 1);
    for (std::size_t i = 0; i < db.tables.size(); ++i)
        put(tables_, static_cast<int>(i), {text(db.tables[i].name), text(database::textsText(db.tables[i].texts))}, db.tables[i].uid);
    put(tables_, static_cast<int>(db.tables.size()), {QString(), QString()}, 0);
    definitions_->setRowCount(static_cast<int>(db.definitions.size()) + 1);
    for (std::size_t i = 0; i < db.definitions.size(); ++i) {
        const database::AttributeDefinition& d = db.definitions[i];
        put(definitions_, static_cast<int>(i),
            {QLatin1String(owners[static_cast<unsigned>(d.owner)]), text(d.name), QLatin1String(types[static_cast<unsigned>(d.type)]),
                limitsText(d), d.standard ? text(d.wordsOf(*d.standard)) : QString()},
            d.uid);
    }
    put(definitions_, static_cast<int>(db.definitions.size()), {QString(), QString(), QString(), QString(), QString()}, 0);

    variables_->setRowCount(static_cast<int>(db.variables.size()) + 1);
    for (std::size_t i = 0; i < db.variables.size(); ++i) {
        const database::Variable& v = db.variables[i];
        QStringList nodes;
        for (const std::string& node : v.nodes)
            nodes << text(node);
        put(variables_, static_cast<int>(i),
            {text(v.name), QLatin1String(variableTypes[v.holdsText() ? 2 : std::min(v.type, 1U)]),
                tr("%1 to %2").arg(text(database::numberText(v.minimum, 12)), text(database::numberText(v.maximum, 12))), text(v.unit),
                text(database::numberText(v.initial, 12)), nodes.join(QStringLiteral(", ")), text(database::textsText(v.texts)),
                text(v.comment)},
            v.uid);
    }
    put(variables_, static_cast<int>(db.variables.size()), QStringList(8, QString()), 0);

    fillValues();
    // As wide as what they say, within bounds; after that as the user drags them.
    if (!sized_)
        for (QTableWidget* table : {nodes_, tables_, definitions_, variables_, values_}) {
            table->resizeColumnsToContents();
            for (int column = 0; column + 1 < table->columnCount(); ++column)
                table->setColumnWidth(
                    column, std::clamp(table->columnWidth(column) + Theme::get().px(8), Theme::get().px(56), Theme::get().px(250)));
        }
    sized_ = true;
    filling_ = false;
    showButtons();
}

// One row for each attribute that is defined for the network, for what is chosen, for every variable and for the
// relations of these.
void NetworkDialog::fillValues()
{
    const database::Database& db = desk_.database();
    const database::Message* message = desk_.message();
    const database::Signal* signal = desk_.signal();
    valueRows_.clear();
    values_->setRowCount(0);
    const auto add = [&](const QString& object, const database::AttributeDefinition& d, const database::AttributeValue* value,
                         ValueRow row) {
        const int at = values_->rowCount();
        values_->insertRow(at);
        const QStringList cells{object, text(d.name), value != nullptr ? text(d.wordsOf(*value)) : QString()};
        for (int column = 0; column < 3; ++column)
            values_->setItem(at, column, new QTableWidgetItem(cells[column]));
        for (const int fixed : {0, 1})
            values_->item(at, fixed)->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        values_->item(at, 2)->setToolTip(
            d.standard ? tr("Empty: the default, %1").arg(text(d.wordsOf(*d.standard))) : tr("Empty: no value"));
        row.definition = d.uid;
        valueRows_.push_back(std::move(row));
    };
    const auto values = [&](database::AttributeOwner owner, const QString& object, std::uint32_t uid,
                            const database::AttributeValues& list) {
        for (const database::AttributeDefinition& d : db.definitions)
            if (d.owner == owner)
                add(object, d, list.find(d.name), {0, uid, {}});
    };
    // Of the relations that the model knows of, and those that the file gives a value.
    const auto relations = [&](database::AttributeOwner owner, std::vector<std::string> nodes, std::uint32_t ofMessage,
                               const std::string& ofObject) {
        for (const database::Relation& r : db.network.relations)
            if (r.owner == owner && r.message == ofMessage && r.object == ofObject
                && std::find(nodes.begin(), nodes.end(), r.node) == nodes.end())
                nodes.push_back(r.node);
        for (const database::AttributeDefinition& d : db.definitions) {
            if (d.owner != owner)
                continue;
            for (const std::string& node : nodes) {
                if (node.empty())
                    continue;
                const database::Relation relation{0, owner, d.name, node, ofMessage, ofObject, {}};
                const database::AttributeValue* value = nullptr;
                for (const database::Relation& r : db.network.relations)
                    if (r.owner == owner && r.attribute == d.name && r.node == node && r.message == ofMessage && r.object == ofObject)
                        value = &r.value;
                const QString object = ofObject.empty() && message != nullptr ? text(message->name) : text(ofObject);
                add(tr("%1 with %2").arg(text(node), object), d, value, {0, 0, relation});
            }
        }
    };
    values(database::AttributeOwner::network, tr("network"), 0, db.network.attributes);
    for (const database::Node& node : db.nodes)
        if (message != nullptr && node.name == message->sender)
            values(database::AttributeOwner::node, tr("node %1").arg(text(node.name)), node.uid, node.attributes);
    if (message != nullptr) {
        values(database::AttributeOwner::message, text(message->name), message->uid, message->attributes);
        std::vector<std::string> senders = message->moreSenders;
        senders.insert(senders.begin(), message->sender);
        relations(database::AttributeOwner::nodeMessage, std::move(senders), message->uid, {});
    }
    if (signal != nullptr) {
        values(database::AttributeOwner::signal, text(message->name + "." + signal->name), signal->uid, signal->attributes);
        relations(database::AttributeOwner::nodeSignal, signal->receivers, message->uid, signal->name);
    }
    for (const database::Variable& variable : db.variables) {
        values(database::AttributeOwner::variable, tr("variable %1").arg(text(variable.name)), variable.uid, variable.attributes);
        relations(database::AttributeOwner::nodeVariable, variable.nodes, 0, variable.name);
    }
}

void NetworkDialog::takeVariable(int row, int)
{
    const auto cell = [&](int column) { return variables_->item(row, column)->text().trimmed(); };
    if (filling_ || cell(0).isEmpty())
        return;
    database::Variable variable;
    const quint32 uid = variables_->item(row, 0)->data(Qt::UserRole).toUInt();
    for (const database::Variable& known : desk_.database().variables)
        if (known.uid == uid)
            variable = known;
    variable.name = cell(0).toStdString();
    if (!cell(1).isEmpty()) {
        const int type = indexOf(variableTypes, cell(1));
        if (type < 0)
            return desk_.say(tr("'%1': expected integer, float or text").arg(cell(1)));
        variable.setType(static_cast<unsigned>(type));
    }
    if (!cell(2).isEmpty() && !readRange(cell(2), variable.minimum, variable.maximum))
        return desk_.say(tr("'%1': expected a range such as 0 to 100").arg(cell(2)));
    variable.unit = cell(3).toStdString();
    bool good = true;
    variable.initial = cell(4).isEmpty() ? 0 : cell(4).toDouble(&good);
    if (!good)
        return desk_.say(tr("'%1': expected a number").arg(cell(4)));
    variable.nodes = database::wordsFromText(cell(5).toStdString());
    auto texts = database::textsFromText(cell(6).toStdString());
    if (!texts)
        return desk_.say(text(texts.error().text()));
    variable.texts = std::move(*texts);
    variable.comment = cell(7).toStdString();
    if (!desk_.apply(desk_.editor().putVariable(variable, uid == 0 ? "new variable" : "change variable")))
        fill();
}

void NetworkDialog::takeNode(int row, int)
{
    if (filling_)
        return;
    const auto cell = [&](int column) { return nodes_->item(row, column)->text().trimmed().toStdString(); };
    database::Node node;
    const quint32 uid = nodes_->item(row, 0)->data(Qt::UserRole).toUInt();
    for (const database::Node& known : desk_.database().nodes)
        if (known.uid == uid)
            node = known;
    node.name = cell(0);
    node.comment = cell(1);
    if (!desk_.apply(desk_.editor().putNode(node, uid == 0 ? "new node" : "change node")))
        fill();
}

void NetworkDialog::takeTable(int row, int)
{
    if (filling_ || tables_->item(row, 0)->text().trimmed().isEmpty())
        return;
    const auto texts = database::textsFromText(tables_->item(row, 1)->text().toStdString());
    if (!texts) {
        desk_.say(text(texts.error().text()));
        return;
    }
    database::ValueTable table{
        tables_->item(row, 0)->data(Qt::UserRole).toUInt(), tables_->item(row, 0)->text().trimmed().toStdString(), *texts};
    if (!desk_.apply(desk_.editor().putTable(table, "change table")))
        fill();
}

void NetworkDialog::takeDefinition(int row, int)
{
    const auto cell = [&](int column) { return definitions_->item(row, column)->text().trimmed(); };
    if (filling_ || cell(0).isEmpty() || cell(1).isEmpty() || cell(2).isEmpty())
        return;
    database::AttributeDefinition d;
    d.uid = definitions_->item(row, 0)->data(Qt::UserRole).toUInt();
    const int owner = indexOf(owners, cell(0));
    const int type = indexOf(types, cell(2));
    if (owner < 0)
        return desk_.say(
            tr("'%1': expected network, node, message, signal, variable, node-message, node-signal or node-variable").arg(cell(0)));
    if (type < 0)
        return desk_.say(tr("'%1': expected integer, hexadecimal, float, text or enumeration").arg(cell(2)));
    d.owner = static_cast<database::AttributeOwner>(owner);
    d.type = static_cast<database::AttributeType>(type);
    d.name = cell(1).toStdString();
    if (d.type == database::AttributeType::enumeration) {
        for (const QString& choice : cell(3).split(QLatin1Char(','), Qt::SkipEmptyParts))
            d.choices.push_back(choice.trimmed().toStdString());
        if (d.choices.empty())
            return;  // the choices come next
    } else if (!cell(3).isEmpty()) {
        double low = 0;
        double high = 0;
        if (!readRange(cell(3), low, high))
            return desk_.say(tr("'%1': expected a range such as 0 to 100").arg(cell(3)));
        d.minimum = low;
        d.maximum = high;
    }
    if (!cell(4).isEmpty())
        d.standard = valueFrom(cell(4), d);
    if (!desk_.apply(desk_.editor().putDefinition(d, "change attribute")))
        fill();
}

void NetworkDialog::takeValue(int row, int column)
{
    if (filling_ || column != 2)
        return;
    const ValueRow chosen = valueRows_[static_cast<std::size_t>(row)];
    const database::Database& db = desk_.database();
    const QString typed = values_->item(row, 2)->text();
    const auto found = std::find_if(
        db.definitions.begin(), db.definitions.end(), [&](const auto& d) { return d.uid == chosen.definition; });
    if (found == db.definitions.end())
        return;
    const database::AttributeDefinition& d = *found;
    const std::string title = "attribute " + d.name;
    // Changes the attributes of a copy of the object of the row.
    const auto changed = [&](auto object) {
        if (typed.isEmpty())
            object.attributes.remove(d.name);
        else
            object.attributes.set(d.name, valueFrom(typed, d));
        return object;
    };
    const auto of = [&](const auto& list) {
        return std::find_if(list.begin(), list.end(), [&](const auto& o) { return o.uid == chosen.object; });
    };
    switch (d.owner) {
    case database::AttributeOwner::network: desk_.apply(desk_.editor().putNetwork(changed(db.network), title)); break;
    case database::AttributeOwner::node:
        if (const auto node = of(db.nodes); node != db.nodes.end())
            desk_.apply(desk_.editor().putNode(changed(*node), title));
        break;
    case database::AttributeOwner::message:
        if (desk_.message() != nullptr)
            desk_.apply(desk_.editor().putMessage(changed(*desk_.message()), title));
        break;
    case database::AttributeOwner::signal:
        if (desk_.signal() != nullptr)
            desk_.apply(desk_.editor().putSignal(desk_.message()->uid, changed(*desk_.signal()), title));
        break;
    case database::AttributeOwner::variable:
        if (const auto variable = of(db.variables); variable != db.variables.end())
            desk_.apply(desk_.editor().putVariable(changed(*variable), title));
        break;
    default:
        desk_.apply(desk_.editor().putRelation(chosen.relation, typed.isEmpty() ? std::nullopt : std::optional(valueFrom(typed, d))));
        break;
    }
}

void NetworkDialog::addRow()
{
    auto* table = qobject_cast<QTableWidget*>(tabs_->currentWidget());
    if (table == nullptr || table == values_ || table->rowCount() == 0)
        return;
    table->setFocus();
    table->setCurrentCell(table->rowCount() - 1, 0);
    table->scrollToItem(table->currentItem());
    table->editItem(table->currentItem());
}

void NetworkDialog::showButtons()
{
    auto* table = qobject_cast<QTableWidget*>(tabs_->currentWidget());
    const auto* item = table == nullptr || table->selectedItems().isEmpty() ? nullptr : table->item(table->currentRow(), 0);
    add_->setText(table == nodes_         ? tr("Add node")
                  : table == tables_      ? tr("Add value table")
                  : table == definitions_ ? tr("Add attribute")
                                          : tr("Add variable"));
    remove_->setText(table == values_ ? tr("Back to the default") : tr("Remove"));
    add_->setVisible(table != values_);
    remove_->setEnabled(
        item != nullptr
        && (table == values_ ? !table->item(table->currentRow(), 2)->text().isEmpty() : item->data(Qt::UserRole).toUInt() != 0));
}

void NetworkDialog::removeRow()
{
    auto* table = qobject_cast<QTableWidget*>(tabs_->currentWidget());
    const QTableWidgetItem* item = table == nullptr ? nullptr : table->item(table->currentRow(), 0);
    if (item != nullptr && table == values_)
        return table->item(table->currentRow(), 2)->setText(QString());
    const quint32 uid = item == nullptr ? 0 : item->data(Qt::UserRole).toUInt();
    if (uid == 0)
        return;
    desk_.apply(table == nodes_       ? desk_.editor().removeNode(uid)
                : table == variables_ ? desk_.editor().removeVariable(uid)
                : table == tables_    ? desk_.editor().removeTable(uid)
                                      : desk_.editor().removeDefinition(uid));
}

void NetworkDialog::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Delete)
        removeRow();
    else
        QDialog::keyPressEvent(event);
}

}  // namespace wavetrope::app
