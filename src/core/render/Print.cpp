#include "core/render/Print.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/base/FileName.h"

#include <atomic>
#include <cmath>

namespace orthochron {

namespace {

constexpr std::int64_t kBlock = 65536;

void notePeak(PrintedFile& file, const AudioBuffer& block)
{
    for (int c = 0; c < block.channels(); ++c) {
        for (const float value : block.channel(c)) {
            file.peak = std::max(file.peak, static_cast<double>(std::abs(value)));
        }
    }
}

// Fills and writes one file block by block; the writer is left unfinished.
template<class Fill>
Result<PrintedFile> writeBlocks(
    SoundFileWriter& writer,
    int channels,
    const PrintSettings& settings,
    const Work& work,
    const Fill& fill
)
{
    PrintedFile file;
    const std::int64_t length = (settings.to - settings.from).count();
    for (std::int64_t done = 0; done < length; done += kBlock) {
        if (work.stopped()) {
            return cancelled();
        }
        AudioBuffer block(channels, Frames(std::min(kBlock, length - done)));
        if (auto filled = fill(settings.from + Frames(done), block); !filled) {
            return tl::unexpected(filled.error());
        }
        notePeak(file, block);
        if (auto written = writer.write(block); !written) {
            return tl::unexpected(written.error());
        }
        work.report(static_cast<double>(done) / static_cast<double>(length));
    }
    file.clipped = writer.clipped();
    return file;
}

Result<void> check(
    std::span<const std::filesystem::path> paths,
    const Sources& sources,
    const PrintSettings& settings
)
{
    if (settings.to <= settings.from) {
        return badArgument("there is nothing to print: the range is empty");
    }
    return checkOutputs(paths, sources.files());
}

}  // namespace

Result<PrintedFile> printMix(
    const Song& song,
    const Sources& sources,
    const std::filesystem::path& path,
    const PrintSettings& settings,
    const Work& work
)
{
    if (auto checked = check({&path, 1}, sources, settings); !checked) {
        return tl::unexpected(checked.error());
    }
    auto writer = SoundFileWriter::create(
        path, {song.rate, 2, settings.format, 0, settings.dither, settings.to - settings.from}
    );
    if (!writer) {
        return tl::unexpected(writer.error());
    }
    auto file = writeBlocks(**writer, 2, settings, work, [&](Frames from, AudioBuffer& block) {
        return renderMix(song, sources, from, block);
    });
    if (!file) {
        return file;
    }
    if (auto finished = (*writer)->finish(); !finished) {
        return tl::unexpected(finished.error());
    }
    file->path = path;
    return file;
}

Result<std::vector<PrintedFile>> printTracks(
    const Song& song,
    const Sources& sources,
    const std::vector<TrackPrint>& tracks,
    const PrintSettings& settings,
    const Work& work
)
{
    std::vector<std::filesystem::path> paths;
    paths.reserve(tracks.size());
    for (const TrackPrint& print : tracks) {
        paths.push_back(print.path);
    }
    if (auto checked = check(paths, sources, settings); !checked) {
        return tl::unexpected(checked.error());
    }
    std::vector<std::unique_ptr<SoundFileWriter>> writers;
    for (const TrackPrint& print : tracks) {
        const int channels = channelsOf(*song.track(print.track), sources);
        auto writer = SoundFileWriter::create(
            print.path,
            {song.rate,
             channels,
             settings.format,
             print.sameAs,
             settings.dither,
             settings.to - settings.from}
        );
        if (!writer) {
            return tl::unexpected(writer.error());
        }
        writers.push_back(std::move(*writer));
    }
    std::vector<Result<PrintedFile>> files(tracks.size());
    std::atomic<int> done{0};
    tbb::parallel_for(std::size_t{0}, tracks.size(), [&](std::size_t i) {
        const auto track = song.track(tracks[i].track);
        const int channels = channelsOf(*track, sources);
        files[i] = writeBlocks(
            *writers[i],
            channels,
            settings,
            {work.stop, {}},
            [&](Frames from, AudioBuffer& block) {
                return renderTrack(song, *track, sources, from, block);
            }
        );
        work.report(static_cast<double>(++done) / static_cast<double>(tracks.size()));
    });
    std::vector<PrintedFile> printed;
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (!files[i]) {
            return tl::unexpected(files[i].error());
        }
        printed.push_back(*files[i]);
        printed.back().path = tracks[i].path;
    }
    if (work.stopped()) {
        return cancelled();
    }
    if (auto finished = SoundFileWriter::finishAll(writers); !finished) {
        return tl::unexpected(finished.error());
    }
    return printed;
}

std::vector<std::string> printNames(const Song& song, PrintFormat format)
{
    std::vector<std::string> names;
    UsedNames used;
    for (const auto& track : song.tracks) {
        const std::string number = std::to_string(track->id.value);
        const std::string name = used.unique(fileNameOf(track->name, "Track " + number));
        names.push_back(name + (format == PrintFormat::Flac ? ".flac" : ".wav"));
    }
    return names;
}

}  // namespace orthochron
