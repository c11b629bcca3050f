#pragma once

#include "core/song/Song.h"

#include <string>

namespace orthochron {

// Keeps a groove in the song under its name, or under "name 2" where that is taken.
// Errors: BadArgument for a groove that says nothing.
[[nodiscard]] Result<Song> addGroove(const Song& song, Groove groove);
[[nodiscard]] Result<Song> removeGroove(const Song& song, const std::string& name);

}  // namespace orthochron
