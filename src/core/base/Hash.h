#pragma once

#include "core/base/Result.h"

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <span>
#include <string>

namespace orthochron {

// 64-bit content hash (XXH3), stable across machines of one byte order.
[[nodiscard]] std::uint64_t hashOf(std::span<const std::byte> bytes, std::uint64_t seed = 0);

// XXH3-128 of a whole file as 32 hexadecimal digits. Reads it in blocks; BadInput when it cannot.
[[nodiscard]] Result<std::string> hashOfFile(const std::filesystem::path& path);

}  // namespace orthochron
