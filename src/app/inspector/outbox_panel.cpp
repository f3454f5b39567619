// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/inspector/outbox_panel.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/label.h"
#include "app/parts/text.h"
#include "app/stage/row_keys.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "database/compose.h"
#include "drive/recognise.h"
#include "measure/identifier_stats.h"

namespace wavetrope::app {

namespace {

enum FormItem { formClassic, formFd, formSwitched, formRemote };
enum WhenItem { whenOnce, whenEvery, whenAnswer, whenMoment, whenKey };
constexpr std::size_t mostValues = 64;
constexpr unsigned bitRowsShown = 8;
constexpr qint64 lookAgainAfter = 1000;     // ms
constexpr unsigned framesToRecognise = 24;

QString shortTime(Time time)
{
    const double ms = static_cast<double>(time.count()) * 1e-6;
    return ms < 1000 ? QStringLiteral("%1 ms").arg(ms, 0, 'f', 2) : QStringLiteral("%1 s").arg(ms * 1e-3, 0, 'f', 3);
}

}  // namespace

OutboxPanel::OutboxPanel(Stage& stage, QWidget* parent)
    : QWidget(parent),
      stage_(stage),
      look_(stage),
      when_(new QComboBox),
      held_(new QButtonGroup(this)),
      gathers_(new QButtonGroup(this)),
      overflow_(new QButtonGroup(this)),
      raw_(new QWidget),
      wide_(new QButtonGroup(this)),
      form_(new QComboBox),
      problem_(new QLabel),
      valuesRight_(new QLabel(tr("edits go out"))),
      bits_(new LayoutWidget(LayoutWidget::Form::small)),
      bitsRight_(new QLabel),
      asked_(new QLabel)
{
    setObjectName(QStringLiteral("outboxPanel"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(6);
    const auto section = [&](const QString& words, QLabel* right) {
        auto* line = new QHBoxLayout;
        sections_.push_back(new QLabel(words));
        line->addWidget(sections_.back(), right == nullptr ? 1 : 0);
        if (right != nullptr) {
            quiet_.push_back(right);
            line->addWidget(right, 1);
        }
        all->addLayout(line);
        return line;
    };
    section(tr("Goes out"), nullptr);
    whenGrid_ = new QGridLayout;
    whenGrid_->setHorizontalSpacing(5);
    whenGrid_->setVerticalSpacing(4);
    whenGrid_->setColumnStretch(1, 4);
    whenGrid_->setColumnStretch(3, 3);
    all->addLayout(whenGrid_);
    when_->setObjectName(QStringLiteral("outboxWhen"));
    when_->setAccessibleName(tr("When it goes out"));
    for (const QString& words : {tr("once"), tr("every"), tr("in answer"), tr("at a moment"), tr("by a key")})
        when_->addItem(words);
    connect(when_, &QComboBox::activated, this, &OutboxPanel::chooseWhen);
    struct Made {
        const char* name;
        QString before, hint;
    };
    const Made made[fieldCount] = {{"outboxEvery", tr("period"), tr("20 ms")}, {"outboxCount", tr("times"), tr("until told")},
        {"outboxOffset", tr("starts"), tr("0 ms")}, {"outboxAnswer", tr("to"), tr("a filter, such as Mode = 4")},
        {"outboxAfter", tr("after"), tr("0 ms")}, {"outboxAt", tr("at"), tr("100 s")}, {"outboxBurst", tr("frames"), tr("1")},
        {"outboxApart", tr("apart"), tr("2 ms")}, {"outboxKey", tr("key"), tr("F9")}, {"outboxComment", tr("comment"), {}},
        {"outboxBytes", tr("bytes"), {}}, {"outboxIdentifier", tr("id"), {}}, {"outboxLength", tr("length"), {}}};
    for (int i = 0; i < fieldCount; ++i) {
        Field field{new QLabel(made[i].before, this), new QLineEdit(this)};
        field.edit->setObjectName(QLatin1String(made[i].name));
        field.edit->setAccessibleName(made[i].before);
        field.edit->setPlaceholderText(made[i].hint);
        quiet_.push_back(field.before);
        connect(field.edit, &QLineEdit::editingFinished, this, [this, i] { keep(static_cast<FieldId>(i)); });
        fields_.push_back(field);
    }
    fields_[count].edit->setToolTip(tr("So many times; empty: until it is told to hold"));
    fields_[offset].edit->setToolTip(tr("So much later than the group starts, so that rows of one period do not go out together"));
    const auto choice = [&](QButtonGroup* group, const char* name, std::initializer_list<std::pair<QString, QString>> words) {
        auto* line = new QHBoxLayout;
        line->setSpacing(4);
        int id = 0;
        for (const auto& [one, tip] : words) {
            auto* button = new QPushButton(one);
            button->setCheckable(true);
            button->setProperty("tight", true);
            button->setObjectName(QLatin1String(name) + QString::number(id));
            button->setToolTip(tip);
            group->addButton(button, id++);
            line->addWidget(button, 1);
        }
        return line;
    };
    whenGrid_->addLayout(choice(held_, "outboxHeld",
                             {{tr("each press"), tr("One frame each time the key goes down")},
                                 {tr("while it is held"), tr("By its period for as long as the key is down")}}),
        fieldCount + 1, 0, 1, 4);
    connect(held_, &QButtonGroup::idClicked, this, [this](int id) {
        if (const auto at = place()) {
            nlohmann::json next = {{"held", id == 1 ? nlohmann::json(true) : nlohmann::json()}};
            if (id == 1 && stage_.outbox().row(*at).every.count() == 0)
                next["every"] = "20 ms";
            say(stage_.outbox().setFields(*at, next, tr("key of a row")));
        }
    });
    problem_->setWordWrap(true);
    problem_->setObjectName(QStringLiteral("outboxPanelProblem"));
    problem_->hide();
    all->addWidget(problem_);

    section(tr("Values"), valuesRight_);
    all->addLayout(choice(gathers_, "outboxGathers",
        {{tr("at once"), tr("An edited value is in the next frame, whatever sends it")},
            {tr("with the next send"), tr("Edits gather while the row goes out, and go in one frame when you send it")}}));
    connect(gathers_, &QButtonGroup::idClicked, this, [this](int id) {
        if (const auto at = place())
            say(stage_.outbox().setFields(*at, {{"gathers", id == 1 ? nlohmann::json(true) : nlohmann::json()}}, tr("how edits go out")));
    });
    auto* raw = new QGridLayout(raw_);
    raw->setContentsMargins(0, 0, 0, 0);
    raw->setHorizontalSpacing(5);
    raw->setVerticalSpacing(4);
    raw->setColumnStretch(1, 1);
    raw->setColumnStretch(3, 1);
    raw->addWidget(fields_[identifier].before, 0, 0);
    raw->addWidget(fields_[identifier].edit, 0, 1);
    raw->addLayout(choice(wide_, "outboxWide",
                       {{tr("11 bits"), tr("Base format: identifiers up to 0x7FF")},
                           {tr("29 bits"), tr("Extended format: identifiers up to 0x1FFFFFFF")}}),
        0, 2, 1, 2);
    connect(wide_, &QButtonGroup::idClicked, this, [this](int id) {
        if (const auto at = place())
            say(stage_.outbox().setForm(*at, {.extended = id == 1}));
        fill();
    });
    form_->setObjectName(QStringLiteral("outboxForm"));
    form_->setAccessibleName(tr("Kind of frame"));
    form_->setToolTip(tr("Classic or FD frame, with or without the switch to the data bit rate; or a remote frame, which asks for one"));
    for (const QString& words : {tr("classic"), tr("FD"), tr("FD, switched"), tr("remote")})
        form_->addItem(words);
    connect(form_, &QComboBox::activated, this, &OutboxPanel::chooseForm);
    raw->addWidget(form_, 1, 0, 1, 2);
    raw->addWidget(fields_[length].before, 1, 2);
    raw->addWidget(fields_[length].edit, 1, 3);
    fields_[length].edit->setToolTip(tr("Bytes; or a length code such as code 9, which is 12 bytes of an FD frame"));
    raw->addWidget(fields_[bytes].before, 2, 0);
    raw->addWidget(fields_[bytes].edit, 2, 1, 1, 3);
    all->addWidget(raw_);
    valuesBox_ = new QVBoxLayout;
    valuesBox_->setSpacing(2);
    all->addLayout(valuesBox_);
    all->addLayout(choice(overflow_, "outboxOverflow",
        {{tr("refuse what does not fit"), tr("A value outside of its range is refused in words")},
            {tr("limit it"), tr("The nearest value that there is goes out")}}));
    connect(overflow_, &QButtonGroup::idClicked, this, [this](int id) {
        if (const auto at = place())
            say(stage_.outbox().setFields(
                *at, {{"overflow", id == 1 ? nlohmann::json("limit") : nlohmann::json()}}, tr("what does not fit")));
    });

    section(tr("Bits"), bitsRight_);
    bits_->setToggling(true);
    bits_->setObjectName(QStringLiteral("outboxBits"));
    bits_->setToolTip(tr("Click a bit to turn it round"));
    connect(bits_, &LayoutWidget::bitToggled, this, [this](unsigned bit) {
        if (const auto at = place())
            say(stage_.outbox().toggleBit(*at, bit));
    });
    all->addWidget(bits_);

    section(tr("Timekeeping"), asked_);
    auto* kept = new QGridLayout;
    kept->setVerticalSpacing(2);
    const QString names[4] = {tr("Kept"), tr("Latest"), tr("Refused"), tr("Held back")};
    for (int i = 0; i < 4; ++i) {
        kept_[i][0] = new QLabel(names[i]);
        kept_[i][1] = new QLabel;
        quiet_.push_back(kept_[i][0]);
        kept->addWidget(kept_[i][0], i, 0);
        kept->addWidget(kept_[i][1], i, 1, Qt::AlignRight);
    }
    kept_[1][0]->setToolTip(tr("How long after it was due the latest of all was on the bus, to the end of its last bit"));
    all->addLayout(kept);
    auto* last = new QHBoxLayout;
    last->addWidget(fields_[comment].before);
    last->addWidget(fields_[comment].edit, 1);
    all->addLayout(last);
    connect(&stage.outbox(), &OutboxDesk::changed, this, [this] {
        if (isVisible())
            fill();
    });
    restyle();
    connect(&Theme::get(), &Theme::changed, this, &OutboxPanel::restyle);
}

void OutboxPanel::restyle()
{
    const Theme& theme = Theme::get();
    for (QLabel* label : sections_)
        writeLabel(label, theme.bodyStrong(), theme.ink);
    for (QLabel* label : quiet_)
        writeLabel(label, theme.body(), theme.ink2);
    writeLabel(problem_, theme.body(), theme.error);
    for (auto& line : kept_)
        writeLabel(line[1], theme.mono(), theme.ink);
    for (const Field& field : fields_)
        field.edit->setFont(theme.mono());
    fields_[comment].edit->setFont(theme.body());
    when_->setFont(theme.body());
    form_->setFont(theme.body());
    for (QButtonGroup* group : {held_, gathers_, overflow_, wide_})
        for (QAbstractButton* button : group->buttons())
            button->setFont(theme.small());
    for (ValueRow* row : rows_)
        row->restyle();
    Q_EMIT heightChanged();
}

bool OutboxPanel::show(std::size_t number)
{
    const auto at = stage_.outbox().placeOf(number);
    if (!at)
        return false;
    const drive::OutboxRow& row = stage_.outbox().row(*at);
    if (number != number_ || row.what != what_) {
        number_ = number;
        what_ = row.what;
        offered_.clear();
        looked_.invalidate();
        for (const Field& field : fields_)
            field.edit->setModified(false);
        say({});
    }
    fill();
    return true;
}

void OutboxPanel::fill()
{
    const auto at = place();
    if (!at)
        return;
    look_.refresh();
    const drive::OutboxRow& row = look_.spec(*at);
    fillWhen(row);
    fillForm(row);
    lookForSources(*at);
    fillValues(*at);
    fillBits(*at);
    fillTimekeeping(*at);
}

void OutboxPanel::fillWhen(const drive::OutboxRow& row)
{
    using When = drive::OutboxRow::When;
    const int when = row.when == When::every    ? whenEvery
                     : row.when == When::answer ? whenAnswer
                     : row.when == When::moment ? whenMoment
                     : row.key.empty()          ? whenOnce
                                                : whenKey;
    if (!when_->view()->isVisible() && when_->currentIndex() != when)
        when_->setCurrentIndex(when);
    const auto span = [](Time time) { return time.count() == 0 ? QString() : text(exactSpanText(time)); };
    QString values[fieldCount];
    values[period] = span(row.every);
    values[count] = row.count == 0 ? QString() : QString::number(row.count);
    values[offset] = span(row.offset);
    values[filter] = text(row.answer);
    values[after] = span(row.after);
    values[moment] = row.when == When::moment ? text(exactSpanText(row.at)) : QString();
    values[burst] = row.burst > 1 ? QString::number(row.burst) : QString();
    values[apart] = span(row.apart);
    values[keyName] = text(row.key);
    values[comment] = text(row.comment);
    const bool raw = row.raw(), remote = row.frame.kind == can::FrameKind::remote;
    if (const auto at = place(); raw && !remote)
        values[bytes] = look_.values(*at).front().text;
    if (raw) {
        values[identifier] = text(can::toText(row.frame.id));
        values[length] = QString::number(remote ? row.frame.dlc : row.frame.length);
    }
    const bool timed = when == whenEvery || (when == whenKey && row.held);
    const bool there[fieldCount] = {timed, when == whenEvery || when == whenAnswer, when == whenEvery, when == whenAnswer,
        when == whenAnswer, when == whenMoment, when != whenEvery && !row.held, when != whenEvery && row.burst > 1, when == whenKey, true,
        raw && !remote, raw, raw};
    QString shown = QString::number(when);
    const int main = mainOf(there);
    for (int i = 0; i < fieldCount; ++i) {
        Field& field = fields_[static_cast<std::size_t>(i)];
        field.before->setVisible(there[i] && i != main);
        field.edit->setVisible(there[i]);
        if (!field.edit->isModified() && field.edit->text() != values[i]) {
            field.edit->setText(values[i]);
            field.edit->setCursorPosition(0);
        }
        shown += there[i] ? QLatin1Char('1') : QLatin1Char('0');
    }
    for (QAbstractButton* button : held_->buttons())
        button->setVisible(when == whenKey);
    held_->button(row.held ? 1 : 0)->setChecked(true);
    gathers_->button(row.gathers ? 1 : 0)->setChecked(true);
    // A question has no values of its own.
    for (QAbstractButton* button : gathers_->buttons())
        button->setVisible(row.ask.empty());
    sections_[1]->setVisible(row.ask.empty());
    valuesRight_->setVisible(row.ask.empty());
    overflow_->button(row.overflow == database::Overflow::limit ? 1 : 0)->setChecked(true);
    for (QAbstractButton* button : overflow_->buttons())
        button->setVisible(!row.message.empty());
    if (shown != shown_) {
        shown_ = shown;
        layWhen(there);
        Q_EMIT heightChanged();
    }
}

void OutboxPanel::fillForm(const drive::OutboxRow& row)
{
    if (raw_->isHidden() == row.raw()) {
        raw_->setVisible(row.raw());
        Q_EMIT heightChanged();
    }
    if (!row.raw())
        return;
    wide_->button(row.frame.id.extended ? 1 : 0)->setChecked(true);
    const int form = row.frame.kind == can::FrameKind::remote ? formRemote
                     : row.frame.kind != can::FrameKind::fd   ? formClassic
                     : row.frame.brs                          ? formSwitched
                                                              : formFd;
    if (!form_->view()->isVisible() && form_->currentIndex() != form)
        form_->setCurrentIndex(form);
}

void OutboxPanel::chooseForm(int form)
{
    const auto at = place();
    if (!at)
        return;
    const can::FrameKind kind = form == formRemote    ? can::FrameKind::remote
                                : form == formClassic ? can::FrameKind::data
                                                      : can::FrameKind::fd;
    say(stage_.outbox().setForm(*at, {.kind = kind, .brs = form == formSwitched}));
    fill();
}

// So many bytes, or "code 9".
Expected<void> OutboxPanel::keepLength(OutboxDesk::Place place, const QString& words)
{
    const bool code = words.startsWith(tr("code"), Qt::CaseInsensitive);
    bool good = false;
    const unsigned number = (code ? words.mid(tr("code").size()).trimmed() : words).toUInt(&good);
    if (!good || (code && number > 15))
        return fail("'" + words.toStdString() + "' is no length", {}, "Such as 8, or code 9 for 12 bytes of an FD frame");
    const bool fd = stage_.outbox().row(place).frame.kind == can::FrameKind::fd;
    return stage_.outbox().setForm(place, {.length = !code ? number
                                                     : fd  ? can::lengthOfDlc(number)
                                                           : std::min(number, can::maxClassicLength)});
}

// What says most stands beside the way.
int OutboxPanel::mainOf(const bool (&there)[fieldCount])
{
    return there[keyName] ? keyName : there[moment] ? moment : there[period] ? period : -1;
}

// The others two in a line.
void OutboxPanel::layWhen(const bool (&there)[fieldCount])
{
    const bool alone = !there[period] && !there[moment] && !there[keyName];
    whenGrid_->addWidget(when_, 0, 0, 1, alone ? 4 : 2);
    const int main = mainOf(there);
    int cell = 2;       // of two in a line, behind the first line
    for (int i = 0; i < comment; ++i) {
        const Field& field = fields_[static_cast<std::size_t>(i)];
        if (!there[i])
            continue;
        if (i == main) {
            whenGrid_->addWidget(field.edit, 0, 2, 1, 2);
        } else if (i == filter) {
            whenGrid_->addWidget(field.before, fieldCount, 0);
            whenGrid_->addWidget(field.edit, fieldCount, 1, 1, 3);
        } else {
            whenGrid_->addWidget(field.before, cell / 2, 2 * (cell % 2));
            whenGrid_->addWidget(field.edit, cell / 2, 2 * (cell % 2) + 1);
            ++cell;
        }
    }
}

// What the newest frames tell: counters and checksums are offered where nobody set their signals.
void OutboxPanel::lookForSources(OutboxDesk::Place place)
{
    if (looked_.isValid() && looked_.elapsed() < lookAgainAfter)
        return;
    looked_.start();
    offered_.clear();
    const database::CatalogMessage* message = look_.message(place);
    const trace::Snapshot& snapshot = stage_.snapshot();
    if (message == nullptr || !snapshot.valid())
        return;
    const auto known = snapshot.trace().find({message->bus, false, message->message->id});
    if (!known)
        return;
    std::vector<std::vector<std::uint8_t>> payloads;
    trace::Row limit = snapshot.rows();
    while (payloads.size() < framesToRecognise) {
        const measure::IdentifierMoment newest = measure::momentOf(snapshot, *known, limit, 1);
        if (newest.row == trace::noRow)
            break;
        limit = newest.row;
        const can::FrameView frame = snapshot.frame(newest.row);
        if (frame.direction == can::Direction::sent)
            return;     // it is what goes out here, and no word from the bus
        payloads.insert(payloads.begin(), std::vector<std::uint8_t>(frame.payload().begin(), frame.payload().end()));
    }
    for (std::uint32_t i = 0; i < message->message->signals.size(); ++i) {
        const auto found = drive::recognise(*message, i, payloads);
        if (!found)
            continue;
        if (const auto* counter = std::get_if<drive::CounterSpec>(&*found)) {
            offered_[i] = {{{"counter", {{"modulo", counter->modulo}}}}, tr("It counts on the bus: let it count")};
        } else {
            static constexpr const char* names[] = {"sum8", "xor8", "crc8"};
            const char* name = names[static_cast<int>(std::get<drive::Checksum>(*found))];
            offered_[i] = {{{"checksum", name}}, tr("It is a checksum (%1) on the bus: work it out").arg(QLatin1String(name))};
        }
    }
}

ValueRow* OutboxPanel::valueRow(std::size_t index)
{
    while (rows_.size() <= index) {
        auto* row = new ValueRow;
        rows_.push_back(row);
        valuesBox_->addWidget(row);
        connect(row, &ValueRow::heightChanged, this, &OutboxPanel::heightChanged);
    }
    return rows_[index];
}

void OutboxPanel::fillValues(OutboxDesk::Place place)
{
    const database::CatalogMessage* message = look_.message(place);
    const drive::OutboxRow& row = look_.spec(place);
    const drive::OutboxRowFacts* facts = look_.facts(place);
    const std::vector<OutboxLook::Value> values = message == nullptr ? std::vector<OutboxLook::Value>() : look_.values(place);
    const std::size_t shown = std::min(values.size(), mostValues);
    const auto still = message == nullptr ? Expected<std::vector<std::uint8_t>>() : rig::stillPayload(row, message);
    const nlohmann::json& document = stage_.document().rig().document["outbox"][place.group]["rows"][place.row];
    const QString waiting = look_.waiting(place);
    std::size_t hidden = 0;
    for (std::size_t i = 0; i < shown; ++i) {
        const OutboxLook::Value& value = values[i];
        const database::Signal& signal = message->message->signals[value.place];
        const database::SignalPlan& plan = message->plan.plan(value.place);
        ValueRow::Facts about;
        about.signal = &signal;
        about.plan = &plan;
        about.set = value.set;
        about.now = stage_.seconds(stage_.newest());
        database::Decoded decoded;
        if (facts != nullptr && facts->sent > 0
            && message->plan.decodeOne({facts->frame.data.data(), facts->frame.length}, value.place, decoded))
            about.onBus = decoded.bits;
        if (still && message->plan.decodeOne(*still, value.place, decoded))
            about.bits = decoded.bits;
        if (value.source) {
            about.source = document["signals"][signal.name];
            about.bits = about.onBus.value_or(database::startBitsOf(signal, plan));
        }
        if (value.onBus)
            about.waiting = waiting.isEmpty() ? QString() : waiting.left(1).toUpper() + waiting.mid(1);
        if (!value.set)
            about.start = signal.startRaw ? tr("from the database: start value") : tr("zero: no start value");
        if (const auto offer = offered_.find(value.place); offer != offered_.end() && !value.source) {
            about.offered = offer->second.first;
            about.offeredWords = offer->second.second;
        }
        ValueRow* line = valueRow(i);
        line->setProperty("place", value.place);
        const QString name = value.name;
        const std::uint32_t at = value.place;
        line->keepText = [this, place, name](const QString& words) { return stage_.outbox().setValue(place, name, words); };
        line->keepBits = [this, place, at](std::uint64_t bits) { return stage_.outbox().setBits(place, at, bits); };
        line->keepSource = [this, place, name](const nlohmann::json& source) { return stage_.outbox().setSource(place, name, source); };
        line->tryBits = [this, at](std::uint64_t bits) { stage_.outbox().tryBits(number_, at, bits); };
        line->takeBack = [this, place, at] { stage_.outbox().takeBack(place, at); };
        line->setFacts(about);
        if (line->isHidden()) {
            line->show();
            ++hidden;
        }
    }
    for (std::size_t i = shown; i < rows_.size(); ++i)
        if (!rows_[i]->isHidden()) {
            rows_[i]->hide();
            ++hidden;
        }
    if (hidden > 0)
        Q_EMIT heightChanged();
}

void OutboxPanel::fillBits(OutboxDesk::Place place)
{
    const database::CatalogMessage* message = look_.message(place);
    const drive::OutboxRow& row = look_.spec(place);
    const drive::OutboxRowFacts* facts = look_.facts(place);
    auto payload = rig::stillPayload(row, message);
    const bool any = payload.has_value() && row.frame.kind != can::FrameKind::remote && (message != nullptr || row.message.empty())
                     && !payload->empty();
    if (bits_->isHidden() == any) {
        bits_->setVisible(any);
        sections_[2]->setVisible(any);
        bitsRight_->setVisible(any);
        Q_EMIT heightChanged();
    }
    if (!any)
        return;
    // What sources, counters and checksums bring is as it went out last.
    std::vector<unsigned> waits;
    if (message != nullptr && facts != nullptr && facts->sent > 0) {
        std::vector<std::uint8_t> bus(facts->frame.data.begin(), facts->frame.data.begin() + facts->frame.length);
        const std::vector<OutboxLook::Value> values = look_.values(place);
        for (const OutboxLook::Value& value : values)
            if (value.source || value.onBus)
                for (const unsigned bit : database::bitsOf(message->message->signals[value.place]))
                    if (bit / 8 < bus.size() && bit / 8 < payload->size()) {
                        const auto mask = static_cast<std::uint8_t>(1U << bit % 8);
                        if (value.source)
                            (*payload)[bit / 8] = static_cast<std::uint8_t>(((*payload)[bit / 8] & ~mask) | (bus[bit / 8] & mask));
                        else if ((((*payload)[bit / 8] ^ bus[bit / 8]) & mask) != 0)
                            waits.push_back(bit);
                    }
    }
    if (message != nullptr) {
        std::vector<std::int64_t> selected(message->message->signals.size(), -1);
        for (std::uint32_t i = 0; i < selected.size(); ++i) {
            database::Decoded decoded;
            if (message->message->signals[i].selects() && message->plan.decodeOne(*payload, i, decoded))
                selected[i] = static_cast<std::int64_t>(decoded.bits);
        }
        bits_->setMessage(*message->message, selected);
    } else {
        bits_->setUndefined(static_cast<unsigned>(payload->size()));
    }
    bits_->setPayload(*payload);
    bits_->setWaiting(waits);
    bits_->setMinimumHeight(0);
    bits_->setFixedHeight(static_cast<int>(std::min<std::size_t>(payload->size(), bitRowsShown)) * Theme::get().px(16));
    bitsRight_->setText(!waits.empty()                   ? tr("outlined: these wait")
                        : payload->size() > bitRowsShown ? tr("and %1 more bytes").arg(payload->size() - bitRowsShown)
                                                         : QString());
}

void OutboxPanel::fillTimekeeping(OutboxDesk::Place place)
{
    const drive::OutboxRow& row = look_.spec(place);
    const drive::OutboxRowFacts* facts = look_.facts(place);
    const bool timed = row.every.count() > 0;
    asked_->setText(timed ? tr("asked %1").arg(text(exactSpanText(row.every))) : QString());
    const QString none = QStringLiteral("–");
    kept_[0][1]->setText(
        facts != nullptr && facts->sent > 1
            ? tr("%1, spread %2").arg(shortTime(facts->kept)).arg(static_cast<double>(facts->spread.count()) * 1e-6, 0, 'f', 2)
            : none);
    kept_[1][1]->setText(facts != nullptr && facts->sent > 0 && timed ? tr("%1 behind its beat").arg(shortTime(facts->mostBehind)) : none);
    kept_[2][1]->setText(facts == nullptr      ? none
                         : facts->refused == 0 ? countText(0)
                                               : tr("%1, %2").arg(countText(facts->refused), text(facts->refusedWhy)));
    kept_[3][1]->setText(facts != nullptr ? countText(facts->withheld) : none);
}

std::vector<ValueRow*> OutboxPanel::values() const
{
    std::vector<ValueRow*> out;
    for (ValueRow* row : rows_)
        if (!row->isHidden())
            out.push_back(row);
    return out;
}

QStringList OutboxPanel::lines() const
{
    QStringList out;
    if (const auto at = place()) {
        const auto [when, howLong] = look_.when(*at);
        out << when + QStringLiteral(", ") + howLong;
    }
    for (const ValueRow* row : values())
        out << row->words();
    for (const auto& line : kept_)
        out << line[0]->text() + QStringLiteral(": ") + line[1]->text();
    return out;
}

void OutboxPanel::say(const Expected<void>& done)
{
    problem_->setText(done ? QString() : text(done.error().text()));
    if (problem_->isHidden() == !done) {
        problem_->setVisible(!done);
        Q_EMIT heightChanged();
    }
}

// What the other ways need is taken away, and what this one needs gets a first value.
void OutboxPanel::chooseWhen(int when)
{
    const auto at = place();
    if (!at)
        return;
    const drive::OutboxRow& row = stage_.outbox().row(*at);
    const database::CatalogMessage* message = look_.message(*at);
    nlohmann::json next = {{"every", nullptr}, {"offset", nullptr}, {"count", nullptr}, {"answer", nullptr}, {"after", nullptr},
        {"at", nullptr}, {"key", nullptr}, {"held", nullptr}};
    switch (when) {
    case whenEvery:
        next["every"] = row.every.count() > 0                                           ? exactSpanText(row.every)
                        : message != nullptr && message->message->cycleTime.count() > 0 ? exactSpanText(message->message->cycleTime)
                                                                                        : std::string("100 ms");
        next["burst"] = nullptr;
        next["apart"] = nullptr;
        break;
    case whenAnswer: next["answer"] = row.answer.empty() ? std::string("id ") + can::toText(look_.id(*at)) : row.answer; break;
    case whenMoment:
        next["at"] = exactSpanText(
            std::chrono::ceil<std::chrono::seconds>(stage_.newest() - stage_.wholeFrom()) + std::chrono::seconds(10));
        break;
    case whenKey: {
        const QString free = freeRowKey(stage_);
        if (free.isEmpty())
            return say(fail("every key is taken"));
        next["key"] = free.toStdString();
        break;
    }
    default: break;
    }
    say(stage_.outbox().setFields(*at, next, tr("when it goes out")));
    fill();
}

void OutboxPanel::keep(FieldId id)
{
    const auto at = place();
    QLineEdit* edit = fields_[id].edit;
    if (!at || !edit->isModified())
        return;
    const QString words = edit->text().trimmed();
    const std::string typed = words.toStdString();
    static constexpr const char* names[fieldCount] = {
        "every", "count", "offset", "answer", "after", "at", "burst", "apart", "key", "comment", "", "", ""};
    nlohmann::json value;       // null: taken away
    Expected<void> done;
    switch (id) {
    case period:
    case offset:
    case after:
    case moment:
    case apart: {
        const auto span = spanFromText(typed);
        if (words.isEmpty() && id != period && id != moment)
            break;
        if (!span || span->count() < 0 || (id == period && span->count() == 0))
            done = fail(
                "'" + typed + "' is no " + (id == period ? "period" : "time"), {}, id == moment ? "Such as 100 s" : "Such as 20 ms");
        else
            value = exactSpanText(*span);
        break;
    }
    case count:
    case burst: {
        bool good = false;
        const qulonglong number = words.toULongLong(&good);
        if (words.isEmpty() || (good && number == (id == burst ? 1U : 0U)))
            break;
        if (!good)
            done = fail("'" + typed + "' is no count");
        else
            value = static_cast<std::uint64_t>(number);
        break;
    }
    case keyName:
        done = checkRowKey(stage_, words, *at);
        value = rowKeyName(words).toStdString();
        break;
    case bytes: done = stage_.outbox().setBytes(*at, words); break;
    case identifier: done = stage_.outbox().setIdentifier(*at, words); break;
    case length: done = keepLength(*at, words); break;
    default:
        if (!words.isEmpty())
            value = typed;
    }
    if (done && id < bytes) {
        nlohmann::json next = {{names[id], value}};
        if (id == burst && value.is_number() && stage_.outbox().row(*at).apart.count() == 0)
            next["apart"] = "2 ms";
        done = stage_.outbox().setFields(*at, next, id == comment ? tr("comment of a row") : tr("when it goes out"));
    }
    if (done)
        edit->setModified(false);
    say(done);
    fill();
}

}  // namespace wavetrope::app
