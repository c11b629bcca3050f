#pragma once

#include "core/base/Result.h"
#include "core/stretch/TimeMap.h"

#include <filesystem>

namespace orthochron {

// Reads pins as JSON: [[source_s,target_s],...], ascending in both, where a moment of the take goes.
// Errors: BadInput, naming the file, for what is no such list, times below zero or beyond a day, no
// pin at all, and pins out of order or on one frame.
[[nodiscard]] Result<TimeMap> readPins(const std::filesystem::path& path, Hertz rate);

}  // namespace orthochron
