#include "core/base/Hash.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <array>
#include <fstream>
#include <memory>
#include <vector>

namespace orthochron {

std::uint64_t hashOf(std::span<const std::byte> bytes, std::uint64_t seed)
{
    return XXH3_64bits_withSeed(bytes.data(), bytes.size(), seed);
}

Result<std::string> hashOfFile(const std::filesystem::path& path)
{
    // A pipe would hang and a device has no end.
    std::error_code error;
    std::ifstream file;
    if (std::filesystem::is_regular_file(path, error)) {
        file.open(path, std::ios::binary);
    }
    if (!file.is_open()) {
        return badInput(fmt::format("{}: cannot be opened; check that it is there", path.string()));
    }
    const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state(
        XXH3_createState(), &XXH3_freeState
    );
    XXH3_128bits_reset(state.get());
    std::vector<char> block(1U << 20U);
    while (file.read(block.data(), static_cast<std::streamsize>(block.size())) || file.gcount() > 0
    ) {
        XXH3_128bits_update(state.get(), block.data(), static_cast<std::size_t>(file.gcount()));
    }
    if (file.bad()) {
        return badInput(fmt::format("{}: reading it failed; check the disk", path.string()));
    }
    const XXH128_hash_t hash = XXH3_128bits_digest(state.get());
    return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
}

}  // namespace orthochron
