// SPDX-License-Identifier: GPL-3.0-or-later
// The editor of signal databases.
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>

#include "app/layout/layout_widget.h"
#include "app/paint/row_list.h"
#include "app/parts/field_grid.h"
#include "app/stage/desk.h"
#include "app/stage/plot.h"
#include "app/stage/view.h"
#include "database/search.h"
#include "measure/signal_series.h"

namespace wavetrope::app {

class DatabaseView;

/// Messages of the open database by sender, and the signals that a search finds.
class MessageRows : public RowList {
    Q_OBJECT
public:
    explicit MessageRows(Desk& desk, Stage& stage);

    void rebuild();
    void find(const QString& text);
    [[nodiscard]] std::uint64_t count() const override { return rows_.size(); }
    [[nodiscard]] std::int64_t current() const override;
    void choose(std::uint64_t index) override;
    [[nodiscard]] QString rowText(std::uint64_t index) const override;

Q_SIGNALS:
    void messageChosen();       ///< By its row, or one of its signals.

protected:
    void paintRow(QPainter& painter, int y, std::uint64_t index) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    [[nodiscard]] QString emptyText() const override;

private:
    struct Row {
        std::uint32_t message = 0;      // uid; 0 for the heading of a sender
        std::uint32_t signal = 0;
        std::string text;
        std::string side;
    };
    Desk& desk_;
    Stage& stage_;
    database::SearchIndex index_;
    QString wanted_;
    std::vector<Row> rows_;
};

/// Fields of a message and of its chosen signal, the layout between them, and the signal over time. Every field takes
/// effect when it is left or Enter is pressed, and every edit can be undone.
class DatabaseView : public View {
    Q_OBJECT
public:
    /// Saves the open database; the rig's own definitions with the rig. False where it was not saved.
    bool saveCurrent();
    explicit DatabaseView(Stage& stage);

    QWidget* tools() override { return tools_; }
    [[nodiscard]] LayoutWidget* layoutWidget() { return layout_; }
    [[nodiscard]] Desk& desk() { return desk_; }
    void undo(bool redo);
    bool step(bool redo) override { return desk_.stepBack(redo); }
    [[nodiscard]] bool takes(Wish::For what) const override { return what == Wish::For::definition; }
    void present(const Wish& wish) override;
    /// Opens the definition of an identifier, or makes one among the rig's own.
    void define(std::uint8_t bus, can::Identifier id);
    /// Asks where that is needed; true when it is saved.
    void copy();
    void paste();

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void showEvent(QShowEvent* event) override;

private:
    QLineEdit* field(const char* name, const QString& tip);
    void begin();
    void tellChosen();
    void followSelection();
    void buildTools();
    void buildForms(QWidget* parent, QVBoxLayout* column);
    void buildMenu();
    void fillEntries();
    void setField(const char* name, const QString& value);
    void fill();
    void fillSignal();
    void refresh();
    void refreshLayout();
    void restyle();
    void newMessage();
    void newSignal(unsigned least, unsigned length);
    // What a field says now; it is the one that is taken in.
    QString take(const char* name);
    void takeMessage(const char* name);
    void takeSignal(const char* name);
    void takeStartValue(const QString& value);
    void takeOrder();
    void takeKind();
    void putSignal(database::Signal signal);
    void resetPlot();
    void showChosen();
    void askAboutDisk();
    void exportAs();
    void attachFile(const QString& path);
    /// After which files the buses have was changed: shows one of them.
    void rearranged(std::size_t index);
    /// Own copy of the chosen message for the picture and the plot, so that both follow an edit at once.
    [[nodiscard]] int chosenSignalIndex() const;

    Desk& desk_;
    QSplitter* across_;
    bool divided_ = false;          // somebody said how wide the list is
    QWidget* tools_;
    QScrollArea* bodyScroll_;
    QComboBox* entries_;
    QToolButton* more_;
    QPushButton* save_;
    QLabel* facts_;
    QLineEdit* find_;
    MessageRows* rows_;
    QLabel* problem_;
    void placeProblem();
    QString taking_;                // the field whose text is being taken in
    QWidget* disk_;
    FieldGrid* messageForm_;
    FieldGrid* signalForm_;
    QWidget* selectors_;
    QHBoxLayout* selectorLine_;
    std::vector<std::pair<int, QComboBox*>> selectorBoxes_;
    QScrollArea* layoutScroll_;
    LayoutWidget* layout_;
    QLabel* hint_;
    TimePlot* plot_;
    QCPGraph* graph_;
    QLabel* empty_;
    std::map<QString, QLineEdit*> fields_;
    QComboBox* sender_;
    QComboBox* frame_;
    QComboBox* order_;
    QComboBox* kind_;
    bool filling_ = false;
    bool begun_ = false;            // databases are read when the view is first seen

    std::unique_ptr<database::Message> own_;
    std::unique_ptr<database::CatalogMessage> plan_;
    std::unique_ptr<measure::SignalSeries> series_;
    std::vector<std::int64_t> selected_;
    unsigned beats_ = 0;
    int shownSignal_ = -1;
    std::uint32_t shownMessage_ = 0;
};

}  // namespace wavetrope::app
