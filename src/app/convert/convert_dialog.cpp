// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/convert/convert_dialog.h"

#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QMessageBox>
#include <QVBoxLayout>

#include "app/paint/paint.h"
#include "app/parts/named.h"
#include "app/parts/screen_room.h"
#include "app/stage/narrowing.h"
#include "app/theme/theme.h"
#include "base/time_text.h"

namespace wavetrope::app {

namespace {

constexpr int followEvery = 60;  // ms

struct Kind {
    const char* words;
    const char* ending;
    convert::Form form;
};
constexpr Kind kinds[] = {
    {QT_TRANSLATE_NOOP("ConvertDialog", "Values, a row each (CSV)"), ".csv", convert::Form::rows},
    {QT_TRANSLATE_NOOP("ConvertDialog", "Values, a column for each signal (CSV)"), ".csv", convert::Form::table},
    {QT_TRANSLATE_NOOP("ConvertDialog", "Frames and values, a database (SQLite)"), ".sqlite", convert::Form::database},
    {QT_TRANSLATE_NOOP("ConvertDialog", "Frames, a log (pcapng)"), ".pcapng", convert::Form::log},
    {QT_TRANSLATE_NOOP("ConvertDialog", "Frames, a log without buses and directions (pcap)"), ".pcap", convert::Form::log},
};
constexpr const char* packings[] = {"", ".gz", ".zst"};

}  // namespace

ConvertDialog::ConvertDialog(Stage& stage, const QString& filter, QWidget* parent)
    : QDialog(parent),
      stage_(stage),
      form_(new QFormLayout),
      kind_(new QComboBox),
      packing_(new QComboBox),
      filter_(new FilterLine(tr("All frames; or a filter, e.g. from WaterUnit"))),
      stretch_(new QComboBox),
      stretchEnds_(new QWidget),
      from_(new QLineEdit),
      to_(new QLineEdit),
      signals_(new QLineEdit),
      rows_(new QComboBox),
      rowsBox_(new QWidget),
      step_(new QLineEdit(QStringLiteral("10 ms"))),
      between_(new QComboBox),
      clock_(new QComboBox),
      path_(new QLineEdit),
      says_(new QLabel),
      progress_(new QProgressBar),
      start_(new QPushButton(tr("Write"))),
      close_(new QPushButton(tr("Close")))
{
    setObjectName(QStringLiteral("convertDialog"));
    setWindowTitle(tr("Convert"));
    setAttribute(Qt::WA_DeleteOnClose);
    resize(withinScreen(*this, {640, 320}));
    named(kind_, "convertKind", tr("What is written"));
    named(packing_, "convertPacking", tr("Whether the file is compressed"));
    named(filter_, "convertFilter", tr("Which frames"));
    named(stretch_, "convertStretch", tr("Which stretch of time"));
    named(from_, "convertFrom", tr("From, counted from the start: 12.5 s"));
    named(to_, "convertTo", tr("To, counted from the start: 14 s"));
    // Never a moment of which a part is hidden.
    for (QLineEdit* moment : {from_, to_})
        moment->setMinimumWidth(QFontMetrics(moment->font()).horizontalAdvance(QStringLiteral("00000.000000 s")) + Theme::get().px(22));
    named(signals_, "convertSignals", tr("Signals whose name, or Message.Signal, fits; * is any run of letters, ? any one"));
    named(rows_, "convertRows", tr("When the table has a row"));
    named(step_, "convertStep", tr("Time from row to row, such as 10 ms"));
    named(between_, "convertBetween", tr("What a signal has between two of its frames. What has texts always holds"));
    named(clock_, "convertClock", tr("What times count from"));
    named(path_, "convertPath", tr("Where the file goes"));
    named(start_, "convertStart", tr("Write the file  (Enter)"));
    for (const Kind& kind : kinds)
        kind_->addItem(tr(kind.words));
    packing_->addItems({tr("not compressed"), tr("compressed, .gz"), tr("compressed, .zst")});
    stretch_->addItems({tr("the whole run"), tr("what the timeline's window shows"), tr("from - to")});
    rows_->addItems({tr("a row whenever a value changes"), tr("a row every")});
    between_->addItems({tr("with the last value"), tr("with values in between")});
    clock_->addItems({tr("seconds since the start"), tr("seconds since 1970")});
    signals_->setPlaceholderText(tr("All signals; or a pattern, e.g. WaterState.*"));

    const auto line = [](std::initializer_list<QWidget*> parts, QWidget* box = new QWidget) {
        auto* layout = new QHBoxLayout(box);
        layout->setContentsMargins(0, 0, 0, 0);
        for (QWidget* part : parts)
            layout->addWidget(part, qobject_cast<QLineEdit*>(part) != nullptr ? 1 : 0);
        layout->addStretch(1);
        return box;
    };
    auto* choose = new QPushButton(tr("Choose..."));
    named(choose, "convertChoose", tr("Choose the file's place and name"));
    auto* where = new QHBoxLayout;
    where->addWidget(path_, 1);
    where->addWidget(choose);
    form_->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    form_->addRow(tr("Write"), line({kind_, packing_}));
    filter_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
    filter_->fillRow();
    form_->addRow(tr("Frames"), filter_);
    form_->addRow(tr("Time"), line({stretch_, line({from_, new QLabel(tr("to")), to_}, stretchEnds_)}));
    form_->addRow(tr("Signals"), signals_);
    form_->addRow(tr("Rows"), line({rows_, step_, between_}, rowsBox_));
    form_->addRow(tr("Times"), line({clock_}));
    form_->addRow(tr("File"), where);
    auto* column = new QVBoxLayout(this);
    column->addLayout(form_);
    column->addStretch(1);
    says_->setObjectName(QStringLiteral("convertSays"));
    says_->setWordWrap(true);
    column->addWidget(says_);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    progress_->setFixedHeight(4);
    progress_->hide();
    column->addWidget(progress_);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch(1);
    buttons->addWidget(close_);
    buttons->addWidget(start_);
    column->addLayout(buttons);
    start_->setDefault(true);
    close_->setAutoDefault(false);
    choose->setAutoDefault(false);

    filter_->setNamed(stage.document().rig().namedFilters());
    filter_->setCatalog(stage.document().catalog());
    filter_->setText(filter);
    const QString base =
        stage.document().isLive()
            ? QStringLiteral("run")
            : QFileInfo(QString::fromStdString(std::string(formats::withoutCompression(stage.document().path())))).completeBaseName();
    const QString folder = stage.document().isLive() ? QString()
                                                     : QFileInfo(QString::fromStdString(stage.document().path())).path() + QLatin1Char('/');
    path_->setText(folder + base + QLatin1String(".csv"));

    connect(kind_, &QComboBox::currentIndexChanged, this, &ConvertDialog::formChanged);
    connect(packing_, &QComboBox::currentIndexChanged, this, &ConvertDialog::formChanged);
    connect(rows_, &QComboBox::currentIndexChanged, this, &ConvertDialog::formChanged);
    connect(stretch_, &QComboBox::currentIndexChanged, this, &ConvertDialog::formChanged);
    connect(filter_, &FilterLine::filterChanged, this, &ConvertDialog::showCount);
    connect(filter_, &FilterLine::keepWanted, this, [this](const QString& name, const QString& text) { keepFilter(stage_, name, text); });
    for (auto changed : {&Stage::catalogChanged, &Stage::becameReady})
        connect(&stage, changed, this, [this] { filter_->setCatalog(stage_.document().catalog()); });
    connect(choose, &QPushButton::clicked, this, &ConvertDialog::choosePath);
    connect(start_, &QPushButton::clicked, this, &ConvertDialog::begin);
    connect(close_, &QPushButton::clicked, this, &ConvertDialog::reject);
    connect(&timer_, &QTimer::timeout, this, &ConvertDialog::follow);
    timer_.start(followEvery);
    formChanged();
    showCount();
}

ConvertDialog::~ConvertDialog()
{
    cancelled_ = true;
    if (thread_.joinable())
        thread_.join();
}

QString ConvertDialog::ending() const
{
    return QLatin1String(kinds[kind_->currentIndex()].ending) + QLatin1String(packings[packing_->currentIndex()]);
}

void ConvertDialog::formChanged()
{
    const convert::Form form = kinds[kind_->currentIndex()].form;
    form_->setRowVisible(signals_, form != convert::Form::log);
    form_->setRowVisible(rowsBox_, form == convert::Form::table);
    form_->setRowVisible(clock_->parentWidget(), form == convert::Form::rows || form == convert::Form::table);
    step_->setVisible(rows_->currentIndex() == 1);
    between_->setVisible(rows_->currentIndex() == 1);
    stretchEnds_->setVisible(stretch_->currentIndex() == 2);
    if (stretch_->currentIndex() == 2 && from_->text().isEmpty()) {
        from_->setText(secondsText(stage_.seconds(stage_.windowFrom()), 3) + QStringLiteral(" s"));
        to_->setText(secondsText(stage_.seconds(stage_.windowTo()) + 0.001, 3) + QStringLiteral(" s"));
    }
    // The name keeps its stem and says what the file is.
    QString stem = path_->text();
    static const QStringList endings = {QStringLiteral(".gz"), QStringLiteral(".zst"), QStringLiteral(".csv"), QStringLiteral(".sqlite"),
        QStringLiteral(".pcapng"), QStringLiteral(".pcap")};
    for (const QString& known : endings)
        if (stem.endsWith(known, Qt::CaseInsensitive))
            stem.chop(known.size());
    path_->setText(stem + ending());
    if (form != convert::Form::log && !stage_.catalog().anyDatabase())
        say(tr("No database explains these frames: there are no values to write. Attach one in the rig."), true);
    else if (!working())
        say({}, false);
}

void ConvertDialog::showCount()
{
    scan_.reset();
    if (!filter_->filter().passesEverything())
        scan_ = std::make_unique<BackgroundScan>(filter_->filter(), stage_.document().begins());
    follow();
}

void ConvertDialog::choosePath()
{
    const QString path = QFileDialog::getSaveFileName(
        this, tr("Write to"), path_->text(), QStringLiteral("*") + ending(), nullptr, QFileDialog::DontConfirmOverwrite);
    if (!path.isEmpty())
        path_->setText(path.endsWith(ending(), Qt::CaseInsensitive) ? path : path + ending());
}

void ConvertDialog::say(const QString& text, bool wrong)
{
    says_->setText(text);
    says_->setStyleSheet(QStringLiteral("color: %1;").arg((wrong ? Theme::get().error : Theme::get().ink2).name()));
}

std::optional<Time> ConvertDialog::momentOf(QLineEdit* edit, const QString& name)
{
    const auto span = spanFromText(edit->text().toStdString());
    if (!span) {
        say(tr("%1 '%2': expected a time from the start, such as 12.5 s").arg(name, edit->text()), true);
        edit->setFocus();
        return {};
    }
    return stage_.document().begins() + *span;
}

std::optional<convert::Conversion> ConvertDialog::conversion()
{
    convert::Conversion made;
    made.path = path_->text().toStdString();
    made.form = kinds[kind_->currentIndex()].form;
    made.filter = filter_->filter();
    made.signals = signals_->text().trimmed().toStdString();
    made.clock = clock_->currentIndex() == 0 ? convert::Clock::start : convert::Clock::epoch;
    if (stretch_->currentIndex() == 1) {
        made.from = stage_.windowFrom();
        made.to = stage_.windowTo();
    } else if (stretch_->currentIndex() == 2) {
        const auto from = momentOf(from_, tr("From"));
        const auto to = from ? momentOf(to_, tr("To")) : std::nullopt;
        if (!to)
            return {};
        made.from = *from;
        made.to = *to;
    }
    if (made.form == convert::Form::table && rows_->currentIndex() == 1) {
        const auto step = spanFromText(step_->text().toStdString());
        if (!step || step->count() <= 0) {
            say(tr("A row every '%1': expected a time such as 10 ms").arg(step_->text()), true);
            step_->setFocus();
            return {};
        }
        made.step = *step;
        made.between = between_->currentIndex() == 1 ? convert::Between::interpolate : convert::Between::hold;
    }
    return made;
}

void ConvertDialog::begin()
{
    if (working()) {
        cancelled_ = true;
        return;
    }
    auto made = conversion();
    if (!made)
        return;
    if (QFileInfo::exists(path_->text())) {
        if (QMessageBox::question(
                this, tr("Convert"), tr("%1 exists. Replace it?").arg(path_->text()), QMessageBox::Yes | QMessageBox::No, QMessageBox::No)
            != QMessageBox::Yes)
            return;
        made->overwrite = true;
    }
    cancelled_ = over_ = false;
    perMille_ = 0;
    say(tr("Writing"), false);
    progress_->setValue(0);
    progress_->show();
    start_->setText(tr("Cancel"));
    start_->setToolTip(tr("End the writing; nothing is left of the file  (Escape)"));
    thread_ = std::thread([this, snapshot = stage_.snapshot(), catalog = stage_.document().catalog(), conversion = std::move(*made)] {
        outcome_ = convert::convert(snapshot, catalog, conversion, [this](std::uint64_t done, std::uint64_t total) {
            perMille_ = total == 0 ? 0 : static_cast<int>(done * 1000 / total);
            return !cancelled_;
        });
        over_ = true;
    });
}

void ConvertDialog::follow()
{
    if (scan_) {
        scan_->update(stage_.snapshot());
        filter_->setResult(scan_->seen() >= stage_.snapshot().rows() ? tr("%1 frames").arg(countText(scan_->size()))
                                                                     : tr("%1 frames, counting").arg(countText(scan_->size())));
    } else {
        filter_->setResult(tr("%1 frames").arg(countText(stage_.snapshot().rows())));
    }
    if (!working())
        return;
    progress_->setValue(perMille_);
    if (!over_)
        return;
    thread_.join();
    progress_->hide();
    start_->setText(tr("Write"));
    start_->setToolTip(tr("Write the file  (Enter)"));
    const auto& outcome = *outcome_;
    if (!outcome)
        return say(QString::fromStdString(outcome.error().text()), !cancelled_);
    const convert::Form form = kinds[kind_->currentIndex()].form;
    QString words = form == convert::Form::table
                        ? tr("Wrote %1 rows from %2 frames").arg(countText(outcome->values), countText(outcome->frames))
                    : form == convert::Form::log
                        ? tr("Wrote %1 frames").arg(countText(outcome->frames))
                        : tr("Wrote %1 values of %2 frames").arg(countText(outcome->values), countText(outcome->frames));
    words += tr(", %1 MB, to %2.").arg(static_cast<double>(outcome->bytes) * 1e-6, 0, 'f', 1).arg(path_->text());
    for (const std::string& warning : outcome->warnings)
        words += QStringLiteral("\n") + QString::fromStdString(warning);
    say(words, false);
}

void ConvertDialog::reject()
{
    if (working()) {  // the first Escape ends the writing
        cancelled_ = true;
        return;
    }
    QDialog::reject();
}

}  // namespace wavetrope::app
