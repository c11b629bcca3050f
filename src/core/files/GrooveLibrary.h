#pragma once

#include "core/fit/Groove.h"

#include <filesystem>
#include <string>
#include <vector>

// Grooves a user keeps for all songs: one JSON file each in a folder of theirs, named after the
// groove. A file that is no groove is passed over, so that one bad file hides none of the others.
namespace orthochron {

// Ascending by name. Empty when the folder is not there.
[[nodiscard]] std::vector<Groove> groovesIn(const std::filesystem::path& folder);
// A groove of the same name is replaced. Makes the folder.
// Errors: BadArgument for a groove without a name or steps; Failed.
[[nodiscard]] Result<void> keepGroove(const Groove& groove, const std::filesystem::path& folder);
// Errors: BadArgument when there is none of that name; Failed.
[[nodiscard]] Result<void>
forgetGroove(const std::string& name, const std::filesystem::path& folder);

}  // namespace orthochron
