// SPDX-License-Identifier: GPL-3.0-or-later
// Bus, node, message, signal: found by typing, dragged onto views, opened in the inspector.
#pragma once

#include <QLabel>
#include <QLineEdit>
#include <QTreeWidget>
#include <QWidget>

#include "app/stage/stage.h"

namespace wavetrope::app {

/// The tree with its find box. Where a bus has one database, its level is left out.
class RigTree : public QWidget {
    Q_OBJECT
public:
    explicit RigTree(Stage& stage, QWidget* parent = nullptr);
    [[nodiscard]] QLineEdit* findBox() { return find_; }
    [[nodiscard]] QTreeWidget* tree();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

private:
    enum Role { levelRole = Qt::UserRole, busRole, idRole, signalRole, pathRole, fileRole };
    enum Level {
        busLevel,
        databaseLevel,
        nodeLevel,
        messageLevel,
        signalLevel,
        missingLevel,
        derivedLevel,
        dictionaryLevel,
        indexLevel,
        objectLevel
    };
    class Delegate;
    class Tree;
    void build();
    void buildDerived();
    void rebuildKeeping();
    void buildDictionaries(QTreeWidgetItem* busItem, std::uint8_t bus);
    void populateObjects(QTreeWidgetItem* item);
    void sayContradictions(QTreeWidgetItem* item);
    void attachDictionary(const QString& path, const QTreeWidgetItem* on);
    void populate(QTreeWidgetItem* item);
    [[nodiscard]] const database::CatalogMessage* messageOf(const QTreeWidgetItem* item) const;
    [[nodiscard]] std::size_t shape() const;
    void pointTo(QTreeWidgetItem* item);
    void attach(const QString& path, const QPoint& at);
    void find(const QString& text);
    void refreshValues();
    void onCurrent(QTreeWidgetItem* item);
    [[nodiscard]] static Selection selectionOf(const QTreeWidgetItem* item);
    /// Marks what was chosen elsewhere: itself where it is in sight, else what it is folded into.
    void mark();
    void activate(QTreeWidgetItem* item);
    void showMenu(const QPoint& at);

    Stage& stage_;
    QLineEdit* find_;
    Tree* tree_;
    QLabel* result_;
    unsigned beats_ = 0;
    bool building_ = false;         // rows come and go, and nobody chooses one
    std::size_t shape_ = 0;
    QHash<std::uint64_t, QTreeWidgetItem*> messages_;   // by bus and identifier
    QMultiHash<QString, QTreeWidgetItem*> nodes_;       // each once on every bus that it sends on
};

}  // namespace wavetrope::app
