// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/word_choices.h"

#include <QAbstractItemView>
#include <QPainter>
#include <QStyledItemDelegate>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int hintRole = Qt::UserRole;

// A choice with what it is, grey, at the right.
class ChoiceDelegate : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        const Theme& theme = Theme::get();
        painter->fillRect(option.rect, (option.state & QStyle::State_Selected) != 0 ? theme.accentSoft : theme.raised);
        const QRectF box = QRectF(option.rect).adjusted(theme.px(8), 0, -theme.px(8), 0);
        const QString choice = index.data().toString();
        const double used = QFontMetricsF(theme.mono()).horizontalAdvance(choice) + theme.px(16);
        paintText(*painter, box, choice, theme.mono(), theme.ink);
        paintText(*painter, box.adjusted(used, 0, 0, 0), index.data(hintRole).toString(), theme.small(), theme.ink3,
            Qt::AlignRight | Qt::AlignVCenter);
    }
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override
    {
        return {Theme::get().px(360), Theme::get().rowHeight()};
    }
};

}  // namespace

WordChoices::WordChoices(QWidget* field) : QCompleter(field), model_(new QStandardItemModel(this))
{
    setModel(model_);
    setWidget(field);
    setCompletionMode(QCompleter::UnfilteredPopupCompletion);
    setMaxVisibleItems(9);
    popup()->setItemDelegate(new ChoiceDelegate(popup()));
    connect(this, qOverload<const QModelIndex&>(&QCompleter::activated), this,
        [this](const QModelIndex& index) { Q_EMIT taken(index.data().toString()); });
}

QStringList WordChoices::offered() const
{
    QStringList list;
    for (int row = 0; isOpen() && row < model_->rowCount(); ++row)
        list << model_->item(row)->text();
    return list;
}

void WordChoices::hide() { popup()->hide(); }

void WordChoices::offer(const std::vector<Choice>& choices, QRect under)
{
    model_->clear();
    if (choices.empty())
        return hide();
    for (const Choice& choice : choices) {
        auto* item = new QStandardItem(choice.text);
        item->setData(choice.hint, hintRole);
        item->setToolTip(choice.hint);
        model_->appendRow(item);
    }
    const int width = Theme::get().px(380);
    under.setLeft(std::clamp(under.left(), 0, std::max(0, widget()->width() - width)));
    under.setWidth(width);
    complete(under);
}

}  // namespace wavetrope::app
