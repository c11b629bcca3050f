#pragma once

class QWidget;

namespace orthochron::app {

// Lets the keys of every command be changed, and keeps them; true when any may have changed.
[[nodiscard]] bool askForShortcuts(QWidget* parent);

}  // namespace orthochron::app
