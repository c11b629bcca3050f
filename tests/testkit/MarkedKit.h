#pragma once

#include "core/render/Sources.h"
#include "core/song/Song.h"

namespace orthochron::testkit {

// Twelve bars of the demo kit in memory, kick and snare marked; made once for each program.
struct MarkedKit {
    Song song;
    SetId set;
    std::shared_ptr<Sources> sources;
};
[[nodiscard]] const MarkedKit& markedKit();

}  // namespace orthochron::testkit
