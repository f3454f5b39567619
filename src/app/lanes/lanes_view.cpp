#include "app/lanes/lanes_view.h"

#include <QDropEvent>
#include <QKeyEvent>
#include <QLabel>
#include <QMimeData>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

class ArrangeCommand : public QUndoCommand {
public:
    ArrangeCommand(LanesView& view, LanesView::Arrangement next, const QString& what) : QUndoCommand(what), view_(view), before_(view.arrangement()), next_(std::move(next)) {}
    void undo() override { view_.arrange(before_); }
    void redo() override { view_.arrange(next_); }

private:
    LanesView& view_;
    LanesView::Arrangement before_;
    LanesView::Arrangement next_;
};

}  // namespace

LanesView::LanesView(Stage& stage) : View(stage), column_(new QVBoxLayout(this))
{
    setAcceptDrops(true);
    setFocusPolicy(Qt::StrongFocus);
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(0);
    connect(&stage, &Stage::beat, this, &LanesView::refresh);
    connect(&stage, &Stage::axisChanged, this, &LanesView::refresh);
    connect(&stage, &Stage::becameReady, this, &LanesView::rebuild);
    connect(&stage, &Stage::catalogChanged, this, &LanesView::rebuild);
    connect(&stage, &Stage::plotWanted, this, [this](const QString& path) { add(path); });
}

QWidget* LanesView::tools()
{
    if (window_ == nullptr) {
        window_ = new QLabel;
        tools_ = window_;
        window_->setFont(Theme::get().body());
    }
    return tools_;
}

void LanesView::change(const Arrangement& next, const QString& what)
{
    if (next != arrangement_)
        undo_.push(new ArrangeCommand(*this, next, what));
}

void LanesView::add(const QString& path, int lane)
{
    if (!signalOf(stage().catalog(), path))
        return;
    Arrangement next = arrangement_;
    for (const auto& existing : next)
        if (lane < 0 && std::find(existing.begin(), existing.end(), path) != existing.end())
            return;
    if (lane >= 0 && lane < static_cast<int>(next.size())) {
        auto& target = next[static_cast<std::size_t>(lane)];
        if (std::find(target.begin(), target.end(), path) == target.end())
            target.push_back(path);
    } else {
        next.push_back({path});
    }
    change(next, tr("plot %1").arg(path));
}

void LanesView::remove(const QString& path)
{
    Arrangement next;
    for (auto lane : arrangement_) {
        lane.erase(std::remove(lane.begin(), lane.end(), path), lane.end());
        if (!lane.empty())
            next.push_back(std::move(lane));
    }
    change(next, tr("remove %1").arg(path));
}

void LanesView::arrange(const Arrangement& arrangement)
{
    arrangement_ = arrangement;
    rebuild();
    Q_EMIT setUpChanged();
}

void LanesView::rebuild()
{
    for (Lane* lane : lanes_) {
        lane->hide();
        lane->deleteLater();
    }
    lanes_.clear();
    for (std::size_t i = 0; i < arrangement_.size(); ++i) {
        lanes_.push_back(new Lane(*this, arrangement_[i], i + 1 == arrangement_.size()));
        column_->addWidget(lanes_.back(), 1);
    }
    refresh();
    update();
}

void LanesView::refresh()
{
    if (window_ != nullptr)
        window_->setText(tr("%1 to %2 s").arg(secondsText(stage().seconds(stage().windowFrom()), 1), secondsText(stage().seconds(stage().windowTo()), 1)));
    if (!isVisible())
        return;
    for (Lane* lane : lanes_)
        lane->refresh();
}

void LanesView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.fillRect(rect(), Theme::get().surface);
    if (lanes_.empty())
        paintText(painter, rect(), tr("Drag a signal here from the rig tree, or select it there and press Enter."), Theme::get().body(), Theme::get().ink2, Qt::AlignCenter);
}

void LanesView::keyPressEvent(QKeyEvent* event)
{
    if (event->matches(QKeySequence::Undo))
        undo_.undo();
    else if (event->matches(QKeySequence::Redo))
        undo_.redo();
    else if (event->key() == Qt::Key_Left || event->key() == Qt::Key_Right) {
        const Time step = (stage().windowTo() - stage().windowFrom()) / 100;
        stage().setCursor(stage().cursor() + (event->key() == Qt::Key_Left ? -step : step));
    } else if (event->key() == Qt::Key_Plus || event->key() == Qt::Key_Minus) {
        stage().zoom(event->key() == Qt::Key_Plus ? 0.8 : 1.25, stage().cursor());
    } else {
        View::keyPressEvent(event);
    }
}

void LanesView::dragEnterEvent(QDragEnterEvent* event)
{
    if (event->mimeData()->hasFormat(QLatin1String(signalMime)))
        event->acceptProposedAction();
}

void LanesView::dropEvent(QDropEvent* event)
{
    event->acceptProposedAction();
    add(QString::fromUtf8(event->mimeData()->data(QLatin1String(signalMime))));
}

nlohmann::json LanesView::save() const
{
    nlohmann::json lanes = nlohmann::json::array();
    for (const auto& lane : arrangement_) {
        nlohmann::json paths = nlohmann::json::array();
        for (const QString& path : lane)
            paths.push_back(path.toStdString());
        lanes.push_back(paths);
    }
    return {{"lanes", lanes}};
}

void LanesView::restore(const nlohmann::json& setUp)
{
    Arrangement arrangement;
    if (setUp.contains("lanes") && setUp["lanes"].is_array())
        for (const auto& lane : setUp["lanes"]) {
            std::vector<QString> paths;
            if (lane.is_array())
                for (const auto& path : lane)
                    if (path.is_string())
                        paths.push_back(QString::fromStdString(path.get<std::string>()));
            arrangement.push_back(std::move(paths));
        }
    arrangement_ = std::move(arrangement);
    rebuild();
}

}  // namespace wavetrope::app
