#pragma once

#include "app/controls/Commands.h"
#include "app/session/Session.h"

namespace orthochron::app {

// Whether a command would do something now: what cannot be done is grey in the menus. Its key still
// answers, with a sentence that says why not.
[[nodiscard]] bool isPossible(Command command, const Session& session);

}  // namespace orthochron::app
