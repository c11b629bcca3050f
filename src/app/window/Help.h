#pragma once

class QWidget;

namespace orthochron::app {

// The steps of the careful job, on the demo song. True when it is to be opened.
[[nodiscard]] bool showTour(QWidget* parent);
void showAbout(QWidget* parent);

}  // namespace orthochron::app
