#include "app/shell/filter_line.h"

#include <QHBoxLayout>
#include <QStyle>

#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

constexpr int delayMilliseconds = 120;

}  // namespace

FilterLine::FilterLine(const QString& placeholder, QWidget* parent) : QWidget(parent), edit_(new QLineEdit), label_(new QLabel)
{
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    layout->addWidget(edit_, 3);
    layout->addWidget(label_, 2);
    edit_->setObjectName(QStringLiteral("filter"));
    edit_->setPlaceholderText(placeholder);
    edit_->setToolTip(tr("Filter, one line: id 0x200..0x2FF, name Blade*, from WaterUnit, bus Implement, BladeDepth > 4 mm, and, or, not  (Ctrl+F)"));
    edit_->setAccessibleName(tr("Filter"));
    edit_->setClearButtonEnabled(false);
    label_->setObjectName(QStringLiteral("filterResult"));
    label_->setMinimumWidth(40);
    delay_.setSingleShot(true);
    delay_.setInterval(delayMilliseconds);
    connect(&delay_, &QTimer::timeout, this, &FilterLine::compile);
    connect(edit_, &QLineEdit::textChanged, this, [this] { delay_.start(); });
    connect(edit_, &QLineEdit::returnPressed, this, &FilterLine::compile);
    const auto restyle = [this] {
        edit_->setFont(Theme::get().mono());
        label_->setFont(Theme::get().body());
    };
    restyle();
    connect(&Theme::get(), &Theme::changed, this, restyle);
}

void FilterLine::setCatalog(std::shared_ptr<const database::Catalog> catalog)
{
    catalog_ = std::move(catalog);
    compile();
}

void FilterLine::setText(const QString& text)
{
    edit_->setText(text);
    edit_->setCursorPosition(0);
    delay_.stop();
    compile();
}

void FilterLine::setResult(const QString& text)
{
    result_ = text;
    if (!wrong_) {
        label_->setText(text);
        label_->setToolTip(text);
    }
}

void FilterLine::compile()
{
    delay_.stop();
    if (!catalog_)
        return;
    auto compiled = filter::Filter::compile(edit_->text().toStdString(), catalog_);
    const bool wrong = !compiled;
    if (wrong) {
        const Error& error = compiled.error();
        label_->setText(tr("column %1: %2").arg(error.column).arg(QString::fromStdString(error.what)));
        label_->setToolTip(QString::fromStdString(error.what + (error.remedy.empty() ? "" : ".\n" + error.remedy)));
    }
    if (wrong != wrong_) {
        wrong_ = wrong;
        edit_->setProperty("wrong", wrong);
        style()->unpolish(edit_);
        style()->polish(edit_);
        if (!wrong)
            label_->setText(result_);
    }
    if (!wrong && (compiled->text() != filter_.text() || filter_.passesEverything() != compiled->passesEverything() || !filter_.passesEverything())) {
        filter_ = std::move(*compiled);
        Q_EMIT filterChanged();
    }
}

}  // namespace wavetrope::app
