#include "core/edits/ShapeEdits.h"

#include <gtest/gtest.h>

#include "core/edits/ClipEdits.h"
#include "core/edits/GridEdits.h"
#include "core/edits/SpeedEdits.h"
#include "core/files/SongFile.h"
#include "core/render/LastSound.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"

#include <cmath>

// Level lines, hushes and spins on a song, and what is heard of them.
namespace orthochron {
namespace {

class Shaping : public testing::Test {
protected:
    [[nodiscard]] const Song& song() const { return testkit::markedKit().song; }
    [[nodiscard]] const Sources& sources() const { return *testkit::markedKit().sources; }
    [[nodiscard]] TrackId track(std::size_t index) const { return song().tracks[index]->id; }
    [[nodiscard]] Frames bar(int number) const
    {
        return toFrames(song().tempo.timeAt(song().tempo.startOfBar(number)), song().rate);
    }
    [[nodiscard]] AudioBuffer heard(const Song& of, std::size_t index, Frames from, Frames to) const
    {
        AudioBuffer sound(1, to - from);
        EXPECT_TRUE(renderTrack(of, *of.tracks[index], sources(), from, sound));
        return sound;
    }
    [[nodiscard]] AudioBuffer mix(const Song& of, Frames from, Frames to) const
    {
        AudioBuffer sound(2, to - from);
        EXPECT_TRUE(renderMix(of, sources(), from, sound));
        return sound;
    }
    static double loudest(const AudioBuffer& sound)
    {
        double most = 0.0;
        for (const float value : sound.channel(0)) {
            most = std::max(most, static_cast<double>(std::abs(value)));
        }
        return most;
    }
};

TEST_F(Shaping, TheSongFadesOutOverItsLastBarsAfterTheMix)
{
    const Frames end = bar(9);
    const auto faded = fadeLong(song(), {}, {true, {4.0, {}}, 0.0}, end);
    ASSERT_TRUE(faded) << faded.error().message;
    EXPECT_EQ(faded->tracks, song().tracks);
    const auto before = mix(song(), bar(4), bar(10));
    const auto after = mix(*faded, bar(4), bar(10));
    for (std::int64_t at = bar(4).count(); at < bar(10).count(); at += 331) {
        const double left = std::clamp((Frames(at) - end) / (bar(5) - end), 0.0, 1.0);
        const double wanted = at < bar(5).count() ? 1.0 : left * left * left;
        const auto i = static_cast<std::size_t>(at - bar(4).count());
        EXPECT_NEAR(
            static_cast<double>(after.channel(1)[i]),
            static_cast<double>(before.channel(1)[i]) * wanted,
            2e-4 * wanted + 1e-7
        );
    }
    // In again at its start, a second long; what was there stays.
    const auto both = fadeLong(*faded, {}, {false, {0.0, Seconds(1.0)}, 0.5});
    ASSERT_TRUE(both);
    EXPECT_EQ(both->level.points.size(), 4U);
    EXPECT_EQ(both->level.points.front().level, kSilence);
    EXPECT_EQ(mix(*both, bar(6), bar(7)), mix(*faded, bar(6), bar(7)));
}

TEST_F(Shaping, TracksFadeEachAtItsOwnEnd)
{
    Song two = song();
    Track shorter = *two.tracks[1];
    shorter.clips.front().length = bar(6) - shorter.clips.front().at;
    putTrack(two, shorter);
    const auto faded = fadeLong(two, std::array{track(0), track(1)}, {true, {2.0, {}}, 0.0});
    ASSERT_TRUE(faded);
    const HeardLine first(faded->tracks[0]->level, two.tempo, two.rate);
    const HeardLine second(faded->tracks[1]->level, two.tempo, two.rate);
    EXPECT_EQ(first.timeOfPoint(1), two.tracks[0]->clips.back().end());
    EXPECT_LE(std::abs((second.timeOfPoint(1) - bar(6)).count()), 1);
    EXPECT_LE(std::abs((second.timeOfPoint(0) - bar(4)).count()), 1);
    EXPECT_TRUE(faded->level.isEmpty());
    EXPECT_TRUE(faded->tracks[2]->level.isEmpty());
}

TEST_F(Shaping, RefusesFadesThatCannotBe)
{
    EXPECT_FALSE(fadeLong(song(), {}, {true, {1000.0, {}}, 0.0}));
    EXPECT_FALSE(fadeLong(song(), {}, {true, {0.0, {}}, 0.0}));
    EXPECT_FALSE(fadeLong(song(), {}, {true, {0.0, Seconds(-1.0)}, 0.0}));
    EXPECT_FALSE(fadeLong(Song(), {}, {true, {8.0, {}}, 0.0}));
    EXPECT_FALSE(fadeLong(song(), std::array{TrackId{999999}}, {}));
}

TEST_F(Shaping, AHushIsSilentAndWhatBeginsAfterItIsWhole)
{
    Hush hush;
    hush.from = HeldPlace(song().tempo.startOfBar(3).count());
    hush.to = HeldPlace(song().tempo.startOfBar(5).count());
    const auto hushed = addHush(song(), std::array{track(0), track(3)}, hush);
    ASSERT_TRUE(hushed);
    const Frames edge = toFrames(milliseconds(5.0), song().rate);
    EXPECT_EQ(loudest(heard(*hushed, 0, bar(3), bar(5) - edge)), 0.0);
    EXPECT_EQ(loudest(heard(*hushed, 3, bar(3), bar(5) - edge)), 0.0);
    EXPECT_EQ(heard(*hushed, 0, bar(5), bar(6)), heard(song(), 0, bar(5), bar(6)));
    EXPECT_EQ(heard(*hushed, 0, bar(2), bar(3) - edge), heard(song(), 0, bar(2), bar(3) - edge));
    EXPECT_EQ(heard(*hushed, 1, bar(3), bar(5)), heard(song(), 1, bar(3), bar(5)));
    // Clips moved under it are silent too, and nothing of it is in the clips.
    auto moved = moveClips(*hushed, {hushed->tracks[0]->clips.front().id}, bar(2) - bar(1), {});
    ASSERT_TRUE(moved) << moved.error().message;
    EXPECT_EQ(loudest(heard(*moved, 0, bar(3), bar(5) - edge)), 0.0);
    const auto back = removeHush(*hushed, hushesOf(*hushed).front().hush.id);
    ASSERT_TRUE(back);
    EXPECT_EQ(heard(*back, 0, bar(3), bar(5)), heard(song(), 0, bar(3), bar(5)));
}

TEST_F(Shaping, AHushGoesWithItsClipsOnlyWhereItIsToldTo)
{
    Hush hush;
    hush.from = HeldPlace(song().tempo.startOfBar(3).count());
    hush.to = HeldPlace(song().tempo.startOfBar(5).count());
    auto next = addHush(song(), std::array{track(0), track(1)}, hush);
    const HushId id{next->lastId};
    next = addHush(*next, std::array{track(2)}, hush);
    next = changeHush(*next, id, {.goesWithClips = true});
    const Frames by = bar(2) - bar(1);
    const auto moved = moveClips(*next, {next->tracks[0]->clips.front().id}, by, {});
    ASSERT_TRUE(moved) << moved.error().message;
    const auto spanOn = [&](std::size_t t) {
        return spanOf(moved->tracks[t]->hushes[0], moved->tempo, moved->rate);
    };
    EXPECT_EQ(spanOn(0).from, bar(3) + by);
    EXPECT_EQ(spanOn(1).to, bar(5) + by);
    EXPECT_EQ(spanOn(2).from, bar(3));
}

TEST_F(Shaping, HushesAreTrimmedCopiedAndRepeated)
{
    Hush hush;
    hush.from = HeldPlace(song().tempo.startOfBar(2).count());
    hush.to = HeldPlace(song().tempo.startOfBar(3).count());
    auto next = addHush(song(), std::array{track(0), track(1)}, hush);
    const HushId id{next->lastId};
    next = changeHush(*next, id, {.to = HeldPlace(hush.to.count() + 1.0), .label = "out"});
    ASSERT_TRUE(next);
    next = copyHush(*next, id, 8.0, 2);
    ASSERT_TRUE(next);
    next = repeatHush(*next, id, 2, 2);
    ASSERT_TRUE(next);
    const auto all = hushesOf(*next);
    ASSERT_EQ(all.size(), 4U);
    EXPECT_EQ(all[0].tracks, (std::vector{track(0), track(1)}));
    EXPECT_EQ(all[0].hush.label, "out");
    // A bar and a beat long, as it was made before.
    EXPECT_NEAR(all[1].hush.from.count(), song().tempo.startOfBar(4).count(), 1e-9);
    const auto low = std::ranges::find_if(all, [&](const auto& each) {
        return each.tracks.front() == track(2);
    });
    ASSERT_NE(low, all.end());
    EXPECT_EQ(low->tracks, (std::vector{track(2), track(3)}));
    EXPECT_NEAR(low->hush.to.count() - low->hush.from.count(), 5.0, 1e-9);

    EXPECT_FALSE(changeHush(*next, id, {.to = hush.from}));
    EXPECT_FALSE(addHush(song(), {}, hush));
    EXPECT_FALSE(repeatHush(*next, id, 0, 1));
    EXPECT_FALSE(repeatHush(*next, id, 1, 0));
    EXPECT_FALSE(repeatHush(*next, id, 1, 1001));
    EXPECT_TRUE(repeatHush(*next, id, 1, 1000));
    const auto once = repeatHush(*next, id, 1, 1);
    ASSERT_TRUE(once);
    EXPECT_EQ(hushesOf(*once).size(), 5U);
    EXPECT_FALSE(removeHush(song(), HushId{77}));
}

TEST_F(Shaping, BarsHushedPieceByPieceAreTakenBackByOneKeyWhateverTheirOrder)
{
    const std::array tracks{track(0), track(2)};
    const auto later = switchHush(song(), tracks, {bar(4), bar(6)});
    ASSERT_TRUE(later);
    const auto both = switchHush(later->song, tracks, {bar(2), bar(4)});
    ASSERT_TRUE(both);
    const auto off = switchHush(both->song, tracks, {bar(2), bar(6)});
    ASSERT_TRUE(off);
    EXPECT_TRUE(hushesOf(off->song).empty());
}

TEST_F(Shaping, OneKeyHushesBarsAndTheSameTakesItBack)
{
    const std::array tracks{track(0), track(2)};
    const auto on = switchHush(song(), tracks, {bar(2), bar(6)});
    ASSERT_TRUE(on);
    EXPECT_TRUE(on->isHushed);
    // Of a part of it, only that part sounds again.
    const auto part = switchHush(on->song, tracks, {bar(3), bar(4)});
    ASSERT_TRUE(part);
    EXPECT_FALSE(part->isHushed);
    EXPECT_EQ(
        heard(part->song, 0, bar(3), bar(4) - Frames(240)),
        heard(song(), 0, bar(3), bar(4) - Frames(240))
    );
    EXPECT_EQ(loudest(heard(part->song, 0, bar(4), bar(6) - Frames(240))), 0.0);
    EXPECT_EQ(hushesOf(part->song).size(), 3U);
    const auto off = switchHush(on->song, tracks, {bar(2), bar(6)});
    ASSERT_TRUE(off);
    EXPECT_EQ(off->song.tracks[0]->hushes, song().tracks[0]->hushes);
    EXPECT_FALSE(switchHush(song(), tracks, {bar(3), bar(3)}));
}

TEST_F(Shaping, FollowsTheBarsWhenTheTempoChangesUnlessItStays)
{
    Hush hush;
    hush.from = HeldPlace(8.0);
    hush.to = HeldPlace(16.0);
    auto next = addHush(song(), std::array{track(0)}, hush);
    next = addHush(*next, std::array{track(1)}, hush);
    next = changeHush(*next, HushId{next->lastId}, {.staysInTime = true});
    ASSERT_TRUE(next);
    const auto spans = [](const Song& of) {
        return std::pair{
            spanOf(of.tracks[0]->hushes[0], of.tempo, of.rate),
            spanOf(of.tracks[1]->hushes[0], of.tempo, of.rate)};
    };
    const auto before = spans(*next);
    EXPECT_EQ(before.first, before.second);
    // A hundred changes of tempo and back again: nothing adds up.
    Song changed = *next;
    for (int i = 0; i < 100; ++i) {
        changed = *setTempo(changed, 61.7 + i, {});
    }
    EXPECT_NE(spans(changed).first, before.first);
    EXPECT_EQ(spans(changed).second, before.second);
    changed = *setTempo(changed, song().tempo.tempi().front().bpm, {});
    EXPECT_EQ(spans(changed).first, before.first);
}

TEST_F(Shaping, ASpinHoldsTheKitTogetherAndGoesWithoutATrace)
{
    const Frames cut = bar(5);
    auto split = splitClips(song(), {song().tracks[0]->clips.front().id}, {cut}, {});
    ASSERT_TRUE(split);
    Spin spin;
    spin.length = toFrames(Seconds(1.0), song().rate);
    const ClipChoice first{split->tracks[0]->clips.front().id};
    const auto spun = spinClips(*split, first, true, spin);
    ASSERT_TRUE(spun) << spun.error().message;
    const auto treatment = spun->tracks[0]->clips.front().sound.treatment;
    ASSERT_TRUE(treatment);
    for (std::size_t t = 0; t < spun->tracks.size(); ++t) {
        const Clip& clip = spun->tracks[t]->clips.front();
        EXPECT_EQ(clip.sound.treatment, treatment);
        EXPECT_EQ(clip.length, split->tracks[t]->clips.front().length);
        const Frames from = clip.end() - spin.length;
        EXPECT_EQ(
            heard(*spun, t, from - Frames(9600), from), heard(*split, t, from - Frames(9600), from)
        );
        // The next clip is faded in over the last milliseconds.
        const Frames quiet = clip.end() - Frames(1000);
        EXPECT_LT(loudest(heard(*spun, t, quiet, quiet + Frames(500))), 1e-3);
        EXPECT_EQ(
            heard(*spun, t, cut + Frames(480), cut + Frames(9600)),
            heard(*split, t, cut + Frames(480), cut + Frames(9600))
        );
    }
    const auto still = spinClips(*spun, first, true, std::nullopt);
    ASSERT_TRUE(still);
    for (std::size_t t = 0; t < still->tracks.size(); ++t) {
        EXPECT_EQ(still->tracks[t]->clips.front().sound, split->tracks[t]->clips.front().sound);
    }
    EXPECT_FALSE(spinClips(*split, first, true, Spin{song().length()}));
    EXPECT_FALSE(spinLevel(*split, first, false));
    EXPECT_TRUE(spinLevel(*spun, first, false));
}

TEST_F(Shaping, IsKeptInTheSongFileAndAlone)
{
    Song shaped = song();
    LevelLine line;
    line.points = {
        {HeldPlace(1.0), 0.0, 0.5}, {HeldPlace(2.0), kSilence, 0.0, true}, {HeldPlace(9.0), 12.0}};
    shaped = *setLevelLine(shaped, std::array{track(1)}, line);
    shaped = *setLevelLine(shaped, {}, lines::heldTo(line, Keeps::Time, shaped.tempo));
    Hush hush;
    hush.label = "no \"kick\"";
    hush.from = HeldPlace(4.5);
    hush.to = HeldPlace(5.25);
    hush.goesWithClips = true;
    shaped = *addHush(shaped, std::array{track(0)}, hush);
    shaped = *setEnd(shaped, Beats(40.0));
    shaped = *spinClips(
        shaped, {shaped.tracks[0]->clips.front().id}, false, Spin{Frames(4000), 0.25, 0.5}
    );
    History history(song());
    history.add(shaped, "Shaped");
    Song ended = *setEnd(shaped, std::nullopt);
    history.add(ended, "Reset end");
    const auto read = readSong(writeSong({history}), "test");
    ASSERT_TRUE(read) << read.error().message;
    EXPECT_EQ(*read->history.song(), ended);
    EXPECT_EQ(*read->history.version(1).song, shaped);
    EXPECT_EQ(*read->history.version(0).song, song());
    EXPECT_EQ(shaped.end(), toFrames(shaped.tempo.timeAt(Beats(40.0)), shaped.rate));
    EXPECT_EQ(ended.end(), ended.length());
}

TEST_F(Shaping, RefusesASongFileWhosePointsAreOutOfOrder)
{
    LevelLine line;
    line.points = {{HeldPlace(1.0), 0.0}, {HeldPlace(2.0), -3.0}};
    std::string text = writeSong({History(*setLevelLine(song(), {}, line))});
    const auto at = text.find("[2.0,-3.0");
    ASSERT_NE(at, std::string::npos);
    text.replace(at, 9, "[0.5,-3.0");
    const auto read = readSong(text, "test");
    ASSERT_FALSE(read);
    EXPECT_NE(read.error().message.find("not in order"), std::string::npos);
}

TEST_F(Shaping, TheLastSoundIsFoundWhateverIsFadedOrHushed)
{
    const auto last = lastSound(song(), sources(), {});
    ASSERT_TRUE(last);
    EXPECT_LE(*last, song().length());
    const auto faded = fadeLong(song(), {}, {true, {4.0, {}}, 0.0}, *last);
    ASSERT_TRUE(faded);
    EXPECT_EQ(*lastSound(*faded, sources(), {}), *last);
    const auto after = mix(song(), *last, *last + Frames(4800));
    EXPECT_LT(loudest(after), fromDecibels(kLeastSound));
}

}  // namespace
}  // namespace orthochron
