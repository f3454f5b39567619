// SPDX-License-Identifier: GPL-3.0-or-later
// Opening rigs, logs and runs in windows of their own.
#include <QFileInfo>
#include <QMessageBox>

#include "app/files/recent_files.h"
#include "app/import/several_logs_dialog.h"
#include "app/import/text_log_dialog.h"
#include "app/keeping/keeping_options.h"
#include "app/keeping/recovery_dialog.h"
#include "app/shell/main_window.h"

namespace wavetrope::app {

MainWindow* MainWindow::openFile(const QString& path, const rig::Rig& rigForLogs, QWidget* parent, bool follow)
{
    MainWindow* window = nullptr;
    if (path.endsWith(QLatin1String(".json"), Qt::CaseInsensitive)) {
        const auto rig = rig::loadRig(path.toStdString());
        if (!rig) {
            QMessageBox::warning(parent, tr("Wavetrope"), QString::fromStdString(rig.error().text()));
            return nullptr;
        }
        auto document = liveRun(*rig);
        if (!document) {
            QMessageBox::warning(parent, tr("Wavetrope"), QString::fromStdString(document.error().text()));
            return nullptr;
        }
        window = new MainWindow(std::move(*document));
    } else {
        auto source = formats::ByteSource::open(path.toStdString());
        if (!source) {
            QMessageBox::warning(parent, tr("Wavetrope"), QString::fromStdString(source.error().text()));
            return nullptr;
        }
        if (const auto known = formats::knownLog(*source); !known) {
            QMessageBox::warning(parent, tr("Wavetrope"), QString::fromStdString(known.error().text()));
            return nullptr;
        }
        std::optional<formats::TextLayout> layout;
        if (!follow && formats::isTextLog(*source)) {
            layout = askForLayout(path, parent);
            if (!layout)
                return nullptr;
        }
        window = new MainWindow(RunDocument::log(path.toStdString(), rigForLogs, std::move(layout), follow));
    }
    window->show();
    noteRecentFile(path);
    const auto& problems = window->document().isLive() ? window->document().databases().problems : std::vector<Error>{};
    if (!problems.empty()) {
        QStringList lines;
        for (std::size_t i = 0; i < problems.size() && i < 8; ++i)
            lines << QString::fromStdString(problems[i].text());
        if (problems.size() > 8)
            lines << tr("and %1 more").arg(problems.size() - 8);
        auto* box = new QMessageBox(QMessageBox::Warning, tr("Wavetrope"),
            tr("The rig runs, but not all of its databases could be read:\n\n%1").arg(lines.join(QLatin1Char('\n'))), QMessageBox::Ok,
            window);
        box->setAttribute(Qt::WA_DeleteOnClose);
        box->open();
    }
    return window;
}

MainWindow* MainWindow::openLogs(const QStringList& paths, const rig::Rig& rigForLogs, QWidget* parent)
{
    if (paths.size() == 1)
        return openFile(paths.front(), rigForLogs, parent);
    auto parts = askForParts(paths, parent);
    if (!parts)
        return nullptr;
    auto* window = new MainWindow(RunDocument::logs(std::move(*parts), rigForLogs));
    window->show();
    return window;
}

void MainWindow::offerRecovery(bool asked)
{
    RecoveryDialog* dialog = RecoveryDialog::offer(this, asked);
    if (dialog == nullptr && asked)
        QMessageBox::information(this, tr("Wavetrope"),
            tr("There are none. A run that a crash or a power cut ends is offered here, and at the next start; one that is kept when its "
               "window closes is found here."));
    if (dialog == nullptr)
        return;
    connect(dialog, &RecoveryDialog::openWanted, this, [this](const QString& path, const QString& rigPath) {
        // Explained by what it ran by, where that is still there.
        auto rig = rigPath.isEmpty() ? Expected<rig::Rig>(document_->rig()) : rig::loadRig(rigPath.toStdString());
        openFile(path, rig ? *rig : document_->rig(), this);
    });
}

}  // namespace wavetrope::app
