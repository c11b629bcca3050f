#include "app/window/TrackMenu.h"

#include <QCoreApplication>
#include <QMenu>

#include "core/edits/TakeEdits.h"

namespace orthochron::app {

void showTrackMenu(
    Session& session,
    TrackId id,
    const std::vector<QAction*>& shared,
    const QPoint& at,
    QWidget* parent
)
{
    const auto tr = [](const char* words) {
        return QCoreApplication::translate("TrackMenu", words);
    };
    const auto track = session.song().track(id);
    QMenu menu(parent);
    for (QAction* action : shared) {
        menu.addAction(action);
    }
    menu.addSeparator();
    auto* level = menu.addMenu(tr("Level: %1 dB").arg(track->gainDecibels));
    for (const double decibels : {6.0, 3.0, 0.0, -3.0, -6.0, -12.0, -24.0}) {
        level->addAction(tr("%1 dB").arg(decibels), parent, [&session, id, decibels, tr] {
            session.document.apply(
                changeMix(session.song(), id, {.gainDecibels = decibels}), tr("Level of track")
            );
        });
    }
    auto* pan = menu.addMenu(tr("Pan"));
    for (const auto& [text, value] :
         {std::pair{tr("left"), -1.0},
          std::pair{tr("half left"), -0.5},
          std::pair{tr("middle"), 0.0},
          std::pair{tr("half right"), 0.5},
          std::pair{tr("right"), 1.0}}) {
        pan->addAction(text, parent, [&session, id, place = value, tr] {
            session.document.apply(
                changeMix(session.song(), id, {.pan = place}), tr("Pan of track")
            );
        });
    }
    menu.exec(at);
}

}  // namespace orthochron::app
