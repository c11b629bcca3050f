#pragma once

#include "app/window/MainWindow.h"

namespace orthochron::app {

// Lets everything that was begun end, and shows it.
void settle(Session& session);
// Does what a hand would do to come to a stage with something to see there: finds hits, and fits where
// a later stage is asked for.
void workUpTo(MainWindow& window, Session& session, int stage);
void savePicture(MainWindow& window, Session& session, const QString& file);

}  // namespace orthochron::app
