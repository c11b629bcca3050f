#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/demo/DemoSong.h"
#include "core/demo/FreePlaying.h"
#include "core/demo/KitRecording.h"
#include "core/demo/SungLines.h"
#include "core/files/AtomicFile.h"
#include "core/files/SongFile.h"
#include "core/onset/BandEnvelope.h"
#include "core/pitch/AnyVoice.h"
#include "core/render/Sources.h"
#include "core/tempo/MapDraft.h"
#include "core/tune/SungNotes.h"
#include "testkit/Folder.h"

#include <array>
#include <cmath>
#include <fstream>

// The truth all other tests lean on has to be true itself.
namespace orthochron::demo {
namespace {

DrummerSettings eightBars(std::uint64_t seed = 1907)
{
    DrummerSettings settings;
    settings.bars = 8;
    settings.seed = seed;
    return settings;
}

TEST(DemoDrummer, PlaysTheSameTwiceAndOtherwiseWithAnotherSeed)
{
    const auto one = performKit(eightBars());
    const auto two = performKit(eightBars());
    const auto other = performKit(eightBars(7));
    ASSERT_EQ(one.hits.size(), two.hits.size());
    bool differs = one.hits.size() != other.hits.size();
    for (std::size_t i = 0; i < one.hits.size(); ++i) {
        EXPECT_EQ(one.hits[i].played, two.hits[i].played);
        differs = differs || one.hits[i].played != other.hits[i].played;
    }
    EXPECT_TRUE(differs);
}

TEST(DemoDrummer, EveryMainBlowIsItsLineWithDriftFeelAndStray)
{
    const auto performance = performKit();
    int mains = 0;
    for (const DemoHit& hit : performance.hits) {
        if (hit.stroke == Stroke::Main) {
            EXPECT_NEAR(
                hit.played.count(), (hit.grid + hit.drift + hit.feel + hit.stray).count(), 1e-12
            );
            ++mains;
        }
        EXPECT_GT(hit.velocity, 0.0);
        EXPECT_LE(hit.velocity, 1.0);
        EXPECT_LT(hit.played, performance.length);
    }
    EXPECT_GT(mains, 400);
    EXPECT_TRUE(std::ranges::is_sorted(performance.hits, {}, &DemoHit::played));
}

TEST(DemoDrummer, PlaysTheSnareBehindAndWandersOffWhereItIsSaid)
{
    const auto performance = performKit();
    for (const DemoHit& hit : performance.hits) {
        const bool isBackbeat = hit.drum == Drum::Snare && hit.stroke == Stroke::Main &&
                                (hit.step == 4 || hit.step == 12);
        if (isBackbeat) {
            EXPECT_NEAR(hit.feel.count(), performance.settings.snareBehind.count(), 1e-9);
        }
    }
    double most = 0.0;
    for (const DemoHit& hit : performance.hits) {
        most = std::max(most, hit.drift.count());
    }
    EXPECT_NEAR(most, performance.settings.wanderOff.count(), 0.03);
}

TEST(DemoDrummer, WithNothingLooseHasOnlyItsSmallFeelLeft)
{
    DrummerSettings settings = eightBars();
    settings.looseness = 0.0;
    settings.snareBehind = Seconds(0.0);
    settings.wanderOff = Seconds(0.0);
    settings.swing = 50.0;
    settings.mistakes = false;
    for (const DemoHit& hit : performKit(settings).hits) {
        if (hit.stroke == Stroke::Main) {
            EXPECT_NEAR(hit.drift.count(), 0.0, 1e-9);
            EXPECT_NEAR(hit.stray.count(), 0.0, 1e-9);
            EXPECT_LE(std::abs(hit.feel.count()), 0.005) << hit.bar << " " << hit.step;
        }
    }
}

// Drummers who invent, of forty seeds; with or without a pedal.
std::vector<KitPerformance> inventors(bool hasPedal)
{
    std::vector<KitPerformance> all;
    for (std::uint64_t seed = 1; seed <= 40; ++seed) {
        DrummerSettings settings = eightBars(seed);
        settings.isInventing = true;
        settings.hasPedal = hasPedal;
        all.push_back(performKit(settings));
    }
    return all;
}

TEST(DemoDrummer, OnTheRideTheFootMayCloseTheHat)
{
    std::size_t players = 0;
    for (const KitPerformance& performance : inventors(true)) {
        const bool isOnHat = std::ranges::any_of(performance.hits, [](const DemoHit& hit) {
            return hit.drum == Drum::Hat && !hit.isByFoot;
        });
        std::size_t byFoot = 0;
        for (const DemoHit& hit : performance.hits) {
            if (hit.isByFoot) {
                EXPECT_EQ(hit.drum, Drum::Hat);
                EXPECT_TRUE(hit.step % 4 == 0 && hit.step > 0) << hit.step;
                ++byFoot;
            }
        }
        EXPECT_TRUE(byFoot == 0 || !isOnHat);
        players += byFoot > 8 ? 1 : 0;
    }
    EXPECT_GE(players, 5U);
    EXPECT_LE(players, 20U);
    for (const KitPerformance& performance : inventors(false)) {
        EXPECT_TRUE(std::ranges::none_of(performance.hits, &DemoHit::isByFoot));
    }
}

TEST(DemoRecording, AHatClosedByFootIsDullerThanOneStruck)
{
    const auto brightness = [](std::span<const float> sound) {
        const BandEnvelope envelope = bandEnvelopeOf(sound, Hertz(48000.0));
        const auto length = static_cast<std::int64_t>(envelope.size());
        return envelope.mean(3, 0, length) / envelope.mean(2, 0, length);
    };
    for (std::uint64_t seed = 1; seed <= 10; ++seed) {
        Random random(seed);
        const auto struck = soundOf(Drum::Hat, 0.7, Hertz(48000.0), {}, random);
        const auto closed = closedByFoot(0.7, Hertz(48000.0), {}, random);
        EXPECT_GT(brightness(struck), 3.0 * brightness(closed)) << seed;
    }
}

TEST(DemoRecording, HearsWhetherAHatWasClosedByFoot)
{
    const auto players = inventors(true);
    const auto player = std::ranges::find_if(players, [](const KitPerformance& performance) {
        return std::ranges::any_of(performance.hits, &DemoHit::isByFoot);
    });
    ASSERT_NE(player, players.end());
    KitPerformance struck = *player;
    for (DemoHit& hit : struck.hits) {
        hit.isByFoot = false;
    }
    const auto closed = *recordKit(*player, {});
    const auto asStruck = *recordKit(struck, {});
    EXPECT_FALSE(std::ranges::equal(closed[5].channel(0), asStruck[5].channel(0)));
}

TEST(DemoRecording, IsTheSameTwiceAndHeardWhenTheRoomSays)
{
    const auto performance = performKit(eightBars());
    const auto one = *recordKit(performance, {});
    const auto two = *recordKit(performance, {});
    ASSERT_EQ(one.size(), 8U);
    for (std::size_t m = 0; m < one.size(); ++m) {
        EXPECT_TRUE(std::ranges::equal(one[m].channel(0), two[m].channel(0)));
        EXPECT_EQ(one[m].frames(), one[0].frames());
    }
    const auto& microphones = boathouseMicrophones();
    const double away = microphones[7].paths[0].metres - microphones[0].paths[0].metres;
    const Seconds later = heardAt(microphones[7], Drum::Kick, Seconds(1.0)) -
                          heardAt(microphones[0], Drum::Kick, Seconds(1.0));
    EXPECT_NEAR(later.count(), away / 343.0, 0.0005);
}

TEST(DemoRecording, IsLouderInBleedWhenAskedAndStopsWhenStopped)
{
    const auto performance = performKit(eightBars());
    const auto power = [&](const AudioBuffer& audio) {
        double sum = 0.0;
        for (const float value : audio.channel(0).subspan(0, 4 * 48000)) {
            sum += static_cast<double>(value) * static_cast<double>(value);
        }
        return sum;
    };
    // The tom is not struck in the first bars: what its microphone hears there is bleed.
    const auto quiet = *recordKit(performance, {});
    const auto loud = *recordKit(performance, {.bleedDecibels = 6.0});
    EXPECT_NEAR(10.0 * std::log10(power(loud[4]) / power(quiet[4])), 6.0, 0.5);

    std::stop_source stop;
    stop.request_stop();
    Work work;
    work.stop = stop.get_token();
    const auto stopped = recordKit(performance, {}, work);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().kind, ErrorKind::Cancelled);
}

TEST(DemoVoices, PeakNearTheirVelocityAndDieAway)
{
    for (const Drum drum : {Drum::Kick, Drum::Snare, Drum::Tom}) {
        Random random(3);
        const auto sound = soundOf(drum, 0.8, Hertz(48000.0), {}, random);
        float peak = 0.0F;
        for (const float value : sound) {
            ASSERT_TRUE(std::isfinite(value));
            peak = std::max(peak, std::abs(value));
        }
        EXPECT_NEAR(peak, 0.8F, 0.4F);
        EXPECT_LT(std::abs(sound.back()), 0.01F);
    }
}

// The demo as it is written, made once.
const testkit::Folder& writtenDemo()
{
    static const testkit::Folder kFolder;
    static const auto kPath = writeDemoSong(kFolder.path());
    EXPECT_TRUE(kPath) << kPath.error().message;
    return kFolder;
}

std::filesystem::path songIn(const std::filesystem::path& folder)
{
    return folder / fmt::format("{}.orthochron", kSongName);
}

TEST(DemoSong, IsASongThatOpensWithItsTakes)
{
    const testkit::Folder& folder = writtenDemo();
    const auto document = loadSong(songIn(folder.path()));
    ASSERT_TRUE(document);
    EXPECT_EQ(document->history.song()->tracks.size(), 8U);
    EXPECT_EQ(document->history.song()->sets.size(), 1U);
    EXPECT_TRUE(Sources::open(*document->history.song(), folder.path()));

    // The song whose bars are to be found has a guide that says what was played.
    const auto free = loadSong(folder / "Slack Water.orthochron");
    ASSERT_TRUE(free);
    const Song& song = *free->history.song();
    ASSERT_EQ(song.tracks.size(), 2U);
    ASSERT_NE(song.guide, nullptr);
    const FreePlaying truth = playDulcimer(song.rate);
    ASSERT_EQ(song.guide->notes.size(), truth.strokes.size());
    for (std::size_t i = 0; i < truth.strokes.size(); ++i) {
        EXPECT_NEAR(song.guide->notes[i].at.count(), truth.strokes[i].at.count(), 0.0003) << i;
        EXPECT_EQ(song.guide->notes[i].key, truth.strokes[i].key) << i;
    }
}

TEST(DemoSong, ItsLinesAreSungAsTheirTruthSays)
{
    const Hertz rate(48000.0);
    const TempoMap map = performKit().map;
    const Frames length = toFrames(Seconds(66.0), rate);
    for (const SungLine& line : {singAlto(map, length, rate), bowBass(map, length, rate)}) {
        const auto notes =
            sungNotes(*pitchOfAnyVoice(channelOver(line.sound.channel(0)), rate), rate, Scale());
        std::size_t all = 0;
        std::size_t right = 0;
        for (const LineNote& truth : line.notes) {
            if (truth.end > Seconds(65.0)) {
                continue;
            }
            ++all;
            right += std::ranges::any_of(notes, [&](const SungNote& note) {
                const double late = (toSeconds(note.start, rate) - truth.start).count();
                const double off = note.centre - (truth.rung + truth.cents / 100.0);
                return std::abs(late) < 0.05 && std::abs(off) < 0.1;
            });
        }
        EXPECT_GT(all, 40U) << line.name;
        EXPECT_GE(static_cast<double>(right), 0.9 * static_cast<double>(all)) << line.name;
    }
}

TEST(DemoSong, ItsFreeTakesHaveTheBarsOfTheirTruth)
{
    const Hertz rate(48000.0);
    const FreePlaying dulcimer = playDulcimer(rate);
    EXPECT_EQ(dulcimer.map.meterOfBar(13), (Meter{7, 8}));
    EXPECT_LT(
        dulcimer.map.bpmAt(dulcimer.map.startOfBar(24)),
        0.85 * dulcimer.map.bpmAt(dulcimer.map.startOfBar(18))
    );
    DraftSettings settings;
    settings.firstDownbeat = dulcimer.map.firstDownbeat();
    const auto draft = draftMap(std::array{channelOver(dulcimer.sound.channel(0))}, rate, settings);
    ASSERT_TRUE(draft);
    int found = 0;
    for (int bar = 1; bar <= 24; ++bar) {
        const Seconds truth = dulcimer.map.timeAt(dulcimer.map.startOfBar(bar));
        found += std::ranges::any_of(draft->beats, [&](const DraftBeat& beat) {
            return beat.beat == 1 && std::abs((beat.at - truth).count()) < 0.02;
        });
    }
    EXPECT_GE(found, 22);

    const FreePlaying drum = playFrameDrum(rate);
    const auto tempo = findTempo(channelOver(drum.sound.channel(0)), rate, {});
    ASSERT_TRUE(tempo);
    ASSERT_FALSE(tempo->readings.empty());
    EXPECT_NEAR(tempo->readings.front().bpm, 103.7, 0.1);
}

TEST(DemoSong, WritesOnlyIntoAFolderOfItsOwn)
{
    namespace fs = std::filesystem;
    const testkit::Folder folder;
    const auto textOf = [](const fs::path& path) { return *readWhole(path, 1U << 28U); };

    std::ofstream(folder / "Room.wav") << "the user's own room";
    const auto refused = writeDemoSong(folder.path());
    ASSERT_FALSE(refused);
    EXPECT_EQ(refused.error().kind, ErrorKind::BadArgument);
    EXPECT_EQ(textOf(folder / "Room.wav"), "the user's own room");
    EXPECT_EQ(std::distance(fs::directory_iterator(folder.path()), {}), 1);

    // Its own, as it was written, may be written again; with a stranger's take among it not.
    fs::copy(writtenDemo().path(), folder / "demo");
    const fs::path path = songIn(folder / "demo");
    // A stranger's guide is not overwritten; an older demo, which had no free song, is made anew.
    fs::remove(folder / "demo/Slack Water.orthochron");
    std::ofstream(folder / "demo/Dulcimer, played.mid") << "a stranger's";
    EXPECT_FALSE(writeDemoSong(folder / "demo"));
    for (const char* name : {"Dulcimer, played.mid", "Dulcimer.wav", "Frame drum.wav"}) {
        fs::remove(folder / "demo" / name);
    }
    EXPECT_TRUE(writeDemoSong(folder / "demo"));
    EXPECT_TRUE(fs::exists(folder / "demo/Slack Water.orthochron"));
    std::ofstream(folder / "demo/Room.wav") << "another room";
    EXPECT_FALSE(writeDemoSong(folder / "demo"));
    EXPECT_EQ(textOf(folder / "demo/Room.wav"), "another room");
    fs::remove(folder / "demo/Room.wav");

    // Once it was edited and saved it is the user's.
    auto document = *loadSong(path);
    document.history.add(*document.history.song(), "An edit");
    ASSERT_TRUE(saveSong(document, path));
    const std::string saved = textOf(path);
    EXPECT_FALSE(writeDemoSong(folder / "demo"));
    EXPECT_EQ(textOf(path), saved);
}

}  // namespace
}  // namespace orthochron::demo
