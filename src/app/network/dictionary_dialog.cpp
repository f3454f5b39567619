// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/network/dictionary_dialog.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QPainter>
#include <QPointer>
#include <QVBoxLayout>

#include <fstream>
#include <iterator>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/replace_file.h"
#include "protocol/dictionary_talk.h"

namespace wavetrope::app {

class DictionaryDialog::Rows : public RowList {
public:
    explicit Rows(DictionaryDialog& dialog) : dialog_(dialog)
    {
        setObjectName(QStringLiteral("differenceRows"));
        setAccessibleName(DictionaryDialog::tr("Objects that differ"));
        setColumns(Columns({
            {"object", DictionaryDialog::tr("object"), DictionaryDialog::tr("Index and sub-index"), 90},
            {"name", DictionaryDialog::tr("name"), DictionaryDialog::tr("As the dictionary calls it"), 220},
            {"file", DictionaryDialog::tr("in the file"), DictionaryDialog::tr("What the file sets it to"), 130},
            {"node", DictionaryDialog::tr("on the node"), DictionaryDialog::tr("What the node has, or why it does not say"), 160, true,
                false, true},
        }));
    }
    std::uint64_t count() const override { return dialog_.rows_.size(); }
    std::int64_t current() const override { return chosen_; }
    void choose(std::uint64_t index) override
    {
        chosen_ = static_cast<std::int64_t>(index);
        viewport()->update();
    }
    QString rowText(std::uint64_t index) const override { return dialog_.rowText(index); }

protected:
    QString emptyText() const override
    {
        return dialog_.waits_            ? DictionaryDialog::tr("Reading all objects of the node...")
               : dialog_.values_.empty() ? DictionaryDialog::tr("Nothing was read yet.")
                                         : DictionaryDialog::tr("The node has what its file says.");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const int height = theme.rowHeight();
        if (static_cast<std::int64_t>(index) == chosen_)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        for (std::size_t place = 0; place < columns_.count(); ++place) {
            const int kind = columns_.kindAt(place);
            paintText(painter, columns_.box(place, y, height), dialog_.rows_[index][kind], kind == 1 ? theme.body() : theme.mono(),
                kind == 2 ? theme.ink2 : theme.ink);
        }
    }

private:
    DictionaryDialog& dialog_;
    std::int64_t chosen_ = -1;
};

DictionaryDialog::DictionaryDialog(Stage& stage, std::uint8_t bus, std::uint8_t node, QWidget* parent)
    : QDialog(parent),
      stage_(stage),
      bus_(bus),
      node_(node),
      list_(new Rows(*this)),
      words_(new QLabel),
      read_(new QPushButton(tr("Read again"))),
      load_(new QPushButton(tr("Load the file's values"))),
      store_(new QPushButton(tr("Store as DCF...")))
{
    setObjectName(QStringLiteral("dictionaryDialog"));
    const QString name = stage.protocols().nameOf(bus, protocol::Party::node(node));
    setWindowTitle(tr("%1 and its dictionary").arg(name.isEmpty() ? tr("Node %1").arg(node) : name));
    const auto& known = stage.document().databases().dictionaries;
    if (const auto found = known.find({stage.document().busName(bus), node}); found != known.end())
        dictionary_ = found->second;
    const Theme& theme = Theme::get();
    resize(theme.px(680), theme.px(420));
    auto* all = new QVBoxLayout(this);
    words_->setObjectName(QStringLiteral("dictionaryWords"));
    words_->setWordWrap(true);
    all->addWidget(words_);
    all->addWidget(list_, 1);
    auto* buttons = new QHBoxLayout;
    auto* close = new QPushButton(tr("Close"));
    read_->setObjectName(QStringLiteral("readAll"));
    read_->setToolTip(tr("Asks the node for all objects that may be read"));
    load_->setObjectName(QStringLiteral("loadAll"));
    load_->setToolTip(tr("Writes what differs from the file and may be written"));
    store_->setObjectName(QStringLiteral("storeAll"));
    store_->setToolTip(tr("The sheet with the node's values in it"));
    for (QPushButton* button : {read_, load_, store_})
        buttons->addWidget(button);
    buttons->addStretch(1);
    buttons->addWidget(close);
    all->addLayout(buttons);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
    connect(read_, &QPushButton::clicked, this, &DictionaryDialog::read);
    connect(load_, &QPushButton::clicked, this, &DictionaryDialog::load);
    connect(store_, &QPushButton::clicked, this, &DictionaryDialog::askStore);
    if (dictionary_ != nullptr)
        read();
    else
        say(tr("No dictionary is known of this node."), true);
}

void DictionaryDialog::say(const QString& words, bool wrong)
{
    words_->setText(words);
    QPalette palette = words_->palette();
    palette.setColor(QPalette::WindowText, wrong ? Theme::get().error : Theme::get().ink2);
    words_->setPalette(palette);
    const bool ready = dictionary_ != nullptr && !waits_;
    read_->setEnabled(ready);
    load_->setEnabled(ready && !rows_.empty());
    store_->setEnabled(ready && !values_.empty());
    list_->refresh();
}

void DictionaryDialog::read() { talk(false); }
void DictionaryDialog::load() { talk(true); }

void DictionaryDialog::talk(bool loads)
{
    const QPointer<DictionaryDialog> self(this);
    auto question = loads ? protocol::dictionaryLoad(node_, *dictionary_) : protocol::dictionaryRead(node_, *dictionary_);
    const auto asked = stage_.protocols().ask(bus_, std::move(question),
        [self, dictionary = dictionary_, node = node_, loads](
            const protocol::Talk& talk, const protocol::Answer& answer, double, double took) -> std::function<void()> {
            const auto& read = dynamic_cast<const protocol::DictionaryRead&>(talk);
            std::vector<QStringList> rows;
            for (const protocol::ObjectDifference& one : protocol::differencesOf(*dictionary, node, read)) {
                char place[16];
                std::snprintf(place, sizeof place, "0x%04X:%02X", one.entry->place.index, one.entry->place.sub);
                rows.push_back({QString::fromLatin1(place), text(dictionary->nameOf(*one.entry)), text(one.file),
                    one.refused.empty() ? text(one.node) : tr("refused: %1").arg(text(one.refused))});
            }
            return [self, rows = std::move(rows), values = read.values(), answer, took, loads]() mutable {
                if (self == nullptr)
                    return;
                self->waits_ = false;
                if (!answer.good)
                    return self->say(text(answer.words), true);
                if (loads)
                    return self->read();    // what the node has now
                self->values_ = std::move(values);
                self->rows_ = std::move(rows);
                const QString file = QFileInfo(text(self->dictionary_->path)).fileName();
                const std::size_t differ = self->rows_.size();
                self->say(tr("%1 objects read in %2 s: %3.")
                              .arg(self->values_.size())
                              .arg(took * 1e-3, 0, 'f', 2)
                              .arg(differ == 0   ? tr("as %1 says").arg(file)
                                   : differ == 1 ? tr("one differs from %1").arg(file)
                                                 : tr("%1 differ from %2").arg(differ).arg(file)),
                    false);
            };
        });
    waits_ = asked.has_value();
    if (asked)
        say(loads ? tr("Writing what differs...") : tr("Reading all objects..."), false);
    else
        say(text(asked.error().text()), true);
}

Expected<void> DictionaryDialog::store(const QString& path) const
{
    std::ifstream file(dictionary_->path, std::ios::binary);
    const std::string sheet(std::istreambuf_iterator<char>(file), {});
    return replaceFile(path.toStdString(), protocol::dcfText(sheet, *dictionary_, node_, values_));
}

void DictionaryDialog::askStore()
{
    const QString path = QFileDialog::getSaveFileName(this, tr("Store what the node has"), {}, tr("Device configuration (*.dcf)"));
    if (path.isEmpty())
        return;
    if (const auto stored = store(path); !stored)
        say(text(stored.error().text()), true);
    else
        say(tr("Stored in %1.").arg(path), false);
}

}  // namespace wavetrope::app
