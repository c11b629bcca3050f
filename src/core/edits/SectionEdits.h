#pragma once

#include "core/song/Song.h"

#include <string>

namespace orthochron {

// A named range of bars. Errors: BadArgument without a name, for bars that cannot be, or bars that
// another section holds.
[[nodiscard]] Result<Song> addSection(const Song& song, std::string name, BarRange bars);
[[nodiscard]] Result<Song>
changeSection(const Song& song, SectionId id, std::string name, BarRange bars);
[[nodiscard]] Result<Song> removeSection(const Song& song, SectionId id);
// The section a bar lies in; null for none.
[[nodiscard]] const Section* sectionAt(const Song& song, int bar);

}  // namespace orthochron
