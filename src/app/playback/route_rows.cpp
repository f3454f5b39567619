// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/playback/route_rows.h"

#include <QAbstractItemView>
#include <QActionGroup>
#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>

#include "app/paint/paint.h"
#include "app/parts/elided_label.h"
#include "app/parts/text.h"
#include "app/stage/filter_line.h"
#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

/// The letter of a bus as a small widget.
class Badge : public QWidget {
public:
    explicit Badge(BusMark mark) : mark_(std::move(mark)) { setFixedSize(Theme::get().px(14), Theme::get().px(14)); }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        paintBusBadge(painter, rect(), mark_);
    }

private:
    BusMark mark_;
};

// "nothing", "all", "only A\nB", "except A": what a box holds of a route.
QString keyOf(const drive::Route& route)
{
    if (route.to < 0)
        return QStringLiteral("nothing");
    if (route.senders == drive::Senders::all || route.nodes.empty())
        return QStringLiteral("all");
    QStringList names;
    for (const std::string& name : route.nodes)
        names << text(name);
    return (route.senders == drive::Senders::only ? QStringLiteral("only ") : QStringLiteral("except ")) + names.join(QLatin1Char('\n'));
}

QString wordsOf(const QString& key)
{
    if (key == QLatin1String("nothing"))
        return QObject::tr("nothing");
    if (key == QLatin1String("all"))
        return QObject::tr("everything");
    QString names = key.section(QLatin1Char(' '), 1);
    names.replace(QLatin1Char('\n'), QLatin1String(", "));
    return (key.startsWith(QLatin1String("only ")) ? QObject::tr("%1 only") : QObject::tr("all except %1")).arg(names);
}

// What a row leaves out by its menu: "received, no remote frames".
QString restrictionsOf(const drive::Route& route)
{
    QStringList words;
    if (route.directions != drive::Directions::both)
        words << (route.directions == drive::Directions::sent ? QObject::tr("sent") : QObject::tr("received"));
    const drive::Kinds& kinds = route.kinds;
    if (!kinds.all()) {
        QStringList passing;
        if (kinds.data)
            passing << QObject::tr("classic");
        if (kinds.fd)
            passing << QObject::tr("CAN FD");
        if (kinds.remote)
            passing << QObject::tr("remote");
        words << (passing.isEmpty() ? QObject::tr("no kind") : passing.join(QObject::tr(" and ")));
    }
    return words.join(QStringLiteral(", "));
}

}  // namespace

bool sameRoutes(const std::vector<drive::Route>& a, const std::vector<drive::Route>& b)
{
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](const drive::Route& x, const drive::Route& y) {
        return x.from == y.from && x.to == y.to && x.senders == y.senders && x.nodes == y.nodes && x.directions == y.directions
               && x.kinds == y.kinds && x.filter.text() == y.filter.text();
    });
}

RouteRows::RouteRows(Stage& stage, QWidget* parent) : QWidget(parent), stage_(stage), layout_(new QVBoxLayout(this))
{
    layout_->setContentsMargins(0, 0, 0, 0);
    layout_->setSpacing(Theme::get().px(3));
}

void RouteRows::setLog(std::shared_ptr<const trace::Trace> log, std::shared_ptr<const database::Catalog> catalog)
{
    log_ = std::move(log);
    catalog_ = std::move(catalog);
    build({});
}

int RouteRows::rigBusOf(int logBus) const
{
    const auto& buses = stage_.document().buses();
    const auto found = std::find_if(
        buses.begin(), buses.end(), [&](const auto& bus) { return bus.name == log_->buses()[static_cast<std::size_t>(logBus)].name; });
    return found != buses.end() ? static_cast<int>(found - buses.begin()) : -1;
}

void RouteRows::build(const std::vector<drive::Route>& routes)
{
    for (const Row& row : rows_) {
        row.line->hide();
        row.line->deleteLater();
    }
    rows_.clear();
    routes_ = routes;
    for (std::size_t i = 0; i < routes_.size(); ++i) {
        bool first = true;
        for (std::size_t k = 0; k < i; ++k)
            first = first && routes_[k].from != routes_[i].from;
        rows_.push_back(makeRow(i, first));
    }
    // Those of a bus stand together.
    std::vector<std::size_t> order(rows_.size());
    for (std::size_t i = 0; i < order.size(); ++i)
        order[i] = i;
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return routes_[a].from < routes_[b].from; });
    for (const std::size_t i : order)
        layout_->addWidget(rows_[i].line);
    for (std::size_t i = 0; i < rows_.size(); ++i)
        fill(i);
    lay();
}

RouteRows::Row RouteRows::makeRow(std::size_t index, bool first)
{
    const Theme& theme = Theme::get();
    const int from = routes_[index].from;
    const std::string name = log_->buses()[static_cast<std::size_t>(from)].name;
    const QString shown = name.empty() ? tr("Bus %1").arg(from + 1) : text(name);
    const int same = rigBusOf(from);
    Row row;
    row.line = new QWidget;
    auto* line = new QHBoxLayout(row.line);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(theme.px(8));
    auto* badge = new Badge(same >= 0 ? stage_.mark(static_cast<unsigned>(same)) : BusMark(static_cast<unsigned>(from)));
    auto* label = new ElidedLabel(first ? shown : tr("and"));
    label->setFixedWidth(theme.px(76));
    label->setToolTip(shown);
    QSizePolicy keeps = badge->sizePolicy();
    keeps.setRetainSizeWhenHidden(true);
    badge->setSizePolicy(keeps);
    badge->setVisible(first);
    line->addWidget(badge);
    line->addWidget(label);
    row.what = new QComboBox;
    row.what->setObjectName(QStringLiteral("route%1").arg(text(name)) + (first ? QString() : QString::number(index)));
    row.what->setAccessibleName(tr("Which frames of %1 are played").arg(shown));
    row.what->setToolTip(tr("Which frames of this bus are played"));
    std::vector<std::string> senders;
    if (same >= 0)
        for (const auto& message : stage_.catalog().messages())
            if (message.bus == same && !message.message->sender.empty()
                && std::find(senders.begin(), senders.end(), message.message->sender) == senders.end())
                senders.push_back(message.message->sender);
    QStringList keys{QStringLiteral("nothing"), QStringLiteral("all")};
    for (const char* how : {"only ", "except "})
        for (const std::string& sender : senders)
            keys << QLatin1String(how) + text(sender);
    for (const QString& key : keys)
        row.what->addItem(wordsOf(key), key);
    line->addWidget(row.what);
    row.filter = new FilterLine(tr("all of them"));
    row.filter->setObjectName(QStringLiteral("routeFilter%1").arg(index));
    row.filter->setCatalog(catalog_);
    row.filter->setToolTip(tr("A filter over the log: only what passes is played  (Enter)"));
    row.filter->bare();
    row.filter->setNamed(stage_.document().rig().namedFilters());
    row.filter->edit()->setObjectName(QStringLiteral("routeFilterText"));
    row.filter->edit()->setAccessibleName(tr("Filter for %1").arg(shown));
    line->addWidget(row.filter, 1);
    row.arrow = new QLabel(QStringLiteral("\u2192"));
    line->addWidget(row.arrow);
    row.to = new QComboBox;
    row.to->setObjectName(QStringLiteral("routeTo%1").arg(index));
    row.to->setAccessibleName(tr("Bus of the rig that gets them"));
    row.to->setToolTip(tr("Bus of the rig that gets them"));
    for (std::size_t k = 0; k < stage_.document().buses().size(); ++k)
        row.to->addItem(stage_.mark(static_cast<unsigned>(k)).letter + QStringLiteral("  ") + text(stage_.document().buses()[k].name));
    line->addWidget(row.to);
    row.count = new ElidedLabel;
    line->addWidget(row.count);
    row.further = new QToolButton;
    row.further->setObjectName(QStringLiteral("routeMenu%1").arg(index));
    row.further->setText(QStringLiteral("\u22EF"));
    row.further->setAutoRaise(true);
    row.further->setPopupMode(QToolButton::InstantPopup);
    row.further->setAccessibleName(tr("More about this way"));
    row.further->setToolTip(tr("Kinds and directions; one more way for this bus"));
    row.further->setMenu(new QMenu(row.further));
    line->addWidget(row.further);
    for (QWidget* one : std::initializer_list<QWidget*>{row.filter, row.arrow, row.to, row.count}) {
        QSizePolicy stays = one->sizePolicy();
        stays.setRetainSizeWhenHidden(true);
        one->setSizePolicy(stays);
    }
    for (QComboBox* box : {row.what, row.to})
        connect(box, &QComboBox::currentIndexChanged, this, [this, index] {
            if (!filling_)
                chosen(index);
        });
    connect(row.filter->edit(), &QLineEdit::editingFinished, this, [this, index] { filtered(index); });
    connect(row.further->menu(), &QMenu::aboutToShow, this, [this, index] { fillMenu(index); });
    return row;
}

void RouteRows::show(const std::vector<drive::Route>& routes, const std::vector<std::size_t>& chosen)
{
    if (!log_)
        return;
    const auto froms = [](const drive::Route& a, const drive::Route& b) { return a.from == b.from; };
    if (!std::equal(routes.begin(), routes.end(), routes_.begin(), routes_.end(), froms))
        build(routes);
    const bool other = !sameRoutes(routes, routes_);
    routes_ = routes;
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        if (other || rows_[i].what->currentData().toString() != keyOf(routes_[i]))
            fill(i);
        const bool nothing = routes_[i].to < 0;
        const QString restricted = restrictionsOf(routes_[i]);
        rows_[i].count->setText(nothing || i >= chosen.size() ? QString()
                                : restricted.isEmpty()        ? tr("%1 frames").arg(countText(chosen[i]))
                                                              : tr("%1 frames, %2").arg(countText(chosen[i]), restricted));
        rows_[i].count->setToolTip(rows_[i].count->text());
    }
}

void RouteRows::fill(std::size_t index)
{
    const drive::Route& route = routes_[index];
    const Row& row = rows_[index];
    if (row.what->view()->isVisible() || row.to->view()->isVisible())
        return;
    const QString key = keyOf(route);
    filling_ = true;
    if (row.what->findData(key) < 0)
        row.what->addItem(wordsOf(key), key);
    row.what->setCurrentIndex(row.what->findData(key));
    row.to->setCurrentIndex(route.to >= 0 ? route.to : std::max(0, rigBusOf(route.from)));
    filling_ = false;
    if (!row.filter->edit()->hasFocus())
        row.filter->setText(text(route.filter.text()));
    for (QWidget* one : std::initializer_list<QWidget*>{row.filter, row.arrow, row.to, row.count})
        one->setVisible(route.to >= 0);
    lay();
}

void RouteRows::change(std::size_t index, const std::function<void(drive::Route&)>& how)
{
    std::vector<drive::Route> routes = routes_;
    how(routes[index]);
    if (!sameRoutes(routes, routes_))
        Q_EMIT edited(routes);
}

void RouteRows::chosen(std::size_t index)
{
    const Row& row = rows_[index];
    const QString key = row.what->currentData().toString();
    const int to = row.to->currentIndex();
    change(index, [&](drive::Route& route) {
        route.to = key == QLatin1String("nothing") ? -1 : to;
        route.senders = key.startsWith(QLatin1String("only "))     ? drive::Senders::only
                        : key.startsWith(QLatin1String("except ")) ? drive::Senders::except
                                                                   : drive::Senders::all;
        route.nodes.clear();
        if (route.senders != drive::Senders::all)
            for (const QString& node : key.section(QLatin1Char(' '), 1).split(QLatin1Char('\n')))
                route.nodes.push_back(node.toStdString());
    });
}

void RouteRows::filtered(std::size_t index)
{
    const QString typed = rows_[index].filter->text().trimmed();
    if (typed.toStdString() == routes_[index].filter.text())
        return;
    std::optional<filter::Filter> made;
    QString problem;
    stage_.document().session()->call([&](rig::Session& session) {
        if (auto filter = session.compileForPlayback(typed.toStdString()))
            made = std::move(*filter);
        else
            problem = text(filter.error().text());
    });
    if (!made)
        return Q_EMIT wrong(problem);
    change(index, [&](drive::Route& route) { route.filter = *made; });
}

void RouteRows::fillMenu(std::size_t index)
{
    QMenu* menu = rows_[index].further->menu();
    menu->clear();
    const drive::Route& route = routes_[index];
    const int from = route.from;
    connect(menu->addAction(tr("One more way for this bus")), &QAction::triggered, this, [this, index, from] {
        std::vector<drive::Route> routes = routes_;
        // To a bus that gets nothing from it yet.
        drive::Route added{from, std::max(0, rigBusOf(from))};
        for (int to = 0; to < static_cast<int>(stage_.document().buses().size()); ++to)
            if (std::none_of(
                    routes.begin(), routes.end(), [&](const drive::Route& other) { return other.from == from && other.to == to; })) {
                added.to = to;
                break;
            }
        routes.insert(routes.begin() + static_cast<std::ptrdiff_t>(index) + 1, added);
        Q_EMIT edited(routes);
    });
    const auto ways = std::count_if(routes_.begin(), routes_.end(), [&](const drive::Route& other) { return other.from == from; });
    QAction* out = menu->addAction(tr("Take this way out"));
    out->setEnabled(ways > 1);
    connect(out, &QAction::triggered, this, [this, index] {
        std::vector<drive::Route> routes = routes_;
        routes.erase(routes.begin() + static_cast<std::ptrdiff_t>(index));
        Q_EMIT edited(routes);
    });
    if (route.to < 0)
        return;
    menu->addSeparator();
    auto* group = new QActionGroup(menu);
    for (const auto& [directions, words] :
        {std::pair(drive::Directions::both, tr("Sent and received")), std::pair(drive::Directions::sent, tr("Sent by who recorded them")),
            std::pair(drive::Directions::received, tr("Received by who recorded them"))}) {
        QAction* action = group->addAction(words);
        action->setCheckable(true);
        action->setChecked(route.directions == directions);
        connect(action, &QAction::triggered, this,
            [this, index, wanted = directions] { change(index, [&](drive::Route& one) { one.directions = wanted; }); });
    }
    menu->addActions(group->actions());
    menu->addSeparator();
    for (const auto& [kind, words] : {std::pair(&drive::Kinds::data, tr("Classic frames")),
             std::pair(&drive::Kinds::fd, tr("CAN FD frames")), std::pair(&drive::Kinds::remote, tr("Remote frames"))}) {
        QAction* action = menu->addAction(words);
        action->setCheckable(true);
        action->setChecked(route.kinds.*kind);
        connect(action, &QAction::triggered, this,
            [this, index, which = kind](bool on) { change(index, [&](drive::Route& one) { one.kinds.*which = on; }); });
    }
}

// All boxes are alike, and give way where it is narrow.
void RouteRows::lay()
{
    const Theme& theme = Theme::get();
    const int what = std::clamp(width() / 4, theme.px(96), theme.px(170));
    const int to = std::clamp(width() / 6, theme.px(60), theme.px(120));
    const int count = std::clamp(width() / 6, theme.px(70), theme.px(180));
    for (const Row& row : rows_) {
        row.what->setFixedWidth(what);
        row.to->setFixedWidth(to);
        row.count->setFixedWidth(count);
    }
}

void RouteRows::resizeEvent(QResizeEvent* event)
{
    QWidget::resizeEvent(event);
    lay();
}

}  // namespace wavetrope::app
