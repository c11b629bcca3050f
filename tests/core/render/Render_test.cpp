#include <gtest/gtest.h>

#include "core/edits/TakeEdits.h"
#include "core/render/LastSound.h"
#include "core/render/Loudness.h"
#include "core/render/Print.h"
#include "testkit/Folder.h"
#include "testkit/Rate.h"

#include <cmath>
#include <numbers>

namespace orthochron {
namespace {

using testkit::Folder;

// Takes of one second: a ramp, a constant and a stereo pair.
class Rendering : public testing::Test {
protected:
    Rendering()
    {
        add(1, [](int, std::int64_t f) { return static_cast<float>(f) / 48000.0F; });
        add(1, [](int, std::int64_t) { return 0.5F; });
        add(2, [](int c, std::int64_t) { return c == 0 ? 0.25F : -0.125F; });
    }
    void add(int channels, const std::function<float(int, std::int64_t)>& value)
    {
        auto audio = std::make_shared<AudioBuffer>(channels, Frames(48000));
        for (int c = 0; c < channels; ++c) {
            std::int64_t frame = 0;
            for (float& sample : audio->channel(c)) {
                sample = value(c, frame++);
            }
        }
        Take take;
        take.name = "t" + std::to_string(song_.takes.size());
        take.frames = Frames(48000);
        take.channels = channels;
        song_ = *addTakes(song_, {{take, false}});
        sources_.put(song_.takes.back().id, std::make_unique<MemorySource>(audio, kRate));
    }
    [[nodiscard]] Clip clip(std::size_t track) const { return song_.tracks[track]->clips[0]; }
    [[nodiscard]] AudioBuffer
    render(std::vector<Clip> clips, std::int64_t from, std::int64_t count, int channels = 1) const
    {
        AudioBuffer out(channels, Frames(count));
        EXPECT_TRUE(renderClips(clips, sources_, Frames(from), out));
        return out;
    }

    Song song_;
    Sources sources_;
};

TEST_F(Rendering, PlaysAClipWhereItLiesAndSilenceElsewhere)
{
    Clip part = clip(0);
    part.soundStart = Frames(1000);
    part.at = Frames(5000);
    part.length = Frames(2000);

    const AudioBuffer out = render({part}, 4000, 4000);

    EXPECT_EQ(out.channel(0)[999], 0.0F);
    EXPECT_EQ(out.channel(0)[1000], 1000.0F / 48000.0F);
    EXPECT_EQ(out.channel(0)[2999], 2999.0F / 48000.0F);
    EXPECT_EQ(out.channel(0)[3000], 0.0F);
}

TEST_F(Rendering, TheLastSoundEndsWithItsLastFrame)
{
    for (const std::int64_t end : {1, 30000, 47999, 48000}) {
        Song song;
        Sources sources;
        auto audio = std::make_shared<AudioBuffer>(1, Frames(48000));
        std::ranges::fill(audio->channel(0).first(static_cast<std::size_t>(end)), 0.5F);
        Take take;
        take.name = "t";
        take.frames = Frames(48000);
        song = *addTakes(song, {{take, false}});
        sources.put(song.takes.back().id, std::make_unique<MemorySource>(audio, kRate));
        EXPECT_EQ(*lastSound(song, sources, {}), Frames(end));
    }
}

TEST_F(Rendering, LoudnessIsThatOfTheMixWhereItIsAsked)
{
    // A tone of 997 Hz in both channels has as many LUFS as dB of full scale; one microphone in the middle is 3 dB
    // softer in each.
    const auto tone = [](double level) {
        return [level](int, std::int64_t f) {
            return static_cast<float>(
                level * std::sin(2.0 * std::numbers::pi * 997.0 * static_cast<double>(f) / 48000.0)
            );
        };
    };
    Song quiet = song_;
    for (const auto& track : song_.tracks) {
        quiet = *changeMix(quiet, track->id, {.muted = true});
    }
    song_ = quiet;
    add(1, tone(0.1));
    EXPECT_NEAR(**loudnessOf(song_, sources_, Frames(0), Frames(48000)), -23.01, 0.1);
    // Half of it, and its level with it.
    song_ = *changeMix(song_, song_.tracks.back()->id, {.gainDecibels = -6.0});
    EXPECT_NEAR(**loudnessOf(song_, sources_, Frames(5000), Frames(40000)), -29.01, 0.1);
    EXPECT_FALSE(*loudnessOf(song_, sources_, Frames(48000), Frames(96000)));
    EXPECT_FALSE(loudnessOf(song_, sources_, Frames(5), Frames(5)));
    // How far it is, from wherever it begins.
    std::vector<double> done;
    const Work told{{}, [&](double part) { done.push_back(part); }};
    EXPECT_TRUE(loudnessOf(song_, sources_, Frames(30000), Frames(48000), told));
    ASSERT_FALSE(done.empty());
    EXPECT_TRUE(std::ranges::is_sorted(done));
    EXPECT_GE(done.front(), 0.0);
    EXPECT_LE(done.back(), 1.0);
    std::stop_source stopped;
    stopped.request_stop();
    EXPECT_EQ(
        loudnessOf(song_, sources_, Frames(0), Frames(48000), {stopped.get_token(), {}})
            .error()
            .kind,
        ErrorKind::Cancelled
    );
}

TEST_F(Rendering, GivesOneAnswerInBlocksOfAnySize)
{
    Clip a = clip(0);
    a.length = Frames(24000);
    a.out = {Frames(480), FadeShape::Matched};
    Clip b = clip(1);
    b.at = Frames(23520);
    b.length = Frames(24480);
    b.in = {Frames(480), FadeShape::Matched};
    b.gain = 0.7F;
    const AudioBuffer whole = render({a, b}, 0, 48000);

    for (const std::int64_t block : {1, 7, 480, 1024, 30000}) {
        const std::int64_t first = block == 1 ? 23400 : 0;
        const std::int64_t last = block == 1 ? 24200 : 48000;
        for (std::int64_t at = first; at < last; at += block) {
            const AudioBuffer part = render({a, b}, at, std::min(block, last - at));
            for (std::int64_t i = 0; i < part.frames().count(); ++i) {
                ASSERT_EQ(
                    part.channel(0)[static_cast<std::size_t>(i)],
                    whole.channel(0)[static_cast<std::size_t>(at + i)]
                );
            }
        }
    }
}

TEST_F(Rendering, WhatNobodyHearsIsNotReadAndTheRestSoundsAlikeInBlocksOfAnySize)
{
    // Of a take that cannot be read, only where it is to be heard is it missed.
    class Unreadable final : public SampleSource {
    public:
        [[nodiscard]] Hertz rate() const override { return kRate; }
        [[nodiscard]] Frames frames() const override { return Frames(48000); }
        [[nodiscard]] int channels() const override { return 1; }
        [[nodiscard]] Result<void> read(Frames, AudioBuffer&) override
        {
            return badArgument("it was read");
        }
    };
    const auto hushed = [](double from, double to) {
        Hush hush;
        hush.from = HeldPlace(from);
        hush.to = HeldPlace(to);
        hush.keeps = Keeps::Time;
        return hush;
    };
    Track track = *song_.tracks[1];
    track.hushes = {hushed(0.2, 0.4)};
    track.level = {
        {{HeldPlace(0.1), 0.0}, {HeldPlace(0.5), -6.0}, {HeldPlace(0.6), kSilence}}, Keeps::Time};
    const auto renderedBy = [&](const Sources& sources, double from, std::int64_t frames) {
        AudioBuffer out(1, Frames(frames));
        const bool isDone = renderTrack(song_, track, sources, atSeconds(from), out).has_value();
        return std::pair{isDone, std::move(out)};
    };
    Sources broken;
    broken.put(song_.takes[1].id, std::make_unique<Unreadable>());
    for (const double silent : {0.21, 0.3, 0.39 - 0.005, 0.61, 0.9}) {
        const auto [isDone, out] = renderedBy(broken, silent, 240);
        EXPECT_TRUE(isDone) << silent;
        EXPECT_EQ(out.channel(0)[100], 0.0F);
    }
    for (const double heard : {0.0, 0.195, 0.399, 0.45, 0.599}) {
        EXPECT_FALSE(renderedBy(broken, heard, 240).first) << heard;
    }
    const AudioBuffer whole = renderedBy(sources_, 0.0, 48000).second;
    for (const std::int64_t block : {96, 1000, 9600}) {
        for (std::int64_t at = 0; at < 48000; at += block) {
            const AudioBuffer part =
                renderedBy(sources_, static_cast<double>(at) / 48000.0, block).second;
            for (std::int64_t i = 0; i < block && at + i < 48000; ++i) {
                ASSERT_EQ(
                    part.channel(0)[static_cast<std::size_t>(i)],
                    whole.channel(0)[static_cast<std::size_t>(at + i)]
                );
            }
        }
    }
}

TEST_F(Rendering, AMatchedCrossfadeOfOneSoundWithItselfIsThatSound)
{
    Clip a = clip(1);
    a.length = Frames(10000);
    a.out = {Frames(1000), FadeShape::Matched};
    Clip b = clip(1);
    b.at = Frames(9000);
    b.soundStart = Frames(9000);
    b.length = Frames(10000);
    b.in = {Frames(1000), FadeShape::Matched};

    const AudioBuffer out = render({a, b}, 0, 19000);

    for (const float value : out.channel(0)) {
        ASSERT_NEAR(value, 0.5F, 1e-6F);
    }
}

TEST_F(Rendering, FadesInFromSilenceAndOutToIt)
{
    Clip faded = clip(1);
    faded.in = {Frames(100), FadeShape::EqualGain};
    faded.out = {Frames(200), FadeShape::EqualGain};

    const AudioBuffer out = render({faded}, 0, 48000);

    EXPECT_NEAR(out.channel(0)[0], 0.5F * 0.005F, 1e-6F);
    EXPECT_NEAR(out.channel(0)[50], 0.5F * 0.505F, 1e-6F);
    EXPECT_EQ(out.channel(0)[100], 0.5F);
    EXPECT_EQ(out.channel(0)[47799], 0.5F);
    EXPECT_NEAR(out.channel(0)[47999], 0.5F * 0.0025F, 1e-6F);
}

TEST_F(Rendering, MixesByLevelPanMuteAndSolo)
{
    AudioBuffer mix(2, Frames(100));
    Song song = song_;
    song = *changeMix(song, song.tracks[0]->id, {.muted = true});
    song = *changeMix(song, song.tracks[1]->id, {.gainDecibels = -6.0, .pan = -1.0});

    ASSERT_TRUE(renderMix(song, sources_, Frames(1000), mix));
    EXPECT_NEAR(mix.channel(0)[5], 0.5 * fromDecibels(-6.0) + 0.25, 1e-6);
    EXPECT_NEAR(mix.channel(1)[5], -0.125, 1e-6);

    song = *changeMix(song, song.tracks[2]->id, {.soloed = true});
    ASSERT_TRUE(renderMix(song, sources_, Frames(1000), mix));
    EXPECT_NEAR(mix.channel(0)[5], 0.25, 1e-6);

    const Track centred = *song_.tracks[1];
    EXPECT_NEAR(mixGains(centred, 1)[0], std::sqrt(0.5), 1e-6);
    EXPECT_NEAR(mixGains(centred, 2)[0], 1.0, 1e-6);
}

TEST_F(Rendering, AMissingTakeIsSilent)
{
    Clip ghost = clip(0);
    ghost.sound.take = TakeId{999};

    const AudioBuffer out = render({ghost}, 0, 1000);

    EXPECT_TRUE(std::ranges::all_of(out.channel(0), [](float v) { return v == 0.0F; }));
    EXPECT_EQ(sources_.channels(TakeId{999}), 0);
}

TEST_F(Rendering, PrintsTheMixAndTheTracksAsTheyAreRendered)
{
    const Folder folder;
    const PrintSettings settings{Frames(100), Frames(20100), PrintFormat::Wav32Float, false};

    const auto mix = printMix(song_, sources_, folder / "mix.wav", settings);
    const auto tracks = printTracks(
        song_,
        sources_,
        {{song_.tracks[0]->id, folder / "a.wav", 0}, {song_.tracks[2]->id, folder / "c.wav", 0}},
        settings
    );

    ASSERT_TRUE(mix);
    ASSERT_TRUE(tracks);
    AudioBuffer wanted(2, Frames(20000));
    ASSERT_TRUE(renderMix(song_, sources_, Frames(100), wanted));
    EXPECT_EQ(testkit::readSound(folder / "mix.wav"), wanted);
    EXPECT_EQ(testkit::readSound(folder / "a.wav").channel(0)[0], 100.0F / 48000.0F);
    EXPECT_EQ(testkit::readSound(folder / "c.wav").channels(), 2);
    EXPECT_NEAR(tracks->front().peak, 20099.0 / 48000.0, 1e-6);
    EXPECT_FALSE(printMix(song_, sources_, folder / "none.wav", {Frames(5), Frames(5)}));
}

TEST_F(Rendering, AStoppedPrintLeavesNoFile)
{
    const Folder folder;
    std::stop_source stop;
    stop.request_stop();

    const auto printed = printMix(
        song_, sources_, folder / "mix.wav", {Frames(0), Frames(48000)}, {stop.get_token(), {}}
    );

    EXPECT_EQ(printed.error().kind, ErrorKind::Cancelled);
    EXPECT_TRUE(std::filesystem::is_empty(folder.path()));
}

TEST_F(Rendering, CountsWhatIsOverFullScaleInWholeNumberFormats)
{
    const Folder folder;
    const Song loud = *changeMix(song_, song_.tracks[1]->id, {.gainDecibels = 12.0, .pan = -1.0});

    const auto whole =
        printMix(loud, sources_, folder / "w.wav", {Frames(0), Frames(1000), PrintFormat::Wav24});
    const auto real = printMix(
        loud, sources_, folder / "f.wav", {Frames(0), Frames(1000), PrintFormat::Wav32Float}
    );

    EXPECT_EQ(whole->clipped, 1000);
    EXPECT_EQ(real->clipped, 0);
    EXPECT_GT(real->peak, 1.9);
    EXPECT_LE(testkit::readSound(folder / "w.wav").channel(0)[10], 1.0F);
}

TEST_F(Rendering, DitherIsSmallAndTheSameEachTime)
{
    const Folder folder;
    const PrintSettings settings{Frames(0), Frames(10000), PrintFormat::Wav16, true};
    ASSERT_TRUE(printMix(song_, sources_, folder / "a.wav", settings));
    ASSERT_TRUE(printMix(song_, sources_, folder / "b.wav", settings));
    AudioBuffer exact(2, Frames(10000));
    ASSERT_TRUE(renderMix(song_, sources_, Frames(0), exact));

    const AudioBuffer printed = testkit::readSound(folder / "a.wav");

    EXPECT_EQ(printed, testkit::readSound(folder / "b.wav"));
    int different = 0;
    for (std::size_t i = 0; i < 10000; ++i) {
        ASSERT_NEAR(printed.channel(0)[i], exact.channel(0)[i], 2.0F / 32768.0F);
        different +=
            std::abs(printed.channel(0)[i] - exact.channel(0)[i]) > 0.6F / 32768.0F ? 1 : 0;
    }
    EXPECT_GT(different, 1000);
}

TEST(PrintNames, AreSafeForFileSystemsAndNeverTwiceTheSame)
{
    Song song;
    std::uint32_t id = 7;
    for (const char* name : {"Over/left\n", "..", "", "Snare", "Snare", "11 Snare"}) {
        Track track;
        track.id = TrackId{id++};
        track.name = name;
        song.tracks.push_back(std::make_shared<const Track>(std::move(track)));
    }
    EXPECT_EQ(
        printNames(song, PrintFormat::Wav24),
        (std::vector<std::string>{
            "Over-left-.wav",
            "Track 8...wav",
            "Track 9.wav",
            "Snare.wav",
            "Snare 2.wav",
            "11 Snare.wav"})
    );
    EXPECT_EQ(printNames(song, PrintFormat::Flac)[3], "Snare.flac");
}

TEST_F(Rendering, AllTracksArePrintedOrNone)
{
    const Folder folder;
    PrintSettings settings;
    settings.to = song_.length();
    std::filesystem::create_directory(folder / "c.wav");
    testkit::writeSound(folder / "a.wav", testkit::soundOf(0.1, [](std::int64_t) { return 0.1; }));
    const auto before = testkit::readSound(folder / "a.wav");
    const auto print = [&](const std::vector<std::string>& names) {
        std::vector<TrackPrint> prints;
        for (std::size_t t = 0; t < names.size(); ++t) {
            prints.push_back({song_.tracks[t]->id, folder / names[t]});
        }
        return printTracks(song_, sources_, prints, settings);
    };

    for (const auto& names :
         {std::vector<std::string>{"a.wav", "b.wav", "c.wav"},
          std::vector<std::string>{"a.wav", "b.wav", "a.wav"},
          std::vector<std::string>{"a.wav", "b.wav", "s.orthochron"}}) {
        const auto printed = print(names);
        ASSERT_FALSE(printed);
        EXPECT_EQ(printed.error().kind, ErrorKind::BadArgument);
        EXPECT_EQ(testkit::readSound(folder / "a.wav"), before);
        EXPECT_FALSE(std::filesystem::exists(folder / "b.wav"));
    }
    EXPECT_TRUE(print({"a.wav", "b.wav", "d.wav"}));
    EXPECT_FALSE(testkit::readSound(folder / "a.wav") == before);
}

}  // namespace
}  // namespace orthochron
