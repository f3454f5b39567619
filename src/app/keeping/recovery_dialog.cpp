// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/keeping/recovery_dialog.h"

#include <QDateTime>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLocale>
#include <QMessageBox>
#include <QPointer>
#include <QVBoxLayout>

#include <algorithm>

#include "app/files/log_files.h"
#include "app/keeping/keeping.h"
#include "app/paint/paint.h"
#include "app/parts/screen_room.h"
#include "app/parts/settings.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

enum Column : int { started, rig, why, frames, size, columns };

}  // namespace

RecoveryDialog::RecoveryDialog(std::string folder, QWidget* parent)
    : QDialog(parent),
      folder_(std::move(folder)),
      says_(new QLabel),
      table_(new QTableWidget(0, columns)),
      progress_(new QProgressBar),
      open_(new QPushButton(tr("Open"))),
      save_(new QPushButton(tr("Save as log..."))),
      discard_(new QPushButton(tr("Discard"))),
      later_(new QPushButton(tr("Later")))
{
    setObjectName(QStringLiteral("recoveryDialog"));
    setWindowTitle(tr("Runs that were not ended"));
    setAttribute(Qt::WA_DeleteOnClose);
    resize(withinScreen(*this, {Theme::get().px(640), Theme::get().px(300)}));
    says_->setWordWrap(true);
    table_->setObjectName(QStringLiteral("recoveryRuns"));
    table_->setAccessibleName(tr("Runs that were not ended"));
    table_->setHorizontalHeaderLabels({tr("Started"), tr("Rig"), tr("Here because"), tr("Frames"), tr("Size")});
    table_->verticalHeader()->hide();
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setShowGrid(false);
    table_->setTabKeyNavigation(false);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(rig, QHeaderView::Stretch);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->setStyleSheet(QStringLiteral(
        "QTableWidget { outline: none; } QTableWidget::item { padding: 0 10px; border: none; } QHeaderView::section { padding: 0 13px; }"));
    table_->verticalHeader()->setDefaultSectionSize(Theme::get().rowHeight() + Theme::get().px(6));
    for (int column = 0; column < columns; ++column)
        table_->horizontalHeaderItem(column)->setTextAlignment((column >= frames ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
    open_->setToolTip(tr("Look at the run as at a log; it stays until it is discarded  (Enter)"));
    save_->setToolTip(tr("Write it as pcapng or pcap, whatever its size"));
    discard_->setToolTip(tr("Remove it for good  (Del)"));
    later_->setToolTip(tr("Leave everything as it is; asked again at the next start  (Escape)"));
    open_->setDefault(true);
    discard_->setShortcut(Qt::Key_Delete);
    for (const auto& [button, name] :
        {std::pair(open_, "primary"), {save_, "recoverySave"}, {discard_, "recoveryDiscard"}, {later_, "recoveryLater"}})
        button->setObjectName(QLatin1String(name));
    progress_->hide();
    auto* buttons = new QHBoxLayout;
    buttons->addWidget(discard_);
    buttons->addWidget(progress_, 1);
    buttons->addStretch(1);
    for (QPushButton* button : {later_, save_, open_})
        buttons->addWidget(button);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(18, 16, 18, 14);
    layout->setSpacing(12);
    layout->addWidget(says_);
    layout->addWidget(table_, 1);
    layout->addLayout(buttons);
    connect(table_, &QTableWidget::itemSelectionChanged, this, &RecoveryDialog::refresh);
    connect(table_, &QTableWidget::itemActivated, this, [this] { open_->click(); });
    connect(later_, &QPushButton::clicked, this, &RecoveryDialog::reject);
    connect(discard_, &QPushButton::clicked, this, &RecoveryDialog::discard);
    connect(open_, &QPushButton::clicked, this, [this] {
        if (const spool::UnfinishedRun* run = chosen()) {
            Q_EMIT openWanted(QString::fromStdString(run->path), QString::fromStdString(run->about.rig));
            QDialog::accept();
        }
    });
    connect(save_, &QPushButton::clicked, this, [this] {
        const QString path = askWhereToWriteLog(this, tr("Save the run"), QStringLiteral("recovered.pcapng"));
        if (!path.isEmpty())
            saveTo(path);
    });
    load();
}

RecoveryDialog::~RecoveryDialog()
{
    cancel_ = true;
    if (saver_.joinable())
        saver_.join();
}

RecoveryDialog* RecoveryDialog::offer(QWidget* parent, bool asked)
{
    const auto options = keepingOptions();
    auto* dialog = new RecoveryDialog(options ? options->folder : spool::usualFolder(), parent);
    if (std::all_of(
            dialog->runs().begin(), dialog->runs().end(), [asked](const spool::UnfinishedRun& run) { return run.kept && !asked; })) {
        delete dialog;
        return nullptr;
    }
    dialog->show();
    return dialog;
}

void RecoveryDialog::load()
{
    runs_ = spool::unfinishedRuns(folder_);
    table_->setRowCount(static_cast<int>(runs_.size()));
    for (int row = 0; row < table_->rowCount(); ++row) {
        const spool::UnfinishedRun& run = runs_[static_cast<std::size_t>(row)];
        const QString when =
            run.problem.empty()
                ? QLocale().toString(QDateTime::fromSecsSinceEpoch(run.about.startedAt), QStringLiteral("d MMM yyyy  HH:mm:ss"))
                : QFileInfo(QString::fromStdString(run.path)).lastModified().toString(QStringLiteral("d MMM yyyy  HH:mm:ss"));
        const QString texts[columns] = {when,
            run.problem.empty() ? QString::fromStdString(run.about.title)
                                : tr("cannot be read: %1").arg(QString::fromStdString(run.problem)),
            run.kept ? tr("it was kept") : tr("it was cut off"), run.problem.empty() ? countText(run.rows) : QString(),
            run.problem.empty() ? tr("%1 MB").arg(static_cast<double>(run.bytes) / 1e6, 0, 'f', 1) : QString()};
        for (int column = 0; column < columns; ++column) {
            auto* item = new QTableWidgetItem(texts[column]);
            item->setToolTip(QString::fromStdString(run.path));
            if (column >= frames)
                item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            table_->setItem(row, column, item);
        }
    }
    if (!runs_.empty())
        table_->selectRow(0);
    refresh();
}

const spool::UnfinishedRun* RecoveryDialog::chosen() const
{
    const int row = table_->currentRow();
    return row >= 0 && row < static_cast<int>(runs_.size()) ? &runs_[static_cast<std::size_t>(row)] : nullptr;
}

void RecoveryDialog::refresh()
{
    const spool::UnfinishedRun* run = chosen();
    const bool readable = run != nullptr && run->problem.empty() && !saving_;
    open_->setEnabled(readable);
    save_->setEnabled(readable);
    discard_->setEnabled(run != nullptr && !saving_);
    table_->setEnabled(!saving_);
    later_->setText(saving_ ? tr("Cancel") : tr("Later"));
    says_->setText(words());
}

QString RecoveryDialog::words() const
{
    if (runs_.empty())
        return tr("Nothing is left. Runs that a crash or a power cut ends are listed here, and those that were kept.");
    const auto kept = std::count_if(runs_.begin(), runs_.end(), [](const spool::UnfinishedRun& run) { return run.kept; });
    QStringList sentences;
    if (const auto cut = static_cast<std::ptrdiff_t>(runs_.size()) - kept; cut > 0)
        sentences << (cut == 1 ? tr("A run was cut off: the program or the machine was stopped while it went on. Up to about its last "
                                    "second, everything is there.")
                               : tr("%1 runs were cut off: the program or the machine was stopped while they went on. Up to about their "
                                    "last second, everything is there.")
                                     .arg(cut));
    if (kept > 0) {
        const int days = keptRunDays();
        const QString until = days > 0 ? tr("for %1 days (Settings), or until it is discarded").arg(days) : tr("until it is discarded");
        sentences << (kept == 1 ? tr("A run was kept when its window was closed; it stays %1.").arg(until)
                                : tr("%1 runs were kept when their windows were closed; each stays %2.").arg(kept).arg(until));
    }
    return sentences.join(QLatin1Char(' '));
}

void RecoveryDialog::saveTo(const QString& path)
{
    const spool::UnfinishedRun* run = chosen();
    if (run == nullptr || saving_)
        return;
    if (saver_.joinable())
        saver_.join();
    saving_ = true;
    cancel_ = false;
    progress_->setRange(0, 100);
    progress_->setValue(0);
    progress_->show();
    refresh();
    saver_ = std::thread([this, run = *run, path] {
        const auto report = spool::saveRun(run, path.toStdString(), [this](std::uint64_t done, std::uint64_t total) {
            QMetaObject::invokeMethod(
                this, [this, done, total] { progress_->setValue(static_cast<int>(100 * done / std::max<std::uint64_t>(1, total))); },
                Qt::QueuedConnection);
            return !cancel_.load();
        });
        QString problem;
        if (!report)
            problem = QString::fromStdString(report.error().text());
        else if (!report->warnings.empty())
            problem = QString::fromStdString(report->warnings.front().text());
        QMetaObject::invokeMethod(
            this,
            [this, path, problem] {
                saving_ = false;
                progress_->hide();
                refresh();
                if (problem.isEmpty())
                    says_->setText(tr("Saved to %1. The run can be discarded now.").arg(path));
                else
                    says_->setText(problem);
                Q_EMIT saved(path, problem);
            },
            Qt::QueuedConnection);
    });
}

void RecoveryDialog::discard()
{
    const spool::UnfinishedRun* run = chosen();
    if (run == nullptr)
        return;
    const QString question = run->problem.empty() ? tr("Discard this run of %1 frames for good?").arg(countText(run->rows))
                                                  : tr("Discard this run, which cannot be read, for good?");
    if (QMessageBox::question(this, tr("Discard"), question, QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Cancel)
        != QMessageBox::Discard)
        return;
    const auto gone = spool::discardRun(run->path);
    load();
    if (!gone)
        says_->setText(QString::fromStdString(gone.error().text()));
}

void RecoveryDialog::reject()
{
    if (saving_) {
        cancel_ = true;
        return;
    }
    QDialog::reject();
}

}  // namespace wavetrope::app
