// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/parts/in_place.h"

#include <QKeyEvent>

#include "app/parts/text.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

InPlaceField::InPlaceField(QWidget* parent) : QLineEdit(parent), problem_(new QLabel(parent))
{
    hide();
    problem_->hide();
    problem_->setWordWrap(true);
    problem_->setMargin(4);
    restyle();
    connect(&Theme::get(), &Theme::changed, this, &InPlaceField::restyle);
    connect(this, &QLineEdit::textEdited, problem_, &QLabel::hide);
}

void InPlaceField::restyle()
{
    const Theme& theme = Theme::get();
    setFont(theme.mono());
    setStyleSheet(
        QStringLiteral("QLineEdit { padding: 0 3px; border: 1px solid %1; border-left: 3px solid %1; background: %2; color: %3; }")
            .arg(theme.accent.name(), theme.raised.name(), theme.ink.name()));
    problem_->setFont(theme.body());
    problem_->setStyleSheet(
        QStringLiteral("QLabel { background: %1; color: %2; border: 1px solid %2; }").arg(theme.raised.name(), theme.error.name()));
}

void InPlaceField::open(const QRect& box, int least, const QString& words, const QString& hint, Keep keep)
{
    keep_ = std::move(keep);
    before_ = words;
    problem_->hide();
    const Theme& theme = Theme::get();
    const int room = parentWidget()->width() - theme.px(6);
    const int width = std::clamp(std::max(box.width() + theme.px(24), theme.px(least)), theme.px(60), room);
    const int height = std::max(box.height(), theme.px(20));
    setGeometry(std::clamp(box.left() - theme.px(4), 0, std::max(0, room - width)), box.center().y() - height / 2, width, height);
    setText(words);
    setPlaceholderText(hint);
    setToolTip(tr("Return keeps it, Tab goes to the next, Escape leaves it as it was"));
    show();
    raise();
    setFocus();
    selectAll();
}

bool InPlaceField::finish() { return !isOpen() || keepIt(0); }

bool InPlaceField::keepIt(int next)
{
    if (keeping_)
        return true;
    keeping_ = true;
    const auto kept = text() == before_ && !before_.isEmpty() ? Expected<void>{} : keep_(text());
    keeping_ = false;
    if (!kept) {
        const Theme& theme = Theme::get();
        QString words = ::wavetrope::app::text(kept.error().what);
        if (!kept.error().remedy.empty())
            words += QStringLiteral(". ") + ::wavetrope::app::text(kept.error().remedy);
        problem_->setText(words);
        const int room = parentWidget()->width() - theme.px(6);
        const int width = std::min(room, theme.px(360));
        const int height = problem_->heightForWidth(width);
        const int under = geometry().bottom() + 2;
        problem_->setGeometry(std::clamp(x(), 0, std::max(0, room - width)),
            under + height <= parentWidget()->height() ? under : std::max(0, y() - height - 2), width, height);
        problem_->show();
        problem_->raise();
        return false;
    }
    hide();
    problem_->hide();
    Q_EMIT this->kept(next);
    return true;
}

bool InPlaceField::event(QEvent* event)
{
    if (event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_Tab || key->key() == Qt::Key_Backtab) {
            keepIt(key->key() == Qt::Key_Tab ? 1 : -1);
            return true;
        }
    }
    // Keys of the window are letters here.
    if (event->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
        event->accept();
        return true;
    }
    return QLineEdit::event(event);
}

void InPlaceField::keyPressEvent(QKeyEvent* event)
{
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
        keepIt(0);
        return;
    }
    if (event->key() == Qt::Key_Escape) {
        hide();
        problem_->hide();
        Q_EMIT left();
        return;
    }
    QLineEdit::keyPressEvent(event);
}

// Whoever clicks elsewhere meant what they typed; what cannot be kept stays open.
void InPlaceField::focusOutEvent(QFocusEvent* event)
{
    QLineEdit::focusOutEvent(event);
    if (isOpen() && event->reason() != Qt::PopupFocusReason && event->reason() != Qt::ActiveWindowFocusReason)
        keepIt(0);
}

}  // namespace wavetrope::app
