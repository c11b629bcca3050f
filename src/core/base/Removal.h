#pragma once

#include <filesystem>
#include <span>

namespace orthochron {

// Removes files whose names are gone at once, however large they are: giving their space back can take a
// file system seconds, and nobody waits for that. What cannot be removed stays; there is nobody to tell.
void removeFiles(std::span<const std::filesystem::path> files) noexcept;

}  // namespace orthochron
