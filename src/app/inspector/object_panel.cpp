// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/inspector/object_panel.h"

#include <QHBoxLayout>
#include <QPointer>
#include <QVBoxLayout>

#include "app/parts/text.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t longInBytes = 64;     // what is longer goes by block

}  // namespace

ObjectPanel::ObjectPanel(Stage& stage, QWidget* parent)
    : QWidget(parent),
      stage_(stage),
      value_(new QLineEdit),
      read_(new QPushButton(tr("Read now"))),
      write_(new QPushButton(tr("Write"))),
      words_(new QLabel)
{
    setObjectName(QStringLiteral("objectPanel"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 4, 0, 0);
    all->setSpacing(6);
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    line->addWidget(read_);
    line->addWidget(value_, 1);
    line->addWidget(write_);
    all->addLayout(line);
    all->addWidget(words_);
    words_->setWordWrap(true);
    words_->setObjectName(QStringLiteral("objectWords"));
    words_->hide();
    read_->setObjectName(QStringLiteral("readObject"));
    read_->setToolTip(tr("Asks the node for the value"));
    write_->setObjectName(QStringLiteral("writeObject"));
    write_->setToolTip(tr("Writes the value that is typed (Enter in the field)"));
    value_->setObjectName(QStringLiteral("objectValue"));
    value_->setAccessibleName(tr("Value to write"));
    value_->setPlaceholderText(tr("new value"));
    value_->setFont(Theme::get().mono());
    connect(&Theme::get(), &Theme::changed, this, [this] { value_->setFont(Theme::get().mono()); });
    connect(read_, &QPushButton::clicked, this, &ObjectPanel::read);
    connect(write_, &QPushButton::clicked, this, &ObjectPanel::write);
    connect(value_, &QLineEdit::returnPressed, this, &ObjectPanel::write);
}

const protocol::ObjectEntry* ObjectPanel::entry() const
{
    const protocol::Dictionary* dictionary = stage_.protocols().dictionaryOf(object_.bus, object_.node);
    return dictionary == nullptr ? nullptr : dictionary->find(object_.place);
}

void ObjectPanel::show(const ProtocolDesk::ObjectOf& object)
{
    if (object_ != object) {
        object_ = object;
        value_->clear();
        say({}, false);
    }
    const protocol::ObjectEntry* known = entry();
    const bool live = stage_.document().isLive();
    const bool writes = known == nullptr || known->access == protocol::Access::readWrite || known->access == protocol::Access::writeOnly;
    read_->setEnabled(live && (known == nullptr || known->access != protocol::Access::writeOnly));
    write_->setEnabled(live && writes);
    value_->setEnabled(live && writes);
    const QString why = !live ? tr("A log answers nobody: this goes out in a run") : tr("The dictionary says that it can only be read");
    value_->setToolTip(live && writes ? tr("In its type; numbers also as 0x1F") : why);
}

void ObjectPanel::say(const QString& words, bool wrong)
{
    words_->setVisible(!words.isEmpty());
    words_->setText(words);
    QPalette palette = words_->palette();
    palette.setColor(QPalette::WindowText, wrong ? Theme::get().error : Theme::get().ink2);
    words_->setPalette(palette);
    Q_EMIT heightChanged();
}

void ObjectPanel::ask(std::unique_ptr<protocol::Talk> talk, const QString& done)
{
    const QPointer<ObjectPanel> self(this);
    const auto type = entry() == nullptr ? protocol::ObjectType::octetString : entry()->type;
    say(tr("waits for an answer"), false);
    const auto asked = stage_.protocols().ask(object_.bus, std::move(talk),
        [self, type, done, object = object_](const protocol::Talk&, const protocol::Answer& answer, double, double took) {
            const QString words = !answer.good          ? text(answer.words)
                                  : answer.data.empty() ? done
                                                        : text(protocol::valueText(type, answer.data)).left(200);
            return [self, words, good = answer.good, took, object] {
                if (self != nullptr && self->object_ == object)
                    self->say(good ? tr("%1, after %2 ms").arg(words).arg(took, 0, 'f', 2) : words, !good);
            };
        });
    if (!asked)
        say(text(asked.error().text()), true);
}

void ObjectPanel::read()
{
    const protocol::ObjectEntry* known = entry();
    ask(protocol::objectRead(object_.node, object_.place, known != nullptr && known->type == protocol::ObjectType::domain), {});
}

void ObjectPanel::write()
{
    const protocol::ObjectEntry* known = entry();
    const std::string typed = value_->text().trimmed().toStdString();
    auto bytes = known != nullptr ? protocol::Dictionary::bytesFor(*known, typed, object_.node) : protocol::bytesFromText(typed);
    if (!bytes)
        return say(text(bytes.error().text()), true);
    const bool block = bytes->size() > longInBytes;
    ask(protocol::objectWrite(object_.node, object_.place, std::move(*bytes), block), tr("written"));
}

}  // namespace wavetrope::app
