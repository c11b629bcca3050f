#include "core/render/Sources.h"

#include "core/audio/ResampledSource.h"
#include "core/audio/SoundFile.h"

namespace orthochron {

std::filesystem::path pathOf(const Take& take, const std::filesystem::path& songFolder)
{
    const std::filesystem::path path(take.path);
    return path.is_absolute() ? path : songFolder / path;
}

Result<std::shared_ptr<Sources>>
Sources::open(const Song& song, const std::filesystem::path& songFolder)
{
    auto sources = std::make_shared<Sources>();
    for (const Take& take : song.takes) {
        const auto path = pathOf(take, songFolder);
        auto reader = SoundFileReader::open(path);
        if (!reader) {
            return tl::unexpected(reader.error());
        }
        sources->put(take.id, atRate(std::move(*reader), song.rate), path);
    }
    return sources;
}

void Sources::put(
    TakeId take, std::unique_ptr<SampleSource> source, const std::filesystem::path& file
)
{
    auto opened = std::make_shared<Opened>();
    opened->source = std::move(source);
    opened->file = file;
    takes_[take] = std::move(opened);
}

bool Sources::share(TakeId take, const Sources& others)
{
    const auto found = others.takes_.find(take);
    if (found == others.takes_.end()) {
        return false;
    }
    takes_[take] = found->second;
    return true;
}

std::vector<std::filesystem::path> Sources::files() const
{
    std::vector<std::filesystem::path> files;
    for (const auto& [take, opened] : takes_) {
        if (!opened->file.empty()) {
            files.push_back(opened->file);
        }
    }
    return files;
}

std::filesystem::path Sources::file(TakeId take) const
{
    const auto found = takes_.find(take);
    return found == takes_.end() ? std::filesystem::path() : found->second->file;
}

void Sources::silence(TakeId take, const std::filesystem::path& file)
{
    put(take, nullptr, file);
}

const SampleSource* Sources::sourceOf(TakeId take) const
{
    const auto found = takes_.find(take);
    return found == takes_.end() ? nullptr : found->second->source.get();
}

int Sources::channels(TakeId take) const
{
    const SampleSource* source = sourceOf(take);
    return source == nullptr ? 0 : source->channels();
}

Frames Sources::frames(TakeId take) const
{
    const SampleSource* source = sourceOf(take);
    return source == nullptr ? Frames(0) : source->frames();
}

Result<void> Sources::read(TakeId take, Frames from, AudioBuffer& into) const
{
    if (!has(take)) {
        into.clear();
        return {};
    }
    Opened& opened = *takes_.at(take);
    const std::scoped_lock lock(opened.mutex);
    return opened.source->read(from, into);
}

Result<void> Sources::read(TakeId take, int channel, Frames from, std::span<float> into) const
{
    if (channel >= channels(take)) {
        std::ranges::fill(into, 0.0F);
        return {};
    }
    Opened& opened = *takes_.at(take);
    const std::scoped_lock lock(opened.mutex);
    const Frames length(static_cast<std::int64_t>(into.size()));
    const int channels = opened.source->channels();
    if (opened.scratch.frames() != length || opened.scratch.channels() != channels) {
        opened.scratch = AudioBuffer(channels, length);
    }
    if (auto read = opened.source->read(from, opened.scratch); !read) {
        return read;
    }
    std::ranges::copy(opened.scratch.channel(channel), into.begin());
    return {};
}

Channel Sources::channel(TakeId take, int channel) const
{
    return {frames(take), [this, take, channel](Frames from, std::span<float> into) {
                return read(take, channel, from, into);
            }};
}

}  // namespace orthochron
