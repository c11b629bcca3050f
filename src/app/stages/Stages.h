#pragma once

#include "app/stages/Stage.h"

namespace orthochron::app {

// A place on the rail. A new stage is a folder of its own and a line in stageTable().
struct StagePlace {
    QString name;
    QString willHold;     // of one that is not there yet: what it will be for
    int benchHeight = 0;  // px, as delivered
    std::function<Stage*(Session&, LanesView&, QObject*)> make;  // none for one not there yet
};

// In the order of the rail, which is that of the keys 1 to 9.
[[nodiscard]] const std::vector<StagePlace>& stageTable();
// Where a stage stands, by its name in any case; the first for a name that is none.
[[nodiscard]] int stageNamed(const QString& name);

}  // namespace orthochron::app
