// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/import/several_logs_dialog.h"

#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QMessageBox>
#include <QVBoxLayout>

#include "app/import/text_log_dialog.h"
#include "app/paint/paint.h"
#include "app/parts/notation.h"
#include "app/parts/screen_room.h"
#include "app/theme/theme.h"
#include "base/time_text.h"
#include "formats/byte_source.h"
#include "formats/log_format.h"
#include "formats/trace_sink.h"

namespace wavetrope::app {

namespace {

constexpr std::uint64_t framesLookedAt = 200'000;
constexpr int lookEvery = 60;     // ms
enum { name, begins, lasts, offset, matched, own, fileColumnCount };

QString offsetText(Time time) { return QString::fromStdString(wavetrope::secondsText(time)) + QStringLiteral(" s"); }

}  // namespace

class SeveralLogsDialog::LookSink final : public formats::TraceSink {
public:
    LookSink(trace::Trace& trace, const std::atomic<bool>& closing) : TraceSink(trace), trace_(trace), closing_(closing) {}
    bool onProgress(std::uint64_t, std::uint64_t) override { return !closing_ && trace_.rows() < framesLookedAt; }

private:
    trace::Trace& trace_;
    const std::atomic<bool>& closing_;
};

SeveralLogsDialog::SeveralLogsDialog(const QStringList& paths, std::vector<std::optional<formats::TextLayout>> layouts, QWidget* parent)
    : QDialog(parent),
      table_(new QTableWidget(static_cast<int>(paths.size()), fileColumnCount)),
      strip_(new AlignStrip),
      says_(new QLabel),
      open_(new QPushButton(tr("Open")))
{
    setObjectName(QStringLiteral("severalLogsDialog"));
    setWindowTitle(tr("%1 logs as one").arg(paths.size()));
    resize(withinScreen(*this, {Theme::get().px(900), Theme::get().px(480)}));
    for (qsizetype i = 0; i < paths.size(); ++i) {
        parts_.push_back({paths[i].toStdString(), Time{0}, false, layouts[static_cast<std::size_t>(i)]});
        looks_.push_back(std::make_unique<Look>());
    }
    auto* column = new QVBoxLayout(this);
    auto* hint = new QLabel(tr("Their frames are put in the order of time. An offset is added to a log's times: a number, or drag its bar "
                               "below; lines join frames that it shares with the first log."));
    hint->setWordWrap(true);
    column->addWidget(hint);
    table_->setObjectName(QStringLiteral("severalLogs"));
    table_->setAccessibleName(tr("The logs"));
    table_->setHorizontalHeaderLabels(
        {tr("log"), tr("begins"), tr("lasts at least"), tr("offset"), tr("frames matched"), tr("buses of its own")});
    table_->horizontalHeaderItem(own)->setToolTip(tr("Its buses are others than those of the same name in the other logs"));
    table_->horizontalHeaderItem(offset)->setToolTip(tr("Added to its times: 1.5 s, -250 ms"));
    table_->verticalHeader()->hide();
    table_->setSelectionMode(QAbstractItemView::NoSelection);
    table_->setShowGrid(false);
    table_->setFrameShape(QFrame::NoFrame);
    table_->setTabKeyNavigation(false);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->horizontalHeader()->setSectionResizeMode(name, QHeaderView::Stretch);
    table_->horizontalHeader()->setMinimumSectionSize(Theme::get().px(110));   // a log's name: the table scrolls before it is cut
    for (const auto& [at, width] :
        {std::pair{begins, 196}, std::pair{lasts, 110}, std::pair{offset, 140}, std::pair{matched, 120}, std::pair{own, 120}})
        table_->setColumnWidth(at, Theme::get().px(width));
    filling_ = true;
    for (int row = 0; row < table_->rowCount(); ++row) {
        for (int c = 0; c < fileColumnCount; ++c) {
            auto* item = new QTableWidgetItem;
            item->setFlags(Qt::ItemIsEnabled | (c == offset && row > 0 ? Qt::ItemIsEditable | Qt::ItemIsSelectable : Qt::NoItemFlags)
                           | (c == own ? Qt::ItemIsUserCheckable : Qt::NoItemFlags));
            if (c == begins || c == lasts || c == offset || c == matched)
                item->setFont(Theme::get().mono());
            table_->setItem(row, c, item);
        }
        table_->item(row, name)->setText(QFileInfo(paths[row]).fileName());
        table_->item(row, name)->setToolTip(paths[row]);
        table_->item(row, begins)->setText(tr("reading"));
        table_->item(row, offset)->setText(row == 0 ? tr("the first") : offsetText(Time{0}));
        table_->item(row, own)->setCheckState(Qt::Unchecked);
    }
    filling_ = false;
    table_->setCurrentCell(1, offset);
    connect(table_, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* item) {
        if (filling_ || item->column() != offset)
            return;
        const auto span = spanFromText(item->text().toStdString());
        if (!span) {
            says_->setText(tr("'%1': expected a time such as 1.5 s or -250 ms").arg(item->text()));
            says_->setStyleSheet(QStringLiteral("color: %1;").arg(Theme::get().error.name()));
            return showLog(item->row());
        }
        says_->clear();
        setOffset(item->row(), *span, true);
    });
    column->addWidget(table_, 1);
    column->addWidget(strip_);
    auto* bottom = new QHBoxLayout;
    says_->setObjectName(QStringLiteral("severalSays"));
    bottom->addWidget(says_, 1);
    auto* again = new QPushButton(tr("Match clocks"));
    again->setObjectName(QStringLiteral("matchClocks"));
    again->setToolTip(tr("Sets each offset to where most frames match"));
    again->setAutoDefault(false);
    connect(again, &QPushButton::clicked, this, [this] {
        for (int i = 1; i < static_cast<int>(parts_.size()); ++i)
            align(i);
    });
    auto* cancel = new QPushButton(tr("Cancel"));
    cancel->setAutoDefault(false);
    bottom->addWidget(again);
    bottom->addWidget(cancel);
    bottom->addWidget(open_);
    open_->setObjectName(QStringLiteral("severalOpen"));
    open_->setToolTip(tr("Open them as one  (Enter)"));
    open_->setDefault(true);
    column->addLayout(bottom);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(open_, &QPushButton::clicked, this, &QDialog::accept);
    connect(strip_, &AlignStrip::offsetChanged, this, [this](int log, qint64 nanoseconds) { setOffset(log, Time(nanoseconds), false); });
    reader_ = std::thread([this] {
        for (std::size_t i = 0; i < parts_.size() && !closing_; ++i) {
            LookSink sink(looks_[i]->trace, closing_);
            formats::ReadOptions options;
            options.layout = parts_[i].layout ? &*parts_[i].layout : nullptr;
            const auto report = formats::readLogFile(parts_[i].path, sink, options);
            if (!report)
                looks_[i]->problem = QString::fromStdString(report.error().text());
            if (i > 0 && !closing_)
                looks_[i]->pairs = measure::LogPairs(looks_[0]->trace.snapshot(), looks_[i]->trace.snapshot());
            looks_[i]->done = true;
        }
    });
    connect(&timer_, &QTimer::timeout, this, &SeveralLogsDialog::follow);
    timer_.start(lookEvery);
}

SeveralLogsDialog::~SeveralLogsDialog()
{
    closing_ = true;
    reader_.join();
}

std::vector<formats::LogPart> SeveralLogsDialog::parts() const
{
    std::vector<formats::LogPart> parts = parts_;
    for (std::size_t i = 0; i < parts.size(); ++i)
        parts[i].ownBuses = table_->item(static_cast<int>(i), own)->checkState() == Qt::Checked;
    return parts;
}

void SeveralLogsDialog::follow()
{
    bool all = true;
    for (std::size_t i = 0; i < looks_.size(); ++i) {
        Look& look = *looks_[i];
        if (!look.done) {
            all = false;
            continue;
        }
        if (look.shown)
            continue;
        look.shown = true;
        // Clocks that agree already are left alone: a match there, and none elsewhere that says more.
        if (i > 0 && looks_[0]->done)
            align(static_cast<int>(i));
        showLog(static_cast<int>(i));
        showStrip();
    }
    if (all) {
        looked_ = true;
        timer_.stop();
    }
}

void SeveralLogsDialog::align(int log)
{
    Look& look = *looks_[static_cast<std::size_t>(log)];
    if (!look.done || !looks_[0]->done)
        return;
    look.matched = look.pairs.best();
    // A handful may be chance.
    const bool tells = look.matched.matched.size() >= 3 && look.matched.matched.size() * 2 >= look.matched.comparable;
    if (!tells)
        look.matched = look.pairs.at(parts_[static_cast<std::size_t>(log)].offset);
    parts_[static_cast<std::size_t>(log)].offset = tells ? look.matched.offset : parts_[static_cast<std::size_t>(log)].offset;
    showLog(log);
    showStrip();
}

void SeveralLogsDialog::setOffset(int log, Time time, bool fromTable)
{
    const auto at = static_cast<std::size_t>(log);
    parts_[at].offset = time;
    if (looks_[at]->done && looks_[0]->done)
        looks_[at]->matched = looks_[at]->pairs.at(time);
    showLog(log);
    if (fromTable)
        showStrip();
    else
        strip_->update();
}

void SeveralLogsDialog::showLog(int log)
{
    const auto at = static_cast<std::size_t>(log);
    const Look& look = *looks_[at];
    const trace::Snapshot snapshot = look.trace.snapshot();
    filling_ = true;
    table_->item(log, offset)->setText(log == 0 ? tr("the first") : offsetText(parts_[at].offset));
    if (look.done) {
        table_->item(log, begins)->setText(look.problem.isEmpty() ? momentText(snapshot.earliest()) : look.problem);
        table_->item(log, begins)->setToolTip(look.problem.isEmpty() ? tr("%1, UTC").arg(offsetText(snapshot.earliest())) : look.problem);
        table_->item(log, lasts)
            ->setText(look.problem.isEmpty() ? secondsText(static_cast<double>((snapshot.latest() - snapshot.earliest()).count()) * 1e-9, 3)
                                                   + QStringLiteral(" s")
                                             : QString());
        table_->item(log, matched)
            ->setText(log == 0 ? QString()
                      : look.matched.comparable == 0
                          ? tr("none to compare")
                          : tr("%1 of %2").arg(countText(look.matched.matched.size()), countText(look.matched.comparable)));
    }
    filling_ = false;
}

void SeveralLogsDialog::showStrip()
{
    std::vector<AlignStrip::Log> logs;
    for (std::size_t i = 0; i < parts_.size(); ++i) {
        const Look& look = *looks_[i];
        AlignStrip::Log log;
        log.name = QFileInfo(QString::fromStdString(parts_[i].path)).fileName();
        log.offset = parts_[i].offset;
        log.read = look.done && look.trace.rows() > 0;
        if (log.read) {
            const trace::Snapshot snapshot = look.trace.snapshot();
            log.begins = snapshot.earliest();
            log.ends = snapshot.latest();
            if (looks_[0]->done)
                for (const auto& match : look.matched.matched)
                    log.matched.emplace_back(looks_[0]->trace.snapshot().time(match.first), snapshot.time(match.second));
        }
        logs.push_back(std::move(log));
    }
    strip_->setLogs(std::move(logs));
}

std::optional<std::vector<formats::LogPart>> askForParts(const QStringList& paths, QWidget* parent)
{
    const auto refuse = [&](const QString& words) {
        QMessageBox::warning(parent, QObject::tr("Wavetrope"), words);
        return std::nullopt;
    };
    if (paths.size() > static_cast<qsizetype>(formats::mostLogs))
        return refuse(QObject::tr("%1 logs were chosen; up to %2 open as one").arg(paths.size()).arg(formats::mostLogs));
    std::vector<std::optional<formats::TextLayout>> layouts;
    for (const QString& path : paths) {
        auto source = formats::ByteSource::open(path.toStdString());
        if (!source)
            return refuse(QString::fromStdString(source.error().text()));
        layouts.emplace_back();
        if (formats::isTextLog(*source)) {
            layouts.back() = askForLayout(path, parent);
            if (!layouts.back())
                return {};
        }
    }
    SeveralLogsDialog dialog(paths, std::move(layouts), parent);
    if (dialog.exec() != QDialog::Accepted)
        return {};
    return dialog.parts();
}

}  // namespace wavetrope::app
