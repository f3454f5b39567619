// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stage/curve_desk.h"

#include <algorithm>
#include <cmath>

#include "app/paint/paint.h"
#include "app/parts/settings.h"
#include "app/parts/text.h"
#include "app/stage/protocol_desk.h"

namespace wavetrope::app {

namespace {

constexpr unsigned mostCurveThreads = 4;
constexpr std::size_t keptBesides = 32;     // curves that nobody looks at any more

const database::DerivedSpec& specOf(const CurveSource& source) { return source.catalog->derived()[source.derived].spec; }

}  // namespace

QString CurveSource::name() const { return text(isDerived() ? specOf(*this).name : ref.signal().name); }

QString CurveSource::unit() const { return text(isDerived() ? specOf(*this).unit : ref.signal().unit); }

std::optional<double> CurveSource::minimum() const { return isDerived() ? specOf(*this).minimum : ref.signal().minimum; }

std::optional<double> CurveSource::maximum() const { return isDerived() ? specOf(*this).maximum : ref.signal().maximum; }

QString CurveSource::origin() const
{
    return isDerived() ? QStringLiteral("= ") + text(specOf(*this).formula)
                       : text(catalog->busName(ref.message->bus)) + QStringLiteral(", ") + text(ref.message->message->name);
}

std::optional<unsigned> CurveSource::bus() const { return isDerived() ? std::nullopt : std::optional<unsigned>(ref.message->bus); }

QString CurveSource::number(double value) const
{
    if (!isDerived())
        return valueText(value, ref.signal().factor);
    // As many digits as tell one from the next, whatever its size.
    return std::abs(value) >= 1e7 || (value != 0 && std::abs(value) < 1e-3) ? QString::number(value, 'g', 5)
                                                                            : QString::number(value, 'f', std::abs(value) >= 100 ? 1 : 3);
}

QString CurveSource::reading(double value) const
{
    if (isDerived())
        return unit().isEmpty() ? number(value) : number(value) + QLatin1Char(' ') + unit();
    bool fits = false;
    return readingText(ref.signal(), database::MessagePlan::bitsOf(ref.message->plan.plan(ref.index), value, fits), value);
}

bool CurveSource::named() const { return !isDerived() && !ref.signal().texts.empty() && ref.signal().unit.empty(); }

bool CurveSource::whole() const
{
    return !isDerived() && ref.signal().type == database::ValueType::integer && ref.signal().factor == std::floor(ref.signal().factor)
           && ref.signal().offset == std::floor(ref.signal().offset);
}

Selection CurveSource::selection() const
{
    Selection selection;
    if (isDerived()) {
        selection.kind = Selection::Kind::derived;
        selection.node = name();
        return selection;
    }
    selection.kind = Selection::Kind::signal;
    selection.bus = ref.message->bus;
    selection.id = ref.message->message->id;
    selection.signal = static_cast<int>(ref.index);
    return selection;
}

std::vector<CurveSource> CurveSource::inputs() const
{
    std::vector<CurveSource> out;
    if (isDerived())
        for (const database::DerivedSignal::Input& input : catalog->derived()[derived].inputs) {
            CurveSource other{catalog, QString(), input.signal, input.derived};
            other.path = other.isDerived() ? QLatin1Char(':') + other.name() : signalPath(*catalog, input.signal);
            out.push_back(std::move(other));
        }
    return out;
}

bool CurveSource::chosenIn(const Selection& selection) const { return selection == this->selection(); }

std::optional<CurveSource> curveOf(std::shared_ptr<const database::Catalog> catalog, const QString& path)
{
    if (path.startsWith(QLatin1Char(':'))) {
        for (std::uint32_t i = 0; i < catalog->derived().size(); ++i)
            if (catalog->derived()[i].spec.name == path.mid(1).toStdString())
                return CurveSource{std::move(catalog), path, {}, i};
        return std::nullopt;
    }
    if (const auto ref = signalOf(*catalog, path))
        return CurveSource{std::move(catalog), path, *ref, 0};
    return std::nullopt;
}

QString chosenCurve(const Stage& stage)
{
    const Selection& selection = stage.selection();
    if (selection.kind == Selection::Kind::derived)
        return QLatin1Char(':') + selection.node;
    if (selection.kind != Selection::Kind::signal || selection.signal < 0)
        return {};
    const auto* message = stage.catalog().find(selection.bus, selection.id);
    if (message == nullptr || static_cast<std::size_t>(selection.signal) >= message->message->signals.size())
        return {};
    return signalPath(stage.catalog(), {message, static_cast<std::uint32_t>(selection.signal)});
}

CurveDesk::CurveDesk(Stage& stage)
    : stage_(stage),
      keeper_(std::make_unique<measure::SeriesKeeper>(std::clamp(std::thread::hardware_concurrency(), 1U, mostCurveThreads), [this] {
          // One word is enough until it has been heard.
          if (!told_.exchange(true))
              QMetaObject::invokeMethod(
                  this,
                  [this] {
                      told_ = false;
                      Q_EMIT grown();
                  },
                  Qt::QueuedConnection);
      }))
{
    setBound(static_cast<std::size_t>(curveMegabytes()) << 20U);
    // What buses speak decides on what messages there are.
    connect(&stage.protocols(), &ProtocolDesk::spokenChanged, this, [this] {
        series_.clear();
        late_.clear();
        Q_EMIT grown();
    });
    connect(&stage.protocols(), &ProtocolDesk::messagesGrown, this, [this] { keeper_->lookAgain(); });
}

CurveDesk::~CurveDesk() { keeper_.reset(); }

std::shared_ptr<measure::SignalSeries> CurveDesk::series(const CurveSource& source)
{
    if (catalog_ != source.catalog || begins_ != stage_.document().begins()) {
        // Others are of definitions that no longer hold.
        const bool sameMessages = catalog_ && catalog_->sharesMessages(*source.catalog) && begins_ == stage_.document().begins();
        std::erase_if(series_, [&](const auto& entry) {
            if (!sameMessages)
                return true;
            if (!entry.first.startsWith(QLatin1Char(':')))
                return false;
            const std::string name = entry.first.mid(1).toStdString();
            const int before = catalog_->findDerived(name);
            const int now = source.catalog->findDerived(name);
            return before < 0 || now < 0
                   || !source.catalog->derivesAs(static_cast<std::uint32_t>(now), *catalog_, static_cast<std::uint32_t>(before));
        });
        catalog_ = source.catalog;
        begins_ = stage_.document().begins();
        std::erase_if(late_, [&](const auto& series) {
            return std::none_of(series_.begin(), series_.end(), [&](const auto& entry) { return entry.second.lock() == series; });
        });
    }
    std::shared_ptr<measure::SignalSeries> series = series_[source.path].lock();
    if (!series) {
        series = source.isDerived() ? std::make_shared<measure::SignalSeries>(source.catalog, source.derived, begins_)
                 : stage_.protocols().inPieces(*source.ref.message)
                     ? std::make_shared<measure::SignalSeries>(source.catalog, source.ref, begins_, stage_.protocols().messages())
                     : std::make_shared<measure::SignalSeries>(source.catalog, source.ref, begins_);
        series_[source.path] = series;
    }
    std::erase(late_, series);
    late_.push_back(series);
    if (late_.size() > keptBesides)
        late_.erase(late_.begin());
    return series;
}

void CurveDesk::look(const QObject* who, std::vector<measure::SeriesKeeper::Look> looks)
{
    if (lookers_.insert(who).second)
        connect(who, &QObject::destroyed, this, [this, who] {
            lookers_.erase(who);
            keeper_->forget(who);
        });
    keeper_->look(who, stage_.snapshot(), std::move(looks));
}

measure::SignalSeries::Points CurveDesk::points(const measure::SignalSeries& series, Time from, Time to, unsigned columns) const
{
    std::shared_ptr<const measure::SignalSeries::Detail> detail;
    if (!series.fineEnough(from, to, columns)) {
        detail = keeper_->detail(series, from, to);
        if (!series.derived() && (!detail || !series.fresh(*detail, Time{0})) && stage_.snapshot().valid()
            && series.about(from, to) <= measure::SeriesKeeper::fewSamples)
            detail = series.detail(stage_.snapshot(), from, to);
    }
    return series.points(from, to, columns, stage_.newest(), detail.get());
}

}  // namespace wavetrope::app
