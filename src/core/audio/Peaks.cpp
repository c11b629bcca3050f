#include "core/audio/Peaks.h"

#include <fmt/format.h>

#include "core/audio/SoundFile.h"

#include <cmath>
#include <fstream>

namespace orthochron {

namespace {

constexpr std::uint64_t kMagic = 0x31736B6165506F4FULL;  // names the cached form and its version

std::int16_t toPeak(float value)
{
    return static_cast<std::int16_t>(std::lround(std::clamp(value, -1.0F, 1.0F) * 32767.0F));
}

void merge(PeakPair& into, PeakPair other)
{
    into.low = std::min(into.low, other.low);
    into.high = std::max(into.high, other.high);
}

std::vector<PeakPair> coarser(const std::vector<PeakPair>& fine)
{
    std::vector<PeakPair> coarse;
    coarse.reserve(fine.size() / Peaks::kFactor + 1);
    for (std::size_t i = 0; i < fine.size(); ++i) {
        if (i % Peaks::kFactor == 0) {
            coarse.push_back(fine[i]);
        } else {
            merge(coarse.back(), fine[i]);
        }
    }
    return coarse;
}

}  // namespace

Result<Peaks> Peaks::build(SampleSource& source, const Work& work)
{
    constexpr std::int64_t kBlock = kFinest * 1024;
    Peaks peaks;
    peaks.frames_ = source.frames();
    peaks.levels_.assign(
        static_cast<std::size_t>(source.channels()), std::vector<std::vector<PeakPair>>(1)
    );
    // An hour's worth that grew by doubling would lie there twice. A header that lies reserves no more than this.
    constexpr std::int64_t kMostReserved = 1 << 24;
    const std::int64_t pairs = std::min(source.frames().count() / kFinest + 1, kMostReserved);
    for (auto& levels : peaks.levels_) {
        levels[0].reserve(static_cast<std::size_t>(pairs));
    }
    AudioBuffer block(source.channels(), Frames(kBlock));
    float loudest = 0.0F;
    for (std::int64_t at = 0; at < source.frames().count(); at += kBlock) {
        if (work.stopped()) {
            return cancelled();
        }
        if (auto read = source.read(Frames(at), block); !read) {
            return tl::unexpected(read.error());
        }
        const auto used = static_cast<std::size_t>(std::min(kBlock, source.frames().count() - at));
        for (int c = 0; c < source.channels(); ++c) {
            auto& finest = peaks.levels_[static_cast<std::size_t>(c)][0];
            const auto samples = block.channel(c).first(used);
            for (std::size_t i = 0; i < used; i += kFinest) {
                const auto part = samples.subspan(i, std::min<std::size_t>(kFinest, used - i));
                const auto [low, high] = std::ranges::minmax(part);
                finest.push_back({toPeak(low), toPeak(high)});
                loudest = std::max({loudest, -low, high});
            }
        }
        work.report(static_cast<double>(at) / static_cast<double>(source.frames().count()));
    }
    peaks.loudest_ = static_cast<double>(loudest);
    for (auto& levels : peaks.levels_) {
        for (int level = 1; level < kLevels; ++level) {
            levels.push_back(coarser(levels.back()));
        }
    }
    return peaks;
}

PeakPair Peaks::range(int channel, Frames from, Frames to) const
{
    const auto& levels = levels_[static_cast<std::size_t>(channel)];
    std::size_t level = 0;
    std::int64_t width = kFinest;
    while (level + 1 < levels.size() && width * kFactor * 2 <= (to - from).count()) {
        width *= kFactor;
        ++level;
    }
    const auto& pairs = levels[level];
    const std::int64_t size = static_cast<std::int64_t>(pairs.size());
    const std::int64_t first = std::clamp<std::int64_t>(from.count() / width, 0, size);
    const std::int64_t last =
        std::clamp<std::int64_t>((to.count() + width - 1) / width, first, size);
    if (first == last) {
        return {};
    }
    PeakPair all = pairs[static_cast<std::size_t>(first)];
    for (std::int64_t i = first + 1; i < last; ++i) {
        merge(all, pairs[static_cast<std::size_t>(i)]);
    }
    return all;
}

Result<void> Peaks::save(const std::filesystem::path& path) const
{
    auto replacement = Replacement::of(path);
    if (!replacement) {
        return tl::unexpected(replacement.error());
    }
    std::ofstream file(replacement->beside(), std::ios::binary);
    const auto put = [&file](const auto& value) {
        file.write(reinterpret_cast<const char*>(&value), sizeof value);
    };
    put(kMagic);
    put(static_cast<std::int64_t>(levels_.size()));
    put(frames_.count());
    put(loudest_);
    for (const auto& levels : levels_) {
        const auto& finest = levels.front();
        file.write(
            reinterpret_cast<const char*>(finest.data()),
            static_cast<std::streamsize>(finest.size() * sizeof(PeakPair))
        );
    }
    file.close();
    if (!file) {
        return failed(fmt::format("{}: cannot be written", path.string()));
    }
    return replacement->commit();
}

std::optional<Peaks> Peaks::load(const std::filesystem::path& path)
{
    std::ifstream file(path, std::ios::binary);
    const auto get = [&file](auto& value) {
        file.read(reinterpret_cast<char*>(&value), sizeof value);
    };
    std::uint64_t magic = 0;
    std::int64_t channels = 0;
    std::int64_t frames = 0;
    Peaks peaks;
    get(magic);
    get(channels);
    get(frames);
    get(peaks.loudest_);
    if (!file || magic != kMagic || channels < 1 || channels > kMostChannels || frames < 0) {
        return std::nullopt;
    }
    std::error_code error;
    const std::int64_t pairs = (frames + kFinest - 1) / kFinest;
    const auto held = static_cast<std::int64_t>(std::filesystem::file_size(path, error));
    if (error || (held - 32) / 4 / channels != pairs) {
        return std::nullopt;
    }
    peaks.frames_ = Frames(frames);
    peaks.levels_.assign(static_cast<std::size_t>(channels), std::vector<std::vector<PeakPair>>(1));
    for (auto& levels : peaks.levels_) {
        levels[0].resize(static_cast<std::size_t>(pairs));
        file.read(
            reinterpret_cast<char*>(levels[0].data()),
            static_cast<std::streamsize>(levels[0].size() * sizeof(PeakPair))
        );
        for (int level = 1; level < kLevels; ++level) {
            levels.push_back(coarser(levels.back()));
        }
    }
    return file ? std::optional(std::move(peaks)) : std::nullopt;
}

}  // namespace orthochron
