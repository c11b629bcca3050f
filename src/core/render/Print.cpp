#include "core/render/Print.h"

#include <fmt/format.h>
#include <oneapi/tbb/parallel_for.h>

#include "core/base/FileName.h"

#include <algorithm>
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

// A file being printed.
struct Printing {
    std::unique_ptr<SoundFileWriter> writer;
    int channels = 1;
    PrintedFile file;
};

// Fills and writes files block by block, all of them at one place at a time: what takes long to make of a whole mic
// set is made once. The writers are left unfinished.
template<class Prepare, class Fill>
Result<void> writeBlocks(
    std::vector<Printing>& files,
    const PrintSettings& settings,
    const Work& work,
    const Prepare& prepare,
    const Fill& fill
)
{
    const std::int64_t length = (settings.to - settings.from).count();
    for (std::int64_t done = 0; done < length; done += kBlock) {
        if (work.stopped()) {
            return cancelled();
        }
        const Frames at = settings.from + Frames(done);
        const Frames frames(std::min(kBlock, length - done));
        prepare(at, at + frames);
        std::vector<Result<void>> written(files.size());
        tbb::parallel_for(std::size_t{0}, files.size(), [&](std::size_t i) {
            AudioBuffer block(files[i].channels, frames);
            written[i] = fill(i, at, block);
            if (written[i]) {
                notePeak(files[i].file, block);
                written[i] = files[i].writer->write(block);
            }
        });
        const auto failed = std::ranges::find_if(written, [](const auto& one) { return !one; });
        if (failed != written.end()) {
            return *failed;
        }
        work.report(static_cast<double>(done) / static_cast<double>(length));
    }
    for (Printing& printing : files) {
        printing.file.clipped = printing.writer->clipped();
    }
    return {};
}

// Makes ready what takes long of a track where it is not yet, and what comes after it along with it.
void makeReadyAhead(
    const Track& track, Hertz rate, const Sources& sources, Frames from, Frames to, const Work& work
)
{
    constexpr Seconds kAlong(8.0);
    for (const StretchedPart& part : stretchedParts(track, from, to)) {
        const Sound& sound = part.clip->sound;
        const bool isReady = sources.isReady(sound, part.soundFrom) &&
                             sources.isReady(sound, part.soundTo - Frames(1));
        if (!isReady) {
            // What cannot be made is said where it is read.
            (void)sources.makeReady(
                sound, part.soundFrom, part.soundFrom + toFrames(kAlong, rate), {work.stop, {}}
            );
        }
    }
}

// A mono track that is panned becomes stereo with its pan.
int channelsOf(const TrackPrint& print, const Track& track, const Sources& sources)
{
    const int own = channelsOf(track, sources);
    const bool isPanned = print.depth == PrintDepth::Track && track.pan != 0.0;
    return isPanned ? std::max(2, own) : own;
}

Result<void> renderDeep(
    const Song& song,
    const TrackPrint& print,
    const Sources& sources,
    Frames from,
    AudioBuffer& block
)
{
    const Track& track = *song.track(print.track);
    if (print.depth == PrintDepth::Clips) {
        return renderClips(track.clips, sources, from, block);
    }
    if (print.depth != PrintDepth::Track) {
        return renderTrack(song, track, sources, from, block);
    }
    const int own = channelsOf(track, sources);
    if (track.pan != 0.0 && own <= 2) {
        AudioBuffer sound(own, block.frames());
        auto rendered = renderTrack(song, track, sources, from, sound);
        addToMix(block, sound, mixGains(track, own));
        return rendered;
    }
    auto rendered = renderTrack(song, track, sources, from, block);
    const auto gain = static_cast<float>(fromDecibels(track.gainDecibels));
    for (int channel = 0; channel < block.channels(); ++channel) {
        for (float& sample : block.channel(channel)) {
            sample *= gain;
        }
    }
    return rendered;
}

Result<void> check(
    std::span<const std::filesystem::path> paths,
    const Sources& sources,
    const PrintSettings& settings
)
{
    if (settings.to <= settings.from) {
        return badArgument("nothing to print: the range is empty");
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
    std::vector<Printing> files;
    files.push_back({std::move(*writer), 2, {}});
    files.front().file.path = path;
    const auto prepare = [&](Frames from, Frames to) {
        for (const auto& track : song.tracks) {
            if (isHeard(song, *track)) {
                makeReadyAhead(*track, song.rate, sources, from, to, work);
            }
        }
    };
    const auto mix = [&](std::size_t, Frames from, AudioBuffer& block) {
        return renderMix(song, sources, from, block);
    };
    if (auto written = writeBlocks(files, settings, work, prepare, mix); !written) {
        return tl::unexpected(written.error());
    }
    if (auto finished = files.front().writer->finish(); !finished) {
        return tl::unexpected(finished.error());
    }
    return files.front().file;
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
    std::vector<Printing> files;
    for (const TrackPrint& print : tracks) {
        const int channels = channelsOf(print, *song.track(print.track), sources);
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
        files.push_back({std::move(*writer), channels, {}});
        files.back().file.path = print.path;
    }
    const auto prepare = [&](Frames from, Frames to) {
        for (const TrackPrint& print : tracks) {
            makeReadyAhead(*song.track(print.track), song.rate, sources, from, to, work);
        }
    };
    const auto fill = [&](std::size_t i, Frames from, AudioBuffer& block) {
        return renderDeep(song, tracks[i], sources, from, block);
    };
    if (auto written = writeBlocks(files, settings, work, prepare, fill); !written) {
        return tl::unexpected(written.error());
    }
    std::vector<std::unique_ptr<SoundFileWriter>> writers;
    std::vector<PrintedFile> printed;
    for (Printing& printing : files) {
        writers.push_back(std::move(printing.writer));
        printed.push_back(std::move(printing.file));
    }
    if (work.stopped()) {
        return cancelled();
    }
    if (auto finished = SoundFileWriter::finishAll(writers); !finished) {
        return tl::unexpected(finished.error());
    }
    return printed;
}

std::vector<TrackPrint> printFiles(
    const Song& song,
    SetId set,
    PrintDepth depth,
    const std::filesystem::path& folder,
    PrintFormat format
)
{
    const char* ending = format == PrintFormat::Flac ? ".flac" : ".wav";
    std::vector<TrackPrint> files;
    for (int number = 1;; ++number) {
        files.clear();
        UsedNames used;
        for (const TrackId id : song.set(set)->tracks) {
            const auto track = song.track(id);
            const std::string name = used.unique(fmt::format(
                "{} print {}", fileNameOf(track->name, "Track " + std::to_string(id.value)), number
            ));
            files.push_back({id, folder / (name + ending), 0, depth});
        }
        const bool isFree = std::ranges::none_of(files, [](const TrackPrint& file) {
            std::error_code error;
            return std::filesystem::exists(file.path, error);
        });
        if (isFree) {
            return files;
        }
    }
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
