// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/network/ask_view.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPointer>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/paint/paint.h"
#include "app/paint/row_list.h"
#include "app/parts/notation.h"
#include "app/parts/text.h"
#include "app/stage/outbox_desk.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "protocol/describe.h"
#include "protocol/diagnostic_services.h"
#include "protocol/question.h"

namespace wavetrope::app {

namespace {

struct KindWords {
    const char *key, *words, *whom, *what, *value;
};
constexpr std::array<KindWords, 10> kinds = {{
    {"read", QT_TRANSLATE_NOOP("AskView", "read object"), QT_TRANSLATE_NOOP("AskView", "node, such as 1"),
        QT_TRANSLATE_NOOP("AskView", "object: 0x2001:03, or its name"), nullptr},
    {"write", QT_TRANSLATE_NOOP("AskView", "write object"), QT_TRANSLATE_NOOP("AskView", "node, such as 1"),
        QT_TRANSLATE_NOOP("AskView", "object: 0x2001:03, or its name"), QT_TRANSLATE_NOOP("AskView", "value")},
    {"request", QT_TRANSLATE_NOOP("AskView", "ask for group"), QT_TRANSLATE_NOOP("AskView", "address, or empty for all"),
        QT_TRANSLATE_NOOP("AskView", "group: 0xFECA"), nullptr},
    {"send", QT_TRANSLATE_NOOP("AskView", "send group"), QT_TRANSLATE_NOOP("AskView", "address, or empty for all"),
        QT_TRANSLATE_NOOP("AskView", "group: 0xFEF1"), QT_TRANSLATE_NOOP("AskView", "bytes: 01 02 03")},
    {"state", QT_TRANSLATE_NOOP("AskView", "command state"), QT_TRANSLATE_NOOP("AskView", "node, or empty for all"),
        QT_TRANSLATE_NOOP("AskView", "start, stop, pre-operational, reset"), nullptr},
    {"diagnose", QT_TRANSLATE_NOOP("AskView", "diagnostic request"), QT_TRANSLATE_NOOP("AskView", "0x7E0/0x7E8"),
        QT_TRANSLATE_NOOP("AskView", "bytes: 22 F1 90"), nullptr},
    {"troubles", QT_TRANSLATE_NOOP("AskView", "trouble codes"), QT_TRANSLATE_NOOP("AskView", "0x7E0/0x7E8"), nullptr, nullptr},
    {"keep", QT_TRANSLATE_NOOP("AskView", "keep session alive"), QT_TRANSLATE_NOOP("AskView", "0x7E0/0x7E8"),
        QT_TRANSLATE_NOOP("AskView", "every 2 s, or off"), nullptr},
    {"sync", QT_TRANSLATE_NOOP("AskView", "send sync"), nullptr, nullptr, nullptr},
    {"time", QT_TRANSLATE_NOOP("AskView", "send time"), nullptr, nullptr, nullptr},
}};

constexpr Time shortestKeep = std::chrono::milliseconds(50);

}  // namespace

class AskView::Rows : public RowList {
public:
    explicit Rows(AskView& view) : view_(view)
    {
        setObjectName(QStringLiteral("askedRows"));
        setAccessibleName(AskView::tr("What was asked"));
        setColumns(Columns({
            {"time", AskView::tr("asked at"), AskView::tr("When its first frame went out"), 92, true, false, false, ColumnKind::ofTime},
            {"question", AskView::tr("question"), AskView::tr("What was asked, and whom"), 300},
            {"took", AskView::tr("took"), AskView::tr("From its first frame to the answer"), 76, true, true},
            {"answer", AskView::tr("answer"), AskView::tr("What came back"), 260, true, false, true},
        }));
    }
    std::uint64_t count() const override { return view_.asked_.size(); }
    std::int64_t current() const override { return chosen_; }
    void choose(std::uint64_t index) override
    {
        chosen_ = static_cast<std::int64_t>(index);
        viewport()->update();
    }
    QString rowText(std::uint64_t index) const override { return view_.rowText(index); }

protected:
    QString emptyText() const override
    {
        return AskView::tr("Nothing was asked yet. Choose a bus and what to ask, say whom, and press Enter: the answer stands here, with "
                           "how long it took.");
    }
    void paintRow(QPainter& painter, int y, std::uint64_t index) override
    {
        const Theme& theme = Theme::get();
        const Asked& one = view_.asked_[index];
        const int height = theme.rowHeight();
        if (static_cast<std::int64_t>(index) == chosen_)
            painter.fillRect(QRectF(2, y, rowWidth() - 4, height), theme.accentSoft);
        for (std::size_t place = 0; place < columns_.count(); ++place) {
            QRectF box = columns_.box(place, y, height);
            switch (columns_.kindAt(place)) {
            case 0: paintText(painter, box, timeText(one.at, 6), theme.mono(), theme.ink); break;
            case 1:
                paintBusBadge(painter, QRectF(box.left(), y + theme.px(3), theme.px(14), theme.px(14)), view_.stage().mark(one.bus));
                paintText(painter, box.adjusted(theme.px(20), 0, 0, 0), one.question, theme.body(), theme.ink);
                break;
            case 2:
                if (!one.waits)
                    paintText(painter, box, QStringLiteral("%1 ms").arg(one.took, 0, 'f', one.took < 10 ? 2 : 1), theme.mono(), theme.ink,
                        Qt::AlignRight | Qt::AlignVCenter);
                break;
            default:
                if (!one.waits && !one.good) {
                    painter.fillRect(QRectF(box.left(), box.center().y() - theme.px(4), theme.px(8), theme.px(8)), theme.error);
                    box.setLeft(box.left() + theme.px(14));
                }
                paintText(painter, box, one.waits ? AskView::tr("waits for an answer") : one.answer,
                    one.good ? theme.bodyStrong() : theme.body(), one.waits ? theme.ink3 : theme.ink);
            }
        }
    }

private:
    AskView& view_;
    std::int64_t chosen_ = -1;
};

AskView::AskView(Stage& stage)
    : View(stage),
      bus_(new QComboBox),
      kind_(new QComboBox),
      whom_(new QLineEdit),
      what_(new QLineEdit),
      value_(new QLineEdit),
      ask_(new QPushButton(tr("Ask"))),
      outbox_(new QPushButton(tr("To the outbox"))),
      words_(new QLabel),
      rows_(new Rows(*this))
{
    auto* line = new QHBoxLayout;
    const Theme& theme = Theme::get();
    line->setContentsMargins(theme.px(10), theme.px(8), theme.px(10), theme.px(4));
    bus_->setObjectName(QStringLiteral("askBus"));
    bus_->setAccessibleName(tr("Bus to ask on"));
    bus_->setToolTip(tr("On which bus"));
    kind_->setObjectName(QStringLiteral("askKind"));
    kind_->setAccessibleName(tr("What is asked"));
    kind_->setToolTip(tr("What is asked"));
    for (const KindWords& kind : kinds)
        kind_->addItem(tr(kind.words));
    const auto field = [&](QLineEdit* edit, const char* name, const QString& words, int stretch) {
        edit->setObjectName(QLatin1String(name));
        edit->setAccessibleName(words);
        edit->setToolTip(words);
        line->addWidget(edit, stretch);
        connect(edit, &QLineEdit::returnPressed, this, &AskView::ask);
    };
    line->addWidget(bus_);
    line->addWidget(kind_);
    field(whom_, "askWhom", tr("Whom: a node, an address, or two identifiers"), 2);
    field(what_, "askWhat", tr("What: an object, a group, bytes"), 3);
    field(value_, "askValue", tr("The value to write, or bytes to send"), 2);
    ask_->setObjectName(QStringLiteral("askNow"));
    ask_->setToolTip(tr("Asks now (Enter)"));
    line->addWidget(ask_);
    outbox_->setObjectName(QStringLiteral("askIntoOutbox"));
    outbox_->setToolTip(tr("Puts the question into the outbox, where it can be asked again and again, in answer to frames, by a key"));
    line->addWidget(outbox_);
    words_->setObjectName(QStringLiteral("askWords"));
    words_->setWordWrap(true);
    words_->setContentsMargins(theme.px(12), 0, theme.px(12), theme.px(4));
    words_->hide();
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addLayout(line);
    layout->addWidget(words_);
    layout->addWidget(rows_, 1);
    setFocusProxy(whom_);
    // The other face turns the x of 0x1000 into a multiplication sign.
    const auto restyle = [this] {
        for (QLineEdit* edit : {whom_, what_, value_})
            edit->setFont(Theme::get().mono());
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
    connect(ask_, &QPushButton::clicked, this, &AskView::ask);
    connect(outbox_, &QPushButton::clicked, this, &AskView::intoOutbox);
    connect(kind_, &QComboBox::currentIndexChanged, this, [this] {
        kindChanged();
        Q_EMIT setUpChanged();
    });
    connect(&stage, &Stage::beat, this, &AskView::busesChanged);
    busesChanged();
    kindChanged();
}

void AskView::busesChanged()
{
    const auto& buses = stage().document().buses();
    if (bus_->count() == static_cast<int>(buses.size()))
        return;
    const QString before = bus_->currentText();
    bus_->clear();
    for (const trace::TraceBus& bus : buses)
        bus_->addItem(text(bus.name));
    bus_->setCurrentIndex(std::max(0, bus_->findText(before)));
    if (!stage().document().isLive())
        tell(tr("A log answers nobody: questions go out in a run."), false);
    ask_->setEnabled(stage().document().isLive());
}

void AskView::kindChanged()
{
    const KindWords& kind = kinds[static_cast<std::size_t>(kind_->currentIndex())];
    for (const auto& [field, words] : {std::pair{whom_, kind.whom}, std::pair{what_, kind.what}, std::pair{value_, kind.value}}) {
        field->setVisible(words != nullptr);
        outbox_->setVisible(static_cast<Kind>(kind_->currentIndex()) != Kind::keep);
        if (words != nullptr)
            field->setPlaceholderText(tr(words));
    }
}

void AskView::prepare(std::uint8_t bus, Kind kind, const QString& whom, const QString& what)
{
    busesChanged();
    bus_->setCurrentIndex(bus);
    kind_->setCurrentIndex(static_cast<int>(kind));
    whom_->setText(whom);
    what_->setText(what);
    value_->clear();
    (what.isEmpty() ? what_ : value_->isVisible() ? value_ : what_)->setFocus();
}

void AskView::present(const Wish& wish)
{
    const QStringList parts = wish.path.split(QLatin1Char('|'));
    for (std::size_t i = 0; i < kinds.size(); ++i)
        if (parts.value(0) == QLatin1String(kinds[i].key))
            prepare(wish.bus, static_cast<Kind>(i), parts.value(1), parts.value(2));
}

void AskView::tell(const QString& words, bool wrong)
{
    words_->setVisible(!words.isEmpty());
    words_->setText(words);
    QPalette palette = words_->palette();
    palette.setColor(QPalette::WindowText, wrong ? Theme::get().error : Theme::get().ink2);
    words_->setPalette(palette);
}

Expected<protocol::DiagnosticPair> AskView::pairOf(std::uint8_t bus) const
{
    const auto spoken = protocol::spokenFromText(stage().document().busName(bus) + "=diagnostics:" + whom_->text().trimmed().toStdString());
    if (!spoken)
        return tl::unexpected(spoken.error());
    if (spoken->pairs.size() != 1)
        return fail("expected one pair of identifiers, such as 0x7E0/0x7E8");
    return spoken->pairs.front();
}

// Goes on until it is told to end, beside what is asked.
void AskView::keepSession(std::uint8_t bus)
{
    const auto pair = pairOf(bus);
    if (!pair)
        return tell(text(pair.error().text()), true);
    QString words = what_->text().trimmed();
    const bool off = words == QLatin1String("off");
    words.remove(QStringLiteral("every "));
    const auto every = off               ? std::optional<Time>(Time{0})
                       : words.isEmpty() ? std::optional(protocol::usualKeep)
                                         : spanFromText(words.toStdString());
    if (!every || (!off && *every < shortestKeep))
        return tell(tr("'%1': expected a time of 50 ms or more, such as 2 s, or off").arg(words), true);
    if (const auto kept = stage().protocols().keepSession(bus, *pair, *every); !kept)
        return tell(text(kept.error().text()), true);
    tell(off ? tr("The session of %1 is no longer kept alive.").arg(whom_->text())
             : tr("The session of %1 is kept alive, until it is told to be off.").arg(whom_->text()),
        false);
}

// As a question is typed.
QString AskView::line() const
{
    const QString whom = whom_->text().trimmed(), what = what_->text().trimmed(), value = value_->text().trimmed();
    const QString to = whom.isEmpty() ? QString() : QStringLiteral(" to %1").arg(whom);
    const auto quoted = [](const QString& word) { return word.contains(QLatin1Char(' ')) ? QStringLiteral("\"%1\"").arg(word) : word; };
    switch (static_cast<Kind>(kind_->currentIndex())) {
    case Kind::readObject: return QStringLiteral("read %1 %2").arg(quoted(whom), quoted(what));
    case Kind::writeObject: return QStringLiteral("write %1 %2 %3").arg(quoted(whom), quoted(what), value);
    case Kind::requestGroup: return QStringLiteral("request %1%2").arg(quoted(what), to);
    case Kind::sendGroup: return QStringLiteral("send %1%2 %3").arg(quoted(what), to, value);
    case Kind::state: return QStringLiteral("state %1 %2").arg(whom.isEmpty() ? QStringLiteral("all") : quoted(whom), what);
    case Kind::diagnose: return QStringLiteral("diagnose %1 %2").arg(quoted(whom), what);
    case Kind::troubles: return QStringLiteral("troubles %1").arg(quoted(whom));
    case Kind::sync: return QStringLiteral("sync");
    case Kind::time: return QStringLiteral("time");
    case Kind::keep: break;
    }
    return {};
}

QString AskView::questionWords(std::uint8_t bus) const
{
    const QString whom = whom_->text().trimmed(), what = what_->text().trimmed(), value = value_->text().trimmed();
    const QString to = whom.isEmpty() ? tr("everybody") : whom;
    QString name = what;
    if (const auto node = protocol::nodeFromText(whom.toStdString()))
        if (const protocol::Dictionary* dictionary = stage().protocols().dictionaryOf(bus, *node))
            if (const auto place = dictionary->placeOf(what.toStdString()))
                if (const protocol::ObjectEntry* entry = dictionary->find(*place))
                    name = text(dictionary->nameOf(*entry));
    switch (static_cast<Kind>(kind_->currentIndex())) {
    case Kind::readObject: return tr("read %1 of node %2").arg(name, whom);
    case Kind::writeObject: return tr("write %1 to %2 of node %3").arg(value, name, whom);
    case Kind::requestGroup: return tr("ask %1 for %2").arg(to, what);
    case Kind::sendGroup: return tr("send %1 to %2").arg(what, to);
    case Kind::state: return tr("%1: %2").arg(whom.isEmpty() ? tr("all nodes") : tr("node %1").arg(whom), what);
    case Kind::diagnose: {
        const auto bytes = protocol::bytesFromText(what.toStdString());
        return tr("%1 to %2").arg(bytes ? text(protocol::serviceWords(bytes->front())) : what, whom);
    }
    case Kind::troubles: return tr("trouble codes of %1").arg(whom);
    default: return line();
    }
}

void AskView::intoOutbox()
{
    if (bus_->currentIndex() < 0)
        return;
    const auto added = stage().outbox().add(0, QStringLiteral("ask ") + line(), static_cast<unsigned>(bus_->currentIndex()));
    if (!added)
        return tell(text(added.error().text()), true);
    tell(tr("It stands in the outbox now: the row says when it is asked."), false);
}

void AskView::ask()
{
    if (bus_->currentIndex() < 0)
        return;
    const auto bus = static_cast<std::uint8_t>(bus_->currentIndex());
    const auto kind = static_cast<Kind>(kind_->currentIndex());
    if (kind == Kind::keep)
        return keepSession(bus);
    Asked asked;
    asked.bus = bus;
    auto question = protocol::questionFromText(
        line().toStdString(), [&](std::uint8_t node) { return stage().protocols().dictionaryOf(bus, node); });
    if (!question)
        return tell(text(question.error().text()), true);
    asked.question = questionWords(bus);
    tell({}, false);
    asked.at = stage().seconds(stage().newest());
    const std::uint64_t number = number_ + 1;
    const QPointer<AskView> self(this);
    const auto done = stage().protocols().ask(bus, question->make(),
        [self, number, type = question->type, kind](const protocol::Talk& talked, const protocol::Answer& answer, double at, double took) {
            QString words = answer.good ? answer.data.empty() ? AskView::tr("done") : text(protocol::valueText(type, answer.data))
                                        : text(answer.words);
            if (const auto* group = dynamic_cast<const protocol::GroupRequest*>(&talked); answer.good && group != nullptr) {
                QStringList all;
                for (const protocol::GroupAnswer& one : group->answers())
                    all << AskView::tr("%1: %2").arg(
                        text(toText(protocol::Party::address(one.source))), text(protocol::bytesWords(one.data, 32)));
                words = all.join(QStringLiteral("; "));
            }
            if (answer.good && kind == Kind::troubles) {
                QStringList all;
                for (const protocol::DiagnosticTrouble& one : protocol::diagnosticTroublesOf(answer.data))
                    all << AskView::tr("%1 %2").arg(text(one.text()), text(one.words()));
                words = all.isEmpty() ? AskView::tr("none") : all.join(QStringLiteral("; "));
            }
            return [self, number, words, good = answer.good, at, took] {
                if (self == nullptr || self->number_ - number >= self->asked_.size())
                    return;
                Asked& one = self->asked_[self->number_ - number];
                one.at = at;
                one.answer = words;
                one.good = good;
                one.took = took;
                one.waits = false;
                self->rows_->refresh();
            };
        });
    if (!done)
        return tell(text(done.error().text()), true);
    number_ = number;
    asked_.push_front(std::move(asked));
    if (asked_.size() > mostKept)
        asked_.pop_back();
    rows_->refresh();
}

QString AskView::rowText(std::size_t index) const
{
    const Asked& one = asked_[index];
    return QStringList{timeText(one.at, 6), text(stage().document().busName(one.bus)), one.question,
        one.waits ? QString() : QString::number(one.took, 'f', 3), one.waits ? tr("waits for an answer") : one.answer}
        .join(QLatin1Char('\t'));
}

QString AskView::csv() const
{
    QString out = QStringLiteral("time\tbus\tquestion\ttook_ms\tanswer");
    for (std::size_t i = 0; i < asked_.size(); ++i)
        out += QLatin1Char('\n') + rowText(i);
    return csvFromTabs(out);
}

nlohmann::json AskView::save() const
{
    nlohmann::json out = nlohmann::json::object();
    if (kind_->currentIndex() > 0)
        out["asks"] = kinds[static_cast<std::size_t>(kind_->currentIndex())].key;
    return out;
}

void AskView::restore(const nlohmann::json& setUp)
{
    for (std::size_t i = 0; i < kinds.size(); ++i)
        if (setUp.value("asks", nlohmann::json()) == kinds[i].key)
            kind_->setCurrentIndex(static_cast<int>(i));
}

}  // namespace wavetrope::app
