#pragma once

#include <QString>

#include "core/stretch/Material.h"

namespace orthochron::app {

// A material as it is called on screen: "single notes" where files say "line".
[[nodiscard]] QString materialText(Material material);

}  // namespace orthochron::app
