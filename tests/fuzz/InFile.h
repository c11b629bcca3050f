#pragma once

#include <unistd.h>

#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>

namespace orthochron {

// Some readers want a file: one of this program's own holds the bytes.
inline std::filesystem::path inFile(const std::uint8_t* data, std::size_t size, const char* ending)
{
    static const std::string kName =
        (std::filesystem::temp_directory_path() / ("orthochron-fuzz-" + std::to_string(::getpid())))
            .string();
    const std::filesystem::path path = kName + ending;
    std::ofstream file(path, std::ios::binary | std::ios::trunc);
    file.write(reinterpret_cast<const char*>(data), static_cast<std::streamsize>(size));
    file.close();
    return path;
}

}  // namespace orthochron
