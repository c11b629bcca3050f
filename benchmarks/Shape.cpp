#include <fmt/format.h>

#include "core/audio/SoundFile.h"
#include "core/edits/ShapeEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Render.h"
#include "testkit/Folder.h"

#include <algorithm>
#include <chrono>
#include <cmath>

// Rendering with level lines and hushes on every track against the same song without, and how far what
// is rendered is from the exact curve.
namespace orthochron {
namespace {

constexpr int kTracks = 32;
constexpr Hertz kRate{48000.0};
constexpr Frames kLength(48000 * 60);

struct Made {
    Song plain;
    Song shaped;
    Sources sources;
};

// Each track reads a 24-bit file, as songs do.
Made makeSongs(const std::filesystem::path& file)
{
    AudioBuffer sound(1, kLength);
    for (std::int64_t i = 0; i < kLength.count(); ++i) {
        sound.channel(0)[static_cast<std::size_t>(i)] =
            static_cast<float>(0.5 * std::sin(0.01 * static_cast<double>(i % 6283)));
    }
    auto writer = *SoundFileWriter::create(file, {kRate, 1, PrintFormat::Wav24, 0, false, kLength});
    (void)writer->write(sound);
    (void)writer->finish();
    Made made;
    made.plain.rate = kRate;
    std::vector<ImportedTake> takes;
    for (int t = 0; t < kTracks; ++t) {
        Take take;
        take.name = fmt::format("Track {}", t + 1);
        take.rate = kRate;
        take.frames = kLength;
        take.channels = 1;
        takes.push_back({std::move(take), false});
    }
    made.plain = *addTakes(made.plain, std::move(takes));
    for (const Take& take : made.plain.takes) {
        made.sources.put(take.id, std::move(*SoundFileReader::open(file)), file);
    }
    made.shaped = made.plain;
    for (const auto& track : made.plain.tracks) {
        LevelLine line;
        for (int i = 0; i < 12; ++i) {
            line.points.push_back(
                {HeldPlace(10.0 * i), i % 7 == 6 ? kSilence : -3.0 * (i % 5), 0.1 * (i % 9) - 0.4}
            );
        }
        made.shaped = *setLevelLine(made.shaped, std::array{track->id}, line);
        for (int i = 0; i < 6; ++i) {
            Hush hush;
            hush.from = HeldPlace(3.0 + 20.0 * i);
            hush.to = HeldPlace(6.0 + 20.0 * i);
            made.shaped = *addHush(made.shaped, std::array{track->id}, hush);
        }
    }
    return made;
}

double secondsToRender(const Song& song, const Sources& sources)
{
    const auto from = std::chrono::steady_clock::now();
    AudioBuffer mix(2, Frames(4096));
    for (Frames at{0}; at < kLength; at += mix.frames()) {
        if (!renderMix(song, sources, at, mix)) {
            return 0.0;
        }
    }
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count();
}

double worstError(const Song& song)
{
    const HeardLine heard(song.tracks.front()->level, song.tempo, kRate);
    std::vector<float> gains(static_cast<std::size_t>(kLength.count()));
    heard.gains(Frames(0), gains);
    double worst = 0.0;
    for (std::int64_t i = 0; i < kLength.count(); ++i) {
        const double exact = heard.gainAt(Frames(i));
        if (exact > fromDecibels(-90.0)) {
            const auto read = static_cast<double>(gains[static_cast<std::size_t>(i)]);
            worst = std::max(worst, std::abs(toDecibels(read) - toDecibels(exact)));
        }
    }
    return worst;
}

}  // namespace
}  // namespace orthochron

int main()
{
    using namespace orthochron;  // NOLINT(google-build-using-namespace): the program is this
    const testkit::Folder folder;
    const Made made = makeSongs(folder / "take.wav");
    constexpr int kTurns = 7;
    std::vector<double> ratios;
    for (int turn = 0; turn < kTurns; ++turn) {
        const double plain = secondsToRender(made.plain, made.sources);
        ratios.push_back(secondsToRender(made.shaped, made.sources) / plain);
    }
    std::ranges::sort(ratios);
    fmt::print(
        "32 tracks of a minute with 12 points and 6 hushes each: {:.3f} times as long as without "
        "(goal 1.15; "
        "{:.3f} "
        "to {:.3f})\n",
        ratios[kTurns / 2],
        ratios.front(),
        ratios.back()
    );
    fmt::print(
        "gain against the exact curve: {:.5f} dB at most (goal 0.01)\n", worstError(made.shaped)
    );
    return 0;
}
