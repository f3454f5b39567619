// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/keeping/keeping.h"

#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QPushButton>
#include <QSettings>
#include <QStorageInfo>

#include "app/parts/named.h"
#include "app/parts/settings.h"
#include "app/theme/theme.h"
#include "formats/trace_sink.h"

namespace wavetrope::app {

namespace {

constexpr double mega = 1e6, giga = 1e9;
constexpr int bytesOfFrame = 23;    // of a classic frame with all indexes

QString sizeText(double bytes)
{
    return bytes >= giga ? QObject::tr("%1 GB").arg(bytes / giga, 0, 'f', 1) : QObject::tr("%1 MB").arg(bytes / mega, 0, 'f', 1);
}

}  // namespace

QString keepingText(std::size_t memory, std::uint64_t disk)
{
    return QObject::tr("%1 in memory, %2 on disk").arg(sizeText(static_cast<double>(memory)), sizeText(static_cast<double>(disk)));
}

KeepingDialog::KeepingDialog(QWidget* parent)
    : QDialog(parent),
      keep_(new QCheckBox(tr("Keep the run on the disk while it lasts"))),
      memory_(new QDoubleSpinBox),
      folder_(new QLineEdit),
      leaveFree_(new QDoubleSpinBox),
      says_(new QLabel)
{
    setObjectName(QStringLiteral("keepingDialog"));
    setWindowTitle(tr("Memory and disk of a run"));
    resize(Theme::get().px(620), 10);
    named(keep_, "keepingOn", tr("A run may then last longer than memory, and survives a crash"));
    named(memory_, "keepingMemory", tr("Bytes that the frames of a live run may take in memory"));
    named(folder_, "keepingFolder", tr("Folder for what memory has no place for; it is read back from there when it is looked at"));
    named(leaveFree_, "keepingFree", tr("Bytes of that disk that a run never touches"));
    const spool::SpoolOptions now = keepingOptions().value_or(spool::SpoolOptions{});
    const QSettings settings;
    keep_->setChecked(settings.value(KeepingKeys::on, true).toBool());
    for (QDoubleSpinBox* box : {memory_, leaveFree_}) {
        box->setSuffix(tr(" MB"));
        box->setDecimals(0);
        box->setSingleStep(256);
        box->setGroupSeparatorShown(true);
        box->setButtonSymbols(QAbstractSpinBox::NoButtons);
        box->setMaximumWidth(Theme::get().px(140));
    }
    memory_->setRange(static_cast<double>(spool::leastMemory) / mega, static_cast<double>(formats::memoryBound()) / mega);
    memory_->setValue(settings.value(KeepingKeys::memory, usualMemory()).toDouble());
    leaveFree_->setRange(0, 1e6);
    leaveFree_->setValue(static_cast<double>(now.leaveFree) / mega);
    folder_->setText(settings.value(KeepingKeys::folder, QString::fromStdString(spool::usualFolder())).toString());
    auto* choose = new QPushButton(tr("Choose..."));
    choose->setToolTip(tr("Choose the folder"));
    auto* folderLine = new QWidget;
    auto* folderLayout = new QHBoxLayout(folderLine);
    folderLayout->setContentsMargins(0, 0, 0, 0);
    folderLayout->addWidget(folder_, 1);
    folderLayout->addWidget(choose);

    auto* form = new QFormLayout(this);
    form->setContentsMargins(18, 16, 18, 14);
    form->setVerticalSpacing(10);
    form->addRow(keep_);
    form->addRow(tr("Memory"), memory_);
    form->addRow(tr("Folder"), folderLine);
    form->addRow(tr("Leave free"), leaveFree_);
    says_->setWordWrap(true);
    says_->setMinimumHeight(3 * QFontMetrics(Theme::get().body()).lineSpacing() + 4);
    says_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    form->addRow(says_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    form->addRow(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &KeepingDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &KeepingDialog::reject);
    connect(choose, &QPushButton::clicked, this, [this] {
        const QString chosen = QFileDialog::getExistingDirectory(this, tr("Folder for runs"), folder_->text());
        if (!chosen.isEmpty())
            folder_->setText(chosen);
    });
    connect(keep_, &QCheckBox::toggled, this, &KeepingDialog::refresh);
    connect(memory_, &QDoubleSpinBox::valueChanged, this, &KeepingDialog::refresh);
    connect(leaveFree_, &QDoubleSpinBox::valueChanged, this, &KeepingDialog::refresh);
    connect(folder_, &QLineEdit::textChanged, this, &KeepingDialog::refresh);
    refresh();
}

void KeepingDialog::refresh()
{
    for (QWidget* widget : {static_cast<QWidget*>(memory_), static_cast<QWidget*>(folder_), static_cast<QWidget*>(leaveFree_)})
        widget->setEnabled(keep_->isChecked());
    if (!keep_->isChecked()) {
        says_->setText(
            tr("A run stays in memory alone: a crash loses it, and the oldest frames of a long one go. Holds from the next run on."));
        return;
    }
    QDir at(folder_->text());
    while (!at.exists() && !at.isRoot() && at.isAbsolute())
        at = QDir(QFileInfo(at.path()).path());
    const double frames = memory_->value() * mega / bytesOfFrame;
    const double room = static_cast<double>(QStorageInfo(at).bytesAvailable()) - leaveFree_->value() * mega;
    says_->setText(
        tr("Memory holds the newest %1 million frames or so; older ones are read back from the disk, which has %2 for them. A crash loses "
           "the last second at most. A run that is kept when its window closes stays %3. Holds from the next run on.")
            .arg(frames / 1e6, 0, 'f', frames < 1e7 ? 1 : 0)
            .arg(sizeText(std::max(0.0, room)))
            .arg(keptRunDays() > 0 ? tr("for %1 days (Settings)").arg(keptRunDays()) : tr("until it is discarded")));
}

void KeepingDialog::accept()
{
    if (keep_->isChecked() && !QDir::isAbsolutePath(folder_->text())) {
        says_->setText(tr("The folder is to be a whole path, such as %1.").arg(QString::fromStdString(spool::usualFolder())));
        folder_->setFocus();
        return;
    }
    QSettings settings;
    settings.setValue(KeepingKeys::on, keep_->isChecked());
    settings.setValue(KeepingKeys::memory, memory_->value());
    settings.setValue(KeepingKeys::folder, folder_->text());
    settings.setValue(KeepingKeys::leaveFree, leaveFree_->value());
    QDialog::accept();
}

}  // namespace wavetrope::app
