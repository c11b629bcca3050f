#include "cli/Mono.h"

#include <fmt/format.h>

namespace orthochron::cli {

Result<Mono> openMono(const std::string& path, std::optional<Hertz> rate)
{
    auto reader = SoundFileReader::open(path);
    if (!reader) {
        return tl::unexpected(reader.error());
    }
    if (rate && (*reader)->rate() != *rate) {
        return badArgument(fmt::format(
            "{}: has a rate of {:g} Hz, not {:g}; microphones of one set have one rate",
            path,
            (*reader)->rate().count(),
            rate->count()
        ));
    }
    return Mono{std::move(*reader)};
}

}  // namespace orthochron::cli
