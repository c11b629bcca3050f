#pragma once

#include "core/song/Song.h"

namespace orthochron::testkit {

// A mic set cut at the same places on all its tracks, without any sound.
[[nodiscard]] Song cutSong(int microphones, int pieces);

}  // namespace orthochron::testkit
