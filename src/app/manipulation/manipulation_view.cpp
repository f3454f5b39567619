// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/manipulation/manipulation_view.h"

#include <QCompleter>
#include <QCoreApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollBar>
#include <QStringListModel>
#include <QWheelEvent>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/edit_times.h"
#include "app/parts/elided_label.h"
#include "app/theme/theme.h"
#include "base/nearest_name.h"
#include "rig/session.h"

namespace wavetrope::app {

namespace {

constexpr double leverRow = 26, leverAt = 12, leverBadgeAt = 34, leverNodeAt = 56, leverWordsAt = 150, leverControlWide = 62,
                 leverLineTall = 30;

drive::Node* nodeNamed(rig::Session& session, const std::string& name) { return dynamic_cast<drive::Node*>(session.actor(name)); }

void applyTo(rig::Session& session, const std::string& text, std::optional<Error>* problem = nullptr)
{
    const auto wanted = drive::manipulationFromText(text);
    std::optional<Error> wrong;
    if (!wanted) {
        wrong = wanted.error();
    } else if (drive::Node* node = nodeNamed(session, wanted->node); node == nullptr) {
        std::vector<std::string> names;
        for (const drive::Node* one : session.all<drive::Node>())
            names.push_back(one->name());
        wrong = Error{"the rig has no node '" + wanted->node + "'", {}, 0, 0, didYouMean(wanted->node, names)};
    } else if (const auto done = node->manipulate(*wanted); !done) {
        wrong = done.error();
    }
    if (problem != nullptr)
        *problem = wrong;
}

// The newest of that text.
void liftFrom(rig::Session& session, const std::string& name, const std::string& text)
{
    drive::Node* node = nodeNamed(session, name);
    if (node == nullptr)
        return;
    const auto facts = std::any_cast<drive::NodeFacts>(node->report().facts);
    for (std::size_t i = facts.manipulations.size(); i-- > 0;)
        if (facts.manipulations[i].text == text) {
            node->lift(i);
            return;
        }
}

class ManipulateCommand : public QUndoCommand {
public:
    ManipulateCommand(RunDocument& document, const QString& node, const QString& text, bool add)
        : QUndoCommand(add ? QObject::tr("change %1").arg(node) : QObject::tr("lift what changes %1").arg(node)),
          document_(document),
          node_(node.toStdString()),
          text_(text.toStdString()),
          add_(add)
    {}
    void undo() override { apply(!add_); }
    void redo() override { apply(add_); }

private:
    void apply(bool add)
    {
        if (document_.session() == nullptr)
            return;
        document_.session()->call([&](rig::Session& session) { add ? applyTo(session, text_) : liftFrom(session, node_, text_); });
    }
    RunDocument& document_;
    std::string node_, text_;
    bool add_;
};

}  // namespace

ManipulationView::ManipulationView(Stage& stage)
    : View(stage),
      tools_(new QWidget),
      facts_(new ElidedLabel(tools_)),
      liftAll_(new QPushButton(tr("Lift all"), tools_)),
      line_(new QLineEdit(this)),
      bar_(new QScrollBar(Qt::Vertical, this))
{
    EditTimes::follow(undo_);
    setObjectName(QStringLiteral("manipulations"));
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("What is done on purpose to what nodes send"));
    auto* row = new QHBoxLayout(tools_);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(facts_, 1);
    row->addWidget(liftAll_);
    liftAll_->setObjectName(QStringLiteral("liftAll"));
    liftAll_->setToolTip(tr("All nodes send again as they would by themselves"));
    Theme::writeInBody(facts_);
    line_->setObjectName(QStringLiteral("manipulationLine"));
    line_->setPlaceholderText(tr("WaterUnit WaterState.Flow = 2 from 10s to 12s, or NODE MESSAGE off 3 times"));
    line_->setToolTip(tr("NODE MESSAGE.SIGNAL = value, + 6, * 1.5, stuck, wrong; NODE MESSAGE off, later 80ms, again; then 3 times, from "
                         "10s, to 12s  (Enter)"));
    auto* completer = new QCompleter(this);
    completer->setModel(new QStringListModel(completer));
    completer->setCaseSensitivity(Qt::CaseInsensitive);
    completer->setFilterMode(Qt::MatchContains);
    line_->setCompleter(completer);
    connect(line_, &QLineEdit::returnPressed, this, &ManipulationView::add);
    connect(line_, &QLineEdit::textEdited, this, [this] {
        problem_.clear();
        update();
    });
    connect(liftAll_, &QPushButton::clicked, this, &ManipulationView::liftAll);
    connect(&stage, &Stage::beat, this, &ManipulationView::refresh);
    bar_->setFocusPolicy(Qt::NoFocus);
    bar_->hide();
    connect(bar_, &QScrollBar::valueChanged, this, [this] { update(); });
}

void ManipulationView::refresh()
{
    if (!isVisible())
        return;
    rows_.clear();
    std::size_t acts = 0, waits = 0, done = 0;
    QStringList offers;
    if (rig::Session* session = stage().document().session(); session != nullptr) {
        for (const rig::NodeReport& report : session->nodeReports())
            for (const drive::ManipulationFacts& facts : report.manipulations) {
                rows_.push_back(
                    {QString::fromStdString(report.name), report.buses.empty() ? std::uint8_t{0} : report.buses.front(), facts});
                ++(facts.done ? done : facts.acts ? acts : waits);
            }
        auto* model = static_cast<QStringListModel*>(line_->completer()->model());
        if (model->rowCount() == 0) {
            for (const drive::NodeSpec& node : stage().document().rig().nodes)
                for (const drive::SendSpec& send : node.sends) {
                    offers << QString::fromStdString(node.name + ' ' + (send.message.empty() ? send.identifier : send.message));
                    for (const auto& message : stage().catalog().messages())
                        if (message.message->name == send.message)
                            for (const database::Signal& signal : message.message->signals)
                                offers << QString::fromStdString(node.name + ' ' + send.message + '.' + signal.name);
                }
            offers.removeDuplicates();
            model->setStringList(offers);
        }
    }
    std::stable_sort(rows_.begin(), rows_.end(), [](const Row& a, const Row& b) { return a.facts.since < b.facts.since; });
    chosen_ = std::min(chosen_, static_cast<int>(rows_.size()) - 1);
    QStringList words;
    if (acts > 0)
        words << (acts == 1 ? tr("1 acts") : tr("%1 act").arg(acts));
    if (waits > 0)
        words << (waits == 1 ? tr("1 waits") : tr("%1 wait").arg(waits));
    if (done > 0)
        words << (done == 1 ? tr("1 is done") : tr("%1 are done").arg(done));
    facts_->setText(words.isEmpty() ? tr("all nodes send as they would by themselves") : words.join(QStringLiteral(", ")));
    liftAll_->setEnabled(!rows_.empty());
    lay();
    update();
}

void ManipulationView::lay()
{
    const Theme& theme = Theme::get();
    const int tall = theme.px(leverLineTall);
    line_->setFont(theme.mono());
    line_->setGeometry(theme.px(12), height() - tall + theme.px(2), width() - theme.px(24), tall - theme.px(6));
    line_->setEnabled(stage().document().isLive());
    const int room = height() - tall - (problem_.isEmpty() ? 0 : theme.px(leverRow));
    const int content = static_cast<int>(rows_.size()) * theme.px(leverRow);
    bar_->setRange(0, std::max(0, content - room));
    bar_->setPageStep(std::max(1, room));
    bar_->setSingleStep(theme.px(leverRow));
    bar_->setGeometry(width() - theme.px(9), 0, theme.px(9), std::max(0, room));
    bar_->setVisible(bar_->maximum() > 0);
}

void ManipulationView::resizeEvent(QResizeEvent* event)
{
    View::resizeEvent(event);
    lay();
}

void ManipulationView::wheelEvent(QWheelEvent* event)
{
    QCoreApplication::sendEvent(bar_, event);
    event->accept();
}

double ManipulationView::rowTop(std::size_t row) const { return static_cast<double>(row) * Theme::get().px(leverRow) - bar_->value(); }

QRectF ManipulationView::controlOf(std::size_t row) const
{
    const Theme& theme = Theme::get();
    return {width() - static_cast<double>(theme.px(leverControlWide + 14)), rowTop(row) + theme.px(2),
        static_cast<double>(theme.px(leverControlWide)), static_cast<double>(theme.px(leverRow - 5))};
}

int ManipulationView::indexAt(const QPointF& at) const
{
    const int index = static_cast<int>((at.y() + bar_->value()) / Theme::get().px(leverRow));
    return index < static_cast<int>(rows_.size()) && at.y() < line_->y() ? index : -1;
}

void ManipulationView::add()
{
    rig::Session* session = stage().document().session();
    const QString text = line_->text().trimmed();
    if (session == nullptr || text.isEmpty())
        return;
    // Tried first, so that what is wrong is no step to take back.
    std::optional<Error> problem;
    std::string node;
    session->call([&](rig::Session& run) {
        applyTo(run, text.toStdString(), &problem);
        if (!problem) {
            node = drive::manipulationFromText(text.toStdString())->node;
            liftFrom(run, node, text.toStdString());
        }
    });
    problem_ = problem ? QString::fromStdString(problem->what + (problem->remedy.empty() ? "" : ". " + problem->remedy)) : QString();
    if (!problem) {
        undo_.push(new ManipulateCommand(stage().document(), QString::fromStdString(node), text, true));
        line_->clear();
    }
    refresh();
}

void ManipulationView::lift(std::size_t row)
{
    if (row < rows_.size())
        undo_.push(new ManipulateCommand(stage().document(), rows_[row].node, QString::fromStdString(rows_[row].facts.text), false));
    refresh();
}

void ManipulationView::liftAll()
{
    if (rows_.empty())
        return;
    undo_.beginMacro(tr("lift all"));
    const std::vector<Row> all = rows_;
    for (const Row& row : all)
        undo_.push(new ManipulateCommand(stage().document(), row.node, QString::fromStdString(row.facts.text), false));
    undo_.endMacro();
    refresh();
}

// What is done is done again; all else is lifted.
void ManipulationView::pressControl(std::size_t row)
{
    if (!rows_[row].facts.done)
        return lift(row);
    const Row again = rows_[row];
    const QString text = QString::fromStdString(again.facts.text);
    undo_.beginMacro(tr("change %1 again").arg(again.node));
    undo_.push(new ManipulateCommand(stage().document(), again.node, text, false));
    undo_.push(new ManipulateCommand(stage().document(), again.node, text, true));
    undo_.endMacro();
    refresh();
}

void ManipulationView::mousePressEvent(QMouseEvent* event)
{
    setFocus();
    chosen_ = indexAt(event->position());
    if (chosen_ >= 0 && event->button() == Qt::LeftButton && controlOf(static_cast<std::size_t>(chosen_)).contains(event->position()))
        pressControl(static_cast<std::size_t>(chosen_));
    update();
}

void ManipulationView::keyPressEvent(QKeyEvent* event)
{
    if (event->matches(QKeySequence::Undo)) {
        undo_.undo();
        refresh();
    } else if (event->matches(QKeySequence::Redo)) {
        undo_.redo();
        refresh();
    } else if (event->key() == Qt::Key_Down || event->key() == Qt::Key_Up) {
        chosen_ = std::clamp(chosen_ + (event->key() == Qt::Key_Down ? 1 : -1), rows_.empty() ? -1 : 0, static_cast<int>(rows_.size()) - 1);
        update();
    } else if (event->key() == Qt::Key_Delete && chosen_ >= 0) {
        lift(static_cast<std::size_t>(chosen_));
    } else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && chosen_ >= 0) {
        pressControl(static_cast<std::size_t>(chosen_));
    } else {
        View::keyPressEvent(event);
    }
}

void ManipulationView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const Theme& theme = Theme::get();
    painter.fillRect(rect(), theme.surface);
    if (rows_.empty()) {
        painter.setFont(theme.body());
        painter.setPen(theme.ink2);
        painter.drawText(QRectF(20, 0, width() - 40, line_->y()), Qt::AlignCenter | Qt::TextWordWrap,
            stage().document().isLive() ? tr("Nothing is changed on purpose. Type below what a node shall send otherwise: a signal held at "
                                             "a value, a message that is left out.")
                                        : tr("A log is as it was recorded. Nodes are changed on purpose while a rig runs."));
    }
    painter.save();
    painter.setClipRect(QRectF(0, 0, width(), line_->y() - theme.px(2)));
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        const Row& row = rows_[i];
        const double y = rowTop(i), tall = theme.px(leverRow);
        if (static_cast<int>(i) == chosen_)
            painter.fillRect(QRectF(2, y, width() - 4, tall), theme.accentSoft);
        const bool acts = row.facts.acts && !row.facts.done;
        paintLever(painter, QPointF(theme.px(leverAt + 6), y + tall / 2), acts ? theme.accent : theme.ink3);
        paintBusBadge(
            painter, QRectF(theme.px(leverBadgeAt), y + (tall - theme.px(14)) / 2, theme.px(14), theme.px(14)), stage().mark(row.bus));
        paintText(
            painter, QRectF(theme.px(leverNodeAt), y, theme.px(leverWordsAt - leverNodeAt - 6), tall), row.node, theme.body(), theme.ink);
        const QRectF control = controlOf(i);
        const double countsAt = control.left() - theme.px(210);
        // What it does, without the node that stands in front.
        QString words = QString::fromStdString(row.facts.text);
        if (words.startsWith(row.node))
            words = words.mid(row.node.size()).trimmed();
        paintText(painter, QRectF(theme.px(leverWordsAt), y, countsAt - theme.px(leverWordsAt + 8), tall), words,
            acts ? theme.bodyStrong() : theme.body(), acts ? theme.ink : theme.ink2);
        const QString since = row.facts.done ? tr("done")
                              : acts         ? tr("since %1").arg(stage().seconds(row.facts.since), 0, 'f', 2)
                                             : tr("waits");
        paintText(painter, QRectF(countsAt, y, theme.px(90), tall), since, theme.body(), theme.ink2);
        paintText(painter, QRectF(countsAt + theme.px(90), y, theme.px(114), tall),
            row.facts.changed == 1 ? tr("changed 1 frame") : tr("changed %1 frames").arg(countText(row.facts.changed)), theme.body(),
            theme.ink2);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(theme.hairline, 1));
        painter.setBrush(theme.raised);
        painter.drawRoundedRect(control.adjusted(0.5, 0.5, -0.5, -0.5), theme.px(4), theme.px(4));
        painter.setRenderHint(QPainter::Antialiasing, false);
        paintText(painter, control, row.facts.done ? tr("Again") : tr("Lift"), theme.body(), theme.ink, Qt::AlignCenter);
        painter.setPen(theme.grid);
        painter.drawLine(theme.px(8), static_cast<int>(y + tall) - 1, width(), static_cast<int>(y + tall) - 1);
    }
    painter.restore();
    if (!problem_.isEmpty()) {
        const QRectF box(theme.px(12), line_->y() - theme.px(leverRow), width() - theme.px(24), theme.px(leverRow - 4));
        painter.fillRect(box, theme.surface);
        paintText(painter, box, problem_, theme.bodyStrong(), theme.error);
    }
}

}  // namespace wavetrope::app
