#pragma once

#include "core/base/Result.h"

#include <filesystem>
#include <string>
#include <string_view>

namespace orthochron {

// Writes a whole file beside its final name, syncs it to the disk and renames it into place: at
// every moment there is either the old file or the new one. Errors: Failed, naming the file; what
// was there is unharmed.
[[nodiscard]] Result<void>
writeAtomically(const std::filesystem::path& path, std::string_view text);

// Appends to a file that is there and syncs it to the disk. Errors: Failed, naming the file; part
// of the text may stand at its end then.
[[nodiscard]] Result<void> appendSynced(const std::filesystem::path& path, std::string_view text);

// Reads a whole file of at most `limit` bytes. Errors: BadInput.
[[nodiscard]] Result<std::string>
readWhole(const std::filesystem::path& path, std::uintmax_t limit);

}  // namespace orthochron
