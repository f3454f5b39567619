// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/parts/buttons.h"

#include "app/theme/theme.h"

namespace wavetrope::app {

namespace {

QPushButton* styled(const QString& words, const char* name, QString (*style)())
{
    auto* button = new QPushButton(words);
    button->setObjectName(QLatin1String(name));
    const auto restyle = [button, style] {
        button->setFont(Theme::get().bodyStrong());
        button->setStyleSheet(style());
    };
    restyle();
    QObject::connect(&Theme::get(), &Theme::changed, button, restyle);
    return button;
}

}  // namespace

QPushButton* linkButton(const QString& words, const char* name)
{
    QPushButton* link = styled(words, name, [] {
        return QStringLiteral("QPushButton { border: none; background: transparent; padding: 1px 2px; color: %1; } "
                              "QPushButton:hover, QPushButton:focus { border: none; padding: 1px 2px; text-decoration: underline; }")
            .arg(Theme::get().accent.name());
    });
    link->setCursor(Qt::PointingHandCursor);
    return link;
}

QPushButton* actingButton(const QString& words, const char* name)
{
    return styled(words, name, [] {
        const Theme& theme = Theme::get();
        return QStringLiteral("QPushButton { padding: %1px %2px; border: 1px solid %3; border-radius: %4px; background: %5; color: %6; }")
            .arg(theme.px(2))
            .arg(theme.px(8))
            .arg(theme.accent.name())
            .arg(theme.px(4))
            .arg(theme.accentSoft.name(), theme.ink.name());
    });
}

}  // namespace wavetrope::app
