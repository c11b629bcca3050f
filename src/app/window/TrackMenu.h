#pragma once

#include "app/session/Session.h"

class QAction;
class QPoint;
class QWidget;

namespace orthochron::app {

// The menu of a lane's head: the given actions, then the track's level and pan.
void showTrackMenu(
    Session& session,
    TrackId id,
    const std::vector<QAction*>& shared,
    const QPoint& at,
    QWidget* parent
);

}  // namespace orthochron::app
