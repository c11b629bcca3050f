#include "core/edits/LoopEdits.h"

#include <gtest/gtest.h>

#include "core/edits/ShapeEdits.h"
#include "core/edits/TakeEdits.h"
#include "core/render/Render.h"
#include "testkit/MarkedKit.h"

#include <cmath>

namespace orthochron {
namespace {

const Song& kit()
{
    return testkit::markedKit().song;
}

LoopCut cutOf(double from, double to, int times = 1)
{
    LoopCut cut;
    cut.span = {toFrames(Seconds(from), kit().rate), toFrames(Seconds(to), kit().rate)};
    cut.times = times;
    cut.join.crossfade = Frames(240);
    return cut;
}

std::vector<float> heard(const Track& track, Frames from, Frames length)
{
    AudioBuffer sound(1, length);
    EXPECT_TRUE(renderClips(track.clips, *testkit::markedKit().sources, from, sound));
    return {sound.channel(0).begin(), sound.channel(0).end()};
}

TEST(LoopEdits, GoesRoundOnASetOfItsOwnAndTheOriginalStays)
{
    const Song& song = kit();
    const TrackId snare = song.tracks[2]->id;
    const LoopCut cut = cutOf(3.0, 5.0, 4);
    const auto taken = takeLoop(song, snare, cut);
    ASSERT_TRUE(taken) << taken.error().message;
    const Song& next = taken->song;
    const std::size_t count = song.tracks.size();
    ASSERT_EQ(next.tracks.size(), 2 * count);
    for (std::size_t t = 0; t < count; ++t) {
        EXPECT_EQ(*next.tracks[t], *song.tracks[t]);
    }
    const auto loop = next.track(taken->track);
    ASSERT_TRUE(loop);
    EXPECT_EQ(loop->name, song.tracks[2]->name + " loop");
    const MicSet* set = next.setOf(taken->track);
    ASSERT_EQ(set->tracks.size(), count);
    EXPECT_NE(set->id, song.sets.front().id);
    // Alike on all microphones, four times round without a gap.
    for (const TrackId id : set->tracks) {
        const auto track = next.track(id);
        ASSERT_EQ(track->clips.size(), 4U);
        for (std::size_t n = 0; n < 4; ++n) {
            EXPECT_EQ(track->clips[n].part, loop->clips[n].part);
            EXPECT_EQ(track->clips[n].at, loop->clips[n].at);
        }
        EXPECT_EQ(track->clips.front().at, cut.span.from);
        EXPECT_EQ(track->clips.back().end(), cut.span.from + (cut.span.to - cut.span.from) * 4);
        EXPECT_TRUE(isWellJoined(track->clips));
    }
    // No id is given twice.
    std::set<std::uint32_t> ids;
    for (const auto& track : next.tracks) {
        EXPECT_TRUE(ids.insert(track->id.value).second);
        for (const Clip& clip : track->clips) {
            EXPECT_TRUE(ids.insert(clip.id.value).second);
        }
        for (const Mark& mark : track->marks) {
            EXPECT_TRUE(ids.insert(mark.id.value).second);
        }
    }
}

TEST(LoopEdits, EveryRoundBeginsWithTheWholeAttackAndEndsFadingIntoWhatLiesBeforeIt)
{
    const Song& song = kit();
    const auto track = song.tracks[2];
    const LoopCut cut = cutOf(3.0, 5.0, 3);
    const auto taken = takeLoop(song, track->id, cut);
    const Frames length = cut.span.to - cut.span.from;
    const auto loop = *taken->song.track(taken->track);
    const auto original = heard(*track, cut.span.from, length);
    for (const int n : {1, 2}) {
        const auto round = heard(loop, cut.span.from + length * n, length);
        for (std::size_t i = 0; i + 240 < round.size(); ++i) {
            ASSERT_EQ(round[i], original[i]) << n << " " << i;
        }
    }
    // Within the seam it is neither the one nor the other, and hardly louder than both together.
    const auto before = heard(*track, cut.span.from - Frames(240), Frames(240));
    const auto seam = heard(loop, cut.span.from + length - Frames(240), Frames(240));
    const auto end = heard(*track, cut.span.to - Frames(240), Frames(240));
    for (std::size_t i = 0; i < seam.size(); ++i) {
        EXPECT_LE(std::abs(seam[i]), 1.05F * (std::abs(before[i]) + std::abs(end[i])) + 1e-6F);
    }
    EXPECT_NEAR(seam.back(), before.back(), 1e-3F);
}

TEST(LoopEdits, OfOneTrackIsOneTrackWithoutWhatWasDrawnOverTheOriginal)
{
    Song song = *openSet(kit(), kit().sets.front().id);
    Track drawn = *song.tracks[0];
    drawn.isLocked = true;
    drawn.isSoloed = true;
    drawn.hushes.push_back({});
    putTrack(song, drawn);
    const auto taken = takeLoop(song, song.tracks[0]->id, cutOf(1.0, 2.5));
    ASSERT_TRUE(taken);
    EXPECT_EQ(taken->song.tracks.size(), song.tracks.size() + 1);
    const auto loop = taken->song.track(taken->track);
    EXPECT_EQ(taken->song.tracks[1], loop);  // right below
    EXPECT_TRUE(loop->hushes.empty());
    EXPECT_FALSE(loop->isLocked);
    EXPECT_FALSE(loop->isSoloed);
    EXPECT_EQ(loop->marks.size(), drawn.marks.size());
    EXPECT_TRUE(taken->song.setOf(loop->id)->isLone());
}

TEST(LoopEdits, RefusesWhatCannotGoRound)
{
    const TrackId track = kit().tracks[0]->id;
    EXPECT_FALSE(takeLoop(kit(), track, cutOf(1.0, 1.005)));
    EXPECT_FALSE(takeLoop(kit(), track, cutOf(2.0, 1.0)));
    EXPECT_FALSE(takeLoop(kit(), track, cutOf(5000.0, 5001.0)));
    EXPECT_FALSE(takeLoop(kit(), track, cutOf(1.0, 2.0, 0)));
    EXPECT_FALSE(takeLoop(kit(), track, cutOf(1.0, 2.0, 1001)));
    EXPECT_FALSE(takeLoop(kit(), TrackId{99999}, cutOf(1.0, 2.0)));
}

}  // namespace
}  // namespace orthochron
