#include "app/shell/view.h"

#include "app/theme/theme.h"

namespace wavetrope::app {

View::View(Stage& stage, QWidget* parent) : QWidget(parent), stage_(stage)
{
    connect(&Theme::get(), &Theme::changed, this, [this] { update(); });
}

}  // namespace wavetrope::app
