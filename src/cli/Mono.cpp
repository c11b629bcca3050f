#include "cli/Mono.h"

#include <fmt/format.h>

namespace orthochron::cli {

Channel Mono::channel() const
{
    auto all = std::make_shared<AudioBuffer>(reader->channels(), Frames(0));
    return {
        reader->frames(), [file = reader, all](Frames from, std::span<float> into) -> Result<void> {
            const Frames count(static_cast<std::int64_t>(into.size()));
            if (all->frames() != count) {
                *all = AudioBuffer(file->channels(), count);
            }
            if (auto read = file->read(from, *all); !read) {
                return read;
            }
            const float part = 1.0F / static_cast<float>(file->channels());
            std::ranges::fill(into, 0.0F);
            for (int c = 0; c < file->channels(); ++c) {
                const auto samples = all->channel(c);
                for (std::size_t i = 0; i < into.size(); ++i) {
                    into[i] += part * samples[i];
                }
            }
            return {};
        }};
}

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
