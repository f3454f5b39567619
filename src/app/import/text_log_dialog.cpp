// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/import/text_log_dialog.h"

#include <QFileInfo>
#include <QHBoxLayout>
#include <QMessageBox>
#include <QVBoxLayout>

#include "app/parts/named.h"
#include "app/parts/notation.h"
#include "app/parts/screen_room.h"
#include "app/parts/text.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "formats/log_format.h"
#include "formats/text_line.h"

namespace wavetrope::app {

namespace {

constexpr std::size_t looksAt = 64 * 1024;
constexpr std::size_t linesShown = 200;
constexpr int framesShown = 12;
constexpr const char separators[] = {' ', '\t', ',', ';', '|', '{', '<', '='};

}  // namespace

TextLogDialog::TextLogDialog(const QString& path, const std::string& head, const std::string& folder, QWidget* parent)
    : QDialog(parent),
      head_(head),
      folder_(folder),
      questions_(new QVBoxLayout),
      table_(new LayoutTable),
      separator_(new QComboBox),
      time_(new QComboBox),
      identifiers_(new QComboBox),
      bytes_(new QComboBox),
      spread_(new QComboBox),
      length_(new QComboBox),
      comma_(new QCheckBox(tr("decimal comma"))),
      since_(new QCheckBox(tr("since the line before"))),
      padded_(new QCheckBox(tr("eight digits for 11 bits too"))),
      frames_(new QPlainTextEdit),
      says_(new QLabel),
      name_(new QLineEdit),
      open_(new QPushButton(tr("Open")))
{
    setObjectName(QStringLiteral("textLogDialog"));
    setWindowTitle(tr("%1: a log of text").arg(QFileInfo(path).fileName()));
    resize(withinScreen(*this, {1000, 700}));
    named(separator_, "textSeparator", tr("What parts the columns"));
    named(time_, "textTime", tr("What a number of the time column counts"));
    named(identifiers_, "textIdentifiers", tr("In what base identifiers without a sign of it are"));
    named(bytes_, "textBytes", tr("In what base the data bytes are"));
    named(spread_, "textSpread", tr("How the data bytes stand"));
    named(length_, "textLength", tr("What the length counts"));
    named(comma_, "textComma", tr("Times have a comma before their decimals"));
    named(since_, "textSince", tr("Times count from the line before"));
    named(padded_, "textPadded", tr("Identifiers of 11 bits are written with eight digits too; else eight digits mean 29 bits"));
    named(frames_, "textFrames", tr("The first lines, read as frames"));
    named(name_, "textName", tr("A name under which the layout is kept; logs that it fits are read by it from then on"));
    named(open_, "textOpen", tr("Open the log, read so  (Enter)"));
    separator_->addItems(
        {tr("blanks"), tr("tab"), tr("comma"), tr("semicolon"), tr("bar"), tr("JSON objects"), tr("tags"), tr("name=value")});
    time_->addItems({tr("seconds"), tr("milliseconds"), tr("microseconds"), tr("nanoseconds"), tr("time of day")});
    for (QComboBox* base : {identifiers_, bytes_})
        base->addItems({tr("hexadecimal"), tr("decimal")});
    spread_->addItems({tr("a column each"), tr("all in one column")});
    length_->addItems({tr("bytes"), tr("length code")});
    name_->setPlaceholderText(tr("not kept; or a name"));

    auto* column = new QVBoxLayout(this);
    column->setSpacing(Theme::get().px(8));
    auto* hint = new QLabel(
        tr("Its lines are read like this. Drag a head to the column that it belongs to, or click it, to correct the reading."));
    hint->setWordWrap(true);
    column->addWidget(hint);
    column->addLayout(questions_);
    column->addWidget(table_, 3);
    const auto row = [&](std::initializer_list<std::pair<QString, QWidget*>> parts) {
        auto* line = new QHBoxLayout;
        for (const auto& [label, widget] : parts) {
            if (!label.isEmpty())
                line->addWidget(new QLabel(label));
            line->addWidget(widget);
            line->addSpacing(Theme::get().px(6));
        }
        line->addStretch(1);
        column->addLayout(line);
    };
    row({{tr("Columns parted by"), separator_}, {tr("Times in"), time_}, {{}, comma_}, {{}, since_}});
    row({{tr("Identifiers"), identifiers_}, {{}, padded_}});
    row({{tr("Data"), bytes_}, {{}, spread_}, {tr("Length in"), length_}});
    frames_->setReadOnly(true);
    frames_->setLineWrapMode(QPlainTextEdit::NoWrap);
    frames_->setTabChangesFocus(true);
    frames_->setFrameShape(QFrame::NoFrame);
    name_->setMinimumWidth(Theme::get().px(170));
    column->addWidget(frames_, 1);
    auto* bottom = new QHBoxLayout;
    says_->setObjectName(QStringLiteral("textSays"));
    bottom->addWidget(says_, 1);
    bottom->addWidget(new QLabel(tr("Keep as")));
    bottom->addWidget(name_);
    auto* cancel = new QPushButton(tr("Cancel"));
    cancel->setAutoDefault(false);
    bottom->addWidget(cancel);
    bottom->addWidget(open_);
    open_->setDefault(true);
    column->addLayout(bottom);

    std::vector<std::string> lines;
    for (const std::string_view line : formats::linesOf(head_, linesShown))
        lines.emplace_back(line.substr(0, 1000));
    if (auto found = formats::recogniseLayout(head_, path.toStdString())) {
        found_ = std::move(*found);
    } else {
        found_.layout.columns.assign(4, formats::Meaning::nothing);     // all is up to the user
    }
    answered_.assign(found_.questions.size(), false);
    table_->setLines(std::move(lines));
    table_->setTextLayout(found_.layout, found_.confidence);
    showFields();
    showQuestions();
    showFrames();
    for (QComboBox* box : {separator_, time_, identifiers_, bytes_, spread_, length_})
        connect(box, &QComboBox::currentIndexChanged, this, &TextLogDialog::takeFields);
    for (QCheckBox* box : {comma_, since_, padded_})
        connect(box, &QCheckBox::toggled, this, &TextLogDialog::takeFields);
    connect(table_, &LayoutTable::layoutChanged, this, &TextLogDialog::showFrames);
    connect(open_, &QPushButton::clicked, this, &TextLogDialog::accept);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    const auto restyle = [this] { frames_->setFont(Theme::get().mono()); };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
}

void TextLogDialog::showQuestions()
{
    for (std::size_t i = 0; i < found_.questions.size(); ++i) {
        const formats::LayoutQuestion& question = found_.questions[i];
        auto* box = new QWidget;
        box->setObjectName(QStringLiteral("textQuestion%1").arg(i));
        auto* line = new QHBoxLayout(box);
        line->setContentsMargins(0, 0, 0, 0);
        auto* words = new QLabel(text(question.what) + tr(" The lines do not tell."));
        words->setFont(Theme::get().bodyStrong());
        line->addWidget(words);
        for (std::size_t k = 0; k < question.answers.size(); ++k) {
            auto* answer = new QPushButton(text(question.answers[k]));
            answer->setObjectName(QStringLiteral("textAnswer%1_%2").arg(i).arg(k));
            answer->setAutoDefault(false);
            line->addWidget(answer);
            connect(answer, &QPushButton::clicked, this, [this, i, k, box] {
                formats::TextLayout layout = table_->textLayout();
                formats::answer(layout, found_.questions[i], k);
                answered_[i] = true;
                box->hide();
                table_->setTextLayout(layout, found_.confidence);
                showFields();
                showFrames();
            });
        }
        line->addStretch(1);
        questions_->addWidget(box);
    }
}

void TextLogDialog::showFields()
{
    const formats::TextLayout& layout = table_->textLayout();
    showing_ = true;
    separator_->setCurrentIndex(
        static_cast<int>(std::find(std::begin(separators), std::end(separators), layout.separator) - std::begin(separators)));
    time_->setCurrentIndex(static_cast<int>(layout.timeForm));
    identifiers_->setCurrentIndex(static_cast<int>(layout.identifierBase));
    bytes_->setCurrentIndex(static_cast<int>(layout.dataBase));
    spread_->setCurrentIndex(static_cast<int>(layout.bytes));
    length_->setCurrentIndex(layout.lengthIsCode ? 1 : 0);
    comma_->setChecked(layout.decimalComma);
    since_->setChecked(layout.sincePrevious);
    padded_->setChecked(layout.padded);
    showing_ = false;
}

void TextLogDialog::takeFields()
{
    if (showing_)
        return;
    formats::TextLayout layout = table_->textLayout();
    layout.separator = separators[separator_->currentIndex()];
    layout.timeForm = static_cast<formats::TimeForm>(time_->currentIndex());
    layout.identifierBase = static_cast<formats::Base>(identifiers_->currentIndex());
    layout.dataBase = static_cast<formats::Base>(bytes_->currentIndex());
    layout.bytes = static_cast<formats::Bytes>(spread_->currentIndex());
    layout.lengthIsCode = length_->currentIndex() == 1;
    layout.decimalComma = comma_->isChecked();
    layout.sincePrevious = since_->isChecked();
    layout.padded = padded_->isChecked();
    // A field that was set by hand answers its question.
    for (std::size_t i = 0; i < found_.questions.size(); ++i) {
        const formats::TextLayout& usual = found_.questions[i].choices.front();
        const formats::TextLayout& other = found_.questions[i].choices.back();
        const formats::TextLayout& before = table_->textLayout();
        if ((usual.identifierBase != other.identifierBase && layout.identifierBase != before.identifierBase)
            || (usual.dataBase != other.dataBase && layout.dataBase != before.dataBase)
            || (usual.timeForm != other.timeForm && layout.timeForm != before.timeForm)) {
            answered_[i] = true;
            if (auto* box = findChild<QWidget*>(QStringLiteral("textQuestion%1").arg(i)))
                box->hide();
        }
    }
    table_->setTextLayout(layout, found_.confidence);
    showFrames();
}

void TextLogDialog::showFrames()
{
    const formats::TextLayout& layout = table_->textLayout();
    formats::LineReader reader(layout);
    can::FrameView frame;
    std::uint8_t payload[can::maxLength];
    std::string_view channel;
    QStringList shown;
    unsigned number = 0;
    for (const std::string_view line : formats::linesOf(head_, linesShown)) {
        if (number++ < layout.headLines || formats::isSkipped(line, layout) || reader.read(line, frame, payload, channel) != nullptr)
            continue;
        const QByteArray bytes = QByteArray(reinterpret_cast<const char*>(frame.data), frame.length).toHex(' ').toUpper();
        shown << QStringLiteral("%1  %2  %3  %4  %5  %6  %7")
                     .arg(momentText(frame.time), 20)
                     .arg(QString::fromUtf8(channel.data(), static_cast<qsizetype>(channel.size())), -10)
                     .arg(QLatin1String(can::toText(frame.direction)), -8)
                     .arg(QLatin1String(can::toText(frame.kind)), -6)
                     .arg(QString::fromStdString(can::toText(frame.id)), -10)
                     .arg(frame.length, 2)
                     .arg(QString::fromLatin1(bytes));
        if (shown.size() == framesShown)
            break;
    }
    frames_->setPlainText(shown.isEmpty() ? tr("No line is a frame by this reading.") : shown.join(QLatin1Char('\n')));
    const formats::Fit fit = formats::fitOf(layout, head_);
    const bool open = std::find(answered_.begin(), answered_.end(), false) != answered_.end();
    says_->setText(
        open ? tr("Answer what the lines leave open.") : tr("%1 of the first %2 lines are frames.").arg(fit.fitting).arg(fit.lines));
    open_->setEnabled(!open && fit.fitting > 0);
}

void TextLogDialog::accept()
{
    if (!open_->isEnabled())
        return;
    if (const QString name = name_->text().trimmed(); !name.isEmpty()) {
        formats::TextLayout layout = table_->textLayout();
        layout.name = name.toStdString();
        formats::KeptLayouts kept(folder_);
        if (const auto done = kept.keep(layout); !done) {
            QMessageBox::warning(this, tr("Wavetrope"), text(done.error().text()));
            return;
        }
    }
    QDialog::accept();
}

std::optional<formats::TextLayout> askForLayout(const QString& path, QWidget* parent)
{
    auto source = formats::ByteSource::open(path.toStdString());
    if (!source)
        return {};
    const auto bytes = source->window(looksAt);
    const std::string head(reinterpret_cast<const char*>(bytes.data()), std::min(bytes.size(), looksAt));
    const std::string folder = formats::KeptLayouts::usualFolder();
    const formats::KeptLayouts kept(folder);
    for (const formats::TextLayout& layout : kept.all())
        if (formats::fitOf(layout, head).good())
            return layout;
    TextLogDialog dialog(path, head, folder, parent);
    if (dialog.exec() != QDialog::Accepted)
        return {};
    return dialog.textLayout();
}

}  // namespace wavetrope::app
