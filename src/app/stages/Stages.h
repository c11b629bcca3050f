#pragma once

#include "app/stages/Stage.h"

#include <optional>

namespace orthochron::app {

// A place on the rail. A new stage is a folder of its own and a line in stageTable().
struct StagePlace {
    QString name;
    int benchHeight = 0;                                         // px, as delivered
    std::function<Stage*(Session&, LanesView&, QObject*)> make;  // none for one not there yet
};

// In the order of the rail, which is that of the keys 1 to 9.
[[nodiscard]] const std::vector<StagePlace>& stageTable();
// Where a stage stands, by its name in any case; none for a name of none that is there.
[[nodiscard]] std::optional<int> stageNamed(const QString& name);

}  // namespace orthochron::app
