// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/desk.h"

#include <algorithm>
#include <chrono>

#include "app/stage/stage.h"

namespace wavetrope::app {

namespace {

constexpr int publishAfter = 150;  // ms behind the last edit

template <class Object>
const Object* byUid(const std::vector<Object>& list, std::uint32_t uid)
{
    const auto found = std::find_if(list.begin(), list.end(), [&](const Object& o) { return o.uid == uid; });
    return uid == 0 || found == list.end() ? nullptr : &*found;
}

}  // namespace

Desk::Desk(Stage& stage) : stage_(stage)
{
    publishing_.setSingleShot(true);
    publishing_.setInterval(publishAfter);
    connect(&publishing_, &QTimer::timeout, this, &Desk::publishSoon);
    connect(&watcher_, &QFileSystemWatcher::fileChanged, this, [this] {
        watch();
        Q_EMIT changedOnDisk();
    });
}

rig::Shelf& Desk::shelf()
{
    if (!shelf_) {
        shelf_ = std::make_unique<rig::Shelf>(stage_.document().rig());
        shelf_->setProcessData(stage_.document().databases().processData);
        watch();
    }
    return *shelf_;
}

void Desk::watch()
{
    QStringList paths;
    for (std::size_t i = 0; i < shelf().size(); ++i)
        if (!shelf().at(i).own && !shelf().at(i).missing)
            paths << QString::fromStdString(shelf().at(i).path);
    if (!paths.isEmpty())
        watcher_.addPaths(paths);  // replaced files must be watched anew
}

void Desk::open(std::size_t index)
{
    if (index >= shelf().size())
        return;
    current_ = index;
    message_ = database().messages.empty() ? 0 : database().messages.front().uid;
    signal_ = 0;
    say({});
    Q_EMIT edited();
    Q_EMIT chosen();
}

void Desk::openMessage(std::uint8_t bus, can::Identifier id)
{
    const std::string name = stage_.catalog().busName(bus);
    for (const auto& spec : stage_.document().rig().buses) {
        if (spec.name != name)
            continue;
        std::vector<int> order;
        for (const std::string& file : spec.databases)
            order.push_back(shelf().find(file));
        order.push_back(shelf().ownOf(name));
        const auto* known = stage_.catalog().find(bus, id);
        const can::Identifier wanted = known != nullptr ? known->message->id : id;
        for (const int index : order)
            if (index >= 0)
                if (const database::Message* message = shelf().at(static_cast<std::size_t>(index)).edited.find(wanted)) {
                    const std::uint32_t uid = message->uid;
                    if (current_ != static_cast<std::size_t>(index))
                        open(static_cast<std::size_t>(index));
                    return choose(uid);
                }
    }
}

const database::Message* Desk::message() const { return any() ? byUid(database().messages, message_) : nullptr; }

const database::Signal* Desk::signal() const
{
    const database::Message* of = message();
    return of == nullptr ? nullptr : byUid(of->signals, signal_);
}

void Desk::choose(std::uint32_t message, std::uint32_t signal)
{
    if (message_ == message && signal_ == signal)
        return;
    message_ = message;
    signal_ = signal;
    Q_EMIT chosen();
}

bool Desk::apply(Expected<database::Edit> edit)
{
    if (!edit) {
        say(QString::fromStdString(edit.error().text()));
        return false;
    }
    say({});
    if (edit->empty())
        return false;
    shelf().apply(current_, std::move(*edit));
    publishing_.start();
    Q_EMIT edited();
    return true;
}

void Desk::undo() { step(shelf().undo(current_)); }

void Desk::redo() { step(shelf().redo(current_)); }

void Desk::step(bool arrangement)
{
    if (!arrangement) {
        publishing_.start();
        Q_EMIT edited();
        return;
    }
    // What is open may no longer belong to any bus.
    for (std::size_t i = 0; i < shelf().size() && entry().buses.empty(); ++i)
        if (!shelf().at(i).buses.empty())
            open(i);
    noteArranged();
    Q_EMIT edited();
}

int Desk::bus() const
{
    for (const std::string& name : entry().buses)
        if (const int bus = stage_.catalog().findBus(name); bus >= 0)
            return bus;
    return -1;
}

namespace {

std::vector<std::string> busNames(const database::Catalog& catalog)
{
    std::vector<std::string> names;
    for (std::uint8_t bus = 0; bus < catalog.busCount(); ++bus)
        names.push_back(catalog.busName(bus));
    return names;
}

}  // namespace

void Desk::publish()
{
    publishing_.stop();
    ++made_;
    take(shelf().catalog(busNames(stage_.catalog()), stage_.document().rig().derived));
}

// A large database takes a while to copy and to compile: not on this thread.
void Desk::publishSoon()
{
    if (making_.valid() && making_.wait_for(std::chrono::seconds(0)) != std::future_status::ready)
        return publishing_.start();
    const std::uint64_t number = ++made_;
    making_ = std::async(std::launch::async, [this, number, names = busNames(stage_.catalog()), derived = stage_.document().rig().derived] {
        auto catalog = shelf_->catalog(names, derived);
        QMetaObject::invokeMethod(
            this,
            [this, number, catalog = std::move(catalog)] {
                if (number == made_)
                    take(catalog);
            },
            Qt::QueuedConnection);
    });
}

// What was derived anew meanwhile is derived over this one too.
void Desk::take(std::shared_ptr<const database::Catalog> catalog)
{
    const auto& derived = stage_.document().rig().derived;
    stage_.takeCatalog(catalog->derives(derived) ? std::move(catalog) : catalog->withDerived(derived));
}

Desk::~Desk() = default;

void Desk::say(const QString& problem)
{
    if (problem == problem_)
        return;
    problem_ = problem;
    Q_EMIT problemChanged();
}

void Desk::noteArranged()
{
    noteAttached();
    Q_EMIT arranged();
}

void Desk::noteAttached()
{
    watch();
    Q_EMIT entriesChanged();
    publish();
}

}  // namespace wavetrope::app
