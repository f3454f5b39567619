#include "app/database/network_dialog.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QKeyEvent>
#include <QTabWidget>
#include <QVBoxLayout>

#include "app/theme/theme.h"
#include "database/codec.h"
#include "database/field_text.h"

namespace wavetrope::app {

namespace {

constexpr const char* owners[] = {"network", "node", "message", "signal", "variable", "node-message", "node-signal", "node-variable"};
constexpr const char* types[] = {"integer", "hexadecimal", "float", "text", "enumeration"};

QString text(const std::string& s) { return QString::fromStdString(s); }

template <std::size_t count>
int indexOf(const char* const (&words)[count], const QString& word)
{
    for (std::size_t i = 0; i < count; ++i)
        if (word.compare(QLatin1String(words[i]), Qt::CaseInsensitive) == 0)
            return static_cast<int>(i);
    return -1;
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
    return d.minimum && d.maximum ? QStringLiteral("%1 to %2").arg(text(database::numberText(*d.minimum, 12)), text(database::numberText(*d.maximum, 12))) : QString();
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
    const double number = trimmed.startsWith(QLatin1String("0x"), Qt::CaseInsensitive) ? static_cast<double>(trimmed.mid(2).toULongLong(&good, 16)) : trimmed.toDouble(&good);
    return good ? database::AttributeValue::of(number) : database::AttributeValue::of(typed.toStdString());
}

}  // namespace

NetworkDialog::NetworkDialog(Desk& desk, QWidget* parent) : QDialog(parent), desk_(desk), tabs_(new QTabWidget), problem_(new QLabel)
{
    setObjectName(QStringLiteral("networkDialog"));
    setWindowTitle(tr("Nodes, tables and attributes"));
    resize(720, 460);
    auto* column = new QVBoxLayout(this);
    column->addWidget(tabs_, 1);
    nodes_ = table("networkNodes", tr("Nodes"), {tr("node"), tr("says")}, tr("Type in the last row to add a node; Delete takes the chosen one out"));
    tables_ = table("networkTables", tr("Value tables"), {tr("table"), tr("texts")}, tr("Texts as 0 = off; 1 = on"));
    definitions_ = table("networkDefinitions", tr("Attributes"), {tr("of"), tr("attribute"), tr("type"), tr("range or choices"), tr("default")}, tr("Of: network, node, message, signal and their relations. Type: integer, hexadecimal, float, text, enumeration"));
    values_ = table("networkValues", tr("Values"), {tr("object"), tr("attribute"), tr("value")}, tr("Of the network, of the chosen message and of its chosen signal; empty for the default"));
    problem_->setStyleSheet(QStringLiteral("color: %1;").arg(Theme::get().error.name()));
    problem_->setWordWrap(true);
    column->addWidget(problem_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::accept);
    column->addWidget(buttons);
    connect(nodes_, &QTableWidget::cellChanged, this, &NetworkDialog::takeNode);
    connect(tables_, &QTableWidget::cellChanged, this, &NetworkDialog::takeTable);
    connect(definitions_, &QTableWidget::cellChanged, this, &NetworkDialog::takeDefinition);
    connect(values_, &QTableWidget::cellChanged, this, &NetworkDialog::takeValue);
    connect(&desk_, &Desk::edited, this, &NetworkDialog::fill);
    connect(&desk_, &Desk::problemChanged, this, [this] { problem_->setText(desk_.problem()); });
    fill();
}

QTableWidget* NetworkDialog::table(const char* name, const QString& title, const QStringList& heads, const QString& tip)
{
    auto* widget = new QTableWidget(0, static_cast<int>(heads.size()));
    widget->setObjectName(QLatin1String(name));
    widget->setHorizontalHeaderLabels(heads);
    widget->horizontalHeader()->setStretchLastSection(true);
    widget->verticalHeader()->hide();
    widget->setToolTip(tip);
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
        put(definitions_, static_cast<int>(i), {QLatin1String(owners[static_cast<unsigned>(d.owner)]), text(d.name), QLatin1String(types[static_cast<unsigned>(d.type)]), limitsText(d), d.standard ? text(d.wordsOf(*d.standard)) : QString()}, d.uid);
    }
    put(definitions_, static_cast<int>(db.definitions.size()), {QString(), QString(), QString(), QString(), QString()}, 0);

    // Values of what is chosen: one row for each attribute that is defined for it.
    values_->setRowCount(0);
    const auto values = [&](database::AttributeOwner owner, const QString& object, const database::AttributeValues& list) {
        for (const database::AttributeDefinition& d : db.definitions) {
            if (d.owner != owner)
                continue;
            const int row = values_->rowCount();
            values_->insertRow(row);
            const database::AttributeValue* own = list.find(d.name);
            put(values_, row, {object, text(d.name), own != nullptr ? text(d.wordsOf(*own)) : QString()}, d.uid);
            for (const int fixed : {0, 1})
                values_->item(row, fixed)->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        }
    };
    values(database::AttributeOwner::network, tr("network"), db.network.attributes);
    for (const database::Node& node : db.nodes)
        if (desk_.message() != nullptr && node.name == desk_.message()->sender)
            values(database::AttributeOwner::node, tr("node %1").arg(text(node.name)), node.attributes);
    if (desk_.message() != nullptr)
        values(database::AttributeOwner::message, text(desk_.message()->name), desk_.message()->attributes);
    if (desk_.signal() != nullptr)
        values(database::AttributeOwner::signal, text(desk_.message()->name + "." + desk_.signal()->name), desk_.signal()->attributes);
    filling_ = false;
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
    database::ValueTable table{tables_->item(row, 0)->data(Qt::UserRole).toUInt(), tables_->item(row, 0)->text().trimmed().toStdString(), *texts};
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
        return desk_.say(tr("'%1': expected network, node, message, signal, variable, node-message, node-signal or node-variable").arg(cell(0)));
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
        const QStringList ends = cell(3).split(QStringLiteral(" to "));
        bool a = false;
        bool b = false;
        const double low = ends.front().toDouble(&a);
        const double high = ends.back().toDouble(&b);
        if (ends.size() != 2 || !a || !b)
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
    const quint32 uid = values_->item(row, 0)->data(Qt::UserRole).toUInt();
    const QString typed = values_->item(row, 2)->text();
    for (const database::AttributeDefinition& d : desk_.database().definitions) {
        if (d.uid != uid)
            continue;
        const auto change = [&](database::AttributeValues& list) {
            if (typed.isEmpty())
                list.remove(d.name);
            else
                list.set(d.name, valueFrom(typed, d));
        };
        const std::string title = "attribute " + d.name;
        if (d.owner == database::AttributeOwner::network) {
            database::Network network = desk_.database().network;
            change(network.attributes);
            desk_.apply(desk_.editor().putNetwork(network, title));
        } else if (d.owner == database::AttributeOwner::node && desk_.message() != nullptr) {
            if (const database::Node* known = desk_.database().findNode(desk_.message()->sender)) {
                database::Node node = *known;
                change(node.attributes);
                desk_.apply(desk_.editor().putNode(node, title));
            }
        } else if (d.owner == database::AttributeOwner::message && desk_.message() != nullptr) {
            database::Message message = *desk_.message();
            change(message.attributes);
            desk_.apply(desk_.editor().putMessage(message, title));
        } else if (d.owner == database::AttributeOwner::signal && desk_.signal() != nullptr) {
            database::Signal signal = *desk_.signal();
            change(signal.attributes);
            desk_.apply(desk_.editor().putSignal(desk_.message()->uid, signal, title));
        }
        return;
    }
}

void NetworkDialog::removeRow()
{
    auto* table = qobject_cast<QTableWidget*>(tabs_->currentWidget());
    const QTableWidgetItem* item = table == nullptr ? nullptr : table->item(table->currentRow(), 0);
    const quint32 uid = item == nullptr ? 0 : item->data(Qt::UserRole).toUInt();
    if (uid == 0 || table == values_)
        return;
    desk_.apply(table == nodes_ ? desk_.editor().removeNode(uid) : table == tables_ ? desk_.editor().removeTable(uid) : desk_.editor().removeDefinition(uid));
}

void NetworkDialog::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Delete)
        removeRow();
    else
        QDialog::keyPressEvent(event);
}

}  // namespace wavetrope::app
