#pragma once

#include "core/audio/SoundFile.h"

#include <memory>
#include <optional>
#include <string>

namespace orthochron::cli {

// All channels of a file as their mean, read where they are needed.
struct Mono {
    std::shared_ptr<SoundFileReader> reader;

    [[nodiscard]] Hertz rate() const { return reader->rate(); }
    [[nodiscard]] Channel channel() const { return meanOf(reader); }
};

// Errors: the file's; BadArgument when it has not the `rate` wanted.
[[nodiscard]] Result<Mono> openMono(const std::string& path, std::optional<Hertz> rate);

}  // namespace orthochron::cli
